//! The plan of the shop: what is done when, by whom, from the runs under way and the orders that are agreed.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::orders::{OrderDraft, OrderedPickup, draft_of};
use crate::permission::Action;
use crate::plan_cache::KnownPlan;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::{Duration, Instant};
use store::order::{OrderRun, OrderState};
use store::{OrderId, RevisionId, RunId, WorkshopId};
use time::{Date, PrimitiveDateTime};
use trade::instrument::InstrumentKind;
use trade::operation_times::{PERSON, POT, WINDER, own_median, usual};
use trade::schedule::{FORMAT, Job, Moment, Resource, Schedule, Work, schedule_at_once, schedule_with};
use trade::traveller::Operation;

/// How long a plan is improved in the background.
const IMPROVING: Duration = Duration::from_secs(2);
/// Tries that it may take.
const TRIES: usize = 6000;
/// A plan is made anew when the clock has gone on so many minutes.
const GRAIN_MINUTES: i64 = 10;

/// A job of the plan: a pickup on its way, or one that an order asks for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlannedJob {
    /// Its name in the schedule.
    pub name: String,
    /// What is made.
    pub what: String,
    /// Its order and that one's number.
    pub order: Option<(OrderId, u32)>,
    /// Which line of it.
    pub line: Option<u32>,
    /// Its run and that one's number, once it is started.
    pub run: Option<(RunId, u32)>,
    /// The revision of one that is not started.
    pub revision: Option<RevisionId>,
    /// What is left to do, in order.
    pub operations: Vec<Operation>,
    /// The day that it is promised for.
    pub promised_on: Option<Date>,
}

/// The plan of the shop.
#[derive(Clone, Debug)]
pub struct ShopPlan {
    /// What is planned.
    pub work: Arc<Work>,
    /// The jobs, in the order of the work.
    pub jobs: Arc<Vec<PlannedJob>>,
    /// When each operation is done.
    pub schedule: Arc<Schedule>,
    /// Whether it is still being improved.
    pub is_improving: bool,
}

impl Workshop {
    /// What is to be done in the shop, and what each job is.
    async fn shop_work(&self, actor: &Actor) -> Result<(Work, Vec<PlannedJob>), Refusal> {
        let store = self.of(actor);
        let settings = self.settings_of(actor).await?;
        let hours = settings.hours;
        let now = hours.now();
        let into_grain = i64::from(now.0.minute()) % GRAIN_MINUTES;
        let from = now.later(-into_grain);
        let mut observed: BTreeMap<String, Vec<f64>> = BTreeMap::new();
        for (key, minutes) in store.operation_minutes().await? {
            observed.entry(key).or_default().push(minutes);
        }
        let mut resources: Vec<Resource> = Vec::new();
        for person in crate::start_run::winding_people(&store).await? {
            resources.push(resource(&person.name, PERSON, Some("shop"), 1));
        }
        for winder in store.instruments().await?.iter().filter(|i| i.kind.0 == InstrumentKind::Winder) {
            resources.push(resource(&winder.name, WINDER, None, 1));
        }
        if !resources.iter().any(|r| r.kind == WINDER) {
            resources.push(resource("the winder", WINDER, None, 1));
        }
        resources.push(resource("wax pot", POT, None, hours.pot_holds.clamp(1, 100)));
        let mut names: Vec<String> = Vec::new();
        for resource in &mut resources {
            while names.contains(&resource.name) {
                resource.name.push('\'');
            }
            names.push(resource.name.clone());
        }
        let (mut jobs, mut planned) = (Vec::new(), Vec::new());
        let runs = store.order_runs().await?;
        let orders: Vec<_> = store
            .orders(false)
            .await?
            .into_iter()
            .map(|row| draft_of(&row).map(|draft| (row, draft)))
            .collect::<Result<_, _>>()?;
        let time_of = |operation: &Operation, turns: u32| {
            let mut time = usual(operation, turns, hours.dip_holds);
            if let Some(median) = observed.get(&operation.key).and_then(|m| own_median(m)) {
                time.minutes = median;
            }
            time
        };
        let due = |day: Date| {
            let end = trade_clock(&hours.to);
            Moment(PrimitiveDateTime::new(day, end))
        };
        for run in store.unfinished_runs().await? {
            let of = runs.iter().find(|r| r.run_id == run.id);
            let order = of.and_then(|r| orders.iter().find(|(row, _)| row.id == r.order_id));
            let left: Vec<Operation> =
                run.traveller.0.iter().filter(|o| !run.signed.contains(&o.key)).cloned().collect();
            if left.is_empty() {
                continue;
            }
            // What was signed last may still be drying.
            let last = run.traveller.0.iter().rfind(|o| run.signed.contains(&o.key));
            let dry = last
                .zip(run.last_at)
                .map(|(o, at)| hours.local(at).later(i64::from(time_of(o, run.turns).wait_minutes)));
            let promised_on = order.and_then(|(row, _)| row.promised_on);
            let name = format!("run {}", run.number);
            jobs.push(job(&name, promised_on.map(due), dry, &left, |o| time_of(o, run.turns)));
            planned.push(PlannedJob {
                name,
                what: run.design.clone(),
                order: order.map(|(row, _)| (row.id, row.number)),
                line: of.map(|r| r.line),
                run: Some((run.id, run.number)),
                revision: None,
                operations: left,
                promised_on,
            });
        }
        for (row, draft) in
            orders.iter().filter(|(row, _)| matches!(row.state.0, OrderState::Agreed | OrderState::InWork))
        {
            let own: Vec<OrderRun> = runs.iter().filter(|r| r.order_id == row.id).copied().collect();
            let pickups = self.ordered_pickups(actor, draft, &own).await?;
            for (k, pickup) in pickups.iter().enumerate().filter(|(_, p)| p.run.is_none()) {
                let (what, operations, turns) = self.to_make(actor, pickup).await?;
                let name = format!("order {}, pickup {}", row.number, k + 1);
                jobs.push(job(&name, row.promised_on.map(due), None, &operations, |o| time_of(o, turns)));
                planned.push(PlannedJob {
                    name,
                    what,
                    order: Some((row.id, row.number)),
                    line: Some(pickup.line),
                    run: None,
                    revision: Some(pickup.revision),
                    operations,
                    promised_on: row.promised_on,
                });
            }
        }
        let calendars = vec![hours.calendar()];
        Ok((Work { format: FORMAT.into(), from, calendars, resources, jobs, seed: 0 }, planned))
    }

    /// What is done to a pickup that is not started: its name, its operations, its turns.
    async fn to_make(
        &self,
        actor: &Actor,
        pickup: &OrderedPickup,
    ) -> Result<(String, Vec<Operation>, u32), Refusal> {
        let store = self.of(actor);
        let revision = store.revision(pickup.revision).await?;
        let traveller = self.traveller_of_revision(actor, pickup.revision, &revision.design).await?;
        let what = match &pickup.in_set {
            Some((_, name)) => format!("{}, {name}", revision.row.name),
            None => revision.row.name.clone(),
        };
        Ok((what, traveller.0, revision.row.turns))
    }

    /// The plan of the shop: a good one at once, a better one as soon as it is found.
    ///
    /// # Errors
    /// When the database does not answer; [`Refusal::NotSchedulable`] when something fits into no day.
    pub async fn shop_plan(&self, actor: &Actor) -> Result<ShopPlan, Refusal> {
        actor.require(Action::ReadRuns)?;
        let (work, jobs) = self.shop_work(actor).await?;
        let of = serde_json::to_string(&work)?;
        let work = Arc::new(work);
        let known = match self.plans.known(actor.workshop, &of) {
            Some(known) => known,
            None => {
                let first = work.clone();
                let schedule = blocking(move || schedule_at_once(&first))
                    .await?
                    .map_err(|p| Refusal::NotSchedulable(p.into_iter().map(|p| p.text).collect()))?;
                let known = KnownPlan { of, schedule: Arc::new(schedule), is_improving: true };
                self.plans.keep(actor.workshop, known.clone());
                self.improve_plan(actor.workshop, work.clone(), known.clone());
                known
            }
        };
        Ok(ShopPlan {
            work,
            jobs: Arc::new(jobs),
            schedule: known.schedule,
            is_improving: known.is_improving,
        })
    }

    /// Searches for a better plan beside the requests, and keeps it while it is of the same work.
    fn improve_plan(&self, workshop: WorkshopId, work: Arc<Work>, known: KnownPlan) {
        let plans = self.plans.clone();
        // Nobody waits for the handle.
        drop(tokio::task::spawn_blocking(move || {
            let began = Instant::now();
            let found = schedule_with(&work, TRIES, &mut |_| began.elapsed() < IMPROVING);
            if plans.known(workshop, &known.of).is_some() {
                let schedule = found.map_or(known.schedule, Arc::new);
                plans.keep(workshop, KnownPlan { of: known.of, schedule, is_improving: false });
            }
        }));
    }

    /// When an order could be promised beside all that is planned: the moment that it would be ready, and what holds it back.
    ///
    /// # Errors
    /// As [`Workshop::shop_plan`]; when a revision or set is not there.
    pub async fn promise(
        &self,
        actor: &Actor,
        draft: &OrderDraft,
    ) -> Result<(Moment, Option<String>), Refusal> {
        actor.require(Action::ReadOrders)?;
        let (mut work, _) = self.shop_work(actor).await?;
        let before = work.jobs.len();
        for (k, pickup) in self.ordered_pickups(actor, draft, &[]).await?.iter().enumerate() {
            let (_, operations, turns) = self.to_make(actor, pickup).await?;
            // Nothing that is promised already gives way to it.
            work.jobs.push(job(&format!("asked {k}"), None, None, &operations, |o| usual(o, turns, dip_holds)));
        }
        let found = blocking(move || {
            let began = Instant::now();
            schedule_with(&work, TRIES, &mut |_| began.elapsed() < IMPROVING / 2)
        })
        .await?
        .map_err(|p| Refusal::NotSchedulable(p.into_iter().map(|p| p.text).collect()))?;
        let ready = found.jobs[before..].iter().map(|j| j.ready).max();
        ready.map(|at| (at, found.bottleneck)).ok_or(Refusal::NotFound("line of the order"))
    }
}

fn resource(name: &str, kind: &str, calendar: Option<&str>, capacity: u32) -> Resource {
    Resource { name: name.into(), kind: kind.into(), calendar: calendar.map(Into::into), capacity, away: Vec::new() }
}

fn job(
    name: &str,
    due: Option<Moment>,
    release: Option<Moment>,
    operations: &[Operation],
    time_of: impl Fn(&Operation) -> trade::operation_times::OperationTime,
) -> Job {
    Job {
        name: name.to_owned(),
        due,
        release,
        weight: 1.0,
        operations: operations.iter().map(|o| time_of(o).scheduled(&o.name)).collect(),
    }
}

/// A time of day; the end of it where it cannot be read.
fn trade_clock(text: &str) -> time::Time {
    let parts: Vec<u8> = text.split(':').filter_map(|p| p.parse().ok()).collect();
    match parts.as_slice() {
        [h, m] => time::Time::from_hms(*h, *m, 0).unwrap_or(time::macros::time!(23:59)),
        _ => time::macros::time!(23:59),
    }
}
