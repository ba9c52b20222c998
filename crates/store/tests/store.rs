//! Every query against a real MariaDB, on a private server and a fresh database per test.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

mod logbook;

use coil::design::tall_single;
use coil::prediction::{Calibration, predict};
use dev_database::fresh_store;
use rstest::rstest;
use store::audit::{AuditAction, AuditFilter};
use store::design::{DesignFilter, DesignOrder, NewRevision};
use store::event::NewEvent;
use store::instrument::NewInstrument;
use store::person::{NewPerson, Role};
use store::reading::NewReading;
use store::run::NewRun;
use store::session::{NewSession, SessionLimits};
use store::spool::NewSpool;
use store::sweep::NewSweep;
use store::timer::NewTimer;
use store::{ClientKey, PersonId, RevisionId, RunId, Store, StoreError, Transport, WorkshopId};
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
    };
    store.of(workshop).save_revision(author, &new).await.unwrap()
}

fn run_of(revision: RevisionId, operator: PersonId, design: &coil::design::Design) -> NewRun<'_> {
    NewRun {
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
    store.of(shop).add_person(&helper).await.unwrap();
    assert!(
        matches!(store.of(shop).add_person(&helper).await, Err(StoreError::Taken(index)) if index == "people_sign_in")
    );
    assert_eq!(store.of(shop).people().await.unwrap().len(), 2);
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
async fn revisions_are_numbered_kept_and_belong_to_their_workshop() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, _) = workshop(&store, "heron").await;
    let first = design(&store, shop, owner, "Reed lap steel").await;
    let mut changed = store.of(shop).revision(first).await.unwrap().design;
    changed.coils[0].wind.turns = 8000;
    let key = ClientKey::random();
    let next = NewRevision {
        key,
        parent: Some(first),
        note: "hotter",
        design: &changed,
        prediction: None,
        newest_seen: None,
    };
    let second = store.of(shop).save_revision(owner, &next).await.unwrap();
    // The same submission again is the same revision.
    assert_eq!(store.of(shop).save_revision(owner, &next).await.unwrap(), second);
    let saved = store.of(shop).revision(second).await.unwrap();
    assert_eq!((saved.row.number, saved.row.parent_id, saved.row.turns), (2, Some(first), 8000));
    assert_eq!(saved.design, changed);
    assert_eq!(store.of(shop).revision(first).await.unwrap().row.turns, 7500);
    let all = store.of(shop).revisions(saved.row.design_id).await.unwrap();
    assert_eq!(all.iter().map(|r| r.number).collect::<Vec<_>>(), [2, 1]);
    assert!(matches!(store.of(other).revision(second).await, Err(StoreError::Missing("revision"))));
    assert!(matches!(store.of(other).revisions(saved.row.design_id).await, Err(StoreError::Missing(_))));
    let stolen = NewRevision { key: ClientKey::random(), ..next.clone() };
    assert!(matches!(store.of(other).save_revision(owner, &stolen).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn two_people_saving_at_once_get_two_revisions() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let first = design(&store, shop, owner, "Mandola").await;
    let document = store.of(shop).revision(first).await.unwrap().design;
    let save = || async {
        let new = NewRevision {
            key: ClientKey::random(),
            parent: Some(first),
            note: "",
            design: &document,
            prediction: None,
            newest_seen: None,
        };
        store.of(shop).save_revision(owner, &new).await
    };
    let (a, b, c) = tokio::join!(save(), save(), save());
    assert!(a.is_ok() && b.is_ok() && c.is_ok(), "{a:?} {b:?} {c:?}");
    let row = store.of(shop).revision(first).await.unwrap().row;
    assert_eq!(store.of(shop).revisions(row.design_id).await.unwrap().len(), 4);
}

#[tokio::test]
async fn lists_of_designs_search_and_sort() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    for name in ["Mandola", "Reed lap steel", "Baritone"] {
        design(&store, shop, owner, name).await;
    }
    let names = async |search: &str, order| -> Vec<String> {
        let filter = DesignFilter { search: search.into(), order, ..DesignFilter::default() };
        store.of(shop).designs(&filter).await.unwrap().into_iter().map(|row| row.name).collect()
    };
    assert_eq!(names("", DesignOrder::Name).await, ["Baritone", "Mandola", "Reed lap steel"]);
    assert_eq!(names("", DesignOrder::Newest).await[0], "Baritone");
    assert_eq!(names("lap", DesignOrder::Resistance).await, ["Reed lap steel"]);
    assert_eq!(names("100%", DesignOrder::Inductance).await.len(), 0);
}

#[tokio::test]
async fn designs_are_tagged_named_and_put_away() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let first = design(&store, shop, owner, "Mandola").await;
    design(&store, shop, owner, "Baritone").await;
    let tags = |all: &[&str]| all.iter().map(|t| (*t).to_owned()).collect::<Vec<String>>();
    let shop = store.of(shop);
    shop.label_design(owner, first, "", &tags(&["order 12", "neck"]), None).await.unwrap();
    shop.label_design(owner, first, "the bright one", &tags(&["neck", "bright"]), None).await.unwrap();
    let foreign = store.of(other).label_design(stranger, first, "mine", &tags(&["mine"]), Some(true)).await;
    assert!(matches!(foreign, Err(StoreError::Missing("revision"))));
    assert_eq!(shop.tags().await.unwrap(), ["bright", "neck"]);
    let row = shop.revision(first).await.unwrap().row;
    assert_eq!((row.label.as_str(), row.tags.as_str()), ("the bright one", "bright,neck"));
    let named = async |filter: DesignFilter| -> Vec<String> {
        shop.designs(&filter).await.unwrap().into_iter().map(|r| r.name).collect()
    };
    assert_eq!(named(DesignFilter { tag: "neck".into(), ..DesignFilter::default() }).await, ["Mandola"]);
    let twins = DesignFilter { kind: Some(coil::design::Kind::TwinCoil), ..DesignFilter::default() };
    assert!(named(twins).await.is_empty());
    assert_eq!(named(DesignFilter::default()).await.len(), 2);
    shop.label_design(owner, first, "the bright one", &tags(&["neck", "bright"]), Some(true)).await.unwrap();
    assert_eq!(named(DesignFilter::default()).await, ["Baritone"]);
    let away = DesignFilter { archived: true, ..DesignFilter::default() };
    assert_eq!(named(away.clone()).await, ["Mandola"]);
    shop.label_design(owner, first, "the bright one", &tags(&["neck", "bright"]), Some(false)).await.unwrap();
    assert!(named(away).await.is_empty());
    // Every change is on the trail with what was before, and one that changes nothing is not.
    shop.label_design(owner, first, "the bright one", &tags(&["bright", "neck"]), None).await.unwrap();
    let trail = shop.audit_trail(&AuditFilter::default(), None, 50).await.unwrap();
    assert_eq!(trail.len(), 4);
    assert!(trail.iter().all(|row| row.action.0 == AuditAction::Design && row.object == "Mandola r1"));
    let value =
        |text: &Option<String>| serde_json::from_str::<serde_json::Value>(text.as_ref().unwrap()).unwrap();
    assert_eq!(value(&trail[1].before_text)["archived"], false);
    assert_eq!(value(&trail[1].after_text)["archived"], true);
    assert_eq!(value(&trail[2].after_text)["tags"], "bright, neck");
    let older = shop.audit_trail(&AuditFilter::default(), Some(trail[1].id), 1).await.unwrap();
    assert_eq!(older[0].id, trail[2].id);
    let of_spools = AuditFilter { action: Some(AuditAction::Spool), ..AuditFilter::default() };
    assert!(shop.audit_trail(&of_spools, None, 50).await.unwrap().is_empty());
    let by_owner = AuditFilter { person: Some(owner), words: "andola".into(), ..AuditFilter::default() };
    assert_eq!(shop.audit_trail(&by_owner, None, 50).await.unwrap().len(), 4);
    assert!(store.of(other).audit_trail(&AuditFilter::default(), None, 50).await.unwrap().is_empty());
}

#[tokio::test]
async fn sweeps_belong_to_a_revision_and_come_once() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let first = design(&store, shop, owner, "Mandola").await;
    let sweep =
        trade::sweep::Sweep { hz: vec![100.0, 4000.0, 9000.0], db: vec![0.0, 6.5, -20.25], input: None };
    let new = NewSweep {
        key: ClientKey::random(),
        revision: first,
        run: None,
        label: "first coil",
        sweep: &sweep,
        at: None,
    };
    store.of(shop).add_sweep(owner, &new).await.unwrap();
    store.of(shop).add_sweep(owner, &new).await.unwrap();
    assert!(matches!(store.of(other).add_sweep(stranger, &new).await, Err(StoreError::Missing("revision"))));
    let kept = store.of(shop).sweeps(Some(first)).await.unwrap();
    assert_eq!(kept.len(), 1);
    assert_eq!((kept[0].label.as_str(), kept[0].by.as_str()), ("first coil", "Ode Farrow"));
    assert_eq!(kept[0].sweep().unwrap(), sweep);
    assert_eq!(store.of(shop).sweeps(None).await.unwrap().len(), 1);
    assert!(
        store.of(shop).sweeps_of_run(RunId(0), 4).await.unwrap().is_empty(),
        "it was swept without a run"
    );
    assert!(store.of(other).sweeps(None).await.unwrap().is_empty());
}

#[tokio::test]
async fn spools_are_unique_by_label() {
    let store = fresh_store().await;
    let (shop, _) = workshop(&store, "kestrel").await;
    let spool = NewSpool {
        key: ClientKey::random(),
        label: "K-7".into(),
        gauge: "42 AWG".into(),
        insulation: "polyvinyl-acetal".into(),
        build: "heavy".into(),
        tolerance: "full".into(),
        measured: coil::design::Spool { ohm_per_m: Some(5.51), ..Default::default() },
        remark: String::new(),
    };
    let id = store.of(shop).add_spool(&spool).await.unwrap();
    assert_eq!(store.of(shop).add_spool(&spool).await.unwrap(), id);
    let again = NewSpool { key: ClientKey::random(), ..spool };
    assert!(
        matches!(store.of(shop).add_spool(&again).await, Err(StoreError::Taken(index)) if index == "spools_label")
    );
    assert_eq!(store.of(shop).spools().await.unwrap().len(), 1);
    assert_eq!(store.of(shop).spool(id).await.unwrap().measured().ohm_per_m, Some(5.51));
}

#[tokio::test]
async fn a_run_is_logged_corrected_and_judged() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let document = store.of(shop).revision(revision).await.unwrap().design;
    let new = run_of(revision, owner, &document);
    let run = store.of(shop).start_run(owner, &new).await.unwrap();
    assert_eq!(store.of(shop).start_run(owner, &new).await.unwrap(), run);
    let key = ClientKey::random();
    let mut ohms = NewReading::of(Kind::Resistance, Some(580.0));
    ohms.coil_c = Some(22.0);
    let batch = [NewReading::of(Kind::Turns, Some(7500.0)), ohms.clone()];
    store.of(shop).log_readings(run, owner, &key, &batch, None).await.unwrap();
    // A repeated submission adds nothing.
    store.of(shop).log_readings(run, owner, &key, &batch, None).await.unwrap();
    let log = store.of(shop).readings(run).await.unwrap();
    assert_eq!(log.len(), 2);
    let right =
        NewReading { value: Some(5800.0), corrects: Some(store::ReadingId(log[1].reading.id)), ..ohms };
    store.of(shop).log_readings(run, owner, &ClientKey::random(), &[right], None).await.unwrap();
    let readings: Vec<_> =
        store.of(shop).readings(run).await.unwrap().into_iter().map(|l| l.reading).collect();
    assert_eq!(readings.len(), 3, "the wrong reading is kept");
    let judgement = judge_run(&document, &readings, &Calibration::default(), TolerancePolicy::default());
    assert_eq!(judgement.verdict.level, Level::Waiting);
    store.of(shop).record_judgement(run, &judgement, None).await.unwrap();
    assert_eq!(store.of(shop).run_prediction(run).await.unwrap(), judgement.prediction);
    let row = store.of(shop).run(run).await.unwrap().row;
    assert_eq!((row.number, row.turns, row.verdict_level()), (1, Some(7500.0), Some(Level::Waiting)));
    assert!(matches!(store.of(WorkshopId(999)).run(run).await, Err(StoreError::Missing("run"))));
}

#[tokio::test]
async fn runs_are_listed_by_design_by_revision_and_by_who_judged_them() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let other = design(&store, shop, owner, "Heron mandola").await;
    let saved = store.of(shop).revision(revision).await.unwrap();
    for _ in 0..3 {
        store.of(shop).start_run(owner, &run_of(revision, owner, &saved.design)).await.unwrap();
    }
    let numbers = |rows: Vec<store::run::RunRow>| rows.iter().map(|run| run.number).collect::<Vec<_>>();
    assert_eq!(numbers(store.of(shop).runs_of_design(saved.row.design_id).await.unwrap()), [3, 2, 1]);
    assert_eq!(numbers(store.of(shop).runs_of_revision(revision).await.unwrap()), [3, 2, 1]);
    assert!(store.of(shop).runs_of_revision(other).await.unwrap().is_empty());
    let run = store.of(shop).runs_of_revision(revision).await.unwrap()[0].id;
    let judgement = judge_run(&saved.design, &[], &Calibration::default(), TolerancePolicy::default());
    store.of(shop).record_judgement(run, &judgement, None).await.unwrap();
    assert!(store.of(shop).runs_of_other_engines().await.unwrap().is_empty(), "judged by this one");
}

#[tokio::test]
async fn two_starts_migrate_once_and_a_wrong_address_says_so() {
    let (url, first) = dev_database::fresh_database().await;
    drop(first);
    let (a, b) = tokio::join!(Store::connect(&url), Store::connect(&url));
    assert!(a.is_ok() && b.is_ok());
    let message = Store::connect("nonsense").await.unwrap_err().to_string();
    assert!(message.contains("mysql://"), "{message}");
    let other = Store::connect("postgres://a:b@127.0.0.1:9/none").await.unwrap_err();
    assert!(matches!(&other, StoreError::OtherDatabase(scheme) if scheme == "postgres"), "{other:?}");
    let gone = Store::connect("mysql://a:b@127.0.0.1:9/none").await.unwrap_err();
    assert!(matches!(gone, StoreError::Away(_)), "{gone:?}");
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
    };
    let id = store.of(shop).save_revision(owner, &new).await.unwrap();
    let saved = store.of(shop).revision(id).await.unwrap();
    assert_eq!(saved.design, document);
    assert_eq!((saved.row.note.as_str(), saved.row.kind.0), ("ß — Ω", coil::design::Kind::TallSingle));
    assert_eq!((saved.row.gauge.as_str(), saved.row.resistance_20c_ohm), ("42 AWG", None));
}

#[tokio::test]
async fn the_last_verdict_counts_and_the_earlier_ones_stay() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let document = store.of(shop).revision(revision).await.unwrap().design;
    let run = store.of(shop).start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    assert_eq!(store.of(shop).run(run).await.unwrap().row.level, None);
    for (level, text) in [(Level::Look, "a first look"), (Level::Pass, "and a second")] {
        let verdict = Verdict { level, text: text.into(), causes: Vec::new(), missed: Vec::new() };
        let judgement = Judgement {
            verdict,
            ..judge_run(&document, &[], &Calibration::default(), TolerancePolicy::default())
        };
        store.of(shop).record_judgement(run, &judgement, Some(owner)).await.unwrap();
        let row = store.of(shop).run(run).await.unwrap().row;
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
    assert!(store.of(other).record_judgement(run, &foreign, None).await.is_err());
    assert_eq!(store.of(shop).run(run).await.unwrap().row.verdict_level(), Some(Level::Pass));
}

#[tokio::test]
async fn a_batch_of_readings_is_logged_whole_or_not_at_all() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let document = store.of(shop).revision(revision).await.unwrap().design;
    let run = store.of(shop).start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let mut wrong = NewReading::of(Kind::Turns, Some(7000.0));
    wrong.corrects = Some(store::ReadingId(12_345));
    let batch = [NewReading::of(Kind::Inductance, Some(2.2)), wrong];
    let refused = store.of(shop).log_readings(run, owner, &ClientKey::random(), &batch, None).await;
    assert!(matches!(refused, Err(StoreError::Missing("reading"))), "{refused:?}");
    assert!(store.of(shop).readings(run).await.unwrap().is_empty(), "nothing is half written");
    let foreign = store.of(other).log_readings(run, stranger, &ClientKey::random(), &batch[..1], None).await;
    assert!(matches!(foreign, Err(StoreError::Missing("run"))), "{foreign:?}");
    // A reading is corrected once: a second correction must correct the first.
    store.of(shop).log_readings(run, owner, &ClientKey::random(), &batch[..1], None).await.unwrap();
    let first = store.of(shop).readings(run).await.unwrap()[0].reading.id;
    let correct = NewReading {
        corrects: Some(store::ReadingId(first)),
        words: "read again".into(),
        ..NewReading::of(Kind::Inductance, Some(2.1))
    };
    let again = [correct];
    store.of(shop).log_readings(run, owner, &ClientKey::random(), &again, None).await.unwrap();
    let twice = store.of(shop).log_readings(run, owner, &ClientKey::random(), &again, None).await;
    assert!(matches!(twice, Err(StoreError::Taken(index)) if index == "readings_corrects"));
    let log = store.of(shop).readings(run).await.unwrap();
    assert_eq!((log.len(), log[1].words.as_str(), log[1].taken_by.as_str()), (2, "read again", "Ode Farrow"));
}

#[tokio::test]
async fn runs_are_numbered_per_workshop_even_when_started_at_once() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    let document = store.of(shop).revision(revision).await.unwrap().design;
    let (a, b, c) = (
        run_of(revision, owner, &document),
        run_of(revision, owner, &document),
        run_of(revision, owner, &document),
    );
    let ours = store.of(shop);
    let (a, b, c) =
        tokio::join!(ours.start_run(owner, &a), ours.start_run(owner, &b), ours.start_run(owner, &c));
    let mut numbers = Vec::new();
    for id in [a.unwrap(), b.unwrap(), c.unwrap()] {
        numbers.push(store.of(shop).run(id).await.unwrap().row.number);
    }
    numbers.sort_unstable();
    assert_eq!(numbers, [1, 2, 3]);
    let (other, stranger) = workshop(&store, "heron").await;
    let theirs = design(&store, other, stranger, "Mandola").await;
    let run = store.of(other).start_run(stranger, &run_of(theirs, stranger, &document)).await.unwrap();
    assert_eq!(store.of(other).run(run).await.unwrap().row.number, 1);
}

/// The winding log takes every event once, in order; a traveller goes with its run and is signed once.
#[tokio::test]
async fn what_happens_at_the_winder_is_kept_once_and_in_order() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let revision = design(&store, shop, owner, "Mandola").await;
    let document = store.of(shop).revision(revision).await.unwrap().design;
    let run = store.of(shop).start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let keys: Vec<ClientKey> = (0..3).map(|_| ClientKey::random()).collect();
    let event = |k: usize, what, at_turn| NewEvent {
        key: keys[k].clone(),
        event: Event { what, at_turn },
        words: "",
    };
    assert!(store.of(shop).note_event(run, owner, &event(0, WindingEventKind::Count, 300)).await.unwrap());
    assert!(store.of(shop).note_event(run, owner, &event(1, WindingEventKind::Stop, 300)).await.unwrap());
    assert!(
        !store.of(shop).note_event(run, owner, &event(0, WindingEventKind::Count, 999)).await.unwrap(),
        "same key"
    );
    let foreign = store.of(other).note_event(run, stranger, &event(2, WindingEventKind::Stop, 1)).await;
    assert!(matches!(foreign, Err(StoreError::Missing("run"))));
    let all = store.of(shop).events(run).await.unwrap();
    let said: Vec<(WindingEventKind, u32)> = all.iter().map(|h| (h.event.what, h.event.at_turn)).collect();
    assert_eq!(said, [(WindingEventKind::Count, 300), (WindingEventKind::Stop, 300)]);
    assert!(store.of(other).events(run).await.unwrap().is_empty());
    let traveller = store.of(shop).traveller_of_run(run).await.unwrap().unwrap();
    assert_eq!(traveller, Traveller::usual(&document));
    assert!(store.of(shop).sign(run, owner, "seams", "").await.unwrap());
    assert!(!store.of(shop).sign(run, owner, "seams", "again").await.unwrap());
    let signed = store.of(shop).signatures(run).await.unwrap();
    assert_eq!((signed.len(), signed[0].by.as_str(), signed[0].waived.as_str()), (1, "Ode Farrow", ""));
    let mut own = traveller.clone();
    own.0.truncate(2);
    store.of(shop).keep_traveller(owner, "tall-single", Some(&own)).await.unwrap();
    assert_eq!(store.of(shop).traveller("tall-single").await.unwrap(), Some(own));
    assert_eq!(store.of(other).traveller("tall-single").await.unwrap(), None);
    assert_eq!(store.of(shop).traveller_of_run(run).await.unwrap(), Some(traveller), "a run keeps its own");
    store.of(shop).keep_traveller(owner, "tall-single", None).await.unwrap();
    assert_eq!(store.of(shop).traveller("tall-single").await.unwrap(), None);
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
    store.of(shop).add_instrument(owner, &new).await.unwrap();
    store.of(shop).add_instrument(owner, &new).await.unwrap();
    let twin = NewInstrument { key: ClientKey::random(), ..new.clone() };
    assert!(
        matches!(store.of(shop).add_instrument(owner, &twin).await, Err(StoreError::Taken(index)) if index == "instruments_name")
    );
    store.readdress_simulated(&["127.0.0.1:7777".to_owned()]).await.unwrap();
    let kept = store.of(shop).instruments().await.unwrap();
    assert_eq!((kept.len(), kept[0].address.as_str(), kept[0].due), (1, "127.0.0.1:7777", new.due));
    let revision = design(&store, shop, owner, "Mandola").await;
    let document = store.of(shop).revision(revision).await.unwrap().design;
    let run = store.of(shop).start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let reading =
        NewReading { instrument: Some(kept[0].id), ..NewReading::of(Kind::Resistance, Some(5800.0)) };
    store.of(shop).log_readings(run, owner, &ClientKey::random(), &[reading], None).await.unwrap();
    let log = store.of(shop).readings(run).await.unwrap();
    assert_eq!(log[0].instrument.as_deref(), Some("Bench ohm meter"));
    store.of(shop).retire_instrument(owner, kept[0].id).await.unwrap();
    assert!(store.of(shop).instruments().await.unwrap().is_empty());
    let key = ClientKey::random();
    for (key, label, minutes) in
        [(key.clone(), "Lacquer", 1440), (key, "Lacquer", 1440), (ClientKey::random(), "Wax", 15)]
    {
        store
            .of(shop)
            .start_timer(owner, &NewTimer { key, run: Some(run), label, minutes, at: None })
            .await
            .unwrap();
    }
    let timers = store.of(shop).timers().await.unwrap();
    let labels: Vec<&str> = timers.iter().map(|t| t.label.as_str()).collect();
    assert_eq!(
        (labels, timers[0].run_number),
        (vec!["Wax", "Lacquer"], Some(1)),
        "first due first, each once"
    );
    store.of(shop).end_timer(timers[0].id).await.unwrap();
    assert_eq!(store.of(shop).timers().await.unwrap().len(), 1);
}

/// A start that was killed in the middle of a migration, before or after its statement, is begun again by the next one.
#[rstest]
#[case(1)]
#[case(21)]
#[case(38)]
#[case(43)]
#[case(50)]
#[case(52)]
#[case(54)]
#[tokio::test]
async fn a_migration_that_was_broken_off_is_done(#[case] version: i64) {
    let migrator = sqlx::migrate!();
    let migration = migrator.iter().find(|m| m.version == version).unwrap();
    // Done and noted as begun; noted as begun alone; done without a note.
    for (was_done, is_noted) in [(true, true), (false, true), (true, false)] {
        let (url, _) = dev_database::fresh_database().await;
        if was_done || version > 1 {
            drop(
                Store::begin_loading(
                    &url,
                    Transport::Protected,
                    if was_done { version } else { version - 1 },
                )
                .await
                .unwrap(),
            );
        }
        let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
        if was_done && !is_noted {
            sqlx::query("DELETE FROM _sqlx_migrations WHERE version = ?")
                .bind(version)
                .execute(&pool)
                .await
                .unwrap();
        } else if was_done {
            sqlx::query("UPDATE _sqlx_migrations SET success = FALSE WHERE version = ?")
                .bind(version)
                .execute(&pool)
                .await
                .unwrap();
        } else if version > 1 {
            sqlx::query(
                "INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) \
                 VALUES (?, ?, FALSE, ?, -1)",
            )
            .bind(version)
            .bind(&*migration.description)
            .bind(&*migration.checksum)
            .execute(&pool)
            .await
            .unwrap();
        }
        let store = Store::connect(&url).await.unwrap();
        workshop(&store, "kestrel").await;
    }
}

/// A password and every fact would be read on the way.
#[rstest]
#[case("mysql://a:b@10.0.0.9:3306/x", true)]
#[case("mysql://a:b@database.example/x", true)]
#[case("mysql://a:b@database.example/x?ssl-mode=REQUIRED", true)]
#[case("mysql://a:b@database.example/x?ssl-mode=VERIFY_CA", false)]
#[case("mysql://a:b@127.0.0.1:1/x", false)]
#[case("mysql://a:b@localhost:1/x", false)]
#[tokio::test]
async fn another_machine_is_reached_over_tls_only(#[case] url: &str, #[case] is_refused: bool) {
    let tried = tokio::time::timeout(std::time::Duration::from_millis(200), Store::connect(url)).await;
    assert_eq!(matches!(tried, Ok(Err(StoreError::InClear))), is_refused, "{url}");
}

/// Whoever gets hold of the application's user has its tables, and nothing else of the server.
#[tokio::test]
async fn the_private_servers_user_has_one_schema() {
    let folder = tempfile::tempdir().unwrap();
    let server =
        dev_database::PrivateServer::start(folder.path(), dev_database::Durability::Full).await.unwrap();
    let pool = sqlx::MySqlPool::connect(&server.url("filamentum")).await.unwrap();
    let grants: Vec<String> = sqlx::query_scalar("SHOW GRANTS").fetch_all(&pool).await.unwrap();
    for grant in &grants {
        assert!(grant.contains("USAGE ON *.*") || grant.contains("ON `filamentum`.*"), "{grant}");
    }
    for beyond in [
        "CREATE DATABASE other",
        "SELECT user FROM mysql.user",
        "CREATE USER intruder@localhost",
        "SELECT 1 INTO OUTFILE '/tmp/filamentum-never'",
        "SET GLOBAL general_log = 1",
    ] {
        let done = sqlx::query(beyond).execute(&pool).await;
        assert!(done.is_err(), "{beyond}");
    }
    let file: Option<Vec<u8>> =
        sqlx::query_scalar("SELECT LOAD_FILE('/etc/hostname')").fetch_one(&pool).await.unwrap();
    assert!(file.is_none(), "it reads no files");
    pool.close().await;
    server.stop().await;
}

#[tokio::test]
async fn another_user_can_bring_the_tables_up_to_date() {
    let (url, name) = dev_database::fresh_database().await;
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    for statement in [
        format!("CREATE USER '{name}'@'127.0.0.1' IDENTIFIED BY 'rows'"),
        format!("GRANT SELECT, INSERT, UPDATE, DELETE ON {name}.* TO '{name}'@'127.0.0.1'"),
    ] {
        sqlx::query(sqlx::AssertSqlSafe(statement)).execute(&pool).await.unwrap();
    }
    let (_, place) = url.split_once('@').unwrap();
    let rows_only = format!("mysql://{name}:rows@{place}");
    assert!(Store::connect(&rows_only).await.is_err(), "it may make no tables");
    let store = Store::connect_as_two(&rows_only, &url, Transport::Protected).await.unwrap();
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Reed lap steel").await;
    assert_eq!(store.of(shop).revision(revision).await.unwrap().row.number, 1);
    let mine = sqlx::MySqlPool::connect(&rows_only).await.unwrap();
    for beyond in
        ["CREATE TABLE beyond (id INT)", "DROP TABLE runs", "ALTER TABLE runs ADD COLUMN beyond INT"]
    {
        assert!(sqlx::query(beyond).execute(&mine).await.is_err(), "{beyond}");
    }
}
