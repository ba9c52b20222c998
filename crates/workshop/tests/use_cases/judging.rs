//! Judging anew, what else is said of a run beside its verdict, and small rules of figures and switches.

use super::inventory::new_spool;
use super::*;
use coil::circuit::Join;
use rstest::rstest;
use time::macros::date;
use workshop::{DraftPickup, KeptPromise, SetDraft, analyser_of};

/// Runs that another engine judged are found, judged anew as a job, and found no more; void runs are left alone.
#[tokio::test(flavor = "multi_thread")]
async fn runs_of_another_engine_are_judged_anew() {
    let (url, _) = dev_database::fresh_database().await;
    let (workshop, actor, _) = set_up_on(Store::connect(&url).await.unwrap()).await;
    let revision = design(&workshop, &actor).await;
    let mut runs = Vec::new();
    for _ in 0..3 {
        let id = run(&workshop, &actor, revision).await;
        measure_well(&workshop, &actor, id).await;
        runs.push(id);
    }
    assert_eq!(workshop.runs_to_rejudge(&actor).await.unwrap(), 0);
    workshop.void_run(&actor, runs[2], "begun by mistake").await.unwrap();
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    sqlx::query("UPDATE verdicts SET engine = '0.0.9', level = IF(level = 'void', 'void', 'stop')")
        .execute(&pool)
        .await
        .unwrap();
    assert_eq!(workshop.runs_to_rejudge(&actor).await.unwrap(), 2);
    assert!(workshop.run_details(&actor, runs[0]).await.unwrap().judged_by_other_engine);
    let name = workshop.begin_rejudging(&actor).await.unwrap();
    let outcome = loop {
        match workshop.job(&actor, &name).unwrap().outcome() {
            Some(outcome) => break outcome,
            None => tokio::time::sleep(Duration::from_millis(20)).await,
        }
    };
    assert!(matches!(outcome, JobOutcome::Rejudged { judged: 2, changed: 2 }), "{outcome:?}");
    assert_eq!(workshop.runs_to_rejudge(&actor).await.unwrap(), 0);
    assert_eq!(workshop.run_details(&actor, runs[0]).await.unwrap().verdict.level, Level::Pass);
}

/// The lay of a run at any number of turns, the reading of a meter's capacitance range, and the head of the logbook.
#[tokio::test]
async fn what_else_is_asked_of_a_run() {
    let (workshop, actor, store) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let id = run(&workshop, &actor, revision).await;
    measure_well(&workshop, &actor, id).await;
    for turns in [100, 3000, 7500] {
        let section = workshop.expected_lay(&actor, id, turns).await.unwrap();
        assert_eq!(section.turns.len(), turns as usize);
    }
    assert_eq!(workshop.expected_lay(&actor, id, 0).await.unwrap().turns.len(), 10);
    assert_eq!(workshop.expected_lay(&actor, RunId(999), 10).await.unwrap_err().code(), "not-found");
    // A capacitance range shows the coil's inductance as if it were a capacitor: far from its own capacitance.
    let row = store.workshop(actor.workshop).run(id).await.unwrap();
    let shown = workshop.capacitance_range_reading(&row, 1000.0).await.unwrap().unwrap();
    let own =
        workshop.run_details(&actor, id).await.unwrap().prediction.unwrap().pickup.capacitance_f.nominal;
    assert!(shown.abs() > 20.0 * own, "{shown} {own}");
    let (head, count) =
        workshop.logbook_head(&actor, &store::logbook::LogFilter::default(), 1).await.unwrap();
    assert_eq!((head.len(), count, head[0].run_id), (1, 1, id));
}

/// Predictions with and without a calibration are the same before anything was calibrated.
#[tokio::test]
async fn predictions_without_runs_are_the_models() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let saved = workshop.revision(&actor, revision).await.unwrap();
    let plain = workshop.uncalibrated_prediction(&saved.design).await.unwrap().unwrap();
    let own = workshop.prediction_of(&actor, None, &saved.design).await.unwrap().unwrap();
    assert_eq!(plain.pickup.resistance_20c_ohm, own.pickup.resistance_20c_ohm);
    assert_eq!(workshop.newest_revision(&actor, &saved).await.unwrap().id, revision);
    assert!(
        workshop
            .explain_shift(&actor, &[], 0, trade::calibration::Quantity::Resistance)
            .await
            .unwrap()
            .is_none()
    );
    let mut empty = saved.design.clone();
    empty.coils[0].wind.turns = 0;
    let problems = workshop.uncalibrated_prediction(&empty).await.unwrap().unwrap_err();
    assert!(problems.iter().any(|p| p.at == "coils[0].wind.turns"), "{problems:?}");
}

#[rstest]
#[case(date!(2031-03-14), 0)]
#[case(date!(2031-03-17), 3)]
#[case(date!(2031-02-28), -14)]
fn a_promise_is_kept_by_the_day(#[case] gone_on: time::Date, #[case] days: i64) {
    let promise =
        KeptPromise { order: store::OrderId(1), number: 1, promised_on: date!(2031 - 03 - 14), gone_on };
    assert_eq!(promise.days_late(), days);
}

/// A switch of three positions: nearest to the bridge, all in parallel, furthest from it, in whatever order they are named.
#[rstest]
#[case(&[], &[])]
#[case(&[40.0], &[1])]
#[case(&[160.0, 40.0], &[1, 2, 1])]
#[case(&[100.0, 160.0, 40.0], &[1, 3, 1])]
fn a_toggle_goes_from_bridge_to_neck(#[case] places: &[f64], #[case] counts: &[usize]) {
    let pickups: Vec<DraftPickup> = places
        .iter()
        .map(|place| DraftPickup {
            name: format!("at {place}"),
            revision: RevisionId(1),
            from_bridge_mm: *place,
            turned: false,
            leads: coil::set::LeadOrder::default(),
        })
        .collect();
    let switch = SetDraft::toggle_switch(&pickups);
    assert_eq!(switch.iter().map(|p| p.on.len()).collect::<Vec<_>>(), counts);
    if places.len() > 1 {
        let nearest = places.iter().copied().fold(f64::INFINITY, f64::min);
        assert_eq!(switch[0].on[0], format!("at {nearest}"));
        assert_eq!(switch[1].join, Some(Join::Parallel));
    }
}

/// The instrument across a coil is the chosen one; without a choice a sweep analyser before others, and none of unknown input.
#[tokio::test]
async fn one_instrument_is_across_the_coil() {
    use store::instrument::NewInstrument;
    use trade::instrument::InstrumentKind;
    let (workshop, actor, store) = set_up().await;
    let own = store.workshop(actor.workshop);
    let shown = async || {
        let all = workshop.instruments(&actor).await.unwrap();
        analyser_of(&all).map(|(instrument, _)| instrument.name.clone())
    };
    for (kind, name, input_pf) in [
        (InstrumentKind::Sweep, "of unknown input", None),
        (InstrumentKind::Lcr, "bridge", Some(20.0)),
        (InstrumentKind::Sweep, "analyser", Some(110.0)),
    ] {
        let new = NewInstrument {
            key: ClientKey::random(),
            kind,
            name,
            address: "",
            resolution: None,
            accuracy: None,
            test_hz: None,
            due: None,
            input_pf,
            input_mohm: input_pf.map(|_| 1.0),
            simulated: false,
        };
        own.add_instrument(actor.person, &new).await.unwrap();
    }
    assert_eq!(shown().await.as_deref(), Some("analyser"));
    let bridge =
        workshop.instruments(&actor).await.unwrap().into_iter().find(|i| i.name == "bridge").unwrap();
    own.show_resonances_by(actor.person, bridge.id).await.unwrap();
    assert_eq!(shown().await.as_deref(), Some("bridge"));
    // A real instrument has no faults to set.
    let refused = workshop.set_simulated_faults(&actor, bridge.id, &[], "").await.unwrap_err();
    assert_eq!(refused.code(), "not-simulated");
}

/// Spools that are used up are offered no more, and still known.
#[tokio::test]
async fn an_empty_spool_is_not_offered() {
    use store::spool::SpoolDetails;
    let (workshop, actor, _) = set_up().await;
    let mut ids = Vec::new();
    for label in ["K-7", "K-8"] {
        ids.push(workshop.add_spool(&actor, &new_spool(label, None)).await.unwrap());
    }
    let seen = workshop.spool_measurements(&actor, ids[0]).await.unwrap();
    let details = SpoolDetails { emptied: true, version: Some(seen.version), ..SpoolDetails::default() };
    workshop.update_spool(&actor, ids[0], &details).await.unwrap();
    let offered = workshop.spools_in_use(&actor).await.unwrap();
    assert_eq!(offered.iter().map(|s| s.label.as_str()).collect::<Vec<_>>(), ["K-8"]);
    assert_eq!(workshop.spool_measurements(&actor, ids[0]).await.unwrap().label, "K-7");
}
