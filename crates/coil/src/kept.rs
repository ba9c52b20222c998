//! The last few of what is dear to work out, for those who need the same again.

use lru::LruCache;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

/// Values shared by all threads, one of a mark; together they take no more memory than a bound.
#[derive(Debug)]
pub(crate) struct Kept<T> {
    values: LazyLock<Mutex<Values<T>>>,
    most_bytes: usize,
}

#[derive(Debug)]
struct Values<T> {
    by_mark: LruCache<u64, (Arc<T>, usize)>,
    bytes: usize,
}

/// A number by which most values that are not meant can be told without a look at them: those of the same numbers have the same.
pub(crate) fn mark(numbers: impl IntoIterator<Item = f64>) -> u64 {
    let mut hasher = DefaultHasher::new();
    for number in numbers {
        number.to_bits().hash(&mut hasher);
    }
    hasher.finish()
}

impl<T> Kept<T> {
    /// Nothing yet, and never more than `most_bytes` together.
    pub(crate) const fn new(most_bytes: usize) -> Self {
        let values = || Mutex::new(Values { by_mark: LruCache::unbounded(), bytes: 0 });
        Self { values: LazyLock::new(values), most_bytes }
    }

    /// The value of a mark, if it is kept and something holds for it.
    pub(crate) fn find(&self, mark: u64, holds: impl Fn(&T) -> bool) -> Option<Arc<T>> {
        let mut values = self.values.lock().unwrap_or_else(PoisonError::into_inner);
        let (value, _) = values.by_mark.get(&mark)?;
        holds(value).then(|| Arc::clone(value))
    }

    /// Keeps a value that takes `bytes` in the place of what had its mark, unless it would fill a quarter of the room alone; what
    /// was used longest ago makes room. Values are worked out without the lock: who needs the same in the same moment works it out
    /// as well.
    pub(crate) fn keep(&self, mark: u64, value: T, bytes: usize) -> Arc<T> {
        let value = Arc::new(value);
        if bytes <= self.most_bytes / 4 {
            let mut values = self.values.lock().unwrap_or_else(PoisonError::into_inner);
            let before = values.by_mark.put(mark, (Arc::clone(&value), bytes)).map_or(0, |(_, bytes)| bytes);
            values.bytes += bytes;
            values.bytes -= before;
            while values.bytes > self.most_bytes
                && let Some((_, (_, oldest))) = values.by_mark.pop_lru()
            {
                values.bytes -= oldest;
            }
        }
        value
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn is_kept(kept: &Kept<u64>, value: u64) -> bool {
        kept.find(value, |v| *v == value).is_some()
    }

    #[test]
    fn what_was_used_longest_ago_makes_room() {
        let kept = Kept::new(100);
        for value in 1..=5 {
            kept.keep(value, value, 20);
        }
        assert!(is_kept(&kept, 1), "used again");
        kept.keep(6, 6, 20);
        assert_eq!([1, 2, 3, 6].map(|v| is_kept(&kept, v)), [true, false, true, true]);
    }

    /// A mark is no proof: another value of the same mark is not found, and takes its place.
    #[test]
    fn a_mark_has_one_value() {
        let kept = Kept::new(100);
        kept.keep(1, 7, 20);
        assert!(kept.find(1, |v| *v == 8).is_none());
        for _ in 0..10 {
            kept.keep(1, 8, 20);
        }
        assert!(kept.find(1, |v| *v == 8).is_some() && kept.find(1, |v| *v == 7).is_none());
        kept.keep(2, 2, 20);
        assert!(is_kept(&kept, 2) && kept.find(1, |v| *v == 8).is_some());
    }

    #[test]
    fn what_is_too_large_is_not_kept() {
        let kept = Kept::new(100);
        kept.keep(1, 1, 20);
        assert_eq!(*kept.keep(2, 2, 26), 2);
        assert!(!is_kept(&kept, 2) && is_kept(&kept, 1));
    }

    #[test]
    fn marks_tell_numbers_and_their_order() {
        let marks = [mark([1.0, 2.0]), mark([2.0, 1.0]), mark([1.0]), mark([])];
        assert_eq!(mark([1.0, 2.0]), marks[0]);
        assert!((0..4).all(|i| (0..i).all(|k| marks[i] != marks[k])));
    }
}
