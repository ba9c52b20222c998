//! A good schedule at once, and a better one by searching near it.

use super::plan::{Cost, Plan, Problem, plan};

/// Numbers that look random, the same for the same seed (SplitMix64, Steele et al. 2014).
struct Random(u64);

impl Random {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    #[allow(clippy::cast_possible_truncation, reason = "lists are short")]
    fn below(&mut self, count: usize) -> usize {
        (self.next() % count.max(1) as u64) as usize
    }

    fn share(&mut self) -> f64 {
        (self.next() >> 11) as f64 / (1_u64 << 53) as f64
    }
}

/// Orders to begin from: jobs by promise, by promise and weight, by slack; whole jobs, and operation by operation.
fn beginnings(problem: &Problem) -> Vec<Vec<usize>> {
    let count = problem.orders.len();
    let length =
        |j: usize| -> f64 { problem.orders[j].tasks.iter().map(|t| (t.minutes + t.wait) as f64).sum() };
    let due = |j: usize| problem.orders[j].due.map_or(1e12, |d| d as f64);
    let weight = |j: usize| problem.orders[j].weight.max(1e-6);
    let keys: [&dyn Fn(usize) -> f64; 5] = [
        &due,
        &|j| due(j) - length(j),
        &|j| due(j) / weight(j),
        &|j| (due(j) - length(j)) / weight(j),
        &|j| length(j) / weight(j),
    ];
    let mut all = Vec::new();
    for key in keys {
        let mut jobs: Vec<usize> = (0..count).collect();
        jobs.sort_by(|a, b| key(*a).total_cmp(&key(*b)));
        all.push(jobs.iter().flat_map(|&j| std::iter::repeat_n(j, problem.orders[j].tasks.len())).collect());
        let most = problem.orders.iter().map(|o| o.tasks.len()).max().unwrap_or(0);
        let by_turns = |k: usize| jobs.iter().copied().filter(move |&j| k < problem.orders[j].tasks.len());
        all.push((0..most).flat_map(by_turns).collect());
        // In the order in which whole jobs, placed one after the other, begin their operations.
        let whole: &Vec<usize> = &all[all.len() - 2];
        all.push(by_start(problem, &plan(problem, whole)));
    }
    all
}

/// The operations' jobs by when they begin in a plan.
fn by_start(problem: &Problem, of: &Plan) -> Vec<usize> {
    let mut all: Vec<(i64, usize, usize)> = Vec::with_capacity(problem.operations());
    for (j, placed) in of.placed.iter().enumerate() {
        all.extend(placed.iter().enumerate().map(|(k, p)| (p.start, j, k)));
    }
    all.sort_unstable();
    all.into_iter().map(|(_, j, _)| j).collect()
}

/// The best of the orders to begin from.
pub(super) fn first_plan(problem: &Problem) -> (Vec<usize>, Plan) {
    let mut best: Option<(Vec<usize>, Plan)> = None;
    for order in beginnings(problem) {
        let found = plan(problem, &order);
        if best.as_ref().is_none_or(|(_, b)| found.cost < b.cost) {
            best = Some((order, found));
        }
    }
    best.unwrap_or_else(|| (Vec::new(), plan(problem, &[])))
}

/// Searches near a plan: an operation is tried earlier or later, two change places, a late job comes first. Worse ones are taken now and
/// then, ever more seldom (simulated annealing, Kirkpatrick et al. 1983). `go_on` is asked between tries with the share that is done.
pub(super) fn improve(
    problem: &Problem,
    begun: (Vec<usize>, Plan),
    tries: usize,
    seed: u64,
    go_on: &mut dyn FnMut(f64) -> bool,
) -> Plan {
    let (mut order, first) = begun;
    let mut now = first.cost;
    let mut best = first;
    if order.len() < 2 {
        return best;
    }
    let mut random = Random(seed ^ 0x5eed);
    // Lateness and length as one number: a minute of length counts little beside a weighted minute of lateness.
    let scale = problem.orders.iter().map(|o| o.weight).fold(0.0, f64::max).max(1e-9);
    let number = |c: Cost| c.broken * 1e3 * scale + c.lateness + 1e-3 * scale * c.makespan as f64;
    let hot = (0.05 * number(now)).max(30.0 * scale);
    for k in 0..tries {
        let share = k as f64 / tries as f64;
        if k % 64 == 0 && !go_on(share) {
            break;
        }
        // Each quarter begins hot again, less so, from the best so far.
        let quarter = (share * 4.0).fract();
        if k % (tries / 4).max(1) == 0 && k > 0 {
            order = by_start(problem, &best);
            now = best.cost;
        }
        let warmth = hot * (1.0 - 0.2 * (share * 4.0).floor()) * (1e-3_f64).powf(quarter);
        let mut tried = order.clone();
        change(problem, &best, &mut tried, &mut random);
        let found = plan(problem, &tried);
        let worse = number(found.cost) - number(now);
        if worse <= 0.0 || random.share() < (-worse / warmth).exp() {
            now = found.cost;
            order = tried;
            if found.cost < best.cost {
                best = found;
            }
        }
    }
    best
}

fn change(problem: &Problem, best: &Plan, order: &mut Vec<usize>, random: &mut Random) {
    let count = order.len();
    let (a, b) = (random.below(count), random.below(count));
    match random.below(10) {
        0..=3 => {
            let job = order.remove(a);
            order.insert(b.min(order.len()), job);
        }
        4..=6 => order.swap(a, b),
        7 => {
            // Near by: what stands next to one another decides most.
            let b = (a + 1 + random.below(3)).min(count - 1);
            order.swap(a, b);
        }
        8 => {
            // A late job as a whole, somewhat earlier.
            let late: Vec<usize> = (0..problem.orders.len())
                .filter(|&j| problem.orders[j].due.is_some_and(|due| best.ready[j] > due))
                .collect();
            let job = if late.is_empty() { order[a] } else { late[random.below(late.len())] };
            earlier(order, job, random);
        }
        _ => earlier(order, order[a], random),
    }
}

/// All operations of a job that many places earlier.
fn earlier(order: &mut Vec<usize>, job: usize, random: &mut Random) {
    let by = 1 + random.below(order.len().div_ceil(3));
    let places: Vec<usize> = (0..order.len()).filter(|&k| order[k] == job).collect();
    for place in places {
        let to = place.saturating_sub(by);
        let moved = order.remove(place);
        order.insert(to, moved);
    }
}
