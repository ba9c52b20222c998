//! The section through the middle pole: flanges, rod, the coil as wound, the string above.

use super::Svg;
use coil::design::Design;
use coil::quantity::fixed;

/// Draws the section across the row, with a build of `build_mm`; the string runs left to right above.
pub fn section(design: &Design, build_mm: f64) -> String {
    let mut svg = Svg::default();
    let Some(coil) = design.coils.first() else {
        return svg.framed([0.0, 0.0, 1.0, 1.0], "section", "nothing");
    };
    let former = &coil.former;
    let width = former.core.size_mm().1;
    let edge = width / 2.0 + former.room_mm;
    let pole = design.poles.get(design.poles.len() / 2);
    let (gap, string_mm) = (design.strings.core_and_gap_mm(1).1, 0.4);
    let bottom = coil.base_mm;
    let floor = bottom + former.flange_bottom_mm;
    let ceiling = floor + former.height_mm;
    let roof = ceiling + former.flange_top_mm;
    let pole_top = pole.map_or(roof, |p| p.bottom_mm + p.length_mm);
    // z runs up, y of the drawing down.
    let mut part = |class: &str, x: f64, z: f64, w: f64, h: f64| {
        svg.put(format_args!(
            r#"<rect class="{class}" x="{x:.3}" y="{:.3}" width="{w:.3}" height="{h:.3}"/>"#,
            -z - h
        ));
    };
    for metal in &design.metal {
        part(
            "metal",
            metal.center_mm[1] - metal.size_mm[1] / 2.0,
            metal.center_mm[2] - metal.size_mm[2] / 2.0,
            metal.size_mm[1],
            metal.size_mm[2],
        );
    }
    for bar in &design.bars {
        part(
            "bar",
            bar.center_mm[1] - bar.size_mm[1] / 2.0,
            bar.center_mm[2] - bar.size_mm[2] / 2.0,
            bar.size_mm[1],
            bar.size_mm[2],
        );
    }
    part("flange", -edge, bottom, 2.0 * edge, former.flange_bottom_mm);
    part("flange", -edge, ceiling, 2.0 * edge, former.flange_top_mm);
    let class = if build_mm > former.room_mm { "wire over" } else { "wire" };
    part(class, -width / 2.0 - build_mm, floor, build_mm, former.height_mm);
    part(class, width / 2.0, floor, build_mm, former.height_mm);
    if let Some(pole) = pole {
        part("pole", -pole.diameter_mm / 2.0, pole.bottom_mm, pole.diameter_mm, pole.length_mm);
    }
    let string_z = pole_top + gap;
    part("string-body", -edge - 2.0, string_z, 2.0 * edge + 4.0, string_mm);
    svg.dimension(
        (edge + 2.0, -floor),
        (edge + 2.0, -ceiling),
        &format!("{} high", fixed(former.height_mm, 2)),
    );
    svg.dimension(
        (width / 2.0, -bottom + 2.6),
        (width / 2.0 + build_mm, -bottom + 2.6),
        &format!("build {}", fixed(build_mm, 2)),
    );
    svg.dimension((0.0, -pole_top), (0.0, -string_z), &format!("gap {}", fixed(gap, 1)));
    if let Some(pole) = pole {
        let x = -edge - 3.0;
        svg.dimension((x, -pole.bottom_mm), (x, -pole_top), "");
        svg.put(format_args!(
            r#"<text class="dim-text" text-anchor="end" dominant-baseline="middle" x="{:.3}" y="{:.3}">rod {}</text>"#,
            x - 1.2, -(pole.bottom_mm + pole_top) / 2.0, fixed(pole.length_mm, 2)
        ));
    }
    let view = [-edge - 15.0, -string_z - 3.0, 2.0 * edge + 30.0, string_z - bottom.min(0.0) + 7.0];
    svg.framed(view, "section", "Section through a pole, to scale")
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;

    #[test]
    fn parts_are_where_the_document_has_them() {
        let svg = section(&tall_single("Sedge", 6, 10.4), 4.6);
        // The winding: 4.6 mm of build, 10.92 mm high, standing on a flange of 2.4 mm.
        assert!(svg.contains(r#"x="2.375" y="-13.320" width="4.600" height="10.920""#), "{svg}");
        assert!(svg.contains("10.92 high") && svg.contains("rod 17") && svg.contains("gap 2.4"));
    }
}
