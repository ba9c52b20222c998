//! What needs attention: what is short, due, late or unsteady, the most pressing first.

use super::inventory::new_spool;
use super::{design, run, set_up, set_up_on};
use store::instrument::NewInstrument;
use store::part::NewPart;
use store::person::Role;
use store::reading::NewReading;
use store::{ClientKey, RunId, Store};
use time::{Date, Duration, OffsetDateTime};
use trade::instrument::InstrumentKind;
use trade::reading::Kind;
use trade::stock::PartKind;
use workshop::{Actor, AttentionItem, LogReadings, MissingReading, Urgency, Workshop};

/// What was logged of a coil, and what it then lacks.
type Logged<'a> = (&'a [(Kind, f64)], Option<MissingReading>);

fn today() -> Date {
    OffsetDateTime::now_utc().date()
}

async fn meter(store: &Store, actor: &Actor, name: &str, due: Option<Date>) {
    let new = NewInstrument {
        key: ClientKey::random(),
        kind: InstrumentKind::Ohm,
        name,
        address: "127.0.0.1:9",
        resolution: None,
        accuracy: None,
        test_hz: None,
        due,
        input_pf: None,
        input_mohm: None,
        simulated: true,
    };
    store.workshop(actor.workshop).add_instrument(actor.person, &new).await.unwrap();
}

async fn part(workshop: &Workshop, actor: &Actor, name: &str, stock: i32, order_below: Option<u32>) {
    let new = NewPart {
        key: ClientKey::random(),
        kind: PartKind::Magnet,
        name: name.into(),
        each_cost: None,
        order_below,
        supplier: String::new(),
        stock,
    };
    workshop.add_part(actor, &new).await.unwrap();
}

async fn log(workshop: &Workshop, actor: &Actor, run: RunId, all: &[(Kind, f64)]) {
    let reading = |(kind, value): &(Kind, f64)| NewReading {
        coil_c: (*kind == Kind::Resistance).then_some(20.0),
        test_hz: (*kind == Kind::Inductance).then_some(1000.0),
        ..NewReading::new(*kind, Some(*value))
    };
    let command = LogReadings {
        key: ClientKey::random(),
        readings: all.iter().map(reading).collect(),
        corrects: None,
        accept_doubtful: true,
    };
    workshop.log_readings(actor, run, command).await.unwrap();
}

#[tokio::test]
async fn nothing_needs_attention_where_nothing_is_the_matter() {
    let (workshop, actor, store) = set_up().await;
    part(&workshop, &actor, "rods", 12, Some(10)).await;
    part(&workshop, &actor, "covers", 0, None).await;
    meter(&store, &actor, "Ohms", Some(today())).await;
    let revision = design(&workshop, &actor).await;
    run(&workshop, &actor, revision).await;
    let all = workshop.attention(&actor).await.unwrap();
    assert!(all.is_empty(), "{all:?}");
}

#[tokio::test]
async fn what_is_short_or_due_is_named() {
    let (workshop, actor, store) = set_up().await;
    part(&workshop, &actor, "rods", 9, Some(10)).await;
    meter(&store, &actor, "Ohms", Some(today() - Duration::days(12))).await;
    let all = workshop.attention(&actor).await.unwrap();
    let low = all.iter().any(|item| matches!(item, AttentionItem::PartLow(part) if part.name == "rods"));
    let due = all
        .iter()
        .any(|item| matches!(item, AttentionItem::CalibrationOverdue(meter, 12) if meter.name == "Ohms"));
    assert!(low && due && all.len() == 2, "{all:?}");
    assert!(all.iter().all(|item| item.urgency() == Urgency::Soon));
}

/// A coil that was wound days ago is pointed out by what it lacks; one of today is not yet, and one that is complete no more.
#[tokio::test]
async fn a_coil_that_waits_for_readings_is_pointed_out_after_days() {
    let (url, _) = dev_database::fresh_database().await;
    let (workshop, actor, _) = set_up_on(Store::connect(&url).await.unwrap()).await;
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    let revision = design(&workshop, &actor).await;
    let cases: [Logged<'_>; 4] = [
        (&[(Kind::Turns, 7500.0)], Some(MissingReading::Both)),
        (&[(Kind::Turns, 7500.0), (Kind::Resistance, 5700.0)], Some(MissingReading::Inductance)),
        (&[(Kind::Turns, 7500.0), (Kind::Inductance, 2.1)], Some(MissingReading::Resistance)),
        (&[], None),
    ];
    for (readings, missing) in cases {
        let id = run(&workshop, &actor, revision).await;
        if !readings.is_empty() {
            log(&workshop, &actor, id, readings).await;
        }
        let found = |all: &[AttentionItem]| {
            all.iter().find_map(|item| match item {
                AttentionItem::Unmeasured { run, missing, days } if run.run_id == id => {
                    Some((*missing, *days))
                }
                _ => None,
            })
        };
        assert_eq!(found(&workshop.attention(&actor).await.unwrap()), None, "it was wound today");
        sqlx::query("UPDATE logbook SET started_at = started_at - INTERVAL 5 DAY WHERE run_id = ?")
            .bind(id)
            .execute(&pool)
            .await
            .unwrap();
        let all = workshop.attention(&actor).await.unwrap();
        assert_eq!(found(&all), missing.map(|what| (what, 5)), "{readings:?}");
    }
}

/// A spool that will not do for the next coil comes before everything else.
#[tokio::test]
async fn a_spool_that_runs_out_is_the_most_pressing() {
    let (workshop, actor, store) = set_up().await;
    part(&workshop, &actor, "rods", 0, Some(10)).await;
    let revision = design(&workshop, &actor).await;
    let spool = workshop.add_spool(&actor, &new_spool("K-12", Some(1500.0))).await.unwrap();
    let start = super::inventory::start_on(&actor, revision, spool);
    let id = workshop.start_run(&actor, &start).await.unwrap();
    log(&workshop, &actor, id, &[(Kind::Turns, 7500.0), (Kind::Resistance, 5700.0), (Kind::Inductance, 2.1)])
        .await;
    let all = workshop.attention(&actor).await.unwrap();
    assert!(matches!(&all[0], AttentionItem::Spool(spool, _) if spool.label == "K-12"), "{all:?}");
    assert_eq!(all[0].urgency(), Urgency::Now);
    assert!(all.windows(2).all(|pair| pair[0].urgency() <= pair[1].urgency()));
    // Used up, it is nobody's concern.
    let details = store::spool::SpoolDetails { emptied: true, ..store::spool::SpoolDetails::default() };
    workshop.update_spool(&actor, spool, &details).await.unwrap();
    let all = workshop.attention(&actor).await.unwrap();
    assert!(!all.iter().any(|item| matches!(item, AttentionItem::Spool(..))), "{all:?}");
    drop(store);
}

/// A series that leaves its own control limits is reported to those who read the analysis, with the run that does.
#[tokio::test]
async fn a_series_that_goes_astray_is_reported() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let steady = [5700.0, 5706.0, 5697.0, 5703.0, 5699.0, 5705.0, 5701.0, 5698.0, 5704.0, 5702.0];
    let mut last = None;
    for ohms in steady.into_iter().chain([6050.0]) {
        // Looked at each time: what is kept in between does not hide what comes after.
        assert!(
            !workshop
                .attention(&actor)
                .await
                .unwrap()
                .iter()
                .any(|i| matches!(i, AttentionItem::Unsteady { .. }))
        );
        let id = run(&workshop, &actor, revision).await;
        log(&workshop, &actor, id, &[(Kind::Turns, 7500.0), (Kind::Resistance, ohms)]).await;
        last = Some(id);
    }
    let astray = |all: &[AttentionItem]| {
        all.iter().find_map(|item| match item {
            AttentionItem::Unsteady { run, quantity, .. } => Some((*run, *quantity)),
            _ => None,
        })
    };
    let all = workshop.attention(&actor).await.unwrap();
    assert_eq!(astray(&all), Some((11, trade::calibration::Quantity::Resistance)), "{all:?}");
    let operator = Actor { role: Role::Operator, ..actor };
    assert_eq!(astray(&workshop.attention(&operator).await.unwrap()), None);
    // Voided, it counts no more; taken back, it does again.
    workshop.void_run(&actor, last.unwrap(), "wrong meter").await.unwrap();
    assert_eq!(astray(&workshop.attention(&actor).await.unwrap()), None);
    workshop.unvoid_run(&actor, last.unwrap()).await.unwrap();
    assert!(astray(&workshop.attention(&actor).await.unwrap()).is_some());
}
