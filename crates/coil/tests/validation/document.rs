//! The open format: what reads, what is refused, and in which words.

use coil::design::{Kind, read};
use coil::predict::predict;
use rstest::rstest;
use serde_json::{Value, json};

/// The example of docs/formats.md, which uses every part of the format.
pub const EXAMPLE: &str = include_str!("../../../../docs/examples/reed-lap-steel.json");

#[test]
fn the_example_reads_predicts_and_names_what_is_not_predicted() {
    let design = read(EXAMPLE).unwrap();
    assert_eq!(design.kind, Kind::TallSingle);
    let prediction = predict(&design).unwrap();
    let r = prediction.pickup.resistance_20c_ohm;
    assert!((5100.0..5400.0).contains(&r.nominal), "{r:?}");
    let named: Vec<&str> =
        prediction.notices.iter().filter(|n| n.code == "not-predicted-yet").map(|n| n.at.as_str()).collect();
    assert_eq!(named, ["bars[0]", "metal[0]", "metal[1]", "coils[0].wind.plan"]);
}

#[rstest]
#[case("/coils/0/wind/turns", json!(-5), "coils[0].wind.turns")]
#[case("/coils/0/wind/turnz", json!(5), "coils[0].wind")]
#[case("/coils/0/wire/gauge", json!("12 AWG"), "coils[0].wire.gauge")]
#[case("/coils/0/former/height_mm", json!(0), "coils[0].former.height_mm")]
#[case("/poles/0/coil", json!("Z"), "poles[0].coil")]
#[case("/format", json!("something-else/3"), "format")]
#[case("/wiring/join", json!("tangled"), "wiring.join")]
#[case("/room_c", json!(1e300), "room_c")]
fn what_cannot_be_is_refused_at_its_place(#[case] pointer: &str, #[case] value: Value, #[case] at: &str) {
    let mut document: Value = serde_json::from_str(EXAMPLE).unwrap();
    let (parent, key) = pointer.rsplit_once('/').unwrap();
    document.pointer_mut(parent).unwrap()[key] = value;
    let problems = read(&document.to_string()).unwrap_err();
    assert!(problems.iter().any(|p| p.at.starts_with(at)), "{problems:?}");
}

#[test]
fn all_values_out_of_range_are_named_at_once() {
    let mut document: Value = serde_json::from_str(EXAMPLE).unwrap();
    document["room_c"] = json!(99);
    document["strings"]["count"] = json!(40);
    document["coils"][0]["wind"]["turns"] = json!(0);
    let places: Vec<String> = read(&document.to_string()).unwrap_err().into_iter().map(|p| p.at).collect();
    assert_eq!(places, ["room_c", "strings.count", "coils[0].wind.turns"]);
}

#[test]
fn other_formats_parse_and_say_by_name_that_they_are_not_predicted() {
    let mut document: Value = serde_json::from_str(EXAMPLE).unwrap();
    document["kind"] = json!("twin-coil");
    let design = read(&document.to_string()).unwrap();
    let problems = predict(&design).unwrap_err();
    assert!(problems.iter().any(|p| p.at == "kind" && p.text.contains("twin coil")), "{problems:?}");
}
