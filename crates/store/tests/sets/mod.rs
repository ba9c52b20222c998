//! Sets of pickups and pickups of coils: who has them, versions, runs.

use super::{design, run_of, workshop};
use dev_database::fresh_store;
use store::pickup_set::UndoableChange;
use store::{ClientKey, PickupSetId, RunId, StoreError};

#[tokio::test]
async fn sets_have_versions_and_belong_to_their_workshop() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let key = ClientKey::random();
    let id = own.add_pickup_set(owner, &key, ("Sedge", "{}", "")).await.unwrap();
    // The same submission again is the same set.
    assert_eq!(own.add_pickup_set(owner, &key, ("Other", "{}", "")).await.unwrap(), id);
    let undoable = UndoableChange { document_before: "{}", made: "Something is mended." };
    let changed = ("Sedge two", "{\"a\":1}", "hum adds");
    own.change_pickup_set(owner, (id, 1), changed, Some(undoable)).await.unwrap();
    let row = own.pickup_set(id).await.unwrap();
    assert_eq!(
        (row.name.as_str(), row.document.as_str(), row.trouble.as_str(), row.version),
        ("Sedge two", "{\"a\":1}", "hum adds", 2)
    );
    assert_eq!(
        (row.document_before.as_deref(), row.change_made.as_str()),
        (Some("{}"), "Something is mended.")
    );
    let late = own.change_pickup_set(owner, (id, 1), ("Sedge three", "{}", ""), None).await;
    assert!(matches!(late, Err(StoreError::Changed("set"))), "{late:?}");
    // Another workshop neither sees nor changes it.
    let theirs = store.workshop(other);
    assert!(matches!(theirs.pickup_set(id).await, Err(StoreError::Missing("set"))));
    assert!(theirs.change_pickup_set(stranger, (id, 2), ("x", "{}", ""), None).await.is_err());
    assert!(theirs.archive_pickup_set(stranger, id, true).await.is_err());
    assert!(theirs.pickup_sets(false).await.unwrap().is_empty());
    own.archive_pickup_set(owner, id, true).await.unwrap();
    own.archive_pickup_set(owner, id, true).await.unwrap();
    assert_eq!(
        (own.pickup_sets(false).await.unwrap().len(), own.pickup_sets(true).await.unwrap().len()),
        (0, 1)
    );
    own.archive_pickup_set(owner, id, false).await.unwrap();
    assert_eq!(own.pickup_sets(false).await.unwrap()[0].version, 2);
    // Each change stands in the trail.
    let filter = store::audit::AuditFilter {
        action: Some(store::audit::AuditAction::PickupSet),
        ..store::audit::AuditFilter::default()
    };
    assert_eq!(own.audit_trail(&filter, None, 20).await.unwrap().len(), 3);
}

#[tokio::test]
async fn a_run_is_in_one_set_at_a_time() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, _) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let revision = design(&store, shop, owner, "Sedge").await;
    let document = own.revision(revision).await.unwrap().design;
    let run = own.start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let mut sets = Vec::new();
    for name in ["one", "two"] {
        sets.push(own.add_pickup_set(owner, &ClientKey::random(), (name, "{}", "")).await.unwrap());
    }
    own.assign_run_to_set(owner, run, sets[0], "bridge").await.unwrap();
    own.assign_run_to_set(owner, run, sets[1], "neck").await.unwrap();
    assert!(own.runs_of_set(sets[0]).await.unwrap().is_empty());
    let wound = own.runs_of_set(sets[1]).await.unwrap();
    assert_eq!(
        (wound.len(), wound[0].pickup.as_str(), wound[0].is_voided, wound[0].is_closed),
        (1, "neck", false, false)
    );
    assert_eq!(own.set_of_run(run).await.unwrap(), Some((sets[1], "two".into(), "neck".into())));
    assert_eq!(own.runs_in_sets().await.unwrap(), [run]);
    for (missing_run, set) in [(RunId(999), sets[0]), (run, PickupSetId(999))] {
        let before = own.set_of_run(run).await.unwrap();
        let _ = own.assign_run_to_set(owner, missing_run, set, "neck").await;
        assert_eq!(own.set_of_run(run).await.unwrap(), before);
    }
    assert!(own.assign_run_to_set(owner, RunId(999), sets[0], "neck").await.is_err());
    assert!(store.workshop(other).runs_of_set(sets[1]).await.unwrap().is_empty());
    own.release_run_from_set(owner, run).await.unwrap();
    assert!(own.set_of_run(run).await.unwrap().is_none());
}

/// A coil is in one pickup; the second run that would take it is not written at all.
#[tokio::test]
async fn a_coil_is_in_one_pickup() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    let revision = design(&store, shop, owner, "Sedge").await;
    let document = own.revision(revision).await.unwrap().design;
    let coil = own.start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let coils = [coil];
    let whole = store::run::NewRun { coils: &coils, ..run_of(revision, owner, &document) };
    let first = own.start_run(owner, &whole).await.unwrap();
    assert_eq!(own.start_run(owner, &whole).await.unwrap(), first);
    let second = store::run::NewRun { key: ClientKey::random(), ..whole.clone() };
    assert!(matches!(own.start_run(owner, &second).await, Err(StoreError::Taken(_))));
    assert_eq!(own.whole_of_run(coil).await.unwrap().map(|(id, _)| id), Some(first));
    let of = own.coils_of_run(first).await.unwrap();
    assert_eq!((of.len(), of[0].run_id, of[0].coil.as_str()), (1, coil, document.coils[0].name.as_str()));
    assert_eq!(own.runs_of_revision(revision).await.unwrap().len(), 2);
    // A design of one coil has none that are wound by themselves.
    let design = own.revision(revision).await.unwrap().row.design_id;
    assert!(own.free_coils(design).await.unwrap().is_empty());
}
