//! The dear part of a prediction, done once: fields, inductances, magnets, eddy currents, strings.

use super::model::{self, Model};
use super::part_list::PartList;
use super::parts::{PartSheet, Parts};
use super::strings::{self, Answers, Loss, StringSignal};
use super::wound::CoilModel;
use crate::circuit::{Join, Network, NetworkCoil};
use crate::design::Design;
use crate::eddy::{Mode, Relaxation, Screening, Sheet, pole_relaxations, with_skin};
use crate::inductance::{MU_0, Winding, field_of_zones};
use crate::magnet::{Body, Reduced, State, System, flux_density};
use nalgebra::{DMatrix, DVector};
use std::sync::Arc;

/// What parts bring to the inductance of the joined coils, by how far it depends on permeability and size.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct GainSlopes {
    /// Relative change of the gain for a tenth more of all susceptibilities.
    pub susceptibility: f64,
    /// Relative change for a poles' radius grown by one part.
    pub radius: f64,
}

/// What was worked out.
pub(super) struct Solved {
    /// Magnets, poles and metal by themselves.
    pub parts: Arc<Parts>,
    /// Inductance matrix in air, and what the parts add, H; all coils, currents the same way round.
    pub air_h: DMatrix<f64>,
    pub gain_h: DMatrix<f64>,
    pub gain_slopes: GainSlopes,
    pub relaxations: Vec<Relaxation>,
    /// What the same currents take from the signal: the mean over the strings.
    pub screening: Vec<Screening>,
    /// Shares of the joined coils in the eddy currents.
    pub eddy_shares: Vec<f64>,
    pub strings: Vec<StringSignal>,
    /// What one ampere in each coil magnetises.
    pub responses: Vec<State>,
    /// Currents in all coils for one ampere at the leads, counter-clockwise.
    pub pattern: Vec<f64>,
    pub hum_rejection_db: Option<f64>,
    /// Capacitance of the windings to what is grounded, as it counts at the leads, F.
    pub ground_f: f64,
}

impl Solved {
    /// A checked design resolved and solved; `list` has its parts.
    pub(super) fn solve(design: &Design, list: PartList) -> (Model, Self) {
        let (coils, parts) = coils_and_parts(design, &list);
        let model = Model::new(design, coils, list);
        let solved = Self::new(&model, parts);
        (model, solved)
    }

    fn new(model: &Model, parts: Arc<Parts>) -> Self {
        let system = &parts.system;
        let air_h = air(model);
        let drives = drives(model, system);
        let reduced = system.reduced(&drives);
        let gain_h = System::products_between(&reduced, &reduced) * MU_0;
        let network = plain_network(model, &(&air_h + &gain_h));
        let pattern = spread(model, &network.pattern());
        let drive = &drives * DVector::from_vec(pattern.clone());
        let responses = columns(&system.responses(&drives));
        let shares = responses.iter().zip(&pattern);
        let answer = shares.fold(State::zeros(drive.len()), |sum, (own, share)| sum + own * *share);
        let (sheets, weights) = sheet_modes(model, &parts, &reduced, &pattern);
        let groups = pole_groups(model, system, &drive, &answer);
        let of_sheets = sheets.iter().flat_map(|(_, modes)| modes.iter().map(|(mode, _)| mode.relaxation));
        let relaxations =
            of_sheets.chain(groups.iter().flat_map(|g| g.relaxations.iter().copied())).collect();
        let losses: Vec<(State, Vec<Loss>)> =
            groups.iter().map(|g| (g.magnetised.clone(), g.losses())).collect();
        let strings = strings::signals(
            model,
            system,
            &parts.charges,
            &Answers {
                responses: &responses,
                pattern: &pattern,
                sheets: &sheets,
                groups: &losses,
                are_likely_again: true,
            },
        );
        Self {
            responses: responses.clone(),
            pattern: pattern.clone(),
            gain_slopes: gain_slopes(model, system, &drive, &answer),
            eddy_shares: eddy_shares(model, &network, &weights),
            ground_f: ground(model, &network),
            hum_rejection_db: hum(model, &network, system, &responses),
            air_h,
            gain_h,
            relaxations,
            screening: mean_screening(&strings, &pattern),
            strings,
            parts,
        }
    }

    /// Whether the inductances are those of coils that can be: positive, and no mutual one beyond what two coils share.
    pub(super) fn is_sound(&self, model: &Model) -> bool {
        let whole = &self.air_h + &self.gain_h;
        let n = model.coils.len();
        let own = (0..n).all(|i| whole[(i, i)] > 0.0 && whole[(i, i)].is_finite());
        let pairs = (0..n).all(|a| (0..a).all(|b| whole[(a, b)].powi(2) < whole[(a, a)] * whole[(b, b)]));
        own && pairs && plain_network(model, &whole).inductance_h() > 0.0
    }

    /// The signals of other strings over the same pickup.
    pub(super) fn strings_anew(&self, model: &Model) -> Vec<StringSignal> {
        let pattern = vec![1.0; self.responses.len()];
        let answers = Answers {
            responses: &self.responses,
            pattern: &pattern,
            sheets: &[],
            groups: &[],
            are_likely_again: false,
        };
        strings::signals(model, &self.parts.system, &self.parts.charges, &answers)
    }

    /// Flux density of the magnets and what they magnetise, T.
    pub(super) fn flux_density(&self, point_m: [f64; 3]) -> [f64; 3] {
        flux_density(&self.parts.charges, point_m)
    }
}

/// The coils as laid and the parts as solved, which know nothing of each other: side by side, unless one of them is cached.
fn coils_and_parts(design: &Design, list: &PartList) -> (Vec<CoilModel>, Arc<Parts>) {
    if let Some(parts) = Parts::cached(list) {
        return (model::coils(design), parts);
    }
    if CoilModel::are_cached(design) {
        return (model::coils(design), Parts::solve(list));
    }
    crate::threads::side_by_side(|| model::coils(design), || Parts::solve(list))
}

/// The circuit at rest for an inductance matrix of all coils.
pub(super) fn plain_network(model: &Model, inductance: &DMatrix<f64>) -> Network {
    let coils = model
        .joined
        .iter()
        .map(|&i| NetworkCoil {
            resistance_ohm: 1.0,
            capacitance_f: 0.0,
            sense: model.coils[i].sense,
            signal: 1.0,
            eddy_share: 0.0,
        })
        .collect();
    let rows = model.joined.iter().map(|&a| model.joined.iter().map(|&b| inductance[(a, b)]).collect());
    Network {
        coils,
        inductance_h: rows.collect(),
        join: model.join,
        relaxations: Vec::new(),
        screening: Vec::new(),
        leads_f: model.leads_f,
    }
}

/// From the joined coils to all: nothing in those left out.
fn spread(model: &Model, of_joined: &[f64]) -> Vec<f64> {
    let mut all = vec![0.0; model.coils.len()];
    for (&i, value) in model.joined.iter().zip(of_joined) {
        all[i] = *value;
    }
    all
}

fn air(model: &Model) -> DMatrix<f64> {
    let n = model.coils.len();
    let mut matrix = DMatrix::zeros(n, n);
    let windings: Vec<Winding> = model.coils.iter().map(CoilModel::winding).collect();
    for i in 0..n {
        matrix[(i, i)] = model.coils[i].air_h;
        for k in 0..i {
            let mutual = windings[i].mutual_h(&windings[k]);
            matrix[(i, k)] = mutual;
            matrix[(k, i)] = mutual;
        }
    }
    matrix
}

/// What one ampere in each coil drives in the parts.
fn drives(model: &Model, system: &System) -> DMatrix<f64> {
    let mut drives = DMatrix::zeros(system.unknowns(), model.coils.len());
    if !system.is_empty() {
        let probe = system.probe();
        for (i, coil) in model.coils.iter().enumerate() {
            // Inside the core the lay and every node count; beyond it half of them do.
            let (half_x, half_y) = coil.core.half_size_m();
            let inside = |p: &[f64; 3]| {
                (p[0] - coil.center_m.0).abs() < half_x && (p[1] - coil.center_m.1).abs() < half_y
            };
            let (own, other): (Vec<[f64; 3]>, Vec<[f64; 3]>) = probe.points_m.iter().partition(|p| inside(p));
            let mut own = field_of_zones(&coil.zones, &own).into_iter();
            let mut other = coil.winding().field_beyond(&other).into_iter();
            let field: Vec<[f64; 3]> = probe
                .points_m
                .iter()
                .map(|p| if inside(p) { own.next() } else { other.next() }.unwrap_or_default())
                .collect();
            drives.set_column(i, &System::drive(&probe, &field));
        }
    }
    drives
}

/// Flux of one ampere in each coil through a sheet, Wb: one column per coil.
fn fluxes(model: &Model, sheet: &Sheet) -> DMatrix<f64> {
    let points = sheet.points_m();
    let columns: Vec<DVector<f64>> =
        model.coils.iter().map(|coil| sheet.flux(&coil.winding().field_beyond(&points))).collect();
    DMatrix::from_columns(&columns)
}

fn columns(matrix: &DMatrix<f64>) -> Vec<State> {
    matrix.column_iter().map(nalgebra::Matrix::into_owned).collect()
}

fn from_columns(columns: &[&DVector<f64>]) -> DMatrix<f64> {
    let values = columns.iter().flat_map(|column| column.iter().copied()).collect();
    DMatrix::from_vec(columns[0].len(), columns.len(), values)
}

/// A sheet with the ways of its currents dying away, and what those magnetise.
type SheetModes<'a> = (&'a Sheet, Vec<(Mode, State)>);

/// The ways of dying away of all sheets for the pattern of currents, and each coil's part in driving them.
fn sheet_modes<'a>(
    model: &Model,
    parts: &'a Parts,
    drives: &Reduced,
    pattern: &[f64],
) -> (Vec<SheetModes<'a>>, Vec<f64>) {
    let system = &parts.system;
    let mut weights = vec![0.0; pattern.len()];
    let mut all = Vec::new();
    let pattern = DVector::from_row_slice(pattern);
    for PartSheet { sheet, loops, reduced, answer, diffusion_s } in &parts.sheets {
        let mut flux = fluxes(model, sheet);
        if !system.is_empty() {
            flux += System::products_between(reduced, drives) * MU_0;
        }
        let whole = &flux * &pattern;
        for (i, weight) in weights.iter_mut().enumerate() {
            *weight += sheet.drive_product(&flux.column(i).into_owned(), &whole);
        }
        let mut modes = sheet.modes(&whole, answer.as_ref());
        if let Some(diffusion_s) = diffusion_s {
            modes = with_skin(&modes, *diffusion_s);
        }
        let mut states = vec![State::zeros(0); modes.len()];
        if !system.is_empty() && !modes.is_empty() {
            let currents: Vec<&DVector<f64>> = modes.iter().map(|mode| &mode.currents).collect();
            states = columns(&system.responses(&(loops * from_columns(&currents))));
        }
        all.push((sheet.as_ref(), modes.into_iter().zip(states).collect()));
    }
    (all, weights)
}

/// What eddy currents take from the signal of all strings together: each string's share by how much it sends.
fn mean_screening(strings: &[StringSignal], pattern: &[f64]) -> Vec<Screening> {
    let sent = |s: &StringSignal| -> f64 { s.by_coil.iter().zip(pattern).map(|(b, p)| b * p).sum() };
    let whole: f64 = strings.iter().map(sent).sum();
    if whole.abs() < 1e-30 {
        return Vec::new();
    }
    let mut mean: Vec<Screening> = Vec::new();
    for string in strings {
        let share = sent(string) / whole;
        for one in &string.screening {
            let coupling_s = share * one.coupling_s;
            // The same way of dying away has the same time for every string.
            #[allow(clippy::float_cmp, reason = "copies of one number")]
            match mean.iter_mut().find(|m| m.time_s == one.time_s) {
                Some(known) => known.coupling_s += coupling_s,
                None => mean.push(Screening { coupling_s, time_s: one.time_s }),
            }
        }
    }
    mean
}

/// Each joined coil's share in the eddy currents, counted towards the hot lead, so that the currents of the pattern
/// meet them whole.
fn eddy_shares(model: &Model, network: &Network, weights: &[f64]) -> Vec<f64> {
    let pattern = network.pattern();
    let hot: Vec<f64> = network.coils.iter().zip(&pattern).map(|(c, p)| c.sense * p).collect();
    let own: Vec<f64> = model.joined.iter().zip(&network.coils).map(|(&i, c)| c.sense * weights[i]).collect();
    let whole: f64 = own.iter().zip(&hot).map(|(w, p)| w * p).sum();
    if whole.abs() > 1e-30 {
        return own.iter().map(|w| w / whole).collect();
    }
    // No sheets: poles alone, to each by its share of the current.
    let squares: f64 = hot.iter().map(|p| p * p).sum();
    hot.iter().map(|p| p / squares).collect()
}

/// Equal conducting magnetic parts.
struct PoleGroup {
    mu_r: f64,
    sigma_s_m: f64,
    radius_m: f64,
    /// Inductance that the group brings, H.
    gain_h: f64,
    overlap: f64,
    /// What the pattern of currents magnetises in the group alone.
    magnetised: State,
    relaxations: Vec<Relaxation>,
}

impl PoleGroup {
    /// The shares of its magnetisation that its currents take.
    fn losses(&self) -> Vec<Loss> {
        let share = |r: &Relaxation| Loss { share: r.strength_hs / r.time_s / self.gain_h, time_s: r.time_s };
        self.relaxations.iter().map(share).collect()
    }
}

/// Currents inside conducting poles and magnetic plates, group by group of equal parts.
fn pole_groups(model: &Model, system: &System, drive: &State, answer: &State) -> Vec<PoleGroup> {
    let mut groups: Vec<PoleGroup> = Vec::new();
    for (i, (_, body)) in model.parts.bodies.iter().enumerate() {
        let sigma_s_m = model.parts.body_sigma_s_m[i];
        let radius_m = match body {
            Body::Rod(rod) => rod.radius_m,
            // A sheet of the same ratio of skin to core: half its thickness over √2 gives the same first loss as a
            // round core.
            Body::Block(block) => {
                let thin = block.size_m.iter().copied().fold(f64::INFINITY, f64::min);
                thin / 2.0 * (8.0_f64 / 3.0).sqrt()
            }
        };
        let (gain_h, overlap) = (MU_0 * system.share(i, drive, answer), MU_0 * system.overlap(i, answer));
        let alike = |g: &&mut PoleGroup| {
            (g.mu_r - body.mu_r()).abs() < 1e-9
                && (g.sigma_s_m - sigma_s_m).abs() < 1.0
                && (g.radius_m - radius_m).abs() < 1e-7
        };
        let magnetised = system.only(i, answer);
        if let Some(group) = groups.iter_mut().find(alike) {
            group.gain_h += gain_h;
            group.overlap += overlap;
            group.magnetised += magnetised;
        } else {
            let (mu_r, relaxations) = (body.mu_r(), Vec::new());
            groups.push(PoleGroup { mu_r, sigma_s_m, radius_m, gain_h, overlap, magnetised, relaxations });
        }
    }
    groups.retain(|g| g.gain_h > 0.0);
    for g in &mut groups {
        g.relaxations = pole_relaxations(g.gain_h, g.overlap / g.gain_h, g.mu_r, g.sigma_s_m, g.radius_m);
    }
    groups.retain(|g| !g.relaxations.is_empty());
    groups
}

fn gain_slopes(model: &Model, system: &System, drive: &State, answer: &State) -> GainSlopes {
    let (mut whole, mut by_chi, mut by_radius) = (0.0, 0.0, 0.0);
    for (i, (_, body)) in model.parts.bodies.iter().enumerate() {
        let gain = system.share(i, drive, answer);
        let chi = (body.mu_r() - 1.0).max(1e-4);
        // d(gain)/d(1/χ) is minus the overlap; a tenth more χ is 1/χ less by a tenth.
        let material = system.overlap(i, answer) / chi;
        whole += gain;
        by_chi += 0.1 * material;
        // What its material limits grows with the section; what its poles limit, about as the radius.
        by_radius += 2.0 * material + 0.9 * (gain - material);
    }
    if whole.abs() < 1e-30 {
        return GainSlopes::default();
    }
    GainSlopes { susceptibility: by_chi / whole, radius: by_radius / whole }
}

/// Turns times area of a coil that an even field meets, with what the poles gather, m²: the moment of one ampere, by reciprocity.
pub(super) fn gathered_m2(coil: &CoilModel, system: &System, response: &State) -> [f64; 3] {
    let mut area = system.moment(response);
    area[2] += coil.turns * coil.mean_area_m2();
    area
}

/// How much less hum the joined coils pick up than they would all in one sense, dB: moments of one ampere, by
/// reciprocity the flux of an even field. `None` for one coil.
fn hum(model: &Model, network: &Network, system: &System, responses: &[State]) -> Option<f64> {
    if model.joined.len() < 2 {
        return None;
    }
    let pattern = network.pattern();
    let (mut sum, mut whole) = ([0.0; 3], 0.0);
    for (&i, share) in model.joined.iter().zip(&pattern) {
        let area = gathered_m2(&model.coils[i], system, &responses[i]);
        whole += share.abs() * area.iter().map(|m| m * m).sum::<f64>().sqrt();
        for (s, m) in sum.iter_mut().zip(area) {
            *s += share * m;
        }
    }
    let left = sum.iter().map(|s| s * s).sum::<f64>().sqrt();
    Some((20.0 * (whole / left.max(1e-30)).log10()).min(80.0))
}

/// What the windings have to ground, as it counts at the leads, F: every end of every coil at its share of the voltage.
fn ground(model: &Model, network: &Network) -> f64 {
    let shares = network.voltage_shares();
    let mut below = 0.0;
    let mut total = 0.0;
    for (&i, share) in model.joined.iter().zip(shares) {
        let (low, high) = match model.join {
            Join::Series => (below, below + share),
            Join::Parallel => (0.0, 1.0),
        };
        below += share;
        let (inner, outer) = if model.coils[i].starts_at_ground { (low, high) } else { (high, low) };
        total += model.facing[i].at_leads_f(inner, outer);
    }
    total
}

/// Whether the coils' own circuit is one in which the currents divide.
pub(super) fn divides(model: &Model) -> bool {
    model.join == Join::Parallel && model.joined.len() > 1
}
