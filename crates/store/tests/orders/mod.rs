//! Orders and the runs that are made for them.

use super::{design, run_of, workshop};
use dev_database::fresh_store;
use rstest::rstest;
use store::order::{NewOrder, OrderState};
use store::{ClientKey, OrderId, RunId, StoreError};
use time::macros::date;

const ASKED: NewOrder<'_> =
    NewOrder { customer: "mark A", promised_on: None, state: OrderState::Asked, document: "{}" };

#[tokio::test]
async fn orders_count_up_in_their_workshop() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let own = store.workshop(shop);
    let key = ClientKey::random();
    let first = own.add_order(owner, &key, &ASKED).await.unwrap();
    assert_eq!(own.add_order(owner, &key, &NewOrder { customer: "other", ..ASKED }).await.unwrap(), first);
    // Several in the same moment each have a number of their own.
    let keys: Vec<ClientKey> = (0..8).map(|_| ClientKey::random()).collect();
    let added =
        futures_util::future::join_all(keys.iter().map(|key| own.add_order(owner, key, &ASKED))).await;
    assert!(added.iter().all(Result::is_ok), "{added:?}");
    let rows = own.orders(false).await.unwrap();
    assert_eq!(rows.iter().map(|o| o.number).collect::<Vec<_>>(), [9, 8, 7, 6, 5, 4, 3, 2, 1]);
    assert_eq!((rows[8].customer.as_str(), rows[8].by.as_str()), ("mark A", "Ode Farrow"));
    let theirs = store.workshop(other);
    assert_eq!(theirs.add_order(stranger, &ClientKey::random(), &ASKED).await.map(|_| ()).ok(), Some(()));
    assert_eq!(theirs.orders(false).await.unwrap()[0].number, 1);
    assert!(matches!(theirs.order(first).await, Err(StoreError::Missing("order"))));
    assert!(theirs.change_order(stranger, (first, 1), &ASKED).await.is_err());
}

/// When it left is noted once, and taken back with it.
#[tokio::test]
async fn an_order_goes_and_comes_back() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    let id = own.add_order(owner, &ClientKey::random(), &ASKED).await.unwrap();
    let gone = NewOrder { state: OrderState::Gone, promised_on: Some(date!(2031 - 03 - 14)), ..ASKED };
    own.change_order(owner, (id, 1), &gone).await.unwrap();
    let left = own.order(id).await.unwrap();
    assert_eq!((left.state.0, left.promised_on, left.version), (OrderState::Gone, gone.promised_on, 2));
    assert!(own.orders(false).await.unwrap().is_empty() && own.orders(true).await.unwrap().len() == 1);
    own.change_order(owner, (id, 2), &NewOrder { document: "{\"a\":1}", ..gone }).await.unwrap();
    assert_eq!(own.order(id).await.unwrap().gone_at, left.gone_at);
    let late = own.change_order(owner, (id, 2), &ASKED).await;
    assert!(matches!(late, Err(StoreError::Changed("order"))));
    own.change_order(owner, (id, 3), &NewOrder { state: OrderState::Ready, ..ASKED }).await.unwrap();
    assert!(own.order(id).await.unwrap().gone_at.is_none());
}

#[rstest]
#[case(OrderState::Agreed, 1)]
#[case(OrderState::Gone, 0)]
#[tokio::test]
async fn runs_are_made_for_an_order(#[case] state: OrderState, #[case] listed: usize) {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    let revision = design(&store, shop, owner, "Sedge").await;
    let document = own.revision(revision).await.unwrap().design;
    let run = own.start_run(owner, &run_of(revision, owner, &document)).await.unwrap();
    let first = own.add_order(owner, &ClientKey::random(), &ASKED).await.unwrap();
    let second = own.add_order(owner, &ClientKey::random(), &NewOrder { state, ..ASKED }).await.unwrap();
    own.assign_run_to_order(run, first, 0).await.unwrap();
    // It is made for one order: the last that was said.
    own.assign_run_to_order(run, second, 3).await.unwrap();
    let runs = own.order_runs().await.unwrap();
    assert_eq!(runs.len(), listed);
    for made in runs {
        assert_eq!((made.run_id, made.order_id, made.line, made.revision_id), (run, second, 3, revision));
        assert!(!made.is_closed && !made.is_voided && !made.is_wound && !made.has_parts);
    }
    for (run, order) in [(RunId(999), first), (run, OrderId(999))] {
        assert!(matches!(own.assign_run_to_order(run, order, 0).await, Err(StoreError::Missing("order"))));
    }
    own.void_run(owner, run, "begun by mistake").await.unwrap();
    assert!(own.order_runs().await.unwrap().iter().all(|made| made.is_voided));
}
