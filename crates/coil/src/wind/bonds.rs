//! Self-capacitance by energy: neighbours that differ in turn number store it.

use super::section::Section;
use crate::former::Outline;
use std::f64::consts::PI;
use wide::f32x4;

/// Permittivity of vacuum, F/m [CODATA].
const EPSILON_0: f64 = 8.854_187_8e-12;
/// Wires further apart than this many diameters are screened from each other by those between.
const REACH: f64 = 1.4;
/// A third wire this near to both, in diameters, stands in the notch between two and takes the field beyond
/// the bisector.
const NOTCH: f64 = 1.3;
/// Half the angle over which field runs to a neighbour with nothing in the notch.
const OPEN_RAD: f64 = PI / 3.0;

/// Capacitance per metre between two insulated round wires, F/m, counting the field on one side of the line
/// between their centres up to `reach_rad`.
///
/// `bare_m` and `overall_m` are diameters, `distance_m` the distance of the axes (≥ `overall_m`; less is
/// taken as touching), `permittivity` the film's, `medium` the gap's. Film, gap and film in series summed
/// over the angle, in the manner of \[Massarini\]; the share that bare cylinders at that distance have more than
/// straight lines give, √(x² − 1)/acosh x with x the distance over the bare diameter, is the exact one of two
/// cylinders \[Smythe\].
#[must_use]
pub fn turn_to_turn(
    bare_m: f64,
    overall_m: f64,
    distance_m: f64,
    permittivity: f64,
    medium: f64,
    reach_rad: f64,
) -> f64 {
    let apart = distance_m.max(overall_m);
    let a = (overall_m / bare_m).ln() / permittivity + apart / overall_m / medium;
    let b = 1.0 / medium;
    // ∫₀^θ dθ/(a − b·cos θ) in closed form; a > b, since there is a film.
    let root = (a * a - b * b).sqrt();
    let integral = 2.0 / root * (((a + b) / (a - b)).sqrt() * (reach_rad / 2.0).tan()).atan();
    let x = apart / bare_m;
    0.5 * EPSILON_0 * integral * (x * x - 1.0).sqrt() / x.acosh()
}

const DISTANCES: usize = 40;
const ANGLES: usize = 12;

/// Which turns lie beside which, weighed by wire length and the square of their difference in turn number: all
/// that the capacitance needs to know of a lay.
#[derive(Clone, Debug, PartialEq)]
pub struct Bonds {
    /// Metres of wire times (Δn/(N − 1))² for half bonds by distance (from one to [`REACH`] diameters) and
    /// by half angle (to [`OPEN_RAD`]).
    weight_m: Vec<f64>,
    /// Neighbours per turn.
    pub neighbours: f64,
}

/// One turn of any section: distance from the core, height, and the how manyth turn it is.
type Place = (f64, f64, u32);

impl Bonds {
    /// The bonds of a coil as laid round `core`.
    #[must_use]
    pub fn from_section(section: &Section, core: &Outline) -> Self {
        let places: Vec<Place> =
            section.turns.iter().zip(0u32..).map(|(t, order)| (t.out_m, t.height_m, order)).collect();
        let once_round_m = core.perimeter_m();
        // The mean length of two turns.
        Self::between(&places, section.overall_m, |a, b| once_round_m + PI * (a.0 + b.0))
    }

    /// The bonds of straight parallel turns, per metre: (distance from the core, height, order laid).
    #[must_use]
    pub fn from_places(places: &[Place], overall_m: f64) -> Self {
        Self::between(places, overall_m, |_, _| 1.0)
    }

    fn between(places: &[Place], overall: f64, length_m: impl Fn(&Place, &Place) -> f64) -> Self {
        // An eighth of the turns stands for all of a large coil: thousands of bonds remain to average over, and the
        // capacitance moves by 5 % at most, a tenth of its band.
        let every = if places.len() > 3000 { 8 } else { 1 };
        let cells = Cells::new(places, REACH * overall);
        let last = (places.len().max(2) - 1) as f64;
        let mut weight_m = vec![0.0; DISTANCES * ANGLES];
        let (mut bonds, mut asked) = (0usize, 0usize);
        let mut near = Vec::with_capacity(16);
        for place in places.iter().step_by(every) {
            cells.near(place, &mut near);
            asked += 1;
            bonds += near.len();
            let notches = Notches::new(place, &near, overall);
            for &(other, square) in &near {
                let apart = (f64::from(place.2) - f64::from(other.2)) / last;
                // Seen from both its ends, a bond counts half from each.
                let weight = 0.5 * every as f64 * apart * apart * length_m(place, other);
                let bins = bins_of(square.sqrt() / overall);
                for reach in notches.angles(other) {
                    weight_m[bins + bin(reach)] += weight;
                }
            }
        }
        Self { weight_m, neighbours: bonds as f64 / asked.max(1) as f64 }
    }

    /// Capacitance, F (per metre for [`Bonds::from_places`]): twice the energy at one volt end to end. `spread`
    /// widens every distance by a factor: 1 for the lay as it is.
    #[must_use]
    pub fn capacitance_f(
        &self,
        bare_m: f64,
        overall_m: f64,
        permittivity: f64,
        medium: f64,
        spread: f64,
    ) -> f64 {
        let mut sum = 0.0;
        for (at, weight) in self.weight_m.iter().enumerate().filter(|(_, w)| **w > 0.0) {
            let (d, angle) = (at / ANGLES, at % ANGLES);
            let share = (d as f64 + 0.5) / DISTANCES as f64;
            let distance = overall_m * (1.0 + (REACH - 1.0) * share * share);
            let reach = OPEN_RAD * (angle as f64 + 1.0) / ANGLES as f64;
            sum += weight * turn_to_turn(bare_m, overall_m, distance * spread, permittivity, medium, reach);
        }
        sum
    }
}

/// Where the bins of half bonds of a distance begin: they are finest at touch, where the capacitance changes most.
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to the bins")]
fn bins_of(distance: f64) -> usize {
    let d = (((distance - 1.0).max(0.0) / (REACH - 1.0)).sqrt() * DISTANCES as f64) as usize;
    d.min(DISTANCES - 1) * ANGLES
}

/// Bin of a half angle among those of a distance.
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to the bins")]
fn bin(reach_rad: f64) -> usize {
    let angle = (reach_rad / OPEN_RAD * ANGLES as f64 + 0.5).max(1.0) as usize - 1;
    angle.min(ANGLES - 1)
}

/// The neighbours of one turn that can stand in a notch, four by four: places from it, in diameters.
struct Notches {
    from_m: (f64, f64),
    per_m: f64,
    fours: Vec<(f32x4, f32x4)>,
}

impl Notches {
    fn new(turn: &Place, near: &[Neighbour<'_>], overall_m: f64) -> Self {
        let (from_m, per_m) = ((turn.0, turn.1), overall_m.recip());
        let is_in_reach = |square: f64| square <= (NOTCH * overall_m).powi(2);
        let mut notches = Self { from_m, per_m, fours: Vec::with_capacity(near.len().div_ceil(4)) };
        for four in near.chunks(4) {
            // Far away in place of those that lack or do not count.
            let (mut x, mut z) = ([FAR; 4], [FAR; 4]);
            for (k, (other, _)) in four.iter().enumerate().filter(|(_, (_, square))| is_in_reach(*square)) {
                (x[k], z[k]) = notches.place(other);
            }
            notches.fours.push((f32x4::from(x), f32x4::from(z)));
        }
        notches
    }

    #[allow(clippy::cast_possible_truncation, reason = "single precision is ample for an angle")]
    fn place(&self, other: &Place) -> (f32, f32) {
        let in_diameters = |to: f64, from: f64| ((to - from) * self.per_m) as f32;
        (in_diameters(other.0, self.from_m.0), in_diameters(other.1, self.from_m.1))
    }

    /// Half angles of the field between the turn and a neighbour on either side; a third turn within [`NOTCH`] of both takes what lies
    /// beyond the bisector.
    fn angles(&self, other: &Place) -> [f64; 2] {
        #[allow(clippy::cast_possible_truncation, reason = "a constant")]
        const REACH_SQUARE: f32 = (NOTCH * NOTCH) as f32;
        let (bx, bz) = self.place(other);
        let (bx, bz) = (f32x4::splat(bx), f32x4::splat(bz));
        // The angles at the two add up to what the one at the third leaves of half a turn: the widest counts, whose cotangent is
        // the least.
        let nothing = f32x4::splat(f32::INFINITY);
        let mut least = [nothing; 2];
        for &(x, z) in &self.fours {
            let (to_x, to_z) = (bx - x, bz - z);
            let square = to_x * to_x + to_z * to_z;
            let counts = square.simd_le(f32x4::splat(REACH_SQUARE)) & square.simd_gt(f32x4::splat(SAME));
            let across = bx * z - bz * x;
            let cotangent = -(x * to_x + z * to_z) / across.abs().fast_max(f32x4::splat(f32::MIN_POSITIVE));
            let is_left = across.simd_gt(f32x4::ZERO);
            least[0] = least[0].fast_min((counts & is_left).select(cotangent, nothing));
            least[1] = least[1].fast_min((counts & !is_left).select(cotangent, nothing));
        }
        least.map(|four| {
            let cotangent = four.to_array().into_iter().fold(f32::INFINITY, f32::min);
            if cotangent < f32::INFINITY {
                OPEN_RAD.min(0.25 * (PI - rough_angle(1.0, f64::from(cotangent))))
            } else {
                OPEN_RAD
            }
        })
    }
}

/// Further away than any neighbour, in diameters, and square of the distance at which two turns are one.
const FAR: f32 = 1e3;
const SAME: f32 = 1e-6;

/// A neighbour of a turn, and the square of its distance, m².
type Neighbour<'a> = (&'a Place, f64);

/// The turns sorted into square cells, so that neighbours are found in the nine about a turn.
struct Cells {
    reach_m: f64,
    per_m: f64,
    from: (f64, f64),
    columns: usize,
    rows: usize,
    /// Where each cell's turns begin in `turns`.
    begins: Vec<u32>,
    turns: Vec<Place>,
}

impl Cells {
    fn new(places: &[Place], reach_m: f64) -> Self {
        let range = |pick: fn(&Place) -> f64| {
            places.iter().map(pick).fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)))
        };
        let ((x0, x1), (z0, z1)) = (range(|p| p.0), range(|p| p.1));
        let per_m = reach_m.recip();
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "coils are bounded")]
        let count =
            |from: f64, to: f64| if places.is_empty() { 1 } else { ((to - from) * per_m) as usize + 1 };
        let (rows, columns) = (count(x0, x1), count(z0, z1));
        let mut cells = Self {
            reach_m,
            per_m,
            from: (x0, z0),
            columns,
            rows,
            begins: vec![0; rows * columns + 1],
            turns: vec![(0.0, 0.0, 0); places.len()],
        };
        let at: Vec<u32> = places.iter().map(|place| cells.cell(place).2).collect();
        for &cell in &at {
            cells.begins[cell as usize + 1] += 1;
        }
        for cell in 0..rows * columns {
            cells.begins[cell + 1] += cells.begins[cell];
        }
        let mut next = cells.begins.clone();
        for (place, &cell) in places.iter().zip(&at) {
            let next = &mut next[cell as usize];
            cells.turns[*next as usize] = *place;
            *next += 1;
        }
        cells
    }

    /// Row, column and number of the cell of a place.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "coils are bounded")]
    fn cell(&self, p: &Place) -> (usize, usize, u32) {
        let row = ((p.0 - self.from.0) * self.per_m) as usize;
        let column = ((p.1 - self.from.1) * self.per_m) as usize;
        (row, column, (row * self.columns + column) as u32)
    }

    /// The neighbours of a turn nearer than the reach.
    fn near<'a>(&'a self, turn: &Place, near: &mut Vec<Neighbour<'a>>) {
        near.clear();
        let (row, column, _) = self.cell(turn);
        let columns = column.saturating_sub(1)..(column + 2).min(self.columns);
        for r in row.saturating_sub(1)..(row + 2).min(self.rows) {
            // The cells of one row lie one after the other.
            let (first, last) = (r * self.columns + columns.start, r * self.columns + columns.end);
            for other in &self.turns[self.begins[first] as usize..self.begins[last] as usize] {
                let (x, z) = (other.0 - turn.0, other.1 - turn.1);
                let square = x * x + z * z;
                if square < self.reach_m * self.reach_m && other.2 != turn.2 {
                    near.push((other, square));
                }
            }
        }
    }
}

/// The angle of (x, y) with y ≥ 0 to a quarter of a degree, which the bins do not see.
fn rough_angle(y: f64, x: f64) -> f64 {
    let steep = y > x.abs();
    let ratio = if steep { x.abs() / y } else { y / x.abs().max(f64::MIN_POSITIVE) };
    let small = ratio * (PI / 4.0 + 0.273 * (1.0 - ratio));
    let acute = if steep { PI / 2.0 - small } else { small };
    if x < 0.0 { PI - acute } else { acute }
}

/// Self-capacitance of a straight layered coil by the layered-coil formula, F: `layers` layers of `per_layer`
/// turns wound to and fro, `layer_f` farads between two neighbouring layers' surfaces. The voltage between two
/// layers runs from nothing to that of two layers, so each pair stores (4/3)·C·(1/layers)²/2
/// [Massarini, after the classical treatment].
///
/// ```
/// use coil::wind::layered_capacitance;
/// // Layers in series: the more there are, the less is left between the ends.
/// assert!(layered_capacitance(40.0, 300e-12) < layered_capacitance(20.0, 300e-12));
/// ```
#[must_use]
pub fn layered_capacitance(layers: f64, layer_f: f64) -> f64 {
    layer_f * (layers - 1.0).max(0.0) * 4.0 / (3.0 * layers * layers)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::numeric::gauss;

    /// The closed form against the integral it stands for.
    #[test]
    fn closed_form_is_its_integral() {
        for (distance, reach) in [(73e-6, PI / 6.0), (80e-6, PI / 3.0)] {
            let (bare, overall, film, medium): (f64, f64, f64, f64) = (63.5e-6, 73e-6, 3.4, 2.2);
            let sum: f64 = gauss(16)
                .iter()
                .map(|(t, w)| {
                    let gap = (distance / overall - (t * reach).cos()) / medium;
                    w * reach / ((overall / bare).ln() / film + gap)
                })
                .sum();
            let x: f64 = distance / bare;
            let expected = 0.5 * EPSILON_0 * sum * (x * x - 1.0).sqrt() / x.acosh();
            let got = turn_to_turn(bare, overall, distance, film, medium, reach);
            assert!((got / expected - 1.0).abs() < 1e-9);
        }
    }

    /// Two bare cylinders in one medium, all round: πε/acosh(D/d) [Smythe], which the half turn facing the other
    /// wire carries for the most part when they are close.
    #[test]
    fn close_cylinders_carry_their_field_between_them() {
        let (bare, distance): (f64, f64) = (60e-6, 61e-6);
        let whole = PI * EPSILON_0 / (distance / bare).acosh();
        let facing = 2.0 * turn_to_turn(bare, bare * 1.000_001, distance, 1.0, 1.0, PI / 2.0);
        assert!((0.9..1.0).contains(&(facing / whole)), "{}", facing / whole);
    }
}
