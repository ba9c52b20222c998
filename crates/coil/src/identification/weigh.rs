//! Hypotheses weighed against one another.

use super::curves::Curves;
use super::evidence::{Datum, Fit, Hypothesis};
use super::findings::{Findings, Measurand};
use super::hypotheses::{ElectricFault, Habits, WireChoice, faults, wires};

/// Hypotheses whose logarithm of evidence lies further below the best are left out.
const BEST_ONLY: f64 = 25.0;

/// A hypothesis with its best state and weight.
#[derive(Clone, Debug)]
pub(super) struct Weighed<'a> {
    pub hypothesis: Hypothesis<'a>,
    pub wire: WireChoice,
    pub fit: Fit,
    /// Its probability among all.
    pub weight: f64,
}

impl Weighed<'_> {
    /// Mean and standard deviation of a quantity's logarithm after the readings.
    pub(super) fn expects(&self, what: Measurand) -> (f64, f64) {
        let (value, slope, model) = self.hypothesis.predicted(what, &self.fit.state);
        let spread = (slope.transpose() * self.fit.covariance * slope)[(0, 0)].max(0.0);
        (value, spread.sqrt().hypot(model))
    }
}

/// Weighs all hypotheses by some readings; `is_told` takes in what is said of the wire.
pub(super) fn weigh<'a>(
    curves: &'a Curves,
    data: &[Datum],
    findings: &Findings,
    habits: &Habits,
    is_told: bool,
) -> Vec<Weighed<'a>> {
    let mut all = Vec::new();
    let faults = faults(findings.measured.open);
    for wire in wires(habits, &findings.suspected, is_told) {
        for pattern in curves.patterns {
            // A sound coil that fits far worse than the best does not become better by a fault that reads alike; faults are tried where
            // resistance or inductance can show them.
            let can_show = data.iter().any(|d| {
                matches!(d.what, Measurand::InductanceH | Measurand::PeakHz | Measurand::ResistanceOhm)
            });
            for fault in &faults {
                if fault.fault == ElectricFault::Shorted && !can_show {
                    continue;
                }
                let hypothesis = Hypothesis::new(curves, (wire.gauge, wire.build), pattern, *fault);
                let fit = hypothesis.fit(data);
                let weight = fit.evidence + (wire.prior * pattern.prior * fault.prior).max(1e-300).ln();
                all.push(Weighed { hypothesis, wire, fit, weight });
            }
        }
    }
    let most = |all: &[Weighed<'_>]| all.iter().map(|w| w.weight).fold(f64::NEG_INFINITY, f64::max);
    let best = most(&all);
    all.retain(|w| w.weight > best - BEST_ONLY);
    for one in &mut all {
        one.weight += one.hypothesis.tolerance_correction(&one.fit);
    }
    let most = most(&all);
    let total: f64 = all.iter().map(|w| (w.weight - most).exp()).sum();
    for one in &mut all {
        one.weight = (one.weight - most).exp() / total;
    }
    all.sort_by(|a, b| b.weight.total_cmp(&a.weight));
    all
}
