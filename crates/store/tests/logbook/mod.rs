//! The logbook's lines and what is kept beside them, each query once.

use super::{design, run_of, spool, workshop};
use coil::design::{Design, tall_single};
use coil::prediction::Calibration;
use dev_database::fresh_store;
use store::calibration::CalibrationPolicy;
use store::experiment::{NewExperiment, Sample, Score};
use store::import::{ImportedReading, ImportedRun};
use store::logbook::{LogFilter, Order, planned_factor_levels};
use store::part::NewPart;
use store::person::{NewPerson, Role};
use store::reading::NewReading;
use store::spool::{NewCheck, SpoolDetails};
use store::{ClientKey, PersonId, RevisionId, RunId, SpoolId, Store, StoreError, WorkshopId};
use time::macros::{date, datetime};
use trade::calibration::{Factor, FactorLevels, fit_calibration};
use trade::comparison::TolerancePolicy;
use trade::judgement::judge_run;
use trade::reading::{Kind, Reading};
use trade::verdict::Level;

fn taken(turns: f64, ohms: f64) -> Vec<Reading> {
    let of = |id, kind, value| Reading {
        id,
        corrects: None,
        kind,
        pole: None,
        value: Some(value),
        coil_c: Some(20.0),
        test_hz: None,
        probe_mm: None,
        taken_at: None,
    };
    vec![of(1, Kind::Turns, turns), of(2, Kind::Resistance, ohms)]
}

/// A run brought in, reading so many ohms.
fn brought(revision: RevisionId, by: PersonId, spool: Option<SpoolId>, day: u8, ohms: f64) -> ImportedRun {
    let design = tall_single("Sedge", 6, 10.4);
    let readings = taken(7500.0, ohms);
    ImportedRun {
        key: ClientKey::random(),
        revision,
        spool,
        operator: by,
        winder: None,
        at: date!(2026 - 03 - 01).replace_day(day).unwrap().midnight(),
        planned_turns: 7500,
        remark: format!("caught the seam on day {day}"),
        readings: readings
            .iter()
            .map(|r| NewReading { coil_c: r.coil_c, ..NewReading::new(r.kind, r.value) })
            .map(|r| ImportedReading::new(r, by, date!(2026 - 03 - 01).midnight()))
            .collect(),
        events: Vec::new(),
        sweeps: Vec::new(),
        stops: Vec::new(),
        other_wire: String::new(),
        void: None,
        has_verdict: true,
        calibration: (None, Calibration::default()),
        tolerance: TolerancePolicy::default(),
        judgement: judge_run(&design, &readings, &Calibration::default(), TolerancePolicy::default()),
        design,
    }
}

async fn begun() -> (Store, WorkshopId, PersonId, RevisionId) {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Sedge").await;
    (store, shop, owner, revision)
}

#[tokio::test]
async fn lines_are_found_counted_and_ordered() {
    let (store, shop, owner, revision) = begun().await;
    let k7 = spool(&store.workshop(shop), owner, "K-7").await;
    let runs: Vec<ImportedRun> = (1..=9)
        .map(|k| brought(revision, owner, (k % 2 == 0).then_some(k7), k, 5700.0 + 10.0 * f64::from(k)))
        .collect();
    assert_eq!(store.workshop(shop).import_runs(owner, &runs).await.unwrap(), 9);
    assert_eq!(store.workshop(shop).import_runs(owner, &runs).await.unwrap(), 0, "known by their keys");
    let keys: Vec<ClientKey> = runs.iter().map(|r| r.key.clone()).collect();
    assert_eq!(store.workshop(shop).known_runs(&keys).await.unwrap().len(), 9);
    let count = async |filter: LogFilter| store.workshop(shop).log_page(&filter, 0).await.unwrap().1;
    let all = LogFilter::default();
    assert_eq!(count(all.clone()).await, 9);
    assert_eq!(count(LogFilter { spool: Some(k7), ..all.clone() }).await, 4);
    assert_eq!(count(LogFilter { words: "seam day".into(), ..all.clone() }).await, 9);
    assert_eq!(
        count(LogFilter { words: "the k-7".into(), ..all.clone() }).await,
        4,
        "short words are searched too"
    );
    assert_eq!(count(LogFilter { words: "nothing".into(), ..all.clone() }).await, 0);
    let days =
        LogFilter { from: Some(date!(2026 - 03 - 02)), to: Some(date!(2026 - 03 - 03)), ..all.clone() };
    assert_eq!(count(days).await, 2);
    for (order, _) in Order::ALL {
        for rising in [true, false] {
            let (lines, _) =
                store.workshop(shop).log_page(&LogFilter { order, rising, ..all.clone() }, 0).await.unwrap();
            assert_eq!(lines.len(), 9, "{order:?}");
        }
    }
    let filter = LogFilter { order: Order::Resistance, rising: true, ..all.clone() };
    let lines = store.workshop(shop).log_lines(&filter, 3).await.unwrap();
    assert_eq!(lines.iter().map(|l| l.number).collect::<Vec<_>>(), [1, 2, 3]);
    assert_eq!(lines[1].spool.as_deref(), Some("K-7"));
    assert!((lines[0].resistance_ohm.unwrap() - 5710.0).abs() < 1e-6 && !lines[0].calibrated);
    assert_eq!(store.workshop(shop).log_lines_of(&[lines[2].run_id]).await.unwrap()[0].number, 3);
    assert!(store.workshop(shop).log_lines_of(&[]).await.unwrap().is_empty());
    assert_eq!(store.workshop(shop).runs_numbered(&[4, 999]).await.unwrap(), [(4, RunId(4))]);
    assert_eq!(store.workshop(shop).logged_designs().await.unwrap()[0].2, 9);
    let alike = store.workshop(shop).runs_alike().await.unwrap();
    assert_eq!((alike.len(), alike[0].1), (9, date!(2026 - 03 - 01)));
    assert_eq!(store.workshop(shop).revision_names().await.unwrap()[0].0, "Sedge");
    assert!(store.runs_without_summary(RunId(0)).await.unwrap().is_empty());
    assert!(store.workshop(shop).all_tags().await.unwrap().is_empty());
    // Another workshop sees nothing of it.
    let (other, _) = workshop(&store, "heron").await;
    assert_eq!(store.workshop(other).log_page(&all, 0).await.unwrap().1, 0);
    assert!(
        store.workshop(other).observations().await.unwrap().is_empty()
            && store.workshop(other).logged_designs().await.unwrap().is_empty()
    );
}

/// Runs that are started and imports that come in at once get a number each, and nobody waits for an import to end.
#[tokio::test]
async fn numbers_are_given_out_once_however_many_ask() {
    let (store, shop, by, revision) = begun().await;
    let own = store.workshop(shop);
    let design = tall_single("Sedge", 6, 10.4);
    let starts = (0..6).map(|_| {
        let (own, design) = (own.clone(), design.clone());
        tokio::spawn(async move { own.start_run(by, &run_of(revision, by, &design)).await.unwrap() })
    });
    let imports = (0..3).map(|k| {
        let own = own.clone();
        let runs: Vec<ImportedRun> =
            (0..5).map(|day| brought(revision, by, None, day + 1, 5700.0 + f64::from(k))).collect();
        tokio::spawn(async move { own.import_runs(by, &runs).await.unwrap() })
    });
    let (starts, imports): (Vec<_>, Vec<_>) = (starts.collect(), imports.collect());
    for start in starts {
        start.await.unwrap();
    }
    for import in imports {
        assert_eq!(import.await.unwrap(), 5);
    }
    let mut numbers: Vec<u32> = Vec::new();
    for run in own.log_runs(&LogFilter::default(), 100).await.unwrap() {
        numbers.push(own.run(run).await.unwrap().row.number);
    }
    numbers.sort_unstable();
    // Started runs have no row of the logbook yet; those that were brought in follow one another in each file.
    assert_eq!(numbers.len(), 15);
    numbers.dedup();
    assert_eq!(numbers.len(), 15, "each number once");
    assert!(numbers.iter().all(|n| (1..=21).contains(n)), "{numbers:?}");
}

/// What comes in comes in whole: one run that cannot be kept keeps all the others out.
#[tokio::test]
async fn nothing_is_half_brought_in() {
    let (store, shop, owner, revision) = begun().await;
    let mut runs = vec![brought(revision, owner, None, 1, 5800.0), brought(revision, owner, None, 2, 5800.0)];
    runs[1].operator = PersonId(4711);
    assert!(store.workshop(shop).import_runs(owner, &runs).await.is_err());
    assert_eq!(store.workshop(shop).log_page(&LogFilter::default(), 0).await.unwrap().1, 0);
    assert_eq!(store.workshop(shop).observation_count().await.unwrap(), 0);
}

#[tokio::test]
async fn lessons_are_versions_that_designs_hold_to() {
    let (store, shop, owner, revision) = begun().await;
    let runs: Vec<ImportedRun> = (1..=8).map(|k| brought(revision, owner, None, k, 5900.0)).collect();
    store.workshop(shop).import_runs(owner, &runs).await.unwrap();
    let observations = store.workshop(shop).observations().await.unwrap();
    assert_eq!((observations.len(), store.workshop(shop).observation_count().await.unwrap()), (8, 8));
    assert_eq!(store.workshop(shop).recent_observations(3).await.unwrap(), observations[5..]);
    let model = fit_calibration(&observations);
    let first = store.workshop(shop).save_calibration(8, &model).await.unwrap();
    let second = store.workshop(shop).save_calibration(8, &model).await.unwrap();
    let rows = store.workshop(shop).calibrations().await.unwrap();
    assert_eq!(rows.iter().map(|r| (r.id, r.number)).collect::<Vec<_>>(), [(second, 2), (first, 1)]);
    assert_eq!(store.workshop(shop).newest_calibration().await.unwrap().unwrap().id, second);
    assert_eq!(store.workshop(shop).model(first).await.unwrap(), model);
    let design = store.workshop(shop).revision(revision).await.unwrap().row.design_id;
    assert_eq!(store.workshop(shop).calibration_policy(design).await.unwrap(), CalibrationPolicy::On);
    for calibration_policy in [CalibrationPolicy::Frozen(first), CalibrationPolicy::Off] {
        store.workshop(shop).set_calibration_policy(owner, design, calibration_policy).await.unwrap();
        assert_eq!(store.workshop(shop).calibration_policy(design).await.unwrap(), calibration_policy);
        assert_eq!(store.workshop(shop).calibration_exceptions().await.unwrap().len(), 1);
    }
    assert!(store.workshop(shop).calibration_enabled().await.unwrap());
    store.workshop(shop).set_calibration_enabled(owner, false).await.unwrap();
    assert!(!store.workshop(shop).calibration_enabled().await.unwrap());
    let (other, _) = workshop(&store, "heron").await;
    assert!(matches!(store.workshop(other).model(first).await, Err(StoreError::Missing(_))));
    assert!(
        store.workshop(other).calibration_policy(design).await.is_err()
            && store.workshop(other).newest_calibration().await.unwrap().is_none()
    );
}

/// A run keeps what was known when it was started.
#[tokio::test]
async fn a_run_carries_its_experience() {
    let (store, shop, owner, revision) = begun().await;
    let model = store.workshop(shop).save_calibration(0, &fit_calibration(&[])).await.unwrap();
    let document: Design = tall_single("Sedge", 6, 10.4);
    let learned = coil::prediction::Correction { shift: 0.02, sd: 0.005, runs: 9, per_kelvin: 0.0 };
    let calibration = Calibration { resistance: Some(learned), ..Calibration::default() };
    let mut new = run_of(revision, owner, &document);
    new.calibration = (Some(model), calibration);
    new.tolerance = TolerancePolicy { control_sd: 2.5 };
    let run = store.workshop(shop).start_run(owner, &new).await.unwrap();
    let found = store.workshop(shop).run(run).await.unwrap();
    assert_eq!((found.calibration, found.row.calibration_version), (calibration, Some(1)));
    assert_eq!(found.tolerance, new.tolerance);
    assert_eq!(store.runs_without_summary(RunId(0)).await.unwrap(), [(shop, run)]);
    assert!(store.runs_without_summary(run).await.unwrap().is_empty());
    store
        .workshop(shop)
        .write_summary(run, &judge_run(&document, &[], &calibration, TolerancePolicy::default()))
        .await
        .unwrap();
    assert!(store.runs_without_summary(RunId(0)).await.unwrap().is_empty());
    let (lines, _) = store.workshop(shop).log_page(&LogFilter::default(), 0).await.unwrap();
    assert!(lines[0].calibrated && lines[0].level.0 == trade::verdict::Level::Waiting);
    let readings = taken(7500.0, 5600.0);
    store
        .workshop(shop)
        .record_judgement(
            run,
            &judge_run(&document, &readings, &calibration, TolerancePolicy::default()),
            None,
        )
        .await
        .unwrap();
    let observations = store.workshop(shop).observations().await.unwrap();
    let known = planned_factor_levels(Some(found.row.design_id), &document, None, Some(owner), None);
    assert_eq!(observations[0].factor_levels, known);
    assert_eq!(known.level(Factor::Pattern), Some(1), "scattered");
    assert_ne!(known, FactorLevels::default());
    let (other, _) = workshop(&store, "heron").await;
    assert!(
        store
            .workshop(other)
            .write_summary(run, &judge_run(&document, &[], &calibration, TolerancePolicy::default()))
            .await
            .is_err()
    );
}

#[tokio::test]
async fn spools_are_checked_weighed_and_used() {
    let (store, shop, owner, revision) = begun().await;
    let id = spool(&store.workshop(shop), owner, "K-7").await;
    let check = |ohms, left_m, at| NewCheck {
        ohm_per_m: Some(ohms),
        at_c: Some(20.0),
        left_m,
        at,
        ..NewCheck::default()
    };
    let key = ClientKey::random();
    let first = check(5.6, Some(4000.0), Some(datetime!(2026-03-02 00:00)));
    store.workshop(shop).check_spool(id, owner, &key, &first).await.unwrap();
    store.workshop(shop).check_spool(id, owner, &key, &first).await.unwrap();
    store.workshop(shop).check_spool(id, owner, &ClientKey::random(), &check(5.8, None, None)).await.unwrap();
    assert_eq!(store.workshop(shop).spool_checks(id).await.unwrap().len(), 2, "the same key is one check");
    assert_eq!(store.workshop(shop).all_spool_checks().await.unwrap().len(), 2);
    let runs: Vec<ImportedRun> = (1..=4).map(|k| brought(revision, owner, Some(id), k, 5800.0)).collect();
    store.workshop(shop).import_runs(owner, &runs).await.unwrap();
    let found = store.workshop(shop).spool(id).await.unwrap();
    assert!((found.ohm_per_m.unwrap() - 5.7).abs() < 1e-9, "the mean of both places");
    let coil = found.coil_m.unwrap();
    // Two of the four were wound after the wire left was noted.
    assert!((found.used_m - 2.0 * coil).abs() < 1e-6 && found.runs == 4, "{found:?}");
    assert!((found.left_now_m().unwrap() - (4000.0 - 2.0 * coil)).abs() < 1e-6);
    let care = SpoolDetails { supplier: "Fenlark".into(), emptied: true, ..SpoolDetails::default() };
    store.workshop(shop).update_spool(owner, id, &care).await.unwrap();
    let found = store.workshop(shop).spool(id).await.unwrap();
    assert!(found.emptied_at.is_some() && found.supplier == "Fenlark");
    assert_eq!(store.workshop(shop).spool_labels().await.unwrap(), [(id, "K-7".to_owned())]);
    let (other, stranger) = workshop(&store, "heron").await;
    assert!(store.workshop(other).check_spool(id, stranger, &ClientKey::random(), &first).await.is_err());
    assert!(store.workshop(other).spool_checks(id).await.unwrap().is_empty());
}

#[tokio::test]
async fn parts_move_all_or_none() {
    let (store, shop, owner, revision) = begun().await;
    let mut new = NewPart {
        key: ClientKey::random(),
        kind: trade::stock::PartKind::Magnet,
        name: "rod".into(),
        each_cost: Some(0.85),
        order_below: Some(10),
        supplier: String::new(),
        stock: 12,
    };
    let rod = store.workshop(shop).add_part(owner, &new).await.unwrap();
    assert_eq!(store.workshop(shop).add_part(owner, &new).await.unwrap(), rod, "the same key is one part");
    new.key = ClientKey::random();
    assert!(matches!(store.workshop(shop).add_part(owner, &new).await, Err(StoreError::Taken(_))));
    let key = ClientKey::random();
    let moves = [(rod, -6), (store::PartId(99), -1)];
    assert!(store.workshop(shop).move_parts(owner, &key, &moves, "taken", None).await.is_err());
    assert_eq!(store.workshop(shop).parts().await.unwrap()[0].stock, 12, "none of them");
    for _ in 0..2 {
        store.workshop(shop).move_parts(owner, &key, &moves[..1], "taken", None).await.unwrap();
    }
    assert_eq!(store.workshop(shop).parts().await.unwrap()[0].stock, 6, "once");
    assert_eq!(store.workshop(shop).stock_movements(6).await.unwrap().len(), 2);
    let newest = store.workshop(shop).stock_movements(1).await.unwrap();
    assert_eq!((newest[0].0, newest[0].1.by_count), (rod, -6));
    let details = store::part::PartDetails { each_cost: Some(1.0), ..Default::default() };
    store.workshop(shop).update_part(owner, rod, &details).await.unwrap();
    assert_eq!(store.workshop(shop).parts().await.unwrap()[0].each_cost, Some(1.0));
    assert_eq!(store.workshop(shop).parts().await.unwrap()[0].order_below, None);
    let design = store.workshop(shop).revision(revision).await.unwrap().row.design_id;
    for (count, kept) in [(6, 1), (4, 1), (0, 0)] {
        store.workshop(shop).set_design_parts(owner, design, &[(rod, count)]).await.unwrap();
        assert_eq!(store.workshop(shop).design_parts(design).await.unwrap().len(), kept);
    }
    let runs = [brought(revision, owner, None, 1, 5800.0)];
    store.workshop(shop).import_runs(owner, &runs).await.unwrap();
    assert!(!store.workshop(shop).parts_taken(RunId(1)).await.unwrap());
    store
        .workshop(shop)
        .move_parts(owner, &ClientKey::random(), &[(rod, -1)], "taken", Some(RunId(1)))
        .await
        .unwrap();
    assert!(store.workshop(shop).parts_taken(RunId(1)).await.unwrap());
    let (other, _) = workshop(&store, "heron").await;
    assert!(store.workshop(other).parts().await.unwrap().is_empty());
}

#[tokio::test]
async fn a_coil_stands_in_one_set() {
    let (store, shop, owner, revision) = begun().await;
    let runs: Vec<ImportedRun> = (1..=3).map(|k| brought(revision, owner, None, k, 5800.0)).collect();
    store.workshop(shop).import_runs(owner, &runs).await.unwrap();
    let pair = |a, b| [(RunId(a), "first"), (RunId(b), "second")];
    let key = ClientKey::random();
    for _ in 0..2 {
        store.workshop(shop).make_set(owner, &key, "Order 31", &pair(1, 2)).await.unwrap();
    }
    let again = store.workshop(shop).make_set(owner, &ClientKey::random(), "Order 32", &pair(3, 2)).await;
    assert!(matches!(again, Err(StoreError::Taken(_))));
    let placed = store.workshop(shop).set_members().await.unwrap();
    assert_eq!(placed.iter().map(|p| p.run_id.0).collect::<Vec<_>>(), [1, 2], "nothing of the one refused");
    store.workshop(shop).dissolve_set(owner, placed[0].set_id).await.unwrap();
    assert!(store.workshop(shop).set_members().await.unwrap().is_empty());
    store.workshop(shop).make_set(owner, &ClientKey::random(), "Order 32", &pair(3, 2)).await.unwrap();
}

#[tokio::test]
async fn a_listening_is_scored_once() {
    let (store, shop, owner, revision) = begun().await;
    let new = NewExperiment {
        key: ClientKey::random(),
        question: "Does it?",
        arms: &[revision],
        cares_percent: 2.0,
    };
    let id = store.workshop(shop).begin_experiment(owner, &new).await.unwrap();
    assert_eq!(store.workshop(shop).begin_experiment(owner, &new).await.unwrap(), id);
    assert_eq!(store.workshop(shop).experiments().await.unwrap().len(), 1);
    let samples = [Sample { letter: 'B', run: RunId(1) }, Sample { letter: 'A', run: RunId(2) }];
    store.workshop(shop).begin_listening(id, owner, &ClientKey::random(), &samples).await.unwrap();
    let heard = &store.workshop(shop).listenings(id).await.unwrap()[0];
    assert_eq!(heard.samples().unwrap().iter().map(|s| s.letter).collect::<String>(), "AB");
    assert!(heard.scored_at.is_none() && heard.scores().unwrap().is_empty());
    let score = |bright| [Score { letter: 'A', bright, full: 5, liked: 5, words: "glassy".into() }];
    assert!(store.workshop(shop).score_listening(owner, heard.id, &score(7)).await.unwrap());
    assert!(!store.workshop(shop).score_listening(owner, heard.id, &score(1)).await.unwrap());
    let scored = &store.workshop(shop).listenings(id).await.unwrap()[0];
    assert_eq!(scored.scores().unwrap(), score(7));
    assert!(store.workshop(shop).close_experiment(owner, id, "It does.").await.unwrap());
    assert!(
        !store.workshop(shop).close_experiment(owner, id, "It does not.").await.unwrap(),
        "nothing opens it again"
    );
    assert_eq!(store.workshop(shop).experiment(id).await.unwrap().closed, "It does.");
    let (other, _) = workshop(&store, "heron").await;
    assert!(
        store.workshop(other).experiment(id).await.is_err()
            && store.workshop(other).listenings(id).await.unwrap().is_empty()
    );
}

/// A void run is counted nowhere, and counts again when it is taken back and judged.
#[tokio::test]
async fn void_runs_leave_the_figures() {
    let (store, shop, owner, revision) = begun().await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let runs: Vec<ImportedRun> = (1..=3).map(|k| brought(revision, owner, None, k, 5700.0)).collect();
    own.import_runs(owner, &runs).await.unwrap();
    let all = own.log_lines(&LogFilter::default(), 10).await.unwrap();
    let (design, voided) = (all[0].design_id, all[0].run_id);
    let counts = async || {
        let off = own.calibration_and_deviations(Some(design)).await.unwrap().1;
        (off.resistance.map_or(0, |d| d.count), own.observation_count().await.unwrap())
    };
    assert_eq!(counts().await, (3, 3));
    let before = own.log_stamp().await.unwrap();
    assert!(!store.workshop(other).void_run(stranger, voided, "not ours").await.unwrap());
    assert!(own.void_run(owner, voided, "the wrong spool").await.unwrap());
    assert_eq!(counts().await, (2, 2));
    let after = own.log_stamp().await.unwrap();
    assert!(after.0 > before.0 && after.1 == before.1 + 1, "what is kept of lists is known to be old");
    let line = &own.log_lines_of(&[voided]).await.unwrap()[0];
    assert_eq!((line.level.0, line.verdict.as_str()), (Level::Void, "the wrong spool"));
    assert_eq!(own.recent_observations(10).await.unwrap().len(), 2);
    assert!(own.unvoid_run(voided).await.unwrap() && !own.unvoid_run(voided).await.unwrap());
    assert!(!store.workshop(other).unvoid_run(voided).await.unwrap());
    let judgement = judge_run(
        &tall_single("Sedge", 6, 10.4),
        &taken(7500.0, 5700.0),
        &Calibration::default(),
        TolerancePolicy::default(),
    );
    own.record_judgement(voided, &judgement, Some(owner)).await.unwrap();
    assert_eq!(counts().await, (3, 3));
    // The head of a list counts all of it, whether they fill it or not; so do other lists.
    for (most, shown) in [(2, 2), (3, 3), (4, 3), (50, 3)] {
        let (head, count) = own.log_head(&LogFilter::default(), most).await.unwrap();
        assert_eq!((head.len(), count), (shown, 3), "{most}");
    }
    let none = LogFilter { level: Some(Level::Stop), ..LogFilter::default() };
    assert_eq!(own.log_head(&none, 2).await.unwrap().1, 0);
    assert!(own.recent_bands(10).await.unwrap().is_empty(), "none of them was calibrated");
}

/// A reading is appended with the judgement that saw everything before it; one that did not is made anew.
#[tokio::test]
async fn a_judgement_that_missed_a_reading_is_not_written() {
    let (store, shop, owner, revision) = begun().await;
    let own = store.workshop(shop);
    let document = own.revision(revision).await.unwrap().design;
    let run = own.start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let judgement = |readings: &[Reading]| {
        judge_run(&document, readings, &Calibration::default(), TolerancePolicy::default())
    };
    let key = ClientKey::random();
    let turns = [NewReading::new(Kind::Turns, Some(7500.0))];
    let read = judgement(&taken(7500.0, 5700.0)[..1]);
    assert!(own.log_judged_readings(run, owner, (&key, &turns), None, &read).await.unwrap());
    assert!(
        own.log_judged_readings(run, owner, (&key, &turns), None, &read).await.unwrap(),
        "the same again"
    );
    let log = own.readings(run).await.unwrap();
    assert_eq!(log.len(), 1);
    // Somebody read in between: the second judgement knows nothing of it.
    let ohms = [NewReading::new(Kind::Resistance, Some(5700.0))];
    let other = ClientKey::random();
    assert!(!own.log_judged_readings(run, owner, (&other, &ohms), None, &read).await.unwrap());
    assert_eq!(own.readings(run).await.unwrap().len(), 1, "and nothing of it is written");
    let last = Some(log[0].reading.id);
    let whole = judgement(&taken(7500.0, 5700.0));
    assert!(own.log_judged_readings(run, owner, (&other, &ohms), last, &whole).await.unwrap());
    let row = own.run(run).await.unwrap().row;
    assert_eq!((own.readings(run).await.unwrap().len(), row.verdict_level()), (2, Some(whole.verdict.level)));
    assert!(store.runs_not_judged_to_the_end(RunId(0)).await.unwrap().is_empty());
    // A reading without its judgement is found, until the run is void.
    own.log_readings(run, owner, &ClientKey::random(), &ohms, None).await.unwrap();
    assert_eq!(store.runs_not_judged_to_the_end(RunId(0)).await.unwrap(), [(shop, run)]);
    own.void_run(owner, run, "begun by mistake").await.unwrap();
    assert!(store.runs_not_judged_to_the_end(RunId(0)).await.unwrap().is_empty());
}

/// What is under way is planned with; what took how long is learned from.
#[tokio::test]
async fn runs_under_way_tell_what_is_done_of_them() {
    let (store, shop, owner, revision) = begun().await;
    let own = store.workshop(shop);
    let document = own.revision(revision).await.unwrap().design;
    let mut runs = Vec::new();
    for _ in 0..3 {
        runs.push(own.start_run(owner, &run_of(revision, owner, &document)).await.unwrap());
    }
    own.void_run(owner, runs[2], "begun by mistake").await.unwrap();
    let operations: Vec<String> =
        own.traveller_of_run(runs[0]).await.unwrap().unwrap().0.iter().map(|o| o.key.clone()).collect();
    let wound = operations.iter().position(|key| key == "wind").unwrap();
    own.begin_operation(owner, runs[0], &operations[0]).await.unwrap();
    own.sign(runs[0], owner, &operations[0], "").await.unwrap();
    // Whoever read the final turns has wound it, and done all that comes before.
    own.log_readings(
        runs[1],
        owner,
        &ClientKey::random(),
        &[NewReading::new(Kind::Turns, Some(7500.0))],
        None,
    )
    .await
    .unwrap();
    let under_way = own.unfinished_runs().await.unwrap();
    assert_eq!(under_way.iter().map(|r| r.id).collect::<Vec<_>>(), runs[..2]);
    assert_eq!((under_way[0].signed.as_slice(), under_way[0].last_at.is_some()), (&operations[..1], true));
    assert_eq!((under_way[1].signed.as_slice(), under_way[1].last_at), (&operations[..=wound], None));
    assert_eq!((under_way[0].design.as_str(), under_way[0].turns), ("Sedge", 7500));
    let minutes = own.operation_minutes().await.unwrap();
    assert_eq!(minutes.len(), 1, "only the one that was begun has a length: {minutes:?}");
    assert!(minutes[0].0 == operations[0] && (0.0..5.0).contains(&minutes[0].1));
    let (other, _) = workshop(&store, "heron").await;
    assert!(store.workshop(other).unfinished_runs().await.unwrap().is_empty());
    assert!(store.workshop(other).operation_minutes().await.unwrap().is_empty());
}

#[tokio::test]
async fn a_set_that_was_sold_stays_as_it_is() {
    let (store, shop, owner, revision) = begun().await;
    let own = store.workshop(shop);
    let runs: Vec<ImportedRun> = (1..=2).map(|k| brought(revision, owner, None, k, 5700.0)).collect();
    own.import_runs(owner, &runs).await.unwrap();
    let runs: Vec<RunId> =
        own.log_lines(&LogFilter::default(), 10).await.unwrap().iter().map(|l| l.run_id).collect();
    let key = ClientKey::random();
    for _ in 0..2 {
        own.make_set(owner, &key, "pair", &[(runs[0], "neck"), (runs[1], "bridge")]).await.unwrap();
    }
    let members = own.set_members().await.unwrap();
    assert_eq!((members.len(), members[0].set_name.as_str(), members[0].sold_at), (2, "pair", None));
    let again = own.make_set(owner, &ClientKey::random(), "other", &[(runs[0], "neck")]).await;
    assert!(matches!(again, Err(StoreError::Taken(_))), "{again:?}");
    own.mark_set_sold(owner, members[0].set_id, true).await.unwrap();
    assert!(matches!(own.dissolve_set(owner, members[0].set_id).await, Err(StoreError::Changed("set"))));
    assert!(own.set_members().await.unwrap().iter().all(|m| m.sold_at.is_some()));
    own.mark_set_sold(owner, members[0].set_id, false).await.unwrap();
    own.dissolve_set(owner, members[0].set_id).await.unwrap();
    assert!(own.set_members().await.unwrap().is_empty());
}

/// Runs leave as whole records; who read them, where it was not the operator, only where names are wanted.
#[tokio::test]
async fn records_hold_what_a_run_holds() {
    let (store, shop, owner, revision) = begun().await;
    let own = store.workshop(shop);
    let k7 = spool(&store.workshop(shop), owner, "K-7").await;
    let runs: Vec<ImportedRun> = (1..=2).map(|k| brought(revision, owner, Some(k7), k, 5700.0)).collect();
    own.import_runs(owner, &runs).await.unwrap();
    let lines = own.log_lines(&LogFilter::default(), 10).await.unwrap();
    let helper = NewPerson { name: "Ivo Lark", sign_in: "ivo", password_hash: None, role: Role::Operator };
    let helper = own.add_person(&helper).await.unwrap();
    let peak = [NewReading::new(Kind::Inductance, Some(2.2))];
    own.log_readings(lines[0].run_id, helper, &ClientKey::random(), &peak, None).await.unwrap();
    let named = own.records_of(&lines, true).await.unwrap();
    let unnamed = own.records_of(&lines, false).await.unwrap();
    assert_eq!((named.len(), unnamed.len()), (2, 2));
    let counts: Vec<usize> = named.iter().map(|r| r.readings.len()).collect();
    assert_eq!(counts, [3, 2]);
    let text = |records| serde_json::to_string(records).unwrap();
    assert!(text(&named).contains("Ivo Lark") && !text(&unnamed).contains("Ivo Lark"));
    assert!(own.records_of(&[], true).await.unwrap().is_empty());
}

/// Rows that an older version wrote are made searchable inside words, a few hundred at a time.
#[tokio::test]
async fn old_rows_are_made_searchable() {
    let (url, _) = dev_database::fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    let (shop, owner) = workshop(&store, "kestrel").await;
    let revision = design(&store, shop, owner, "Sedge").await;
    store.workshop(shop).import_runs(owner, &[brought(revision, owner, None, 1, 5700.0)]).await.unwrap();
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    sqlx::query("UPDATE logbook SET suffixes = NULL").execute(&pool).await.unwrap();
    let inside = LogFilter { words: "edge".into(), ..LogFilter::default() };
    assert_eq!(store.fill_word_search().await.unwrap(), 1);
    assert_eq!(store.fill_word_search().await.unwrap(), 0);
    assert_eq!(store.workshop(shop).log_page(&inside, 0).await.unwrap().1, 1);
}
