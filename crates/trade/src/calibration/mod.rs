//! Calibration with finished runs: where deviations come from, and what the next coil will read.
//!
//! The response is the logarithm of measured over predicted by the uncalibrated model. Levels of six factors spread about
//! nothing; what is usual of their spreads (common practice, no source) is worth a few runs and yields to data.

mod effects;
pub mod mixed_model;
mod model;
mod quantity;

pub use effects::{Confounding, EffectStatus, EffectText, LevelEffect, Names, describe_effects};
pub use model::{CalibrationModel, fit_calibration};
pub use quantity::{
    FEWEST_OF_LEVEL, FEWEST_RUNS, Factor, FactorLevels, Observation, Quantity, QuantityModel, Shift,
};

#[cfg(test)]
mod tests;
