//! What was heard in blind listening, compared: families against the first, with what differs between listenings taken out.

use nalgebra::{DMatrix, DVector};
use statrs::distribution::{ContinuousCDF as _, StudentsT};

/// A score: who it was given to and where.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Heard {
    /// The family of the coil, from 0.
    pub family: usize,
    /// The listening, from 0: what is heard in one is heard by one person in one hour.
    pub listening: usize,
    /// The score.
    pub score: f64,
}

/// How a family was scored against the first.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Comparison {
    /// Its mean score less the first's, listenings evened out.
    pub by: f64,
    /// The interval that holds it, for all families together with 95 %.
    pub interval: (f64, f64),
}

impl Comparison {
    /// Whether a difference was heard.
    #[must_use]
    pub fn is_clear(&self) -> bool {
        self.interval.0 > 0.0 || self.interval.1 < 0.0
    }
}

/// Families 1, 2 … against family 0, by least squares with a mean of each listening (a randomised block design) and Student's t of what
/// is left, the risk shared among the comparisons. `None` of a family that was not heard together with the first, and of all where too few
/// scores leave nothing to judge them by.
///
/// ```
/// use trade::listening::{Heard, compare};
/// let heard = |family, listening, score| Heard { family, listening, score };
/// let scores = [heard(0, 0, 4.0), heard(1, 0, 7.0), heard(0, 1, 5.0), heard(1, 1, 8.5), heard(0, 2, 3.0), heard(1, 2, 6.0)];
/// let found = compare(&scores, 2);
/// assert!(found[0].unwrap().is_clear());
/// assert_eq!(compare(&scores[..2], 2), [None]);
/// ```
#[must_use]
pub fn compare(scores: &[Heard], families: usize) -> Vec<Option<Comparison>> {
    let nothing = vec![None; families.saturating_sub(1)];
    let is_heard = |family: usize| scores.iter().any(|s| s.family == family);
    let heard: Vec<usize> = (1..families).filter(|family| is_heard(*family)).collect();
    let mut listenings: Vec<usize> = scores.iter().map(|s| s.listening).collect();
    listenings.sort_unstable();
    listenings.dedup();
    let unknown = heard.len() + listenings.len();
    if heard.is_empty() || !is_heard(0) || scores.len() <= unknown {
        return nothing;
    }
    let design = DMatrix::from_fn(scores.len(), unknown, |row, column| {
        let score = scores[row];
        let is_one = match heard.get(column) {
            Some(family) => score.family == *family,
            None => score.listening == listenings[column - heard.len()],
        };
        f64::from(u8::from(is_one))
    });
    let values = DVector::from_iterator(scores.len(), scores.iter().map(|s| s.score));
    let normal = design.transpose() * &design;
    // Families that never stood in one listening with the first cannot be told from its hour.
    let Some(inverse) = normal.cholesky().map(|c| c.inverse()) else { return nothing };
    let found = &inverse * design.transpose() * &values;
    let left = values - design * &found;
    let degrees = (scores.len() - unknown) as f64;
    let variance = left.norm_squared() / degrees;
    let risk = 0.05 / heard.len() as f64;
    let Ok(student) = StudentsT::new(0.0, 1.0, degrees) else { return nothing };
    let t = student.inverse_cdf(1.0 - risk / 2.0);
    (1..families)
        .map(|family| {
            let k = heard.iter().position(|h| *h == family)?;
            let half = t * (variance * inverse[(k, k)]).sqrt();
            let by = found[k];
            by.is_finite().then_some(Comparison { by, interval: (by - half, by + half) })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Student's data on sleep (Biometrika 6, 1908) as pairs: each patient is a block of two. The mean difference is 1.58 hours, its
    /// 95 % interval 0.7001 to 2.4599 with nine degrees of freedom.
    #[test]
    fn students_sleep_in_pairs() {
        let first = [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0];
        let second = [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4];
        let mut scores = Vec::new();
        for (listening, pair) in first.iter().zip(second).enumerate() {
            scores.push(Heard { family: 0, listening, score: *pair.0 });
            scores.push(Heard { family: 1, listening, score: pair.1 });
        }
        let found = compare(&scores, 2)[0].unwrap();
        assert!((found.by - 1.58).abs() < 1e-9);
        assert!((found.interval.0 - 0.7001).abs() < 1e-3, "{found:?}");
        assert!((found.interval.1 - 2.4599).abs() < 1e-3, "{found:?}");
    }

    /// A listener who scores everything higher makes no difference, and more families make each interval wider.
    #[test]
    fn listeners_are_evened_out_and_the_risk_is_shared() {
        let scores = |lift: f64, families: usize| -> Vec<Heard> {
            let of = |listening: usize, family: usize| {
                let noise = [0.3, -0.2, 0.1, -0.3, 0.25, -0.15][(2 * listening + family) % 6];
                let lift = if listening == 1 { lift } else { 0.0 };
                Heard { family, listening, score: 5.0 + 2.0 * family as f64 + noise + lift }
            };
            (0..4).flat_map(|l| (0..families).map(move |f| (l, f))).map(|(l, f)| of(l, f)).collect()
        };
        let (plain, lifted) =
            (compare(&scores(0.0, 2), 2)[0].unwrap(), compare(&scores(3.0, 2), 2)[0].unwrap());
        assert!((plain.by - lifted.by).abs() < 1e-9 && (plain.interval.0 - lifted.interval.0).abs() < 1e-9);
        let three = compare(&scores(0.0, 3), 3);
        assert!(three.iter().all(|c| c.unwrap().is_clear()));
    }

    /// A family that was never heard beside the first is not compared with it.
    #[test]
    fn what_was_never_heard_together_is_not_compared() {
        let heard = |family, listening, score| Heard { family, listening, score };
        let apart =
            [heard(0, 0, 4.0), heard(0, 0, 5.0), heard(1, 1, 7.0), heard(1, 1, 6.0), heard(1, 1, 6.5)];
        assert_eq!(compare(&apart, 2), [None]);
        assert_eq!(compare(&[], 2), [None]);
        assert_eq!(compare(&[heard(0, 0, 4.0)], 3), [None, None]);
    }
}
