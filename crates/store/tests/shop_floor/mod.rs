//! Operations under way, pins, outages and the plan that people last saw.

use super::{design, run_of, workshop};
use dev_database::fresh_store;
use store::shop_floor::{NewOutage, PlanPin};
use store::{ClientKey, OrderId, OutageId, RunId, StoreError};
use time::PrimitiveDateTime;
use time::macros::datetime;

const MORNING: PrimitiveDateTime = datetime!(2031-03-14 08:00);
const NOON: PrimitiveDateTime = datetime!(2031-03-14 12:00);

#[tokio::test]
async fn an_operation_runs_from_when_it_was_begun() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let revision = design(&store, shop, owner, "Sedge").await;
    let document = own.revision(revision).await.unwrap().design;
    let run = own.start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    for operation in ["wind", "solder", "wind"] {
        own.begin_operation(owner, run, operation).await.unwrap();
    }
    let running = own.running_operations().await.unwrap();
    let keys: Vec<&str> = running.iter().map(|r| r.operation.as_str()).collect();
    assert_eq!(keys, ["wind", "solder"], "one that runs goes on");
    assert_eq!(
        (running[0].run_id, running[0].person.as_str(), &running[0].winder),
        (run, "Ode Farrow", &None)
    );
    own.lay_down_operation(owner, run, "solder").await.unwrap();
    assert_eq!(own.running_operations().await.unwrap().len(), 1);
    // What is signed runs no more; so does what is voided.
    own.sign(run, owner, "wind", "").await.unwrap();
    assert!(own.running_operations().await.unwrap().is_empty());
    own.begin_operation(owner, run, "solder").await.unwrap();
    own.void_run(owner, run, "begun by mistake").await.unwrap();
    assert!(own.running_operations().await.unwrap().is_empty());
    assert!(own.unvoid_run(run).await.unwrap());
    assert_eq!(own.running_operations().await.unwrap().len(), 1);
    assert!(matches!(own.begin_operation(owner, RunId(999), "wind").await, Err(StoreError::Missing("run"))));
    let theirs = store.workshop(other);
    assert!(theirs.begin_operation(stranger, run, "wind").await.is_err());
    theirs.lay_down_operation(stranger, run, "solder").await.unwrap();
    assert_eq!(own.running_operations().await.unwrap().len(), 1, "not by another workshop");
}

#[tokio::test]
async fn a_pin_holds_until_it_is_taken_off() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let pin = |job: &str, starts_at| PlanPin {
        job: job.into(),
        operation: "wind".into(),
        starts_at,
        resources: "Ode\nwinder 1".into(),
    };
    own.pin_operation(owner, &pin("order:4:1", NOON)).await.unwrap();
    own.pin_operation(owner, &pin("run:7", NOON)).await.unwrap();
    own.pin_operation(owner, &pin("run:7", MORNING)).await.unwrap();
    let all = own.plan_pins().await.unwrap();
    assert_eq!(all, [pin("run:7", MORNING), pin("order:4:1", NOON)], "one place each, the earliest first");
    assert!(store.workshop(other).plan_pins().await.unwrap().is_empty());
    // What was pinned of an order's pickup holds for its run; what the run has already stays.
    own.move_pins(OrderId(4), 1, RunId(9)).await.unwrap();
    own.pin_operation(owner, &pin("order:4:2", NOON)).await.unwrap();
    own.move_pins(OrderId(4), 2, RunId(7)).await.unwrap();
    let jobs: Vec<String> = own.plan_pins().await.unwrap().into_iter().map(|p| p.job).collect();
    assert!(jobs.contains(&"run:9".to_owned()) && !jobs.contains(&"order:4:1".to_owned()), "{jobs:?}");
    assert_eq!(own.plan_pins().await.unwrap()[0], pin("run:7", MORNING));
    store.workshop(other).unpin_operation(stranger, "run:7", "wind").await.unwrap();
    own.unpin_operation(owner, "run:9", "solder").await.unwrap();
    assert_eq!(own.plan_pins().await.unwrap().len(), jobs.len());
    own.unpin_operation(owner, "run:7", "wind").await.unwrap();
    assert_eq!(own.plan_pins().await.unwrap().len(), jobs.len() - 1);
}

#[tokio::test]
async fn what_is_broken_is_told_until_it_is_mended() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let broken = NewOutage { resource: "winder:1", reason: "belt", from_at: MORNING, until_at: None };
    let away = NewOutage { resource: "person:2", reason: "away", from_at: MORNING, until_at: Some(NOON) };
    let key = ClientKey::random();
    for _ in 0..2 {
        own.report_outage(owner, &key, &broken).await.unwrap();
    }
    own.report_outage(owner, &ClientKey::random(), &away).await.unwrap();
    let all = own.outages(MORNING).await.unwrap();
    assert_eq!(all.iter().map(|o| o.resource.as_str()).collect::<Vec<_>>(), ["person:2", "winder:1"]);
    assert_eq!((all[1].reason.as_str(), all[1].from_at, all[1].by.as_str()), ("belt", MORNING, "Ode Farrow"));
    assert_eq!(own.outages(NOON).await.unwrap().len(), 1, "somebody is there again at noon");
    assert!(matches!(
        store.workshop(other).end_outage(stranger, all[1].id).await,
        Err(StoreError::Missing("outage"))
    ));
    own.end_outage(owner, all[1].id).await.unwrap();
    own.end_outage(owner, all[1].id).await.unwrap();
    assert!(own.outages(NOON).await.unwrap().is_empty());
    assert!(own.end_outage(owner, OutageId(999)).await.is_err());
}

#[tokio::test]
async fn the_plan_that_people_saw_is_kept() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    own.keep_plan_baseline_as_of("{}").await.unwrap();
    assert!(own.plan_baseline().await.unwrap().is_none(), "nobody saw one");
    own.keep_plan_baseline("first", None).await.unwrap();
    own.keep_plan_baseline("second", None).await.unwrap();
    let (seen_at, document) = own.plan_baseline().await.unwrap().unwrap();
    assert_eq!(document, "first", "the first stays until it is seen anew");
    own.keep_plan_baseline_as_of("first and more").await.unwrap();
    assert_eq!(own.plan_baseline().await.unwrap(), Some((seen_at, "first and more".to_owned())));
    own.keep_plan_baseline("third", Some(owner)).await.unwrap();
    let (again, document) = own.plan_baseline().await.unwrap().unwrap();
    assert!(again > seen_at && document == "third");
}
