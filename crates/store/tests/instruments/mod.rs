//! Instruments: versions, the analyser that shows resonances, counters, networks.

use super::{design, run_of, workshop};
use dev_database::fresh_store;
use store::audit::{AuditAction, AuditFilter};
use store::instrument::{Instrument, NewInstrument};
use store::{ClientKey, InstrumentId, RunId, StoreError, WorkshopStore};
use trade::instrument::InstrumentKind;
use trade::machine::MachineProfile;

fn named(kind: InstrumentKind, name: &str) -> NewInstrument<'_> {
    NewInstrument {
        key: ClientKey::random(),
        kind,
        name,
        address: "127.0.0.1:5025",
        resolution: None,
        accuracy: None,
        test_hz: None,
        due: None,
        input_pf: None,
        input_mohm: None,
        simulated: false,
    }
}

async fn only(shop: &WorkshopStore, name: &str) -> Instrument {
    let all = shop.instruments().await.unwrap();
    all.into_iter().find(|i| i.name == name).unwrap()
}

#[tokio::test]
async fn an_instrument_is_changed_as_it_was_seen() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    own.add_instrument(owner, &named(InstrumentKind::Lcr, "bridge")).await.unwrap();
    let seen = only(&own, "bridge").await;
    let better = NewInstrument {
        name: "bridge two",
        accuracy: Some(0.002),
        test_hz: Some(1000.0),
        input_pf: Some(15.0),
        input_mohm: Some(10.0),
        ..named(InstrumentKind::Lcr, "")
    };
    own.change_instrument(owner, seen.id, seen.version, &better).await.unwrap();
    let now = only(&own, "bridge two").await;
    assert_eq!((now.version, now.accuracy, now.test_hz), (seen.version + 1, Some(0.002), Some(1000.0)));
    assert_eq!((now.input_pf, now.input_mohm), (Some(15.0), Some(10.0)));
    let late = own.change_instrument(owner, seen.id, seen.version, &better).await;
    assert!(matches!(late, Err(StoreError::Changed("instrument"))));
    let theirs = store.workshop(other).change_instrument(stranger, seen.id, now.version, &better).await;
    assert!(matches!(theirs, Err(StoreError::Missing("instrument"))));
    own.retire_instrument(owner, seen.id).await.unwrap();
    assert!(own.instruments().await.unwrap().is_empty());
    assert!(own.change_instrument(owner, seen.id, now.version, &better).await.is_err(), "it is out of use");
    let filter = AuditFilter { action: Some(AuditAction::Instrument), ..AuditFilter::default() };
    let trail = own.audit_trail(&filter, None, 20).await.unwrap();
    let after: serde_json::Value = serde_json::from_str(trail[1].after_text.as_ref().unwrap()).unwrap();
    assert_eq!(after["input, pF"], 15.0);
}

/// Resonances are shown by one instrument at a time.
#[tokio::test]
async fn one_analyser_shows_the_resonances() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    for name in ["first", "second"] {
        own.add_instrument(owner, &named(InstrumentKind::Sweep, name)).await.unwrap();
    }
    for name in ["first", "second"] {
        own.show_resonances_by(owner, only(&own, name).await.id).await.unwrap();
        let shown: Vec<String> =
            own.instruments().await.unwrap().into_iter().filter(|i| i.shown).map(|i| i.name).collect();
        assert_eq!(shown, [name]);
    }
    assert!(matches!(
        own.show_resonances_by(owner, InstrumentId(999)).await,
        Err(StoreError::Missing("instrument"))
    ));
    assert!(only(&own, "second").await.shown, "what is not there takes nothing away");
}

#[tokio::test]
async fn a_winder_keeps_its_machine() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    own.add_instrument(owner, &named(InstrumentKind::Winder, "north winder")).await.unwrap();
    let winder = only(&own, "north winder").await;
    assert_eq!(winder.machine().unwrap(), MachineProfile::default());
    let machine = MachineProfile { header: vec!["(sedge)".into()], ..MachineProfile::default() };
    own.keep_machine(owner, winder.id, &machine).await.unwrap();
    assert_eq!(only(&own, "north winder").await.machine().unwrap(), machine);
}

/// A counter belongs to one run; of two who take it at once, one does.
#[tokio::test]
async fn a_counter_counts_for_one_run() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    let revision = design(&store, shop, owner, "Sedge").await;
    let document = own.revision(revision).await.unwrap().design;
    let mut runs = Vec::new();
    for _ in 0..2 {
        runs.push(own.start_run(owner, &run_of(revision, owner, &document)).await.unwrap());
    }
    own.add_instrument(owner, &named(InstrumentKind::Winder, "north winder")).await.unwrap();
    let winder = only(&own, "north winder").await.id;
    assert_eq!(own.counted_run(winder).await.unwrap(), None);
    let (a, b) = tokio::join!(own.count_for(winder, None, runs[0]), own.count_for(winder, None, runs[1]));
    assert_eq!(usize::from(a.unwrap()) + usize::from(b.unwrap()), 1);
    let holder = own.counted_run(winder).await.unwrap().unwrap();
    let waits = if holder == runs[0] { runs[1] } else { runs[0] };
    assert!(!own.count_for(winder, Some(waits), waits).await.unwrap(), "it is not as it was seen");
    assert!(own.count_for(winder, Some(holder), waits).await.unwrap());
    // A run that is voided lets its winder go.
    assert!(own.void_run(owner, waits, "begun by mistake").await.unwrap());
    assert_eq!(own.counted_run(winder).await.unwrap(), None);
    assert_eq!(own.counted_run(InstrumentId(999)).await.unwrap(), None);
    assert!(!own.void_run(owner, waits, "again").await.unwrap());
    assert!(!own.void_run(owner, RunId(999), "none").await.unwrap());
}

#[tokio::test]
async fn networks_are_allowed_and_forbidden() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    for network in ["192.0.2.0/24", "192.0.2.0/24", "127.0.0.1"] {
        own.allow_instrument_network(owner, network).await.unwrap();
    }
    let all = own.instrument_networks().await.unwrap();
    assert_eq!(all.iter().map(|n| n.1.as_str()).collect::<Vec<_>>(), ["127.0.0.1", "192.0.2.0/24"]);
    assert!(store.workshop(other).instrument_networks().await.unwrap().is_empty());
    assert!(!store.workshop(other).forbid_instrument_network(stranger, all[0].0).await.unwrap());
    assert!(own.forbid_instrument_network(owner, all[0].0).await.unwrap());
    assert!(!own.forbid_instrument_network(owner, all[0].0).await.unwrap());
    assert_eq!(own.instrument_networks().await.unwrap().len(), 1);
    let filter = AuditFilter { action: Some(AuditAction::InstrumentNetwork), ..AuditFilter::default() };
    assert_eq!(own.audit_trail(&filter, None, 20).await.unwrap().len(), 3);
}
