//! Inductance of the air coil, by filament loops of its real outline.

use crate::former::Outline;
use crate::numeric::gauss;
use std::f64::consts::{FRAC_PI_2, PI};

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
    #[must_use]
    pub fn inductance_h(&self) -> f64 {
        let h = self.height_m();
        let kernel = |d: f64| {
            let r = (h * h + d * d).sqrt();
            2.0 * (h * ((h + r) / d).ln() - r + d)
        };
        // Pairs of radii by their difference u and the lower one: f(u) is singular like ln u at 0, and
        // u = v² takes that out. Weight 2 for the mirrored half of the square.
        let mut sum = 0.0;
        for (v, wv) in gauss(4) {
            let u = v * v;
            let weight_u = wv * 2.0 * v;
            for (t, wt) in gauss(3) {
                let lower = t * (1.0 - u);
                let inner = self.core.offset(lower * self.build_m);
                let outer = self.core.offset((lower + u) * self.build_m);
                sum += 2.0 * weight_u * wt * (1.0 - u) * concentric(&inner, &outer, &kernel);
            }
        }
        MU_0 / (4.0 * PI) * (self.turns / h).powi(2) * sum
    }

    /// Flux density per ampere at a point outside the winding itself, T/A.
    ///
    /// Biot and Savart over sheets of current at three depths of the build; height and straights in closed
    /// form, quarter circles by Gauss. Near the window's own edge it is smooth but not exact.
    #[must_use]
    pub fn field(&self, point_m: [f64; 3]) -> [f64; 3] {
        self.field_with(point_m, &FieldRule::new())
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
        let rule = FieldRule::new();
        points_m.iter().map(|&p| self.field_with(p, &rule)).collect()
    }
}

/// Quadrature nodes for the field, made once for many points.
struct FieldRule {
    depths: Vec<(f64, f64)>,
    /// Cosine, sine and weight over a quarter circle.
    corner: Vec<(f64, f64, f64)>,
}

impl FieldRule {
    fn new() -> Self {
        let corner = gauss(6).into_iter().map(|(t, w)| {
            let (sin, cos) = (t * FRAC_PI_2).sin_cos();
            (cos, sin, w * FRAC_PI_2)
        });
        Self { depths: gauss(3), corner: corner.collect() }
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
        for (t, edge) in [(t_bottom, turned), (t_top, -turned)] {
            let beside = (q * q + t * t).sqrt().max(1e-12);
            for (xi, sign) in [(length / 2.0 - at, edge), (-length / 2.0 - at, -edge)] {
                let r = (xi * xi + beside * beside).sqrt();
                if q.abs() > 1e-12 {
                    b[2] += sign * (xi * t / (q * r)).atan();
                }
                // asinh(ξ/beside), by its logarithm: odd, and without cancellation.
                b[across] += sign * ((xi.abs() + r) / beside).ln().copysign(xi);
            }
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
    let radius = outline.corner_m;
    let (x, y) = (outline.straight_x_m / 2.0, outline.straight_y_m / 2.0);
    for &(cos, sin, weight) in nodes {
        for (cx, cy, c, s) in [(x, y, cos, sin), (-x, y, -sin, cos), (-x, -y, -cos, -sin), (x, -y, sin, -cos)]
        {
            let (lx, ly) = (-s * radius * weight, c * radius * weight);
            let (rx, ry) = (p[0] - cx - radius * c, p[1] - cy - radius * s);
            let d_sq = (rx * rx + ry * ry).max(1e-24);
            let moment = (lx * ry - ly * rx) / d_sq;
            for (t, edge) in [(t_bottom, 1.0), (t_top, -1.0)] {
                let r = (d_sq + t * t).sqrt();
                b[2] += edge * moment * t / r;
                b[0] -= edge * ly / r;
                b[1] += edge * lx / r;
            }
        }
    }
}

/// One smooth piece of an outline: a straight or a quarter circle, run counter-clockwise.
#[derive(Clone, Copy)]
enum Piece {
    Straight { start: [f64; 2], along: [f64; 2], length: f64 },
    Corner { center: [f64; 2], radius: f64, from_rad: f64 },
}

impl Piece {
    fn length(&self) -> f64 {
        match *self {
            Self::Straight { length, .. } => length,
            Self::Corner { radius, .. } => radius * FRAC_PI_2,
        }
    }

    /// Point and tangent at `s` of 0…1.
    fn at(&self, s: f64) -> ([f64; 2], [f64; 2]) {
        match *self {
            Self::Straight { start, along, length } => {
                ([start[0] + along[0] * length * s, start[1] + along[1] * length * s], along)
            }
            Self::Corner { center, radius, from_rad } => {
                let (sin, cos) = (from_rad + s * FRAC_PI_2).sin_cos();
                ([center[0] + radius * cos, center[1] + radius * sin], [-sin, cos])
            }
        }
    }

    /// Where on the piece, 0…1, it comes nearest to `p`.
    fn nearest(&self, p: [f64; 2]) -> f64 {
        match *self {
            Self::Straight { start, along, length } => {
                (((p[0] - start[0]) * along[0] + (p[1] - start[1]) * along[1]) / length).clamp(0.0, 1.0)
            }
            Self::Corner { center, from_rad, .. } => {
                let middle = from_rad + FRAC_PI_2 / 2.0;
                let angle = (p[1] - center[1]).atan2(p[0] - center[0]);
                let from_middle = (angle - middle + PI).rem_euclid(2.0 * PI) - PI;
                (0.5 + from_middle / FRAC_PI_2).clamp(0.0, 1.0)
            }
        }
    }
}

/// The pieces of an outline about a centre; empty ones are left out.
fn pieces(outline: &Outline, center: (f64, f64)) -> Vec<Piece> {
    let (sx, sy, c) = (outline.straight_x_m, outline.straight_y_m, outline.corner_m);
    let (half_x, half_y) = outline.half_size_m();
    let (cx, cy) = center;
    let straight = |x: f64, y: f64, along: [f64; 2], length: f64| Piece::Straight {
        start: [cx + x, cy + y],
        along,
        length,
    };
    let corner = |x: f64, y: f64, quarter: f64| Piece::Corner {
        center: [cx + x, cy + y],
        radius: c,
        from_rad: quarter * FRAC_PI_2,
    };
    let mut all = vec![
        corner(sx / 2.0, sy / 2.0, 0.0),
        straight(sx / 2.0, half_y, [-1.0, 0.0], sx),
        corner(-sx / 2.0, sy / 2.0, 1.0),
        straight(-half_x, sy / 2.0, [0.0, -1.0], sy),
        corner(-sx / 2.0, -sy / 2.0, 2.0),
        straight(-sx / 2.0, -half_y, [1.0, 0.0], sx),
        corner(sx / 2.0, -sy / 2.0, 3.0),
        straight(half_x, -sy / 2.0, [0.0, 1.0], sy),
    ];
    all.retain(|piece| piece.length() > 0.0);
    all
}

/// ∮ dl·dl′ K(d) of one element at `p` with direction `tangent` against all of `others`.
///
/// Every piece is split where it comes nearest to the element and the nodes crowd there, since K falls
/// off like a logarithm from that point.
fn element(
    p: [f64; 2],
    tangent: [f64; 2],
    others: &[Piece],
    rule: &[(f64, f64)],
    kernel: &impl Fn(f64) -> f64,
) -> f64 {
    let mut sum = 0.0;
    for piece in others {
        let nearest = piece.nearest(p);
        for span in [1.0 - nearest, -nearest] {
            if span.abs() < 1e-9 {
                continue;
            }
            for &(v, w) in rule {
                let (q, along) = piece.at(nearest + span * v * v);
                let (dx, dy) = (p[0] - q[0], p[1] - q[1]);
                let d = (dx * dx + dy * dy).sqrt().max(1e-9);
                let cosine = tangent[0] * along[0] + tangent[1] * along[1];
                sum += w * 2.0 * v * span.abs() * piece.length() * cosine * kernel(d);
            }
        }
    }
    sum
}

/// ∮∮ dl·dl′ K(d) between two outlines about the same centre: a quarter of the first, four times.
fn concentric(first: &Outline, second: &Outline, kernel: &impl Fn(f64) -> f64) -> f64 {
    let others = pieces(second, (0.0, 0.0));
    let rule = gauss(8);
    let mut sum = 0.0;
    for piece in pieces(first, (0.0, 0.0)) {
        // The first quarter: its own corner, and the halves of the straights that meet it.
        let (from, to) = match piece {
            Piece::Corner { from_rad, .. } if from_rad < 0.1 => (0.0, 1.0),
            Piece::Straight { along, .. } if along[0] < 0.0 => (0.0, 0.5),
            Piece::Straight { along, .. } if along[1] > 0.0 => (0.5, 1.0),
            _ => continue,
        };
        for &(t, w) in &rule {
            let (p, tangent) = piece.at(from + (to - from) * t);
            sum += w * (to - from) * piece.length() * element(p, tangent, &others, &rule, kernel);
        }
    }
    4.0 * sum
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
            let neumann = MU_0 / (4.0 * PI) * concentric(&first, &second, &|d: f64| 1.0 / d.hypot(z));
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
