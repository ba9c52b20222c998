//! Work on two threads.

use std::sync::LazyLock;
use std::sync::atomic::{AtomicUsize, Ordering};

/// How many threads may be begun beside those that ask: one fewer than the processors that this program may use.
static SPARE: LazyLock<AtomicUsize> =
    LazyLock::new(|| AtomicUsize::new(std::thread::available_parallelism().map_or(0, |n| n.get() - 1)));

/// A thread that may be begun; given back when it is dropped.
struct Spare;

impl Spare {
    fn take() -> Option<Self> {
        let fewer = |left: usize| left.checked_sub(1);
        SPARE.fetch_update(Ordering::AcqRel, Ordering::Acquire, fewer).ok().map(|_| Self)
    }
}

impl Drop for Spare {
    fn drop(&mut self) {
        SPARE.fetch_add(1, Ordering::AcqRel);
    }
}

/// Two pieces of work that know nothing of each other: on two threads where a processor is to spare, else one after the other,
/// since another thread would only take turns with this one.
pub(crate) fn side_by_side<A, B: Send>(
    first: impl FnOnce() -> A,
    second: impl FnOnce() -> B + Send,
) -> (A, B) {
    let Some(_spare) = Spare::take() else { return (first(), second()) };
    std::thread::scope(|scope| {
        let second = scope.spawn(second);
        let first = first();
        (first, second.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// However deep they are nested, all is done, and no more threads are given back than were taken.
    #[test]
    fn work_is_done_with_and_without_a_spare_thread() {
        fn sum(from: u64, to: u64) -> u64 {
            let middle = from.midpoint(to);
            if middle == from {
                return from;
            }
            let (low, high) = side_by_side(|| sum(from, middle), || sum(middle, to));
            low + high
        }
        assert_eq!(sum(0, 64), 63 * 64 / 2);
        assert!(
            SPARE.load(Ordering::Acquire) <= std::thread::available_parallelism().map_or(0, |n| n.get() - 1)
        );
    }

    #[test]
    #[should_panic(expected = "second")]
    fn a_panic_is_passed_on() {
        side_by_side(|| (), || panic!("second"));
    }
}
