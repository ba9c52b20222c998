//! Output against a reference coil.
//!
//! The voltage that a moving string induces is the change of ∫M·B_coil dV over the string [reciprocity].
//! A thin steel string is magnetised along itself, by the part of the poles' field that runs along it,
//! and that part carries 90 % and more of the flux. As a first model the magnetisation follows the field
//! locally and does not saturate; in the ratio to a reference coil under equal strings the unknown
//! susceptibility drops out. Saturation of thin strings over strong poles is not in it.

use super::model::{Model, StringAt};
use crate::design::tall_single;
use crate::inductance::Winding;
use crate::magnet::{Held, Rods, Sheet, flux_density};
use std::sync::OnceLock;

/// Half the length of string that counts, m, and the number of points along that half: the field along
/// the string is odd on both sides of a coil that stands on its own axis.
const REACH_M: f64 = 0.016;
const POINTS: usize = 9;
/// Step of height for the derivative, m.
const STEP_M: f64 = 0.1e-3;

/// Change of flux per height and unit of magnetised section, for every string; arbitrary but fixed unit.
fn couplings(model: &Model, winding: &Winding, induced: &[Sheet], held: &Held) -> Vec<f64> {
    let linkage = |string: &StringAt, lift: f64| along(string, lift, winding, induced, held.sheets());
    model
        .strings
        .iter()
        .map(|string| {
            let section = string.core_m * string.core_m;
            section * (linkage(string, -STEP_M) - linkage(string, STEP_M)).abs() / (2.0 * STEP_M)
        })
        .collect()
}

/// ∫ B_y of the poles times B_y of the coil along the string, lifted by `lift` m.
fn along(string: &StringAt, lift: f64, winding: &Winding, induced: &[Sheet], poles: &[Sheet]) -> f64 {
    let points: Vec<[f64; 3]> = (0..POINTS)
        .map(|i| {
            let y = REACH_M * (i as f64 + 0.5) / POINTS as f64;
            [string.x_m, winding.center_m.1 + y, string.z_m + lift]
        })
        .collect();
    let air = winding.field_at(&points);
    let step = 2.0 * REACH_M / POINTS as f64;
    points
        .iter()
        .zip(air)
        .map(|(p, coil)| step * flux_density(poles, *p)[1] * (coil[1] + flux_density(induced, *p)[1]))
        .sum()
}

/// The couplings of the reference coil, string by string in its own row, taken once.
fn reference() -> f64 {
    static REFERENCE: OnceLock<f64> = OnceLock::new();
    *REFERENCE.get_or_init(|| {
        let Ok(model) = Model::of(&tall_single("reference", 6, 10.4)) else { return 1.0 };
        let winding = model.winding(&model.lay());
        let induced = Rods::new(model.rods.clone()).induced_by(&winding).0;
        let all = couplings(&model, &winding, &induced, &Held::solve(&model.rods));
        let core = model.strings.first().map_or(1.0, |s| s.core_m);
        // Per section of string: the designs' own strings come in when compared.
        all.iter().sum::<f64>() / all.len() as f64 / (core * core)
    })
}

/// Output of every string against the same string over the reference coil, as ratios.
pub(super) fn relative(model: &Model, winding: &Winding, induced: &[Sheet], held: &Held) -> Vec<f64> {
    let own = couplings(model, winding, induced, held);
    own.iter().zip(&model.strings).map(|(c, s)| c / (s.core_m * s.core_m) / reference()).collect()
}
