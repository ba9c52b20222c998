//! A warm coil's resistance on its way to the room: where it will end.

use serde::Serialize;

/// A reading on the way: seconds since the first, ohms.
pub type Sample = (f64, f64);

/// Where a cooling coil will end.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct CoolingFit {
    /// Ohms at the end.
    pub ohms: f64,
    /// How far the last reading is above that, as a ratio.
    pub above: f64,
    /// Whether the end is near enough, or known well enough, to be taken.
    pub settled: bool,
}

/// What is taken for settled: the last reading within this of the end, as a ratio.
const NEAR: f64 = 0.001;
/// Fewest readings, and shortest time, s, that say anything.
const FEWEST: usize = 6;
const SHORTEST_S: f64 = 8.0;

/// Fits R(t) = R∞ + a·exp(−t/τ) (Newton's law of cooling; resistance is linear in temperature, IEC 60028), the time
/// constant on a grid from 5 s to 20 min, the rest by least squares. `None` while there are too few readings.
///
/// ```
/// use trade::cooling::cooling_fit;
/// // 6 kΩ at rest, 200 Ω above that at first, with a time constant of two minutes.
/// let samples: Vec<(f64, f64)> =
///     (0..20).map(|k| 6.0 * f64::from(k)).map(|s| (s, 6000.0 + 200.0 * (-s / 120.0).exp())).collect();
/// let fit = cooling_fit(&samples).unwrap();
/// assert!((fit.ohms / 6000.0 - 1.0).abs() < 2e-3, "{}", fit.ohms);
/// assert!(!fit.settled && cooling_fit(&samples[..3]).is_none());
/// ```
#[must_use]
pub fn cooling_fit(samples: &[Sample]) -> Option<CoolingFit> {
    let (first, last) = (samples.first()?, samples.last()?);
    if samples.len() < FEWEST || last.0 - first.0 < SHORTEST_S {
        return None;
    }
    let fits = (0..60).map(|k| 5.0 * 1.1f64.powi(k)).filter_map(|tau| fit(samples, tau));
    let (ohms, slope, _) = fits.min_by(|a, b| a.2.total_cmp(&b.2))?;
    // A line that does not fall, or falls to nowhere near, is no cooling: then the mean of the last is all there is.
    let half = &samples[samples.len() / 2..];
    let mean = half.iter().map(|s| s.1).sum::<f64>() / half.len() as f64;
    let ohms = if slope > 0.0 && (ohms / last.1 - 1.0).abs() < 0.1 { ohms } else { mean };
    let above = last.1 / ohms - 1.0;
    Some(CoolingFit { ohms, above, settled: above.abs() < NEAR })
}

/// R∞, a and the sum of squares for a time constant.
fn fit(samples: &[Sample], tau: f64) -> Option<(f64, f64, f64)> {
    let n = samples.len() as f64;
    let xs: Vec<f64> = samples.iter().map(|s| (-(s.0 - samples[0].0) / tau).exp()).collect();
    let (mx, my) = (xs.iter().sum::<f64>() / n, samples.iter().map(|s| s.1).sum::<f64>() / n);
    let sxx: f64 = xs.iter().map(|x| (x - mx).powi(2)).sum();
    let sxy: f64 = xs.iter().zip(samples).map(|(x, s)| (x - mx) * (s.1 - my)).sum();
    if sxx < 1e-12 {
        return None;
    }
    let a = sxy / sxx;
    let end = my - a * mx;
    let squares = xs.iter().zip(samples).map(|(x, s)| (s.1 - end - a * x).powi(2)).sum();
    Some((end, a, squares))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cooling(seconds: f64, tau: f64) -> Vec<Sample> {
        // 5.8 k that cools to 5.7 k (common practice, no source), read to the ohm.
        (0..2000)
            .map(f64::from)
            .take_while(|t| *t <= seconds)
            .map(|t| (t, (5700.0 + 100.0 * (-t / tau).exp()).round()))
            .collect()
    }

    #[test]
    fn a_coil_that_cools_from_5_8_k_ends_at_5_7_k() {
        assert_eq!(cooling_fit(&cooling(4.0, 60.0)), None, "too early to say");
        let midway = cooling_fit(&cooling(90.0, 60.0)).unwrap();
        assert!((midway.ohms / 5700.0 - 1.0).abs() < 0.001 && !midway.settled, "{midway:?}");
        let late = cooling_fit(&cooling(400.0, 60.0)).unwrap();
        assert!(late.settled && (late.ohms / 5700.0 - 1.0).abs() < 0.0005, "{late:?}");
    }

    #[test]
    fn a_coil_that_is_cold_is_settled() {
        let cold: Vec<Sample> = (0..12).map(|t| (f64::from(t), 5700.0 + f64::from(t % 2))).collect();
        let found = cooling_fit(&cold).unwrap();
        assert!(found.settled && (found.ohms - 5700.5).abs() < 2.0, "{found:?}");
    }
}
