//! Fields of forms read as numbers, with a message at the field where that is not possible.

use crate::form_fields::{Errors, FormFields};
use coil::quantity::{Capacitance, Frequency, Measure, ParseQuantity, Resistance, Units, fixed, number};

/// The chosen value of a list, by its word; an error at the field for anything else.
pub fn chosen<T: std::str::FromStr>(form: &FormFields, errors: &mut Errors, name: &str) -> Option<T> {
    let found = form.get(name).parse().ok();
    if found.is_none() {
        errors.insert(name.into(), "Choose one of the list.".into());
    }
    found
}

/// Reads one optional field within a range; what cannot be read is told at the field.
pub fn optional(
    form: &FormFields,
    errors: &mut Errors,
    name: &str,
    range: (f64, f64),
    read: impl Fn(&str) -> Result<f64, String>,
) -> Option<f64> {
    let typed = form.get(name);
    if typed.is_empty() {
        return None;
    }
    match read(typed) {
        Ok(value) if (range.0..=range.1).contains(&value) => Some(value),
        Ok(_) => {
            errors.insert(name.into(), format!("Between {} and {}.", fixed(range.0, 3), fixed(range.1, 3)));
            None
        }
        Err(message) => {
            errors.insert(name.into(), message);
            None
        }
    }
}

/// A bare number.
pub fn plain(text: &str) -> Result<f64, String> {
    number_in("")(text)
}

/// A number in a unit, which a bare number is in as well. Of resistance, capacitance and frequency every usual way of writing it is
/// understood: `500k` and `0.5M` in kΩ, `1n` and `1000` in pF. After a number of another unit nothing else may stand, which would be
/// passed over unseen, as in 1e9.
pub fn number_in(unit: &'static str) -> impl Fn(&str) -> Result<f64, String> {
    move |text| {
        let (value, rest) = number(text, "5.5").map_err(|e| e.to_string())?;
        if rest.is_empty() || rest.eq_ignore_ascii_case(unit) {
            return Ok(value);
        }
        match unit {
            "Ω" => quantity(text, Resistance::ohms),
            "kΩ" => quantity(text, |r: Resistance| r.ohms() * 1e-3),
            "MΩ" => quantity(text, |r: Resistance| r.ohms() * 1e-6),
            "nF" => quantity(text, |c: Capacitance| c.farads() * 1e9),
            "pF" => quantity(text, |c: Capacitance| c.farads() * 1e12),
            "Hz" => quantity(text, Frequency::hz),
            _ => {
                let rest: String = rest.chars().take(40).collect();
                let allowed =
                    if unit.is_empty() { "a number alone".to_owned() } else { format!("a number in {unit}") };
                Err(format!("“{rest}” cannot stand here: type {allowed}."))
            }
        }
    }
}

fn quantity<T: ParseQuantity>(text: &str, value: fn(T) -> f64) -> Result<f64, String> {
    T::parse(text).map(value).map_err(|e| e.to_string())
}

/// Reads one optional field of a measure; a bare number is in the workshop's unit. Range and answer are in the unit inside:
/// millimetres, degrees Celsius, millitesla, grams.
pub fn measured(
    form: &FormFields,
    errors: &mut Errors,
    name: &str,
    range: (f64, f64),
    of: (Measure, Units),
) -> Option<f64> {
    let (measure, units) = of;
    let typed = form.get(name);
    if typed.is_empty() {
        return None;
    }
    let conversion = units.conversion(measure);
    let slack = conversion.rounding(4);
    match units.read(measure, typed) {
        Ok(value) if (range.0 - slack..=range.1 + slack).contains(&value) => {
            return Some(value.clamp(range.0, range.1));
        }
        Ok(value) => {
            let [value, low, high] = [value, range.0, range.1].map(|v| conversion.field(v));
            let unit = conversion.symbol;
            errors.insert(name.into(), format!("{value} {unit} is out of range: {low} to {high} {unit}."));
        }
        Err(error) => {
            errors.insert(name.into(), error.to_string());
        }
    }
    None
}

/// Whether a text can be a name: there, of up to so many letters, and without control characters.
#[must_use]
pub fn is_name(text: &str, most: usize) -> bool {
    (1..=most).contains(&text.chars().count()) && !text.contains(char::is_control)
}

/// Tells at a field that its text is too long.
pub fn limit_letters(form: &FormFields, errors: &mut Errors, name: &str, most: usize) {
    if form.get(name).chars().count() > most {
        errors.insert(name.into(), format!("Up to {most} letters."));
    }
}

/// A capacitance in farads; a bare number is in picofarads.
///
/// # Errors
/// What is wrong, in words.
pub fn farads(text: &str) -> Result<f64, String> {
    number_in("pF")(text).map(|pf| pf * 1e-12)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_after_a_number_is_passed_over() {
        assert_eq!(plain("5.5"), Ok(5.5));
        assert_eq!((number_in("Ω/m")("5.61 Ω/m"), number_in("m")("1200m")), (Ok(5.61), Ok(1200.0)));
        for (typed, unit, value) in [
            ("500k", "kΩ", 500.0),
            ("0.5 M", "kΩ", 500.0),
            ("500", "kΩ", 500.0),
            ("1n", "pF", 1000.0),
            ("470p", "pF", 470.0),
        ] {
            assert!((number_in(unit)(typed).unwrap() - value).abs() < 1e-9, "{typed}");
        }
        assert!(number_in("pF")("470k").is_err());
        assert!(is_name("K-7", 3) && is_name("Öde", 3));
        assert!(!is_name("", 3) && !is_name("K-12", 3) && !is_name("K\u{0}", 3));
        for text in ["1e9", "5 furlongs", "5.5.5", "5 %"] {
            assert!(plain(text).is_err() && number_in("m")(text).is_err(), "{text}");
        }
    }

    #[test]
    fn what_cannot_be_read_is_told_at_its_field() {
        let form = FormFields(
            [("a", "0.66in"), ("b", "900"), ("c", "much"), ("d", "xxx")]
                .map(|(k, v)| (k.to_owned(), v.to_owned()))
                .into(),
        );
        let mut errors = Errors::new();
        let length = (Measure::Length, Units::default());
        let a = measured(&form, &mut errors, "a", (1.0, 50.0), length);
        assert!((a.unwrap() - 16.764).abs() < 1e-9);
        assert_eq!(optional(&form, &mut errors, "b", (0.0, 100.0), plain), None);
        assert_eq!(optional(&form, &mut errors, "c", (0.0, 100.0), plain), None);
        assert_eq!(measured(&form, &mut errors, "none", (0.0, 100.0), length), None);
        assert_eq!(measured(&form, &mut errors, "d", (0.0, 100.0), length), None);
        errors.remove("d");
        limit_letters(&form, &mut errors, "d", 2);
        assert_eq!(errors.keys().collect::<Vec<_>>(), ["b", "c", "d"]);
    }
}
