//! Inductance of air coils, by filament loops of their real outline.

mod field;
mod loops;

#[cfg(test)]
pub(crate) use field::off_the_origin;

use crate::former::Outline;
use crate::numeric::gauss;
use loops::{SIX, apart, concentric};
use std::f64::consts::PI;
use std::sync::LazyLock;
use wide::f64x4;

/// Permeability of vacuum, H/m.
pub const MU_0: f64 = 4e-7 * PI;

/// A coil as a window of evenly spread turns round an outline.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Winding {
    /// Outline of the innermost turn.
    pub core: Outline,
    /// Where the outline's centre is, x and y, m.
    pub center_m: (f64, f64),
    /// Lower and upper edge of the window, z, m.
    pub from_z_m: f64,
    /// Upper edge, m.
    pub to_z_m: f64,
    /// Thickness of the winding, m.
    pub build_m: f64,
    /// Number of turns.
    pub turns: f64,
}

impl Winding {
    /// Height of the window, m.
    #[must_use]
    pub fn height_m(&self) -> f64 {
        self.to_z_m - self.from_z_m
    }

    /// Inductance in air, H.
    ///
    /// L = μ₀/4π·(N/h)²·⟨∮∮ dl·dl′ K(d)⟩ over all pairs of radii, with the height integrated exactly:
    /// K(d) = 2[h·asinh(h/d) − √(h² + d²) + d] [Grover, ch. 1 and 2, Neumann]. Within 0.1 % of the
    /// references of `tests/validation`.
    ///
    /// ```
    /// use coil::former::Core;
    /// use coil::inductance::Winding;
    /// let winding = |turns| Winding {
    ///     core: Core::round(20.0).outline(),
    ///     center_m: (0.0, 0.0),
    ///     from_z_m: 0.0,
    ///     to_z_m: 0.010,
    ///     build_m: 0.004,
    ///     turns,
    /// };
    /// // Twice the turns in the same room, four times the inductance.
    /// let ratio = winding(4000.0).inductance_h() / winding(2000.0).inductance_h();
    /// assert!((ratio - 4.0).abs() < 1e-9);
    /// ```
    #[must_use]
    pub fn inductance_h(&self) -> f64 {
        self.self_inductance_h(&TRIPLE, &PAIR, &SIX)
    }

    /// As [`Self::inductance_h`] by a coarser rule, good to 4 %: for ratios, where the error falls out.
    #[must_use]
    pub fn rough_inductance_h(&self) -> f64 {
        self.self_inductance_h(&PAIR, &PAIR, &FOUR)
    }

    /// By rules for the difference of two radii, for the lower one, and along the turns.
    fn self_inductance_h(&self, apart: Rule, lower: Rule, round: Rule) -> f64 {
        let h = self.height_m();
        let height = f64x4::splat(h);
        let kernel = |d: f64x4| {
            let r = (height * height + d * d).sqrt();
            f64x4::splat(2.0) * (height * ((height + r) / d).ln() - r + d)
        };
        // Pairs of radii by their difference u and the lower one: f(u) is singular like ln u at 0, and
        // u = v² takes that out. Weight 2 for the mirrored half of the square.
        let mut sum = 0.0;
        for &(v, wv) in apart {
            let u = v * v;
            let weight_u = wv * 2.0 * v;
            for &(t, wt) in lower {
                let lower = t * (1.0 - u);
                let inner = self.core.offset(lower * self.build_m);
                let outer = self.core.offset((lower + u) * self.build_m);
                sum += 2.0 * weight_u * wt * (1.0 - u) * concentric(&inner, &outer, round, &kernel);
            }
        }
        MU_0 / (4.0 * PI) * (self.turns / h).powi(2) * sum
    }

    /// Mutual inductance with another winding, H; positive when both are wound the same way round.
    ///
    /// As [`Self::inductance_h`], with both heights integrated exactly: the second antiderivative of 1/√(d² + t²) is
    /// t·asinh(t/d) − √(t² + d²). The windows must not overlap; they may touch.
    ///
    /// ```
    /// use coil::former::Core;
    /// use coil::inductance::Winding;
    /// let at = |x_m| Winding {
    ///     core: Core::round(20.0).outline(),
    ///     center_m: (x_m, 0.0),
    ///     from_z_m: 0.0,
    ///     to_z_m: 0.010,
    ///     build_m: 0.004,
    ///     turns: 3000.0,
    /// };
    /// let (one, near, far) = (at(0.0), at(0.035), at(0.070));
    /// // The same from either side; beside one another, opposed; and less with distance.
    /// assert!((one.mutual_h(&near) / near.mutual_h(&one) - 1.0).abs() < 1e-3);
    /// assert!(one.mutual_h(&near) < one.mutual_h(&far) && one.mutual_h(&far) < 0.0);
    /// ```
    #[must_use]
    pub fn mutual_h(&self, other: &Self) -> f64 {
        self.mutual_inductance_h(other, true)
    }

    fn mutual_inductance_h(&self, other: &Self, fine: bool) -> f64 {
        let (a, b) = (self, other);
        let twice = |t: f64, d: f64x4| {
            let t = f64x4::splat(t.abs());
            let r = (t * t + d * d).sqrt();
            t * ((t + r) / d).ln() - r
        };
        let kernel = |d: f64x4| {
            twice(a.to_z_m - b.from_z_m, d) + twice(a.from_z_m - b.to_z_m, d)
                - twice(a.to_z_m - b.to_z_m, d)
                - twice(a.from_z_m - b.from_z_m, d)
        };
        let together = (a.center_m.0 - b.center_m.0).hypot(a.center_m.1 - b.center_m.1) < 1e-9;
        let rule = if together && fine { &*TRIPLE } else { &*PAIR };
        let mut sum = 0.0;
        for (s, ws) in rule {
            for (t, wt) in rule {
                let first = a.core.offset(s * a.build_m);
                let second = b.core.offset(t * b.build_m);
                sum += ws
                    * wt
                    * if together {
                        concentric(&first, &second, if fine { &SIX } else { &FOUR }, &kernel)
                    } else {
                        apart((&first, a.center_m), (&second, b.center_m), &kernel)
                    };
            }
        }
        MU_0 / (4.0 * PI) * a.turns * b.turns / (a.height_m() * b.height_m()) * sum
    }
}

/// Nodes and weights on 0…1.
type Rule<'a> = &'a [(f64, f64)];

static FOUR: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(4));
static PAIR: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(2));
static TRIPLE: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(3));

/// Inductance of one coil whose window is cut into zones of equal height that touch, H: the even window's, times the
/// ratio that a coarser rule finds between the zones as they are and as they would be if they were alike.
#[must_use]
pub fn inductance_of_zones(whole: &Winding, zones: &[Winding]) -> f64 {
    if zones.len() < 2 {
        return whole.inductance_h();
    }
    let alike: Vec<Winding> = zones
        .iter()
        .map(|z| Winding { build_m: whole.build_m, turns: whole.turns / zones.len() as f64, ..*z })
        .collect();
    let rough = |zones: &[Winding]| {
        let mut sum = 0.0;
        for (i, zone) in zones.iter().enumerate() {
            sum += zone.rough_inductance_h();
            sum += zones[..i].iter().map(|other| 2.0 * zone.mutual_inductance_h(other, false)).sum::<f64>();
        }
        sum
    };
    whole.inductance_h() * rough(zones) / rough(&alike)
}

/// Flux density per ampere of all zones at many points, T/A.
#[must_use]
pub fn field_of_zones(zones: &[Winding], points_m: &[[f64; 3]]) -> Vec<[f64; 3]> {
    let mut total = vec![[0.0; 3]; points_m.len()];
    for zone in zones {
        for (sum, part) in total.iter_mut().zip(zone.field_at(points_m)) {
            for (s, p) in sum.iter_mut().zip(part) {
                *s += p;
            }
        }
    }
    total
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::former::Core;
    use crate::numeric::elliptic_ke;

    fn round(radius_m: f64, height_m: f64, build_m: f64, turns: f64) -> Winding {
        Winding {
            core: Core::round(2e3 * radius_m).outline(),
            center_m: (0.0, 0.0),
            from_z_m: -height_m / 2.0,
            to_z_m: height_m / 2.0,
            build_m,
            turns,
        }
    }

    /// Maxwell's formula for the mutual inductance of two coaxial circles, by elliptic integrals
    /// (A Treatise on Electricity and Magnetism, vol. 2, §701; Rosa & Grover, eq. 1).
    #[test]
    fn coaxial_circles_agree_with_maxwell() {
        let maxwell = |a: f64, b: f64, z: f64| {
            let k_sq = 4.0 * a * b / ((a + b).powi(2) + z * z);
            let (k, e) = elliptic_ke(k_sq);
            MU_0 * (a * b).sqrt() / k_sq.sqrt() * ((2.0 - k_sq) * k - 2.0 * e)
        };
        for (a, b, z) in [(0.02, 0.025, 0.01), (0.02, 0.02, 0.002), (0.03, 0.01, 0.03), (0.02, 0.0205, 0.0)] {
            let (first, second) = (Core::round(2e3 * a).outline(), Core::round(2e3 * b).outline());
            let neumann = MU_0 / (4.0 * PI)
                * concentric(&first, &second, &gauss(8), &|d: f64x4| {
                    f64x4::ONE / (d * d + f64x4::splat(z * z)).sqrt()
                });
            assert!((neumann / maxwell(a, b, z) - 1.0).abs() < 2e-4, "a {a} b {b} z {z}");
        }
    }

    /// H. A. Wheeler, Simple Inductance Formulas for Radio Coils, Proc. IRE 16 (1928): single layer
    /// L[µH] = a²N²/(9a + 10b), inches, good to 1 % for b > 0.8 a; many layers
    /// L = 0.8 a²N²/(6a + 9b + 10c), a the mean radius, about 1 % when the three terms are alike.
    #[test]
    fn round_coils_agree_with_wheeler() {
        let inch = 0.0254;
        let (a, b, n) = (1.0, 2.0, 100.0);
        let single = round(a * inch, b * inch, 1e-6, n).inductance_h();
        assert!((single / (a * a * n * n / (9.0 * a + 10.0 * b) * 1e-6) - 1.0).abs() < 0.01);
        let (a, b, c, n) = (1.0, 0.65, 0.6, 1000.0);
        let many = round((a - c / 2.0) * inch, b * inch, c * inch, n).inductance_h();
        assert!((many / (0.8 * a * a * n * n / (6.0 * a + 9.0 * b + 10.0 * c) * 1e-6) - 1.0).abs() < 0.02);
    }

    /// Brooks's coil, the squarest: mean radius 1.5 times the side of its square section,
    /// L = 1.6994 µH/m · R · N² (Grover, Inductance Calculations, ch. 13).
    #[test]
    fn brooks_coil() {
        let side = 0.01;
        let coil = round(side, side, side, 500.0);
        let grover = 1.6994e-6 * 1.5 * side * 500.0 * 500.0;
        assert!((coil.inductance_h() / grover - 1.0).abs() < 1e-3);
    }

    /// On the axis of a thin sheet solenoid B = μ₀N/(2h)·(cos θ₁ + cos θ₂) per ampere (any textbook).
    #[test]
    fn field_on_the_axis_of_a_solenoid() {
        let (r, h, n) = (0.01, 0.02, 1000.0);
        let coil = round(r, h, 1e-9, n);
        for z in [0.0, 0.005, 0.012, 0.03] {
            let end = |edge: f64| (z - edge) / (z - edge).hypot(r);
            let axis = MU_0 * n / (2.0 * h) * (end(-h / 2.0) - end(h / 2.0));
            let b = coil.field([0.0, 0.0, z]);
            assert!((b[2] / axis - 1.0).abs() < 1e-5, "z {z}: {} against {axis}", b[2]);
            assert!(b[0].abs() + b[1].abs() < 1e-9 * axis.abs().max(1e-3));
        }
    }

    /// The field of a stadium must be free of sources: its divergence, by differences, vanishes.
    #[test]
    fn field_has_no_sources_and_no_current_outside() {
        let coil =
            Winding { core: Core::stadium(57.0, 5.0).outline(), ..round(0.0025, 0.011, 0.004, 7000.0) };
        let at = [0.004, 0.0007, 0.003];
        let h = 1e-5;
        let slope = |of: usize, by: usize| {
            let (mut up, mut down) = (at, at);
            up[by] += h;
            down[by] -= h;
            (coil.field(up)[of] - coil.field(down)[of]) / (2.0 * h)
        };
        let scale = coil.field(at)[2].abs() / 1e-3;
        assert!((slope(0, 0) + slope(1, 1) + slope(2, 2)).abs() < 1e-3 * scale);
        assert!((slope(0, 2) - slope(2, 0)).abs() < 1e-3 * scale);
        assert!((slope(1, 2) - slope(2, 1)).abs() < 1e-3 * scale);
    }
}
