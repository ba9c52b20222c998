//! What a run came to: its comparisons, its verdict, and the line that it gets in the logbook.

use crate::calibration::Quantity;
use crate::comparison::{Comparison, TolerancePolicy, as_wound, build_ratio, compare};
use crate::plan::Plan;
use crate::reading::{Kind, Reading, latest};
use crate::verdict::{Verdict, judge};
use coil::design::{Design, Direction, Polarity};
use coil::prediction::{Calibration, Prediction, PredictionSummary, Solution};
use serde::{Deserialize, Serialize};

/// What a run came to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Judgement {
    /// Predicted against measured.
    pub comparisons: Vec<Comparison>,
    /// The verdict.
    pub verdict: Verdict,
    /// The row in the logbook.
    pub summary: RunSummary,
    /// What the coil, as wound, was expected to be; `None` where it cannot be predicted.
    /// Not part of a document: it is long, and computed again where it is needed.
    #[serde(skip)]
    pub prediction: Option<PredictionSummary>,
}

/// One quantity in the logbook.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct SummaryFigure {
    /// What was measured, SI.
    pub measured: Option<f64>,
    /// Its deviation from what was expected, as a ratio less one.
    pub off: Option<f64>,
    /// The same in half widths of the band.
    pub bands: Option<f64>,
    /// Logarithm of measured over the bare engine's expectation.
    pub ratio: Option<f64>,
}

impl SummaryFigure {
    fn find(comparisons: &[Comparison], kind: Kind) -> Self {
        comparisons.iter().find(|c| c.kind == kind).map_or_else(Self::default, |c| Self {
            measured: Some(c.measured),
            off: Some(c.deviation),
            bands: Some(c.bands),
            ratio: Some(c.ratio()),
        })
    }
}

/// A run's figures.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct RunSummary {
    /// Laid straight, not scattered.
    pub straight: bool,
    /// Wound clockwise, seen from above.
    pub clockwise: bool,
    /// The first pole looks north up.
    pub north: bool,
    /// Final turns.
    pub turns: Option<f64>,
    /// Temperature of the coil when its resistance was read, °C.
    pub coil_c: Option<f64>,
    /// Resistance at 20 °C, Ω.
    pub resistance: SummaryFigure,
    /// Inductance, H.
    pub inductance: SummaryFigure,
    /// Capacitance, F.
    pub capacitance: SummaryFigure,
    /// Logarithm of the build over the bare engine's.
    pub build_ratio: Option<f64>,
    /// Mean over the poles of the logarithm of the flux over what was expected.
    pub flux_ratio: Option<f64>,
    /// Loaded peak, Hz: as expected of the inductance that was measured.
    pub peak_hz: Option<f64>,
    /// Output against the reference coil, dB: as expected of the flux that was measured.
    pub output_db: Option<f64>,
    /// Wire on the coil, m.
    pub wire_m: Option<f64>,
    /// Ohms a metre at 20 °C that its wire was taken to have.
    pub wire_ohm_per_m: Option<f64>,
}

impl RunSummary {
    /// The logarithms that learning takes, by [`Quantity::ALL`].
    #[must_use]
    pub fn ratios(&self) -> [Option<f64>; 4] {
        Quantity::ALL.map(|quantity| match quantity {
            Quantity::Resistance => self.resistance.ratio,
            Quantity::Inductance => self.inductance.ratio,
            Quantity::Capacitance => self.capacitance.ratio,
            Quantity::Build => self.build_ratio,
        })
    }
}

/// Judges a run by what was predicted when it was started: `design` is the document that the run winds, `calibration`
/// what the workshop's coils had shown by then, `policy` how far one may lie from that. The coil is solved once, as it was
/// wound.
#[must_use]
pub fn judge_run(
    design: &Design,
    readings: &[Reading],
    calibration: &Calibration,
    policy: TolerancePolicy,
) -> Judgement {
    let wound = as_wound(design, readings);
    let solution = Solution::compute(&wound).ok();
    judge_solved(&wound, solution.as_ref(), readings, (calibration, policy), &Plan::from_design(design))
}

/// The same where the coil as wound (see [`as_wound`]) is solved already; `None` where it cannot be predicted. `plan` is what
/// was asked of it.
#[must_use]
pub fn judge_solved(
    wound: &Design,
    solution: Option<&Solution>,
    readings: &[Reading],
    (calibration, policy): (&Calibration, TolerancePolicy),
    plan: &Plan,
) -> Judgement {
    let prediction = solution.map(|s| s.prediction(calibration));
    let comparisons = match (solution, &prediction) {
        (Some(solution), Some(prediction)) => compare(solution, prediction, readings, calibration, policy),
        _ => Vec::new(),
    };
    let verdict = judge(&comparisons, readings, solution, plan);
    let summary = summary(wound, prediction.as_ref(), readings, &comparisons);
    Judgement { comparisons, verdict, summary, prediction: prediction.map(|p| p.summary()) }
}

fn summary(
    wound: &Design,
    prediction: Option<&Prediction>,
    readings: &[Reading],
    comparisons: &[Comparison],
) -> RunSummary {
    let coil = wound.coils.first();
    let figure = |kind| SummaryFigure::find(comparisons, kind);
    let inductance = figure(Kind::Inductance);
    let flux: Vec<f64> = comparisons
        .iter()
        .filter(|c| c.kind == Kind::Flux && c.measured > 0.0)
        .map(Comparison::ratio)
        .collect();
    let flux_ratio = (!flux.is_empty()).then(|| flux.iter().sum::<f64>() / flux.len() as f64);
    let turns = latest(readings, Kind::Turns).and_then(|r| r.value);
    RunSummary {
        straight: coil.is_some_and(|c| c.wind.wander <= 0.0),
        clockwise: coil.is_some_and(|c| c.wind.direction == Direction::Clockwise),
        north: wound.poles.first().is_some_and(|p| p.up == Polarity::North),
        turns,
        coil_c: latest(readings, Kind::Resistance).and_then(|r| r.coil_c),
        resistance: figure(Kind::Resistance),
        inductance,
        capacitance: figure(Kind::Capacitance),
        build_ratio: comparisons.iter().find_map(|c| build_ratio(wound, c)),
        flux_ratio,
        // A resonance goes with the root of the inductance.
        peak_hz: prediction
            .and_then(|p| p.pickup.peak_hz)
            .map(|q| q.nominal / (1.0 + inductance.off.unwrap_or(0.0)).max(0.1).sqrt()),
        output_db: prediction.map(|p| {
            p.pickup.relative_output_db.nominal + 20.0 * flux_ratio.unwrap_or(0.0) / std::f64::consts::LN_10
        }),
        wire_m: turns.and_then(|_| Some(prediction?.coils.first()?.wire_length_m.nominal)),
        wire_ohm_per_m: coil.map(|c| c.wire.ohm_per_m_20c()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::prediction::{Correction, predict};

    fn reading(id: u64, kind: Kind, value: f64) -> Reading {
        let (coil_c, test_hz) = (
            Some(20.0).filter(|_| kind == Kind::Resistance),
            Some(1000.0).filter(|_| kind == Kind::Inductance),
        );
        Reading {
            id,
            corrects: None,
            kind,
            pole: None,
            value: Some(value),
            coil_c,
            test_hz,
            probe_mm: None,
            taken_at: None,
        }
    }

    /// What is learned from a run does not depend on what was known when it was judged.
    #[test]
    fn ratios_are_against_the_bare_engine_whatever_was_known() {
        let design = tall_single("Sedge", 6, 10.4);
        let bare = predict(&design).unwrap().pickup;
        let ohms = bare.resistance_20c_ohm.nominal * 1.03;
        let width_m = 0.013;
        let readings = [
            reading(1, Kind::Turns, f64::from(design.coils[0].wind.turns)),
            reading(2, Kind::Resistance, ohms),
            reading(3, Kind::Inductance, bare.inductance_1khz_h.nominal * 0.98),
            reading(4, Kind::Width, width_m),
        ];
        let learned = |shift| Some(Correction { shift, sd: 0.01, runs: 9, per_kelvin: 0.0 });
        let known = Calibration {
            resistance: learned(0.02),
            inductance: learned(-0.03),
            build: learned(0.04),
            ..Calibration::default()
        };
        let judged = |by: &Calibration| judge_run(&design, &readings, by, TolerancePolicy::default());
        let (plain, calibrated) = (judged(&Calibration::default()), judged(&known));
        for (a, b) in plain.summary.ratios().into_iter().zip(calibrated.summary.ratios()) {
            // A meter at 1 kHz shows the inductance raised by the capacitance, which goes with the inductance itself.
            assert!((a.unwrap_or(0.0) - b.unwrap_or(0.0)).abs() < 6e-4, "{a:?} {b:?}");
        }
        assert!((plain.summary.resistance.ratio.unwrap() - 1.03f64.ln()).abs() < 1e-9);
        assert!((calibrated.summary.resistance.off.unwrap() - (1.03 / 0.02f64.exp() - 1.0)).abs() < 1e-6);
        assert!(plain.summary.build_ratio.is_some() && plain.summary.wire_m.is_some());
        // 2 % less inductance: 1 % higher.
        assert!((plain.summary.peak_hz.unwrap() / bare.peak_hz.unwrap().nominal - 1.01).abs() < 0.001);
    }
}
