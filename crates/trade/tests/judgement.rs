//! From a design and its readings to the verdict, through the engine.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

use coil::design::{Design, tall_single};
use coil::prediction::{Calibration, predict};
use coil::wire::ToleranceRange;
use rstest::rstest;
use trade::comparison::{Comparison, TolerancePolicy, as_wound};
use trade::reading::{Kind, Reading};
use trade::verdict::{Level, judge};

/// By the bare engine.
fn compare(design: &Design, readings: &[Reading]) -> Vec<Comparison> {
    trade::judgement::judge_run(design, readings, &Calibration::default(), TolerancePolicy::default())
        .comparisons
}

fn read(kind: Kind, value: f64) -> Reading {
    Reading {
        id: kind as u64 + 1,
        corrects: None,
        kind,
        pole: (kind == Kind::Flux).then_some(1),
        value: Some(value),
        coil_c: (kind == Kind::Resistance).then_some(25.0),
        test_hz: (kind == Kind::Inductance).then_some(1000.0),
        probe_mm: None,
    }
}

/// Of wire ordered from minimum to nominal: a narrow band of resistance.
fn design() -> Design {
    let mut design = tall_single("standard", 6, 10.4);
    design.coils[0].wire.range = ToleranceRange::MinimumToNominal;
    design
}

/// 7,620 turns of 42 AWG read 5.85 kΩ at 25 °C and 2.25 H (common practice, no source): the resistance is
/// in its band when corrected to 20 °C, and the inductance lies within 6 %.
#[test]
fn a_good_coil_of_the_trade() {
    let readings = [read(Kind::Turns, 7620.0), read(Kind::Resistance, 5850.0), read(Kind::Inductance, 2.25)];
    let mut design = design();
    design.coils[0].former.height_mm = 10.92;
    let found = compare(&design, &readings);
    let resistance = found.iter().find(|c| c.kind == Kind::Resistance).unwrap();
    assert!(resistance.bands.abs() < 1.0 && (resistance.measured - 5737.0).abs() < 2.0, "{resistance:?}");
    let inductance = found.iter().find(|c| c.kind == Kind::Inductance).unwrap();
    assert!(inductance.deviation.abs() < 0.06, "{inductance:?}");
}

#[rstest]
#[case(1.0, 1.0, Level::Pass, "")]
#[case(1.0, 0.84, Level::Stop, "shorted turns")]
#[case(0.94, 0.9, Level::Look, "fewer turns")]
#[case(1.055, 1.0, Level::Look, "warm")]
fn readings_and_what_they_mean(
    #[case] of_resistance: f64,
    #[case] of_inductance: f64,
    #[case] level: Level,
    #[case] cause: &str,
) {
    let expected = predict(&design()).unwrap().pickup;
    let readings = [
        read(Kind::Turns, 7500.0),
        read(Kind::Resistance, expected.resistance_20c_ohm.nominal * 1.019_65 * of_resistance),
        read(Kind::Inductance, expected.inductance_h.nominal * of_inductance),
    ];
    let verdict = judge(&compare(&design(), &readings), &readings);
    assert_eq!(verdict.level, level, "{verdict:?}");
    assert!(verdict.causes.first().map_or("", |c| c.what.as_str()).contains(cause), "{verdict:?}");
}

#[test]
fn the_turns_wound_are_what_is_judged() {
    let short = [read(Kind::Turns, 7000.0)];
    assert_eq!(as_wound(&design(), &short).coils[0].wind.turns, 7000);
    let fewer = predict(&as_wound(&design(), &short)).unwrap().pickup.resistance_20c_ohm.nominal;
    let readings = [short[0].clone(), read(Kind::Resistance, fewer * 1.019_65)];
    let found = compare(&design(), &readings);
    assert!(found[0].deviation.abs() < 1e-3, "a coil stopped early is compared with a coil stopped early");
}

#[test]
fn flux_is_compared_at_the_probe_and_polarity_is_watched() {
    // South up by design: a meter reads negative.
    let expected = coil::prediction::Solution::of(&design()).unwrap().pole_flux_mt(0.5)[0].unwrap() * 1e-3;
    assert!(expected < 0.0);
    let found = compare(&design(), &[read(Kind::Flux, expected)]);
    assert!(found[0].deviation.abs() < 1e-9 && !found[0].reversed);
    let found = compare(&design(), &[read(Kind::Flux, -expected)]);
    assert!(found[0].reversed);
    let half = compare(&design(), &[read(Kind::Flux, expected / 2.0)]);
    assert!(half[0].bands < -3.0);
}
