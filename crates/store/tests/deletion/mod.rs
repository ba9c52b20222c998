//! What nothing depends on is deleted for good; everything else stays whole.

use super::{design, run_of, spool, workshop};
use dev_database::fresh_store;
use rstest::rstest;
use store::audit::AuditFilter;
use store::deletion::Deletable;
use store::experiment::{NewExperiment, Sample, Score};
use store::instrument::NewInstrument;
use store::order::{NewOrder, OrderState};
use store::part::NewPart;
use store::rewind::{NewRewind, Purpose, RewindState};
use store::{
    ClientKey, ExperimentId, ListeningId, OrderId, PartId, PersonId, PickupSetId, RevisionId, RewindId,
    StoreError, WorkshopStore,
};
use trade::instrument::InstrumentKind;
use trade::stock::PartKind;

async fn part(shop: &WorkshopStore, by: PersonId, name: &str) -> PartId {
    let new = NewPart {
        key: ClientKey::random(),
        kind: PartKind::Magnet,
        name: name.into(),
        each_cost: None,
        order_below: None,
        supplier: String::new(),
        stock: 6,
    };
    shop.add_part(by, &new).await.unwrap()
}

async fn rewind(shop: &WorkshopStore, by: PersonId) -> RewindId {
    let new = NewRewind {
        name: "a quiet one",
        purpose: Purpose::Rewind,
        tags: "",
        document: "{}",
        conclusion: "",
        state: RewindState::Open,
        revision_id: None,
    };
    shop.add_rewind(by, &ClientKey::random(), &new).await.unwrap()
}

async fn order(shop: &WorkshopStore, by: PersonId, document: &str) -> OrderId {
    let new = NewOrder { customer: "mark A", promised_on: None, state: OrderState::Asked, document };
    shop.add_order(by, &ClientKey::random(), &new).await.unwrap()
}

async fn experiment(shop: &WorkshopStore, by: PersonId, arms: &[RevisionId]) -> ExperimentId {
    let new = NewExperiment { key: ClientKey::random(), question: "wax?", arms, cares_percent: 2.0 };
    shop.begin_experiment(by, &new).await.unwrap()
}

/// One of each kind, with nothing that depends on it.
async fn one_of(shop: &WorkshopStore, by: PersonId, revision: RevisionId, what: Deletable) -> u64 {
    match what {
        Deletable::Revision => revision.0,
        Deletable::Spool => spool(shop, by, "K-7").await.0,
        Deletable::Part => part(shop, by, "rod").await.0,
        Deletable::Instrument => {
            let new = NewInstrument {
                key: ClientKey::random(),
                kind: InstrumentKind::Lcr,
                name: "bridge",
                address: "",
                resolution: None,
                accuracy: None,
                test_hz: None,
                due: None,
                input_pf: None,
                input_mohm: None,
                simulated: false,
            };
            shop.add_instrument(by, &new).await.unwrap();
            shop.instruments().await.unwrap()[0].id.0
        }
        Deletable::PickupSet => {
            shop.add_pickup_set(by, &ClientKey::random(), ("three", "{}", "")).await.unwrap().0
        }
        Deletable::Rewind => rewind(shop, by).await.0,
        Deletable::Experiment => experiment(shop, by, &[revision]).await.0,
        Deletable::Order => order(shop, by, "{}").await.0,
    }
}

#[rstest]
#[tokio::test]
async fn what_stands_alone_goes_once_and_is_noted(
    #[values(
        Deletable::Revision,
        Deletable::Spool,
        Deletable::Part,
        Deletable::Instrument,
        Deletable::PickupSet,
        Deletable::Rewind,
        Deletable::Experiment,
        Deletable::Order
    )]
    what: Deletable,
) {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let revision = design(&store, shop, owner, "Sedge").await;
    let id = one_of(&own, owner, revision, what).await;
    let lines = async || own.audit_trail(&AuditFilter::default(), None, 50).await.unwrap();
    let before = lines().await.len();
    assert!(matches!(store.workshop(other).delete(stranger, what, id).await, Err(StoreError::Missing(_))));
    own.delete(owner, what, id).await.unwrap();
    let trail = lines().await;
    assert_eq!(trail.len(), before + 1);
    assert!(trail[0].before_text.is_some() && trail[0].after_text.is_none(), "{:?}", trail[0]);
    assert!(matches!(own.delete(owner, what, id).await, Err(StoreError::Missing(_))));
}

/// What a run, a document or a listening depends on stays, with everything that belongs to it.
#[tokio::test]
async fn what_something_depends_on_stays_whole() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    let refused = async |what: Deletable, id: u64| {
        let answer = own.delete(owner, what, id).await;
        assert!(matches!(answer, Err(StoreError::InUse(_))), "{what:?}: {answer:?}");
    };
    let wound = design(&store, shop, owner, "wound").await;
    let document = own.revision(wound).await.unwrap().design;
    let k7 = spool(&own, owner, "K-7").await;
    let run = store::run::NewRun { spool: Some(k7), ..run_of(wound, owner, &document) };
    let run = own.start_run(owner, &run).await.unwrap();
    refused(Deletable::Revision, wound.0).await;
    refused(Deletable::Spool, k7.0).await;
    // A design of which a document speaks, in a set and in an order.
    let in_set = design(&store, shop, owner, "in a set").await;
    let in_order = design(&store, shop, owner, "in an order").await;
    let set = format!("{{\"pickups\":[{{\"revision\":{in_set}}}]}}");
    let set = own.add_pickup_set(owner, &ClientKey::random(), ("three", &set, "")).await.unwrap();
    let examined = rewind(&own, owner).await;
    let lines = format!(
        "{{\"lines\":[{{\"item\":{{\"revision\":{in_order}}}}},{{\"item\":{{\"set\":{set}}}}},{{\"item\":{{\"rewind\":{examined}}}}}]}}"
    );
    let asked = order(&own, owner, &lines).await;
    refused(Deletable::Revision, in_set.0).await;
    refused(Deletable::Revision, in_order.0).await;
    refused(Deletable::PickupSet, set.0).await;
    refused(Deletable::Rewind, examined.0).await;
    own.assign_run_to_order(run, asked, 0).await.unwrap();
    refused(Deletable::Order, asked.0).await;
    // A part that a design takes.
    let rod = part(&own, owner, "rod").await;
    let design_id = own.revision(wound).await.unwrap().row.design_id;
    own.set_design_parts(owner, design_id, &[(rod, 6)]).await.unwrap();
    refused(Deletable::Part, rod.0).await;
    own.set_design_parts(owner, design_id, &[(rod, 0)]).await.unwrap();
    own.delete(owner, Deletable::Part, rod.0).await.unwrap();
    // Nothing of what was refused is half gone.
    assert_eq!(own.revision(in_order).await.unwrap().design.name, "in an order");
    assert_eq!(own.pickup_set(set).await.unwrap().id, PickupSetId(set.0));
    assert_eq!(own.spool(k7).await.unwrap().label, "K-7");
}

/// Who was shown the key of a listening is known; an experiment with a listening stays.
#[tokio::test]
async fn a_listening_keeps_its_experiment() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let (a, b) = (design(&store, shop, owner, "A").await, design(&store, shop, owner, "B").await);
    let document = own.revision(a).await.unwrap().design;
    let run = own.start_run(owner, &run_of(a, owner, &document)).await.unwrap();
    let id = experiment(&own, owner, &[a, b]).await;
    assert_eq!(own.experiment(id).await.unwrap().arms(), [a, b]);
    let samples = [Sample { letter: 'A', run }];
    own.begin_listening(id, owner, &ClientKey::random(), &samples).await.unwrap();
    let listening = own.listenings(id).await.unwrap()[0].id;
    assert!(!own.has_seen_listening_key(listening, owner).await.unwrap());
    for _ in 0..2 {
        assert!(own.see_listening_key(listening, owner).await.unwrap());
    }
    assert!(own.has_seen_listening_key(listening, owner).await.unwrap());
    assert!(!own.has_seen_listening_key(listening, stranger).await.unwrap());
    assert!(!store.workshop(other).see_listening_key(listening, stranger).await.unwrap());
    assert!(!own.see_listening_key(ListeningId(999), owner).await.unwrap());
    let scores: [Score; 0] = [];
    assert!(own.score_listening(owner, listening, &scores).await.unwrap());
    assert!(!own.score_listening(owner, listening, &scores).await.unwrap(), "what was heard is not changed");
    assert!(matches!(own.delete(owner, Deletable::Experiment, id.0).await, Err(StoreError::InUse(_))));
    assert!(matches!(own.delete(owner, Deletable::Revision, b.0).await, Err(StoreError::InUse(_))));
}

/// A spool and a part have another name everywhere afterwards, in the trail too; one that is taken stays with its owner.
#[tokio::test]
async fn spools_and_parts_are_renamed() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let (k7, k8) = (spool(&own, owner, "K-7").await, spool(&own, owner, "K-8").await);
    let (rod, screw) = (part(&own, owner, "rod").await, part(&own, owner, "screw").await);
    own.rename_spool(owner, k7, "K-9").await.unwrap();
    own.rename_part(owner, rod, "long rod").await.unwrap();
    assert!(matches!(own.rename_spool(owner, k8, "K-9").await, Err(StoreError::Taken(_))));
    assert!(matches!(own.rename_part(owner, screw, "long rod").await, Err(StoreError::Taken(_))));
    let labels: Vec<String> = own.spool_labels().await.unwrap().into_iter().map(|(_, label)| label).collect();
    assert!(labels.contains(&"K-9".to_owned()) && labels.contains(&"K-8".to_owned()), "{labels:?}");
    let parts = own.parts().await.unwrap();
    assert!(parts.iter().any(|p| p.name == "long rod") && parts.iter().any(|p| p.name == "screw"));
    let theirs = store.workshop(other);
    assert!(matches!(theirs.rename_spool(stranger, k7, "mine").await, Err(StoreError::Missing(_))));
    assert!(matches!(theirs.rename_part(stranger, rod, "mine").await, Err(StoreError::Missing(_))));
    let trail = own.audit_trail(&AuditFilter::default(), None, 50).await.unwrap();
    assert!(trail.iter().any(|row| row.object == "K-7" || row.object == "K-9"), "{trail:?}");
}

/// Which calibration a design uses: the newest, the one at which it is frozen, or none; of no design, the workshop's.
#[tokio::test]
async fn a_design_chooses_its_calibration() {
    use store::calibration::CalibrationPolicy;
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, _) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let revision = design(&store, shop, owner, "Sedge").await;
    let design_id = own.revision(revision).await.unwrap().row.design_id;
    let choice = async |of| own.calibration_choice(of).await.unwrap();
    assert_eq!((choice(None).await.enabled, choice(None).await.newest), (true, None));
    let model = trade::calibration::fit_calibration(&[]);
    let first = own.save_calibration(8, &model).await.unwrap();
    own.set_calibration_policy(owner, design_id, CalibrationPolicy::Frozen(first)).await.unwrap();
    let second = own.save_calibration(9, &model).await.unwrap();
    let frozen = choice(Some(design_id)).await;
    assert_eq!(frozen.policy, CalibrationPolicy::Frozen(first));
    assert_eq!((frozen.frozen, frozen.newest), (Some((first, 1)), Some((second, 2))));
    assert_eq!(own.calibration_exceptions().await.unwrap()[0].frozen_at, Some(1));
    own.set_calibration_policy(owner, design_id, CalibrationPolicy::Off).await.unwrap();
    assert_eq!(choice(Some(design_id)).await.policy, CalibrationPolicy::Off);
    own.set_calibration_policy(owner, design_id, CalibrationPolicy::On).await.unwrap();
    assert_eq!(choice(Some(design_id)).await.policy, CalibrationPolicy::On);
    assert!(own.calibration_exceptions().await.unwrap().is_empty());
    own.set_calibration_enabled(owner, false).await.unwrap();
    assert!(!choice(Some(design_id)).await.enabled && !own.calibration_enabled().await.unwrap());
    let theirs = store.workshop(other).calibration_choice(Some(design_id)).await;
    assert!(matches!(theirs, Err(StoreError::Missing("design"))), "{theirs:?}");
}
