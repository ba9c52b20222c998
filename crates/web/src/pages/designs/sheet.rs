//! The build sheet: every field of a tall single, read from what a maker types and written back.

use crate::filled::{Errors, Filled};
use crate::layout::{Choice, Field};
use coil::design::{Aims, Design, Direction, OneString, Polarity, Pole, PoleShape, place_in_row};
use coil::former::{Core, CoreShape};
use coil::magnet::{Grade, Material};
use coil::quantity::{Fraction, Inductance, Length, Resistance, Spoken, Temperature, Tension, Turns, fixed};
use coil::wind::WANDER_SCATTERED;
use coil::wire::Gauge;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::collections::BTreeMap;

/// Most strings a pickup has.
const MOST_STRINGS: u32 = 10;

/// A group of fields.
pub struct Section {
    /// Its heading.
    pub title: &'static str,
    /// Its fields.
    pub fields: Vec<Field>,
}

/// A fitting spool on the shelf, for the sheet's choice.
#[derive(Clone, Debug)]
pub struct Shelf {
    /// Number.
    pub id: u64,
    /// As people read it.
    pub label: String,
    /// What was measured on it.
    pub measured: coil::design::Spool,
}

/// The name of a value in the document's own words.
fn word<T: Serialize>(value: T) -> String {
    serde_json::to_value(value).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
}

fn from_word<T: DeserializeOwned>(text: &str) -> Option<T> {
    serde_json::from_value(serde_json::Value::String(text.to_owned())).ok()
}

fn mm(value: f64) -> String {
    fixed(value, 4)
}

/// Whether a core lies round the row of rods, and with how much liner, mm.
fn liner_of(design: &Design) -> Option<f64> {
    let core = design.coils.first()?.former.core;
    let (row, diameter) = row_of(design);
    let (length, width) = core.size_mm();
    let liner = (width - diameter) / 2.0;
    let round_rods = core.shape == CoreShape::Stadium && liner > -1e-6 && (length - row - width).abs() < 1e-6;
    round_rods.then_some(liner.max(0.0))
}

/// Distance of the outer rods and the thickest rod, mm.
fn row_of(design: &Design) -> (f64, f64) {
    let at = design.poles.iter().map(|p| p.x_mm);
    let (low, high) = at.fold((f64::MAX, f64::MIN), |(low, high), x| (low.min(x), high.max(x)));
    let diameter = design.poles.iter().map(|p| p.diameter_mm).fold(0.0, f64::max);
    ((high - low).max(0.0), diameter)
}

/// The sheet's fields, filled from a design.
#[must_use]
pub fn filled_from(design: &Design) -> Filled {
    let mut sheet = BTreeMap::new();
    let mut put = |name: &str, value: String| sheet.insert(name.to_owned(), value);
    put("name", design.name.clone());
    put("count", design.strings.count.to_string());
    put("pitch", mm(design.strings.pitch_mm));
    put("gap", mm(design.strings.core_and_gap_mm(1).1));
    put("handed", word(design.strings.handed));
    if let Some(pole) = design.poles.first() {
        put("rod_diameter", mm(pole.diameter_mm));
        put(
            "alloy",
            match pole.material {
                Material::Named(grade) => word(grade),
                Material::Given(_) => "keep".into(),
            },
        );
        put("charge", fixed(pole.charge * 100.0, 1));
        put("up", word(pole.up));
    }
    for string in 1..=MOST_STRINGS {
        let pole = design.poles.iter().find(|p| p.string == Some(string)).or(design.poles.last());
        put(&format!("length_{string}"), pole.map_or_else(|| "17".into(), |p| mm(p.length_mm)));
    }
    if let Some(coil) = design.coils.first() {
        let liner = liner_of(design);
        put("core", if liner.is_some() { "rods" } else { "own" }.into());
        put("liner", mm(liner.unwrap_or(0.0)));
        let (length, width) = coil.former.core.size_mm();
        put("core_length", mm(length));
        put("core_width", mm(width));
        put("height", mm(coil.former.height_mm));
        put("room", mm(coil.former.room_mm));
        put("flange_bottom", mm(coil.former.flange_bottom_mm));
        put("flange_top", mm(coil.former.flange_top_mm));
        put("gauge", coil.wire.gauge.to_string());
        put("insulation", word(coil.wire.insulation));
        put("build", word(coil.wire.build));
        put("range", word(coil.wire.range));
        put("spool", if coil.wire.spool.is_some() { "keep" } else { "" }.into());
        put("turns", coil.wind.turns.to_string());
        put("pattern", if coil.wind.wander < 0.05 { "straight" } else { "scattered" }.into());
        put("packing", coil.wind.packing.map_or_else(String::new, |p| fixed(p, 3)));
        put("direction", word(coil.wind.direction));
        put("tension", coil.wind.tension_n.map_or_else(String::new, |t| fixed(t, 3)));
        put("margin", mm(coil.wind.margin_mm));
    }
    put("room_c", fixed(design.room_c, 1));
    for (key, aim, factor) in
        [("aim_r", design.aims.resistance_ohm, 1e-3), ("aim_l", design.aims.inductance_h, 1.0)]
    {
        let unit = if factor < 1.0 { "k" } else { "" };
        let end = |i: usize| aim.map_or_else(String::new, |a| format!("{}{unit}", fixed(a[i] * factor, 4)));
        put(&format!("{key}_from"), end(0));
        put(&format!("{key}_to"), end(1));
    }
    Filled(sheet)
}

/// Reads fields and gathers what is wrong with them.
struct Reader<'a> {
    filled: &'a Filled,
    errors: Errors,
    /// What each typed value was understood as, in the field's own unit.
    meant: BTreeMap<String, String>,
}

impl Reader<'_> {
    fn fail(&mut self, name: &str, message: impl Into<String>) {
        self.errors.entry(name.to_owned()).or_insert(message.into());
    }

    /// A quantity within `low..=high` of `unit`; `fallback` stands in after an error.
    fn quantity<T: Spoken>(
        &mut self,
        name: &str,
        range: (f64, f64),
        unit: &str,
        number: fn(T) -> f64,
        fallback: f64,
    ) -> f64 {
        let typed = self.filled.get(name).to_owned();
        match T::parse(&typed) {
            Ok(value) => {
                let value = number(value);
                if value >= range.0 && value <= range.1 {
                    if typed.contains(|c: char| c.is_alphabetic() || "\"/,°%".contains(c)) {
                        self.meant.insert(
                            name.to_owned(),
                            format!("= {} {unit}", fixed(value, 4)).trim_end().to_owned(),
                        );
                    }
                    return value;
                }
                let unit = if unit.is_empty() { String::new() } else { format!(" {unit}") };
                self.fail(
                    name,
                    format!(
                        "{}{unit} is out of range: between {} and {}{unit}.",
                        fixed(value, 4),
                        fixed(range.0, 3),
                        fixed(range.1, 3)
                    ),
                );
            }
            Err(error) => self.fail(name, capital(&error.to_string())),
        }
        fallback
    }

    fn mm(&mut self, name: &str, low: f64, high: f64, fallback: f64) -> f64 {
        self.quantity(name, (low, high), "mm", Length::mm, fallback)
    }

    fn optional<T: Spoken>(
        &mut self,
        name: &str,
        range: (f64, f64),
        unit: &str,
        number: fn(T) -> f64,
    ) -> Option<f64> {
        if self.filled.get(name).is_empty() {
            return None;
        }
        let read = self.quantity(name, range, unit, number, f64::NAN);
        (!read.is_nan()).then_some(read)
    }

    fn choice<T: DeserializeOwned>(&mut self, name: &str, fallback: T) -> T {
        match from_word(self.filled.get(name)) {
            Some(value) => value,
            None => {
                self.fail(name, "Choose one of the list.");
                fallback
            }
        }
    }

    fn aim<T: Spoken>(
        &mut self,
        key: &str,
        range: (f64, f64),
        unit: &str,
        number: fn(T) -> f64,
    ) -> Option<[f64; 2]> {
        let (from_name, to_name) = (format!("{key}_from"), format!("{key}_to"));
        let from = self.optional::<T>(&from_name, range, unit, number);
        let to = self.optional::<T>(&to_name, range, unit, number);
        match (from, to) {
            (Some(from), Some(to)) if from <= to => Some([from, to]),
            (Some(_), Some(_)) => {
                self.fail(&to_name, "The aim ends below where it begins.");
                None
            }
            (Some(_), None) => {
                self.fail(&to_name, "Say up to where, or leave both empty.");
                None
            }
            (None, Some(_)) => {
                self.fail(&from_name, "Say from where, or leave both empty.");
                None
            }
            (None, None) => None,
        }
    }
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters
        .next()
        .map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect::<String>() + ".")
}

/// What the sheet says, and how typed values were understood.
pub struct Read {
    /// The design.
    pub design: Design,
    /// What each typed value was understood as.
    pub meant: BTreeMap<String, String>,
}

/// Reads the sheet into a design. Parts that the sheet does not show (bars, metal, plan, load) are those of
/// `base`.
///
/// # Errors
/// Messages by field, all at once.
pub fn read(filled: &Filled, base: &Design, shelf: &[Shelf]) -> Result<Read, Errors> {
    let mut design = base.clone();
    let mut reader = Reader { filled, errors: Errors::new(), meant: BTreeMap::new() };
    let name = filled.get("name");
    if name.is_empty() || name.chars().count() > 120 {
        reader.fail("name", "Give it a name of up to 120 letters.");
    }
    name.clone_into(&mut design.name);
    strings_and_poles(&mut reader, &mut design);
    former(&mut reader, &mut design);
    wire(&mut reader, &mut design, shelf);
    wind(&mut reader, &mut design);
    design.room_c = reader.quantity("room_c", (-20.0, 60.0), "°C", Temperature::celsius, design.room_c);
    design.aims = Aims {
        resistance_ohm: reader.aim("aim_r", (1.0, 1e6), "Ω", Resistance::ohms),
        inductance_h: reader.aim("aim_l", (1e-3, 100.0), "H", Inductance::henries),
        ..design.aims
    };
    if reader.errors.is_empty() {
        // The engine has the last word; what it refuses has no field of its own.
        for problem in design.problems() {
            reader.fail(
                field_of(&problem.at),
                format!("{}: {}.", capital(&problem.text).trim_end_matches('.'), problem.try_),
            );
        }
    }
    if reader.errors.is_empty() { Ok(Read { design, meant: reader.meant }) } else { Err(reader.errors) }
}

/// The field nearest to a place in the document.
fn field_of(at: &str) -> &'static str {
    match at {
        _ if at.contains("x_mm") => "pitch",
        _ if at.contains("margin") => "margin",
        _ if at.contains("core") => "core_length",
        _ if at.contains("spool") => "spool",
        _ => "name",
    }
}

fn strings_and_poles(reader: &mut Reader, design: &mut Design) {
    let strings = &mut design.strings;
    let range = (4.0, f64::from(MOST_STRINGS));
    let count = reader.quantity("count", range, "", |t: Turns| f64::from(t.0), f64::from(strings.count));
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "4 to 10, checked above")]
    {
        strings.count = count as u32;
    }
    strings.pitch_mm = reader.mm("pitch", 4.0, 30.0, strings.pitch_mm);
    strings.handed = reader.choice("handed", strings.handed);
    let gap = reader.mm("gap", 0.3, 20.0, 2.4);
    if strings.each.is_empty() && (gap - 2.4).abs() > 1e-9 {
        strings.each = vec![OneString { note: String::new(), diameter_mm: 0.4, core_mm: None, gap_mm: gap }];
    }
    strings.each.truncate(strings.count as usize);
    if let Some(last) = strings.each.last().cloned() {
        strings.each.resize(strings.count as usize, last);
    }
    strings.each.iter_mut().for_each(|string| string.gap_mm = gap);
    let old = design.poles.first().cloned();
    let diameter = reader.mm("rod_diameter", 0.5, 12.0, 4.75);
    let material = if reader.filled.get("alloy") == "keep" {
        old.as_ref().map_or(Material::Named(Grade::Alnico5), |p| p.material)
    } else {
        Material::Named(reader.choice("alloy", Grade::Alnico5))
    };
    let charge = reader.quantity("charge", (0.0, 1.0), "", percent, 1.0);
    let up: Polarity = reader.choice("up", Polarity::South);
    let bottom_mm = old.as_ref().map_or(0.0, |p| p.bottom_mm);
    let coil = design.coils.first().map_or_else(|| "A".to_owned(), |c| c.name.clone());
    design.poles = (1..=design.strings.count)
        .map(|string| Pole {
            coil: coil.clone(),
            string: Some(string),
            x_mm: place_in_row(string, design.strings.count, design.strings.pitch_mm, design.strings.handed),
            shape: PoleShape::Rod,
            diameter_mm: diameter,
            length_mm: reader.mm(&format!("length_{string}"), 2.0, 60.0, 17.0),
            bottom_mm,
            material,
            charge,
            up,
        })
        .collect();
}

/// A charge typed as "80" or "80 %" or "0.8".
fn percent(fraction: Fraction) -> f64 {
    fraction.ratio()
}

fn former(reader: &mut Reader, design: &mut Design) {
    let (row, diameter) = row_of(design);
    let own = reader.filled.get("core") == "own";
    let core = if own {
        let (length, width) = (
            reader.mm("core_length", 0.5, 200.0, row + diameter),
            reader.mm("core_width", 0.5, 60.0, diameter),
        );
        Core::stadium(length, width)
    } else {
        let liner = reader.mm("liner", 0.0, 5.0, 0.0);
        Core::stadium(row + diameter + 2.0 * liner, diameter + 2.0 * liner)
    };
    let Some(coil) = design.coils.first_mut() else { return };
    let kept = coil.former.core;
    coil.former.core =
        if own && kept.shape != CoreShape::Stadium && kept.size_mm() == core.size_mm() { kept } else { core };
    coil.former.height_mm = reader.mm("height", 0.5, 60.0, 10.92);
    coil.former.room_mm = reader.mm("room", 0.1, 60.0, 5.6);
    coil.former.flange_bottom_mm = reader.mm("flange_bottom", 0.1, 20.0, 2.4);
    coil.former.flange_top_mm = reader.mm("flange_top", 0.1, 20.0, 1.6);
}

fn wire(reader: &mut Reader, design: &mut Design, shelf: &[Shelf]) {
    let Some(coil) = design.coils.first_mut() else { return };
    match reader.filled.get("gauge").parse::<Gauge>() {
        Ok(gauge) => {
            coil.wire.gauge = gauge;
            if reader.filled.get("gauge") != gauge.to_string() {
                reader
                    .meant
                    .insert("gauge".into(), format!("= {gauge}, {} mm bare", fixed(gauge.bare_m() * 1e3, 4)));
            }
        }
        Err(error) => reader.fail("gauge", capital(&error.to_string())),
    }
    coil.wire.insulation = reader.choice("insulation", coil.wire.insulation);
    coil.wire.build = reader.choice("build", coil.wire.build);
    coil.wire.range = reader.choice("range", coil.wire.range);
    match reader.filled.get("spool") {
        "keep" => {}
        "" => coil.wire.spool = None,
        id => match shelf.iter().find(|spool| spool.id.to_string() == id) {
            Some(spool) => coil.wire.spool = Some(spool.measured),
            None => reader.fail("spool", "That spool is no longer on the shelf."),
        },
    }
}

fn wind(reader: &mut Reader, design: &mut Design) {
    let Some(coil) = design.coils.first_mut() else { return };
    let wind = &mut coil.wind;
    let turns = reader.quantity("turns", (10.0, 50_000.0), "turns", |t: Turns| f64::from(t.0), 7620.0);
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "10 to 50,000, checked above")]
    {
        wind.turns = turns as u32;
    }
    match reader.filled.get("pattern") {
        "straight" => wind.wander = 0.0,
        "scattered" if wind.wander < 0.05 => wind.wander = WANDER_SCATTERED,
        "scattered" => {}
        _ => reader.fail("pattern", "Choose one of the list."),
    }
    wind.packing = reader.optional("packing", (0.3, 1.15), "", Fraction::ratio);
    wind.direction = reader.choice("direction", Direction::Clockwise);
    wind.tension_n = reader.optional("tension", (0.0, 5.0), "N", Tension::newtons);
    wind.margin_mm = reader.mm("margin", 0.0, 10.0, 0.25);
}

fn choices(all: &[(&str, &str)]) -> Vec<Choice> {
    all.iter().map(|(value, label)| Choice::new(*value, *label)).collect()
}

/// The sheet's sections with what was typed and what is wrong with it.
#[must_use]
#[allow(clippy::too_many_lines, reason = "one table of all fields; cut up it would be harder to read")]
pub fn sections(filled: &Filled, errors: &Errors, shelf: &[Shelf]) -> Vec<Section> {
    let fill = |field: Field| {
        let value = filled.get(&field.name).to_owned();
        field.with(&value, errors)
    };
    let typed = |name: &str, label: &str, unit: &str, hint: &str| {
        let mut field = Field::typed(name, label, hint);
        unit.clone_into(&mut field.unit);
        fill(field)
    };
    let chosen = |name: &str, label: &str, hint: &str, options: Vec<Choice>| {
        fill(Field::chosen(name, label, hint, options))
    };
    let when = |mut field: Field, condition: &str| {
        condition.clone_into(&mut field.when);
        field
    };
    let mut alloys: Vec<Choice> =
        Grade::MAGNETS.iter().map(|g| Choice::new(word(g), word(g).replace('-', " "))).collect();
    alloys.push(Choice::new("steel", "steel (no magnet)"));
    if filled.get("alloy") == "keep" {
        alloys.push(Choice::new("keep", "as given in the file"));
    }
    let mut spools = vec![Choice::new("", "from the table")];
    if filled.get("spool") == "keep" {
        spools.push(Choice::new("keep", "as measured for this design"));
    }
    spools.extend(shelf.iter().map(|s| Choice::new(s.id.to_string(), s.label.clone())));
    let lengths = (1..=MOST_STRINGS).map(|string| {
        when(
            typed(&format!("length_{string}"), &format!("Rod {string}"), "mm", ""),
            &format!("count>={string}"),
        )
    });
    vec![
        Section {
            title: "Aim",
            fields: vec![
                typed("aim_r_from", "Resistance from", "Ω", "At 20 °C. Type 5.6k or 5600."),
                typed("aim_r_to", "to", "Ω", ""),
                typed("aim_l_from", "Inductance from", "H", "As a meter reads it at a low frequency."),
                typed("aim_l_to", "to", "H", ""),
            ],
        },
        Section {
            title: "Wind",
            fields: vec![
                typed("turns", "Turns", "", "10 to 50,000. Tall singles usually take 7,000 to 8,500."),
                chosen(
                    "pattern",
                    "Pattern",
                    "Scattered needs more room and has less capacitance.",
                    choices(&[("scattered", "scattered by hand"), ("straight", "straight, by machine")]),
                ),
                typed(
                    "packing",
                    "Packing",
                    "",
                    "Measured on your own coils, 0.3 to 1.15. Empty: as the lay is simulated, about 0.8 scattered, 0.9 straight.",
                ),
                chosen(
                    "direction",
                    "Direction",
                    "Seen from above, start to finish.",
                    choices(&[("clockwise", "clockwise"), ("counter-clockwise", "counter-clockwise")]),
                ),
                typed("tension", "Tension", "N", "Also in g. Empty: gentle, no stretch."),
                typed("margin", "Guide margin", "mm", "How far inside the flanges the guide turns."),
            ],
        },
        Section {
            title: "Wire",
            fields: vec![
                typed("gauge", "Gauge", "AWG", "42, 46 SWG or 0.063 mm."),
                chosen(
                    "insulation",
                    "Insulation",
                    "",
                    choices(&[
                        ("plain-enamel", "plain enamel"),
                        ("polyvinyl-acetal", "polyvinyl acetal"),
                        ("polyurethane", "polyurethane"),
                        ("polyurethane-nylon", "polyurethane nylon"),
                        ("polyester-imide", "polyester-imide"),
                        ("self-bonding", "self-bonding"),
                    ]),
                ),
                chosen(
                    "build",
                    "Build",
                    "Heavy takes more room.",
                    choices(&[("single", "single"), ("heavy", "heavy")]),
                ),
                chosen(
                    "range",
                    "Ordered as",
                    "Half the tolerance means half the spread.",
                    choices(&[
                        ("full", "full tolerance"),
                        ("minimum-to-nominal", "minimum to nominal"),
                        ("nominal-to-maximum", "nominal to maximum"),
                    ]),
                ),
                chosen("spool", "Spool", "Its own measurements win over the table.", spools).wide(),
            ],
        },
        Section {
            title: "Poles",
            fields: [
                typed("rod_diameter", "Rod diameter", "mm", "Usually 4.75 or 4.95 mm, also 3/16 in."),
                chosen(
                    "alloy",
                    "Alloy",
                    "Sets the field, and the inductance through its recoil permeability.",
                    alloys,
                ),
                typed("charge", "Charge", "%", "Share of saturation, 0 to 100."),
                chosen("up", "Looking up", "", choices(&[("south", "south"), ("north", "north")])),
            ]
            .into_iter()
            .chain(lengths)
            .collect(),
        },
        Section {
            title: "Former",
            fields: vec![
                typed(
                    "height",
                    "Winding height",
                    "mm",
                    "Between the flanges; 0.430 in is usual for a tall single.",
                ),
                typed("room", "Room for the build", "mm", "From the core to the flange's edge."),
                chosen(
                    "core",
                    "Core",
                    "",
                    choices(&[("rods", "wound round the rods"), ("own", "a size of its own")]),
                ),
                when(
                    typed("liner", "Liner on the rods", "mm", "Lacquer or tape between rods and wire."),
                    "core=rods",
                ),
                when(typed("core_length", "Core length", "mm", "Along the row."), "core=own"),
                when(typed("core_width", "Core width", "mm", "Across the row."), "core=own"),
                typed("flange_bottom", "Lower flange", "mm", ""),
                typed("flange_top", "Upper flange", "mm", ""),
            ],
        },
        Section {
            title: "Strings and room",
            fields: vec![
                typed("count", "Strings", "", "4 to 10."),
                typed("pitch", "Pitch", "mm", "From string to string over the poles."),
                typed("gap", "Gap", "mm", "From the pole's face to the string."),
                chosen(
                    "handed",
                    "Handed",
                    "Mirrors the row.",
                    choices(&[("right", "right"), ("left", "left")]),
                ),
                typed("room_c", "Room", "°C", "Also in F. Copper reads 0.39 % more per kelvin."),
            ],
        },
    ]
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use rstest::rstest;

    fn with(changes: &[(&str, &str)]) -> Filled {
        let mut filled = filled_from(&tall_single("Sedge", 6, 10.4));
        for (name, value) in changes {
            filled.0.insert((*name).into(), (*value).into());
        }
        filled
    }

    fn base() -> Design {
        tall_single("Sedge", 6, 10.4)
    }

    #[test]
    fn a_sheet_comes_back_as_the_design_it_was_made_from() {
        assert_eq!(read(&with(&[]), &base(), &[]).unwrap().design, base());
    }

    #[test]
    fn spoken_input_is_understood_and_echoed() {
        let filled = with(&[
            ("length_1", "0.671in"),
            ("height", ".430\""),
            ("gauge", "43"),
            ("aim_r_from", "5.6k"),
            ("aim_r_to", "6k"),
            ("room_c", "73 F"),
            ("charge", "80 %"),
        ]);
        let found = read(&filled, &base(), &[]).unwrap();
        assert!((found.design.poles[0].length_mm - 17.0434).abs() < 1e-9);
        assert!((found.design.coils[0].former.height_mm - 10.922).abs() < 1e-9);
        assert_eq!(found.design.coils[0].wire.gauge.to_string(), "43 AWG");
        assert_eq!(found.design.aims.resistance_ohm, Some([5600.0, 6000.0]));
        assert!((found.design.room_c - 22.777).abs() < 1e-2);
        assert!((found.design.poles[5].charge - 0.8).abs() < 1e-12);
        assert_eq!(found.meant["length_1"], "= 17.0434 mm");
    }

    #[rstest]
    #[case("turns", "many")]
    #[case("turns", "3")]
    #[case("height", "0")]
    #[case("gauge", "12")]
    #[case("pitch", "3")]
    #[case("name", "")]
    #[case("alloy", "cheese")]
    #[case("aim_l_to", "2")]
    #[case("length_6", "17 furlongs")]
    #[case("spool", "99")]
    fn what_cannot_be_is_said_at_its_field(#[case] field: &str, #[case] typed: &str) {
        let errors = read(&with(&[(field, typed)]), &base(), &[]).map(|_| ()).unwrap_err();
        assert!(errors.keys().any(|name| name == field || field.starts_with(&name[..4])), "{errors:?}");
    }

    #[test]
    fn fewer_strings_shorten_the_row_and_left_hands_mirror_it() {
        let found = read(&with(&[("count", "4"), ("handed", "left")]), &base(), &[]).unwrap().design;
        assert_eq!(found.poles.len(), 4);
        assert!((found.poles[0].x_mm + 15.6).abs() < 1e-9);
        assert!((found.coils[0].former.core.size_mm().0 - (31.2 + 4.75)).abs() < 1e-9);
    }
}
