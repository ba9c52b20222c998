//! Bands by linear sensitivities: every input moved by one standard deviation.

use super::model::{Figures, Inductances, Model};
use super::output;
use super::report::{Contribution, Quantity};
use crate::inductance::Winding;
use crate::magnet::{Held, Rods};

/// Standard deviations from the middle to the 5 % and 95 % points of a normal spread.
const NINETY: f64 = 1.645;

/// The nominal figures and how each input moves them.
pub(super) struct Outcome {
    pub nominal: Figures,
    moved: Vec<(&'static str, Figures)>,
    pub per_string_db: Vec<f64>,
    pub contributions: Vec<Contribution>,
}

/// An input that is not known exactly.
struct Spread {
    /// Its place in the document, or what model it belongs to.
    input: &'static str,
    /// What of the inductance has to be computed anew.
    touches: Touches,
    /// Moves the model by one standard deviation.
    apply: fn(&mut Model),
}

/// What of the inductance an input moves.
#[derive(Clone, Copy, PartialEq)]
enum Touches {
    Nothing,
    /// Turns and build alone: L = N²·g(build), and g's slope serves all such inputs.
    TurnsAndBuild,
    /// The shape of the winding; the rods stay.
    Winding,
    /// The rods.
    Rods,
}

/// Caliper 0.05 mm, counter 0.1 %, room ±1 °C, permeability from tables ±10 %; the models' own errors as
/// found in validation: inductance 1 %, capacitance a fifth for a straight and a third for a scattered
/// lay, output 1 dB.
const SPREADS: &[Spread] = &[
    Spread {
        input: "coils[0].wire.ohm_per_m",
        touches: Touches::Nothing,
        apply: |m| m.wire.ohm_per_m *= 1.0 + m.wire.ohm_sd,
    },
    Spread {
        input: "coils[0].wire.overall",
        touches: Touches::TurnsAndBuild,
        apply: |m| m.wire.overall_m *= 1.0 + m.wire.overall_sd,
    },
    Spread {
        input: "coils[0].wind.packing",
        touches: Touches::TurnsAndBuild,
        apply: |m| m.packing *= 1.0 - m.packing_sd,
    },
    Spread { input: "coils[0].wind.turns", touches: Touches::TurnsAndBuild, apply: |m| m.turns *= 1.001 },
    Spread { input: "coils[0].former.height_mm", touches: Touches::Winding, apply: |m| m.to_z_m += 0.05e-3 },
    Spread {
        input: "coils[0].former.core",
        touches: Touches::Winding,
        apply: |m| {
            m.core.corner_m += 0.025e-3;
            m.core.straight_x_m += 0.05e-3;
        },
    },
    Spread { input: "room_c", touches: Touches::Nothing, apply: |m| m.room_c += 1.0 },
    Spread {
        input: "poles[*].material",
        touches: Touches::Rods,
        apply: |m| m.rods.iter_mut().for_each(|r| r.mu_r = 1.0 + (r.mu_r - 1.0) * 1.1),
    },
    Spread {
        input: "poles[*].diameter_mm",
        touches: Touches::Rods,
        apply: |m| m.rods.iter_mut().for_each(|r| r.radius_m += 0.015e-3),
    },
    Spread { input: "model: inductance", touches: Touches::Nothing, apply: |m| m.inductance_factor *= 1.01 },
    Spread {
        input: "model: self-capacitance",
        touches: Touches::Nothing,
        apply: |m| {
            m.capacitance_factor *= match m.pattern {
                crate::wind::Pattern::Straight => 1.2,
                crate::wind::Pattern::Scattered => 1.33,
            };
        },
    },
    Spread { input: "model: output", touches: Touches::Nothing, apply: |m| m.output_factor *= 1.122 },
];

/// A quantity's key in the prediction, and where it stands among the figures.
type Explained = (&'static str, fn(&Figures) -> f64);

/// The quantities whose bands are broken down.
const EXPLAINED: [Explained; 6] = [
    ("resistance_20c_ohm", |f| f.resistance_20c_ohm),
    ("resistance_ohm", |f| f.resistance_ohm),
    ("inductance_h", |f| f.inductance_h),
    ("capacitance_f", |f| f.capacitance_f),
    ("resonance_unloaded_hz", |f| f.resonance_hz),
    ("peak_hz", |f| f.peak.peak_hz),
];

/// The inductances of a winding round rods whose mutual action is known.
fn inductances(winding: &Winding, rods: &Rods) -> Inductances {
    let air_h = winding.inductance_h();
    Inductances { air_h, whole_h: air_h + rods.induced_by(winding).1 }
}

/// Evaluates the model and its sensitivities.
pub(super) fn evaluate(model: &Model, held: &Held) -> Outcome {
    /// Relative step of the build for the slope of g.
    const STEP: f64 = 0.02;
    let lay = model.lay();
    let winding = model.winding(&lay);
    let rods = Rods::new(model.rods.clone());
    let air_h = winding.inductance_h();
    let (induced, gain) = rods.induced_by(&winding);
    let here = Inductances { air_h, whole_h: air_h + gain };
    let thicker = inductances(&Winding { build_m: winding.build_m * (1.0 + STEP), ..winding }, &rods);
    let moved_inductances = |other: &Model, touches: Touches| match touches {
        Touches::Nothing => here,
        Touches::TurnsAndBuild => {
            let steps = (other.lay().build_m / lay.build_m - 1.0) / STEP;
            let turns = (other.turns / model.turns).powi(2);
            // `thicker` has the same turns on more build, so the square of the turns is apart.
            let at = |from: f64, to: f64| turns * (from + (to - from) * steps);
            Inductances { air_h: at(here.air_h, thicker.air_h), whole_h: at(here.whole_h, thicker.whole_h) }
        }
        Touches::Winding => inductances(&other.winding(&other.lay()), &rods),
        Touches::Rods => {
            let changed = Rods::new(other.rods.clone());
            Inductances { air_h, whole_h: air_h + changed.induced_by(&winding).1 }
        }
    };
    let strings = output::relative(model, &winding, &induced, held);
    let mean = strings.iter().sum::<f64>() / strings.len().max(1) as f64;
    let nominal = model.figures(here, mean);
    let moved: Vec<(&'static str, Figures)> = SPREADS
        .iter()
        .map(|spread| {
            let mut other = model.clone();
            (spread.apply)(&mut other);
            (spread.input, other.figures(moved_inductances(&other, spread.touches), mean))
        })
        .collect();
    let mut contributions = Vec::new();
    for (to, pick) in EXPLAINED {
        let centre = pick(&nominal);
        let squares: Vec<(&str, f64)> =
            moved.iter().map(|(input, f)| (*input, (pick(f) - centre).powi(2))).collect();
        let all: f64 = squares.iter().map(|(_, s)| s).sum();
        let mut ranked: Vec<Contribution> = squares
            .into_iter()
            .map(|(input, s)| Contribution {
                input: input.into(),
                to: to.into(),
                share: s / all.max(f64::MIN_POSITIVE),
            })
            .filter(|c| c.share >= 0.01)
            .collect();
        ranked.sort_by(|a, b| b.share.total_cmp(&a.share));
        contributions.extend(ranked);
    }
    Outcome {
        nominal,
        moved,
        per_string_db: strings.iter().map(|ratio| 20.0 * ratio.log10()).collect(),
        contributions,
    }
}

impl Outcome {
    /// A figure with its band.
    pub fn quantity(&self, pick: fn(&Figures) -> f64) -> Quantity {
        let nominal = pick(&self.nominal);
        let variance: f64 = self.moved.iter().map(|(_, f)| (pick(f) - nominal).powi(2)).sum();
        let half = NINETY * variance.sqrt();
        Quantity { nominal, p05: nominal - half, p95: nominal + half }
    }
}
