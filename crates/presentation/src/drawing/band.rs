//! A number as a mark on its band: predicted hollow on a dashed band, measured a solid diamond, the target a
//! bracket with a hatched inside.

use super::{Element, Svg};
use coil::prediction::Quantity;

/// Draws the band of a predicted number with the target and the measured value, if there are.
pub fn band(predicted: &Quantity, target: Option<[f64; 2]>, measured: Option<f64>) -> String {
    let mut low = predicted.p05;
    let mut high = predicted.p95;
    for value in target.into_iter().flatten().filter(|end| end.is_finite()).chain(measured) {
        low = low.min(value);
        high = high.max(value);
    }
    let span = (high - low).max(predicted.nominal.abs() * 1e-6).max(f64::MIN_POSITIVE);
    let at = |value: f64| 6.0 + 108.0 * (value - low) / span;
    let mut svg = Svg::default();
    if let Some([from, to]) = target {
        // An open end runs off the drawing.
        let (a, b) = (at(from).max(0.0), at(to).min(120.0));
        svg.put(
            Element::new("path")
                .with("class", "aim")
                .with("d", format_args!("M{a:.1} 10H{:.1}", b.max(a + 0.5))),
        );
        svg.put(
            Element::new("path")
                .with("class", "aim-edge")
                .with("d", format_args!("M{:.1} 2h-3v16h3M{:.1} 2h3v16h-3", a + 1.0, b - 1.0)),
        );
    }
    svg.put(
        Element::new("path")
            .with("class", "predicted-line")
            .with("d", format_args!("M{:.1} 10H{:.1}", at(predicted.p05), at(predicted.p95))),
    );
    svg.put(
        Element::new("circle")
            .with("class", "predicted-mark")
            .with("cx", format_args!("{:.1}", at(predicted.nominal)))
            .with("cy", "10")
            .with("r", "4"),
    );
    if let Some(value) = measured {
        let x = at(value);
        svg.put(
            Element::new("path")
                .with("class", "measured-mark")
                .with("d", format_args!("M{x:.1} 4L{:.1} 10L{x:.1} 16L{:.1} 10Z", x + 5.0, x - 5.0)),
        );
    }
    svg.framed([0.0, 0.0, 120.0, 20.0], "band", "band")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn marks_keep_their_order() {
        let q = Quantity { nominal: 5.0, p05: 4.0, p95: 6.0 };
        let svg = band(&q, Some([5.0, 8.0]), Some(3.0));
        // Low end: measured 3; high end: the target's 8.
        assert!(svg.contains("M6.0 4L11.0 10") && svg.contains(r#"cx="49.2""#), "{svg}");
        assert!(!band(&q, None, None).contains("measured"));
    }

    /// A target with one end runs off the drawing on the other side, and does not press the marks together.
    #[test]
    fn an_open_target_runs_off_the_drawing() {
        let q = Quantity { nominal: 5.0, p05: 4.0, p95: 6.0 };
        for target in [[4.5, f64::INFINITY], [f64::NEG_INFINITY, 5.5]] {
            let svg = band(&q, Some(target), None);
            assert!(!svg.contains("inf") && !svg.contains("NaN"), "{svg}");
            assert!(svg.contains(r#"cx="60.0""#), "the middle stays in the middle: {svg}");
        }
        assert!(band(&q, Some([4.5, f64::INFINITY]), None).contains("H120.0"));
        assert!(band(&q, Some([f64::NEG_INFINITY, 5.5]), None).contains("M0.0 10"));
    }
}
