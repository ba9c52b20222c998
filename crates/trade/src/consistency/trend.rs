//! Trend: a straight line through values over time, with its interval.

use super::mean;
use statrs::distribution::{ContinuousCDF as _, StudentsT};

/// A straight line through values.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Trend {
    /// Change of the value for one of the variable.
    pub slope: f64,
    /// Standard deviation of that.
    pub slope_sd: f64,
    /// Value where the variable is nothing.
    pub intercept: f64,
    /// Standard deviation of what is left.
    pub left_sd: f64,
    /// Half of the slope's 95 % interval.
    pub half: f64,
}

impl Trend {
    /// Whether the slope differs from nothing, one in twenty by chance.
    #[must_use]
    pub fn is_clear(&self) -> bool {
        self.slope.abs() > self.half
    }
}

/// Least squares of `(variable, value)`; `None` of fewer than five, or where the variable does not move.
///
/// ```
/// use trade::consistency::trend;
/// let points: Vec<(f64, f64)> = (0..10).map(|k| (f64::from(k), 5.0 + 0.1 * f64::from(k) + 0.01 * f64::from(k % 3))).collect();
/// assert!(trend(&points).unwrap().is_clear());
/// ```
#[must_use]
pub fn trend(points: &[(f64, f64)]) -> Option<Trend> {
    if points.len() < super::FEWEST {
        return None;
    }
    let (x, y): (Vec<f64>, Vec<f64>) = points.iter().copied().unzip();
    let (mx, my) = (mean(&x), mean(&y));
    let across: f64 = x.iter().map(|x| (x - mx).powi(2)).sum();
    if across <= 0.0 {
        return None;
    }
    let slope = x.iter().zip(&y).map(|(x, y)| (x - mx) * (y - my)).sum::<f64>() / across;
    let intercept = my - slope * mx;
    let left: f64 = points.iter().map(|(x, y)| (y - intercept - slope * x).powi(2)).sum();
    let degrees = (points.len() - 2) as f64;
    let left_sd = (left / degrees).sqrt();
    let slope_sd = left_sd / across.sqrt();
    let t = StudentsT::new(0.0, 1.0, degrees).ok()?.inverse_cdf(0.975);
    Some(Trend { slope, slope_sd, intercept, left_sd, half: t * slope_sd })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// NIST StRD, linear regression, data set Norris (calibration of ozone monitors), with its certified values.
    #[test]
    fn norris() {
        #[rustfmt::skip]
        let points = [
            (0.2, 0.1), (337.4, 338.8), (118.2, 118.1), (884.6, 888.0), (10.1, 9.2), (226.5, 228.1), (666.3, 668.5),
            (996.3, 998.5), (448.6, 449.1), (777.0, 778.9), (558.2, 559.2), (0.4, 0.3), (0.6, 0.1), (775.5, 778.1),
            (666.9, 668.8), (338.0, 339.3), (447.5, 448.9), (11.6, 10.8), (556.0, 557.7), (228.1, 228.3),
            (995.8, 998.0), (887.6, 888.8), (120.2, 119.6), (0.3, 0.3), (0.3, 0.6), (556.8, 557.6), (339.1, 339.3),
            (887.2, 888.0), (999.0, 998.5), (779.0, 778.9), (11.1, 10.2), (118.3, 117.6), (229.2, 228.9),
            (669.1, 668.4), (448.9, 449.2), (0.5, 0.2),
        ];
        let found = trend(&points).unwrap();
        assert!((found.slope - 1.002_116_818_020_45).abs() < 1e-10, "{found:?}");
        assert!((found.intercept + 0.262_323_073_774_029).abs() < 1e-8);
        assert!((found.left_sd - 0.884_796_396_144_373).abs() < 1e-8);
        assert!((found.slope_sd - 0.429_796_848_199_937e-3).abs() < 1e-9);
        assert!(found.is_clear());
    }

    #[test]
    fn a_still_variable_has_no_trend() {
        assert!(trend(&[(1.0, 2.0); 9]).is_none());
        assert!(trend(&[(1.0, 2.0), (2.0, 3.0)]).is_none());
    }
}
