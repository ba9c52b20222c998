//! What is done when, by whom and on what: resources, waits through the night, working hours, promises.
//!
//! Operations are placed one after the other, each at the earliest moment at which what it needs is there and free; a search over the
//! order in which they are placed makes weighted lateness least, then the length of the whole.

mod bound;
mod calendar;
mod document;
mod plan;
mod solve;

pub use document::{Batch, Calendar, FORMAT, Job, Moment, Operation, Resource, Work, WorkProblem, read};

use plan::{Placed, Plan, Problem};
use serde::{Deserialize, Serialize};

/// How hard a schedule is improved: operations that are placed in all tries together.
const PLACEMENTS: usize = 700_000;
/// Fewest and most tries.
const FEWEST_TRIES: usize = 400;
const MOST_TRIES: usize = 40_000;

/// A schedule, `filamentum-schedule/1`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Schedule {
    /// Always `filamentum-schedule/1`.
    pub format: String,
    /// Every operation, in the order in which they begin.
    pub operations: Vec<ScheduledOperation>,
    /// Every job, in the order of the work.
    pub jobs: Vec<ScheduledJob>,
    /// Sum over all jobs of minutes late times weight.
    pub weighted_lateness_minutes: f64,
    /// From the beginning until everything is ready.
    pub makespan_minutes: i64,
    /// Less weighted lateness than this no schedule has.
    pub lower_bound_minutes: f64,
    /// The resource that is busy for the largest share of its hours; none where nothing is needed.
    pub bottleneck: Option<String>,
}

/// An operation in a schedule.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ScheduledOperation {
    /// Its job.
    pub job: String,
    /// Which of that job's, from 0.
    pub operation: usize,
    /// When it begins.
    pub start: Moment,
    /// When it ends; what comes after may have to wait longer.
    pub end: Moment,
    /// What it holds meanwhile.
    pub resources: Vec<String>,
}

/// A job in a schedule.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ScheduledJob {
    /// Its name.
    pub name: String,
    /// When its last operation and the wait after that are over.
    pub ready: Moment,
    /// Minutes after its promise.
    pub late_minutes: i64,
}

/// Schedules work as well as is found within a bounded number of tries: the same work gives the same schedule.
///
/// ```
/// use trade::schedule::{read, schedule};
/// let work = read(r#"{ "from": "2026-11-25T08:00",
///     "calendars": [{"name": "day", "hours": [["Wed", "08:00", "17:00"], ["Thu", "08:00", "17:00"]]}],
///     "resources": [{"name": "operator A", "kind": "person", "calendar": "day"}],
///     "jobs": [{"name": "neck", "operations": [
///         {"name": "lacquer", "minutes": 10, "wait_minutes": 1440, "needs": [["person"]]},
///         {"name": "wind", "minutes": 25, "needs": [["person"]]}]}] }"#).unwrap();
/// let found = schedule(&work).unwrap();
/// // Lacquer at once; it dries through the night, and is wound the next morning.
/// assert_eq!(found.jobs[0].ready.to_string(), "2026-11-26T08:35");
/// assert_eq!(found.makespan_minutes, 1475);
/// ```
///
/// # Errors
/// As [`Work::problems`]; an operation that fits into nobody's hours; a pin that comes before what has to be over by then.
pub fn schedule(work: &Work) -> Result<Schedule, Vec<WorkProblem>> {
    let tries = (PLACEMENTS / work.jobs.iter().map(|j| j.operations.len()).sum::<usize>().max(1))
        .clamp(FEWEST_TRIES, MOST_TRIES);
    schedule_with(work, tries, &mut |_| true)
}

/// The first plan, without searching for a better one: what is shown at once.
///
/// # Errors
/// As [`schedule`].
pub fn schedule_at_once(work: &Work) -> Result<Schedule, Vec<WorkProblem>> {
    schedule_with(work, 0, &mut |_| true)
}

/// Schedules work with so many tries; `go_on` is told the share that is done, and ends the search by saying no.
///
/// # Errors
/// As [`schedule`].
pub fn schedule_with(
    work: &Work,
    tries: usize,
    go_on: &mut dyn FnMut(f64) -> bool,
) -> Result<Schedule, Vec<WorkProblem>> {
    let problems = work.problems();
    if !problems.is_empty() {
        return Err(problems);
    }
    let problem = Problem::new(work);
    let unplaceable = unplaceable(work, &problem);
    if !unplaceable.is_empty() {
        return Err(unplaceable);
    }
    let bound = bound::lower_bound(&problem);
    let first = solve::first_plan(&problem);
    // Nothing is better than nobody late, but for a shorter whole.
    let best = if tries == 0 { first.1 } else { solve::improve(&problem, first, tries, work.seed, go_on) };
    if best.cost.broken > 0.0 {
        return Err(vec![WorkProblem::new(
            "jobs",
            "pin-too-early",
            "an operation is pinned before what comes before it can be over",
        )]);
    }
    Ok(told(work, &problem, &best, bound))
}

/// Operations that fit into no working day of what they need.
fn unplaceable(work: &Work, problem: &Problem) -> Vec<WorkProblem> {
    let mut all = Vec::new();
    for (i, order) in problem.orders.iter().enumerate() {
        for (k, task) in order.tasks.iter().enumerate() {
            let alone = |need: &Vec<usize>| {
                need.iter().any(|r| problem.means[*r].hours.fits(order.release, task.minutes).is_some())
            };
            let together = task.pinned.is_some()
                || task.minutes == 0
                || meets(problem, &task.needs, order.release, task.minutes);
            if !(task.pinned.is_some() || task.needs.iter().all(alone) && together) {
                let name = &work.jobs[i].operations[k].name;
                all.push(WorkProblem::new(
                    format!("jobs[{i}].operations[{k}].minutes"),
                    "fits-no-day",
                    format!(
                        "{} minutes of {name} fit unbroken into no working day of those that it needs",
                        task.minutes
                    ),
                ));
            }
        }
    }
    all
}

/// Whether one resource of each need is ever there together, unbroken for so long.
fn meets(problem: &Problem, needs: &[Vec<usize>], from: i64, minutes: i64) -> bool {
    let mut at = from;
    for _ in 0..5000 {
        let mut next = at;
        for need in needs {
            let soonest = need.iter().filter_map(|r| problem.means[*r].hours.fits(at, minutes)).min();
            let Some(soonest) = soonest else { return false };
            next = next.max(soonest);
        }
        if next == at {
            return true;
        }
        at = next;
    }
    false
}

fn told(work: &Work, problem: &Problem, plan: &Plan, bound: f64) -> Schedule {
    let mut operations: Vec<ScheduledOperation> = Vec::with_capacity(problem.operations());
    for (j, placed) in plan.placed.iter().enumerate() {
        for (k, p) in placed.iter().enumerate() {
            operations.push(ScheduledOperation {
                job: work.jobs[j].name.clone(),
                operation: k,
                start: work.from.later(p.start),
                end: work.from.later(p.end),
                resources: p.on.iter().map(|r| work.resources[*r].name.clone()).collect(),
            });
        }
    }
    operations.sort_by(|a, b| (a.start, &a.job, a.operation).cmp(&(b.start, &b.job, b.operation)));
    let mut busy = vec![0_i64; work.resources.len()];
    let mut counted: Vec<&Placed> = Vec::new();
    for (order, placed) in problem.orders.iter().zip(&plan.placed) {
        for (task, p) in order.tasks.iter().zip(placed) {
            // What is done together holds what it needs once.
            if task.batch.is_some() && counted.contains(&p) {
                continue;
            }
            for &r in &p.on {
                busy[r] += p.end - p.start;
            }
            if task.batch.is_some() {
                counted.push(p);
            }
        }
    }
    let share = |r: usize| {
        let there = problem.means[r].hours.worked(plan.cost.makespan) * i64::from(problem.means[r].capacity);
        busy[r] as f64 / there.max(1) as f64
    };
    let bottleneck = (0..work.resources.len())
        .filter(|r| busy[*r] > 0)
        .max_by(|a, b| share(*a).total_cmp(&share(*b)).then(b.cmp(a)));
    Schedule {
        format: "filamentum-schedule/1".into(),
        operations,
        jobs: work
            .jobs
            .iter()
            .zip(&plan.ready)
            .map(|(job, ready)| ScheduledJob {
                name: job.name.clone(),
                ready: work.from.later(*ready),
                late_minutes: job.due.map_or(0, |due| (ready - due.minutes_after(work.from)).max(0)),
            })
            .collect(),
        weighted_lateness_minutes: plan.cost.lateness,
        makespan_minutes: plan.cost.makespan,
        lower_bound_minutes: bound.min(plan.cost.lateness),
        bottleneck: bottleneck.map(|r| work.resources[r].name.clone()),
    }
}

#[cfg(test)]
mod tests;
