//! The section across the row through a middle pole: flanges, poles, coils as wound, magnets, plates, the string above.

use super::{Element, Svg, extent};
use coil::design::{Coil, Design, MetalPart, Pole};
use coil::quantity::{Measure, Units};

/// Draws the section across the row, with the builds of the coils, mm; the string runs left to right above.
pub fn section(design: &Design, builds_mm: &[f64], units: Units) -> String {
    let (svg, view) = parts(design, builds_mm, units);
    svg.framed(view, "section", "Section through a pole, to scale")
}

/// The sections of two pickups over one another, the second as outlines.
pub fn section_over(one: (&Design, &[f64]), other: (&Design, &[f64]), units: Units) -> String {
    super::over(
        parts(one.0, one.1, units),
        parts(other.0, other.1, units),
        "section",
        "Sections of two pickups over one another, to scale",
    )
}

fn parts(design: &Design, builds_mm: &[f64], units: Units) -> (Svg, [f64; 4]) {
    let mut svg = Svg::default();
    let length = units.conversion(Measure::Length);
    let edge = extent(design).1;
    let poles: Vec<&Pole> = design.coils.iter().flat_map(|c| middle_poles(design, c)).collect();
    let bottom_of = |center: f64, size: f64| center - size / 2.0;
    let bottom = design
        .coils
        .iter()
        .map(|c| c.base_mm)
        .chain(poles.iter().map(|p| p.bottom_mm))
        .chain(design.bars.iter().map(|b| bottom_of(b.center_mm[2], b.size_mm[2])))
        .chain(design.metal.iter().map(|m| bottom_of(m.center_mm[2], m.size_mm[2])))
        .fold(0.0, f64::min);
    let roof = design.coils.iter().map(roof).fold(0.0, f64::max);
    let pole_top = poles.iter().map(|p| p.bottom_mm + p.length_mm).fold(f64::NEG_INFINITY, f64::max);
    let face = if pole_top.is_finite() { pole_top } else { roof };
    let gap = design.strings.core_and_gap_mm(design.strings.count / 2).1;
    for metal in &design.metal {
        let ([_, sy, sz], [_, y, z]) = (metal.size_mm, metal.center_mm);
        match (metal.part, metal.wall_mm) {
            (MetalPart::Cover, Some(wall)) => {
                // Top and two sides; the strings' side is closed.
                rect(&mut svg, "metal", (y - sy / 2.0, z + sz / 2.0 - wall, sy, wall), "");
                rect(&mut svg, "metal", (y - sy / 2.0, z - sz / 2.0, wall, sz - wall), "");
                rect(&mut svg, "metal", (y + sy / 2.0 - wall, z - sz / 2.0, wall, sz - wall), "");
            }
            _ => rect(&mut svg, "metal", (y - sy / 2.0, z - sz / 2.0, sy, sz), ""),
        }
    }
    for bar in &design.bars {
        let ([_, sy, sz], [_, y, z]) = (bar.size_mm, bar.center_mm);
        rect(&mut svg, "bar", (y - sy / 2.0, z - sz / 2.0, sy, sz), "");
    }
    let builds = builds_mm.iter().copied().chain(std::iter::repeat(0.0));
    for ((i, coil), build) in design.coils.iter().enumerate().zip(builds) {
        winding(&mut svg, coil, build, i);
    }
    for pole in &poles {
        let from = design.place_of_pole_mm(pole)[1] - pole.diameter_mm / 2.0;
        let place = (from, pole.bottom_mm, pole.diameter_mm, pole.length_mm);
        if pole.bevel_mm > 0.0 {
            bevelled(&mut svg, place, pole.bevel_mm);
        } else {
            rect(&mut svg, "pole", place, "length_mm");
        }
    }
    let string_z = face + gap;
    rect(&mut svg, "string-body", (-edge - 2.0, string_z, 2.0 * edge + 4.0, 0.4), "gap");
    if let Some(coil) = design.coils.last() {
        let (floor, ceiling) = (floor(coil), floor(coil) + coil.former.height_mm);
        svg.dimension(
            (edge + 2.0, -floor),
            (edge + 2.0, -ceiling),
            &format!("{} high", length.number(coil.former.height_mm, 2)),
            &format!("coils[{}].former.height_mm", design.coils.len() - 1),
        );
    }
    if let (Some(coil), Some(&build)) = (design.coils.first(), builds_mm.first()) {
        let from = coil.center_mm[1] + coil.former.core.size_mm().1 / 2.0;
        let y = -bottom + 2.6;
        svg.dimension(
            (from, y),
            (from + build, y),
            &format!("build {}", length.number(build, 2)),
            "coils[0].wind.turns",
        );
    }
    if let Some(pole) =
        poles.iter().max_by(|a, b| (a.bottom_mm + a.length_mm).total_cmp(&(b.bottom_mm + b.length_mm)))
    {
        let y = design.place_of_pole_mm(pole)[1];
        svg.dimension((y, -face), (y, -string_z), &format!("gap {}", length.number(gap, 2)), "gap");
        let x = -edge - 3.0;
        svg.dimension((x, -pole.bottom_mm), (x, -pole.bottom_mm - pole.length_mm), "", ".length_mm");
        svg.put(
            Element::new("text")
                .with("class", "dim-text")
                .with("text-anchor", "end")
                .with("dominant-baseline", "middle")
                .with("x", format_args!("{:.3}", x - 1.2))
                .with("y", format_args!("{:.3}", -pole.bottom_mm - pole.length_mm / 2.0))
                .text(format_args!("pole {}", length.number(pole.length_mm, 2))),
        );
    }
    // A coil or a cover may stand higher than the string over a pole.
    let top_of = |center: f64, size: f64| center + size / 2.0;
    let bars = design.bars.iter().map(|b| top_of(b.center_mm[2], b.size_mm[2]));
    let metal = design.metal.iter().map(|m| top_of(m.center_mm[2], m.size_mm[2]));
    let highest = bars.chain(metal).fold(string_z.max(roof), f64::max);
    let view = [-edge - 15.0, -highest - 3.0, 2.0 * edge + 30.0, highest - bottom + 7.0];
    (svg, view)
}

/// A pole whose upper edge is bevelled, from the side.
fn bevelled(svg: &mut Svg, (x, z, w, h): (f64, f64, f64, f64), bevel: f64) {
    let corners = [(0.0, 0.0), (w, 0.0), (w, h - bevel), (w - bevel, h), (bevel, h), (0.0, h - bevel)];
    let points: Vec<String> =
        corners.iter().map(|(right, up)| format!("{:.3},{:.3}", x + right, -(z + up))).collect();
    let shape = Element::new("polygon").with("class", "pole").with("data-field", "length_mm");
    svg.put(shape.with("points", points.join(" ")));
}

fn rect(svg: &mut Svg, class: &str, (x, z, w, h): (f64, f64, f64, f64), field: &str) {
    // z runs up, y of the drawing down.
    svg.put(
        Element::new("rect")
            .with("class", class)
            .with("data-field", field)
            .with("x", format_args!("{x:.3}"))
            .with("y", format_args!("{:.3}", -z - h))
            .with("width", format_args!("{w:.3}"))
            .with("height", format_args!("{h:.3}")),
    );
}

fn floor(coil: &Coil) -> f64 {
    coil.base_mm + coil.former.flange_bottom_mm
}

fn roof(coil: &Coil) -> f64 {
    floor(coil) + coil.former.height_mm + coil.former.flange_top_mm
}

/// The pole of a coil nearest to the middle of the row, with those that stand beside it across the row.
fn middle_poles<'a>(design: &'a Design, coil: &'a Coil) -> impl Iterator<Item = &'a Pole> {
    let own = || design.poles.iter().filter(|p| p.coil == coil.name);
    let middle = own().min_by(|a, b| a.x_mm.abs().total_cmp(&b.x_mm.abs())).map(|p| p.x_mm);
    own().filter(move |p| middle.is_some_and(|x_mm| (p.x_mm - x_mm).abs() < 1e-6))
}

fn winding(svg: &mut Svg, coil: &Coil, build: f64, index: usize) {
    let former = &coil.former;
    let (middle, half) = (coil.center_mm[1], former.core.size_mm().1 / 2.0);
    let edge = half + former.room_mm;
    let field = |key: &str| format!("coils[{index}].former.{key}");
    rect(
        svg,
        "flange",
        (middle - edge, coil.base_mm, 2.0 * edge, former.flange_bottom_mm),
        &field("flange_bottom_mm"),
    );
    let ceiling = floor(coil) + former.height_mm;
    rect(svg, "flange", (middle - edge, ceiling, 2.0 * edge, former.flange_top_mm), &field("flange_top_mm"));
    let class = if build > former.room_mm { "wire over" } else { "wire" };
    for from in [middle - half - build, middle + half] {
        rect(svg, class, (from, floor(coil), build, former.height_mm), &field("height_mm"));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, starting_point, tall_single};

    #[test]
    fn parts_are_where_the_document_has_them() {
        let svg = section(&tall_single("Sedge", 6, 10.4), &[4.6], Units::default());
        // The winding: 4.6 mm of build, 11 mm high, standing on a flange of 2.4 mm.
        assert!(svg.contains(r#"x="2.375" y="-13.400" width="4.600" height="11.000""#), "{svg}");
        assert!(svg.contains("gap 2.4") && svg.contains("11 high"));
    }

    #[test]
    fn a_twin_shows_both_coils_and_what_lies_under_them() {
        let design = starting_point(Format::TwinCoil, "Sedge", 6, 10.0);
        let svg = section(&design, &[3.0, 3.0], Units::default());
        assert_eq!(svg.matches(r#"class="wire""#).count(), 4);
        assert_eq!(svg.matches(r#"class="flange""#).count(), 4);
        assert_eq!(svg.matches(r#"class="pole""#).count(), 2);
        assert_eq!(svg.matches(r#"class="bar""#).count(), 1);
    }
}
