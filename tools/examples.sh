#!/bin/sh
# Writes one example design of every format with its prediction for people to examples/designs/, the answers to the sets, works and
# findings of the other examples beside them.
set -eu
cd "$(dirname "$0")/.."
cargo build --release --locked --quiet --package filamentum
program="${CARGO_TARGET_DIR:-target}/release/filamentum"
while IFS='|' read -r kind strings pitch name; do
    "$program" new "$kind" --strings "$strings" --pitch "$pitch" |
        awk -v name="$name" '!done && /"name":/ { print "  \"name\": \"" name "\","; done = 1; next } { print }' \
            > "examples/designs/$kind.json"
    "$program" predict "examples/designs/$kind.json" --format text > "examples/designs/$kind.txt"
done <<LIST
tall-single|6|10.4|Reed lap steel, neck
short-single|6|9.9|Reed lap steel, bridge
wide-single|6|10.0|Sallow baritone, middle
twin-coil|6|10.0|Sallow baritone, bridge
stacked-twin|6|10.4|Reed lap steel, quiet
blade|8|9.2|Marram console steel
button-magnet|4|9.5|Withy electric mandola
concentric|6|10.4|Sallow baritone, two voices
per-string|8|9.8|Marram console steel, string by string
LIST
for set in examples/sets/*.json; do
    "$program" set "$set" --format text > "${set%.json}.txt"
done
for work in examples/work/*.json; do
    "$program" schedule "$work" --format text > "${work%.json}.txt"
done
for findings in examples/findings/*.json; do
    "$program" identify "$findings" --format text > "${findings%.json}.txt"
done
