//! Which wires and faults a pickup can have, and how common they are before anything is read.

use super::findings::Suspected;
use crate::wire::{Build, Gauge, Insulation};

/// What can be the matter with the winding.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum ElectricFault {
    Sound,
    Shorted,
    Open,
}

/// A fault of the winding of a size: logarithms of what is left of turns in the circuit, and of the inductance besides.
#[derive(Clone, Copy, Debug)]
pub(super) struct FaultSize {
    pub fault: ElectricFault,
    pub turns: f64,
    pub inductance: f64,
    pub prior: f64,
}

/// Wire of a gauge and build.
#[derive(Clone, Copy, Debug)]
pub(super) struct WireChoice {
    pub gauge: Gauge,
    pub build: Build,
    pub prior: f64,
}

/// What a workshop meets: how often it winds, or has found, wire of each kind. Such counts stand beside what is common everywhere.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Habits {
    /// Coils by gauge and build.
    pub wires: Vec<(Gauge, Build, f64)>,
    /// Coils by enamel.
    pub insulations: Vec<(Insulation, f64)>,
}

/// Coils in a workshop's own book that count as much as what is common everywhere.
const HABIT_COILS: f64 = 30.0;
/// A wire that somebody names is so much likelier than before. Judgement, no source: labels, sellers and memory err.
const TOLD_GAUGE: f64 = 4.0;
/// The same of an enamel, which can be seen by its colour.
const TOLD_INSULATION: f64 = 8.0;
/// Share of pickups with bridged turns among those that somebody examines, and of their sizes: mean shares of the turns that are
/// bridged, and of the inductance that the current in them takes besides. Judgement, no source.
const SHORTED: f64 = 0.12;
const MEAN_TURNS_LOST: f64 = 0.04;
const MEAN_DRIVEN_OUT: f64 = 0.2;

/// How common gauges are among coils of this kind. Judgement, no source.
fn usual_gauges() -> Vec<(Gauge, f64)> {
    let american = [
        (38, 0.004),
        (39, 0.006),
        (40, 0.05),
        (41, 0.06),
        (42, 0.36),
        (43, 0.24),
        (44, 0.15),
        (45, 0.05),
        (46, 0.04),
        (47, 0.004),
        (48, 0.002),
    ];
    let mut all: Vec<(Gauge, f64)> =
        american.into_iter().filter_map(|(n, share)| Some((Gauge::awg(n).ok()?, share))).collect();
    // Of the British sizes this one alone lies between two American ones.
    all.extend(Gauge::swg(46).ok().map(|gauge| (gauge, 0.03)));
    all
}

/// Wires with how common they are, before anything is read; `is_told` takes in what is said.
pub(super) fn wires(habits: &Habits, suspected: &Suspected, is_told: bool) -> Vec<WireChoice> {
    let gauges = usual_gauges();
    let own: f64 = habits.wires.iter().map(|w| w.2).sum();
    let own_share = own / (own + HABIT_COILS);
    let mut all = Vec::new();
    let mut named = gauges.clone();
    for gauge in suspected.gauge.iter().chain(habits.wires.iter().map(|(gauge, ..)| gauge)) {
        if !named.iter().any(|(g, _)| g == gauge) {
            named.push((*gauge, 0.004));
        }
    }
    for (gauge, share) in named {
        for build in [Build::Single, Build::Heavy] {
            let insulations: Vec<(Insulation, f64)> = insulations(habits, suspected, build, is_told);
            let of_build: f64 = insulations.iter().map(|i| i.1).sum();
            let usual = share * of_build;
            let here: f64 =
                habits.wires.iter().filter(|w| w.0 == gauge && w.1 == build).map(|w| w.2).sum::<f64>()
                    / own.max(1e-9);
            let told = if is_told && suspected.gauge.contains(&gauge) { TOLD_GAUGE } else { 1.0 };
            all.push(WireChoice {
                gauge,
                build,
                prior: told * (usual * (1.0 - own_share) + here * own_share),
            });
        }
    }
    all
}

/// Enamels of a build with how common they are among all wires.
pub(super) fn insulations(
    habits: &Habits,
    suspected: &Suspected,
    build: Build,
    is_told: bool,
) -> Vec<(Insulation, f64)> {
    let own: f64 = habits.insulations.iter().map(|i| i.1).sum();
    let own_share = own / (own + HABIT_COILS);
    Insulation::ALL
        .iter()
        .map(|&insulation| {
            // Judgement, no source.
            let (single, heavy) = insulation.expected_shares();
            let usual = if build == Build::Single { single } else { heavy };
            let here: f64 = habits.insulations.iter().filter(|i| i.0 == insulation).map(|i| i.1).sum::<f64>()
                / own.max(1e-9);
            let share_of_build = usual / (single + heavy);
            let told =
                if is_told && suspected.insulation.contains(&insulation) { TOLD_INSULATION } else { 1.0 };
            (insulation, told * (usual * (1.0 - own_share) + here * share_of_build * own_share))
        })
        .collect()
}

/// Faults that can be, with their sizes.
pub(super) fn faults(is_open: bool) -> Vec<FaultSize> {
    if is_open {
        return vec![FaultSize { fault: ElectricFault::Open, turns: 0.0, inductance: 0.0, prior: 1.0 }];
    }
    let mut all =
        vec![FaultSize { fault: ElectricFault::Sound, turns: 0.0, inductance: 0.0, prior: 1.0 - SHORTED }];
    // Nodes in the middle of equal shares of both exponential spreads.
    let middles = |count: u32, mean: f64| -> Vec<f64> {
        (0..count).map(|k| -mean * (1.0 - (f64::from(k) + 0.5) / f64::from(count)).ln()).collect()
    };
    let (lost, driven) = (middles(5, MEAN_TURNS_LOST), middles(6, MEAN_DRIVEN_OUT));
    let share = SHORTED / (lost.len() * driven.len()) as f64;
    for lost in &lost {
        for driven in &driven {
            all.push(FaultSize {
                fault: ElectricFault::Shorted,
                turns: (1.0 - lost.min(0.6)).ln(),
                inductance: (1.0 - driven.min(0.8)).ln(),
                prior: share,
            });
        }
    }
    all
}

/// Whether two gauges are the same wire to a maker's eye: bare diameters within 2 %.
pub(super) fn are_alike(a: Gauge, b: Gauge) -> bool {
    (a.bare_m() / b.bare_m()).ln().abs() < 0.02
}
