//! Requests wait their turn: more at once than the database has connections for would all wait for one another.

use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Requests under way at once. Each asks the database for a few things at a time; the store has a dozen connections.
const MOST_AT_ONCE: usize = 24;
/// Requests that wait for their turn.
const MOST_WAITING: usize = 400;
/// How long one waits before it is told that the server is busy.
const LONGEST_WAIT: Duration = Duration::from_secs(10);

/// The queue of all workers.
#[derive(Debug)]
pub(crate) struct Queue {
    turns: Arc<Semaphore>,
    places: Arc<Semaphore>,
    longest: Duration,
}

impl Default for Queue {
    fn default() -> Self {
        Self::new(MOST_AT_ONCE, MOST_WAITING, LONGEST_WAIT)
    }
}

impl Queue {
    fn new(at_once: usize, waiting: usize, longest: Duration) -> Self {
        Self { turns: Arc::new(Semaphore::new(at_once)), places: Arc::new(Semaphore::new(waiting)), longest }
    }

    /// Where turns come from.
    pub(crate) fn turns(&self) -> Arc<Semaphore> {
        Arc::clone(&self.turns)
    }

    /// A turn, at once or in the order of asking; none where too many wait already, or it does not come in time.
    pub(crate) async fn turn(&self) -> Option<OwnedSemaphorePermit> {
        if let Ok(turn) = Arc::clone(&self.turns).try_acquire_owned() {
            return Some(turn);
        }
        let _place = self.places.try_acquire().ok()?;
        tokio::time::timeout(self.longest, Arc::clone(&self.turns).acquire_owned()).await.ok()?.ok()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Two at once, one waiting: the third gets the first turn that is given back, the fourth is refused at once, and one that
    /// waits too long is told so.
    #[tokio::test]
    async fn turns_are_given_in_order_and_the_queue_has_an_end() {
        let queue = Arc::new(Queue::new(2, 1, Duration::from_millis(50)));
        let (first, second) = (queue.turn().await.unwrap(), queue.turn().await.unwrap());
        let third = tokio::spawn({
            let queue = Arc::clone(&queue);
            async move { queue.turn().await }
        });
        while queue.places.available_permits() > 0 {
            tokio::task::yield_now().await;
        }
        assert!(queue.turn().await.is_none(), "nobody else waits");
        drop(first);
        let third = third.await.unwrap();
        assert!(third.is_some());
        assert!(queue.turn().await.is_none(), "the turn does not come in time");
        drop((second, third));
        assert!(queue.turn().await.is_some() && queue.places.available_permits() == 1);
    }
}
