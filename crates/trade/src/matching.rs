//! Matching: which wound coils belong together.
//!
//! Two roles with coils of their own are an assignment, solved exactly (Kuhn and Munkres, by the crate `pathfinding`).
//! Where a coil may take either role the assignment is relaxed to closed chains, which are cut into pairs and improved by
//! exchanging partners until no exchange of two or three pairs helps; up to eighteen coils every way is weighed. Sets of three are chosen as one problem (see [`triples`]).

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
    if n <= MOST_TRIED {
        let chosen = best_of_all_ways(n, &cost);
        return chosen.into_iter().filter_map(|(a, b)| table[a][b].clone()).collect();
    }
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
    exchange_three(&mut partner, &cost);
    (0..n).filter_map(|a| partner[a].filter(|b| a < *b).and_then(|b| table[a][b].clone())).collect()
}

/// Up to so many coils of one pool every way of pairing them is weighed.
const MOST_TRIED: usize = 18;

/// The cheapest of all ways of pairing `n` coils, one of which stays over where they are odd: by sets of coils that are paired
/// already, each reached in the cheapest way.
fn best_of_all_ways(n: usize, cost: &impl Fn(usize, usize) -> f64) -> Vec<(usize, usize)> {
    let all = (1_usize << n) - 1;
    // By set: the least cost of pairing it, and the pair that was added last; a coil with itself stays over.
    let mut least: Vec<(f64, (usize, usize))> = vec![(f64::INFINITY, (0, 0)); all + 1];
    least[0].0 = 0.0;
    for set in 0..all {
        let so_far = least[set].0;
        if !so_far.is_finite() {
            continue;
        }
        let a = (!set).trailing_zeros() as usize;
        let mut reach = |b: usize, own: f64| {
            let next = set | 1 << a | 1 << b;
            if so_far + own < least[next].0 {
                least[next] = (so_far + own, (a, b));
            }
        };
        for b in a + 1..n {
            if set >> b & 1 == 0 {
                reach(b, cost(a, b));
            }
        }
        if n % 2 == 1 {
            // Two left over cost more than any pair would.
            reach(a, 2.0 * NEVER);
        }
    }
    let (mut pairs, mut set) = (Vec::new(), all);
    while set > 0 {
        let (a, b) = least[set].1;
        if a != b {
            pairs.push((a, b));
        }
        set &= !(1 << a | 1 << b);
    }
    pairs
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

/// Rearranges three pairs at a time, in each of the ways in which no two stay together, while that helps. What is left over stands as
/// a pair with nothing, so that a coil can take its place.
fn exchange_three(partner: &mut [Option<usize>], cost: &impl Fn(usize, usize) -> f64) {
    /// More rounds than any stock needs.
    const ROUNDS: usize = 20;
    // The ways of pairing six places so that 0 1, 2 3 and 4 5 are all parted.
    const WAYS: [[usize; 6]; 8] = [
        [0, 2, 1, 4, 3, 5],
        [0, 2, 1, 5, 3, 4],
        [0, 3, 1, 4, 2, 5],
        [0, 3, 1, 5, 2, 4],
        [0, 4, 1, 2, 3, 5],
        [0, 4, 1, 3, 2, 5],
        [0, 5, 1, 2, 3, 4],
        [0, 5, 1, 3, 2, 4],
    ];
    let of = |a: Option<usize>, b: Option<usize>| match (a, b) {
        (Some(a), Some(b)) => cost(a, b),
        (None, None) => 0.0,
        // As much as a pair that cannot be: a coil without a partner is the last resort.
        _ => NEVER,
    };
    let n = partner.len();
    let mut pairs: Vec<[Option<usize>; 2]> = (0..n)
        .filter_map(|a| match partner[a] {
            Some(b) if a < b => Some([Some(a), Some(b)]),
            Some(_) => None,
            None => Some([Some(a), None]),
        })
        .collect();
    for _ in 0..ROUNDS {
        let mut helped = false;
        for i in 0..pairs.len() {
            for j in i + 1..pairs.len() {
                for k in j + 1..pairs.len() {
                    let six = [pairs[i], pairs[j], pairs[k]].concat();
                    let now: f64 = six.chunks(2).map(|pair| of(pair[0], pair[1])).sum();
                    let sum = |way: &[usize; 6]| -> f64 {
                        way.chunks(2).map(|pair| of(six[pair[0]], six[pair[1]])).sum()
                    };
                    let best = WAYS.iter().map(|way| (sum(way), way)).min_by(|a, b| a.0.total_cmp(&b.0));
                    if let Some((_, way)) = best.filter(|(cheaper, _)| *cheaper < now - 1e-9) {
                        for (at, pair) in [i, j, k].into_iter().zip(way.chunks(2)) {
                            pairs[at] = [six[pair[0]], six[pair[1]]];
                        }
                        helped = true;
                    }
                }
            }
        }
        if !helped {
            break;
        }
    }
    partner.fill(None);
    for pair in pairs {
        if let [Some(a), Some(b)] = pair {
            (partner[a], partner[b]) = (Some(b), Some(a));
        }
    }
}

/// A set of three: the first with its second, and with a third that is like the first.
#[derive(Clone, Debug, PartialEq)]
pub struct Triple {
    /// The first and the second.
    pub pair: Pair,
    /// Index of the third role's coil.
    pub third: usize,
    /// The pair's cost and that of the third against the first.
    pub cost: f64,
}

/// The best sets of three, as many as there can be and of those the closest: all three chosen together. `alike` is what the third
/// is to share with the first. Where the roles have coils of their own, it is a flow from seconds through firsts to thirds, solved
/// exactly; a coil that stands in several pools is used in the role where the pairs of the first two put it, or as a third.
#[must_use]
pub fn triples(
    coils: &[Coil],
    [firsts, seconds, thirds]: [&[usize]; 3],
    criteria: &[MatchCriterion],
    alike: &[MatchCriterion],
    opposite: bool,
) -> Vec<Triple> {
    let is_apart = |a: &[usize], b: &[usize]| a.iter().all(|i| !b.contains(i));
    if !(is_apart(firsts, seconds) && is_apart(firsts, thirds) && is_apart(seconds, thirds)) {
        return joined(coils, [firsts, seconds, thirds], criteria, alike, opposite);
    }
    let mut flow = Flow::new(2 + seconds.len() + 2 * firsts.len() + thirds.len());
    let second = |k: usize| 2 + k;
    let first_in = |k: usize| 2 + seconds.len() + k;
    let first_out = |k: usize| first_in(k) + firsts.len();
    let third = |k: usize| first_out(firsts.len() - 1) + 1 + k;
    if firsts.is_empty() {
        return Vec::new();
    }
    for k in 0..seconds.len() {
        flow.edge(0, second(k), 0.0);
    }
    for k in 0..thirds.len() {
        flow.edge(third(k), 1, 0.0);
    }
    for (k, first) in firsts.iter().enumerate() {
        flow.edge(first_in(k), first_out(k), 0.0);
        for (s, other) in seconds.iter().enumerate() {
            if let Some(pair) = pairing(coils, *first, *other, criteria, opposite) {
                flow.edge(second(s), first_in(k), pair.cost);
            }
        }
        for (t, other) in thirds.iter().enumerate() {
            if let Some(pair) = pairing(coils, *first, *other, alike, false) {
                flow.edge(first_out(k), third(t), pair.cost);
            }
        }
    }
    flow.fill(0, 1);
    let mut all: Vec<Triple> = (0..firsts.len())
        .filter_map(|k| {
            let from = (0..seconds.len()).find(|s| flow.carries(second(*s), first_in(k)))?;
            let to = (0..thirds.len()).find(|t| flow.carries(first_out(k), third(*t)))?;
            triple(coils, [firsts[k], seconds[from], thirds[to]], criteria, alike, opposite)
        })
        .collect();
    all.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    all
}

fn triple(
    coils: &[Coil],
    [first, second, third]: [usize; 3],
    criteria: &[MatchCriterion],
    alike: &[MatchCriterion],
    opposite: bool,
) -> Option<Triple> {
    let pair = pairing(coils, first, second, criteria, opposite)?;
    let cost = pair.cost + pairing(coils, first, third, alike, false)?.cost;
    Some(Triple { pair, third, cost })
}

/// Sets of three where a coil may take several roles: pairs first, and thirds joined to them; then thirds are exchanged with firsts
/// and seconds while that helps.
fn joined(
    coils: &[Coil],
    [firsts, seconds, thirds]: [&[usize]; 3],
    criteria: &[MatchCriterion],
    alike: &[MatchCriterion],
    opposite: bool,
) -> Vec<Triple> {
    let of = |three: [usize; 3]| {
        let fits = firsts.contains(&three[0]) && seconds.contains(&three[1]) && thirds.contains(&three[2]);
        fits.then(|| triple(coils, three, criteria, alike, opposite)).flatten()
    };
    let mut free: Vec<usize> = firsts.iter().chain(seconds).chain(thirds).copied().collect();
    free.sort_unstable();
    free.dedup();
    // From the closest down: what is chosen is improved below.
    let mut sets: Vec<Triple> = Vec::new();
    loop {
        let best = free
            .iter()
            .flat_map(|a| free.iter().map(move |b| (*a, *b)))
            .filter(|(a, b)| a != b && firsts.contains(a) && seconds.contains(b))
            .filter_map(|(a, b)| pairing(coils, a, b, criteria, opposite))
            .filter_map(|pair| {
                let rest = free.iter().filter(|c| **c != pair.first && **c != pair.second);
                rest.filter_map(|c| of([pair.first, pair.second, *c]))
                    .min_by(|x, y| x.cost.total_cmp(&y.cost))
            })
            .min_by(|x, y| x.cost.total_cmp(&y.cost));
        let Some(best) = best else { break };
        free.retain(|c| ![best.pair.first, best.pair.second, best.third].contains(c));
        sets.push(best);
    }
    exchange_coils(&mut sets, &mut free, &of);
    sets.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    sets
}

/// Exchanges a coil of one set for one of another, or for a free one, while that helps.
fn exchange_coils(sets: &mut [Triple], free: &mut [usize], of: &impl Fn([usize; 3]) -> Option<Triple>) {
    /// More rounds than any stock needs.
    const ROUNDS: usize = 50;
    let three = |set: &Triple| [set.pair.first, set.pair.second, set.third];
    for _ in 0..ROUNDS {
        let mut helped = false;
        for a in 0..sets.len() {
            for place in 0..3 {
                for coil in free.iter_mut() {
                    let mut other = three(&sets[a]);
                    std::mem::swap(&mut other[place], coil);
                    match of(other).filter(|set| set.cost < sets[a].cost - 1e-9) {
                        Some(better) => (sets[a], helped) = (better, true),
                        None => std::mem::swap(&mut other[place], coil),
                    }
                }
                for b in a + 1..sets.len() {
                    for place_b in 0..3 {
                        let (mut one, mut two) = (three(&sets[a]), three(&sets[b]));
                        std::mem::swap(&mut one[place], &mut two[place_b]);
                        if let (Some(one), Some(two)) = (of(one), of(two))
                            && one.cost + two.cost < sets[a].cost + sets[b].cost - 1e-9
                        {
                            (sets[a], sets[b], helped) = (one, two, true);
                        }
                    }
                }
            }
        }
        if !helped {
            return;
        }
    }
}

/// A network whose edges carry one unit at most, each at a cost: as much as can be carried, as cheaply as can be, by shortest paths
/// one after the other (Bellman and Ford, since paths that are taken back cost less than nothing).
struct Flow {
    /// By node, its edges' places.
    edges_of: Vec<Vec<usize>>,
    /// To which node, at which cost, whether there is room; each with its way back behind it.
    edges: Vec<(usize, f64, bool)>,
}

impl Flow {
    fn new(nodes: usize) -> Self {
        Self { edges_of: vec![Vec::new(); nodes], edges: Vec::new() }
    }

    fn edge(&mut self, from: usize, to: usize, cost: f64) {
        self.edges_of[from].push(self.edges.len());
        self.edges.push((to, cost, true));
        self.edges_of[to].push(self.edges.len());
        self.edges.push((from, -cost, false));
    }

    /// Whether a unit goes from one node straight to another.
    fn carries(&self, from: usize, to: usize) -> bool {
        self.edges_of[from].iter().any(|e| e % 2 == 0 && self.edges[*e].0 == to && !self.edges[*e].2)
    }

    fn fill(&mut self, source: usize, sink: usize) {
        loop {
            let mut cost = vec![f64::INFINITY; self.edges_of.len()];
            let mut by: Vec<Option<usize>> = vec![None; self.edges_of.len()];
            let mut is_waiting = vec![false; self.edges_of.len()];
            let mut waiting = std::collections::VecDeque::from([source]);
            cost[source] = 0.0;
            while let Some(node) = waiting.pop_front() {
                is_waiting[node] = false;
                for e in &self.edges_of[node] {
                    let (to, own, has_room) = self.edges[*e];
                    if has_room && cost[node] + own < cost[to] - 1e-9 {
                        (cost[to], by[to]) = (cost[node] + own, Some(*e));
                        if !is_waiting[to] {
                            is_waiting[to] = true;
                            waiting.push_back(to);
                        }
                    }
                }
            }
            if !cost[sink].is_finite() {
                return;
            }
            let mut at = sink;
            while let Some(e) = by[at].filter(|_| at != source) {
                (self.edges[e].2, self.edges[e ^ 1].2) = (false, true);
                at = self.edges[e ^ 1].0;
            }
        }
    }
}

#[cfg(test)]
mod tests;
