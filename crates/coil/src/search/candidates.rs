//! The search: every allowed wire and alloy with its turns, judged against what is wanted.

use super::adjustment::neighbour;
use super::{Adjustment, Goal};
use crate::design::Design;
use crate::magnet::{Grade, Material};
use crate::prediction::{Level, Prediction, predict};
use crate::wire::{Build, Gauge};

/// What is wanted of one quantity: from – to, SI, dB for height and output.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TargetRange {
    /// The quantity.
    pub goal: Goal,
    /// From.
    pub from: f64,
    /// To.
    pub to: f64,
}

/// What may change.
#[derive(Clone, Debug, PartialEq)]
#[allow(clippy::struct_excessive_bools, reason = "a list of permissions, each given or not")]
pub struct SearchSpace {
    /// Turns of the first coil, from – to; the other coils keep their ratio to it.
    pub turns: (u32, u32),
    /// How many gauge numbers to either side.
    pub gauges: u32,
    /// Whether the build may change.
    pub builds: bool,
    /// Whether the magnets' alloy may change.
    pub alloys: bool,
    /// Whether the winding height may change, by up to 1 mm to either side.
    pub heights: bool,
    /// Whether the core may be made wider or narrower, by up to 0.4 mm.
    pub cores: bool,
    /// Whether the magnets may be charged to less: 80 or 60 %.
    pub charges: bool,
    /// Whether the poles' length may change, by up to 2 mm to either side.
    pub lengths: bool,
}

impl SearchSpace {
    /// Only the turns, from – to.
    #[must_use]
    pub const fn turns(from: u32, to: u32) -> Self {
        Self {
            turns: (from, to),
            gauges: 0,
            builds: false,
            alloys: false,
            heights: false,
            cores: false,
            charges: false,
            lengths: false,
        }
    }

    /// What may be done to the bobbin and the poles besides, each with nothing as its first choice.
    fn extras(&self) -> Vec<Vec<Adjustment>> {
        let sizes = |on: bool, adjustment: fn(f64) -> Adjustment, steps: &[f64]| {
            if on { steps.iter().map(|v| adjustment(*v)).collect() } else { Vec::new() }
        };
        let all: [Vec<Adjustment>; 4] = [
            sizes(self.heights, Adjustment::Height, &[-1.0, -0.5, 0.5, 1.0]),
            sizes(self.cores, Adjustment::CoreWidth, &[-0.4, -0.2, 0.2, 0.4]),
            sizes(self.charges, Adjustment::Charge, &[0.8, 0.6]),
            sizes(self.lengths, Adjustment::PoleLength, &[-2.0, -1.0, 1.0, 2.0]),
        ];
        all.into_iter().filter(|one| !one.is_empty()).collect()
    }
}

/// What a change of bobbin or poles does to all goals (logarithms, dB for the last two) and to the fill: reckoned once
/// and taken to be alike for all wires, until the short list is predicted whole.
#[derive(Clone, Debug, Default)]
struct Shift {
    adjustments: Vec<Adjustment>,
    goals: [f64; 6],
    fill: f64,
}

impl Shift {
    fn try_new(design: &Design, base: &Prediction, adjustment: Adjustment) -> Option<Self> {
        let after = predict(&adjustment.applied(design)?).ok()?;
        let goals = std::array::from_fn(|g| {
            let (goal, ratio) = (Goal::ALL[g], Goal::ALL[g].value_in(&after) / Goal::ALL[g].value_in(base));
            if goal.is_level() { goal.value_in(&after) - goal.value_in(base) } else { ratio.ln() }
        });
        Some(Self { adjustments: vec![adjustment], goals, fill: fullest(&after) / fullest(base) })
    }

    /// How many things it changes.
    fn changes(&self) -> u32 {
        u32::try_from(self.adjustments.len()).unwrap_or(u32::MAX)
    }

    fn and(&self, other: &Self) -> Self {
        Self {
            adjustments: self.adjustments.iter().chain(&other.adjustments).copied().collect(),
            goals: std::array::from_fn(|g| self.goals[g] + other.goals[g]),
            fill: self.fill * other.fill,
        }
    }

    fn on(&self, values: &[f64; 6]) -> [f64; 6] {
        std::array::from_fn(|g| {
            if Goal::ALL[g].is_level() { values[g] + self.goals[g] } else { values[g] * self.goals[g].exp() }
        })
    }

    /// Every way to do one of each, or none.
    fn all(design: &Design, extras: &[Vec<Adjustment>]) -> Vec<Self> {
        let mut all = vec![Self { fill: 1.0, ..Self::default() }];
        let Ok(base) = predict(design) else { return all };
        for choices in extras {
            let singles: Vec<Self> =
                choices.iter().filter_map(|adjustment| Self::try_new(design, &base, *adjustment)).collect();
            let more: Vec<Self> =
                all.iter().flat_map(|one| singles.iter().map(|single| one.and(single))).collect();
            all.extend(more);
        }
        all
    }
}

fn fullest(prediction: &Prediction) -> f64 {
    prediction.coils.iter().map(|c| c.fill).fold(0.0, f64::max)
}

/// A design found, with what it is predicted to be.
#[derive(Clone, Debug)]
pub struct Candidate {
    /// The design.
    pub design: Design,
    /// Its whole prediction.
    pub prediction: Prediction,
    /// How far it is from what is wanted: 0 within all, else in shares of the value (dB over 10).
    pub miss: f64,
    /// Whether it can be wound: nothing about it stops the work.
    pub can_be_wound: bool,
    /// How many things differ from where the search began.
    pub changed: u32,
}

/// A target that a design does not reach.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Missed {
    /// The quantity.
    pub goal: Goal,
    /// Its value, SI or dB.
    pub value: f64,
    /// The end of the target that it does not reach, SI or dB.
    pub end: f64,
}

impl Candidate {
    /// The targets that it does not reach; empty when it meets all.
    #[must_use]
    pub fn missed(&self, targets: &[TargetRange]) -> Vec<Missed> {
        targets
            .iter()
            .filter_map(|want| {
                let value = want.goal.value_in(&self.prediction);
                // A thousandth is no miss: the search itself reads between predictions.
                let slack = if want.goal.is_level() { 0.01 } else { 1e-3 * value.abs() };
                let end = if value < want.from - slack {
                    want.from
                } else if value > want.to + slack {
                    want.to
                } else {
                    return None;
                };
                Some(Missed { goal: want.goal, value, end })
            })
            .collect()
    }
}

/// How a search goes on: called with the share done; answers whether to go on.
pub type ProgressCallback<'a> = &'a mut dyn FnMut(f64) -> bool;

/// Candidates tried per wire and alloy.
const TURNS_TRIED: u32 = 80;
/// Whole predictions per wire and alloy, between which the turns are read.
const SAMPLES: usize = 4;
/// Length of the short list.
const SHORT: usize = 8;

/// One wire and alloy, with a few numbers of turns predicted whole.
struct Track {
    design: Design,
    changed: u32,
    /// Turns, all goals, fill.
    samples: Vec<(f64, [f64; 6], f64)>,
}

impl Track {
    /// Values of all goals, and the fill, at a number of turns: a polynomial through the samples, by logarithms of what
    /// is positive.
    fn at(&self, turns: f64) -> ([f64; 6], f64) {
        let x = turns.ln();
        let lagrange = |value: &dyn Fn(usize) -> f64| -> f64 {
            (0..self.samples.len())
                .map(|i| {
                    let xi = self.samples[i].0.ln();
                    let others = (0..self.samples.len()).filter(|j| *j != i).map(|j| self.samples[j].0.ln());
                    value(i) * others.map(|xj| (x - xj) / (xi - xj)).product::<f64>()
                })
                .sum()
        };
        let goals = std::array::from_fn(|g| {
            if Goal::ALL[g].is_level() {
                lagrange(&|i| self.samples[i].1[g])
            } else {
                lagrange(&|i| self.samples[i].1[g].max(1e-300).ln()).exp()
            }
        });
        (goals, lagrange(&|i| self.samples[i].2))
    }
}

/// A way found, before it is predicted whole.
struct Found {
    miss: f64,
    changed: u32,
    track: usize,
    shift: usize,
    turns: u32,
}

fn with_turns(design: &Design, turns: u32) -> Option<Design> {
    let mut next = design.clone();
    let first = f64::from(design.coils.first()?.wind.turns);
    for coil in &mut next.coils {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "turns are bounded")]
        let scaled = (f64::from(coil.wind.turns) / first * f64::from(turns)).round() as u32;
        coil.wind.turns = scaled;
    }
    next.problems().is_empty().then_some(next)
}

fn miss(values: &[f64; 6], targets: &[TargetRange]) -> f64 {
    targets
        .iter()
        .map(|want| {
            let value = values[Goal::ALL.iter().position(|g| *g == want.goal).unwrap_or(0)];
            let short = (want.from - value).max(value - want.to).max(0.0);
            if want.goal.is_level() {
                short / 10.0
            } else {
                // Of the end that is missed: an open end is no measure.
                let end = if value < want.from { want.from } else { want.to };
                short / end.abs().max(1e-300)
            }
        })
        .map(|m| m * m)
        .sum::<f64>()
        .sqrt()
}

/// Every wire and alloy that is allowed, the design's own first.
fn bases(design: &Design, allowed: &SearchSpace) -> Vec<(Design, u32)> {
    let Some(first) = design.coils.first() else { return Vec::new() };
    let reach = i32::try_from(allowed.gauges).unwrap_or(0).min(6);
    let gauges: Vec<Gauge> = (-reach..=reach).filter_map(|n| neighbour(first.wire.gauge, n)).collect();
    let builds = if allowed.builds { vec![Build::Single, Build::Heavy] } else { vec![first.wire.build] };
    let magnets: Vec<Grade> = Grade::MAGNETS.into_iter().filter(|g| holds(design, *g)).collect();
    let own = magnets.first().copied();
    let alloys: Vec<Option<Grade>> = match own {
        Some(_) if allowed.alloys => Grade::ALTERNATIVES.map(Some).to_vec(),
        _ => vec![None],
    };
    let mut all = Vec::new();
    for &gauge in &gauges {
        for &build in &builds {
            for &alloy in &alloys {
                let mut next = design.clone();
                for coil in &mut next.coils {
                    if coil.wire.gauge != gauge {
                        // A measured spool is one gauge's.
                        coil.wire.spool = None;
                    }
                    coil.wire.gauge = gauge;
                    coil.wire.build = build;
                }
                if let Some(adjustment) = alloy.filter(|_| alloy != own).map(Adjustment::Alloy) {
                    let Some(changed) = adjustment.applied(&next) else { continue };
                    next = changed;
                }
                let changed = u32::from(gauge != first.wire.gauge)
                    + u32::from(build != first.wire.build)
                    + u32::from(alloy.is_some() && alloy != own);
                all.push((next, changed));
            }
        }
    }
    all.sort_by_key(|(_, changed)| *changed);
    all
}

fn holds(design: &Design, grade: Grade) -> bool {
    let named = Material::Named(grade);
    design.poles.iter().any(|p| p.material == named) || design.bars.iter().any(|b| b.material == named)
}

/// Searches what is allowed for what is wanted: a short list, best first, each of another wire or alloy, predicted whole;
/// among equals the one that changes least. Gives `None` when `on` says to stop.
#[must_use]
pub fn search_designs(
    design: &Design,
    targets: &[TargetRange],
    allowed: &SearchSpace,
    on: ProgressCallback<'_>,
) -> Option<Vec<Candidate>> {
    let bases = bases(design, allowed);
    let own_turns = design.coils.first().map_or(0, |c| c.wind.turns);
    let (low, high) = (allowed.turns.0.max(10), allowed.turns.1.max(allowed.turns.0 + 1));
    let mut tracks = Vec::with_capacity(bases.len());
    let count = bases.len().max(1) as f64;
    for (k, (base, changed)) in bases.into_iter().enumerate() {
        let mut samples = Vec::with_capacity(SAMPLES);
        for s in 0..SAMPLES {
            if !on(0.9 * (k as f64 + s as f64 / SAMPLES as f64) / count) {
                return None;
            }
            let share = s as f64 / (SAMPLES - 1) as f64;
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "turns are bounded")]
            let turns = (f64::from(low) * (f64::from(high) / f64::from(low)).powf(share)).round() as u32;
            let Some(sample) = with_turns(&base, turns) else { continue };
            let Ok(prediction) = predict(&sample) else { continue };
            let fill = fullest(&prediction);
            let values = Goal::ALL.map(|g| g.value_in(&prediction));
            samples.push((f64::from(turns), values, fill));
        }
        if samples.len() > 1 {
            tracks.push(Track { design: base, changed, samples });
        }
    }
    let shifts = Shift::all(design, &allowed.extras());
    let mut found: Vec<Found> = Vec::new();
    for (t, track) in tracks.iter().enumerate() {
        for (s, shift) in shifts.iter().enumerate() {
            let best = (0..=TURNS_TRIED)
                .map(|k| low + (high - low) * k / TURNS_TRIED)
                .chain(Some(own_turns).filter(|n| (low..=high).contains(n)))
                .filter_map(|turns| {
                    let (values, fill) = track.at(f64::from(turns));
                    // A bobbin that cannot hold it is no answer.
                    (fill * shift.fill <= 1.0).then(|| (miss(&shift.on(&values), targets), turns))
                })
                .min_by(|a, b| {
                    // Within what is wanted, nearest to what is wound today.
                    let far = |n: u32| f64::from(n.abs_diff(own_turns));
                    a.0.total_cmp(&b.0).then(far(a.1).total_cmp(&far(b.1)))
                });
            if let Some((miss, turns)) = best {
                let changed = track.changed + u32::from(turns != own_turns) + shift.changes();
                found.push(Found { miss, changed, track: t, shift: s, turns });
            }
        }
    }
    // What is a thousandth nearer is no nearer: then the one that changes less.
    let near = |m: f64| (m * 1e3).round();
    found.sort_by(|a, b| near(a.miss).total_cmp(&near(b.miss)).then(a.changed.cmp(&b.changed)));
    let mut list = Vec::new();
    for (k, Found { changed, track, shift, turns, .. }) in found.into_iter().take(SHORT).enumerate() {
        if !on(0.9 + 0.1 * k as f64 / SHORT as f64) {
            return None;
        }
        let turned = with_turns(&tracks[track].design, turns);
        let shifted = shifts[shift].adjustments.iter().try_fold(turned, |design, adjustment| {
            design.map(|design| adjustment.applied(&design).map(Some))?
        });
        let Some(Some(design)) = shifted else { continue };
        let Ok(prediction) = predict(&design) else { continue };
        let stops = prediction.notices.iter().filter(|n| n.level == Level::Stop).count();
        let miss = miss(&Goal::ALL.map(|g| g.value_in(&prediction)), targets);
        list.push(Candidate { design, prediction, miss, can_be_wound: stops == 0, changed });
    }
    list.sort_by(|a, b| {
        let by_work = b.can_be_wound.cmp(&a.can_be_wound);
        by_work.then(a.miss.total_cmp(&b.miss)).then(a.changed.cmp(&b.changed))
    });
    // What cannot be wound is shown only where there is nothing else.
    if list.first().is_some_and(|best| best.can_be_wound) {
        list.retain(|c| c.can_be_wound);
    }
    on(1.0);
    Some(list)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Format, starting_point, tall_single};
    use crate::search::{Adjustment, sensitivities};

    /// Inductance goes with the square of the turns, resistance with a little more than their number (any textbook).
    #[test]
    fn turns_do_what_turns_do() {
        let all = sensitivities(&tall_single("Sedge", 6, 10.4), Goal::Inductance);
        let hundred = all.iter().find(|e| e.adjustment == Adjustment::Turns(100)).unwrap();
        let more = 100.0 / 7500.0;
        assert!((hundred.changes[1].unwrap() / (2.0 * more) - 1.0).abs() < 0.15, "{hundred:?}");
        assert!(hundred.changes[0].unwrap() > more && hundred.changes[0].unwrap() < 1.8 * more);
        assert!(hundred.changes[3].unwrap() < 0.0, "more inductance lowers the peak");
        // A finer gauge is a quarter more ohms per metre (the definition of AWG: 1.2610 in area).
        let finer = all.iter().find(|e| e.adjustment == Adjustment::Gauge(1)).unwrap();
        assert!((0.2..0.28).contains(&finer.changes[0].unwrap()), "{finer:?}");
        assert!(finer.changes[1].unwrap().abs() < 0.05);
        assert!(all.windows(2).all(|p| p[0].changes[1].map(f64::abs) >= p[1].changes[1].map(f64::abs)));
    }

    #[test]
    fn every_lever_is_said_and_read_again() {
        for effect in sensitivities(&starting_point(Format::Blade, "Sedge", 6, 10.0), Goal::Output) {
            let text = effect.adjustment.to_string();
            assert_eq!(text.parse(), Ok(effect.adjustment), "{text}");
            assert!(!effect.adjustment.words().is_empty());
        }
        for text in ["", "turns", "turns:x", "alloy:cheese", "gap:NaN", "wander:1e99"] {
            assert!(text.parse::<Adjustment>().is_err(), "{text}");
        }
    }

    /// What is found does what was asked, and the whole prediction of it says so.
    #[test]
    fn a_search_finds_turns_and_gauge_for_what_is_wanted() {
        let design = tall_single("Sedge", 6, 10.4);
        let targets = [
            TargetRange { goal: Goal::Inductance, from: 2.9, to: 3.0 },
            TargetRange { goal: Goal::Resistance, from: 8000.0, to: 8600.0 },
        ];
        let allowed = SearchSpace { gauges: 2, builds: true, ..SearchSpace::turns(5000, 11_000) };
        let mut shares = Vec::new();
        let mut on = |share: f64| {
            shares.push(share);
            true
        };
        let list = search_designs(&design, &targets, &allowed, &mut on).unwrap();
        let best = &list[0];
        assert!(best.miss < 0.01, "{}", best.miss);
        assert_eq!(best.design.coils[0].wire.gauge.to_string(), "43 AWG");
        assert!((2.87..3.03).contains(&best.prediction.pickup.inductance_h.nominal));
        assert!(list.windows(2).all(|p| p[0].miss <= p[1].miss));
        assert!(shares.windows(2).all(|p| p[0] <= p[1]) && shares.last() == Some(&1.0));
        assert!(
            search_designs(&design, &targets, &allowed, &mut |_| false).is_none(),
            "it stops when told to"
        );
    }

    /// What is met already is left alone.
    #[test]
    fn what_fits_already_is_not_changed() {
        let design = tall_single("Sedge", 6, 10.4);
        let targets = [TargetRange { goal: Goal::Resistance, from: 5000.0, to: 6500.0 }];
        let allowed = SearchSpace { gauges: 1, alloys: true, ..SearchSpace::turns(5000, 9000) };
        let list = search_designs(&design, &targets, &allowed, &mut |_| true).unwrap();
        assert_eq!((list[0].miss, list[0].changed, &list[0].design), (0.0, 0, &design));
    }
    /// Where turns alone cannot do it, bobbin and poles may: as much output with less inductance takes nearer magnets.
    #[test]
    fn bobbin_and_poles_may_change_where_they_are_allowed_to() {
        let design = tall_single("Sedge", 6, 10.4);
        let base = predict(&design).unwrap().pickup;
        let targets = [
            TargetRange { goal: Goal::Inductance, from: 0.0, to: base.inductance_h.nominal * 0.95 },
            TargetRange {
                goal: Goal::Resistance,
                from: base.resistance_20c_ohm.nominal * 0.995,
                to: base.resistance_20c_ohm.nominal * 1.005,
            },
        ];
        let turns = SearchSpace::turns(6000, 9000);
        let alone = search_designs(&design, &targets, &turns, &mut |_| true).unwrap();
        assert!(alone[0].miss > 0.02, "{}", alone[0].miss);
        let wider = SearchSpace { heights: true, cores: true, charges: true, lengths: true, ..turns };
        let list = search_designs(&design, &targets, &wider, &mut |_| true).unwrap();
        assert!(list[0].miss < 0.3 * alone[0].miss, "{}", list[0].miss);
        assert!(list.iter().all(|c| c.design.problems().is_empty()));
    }
}
