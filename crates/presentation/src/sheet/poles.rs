//! The poles of a sheet: a row at once, or each by itself.

use super::fields::{Entry, FieldDef, Group, Row, Tool, def, headed, material, mm, percent, words};
use crate::field::Choice;
use coil::Word as _;
use coil::design::{Design, Pole, PoleShape};
use coil::magnet::Material;

const POLARITY: [(&str, &str); 2] = [("north", "north up"), ("south", "south up")];

const SHAPES: [(PoleShape, &str); 6] = [
    (PoleShape::Rod, "rod"),
    (PoleShape::Screw, "screw"),
    (PoleShape::Slug, "slug"),
    (PoleShape::Button, "button"),
    (PoleShape::Square, "square"),
    (PoleShape::Blade, "blade"),
];

/// Whether all poles of a coil are alike but for their places along the row and their lengths.
fn is_alike(design: &Design, coil: &str) -> bool {
    let mut row = design.poles.iter().filter(|p| p.coil == coil);
    let Some(first) = row.next() else { return true };
    let key = |p: &Pole| {
        let material = match p.material {
            Material::Named(grade) => grade.word().to_owned(),
            Material::Given(given) => format!("{given:?}"),
        };
        let sizes = [p.diameter_mm, p.bottom_mm, p.bevel_mm, p.charge, p.y_mm];
        (sizes.map(f64::to_bits), p.up, p.shape, material)
    };
    row.all(|p| key(p) == key(first))
}

/// What a pole's thickness is called.
const fn thickness(shape: PoleShape) -> &'static str {
    match shape {
        PoleShape::Blade => "thickness",
        PoleShape::Square => "side",
        _ => "diameter",
    }
}

/// The columns of poles set one by one: key and head.
const COLUMNS: [(&str, &str); 10] = [
    ("length_mm", "Length"),
    ("shape", "Shape"),
    ("diameter_mm", "Diameter"),
    ("bottom_mm", "Lower face at"),
    ("bevel_mm", "Bevel"),
    ("material", "Alloy"),
    ("charge", "Charge %"),
    ("up", "Polarity"),
    ("x_mm", "Along"),
    ("y_mm", "Across"),
];

/// What a row of like poles has in common, in its order on the sheet.
const COMMON: [&str; 7] = ["shape", "diameter_mm", "bottom_mm", "bevel_mm", "material", "charge", "up"];

/// The field of a key of a pole; none where it does not apply.
fn field(key: &str, at: &str, pole: &Pole) -> Option<FieldDef> {
    let at = format!("{at}.{key}");
    Some(match key {
        "shape" => {
            let all = SHAPES.iter().map(|(shape, label)| Choice::new(shape.word(), *label)).collect();
            let note =
                "A blade runs through its coil from end to end; screws, slugs, rods and buttons are round.";
            def(at, "shape", Entry::Choice(all), note)
        }
        "diameter_mm" => {
            let note = match pole.shape {
                PoleShape::Blade => "Across the row; 2 to 4 mm is usual.",
                PoleShape::Square => "Of the square.",
                _ => "4.75 mm is usual for rods.",
            };
            def(at, thickness(pole.shape), mm(), note)
        }
        "bottom_mm" => def(at, "lower face at", mm(), "Height of the lower face."),
        "bevel_mm" if !pole.is_round() => return None,
        "bevel_mm" => {
            def(at, "bevel", mm(), "Of the upper edge at 45°; 0 for a sharp edge. Bevel before charging.")
        }
        "material" => {
            let note = "A magnet's grade, or steel for screws and slugs.";
            def(at, "alloy", material(pole.material, true), note)
        }
        // Steel takes no charge.
        "charge" if pole.material.demagnetisation().is_none() => return None,
        "charge" => def(at, "charge", percent(), "Share of full charge."),
        "up" => def(at, "polarity", words(&POLARITY), "The pole that faces the strings."),
        "x_mm" => def(at, "along", mm(), ""),
        "y_mm" => def(at, "across", mm(), ""),
        _ => def(at, "length", mm(), ""),
    })
}

fn length_of_row(pole: &Pole, k: usize, of: &str) -> FieldDef {
    let label = match (pole.shape, pole.string) {
        (PoleShape::Blade, _) => "Height".to_owned(),
        (_, Some(string)) => format!("Length, string {string}"),
        _ => "Length".to_owned(),
    };
    let note = match pole.shape {
        PoleShape::Blade => "From its lower to its upper edge.",
        PoleShape::Button => "4 to 6 mm is usual for buttons.",
        _ => "A longer rod of one alloy reads stronger; 15 to 18 mm is usual for rods.",
    };
    def(format!("poles[{k}].length_mm"), headed(&format!("{of}{label}")), mm(), note)
}

/// What a pole's row is called where poles are set one by one.
fn row_name(pole: &Pole) -> String {
    pole.string.map_or_else(|| pole.coil.clone(), |s| format!("{} {s}", pole.coil))
}

/// What the sheet calls a place of one of some poles, where they are set one by one; `None` for any other place, and for a key that does
/// not apply.
pub(super) fn name_of(poles: &[Pole], at: &str) -> Option<String> {
    let (number, key) = at.strip_prefix("poles[")?.split_once("].")?;
    let pole = poles.get(number.parse::<usize>().ok()?)?;
    COLUMNS.iter().find(|(column, _)| *column == key)?;
    Some(format!("Pole {}, {}", row_name(pole), field(key, "", pole)?.label))
}

pub(super) fn group(design: &Design, one_by_one: bool) -> Group {
    let mut group = Group { title: "Poles".into(), ..Group::default() };
    if !one_by_one && design.coils.iter().all(|c| is_alike(design, &c.name)) {
        for coil in &design.coils {
            let own: Vec<(usize, &Pole)> =
                design.poles.iter().enumerate().filter(|(_, p)| p.coil == coil.name).collect();
            let Some((_, first)) = own.first() else { continue };
            let of = if design.coils.len() == 1 { String::new() } else { format!("{}: ", coil.name) };
            let at = format!("poles{{{}}}", coil.name);
            let common = COMMON.iter().filter_map(|key| field(key, &at, first));
            group.fields.extend(common.map(|s| FieldDef { label: headed(&format!("{of}{}", s.label)), ..s }));
            group.fields.extend(own.iter().map(|(k, pole)| length_of_row(pole, *k, &of)));
        }
        group.tools.push(Tool { step: "poles.each".into(), label: "Set poles individually".into() });
    } else {
        let cells = |k: usize, pole: &Pole| -> Vec<Option<FieldDef>> {
            COLUMNS.iter().map(|(key, _)| field(key, &format!("poles[{k}]"), pole)).collect()
        };
        let mut rows: Vec<Row> = Vec::new();
        for (k, pole) in design.poles.iter().enumerate() {
            let tool = Tool { step: format!("pole.remove:{k}"), label: "Remove".into() };
            rows.push(Row { name: row_name(pole), cells: cells(k, pole), tool: Some(tool) });
        }
        // A column in which no pole has a field is not there.
        let is_used: Vec<bool> =
            (0..COLUMNS.len()).map(|c| rows.iter().any(|row| row.cells[c].is_some())).collect();
        for row in &mut rows {
            let mut used = is_used.iter();
            row.cells.retain(|_| used.next().is_some_and(|used| *used));
        }
        let heads = COLUMNS.iter().zip(&is_used).filter(|(_, used)| **used).map(|((_, head), _)| *head);
        group.table = Some((heads.collect(), rows));
        group.tools.push(Tool { step: "poles.fill".into(), label: "Copy the first pole of each row".into() });
    }
    for (i, coil) in design.coils.iter().enumerate() {
        let has_any = design.poles.iter().any(|p| p.coil == coil.name);
        // The parts of a row that is whole stand under their strings: more are added pole by pole.
        if one_by_one || group.table.is_some() || !has_any {
            let label = if design.coils.len() == 1 {
                "Add a pole".to_owned()
            } else {
                format!("Add a pole to coil {}", coil.name)
            };
            group.tools.push(Tool { step: format!("pole.add:{i}"), label: label.into() });
        }
    }
    if design.poles.iter().any(|p| p.string.is_some()) {
        for (step, label) in
            [("poles.level", "Level"), ("poles.arched", "Arched"), ("poles.stepped", "Stepped by string")]
        {
            group.tools.push(Tool { step: step.into(), label: label.into() });
        }
    }
    group
}
