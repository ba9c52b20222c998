//! All magnetic parts together: a method of moments in which every part acts on every other.
//!
//! Galerkin's form with the Coulomb energy between all charges gives the symmetric positive matrix
//! N = CᵀPC (C: charges of the unknowns, P: energies between surfaces), to which a linear part adds
//! ∫M·M′ dV/χ. Plain parts are eliminated first, which leaves a small system for the magnets: once with their
//! recoil permeability for what a coil's current does, once with their demagnetisation curves for what they
//! hold by themselves.

use super::body::{Body, LawPoint, Resolution, SPREADS};
use super::grade::Demagnetisation;
use super::interaction::interactions;
use super::member::{Member, Source, Surfaces};
use super::patch::Charged;
use crate::cache::{Cache, bounds};
use crate::factor::{Factor, part};
use crate::inductance::MU_0;
use nalgebra::{DMatrix, DVector};
use std::sync::Arc;
use wide::f64x4;

/// The parts with their mutual action worked out.
#[derive(Clone, Debug)]
pub struct System {
    members: Vec<Member>,
    /// Places of the members in the order that the parts were given.
    order: Vec<usize>,
    /// Unknowns of all parts, plain ones first, then magnets.
    unknowns: usize,
    /// Unknowns of plain parts.
    plain: usize,
    /// Factor of the plain parts' block, and L⁻¹ of what couples it to the magnets.
    factor: Option<Arc<Factor>>,
    coupling: DMatrix<f64>,
    /// That with rows and columns exchanged: products take it again and again.
    coupling_across: DMatrix<f64>,
    /// The magnets' own block with the answer of the plain parts in it.
    magnets: DMatrix<f64>,
    /// Factor of that block with the magnets' recoil permeability.
    recoil: Option<Factor>,
}

/// Factors of plain parts: while magnets are changed the plates stay.
static PLAIN_FACTORS: Cache<Vec<Source>, Factor> = Cache::new(bounds::PLAIN_FACTORS);

/// A state of all parts: the magnetisation of every unknown, A/m.
pub type State = DVector<f64>;

/// Drives with what they share of the parts taken out: their products are plain ones.
#[derive(Clone, Debug)]
pub struct Reduced {
    plain: DMatrix<f64>,
    magnets: DMatrix<f64>,
}

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
        let has_bar = has_bar(bodies);
        let mut members = Vec::with_capacity(bodies.len());
        let (mut first, mut plain) = (0, 0);
        for &i in &ranked {
            let member = Member::new(Source { body: bodies[i], resolution, is_beside_bar: has_bar }, first);
            first += member.mesh.unknowns;
            members.push(member);
            if bodies[i].magnet().is_none() {
                plain = first;
            }
        }
        let mut order = vec![0; bodies.len()];
        for (place, &i) in ranked.iter().enumerate() {
            order[i] = place;
        }
        let charges = interactions(&members, first);
        let mut system = Self {
            members,
            order,
            unknowns: first,
            plain,
            factor: None,
            coupling: DMatrix::zeros(0, 0),
            coupling_across: DMatrix::zeros(0, 0),
            magnets: DMatrix::zeros(0, 0),
            recoil: None,
        };
        system.eliminate(charges);
        system
    }

    /// How many unknowns bodies would have, without computing anything of them.
    #[must_use]
    pub fn unknowns_of(bodies: &[Body], resolution: Resolution) -> usize {
        let has_bar = has_bar(bodies);
        let source = |body: &Body| Source { body: *body, resolution, is_beside_bar: has_bar };
        bodies.iter().map(|body| source(body).unknowns()).sum()
    }

    /// Number of unknowns.
    #[must_use]
    pub const fn unknowns(&self) -> usize {
        self.unknowns
    }

    /// Memory that its matrices hold, bytes.
    #[must_use]
    pub fn bytes(&self) -> usize {
        let held = self.unknowns - self.plain;
        let entries = self.plain * self.plain + 2 * self.plain * held + 2 * held * held;
        entries * std::mem::size_of::<f64>()
    }

    /// Whether there is nothing in it.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.members.is_empty()
    }

    /// Factors N over all unknowns with what the materials add to it.
    fn eliminate(&mut self, mut matrix: DMatrix<f64>) {
        let (all, plain) = (self.unknowns, self.plain);
        let held = all - plain;
        for member in &self.members {
            let chi = susceptibility(member.body());
            let add = |list: &[(usize, usize, f64)], matrix: &mut DMatrix<f64>| {
                for &(a, b, value) in list {
                    matrix[(member.first + a, member.first + b)] += value / chi;
                }
            };
            add(&member.mesh.across, &mut matrix);
            if member.body().magnet().is_none() {
                add(&member.mesh.along, &mut matrix);
            }
        }
        self.magnets = part(&matrix, plain..all, plain..all);
        if plain > 0 {
            self.factor = self.factor_of_plain(&matrix);
        }
        if let Some(factor) = &self.factor
            && held > 0
        {
            self.coupling = part(&matrix, 0..plain, plain..all);
            factor.forward_mut(&mut self.coupling);
            self.coupling_across = self.coupling.transpose();
            take_square(&mut self.magnets, &self.coupling, &self.coupling_across);
        } else {
            self.coupling = DMatrix::zeros(plain, held);
            self.coupling_across = DMatrix::zeros(held, plain);
        }
        let mut recoil = self.magnets.clone();
        for member in self.members.iter().filter(|m| m.body().magnet().is_some()) {
            let chi = susceptibility(member.body());
            let at = member.first - plain;
            for &(a, b, value) in &member.mesh.along {
                recoil[(at + a, at + b)] += value / chi;
            }
        }
        self.recoil = (held > 0).then(|| Factor::try_new(recoil)).flatten();
    }

    /// The factor of the plain parts' block.
    fn factor_of_plain(&self, matrix: &DMatrix<f64>) -> Option<Arc<Factor>> {
        let sources = self.plain_parts();
        PLAIN_FACTORS.get(&sources).or_else(|| {
            // Positive by construction; a failure would mean degenerate parts, which then carry nothing.
            let factor = Factor::try_new(part(matrix, 0..self.plain, 0..self.plain))?;
            Some(PLAIN_FACTORS.insert(sources, factor))
        })
    }

    /// Where a coil's field has to be known.
    #[must_use]
    pub fn probe(&self) -> Probe {
        let mut probe = Probe { points_m: Vec::new(), weights: Vec::new(), unknowns: self.unknowns() };
        for member in &self.members {
            for sample in &member.mesh.samples {
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
        let answer = self.responses(&DMatrix::from_columns(std::slice::from_ref(drive)));
        answer.column(0).into_owned()
    }

    /// The magnetisations that drives induce, column by column.
    #[must_use]
    pub fn responses(&self, drives: &DMatrix<f64>) -> DMatrix<f64> {
        if self.is_empty() {
            return drives.clone();
        }
        let Reduced { mut plain, mut magnets } = self.reduced(drives);
        if let Some(recoil) = &self.recoil {
            recoil.backward_mut(&mut magnets);
        }
        if let Some(factor) = &self.factor {
            if self.recoil.is_some() {
                plain.gemm(-1.0, &self.coupling, &magnets, 1.0);
            }
            factor.backward_mut(&mut plain);
        }
        let mut answer = DMatrix::zeros(drives.nrows(), drives.ncols());
        answer.rows_mut(0, plain.nrows()).copy_from(&plain);
        answer.rows_mut(self.plain, magnets.nrows()).copy_from(&magnets);
        answer
    }

    /// Drives as [`Self::products_between`] takes them: L⁻¹ of them, where A = LLᵀ. It is the dear part of a product.
    #[must_use]
    pub fn reduced(&self, drives: &DMatrix<f64>) -> Reduced {
        self.reduced_from(drives, self.forward_plain(drives))
    }

    /// The part of [`Self::reduced`] that plain parts alone have in it: it stays while magnets are changed.
    pub(crate) fn forward_plain(&self, drives: &DMatrix<f64>) -> DMatrix<f64> {
        let mut plain = part(drives, 0..self.plain, 0..drives.ncols());
        if let Some(factor) = &self.factor {
            factor.forward_mut(&mut plain);
        }
        plain
    }

    /// As [`Self::reduced`] from what [`Self::forward_plain`] gives.
    pub(crate) fn reduced_from(&self, drives: &DMatrix<f64>, mut plain: DMatrix<f64>) -> Reduced {
        let mut magnets = DMatrix::zeros(0, drives.ncols());
        if let Some(recoil) = &self.recoil {
            magnets = part(drives, self.plain..self.unknowns, 0..drives.ncols());
            magnets.gemm(-1.0, &self.coupling_across, &plain, 1.0);
            recoil.forward_mut(&mut magnets);
        }
        if self.factor.is_none() {
            plain = DMatrix::zeros(0, drives.ncols());
        }
        Reduced { plain, magnets }
    }

    /// The plain parts.
    pub(crate) fn plain_parts(&self) -> Vec<Source> {
        let sources = self.members.iter().map(|member| member.source);
        sources.filter(|source| source.body.magnet().is_none()).collect()
    }

    /// Products ⟨a, b⟩ = aᵀA⁻¹b of drives of one system: what they add to mutual inductances, over μ₀.
    #[must_use]
    pub fn products_between(a: &Reduced, b: &Reduced) -> DMatrix<f64> {
        let mut all = a.plain.transpose() * &b.plain;
        all.gemm(1.0, &a.magnets.transpose(), &b.magnets, 1.0);
        all
    }

    /// Products of drives with one another, all at once.
    #[must_use]
    pub fn products(&self, drives: &DMatrix<f64>) -> DMatrix<f64> {
        let reduced = self.reduced(drives);
        Self::products_between(&reduced, &reduced)
    }

    /// The charges of a state.
    #[must_use]
    pub fn charged(&self, state: &State) -> Vec<Charged> {
        let mut all = Vec::new();
        for part in self.surfaces() {
            let from = all.len();
            all.extend(part.patches.iter().map(|&patch| Charged { patch, density_a_m: 0.0 }));
            for (unknown, list) in part.charges.iter().enumerate() {
                for &(patch, density) in list {
                    all[from + patch].density_a_m += density * state[part.first + unknown];
                }
            }
        }
        all
    }

    /// What the parts look like from outside, in the order of [`Self::charged`].
    pub(crate) fn surfaces(&self) -> impl Iterator<Item = Surfaces<'_>> {
        self.members.iter().map(Member::surfaces)
    }

    /// stateᵀ·(∫M·M′ dV)·state of part `body`, in the order given: minus the slope of the energy over 1/χ.
    #[must_use]
    pub fn overlap(&self, body: usize, state: &State) -> f64 {
        let member = &self.members[self.order[body]];
        let lists = member.mesh.along.iter().chain(&member.mesh.across);
        lists.map(|&(a, b, v)| v * state[member.first + a] * state[member.first + b]).sum()
    }

    /// driveᵀ·state over part `body` alone, in the order given.
    #[must_use]
    pub fn share(&self, body: usize, drive: &State, state: &State) -> f64 {
        let member = &self.members[self.order[body]];
        let range = (member.first, member.mesh.unknowns);
        drive.rows(range.0, range.1).dot(&state.rows(range.0, range.1))
    }

    /// A state with nothing but part `body`, in the order given.
    #[must_use]
    pub fn only(&self, body: usize, state: &State) -> State {
        let member = &self.members[self.order[body]];
        let mut only = State::zeros(state.len());
        let own = state.rows(member.first, member.mesh.unknowns);
        only.rows_mut(member.first, member.mesh.unknowns).copy_from(&own);
        only
    }

    /// Magnetic moment of a state, A·m².
    #[must_use]
    pub fn moment(&self, state: &State) -> [f64; 3] {
        let mut total = [0.0; 3];
        for member in &self.members {
            for sample in &member.mesh.samples {
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
    pub fn remanent_state(&self) -> State {
        let (plain, all) = (self.plain, self.unknowns());
        let mut magnets: DVector<f64> = DVector::zeros(all - plain);
        let charge = self.charge_of_unknowns();
        let start = |member: &Member, state: &mut DVector<f64>| {
            let Some(magnet) = member.body().magnet() else { return };
            let level = 0.4 * magnet.curve.remanence_t() / MU_0 * magnet.charge.signum();
            for at in 0..member.mesh.unknowns {
                state[member.first - plain + at] = level * aligned(member, at);
            }
        };
        let holding: Vec<&Member> = self.members.iter().filter(|m| m.body().magnet().is_some()).collect();
        for member in &holding {
            start(member, &mut magnets);
        }
        let own_of = |m: &&Member| {
            let range = m.first - plain..m.first - plain + m.mesh.unknowns;
            part(&self.magnets, range.clone(), range)
        };
        let own: Vec<DMatrix<f64>> = holding.iter().map(own_of).collect();
        let mut slopes: Vec<Option<Factor>> = vec![None; holding.len()];
        // Each magnet's curve is followed as closely as the others' fields are known: to a share of what the last round moved.
        let mut moved = 1.0;
        for _ in 0..60 {
            let mut largest = 0.0_f64;
            for (k, member) in holding.iter().enumerate() {
                let (at, size) = (member.first - plain, member.mesh.unknowns);
                let given = charge.component_mul(&magnets);
                // The matrix is symmetric, and its columns are read faster than its rows.
                let others = self.magnets.columns(at, size).tr_mul(&given) - &own[k] * given.rows(at, size);
                let before = magnets.rows(at, size).into_owned();
                let mut from = before.clone();
                // At first a magnet is followed from where the one before it, of the same kind, has come to.
                if slopes[k].is_none() && k > 0 && is_same_magnet(holding[k - 1], member) {
                    from.copy_from(&magnets.rows(holding[k - 1].first - plain, size));
                    let slope = slopes[k - 1].clone();
                    slopes[k] = slope;
                }
                let after = solve_curve(member, &own[k], &others, (from, &mut slopes[k]), 0.01 * moved);
                largest = largest.max((&after - before).amax() / after.amax().max(1.0));
                magnets.rows_mut(at, size).copy_from(&after);
            }
            if largest < 1e-4 {
                break;
            }
            moved = largest.min(1.0);
        }
        let mut state = DVector::zeros(all);
        let given = charge.component_mul(&magnets);
        if let Some(factor) = &self.factor {
            let pushed = -(&self.coupling * &given);
            state.rows_mut(0, plain).copy_from(&factor.backward(pushed.as_view()));
        }
        state.rows_mut(plain, all - plain).copy_from(&given);
        state
    }

    fn charge_of_unknowns(&self) -> DVector<f64> {
        let mut charge = DVector::zeros(self.unknowns() - self.plain);
        for member in &self.members {
            if let Some(magnet) = member.body().magnet() {
                charge.rows_mut(member.first - self.plain, member.mesh.unknowns).fill(magnet.charge.abs());
            }
        }
        charge
    }
}

/// Takes aᵀa from a symmetric matrix, `across` being aᵀ: what lies on and below the diagonal as products of block columns, the rest by
/// symmetry.
fn take_square(matrix: &mut DMatrix<f64>, a: &DMatrix<f64>, across: &DMatrix<f64>) {
    const BLOCK: usize = 48;
    let size = matrix.nrows();
    for from in (0..size).step_by(BLOCK) {
        let wide = BLOCK.min(size - from);
        matrix.view_mut((from, from), (size - from, wide)).gemm(
            -1.0,
            &across.rows(from, size - from),
            &a.columns(from, wide),
            1.0,
        );
    }
    matrix.fill_upper_triangle_with_lower_triangle();
}

/// 1 for an unknown that lies along the magnet's axis, else 0.
fn aligned(member: &Member, unknown: usize) -> f64 {
    match member.body() {
        // The others are deviations from what is even over the section.
        Body::Rod(_) => f64::from(u8::from(SPREADS * unknown < member.mesh.unknowns)),
        Body::Block(block) => {
            let axis = block.magnet.map_or(2, |m| m.0);
            let found = member.mesh.samples.iter().flat_map(|s| &s.weights).find(|(u, _)| *u == unknown);
            found.map_or(0.0, |(_, w)| {
                f64::from(u8::from(w[axis].abs() > 0.5 * w.iter().map(|v| v.abs()).sum::<f64>()))
            })
        }
    }
}

/// Whether two magnets differ at most in their places: they hold much the same.
fn is_same_magnet(a: &Member, b: &Member) -> bool {
    let kind = |member: &Member| member.body().magnet().map(|m| (m.curve, m.charge.signum()));
    a.mesh.unknowns == b.mesh.unknowns && kind(a) == kind(b)
}

/// Whether a bar magnet is among parts: flux from it enters rods sideways.
fn has_bar(bodies: &[Body]) -> bool {
    bodies.iter().any(|body| matches!(body, Body::Block(block) if block.magnet.is_some()))
}

fn susceptibility(body: &Body) -> f64 {
    (body.mu_r() - 1.0).max(1e-4)
}

/// Newton's iteration for one magnet: own·m + others + ∫(−H(m)) = 0 along its curve, until a step is less than a share of m. The
/// slope is taken from before for as long as the steps shrink with it to a quarter and less.
fn solve_curve(
    member: &Member,
    own: &DMatrix<f64>,
    others: &DVector<f64>,
    (mut m, slope): (DVector<f64>, &mut Option<Factor>),
    until: f64,
) -> DVector<f64> {
    let Some(magnet) = member.body().magnet() else { return m };
    let sign = magnet.charge.signum();
    // Field and slope at every point of the magnet.
    let laws = |m: &DVector<f64>| -> Vec<(f64, f64)> {
        let along = |point: &LawPoint| sign * point.along.iter().map(|&(u, c)| c * m[u]).sum::<f64>();
        let four = |four: &[LawPoint]| {
            // Of fewer than four the last stands for those that lack.
            let m = f64x4::from(std::array::from_fn(|k| along(&four[k.min(four.len() - 1)])));
            let (fields, slopes) = law(magnet.curve, m);
            fields.to_array().into_iter().zip(slopes.to_array()).take(four.len())
        };
        member.mesh.law.chunks(4).flat_map(four).collect()
    };
    let mut steps = (f64::INFINITY, f64::INFINITY);
    for _ in 0..40 {
        let at_points = laws(&m);
        if slope.is_none() || steps.1 > 0.25 * steps.0 {
            let mut jacobian = own.clone();
            for (point, (_, by_m)) in member.mesh.law.iter().zip(&at_points) {
                let weight = point.volume_m3 * by_m.max(0.0);
                for &(a, ca) in &point.along {
                    // Of a symmetric matrix the lower half is read.
                    for &(b, cb) in point.along.iter().filter(|(b, _)| *b <= a) {
                        jacobian[(a, b)] += weight * ca * cb;
                    }
                }
            }
            *slope = Factor::try_new(jacobian);
        }
        let Some(factor) = &slope else { break };
        let mut residual = own * &m + others;
        for (point, (field, _)) in member.mesh.law.iter().zip(&at_points) {
            let weight = point.volume_m3 * sign * field;
            for &(a, ca) in &point.along {
                residual[a] += weight * ca;
            }
        }
        let step = factor.solve(residual.as_view());
        // A full step may leave the curve's second quadrant; a bounded one does not.
        let largest = step.amax() / m.amax().max(1.0);
        m -= &step * if largest > 0.3 { 0.3 / largest } else { 1.0 };
        if largest < until {
            break;
        }
        steps = (steps.1, largest);
    }
    m
}

/// The curve, continued straight beyond remanence and below nothing, where it was not measured: field strength and its slope at four
/// magnetisations.
fn law(curve: Demagnetisation, m_a_m: f64x4) -> (f64x4, f64x4) {
    let top = curve.remanence_t() / MU_0;
    let kept = m_a_m.max(f64x4::ZERO).min(f64x4::splat(top));
    let (field, slope) = curve.fields_at(kept);
    (field + slope * (m_a_m - kept), slope)
}
