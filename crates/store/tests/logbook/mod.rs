//! The logbook's lines and what is kept beside them, each query once.

use super::{design, run_of, workshop};
use coil::design::{Design, tall_single};
use coil::prediction::Calibration;
use dev_database::fresh_store;
use store::calibration::CalibrationPolicy;
use store::experiment::{NewExperiment, Sample, Score};
use store::import::{ImportedReading, ImportedRun};
use store::logbook::{LogFilter, Order, planned_factor_levels};
use store::part::NewPart;
use store::reading::NewReading;
use store::spool::{NewCheck, NewSpool, SpoolDetails};
use store::{ClientKey, PersonId, RevisionId, RunId, SpoolId, Store, StoreError, WorkshopId};
use time::macros::{date, datetime};
use trade::calibration::{Factor, FactorLevels, fit_calibration};
use trade::comparison::TolerancePolicy;
use trade::judgement::judge_run;
use trade::reading::{Kind, Reading};

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
            .map(|r| NewReading { coil_c: r.coil_c, ..NewReading::of(r.kind, r.value) })
            .map(|r| ImportedReading::of(r, by, date!(2026 - 03 - 01).midnight()))
            .collect(),
        events: Vec::new(),
        sweeps: Vec::new(),
        stops: Vec::new(),
        other_wire: String::new(),
        void: None,
        has_verdict: true,
        judgement: judge_run(&design, &readings, &Calibration::default(), TolerancePolicy::default()),
        design,
    }
}

async fn spool(store: &Store, workshop: WorkshopId, label: &str) -> SpoolId {
    let new = NewSpool {
        key: ClientKey::random(),
        label: label.into(),
        gauge: "42 AWG".into(),
        insulation: "polyurethane".into(),
        build: "single".into(),
        tolerance: "full".into(),
        measured: coil::design::Spool { left_m: Some(5000.0), ..coil::design::Spool::default() },
        remark: String::new(),
    };
    store.of(workshop).add_spool(&new).await.unwrap()
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
    let k7 = spool(&store, shop, "K-7").await;
    let runs: Vec<ImportedRun> = (1..=9)
        .map(|k| brought(revision, owner, (k % 2 == 0).then_some(k7), k, 5700.0 + 10.0 * f64::from(k)))
        .collect();
    assert_eq!(store.of(shop).import_runs(owner, &runs).await.unwrap(), 9);
    assert_eq!(store.of(shop).import_runs(owner, &runs).await.unwrap(), 0, "known by their keys");
    let keys: Vec<ClientKey> = runs.iter().map(|r| r.key.clone()).collect();
    assert_eq!(store.of(shop).known_runs(&keys).await.unwrap().len(), 9);
    let count = async |filter: LogFilter| store.of(shop).log_page(&filter, 0).await.unwrap().1;
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
                store.of(shop).log_page(&LogFilter { order, rising, ..all.clone() }, 0).await.unwrap();
            assert_eq!(lines.len(), 9, "{order:?}");
        }
    }
    let filter = LogFilter { order: Order::Resistance, rising: true, ..all.clone() };
    let lines = store.of(shop).log_lines(&filter, 3).await.unwrap();
    assert_eq!(lines.iter().map(|l| l.number).collect::<Vec<_>>(), [1, 2, 3]);
    assert_eq!(lines[1].spool.as_deref(), Some("K-7"));
    assert!((lines[0].resistance_ohm.unwrap() - 5710.0).abs() < 1e-6 && !lines[0].calibrated);
    assert_eq!(store.of(shop).log_lines_of(&[lines[2].run_id]).await.unwrap()[0].number, 3);
    assert!(store.of(shop).log_lines_of(&[]).await.unwrap().is_empty());
    assert_eq!(store.of(shop).runs_numbered(&[4, 999]).await.unwrap(), [(4, RunId(4))]);
    assert_eq!(store.of(shop).logged_designs().await.unwrap()[0].2, 9);
    let alike = store.of(shop).runs_alike().await.unwrap();
    assert_eq!((alike.len(), alike[0].1), (9, date!(2026 - 03 - 01)));
    assert_eq!(store.of(shop).revision_names().await.unwrap()[0].0, "Sedge");
    assert!(store.runs_without_summary(RunId(0)).await.unwrap().is_empty());
    assert!(store.of(shop).all_tags().await.unwrap().is_empty());
    // Another workshop sees nothing of it.
    let (other, _) = workshop(&store, "heron").await;
    assert_eq!(store.of(other).log_page(&all, 0).await.unwrap().1, 0);
    assert!(
        store.of(other).observations().await.unwrap().is_empty()
            && store.of(other).logged_designs().await.unwrap().is_empty()
    );
}

/// Runs that are started and imports that come in at once get a number each, and nobody waits for an import to end.
#[tokio::test]
async fn numbers_are_given_out_once_however_many_ask() {
    let (store, shop, by, revision) = begun().await;
    let own = store.of(shop);
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
    assert!(store.of(shop).import_runs(owner, &runs).await.is_err());
    assert_eq!(store.of(shop).log_page(&LogFilter::default(), 0).await.unwrap().1, 0);
    assert_eq!(store.of(shop).observation_count().await.unwrap(), 0);
}

#[tokio::test]
async fn lessons_are_versions_that_designs_hold_to() {
    let (store, shop, owner, revision) = begun().await;
    let runs: Vec<ImportedRun> = (1..=8).map(|k| brought(revision, owner, None, k, 5900.0)).collect();
    store.of(shop).import_runs(owner, &runs).await.unwrap();
    let observations = store.of(shop).observations().await.unwrap();
    assert_eq!((observations.len(), store.of(shop).observation_count().await.unwrap()), (8, 8));
    assert_eq!(store.of(shop).recent_observations(3).await.unwrap(), observations[5..]);
    let model = fit_calibration(&observations);
    let first = store.of(shop).save_calibration(8, &model).await.unwrap();
    let second = store.of(shop).save_calibration(8, &model).await.unwrap();
    let rows = store.of(shop).calibrations().await.unwrap();
    assert_eq!(rows.iter().map(|r| (r.id, r.number)).collect::<Vec<_>>(), [(second, 2), (first, 1)]);
    assert_eq!(store.of(shop).newest_calibration().await.unwrap().unwrap().id, second);
    assert_eq!(store.of(shop).model(first).await.unwrap(), model);
    let design = store.of(shop).revision(revision).await.unwrap().row.design_id;
    assert_eq!(store.of(shop).calibration_policy(design).await.unwrap(), CalibrationPolicy::On);
    for calibration_policy in [CalibrationPolicy::Frozen(first), CalibrationPolicy::Off] {
        store.of(shop).set_calibration_policy(owner, design, calibration_policy).await.unwrap();
        assert_eq!(store.of(shop).calibration_policy(design).await.unwrap(), calibration_policy);
        assert_eq!(store.of(shop).calibration_exceptions().await.unwrap().len(), 1);
    }
    assert!(store.of(shop).calibration_enabled().await.unwrap());
    store.of(shop).set_calibration_enabled(owner, false).await.unwrap();
    assert!(!store.of(shop).calibration_enabled().await.unwrap());
    let (other, _) = workshop(&store, "heron").await;
    assert!(matches!(store.of(other).model(first).await, Err(StoreError::Missing(_))));
    assert!(
        store.of(other).calibration_policy(design).await.is_err()
            && store.of(other).newest_calibration().await.unwrap().is_none()
    );
}

/// A run keeps what was known when it was started.
#[tokio::test]
async fn a_run_carries_its_experience() {
    let (store, shop, owner, revision) = begun().await;
    let model = store.of(shop).save_calibration(0, &fit_calibration(&[])).await.unwrap();
    let document: Design = tall_single("Sedge", 6, 10.4);
    let learned = coil::prediction::Correction { shift: 0.02, sd: 0.005, runs: 9, per_kelvin: 0.0 };
    let calibration = Calibration { resistance: Some(learned), ..Calibration::default() };
    let mut new = run_of(revision, owner, &document);
    new.calibration = (Some(model), calibration);
    new.tolerance = TolerancePolicy { control_sd: 2.5 };
    let run = store.of(shop).start_run(owner, &new).await.unwrap();
    let found = store.of(shop).run(run).await.unwrap();
    assert_eq!((found.calibration, found.row.calibration_version), (calibration, Some(1)));
    assert_eq!(found.tolerance, new.tolerance);
    assert_eq!(store.runs_without_summary(RunId(0)).await.unwrap(), [(shop, run)]);
    assert!(store.runs_without_summary(run).await.unwrap().is_empty());
    store
        .of(shop)
        .write_summary(run, &judge_run(&document, &[], &calibration, TolerancePolicy::default()))
        .await
        .unwrap();
    assert!(store.runs_without_summary(RunId(0)).await.unwrap().is_empty());
    let (lines, _) = store.of(shop).log_page(&LogFilter::default(), 0).await.unwrap();
    assert!(lines[0].calibrated && lines[0].level.0 == trade::verdict::Level::Waiting);
    let readings = taken(7500.0, 5600.0);
    store
        .of(shop)
        .record_judgement(
            run,
            &judge_run(&document, &readings, &calibration, TolerancePolicy::default()),
            None,
        )
        .await
        .unwrap();
    let observations = store.of(shop).observations().await.unwrap();
    let known = planned_factor_levels(Some(found.row.design_id), &document, None, Some(owner), None);
    assert_eq!(observations[0].factor_levels, known);
    assert_eq!(known.of(Factor::Pattern), Some(1), "scattered");
    assert_ne!(known, FactorLevels::default());
    let (other, _) = workshop(&store, "heron").await;
    assert!(
        store
            .of(other)
            .write_summary(run, &judge_run(&document, &[], &calibration, TolerancePolicy::default()))
            .await
            .is_err()
    );
}

#[tokio::test]
async fn spools_are_checked_weighed_and_used() {
    let (store, shop, owner, revision) = begun().await;
    let id = spool(&store, shop, "K-7").await;
    let check = |ohms, left_m, at| NewCheck {
        ohm_per_m: Some(ohms),
        at_c: Some(20.0),
        left_m,
        at,
        ..NewCheck::default()
    };
    let key = ClientKey::random();
    let first = check(5.6, Some(4000.0), Some(datetime!(2026-03-02 00:00)));
    store.of(shop).check_spool(id, owner, &key, &first).await.unwrap();
    store.of(shop).check_spool(id, owner, &key, &first).await.unwrap();
    store.of(shop).check_spool(id, owner, &ClientKey::random(), &check(5.8, None, None)).await.unwrap();
    assert_eq!(store.of(shop).spool_checks(id).await.unwrap().len(), 2, "the same key is one check");
    assert_eq!(store.of(shop).all_spool_checks().await.unwrap().len(), 2);
    let runs: Vec<ImportedRun> = (1..=4).map(|k| brought(revision, owner, Some(id), k, 5800.0)).collect();
    store.of(shop).import_runs(owner, &runs).await.unwrap();
    let found = store.of(shop).spool(id).await.unwrap();
    assert!((found.ohm_per_m.unwrap() - 5.7).abs() < 1e-9, "the mean of both places");
    let coil = found.coil_m.unwrap();
    // Two of the four were wound after the wire left was noted.
    assert!((found.used_m - 2.0 * coil).abs() < 1e-6 && found.runs == 4, "{found:?}");
    assert!((found.left_now_m().unwrap() - (4000.0 - 2.0 * coil)).abs() < 1e-6);
    let care = SpoolDetails { supplier: "Fenlark".into(), emptied: true, ..SpoolDetails::default() };
    store.of(shop).update_spool(owner, id, &care).await.unwrap();
    let found = store.of(shop).spool(id).await.unwrap();
    assert!(found.emptied_at.is_some() && found.supplier == "Fenlark");
    assert_eq!(store.of(shop).spool_labels().await.unwrap(), [(id, "K-7".to_owned())]);
    let (other, stranger) = workshop(&store, "heron").await;
    assert!(store.of(other).check_spool(id, stranger, &ClientKey::random(), &first).await.is_err());
    assert!(store.of(other).spool_checks(id).await.unwrap().is_empty());
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
    let rod = store.of(shop).add_part(owner, &new).await.unwrap();
    assert_eq!(store.of(shop).add_part(owner, &new).await.unwrap(), rod, "the same key is one part");
    new.key = ClientKey::random();
    assert!(matches!(store.of(shop).add_part(owner, &new).await, Err(StoreError::Taken(_))));
    let key = ClientKey::random();
    let moves = [(rod, -6), (store::PartId(99), -1)];
    assert!(store.of(shop).move_parts(owner, &key, &moves, "taken", None).await.is_err());
    assert_eq!(store.of(shop).parts().await.unwrap()[0].stock, 12, "none of them");
    for _ in 0..2 {
        store.of(shop).move_parts(owner, &key, &moves[..1], "taken", None).await.unwrap();
    }
    assert_eq!(store.of(shop).parts().await.unwrap()[0].stock, 6, "once");
    assert_eq!(store.of(shop).stock_movements(6).await.unwrap().len(), 2);
    let newest = store.of(shop).stock_movements(1).await.unwrap();
    assert_eq!((newest[0].0, newest[0].1.by_count), (rod, -6));
    let details = store::part::PartDetails { each_cost: Some(1.0), ..Default::default() };
    store.of(shop).update_part(owner, rod, &details).await.unwrap();
    assert_eq!(store.of(shop).parts().await.unwrap()[0].each_cost, Some(1.0));
    assert_eq!(store.of(shop).parts().await.unwrap()[0].order_below, None);
    let design = store.of(shop).revision(revision).await.unwrap().row.design_id;
    for (count, kept) in [(6, 1), (4, 1), (0, 0)] {
        store.of(shop).set_design_parts(owner, design, &[(rod, count)]).await.unwrap();
        assert_eq!(store.of(shop).design_parts(design).await.unwrap().len(), kept);
    }
    let runs = [brought(revision, owner, None, 1, 5800.0)];
    store.of(shop).import_runs(owner, &runs).await.unwrap();
    assert!(!store.of(shop).parts_taken(RunId(1)).await.unwrap());
    store
        .of(shop)
        .move_parts(owner, &ClientKey::random(), &[(rod, -1)], "taken", Some(RunId(1)))
        .await
        .unwrap();
    assert!(store.of(shop).parts_taken(RunId(1)).await.unwrap());
    let (other, _) = workshop(&store, "heron").await;
    assert!(store.of(other).parts().await.unwrap().is_empty());
}

#[tokio::test]
async fn a_coil_stands_in_one_set() {
    let (store, shop, owner, revision) = begun().await;
    let runs: Vec<ImportedRun> = (1..=3).map(|k| brought(revision, owner, None, k, 5800.0)).collect();
    store.of(shop).import_runs(owner, &runs).await.unwrap();
    let pair = |a, b| [(RunId(a), "first"), (RunId(b), "second")];
    let key = ClientKey::random();
    for _ in 0..2 {
        store.of(shop).make_set(owner, &key, "Order 31", &pair(1, 2)).await.unwrap();
    }
    let again = store.of(shop).make_set(owner, &ClientKey::random(), "Order 32", &pair(3, 2)).await;
    assert!(matches!(again, Err(StoreError::Taken(_))));
    let placed = store.of(shop).set_members().await.unwrap();
    assert_eq!(placed.iter().map(|p| p.run_id.0).collect::<Vec<_>>(), [1, 2], "nothing of the one refused");
    store.of(shop).dissolve_set(owner, placed[0].set_id).await.unwrap();
    assert!(store.of(shop).set_members().await.unwrap().is_empty());
    store.of(shop).make_set(owner, &ClientKey::random(), "Order 32", &pair(3, 2)).await.unwrap();
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
    let id = store.of(shop).begin_experiment(owner, &new).await.unwrap();
    assert_eq!(store.of(shop).begin_experiment(owner, &new).await.unwrap(), id);
    assert_eq!(store.of(shop).experiments().await.unwrap().len(), 1);
    let samples = [Sample { letter: 'B', run: RunId(1) }, Sample { letter: 'A', run: RunId(2) }];
    store.of(shop).begin_listening(id, owner, &ClientKey::random(), &samples).await.unwrap();
    let heard = &store.of(shop).listenings(id).await.unwrap()[0];
    assert_eq!(heard.samples().unwrap().iter().map(|s| s.letter).collect::<String>(), "AB");
    assert!(heard.scored_at.is_none() && heard.scores().unwrap().is_empty());
    let score = |bright| [Score { letter: 'A', bright, full: 5, liked: 5, words: "glassy".into() }];
    assert!(store.of(shop).score_listening(heard.id, &score(7)).await.unwrap());
    assert!(!store.of(shop).score_listening(heard.id, &score(1)).await.unwrap());
    let scored = &store.of(shop).listenings(id).await.unwrap()[0];
    assert_eq!(scored.scores().unwrap(), score(7));
    assert!(store.of(shop).close_experiment(id, "It does.").await.unwrap());
    assert!(!store.of(shop).close_experiment(id, "It does not.").await.unwrap(), "nothing opens it again");
    assert_eq!(store.of(shop).experiment(id).await.unwrap().closed, "It does.");
    let (other, _) = workshop(&store, "heron").await;
    assert!(
        store.of(other).experiment(id).await.is_err()
            && store.of(other).listenings(id).await.unwrap().is_empty()
    );
}
