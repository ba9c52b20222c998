//! What a bend meets: how loudly a string is heard over the plane of the strings, and the pull of the magnets.

use super::{Element, Svg};
use coil::prediction::{BendMap, StringPrediction};
use std::fmt::Write as _;

const WIDTH: f64 = 120.0;
/// Half of the string that is shown along itself, mm.
const REACH_MM: f64 = 20.0;
/// Heights of the plane, and of the level along the row under it.
const PLANE: f64 = 26.0;
const LEVEL: f64 = 22.0;
/// Lowest level that the scale shows, dB.
const FLOOR_DB: f64 = -12.0;
/// Steps of the shading.
const SHADES: f64 = 10.0;

/// Draws the plane of the strings from above, shaded by how much each place is heard, and the level of the whole string along
/// the row below it. `strings_x_mm` are the places of the strings, first string first.
pub fn bend(map: &BendMap, strings_x_mm: &[f64]) -> String {
    let mut svg = Svg::default();
    let (Some(first), Some(last)) = (map.x_mm.first(), map.x_mm.last()) else { return String::new() };
    let x = |mm: f64| 12.0 + (WIDTH - 14.0) * (mm - first) / (last - first).max(1e-9);
    let y = |mm: f64| 2.0 + PLANE * (REACH_MM - mm) / (2.0 * REACH_MM);
    let step = (last - first) / (map.x_mm.len().max(2) - 1) as f64;
    for (k, place) in map.x_mm.iter().enumerate() {
        for (p, along) in map.y_mm.iter().enumerate().filter(|(_, y)| y.abs() < REACH_MM) {
            let share = map.shares[k * map.y_mm.len() + p];
            let shade = (share.abs().sqrt() * SHADES).round();
            if shade < 1.0 {
                continue;
            }
            let beside = |q: usize| map.y_mm.get(q).copied().unwrap_or(*along);
            let (low, high) = (0.5 * (beside(p.saturating_sub(1)) + along), 0.5 * (beside(p + 1) + along));
            let (top, bottom) = (y(high.min(REACH_MM)), y(low.max(-REACH_MM)));
            svg.put(
                Element::new("rect")
                    .with("class", if share < 0.0 { "heard against" } else { "heard" })
                    .with("fill-opacity", format_args!("{:.1}", shade / SHADES))
                    .with("x", format_args!("{:.2}", x(place - step / 2.0)))
                    .with("y", format_args!("{top:.2}"))
                    .with("width", format_args!("{:.2}", x(step) - x(0.0) + 0.05))
                    .with("height", format_args!("{:.2}", bottom - top + 0.05)),
            );
        }
    }
    let base = 4.0 + PLANE;
    let level = |db: f64| base + LEVEL * (db.max(FLOOR_DB) / FLOOR_DB);
    for db in [0.0, FLOOR_DB / 2.0, FLOOR_DB] {
        let (at, line) = (level(db), format!("M12 {:.2}H{:.2}", level(db), WIDTH - 2.0));
        svg.put(Element::new("path").with("class", "grid").with("d", line));
        let text = if db == 0.0 { "0 dB".to_owned() } else { format!("−{}", db.abs()) };
        svg.put(label("end", 11.0, at).text(text));
    }
    for (k, mm) in strings_x_mm.iter().enumerate() {
        let line = format!("M{:.2} 2V{:.2}", x(*mm), base + LEVEL);
        svg.put(Element::new("path").with("class", "string").with("d", line));
        svg.put(label("middle", x(*mm), base + LEVEL + 3.0).text(k + 1));
    }
    let mut line = String::new();
    for (k, (mm, db)) in map.x_mm.iter().zip(&map.level_db).enumerate() {
        let _ = write!(line, "{}{:.2} {:.2}", if k == 0 { "M" } else { "L" }, x(*mm), level(*db));
    }
    svg.put(Element::new("path").with("class", "curve loaded").with("d", line));
    svg.framed(
        [0.0, 0.0, WIDTH, base + LEVEL + 5.0],
        "bend",
        "How loudly a string is heard over the plane of the strings",
    )
}

fn label(anchor: &'static str, x: f64, y: f64) -> Element {
    Element::new("text")
        .with("class", "axis")
        .with("text-anchor", anchor)
        .with("dominant-baseline", "middle")
        .with("x", format_args!("{x:.2}"))
        .with("y", format_args!("{y:.2}"))
}

/// Bars of the magnets' pull on every string, mN, with what it detunes; `from_last` as for the balance.
pub fn pull(strings: &[StringPrediction], from_last: bool) -> String {
    let mut svg = Svg::default();
    let most = strings.iter().map(|s| s.pull_mn).fold(0.1, f64::max);
    let step = (WIDTH - 14.0) / strings.len().max(1) as f64;
    for k in 0..strings.len() {
        let string = &strings[if from_last { strings.len() - 1 - k } else { k }];
        let height = (18.0 * string.pull_mn / most).max(0.3);
        let x = 12.0 + step * k as f64;
        svg.put(
            Element::new("rect")
                .with("class", "bar-of")
                .with("x", format_args!("{:.2}", x + 0.2 * step))
                .with("y", format_args!("{:.2}", 24.0 - height))
                .with("width", format_args!("{:.2}", 0.6 * step))
                .with("height", format_args!("{height:.2}")),
        );
        let middle = x + 0.5 * step;
        svg.put(label("middle", middle, 22.0 - height).text(format_args!("{:.1}", string.pull_mn)));
        svg.put(label("middle", middle, 27.0).text(string.string));
        let cents = format!("{:.1} ¢", string.pull_cents).replace('-', "−");
        svg.put(label("middle", middle, 31.0).text(cents));
    }
    svg.framed(
        [0.0, 0.0, WIDTH, 34.0],
        "balance",
        "Pull of the magnets on every string in millinewtons, and cents of detuning",
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, starting_point};
    use coil::prediction::{Calibration, Solution};

    #[test]
    fn the_level_line_is_within_its_frame_and_each_string_has_its_pull() {
        let solution = Solution::compute(&starting_point(Format::TallSingle, "Sedge", 6, 10.0)).unwrap();
        let drawn = bend(&solution.bend_map(3).unwrap(), &[25.0, 15.0, 5.0, -5.0, -15.0, -25.0]);
        assert!(drawn.starts_with("<svg") && drawn.matches("class=\"heard\"").count() > 100);
        let line = drawn.split("curve loaded\" d=\"").nth(1).unwrap().split('"').next().unwrap();
        let heights: Vec<f64> =
            line.split(['M', 'L']).filter_map(|p| p.split(' ').nth(1)?.parse().ok()).collect();
        assert_eq!(heights.len(), 61);
        assert!(heights.iter().all(|y| *y >= 4.0 + PLANE - 1e-9 && *y <= 4.0 + PLANE + LEVEL + 1e-9));
        let strings = solution.prediction(&Calibration::default()).strings;
        assert_eq!(pull(&strings, true).matches(" ¢").count(), 6);
    }
}
