//! The map of the field as the page's script takes it: the grid as numbers in text, what the plane cuts, the scale.

use crate::drawing::escaped;
use coil::prediction::{CutPart, FieldMap, Plane};
use coil::quantity::{Measure, Units};
use serde::Serialize;
use std::fmt::Write as _;

/// Steps of a value: hundredths of a millitesla up to 327 mT and coarser beyond would not fit; a twentieth of a millitesla does.
const STEPS_PER_MT: f64 = 20.0;
/// What stands for a point within a magnet or steel.
const INSIDE: i16 = i16::MIN;

#[derive(Serialize)]
struct MapData<'a> {
    columns: usize,
    rows: usize,
    from: [f64; 2],
    to: [f64; 2],
    /// Names of the two axes, as read-outs have them.
    axes: [&'static str; 2],
    /// Three values a point, as hexadecimal 16-bit numbers: across, up, out of the plane.
    values: String,
    inside: i16,
    /// Steps per millitesla.
    steps: f64,
    /// What a millitesla is in the workshop's unit, and that unit.
    scale: f64,
    unit: &'static str,
    /// What a millimetre is in the workshop's unit, and that unit.
    length: f64,
    length_unit: &'static str,
    parts: Vec<PartData>,
    strings: Vec<StringData<'a>>,
}

#[derive(Serialize)]
struct PartData {
    from: [f64; 2],
    to: [f64; 2],
    magnet: bool,
    round: bool,
}

#[derive(Serialize)]
struct StringData<'a> {
    z: f64,
    y: &'a [f64],
    magnetised: Vec<f64>,
}

fn rounded(values: [f64; 2]) -> [f64; 2] {
    values.map(|v| (v * 1e3).round() / 1e3)
}

/// The map's markup: the data, drawn by the page's script.
pub fn field_map(map: &FieldMap, units: Units, label: &str) -> String {
    let mut values = String::with_capacity(map.field_mt.len() * 12);
    for point in &map.field_mt {
        for k in 0..3 {
            #[allow(clippy::cast_possible_truncation, reason = "clamped")]
            let steps =
                point.map_or(INSIDE, |b| (b[k] * STEPS_PER_MT).round().clamp(-32_767.0, 32_767.0) as i16);
            // Writing to a String cannot fail.
            let _ = write!(values, "{:04x}", steps.cast_unsigned());
        }
    }
    let part = |p: &CutPart| PartData {
        from: rounded(p.from_mm),
        to: rounded(p.to_mm),
        magnet: p.is_magnet,
        round: p.is_round,
    };
    let (flux, length) = (units.conversion(Measure::Flux), units.conversion(Measure::Length));
    let data = MapData {
        columns: map.columns,
        rows: map.rows,
        from: rounded(map.from_mm),
        to: rounded(map.to_mm),
        axes: match map.plane {
            Plane::Section { .. } => ["y", "z"],
            Plane::Above { .. } => ["x", "y"],
        },
        values,
        inside: INSIDE,
        steps: STEPS_PER_MT,
        scale: flux.shown(1.0),
        unit: flux.symbol,
        length: length.shown(1.0),
        length_unit: length.symbol,
        parts: map.parts.iter().map(part).collect(),
        strings: map
            .strings
            .iter()
            .map(|s| StringData {
                z: s.z_mm,
                y: &s.y_mm,
                magnetised: s.magnetised.iter().map(|m| (m * 1e3).round() / 1e3).collect(),
            })
            .collect(),
    };
    let data = escaped(serde_json::to_string(&data).unwrap_or_default());
    let label = escaped(label);
    format!(r#"<div class="field-map" x-data="fieldMap" data-map="{data}" aria-label="{label}"></div>"#)
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::reference_coil;
    use coil::prediction::Solution;

    #[test]
    fn every_point_has_three_values_and_units_are_the_workshops() {
        let map =
            Solution::compute(&reference_coil()).unwrap().field_map(Plane::Section { x_mm: 5.2 }, 12, 8);
        let data = |units: Units| {
            let markup = field_map(&map, units, "Field <b>");
            assert!(!markup.contains("<b>"));
            let json = markup.split("data-map=\"").nth(1).unwrap().split('"').next().unwrap();
            let value: serde_json::Value = serde_json::from_str(&json.replace("&quot;", "\"")).unwrap();
            value
        };
        let metric = data(Units::default());
        assert_eq!(metric["values"].as_str().unwrap().len(), 12 * 8 * 3 * 4);
        assert_eq!((metric["scale"].as_f64(), metric["axes"][1].as_str()), (Some(1.0), Some("z")));
        assert!(metric["values"].as_str().unwrap().contains("8000"), "a point within the rod");
        let other = data(Units { flux: coil::quantity::FluxUnit::Gauss, ..Units::default() });
        assert_eq!((other["scale"].as_f64(), other["unit"].as_str()), (Some(10.0), Some("G")));
    }
}
