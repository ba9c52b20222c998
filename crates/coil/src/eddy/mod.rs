//! Eddy currents: what plates, covers and poles take from a coil as the frequency rises.
//!
//! Whatever the part, the coil sees an impedance ω²·Σ c/(1 + jωτ) in series: its inductance falls by Σ c/τ towards
//! high frequency and its resistance grows.

mod fit;
mod pole;
mod sheet;

pub use fit::with_skin;
pub use pole::{core_permeability, pole_relaxations};
pub use sheet::{Mode, Panel, Sheet, cells_of, panels_of};

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

/// What one way of dying away takes from the signal: the signal is multiplied by 1 − Σ jω·k/(1 + jωτ).
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Screening {
    /// k: by reciprocity the mutual inductances of loop with coil and loop with string, over the loop's resistance and the
    /// mutual inductance of coil with string, s.
    pub coupling_s: f64,
    /// τ: inductance over resistance of the loop, s.
    pub time_s: f64,
}

/// The share of the signal that screening leaves at `hz`, with its phase.
#[must_use]
pub fn screened(screening: &[Screening], hz: f64) -> Complex<f64> {
    let omega = 2.0 * PI * hz;
    // jωκ/(1 + jωτ), with its denominator made real.
    let lost = |s: &Screening| {
        let by = omega * s.time_s;
        Complex::new(by, 1.0) * (omega * s.coupling_s / (1.0 + by * by))
    };
    Complex::from(1.0) - screening.iter().map(lost).sum::<Complex<f64>>()
}

/// What relaxations add to a coil's impedance at `hz`, Ω.
#[must_use]
pub fn impedance(relaxations: &[Relaxation], hz: f64) -> Complex<f64> {
    let omega = 2.0 * PI * hz;
    // ω²s/(1 + jωτ), with its denominator made real.
    let own = |r: &Relaxation| {
        let by = omega * r.time_s;
        Complex::new(1.0, -by) * (omega * omega * r.strength_hs / (1.0 + by * by))
    };
    relaxations.iter().map(own).sum()
}
