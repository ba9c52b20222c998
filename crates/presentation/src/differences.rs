//! What differs between designs, in the sheet's words: rows of poles that differ alike are one line, whole parts are
//! named and not spelt out.

use crate::sheet::PlaceNames;
use coil::design::{Change, Design, differences, limit_at};
use coil::quantity::{Measure, Units, fixed};
use serde_json::Value;
use std::cell::LazyCell;
use std::collections::BTreeMap;

/// A line: what differs, and what it is in each design.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// What.
    pub what: String,
    /// Its value by design; "–" where there is none.
    pub values: Vec<String>,
    /// Whether it is a coil's turns.
    pub is_turns: bool,
}

/// Everything in which any of `others` differs from `first`, but the name.
pub fn differences_in_words(first: &Design, others: &[&Design], units: Units) -> Vec<Difference> {
    let all: Vec<(&Design, Vec<Change>)> =
        others.iter().map(|other| (*other, differences(first, other))).collect();
    changes_in_words(first, all, units)
}

/// The same of differences that were taken before.
pub fn changes_in_words(
    first: &Design,
    others: Vec<(&Design, Vec<Change>)>,
    units: Units,
) -> Vec<Difference> {
    let all: Vec<&Design> = std::iter::once(first).chain(others.iter().map(|(other, _)| *other)).collect();
    // Value in the first and in each other, by place, in the order of the document.
    let mut places: Vec<String> = Vec::new();
    let by_place: Vec<BTreeMap<String, Ends>> = others
        .into_iter()
        .map(|(_, changes)| {
            for change in &changes {
                if change.at != "name" && !places.contains(&change.at) {
                    places.push(change.at.clone());
                }
            }
            changes.into_iter().map(|c| (c.at, (c.before, c.after))).collect()
        })
        .collect();
    let mut lines: Vec<Line> = Vec::new();
    for at in places {
        let base = by_place.iter().find_map(|d| d.get(&at)).and_then(|(before, _)| before.as_deref());
        let mut values = vec![value_words(&at, base, units)];
        for d in &by_place {
            values.push(value_words(&at, d.get(&at).map_or(base, |(_, after)| after.as_deref()), units));
        }
        let kind = without_number(&at);
        match lines.iter_mut().find(|l| l.kind == kind && l.values == values && kind.contains("[*]")) {
            Some(line) => line.places.push(at),
            None => lines.push(Line { kind, values, places: vec![at] }),
        }
    }
    if lines.is_empty() {
        return Vec::new();
    }
    // Most of the time the first sheet has every name.
    let names: Vec<Names<'_>> = all
        .into_iter()
        .map(|design| LazyCell::new(Box::new(move || PlaceNames::from_design(design)) as _))
        .collect();
    lines
        .into_iter()
        .map(|line| Difference {
            what: line.words(&names),
            is_turns: line.kind.ends_with(".wind.turns"),
            values: line.values,
        })
        .collect()
}

/// The names of a design's sheet, worked out when they are asked for.
type Names<'a> = LazyCell<PlaceNames, Box<dyn FnOnce() -> PlaceNames + 'a>>;

/// Value before and after.
type Ends = (Option<String>, Option<String>);

/// Places of one kind with the same values.
struct Line {
    kind: String,
    values: Vec<String>,
    places: Vec<String>,
}

impl Line {
    fn words(&self, names: &[Names<'_>]) -> String {
        let at = &self.places[0];
        if self.kind == "poles[*]" {
            return if self.places.len() == 1 {
                "One pole".into()
            } else {
                format!("{} poles", self.places.len())
            };
        }
        let said = names.iter().map(|n| words(at, n)).find(|w| w != at).unwrap_or_else(|| plain(at));
        if self.places.len() == 1 || !at.starts_with("poles") {
            return said;
        }
        let what = said.split_once(", ").map_or_else(
            || self.kind.rsplit('.').next().unwrap_or(&said).replace('_', " "),
            |(_, what)| what.to_owned(),
        );
        format!("{} poles, {what}", self.places.len())
    }
}

/// A place without the number of its pole or string.
fn without_number(at: &str) -> String {
    for row in ["poles[", "strings.each["] {
        if let Some((_, after)) = at.strip_prefix(row).and_then(|rest| rest.split_once(']')) {
            return format!("{row}*]{after}");
        }
    }
    at.to_owned()
}

/// A place in the sheet's words, also where the sheet has two fields or none for it.
fn words(at: &str, names: &PlaceNames) -> String {
    if at.starts_with("aims.") {
        let first = format!("{}[0]", at.trim_end_matches("[1]").trim_end_matches("[0]"));
        let said = names.words(&first);
        return format!("Target: {}", said.trim_end_matches(" from").to_lowercase());
    }
    if at.starts_with("wiring.grounded") {
        return "Tied to ground".into();
    }
    match at {
        "potting" => return "Potting".into(),
        "leads" => return "Leads".into(),
        _ => {}
    }
    match at.split_once('[') {
        Some(("bars", rest)) if rest.ends_with(']') => return format!("Bar magnet {}", counted(rest)),
        Some(("metal", rest)) if rest.ends_with(']') => return format!("Plate or cover {}", counted(rest)),
        Some(("coils", rest)) if rest.ends_with(']') && !rest.contains('.') => {
            return format!("Coil {}", counted(rest));
        }
        _ => {}
    }
    if at == "kind" { "Format".into() } else { names.words(at).into_owned() }
}

/// "0]" is the first.
fn counted(rest: &str) -> String {
    rest.trim_end_matches(']').parse::<u32>().map_or_else(|_| rest.to_owned(), |k| (k + 1).to_string())
}

/// The last words of a place that the sheet has no field for.
fn plain(at: &str) -> String {
    let text = at.replace('[', " ").replace(']', "").replace(['.', '_'], " ");
    let text = text.trim_end_matches(" mm");
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |c| c.to_uppercase().chain(letters).collect())
}

/// The measure of a place; `None` where it is shown in the document's unit, or has none.
fn measure_of(at: &str) -> Option<Measure> {
    let (key, _) = at.rsplit_once('[').filter(|_| at.ends_with(']')).unwrap_or((at, ""));
    match at {
        "room_c" => Some(Measure::Temperature),
        _ if at.ends_with("_mm") || key.ends_with("_mm") => Some(Measure::Length),
        _ => None,
    }
}

/// A value as people read it.
fn value_words(at: &str, json: Option<&str>, units: Units) -> String {
    let Some(value) = json.and_then(|text| serde_json::from_str::<Value>(text).ok()) else {
        return "–".into();
    };
    let number = |v: &Value| {
        v.as_f64().map_or_else(
            || v.to_string(),
            |n| {
                if n != 0.0 && n.abs() < 1e-3 { format!("{n:.3e}") } else { fixed(n, 4) }
            },
        )
    };
    let is_open_end = |place: &str, end: &Value| {
        let limit = limit_at(place).filter(|_| place.starts_with("aims."));
        limit.zip(end.as_f64()).is_some_and(|(limit, v)| v <= limit.low || v >= limit.high)
    };
    match &value {
        Value::Number(_) if is_open_end(at, &value) => "open".into(),
        Value::Number(n) => match (measure_of(at), n.as_f64()) {
            (Some(Measure::Length), Some(mm)) => units.length(mm, 3),
            (Some(_), Some(celsius)) => units.temperature(celsius, 1),
            _ => number(&value),
        },
        Value::String(text) if at == "name" || at.ends_with("note") => text.clone(),
        Value::String(text) => text.replace('-', " "),
        Value::Array(ends) if at.starts_with("aims") => {
            let open = |end: &Value| is_open_end(&format!("{at}[]"), end);
            match ends.as_slice() {
                [from, to] if open(to) => format!("at least {}", number(from)),
                [from, to] if open(from) => format!("at most {}", number(to)),
                ends => ends.iter().map(number).collect::<Vec<_>>().join(" – "),
            }
        }
        Value::Array(items) if items.iter().all(Value::is_number) && measure_of(at).is_some() => {
            let mm: Vec<f64> = items.iter().filter_map(Value::as_f64).collect();
            units.lengths(&mm, 3)
        }
        Value::Array(items) if items.iter().all(Value::is_number) => {
            items.iter().map(number).collect::<Vec<_>>().join(" × ")
        }
        Value::Array(items) if items.iter().all(Value::is_string) => {
            let words = items.iter().filter_map(Value::as_str).map(|text| text.replace('-', " "));
            let words: Vec<String> = words.collect();
            if words.is_empty() { "nothing".into() } else { words.join(", ") }
        }
        Value::Object(part) => {
            // What it is made of, and its size: the rest is in the design file.
            let word = |key: &str| part.get(key).and_then(Value::as_str).map(|t| t.replace('-', " "));
            let size = part.get("size_mm").map(|v| value_words("size_mm", Some(&v.to_string()), units));
            let turns = part
                .get("wind")
                .and_then(|w| w.get("turns"))
                .and_then(Value::as_u64)
                .map(|t| format!("{t} turns"));
            let said: Vec<String> =
                [word("part"), word("shape"), word("material"), word("medium"), word("kind"), size, turns]
                    .into_iter()
                    .flatten()
                    .collect();
            if said.is_empty() { "there".into() } else { said.join(", ") }
        }
        other => other.to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, Grounded, Medium, Potting, Stagger, Step, starting_point, tall_single};

    /// Potting, leads and ground stand among the differences by their names, also where one side says nothing of them.
    #[test]
    fn what_surrounds_the_coil_is_told() {
        let base = tall_single("Sedge", 6, 10.4);
        let mut other = base.clone();
        other.potting = Some(Potting { medium: Medium::Wax, fill: 0.8 });
        other.leads = None;
        other.wiring.grounded = Some(vec![Grounded::Poles, Grounded::Foil]);
        let lines = differences_in_words(&base, &[&other], Units::default());
        let of = |what: &str| lines.iter().find(|l| l.what.contains(what)).map(|l| l.values.clone());
        assert_eq!(of("Leads"), Some(vec!["twisted pair".into(), "–".into()]));
        assert_eq!(of("Tied to ground"), Some(vec!["–".into(), "poles, foil".into()]));
        assert_eq!(of("Gaps filled").map(|v| v[1].clone()), Some("0.8".into()));
    }

    #[test]
    fn a_row_of_poles_is_one_line() {
        let base = tall_single("Sedge", 6, 10.4);
        let mut other = base.clone();
        other.poles.iter_mut().for_each(|p| p.length_mm = 16.0);
        other.coils[0].wind.turns = 8000;
        let lines = differences_in_words(&base, &[&other], Units::default());
        let said: Vec<(&str, &[String])> = lines.iter().map(|l| (l.what.as_str(), &l.values[..])).collect();
        assert_eq!(said[0], ("Turns", &["7500".to_owned(), "8000".to_owned()][..]));
        assert_eq!(said[1], ("6 poles, length", &["17 mm".to_owned(), "16 mm".to_owned()][..]));
        assert_eq!(said.len(), 2);
        Step::Stagger(Stagger::Stepped).apply(&mut other).unwrap();
        assert!(
            differences_in_words(&base, &[&other], Units::default()).len() > 3,
            "poles of their own are said apart"
        );
    }

    /// Targets with one end are told as such.
    #[test]
    fn a_target_with_one_end_is_told_as_one() {
        let mut base = tall_single("Sedge", 6, 10.4);
        base.targets.inductance_h = Some([2.0, 100.0]);
        let mut other = base.clone();
        other.targets.inductance_h = Some([1e-4, 2.3]);
        let lines = differences_in_words(&base, &[&other], Units::default());
        let values: Vec<&[String]> = lines.iter().map(|line| &line.values[..]).collect();
        assert_eq!(values, [["2".to_owned(), "open".to_owned()], ["open".to_owned(), "2.3".to_owned()]]);
        other.targets.inductance_h = None;
        let lines = differences_in_words(&base, &[&other], Units::default());
        assert_eq!(lines[0].values, ["at least 2", "–"]);
    }

    #[test]
    fn another_format_is_said_in_words() {
        let mut base = tall_single("Sedge", 6, 10.4);
        base.targets.inductance_h = Some([2.0, 2.3]);
        let twin = starting_point(Format::TwinCoil, "Marsh", 6, 10.4);
        let lines = differences_in_words(&base, &[&twin], Units::default());
        let of =
            |what: &str| lines.iter().find(|l| l.what == what).unwrap_or_else(|| panic!("{what}: {lines:?}"));
        assert_eq!(of("Format").values, ["tall single", "twin coil"]);
        assert_eq!(of("Target: inductance").values, ["2 – 2.3", "–"]);
        assert_eq!(of("Coil 2").values[0], "–");
        assert!(of("Bar magnet 1").values[1].starts_with("alnico 5, 62 × 12.7 × 3.2 mm"));
        assert!(
            lines.iter().all(|l| !l.values.iter().any(|v| v.contains('{') || v.contains('"'))),
            "{lines:?}"
        );
        assert!(lines.iter().all(|l| !l.what.contains('[') && !l.what.contains('_')), "{lines:?}");
        assert!(lines.len() < 40, "{}", lines.len());
    }
}
