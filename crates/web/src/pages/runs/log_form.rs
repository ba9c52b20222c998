//! The log's form: its fields, what was typed into them as readings, and the questions about readings that can hardly be.

use super::log_row::{LogRow, reading_name};
use crate::form::FormData;
use coil::circuit::capacitance_from_resonances;
use coil::design::Design;
use coil::quantity::{Frequency, Inductance, Measure, ParseQuantity, Resistance, Turns, Units, fixed};
use presentation::field::Field;
use presentation::form_fields::Errors;
use presentation::format::{self, HENRY, KILOOHM};
use presentation::read::{farads, measured};
use store::reading::NewReading;
use trade::reading::Kind;
use workshop::ReadingDoubt;

/// The test frequency of the capacitance range of a usual handheld meter, Hz.
pub(super) const METER_HZ: f64 = 500.0;

/// Why a form holds no readings.
#[derive(Debug, Default)]
pub(super) struct RefusedForm {
    /// Messages by field.
    pub errors: Errors,
    /// A capacitance reading, F, that is far too large to be the coil's own.
    pub not_a_capacitance_f: Option<f64>,
}

/// The fields of the log's form: all of them, or those of the one reading that is being corrected.
pub(super) fn reading_fields(
    form: &FormData,
    errors: &Errors,
    design: &Design,
    corrects: Option<&LogRow>,
    units: Units,
) -> (Vec<Field>, Vec<Field>) {
    let only = corrects.map(|row| row.kind);
    let wanted = |kind: Kind| only.is_none_or(|k| k == kind);
    let typed = |name: &str, label: &str, unit: &str, hint: &str| {
        Field::typed(name, label, hint).unit(unit).filled(form, errors)
    };
    let measured = |name: &str, label: &str, measure: Measure, hint: &str| {
        Field::measured(name, label, hint, (measure, units)).filled(form, errors)
    };
    let mut fields = Vec::new();
    if wanted(Kind::Turns) {
        fields.push(typed("turns", "Final turns", "", "Hand turns included."));
    }
    if wanted(Kind::Resistance) || wanted(Kind::Open) {
        fields.push(typed(
            "resistance",
            "Resistance",
            "Ω",
            "Such as 6.1k. Type open if the meter shows an open circuit.",
        ));
        fields.push(measured(
            "coil_c",
            "Coil temperature",
            Measure::Temperature,
            "Of the coil, not the room: a warm coil reads high.",
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
            "Of the pickup, from resonance; or leave this empty and type both resonances.",
        ));
        fields.push(typed(
            "alone_hz",
            "Resonance, unloaded",
            "Hz",
            "With an exciter coil, nothing connected.",
        ));
        fields.push(typed(
            "across_hz",
            "Resonance with a capacitor",
            "Hz",
            "The same with a known capacitor across the coil.",
        ));
        fields.push(typed("across_pf", "Capacitor across", "pF", "1000 is usual."));
        fields.push(typed(
            "input_pf",
            "Input of the instrument with its lead",
            "pF",
            "It stood across the coil both times, and is taken off. Empty for none.",
        ));
    }
    if wanted(Kind::Width) {
        fields.push(measured(
            "width",
            "Width of the coil",
            Measure::Length,
            "Over the winding at its thickest, by caliper.",
        ));
    }
    if wanted(Kind::Remark) {
        fields.push(typed("remark", "Remark", "", "Anything that may matter later.").wide());
    }
    let mut flux = Vec::new();
    if wanted(Kind::Flux) {
        for (pole, _) in design.numbered_poles() {
            if corrects.is_none_or(|row| row.name == reading_name(Kind::Flux, Some(pole))) {
                flux.push(measured(&format!("flux_{pole}"), &format!("Pole {pole}"), Measure::Flux, ""));
            }
        }
        if !flux.is_empty() {
            flux.push(measured(
                "probe",
                "Probe above the face",
                Measure::Length,
                "Where the sensing element is; 0.5 mm when empty.",
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
                "{} {unit} is out of range: {} to {} {unit}.",
                fixed(value, 4),
                fixed(range.0, 4),
                fixed(range.1, 4)
            ),
        ),
        Err(error) => errors.insert(name.into(), error.to_string()),
    };
    None
}

/// The range of a kind of reading in the unit of its field, of which one is so many of SI.
fn range(kind: Kind, scale: f64) -> (f64, f64) {
    kind.range().map_or((f64::NEG_INFINITY, f64::INFINITY), |(low, high)| (low * scale, high * scale))
}

/// What was filled in, as readings.
pub(super) fn readings_from(
    form: &FormData,
    design: &Design,
    units: Units,
) -> Result<Vec<NewReading>, RefusedForm> {
    let mut errors = Errors::new();
    let mut not_a_capacitance_f = None;
    let mut readings = Vec::new();
    let e = &mut errors;
    if let Some(turns) =
        optional(form, e, "turns", range(Kind::Turns, 1.0), "turns", |t: Turns| f64::from(t.0))
    {
        readings.push(NewReading::new(Kind::Turns, Some(turns)));
    }
    let coil_c = measured(form, e, "coil_c", (-20.0, 150.0), (Measure::Temperature, units));
    let typed = form.get("resistance").to_lowercase();
    if ["open", "ol", "o.l", "inf", "infinite", "∞"].contains(&typed.as_str()) {
        readings.push(NewReading::new(Kind::Open, None));
    } else if let Some(ohms) =
        optional(form, e, "resistance", range(Kind::Resistance, 1.0), "Ω", Resistance::ohms)
    {
        if coil_c.is_none() && !e.contains_key("coil_c") {
            e.insert(
                "coil_c".into(),
                "Enter the coil’s temperature: a coil 5 K warmer reads 2 % more.".into(),
            );
        }
        readings.push(NewReading { coil_c, ..NewReading::new(Kind::Resistance, Some(ohms)) });
    }
    let test_hz = optional(form, e, "test_hz", (20.0, 100_000.0), "Hz", Frequency::hz);
    if let Some(henries) =
        optional(form, e, "inductance", range(Kind::Inductance, 1.0), "H", Inductance::henries)
    {
        if test_hz.is_none() && !e.contains_key("test_hz") {
            e.insert("test_hz".into(), "Enter the test frequency: the reading rises with it.".into());
        }
        readings.push(NewReading { test_hz, ..NewReading::new(Kind::Inductance, Some(henries)) });
    }
    if let Some(farads) = capacitance(form, e, &mut not_a_capacitance_f) {
        readings.push(NewReading::new(Kind::Capacitance, Some(farads)));
    }
    if let Some(mm) = measured(form, e, "width", range(Kind::Width, 1e3), (Measure::Length, units)) {
        readings.push(NewReading::new(Kind::Width, Some(mm * 1e-3)));
    }
    if let Some(mm) = measured(form, e, "length", range(Kind::Length, 1e3), (Measure::Length, units)) {
        readings.push(NewReading::new(Kind::Length, Some(mm * 1e-3)));
    }
    let probe_mm = measured(form, e, "probe", (0.0, 20.0), (Measure::Length, units));
    for (pole, _) in design.numbered_poles() {
        let name = format!("flux_{pole}");
        if let Some(mt) = measured(form, e, &name, range(Kind::Flux, 1e3), (Measure::Flux, units)) {
            readings.push(NewReading {
                pole: Some(pole),
                probe_mm: Some(probe_mm.unwrap_or(0.5)),
                ..NewReading::new(Kind::Flux, Some(mt * 1e-3))
            });
        }
    }
    let remark = form.get("remark");
    if remark.chars().count() > 1000 {
        errors.insert("remark".into(), "A remark has up to 1,000 letters.".into());
    } else if !remark.is_empty() {
        readings.push(NewReading { words: remark.into(), ..NewReading::new(Kind::Remark, None) });
    }
    if readings.is_empty() && errors.is_empty() && not_a_capacitance_f.is_none() {
        errors.insert("turns".into(), "Enter at least one reading.".into());
    }
    if errors.is_empty() && not_a_capacitance_f.is_none() {
        Ok(readings)
    } else {
        Err(RefusedForm { errors, not_a_capacitance_f })
    }
}

/// The capacitance as typed, or from two resonances. Nanofarads off a finished coil are no capacitance: they are handed
/// over apart, to be explained.
fn capacitance(form: &FormData, errors: &mut Errors, not_one: &mut Option<f64>) -> Option<f64> {
    const MOST_F: f64 = 3e-9;
    let typed = form.get("capacitance");
    if !typed.is_empty() {
        match farads(typed) {
            Ok(value) if (1e-12..=MOST_F).contains(&value) => return Some(value),
            Ok(value) if value > MOST_F && value < 1e-6 => *not_one = Some(value),
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
            let input = match form.get("input_pf") {
                "" => Some(0.0),
                text => farads(text).ok().filter(|value| (0.0..5e-9).contains(value)),
            };
            let Some(input) = input else {
                errors.insert("input_pf".into(), "In picofarads, up to 5,000.".into());
                return None;
            };
            if found.is_some_and(|found| found <= input) {
                errors.insert("input_pf".into(), "That is more than was found across both.".into());
                return None;
            }
            if found.is_none() {
                errors.insert(
                    "across_hz".into(),
                    "With a capacitor across it the resonance is the lower one.".into(),
                );
            }
            found.map(|found| found - input)
        }
        _ => {
            errors
                .entry("across_pf".into())
                .or_insert("It takes all three: both resonances and the capacitor.".into());
            None
        }
    }
}

/// Why nanofarads are not the coil's own capacitance, with what the meter should show on this coil.
pub(super) fn not_a_capacitance(farads: f64, expected_f: Option<f64>) -> String {
    let expected = expected_f.map_or_else(String::new, |f| {
        format!(" A meter at {METER_HZ} Hz should show about {} nF on this coil.", fixed(f * 1e9, 0))
    });
    format!(
        "{} nF is not the coil's own capacitance: the capacitance range of a meter takes inductance and resistance for a \
         capacitor.{expected} The real one is tens to a few hundred picofarads: measure two resonances, and it is computed \
         from them.",
        fixed(farads * 1e9, 1)
    )
}

/// The questions about readings that can hardly be, by field.
pub(super) fn doubt_texts(doubts: &[ReadingDoubt]) -> Errors {
    doubts
        .iter()
        .map(|doubt| {
            let (field, scale) = match doubt.kind {
                Kind::Turns => ("turns", None),
                Kind::Inductance => ("inductance", Some(HENRY)),
                _ => ("resistance", Some(KILOOHM)),
            };
            let text = match scale {
                Some(scale) => format!(
                    "{} is far from the predicted {}. Is the unit right?",
                    scale.finer().text(doubt.value),
                    scale.text(doubt.expected)
                ),
                None => format!(
                    "{} turns, but {} were planned. Is that right?",
                    format::turns(doubt.value),
                    format::turns(doubt.expected)
                ),
            };
            (field.to_owned(), text)
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::quantity::{FluxUnit, LengthUnit, TemperatureUnit};
    use rstest::rstest;

    fn read(fields: &[(&str, &str)], units: Units) -> Result<Vec<NewReading>, RefusedForm> {
        let form: FormData = fields.iter().copied().collect();
        readings_from(&form, &tall_single("Sedge", 6, 10.4), units)
    }

    fn only(fields: &[(&str, &str)], units: Units) -> NewReading {
        let mut all = read(fields, units).unwrap();
        assert_eq!(all.len(), 1);
        all.remove(0)
    }

    #[rstest]
    #[case::turns(&[("turns", "7,500")], Kind::Turns, Some(7500.0))]
    #[case::kiloohms(&[("resistance", "5.8k"), ("coil_c", "22")], Kind::Resistance, Some(5800.0))]
    #[case::an_open_coil_in_words(&[("resistance", "Open")], Kind::Open, None)]
    #[case::an_open_coil_as_a_meter_shows_it(&[("resistance", "O.L")], Kind::Open, None)]
    #[case::henries(&[("inductance", "2.2 H"), ("test_hz", "1 kHz")], Kind::Inductance, Some(2.2))]
    #[case::picofarads(&[("capacitance", "105")], Kind::Capacitance, Some(105e-12))]
    #[case::width(&[("width", "13.2")], Kind::Width, Some(0.0132))]
    #[case::length(&[("length", "66 mm")], Kind::Length, Some(0.066))]
    #[case::flux(&[("flux_3", "-105")], Kind::Flux, Some(-0.105))]
    fn what_is_typed_becomes_a_reading(
        #[case] fields: &[(&str, &str)],
        #[case] kind: Kind,
        #[case] value: Option<f64>,
    ) {
        let reading = only(fields, Units::default());
        assert_eq!(reading.kind, kind);
        match (reading.value, value) {
            (Some(found), Some(expected)) => {
                assert!((found / expected - 1.0).abs() < 1e-9, "{found} {expected}");
            }
            (found, expected) => assert_eq!(found, expected),
        }
    }

    #[test]
    fn bare_numbers_are_in_the_units_of_the_workshop() {
        let units = Units {
            length: LengthUnit::Inch,
            temperature: TemperatureUnit::Fahrenheit,
            flux: FluxUnit::Gauss,
            ..Units::default()
        };
        let resistance = only(&[("resistance", "5800"), ("coil_c", "68")], units);
        assert!((resistance.coil_c.unwrap() - 20.0).abs() < 1e-9);
        let flux = only(&[("flux_1", "-1050"), ("probe", "0.02")], units);
        assert!((flux.value.unwrap() + 0.105).abs() < 1e-9);
        assert!((flux.probe_mm.unwrap() - 0.508).abs() < 1e-9);
        assert!((only(&[("width", "0.5")], units).value.unwrap() - 0.0127).abs() < 1e-9);
    }

    /// Buttons belong to no string, and are read in their order.
    #[test]
    fn buttons_have_fields_for_their_flux() {
        let buttons = coil::design::starting_point(coil::design::Format::ButtonMagnet, "Sedge", 6, 10.4);
        let form: FormData = [("flux_2", "-60")].into_iter().collect();
        let all = readings_from(&form, &buttons, Units::default()).unwrap();
        assert_eq!((all.len(), all[0].kind, all[0].pole), (1, Kind::Flux, Some(2)));
    }

    #[test]
    fn without_a_distance_the_probe_is_half_a_millimetre_above() {
        let flux = only(&[("flux_1", "-105")], Units::default());
        assert_eq!((flux.pole, flux.probe_mm), (Some(1), Some(0.5)));
    }

    /// By the published relation of two resonances, C = Ck / ((f1 / f2)² − 1): 100 pF that fall to half with 300 pF across.
    #[test]
    fn two_resonances_are_a_capacitance() {
        let fields = [("alone_hz", "8 kHz"), ("across_hz", "4 kHz"), ("across_pf", "300")];
        assert!((only(&fields, Units::default()).value.unwrap() - 100e-12).abs() < 1e-15);
    }

    /// An instrument's own input stood across the coil both times.
    #[test]
    fn the_instruments_input_is_taken_off() {
        let fields =
            [("alone_hz", "8 kHz"), ("across_hz", "4 kHz"), ("across_pf", "300"), ("input_pf", "60")];
        assert!((only(&fields, Units::default()).value.unwrap() - 40e-12).abs() < 1e-15);
    }

    #[rstest]
    #[case::nothing(&[], "turns")]
    #[case::too_many_turns(&[("turns", "60000")], "turns")]
    #[case::no_temperature(&[("resistance", "5.8k")], "coil_c")]
    #[case::a_temperature_that_is_none(&[("resistance", "5.8k"), ("coil_c", "warm")], "coil_c")]
    #[case::no_frequency(&[("inductance", "2.2")], "test_hz")]
    #[case::microfarads(&[("capacitance", "5 µF")], "capacitance")]
    #[case::one_resonance(&[("alone_hz", "8k")], "across_pf")]
    #[case::more_input_than_was_found(
        &[("alone_hz", "8k"), ("across_hz", "4k"), ("across_pf", "300"), ("input_pf", "150")], "input_pf")]
    #[case::no_input(
        &[("alone_hz", "8k"), ("across_hz", "4k"), ("across_pf", "300"), ("input_pf", "long")], "input_pf")]
    #[case::the_wrong_way_round(
        &[("alone_hz", "4k"), ("across_hz", "8k"), ("across_pf", "300")], "across_hz")]
    #[case::no_capacitor(&[("alone_hz", "8k"), ("across_hz", "4k"), ("across_pf", "some")], "across_pf")]
    #[case::three_tesla(&[("flux_2", "3 T")], "flux_2")]
    #[case::a_wide_coil(&[("width", "200")], "width")]
    fn what_cannot_be_is_told_at_its_field(#[case] fields: &[(&str, &str)], #[case] at: &str) {
        let refused = read(fields, Units::default()).unwrap_err();
        assert!(refused.errors.contains_key(at), "{:?}", refused.errors);
        assert_eq!(refused.errors.len(), 1, "{:?}", refused.errors);
        assert!(refused.not_a_capacitance_f.is_none());
    }

    /// A meter's capacitance range takes the whole coil for a capacitor: nanofarads are explained, not refused as too large.
    #[test]
    fn nanofarads_are_handed_over_to_be_explained() {
        let refused = read(&[("capacitance", "45 nF")], Units::default()).unwrap_err();
        assert!((refused.not_a_capacitance_f.unwrap() - 45e-9).abs() < 1e-15);
        assert!(refused.errors.is_empty());
        let text = not_a_capacitance(45e-9, Some(50e-9));
        assert!(text.contains("45") && text.contains("50 nF"), "{text}");
    }

    #[test]
    fn a_correction_asks_for_its_own_reading_alone() {
        let design = tall_single("Sedge", 6, 10.4);
        let (form, errors) = (FormData::default(), Errors::new());
        let (all, flux) = reading_fields(&form, &errors, &design, None, Units::default());
        assert_eq!((all.len(), flux.len()), (12, 7), "six poles and the probe");
        let names: Vec<&str> = all.iter().map(|field| field.name.as_str()).collect();
        assert!(names.contains(&"turns") && names.contains(&"remark"));
    }

    #[test]
    fn a_doubt_stands_at_the_field_that_it_is_about() {
        let doubt = |kind, value, expected| ReadingDoubt { kind, value, expected };
        let all = [
            doubt(Kind::Turns, 750.0, 7500.0),
            doubt(Kind::Resistance, 58.0, 5800.0),
            doubt(Kind::Inductance, 22.0, 2.2),
        ];
        let texts = doubt_texts(&all);
        assert_eq!(texts.keys().collect::<Vec<_>>(), ["inductance", "resistance", "turns"]);
        assert!(texts["turns"].contains("750") && texts["turns"].contains("7500"));
    }
}
