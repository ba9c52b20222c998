//! Response curves as a plot takes them.

use crate::drawing::escaped;
use coil::circuit::InstrumentInput;
use coil::design::Design;
use coil::prediction::{Prediction, Response, StringPrediction};
use serde::Serialize;
use trade::sweep::Sweep;

/// How many tones the plot tells apart.
const TONES: usize = 6;

/// One line of a plot.
#[derive(Clone, Debug, Serialize)]
pub struct Curve {
    name: String,
    /// `loaded`, `alone` or `measured`.
    kind: &'static str,
    /// Which of the tones.
    tone: usize,
    hz: Vec<f64>,
    db: Vec<f64>,
}

/// Both curves of a prediction under a name, in a tone.
pub fn curves(name: &str, tone: usize, response: &Response) -> [Curve; 2] {
    let rounded = |values: &[f64], by: f64| values.iter().map(|v| (v * by).round() / by).collect::<Vec<_>>();
    [("loaded", "loaded", &response.loaded_db), ("alone", "unloaded", &response.unloaded_db)].map(
        |(kind, words, db)| Curve {
            name: if name.is_empty() { words.to_owned() } else { format!("{name}, {words}") },
            kind,
            tone: tone % TONES,
            hz: rounded(&response.hz, 10.0),
            db: rounded(db, 100.0),
        },
    )
}

/// A measured sweep under a name.
pub fn measured(name: &str, tone: usize, sweep: &Sweep) -> Curve {
    Curve {
        name: format!("{name}, measured"),
        kind: "measured",
        tone: tone % TONES,
        hz: sweep.hz.clone(),
        db: sweep.db.clone(),
    }
}

/// A measured response as it would be without the input that it was swept with, where that is known.
pub fn without_input(name: &str, tone: usize, sweep: &Sweep, prediction: &Prediction) -> Option<Curve> {
    let alone = sweep.without_input(&prediction.circuit)?;
    Some(Curve { name: format!("{name}, without the analyser"), ..measured("", tone, &alone) })
}

/// The response as an instrument shows it, with its input across the leads and nothing else.
pub fn as_shown_by(name: &str, prediction: &Prediction, input: InstrumentInput) -> Curve {
    let load = input.load();
    let level = |hz: &f64| (prediction.circuit.response_db(Some(&load), *hz) * 100.0).round() / 100.0;
    Curve {
        name: format!("as {name} shows it"),
        kind: "alone",
        tone: 4,
        hz: prediction.response.hz.iter().map(|v| (v * 10.0).round() / 10.0).collect(),
        db: prediction.response.hz.iter().map(level).collect(),
    }
}

/// One string's partials as they are heard, under a name, in a tone.
pub fn partials_of(name: &str, tone: usize, string: &StringPrediction) -> Curve {
    Curve {
        name: name.to_owned(),
        kind: "loaded",
        tone: tone % TONES,
        hz: string.partials.iter().map(|p| (p.hz * 10.0).round() / 10.0).collect(),
        db: string.partials.iter().map(|p| (p.loaded_db.max(-60.0) * 100.0).round() / 100.0).collect(),
    }
}

/// A response of given levels under a name, in a tone.
pub fn levels(name: &str, tone: usize, hz: &[f64], db: &[f64]) -> Curve {
    Curve {
        name: name.to_owned(),
        kind: "loaded",
        tone: tone % TONES,
        hz: hz.iter().map(|v| (v * 10.0).round() / 10.0).collect(),
        db: db.iter().map(|v| (v.max(-60.0) * 100.0).round() / 100.0).collect(),
    }
}

/// Every string's partials as they are heard: place, aperture and the loaded circuit.
pub fn partials(design: &Design, strings: &[StringPrediction]) -> Vec<Curve> {
    let curve = |s: &StringPrediction| {
        let note = design.strings.each.get(s.string as usize - 1).map(|each| each.note.as_str());
        let note = note.filter(|n| !n.is_empty()).map_or_else(String::new, |n| format!(" ({n})"));
        partials_of(&format!("string {}{note}", s.string), s.string as usize, s)
    };
    strings.iter().map(curve).collect()
}

/// The plot's markup: the curves as data, drawn by the page's script.
pub fn plot(curves: &[Curve], label: &str) -> String {
    let data = serde_json::to_string(curves).unwrap_or_default();
    let (data, label) = (escaped(data), escaped(label));
    format!(r#"<div class="plot-box" x-data="plot" data-plot="{data}" aria-label="{label}"></div>"#)
}

/// What a fit is off, point by point over the logarithm of frequency, as a drawing.
pub fn residuals(off: &[(f64, f64)], unit: &str) -> String {
    use std::fmt::Write as _;
    const WIDE: f64 = 560.0;
    const HIGH: f64 = 120.0;
    let most = off.iter().map(|(_, v)| v.abs()).fold(1e-6, f64::max);
    let low = off.first().map_or(1.0, |p| p.0.max(1e-3)).ln();
    let span = (off.last().map_or(10.0, |p| p.0.max(1e-3)).ln() - low).max(1e-6);
    let mut dots = String::new();
    for (hz, v) in off {
        let (x, y) = (
            50.0 + (WIDE - 60.0) * (hz.max(1e-3).ln() - low) / span,
            HIGH / 2.0 - (HIGH / 2.0 - 14.0) * v / most,
        );
        // Writing to a String cannot fail.
        let _ = write!(dots, r#"<circle cx="{x:.1}" cy="{y:.1}" r="2.5"/>"#);
    }
    let (top, unit) = (crate::format::plain(most, 2), escaped(unit.to_owned()));
    format!(
        r#"<svg class="residuals" viewBox="0 0 {WIDE} {HIGH}" role="img" aria-label="Residuals, at most {top} {unit}"><line x1="50" x2="{WIDE}" y1="60" y2="60"/><text x="44" y="18" text-anchor="end">+{top}</text><text x="44" y="64" text-anchor="end">0 {unit}</text><text x="44" y="112" text-anchor="end">−{top}</text>{dots}</svg>"#
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_never_markup() {
        let response =
            Response { hz: vec![50.0, 100.04], unloaded_db: vec![0.0, 1.234], loaded_db: vec![0.0, -1.0] };
        let markup = plot(&curves("\"><b>", 7, &response), "All");
        assert!(!markup.contains("<b>") && markup.contains("&quot;hz&quot;:[50.0,100.0]"), "{markup}");
        assert!(markup.contains("&quot;tone&quot;:1") && markup.contains("1.23]"));
    }
}
