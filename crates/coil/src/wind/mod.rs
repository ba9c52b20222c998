//! How the turns lie: build, wire length, fill, and the capacitance between neighbours.

mod capacitance;

pub use capacitance::{LEADS_F, LayedTurn, neighbour_capacitance, self_capacitance, turn_to_turn};

use crate::former::Outline;
use std::f64::consts::PI;

/// Packing of a machine-straight lay: round wire's square against window area (common practice, no source).
pub const PACKING_STRAIGHT: f64 = 0.90;
/// Packing of a hand-scattered lay on a tall former (common practice, no source).
pub const PACKING_SCATTERED: f64 = 0.79;
/// Hand wander, as a share of the height, at which the scattered packing was read.
pub const WANDER_SCATTERED: f64 = 0.3;

/// The pattern of a lay, as far as prediction from packing needs it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pattern {
    /// Layer upon layer, turns side by side.
    Straight,
    /// Passes that cross one another.
    Scattered,
}

impl Pattern {
    /// The pattern that a wander describes: below 5 % of the height a lay counts as straight.
    #[must_use]
    pub fn of_wander(wander: f64) -> Self {
        if wander < 0.05 { Self::Straight } else { Self::Scattered }
    }
}

/// Packing to expect for a wander when none was measured: linear through the two values of practice.
#[must_use]
pub fn usual_packing(wander: f64) -> f64 {
    let slope = (PACKING_SCATTERED - PACKING_STRAIGHT) / WANDER_SCATTERED;
    (PACKING_STRAIGHT + slope * wander.max(0.0)).max(0.6)
}

/// A uniform lay: every part of the window equally full.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Lay {
    /// Thickness of the coil, from core to outermost turn, m.
    pub build_m: f64,
    /// Length of the average turn, m.
    pub mean_turn_m: f64,
    /// Length of all the wire, m.
    pub wire_m: f64,
}

impl Lay {
    /// `turns` turns of overall diameter `overall_m` on `core`, `height_m` high, at `packing` (wire
    /// diameter squared over window area). Exact for a uniform lay: build = N·OD²/(packing·height),
    /// mean turn = P₀ + π·build.
    #[must_use]
    pub fn uniform(turns: f64, overall_m: f64, packing: f64, core: &Outline, height_m: f64) -> Self {
        let build_m = turns * overall_m * overall_m / (packing * height_m);
        let mean_turn_m = core.perimeter_m() + PI * build_m;
        Self { build_m, mean_turn_m, wire_m: turns * mean_turn_m }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::former::Core;

    /// The closed form against the sum over turns laid one by one at equal area each.
    #[test]
    fn uniform_lay_is_the_sum_of_its_turns() {
        let core = Core::stadium(56.75, 4.75).outline();
        let lay = Lay::uniform(7620.0, 73.66e-6, 0.79, &core, 10.92e-3);
        let summed: f64 = (0..7620)
            .map(|i| core.perimeter_m() + 2.0 * PI * lay.build_m * (f64::from(i) + 0.5) / 7620.0)
            .sum();
        assert!((summed / lay.wire_m - 1.0).abs() < 1e-6);
        assert!((lay.build_m * 1e3 - 4.793).abs() < 0.01);
    }

    #[test]
    fn more_wander_never_packs_tighter() {
        let mut last = usual_packing(0.0);
        for step in 1..=20 {
            let packing = usual_packing(f64::from(step) * 0.05);
            assert!(packing <= last && packing >= 0.6);
            last = packing;
        }
        assert!((usual_packing(0.3) - 0.79).abs() < 1e-12);
    }
}
