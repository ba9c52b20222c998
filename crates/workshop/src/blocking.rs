//! Computation off the threads that serve requests: in a few threads, fairly between people, and without the turn that the
//! request holds.

use crate::refusal::Refusal;
use coil::prediction::Effort;
use std::collections::VecDeque;
use std::future::Future;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::pin::Pin;
use std::sync::mpsc::{self, Sender};
use std::sync::{Arc, Condvar, LazyLock, Mutex, OnceLock, PoisonError};
use std::thread;
use store::PersonId;
use tokio::sync::{OwnedSemaphorePermit, Semaphore, oneshot};

/// A computation that is expected to take longer, in seconds of one core, is a long one.
const LONG_S: f64 = 0.3;
/// What one request may have computed, seconds of one core.
const REQUEST_S: f64 = 10.0;
/// How far long computations and jobs step back behind everything else on the machine: the niceness of their threads.
const NICE_LONG: i32 = 10;
const NICE_JOB: i32 = 15;

type Work = Box<dyn FnOnce() + Send>;
/// What a computation comes to.
pub(crate) type Computation<T> = Pin<Box<dyn Future<Output = Result<T, Refusal>> + Send>>;

/// What a request holds while it is answered, and gives back while it computes.
#[derive(Debug)]
struct RequestTurn {
    turns: Arc<Semaphore>,
    held: Mutex<Held>,
    asker: OnceLock<PersonId>,
}

#[derive(Debug)]
struct Held {
    /// For how many things at once the request waits.
    waiting: usize,
    /// What its computations were expected to take, s.
    spent_s: f64,
    turn: Option<OwnedSemaphorePermit>,
}

tokio::task_local! {
    static TURN: Arc<RequestTurn>;
}

/// Answers a request that holds one of `turns`, which it gives back whenever it computes.
pub async fn with_turn<F: Future>(turns: Arc<Semaphore>, turn: OwnedSemaphorePermit, answer: F) -> F::Output {
    let held = Mutex::new(Held { waiting: 0, spent_s: 0.0, turn: Some(turn) });
    TURN.scope(Arc::new(RequestTurn { turns, held, asker: OnceLock::new() }), answer).await
}

/// Notes who the request is from: computations are fair between people.
pub fn asked_by(person: PersonId) {
    let _ = TURN.try_with(|turn| turn.asker.set(person));
}

/// Waits for something while the request's turn is somebody else's.
pub async fn without_turn<F: Future>(waiting: F) -> F::Output {
    let turn = TURN.try_with(Arc::clone).ok();
    if let Some(turn) = &turn {
        turn.pause();
    }
    let outcome = waiting.await;
    if let Some(turn) = &turn {
        turn.resume().await;
    }
    outcome
}

impl RequestTurn {
    fn held(&self) -> std::sync::MutexGuard<'_, Held> {
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Counts what a computation takes.
    ///
    /// # Errors
    /// [`Refusal::TooCostly`] when the request has taken as much as it may.
    fn spend(&self, effort: &Effort) -> Result<(), Refusal> {
        let mut held = self.held();
        let needed_s = held.spent_s + effort.seconds;
        if needed_s > REQUEST_S {
            return Err(Refusal::TooCostly { needed_s, most_s: REQUEST_S, place: effort.place.clone() });
        }
        held.spent_s = needed_s;
        Ok(())
    }

    /// The request waits for something.
    fn pause(&self) {
        let mut held = self.held();
        held.waiting += 1;
        held.turn = None;
    }

    /// One of them is there; the last one waits for the turn again, however long, since the answer is nearly there.
    async fn resume(&self) {
        let is_last = {
            let mut held = self.held();
            held.waiting -= 1;
            held.waiting == 0
        };
        if is_last && let Ok(turn) = Arc::clone(&self.turns).acquire_owned().await {
            let mut held = self.held();
            if held.waiting == 0 {
                held.turn = Some(turn);
            }
        }
    }
}

/// What waits to be computed: each person's work in its order, and the people in turn.
#[derive(Default)]
struct Line(VecDeque<(Option<PersonId>, VecDeque<Work>)>);

impl Line {
    fn push(&mut self, asker: Option<PersonId>, work: Work) {
        match self.0.iter_mut().find(|(of, _)| *of == asker) {
            Some((_, all)) => all.push_back(work),
            None => self.0.push_back((asker, VecDeque::from([work]))),
        }
    }

    /// The next piece; whoever it belongs to goes to the end of the line.
    fn pop(&mut self) -> Option<Work> {
        let (asker, mut all) = self.0.pop_front()?;
        let next = all.pop_front();
        if !all.is_empty() {
            self.0.push_back((asker, all));
        }
        next
    }
}

#[derive(Default)]
struct Lines {
    short: Line,
    long: Line,
}

/// The threads that compute, and what they have to do.
///
/// There are as many as the machine has cores. Those that take long work are one fewer, and nicer: pages and short
/// computations go first. A long thread with nothing else to do helps with the short ones.
struct Pool {
    lines: Mutex<Lines>,
    more: Condvar,
}

static POOL: LazyLock<Arc<Pool>> = LazyLock::new(|| {
    let cores = thread::available_parallelism().map_or(2, usize::from).max(2);
    Pool::start(1, cores - 1)
});

impl Pool {
    fn start(short: usize, long: usize) -> Arc<Self> {
        let pool = Arc::new(Self { lines: Mutex::default(), more: Condvar::new() });
        for takes_long in std::iter::repeat_n(false, short).chain(std::iter::repeat_n(true, long)) {
            let pool = Arc::clone(&pool);
            thread::spawn(move || {
                if takes_long {
                    step_back(NICE_LONG);
                }
                loop {
                    // A fault in one is that one's alone; whoever waits for it sees the closed channel.
                    let _ = catch_unwind(AssertUnwindSafe(pool.next(takes_long)));
                }
            });
        }
        pool
    }

    fn push(&self, is_long: bool, asker: Option<PersonId>, work: Work) {
        let mut lines = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        let line = if is_long { &mut lines.long } else { &mut lines.short };
        line.push(asker, work);
        drop(lines);
        // Not every thread takes every piece of work.
        self.more.notify_all();
    }

    fn next(&self, takes_long: bool) -> Work {
        let mut lines = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        loop {
            let next = lines.short.pop().or_else(|| if takes_long { lines.long.pop() } else { None });
            match next {
                Some(work) => return work,
                None => lines = self.more.wait(lines).unwrap_or_else(PoisonError::into_inner),
            }
        }
    }
}

/// Lets the calling thread, and those that it starts, run after everything else.
fn step_back(nice: i32) {
    let this = rustix::thread::gettid();
    if let Err(error) = rustix::process::setpriority_process(Some(this), nice) {
        tracing::debug!(%error, "a computing thread keeps its priority");
    }
}

/// Runs a short computation on a thread that serves nobody, and waits for it.
///
/// # Errors
/// [`Refusal::Interrupted`] when it panics.
pub(crate) fn blocking<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Computation<T> {
    blocking_for(&Effort { seconds: 0.0, place: String::new() }, work)
}

/// As [`blocking`], for a computation of unknown length that lets short ones go first.
///
/// # Errors
/// [`Refusal::Interrupted`] when it panics.
pub(crate) fn blocking_long<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Computation<T> {
    blocking_for(&Effort { seconds: 2.0 * LONG_S, place: String::new() }, work)
}

/// As [`blocking`], for a computation that takes an effort, which counts for its request.
///
/// # Errors
/// [`Refusal::TooCostly`] when the request has asked for too much; [`Refusal::Interrupted`] when it panics.
pub(crate) fn blocking_for<T: Send + 'static>(
    effort: &Effort,
    work: impl FnOnce() -> T + Send + 'static,
) -> Computation<T> {
    let turn = TURN.try_with(Arc::clone).ok();
    if let Some(refusal) = turn.as_ref().and_then(|turn| turn.spend(effort).err()) {
        return Box::pin(async { Err(refusal) });
    }
    let asker = turn.as_ref().and_then(|turn| turn.asker.get().copied());
    let (done, outcome) = oneshot::channel();
    let span = tracing::Span::current();
    let work: Work = Box::new(move || {
        // Nobody waits for it any more: the page was left.
        if !done.is_closed() {
            let _ = done.send(span.in_scope(work));
        }
    });
    let is_long = effort.seconds > LONG_S;
    let computed = async move {
        POOL.push(is_long, asker, work);
        outcome.await
    };
    Box::pin(async { without_turn(computed).await.map_err(|_closed| Refusal::Interrupted) })
}

/// Begins a job beside the requests, behind everything else on the machine. Nobody waits for it: it tells its outcome by itself.
pub(crate) fn begin_job(work: impl FnOnce() + Send + 'static) {
    thread::spawn(move || {
        step_back(NICE_JOB);
        work();
    });
}

/// Threads that hash passwords. Each hash takes 19 MB, which a thread keeps for its next one: a few threads of its own bound
/// what is taken, however many sign in at once.
const HASHING_THREADS: usize = 2;

static HASHING: LazyLock<Sender<Work>> = LazyLock::new(|| {
    let (sender, receiver) = mpsc::channel::<Work>();
    let receiver = Arc::new(Mutex::new(receiver));
    for _ in 0..HASHING_THREADS {
        let receiver = Arc::clone(&receiver);
        thread::spawn(move || {
            loop {
                let next = receiver.lock().unwrap_or_else(PoisonError::into_inner).recv();
                let Ok(work) = next else { return };
                // A fault in one is that one's alone; whoever waits for it is told by the closed channel.
                let _ = catch_unwind(AssertUnwindSafe(work));
            }
        });
    }
    sender
});

/// As [`blocking`], for the hashing of passwords: who comes while others are at it waits.
pub(crate) async fn hashing<T: Send + 'static>(
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, Refusal> {
    let (done, outcome) = oneshot::channel();
    let work: Work = Box::new(move || {
        let _ = done.send(work());
    });
    HASHING.send(work).map_err(|_closed| Refusal::Interrupted)?;
    outcome.await.map_err(|_closed| Refusal::Interrupted)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};

    #[tokio::test]
    async fn a_fault_in_one_leaves_the_others_alone() {
        for _ in 0..3 {
            assert_eq!(hashing(|| -> u32 { panic!("on purpose") }).await.unwrap_err().code(), "interrupted");
            assert_eq!(blocking(|| -> u32 { panic!("on purpose") }).await.unwrap_err().code(), "interrupted");
        }
        let mut sum = 0;
        for k in 0..20_u32 {
            sum += hashing(move || k * k).await.unwrap() + blocking(move || k).await.unwrap();
        }
        assert_eq!(sum, (0..20_u32).map(|k| k * k + k).sum::<u32>());
    }

    #[test]
    fn people_take_turns_however_much_one_of_them_asks_for() {
        let mut line = Line::default();
        let order = Arc::new(Mutex::new(Vec::new()));
        let mut ask = |person: u64, count: usize| {
            for _ in 0..count {
                let order = Arc::clone(&order);
                line.push(Some(PersonId(person)), Box::new(move || order.lock().unwrap().push(person)));
            }
        };
        ask(1, 5);
        ask(2, 1);
        ask(3, 2);
        while let Some(work) = line.pop() {
            work();
        }
        assert_eq!(*order.lock().unwrap(), [1, 2, 3, 1, 3, 1, 1, 1]);
        assert!(line.0.is_empty(), "nothing is kept of who waits for nothing");
    }

    /// Long work never holds the thread that short work has for itself.
    #[test]
    fn long_work_leaves_a_thread_for_short_work() {
        let pool = Pool::start(1, 2);
        let (running, most) = (Arc::new(AtomicUsize::new(0)), Arc::new(AtomicUsize::new(0)));
        let (open, gate) = mpsc::channel::<()>();
        let gate = Arc::new(Mutex::new(gate));
        let (ended, ends) = mpsc::channel();
        for k in 0..6 {
            let (running, most, gate) = (Arc::clone(&running), Arc::clone(&most), Arc::clone(&gate));
            let ended = ended.clone();
            let work = move || {
                most.fetch_max(running.fetch_add(1, Ordering::SeqCst) + 1, Ordering::SeqCst);
                let _ = gate.lock().unwrap().recv();
                running.fetch_sub(1, Ordering::SeqCst);
                ended.send("long").unwrap();
            };
            pool.push(true, Some(PersonId(k)), Box::new(work));
        }
        pool.push(false, None, Box::new(move || ended.send("short").unwrap()));
        assert_eq!(ends.recv().unwrap(), "short", "while long work waits");
        for _ in 0..6 {
            open.send(()).unwrap();
            assert_eq!(ends.recv().unwrap(), "long");
        }
        assert!(most.load(Ordering::SeqCst) <= 2);
    }

    /// While it computes, a request's turn is somebody else's, and afterwards its own again.
    #[tokio::test]
    async fn who_computes_holds_no_turn() {
        let turns = Arc::new(Semaphore::new(1));
        let turn = Arc::clone(&turns).acquire_owned().await.unwrap();
        let free = Arc::clone(&turns);
        let answer = with_turn(Arc::clone(&turns), turn, async move {
            assert_eq!(free.available_permits(), 0);
            let (one, other) = (Arc::clone(&free), Arc::clone(&free));
            let (one, other) = tokio::join!(
                blocking(move || one.available_permits()),
                blocking_long(move || other.available_permits()),
            );
            assert_eq!((one.unwrap(), other.unwrap()), (1, 1));
            free.available_permits()
        });
        assert_eq!(answer.await, 0, "it holds a turn again");
        assert_eq!(turns.available_permits(), 1);
    }

    /// However it is divided, a request gets so much computed and no more; work beside the requests is not counted.
    #[tokio::test]
    async fn a_request_has_a_budget() {
        let turns = Arc::new(Semaphore::new(1));
        let turn = Arc::clone(&turns).acquire_owned().await.unwrap();
        let share = Effort { seconds: REQUEST_S / 4.0, place: "metal[2]".into() };
        let of_request = with_turn(turns, turn, async {
            for _ in 0..4 {
                blocking_for(&share, || ()).await.unwrap();
            }
            blocking(|| ()).await.unwrap();
            blocking_for(&share, || ()).await
        });
        let refused = of_request.await.unwrap_err();
        assert!(matches!(refused, Refusal::TooCostly { place, .. } if place == "metal[2]"));
        for _ in 0..5 {
            blocking_for(&share, || ()).await.unwrap();
        }
    }
}
