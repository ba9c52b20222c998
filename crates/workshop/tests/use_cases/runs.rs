//! Runs: doubts, corrections, signing, travellers, machine files, timers, stopping and going on.

use super::*;
use coil::design::Format;
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};
use store::logbook::LogFilter;
use store::timer::NewTimer;
use store::{ClientKey, ReadingId, RunId};
use trade::machine::MachineProfile;
use trade::reading::Kind;
use trade::run::RunState;
use trade::verdict::Level;
use trade::winding::{Event, WindingEventKind};
use workshop::{LogEvent, LogReadings, Refusal};

#[tokio::test]
async fn what_can_hardly_be_is_asked_about_before_it_is_logged() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    // 58 kΩ instead of 5.8: a slipped point.
    let wrong = readings(&[(Kind::Turns, 7500.0), (Kind::Resistance, 58_000.0)]);
    let doubts = workshop.log_readings(&actor, id, wrong.clone()).await.unwrap();
    assert_eq!(doubts.iter().map(|d| d.kind).collect::<Vec<_>>(), [Kind::Resistance]);
    assert!(workshop.run_details(&actor, id).await.unwrap().readings.is_empty());
    let accepted = LogReadings { accept_doubtful: true, ..wrong };
    assert!(workshop.log_readings(&actor, id, accepted).await.unwrap().is_empty());
    let details = workshop.run_details(&actor, id).await.unwrap();
    assert_eq!((details.readings.len(), details.verdict.level), (2, Level::Stop));
}

#[tokio::test]
async fn a_correction_takes_the_place_of_what_it_corrects() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    workshop.log_readings(&actor, id, readings(&[(Kind::Turns, 7200.0)])).await.unwrap();
    let first = workshop.run_details(&actor, id).await.unwrap().readings[0].reading.id;
    let corrected = LogReadings { corrects: Some(ReadingId(first)), ..readings(&[(Kind::Turns, 7490.0)]) };
    workshop.log_readings(&actor, id, corrected).await.unwrap();
    let details = workshop.run_details(&actor, id).await.unwrap();
    // Both stay in the log; the newer one stands.
    assert_eq!(details.readings.len(), 2);
    let of_another = run(&workshop, &actor, revision).await;
    let foreign = LogReadings { corrects: Some(ReadingId(first)), ..readings(&[(Kind::Turns, 7.0)]) };
    assert!(
        workshop
            .log_readings(&actor, of_another, LogReadings { accept_doubtful: true, ..foreign })
            .await
            .is_err()
    );
}

#[tokio::test]
async fn a_coil_out_of_tolerance_is_signed_with_a_reason_only() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let predicted = workshop.run_details(&actor, id).await.unwrap().prediction.unwrap().pickup;
    let high = LogReadings {
        accept_doubtful: true,
        ..readings(&[
            (Kind::Turns, 7500.0),
            (Kind::Resistance, predicted.resistance_20c_ohm.nominal * 1.6),
            (Kind::Inductance, predicted.inductance_1khz_h.nominal),
        ])
    };
    workshop.log_readings(&actor, id, high).await.unwrap();
    let operations = workshop.run_details(&actor, id).await.unwrap().progress.operations;
    let mut held = 0;
    for (operation, _) in operations {
        let plain = workshop.sign_operation(&actor, id, &operation.key, "").await;
        if let Err(refusal) = plain {
            assert_eq!(refusal.code(), "verdict-holds-signing");
            workshop.sign_operation(&actor, id, &operation.key, "customer asked for it").await.unwrap();
            held += 1;
        }
    }
    assert!(held >= 1);
    let unknown = workshop.sign_operation(&actor, id, "no-such-operation", "").await;
    assert!(unknown.is_err());
}

#[tokio::test]
async fn an_event_that_is_sent_again_is_logged_once() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let event = Event { what: WindingEventKind::Splice, at_turn: 4100 };
    let log = LogEvent {
        key: ClientKey::random(),
        event,
        remark: "burr on the flange".into(),
        is_confirmed: false,
    };
    assert!(workshop.log_event(&actor, id, &log).await.unwrap());
    assert!(!workshop.log_event(&actor, id, &log).await.unwrap());
    let details = workshop.run_details(&actor, id).await.unwrap();
    assert_eq!(details.events.len(), 1);
    workshop.import_counter_log(&actor, id, ClientKey::random(), (5200, 40)).await.unwrap();
    assert_eq!(workshop.run_details(&actor, id).await.unwrap().turns_counted, 5200);
}

/// Readings and the last signature come at the same moment: whatever was let in was in before the run was closed.
#[tokio::test(flavor = "multi_thread")]
async fn nothing_slips_in_beside_the_last_signature() {
    let (workshop, actor, store) = set_up().await;
    let revision = design(&workshop, &actor).await;
    for _ in 0..3 {
        let id = run(&workshop, &actor, revision).await;
        measure_well(&workshop, &actor, id).await;
        let logged = Arc::new(AtomicU32::new(0));
        let others: Vec<_> = (0..6)
            .map(|k| {
                let (workshop, logged) = (workshop.clone(), logged.clone());
                tokio::spawn(async move {
                    for turn in 0..5 {
                        let event = Event { what: WindingEventKind::Note, at_turn: 100 * k + turn };
                        let log = LogEvent {
                            key: ClientKey::random(),
                            event,
                            remark: String::new(),
                            is_confirmed: false,
                        };
                        match workshop.log_event(&actor, id, &log).await {
                            Ok(_) => _ = logged.fetch_add(1, Ordering::SeqCst),
                            Err(refusal) => assert_eq!(refusal.code(), "run-closed"),
                        }
                    }
                })
            })
            .collect();
        close(&workshop, &actor, id).await;
        let closed_at = store.workshop(actor.workshop).events(id).await.unwrap().len();
        for other in others {
            other.await.unwrap();
        }
        let events = store.workshop(actor.workshop).events(id).await.unwrap().len();
        assert_eq!(events, closed_at, "an event came in after the run was closed");
        assert_eq!(events, logged.load(Ordering::SeqCst) as usize);
    }
}

#[tokio::test]
async fn a_format_follows_the_workshops_own_traveller() {
    let (workshop, actor, _) = set_up().await;
    let (usual, is_own) = workshop.format_traveller(&actor, Format::TallSingle).await.unwrap();
    assert!(!is_own);
    let mut own = usual.clone();
    own.0.truncate(2);
    workshop.save_format_traveller(&actor, Format::TallSingle, Some(&own)).await.unwrap();
    assert_eq!(workshop.format_traveller(&actor, Format::TallSingle).await.unwrap(), (own, true));
    // A run keeps the traveller that it was started with.
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    workshop.save_format_traveller(&actor, Format::TallSingle, None).await.unwrap();
    assert_eq!(workshop.format_traveller(&actor, Format::TallSingle).await.unwrap(), (usual, false));
    assert_eq!(workshop.run_details(&actor, id).await.unwrap().progress.operations.len(), 2);
}

#[tokio::test]
async fn a_guide_file_is_made_for_the_machine_or_refused() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let (number, gcode) = workshop.guide_file(&actor, id, true, 800.0).await.unwrap();
    assert_eq!(number, 1);
    assert_eq!(gcode.lines().filter(|l| l.starts_with("G1 C")).count(), 7500);
    // It halts where the run has a stop, not at its end.
    assert_eq!(gcode.matches("M0 (turn 300").count(), 1);
    assert_eq!(gcode.matches("M0 (").count(), 1);
    let (_, csv) = workshop.guide_file(&actor, id, false, 800.0).await.unwrap();
    assert_eq!(csv.lines().count(), 7501);
    for rpm in [0.0, -100.0, 9000.0, f64::NAN] {
        let refused = workshop.guide_file(&actor, id, true, rpm).await;
        assert!(matches!(refused, Err(Refusal::MachineLimits(_))), "{rpm}");
    }
}

/// A file is written for the winder that the run is on, and run by a simulated controller before it is handed over.
#[tokio::test(flavor = "multi_thread")]
async fn a_guide_file_is_written_for_the_runs_own_winder() {
    let (workshop, actor, store) = set_up().await;
    with_winder(&store, &actor, "Winder one").await;
    let winder = workshop.winders(&actor).await.unwrap()[0].id;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let machine = MachineProfile {
        rotary: 'A',
        guide: 'X',
        flange_at_mm: 12.0,
        header: vec!["G54".into()],
        ..MachineProfile::default()
    };
    workshop.keep_machine(&actor, winder, &machine).await.unwrap();
    let (_, gcode) = workshop.guide_file(&actor, id, true, 800.0).await.unwrap();
    assert!(gcode.contains("\nG54\n") && gcode.contains("\nG1 A360 X1"), "{gcode:.200}");
    let narrow = MachineProfile { travel_mm: (0.0, 15.0), ..machine.clone() };
    workshop.keep_machine(&actor, winder, &narrow).await.unwrap();
    let refused = workshop.guide_file(&actor, id, true, 800.0).await;
    assert!(matches!(refused, Err(Refusal::MachineLimits(trade::machine::OutOfLimits::Travel { .. }))));
    // A header that leaves the controller in another mode is rejected before the machine runs.
    let odd = MachineProfile { header: vec!["G987".into()], ..machine };
    workshop.keep_machine(&actor, winder, &odd).await.unwrap();
    let refused = workshop.guide_file(&actor, id, true, 800.0).await;
    assert!(matches!(
        refused,
        Err(Refusal::MachineLimits(trade::machine::OutOfLimits::NotRunnable { line: 2 }))
    ));
    let broken = MachineProfile { rpm: (-1.0, 0.0), ..odd };
    assert!(matches!(workshop.keep_machine(&actor, winder, &broken).await, Err(Refusal::MachineProfile(_))));
}

#[tokio::test]
async fn a_timer_runs_until_it_is_stopped() {
    let (workshop, actor, _) = set_up().await;
    let new = NewTimer {
        key: ClientKey::random(),
        run: None,
        operation: None,
        label: "wax",
        minutes: 30,
        at: None,
    };
    for _ in 0..2 {
        workshop.start_timer(&actor, &new).await.unwrap();
    }
    let timers = workshop.timers(&actor).await.unwrap();
    assert_eq!(timers.len(), 1);
    workshop.stop_timer(&actor, timers[0].id).await.unwrap();
    assert!(workshop.timers(&actor).await.unwrap().is_empty());
}

#[tokio::test]
async fn a_run_that_is_not_there_is_refused_everywhere() {
    let (workshop, actor, _) = set_up().await;
    let id = RunId(999_999);
    let event = Event { what: WindingEventKind::Note, at_turn: 0 };
    let log = LogEvent { key: ClientKey::random(), event, remark: String::new(), is_confirmed: false };
    assert_eq!(workshop.run_details(&actor, id).await.unwrap_err().code(), "not-found");
    assert_eq!(workshop.log_event(&actor, id, &log).await.unwrap_err().code(), "not-found");
    let one = readings(&[(Kind::Turns, 7500.0)]);
    assert_eq!(workshop.log_readings(&actor, id, one).await.unwrap_err().code(), "not-found");
    assert_eq!(workshop.sign_operation(&actor, id, "wind", "").await.unwrap_err().code(), "not-found");
    assert_eq!(workshop.rejudge_run(&actor, id).await.unwrap_err().code(), "not-found");
    assert_eq!(workshop.paper_traveller(&actor, id).await.unwrap_err().code(), "not-found");
}

/// Whatever the database refuses, a full disk for one, no reading stands without its verdict.
#[tokio::test]
async fn a_reading_and_its_verdict_are_one() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    let workshop = Workshop::new(store);
    let owner = workshop.set_up(first_visit(&workshop), HERE).await.unwrap();
    let actor = Actor::from_person(&workshop.person(owner).await.unwrap().unwrap());
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    sqlx::query("ALTER TABLE verdicts ADD CONSTRAINT no_room CHECK (level = 'waiting')")
        .execute(&pool)
        .await
        .unwrap();
    let predicted = workshop.run_details(&actor, id).await.unwrap().prediction.unwrap().pickup;
    let all = [
        (Kind::Turns, 7500.0),
        (Kind::Resistance, predicted.resistance_20c_ohm.nominal),
        (Kind::Inductance, predicted.inductance_1khz_h.nominal),
    ];
    let command = readings(&all);
    assert!(workshop.log_readings(&actor, id, command.clone()).await.is_err());
    let details = workshop.run_details(&actor, id).await.unwrap();
    assert!(details.readings.is_empty() && details.verdict.level == Level::Waiting);
    sqlx::query("ALTER TABLE verdicts DROP CONSTRAINT no_room").execute(&pool).await.unwrap();
    // The same submission again, as a browser sends it.
    workshop.log_readings(&actor, id, command.clone()).await.unwrap();
    workshop.log_readings(&actor, id, command).await.unwrap();
    let details = workshop.run_details(&actor, id).await.unwrap();
    assert_eq!((details.readings.len(), details.verdict.level), (3, Level::Pass));
}

/// Two who log at the same moment: both are there, and the verdict is of both.
#[tokio::test]
async fn readings_at_the_same_moment_are_judged_together() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    let predicted = workshop.run_details(&actor, id).await.unwrap().prediction.unwrap().pickup;
    let log = |kind, value: f64| workshop.log_readings(&actor, id, readings(&[(kind, value)]));
    let (turns, ohms, henries) = tokio::join!(
        log(Kind::Turns, 7500.0),
        log(Kind::Resistance, predicted.resistance_20c_ohm.nominal),
        log(Kind::Inductance, predicted.inductance_1khz_h.nominal)
    );
    assert!(turns.is_ok() && ohms.is_ok() && henries.is_ok(), "{turns:?} {ohms:?} {henries:?}");
    let details = workshop.run_details(&actor, id).await.unwrap();
    assert_eq!((details.readings.len(), details.verdict.level), (3, Level::Pass));
}

/// A spool of another gauge does not start in silence: a reason is asked for, the coil is predicted with the wire that it is wound
/// of, and held against the design as well.
#[tokio::test]
async fn a_spool_of_another_gauge_takes_a_reason() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let mut new = super::inventory::new_spool("T-1", None);
    new.wire.gauge = "43 AWG".parse().unwrap();
    let spool = workshop.add_spool(&actor, &new).await.unwrap();
    let mut start = super::inventory::start_on(&actor, revision, spool);
    for reason in [None, Some("x".to_owned())] {
        start.other_wire = reason;
        match workshop.start_run(&actor, &start).await {
            Err(Refusal::OtherWire { resistance, .. }) => {
                assert!((resistance - 0.27).abs() < 0.04, "{resistance}");
            }
            other => panic!("{other:?}"),
        }
    }
    start.other_wire = Some("42 is sold out".into());
    let id = workshop.start_run(&actor, &start).await.unwrap();
    let details = workshop.run_details(&actor, id).await.unwrap();
    assert_eq!(details.run.design.coils[0].wire.gauge.to_string(), "43 AWG");
    assert_eq!(details.run.row.other_wire, "42 is sold out");
    // It reads what 43 AWG should, and is not what the design promises.
    measure_well(&workshop, &actor, id).await;
    let verdict = workshop.run_details(&actor, id).await.unwrap().verdict;
    assert_eq!(verdict.level, Level::Look);
    let missed: Vec<_> = verdict.missed.iter().map(|m| (m.asked, m.kind)).collect();
    assert_eq!(missed, [(trade::plan::Asked::Design, Kind::Resistance)]);
}

/// A run begun by mistake is kept, marked void and read-only, frees its winder and counts nowhere; it can be taken back.
#[tokio::test(flavor = "multi_thread")]
async fn a_run_begun_by_mistake_is_voided() {
    let (workshop, actor, store) = set_up().await;
    with_winder(&store, &actor, "Winder one").await;
    let revision = design(&workshop, &actor).await;
    let (good, wrong) = (run(&workshop, &actor, revision).await, run(&workshop, &actor, revision).await);
    let command = WinderCommand::Run { rpm: 500.0 };
    workshop.command_winder(&actor, wrong, WinderChoice::OfRun, command).await.unwrap();
    measure_well(&workshop, &actor, good).await;
    measure_well(&workshop, &actor, wrong).await;
    let learned = async || store.workshop(actor.workshop).observations().await.unwrap().len();
    assert_eq!(learned().await, 2);
    let no_reason = workshop.void_run(&actor, wrong, " ").await;
    assert!(matches!(no_reason, Err(Refusal::ReasonMissing)));
    workshop.void_run(&actor, wrong, "begun on the wrong bobbin").await.unwrap();
    assert_eq!(learned().await, 1, "it is left out of what is learned");
    let details = workshop.run_details(&actor, wrong).await.unwrap();
    assert_eq!((details.verdict.level, details.readings.len()), (Level::Void, 3), "all of it is kept");
    assert!(workshop.winders_for(&actor, good).await.unwrap()[0].other_run.is_none(), "its winder is free");
    let more = workshop.log_readings(&actor, wrong, readings(&[(Kind::Turns, 7400.0)])).await;
    assert!(matches!(more, Err(Refusal::RunVoid)), "{more:?}");
    assert!(matches!(workshop.rejudge_run(&actor, wrong).await, Err(Refusal::RunVoid)));
    let in_state = async |state: RunState| {
        let filter = LogFilter { state: Some(state), ..LogFilter::default() };
        let (rows, count) = workshop.logbook_page(&actor, &filter, 0).await.unwrap();
        assert_eq!(rows.len() as u64, count);
        rows.iter().map(|row| row.run_id).collect::<Vec<_>>()
    };
    assert_eq!((in_state(RunState::Void).await, in_state(RunState::Open).await), (vec![wrong], vec![good]));
    workshop.unvoid_run(&actor, wrong).await.unwrap();
    assert_eq!(workshop.run_details(&actor, wrong).await.unwrap().verdict.level, Level::Pass);
    assert_eq!(learned().await, 2);
    // On its way: to wind, to measure, to finish, closed.
    let third = run(&workshop, &actor, revision).await;
    assert_eq!(in_state(RunState::ToWind).await, [third]);
    workshop.log_readings(&actor, third, readings(&[(Kind::Turns, 7500.0)])).await.unwrap();
    assert_eq!(in_state(RunState::ToMeasure).await, [third]);
    assert_eq!(in_state(RunState::ToFinish).await, [wrong, good]);
    close(&workshop, &actor, good).await;
    assert_eq!(in_state(RunState::Closed).await, [good]);
    assert_eq!(in_state(RunState::Open).await, [third, wrong]);
}

/// Readings that were logged by a version that was broken off before it judged them: found at the next start, judged, and found no
/// more.
#[tokio::test(flavor = "multi_thread")]
async fn readings_that_were_never_judged_are_judged_at_the_start() {
    let (workshop, actor, store) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let (passed, waiting) = (run(&workshop, &actor, revision).await, run(&workshop, &actor, revision).await);
    measure_well(&workshop, &actor, passed).await;
    let own = store.workshop(actor.workshop);
    let key = ClientKey::random();
    let open = [NewReading::new(Kind::Turns, Some(7500.0)), NewReading::new(Kind::Open, None)];
    own.log_readings(passed, actor.person, &key, &open[1..], None).await.unwrap();
    own.log_readings(waiting, actor.person, &ClientKey::random(), &open, None).await.unwrap();
    let level = async |id| own.log_lines_of(&[id]).await.unwrap()[0].level.0;
    assert_eq!((level(passed).await, level(waiting).await), (Level::Pass, Level::Waiting));
    assert_eq!(workshop.mend_records().await, 2);
    assert_eq!((level(passed).await, level(waiting).await), (Level::Stop, Level::Stop));
    assert_eq!(workshop.mend_records().await, 0);
}
