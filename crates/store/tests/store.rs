//! Every query against a real MariaDB, on a private server and a fresh database per test.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

mod deletion;
mod designs;
mod instruments;
mod logbook;
mod migrations;
mod orders;
mod people;
mod rewinds;
mod server;
mod sets;
mod shop_floor;

use coil::design::Wire;
use coil::design::tall_single;
use coil::prediction::{Calibration, predict};
use coil::wire::{Build, Insulation, ToleranceRange};
use dev_database::fresh_store;
use store::design::NewRevision;
use store::event::NewEvent;
use store::instrument::NewInstrument;
use store::person::{NewPerson, Role};
use store::reading::NewReading;
use store::run::NewRun;
use store::session::{NewSession, SessionLimits};
use store::spool::NewSpool;
use store::timer::NewTimer;
use store::{ClientKey, PersonId, RevisionId, SpoolId, Store, StoreError, WorkshopId, WorkshopStore};
use time::Duration;
use trade::comparison::TolerancePolicy;
use trade::judgement::{Judgement, judge_run};
use trade::reading::Kind;
use trade::traveller::Traveller;
use trade::verdict::{Level, Verdict};
use trade::winding::{Event, WindingEventKind};

async fn workshop(store: &Store, name: &str) -> (WorkshopId, PersonId) {
    let owner = NewPerson { name: "Ode Farrow", sign_in: name, password_hash: Some("x"), role: Role::Owner };
    store.create_workshop(name, &owner).await.unwrap()
}

async fn design(store: &Store, workshop: WorkshopId, author: PersonId, name: &str) -> RevisionId {
    let design = tall_single(name, 6, 10.4);
    let prediction = predict(&design).unwrap();
    let new = NewRevision {
        key: ClientKey::random(),
        parent: None,
        note: "first",
        design: &design,
        prediction: Some(&prediction),
        newest_seen: None,
        is_variant: false,
    };
    store.workshop(workshop).save_revision(author, &new).await.unwrap()
}

/// Five kilometres of wire.
fn new_spool(label: &str) -> NewSpool {
    NewSpool {
        key: ClientKey::random(),
        label: label.into(),
        wire: Wire {
            gauge: "42 AWG".parse().unwrap(),
            insulation: Insulation::Polyurethane,
            build: Build::Single,
            range: ToleranceRange::Full,
            spool: Some(coil::design::Spool { left_m: Some(5000.0), ..coil::design::Spool::default() }),
        },
        remark: String::new(),
    }
}

async fn spool(shop: &WorkshopStore, owner: PersonId, label: &str) -> SpoolId {
    shop.add_spool(owner, &new_spool(label)).await.unwrap()
}

fn run_of(revision: RevisionId, operator: PersonId, design: &coil::design::Design) -> NewRun<'_> {
    NewRun {
        coils: &[],
        tolerance: TolerancePolicy::default(),
        key: ClientKey::random(),
        revision,
        spool: None,
        operator,
        planned_turns: 7500,
        stops: &[300, 7500],
        design,
        remark: "",
        other_wire: "",
        traveller: Box::leak(Box::new(Traveller::usual(design))),
        winder: None,
        calibration: (None, Calibration::default()),
        judgement: None,
        at: None,
    }
}

#[tokio::test]
async fn people_and_workshops() {
    let store = fresh_store().await;
    assert!(!store.has_workshop().await.unwrap());
    let (shop, owner) = workshop(&store, "kestrel").await;
    assert!(store.has_workshop().await.unwrap());
    let helper = NewPerson { name: "Ivo", sign_in: "ivo", password_hash: None, role: Role::Operator };
    store.workshop(shop).add_person(&helper).await.unwrap();
    assert!(
        matches!(store.workshop(shop).add_person(&helper).await, Err(StoreError::Taken(index)) if index == "people_sign_in")
    );
    assert_eq!(store.workshop(shop).people().await.unwrap().len(), 2);
    assert_eq!(store.person_by_sign_in("kestrel").await.unwrap().unwrap().id, owner);
    assert_eq!(store.person(owner).await.unwrap().unwrap().workshop, "kestrel");
    assert!(store.person_by_sign_in("nobody").await.unwrap().is_none());
}

#[tokio::test]
async fn sessions_end() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    let key = [7; 32];
    let put = |state: &'static str, idle: Duration, longest: Duration| {
        let store = store.clone();
        async move {
            let new = NewSession {
                key_hash: &key,
                state,
                person: None,
                public_id: Some("a"),
                address: "",
                agent: "",
                station: None,
            };
            store.put_session(&new, SessionLimits { idle, longest }).await.unwrap();
        }
    };
    let (hour, week) = (Duration::hours(1), Duration::weeks(1));
    put("{}", hour, week).await;
    put("{\"a\":1}", hour, week).await;
    assert_eq!(store.session_state(&key).await.unwrap().as_deref(), Some("{\"a\":1}"));
    assert!(store.named_session_state("a").await.unwrap().is_some());
    // One that is used without a rest ends all the same.
    put("{}", hour, Duration::ZERO).await;
    assert!(store.session_state(&key).await.unwrap().is_none());
    assert!(store.named_session_state("a").await.unwrap().is_none());
    // One that rested for too long is over, and no watching brings it back.
    put("{}", Duration::ZERO, week).await;
    assert!(store.session_state(&key).await.unwrap().is_none());
    store.prolong_named_session("a").await.unwrap();
    assert!(store.session_state(&key).await.unwrap().is_none());
    assert_eq!(store.sweep_sessions().await.unwrap(), 1);
    // What is used lasts as long again.
    put("{}", hour, week).await;
    store.prolong_session(&key).await.unwrap();
    store.prolong_named_session("a").await.unwrap();
    assert!(store.session_state(&key).await.unwrap().is_some());
    assert_eq!(store.sweep_sessions().await.unwrap(), 0);
    // The clock is set back by a day: what was begun by the wrong one is over.
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    sqlx::query("UPDATE sessions SET created_at = created_at + INTERVAL 1 DAY").execute(&pool).await.unwrap();
    assert!(store.session_state(&key).await.unwrap().is_none());
    assert_eq!(store.sweep_sessions().await.unwrap(), 1);
    put("{}", hour, week).await;
    store.end_session(&key).await.unwrap();
    assert!(store.session_state(&key).await.unwrap().is_none());
}

#[tokio::test]
async fn spools_are_unique_by_label() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let measured = coil::design::Spool { ohm_per_m: Some(5.51), ..coil::design::Spool::default() };
    let mut spool = new_spool("K-7");
    spool.wire.spool = Some(measured);
    let id = store.workshop(shop).add_spool(owner, &spool).await.unwrap();
    assert_eq!(store.workshop(shop).add_spool(owner, &spool).await.unwrap(), id);
    let again = NewSpool { key: ClientKey::random(), ..spool };
    assert!(
        matches!(store.workshop(shop).add_spool(owner, &again).await, Err(StoreError::Taken(index)) if index == "spools_label")
    );
    assert_eq!(store.workshop(shop).spools().await.unwrap().len(), 1);
    assert_eq!(store.workshop(shop).spool(id).await.unwrap().measured().ohm_per_m, Some(5.51));
}

#[tokio::test]
async fn a_run_is_logged_corrected_and_judged() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let document = store.workshop(shop).revision(revision).await.unwrap().design;
    let new = run_of(revision, owner, &document);
    let run = store.workshop(shop).start_run(owner, &new).await.unwrap();
    assert_eq!(store.workshop(shop).start_run(owner, &new).await.unwrap(), run);
    let key = ClientKey::random();
    let mut ohms = NewReading::new(Kind::Resistance, Some(580.0));
    ohms.coil_c = Some(22.0);
    let batch = [NewReading::new(Kind::Turns, Some(7500.0)), ohms.clone()];
    store.workshop(shop).log_readings(run, owner, &key, &batch, None).await.unwrap();
    // A repeated submission adds nothing.
    store.workshop(shop).log_readings(run, owner, &key, &batch, None).await.unwrap();
    let log = store.workshop(shop).readings(run).await.unwrap();
    assert_eq!(log.len(), 2);
    let right =
        NewReading { value: Some(5800.0), corrects: Some(store::ReadingId(log[1].reading.id)), ..ohms };
    store.workshop(shop).log_readings(run, owner, &ClientKey::random(), &[right], None).await.unwrap();
    let readings: Vec<_> =
        store.workshop(shop).readings(run).await.unwrap().into_iter().map(|l| l.reading).collect();
    assert_eq!(readings.len(), 3, "the wrong reading is kept");
    let judgement = judge_run(&document, &readings, &Calibration::default(), TolerancePolicy::default());
    assert_eq!(judgement.verdict.level, Level::Waiting);
    store.workshop(shop).record_judgement(run, &judgement, None).await.unwrap();
    assert_eq!(store.workshop(shop).run_prediction(run).await.unwrap(), judgement.prediction);
    let row = store.workshop(shop).run(run).await.unwrap().row;
    assert_eq!((row.number, row.turns, row.verdict_level()), (1, Some(7500.0), Some(Level::Waiting)));
    assert!(matches!(store.workshop(WorkshopId(999)).run(run).await, Err(StoreError::Missing("run"))));
}

#[tokio::test]
async fn runs_are_listed_by_design_by_revision_and_by_who_judged_them() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let other = design(&store, shop, owner, "Heron mandola").await;
    let saved = store.workshop(shop).revision(revision).await.unwrap();
    for _ in 0..3 {
        store.workshop(shop).start_run(owner, &run_of(revision, owner, &saved.design)).await.unwrap();
    }
    let numbers = |rows: Vec<store::run::RunRow>| rows.iter().map(|run| run.number).collect::<Vec<_>>();
    assert_eq!(numbers(store.workshop(shop).runs_of_design(saved.row.design_id).await.unwrap()), [3, 2, 1]);
    assert_eq!(numbers(store.workshop(shop).runs_of_revision(revision).await.unwrap()), [3, 2, 1]);
    assert!(store.workshop(shop).runs_of_revision(other).await.unwrap().is_empty());
    let run = store.workshop(shop).runs_of_revision(revision).await.unwrap()[0].id;
    let judgement = judge_run(&saved.design, &[], &Calibration::default(), TolerancePolicy::default());
    store.workshop(shop).record_judgement(run, &judgement, None).await.unwrap();
    assert!(store.workshop(shop).runs_of_other_engines().await.unwrap().is_empty(), "judged by this one");
}

#[tokio::test]
async fn a_document_with_every_part_comes_back_as_it_was() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let document = coil::design::read(include_str!("../../../docs/examples/reed-lap-steel.json")).unwrap();
    let new = NewRevision {
        key: ClientKey::random(),
        parent: None,
        note: "ß — Ω",
        design: &document,
        prediction: None,
        newest_seen: None,
        is_variant: false,
    };
    let id = store.workshop(shop).save_revision(owner, &new).await.unwrap();
    let saved = store.workshop(shop).revision(id).await.unwrap();
    assert_eq!(saved.design, document);
    assert_eq!((saved.row.note.as_str(), saved.row.kind.0), ("ß — Ω", coil::design::Format::TallSingle));
    assert_eq!((saved.row.gauge.as_str(), saved.row.resistance_20c_ohm), ("42 AWG", None));
}

#[tokio::test]
async fn the_last_verdict_counts_and_the_earlier_ones_stay() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let document = store.workshop(shop).revision(revision).await.unwrap().design;
    let run = store.workshop(shop).start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    assert_eq!(store.workshop(shop).run(run).await.unwrap().row.level, None);
    for (level, text) in [(Level::Look, "a first look"), (Level::Pass, "and a second")] {
        let verdict = Verdict { level, text: text.into(), causes: Vec::new(), missed: Vec::new() };
        let judgement = Judgement {
            verdict,
            ..judge_run(&document, &[], &Calibration::default(), TolerancePolicy::default())
        };
        store.workshop(shop).record_judgement(run, &judgement, Some(owner)).await.unwrap();
        let row = store.workshop(shop).run(run).await.unwrap().row;
        assert_eq!((row.verdict_level(), row.verdict.as_deref()), (Some(level), Some(text)));
        assert_eq!(row.comparisons.as_deref(), Some("[]"));
    }
    // Another workshop's verdict on this run goes nowhere.
    let (other, _) = workshop(&store, "heron").await;
    let verdict =
        Verdict { level: Level::Stop, text: "not ours".into(), causes: Vec::new(), missed: Vec::new() };
    let foreign = Judgement {
        verdict,
        ..judge_run(&document, &[], &Calibration::default(), TolerancePolicy::default())
    };
    assert!(store.workshop(other).record_judgement(run, &foreign, None).await.is_err());
    assert_eq!(store.workshop(shop).run(run).await.unwrap().row.verdict_level(), Some(Level::Pass));
}

#[tokio::test]
async fn a_batch_of_readings_is_logged_whole_or_not_at_all() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let document = store.workshop(shop).revision(revision).await.unwrap().design;
    let run = store.workshop(shop).start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let mut wrong = NewReading::new(Kind::Turns, Some(7000.0));
    wrong.corrects = Some(store::ReadingId(12_345));
    let batch = [NewReading::new(Kind::Inductance, Some(2.2)), wrong];
    let refused = store.workshop(shop).log_readings(run, owner, &ClientKey::random(), &batch, None).await;
    assert!(matches!(refused, Err(StoreError::Missing("reading"))), "{refused:?}");
    assert!(store.workshop(shop).readings(run).await.unwrap().is_empty(), "nothing is half written");
    let foreign =
        store.workshop(other).log_readings(run, stranger, &ClientKey::random(), &batch[..1], None).await;
    assert!(matches!(foreign, Err(StoreError::Missing("run"))), "{foreign:?}");
    // A reading is corrected once: a second correction must correct the first.
    store.workshop(shop).log_readings(run, owner, &ClientKey::random(), &batch[..1], None).await.unwrap();
    let first = store.workshop(shop).readings(run).await.unwrap()[0].reading.id;
    let correct = NewReading {
        corrects: Some(store::ReadingId(first)),
        words: "read again".into(),
        ..NewReading::new(Kind::Inductance, Some(2.1))
    };
    let again = [correct];
    store.workshop(shop).log_readings(run, owner, &ClientKey::random(), &again, None).await.unwrap();
    let twice = store.workshop(shop).log_readings(run, owner, &ClientKey::random(), &again, None).await;
    assert!(matches!(twice, Err(StoreError::Taken(index)) if index == "readings_corrects"));
    let log = store.workshop(shop).readings(run).await.unwrap();
    assert_eq!((log.len(), log[1].words.as_str(), log[1].taken_by.as_str()), (2, "read again", "Ode Farrow"));
}

#[tokio::test]
async fn runs_are_numbered_per_workshop_even_when_started_at_once() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let document = store.workshop(shop).revision(revision).await.unwrap().design;
    let (a, b, c) = (
        run_of(revision, owner, &document),
        run_of(revision, owner, &document),
        run_of(revision, owner, &document),
    );
    let ours = store.workshop(shop);
    let (a, b, c) =
        tokio::join!(ours.start_run(owner, &a), ours.start_run(owner, &b), ours.start_run(owner, &c));
    let mut numbers = Vec::new();
    for id in [a.unwrap(), b.unwrap(), c.unwrap()] {
        numbers.push(store.workshop(shop).run(id).await.unwrap().row.number);
    }
    numbers.sort_unstable();
    assert_eq!(numbers, [1, 2, 3]);
    let (other, stranger) = workshop(&store, "heron").await;
    let theirs = design(&store, other, stranger, "Mandola").await;
    let run = store.workshop(other).start_run(stranger, &run_of(theirs, stranger, &document)).await.unwrap();
    assert_eq!(store.workshop(other).run(run).await.unwrap().row.number, 1);
}

/// The winding log takes every event once, in order; a traveller goes with its run and is signed once.
#[tokio::test]
async fn what_happens_at_the_winder_is_kept_once_and_in_order() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let revision = design(&store, shop, owner, "Mandola").await;
    let document = store.workshop(shop).revision(revision).await.unwrap().design;
    let run = store.workshop(shop).start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let keys: Vec<ClientKey> = (0..3).map(|_| ClientKey::random()).collect();
    let event = |k: usize, what, at_turn| NewEvent {
        key: keys[k].clone(),
        event: Event { what, at_turn },
        words: "",
        instrument: None,
    };
    assert!(
        store.workshop(shop).note_event(run, owner, &event(0, WindingEventKind::Count, 300)).await.unwrap()
    );
    assert!(
        store.workshop(shop).note_event(run, owner, &event(1, WindingEventKind::Stop, 300)).await.unwrap()
    );
    assert!(
        !store.workshop(shop).note_event(run, owner, &event(0, WindingEventKind::Count, 999)).await.unwrap(),
        "same key"
    );
    let foreign = store.workshop(other).note_event(run, stranger, &event(2, WindingEventKind::Stop, 1)).await;
    assert!(matches!(foreign, Err(StoreError::Missing("run"))));
    let all = store.workshop(shop).events(run).await.unwrap();
    let said: Vec<(WindingEventKind, u32)> = all.iter().map(|h| (h.event.what, h.event.at_turn)).collect();
    assert_eq!(said, [(WindingEventKind::Count, 300), (WindingEventKind::Stop, 300)]);
    assert!(store.workshop(other).events(run).await.unwrap().is_empty());
    let traveller = store.workshop(shop).traveller_of_run(run).await.unwrap().unwrap();
    assert_eq!(traveller, Traveller::usual(&document));
    assert!(store.workshop(shop).sign(run, owner, "seams", "").await.unwrap());
    assert!(!store.workshop(shop).sign(run, owner, "seams", "again").await.unwrap());
    let signed = store.workshop(shop).signatures(run).await.unwrap();
    assert_eq!((signed.len(), signed[0].by.as_str(), signed[0].waived.as_str()), (1, "Ode Farrow", ""));
    let mut own = traveller.clone();
    own.0.truncate(2);
    store.workshop(shop).keep_traveller(owner, "tall-single", Some(&own)).await.unwrap();
    assert_eq!(
        store.workshop(shop).travellers().await.unwrap(),
        [("tall-single".to_owned(), own.clone())].into()
    );
    assert!(store.workshop(other).travellers().await.unwrap().is_empty());
    assert_eq!(store.workshop(shop).traveller("tall-single").await.unwrap(), Some(own));
    assert_eq!(store.workshop(other).traveller("tall-single").await.unwrap(), None);
    assert_eq!(
        store.workshop(shop).traveller_of_run(run).await.unwrap(),
        Some(traveller),
        "a run keeps its own"
    );
    store.workshop(shop).keep_traveller(owner, "tall-single", None).await.unwrap();
    assert_eq!(store.workshop(shop).traveller("tall-single").await.unwrap(), None);
}

#[tokio::test]
async fn instruments_sign_what_they_read_and_timers_run_until_taken_off() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let new = NewInstrument {
        key: ClientKey::random(),
        kind: trade::instrument::InstrumentKind::Ohm,
        name: "Bench ohm meter",
        address: "127.0.0.1:5025",
        resolution: Some(1.0),
        accuracy: Some(0.0005),
        test_hz: None,
        due: Some(time::macros::date!(2027 - 05 - 01)),
        input_pf: None,
        input_mohm: None,
        simulated: true,
    };
    store.workshop(shop).add_instrument(owner, &new).await.unwrap();
    store.workshop(shop).add_instrument(owner, &new).await.unwrap();
    let twin = NewInstrument { key: ClientKey::random(), ..new.clone() };
    assert!(
        matches!(store.workshop(shop).add_instrument(owner, &twin).await, Err(StoreError::Taken(index)) if index == "instruments_name")
    );
    store.readdress_simulated(&["127.0.0.1:7777".to_owned()]).await.unwrap();
    let kept = store.workshop(shop).instruments().await.unwrap();
    assert_eq!((kept.len(), kept[0].address.as_str(), kept[0].due), (1, "127.0.0.1:7777", new.due));
    let revision = design(&store, shop, owner, "Mandola").await;
    let document = store.workshop(shop).revision(revision).await.unwrap().design;
    let run = store.workshop(shop).start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let reading =
        NewReading { instrument: Some(kept[0].id), ..NewReading::new(Kind::Resistance, Some(5800.0)) };
    store.workshop(shop).log_readings(run, owner, &ClientKey::random(), &[reading], None).await.unwrap();
    let log = store.workshop(shop).readings(run).await.unwrap();
    assert_eq!(log[0].instrument.as_deref(), Some("Bench ohm meter"));
    store.workshop(shop).retire_instrument(owner, kept[0].id).await.unwrap();
    assert!(store.workshop(shop).instruments().await.unwrap().is_empty());
    let key = ClientKey::random();
    for (key, label, minutes) in
        [(key.clone(), "Lacquer", 1440), (key, "Lacquer", 1440), (ClientKey::random(), "Wax", 15)]
    {
        store
            .workshop(shop)
            .start_timer(owner, &NewTimer { key, run: Some(run), operation: None, label, minutes, at: None })
            .await
            .unwrap();
    }
    let timers = store.workshop(shop).timers().await.unwrap();
    let labels: Vec<&str> = timers.iter().map(|t| t.label.as_str()).collect();
    assert_eq!(
        (labels, timers[0].run_number),
        (vec!["Wax", "Lacquer"], Some(1)),
        "first due first, each once"
    );
    store.workshop(shop).end_timer(owner, timers[0].id).await.unwrap();
    assert_eq!(store.workshop(shop).timers().await.unwrap().len(), 1);
}
