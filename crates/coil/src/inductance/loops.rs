//! Filament loops of an outline: the double integral of Neumann.

use crate::former::Outline;
use crate::numeric::gauss;
use std::f64::consts::{FRAC_PI_2, PI};
use std::sync::LazyLock;
use wide::f64x4;

static TRIPLE: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(3));
pub(super) static SIX: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(6));

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

/// A weighed sum of K(d), four distances at a time.
struct Sum<K> {
    kernel: K,
    square_m2: [f64; 4],
    weight: [f64; 4],
    waiting: usize,
    total: f64x4,
}

impl<K: Fn(f64x4) -> f64x4> Sum<K> {
    fn new(kernel: K) -> Self {
        Self { kernel, square_m2: [1.0; 4], weight: [0.0; 4], waiting: 0, total: f64x4::ZERO }
    }

    fn add(&mut self, square_m2: f64, weight: f64) {
        self.square_m2[self.waiting] = square_m2;
        self.weight[self.waiting] = weight;
        self.waiting += 1;
        if self.waiting == 4 {
            self.settle();
        }
    }

    fn settle(&mut self) {
        let d = f64x4::from(self.square_m2).fast_max(f64x4::splat(1e-18)).sqrt();
        self.total += f64x4::from(self.weight) * (self.kernel)(d);
        (self.weight, self.waiting) = ([0.0; 4], 0);
    }

    fn total(mut self) -> f64 {
        self.settle();
        self.total.reduce_add()
    }
}

/// Adds ∮ dl·dl′ K(d) of one element of weight `length` at `p` with direction `tangent` against all of `others`.
///
/// Every piece is split where it comes nearest to the element and the nodes crowd there, since K falls
/// off like a logarithm from that point.
fn element<K: Fn(f64x4) -> f64x4>(
    (p, tangent, length): ([f64; 2], [f64; 2], f64),
    others: &[Piece],
    rule: &[(f64, f64)],
    sum: &mut Sum<K>,
) {
    for piece in others {
        let mut node = |s: f64, weight: f64| {
            let (q, along) = piece.at(s);
            let (dx, dy) = (p[0] - q[0], p[1] - q[1]);
            let cosine = tangent[0] * along[0] + tangent[1] * along[1];
            sum.add(dx * dx + dy * dy, length * piece.length() * weight * cosine);
        };
        let nearest = piece.nearest(p);
        let (q, _) = piece.at(nearest);
        if (p[0] - q[0]).powi(2) + (p[1] - q[1]).powi(2) > piece.length().powi(2) {
            // Seen from afar it is smooth.
            for &(t, w) in &*TRIPLE {
                node(t, w);
            }
            continue;
        }
        for span in [1.0 - nearest, -nearest] {
            if span.abs() < 1e-9 {
                continue;
            }
            for &(v, w) in rule {
                node(nearest + span * v * v, w * 2.0 * v * span.abs());
            }
        }
    }
}

/// ∮∮ dl·dl′ K(d) between two outlines about the same centre by a Gauss rule on 0…1: a quarter of the first, four
/// times.
pub(super) fn concentric(
    first: &Outline,
    second: &Outline,
    rule: &[(f64, f64)],
    kernel: &impl Fn(f64x4) -> f64x4,
) -> f64 {
    let others = pieces(second, (0.0, 0.0));
    let mut sum = Sum::new(kernel);
    for piece in pieces(first, (0.0, 0.0)) {
        // The first quarter: its own corner, and the halves of the straights that meet it.
        let (from, to) = match piece {
            Piece::Corner { from_rad, .. } if from_rad < 0.1 => (0.0, 1.0),
            Piece::Straight { along, .. } if along[0] < 0.0 => (0.0, 0.5),
            Piece::Straight { along, .. } if along[1] > 0.0 => (0.5, 1.0),
            _ => continue,
        };
        for &(t, w) in rule {
            let (p, tangent) = piece.at(from + (to - from) * t);
            element((p, tangent, w * (to - from) * piece.length()), &others, rule, &mut sum);
        }
    }
    4.0 * sum.total()
}

/// ∮∮ dl·dl′ K(d) between two outlines about any centres.
pub(super) fn apart(
    first: (&Outline, (f64, f64)),
    second: (&Outline, (f64, f64)),
    kernel: &impl Fn(f64x4) -> f64x4,
) -> f64 {
    let others = pieces(second.0, second.1);
    let mut sum = Sum::new(kernel);
    for piece in pieces(first.0, first.1) {
        for &(t, w) in SIX.iter() {
            let (p, tangent) = piece.at(t);
            element((p, tangent, w * piece.length()), &others, &SIX, &mut sum);
        }
    }
    sum.total()
}
