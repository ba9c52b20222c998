//! What a workshop's own coils have shown, and how a prediction leans on it.
//!
//! The engine's inputs are moved until resistance, inductance and capacitance read what the workshop's coils say, so
//! that everything that follows from them (resonance, peak, what a meter shows) moves along. Their bands are then those
//! of the workshop, in place of what tolerances, calipers and the models' own errors would allow.

use super::inputs::{Figures, Inputs, figures};
use super::model::Model;
use super::solve::Solved;
use serde::{Deserialize, Serialize};

/// What runs have shown of one quantity: how far measured coils lie from the bare engine.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Correction {
    /// Natural logarithm of measured over predicted; within ±1.
    pub shift: f64,
    /// Standard deviation of the next coil about it, in the same logarithm; above 0.
    pub sd: f64,
    /// Runs that stand behind it.
    pub runs: u32,
    /// Change of the logarithm per kelvin of the coil above 20 °C, beyond what copper does: meters and coils that warm up.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub per_kelvin: f64,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for a reference")]
fn is_zero(per_kelvin: &f64) -> bool {
    *per_kelvin == 0.0
}

/// What runs have shown; nothing at all by default.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Calibration {
    /// Of the resistance at 20 °C: wire and stretch.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub resistance: Option<Correction>,
    /// Of the inductance.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inductance: Option<Correction>,
    /// Of the capacitance as resonance tells it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub capacitance: Option<Correction>,
    /// Of the build over the core: packing the other way round. Resistance and inductance above count the whole, so that
    /// a looser coil is not counted twice.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub build: Option<Correction>,
}

impl Calibration {
    /// Whether nothing was learned.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }
}

/// How large a shift is believed: beyond it something else is wrong.
const LARGEST: f64 = 0.5;

impl Correction {
    fn ratio(self) -> f64 {
        self.shift.clamp(-LARGEST, LARGEST).exp()
    }
}

/// The engine's inputs as experience has moved them, and what is to be held while others are tried.
pub(super) struct Settled {
    pub inputs: Inputs,
    /// What is held: resistance at 20 °C, inductance, capacitance.
    held: [Option<f64>; 3],
}

impl Settled {
    /// Moves the nominal inputs to where experience says.
    pub(super) fn compute(model: &Model, solved: &Solved, calibration: &Calibration) -> Self {
        let mut inputs = Inputs::nominal(model);
        if calibration.is_empty() {
            return Self { inputs, held: [None; 3] };
        }
        let bare = figures(model, solved, &inputs, None);
        if let Some(build) = calibration.build {
            inputs.coils.iter_mut().for_each(|c| c.packing = 1.0 / build.ratio() - 1.0);
        }
        let held = [
            calibration.resistance.map(|l| bare.resistance_20c_ohm * l.ratio()),
            calibration.inductance.map(|l| bare.inductance_h * l.ratio()),
            calibration.capacitance.map(|l| bare.capacitance_f * l.ratio()),
        ];
        let mut settled = Self { inputs: inputs.clone(), held };
        settled.hold(model, solved, &mut inputs);
        settled.inputs = inputs;
        settled
    }

    /// Whether anything is held.
    pub(super) fn holds(&self) -> bool {
        self.held.iter().any(Option::is_some)
    }

    /// Moves wire, and the models of inductance and capacitance, until what is held reads as it should.
    pub(super) fn hold(&self, model: &Model, solved: &Solved, inputs: &mut Inputs) {
        if !self.holds() {
            return;
        }
        // Resistance and inductance answer in proportion; leads make the capacitance answer less, hence thrice.
        for _ in 0..3 {
            let now: Figures = figures(model, solved, inputs, None);
            let near = |held: Option<f64>, now: f64| held.is_none_or(|held| (now / held - 1.0).abs() < 1e-9);
            if near(self.held[0], now.resistance_20c_ohm)
                && near(self.held[1], now.inductance_h)
                && near(self.held[2], now.capacitance_f)
            {
                return;
            }
            if let Some(held) = self.held[0] {
                let by = held / now.resistance_20c_ohm;
                inputs.coils.iter_mut().for_each(|c| c.ohm = (1.0 + c.ohm) * by - 1.0);
            }
            if let Some(held) = self.held[1] {
                inputs.inductance_model = (1.0 + inputs.inductance_model) * held / now.inductance_h - 1.0;
            }
            if let Some(held) = self.held[2] {
                let leads = now.network.leads_f.min(0.9 * now.capacitance_f);
                let own = (held - leads).max(0.05 * held) / (now.capacitance_f - leads);
                inputs.capacitance_model += own.ln();
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::design::tall_single;
    use crate::prediction::{Calibration, Correction, Prediction, predict, predict_calibrated};
    use rstest::rstest;

    #[allow(clippy::unnecessary_wraps, reason = "as the fields take it")]
    fn learned(shift: f64, sd: f64) -> Option<Correction> {
        Some(Correction { shift, sd, runs: 6, per_kelvin: 0.0 })
    }

    fn both(calibration: Calibration) -> (Prediction, Prediction) {
        let design = tall_single("Sedge", 6, 10.4);
        (predict(&design).unwrap(), predict_calibrated(&design, &calibration).unwrap())
    }

    fn ln(after: f64, before: f64) -> f64 {
        (after / before).ln()
    }

    #[test]
    fn nothing_learned_changes_nothing() {
        let (bare, same) = both(Calibration::default());
        assert_eq!(bare, same);
    }

    /// A resonance goes with the square root of the inductance: 4 % of inductance is 2 % of frequency.
    #[test]
    fn what_was_learned_is_read_and_what_follows_moves_along() {
        let (bare, with) = both(Calibration {
            resistance: learned(0.02, 0.004),
            inductance: learned(-0.04, 0.006),
            ..Calibration::default()
        });
        let (b, w) = (&bare.pickup, &with.pickup);
        let change = |pick: fn(&crate::prediction::PickupPrediction) -> f64| ln(pick(w), pick(b));
        assert!((change(|p| p.resistance_20c_ohm.nominal) - 0.02).abs() < 1e-9);
        assert!((change(|p| p.inductance_h.nominal) + 0.04).abs() < 1e-9);
        assert!((change(|p| p.resonance_unloaded_hz.nominal) - 0.02).abs() < 0.002);
        assert!(change(|p| p.capacitance_f.nominal).abs() < 1e-9);
        assert!(change(|p| p.output_mv.nominal).abs() < 1e-9);
    }

    /// The band is the workshop's own: 1.645 standard deviations to each side.
    #[rstest]
    #[case(0.004)]
    #[case(0.03)]
    fn bands_are_those_of_the_runs(#[case] sd: f64) {
        let (_, with) = both(Calibration {
            resistance: learned(0.0, sd),
            inductance: learned(0.0, sd),
            capacitance: learned(0.1, sd),
            ..Calibration::default()
        });
        for q in [with.pickup.resistance_20c_ohm, with.pickup.inductance_h, with.coils[0].resistance_20c_ohm]
        {
            assert!((ln(q.p95, q.nominal) / (1.645 * sd) - 1.0).abs() < 0.05, "{q:?}");
        }
        let c = with.pickup.capacitance_f;
        assert!(ln(c.p95, c.nominal) < 1.05 * 1.645 * sd, "leads do not spread: {c:?}");
    }

    /// A looser coil is fatter; what its resistance reads was learned apart and is not counted twice.
    #[test]
    fn build_moves_the_coils_size_and_nothing_that_was_learned_apart() {
        let (bare, with) = both(Calibration {
            resistance: learned(0.01, 0.004),
            build: learned(0.08, 0.02),
            ..Calibration::default()
        });
        assert!((ln(with.coils[0].build_mm, bare.coils[0].build_mm) - 0.08).abs() < 1e-6);
        let r = ln(with.pickup.resistance_20c_ohm.nominal, bare.pickup.resistance_20c_ohm.nominal);
        assert!((r - 0.01).abs() < 1e-9);
    }

    /// What narrows the band next is told with the rest.
    #[test]
    fn the_runs_stand_among_the_contributions() {
        let (_, with) = both(Calibration { resistance: learned(0.0, 0.01), ..Calibration::default() });
        let first = with.contributions.iter().find(|c| c.to == "resistance_20c_ohm").unwrap();
        assert_eq!(first.input, "runs: resistance");
        assert!(first.share > 0.95);
    }
}
