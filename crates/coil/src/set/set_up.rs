//! How high each pickup stands, so that strings and pickups balance.

use super::document::Set;
use super::placed::PlacedPickup;
use crate::design::{Design, Problem, place_in_row};
use crate::prediction::Calibration;

/// Nearest that a planner lets a string come to a pole, mm: a plucked string swings by about as much.
pub const LEAST_GAP_MM: f64 = 1.2;
/// Furthest, mm.
const MOST_GAP_MM: f64 = 6.0;
/// Rounds of planning and predicting: levels fall about exponentially with the gap.
const ROUNDS: usize = 3;

/// How a pickup is set up.
#[derive(Clone, Debug)]
pub struct PickupSetUp {
    /// Its name in the set.
    pub name: String,
    /// String by string, string 1 first.
    pub strings: Vec<StringSetUp>,
    /// Its mean level against the mean of all pickups as they are set up, dB.
    pub relative_db: f64,
    /// Whether an analogue meter from its hot lead (plus) to ground swings to plus as a screwdriver is lifted off its poles.
    pub lifts_to_plus: bool,
    /// What a string bent from one pole to the next loses between them, dB below zero; `None` where nothing magnetises it.
    pub between_db: Option<f64>,
    /// Whether neighbouring poles have opposite poles up: between them the string's magnetisation turns over, and a bend passes a place
    /// where it is nearly silent.
    pub alternates: bool,
}

/// A string over a pickup that is set up.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct StringSetUp {
    /// Its number, from 1.
    pub string: u32,
    /// From the pole's face to the string's underside, with the pickup raised or lowered at both ends and the poles as they are, mm.
    pub gap_mm: f64,
    /// What its output is then against the mean of the pickup's strings, dB.
    pub relative_db: f64,
    /// How much higher its pole would stand to balance it fully, mm; below zero lower.
    pub stagger_mm: f64,
    /// How far the magnets' pull detunes it at that gap, cents; below zero is flat.
    pub pull_cents: f64,
}

/// Plans the heights of all pickups of a set: the two ends of each are raised or lowered, as two screws do, so that its strings differ
/// least and its mean level is that of all pickups. `radius_mm` is the fingerboard's radius, over which the outer strings lie lower;
/// `None` for a flat row.
///
/// # Errors
/// As [`Set::problems`], and those of the pickups.
pub fn set_up(
    set: &Set,
    radius_mm: Option<f64>,
    calibration: &Calibration,
) -> Result<Vec<PickupSetUp>, Vec<Problem>> {
    let problems = set.problems();
    if !problems.is_empty() {
        return Err(problems);
    }
    let mut planned = set.clone();
    for pickup in &mut planned.pickups {
        let strings = &mut pickup.design.strings;
        strings.each = (1..=strings.count).map(|n| strings.as_it_is(n)).collect();
    }
    let mut solved = solve(&planned, calibration)?;
    for _ in 0..ROUNDS {
        let levels: Vec<f64> = solved
            .iter()
            .map(|p| mean(&p.signal.outputs_mv().iter().map(|v| v.ln()).collect::<Vec<_>>()))
            .collect();
        let target = mean(&levels);
        for (pickup, placed) in planned.pickups.iter_mut().zip(&solved) {
            set_heights(&mut pickup.design, placed, target, radius_mm);
        }
        solved = solve(&planned, calibration)?;
    }
    let means: Vec<f64> = solved.iter().map(|p| decibels(mean(&p.signal.outputs_mv()))).collect();
    let middle = mean(&means);
    let pickups = planned.pickups.iter().zip(&solved).zip(&means);
    Ok(pickups
        .map(|((pickup, placed), level)| {
            let outputs = placed.signal.outputs_mv();
            let whole = mean(&outputs);
            let strings = (1..).zip(&outputs).zip(&placed.signal.strings).zip(&placed.prediction.strings);
            PickupSetUp {
                name: pickup.name.clone(),
                relative_db: level - middle,
                lifts_to_plus: placed.lifts_to_plus(pickup.leads),
                between_db: placed.between_poles.map(decibels),
                alternates: alternates(&pickup.design),
                strings: strings
                    .map(|(((string, mv), at), predicted)| StringSetUp {
                        string,
                        gap_mm: pickup.design.strings.core_and_gap_mm(string).1,
                        relative_db: decibels(mv / whole),
                        stagger_mm: 1e3 * (whole / mv.max(1e-12)).ln() / at.falls_per_m.max(1.0),
                        pull_cents: predicted.pull_cents,
                    })
                    .collect(),
            }
        })
        .collect())
}

/// Whether poles of one coil that stand beside one another have opposite poles up.
#[must_use]
pub fn alternates(design: &Design) -> bool {
    design.coils.iter().any(|coil| {
        let mut row: Vec<_> = design.poles.iter().filter(|p| p.coil == coil.name).collect();
        row.sort_by(|a, b| a.x_mm.total_cmp(&b.x_mm));
        row.windows(2).any(|pair| pair[0].material.demagnetisation().is_some() && pair[0].up != pair[1].up)
    })
}

fn solve(set: &Set, calibration: &Calibration) -> Result<Vec<PlacedPickup>, Vec<Problem>> {
    (0..set.pickups.len()).map(|i| PlacedPickup::try_new(&set.placed(i, None), calibration)).collect()
}

/// Moves both ends of a pickup so that its strings come nearest to a level, given as the logarithm of mV: a straight line over the row,
/// by least squares of what each string is off.
fn set_heights(design: &mut Design, placed: &PlacedPickup, target: f64, radius_mm: Option<f64>) {
    let strings = &design.strings;
    let tops = tops_mm(design);
    // Sums of the normal equations for height + tilt·x.
    let (mut s, mut sx, mut sxx, mut sy, mut sxy) = (0.0, 0.0, 0.0, 0.0, 0.0);
    let mut rows = Vec::new();
    for (i, (at, mv)) in placed.signal.strings.iter().zip(placed.signal.outputs_mv()).enumerate() {
        let number = u32::try_from(i + 1).unwrap_or(u32::MAX);
        let x = place_in_row(number, strings.count, strings.pitch_mm, strings.handed);
        let k = (at.falls_per_m * 1e-3).max(1e-3);
        let wanted = strings.core_and_gap_mm(number).1 + (mv.max(1e-12).ln() - target) / k;
        // Where the string lies over a flat row, and where its pole stands: what the screws do not move.
        let fixed = -radius_mm.map_or(0.0, |r| x * x / (2.0 * r)) - tops[i];
        let (weight, y) = (k * k, wanted - fixed);
        s += weight;
        sx += weight * x;
        sxx += weight * x * x;
        sy += weight * y;
        sxy += weight * x * y;
        rows.push((x, fixed));
    }
    let determinant = s * sxx - sx * sx;
    if determinant.abs() < 1e-12 {
        return;
    }
    let tilt = (s * sxy - sx * sy) / determinant;
    let height = (sy - tilt * sx) / s;
    for (string, (x, fixed)) in design.strings.each.iter_mut().zip(rows) {
        string.gap_mm = (height + tilt * x + fixed).clamp(LEAST_GAP_MM, MOST_GAP_MM);
    }
}

/// How high the pole of each string stands over the mean of all, mm.
fn tops_mm(design: &Design) -> Vec<f64> {
    let top = |number: u32| {
        let own = design.poles.iter().filter(|p| p.string == Some(number)).map(|p| p.bottom_mm + p.length_mm);
        own.fold(None, |most: Option<f64>, top| Some(most.map_or(top, |m| m.max(top))))
    };
    let tops: Vec<Option<f64>> = (1..=design.strings.count).map(top).collect();
    let known: Vec<f64> = tops.iter().flatten().copied().collect();
    let middle = mean(&known);
    tops.into_iter().map(|t| t.map_or(0.0, |t| t - middle)).collect()
}

fn decibels(ratio: f64) -> f64 {
    20.0 * ratio.max(1e-9).log10()
}

fn mean(values: &[f64]) -> f64 {
    values.iter().sum::<f64>() / values.len().max(1) as f64
}
