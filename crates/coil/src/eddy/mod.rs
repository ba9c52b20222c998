//! Eddy currents: what plates, covers and poles take from a coil as the frequency rises.
//!
//! Whatever the part, the coil sees an impedance ω²·Σ c/(1 + jωτ) in series: its inductance falls by Σ c/τ towards
//! high frequency and its resistance grows.

mod pole;
mod sheet;

pub use pole::{core_permeability, pole_relaxations};
pub use sheet::{Panel, Sheet, cells_of, panels_of};

use nalgebra::Complex;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// One way of currents dying away: c in Ω·s² (H·s), τ in s.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Relaxation {
    /// Square of the mutual inductance over the loop's resistance, H·s.
    pub strength_hs: f64,
    /// Inductance over resistance of the loop, s.
    pub time_s: f64,
}

/// What relaxations add to a coil's impedance at `hz`, Ω.
#[must_use]
pub fn impedance(relaxations: &[Relaxation], hz: f64) -> Complex<f64> {
    let omega = 2.0 * PI * hz;
    relaxations
        .iter()
        .map(|r| Complex::from(omega * omega * r.strength_hs) / Complex::new(1.0, omega * r.time_s))
        .sum()
}
