//! What a design alone can reveal: every notice appears when its mistake is made, says its numbers and what
//! to try, and is silent otherwise. The thresholds are common practice, no source.

use coil::circuit::InstrumentInput;
use coil::design::{Bias, Design, Format, Polarity, Spool, Stage, starting_point, tall_single};
use coil::magnet::{Grade, Material};
use coil::prediction::{Level, Notice, predict};
use rstest::rstest;

fn notices(change: impl FnOnce(&mut Design)) -> Vec<Notice> {
    let mut design = tall_single("notices", 6, 10.4);
    change(&mut design);
    predict(&design).unwrap().notices
}

fn spool(spool: Spool) -> impl FnOnce(&mut Design) {
    move |design| design.coils[0].wire.spool = Some(spool)
}

#[test]
fn a_sound_design_is_left_in_peace() {
    assert_eq!(notices(|_| {}), Vec::new());
}

#[rstest]
#[case::too_many(9500, Level::Stop, "wire-does-not-fit")]
#[case::to_the_edge(8800, Level::Warn, "fills-to-the-edge")]
fn turns_and_room(#[case] turns: u32, #[case] level: Level, #[case] code: &str) {
    let found = notices(|d| d.coils[0].wind.turns = turns);
    assert_eq!((found[0].level, found[0].code.as_str()), (level, code));
    assert!(found[0].text.contains("mm") && !found[0].try_.is_empty());
    assert_eq!(found[0].at, "coils[0].wind.turns");
}

/// The turns that the notice offers instead do fit.
#[test]
fn the_way_out_of_a_full_coil_is_a_way_out() {
    let found = notices(|d| d.coils[0].wind.turns = 12_000);
    let offered: u32 = found[0].try_.split(' ').find_map(|word| word.parse().ok()).unwrap();
    assert!(!notices(|d| d.coils[0].wind.turns = offered).iter().any(|n| n.code == "wire-does-not-fit"));
    assert!(notices(|d| d.coils[0].wind.turns = offered + 40).iter().any(|n| n.code == "wire-does-not-fit"));
}

#[rstest]
#[case::gentle(0.2, None)]
#[case::stretches(0.38, Some("wire-stretches"))]
#[case::near_breaking(0.5, Some("wire-near-breaking"))]
#[case::breaks(0.9, Some("wire-breaks"))]
fn tension(#[case] newtons: f64, #[case] code: Option<&str>) {
    let found = notices(|d| d.coils[0].wind.tension_n = Some(newtons));
    assert_eq!(found.first().map(|n| n.code.as_str()), code);
}

/// Stretched wire reads more ohms: the resistance follows the notice.
#[test]
fn stretched_wire_is_in_the_resistance() {
    let ohms = |tension| {
        let mut design = tall_single("tension", 6, 10.4);
        design.coils[0].wind.tension_n = tension;
        predict(&design).unwrap().pickup.resistance_20c_ohm.nominal
    };
    assert!((ohms(Some(0.2)) / ohms(None) - 1.0).abs() < 0.002);
    assert!(ohms(Some(0.38)) / ohms(None) > 1.03);
}

#[test]
fn spools_that_are_short_or_wrong() {
    let short = notices(spool(Spool { left_m: Some(900.0), ..Spool::default() }));
    assert_eq!((short[0].level, short[0].code.as_str()), (Level::Stop, "spool-too-short"));
    let scarce = notices(spool(Spool { left_m: Some(1025.0), ..Spool::default() }));
    assert_eq!((scarce[0].level, scarce[0].code.as_str()), (Level::Warn, "spool-too-short"));
    assert!(notices(spool(Spool { left_m: Some(5000.0), ..Spool::default() })).is_empty());
    // 43 AWG on a spool that says 42.
    let wrong = notices(spool(Spool { ohm_per_m: Some(7.03), ..Spool::default() }));
    assert!(wrong.iter().any(|n| n.code == "spool-not-this-gauge" && n.text.contains('%')));
}

#[test]
fn poles_that_cannot_be_or_make_no_sound() {
    let outside = notices(|d| d.coils[0].former.core = coil::former::Core::stadium(50.0, 4.75));
    assert_eq!(outside[0].code, "pole-outside-core");
    let silent = notices(|d| d.poles.iter_mut().for_each(|p| p.material = Material::Named(Grade::Steel)));
    assert!(silent.iter().any(|n| n.code == "no-magnet"));
    let mixed = notices(|d| d.poles[2].up = Polarity::North);
    assert!(mixed.iter().any(|n| n.code == "mixed-polarity"));
    let weak = notices(|d| d.poles[4].charge = 0.3);
    assert!(weak.iter().any(|n| n.code == "weak-charge" && n.at == "poles[4].charge"));
    assert!(notices(|d| d.coils[0].wind.margin_mm = 0.0).iter().any(|n| n.code == "no-guide-margin"));
}

#[test]
fn targets_that_are_missed_say_which_way_to_go() {
    let low = notices(|d| d.targets.resistance_ohm = Some([7000.0, 7400.0]));
    assert!(low[0].code == "misses-target" && low[0].try_.contains("More turns"), "{low:?}");
    let high = notices(|d| d.targets.inductance_h = Some([1.0, 1.2]));
    assert!(high[0].try_.contains("Fewer turns"), "{high:?}");
    assert!(notices(|d| d.targets.inductance_h = Some([2.0, 2.4])).is_empty());
}

#[test]
fn the_serious_comes_first() {
    let found = notices(|d| {
        d.coils[0].wind.turns = 10_500;
        d.coils[0].wind.margin_mm = 0.0;
        d.coils[0].wind.tension_n = Some(0.5);
    });
    assert!(found.windows(2).all(|pair| pair[0].level <= pair[1].level));
    assert_eq!(found.iter().map(|n| n.level).min(), Some(Level::Stop));
}

/// One mistake in a sound design of a format: its notice appears, at its place, with what to try, and is absent before.
fn one_mistake(kind: Format, change: impl FnOnce(&mut Design), level: Level, code: &str, at: &str) {
    let sound = starting_point(kind, "sound", 6, 10.0);
    assert!(!predict(&sound).unwrap().notices.iter().any(|n| n.code == code), "{code} in a sound design");
    let mut design = sound;
    change(&mut design);
    let found = predict(&design).unwrap().notices;
    let notice = found.iter().find(|n| n.code == code).unwrap_or_else(|| panic!("no {code} in {found:?}"));
    assert_eq!((notice.level, notice.at.as_str()), (level, at), "{notice:?}");
    assert!(!notice.text.is_empty() && !notice.try_.is_empty());
}

#[test]
fn mistakes_at_the_winder() {
    let tall = Format::TallSingle;
    let (note, warn) = (Level::Note, Level::Warn);
    one_mistake(
        tall,
        |d| d.coils[0].wind.margin_mm = 1.5,
        warn,
        "guides-too-narrow",
        "coils[0].wind.margin_mm",
    );
    one_mistake(
        tall,
        |d| d.coils[0].wind.tension_n = Some(0.03),
        note,
        "tension-slack",
        "coils[0].wind.tension_n",
    );
    let beyond = Stage { until_turn: 9000, bias: Bias::Centre };
    let at = "coils[0].wind.plan[0].until_turn";
    one_mistake(tall, |d| d.coils[0].wind.plan = vec![beyond], note, "plan-beyond-the-turns", at);
    let piled = |d: &mut Design| {
        d.coils[0].wind.turns = 6000;
        d.coils[0].wind.plan = vec![Stage { until_turn: 6000, bias: Bias::Top }];
    };
    one_mistake(tall, piled, note, "uneven-lay", "coils[0].wind");
    let gauge = |g: &str| {
        let gauge = g.parse().unwrap();
        move |d: &mut Design| d.coils[0].wire.gauge = gauge
    };
    one_mistake(tall, gauge("40 AWG"), note, "wire-thick", "coils[0].wire.gauge");
    one_mistake(tall, gauge("46 AWG"), note, "wire-thin", "coils[0].wire.gauge");
    // A diameter and ohms per metre that cannot be of one wire.
    let odd = Spool { bare_mm: Some(0.0600), ohm_per_m: Some(5.5), ..Spool::default() };
    one_mistake(tall, spool(odd), warn, "spool-readings-disagree", "coils[0].wire.spool");
}

#[test]
fn mistakes_of_poles_and_metal() {
    let (note, warn) = (Level::Note, Level::Warn);
    one_mistake(
        Format::TallSingle,
        |d| d.poles[3].up = Polarity::North,
        warn,
        "pole-reversed",
        "poles[3].up",
    );
    one_mistake(
        Format::TallSingle,
        |d| {
            d.poles.remove(2);
        },
        note,
        "string-without-pole",
        "poles",
    );
    let uncharged = |d: &mut Design| d.poles.iter_mut().for_each(|p| p.charge = 0.0);
    one_mistake(Format::TallSingle, uncharged, warn, "no-charge", "poles[0].charge");
    let cover = |grade| {
        move |d: &mut Design| {
            d.metal = vec![coil::design::Metal {
                part: coil::design::MetalPart::Cover,
                material: Material::Named(grade),
                size_mm: [74.0, 22.0, 18.0],
                center_mm: [0.0, 0.0, 9.5],
                wall_mm: Some(0.5),
            }];
        }
    };
    // A plate half way up the rods that nobody drilled.
    let undrilled = |d: &mut Design| {
        d.metal = vec![coil::design::Metal {
            part: coil::design::MetalPart::BasePlate,
            material: Material::Named(Grade::NickelSilver),
            size_mm: [70.0, 20.0, 1.0],
            center_mm: [0.0, 0.0, 1.0],
            wall_mm: None,
        }];
    };
    one_mistake(Format::TallSingle, undrilled, note, "pole-through-metal", "metal[0]");
    // Ten strings over a blade that was made for six.
    one_mistake(Format::Blade, |d| d.strings.count = 10, warn, "string-not-heard", "poles");
    one_mistake(Format::TallSingle, cover(Grade::Steel), warn, "magnetic-cover", "metal[0].material");
    one_mistake(Format::TallSingle, cover(Grade::Copper), note, "metal-damps", "metal[0].material");
    one_mistake(Format::TallSingle, cover(Grade::NickelSilver), note, "ground-the-metal", "metal[0]");
}

#[test]
fn mistakes_of_the_circuit() {
    let (note, warn) = (Level::Note, Level::Warn);
    one_mistake(Format::TwinCoil, |d| d.wiring.join = "single".into(), warn, "join-not-said", "wiring.join");
    one_mistake(Format::TwinCoil, |d| d.coils[1].wind.turns = 4500, note, "coils-differ", "coils");
    let unequal = |d: &mut Design| {
        d.wiring.join = "parallel".into();
        d.coils[1].wind.turns = 4000;
    };
    one_mistake(Format::TwinCoil, unequal, note, "unequal-in-parallel", "wiring.join");
    let hot = |d: &mut Design| {
        d.coils[0].wire.gauge = "44 AWG".parse().unwrap();
        d.coils[0].wind.turns = 14_000;
    };
    one_mistake(Format::WideSingle, hot, note, "overwound", "coils[0].wind.turns");
    let targets: [fn(&mut Design); 4] = [
        |d| d.targets.capacitance_f = Some([1e-9, 2e-9]),
        |d| d.targets.peak_hz = Some([9e3, 10e3]),
        |d| d.targets.resonance_unloaded_hz = Some([1e3, 2e3]),
        |d| d.targets.output_mv = Some([500.0, 600.0]),
    ];
    let places = ["capacitance_f", "peak_hz", "resonance_unloaded_hz", "output_mv"];
    for (target, place) in targets.into_iter().zip(places) {
        one_mistake(Format::TallSingle, target, note, "misses-target", &format!("aims.{place}"));
    }
}

/// A response that only falls has no peak: none is told, in figures or against a target.
#[test]
fn a_response_that_only_falls_has_no_peak() {
    let mut design = starting_point(Format::TallSingle, "Sedge", 6, 10.4);
    design.load.volume_kohm = 30.0;
    design.targets.peak_hz = Some([3e3, 5e3]);
    let prediction = predict(&design).unwrap();
    assert!(prediction.pickup.peak_hz.is_none() && prediction.pickup.peak_db.nominal < 0.05);
    assert!(prediction.pickup.minus3db_hz.nominal < 3e3, "{:?}", prediction.pickup.minus3db_hz);
    let missed: Vec<_> = prediction.notices.iter().filter(|n| n.at == "aims.peak_hz").collect();
    assert!(missed.len() == 1 && missed[0].code == "misses-target", "{missed:?}");
    // An instrument that damps the coil as much shows no resonance either.
    let input = InstrumentInput { capacitance_f: 100e-12, resistance_ohm: 30e3 };
    assert!(prediction.resonance_seen_by(input).is_none());
    let document = serde_json::to_value(&prediction).unwrap();
    assert!(document["pickup"]["peak_hz"].is_null(), "the key stays");
}
