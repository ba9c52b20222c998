//! What is not known exactly, and the figures for any choice of it.

use super::model::Model;
use super::part_list::PartList;
use super::solve::Solved;
use crate::circuit::{Network, NetworkCoil, Peak};
use crate::wind::{Lay, Pattern};
use crate::wire::at_temperature;
use nalgebra::DMatrix;
use std::sync::OnceLock;

/// Deviations of one coil from its nominal.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct CoilInputs {
    /// Relative.
    pub ohm: f64,
    pub overall: f64,
    pub packing: f64,
    pub turns: f64,
    /// m.
    pub height_m: f64,
    pub core_m: f64,
}

/// Deviations of everything from its nominal.
#[derive(Clone, Debug, Default)]
pub(super) struct Inputs {
    pub coils: Vec<CoilInputs>,
    pub room_k: f64,
    /// In tenths of the susceptibility.
    pub susceptibility: f64,
    /// Relative, of all poles.
    pub radius: f64,
    pub gap_m: f64,
    /// Relative.
    pub magnet: f64,
    pub inductance_model: f64,
    /// In the logarithm, since it may be off by a third.
    pub capacitance_model: f64,
    pub output_model: f64,
    /// Relative, of the leads' capacitance.
    pub leads: f64,
    /// In the logarithm, of the capacitance to what is grounded.
    pub ground: f64,
    /// Share of what magnetic parts bring to the inductance that is missing.
    pub missing_parts: f64,
}

/// The figures of one coil.
#[derive(Clone, Copy, Debug)]
pub(super) struct CoilFigures {
    pub lay: Lay,
    pub wire_mass_g: f64,
    pub resistance_20c_ohm: f64,
    pub inductance_air_h: f64,
    pub inductance_h: f64,
    pub capacitance_f: f64,
}

/// The figures of one evaluation.
#[derive(Clone, Debug)]
pub(super) struct Figures {
    pub coils: Vec<CoilFigures>,
    pub network: Network,
    pub resistance_20c_ohm: f64,
    pub resistance_ohm: f64,
    pub inductance_h: f64,
    pub inductance_1khz_h: f64,
    pub capacitance_f: f64,
    pub resonance_hz: f64,
    pub peak: Peak,
    pub output_mv: f64,
    pub relative_output_db: f64,
    /// Output of every string, mV.
    pub strings_mv: Vec<f64>,
    /// Against the same string over the reference coil, ratios.
    pub strings_ratio: Vec<f64>,
}

impl Inputs {
    /// Everything as it should be.
    pub(super) fn nominal(model: &Model) -> Self {
        Self { coils: vec![CoilInputs::default(); model.coils.len()], ..Self::default() }
    }
}

/// Figures of the coils, with the logarithm of each build's change.
fn coils(model: &Model, inputs: &Inputs) -> Vec<(CoilFigures, f64, f64)> {
    model
        .coils
        .iter()
        .zip(&inputs.coils)
        .map(|(coil, change)| {
            let nominal = coil.lay();
            let turns = coil.turns * (1.0 + change.turns);
            let overall = coil.wire.overall_m * (1.0 + change.overall);
            let packing = coil.packing * (1.0 + change.packing);
            let mut core = coil.core;
            core.corner_m += change.core_m;
            core.straight_x_m += 2.0 * change.core_m;
            let lay = Lay::uniform(turns, overall, packing, &core, coil.height_m() + change.height_m);
            let ohm_per_m = coil.wire.ohm_per_m * (1.0 + change.ohm);
            let stretch = coil.pull.map_or(1.0, |p| p.resistance_factor);
            let wire = &coil.wire;
            let (by_overall, by_packing) = coil.capacitance_slopes;
            let bonds =
                coil.capacitance_f * (by_overall * change.overall + by_packing * change.packing).exp();
            let figures = CoilFigures {
                lay,
                wire_mass_g: lay.wire_m * wire.mass_per_m() * 1e3,
                resistance_20c_ohm: lay.wire_m * ohm_per_m * stretch,
                inductance_air_h: 0.0,
                inductance_h: 0.0,
                capacitance_f: bonds
                    * (lay.mean_turn_m / nominal.mean_turn_m)
                    * inputs.capacitance_model.exp(),
            };
            (figures, (lay.build_m / nominal.build_m).ln(), 1.0 + change.turns)
        })
        .collect()
}

/// The coils and their circuit for one choice of inputs.
pub(super) fn circuit(model: &Model, solved: &Solved, inputs: &Inputs) -> (Vec<CoilFigures>, Network) {
    let (coils, network, _) = circuit_and_signals(model, solved, inputs);
    (coils, network)
}

fn circuit_and_signals(
    model: &Model,
    solved: &Solved,
    inputs: &Inputs,
) -> (Vec<CoilFigures>, Network, Signals) {
    let mut coils = coils(model, inputs);
    let n = coils.len();
    let shift: Vec<f64> = (0..n)
        .map(|i| {
            let (slopes, change) = (model.coils[i].air_slopes, &inputs.coils[i]);
            slopes.build * coils[i].1 + slopes.height * change.height_m + slopes.core * change.core_m
        })
        .collect();
    let gain = (solved.gain_slopes.susceptibility * inputs.susceptibility
        + solved.gain_slopes.radius * inputs.radius)
        .exp()
        * (1.0 - inputs.missing_parts);
    let model_l = 1.0 + inputs.inductance_model;
    let turns: Vec<f64> = coils.iter().map(|c| c.2).collect();
    let air = DMatrix::from_fn(n, n, |a, b| {
        turns[a] * turns[b] * solved.air_h[(a, b)] * (0.5 * (shift[a] + shift[b])).exp() * model_l
    });
    // The parts sit inside: they feel the height, and hardly the build.
    let parts = DMatrix::from_fn(n, n, |a, b| {
        let height = |i: usize| model.coils[i].air_slopes.height * inputs.coils[i].height_m;
        turns[a] * turns[b] * solved.gain_h[(a, b)] * gain * (0.5 * (height(a) + height(b))).exp() * model_l
    });
    let whole = &air + &parts;
    for (i, (coil, _, _)) in coils.iter_mut().enumerate() {
        coil.inductance_air_h = air[(i, i)];
        coil.inductance_h = whole[(i, i)];
    }
    let plain: Vec<CoilFigures> = coils.into_iter().map(|c| c.0).collect();
    let room_c = model.room_c + inputs.room_k;
    let signals = Signals::compute(model, solved, &turns, inputs);
    let network = network(model, solved, &plain, &whole, room_c, (&signals, inputs));
    (plain, network, signals)
}

/// The figures for one choice of inputs. `near` is a peak to look for the new one beside.
pub(super) fn figures(model: &Model, solved: &Solved, inputs: &Inputs, near: Option<Peak>) -> Figures {
    let (plain, network, signals) = circuit_and_signals(model, solved, inputs);
    let room_c = model.room_c + inputs.room_k;
    let resistance_ohm = network.resistance_ohm();
    Figures {
        resistance_20c_ohm: at_temperature(resistance_ohm, room_c, 20.0),
        resistance_ohm,
        inductance_h: network.inductance_h(),
        inductance_1khz_h: network.meter(1000.0).ls_h,
        capacitance_f: network.capacitance_f(),
        resonance_hz: network.resonance_hz(),
        peak: network.peak_near(Some(&model.load), near),
        output_mv: signals.mean_mv,
        relative_output_db: 20.0 * signals.mean_ratio.log10(),
        strings_mv: signals.strings_mv,
        strings_ratio: signals.strings_ratio,
        coils: plain,
        network,
    }
}

fn network(
    model: &Model,
    solved: &Solved,
    coils: &[CoilFigures],
    inductance: &DMatrix<f64>,
    room_c: f64,
    (signals, inputs): (&Signals, &Inputs),
) -> Network {
    let scale = inductance[(model.joined[0], model.joined[0])]
        / (solved.air_h[(model.joined[0], model.joined[0])]
            + solved.gain_h[(model.joined[0], model.joined[0])]);
    Network {
        coils: model
            .joined
            .iter()
            .zip(&solved.eddy_shares)
            .zip(&signals.shares)
            .map(|((&i, &eddy_share), &signal)| NetworkCoil {
                resistance_ohm: at_temperature(coils[i].resistance_20c_ohm, 20.0, room_c),
                capacitance_f: coils[i].capacitance_f,
                sense: model.coils[i].sense,
                signal,
                eddy_share,
            })
            .collect(),
        inductance_h: model
            .joined
            .iter()
            .map(|&a| model.joined.iter().map(|&b| inductance[(a, b)]).collect())
            .collect(),
        join: model.join,
        // A coil of more turns drives the currents by their square, as it does its own field.
        relaxations: solved
            .relaxations
            .iter()
            .map(|r| crate::eddy::Relaxation { strength_hs: r.strength_hs * scale, ..*r })
            .collect(),
        screening: solved.screening.clone(),
        leads_f: model.leads_f * (1.0 + inputs.leads) + solved.ground_f * inputs.ground.exp(),
    }
}

/// What the strings send.
struct Signals {
    strings_mv: Vec<f64>,
    strings_ratio: Vec<f64>,
    mean_mv: f64,
    mean_ratio: f64,
    /// Shares of the joined coils, adding up to one.
    shares: Vec<f64>,
}

impl Signals {
    fn compute(model: &Model, solved: &Solved, turns: &[f64], inputs: &Inputs) -> Self {
        let inductance = &solved.air_h + &solved.gain_h;
        let pattern = super::solve::plain_network(model, &inductance).pattern();
        let mut by_coil = vec![0.0; model.joined.len()];
        let (mut strings_mv, mut strings_ratio) = (Vec::new(), Vec::new());
        for (string, at) in solved.strings.iter().zip(&model.strings) {
            let others = (1.0 + inputs.magnet)
                * (1.0 + inputs.output_model)
                * (-string.falls_per_m * inputs.gap_m).exp();
            let mut sum = 0.0;
            for (k, (&i, share)) in model.joined.iter().zip(&pattern).enumerate() {
                let one = share * string.by_coil[i] * turns[i] * others;
                by_coil[k] += one;
                sum += one;
            }
            strings_mv.push(sum.abs() * string.speed_m_s * 1e3);
            strings_ratio.push(sum.abs() / reference(at.core_m));
        }
        let count = strings_mv.len().max(1) as f64;
        let whole: f64 = by_coil.iter().sum();
        let sizes: f64 = by_coil.iter().map(|v| v.abs()).sum();
        // Coils out of phase leave little to share: then by their sizes.
        let base = if whole.abs() > 0.05 * sizes { whole } else { sizes.max(1e-30) };
        let shares = if sizes > 0.0 {
            by_coil.iter().map(|v| v / base).collect()
        } else {
            vec![1.0 / by_coil.len() as f64; by_coil.len()]
        };
        let mean_ratio = strings_ratio.iter().sum::<f64>() / count;
        Self {
            mean_mv: strings_mv.iter().sum::<f64>() / count,
            // Without a magnet there is none: far below anything that sounds.
            mean_ratio: mean_ratio.max(1e-6),
            strings_mv,
            strings_ratio,
            shares,
        }
    }
}

/// Core diameters at which the reference coil is known, m.
const REFERENCE_CORES_M: [f64; 8] = [0.1e-3, 0.2e-3, 0.3e-3, 0.4e-3, 0.55e-3, 0.8e-3, 1.3e-3, 3e-3];

/// Change of flux per height that a string of a core sends through the reference coil, Wb/m: the mean over its row,
/// between the cores in logarithms.
pub(super) fn reference(core_m: f64) -> f64 {
    static REFERENCE: OnceLock<Vec<(f64, f64)>> = OnceLock::new();
    let table = REFERENCE.get_or_init(|| {
        let design = crate::design::reference_coil();
        let (mut model, solved) = Solved::solve(&design, PartList::from_design(&design));
        let gap_m = crate::design::default_gap() * 1e-3;
        let tops: Vec<f64> = model.strings.iter().map(|s| s.z_m - s.core_m / 2.0 - gap_m).collect();
        REFERENCE_CORES_M
            .iter()
            .map(|core| {
                for (string, top) in model.strings.iter_mut().zip(&tops) {
                    (string.core_m, string.z_m) = (*core, top + gap_m + core / 2.0);
                }
                let sum: f64 = solved.strings_anew(&model).iter().map(|s| s.by_coil[0].abs()).sum();
                (core.ln(), (sum / 6.0).max(1e-30).ln())
            })
            .collect()
    });
    let x = core_m.ln();
    let at = table.windows(2).position(|pair| x <= pair[1].0).unwrap_or(table.len() - 2);
    let ((x0, y0), (x1, y1)) = (table[at], table[at + 1]);
    (y0 + (y1 - y0) * (x - x0) / (x1 - x0)).exp()
}

/// The model's own standard deviation for the capacitance: a fifth for a straight lay, a third for a scattered one.
pub(super) fn capacitance_sd(pattern: Pattern) -> f64 {
    match pattern {
        Pattern::Straight => 0.2,
        Pattern::Scattered => 0.3,
    }
}
