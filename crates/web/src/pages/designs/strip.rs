//! The readout strip.

use super::sheet::place_in_words;
use crate::drawing::band;
use crate::format::{HENRY, KILOHERTZ, KILOOHM, METRE, PICOFARAD, Scale};
use coil::design::Design;
use coil::prediction::{Prediction, Quantity};
use coil::quantity::significant;
use std::collections::BTreeMap;

/// A cell of the strip.
pub struct Cell {
    /// A stable name.
    pub key: &'static str,
    /// Label.
    pub label: &'static str,
    /// The number.
    pub value: String,
    /// Its unit.
    pub unit: String,
    /// The band in words.
    pub band: String,
    /// The band drawn; empty where there is none.
    pub drawing: String,
    /// Change since the parent revision; empty without.
    pub change: String,
    /// Whether it lies in its aim: "", "in" or "out".
    pub aim: &'static str,
    /// Measured value, with unit; empty without.
    pub measured: String,
    /// Why it is what it is.
    pub why: Why,
}

/// Why a figure is what it is.
#[derive(Clone, Debug, Default)]
pub struct Why {
    /// How it is computed, and from which sources.
    pub model: &'static str,
    /// What its band comes from: input and share, %, largest first.
    pub from: Vec<(String, u32)>,
    /// What the coils wound so far say.
    pub measured_coils: String,
    /// What the prediction leans on.
    pub applied: String,
}

/// How wound coils stand to their predictions.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MeasuredCoils {
    /// How many were measured.
    pub count: usize,
    /// Mean deviation, as a ratio.
    pub mean: f64,
    /// From the lowest to the highest.
    pub range: (f64, f64),
}

impl MeasuredCoils {
    /// Of deviations; `None` of none.
    pub fn of(deviations: &[f64]) -> Option<Self> {
        let low = deviations.iter().copied().min_by(f64::total_cmp)?;
        let high = deviations.iter().copied().max_by(f64::total_cmp)?;
        let count = deviations.len();
        Some(Self { count, mean: deviations.iter().sum::<f64>() / count as f64, range: (low, high) })
    }

    fn words(&self) -> String {
        let percent = |v: f64| format!("{:+.1} %", v * 100.0).replace('-', "−");
        if self.count == 1 {
            return format!("One coil of this design was measured: {} off.", percent(self.mean));
        }
        format!(
            "{} coils of this design were measured: {} off on average, from {} to {}.",
            self.count,
            percent(self.mean),
            percent(self.range.0),
            percent(self.range.1)
        )
    }
}

/// How each figure of the strip is computed.
const fn model_of(key: &str) -> &'static str {
    match key.as_bytes() {
        b"resistance" | b"resistance_room" => {
            "Every turn is laid and its length added up; times the wire's ohms per metre, stretched by the tension. \
             Diameters: ASTM B258 and NEMA MW 1000; copper: IEC 60028."
        }
        b"wire" => "Every turn is laid along its own outline, and the lengths are added up.",
        b"inductance" => {
            "Neumann's integral over the coil as laid (Grover); what poles, bars and plates add by the method of moments \
             with their magnetisation and side charges. Good to about 1 % in air, 4 % with steel."
        }
        b"capacitance" => {
            "Energy between turns that lie side by side in the simulated lay (after Massarini and Kazimierczuk), to \
             poles and grounded metal, and 0.3 m of twisted leads. How the wire lies decides, so the band is wide."
        }
        b"resonance" => "Inductance and capacitance of the pickup alone: 1 / (2π√(LC)).",
        b"peak" => {
            "The circuit of coils, eddy currents, pots, capacitor, cable and input, solved at each frequency; the highest \
             point of what comes out."
        }
        b"output" => {
            "By reciprocity: how much of each string's magnetisation the coil links, and how that changes as the string \
             moves; against 7,620 turns of 42 AWG on the standard tall single."
        }
        b"fill" => "The build of the lay over the room between core and flange edge.",
        _ => "",
    }
}

/// The prediction's own name for a cell's quantity.
const fn quantity_of(key: &str) -> &'static str {
    match key.as_bytes() {
        b"resistance" => "resistance_20c_ohm",
        b"resistance_room" => "resistance_ohm",
        b"inductance" => "inductance_h",
        b"capacitance" => "capacitance_f",
        b"resonance" => "resonance_unloaded_hz",
        b"peak" => "peak_hz",
        b"output" => "relative_output_db",
        _ => "",
    }
}

/// An input of the prediction in the sheet's words.
fn input_words(input: &str, design: &Design) -> String {
    if let Some(of) = input.strip_prefix("runs: ") {
        return format!("what this workshop's runs leave open of the {of}");
    }
    if let Some(model) = input.strip_prefix("model: ") {
        return format!("the model of the {model} itself");
    }
    let at = input.replace("[*]", "[0]");
    let said = place_in_words(&at, design);
    if said != at {
        // What is said of the first of many is meant of all.
        let all = input.contains("[*]") && at.starts_with("poles");
        return match said.split_once(", ") {
            Some((_, what)) if all => format!("the poles' {what}"),
            _ => said,
        };
    }
    match at.rsplit('.').next().unwrap_or_default() {
        "ohm_per_m" => "the wire's ohms per metre".into(),
        "overall" => "the wire's overall diameter".into(),
        "packing" => "the packing".into(),
        "core" => "the core's size".into(),
        "material" => "the alloy".into(),
        other => other.replace('_', " "),
    }
}

fn why(
    key: &'static str,
    design: &Design,
    prediction: &Prediction,
    measured_coils: Option<&MeasuredCoils>,
) -> Why {
    let of = quantity_of(key);
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a share, 0 to 100")]
    let from = prediction
        .contributions
        .iter()
        .filter(|c| c.to == of && c.share >= 0.01)
        .take(5)
        .map(|c| (input_words(&c.input, design), (c.share * 100.0).round() as u32))
        .collect();
    let measured_coils = match (measured_coils, key) {
        (Some(measured_coils), _) => measured_coils.words(),
        (None, "resistance" | "inductance") => "No coil of this design has been measured yet.".into(),
        _ => String::new(),
    };
    Why { model: model_of(key), from, measured_coils, applied: String::new() }
}

#[allow(clippy::too_many_lines, reason = "one table of all cells")]
/// The strip of a prediction, with the change against `before`, and by key what was measured, SI, and what the coils
/// wound so far say.
pub fn cells(
    design: &Design,
    prediction: &Prediction,
    before: Option<&Prediction>,
    measured: &BTreeMap<&'static str, f64>,
    measured_coils: &BTreeMap<&'static str, MeasuredCoils>,
) -> Vec<Cell> {
    let pickup = &prediction.pickup;
    let old = before.map(|b| &b.pickup);
    let scaled = |key: &'static str,
                  label: &'static str,
                  scale: Scale,
                  q: &Quantity,
                  old: Option<&Quantity>,
                  aim: Option<[f64; 2]>| Cell {
        key,
        label,
        value: scale.number(q.nominal),
        unit: scale.unit.into(),
        band: scale.band(q),
        drawing: band(q, aim, measured.get(key).copied()),
        change: old.map_or_else(String::new, |o| percent(q.nominal / o.nominal - 1.0)),
        aim: in_aim(q.nominal, aim),
        measured: measured.get(key).map_or_else(String::new, |v| scale.text(*v)),
        why: Why::default(),
    };
    let mut all = vec![
        scaled(
            "resistance",
            "R at 20 °C",
            KILOOHM,
            &pickup.resistance_20c_ohm,
            old.map(|o| &o.resistance_20c_ohm),
            design.aims.resistance_ohm,
        ),
        Cell {
            label: "R in the room",
            ..scaled(
                "resistance_room",
                "",
                KILOOHM,
                &pickup.resistance_ohm,
                old.map(|o| &o.resistance_ohm),
                None,
            )
        },
        scaled(
            "inductance",
            "Inductance",
            HENRY,
            &pickup.inductance_h,
            old.map(|o| &o.inductance_h),
            design.aims.inductance_h,
        ),
        scaled(
            "capacitance",
            "Capacitance",
            PICOFARAD,
            &pickup.capacitance_f,
            old.map(|o| &o.capacitance_f),
            design.aims.capacitance_f,
        ),
        scaled(
            "resonance",
            "Resonance alone",
            KILOHERTZ,
            &pickup.resonance_unloaded_hz,
            old.map(|o| &o.resonance_unloaded_hz),
            design.aims.resonance_unloaded_hz,
        ),
        scaled(
            "peak",
            "Peak loaded",
            KILOHERTZ,
            &pickup.peak_hz,
            old.map(|o| &o.peak_hz),
            design.aims.peak_hz,
        ),
    ];
    let output = &pickup.relative_output_db;
    all.push(Cell {
        key: "output",
        label: "Output, to reference",
        value: signed(output.nominal),
        unit: "dB".into(),
        band: format!("{} – {}", signed(output.p05), signed(output.p95)),
        drawing: band(output, design.aims.output_db, None),
        change: old.map_or_else(String::new, |o| {
            let step = output.nominal - o.relative_output_db.nominal;
            if step.abs() < 0.05 { "=".into() } else { format!("{step:+.1} dB") }
        }),
        aim: in_aim(output.nominal, design.aims.output_db),
        measured: String::new(),
        why: Why::default(),
    });
    if let Some(coil) = prediction.coils.first() {
        let old = before.and_then(|b| b.coils.first());
        all.push(Cell {
            key: "fill",
            label: "Fill",
            value: significant(coil.fill * 100.0, 2),
            unit: "%".into(),
            band: format!("build {:.2} mm", coil.build_mm),
            drawing: String::new(),
            change: old.map_or_else(String::new, |o| percent(coil.fill / o.fill - 1.0)),
            aim: if coil.fill > 1.0 { "out" } else { "" },
            measured: String::new(),
            why: Why::default(),
        });
        all.push(scaled("wire", "Wire", METRE, &coil.wire_length_m, old.map(|o| &o.wire_length_m), None));
    }
    for cell in &mut all {
        cell.why = why(cell.key, design, prediction, measured_coils.get(cell.key));
    }
    all
}

fn signed(db: f64) -> String {
    format!("{db:+.1}").replace('-', "−")
}

fn percent(ratio: f64) -> String {
    if ratio.abs() < 5e-4 { "=".into() } else { format!("{:+.1} %", ratio * 100.0).replace('-', "−") }
}

fn in_aim(value: f64, aim: Option<[f64; 2]>) -> &'static str {
    match aim {
        None => "",
        Some([from, to]) if (from..=to).contains(&value) => "in",
        Some(_) => "out",
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::prediction::predict;

    #[test]
    fn every_figure_says_why() {
        let design = tall_single("Sedge", 6, 10.4);
        let prediction = predict(&design).unwrap();
        let measured_coils =
            BTreeMap::from([("resistance", MeasuredCoils::of(&[0.01, -0.02, 0.04]).unwrap())]);
        let all = cells(&design, &prediction, None, &BTreeMap::new(), &measured_coils);
        for cell in &all {
            assert!(!cell.why.model.is_empty(), "{}", cell.key);
            let known = quantity_of(cell.key);
            assert!(known.is_empty() || !cell.why.from.is_empty(), "{}", cell.key);
            assert!(cell.why.from.windows(2).all(|p| p[0].1 >= p[1].1), "ranked: {:?}", cell.why.from);
        }
        assert!(
            all[0].why.measured_coils.starts_with("3 coils") && all[0].why.measured_coils.contains("+1.0 %")
        );
        assert_eq!(MeasuredCoils::of(&[]), None);
    }
}
