#!/bin/sh
# Refreshes the fonts and icons that ship with the application from npm, at the versions named here, with
# their licences. Run by hand when a version is raised; the build never downloads anything.
set -eu
here=$(cd "$(dirname "$0")/.." && pwd)
to="$here/crates/web/assets/vendor"
axe="$here/crates/e2e/vendor"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

fetch() { # package version
    mkdir -p "$work/$1"
    (cd "$work/$1" && npm pack --silent "$1@$2" >/dev/null && tar xzf ./*.tgz)
}
fetch bootstrap-icons 1.13.2
fetch @fontsource/atkinson-hyperlegible-next 5.3.0
fetch @fontsource/atkinson-hyperlegible-mono 5.3.0
fetch axe-core 4.14.1

rm -rf "$to/icons" "$to/fonts" "$axe"
mkdir -p "$to/icons" "$to/fonts" "$axe"

# One sprite of the icons that are used, each as a symbol.
cp "$work/bootstrap-icons/package/LICENSE" "$to/icons/"
{
    printf '<svg xmlns="http://www.w3.org/2000/svg">\n'
    for icon in house-door vector-pen journal-text box-seam box-arrow-right plus-lg arrow-counterclockwise \
        arrow-clockwise check-circle exclamation-triangle octagon info-circle download pencil play-circle \
        hourglass-split search arrow-left-right eye lightning-charge person people toggles list; do
        sed -e 's/<svg /<symbol /' -e 's|</svg>|</symbol>|' -e 's/xmlns="[^"]*" //' -e 's/ width="16" height="16"//' \
            -e "s/ class=\"[^\"]*\"/ id=\"$icon\"/" "$work/bootstrap-icons/package/icons/$icon.svg"
        printf '\n'
    done
    printf '</svg>\n'
} >"$to/icons/icons.svg"

for font in next mono; do
    from="$work/@fontsource/atkinson-hyperlegible-$font/package"
    cp "$from/files/atkinson-hyperlegible-$font-latin-400-normal.woff2" \
        "$from/files/atkinson-hyperlegible-$font-latin-700-normal.woff2" "$to/fonts/"
    cp "$from/LICENSE" "$to/fonts/LICENSE-$font"
done

cp "$work/axe-core/package/axe.min.js" "$axe/"
cp "$work/axe-core/package/LICENSE" "$axe/LICENSE-axe-core"
echo "vendored into $to and $axe"
