//! What changes what: every step of the bench with its effect on every quantity.

use super::Adjustment;
use crate::circuit::Peak;
use crate::design::{Design, LeadKind, Medium};
use crate::magnet::{Grade, Material};
use crate::prediction::{Prediction, predict};
use crate::wire::Build;

/// The quantities that effects and targets are about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Goal {
    /// Resistance at 20 °C.
    Resistance,
    /// Inductance.
    Inductance,
    /// Capacitance.
    Capacitance,
    /// Loaded peak frequency.
    Peak,
    /// Height of the loaded peak, dB.
    PeakHeight,
    /// Output, dB.
    Output,
}

impl Goal {
    /// All of them.
    pub const ALL: [Self; 6] =
        [Self::Resistance, Self::Inductance, Self::Capacitance, Self::Peak, Self::PeakHeight, Self::Output];

    /// Its stable name.
    #[must_use]
    pub const fn key(self) -> &'static str {
        match self {
            Self::Resistance => "resistance",
            Self::Inductance => "inductance",
            Self::Capacitance => "capacitance",
            Self::Peak => "peak",
            Self::PeakHeight => "height",
            Self::Output => "output",
        }
    }

    /// What a prediction says of it: SI, dB for height and output. A response that only falls counts as a peak below all
    /// that are.
    #[must_use]
    pub fn value_in(self, prediction: &Prediction) -> f64 {
        let pickup = &prediction.pickup;
        match self {
            Self::Resistance => pickup.resistance_20c_ohm.nominal,
            Self::Inductance => pickup.inductance_h.nominal,
            Self::Capacitance => pickup.capacitance_f.nominal,
            Self::Peak => pickup.peak_hz.map_or(Peak::LOWEST_HZ, |q| q.nominal),
            Self::PeakHeight => pickup.peak_db.nominal,
            Self::Output => pickup.relative_output_db.nominal,
        }
    }

    /// Whether it is a level in decibels: changes add up, while those of all else multiply.
    #[must_use]
    pub const fn is_level(self) -> bool {
        matches!(self, Self::PeakHeight | Self::Output)
    }

    /// How it changes from one prediction to another, as [`Self::change`]; nothing where either has no peak to tell of.
    #[must_use]
    pub fn change_between(self, before: &Prediction, after: &Prediction) -> Option<f64> {
        let are_there = self != Self::Peak
            || [before, after].iter().all(|prediction| prediction.pickup.peak_hz.is_some());
        are_there.then(|| self.change(self.value_in(before), self.value_in(after)))
    }

    /// A change from `before` to `after`: a ratio less one, dB for height and output.
    #[must_use]
    pub fn change(self, before: f64, after: f64) -> f64 {
        if self.is_level() { after - before } else { after / before - 1.0 }
    }
}

/// A step with what it does.
#[derive(Clone, Debug)]
pub struct Sensitivity {
    /// The step.
    pub adjustment: Adjustment,
    /// Changes in the order of [`Goal::ALL`], as [`Goal::change_between`] gives them.
    pub changes: [Option<f64>; 6],
}

/// Steps of the bench: small enough to be one change, large enough to be seen.
fn adjustments(design: &Design) -> Vec<Adjustment> {
    let mut all = vec![
        Adjustment::Turns(100),
        Adjustment::Turns(-100),
        Adjustment::Gauge(1),
        Adjustment::Gauge(-1),
        Adjustment::Build(Build::Single),
        Adjustment::Build(Build::Heavy),
        Adjustment::Wander(0.1),
        Adjustment::Wander(-0.1),
        Adjustment::Height(0.5),
        Adjustment::CoreWidth(0.1),
        Adjustment::Gap(0.1),
        Adjustment::PoleLength(1.0),
        Adjustment::Charge(0.8),
        Adjustment::Potting(Medium::Wax),
        Adjustment::Potting(Medium::None),
        Adjustment::Leads(LeadKind::Shielded),
        Adjustment::Leads(LeadKind::TwistedPair),
        Adjustment::Foil(true),
        Adjustment::Foil(false),
    ];
    let used = |g: &Grade| {
        let named = Material::Named(*g);
        design.poles.iter().any(|p| p.material == named) || design.bars.iter().any(|b| b.material == named)
    };
    all.extend(Grade::ALTERNATIVES.iter().filter(|g| !used(g)).map(|g| Adjustment::Alloy(*g)));
    all
}

/// The effects of all steps, largest on `goal` first. Each is one whole prediction.
#[must_use]
pub fn sensitivities(design: &Design, goal: Goal) -> Vec<Sensitivity> {
    let Ok(base) = predict(design) else { return Vec::new() };
    let mut all: Vec<Sensitivity> = adjustments(design)
        .into_iter()
        .filter_map(|adjustment| {
            let after = predict(&adjustment.applied(design)?).ok()?;
            let changes = Goal::ALL.map(|g| g.change_between(&base, &after));
            Some(Sensitivity { adjustment, changes })
        })
        .collect();
    let place = Goal::ALL.iter().position(|g| *g == goal).unwrap_or(0);
    let size = |s: &Sensitivity| s.changes[place].map_or(0.0, f64::abs);
    all.sort_by(|a, b| size(b).total_cmp(&size(a)));
    all
}
