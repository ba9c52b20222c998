//! The pickup from above: parts below, flanges, coils as wound, cores, poles with their polarity, strings.

use super::{Element, Svg, extent};
use coil::design::{Coil, Design, Direction, Polarity, Pole, PoleShape};
use coil::quantity::{Measure, Units};

/// Draws the pickup from above, with the builds of its coils, mm; treble to the right, the bridge upwards.
pub fn top(design: &Design, builds_mm: &[f64], units: Units) -> String {
    let (svg, view) = parts(design, builds_mm, units);
    svg.framed(view, "top", "The pickup from above, to scale")
}

/// Two pickups from above over one another, the second as outlines.
pub fn top_over(one: (&Design, &[f64]), other: (&Design, &[f64]), units: Units) -> String {
    super::over(
        parts(one.0, one.1, units),
        parts(other.0, other.1, units),
        "top",
        "Two pickups from above over one another, to scale",
    )
}

fn parts(design: &Design, builds_mm: &[f64], units: Units) -> (Svg, [f64; 4]) {
    let mut svg = Svg::default();
    let half = extent(design);
    for metal in &design.metal {
        block(&mut svg, "metal", metal.center_mm, metal.size_mm);
    }
    for bar in &design.bars {
        block(&mut svg, "bar", bar.center_mm, bar.size_mm);
    }
    let built = || design.coils.iter().zip(builds_mm.iter().copied().chain(std::iter::repeat(0.0)));
    for (i, (coil, _)) in built().enumerate() {
        ring(&mut svg, "flange", coil, coil.former.room_mm, &format!("coils[{i}].former.room_mm"));
    }
    for (i, (coil, build)) in built().enumerate() {
        ring(
            &mut svg,
            if build > coil.former.room_mm { "wire over" } else { "wire" },
            coil,
            build,
            &format!("coils[{i}].wind.turns"),
        );
        ring(&mut svg, "core", coil, 0.0, &format!("coils[{i}].former.core.length_mm"));
        turning(&mut svg, coil, build);
    }
    for (k, one) in design.poles.iter().enumerate() {
        pole(&mut svg, design, one, k);
    }
    for string in 1..=design.strings.count {
        let strings = &design.strings;
        let x = coil::design::place_in_row(string, strings.count, strings.pitch_mm, strings.handed);
        svg.put(
            Element::new("path")
                .with("class", "string")
                .with("d", format_args!("M{x:.3} {:.3}V{:.3}", -half.1 - 2.0, half.1 + 2.0)),
        );
        svg.put(
            Element::new("text")
                .with("class", "dim-text")
                .with("text-anchor", "middle")
                .with("x", format_args!("{x:.3}"))
                .with("y", format_args!("{:.3}", half.1 + 4.6))
                .text(string),
        );
    }
    if let Some((coil, build)) = built().max_by(|a, b| reach(a).total_cmp(&reach(b))) {
        let (length, width) = coil.former.core.size_mm();
        let over = (length + 2.0 * build, width + 2.0 * build);
        let (cx, cy) = (coil.center_mm[0], -coil.center_mm[1]);
        svg.dimension(
            (cx - over.0 / 2.0, -half.1 - 4.0),
            (cx + over.0 / 2.0, -half.1 - 4.0),
            &format!("coil {}", units.length(over.0, 1)),
            "former.core.length_mm",
        );
        svg.dimension(
            (half.0 + 2.5, cy - over.1 / 2.0),
            (half.0 + 2.5, cy + over.1 / 2.0),
            &units.conversion(Measure::Length).number(over.1, 1),
            "former.core.width_mm",
        );
    }
    (svg, [-half.0 - 3.0, -half.1 - 8.0, 2.0 * half.0 + 16.0, 2.0 * half.1 + 14.0])
}

fn reach((coil, build): &(&Coil, f64)) -> f64 {
    coil.former.core.size_mm().0 + 2.0 * build
}

fn block(svg: &mut Svg, class: &str, center: [f64; 3], size: [f64; 3]) {
    svg.put(
        Element::new("rect")
            .with("class", class)
            .with("x", format_args!("{:.3}", center[0] - size[0] / 2.0))
            .with("y", format_args!("{:.3}", -center[1] - size[1] / 2.0))
            .with("width", format_args!("{:.3}", size[0]))
            .with("height", format_args!("{:.3}", size[1]))
            .with("rx", "0.8"),
    );
}

fn ring(svg: &mut Svg, class: &str, coil: &Coil, out: f64, field: &str) {
    let core = coil.former.core;
    let corner = core.outline().corner_m * 1e3;
    let (length, width) = core.size_mm();
    svg.put(
        Element::new("rect")
            .with("class", class)
            .with("data-field", field)
            .with("x", format_args!("{:.3}", coil.center_mm[0] - length / 2.0 - out))
            .with("y", format_args!("{:.3}", -coil.center_mm[1] - width / 2.0 - out))
            .with("width", format_args!("{:.3}", length + 2.0 * out))
            .with("height", format_args!("{:.3}", width + 2.0 * out))
            .with("rx", format_args!("{:.3}", corner + out)),
    );
}

/// An arrow on the coil's far side: the way the wire runs from start to finish, seen from above.
fn turning(svg: &mut Svg, coil: &Coil, build: f64) {
    let y = -coil.center_mm[1] - coil.former.core.size_mm().1 / 2.0 - build / 2.0;
    let way = if coil.wind.direction == Direction::Clockwise { 1.0 } else { -1.0 };
    let (x, tip) = (coil.center_mm[0], coil.center_mm[0] + 3.0 * way);
    svg.put(Element::new("path").with("class", "turning").with(
        "d",
        format_args!(
            "M{:.3} {y:.3}H{tip:.3}m{:.3} -0.9l{:.3} 0.9l{:.3} 0.9",
            x - 3.0 * way,
            -1.2 * way,
            1.2 * way,
            -1.2 * way
        ),
    ));
}

fn pole(svg: &mut Svg, design: &Design, pole: &Pole, index: usize) {
    let coil = design.coils.iter().find(|c| c.name == pole.coil);
    let [x, y] = design.place_of_pole_mm(pole);
    let y = -y;
    let r = pole.diameter_mm / 2.0;
    let field = format!("poles[{index}].length_mm");
    match pole.shape {
        PoleShape::Blade | PoleShape::Square => {
            let along = match (pole.shape, coil) {
                (PoleShape::Blade, Some(c)) => {
                    let (length, width) = c.former.core.size_mm();
                    (length - width + pole.diameter_mm) / 2.0
                }
                _ => r,
            };
            svg.put(
                Element::new("rect")
                    .with("class", "pole")
                    .with("data-field", field)
                    .with("x", format_args!("{:.3}", x - along))
                    .with("y", format_args!("{:.3}", y - r))
                    .with("width", format_args!("{:.3}", 2.0 * along))
                    .with("height", format_args!("{:.3}", 2.0 * r)),
            );
        }
        PoleShape::Screw => {
            svg.put(
                Element::new("circle")
                    .with("class", "pole")
                    .with("data-field", field)
                    .with("cx", format_args!("{x:.3}"))
                    .with("cy", format_args!("{y:.3}"))
                    .with("r", format_args!("{r:.3}")),
            );
            svg.put(
                Element::new("circle")
                    .with("class", "slot")
                    .with("cx", format_args!("{x:.3}"))
                    .with("cy", format_args!("{y:.3}"))
                    .with("r", format_args!("{:.3}", 0.82 * r)),
            );
        }
        _ => svg.put(
            Element::new("circle")
                .with("class", "pole")
                .with("data-field", field)
                .with("cx", format_args!("{x:.3}"))
                .with("cy", format_args!("{y:.3}"))
                .with("r", format_args!("{r:.3}")),
        ),
    }
    let letter = if pole.up == Polarity::North { "N" } else { "S" };
    svg.put(
        Element::new("text")
            .with("class", "polarity")
            .with("text-anchor", "middle")
            .with("dominant-baseline", "central")
            .with("x", format_args!("{x:.3}"))
            .with("y", format_args!("{y:.3}"))
            .text(letter),
    );
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, starting_point, tall_single};

    #[test]
    fn every_rod_stands_at_its_place_to_scale() {
        let design = tall_single("Sedge", 6, 10.4);
        let svg = top(&design, &[4.6], Units::default());
        assert_eq!(svg.matches(r#"class="pole""#).count(), 6);
        assert!(svg.contains(r#"cx="26.000""#) && svg.contains(r#"r="2.375""#), "{svg}");
        assert!(svg.contains("coil 66 mm"));
        let inches = Units { length: coil::quantity::LengthUnit::Inch, ..Units::default() };
        assert!(top(&design, &[4.6], inches).contains("coil 2.6 in"));
        assert!(!svg.contains("wire over") && top(&design, &[7.0], Units::default()).contains("wire over"));
    }

    #[test]
    fn every_format_shows_all_its_parts() {
        for kind in Format::ALL {
            let design = starting_point(kind, "Sedge", 6, 10.0);
            let svg = top(&design, &vec![3.0; design.coils.len()], Units::default());
            let count = |class: &str| svg.matches(&format!(r#"class="{class}""#)).count();
            assert_eq!(count("core"), design.coils.len(), "{kind:?}");
            assert_eq!(count("pole"), design.poles.len(), "{kind:?}");
            assert_eq!(count("bar"), design.bars.len(), "{kind:?}");
            assert_eq!(count("metal"), design.metal.len(), "{kind:?}");
            assert_eq!(count("string"), 6, "{kind:?}");
        }
    }
}
