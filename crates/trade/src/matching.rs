//! Matching: which wound coils belong together.
//!
//! Two roles with coils of their own are an assignment, solved exactly (Kuhn and Munkres, by the crate `pathfinding`).
//! Where a coil may take either role the assignment is relaxed to closed chains, which are cut into pairs and improved by
//! exchanging partners until no exchange of two pairs helps.

use pathfinding::prelude::{Matrix, kuhn_munkres_min};
use serde::{Deserialize, Serialize};

/// What coils are matched by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Measure {
    /// Resistance at 20 °C.
    Resistance,
    /// Inductance.
    Inductance,
    /// Resonance of the coil with its load: by the measured inductance where there is one.
    Resonance,
    /// Turns.
    Turns,
    /// Output.
    Output,
}

impl Measure {
    /// Every measure.
    pub const ALL: [Self; 5] =
        [Self::Resistance, Self::Inductance, Self::Resonance, Self::Turns, Self::Output];

    /// Its stable name.
    #[must_use]
    pub const fn key(self) -> &'static str {
        match self {
            Self::Resistance => "resistance",
            Self::Inductance => "inductance",
            Self::Resonance => "resonance",
            Self::Turns => "turns",
            Self::Output => "output",
        }
    }

    /// Its sign or word.
    #[must_use]
    pub const fn sign(self) -> &'static str {
        match self {
            Self::Resistance => "R",
            Self::Inductance => "L",
            Self::Resonance => "peak",
            Self::Turns => "turns",
            Self::Output => "output",
        }
    }
}

/// A coil in stock.
#[derive(Clone, Debug, PartialEq)]
pub struct Coil {
    /// Its run's number in the database.
    pub run: u64,
    /// Values by [`Measure::ALL`]; `None` where it is not known.
    pub values: [Option<f64>; 5],
    /// Which way current and field go: the sense of winding times the pole that looks up. Coils of opposite winding and
    /// opposite poles cancel hum and stay in phase.
    pub clockwise: bool,
    /// Whether its poles look north.
    pub north: bool,
}

/// What a pair should be alike in.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MatchCriterion {
    /// By what.
    pub measure: Measure,
    /// Second over first.
    pub ratio: f64,
    /// How far off it may be, as a ratio; above 0.
    pub tolerance: f64,
}

/// A pair.
#[derive(Clone, Debug, PartialEq)]
pub struct Pair {
    /// Index of the first role's coil.
    pub first: usize,
    /// Index of the second role's.
    pub second: usize,
    /// Sum of squares of the deviations in tolerances.
    pub cost: f64,
    /// Deviations from the wishes, as ratios less one, in the wishes' order.
    pub off: Vec<f64>,
}

/// Beyond so many tolerances two coils are no pair.
const FURTHEST: f64 = 3.0;
/// Cost of what is no pair: more than all pairs together.
const NEVER: f64 = 1e5;

/// Whether two coils may go together, and how well.
fn pairing(
    coils: &[Coil],
    first: usize,
    second: usize,
    criteria: &[MatchCriterion],
    opposite: bool,
) -> Option<Pair> {
    let (a, b) = (&coils[first], &coils[second]);
    if a.run == b.run || (opposite && (a.clockwise == b.clockwise || a.north == b.north)) {
        return None;
    }
    let mut cost = 0.0;
    let mut off = Vec::with_capacity(criteria.len());
    for criterion in criteria {
        let at = Measure::ALL.iter().position(|m| *m == criterion.measure)?;
        let (x, y) = (a.values[at]?, b.values[at]?);
        if x <= 0.0 || y <= 0.0 {
            return None;
        }
        let deviation = y / x / criterion.ratio;
        let tolerances = deviation.ln() / criterion.tolerance.ln_1p();
        if tolerances.abs() > FURTHEST {
            return None;
        }
        cost += tolerances * tolerances;
        off.push(deviation - 1.0);
    }
    Some(Pair { first, second, cost, off })
}

/// The best pairs of a first and a second role, as many as there can be and of those the closest. `firsts` and `seconds`
/// are indices into `coils`; a coil may stand in both and is used once.
#[must_use]
pub fn pairs(
    coils: &[Coil],
    firsts: &[usize],
    seconds: &[usize],
    criteria: &[MatchCriterion],
    opposite: bool,
) -> Vec<Pair> {
    let apart = firsts.iter().all(|i| !seconds.contains(i));
    let mut found = if apart {
        between(coils, firsts, seconds, criteria, opposite)
    } else {
        within(coils, firsts, seconds, criteria, opposite)
    };
    found.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    found
}

fn scaled(cost: f64) -> i64 {
    #[allow(clippy::cast_possible_truncation, reason = "at most a hundred million")]
    let scaled = (cost * 1000.0).round() as i64;
    scaled
}

fn between(
    coils: &[Coil],
    firsts: &[usize],
    seconds: &[usize],
    criteria: &[MatchCriterion],
    opposite: bool,
) -> Vec<Pair> {
    if firsts.is_empty() || seconds.is_empty() {
        return Vec::new();
    }
    let turned = firsts.len() > seconds.len();
    let (rows, columns) = if turned { (seconds, firsts) } else { (firsts, seconds) };
    let of = |row: usize, column: usize| {
        let (first, second) =
            if turned { (columns[column], rows[row]) } else { (rows[row], columns[column]) };
        pairing(coils, first, second, criteria, opposite)
    };
    let costs =
        Matrix::from_fn(rows.len(), columns.len(), |(r, c)| scaled(of(r, c).map_or(NEVER, |p| p.cost)));
    let (_, chosen) = kuhn_munkres_min(&costs);
    chosen.iter().enumerate().filter_map(|(row, column)| of(row, *column)).collect()
}

/// Pairs where a coil may take either role.
fn within(
    coils: &[Coil],
    firsts: &[usize],
    seconds: &[usize],
    criteria: &[MatchCriterion],
    opposite: bool,
) -> Vec<Pair> {
    let mut all: Vec<usize> = firsts.iter().chain(seconds).copied().collect();
    all.sort_unstable();
    all.dedup();
    // The cheaper of the two ways round that their roles allow.
    let of = |a: usize, b: usize| {
        let way = |a: usize, b: usize| {
            let fits = firsts.contains(&a) && seconds.contains(&b);
            fits.then(|| pairing(coils, a, b, criteria, opposite)).flatten()
        };
        match (way(a, b), way(b, a)) {
            (Some(x), Some(y)) => Some(if x.cost <= y.cost { x } else { y }),
            (x, y) => x.or(y),
        }
    };
    let n = all.len();
    if n < 2 {
        return Vec::new();
    }
    let table: Vec<Vec<Option<Pair>>> =
        all.iter().map(|a| all.iter().map(|b| if a == b { None } else { of(*a, *b) }).collect()).collect();
    let cost = |a: usize, b: usize| table[a][b].as_ref().map_or(NEVER, |p| p.cost);
    let costs = Matrix::from_fn(n, n, |(a, b)| if a == b { scaled(2.0 * NEVER) } else { scaled(cost(a, b)) });
    let (_, next) = kuhn_munkres_min(&costs);
    let mut partner: Vec<Option<usize>> = vec![None; n];
    let mut seen = vec![false; n];
    for start in 0..n {
        let mut chain = Vec::new();
        let mut at = start;
        while !seen[at] {
            seen[at] = true;
            chain.push(at);
            at = next[at];
        }
        for (a, b) in cut(&chain, &cost) {
            (partner[a], partner[b]) = (Some(b), Some(a));
        }
    }
    // What an odd chain left over finds a partner among the others left over.
    for a in 0..n {
        let free = (0..n).filter(|b| *b != a && partner[*b].is_none());
        if partner[a].is_none()
            && let Some(b) = free.min_by(|b, c| cost(a, *b).total_cmp(&cost(a, *c)))
        {
            (partner[a], partner[b]) = (Some(b), Some(a));
        }
    }
    exchange(&mut partner, &cost);
    (0..n).filter_map(|a| partner[a].filter(|b| a < *b).and_then(|b| table[a][b].clone())).collect()
}

/// A closed chain cut into pairs: of the ways to begin, the cheapest.
fn cut(chain: &[usize], cost: &impl Fn(usize, usize) -> f64) -> Vec<(usize, usize)> {
    let n = chain.len();
    let ways = if n.is_multiple_of(2) { 2.min(n) } else { n };
    let begin = |way: usize| -> Vec<(usize, usize)> {
        (0..n / 2).map(|k| (chain[(way + 2 * k) % n], chain[(way + 2 * k + 1) % n])).collect()
    };
    let sum = |pairs: &[(usize, usize)]| pairs.iter().map(|(a, b)| cost(*a, *b)).sum::<f64>();
    (0..ways).map(begin).min_by(|a, b| sum(a).total_cmp(&sum(b))).unwrap_or_default()
}

/// Exchanges partners of two pairs, or one for a coil left over, while that helps.
fn exchange(partner: &mut [Option<usize>], cost: &impl Fn(usize, usize) -> f64) {
    /// More rounds than any stock needs.
    const ROUNDS: usize = 50;
    let n = partner.len();
    for _ in 0..ROUNDS {
        let mut helped = false;
        for a in 0..n {
            for c in 0..n {
                let Some(b) = partner[a] else { continue };
                if c == a || c == b {
                    continue;
                }
                if let Some(d) = partner[c] {
                    if cost(a, c) + cost(b, d) < cost(a, b) + cost(c, d) - 1e-9 {
                        (partner[a], partner[c], partner[b], partner[d]) =
                            (Some(c), Some(a), Some(d), Some(b));
                        helped = true;
                    }
                } else if cost(a, c) < cost(a, b) - 1e-9 {
                    (partner[a], partner[c], partner[b]) = (Some(c), Some(a), None);
                    helped = true;
                }
            }
        }
        if !helped {
            return;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::rngs::StdRng;
    use rand::{RngExt as _, SeedableRng as _};
    use rstest::rstest;

    fn coil(run: u64, ohms: f64, clockwise: bool) -> Coil {
        Coil { run, values: [Some(ohms), Some(ohms / 2500.0), None, None, None], clockwise, north: clockwise }
    }

    const ALIKE: MatchCriterion =
        MatchCriterion { measure: Measure::Resistance, ratio: 1.0, tolerance: 0.02 };

    /// A worked example by hand: greedy pairing would take 5.80 with 5.81 and leave 5.70 with 5.92.
    #[test]
    fn the_whole_is_better_than_the_first_best() {
        let coils =
            [coil(1, 5800.0, true), coil(2, 5700.0, true), coil(3, 5810.0, false), coil(4, 5920.0, false)];
        let found = pairs(&coils, &[0, 1], &[2, 3], &[ALIKE], true);
        let mut who: Vec<(usize, usize)> = found.iter().map(|p| (p.first, p.second)).collect();
        who.sort_unstable();
        assert_eq!(who, [(0, 3), (1, 2)]);
    }

    /// The bridge coil is wound 10 to 15 % hotter than the neck's (common practice, no source).
    #[test]
    fn a_hotter_bridge_is_a_ratio() {
        let coils = [coil(1, 6000.0, true), coil(2, 6300.0, true), coil(3, 6750.0, false)];
        let criterion = MatchCriterion { ratio: 1.125, ..ALIKE };
        let found = pairs(&coils, &[0, 1], &[2], &[criterion], true);
        assert_eq!((found.len(), found[0].first), (1, 0));
        assert!(found[0].off[0].abs() < 1e-9);
    }

    /// Only one of winding and magnet turned hums or is out of phase: no pair.
    #[test]
    fn opposite_means_winding_and_magnet() {
        let (a, mut b) = (coil(1, 5800.0, true), coil(2, 5800.0, false));
        assert_eq!(pairs(&[a.clone(), b.clone()], &[0], &[1], &[ALIKE], true).len(), 1);
        b.north = true;
        assert!(pairs(&[a.clone(), b.clone()], &[0], &[1], &[ALIKE], true).is_empty());
        assert_eq!(pairs(&[a, b], &[0], &[1], &[ALIKE], false).len(), 1);
    }

    #[test]
    fn what_is_too_far_apart_is_left_over() {
        let coils = [coil(1, 5800.0, true), coil(2, 6300.0, true)];
        assert!(pairs(&coils, &[0, 1], &[0, 1], &[ALIKE], false).is_empty());
        let mut unread = coil(3, 5800.0, true);
        unread.values[0] = None;
        assert!(pairs(&[coil(1, 5800.0, true), unread], &[0, 1], &[0, 1], &[ALIKE], false).is_empty());
    }

    /// The least cost of pairing all of a set, by trying every way.
    fn by_trying(coils: &[Coil], free: &mut Vec<usize>) -> f64 {
        let Some(a) = free.pop() else { return 0.0 };
        let mut best = f64::INFINITY;
        for k in 0..free.len() {
            let b = free.remove(k);
            let one = pairing(coils, a, b, &[ALIKE], false).map_or(NEVER, |p| p.cost);
            best = best.min(one + by_trying(coils, free));
            free.insert(k, b);
        }
        free.push(a);
        best
    }

    /// One pool for both roles, against every way tried.
    #[rstest]
    #[case(1)]
    #[case(2)]
    #[case(3)]
    #[case(4)]
    #[case(5)]
    fn one_pool_comes_to_the_best_of_all_ways(#[case] seed: u64) {
        let mut dice = StdRng::seed_from_u64(seed);
        let coils: Vec<Coil> =
            (0..10).map(|k| coil(k, 5700.0 + 300.0 * dice.random::<f64>(), true)).collect();
        let all: Vec<usize> = (0..10).collect();
        let found = pairs(&coils, &all, &all, &[ALIKE], false);
        assert_eq!(found.len(), 5);
        let sum: f64 = found.iter().map(|p| p.cost).sum();
        let best = by_trying(&coils, &mut all.clone());
        assert!(sum <= best + 0.01, "{sum} {best}");
    }
}
