//! What is entered of an instrument.

use crate::form::FormData;
use coil::quantity::fixed;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::read::is_name;
use store::ClientKey;
use store::instrument::{Instrument, NewInstrument};
use time::Date;
use time::macros::format_description;
use trade::instrument::InstrumentKind;
use workshop::Refusal;

/// What was entered.
pub(super) struct Entry<'a> {
    name: &'a str,
    address: &'a str,
    resolution: Option<f64>,
    accuracy: Option<f64>,
    test_hz: Option<f64>,
    due: Option<Date>,
    input_pf: Option<f64>,
    input_mohm: Option<f64>,
}

impl<'a> Entry<'a> {
    /// The instrument to keep.
    pub(super) const fn instrument(&self, key: ClientKey, kind: InstrumentKind) -> NewInstrument<'a> {
        NewInstrument {
            key,
            kind,
            name: self.name,
            address: self.address,
            resolution: self.resolution,
            accuracy: self.accuracy,
            test_hz: self.test_hz,
            due: self.due,
            input_pf: self.input_pf,
            input_mohm: self.input_mohm,
            simulated: false,
        }
    }
}

/// The fields, filled with what was sent; the kind is chosen once.
pub(super) fn entry_fields(form: &FormData, errors: &Errors, with_kind: bool) -> Vec<Field> {
    let fill = |field: Field| field.filled(form, errors);
    let kinds = InstrumentKind::ALL.map(|kind| Choice::new(kind.key(), kind.name())).into();
    let kind = with_kind.then(|| fill(Field::chosen("kind", "Kind", "", kinds)));
    let rest = [
        fill(Field::typed("name", "Name", "As it is called on the bench.")),
        fill(Field::typed(
            "address",
            "Address",
            "Host and port, such as 192.168.1.40:5025. A serial device comes through a bridge from serial to TCP.",
        )),
        fill(Field::typed("resolution", "Resolution", "In ohms, henries, tesla or decibels.")),
        Field { unit: "%".into(), ..fill(Field::typed("accuracy", "Accuracy", "From its data sheet.")) },
        Field {
            unit: "Hz".into(),
            ..fill(Field::typed("test_hz", "Test frequency", "Of an LCR meter: 100, 120 or 1000 is usual."))
        },
        Field {
            unit: "pF".into(),
            ..fill(Field::typed(
                "input_pf",
                "Input with its lead",
                "What stands across the coil when it reads a resonance: 15 for a divider probe, about 100 for a straight lead.",
            ))
        },
        Field {
            unit: "MΩ".into(),
            ..fill(Field::typed("input_mohm", "Input resistance", "From its data sheet; 1 is usual."))
        },
        fill(Field::typed("due", "Calibration due", "Year-month-day, such as 2027-05-01.")),
    ];
    kind.into_iter().chain(rest).collect()
}

/// What a form has for an instrument that is kept.
pub(super) fn kept(of: &Instrument) -> FormData {
    let day = of.due.and_then(|d| d.format(format_description!("[year]-[month]-[day]")).ok());
    let shown = |value: Option<f64>| value.map_or_else(String::new, |v| fixed(v, 9));
    let fields = [
        ("name", of.name.clone()),
        ("address", of.address.clone()),
        ("resolution", shown(of.resolution)),
        ("accuracy", shown(of.accuracy.map(|ratio| ratio * 100.0))),
        ("test_hz", shown(of.test_hz)),
        ("input_pf", shown(of.input_pf)),
        ("input_mohm", shown(of.input_mohm)),
        ("due", day.unwrap_or_default()),
        ("version", of.version.to_string()),
    ];
    fields.into_iter().collect()
}

/// Reads what was sent; `None` with what is wrong.
pub(super) fn entry_of<'a>(form: &'a FormData, errors: &mut Errors) -> Option<Entry<'a>> {
    let name = form.get("name");
    if !is_name(name, 80) {
        errors.insert("name".into(), "Give it a name of up to 80 letters.".into());
    }
    let address = form.get("address");
    let port = address
        .rsplit_once(':')
        .and_then(|(host, port)| (!host.is_empty()).then(|| port.parse::<u16>().ok())?);
    if port.is_none() || address.chars().count() > 120 {
        errors.insert("address".into(), "Host and port with a colon between: 192.168.1.40:5025.".into());
    }
    let resolution = number(form, errors, "resolution", (0.0, 1e6));
    let accuracy = number(form, errors, "accuracy", (0.0, 100.0)).map(|v| v / 100.0);
    let test_hz = number(form, errors, "test_hz", (20.0, 200_000.0));
    let input_pf = number(form, errors, "input_pf", (0.0, 5000.0));
    let input_mohm = number(form, errors, "input_mohm", (0.01, 10_000.0));
    let due = match form.get("due") {
        "" => None,
        text => match Date::parse(text, format_description!("[year]-[month]-[day]")) {
            Ok(date) => Some(date),
            Err(_) => {
                errors.insert("due".into(), "Write year-month-day, such as 2027-05-01.".into());
                None
            }
        },
    };
    let entry = Entry { name, address, resolution, accuracy, test_hz, due, input_pf, input_mohm };
    errors.is_empty().then_some(entry)
}

/// The field that a refusal belongs to.
pub(super) const fn refused_field(refusal: &Refusal) -> Option<&'static str> {
    match refusal {
        Refusal::NameTaken(_) | Refusal::ChangedMeanwhile(_) => Some("name"),
        Refusal::AddressNotAllowed(_) => Some("address"),
        _ => None,
    }
}

fn number(form: &FormData, errors: &mut Errors, name: &str, range: (f64, f64)) -> Option<f64> {
    let typed = form.get(name).trim_end_matches(['%', ' ']).replace(',', ".");
    if typed.is_empty() {
        return None;
    }
    match typed.parse::<f64>() {
        Ok(value) if (range.0..=range.1).contains(&value) => Some(value),
        _ => {
            errors.insert(name.into(), format!("A number from {} to {}.", range.0, range.1));
            None
        }
    }
}
