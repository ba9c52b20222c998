//! The plan of the shop: what is done when, by whom, and when an order could be promised.

use crate::actor::Actor;
use crate::blocking::{begin_job, blocking, blocking_long};
use crate::ordered_pickups::OrderedThings;
use crate::orders::OrderDraft;
use crate::permission::Action;
use crate::plan_cache::KnownPlan;
use crate::plan_work::PlannedJob;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::sync::Arc;
use std::time::{Duration, Instant};
use store::WorkshopId;
use trade::schedule::{Moment, Schedule, Work, WorkProblem, schedule_at_once, schedule_with};

/// How long a plan is improved in the background.
const IMPROVING: Duration = Duration::from_secs(2);
/// Tries that it may take.
const TRIES: usize = 6000;

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
    /// Pinned times that are no longer possible, since the operation before ends later: job and operation, by their places.
    pub broken_pins: Vec<(usize, usize)>,
}

/// Work of which every pin can hold, its first plan, and the pins that were left out for it.
type Plannable = (Work, Schedule, Vec<(usize, usize)>);

/// Plans work at once. Where pins cannot hold, as many of them as do are kept, the earliest first.
fn plan_at_once(work: &Work) -> Result<Plannable, Vec<WorkProblem>> {
    let problems = match schedule_at_once(work) {
        Ok(found) => return Ok((work.clone(), found, Vec::new())),
        Err(problems) if problems.iter().any(|p| p.code == "pin-too-early") => problems,
        Err(problems) => return Err(problems),
    };
    let mut pins: Vec<(Moment, usize, usize)> = Vec::new();
    let mut bare = work.clone();
    for (j, job) in bare.jobs.iter_mut().enumerate() {
        for (k, operation) in job.operations.iter_mut().enumerate() {
            // What is under way is no pin that could be left out.
            if let Some(at) = operation.start.filter(|at| *at >= work.from) {
                pins.push((at, j, k));
                operation.start = None;
                operation.on.clear();
            }
        }
    }
    pins.sort_unstable();
    let Ok(mut best) = schedule_at_once(&bare) else { return Err(problems) };
    let mut broken = Vec::new();
    for (_, j, k) in pins {
        let mut tried = bare.clone();
        tried.jobs[j].operations[k].start = work.jobs[j].operations[k].start;
        tried.jobs[j].operations[k].on.clone_from(&work.jobs[j].operations[k].on);
        match schedule_at_once(&tried) {
            Ok(found) => (bare, best) = (tried, found),
            Err(_) => broken.push((j, k)),
        }
    }
    Ok((bare, best, broken))
}

fn not_schedulable(problems: Vec<WorkProblem>) -> Refusal {
    Refusal::NotSchedulable(problems.into_iter().map(|p| p.text).collect())
}

impl Workshop {
    /// The plan of the shop: a good one at once, a better one as soon as it is found.
    ///
    /// # Errors
    /// When the database does not answer; [`Refusal::NotSchedulable`] when something fits into no day.
    pub async fn shop_plan(&self, actor: &Actor) -> Result<ShopPlan, Refusal> {
        actor.require(Action::ReadRuns)?;
        let asked = self.shop_work(actor).await?;
        let of = serde_json::to_string(&asked.work)?;
        let known = match self.plans.known(actor.workshop, &of) {
            Some(known) => known,
            None => {
                let first = asked.work;
                let (work, schedule, broken_pins) =
                    blocking(move || plan_at_once(&first)).await?.map_err(not_schedulable)?;
                let known = KnownPlan {
                    of,
                    work: Arc::new(work),
                    schedule: Arc::new(schedule),
                    is_improving: true,
                    broken_pins,
                };
                self.plans.keep(actor.workshop, known.clone());
                self.improve_plan(actor.workshop, known.clone());
                known
            }
        };
        Ok(ShopPlan {
            work: known.work,
            jobs: Arc::new(asked.jobs),
            schedule: known.schedule,
            is_improving: known.is_improving,
            broken_pins: known.broken_pins,
        })
    }

    /// Searches for a better plan beside the requests, and keeps it while it is of the same work.
    fn improve_plan(&self, workshop: WorkshopId, known: KnownPlan) {
        let plans = self.plans.clone();
        begin_job(move || {
            let began = Instant::now();
            let found = schedule_with(&known.work, TRIES, &mut |_| began.elapsed() < IMPROVING);
            if plans.known(workshop, &known.of).is_some() {
                let schedule = found.map_or_else(|_| known.schedule.clone(), Arc::new);
                plans.keep(workshop, KnownPlan { schedule, is_improving: false, ..known });
            }
        });
    }

    /// When an order could be promised beside all that is planned: the moment that it would be ready, and what holds it back.
    ///
    /// # Errors
    /// As [`Workshop::shop_plan`]; when a revision, set or old pickup is not there.
    pub async fn promise(
        &self,
        actor: &Actor,
        draft: &OrderDraft,
    ) -> Result<(Moment, Option<String>), Refusal> {
        actor.require(Action::ReadOrders)?;
        let things = OrderedThings::load(&self.store_of(actor), [draft]).await?;
        let asked = things.pickups(draft, &[])?;
        let all = self.work_with(actor, &things, &asked).await?;
        let before = all.jobs.len();
        let work = all.work;
        let found = blocking_long(move || {
            let began = Instant::now();
            let (work, ..) = plan_at_once(&work)?;
            schedule_with(&work, TRIES, &mut |_| began.elapsed() < IMPROVING / 2)
        })
        .await?
        .map_err(not_schedulable)?;
        let ready = found.jobs[before..].iter().map(|j| j.ready).max();
        ready.map(|at| (at, found.bottleneck)).ok_or(Refusal::NotFound("line of the order"))
    }
}
