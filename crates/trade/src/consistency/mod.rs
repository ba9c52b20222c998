//! Whether the shop is consistent: control charts, runs rules, capability, trend.
//!
//! Limits and capability after the NIST/SEMATECH e-Handbook of Statistical Methods, sections 6.1.6 and 6.3.2; the eight
//! rules after L. S. Nelson, Journal of Quality Technology 16 (1984) 237–239.

mod capability;
mod rules;
mod stretch;
mod trend;

pub use capability::{Capability, capability};
pub use rules::{Breach, Rule, breaches};
pub use stretch::{Stretch, breaches_within, stretches};
pub use trend::{Trend, trend};

use statrs::function::gamma::gamma;

/// Fewest values from which limits are drawn.
pub const FEWEST: usize = 5;

/// Limits of a control chart.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Limits {
    /// Middle line.
    pub centre: f64,
    /// Lower limit.
    pub lower: f64,
    /// Upper limit.
    pub upper: f64,
    /// Standard deviation of what is plotted: a third of the way to a limit.
    pub sigma: f64,
}

impl Limits {
    fn about(centre: f64, sigma: f64) -> Self {
        Self { centre, lower: centre - 3.0 * sigma, upper: centre + 3.0 * sigma, sigma }
    }
}

/// Mean moving range of two over its standard deviation: e-Handbook 6.3.2.2.
const D2: f64 = 1.128;
/// Upper limit of a moving range over its mean: e-Handbook 6.3.2.2.
const D4: f64 = 3.267;

/// Distances of neighbours; one fewer than the values.
///
/// ```
/// assert_eq!(trade::consistency::moving_ranges(&[1.0, 3.0, 2.5]), [2.0, 0.5]);
/// ```
#[must_use]
pub fn moving_ranges(values: &[f64]) -> Vec<f64> {
    values.windows(2).map(|pair| (pair[1] - pair[0]).abs()).collect()
}

/// Limits of individuals and of their moving ranges; `None` of fewer than [`FEWEST`] values or of equal ones.
///
/// ```
/// use trade::consistency::individuals;
/// let (limits, ranges) = individuals(&[10.0, 12.0, 11.0, 13.0, 12.0]).unwrap();
/// // e-Handbook 6.3.2.2: mean ± 3·MR/1.128, and 3.267·MR for the ranges; the mean range is 1.5.
/// assert!((limits.upper - (11.6 + 3.0 * 1.5 / 1.128)).abs() < 1e-9);
/// assert!((ranges.upper - 3.267 * 1.5).abs() < 1e-9);
/// assert!(individuals(&[5.0; 9]).is_none());
/// ```
#[must_use]
pub fn individuals(values: &[f64]) -> Option<(Limits, Limits)> {
    if values.len() < FEWEST {
        return None;
    }
    let moving = moving_limits(&moving_ranges(values))?;
    Some((Limits::about(mean(values), moving.centre / D2), moving))
}

/// Limits of moving ranges; `None` where there are none, or all are nothing.
#[must_use]
pub fn moving_limits(ranges: &[f64]) -> Option<Limits> {
    let range = mean(ranges);
    let limits = Limits { centre: range, lower: 0.0, upper: D4 * range, sigma: (D4 - 1.0) * range / 3.0 };
    (range > 0.0).then_some(limits)
}

/// Mean and standard deviation of each whole subgroup of `size` neighbours.
///
/// ```
/// // Two whole groups of three; what is left over is none.
/// let groups = trade::consistency::subgroups(&[1.0, 2.0, 3.0, 7.0, 8.0, 9.0, 4.0], 3);
/// assert_eq!(groups, [(2.0, 1.0), (8.0, 1.0)]);
/// ```
#[must_use]
pub fn subgroups(values: &[f64], size: usize) -> Vec<(f64, f64)> {
    values.chunks_exact(size.max(2)).map(|group| (mean(group), sd(group))).collect()
}

/// Limits of the means and of the standard deviations of subgroups of `size`; `None` of fewer than [`FEWEST`] subgroups
/// or of such without spread.
#[must_use]
pub fn compute_limits(groups: &[(f64, f64)], size: usize) -> Option<(Limits, Limits)> {
    if groups.len() < FEWEST || size < 2 {
        return None;
    }
    let spread = groups.iter().map(|g| g.1).sum::<f64>() / groups.len() as f64;
    if spread <= 0.0 {
        return None;
    }
    let c4 = c4(size);
    let middle = groups.iter().map(|g| g.0).sum::<f64>() / groups.len() as f64;
    let of_sd = spread / c4 * (1.0 - c4 * c4).sqrt();
    let sds = Limits { lower: (spread - 3.0 * of_sd).max(0.0), ..Limits::about(spread, of_sd) };
    Some((Limits::about(middle, spread / (c4 * (size as f64).sqrt())), sds))
}

/// Expected standard deviation of a sample of `n` over that of its population: e-Handbook 6.3.2.
///
/// ```
/// // e-Handbook 6.3.2: 0.9400 of five.
/// assert!((trade::consistency::c4(5) - 0.9400).abs() < 5e-5);
/// ```
#[must_use]
pub fn c4(n: usize) -> f64 {
    let n = n as f64;
    (2.0 / (n - 1.0)).sqrt() * gamma(n / 2.0) / gamma((n - 1.0) / 2.0)
}

/// Mean; 0 of nothing.
///
/// ```
/// assert_eq!(trade::consistency::mean(&[1.0, 2.0, 6.0]), 3.0);
/// assert_eq!(trade::consistency::mean(&[]), 0.0);
/// ```
#[must_use]
pub fn mean(values: &[f64]) -> f64 {
    if values.is_empty() { 0.0 } else { values.iter().sum::<f64>() / values.len() as f64 }
}

/// Standard deviation of a sample; 0 of fewer than two.
///
/// ```
/// assert_eq!(trade::consistency::sd(&[2.0, 4.0, 6.0]), 2.0);
/// assert_eq!(trade::consistency::sd(&[2.0]), 0.0);
/// ```
#[must_use]
pub fn sd(values: &[f64]) -> f64 {
    if values.len() < 2 {
        return 0.0;
    }
    let middle = mean(values);
    (values.iter().map(|v| (v - middle).powi(2)).sum::<f64>() / (values.len() - 1) as f64).sqrt()
}

/// The coils that read most alike: of all neighbours in order of value, the closest pairs that share none, by index.
///
/// ```
/// // 5.00 with 5.01, 5.30 with 5.35; no coil twice.
/// let pairs = trade::consistency::best_pairs(&[5.00, 5.30, 5.01, 5.35], 2);
/// assert_eq!(pairs, [(0, 2), (1, 3)]);
/// ```
#[must_use]
pub fn best_pairs(values: &[f64], most: usize) -> Vec<(usize, usize)> {
    let mut order: Vec<usize> = (0..values.len()).collect();
    order.sort_by(|a, b| values[*a].total_cmp(&values[*b]));
    let mut pairs: Vec<(usize, usize)> = order.windows(2).map(|w| (w[0], w[1])).collect();
    pairs.sort_by(|a, b| (values[a.1] - values[a.0]).abs().total_cmp(&(values[b.1] - values[b.0]).abs()));
    let mut used = vec![false; values.len()];
    pairs.retain(|(a, b)| {
        let free = !used[*a] && !used[*b];
        if free {
            (used[*a], used[*b]) = (true, true);
        }
        free
    });
    pairs.truncate(most);
    pairs
}

/// Where the level of a series moved.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LevelShift {
    /// The first value after it.
    pub at: usize,
    /// Mean after less mean before.
    pub by: f64,
    /// That over its standard deviation, from neighbours' distances.
    pub clear: f64,
}

/// The place that best splits a series into two levels, with at least four values on each side; `None` where no place
/// stands out: the largest of many quotients is that of chance up to about 3.5.
///
/// ```
/// use trade::consistency::level_shift;
/// let values = [5.0, 5.1, 4.9, 5.0, 5.1, 7.0, 7.1, 6.9, 7.0, 7.1];
/// let shift = level_shift(&values).unwrap();
/// assert_eq!(shift.at, 5);
/// assert!((shift.by - 2.0).abs() < 1e-9);
/// assert!(level_shift(&values[..5]).is_none());
/// ```
#[must_use]
pub fn level_shift(values: &[f64]) -> Option<LevelShift> {
    /// Values on either side at least.
    const SIDE: usize = 4;
    /// Quotient beyond which it is no chance.
    const CLEAR: f64 = 3.5;
    let n = values.len();
    let sigma = mean(&moving_ranges(values)) / D2;
    if n < 2 * SIDE || sigma <= 0.0 {
        return None;
    }
    (SIDE..=n - SIDE)
        .map(|at| {
            let by = mean(&values[at..]) - mean(&values[..at]);
            let clear = by.abs() / (sigma * (1.0 / at as f64 + 1.0 / (n - at) as f64).sqrt());
            LevelShift { at, by, clear }
        })
        .max_by(|a, b| a.clear.total_cmp(&b.clear))
        .filter(|shift| shift.clear > CLEAR)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// NIST/SEMATECH e-Handbook 6.3.2.2, worked example of individuals: moving range 1.8778 on average, limits 45.8159
    /// and 55.8041 about 50.81; the chart of moving ranges has 6.1347 above.
    #[test]
    fn the_handbooks_individuals() {
        let values = [49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1];
        let (x, moving) = individuals(&values).unwrap();
        assert!((x.centre - 50.81).abs() < 1e-9);
        assert!((moving.centre - 1.8778).abs() < 5e-5);
        assert!((x.upper - 55.8041).abs() < 1e-3 && (x.lower - 45.8159).abs() < 1e-3, "{x:?}");
        assert!((moving.upper - 3.267 * 1.8778).abs() < 1e-3 && moving.lower <= 0.0);
        assert!(breaches(&values, &x).is_empty(), "the handbook finds it in control");
    }

    /// Factors of ASTM E2587 (from memory): c4, and A3, B3, B4 of charts of means and standard deviations.
    #[rstest]
    #[case(2, 0.7979, 2.659, 0.0, 3.267)]
    #[case(3, 0.8862, 1.954, 0.0, 2.568)]
    #[case(5, 0.9400, 1.427, 0.0, 2.089)]
    #[case(10, 0.9727, 0.975, 0.284, 1.716)]
    fn factors_of_charts(
        #[case] size: usize,
        #[case] factor: f64,
        #[case] a3: f64,
        #[case] b3: f64,
        #[case] b4: f64,
    ) {
        assert!((c4(size) - factor).abs() < 6e-5);
        let groups = vec![(10.0, 1.0); 8];
        let (means, sds) = compute_limits(&groups, size).unwrap();
        assert!((means.upper - 10.0 - a3).abs() < 1e-3, "{means:?}");
        assert!((sds.lower - b3).abs() < 1e-3 && (sds.upper - b4).abs() < 1e-3, "{sds:?}");
    }

    #[test]
    fn subgroups_leave_out_what_does_not_fill_one() {
        let groups = subgroups(&[1.0, 3.0, 5.0, 7.0, 9.0], 2);
        assert_eq!(groups.len(), 2);
        assert!((groups[1].0 - 6.0).abs() < 1e-12 && (groups[1].1 - 2f64.sqrt()).abs() < 1e-12);
    }

    #[test]
    fn too_few_or_all_alike_have_no_limits() {
        assert!(individuals(&[1.0, 2.0, 1.0, 2.0]).is_none());
        assert!(individuals(&[5.0; 9]).is_none());
        assert!(compute_limits(&[(1.0, 0.0); 9], 3).is_none());
    }

    /// e-Handbook 6.3.2.3, data of the worked example of cumulative sums: the mean moves up at the 13th value.
    #[test]
    fn the_handbooks_shift() {
        let values = [
            324.925, 324.675, 324.725, 324.350, 325.350, 325.225, 324.125, 324.525, 325.225, 324.600,
            324.625, 325.150, 328.325, 327.250, 327.825, 328.500, 326.675, 327.775, 326.875, 328.350,
        ];
        let found = level_shift(&values).unwrap();
        assert_eq!(found.at, 12);
        assert!((found.by - 2.91).abs() < 0.05, "{found:?}");
        assert!(level_shift(&values[..12]).is_none());
    }

    #[test]
    fn pairs_share_no_coil() {
        assert_eq!(best_pairs(&[5.0, 9.0, 5.1, 9.05, 5.2], 9), [(1, 3), (0, 2)]);
        assert!(best_pairs(&[5.0], 3).is_empty());
    }
}
