//! Drawings: functions from a domain value to SVG markup, to scale, one millimetre per unit.

mod band;
mod bend;
pub mod chart;
mod comb;
mod laid;
mod neck;
mod row;
mod section;
mod svg;
mod top;
mod wiring;

pub use band::band;
pub use bend::{bend, pull};
pub use comb::comb;
pub use laid::{guide, laid};
pub use neck::neck;
pub use row::{balance, row};
pub use section::{section, section_over};
pub use svg::Element;
pub(crate) use svg::{Svg, escaped};
pub use top::{top, top_over};
pub use wiring::wiring;

/// Half the sizes along x and y of all that is there, mm.
pub(crate) fn extent(design: &coil::design::Design) -> (f64, f64) {
    let mut half = (5.0_f64, 5.0_f64);
    let mut reach = |x: f64, y: f64, hx: f64, hy: f64| {
        half = (half.0.max(x.abs() + hx), half.1.max(y.abs() + hy));
    };
    for coil in &design.coils {
        let ((length, width), room) = (coil.former.core.size_mm(), coil.former.room_mm);
        reach(coil.center_mm[0], coil.center_mm[1], length / 2.0 + room, width / 2.0 + room);
    }
    for (center, size) in design.bars.iter().map(|b| (b.center_mm, b.size_mm)) {
        reach(center[0], center[1], size[0] / 2.0, size[1] / 2.0);
    }
    for (center, size) in design.metal.iter().map(|m| (m.center_mm, m.size_mm)) {
        reach(center[0], center[1], size[0] / 2.0, size[1] / 2.0);
    }
    half
}

/// Two drawings in one frame that holds both; the second as outlines without its dimensions.
fn over(one: (Svg, [f64; 4]), (other, b): (Svg, [f64; 4]), class: &str, title: &str) -> String {
    let (mut svg, a) = one;
    let from = [a[0].min(b[0]), a[1].min(b[1])];
    let to = [(a[0] + a[2]).max(b[0] + b[2]), (a[1] + a[3]).max(b[1] + b[3])];
    svg.put(Element::new("g").with("class", "outlines").children(&other));
    svg.framed([from[0], from[1], to[0] - from[0], to[1] - from[1]], class, title)
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, starting_point};
    use coil::quantity::Units;

    /// The drawings of two formats, markup by markup.
    #[test]
    fn drawings_are_as_they_were() {
        for kind in [Format::TallSingle, Format::TwinCoil] {
            let design = starting_point(kind, "Sedge", 6, 10.0);
            let (builds, units) = (vec![4.0; design.coils.len()], Units::default());
            let all = [top(&design, &builds, units), section(&design, &builds, units), wiring(&design)];
            // An element a line, so that a change shows where it is.
            insta::assert_snapshot!(
                format!("drawings_{}", kind.name().replace(' ', "_")),
                all.join("\n").replace("><", ">\n<")
            );
        }
    }

    const HOSTILE: [&str; 5] = [
        "<script>alert(1)</script>",
        "\"/><g x-on:load=\"$el.submit()\"><text x=\"",
        "' onmouseover='alert(1)",
        "]]><image href=x onerror=alert(1)>",
        "A &lt;b&gt; & \u{0}\u{1b}",
    ];

    /// Whatever a coil, a pole or a design is called, a drawing holds the same elements.
    #[test]
    fn no_name_becomes_markup() {
        for kind in Format::ALL {
            let design = starting_point(kind, "Sedge", 6, 10.0);
            let (builds, units) = (vec![4.0; design.coils.len()], Units::default());
            let drawn = |design: &coil::design::Design| {
                let over = (design, builds.as_slice());
                [
                    top(design, &builds, units),
                    section(design, &builds, units),
                    wiring(design),
                    top_over(over, over, units),
                    section_over(over, over, units),
                ]
            };
            let elements = |svg: &str| svg.matches('<').count();
            let usual = drawn(&design);
            for name in HOSTILE {
                let mut hostile = design.clone();
                name.clone_into(&mut hostile.name);
                let old: Vec<String> = hostile.coils.iter().map(|c| c.name.clone()).collect();
                for (k, coil) in hostile.coils.iter_mut().enumerate() {
                    coil.name = format!("{name}{k}");
                    for pole in hostile.poles.iter_mut().filter(|p| p.coil == old[k]) {
                        pole.coil.clone_from(&coil.name);
                    }
                }
                for (svg, usual) in drawn(&hostile).iter().zip(&usual) {
                    assert_eq!(elements(svg), elements(usual), "{kind:?} {name}: {svg}");
                    assert!(!svg.contains("alert(1)>") && !svg.contains(" onmouseover='"), "{kind:?}: {svg}");
                }
            }
        }
    }
}
