//! Independent 3-D finite-element figures, computed for this project (NGSolve 6.2.2608; upper and lower
//! bounds bracket the value; see `provenance` in each JSON file).

use super::reference;
use coil::former::Outline;
use coil::inductance::{MU_0, Winding};
use coil::magnet::{Demagnetisation, Held, Rod, Rods, Sheet, flux_density};
use serde_json::Value;

fn num(value: &Value, key: &str) -> f64 {
    value[key].as_f64().unwrap_or_else(|| panic!("{key} in {value}"))
}

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

/// A row of equal rods about the middle.
fn row(count: usize, pitch_mm: f64, rod: Rod) -> Rods {
    let middle = (count - 1) as f64 / 2.0;
    Rods::new(
        (0..count).map(|i| Rod { axis_m: ((i as f64 - middle) * pitch_mm * 1e-3, 0.0), ..rod }).collect(),
    )
}

#[test]
fn air_core_within_half_a_percent() {
    let file = reference(include_str!("inductance.json"));
    for case in file["air_core"].as_array().unwrap() {
        let ratio = winding(&case["coil"]).inductance_h() / num(case, "inductance_h");
        assert!((ratio - 1.0).abs() < 0.005, "{ratio} in {case}");
    }
}

#[test]
fn rods_within_one_and_a_half_percent_and_steel_within_four() {
    let file = reference(include_str!("inductance.json"));
    for case in file["permeable_rods"].as_array().unwrap() {
        let coil = winding(&case["coil"]);
        let given = &case["rods"];
        let length_m = num(given, "length_mm") * 1e-3;
        let mu_r = num(given, "mu_r");
        let rods = row(
            usize::try_from(given["count"].as_u64().unwrap()).unwrap(),
            num(given, "pitch_mm"),
            Rod {
                axis_m: (0.0, 0.0),
                bottom_m: num(given, "centre_z_mm") * 1e-3 - length_m / 2.0,
                length_m,
                radius_m: num(given, "diameter_mm") * 0.5e-3,
                mu_r,
                curve: None,
                charge: 0.0,
            },
        );
        let ratio = (coil.inductance_h() + rods.induced_by(&coil).1) / num(case, "inductance_h");
        let allowed = if mu_r > 10.0 { 0.04 } else { 0.015 };
        assert!((ratio - 1.0).abs() < allowed, "{ratio} in {case}");
    }
}

/// Rods flush with the lower edge of the window, not centred in it.
#[test]
fn rods_that_stand_out_at_the_top() {
    let file = reference(include_str!("inductance.json"));
    let case = file["steel_plate"].as_array().unwrap().iter().find(|c| c["plate"].is_null()).unwrap();
    let coil = winding(&case["coil"]);
    let given = &case["rods"];
    let rods = row(
        6,
        10.4,
        Rod {
            axis_m: (0.0, 0.0),
            bottom_m: num(given, "bottom_z_mm") * 1e-3,
            length_m: num(given, "length_mm") * 1e-3,
            radius_m: num(given, "diameter_mm") * 0.5e-3,
            mu_r: num(given, "mu_r"),
            curve: None,
            charge: 0.0,
        },
    );
    let ratio = (coil.inductance_h() + rods.induced_by(&coil).1) / num(case, "inductance_h");
    assert!((ratio - 1.0).abs() < 0.015, "{ratio}");
}

/// Rigid magnets: uniform magnetisation, against an analytic field library (magpylib 6.1).
#[test]
fn rigid_rods_single_and_in_a_row() {
    let file = reference(include_str!("magnets.json"));
    for case in file["rigid"]["cases"].as_array().unwrap() {
        let rod = Rod {
            axis_m: (0.0, 0.0),
            bottom_m: 0.0,
            length_m: num(case, "length") * 1e-3,
            radius_m: num(case, "dia") * 0.5e-3,
            mu_r: 1.0,
            curve: None,
            charge: 1.0,
        };
        for (count, which, key) in [(1, 0, "single"), (6, 0, "row_outer"), (6, 2, "row_centre")] {
            let rods = row(count, 10.4, rod);
            let sheets: Vec<Sheet> = rods
                .rods()
                .iter()
                .flat_map(|r| {
                    let disc = |at_m: f64, density_a_m: f64| Sheet {
                        axis_m: r.axis_m,
                        radius_m: r.radius_m,
                        from_m: at_m,
                        to_m: at_m,
                        density_a_m,
                    };
                    [disc(0.0, -1.25 / MU_0), disc(r.length_m, 1.25 / MU_0)]
                })
                .collect();
            let axis = rods.rods()[which].axis_m;
            for (gap, expected) in case["gaps"].as_array().unwrap().iter().zip(case[key].as_array().unwrap())
            {
                let height = rod.length_m + gap.as_f64().unwrap().max(1e-6) * 1e-3;
                let got = flux_density(&sheets, [axis.0, axis.1, height])[2];
                let ratio = got / expected.as_f64().unwrap();
                assert!((ratio - 1.0).abs() < 0.003, "{key} at {gap}: {ratio}");
            }
        }
    }
}

/// Alnico on the hyperbolic law of the reference (Br 1.25 T, Hc 50 kA/m, a = 0.93), open circuit,
/// axisymmetric finite elements: within 7 % from the face outwards. The row of six in the reference is itself
/// a one-dimensional model, good to some per cent: within 10 %.
#[test]
fn alnico_rods_on_their_demagnetisation_curve() {
    let file = reference(include_str!("magnets.json"));
    for case in file["alnico_like"]["cases"].as_array().unwrap().iter().filter(|c| c["law"] == "HYP") {
        let rod = Rod {
            axis_m: (0.0, 0.0),
            bottom_m: 0.0,
            length_m: num(case, "length_mm") * 1e-3,
            radius_m: num(case, "diameter_mm") * 0.5e-3,
            mu_r: 3.5,
            curve: Some(Demagnetisation::Hyperbola { br_t: 1.25, hc_a_m: 50e3, a: 0.93 }),
            charge: 1.0,
        };
        let held = Held::solve(&[rod]);
        for (gap, expected) in case["on_axis_t_by_gap_mm"].as_object().unwrap() {
            let ratio = held.above(0, gap.parse::<f64>().unwrap() * 1e-3) / expected.as_f64().unwrap();
            assert!((ratio - 1.0).abs() < 0.07, "{ratio} at {gap} in {case}");
        }
        let held = Held::solve(row(6, 10.4, rod).rods());
        for (which, key) in [(0, "outer_face_t"), (2, "centre_face_t")] {
            let expected = num(&case["row_of_six_by_one_dimensional_model"], key);
            let ratio = held.above(which, 0.0) / expected;
            assert!((ratio - 1.0).abs() < 0.10, "{ratio} {key}");
        }
    }
}
