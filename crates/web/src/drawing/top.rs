//! The pickup from above: core, rods with their polarity, the coil, the flange, the strings.

use super::Svg;
use coil::design::{Design, Polarity};
use coil::quantity::fixed;

/// Draws the first coil from above, with a build of `build_mm`; treble to the right.
pub fn top(design: &Design, build_mm: f64) -> String {
    let mut svg = Svg::default();
    let Some(coil) = design.coils.first() else { return svg.framed([0.0, 0.0, 1.0, 1.0], "top", "nothing") };
    let core = coil.former.core;
    let corner = core.outline().corner_m * 1e3;
    let (length, width) = core.size_mm();
    let (cx, cy) = (coil.center_mm[0], -coil.center_mm[1]);
    let mut ring = |class: &str, out: f64| {
        svg.put(format_args!(
            r#"<rect class="{class}" x="{:.3}" y="{:.3}" width="{:.3}" height="{:.3}" rx="{:.3}"/>"#,
            cx - length / 2.0 - out,
            cy - width / 2.0 - out,
            length + 2.0 * out,
            width + 2.0 * out,
            corner + out
        ));
    };
    let room = coil.former.room_mm;
    ring("flange", room);
    ring(if build_mm > room { "wire over" } else { "wire" }, build_mm);
    ring("core", 0.0);
    let half = (length / 2.0 + room, width / 2.0 + room);
    for pole in &design.poles {
        let letter = if pole.up == Polarity::North { "N" } else { "S" };
        svg.put(format_args!(
            r#"<circle class="pole" cx="{:.3}" cy="{cy:.3}" r="{:.3}"/><text class="polarity" text-anchor="middle" dominant-baseline="central" x="{:.3}" y="{cy:.3}">{letter}</text>"#,
            pole.x_mm, pole.diameter_mm / 2.0, pole.x_mm
        ));
        svg.put(format_args!(
            r#"<path class="string" d="M{0:.3} {1:.3}V{2:.3}"/>"#,
            pole.x_mm,
            cy - half.1 - 2.0,
            cy + half.1 + 2.0
        ));
        if let Some(string) = pole.string {
            svg.put(format_args!(
                r#"<text class="dim-text" text-anchor="middle" x="{:.3}" y="{:.3}">{string}</text>"#,
                pole.x_mm,
                cy + half.1 + 4.6
            ));
        }
    }
    let over = (length + 2.0 * build_mm, width + 2.0 * build_mm);
    svg.dimension(
        (cx - over.0 / 2.0, cy - half.1 - 4.0),
        (cx + over.0 / 2.0, cy - half.1 - 4.0),
        &format!("coil {} mm", fixed(over.0, 1)),
    );
    svg.dimension(
        (cx + half.0 + 2.5, cy - over.1 / 2.0),
        (cx + half.0 + 2.5, cy + over.1 / 2.0),
        &fixed(over.1, 1),
    );
    let view = [cx - half.0 - 3.0, cy - half.1 - 8.0, 2.0 * half.0 + 16.0, 2.0 * half.1 + 14.0];
    svg.framed(view, "top", "The pickup from above, to scale")
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;

    #[test]
    fn every_rod_stands_at_its_place_to_scale() {
        let design = tall_single("Sedge", 6, 10.4);
        let svg = top(&design, 4.6);
        assert_eq!(svg.matches(r#"class="pole""#).count(), 6);
        assert!(
            svg.contains(r#"cx="26.000" cy="-0.000" r="2.375""#)
                || svg.contains(r#"cx="26.000" cy="0.000" r="2.375""#),
            "{svg}"
        );
        assert!(svg.contains("coil 66 mm"));
        assert!(!svg.contains("wire over") && top(&design, 7.0).contains("wire over"));
    }
}
