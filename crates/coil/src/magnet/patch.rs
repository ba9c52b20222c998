//! Charged surfaces: what magnetised parts look like from outside, and how they act on one another.

use super::moments::Moments;
use super::rectangle::{self, along};
use crate::inductance::MU_0;
use crate::numeric::{elliptic_k, gauss};
use std::f64::consts::PI;
use std::sync::LazyLock;
use wide::f64x4;

/// The shape of an evenly charged surface.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Shape {
    /// A disc across z.
    Disc {
        /// Radius, m.
        radius_m: f64,
    },
    /// The side of an upright cylinder.
    Band {
        /// Radius, m.
        radius_m: f64,
        /// Half its height, m.
        half_m: f64,
    },
    /// The side of an upright cylinder charged as the cosine of the angle from y: what a magnetisation along y leaves there.
    CosineBand {
        /// Radius, m.
        radius_m: f64,
        /// Half its height, m.
        half_m: f64,
    },
    /// A rectangle across an axis (0 is x, 1 is y, 2 is z).
    Rectangle {
        /// The axis that it lies across.
        across: usize,
        /// Half its sizes along the other two axes, in the order of the axes, m.
        half_m: [f64; 2],
    },
}

/// A surface that can carry an even charge.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Patch {
    /// Its middle, m.
    pub center_m: [f64; 3],
    /// Its shape.
    pub shape: Shape,
}

/// What a surface is from further off, with the square of the distance from which it is no more than that, m²; nothing for what is
/// magnetised across.
#[derive(Clone, Copy, Debug)]
pub(crate) struct FarField(pub(super) Option<(Moments, f64)>);

/// Patches with the charge density that one unknown puts on each.
pub(super) type Densities = Vec<(usize, f64)>;

/// A surface with its magnetic charge per area, A/m.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Charged {
    /// The surface.
    pub patch: Patch,
    /// Magnetic charge per area, A/m.
    pub density_a_m: f64,
}

/// Flux density of charged surfaces at a point off them, T.
#[must_use]
pub fn flux_density(charged: &[Charged], point_m: [f64; 3]) -> [f64; 3] {
    let mut total = [0.0; 3];
    for one in charged.iter().filter(|c| c.density_a_m != 0.0) {
        let field = one.patch.field(point_m);
        for (sum, part) in total.iter_mut().zip(field) {
            *sum += MU_0 * one.density_a_m * part;
        }
    }
    total
}

/// Surfaces further apart than this, in sums of their reaches, act as their moments; nearer than the other, by
/// many points. Finer limits move an inductance by less than 0.1 %.
const FAR: f64 = 1.5;
const NEAR: f64 = 0.5;

/// Points of a rule over a patch: place and share of its charge. There are so many pairs of patches that room is not asked for.
struct Points {
    all: [([f64; 3], f64); 16],
    count: usize,
}

impl Points {
    const fn none() -> Self {
        Self { all: [([0.0; 3], 0.0); 16], count: 0 }
    }

    fn push(&mut self, at_m: [f64; 3], share: f64) {
        self.all[self.count] = (at_m, share);
        self.count += 1;
    }

    fn iter(&self) -> impl Iterator<Item = &([f64; 3], f64)> {
        self.all[..self.count].iter()
    }
}

static RADIAL: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(4));
static PAIR: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(2));
static TRIPLE: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(3));
/// Cosines of the points of one half of a ring, by fours.
static HALF_RING: LazyLock<[f64x4; RING_POINTS / 8]> =
    LazyLock::new(|| ring_of(RING_POINTS).map(|(cos, _)| cos));
/// Cosines and sines of a ring of half as many points, by fours.
static SPARSE_RING: LazyLock<[(f64x4, f64x4); RING_POINTS / 8]> = LazyLock::new(|| ring_of(RING_POINTS / 2));

/// Cosines and sines of the first angles of a ring of `count` points, which is its own mirror image across x and y.
fn ring_of(count: usize) -> [(f64x4, f64x4); RING_POINTS / 8] {
    let angle = |k: usize| 2.0 * PI * (k as f64 + 0.5) / count as f64;
    std::array::from_fn(|four| {
        let of = |part: fn(f64) -> f64| f64x4::from(std::array::from_fn(|k| part(angle(4 * four + k))));
        (of(f64::cos), of(f64::sin))
    })
}

const RING_POINTS: usize = 24;

impl Patch {
    /// Area, m².
    #[must_use]
    pub fn area_m2(&self) -> f64 {
        match self.shape {
            Shape::Disc { radius_m } => PI * radius_m * radius_m,
            Shape::Band { radius_m, half_m } | Shape::CosineBand { radius_m, half_m } => {
                4.0 * PI * radius_m * half_m
            }
            Shape::Rectangle { half_m, .. } => 4.0 * half_m[0] * half_m[1],
        }
    }

    /// Mean squares of the distances from its middle along the axes, m².
    fn squares(&self) -> [f64; 3] {
        match self.shape {
            Shape::Disc { radius_m } => [radius_m * radius_m / 4.0, radius_m * radius_m / 4.0, 0.0],
            Shape::Band { radius_m, half_m } | Shape::CosineBand { radius_m, half_m } => {
                [radius_m * radius_m / 2.0, radius_m * radius_m / 2.0, half_m * half_m / 3.0]
            }
            Shape::Rectangle { across, half_m } => {
                let (u, v) = along(across);
                let mut squares = [0.0; 3];
                squares[u] = half_m[0] * half_m[0] / 3.0;
                squares[v] = half_m[1] * half_m[1] / 3.0;
                squares
            }
        }
    }

    /// Square of the radius of the ball round its middle that holds it, m².
    fn reach_sq_m2(&self) -> f64 {
        match self.shape {
            Shape::Disc { radius_m } => radius_m * radius_m,
            Shape::Band { radius_m, half_m } | Shape::CosineBand { radius_m, half_m } => {
                radius_m * radius_m + half_m * half_m
            }
            Shape::Rectangle { half_m, .. } => half_m[0] * half_m[0] + half_m[1] * half_m[1],
        }
    }

    /// What a cylinder magnetised along y is from outside: dipoles on its axis, at heights over its middle, m³ per
    /// magnetisation.
    fn dipoles(&self) -> impl Iterator<Item = (f64, f64)> {
        let (radius, half) = match self.shape {
            Shape::CosineBand { radius_m, half_m } => (radius_m, half_m),
            _ => (0.0, 0.0),
        };
        let volume = 2.0 * PI * radius * radius * half;
        TRIPLE.iter().map(move |(t, w)| (half * (2.0 * t - 1.0), w * volume))
    }

    /// What its charge is multiplied by in a mirror across y through its middle.
    pub(crate) const fn sign_across_y(&self) -> f64 {
        if matches!(self.shape, Shape::CosineBand { .. }) { -1.0 } else { 1.0 }
    }

    /// Volume within an upright cylinder's side, m³.
    pub(super) fn volume_m3(&self) -> f64 {
        self.dipoles().map(|(_, moment)| moment).sum()
    }

    /// From near the charges round the side themselves, from further off dipoles on the axis.
    fn field_of_across(&self, r: [f64; 3]) -> [f64; 3] {
        let Shape::CosineBand { radius_m, half_m } = self.shape else { return [0.0; 3] };
        if dot(r, r) > 9.0 * self.reach_sq_m2() {
            return self.field_of_dipoles(r);
        }
        let mut sum = [f64x4::ZERO; 3];
        for (t, w) in TRIPLE.iter() {
            let dz = r[2] - half_m * (2.0 * t - 1.0);
            for &(cos, sin) in &*SPARSE_RING {
                let (dx, dy) = (r[0] - cos * radius_m, r[1] - sin * radius_m);
                let d_sq = (dx * dx + dy * dy + dz * dz).max(f64x4::splat(1e-8));
                let by = sin * *w / (d_sq * d_sq.sqrt());
                for (s, d) in sum.iter_mut().zip([dx, dy, f64x4::splat(dz)]) {
                    *s += by * d;
                }
            }
        }
        let share = self.area_m2() / (4.0 * PI * (RING_POINTS / 2) as f64);
        sum.map(|s| share * s.reduce_add())
    }

    fn field_of_dipoles(&self, r: [f64; 3]) -> [f64; 3] {
        let mut sum = [0.0; 3];
        let is_far = dot(r, r) > 36.0 * self.reach_sq_m2();
        let whole = is_far.then(|| (0.0, self.volume_m3()));
        for (z, moment) in whole.into_iter().chain(self.dipoles().take(if is_far { 0 } else { 3 })) {
            let r = [r[0], r[1], r[2] - z];
            // Within the cylinder itself nothing is asked; a bound keeps a point on the axis finite.
            let d2 = dot(r, r).max(1e-8);
            let by = moment / (4.0 * PI * d2 * d2.sqrt());
            for (axis, (s, c)) in sum.iter_mut().zip(r).enumerate() {
                *s += by * (3.0 * r[1] * c / d2 - if axis == 1 { 1.0 } else { 0.0 });
            }
        }
        sum
    }

    /// Energy of a cylinder magnetised along y in the field of another surface, m³: minus ∫H_y dV.
    fn across_energy(&self, other: &Self) -> f64 {
        let Shape::CosineBand { radius_m, half_m } = self.shape else { return 0.0 };
        let mut mean = 0.0;
        for (t, w) in PAIR.iter() {
            // Two places at half the radius: exact for squares of y over the section.
            for side in [-0.5, 0.5] {
                let mut at = self.center_m;
                at[1] += side * radius_m;
                at[2] += half_m * (2.0 * t - 1.0);
                mean += 0.5 * w * other.field(at)[1];
            }
        }
        -self.volume_m3() * mean
    }

    /// Field strength per charge density at a point off the surface, dimensionless.
    #[must_use]
    pub fn field(&self, point_m: [f64; 3]) -> [f64; 3] {
        let r = sub(point_m, self.center_m);
        if matches!(self.shape, Shape::CosineBand { .. }) {
            return self.field_of_across(r);
        }
        if let FarField(Some((moments, least))) = self.far_field()
            && dot(r, r) > least
        {
            return moments.field(r);
        }
        match self.shape {
            Shape::Rectangle { across, half_m } => rectangle::field(across, half_m, r),
            _ => self.field_of_rings(r),
        }
    }

    /// What it is from further off.
    pub(crate) fn far_field(&self) -> FarField {
        let far = match self.shape {
            Shape::CosineBand { .. } => return FarField(None),
            Shape::Rectangle { .. } => 9.0,
            _ => 5.0,
        };
        let moments = self.moments();
        FarField(Some((moments, far * moments.reach_sq_m2)))
    }

    fn moments(&self) -> Moments {
        let fourth_m4 = match self.shape {
            Shape::Disc { radius_m } => radius_m.powi(4) / 8.0,
            Shape::Band { radius_m: r, half_m: h } => h.powi(4) / 5.0 - h * h * r * r + 0.375 * r.powi(4),
            Shape::CosineBand { .. } | Shape::Rectangle { .. } => 0.0,
        };
        Moments {
            area_m2: self.area_m2(),
            squares_m2: self.squares(),
            fourth_m4,
            reach_sq_m2: self.reach_sq_m2(),
        }
    }

    /// A disc or band as rings of charge; on the axis in closed form.
    fn field_of_rings(&self, r: [f64; 3]) -> [f64; 3] {
        let lateral = (r[0] * r[0] + r[1] * r[1]).sqrt();
        if lateral < 1e-9 {
            return [0.0, 0.0, self.on_axis(r[2])];
        }
        let (mut radial, mut axial) = (f64x4::ZERO, f64x4::ZERO);
        let mut ring = |radius: f64, dz: f64, share: f64| {
            let flat = f64x4::splat(lateral * lateral + radius * radius + dz * dz);
            for cos in &*HALF_RING {
                let d_sq = (flat - f64x4::splat(2.0 * lateral * radius) * *cos).max(f64x4::splat(1e-24));
                let weight = f64x4::splat(share) / (d_sq * d_sq.sqrt());
                radial += weight * (f64x4::splat(lateral) - f64x4::splat(radius) * *cos);
                axial += weight * f64x4::splat(dz);
            }
        };
        let share = 2.0 * self.area_m2() / (4.0 * PI * RING_POINTS as f64);
        match self.shape {
            Shape::Disc { radius_m } => {
                for (t, w) in RADIAL.iter() {
                    ring(radius_m * t, r[2], share * w * 2.0 * t);
                }
            }
            Shape::Band { radius_m, half_m } => {
                for (t, w) in TRIPLE.iter() {
                    ring(radius_m, r[2] - half_m * (2.0 * t - 1.0), share * w);
                }
            }
            Shape::Rectangle { .. } | Shape::CosineBand { .. } => {}
        }
        let (radial, axial) = (radial.reduce_add(), axial.reduce_add());
        [radial * r[0] / lateral, radial * r[1] / lateral, axial]
    }

    fn on_axis(&self, z: f64) -> f64 {
        match self.shape {
            Shape::Disc { radius_m } => 0.5 * (z.signum() - z / radius_m.hypot(z)),
            Shape::Band { radius_m, half_m } => {
                radius_m / 2.0 * (1.0 / radius_m.hypot(z - half_m) - 1.0 / radius_m.hypot(z + half_m))
            }
            Shape::Rectangle { .. } | Shape::CosineBand { .. } => 0.0,
        }
    }

    /// Points over it: many for what is near, few for what is not.
    fn points(&self, near: bool) -> Points {
        let c = self.center_m;
        let mut points = Points::none();
        let mut around = |count: u32, from: f64, radius_m: f64, z: f64, share: f64| {
            for k in 0..count {
                let (sin, cos) = (from + 2.0 * PI * f64::from(k) / f64::from(count)).sin_cos();
                points.push([c[0] + radius_m * cos, c[1] + radius_m * sin, z], share);
            }
        };
        match self.shape {
            Shape::Rectangle { across, half_m } => {
                let (u, v) = along(across);
                let rule = if near { &*TRIPLE } else { &*PAIR };
                for (s, ws) in rule {
                    for (t, wt) in rule {
                        let mut p = c;
                        p[u] += half_m[0] * (2.0 * s - 1.0);
                        p[v] += half_m[1] * (2.0 * t - 1.0);
                        points.push(p, ws * wt);
                    }
                }
            }
            // Four points at R/√2 are exact for cubics over a disc.
            Shape::Disc { radius_m } if !near => around(4, PI / 4.0, radius_m / 2f64.sqrt(), c[2], 0.25),
            // Stroud's seven points: exact for polynomials to the fifth degree over a disc.
            Shape::Disc { radius_m } => {
                around(6, 0.0, radius_m * (2.0_f64 / 3.0).sqrt(), c[2], 0.125);
                points.push(c, 0.25);
            }
            Shape::Band { radius_m, half_m } | Shape::CosineBand { radius_m, half_m } => {
                let count = if near { 8 } else { 4 };
                for (t, w) in PAIR.iter() {
                    around(count, 0.0, radius_m, c[2] + half_m * (2.0 * t - 1.0), w / f64::from(count));
                }
            }
        }
        points
    }

    /// Potential per charge density at a point, m: for a rectangle in closed form.
    fn potential(&self, point_m: [f64; 3]) -> f64 {
        let r = sub(point_m, self.center_m);
        match self.shape {
            Shape::Rectangle { across, half_m } => rectangle::potential(across, half_m, r),
            Shape::CosineBand { .. } => self
                .dipoles()
                .map(|(z, moment)| {
                    let r = [r[0], r[1], r[2] - z];
                    moment * r[1] / (4.0 * PI * norm(r).powi(3))
                })
                .sum(),
            Shape::Disc { .. } | Shape::Band { .. } => {
                let share = self.area_m2() / (4.0 * PI);
                self.points(true).iter().map(|(p, w)| share * w / norm(sub(point_m, *p))).sum()
            }
        }
    }

    /// Coulomb energy ∬ 1/(4πd) between two surfaces, m³. Rods against rods have their own, finer forms.
    #[must_use]
    pub fn energy_with(&self, other: &Self) -> f64 {
        if matches!(self.shape, Shape::CosineBand { .. }) {
            return self.across_energy(other);
        }
        if matches!(other.shape, Shape::CosineBand { .. }) {
            return other.across_energy(self);
        }
        let r = sub(self.center_m, other.center_m);
        let (d2, reach) = (dot(r, r), self.reach_sq_m2().sqrt() + other.reach_sq_m2().sqrt());
        if d2 > FAR * FAR * reach * reach {
            let d = d2.sqrt();
            let (a, b) = (self.squares(), other.squares());
            let second: f64 =
                (0..3).map(|i| 0.5 * (a[i] + b[i]) * (3.0 * r[i] * r[i] - d2)).sum::<f64>() / (d2 * d2);
            return self.area_m2() * other.area_m2() / (4.0 * PI * d) * (1.0 + second);
        }
        let near = d2 < NEAR * NEAR * reach * reach;
        let on = |source: &Self, target: &Self| {
            target.area_m2() * target.points(near).iter().map(|(p, w)| w * source.potential(*p)).sum::<f64>()
        };
        match (self.shape, other.shape) {
            (Shape::Rectangle { .. }, Shape::Rectangle { .. }) => {
                if self == other {
                    self.own_energy()
                } else if near {
                    0.5 * (on(self, other) + on(other, self))
                } else if self.area_m2() > other.area_m2() {
                    on(self, other)
                } else {
                    on(other, self)
                }
            }
            (Shape::Rectangle { .. }, _) => on(self, other),
            _ => on(other, self),
        }
    }

    /// Energy of a rectangle with itself in closed form, m³ [Hoer].
    fn own_energy(&self) -> f64 {
        let Shape::Rectangle { half_m, .. } = self.shape else { return 0.0 };
        let (a, b) = (2.0 * half_m[0], 2.0 * half_m[1]);
        let d = a.hypot(b);
        let sum = 2.0 * a * a * b * ((b + d) / a).ln()
            + 2.0 * a * b * b * ((a + d) / b).ln()
            + 2.0 / 3.0 * (a.powi(3) + b.powi(3) - d.powi(3));
        sum / (4.0 * PI)
    }
}

/// Mean of 1/(4πd) over two coaxial rings of radii `a` and `b`, `z` apart, 1/m.
pub(super) fn ring_ring(a: f64, b: f64, z: f64) -> f64 {
    let sum_sq = (a + b) * (a + b) + z * z;
    let m = (4.0 * a * b / sum_sq).min(1.0 - 1e-15);
    elliptic_k(m) / (2.0 * PI * PI * sum_sq.sqrt())
}

pub(super) fn sub(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

pub(super) fn dot(a: [f64; 3], b: [f64; 3]) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

fn norm(a: [f64; 3]) -> f64 {
    dot(a, a).sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn rectangle(across: usize, half_m: [f64; 2], center_m: [f64; 3]) -> Patch {
        Patch { center_m, shape: Shape::Rectangle { across, half_m } }
    }

    fn many(patch: &Patch, n: u32) -> Vec<([f64; 3], f64)> {
        let Shape::Rectangle { across, half_m } = patch.shape else { unreachable!() };
        let (u, v) = along(across);
        let mut points = Vec::new();
        for i in 0..n {
            for j in 0..n {
                let mut p = patch.center_m;
                p[u] += half_m[0] * (2.0 * (f64::from(i) + 0.5) / f64::from(n) - 1.0);
                p[v] += half_m[1] * (2.0 * (f64::from(j) + 0.5) / f64::from(n) - 1.0);
                points.push((p, 1.0 / f64::from(n * n)));
            }
        }
        points
    }

    #[rstest]
    #[case(0, [0.004, 0.002, 0.001])]
    #[case(1, [0.001, -0.003, 0.002])]
    #[case(2, [-0.0015, 0.0005, 0.0012])]
    #[case(2, [0.03, 0.02, -0.01])]
    fn a_rectangle_is_its_points(#[case] across: usize, #[case] at: [f64; 3]) {
        let patch = rectangle(across, [0.002, 0.001], [0.0003, 0.0001, -0.0002]);
        let (mut potential, mut field) = (0.0, [0.0; 3]);
        for (p, w) in many(&patch, 60) {
            let r = sub(at, p);
            let d = norm(r);
            potential += w * patch.area_m2() / (4.0 * PI * d);
            for (sum, x) in field.iter_mut().zip(r) {
                *sum += w * patch.area_m2() * x / (4.0 * PI * d.powi(3));
            }
        }
        assert!((patch.potential(at) / potential - 1.0).abs() < 1e-3);
        for (got, expected) in patch.field(at).iter().zip(field) {
            assert!((got - expected).abs() < 2e-3 * norm(field), "{got} {expected}");
        }
    }

    /// The mean inverse distance within a unit square is 2.9732 (any table of geometric probability).
    #[test]
    fn own_energy_of_a_square() {
        let square = rectangle(2, [0.5, 0.5], [0.0; 3]);
        assert!((square.own_energy() * 4.0 * PI - 2.973_21).abs() < 1e-4);
    }

    #[rstest]
    #[case(rectangle(2, [0.001, 0.002], [0.002, 0.0, 0.0]))]
    #[case(rectangle(0, [0.002, 0.0005], [0.001, 0.0, 0.0005]))]
    #[case(rectangle(2, [0.001, 0.002], [0.0, 0.0, 0.001]))]
    #[case(rectangle(1, [0.001, 0.001], [0.004, 0.003, 0.0]))]
    fn energy_between_rectangles(#[case] other: Patch) {
        let patch = rectangle(2, [0.001, 0.002], [0.0; 3]);
        let exact: f64 =
            many(&other, 40).iter().map(|(p, w)| w * other.area_m2() * patch.potential(*p)).sum();
        assert!(
            (patch.energy_with(&other) / exact - 1.0).abs() < 0.01,
            "{}",
            patch.energy_with(&other) / exact
        );
    }

    /// Discs and bands from far against their rings from near.
    #[test]
    fn far_joins_near() {
        for shape in [Shape::Disc { radius_m: 0.002 }, Shape::Band { radius_m: 0.002, half_m: 0.0005 }] {
            let patch = Patch { center_m: [0.0; 3], shape };
            for at in
                [[0.0046, 0.0, 0.001], [0.0061, 0.0, 0.003], [0.001, 0.003, -0.0045], [0.0, 0.0, 0.0047]]
            {
                let (far, near) = (patch.moments().field(at), patch.field_of_rings(at));
                for (a, b) in far.iter().zip(near) {
                    assert!((a - b).abs() < 0.01 * norm(near), "{at:?}: {a} {b}");
                }
            }
        }
    }
}
