//! One rod magnet, cut finely enough for what a probe reads at its face.
//!
//! Near the rim of its faces a magnet loses magnetisation that its middle keeps; a magnetisation that is even
//! across the rod reads up to a third high at the face, and right from half a diameter outwards.

use super::body::{Magnetised, Rod};
use super::patch::{Charged, Patch, Shape, ring_ring};
use crate::inductance::MU_0;
use crate::numeric::gauss;
use nalgebra::{DMatrix, DVector};
use std::f64::consts::PI;

/// Outer radii of the rings of a section as shares of the rod's radius: the innermost is what a probe on the
/// axis sees. Finer division moves the flux at the face by less than 1 %.
const RINGS: [f64; 3] = [0.3, 0.7, 1.0];
/// Slabs along the rod, thinner towards the ends.
const SLABS: usize = 12;
const FACES: usize = SLABS + 1;
const CELLS: usize = RINGS.len() * SLABS;

/// A rod's shape with the action of its cells on one another worked out: rods of one size share it.
#[derive(Clone, Debug)]
pub struct Facets {
    length_m: f64,
    radius_m: f64,
    /// Coulomb energies between unit magnetisations of the cells, m³.
    energies: DMatrix<f64>,
    /// What was last worked out: the magnet, the field from outside on every slab, and the cells' magnetisation in it, A/m.
    last: Option<(Magnetised, Vec<f64>, DVector<f64>)>,
}

impl Facets {
    /// Works out a rod of this size.
    #[must_use]
    pub fn new(length_m: f64, radius_m: f64) -> Self {
        let mut facets = Self { length_m, radius_m, energies: DMatrix::zeros(0, 0), last: None };
        let annuli = facets.annuli();
        facets.energies = DMatrix::from_fn(CELLS, CELLS, |a, b| {
            let (ra, sa, rb, sb) = (a / SLABS, a % SLABS, b / SLABS, b % SLABS);
            let e = |fa: usize, fb: usize| annuli[(ra * FACES + fa, rb * FACES + fb)];
            // A cell's two faces carry opposite charges.
            e(sa, sb) + e(sa + 1, sb + 1) - e(sa, sb + 1) - e(sa + 1, sb)
        });
        facets
    }

    /// Whether a rod has this size.
    #[must_use]
    pub fn fits(&self, rod: &Rod) -> bool {
        (self.length_m - rod.length_m).abs() < 1e-9 && (self.radius_m - rod.radius_m).abs() < 1e-9
    }

    /// The charges of a magnet on its curve in the field of all others: `outside(z)` is their field strength along
    /// z at height z on the rod's axis, A/m. Within 7 % of axisymmetric finite elements from the face outwards; a
    /// curve from Br and Hc alone is uncertain by more.
    #[must_use]
    pub fn magnetise(&mut self, rod: &Rod, outside: impl Fn(f64) -> f64) -> Vec<Charged> {
        let Some(magnet) = rod.magnet else { return Vec::new() };
        let sign = magnet.charge.signum();
        let volumes: Vec<f64> = (0..CELLS)
            .map(|k| {
                let (inner, outer) = self.ring(k / SLABS);
                let slab = k % SLABS;
                PI * (outer * outer - inner * inner) * (self.face(slab + 1) - self.face(slab))
            })
            .collect();
        let field: Vec<f64> = (0..SLABS)
            .map(|slab| outside(rod.bottom_m + 0.5 * (self.face(slab) + self.face(slab + 1))))
            .collect();
        // A rod's neighbour in the row differs little from it, and its mirror image not at all.
        let scale = magnet.curve.remanence_t() / MU_0;
        let (known, mut m) = match self.last.take() {
            Some((of, before, m)) if m[0] * sign > 0.0 => {
                let alike = of.curve == magnet.curve;
                (alike && before.iter().zip(&field).all(|(a, b)| (a - b).abs() < 1e-7 * scale), m)
            }
            _ => (false, DVector::from_element(CELLS, 0.5 * sign * scale)),
        };
        for _ in 0..if known { 0 } else { 40 } {
            let mut residual = &self.energies * &m;
            let mut jacobian = self.energies.clone();
            for k in 0..CELLS {
                let (h, slope) = magnet.curve.field_at(sign * m[k]);
                residual[k] += volumes[k] * (sign * h - field[k % SLABS]);
                jacobian[(k, k)] += volumes[k] * slope.max(0.0);
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
        let charged = self.discs(rod, &(&m * magnet.charge.abs()));
        self.last = Some((magnet, field, m));
        charged
    }

    /// A ring is a disc less the next smaller one, so each face carries discs of every radius, charged by the
    /// differences.
    fn discs(&self, rod: &Rod, cells: &DVector<f64>) -> Vec<Charged> {
        let density = |ring: usize, face: usize| {
            let at = |slab: usize| cells[ring * SLABS + slab];
            (if face > 0 { at(face - 1) } else { 0.0 }) - (if face < SLABS { at(face) } else { 0.0 })
        };
        let mut charged = Vec::with_capacity(FACES * RINGS.len());
        for face in 0..FACES {
            let center_m = [rod.axis_m.0, rod.axis_m.1, rod.bottom_m + self.face(face)];
            for (ring, share) in RINGS.iter().enumerate() {
                let beyond = if ring + 1 < RINGS.len() { density(ring + 1, face) } else { 0.0 };
                let shape = Shape::Disc { radius_m: rod.radius_m * share };
                let patch = Patch { center_m, shape };
                charged.push(Charged { patch, density_a_m: density(ring, face) - beyond });
            }
        }
        charged
    }

    fn ring(&self, ring: usize) -> (f64, f64) {
        let inner = if ring == 0 { 0.0 } else { RINGS[ring - 1] };
        (self.radius_m * inner, self.radius_m * RINGS[ring])
    }

    /// Height of a face over the lower end, m.
    fn face(&self, face: usize) -> f64 {
        // A cosine and a little of an even division: thin slabs at both ends, none degenerate.
        let even = face as f64 / SLABS as f64;
        self.length_m * (0.9 * (0.5 - 0.5 * (PI * even).cos()) + 0.1 * even)
    }

    /// Energies between the annuli of all faces.
    fn annuli(&self) -> DMatrix<f64> {
        let size = RINGS.len() * FACES;
        let mut matrix = DMatrix::zeros(size, size);
        let rule = gauss(3);
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
                            let apart = self.face(upper) - self.face(lower);
                            annulus_annulus(self.ring(ra), self.ring(rb), apart, &rule)
                        };
                        matrix[(ra * FACES + fa, rb * FACES + fb)] = value;
                        matrix[(rb * FACES + fb, ra * FACES + fa)] = value;
                    }
                }
            }
        }
        matrix
    }
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
                let rings = 4.0 * PI * PI * ra * rb * ring_ring(ra, rb, apart);
                sum += wu * wv * 2.0 * v * span.abs() * (a.1 - a.0) * rings;
            }
        }
    }
    sum
}
