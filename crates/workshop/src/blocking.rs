//! Computation off the threads that serve requests.

use crate::refusal::Refusal;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::mpsc::{self, Sender};
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use std::thread;
use tokio::sync::oneshot;

/// Runs a computation on a thread that serves nobody, and waits for it.
pub(crate) async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> T + Send + 'static,
) -> Result<T, Refusal> {
    Ok(tokio::task::spawn_blocking(work).await?)
}

type Work = Box<dyn FnOnce() + Send>;

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
    use super::hashing;

    #[tokio::test]
    async fn a_fault_in_one_leaves_the_others_alone() {
        let fault = hashing(|| -> u32 { panic!("on purpose") }).await;
        assert_eq!(fault.unwrap_err().code(), "interrupted");
        let many = (0..20_u32).map(|k| hashing(move || k * k));
        let mut sum = 0;
        for one in many {
            sum += one.await.unwrap();
        }
        assert_eq!(sum, (0..20_u32).map(|k| k * k).sum::<u32>());
    }
}
