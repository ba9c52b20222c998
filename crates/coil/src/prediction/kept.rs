//! The last few of what is dear to work out, for those who need the same again.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// Values shared by all threads, the last used last; together they take no more memory than a bound.
#[derive(Debug)]
pub(super) struct Kept<T> {
    values: Mutex<VecDeque<(Arc<T>, usize)>>,
    most_bytes: usize,
}

impl<T> Kept<T> {
    /// Nothing yet, and never more than `most_bytes` together.
    pub(super) const fn new(most_bytes: usize) -> Self {
        Self { values: Mutex::new(VecDeque::new()), most_bytes }
    }

    /// The value for which something holds, if it is kept.
    pub(super) fn find(&self, holds: impl Fn(&T) -> bool) -> Option<Arc<T>> {
        let mut values = self.values.lock().unwrap_or_else(PoisonError::into_inner);
        // The last used first: of two that were worked out in the same moment the other one is forgotten.
        let at = values.iter().rposition(|(value, _)| holds(value))?;
        let found = values.remove(at)?;
        let value = Arc::clone(&found.0);
        values.push_back(found);
        Some(value)
    }

    /// Keeps a value that takes `bytes`, unless it would fill a quarter of the room alone; what was used longest ago makes
    /// room. Values are worked out without the lock: who needs the same in the same moment works it out as well.
    pub(super) fn keep(&self, value: T, bytes: usize) -> Arc<T> {
        let value = Arc::new(value);
        if bytes <= self.most_bytes / 4 {
            let mut values = self.values.lock().unwrap_or_else(PoisonError::into_inner);
            values.push_back((Arc::clone(&value), bytes));
            let mut whole: usize = values.iter().map(|(_, bytes)| bytes).sum();
            while whole > self.most_bytes
                && let Some((_, oldest)) = values.pop_front()
            {
                whole -= oldest;
            }
        }
        value
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_used_longest_ago_makes_room() {
        let kept = Kept::new(100);
        for value in 1..=5 {
            kept.keep(value, 20);
        }
        assert!(kept.find(|v| *v == 1).is_some(), "used again");
        kept.keep(6, 20);
        let is_kept = |value: i32| kept.find(|v| *v == value).is_some();
        assert_eq!([1, 2, 3, 6].map(is_kept), [true, false, true, true]);
    }

    #[test]
    fn of_two_alike_the_same_one_is_found() {
        let kept = Kept::new(100);
        for _ in 0..2 {
            kept.keep(7, 20);
        }
        let found = || kept.find(|v| *v == 7).unwrap();
        assert!(Arc::ptr_eq(&found(), &found()));
    }

    #[test]
    fn what_is_too_large_is_not_kept() {
        let kept = Kept::new(100);
        kept.keep(1, 20);
        assert_eq!(*kept.keep(2, 26), 2);
        assert!(kept.find(|v| *v == 2).is_none() && kept.find(|v| *v == 1).is_some());
    }
}
