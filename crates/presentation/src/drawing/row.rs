//! The field along the row of strings, and each string's share of the output.

use super::{Element, Svg};
use coil::prediction::StringPrediction;
use coil::quantity::{Measure, Units};
use std::fmt::Write as _;

const WIDTH: f64 = 120.0;
const HEIGHT: f64 = 46.0;

/// Draws the upright flux density along x at the strings' height: (x in mm, mT) pairs in rising order.
pub fn row(points: &[(f64, f64)], strings_x_mm: &[f64], units: Units) -> String {
    let mut svg = Svg::default();
    let flux = units.conversion(Measure::Flux);
    let (Some(first), Some(last)) = (points.first(), points.last()) else { return String::new() };
    let low = points.iter().map(|p| p.1).fold(0.0, f64::min);
    let high = points.iter().map(|p| p.1).fold(0.0, f64::max);
    let span = (high - low).max(1.0);
    let x = |mm: f64| 12.0 + (WIDTH - 14.0) * (mm - first.0) / (last.0 - first.0).max(1e-9);
    let y = |mt: f64| 3.0 + (HEIGHT - 11.0) * (high - mt) / span;
    for mt in [low, 0.0, high] {
        svg.put(
            Element::new("path")
                .with("class", "grid")
                .with("d", format_args!("M12 {:.2}H{:.2}", y(mt), WIDTH - 2.0)),
        );
    }
    for mt in if low < 0.0 && high > 0.0 { vec![low, 0.0, high] } else { vec![low, high] } {
        svg.put(
            Element::new("text")
                .with("class", "axis")
                .with("text-anchor", "end")
                .with("dominant-baseline", "middle")
                .with("x", "11")
                .with("y", format_args!("{:.2}", y(mt)))
                .text(flux.number(mt, 1).replace('-', "−")),
        );
    }
    for (k, mm) in strings_x_mm.iter().enumerate() {
        svg.put(
            Element::new("path")
                .with("class", "string")
                .with("d", format_args!("M{:.2} 3V{:.2}", x(*mm), HEIGHT - 8.0)),
        );
        svg.put(
            Element::new("text")
                .with("class", "axis")
                .with("text-anchor", "middle")
                .with("x", format_args!("{:.2}", x(*mm)))
                .with("y", format_args!("{:.2}", HEIGHT - 4.0))
                .text(k + 1),
        );
    }
    let mut line = String::new();
    for (k, (mm, mt)) in points.iter().enumerate() {
        let _ = write!(line, "{}{:.2} {:.2}", if k == 0 { "M" } else { "L" }, x(*mm), y(*mt));
    }
    svg.put(Element::new("path").with("class", "curve loaded").with("d", line));
    svg.put(
        Element::new("text")
            .with("class", "axis")
            .with("x", "12")
            .with("y", format_args!("{:.2}", HEIGHT - 0.6))
            .text(format_args!("{} upright, at the strings; south up is negative", flux.symbol)),
    );
    svg.framed([0.0, 0.0, WIDTH, HEIGHT], "row", "Flux density along the row of strings")
}

/// Bars of the strings' outputs in dB against the loudest; `from_last` begins with the highest number, as a
/// right-handed row does from the left.
pub fn balance(strings: &[StringPrediction], from_last: bool) -> String {
    let mut svg = Svg::default();
    let loudest = strings.iter().map(|s| s.balance_db).fold(f64::NEG_INFINITY, f64::max);
    let step = (WIDTH - 14.0) / strings.len().max(1) as f64;
    for k in 0..strings.len() {
        let string = &strings[if from_last { strings.len() - 1 - k } else { k }];
        let down = string.balance_db - loudest;
        let height = 24.0 * (1.0 + down / 12.0).clamp(0.02, 1.0);
        let x = 12.0 + step * k as f64;
        svg.put(
            Element::new("rect")
                .with("class", "bar-of")
                .with("x", format_args!("{:.2}", x + 0.2 * step))
                .with("y", format_args!("{:.2}", 30.0 - height))
                .with("width", format_args!("{:.2}", 0.6 * step))
                .with("height", format_args!("{height:.2}")),
        );
        svg.put(
            Element::new("text")
                .with("class", "axis")
                .with("text-anchor", "middle")
                .with("x", format_args!("{:.2}", x + 0.5 * step))
                .with("y", format_args!("{:.2}", 29.0 - height))
                .text(format!("{down:.1}").replace('-', "−")),
        );
        svg.put(
            Element::new("text")
                .with("class", "axis")
                .with("text-anchor", "middle")
                .with("x", format_args!("{:.2}", x + 0.5 * step))
                .with("y", "34")
                .text(string.string),
        );
    }
    svg.framed([0.0, 0.0, WIDTH, 36.0], "balance", "Output of every string against the loudest, in decibels")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_highest_field_is_at_the_top() {
        let svg = row(&[(-10.0, 0.0), (0.0, 50.0), (10.0, 0.0)], &[0.0], Units::default());
        assert!(svg.contains("L65.00 3.00"), "{svg}");
        assert!(row(&[], &[], Units::default()).is_empty());
    }
}
