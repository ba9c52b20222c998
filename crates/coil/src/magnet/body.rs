//! Magnetic parts and their meshes: round rods and blocks.
//!
//! Both carry a magnetisation without divergence inside, so that all charge lies on their surfaces. A rod has
//! M = f(z)·ẑ − (r/2)·f′(z)·r̂ with f linear between its nodes. A magnet has two more families, ρ being the share of the
//! radius: (2 − 4ρ²)g(z)·ẑ − r(1 − ρ²)g′(z)·r̂ and (6ρ⁴ − 6ρ² + 1)h(z)·ẑ − (r/2)(1 − ρ²)(1 − 2ρ²)h′(z)·r̂, whose only charge
//! is on the faces: the rim of a face loses what its middle keeps. A block has even cells over its two longer
//! axes: through every side of a cell an unknown flux, and across its thinnest axis what those leave over, plus
//! an unknown of its own.

use super::bevel::{BevelledEnd, Seen, taken_m};
use super::grade::Demagnetisation;
use super::patch::{Densities, Patch, Shape};
use super::rectangle::along;
use crate::cache::{CacheKey, MemorySize, fingerprint};
use crate::numeric::gauss;
use std::f64::consts::PI;
use std::sync::{LazyLock, OnceLock};

/// How finely parts are meshed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Resolution {
    /// Intervals along a rod.
    pub rod: usize,
    /// Side of a block's cells, m.
    pub cell_m: f64,
    /// Most cells along one axis of a block.
    pub most: usize,
}

impl Default for Resolution {
    /// What keeps the accuracies of `docs/physics.md` at the least cost.
    fn default() -> Self {
        Self { rod: 6, cell_m: 7e-3, most: 15 }
    }
}

/// What a magnet is by itself.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Magnetised {
    /// Its demagnetisation curve.
    pub curve: Demagnetisation,
    /// Charge as a signed share of saturation: positive has north towards the positive end of its axis.
    pub charge: f64,
}

/// An upright round rod: pole rods, screws, slugs, buttons.
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
    /// Width and height of the bevel of its upper edge, m; 0 for a sharp edge, less than the radius.
    pub bevel_m: f64,
    /// Relative (recoil) permeability.
    pub mu_r: f64,
    /// How it magnetises by itself along z; `None` for a plain pole.
    pub magnet: Option<Magnetised>,
}

/// A block with its sides along the axes: bars, blades, square poles, plates, keepers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Block {
    /// Its middle, m.
    pub center_m: [f64; 3],
    /// Its sizes, m.
    pub size_m: [f64; 3],
    /// Relative (recoil) permeability.
    pub mu_r: f64,
    /// How it magnetises by itself, along which axis (0 is x); `None` for plain metal.
    pub magnet: Option<(usize, Magnetised)>,
}

/// A magnetic part.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Body {
    /// A rod.
    Rod(Rod),
    /// A block.
    Block(Block),
}

impl CacheKey for Body {
    fn fingerprint(&self) -> u64 {
        let charge = self.magnet().map_or(0.0, |magnet| magnet.charge);
        let remanence_t = self.magnet().map_or(0.0, |magnet| magnet.curve.remanence_t());
        let [a, b, c, d, e, f] = match self {
            Self::Rod(r) => [r.axis_m.0, r.axis_m.1, r.bottom_m, r.length_m, r.radius_m, r.bevel_m],
            Self::Block(Block { center_m: [x, y, z], size_m: [a, b, c], .. }) => [*x, *y, *z, *a, *b, *c],
        };
        fingerprint([a, b, c, d, e, f, self.mu_r(), charge, remanence_t])
    }
}

impl Body {
    /// Relative (recoil) permeability.
    #[must_use]
    pub const fn mu_r(&self) -> f64 {
        match self {
            Self::Rod(rod) => rod.mu_r,
            Self::Block(block) => block.mu_r,
        }
    }

    /// Whether a place lies in it, or nearer than `margin_m` to its sides.
    #[must_use]
    pub fn contains(&self, at_m: [f64; 3], margin_m: f64) -> bool {
        match self {
            Self::Rod(rod) => {
                let (x, y) = (at_m[0] - rod.axis_m.0, at_m[1] - rod.axis_m.1);
                let up = at_m[2] - rod.bottom_m;
                x.hypot(y) <= rod.radius_m + margin_m && (-margin_m..=rod.length_m + margin_m).contains(&up)
            }
            Self::Block(block) => (0..3)
                .all(|axis| (at_m[axis] - block.center_m[axis]).abs() <= block.size_m[axis] / 2.0 + margin_m),
        }
    }

    /// How it magnetises by itself.
    #[must_use]
    pub fn magnet(&self) -> Option<Magnetised> {
        match self {
            Self::Rod(rod) => rod.magnet,
            Self::Block(block) => block.magnet.map(|m| m.1),
        }
    }
}

/// A place where the field is taken: ∫H·M′ dV = Σ H(at)·weight for each unknown.
#[derive(Clone, Debug)]
pub(super) struct Sample {
    pub at_m: [f64; 3],
    pub weights: Vec<(usize, [f64; 3])>,
}

/// A place where a magnet's own law is taken: volume, and the magnetisation along its axis from the unknowns.
#[derive(Clone, Debug)]
pub(super) struct LawPoint {
    pub volume_m3: f64,
    pub along: Vec<(usize, f64)>,
}

/// Elements of the matrix ∫M·M′ dV.
pub(super) type Overlap = Vec<(usize, usize, f64)>;

/// A part divided into elements; unknowns count from 0.
#[derive(Clone, Debug)]
pub(super) struct Mesh {
    pub unknowns: usize,
    pub patches: Vec<Patch>,
    /// Charge densities that each unknown puts on patches.
    pub charges: Vec<Densities>,
    /// Overlap of what lies along the magnet's axis, and of what lies across; their sum for plain parts.
    pub along: Overlap,
    pub across: Overlap,
    pub samples: Vec<Sample>,
    pub law: Vec<LawPoint>,
    /// The surfaces from outside, where they are not those that the parts act with.
    pub seen: Option<Seen>,
    /// By each patch the one in its place in a mirror through the middle of all: in none, across x, across y and in both; worked out
    /// when it is asked for.
    pub images: [OnceLock<Option<Vec<usize>>>; 4],
}

impl MemorySize for Mesh {
    fn bytes(&self) -> usize {
        let lists = self.along.len() + self.across.len() + self.samples.len() * 12 + self.law.len() * 8;
        let charges: usize = self.charges.iter().map(Vec::len).sum();
        size_of::<Self>() + (lists + 3 * charges) * 24 + self.patches.len() * (size_of::<Patch>() + 64)
    }
}

impl Mesh {
    /// The surfaces as they are seen from outside, with what each unknown puts on them.
    pub(super) fn outside(&self) -> (&[Patch], &[Densities]) {
        self.seen.as_ref().map_or((&self.patches, &self.charges), |seen| (&seen.patches, &seen.charges))
    }
}

/// Intervals along a rod that are magnetised across together.
const TOGETHER: usize = 2;

/// The lengths of a rod that are magnetised across together: from and to, m over its lower face.
pub(super) fn across_lengths(nodes_m: &[f64]) -> Vec<(f64, f64)> {
    let last = nodes_m.len() - 1;
    (0..last).step_by(TOGETHER).map(|i| (nodes_m[i], nodes_m[(i + TOGETHER).min(last)])).collect()
}

/// Radii of the discs that carry the charge of a magnet's face that is not even, as shares of the rod's.
pub(super) const DISCS: [f64; 5] = [0.3, 0.55, 0.75, 0.9, 1.0];
/// Ways in which a magnet's magnetisation is spread over its section: Legendre's polynomials P₀, P₁ … of 1 − 2s, s the square
/// of the share of the radius. They are orthogonal over the section, with mean squares 1/(2n + 1).
pub(super) const SPREADS: usize = 4;
/// Their coefficients by powers of s.
const LEGENDRE: [[f64; SPREADS]; SPREADS] =
    [[1.0, 0.0, 0.0, 0.0], [1.0, -2.0, 0.0, 0.0], [1.0, -6.0, 6.0, 0.0], [1.0, -12.0, 30.0, -20.0]];
/// Mean products over the section of what lies along r, per square of radius and of slope along z: ¼∫GₙGₘ/s ds with Gₙ the
/// integral of Pₙ.
const ACROSS: [[f64; SPREADS]; SPREADS] = [
    [1.0 / 8.0, 1.0 / 24.0, 0.0, 0.0],
    [1.0 / 24.0, 1.0 / 48.0, 1.0 / 240.0, 0.0],
    [0.0, 1.0 / 240.0, 1.0 / 240.0, 1.0 / 840.0],
    [0.0, 0.0, 1.0 / 840.0, 1.0 / 672.0],
];
/// Squares of radii at which a magnet's law is taken, and shares of the section.
static RADII: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(SPREADS));

/// What lies along z for one spread at a square of the radius.
fn spread(kind: usize, s: f64) -> f64 {
    LEGENDRE[kind].iter().rev().fold(0.0, |sum, c| sum * s + c)
}

/// Densities on the discs whose sum is one of the spreads, evenly over each ring.
fn face_densities(kind: usize) -> [f64; DISCS.len()] {
    // The integral from the middle, by powers of s.
    let whole = |s: f64| {
        let terms = LEGENDRE[kind].iter().enumerate();
        s * terms.rev().fold(0.0, |sum, (k, c)| sum * s + c / (k as f64 + 1.0))
    };
    let ring = |k: usize| {
        let (inner, outer) = (if k == 0 { 0.0 } else { DISCS[k - 1].powi(2) }, DISCS[k].powi(2));
        (whole(outer) - whole(inner)) / (outer - inner)
    };
    std::array::from_fn(|k| ring(k) - if k + 1 < DISCS.len() { ring(k + 1) } else { 0.0 })
}

static PAIR: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(2));

impl Rod {
    /// Length of a rod with straight ends and of equal volume, m.
    pub(super) fn even_length_m(&self) -> f64 {
        self.length_m - taken_m(self.radius_m, self.bevel_m)
    }

    /// Heights of the nodes over the lower face, m: closer together towards the ends, where the magnetisation
    /// falls off.
    pub(super) fn nodes_m(&self, intervals: usize) -> Vec<f64> {
        let place = |k: usize| {
            let even = k as f64 / intervals as f64;
            0.1 * even + 0.9 * (0.5 - 0.5 * (PI * even).cos())
        };
        (0..=intervals).map(|k| self.even_length_m() * place(k)).collect()
    }

    /// How many unknowns its mesh has.
    pub(super) const fn unknowns(&self, resolution: Resolution, is_beside_bar: bool) -> usize {
        let nodes = resolution.rod + 1;
        match self.magnet {
            Some(_) => SPREADS * nodes,
            None if is_beside_bar => nodes + resolution.rod.div_ceil(TOGETHER),
            None => nodes,
        }
    }

    /// A plain rod beside a bar magnet is also magnetised across: evenly along y in every interval.
    pub(super) fn mesh(&self, resolution: Resolution, is_beside_bar: bool) -> Mesh {
        let nodes = self.nodes_m(resolution.rod);
        let (r, last) = (self.radius_m, nodes.len() - 1);
        let (x, y) = self.axis_m;
        let disc = |z: f64, share: f64| Patch {
            center_m: [x, y, self.bottom_m + z],
            shape: Shape::Disc { radius_m: share * r },
        };
        let mut patches = vec![disc(0.0, 1.0)];
        let count = nodes.len();
        let kinds = if self.magnet.is_some() { SPREADS } else { 1 };
        let is_across = is_beside_bar && self.magnet.is_none();
        let lengths = across_lengths(&nodes);
        let unknowns = kinds * count + if is_across { lengths.len() } else { 0 };
        let mut charges: Vec<Vec<(usize, f64)>> = vec![Vec::new(); unknowns];
        charges[0].push((0, -1.0));
        let (mut along, mut across) = (Overlap::new(), Overlap::new());
        let (mut samples, mut law) = (Vec::new(), Vec::new());
        let area = PI * r * r;
        for (i, pair) in nodes.windows(2).enumerate() {
            let (z, step) = (pair[0], pair[1] - pair[0]);
            let shape = Shape::Band { radius_m: r, half_m: step / 2.0 };
            patches.push(Patch { center_m: [x, y, self.bottom_m + z + step / 2.0], shape });
            charges[i].push((i + 1, r / 2.0 / step));
            charges[i + 1].push((i + 1, -r / 2.0 / step));
            for (a, b, share, sign) in
                [(i, i, 3.0, 1.0), (i + 1, i + 1, 3.0, 1.0), (i, i + 1, 6.0, -1.0), (i + 1, i, 6.0, -1.0)]
            {
                for (kind, products) in ACROSS.iter().enumerate().take(kinds) {
                    let mean = 1.0 / (2.0 * kind as f64 + 1.0);
                    along.push((kind * count + a, kind * count + b, mean * area * step / share));
                    for other in (0..kinds).filter(|other| products[*other] != 0.0) {
                        let radial = products[other] * area * r * r / step;
                        across.push((kind * count + a, other * count + b, sign * radial));
                    }
                }
            }
            for (t, w) in PAIR.iter() {
                let volume_m3 = w * area * step;
                for (square, share) in RADII.iter().filter(|_| kinds > 1) {
                    let along = (0..kinds).flat_map(|kind| {
                        let value = spread(kind, *square);
                        [(kind * count + i, value * (1.0 - t)), (kind * count + i + 1, value * t)]
                    });
                    law.push(LawPoint { volume_m3: volume_m3 * share, along: along.collect() });
                }
                // Three points at R/√2: exact for squares over the disc, and the field is harmonic.
                for k in 0..3 {
                    let (sin, cos) = (PI / 6.0 + PI / 1.5 * f64::from(k)).sin_cos();
                    let (dx, dy) = (r * cos / 2f64.sqrt(), r * sin / 2f64.sqrt());
                    let v = volume_m3 / 3.0;
                    let turned = |sign: f64, share: f64| {
                        [sign * v * dx / 2.0 / step, sign * v * dy / 2.0 / step, v * share]
                    };
                    let mut weights = vec![(i, turned(1.0, 1.0 - t)), (i + 1, turned(-1.0, *t))];
                    if is_across {
                        weights.push((kinds * count + i / TOGETHER, [0.0, v, 0.0]));
                    }
                    samples.push(Sample { at_m: [x + dx, y + dy, self.bottom_m + z + t * step], weights });
                }
            }
        }
        let top = self.even_length_m();
        patches.push(disc(top, 1.0));
        let upper = patches.len() - 1;
        charges[last].push((upper, 1.0));
        for (node, z, face, sign) in [(0, 0.0, 0, -1.0), (last, top, upper, 1.0)] {
            if kinds == 1 {
                break;
            }
            let first = patches.len();
            patches.extend(DISCS[..DISCS.len() - 1].iter().map(|share| disc(z, *share)));
            for kind in 1..kinds {
                for (k, density) in face_densities(kind).into_iter().enumerate() {
                    let patch = if k + 1 == DISCS.len() { face } else { first + k };
                    charges[kind * count + node].push((patch, sign * density));
                }
            }
        }
        if is_across {
            for (i, (from, to)) in lengths.into_iter().enumerate() {
                let (z, half_m) = (0.5 * (from + to), 0.5 * (to - from));
                charges[kinds * count + i].push((patches.len(), 1.0));
                let shape = Shape::CosineBand { radius_m: r, half_m };
                patches.push(Patch { center_m: [x, y, self.bottom_m + z], shape });
                along.push((kinds * count + i, kinds * count + i, area * 2.0 * half_m));
            }
        }
        let seen = self.seen(top, &patches, &charges);
        Mesh { unknowns, patches, charges, along, across, samples, law, seen, images: Default::default() }
    }

    /// The surfaces from outside where the upper edge is bevelled; `even_m` is the length with straight ends.
    fn seen(&self, even_m: f64, patches: &[Patch], charges: &[Densities]) -> Option<Seen> {
        let end = BevelledEnd {
            top_m: self.bottom_m + self.length_m,
            even_m: self.bottom_m + even_m,
            face_m: self.radius_m - self.bevel_m,
        };
        (self.bevel_m > 0.0).then(|| end.seen(patches, charges))
    }
}

impl Block {
    /// The thinnest axis, and the other two.
    pub(super) fn axes(&self) -> (usize, usize, usize) {
        let s = self.size_m;
        if s[2] <= s[0] && s[2] <= s[1] {
            (2, 0, 1)
        } else if s[1] <= s[0] {
            (1, 0, 2)
        } else {
            (0, 1, 2)
        }
    }

    /// Cells along the two longer axes: odd, so that a cell's middle lies under the middle of what stands over it;
    /// magnets are smoother and take two at least; what stands upright as a pole is meshed finer along its height.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to a few cells")]
    fn counts(&self, resolution: Resolution) -> (usize, usize) {
        let (n, p, q) = self.axes();
        let count = |axis: usize| {
            let size = self.size_m[axis];
            if self.magnet.is_some() {
                return ((size / resolution.cell_m / 1.7).round() as usize).clamp(2, resolution.most);
            }
            let upright = axis == 2 && n != 2;
            let cell_m = if upright { resolution.cell_m / 2.5 } else { resolution.cell_m };
            let odd = (size / cell_m / 2.0).floor() as usize * 2 + 1;
            odd.clamp(if upright { 5 } else { 3 }, resolution.most)
        };
        (count(p), count(q))
    }

    /// How many unknowns its mesh has.
    pub(super) fn unknowns(&self, resolution: Resolution) -> usize {
        Grid::new(self, self.counts(resolution)).unknowns()
    }

    pub(super) fn mesh(&self, resolution: Resolution) -> Mesh {
        let grid = Grid::new(self, self.counts(resolution));
        let mut mesh = Mesh {
            unknowns: grid.unknowns(),
            patches: Vec::new(),
            charges: vec![Vec::new(); grid.unknowns()],
            along: Overlap::new(),
            across: Overlap::new(),
            samples: Vec::new(),
            law: Vec::new(),
            seen: None,
            images: Default::default(),
        };
        for j in 0..grid.nq {
            for i in 0..grid.np {
                grid.add_cell(i, j, self.magnet.map(|m| m.0), &mut mesh);
            }
        }
        grid.add_edges(&mut mesh);
        mesh
    }
}

/// The cells of a block: `n` is its thinnest axis, `p` and `q` the others.
struct Grid {
    n: usize,
    p: usize,
    q: usize,
    np: usize,
    nq: usize,
    /// Sizes of a cell along p, q and n, m.
    d: [f64; 3],
    center_m: [f64; 3],
    size_m: [f64; 3],
}

impl Grid {
    fn new(block: &Block, (np, nq): (usize, usize)) -> Self {
        let (n, p, q) = block.axes();
        let size_m = block.size_m;
        let d = [size_m[p] / np as f64, size_m[q] / nq as f64, size_m[n]];
        Self { n, p, q, np, nq, d, center_m: block.center_m, size_m }
    }

    const fn unknowns(&self) -> usize {
        (self.np + 1) * self.nq + self.np * (self.nq + 1) + self.np * self.nq
    }

    /// Unknown of the side across p before cell (i, j).
    const fn side_p(&self, i: usize, j: usize) -> usize {
        j * (self.np + 1) + i
    }

    const fn side_q(&self, i: usize, j: usize) -> usize {
        (self.np + 1) * self.nq + j * self.np + i
    }

    /// Unknown of what goes straight through cell (i, j).
    const fn through(&self, i: usize, j: usize) -> usize {
        (self.np + 1) * self.nq + self.np * (self.nq + 1) + j * self.np + i
    }

    /// A point given by its places along p and q, 0…1 of the block, and along n, −½…½.
    fn point(&self, s: f64, t: f64, u: f64) -> [f64; 3] {
        let mut at = self.center_m;
        at[self.p] += self.size_m[self.p] * (s - 0.5);
        at[self.q] += self.size_m[self.q] * (t - 0.5);
        at[self.n] += self.size_m[self.n] * u;
        at
    }

    /// A rectangle across `axis` with sizes along the other two axes given by axis.
    fn rectangle(axis: usize, center_m: [f64; 3], size: impl Fn(usize) -> f64) -> Patch {
        let (u, v) = along(axis);
        Patch { center_m, shape: Shape::Rectangle { across: axis, half_m: [size(u) / 2.0, size(v) / 2.0] } }
    }

    fn cell_size(&self, axis: usize) -> f64 {
        if axis == self.p {
            self.d[0]
        } else if axis == self.q {
            self.d[1]
        } else {
            self.d[2]
        }
    }

    fn add_cell(&self, i: usize, j: usize, magnet_axis: Option<usize>, mesh: &mut Mesh) {
        let [dp, dq, dn] = self.d;
        let volume = dp * dq * dn;
        let (left, right) = (self.side_p(i, j), self.side_p(i + 1, j));
        let (near, far) = (self.side_q(i, j), self.side_q(i, j + 1));
        let through = self.through(i, j);
        // Divergence over the sides, which the thin axis has to take up.
        let divergence = [(left, -1.0 / dp), (right, 1.0 / dp), (near, -1.0 / dq), (far, 1.0 / dq)];
        let at = |u: f64| self.point((i as f64 + 0.5) / self.np as f64, (j as f64 + 0.5) / self.nq as f64, u);
        for sign in [1.0, -1.0] {
            let patch = mesh.patches.len();
            mesh.patches.push(Self::rectangle(self.n, at(0.5 * sign), |axis| self.cell_size(axis)));
            mesh.charges[through].push((patch, sign));
            for (side, per_m) in divergence {
                mesh.charges[side].push((patch, -dn / 2.0 * per_m));
            }
        }
        let mut add = |axis: usize, a: usize, b: usize, value: f64| {
            // Plain parts take everything as lying along.
            let list = if magnet_axis.is_none_or(|m| m == axis) { &mut mesh.along } else { &mut mesh.across };
            list.push((a, b, value));
        };
        for (axis, a, b) in [(self.p, left, right), (self.q, near, far)] {
            add(axis, a, a, volume / 3.0);
            add(axis, b, b, volume / 3.0);
            add(axis, a, b, volume / 6.0);
            add(axis, b, a, volume / 6.0);
        }
        add(self.n, through, through, volume);
        for (a, pa) in divergence {
            for (b, pb) in divergence {
                add(self.n, a, b, volume * dn * dn / 12.0 * pa * pb);
            }
        }
        self.add_points(i, j, magnet_axis, mesh);
    }

    /// Two by two points, at two depths where the cell is thick.
    fn add_points(&self, i: usize, j: usize, magnet_axis: Option<usize>, mesh: &mut Mesh) {
        let [dp, dq, dn] = self.d;
        let depths: &[(f64, f64)] =
            if dn > 0.3 * dp.min(dq) { &[(-0.288_675, 0.5), (0.288_675, 0.5)] } else { &[(0.0, 1.0)] };
        let unit = |axis: usize, value: f64| {
            let mut vector = [0.0; 3];
            vector[axis] = value;
            vector
        };
        for (s, ws) in PAIR.iter() {
            for (t, wt) in PAIR.iter() {
                for (u, wu) in depths {
                    let v = ws * wt * wu * dp * dq * dn;
                    let at_m =
                        self.point((i as f64 + s) / self.np as f64, (j as f64 + t) / self.nq as f64, *u);
                    let fall = u * dn;
                    let weights = [
                        (self.side_p(i, j), self.p, 1.0 - s, fall / dp),
                        (self.side_p(i + 1, j), self.p, *s, -fall / dp),
                        (self.side_q(i, j), self.q, 1.0 - t, fall / dq),
                        (self.side_q(i, j + 1), self.q, *t, -fall / dq),
                    ];
                    let mut sample = Sample { at_m, weights: Vec::with_capacity(5) };
                    let mut along = Vec::new();
                    for (unknown, axis, share, through) in weights {
                        let mut vector = unit(axis, v * share);
                        vector[self.n] += v * through;
                        if let Some(m) = magnet_axis {
                            along.push((unknown, vector[m] / v));
                        }
                        sample.weights.push((unknown, vector));
                    }
                    let through = self.through(i, j);
                    sample.weights.push((through, unit(self.n, v)));
                    if magnet_axis == Some(self.n) {
                        along.push((through, 1.0));
                    }
                    mesh.samples.push(sample);
                    if magnet_axis.is_some() {
                        mesh.law.push(LawPoint { volume_m3: v, along });
                    }
                }
            }
        }
    }

    /// The charge where a flux leaves through the block's outer sides.
    fn add_edges(&self, mesh: &mut Mesh) {
        let mut add = |unknown: usize, axis: usize, at: [f64; 3], sign: f64| {
            let patch = mesh.patches.len();
            mesh.patches.push(Self::rectangle(axis, at, |a| self.cell_size(a)));
            mesh.charges[unknown].push((patch, sign));
        };
        for j in 0..self.nq {
            let t = (j as f64 + 0.5) / self.nq as f64;
            add(self.side_p(0, j), self.p, self.point(0.0, t, 0.0), -1.0);
            add(self.side_p(self.np, j), self.p, self.point(1.0, t, 0.0), 1.0);
        }
        for i in 0..self.np {
            let s = (i as f64 + 0.5) / self.np as f64;
            add(self.side_q(i, 0), self.q, self.point(s, 0.0, 0.0), -1.0);
            add(self.side_q(i, self.nq), self.q, self.point(s, 1.0, 0.0), 1.0);
        }
    }
}
