//! A steel string over the poles: a thin-wire integral equation along it.
//!
//! A string is magnetised mostly along itself, and that part carries nine tenths and more of the flux it sends
//! through a coil. Along the string M is linear between nodes; its charges sit on the string's surface; the field
//! of poles and of those charges drives the steel's own law, which saturates. What lies across the string is
//! added: a thin cylinder's answer to a field across it.

use crate::factor::Factor;
use crate::inductance::MU_0;
use crate::numeric::gauss;
use nalgebra::{DMatrix, DVector};
use std::f64::consts::PI;
use std::sync::LazyLock;

/// A string's steel: anhysteretic, from its first permeability to saturation.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Steel {
    /// Relative permeability at low field.
    pub mu_r: f64,
    /// Saturation of the magnetisation, T.
    pub saturation_t: f64,
}

impl Default for Steel {
    /// Music wire (from memory).
    fn default() -> Self {
        Self { mu_r: 100.0, saturation_t: 1.8 }
    }
}

impl Steel {
    /// Field strength at a magnetisation, and its slope: M = χH/(1 + χ|H|/Ms), Fröhlich's curve [Bozorth].
    fn field_at(self, m: f64) -> (f64, f64) {
        let chi = self.mu_r - 1.0;
        let left = 1.0 - (m.abs() * MU_0 / self.saturation_t).min(0.9999);
        (m / chi / left, 1.0 / chi / (left * left))
    }
}

/// A field along a string that lies along y, at the points of [`Linkage::points`], and its change with height.
#[derive(Clone, Debug)]
pub struct Along {
    /// Flux densities, T; of a coil per ampere.
    pub field: Vec<[f64; 3]>,
    /// Their change with height, T/m.
    pub by_m: Vec<[f64; 3]>,
}

/// The points of a string: nodes along y and the points between them.
#[derive(Clone, Debug)]
pub struct Linkage {
    nodes_m: Vec<f64>,
    radius_m: f64,
    /// N: energies of the nodes' charges, m³.
    charges: DMatrix<f64>,
}

/// Half the length of string that counts, m.
const REACH_M: f64 = 0.045;
/// Nodes on each side of the middle.
const HALF: usize = 13;

/// Points between two nodes.
const BETWEEN: usize = 1;
static RULE: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(BETWEEN));

impl Linkage {
    /// A string of core radius `radius_m` whose poles stand between `from_m` and `to_m` along y: nodes are dense
    /// there and thin out beyond.
    #[must_use]
    pub fn new(radius_m: f64, from_m: f64, to_m: f64) -> Self {
        let middle = 0.5 * (from_m + to_m);
        let half = 0.5 * (to_m - from_m);
        let place = |k: usize| {
            let t = k as f64 / HALF as f64;
            // Even over the poles, then growing.
            let dense = half + 0.008;
            let (share, rest) = (0.6, 0.4);
            if t <= share {
                dense * t / share
            } else {
                let u = (t - share) / rest;
                let slope = dense / share * rest;
                dense + slope * u + (REACH_M + half - dense - slope) * u * u
            }
        };
        let mut nodes_m: Vec<f64> = (1..=HALF).rev().map(|k| middle - place(k)).collect();
        nodes_m.extend((0..=HALF).map(|k| middle + place(k)));
        let charges = charges(&nodes_m, radius_m);
        Self { nodes_m, radius_m, charges }
    }

    /// Where the fields have to be known, along y, m.
    #[must_use]
    pub fn points(&self) -> Vec<f64> {
        let pairs = self.nodes_m.windows(2);
        pairs.flat_map(|p| RULE.iter().map(|(t, _)| p[0] + t * (p[1] - p[0]))).collect()
    }

    fn section_m2(&self) -> f64 {
        PI * self.radius_m * self.radius_m
    }

    /// Volume that falls to every point, m³.
    fn weights(&self) -> impl Iterator<Item = f64> + '_ {
        let pairs = self.nodes_m.windows(2);
        pairs.flat_map(move |p| RULE.iter().map(move |(_, w)| self.section_m2() * w * (p[1] - p[0])))
    }

    /// A quantity of the inner nodes, at the points between all of them.
    fn at_points(&self, of_nodes: &DVector<f64>) -> Vec<f64> {
        let at = |node: usize| if node == 0 || node > of_nodes.len() { 0.0 } else { of_nodes[node - 1] };
        let pieces = 0..self.nodes_m.len() - 1;
        let points = |piece: usize| RULE.iter().map(move |(t, _)| at(piece) * (1.0 - t) + at(piece + 1) * t);
        pieces.flat_map(points).collect()
    }

    /// Magnetic charge of each piece, −S·(change of the magnetisation over it).
    fn charges_of(&self, of_nodes: &DVector<f64>) -> Vec<f64> {
        let at = |node: usize| if node == 0 || node > of_nodes.len() { 0.0 } else { of_nodes[node - 1] };
        (0..self.nodes_m.len() - 1).map(|i| -self.section_m2() * (at(i + 1) - at(i))).collect()
    }

    /// ∫ value·φ dy·S over every inner node's hat.
    fn against(&self, values: impl Fn(usize) -> f64) -> DVector<f64> {
        let mut sum = DVector::zeros(self.nodes_m.len());
        for (i, pair) in self.nodes_m.windows(2).enumerate() {
            for (j, (t, w)) in RULE.iter().enumerate() {
                let weight = self.section_m2() * w * (pair[1] - pair[0]) * values(BETWEEN * i + j);
                sum[i] += weight * (1.0 - t);
                sum[i + 1] += weight * t;
            }
        }
        sum.rows(1, self.nodes_m.len() - 2).into_owned()
    }

    /// Magnetisation at the inner nodes, A/m, and the factor of the slope there.
    fn magnetise(
        &self,
        steel: Steel,
        along: &[[f64; 3]],
        near: Option<&DVector<f64>>,
    ) -> (DVector<f64>, Option<Factor>) {
        let inner = self.nodes_m.len() - 2;
        let drive = self.against(|p| along[p][1] / MU_0);
        let mut m = near.filter(|n| n.len() == inner).cloned().unwrap_or_else(|| DVector::zeros(inner));
        let mut last = None;
        let top = steel.saturation_t / MU_0;
        for _ in 0..60 {
            let mut residual = &self.charges * &m - &drive;
            let mut jacobian = self.charges.clone();
            for (i, pair) in self.nodes_m.windows(2).enumerate() {
                let step = pair[1] - pair[0];
                let at = |node: usize| if node == 0 || node > inner { 0.0 } else { m[node - 1] };
                for (t, w) in RULE.iter() {
                    let value = at(i) * (1.0 - t) + at(i + 1) * t;
                    let (h, slope) = steel.field_at(value);
                    let weight = self.section_m2() * w * step;
                    for (a, ca) in [(i, 1.0 - t), (i + 1, *t)] {
                        if a == 0 || a > inner {
                            continue;
                        }
                        residual[a - 1] += weight * h * ca;
                        for (b, cb) in [(i, 1.0 - t), (i + 1, *t)] {
                            if b > 0 && b <= inner {
                                jacobian[(a - 1, b - 1)] += weight * slope * ca * cb;
                            }
                        }
                    }
                }
            }
            let Some(solver) = Factor::try_new(jacobian) else { break };
            let step = solver.solve(residual.as_view());
            last = Some(solver);
            let largest = step.amax() / top;
            m -= &step * if largest > 0.4 { 0.4 / largest } else { 1.0 };
            if largest < 1e-5 {
                break;
            }
        }
        (m, last)
    }
}

/// A string as the poles magnetise it.
#[derive(Clone, Debug)]
pub struct Magnetisation<'a> {
    line: &'a Linkage,
    steel: Steel,
    poles: Along,
    /// Along the string at the inner nodes, A/m, and its change with height.
    along: DVector<f64>,
    along_by_m: DVector<f64>,
    /// The steel's slope at that magnetisation, factored; `None` where it could not be.
    factor: Option<Factor>,
}

impl Linkage {
    /// What poles of this field make of the string; `near` is a magnetisation to begin from, such as the string's
    /// beside it.
    #[must_use]
    pub fn magnetised(&self, steel: Steel, poles: Along, near: Option<&DVector<f64>>) -> Magnetisation<'_> {
        let (along, factor) = self.magnetise(steel, &poles.field, near);
        let along_by_m = factor.as_ref().map_or_else(
            || DVector::zeros(along.len()),
            |factor| factor.solve(self.against(|p| poles.by_m[p][1] / MU_0).as_view()),
        );
        Magnetisation { line: self, steel, poles, along, along_by_m, factor }
    }
}

impl Magnetisation<'_> {
    /// Magnetisation along the string at the inner nodes, A/m.
    #[must_use]
    pub fn along(&self) -> &DVector<f64> {
        &self.along
    }

    /// Magnetisation along the string at [`Linkage::points`] as a share of saturation, −1…1.
    #[must_use]
    pub fn saturation(&self) -> Vec<f64> {
        let top = self.steel.saturation_t / MU_0;
        self.line.at_points(&self.along).into_iter().map(|m| m / top).collect()
    }

    /// Flux linkage with a coil, Wb: λ = (1/I)·∫M·B_coil dV by reciprocity. `coil` is the field of one ampere in it, with
    /// what that induces in the poles.
    #[must_use]
    pub fn linkage(&self, coil: &Along) -> f64 {
        let line = self.line;
        let along = self.along.dot(&line.against(|p| coil.field[p][1]));
        let answer = self.across();
        let across = line.weights().enumerate().map(|(p, weight)| {
            let both = |axis: usize| self.poles.field[p][axis] * coil.field[p][axis];
            weight * answer * (both(0) + both(2))
        });
        along + across.sum::<f64>()
    }

    /// The aperture: how the flux linkage changes with the height of the string at each of [`Linkage::points`], Wb/m. Their
    /// sum is the change when the whole string moves.
    ///
    /// Where a piece moves it carries its magnetic charge through the coil's field, and what the poles' field does there to
    /// the charges of a string magnetised by the coil changes the magnetisation along all of the string.
    #[must_use]
    pub fn aperture(&self, coil: &Along) -> Vec<f64> {
        let line = self.line;
        let answer = self.across();
        let whole = self.along_linkage_by_m(coil);
        // What the coil's field weighs a change of drive by: the adjoint of the steel's slope.
        let weighing = self.factor.as_ref().map_or_else(
            || DVector::zeros(self.along.len()),
            |factor| factor.solve(line.against(|p| coil.field[p][1]).as_view()),
        );
        let (own, by_coil) = (line.charges_of(&self.along), line.charges_of(&weighing));
        let along: Vec<f64> = (0..own.len())
            .map(|p| own[p] * coil.field[p][2] + by_coil[p] * self.poles.field[p][2] / MU_0)
            .collect();
        // Charges between two nodes are taken at one place; the sum is known better.
        let sum: f64 = along.iter().sum();
        let scale = if sum * whole > 0.0 { (whole / sum).clamp(0.5, 2.0) } else { 1.0 };
        line.weights()
            .enumerate()
            .map(|(p, weight)| {
                let across = |axis: usize| {
                    self.poles.by_m[p][axis] * coil.field[p][axis]
                        + self.poles.field[p][axis] * coil.by_m[p][axis]
                };
                scale * along[p] + weight * answer * (across(0) + across(2))
            })
            .collect()
    }

    /// Change of the flux linkage with the height of the whole string, Wb/m.
    #[must_use]
    pub fn linkage_by_m(&self, coil: &Along) -> f64 {
        let answer = self.across();
        let across = self.line.weights().enumerate().map(|(p, weight)| {
            let both = |axis: usize| {
                self.poles.by_m[p][axis] * coil.field[p][axis]
                    + self.poles.field[p][axis] * coil.by_m[p][axis]
            };
            weight * answer * (both(0) + both(2))
        });
        self.along_linkage_by_m(coil) + across.sum::<f64>()
    }

    /// Pull of the poles on the string, N, and how it changes with height, N/m: F = ∫(M·∇)B dV. The change is that of
    /// magnetisation and field; the field's gradient is taken to fall off as the field itself does.
    #[must_use]
    pub fn pull(&self) -> (f64, f64) {
        let line = self.line;
        let slope = line.against(|p| self.poles.by_m[p][1]);
        let along = self.along.dot(&slope);
        let answer = self.across();
        let mut across = 0.0;
        let (mut squares, mut changes) = (1e-30, 0.0);
        for (p, weight) in line.weights().enumerate() {
            let (field, by_m) = (self.poles.field[p], self.poles.by_m[p]);
            across += weight * answer * (field[0] * by_m[0] + field[2] * by_m[2]);
            squares += weight * field.iter().map(|b| b * b).sum::<f64>();
            changes += weight * field.iter().zip(by_m).map(|(b, c)| b * c).sum::<f64>();
        }
        let falls = changes / squares;
        (along + across, self.along_by_m.dot(&slope) + falls * along + 2.0 * falls * across)
    }

    /// Point charges that stand for the string's magnetisation when it is lifted by `lift_m`: place along it and A·m.
    #[must_use]
    pub fn charges_lifted(&self, lift_m: f64) -> Vec<(f64, f64)> {
        let line = self.line;
        let lifted = &self.along + &self.along_by_m * lift_m;
        let places = line.nodes_m.windows(2).map(|p| 0.5 * (p[0] + p[1]));
        places.zip(line.charges_of(&lifted)).collect()
    }

    /// Flux linkage of those parts of the magnetisation that lie along the string, its change with height, Wb/m.
    #[must_use]
    pub fn along_linkage_by_m(&self, coil: &Along) -> f64 {
        let line = self.line;
        self.along.dot(&line.against(|p| coil.by_m[p][1]))
            + self.along_by_m.dot(&line.against(|p| coil.field[p][1]))
    }

    /// What a field along the string counts at [`Linkage::points`] lifted by `step_m` and then lowered by it, in their order: the
    /// weighted sum is [`Magnetisation::along_linkage_by_m`].
    #[must_use]
    pub fn lifted_weights(&self, step_m: f64) -> Vec<f64> {
        let line = self.line;
        let (m, by_m) = (line.at_points(&self.along), line.at_points(&self.along_by_m));
        let weights: Vec<f64> = line.weights().collect();
        let side = |sign: f64| {
            let (weights, m, by_m) = (&weights, &m, &by_m);
            (0..weights.len()).map(move |p| weights[p] * (sign * m[p] / (2.0 * step_m) + 0.5 * by_m[p]))
        };
        side(1.0).chain(side(-1.0)).collect()
    }

    /// Across the string a thin cylinder of high permeability takes M = 2H: magnetisation per flux density, A/(m·T).
    fn across(&self) -> f64 {
        let chi = self.steel.mu_r - 1.0;
        2.0 * chi / (chi + 2.0) / MU_0
    }
}

/// Energies of the charges of the inner nodes' hats, m³.
fn charges(nodes: &[f64], radius: f64) -> DMatrix<f64> {
    // The mean of ln d between two points of a ring is the logarithm of its radius, so that along the string
    // 1/√(t² + r²) stands for the mean inverse distance; its second antiderivative is closed.
    let twice = |t: f64| (t * (t / radius).asinh() - t.hypot(radius)) / (4.0 * PI);
    let count = nodes.len();
    let table = DMatrix::from_fn(count, count, |i, j| if i >= j { twice(nodes[i] - nodes[j]) } else { 0.0 });
    let at = |i: usize, j: usize| table[(i.max(j), i.min(j))];
    let section = PI * radius * radius;
    // Mean inverse distance of unit charges on two pieces.
    let pieces = DMatrix::from_fn(count - 1, count - 1, |i, j| {
        let sizes = (nodes[i + 1] - nodes[i]) * (nodes[j + 1] - nodes[j]);
        section * section * (at(i + 1, j) + at(i, j + 1) - at(i + 1, j + 1) - at(i, j)) / sizes
    });
    // A hat carries −1 on the piece before it and +1 on the piece after.
    DMatrix::from_fn(count - 2, count - 2, |a, b| {
        pieces[(a, b)] + pieces[(a + 1, b + 1)] - pieces[(a, b + 1)] - pieces[(a + 1, b)]
    })
}
