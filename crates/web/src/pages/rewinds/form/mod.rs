//! The guided sheet of an examined pickup: its fields, and what they say.

mod parts;
mod poles;

pub(super) use parts::parts;

use coil::Word as _;
use coil::design::{Design, Format, Problem, starting_point};
use coil::identification::{Measurand, Measurement, Suspected};
use coil::magnet::{Grade, Material};
use coil::quantity::{Frequency, Inductance, Measure, ParseQuantity as _, Resistance, Turns, Units};
use coil::wire::{Gauge, Insulation};
use poles::PoleTable;
use presentation::field::Field;
use presentation::form_fields::{Errors, FormFields};
use presentation::format;
use presentation::read::{measured, number_in, optional};
use store::rewind::Purpose;
use trade::traveller::RewindFinish;
use workshop::RewindDraft;

/// A part of the sheet, in the order of the bench.
pub(super) struct Part {
    /// Its heading.
    pub title: &'static str,
    /// What to mind, in a sentence.
    pub hint: &'static str,
    /// Its fields.
    pub fields: Vec<Field>,
    /// What is asked of each pole, a row a pole.
    pub poles: Option<PoleTable>,
}

impl Part {
    fn new(title: &'static str, hint: &'static str, fields: Vec<Field>) -> Self {
        Self { title, hint, fields, poles: None }
    }
}

/// Words about how it looks: key and label.
const LOOKS: [(&str, &str); 8] = [
    ("leads", "Leads and their colours"),
    ("markings", "Markings and dates"),
    ("tape", "Tape and string"),
    ("solder", "Solder joints"),
    ("potting", "Wax or lacquer"),
    ("wire_colour", "Colour of the wire"),
    ("story", "What is said of it"),
    ("notes", "Anything else"),
];
/// Longest of those, letters.
const LONGEST_WORDS: usize = 500;

/// Sizes of the first coil's former: key, label, range in mm.
const FORMER: [(&str, &str, (f64, f64)); 6] = [
    ("core_length", "Core length", (2.0, 250.0)),
    ("core_width", "Core width", (0.5, 80.0)),
    ("height", "Height between the flanges", (0.5, 60.0)),
    ("flange_bottom", "Lower flange", (0.0, 10.0)),
    ("flange_top", "Upper flange", (0.0, 10.0)),
    ("room", "Core to the flange’s edge", (0.2, 30.0)),
];

fn former_mut(design: &mut Design, key: &str, value: f64) {
    let Some(before) = former(design, key) else { return };
    if (value - before).abs() < 1e-9 {
        // A round core has no width of its own.
        return;
    }
    // Coils that were alike stay alike.
    for i in 0..design.coils.len() {
        let of_coil = &mut design.coils[i].former;
        let place = match key {
            "core_length" => &mut of_coil.core.length_mm,
            "core_width" => of_coil.core.width_mm.get_or_insert(value),
            "height" => &mut of_coil.height_mm,
            "flange_bottom" => &mut of_coil.flange_bottom_mm,
            "flange_top" => &mut of_coil.flange_top_mm,
            _ => &mut of_coil.room_mm,
        };
        if (*place - before).abs() < 1e-9 || i == 0 {
            *place = value;
        }
    }
}

fn former(design: &Design, key: &str) -> Option<f64> {
    let of = &design.coils.first()?.former;
    Some(match key {
        "core_length" => of.core.length_mm,
        "core_width" => of.core.size_mm().1,
        "height" => of.height_mm,
        "flange_bottom" => of.flange_bottom_mm,
        "flange_top" => of.flange_top_mm,
        _ => of.room_mm,
    })
}

/// The first magnet's grade, among poles or bars.
fn magnet(design: &Design) -> Option<Grade> {
    let poles = design.poles.iter().map(|p| p.material);
    let bars = design.bars.iter().map(|b| b.material);
    poles.chain(bars).find_map(|material| match material {
        Material::Named(grade) if Grade::MAGNETS.contains(&grade) => Some(grade),
        _ => None,
    })
}

fn set_magnet(design: &mut Design, grade: Grade) {
    let poles = design.poles.iter_mut().map(|p| &mut p.material);
    let bars = design.bars.iter_mut().map(|b| &mut b.material);
    for material in poles.chain(bars).filter(|m| m.demagnetisation().is_some()) {
        *material = Material::Named(grade);
    }
}

/// Carries out the step that was asked for on a form.
pub(super) fn stepped(form: &mut FormFields, units: Units) {
    if form.get("step") == "poles-alike" {
        let pickup = pickup_of(form, &mut Errors::new(), units);
        poles::align(form, pickup.poles.len());
    }
}

/// What a form shows of the pickup's own sizes.
pub(super) fn sizes(draft: &RewindDraft, units: Units) -> FormFields {
    let mut form = FormFields::default();
    let pickup = &draft.findings.pickup;
    form.set("pickup", serde_json::to_string(pickup).unwrap_or_default());
    for (key, ..) in FORMER {
        if let Some(mm) = former(pickup, key) {
            form.set(key, units.field(Measure::Length, mm));
        }
    }
    poles::fill(&mut form, pickup, &draft.findings.measured.flux_mt, units);
    form.set("magnet", magnet(pickup).map_or("", coil::Word::word));
    form
}

/// The form that shows a draft.
pub(super) fn filled(draft: &RewindDraft, units: Units) -> FormFields {
    let mut form = sizes(draft, units);
    let pickup = &draft.findings.pickup;
    form.set("name", draft.findings.name.clone());
    form.set("purpose", if draft.purpose == Purpose::Model { "model" } else { "rewind" });
    form.set("tags", draft.tags.clone());
    form.set("kind", pickup.kind.word());
    form.set("strings", pickup.strings.count.to_string());
    form.set("pitch", units.field(Measure::Length, pickup.strings.pitch_mm));
    let looks = &draft.looks;
    for (key, value) in [
        ("leads", &looks.leads),
        ("markings", &looks.markings),
        ("tape", &looks.tape),
        ("solder", &looks.solder),
        ("potting", &looks.potting),
        ("wire_colour", &looks.wire_colour),
        ("story", &looks.story),
        ("notes", &looks.notes),
    ] {
        form.set(key, value.clone());
    }
    let measured = &draft.findings.measured;
    let number = |value: f64| format::plain(value, 6);
    let value = |what: Measurand| measured.measurement(what).map(|m| m.value);
    for what in [Measurand::InductanceH, Measurand::Turns, Measurand::PeakHz] {
        form.set(what.key(), value(what).map_or_else(String::new, number));
    }
    // Not what two peaks tell: that is not typed.
    form.set("capacitance_pf", measured.capacitance_pf.map_or_else(String::new, |m| number(m.value)));
    let piece = measured.wire_ohm_per_m;
    let ohms = piece.map(|m| m.value * m.length_m.unwrap_or(1.0));
    form.set("wire_ohm", ohms.map_or_else(String::new, number));
    let length = piece.and_then(|m| m.length_m);
    form.set("wire_length", length.map_or_else(String::new, |m| units.field(Measure::WireLength, m)));
    form.set("wrap", <&str>::from(draft.finish.wrap));
    form.set("aged", if draft.finish.is_aged { "yes" } else { "no" });
    let resistance = if measured.open { "open".to_owned() } else { String::new() };
    form.set("resistance_ohm", value(Measurand::ResistanceOhm).map_or(resistance, number));
    for what in
        [Measurand::OuterWidthMm, Measurand::OuterLengthMm, Measurand::WireOverallMm, Measurand::WireBareMm]
    {
        form.set(what.key(), value(what).map_or_else(String::new, |mm| units.field(Measure::Length, mm)));
    }
    form.set(
        "wire_mass_g",
        value(Measurand::WireMassG).map_or_else(String::new, |g| units.field(Measure::Mass, g)),
    );
    let of = |what: Measurand, pick: fn(&Measurement) -> Option<f64>| {
        measured.measurement(what).as_ref().and_then(pick)
    };
    let celsius = of(Measurand::ResistanceOhm, |m| m.coil_c);
    form.set("coil_c", celsius.map_or_else(String::new, |c| units.field(Measure::Temperature, c)));
    form.set("test_hz", of(Measurand::InductanceH, |m| m.test_hz).map_or_else(String::new, number));
    form.set("cable_pf", of(Measurand::PeakHz, |m| m.cable_pf).map_or_else(String::new, number));
    let second = measured.second_peak_hz;
    form.set("second_peak_hz", second.map_or_else(String::new, |m| number(m.value)));
    form.set("second_cable_pf", second.and_then(|m| m.cable_pf).map_or_else(String::new, number));
    form.set("probe", measured.probe_mm.map_or_else(String::new, |mm| units.field(Measure::Length, mm)));
    form.set("edge", draft.edge_mm.map_or_else(String::new, |mm| units.field(Measure::Length, mm)));
    let said = &draft.findings.suspected;
    let gauges: Vec<String> = said.gauge.iter().map(ToString::to_string).collect();
    form.set("said_gauge", gauges.join(", "));
    form.set("said_insulation", said.insulation.first().map_or("", |i| coil::Word::word(*i)));
    form.set("said_turns", said.turns.map_or_else(String::new, number));
    form
}

/// The pickup that a form was shown with; of another format, count or pitch of strings it is begun anew.
fn pickup_of(form: &FormFields, errors: &mut Errors, units: Units) -> Design {
    let kind = Format::ALL.into_iter().find(|k| k.word() == form.get("kind")).unwrap_or(Format::TallSingle);
    let count = optional(form, errors, "strings", (4.0, 10.0), number_in("")).unwrap_or(6.0);
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "4 to 10")]
    let count = count.round() as u32;
    let pitch = measured(form, errors, "pitch", (3.0, 30.0), (Measure::Length, units)).unwrap_or(10.4);
    let shown: Option<Design> = serde_json::from_str(form.untrimmed("pickup")).ok();
    shown
        .filter(|d| d.kind == kind && d.strings.count == count && (d.strings.pitch_mm - pitch).abs() < 0.005)
        .unwrap_or_else(|| starting_point(kind, "Unknown", count, pitch))
}

/// Whether another format or row of strings is asked for than the pickup has that the form was shown with: its sizes are those of the new one.
pub(super) fn is_begun_anew(form: &FormFields, units: Units) -> bool {
    let pickup = pickup_of(form, &mut Errors::new(), units);
    serde_json::from_str::<Design>(form.untrimmed("pickup")).is_ok_and(|shown| {
        shown.kind != pickup.kind
            || shown.strings.count != pickup.strings.count
            || (shown.strings.pitch_mm - pickup.strings.pitch_mm).abs() > 0.005
    })
}

/// What a form says, with what cannot be read of it at its fields. `before` is the rewind as it is kept: what the form does not show stays.
pub(super) fn read(form: &FormFields, before: Option<&RewindDraft>, units: Units) -> (RewindDraft, Errors) {
    let mut errors = Errors::new();
    let is_anew = is_begun_anew(form, units);
    let mut pickup = pickup_of(form, &mut errors, units);
    let length = (Measure::Length, units);
    if !is_anew {
        for (key, _, range) in FORMER {
            if let Some(mm) = measured(form, &mut errors, key, range, length) {
                former_mut(&mut pickup, key, mm);
            }
        }
        poles::read_sizes(form, &mut errors, &mut pickup, units);
        if let Some(grade) = Grade::MAGNETS.into_iter().find(|g| g.word() == form.get("magnet")) {
            set_magnet(&mut pickup, grade);
        }
    }
    let mut draft = before.cloned().unwrap_or_else(|| RewindDraft::begun("", pickup.clone()));
    draft.findings.pickup = pickup;
    form.get("name").clone_into(&mut draft.findings.name);
    draft.purpose = if form.get("purpose") == "model" { Purpose::Model } else { Purpose::Rewind };
    draft.tags = tags_of(form.get("tags"));
    read_looks(form, &mut draft, &mut errors);
    draft.edge_mm = measured(form, &mut errors, "edge", (0.1, 40.0), length);
    draft.finish =
        RewindFinish { wrap: form.get("wrap").parse().unwrap_or_default(), is_aged: form.is_ticked("aged") };
    read_measured(form, &mut draft, &mut errors, units);
    draft.findings.suspected = read_said(form, &mut errors);
    (draft, errors)
}

/// Tags in one order, each once.
fn tags_of(text: &str) -> String {
    let mut all: Vec<String> = text
        .split(',')
        .map(|t| t.trim().chars().take(40).collect())
        .filter(|t: &String| !t.is_empty())
        .collect();
    all.sort();
    all.dedup();
    all.truncate(12);
    all.join(", ").chars().take(300).collect()
}

fn read_looks(form: &FormFields, draft: &mut RewindDraft, errors: &mut Errors) {
    let looks = &mut draft.looks;
    for (key, place) in [
        ("leads", &mut looks.leads),
        ("markings", &mut looks.markings),
        ("tape", &mut looks.tape),
        ("solder", &mut looks.solder),
        ("potting", &mut looks.potting),
        ("wire_colour", &mut looks.wire_colour),
        ("story", &mut looks.story),
        ("notes", &mut looks.notes),
    ] {
        presentation::read::limit_letters(form, errors, key, LONGEST_WORDS);
        form.get(key).chars().take(LONGEST_WORDS).collect::<String>().clone_into(place);
    }
}

/// Whether a number is the one that was shown: what went through a unit and back differs in its last digits.
fn is_same(known: f64, typed: f64) -> bool {
    (known - typed).abs() <= 1e-9 * typed.abs()
}

/// The number as it was known, where it is the one that is typed.
fn kept(known: Option<f64>, typed: Option<f64>) -> Option<f64> {
    match (known, typed) {
        (Some(known), Some(typed)) if is_same(known, typed) => Some(known),
        _ => typed,
    }
}

fn read_measured(form: &FormFields, draft: &mut RewindDraft, errors: &mut Errors, units: Units) {
    let readings = &mut draft.findings.measured;
    let resistance = form.get("resistance_ohm");
    readings.open = matches!(resistance.to_lowercase().as_str(), "open" | "ol" | "o.l." | "∞");
    // What a file said of how well something is known stays while the number stays.
    let mut put = |what: Measurand, value: Option<f64>| {
        let before = readings.measurement(what);
        let reading = value.map(|value| match before {
            Some(known) if is_same(known.value, value) => known,
            _ => Measurement { value, ..Measurement::default() },
        });
        readings.set(what, reading);
    };
    let ohms = |t: &str| Resistance::parse(t).map(Resistance::ohms).map_err(|e| e.to_string());
    let henries = |t: &str| Inductance::parse(t).map(Inductance::henries).map_err(|e| e.to_string());
    let hertz = |t: &str| Frequency::parse(t).map(Frequency::hz).map_err(|e| e.to_string());
    let turns = |t: &str| Turns::parse(t).map(|n| f64::from(n.0)).map_err(|e| e.to_string());
    let picofarads = number_in("pF");
    let mut typed = |what: Measurand, read: &dyn Fn(&str) -> Result<f64, String>| {
        if what == Measurand::ResistanceOhm
            && matches!(resistance.to_lowercase().as_str(), "open" | "ol" | "o.l." | "∞")
        {
            return None;
        }
        optional(form, errors, what.key(), what.range(), read)
    };
    let r = typed(Measurand::ResistanceOhm, &ohms);
    let l = typed(Measurand::InductanceH, &henries);
    let c = typed(Measurand::CapacitancePf, &picofarads);
    let n = typed(Measurand::Turns, &turns);
    let p = typed(Measurand::PeakHz, &hertz);
    for (what, value) in [
        (Measurand::ResistanceOhm, r),
        (Measurand::InductanceH, l),
        (Measurand::CapacitancePf, c),
        (Measurand::Turns, n),
        (Measurand::PeakHz, p),
    ] {
        put(what, value);
    }
    for what in
        [Measurand::OuterWidthMm, Measurand::OuterLengthMm, Measurand::WireOverallMm, Measurand::WireBareMm]
    {
        let value = measured(form, errors, what.key(), what.range(), (Measure::Length, units));
        put(what, value);
    }
    let mass = measured(form, errors, "wire_mass_g", Measurand::WireMassG.range(), (Measure::Mass, units));
    put(Measurand::WireMassG, mass);
    let ohm = optional(form, errors, "wire_ohm", (0.01, 1e6), ohms);
    let length_m = measured(form, errors, "wire_length", (0.01, 10_000.0), (Measure::WireLength, units));
    put(Measurand::WireOhmPerM, ohm.map(|ohm| ohm / length_m.unwrap_or(1.0)));
    let celsius = measured(form, errors, "coil_c", (-20.0, 120.0), (Measure::Temperature, units));
    let test_hz = optional(form, errors, "test_hz", (20.0, 1e5), hertz);
    let cable_pf = optional(form, errors, "cable_pf", (0.0, 1e4), &picofarads);
    if let Some(reading) = readings.resistance_ohm.as_mut() {
        reading.coil_c = celsius;
    }
    if let Some(reading) = readings.inductance_h.as_mut() {
        reading.test_hz = test_hz;
    }
    if let Some(reading) = readings.peak_hz.as_mut() {
        reading.cable_pf = kept(reading.cable_pf, cable_pf);
    }
    if let Some(reading) = readings.wire_ohm_per_m.as_mut() {
        reading.length_m = length_m;
    }
    let second = optional(form, errors, "second_peak_hz", Measurand::PeakHz.range(), hertz);
    let second_pf = optional(form, errors, "second_cable_pf", (0.0, 1e4), &picofarads);
    readings.second_peak_hz = second.map(|value| {
        let known = readings.second_peak_hz.filter(|known| is_same(known.value, value));
        let cable_pf = kept(known.and_then(|m| m.cable_pf), second_pf);
        Measurement { cable_pf, ..known.unwrap_or(Measurement { value, ..Measurement::default() }) }
    });
    readings.probe_mm = measured(form, errors, "probe", (0.0, 10.0), (Measure::Length, units));
    readings.flux_mt = poles::read_flux(form, errors, draft.findings.pickup.poles.len(), units);
}

fn read_said(form: &FormFields, errors: &mut Errors) -> Suspected {
    let mut said = Suspected::default();
    for word in form.get("said_gauge").split([',', ';']).map(str::trim).filter(|w| !w.is_empty()) {
        match word.parse::<Gauge>() {
            Ok(gauge) => said.gauge.push(gauge),
            Err(error) => {
                errors.insert("said_gauge".into(), error.to_string());
            }
        }
    }
    said.insulation.extend(Insulation::ALL.into_iter().find(|i| i.word() == form.get("said_insulation")));
    let turns = |t: &str| Turns::parse(t).map(|n| f64::from(n.0)).map_err(|e| e.to_string());
    said.turns = optional(form, errors, "said_turns", Measurand::Turns.range(), turns);
    said
}

/// Problems of findings at the fields that they belong to.
pub(super) fn at_fields(problems: &[Problem], errors: &mut Errors) {
    for problem in problems {
        let words = format!("{}; {}.", problem.text, problem.try_);
        errors.entry(field_of(&problem.at)).or_insert(words);
    }
}

fn field_of(at: &str) -> String {
    if let Some(rest) = at.strip_prefix("measured.") {
        let key = rest.split(['.', '[']).next().unwrap_or_default();
        return match key {
            "flux_mt" => poles::field_of("flux", at),
            "wire_ohm_per_m" => "wire_ohm".into(),
            "probe_mm" => "probe".into(),
            "open" => "resistance_ohm".into(),
            key => key.into(),
        };
    }
    match at {
        "name" => "name".into(),
        "suspected.turns" => "said_turns".into(),
        _ if at.contains("former.height") => "height".into(),
        _ if at.contains("former.room") => "room".into(),
        _ if at.contains("former.core") => "core_width".into(),
        _ if at.contains("flange") => "flange_bottom".into(),
        _ if at.contains("bevel") => poles::field_of("pole_bevel", at),
        _ if at.contains("diameter") => poles::field_of("pole_diameter", at),
        _ if at.contains("poles") => poles::field_of("pole_length", at),
        _ => "kind".into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use trade::traveller::Wrap;

    /// What a form says of what it shows is what it shows.
    #[rstest]
    fn a_draft_comes_back_through_its_form(
        #[values(Format::TallSingle, Format::TwinCoil, Format::Blade, Format::PerString)] kind: Format,
    ) {
        let units = Units::default();
        let mut draft = RewindDraft::begun("Drawer find", starting_point(kind, "Unknown", 6, 10.4));
        draft.tags = "mandola, old".into();
        draft.looks.story = "bought as it is".into();
        draft.edge_mm = Some(3.5);
        let reading = |value| Some(Measurement { value, ..Measurement::default() });
        draft.findings.measured.resistance_ohm =
            Some(Measurement { coil_c: Some(21.5), ..reading(6120.0).unwrap() });
        draft.findings.measured.inductance_h =
            Some(Measurement { test_hz: Some(120.0), ..reading(2.4).unwrap() });
        draft.findings.measured.wire_overall_mm = reading(0.063);
        draft.findings.measured.turns = reading(8120.0);
        draft.findings.measured.flux_mt =
            (0..draft.findings.pickup.poles.len().min(6)).map(|i| (i != 2).then_some(48.0)).collect();
        draft.findings.pickup.poles[0].length_mm = 12.0;
        draft.findings.measured.peak_hz = reading(8000.0);
        draft.findings.measured.second_peak_hz =
            Some(Measurement { cable_pf: Some(470.0), ..reading(3400.0).unwrap() });
        draft.findings.measured.wire_ohm_per_m =
            Some(Measurement { length_m: Some(4.0), ..reading(5.25).unwrap() });
        draft.finish = RewindFinish { wrap: Wrap::String, is_aged: true };
        draft.findings.suspected.gauge = vec!["42 AWG".parse().unwrap()];
        let form = filled(&draft, units);
        let (back, errors) = read(&form, Some(&draft), units);
        assert_eq!(errors, Errors::new());
        assert_eq!(back, draft);
    }

    #[test]
    fn what_cannot_be_read_is_told_at_its_field() {
        let units = Units::default();
        let draft = RewindDraft::begun("x", starting_point(Format::TallSingle, "Unknown", 6, 10.4));
        let mut form = filled(&draft, units);
        for (name, value) in [
            ("resistance_ohm", "lots"),
            ("flux_2", "48 many"),
            ("said_gauge", "hair"),
            ("turns", "3.5"),
            ("core_width", "900"),
        ] {
            form.set(name, value);
        }
        let (_, errors) = read(&form, None, units);
        let named: Vec<&str> = errors.keys().map(String::as_str).collect();
        assert_eq!(named, ["core_width", "flux_2", "resistance_ohm", "said_gauge", "turns"]);
        form.set("resistance_ohm", "open");
        let (draft, errors) = read(&form, None, units);
        assert!(draft.findings.measured.open && !errors.contains_key("resistance_ohm"));
    }

    /// Another format has its own former; what was typed of the old one does not go with it.
    #[test]
    fn another_format_is_begun_anew() {
        let units = Units::default();
        let mut form =
            filled(&RewindDraft::begun("x", starting_point(Format::TallSingle, "x", 6, 10.4)), units);
        assert!(!is_begun_anew(&form, units));
        form.set("core_width", "6");
        form.set("kind", "wide-single");
        assert!(is_begun_anew(&form, units));
        let (draft, _) = read(&form, None, units);
        assert_eq!(draft.findings.pickup, starting_point(Format::WideSingle, "Unknown", 6, 10.4));
    }
}
