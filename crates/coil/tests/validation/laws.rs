//! Laws that hold for every design.

use coil::design::{Design, read, tall_single};
use coil::prediction::{Quantity, predict};
use proptest::prelude::*;

fn any_design() -> impl Strategy<Value = Design> {
    (4u32..=8, 7.0..12.0f64, 2000u32..8000, 0.0..0.5f64, 6.0..14.0f64).prop_map(
        |(count, pitch, turns, wander, height)| {
            let mut design = tall_single("any", count, pitch);
            design.coils[0].wind.turns = turns;
            design.coils[0].wind.wander = wander;
            design.coils[0].former.height_mm = height;
            design
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn more_turns_more_of_everything(design in any_design()) {
        let mut more = design.clone();
        more.coils[0].wind.turns += 500;
        let (a, b) = (predict(&design).unwrap(), predict(&more).unwrap());
        prop_assert!(b.pickup.resistance_20c_ohm.nominal > a.pickup.resistance_20c_ohm.nominal);
        prop_assert!(b.pickup.inductance_h.nominal > a.pickup.inductance_h.nominal);
        prop_assert!(b.coils[0].build_mm > a.coils[0].build_mm);
        prop_assert!(b.pickup.relative_output_db.nominal > a.pickup.relative_output_db.nominal);
    }

    #[test]
    fn mirrored_design_same_numbers(design in any_design()) {
        let mut mirrored = design.clone();
        mirrored.poles.iter_mut().for_each(|pole| pole.x_mm = -pole.x_mm);
        let (a, b) = (predict(&design).unwrap().pickup, predict(&mirrored).unwrap().pickup);
        prop_assert!((a.inductance_h.nominal / b.inductance_h.nominal - 1.0).abs() < 1e-9);
        prop_assert!((a.relative_output_db.nominal - b.relative_output_db.nominal).abs() < 1e-6);
    }

    #[test]
    fn bands_hold_their_middle_and_documents_come_back(design in any_design()) {
        let prediction = predict(&design).unwrap();
        let ordered = |q: Quantity| q.p05 <= q.nominal && q.nominal <= q.p95 && q.p05.is_finite() && q.p95.is_finite();
        prop_assert!(ordered(prediction.pickup.resistance_ohm) && ordered(prediction.pickup.inductance_h));
        prop_assert!(ordered(prediction.pickup.capacitance_f) && prediction.pickup.peak_hz.is_none_or(ordered));
        let shares: f64 = prediction.contributions.iter().filter(|c| c.to == "inductance_h").map(|c| c.share).sum();
        prop_assert!(shares > 0.9 && shares < 1.0 + 1e-9);
        let text = serde_json::to_string(&design).unwrap();
        prop_assert_eq!(read(&text).unwrap(), design);
    }
}
