//! Designs: revisions, branches, archive, comparison, sweeps, search, sounds.

use super::{command, design, measure_well, run, set_up};
use coil::design::tall_single;
use coil::quantity::Units;
use coil::search::{SearchSpace, TargetRange, Varied};
use store::ClientKey;
use store::design::{DesignFilter, DesignOrder};
use trade::sweep::Sweep;
use workshop::{ComparedId, JobOutcome, Refusal, SaveRevision, SearchCommand, VaryRevision};

#[tokio::test]
async fn the_same_submission_saves_one_revision() {
    let (workshop, actor, _) = set_up().await;
    let command = command(tall_single("Sedge", 6, 10.4));
    let first = workshop.save_revision(&actor, &command).await.unwrap();
    assert_eq!(workshop.save_revision(&actor, &command).await.unwrap(), first);
    assert_eq!(workshop.revision_details(&actor, first).await.unwrap().siblings.len(), 1);
}

#[tokio::test]
async fn a_restored_revision_is_the_newest_and_loses_nothing() {
    let (workshop, actor, _) = set_up().await;
    let first = design(&workshop, &actor).await;
    let mut changed = tall_single("Sedge", 6, 10.4);
    changed.coils[0].wind.turns = 8000;
    let second = SaveRevision { parent: Some(first), newest_seen: 1, ..command(changed) };
    workshop.save_revision(&actor, &second).await.unwrap();
    let key = ClientKey::random();
    let restored = workshop.restore_revision(&actor, first, key.clone()).await.unwrap();
    let details = workshop.revision_details(&actor, restored).await.unwrap();
    assert_eq!(details.siblings.iter().map(|r| r.number).collect::<Vec<_>>(), [3, 2, 1]);
    assert_eq!(details.revision.design.coils[0].wind.turns, 7500);
    assert_eq!(details.parent.unwrap().coils[0].wind.turns, 8000);
}

/// A family is made at values of the maker's own choosing and begins its experiment; the design goes on from where it was.
#[tokio::test]
async fn a_family_differs_in_one_thing_at_chosen_values() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let vary = VaryRevision {
        key: ClientKey::random(),
        revision,
        varied: Varied::Turns,
        values: "7000 to 8000 by 250".into(),
        units: Units::default(),
    };
    let experiment = workshop.vary_revision(&actor, &vary).await.unwrap();
    // Sent twice, it is one family.
    assert_eq!(workshop.vary_revision(&actor, &vary).await.unwrap(), experiment);
    let details = workshop.experiment(&actor, experiment).await.unwrap();
    let turns: Vec<u32> = details.families.iter().map(|f| f.revision.design.coils[0].wind.turns).collect();
    assert_eq!(turns, [7500, 7000, 7250, 7750, 8000]);
    let resistance = &details.quantities[0];
    assert!(
        resistance.effects[0].predicted.unwrap() < -0.05 && resistance.effects[3].predicted.unwrap() > 0.05
    );
    // Variants are no newer revisions: the list shows the one that was varied, and the next is saved on it.
    let shown = workshop.designs(&actor, &DesignFilter::default()).await.unwrap();
    assert_eq!((shown.len(), shown[0].id), (1, revision));
    let next =
        SaveRevision { parent: Some(revision), newest_seen: 1, ..command(tall_single("Sedge", 6, 10.6)) };
    let next = workshop.save_revision(&actor, &next).await.unwrap();
    assert_eq!(workshop.revision(&actor, next).await.unwrap().row.number, 6);
    assert_eq!(workshop.designs(&actor, &DesignFilter::default()).await.unwrap()[0].id, next);
}

#[tokio::test]
async fn lists_leave_out_what_is_archived_and_are_narrowed() {
    let (workshop, actor, _) = set_up().await;
    let sedge = design(&workshop, &actor).await;
    let rush = workshop.save_revision(&actor, &command(tall_single("Rush", 6, 10.4))).await.unwrap();
    let tags = ["bright".to_owned(), "bridge".to_owned()];
    workshop.label_revision(&actor, rush, "second try", &tags, None).await.unwrap();
    let names = |filter: DesignFilter| {
        let workshop = workshop.clone();
        async move {
            let found = workshop.designs(&actor, &filter).await.unwrap();
            found.into_iter().map(|r| r.name).collect::<Vec<_>>()
        }
    };
    let by_name = DesignFilter { order: DesignOrder::Name, ..DesignFilter::default() };
    assert_eq!(names(by_name.clone()).await, ["Rush", "Sedge"]);
    assert_eq!(names(DesignFilter { search: "ush".into(), ..by_name.clone() }).await, ["Rush"]);
    assert_eq!(names(DesignFilter { tag: "bridge".into(), ..by_name.clone() }).await, ["Rush"]);
    let twins = DesignFilter { kind: Some(coil::design::Format::TwinCoil), ..by_name.clone() };
    assert!(names(twins).await.is_empty());
    assert_eq!(workshop.tags(&actor).await.unwrap(), ["bridge", "bright"]);
    workshop.label_revision(&actor, sedge, "", &[], Some(true)).await.unwrap();
    assert_eq!(names(by_name.clone()).await, ["Rush"]);
    assert_eq!(names(DesignFilter { archived: true, ..by_name.clone() }).await, ["Sedge"]);
    workshop.label_revision(&actor, sedge, "", &[], Some(false)).await.unwrap();
    assert_eq!(names(by_name).await.len(), 2);
}

#[tokio::test]
async fn pickups_are_compared_in_the_order_asked_for() {
    let (workshop, actor, _) = set_up().await;
    let sedge = design(&workshop, &actor).await;
    let mut hotter = tall_single("Rush", 6, 10.4);
    hotter.coils[0].wind.turns = 9000;
    let rush = workshop.save_revision(&actor, &command(hotter)).await.unwrap();
    let id = run(&workshop, &actor, sedge).await;
    measure_well(&workshop, &actor, id).await;
    let hz: Vec<f64> = (0..12).map(|k| 100.0 * 1.6f64.powi(k)).collect();
    let sweep = Sweep { db: vec![0.0; hz.len()], hz, input: None };
    let key = ClientKey::random();
    for _ in 0..2 {
        workshop.add_sweep(&actor, rush, key.clone(), "after potting", &sweep).await.unwrap();
    }
    let found = workshop.compare(&actor, &[rush, sedge].map(ComparedId::Revision)).await.unwrap();
    assert_eq!(found.iter().map(|p| p.name.as_str()).collect::<Vec<_>>(), ["Rush r1", "Sedge r1"]);
    assert_eq!((found[0].sweeps.len(), found[0].measured.len()), (1, 0));
    assert_eq!((found[1].sweeps.len(), found[1].measured.len()), (0, 1));
    let ohms = |k: usize| found[k].prediction.as_ref().unwrap().pickup.resistance_20c_ohm.nominal;
    assert!(ohms(0) > ohms(1));
    let missing =
        workshop.compare(&actor, &[sedge, store::RevisionId(999_999)].map(ComparedId::Revision)).await;
    assert_eq!(missing.unwrap_err().code(), "not-found");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_search_finds_what_was_aimed_at_and_can_be_cancelled() {
    let (workshop, actor, _) = set_up().await;
    let start = tall_single("Sedge", 6, 10.4);
    let wanted = 6500.0;
    let command = SearchCommand {
        design: start,
        targets: vec![TargetRange {
            goal: coil::search::Goal::Resistance,
            from: wanted * 0.99,
            to: wanted * 1.01,
        }],
        space: SearchSpace::turns(6000, 12_000),
    };
    let name = workshop.begin_search(&actor, command.clone()).unwrap();
    let job = workshop.job(&actor, &name).unwrap();
    let outcome = loop {
        if let Some(outcome) = job.outcome() {
            break outcome;
        }
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    };
    let JobOutcome::Found(found) = outcome else { panic!("designs") };
    let ohms = found.candidates[0].prediction.pickup.resistance_20c_ohm.nominal;
    assert!((ohms / wanted - 1.0).abs() < 0.02, "{ohms}");
    // A job belongs to the workshop that began it.
    let stranger = workshop::Actor { workshop: store::WorkshopId(999), ..actor };
    assert!(matches!(workshop.job(&stranger, &name), Err(Refusal::NotFound(_))));
    let name = workshop.begin_search(&actor, command).unwrap();
    let job = workshop.job(&actor, &name).unwrap();
    job.cancel();
    let ended = async {
        while job.outcome().is_none() {
            tokio::time::sleep(std::time::Duration::from_millis(20)).await;
        }
    };
    tokio::time::timeout(std::time::Duration::from_secs(30), ended).await.unwrap();
}

/// Of four who save at once from one revision one does; the others are told of the newer one. What is the same is not saved again.
#[tokio::test(flavor = "multi_thread")]
async fn of_several_who_save_at_once_one_does() {
    let (workshop, actor, _) = set_up().await;
    let first = design(&workshop, &actor).await;
    let document = workshop.revision(&actor, first).await.unwrap().design;
    let next = |turns: u32| {
        let mut design = document.clone();
        design.coils[0].wind.turns = turns;
        SaveRevision { parent: Some(first), newest_seen: 1, ..command(design) }
    };
    let same = SaveRevision { parent: Some(first), newest_seen: 1, ..command(document.clone()) };
    assert!(matches!(workshop.save_revision(&actor, &same).await, Err(Refusal::NothingNew)));
    let all = [next(7600), next(7700), next(7800), next(7900)];
    let [a, b, c, d] = &all;
    let done = tokio::join!(
        workshop.save_revision(&actor, a),
        workshop.save_revision(&actor, b),
        workshop.save_revision(&actor, c),
        workshop.save_revision(&actor, d),
    );
    let done = [done.0, done.1, done.2, done.3];
    assert_eq!(done.iter().filter(|d| d.is_ok()).count(), 1, "{done:?}");
    assert!(done.iter().filter_map(|d| d.as_ref().err()).all(|e| matches!(e, Refusal::NewerRevision(_))));
}

/// A list shows what the page of a design shows, whatever was known when the design was saved.
#[tokio::test]
async fn lists_show_the_figures_of_the_designs_own_pages() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    for _ in 0..6 {
        let id = super::run(&workshop, &actor, revision).await;
        super::measure_well(&workshop, &actor, id).await;
    }
    workshop.fit_now(&actor).await.unwrap();
    for policy in [store::calibration::CalibrationPolicy::On, store::calibration::CalibrationPolicy::Off] {
        let page = workshop.revision(&actor, revision).await.unwrap();
        workshop.set_calibration_policy(&actor, page.row.design_id, policy).await.unwrap();
        let shown =
            workshop.prediction_of(&actor, Some(page.row.design_id), &page.design).await.unwrap().unwrap();
        let listed = workshop.designs(&actor, &DesignFilter::default()).await.unwrap().remove(0);
        assert_eq!(listed.resistance_20c_ohm, Some(shown.pickup.resistance_20c_ohm.nominal), "{policy:?}");
        assert_eq!(listed.inductance_h, Some(shown.pickup.inductance_h.nominal));
        // Kept: the next list finds them so.
        let again = workshop.designs(&actor, &DesignFilter::default()).await.unwrap().remove(0);
        assert_eq!((again.figures_of, again.peak_hz), (listed.figures_of, listed.peak_hz));
    }
}
