//! The build sheet of any format: every field a place in the document, read from what a maker types and written back.

mod fields;
mod groups;
mod lens;
mod one_by_one;
mod poles;
mod surroundings;

use crate::field::Field;
use crate::form_fields::{Errors, FormFields};
use coil::capital;
use coil::design::{Design, FORMAT, Pole, follow_row, limit_at};
use coil::quantity::Units;
use coil::wire::Gauge;
pub use fields::SpoolOption;
use fields::{Entry, FieldDef, Group};
use lens::{Slot, slot, target_range};
pub use one_by_one::{OneByOne, POLES_EACH, STRINGS_EACH};
use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};

/// A group of fields as the template shows it.
#[derive(Debug)]
pub struct Section {
    /// Its heading.
    pub title: String,
    /// Its fields.
    pub fields: Vec<Field>,
    /// Heads and rows of fields side by side.
    pub heads: Vec<&'static str>,
    /// Rows of fields.
    pub rows: Vec<SectionRow>,
    /// Buttons: step and label.
    pub tools: Vec<(String, Cow<'static, str>)>,
    /// Can be folded away.
    pub folded: bool,
    /// Begins unfolded.
    pub open: bool,
}

impl Section {
    /// Whether rows have buttons of their own.
    #[must_use]
    pub fn has_row_tools(&self) -> bool {
        self.rows.iter().any(|row| row.tool.is_some())
    }
}

/// A row of fields as the template shows it.
#[derive(Debug)]
pub struct SectionRow {
    /// What it is of.
    pub name: String,
    /// A field a column; none where it does not apply.
    pub cells: Vec<Option<Field>>,
    /// Its own button: step and label.
    pub tool: Option<(String, Cow<'static, str>)>,
}

/// Names of fields that are no places in the document.
const NAME: &str = "name";
/// Longest name of a design, characters.
const LONGEST_NAME: usize = 120;
const GAP: &str = "strings.gap";

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
        let rows =
            g.table.iter().flat_map(|(_, rows)| rows.iter().flat_map(|row| row.cells.iter().flatten()));
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

/// Whether a number is the end of a target that asks nothing: its field stays empty.
fn is_open_end(at: &str, value: f64) -> bool {
    at.starts_with("aims.") && limit_at(at).is_some_and(|limit| value <= limit.low || value >= limit.high)
}

/// A field's value as it is shown.
fn display(def: &FieldDef, design: &mut Design) -> String {
    if let Entry::Number(number) = &def.entry {
        let value = number_of(def, design).filter(|value| !is_open_end(&def.at, *value));
        return value.map_or_else(String::new, |n| number.display(n));
    }
    let at = places(&def.at, design).into_iter().next().unwrap_or_default();
    slot(design, &at).map_or_else(String::new, |slot| slot.text())
}

/// The sheet's fields, filled from a design, in the workshop's units.
#[must_use]
pub fn form_of(design: &Design, units: Units) -> FormFields {
    let groups = groups::groups(design, &[], OneByOne::default(), units);
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

/// What the sheet says, and how typed values were understood.
#[derive(Debug)]
pub struct Read {
    /// The design.
    pub design: Design,
    /// What each typed value was understood as.
    pub meant: BTreeMap<String, String>,
    /// The names of all fields of the sheet that was read ([`names`]).
    pub names: Vec<String>,
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
    let groups = groups::groups(base, spools, form.into(), units);
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
    for pair in targets(&groups) {
        reader.target(pair, form);
    }
    let Reader { mut errors, meant, mut design, .. } = reader;
    if !errors.is_empty() {
        return Err(errors);
    }
    follow_row(base, &mut design);
    design.drop_missing_grounds();
    design.drop_bevels_of_flat_poles();
    if let Some(gap) = gap {
        design.strings.set_one_gap_mm(gap);
    }
    // The engine has the last word.
    for problem in design.problems() {
        let (text, advice) = (units.sentence(&problem.text), units.sentence(&problem.try_));
        let text = format!("{}: {advice}.", capital(&text).trim_end_matches('.'));
        errors.entry(field_of(&problem.at, base, &groups)).or_insert(text);
    }
    if errors.is_empty() { Ok(Read { design, meant, names: names_of(&groups) }) } else { Err(errors) }
}

/// The pairs of ends of the targets.
fn targets(groups: &[Group]) -> Vec<(&FieldDef, &FieldDef)> {
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
        let range = def.range();
        let Some(value) = number.in_range(value, range) else {
            let ([low, high], unit) = (number.range_text(range), number.unit());
            let message = format!("{} is out of range: between {low} and {high} {unit}", number.text(value));
            self.fail(def, format!("{}.", message.trim_end()));
            return None;
        };
        if typed.contains(|c: char| c.is_alphabetic() || "\"/,°%".contains(c)) {
            self.meant.insert(def.at.clone(), format!("= {}", number.text(value)));
        }
        Some(value)
    }

    fn set_target(&mut self, key: &str, range: Option<[f64; 2]>) {
        if let Some(target) = target_range(&mut self.design.targets, key) {
            *target = range;
        }
    }

    fn target(&mut self, (from, to): (&FieldDef, &FieldDef), form: &FormFields) {
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
            (Some(Some(a)), Some(Some(b))) if a <= b => self.set_target(&key, Some([a, b])),
            (Some(Some(_)), Some(Some(_))) => self.fail(to, "The target ends below where it begins."),
            // One end alone: the other stands where it asks nothing.
            (Some(Some(a)), None) => self.set_target(&key, limit_at(&to.at).map(|limit| [a, limit.high])),
            (None, Some(Some(b))) => self.set_target(&key, limit_at(&from.at).map(|limit| [limit.low, b])),
            (None, None) => self.set_target(&key, None),
            _ => {}
        }
    }
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
        let range = def.range();
        match def.entry {
            Entry::Number(number) => {
                number.unit().clone_into(&mut field.unit);
                // The range of a target stands at its first end only.
                if !(def.at.starts_with("aims.") && def.at.ends_with("[1]")) {
                    field.hint = number.with_range(&def.hint, range);
                }
            }
            Entry::Choice(choices) => field.options = choices,
            Entry::Gauge | Entry::Words => {}
        }
        field.with(&now, errors)
    };
    groups::groups(design, spools, form.into(), units)
        .into_iter()
        .map(|group| {
            let (heads, rows) = group.table.unwrap_or_default();
            let fields: Vec<Field> = group.fields.into_iter().map(&mut field).collect();
            let targets = fields.iter().any(|f| f.name.starts_with("aims.") && !f.value.is_empty());
            Section {
                title: group.title,
                folded: group.folded,
                open: targets || fields.iter().any(|f| !f.error.is_empty()),
                fields,
                heads,
                rows: rows
                    .into_iter()
                    .map(|row| SectionRow {
                        name: row.name,
                        cells: row.cells.into_iter().map(|cell| cell.map(&mut field)).collect(),
                        tool: row.tool.map(|t| (t.step, t.label)),
                    })
                    .collect(),
                tools: group.tools.into_iter().map(|t| (t.step, t.label)).collect(),
            }
        })
        .collect()
}

/// The names of all fields of a design's sheet: two designs with the same names need no new sheet.
#[must_use]
pub fn names(design: &Design, one_by_one: OneByOne) -> Vec<String> {
    names_of(&groups::groups(design, &[], one_by_one, Units::default()))
}

fn names_of(groups: &[Group]) -> Vec<String> {
    all_fields(groups).map(|field| field.at.clone()).collect()
}

/// What the sheet of a design calls the places of its document; worked out once for all of them.
#[derive(Clone, Debug)]
pub struct PlaceNames {
    names: HashMap<String, String>,
    /// There are many places of poles, and few are asked for.
    poles: Vec<Pole>,
}

impl PlaceNames {
    /// The names of every place that the design's sheet has a field for.
    #[must_use]
    pub fn from_design(design: &Design) -> Self {
        let mut names = HashMap::from([(NAME.to_owned(), "Name".to_owned())]);
        for group in groups::groups_without_poles(design) {
            let plain = group.title == "Target"
                || ["Wire", "Former", "Strings"].iter().any(|title| group.title.starts_with(title));
            for field in group.fields {
                let name = if plain { field.label } else { format!("{}: {}", group.title, field.label) };
                names.entry(field.at).or_insert(name);
            }
            for row in group.table.map(|(_, rows)| rows).unwrap_or_default() {
                for cell in row.cells.into_iter().flatten() {
                    let name = format!("{} {}, {}", group.title.trim_end_matches('s'), row.name, cell.label);
                    names.entry(cell.at).or_insert(name);
                }
            }
        }
        Self { names, poles: design.poles.clone() }
    }

    /// A place as the sheet calls it; the place itself where the sheet has no field for it.
    #[must_use]
    pub fn words<'a>(&'a self, at: &'a str) -> Cow<'a, str> {
        let known = self.names.get(at).map(|name| Cow::Borrowed(name.as_str()));
        known.or_else(|| poles::name_of(&self.poles, at).map(Cow::Owned)).unwrap_or(Cow::Borrowed(at))
    }
}

#[cfg(test)]
mod tests;
