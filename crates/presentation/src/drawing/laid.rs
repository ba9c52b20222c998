//! The coil as it was laid: every turn in the section, coloured by when it came; and the guide that laid it.

use super::{Element, Svg};
use coil::quantity::Units;
use coil::wind::{GuidePlan, Section};
use std::fmt::Write as _;

/// Steps of colour from the first turns to the last.
const AGES: usize = 8;

/// The turns as dots, by age: each a stroke of no length with a round cap, in whole hundredths of a millimetre from the dot
/// before. Thousands of them are most of what the drawing is.
fn dots(section: &Section) -> Vec<String> {
    let count = section.turns.len().max(1);
    let mut ages = vec![String::new(); AGES];
    let mut last = [(0_i32, 0_i32); AGES];
    for (k, turn) in section.turns.iter().enumerate() {
        let age = k * AGES / count;
        #[allow(clippy::cast_possible_truncation, reason = "a bobbin is some centimetres high")]
        let at =
            ((turn.out_m * 1e5).round() as i32, ((section.height_m - turn.height_m) * 1e5).round() as i32);
        let from = std::mem::replace(&mut last[age], at);
        // Writing to a string cannot fail.
        let _ = write!(ages[age], "m{} {}h0", at.0 - from.0, at.1 - from.1);
    }
    ages
}

/// Draws one side of the winding, core at the left, millimetre for millimetre, with the thickest and the
/// thinnest place marked.
pub fn laid(section: &Section, units: Units) -> String {
    let mut svg = Svg::default();
    let height = section.height_m * 1e3;
    let thick = section.thickest_m() * 1e3;
    let wire = section.overall_m * 1e3;
    svg.put(
        Element::new("path")
            .with("class", "core-edge")
            .with("d", format_args!("M0 {:.2}V{:.2}", -0.4, height + 0.4)),
    );
    for (age, dots) in dots(section).iter().enumerate() {
        svg.put(
            Element::new("path")
                .with("class", format_args!("turns age{age}"))
                .with("transform", "scale(.01)")
                .with("stroke-width", format_args!("{:.1}", wire * 100.0))
                .with("d", dots),
        );
    }
    let strip = section.strip_m() * 1e3;
    let edge = section.profile_m.len() / 20;
    let inner = edge..section.profile_m.len() - edge;
    let at = |pick: fn(f64, f64) -> bool| {
        inner.clone().reduce(|a, b| if pick(section.profile_m[b], section.profile_m[a]) { b } else { a })
    };
    for (found, word) in [(at(|b, a| b > a), "thickest"), (at(|b, a| b < a), "thinnest")] {
        let Some(k) = found else { continue };
        let (x, y) = (section.profile_m[k] * 1e3, height - strip * (k as f64 + 0.5));
        svg.put(Element::new("path").with("class", "dim").with("d", format_args!("M{x:.2} {y:.2}h1")));
        svg.put(
            Element::new("text")
                .with("class", "dim-text")
                .with("dominant-baseline", "middle")
                .with("x", format_args!("{:.2}", x + 1.2))
                .with("y", format_args!("{y:.2}"))
                .text(format_args!("{word} {}", units.length(x, 2))),
        );
    }
    let title = "Section of the coil as laid, core at the left, first turns dark and last turns light";
    svg.framed([-0.6, -0.6, thick + 8.6, height + 1.2], "laid", title)
}

/// Columns and rows that all turns of the guide are counted in, and the shades that the counts are drawn in.
const ALL: (usize, usize) = (90, 12);
const SHADES: usize = 5;

/// Where the guide is over all turns: the fuller a place, the darker. Left upper corner and size of the drawing, mm.
fn guide_over_all(svg: &mut Svg, path: &[f64], height_m: f64, [x, y, width, height]: [f64; 4]) {
    let (columns, rows) = ALL;
    let mut counts = vec![0_u32; columns * rows];
    for (k, z) in path.iter().enumerate() {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a share of the rows")]
        let row = (((1.0 - z / height_m).clamp(0.0, 1.0) * rows as f64) as usize).min(rows - 1);
        counts[(k * columns / path.len()) * rows + row] += 1;
    }
    let most = counts.iter().copied().max().unwrap_or(1).max(1);
    let (step_x, step_y) = (width / columns as f64, height / rows as f64);
    for shade in 1..=SHADES {
        let mut places = String::new();
        for (k, count) in counts.iter().enumerate() {
            let of_it = (*count as usize * SHADES).div_ceil(most as usize);
            if of_it == shade {
                let (column, row) = (k / rows, k % rows);
                let (left, top) = (x + column as f64 * step_x, y + row as f64 * step_y);
                let _ = write!(places, "M{left:.2} {top:.2}h{step_x:.2}v{step_y:.2}h-{step_x:.2}z");
            }
        }
        let opacity = format!("{:.2}", shade as f64 / SHADES as f64);
        svg.put(
            Element::new("path").with("class", "guide-share").with("fill-opacity", opacity).with("d", places),
        );
    }
}

/// Draws where the guide asks the turns to lie, over the turns: the first passes turn by turn, and all of them by how many lie where.
pub fn guide(plan: &GuidePlan) -> String {
    const WIDTH: f64 = 120.0;
    const HEIGHT: f64 = 40.0;
    const SHOWN: usize = 400;
    let path = plan.path();
    let mut svg = Svg::default();
    let first = path.len().min(SHOWN);
    let mut line = String::new();
    for (k, z) in path[..first].iter().enumerate() {
        let x = 14.0 + (WIDTH - 16.0) * k as f64 / (first.max(2) - 1) as f64;
        let y = 2.0 + (HEIGHT - 8.0) * (1.0 - z / plan.height_m);
        let _ = write!(line, "{}{x:.2} {y:.2}", if k == 0 { "M" } else { "L" });
    }
    svg.put(Element::new("path").with("class", "grid").with(
        "d",
        format_args!(
            "M14 2V{:.2}M14 {:.2}H{:.2}M14 2H{:.2}",
            HEIGHT - 6.0,
            HEIGHT - 6.0,
            WIDTH - 2.0,
            WIDTH - 2.0
        ),
    ));
    svg.put(Element::new("path").with("class", "guide").with("d", line));
    for (y, text) in [(3.0, "top"), (HEIGHT - 6.0, "bottom")] {
        svg.put(
            Element::new("text")
                .with("class", "axis")
                .with("text-anchor", "end")
                .with("dominant-baseline", "middle")
                .with("x", "13")
                .with("y", format_args!("{y:.2}"))
                .text(text),
        );
    }
    svg.put(
        Element::new("text")
            .with("class", "axis")
            .with("x", "14")
            .with("y", format_args!("{:.2}", HEIGHT - 1.5))
            .text("turn 1"),
    );
    svg.put(
        Element::new("text")
            .with("class", "axis")
            .with("text-anchor", "end")
            .with("x", format_args!("{:.2}", WIDTH - 2.0))
            .with("y", format_args!("{:.2}", HEIGHT - 1.5))
            .text(format_args!("turn {first}")),
    );
    guide_over_all(&mut svg, &path, plan.height_m, [14.0, HEIGHT + 2.0, WIDTH - 16.0, HEIGHT - 8.0]);
    for (x, anchor, text) in [
        (14.0, "start", "turn 1, all turns: darker where more lie".to_owned()),
        (WIDTH - 2.0, "end", format!("turn {}", path.len())),
    ] {
        svg.put(
            Element::new("text")
                .with("class", "axis")
                .with("text-anchor", anchor)
                .with("x", format_args!("{x:.2}"))
                .with("y", format_args!("{:.2}", 2.0 * HEIGHT - 1.5))
                .text(text),
        );
    }
    svg.framed(
        [0.0, 0.0, WIDTH, 2.0 * HEIGHT],
        "guide-path",
        "Where the guide asks the turns to lie, between the flanges: the first ones, and all of them",
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::prediction::lay_coil;

    #[test]
    fn every_turn_is_a_dot_in_its_age() {
        let (plan, section) = lay_coil(&tall_single("Sedge", 6, 10.4), 0).unwrap();
        let svg = laid(&section, Units::default());
        assert_eq!(svg.matches("h0").count(), section.turns.len());
        assert_eq!(svg.matches(r#"class="turns"#).count(), AGES);
        // The moves of the last age end at the last turn.
        let all = dots(&section);
        let moves = all[AGES - 1].split("h0").filter_map(|m| m.strip_prefix('m')?.split_once(' '));
        let (x, y) = moves.fold((0, 0), |at, (dx, dy)| {
            (at.0 + dx.parse::<i32>().unwrap(), at.1 + dy.parse::<i32>().unwrap())
        });
        let last = section.turns.last().unwrap();
        assert!((f64::from(x) * 1e-5 - last.out_m).abs() < 6e-6, "to half a hundredth of a millimetre");
        assert!((section.height_m - f64::from(y) * 1e-5 - last.height_m).abs() < 6e-6);
        assert!(svg.contains("thickest") && svg.contains("thinnest"));
        let guide = guide(&plan);
        assert!(guide.contains("turn 400") && guide.contains(&format!("turn {}", plan.path().len())));
        // Every column of all turns has some.
        assert!(guide.matches("guide-share").count() == SHADES && guide.matches("h1.16").count() >= ALL.0);
    }
}
