//! Sets of pickups: predicted, saved by one at a time, balanced, given a partner, taken out and in, wound.

use super::*;
use coil::set::{Freedom, Hum, LeadOrder, PairPhase, PickupMove, PickupRange};
use rstest::rstest;
use store::PickupSetId;
use trade::pairing::{PickupChange, ReverseWinding};
use workshop::{AuditionSide, DraftPickup, MakePartner, SavePickupSet, SetDraft, ThirdString};

pub(super) fn pickup(name: &str, revision: RevisionId, from_bridge_mm: f64) -> DraftPickup {
    DraftPickup { name: name.into(), revision, from_bridge_mm, turned: false, leads: LeadOrder::Normal }
}

pub(super) fn draft(pickups: Vec<DraftPickup>) -> SetDraft {
    SetDraft {
        name: "Sedge pair".into(),
        switch: SetDraft::usual_switch(&pickups),
        pickups,
        controls: coil::set::Controls::default(),
        cable_pf: 470.0,
        input_mohm: 1.0,
        targets: coil::set::Targets::default(),
    }
}

pub(super) async fn saved(workshop: &Workshop, actor: &Actor, draft: &SetDraft) -> PickupSetId {
    let command = SavePickupSet { key: ClientKey::random(), of: None, draft: draft.clone() };
    workshop.save_pickup_set(actor, &command).await.unwrap()
}

#[tokio::test]
async fn a_set_is_predicted_and_saved_by_one_at_a_time() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let draft = draft(vec![pickup("bridge", revision, 42.0), pickup("neck", revision, 158.0)]);
    assert_eq!(draft.switch.iter().map(|p| p.on.len()).collect::<Vec<_>>(), [1, 2, 1]);
    let preview = workshop.preview_set(&owner, &draft).await.unwrap();
    let predicted = preview.predicted.unwrap();
    let pair = &predicted.prediction.pairs[0];
    assert_eq!((pair.phase, pair.hum), (PairPhase::In, Hum::Adds));
    assert_eq!(predicted.mends[0].2[0].change, PickupChange::FlipMagnetAndSwapLeads);

    let id = saved(&workshop, &owner, &draft).await;
    let (row, kept) = workshop.pickup_set(&owner, id).await.unwrap();
    assert_eq!((row.version, &kept), (1, &draft));
    let mut louder = draft.clone();
    louder.pickups[0].from_bridge_mm = 50.0;
    let command = SavePickupSet { key: ClientKey::random(), of: Some((id, 1)), draft: louder };
    workshop.save_pickup_set(&owner, &command).await.unwrap();
    // The other window still shows the first version.
    let late = workshop.save_pickup_set(&owner, &command).await;
    assert!(matches!(late, Err(Refusal::ChangedMeanwhile(_))), "{late:?}");

    // What cannot be is told by its place and not saved.
    let mut wrong = draft.clone();
    wrong.switch[0].on = vec!["middle".into()];
    let command = SavePickupSet { key: ClientKey::random(), of: None, draft: wrong };
    let refused = workshop.save_pickup_set(&owner, &command).await;
    assert!(
        matches!(&refused, Err(Refusal::NotPredictable(p)) if p[0].at == "switch[0].on[0]"),
        "{refused:?}"
    );
    workshop.archive_pickup_set(&owner, id, true).await.unwrap();
    assert!(workshop.pickup_sets(&owner, false).await.unwrap().is_empty());
    assert_eq!(workshop.pickup_sets(&owner, true).await.unwrap().len(), 1);
}

/// Every change that is proposed does what it says once it is made, leaves the newest revision of a design that other sets and runs use
/// as it is, and can be taken back.
#[tokio::test]
async fn what_is_proposed_mends() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let mut draft = draft(vec![pickup("bridge", revision, 42.0), pickup("neck", revision, 158.0)]);
    draft.pickups[1].leads = coil::set::LeadOrder::Swapped;
    let predicted = workshop.preview_set(&owner, &draft).await.unwrap().predicted.unwrap();
    assert_eq!(predicted.prediction.pairs[0].phase, PairPhase::Out);
    let proposed = predicted.mends[0].2.clone();
    assert!(proposed.len() > 2);
    for mend in proposed {
        let id = saved(&workshop, &owner, &draft).await;
        workshop.mend_pickup(&owner, &ClientKey::random(), (id, 1), mend.pickup, mend.change).await.unwrap();
        let (_, kept) = workshop.pickup_set(&owner, id).await.unwrap();
        let after = workshop.preview_set(&owner, &kept).await.unwrap().predicted.unwrap();
        let pair = &after.prediction.pairs[0];
        assert_eq!((pair.phase, pair.hum), (PairPhase::In, mend.after.hum), "{:?}", mend.change);
        assert!((pair.hum_rejection_db - mend.after.hum_rejection_db).abs() < 1.0, "{:?}", mend.change);
        let designed = workshop.revision(&owner, revision).await.unwrap();
        assert_eq!(
            workshop.newest_revision(&owner, &designed).await.unwrap().id,
            revision,
            "{:?}",
            mend.change
        );
        let changed = workshop.revision(&owner, kept.pickups[mend.pickup].revision).await.unwrap();
        assert_eq!(changed.row.name != designed.row.name, mend.change != PickupChange::SwapLeads);
        assert_eq!(changed.row.is_variant, mend.change != PickupChange::SwapLeads);
        workshop.undo_set_change(&owner, &ClientKey::random(), (id, 2)).await.unwrap();
        assert_eq!(workshop.pickup_set(&owner, id).await.unwrap().1, draft);
        // What is taken back once is not taken back again.
        let again = workshop.undo_set_change(&owner, &ClientKey::random(), (id, 3)).await;
        assert!(matches!(again, Err(Refusal::NotFound(_))), "{again:?}");
    }
}

/// The same change made twice is the design as it was: no third revision says what the first says.
#[tokio::test]
async fn what_is_mended_back_is_the_design_itself() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let draft = draft(vec![pickup("bridge", revision, 42.0), pickup("neck", revision, 158.0)]);
    let id = saved(&workshop, &owner, &draft).await;
    for version in 1..=2 {
        let (key, change) = (ClientKey::random(), PickupChange::WindTheOtherWay);
        workshop.mend_pickup(&owner, &key, (id, version), 1, change).await.unwrap();
    }
    assert_eq!(workshop.pickup_set(&owner, id).await.unwrap().1, draft);
}

/// Its partner is in phase with the first pickup, cancels its hum, and is as loud where that was asked for; the usual switch grows.
#[rstest]
#[tokio::test]
async fn a_partner_cancels_hum_and_is_as_loud(
    #[values(LeadOrder::Normal, LeadOrder::Swapped)] leads: LeadOrder,
    #[values(false, true)] is_turned: bool,
) {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let neck = DraftPickup { leads, ..pickup("neck", revision, 158.0) };
    let draft = draft(vec![neck]);
    let id = saved(&workshop, &owner, &draft).await;
    let command = MakePartner {
        key: ClientKey::random(),
        set: (id, 1),
        pickup: 0,
        name: "bridge".into(),
        from_bridge_mm: 60.0,
        school: ReverseWinding::TurnTheOtherWay,
        is_turned,
        is_balanced: true,
    };
    let made = workshop.make_partner(&owner, &command).await.unwrap();
    let (row, kept) = workshop.pickup_set(&owner, id).await.unwrap();
    // It stands where it belongs along the strings, not where it was added.
    let names: Vec<&str> = kept.pickups.iter().map(|p| p.name.as_str()).collect();
    assert_eq!(names, ["bridge", "neck"]);
    assert_eq!((row.version, kept.pickups[0].revision, kept.switch.len()), (2, made, 3));
    let predicted = workshop.preview_set(&owner, &kept).await.unwrap().predicted.unwrap().prediction.clone();
    assert_eq!((predicted.pairs[0].phase, predicted.pairs[0].hum), (PairPhase::In, Hum::Cancels));
    assert!(predicted.balance[1].relative_db.abs() < 0.1, "{}", predicted.balance[1].relative_db);
    let partner = workshop.revision(&owner, made).await.unwrap().design;
    let first = workshop.revision(&owner, revision).await.unwrap().design;
    assert_ne!(partner.coils[0].wind.direction, first.coils[0].wind.direction);
    // Turned or not, each pole stands under the string that it stood under.
    assert_eq!(kept.pickups[0].turned, is_turned);
    let placed = workshop.set_document(&owner, &kept).await.unwrap().placed(0, None);
    for (mine, theirs) in placed.poles.iter().zip(&first.poles) {
        assert_eq!((mine.string, mine.x_mm, mine.length_mm), (theirs.string, theirs.x_mm, theirs.length_mm));
    }
    assert!(partner.coils[0].wind.turns > first.coils[0].wind.turns);
}

#[tokio::test]
async fn a_pickup_is_balanced_as_a_variant() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let draft = draft(vec![pickup("bridge", revision, 60.0), pickup("neck", revision, 158.0)]);
    let id = saved(&workshop, &owner, &draft).await;
    let offers = workshop.balance_pickup(&owner, &draft, 0).await.unwrap();
    // The magnets are charged in full already: there is nothing to offer.
    let freedoms: Vec<Freedom> = offers.iter().map(|(b, _)| b.freedom).collect();
    assert_eq!(freedoms, [Freedom::Turns, Freedom::Height, Freedom::Plate]);
    let turns = offers.iter().find(|(b, _)| b.freedom == Freedom::Turns).unwrap();
    assert!(turns.1 && turns.0.change > 1.1);
    workshop.apply_balance(&owner, &ClientKey::random(), (id, 1), 0, Freedom::Turns).await.unwrap();
    let (_, kept) = workshop.pickup_set(&owner, id).await.unwrap();
    let next = workshop.revision(&owner, kept.pickups[0].revision).await.unwrap();
    assert_eq!((next.row.number, next.row.parent_id, next.row.is_variant), (2, Some(revision), true));
    let third = |third| {
        let workshop = &workshop;
        async move { workshop.set_up_sheet(&owner, id, Some(250.0), third).await.unwrap().heights }
    };
    let heights = third(Some(ThirdString::Plain)).await;
    assert_eq!((heights.len(), heights[0].strings.len()), (2, 6));
    // Less steel over its pole is softer.
    let wound = third(Some(ThirdString::Wound)).await;
    assert!(wound[0].strings[2].relative_db < heights[0].strings[2].relative_db - 1.0);
}

/// A set goes out as one document and comes back equal: to the workshop that has its designs as the same revisions, to another with
/// designs of its own.
#[tokio::test]
async fn a_set_goes_out_and_comes_back() {
    let (workshop, owner, store) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let draft = draft(vec![pickup("bridge", revision, 42.0), pickup("neck", revision, 158.0)]);
    let document = workshop.set_document(&owner, &draft).await.unwrap();
    let text = serde_json::to_string(&document).unwrap();
    let read = coil::set::read(&text).unwrap();
    assert_eq!(read, document);
    let id = workshop.import_set(&owner, &ClientKey::random(), &read).await.unwrap();
    assert_eq!(workshop.pickup_set(&owner, id).await.unwrap().1, draft);
    let owner_of_other = store::person::NewPerson {
        name: "Heron",
        sign_in: "heron",
        password_hash: Some("x"),
        role: Role::Owner,
    };
    let (elsewhere, person) = store.create_workshop("Heron Yard", &owner_of_other).await.unwrap();
    let (other, stranger) =
        (&workshop, Actor { person, workshop: elsewhere, role: Role::Owner, is_at_station: false });
    let key = ClientKey::random();
    let id = other.import_set(&stranger, &key, &read).await.unwrap();
    assert_eq!(other.import_set(&stranger, &key, &read).await.unwrap(), id);
    let (_, kept) = other.pickup_set(&stranger, id).await.unwrap();
    assert_eq!(other.set_document(&stranger, &kept).await.unwrap(), document);
    assert!(matches!(workshop.pickup_set(&owner, id).await, Err(Refusal::NotFound(_))));
}

/// A search ends with sets that meet the targets; what is taken of it becomes places and next revisions.
#[tokio::test]
async fn what_a_search_found_is_put_into_the_set() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let mut draft = draft(vec![pickup("bridge", revision, 48.0), pickup("neck", revision, 140.0)]);
    draft.targets.balance_db = Some(0.5);
    let id = saved(&workshop, &owner, &draft).await;
    let free = PickupRange { turns: 0.2, place_mm: 4.0, height_mm: 0.0 };
    let ranges = vec![free, PickupRange { height_mm: 1.5, ..PickupRange::default() }];
    let name = workshop.begin_set_search(&owner, &draft, ranges).await.unwrap();
    let found = loop {
        match workshop.job(&owner, &name).unwrap().outcome() {
            Some(JobOutcome::FoundSets(found)) => break found,
            Some(other) => panic!("{other:?}"),
            None => tokio::time::sleep(Duration::from_millis(20)).await,
        }
    };
    let best = &found.candidates[0];
    assert!(best.miss < 0.1, "{}", best.miss);
    workshop.apply_moves(&owner, &ClientKey::random(), (id, 1), &best.moves).await.unwrap();
    let (row, kept) = workshop.pickup_set(&owner, id).await.unwrap();
    assert_eq!(row.version, 2);
    let predicted = workshop.preview_set(&owner, &kept).await.unwrap().predicted.unwrap();
    for (now, told) in predicted.prediction.balance.iter().zip(&best.prediction.balance) {
        assert!(
            (now.relative_db - told.relative_db).abs() < 0.01,
            "{} {}",
            now.relative_db,
            told.relative_db
        );
    }
    let late = workshop.apply_moves(&owner, &ClientKey::random(), (id, 1), &best.moves).await;
    assert!(matches!(late, Err(Refusal::ChangedMeanwhile(_))));
    let far = [PickupMove { height_mm: 100.0, ..PickupMove::default() }];
    let outside = workshop.apply_moves(&owner, &ClientKey::random(), (id, 2), &far).await;
    assert!(matches!(outside, Err(Refusal::AdjustmentOutOfRange)));
}

/// Two positions as sound: at true level the neck is louder than the bridge; a position that is not there is told.
#[tokio::test]
async fn positions_are_heard() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let draft = draft(vec![pickup("bridge", revision, 42.0), pickup("neck", revision, 158.0)]);
    let (sound, louder) =
        workshop.audition_set(&owner, &draft, (0, 2), false, AuditionSide::A).await.unwrap();
    assert!(sound.starts_with(b"RIFF") && louder > 1.0, "{louder}");
    let missing = workshop.audition_set(&owner, &draft, (0, 9), false, AuditionSide::A).await;
    assert!(matches!(missing, Err(Refusal::NotFound(_))));
}

/// Coils in stock are offered to the set of their revision until they are in one.
#[tokio::test]
async fn coils_in_stock_are_offered_once() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let draft = draft(vec![pickup("bridge", revision, 42.0), pickup("neck", revision, 158.0)]);
    let id = saved(&workshop, &owner, &draft).await;
    assert!(workshop.stock_for_set(&owner, &draft).await.unwrap().is_empty());
    let wound = run(&workshop, &owner, revision).await;
    measure_well(&workshop, &owner, wound).await;
    let offered = workshop.stock_for_set(&owner, &draft).await.unwrap();
    assert_eq!(offered.iter().map(|(i, l)| (*i, l.run_id)).collect::<Vec<_>>(), [(0, wound), (1, wound)]);
    workshop.assign_run_to_set(&owner, wound, id, "bridge").await.unwrap();
    assert!(workshop.stock_for_set(&owner, &draft).await.unwrap().is_empty());
}

/// Who winds for a set reads its set-up sheet, and nothing else of it.
#[tokio::test]
async fn an_operator_reads_the_set_up_sheet_of_a_set_that_is_wound() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let id = saved(&workshop, &owner, &draft(vec![pickup("bridge", revision, 42.0)])).await;
    let operator = Actor { role: Role::Operator, ..owner };
    let before = workshop.set_up_sheet(&operator, id, None, None).await;
    assert!(matches!(before, Err(Refusal::NotAllowed(_))), "nothing is wound for it yet");
    let wound = run(&workshop, &owner, revision).await;
    workshop.assign_run_to_set(&operator, wound, id, "bridge").await.unwrap();
    assert_eq!(workshop.set_up_sheet(&operator, id, None, None).await.unwrap().heights.len(), 1);
    assert!(matches!(workshop.pickup_set(&operator, id).await, Err(Refusal::NotAllowed(_))));
}

#[tokio::test]
async fn runs_are_wound_for_a_pickup_of_a_set() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let draft = draft(vec![pickup("bridge", revision, 42.0), pickup("neck", revision, 158.0)]);
    let id = saved(&workshop, &owner, &draft).await;
    let wound = run(&workshop, &owner, revision).await;
    assert!(workshop.assign_run_to_set(&owner, wound, id, "middle").await.is_err());
    workshop.assign_run_to_set(&owner, wound, id, "neck").await.unwrap();
    workshop.assign_run_to_set(&owner, wound, id, "neck").await.unwrap();
    measure_well(&workshop, &owner, wound).await;
    let coils = workshop.coils_of_set(&owner, id).await.unwrap();
    assert_eq!((coils.len(), coils[0].run.pickup.as_str()), (1, "neck"));
    assert!(coils[0].line.as_ref().unwrap().resistance_ohm.is_some());
    // The winder is told where it runs the other way round than the set's first pickup.
    let design = workshop.revision(&owner, revision).await.unwrap().design;
    let place = workshop.set_of_run(&owner, wound, &design).await.unwrap().unwrap();
    assert_eq!((place.set, place.pickup.as_str(), place.other_than), (id, "neck", None));
    let other = trade::pairing::partner(&design, ReverseWinding::TurnTheOtherWay);
    let place = workshop.set_of_run(&owner, wound, &other).await.unwrap().unwrap();
    assert_eq!(place.other_than.as_deref(), Some("bridge"));
    workshop.release_run_from_set(&owner, wound).await.unwrap();
    assert!(workshop.coils_of_set(&owner, id).await.unwrap().is_empty());
}
