//! Self-capacitance by energy: neighbours that differ in turn number store it.

use super::{Lay, Pattern};
use crate::numeric::gauss;
use crate::wire::WireData;
use std::f64::consts::PI;

/// Permittivity of vacuum, F/m [CODATA].
const EPSILON_0: f64 = 8.854_187_8e-12;
/// Capacitance of 0.3 m of two cloth- or plastic-covered leads twisted together, F: a two-wire line
/// with axes two conductor diameters apart in a medium of permittivity 2 has 42 pF/m.
pub const LEADS_F: f64 = 13e-12;

/// Capacitance per metre between two insulated round wires, F/m.
///
/// `bare_m` and `overall_m` are diameters, `distance_m` the distance of the axes (≥ `overall_m`; less
/// is taken as touching), `permittivity` the film's, `medium` the gap's, `reach_rad` half the angle
/// over which field lines run to this neighbour: 30° between nested hexagonal neighbours, 60° in
/// square, open or scattered lays. Series of film, gap and film summed over the angle, in the manner
/// of [Massarini].
#[must_use]
pub fn turn_to_turn(
    bare_m: f64,
    overall_m: f64,
    distance_m: f64,
    permittivity: f64,
    medium: f64,
    reach_rad: f64,
) -> f64 {
    let film = (overall_m / bare_m).ln() / permittivity;
    let apart = distance_m.max(overall_m) / overall_m;
    let sum: f64 = gauss(12)
        .iter()
        .map(|(t, w)| w * reach_rad / (film + (apart - (t * reach_rad).cos()) / medium))
        .sum();
    EPSILON_0 * sum
}

/// One turn in the section of a coil.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LayedTurn {
    /// Distance from the core, m.
    pub out_m: f64,
    /// Height, m.
    pub height_m: f64,
    /// The how manyth turn it is, from 0.
    pub order: u32,
}

/// Capacitance per metre of turn of the turns given, from every pair of neighbours closer than 1.25
/// overall diameters, F/m: Σ c′·(Δn/(N − 1))². Costs the square of the number of turns: for sections
/// of a few hundred.
#[must_use]
pub fn neighbour_capacitance(
    turns: &[LayedTurn],
    bare_m: f64,
    overall_m: f64,
    permittivity: f64,
    medium: f64,
    reach_rad: f64,
) -> f64 {
    let last = (turns.len().max(2) - 1) as f64;
    let mut sum = 0.0;
    for (i, a) in turns.iter().enumerate() {
        for b in &turns[..i] {
            let distance = (a.out_m - b.out_m).hypot(a.height_m - b.height_m);
            if distance < 1.25 * overall_m {
                let apart = (f64::from(a.order) - f64::from(b.order)) / last;
                sum += apart
                    * apart
                    * turn_to_turn(bare_m, overall_m, distance, permittivity, medium, reach_rad);
            }
        }
    }
    sum
}

/// Self-capacitance of a uniform lay in air, from its pattern alone, F; without the leads.
///
/// The layered model. A coil of `T` turns per full layer, wound to and fro, has neighbours in the next
/// layer that differ by 0 to 2T turns: the mean square of the difference is 4T²/3, and the energy of N
/// turns gives C = c′·l·b·(4T²/3)/N with b bonds per turn. Straight: two nested neighbours per turn
/// at 30°. Scattered: two neighbours per turn at 60°, at distances spread evenly from touching to as
/// far again beyond the average; passes interleave, so that neighbours in one layer differ by as much.
/// The lay itself decides, and is not known here: reckon with a third either way for a scattered coil.
#[must_use]
pub fn self_capacitance(
    turns: f64,
    wire: &WireData,
    packing: f64,
    pattern: Pattern,
    lay: &Lay,
    height_m: f64,
) -> f64 {
    let WireData { bare_m, overall_m, permittivity, .. } = *wire;
    if turns < 2.0 {
        return 0.0;
    }
    let (per_layer, bonds) = match pattern {
        Pattern::Straight => {
            // What the packing leaves open opens the lay between the turns of a layer.
            let pitch = overall_m / (packing / super::PACKING_STRAIGHT).min(1.0);
            let nested = turn_to_turn(bare_m, overall_m, overall_m, permittivity, 1.0, PI / 6.0);
            (height_m / pitch, 2.0 * nested * 4.0 / 3.0)
        }
        Pattern::Scattered => {
            let average = 1.0 / packing.min(1.0).sqrt();
            let spread = 2.0 * (average - 1.0);
            let mean: f64 = gauss(6)
                .iter()
                .map(|(t, w)| {
                    let distance = overall_m * (1.0 + t * spread);
                    w * turn_to_turn(bare_m, overall_m, distance, permittivity, 1.0, PI / 3.0)
                })
                .sum();
            (height_m / (overall_m * average), 2.0 * mean * 4.0 / 3.0)
        }
    };
    let layers = (turns / per_layer).max(1.0);
    bonds * lay.mean_turn_m * per_layer * per_layer / turns * (layers - 1.0).max(0.0) / layers
}
