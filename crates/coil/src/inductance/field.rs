//! The field of a winding: Biot and Savart over sheets of current.

use super::{MU_0, Winding};
use crate::former::Outline;
use crate::numeric::gauss;
use std::collections::HashMap;
use std::f64::consts::{FRAC_PI_2, PI};
use std::sync::LazyLock;
use wide::{f64x2, f64x4};

impl Winding {
    /// Flux density per ampere at a point outside the winding itself, T/A.
    ///
    /// Biot and Savart over sheets of current at three depths of the build; height and straights in closed
    /// form, quarter circles by Gauss. Near the window's own edge it is smooth but not exact.
    #[must_use]
    pub fn field(&self, point_m: [f64; 3]) -> [f64; 3] {
        self.field_with(point_m, &FINE)
    }

    fn field_with(&self, point_m: [f64; 3], rule: &FieldRule) -> [f64; 3] {
        let p = [point_m[0] - self.center_m.0, point_m[1] - self.center_m.1];
        let (t_top, t_bottom) = (point_m[2] - self.to_z_m, point_m[2] - self.from_z_m);
        let mut total = [0.0; 3];
        for &(depth, weight) in &rule.depths {
            let outline = self.core.offset(depth * self.build_m);
            let mut sheet = [0.0; 3];
            add_straights(&outline, p, t_bottom, t_top, &mut sheet);
            add_corners(&outline, p, t_bottom, t_top, &rule.corner, &mut sheet);
            for (out, b) in total.iter_mut().zip(sheet) {
                *out += weight * b;
            }
        }
        let scale = MU_0 / (4.0 * PI) * self.turns / self.height_m();
        total.map(|b| b * scale)
    }

    /// Flux density per ampere at many points, T/A.
    #[must_use]
    pub fn field_at(&self, points_m: &[[f64; 3]]) -> Vec<[f64; 3]> {
        self.fields_with(points_m, &FINE)
    }

    /// As [`Self::field_at`] for points a few millimetres off the winding, where half the nodes do: within 0.5 %.
    #[must_use]
    pub fn field_beyond(&self, points_m: &[[f64; 3]]) -> Vec<[f64; 3]> {
        self.fields_with(points_m, &COARSE)
    }

    /// The field at many points. A winding is its own image in a mirror across x and across y through its middle: of points that are
    /// images of each other one is worked out.
    fn fields_with(&self, points_m: &[[f64; 3]], rule: &FieldRule) -> Vec<[f64; 3]> {
        #[allow(clippy::cast_possible_truncation, reason = "hundredths of a nanometre of a pickup fit")]
        let place = |m: f64| (m * 1e11).round() as i64;
        let mut known: HashMap<[i64; 3], [f64; 3]> = HashMap::with_capacity(points_m.len());
        let (x, y) = self.center_m;
        let of = |point: &[f64; 3]| {
            let off = [point[0] - x, point[1] - y];
            let key = [place(off[0].abs()), place(off[1].abs()), place(point[2])];
            let first = || self.field_with([x + off[0].abs(), y + off[1].abs(), point[2]], rule);
            let b = *known.entry(key).or_insert_with(first);
            [b[0] * off[0].signum(), b[1] * off[1].signum(), b[2]]
        };
        points_m.iter().map(of).collect()
    }
}

/// Quadrature nodes for the field.
struct FieldRule {
    depths: Vec<(f64, f64)>,
    /// Cosine, sine and weight over a quarter circle.
    corner: Vec<(f64, f64, f64)>,
}

static FINE: LazyLock<FieldRule> = LazyLock::new(|| FieldRule::new(2, 5));
static COARSE: LazyLock<FieldRule> = LazyLock::new(|| FieldRule::new(2, 4));

impl FieldRule {
    fn new(depths: usize, around: usize) -> Self {
        let corner = gauss(around).into_iter().map(|(t, w)| {
            let (sin, cos) = (t * FRAC_PI_2).sin_cos();
            (cos, sin, w * FRAC_PI_2)
        });
        Self { depths: gauss(depths), corner: corner.collect() }
    }
}

/// Adds the four straights of a sheet; the current runs counter-clockwise seen from above.
fn add_straights(outline: &Outline, p: [f64; 2], t_bottom: f64, t_top: f64, b: &mut [f64; 3]) {
    let (half_x, half_y) = outline.half_size_m();
    // Length, distance from the centre, axis along and across, direction of the current.
    for (length, offset, along, direction) in [
        (outline.straight_x_m, -half_y, 0, 1.0),
        (outline.straight_x_m, half_y, 0, -1.0),
        (outline.straight_y_m, half_x, 1, 1.0),
        (outline.straight_y_m, -half_x, 1, -1.0),
    ] {
        if length <= 0.0 {
            continue;
        }
        let across = 1 - along;
        // x × y = z but y × x = −z.
        let turned = if along == 0 { direction } else { -direction };
        let (q, at) = (p[across] - offset, p[along]);
        let (from, to) = (-length / 2.0 - at, length / 2.0 - at);
        // For each edge the four terms' logarithms and angles are taken together: one logarithm of a ratio, and one angle
        // of a product of complex numbers, which stays within a half turn.
        let edge = |t: f64| {
            let beside_sq = (q * q + t * t).max(1e-24);
            let (r0, r1) = ((from * from + beside_sq).sqrt(), (to * to + beside_sq).sqrt());
            // exp(asinh(ξ/beside))·beside, without cancellation for negative ξ.
            let grown = |xi: f64, r: f64| if xi >= 0.0 { xi + r } else { beside_sq / (r - xi) };
            let (x0, y0, x1, y1) = (q * r0, from * t, q * r1, to * t);
            // atan(y₁/x₁) − atan(y₀/x₀); x₀ and x₁ have one sign.
            (grown(to, r1) / grown(from, r0), y1 * x0 - y0 * x1, x1 * x0 + y1 * y0)
        };
        let ((low, low_y, low_x), (high, high_y, high_x)) = (edge(t_bottom), edge(t_top));
        b[across] += turned * (low / high).ln();
        if q.abs() > 1e-12 {
            let [low, high] = f64x2::from([low_y, high_y]).atan2(f64x2::from([low_x, high_x])).to_array();
            b[2] += turned * (low - high);
        }
    }
}

/// Adds the four quarter circles of a sheet.
fn add_corners(
    outline: &Outline,
    p: [f64; 2],
    t_bottom: f64,
    t_top: f64,
    nodes: &[(f64, f64, f64)],
    b: &mut [f64; 3],
) {
    let radius = f64x4::splat(outline.corner_m);
    let (x, y) = (outline.straight_x_m / 2.0, outline.straight_y_m / 2.0);
    // Places of the point from the four corners, which are done side by side.
    let (px, py) = (p[0] - f64x4::from([x, -x, -x, x]), p[1] - f64x4::from([y, y, -y, -y]));
    let mut sum = [f64x4::ZERO; 3];
    for &(cos, sin, weight) in nodes {
        let (c, s) = (f64x4::from([cos, -sin, -cos, sin]), f64x4::from([sin, cos, -sin, -cos]));
        let (lx, ly) = (-s * radius * weight, c * radius * weight);
        let (rx, ry) = (px - radius * c, py - radius * s);
        let d_sq = (rx * rx + ry * ry).max(f64x4::splat(1e-24));
        let moment = (lx * ry - ly * rx) / d_sq;
        let by_r = |t: f64| f64x4::ONE / (d_sq + t * t).sqrt();
        let (low, high) = (by_r(t_bottom), by_r(t_top));
        let fall = low - high;
        sum[0] -= ly * fall;
        sum[1] += lx * fall;
        sum[2] += moment * (low * t_bottom - high * t_top);
    }
    for (b, sum) in b.iter_mut().zip(sum) {
        *b += sum.reduce_add();
    }
}

/// A winding off the origin, for tests.
#[cfg(test)]
pub(crate) fn off_the_origin() -> Winding {
    Winding {
        core: Outline { straight_x_m: 0.05, straight_y_m: 0.002, corner_m: 0.002 },
        center_m: (0.001, -0.004),
        from_z_m: -0.012,
        to_z_m: -0.001,
        build_m: 0.003,
        turns: 8000.0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Points to all sides of a winding off the origin, each by itself and all at once.
    #[test]
    fn images_have_the_fields_of_their_points() {
        let winding = off_the_origin();
        let signs = [(1.0, 1.0), (-1.0, 1.0), (1.0, -1.0), (-1.0, -1.0)];
        let mut points: Vec<[f64; 3]> =
            signs.iter().map(|(x, y)| [0.001 + 0.011 * x, -0.004 + 0.003 * y, 0.002]).collect();
        points.push([0.011, 0.004, -0.02]);
        let size = winding.field(points[0])[2].abs();
        for (point, found) in points.iter().zip(winding.field_at(&points)) {
            for (a, b) in found.iter().zip(winding.field(*point)) {
                assert!((a - b).abs() < 1e-9 * size, "{point:?}: {a} {b}");
            }
        }
    }
}
