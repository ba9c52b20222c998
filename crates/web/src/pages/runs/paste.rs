//! Readings pasted as lines, from a notebook or a meter's own log.

use crate::form::FormData;

/// Takes lines such as `R; 6.1k; 23 C`, `L; 2.4 H; 1 kHz`, `C; 105 pF`, `turns; 7500`, `pole 3; -112 mT` into the form's
/// fields; parts are separated by semicolon, tab, or comma and blank. What is typed in a field wins over what is pasted.
///
/// # Errors
/// The first line that is not a reading, in words.
pub(super) fn take_in(form: &FormData) -> Result<FormData, String> {
    let mut all = form.clone();
    let text = all.0.0.remove("pasted").unwrap_or_default();
    for (k, line) in text.lines().enumerate() {
        let line = line.trim();
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        let parts: Vec<&str> = line.split([';', '\t']).flat_map(|p| p.split(", ")).map(str::trim).collect();
        let wrong = || {
            format!(
                "Line {} is not a reading: “{line:.40}”. Write R, L, C, turns, width or pole 3, then a semicolon.",
                k + 1
            )
        };
        let [what, value, rest @ ..] = parts.as_slice() else { return Err(wrong()) };
        let what = what.to_lowercase();
        let (field, context) = match what.as_str() {
            "r" | "resistance" => ("resistance".to_owned(), Some("coil_c")),
            "l" | "inductance" => ("inductance".to_owned(), Some("test_hz")),
            "c" | "capacitance" => ("capacitance".to_owned(), None),
            "width" | "length" => (what.clone(), None),
            "turns" | "n" => ("turns".to_owned(), None),
            other => match other.strip_prefix("pole").and_then(|n| n.trim().parse::<u32>().ok()) {
                Some(pole) => (format!("flux_{pole}"), Some("probe")),
                None => return Err(wrong()),
            },
        };
        let mut put = |name: &str, value: &str| {
            if all.get(name).is_empty() {
                all.set(name, value);
            }
        };
        put(&field, value);
        if let (Some(name), Some(condition)) = (context, rest.first()) {
            put(name, condition);
        }
    }
    Ok(all)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn form(fields: &[(&str, &str)]) -> FormData {
        fields.iter().copied().collect()
    }

    #[test]
    fn lines_become_fields_and_what_is_typed_wins() {
        let text = "R; 6.1k; 23 C\nL\t2.4 H\t1 kHz\n# a note\n\npole 3; -112 mT; 0.5 mm\nturns, 7500";
        let all = take_in(&form(&[("pasted", text), ("turns", "7490")])).unwrap();
        for (name, value) in [
            ("resistance", "6.1k"),
            ("coil_c", "23 C"),
            ("inductance", "2.4 H"),
            ("test_hz", "1 kHz"),
            ("flux_3", "-112 mT"),
            ("probe", "0.5 mm"),
            ("turns", "7490"),
            ("pasted", ""),
        ] {
            assert_eq!(all.get(name), value, "{name}");
        }
        assert!(take_in(&form(&[("pasted", "R; 5k\nmood; fine")])).unwrap_err().starts_with("Line 2"));
    }
}
