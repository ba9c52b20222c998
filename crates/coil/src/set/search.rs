//! Finding turns, places and heights of the pickups of a set that meet its targets.

use super::balance::moved;
use super::document::Set;
use super::placed::PlacedPickup;
use super::prediction::SetSolution;
use super::report::SetPrediction;
use crate::circuit::Join;
use crate::design::Problem;
use crate::prediction::Calibration;
use nalgebra::Complex;
use std::sync::Arc;

/// How far a pickup may be changed to either side; nothing where it is held.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct PickupRange {
    /// Turns, as a share of what they are: 0 to 0.5.
    pub turns: f64,
    /// Distance from the bridge, mm.
    pub place_mm: f64,
    /// Distance from the strings, mm.
    pub height_mm: f64,
}

/// What is changed of a pickup.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PickupMove {
    /// Turns, as a ratio to what they are.
    pub turns: f64,
    /// Further from the bridge, mm.
    pub place_mm: f64,
    /// Further from the strings, mm.
    pub height_mm: f64,
}

impl Default for PickupMove {
    fn default() -> Self {
        Self { turns: 1.0, place_mm: 0.0, height_mm: 0.0 }
    }
}

impl PickupMove {
    /// The set with one of its pickups changed; `None` where that leads outside what is allowed.
    #[must_use]
    pub fn applied(&self, set: &Set, pickup: usize) -> Option<Set> {
        let mut other = set.clone();
        let changed = other.pickups.get_mut(pickup)?;
        changed.from_bridge_mm += self.place_mm;
        changed.design = moved(&changed.design, self.turns, self.height_mm)?;
        Some(other)
    }

    /// How much it takes, in shares of the usual steps of a maker: a tenth of the turns, 10 mm, 1 mm.
    fn effort(&self) -> f64 {
        ((self.turns.ln() / 0.1).powi(2) + (self.place_mm / 10.0).powi(2) + self.height_mm.powi(2)).sqrt()
    }
}

/// A set that was found.
#[derive(Clone, Debug)]
pub struct SetCandidate {
    /// What is changed, pickup by pickup.
    pub moves: Vec<PickupMove>,
    /// By how much the targets are missed: 0 where all are met; 1 is about a decibel, 6 dB of hum, or 3 % of a peak.
    pub miss: f64,
    /// Its prediction.
    pub prediction: SetPrediction,
}

/// What a search may cost at most: combinations that are weighed in each of its rounds.
const MOST_COMBINATIONS: usize = 2500;
/// Rounds: over the whole ranges, then about the best.
const ROUNDS: usize = 2;
/// Sets that are told.
const TOLD: usize = 5;
/// Balance that is sought where no target names one, dB.
const BALANCE_DB: f64 = 0.5;
/// What a whole step of a maker counts against a set, as a miss of targets: little, so that of two that meet them the nearer wins.
const EFFORT: f64 = 0.02;

/// A pickup with a move, as far as scoring needs it.
struct Variant {
    by: PickupMove,
    level: f64,
    peak_hz: Option<f64>,
    /// Impedance at the frequency of hum, and what an even field induces in it with its sign and without, m².
    impedance: Complex<f64>,
    hum_m2: [f64; 3],
    hum_whole_m2: f64,
}

/// Searches within ranges, one of each pickup, and tells the sets that miss their targets least, the best first; `None` when `advance`,
/// which is told the share that is done, says to stop.
///
/// # Errors
/// What contradicts itself in the set, and those of its pickups as they are.
pub fn search_sets(
    set: &Set,
    ranges: &[PickupRange],
    calibration: &Calibration,
    advance: &mut dyn FnMut(f64) -> bool,
) -> Result<Option<Vec<SetCandidate>>, Vec<Problem>> {
    let problems = set.problems();
    if !problems.is_empty() {
        return Err(problems);
    }
    let range = |i: usize| ranges.get(i).copied().unwrap_or_default();
    let count = set.pickups.len();
    let free = (0..count).filter(|i| range(*i) != PickupRange::default()).count().max(1);
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "at most the combinations")]
    let each = ((MOST_COMBINATIONS as f64).powf(1.0 / free as f64).floor() as usize).clamp(3, 60);
    let mut centers = vec![vec![PickupMove::default(); count]];
    let mut best: Vec<(f64, Vec<PickupMove>)> = Vec::new();
    for round in 0..ROUNDS {
        let scale = 0.3_f64.powi(i32::try_from(round).unwrap_or(0));
        let about = centers.len();
        for (k, center) in centers.iter().enumerate() {
            let mut all: Vec<Vec<Variant>> = Vec::with_capacity(count);
            for (i, at) in center.iter().enumerate() {
                let whole = range(i);
                let mut found = Vec::new();
                for by in moves(*at, &whole, scale, if round == 0 { each } else { each.min(9) }) {
                    let Some(other) = by.applied(set, i) else { continue };
                    if let Ok(placed) = PlacedPickup::try_new(&other.placed(i, None), calibration) {
                        found.push(variant(&placed, by, PlacedPickup::sign(set.pickups[i].leads)));
                    }
                    let done = (k as f64 + (i as f64 + found.len() as f64 / each as f64) / count as f64)
                        / about as f64;
                    if !advance(0.95 * (round as f64 + done.min(1.0)) / ROUNDS as f64) {
                        return Ok(None);
                    }
                }
                if found.is_empty() {
                    // Held, and not to be predicted: told as the set's own problem.
                    let own = set.placed(i, None);
                    PlacedPickup::try_new(&own, calibration)?;
                }
                all.push(found);
            }
            weigh(set, &all, &mut best);
        }
        best.sort_by(|a, b| a.0.total_cmp(&b.0));
        best.dedup_by(|a, b| a.1 == b.1);
        best.truncate(40);
        centers = best.iter().take(3).map(|(_, moves)| moves.clone()).collect();
    }
    told(set, &best, calibration).map(|found| advance(1.0).then_some(found))
}

/// Moves about a center within a range, evenly over each freedom, the center first.
fn moves(center: PickupMove, range: &PickupRange, scale: f64, most: usize) -> Vec<PickupMove> {
    let free = [range.turns, range.place_mm, range.height_mm].iter().filter(|r| **r > 0.0).count();
    if free == 0 {
        return vec![center];
    }
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "some tens")]
    let levels = ((most as f64).powf(1.0 / free as f64).floor() as usize).max(2);
    let steps = |reach: f64| -> Vec<f64> {
        if reach <= 0.0 {
            return vec![0.0];
        }
        (0..levels).map(|k| reach * scale * (2.0 * k as f64 / (levels - 1) as f64 - 1.0)).collect()
    };
    let mut all = vec![center];
    for turns in steps(range.turns) {
        for place in steps(range.place_mm) {
            for height in steps(range.height_mm) {
                let within = |value: f64, reach: f64| value.clamp(-reach, reach);
                let by = PickupMove {
                    turns: 1.0 + within(center.turns - 1.0 + turns, range.turns),
                    place_mm: within(center.place_mm + place, range.place_mm),
                    height_mm: within(center.height_mm + height, range.height_mm),
                };
                if !all.contains(&by) {
                    all.push(by);
                }
            }
        }
    }
    all
}

fn variant(placed: &PlacedPickup, by: PickupMove, leads: f64) -> Variant {
    let outputs = placed.signal.outputs_mv();
    let circuit = placed.prediction.circuit.scaled(0.0, 0.0, f64::NEG_INFINITY);
    Variant {
        by,
        level: 20.0 * (outputs.iter().sum::<f64>() / outputs.len().max(1) as f64).max(1e-9).log10(),
        peak_hz: placed.prediction.pickup.peak_hz.map(|q| q.nominal),
        impedance: circuit.impedance(super::prediction::HUM_HZ),
        hum_m2: placed.signal.hum_area_m2.map(|v| v * leads),
        hum_whole_m2: placed.signal.hum_area_whole_m2,
    }
}

/// Weighs every combination of variants and keeps the best.
fn weigh(set: &Set, all: &[Vec<Variant>], best: &mut Vec<(f64, Vec<PickupMove>)>) {
    if all.iter().any(Vec::is_empty) {
        return;
    }
    let mut at = vec![0; all.len()];
    loop {
        let chosen: Vec<&Variant> = at.iter().zip(all).map(|(k, variants)| &variants[*k]).collect();
        let effort: f64 = chosen.iter().map(|v| v.by.effort()).sum();
        best.push((miss(set, &chosen) + EFFORT * effort, chosen.iter().map(|v| v.by).collect()));
        if best.len() > 4000 {
            best.sort_by(|a, b| a.0.total_cmp(&b.0));
            best.truncate(40);
        }
        let Some(next) = (0..at.len()).find(|i| at[*i] + 1 < all[*i].len()) else { return };
        at[..next].fill(0);
        at[next] += 1;
    }
}

/// By how much targets are missed.
fn miss(set: &Set, chosen: &[&Variant]) -> f64 {
    let targets = &set.targets;
    let middle = chosen.iter().map(|v| v.level).sum::<f64>() / chosen.len() as f64;
    let most = targets.balance_db.unwrap_or(BALANCE_DB);
    let mut sum: f64 = chosen.iter().map(|v| ((v.level - middle).abs() - most).max(0.0).powi(2)).sum();
    if let Some(least) = targets.hum_rejection_db {
        // Positions that use other coils of a pickup are left to the whole prediction.
        for position in set.switch.iter().filter(|p| p.on.len() > 1 && p.coils.is_empty()) {
            let on: Vec<&Variant> =
                position.on.iter().filter_map(|n| Some(chosen[set.position_of(n)?])).collect();
            sum += ((least - rejection_db(&on, position.join)).max(0.0) / 6.0).powi(2);
        }
    }
    if targets.peaks_in_order {
        let mut order: Vec<usize> = (0..chosen.len()).collect();
        order.sort_by(|a, b| set.pickups[*a].from_bridge_mm.total_cmp(&set.pickups[*b].from_bridge_mm));
        for pair in order.windows(2) {
            if let (Some(near), Some(far)) = (chosen[pair[0]].peak_hz, chosen[pair[1]].peak_hz) {
                sum += ((far / near).ln().max(0.0) / 0.03).powi(2);
            }
        }
    }
    sum.sqrt()
}

fn rejection_db(on: &[&Variant], join: Option<Join>) -> f64 {
    let admittance: Complex<f64> = on.iter().map(|v| v.impedance.inv()).sum();
    let (mut left, mut whole) = ([Complex::new(0.0, 0.0); 3], 0.0);
    for variant in on {
        let part = if join == Some(Join::Series) {
            Complex::new(1.0, 0.0)
        } else {
            variant.impedance.inv() / admittance
        };
        whole += part.norm() * variant.hum_whole_m2;
        for (sum, area) in left.iter_mut().zip(variant.hum_m2) {
            *sum += part * area;
        }
    }
    let left = left.iter().map(Complex::norm_sqr).sum::<f64>().sqrt();
    (20.0 * (whole.max(1e-30) / left.max(1e-30)).log10()).clamp(0.0, 80.0)
}

/// The best, predicted whole; those that hardly differ from a better one are left out.
fn told(
    set: &Set,
    best: &[(f64, Vec<PickupMove>)],
    calibration: &Calibration,
) -> Result<Vec<SetCandidate>, Vec<Problem>> {
    let mut all: Vec<SetCandidate> = Vec::new();
    for (_, moves) in best {
        let is_alike = |known: &SetCandidate| {
            known.moves.iter().zip(moves).all(|(a, b)| {
                (a.turns - b.turns).abs() < 0.01
                    && (a.place_mm - b.place_mm).abs() < 1.0
                    && (a.height_mm - b.height_mm).abs() < 0.15
            })
        };
        if all.iter().any(is_alike) {
            continue;
        }
        let mut other = Some(set.clone());
        for (i, by) in moves.iter().enumerate() {
            other = other.and_then(|s| by.applied(&s, i));
        }
        let Some(other) = other.filter(|s| s.problems().is_empty()) else { continue };
        let solution =
            SetSolution::compute(&other, |design| PlacedPickup::try_new(design, calibration).map(Arc::new))?;
        let variants: Vec<Variant> = moves
            .iter()
            .enumerate()
            .filter_map(|(i, by)| {
                let placed = PlacedPickup::try_new(&other.placed(i, None), calibration).ok()?;
                Some(variant(&placed, *by, PlacedPickup::sign(other.pickups[i].leads)))
            })
            .collect();
        let chosen: Vec<&Variant> = variants.iter().collect();
        all.push(SetCandidate {
            moves: moves.clone(),
            miss: miss(&other, &chosen),
            prediction: solution.prediction(),
        });
        if all.len() == TOLD {
            break;
        }
    }
    Ok(all)
}
