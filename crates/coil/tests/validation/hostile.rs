//! Documents from someone who means harm, or no care: nothing panics, nothing hangs, sizes are bounded.

use coil::design::{Design, Format, LONGEST_BYTES, read, starting_point};
use coil::prediction::predict;
use proptest::prelude::*;
use serde_json::{Value, json};

const EXAMPLE: &str = include_str!("../../../../docs/examples/reed-lap-steel.json");

/// Every place in a document, as JSON pointers.
fn places(value: &Value, at: &str, found: &mut Vec<String>) {
    found.push(at.to_owned());
    match value {
        Value::Object(object) => object.iter().for_each(|(k, v)| places(v, &format!("{at}/{k}"), found)),
        Value::Array(list) => {
            list.iter().enumerate().for_each(|(i, v)| places(v, &format!("{at}/{i}"), found));
        }
        _ => {}
    }
}

fn anything() -> impl Strategy<Value = Value> {
    prop_oneof![
        any::<f64>().prop_map(|v| json!(v)),
        Just(json!(1e308)),
        Just(json!(-1e-308)),
        Just(json!(0)),
        Just(json!(-1)),
        any::<u64>().prop_map(|v| json!(v)),
        Just(Value::Null),
        Just(json!([])),
        Just(json!({})),
        Just(json!("")),
        ".{0,40}".prop_map(|v| json!(v)),
        Just(json!([[[[[]]]]])),
        any::<bool>().prop_map(|v| json!(v)),
        (0.01..300.0f64).prop_map(|v| json!(v)),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// Any three places of a good document replaced by anything: an answer or a refusal, never a panic; what is answered
    /// is finite.
    #[test]
    fn a_document_gone_wrong(picks in prop::collection::vec((any::<prop::sample::Index>(), anything()), 1..4)) {
        let mut document: Value = serde_json::from_str(EXAMPLE).unwrap();
        for (pick, value) in picks {
            let mut all = Vec::new();
            places(&document, "", &mut all);
            let at = all[pick.index(all.len())].clone();
            if let Some(place) = document.pointer_mut(&at) {
                *place = value;
            }
        }
        match read(&document.to_string()) {
            Err(problems) => prop_assert!(!problems.is_empty() && problems.len() <= 100),
            Ok(design) => finite(&design)?,
        }
    }

    /// Text that is no document at all.
    #[test]
    fn noise(text in ".{0,200}") {
        prop_assert!(read(&text).is_err());
    }

    /// Sound ranges in odd company: every number anywhere in its allowed range.
    #[test]
    fn odd_but_allowed(
        kind in prop::sample::select(Format::ALL.to_vec()),
        strings in 4u32..=10,
        pitch in 3.0..20.0f64,
        turns in 10u32..20_000,
        height in 0.5..60.0f64,
        room in 0.1..60.0f64,
        length in 0.5..80.0f64,
        bottom in -100.0..100.0f64,
        mu in 1.0..1e5f64,
        gap in 0.3..20.0f64,
        wander in 0.0..2.0f64,
        packing in prop::option::of(0.3..1.15f64),
    ) {
        let mut design = starting_point(kind, "odd", strings, pitch);
        for coil in &mut design.coils {
            coil.wind.turns = turns;
            coil.former.height_mm = height;
            coil.former.room_mm = room;
            coil.wind.wander = wander;
            coil.wind.packing = packing;
            coil.wind.margin_mm = coil.wind.margin_mm.min(height / 2.0);
        }
        for pole in &mut design.poles {
            (pole.length_mm, pole.bottom_mm) = (length, bottom);
            if !pole.material.is_magnet() {
                pole.material = serde_json::from_value(json!({ "mu_r": mu })).unwrap();
            }
        }
        design.strings.each = vec![serde_json::from_value(json!({ "diameter_mm": 0.4, "gap_mm": gap })).unwrap()];
        if design.problems().is_empty() {
            finite(&design)?;
        }
    }
}

/// Ten strings over six millimetres too many, where what one coil links of the last string cancels: the band of the output
/// had no end.
#[test]
fn a_string_whose_linkage_cancels_has_a_band() {
    let mut design = starting_point(Format::TwinCoil, "odd", 10, 16.608_623_806_902_813);
    for coil in &mut design.coils {
        coil.wind.turns = 13_238;
        coil.former.height_mm = 11.998_449_448_165_89;
        coil.former.room_mm = 0.1;
        coil.wind.wander = 0.0;
        coil.wind.packing = Some(0.394_784_917_058_724);
    }
    for pole in &mut design.poles {
        (pole.length_mm, pole.bottom_mm) = (25.980_480_383_797_17, -24.167_764_713_667_89);
        if !pole.material.is_magnet() {
            pole.material = serde_json::from_value(json!({ "mu_r": 9_219.252_221_197_496 })).unwrap();
        }
    }
    design.strings.each = vec![serde_json::from_value(json!({ "diameter_mm": 0.4, "gap_mm": 0.3 })).unwrap()];
    let prediction = predict(&design).unwrap();
    for string in &prediction.strings {
        let band = string.output_mv;
        assert!(band.p95 < 20.0 * band.nominal && band.p05 > 0.0, "string {}: {band:?}", string.string);
    }
}

/// A prediction of it, or a refusal, holds no number that is none.
fn finite(design: &Design) -> Result<(), TestCaseError> {
    if let Ok(prediction) = predict(design) {
        let text = serde_json::to_string(&prediction).unwrap();
        // JSON has no NaN: serde writes null for it, and null stands for the hum of one coil alone and for a peak that is none.
        let mut value: Value = serde_json::from_str(&text).unwrap();
        value["pickup"]["hum_rejection_db"] = json!(0);
        if prediction.pickup.peak_hz.is_none() {
            value["pickup"]["peak_hz"] = json!(0);
        }
        let mut all = Vec::new();
        places(&value, "", &mut all);
        for at in all {
            prop_assert!(!value.pointer(&at).is_some_and(Value::is_null), "{at} is no number");
        }
    }
    Ok(())
}

#[test]
fn sizes_are_bounded() {
    let long =
        format!("{{\"format\": \"filamentum-design/1\", \"name\": \"{}\"}}", "x".repeat(LONGEST_BYTES));
    assert!(read(&long).unwrap_err()[0].text.contains("bytes"));
    assert!(!read(&"{\"a\":".repeat(200_000)).unwrap_err().is_empty());
    // A document within the limit with more parts than can be computed is refused before anything is.
    let mut design = serde_json::to_value(starting_point(Format::TallSingle, "many", 6, 10.0)).unwrap();
    let bar =
        json!({ "material": "alnico-5", "size_mm": [1, 1, 1], "center_mm": [0, 0, 0], "magnetised": "x" });
    design["bars"] = Value::Array(vec![bar; 2000]);
    assert!(read(&design.to_string()).unwrap_err().iter().any(|p| p.at == "bars"));
    let pole = design["poles"][0].clone();
    design["bars"] = json!([]);
    design["poles"] = Value::Array(vec![pole; 3000]);
    assert!(!read(&design.to_string()).unwrap_err().is_empty());
}

/// Parts within their limits, each by itself, that would keep a machine busy for minutes together.
#[test]
fn a_huge_design_is_refused_at_once() {
    let part = |k: i32, material: &str, wall: Value| {
        json!({ "part": if wall.is_null() { "plate" } else { "cover" }, "material": material, "wall_mm": wall,
                "size_mm": [150, 150, if wall.is_null() { 3 } else { 80 }], "center_mm": [0, 0, -15 - 6 * k] })
    };
    for (material, wall) in [("mild-steel-1010", Value::Null), ("brass", json!(0.3))] {
        let mut design = serde_json::to_value(starting_point(Format::TallSingle, "huge", 6, 10.0)).unwrap();
        design["metal"] = (0..24).map(|k| part(k, material, wall.clone())).collect();
        let design = coil::design::read(&design.to_string()).unwrap();
        assert_eq!(predict(&design).unwrap_err()[0].at, "metal");
    }
    // Every format by itself is far below.
    for kind in Format::ALL {
        assert!(predict(&starting_point(kind, "usual", 10, 10.0)).is_ok(), "{kind:?}");
    }
}

/// A deep, wide and contradictory document names everything at once.
#[test]
fn every_error_at_once() {
    let mut document: Value = serde_json::from_str(EXAMPLE).unwrap();
    document["colour"] = json!("red");
    document["coils"][0]["wind"]["turnz"] = json!(5);
    document["coils"][0]["former"]["core"]["shape"] = json!("star");
    document["strings"]["pitch_mm"] = json!("wide");
    document["poles"][0].as_object_mut().unwrap().remove("material");
    document["coils"][0]["wire"]["gauge"] = json!("fat");
    let places: Vec<String> = read(&document.to_string()).unwrap_err().into_iter().map(|p| p.at).collect();
    for at in [
        "colour",
        "coils[0].wind.turnz",
        "coils[0].former.core.shape",
        "strings.pitch_mm",
        "poles[0].material",
        "coils[0].wire.gauge",
    ] {
        assert!(places.iter().any(|p| p == at), "{at} in {places:?}");
    }
    // Strangers out, the values are looked at in the same breath.
    let mut document: Value = serde_json::from_str(EXAMPLE).unwrap();
    document["colour"] = json!("red");
    document["room_c"] = json!(99);
    let places: Vec<String> = read(&document.to_string()).unwrap_err().into_iter().map(|p| p.at).collect();
    assert_eq!(places, ["colour", "room_c"]);
}
