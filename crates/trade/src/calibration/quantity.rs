//! One quantity: its factors and levels, and the model of what makes coils differ in it.

use super::mixed_model::{Estimate, Fit, Priors, Row, Sum, Usual, fit};
use coil::prediction::Correction;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// Runs below which nothing is learned of a quantity.
pub const FEWEST_RUNS: u32 = 3;
/// Runs of one level below which nothing is said of it.
pub const FEWEST_OF_LEVEL: u32 = 4;

/// What may make one coil differ from the next.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Factor {
    /// The spool.
    Spool,
    /// Who winds.
    Operator,
    /// The winder it is wound on.
    Winder,
    /// Straight or scattered.
    Pattern,
    /// The format of the pickup.
    Format,
    /// The design.
    Design,
}

impl Factor {
    /// Every factor, in the order of levels in a row.
    pub const ALL: [Self; 6] =
        [Self::Spool, Self::Operator, Self::Winder, Self::Pattern, Self::Format, Self::Design];

    /// Its word.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Spool => "spool",
            Self::Operator => "operator",
            Self::Winder => "winder",
            Self::Pattern => "pattern",
            Self::Format => "format",
            Self::Design => "design",
        }
    }
}

/// What is learned of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Quantity {
    /// Resistance at 20 °C.
    Resistance,
    /// Inductance as a meter shows it.
    Inductance,
    /// Capacitance as resonance tells it.
    Capacitance,
    /// Build over the core, by caliper.
    Build,
}

impl Quantity {
    /// Every quantity, in the order of a run's ratios.
    pub const ALL: [Self; 4] = [Self::Resistance, Self::Inductance, Self::Capacitance, Self::Build];

    /// Its word.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Resistance => "resistance",
            Self::Inductance => "inductance",
            Self::Capacitance => "capacitance",
            Self::Build => "build",
        }
    }

    /// Its sign in formulas.
    #[must_use]
    pub const fn sign(self) -> &'static str {
        match self {
            Self::Resistance => "R",
            Self::Inductance => "L",
            Self::Capacitance => "C",
            Self::Build => "build",
        }
    }

    /// What is taken for usual before any run, as standard deviations of logarithms: the whole shop against the engine,
    /// a kelvin, the six factors' levels, and one coil against the next (all common practice, no source).
    fn priors(self) -> Priors {
        let (mean, kelvin, levels, noise) = match self {
            Self::Resistance => (0.02, 5e-4, [0.02, 0.008, 0.006, 0.006, 0.01, 0.01], 0.006),
            Self::Inductance => (0.03, 3e-4, [0.006, 0.008, 0.006, 0.01, 0.02, 0.015], 0.01),
            Self::Capacitance => (0.2, 1e-3, [0.05, 0.05, 0.03, 0.1, 0.1, 0.08], 0.08),
            Self::Build => (0.05, 3e-4, [0.02, 0.05, 0.03, 0.05, 0.03, 0.03], 0.03),
        };
        Priors {
            mean_sd: Some(mean),
            slope_sd: vec![Some(kelvin)],
            factors: levels.iter().map(|sd| Usual { sd: *sd, worth: 3.0 }).collect(),
            noise: Usual { sd: noise, worth: 4.0 },
        }
    }
}

/// In what circumstances a coil was, or will be, wound: by the numbers of spool, person, winder, pattern, format and
/// design; `None` where it is not known.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct FactorLevels(pub [Option<u64>; 6]);

impl FactorLevels {
    /// With one of them set.
    #[must_use]
    pub fn with(mut self, factor: Factor, level: Option<u64>) -> Self {
        self.0[factor as usize] = level;
        self
    }

    /// One of them.
    #[must_use]
    pub fn level(&self, factor: Factor) -> Option<u64> {
        self.0[factor as usize]
    }
}

/// A finished run as learning takes it.
#[derive(Clone, Debug, PartialEq)]
pub struct Observation {
    /// Its number in the workshop.
    pub run: u32,
    /// In what circumstances.
    pub factor_levels: FactorLevels,
    /// Temperature of the coil when its resistance was read, °C.
    pub coil_c: Option<f64>,
    /// Logarithms of measured over predicted by the bare engine, as [`Quantity::ALL`] has them.
    pub ratios: [Option<f64>; 4],
}

/// What was learned of one quantity.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct QuantityModel {
    /// Of what.
    pub quantity: Quantity,
    /// Numbers of the levels of each factor, in the fit's order.
    pub(super) levels: Vec<Vec<u64>>,
    /// The fit.
    pub(super) fit: Fit,
    /// Runs left out because they lie too far off, by their numbers.
    #[serde(alias = "left_out")]
    pub outliers: Vec<u32>,
}

/// Fits one quantity; `None` with too few runs.
pub(super) fn fit_quantity(runs: &[Observation], quantity: Quantity) -> Option<QuantityModel> {
    /// Rounds of leaving out what lies off.
    const ROUNDS: usize = 4;
    let told: Vec<(&Observation, f64)> = runs
        .iter()
        .filter_map(|run| Some((run, run.ratios[quantity as usize].filter(|y| y.is_finite())?)))
        .collect();
    if told.len() < FEWEST_RUNS as usize {
        return None;
    }
    let levels: Vec<Vec<u64>> = Factor::ALL
        .iter()
        .map(|factor| {
            let mut all: Vec<u64> =
                told.iter().filter_map(|(run, _)| run.factor_levels.level(*factor)).collect();
            all.sort_unstable();
            all.dedup();
            all
        })
        .collect();
    let sizes: Vec<usize> = levels.iter().map(Vec::len).collect();
    let rows: Vec<Row> = told
        .iter()
        .map(|(run, y)| Row {
            levels: Factor::ALL
                .iter()
                .map(|f| index(&levels[*f as usize], run.factor_levels.level(*f)))
                .collect(),
            slopes: vec![run.coil_c.unwrap_or(20.0) - 20.0],
            y: *y,
        })
        .collect();
    let priors = quantity.priors();
    let mut stays = near_the_middle(&rows, priors.noise.sd);
    let mut found = None;
    for _ in 0..ROUNDS {
        let kept: Vec<Row> = rows.iter().zip(&stays).filter(|(_, s)| **s).map(|(r, _)| r.clone()).collect();
        let fitted = fit(&kept, &sizes, &priors)?;
        let next = within(&rows, &fitted, priors.noise.sd);
        found = Some(fitted);
        if next == stays {
            break;
        }
        stays = next;
    }
    let outliers = told.iter().zip(&stays).filter(|(_, s)| !**s).map(|((run, _), _)| run.run).collect();
    Some(QuantityModel { quantity, levels, fit: found?, outliers })
}

/// Which levels came together, and how often: factor, level, other factor, its level, runs; both ways round, in order.
pub(super) struct Together(Vec<(Factor, u64, Factor, u64, u32)>);

impl Together {
    /// Counts them in runs.
    pub(super) fn from_observations(runs: &[Observation]) -> Self {
        let mut met: Vec<(Factor, u64, Factor, u64)> = Vec::new();
        for run in runs {
            let known = Factor::ALL.iter().filter_map(|f| Some((*f, run.factor_levels.level(*f)?)));
            for (factor, level) in known.clone() {
                met.extend(
                    known.clone().filter(|(o, _)| *o != factor).map(|(o, with)| (factor, level, o, with)),
                );
            }
        }
        met.sort_unstable();
        let counted = met.chunk_by(|a, b| a == b).map(|same| {
            let (factor, level, other, with) = same[0];
            (factor, level, other, with, u32::try_from(same.len()).unwrap_or(u32::MAX))
        });
        Self(counted.collect())
    }

    /// Levels of another factor that came with a level, with the runs together, most first.
    pub(super) fn with(&self, factor: Factor, level: u64, other: Factor) -> Vec<(u64, u32)> {
        let key = (factor, level, other);
        let from = self.0.partition_point(|(f, l, o, ..)| (*f, *l, *o) < key);
        let mut found: Vec<(u64, u32)> = self.0[from..]
            .iter()
            .take_while(|(f, l, o, ..)| (*f, *l, *o) == key)
            .map(|(.., with, runs)| (*with, *runs))
            .collect();
        found.sort_unstable_by_key(|(level, runs)| (std::cmp::Reverse(*runs), *level));
        found
    }
}

fn index(levels: &[u64], level: Option<u64>) -> Option<u32> {
    u32::try_from(levels.binary_search(&level?).ok()?).ok()
}

/// The median of values; 0 of none.
fn median(values: impl Iterator<Item = f64>) -> f64 {
    let mut all: Vec<f64> = values.collect();
    if all.is_empty() {
        return 0.0;
    }
    all.sort_by(f64::total_cmp);
    let half = all.len() / 2;
    if all.len() % 2 == 1 { all[half] } else { 0.5 * (all[half - 1] + all[half]) }
}

/// A standard deviation from the median of distances, as of a normal spread.
fn robust_sd(values: impl Iterator<Item = f64>) -> f64 {
    1.4826 * median(values.map(f64::abs))
}

/// Before anything is fitted: what lies within six usual spreads, or ten times the noise, of the middle.
fn near_the_middle(rows: &[Row], noise_sd: f64) -> Vec<bool> {
    let middle = median(rows.iter().map(|r| r.y));
    let reach = (6.0 * robust_sd(rows.iter().map(|r| r.y - middle))).max(10.0 * noise_sd);
    rows.iter().map(|r| (r.y - middle).abs() <= reach).collect()
}

/// Once fitted: what lies within four and a half standard deviations of its own circumstances.
fn within(rows: &[Row], fit: &Fit, noise_sd: f64) -> Vec<bool> {
    let left: Vec<f64> = rows
        .iter()
        .map(|row| {
            let mut sum = fit.mean().and(&fit.slope(0, row.slopes[0]));
            for (factor, level) in row.levels.iter().enumerate() {
                if let Some(level) = level {
                    sum.add(&fit.level(factor, *level), 1.0);
                }
            }
            row.y - fit.value(&sum)
        })
        .collect();
    let reach = 4.5 * robust_sd(left.iter().copied()).max(0.5 * noise_sd);
    left.iter().map(|l| l.abs() <= reach).collect()
}

/// A shift between two groups of runs, and what each factor's levels make of it.
#[derive(Clone, Debug, PartialEq)]
pub struct Shift {
    /// Difference of the means of the logarithms, later less earlier.
    pub whole: f64,
    /// What each factor makes of it, largest first.
    pub parts: Vec<(Factor, Estimate)>,
    /// What no factor explains.
    pub left: f64,
}

impl QuantityModel {
    /// Runs behind it.
    #[must_use]
    pub fn runs(&self) -> u32 {
        self.fit.rows
    }

    /// One coil against the next, all else alike: standard deviation of the logarithm.
    #[must_use]
    pub fn noise_sd(&self) -> f64 {
        self.fit.noise_sd
    }

    /// How much a factor's levels spread.
    #[must_use]
    pub fn factor_sd(&self, factor: Factor) -> f64 {
        self.fit.factor_sd[factor as usize]
    }

    /// The whole shop against the bare engine.
    #[must_use]
    pub fn mean(&self) -> Estimate {
        self.fit.estimate(&self.fit.mean())
    }

    /// Change with the coil's temperature, per kelvin.
    #[must_use]
    pub fn per_kelvin(&self) -> Estimate {
        self.fit.estimate(&self.fit.slope(0, 1.0))
    }

    /// The levels of a factor with the runs of each.
    pub fn levels(&self, factor: Factor) -> impl Iterator<Item = (u64, u32)> + '_ {
        self.levels[factor as usize].iter().copied().zip(self.fit.counts[factor as usize].iter().copied())
    }

    /// Runs of a level.
    #[must_use]
    pub fn runs_of(&self, factor: Factor, level: u64) -> u32 {
        index(&self.levels[factor as usize], Some(level))
            .map_or(0, |at| self.fit.counts[factor as usize][at as usize])
    }

    pub(super) fn sum(&self, factor: Factor, level: u64) -> Option<Sum> {
        let at = index(&self.levels[factor as usize], Some(level))?;
        Some(self.fit.level(factor as usize, at))
    }

    /// The effect of a level against the other levels of its factor, by their runs; nothing of one that was never met.
    #[must_use]
    pub fn effect(&self, factor: Factor, level: u64) -> Option<Estimate> {
        self.effect_beside(factor, level, &BTreeSet::new())
    }

    /// The same against those of the others that are not set aside.
    #[must_use]
    pub fn effect_beside(&self, factor: Factor, level: u64, aside: &BTreeSet<u64>) -> Option<Estimate> {
        Some(self.fit.estimate(&self.against_others(factor, level, aside)?))
    }

    /// A level less the others of its factor that are not set aside: the whole shop's own mean, which may be known badly, drops out.
    pub(super) fn against_others(&self, factor: Factor, level: u64, aside: &BTreeSet<u64>) -> Option<Sum> {
        /// Of so many levels the mean is known as well as it need be.
        const MANY: usize = 200;
        let mut sum = self.sum(factor, level)?;
        let others: Vec<(u64, u32)> =
            self.levels(factor).filter(|(other, _)| *other != level && !aside.contains(other)).collect();
        let runs: u32 = others.iter().map(|(_, runs)| runs).sum();
        if runs > 0 && others.len() < MANY {
            for (other, count) in others {
                sum.add(&self.sum(factor, other)?, -f64::from(count) / f64::from(runs));
            }
        }
        Some(sum)
    }

    /// The sum of everything known of some circumstances, and the variance of what is not.
    fn whole(&self, factor_levels: &FactorLevels) -> (Sum, f64) {
        let (mut sum, mut unknown) = (self.fit.mean(), 0.0);
        for factor in Factor::ALL {
            match factor_levels.level(factor).and_then(|level| self.sum(factor, level)) {
                Some(level) => sum.add(&level, 1.0),
                None => unknown += self.factor_sd(factor).powi(2),
            }
        }
        (sum, unknown)
    }

    /// What the next coil in these circumstances is to be expected to read.
    #[must_use]
    pub fn expected(&self, factor_levels: &FactorLevels) -> Correction {
        let (sum, unknown) = self.whole(factor_levels);
        let estimate = self.fit.estimate(&sum);
        let sd = (estimate.sd.powi(2) + unknown + self.fit.noise_sd.powi(2)).sqrt();
        Correction { shift: estimate.value, sd, runs: self.fit.rows, per_kelvin: self.per_kelvin().value }
    }

    /// What is left of a run once its circumstances are taken off.
    #[must_use]
    pub fn residual(&self, run: &Observation) -> Option<f64> {
        let y = run.ratios[self.quantity as usize]?;
        let (mut sum, _) = self.whole(&run.factor_levels);
        sum.add(&self.fit.slope(0, run.coil_c.unwrap_or(20.0) - 20.0), 1.0);
        Some(y - self.fit.value(&sum))
    }

    /// What a run's circumstances other than its design and format add: taken off, coils of one design compare.
    #[must_use]
    pub fn factor_effects(&self, factor_levels: &FactorLevels) -> f64 {
        let mut sum = Sum::default();
        for factor in [Factor::Spool, Factor::Operator, Factor::Winder] {
            if let Some(level) = factor_levels.level(factor).and_then(|level| self.sum(factor, level)) {
                sum.add(&level, 1.0);
            }
        }
        self.fit.value(&sum)
    }

    /// What makes later runs differ from earlier ones; `None` where either has no reading.
    #[must_use]
    pub fn shift(&self, earlier: &[&Observation], later: &[&Observation]) -> Option<Shift> {
        let mean = |runs: &[&Observation]| {
            let told: Vec<f64> = runs.iter().filter_map(|r| r.ratios[self.quantity as usize]).collect();
            (!told.is_empty()).then(|| told.iter().sum::<f64>() / told.len() as f64)
        };
        let whole = mean(later)? - mean(earlier)?;
        let mut parts: Vec<(Factor, Estimate)> = Factor::ALL
            .into_iter()
            .map(|factor| {
                let mut sum = Sum::default();
                for (runs, sign) in [(later, 1.0), (earlier, -1.0)] {
                    let told: Vec<&&Observation> =
                        runs.iter().filter(|r| r.ratios[self.quantity as usize].is_some()).collect();
                    let mut counts: BTreeMap<u64, f64> = BTreeMap::new();
                    for level in told.iter().filter_map(|r| r.factor_levels.level(factor)) {
                        *counts.entry(level).or_default() += 1.0;
                    }
                    for (level, count) in counts {
                        if let Some(level) = self.sum(factor, level) {
                            sum.add(&level, sign * count / told.len() as f64);
                        }
                    }
                }
                (factor, self.fit.estimate(&sum))
            })
            .collect();
        let left = whole - parts.iter().map(|(_, e)| e.value).sum::<f64>();
        parts.retain(|(_, e)| e.value.abs() > 1e-5);
        parts.sort_by(|a, b| b.1.value.abs().total_cmp(&a.1.value.abs()));
        Some(Shift { whole, parts, left })
    }
}
