//! Coulomb energies between the surfaces of two upright rods, side by side.
//!
//! Averages of 1/d over rings as a series in the rings' radii, to the fourth order in radius over distance, exact in height: the
//! edges of all surfaces lie at a few heights, between which everything is worked out once.

use super::patch::{Patch, Shape};
use nalgebra::DMatrix;
use std::f64::consts::PI;

/// Energies between the surfaces of two rods whose axes are `lateral` apart, m, with the share `dy` of it along y, m³.
///
/// A rod magnetised across is a line of dipoles to the other: its energy is the slope along y of what its length has with the other's
/// charge.
pub(super) fn energies(here: &[Patch], there: &[Patch], lateral: f64, dy: f64) -> DMatrix<f64> {
    let (a, b) = (Surfaces::new(here), Surfaces::new(there));
    let at = |lateral: f64| Between::new(&a.heights_m, &b.heights_m, lateral);
    let step = 0.02 * lateral;
    let middle = at(lateral);
    let is_across = |patch: &Patch| matches!(patch.shape, Shape::CosineBand { .. });
    let beside = here.iter().chain(there).any(is_across).then(|| [at(lateral + step), at(lateral - step)]);
    DMatrix::from_fn(here.len(), there.len(), |i, j| {
        let (p, q) = (&here[i], &there[j]);
        let mean = |between: &Between| between.mean(&a.of_patches[i], &b.of_patches[j]) / (4.0 * PI);
        let Some([far, near]) = &beside else {
            return p.area_m2() * q.area_m2() * mean(&middle);
        };
        let slope = || (mean(far) - mean(near)) / (2.0 * step);
        match (is_across(p), is_across(q)) {
            (false, false) => p.area_m2() * q.area_m2() * mean(&middle),
            (true, false) => p.volume_m3() * q.area_m2() * slope() * dy,
            (false, true) => -p.area_m2() * q.volume_m3() * slope() * dy,
            (true, true) => {
                let bent = (mean(far) - 2.0 * mean(&middle) + mean(near)) / (step * step);
                -p.volume_m3() * q.volume_m3() * (bent * dy * dy + slope() / lateral * (1.0 - dy * dy))
            }
        }
    })
}

/// The surfaces of a rod by the heights of their edges.
struct Surfaces {
    /// All heights, m.
    heights_m: Vec<f64>,
    of_patches: Vec<Surface>,
}

/// A disc, or a side between two heights.
struct Surface {
    /// Places of the lower and of the upper edge among the heights.
    edges: (usize, usize),
    /// From the one to the other, m; nothing for a disc.
    high_m: f64,
    /// Mean square, m², and mean fourth power, m⁴, of the distance from the axis.
    square_m2: f64,
    fourth_m4: f64,
}

impl Surfaces {
    fn new(patches: &[Patch]) -> Self {
        let mut heights_m: Vec<f64> = Vec::new();
        // Edges that meet are at one height.
        let mut place_of = |z: f64| {
            heights_m.iter().position(|known| (known - z).abs() < 1e-12).unwrap_or_else(|| {
                heights_m.push(z);
                heights_m.len() - 1
            })
        };
        let mut of = |patch: &Patch| {
            let z = patch.center_m[2];
            let (half_m, square_m2, fourth_m4) = match patch.shape {
                Shape::Disc { radius_m: r } => (0.0, r * r / 2.0, r.powi(4) / 3.0),
                Shape::Band { radius_m: r, half_m } => (half_m, r * r, r.powi(4)),
                // A line of dipoles on its axis.
                Shape::CosineBand { half_m, .. } => (half_m, 0.0, 0.0),
                Shape::Rectangle { .. } => (0.0, 0.0, 0.0),
            };
            let edges = (place_of(z - half_m), place_of(z + half_m));
            Surface { edges, high_m: 2.0 * half_m, square_m2, fourth_m4 }
        };
        let of_patches = patches.iter().map(&mut of).collect();
        Self { heights_m, of_patches }
    }
}

/// The derivatives of 1/√(D² + t²) by t, from the second antiderivative to the fourth derivative, with t from every height of
/// one rod to every one of another.
struct Between(DMatrix<[f64; 7]>);

impl Between {
    fn new(here_m: &[f64], there_m: &[f64], lateral: f64) -> Self {
        Self(DMatrix::from_fn(here_m.len(), there_m.len(), |i, j| {
            derivatives(here_m[i] - there_m[j], lateral)
        }))
    }

    /// Mean of 1/d between two surfaces, 1/m.
    fn mean(&self, a: &Surface, b: &Surface) -> f64 {
        let ((a0, a1), (b0, b1)) = (a.edges, b.edges);
        let (p, q) = (&self.0[(a0, b0)], &self.0[(a1, b1)]);
        let (r, s) = (&self.0[(a0, b1)], &self.0[(a1, b0)]);
        // Where a surface is a side, the mean over its height is a difference of antiderivatives.
        let mean = |order: usize| match (a.high_m > 0.0, b.high_m > 0.0) {
            (false, false) => p[order + 2],
            (true, false) => (s[order + 1] - p[order + 1]) / a.high_m,
            (false, true) => (p[order + 1] - r[order + 1]) / b.high_m,
            (true, true) => (s[order] - q[order] - p[order] + r[order]) / (a.high_m * b.high_m),
        };
        let second = -(a.square_m2 + b.square_m2) / 4.0;
        let fourth = (a.fourth_m4 + b.fourth_m4) / 64.0 + a.square_m2 * b.square_m2 / 16.0;
        mean(0) + second * mean(2) + fourth * mean(4)
    }
}

fn derivatives(t: f64, lateral: f64) -> [f64; 7] {
    let d2 = lateral * lateral;
    let t2 = t * t;
    let s2 = d2 + t2;
    let s = s2.sqrt();
    let first = (t / lateral).asinh();
    let inverse = 1.0 / s;
    let (by_3, by_2) = (inverse / s2, 1.0 / s2);
    [
        t * first - s,
        first,
        inverse,
        -t * by_3,
        (2.0 * t2 - d2) * by_3 * by_2,
        (9.0 * d2 - 6.0 * t2) * t * by_3 * by_2 * by_2,
        (24.0 * t2 * t2 - 72.0 * t2 * d2 + 9.0 * d2 * d2) * by_3 * by_2 * by_2 * by_2,
    ]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::numeric::gauss;
    use rstest::rstest;

    /// Every derivative against the difference quotient of the one before it.
    #[test]
    fn each_is_the_slope_of_the_one_before() {
        for (t, lateral) in [(0.003, 0.01), (-0.012, 0.008), (0.0, 0.02)] {
            let step = 1e-5 * lateral;
            let (up, down, here) =
                (derivatives(t + step, lateral), derivatives(t - step, lateral), derivatives(t, lateral));
            for k in 0..6 {
                let slope = (up[k] - down[k]) / (2.0 * step);
                let size = here[k + 1].abs() + here[k].abs() / lateral;
                assert!((slope - here[k + 1]).abs() < 1e-6 * size, "{k}: {slope} {}", here[k + 1]);
            }
        }
    }

    /// Points over a surface with their shares.
    fn points(patch: &Patch) -> Vec<([f64; 3], f64)> {
        let mut all = Vec::new();
        let mut ring = |radius_m: f64, z: f64, share: f64| {
            for k in 0..32 {
                let (sin, cos) = (2.0 * PI * f64::from(k) / 32.0).sin_cos();
                let [x, y, _] = patch.center_m;
                all.push(([x + radius_m * cos, y + radius_m * sin, z], share / 32.0));
            }
        };
        let z = patch.center_m[2];
        for (t, w) in gauss(8) {
            match patch.shape {
                Shape::Disc { radius_m } => ring(radius_m * t, z, w * 2.0 * t),
                Shape::Band { radius_m, half_m } => ring(radius_m, z + half_m * (2.0 * t - 1.0), w),
                _ => {}
            }
        }
        all
    }

    /// Discs and sides against the sum over their points.
    #[rstest]
    fn energies_are_those_of_their_points(#[values(0.009, 0.02)] lateral: f64) {
        let disc = |x: f64, z: f64| Patch { center_m: [x, 0.0, z], shape: Shape::Disc { radius_m: 0.0024 } };
        let band = |x: f64, z: f64| Patch {
            center_m: [x, 0.0, z],
            shape: Shape::Band { radius_m: 0.0024, half_m: 0.002 },
        };
        let here = [disc(0.0, 0.0), band(0.0, 0.002), disc(0.0, 0.004)];
        let there = [disc(lateral, 0.001), band(lateral, 0.003)];
        let found = energies(&here, &there, lateral, 0.0);
        for (i, a) in here.iter().enumerate() {
            for (j, b) in there.iter().enumerate() {
                let mut mean = 0.0;
                for (p, share) in points(a) {
                    for (q, other) in points(b) {
                        let d = p.iter().zip(q).map(|(a, b)| (a - b).powi(2)).sum::<f64>().sqrt();
                        mean += share * other / (4.0 * PI * d);
                    }
                }
                let expected = mean * a.area_m2() * b.area_m2();
                assert!(
                    (found[(i, j)] / expected - 1.0).abs() < 2e-3,
                    "{i} {j}: {}",
                    found[(i, j)] / expected
                );
            }
        }
    }
}
