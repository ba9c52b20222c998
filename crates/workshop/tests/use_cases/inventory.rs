//! Spools and parts: labels, checks, weights, stock, costs.

use super::{design, readings, run, set_up};
use coil::design::{Spool as Measured, Wire};
use coil::wire::{Build, Insulation, ToleranceRange};
use store::part::{NewPart, PartDetails};
use store::spool::{NewCheck, NewSpool, SpoolDetails};
use store::{ClientKey, SpoolId};
use trade::reading::Kind;
use trade::stock::PartKind;
use workshop::{Actor, Refusal, StartRun, Workshop};

pub(super) fn new_spool(label: &str, left_m: Option<f64>) -> NewSpool {
    NewSpool {
        key: ClientKey::random(),
        label: label.into(),
        wire: Wire {
            gauge: "42 AWG".parse().unwrap(),
            insulation: Insulation::Polyurethane,
            build: Build::Heavy,
            range: ToleranceRange::Full,
            spool: Some(Measured { left_m, ..Measured::default() }),
        },
        remark: String::new(),
    }
}

/// A run of 7,500 turns on a spool.
pub(super) fn start_on(actor: &Actor, revision: store::RevisionId, spool: SpoolId) -> StartRun {
    StartRun {
        key: ClientKey::random(),
        revision,
        coil: None,
        spool: Some(spool),
        operator: actor.person,
        winder: None,
        turns: 7500,
        stops: vec![7500],
        wire_g: None,
        remark: String::new(),
        accept_short_spool: false,
        other_wire: None,
    }
}

async fn part(workshop: &Workshop, actor: &Actor, name: &str, stock: i32) -> store::PartId {
    let new = NewPart {
        key: ClientKey::random(),
        kind: PartKind::Magnet,
        name: name.into(),
        each_cost: Some(0.5),
        order_below: Some(10),
        supplier: String::new(),
        stock,
    };
    workshop.add_part(actor, &new).await.unwrap()
}

#[tokio::test]
async fn a_label_names_one_spool() {
    let (workshop, actor, _) = set_up().await;
    let new = new_spool("K-12", None);
    let id = workshop.add_spool(&actor, &new).await.unwrap();
    assert_eq!(workshop.add_spool(&actor, &new).await.unwrap(), id, "sent twice, added once");
    let other = workshop.add_spool(&actor, &new_spool("K-12", None)).await;
    assert!(matches!(other, Err(Refusal::NameTaken("spool"))));
    assert_eq!(workshop.spools(&actor).await.unwrap().len(), 1);
}

#[tokio::test]
async fn the_wire_left_follows_from_the_weight() {
    let (workshop, actor, _) = set_up().await;
    let id = workshop.add_spool(&actor, &new_spool("K-12", None)).await.unwrap();
    let details = SpoolDetails { empty_g: Some(120.0), cost_per_kg: Some(80.0), ..SpoolDetails::default() };
    workshop.update_spool(&actor, id, &details).await.unwrap();
    let key = ClientKey::random();
    let check =
        NewCheck { gross_g: Some(520.0), ohm_per_m: Some(5.6), at_c: Some(20.0), ..NewCheck::default() };
    for _ in 0..2 {
        workshop.check_spool(&actor, id, &key, check.clone()).await.unwrap();
    }
    let state = workshop.spool(&actor, id).await.unwrap();
    assert_eq!(state.checks.len(), 1);
    // 400 g of 42 AWG: a metre weighs about 29 mg.
    let left = state.spool.left_now_m().unwrap();
    assert!((12_000.0..15_500.0).contains(&left), "{left}");
    assert_eq!(state.spool.ohm_per_m, Some(5.6));
}

/// A design says nominal wire; what was ordered is known of the spool, and narrows what the run is compared with.
#[tokio::test]
async fn a_run_is_predicted_with_the_wire_that_was_ordered() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let mut ordered = new_spool("K-14", Some(5000.0));
    ordered.wire.range = ToleranceRange::MinimumToNominal;
    let spool = workshop.add_spool(&actor, &ordered).await.unwrap();
    let start = start_on(&actor, revision, spool);
    let run = workshop.start_run(&actor, &start).await.unwrap();
    let wound = workshop.run(&actor, run).await.unwrap();
    assert_eq!(wound.design.coils[0].wire.range, ToleranceRange::MinimumToNominal);
}

#[tokio::test]
async fn a_spool_that_is_too_short_is_refused_unless_accepted() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let spool = workshop.add_spool(&actor, &new_spool("K-12", Some(200.0))).await.unwrap();
    let start = start_on(&actor, revision, spool);
    let Err(Refusal::SpoolTooShort { left_m, needed_m }) = workshop.start_run(&actor, &start).await else {
        panic!("refused")
    };
    assert!((left_m - 200.0).abs() < 1e-9 && needed_m > 800.0, "{left_m} {needed_m}");
    // What was weighed just now counts for more than what is on record.
    let weighed = StartRun { wire_g: Some(100.0), key: ClientKey::random(), ..start.clone() };
    workshop.start_run(&actor, &weighed).await.unwrap();
    let accepted = StartRun { accept_short_spool: true, ..start.clone() };
    let first = workshop.start_run(&actor, &accepted).await.unwrap();
    assert_eq!(workshop.start_run(&actor, &accepted).await.unwrap(), first, "sent twice, started once");
    let missing = StartRun { spool: Some(SpoolId(999_999)), key: ClientKey::random(), ..start };
    assert_eq!(workshop.start_run(&actor, &missing).await.unwrap_err().code(), "not-found");
}

/// A short spool of other wire is asked about once, with all that stands against it; what is answered is not asked again.
#[tokio::test]
async fn all_that_stands_against_a_spool_is_asked_at_once() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let mut thin = new_spool("T-1", Some(200.0));
    thin.wire.gauge = "43 AWG".parse().unwrap();
    let spool = workshop.add_spool(&actor, &thin).await.unwrap();
    let mut start = start_on(&actor, revision, spool);
    let codes = |doubts: Vec<Refusal>| doubts.iter().map(Refusal::code).collect::<Vec<_>>();
    let all = workshop.start_doubts(&actor, &start).await.unwrap();
    assert_eq!(codes(all), ["other-wire", "spool-too-short"]);
    start.other_wire = Some("42 is sold out".into());
    assert_eq!(codes(workshop.start_doubts(&actor, &start).await.unwrap()), ["spool-too-short"]);
    start.accept_short_spool = true;
    assert!(workshop.start_doubts(&actor, &start).await.unwrap().is_empty());
    workshop.start_run(&actor, &start).await.unwrap();
}

/// The spool that a design was computed with is offered first, until it is emptied.
#[tokio::test]
async fn the_designs_own_spool_is_offered() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = workshop.add_spool(&actor, &new_spool("K-12", Some(5000.0))).await.unwrap();
    let key = ClientKey::random();
    let check = NewCheck { ohm_per_m: Some(5.61), at_c: Some(20.0), ..NewCheck::default() };
    workshop.check_spool(&actor, id, &key, check).await.unwrap();
    let own = |revision| {
        let (workshop, actor) = (&workshop, &actor);
        async move { workshop.start_options(actor, revision).await.unwrap().own_spool }
    };
    assert_eq!(own(revision).await, None, "the design names no spool");
    let mut document = workshop.revision(&actor, revision).await.unwrap().design;
    document.coils[0].wire = workshop.spool(&actor, id).await.unwrap().spool.wire();
    let with_spool = workshop.save_revision(&actor, &super::command(document)).await.unwrap();
    assert_eq!(own(with_spool).await, Some(id));
}

#[tokio::test]
async fn the_parts_of_a_run_leave_the_stock_once_and_come_back_once() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let of = workshop.revision(&actor, revision).await.unwrap().row.design_id;
    let rods = part(&workshop, &actor, "rod, 17 mm", 20).await;
    workshop.set_design_parts(&actor, of, &[(rods, 6)]).await.unwrap();
    let id = run(&workshop, &actor, revision).await;
    let stock = || async { workshop.parts(&actor).await.unwrap()[0].stock };
    for _ in 0..2 {
        workshop.move_parts_of_run(&actor, id, &ClientKey::random(), false).await.unwrap();
        assert_eq!(stock().await, 14);
    }
    for _ in 0..2 {
        workshop.move_parts_of_run(&actor, id, &ClientKey::random(), true).await.unwrap();
        assert_eq!(stock().await, 20);
    }
    let key = ClientKey::random();
    for _ in 0..2 {
        workshop.move_stock(&actor, rods, &key, -12, "dropped").await.unwrap();
    }
    assert_eq!(stock().await, 8);
    let part = workshop.parts(&actor).await.unwrap().remove(0);
    assert!(workshop::is_low(&part));
    let moves = workshop.stock_movements(&actor, 10).await.unwrap();
    assert_eq!(moves.iter().map(|(_, m)| m.by_count).collect::<Vec<_>>(), [-12, 6, -6, 20]);
}

#[tokio::test]
async fn a_cost_says_what_it_does_not_know() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let of = workshop.revision(&actor, revision).await.unwrap().row.design_id;
    let rods = part(&workshop, &actor, "rod, 17 mm", 20).await;
    workshop.set_design_parts(&actor, of, &[(rods, 6)]).await.unwrap();
    let (_, cost) = workshop.design_cost(&actor, Some(of)).await.unwrap();
    let cost = cost.unwrap();
    // No spool of that gauge has a price yet.
    assert_eq!(cost.total(), (3.0, true));
    assert_eq!(cost.pickups_in_stock(), Some((3, "rod, 17 mm")));
    let spool = workshop.add_spool(&actor, &new_spool("K-12", None)).await.unwrap();
    let details = SpoolDetails { cost_per_kg: Some(100.0), ..SpoolDetails::default() };
    workshop.update_spool(&actor, spool, &details).await.unwrap();
    let (_, cost) = workshop.design_cost(&actor, None).await.unwrap();
    let (sum, is_missing) = cost.unwrap().total();
    // Some 30 g of wire at 0.10 a gram.
    assert!(!is_missing && (4.5..7.5).contains(&sum), "{sum}");
}

/// Of two who change one card from one state the second is told, and neither is written over in silence.
#[tokio::test]
async fn a_card_is_changed_by_who_saw_it_last() {
    let (workshop, actor, store) = set_up().await;
    let spool = workshop.add_spool(&actor, &new_spool("K-12", None)).await.unwrap();
    let id = part(&workshop, &actor, "rods", 3).await;
    let seen = Some(store.workshop(actor.workshop).spool(spool).await.unwrap().version);
    let from = |supplier: &str, version| SpoolDetails {
        supplier: supplier.into(),
        version,
        ..SpoolDetails::default()
    };
    workshop.update_spool(&actor, spool, &from("Heron Wire", seen)).await.unwrap();
    let late = workshop.update_spool(&actor, spool, &from("Marsh Wire", seen)).await;
    assert!(matches!(late, Err(Refusal::ChangedMeanwhile("spool"))));
    assert_eq!(store.workshop(actor.workshop).spool(spool).await.unwrap().supplier, "Heron Wire");
    let seen = Some(workshop.parts(&actor).await.unwrap()[0].version);
    let costs = |each: f64, version| PartDetails { each_cost: Some(each), version, ..PartDetails::default() };
    workshop.update_part(&actor, id, &costs(2.0, seen)).await.unwrap();
    let late = workshop.update_part(&actor, id, &costs(3.0, seen)).await;
    assert!(matches!(late, Err(Refusal::ChangedMeanwhile("part"))));
}

/// What coils have said of a spool is relative to what was known of it: when its wire is measured and found to have just that,
/// the next coil is predicted as well as before, not twice as high.
#[tokio::test(flavor = "multi_thread")]
async fn measuring_a_spool_takes_its_learned_effect_over() {
    const TRUE_OFF: f64 = 1.03;
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let [thin, plain] = ["T-1", "P-1"].map(|label| new_spool(label, None));
    let thin = workshop.add_spool(&actor, &thin).await.unwrap();
    let plain = workshop.add_spool(&actor, &plain).await.unwrap();
    let bare = async |spool: SpoolId| {
        let id = workshop.start_run(&actor, &start_on(&actor, revision, spool)).await.unwrap();
        let wound = workshop.run_details(&actor, id).await.unwrap();
        (
            id,
            wound.run.design.coils[0].wire.ohm_per_m_20c(),
            wound.prediction.unwrap().pickup.resistance_20c_ohm.nominal,
        )
    };
    let (_, table, ohms) = bare(plain).await;
    for k in 0..10 {
        for (spool, off) in [(thin, TRUE_OFF), (plain, 1.0)] {
            let (id, ..) = bare(spool).await;
            // Good to two tenths of a per cent.
            let scatter = 1.0 + 0.002 * f64::from(k % 3 - 1);
            let read = [(Kind::Turns, 7500.0), (Kind::Resistance, ohms * off * scatter)];
            workshop.log_readings(&actor, id, readings(&read)).await.unwrap();
        }
    }
    workshop.fit_now(&actor).await.unwrap();
    let (_, _, learned) = bare(thin).await;
    assert!((learned / ohms - TRUE_OFF).abs() < 0.008, "{}", learned / ohms);
    let check = NewCheck { ohm_per_m: Some(table * TRUE_OFF), at_c: Some(20.0), ..NewCheck::default() };
    workshop.check_spool(&actor, thin, &ClientKey::random(), check).await.unwrap();
    workshop.fit_now(&actor).await.unwrap();
    let (_, now, measured) = bare(thin).await;
    assert!((now / table - TRUE_OFF).abs() < 1e-9);
    assert!((measured / ohms - TRUE_OFF).abs() < 0.008, "{}", measured / ohms);
}
