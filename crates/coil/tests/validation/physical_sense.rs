//! Directions that physics fixes, whatever the numbers: which change moves which quantity which way.

use coil::design::{Design, tall_single};
use coil::inductance::MU_0;
use coil::inductance::Winding;
use coil::magnet::{
    Block, Body, Demagnetisation, Grade, Magnetised, Material, Resolution, Rod, System, flux_density,
};
use coil::prediction::{PickupPrediction, predict};
use coil::wire::{Build, ToleranceRange};
use rstest::rstest;

fn pickup(change: impl FnOnce(&mut Design)) -> PickupPrediction {
    let mut design = tall_single("sense", 6, 10.4);
    change(&mut design);
    predict(&design).unwrap().pickup
}

fn rod(mu_r: f64) -> Rod {
    Rod {
        axis_m: (0.0, 0.0),
        bottom_m: 0.0,
        length_m: 0.017,
        radius_m: 0.002_375,
        bevel_m: 0.0,
        mu_r,
        magnet: None,
    }
}

fn winding() -> Winding {
    Winding {
        core: coil::former::Core::stadium(57.0, 5.0).outline(),
        center_m: (0.0, 0.0),
        from_z_m: 0.003,
        to_z_m: 0.014,
        build_m: 0.004,
        turns: 7000.0,
    }
}

/// A lower alnico grade has the higher recoil permeability, and so the higher inductance (MMPA 0100-00,
/// from memory).
#[test]
fn lower_grades_have_more_inductance() {
    let henries = |grade| {
        pickup(|d| d.poles.iter_mut().for_each(|p| p.material = Material::Named(grade))).inductance_h.nominal
    };
    let (ceramic, eight, five, two) =
        (henries(Grade::Ceramic8), henries(Grade::Alnico8), henries(Grade::Alnico5), henries(Grade::Alnico2));
    assert!(ceramic < eight && eight < five && five < two, "{ceramic} {eight} {five} {two}");
}

/// A low wide coil of equal turns has more inductance than a tall narrow one (common practice, no source).
#[test]
fn low_and_wide_is_warmer() {
    let tall = pickup(|_| {});
    let low = pickup(|d| {
        d.coils[0].former.height_mm = 7.0;
        d.coils[0].former.room_mm = 9.0;
    });
    assert!(low.inductance_h.nominal > tall.inductance_h.nominal);
    assert!(low.peak_hz.unwrap().nominal < tall.peak_hz.unwrap().nominal);
}

#[test]
fn thinner_wire_has_more_ohms_and_less_build() {
    let thin = pickup(|d| d.coils[0].wire.gauge = "43 AWG".parse().unwrap());
    let thick = pickup(|_| {});
    assert!(thin.resistance_20c_ohm.nominal > 1.2 * thick.resistance_20c_ohm.nominal);
    let single = pickup(|d| d.coils[0].wire.build = Build::Single);
    assert!(single.resistance_20c_ohm.nominal < thick.resistance_20c_ohm.nominal, "shorter turns");
}

/// Half the tolerance range is half the band (common practice, no source, for the ranges).
#[test]
fn a_narrower_order_narrows_the_band() {
    let width = |range| {
        let r = pickup(|d| d.coils[0].wire.range = range).resistance_20c_ohm;
        (r.p95 - r.p05) / r.nominal
    };
    let ratio = width(ToleranceRange::Full) / width(ToleranceRange::MinimumToNominal);
    assert!((1.6..2.1).contains(&ratio), "{ratio}");
    let measured = pickup(|d| {
        d.coils[0].wire.spool =
            Some(coil::design::Spool { ohm_per_m: Some(5.6), overall_mm: Some(0.073), ..Default::default() });
    });
    let r = measured.resistance_20c_ohm;
    assert!((r.p95 - r.p05) / r.nominal < 0.6 * width(ToleranceRange::MinimumToNominal));
}

/// Copper gains 0.393 % per kelvin at 20 °C (IEC 60028), in the room as on paper.
#[test]
fn a_warm_room_reads_high() {
    let warm = pickup(|d| d.room_c = 30.0);
    let ratio = warm.resistance_ohm.nominal / warm.resistance_20c_ohm.nominal;
    assert!((ratio - 1.0393).abs() < 1e-9, "{ratio}");
}

/// What rods add to the inductance of a coil, H.
fn gain(rods: &[Rod], coil: &Winding) -> f64 {
    let bodies: Vec<Body> = rods.iter().map(|r| Body::Rod(*r)).collect();
    let system = System::new(&bodies, Resolution::default());
    let probe = system.probe();
    let drive = System::drive(&probe, &coil.field_at(&probe.points_m));
    MU_0 * drive.dot(&system.respond(&drive))
}

/// Half the charge is less than full output and more than half, since the strings are nearer saturation at full; a
/// string further off hears less of the coil.
#[test]
fn output_follows_charge_turns_and_gap() {
    let full = pickup(|_| {}).relative_output_db.nominal;
    assert!(full.abs() < 0.1, "the reference against itself: {full}");
    let half = pickup(|d| d.poles.iter_mut().for_each(|p| p.charge = 0.5)).relative_output_db.nominal;
    assert!((-6.1..-2.0).contains(&half), "{half}");
    let far = pickup(|d| {
        let string =
            coil::design::OneString { note: String::new(), diameter_mm: 0.4, core_mm: None, gap_mm: 4.0 };
        d.strings.each = vec![string; 6];
    });
    assert!(far.relative_output_db.nominal < -3.0);
}

/// A string moves less near the bridge: 10 to 15 % more turns there only begin to make up for it.
#[test]
fn the_bridge_position_needs_a_hotter_coil() {
    let at = |mm: f64| pickup(|d| d.strings.from_bridge_mm = mm).output_mv.nominal;
    assert!(at(40.0) < at(100.0) && at(100.0) < at(160.0));
    let hotter = pickup(|d| {
        d.strings.from_bridge_mm = 40.0;
        d.coils[0].wind.turns = 8500;
    });
    assert!(hotter.output_mv.nominal > 1.08 * at(40.0));
}

#[rstest]
#[case(1.0, 2.0)]
#[case(2.0, 4.5)]
#[case(4.5, 200.0)]
fn more_permeability_more_inductance(#[case] low: f64, #[case] high: f64) {
    let of = |mu_r| gain(&[rod(mu_r)], &winding());
    assert!(of(low) >= 0.0 && of(high) > of(low));
}

/// Two rods at a great distance add; near one another each sees the other's field.
#[test]
fn rods_far_apart_do_not_know_one_another() {
    let long = Winding { core: coil::former::Core::stadium(400.0, 5.0).outline(), ..winding() };
    let pair = |distance: f64| {
        gain(&[-0.5, 0.5].map(|side| Rod { axis_m: (side * distance, 0.0), ..rod(200.0) }), &long)
    };
    let single = gain(&[rod(200.0)], &long);
    assert!((pair(0.2) / (2.0 * single) - 1.0).abs() < 0.02);
    assert!((pair(0.006) / (2.0 * single) - 1.0).abs() > 0.03);
}

/// A rigid rod keeps its remanence: the flux at its face is that of two discs of charge.
#[test]
fn a_hard_magnet_is_two_discs() {
    let curve = Demagnetisation::Line { br_t: 1.0, mu_r: 1.001 };
    let hard = Rod { magnet: Some(Magnetised { curve, charge: 1.0 }), ..rod(1.001) };
    let (l, r) = (hard.length_m, hard.radius_m);
    let system = System::new(&[Body::Rod(hard)], Resolution::default());
    let charged = system.charged(&system.remanent_state());
    for gap in [0.0005, 0.002, 0.005] {
        let exact = 0.5 * ((l + gap) / (l + gap).hypot(r) - gap / gap.hypot(r));
        let got = flux_density(&charged, [0.0, 0.0, l + gap])[2];
        assert!((got / exact - 1.0).abs() < 0.005, "gap {gap}: {}", got / exact);
    }
}

/// A rigid rod with a bevelled edge carries its charge on the smaller face and on the cone below it: against rings of
/// that charge, summed on the axis.
#[rstest]
#[case(0.5e-3)]
#[case(0.8e-3)]
#[case(0.0)]
fn a_bevelled_hard_magnet_has_charge_on_its_cone(#[case] bevel_m: f64) {
    let curve = Demagnetisation::Line { br_t: 1.0, mu_r: 1.001 };
    let hard = Rod { bevel_m, magnet: Some(Magnetised { curve, charge: 1.0 }), ..rod(1.001) };
    let (length, radius) = (hard.length_m, hard.radius_m);
    let system = System::new(&[Body::Rod(hard)], Resolution::default());
    let charged = system.charged(&system.remanent_state());
    for gap in [0.0005, 0.001, 0.003, 0.006] {
        let at = length + gap;
        let count = 20_000;
        let mut exact = 0.0;
        for k in 0..count {
            let distance = radius * (f64::from(k) + 0.5) / f64::from(count);
            let charge = distance * radius / f64::from(count);
            let ring = |z: f64| (at - z) / (distance * distance + (at - z).powi(2)).powf(1.5);
            let upper = length - (distance - (radius - bevel_m)).max(0.0);
            exact += 0.5 * charge * (ring(upper) - ring(0.0));
        }
        let got = flux_density(&charged, [0.0, 0.0, at])[2];
        assert!((got / exact - 1.0).abs() < 0.01, "gap {gap}: {}", got / exact);
    }
}

/// A bevel takes material away: less inductance with a steel rod, less field beside the rim than in the middle.
#[test]
fn a_bevel_takes_material_away() {
    let sharp = rod(200.0);
    let bevelled = Rod { bevel_m: 0.6e-3, ..sharp };
    let (with, without) = (gain(&[bevelled], &winding()), gain(&[sharp], &winding()));
    assert!(with < without && with > 0.97 * without, "{with} of {without}");
    let curve = Material::Named(Grade::Alnico5).demagnetisation().unwrap();
    let field = |rod: Rod, x: f64| {
        let rod = Rod { magnet: Some(Magnetised { curve, charge: 1.0 }), mu_r: 4.3, ..rod };
        let system = System::new(&[Body::Rod(rod)], Resolution::default());
        flux_density(&system.charged(&system.remanent_state()), [x, 0.0, rod.length_m + 5e-4])[2]
    };
    let lost = |x: f64| 1.0 - field(bevelled, x) / field(sharp, x);
    assert!(lost(2.2e-3) > 0.1 && lost(0.0).abs() < 0.05, "{} {}", lost(2.2e-3), lost(0.0));
}

/// A rod turned over gives the same flux the other way.
#[test]
fn polarity_is_a_sign() {
    let curve = Material::Named(Grade::Alnico5).demagnetisation().unwrap();
    let face = |charge: f64| {
        let rod = Rod { magnet: Some(Magnetised { curve, charge }), ..rod(4.0) };
        let system = System::new(&[Body::Rod(rod)], Resolution::default());
        flux_density(&system.charged(&system.remanent_state()), [0.0, 0.0, rod.length_m + 0.001])[2]
    };
    let (north, south) = (face(1.0), face(-1.0));
    assert!(north > 0.0 && (north + south).abs() < 1e-9);
    assert!((face(0.5) / north - 0.5).abs() < 1e-9, "a part charge scales the reading");
}

/// A long cylinder across an even field takes M = 2χ/(χ + 2)·H (any textbook on magnetostatics); another in line with the
/// field beside it adds to that, one abreast takes from it.
#[test]
fn a_steel_rod_across_the_field() {
    let steel = |x: f64, y: f64| {
        let axis_m = (x, y);
        Body::Rod(Rod {
            axis_m,
            bottom_m: -0.05,
            length_m: 0.1,
            radius_m: 2.4e-3,
            bevel_m: 0.0,
            mu_r: 200.0,
            magnet: None,
        })
    };
    // Rods are magnetised across where a bar magnet is: this one is too far and too weak to matter.
    let curve = Demagnetisation::Line { br_t: 1e-6, mu_r: 1.05 };
    let bar = Body::Block(Block {
        center_m: [9.0, 9.0, 9.0],
        size_m: [1e-3; 3],
        mu_r: 1.05,
        magnet: Some((1, Magnetised { curve, charge: 1.0 })),
    });
    let along_y = |mut bodies: Vec<Body>| {
        bodies.push(bar);
        let system = System::new(&bodies, Resolution::default());
        let probe = system.probe();
        let even = vec![[0.0, MU_0, 0.0]; probe.points_m.len()];
        let answer = system.respond(&System::drive(&probe, &even));
        let volume = std::f64::consts::PI * 2.4e-3_f64.powi(2) * 0.1;
        system.moment(&system.only(0, &answer))[1] / volume
    };
    let alone = along_y(vec![steel(0.0, 0.0)]);
    assert!((alone / (2.0 * 199.0 / 201.0) - 1.0).abs() < 0.04, "{alone}");
    assert!(along_y(vec![steel(0.0, 0.0), steel(0.0, 6e-3)]) > 1.1 * alone);
    assert!(along_y(vec![steel(0.0, 0.0), steel(6e-3, 0.0)]) < 0.95 * alone);
}
