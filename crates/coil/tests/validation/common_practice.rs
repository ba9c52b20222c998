//! Facts of the trade: common practice, no source.

use coil::design::{Design, tall_single};
use coil::prediction::{Level, predict};
use coil::wire::ToleranceRange;

/// Three equal coils, 7,620 turns of 42 AWG minimum to nominal on a tall single (outer rods 52 mm apart,
/// rods 4.75 mm of alnico 5, window 10.92 mm), read near 25 °C: heavy polyvinyl acetal 5.85 k / 2.25 H.
#[test]
fn the_three_equal_coils() {
    let mut design = Design { room_c: 25.0, ..tall_single("three equal coils", 6, 10.4) };
    design.coils[0].former.height_mm = 10.92;
    design.coils[0].wind.turns = 7620;
    design.coils[0].wire.range = ToleranceRange::MinimumToNominal;
    let pickup = predict(&design).unwrap().pickup;
    let resistance = pickup.resistance_ohm;
    assert!((resistance.nominal / 5850.0 - 1.0).abs() < 0.03, "{resistance:?}");
    assert!((pickup.inductance_h.nominal / 2.25 - 1.0).abs() < 0.05, "{:?}", pickup.inductance_h);
    for (read_ohm, read_h) in [(5850.0, 2.25), (5890.0, 2.22), (5830.0, 2.29)] {
        assert!(resistance.contains(read_ohm), "{read_ohm} in {resistance:?}");
        assert!((pickup.inductance_h.nominal / read_h - 1.0).abs() < 0.06, "{read_h}");
    }
}

/// A tall single lands between 40 and 150 pF; heavy build lowers it, and so does a scattered lay.
#[test]
fn self_capacitance_of_a_tall_single() {
    let scattered = tall_single("scattered", 6, 10.4);
    let mut straight = scattered.clone();
    straight.coils[0].wind.wander = 0.0;
    let mut single = straight.clone();
    single.coils[0].wire.build = coil::wire::Build::Single;
    let picofarads = |design: &Design| predict(design).unwrap().pickup.capacitance_f.nominal * 1e12;
    let (scattered, straight, single) = (picofarads(&scattered), picofarads(&straight), picofarads(&single));
    assert!((40.0..150.0).contains(&straight) && (40.0..150.0).contains(&scattered));
    assert!(scattered < straight && straight < single);
}

/// A scattered lay has less capacitance than a straight one of the same wire and turns; on wide, low coils about as much (within a
/// fiftieth).
#[test]
fn scatter_lowers_the_capacitance() {
    for kind in coil::design::Format::ALL {
        let mut design = coil::design::starting_point(kind, "lay", 6, 10.0);
        let mut of = |wander: f64| {
            design.coils.iter_mut().for_each(|c| c.wind.wander = wander);
            predict(&design).unwrap().coils[0].capacitance_f.nominal
        };
        let (straight, scattered) = (of(0.0), of(0.3));
        assert!(scattered < 1.02 * straight, "{kind:?}: {scattered:e} {straight:e}");
    }
}

/// Resistance grows faster than turns when a coil is overwound: 9,112 → 10,047 turns of 42 AWG read
/// 7.28 → 8.15 kΩ on one wide single; the ratio is what a uniform lay gives on any former of that size.
#[test]
fn overwinding_adds_more_ohms_than_turns() {
    let mut design = tall_single("wide", 6, 10.4);
    let coil = &mut design.coils[0];
    coil.former.core = coil::former::Core::stadium(64.0, 7.0);
    coil.former.height_mm = 6.0;
    coil.former.room_mm = 12.0;
    let ohms = |turns: u32| {
        let mut wound = design.clone();
        wound.coils[0].wind.turns = turns;
        predict(&wound).unwrap().pickup.resistance_20c_ohm.nominal
    };
    let (turns, measured) = (10_047.0 / 9_112.0, 8.15 / 7.28);
    let predicted = ohms(10_047) / ohms(9_112);
    assert!(predicted > turns && (predicted / measured - 1.0).abs() < 0.01, "{predicted} against {measured}");
}

/// 42 AWG in a heavy build fills a tall single of 7,600 turns, and 9,500 do not fit.
#[test]
fn what_fits_a_tall_single() {
    let mut design = tall_single("full", 6, 10.4);
    let stops = |design: &Design| {
        predict(design)
            .unwrap()
            .notices
            .iter()
            .filter(|n| n.level == Level::Stop)
            .map(|n| n.code.clone())
            .collect::<Vec<_>>()
    };
    assert!(stops(&design).is_empty());
    design.coils[0].wind.turns = 9_500;
    assert_eq!(stops(&design), ["wire-does-not-fit"]);
}

/// Poles: a longer rod reads stronger, neighbours of equal polarity pull one another down, so that the
/// outer rods read higher than the middle ones.
#[test]
fn rods_and_their_neighbours() {
    let flux = |design: &Design| {
        let read = coil::prediction::Solution::compute(design).unwrap().pole_flux_mt(0.5);
        read.into_iter().map(|v| v.unwrap().abs()).collect::<Vec<_>>()
    };
    let mut design = tall_single("row", 6, 10.4);
    let row = flux(&design);
    assert!(row[0] > row[2] && row[5] > row[3]);
    assert!((row[0] - row[5]).abs() < 0.01 * row[0]);
    design.poles.iter_mut().for_each(|pole| pole.length_mm = 18.5);
    assert!(flux(&design)[2] > row[2]);
    design.poles.iter_mut().for_each(|pole| pole.charge = 0.5);
    let half = flux(&design)[2] / row[2];
    // A little over half: neighbours at half charge pull one another down less.
    assert!((0.5..0.65).contains(&half), "{half}");
}
