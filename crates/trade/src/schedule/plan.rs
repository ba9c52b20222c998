//! Work in numbers, and one schedule of it for an order in which operations are placed.

use super::calendar::Hours;
use super::document::{Job, Moment, Work};

/// A resource in numbers.
#[derive(Clone, Debug)]
pub(super) struct Means {
    pub hours: Hours,
    pub capacity: u32,
}

/// An operation in numbers, minutes after the beginning.
#[derive(Clone, Debug)]
pub(super) struct Task {
    pub minutes: i64,
    pub wait: i64,
    /// For each need the resources that serve it.
    pub needs: Vec<Vec<usize>>,
    /// Where it is pinned, and what it holds there.
    pub pinned: Option<(i64, Vec<usize>)>,
    /// Resources of which it lies on one while it waits; none where it needs none.
    pub waits_on: Vec<usize>,
    /// Which batch it can be part of, and how many of them go together.
    pub batch: Option<(usize, u32)>,
}

/// A job in numbers.
#[derive(Clone, Debug)]
pub(super) struct Order {
    pub tasks: Vec<Task>,
    pub release: i64,
    pub due: Option<i64>,
    pub weight: f64,
}

/// Work in numbers.
#[derive(Clone, Debug)]
pub(super) struct Problem {
    pub orders: Vec<Order>,
    pub means: Vec<Means>,
}

impl Problem {
    pub(super) fn new(work: &Work) -> Self {
        let means: Vec<Means> = work
            .resources
            .iter()
            .map(|r| {
                let calendar = work.calendars.iter().find(|c| Some(&c.name) == r.calendar.as_ref());
                let away: Vec<(i64, i64)> = r
                    .away
                    .iter()
                    .map(|(from, to)| (from.minutes_after(work.from), to.minutes_after(work.from)))
                    .collect();
                let hours = calendar.map_or_else(Hours::always, |c| Hours::new(c, work.from));
                Means { hours: hours.without(&away), capacity: r.capacity }
            })
            .collect();
        let mut batches: Vec<&str> = Vec::new();
        let mut batch_of = |name| {
            batches.iter().position(|known| *known == name).unwrap_or_else(|| {
                batches.push(name);
                batches.len() - 1
            })
        };
        let by_name = |name: &String| work.resources.iter().position(|r| r.name == *name);
        let orders = work
            .jobs
            .iter()
            .map(|job| Order {
                tasks: job
                    .operations
                    .iter()
                    .map(|operation| Task {
                        minutes: i64::from(operation.minutes),
                        wait: i64::from(operation.wait_minutes),
                        needs: operation
                            .needs
                            .iter()
                            .map(|kinds| {
                                let serves = |r: &usize| kinds.contains(&work.resources[*r].kind);
                                (0..work.resources.len()).filter(serves).collect()
                            })
                            .collect(),
                        pinned: operation.start.map(|start| {
                            (
                                start.minutes_after(work.from),
                                operation.on.iter().filter_map(by_name).collect(),
                            )
                        }),
                        waits_on: (0..work.resources.len())
                            .filter(|r| operation.waits_on.as_ref() == Some(&work.resources[*r].kind))
                            .collect(),
                        batch: operation.batch.as_ref().map(|batch| (batch_of(&batch.name), batch.most)),
                    })
                    .collect(),
                release: released(job, work.from),
                due: job.due.map(|at| at.minutes_after(work.from)),
                weight: job.weight,
            })
            .collect();
        Self { orders, means }
    }

    pub(super) fn operations(&self) -> usize {
        self.orders.iter().map(|o| o.tasks.len()).sum()
    }
}

/// From when on a job can be worked at. What is under way began before.
fn released(job: &Job, from: Moment) -> i64 {
    let release = job.release.map_or(0, |at| at.minutes_after(from).max(0));
    let begun = job.operations.first().and_then(|o| o.start).map(|at| at.minutes_after(from));
    begun.filter(|at| *at < 0).unwrap_or(release)
}

/// Where an operation lies.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Placed {
    pub start: i64,
    pub end: i64,
    pub on: Vec<usize>,
}

/// What a schedule costs: what cannot be first, then weighted lateness, then its length.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd)]
pub(super) struct Cost {
    pub broken: f64,
    pub lateness: f64,
    pub makespan: i64,
}

/// A schedule.
#[derive(Clone, Debug)]
pub(super) struct Plan {
    pub placed: Vec<Vec<Placed>>,
    /// When each job is ready.
    pub ready: Vec<i64>,
    pub cost: Cost,
}

/// What a resource does, in order of its beginning.
#[derive(Clone, Debug, Default)]
struct Line {
    busy: Vec<(i64, i64)>,
    /// Longest of them: how far back one can reach into a later time.
    longest: i64,
}

impl Line {
    fn add(&mut self, from: i64, to: i64) {
        let at = self.busy.partition_point(|b| b.0 <= from);
        self.busy.insert(at, (from, to));
        self.longest = self.longest.max(to - from);
    }

    /// The earliest moment from `at` on at which so many minutes are free of others, as far as is known.
    fn free_from(&self, at: i64, minutes: i64, capacity: usize) -> i64 {
        let mut at = at;
        loop {
            // Nothing that began earlier than the longest lasts reaches into it.
            let first = self.busy.partition_point(|b| b.0 < at - self.longest);
            let meeting =
                || self.busy[first..].iter().take_while(|b| b.0 < at + minutes).filter(|b| b.1 > at);
            if capacity == 1 {
                // The last one that meets it ends last, since none overlap.
                match meeting().last() {
                    Some(b) => at = b.1,
                    None => return at,
                }
                continue;
            }
            let most = meeting()
                .map(|b| b.0.max(at))
                .chain([at])
                .map(|moment| meeting().filter(|b| b.0 <= moment && b.1 > moment).count())
                .max()
                .unwrap_or(0);
            if most < capacity {
                return at;
            }
            match meeting().map(|b| b.1).min() {
                Some(end) => at = end,
                None => return at,
            }
        }
    }

    /// How long it stands idle before a moment.
    fn idle_before(&self, at: i64) -> i64 {
        let first = self.busy.partition_point(|b| b.0 < at);
        self.busy[..first].iter().rev().take(4).map(|b| b.1).max().map_or(i64::MAX, |end| at - end)
    }
}

/// Resources while a schedule is made.
struct Lines<'a> {
    problem: &'a Problem,
    all: Vec<Line>,
}

impl Lines<'_> {
    fn earliest(&self, resource: usize, at: i64, minutes: i64) -> Option<i64> {
        let means = &self.problem.means[resource];
        let mut at = at;
        loop {
            let open = means.hours.fits(at, minutes)?;
            let free = self.all[resource].free_from(open, minutes, means.capacity as usize);
            if free == open {
                return Some(open);
            }
            at = free;
        }
    }

    /// The earliest moment at which one resource of each need is there and free, and which those are.
    fn place(&self, task: &Task, at: i64) -> Option<(i64, Vec<usize>)> {
        let mut at = at;
        if task.minutes == 0 {
            return self.room(task, at).map(|(when, _)| (when, Vec::new()));
        }
        loop {
            let mut next = at;
            let mut chosen: Vec<usize> = Vec::with_capacity(task.needs.len());
            for need in &task.needs {
                let mut best: Option<(i64, usize)> = None;
                let mut soonest: Option<i64> = None;
                for &resource in need.iter().filter(|r| !chosen.contains(r)) {
                    match self.earliest(resource, at, task.minutes) {
                        Some(when) if when == at => {
                            // Who was busy last goes on: long free times stay whole.
                            let idle = self.all[resource].idle_before(at);
                            if best.is_none_or(|b| idle < b.0) {
                                best = Some((idle, resource));
                            }
                        }
                        Some(when) => soonest = Some(soonest.map_or(when, |s| s.min(when))),
                        None => {}
                    }
                }
                match best {
                    Some((_, resource)) => chosen.push(resource),
                    None => next = next.max(soonest?),
                }
            }
            if chosen.len() == task.needs.len() {
                match self.room(task, at + task.minutes) {
                    // What it lies on afterwards is free then: now is a good moment.
                    Some((when, _)) if when == at + task.minutes => return Some((at, chosen)),
                    Some((when, _)) => next = when - task.minutes,
                    None => return None,
                }
            }
            at = next;
        }
    }
}

impl Lines<'_> {
    /// The earliest moment from `at` on at which what a task lies on while it waits has room for all of that time, and which that is. Without
    /// such a thing that is at once.
    fn room(&self, task: &Task, at: i64) -> Option<(i64, Option<usize>)> {
        if task.waits_on.is_empty() || task.wait == 0 {
            return Some((at, None));
        }
        let soonest = |r: &usize| Some((self.earliest(*r, at, task.wait)?, Some(*r)));
        task.waits_on.iter().filter_map(soonest).min()
    }

    /// Lays a task down where there is room; what is pinned lies on the first when there is none.
    fn lay(&mut self, task: &Task, end: i64) {
        if let Some((at, Some(resource))) = self.room(task, end) {
            let resource = if at == end { resource } else { task.waits_on[0] };
            self.all[resource].add(end, end + task.wait);
        }
    }
}

/// Operations that are done as one.
#[derive(Clone, Debug)]
struct Together {
    batch: usize,
    placed: Placed,
    count: u32,
}

/// The batch that a task can still join from a moment on: the first that has room and takes as long. One that begins later than the task
/// could by itself is joined when less is lost by waiting than is won by not doing it twice.
fn to_join<'a>(
    all: &'a mut [Together],
    task: &Task,
    from: i64,
    alone: Option<i64>,
) -> Option<&'a mut Together> {
    let (batch, most) = task.batch?;
    all.iter_mut()
        .filter(|t| t.batch == batch && t.count < most && t.placed.end - t.placed.start == task.minutes)
        .filter(|t| t.placed.start >= from)
        .filter(|t| alone.is_none_or(|alone| t.placed.start <= alone + task.minutes))
        .min_by_key(|t| t.placed.start)
}

/// Places operations in an order of jobs, each named as often as it has operations: the next one of that job at the earliest moment that
/// is left.
pub(super) fn plan(problem: &Problem, order: &[usize]) -> Plan {
    let mut lines = Lines { problem, all: vec![Line::default(); problem.means.len()] };
    let mut placed: Vec<Vec<Placed>> =
        problem.orders.iter().map(|o| vec![Placed::default(); o.tasks.len()]).collect();
    let mut together: Vec<Together> = Vec::new();
    for (j, order) in problem.orders.iter().enumerate() {
        for (k, task) in order.tasks.iter().enumerate() {
            if let Some((start, on)) = &task.pinned {
                let same = together.iter_mut().find(|t| {
                    task.batch.is_some_and(|(batch, most)| batch == t.batch && t.count < most)
                        && (t.placed.start, t.placed.end) == (*start, start + task.minutes)
                        && t.placed.on == *on
                });
                if let Some(same) = same {
                    same.count += 1;
                    placed[j][k] = same.placed.clone();
                    lines.lay(task, placed[j][k].end);
                    continue;
                }
                for &resource in on {
                    lines.all[resource].add(*start, start + task.minutes);
                }
                lines.lay(task, start + task.minutes);
                placed[j][k] = Placed { start: *start, end: start + task.minutes, on: on.clone() };
                if let Some((batch, _)) = task.batch {
                    together.push(Together { batch, placed: placed[j][k].clone(), count: 1 });
                }
            }
        }
    }
    let mut next = vec![0_usize; problem.orders.len()];
    let mut ready: Vec<i64> = problem.orders.iter().map(|o| o.release).collect();
    let mut broken = 0.0;
    for &j in order {
        let k = next[j];
        next[j] += 1;
        let task = &problem.orders[j].tasks[k];
        if task.pinned.is_some() {
            let start = placed[j][k].start;
            // What comes before it has to be over by then.
            broken += (ready[j] - start).max(0) as f64;
            ready[j] = start + task.minutes + task.wait;
            continue;
        }
        let alone = lines.place(task, ready[j]);
        let has_room = |end: i64| lines.room(task, end).is_some_and(|(at, _)| at == end);
        let earliest = alone.as_ref().map(|(start, _)| *start);
        let joined = to_join(&mut together, task, ready[j], earliest).filter(|t| has_room(t.placed.end));
        if let Some(batch) = joined {
            batch.count += 1;
            lines.lay(task, batch.placed.end);
            ready[j] = batch.placed.end + task.wait;
            placed[j][k] = batch.placed.clone();
            continue;
        }
        match alone {
            Some((start, on)) => {
                let end = start + task.minutes;
                for &resource in &on {
                    lines.all[resource].add(start, end);
                }
                lines.lay(task, end);
                ready[j] = end + task.wait;
                placed[j][k] = Placed { start, end, on };
                if let Some((batch, _)) = task.batch {
                    together.push(Together { batch, placed: placed[j][k].clone(), count: 1 });
                }
            }
            None => {
                broken += 1e9;
                placed[j][k] = Placed { start: ready[j], end: ready[j], on: Vec::new() };
            }
        }
    }
    let lateness = problem
        .orders
        .iter()
        .zip(&ready)
        .map(|(o, ready)| o.due.map_or(0.0, |due| o.weight * (ready - due).max(0) as f64))
        .sum();
    let makespan = ready.iter().copied().max().unwrap_or(0);
    Plan { placed, ready, cost: Cost { broken, lateness, makespan } }
}
