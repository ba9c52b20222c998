//! Limits of a control chart by stretches: where the level moved after something is known to have changed, what follows is judged by
//! limits of its own. Else one new spool puts every coil beyond limits that lie between two levels.

use super::rules::{Breach, breaches};
use super::{D2, FEWEST, Limits, mean, moving_ranges};

/// Fewest values of a stretch of its own, given the spread of all.
const FEWEST_OF_STRETCH: usize = 3;
/// Values from which a stretch's own spread is known well enough.
const OWN_SPREAD: usize = 8;
/// A level has moved where the means differ by so many standard errors.
const MOVED: f64 = 3.0;

/// Values that share limits.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stretch {
    /// The first of them.
    pub from: usize,
    /// The first after them.
    pub to: usize,
    /// Their limits.
    pub limits: Limits,
}

/// Limits of individuals by stretches. `changes` are the places at which something is known to have changed, in rising order: the first
/// value after each. Only those count where the level moved by three standard errors. The spread is that of neighbours (e-Handbook
/// 6.3.2.2) within the stretch, or within all stretches where one is short, so that a step does not widen it. Empty of fewer than [`FEWEST`] values or of equal ones.
///
/// ```
/// use trade::consistency::stretches;
/// let before = [10.0, 10.2, 9.9, 10.1, 10.0, 9.8];
/// let values: Vec<f64> = before.iter().copied().chain(before.iter().map(|v| v + 3.0)).collect();
/// // A spool that reads three more: two levels, each with limits of its own.
/// let found = stretches(&values, &[6]);
/// assert_eq!((found.len(), found[1].from), (2, 6));
/// // A change that moved nothing draws no new limits.
/// assert_eq!(stretches(&before, &[3]).len(), 1);
/// ```
#[must_use]
pub fn stretches(values: &[f64], changes: &[usize]) -> Vec<Stretch> {
    if values.len() < FEWEST {
        return Vec::new();
    }
    let mut edges: Vec<usize> = vec![0];
    edges.extend(changes.iter().copied().filter(|at| *at > 0 && *at < values.len()));
    edges.push(values.len());
    edges.dedup();
    // The least convincing edge goes first; what is left is looked at again with the spread that follows.
    loop {
        let of_all = spread(values, &edges);
        if of_all <= 0.0 {
            return Vec::new();
        }
        let sigma = |from: usize, to: usize| {
            let own = if to - from >= OWN_SPREAD { spread(values, &[from, to]) } else { 0.0 };
            if own > 0.0 { own } else { of_all }
        };
        let doubt = |k: usize| {
            let (before, after) = (&values[edges[k - 1]..edges[k]], &values[edges[k]..edges[k + 1]]);
            if before.len() < FEWEST_OF_STRETCH || after.len() < FEWEST_OF_STRETCH {
                return 0.0;
            }
            let (one, two) = (sigma(edges[k - 1], edges[k]), sigma(edges[k], edges[k + 1]));
            let error = (one * one / before.len() as f64 + two * two / after.len() as f64).sqrt();
            (mean(after) - mean(before)).abs() / error
        };
        let least = (1..edges.len() - 1).map(|k| (doubt(k), k)).min_by(|a, b| a.0.total_cmp(&b.0));
        match least {
            Some((moved, k)) if moved < MOVED => {
                edges.remove(k);
            }
            _ => {
                let of = |pair: &[usize]| Stretch {
                    from: pair[0],
                    to: pair[1],
                    limits: Limits::about(mean(&values[pair[0]..pair[1]]), sigma(pair[0], pair[1])),
                };
                return edges.windows(2).map(of).collect();
            }
        }
    }
}

/// Standard deviation by the moving ranges within stretches.
fn spread(values: &[f64], edges: &[usize]) -> f64 {
    let ranges: Vec<f64> =
        edges.windows(2).flat_map(|pair| moving_ranges(&values[pair[0]..pair[1]])).collect();
    mean(&ranges) / D2
}

/// Every stretch of points that breaks a rule, each against the limits of its own level; no run of points is counted across a change.
#[must_use]
pub fn breaches_within(values: &[f64], stretches: &[Stretch]) -> Vec<Breach> {
    let mut all: Vec<Breach> = stretches
        .iter()
        .flat_map(|s| {
            let found = breaches(&values[s.from..s.to], &s.limits).into_iter();
            found.map(|b| Breach { rule: b.rule, from: b.from + s.from, to: b.to + s.from })
        })
        .collect();
    all.sort_by_key(|b| (b.to, b.rule));
    all
}

#[cfg(test)]
mod tests {
    use super::super::{Rule, individuals};
    use super::*;
    use rand::rngs::StdRng;
    use rand::{RngExt as _, SeedableRng as _};
    use rstest::rstest;

    /// A normal deviate, near enough.
    fn deviate(dice: &mut StdRng) -> f64 {
        (0..12).map(|_| dice.random::<f64>()).sum::<f64>() - 6.0
    }

    /// Levels one after the other, so many coils each, with a spread of one.
    fn levels(seed: u64, all: &[(usize, f64)]) -> Vec<f64> {
        let mut dice = StdRng::seed_from_u64(seed);
        all.iter()
            .flat_map(|(count, level)| vec![*level; *count])
            .map(|level| level + deviate(&mut dice))
            .collect()
    }

    /// Without a change these are the limits of individuals.
    #[test]
    fn one_stretch_has_the_limits_of_individuals() {
        let values = levels(1, &[(30, 50.0)]);
        let (limits, _) = individuals(&values).unwrap();
        let found = stretches(&values, &[]);
        assert_eq!(found.len(), 1);
        assert!(
            (found[0].limits.upper - limits.upper).abs() < 1e-9 && (found[0].from, found[0].to) == (0, 30)
        );
    }

    /// A new spool that reads ten spreads more, in the middle of 56 coils: two levels, and hardly a coil is red, where one set of
    /// limits makes most of them so.
    #[rstest]
    fn a_new_spool_does_not_turn_all_coils_red(#[values(2, 3, 4, 5, 6)] seed: u64) {
        let values = levels(seed, &[(28, 50.0), (28, 60.0)]);
        let red =
            |found: &[Breach]| (0..56).filter(|k| found.iter().any(|b| b.from <= *k && *k <= b.to)).count();
        let (one, _) = individuals(&values).unwrap();
        assert!(red(&breaches(&values, &one)) > 40);
        let by_level = stretches(&values, &[28]);
        assert_eq!(by_level.len(), 2);
        let left = red(&breaches_within(&values, &by_level));
        assert!(left <= 14, "{left}");
        // What happens within a level is still seen.
        let mut spoilt = values.clone();
        spoilt[40] += 9.0;
        let found = breaches_within(&spoilt, &stretches(&spoilt, &[28]));
        assert!(found.iter().any(|b| b.rule == Rule::FarOut && b.to == 40), "{found:?}");
    }

    /// A change that moved nothing, and one with two coils after it, draw no limits of their own; of three changes the one that did
    /// is kept.
    #[rstest]
    #[case(&[(20, 50.0), (20, 50.0)], &[20], &[0])]
    #[case(&[(20, 50.0), (2, 80.0)], &[20], &[0])]
    #[case(&[(12, 50.0), (12, 50.0), (12, 58.0), (12, 58.0)], &[12, 24, 36], &[0, 24])]
    #[case(&[(10, 50.0), (10, 58.0), (10, 50.0)], &[10, 20], &[0, 10, 20])]
    #[case(&[(10, 50.0)], &[0, 10, 99], &[0])]
    fn only_changes_that_moved_the_level_count(
        #[case] all: &[(usize, f64)],
        #[case] changes: &[usize],
        #[case] from: &[usize],
    ) {
        let values = levels(7, all);
        let found = stretches(&values, changes);
        assert_eq!(found.iter().map(|s| s.from).collect::<Vec<_>>(), from);
        assert!(
            found.windows(2).all(|pair| pair[0].to == pair[1].from)
                && found[found.len() - 1].to == values.len()
        );
    }

    #[test]
    fn too_few_or_equal_values_have_no_limits() {
        assert!(stretches(&[1.0, 2.0, 3.0, 4.0], &[2]).is_empty());
        assert!(stretches(&[5.0; 12], &[6]).is_empty());
    }
}
