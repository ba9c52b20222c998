//! A row of upright rods, magnetised by a coil: a method of moments.
//!
//! Each rod carries a divergence-free magnetisation M = f(z)·ẑ − (r/2)·f′(z)·r̂ with f piecewise linear
//! over [`INTERVALS`] intervals, so its only charges lie on the two end discs and on bands round the
//! side. Galerkin's form with the Coulomb energy between all charges gives a symmetric positive system.
//! Against 3-D finite elements it errs low by at most 1.2 % of L from recoil permeability 2 to steel.

use super::charge::Sheet;
use super::grade::Demagnetisation;
use crate::inductance::{MU_0, Winding};
use crate::numeric::{elliptic_k, gauss};
use nalgebra::{DMatrix, DVector};
use std::f64::consts::PI;

/// Intervals along each rod: more than eight changes L by less than 0.1 %.
pub const INTERVALS: usize = 8;
const NODES: usize = INTERVALS + 1;
/// Charge-carrying parts of a rod: lower disc, bands, upper disc.
const PARTS: usize = INTERVALS + 2;

/// An upright round rod.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Rod {
    /// Axis, x and y, m.
    pub axis_m: (f64, f64),
    /// Height of the lower face, m.
    pub bottom_m: f64,
    /// Length, m.
    pub length_m: f64,
    /// Radius, m.
    pub radius_m: f64,
    /// Recoil permeability.
    pub mu_r: f64,
    /// How it magnetises by itself; `None` for a plain pole.
    pub curve: Option<Demagnetisation>,
    /// Charge as a signed share of saturation: positive has the north pole up.
    pub charge: f64,
}

/// A row of rods with the geometry of their interaction worked out.
#[derive(Clone, Debug)]
pub struct Rods {
    rods: Vec<Rod>,
    /// Demagnetising matrix over all nodes, m³: energy of the charges of unit magnetisations.
    demagnetising: DMatrix<f64>,
}

/// Magnetisation at the nodes of all rods, A/m.
type Nodes = DVector<f64>;

/// A part of a rod that carries charge, as its neighbours see it.
#[derive(Clone, Copy)]
struct Part {
    from_m: f64,
    to_m: f64,
    area_m2: f64,
    /// Mean square and mean fourth power of the distance from the axis.
    square: f64,
    fourth: f64,
}

impl Rod {
    fn step_m(&self) -> f64 {
        self.length_m / INTERVALS as f64
    }

    fn parts(&self) -> [Part; PARTS] {
        let r2 = self.radius_m * self.radius_m;
        std::array::from_fn(|i| {
            let z = |node: usize| self.bottom_m + self.step_m() * node as f64;
            if i == 0 || i == PARTS - 1 {
                let at = if i == 0 { z(0) } else { z(INTERVALS) };
                Part { from_m: at, to_m: at, area_m2: PI * r2, square: r2 / 2.0, fourth: r2 * r2 / 3.0 }
            } else {
                let area_m2 = 2.0 * PI * self.radius_m * self.step_m();
                Part { from_m: z(i - 1), to_m: z(i), area_m2, square: r2, fourth: r2 * r2 }
            }
        })
    }

    /// The charged surfaces for a magnetisation `f` at the nodes.
    fn sheets(&self, f: &[f64]) -> Vec<Sheet> {
        let parts = self.parts();
        let density = |i: usize| match i {
            0 => -f[0],
            _ if i == PARTS - 1 => f[NODES - 1],
            _ => -self.radius_m / 2.0 * (f[i] - f[i - 1]) / self.step_m(),
        };
        let sheet = |(i, part): (usize, &Part)| Sheet {
            axis_m: self.axis_m,
            radius_m: self.radius_m,
            from_m: part.from_m,
            to_m: part.to_m,
            density_a_m: density(i),
        };
        parts.iter().enumerate().map(sheet).collect()
    }

    /// Charge densities of the parts from the magnetisation at the nodes.
    fn charge_matrix(&self) -> DMatrix<f64> {
        let slope = self.radius_m / 2.0 / self.step_m();
        DMatrix::from_fn(PARTS, NODES, |part, node| match part {
            0 => -f64::from(u8::from(node == 0)),
            _ if part == PARTS - 1 => f64::from(u8::from(node == NODES - 1)),
            _ if node == part => -slope,
            _ if node + 1 == part => slope,
            _ => 0.0,
        })
    }

    /// Adds ∫M·M′ dV over the nodes, `weight` times, to the block that starts at `first`.
    fn add_overlap(&self, weight: f64, into: &mut DMatrix<f64>, first: usize) {
        let step = self.step_m();
        let area = PI * self.radius_m * self.radius_m;
        let axial = weight * area * step;
        let radial = weight * area * self.radius_m * self.radius_m / 8.0 / step;
        for a in first..first + INTERVALS {
            let b = a + 1;
            into[(a, a)] += axial / 3.0 + radial;
            into[(b, b)] += axial / 3.0 + radial;
            into[(a, b)] += axial / 6.0 - radial;
            into[(b, a)] += axial / 6.0 - radial;
        }
    }
}

/// Mean of 1/(4πd) over two coaxial rings of radii `a` and `b`, `z` apart, 1/m.
pub(super) fn ring_ring(a: f64, b: f64, z: f64) -> f64 {
    let sum_sq = (a + b) * (a + b) + z * z;
    let m = (4.0 * a * b / sum_sq).min(1.0 - 1e-15);
    elliptic_k(m) / (2.0 * PI * PI * sum_sq.sqrt())
}

/// Coulomb energies between the parts of one rod, m³.
fn own_energies(rod: &Rod) -> DMatrix<f64> {
    let (r, step) = (rod.radius_m, rod.step_m());
    let rule = gauss(6);
    // Bands: the double integral over two heights is one over their difference with a triangle's weight.
    let ring_area = 2.0 * PI * r;
    let band: Vec<f64> = (0..INTERVALS)
        .map(|apart| {
            let apart = apart as f64 * step;
            let half = |sign: f64| -> f64 {
                // Nodes crowd to where the rings come closest, where the kernel is like a logarithm.
                rule.iter()
                    .map(|(v, w)| {
                        let t = if sign < 0.0 { 1.0 - v * v } else { v * v };
                        w * 2.0 * v * (1.0 - t) * ring_ring(r, r, apart + sign * t * step)
                    })
                    .sum::<f64>()
            };
            ring_area * ring_area * step * step * (half(1.0) + half(-1.0))
        })
        .collect();
    // Disc and band whose nearer edge is `gap` away.
    let disc_band = |gap: f64| -> f64 {
        let mut sum = 0.0;
        for (u, wu) in &rule {
            let a = r * (1.0 - u * u);
            for (v, wv) in &rule {
                let z = gap + v * v * step;
                sum += wu * 2.0 * u * r * 2.0 * PI * a * wv * 2.0 * v * step * ring_area * ring_ring(a, r, z);
            }
        }
        sum
    };
    let to_band: Vec<f64> = (0..INTERVALS).map(|i| disc_band(i as f64 * step)).collect();
    let area = PI * r * r;
    // The mean inverse distance of two points in a disc is 16/(3πR).
    let disc_self = area * area * 16.0 / (3.0 * PI * r) / (4.0 * PI);
    let mut disc_disc = 0.0;
    for (u, wu) in &rule {
        for (v, wv) in &rule {
            disc_disc += wu
                * wv
                * r
                * r
                * (2.0 * PI * u * r)
                * (2.0 * PI * v * r)
                * ring_ring(u * r, v * r, rod.length_m);
        }
    }
    DMatrix::from_fn(PARTS, PARTS, |i, j| {
        let (low, high) = (i.min(j), i.max(j));
        match (low, high) {
            (0, 0) => disc_self,
            (0, h) if h == PARTS - 1 => disc_disc,
            (l, _) if l == PARTS - 1 => disc_self,
            (0, h) => to_band[h - 1],
            (l, h) if h == PARTS - 1 => to_band[INTERVALS - l],
            (l, h) => band[h - l],
        }
    })
}

/// The `order`th derivative of 1/√(D² + t²) by t, from −2 (second antiderivative) to 4.
pub(super) fn inverse_distance(order: i32, t: f64, lateral: f64) -> f64 {
    let d2 = lateral * lateral;
    let s2 = d2 + t * t;
    let s = s2.sqrt();
    match order {
        -2 => t * (t / lateral).asinh() - s,
        -1 => (t / lateral).asinh(),
        0 => 1.0 / s,
        1 => -t / (s2 * s),
        2 => (2.0 * t * t - d2) / (s2 * s2 * s),
        3 => (9.0 * d2 * t - 6.0 * t.powi(3)) / (s2.powi(3) * s),
        _ => (24.0 * t.powi(4) - 72.0 * t * t * d2 + 9.0 * d2 * d2) / (s2.powi(4) * s),
    }
}

/// Coulomb energy between parts of two rods whose axes are `lateral` apart, m³: averages of 1/d over
/// rings as a series in the rings' radii, exact in height, to the fourth order in radius over distance.
fn energy_apart(a: &Part, b: &Part, lateral: f64) -> f64 {
    let mean = |order: i32| {
        let f = |extra: i32, t: f64| inverse_distance(order + extra, t, lateral);
        match (a.to_m > a.from_m, b.to_m > b.from_m) {
            (false, false) => f(0, a.from_m - b.from_m),
            (true, false) => (f(-1, a.to_m - b.from_m) - f(-1, a.from_m - b.from_m)) / (a.to_m - a.from_m),
            (false, true) => (f(-1, b.to_m - a.from_m) - f(-1, b.from_m - a.from_m)) / (b.to_m - b.from_m),
            (true, true) => {
                (f(-2, a.to_m - b.from_m) - f(-2, a.to_m - b.to_m) - f(-2, a.from_m - b.from_m)
                    + f(-2, a.from_m - b.to_m))
                    / ((a.to_m - a.from_m) * (b.to_m - b.from_m))
            }
        }
    };
    let second = -(a.square + b.square) / 4.0;
    let fourth = (a.fourth + b.fourth) / 64.0 + a.square * b.square / 16.0;
    a.area_m2 * b.area_m2 / (4.0 * PI) * (mean(0) + second * mean(2) + fourth * mean(4))
}

impl Rods {
    /// Works out how the rods act on themselves and on one another.
    #[must_use]
    pub fn new(rods: Vec<Rod>) -> Self {
        let size = rods.len() * NODES;
        let mut demagnetising = DMatrix::zeros(size, size);
        let mut known: Vec<(f64, f64, DMatrix<f64>)> = Vec::new();
        let mut pairs: Vec<([f64; 6], DMatrix<f64>)> = Vec::new();
        for (i, rod) in rods.iter().enumerate() {
            let to_charges = rod.charge_matrix();
            let same = |k: &&(f64, f64, DMatrix<f64>)| {
                (k.0 - rod.radius_m).abs() < 1e-9 && (k.1 - rod.length_m).abs() < 1e-9
            };
            let own = if let Some(found) = known.iter().find(same) {
                found.2.clone()
            } else {
                let made = to_charges.transpose() * own_energies(rod) * &to_charges;
                known.push((rod.radius_m, rod.length_m, made.clone()));
                made
            };
            demagnetising.view_mut((i * NODES, i * NODES), (NODES, NODES)).copy_from(&own);
            for (j, other) in rods[..i].iter().enumerate() {
                let lateral =
                    (rod.axis_m.0 - other.axis_m.0).hypot(rod.axis_m.1 - other.axis_m.1).max(rod.radius_m);
                let key = [
                    lateral,
                    rod.bottom_m - other.bottom_m,
                    rod.radius_m,
                    rod.length_m,
                    other.radius_m,
                    other.length_m,
                ];
                // In an even row most pairs stand alike.
                let same =
                    |k: &&([f64; 6], DMatrix<f64>)| k.0.iter().zip(&key).all(|(a, b)| (a - b).abs() < 1e-9);
                let block = if let Some(found) = pairs.iter().find(same) {
                    found.1.clone()
                } else {
                    let (parts, theirs) = (rod.parts(), other.parts());
                    let energies =
                        DMatrix::from_fn(PARTS, PARTS, |p, q| energy_apart(&parts[p], &theirs[q], lateral));
                    let made = to_charges.transpose() * energies * other.charge_matrix();
                    pairs.push((key, made.clone()));
                    made
                };
                demagnetising.view_mut((j * NODES, i * NODES), (NODES, NODES)).copy_from(&block.transpose());
                demagnetising.view_mut((i * NODES, j * NODES), (NODES, NODES)).copy_from(&block);
            }
        }
        Self { rods, demagnetising }
    }

    /// The rods, in the order of the nodes.
    #[must_use]
    pub fn rods(&self) -> &[Rod] {
        &self.rods
    }

    /// Charges that one ampere in the winding induces on the rods, and the inductance that they add, H.
    ///
    /// ΔL = (μ₀/I²)·∫M·H_coil dV by reciprocity. With no permeable rod both are zero.
    #[must_use]
    pub fn induced_by(&self, winding: &Winding) -> (Vec<Sheet>, f64) {
        let drive = self.drive(winding);
        let mut system = self.demagnetising.clone();
        for (i, rod) in self.rods.iter().enumerate() {
            let inverse_chi = 1.0 / (rod.mu_r - 1.0).max(1e-6);
            rod.add_overlap(inverse_chi, &mut system, i * NODES);
        }
        // Symmetric and positive by construction; a failure would mean degenerate rods.
        let Some(solver) = system.cholesky() else { return (Vec::new(), 0.0) };
        let nodes = solver.solve(&drive);
        let gain = MU_0 * drive.dot(&nodes);
        let sheets = self.rods.iter().zip(nodes.as_slice().chunks(NODES));
        (sheets.flat_map(|(rod, f)| rod.sheets(f)).collect(), gain)
    }

    /// ∫H_coil·M′ dV of every node's hat function, A·m² per ampere.
    fn drive(&self, winding: &Winding) -> Nodes {
        let heights = gauss(2);
        // Four points per disc at R/√2: exact for cubics, and the field is harmonic.
        // A row that stands on the coil's own axis sees the same field on both sides of it: two will do.
        let on_axis = self.rods.iter().all(|r| (r.axis_m.1 - winding.center_m.1).abs() < 1e-9);
        let ring: Vec<(f64, f64)> = (0..if on_axis { 2 } else { 4 })
            .map(|k| {
                let angle = PI / 4.0 + PI / 2.0 * f64::from(k);
                (angle.cos() / 2f64.sqrt(), angle.sin() / 2f64.sqrt())
            })
            .collect();
        let mut points = Vec::with_capacity(self.rods.len() * INTERVALS * heights.len() * ring.len());
        for rod in &self.rods {
            for interval in 0..INTERVALS {
                for (t, _) in &heights {
                    let z = rod.bottom_m + (interval as f64 + t) * rod.step_m();
                    for (c, s) in &ring {
                        points.push([rod.axis_m.0 + rod.radius_m * c, rod.axis_m.1 + rod.radius_m * s, z]);
                    }
                }
            }
        }
        let field = winding.field_at(&points);
        let mut drive = DVector::zeros(self.rods.len() * NODES);
        let mut next = points.iter().zip(field);
        for (i, rod) in self.rods.iter().enumerate() {
            let volume = PI * rod.radius_m * rod.radius_m * rod.step_m() / ring.len() as f64;
            for interval in 0..INTERVALS {
                for (t, w) in &heights {
                    for _ in &ring {
                        let Some((p, b)) = next.next() else { break };
                        let radial = (p[0] - rod.axis_m.0) * b[0] + (p[1] - rod.axis_m.1) * b[1];
                        let slope = radial / (2.0 * rod.step_m());
                        let weight = w * volume / MU_0;
                        drive[i * NODES + interval] += weight * (b[2] * (1.0 - t) + slope);
                        drive[i * NODES + interval + 1] += weight * (b[2] * t - slope);
                    }
                }
            }
        }
        drive
    }
}
