//! Fields of forms read as numbers, with a message at the field where that is not possible.

use crate::form_fields::{Errors, FormFields};
use coil::quantity::{Length, ParseQuantity, Temperature, fixed, number};

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
    number(text, "5.5").map(|(value, _)| value).map_err(|e| e.to_string())
}

/// A length in millimetres.
pub fn millimetres(text: &str) -> Result<f64, String> {
    Length::parse(text).map(Length::mm).map_err(|e| e.to_string())
}

/// A temperature in degrees Celsius.
pub fn celsius(text: &str) -> Result<f64, String> {
    Temperature::parse(text).map(Temperature::celsius).map_err(|e| e.to_string())
}

/// Tells at a field that its text is too long.
pub fn limit_letters(form: &FormFields, errors: &mut Errors, name: &str, most: usize) {
    if form.get(name).chars().count() > most {
        errors.insert(name.into(), format!("Up to {most} letters."));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_cannot_be_read_is_told_at_its_field() {
        let form = FormFields(
            [("a", "0.66in"), ("b", "900"), ("c", "much"), ("d", "xxx")]
                .map(|(k, v)| (k.to_owned(), v.to_owned()))
                .into(),
        );
        let mut errors = Errors::new();
        let a = optional(&form, &mut errors, "a", (1.0, 50.0), millimetres);
        assert!((a.unwrap() - 16.764).abs() < 1e-9);
        assert_eq!(optional(&form, &mut errors, "b", (0.0, 100.0), plain), None);
        assert_eq!(optional(&form, &mut errors, "c", (0.0, 100.0), plain), None);
        assert_eq!(optional(&form, &mut errors, "none", (0.0, 100.0), celsius), None);
        limit_letters(&form, &mut errors, "d", 2);
        assert_eq!(errors.keys().collect::<Vec<_>>(), ["b", "c", "d"]);
    }
}
