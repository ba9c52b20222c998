//! What changed from one design to the next.

use super::Design;
use serde_json::Value;

/// One changed value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// Its place, such as `coils[0].wind.turns`.
    pub at: String,
    /// The value before, as JSON; absent when it is new.
    pub before: Option<String>,
    /// The value after, as JSON; absent when it is gone.
    pub after: Option<String>,
}

/// Every value that differs, by its place, in the order of the document.
///
/// ```
/// use coil::design::{differences, reference_coil};
/// let before = reference_coil();
/// let mut after = before.clone();
/// after.coils[0].wind.turns += 200;
/// let changes = differences(&before, &after);
/// assert_eq!(changes.len(), 1);
/// assert!(differences(&before, &before).is_empty());
/// ```
#[must_use]
pub fn differences(before: &Design, after: &Design) -> Vec<Change> {
    let mut changes = Vec::new();
    // A Design always serialises: it holds no map with non-text keys.
    let value = |design: &Design| serde_json::to_value(design).unwrap_or(Value::Null);
    compare("", Some(&value(before)), Some(&value(after)), &mut changes);
    changes
}

fn compare(at: &str, before: Option<&Value>, after: Option<&Value>, changes: &mut Vec<Change>) {
    if before == after {
        return;
    }
    match (before, after) {
        (Some(Value::Object(a)), Some(Value::Object(b))) => {
            let mut keys: Vec<&String> = a.keys().chain(b.keys().filter(|k| !a.contains_key(*k))).collect();
            keys.dedup();
            for key in keys {
                let at = if at.is_empty() { key.clone() } else { format!("{at}.{key}") };
                compare(&at, a.get(key), b.get(key), changes);
            }
        }
        (Some(Value::Array(a)), Some(Value::Array(b))) => {
            for i in 0..a.len().max(b.len()) {
                compare(&format!("{at}[{i}]"), a.get(i), b.get(i), changes);
            }
        }
        _ => changes.push(Change {
            at: at.to_owned(),
            before: before.filter(|v| !v.is_null()).map(ToString::to_string),
            after: after.filter(|v| !v.is_null()).map(ToString::to_string),
        }),
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Targets, tall_single};
    use super::*;

    #[test]
    fn only_what_changed_is_listed() {
        let before = tall_single("A", 6, 10.4);
        assert!(differences(&before, &before).is_empty());
        let mut after = before.clone();
        after.coils[0].wind.turns = 7800;
        after.poles[2].length_mm = 18.0;
        after.targets = Targets { inductance_h: Some([2.0, 2.4]), ..Targets::default() };
        let changes = differences(&before, &after);
        let at: Vec<&str> = changes.iter().map(|c| c.at.as_str()).collect();
        assert_eq!(at, ["aims.inductance_h", "coils[0].wind.turns", "poles[2].length_mm"]);
        assert_eq!(changes[1].before.as_deref(), Some("7500"));
        assert_eq!(changes[0].before, None);
    }
}
