//! All magnetic parts together: a method of moments in which every part acts on every other.
//!
//! Galerkin's form with the Coulomb energy between all charges gives the symmetric positive matrix
//! N = CᵀPC (C: charges of the unknowns, P: energies between surfaces), to which a linear part adds
//! ∫M·M′ dV/χ. Plain parts are eliminated first, which leaves a small system for the magnets: once with their
//! recoil permeability for what a coil's current does, once with their demagnetisation curves for what they
//! hold by themselves.

use super::body::{Body, Cut, Resolution, Rod};
use super::grade::Demagnetisation;
use super::patch::{Charged, Patch, Shape, ring_ring};
use crate::inductance::MU_0;
use crate::numeric::gauss;
use nalgebra::{DMatrix, DVector, linalg::Cholesky};
use std::f64::consts::PI;
use std::sync::LazyLock;

/// One part in the system.
#[derive(Clone, Debug)]
struct Member {
    body: Body,
    cut: Cut,
    /// Its first unknown among all.
    first: usize,
}

/// The parts with their mutual action worked out.
#[derive(Clone, Debug)]
pub struct System {
    members: Vec<Member>,
    /// Places of the members in the order that the parts were given.
    order: Vec<usize>,
    /// N alone, over all unknowns: plain parts first, then magnets.
    charges: DMatrix<f64>,
    /// Unknowns of plain parts.
    plain: usize,
    /// Factor of the plain parts' block, and L⁻¹ of what couples it to the magnets.
    factor: Option<Cholesky<f64, nalgebra::Dyn>>,
    coupling: DMatrix<f64>,
    /// The magnets' own block with the answer of the plain parts in it.
    magnets: DMatrix<f64>,
    /// Factor of that block with the magnets' recoil permeability.
    recoil: Option<Cholesky<f64, nalgebra::Dyn>>,
}

/// A state of all parts: the magnetisation of every unknown, A/m.
pub type State = DVector<f64>;

/// Where a field is taken for [`System::drive`], with what it does to the unknowns.
#[derive(Clone, Debug)]
pub struct Probe {
    /// Places, m.
    pub points_m: Vec<[f64; 3]>,
    weights: Vec<(usize, usize, [f64; 3])>,
    unknowns: usize,
}

impl System {
    /// Cuts the parts and works out how they act on themselves and on one another.
    #[must_use]
    pub fn new(bodies: &[Body], resolution: Resolution) -> Self {
        let mut ranked: Vec<usize> = (0..bodies.len()).collect();
        ranked.sort_by_key(|&i| bodies[i].magnet().is_some());
        let mut members = Vec::with_capacity(bodies.len());
        let (mut first, mut plain) = (0, 0);
        for &i in &ranked {
            let cut = match &bodies[i] {
                Body::Rod(rod) => rod.cut(resolution),
                Body::Block(block) => block.cut(resolution),
            };
            let unknowns = cut.unknowns;
            members.push(Member { body: bodies[i], cut, first });
            first += unknowns;
            if bodies[i].magnet().is_none() {
                plain = first;
            }
        }
        let mut order = vec![0; bodies.len()];
        for (place, &i) in ranked.iter().enumerate() {
            order[i] = place;
        }
        let charges = interactions(&members, first, resolution);
        let mut system = Self {
            members,
            order,
            charges,
            plain,
            factor: None,
            coupling: DMatrix::zeros(0, 0),
            magnets: DMatrix::zeros(0, 0),
            recoil: None,
        };
        system.eliminate();
        system
    }

    /// Number of unknowns.
    #[must_use]
    pub fn unknowns(&self) -> usize {
        self.charges.nrows()
    }

    /// Whether there is nothing in it.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.members.is_empty()
    }

    fn eliminate(&mut self) {
        let (all, plain) = (self.unknowns(), self.plain);
        let held = all - plain;
        let mut matrix = self.charges.clone();
        for member in &self.members {
            let chi = susceptibility(&member.body);
            let add = |list: &[(usize, usize, f64)], matrix: &mut DMatrix<f64>| {
                for &(a, b, value) in list {
                    matrix[(member.first + a, member.first + b)] += value / chi;
                }
            };
            add(&member.cut.across, &mut matrix);
            if member.body.magnet().is_none() {
                add(&member.cut.along, &mut matrix);
            }
        }
        self.magnets = matrix.view((plain, plain), (held, held)).into_owned();
        self.coupling = DMatrix::zeros(plain, held);
        if plain > 0 {
            // Positive by construction; a failure would mean degenerate parts, which then carry nothing.
            self.factor = Cholesky::new(matrix.view((0, 0), (plain, plain)).into_owned());
            if let Some(factor) = &self.factor
                && held > 0
            {
                let mixed = matrix.view((0, plain), (plain, held)).into_owned();
                self.coupling = factor.l_dirty().solve_lower_triangular(&mixed).unwrap_or(mixed);
                self.magnets -= self.coupling.tr_mul(&self.coupling);
            }
        }
        let mut recoil = self.magnets.clone();
        for member in self.members.iter().filter(|m| m.body.magnet().is_some()) {
            let chi = susceptibility(&member.body);
            let at = member.first - plain;
            for &(a, b, value) in &member.cut.along {
                recoil[(at + a, at + b)] += value / chi;
            }
        }
        self.recoil = (held > 0).then(|| Cholesky::new(recoil)).flatten();
    }

    /// Where a coil's field has to be known.
    #[must_use]
    pub fn probe(&self) -> Probe {
        let mut probe = Probe { points_m: Vec::new(), weights: Vec::new(), unknowns: self.unknowns() };
        for member in &self.members {
            for sample in &member.cut.samples {
                let point = probe.points_m.len();
                probe.points_m.push(sample.at_m);
                let unknown = |&(u, w): &(usize, [f64; 3])| (point, member.first + u, w);
                probe.weights.extend(sample.weights.iter().map(unknown));
            }
        }
        probe
    }

    /// ∫H·M′ dV of every unknown's shape, from flux densities (T) at the probe's points.
    #[must_use]
    pub fn drive(probe: &Probe, flux: &[[f64; 3]]) -> State {
        let mut drive = DVector::zeros(probe.unknowns);
        for &(point, unknown, w) in &probe.weights {
            let b = flux[point];
            drive[unknown] += (w[0] * b[0] + w[1] * b[1] + w[2] * b[2]) / MU_0;
        }
        drive
    }

    /// The magnetisation that a drive induces, all parts answering with their recoil permeability.
    #[must_use]
    pub fn respond(&self, drive: &State) -> State {
        let (plain, all) = (self.plain, self.unknowns());
        let forward = self.forward(drive);
        let mut answer = DVector::zeros(all);
        if let Some(recoil) = &self.recoil {
            let magnets = drive.rows(plain, all - plain) - self.coupling.tr_mul(&forward);
            answer.rows_mut(plain, all - plain).copy_from(&recoil.solve(&magnets));
        }
        if let Some(factor) = &self.factor {
            let rest = forward - &self.coupling * answer.rows(plain, all - plain);
            if let Some(solved) = factor.l_dirty().tr_solve_lower_triangular(&rest) {
                answer.rows_mut(0, plain).copy_from(&solved);
            }
        }
        answer
    }

    /// L⁻¹ of the plain parts' share of a drive.
    fn forward(&self, drive: &State) -> State {
        let own = drive.rows(0, self.plain).into_owned();
        match &self.factor {
            Some(factor) => factor.l_dirty().solve_lower_triangular(&own).unwrap_or(own),
            None => own,
        }
    }

    /// Products ⟨a, b⟩ = aᵀA⁻¹b between drives, all at once: what they add to mutual inductances, over μ₀.
    #[must_use]
    pub fn products(&self, drives: &DMatrix<f64>) -> DMatrix<f64> {
        let mut sum = DMatrix::zeros(drives.ncols(), drives.ncols());
        if self.is_empty() {
            return sum;
        }
        let held = self.unknowns() - self.plain;
        let mut own = drives.rows(0, self.plain).into_owned();
        if let Some(factor) = &self.factor {
            factor.l_dirty().solve_lower_triangular_mut(&mut own);
            sum += own.tr_mul(&own);
        }
        if let Some(recoil) = &self.recoil {
            let mut magnets = drives.rows(self.plain, held) - self.coupling.tr_mul(&own);
            recoil.l_dirty().solve_lower_triangular_mut(&mut magnets);
            sum += magnets.tr_mul(&magnets);
        }
        sum
    }

    /// The charges of a state.
    #[must_use]
    pub fn charged(&self, state: &State) -> Vec<Charged> {
        let mut all = Vec::new();
        for member in &self.members {
            let from = all.len();
            all.extend(member.cut.patches.iter().map(|&patch| Charged { patch, density_a_m: 0.0 }));
            for (unknown, list) in member.cut.charges.iter().enumerate() {
                for &(patch, density) in list {
                    all[from + patch].density_a_m += density * state[member.first + unknown];
                }
            }
        }
        all
    }

    /// All surfaces, with the densities that each unknown puts on them.
    #[must_use]
    pub fn surfaces(&self) -> Vec<(Patch, Vec<(usize, f64)>)> {
        let mut all: Vec<(Patch, Vec<(usize, f64)>)> = Vec::new();
        for member in &self.members {
            let from = all.len();
            all.extend(member.cut.patches.iter().map(|&patch| (patch, Vec::new())));
            for (unknown, list) in member.cut.charges.iter().enumerate() {
                for &(patch, density) in list {
                    all[from + patch].1.push((member.first + unknown, density));
                }
            }
        }
        all
    }

    /// stateᵀ·(∫M·M′ dV)·state of part `body`, in the order given: minus the slope of the energy over 1/χ.
    #[must_use]
    pub fn overlap(&self, body: usize, state: &State) -> f64 {
        let member = &self.members[self.order[body]];
        let lists = member.cut.along.iter().chain(&member.cut.across);
        lists.map(|&(a, b, v)| v * state[member.first + a] * state[member.first + b]).sum()
    }

    /// driveᵀ·state over part `body` alone, in the order given.
    #[must_use]
    pub fn share(&self, body: usize, drive: &State, state: &State) -> f64 {
        let member = &self.members[self.order[body]];
        let range = (member.first, member.cut.unknowns);
        drive.rows(range.0, range.1).dot(&state.rows(range.0, range.1))
    }

    /// Magnetic moment of a state, A·m².
    #[must_use]
    pub fn moment(&self, state: &State) -> [f64; 3] {
        let mut total = [0.0; 3];
        for member in &self.members {
            for sample in &member.cut.samples {
                for &(unknown, w) in &sample.weights {
                    for (sum, part) in total.iter_mut().zip(w) {
                        *sum += part * state[member.first + unknown];
                    }
                }
            }
        }
        total
    }

    /// What the magnets hold by themselves, plain parts answering.
    ///
    /// Each magnet follows its demagnetisation curve at full charge in the field of all the others at theirs;
    /// a part charge then scales it, as a knock-down does. A curve from Br and Hc alone is honest to about a
    /// tenth at the face.
    #[must_use]
    pub fn held(&self) -> State {
        let (plain, all) = (self.plain, self.unknowns());
        let mut magnets: DVector<f64> = DVector::zeros(all - plain);
        let charge = self.charge_of_unknowns();
        let start = |member: &Member, state: &mut DVector<f64>| {
            let Some(magnet) = member.body.magnet() else { return };
            let level = 0.4 * magnet.curve.remanence_t() / MU_0 * magnet.charge.signum();
            for at in 0..member.cut.unknowns {
                state[member.first - plain + at] = level * aligned(member, at);
            }
        };
        let holding: Vec<&Member> = self.members.iter().filter(|m| m.body.magnet().is_some()).collect();
        for member in &holding {
            start(member, &mut magnets);
        }
        for _ in 0..60 {
            let mut largest = 0.0_f64;
            for member in &holding {
                let (at, size) = (member.first - plain, member.cut.unknowns);
                let given = charge.component_mul(&magnets);
                let own = self.magnets.view((at, at), (size, size)).into_owned();
                let others = self.magnets.rows(at, size) * &given - &own * given.rows(at, size);
                let before = magnets.rows(at, size).into_owned();
                let after = follow(member, &own, &others, before.clone());
                largest = largest.max((&after - before).amax() / after.amax().max(1.0));
                magnets.rows_mut(at, size).copy_from(&after);
            }
            if largest < 1e-4 {
                break;
            }
        }
        let mut state = DVector::zeros(all);
        let given = charge.component_mul(&magnets);
        if let Some(factor) = &self.factor {
            let pushed = -(&self.coupling * &given);
            if let Some(solved) = factor.l_dirty().tr_solve_lower_triangular(&pushed) {
                state.rows_mut(0, plain).copy_from(&solved);
            }
        }
        state.rows_mut(plain, all - plain).copy_from(&given);
        state
    }

    /// The charges of a state on every part but `body`, in the order given.
    #[must_use]
    pub fn charged_without(&self, body: usize, state: &State) -> Vec<Charged> {
        let all = self.charged(state);
        let place = self.order[body];
        let from: usize = self.members[..place].iter().map(|m| m.cut.patches.len()).sum();
        let to = from + self.members[place].cut.patches.len();
        all[..from].iter().chain(&all[to..]).copied().collect()
    }

    fn charge_of_unknowns(&self) -> DVector<f64> {
        let mut charge = DVector::zeros(self.unknowns() - self.plain);
        for member in &self.members {
            if let Some(magnet) = member.body.magnet() {
                charge.rows_mut(member.first - self.plain, member.cut.unknowns).fill(magnet.charge.abs());
            }
        }
        charge
    }
}

/// 1 for an unknown that lies along the magnet's axis, else 0.
fn aligned(member: &Member, unknown: usize) -> f64 {
    match &member.body {
        Body::Rod(_) => 1.0,
        Body::Block(block) => {
            let axis = block.magnet.map_or(2, |m| m.0);
            let found = member.cut.samples.iter().flat_map(|s| &s.weights).find(|(u, _)| *u == unknown);
            found.map_or(0.0, |(_, w)| {
                f64::from(u8::from(w[axis].abs() > 0.5 * w.iter().map(|v| v.abs()).sum::<f64>()))
            })
        }
    }
}

fn susceptibility(body: &Body) -> f64 {
    (body.mu_r() - 1.0).max(1e-4)
}

/// Newton's iteration for one magnet: own·m + others + ∫(−H(m)) = 0 along its curve.
fn follow(member: &Member, own: &DMatrix<f64>, others: &DVector<f64>, mut m: DVector<f64>) -> DVector<f64> {
    let Some(magnet) = member.body.magnet() else { return m };
    let sign = magnet.charge.signum();
    for _ in 0..40 {
        let mut residual = own * &m + others;
        let mut jacobian = own.clone();
        for point in &member.cut.law {
            let along: f64 = point.along.iter().map(|&(u, c)| c * m[u]).sum();
            let (field, slope) = law(magnet.curve, sign * along);
            for &(a, ca) in &point.along {
                residual[a] += point.volume_m3 * sign * field * ca;
                for &(b, cb) in &point.along {
                    jacobian[(a, b)] += point.volume_m3 * slope.max(0.0) * ca * cb;
                }
            }
        }
        let Some(solver) = Cholesky::new(jacobian) else { break };
        let step = solver.solve(&residual);
        // A full step may leave the curve's second quadrant; a bounded one does not.
        let largest = step.amax() / m.amax().max(1.0);
        m -= &step * if largest > 0.3 { 0.3 / largest } else { 1.0 };
        if largest < 1e-6 {
            break;
        }
    }
    m
}

/// The curve, continued straight beyond remanence and below nothing, where it was not measured.
fn law(curve: Demagnetisation, m_a_m: f64) -> (f64, f64) {
    let top = curve.remanence_t() / MU_0;
    let kept = m_a_m.clamp(0.0, top);
    let (field, slope) = curve.field_at(kept);
    (field + slope * (m_a_m - kept), slope)
}

/// A block of the matrix that stands for more than one pair: keys, and the block.
type Known<const N: usize> = Vec<([f64; N], DMatrix<f64>)>;

/// N over all unknowns.
fn interactions(members: &[Member], size: usize, resolution: Resolution) -> DMatrix<f64> {
    let mut matrix = DMatrix::zeros(size, size);
    let (mut own, mut pairs): (Known<2>, Known<6>) = (Vec::new(), Vec::new());
    for (i, here) in members.iter().enumerate() {
        for there in &members[..=i] {
            let itself = std::ptr::eq(here, there);
            let block = match (&here.body, &there.body) {
                (Body::Rod(rod), _) if itself => known(&mut own, [rod.radius_m, rod.length_m], || {
                    weigh(here, &own_energies(rod, resolution.rod), there)
                }),
                (Body::Rod(a), Body::Rod(b)) => known(&mut pairs, stands(a, b), || {
                    let lateral =
                        ((a.axis_m.0 - b.axis_m.0).powi(2) + (a.axis_m.1 - b.axis_m.1).powi(2)).sqrt();
                    let between = |p: &Patch, q: &Patch| energy_apart(p, q, lateral.max(a.radius_m));
                    weigh(here, &energies(here, there, between), there)
                }),
                _ if itself => weigh(here, &own_of_block(here), there),
                _ => weigh(here, &energies(here, there, Patch::energy_with), there),
            };
            let (rows, columns) = (here.cut.unknowns, there.cut.unknowns);
            matrix.view_mut((here.first, there.first), (rows, columns)).copy_from(&block);
            if !itself {
                matrix.view_mut((there.first, here.first), (columns, rows)).copy_from(&block.transpose());
            }
        }
    }
    matrix
}

/// How two rods stand to one another: in an even row most pairs stand alike.
fn stands(a: &Rod, b: &Rod) -> [f64; 6] {
    let lateral = ((a.axis_m.0 - b.axis_m.0).powi(2) + (a.axis_m.1 - b.axis_m.1).powi(2)).sqrt();
    [lateral, a.bottom_m - b.bottom_m, a.radius_m, a.length_m, b.radius_m, b.length_m]
}

fn known<const N: usize>(
    all: &mut Known<N>,
    key: [f64; N],
    make: impl FnOnce() -> DMatrix<f64>,
) -> DMatrix<f64> {
    let same = |k: &&([f64; N], DMatrix<f64>)| k.0.iter().zip(&key).all(|(a, b)| (a - b).abs() < 1e-9);
    if let Some(found) = all.iter().find(same) {
        return found.1.clone();
    }
    let made = make();
    all.push((key, made.clone()));
    made
}

/// From energies between surfaces to energies between unknowns.
fn weigh(here: &Member, energies: &DMatrix<f64>, there: &Member) -> DMatrix<f64> {
    let mut half = DMatrix::zeros(here.cut.patches.len(), there.cut.unknowns);
    for (unknown, list) in there.cut.charges.iter().enumerate() {
        for &(patch, density) in list {
            let column = energies.column(patch) * density;
            let mut sum = half.column_mut(unknown);
            sum += column;
        }
    }
    let half = half.transpose();
    let mut whole = DMatrix::zeros(there.cut.unknowns, here.cut.unknowns);
    for (unknown, list) in here.cut.charges.iter().enumerate() {
        for &(patch, density) in list {
            let column = half.column(patch) * density;
            let mut sum = whole.column_mut(unknown);
            sum += column;
        }
    }
    whole.transpose()
}

fn energies(here: &Member, there: &Member, between: impl Fn(&Patch, &Patch) -> f64) -> DMatrix<f64> {
    let (a, b) = (&here.cut.patches, &there.cut.patches);
    DMatrix::from_fn(a.len(), b.len(), |i, j| between(&a[i], &b[j]))
}

/// A block's surfaces among themselves: the cells are alike, so that pairs that stand alike are reckoned once.
fn own_of_block(here: &Member) -> DMatrix<f64> {
    let patches = &here.cut.patches;
    let mut found: std::collections::HashMap<[i64; 6], f64> = std::collections::HashMap::new();
    let mut matrix = DMatrix::zeros(patches.len(), patches.len());
    #[allow(clippy::cast_possible_truncation, reason = "nanometres of a part fit")]
    let nano = |v: f64| (v * 1e9).round() as i64;
    let across = |p: &Patch| match p.shape {
        Shape::Rectangle { across: 0, .. } => 0,
        Shape::Rectangle { across: 1, .. } => 1,
        Shape::Rectangle { .. } => 2,
        _ => 3,
    };
    for i in 0..patches.len() {
        for j in 0..=i {
            let (a, b) = (&patches[i], &patches[j]);
            let apart = |k: usize| nano((a.center_m[k] - b.center_m[k]).abs());
            let (ka, kb) = (across(a), across(b));
            let key = [ka.min(kb), ka.max(kb), apart(0), apart(1), apart(2), 0];
            let value = *found.entry(key).or_insert_with(|| a.energy_with(b));
            matrix[(i, j)] = value;
            matrix[(j, i)] = value;
        }
    }
    matrix
}

static SIX: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(6));

/// Coulomb energies between the surfaces of one rod, m³: lower disc, bands, upper disc.
fn own_energies(rod: &Rod, intervals: usize) -> DMatrix<f64> {
    let r = rod.radius_m;
    let nodes = rod.nodes_m(intervals);
    let parts = intervals + 2;
    let ring_area = 2.0 * PI * r;
    // Second antiderivative of the ring kernel over the height: t²∫₀¹(1 − x)·g(t·x) dx, the nodes crowding to
    // where the kernel is like a logarithm.
    let twice = |t: f64| -> f64 {
        let sum: f64 =
            SIX.iter().map(|(v, w)| w * 2.0 * v * (1.0 - v * v) * ring_ring(r, r, t * v * v)).sum();
        t * t * sum
    };
    let count = nodes.len();
    let table = DMatrix::from_fn(count, count, |i, j| if i > j { twice(nodes[i] - nodes[j]) } else { 0.0 });
    let at = |i: usize, j: usize| table[(i.max(j), i.min(j))];
    let band = |i: usize, j: usize| {
        ring_area * ring_area * (at(i + 1, j) + at(i, j + 1) - at(i + 1, j + 1) - at(i, j))
    };
    // Disc and band whose nearer edge is `gap` away.
    let disc_band = |gap: f64, height: f64| -> f64 {
        let mut sum = 0.0;
        for (u, wu) in SIX.iter() {
            let a = r * (1.0 - u * u);
            for (v, wv) in SIX.iter() {
                let z = gap + v * v * height;
                sum +=
                    wu * 2.0 * u * r * 2.0 * PI * a * wv * 2.0 * v * height * ring_area * ring_ring(a, r, z);
            }
        }
        sum
    };
    let area = PI * r * r;
    // The mean inverse distance of two points in a disc is 16/(3πR).
    let disc_self = area * area * 16.0 / (3.0 * PI * r) / (4.0 * PI);
    let mut disc_disc = 0.0;
    for (u, wu) in SIX.iter() {
        for (v, wv) in SIX.iter() {
            let rings = (2.0 * PI * u * r) * (2.0 * PI * v * r) * ring_ring(u * r, v * r, rod.length_m);
            disc_disc += wu * wv * r * r * rings;
        }
    }
    let to_band: Vec<f64> = nodes.windows(2).map(|pair| disc_band(pair[0], pair[1] - pair[0])).collect();
    DMatrix::from_fn(parts, parts, |i, j| {
        let (low, high) = (i.min(j), i.max(j));
        match (low, high) {
            (0, 0) => disc_self,
            (0, h) if h == parts - 1 => disc_disc,
            (l, _) if l == parts - 1 => disc_self,
            (0, h) => to_band[h - 1],
            // The nodes are symmetric about the middle.
            (l, h) if h == parts - 1 => to_band[intervals - l],
            (l, h) => band(l - 1, h - 1),
        }
    })
}

/// The `order`th derivative of 1/√(D² + t²) by t, from −2 (second antiderivative) to 4.
fn inverse_distance(order: i32, t: f64, lateral: f64) -> f64 {
    let d2 = lateral * lateral;
    let s2 = d2 + t * t;
    let s = s2.sqrt();
    match order {
        -2 => t * (t / lateral).asinh() - s,
        -1 => (t / lateral).asinh(),
        0 => 1.0 / s,
        1 => -t / (s2 * s),
        2 => (2.0 * t * t - d2) / (s2 * s2 * s),
        3 => (9.0 * d2 * t - 6.0 * t.powi(3)) / (s2.powi(3) * s),
        _ => (24.0 * t.powi(4) - 72.0 * t * t * d2 + 9.0 * d2 * d2) / (s2.powi(4) * s),
    }
}

/// Lower and upper edge, and mean square and mean fourth power of the distance from the axis.
fn moments(patch: &Patch) -> (f64, f64, f64, f64) {
    let z = patch.center_m[2];
    match patch.shape {
        Shape::Disc { radius_m: r } => (z, z, r * r / 2.0, r.powi(4) / 3.0),
        Shape::Band { radius_m: r, half_m } => (z - half_m, z + half_m, r * r, r.powi(4)),
        Shape::Rectangle { .. } => (z, z, 0.0, 0.0),
    }
}

/// Coulomb energy between surfaces of two rods whose axes are `lateral` apart, m³: averages of 1/d over rings
/// as a series in the rings' radii, exact in height, to the fourth order in radius over distance.
fn energy_apart(a: &Patch, b: &Patch, lateral: f64) -> f64 {
    let ((a0, a1, a_sq, a_four), (b0, b1, b_sq, b_four)) = (moments(a), moments(b));
    let mean = |order: i32| {
        let f = |extra: i32, t: f64| inverse_distance(order + extra, t, lateral);
        match (a1 > a0, b1 > b0) {
            (false, false) => f(0, a0 - b0),
            (true, false) => (f(-1, a1 - b0) - f(-1, a0 - b0)) / (a1 - a0),
            (false, true) => (f(-1, b1 - a0) - f(-1, b0 - a0)) / (b1 - b0),
            (true, true) => {
                (f(-2, a1 - b0) - f(-2, a1 - b1) - f(-2, a0 - b0) + f(-2, a0 - b1)) / ((a1 - a0) * (b1 - b0))
            }
        }
    };
    let second = -(a_sq + b_sq) / 4.0;
    let fourth = (a_four + b_four) / 64.0 + a_sq * b_sq / 16.0;
    a.area_m2() * b.area_m2() / (4.0 * PI) * (mean(0) + second * mean(2) + fourth * mean(4))
}
