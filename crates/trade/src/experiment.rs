//! Experiments: families of coils that differ in one thing, and what that one thing does.

use crate::consistency::{mean, sd};
use statrs::distribution::{ContinuousCDF as _, Normal, StudentsT};

/// Runs that the shop's own noise is worth at most when it is joined with an experiment's.
const NOISE_WORTH: f64 = 20.0;

/// The noise of one coil against the next as the shop's runs have shown it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Noise {
    /// Standard deviation of the logarithm.
    pub sd: f64,
    /// Runs behind it.
    pub runs: u32,
}

/// The effect of what two families differ in.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Effect {
    /// Ratio of the second family's mean to the first's, less one.
    pub by: f64,
    /// Its 95 % interval.
    pub interval: (f64, f64),
    /// Standard deviation of one coil, in the logarithm, as used.
    pub sd: f64,
    /// Coils in each.
    pub counts: (usize, usize),
}

impl Effect {
    /// Whether the interval leaves nothing out: the families differ.
    #[must_use]
    pub fn is_clear(&self) -> bool {
        self.interval.0 > 0.0 || self.interval.1 < 0.0
    }
}

/// The spread of one coil: the families' own joined with what the shop's runs have shown, and its degrees of freedom.
/// `None` when neither says anything.
#[must_use]
pub fn spread(families: &[&[f64]], noise: Option<Noise>) -> Option<(f64, f64)> {
    let own: f64 = families.iter().filter(|f| f.len() > 1).map(|f| (f.len() - 1) as f64).sum();
    let squares: f64 = families.iter().map(|f| sd(f).powi(2) * (f.len().max(1) - 1) as f64).sum();
    let (shop, worth) =
        noise.map_or((0.0, 0.0), |n| (n.sd * n.sd, f64::from(n.runs.saturating_sub(1)).min(NOISE_WORTH)));
    let degrees = own + worth;
    (degrees >= 1.0)
        .then(|| (((squares + worth * shop) / degrees).sqrt(), degrees))
        .filter(|(sd, _)| *sd > 0.0)
}

/// Risk of claiming a difference that is not there, in all comparisons with the first family together.
const RISK: f64 = 0.05;

/// The risk that each of some comparisons may take, so that all of them together stay within [`RISK`] (Bonferroni's bound).
fn risk_of_each(comparisons: usize) -> f64 {
    RISK / comparisons.max(1) as f64
}

/// The effects of several families against the first, of logarithms of readings: the spread of one coil is that of all families, and the
/// intervals hold together with 95 %. `None` of a family where it or the first is empty, or nothing is known of the spread.
///
/// ```
/// use trade::experiment::{effect, effects};
/// let ln = |values: &[f64]| values.iter().map(|v| v.ln()).collect::<Vec<f64>>();
/// let families = [ln(&[6.00, 6.02, 5.98]), ln(&[6.30, 6.32, 6.28]), ln(&[6.01, 6.03, 5.99])];
/// let found = effects(&families, None);
/// assert!(found[0].unwrap().is_clear() && !found[1].unwrap().is_clear());
/// // Two families are the plain comparison of two.
/// assert_eq!(effects(&families[..2], None)[0], effect(&families[0], &families[1], None));
/// ```
#[must_use]
pub fn effects(families: &[Vec<f64>], noise: Option<Noise>) -> Vec<Option<Effect>> {
    let Some((first, others)) = families.split_first() else { return Vec::new() };
    let all: Vec<&[f64]> = families.iter().map(Vec::as_slice).collect();
    let spread = spread(&all, noise);
    let compared = others.iter().filter(|f| !f.is_empty()).count();
    others
        .iter()
        .map(|other| spread.and_then(|spread| between(first, other, spread, risk_of_each(compared))))
        .collect()
}

/// The effect between two families whose spread, with its degrees of freedom, is known.
fn between(first: &[f64], second: &[f64], (sd, degrees): (f64, f64), risk: f64) -> Option<Effect> {
    if first.is_empty() || second.is_empty() {
        return None;
    }
    let t = StudentsT::new(0.0, 1.0, degrees).ok()?.inverse_cdf(1.0 - risk / 2.0);
    let by = mean(second) - mean(first);
    let half = t * sd * (1.0 / first.len() as f64 + 1.0 / second.len() as f64).sqrt();
    Some(Effect {
        by: by.exp_m1(),
        interval: ((by - half).exp_m1(), (by + half).exp_m1()),
        sd,
        counts: (first.len(), second.len()),
    })
}

/// The effect between two families of logarithms of readings; `None` where either is empty or nothing is known of the
/// spread.
///
/// ```
/// use trade::experiment::effect;
/// let ln = |values: &[f64]| values.iter().map(|v| v.ln()).collect::<Vec<f64>>();
/// let found = effect(&ln(&[6.00, 6.02, 5.98]), &ln(&[6.30, 6.32, 6.28]), None).unwrap();
/// assert!((found.by - 0.05).abs() < 1e-3 && found.is_clear());
/// assert!(effect(&[], &ln(&[6.3]), None).is_none());
/// ```
#[must_use]
pub fn effect(first: &[f64], second: &[f64], noise: Option<Noise>) -> Option<Effect> {
    between(first, second, spread(&[first, second], noise)?, RISK)
}

/// Whether a test looks to one side or to both.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sides {
    /// One.
    One,
    /// Both.
    Both,
}

/// Observations of one sample that show a difference of `delta` standard deviations, with the risk `alpha` of claiming
/// one that is not there and `beta` of missing it: e-Handbook 7.2.2.2, with Student's t in the second step.
///
/// `delta` above 0, both risks between 0 and 1.
#[must_use]
pub fn observations(delta: f64, alpha: f64, beta: f64, sides: Sides) -> Option<u32> {
    /// More than anyone winds for one question.
    const MOST: f64 = 100_000.0;
    let alpha = if sides == Sides::Both { alpha / 2.0 } else { alpha };
    let normal = Normal::standard();
    if delta.is_nan() || delta <= 0.0 {
        return None;
    }
    let first = ((normal.inverse_cdf(1.0 - alpha) + normal.inverse_cdf(1.0 - beta)) / delta).powi(2).ceil();
    if !first.is_finite() || first > MOST {
        return None;
    }
    let t = StudentsT::new(0.0, 1.0, (first - 1.0).max(1.0)).ok()?;
    let second = ((t.inverse_cdf(1.0 - alpha) + t.inverse_cdf(1.0 - beta)) / delta).powi(2).ceil();
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "bounded above, at least 1")]
    (second <= MOST).then(|| second.max(1.0) as u32)
}

/// Coils to wind in each of two families so that a difference of `by` (a ratio less one) is seen four times in five, and
/// claimed by chance one time in twenty. The difference of two means spreads √2 wider than one.
///
/// ```
/// use trade::experiment::coils_needed;
/// // Half the difference needs about four times the coils.
/// let (large, small) = (coils_needed(0.02, 0.01).unwrap(), coils_needed(0.01, 0.01).unwrap());
/// assert!((2.5..4.5).contains(&(f64::from(small) / f64::from(large))), "{large} {small}");
/// assert_eq!(coils_needed(0.0, 0.01), None);
/// ```
#[must_use]
pub fn coils_needed(by: f64, sd: f64) -> Option<u32> {
    let delta = by.ln_1p().abs() / (sd * 2f64.sqrt());
    // Both families have their degrees of freedom: with one sample's the count would be too high by one or two.
    let alpha = 0.05;
    let normal = Normal::standard();
    let n = ((normal.inverse_cdf(1.0 - alpha / 2.0) + normal.inverse_cdf(0.8)) / delta).powi(2).ceil();
    if !n.is_finite() || n > 100_000.0 || delta <= 0.0 {
        return None;
    }
    let t = StudentsT::new(0.0, 1.0, (2.0 * n - 2.0).max(2.0)).ok()?;
    let n = ((t.inverse_cdf(1.0 - alpha / 2.0) + t.inverse_cdf(0.8)) / delta).powi(2).ceil();
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "bounded above, at least 2")]
    Some(n.clamp(2.0, 100_000.0) as u32)
}

/// Letters for samples in blind listening: sample `i` of `count` is called by its letter in an order drawn from `seed`.
///
/// ```
/// use trade::experiment::letters;
/// let mut drawn = letters(5, 42);
/// assert_eq!(drawn, letters(5, 42), "the same seed, the same order");
/// drawn.sort_unstable();
/// assert_eq!(drawn, ['A', 'B', 'C', 'D', 'E']);
/// ```
#[must_use]
pub fn letters(count: usize, seed: u64) -> Vec<char> {
    let mut all: Vec<char> = ('A'..='Z').take(count.min(26)).collect();
    // A linear congruential draw (Knuth's MMIX constants) is mixed enough for a dozen cards.
    let mut state = seed | 1;
    for k in (1..all.len()).rev() {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let at = usize::try_from(state >> 33).unwrap_or(0) % (k + 1);
        all.swap(k, at);
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// NIST/SEMATECH e-Handbook 7.2.2.2, worked example: a shift of one standard deviation, one side, α 0.05, β 0.10:
    /// 9 with the normal spread, 11 with Student's t of 8 degrees.
    #[test]
    fn the_handbooks_sample_size() {
        assert_eq!(observations(1.0, 0.05, 0.10, Sides::One), Some(11));
        assert!(observations(1.0, 0.05, 0.10, Sides::Both) > Some(11));
        assert_eq!(observations(0.0, 0.05, 0.10, Sides::One), None);
    }

    /// Tables of two-sample tests (Cohen, Statistical Power Analysis, 1988, table 2.4.1): 17 in each group for a
    /// difference of one standard deviation, 64 for half of one, 26 for 0.8, at 0.05 both sides and power 0.80.
    #[rstest]
    #[case(1.0, 17)]
    #[case(0.8, 26)]
    #[case(0.5, 64)]
    fn coils_in_each_family(#[case] delta: f64, #[case] count: u32) {
        let sd = 0.01;
        let found = coils_needed((delta * sd).exp_m1(), sd).unwrap();
        assert!(found.abs_diff(count) <= 1, "{found}");
    }

    /// Student's data on sleep (Biometrika 6, 1908), as two samples of equal spread: t 1.8608 with 18 degrees, 95 %
    /// interval −0.204 to 3.364 for the difference of the means 1.58.
    #[test]
    fn students_sleep() {
        let first = [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0];
        let second = [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4];
        let found = effect(&first, &second, None).unwrap();
        assert!((found.by.ln_1p() - 1.58).abs() < 1e-9);
        assert!((found.interval.0.ln_1p() + 0.2039).abs() < 1e-3, "{found:?}");
        assert!((found.interval.1.ln_1p() - 3.3639).abs() < 1e-3);
        assert!(!found.is_clear());
    }

    /// One coil of each says nothing by itself; with the shop's noise known it does.
    #[test]
    fn the_shops_noise_lets_single_coils_speak() {
        assert!(effect(&[0.0], &[0.05], None).is_none());
        let noise = Some(Noise { sd: 0.005, runs: 40 });
        let found = effect(&[0.0], &[0.05], noise).unwrap();
        assert!(found.is_clear() && found.interval.0 > 0.03 && found.interval.1 < 0.07, "{found:?}");
        assert!(!effect(&[0.0], &[0.008], noise).unwrap().is_clear());
    }

    #[test]
    fn letters_are_a_shuffle() {
        let mut drawn = letters(6, 4711);
        assert_ne!(drawn, letters(6, 4712));
        drawn.sort_unstable();
        assert_eq!(drawn, ['A', 'B', 'C', 'D', 'E', 'F']);
    }
}
