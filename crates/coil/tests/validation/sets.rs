//! Sets: the rules that phase and hum obey, and the figures of positions against a circuit simulator and closed forms.

use crate::netlist::simulate;
use coil::circuit::Join;
use coil::design::{Design, Direction, End, Format, Polarity, starting_point};
use coil::prediction::{Calibration, Solution};
use coil::set::{
    ControlWiring, Controls, FORMAT, Hum, LeadOrder, Orientation, PairPhase, PlacedPickup, Set, SetPickup,
    SetSolution, SwitchPosition, Targets, predict_set,
};
use rand::{RngExt as _, SeedableRng as _};
use rand_pcg::Pcg64Mcg;
use rstest::rstest;
use std::f64::consts::PI;
use std::sync::Arc;

pub(super) fn pickup(name: &str, design: Design, from_bridge_mm: f64) -> SetPickup {
    SetPickup { name: name.into(), design, from_bridge_mm, turned: false, leads: LeadOrder::Normal }
}

pub(super) fn position(name: &str, on: &[&str], join: Option<Join>) -> SwitchPosition {
    let on = on.iter().map(|&n| n.to_owned()).collect();
    SwitchPosition { name: name.into(), on, join, coils: std::collections::BTreeMap::new() }
}

/// Bridge and neck, each alone and both joined.
pub(super) fn two(bridge: Design, neck: Design, join: Join) -> Set {
    Set {
        format: FORMAT.into(),
        name: "two".into(),
        pickups: vec![pickup("bridge", bridge, 42.0), pickup("neck", neck, 158.0)],
        controls: Controls::default(),
        cable_pf: 470.0,
        input_mohm: 1.0,
        switch: vec![
            position("1", &["bridge"], None),
            position("2", &["bridge", "neck"], Some(join)),
            position("3", &["neck"], None),
        ],
        targets: Targets::default(),
    }
}

pub(super) fn start(kind: Format, turns: u32) -> Design {
    let mut design = starting_point(kind, "Sedge", 6, 10.4);
    for coil in &mut design.coils {
        coil.wind.turns = turns;
    }
    design
}

pub(super) fn wound_the_other_way(mut design: Design) -> Design {
    for coil in &mut design.coils {
        coil.wind.direction = match coil.wind.direction {
            Direction::Clockwise => Direction::CounterClockwise,
            Direction::CounterClockwise => Direction::Clockwise,
        };
    }
    design
}

pub(super) fn magnets_turned_over(mut design: Design) -> Design {
    for pole in &mut design.poles {
        pole.up = if pole.up == Polarity::North { Polarity::South } else { Polarity::North };
    }
    for bar in &mut design.bars {
        bar.north = if bar.north == End::Positive { End::Negative } else { End::Positive };
    }
    design
}

pub(super) fn near(a: f64, b: f64, by: f64) -> bool {
    (a - b).abs() <= by * a.abs().max(b.abs()).max(1e-9)
}

/// Random sets: formats, turns, joins, leads, polarities, senses.
#[rstest]
fn the_rules_of_phase_and_hum_hold(#[values(1, 2, 3, 4, 5, 6, 7, 8)] seed: u64) {
    let mut rng = Pcg64Mcg::seed_from_u64(seed);
    let kinds =
        [Format::TallSingle, Format::ShortSingle, Format::WideSingle, Format::TwinCoil, Format::Blade];
    let mut any = || {
        let kind = kinds[rng.random_range(0..kinds.len())];
        let mut design = start(kind, rng.random_range(4000..6000));
        if rng.random() {
            design = wound_the_other_way(design);
        }
        if rng.random() {
            design = magnets_turned_over(design);
        }
        design
    };
    let (one, other) = (any(), any());
    let join = if rng.random() { Join::Series } else { Join::Parallel };
    let mut set = two(one.clone(), other.clone(), join);
    if rng.random() {
        set.pickups[0].leads = LeadOrder::Swapped;
    }
    let base = predict_set(&set).unwrap();
    let pair = &base.pairs[0];
    // In phase when polarity and sense both agree or both differ; hum cancels when the senses differ.
    assert_eq!(pair.phase == PairPhase::In, pair.polarity == pair.sense);
    assert_eq!(pair.hum == Hum::Cancels, pair.sense == Orientation::Opposite);
    assert_eq!(base.positions[1].phase, pair.phase);

    // Winding the other way is the same to the circuit as exchanging the leads.
    let mut wound = set.clone();
    wound.pickups[1].design = wound_the_other_way(other.clone());
    let mut swapped = set.clone();
    swapped.pickups[1].leads = LeadOrder::Swapped;
    let (wound, swapped) = (predict_set(&wound).unwrap(), predict_set(&swapped).unwrap());
    assert_eq!(wound.pairs[0].phase, swapped.pairs[0].phase);
    assert_ne!(wound.pairs[0].phase, pair.phase);
    assert_ne!(wound.pairs[0].hum, pair.hum);
    for (a, b) in wound.positions.iter().zip(&swapped.positions) {
        assert!(near(a.output_mv.nominal, b.output_mv.nominal, 1e-6));
        assert!(near(a.hum_rejection_db, b.hum_rejection_db, 1e-6));
        for (x, y) in a.response.loaded_db.iter().zip(&b.response.loaded_db) {
            assert!((x - y).abs() < 1e-6);
        }
    }

    // Reversing both changes neither phase nor level; hum then cancels where it added.
    let mut both = set.clone();
    both.pickups[1].design = magnets_turned_over(wound_the_other_way(other));
    let both = predict_set(&both).unwrap();
    assert_eq!(both.pairs[0].phase, pair.phase);
    assert_ne!(both.pairs[0].hum, pair.hum);
    for (a, b) in both.positions.iter().zip(&base.positions) {
        assert!(
            near(a.output_mv.nominal, b.output_mv.nominal, 1e-6),
            "{} {}",
            a.output_mv.nominal,
            b.output_mv.nominal
        );
    }
}

/// Positions in a general circuit simulator (ngspice): within 0.1 dB and 0.5 %.
#[rstest]
#[case(Format::TallSingle, Format::ShortSingle, Join::Parallel, ControlWiring::Shared)]
#[case(Format::TwinCoil, Format::TallSingle, Join::Series, ControlWiring::Shared)]
#[case(Format::TwinCoil, Format::WideSingle, Join::Parallel, ControlWiring::Own)]
#[case(Format::TallSingle, Format::Blade, Join::Series, ControlWiring::Own)]
fn a_circuit_simulator_agrees_on_positions(
    #[case] bridge: Format,
    #[case] neck: Format,
    #[case] join: Join,
    #[case] wiring: ControlWiring,
) {
    let mut set = two(start(bridge, 5200), start(neck, 4700), join);
    set.controls.wiring = wiring;
    let solution =
        SetSolution::compute(&set, |d| PlacedPickup::try_new(d, &Calibration::default()).map(Arc::new))
            .unwrap();
    let rows = simulate(&solution.netlist(1).unwrap());
    for (hz, theirs) in &rows {
        let ours = 20.0 * solution.response(1, *hz).unwrap().log10();
        assert!((theirs - ours).abs() < 0.1, "{hz} Hz: {theirs} against {ours}");
    }
    let highest = rows.iter().max_by(|a, b| a.1.total_cmp(&b.1)).unwrap();
    if let Some(peak) = solution.prediction().positions[1].peak_hz {
        // The simulator steps by 1.16 %: half of that is added.
        assert!(near(peak.nominal, highest.0, 0.005 + 0.006), "{} {}", peak.nominal, highest.0);
    }
}

/// Area within the middle turn of a coil on a core with round ends, m².
fn stadium_m2(core: &coil::former::Core, build_mm: f64) -> f64 {
    let (length, width) = core.size_mm();
    let (a, b) = ((length + build_mm) * 1e-3, (width + build_mm) * 1e-3);
    (a - b) * b + PI / 4.0 * b * b
}

/// Two coils without poles in an even field: each gathers turns times area, and what is left of two that oppose is their difference
/// in series, the difference weighed by their admittances in parallel (any textbook on circuits).
#[rstest]
fn hum_in_an_even_field(#[values(Join::Series, Join::Parallel)] join: Join) {
    let bare = |turns: u32| {
        let mut design = start(Format::TallSingle, turns);
        design.poles.clear();
        design.metal.clear();
        design
    };
    let mut set = two(bare(5000), bare(4500), join);
    set.pickups[1].leads = LeadOrder::Swapped;
    let solution =
        SetSolution::compute(&set, |d| PlacedPickup::try_new(d, &Calibration::default()).map(Arc::new))
            .unwrap();
    let area = |i: usize| solution.signal(i).unwrap().hum_area_m2[2].abs();
    // Turns times the area within the middle turn, to within what the spread of turns adds.
    let coil = &solution.pickup(0).unwrap().coils[0];
    let core = &set.pickups[0].design.coils[0].former.core;
    let stadium = stadium_m2(core, coil.build_mm);
    assert!(near(area(0), 5000.0 * stadium, 0.03), "{} {}", area(0), 5000.0 * stadium);
    let expected = match join {
        Join::Series => (area(0) - area(1)) / (area(0) + area(1)),
        Join::Parallel => {
            let y = |i: usize| {
                let p = &solution.pickup(i).unwrap().pickup;
                let z = nalgebra::Complex::new(
                    p.resistance_ohm.nominal,
                    2.0 * PI * 100.0 * p.inductance_h.nominal,
                );
                z.inv()
            };
            (y(0) * area(0) - y(1) * area(1)).norm() / (y(0).norm() * area(0) + y(1).norm() * area(1))
        }
    };
    let found = solution.prediction().positions[1].hum_rejection_db;
    assert!((found + 20.0 * expected.log10()).abs() < 0.1, "{found} {}", -20.0 * expected.log10());
}

/// A narrow pickup hears partial n of an open string as sin(nπx/L): the comb of any textbook on strings. Two pickups hear the sum.
#[test]
fn partials_are_heard_by_place() {
    let set = two(start(Format::TallSingle, 5000), start(Format::TallSingle, 5000), Join::Series);
    let solution =
        SetSolution::compute(&set, |d| PlacedPickup::try_new(d, &Calibration::default()).map(Arc::new))
            .unwrap();
    let scale = set.pickups[0].design.strings.scale_mm;
    let point = |n: u32, mm: f64| (f64::from(n) * PI * mm / scale).sin();
    for (index, heard) in [(0, vec![42.0]), (2, vec![158.0]), (1, vec![42.0, 158.0])] {
        let strings = solution.strings(index);
        for partial in strings[5].partials.iter().take(10) {
            let expected: f64 =
                heard.iter().map(|mm| point(partial.n, *mm)).sum::<f64>() / heard.len() as f64;
            if expected.abs() < 0.15 {
                continue;
            }
            // The aperture takes up to half a decibel from the tenth partial, whose wave is 130 mm long.
            let off = partial.place_db - 20.0 * expected.abs().log10();
            assert!((-0.9..0.3).contains(&off), "{index} {}: {off}", partial.n);
        }
    }
}

/// With equal pickups the neck is louder than the bridge, and 10 to 15 % more turns at the bridge do not make up for all of it (common
/// practice, no source).
#[test]
fn the_neck_is_louder() {
    let level = |bridge_turns: u32| {
        let set =
            two(start(Format::TallSingle, bridge_turns), start(Format::TallSingle, 5000), Join::Parallel);
        let balance = predict_set(&set).unwrap().balance;
        balance[1].relative_db - balance[0].relative_db
    };
    let (equal, more) = (level(5000), level(5600));
    assert!(equal > 2.0 && more > 0.0 && more < equal - 0.7, "{equal} {more}");
}

/// Equal pickups in phase and in parallel: half the resistance and inductance, the level of the mean; in series twice, and the sum.
#[test]
fn equal_pickups_together() {
    let design = || start(Format::TallSingle, 5000);
    let mut set = two(design(), design(), Join::Parallel);
    // At one place, so that both hear the same.
    set.pickups[1].from_bridge_mm = 60.0;
    set.pickups[0].from_bridge_mm = 60.0;
    let one = predict_set(&set).unwrap();
    set.switch[1].join = Some(Join::Series);
    let series = predict_set(&set).unwrap();
    let [alone, both, chain] = [&one.positions[0], &one.positions[1], &series.positions[1]];
    assert!(near(both.resistance_ohm.nominal, 0.5 * alone.resistance_ohm.nominal, 1e-9));
    assert!(near(both.inductance_h.nominal, 0.5 * alone.inductance_h.nominal, 1e-9));
    assert!(near(both.output_mv.nominal, alone.output_mv.nominal, 1e-6));
    assert!(near(chain.resistance_ohm.nominal, 2.0 * alone.resistance_ohm.nominal, 1e-9));
    assert!(near(chain.output_mv.nominal, 2.0 * alone.output_mv.nominal, 1e-6));
    // One pickup in a set is what it is by itself.
    let itself = Solution::compute(&set.placed(0, None)).unwrap().prediction(&Calibration::default());
    assert!(near(alone.resistance_ohm.nominal, itself.pickup.resistance_ohm.nominal, 1e-9));
    assert!(near(alone.output_mv.nominal, itself.pickup.output_mv.nominal, 0.01));
    let (a, b) = (alone.peak_hz.unwrap(), itself.pickup.peak_hz.unwrap());
    assert!(
        near(a.nominal, b.nominal, 1e-3) && near(a.p95 / a.nominal, b.p95 / b.nominal, 0.03),
        "{a:?} {b:?}"
    );
    assert!(one.notices.iter().any(|n| n.code == "pickups-overlap"));
}

/// Equal pickups out of phase leave nothing of the fundamental; every figure is still a number.
#[test]
fn nothing_is_left_of_equal_pickups_out_of_phase() {
    let mut set = two(start(Format::TallSingle, 5000), start(Format::TallSingle, 5000), Join::Series);
    set.pickups[1].leads = LeadOrder::Swapped;
    let prediction = predict_set(&set).unwrap();
    let both = &prediction.positions[1];
    assert!(
        both.phase == PairPhase::Out && both.output_mv.nominal < prediction.positions[2].output_mv.nominal
    );
    assert!(both.response.loaded_db.iter().all(|db| db.is_finite()) && both.peak_db.nominal.is_finite());
    let text = serde_json::to_string(&prediction).unwrap();
    assert_eq!(serde_json::from_str::<coil::set::SetPrediction>(&text).unwrap().positions.len(), 3);
    assert!(prediction.notices.iter().any(|n| n.code == "out-of-phase"));
}

/// Two coils of one pickup: equal ones cancel hum, ones that differ leave their difference in series (turns times area, any textbook);
/// alone each hums as one coil; out of phase little of the signal is left.
#[rstest]
#[case(5000, 5000)]
#[case(5000, 4500)]
fn inside_a_twin(#[case] first: u32, #[case] second: u32) {
    let mut twin = start(Format::TwinCoil, first);
    twin.coils[1].wind.turns = second;
    let whole = two(twin.clone(), start(Format::TallSingle, 5000), Join::Parallel);
    let signals = predict_set(&whole.twins()[0].1).unwrap().positions;
    // Out of phase little of the signal is left, and hum adds.
    assert!(
        signals[4].output_mv.nominal < 0.5 * signals[0].output_mv.nominal
            && signals[4].hum_rejection_db < 1.0
    );
    // Poles of two kinds gather different fluxes: the closed form is of bare coils.
    twin.poles.clear();
    twin.bars.clear();
    twin.metal.clear();
    let set = two(twin, start(Format::TallSingle, 5000), Join::Parallel);
    let all = set.twins();
    assert_eq!((all.len(), all[0].0), (1, 0));
    let positions = predict_set(&all[0].1).unwrap().positions;
    let of = |name: &str| positions.iter().find(|p| p.name == name).unwrap();
    let (series, parallel) = (of("in series"), of("in parallel"));
    let (a, b) = (of("coil A alone"), of("coil B alone"));
    let solution =
        SetSolution::compute(&set, |d| PlacedPickup::try_new(d, &Calibration::default()).map(Arc::new))
            .unwrap();
    let gathered = |k: usize| {
        f64::from([first, second][k])
            * stadium_m2(
                &set.pickups[0].design.coils[k].former.core,
                solution.pickup(0).unwrap().coils[k].build_mm,
            )
    };
    let left = (gathered(0) - gathered(1)).abs() / (gathered(0) + gathered(1));
    let found = series.hum_rejection_db;
    if first == second {
        assert!(found > 40.0, "{found}");
    } else {
        assert!((found + 20.0 * left.log10()).abs() < 1.0, "{found} {}", -20.0 * left.log10());
    }
    assert!(a.hum_rejection_db < 0.1 && b.hum_rejection_db < 0.1);
    assert!(near(series.resistance_ohm.nominal, a.resistance_ohm.nominal + b.resistance_ohm.nominal, 1e-6));
    assert!(parallel.inductance_h.nominal < a.inductance_h.nominal);
}

/// What is heard follows the figures: equal pickups out of phase are far softer than either, in series in phase twice as loud as one.
#[test]
fn positions_sound_as_loud_as_they_are() {
    let mut set = two(start(Format::TallSingle, 5000), start(Format::TallSingle, 5000), Join::Series);
    set.pickups[0].from_bridge_mm = 100.0;
    set.pickups[1].from_bridge_mm = 100.0;
    // A load that hardly loads: two in series are twice one then.
    set.controls = Controls { volume_kohm: 1e5, tone_nf: 0.0, ..Controls::default() };
    (set.cable_pf, set.input_mohm) = (0.0, 1000.0);
    let size = |set: &Set, index: usize| {
        let solution =
            SetSolution::compute(set, |d| PlacedPickup::try_new(d, &Calibration::default()).map(Arc::new))
                .unwrap();
        let sound = solution.sound(index, &coil::audition::Phrase::default());
        (sound.iter().map(|v| v * v).sum::<f64>() / sound.len() as f64).sqrt()
    };
    let (one, both) = (size(&set, 0), size(&set, 1));
    assert!(near(both, 2.0 * one, 0.02), "{one} {both}");
    set.pickups[1].leads = LeadOrder::Swapped;
    assert!(size(&set, 1) < 1e-3 * one);
}

/// What cannot be is told by its place, all at once.
#[test]
fn a_set_that_cannot_be() {
    let mut set = two(start(Format::TallSingle, 5000), start(Format::TwinCoil, 5000), Join::Parallel);
    set.pickups[1].name = "bridge".into();
    set.pickups[0].from_bridge_mm = f64::NAN;
    set.pickups[0].design.coils[0].wind.turns = 0;
    set.controls.volume_kohm = 0.0;
    set.switch[2].on = vec!["middle".into()];
    set.switch[0].coils.insert("bridge".into(), "split:C".into());
    let at: Vec<String> = set.problems().into_iter().map(|p| p.at).collect();
    for place in [
        "pickups[1].name",
        "pickups[0].from_bridge_mm",
        "pickups[0].design.coils[0].wind.turns",
        "controls.volume_kohm",
        "switch[2].on[0]",
        "switch[0].coils.bridge",
    ] {
        assert!(at.iter().any(|a| a == place), "{place}: {at:?}");
    }
    assert!(coil::set::read("{\"format\": \"filamentum-set/1\", \"pickups\": 3}").unwrap_err().len() > 1);
    assert!(coil::set::read("{\"format\": \"filamentum-design/1\"}").is_err());
}

/// The sign that a voltmeter shows as steel is lifted off, by Faraday's law and Lenz's rule: flux from a north pole points up and falls;
/// current that keeps it up runs counter-clockwise seen from above, out of the lead that it reaches so. Each of pole, winding and leads
/// turns the sign over.
#[rstest]
fn a_meter_swings_by_the_rule_of_lenz(
    #[values(Format::TallSingle, Format::TwinCoil, Format::WideSingle)] kind: Format,
    #[values(false, true)] other_magnet: bool,
    #[values(false, true)] other_way: bool,
    #[values(LeadOrder::Normal, LeadOrder::Swapped)] leads: LeadOrder,
) {
    let mut design = start(kind, 5000);
    // Known by the document alone: the pole over the first coil, how that is wound, and which end looks to ground.
    let first = design.coils[0].clone();
    let signal = Solution::compute(&design).unwrap().signal();
    let is_north = signal.polarity() > 0.0;
    if let Some(rod) = design.poles.iter().find(|p| p.material.demagnetisation().is_some()) {
        assert_eq!(is_north, rod.up == Polarity::North);
    }
    let mut plus = is_north;
    if kind == Format::TallSingle {
        // One coil, start at ground: its finish is hot, and the sense is that of the winding.
        assert_eq!(signal.sense > 0.0, first.wind.direction == Direction::CounterClockwise);
    }
    plus ^= signal.sense < 0.0;
    if other_magnet {
        design = magnets_turned_over(design);
        plus = !plus;
    }
    if other_way {
        design = wound_the_other_way(design);
        plus = !plus;
    }
    plus ^= leads == LeadOrder::Swapped;
    let placed = PlacedPickup::try_new(&design, &Calibration::default()).unwrap();
    assert_eq!(placed.lifts_to_plus(leads), plus);
}

/// A bend loses in a position what it loses in its pickups: between the two of them, and as much as each where both lose alike; poles that
/// alternate leave nearly nothing alone and something beside a pickup that stays even.
#[test]
fn a_bend_loses_by_position() {
    let mut set = two(start(Format::TallSingle, 5000), start(Format::Blade, 5000), Join::Parallel);
    let bends = |set: &Set| -> Vec<f64> {
        predict_set(set).unwrap().positions.iter().map(|p| p.between_poles_db.unwrap()).collect()
    };
    let found = bends(&set);
    assert!(found[0] < found[1] && found[1] < found[2] && found[2] > -0.2, "rods, both, a blade: {found:?}");
    for (k, pole) in set.pickups[0].design.poles.iter_mut().enumerate() {
        pole.up = if k % 2 == 0 { Polarity::North } else { Polarity::South };
    }
    let found_alternating = bends(&set);
    assert!(
        found_alternating[0] < -20.0
            && found_alternating[1] > -12.0
            && near(found_alternating[2], found[2], 1e-6),
        "{found_alternating:?}"
    );
    set.pickups[1] = pickup("neck", start(Format::TallSingle, 5000), 158.0);
    set.pickups[0].design = start(Format::TallSingle, 5000);
    let alike = bends(&set);
    assert!(alike.iter().all(|db| near(*db, alike[0], 1e-6)), "{alike:?}");
}

/// Turned by half a turn twice, every format is what it was; turned once, it is sound and as loud on the whole, and the coil that lay
/// nearer to the bridge lies further from it.
#[test]
fn a_pickup_turned_by_half_a_turn() {
    for kind in Format::ALL {
        let design = start(kind, 3000);
        let once = coil::set::turned(&design);
        assert_eq!(coil::set::turned(&once), design, "{kind:?}");
        assert!(once.problems().is_empty(), "{kind:?}: {:?}", once.problems());
        let level = |design: &Design| {
            let outputs = Solution::compute(design).unwrap().signal().outputs_mv();
            outputs.iter().sum::<f64>() / outputs.len() as f64
        };
        let (before, after) = (level(&design), level(&once));
        assert!(near(before, after, 0.12), "{kind:?}: {before} {after}");
    }
    // A pole that is longer under one string is under the other end of the row then.
    let mut design = start(Format::TallSingle, 5000);
    design.poles[0].length_mm += 2.0;
    let raised = design.poles[0].string.unwrap();
    let longest = coil::set::turned(&design)
        .poles
        .iter()
        .max_by(|a, b| a.length_mm.total_cmp(&b.length_mm))
        .unwrap()
        .string;
    assert_eq!(longest, Some(7 - raised));
}

/// The polarity and the sense that are told are those of the design: magnets and winding decide, the poles' number and place do not.
#[rstest]
fn polarity_and_sense_are_those_of_the_design(
    #[values(
        Format::TallSingle,
        Format::ShortSingle,
        Format::WideSingle,
        Format::Blade,
        Format::ButtonMagnet
    )]
    kind: Format,
) {
    let signal = |design: Design| Solution::compute(&design).unwrap().signal();
    let base = signal(start(kind, 4000));
    let wound = signal(wound_the_other_way(start(kind, 4000)));
    let turned_over = signal(magnets_turned_over(start(kind, 4000)));
    assert_eq!((wound.polarity(), wound.sense), (base.polarity(), -base.sense), "{kind:?}");
    assert_eq!((turned_over.polarity(), turned_over.sense), (-base.polarity(), base.sense), "{kind:?}");
    for (a, b) in base.strings.iter().zip(&wound.strings) {
        assert!(near(a.whole_wb_m, b.whole_wb_m, 1e-9));
        assert!(
            a.partials_wb_m
                .iter()
                .zip(&b.partials_wb_m)
                .all(|(x, y)| (x + y).abs() <= 1e-9 * x.abs().max(1e-12))
        );
    }
    if kind == Format::TallSingle {
        // North up in the design is north here.
        let north = start(kind, 4000).poles[0].up == Polarity::North;
        assert_eq!(base.polarity() > 0.0, north);
    }
}

/// What is alike is solved once: pickups of one design at one place, positions that join coils as the design does.
#[test]
fn each_pickup_is_solved_once() {
    let twin = start(Format::TwinCoil, 4000);
    let mut set = two(twin.clone(), start(Format::TallSingle, 5000), Join::Parallel);
    assert_eq!(set.designs_used().len(), 2);
    let own = twin.wiring.join.clone();
    set.switch[0].coils.insert("bridge".into(), own);
    assert_eq!(set.designs_used().len(), 2, "the join that it has by itself is no other");
    set.switch[1].coils.insert("bridge".into(), "parallel".into());
    set.switch[2].coils.insert("bridge".into(), "split:A".into());
    // The last is of a pickup that is not on there.
    assert_eq!(set.designs_used().len(), 3);
    let mut asked = 0;
    let solved = SetSolution::compute(&set, |design| {
        asked += 1;
        PlacedPickup::try_new(design, &Calibration::default()).map(Arc::new)
    });
    assert_eq!((asked, solved.is_ok()), (3, true));
    assert!(solved.unwrap().strings(9).is_empty());
}

/// The committed example reads, and comes back equal; every unknown or missing key is named by its place, all at once.
#[test]
fn the_document_is_read_whole_and_refused_by_place() {
    let text = include_str!("../../../../examples/sets/three-voices.json");
    let set = coil::set::read(text).unwrap();
    let again = coil::set::read(&serde_json::to_string(&set).unwrap()).unwrap();
    assert_eq!(again, set);
    let mut value: serde_json::Value = serde_json::from_str(text).unwrap();
    value["colour"] = serde_json::json!("red");
    value["pickups"][1]["design"]["coils"][0]["wind"]["turns"] = serde_json::json!("many");
    value["pickups"][2]["leads"] = serde_json::json!("crossed");
    value["controls"]["wiring"] = serde_json::json!("none");
    value["switch"][0].as_object_mut().unwrap().remove("on");
    let at: Vec<String> = coil::set::read_value(value).unwrap_err().into_iter().map(|p| p.at).collect();
    for place in [
        "colour",
        "pickups[1].design.coils[0].wind.turns",
        "pickups[2].leads",
        "controls.wiring",
        "switch[0].on",
    ] {
        assert!(at.iter().any(|a| a == place), "{place}: {at:?}");
    }
    let validator = jsonschema::validator_for(&coil::set::schema()).unwrap();
    assert!(validator.is_valid(&serde_json::from_str(text).unwrap()));
}

/// Own controls load each pickup before the switch: two together are loaded twice, one alone as by shared ones.
#[test]
fn own_controls_load_twice() {
    let design = || start(Format::TallSingle, 5000);
    let mut set = two(design(), design(), Join::Parallel);
    set.controls.wiring = ControlWiring::Shared;
    let shared = predict_set(&set).unwrap().positions;
    set.controls.wiring = ControlWiring::Own;
    let own = predict_set(&set).unwrap().positions;
    let height = |p: &coil::set::PositionPrediction| p.peak_db.nominal;
    assert!(
        (height(&own[0]) - height(&shared[0])).abs() < 0.02,
        "{} {}",
        height(&own[0]),
        height(&shared[0])
    );
    assert!(height(&own[1]) < height(&shared[1]) - 0.3, "{} {}", height(&own[1]), height(&shared[1]));
    // Half the pots and twice the capacitor, shared, are two of each (any textbook).
    set.controls = Controls {
        volume_kohm: set.controls.volume_kohm / 2.0,
        tone_kohm: set.controls.tone_kohm / 2.0,
        tone_nf: set.controls.tone_nf * 2.0,
        wiring: ControlWiring::Shared,
    };
    let halved = predict_set(&set).unwrap().positions;
    for (a, b) in own[1].response.loaded_db.iter().zip(&halved[1].response.loaded_db) {
        assert!((a - b).abs() < 0.01, "{a} {b}");
    }
}
