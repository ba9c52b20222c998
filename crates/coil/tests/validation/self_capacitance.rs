//! 2-D electrostatic finite elements of parallel insulated turns, computed for this project (NGSolve
//! 6.2.2608, mesh-converged to 0.2 %; see `provenance` in the file).

use super::reference;
use coil::wind::{Lay, LayedTurn, Pattern, neighbour_capacitance, self_capacitance};
use coil::wire::WireData;
use std::f64::consts::PI;

/// The neighbour model within 20 % over straight and scattered sections, in air and in wax; nested
/// hexagonal neighbours share the field over 30° each, others over 60°.
#[test]
fn neighbours_of_known_sections() {
    let file = reference(include_str!("self_capacitance.json"));
    for case in file["cases"].as_array().unwrap() {
        let num = |key: &str| case[key].as_f64().unwrap();
        let turns: Vec<LayedTurn> = case["turns"]
            .as_array()
            .unwrap()
            .iter()
            .map(|turn| LayedTurn {
                out_m: turn[0].as_f64().unwrap() * 1e-3,
                height_m: turn[1].as_f64().unwrap() * 1e-3,
                order: u32::try_from(turn[2].as_u64().unwrap()).unwrap(),
            })
            .collect();
        let name = case["name"].as_str().unwrap();
        let reach = if name.starts_with("hexagonal") { PI / 6.0 } else { PI / 3.0 };
        let got = neighbour_capacitance(
            &turns,
            num("bare_mm") * 1e-3,
            num("overall_mm") * 1e-3,
            num("permittivity"),
            num("medium_permittivity"),
            reach,
        );
        let ratio = got / num("capacitance_f_per_m");
        assert!((ratio - 1.0).abs() < 0.2, "{name}: {ratio}");
    }
}

/// The model from packing alone, which knows nothing of where each turn lies: within a third for the
/// scattered section as tight as a coil, and 40 % low for one looser than any (packing 0.58).
#[test]
fn scattered_sections_from_their_packing() {
    let file = reference(include_str!("self_capacitance.json"));
    for case in file["cases"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|c| c["name"].as_str().unwrap().starts_with("scattered"))
    {
        let num = |key: &str| case[key].as_f64().unwrap() * 1e-3;
        let turns = case["turns"].as_array().unwrap();
        let extent = |axis: usize| {
            let at = |turn: &serde_json::Value| turn[axis].as_f64().unwrap() * 1e-3;
            let (low, high) =
                turns.iter().map(at).fold((f64::MAX, f64::MIN), |(low, high), v| (low.min(v), high.max(v)));
            high - low + num("overall_mm")
        };
        let (build_m, height_m, count) = (extent(0), extent(1), turns.len() as f64);
        let packing = count * num("overall_mm").powi(2) / (build_m * height_m);
        // One metre per turn gives farads per metre.
        let lay = Lay { build_m, mean_turn_m: 1.0, wire_m: count };
        let wire = WireData {
            bare_m: num("bare_mm"),
            overall_m: num("overall_mm"),
            ohm_per_m: 1.0,
            ohm_sd: 0.0,
            overall_sd: 0.0,
            permittivity: case["permittivity"].as_f64().unwrap(),
        };
        let got = self_capacitance(count, &wire, packing, Pattern::Scattered, &lay, height_m);
        let ratio = got / case["capacitance_f_per_m"].as_f64().unwrap();
        assert!((ratio - 1.0).abs() < 0.42, "{}: {ratio}", case["name"]);
    }
}
