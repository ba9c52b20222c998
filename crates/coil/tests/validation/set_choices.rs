//! What is chosen for a set: levels, heights, a search within what may change.

use super::sets::*;
use coil::circuit::Join;
use coil::design::{Format, Polarity};
use coil::prediction::Calibration;
use coil::set::{
    Freedom, LEAST_GAP_MM, PickupMove, PickupRange, Targets, balanced, predict_set, search_sets, set_up,
};
use rstest::rstest;

/// Each freedom brings the bridge to the neck's level, or as near as it goes; more turns are about the ratio of the levels.
#[rstest]
#[case(Freedom::Turns)]
#[case(Freedom::Height)]
#[case(Freedom::Charge)]
fn a_pickup_is_brought_to_a_level(#[case] freedom: Freedom) {
    let set = two(start(Format::TallSingle, 5000), start(Format::TallSingle, 5000), Join::Parallel);
    let balance = predict_set(&set).unwrap().balance;
    let (bridge, neck) = (balance[0].output_mv.nominal, balance[1].output_mv.nominal);
    let index = usize::from(freedom == Freedom::Charge);
    let target = if freedom == Freedom::Charge { bridge } else { neck };
    let found = balanced(&set, index, freedom, target, &Calibration::default()).unwrap().unwrap();
    let mut other = set.clone();
    other.pickups[index].design = found.design.clone();
    let after = predict_set(&other).unwrap().balance;
    assert!(near(after[index].output_mv.nominal, found.output_mv, 1e-6));
    let ratio = target / balance[index].output_mv.nominal;
    match freedom {
        Freedom::Turns => {
            assert!(found.reaches(target) && near(found.change, ratio, 0.1), "{}", found.change);
        }
        // A string near saturation answers to less than the whole change of its magnet.
        Freedom::Charge => {
            assert!(found.reaches(target) && (0.1..ratio).contains(&found.change), "{}", found.change);
        }
        _ => assert!(found.change < -0.5 && found.output_mv > bridge, "{}", found.change),
    }
    // A steel plate under rods makes them a little louder, and brings the neck no nearer to the bridge.
    let plate = balanced(&set, 0, Freedom::Plate, neck, &Calibration::default()).unwrap().unwrap();
    assert!((1.005..1.6).contains(&plate.change), "{}", plate.change);
    assert!(balanced(&set, 1, Freedom::Plate, bridge, &Calibration::default()).unwrap().is_none());
    // Beyond full no magnet is charged.
    assert!(balanced(&set, 0, Freedom::Charge, 10.0 * bridge, &Calibration::default()).unwrap().is_none());
}

/// Heights that are planned leave pickups and strings nearer to one another than they were; over a curved fingerboard the outer strings
/// come nearer to flat poles.
#[test]
fn heights_balance_strings_and_pickups() {
    let set = two(start(Format::TallSingle, 5000), start(Format::TallSingle, 5000), Join::Parallel);
    let before = predict_set(&set).unwrap().balance;
    let spread = |values: &[f64]| {
        let mean = values.iter().sum::<f64>() / values.len() as f64;
        values.iter().map(|v| (v - mean).powi(2)).sum::<f64>().sqrt()
    };
    let flat = set_up(&set, None, &Calibration::default()).unwrap();
    assert!(
        flat[1].relative_db - flat[0].relative_db < 0.5 * (before[1].relative_db - before[0].relative_db)
    );
    for (planned, was) in flat.iter().zip(&before) {
        let after: Vec<f64> = planned.strings.iter().map(|s| s.relative_db).collect();
        let was: Vec<f64> = was.strings.iter().map(|s| s.relative_db).collect();
        assert!(spread(&after) < spread(&was) + 0.1, "{after:?} {was:?}");
        assert!(planned.strings.iter().all(|s| s.gap_mm >= LEAST_GAP_MM && s.pull_cents <= 0.0));
    }
    // Poles that alternate leave a nearly silent place between them; poles that agree, some decibels.
    let mut alternating = set.clone();
    for (k, pole) in alternating.pickups[0].design.poles.iter_mut().enumerate() {
        pole.up = if k % 2 == 0 { Polarity::North } else { Polarity::South };
    }
    let set_up_row = set_up(&alternating, None, &Calibration::default()).unwrap();
    assert!(set_up_row[0].alternates && !set_up_row[1].alternates && !flat[0].alternates);
    let (deep, shallow) = (set_up_row[0].between_db.unwrap(), flat[0].between_db.unwrap());
    assert!(deep < -20.0 && (-12.0..0.0).contains(&shallow), "{deep} {shallow}");
    let curved = set_up(&set, Some(240.0), &Calibration::default()).unwrap();
    let over = |p: &coil::set::PickupSetUp| {
        0.5 * (p.strings[2].gap_mm + p.strings[3].gap_mm) - 0.5 * (p.strings[0].gap_mm + p.strings[5].gap_mm)
    };
    // x²/2R of the outer strings, 26 mm from the middle, less that of the inner ones, 5.2 mm from it.
    let sag = (26.0_f64.powi(2) - 5.2_f64.powi(2)) / 480.0;
    let tops = over(&flat[1]);
    assert!((over(&curved[1]) - tops - sag).abs() < 0.15, "{} {tops} {sag}", over(&curved[1]));
}

/// A search finds what meets the targets within what may change; what is held stays; it can be stopped.
#[test]
fn a_search_meets_the_targets() {
    let mut set = two(
        start(Format::TallSingle, 5000),
        wound_the_other_way(magnets_turned_over(start(Format::TallSingle, 5000))),
        Join::Parallel,
    );
    set.targets = Targets { balance_db: Some(0.5), hum_rejection_db: Some(20.0), peaks_in_order: false };
    let free = PickupRange { turns: 0.3, place_mm: 0.0, height_mm: 1.0 };
    let ranges = [free, PickupRange { turns: 0.0, ..free }];
    let mut last = 0.0;
    let found = search_sets(&set, &ranges, &Calibration::default(), &mut |share| {
        assert!((last - 1e-9..=1.0).contains(&share));
        last = share;
        true
    });
    let found = found.unwrap().unwrap();
    let best = &found[0];
    assert!(best.miss < 0.05 && last > 0.99, "{}", best.miss);
    assert!(best.prediction.balance.iter().all(|b| b.relative_db.abs() < 0.55));
    assert!(best.prediction.positions[1].hum_rejection_db > 19.5);
    for candidate in &found {
        assert!((candidate.moves[1].turns - 1.0).abs() < 1e-9 && candidate.moves[0].place_mm.abs() < 1e-9);
        assert!(
            candidate.moves.iter().all(|m| m.height_mm.abs() <= 1.0 && (m.turns - 1.0).abs() <= 0.3 + 1e-9)
        );
        assert!(candidate.miss >= best.miss - 1e-9);
    }
    assert!(search_sets(&set, &ranges, &Calibration::default(), &mut |_| false).unwrap().is_none());
    // Nothing may change: the set as it is.
    let held = search_sets(&set, &[], &Calibration::default(), &mut |_| true).unwrap().unwrap();
    assert_eq!((held.len(), held[0].moves[0]), (1, PickupMove::default()));
    // Peaks in order: the bridge of more turns would peak lower.
    set.targets = Targets { balance_db: Some(20.0), hum_rejection_db: None, peaks_in_order: true };
    set.pickups[0].design = start(Format::TallSingle, 5600);
    assert!(predict_set(&set).unwrap().notices.iter().any(|n| n.code == "target-peaks-missed"));
    let found = search_sets(
        &set,
        &[PickupRange { turns: 0.2, ..PickupRange::default() }],
        &Calibration::default(),
        &mut |_| true,
    );
    let best = &found.unwrap().unwrap()[0];
    assert!(
        best.moves[0].turns < 0.92 && best.prediction.notices.iter().all(|n| n.code != "target-peaks-missed"),
        "{:?}",
        best.moves
    );
}
