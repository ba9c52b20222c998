//! What a person can do, without HTTP, against a private MariaDB.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

mod accounts;
mod assembly;
mod attention;
mod backups;
mod deletion;
mod designs;
mod experiments;
mod inventory;
mod judging;
mod logbook_files;
mod matching;
mod meters;
mod orders;
mod people;
mod pickup_sets;
mod queries;
mod rewinds;
mod runs;
mod shop_floor;
mod sign_on;
mod station;
mod workshops;

use coil::design::{Design, tall_single};
use std::collections::BTreeSet;
use std::net::{IpAddr, Ipv4Addr};
use std::time::Duration;
use store::experiment::NewExperiment;
use store::part::{NewPart, PartDetails};
use store::person::Role;
use store::reading::NewReading;
use store::{ClientKey, RevisionId, RunId, Store};
use trade::reading::Kind;
use trade::verdict::Level;
use trade::winding::{Event, WindingEventKind};
use workshop::{
    Actor, ContextQuery, ImportOutcome, JobOutcome, LogEvent, LogReadings, Refusal, SaveRevision, SetUp,
    StartRun, TakeOver, VaryRevision, WinderChoice, WinderCommand, Workshop,
};

/// Where requests come from.
const HERE: IpAddr = IpAddr::V4(Ipv4Addr::LOCALHOST);

/// What the owner types on the first visit.
fn first_visit(workshop: &Workshop) -> SetUp {
    SetUp {
        code: workshop.set_up_code().to_owned(),
        workshop: "Sedge Lane".into(),
        name: "Ode Farrow".into(),
        sign_in: "ode".into(),
        password: "seven thousand turns".into(),
    }
}

/// A workshop with its owner, and the store under it.
async fn set_up() -> (Workshop, Actor, Store) {
    set_up_on(dev_database::fresh_store().await).await
}

async fn set_up_on(store: Store) -> (Workshop, Actor, Store) {
    let workshop = Workshop::new(store.clone());
    let owner = workshop.set_up(first_visit(&workshop), HERE).await.unwrap();
    let person = workshop.person(owner).await.unwrap().unwrap();
    (workshop, Actor::from_person(&person), store)
}

fn command(design: Design) -> SaveRevision {
    SaveRevision {
        key: ClientKey::random(),
        parent: None,
        newest_seen: 0,
        accept_beside: None,
        note: String::new(),
        design,
    }
}

async fn design(workshop: &Workshop, actor: &Actor) -> RevisionId {
    workshop.save_revision(actor, &command(tall_single("Sedge", 6, 10.4))).await.unwrap()
}

async fn run(workshop: &Workshop, actor: &Actor, revision: RevisionId) -> RunId {
    let start = StartRun {
        key: ClientKey::random(),
        revision,
        coil: None,
        spool: None,
        operator: actor.person,
        winder: None,
        turns: 7500,
        stops: vec![300, 7500],
        wire_g: None,
        remark: String::new(),
        accept_short_spool: false,
        other_wire: None,
    };
    workshop.start_run(actor, &start).await.unwrap()
}

fn readings(all: &[(Kind, f64)]) -> LogReadings {
    let reading = |(kind, value): &(Kind, f64)| NewReading {
        coil_c: (*kind == Kind::Resistance).then_some(20.0),
        test_hz: (*kind == Kind::Inductance).then_some(1000.0),
        ..NewReading::new(*kind, Some(*value))
    };
    LogReadings {
        key: ClientKey::random(),
        readings: all.iter().map(reading).collect(),
        corrects: None,
        accept_doubtful: false,
    }
}

/// Logs what the coil is predicted to read, so that it passes.
async fn measure_well(workshop: &Workshop, actor: &Actor, id: RunId) {
    let predicted = workshop.run_details(actor, id).await.unwrap().prediction.unwrap().pickup;
    let all = [
        (Kind::Turns, 7500.0),
        (Kind::Resistance, predicted.resistance_20c_ohm.nominal),
        (Kind::Inductance, predicted.inductance_1khz_h.nominal),
    ];
    assert!(workshop.log_readings(actor, id, readings(&all)).await.unwrap().is_empty());
}

/// Signs every operation, waiving what it holds for.
async fn close(workshop: &Workshop, actor: &Actor, id: RunId) {
    let operations = workshop.run_details(actor, id).await.unwrap().progress.operations;
    for (operation, _) in operations {
        workshop.sign_operation(actor, id, &operation.key, "for the test").await.unwrap();
    }
    assert!(workshop.run_details(actor, id).await.unwrap().progress.closed);
}

#[tokio::test]
async fn a_signed_off_run_takes_nothing_more_whichever_way_it_comes() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    measure_well(&workshop, &actor, id).await;
    close(&workshop, &actor, id).await;
    let late = workshop.log_readings(&actor, id, readings(&[(Kind::Turns, 7400.0)])).await;
    assert!(matches!(late, Err(Refusal::RunClosed)));
    let event = Event { what: WindingEventKind::Count, at_turn: 7600 };
    let event = LogEvent { key: ClientKey::random(), event, remark: String::new(), is_confirmed: false };
    assert!(matches!(workshop.log_event(&actor, id, &event).await, Err(Refusal::RunClosed)));
    let counter = workshop.import_counter_log(&actor, id, ClientKey::random(), (7600, 3)).await;
    assert!(matches!(counter, Err(Refusal::RunClosed)));
    // Without a winder there is none to command; with one it is refused (tested over the simulated bench).
    let command = WinderCommand::Run { rpm: 500.0 };
    assert!(workshop.command_winder(&actor, id, WinderChoice::OfRun, command).await.is_err());
    // A correction is still possible, and is judged.
    let turns = workshop.run_details(&actor, id).await.unwrap().readings[0].reading.id;
    let corrected =
        LogReadings { corrects: Some(store::ReadingId(turns)), ..readings(&[(Kind::Turns, 7490.0)]) };
    workshop.log_readings(&actor, id, corrected).await.unwrap();
    let again = LogReadings { corrects: Some(store::ReadingId(turns)), ..readings(&[(Kind::Turns, 7480.0)]) };
    assert!(matches!(workshop.log_readings(&actor, id, again).await, Err(Refusal::ReadingSuperseded)));
}

#[tokio::test]
async fn the_shown_verdict_is_the_recorded_one_until_it_is_judged_again() {
    let (workshop, actor, store) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    measure_well(&workshop, &actor, id).await;
    let passed = workshop.run_details(&actor, id).await.unwrap();
    assert_eq!(passed.verdict.level, Level::Pass);
    assert!(!passed.judged_by_other_engine && passed.comparisons.len() == 2);
    // What is recorded is shown, whatever the engine would say now.
    let row = store.workshop(actor.workshop).run(id).await.unwrap();
    let mut other = trade::judgement::judge_run(&row.design, &[], &row.calibration, row.tolerance);
    other.verdict.level = Level::Stop;
    other.verdict.text = "as recorded".into();
    store.workshop(actor.workshop).record_judgement(id, &other, None).await.unwrap();
    let shown = workshop.run_details(&actor, id).await.unwrap();
    assert_eq!((shown.verdict.level, shown.verdict.text.as_str()), (Level::Stop, "as recorded"));
    let summary = workshop.rejudge_run(&actor, id).await.unwrap();
    assert_eq!((summary.judged, summary.changed), (1, 1));
    assert_eq!(workshop.run_details(&actor, id).await.unwrap().verdict.level, Level::Pass);
}

/// Verdict, logbook row and prediction are written together, also when many readings come at once.
#[tokio::test(flavor = "multi_thread")]
async fn many_readings_at_once_leave_one_consistent_judgement() {
    let (workshop, actor, store) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let all = (0..8).map(|k| {
        let (workshop, actor) = (workshop.clone(), actor);
        tokio::spawn(async move {
            let one = readings(&[(Kind::Turns, 7500.0 + f64::from(k))]);
            workshop.log_readings(&actor, id, one).await.map(|doubts| doubts.len())
        })
    });
    for one in all.collect::<Vec<_>>() {
        assert_eq!(one.await.unwrap().unwrap(), 0);
    }
    let details = workshop.run_details(&actor, id).await.unwrap();
    assert_eq!(details.readings.len(), 8);
    let row = store.workshop(actor.workshop).run(id).await.unwrap().row;
    assert_eq!(row.verdict_level(), Some(Level::Waiting));
    assert!(store.workshop(actor.workshop).run_prediction(id).await.unwrap().is_some());
}

const TABLE: &str =
    "date,design,turns,resistance,coil_c\n2026-03-01,Sedge,7500,5.7k,20\n2026-03-02,Sedge,7500,5.71k,20\n";

async fn import(workshop: &Workshop, actor: &Actor, text: &str) -> u32 {
    let check =
        workshop.check_import(actor, trade::run_import::read(text).unwrap(), &BTreeSet::new()).await.unwrap();
    let name = workshop.begin_import(actor, check).unwrap();
    for _ in 0..600 {
        match workshop.job(actor, &name).unwrap().outcome() {
            Some(JobOutcome::Imported(new)) => return new,
            Some(other) => panic!("{other:?}"),
            None => tokio::time::sleep(Duration::from_millis(20)).await,
        }
    }
    panic!("the import did not end");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_imported_line_is_known_when_it_comes_again() {
    let (workshop, actor, _) = set_up().await;
    design(&workshop, &actor).await;
    assert_eq!(import(&workshop, &actor, TABLE).await, 2);
    let again = workshop
        .check_import(&actor, trade::run_import::read(TABLE).unwrap(), &BTreeSet::new())
        .await
        .unwrap();
    assert_eq!(again.count(ImportOutcome::InLogbook), 2);
    // The same values written differently are the same lines.
    let spelt = TABLE.replace("5.7k", "5700").replace("5.71k", "5710 Ω");
    let spelt = workshop
        .check_import(&actor, trade::run_import::read(&spelt).unwrap(), &BTreeSet::new())
        .await
        .unwrap();
    assert_eq!(spelt.count(ImportOutcome::New), 0);
}

/// A run that is brought in is judged by the workshop's own tolerance, keeps what it was judged by, and is the same when it is judged
/// again; what another workshop judged it by comes with it.
#[tokio::test(flavor = "multi_thread")]
async fn an_imported_run_keeps_what_it_was_judged_by() {
    let (workshop, actor, store) = set_up().await;
    design(&workshop, &actor).await;
    let (name, mut settings) = workshop.settings(&actor).await.unwrap();
    settings.tolerance.control_sd = 2.5;
    workshop.change_settings(&actor, &name, &settings).await.unwrap();
    assert_eq!(import(&workshop, &actor, TABLE).await, 2);
    let own = store.workshop(actor.workshop);
    let run = own.run(RunId(1)).await.unwrap();
    assert!((run.tolerance.control_sd - 2.5).abs() < 1e-12);
    let before = workshop.run_details(&actor, RunId(1)).await.unwrap().verdict;
    workshop.rejudge_run(&actor, RunId(1)).await.unwrap();
    assert_eq!(workshop.run_details(&actor, RunId(1)).await.unwrap().verdict, before);
    let basis =
        r#"{"calibration": {"resistance": {"shift": 0.02, "sd": 0.01, "runs": 40}}, "control_sd": 4.0}"#;
    let elsewhere = format!(
        r#"{{"format": "filamentum-logbook/1", "runs": [{{"date": "2026-03-03", "design": "Sedge", "turns": 7500,
            "record": {{"basis": {basis}, "readings": [
                {{"kind": "turns", "value": 7500, "at": "2026-03-03T09:30:00.000000Z"}},
                {{"kind": "resistance", "value": 5810, "coil_c": 20, "at": "2026-03-03T09:31:00.000000Z"}}]}}}}]}}"#
    );
    assert_eq!(import(&workshop, &actor, &elsewhere).await, 1);
    let run = own.run(RunId(3)).await.unwrap();
    assert!((run.tolerance.control_sd - 4.0).abs() < 1e-12);
    assert_eq!(run.calibration.resistance.map(|c| c.runs), Some(40));
}

#[tokio::test]
async fn nobody_overwrites_a_newer_revision_unseen() {
    let (workshop, actor, _) = set_up().await;
    let first = design(&workshop, &actor).await;
    let mut longer = tall_single("Sedge", 6, 10.4);
    longer.coils[0].wind.turns = 8000;
    let next = SaveRevision { parent: Some(first), newest_seen: 1, ..command(longer.clone()) };
    workshop.save_revision(&actor, &next).await.unwrap();
    longer.coils[0].wind.turns = 9000;
    let late = SaveRevision { parent: Some(first), newest_seen: 1, ..command(longer) };
    let Err(Refusal::NewerRevision(newest)) = workshop.save_revision(&actor, &late).await else {
        panic!("the newer revision was not told");
    };
    let beside = SaveRevision { accept_beside: Some(newest.number), ..late };
    let branch = workshop.save_revision(&actor, &beside).await.unwrap();
    assert_eq!(workshop.revision(&actor, branch).await.unwrap().row.parent_id, Some(first));
    // Restored, the first document is the newest revision again.
    let restored = workshop.restore_revision(&actor, first, ClientKey::random()).await.unwrap();
    assert_eq!(workshop.revision(&actor, restored).await.unwrap().row.number, 4);
}

#[tokio::test]
async fn a_variation_out_of_range_saves_nothing() {
    let (workshop, actor, _) = set_up().await;
    let mut short = tall_single("Sedge", 6, 10.4);
    short.coils[0].wind.turns = 200;
    let revision = workshop.save_revision(&actor, &command(short)).await.unwrap();
    let vary = VaryRevision {
        key: ClientKey::random(),
        revision,
        varied: coil::search::Varied::Turns,
        values: "500, 3".into(),
        units: coil::quantity::Units::default(),
    };
    assert!(matches!(workshop.vary_revision(&actor, &vary).await, Err(Refusal::NoFamily(_))));
    let details = workshop.revision_details(&actor, revision).await.unwrap();
    assert_eq!(details.siblings.len(), 1);
}

#[tokio::test]
async fn a_closed_experiment_stays_as_it_was_closed() {
    let (workshop, actor, _) = set_up().await;
    let first = design(&workshop, &actor).await;
    let mut other = tall_single("Sedge", 6, 10.4);
    other.coils[0].wind.turns = 7900;
    let second = SaveRevision { parent: Some(first), newest_seen: 1, ..command(other) };
    let second = workshop.save_revision(&actor, &second).await.unwrap();
    let new = NewExperiment {
        key: ClientKey::random(),
        question: "Turns?",
        arms: &[first, second],
        cares_percent: 2.0,
    };
    let id = workshop.begin_experiment(&actor, &new).await.unwrap();
    workshop.close_experiment(&actor, id, "fuller").await.unwrap();
    let again = workshop.close_experiment(&actor, id, "brighter").await;
    assert!(matches!(again, Err(Refusal::ExperimentClosed)));
    assert_eq!(workshop.experiment(&actor, id).await.unwrap().experiment.closed, "fuller");
}

#[tokio::test]
async fn a_part_is_edited_and_belongs_to_its_workshop() {
    let (workshop, actor, store) = set_up().await;
    let new = NewPart {
        key: ClientKey::random(),
        kind: trade::stock::PartKind::Magnet,
        name: "rod".into(),
        each_cost: Some(0.8),
        order_below: None,
        supplier: String::new(),
        stock: 12,
    };
    let id = workshop.add_part(&actor, &new).await.unwrap();
    assert!(matches!(
        workshop.add_part(&actor, &NewPart { key: ClientKey::random(), ..new }).await,
        Err(Refusal::NameTaken(_))
    ));
    let details = PartDetails {
        each_cost: Some(0.9),
        order_below: Some(20),
        supplier: "Fenlark".into(),
        version: None,
    };
    workshop.update_part(&actor, id, &details).await.unwrap();
    let part = workshop.parts(&actor).await.unwrap().remove(0);
    assert_eq!((part.each_cost, part.order_below, part.supplier.as_str()), (Some(0.9), Some(20), "Fenlark"));
    let owner = store::person::NewPerson {
        name: "Wren",
        sign_in: "wren",
        password_hash: Some("x"),
        role: store::person::Role::Owner,
    };
    let (other, person) = store.create_workshop("Other", &owner).await.unwrap();
    let stranger = Actor { person, workshop: other, role: Role::Owner, is_at_station: false };
    assert!(matches!(workshop.update_part(&stranger, id, &details).await, Err(Refusal::NotFound(_))));
    assert!(workshop.parts(&stranger).await.unwrap().is_empty());
}

#[tokio::test]
async fn effects_are_reported_from_four_runs_on() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    for _ in 0..3 {
        let id = run(&workshop, &actor, revision).await;
        measure_well(&workshop, &actor, id).await;
    }
    workshop.fit_now(&actor).await.unwrap();
    let found = workshop.effects(&actor).await.unwrap().unwrap();
    let is_clear = |e: &trade::calibration::EffectText| e.status == trade::calibration::EffectStatus::Clear;
    assert!(!found.effects.iter().any(is_clear), "three runs support no effect");
}

#[tokio::test]
async fn a_preview_is_compared_with_its_parent() {
    let (workshop, actor, _) = set_up().await;
    let id = design(&workshop, &actor).await;
    let of = workshop.revision(&actor, id).await.unwrap();
    let mut changed = of.design.clone();
    changed.coils[0].wind.turns = 8200;
    let query = ContextQuery::default();
    let found = workshop.preview(&actor, &changed, Some(&of.design), Some(&of), &query).await.unwrap();
    let (now, before) = (found.prediction.unwrap(), found.before.unwrap());
    assert!(now.pickup.resistance_20c_ohm.nominal > before.pickup.resistance_20c_ohm.nominal);
    changed.coils[0].wind.turns = 3;
    let broken = workshop.preview(&actor, &changed, Some(&of.design), Some(&of), &query).await.unwrap();
    assert_eq!(broken.prediction.unwrap_err()[0].at, "coils[0].wind.turns");
}

/// A simulated winder of the workshop's.
async fn with_winder(store: &Store, actor: &Actor, name: &'static str) -> instruments::simulated::Bench {
    with_bench(store, actor, name, trade::instrument::InstrumentKind::Winder).await
}

/// A simulated bench that answers as one instrument of the workshop.
async fn with_bench(
    store: &Store,
    actor: &Actor,
    name: &'static str,
    kind: trade::instrument::InstrumentKind,
) -> instruments::simulated::Bench {
    let bench = instruments::simulated::Bench::new(5, 20.0);
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    tokio::spawn(instruments::server::serve(bench.clone(), listener));
    let instrument = store::instrument::NewInstrument {
        key: ClientKey::random(),
        kind,
        name,
        address: &address,
        resolution: None,
        accuracy: None,
        test_hz: None,
        due: None,
        input_pf: None,
        input_mohm: None,
        simulated: true,
    };
    store.workshop(actor.workshop).add_instrument(actor.person, &instrument).await.unwrap();
    bench
}

/// While the database is away the winder stays in sight and can be stopped.
#[tokio::test(flavor = "multi_thread")]
async fn a_winder_is_stopped_while_the_database_is_away() {
    let (workshop, actor, store) = set_up().await;
    let bench = with_winder(&store, &actor, "Winder one").await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let viewer = Actor { role: store::person::Role::Viewer, ..actor };
    let (_, none) = workshop.follow(&viewer, id, WinderChoice::OfRun).await.unwrap();
    assert!(none.is_none(), "who may not wind is told no key");
    let (mut state, key) = workshop.follow(&actor, id, WinderChoice::OfRun).await.unwrap();
    let key = key.unwrap();
    assert!(!format!("{key:?}").contains(key.text()));
    let taken = (TakeOver::SetToLog, false);
    workshop.take_over_counter(&actor, id, WinderChoice::OfRun, taken).await.unwrap();
    instruments::Winder::run(&mut bench.clone(), 500.0, None).await.unwrap();
    state.wait_for(|s| s.progress.turns > 50).await.unwrap();
    store.close().await;
    let away = |s: &workshop::StationState| s.trouble == Some(workshop::StationTrouble::LogAway);
    let seen =
        tokio::time::timeout(Duration::from_secs(20), state.wait_for(away)).await.unwrap().unwrap().clone();
    assert!(seen.progress.turns > 50 && seen.rpm > 0.0 && seen.counter.is_none(), "{seen:?}");
    let went_on = state.wait_for(|s| s.progress.turns > seen.progress.turns);
    tokio::time::timeout(Duration::from_secs(20), went_on).await.unwrap().unwrap();
    assert_eq!(workshop.stop_winder("0").await.unwrap_err().code(), "not-found");
    workshop.stop_winder(key.text()).await.unwrap();
    let now = instruments::Winder::status(&mut bench.clone()).await.unwrap();
    assert_eq!(now.state, instruments::WinderState::Stopped);
}

/// A station that was open before the last signature logs nothing after it, although the winder turns on.
#[tokio::test(flavor = "multi_thread")]
async fn an_open_station_logs_nothing_after_the_last_signature() {
    let (workshop, actor, store) = set_up().await;
    let bench = with_winder(&store, &actor, "Winder one").await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let (mut state, _) = workshop.follow(&actor, id, WinderChoice::OfRun).await.unwrap();
    state.wait_for(|s| s.winder.is_some()).await.unwrap();
    let taken = (TakeOver::SetToLog, false);
    workshop.take_over_counter(&actor, id, WinderChoice::OfRun, taken).await.unwrap();
    measure_well(&workshop, &actor, id).await;
    close(&workshop, &actor, id).await;
    let before = store.workshop(actor.workshop).events(id).await.unwrap().len();
    instruments::Winder::run(&mut bench.clone(), 500.0, Some(400)).await.unwrap();
    let closed = state.wait_for(|s| s.trouble == Some(workshop::StationTrouble::RunClosed));
    tokio::time::timeout(Duration::from_secs(20), closed).await.expect("the station learns of it").unwrap();
    while instruments::Winder::status(&mut bench.clone()).await.unwrap().turns < 100 {
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    assert_eq!(store.workshop(actor.workshop).events(id).await.unwrap().len(), before);
    let command = WinderCommand::Run { rpm: 500.0 };
    let refused = workshop.command_winder(&actor, id, WinderChoice::OfRun, command).await;
    assert!(matches!(refused, Err(Refusal::RunClosed)));
}
