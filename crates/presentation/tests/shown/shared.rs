//! What is told to others, and what differs between designs.

use super::{of, solved};
use coil::design::{Direction, Format, Potting};
use coil::quantity::Units;
use presentation::differences::differences_in_words;
use presentation::share_facts::{Shown, parts};
use rstest::rstest;

/// What is not asked for is not told: neither under its heading nor anywhere else.
#[test]
fn a_part_that_is_not_shown_is_nowhere() {
    let mut design = of(Format::TallSingle);
    design.coils[0].wind.turns = 7431;
    design.targets.resistance_ohm = Some([5432.0, 6543.0]);
    let (_, prediction) = solved(&design);
    let told = |shown: &Shown| {
        let parts = parts(&design, Some(&prediction), shown, Units::default());
        parts.iter().map(|p| format!("{} {:?}", p.title, p.facts)).collect::<Vec<_>>().join("\n")
    };
    let keys: Vec<&str> = Shown::usual(None).choices().iter().map(|c| c.0).collect();
    let everything = told(&Shown::only(|_| true));
    assert!(everything.contains("7431") && everything.contains("5.43"), "{everything}");
    for (key, secret) in [("turns", "7431"), ("wire", "42 AWG"), ("aims", "5.43")] {
        let without = told(&Shown::only(|k| k != key));
        let other = ["turns", "plan", "wire"].contains(&key);
        assert!(!without.contains(secret) || (other && key == "turns"), "{key}: {without}");
        assert!(told(&Shown::only(|k| k == key)).contains(secret), "{key}");
    }
    // Without a word nothing of a recipe is told.
    let usual = told(&Shown::usual(None));
    for secret in ["7431", "42 AWG", "5.43"] {
        assert!(!usual.contains(secret), "{secret}: {usual}");
    }
    assert!(told(&Shown::only(|_| false)).is_empty());
    for key in keys {
        assert!(Shown::only(|k| k == key).has(key));
    }
}

/// A workshop's own choice stands where nothing is asked for, and no longer where something is.
#[test]
fn what_is_asked_for_comes_before_what_is_usual() {
    let decided = ["turns".to_owned(), "no such part".to_owned()];
    assert_eq!(Shown::from_keys([].into_iter(), Some(&decided)).keys(), ["turns"]);
    assert_eq!(Shown::from_keys(["wire"].into_iter(), Some(&decided)).keys(), ["wire"]);
    assert!(Shown::from_keys(["nothing"].into_iter(), None).keys().is_empty());
    let shown = Shown::usual(None);
    assert!(shown.has("figures") && !shown.has("turns") && !shown.has("plan"));
}

/// One thing changed is one line, in both designs' values; the turns are told apart.
#[rstest]
#[case(|d: &mut coil::design::Design| d.coils[0].wind.turns += 100, true)]
#[case(|d: &mut coil::design::Design| d.coils[0].wind.direction = Direction::CounterClockwise, false)]
#[case(|d: &mut coil::design::Design| d.poles.iter_mut().for_each(|p| p.length_mm += 0.5), false)]
#[case(|d: &mut coil::design::Design| d.poles[2].charge = 0.5, false)]
#[case(|d: &mut coil::design::Design| d.strings.scale_mm = 628.0, false)]
#[case(|d: &mut coil::design::Design| d.load.cable_pf = 350.0, false)]
#[case(|d: &mut coil::design::Design| d.room_c = 25.0, false)]
fn one_change_is_one_line(#[case] change: fn(&mut coil::design::Design), #[case] is_turns: bool) {
    let first = of(Format::TallSingle);
    let mut other = first.clone();
    change(&mut other);
    let lines = differences_in_words(&first, &[&other], Units::default());
    assert_eq!(lines.len(), 1, "{lines:?}");
    assert_eq!((lines[0].values.len(), lines[0].is_turns), (2, is_turns));
    assert_ne!(lines[0].values[0], lines[0].values[1]);
    assert!(!lines[0].what.contains('[') && !lines[0].what.contains('_'), "in words: {}", lines[0].what);
    // Back the other way the values change places.
    let back = differences_in_words(&other, &[&first], Units::default());
    assert_eq!((&back[0].values[0], &back[0].values[1]), (&lines[0].values[1], &lines[0].values[0]));
}

/// A name alone is no difference; of several designs every line has every value.
#[test]
fn several_designs_side_by_side() {
    let first = of(Format::TwinCoil);
    let (mut named, mut waxed) = (first.clone(), first.clone());
    "another".clone_into(&mut named.name);
    waxed.potting = Some(Potting { medium: coil::design::Medium::Wax, fill: 1.0 });
    waxed.coils[1].wind.turns -= 300;
    assert!(differences_in_words(&first, &[&named], Units::default()).is_empty());
    assert!(differences_in_words(&first, &[], Units::default()).is_empty());
    let lines = differences_in_words(&first, &[&named, &waxed], Units::default());
    assert!(lines.len() >= 2 && lines.iter().all(|l| l.values.len() == 3), "{lines:?}");
    assert!(lines.iter().all(|l| l.values[0] == l.values[1]), "{lines:?}");
}
