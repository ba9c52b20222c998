//! Numbers as they are written and read.

use super::{of, solved};
use coil::design::Format;
use coil::quantity::{Measure, Units};
use coil::search::Goal;
use presentation::figures::Figure;
use presentation::form_fields::{Errors, FormFields};
use presentation::format::{self, KILOHERTZ, PERCENT, Scale};
use presentation::read::{farads, measured, plain};
use presentation::search_form::read_search;
use presentation::spreadsheet::unformulated;
use rstest::rstest;
use time::macros::datetime;

/// What rounds to nothing has no minus before it.
#[rstest]
#[case(0.0123, 1, "+1.2 %")]
#[case(-0.0123, 1, "−1.2 %")]
#[case(-0.0004, 1, "0.0 %")]
#[case(0.0, 0, "0 %")]
#[case(-0.004, 0, "0 %")]
#[case(0.0004, 1, "0.0 %")]
fn a_signed_per_cent(#[case] ratio: f64, #[case] decimals: usize, #[case] text: &str) {
    assert_eq!(format::signed_percent(ratio, decimals), text);
}

#[rstest]
#[case(1.25, 1, "+1.2 dB")]
#[case(-12.0, 1, "−12.0 dB")]
#[case(-0.04, 1, "0.0 dB")]
#[case(0.0, 2, "0.00 dB")]
fn a_signed_level(#[case] db: f64, #[case] decimals: usize, #[case] text: &str) {
    assert_eq!(format::signed_db(db, decimals), text);
}

#[test]
fn a_logarithm_is_shown_as_a_ratio() {
    assert_eq!(format::signed_percent_of_ln(1.02_f64.ln(), 1), "+2.0 %");
    assert_eq!(format::signed_percent_of_ln(0.5_f64.ln(), 0), "−50 %");
}

#[test]
fn counts_and_sums() {
    assert_eq!(format::counted(1_u32, "run"), "1 run");
    assert_eq!(format::counted(0_usize, "run"), "0 runs");
    assert_eq!(format::counted(12_000_u64, "turn"), "12\u{202f}000 turns");
    assert_eq!((format::money(2.5), format::turns(-4.0)), ("2.50".into(), "0".into()));
    assert_eq!(format::plain(2.50, 3), "2.5");
    assert_eq!(PERCENT.text(0.125), "12.5\u{a0}%");
    assert!((KILOHERTZ.scaled(4321.0) - 4.321).abs() < 1e-12);
    assert_eq!(format::iso(datetime!(2031-01-02 03:04:05)), "2031-01-02T03:04:05Z");
}

/// Lengths and flux in every unit say the same thing.
#[test]
fn a_scale_follows_the_units() {
    let metric = Units::default();
    let inches = Units { length: coil::quantity::LengthUnit::Inch, ..metric };
    assert!((Scale::length(metric).scaled(0.0254) - 25.4).abs() < 1e-9);
    assert!((Scale::length(inches).scaled(0.0254) - 1.0).abs() < 1e-9);
    let gauss = Units { flux: coil::quantity::FluxUnit::Gauss, ..metric };
    assert!((Scale::flux(gauss).scaled(0.1) - 1000.0).abs() < 1e-9, "a tesla is 10,000 gauss (SI brochure)");
}

/// Every figure is the one of that name in the prediction's document.
#[test]
fn a_figure_is_what_the_document_calls_so() {
    let (_, prediction) = solved(&of(Format::TwinCoil));
    let document = serde_json::to_value(&prediction.pickup).unwrap();
    for figure in Figure::ALL {
        let shown = figure.find_in(&prediction.pickup).unwrap();
        assert_eq!(document[figure.quantity()]["nominal"], shown.nominal, "{figure:?}");
        assert!(shown.p05 <= shown.nominal && shown.nominal <= shown.p95, "{figure:?}");
        assert!(!figure.label().is_empty() && !figure.scale().number(shown.nominal).is_empty());
    }
    assert!(Figure::from_key("no such figure").is_none());
}

/// What a search aims at is a figure with a target of that name in the document of targets.
#[rstest]
#[case(Goal::Resistance)]
#[case(Goal::Inductance)]
#[case(Goal::Capacitance)]
#[case(Goal::Peak)]
#[case(Goal::PeakHeight)]
#[case(Goal::Output)]
fn a_goal_has_its_target(#[case] goal: Goal) {
    let key = Figure::from(goal).target_key().unwrap();
    let targets = serde_json::json!({ key: [1.0, 2.0] });
    let targets: coil::design::Targets = serde_json::from_value(targets).unwrap();
    assert!(Figure::from(goal).target(&targets).is_some());
    assert!(Figure::from(goal).target(&coil::design::Targets::default()).is_none());
}

/// Decibels are typed as any number is: with a comma, a true minus, and with or without their unit.
#[rstest]
#[case("+2", 2.0)]
#[case("-1.5", -1.5)]
#[case("−1,5 dB", -1.5)]
#[case("3dB", 3.0)]
#[case("0.5 DB", 0.5)]
fn decibels_are_read(#[case] typed: &str, #[case] db: f64) {
    let form: FormFields = [
        ("search_turns_from", "6000"),
        ("search_turns_to", "9000"),
        ("search_gauges", "0"),
        ("search_output_from", typed),
    ]
    .into_iter()
    .collect();
    let (targets, _) = read_search(&form).unwrap();
    assert!((targets[0].from - db).abs() < 1e-12, "{targets:?}");
}

#[rstest]
#[case("47", 47e-12)]
#[case("47 pF", 47e-12)]
#[case("0.1 nF", 100e-12)]
#[case("22n", 22e-9)]
fn farads_are_read(#[case] typed: &str, #[case] value: f64) {
    assert!((farads(typed).unwrap() / value - 1.0).abs() < 1e-9);
}

/// A value is allowed up to what the field itself shows as its end, and told back at the field when it is beyond.
#[test]
fn the_ends_of_a_range_can_be_typed() {
    let inches = Units { length: coil::quantity::LengthUnit::Inch, ..Units::default() };
    for (typed, fits) in
        [("1.9685", true), ("0.03937", true), ("2", false), ("0.03", false), ("1.9 cm", true)]
    {
        let form: FormFields = [("height", typed)].into_iter().collect();
        let mut errors = Errors::new();
        let read = measured(&form, &mut errors, "height", (1.0, 50.0), (Measure::Length, inches));
        assert_eq!((read.is_some(), errors.is_empty()), (fits, fits), "{typed}");
        assert!(read.is_none_or(|mm| (1.0..=50.0).contains(&mm)));
    }
    assert!(plain("").is_err() && plain("x").is_err());
}

#[rstest]
#[case("=1+1", true)]
#[case("\u{feff}=1+1", true)]
#[case("  @sum", true)]
#[case("－2", true)]
#[case("K-7", false)]
#[case("", false)]
fn no_text_becomes_a_formula(#[case] text: &str, #[case] is_marked: bool) {
    let kept = unformulated(text);
    assert_eq!(kept.starts_with('\''), is_marked, "{kept}");
    assert!(kept.ends_with(text));
}
