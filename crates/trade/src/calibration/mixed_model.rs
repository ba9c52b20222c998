//! A mixed linear model: one response, slopes, and any number of factors whose levels spread about nothing.
//!
//! Henderson's mixed model equations with the factor of most levels absorbed, so that a thousand spools cost no more
//! than their own runs; variance components by expectation and maximisation (Searle, Casella & McCulloch, Variance
//! Components, 1992, chapters 7 and 8). With flat priors the components are those of restricted maximum likelihood;
//! with weights behind the priors they are drawn to what is usual until the data speak.

use nalgebra::{Cholesky, DMatrix, DVector, Dyn};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// One observation.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// Level of every factor, from 0; `None` where it is not known.
    pub levels: Vec<Option<u32>>,
    /// Values of the slopes' variables.
    pub slopes: Vec<f64>,
    /// The response.
    pub y: f64,
}

/// What is usual of a standard deviation, and the number of observations that this is worth.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Usual {
    /// Standard deviation; above 0.
    pub sd: f64,
    /// Observations that it is worth; 0 lets the data speak alone.
    pub worth: f64,
}

/// What is taken for granted before any data.
#[derive(Clone, Debug, PartialEq)]
pub struct Priors {
    /// Standard deviation of the mean about 0; `None` leaves it free.
    pub mean_sd: Option<f64>,
    /// The same of each slope.
    pub slope_sd: Vec<Option<f64>>,
    /// Spread of each factor's levels.
    pub factors: Vec<Usual>,
    /// Spread of what is left.
    pub noise: Usual,
}

/// An estimate.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Estimate {
    /// Its value.
    pub value: f64,
    /// Its standard deviation.
    pub sd: f64,
}

/// What a fit says; everything that a later prediction needs.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Fit {
    /// Observations behind it.
    pub rows: u32,
    /// Standard deviation of each factor's levels.
    pub factor_sd: Vec<f64>,
    /// Standard deviation of what is left.
    pub noise_sd: f64,
    /// Observations of each level of each factor.
    pub counts: Vec<Vec<u32>>,
    /// Mean, slopes, and the levels of all factors but the absorbed one.
    theta: Vec<f64>,
    /// Lower triangle, row by row, of their covariance over the noise's variance.
    covariance: Vec<f64>,
    /// First place of each factor in `theta`.
    first: Vec<usize>,
    slopes: usize,
    /// The factor absorbed.
    absorbed: usize,
    /// Its levels.
    many: Vec<Many>,
}

/// A level of the absorbed factor.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
struct Many {
    effect: f64,
    /// Observations plus the ratio of the noise's variance to the factor's.
    weight: f64,
    /// How often it met each of the others: place and count.
    met: Vec<(u32, f64)>,
}

/// A sum of effects: its weights over `theta` and over the absorbed levels.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Sum {
    theta: Vec<(usize, f64)>,
    many: Vec<(usize, f64)>,
}

impl Sum {
    /// Adds another with a weight.
    pub fn add(&mut self, other: &Self, weight: f64) {
        self.theta.extend(other.theta.iter().map(|(at, w)| (*at, w * weight)));
        self.many.extend(other.many.iter().map(|(at, w)| (*at, w * weight)));
    }

    /// This less another.
    #[must_use]
    pub fn less(mut self, other: &Self) -> Self {
        self.add(other, -1.0);
        self
    }

    /// This and another.
    #[must_use]
    pub fn and(mut self, other: &Self) -> Self {
        self.add(other, 1.0);
        self
    }
}

/// The sums of products that all the equations need, gathered in one pass.
struct Sums {
    products: DMatrix<f64>,
    right: DVector<f64>,
    squares: f64,
    rows: f64,
    many: Vec<ManySums>,
}

#[derive(Clone, Default)]
struct ManySums {
    count: f64,
    y: f64,
    /// How often it met each of the others, in rising order of their places.
    met: Vec<(usize, f64)>,
}

impl ManySums {
    fn meet(&mut self, place: usize, weight: f64) {
        match self.met.binary_search_by_key(&place, |(at, _)| *at) {
            Ok(k) => self.met[k].1 += weight,
            Err(k) => self.met.insert(k, (place, weight)),
        }
    }
}

/// Where everything stands in the equations.
struct Places {
    sizes: Vec<usize>,
    first: Vec<usize>,
    slopes: usize,
    absorbed: usize,
    all: usize,
}

impl Places {
    fn new(sizes: &[usize], slopes: usize) -> Self {
        let absorbed = (0..sizes.len()).max_by_key(|f| sizes[*f]).unwrap_or(0);
        let mut next = 1 + slopes;
        let first = (0..sizes.len())
            .map(|f| {
                let here = next;
                next += if f == absorbed { 0 } else { sizes[f] };
                here
            })
            .collect();
        Self { sizes: sizes.to_vec(), first, slopes, absorbed, all: next }
    }

    fn row(&self, row: &Row) -> Vec<(usize, f64)> {
        let mut found = vec![(0, 1.0)];
        found.extend(row.slopes.iter().enumerate().map(|(k, x)| (1 + k, *x)));
        for (factor, level) in row.levels.iter().enumerate() {
            if let (Some(level), true) = (level, factor != self.absorbed) {
                found.push((self.first[factor] + *level as usize, 1.0));
            }
        }
        found
    }

    fn gather(&self, rows: &[Row]) -> Sums {
        let mut sums = Sums {
            products: DMatrix::zeros(self.all, self.all),
            right: DVector::zeros(self.all),
            squares: 0.0,
            rows: rows.len() as f64,
            many: vec![ManySums::default(); self.sizes.get(self.absorbed).copied().unwrap_or(0)],
        };
        for row in rows {
            let at = self.row(row);
            for (i, a) in &at {
                sums.right[*i] += a * row.y;
                for (j, b) in &at {
                    sums.products[(*i, *j)] += a * b;
                }
            }
            sums.squares += row.y * row.y;
            if let Some(level) = row.levels.get(self.absorbed).copied().flatten() {
                let many = &mut sums.many[level as usize];
                many.count += 1.0;
                many.y += row.y;
                for (i, a) in at {
                    many.meet(i, a);
                }
            }
        }
        sums
    }
}

/// Solutions of the equations for one choice of variance ratios.
struct Solved {
    theta: DVector<f64>,
    inverse: DMatrix<f64>,
    many: Vec<Many>,
}

/// Solves with the ratios of the noise's variance to each prior's.
fn solve(places: &Places, sums: &Sums, ratios: &[f64], fixed: &[f64]) -> Option<Solved> {
    let mut matrix = sums.products.clone();
    let mut right = sums.right.clone();
    for (k, ratio) in fixed.iter().enumerate() {
        matrix[(k, k)] += ratio;
    }
    for (factor, ratio) in ratios.iter().enumerate().filter(|(f, _)| *f != places.absorbed) {
        for k in 0..places.sizes[factor] {
            let at = places.first[factor] + k;
            matrix[(at, at)] += ratio;
        }
    }
    let absorbed_ratio = ratios.get(places.absorbed).copied().unwrap_or(1.0);
    for many in &sums.many {
        let weight = many.count + absorbed_ratio;
        // SingleLevel the lower triangle is read by what follows.
        for (k, (i, a)) in many.met.iter().enumerate() {
            right[*i] -= a * many.y / weight;
            for (j, b) in &many.met[..=k] {
                matrix[(*i, *j)] -= a * b / weight;
            }
        }
    }
    let inverse = Cholesky::<f64, Dyn>::new(matrix)?.inverse();
    let theta = &inverse * right;
    let many = sums
        .many
        .iter()
        .map(|many| {
            let weight = many.count + absorbed_ratio;
            let met: Vec<(u32, f64)> =
                many.met.iter().map(|(i, a)| (u32::try_from(*i).unwrap_or(u32::MAX), *a)).collect();
            let explained: f64 = many.met.iter().map(|(i, a)| a * theta[*i]).sum();
            Many { effect: (many.y - explained) / weight, weight, met }
        })
        .collect();
    Some(Solved { theta, inverse, many })
}

/// Fits the model. `sizes` are the numbers of levels of the factors.
///
/// `None` without rows, or where the equations have no single answer (a free slope whose variable never moves).
#[must_use]
pub fn fit(rows: &[Row], sizes: &[usize], priors: &Priors) -> Option<Fit> {
    /// Steps after which it is taken as it stands.
    const STEPS: usize = 2_000;
    if rows.is_empty() {
        return None;
    }
    let places = Places::new(sizes, priors.slope_sd.len());
    let sums = places.gather(rows);
    let mut factor_var: Vec<f64> = priors.factors.iter().map(|p| p.sd * p.sd).collect();
    let mut noise_var = priors.noise.sd * priors.noise.sd;
    let free = usize::from(priors.mean_sd.is_none()) + priors.slope_sd.iter().filter(|s| s.is_none()).count();
    let mut solved = None;
    for _ in 0..STEPS {
        let ratios: Vec<f64> = factor_var.iter().map(|v| noise_var / v).collect();
        let fixed: Vec<f64> = std::iter::once(priors.mean_sd)
            .chain(priors.slope_sd.iter().copied())
            .map(|sd| sd.map_or(0.0, |sd| noise_var / (sd * sd)))
            .collect();
        let now = solve(&places, &sums, &ratios, &fixed)?;
        let next_factors: Vec<f64> = priors
            .factors
            .iter()
            .enumerate()
            .map(|(f, usual)| {
                let (squares, trace) = spread_of(&places, &now, f);
                (squares + noise_var * trace + usual.worth * usual.sd * usual.sd)
                    / (places.sizes[f] as f64 + usual.worth)
            })
            .map(|v| v.max(1e-16))
            .collect();
        let explained: f64 = now.theta.dot(&sums.right)
            + now.many.iter().zip(&sums.many).map(|(u, s)| u.effect * s.y).sum::<f64>();
        let usual = priors.noise;
        let left = (sums.squares - explained).max(0.0);
        let next_noise = ((left + usual.worth * usual.sd * usual.sd)
            / (sums.rows - free as f64 + usual.worth).max(0.5))
        .max(1e-16);
        let moved = |a: f64, b: f64| (a / b - 1.0).abs();
        let most = next_factors
            .iter()
            .zip(&factor_var)
            .map(|(a, b)| if *a < 1e-6 * next_noise { 0.0 } else { moved(*a, *b) })
            .fold(moved(next_noise, noise_var), f64::max);
        solved = Some(now);
        if most < 1e-7 {
            break;
        }
        (factor_var, noise_var) = (next_factors, next_noise);
    }
    let solved = solved?;
    let mut counts: Vec<Vec<u32>> = sizes.iter().map(|n| vec![0; *n]).collect();
    for row in rows {
        for (factor, level) in row.levels.iter().enumerate() {
            if let Some(level) = level {
                counts[factor][*level as usize] += 1;
            }
        }
    }
    let n = places.all;
    Some(Fit {
        rows: u32::try_from(rows.len()).unwrap_or(u32::MAX),
        factor_sd: factor_var.iter().map(|v| v.sqrt()).collect(),
        noise_sd: noise_var.sqrt(),
        counts,
        theta: solved.theta.iter().copied().collect(),
        covariance: (0..n).flat_map(|i| (0..=i).map(move |j| (i, j))).map(|at| solved.inverse[at]).collect(),
        first: places.first,
        slopes: places.slopes,
        absorbed: places.absorbed,
        many: solved.many,
    })
}

/// Squares of a factor's effects, and the trace of their covariance over the noise's variance.
fn spread_of(places: &Places, solved: &Solved, factor: usize) -> (f64, f64) {
    if factor == places.absorbed {
        let squares = solved.many.iter().map(|m| m.effect * m.effect).sum();
        let trace = solved
            .many
            .iter()
            .map(|many| {
                let mut form = 0.0;
                for (k, (i, a)) in many.met.iter().enumerate() {
                    let at = |j: u32| solved.inverse[(*i as usize, j as usize)];
                    form += a * a * at(*i);
                    form += 2.0 * a * many.met[..k].iter().map(|(j, b)| b * at(*j)).sum::<f64>();
                }
                1.0 / many.weight + form / (many.weight * many.weight)
            })
            .sum();
        return (squares, trace);
    }
    let range = places.first[factor]..places.first[factor] + places.sizes[factor];
    let squares = range.clone().map(|k| solved.theta[k] * solved.theta[k]).sum();
    (squares, range.map(|k| solved.inverse[(k, k)]).sum())
}

impl Fit {
    /// The mean.
    #[must_use]
    pub fn mean(&self) -> Sum {
        Sum { theta: vec![(0, 1.0)], many: Vec::new() }
    }

    /// A slope, times a value of its variable.
    #[must_use]
    pub fn slope(&self, k: usize, value: f64) -> Sum {
        let theta = if k < self.slopes { vec![(1 + k, value)] } else { Vec::new() };
        Sum { theta, many: Vec::new() }
    }

    /// A level of a factor; nothing for one that it never met.
    #[must_use]
    pub fn level(&self, factor: usize, level: u32) -> Sum {
        let known = self.counts.get(factor).is_some_and(|c| (level as usize) < c.len());
        match (known, factor == self.absorbed) {
            (false, _) => Sum::default(),
            (true, true) => Sum { theta: Vec::new(), many: vec![(level as usize, 1.0)] },
            (true, false) => {
                Sum { theta: vec![(self.first[factor] + level as usize, 1.0)], many: Vec::new() }
            }
        }
    }

    /// The value of a sum of effects.
    #[must_use]
    pub fn value(&self, sum: &Sum) -> f64 {
        sum.theta.iter().map(|(at, w)| w * self.theta[*at]).sum::<f64>()
            + sum.many.iter().map(|(at, w)| w * self.many[*at].effect).sum::<f64>()
    }

    /// The estimate of a sum of effects.
    #[must_use]
    pub fn estimate(&self, sum: &Sum) -> Estimate {
        Estimate { value: self.value(sum), sd: self.covariance(sum, sum).max(0.0).sqrt() }
    }

    /// The covariance of two sums of effects.
    #[must_use]
    pub fn covariance(&self, a: &Sum, b: &Sum) -> f64 {
        let (wa, wb) = (self.reduced(a), self.reduced(b));
        let mut form = 0.0;
        for (i, x) in &wa {
            for (j, y) in &wb {
                let (low, high) = if i < j { (*i, *j) } else { (*j, *i) };
                form += x * y * self.covariance[high * (high + 1) / 2 + low];
            }
        }
        let many_of = |sum: &Sum| {
            let mut all: BTreeMap<usize, f64> = BTreeMap::new();
            for (at, w) in &sum.many {
                *all.entry(*at).or_default() += w;
            }
            all
        };
        let others = many_of(b);
        form += many_of(a)
            .iter()
            .filter_map(|(at, w)| Some(w * others.get(at)? / self.many[*at].weight))
            .sum::<f64>();
        form * self.noise_sd * self.noise_sd
    }

    /// A sum's weights over `theta` once the absorbed levels are written by the others.
    fn reduced(&self, sum: &Sum) -> Vec<(usize, f64)> {
        let mut weights: BTreeMap<usize, f64> = BTreeMap::new();
        for (at, w) in &sum.theta {
            *weights.entry(*at).or_default() += w;
        }
        for (at, w) in &sum.many {
            let many = &self.many[*at];
            for (i, met) in &many.met {
                *weights.entry(*i as usize).or_default() -= w * met / many.weight;
            }
        }
        weights.into_iter().collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn free(factors: usize) -> Priors {
        Priors {
            mean_sd: None,
            slope_sd: Vec::new(),
            factors: vec![Usual { sd: 1.0, worth: 0.0 }; factors],
            noise: Usual { sd: 1.0, worth: 0.0 },
        }
    }

    fn one_way(groups: &[&[f64]]) -> Vec<Row> {
        (0_u32..)
            .zip(groups)
            .flat_map(|(level, values)| {
                values.iter().map(move |y| Row { levels: vec![Some(level)], slopes: Vec::new(), y: *y })
            })
            .collect()
    }

    /// Yield of dyestuff, six batches of five: O. L. Davies, Statistical Methods in Research and Production (1947). The
    /// analysis of variance gives 11,271.5 between and 2,451.25 within, hence 42.00 and 49.51, which restricted
    /// likelihood repeats on balanced data.
    #[test]
    fn dyestuff() {
        let rows = one_way(&[
            &[1545.0, 1440.0, 1440.0, 1520.0, 1580.0],
            &[1540.0, 1555.0, 1490.0, 1560.0, 1495.0],
            &[1595.0, 1550.0, 1605.0, 1510.0, 1560.0],
            &[1445.0, 1440.0, 1595.0, 1465.0, 1545.0],
            &[1595.0, 1630.0, 1515.0, 1635.0, 1625.0],
            &[1520.0, 1455.0, 1450.0, 1480.0, 1445.0],
        ]);
        let mut priors = free(1);
        (priors.factors[0].sd, priors.noise.sd) = (50.0, 50.0);
        let fit = fit(&rows, &[6], &priors).unwrap();
        assert!((fit.estimate(&fit.mean()).value - 1527.5).abs() < 1e-6);
        assert!((fit.factor_sd[0] - 1764.05f64.sqrt()).abs() < 0.01, "{}", fit.factor_sd[0]);
        assert!((fit.noise_sd - 2451.25f64.sqrt()).abs() < 0.01, "{}", fit.noise_sd);
        // The standard error of the mean of a balanced one-way layout: the root of the mean square between over n.
        assert!((fit.estimate(&fit.mean()).sd - (11_271.5f64 / 30.0).sqrt()).abs() < 0.01);
        // Shrinkage of a batch: its mean's deviation times n·σb²/(n·σb² + σ²).
        let a = fit.estimate(&fit.level(0, 0)).value;
        let shrunk = (1505.0 - 1527.5) * 5.0 * 1764.05 / (5.0 * 1764.05 + 2451.25);
        assert!((a - shrunk).abs() < 0.01, "{a} {shrunk}");
    }

    /// NIST StRD, analysis of variance, data set SiRstv (resistivity of silicon wafers by five instruments): certified
    /// mean squares 1.278654040E-02 between and 1.083182800E-02 within.
    #[test]
    fn silicon_resistivity() {
        let rows = one_way(&[
            &[196.3052, 196.1240, 196.1890, 196.2569, 196.3403],
            &[196.3042, 196.3825, 196.1669, 196.3257, 196.0422],
            &[196.1303, 196.2005, 196.2889, 196.0343, 196.1811],
            &[196.2795, 196.1748, 196.1494, 196.1485, 195.9885],
            &[196.2119, 196.1051, 196.1850, 196.0052, 196.2090],
        ]);
        let rows: Vec<Row> = rows.into_iter().map(|r| Row { y: r.y - 196.0, ..r }).collect();
        let mut priors = free(1);
        (priors.factors[0].sd, priors.noise.sd) = (0.05, 0.1);
        let fit = fit(&rows, &[5], &priors).unwrap();
        let between: f64 = (1.278_654_04e-2 - 1.083_182_8e-2) / 5.0;
        assert!((fit.noise_sd / 1.083_182_8e-2f64.sqrt() - 1.0).abs() < 1e-3, "{}", fit.noise_sd);
        assert!((fit.factor_sd[0] / between.sqrt() - 1.0).abs() < 2e-2, "{}", fit.factor_sd[0]);
    }

    /// Absorbing a factor is algebra and changes nothing: the same data with the factors in the other order, and against
    /// the equations written out whole.
    #[test]
    fn absorption_changes_no_answer() {
        let mut rows = Vec::new();
        for k in 0_u32..40 {
            let (a, b) = (k % 7, (k * k + 3) % 3);
            let y = 0.3 * f64::from(a) - 0.5 * f64::from(b) + 0.1 * f64::from((k * 37) % 11);
            rows.push(Row { levels: vec![Some(a), Some(b)], slopes: vec![f64::from(k % 5) - 2.0], y });
        }
        let priors = Priors { mean_sd: Some(3.0), slope_sd: vec![Some(0.5)], ..free(2) };
        let one = fit(&rows, &[7, 3], &priors).unwrap();
        // Whole: Z'Z + ratios, solved at the variances found.
        let n = 2 + 7 + 3;
        let mut matrix = DMatrix::<f64>::zeros(n, n);
        let mut right = DVector::<f64>::zeros(n);
        for row in &rows {
            let mut z = DVector::<f64>::zeros(n);
            (z[0], z[1]) = (1.0, row.slopes[0]);
            z[2 + row.levels[0].unwrap() as usize] = 1.0;
            z[9 + row.levels[1].unwrap() as usize] = 1.0;
            right += &z * row.y;
            matrix += &z * z.transpose();
        }
        let noise = one.noise_sd * one.noise_sd;
        matrix[(0, 0)] += noise / 9.0;
        matrix[(1, 1)] += noise / 0.25;
        for k in 0..7 {
            matrix[(2 + k, 2 + k)] += noise / one.factor_sd[0].powi(2);
        }
        for k in 0..3 {
            matrix[(9 + k, 9 + k)] += noise / one.factor_sd[1].powi(2);
        }
        let inverse = matrix.try_inverse().unwrap();
        let answer = &inverse * right;
        let near = |e: Estimate, at: usize| {
            assert!((e.value - answer[at]).abs() < 1e-5, "{at}: {e:?} {}", answer[at]);
            assert!((e.sd * e.sd - noise * inverse[(at, at)]).abs() < 1e-5 * noise, "{at}");
        };
        near(one.estimate(&one.mean()), 0);
        near(one.estimate(&one.slope(0, 1.0)), 1);
        for k in 0..7 {
            near(one.estimate(&one.level(0, k)), 2 + k as usize);
        }
        for k in 0..3 {
            near(one.estimate(&one.level(1, k)), 9 + k as usize);
        }
        let cross = one.covariance(&one.level(0, 4), &one.level(1, 2));
        assert!((cross - noise * inverse[(6, 11)]).abs() < 1e-5 * noise);
        let apart = one.covariance(&one.level(0, 4), &one.level(0, 5));
        assert!((apart - noise * inverse[(6, 7)]).abs() < 1e-5 * noise);
    }

    /// Without data nothing is claimed; with little, little; with much, nearly all.
    #[rstest]
    #[case(1, 0.5)]
    #[case(4, 0.8)]
    #[case(100, 0.99)]
    fn shrinkage_by_the_number_of_runs(#[case] runs: usize, #[case] share: f64) {
        let steady = |sd: f64| Usual { sd, worth: 1e9 };
        let priors = Priors {
            mean_sd: Some(1e-6),
            slope_sd: Vec::new(),
            factors: vec![steady(0.01)],
            noise: steady(0.01),
        };
        let row = Row { levels: vec![Some(0)], slopes: Vec::new(), y: 0.03 };
        let fit = fit(&vec![row; runs], &[1], &priors).unwrap();
        let found = fit.estimate(&fit.level(0, 0)).value;
        assert!((found / 0.03 - share).abs() < 0.002, "{found}");
    }

    #[test]
    fn nothing_comes_of_nothing() {
        assert!(fit(&[], &[1], &free(1)).is_none());
    }
}
