//! Rules that stand between a design and the bench: changes of a pickup of a set, travellers, what was learned, charts.

use coil::design::{Design, Format, starting_point};
use coil::prediction::{Calibration, predict};
use coil::set::PlacedPickup;
use rstest::rstest;
use std::collections::BTreeSet;
use trade::calibration::{Factor, FactorLevels, Observation, Quantity, fit_calibration};
use trade::comparison::capacitance_range_shows;
use trade::consistency::{individuals, moving_limits};
use trade::operation_times::is_observed;
use trade::pairing::PickupChange;
use trade::spreadsheet::SpreadsheetFormat;
use trade::sweep::Sweep;
use trade::traveller::Traveller;
use trade::verdict::{Cause, Level, Verdict};

fn of(kind: Format) -> Design {
    starting_point(kind, "Sedge", 6, 10.4)
}

/// What a change is said to reverse is what the engine finds reversed: the sense that hum is picked up in, and the sign of the
/// signal, which turns with the sense and with the polarity (law of induction).
#[rstest]
fn a_change_reverses_what_it_says(
    #[values(Format::TallSingle, Format::TwinCoil, Format::WideSingle)] kind: Format,
    #[values(
        PickupChange::SwapLeads,
        PickupChange::WindTheOtherWay,
        PickupChange::FlipMagnet,
        PickupChange::FlipMagnetAndSwapLeads
    )]
    change: PickupChange,
) {
    let placed = |design: &Design| PlacedPickup::try_new(design, &Calibration::default()).unwrap();
    let design = of(kind);
    let (before, after) = (placed(&design), placed(&change.applied(&design)));
    let leads = if change.swaps_leads() { -1.0 } else { 1.0 };
    let signal = leads * after.signal.fundamental_wb_m() / before.signal.fundamental_wb_m();
    let expected = if change.reverses_sense() == change.reverses_polarity() { 1.0 } else { -1.0 };
    assert!((signal - expected).abs() < 1e-6, "{kind:?} {change:?}: {signal}");
    // Only winding anew leaves the leads and still turns the sense.
    assert_eq!(change.reverses_sense(), change.swaps_leads() || change == PickupChange::WindTheOtherWay);
    let keeps_figures = |d: &Design| predict(d).unwrap().pickup.inductance_h.nominal;
    let ratio = keeps_figures(&change.applied(&design)) / keeps_figures(&design);
    assert!((ratio - 1.0).abs() < 1e-9, "no change of these is heard in the inductance: {ratio}");
}

/// A traveller of an assembly has what is done to the whole; one of an old pickup does not fit its poles again.
#[test]
fn travellers_are_of_what_is_made() {
    for kind in Format::ALL {
        let usual = Traveller::usual(&of(kind));
        let keys = |t: &Traveller| t.0.iter().map(|o| o.key.clone()).collect::<Vec<_>>();
        let whole = keys(&usual.clone().for_assembly());
        assert!(!whole.is_empty() && whole.iter().all(|k| keys(&usual).contains(k)), "{kind:?}");
        assert!(!whole.contains(&"wind".to_owned()), "{kind:?}: its coils are wound by themselves");
        let both = keys(&usual.clone().for_rewind_and_new());
        let once: BTreeSet<&String> = both.iter().collect();
        assert_eq!(once.len(), both.len(), "{kind:?}: each once");
        assert!(keys(&usual).iter().all(|k| both.contains(k)), "{kind:?}");
    }
    // A workshop's own, with none of the usual names, keeps its last.
    let mut own = Traveller::usual(&of(Format::TallSingle));
    for (k, operation) in own.0.iter_mut().enumerate() {
        operation.key = format!("own-{k}");
    }
    let last = own.0.last().cloned();
    assert_eq!(own.for_assembly().0.first(), last.as_ref());
}

/// Coils of one operator read 2 % high: the effect is found, against the others, and taking it off leaves nothing.
#[test]
fn an_operators_effect_is_found_and_taken_off() {
    let observation = |run: u32| {
        let operator = u64::from(run % 3);
        let noise = f64::from((run * 7) % 11) / 11.0 - 0.5;
        let high = if operator == 2 { 0.02 } else { 0.0 };
        Observation {
            run,
            factor_levels: FactorLevels::default()
                .with(Factor::Operator, Some(operator))
                .with(Factor::Spool, Some(u64::from(run % 2)))
                .with(Factor::Design, Some(1)),
            coil_c: Some(20.0),
            ratios: [Some(high + 0.002 * noise), None, None, None],
        }
    };
    let runs: Vec<Observation> = (0..60).map(observation).collect();
    let model = fit_calibration(&runs);
    let resistance = model.quantity(Quantity::Resistance).unwrap();
    assert!(model.quantity(Quantity::Inductance).is_none(), "nothing was read of it");
    assert_eq!((resistance.runs_of(Factor::Operator, 2), resistance.runs_of(Factor::Operator, 9)), (20, 0));
    let effect = resistance.effect(Factor::Operator, 2).unwrap();
    assert!((effect.value - 0.02).abs() < 0.003 && effect.sd < 0.01, "{effect:?}");
    // Set aside the others' one by one: against whoever is left it is the same.
    let beside = resistance.effect_beside(Factor::Operator, 2, &BTreeSet::from([0])).unwrap();
    assert!((beside.value - effect.value).abs() < 0.004);
    assert!(resistance.effect(Factor::Operator, 9).is_none());
    assert!(model.effect_of(Quantity::Resistance, Factor::Operator, 9).is_none());
    let told = model.effect_of(Quantity::Resistance, Factor::Operator, 2).unwrap();
    assert!((told.value - 0.02).abs() < 0.005, "{told:?}");
    for run in &runs {
        assert!(resistance.residual(run).unwrap().abs() < 0.004, "run {}", run.run);
    }
    let unread = Observation { ratios: [None; 4], ..runs[0] };
    assert!(resistance.residual(&unread).is_none());
    let of_operator =
        |level| resistance.factor_effects(&FactorLevels::default().with(Factor::Operator, Some(level)));
    assert!((of_operator(2) - of_operator(0) - 0.02).abs() < 0.004);
}

/// Moving ranges of two have D4 = 3.267 and their limits three standard deviations away (ASTM E2587, from memory).
#[test]
fn moving_ranges_have_their_limits() {
    let ranges = [1.0, 3.0, 2.0];
    let limits = moving_limits(&ranges).unwrap();
    assert!((limits.centre - 2.0).abs() < 1e-12 && (limits.upper - 3.267 * 2.0).abs() < 0.01);
    assert!(limits.lower.abs() < 1e-12);
    assert!(moving_limits(&[]).is_none() && moving_limits(&[0.0, 0.0]).is_none());
    let (of_values, of_ranges) = individuals(&[5.0, 6.0, 3.0, 5.0, 6.0, 3.0, 5.0, 6.0, 3.0, 5.0]).unwrap();
    assert!((of_ranges.centre - 2.0).abs() < 1e-12);
    assert!(
        (of_values.upper - of_values.centre - 2.66 * 2.0).abs() < 0.01,
        "2.66 mean ranges to either side"
    );
}

/// Signatures one right after the other at the end say nothing of how long anything took, nor does one left over a night.
#[rstest]
#[case(0.05, false)]
#[case(0.5, true)]
#[case(45.0, true)]
#[case(60.0 * 14.0, false)]
#[case(-3.0, false)]
fn times_are_believed_where_somebody_worked(#[case] minutes: f64, #[case] is_believed: bool) {
    assert_eq!(is_observed(minutes), is_believed);
}

/// A sweep is told against its low end: the level at 80 Hz, or the first above.
#[rstest]
#[case(vec![20.0, 80.0, 5000.0], vec![3.0, 2.0, 9.0], vec![1.0, 0.0, 7.0])]
#[case(vec![100.0, 5000.0], vec![-40.0, -33.0], vec![0.0, 7.0])]
#[case(vec![20.0, 40.0], vec![5.0, 6.0], vec![0.0, 1.0])]
fn a_sweep_is_told_against_its_low_end(#[case] hz: Vec<f64>, #[case] db: Vec<f64>, #[case] told: Vec<f64>) {
    assert_eq!(Sweep { hz, db, input: None }.against_low_end().db, told);
}

/// What separates columns is never what separates decimals.
#[test]
fn columns_are_parted_by_another_sign() {
    for format in [SpreadsheetFormat::Point, SpreadsheetFormat::Comma] {
        let number = format.number("5.75");
        assert!(!number.contains(char::from(format.delimiter())), "{number}");
    }
}

/// On a finished coil a capacitance range reads the inductance: −1/(ω²L) or so, and nothing of the coil's own picofarads.
#[test]
fn a_capacitance_range_reads_the_inductance() {
    let prediction = predict(&of(Format::TallSingle)).unwrap();
    let hz = 1000.0;
    let omega = 2.0 * std::f64::consts::PI * hz;
    let shown = capacitance_range_shows(&prediction, hz);
    let expected = 1.0 / (omega * omega * prediction.pickup.inductance_1khz_h.nominal);
    assert!((shown.abs() / expected - 1.0).abs() < 0.6, "{shown} {expected}");
    assert!(shown.abs() > 50.0 * prediction.pickup.capacitance_f.nominal);
}

/// A line has the likeliest cause and the runner-up with what they weigh; none without causes.
#[test]
fn a_verdict_in_a_line() {
    let cause = |what: &str, probability| Cause {
        what: what.into(),
        next_test: String::new(),
        probability,
        fault: None,
    };
    let line = |causes: Vec<Cause>| {
        Verdict { level: Level::Look, text: "R is low.".into(), causes, missed: Vec::new() }.in_a_line()
    };
    assert_eq!(line(Vec::new()), "R is low.");
    let one = line(vec![cause("a short", None)]);
    assert!(one.contains("a short") && !one.contains('%'));
    let two =
        line(vec![cause("a short", Some(0.7)), cause("fewer turns", Some(0.2)), cause("cold", Some(0.1))]);
    assert!(two.contains("(70 %)") && two.contains("(20 %)") && !two.contains("cold"), "{two}");
}
