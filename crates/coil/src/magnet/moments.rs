//! The field of a charged surface from further off: its charge in the middle, with its second and fourth moments; at one point or
//! at four.

use std::f64::consts::PI;
use std::ops::{Add, Mul, Sub};
use wide::f64x4;

/// Square of reach over distance above which a fourth moment still moves a field by a quarter of a per cent.
const STILL_FELT: f64 = 1.0 / 16.0;

/// A number, or four of them.
pub(super) trait Lanes:
    Copy + From<f64> + Add<Output = Self> + Sub<Output = Self> + Mul<Output = Self>
{
    /// One over it.
    fn inverse(self) -> Self;
    /// Its square root.
    fn root(self) -> Self;
    /// Whether any of them is above a limit.
    fn is_above(self, limit: f64) -> bool;
    /// `value` where it is above a limit, else 0.
    fn above(self, limit: f64, value: Self) -> Self;
}

impl Lanes for f64 {
    fn inverse(self) -> Self {
        self.recip()
    }
    fn root(self) -> Self {
        self.sqrt()
    }
    fn is_above(self, limit: f64) -> bool {
        self > limit
    }
    fn above(self, limit: f64, value: Self) -> Self {
        if self > limit { value } else { 0.0 }
    }
}

impl Lanes for f64x4 {
    fn inverse(self) -> Self {
        Self::ONE / self
    }
    fn root(self) -> Self {
        self.sqrt()
    }
    fn is_above(self, limit: f64) -> bool {
        self.simd_gt(Self::splat(limit)).any()
    }
    fn above(self, limit: f64, value: Self) -> Self {
        self.simd_gt(Self::splat(limit)) & value
    }
}

/// What a surface of even charge is from further off.
#[derive(Clone, Copy, Debug)]
pub(super) struct Moments {
    /// Area, m².
    pub area_m2: f64,
    /// Mean squares of the distances from its middle along the axes, m².
    pub squares_m2: [f64; 3],
    /// Fourth moment about z, m⁴: the mean of d⁴·P₄.
    pub fourth_m4: f64,
    /// Square of the radius of the ball round its middle that holds it, m².
    pub reach_sq_m2: f64,
}

impl Moments {
    /// Field strength per charge density at a place from its middle, good to (reach/distance)⁴.
    pub(super) fn field<T: Lanes>(&self, r: [T; 3]) -> [T; 3] {
        let of = |value: f64| T::from(value);
        let [x, y, z] = r.map(|r| r * r);
        // One division for all: this is asked for more often than anything else.
        let by_d2 = (x + y + z).inverse();
        let charge = of(self.area_m2 / (4.0 * PI)) * by_d2 * by_d2.root();
        // φ = q/4π·(1/d + ½Σ s·(3x² − d²)/d⁵), and minus its gradient.
        let [sx, sy, sz] = self.squares_m2;
        let trace = sx + sy + sz;
        let weighed = of(7.5) * (of(sx) * x + of(sy) * y + of(sz) * z) * by_d2;
        let along =
            |r: T, square: f64| charge * r * (of(1.0) + (weighed - of(3.0 * square + 1.5 * trace)) * by_d2);
        let mut field = [along(r[0], sx), along(r[1], sy), along(r[2], sz)];
        let reach = of(self.reach_sq_m2) * by_d2;
        if self.fourth_m4 != 0.0 && reach.is_above(STILL_FELT) {
            let more = fourth(r, z * by_d2, charge * of(self.fourth_m4) * by_d2 * by_d2);
            for (sum, part) in field.iter_mut().zip(more) {
                *sum = *sum + reach.above(STILL_FELT, part);
            }
        }
        field
    }
}

/// Field of a fourth moment about z, minus the gradient of P₄(cos θ)/d⁵, times `share`; `c2` is the square of cos θ.
fn fourth<T: Lanes>(r: [T; 3], c2: T, share: T) -> [T; 3] {
    let of = |value: f64| T::from(value);
    // With Pₙ written in cos θ = z/d, ∂/∂r leaves a part along r and one along z.
    let along_r = of(0.125) * (of(315.0) * c2 * c2 - of(210.0) * c2 + of(15.0));
    let along_z = of(0.125) * (of(140.0) * c2 - of(60.0));
    [share * along_r * r[0], share * along_r * r[1], share * (along_r - along_z) * r[2]]
}
