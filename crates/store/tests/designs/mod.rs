//! Designs, their revisions, tags and sweeps.

use super::{design, workshop};
use dev_database::fresh_store;
use store::audit::{AuditAction, AuditFilter};
use store::design::{DesignFilter, DesignOrder, NewRevision};
use store::sweep::{NewSweep, OverlayNames};
use store::{ClientKey, RunId, StoreError};

#[tokio::test]
async fn revisions_are_numbered_kept_and_belong_to_their_workshop() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, _) = workshop(&store, "heron").await;
    let first = design(&store, shop, owner, "Reed lap steel").await;
    let mut changed = store.workshop(shop).revision(first).await.unwrap().design;
    changed.coils[0].wind.turns = 8000;
    let key = ClientKey::random();
    let next = NewRevision {
        key,
        parent: Some(first),
        note: "hotter",
        design: &changed,
        prediction: None,
        newest_seen: None,
        is_variant: false,
    };
    let second = store.workshop(shop).save_revision(owner, &next).await.unwrap();
    // The same submission again is the same revision.
    assert_eq!(store.workshop(shop).save_revision(owner, &next).await.unwrap(), second);
    let saved = store.workshop(shop).revision(second).await.unwrap();
    assert_eq!((saved.row.number, saved.row.parent_id, saved.row.turns), (2, Some(first), 8000));
    assert_eq!(saved.design, changed);
    assert_eq!(store.workshop(shop).revision(first).await.unwrap().row.turns, 7500);
    let all = store.workshop(shop).revisions(saved.row.design_id).await.unwrap();
    assert_eq!(all.iter().map(|r| r.number).collect::<Vec<_>>(), [2, 1]);
    assert!(matches!(store.workshop(other).revision(second).await, Err(StoreError::Missing("revision"))));
    assert!(matches!(
        store.workshop(other).revisions(saved.row.design_id).await,
        Err(StoreError::Missing(_))
    ));
    let stolen = NewRevision { key: ClientKey::random(), ..next.clone() };
    assert!(matches!(store.workshop(other).save_revision(owner, &stolen).await, Err(StoreError::Missing(_))));
}

#[tokio::test]
async fn two_people_saving_at_once_get_two_revisions() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let first = design(&store, shop, owner, "Mandola").await;
    let document = store.workshop(shop).revision(first).await.unwrap().design;
    let save = || async {
        let new = NewRevision {
            key: ClientKey::random(),
            parent: Some(first),
            note: "",
            design: &document,
            prediction: None,
            newest_seen: None,
            is_variant: false,
        };
        store.workshop(shop).save_revision(owner, &new).await
    };
    let (a, b, c) = tokio::join!(save(), save(), save());
    assert!(a.is_ok() && b.is_ok() && c.is_ok(), "{a:?} {b:?} {c:?}");
    let row = store.workshop(shop).revision(first).await.unwrap().row;
    assert_eq!(store.workshop(shop).revisions(row.design_id).await.unwrap().len(), 4);
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
        store.workshop(shop).designs(&filter).await.unwrap().into_iter().map(|row| row.name).collect()
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
    let shop = store.workshop(shop);
    shop.label_design(owner, first, "", &tags(&["order 12", "neck"]), None).await.unwrap();
    shop.label_design(owner, first, "the bright one", &tags(&["neck", "bright"]), None).await.unwrap();
    let foreign =
        store.workshop(other).label_design(stranger, first, "mine", &tags(&["mine"]), Some(true)).await;
    assert!(matches!(foreign, Err(StoreError::Missing("revision"))));
    assert_eq!(shop.tags().await.unwrap(), ["bright", "neck"]);
    let row = shop.revision(first).await.unwrap().row;
    assert_eq!((row.label.as_str(), row.tags.as_str()), ("the bright one", "bright,neck"));
    let named = async |filter: DesignFilter| -> Vec<String> {
        shop.designs(&filter).await.unwrap().into_iter().map(|r| r.name).collect()
    };
    assert_eq!(named(DesignFilter { tag: "neck".into(), ..DesignFilter::default() }).await, ["Mandola"]);
    let twins = DesignFilter { kind: Some(coil::design::Format::TwinCoil), ..DesignFilter::default() };
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
    assert!(store.workshop(other).audit_trail(&AuditFilter::default(), None, 50).await.unwrap().is_empty());
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
    store.workshop(shop).add_sweep(owner, &new).await.unwrap();
    store.workshop(shop).add_sweep(owner, &new).await.unwrap();
    assert!(matches!(
        store.workshop(other).add_sweep(stranger, &new).await,
        Err(StoreError::Missing("revision"))
    ));
    let kept = store.workshop(shop).sweeps(Some(first)).await.unwrap();
    assert_eq!(kept.len(), 1);
    assert_eq!((kept[0].label.as_str(), kept[0].by.as_str()), ("first coil", "Ode Farrow"));
    assert_eq!(kept[0].sweep().unwrap(), sweep);
    assert_eq!(store.workshop(shop).sweeps(None).await.unwrap().len(), 1);
    assert!(
        store.workshop(shop).sweeps_of_run(RunId(0), 4).await.unwrap().is_empty(),
        "it was swept without a run"
    );
    assert!(store.workshop(other).sweeps(None).await.unwrap().is_empty());
}

/// What can be laid over a response is named with its design; variants are no one's newest.
#[tokio::test]
async fn overlays_and_sweeps_are_found_by_their_design() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, _) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let first = design(&store, shop, owner, "Mandola").await;
    let document = own.revision(first).await.unwrap().design;
    let next = |is_variant| NewRevision {
        key: ClientKey::random(),
        parent: Some(first),
        note: "",
        design: &document,
        prediction: None,
        newest_seen: None,
        is_variant,
    };
    let second = own.save_revision(owner, &next(false)).await.unwrap();
    own.save_revision(owner, &next(true)).await.unwrap();
    let lone = design(&store, shop, owner, "Baritone").await;
    let sweep = trade::sweep::Sweep { hz: vec![100.0, 4000.0], db: vec![0.0, 6.5], input: None };
    for (revision, label) in [(first, "as wound"), (second, "waxed"), (lone, "other")] {
        let (key, sweep) = (ClientKey::random(), &sweep);
        own.add_sweep(owner, &NewSweep { key, revision, run: None, label, sweep, at: None }).await.unwrap();
    }
    let OverlayNames { revisions, sweeps, rewinds } = own.overlay_names().await.unwrap();
    assert!(rewinds.is_empty());
    let names: Vec<(&str, u32)> = revisions.iter().map(|r| (r.1.as_str(), r.2)).collect();
    assert_eq!(names, [("Baritone", 1), ("Mandola", 2)]);
    assert!(sweeps.iter().any(|s| s.1 == "Mandola r2: waxed"), "{sweeps:?}");
    let design_id = own.revision(first).await.unwrap().row.design_id;
    let of_design = own.sweeps_of_design(design_id).await.unwrap();
    assert_eq!(of_design.iter().map(|s| s.label.as_str()).collect::<Vec<_>>(), ["waxed", "as wound"]);
    assert!(store.workshop(other).sweeps_of_design(design_id).await.unwrap().is_empty());
    assert!(matches!(store.workshop(other).sweep(sweeps[0].0).await, Err(StoreError::Missing("sweep"))));
    assert_eq!(own.sweep(sweeps[0].0).await.unwrap().sweep().unwrap(), sweep);
    // Archived designs are laid over nothing.
    own.label_design(owner, lone, "", &[], Some(true)).await.unwrap();
    assert_eq!(own.overlay_names().await.unwrap().revisions.len(), 1);
    // The last revisions of each, up to as many as are asked for.
    let recent = own.recent_revisions(2).await.unwrap();
    assert_eq!(recent.iter().map(|r| r.number).collect::<Vec<_>>(), [3, 2]);
    let documents = own.documents(&[first, lone]).await.unwrap();
    assert_eq!(documents.len(), 2);
    assert!(documents.iter().any(|(id, d)| *id == lone && d.name == "Baritone"));
    assert!(store.workshop(other).documents(&[first]).await.unwrap().is_empty());
    assert!(own.documents(&[]).await.unwrap().is_empty());
}

/// Lists show figures of the engine and the calibration as they are now; those of other workshops stay as they are.
#[tokio::test]
async fn listed_figures_are_kept_by_their_workshop() {
    use store::design::ListedFigures;
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, _) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let id = design(&store, shop, owner, "Mandola").await;
    let figures = |ohm| ListedFigures {
        id,
        figures_of: "0.9.0:4".into(),
        resistance_20c_ohm: Some(ohm),
        inductance_h: None,
        peak_hz: Some(4321.5),
    };
    own.keep_listed_figures(&[]).await.unwrap();
    store.workshop(other).keep_listed_figures(&[figures(1.0)]).await.unwrap();
    assert_ne!(own.revision(id).await.unwrap().row.resistance_20c_ohm, Some(1.0));
    own.keep_listed_figures(&[figures(6543.25)]).await.unwrap();
    let row = own.revision(id).await.unwrap().row;
    assert_eq!((row.resistance_20c_ohm, row.inductance_h, row.peak_hz), (Some(6543.25), None, Some(4321.5)));
    assert_eq!(row.figures_of, "0.9.0:4");
    let found = own.revision_by_key(&ClientKey::random()).await.unwrap();
    assert!(found.is_none(), "no submission had that key");
}
