use super::*;
use coil::design::{Format, Step, starting_point, tall_single};
use coil::quantity::{FluxUnit, LengthUnit, MassUnit, TemperatureUnit};
use proptest::prelude::*;
use rstest::rstest;

const IMPERIAL: Units = Units {
    length: LengthUnit::Inch,
    temperature: TemperatureUnit::Fahrenheit,
    flux: FluxUnit::Gauss,
    mass: MassUnit::Ounce,
};

fn with(kind: Format, changes: &[(&str, &str)]) -> (FormFields, Design) {
    with_units(kind, changes, Units::default())
}

fn with_units(kind: Format, changes: &[(&str, &str)], units: Units) -> (FormFields, Design) {
    let base = starting_point(kind, "Sedge", 6, 10.4);
    let mut sheet = form_of(&base, units);
    for (name, value) in changes {
        sheet.0.insert((*name).into(), (*value).into());
    }
    (sheet, base)
}

/// A target with one end only asks for "at least" or "at most": the document has both numbers, the sheet shows the one.
#[rstest]
#[case("5.6k", "", Some([5600.0, 1e6]), [5600.0, f64::INFINITY])]
#[case("", "6k", Some([1.0, 6000.0]), [f64::NEG_INFINITY, 6000.0])]
#[case("5.6k", "6k", Some([5600.0, 6000.0]), [5600.0, 6000.0])]
fn a_target_can_have_one_end(
    #[case] from: &str,
    #[case] to: &str,
    #[case] range: Option<[f64; 2]>,
    #[case] asked: [f64; 2],
) {
    let typed = [("aims.resistance_ohm[0]", from), ("aims.resistance_ohm[1]", to)];
    let (sheet, base) = with(Format::TallSingle, &typed);
    let design = read(&sheet, &base, &[], Units::default()).unwrap().design;
    assert_eq!(design.targets.resistance_ohm, range);
    assert!(design.problems().is_empty());
    assert_eq!(crate::figures::Figure::Resistance.target(&design.targets), Some(asked));
    let again = form_of(&design, Units::default());
    assert_eq!(again.get("aims.resistance_ohm[0]").is_empty(), from.is_empty());
    assert_eq!(again.get("aims.resistance_ohm[1]").is_empty(), to.is_empty());
    let read_again = read(&again, &design, &[], Units::default()).unwrap().design;
    assert_eq!(read_again.targets, design.targets);
}

/// Every format comes back from its own sheet as it was, digit by digit.
#[rstest]
#[case::metric(Units::default())]
#[case::imperial(IMPERIAL)]
fn an_untouched_sheet_is_the_design(#[case] units: Units) {
    for kind in Format::ALL {
        let (sheet, base) = with_units(kind, &[], units);
        let read = read(&sheet, &base, &[], units).map_err(|e| format!("{kind:?} {e:?}")).unwrap();
        assert_eq!(coil::design::differences(&base, &read.design), [], "{kind:?}");
    }
}

/// Every field of every format takes what the table of limits allows, and nothing beyond, in whatever units.
#[rstest]
#[case::metric(Units::default())]
#[case::imperial(IMPERIAL)]
fn every_field_has_the_limits_of_the_document(#[case] units: Units) {
    for kind in Format::ALL {
        let mut base = starting_point(kind, "Sedge", 6, 10.4);
        for step in [Step::AddBar, Step::AddMetal, Step::AddStage(0), Step::EachString] {
            step.apply(&mut base).unwrap();
        }
        let groups = groups::groups(&base, &[], ALL_EACH, units);
        for def in all_fields(&groups) {
            let Entry::Number(number) = &def.entry else { continue };
            let limit = fields::limit_of(&def.at).unwrap_or_else(|| panic!("{} has no limit", def.at));
            let is_whole = limit.unit == "turns" || def.at == "strings.count";
            let step = if is_whole { 1.0 } else { 1e-2_f64.max(limit.high.abs() * 1e-3) };
            for (value, is_inside) in
                [(limit.low, true), (limit.high, true), (limit.low - step, false), (limit.high + step, false)]
            {
                let mut reader = Reader {
                    errors: Errors::new(),
                    meant: BTreeMap::new(),
                    design: base.clone(),
                    base: &base,
                    spools: &[],
                    units,
                };
                let typed = &number.display(value);
                let read = reader.number(def, typed);
                assert_eq!(read.is_some(), is_inside, "{kind:?} {}: {typed}, {:?}", def.at, reader.errors);
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// A sheet becomes a design, whose sheet becomes the same design again.
    #[test]
    fn a_design_goes_through_its_sheet_unchanged(
        kind in 0..Format::ALL.len(),
        turns in 500_u32..9000,
        tension in 0.01_f64..2.0,
        charge in 1_u32..=100,
        pitch in 9.0_f64..11.0,
        tone in 0.0_f64..1000.0,
        length in 3.0_f64..20.0,
    ) {
        let turns = turns.to_string();
        let (sheet, base) = with(Format::ALL[kind], &[
            ("coils[0].wind.turns", turns.as_str()),
            ("coils[0].wind.tension_n", &format!("{tension:.4}")),
            ("poles{A}.charge", &charge.to_string()),
            ("strings.pitch_mm", &format!("{pitch:.3}")),
            ("load.tone_nf", &format!("{tone:.2}")),
            ("poles[0].length_mm", &format!("{length:.3}")),
        ]);
        if let Ok(first) = read(&sheet, &base, &[], Units::default()) {
            let again = read(&form_of(&first.design, Units::default()), &first.design, &[], Units::default());
            prop_assert!(again.is_ok());
            prop_assert_eq!(again.map(|r| r.design).unwrap_or(base), first.design);
        }
    }
}

#[test]
fn values_are_read_as_they_are_spoken() {
    let (sheet, base) = with(
        Format::TallSingle,
        &[
            ("poles[0].length_mm", "0.66in"),
            ("coils[0].wind.turns", "7,800"),
            ("coils[0].wire.gauge", "43"),
            ("aims.resistance_ohm[0]", "5.6k"),
            ("aims.resistance_ohm[1]", "6k"),
            ("room_c", "73 F"),
            ("poles{A}.charge", "80"),
            ("load.volume_kohm", "500"),
            ("load.tone_nf", "0.047 µF"),
        ],
    );
    let found = read(&sheet, &base, &[], Units::default()).map_err(|e| format!("{e:?}")).unwrap();
    let design = found.design;
    assert!((design.poles[0].length_mm - 16.764).abs() < 1e-6);
    assert_eq!(design.coils[0].wind.turns, 7800);
    assert_eq!(design.coils[0].wire.gauge.to_string(), "43 AWG");
    assert_eq!(design.targets.resistance_ohm, Some([5600.0, 6000.0]));
    assert!((design.room_c - 22.777).abs() < 1e-2);
    assert!(design.poles.iter().all(|p| (p.charge - 0.8).abs() < 1e-12));
    assert!((design.load.volume_kohm - 500.0).abs() < 1e-9 && (design.load.tone_nf - 47.0).abs() < 1e-9);
    assert_eq!(found.meant["poles[0].length_mm"], "= 16.764 mm");
}

#[test]
fn a_bare_number_is_in_the_units_of_the_workshop() {
    let changes = [("poles[0].length_mm", "0.66"), ("room_c", "73"), ("strings.pitch_mm", "10.2 mm")];
    let (sheet, base) = with_units(Format::TallSingle, &changes, IMPERIAL);
    assert_eq!(sheet.get("coils[0].former.height_mm"), "0.4331");
    let found = read(&sheet, &base, &[], IMPERIAL).map_err(|e| format!("{e:?}")).unwrap();
    assert!((found.design.poles[0].length_mm - 16.764).abs() < 1e-6);
    assert!((found.design.room_c - 22.777).abs() < 1e-2);
    assert!((found.design.strings.pitch_mm - 10.2).abs() < 1e-9);
    assert_eq!(found.meant["strings.pitch_mm"], "= 0.4016 in");
    let (sheet, base) = with_units(Format::TallSingle, &[("coils[0].former.height_mm", "200")], IMPERIAL);
    let errors = read(&sheet, &base, &[], IMPERIAL).map(|_| ()).unwrap_err();
    assert!(errors["coils[0].former.height_mm"].contains(" in"), "{errors:?}");
}

#[rstest]
#[case("coils[0].wind.turns", "many")]
#[case("coils[0].wind.turns", "3")]
#[case("coils[0].former.height_mm", "0")]
#[case("coils[0].wire.gauge", "12")]
#[case("strings.pitch_mm", "3")]
#[case("name", "")]
#[case("poles{A}.material", "cheese")]
#[case("aims.inductance_h[0]", "two")]
#[case("poles[5].length_mm", "17 furlongs")]
#[case("coils[0].wire.spool", "99")]
fn what_cannot_be_is_said_at_its_field(#[case] field: &str, #[case] typed: &str) {
    let (sheet, base) = with(Format::TallSingle, &[(field, typed)]);
    let errors = read(&sheet, &base, &[], Units::default()).map(|_| ()).unwrap_err();
    assert_eq!(errors.len(), 1, "{errors:?}");
    assert!(errors.keys().all(|name| name == field || name.starts_with("aims.inductance_h")), "{errors:?}");
}

/// What only the engine sees is said at the field that it is about.
#[test]
fn contradictions_are_said_at_a_field_near_them() {
    let (sheet, base) = with(
        Format::TallSingle,
        &[("coils[0].former.core.width_mm", "0.6"), ("coils[0].wind.margin_mm", "9")],
    );
    let errors = read(&sheet, &base, &[], Units::default()).map(|_| ()).unwrap_err();
    assert!(errors.keys().all(|k| k.starts_with("coils[0]")), "{errors:?}");
}

#[test]
fn fewer_strings_shorten_the_row_and_left_hands_mirror_it() {
    let (sheet, base) = with(Format::TallSingle, &[("strings.count", "4"), ("strings.handed", "left")]);
    let found = read(&sheet, &base, &[], Units::default()).map_err(|e| format!("{e:?}")).unwrap().design;
    assert_eq!(found.poles.len(), 4);
    assert!((found.poles[0].x_mm + 15.6).abs() < 1e-9);
    assert!((found.coils[0].former.core.size_mm().0 - (31.2 + 4.75)).abs() < 1e-9);
    assert_ne!(names(&found, OneByOne::default()), names(&base, OneByOne::default()));
}

/// What a form carries is checked before anything is made of it.
#[rstest]
#[case::many_strings("/strings/count", "4000000000")]
#[case::a_few_too_many("/strings/count", "300000")]
#[case::many_turns("/coils/0/wind/turns", "4000000000")]
#[case::negative("/coils/0/former/height_mm", "-11")]
#[case::endless("/strings/pitch_mm", "1e308")]
#[case::no_coils("/coils", "[]")]
#[case::another_kind("/format", "\"other/1\"")]
fn a_document_that_the_engine_would_not_take_is_no_base(#[case] place: &str, #[case] value: &str) {
    let mut form = form_of(&tall_single("Sedge", 6, 10.4), Units::default());
    assert!(base_of(&form).is_some());
    let mut document: serde_json::Value = serde_json::from_str(form.get("document")).unwrap();
    *document.pointer_mut(place).unwrap() = serde_json::from_str(value).unwrap();
    form.set("document", document.to_string());
    assert!(base_of(&form).is_none());
    form.set("document", " ".repeat(coil::design::LONGEST_BYTES + 1));
    assert!(base_of(&form).is_none());
}

#[test]
fn places_are_said_as_the_sheet_says_them() {
    let design = tall_single("Sedge", 6, 10.4);
    assert_eq!(PlaceNames::from_design(&design).words("coils[0].wind.turns"), "Turns");
    assert_eq!(PlaceNames::from_design(&design).words("poles[2].length_mm"), "Pole A 3, length");
    for unknown in ["poles[99].length_mm", "poles[0].colour", "poles[x].length_mm", "poles[0]"] {
        assert_eq!(PlaceNames::from_design(&design).words(unknown), unknown);
    }
    // Every field of poles set one by one is called as its row and column are.
    for group in groups::groups(&design, &[], ALL_EACH, Units::default()) {
        for row in group.table.map(|(_, rows)| rows).unwrap_or_default() {
            for cell in row.cells.iter().flatten().filter(|cell| cell.at.starts_with("poles")) {
                let expected = format!("Pole {}, {}", row.name, cell.label);
                assert_eq!(PlaceNames::from_design(&design).words(&cell.at), expected);
            }
        }
    }
    assert_eq!(PlaceNames::from_design(&design).words("bars[0].charge"), "bars[0].charge");
    let twin = starting_point(Format::TwinCoil, "Sedge", 6, 10.0);
    assert_eq!(PlaceNames::from_design(&twin).words("coils[1].wind.turns"), "Coil B, wire and wind: Turns");
}

/// Fields that do not apply are not there: no charge of steel, no bevel of a blade, no wall of a plate, no width of a round core.
#[test]
fn fields_are_there_where_they_apply() {
    let has = |design: &Design, at: &str| names(design, OneByOne::default()).iter().any(|name| name == at);
    let blade = starting_point(Format::Blade, "Sedge", 6, 10.0);
    let tall = tall_single("Sedge", 6, 10.4);
    assert!(has(&tall, "poles{A}.charge") && has(&tall, "poles{A}.bevel_mm"));
    assert!(!has(&blade, "poles{A}.charge") && !has(&blade, "poles{A}.bevel_mm"));
    let short = starting_point(Format::ShortSingle, "Sedge", 6, 10.0);
    assert!(has(&short, "metal[0].part") && !has(&short, "metal[0].wall_mm"));
    let mut round = tall.clone();
    round.coils[0].former.core = coil::former::Core::round(20.0);
    assert!(has(&tall, "coils[0].former.core.width_mm") && !has(&round, "coils[0].former.core.width_mm"));
}

/// Rods become squares, with what squares cannot have taken off; a core becomes a rectangle with corners.
#[test]
fn shapes_are_chosen() {
    let mut base = tall_single("Sedge", 6, 10.4);
    base.poles.iter_mut().for_each(|pole| pole.bevel_mm = 0.4);
    let mut sheet = form_of(&base, Units::default());
    sheet.set("poles{A}.shape", "square");
    sheet.set("coils[0].former.core.shape", "rectangle");
    sheet.set("load.volume_at", "40");
    let design = read(&sheet, &base, &[], Units::default()).map_err(|e| format!("{e:?}")).unwrap().design;
    assert!(design.poles.iter().all(|p| p.shape == coil::design::PoleShape::Square && p.bevel_mm == 0.0));
    assert_eq!(design.coils[0].former.core.shape, coil::former::CoreShape::Rectangle);
    assert!((design.load.circuit().volume_at - 0.4).abs() < 1e-12);
    // One by one the poles have places, and buttons to take them out.
    let mut one_by_one = form_of(&design, Units::default());
    one_by_one.set(POLES_EACH, "yes");
    let all = sections(&design, &one_by_one, &Errors::new(), &[], Units::default());
    let poles = all.iter().find(|s| s.has_row_tools()).unwrap();
    assert_eq!(poles.heads.len(), poles.rows[0].cells.len());
    assert!(!poles.heads.contains(&"Bevel"));
    assert_eq!(poles.rows[2].tool.as_ref().map(|(step, _)| step.as_str()), Some("pole.remove:2"));
}

const ALL_EACH: OneByOne = OneByOne { poles: true, strings: true };

/// The gap of all strings stays one field, whatever is typed, until somebody sets the strings one by one; typing it digit by digit comes
/// to the same as typing it at once.
#[test]
fn one_gap_stays_one_field() {
    let base = tall_single("Sedge", 6, 10.4);
    let mut sheet = form_of(&base, Units::default());
    let mut design = base.clone();
    for typed in ["1", "1.6"] {
        sheet.set("strings.gap", typed);
        let read = read(&sheet, &design, &[], Units::default()).map_err(|e| format!("{e:?}")).unwrap();
        assert_eq!(names(&read.design, OneByOne::default()), read.names, "no other fields after {typed}");
        design = read.design;
    }
    assert_eq!(design.strings.one_gap_mm(), Some(1.6));
    assert!((1..=6).all(|n| (design.strings.core_and_gap_mm(n).1 - 1.6).abs() < 1e-12));
    // Another number of strings keeps the gap of all.
    sheet.set("strings.count", "8");
    let eight = read(&sheet, &design, &[], Units::default()).map_err(|e| format!("{e:?}")).unwrap().design;
    assert_eq!((eight.strings.each.len(), eight.strings.one_gap_mm()), (8, Some(1.6)));
    // The usual gap again, and the document says nothing of single strings.
    sheet.set("strings.gap", "2.4");
    let usual = read(&sheet, &eight, &[], Units::default()).map_err(|e| format!("{e:?}")).unwrap().design;
    assert!(usual.strings.each.is_empty());
    // One by one each has its field.
    let each = names(&design, OneByOne { strings: true, ..OneByOne::default() });
    assert!(each.contains(&"strings.each[5].gap_mm".to_owned()) && !each.contains(&"strings.gap".to_owned()));
}
