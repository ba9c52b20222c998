//! How the turns lie: the guide's path, the coil as laid, wire length, fill, and the capacitance between
//! neighbours.

mod bonds;
mod guide;
mod section;

pub use bonds::{Bonds, layered_capacitance, turn_to_turn};
pub use guide::{GuidePlan, MACHINE_PLAY, STRAIGHT_PITCH};
pub use section::{LaidTurn, Section, USUAL_RPM, lay};

use crate::former::Outline;
use std::f64::consts::PI;

/// Packing of a machine-straight lay on a tall former: round wire's square against window area (common
/// practice, no source).
pub const PACKING_STRAIGHT: f64 = 0.90;
/// Packing of a hand-scattered lay on a tall former (common practice, no source).
pub const PACKING_SCATTERED: f64 = 0.79;
/// Hand wander, as a share of the height, at which the scattered packing was read.
pub const WANDER_SCATTERED: f64 = 0.3;

/// The pattern that a wander describes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pattern {
    /// Layer upon layer, turns side by side.
    Straight,
    /// Passes that cross one another.
    Scattered,
}

impl Pattern {
    /// Below 5 % of the height a lay counts as straight.
    #[must_use]
    pub fn from_wander(wander: f64) -> Self {
        if wander < 0.05 { Self::Straight } else { Self::Scattered }
    }
}

/// A lay as the coil's figures need it: thickness and length.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Lay {
    /// Mean thickness of the coil, from core to outermost turn, m.
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
        let lay = Lay::uniform(7500.0, 73.66e-6, 0.79, &core, 11.0e-3);
        let summed: f64 = (0..7500)
            .map(|i| core.perimeter_m() + 2.0 * PI * lay.build_m * (f64::from(i) + 0.5) / 7500.0)
            .sum();
        assert!((summed / lay.wire_m - 1.0).abs() < 1e-6);
        assert!((lay.build_m * 1e3 - 4.683).abs() < 0.01);
    }
}
