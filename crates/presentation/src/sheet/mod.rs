//! The build sheet of any format: every field a place in the document, read from what a maker types and written back.

mod fields;
mod groups;
mod lens;
mod surroundings;

use crate::field::Field;
use crate::form_fields::{Errors, FormFields};
use coil::design::{Design, FORMAT, OneString, follow_row};
use coil::quantity::Units;
use coil::wire::Gauge;
pub use fields::SpoolOption;
use fields::{Entry, FieldDef, Group};
use lens::{Slot, aim_range, slot};
use std::collections::BTreeMap;

/// A group of fields as the template shows it.
#[derive(Debug)]
pub struct Section {
    /// Its heading.
    pub title: String,
    /// Its fields.
    pub fields: Vec<Field>,
    /// Heads and rows of fields side by side.
    pub heads: Vec<&'static str>,
    /// Rows: label and fields.
    pub rows: Vec<(String, Vec<Field>)>,
    /// Buttons: step and label.
    pub tools: Vec<(String, &'static str)>,
    /// Can be folded away.
    pub folded: bool,
    /// Begins unfolded.
    pub open: bool,
}

/// Names of fields that are no places in the document.
const NAME: &str = "name";
/// Longest name of a design, characters.
const LONGEST_NAME: usize = 120;
const GAP: &str = "strings.gap";
/// The form's flag for poles set one by one.
pub const ONE_BY_ONE: &str = "poles_each";

/// The places that a field stands for: all poles of a coil for `poles{A}.key`.
fn places(at: &str, design: &Design) -> Vec<String> {
    let group = at.strip_prefix("poles{").and_then(|rest| rest.split_once("}."));
    match group {
        None => vec![at.to_owned()],
        Some((coil, key)) => (0..design.poles.len())
            .filter(|&k| design.poles[k].coil == coil)
            .map(|k| format!("poles[{k}].{key}"))
            .collect(),
    }
}

fn all_fields(groups: &[Group]) -> impl Iterator<Item = &FieldDef> {
    groups.iter().flat_map(|g| {
        let rows = g.table.iter().flat_map(|(_, rows)| rows.iter().flat_map(|(_, cells)| cells));
        g.fields.iter().chain(rows)
    })
}

/// Whether the field chooses a spool.
fn is_spool(def: &FieldDef) -> bool {
    def.at.rsplit('.').next() == Some("spool")
}

/// What the design has for a field, in the document's unit; `None` for what is no number, or is not there.
fn number_of(def: &FieldDef, design: &mut Design) -> Option<f64> {
    if def.at == GAP {
        return Some(design.strings.core_and_gap_mm(1).1);
    }
    let at = places(&def.at, design).into_iter().next()?;
    slot(design, &at)?.number()
}

/// A field's value as it is shown.
fn display(def: &FieldDef, design: &mut Design) -> String {
    if let Entry::Number(number) = &def.entry {
        return number_of(def, design).map_or_else(String::new, |n| number.display(n));
    }
    let at = places(&def.at, design).into_iter().next().unwrap_or_default();
    slot(design, &at).map_or_else(String::new, |slot| slot.text())
}

/// The sheet's fields, filled from a design, in the workshop's units.
#[must_use]
pub fn form_of(design: &Design, units: Units) -> FormFields {
    let groups = groups::groups(design, &[], false, units);
    let mut copy = design.clone();
    let mut sheet: BTreeMap<String, String> =
        all_fields(&groups).map(|s| (s.at.clone(), display(s, &mut copy))).collect();
    sheet.insert(NAME.into(), design.name.clone());
    // A design is plain data: it is always written.
    sheet.insert("document".into(), serde_json::to_string(design).unwrap_or_default());
    FormFields(sheet)
}

/// The design that a form's fields stand on; `None` where it carries none, or one that the engine would not take: it comes
/// from outside, and is checked like everything that does.
#[must_use]
pub fn base_of(form: &FormFields) -> Option<Design> {
    let text = form.get("document");
    if text.len() > coil::design::LONGEST_BYTES {
        return None;
    }
    let design: Design = serde_json::from_str(text).ok()?;
    // A design gets its name when it is saved.
    let named = Design { name: "unnamed".into(), ..design.clone() };
    let is_ours = design.format == FORMAT && design.name.chars().count() <= LONGEST_NAME;
    let is_sound = is_ours && named.problems().is_empty();
    is_sound.then_some(design)
}

/// Whether poles are set one by one.
fn one_by_one(form: &FormFields) -> bool {
    form.get(ONE_BY_ONE) == "yes"
}

/// What the sheet says, and how typed values were understood.
#[derive(Debug)]
pub struct Read {
    /// The design.
    pub design: Design,
    /// What each typed value was understood as.
    pub meant: BTreeMap<String, String>,
}

/// Reads the sheet into a design: what was typed, over `base`. A field that is not sent keeps what the base has.
///
/// # Errors
/// Messages by field, all at once.
pub fn read(form: &FormFields, base: &Design, spools: &[SpoolOption], units: Units) -> Result<Read, Errors> {
    let design = base.clone();
    let mut reader = Reader { errors: Errors::new(), meant: BTreeMap::new(), design, base, spools, units };
    let name = form.get(NAME);
    if name.is_empty() || name.chars().count() > LONGEST_NAME {
        reader.errors.insert(NAME.into(), "Give it a name of up to 120 letters.".into());
    }
    name.clone_into(&mut reader.design.name);
    let groups = groups::groups(base, spools, one_by_one(form), units);
    let mut gap = None;
    for def in all_fields(&groups) {
        let Some(typed) = form.0.get(&def.at).map(|t| t.trim()) else { continue };
        if def.at == GAP {
            gap = reader.number(def, typed);
        } else if def.at.starts_with("aims.") {
            // Ends of a range are put together below.
        } else {
            reader.field(def, typed);
        }
    }
    for pair in aims(&groups) {
        reader.aim(pair, form);
    }
    let Reader { mut errors, meant, mut design, .. } = reader;
    if !errors.is_empty() {
        return Err(errors);
    }
    follow_row(base, &mut design);
    design.drop_missing_grounds();
    if let Some(gap) = gap {
        set_gap(&mut design, gap);
    }
    // The engine has the last word.
    for problem in design.problems() {
        let (text, advice) = (units.sentence(&problem.text), units.sentence(&problem.try_));
        let text = format!("{}: {advice}.", capital(&text).trim_end_matches('.'));
        errors.entry(field_of(&problem.at, base, &groups)).or_insert(text);
    }
    if errors.is_empty() { Ok(Read { design, meant }) } else { Err(errors) }
}

/// A gap other than the usual one needs the strings by name.
fn set_gap(design: &mut Design, gap: f64) {
    let strings = &mut design.strings;
    if strings.each.is_empty() && (gap - strings.core_and_gap_mm(1).1).abs() > 1e-9 {
        strings.each =
            (1..=strings.count).map(|n| OneString { gap_mm: gap, ..strings.as_it_is(n) }).collect();
    }
}

/// The pairs of ends of the aims.
fn aims(groups: &[Group]) -> Vec<(&FieldDef, &FieldDef)> {
    let ends: Vec<&FieldDef> = all_fields(groups).filter(|s| s.at.starts_with("aims.")).collect();
    ends.chunks_exact(2).map(|pair| (pair[0], pair[1])).collect()
}

/// The field nearest to a place in the document.
fn field_of(at: &str, base: &Design, groups: &[Group]) -> String {
    let covers = |def: &&FieldDef| def.at == at || places(&def.at, base).iter().any(|p| p == at);
    if let Some(def) = all_fields(groups).find(covers) {
        return def.at.clone();
    }
    // What has no field of its own is said at the one that shares the most of its place.
    let shared = |def: &FieldDef| def.at.bytes().zip(at.bytes()).take_while(|(a, b)| a == b).count();
    all_fields(groups)
        .max_by_key(|s| shared(s))
        .filter(|s| shared(s) >= 5)
        .map_or_else(|| NAME.to_owned(), |s| s.at.clone())
}

/// Reads fields into a document and gathers what is wrong with them.
struct Reader<'a> {
    errors: Errors,
    meant: BTreeMap<String, String>,
    design: Design,
    base: &'a Design,
    spools: &'a [SpoolOption],
    units: Units,
}

impl Reader<'_> {
    fn fail(&mut self, def: &FieldDef, message: impl Into<String>) {
        self.errors.entry(def.at.clone()).or_insert(message.into());
    }

    /// Does something to every place that a field stands for.
    fn each(&mut self, def: &FieldDef, mut put: impl FnMut(&mut Slot<'_>)) {
        for at in places(&def.at, self.base) {
            if let Some(mut slot) = slot(&mut self.design, &at) {
                put(&mut slot);
            }
        }
    }

    fn field(&mut self, def: &FieldDef, typed: &str) {
        match &def.entry {
            Entry::Words => self.set_word(def, typed),
            Entry::Gauge => match typed.parse::<Gauge>() {
                Ok(gauge) => {
                    let bare = self.units.length(gauge.bare_m() * 1e3, 4);
                    self.meant.insert(def.at.clone(), format!("= {gauge}, {bare} bare"));
                    self.each(def, |slot| {
                        if let Slot::Gauge(value) = slot {
                            **value = gauge;
                        }
                    });
                }
                Err(error) => self.fail(def, capital(&error.to_string())),
            },
            Entry::Choice(_) if is_spool(def) => self.spool(def, typed),
            Entry::Choice(_) if typed == "keep" => {}
            Entry::Choice(all) if all.iter().any(|c| c.value == typed) => {
                self.set_word(def, typed);
            }
            Entry::Choice(_) => self.fail(def, "Choose one of the list."),
            Entry::Number(number) => {
                if typed.is_empty() && number.optional {
                    self.each(def, |slot| slot.set_number(None));
                } else if let Some(value) = self.number(def, typed) {
                    self.each(def, |slot| slot.set_number(Some(value)));
                }
            }
        }
    }

    /// Sets a word that the field has been checked to offer.
    fn set_word(&mut self, def: &FieldDef, word: &str) {
        let mut is_set = true;
        self.each(def, |slot| is_set &= slot.set_word(word));
        if !is_set {
            self.fail(def, "Choose one of the list.");
        }
    }

    fn spool(&mut self, def: &FieldDef, typed: &str) {
        let measured = match typed {
            "keep" => return,
            "" => None,
            id => match self.spools.iter().find(|s| s.id.to_string() == id) {
                Some(found) => Some(found.measured),
                None => return self.fail(def, "That spool is used up, or no longer there."),
            },
        };
        self.each(def, |slot| {
            if let Slot::Spool(value) = slot {
                **value = measured;
            }
        });
    }

    /// A number in the document's unit, or the complaint at its field. What shows as it was is as it was: a field that
    /// nobody touched loses no digit.
    fn number(&mut self, def: &FieldDef, typed: &str) -> Option<f64> {
        let Entry::Number(number) = &def.entry else { return None };
        if let Some(old) = number_of(def, &mut self.design)
            && number.display(old) == typed
        {
            return Some(old);
        }
        let value = match number.read(typed) {
            Ok(value) => value,
            Err(error) => {
                self.fail(def, capital(&error));
                return None;
            }
        };
        let Some(value) = number.in_range(value) else {
            let ([low, high], unit) = (number.range_text(), number.unit());
            let message = format!("{} is out of range: between {low} and {high} {unit}", number.text(value));
            self.fail(def, format!("{}.", message.trim_end()));
            return None;
        };
        if typed.contains(|c: char| c.is_alphabetic() || "\"/,°%".contains(c)) {
            self.meant.insert(def.at.clone(), format!("= {}", number.text(value)));
        }
        Some(value)
    }

    fn set_aim(&mut self, key: &str, range: Option<[f64; 2]>) {
        if let Some(aim) = aim_range(&mut self.design.aims, key) {
            *aim = range;
        }
    }

    fn aim(&mut self, (from, to): (&FieldDef, &FieldDef), form: &FormFields) {
        if !form.0.contains_key(&from.at) {
            return;
        }
        let mut end = |def: &FieldDef| match form.get(&def.at) {
            "" => None,
            typed => Some(self.number(def, typed)),
        };
        let ends = (end(from), end(to));
        let key = from.at.trim_start_matches("aims.").trim_end_matches("[0]").to_owned();
        match ends {
            (Some(Some(a)), Some(Some(b))) if a <= b => self.set_aim(&key, Some([a, b])),
            (Some(Some(_)), Some(Some(_))) => self.fail(to, "The target ends below where it begins."),
            (Some(_), None) => self.fail(to, "Say up to where, or leave both empty."),
            (None, Some(_)) => self.fail(from, "Say from where, or leave both empty."),
            (None, None) => self.set_aim(&key, None),
            _ => {}
        }
    }
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters
        .next()
        .map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect::<String>() + ".")
}

/// The sheet's sections with what was typed and what is wrong with it; what was not typed as the design has it.
#[must_use]
pub fn sections(
    design: &Design,
    form: &FormFields,
    errors: &Errors,
    spools: &[SpoolOption],
    units: Units,
) -> Vec<Section> {
    let mut copy = design.clone();
    let mut field = |def: FieldDef| {
        let now = form.0.get(&def.at).cloned().unwrap_or_else(|| display(&def, &mut copy));
        let mut field = Field::typed(&def.at, &def.label, &def.hint);
        match def.entry {
            Entry::Number(number) => {
                number.unit().clone_into(&mut field.unit);
                // What one may aim at has no useful range.
                if !def.at.starts_with("aims.") {
                    field.hint = number.with_range(&def.hint);
                }
            }
            Entry::Choice(choices) => field.options = choices,
            Entry::Gauge | Entry::Words => {}
        }
        field.with(&now, errors)
    };
    groups::groups(design, spools, one_by_one(form), units)
        .into_iter()
        .map(|group| {
            let (heads, rows) = group.table.unwrap_or_default();
            let fields: Vec<Field> = group.fields.into_iter().map(&mut field).collect();
            let aims = fields.iter().any(|f| f.name.starts_with("aims.") && !f.value.is_empty());
            Section {
                title: group.title,
                folded: group.folded,
                open: aims || fields.iter().any(|f| !f.error.is_empty()),
                fields,
                heads,
                rows: rows
                    .into_iter()
                    .map(|(l, cells)| (l, cells.into_iter().map(&mut field).collect()))
                    .collect(),
                tools: group.tools.into_iter().map(|t| (t.step, t.label)).collect(),
            }
        })
        .collect()
}

/// The names of all fields of a design's sheet: two designs with the same names need no new sheet.
#[must_use]
pub fn names(design: &Design, is_one_by_one: bool) -> Vec<String> {
    all_fields(&groups::groups(design, &[], is_one_by_one, Units::default())).map(|s| s.at.clone()).collect()
}

/// A place in the document as the sheet calls it.
#[must_use]
pub fn place_in_words(at: &str, design: &Design) -> String {
    if at == NAME {
        return "Name".into();
    }
    for group in groups::groups(design, &[], true, Units::default()) {
        let (_, rows) = group.table.unwrap_or_default();
        let found = group.fields.into_iter().find(|s| s.at == at).map(|s| s.label);
        if let Some(label) = found {
            let plain = group.title == "Target"
                || group.title.starts_with("Wire")
                || group.title.starts_with("Former");
            return if plain || group.title.starts_with("Strings") {
                label
            } else {
                format!("{}: {label}", group.title)
            };
        }
        for (row, cells) in rows {
            if let Some(cell) = cells.into_iter().find(|s| s.at == at) {
                return format!("{} {row}, {}", group.title.trim_end_matches('s'), cell.label);
            }
        }
    }
    at.to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Kind, Step, starting_point, tall_single};
    use coil::quantity::{FluxUnit, LengthUnit, MassUnit, TemperatureUnit};
    use proptest::prelude::*;
    use rstest::rstest;

    const IMPERIAL: Units = Units {
        length: LengthUnit::Inch,
        temperature: TemperatureUnit::Fahrenheit,
        flux: FluxUnit::Gauss,
        mass: MassUnit::Ounce,
    };

    fn with(kind: Kind, changes: &[(&str, &str)]) -> (FormFields, Design) {
        with_units(kind, changes, Units::default())
    }

    fn with_units(kind: Kind, changes: &[(&str, &str)], units: Units) -> (FormFields, Design) {
        let base = starting_point(kind, "Sedge", 6, 10.4);
        let mut sheet = form_of(&base, units);
        for (name, value) in changes {
            sheet.0.insert((*name).into(), (*value).into());
        }
        (sheet, base)
    }

    /// Every format comes back from its own sheet as it was, digit by digit.
    #[rstest]
    #[case::metric(Units::default())]
    #[case::imperial(IMPERIAL)]
    fn an_untouched_sheet_is_the_design(#[case] units: Units) {
        for kind in Kind::ALL {
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
        for kind in Kind::ALL {
            let mut base = starting_point(kind, "Sedge", 6, 10.4);
            for step in [Step::AddBar, Step::AddMetal, Step::AddStage(0), Step::EachString] {
                step.apply(&mut base).unwrap();
            }
            let groups = groups::groups(&base, &[], true, units);
            for def in all_fields(&groups) {
                let Entry::Number(number) = &def.entry else { continue };
                let limit = fields::limit_of(&def.at).unwrap_or_else(|| panic!("{} has no limit", def.at));
                let is_whole = limit.unit == "turns" || def.at == "strings.count";
                let step = if is_whole { 1.0 } else { 1e-2_f64.max(limit.high.abs() * 1e-3) };
                for (value, is_inside) in [
                    (limit.low, true),
                    (limit.high, true),
                    (limit.low - step, false),
                    (limit.high + step, false),
                ] {
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
                    assert_eq!(
                        read.is_some(),
                        is_inside,
                        "{kind:?} {}: {typed}, {:?}",
                        def.at,
                        reader.errors
                    );
                }
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

        /// A sheet becomes a design, whose sheet becomes the same design again.
        #[test]
        fn a_design_goes_through_its_sheet_unchanged(
            kind in 0..Kind::ALL.len(),
            turns in 500_u32..9000,
            tension in 0.01_f64..2.0,
            charge in 1_u32..=100,
            pitch in 9.0_f64..11.0,
            tone in 0.0_f64..1000.0,
            length in 3.0_f64..20.0,
        ) {
            let turns = turns.to_string();
            let (sheet, base) = with(Kind::ALL[kind], &[
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
            Kind::TallSingle,
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
        assert_eq!(design.aims.resistance_ohm, Some([5600.0, 6000.0]));
        assert!((design.room_c - 22.777).abs() < 1e-2);
        assert!(design.poles.iter().all(|p| (p.charge - 0.8).abs() < 1e-12));
        assert!((design.load.volume_kohm - 500.0).abs() < 1e-9 && (design.load.tone_nf - 47.0).abs() < 1e-9);
        assert_eq!(found.meant["poles[0].length_mm"], "= 16.764 mm");
    }

    #[test]
    fn a_bare_number_is_in_the_units_of_the_workshop() {
        let changes = [("poles[0].length_mm", "0.66"), ("room_c", "73"), ("strings.pitch_mm", "10.2 mm")];
        let (sheet, base) = with_units(Kind::TallSingle, &changes, IMPERIAL);
        assert_eq!(sheet.get("coils[0].former.height_mm"), "0.4331");
        let found = read(&sheet, &base, &[], IMPERIAL).map_err(|e| format!("{e:?}")).unwrap();
        assert!((found.design.poles[0].length_mm - 16.764).abs() < 1e-6);
        assert!((found.design.room_c - 22.777).abs() < 1e-2);
        assert!((found.design.strings.pitch_mm - 10.2).abs() < 1e-9);
        assert_eq!(found.meant["strings.pitch_mm"], "= 0.4016 in");
        let (sheet, base) = with_units(Kind::TallSingle, &[("coils[0].former.height_mm", "200")], IMPERIAL);
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
    #[case("aims.inductance_h[0]", "2")]
    #[case("poles[5].length_mm", "17 furlongs")]
    #[case("coils[0].wire.spool", "99")]
    fn what_cannot_be_is_said_at_its_field(#[case] field: &str, #[case] typed: &str) {
        let (sheet, base) = with(Kind::TallSingle, &[(field, typed)]);
        let errors = read(&sheet, &base, &[], Units::default()).map(|_| ()).unwrap_err();
        assert_eq!(errors.len(), 1, "{errors:?}");
        assert!(
            errors.keys().all(|name| name == field || name.starts_with("aims.inductance_h")),
            "{errors:?}"
        );
    }

    /// What only the engine sees is said at the field that it is about.
    #[test]
    fn contradictions_are_said_at_a_field_near_them() {
        let (sheet, base) = with(
            Kind::TallSingle,
            &[("coils[0].former.core.width_mm", "0.6"), ("coils[0].wind.margin_mm", "9")],
        );
        let errors = read(&sheet, &base, &[], Units::default()).map(|_| ()).unwrap_err();
        assert!(errors.keys().all(|k| k.starts_with("coils[0]")), "{errors:?}");
    }

    #[test]
    fn fewer_strings_shorten_the_row_and_left_hands_mirror_it() {
        let (sheet, base) = with(Kind::TallSingle, &[("strings.count", "4"), ("strings.handed", "left")]);
        let found = read(&sheet, &base, &[], Units::default()).map_err(|e| format!("{e:?}")).unwrap().design;
        assert_eq!(found.poles.len(), 4);
        assert!((found.poles[0].x_mm + 15.6).abs() < 1e-9);
        assert!((found.coils[0].former.core.size_mm().0 - (31.2 + 4.75)).abs() < 1e-9);
        assert_ne!(names(&found, false), names(&base, false));
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
        assert_eq!(place_in_words("coils[0].wind.turns", &design), "Turns");
        assert_eq!(place_in_words("poles[2].length_mm", &design), "Pole A 3, length");
        assert_eq!(place_in_words("bars[0].charge", &design), "bars[0].charge");
        let twin = starting_point(Kind::TwinCoil, "Sedge", 6, 10.0);
        assert_eq!(place_in_words("coils[1].wind.turns", &twin), "Coil B, wire and wind: Turns");
    }
}
