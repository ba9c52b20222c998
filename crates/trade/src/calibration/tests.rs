//! A simulated shop with hidden biases, and what is said of it. Every figure here is invented for the simulation; what
//! is checked is the method.

use super::*;
use coil::design::{Design, tall_single};
use coil::prediction::{predict, predict_calibrated};
use rand::rngs::StdRng;
use rand::{RngExt as _, SeedableRng as _};
use rstest::rstest;

/// A normal deviate, near enough: the sum of twelve dice.
fn deviate(dice: &mut StdRng) -> f64 {
    (0..12).map(|_| dice.random::<f64>()).sum::<f64>() - 6.0
}

/// What nobody in the shop knows.
struct Hidden {
    /// Wire of each spool against its label, stretch of each operator, in ohms.
    spool: Vec<f64>,
    stretch: Vec<f64>,
    /// Packing by operator: moves both resistance and inductance.
    loose: Vec<f64>,
    /// Poles of another permeability than the tables say, by design: inductance.
    poles: Vec<f64>,
    noise: [f64; 2],
}

impl Hidden {
    fn monte_carlo(dice: &mut StdRng, spools: usize, operators: usize, designs: usize) -> Self {
        let mut all = |n: usize, sd: f64| (0..n).map(|_| sd * deviate(dice)).collect::<Vec<f64>>();
        Self {
            spool: all(spools, 0.025),
            stretch: all(operators, 0.008),
            loose: all(operators, 0.008),
            poles: all(designs, 0.03),
            noise: [0.004, 0.007],
        }
    }

    /// Logarithms of truth over engine, without the noise of one coil.
    fn truth(&self, c: &FactorLevels) -> [f64; 2] {
        let at = |f: Factor| usize::try_from(c.level(f).unwrap()).unwrap();
        let (spool, operator, design) = (at(Factor::Spool), at(Factor::Operator), at(Factor::Design));
        [
            self.spool[spool] + self.stretch[operator] + 0.3 * self.loose[operator],
            self.poles[design] + 0.4 * self.loose[operator],
        ]
    }

    fn coil(&self, dice: &mut StdRng, c: &FactorLevels) -> [f64; 2] {
        let truth = self.truth(c);
        [truth[0] + self.noise[0] * deviate(dice), truth[1] + self.noise[1] * deviate(dice)]
    }
}

fn factor_levels(spool: usize, operator: usize, design: usize) -> FactorLevels {
    FactorLevels::default()
        .with(Factor::Spool, Some(spool as u64))
        .with(Factor::Operator, Some(operator as u64))
        .with(Factor::Winder, Some(0))
        .with(Factor::Pattern, Some(1))
        .with(Factor::Format, Some(0))
        .with(Factor::Design, Some(design as u64))
}

fn observations(run: u32, factor_levels: FactorLevels, [r, l]: [f64; 2]) -> Observation {
    Observation { run, factor_levels, coil_c: Some(22.0), ratios: [Some(r), Some(l), None, None] }
}

const SPOOLS: usize = 8;
const RUNS_PER_SPOOL: usize = 5;

fn shop(dice: &mut StdRng) -> (Hidden, Vec<Observation>) {
    let hidden = Hidden::monte_carlo(dice, SPOOLS, 3, 4);
    let mut runs = Vec::new();
    for spool in 0..SPOOLS {
        for k in 0..RUNS_PER_SPOOL {
            let c = factor_levels(spool, dice.random_range(0..3), (spool + k) % 4);
            let coil = hidden.coil(dice, &c);
            runs.push(observations(u32::try_from(runs.len()).unwrap() + 1, c, coil));
        }
    }
    (hidden, runs)
}

/// After five runs per spool the error of R is under 1 % and of L under 2 % in nineteen of twenty coils, and the bands
/// hold 90 ± 4 % of the next coils, over 150 shops with hidden biases of their own.
#[test]
fn a_shop_with_hidden_biases_learns_them() {
    let mut dice = StdRng::seed_from_u64(7_500);
    let (mut inside, mut near, mut all) = ([0.0; 2], [0.0; 2], 0.0);
    let mut before = [0.0; 2];
    for _ in 0..150 {
        let (hidden, runs) = shop(&mut dice);
        let model = fit_calibration(&runs);
        for _ in 0..40 {
            let c =
                factor_levels(dice.random_range(0..SPOOLS), dice.random_range(0..3), dice.random_range(0..4));
            let (truth, coil) = (hidden.truth(&c), hidden.coil(&mut dice, &c));
            let calibration = model.calibration(&c);
            all += 1.0;
            for (k, (learned, limit)) in
                [(calibration.resistance, 0.01), (calibration.inductance, 0.02)].into_iter().enumerate()
            {
                let learned = learned.unwrap();
                near[k] += f64::from((learned.shift - truth[k]).abs() < limit);
                before[k] += f64::from(truth[k].abs() < limit);
                inside[k] += f64::from((coil[k] - learned.shift).abs() < 1.645 * learned.sd);
            }
        }
    }
    for k in 0..2 {
        let (near, inside) = (near[k] / all, inside[k] / all);
        assert!(near > 0.95, "quantity {k}: within its limit {near}");
        assert!((inside - 0.90).abs() < 0.04, "quantity {k}: in the band {inside}");
        assert!(before[k] / all < 0.65, "the biases were worth learning: {}", before[k] / all);
    }
}

/// The same through the engine: coils whose true wire, packing and poles differ from the document are wound by it, and
/// the predictions that lean on their runs come within 1 % and 2 %.
#[test]
fn the_engines_predictions_learn_the_same() {
    let mut dice = StdRng::seed_from_u64(42);
    let design = tall_single("Sedge", 6, 10.4);
    let base = predict(&design).unwrap().pickup;
    let of = |d: &Design| {
        let p = predict(d).unwrap().pickup;
        [
            (p.resistance_20c_ohm.nominal / base.resistance_20c_ohm.nominal).ln(),
            (p.inductance_h.nominal / base.inductance_h.nominal).ln(),
        ]
    };
    // Truth: rods a little thinner than drawn, and two operators of whom one packs looser.
    let packing = predict(&design).unwrap().coils[0].packing;
    let truths: Vec<[f64; 2]> = [1.0, 0.94]
        .iter()
        .map(|share| {
            let mut truth = design.clone();
            truth.poles.iter_mut().for_each(|p| p.diameter_mm *= 0.98);
            truth.coils[0].wind.packing = Some(packing * share);
            of(&truth)
        })
        .collect();
    let wire = [0.03, -0.015];
    let mut runs = Vec::new();
    for k in 0..20_usize {
        let (spool, operator) = (k % 2, (k / 2) % 2);
        let noise = [0.003 * deviate(&mut dice), 0.005 * deviate(&mut dice)];
        let coil = [truths[operator][0] + wire[spool] + noise[0], truths[operator][1] + noise[1]];
        runs.push(observations(u32::try_from(k).unwrap() + 1, factor_levels(spool, operator, 0), coil));
    }
    let model = fit_calibration(&runs);
    for (spool, ohms) in wire.iter().enumerate() {
        for (operator, truth) in truths.iter().enumerate() {
            let calibration = model.calibration(&factor_levels(spool, operator, 0));
            let p = predict_calibrated(&design, &calibration).unwrap().pickup;
            let (r, l) = (
                p.resistance_20c_ohm.nominal / base.resistance_20c_ohm.nominal,
                p.inductance_h.nominal / base.inductance_h.nominal,
            );
            assert!((r.ln() - truth[0] - ohms).abs() < 0.01, "{spool} {operator}: R {r}");
            assert!((l.ln() - truth[1]).abs() < 0.02, "{spool} {operator}: L {l}");
            assert!(
                p.resistance_20c_ohm.p95 - p.resistance_20c_ohm.p05 < 0.05 * base.resistance_20c_ohm.nominal
            );
        }
    }
}

fn names(factor: Factor, level: u64) -> String {
    format!("{}{level}", factor.name().chars().next().unwrap_or('?'))
}

fn text_of(effects: &[EffectText], factor: Factor, level: u64) -> (String, EffectStatus) {
    let found = effects.iter().find(|s| s.factor == factor && s.level == level).unwrap();
    (found.text.clone(), found.status.clone())
}

/// One operator stretches the wire, one spool is thin; both met everything else, so both are told.
#[test]
fn causes_are_told_in_words() {
    let mut dice = StdRng::seed_from_u64(3);
    let mut runs = Vec::new();
    for k in 0..60_u32 {
        let (spool, operator) = (k as usize % 4, (k as usize / 4) % 3);
        let stretch = if operator == 1 { 0.02 } else { 0.0 };
        let thin = if spool == 2 { 0.03 } else { 0.0 };
        let coil = [stretch + thin + 0.003 * deviate(&mut dice), 0.003 * deviate(&mut dice)];
        runs.push(observations(k + 1, factor_levels(spool, operator, k as usize / 12 % 2), coil));
    }
    let effects = describe_effects(&fit_calibration(&runs).effects, &names);
    let (text, status) = text_of(&effects, Factor::Operator, 1);
    assert_eq!(status, EffectStatus::Clear, "{text}");
    assert!(text.contains("stretch the wire: R +") && text.contains("L unchanged"), "{text}");
    let (text, status) = text_of(&effects, Factor::Spool, 2);
    assert_eq!(status, EffectStatus::Clear);
    assert!(text.starts_with("Spool s2 reads ") && text.contains(" high: thinner wire"), "{text}");
    assert_eq!(text_of(&effects, Factor::Winder, 0).1, EffectStatus::SingleLevel);
    assert_eq!(text_of(&effects, Factor::Design, 0).1, EffectStatus::NoDifference);
    assert_eq!(effects[0].status, EffectStatus::Clear, "what is clear comes first");
}

/// A spool that only one person ever used: neither is blamed, and the run that would tell is named.
#[test]
fn what_was_always_together_is_not_separated() {
    let mut dice = StdRng::seed_from_u64(5);
    let mut runs = Vec::new();
    for k in 0..40_u32 {
        let operator = k as usize % 2;
        let spool = if operator == 1 { 3 } else { k as usize / 2 % 3 };
        let high = if operator == 1 { 0.03 } else { 0.0 };
        let coil = [high + 0.003 * deviate(&mut dice), 0.003 * deviate(&mut dice)];
        runs.push(observations(k + 1, factor_levels(spool, operator, k as usize % 3), coil));
    }
    let effects = describe_effects(&fit_calibration(&runs).effects, &names);
    let (text, status) = text_of(&effects, Factor::Spool, 3);
    let EffectStatus::Confounded(confounding) = status else { panic!("{text}") };
    assert_eq!(confounding.with, (Factor::Operator, 1));
    assert!(text.contains("s3") && text.contains("o1"), "{text}");
    // Either the spool by the other hand, or the hand on another spool.
    let run = confounding.run.unwrap();
    let by_other = run[0] == (Factor::Spool, 3) && run[1] == (Factor::Operator, 0);
    let on_other = run[0] == (Factor::Operator, 1) && run[1].0 == Factor::Spool;
    assert!(by_other || on_other, "{run:?}");
    // Once such runs are there, they are told apart.
    for k in 0..6_u32 {
        let coil = [0.03 + 0.003 * deviate(&mut dice), 0.0];
        runs.push(observations(100 + k, factor_levels(3, 0, 0), coil));
    }
    let (text, status) =
        text_of(&describe_effects(&fit_calibration(&runs).effects, &names), Factor::Spool, 3);
    assert_eq!(status, EffectStatus::Clear, "{text}");
}

/// Pure noise: at most a few of a hundred levels are said to differ.
#[test]
fn noise_is_not_told_as_a_cause() {
    let mut dice = StdRng::seed_from_u64(11);
    let mut claimed = 0;
    let mut levels = 0;
    for _ in 0..30 {
        let runs: Vec<Observation> = (0..48_u32)
            .map(|k| {
                let coil = [0.006 * deviate(&mut dice), 0.01 * deviate(&mut dice)];
                observations(k + 1, factor_levels(k as usize % 6, k as usize % 5, k as usize % 4), coil)
            })
            .collect();
        let effects = describe_effects(&fit_calibration(&runs).effects, &names);
        levels += effects.iter().filter(|s| s.runs >= FEWEST_OF_LEVEL).count();
        claimed += effects
            .iter()
            .filter(|s| matches!(s.status, EffectStatus::Clear | EffectStatus::Confounded(_)))
            .count();
    }
    assert!(claimed * 20 <= levels, "{claimed} of {levels}");
}

/// The bands hold 90 ± 2 % of the next coils, in shops with hidden biases, whose coils and meters warm up besides: with few runs
/// a spool and with many. Other shops than these are held back.
#[rstest]
#[case(3)]
#[case(5)]
#[case(12)]
fn bands_hold_what_they_promise(#[case] runs_per_spool: usize) {
    const SHOPS: u64 = 120;
    const PER_KELVIN: f64 = 5e-4;
    let (mut inside, mut low, mut all) = ([0.0; 2], [0.0; 2], 0.0);
    for seed in 0..SHOPS {
        let mut dice = StdRng::seed_from_u64(90_000 + seed);
        let hidden = Hidden::monte_carlo(&mut dice, SPOOLS, 3, 4);
        let coil_at = |dice: &mut StdRng, c: &FactorLevels, coil_c: f64| {
            let [r, l] = hidden.coil(dice, c);
            [r + PER_KELVIN * (coil_c - 20.0), l]
        };
        let mut runs = Vec::new();
        for spool in 0..SPOOLS {
            for k in 0..runs_per_spool {
                let c = factor_levels(spool, dice.random_range(0..3), (spool + k) % 4);
                let coil_c = 18.0 + 14.0 * dice.random::<f64>();
                let coil = coil_at(&mut dice, &c, coil_c);
                let run = u32::try_from(runs.len()).unwrap() + 1;
                runs.push(Observation { coil_c: Some(coil_c), ..observations(run, c, coil) });
            }
        }
        let model = fit_calibration(&runs);
        for _ in 0..40 {
            let c =
                factor_levels(dice.random_range(0..SPOOLS), dice.random_range(0..3), dice.random_range(0..4));
            let coil_c = 18.0 + 14.0 * dice.random::<f64>();
            let coil = coil_at(&mut dice, &c, coil_c);
            let calibration = model.calibration(&c);
            all += 1.0;
            for (k, learned) in [calibration.resistance, calibration.inductance].into_iter().enumerate() {
                let learned = learned.unwrap();
                let off = coil[k] - learned.shift - learned.per_kelvin * (coil_c - 20.0);
                inside[k] += f64::from(off.abs() < 1.645 * learned.sd);
                low[k] += f64::from(off < 0.0);
            }
        }
    }
    for k in 0..2 {
        let (inside, low) = (inside[k] / all, low[k] / all);
        assert!((inside - 0.90).abs() < 0.02, "quantity {k}: in the band {inside}");
        assert!((low - 0.5).abs() < 0.05, "quantity {k}: below the middle {low}");
    }
}

/// One hand of four that stretches the wire: it is the one that differs, and nothing is said of the other three. With two of six
/// that do, it is those two.
#[rstest]
#[case(4, &[2])]
#[case(6, &[1, 4])]
fn who_differs_is_named_and_the_others_are_not(#[case] operators: usize, #[case] stretching: &[usize]) {
    for seed in 0..8 {
        let mut dice = StdRng::seed_from_u64(40 + seed);
        let runs: Vec<Observation> = (0..40 * operators)
            .zip(1..)
            .map(|(k, run)| {
                let operator = k % operators;
                let stretch = if stretching.contains(&operator) { 0.012 } else { 0.0 };
                let coil = [stretch + 0.004 * deviate(&mut dice), 0.006 * deviate(&mut dice)];
                observations(run, factor_levels(k / operators % 5, operator, 0), coil)
            })
            .collect();
        let effects = describe_effects(&fit_calibration(&runs).effects, &names);
        for operator in 0..operators {
            let (text, status) = text_of(&effects, Factor::Operator, operator as u64);
            let is_clear = status == EffectStatus::Clear;
            assert_eq!(is_clear, stretching.contains(&operator), "seed {seed}: {text}");
        }
    }
}

/// A coil with shorted turns teaches nothing about its spool.
#[test]
fn a_spoilt_coil_is_left_out() {
    let mut dice = StdRng::seed_from_u64(13);
    let (hidden, mut runs) = shop(&mut dice);
    let clean = fit_calibration(&runs).calibration(&runs[0].factor_levels).inductance.unwrap();
    runs.push(observations(900, runs[0].factor_levels, [hidden.truth(&runs[0].factor_levels)[0], -0.14]));
    let model = fit_calibration(&runs);
    let with = model.calibration(&runs[0].factor_levels).inductance.unwrap();
    assert!((clean.shift - with.shift).abs() < 1e-3, "{clean:?} {with:?}");
    assert_eq!(model.quantity(Quantity::Inductance).unwrap().outliers, [900]);
}

#[rstest]
#[case(0)]
#[case(2)]
fn with_too_few_runs_nothing_is_learned(#[case] count: u32) {
    let runs: Vec<Observation> =
        (0..count).map(|k| observations(k, factor_levels(0, 0, 0), [0.02, 0.0])).collect();
    assert!(fit_calibration(&runs).calibration(&factor_levels(0, 0, 0)).is_empty());
}

/// A model that rose when a thin spool came in: the shift is told by spool.
#[test]
fn a_shift_is_split_by_cause() {
    let mut dice = StdRng::seed_from_u64(17);
    let mut runs = Vec::new();
    for k in 0..40_u32 {
        // The thin spool also went into other designs, by both hands.
        let (design, operator) = (k as usize % 2, k as usize / 2 % 2);
        let spool = usize::from(k >= 24);
        let coil = [0.03 * spool as f64 + 0.003 * deviate(&mut dice), 0.003 * deviate(&mut dice)];
        runs.push(observations(k + 1, factor_levels(spool, operator, design), coil));
    }
    let model = fit_calibration(&runs);
    let (early, late): (Vec<&Observation>, Vec<&Observation>) = runs.iter().partition(|r| r.run <= 24);
    let shift = model.quantity(Quantity::Resistance).unwrap().shift(&early, &late).unwrap();
    assert!((shift.whole - 0.03).abs() < 0.004, "{shift:?}");
    assert_eq!(shift.parts[0].0, Factor::Spool);
    assert!(shift.parts[0].1.value > 0.02 && shift.left.abs() < 0.006, "{shift:?}");
    let whole: f64 = shift.parts.iter().map(|(_, e)| e.value).sum::<f64>() + shift.left;
    assert!((whole - shift.whole).abs() < 1e-9);
}

/// What is kept as a version predicts the same when it is read again.
#[test]
fn a_lesson_survives_being_written_down() {
    let mut dice = StdRng::seed_from_u64(19);
    let (_, runs) = shop(&mut dice);
    let model = fit_calibration(&runs);
    let again: CalibrationModel = serde_json::from_str(&serde_json::to_string(&model).unwrap()).unwrap();
    assert_eq!(model, again);
    let c = factor_levels(1, 1, 1);
    assert_eq!(model.calibration(&c), again.calibration(&c));
}
