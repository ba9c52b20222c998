//! The open format: what reads, what is refused, and in which words.

use coil::design::{Format, read};
use coil::prediction::{Level, predict};
use rstest::rstest;
use serde_json::{Value, json};

/// The example of docs/formats.md, which uses every part of the format.
pub(crate) const EXAMPLE: &str = include_str!("../../../../docs/examples/reed-lap-steel.json");

#[test]
fn the_example_reads_and_predicts() {
    let design = read(EXAMPLE).unwrap();
    assert_eq!(design.kind, Format::TallSingle);
    let prediction = predict(&design).unwrap();
    let r = prediction.pickup.resistance_20c_ohm;
    assert!((5100.0..5400.0).contains(&r.nominal), "{r:?}");
    assert!(prediction.notices.iter().all(|n| n.level != Level::Stop), "{:?}", prediction.notices);
    assert!(prediction.circuit.relaxations.iter().any(|r| r.strength_hs > 0.0), "the cover damps");
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

/// Hostile or absurd documents are refused in words; none panics or hangs.
#[rstest]
#[case("")]
#[case("null")]
#[case("[]")]
#[case("\"filamentum-design/1\"")]
#[case("{\"format\": 7}")]
#[case("{\"format\": \"filamentum-design/1\"}")]
#[case(
    "{\"format\": \"filamentum-design/1\", \"name\": \"x\", \"kind\": \"tall-single\", \"strings\": {\"count\": 1e99, \"pitch_mm\": 10}, \"coils\": []}"
)]
fn hostile_documents_are_refused(#[case] text: &str) {
    assert!(!read(text).unwrap_err().is_empty());
}

#[test]
fn deep_nesting_is_refused() {
    let deep = "[".repeat(100_000);
    assert!(!read(&deep).unwrap_err().is_empty());
}

#[rstest]
#[case("/strings/each/0/gap_mm", json!(-1), "strings.each[0].gap_mm")]
#[case("/strings/pitch_mm", json!(0.1), "strings.pitch_mm")]
#[case("/coils/0/former/core/width_mm", json!(-4), "coils[0].former.core")]
#[case("/coils/0/former/core/shape", json!("round"), "coils[0].former.core.width_mm")]
#[case("/coils/0/wire/spool/ohm_per_m", json!(0), "coils[0].wire.spool.ohm_per_m")]
#[case("/coils/0/wind/packing", json!(3), "coils[0].wind.packing")]
#[case("/coils/0/wind/tension_n", json!(99), "coils[0].wind.tension_n")]
#[case("/poles/0/string", json!(12), "poles[0].string")]
#[case("/poles/0/charge", json!(1.5), "poles[0].charge")]
#[case("/poles/0/material", json!({"mu_r": 0.2}), "poles[0].material.mu_r")]
#[case("/bars/0/size_mm", json!([1, 2, -3]), "bars[0].size_mm")]
#[case("/metal/0/size_mm", json!([1, 2, 1e6]), "metal[0].size_mm")]
#[case("/metal/1/wall_mm", json!(0), "metal[1].wall_mm")]
#[case("/load/volume_kohm", json!(0), "load.volume_kohm")]
#[case("/load/cable_pf", json!(-1), "load.cable_pf")]
#[case("/aims/resistance_ohm", json!([6000, 5000]), "aims.resistance_ohm")]
#[case("/wiring/sense", json!({"Q": "start-to-ground"}), "wiring.sense.Q")]
fn values_out_of_range_are_refused_at_their_place(
    #[case] pointer: &str,
    #[case] value: Value,
    #[case] at: &str,
) {
    let mut document: Value = serde_json::from_str(EXAMPLE).unwrap();
    let (parent, key) = pointer.rsplit_once('/').unwrap();
    document.pointer_mut(parent).unwrap()[key] = value;
    let problems = read(&document.to_string()).unwrap_err();
    assert!(problems.iter().any(|p| p.at.starts_with(at)), "{problems:?}");
    assert!(problems.iter().all(|p| !p.text.is_empty() && !p.try_.is_empty()));
}

#[test]
fn poles_do_not_stand_in_one_another() {
    let mut document: Value = serde_json::from_str(EXAMPLE).unwrap();
    let mut second = document["poles"][0].clone();
    second["x_mm"] = json!(second["x_mm"].as_f64().unwrap() + 2.0);
    document["poles"].as_array_mut().unwrap().push(second);
    assert!(read(&document.to_string()).unwrap_err().iter().any(|p| p.at == "poles[1].x_mm"));
}

/// A guide's own path: two points at least, turns that rise, heights between the flanges; each fault by its place.
#[rstest]
#[case(json!([[0, 0.5]]), "coils[0].wind.path")]
#[case(json!([[0, 0.5], [100, 1.5]]), "coils[0].wind.path[1][1]")]
#[case(json!([[50, 0.5], [50, 0.6]]), "coils[0].wind.path[1][0]")]
#[case(json!([[0, 0.5], [1e9, 0.6]]), "coils[0].wind.path[1][0]")]
fn a_path_of_the_guide(#[case] path: serde_json::Value, #[case] place: &str) {
    let mut value = serde_json::to_value(coil::design::reference_coil()).unwrap();
    value["coils"][0]["wind"]["path"] = path;
    let problems = coil::design::read_value(value.clone()).unwrap_err();
    assert_eq!(problems.iter().map(|p| p.at.as_str()).collect::<Vec<_>>(), [place]);
    value["coils"][0]["wind"]["path"] = json!([[0, 0.1], [120, 0.9], [240, 0.1]]);
    value["coils"][0]["wind"]["wander"] = json!(0);
    let design = coil::design::read_value(value).unwrap();
    // The guide follows it: nothing above nine tenths of the height but its play.
    let (plan, _) = coil::prediction::lay_coil(&design, 0).unwrap();
    let highest = plan.path().into_iter().fold(0.0, f64::max);
    assert!(highest < 0.91 * plan.height_m && highest > 0.88 * plan.height_m, "{highest}");
}
