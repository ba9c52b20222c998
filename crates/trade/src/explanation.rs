//! Which fault explains what was read: every one is weighed by how likely the readings are under it.
//!
//! A fault has a size that is not known, such as the turns that were miscounted. Over all sizes that are possible, by how
//! common they are, the engine says how far each quantity moves; the likelihood of the readings is summed (marginal likelihood,
//! Bayes' rule). A fault that would have to be of a size that cannot be, such as a coil at 90 °C, explains nothing.

use crate::comparison::{Comparison, build_ratio};
use crate::reading::Kind;
use coil::design::{Design, PoleShape};
use coil::prediction::{Moved, Shift, Solution};
use coil::wire::{Gauge, WireData};
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// What can be the matter with a coil.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, strum::EnumString, strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Fault {
    /// Nothing: of good coils one in ten lies outside its band.
    Chance,
    /// Other turns than counted: the size is their share.
    MiscountedTurns,
    /// Turns bridged by bare wire: the size is the share of the resistance that is lost.
    ShortedTurns,
    /// The coil was warmer than noted: the size is in kelvin.
    WarmCoil,
    /// Wire of another gauge: the size is in steps of the American gauge, thinner above 0.
    OtherGauge,
    /// Wire stretched, or off its nominal size: the size is the share of ohms a metre.
    WireSize,
    /// A tighter or looser winding: the size is the share of the packing.
    Winding,
    /// Poles of other permeability, or not in place: the size is the share of what they bring that is missing.
    Poles,
    /// Magnets not fully charged or of a weaker alloy: the size is the share of the flux that is there.
    WeakMagnets,
    /// A stronger alloy, or the probe nearer than noted: the size is the share of the flux.
    StrongMagnets,
    /// More capacitance than the winding's own: wax, leads, a cover. The size is its ratio to what was expected.
    AddedCapacitance,
    /// One reading is wrong by itself: a slip, a loose clip, another range.
    Misread,
}

impl Fault {
    /// How common it is among coils that read wrong, as shares that need not add up to one. Judgement, no source.
    const fn prior(self) -> f64 {
        match self {
            Self::Chance => 0.3,
            Self::MiscountedTurns => 0.25,
            Self::WireSize => 0.2,
            Self::WarmCoil | Self::WeakMagnets | Self::AddedCapacitance => 0.15,
            Self::ShortedTurns | Self::Winding => 0.12,
            Self::Poles => 0.08,
            Self::OtherGauge => 0.06,
            Self::StrongMagnets | Self::Misread => 0.05,
        }
    }
}

/// A fault with how probable it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Explanation {
    /// The fault.
    pub fault: Fault,
    /// The quantity that was misread.
    pub misread: Option<Kind>,
    /// Its probability among all faults that are known of, 0…1.
    pub probability: f64,
    /// Its most likely size, in the fault's own measure.
    pub size: f64,
}

/// What explains the readings, the most probable first.
#[derive(Clone, Debug, PartialEq)]
pub struct Explanations {
    /// The faults.
    pub all: Vec<Explanation>,
    /// Whether the best of them fits: else two faults may have come together, or one that is not known of.
    pub fits: bool,
}

/// Quantities that are weighed.
const QUANTITIES: usize = 5;
/// Logarithms of what each quantity becomes under a fault: resistance, inductance, capacitance, flux, build.
type Effects = [f64; QUANTITIES];
/// A size of a fault, how common it is, and what it does.
type Case = (f64, f64, Effects);

/// What was read of one quantity: the logarithm over what was expected, and the standard deviation of a good coil.
#[derive(Clone, Copy, Debug)]
struct Seen {
    off: f64,
    sd: f64,
}

/// Half widths of a 90 % band in a standard deviation.
const HALF_BAND_SDS: f64 = 1.645;
/// Least standard deviation of a logarithm: what meters and callipers leave.
const LEAST_SD: f64 = 0.003;
/// Misfit, as a sum of squares, beyond which nothing fits.
const MISFIT: f64 = 16.0;
/// A reading that is wrong by itself lies anywhere within a factor of about four either way.
const MISREAD_WIDTH: f64 = 2.8;
/// Logarithm of the flux that poles lose for each whole share of the inductance that they bring less, or more.
const FLUX_BY_POLES: f64 = 0.7;
/// Copper's resistance by temperature, 1/K at 20 °C (IEC 60028).
const PER_KELVIN: f64 = 0.003_93;
/// Diameters of neighbouring American gauges [ASTM B258].
const GAUGE_STEP: f64 = 1.122_932;

/// Weighs the faults by a run's comparisons; `solution` is that of the coil as wound.
#[must_use]
pub fn explain(solution: &Solution, comparisons: &[Comparison]) -> Explanations {
    let seen = seen(solution.design(), comparisons);
    let mut weighed: Vec<(Explanation, f64)> = Vec::new();
    for (fault, cases) in faults(solution, &seen) {
        let (mut sum, mut best, mut size, mut misfit) = (0.0, f64::NEG_INFINITY, 0.0, f64::INFINITY);
        let weight: f64 = cases.iter().map(|case| case.1).sum();
        for (of_size, share, effects) in &cases {
            let squares = misfit_of(&seen, effects);
            let density = share / weight * (-0.5 * squares).exp();
            sum += density;
            if density > best {
                (best, size, misfit) = (density, *of_size, squares);
            }
        }
        let found = Explanation { fault, misread: None, probability: fault.prior() * sum, size };
        weighed.push((found, misfit));
    }
    // One quantity misread: the others as if nothing were wrong.
    for (k, kind) in [Kind::Resistance, Kind::Inductance, Kind::Capacitance, Kind::Flux, Kind::Width]
        .into_iter()
        .enumerate()
    {
        let Some(one) = seen[k] else { continue };
        let mut others = seen;
        others[k] = None;
        let squares = misfit_of(&others, &[0.0; QUANTITIES]);
        // Its density against that of a good reading at its best, which is left out of all the others.
        let density = (-0.5 * squares).exp() * one.sd * (2.0 * PI).sqrt() / MISREAD_WIDTH;
        let probability = Fault::Misread.prior() * density;
        let found =
            Explanation { fault: Fault::Misread, misread: Some(kind), probability, size: one.off.exp() };
        weighed.push((found, squares));
    }
    weighed.sort_by(|a, b| b.0.probability.total_cmp(&a.0.probability));
    let total: f64 = weighed.iter().map(|w| w.0.probability).sum();
    let fits = weighed.iter().map(|w| w.1).fold(f64::INFINITY, f64::min) < MISFIT && total > 0.0;
    let all = weighed.into_iter().map(|(found, _)| Explanation {
        probability: if total > 0.0 { found.probability / total } else { 0.0 },
        ..found
    });
    Explanations { all: all.filter(|e| e.probability > 0.0).collect(), fits }
}

fn seen(design: &Design, comparisons: &[Comparison]) -> [Option<Seen>; QUANTITIES] {
    let of_kind = |kind: Kind| comparisons.iter().find(|c| c.kind == kind);
    let logarithm = |c: &Comparison| {
        let off = (c.measured / c.predicted.nominal).ln();
        let edge = if off < 0.0 { c.predicted.p05 } else { c.predicted.p95 };
        let sd = ((edge / c.predicted.nominal).ln().abs() / HALF_BAND_SDS).max(LEAST_SD);
        off.is_finite().then_some(Seen { off, sd })
    };
    // Of several poles the middle one speaks: one odd pole is told by itself.
    let mut flux: Vec<Seen> =
        comparisons.iter().filter(|c| c.kind == Kind::Flux).filter_map(logarithm).collect();
    flux.sort_by(|a, b| a.off.total_cmp(&b.off));
    let build = comparisons.iter().find_map(|c| {
        let core = [(Kind::Width, 1), (Kind::Length, 0)].into_iter().find(|(kind, _)| *kind == c.kind)?.1;
        let size = design.coils.first()?.former.core.size_mm();
        let core_m = [size.0, size.1][core] * 1e-3;
        let off = build_ratio(design, c)? - c.learned;
        let wide = (c.predicted.p95 - core_m) / (c.predicted.nominal - core_m);
        Some(Seen { off, sd: (wide.ln().abs() / HALF_BAND_SDS).max(LEAST_SD) })
    });
    [
        of_kind(Kind::Resistance).and_then(logarithm),
        of_kind(Kind::Inductance).and_then(logarithm),
        of_kind(Kind::Capacitance).and_then(logarithm),
        flux.get(flux.len() / 2).copied(),
        build,
    ]
}

fn misfit_of(seen: &[Option<Seen>; QUANTITIES], effects: &Effects) -> f64 {
    seen.iter()
        .zip(effects)
        .filter_map(|(seen, effect)| Some(((seen.as_ref()?.off - effect) / seen.as_ref()?.sd).powi(2)))
        .sum()
}

fn effects(moved: Moved) -> Effects {
    [moved.resistance, moved.inductance, moved.capacitance, 0.0, moved.build]
}

/// What a fault does at any size, from a few sizes at which the engine was asked: straight between them.
struct Curve(Vec<(f64, Effects)>);

impl Curve {
    fn from_solution(solution: &Solution, sizes: &[f64], shift: impl Fn(f64) -> Shift) -> Self {
        Self(sizes.iter().map(|&size| (size, effects(solution.moved(shift(size))))).collect())
    }

    fn at(&self, size: f64) -> Effects {
        let last = self.0.len() - 1;
        let k = self.0.iter().position(|(s, _)| *s >= size).unwrap_or(last).clamp(1, last);
        let ((a, low), (b, high)) = (self.0[k - 1], self.0[k]);
        let t = ((size - a) / (b - a)).clamp(0.0, 1.0);
        std::array::from_fn(|i| low[i] + t * (high[i] - low[i]))
    }

    /// Even sizes over the curve, each as common as `density` says.
    fn cases(&self, count: u32, density: impl Fn(f64) -> f64) -> Vec<Case> {
        let (from, to) = (self.0[0].0, self.0[self.0.len() - 1].0);
        (0..=count)
            .map(|k| from + (to - from) * f64::from(k) / f64::from(count))
            .map(|size| (size, density(size), self.at(size)))
            .collect()
    }
}

/// Sizes of a fault that moves one quantity alone.
fn alone(place: usize, sizes: impl Iterator<Item = (f64, f64, f64)>) -> Vec<Case> {
    sizes
        .map(|(size, density, effect)| {
            let mut effects = [0.0; QUANTITIES];
            effects[place] = effect;
            (size, density, effects)
        })
        .collect()
}

fn even(from: f64, to: f64, count: u32) -> impl Iterator<Item = f64> {
    (0..=count).map(move |k| from + (to - from) * f64::from(k) / f64::from(count))
}

fn normal(x: f64, sd: f64) -> f64 {
    (-0.5 * (x / sd).powi(2)).exp()
}

/// Every fault that can show in what was read, with its sizes. How common sizes are is judgement, no source.
fn faults(solution: &Solution, seen: &[Option<Seen>; QUANTITIES]) -> Vec<(Fault, Vec<Case>)> {
    let design = solution.design();
    let turns =
        Curve::from_solution(solution, &[-0.5, -0.3, -0.15, -0.05, 0.0, 0.05, 0.15, 0.3, 0.5], |size| {
            Shift { turns: size, ..Shift::default() }
        });
    let ohms = Curve::from_solution(solution, &[-0.2, 0.0, 0.2], |size| Shift {
        wire_ohm: size,
        ..Shift::default()
    });
    let packing = Curve::from_solution(solution, &[-0.4, -0.2, 0.0, 0.2, 0.3], |size| Shift {
        packing: size,
        ..Shift::default()
    });
    // Rods are pressed in before the wire; screws, slugs and blades come after it, and may not be there yet.
    let is_pressed = design.poles.iter().all(|p| p.shape == PoleShape::Rod);
    let sizes: &[f64] = if is_pressed { &[-0.5, -0.25, 0.0, 0.25, 0.5] } else { &[-0.5, 0.0, 0.5, 0.8, 1.0] };
    let poles =
        Curve::from_solution(solution, sizes, |size| Shift { missing_parts: size, ..Shift::default() });
    let mut all = vec![
        (Fault::Chance, vec![(0.0, 1.0, [0.0; QUANTITIES])]),
        (Fault::MiscountedTurns, turns.cases(200, |size| (-size.abs() / 0.05).exp())),
        (Fault::ShortedTurns, shorted(&turns)),
        (Fault::WireSize, ohms.cases(80, |size| normal(size, 0.04))),
        (Fault::WarmCoil, warm()),
        (Fault::Winding, packing.cases(70, |size| normal(size, 0.12))),
        (Fault::Poles, with_flux(poles.cases(60, |_| 1.0))),
        (Fault::OtherGauge, other_gauges(solution)),
    ];
    if seen[2].is_some() {
        let ratios = even(1.05, 4.0, 60).map(|r| (r, (-(r - 1.0) / 0.8).exp(), r.ln()));
        all.push((Fault::AddedCapacitance, alone(2, ratios)));
    }
    if seen[3].is_some() {
        all.push((Fault::WeakMagnets, alone(3, even(0.02, 0.95, 60).map(|r| (r, 1.0, r.ln())))));
        all.push((Fault::StrongMagnets, alone(3, even(1.05, 1.6, 40).map(|r| (r, 1.0, r.ln())))));
    }
    all
}

/// Poles of another alloy or steel, or none, show over the strings too: about as much less as what they bring changes either
/// way. Judgement, no source.
fn with_flux(mut cases: Vec<Case>) -> Vec<Case> {
    for (size, _, effects) in &mut cases {
        effects[3] = -FLUX_BY_POLES * size.abs();
    }
    cases
}

/// Wire one or two gauges away: a coil of it is wound anew, so that its size and packing are its own, and no wire is its gauge's
/// nominal one.
fn other_gauges(solution: &Solution) -> Vec<Case> {
    const OFF_NOMINAL: [(f64, f64); 5] = [(-0.3, 0.1), (-0.15, 0.25), (0.0, 0.3), (0.15, 0.25), (0.3, 0.1)];
    const PACKING: [(f64, f64); 3] = [(-0.12, 0.25), (0.0, 0.5), (0.12, 0.25)];
    let Some(wire) = solution.design().coils.first().map(|c| &c.wire) else { return Vec::new() };
    let now = wire.data();
    let american = wire.gauge.to_string().strip_suffix(" AWG").and_then(|n| n.parse::<i32>().ok());
    let mut all = Vec::new();
    for (steps, share) in [(-2, 0.1), (-1, 0.4), (1, 0.4), (2, 0.1)] {
        // By the tables where the gauge is American; else by the ratio of neighbouring gauges.
        let other = american.and_then(|n| Gauge::awg(u32::try_from(n + steps).ok()?).ok());
        let (ohm, overall) = other.map_or_else(
            || (GAUGE_STEP.powi(2 * steps), GAUGE_STEP.powi(-steps)),
            |gauge| {
                let next = WireData::ordered(gauge, wire.insulation, wire.build, wire.range);
                (next.ohm_per_m / now.ohm_per_m, next.overall_m / now.overall_m)
            },
        );
        for (off, of_off) in OFF_NOMINAL {
            for (packing, of_packing) in PACKING {
                let (ohm, overall) = (ohm * GAUGE_STEP.powf(2.0 * off), overall * GAUGE_STEP.powf(-off));
                let shift =
                    Shift { wire_ohm: ohm - 1.0, overall: overall - 1.0, packing, ..Shift::default() };
                let moved = effects(solution.moved(shift));
                // Far from the design the slope of the inductance by the build is too steep.
                for (kept, of_kept) in [(0.35, 0.25), (0.7, 0.35), (1.0, 0.4)] {
                    let mut effects = moved;
                    effects[1] *= kept;
                    all.push((f64::from(steps), share * of_off * of_packing * of_kept, effects));
                }
            }
        }
    }
    all
}

/// Bridged turns take their share of the resistance; of the inductance they take what their turns brought, and more, since the
/// current in them drives the field out.
fn shorted(turns: &Curve) -> Vec<Case> {
    let mut all = Vec::new();
    for lost in even(0.0, 0.3, 30) {
        let [_, inductance, ..] = turns.at(-lost);
        for driven_out in even(0.0, 0.7, 35) {
            let mut effects = [0.0; QUANTITIES];
            (effects[0], effects[1]) = ((1.0 - lost).ln(), inductance + (1.0 - driven_out).ln());
            all.push((lost, (-lost / 0.04 - driven_out / 0.2).exp(), effects));
        }
    }
    all
}

/// A coil is warm from soldering, hands and the winding lamp, not hot; now and then the room was warmer than the coil.
fn warm() -> Vec<Case> {
    alone(
        0,
        even(-12.0, 40.0, 104).map(|kelvin| {
            let share = if kelvin > 0.0 { 0.8 * normal(kelvin, 10.0) } else { 0.3 * normal(kelvin, 4.0) };
            (kelvin, share, (1.0 + PER_KELVIN * kelvin).ln())
        }),
    )
}
