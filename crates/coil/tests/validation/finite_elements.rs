//! Independent 3-D finite-element figures, computed for this project (NGSolve 6.2.2608; upper and lower
//! bounds bracket the value; see `provenance` in each JSON file), at the discretisation that predictions use.

use super::{num, reference, winding};
use coil::inductance::{MU_0, Winding};
use coil::magnet::{
    Block, Body, Charged, Demagnetisation, Grade, Magnetised, Material, Patch, Resolution, Rod, Shape,
    System, flux_density,
};
use nalgebra::DMatrix;
use serde_json::Value;

const PLAIN: Rod = Rod {
    axis_m: (0.0, 0.0),
    bottom_m: 0.0,
    length_m: 0.017,
    radius_m: 0.002_375,
    bevel_m: 0.0,
    mu_r: 3.0,
    magnet: None,
};

/// Rods along x at `y_m`, as a case gives them: an even row about the middle, or by their places.
fn row(given: &Value, y_m: f64) -> Vec<Body> {
    if given.is_null() {
        return Vec::new();
    }
    let length_m = num(given, "length_mm") * 1e-3;
    let bottom_m = given["bottom_z_mm"]
        .as_f64()
        .map_or_else(|| num(given, "centre_z_mm") * 1e-3 - length_m / 2.0, |z| z * 1e-3);
    let places: Vec<f64> = given["x_mm"].as_array().map_or_else(
        || {
            let count = num(given, "count");
            let middle = (count - 1.0) / 2.0;
            (0..given["count"].as_u64().unwrap())
                .map(|i| (i as f64 - middle) * num(given, "pitch_mm"))
                .collect()
        },
        |xs| xs.iter().map(|x| x.as_f64().unwrap()).collect(),
    );
    let rod = |x: &f64| {
        Body::Rod(Rod {
            axis_m: (x * 1e-3, y_m),
            bottom_m,
            length_m,
            radius_m: num(given, "diameter_mm") * 0.5e-3,
            mu_r: num(given, "mu_r"),
            ..PLAIN
        })
    };
    places.iter().map(rod).collect()
}

/// A block that lies with its upper side at `top_z_mm`.
fn block(given: &Value) -> Vec<Body> {
    if given.is_null() {
        return Vec::new();
    }
    let size = |i: usize| given["size_mm"][i].as_f64().unwrap() * 1e-3;
    let center_m = [0.0, 0.0, num(given, "top_z_mm") * 1e-3 - size(2) / 2.0];
    let size_m = [size(0), size(1), size(2)];
    vec![Body::Block(Block { center_m, size_m, mu_r: num(given, "mu_r"), magnet: None })]
}

/// Inductance matrix of coils among parts.
fn matrix(coils: &[Winding], bodies: &[Body]) -> DMatrix<f64> {
    let system = System::new(bodies, Resolution::default());
    let probe = system.probe();
    let mut drives = DMatrix::zeros(system.unknowns(), coils.len());
    for (i, coil) in coils.iter().enumerate() {
        drives.set_column(i, &System::drive(&probe, &coil.field_at(&probe.points_m)));
    }
    let parts = system.products(&drives) * MU_0;
    DMatrix::from_fn(coils.len(), coils.len(), |a, b| {
        let air = if a == b { coils[a].inductance_h() } else { coils[a].mutual_h(&coils[b]) };
        air + parts[(a, b)]
    })
}

#[test]
fn air_core_within_half_a_percent() {
    let file = reference(include_str!("inductance.json"));
    for case in file["air_core"].as_array().unwrap() {
        let ratio = winding(&case["coil"]).inductance_h() / num(case, "inductance_h");
        println!("finite elements ratio {ratio:.4}");
        assert!((ratio - 1.0).abs() < 0.005, "{ratio} in {case}");
    }
}

#[test]
fn rods_within_one_and_a_half_percent_and_steel_within_four() {
    let file = reference(include_str!("inductance.json"));
    for case in file["permeable_rods"].as_array().unwrap() {
        let ratio =
            matrix(&[winding(&case["coil"])], &row(&case["rods"], 0.0))[(0, 0)] / num(case, "inductance_h");
        let allowed = if num(&case["rods"], "mu_r") > 10.0 { 0.04 } else { 0.015 };
        println!("finite elements ratio {ratio:.4}");
        assert!((ratio - 1.0).abs() < allowed, "{ratio} in {case}");
    }
}

/// A steel plate under the coil, alone and with alnico rods that stand on it; and those rods without it.
#[test]
fn steel_plates_within_four_percent() {
    let file = reference(include_str!("inductance.json"));
    for case in file["steel_plate"].as_array().unwrap() {
        let mut bodies = row(&case["rods"], 0.0);
        bodies.extend(block(&case["plate"]));
        let ratio = matrix(&[winding(&case["coil"])], &bodies)[(0, 0)] / num(case, "inductance_h");
        let allowed = if case["plate"].is_null() { 0.015 } else { 0.04 };
        println!("finite elements ratio {ratio:.4}");
        assert!((ratio - 1.0).abs() < allowed, "{ratio} in {}", case["case"]);
    }
}

/// Two coils side by side: air, steel rods, and a bar magnet between the rows.
#[test]
fn two_coils_within_four_percent() {
    let file = reference(include_str!("inductance.json"));
    for case in file["two_coils"]["cases"].as_array().unwrap() {
        let half = num(case, "centre_distance_y_mm") * 0.5e-3;
        let coil = winding(&case["coils"]);
        let coils = [-half, half].map(|y| Winding { center_m: (0.0, y), ..coil });
        let mut bodies = row(&case["rods_each_coil"], -half);
        bodies.extend(row(&case["rods_each_coil"], half));
        bodies.extend(block(&case["bar"]));
        let l = matrix(&coils, &bodies);
        let allowed = if case["rods_each_coil"].is_null() { 0.005 } else { 0.04 };
        let series = l[(0, 0)] + l[(1, 1)] - 2.0 * l[(0, 1)];
        for (got, key) in [
            (l[(0, 0)], "self_inductance_h"),
            (l[(0, 1)], "mutual_same_sense_h"),
            (series, "series_humbucking_h"),
        ] {
            let ratio = got / num(case, key);
            println!("finite elements ratio {ratio:.4}");
            assert!((ratio - 1.0).abs() < allowed, "{key}: {ratio} in {case}");
        }
        assert!((l[(0, 1)] - l[(1, 0)]).abs() < 1e-9 && (l[(0, 0)] / l[(1, 1)] - 1.0).abs() < 1e-3);
    }
}

/// Finer cutting moves the answers by less than what they may be off.
#[test]
fn the_discretisation_has_settled() {
    let file = reference(include_str!("inductance.json"));
    let coil = winding(&file["permeable_rods"][2]["coil"]);
    let bodies = row(&file["permeable_rods"][2]["rods"], 0.0);
    let gain = |resolution: Resolution| {
        let system = System::new(&bodies, resolution);
        let probe = system.probe();
        let drive = System::drive(&probe, &coil.field_at(&probe.points_m));
        drive.dot(&system.respond(&drive)) * MU_0
    };
    let usual = gain(Resolution::default());
    let fine = gain(Resolution { rod: 16, ..Resolution::default() });
    assert!((usual / fine - 1.0).abs() < 0.01, "{}", usual / fine);
}

/// Rigid magnets: uniform magnetisation, against an analytic field library (magpylib 6.1).
#[test]
fn rigid_rods_single_and_in_a_row() {
    let file = reference(include_str!("magnets.json"));
    for case in file["rigid"]["cases"].as_array().unwrap() {
        let (radius_m, length_m) = (num(case, "dia") * 0.5e-3, num(case, "length") * 1e-3);
        for (count, which, key) in
            [(1, 0, "single"), (6, 0, "row_outer"), (6, 1, "row_second"), (6, 2, "row_centre")]
        {
            let place = |i: usize| (i as f64 - (count - 1) as f64 / 2.0) * 10.4e-3;
            let charged: Vec<Charged> = (0..count)
                .flat_map(|i| {
                    [(0.0, -1.25 / MU_0), (length_m, 1.25 / MU_0)].map(|(z, density_a_m)| Charged {
                        patch: Patch { center_m: [place(i), 0.0, z], shape: Shape::Disc { radius_m } },
                        density_a_m,
                    })
                })
                .collect();
            for (gap, expected) in case["gaps"].as_array().unwrap().iter().zip(case[key].as_array().unwrap())
            {
                let height = length_m + gap.as_f64().unwrap().max(1e-6) * 1e-3;
                let got = flux_density(&charged, [place(which), 0.0, height])[2];
                let ratio = got / expected.as_f64().unwrap();
                println!("finite elements ratio {ratio:.4}");
                assert!((ratio - 1.0).abs() < 0.003, "{key} at {gap}: {ratio}");
            }
        }
    }
}

/// Alnico on the hyperbolic law of the reference (Br 1.25 T, Hc 50 kA/m, a = 0.93; recoil permeability 3.5 across), open
/// circuit, axisymmetric finite elements: within 4 % from the face outwards, the mean polarisation within 2 %. The row of six
/// in the reference is itself a one-dimensional model, good to some per cent: within 10 %.
#[test]
fn alnico_rods_on_their_demagnetisation_curve() {
    let file = reference(include_str!("magnets.json"));
    for case in file["alnico_like"]["cases"].as_array().unwrap().iter().filter(|c| c["law"] == "HYP") {
        let curve = Demagnetisation::Hyperbola { br_t: 1.25, hc_a_m: 50e3, a: 0.93 };
        let rod = Rod {
            length_m: num(case, "length_mm") * 1e-3,
            radius_m: num(case, "diameter_mm") * 0.5e-3,
            bevel_m: 0.0,
            mu_r: 3.5,
            magnet: Some(Magnetised { curve, charge: 1.0 }),
            ..PLAIN
        };
        let single = System::new(&[Body::Rod(rod)], Resolution::default());
        let alone = single.charged(&single.remanent_state());
        for (gap, expected) in case["on_axis_t_by_gap_mm"].as_object().unwrap() {
            let height = rod.length_m + gap.parse::<f64>().unwrap().max(1e-4) * 1e-3;
            let ratio = flux_density(&alone, [0.0, 0.0, height])[2] / expected.as_f64().unwrap();
            println!("finite elements ratio {ratio:.4}");
            assert!((ratio - 1.0).abs() < 0.04, "{ratio} at {gap} in {case}");
        }
        let volume = std::f64::consts::PI * rod.radius_m * rod.radius_m * rod.length_m;
        let mean =
            single.moment(&single.remanent_state())[2] * MU_0 / volume / num(case, "mean_polarisation_t");
        println!("finite elements mean {mean:.4}");
        assert!((mean - 1.0).abs() < 0.02, "{mean} in {case}");
        let place = |i: usize| (i as f64 - 2.5) * 10.4e-3;
        let bodies: Vec<Body> = (0..6).map(|i| Body::Rod(Rod { axis_m: (place(i), 0.0), ..rod })).collect();
        let system = System::new(&bodies, Resolution::default());
        let held = system.charged(&system.remanent_state());
        for (which, key) in [(0, "outer_face_t"), (2, "centre_face_t")] {
            let at = [place(which), 0.0, rod.length_m + 1e-7];
            let ratio = flux_density(&held, at)[2] / num(&case["row_of_six_by_one_dimensional_model"], key);
            println!("finite elements ratio {ratio:.4}");
            assert!((ratio - 1.0).abs() < 0.10, "{ratio} {key}");
        }
    }
}

/// Alnico 5 with its recoil permeability across the axis as well (4 here), rods of 4.75 mm alone: flux density at the middle
/// of the face (axisymmetric finite elements computed for this project). Within 5 %.
#[rstest::rstest]
#[case(14e-3, 0.133)]
#[case(17e-3, 0.156)]
fn the_face_of_a_rod_that_is_permeable_across(#[case] length_m: f64, #[case] expected_t: f64) {
    let curve = Material::Named(Grade::Alnico5).demagnetisation().unwrap();
    let magnet = Some(Magnetised { curve, charge: 1.0 });
    let rod = Rod { length_m, radius_m: 2.375e-3, mu_r: 4.0, magnet, ..PLAIN };
    let system = System::new(&[Body::Rod(rod)], Resolution::default());
    let face = flux_density(&system.charged(&system.remanent_state()), [0.0, 0.0, length_m + 1e-7])[2];
    println!("finite elements ratio {:.4}", face / expected_t);
    assert!((face / expected_t - 1.0).abs() < 0.05, "{face}");
}
