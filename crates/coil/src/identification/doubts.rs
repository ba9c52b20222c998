//! Readings and statements that do not go together.

use super::curves::Curves;
use super::evidence::Datum;
use super::findings::{Findings, Measurand};
use super::hypotheses::{ElectricFault, Habits, are_alike};
use super::magnets::MagnetFindings;
use super::report::{Doubt, Fault};
use super::weigh::{Weighed, weigh};
use super::words::{amount, name};

/// Probability below which a stated wire is doubted.
const DOUBTED: f64 = 0.08;
/// Probability above which a fault is told.
const TOLD: f64 = 0.5;
/// Sum of squares for each reading beyond which nothing fits.
const MISFIT: f64 = 6.0;

pub(super) fn compute(
    findings: &Findings,
    curves: &Curves,
    data: &[Datum],
    habits: &Habits,
    weighed: &[Weighed<'_>],
    magnets: &MagnetFindings,
) -> Vec<Doubt> {
    let mut all = Vec::new();
    all.extend(stated_wire(findings, curves, data, habits, weighed));
    all.extend(stated_turns(findings, weighed));
    let shorted: f64 =
        weighed.iter().filter(|w| w.hypothesis.fault.fault == ElectricFault::Shorted).map(|w| w.weight).sum();
    if shorted > TOLD {
        all.push(Doubt {
            code: "shorted-turns".into(),
            text: format!("turns are probably bridged ({:.0} %): inductance and resistance go together with no sound coil", 100.0 * shorted),
            try_: "measure the quality at 1 kHz, or the response: a bridged coil has hardly any peak".into(),
        });
    }
    if findings.measured.open {
        all.push(Doubt {
            code: "open-coil".into(),
            text: "the coil is open: the wire is broken or a lead is off".into(),
            try_: "scrape and tin both ends again, then look for the break at the start lead and the outer turns".into(),
        });
    }
    let best = weighed.first();
    if let Some(best) = best.filter(|b| b.fit.misfit > MISFIT * data.len().max(1) as f64) {
        let worst = data.iter().max_by(|a, b| off(best, a).abs().total_cmp(&off(best, b).abs()));
        if let Some(worst) = worst {
            let off = off(best, worst);
            all.push(Doubt {
                code: "nothing-fits".into(),
                text: format!(
                    "no wire and no single fault explains all readings: {} lies {:.0} standard deviations off under the best",
                    name(worst.what),
                    off.abs()
                ),
                try_: "repeat that reading, and check the sizes of the former".into(),
            });
        }
    }
    all.extend(magnet_doubts(findings, magnets));
    all
}

fn off(weighed: &Weighed<'_>, datum: &Datum) -> f64 {
    let (value, _, model) = weighed.hypothesis.predicted(datum.what, &weighed.fit.state);
    (datum.log - value) / datum.sd.hypot(model)
}

/// A stated wire that the readings contradict, with the reading that does so most.
fn stated_wire(
    findings: &Findings,
    curves: &Curves,
    data: &[Datum],
    habits: &Habits,
    believed: &[Weighed<'_>],
) -> Option<Doubt> {
    let stated = &findings.suspected.gauge;
    if stated.is_empty() || data.is_empty() {
        return None;
    }
    // What is said of the turns belongs to the statement that is tested.
    let mut data = data.to_vec();
    if let Some(turns) = findings.suspected.turns.filter(|_| findings.measured.turns.is_none()) {
        data.push(Datum { what: Measurand::Turns, log: turns.ln(), sd: 0.01 });
    }
    let data = data.as_slice();
    let weighed = weigh(curves, data, findings, habits, false);
    let is_stated = |w: &&Weighed<'_>| stated.iter().any(|g| are_alike(*g, w.wire.gauge));
    let probability: f64 = weighed.iter().filter(is_stated).map(|w| w.weight).sum();
    if probability >= DOUBTED {
        return None;
    }
    // Under the stated wire as a sound coil, which reading is the odd one out?
    let mut single = findings.clone();
    single.suspected.gauge.clone_from(stated);
    let under = |data: &[Datum]| {
        let all = weigh_stated(curves, data, &single, habits);
        all.into_iter().max_by(|a, b| a.weight.total_cmp(&b.weight))
    };
    let mut worst: Option<(f64, Datum, f64, f64)> = None;
    for (k, datum) in data.iter().enumerate() {
        let others: Vec<Datum> = data.iter().enumerate().filter(|(i, _)| *i != k).map(|(_, d)| *d).collect();
        let Some(best) = under(&others) else { continue };
        let (value, sd) = best.expects(datum.what);
        let off = (datum.log - value) / datum.sd.hypot(sd);
        if worst.as_ref().is_none_or(|w| off.abs() > w.0) {
            worst = Some((off.abs(), *datum, value, best.fit.state[0]));
        }
    }
    let (_, datum, value, turns) = worst?;
    let bare: f64 = believed.iter().map(|w| w.weight * w.expects(Measurand::WireBareMm).0).sum::<f64>().exp();
    let kind = match datum.what {
        Measurand::ResistanceOhm => "resistance",
        Measurand::InductanceH => "inductance",
        Measurand::OuterWidthMm | Measurand::OuterLengthMm => "size",
        Measurand::WireOverallMm | Measurand::WireBareMm => "diameter",
        Measurand::WireOhmPerM => "ohms-a-metre",
        Measurand::WireMassG => "weight",
        Measurand::Turns => "turns",
        Measurand::PeakHz => "peak",
        Measurand::CapacitancePf => "capacitance",
    };
    let with_turns = if datum.what == Measurand::Turns {
        String::new()
    } else {
        format!(" with {:.0} turns", findings.suspected.turns.unwrap_or(turns.exp()))
    };
    Some(Doubt {
        code: format!("stated-wire-contradicts-{kind}"),
        text: format!(
            "{}{with_turns}: {} would be {} on this former, it is {}: the wire is nearer {bare:.3} mm",
            stated.iter().map(ToString::to_string).collect::<Vec<_>>().join(" or "),
            name(datum.what),
            amount(datum.what, value.exp()),
            amount(datum.what, datum.log.exp()),
        ),
        try_: "measure a piece of the wire, or the resistance of a known length of it".into(),
    })
}

/// Sound coils of the stated wires alone.
fn weigh_stated<'a>(
    curves: &'a Curves,
    data: &[Datum],
    findings: &Findings,
    habits: &Habits,
) -> Vec<Weighed<'a>> {
    use super::evidence::Hypothesis;
    let stated = &findings.suspected.gauge;
    let sound = super::hypotheses::faults(false)[0];
    let wires = super::hypotheses::wires(habits, &findings.suspected, false);
    let mut all = Vec::new();
    for wire in wires.into_iter().filter(|w| stated.contains(&w.gauge)) {
        for pattern in curves.patterns {
            let hypothesis = Hypothesis::new(curves, (wire.gauge, wire.build), pattern, sound);
            let fit = hypothesis.fit(data);
            all.push(Weighed { hypothesis, wire, weight: fit.evidence, fit });
        }
    }
    all
}

fn stated_turns(findings: &Findings, weighed: &[Weighed<'_>]) -> Option<Doubt> {
    let stated = findings.suspected.turns?;
    let mean = weighed.iter().map(|w| w.weight * w.fit.state[0]).sum::<f64>();
    let spread = weighed
        .iter()
        .map(|w| w.weight * (w.fit.covariance[(0, 0)] + (w.fit.state[0] - mean).powi(2)))
        .sum::<f64>()
        .max(1e-8)
        .sqrt();
    let off = (stated.ln() - mean) / spread.hypot(0.01);
    (off.abs() > 2.6).then(|| Doubt {
        code: "stated-turns-contradict".into(),
        text: format!("{stated:.0} turns are said, the readings speak for {:.0}", mean.exp()),
        try_: "count while they are taken off".into(),
    })
}

fn magnet_doubts(findings: &Findings, magnets: &MagnetFindings) -> Vec<Doubt> {
    let mut all = Vec::new();
    let list = |poles: &[usize]| poles.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
    let charged =
        magnets.faults.iter().find(|f| f.value == Fault::HalfChargedMagnets).map_or(0.0, |f| f.probability);
    if charged > TOLD {
        all.push(Doubt {
            code: "half-charged-magnets".into(),
            text: format!(
                "the magnets read {:.0} % of what theirs would fully charged",
                100.0 * magnets.charge.unwrap_or_default()
            ),
            try_: "charge them again before the alloy is judged by its reading".into(),
        });
    }
    if !magnets.reversed.is_empty() {
        all.push(Doubt {
            code: "reversed-pole".into(),
            text: format!("pole {} has the other pole up than the others should", list(&magnets.reversed)),
            try_: "check with a compass; turn it over or magnetise it the other way".into(),
        });
    }
    if magnets.all_reversed {
        all.push(Doubt {
            code: "polarity-reversed".into(),
            text: "all poles have the other pole up than is noted".into(),
            try_: "note it so, if it was meant to be: beside other pickups it decides phase and hum".into(),
        });
    }
    if !magnets.weak.is_empty() {
        all.push(Doubt {
            code: "weak-pole".into(),
            text: format!("pole {} is far weaker than the others", list(&magnets.weak)),
            try_: "look for a cracked or replaced rod, and charge it again".into(),
        });
    }
    // Readings that no alloy explains at full charge.
    if !findings.measured.flux_mt.is_empty() && magnets.charge.is_some() && magnets.alloys.is_empty() {
        all.push(Doubt {
            code: "no-alloy-fits".into(),
            text: "no alloy reads like this fully charged".into(),
            try_: "check the probe’s distance and the sizes of the poles".into(),
        });
    }
    all
}
