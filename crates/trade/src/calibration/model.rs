//! All quantities fitted to finished runs, and the calibration that follows for a coil.

use super::effects::{LevelEffect, level_effects};
use super::mixed_model::Estimate;
use super::quantity::{Factor, FactorLevels, Observation, Quantity, QuantityModel, Together, fit_quantity};
use coil::prediction::Calibration;
use serde::{Deserialize, Serialize};

/// The models of all quantities: what is kept as a version.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct CalibrationModel {
    /// By quantity, those of which enough runs were measured.
    #[serde(alias = "learnt")]
    pub quantities: Vec<QuantityModel>,
    /// The effect of every level, the clearest first.
    #[serde(default, alias = "said")]
    pub effects: Vec<LevelEffect>,
}

/// Fits the models to runs.
#[must_use]
pub fn fit_calibration(runs: &[Observation]) -> CalibrationModel {
    let quantities: Vec<QuantityModel> =
        Quantity::ALL.into_iter().filter_map(|quantity| fit_quantity(runs, quantity)).collect();
    let effects = level_effects(&quantities, &Together::from_observations(runs));
    CalibrationModel { quantities, effects }
}

impl CalibrationModel {
    /// What was learned of a quantity.
    #[must_use]
    pub fn quantity(&self, quantity: Quantity) -> Option<&QuantityModel> {
        self.quantities.iter().find(|l| l.quantity == quantity)
    }

    /// The effect of a level on a quantity as it is told: against those of its factor that do not differ from the rest.
    #[must_use]
    pub fn effect_of(&self, quantity: Quantity, factor: Factor, level: u64) -> Option<Estimate> {
        let told = self.effects.iter().find(|e| (e.factor, e.level) == (factor, level))?;
        told.effects.iter().find(|(of, _, _)| *of == quantity).map(|(_, estimate, _)| *estimate)
    }

    /// What a coil wound in these circumstances is to be expected to read, for the engine.
    #[must_use]
    pub fn calibration(&self, factor_levels: &FactorLevels) -> Calibration {
        let of = |quantity| self.quantity(quantity).map(|l| l.expected(factor_levels));
        Calibration {
            resistance: of(Quantity::Resistance),
            inductance: of(Quantity::Inductance),
            capacitance: of(Quantity::Capacitance),
            build: of(Quantity::Build),
        }
    }
}
