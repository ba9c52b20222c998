//! The plan in the hands of people: begun, pinned, a winder that breaks, what moves, what is reserved.

use super::orders::{asked, saved};
use super::*;
use store::order::OrderState;
use time::{OffsetDateTime, PrimitiveDateTime};
use trade::schedule::Moment;
use workshop::{
    BegunJob, OrderDraft, OrderItem, OrderLine, PersonHours, ReportOutage, RewindDraft, SaveOrder,
    SaveRewind, ShopPlan, Supply, queue,
};

async fn winder(store: &Store, actor: &Actor, name: &str) {
    let winder = store::instrument::NewInstrument {
        key: ClientKey::random(),
        kind: trade::instrument::InstrumentKind::Winder,
        name,
        address: "127.0.0.1:9",
        resolution: None,
        accuracy: None,
        test_hz: None,
        due: None,
        input_pf: None,
        input_mohm: None,
        simulated: true,
    };
    store.workshop(actor.workshop).add_instrument(actor.person, &winder).await.unwrap();
}

/// Hours around the clock, so that a test runs alike at any time of day.
async fn open_always(workshop: &Workshop, owner: &Actor) {
    let (name, mut settings) = workshop.settings(owner).await.unwrap();
    settings.hours.days = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"].map(str::to_owned).to_vec();
    (settings.hours.from, settings.hours.to) = ("00:00".into(), "24:00".into());
    workshop.change_settings(owner, &name, &settings).await.unwrap();
}

fn ready(plan: &ShopPlan) -> Moment {
    plan.schedule.jobs.iter().map(|j| j.ready).max().unwrap()
}

/// The plan once nothing is sought any more.
async fn settled(workshop: &Workshop, owner: &Actor) -> ShopPlan {
    for _ in 0..200 {
        let plan = workshop.shop_plan(owner).await.unwrap();
        if !plan.is_improving {
            return plan;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    panic!("the plan is improved for ever")
}

/// One touch starts the run and its first operation; what runs stays where it began, with who began it.
#[tokio::test(flavor = "multi_thread")]
async fn one_touch_begins_what_is_next() {
    let (workshop, owner, _) = set_up().await;
    open_always(&workshop, &owner).await;
    let revision = design(&workshop, &owner).await;
    let id = saved(&workshop, &owner, &asked(revision, 1)).await;
    let key = ClientKey::random();
    let job = format!("order:{id}:0");
    // Without a spool of its wire, or with two, the wire is chosen by hand.
    assert_eq!(workshop.begin_job(&owner, &key, &job).await.unwrap(), BegunJob::ChooseSpool);
    let mut spool = inventory::new_spool("K-12", Some(9000.0));
    spool.wire.insulation = coil::wire::Insulation::PolyvinylAcetal;
    workshop.add_spool(&owner, &spool).await.unwrap();
    let BegunJob::Run(run) = workshop.begin_job(&owner, &key, &job).await.unwrap() else { panic!("begun") };
    assert_eq!(workshop.order(&owner, id).await.unwrap().0.state.0, OrderState::InWork);
    let plan = workshop.shop_plan(&owner).await.unwrap();
    let planned = plan.jobs.iter().find(|j| j.run.is_some_and(|r| r.0 == run)).unwrap();
    assert!(planned.is_running && planned.operations[0].key == "seams");
    let first = plan.schedule.operations.iter().find(|o| o.job == planned.name && o.operation == 0).unwrap();
    assert_eq!(first.resources, ["Ode Farrow"]);

    // What comes later is not begun before; signed, the next one is, and what dries has its timer.
    let begin = |operation: &'static str| {
        let (workshop, owner) = (&workshop, &owner);
        async move { workshop.begin_operation(owner, &ClientKey::random(), run, operation).await }
    };
    assert!(matches!(begin("wind").await, Err(Refusal::NotItsTurn)));
    for operation in ["seams", "bevel", "press"] {
        workshop.sign_operation(&owner, run, operation, "").await.unwrap();
    }
    begin("insulate").await.unwrap();
    begin("insulate").await.unwrap();
    let timers = workshop.timers(&owner).await.unwrap();
    assert!(timers.iter().all(|t| t.operation.as_deref() == Some("insulate") && t.minutes == 24 * 60));
    assert!(!timers.is_empty());
    workshop.lay_down_operation(&owner, run, "insulate").await.unwrap();
    let plan = workshop.shop_plan(&owner).await.unwrap();
    assert!(plan.jobs.iter().all(|j| !j.is_running));
}

/// A winder breaks: what was under way on it is laid down, everything is planned without it, and the date that moved is told; back again,
/// the date is back too.
#[tokio::test(flavor = "multi_thread")]
async fn a_broken_winder_moves_the_dates() {
    let (workshop, owner, store) = set_up().await;
    open_always(&workshop, &owner).await;
    winder(&store, &owner, "Winder one").await;
    let revision = design(&workshop, &owner).await;
    saved(&workshop, &owner, &asked(revision, 2)).await;
    let before = settled(&workshop, &owner).await;
    assert!(queue(&before, "Winder one").count() == 2);
    assert_eq!(workshop.plan_moves(&owner, &before).await.unwrap(), None);
    let known = workshop.outage_subjects(&owner).await.unwrap();
    let (resource, _) = known.iter().find(|(_, name)| name == "Winder one").unwrap().clone();
    let report = |reason: &str, until| ReportOutage {
        key: ClientKey::random(),
        resource: resource.clone(),
        reason: reason.into(),
        until,
    };
    let now = OffsetDateTime::now_utc();
    let at = |days: i64| {
        let moment = now + time::Duration::days(days);
        Some(Moment(PrimitiveDateTime::new(moment.date(), moment.time())))
    };
    for (wrong, place) in [(report(" ", at(3)), "reason"), (report("bearing", at(-1)), "until")] {
        assert!(
            matches!(workshop.report_outage(&owner, &wrong).await, Err(Refusal::UnusableOutage(p)) if p == place)
        );
    }
    workshop.report_outage(&owner, &report("bearing", at(4))).await.unwrap();
    let after = settled(&workshop, &owner).await;
    assert!(ready(&after).minutes_after(ready(&before)) > 24 * 60, "{} {}", ready(&before), ready(&after));
    let moves = workshop.plan_moves(&owner, &after).await.unwrap().unwrap();
    assert_eq!((moves.moved.len(), moves.moved[0].what.as_str()), (1, "order 1"));
    let outages = workshop.outages(&owner).await.unwrap();
    assert_eq!((outages[0].name.as_str(), outages[0].reason.as_str()), ("Winder one", "bearing"));
    // Seen, it is no news any more.
    workshop.plan_seen(&owner).await.unwrap();
    assert_eq!(workshop.plan_moves(&owner, &after).await.unwrap(), None);
    workshop.end_outage(&owner, outages[0].id).await.unwrap();
    let back = settled(&workshop, &owner).await;
    assert!(ready(&back) < ready(&after));
    // For nobody knows how long: planned as if for some days, not for ever.
    workshop.report_outage(&owner, &report("belt", None)).await.unwrap();
    assert!(ready(&settled(&workshop, &owner).await) > ready(&back));
    let viewer = Actor { role: Role::Viewer, ..owner };
    assert!(matches!(workshop.report_outage(&viewer, &report("x", None)).await, Err(Refusal::NotAllowed(_))));
}

/// What somebody pinned stays; what cannot be is refused; a pinned time that is no longer possible is left out and reported.
#[tokio::test(flavor = "multi_thread")]
async fn pins_stay_and_follow_into_the_run() {
    let (workshop, owner, _) = set_up().await;
    open_always(&workshop, &owner).await;
    let revision = design(&workshop, &owner).await;
    let id = saved(&workshop, &owner, &asked(revision, 1)).await;
    let job = format!("order:{id}:0");
    let plan = settled(&workshop, &owner).await;
    let at = plan.work.from.later(3 * 24 * 60 + 7);
    workshop.pin_operation(&owner, (&job, "wind"), Some(at), None).await.unwrap();
    let start_of = |plan: &ShopPlan, key: &str| {
        let planned = &plan.jobs[0];
        let number = planned.operations.iter().position(|o| o.key == key).unwrap();
        plan.schedule.operations.iter().find(|o| o.operation == number).unwrap().start
    };
    let pinned = settled(&workshop, &owner).await;
    assert_eq!((start_of(&pinned, "wind"), pinned.jobs[0].pinned.as_slice()), (at, &["wind".to_owned()][..]));
    for too_early in [plan.work.from.later(5), plan.work.from.later(-600)] {
        let refused = workshop.pin_operation(&owner, (&job, "assemble"), Some(too_early), None).await;
        assert!(matches!(refused, Err(Refusal::PinCannotHold)));
    }
    assert!(workshop.pin_operation(&owner, (&job, "wind"), None, Some("Nobody")).await.is_err());
    // Its run has the pin.
    let made = run(&workshop, &owner, revision).await;
    workshop.assign_run_to_order(&owner, made, id, 0).await.unwrap();
    let of_run = settled(&workshop, &owner).await;
    assert_eq!(start_of(&of_run, "wind"), at);
    // Lacquer that takes longer than was thought: the pin cannot hold, and the plan says so instead of failing.
    workshop.pin_operation(&owner, (&format!("run:{made}"), "insulate"), None, None).await.unwrap();
    let key = format!("run:{made}");
    let late = plan.work.from.later(10 * 24 * 60);
    assert!(matches!(
        workshop.pin_operation(&owner, (&key, "insulate"), Some(late), None).await,
        Err(Refusal::PinCannotHold)
    ));
    workshop.unpin_operation(&owner, &key, "wind").await.unwrap();
    workshop.pin_operation(&owner, (&key, "insulate"), Some(late), None).await.unwrap();
    assert_eq!(start_of(&settled(&workshop, &owner).await, "insulate"), late);
}

/// Wire is reserved for what is promised first; who asks later sees what is left, and what to buy in all.
#[tokio::test]
async fn supplies_are_reserved_by_promise() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let mut spool = inventory::new_spool("K-12", Some(3000.0));
    spool.wire.insulation = coil::wire::Insulation::PolyvinylAcetal;
    workshop.add_spool(&owner, &spool).await.unwrap();
    let later = saved(&workshop, &owner, &asked(revision, 2)).await;
    let sooner = OrderDraft {
        promised_on: Some(OffsetDateTime::now_utc().date() + time::Duration::days(9)),
        ..asked(revision, 2)
    };
    let sooner = saved(&workshop, &owner, &sooner).await;
    let reserved = workshop.reservations(&owner).await.unwrap();
    let short = |id| reserved.iter().find(|(order, _)| *order == id).unwrap().1[0].short();
    assert_eq!((reserved[0].0, short(sooner)), (sooner, 0.0));
    assert!(short(later) > 0.0);
    let purchases = workshop.purchases(&owner).await.unwrap();
    assert!(
        matches!(&purchases[0], (Supply::Wire(gauge), metres) if gauge == "42 AWG" && (*metres - short(later)).abs() < 1e-6)
    );
    let cost = workshop.order_cost(&owner, &asked(revision, 2)).await.unwrap();
    assert!(cost.is_incomplete && cost.minutes > 60, "a spool without a price: {cost:?}");
}

/// Of a set the neck is started first: the bridge is still to be made.
#[tokio::test]
async fn a_run_is_of_the_pickup_by_whose_revision_it_is_wound() {
    let (workshop, owner, _) = set_up().await;
    let bridge = design(&workshop, &owner).await;
    let neck = workshop.save_revision(&owner, &command(tall_single("Rush", 6, 10.4))).await.unwrap();
    let both = vec![pickup_sets::pickup("bridge", bridge, 42.0), pickup_sets::pickup("neck", neck, 158.0)];
    let set = pickup_sets::saved(&workshop, &owner, &pickup_sets::draft(both)).await;
    let lines = vec![OrderLine { item: OrderItem::Set(set), quantity: 2, options: String::new() }];
    let order = OrderDraft { lines, ..asked(bridge, 1) };
    let id = saved(&workshop, &owner, &order).await;
    let made = run(&workshop, &owner, neck).await;
    workshop.assign_run_to_order(&owner, made, id, 0).await.unwrap();
    let runs = workshop.runs_of_orders(&owner).await.unwrap();
    let pickups = workshop.ordered_pickups(&owner, &order, &runs).await.unwrap();
    let started: Vec<bool> = pickups.iter().map(|p| p.run.is_some()).collect();
    assert_eq!(started, [false, true, false, false]);
}

/// An old pickup is a line of its own: planned from its format until its design is made, by that afterwards.
#[tokio::test(flavor = "multi_thread")]
async fn a_rewind_is_ordered() {
    let (workshop, owner, _) = set_up().await;
    let draft = RewindDraft::begun("Drawer find", tall_single("Unknown", 6, 10.4));
    let command = SaveRewind { key: ClientKey::random(), of: None, draft };
    let rewind = workshop.save_rewind(&owner, &command).await.unwrap();
    let order = OrderDraft {
        lines: vec![OrderLine { item: OrderItem::Rewind(rewind), quantity: 1, options: String::new() }],
        ..asked(store::RevisionId(1), 1)
    };
    let id = saved(&workshop, &owner, &order).await;
    let plan = workshop.shop_plan(&owner).await.unwrap();
    let own = plan.jobs.iter().find(|j| j.order.is_some_and(|o| o.0 == id)).unwrap();
    let keys: Vec<&str> = own.operations.iter().map(|o| o.key.as_str()).collect();
    assert_eq!((own.rewind, keys[0], keys[1]), (Some(rewind), "examine", "photograph"));
    assert!(workshop.begin_job(&owner, &ClientKey::random(), &own.key).await.is_err(), "no design yet");
    assert!(workshop.order_cost(&owner, &order).await.unwrap().is_incomplete);
    let nowhere = OrderDraft {
        lines: vec![OrderLine {
            item: OrderItem::Rewind(store::RewindId(999)),
            quantity: 1,
            options: String::new(),
        }],
        ..order
    };
    let nowhere = SaveOrder { key: ClientKey::random(), of: None, draft: nowhere };
    assert!(workshop.save_order(&owner, &nowhere).await.is_err());
}

/// Somebody who works on Saturdays only does nothing on other days.
#[tokio::test(flavor = "multi_thread")]
async fn people_keep_hours_of_their_own() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    saved(&workshop, &owner, &asked(revision, 1)).await;
    let (name, mut settings) = workshop.settings(&owner).await.unwrap();
    let own =
        PersonHours { days: vec!["Sat".into()], from: "10:00".into(), to: "14:00".into(), off: Vec::new() };
    settings.hours.people.insert(owner.person.0, own);
    workshop.change_settings(&owner, &name, &settings).await.unwrap();
    let plan = workshop.shop_plan(&owner).await.unwrap();
    let by_hand = plan.schedule.operations.iter().filter(|o| o.resources.contains(&"Ode Farrow".to_owned()));
    assert!(by_hand.clone().count() > 5);
    for operation in by_hand {
        assert_eq!(operation.start.0.weekday(), time::Weekday::Saturday, "{operation:?}");
    }
}

/// Promised against kept, and minutes that were measured from begin to signature.
#[tokio::test]
async fn the_shop_has_figures() {
    let (workshop, owner, _) = set_up().await;
    let revision = design(&workshop, &owner).await;
    let id = saved(&workshop, &owner, &asked(revision, 1)).await;
    let figures = workshop.shop_figures(&owner).await.unwrap();
    assert!(figures.promises().is_none() && figures.orders[&OrderState::Agreed] == 1);
    let gone = OrderDraft { state: OrderState::Gone, ..asked(revision, 1) };
    let command = SaveOrder { key: ClientKey::random(), of: Some((id, 1)), draft: gone };
    workshop.save_order(&owner, &command).await.unwrap();
    let made = run(&workshop, &owner, revision).await;
    workshop.begin_operation(&owner, &ClientKey::random(), made, "seams").await.unwrap();
    workshop.sign_operation(&owner, made, "seams", "").await.unwrap();
    let figures = workshop.shop_figures(&owner).await.unwrap();
    assert_eq!(figures.promises(), Some((1.0, None)));
    assert_eq!(figures.in_progress[0].1, 1);
    assert!(figures.operations.is_empty(), "signed within seconds: nobody took that long");
    let operator = Actor { role: Role::Operator, ..owner };
    assert!(matches!(workshop.shop_figures(&operator).await, Err(Refusal::NotAllowed(_))));
}
