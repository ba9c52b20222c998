//! What goes out of a logbook comes back as it was.

use super::{
    ImportOutcome, close, command, design, first_visit, import, measure_well, readings, run, set_up,
};
use coil::design::tall_single;
use rstest::rstest;
use std::collections::BTreeSet;
use std::fmt::Write as _;
use store::logbook::{LogFilter, LogbookRow};
use store::reading::NewReading;
use store::sweep::NewSweep;
use store::{ClientKey, RunId};
use trade::reading::Kind;
use trade::run_import::{ImportLine, ImportRow, read};
use trade::run_record::RunRecord;
use trade::sweep::Sweep;
use trade::verdict::Level;
use trade::winding::{Event, WindingEventKind};
use workshop::{
    Actor, JobOutcome, LogEvent, LogReadings, NameColumn, NameDecision, NameDecisions, Refusal, Workshop,
    with_known_names,
};

type Exported = Vec<(LogbookRow, RunRecord)>;

async fn exported(workshop: &Workshop, actor: &Actor) -> Exported {
    let filter = LogFilter { rising: true, ..LogFilter::default() };
    let runs: Vec<RunId> = workshop.runs_to_export(actor, &filter, 1000).await.unwrap();
    workshop.export_runs(actor, &runs, true).await.unwrap()
}

/// As a document's reader gives it.
fn lines(all: &Exported) -> Vec<ImportLine> {
    let line = |(number, (row, record)): (usize, &(LogbookRow, RunRecord))| ImportLine {
        number,
        entry: ImportRow {
            key: row.client_key.clone(),
            started: Some(row.started_at),
            design: row.name.clone(),
            revision: Some(row.revision),
            operator: row.operator.clone(),
            planned_turns: Some(row.planned_turns),
            remark: row.remark.clone(),
            number: Some(row.number),
            record: Some(std::sync::Arc::new(
                serde_json::from_str(&serde_json::to_string(record).unwrap()).unwrap(),
            )),
            ..ImportRow::default()
        },
        errors: Vec::new(),
    };
    (1..).zip(all).map(line).collect()
}

async fn take(workshop: &Workshop, actor: &Actor, lines: Vec<ImportLine>) -> u32 {
    let check = workshop.check_import(actor, lines, &BTreeSet::new()).await.unwrap();
    let name = workshop.begin_import(actor, check).unwrap();
    loop {
        match workshop.job(actor, &name).unwrap().outcome() {
            Some(JobOutcome::Imported(new)) => return new,
            Some(other) => panic!("{other:?}"),
            None => tokio::time::sleep(std::time::Duration::from_millis(20)).await,
        }
    }
}

/// A run of each kind that a logbook has: passed, open, half charged with a correction, waiting, with a sweep, void.
async fn runs_of_every_kind(workshop: &Workshop, actor: &Actor, store: &store::Store) {
    let revision = design(workshop, actor).await;
    let passed = run(workshop, actor, revision).await;
    measure_well(workshop, actor, passed).await;
    close(workshop, actor, passed).await;
    let open = run(workshop, actor, revision).await;
    let event = Event { what: WindingEventKind::Splice, at_turn: 4100 };
    let event =
        LogEvent { key: ClientKey::random(), event, remark: "at the seam".into(), is_confirmed: true };
    workshop.log_event(actor, open, &event).await.unwrap();
    let log = |all: Vec<NewReading>| LogReadings {
        key: ClientKey::random(),
        readings: all,
        corrects: None,
        accept_doubtful: true,
    };
    let turns = NewReading::new(Kind::Turns, Some(7500.0));
    workshop
        .log_readings(actor, open, log(vec![turns.clone(), NewReading::new(Kind::Open, None)]))
        .await
        .unwrap();
    let half = run(workshop, actor, revision).await;
    let warm = NewReading { coil_c: Some(26.5), ..NewReading::new(Kind::Resistance, Some(5700.0)) };
    let slow = NewReading { test_hz: Some(120.0), ..NewReading::new(Kind::Inductance, Some(2.2)) };
    let flux = |pole: u32| NewReading {
        pole: Some(pole),
        probe_mm: Some(0.5),
        ..NewReading::new(Kind::Flux, Some(0.04))
    };
    let mut all = vec![turns, warm, slow, NewReading::new(Kind::Width, Some(0.0131))];
    all.extend((1..=6).map(flux));
    workshop.log_readings(actor, half, log(all)).await.unwrap();
    let first = workshop.run_details(actor, half).await.unwrap().readings[0].reading.id;
    let corrected =
        LogReadings { corrects: Some(store::ReadingId(first)), ..readings(&[(Kind::Turns, 7490.0)]) };
    workshop.log_readings(actor, half, corrected).await.unwrap();
    let sweep = Sweep { hz: vec![100.0, 1000.0, 5000.0], db: vec![0.0, 0.5, 6.0], input: None };
    let new = NewSweep {
        key: ClientKey::random(),
        revision,
        run: Some(half),
        label: "bench",
        sweep: &sweep,
        at: None,
    };
    store.workshop(actor.workshop).add_sweep(actor.person, &new).await.unwrap();
    let waiting = run(workshop, actor, revision).await;
    let void = run(workshop, actor, revision).await;
    assert!(waiting != void);
    workshop.void_run(actor, void, "begun by mistake").await.unwrap();
}

/// A whole logbook in an empty shop: the same runs in the same order, with the same readings under their conditions, events,
/// sweeps and verdicts; a second time nothing is new.
#[tokio::test(flavor = "multi_thread")]
async fn a_logbook_comes_back_as_it_went() {
    let (workshop, actor, store) = set_up().await;
    runs_of_every_kind(&workshop, &actor, &store).await;
    let before = exported(&workshop, &actor).await;
    let levels: Vec<Level> = before.iter().map(|(row, _)| row.level.0).collect();
    assert_eq!(levels[..2], [Level::Pass, Level::Stop]);
    assert_eq!(levels[3..], [Level::Waiting, Level::Void]);
    assert!(
        before[1].1.events.len() == 1 && before[2].1.sweeps.len() == 1 && before[2].1.readings.len() == 11
    );
    assert!(before.iter().all(|(_, record)| record.document.is_none()), "the revision says it");

    let other = Workshop::new(dev_database::fresh_store().await);
    let owner = other.set_up(first_visit(&other), super::HERE).await.unwrap();
    let other_actor = Actor::from_person(&other.person(owner).await.unwrap().unwrap());
    other.save_revision(&other_actor, &command(tall_single("Sedge", 6, 10.4))).await.unwrap();
    let mut shuffled = lines(&before);
    shuffled.reverse();
    assert_eq!(take(&other, &other_actor, shuffled).await, 5);
    let after = exported(&other, &other_actor).await;
    let numbers =
        |all: &Exported| all.iter().map(|(row, _)| (row.number, row.client_key.clone())).collect::<Vec<_>>();
    assert_eq!(numbers(&after), numbers(&before));
    for ((row, record), (row_before, record_before)) in after.iter().zip(&before) {
        assert_eq!(record, record_before, "run {}", row.number);
        assert_eq!(
            (row.level, &row.verdict, row.started_at),
            (row_before.level, &row_before.verdict, row_before.started_at)
        );
        assert_eq!(
            (row.turns, row.flux_ratio, row.resistance_bands),
            (row_before.turns, row_before.flux_ratio, row_before.resistance_bands)
        );
    }
    assert_eq!(take(&other, &other_actor, lines(&before)).await, 0);
}

/// Of two equal coils of a day one is there already: the second line is another coil, and so is the first when that is said.
#[rstest]
#[case(&[], 1)]
#[case(&[2, 3], 2)]
#[tokio::test(flavor = "multi_thread")]
async fn equal_coils_of_a_day_are_told_apart(#[case] anyway: &[usize], #[case] new: usize) {
    const ONE: &str = "date,design,turns,resistance,coil_c\n2026-03-01,Sedge,7500,5.7k,20\n";
    let (workshop, actor, _) = set_up().await;
    design(&workshop, &actor).await;
    assert_eq!(import(&workshop, &actor, ONE).await, 1);
    let two = format!(
        "{}2026-03-01 09:30,Sedge,7500,5.70k,20\n2026-03-01 11:00,Sedge,7500,5.70k,20\n",
        ONE.split_inclusive('\n').next().unwrap()
    );
    let anyway: BTreeSet<usize> = anyway.iter().copied().collect();
    let check = workshop.check_import(&actor, read(&two).unwrap(), &anyway).await.unwrap();
    assert_eq!(check.count(ImportOutcome::New), new);
    assert_eq!(check.count(ImportOutcome::AlikeInLogbook), 2 - new);
}

/// Two lines that say the same are one coil until somebody says that they are two; brought again, both are known.
#[tokio::test(flavor = "multi_thread")]
async fn equal_lines_can_be_two_coils() {
    const TWICE: &str =
        "date,design,turns,resistance\n2026-03-01,Sedge,7500,5.7k\n2026-03-01,Sedge,7500,5.7k\n";
    let (workshop, actor, _) = set_up().await;
    design(&workshop, &actor).await;
    let outcomes = |check: &workshop::ImportCheck| check.lines.iter().map(|l| l.outcome).collect::<Vec<_>>();
    let check = workshop.check_import(&actor, read(TWICE).unwrap(), &BTreeSet::new()).await.unwrap();
    assert_eq!(outcomes(&check), [ImportOutcome::New, ImportOutcome::Repeated]);
    let both = BTreeSet::from([3]);
    let check = workshop.check_import(&actor, read(TWICE).unwrap(), &both).await.unwrap();
    assert_eq!(outcomes(&check), [ImportOutcome::New; 2]);
    let name = workshop.begin_import(&actor, check).unwrap();
    while workshop.job(&actor, &name).unwrap().outcome().is_none() {
        tokio::time::sleep(std::time::Duration::from_millis(10)).await;
    }
    let check = workshop.check_import(&actor, read(TWICE).unwrap(), &BTreeSet::new()).await.unwrap();
    assert_eq!(outcomes(&check), [ImportOutcome::InLogbook; 2]);
}

/// Nobody who starts a run waits for an import to end: its numbers are given out beforehand.
#[tokio::test(flavor = "multi_thread")]
async fn a_run_is_started_while_others_are_imported() {
    let (workshop, actor, store) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let mut table = String::from("date,design,turns,resistance,coil_c\n");
    for k in 0..600_u32 {
        writeln!(table, "2026-03-01 {:02}:{:02},Sedge,7500,{},20", k / 60, k % 60, 5700 + k).unwrap();
    }
    let check = workshop.check_import(&actor, read(&table).unwrap(), &BTreeSet::new()).await.unwrap();
    let name = workshop.begin_import(&actor, check).unwrap();
    let job = workshop.job(&actor, &name).unwrap();
    // Given out, and not yet written: the import has taken its numbers.
    let id = loop {
        let id = run(&workshop, &actor, revision).await;
        if store.workshop(actor.workshop).run(id).await.unwrap().row.number > 600 || job.outcome().is_some() {
            break id;
        }
        tokio::time::sleep(std::time::Duration::from_millis(5)).await;
    };
    while job.outcome().is_none() {
        tokio::time::sleep(std::time::Duration::from_millis(10)).await;
    }
    assert!(matches!(job.outcome(), Some(JobOutcome::Imported(600))));
    let filter = LogFilter { rising: true, ..LogFilter::default() };
    let runs = workshop.runs_to_export(&actor, &filter, 2000).await.unwrap();
    assert!(runs.contains(&id) && runs.len() > 600);
}

/// Names that nobody knows are said to be those of somebody known, or are added on the way, by those who may.
#[tokio::test]
async fn unknown_names_are_added_or_known_by_another() {
    let (workshop, actor, _) = set_up().await;
    design(&workshop, &actor).await;
    let text = "date,design,spool,operator,turns,resistance\n2026-06-01,Sedge,K-77,Jo Brandt,7500,5.8k\n\
                2026-06-02,Sedgee,K-77,Jo Brandt,7500,5.81k\n2026-06-03,Rushes,,Jo Brandt,8000,6.1k\n";
    let lines = || trade::run_import::read(text).unwrap();
    let check = workshop.check_import(&actor, lines(), &BTreeSet::new()).await.unwrap();
    assert_eq!(check.count(ImportOutcome::Wrong), 3);
    let unknown = check.unknown_names();
    assert_eq!(unknown[&(NameColumn::Operator, "Jo Brandt".to_owned())].0, 3);
    assert_eq!(unknown[&(NameColumn::Design, "Sedgee".to_owned())].1.as_deref(), Some("Sedge"));
    let decisions = NameDecisions::from([
        ((NameColumn::Design, "Sedgee".into()), NameDecision::Is("Sedge".into())),
        ((NameColumn::Design, "Rushes".into()), NameDecision::AddDesign(coil::design::Format::WideSingle)),
        ((NameColumn::Spool, "K-77".into()), NameDecision::Add),
        ((NameColumn::Operator, "Jo Brandt".into()), NameDecision::Add),
    ]);
    let known = with_known_names(lines(), &decisions);
    // Operators are added by those who may.
    let designer = Actor { role: store::person::Role::Designer, ..actor };
    let refused = workshop.add_import_names(&designer, &known, &decisions).await;
    assert!(matches!(refused, Err(Refusal::NotAllowed(_))));
    // Sent twice, it is added once.
    for _ in 0..2 {
        workshop.add_import_names(&actor, &known, &decisions).await.unwrap();
    }
    let check =
        workshop.check_import(&actor, with_known_names(lines(), &decisions), &BTreeSet::new()).await.unwrap();
    assert_eq!((check.count(ImportOutcome::New), check.unknown_names().len()), (3, 0));
    assert_eq!(workshop.people(&actor).await.unwrap().iter().filter(|p| p.name == "Jo Brandt").count(), 1);
    let spool = workshop.spools(&actor).await.unwrap().into_iter().find(|s| s.0.label == "K-77").unwrap();
    assert_eq!(spool.0.gauge.to_string(), "42 AWG");
    let rushes = workshop.designs(&actor, &store::design::DesignFilter::default()).await.unwrap();
    assert!(rushes.iter().any(|row| row.name == "Rushes" && row.turns == 8000));
}

/// A search finds words by their beginnings and what stands inside them, in any script, and phrases as they are written.
#[rstest]
#[case("bruch", 1)]
#[case("draht bruch", 1)]
#[case("着磁", 1)]
#[case("磁石を着", 1)]
#[case("\"start lead\"", 1)]
#[case("lead start", 2)]
#[case("\"lead start\"", 1)]
#[case("e", 3)]
#[case("nothing", 0)]
#[tokio::test]
async fn a_search_finds_what_stands_inside_words(#[case] words: &str, #[case] found: u64) {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    for remark in ["Drahtbruch am start lead, seen late", "磁石を着磁する", "lead start was loose"] {
        let id = run(&workshop, &actor, revision).await;
        let remark = NewReading { words: remark.into(), ..NewReading::new(Kind::Remark, None) };
        let log = LogReadings { readings: vec![remark], ..readings(&[]) };
        workshop.log_readings(&actor, id, log).await.unwrap();
    }
    let filter = LogFilter { words: words.into(), ..LogFilter::default() };
    let page = workshop.logbook_page(&actor, &filter, 0).await.unwrap();
    assert_eq!(page.1, found, "{words}");
}
