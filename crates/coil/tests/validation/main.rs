//! The engine against the outside: one file per source.

#![allow(clippy::unwrap_used, reason = "a reference that cannot be read must fail the test")]

mod common_practice;
mod document;
mod eddy;
mod engine_version;
mod finite_elements;
mod formats;
mod hearing;
mod hostile;
mod identification;
mod laws;
mod libraries;
mod maps;
mod monte_carlo;
mod netlist;
mod notices;
mod physical_sense;
mod self_capacitance;
mod set_choices;
mod sets;
mod strings;
mod surroundings;
mod two_ways;
mod winding_laws;

use coil::former::Outline;
use coil::inductance::Winding;
use serde_json::Value;

/// Reads one of the committed reference files, which say in their `provenance` where they come from.
fn reference(text: &str) -> Value {
    serde_json::from_str(text).expect("a committed reference file is JSON")
}

fn num(value: &Value, key: &str) -> f64 {
    value[key].as_f64().unwrap_or_else(|| panic!("{key} in {value}"))
}

/// The racetrack coil of a reference, about the origin.
fn winding(coil: &Value) -> Winding {
    let mm = |key| num(coil, key) * 1e-3;
    Winding {
        core: Outline {
            straight_x_m: mm("straight_mm"),
            straight_y_m: 0.0,
            corner_m: mm("inner_end_radius_mm"),
        },
        center_m: (0.0, 0.0),
        from_z_m: -mm("height_mm") / 2.0,
        to_z_m: mm("height_mm") / 2.0,
        build_m: mm("build_mm"),
        turns: num(coil, "turns"),
    }
}
