//! Capability: whether what the shop makes fits what was aimed at.

use super::{mean, sd};
use statrs::distribution::{ChiSquared, ContinuousCDF as _, Normal};

/// Capability against a target.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Capability {
    /// Values behind it.
    pub count: usize,
    /// Their mean.
    pub mean: f64,
    /// Their standard deviation.
    pub sd: f64,
    /// Width of the target over six standard deviations, with its 90 % interval; none of a target with one end.
    pub cp: Option<(f64, (f64, f64))>,
    /// Distance of the mean to the nearer edge of the target over three standard deviations.
    pub cpk: f64,
    /// Its 90 % interval.
    pub cpk_interval: (f64, f64),
    /// How far the mean lies from the target's middle, in half widths of the target; none of a target with one end.
    pub k: Option<f64>,
    /// Share that lies outside the target.
    pub outside: f64,
    /// Share that a normal spread would put outside.
    pub expected_outside: f64,
}

/// Capability of values against a target from `low` to `high`, one of which may be infinite: e-Handbook 6.1.6. `None` of fewer than five values, of such
/// without spread, or of a target without width.
///
/// The interval of Cp is from χ²; that of Cpk is Bissell's approximation, which the handbook names.
///
/// ```
/// use trade::consistency::capability;
/// let found = capability(&[9.0, 10.0, 11.0, 10.0, 9.0, 11.0], (7.0, 13.0)).unwrap();
/// // Centred: both indices are the width of the target over six standard deviations.
/// assert!((found.cp.unwrap().0 - found.cpk).abs() < 1e-9 && found.k.unwrap() < 1e-9);
/// assert_eq!(found.outside, 0.0);
/// assert!(capability(&[1.0, 2.0], (0.0, 3.0)).is_none());
/// ```
#[must_use]
pub fn capability(values: &[f64], (low, high): (f64, f64)) -> Option<Capability> {
    let (count, middle, spread) = (values.len(), mean(values), sd(values));
    if count < super::FEWEST || spread <= 0.0 || high <= low {
        return None;
    }
    let n = count as f64;
    let has_both = (high - low).is_finite();
    let k = has_both.then(|| (middle - 0.5 * (low + high)).abs() / (0.5 * (high - low)));
    let cpk = (high - middle).min(middle - low) / (3.0 * spread);
    let chi = ChiSquared::new(n - 1.0).ok()?;
    let edge = |share: f64| (chi.inverse_cdf(share) / (n - 1.0)).sqrt();
    let normal = Normal::standard();
    let half = normal.inverse_cdf(0.95) * (1.0 / (9.0 * n) + cpk * cpk / (2.0 * (n - 1.0))).sqrt();
    let beyond = |edge: f64| normal.cdf(-(edge - middle).abs() / spread);
    let side = |edge: f64, inside: bool| if inside { beyond(edge) } else { 1.0 - beyond(edge) };
    Some(Capability {
        count,
        mean: middle,
        sd: spread,
        cp: has_both.then(|| {
            let cp = (high - low) / (6.0 * spread);
            (cp, (cp * edge(0.05), cp * edge(0.95)))
        }),
        cpk,
        cpk_interval: (cpk - half, cpk + half),
        k,
        outside: values.iter().filter(|v| **v < low || **v > high).count() as f64 / n,
        expected_outside: side(low, middle >= low) + side(high, middle <= high),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Values of the mean 16 and the standard deviation 2.
    fn sixteen_and_two() -> Vec<f64> {
        let plain: Vec<f64> = (0..50).map(|k| f64::from((k * 17) % 50)).collect();
        let (m, s) = (mean(&plain), sd(&plain));
        plain.iter().map(|v| 16.0 + 2.0 * (v - m) / s).collect()
    }

    /// e-Handbook 6.1.6, worked example: limits 8 and 20, mean 16, standard deviation 2: Cp 1.0, k 0.3333, Cpk 0.6667.
    #[test]
    fn the_handbooks_example() {
        let found = capability(&sixteen_and_two(), (8.0, 20.0)).unwrap();
        assert!((found.cp.unwrap().0 - 1.0).abs() < 1e-9);
        assert!((found.k.unwrap() - 1.0 / 3.0).abs() < 1e-9);
        assert!((found.cpk - 2.0 / 3.0).abs() < 1e-9);
        assert!(
            (found.cpk - found.cp.unwrap().0 * (1.0 - found.k.unwrap())).abs() < 1e-9,
            "the handbook's own identity"
        );
    }

    /// e-Handbook 6.1.6: a centred process of Cp 1 puts 0.27 % outside, one of Cp 4/3 64 per million.
    #[test]
    fn shares_outside_of_a_centred_process() {
        let centred: Vec<f64> = sixteen_and_two().iter().map(|v| v - 2.0).collect();
        let one = capability(&centred, (8.0, 20.0)).unwrap();
        assert!((one.expected_outside - 0.0027).abs() < 5e-6);
        let wider = capability(&centred, (6.0, 22.0)).unwrap();
        assert!((wider.expected_outside * 1e6 - 63.3).abs() < 1.0, "{}", wider.expected_outside);
    }

    /// With one limit only the index is that of its side (e-Handbook 6.1.6, Cpl and Cpu): limits 8 and 20 of the worked example
    /// give 4/3 and 2/3.
    #[test]
    fn one_limit_has_the_index_of_its_side() {
        let values = sixteen_and_two();
        let (least, most) = (f64::NEG_INFINITY, f64::INFINITY);
        let (lower, upper) =
            (capability(&values, (8.0, most)).unwrap(), capability(&values, (least, 20.0)).unwrap());
        assert!((lower.cpk - 4.0 / 3.0).abs() < 1e-9 && (upper.cpk - 2.0 / 3.0).abs() < 1e-9);
        assert!(lower.cp.is_none() && lower.k.is_none() && upper.cpk_interval.0.is_finite());
        // Normal tables: beyond two standard deviations lie 2.275 %, beyond four 3.2 in 100,000.
        assert!(
            (upper.expected_outside - 0.02275).abs() < 1e-5
                && (lower.expected_outside - 3.167e-5).abs() < 1e-7
        );
    }

    /// The interval of Cp for 50 values: χ² of 49 degrees is 33.93 and 66.34 at 5 % and 95 % (tables).
    #[test]
    fn few_values_leave_a_wide_interval() {
        let found = capability(&sixteen_and_two(), (8.0, 20.0)).unwrap();
        assert!((found.cp.unwrap().1.0 - (33.93f64 / 49.0).sqrt()).abs() < 1e-3, "{found:?}");
        assert!((found.cp.unwrap().1.1 - (66.34f64 / 49.0).sqrt()).abs() < 1e-3);
        assert!(found.cpk_interval.0 < found.cpk && found.cpk < found.cpk_interval.1);
    }

    #[test]
    fn a_mean_beyond_the_aim_has_a_negative_capability() {
        let found = capability(&sixteen_and_two(), (8.0, 15.0)).unwrap();
        assert!(found.cpk < 0.0 && found.expected_outside > 0.5);
        assert!(capability(&[1.0, 2.0], (0.0, 3.0)).is_none() && capability(&[1.0; 9], (0.0, 3.0)).is_none());
    }
}
