//! A warm coil's resistance on its way to the room: where it will end.

use serde::Serialize;

/// A reading on the way: seconds since the first, ohms.
pub type Sample = (f64, f64);

/// Where a cooling coil will end.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct CoolingFit {
    /// Ohms at the end.
    pub ohms: f64,
    /// Half width of its 90 % band, Ω.
    pub half_band_ohms: f64,
    /// Time constant, s.
    pub time_constant_s: f64,
    /// How far the last readings are above the end, as a ratio.
    pub above: f64,
    /// Whether the end is known well enough to be told before it is there.
    pub known: bool,
    /// Whether it is there.
    pub settled: bool,
}

/// What is taken for settled: the last readings within this of the end, as a ratio.
const NEAR: f64 = 0.001;
/// Half of the end's 90 % band within which it is told, as a ratio.
const KNOWN: f64 = 0.002;
/// Share of the time constant that is waited before the end is told.
const SHARE: f64 = 1.0 / 3.0;
/// Fewest readings that say anything.
const FEWEST: usize = 6;
/// Time constants that coils have, s: from a bare coil in a draught to a potted one under its cover.
const TIME_CONSTANTS_S: (f64, f64) = (15.0, 2700.0);
/// How warm a coil may be, as a standard deviation of the ratio to the end.
const WARM: f64 = 0.04;
/// Least noise of a reading, as a ratio: what is left when a meter repeats its digits.
const LEAST_NOISE: f64 = 5e-5;
/// Half widths of a 90 % band in a standard deviation.
const HALF_BAND_SDS: f64 = 1.645;

/// Fits R(t) = R∞ + a·exp(−t/τ) (Newton's law of cooling; resistance is linear in temperature, IEC 60028). Every time constant
/// that a coil can have is weighed by how well it fits; what the readings leave open of it is part of the end's band, so that the
/// flat beginning of a slow coil is not taken for its end. Readings before the last jump (a clip that slipped, a hand on the
/// coil) are left out. `None` while there are too few readings.
///
/// ```
/// use trade::cooling::cooling_fit;
/// // 6 kΩ at rest, 200 Ω above that at first, with a time constant of two minutes.
/// let samples: Vec<(f64, f64)> =
///     (0..20).map(|k| 6.0 * f64::from(k)).map(|s| (s, 6000.0 + 200.0 * (-s / 120.0).exp())).collect();
/// let fit = cooling_fit(&samples).unwrap();
/// assert!((fit.ohms - 6000.0).abs() < fit.half_band_ohms.max(1.0) && fit.known && !fit.settled);
/// // The first seconds say nothing of the end.
/// assert!(!cooling_fit(&samples[..6]).unwrap().known && cooling_fit(&samples[..3]).is_none());
/// ```
#[must_use]
pub fn cooling_fit(samples: &[Sample]) -> Option<CoolingFit> {
    let samples = after_last_jump(samples);
    let (first, last) = (samples.first()?, samples.last()?);
    if samples.len() < FEWEST {
        return None;
    }
    let noise = noise(samples);
    // All time constants first, then those that are not out of the question, closer together: twice, since a long series
    // leaves a narrow range.
    let mut range = TIME_CONSTANTS_S;
    for _ in 0..2 {
        range = not_out_of_the_question(&fits_over(samples, range, noise), range);
    }
    let fits = fits_over(samples, range, noise);
    let best = best_evidence(&fits);
    let weights: Vec<f64> = fits.iter().map(|(_, f)| (f.evidence - best).exp()).collect();
    let total: f64 = weights.iter().sum();
    let mean = |of: &dyn Fn(&(f64, Fit)) -> f64| {
        fits.iter().zip(&weights).map(|(f, w)| w * of(f)).sum::<f64>() / total
    };
    let ohms = mean(&|(_, f)| f.end);
    let variance = mean(&|(_, f)| f.end_sd * f.end_sd + (f.end - ohms).powi(2));
    let time_constant_s = mean(&|(tau, _)| tau.ln()).exp();
    let half_band_ohms = HALF_BAND_SDS * variance.sqrt();
    let recent = &samples[samples.len().saturating_sub(5)..];
    let now = recent.iter().map(|s| s.1).sum::<f64>() / recent.len() as f64;
    let above = now / ohms - 1.0;
    let known = half_band_ohms < KNOWN * ohms && last.0 - first.0 >= SHARE * time_constant_s;
    let settled = known && above.abs() < NEAR && half_band_ohms < NEAR * ohms;
    Some(CoolingFit { ohms, half_band_ohms, time_constant_s, above, known, settled })
}

/// Time constants that are tried at a time.
const STEPS: u32 = 50;
/// Logarithm of the evidence by which a time constant is out of the question.
const HOPELESS: f64 = 12.0;

fn fits_over(samples: &[Sample], (low, high): (f64, f64), noise: f64) -> Vec<(f64, Fit)> {
    (0..=STEPS)
        .map(|k| low * (high / low).powf(f64::from(k) / f64::from(STEPS)))
        .filter_map(|tau| Some((tau, fit(samples, tau, noise)?)))
        .collect()
}

fn best_evidence(fits: &[(f64, Fit)]) -> f64 {
    fits.iter().map(|(_, f)| f.evidence).fold(f64::NEG_INFINITY, f64::max)
}

/// The range of time constants that explain the readings at all, a step wider on either side.
fn not_out_of_the_question(fits: &[(f64, Fit)], (low, high): (f64, f64)) -> (f64, f64) {
    let step = (high / low).powf(1.0 / f64::from(STEPS));
    let best = best_evidence(fits);
    let fair = || fits.iter().filter(|(_, f)| f.evidence > best - HOPELESS).map(|(tau, _)| *tau);
    let (from, to) = (fair().fold(f64::INFINITY, f64::min), fair().fold(0.0, f64::max));
    ((from / step).max(low), (to * step).min(high))
}

/// A fit with one time constant.
struct Fit {
    end: f64,
    end_sd: f64,
    /// Logarithm of how well it explains the readings, its own freedom taken off.
    evidence: f64,
}

/// Least squares for the end and the excess, the excess held to what a coil can have.
fn fit(samples: &[Sample], tau: f64, noise: f64) -> Option<Fit> {
    let n = samples.len() as f64;
    let level = samples.iter().map(|s| s.1).sum::<f64>() / n;
    // About the mean level, in units of the noise.
    let ys: Vec<f64> = samples.iter().map(|s| (s.1 - level) / noise).collect();
    let xs: Vec<f64> = samples.iter().map(|s| (-(s.0 - samples[0].0) / tau).exp()).collect();
    let prior = (noise / (WARM * level)).powi(2);
    let (sx, sy) = (xs.iter().sum::<f64>(), ys.iter().sum::<f64>());
    let sxx = xs.iter().map(|x| x * x).sum::<f64>() + prior;
    let sxy: f64 = xs.iter().zip(&ys).map(|(x, y)| x * y).sum();
    let determinant = n * sxx - sx * sx;
    if determinant <= 0.0 {
        return None;
    }
    let (end, excess) = ((sxx * sy - sx * sxy) / determinant, (n * sxy - sx * sy) / determinant);
    let squares: f64 = xs.iter().zip(&ys).map(|(x, y)| (y - end - excess * x).powi(2)).sum();
    Some(Fit {
        end: level + end * noise,
        end_sd: noise * (sxx / determinant).sqrt(),
        evidence: -0.5 * (squares + prior * excess * excess) - 0.5 * determinant.ln(),
    })
}

/// The middle one of some numbers.
fn median(mut all: Vec<f64>) -> f64 {
    all.sort_by(f64::total_cmp);
    all.get(all.len() / 2).copied().unwrap_or(0.0)
}

/// Standard deviation of a reading, by how neighbours differ from the way that they all go.
fn noise(samples: &[Sample]) -> f64 {
    let bends: Vec<f64> = samples.windows(3).map(|w| (w[2].1 - 2.0 * w[1].1 + w[0].1).abs()).collect();
    let mean = bends.iter().map(|b| b * b).sum::<f64>() / bends.len().max(1) as f64;
    // The second difference of independent readings has six times their variance.
    let level = samples.iter().map(|s| s.1.abs()).sum::<f64>() / samples.len().max(1) as f64;
    (mean / 6.0).sqrt().max(LEAST_NOISE * level).max(f64::MIN_POSITIVE)
}

/// What comes after the last jump between two readings.
fn after_last_jump(samples: &[Sample]) -> &[Sample] {
    let steps: Vec<f64> = samples.windows(2).map(|w| w[1].1 - w[0].1).collect();
    let usual = median(steps.clone());
    let spread = 1.4826 * median(steps.iter().map(|s| (s - usual).abs()).collect());
    let level = median(samples.iter().map(|s| s.1).collect());
    // Ten deviations, and more than meters jump between ranges or digits.
    let limit = (10.0 * spread).max(0.002 * level);
    let last = steps.iter().rposition(|s| (s - usual).abs() > limit);
    last.map_or(samples, |k| &samples[k + 1..])
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{RngExt as _, SeedableRng as _};
    use rstest::rstest;

    /// A coil that cools from `from` to 5,700 Ω with some noise, read every second to the ohm.
    fn cooling(from: f64, seconds: u32, tau: f64, noise: f64) -> Vec<Sample> {
        let mut dice = rand::rngs::StdRng::seed_from_u64(7);
        (0..=seconds)
            .map(f64::from)
            .map(|t| {
                // The sum of three even draws is near enough to normal.
                let off: f64 = (0..3).map(|_| dice.random::<f64>() * 2.0 - 1.0).sum();
                (t, (5700.0 + (from - 5700.0) * (-t / tau).exp() + noise * off).round())
            })
            .collect()
    }

    /// A coil falls from 5.8 to 5.7 k within a quarter of an hour and more (common practice, no source): nothing is settled in
    /// its first seconds, and what is told of its end holds.
    #[rstest]
    #[case(60.0, 0.0)]
    #[case(60.0, 1.0)]
    #[case(240.0, 1.0)]
    #[case(900.0, 0.0)]
    #[case(900.0, 1.0)]
    #[case(900.0, 3.0)]
    fn the_end_is_told_when_it_is_known(#[case] tau: f64, #[case] noise: f64) {
        for seconds in [6, 18, 40, 90, 200, 400, 900, 1800, 3600] {
            let found = cooling_fit(&cooling(5800.0, seconds, tau, noise)).unwrap();
            let (true_above, at) = (100.0 * (-f64::from(seconds) / tau).exp(), f64::from(seconds));
            if found.known {
                let off = (found.ohms - 5700.0).abs();
                assert!(off < 1.6 * found.half_band_ohms + 1.0, "{at} s: {found:?}");
                assert!(at >= 0.2 * tau, "{at} s of {tau} is too soon: {found:?}");
            }
            assert!(!found.settled || true_above < 0.002 * 5700.0, "{at} s: {found:?}");
            if at > 5.0 * tau {
                assert!(found.settled, "{at} s: {found:?}");
            }
        }
    }

    #[test]
    fn five_thousand_eight_hundred_after_18_seconds_is_not_its_end() {
        let found = cooling_fit(&cooling(5800.0, 18, 900.0, 0.5)).unwrap();
        assert!(!found.known && !found.settled, "{found:?}");
        assert_eq!(cooling_fit(&cooling(5800.0, 4, 60.0, 0.0)), None, "too early to say anything");
    }

    /// A coil that is cold is called so once no slow fall can hide in the noise.
    #[test]
    fn a_coil_that_is_cold_is_settled() {
        assert!(!cooling_fit(&cooling(5700.0, 10, 900.0, 1.0)).unwrap().settled);
        let found = cooling_fit(&cooling(5700.0, 400, 900.0, 1.0)).unwrap();
        assert!(found.settled && (found.ohms - 5700.0).abs() < 5.0, "{found:?}");
    }

    /// A clip slips, or a hand warms the coil: what was before the jump says nothing of what comes after.
    #[rstest]
    #[case(180.0)]
    #[case(-120.0)]
    fn a_jump_begins_anew(#[case] step: f64) {
        let mut samples = cooling(5800.0, 600, 60.0, 1.0);
        for sample in samples.iter_mut().take(150) {
            sample.1 += step;
        }
        let found = cooling_fit(&samples).unwrap();
        assert!(found.settled && (found.ohms - 5700.0).abs() < 5.0, "{found:?}");
        let soon = cooling_fit(&samples[..156]).unwrap();
        assert!(!soon.settled, "{soon:?}");
    }
}
