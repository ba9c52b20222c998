//! The magnetisation that a row of rods holds by itself.

use super::charge::{Sheet, flux_density};
use super::rods::{Rod, inverse_distance, ring_ring};
use crate::inductance::MU_0;
use crate::numeric::gauss;
use nalgebra::{DMatrix, DVector};
use std::f64::consts::PI;

/// Outer radii of the rings of a section as shares of the rod's radius: the innermost is what a probe on the
/// axis sees. Finer division moves the flux at the face by less than 1 %.
const RINGS: [f64; 3] = [0.3, 0.7, 1.0];
/// Slabs along each rod, thinner towards the ends.
const SLABS: usize = 12;
const FACES: usize = SLABS + 1;
const CELLS: usize = RINGS.len() * SLABS;

/// A row of rods with the magnetisation they hold, charge included.
#[derive(Clone, Debug)]
pub struct Held {
    rods: Vec<Rod>,
    sheets: Vec<Sheet>,
}

impl Held {
    /// Solves every rod, cut into rings and slabs that are magnetised along the axis, on its own
    /// demagnetisation curve in the field of all charges of the row, and scales by each rod's charge.
    ///
    /// Against axisymmetric finite elements within 7 % from the face outwards; the curve itself is
    /// uncertain by more (two reasonable ones through the same Br and Hc differ by 10 %). A magnet's
    /// history, knocked down before it stood among its neighbours, is not followed.
    #[must_use]
    pub fn solve(rods: &[Rod]) -> Self {
        let size = rods.len() * CELLS;
        let energy = energies(rods);
        let volumes = DVector::from_fn(size, |k, _| {
            let (rod, ring, slab) = place(rods, k);
            let (inner, outer) = ring_radii(rod, ring);
            PI * (outer * outer - inner * inner) * (face_height(rod, slab + 1) - face_height(rod, slab))
        });
        let sign = |k: usize| rods[k / CELLS].charge.signum();
        // Field strength at which cell `k` has the magnetisation `m`, and its slope.
        let law = |k: usize, m: f64| {
            let rod = &rods[k / CELLS];
            if let Some(curve) = rod.curve {
                let (h, slope) = curve.field_at(sign(k) * m);
                (sign(k) * h, slope)
            } else {
                let inverse_chi = 1.0 / (rod.mu_r - 1.0).max(1e-3);
                (m * inverse_chi, inverse_chi)
            }
        };
        let mut m = DVector::from_fn(size, |k, _| {
            rods[k / CELLS].curve.map_or(0.0, |curve| 0.5 * sign(k) * curve.remanence_t() / MU_0)
        });
        // Rods act weakly on one another: each is solved by Newton's iteration in the field of the others
        // as they last were, and a few rounds settle the row.
        for _ in 0..12 {
            let before = m.clone();
            for rod in 0..rods.len() {
                let own = energy.view((rod * CELLS, rod * CELLS), (CELLS, CELLS)).into_owned();
                let cells = m.rows(rod * CELLS, CELLS).into_owned();
                let of_others = energy.rows(rod * CELLS, CELLS) * &m - &own * &cells;
                let solved = newton(&own, &of_others, cells, |k, m| {
                    let (h, slope) = law(rod * CELLS + k, m);
                    let volume = volumes[rod * CELLS + k];
                    (volume * h, volume * slope)
                });
                m.rows_mut(rod * CELLS, CELLS).copy_from(&solved);
            }
            if (&m - &before).amax() < 1e-5 * m.amax().max(1.0) {
                break;
            }
        }
        let sheets =
            rods.iter().zip(m.as_slice().chunks(CELLS)).flat_map(|(rod, cells)| sheets_of(rod, cells));
        Self { rods: rods.to_vec(), sheets: sheets.collect() }
    }

    /// The charges on all rods.
    #[must_use]
    pub fn sheets(&self) -> &[Sheet] {
        &self.sheets
    }

    /// Flux density along the axis of rod `rod`, `gap_m` above its upper face, T; north up is positive.
    #[must_use]
    pub fn above(&self, rod: usize, gap_m: f64) -> f64 {
        let r = &self.rods[rod];
        // A hair above the face: the face itself belongs to neither side.
        flux_density(&self.sheets, [r.axis_m.0, r.axis_m.1, r.bottom_m + r.length_m + gap_m.max(1e-9)])[2]
    }
}

/// Solves `law(m) + own·m + of_others = 0` for the cells of one rod, from `m`.
fn newton(
    own: &DMatrix<f64>,
    of_others: &DVector<f64>,
    mut m: DVector<f64>,
    law: impl Fn(usize, f64) -> (f64, f64),
) -> DVector<f64> {
    for _ in 0..40 {
        let mut residual = own * &m + of_others;
        let mut jacobian = own.clone();
        for k in 0..m.len() {
            let (value, slope) = law(k, m[k]);
            residual[k] += value;
            jacobian[(k, k)] += slope.max(0.0);
        }
        let Some(solver) = jacobian.cholesky() else { break };
        let step = solver.solve(&residual);
        // A full step may leave the curve's second quadrant; a bounded one does not.
        let largest = step.amax() / m.amax().max(1.0);
        m -= &step * if largest > 0.3 { 0.3 / largest } else { 1.0 };
        if largest < 1e-6 {
            break;
        }
    }
    m
}

/// Rod, ring and slab of an unknown.
fn place(rods: &[Rod], k: usize) -> (&Rod, usize, usize) {
    (&rods[k / CELLS], k % CELLS / SLABS, k % SLABS)
}

fn ring_radii(rod: &Rod, ring: usize) -> (f64, f64) {
    let inner = if ring == 0 { 0.0 } else { RINGS[ring - 1] };
    (rod.radius_m * inner, rod.radius_m * RINGS[ring])
}

fn face_height(rod: &Rod, face: usize) -> f64 {
    // A cosine and a little of an even division: thin slabs at both ends, none degenerate.
    let even = face as f64 / SLABS as f64;
    let crowded = 0.5 - 0.5 * (PI * even).cos();
    rod.bottom_m + rod.length_m * (0.9 * crowded + 0.1 * even)
}

/// The charged discs of a rod: a ring is a disc less the next smaller one, so each face carries discs
/// of every radius, charged by the differences.
fn sheets_of(rod: &Rod, cells: &[f64]) -> Vec<Sheet> {
    let charge = rod.charge.abs();
    let density = |ring: usize, face: usize| {
        let at = |slab: usize| cells[ring * SLABS + slab] * charge;
        (if face > 0 { at(face - 1) } else { 0.0 }) - (if face < SLABS { at(face) } else { 0.0 })
    };
    let mut sheets = Vec::with_capacity(FACES * RINGS.len());
    for face in 0..FACES {
        let at_m = face_height(rod, face);
        for (ring, share) in RINGS.iter().enumerate() {
            let beyond = if ring + 1 < RINGS.len() { density(ring + 1, face) } else { 0.0 };
            sheets.push(Sheet {
                axis_m: rod.axis_m,
                radius_m: rod.radius_m * share,
                from_m: at_m,
                to_m: at_m,
                density_a_m: density(ring, face) - beyond,
            });
        }
    }
    sheets
}

/// Coulomb energy between the charges of unit magnetisation of all cells, m³.
fn energies(rods: &[Rod]) -> DMatrix<f64> {
    let size = rods.len() * CELLS;
    let mut matrix = DMatrix::zeros(size, size);
    let mut known: Vec<(f64, f64, DMatrix<f64>)> = Vec::new();
    for (i, here) in rods.iter().enumerate() {
        for (j, there) in rods.iter().enumerate().take(i + 1) {
            let block = if i == j {
                let same = |k: &&(f64, f64, DMatrix<f64>)| {
                    (k.0 - here.radius_m).abs() < 1e-9 && (k.1 - here.length_m).abs() < 1e-9
                };
                if let Some(found) = known.iter().find(same) {
                    found.2.clone()
                } else {
                    let made = by_faces(&own_annuli(here));
                    known.push((here.radius_m, here.length_m, made.clone()));
                    made
                }
            } else {
                by_faces(&apart_annuli(here, there))
            };
            matrix.view_mut((i * CELLS, j * CELLS), (CELLS, CELLS)).copy_from(&block);
            if i != j {
                matrix.view_mut((j * CELLS, i * CELLS), (CELLS, CELLS)).copy_from(&block.transpose());
            }
        }
    }
    matrix
}

/// From energies between annuli (ring, face) to energies between cells, whose two faces carry opposite
/// charges.
fn by_faces(annuli: &DMatrix<f64>) -> DMatrix<f64> {
    DMatrix::from_fn(CELLS, CELLS, |a, b| {
        let (ra, sa, rb, sb) = (a / SLABS, a % SLABS, b / SLABS, b % SLABS);
        let e = |fa: usize, fb: usize| annuli[(ra * FACES + fa, rb * FACES + fb)];
        e(sa, sb) + e(sa + 1, sb + 1) - e(sa, sb + 1) - e(sa + 1, sb)
    })
}

/// Energies between the annuli of one rod.
fn own_annuli(rod: &Rod) -> DMatrix<f64> {
    let mut matrix = DMatrix::zeros(RINGS.len() * FACES, RINGS.len() * FACES);
    let rule = gauss(4);
    for ra in 0..RINGS.len() {
        for rb in 0..=ra {
            for fa in 0..FACES {
                for fb in 0..FACES {
                    // The rod is symmetric about its middle, and each pair counts once.
                    let mirrored = FACES - 1 - fa.max(fb);
                    let (lower, upper) = (fa.min(fb), fa.max(fb));
                    let value = if mirrored < lower {
                        matrix[(ra * FACES + mirrored, rb * FACES + (FACES - 1 - lower))]
                    } else if fb < fa {
                        matrix[(ra * FACES + fb, rb * FACES + fa)]
                    } else {
                        let apart = face_height(rod, upper) - face_height(rod, lower);
                        annulus_annulus(ring_radii(rod, ra), ring_radii(rod, rb), apart, &rule)
                    };
                    matrix[(ra * FACES + fa, rb * FACES + fb)] = value;
                    matrix[(rb * FACES + fb, ra * FACES + fa)] = value;
                }
            }
        }
    }
    matrix
}

/// ∬ 1/(4πd) over two coaxial annuli `apart` metres apart, m³; the nodes of the second crowd to where it
/// comes closest to each ring of the first.
fn annulus_annulus(a: (f64, f64), b: (f64, f64), apart: f64, rule: &[(f64, f64)]) -> f64 {
    let mut sum = 0.0;
    for (u, wu) in rule {
        let ra = a.0 + (a.1 - a.0) * u;
        let nearest = ra.clamp(b.0, b.1);
        for span in [b.1 - nearest, b.0 - nearest] {
            for (v, wv) in rule {
                let rb = nearest + span * v * v;
                sum += wu
                    * wv
                    * 2.0
                    * v
                    * span.abs()
                    * (a.1 - a.0)
                    * 4.0
                    * PI
                    * PI
                    * ra
                    * rb
                    * ring_ring(ra, rb, apart);
            }
        }
    }
    sum
}

/// Energies between the annuli of two rods, to the second order of radius over distance.
fn apart_annuli(a: &Rod, b: &Rod) -> DMatrix<f64> {
    let lateral = (a.axis_m.0 - b.axis_m.0).hypot(a.axis_m.1 - b.axis_m.1).max(a.radius_m);
    let moments = |rod: &Rod, ring: usize| {
        let (inner, outer) = ring_radii(rod, ring);
        (PI * (outer * outer - inner * inner), 0.5 * (outer * outer + inner * inner))
    };
    DMatrix::from_fn(RINGS.len() * FACES, RINGS.len() * FACES, |p, q| {
        let (area_a, square_a) = moments(a, p / FACES);
        let (area_b, square_b) = moments(b, q / FACES);
        let t = face_height(a, p % FACES) - face_height(b, q % FACES);
        area_a * area_b / (4.0 * PI)
            * (inverse_distance(0, t, lateral)
                - (square_a + square_b) / 4.0 * inverse_distance(2, t, lateral))
    })
}
