//! What was learned, in words, and never more than the data carry.

use super::mixed_model::{Estimate, Sum};
use super::quantity::{FEWEST_OF_LEVEL, Factor, Quantity, QuantityModel, Together};
use coil::capital;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

/// Standard deviations beyond which an effect is claimed: one in a hundred would lie there by chance, and there are many
/// levels to look at.
const CLEAR: f64 = 2.576;
/// The smallest effect worth a word, in the logarithm.
const WORTH_SAYING: f64 = 0.004;
/// How well a quantity must be known to say that it is unchanged: half its interval, in the logarithm.
const KNOWN: f64 = 0.015;
/// Two effects that move against each other more than this are not told apart.
const TANGLED: f64 = -0.9;
/// The same where hardly a run had the one without the other.
const TANGLED_TOGETHER: f64 = -0.6;
/// Runs of one without the other that are hardly any.
const HARDLY: u32 = 3;

/// Of more levels one by itself hardly moves what the others are compared with.
const MANY_LEVELS: usize = 60;
/// Most levels of a factor that are set aside.
const MOST_DEVIANTS: usize = 8;

/// Gives a level its name.
pub trait Names {
    /// The name of a level.
    fn name(&self, factor: Factor, level: u64) -> String;
}

impl<F: Fn(Factor, u64) -> String> Names for F {
    fn name(&self, factor: Factor, level: u64) -> String {
        self(factor, level)
    }
}

/// How a level stands.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum EffectStatus {
    /// It differs, and that is carried by the runs.
    Clear,
    /// No difference is seen.
    #[serde(alias = "quiet")]
    NoDifference,
    /// Too few runs.
    TooFew,
    /// The only one of its kind so far: there is nothing to compare it with.
    #[serde(alias = "only")]
    SingleLevel,
    /// It cannot be told from another.
    #[serde(alias = "tangled")]
    Confounded(Box<Confounding>),
}

/// Two levels that were nearly always together.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Confounding {
    /// The other.
    pub with: (Factor, u64),
    /// Both together, in the quantity that shows it.
    pub both: Estimate,
    /// Of which quantity.
    pub quantity: Quantity,
    /// The run that would separate them best: this level with that one of the other's factor, or the other way round.
    pub run: Option<[(Factor, u64); 2]>,
}

/// What is known of one level.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LevelEffect {
    /// Of which factor.
    pub factor: Factor,
    /// Which level.
    pub level: u64,
    /// The most runs behind any of the effects.
    pub runs: u32,
    /// Its effects, by quantity, with the runs behind each.
    pub effects: Vec<(Quantity, Estimate, u32)>,
    /// What can be said of it.
    #[serde(alias = "stand")]
    pub status: EffectStatus,
}

/// The same with all of it in a sentence.
#[derive(Clone, Debug, PartialEq)]
pub struct EffectText {
    /// Of which factor.
    pub factor: Factor,
    /// Which level.
    pub level: u64,
    /// The most runs behind any of the effects.
    pub runs: u32,
    /// Its effects, by quantity, with the runs behind each.
    pub effects: Vec<(Quantity, Estimate, u32)>,
    /// How it stands.
    pub status: EffectStatus,
    /// All of it in a sentence.
    pub text: String,
}

/// An effect in per cent: "+1.3 %".
fn per_cent(value: f64) -> String {
    format!("{:+.1} %", value.exp_m1() * 100.0).replace('-', "−")
}

fn clear(e: Estimate) -> bool {
    e.value.abs() > CLEAR * e.sd && e.value.abs() > WORTH_SAYING
}

/// Puts effects in words, in their order.
#[must_use]
pub fn describe_effects(effects: &[LevelEffect], names: &impl Names) -> Vec<EffectText> {
    let sentence = |effect: &LevelEffect| {
        let text = sentence(names, effect.factor, effect.level, effect.runs, &effect.effects, &effect.status);
        EffectText {
            factor: effect.factor,
            level: effect.level,
            runs: effect.runs,
            effects: effect.effects.clone(),
            status: effect.status.clone(),
            text,
        }
    };
    effects.iter().map(sentence).collect()
}

/// What is known of every level, the clearest first.
pub(super) fn level_effects(fitted: &[QuantityModel], together: &Together) -> Vec<LevelEffect> {
    let mut all = Vec::new();
    for factor in Factor::ALL {
        let mut levels: BTreeMap<u64, u32> = BTreeMap::new();
        for fitted in fitted {
            for (level, runs) in fitted.levels(factor) {
                let most = levels.entry(level).or_default();
                *most = runs.max(*most);
            }
        }
        let only = levels.len() == 1;
        let aside: Vec<BTreeSet<u64>> = fitted.iter().map(|quantity| deviants(quantity, factor)).collect();
        all.extend(
            levels
                .into_iter()
                .map(|(level, runs)| one(fitted, &aside, together, (factor, level), runs, only)),
        );
    }
    let rank = |s: &LevelEffect| match s.status {
        EffectStatus::Clear => 0,
        EffectStatus::Confounded(_) => 1,
        EffectStatus::NoDifference => 2,
        EffectStatus::SingleLevel => 3,
        EffectStatus::TooFew => 4,
    };
    let size = |s: &LevelEffect| s.effects.iter().map(|(_, e, _)| e.value.abs()).fold(0.0, f64::max);
    all.sort_by(|a, b| rank(a).cmp(&rank(b)).then(size(b).total_cmp(&size(a))));
    all
}

/// The levels of a factor that differ from the rest, found one after the other: the one that differs most is set aside, and the
/// others are compared without it. Else one operator who pulls hard would make all others appear to pull too little. Of two
/// levels neither is the one that differs; at least half of them stay.
fn deviants(fitted: &QuantityModel, factor: Factor) -> BTreeSet<u64> {
    let known: Vec<u64> =
        fitted.levels(factor).filter(|(_, runs)| *runs >= FEWEST_OF_LEVEL).map(|(level, _)| level).collect();
    let mut aside = BTreeSet::new();
    if known.len() < 3 || known.len() > MANY_LEVELS {
        return aside;
    }
    while 2 * (aside.len() + 1) < known.len() && aside.len() < MOST_DEVIANTS {
        let clear_of = |level: &u64| {
            let effect = fitted.effect_beside(factor, *level, &aside).filter(|e| clear(*e))?;
            Some((effect.value.abs() / effect.sd.max(1e-12), *level))
        };
        let others = known.iter().filter(|level| !aside.contains(*level));
        let Some((_, level)) = others.filter_map(clear_of).max_by(|a, b| a.0.total_cmp(&b.0)) else { break };
        aside.insert(level);
    }
    aside
}

fn one(
    fitted: &[QuantityModel],
    aside: &[BTreeSet<u64>],
    together: &Together,
    (factor, level): (Factor, u64),
    runs: u32,
    only: bool,
) -> LevelEffect {
    let effects: Vec<(Quantity, Estimate, u32)> = fitted
        .iter()
        .zip(aside)
        .filter_map(|(l, aside)| {
            Some((l.quantity, l.effect_beside(factor, level, aside)?, l.runs_of(factor, level)))
        })
        .collect();
    let confounding = || fitted.iter().find_map(|l| confounded(l, together, factor, level));
    let status = if runs < FEWEST_OF_LEVEL {
        EffectStatus::TooFew
    } else if only {
        EffectStatus::SingleLevel
    } else if let Some(confounding) = confounding() {
        EffectStatus::Confounded(Box::new(confounding))
    } else if effects.iter().any(|(_, e, n)| *n >= FEWEST_OF_LEVEL && clear(*e)) {
        EffectStatus::Clear
    } else {
        EffectStatus::NoDifference
    };
    LevelEffect { factor, level, runs, effects, status }
}

/// The level that this one cannot be told from, where both together show an effect.
fn confounded(
    fitted: &QuantityModel,
    together: &Together,
    factor: Factor,
    level: u64,
) -> Option<Confounding> {
    let none = BTreeSet::new();
    let own = fitted.against_others(factor, level, &none)?;
    let alone = fitted.fit.estimate(&own);
    let mut worst: Option<(f64, Confounding)> = None;
    for other in Factor::ALL.into_iter().filter(|f| *f != factor) {
        if fitted.levels[other as usize].len() < 2 {
            continue;
        }
        for (with, both) in together.with(factor, level, other).into_iter().take(6) {
            let (own_runs, their_runs) = (fitted.runs_of(factor, level), fitted.runs_of(other, with));
            // Who met only now and then is told apart by the rest of their runs.
            if 10 * both < 7 * own_runs.min(their_runs) {
                continue;
            }
            let theirs = fitted.against_others(other, with, &none)?;
            let apart = fitted.fit.estimate(&theirs);
            let correlation = fitted.fit.covariance(&own, &theirs) / (alone.sd * apart.sd).max(1e-300);
            let sum = fitted.fit.estimate(&own.clone().and(&theirs));
            let without = own_runs.max(their_runs).saturating_sub(both);
            let limit = if without < HARDLY { TANGLED_TOGETHER } else { TANGLED };
            if correlation < limit && clear(sum) && worst.as_ref().is_none_or(|(w, _)| correlation < *w) {
                let run = separating_run(fitted, (factor, level), (other, with));
                let confounding =
                    Confounding { with: (other, with), both: sum, quantity: fitted.quantity, run };
                worst = Some((correlation, confounding));
            }
        }
    }
    worst.map(|(_, confounding)| confounding)
}

/// The pairing of known levels whose run would tell most about the difference of two: by how much one more observation
/// of it takes off that difference's variance.
fn separating_run(fitted: &QuantityModel, a: (Factor, u64), b: (Factor, u64)) -> Option<[(Factor, u64); 2]> {
    let none = BTreeSet::new();
    let (one, two) = (fitted.against_others(a.0, a.1, &none)?, fitted.against_others(b.0, b.1, &none)?);
    let difference = one.clone().less(&two);
    let noise = fitted.fit.noise_sd.powi(2);
    let gain = |run: &Sum| {
        let run = fitted.fit.mean().and(run);
        fitted.fit.covariance(&difference, &run).powi(2) / (fitted.fit.covariance(&run, &run) + noise)
    };
    let mut best: Option<(f64, [(Factor, u64); 2])> = None;
    for (kept, moved) in [(a, b), (b, a)] {
        let sum = fitted.sum(kept.0, kept.1)?;
        for (level, _) in fitted.levels(moved.0).filter(|(level, _)| *level != moved.1) {
            let gain = gain(&sum.clone().and(&fitted.sum(moved.0, level)?));
            if best.as_ref().is_none_or(|(most, _)| gain > *most) {
                best = Some((gain, [kept, (moved.0, level)]));
            }
        }
    }
    best.map(|(_, run)| run)
}

fn sentence(
    names: &impl Names,
    factor: Factor,
    level: u64,
    runs: u32,
    effects: &[(Quantity, Estimate, u32)],
    status: &EffectStatus,
) -> String {
    let own = subject(factor, &names.name(factor, level));
    let of_runs = format!("{runs} run{}", if runs == 1 { "" } else { "s" });
    let text = match status {
        EffectStatus::TooFew => format!(
            "{own}: {of_runs} so far. No effect is reported for {} with fewer than {FEWEST_OF_LEVEL}.",
            a_word(factor)
        ),
        EffectStatus::SingleLevel => {
            format!("{own} is the only {} so far ({of_runs}), so it cannot be compared.", factor.name())
        }
        EffectStatus::NoDifference => {
            let half = effects
                .iter()
                .filter(|(q, _, _)| matches!(q, Quantity::Resistance | Quantity::Inductance))
                .map(|(q, e, _)| {
                    let most = (e.value.abs() + 1.645 * e.sd).exp_m1() * 100.0;
                    format!("{} within ±{most:.1} %", q.sign())
                })
                .collect::<Vec<_>>()
                .join(", ");
            format!("{own}: no difference ({half}; {of_runs}).")
        }
        EffectStatus::Clear => format!("{own} {} ({of_runs}).", what_it_does(factor, effects)),
        EffectStatus::Confounded(confounding) => {
            let other = names.name(confounding.with.0, confounding.with.1);
            let mut text = format!(
                "{own} and {} {other}: together {} {}, but their effects cannot be separated yet, because they nearly always occurred \
                 together.",
                confounding.with.0.name(),
                confounding.quantity.sign(),
                per_cent(confounding.both.value)
            );
            if let Some([a, b]) = confounding.run {
                let _ = write!(
                    text,
                    " A run with {} {} and {} {} would separate them best.",
                    a.0.name(),
                    names.name(a.0, a.1),
                    b.0.name(),
                    names.name(b.0, b.1)
                );
            }
            text
        }
    };
    capital(&text)
}

fn subject(factor: Factor, name: &str) -> String {
    match factor {
        Factor::Operator => format!("coils wound by {name}"),
        Factor::Winder => format!("coils from {name}"),
        Factor::Pattern => format!("{name} coils"),
        Factor::Format => format!("coils of the format {name}"),
        Factor::Design => format!("coils of {name}"),
        Factor::Spool => format!("spool {name}"),
    }
}

fn a_word(factor: Factor) -> String {
    let word = factor.name();
    if word.starts_with(['o']) { format!("an {word}") } else { format!("a {word}") }
}

/// How a quantity lies: clearly high or low, unchanged as far as its interval says, or not known well enough.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Lie {
    High,
    Low,
    Same,
    Unknown,
}

fn lie(effects: &[(Quantity, Estimate, u32)], quantity: Quantity) -> Lie {
    match effects.iter().find(|(q, _, _)| *q == quantity) {
        Some((_, e, _)) if clear(*e) => {
            if e.value > 0.0 {
                Lie::High
            } else {
                Lie::Low
            }
        }
        Some((_, e, _)) if e.value.abs() + 1.645 * e.sd < KNOWN => Lie::Same,
        _ => Lie::Unknown,
    }
}

/// The pattern of resistance and inductance by factor, as the trade reads it (common practice, no source; what stretch
/// and packing do to each is the engine's).
fn what_it_does(factor: Factor, effects: &[(Quantity, Estimate, u32)]) -> String {
    let value = |q: Quantity| effects.iter().find(|(of, _, _)| *of == q).map_or(0.0, |(_, e, _)| e.value);
    let (r, l) = (lie(effects, Quantity::Resistance), lie(effects, Quantity::Inductance));
    let (dr, dl) = (per_cent(value(Quantity::Resistance)), per_cent(value(Quantity::Inductance)));
    let hand = matches!(factor, Factor::Operator | Factor::Winder);
    match (factor, r, l) {
        (_, Lie::High, Lie::Same) if hand => format!("stretch the wire: R {dr}, L unchanged"),
        (_, Lie::Low, Lie::Same) if hand => format!("stretch the wire less than others: R {dr}, L unchanged"),
        (_, Lie::High, Lie::High) if hand => format!("are wound looser: R {dr}, L {dl}"),
        (_, Lie::Low, Lie::Low) if hand => format!("are wound tighter: R {dr}, L {dl}"),
        (Factor::Spool, Lie::High, Lie::Same) => {
            format!("reads {} high: thinner wire; L unchanged", bare(&dr))
        }
        (Factor::Spool, Lie::Low, Lie::Same) => format!("reads {} low: thicker wire; L unchanged", bare(&dr)),
        (Factor::Spool, Lie::High, Lie::Unknown) => format!("reads {} high", bare(&dr)),
        (Factor::Spool, Lie::Low, Lie::Unknown) => format!("reads {} low", bare(&dr)),
        (_, Lie::Same | Lie::Unknown, Lie::High | Lie::Low) => {
            let r = if r == Lie::Same { "R unchanged" } else { "too few readings of R" };
            format!("{} L {dl}; {r}", reads(factor))
        }
        (_, Lie::High | Lie::Low, Lie::High | Lie::Low) => format!("{} R {dr} and L {dl}", reads(factor)),
        (_, Lie::High | Lie::Low, _) => {
            let l = if l == Lie::Same { "L unchanged" } else { "too few readings of L" };
            format!("{} R {dr}; {l}", reads(factor))
        }
        _ => {
            let others = effects.iter().filter(|(_, e, _)| clear(*e));
            let listed: Vec<String> =
                others.map(|(q, e, _)| format!("{} {}", q.sign(), per_cent(e.value))).collect();
            format!("{} {}", reads(factor), listed.join(", "))
        }
    }
}

fn reads(factor: Factor) -> &'static str {
    if factor == Factor::Spool { "reads" } else { "read" }
}

/// Without its sign.
fn bare(text: &str) -> String {
    text.trim_start_matches(['+', '−']).to_owned()
}
