//! The response over frequency, coil alone and loaded.

use super::Svg;
use coil::predict::Response;
use std::fmt::Write as _;

const WIDTH: f64 = 120.0;
const HEIGHT: f64 = 74.0;
const LOW_DB: f64 = -20.0;
const HIGH_DB: f64 = 30.0;

/// Draws both curves from 100 Hz to 20 kHz.
pub fn response(curve: &Response) -> String {
    let x = |hz: f64| 9.0 + (WIDTH - 11.0) * (hz / 100.0).ln() / 200f64.ln();
    let y = |db: f64| 2.0 + (HEIGHT - 8.0) * (HIGH_DB - db.clamp(LOW_DB, HIGH_DB)) / (HIGH_DB - LOW_DB);
    let mut svg = Svg::default();
    for (hz, name) in [
        (100.0, "100 Hz"),
        (200.0, ""),
        (500.0, ""),
        (1e3, "1 kHz"),
        (2e3, ""),
        (5e3, "5 kHz"),
        (1e4, "10"),
        (2e4, ""),
    ] {
        svg.put(format_args!(
            r#"<path class="grid" d="M{0:.2} {1:.2}V{2:.2}"/>"#,
            x(hz),
            y(HIGH_DB),
            y(LOW_DB)
        ));
        svg.put(format_args!(
            r#"<text class="axis" text-anchor="middle" x="{:.2}" y="{:.2}">{name}</text>"#,
            x(hz).max(13.0),
            HEIGHT - 1.2
        ));
    }
    for db in [-20, -10, 0, 10, 20, 30] {
        let at = y(f64::from(db));
        svg.put(format_args!(r#"<path class="grid" d="M{:.2} {at:.2}H{:.2}"/>"#, x(100.0), x(2e4)));
        svg.put(format_args!(
            r#"<text class="axis" text-anchor="end" dominant-baseline="middle" x="8" y="{at:.2}">{db}</text>"#
        ));
    }
    for (class, values) in [("unloaded", &curve.unloaded_db), ("loaded", &curve.loaded_db)] {
        let mut path = String::new();
        let mut before: Option<(f64, f64)> = None;
        for (hz, db) in curve.hz.iter().zip(values).filter(|(hz, _)| **hz >= 100.0) {
            // A curve that falls out of the frame ends at its floor.
            let (mut at, mut level) = (x(*hz), *db);
            let below = level < LOW_DB;
            if let Some((x0, db0)) = before.filter(|_| below) {
                at = x0 + (at - x0) * (db0 - LOW_DB) / (db0 - level);
                level = LOW_DB;
            }
            let pen = if path.is_empty() { "M" } else { "L" };
            // Writing to a string cannot fail.
            let _ = write!(path, "{pen}{at:.2} {:.2}", y(level));
            if below {
                break;
            }
            before = Some((at, level));
        }
        svg.put(format_args!(r#"<path class="curve {class}" d="{path}"/>"#));
    }
    svg.framed(
        [0.0, 0.0, WIDTH, HEIGHT],
        "response",
        "Response in decibels over frequency, coil alone and loaded",
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn curves_start_flat_and_stay_in_the_frame() {
        let curve = Response {
            hz: vec![50.0, 100.0, 1000.0, 20_000.0],
            unloaded_db: vec![0.0, 0.0, 1.0, 99.0],
            loaded_db: vec![0.0, 0.0, 0.5, -99.0],
        };
        let svg = response(&curve);
        assert_eq!(svg.matches("class=\"curve").count(), 2);
        // 100 Hz at the left edge, 20 kHz at the right; above the frame is its edge, below it the curve ends.
        assert!(
            svg.contains("M9.00 41.60") && svg.contains("L118.00 2.00") && svg.contains("L69.07 68.00"),
            "{svg}"
        );
    }
}
