//! The bands, which are linear, against the spread of many coils drawn at random.

use coil::design::{Format, starting_point, tall_single};
use coil::former::Core;
use coil::prediction::{Solution, predict};
use coil::wind::Lay;
use coil::wire::{Build, Gauge, Insulation, ToleranceRange, WireData};
use rstest::rstest;

/// A small repeatable generator (the constants of Numerical Recipes' quick one), enough to spread inputs.
struct Lot(u64);

impl Lot {
    fn even(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1u64 << 53) as f64
    }

    /// About normal, by the sum of twelve.
    fn normal(&mut self) -> f64 {
        (0..12).map(|_| self.even()).sum::<f64>() - 6.0
    }
}

fn percentile(sorted: &[f64], share: f64) -> f64 {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "an index within the slice")]
    let at = (share * (sorted.len() - 1) as f64).round() as usize;
    sorted[at]
}

/// 4,000 coils with the documented spreads: resistance and build within a tenth of the band's width.
#[test]
fn the_resistance_band_is_the_spread_of_many_coils() {
    let prediction = predict(&tall_single("lot", 6, 10.4)).unwrap();
    let predicted = prediction.pickup.resistance_20c_ohm;
    let gauge = Gauge::awg(42).unwrap();
    let wire = WireData::ordered(gauge, Insulation::PolyvinylAcetal, Build::Heavy, ToleranceRange::Full);
    let packing = prediction.coils[0].packing;
    let mut lot = Lot(20_261_124);
    // A uniform spread of standard deviation s reaches √3·s to either side.
    let uniform = |lot: &mut Lot, sd: f64| 1.0 + 3f64.sqrt() * sd * (2.0 * lot.even() - 1.0);
    let mut ohms: Vec<f64> = (0..4000)
        .map(|_| {
            let mut core = Core::stadium(56.75, 4.75).outline();
            let slip = lot.normal();
            core.corner_m += 0.025e-3 * slip;
            core.straight_x_m += 0.05e-3 * slip;
            let overall = wire.overall_m * uniform(&mut lot, wire.overall_sd);
            let turns = 7500.0 * (1.0 + 0.001 * lot.normal());
            let packing = packing * (1.0 + 0.05 * lot.normal());
            let height = 11.0e-3 + 0.05e-3 * lot.normal();
            Lay::uniform(turns, overall, packing, &core, height).wire_m
                * wire.ohm_per_m
                * uniform(&mut lot, wire.ohm_sd)
        })
        .collect();
    ohms.sort_by(f64::total_cmp);
    let (p05, p50, p95) = (percentile(&ohms, 0.05), percentile(&ohms, 0.5), percentile(&ohms, 0.95));
    let width = p95 - p05;
    assert!((p50 / predicted.nominal - 1.0).abs() < 0.002, "{p50} {predicted:?}");
    assert!((predicted.p05 - p05).abs() < 0.1 * width, "{p05} {predicted:?}");
    assert!((predicted.p95 - p95).abs() < 0.1 * width, "{p95} {predicted:?}");
}

/// Every explained band of several formats: linear and sampled bands agree within a tenth of the band's width.
#[rstest]
#[case(Format::TallSingle)]
#[case(Format::TwinCoil)]
#[case(Format::WideSingle)]
fn every_band_is_the_spread_of_many_pickups(#[case] kind: Format) {
    let mut design = starting_point(kind, "lot", 6, 10.0);
    // Pots that leave a peak: of a response that only falls there is none to spread.
    (design.load.volume_kohm, design.load.tone_kohm) = (500.0, 500.0);
    let pickup = predict(&design).unwrap().pickup;
    for (key, drawn) in Solution::compute(&design).unwrap().monte_carlo(4000, 20_261_124) {
        let linear = match key {
            "resistance_20c_ohm" => pickup.resistance_20c_ohm,
            "resistance_ohm" => pickup.resistance_ohm,
            "inductance_h" => pickup.inductance_h,
            "capacitance_f" => pickup.capacitance_f,
            "resonance_unloaded_hz" => pickup.resonance_unloaded_hz,
            "peak_hz" => pickup.peak_hz.unwrap(),
            "peak_db" => pickup.peak_db,
            "output_mv" => pickup.output_mv,
            "relative_output_db" => pickup.relative_output_db,
            other => panic!("{other} has no band"),
        };
        let width = drawn.p95 - drawn.p05;
        assert!((linear.p05 - drawn.p05).abs() < 0.1 * width, "{kind:?} {key}: {linear:?} {drawn:?}");
        assert!((linear.p95 - drawn.p95).abs() < 0.1 * width, "{kind:?} {key}: {linear:?} {drawn:?}");
    }
}

/// The share of each input in the band is what remains when only that input is spread.
#[test]
fn the_wire_is_the_largest_share_of_an_ordered_coil() {
    let prediction = predict(&tall_single("shares", 6, 10.4)).unwrap();
    let ranked: Vec<_> = prediction.contributions.iter().filter(|c| c.to == "resistance_20c_ohm").collect();
    assert_eq!(ranked[0].input, "coils[0].wire.ohm_per_m");
    assert!(ranked[0].share > 0.8 && ranked.windows(2).all(|pair| pair[0].share >= pair[1].share));
}
