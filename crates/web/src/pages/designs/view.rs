//! The readout strip.

use crate::drawing::band;
use crate::present::{HENRY, KILOHERTZ, KILOOHM, METRE, PICOFARAD, Scale};
use coil::design::Design;
use coil::predict::{Prediction, Quantity};
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
}

#[allow(clippy::too_many_lines, reason = "one table of all cells")]
/// The strip of a prediction, with the change against `before` and what was measured, SI, by key.
pub fn cells(
    design: &Design,
    prediction: &Prediction,
    before: Option<&Prediction>,
    measured: &BTreeMap<&'static str, f64>,
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
        drawing: band(output, None, None),
        change: old.map_or_else(String::new, |o| {
            let step = output.nominal - o.relative_output_db.nominal;
            if step.abs() < 0.05 { "=".into() } else { format!("{step:+.1} dB") }
        }),
        aim: "",
        measured: String::new(),
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
        });
        all.push(scaled("wire", "Wire", METRE, &coil.wire_length_m, old.map(|o| &o.wire_length_m), None));
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
