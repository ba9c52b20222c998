//! How good a schedule can be at best.

use super::plan::{Problem, Task};

/// Least weighted lateness that any schedule can have: each job by itself on free resources; and of each kind of resource, what all jobs
/// that are due by some moment ask of it together.
pub(super) fn lower_bound(problem: &Problem) -> f64 {
    let alone: f64 = problem
        .orders
        .iter()
        .map(|order| {
            let Some(due) = order.due else { return 0.0 };
            let mut ready = order.release;
            for task in &order.tasks {
                let start = match &task.pinned {
                    Some((start, _)) => *start,
                    None => earliest(problem, &task.needs, ready, task.minutes),
                };
                ready = start.max(ready) + task.minutes + task.wait;
            }
            order.weight * (ready - due).max(0) as f64
        })
        .sum();
    alone.max(crowded(problem))
}

/// The earliest moment at which some resource of each need is there, others' work left aside.
fn earliest(problem: &Problem, needs: &[Vec<usize>], at: i64, minutes: i64) -> i64 {
    let of = |need: &Vec<usize>| {
        need.iter().filter_map(|r| problem.means[*r].hours.fits(at, minutes)).min().unwrap_or(at)
    };
    needs.iter().map(of).max().unwrap_or(at)
}

/// Of the jobs that are due by a moment, one at least is ready no earlier than all that they ask of one set of resources takes.
fn crowded(problem: &Problem) -> f64 {
    let mut sets: Vec<&Vec<usize>> = Vec::new();
    for need in problem.orders.iter().flat_map(|o| &o.tasks).flat_map(|t| &t.needs) {
        if !sets.contains(&need) {
            sets.push(need);
        }
    }
    let mut best: f64 = 0.0;
    for set in sets {
        let asked = |j: usize| -> i64 {
            let tasks = &problem.orders[j].tasks;
            // Of what is done together each has its share at least.
            let own = |t: &&Task| t.minutes / i64::from(t.batch.map_or(1, |(_, most)| most.max(1)));
            tasks.iter().filter(|t| t.needs.contains(set)).map(|t| own(&t)).sum()
        };
        // Their capacity as if all were there together: the most that can be worked by a moment.
        let worked = |to: i64| -> i64 {
            set.iter()
                .map(|r| i64::from(problem.means[*r].capacity) * problem.means[*r].hours.worked(to))
                .sum()
        };
        let mut due: Vec<(i64, f64, i64)> = (0..problem.orders.len())
            .filter_map(|j| Some((problem.orders[j].due?, problem.orders[j].weight, asked(j))))
            .filter(|d| d.2 > 0)
            .collect();
        due.sort_by_key(|d| d.0);
        let (mut total, mut least) = (0, f64::INFINITY);
        for (at, weight, minutes) in due {
            total += minutes;
            least = least.min(weight);
            if worked(at.max(0)) < total {
                // The moment by which so much can be worked, by halving.
                let (mut low, mut high) = (at.max(0), at.max(0) + 60);
                while worked(high) < total && high < 2_000_000 {
                    high = high * 2 + 60;
                }
                while high - low > 1 {
                    let middle = (low + high) / 2;
                    if worked(middle) < total { low = middle } else { high = middle }
                }
                best = best.max(least * (high - at) as f64);
            }
        }
    }
    best
}
