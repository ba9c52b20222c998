//! How much is asked of the database: as much, however much there is.

use super::inventory::new_spool;
use super::{command, design, measure_well, run, set_up};
use coil::design::tall_single;
use std::cell::Cell;
use std::future::Future;
use std::sync::Once;
use store::ClientKey;
use store::design::DesignFilter;
use store::experiment::NewExperiment;
use store::logbook::LogFilter;
use store::part::NewPart;
use store::timer::NewTimer;
use tracing_subscriber::layer::{Context, SubscriberExt as _};
use tracing_subscriber::{Layer, Registry};
use trade::stock::PartKind;
use workshop::{Actor, SaveRevision, Workshop};

thread_local! {
    /// Statements that the database's client logged on this thread, on which a test with all its work runs.
    static STATEMENTS: Cell<usize> = const { Cell::new(0) };
}

/// Counts the statements of each thread.
struct Count;

impl<S: tracing::Subscriber> Layer<S> for Count {
    fn on_event(&self, event: &tracing::Event<'_>, _: Context<'_, S>) {
        if event.metadata().target() == "sqlx::query" {
            STATEMENTS.with(|count| count.set(count.get() + 1));
        }
    }
}

#[derive(Clone, Copy)]
struct Statements;

impl Statements {
    /// Begins to count, for the whole program: what another test's thread meets first, with nobody listening there, would be
    /// taken for silent everywhere.
    fn new() -> Self {
        static BEGUN: Once = Once::new();
        BEGUN.call_once(|| {
            tracing::subscriber::set_global_default(Registry::default().with(Count)).unwrap();
        });
        Self
    }

    /// How many a use case takes.
    async fn count<T>(
        self,
        name: &'static str,
        use_case: impl Future<Output = Result<T, workshop::Refusal>>,
    ) -> (&'static str, usize) {
        let before = STATEMENTS.get();
        use_case.await.unwrap();
        (name, STATEMENTS.get() - before)
    }
}

/// One more of everything.
async fn fill(workshop: &Workshop, actor: &Actor, name: &str) {
    let first = design(workshop, actor).await;
    let mut other = tall_single(name, 6, 10.4);
    other.coils[0].wind.turns = 8000;
    let second = SaveRevision { parent: Some(first), newest_seen: 1, ..command(other) };
    let second = workshop.save_revision(actor, &second).await.unwrap();
    let new = NewExperiment {
        key: ClientKey::random(),
        question: name,
        arms: &[first, second],
        cares_percent: 3.0,
    };
    workshop.begin_experiment(actor, &new).await.unwrap();
    for revision in [first, second] {
        let id = run(workshop, actor, revision).await;
        measure_well(workshop, actor, id).await;
    }
    workshop.add_spool(actor, &new_spool(name, None)).await.unwrap();
    let part = NewPart {
        key: ClientKey::random(),
        kind: PartKind::Magnet,
        name: name.into(),
        each_cost: None,
        order_below: Some(9),
        supplier: String::new(),
        stock: 3,
    };
    workshop.add_part(actor, &part).await.unwrap();
    let timer =
        NewTimer { key: ClientKey::random(), run: None, operation: None, label: name, minutes: 5, at: None };
    workshop.start_timer(actor, &timer).await.unwrap();
}

/// What the lists ask.
async fn asked(workshop: &Workshop, actor: &Actor, counted: Statements) -> Vec<(&'static str, usize)> {
    let (designs, rows) = (DesignFilter::default(), LogFilter::default());
    vec![
        counted.count("designs", workshop.designs(actor, &designs)).await,
        counted.count("logbook", workshop.logbook_page(actor, &rows, 0)).await,
        counted.count("filter choices", workshop.filter_choices(actor)).await,
        counted.count("spools", workshop.spools(actor)).await,
        counted.count("parts", workshop.parts(actor)).await,
        counted.count("stock movements", workshop.stock_movements(actor, 5)).await,
        counted.count("experiments", workshop.experiments(actor)).await,
        counted.count("sets", workshop.sets(actor)).await,
        counted.count("timers", workshop.timers(actor)).await,
        counted.count("attention", workshop.attention(actor)).await,
        counted
            .count("changes", workshop.audit_trail(actor, &store::audit::AuditFilter::default(), None))
            .await,
        counted.count("sessions", workshop.own_sessions(actor)).await,
    ]
}

/// Lets the calibration that the readings asked for come to its end, so that it asks nothing meanwhile.
async fn settle(workshop: &Workshop, actor: &Actor) {
    workshop.fit_now(actor).await.unwrap();
    tokio::time::sleep(std::time::Duration::from_millis(800)).await;
}

#[tokio::test]
async fn lists_ask_as_much_of_the_database_however_much_there_is() {
    let counted = Statements::new();
    let (workshop, actor, _) = set_up().await;
    // Enough for a calibration, which some of them read.
    for name in ["first", "second", "third"] {
        fill(&workshop, &actor, name).await;
    }
    settle(&workshop, &actor).await;
    let few = asked(&workshop, &actor, counted).await;
    for name in ["fourth", "fifth", "sixth"] {
        fill(&workshop, &actor, name).await;
    }
    settle(&workshop, &actor).await;
    let many = asked(&workshop, &actor, counted).await;
    assert!(few.iter().all(|(name, count)| (1..=16).contains(count) || *name == "sets"), "{few:?}");
    // Three more of everything: whoever asks for each by itself asks three times more. Up to two more are a calibration's
    // newer version, which is read once, and which a slow machine fits meanwhile.
    for ((name, few), (_, many)) in few.iter().zip(&many) {
        assert!(*many <= few + 2, "{name}: {few} statements became {many}");
    }
}
