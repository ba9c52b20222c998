//! The partials of a string as the positions of a switch hear them.

use super::{Element, Svg};
use coil::set::PositionPartial;

/// Partials that are shown: what lies above is too close to tell apart, and faint.
const MOST: usize = 24;
/// Level at which a partial is drawn as gone, dB.
const GONE_DB: f64 = -30.0;
const LEFT: f64 = 30.0;
const CELL: (f64, f64) = (7.0, 7.0);

/// Rows of cells, a position each: the darker, the louder the partial; white is gone. Every cell tells its figures to the pointer.
pub fn comb(positions: &[(String, Vec<PositionPartial>)]) -> String {
    let mut svg = Svg::default();
    let columns = positions.iter().map(|(_, p)| p.len()).max().unwrap_or(0).min(MOST);
    let bottom = CELL.1 * positions.len() as f64;
    for (row, (name, partials)) in positions.iter().enumerate() {
        let y = CELL.1 * row as f64;
        svg.put(
            Element::new("text")
                .with("class", "axis")
                .with("text-anchor", "end")
                .with("x", format_args!("{:.1}", LEFT - 1.5))
                .with("y", format_args!("{:.1}", y + 0.68 * CELL.1))
                .text(name.chars().take(14).collect::<String>()),
        );
        for (column, partial) in partials.iter().take(columns).enumerate() {
            let share = (1.0 - partial.loaded_db / GONE_DB).clamp(0.0, 1.15) / 1.15;
            let db = format!("{:.1}", partial.loaded_db).replace('-', "−");
            let title = format!("{name}, partial {} at {:.0} Hz: {db} dB", partial.n, partial.hz);
            svg.put(
                Element::new("rect")
                    .with("class", "partial")
                    .with("x", format_args!("{:.1}", LEFT + CELL.0 * column as f64))
                    .with("y", format_args!("{y:.1}"))
                    .with("width", format_args!("{:.1}", CELL.0 - 0.5))
                    .with("height", format_args!("{:.1}", CELL.1 - 0.5))
                    .with("fill-opacity", format_args!("{share:.2}"))
                    .child(Element::new("title").text(title)),
            );
        }
    }
    for column in 0..columns {
        svg.put(
            Element::new("text")
                .with("class", "axis")
                .with("text-anchor", "middle")
                .with("x", format_args!("{:.1}", LEFT + CELL.0 * (column as f64 + 0.46)))
                .with("y", format_args!("{:.1}", bottom + 4.0))
                .text(column + 1),
        );
    }
    let view = [0.0, -1.0, LEFT + CELL.0 * columns as f64, bottom + 7.0];
    svg.framed(
        view,
        "comb",
        "Level of each partial of the string at every position: dark is loud, empty is gone",
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_partial_that_is_gone_is_empty() {
        let partial =
            |n: u32, loaded_db| PositionPartial { n, hz: 110.0 * f64::from(n), place_db: 0.0, loaded_db };
        let svg = comb(&[("1".into(), vec![partial(1, 0.0), partial(2, -40.0)]), ("<2>".into(), Vec::new())]);
        assert!(svg.contains(r#"fill-opacity="0.87""#) && svg.contains(r#"fill-opacity="0.00""#), "{svg}");
        assert!(!svg.contains("<2>") && svg.contains("220 Hz: −40.0 dB"));
    }
}
