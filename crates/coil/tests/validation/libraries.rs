//! General-purpose reference libraries (elliptic integrals and Bessel functions: mpmath, SciPy; magnetic fields:
//! magpylib), run by `tools/reference/generate.py` with pinned versions.

use super::{num, reference};
use coil::eddy::core_permeability;
use coil::former::Core;
use coil::inductance::{MU_0, Winding};
use coil::magnet::{Charged, Patch, Shape, flux_density};
use coil::numeric::{elliptic_k, elliptic_ke};
use serde_json::Value;
use std::f64::consts::PI;

fn file() -> Value {
    reference(include_str!("libraries.json"))
}

fn vectors(list: &Value) -> Vec<[f64; 3]> {
    let vector = |v: &Value| [0, 1, 2].map(|i| v[i].as_f64().unwrap());
    list.as_array().unwrap().iter().map(vector).collect()
}

fn close(got: [f64; 3], expected: [f64; 3], within: f64, what: &str) {
    let size = expected.iter().map(|v| v * v).sum::<f64>().sqrt();
    for (g, e) in got.iter().zip(expected) {
        assert!((g - e).abs() < within * size, "{what}: {got:?} against {expected:?}");
    }
}

#[test]
fn elliptic_integrals() {
    for case in file()["elliptic"].as_array().unwrap() {
        let m = num(case, "m");
        assert!((elliptic_k(m) / num(case, "k") - 1.0).abs() < 1e-10, "K({m})");
        assert!((elliptic_ke(m).1 / num(case, "e") - 1.0).abs() < 1e-9, "E({m})");
    }
}

/// The partial fractions of the skin effect against the Bessel functions that they stand for.
#[test]
fn round_cores_in_the_skin_effect() {
    for case in file()["round_core"].as_array().unwrap() {
        // u = ωμσr²: choose ω so that it is.
        let (mu_r, sigma, radius) = (100.0, 6e6, 2.4e-3);
        let hz = num(case, "u") / (2.0 * PI * mu_r * MU_0 * sigma * radius * radius);
        let got = core_permeability(mu_r, sigma, radius, hz);
        let off = (got.re - num(case, "re")).hypot(got.im - num(case, "im"));
        assert!(off < 0.003, "{got} in {case}");
    }
}

/// A rigid rod is two charged discs, off its axis too.
#[test]
fn a_cylinder() {
    let case = &file()["cylinder"];
    let disc = |z: f64, sign: f64| Charged {
        patch: Patch { center_m: [0.0, 0.0, z], shape: Shape::Disc { radius_m: 2.375e-3 } },
        density_a_m: sign / MU_0,
    };
    let charged = [disc(-8.5e-3, -1.0), disc(8.5e-3, 1.0)];
    for (at, expected) in vectors(&case["points_m"]).into_iter().zip(vectors(&case["field_t"])) {
        close(flux_density(&charged, at), expected, 0.003, "cylinder");
    }
}

/// A rigid bar is two charged rectangles, whichever way it is magnetised.
#[test]
fn cuboids() {
    let size = [63.5e-3, 12.7e-3, 3.2e-3];
    for case in file()["cuboids"].as_array().unwrap() {
        let across = ["x", "y", "z"].iter().position(|a| case["axis"] == *a).unwrap();
        let half: Vec<f64> = (0..3).filter(|a| *a != across).map(|a| size[a] / 2.0).collect();
        let face = |sign: f64| {
            let mut center_m = [0.0; 3];
            center_m[across] = sign * size[across] / 2.0;
            let shape = Shape::Rectangle { across, half_m: [half[0], half[1]] };
            Charged { patch: Patch { center_m, shape }, density_a_m: sign / MU_0 }
        };
        let charged = [face(1.0), face(-1.0)];
        for (at, expected) in vectors(&case["points_m"]).into_iter().zip(vectors(&case["field_t"])) {
            close(flux_density(&charged, at), expected, 3e-3, "cuboid");
        }
    }
}

#[test]
fn the_field_of_a_round_coil() {
    let case = &file()["round_coil"];
    let coil = Winding {
        core: Core::round(16.0).outline(),
        center_m: (0.0, 0.0),
        from_z_m: -3e-3,
        to_z_m: 3e-3,
        build_m: 2e-3,
        turns: 2000.0,
    };
    let points = vectors(&case["points_m"]);
    for (got, expected) in coil.field_at(&points).into_iter().zip(vectors(&case["field_t_per_a"])) {
        close(got, expected, 0.008, "round coil");
    }
    for (got, expected) in coil.field_beyond(&points).into_iter().zip(vectors(&case["field_t_per_a"])) {
        close(got, expected, 0.02, "round coil, half the nodes");
    }
}

/// The 95 % point of a normal spread that bands are made with.
#[test]
fn the_normal_quantile() {
    assert!((num(&file(), "normal_quantile_95") - 1.645).abs() < 5e-4);
}
