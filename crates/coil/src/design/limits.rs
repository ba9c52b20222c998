//! The one table of limits: what the engine checks, what the schema states, and what forms accept.

use std::collections::HashMap;
use std::sync::LazyLock;

/// The range that a number of the document may have.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Limit {
    /// Its place, without the numbers of lists: `coils[].wind.turns`.
    pub place: &'static str,
    /// The least value, in the document's unit.
    pub low: f64,
    /// The greatest.
    pub high: f64,
    /// The document's unit; empty for ratios and counts.
    pub unit: &'static str,
}

const fn limit(place: &'static str, low: f64, high: f64, unit: &'static str) -> Limit {
    Limit { place, low, high, unit }
}

/// All limits. Some values are limited further by others: a guide margin by the winding height, for one.
pub const LIMITS: &[Limit] = &[
    limit("room_c", -20.0, 60.0, "°C"),
    limit("strings.count", 4.0, 10.0, ""),
    limit("strings.pitch_mm", 4.0, 30.0, "mm"),
    limit("strings.scale_mm", 200.0, 1200.0, "mm"),
    limit("strings.from_bridge_mm", 1.0, 1200.0, "mm"),
    limit("strings.each[].diameter_mm", 0.1, 3.0, "mm"),
    limit("strings.each[].core_mm", 0.1, 3.0, "mm"),
    limit("strings.each[].gap_mm", 0.3, 20.0, "mm"),
    limit("coils[].center_mm[]", -500.0, 500.0, "mm"),
    limit("coils[].base_mm", -100.0, 100.0, "mm"),
    limit("coils[].former.core.length_mm", 0.5, 200.0, "mm"),
    limit("coils[].former.core.width_mm", 0.5, 200.0, "mm"),
    limit("coils[].former.core.corner_mm", 0.0, 100.0, "mm"),
    limit("coils[].former.height_mm", 0.5, 60.0, "mm"),
    limit("coils[].former.room_mm", 0.1, 60.0, "mm"),
    limit("coils[].former.flange_bottom_mm", 0.1, 20.0, "mm"),
    limit("coils[].former.flange_top_mm", 0.1, 20.0, "mm"),
    limit("coils[].wire.spool.bare_mm", 0.015, 0.4, "mm"),
    limit("coils[].wire.spool.overall_mm", 0.015, 0.5, "mm"),
    limit("coils[].wire.spool.ohm_per_m", 0.2, 100.0, "Ω/m"),
    limit("coils[].wire.spool.at_c", -20.0, 60.0, "°C"),
    limit("coils[].wire.spool.left_m", 0.0, 1e6, "m"),
    limit("coils[].wind.turns", 10.0, 50_000.0, "turns"),
    limit("coils[].wind.turns_per_pass", 1.0, 5000.0, "turns"),
    limit("coils[].wind.wander", 0.0, 2.0, ""),
    limit("coils[].wind.margin_mm", 0.0, 30.0, "mm"),
    limit("coils[].wind.tension_n", 0.0, 5.0, "N"),
    limit("coils[].wind.packing", 0.3, 1.15, ""),
    limit("coils[].wind.plan[].until_turn", 1.0, 50_000.0, "turns"),
    limit("poles[].x_mm", -250.0, 250.0, "mm"),
    limit("poles[].y_mm", -100.0, 100.0, "mm"),
    limit("poles[].diameter_mm", 0.5, 40.0, "mm"),
    limit("poles[].length_mm", 0.5, 80.0, "mm"),
    limit("poles[].bottom_mm", -100.0, 100.0, "mm"),
    limit("poles[].bevel_mm", 0.0, 20.0, "mm"),
    limit("poles[].charge", 0.0, 1.0, ""),
    limit("bars[].size_mm[]", 0.05, 500.0, "mm"),
    limit("bars[].center_mm[]", -500.0, 500.0, "mm"),
    limit("bars[].charge", 0.0, 1.0, ""),
    limit("metal[].size_mm[]", 0.05, 500.0, "mm"),
    limit("metal[].center_mm[]", -500.0, 500.0, "mm"),
    limit("metal[].wall_mm", 0.05, 10.0, "mm"),
    limit("potting.fill", 0.0, 1.0, ""),
    limit("leads.length_mm", 0.0, 10_000.0, "mm"),
    limit("leads.pf_per_m", 0.0, 1000.0, "pF/m"),
    limit("wiring.foil_gap_mm", 0.05, 20.0, "mm"),
    limit("load.volume_kohm", 1.0, 1e5, "kΩ"),
    limit("load.volume_at", 0.01, 1.0, ""),
    limit("load.tone_kohm", 0.0, 1e5, "kΩ"),
    limit("load.tone_at", 0.0, 1.0, ""),
    limit("load.tone_nf", 0.0, 1000.0, "nF"),
    limit("load.cable_pf", 0.0, 10_000.0, "pF"),
    limit("load.input_mohm", 0.001, 1000.0, "MΩ"),
    limit("aims.resistance_ohm[]", 1.0, 1e6, "Ω"),
    limit("aims.inductance_h[]", 1e-4, 100.0, "H"),
    limit("aims.capacitance_f[]", 1e-13, 1e-6, "F"),
    limit("aims.peak_hz[]", 100.0, 1e5, "Hz"),
    limit("aims.resonance_unloaded_hz[]", 100.0, 1e6, "Hz"),
    limit("aims.peak_db[]", -20.0, 60.0, "dB"),
    limit("aims.output_db[]", -60.0, 60.0, "dB"),
    limit("aims.output_mv[]", 0.0, 1e5, "mV"),
];

/// The smallest amount beside none, as a share of the largest that is allowed: no caliper or meter shows less, and what is as
/// good as nothing is a divisor further along.
const SMALLEST_SHARE: f64 = 1e-9;

/// Why a value is outside of a range, and what to do about it; `None` inside. Of what cannot be negative, what is too small to
/// count is outside as well.
pub(crate) fn out_of_range(value: f64, low: f64, high: f64, unit: &str) -> Option<(String, String)> {
    let unit = if unit.is_empty() { String::new() } else { format!(" {unit}") };
    if low >= 0.0 && value > 0.0 && value < SMALLEST_SHARE * high {
        let try_ = "write 0, or an amount that can be measured".to_owned();
        return Some((format!("{value:e}{unit} is too small to count"), try_));
    }
    // Written so that NaN is outside.
    (!(value >= low && value <= high))
        .then(|| (format!("{value}{unit} is out of range"), format!("between {low} and {high}{unit}")))
}

/// The limit at a place of a document, with or without the numbers of lists; `None` where a number has none.
///
/// ```
/// use coil::design::limit_at;
///
/// assert_eq!(limit_at("coils[1].wind.turns").map(|l| (l.low, l.high)), Some((10.0, 50_000.0)));
/// assert!(limit_at("name").is_none());
/// ```
#[must_use]
pub fn limit_at(place: &str) -> Option<&'static Limit> {
    static BY_PLACE: LazyLock<HashMap<&str, &Limit>> =
        LazyLock::new(|| LIMITS.iter().map(|limit| (limit.place, limit)).collect());
    if !place.contains('[') {
        return BY_PLACE.get(place).copied();
    }
    let mut plain = String::with_capacity(place.len());
    let mut is_inside = false;
    for letter in place.chars() {
        is_inside = (is_inside || letter == '[') && letter != ']';
        if !is_inside || letter == '[' {
            plain.push(letter);
        }
    }
    BY_PLACE.get(plain.as_str()).copied()
}

/// A target by what it asks: an end that stands at the end of what is allowed asks nothing, and is infinite here. So a target can have
/// one end only, "at least" or "at most", while documents keep two numbers. `key` is the target's key, such as `resistance_ohm`.
///
/// ```
/// use coil::design::target_ends;
///
/// assert_eq!(target_ends("peak_hz", [3000.0, 1e5]), [3000.0, f64::INFINITY]);
/// assert_eq!(target_ends("inductance_h", [2.0, 2.4]), [2.0, 2.4]);
/// ```
#[must_use]
pub fn target_ends(key: &str, [from, to]: [f64; 2]) -> [f64; 2] {
    let Some(limit) = limit_at(&format!("aims.{key}[]")) else { return [from, to] };
    let open = |is_open: bool, end: f64, infinite: f64| if is_open { infinite } else { end };
    [open(from <= limit.low, from, f64::NEG_INFINITY), open(to >= limit.high, to, f64::INFINITY)]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Design, Format, Metal, Step, schema, starting_point};
    use serde_json::{Value, json};

    /// What is as good as nothing is refused at its place, whatever place of the table that is: a divisor further along would be none.
    #[test]
    fn what_is_too_small_to_count_is_refused_everywhere() {
        let whole: Design = serde_json::from_value(full()).unwrap();
        assert!(whole.problems().is_empty(), "{:?}", whole.problems());
        let mut tried = 0;
        for limit in LIMITS.iter().filter(|limit| limit.low >= 0.0) {
            for tiny in [5e-324, 1e-310, 1e-200] {
                let mut value = full();
                let pointer = format!("/{}", limit.place.replace("[]", "/0").replace('.', "/"));
                let Some(place) = value.pointer_mut(&pointer).filter(|place| place.is_f64()) else {
                    continue;
                };
                *place = json!(tiny);
                let Ok(design) = serde_json::from_value::<Design>(value) else { continue };
                tried += 1;
                assert!(!design.problems().is_empty(), "{} = {tiny:e}", limit.place);
            }
        }
        assert!(tried > 60, "{tried}");
        let mut load = whole;
        load.load.tone_nf = 1e-200;
        assert_eq!(load.problems()[0].at, "load.tone_nf");
    }

    /// A design that has something at every place of the table.
    fn full() -> Value {
        let mut design = starting_point(Format::WideSingle, "Sedge", 6, 10.0);
        for step in [Step::EachString, Step::AddMetal, Step::AddStage(0)] {
            step.apply(&mut design).unwrap();
        }
        for metal in &mut design.metal {
            *metal = Metal { wall_mm: Some(0.5), ..metal.clone() };
        }
        let mut value = serde_json::to_value(&design).unwrap();
        value["aims"] = json!({});
        for limit in LIMITS.iter().filter(|l| l.place.starts_with("aims.")) {
            let key = limit.place.trim_start_matches("aims.").trim_end_matches("[]");
            value["aims"][key] = json!([limit.low, limit.high]);
        }
        value["coils"][0]["wire"]["spool"] =
            json!({ "bare_mm": 0.06, "overall_mm": 0.07, "ohm_per_m": 5.0, "at_c": 20.0, "left_m": 10.0 });
        value["leads"]["pf_per_m"] = json!(42.0);
        value["wiring"]["foil_gap_mm"] = json!(0.3);
        value["poles"][0]["bevel_mm"] = json!(0.2);
        value["poles"][0]["y_mm"] = json!(0.1);
        value["load"]["volume_at"] = json!(0.5);
        value["load"]["tone_at"] = json!(0.5);
        value["coils"][0]["wind"]["turns_per_pass"] = json!(100.0);
        value["coils"][0]["wind"]["tension_n"] = json!(0.2);
        value["coils"][0]["wind"]["packing"] = json!(0.8);
        value["coils"][0]["former"]["core"]["corner_mm"] = json!(0.1);
        value["strings"]["each"][0]["core_mm"] = json!(0.2);
        value
    }

    fn pointer(place: &str) -> String {
        format!("/{}", place.replace("[]", ".0").replace('.', "/"))
    }

    /// A number as the document has it: counts are whole.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a count")]
    fn value_of(number: f64, is_whole: bool) -> Value {
        if is_whole && number >= 0.0 { json!(number.round() as u64) } else { json!(number) }
    }

    fn problems_with(limit: &Limit, number: f64) -> Vec<String> {
        let mut value = full();
        let at = pointer(limit.place);
        let slot = value.pointer_mut(&at).unwrap_or_else(|| panic!("{at} is not in the document"));
        let is_whole = slot.is_u64();
        *slot = value_of(number, is_whole);
        match serde_json::from_value::<Design>(value) {
            Ok(design) => design.problems().into_iter().map(|p| p.at).collect(),
            // A negative count cannot even be read.
            Err(_) => vec![limit.place.replace("[]", "[0]")],
        }
    }

    /// Places where another value of the document limits a number further.
    const LIMITED_FURTHER: [&str; 6] = [
        "poles[].bevel_mm",
        "coils[].wind.margin_mm",
        "coils[].former.core.corner_mm",
        "coils[].former.core.length_mm",
        "strings.each[].core_mm",
        "strings.from_bridge_mm",
    ];

    #[test]
    fn the_engine_holds_every_limit_at_both_ends() {
        for limit in LIMITS {
            let place = limit.place.replace("[]", "[0]");
            let step = 1.0_f64.max(limit.high.abs() * 1e-3);
            for outside in [limit.low - step, limit.high + step] {
                assert!(problems_with(limit, outside).contains(&place), "{place} takes {outside}");
            }
            for inside in [limit.low, limit.high] {
                let is_free = !LIMITED_FURTHER.contains(&limit.place) && !place.contains("overall_mm");
                let found = problems_with(limit, inside);
                let is_told = found.contains(&place);
                assert!(
                    !is_free || !is_told || place.contains("x_mm") || place.contains("bare"),
                    "{place}: {found:?}"
                );
            }
        }
    }

    #[test]
    fn the_schema_states_every_limit() {
        let schema = schema();
        let stated = schema.to_string().matches("\"maximum\"").count();
        let validator = jsonschema::validator_for(&schema).unwrap();
        assert!(
            validator.is_valid(&full()),
            "{:?}",
            validator.iter_errors(&full()).next().map(|e| e.to_string())
        );
        for limit in LIMITS {
            let mut value = full();
            let slot = value.pointer_mut(&pointer(limit.place)).unwrap();
            let beyond = limit.high + 1.0_f64.max(limit.high.abs() * 1e-3);
            *slot = value_of(beyond.ceil(), slot.is_u64());
            assert!(!validator.is_valid(&value), "{} is not in the schema; {stated} are", limit.place);
        }
    }
}
