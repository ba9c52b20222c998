//! Orders and the plan of the shop.

use super::*;
use store::OrderId;
use store::order::OrderState;
use time::OffsetDateTime;
use workshop::{OrderDraft, OrderItem, OrderLine, SaveOrder};

pub(super) fn asked(revision: RevisionId, quantity: u32) -> OrderDraft {
    OrderDraft {
        customer: "A. of the harbour".into(),
        state: OrderState::Agreed,
        promised_on: Some(OffsetDateTime::now_utc().date() + time::Duration::days(30)),
        lines: vec![OrderLine { item: OrderItem::Revision(revision), quantity, options: "red lead".into() }],
        ..OrderDraft::default()
    }
}

pub(super) async fn saved(workshop: &Workshop, actor: &Actor, draft: &OrderDraft) -> OrderId {
    let command = SaveOrder { key: ClientKey::random(), of: None, draft: draft.clone() };
    workshop.save_order(actor, &command).await.unwrap()
}

#[tokio::test]
async fn an_order_is_taken_made_and_planned() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let draft = asked(revision, 2);
    let id = saved(&workshop, &owner, &draft).await;
    let (row, kept) = workshop.order(&owner, id).await.unwrap();
    assert_eq!((row.number, &kept), (1, &draft));
    assert!(matches!(
        workshop
            .save_order(
                &owner,
                &SaveOrder { key: ClientKey::random(), of: Some((id, 9)), draft: draft.clone() }
            )
            .await,
        Err(Refusal::ChangedMeanwhile("order"))
    ));
    // Nothing of it is started: both pickups are planned with all their operations, wire is short without a spool.
    let pickups = workshop.ordered_pickups(&owner, &kept, &[]).await.unwrap();
    assert!(pickups.len() == 2 && pickups.iter().all(|p| p.run.is_none()));
    let supplies = workshop.supplies_of_order(&owner, id, &pickups).await.unwrap();
    assert!(supplies.len() == 1 && supplies[0].short() > 1000.0 && supplies[0].left == 0.0, "{supplies:?}");
    let plan = workshop.shop_plan(&owner).await.unwrap();
    let own = || plan.jobs.iter().filter(|j| j.order.is_some_and(|o| o.0 == id));
    assert_eq!(own().count(), 2);
    assert!(own().all(|j| j.operations.iter().any(|o| o.key == "wind")));
    assert!(plan.schedule.jobs.iter().all(|j| j.late_minutes == 0), "a month suffices");

    // Its run is the order's; the order is in work, and what is signed is planned no more.
    let made = run(&workshop, &owner, revision).await;
    workshop.assign_run_to_order(&owner, made, id, 0).await.unwrap();
    assert_eq!(workshop.order(&owner, id).await.unwrap().0.state.0, OrderState::InWork);
    let runs = workshop.runs_of_orders(&owner).await.unwrap();
    let pickups = workshop.ordered_pickups(&owner, &kept, &runs).await.unwrap();
    assert_eq!(pickups.iter().filter(|p| p.run.is_some()).count(), 1);
    let plan = workshop.shop_plan(&owner).await.unwrap();
    assert_eq!(plan.jobs.iter().filter(|j| j.run.is_some_and(|r| r.0 == made)).count(), 1);
    assert_eq!(plan.jobs.iter().filter(|j| j.order.is_some_and(|o| o.0 == id)).count(), 2);
}

/// More of the same is ready later, and promises that are given do not give way.
#[tokio::test]
async fn a_promise_grows_with_what_is_asked() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    saved(&workshop, &owner, &asked(revision, 3)).await;
    let (few, limit) = workshop.promise(&owner, &asked(revision, 1)).await.unwrap();
    let (many, _) = workshop.promise(&owner, &asked(revision, 40)).await.unwrap();
    assert!(many > few && limit.is_some(), "{few} {many}");
}

#[tokio::test]
async fn who_may_see_orders_and_what_is_refused() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let id = saved(&workshop, &owner, &asked(revision, 1)).await;
    for role in [Role::Viewer, Role::Operator] {
        let other = Actor { role, ..owner };
        assert!(matches!(workshop.order(&other, id).await, Err(Refusal::NotAllowed(_))));
        assert!(matches!(workshop.orders(&other, false).await, Err(Refusal::NotAllowed(_))));
        // What is to be done is for everybody.
        assert!(workshop.shop_plan(&other).await.is_ok());
    }
    let refused = |draft: OrderDraft| async {
        let command = SaveOrder { key: ClientKey::random(), of: None, draft };
        match workshop.save_order(&owner, &command).await {
            Err(Refusal::UnusableOrder(problems)) => problems,
            other => panic!("{other:?}"),
        }
    };
    assert_eq!(refused(OrderDraft { customer: " ".into(), ..asked(revision, 1) }).await, [("customer", 0)]);
    assert_eq!(refused(asked(revision, 0)).await, [("quantity", 0)]);
    assert_eq!(refused(OrderDraft { lines: Vec::new(), ..asked(revision, 1) }).await, [("lines", 0)]);
    let nowhere = SaveOrder { key: ClientKey::random(), of: None, draft: asked(RevisionId(999), 1) };
    assert!(workshop.save_order(&owner, &nowhere).await.is_err());
}

/// Whoever has the address of a feed sees the plan; ended, or of somebody who was disabled, it is nobody's.
#[tokio::test]
async fn a_feed_holds_until_it_is_ended() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    saved(&workshop, &owner, &asked(revision, 1)).await;
    let secret = workshop.make_feed(&owner, false).await.unwrap().text();
    let feed = workshop.plan_of_feed(&secret).await.unwrap();
    assert!(feed.person.is_some() && !feed.plan.schedule.operations.is_empty());
    for wrong in ["", "00", &"0".repeat(64)] {
        assert!(matches!(workshop.plan_of_feed(wrong).await, Err(Refusal::NotFound(_))));
    }
    let id = workshop.feeds(&owner).await.unwrap()[0].id;
    workshop.revoke_feed(&owner, id).await.unwrap();
    assert!(workshop.plan_of_feed(&secret).await.is_err() && workshop.revoke_feed(&owner, id).await.is_err());
}
