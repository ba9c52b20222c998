//! Eddy currents against 3-D finite elements (NGSolve 6.2.2608; see `provenance` in the file): inductance within 2 %,
//! added resistance within 20 % from 1 to 20 kHz.

use super::{num, reference, winding};
use coil::eddy::{Sheet, impedance, panels_of};
use serde_json::json;
use std::f64::consts::PI;

#[test]
fn plates_and_covers_of_brass_and_nickel_silver() {
    let file = reference(include_str!("eddy.json"));
    let coil = winding(&json!({
        "straight_mm": 44, "inner_end_radius_mm": 3.2, "height_mm": 7.0, "build_mm": 4.2, "turns": 5000
    }));
    let at_rest = coil.inductance_h();
    for case in file["cases"].as_array().unwrap() {
        let (sigma, hz) = (num(case, "conductivity_s_per_m"), num(case, "hz"));
        let sheet = if case["part"] == "plate" {
            let panels = panels_of([0.0, 0.0, -3.5e-3 - 1e-3 - 0.3e-3], [70e-3, 38e-3, 0.6e-3], None);
            Sheet::new(&panels, 0.6e-3, sigma, 14e-3)
        } else {
            // The box stands about the coil, its middle level with the coil's.
            let panels = panels_of([0.0; 3], [70e-3, 38e-3, 10e-3], Some(0.5e-3));
            Sheet::new(&panels, 0.5e-3, sigma, 14e-3)
        };
        let flux = sheet.flux(&coil.field_beyond(&sheet.points_m()));
        let z = impedance(&sheet.relaxations(&flux, None), hz);
        let inductance = (1.0 + z.im / (2.0 * PI * hz) / at_rest) / num(case, "ratio_of_inductance");
        println!("eddy inductance {inductance:.4}");
        assert!((inductance - 1.0).abs() < 0.02, "{inductance} in {case}");
        let resistance = z.re / num(case, "added_resistance_ohm");
        println!("eddy resistance {resistance:.4}");
        assert!((resistance - 1.0).abs() < 0.2, "{resistance} in {case}");
    }
}
