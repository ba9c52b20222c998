//! The poles of an examined pickup, each by itself: its sizes and the flux over it.

use coil::design::{Design, Pole};
use coil::quantity::{Measure, Units};
use presentation::field::Field;
use presentation::form_fields::{Errors, FormFields};
use presentation::read::measured;

/// Sizes of a pole: key, label, range in mm.
const SIZES: [(&str, &str, (f64, f64)); 3] = [
    ("pole_length", "Length", (1.0, 60.0)),
    ("pole_diameter", "Diameter", (0.5, 30.0)),
    ("pole_bevel", "Bevel", (0.0, 5.0)),
];
/// Flux densities that can be typed, mT.
const FLUX_MT: (f64, f64) = (-1000.0, 1000.0);

/// What is asked of each pole, a row a pole.
pub(crate) struct PoleTable {
    /// What the columns hold, with their unit.
    pub heads: Vec<(String, &'static str)>,
    /// The poles.
    pub rows: Vec<PoleRow>,
}

/// A pole.
pub(crate) struct PoleRow {
    /// Which.
    pub name: String,
    /// A field a column; none where it does not apply.
    pub cells: Vec<Option<Field>>,
}

/// Name of a pole's field.
fn name(key: &str, pole: usize) -> String {
    format!("{key}_{}", pole + 1)
}

/// The field of a place in a document, such as `pickup.poles[2].length_mm`.
pub(super) fn field_of(key: &str, at: &str) -> String {
    let number = at.split('[').nth(1).and_then(|rest| rest.split(']').next()).and_then(|n| n.parse().ok());
    name(key, number.unwrap_or(0))
}

fn size(pole: &Pole, key: &str) -> Option<f64> {
    match key {
        "pole_length" => Some(pole.length_mm),
        "pole_diameter" => Some(pole.diameter_mm),
        _ => pole.is_round().then_some(pole.bevel_mm),
    }
}

fn size_mut<'a>(pole: &'a mut Pole, key: &str) -> &'a mut f64 {
    match key {
        "pole_length" => &mut pole.length_mm,
        "pole_diameter" => &mut pole.diameter_mm,
        _ => &mut pole.bevel_mm,
    }
}

/// Shows poles and their readings in a form.
pub(super) fn fill(form: &mut FormFields, pickup: &Design, flux_mt: &[Option<f64>], units: Units) {
    for (i, pole) in pickup.poles.iter().enumerate() {
        for (key, ..) in SIZES {
            if let Some(mm) = size(pole, key) {
                form.set(name(key, i), units.field(Measure::Length, mm));
            }
        }
        let read = flux_mt.get(i).copied().flatten();
        form.set(name("flux", i), read.map_or_else(String::new, |mt| units.field(Measure::Flux, mt)));
    }
}

/// Every pole with the sizes of the first.
pub(super) fn align(form: &mut FormFields, poles: usize) {
    for (key, ..) in SIZES {
        let first = form.get(&name(key, 0)).to_owned();
        for i in 1..poles {
            form.set(name(key, i), first.clone());
        }
    }
}

/// Sizes of the poles as they are typed; an empty field leaves what was known.
pub(super) fn read_sizes(form: &FormFields, errors: &mut Errors, pickup: &mut Design, units: Units) {
    for (i, pole) in pickup.poles.iter_mut().enumerate() {
        for (key, _, range) in SIZES {
            if size(pole, key).is_none() {
                continue;
            }
            if let Some(mm) = measured(form, errors, &name(key, i), range, (Measure::Length, units)) {
                *size_mut(pole, key) = mm;
            }
        }
    }
}

/// Flux over the poles in their order, mT; nothing where none was read.
pub(super) fn read_flux(
    form: &FormFields,
    errors: &mut Errors,
    poles: usize,
    units: Units,
) -> Vec<Option<f64>> {
    let of = |i| measured(form, errors, &name("flux", i), FLUX_MT, (Measure::Flux, units));
    let mut all: Vec<Option<f64>> = (0..poles).map(of).collect();
    let last = all.iter().rposition(Option::is_some).map_or(0, |i| i + 1);
    all.truncate(last);
    all
}

/// The rows of a pickup's poles with what was typed.
pub(super) fn table(pickup: &Design, form: &FormFields, errors: &Errors, units: Units) -> Option<PoleTable> {
    let first = pickup.poles.first()?;
    let has_coils = pickup.poles.iter().any(|pole| pole.coil != first.coil);
    let all_round = pickup.poles.iter().any(Pole::is_round);
    let mut heads: Vec<(String, &'static str)> = SIZES
        .iter()
        .filter(|(key, ..)| *key != "pole_bevel" || all_round)
        .map(|(key, label, _)| {
            let label = if *key == "pole_diameter" && !first.is_round() { "Thickness" } else { label };
            (label.to_owned(), units.symbol(Measure::Length))
        })
        .collect();
    heads.push(("Flux over it".to_owned(), units.symbol(Measure::Flux)));
    let rows = pickup.poles.iter().enumerate().map(|(i, pole)| {
        let coil = if has_coils { format!(", coil {}", pole.coil) } else { String::new() };
        let row = match pole.string {
            Some(string) => format!("String {string}{coil}"),
            None => format!("Pole {}{coil}", i + 1),
        };
        let field = |key: &str, label: &str, measure: Measure| {
            let field = Field::measured(&name(key, i), &format!("{label}, {row}"), "", (measure, units));
            Some(field.filled(form, errors))
        };
        let mut cells: Vec<Option<Field>> = SIZES
            .iter()
            .filter(|(key, ..)| *key != "pole_bevel" || all_round)
            .map(|(key, label, _)| size(pole, key).and_then(|_| field(key, label, Measure::Length)))
            .collect();
        cells.push(field("flux", "Flux", Measure::Flux));
        PoleRow { name: row, cells }
    });
    Some(PoleTable { heads, rows: rows.collect() })
}
