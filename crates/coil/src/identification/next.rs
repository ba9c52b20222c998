//! What to measure next: how much each reading that is missing would settle.

use super::findings::{Findings, Measurand};
use super::report::NextMeasurement;
use super::weigh::Weighed;
use super::words::{amount, name};
use crate::wire::Gauge;
use std::f64::consts::PI;
use strum::VariantArray as _;

/// Hypotheses that count, by weight.
const MOST: usize = 60;
/// Points over which a mixture is summed.
const POINTS: usize = 240;
/// Less than this is not worth a measurement, bits.
const LEAST_BITS: f64 = 0.05;

/// Measurements that are missing, what tells most first.
pub(super) fn measurements(findings: &Findings, weighed: &[Weighed<'_>]) -> Vec<NextMeasurement> {
    let missing = Measurand::VARIANTS.iter().filter(|what| findings.measured.measurement(**what).is_none());
    let can = |what: &&Measurand| {
        // An open coil has neither resistance nor inductance to read.
        let through =
            [Measurand::ResistanceOhm, Measurand::InductanceH, Measurand::PeakHz, Measurand::CapacitancePf];
        !(findings.measured.open && through.contains(what))
    };
    let mut all: Vec<NextMeasurement> = missing
        .filter(can)
        .filter_map(|&what| {
            let bits = expected_bits(what, weighed);
            (bits >= LEAST_BITS).then(|| NextMeasurement {
                measure: what.key().to_owned(),
                expected_bits: (bits * 100.0).round() / 100.0,
                why: why(what, weighed),
            })
        })
        .collect();
    all.sort_by(|a, b| b.expected_bits.total_cmp(&a.expected_bits));
    all
}

/// What sets explanations apart: wire and fault.
type Format = (Gauge, crate::wire::Build, bool);

/// Mutual information of a reading with the explanation, bits: how much sharper the reading is under each explanation than over all.
fn expected_bits(what: Measurand, weighed: &[Weighed<'_>]) -> f64 {
    let parts: Vec<(Format, f64, f64, f64)> = weighed
        .iter()
        .take(MOST)
        .map(|w| {
            let (mean, sd) = w.expects(what);
            let sound = w.hypothesis.fault.turns == 0.0 && w.hypothesis.fault.inductance == 0.0;
            ((w.wire.gauge, w.wire.build, sound), mean, sd.hypot(what.usual_accuracy()), w.weight)
        })
        .collect();
    let total: f64 = parts.iter().map(|p| p.3).sum::<f64>().max(1e-300);
    let mut kinds: Vec<Format> = Vec::new();
    for part in &parts {
        if !kinds.contains(&part.0) {
            kinds.push(part.0);
        }
    }
    if kinds.len() < 2 {
        return 0.0;
    }
    let low = parts.iter().map(|p| p.1 - 4.0 * p.2).fold(f64::INFINITY, f64::min);
    let high = parts.iter().map(|p| p.1 + 4.0 * p.2).fold(f64::NEG_INFINITY, f64::max);
    let step = (high - low) / POINTS as f64;
    let density =
        |x: f64, mean: f64, sd: f64| (-0.5 * ((x - mean) / sd).powi(2)).exp() / (sd * (2.0 * PI).sqrt());
    let mut bits = 0.0;
    for k in 0..POINTS {
        let x = low + step * (k as f64 + 0.5);
        let each: Vec<f64> = kinds
            .iter()
            .map(|kind| {
                parts.iter().filter(|p| p.0 == *kind).map(|p| p.3 / total * density(x, p.1, p.2)).sum()
            })
            .collect();
        let whole: f64 = each.iter().sum();
        for (joint, kind) in each.iter().zip(&kinds) {
            let share: f64 = parts.iter().filter(|p| p.0 == *kind).map(|p| p.3).sum::<f64>() / total;
            if *joint > 1e-300 && share > 1e-12 {
                bits += step * joint * (joint / (whole * share)).log2();
            }
        }
    }
    bits.max(0.0)
}

/// What it tells, by the two explanations that are the most probable.
fn why(what: Measurand, weighed: &[Weighed<'_>]) -> String {
    let first = &weighed[0];
    let other = weighed.iter().find(|w| {
        w.wire.gauge != first.wire.gauge
            || w.wire.build != first.wire.build
            || w.hypothesis.fault.fault != first.hypothesis.fault.fault
    });
    let Some(other) = other else { return "narrows what is left open".into() };
    let ([a, _], [b, _]) = ([first.expects(what).0, 0.0], [other.expects(what).0, 0.0]);
    let value = |log: f64| amount(what, log.exp());
    let mut names = [first, other].map(|w| w.wire.gauge.to_string());
    if names[0] == names[1] {
        let word = |w: &Weighed<'_>| {
            if w.hypothesis.fault.fault == super::hypotheses::ElectricFault::Shorted {
                "shorted turns".to_owned()
            } else {
                format!("{} build", crate::Word::word(w.wire.build))
            }
        };
        names = [word(first), word(other)];
    }
    format!("{} would be {} with {}, {} with {}", name(what), value(a), names[0], value(b), names[1])
}
