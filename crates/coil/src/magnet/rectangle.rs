//! A rectangle of even charge, in closed form.

use std::f64::consts::PI;
use wide::{f64x2, f64x4};

/// The axes along a rectangle across `axis`.
pub(crate) const fn along(axis: usize) -> (usize, usize) {
    match axis {
        0 => (1, 2),
        1 => (0, 2),
        _ => (0, 1),
    }
}

/// What a point sees of a rectangle: the logarithms along its edges, and the solid angle.
struct Seen {
    /// Places of the edges across u from the point, m, and the integrals of 1/d along them.
    across_u: [(f64, f64); 2],
    /// As well for the edges across v.
    across_v: [(f64, f64); 2],
    /// Solid angle, 0 to 2π.
    solid_rad: f64,
}

fn seen(half_m: [f64; 2], u: f64, v: f64, w: f64) -> Seen {
    let (x, y) = ([u + half_m[0], u - half_m[0]], [v + half_m[1], v - half_m[1]]);
    let w = w.abs();
    let squares = |t: [f64; 2]| t.map(|t| (t * t + w * w).max(1e-24));
    let (beside_x, beside_y) = (squares(x), squares(y));
    let d = beside_x.map(|b| y.map(|y| (b + y * y).sqrt()));
    // asinh(t₁/beside) − asinh(t₀/beside): one logarithm of a ratio, without cancellation for negative t.
    let grown = |t: f64, d: f64, beside_sq: f64| if t >= 0.0 { t + d } else { beside_sq / (d - t) };
    let ratio = |t: [f64; 2], d: [f64; 2], b: f64| grown(t[0], d[0], b) / grown(t[1], d[1], b);
    let ratios = [
        ratio(y, d[0], beside_x[0]),
        ratio(y, d[1], beside_x[1]),
        ratio(x, [d[0][0], d[1][0]], beside_y[0]),
        ratio(x, [d[0][1], d[1][1]], beside_y[1]),
    ];
    let [x0, x1, y0, y1] = f64x4::from(ratios).ln().to_array();
    // The corners' angles atan(xy/(wd)) in pairs, as one angle of a product of complex numbers.
    let pair = |x: f64, d: [f64; 2]| {
        let (a, b, c, e) = (w * d[0], x * y[0], w * d[1], x * y[1]);
        (b * c - a * e, a * c + b * e)
    };
    let [(s0, c0), (s1, c1)] = [pair(x[0], d[0]), pair(x[1], d[1])];
    let [first, second] = f64x2::from([s0, s1]).atan2(f64x2::from([c0, c1])).to_array();
    Seen {
        across_u: [(x[0], x0), (x[1], x1)],
        across_v: [(y[0], y0), (y[1], y1)],
        solid_rad: if w > 1e-12 { first - second } else { 0.0 },
    }
}

/// Potential of a rectangle per charge density: ∫dA/(4πd), m.
pub(super) fn potential(across: usize, half_m: [f64; 2], r: [f64; 3]) -> f64 {
    let (u, v) = along(across);
    let s = seen(half_m, r[u], r[v], r[across]);
    let edges = |e: [(f64, f64); 2]| e[0].0 * e[0].1 - e[1].0 * e[1].1;
    (edges(s.across_u) + edges(s.across_v) - r[across].abs() * s.solid_rad) / (4.0 * PI)
}

/// Field of a rectangle per charge density: minus the gradient of its potential.
pub(super) fn field(across: usize, half_m: [f64; 2], r: [f64; 3]) -> [f64; 3] {
    let (u, v) = along(across);
    let s = seen(half_m, r[u], r[v], r[across]);
    let mut field = [0.0; 3];
    field[u] = (s.across_u[1].1 - s.across_u[0].1) / (4.0 * PI);
    field[v] = (s.across_v[1].1 - s.across_v[0].1) / (4.0 * PI);
    field[across] = (s.solid_rad / (4.0 * PI)).copysign(r[across]);
    field
}
