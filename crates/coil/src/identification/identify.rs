//! From findings to what a pickup can be.

use super::curves::Curves;
use super::doubts;
use super::evidence::Datum;
use super::findings::{Findings, Measurand};
use super::hypotheses::{Habits, insulations};
use super::magnets::MagnetFindings;
use super::next;
use super::report::{Candidate, Fault, Identification, Marginals, Probable};
use super::weigh::{Weighed, weigh};
use crate::design::Problem;
use crate::prediction::{Calibration, Quantity};
use crate::wire::{Build, Gauge, Insulation};
use std::collections::BTreeMap;

/// Standard deviations from the middle to the 5 % and 95 % points.
const NINETY: f64 = 1.645;
/// Explanations less probable than this are left out.
const LEAST: f64 = 0.002;

/// Mean and band of a mixture of logarithms.
fn mixture(parts: &[(f64, f64, f64)]) -> Quantity {
    let total: f64 = parts.iter().map(|p| p.2).sum::<f64>().max(1e-300);
    let mean = parts.iter().map(|p| p.0 * p.2).sum::<f64>() / total;
    let variance = parts.iter().map(|p| (p.1 * p.1 + (p.0 - mean).powi(2)) * p.2).sum::<f64>() / total;
    let sd = variance.max(0.0).sqrt();
    Quantity { nominal: mean.exp(), p05: (mean - NINETY * sd).exp(), p95: (mean + NINETY * sd).exp() }
}

/// Sums probabilities by a value, the most probable first.
fn marginal<T: PartialEq + Copy>(parts: impl Iterator<Item = (T, f64)>) -> Vec<Probable<T>> {
    let mut all: Vec<Probable<T>> = Vec::new();
    for (value, probability) in parts {
        match all.iter_mut().find(|p| p.value == value) {
            Some(known) => known.probability += probability,
            None => all.push(Probable { value, probability }),
        }
    }
    all.retain(|p| p.probability >= LEAST);
    all.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    all
}

/// Says what a pickup can be, by what was measured of it, what a workshop meets (`habits`) and what its own coils have shown
/// (`calibration`).
///
/// ```
/// use coil::identification::{Findings, Habits, Measurement, identify};
/// use coil::prediction::{Calibration, predict};
/// let coil = coil::design::reference_coil();
/// let known = predict(&coil).unwrap().pickup;
/// let mut findings = Findings::begun("drawer find", coil);
/// let reading = |value| Some(Measurement { value, ..Measurement::default() });
/// findings.measured.resistance_ohm = reading(known.resistance_20c_ohm.nominal);
/// findings.measured.inductance_h = reading(known.inductance_1khz_h.nominal);
/// findings.measured.wire_overall_mm = reading(0.069);
/// let found = identify(&findings, &Habits::default(), &Calibration::default()).unwrap();
/// assert_eq!(found.candidates[0].gauge.to_string(), "42 AWG");
/// assert!((found.candidates[0].turns.nominal / 7500.0 - 1.0).abs() < 0.05);
/// ```
///
/// # Errors
/// As [`Findings::problems`], and where the pickup cannot be computed.
pub fn identify(
    findings: &Findings,
    habits: &Habits,
    calibration: &Calibration,
) -> Result<Identification, Vec<Problem>> {
    let problems = findings.problems();
    if !problems.is_empty() {
        return Err(problems);
    }
    let curves = Curves::try_new(findings, calibration).map_err(|problems| {
        problems.into_iter().map(|p| Problem { at: format!("pickup.{}", p.at), ..p }).collect::<Vec<_>>()
    })?;
    let data: Vec<Datum> =
        findings.measured.taken().map(|(what, reading)| Datum::new(what, &reading)).collect();
    let weighed = weigh(&curves, &data, findings, habits, true);
    let magnets = MagnetFindings::from_findings(findings);
    let candidates = candidates(&weighed, &data, findings, habits);
    let turns: Vec<_> = weighed.iter().map(|w| state_of(w, 0)).collect();
    let bare: Vec<_> = weighed
        .iter()
        .map(|w| {
            let (mean, sd) = w.expects(Measurand::WireBareMm);
            (mean, sd, w.weight)
        })
        .collect();
    let fault = marginal(
        weighed.iter().filter_map(|w| Some((Fault::from_fault(w.hypothesis.fault.fault)?, w.weight))),
    );
    let mut found: Vec<Probable<Fault>> =
        fault.iter().copied().chain(magnets.faults.iter().copied()).collect();
    found.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    let insulation_parts = weighed.iter().flat_map(|w| {
        split(habits, findings, w.wire.build).into_iter().map(move |(i, share)| (i, share * w.weight))
    });
    let doubts = doubts::compute(findings, &curves, &data, habits, &weighed, &magnets);
    Ok(Identification {
        format: "filamentum-identification/1".into(),
        engine: crate::ENGINE.into(),
        marginal: Marginals {
            gauge: marginal(weighed.iter().map(|w| (w.wire.gauge, w.weight))),
            insulation: marginal(insulation_parts),
            build: marginal(weighed.iter().map(|w| (w.wire.build, w.weight))),
            fault,
            turns: mixture(&turns),
            wire_bare_mm: mixture(&bare),
        },
        next: next::measurements(findings, &weighed),
        candidates,
        alloy: magnets.alloys,
        faults: found,
        doubts,
    })
}

fn state_of(one: &Weighed<'_>, place: usize) -> (f64, f64, f64) {
    (one.fit.state[place], one.fit.covariance[(place, place)].max(0.0).sqrt(), one.weight)
}

/// Enamels of a build, as shares of it.
fn split(habits: &Habits, findings: &Findings, build: Build) -> Vec<(Insulation, f64)> {
    let all = insulations(habits, &findings.suspected, build, true);
    let total: f64 = all.iter().map(|i| i.1).sum::<f64>().max(1e-300);
    all.into_iter().map(|(insulation, share)| (insulation, share / total)).collect()
}

fn candidates(
    weighed: &[Weighed<'_>],
    data: &[Datum],
    findings: &Findings,
    habits: &Habits,
) -> Vec<Candidate> {
    type Group<'a, 'b> = ((Gauge, Build, Option<Fault>), Vec<&'b Weighed<'a>>);
    let mut groups: Vec<Group<'_, '_>> = Vec::new();
    for one in weighed {
        let key = (one.wire.gauge, one.wire.build, Fault::from_fault(one.hypothesis.fault.fault));
        match groups.iter_mut().find(|(k, _)| *k == key) {
            Some((_, all)) => all.push(one),
            None => groups.push((key, vec![one])),
        }
    }
    let mut found = Vec::new();
    for ((gauge, build, fault), all) in groups {
        let weight: f64 = all.iter().map(|w| w.weight).sum();
        let parts = |place: usize| all.iter().map(|w| state_of(w, place)).collect::<Vec<_>>();
        let (turns, packing) = (mixture(&parts(0)), mixture(&parts(3)));
        let best = all[0];
        let (mut predicted, mut misfit) = (BTreeMap::new(), BTreeMap::new());
        for datum in data {
            let (value, _, model) = best.hypothesis.predicted(datum.what, &best.fit.state);
            let band = |k: f64| (value + k * NINETY * model).exp();
            let quantity = Quantity { nominal: value.exp(), p05: band(-1.0), p95: band(1.0) };
            predicted.insert(datum.what.key().to_owned(), quantity);
            misfit.insert(datum.what.key().to_owned(), (datum.log - value) / datum.sd.hypot(model));
        }
        for (insulation, share) in split(habits, findings, build) {
            found.push(Candidate {
                gauge,
                insulation,
                build,
                fault,
                turns,
                packing,
                probability: weight * share,
                predicted: predicted.clone(),
                misfit: misfit.clone(),
            });
        }
    }
    found.retain(|c| c.probability >= LEAST);
    found.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    found
}
