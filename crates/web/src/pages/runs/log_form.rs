//! The log's form: its fields, what was typed into them as readings, and what is asked about because it is hardly so.

use super::{LogRow, what};
use crate::app::App;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::format::{self, HENRY, KILOOHM};
use crate::layout::Field;
use coil::circuit::capacitance_from_resonances;
use coil::quantity::{
    Capacitance, FluxDensity, Frequency, Inductance, Length, ParseQuantity, Resistance, Temperature, Turns,
    fixed,
};
use store::reading::NewReading;
use store::run::Run;
use trade::comparison::capacitance_range_shows;
use trade::reading::Kind;

/// The fields of the log's form: all of them, or those of the one reading that is being corrected.
pub fn reading_fields(
    form: &FormData,
    errors: &Errors,
    run: &Run,
    corrects: Option<&LogRow>,
) -> (Vec<Field>, Vec<Field>) {
    let only = corrects.map(|row| row.kind);
    let wanted = |kind: Kind| only.is_none_or(|k| k == kind);
    let typed = |name: &str, label: &str, unit: &str, hint: &str| {
        let value = form.get(name).to_owned();
        Field { unit: unit.into(), ..Field::typed(name, label, hint).with(&value, errors) }
    };
    let mut fields = Vec::new();
    if wanted(Kind::Turns) {
        fields.push(typed("turns", "Final turns", "", "Hand turns included."));
    }
    if wanted(Kind::Resistance) || wanted(Kind::Open) {
        fields.push(typed("resistance", "Resistance", "Ω", "5.8k; type open if the meter shows none."));
        fields.push(typed(
            "coil_c",
            "Coil temperature",
            "°C",
            "The coil's, not the room's: a warm coil reads high.",
        ));
    }
    if wanted(Kind::Inductance) {
        fields.push(typed("inductance", "Inductance", "H", ""));
        fields.push(typed("test_hz", "Test frequency", "Hz", "As set on the meter, often 100, 120 or 1000."));
    }
    if wanted(Kind::Capacitance) {
        fields.push(typed(
            "capacitance",
            "Capacitance",
            "pF",
            "Of the pickup, from resonance; or leave it empty and type both resonances.",
        ));
        fields.push(typed("alone_hz", "Resonance alone", "Hz", "With an exciter coil, nothing connected."));
        fields.push(typed(
            "across_hz",
            "Resonance with a capacitor",
            "Hz",
            "The same with a known one across.",
        ));
        fields.push(typed("across_pf", "That capacitor", "pF", "1000 is usual."));
    }
    if wanted(Kind::Width) {
        fields.push(typed(
            "width",
            "Width of the coil",
            "mm",
            "Over the winding at its thickest, by caliper.",
        ));
    }
    if wanted(Kind::Remark) {
        fields.push(typed("remark", "Remark", "", "Anything that may matter later.").wide());
    }
    let mut flux = Vec::new();
    if wanted(Kind::Flux) {
        for pole in run.design.poles.iter().filter_map(|p| p.string) {
            if corrects.is_none_or(|row| row.what == what(Kind::Flux, Some(pole))) {
                flux.push(typed(&format!("flux_{pole}"), &format!("Pole {pole}"), "mT", ""));
            }
        }
        if !flux.is_empty() {
            flux.push(typed(
                "probe",
                "Probe above the face",
                "mm",
                "Where the sensing element is; 0.5 when empty.",
            ));
        }
    }
    (fields, flux)
}

/// Reads one optional field within a range.
fn optional<T: ParseQuantity>(
    form: &FormData,
    errors: &mut Errors,
    name: &str,
    range: (f64, f64),
    unit: &str,
    number: fn(T) -> f64,
) -> Option<f64> {
    let typed = form.get(name);
    if typed.is_empty() {
        return None;
    }
    match T::parse(typed).map(number) {
        Ok(value) if (range.0..=range.1).contains(&value) => return Some(value),
        Ok(value) => errors.insert(
            name.into(),
            format!(
                "{} {unit} cannot be: between {} and {} {unit}.",
                fixed(value, 4),
                fixed(range.0, 4),
                fixed(range.1, 4)
            ),
        ),
        Err(error) => errors.insert(name.into(), error.to_string()),
    };
    None
}

/// What was filled in, as readings.
pub fn readings_from(form: &FormData, run: &Run) -> Result<Vec<NewReading>, Errors> {
    let mut errors = Errors::new();
    let mut readings = Vec::new();
    let e = &mut errors;
    if let Some(turns) = optional(form, e, "turns", (1.0, 50_000.0), "turns", |t: Turns| f64::from(t.0)) {
        readings.push(NewReading::of(Kind::Turns, Some(turns)));
    }
    let coil_c = optional(form, e, "coil_c", (-20.0, 150.0), "°C", Temperature::celsius);
    let typed = form.get("resistance").to_lowercase();
    if ["open", "ol", "o.l", "inf", "infinite", "∞"].contains(&typed.as_str()) {
        readings.push(NewReading::of(Kind::Open, None));
    } else if let Some(ohms) = optional(form, e, "resistance", (1.0, 1e6), "Ω", Resistance::ohms) {
        if coil_c.is_none() && !e.contains_key("coil_c") {
            e.insert("coil_c".into(), "Say how warm the coil was: 5 °C move the reading by 2 %.".into());
        }
        readings.push(NewReading { coil_c, ..NewReading::of(Kind::Resistance, Some(ohms)) });
    }
    let test_hz = optional(form, e, "test_hz", (20.0, 100_000.0), "Hz", Frequency::hz);
    if let Some(henries) = optional(form, e, "inductance", (1e-3, 100.0), "H", Inductance::henries) {
        if test_hz.is_none() && !e.contains_key("test_hz") {
            e.insert("test_hz".into(), "Say at which frequency: the reading rises with it.".into());
        }
        readings.push(NewReading { test_hz, ..NewReading::of(Kind::Inductance, Some(henries)) });
    }
    if let Some(farads) = capacitance(form, e, run) {
        readings.push(NewReading::of(Kind::Capacitance, Some(farads)));
    }
    if let Some(mm) = optional(form, e, "width", (1.0, 150.0), "mm", Length::mm) {
        readings.push(NewReading::of(Kind::Width, Some(mm * 1e-3)));
    }
    if let Some(mm) = optional(form, e, "length", (1.0, 300.0), "mm", Length::mm) {
        readings.push(NewReading::of(Kind::Length, Some(mm * 1e-3)));
    }
    let probe_mm = optional(form, e, "probe", (0.0, 20.0), "mm", Length::mm);
    for pole in run.design.poles.iter().filter_map(|p| p.string) {
        let name = format!("flux_{pole}");
        if let Some(tesla) = optional(form, e, &name, (-2.0, 2.0), "T", FluxDensity::tesla) {
            readings.push(NewReading {
                pole: Some(pole),
                probe_mm: Some(probe_mm.unwrap_or(0.5)),
                ..NewReading::of(Kind::Flux, Some(tesla))
            });
        }
    }
    let remark = form.get("remark");
    if remark.chars().count() > 1000 {
        errors.insert("remark".into(), "A remark has up to 1,000 letters.".into());
    } else if !remark.is_empty() {
        readings.push(NewReading { words: remark.into(), ..NewReading::of(Kind::Remark, None) });
    }
    if readings.is_empty() && errors.is_empty() {
        errors.insert("turns".into(), "Nothing was filled in: log at least one reading.".into());
    }
    if errors.is_empty() { Ok(readings) } else { Err(errors) }
}

/// A bare number is in picofarads.
fn farads(text: &str) -> Result<f64, String> {
    let bare = text.chars().all(|c| c.is_ascii_digit() || ".,".contains(c));
    let text = if bare { format!("{text} pF") } else { text.to_owned() };
    Capacitance::parse(&text).map(Capacitance::farads).map_err(|e| e.to_string())
}

/// The capacitance as typed, or from two resonances. Nanofarads off a finished coil are no capacitance: that is said,
/// with what such a meter should show here.
fn capacitance(form: &FormData, errors: &mut Errors, run: &Run) -> Option<f64> {
    const METER_HZ: f64 = 500.0;
    const MOST_F: f64 = 3e-9;
    let typed = form.get("capacitance");
    if !typed.is_empty() {
        match farads(typed) {
            Ok(value) if (1e-12..=MOST_F).contains(&value) => return Some(value),
            Ok(value) if value > MOST_F && value < 1e-6 => {
                let shown = capacitance_range_shows(&run.design, METER_HZ).map_or_else(String::new, |f| {
                    format!(" A meter at 500 Hz should show about {} nF on this coil.", fixed(f * 1e9, 0))
                });
                let nano = fixed(value * 1e9, 1);
                errors.insert(
                    "capacitance".into(),
                    format!(
                        "{nano} nF is not the coil's own capacitance: in its capacitance range the meter takes inductance \
                         and resistance for a capacitor.{shown} The real one is tens to a few hundred picofarads: take two \
                         resonances, and it is computed from them."
                    ),
                );
            }
            Ok(_) => {
                errors.insert("capacitance".into(), "Between 1 pF and 3 nF.".into());
            }
            Err(error) => {
                errors.insert("capacitance".into(), error);
            }
        }
        return None;
    }
    let hz = (200.0, 200_000.0);
    let alone = optional(form, errors, "alone_hz", hz, "Hz", Frequency::hz);
    let across = optional(form, errors, "across_hz", hz, "Hz", Frequency::hz);
    let known = match form.get("across_pf") {
        "" => None,
        text => match farads(text) {
            Ok(value) if (1e-12..=1e-6).contains(&value) => Some(value),
            _ => {
                errors.insert("across_pf".into(), "In picofarads: 1000, or 1 nF.".into());
                None
            }
        },
    };
    match (alone, across, known) {
        (None, None, None) => None,
        (Some(alone), Some(across), Some(known)) => {
            let found = capacitance_from_resonances(alone, across, known);
            if found.is_none() {
                errors.insert(
                    "across_hz".into(),
                    "With a capacitor across it the resonance is the lower one.".into(),
                );
            }
            found
        }
        _ => {
            errors
                .entry("across_pf".into())
                .or_insert("It takes all three: both resonances and the capacitor.".into());
            None
        }
    }
}

/// What is hardly so: a reading far from what the design can be is asked about once, by its field, and not refused.
pub async fn doubts(app: &App, run: &Run, new: &[NewReading]) -> Result<Errors, AppError> {
    let mut doubts = Errors::new();
    let turns = new.iter().find(|r| r.kind == Kind::Turns).and_then(|r| r.value);
    if let Some(turns) = turns.filter(|t| !(0.4..=1.6).contains(&(t / f64::from(run.row.planned_turns)))) {
        doubts.insert(
            "turns".into(),
            format!("{} turns of {} planned?", format::turns(turns), format::turns(run.row.planned_turns)),
        );
    }
    let mut measured_coils = run.design.clone();
    if let (Some(coil), Some(turns)) = (measured_coils.coils.first_mut(), turns) {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "1 to 50,000")]
        let turns = turns.clamp(10.0, 50_000.0) as u32;
        coil.wind.turns = turns;
    }
    let Ok(prediction) = app.predictions.calibrated(&measured_coils, run.calibration).await? else {
        return Ok(doubts);
    };
    let pickup = &prediction.pickup;
    for (kind, field, expected, scale) in [
        (Kind::Resistance, "resistance", pickup.resistance_20c_ohm.nominal, KILOOHM),
        (Kind::Inductance, "inductance", pickup.inductance_h.nominal, HENRY),
    ] {
        let read = new.iter().find(|r| r.kind == kind).and_then(|r| r.value);
        if let Some(value) = read.filter(|v| !(0.4..=1.8).contains(&(v / expected))) {
            let (value, expected) = (scale.finer().text(value), scale.text(expected));
            doubts
                .insert(field.into(), format!("{value}, where {expected} is predicted: a slip of the unit?"));
        }
    }
    Ok(doubts)
}
