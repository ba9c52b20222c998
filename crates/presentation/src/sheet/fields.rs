//! What a field of the sheet is: a place in the document, with what it does, what is usual and what is allowed.

use crate::field::Choice;
use coil::Word as _;
use coil::design::{Limit, limit_at};
use coil::magnet::{Grade, Material};
use coil::quantity::{Conversion, Fraction, Measure, ParseQuantity, Turns, Units};
use std::borrow::Cow;

/// A spool that can be chosen for a coil.
#[derive(Clone, Debug)]
pub struct SpoolOption {
    /// Number.
    pub id: u64,
    /// As people read it.
    pub label: String,
    /// What was measured on it.
    pub measured: coil::design::Spool,
}

/// What a field takes.
pub(super) enum Entry {
    /// A number.
    Number(Number),
    /// One of a list.
    Choice(Vec<Choice>),
    /// A wire gauge.
    Gauge,
    /// Words.
    Words,
}

/// A number: in the document's unit inside, shown in its own unit or in the workshop's.
#[derive(Clone, Copy)]
pub(super) struct Number {
    conversion: Conversion,
    /// Whether it may be left empty.
    pub optional: bool,
    reading: Reading,
}

/// How a number is read.
#[derive(Clone, Copy)]
enum Reading {
    /// In the unit as shown.
    Own(fn(&str) -> Result<f64, String>),
    /// In the unit that the workshop has for the measure.
    In(Measure, Units),
}

/// A field.
pub(super) struct FieldDef {
    /// Its place in the document: `poles{A}.length_mm` stands for that key of all poles of coil A, `strings.gap` for the
    /// gap of every string.
    pub at: String,
    /// Label.
    pub label: String,
    /// What it does, what is usual.
    pub hint: Cow<'static, str>,
    /// What it takes.
    pub entry: Entry,
}

/// A button that changes the whole design.
pub(super) struct Tool {
    /// The step.
    pub step: String,
    /// What it is called.
    pub label: Cow<'static, str>,
}

/// A row of fields side by side.
pub(super) struct Row {
    /// What it is of.
    pub name: String,
    /// A field a column; none where it does not apply.
    pub cells: Vec<Option<FieldDef>>,
    /// A button of its own.
    pub tool: Option<Tool>,
}

/// Heads, and rows of fields.
pub(super) type Table = (Vec<&'static str>, Vec<Row>);

/// Fields that belong together.
#[derive(Default)]
pub(super) struct Group {
    /// Heading.
    pub title: String,
    /// One below another.
    pub fields: Vec<FieldDef>,
    /// Side by side.
    pub table: Option<Table>,
    /// Buttons.
    pub tools: Vec<Tool>,
    /// Folded away until something is in it: what a design can do without.
    pub folded: bool,
}

pub(super) fn typed<T: ParseQuantity>(text: &str, number: fn(T) -> f64) -> Result<f64, String> {
    T::parse(text).map(number).map_err(|e| e.to_string())
}

/// A bare number takes the unit `bare`.
pub(super) fn bare_in<T: ParseQuantity>(text: &str, number: fn(T) -> f64, bare: &str) -> Result<f64, String> {
    T::parse_in(text, bare).map(number).map_err(|e| e.to_string())
}

/// A number of which `per` of the document's unit make one as shown; its range comes from the table of limits, by its place.
pub(super) const fn scaled(unit: &'static str, per: f64, read: fn(&str) -> Result<f64, String>) -> Entry {
    Entry::Number(Number::new(Conversion::own(unit, per), Reading::Own(read)))
}

/// A number that is shown in the document's unit.
pub(super) const fn number(unit: &'static str, read: fn(&str) -> Result<f64, String>) -> Entry {
    scaled(unit, 1.0, read)
}

/// A number in the unit that the workshop has for a measure.
pub(super) fn measure(of: Measure) -> Entry {
    let units = Units::default();
    Entry::Number(Number::new(units.conversion(of), Reading::In(of, units)))
}

pub(super) fn mm() -> Entry {
    measure(Measure::Length)
}

pub(super) fn turns() -> Entry {
    number("", |t| typed(t, |t: Turns| f64::from(t.0)))
}

pub(super) fn percent() -> Entry {
    scaled("%", 0.01, |t| bare_in(t, |f: Fraction| f.ratio() * 100.0, "%"))
}

pub(super) fn optional(entry: Entry) -> Entry {
    match entry {
        Entry::Number(n) => Entry::Number(Number { optional: true, ..n }),
        other => other,
    }
}

pub(super) fn def(
    at: impl Into<String>,
    label: impl Into<String>,
    entry: Entry,
    hint: &'static str,
) -> FieldDef {
    FieldDef { at: at.into(), label: label.into(), hint: hint.into(), entry }
}

/// The limit of a field: that of the places it stands for.
pub(super) fn limit_of(at: &str) -> Option<&'static Limit> {
    let place = match at.split_once('{').zip(at.split_once("}.")) {
        Some(((list, _), (_, key))) => format!("{list}[].{key}"),
        None if at == "strings.gap" => "strings.each[].gap_mm".into(),
        None => at.to_owned(),
    };
    limit_at(&place)
}

pub(super) fn words(all: &[(&'static str, &'static str)]) -> Entry {
    Entry::Choice(all.iter().map(|(value, label)| Choice::new(*value, *label)).collect())
}

/// A material: the named grades, and what the file gave by figures.
pub(super) fn material(now: Material, magnets_first: bool) -> Entry {
    let magnets = Grade::MAGNETS.iter().copied();
    let others = [
        Grade::Steel,
        Grade::MildSteel1010,
        Grade::Brass,
        Grade::NickelSilver,
        Grade::Copper,
        Grade::Aluminium,
    ];
    let all: Vec<Grade> = if magnets_first {
        magnets.chain(others).collect()
    } else {
        others.into_iter().chain(magnets).collect()
    };
    let mut choices: Vec<Choice> = all.iter().map(|g| Choice::new(g.word(), g.spoken())).collect();
    if matches!(now, Material::Given(_)) {
        choices.insert(0, Choice::new("keep", "as given in the file"));
    }
    Entry::Choice(choices)
}

pub(super) fn headed(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |c| c.to_uppercase().chain(letters).collect())
}

impl Group {
    pub(super) fn all_fields_mut(&mut self) -> impl Iterator<Item = &mut FieldDef> {
        let rows = self.table.iter_mut().flat_map(|(_, rows)| rows);
        let rows = rows.flat_map(|row| row.cells.iter_mut().flatten());
        self.fields.iter_mut().chain(rows)
    }
}

/// Least and most of a number, in the document's unit.
pub(super) type Range = (f64, f64);

impl FieldDef {
    /// What its number may be.
    pub(super) fn range(&self) -> Range {
        limit_of(&self.at).map_or((f64::NEG_INFINITY, f64::INFINITY), |limit| (limit.low, limit.high))
    }

    pub(super) fn set_units(&mut self, units: Units) {
        self.hint = units.sentence(&self.hint).into_owned().into();
        if let Entry::Number(number) = &mut self.entry
            && let Reading::In(of, _) = number.reading
        {
            number.conversion = units.conversion(of);
            number.reading = Reading::In(of, units);
        }
    }
}

impl Number {
    const fn new(conversion: Conversion, reading: Reading) -> Self {
        Self { conversion, optional: false, reading }
    }

    /// Its unit as shown.
    pub(super) const fn unit(&self) -> &'static str {
        self.conversion.symbol
    }

    /// What was typed, in the document's unit.
    pub(super) fn read(&self, typed: &str) -> Result<f64, String> {
        match self.reading {
            Reading::In(of, units) => units.read(of, typed).map_err(|e| e.to_string()),
            Reading::Own(read) => read(typed).map(|shown| self.conversion.inside(shown)),
        }
    }

    /// The value within its range; `None` outside. A limit as it is shown in another unit may lie a last digit beyond.
    pub(super) fn in_range(&self, value: f64, (low, high): Range) -> Option<f64> {
        let slack = self.conversion.rounding(3).max(1e-9 * low.abs().max(high.abs()));
        (value >= low - slack && value <= high + slack).then(|| value.clamp(low, high))
    }

    /// The document's value with its unit, as messages have it.
    pub(super) fn text(&self, value: f64) -> String {
        format!("{} {}", self.display(value), self.unit()).trim_end().to_owned()
    }

    /// The range that is taken, in the unit as shown.
    pub(super) fn range_text(&self, (low, high): Range) -> [String; 2] {
        [low, high].map(|end| {
            let shown = self.conversion.shown(end);
            if shown >= 10_000.0 { crate::format::turns(shown) } else { self.conversion.number(end, 3) }
        })
    }

    /// A hint with the range that is taken.
    pub(super) fn with_range(&self, hint: &str, range: Range) -> String {
        let [low, high] = self.range_text(range);
        let range = format!("{hint} {low} to {high} {}", self.unit());
        format!("{}.", range.trim())
    }

    /// The document's value as the field shows it.
    pub(super) fn display(&self, value: f64) -> String {
        self.conversion.field(value)
    }
}
