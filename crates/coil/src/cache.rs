//! Caches of expensive results: the most recently used ones, each cache bounded by its memory.

use lru::LruCache;
use nalgebra::DMatrix;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

/// The bounds of all caches of the process, bytes: 65 MB together.
pub(crate) mod bounds {
    const MB: usize = 1 << 20;
    /// Magnets, poles, plates and covers of a design, solved.
    pub(crate) const PARTS: usize = 24 * MB;
    /// Coils with their lays.
    pub(crate) const COILS: usize = 12 * MB;
    /// Fields of parts along strings: of a few designs that are being edited. More memory would be written and never read.
    pub(crate) const STRING_FIELDS: usize = 8 * MB;
    /// Interactions of pairs of magnetic parts.
    pub(crate) const INTERACTIONS: usize = 6 * MB;
    /// Factors of the matrices of parts without remanence.
    pub(crate) const PLAIN_FACTORS: usize = 4 * MB;
    /// Drives of conducting sheets in single magnetic parts.
    pub(crate) const SHEET_DRIVES: usize = 4 * MB;
    /// Drives of conducting sheets in all parts without remanence.
    pub(crate) const PLAIN_DRIVES: usize = 2 * MB;
    /// Conducting sheets.
    pub(crate) const SHEETS: usize = 2 * MB;
    /// Meshes of magnetic parts.
    pub(crate) const MESHES: usize = 2 * MB;
    /// Strings as they are linked by a field: most instruments have the same.
    pub(crate) const STRINGS: usize = MB;
}

/// All that a cached result depends on.
pub(crate) trait CacheKey: PartialEq {
    /// Equal keys have equal fingerprints; unequal keys may have.
    fn fingerprint(&self) -> u64;
}

/// The fingerprint of numbers in their order.
pub(crate) fn fingerprint(numbers: impl IntoIterator<Item = f64>) -> u64 {
    let mut hasher = DefaultHasher::new();
    for number in numbers {
        number.to_bits().hash(&mut hasher);
    }
    hasher.finish()
}

impl<const N: usize> CacheKey for [f64; N] {
    fn fingerprint(&self) -> u64 {
        fingerprint(*self)
    }
}

impl<T: CacheKey> CacheKey for Vec<T> {
    fn fingerprint(&self) -> u64 {
        self.iter().fold(0, |all: u64, key| all.rotate_left(1) ^ key.fingerprint())
    }
}

impl<A: CacheKey, B: CacheKey> CacheKey for (A, B) {
    fn fingerprint(&self) -> u64 {
        self.0.fingerprint().rotate_left(1) ^ self.1.fingerprint()
    }
}

/// How much memory a cached result takes.
pub(crate) trait MemorySize {
    /// Bytes, to within a few percent.
    fn bytes(&self) -> usize;
}

impl MemorySize for DMatrix<f64> {
    fn bytes(&self) -> usize {
        size_of::<Self>() + self.len() * size_of::<f64>()
    }
}

/// Results by key, shared by all threads.
#[derive(Debug)]
pub(crate) struct Cache<K, V> {
    entries: LazyLock<Mutex<Entries<K, V>>>,
    max_bytes: usize,
}

#[derive(Debug)]
struct Entries<K, V> {
    by_fingerprint: LruCache<u64, Entry<K, V>>,
    bytes: usize,
}

#[derive(Debug)]
struct Entry<K, V> {
    key: K,
    value: Arc<V>,
    bytes: usize,
}

impl<K: CacheKey, V: MemorySize> Cache<K, V> {
    /// An empty cache that never holds more than `max_bytes`, one of [`bounds`].
    pub(crate) const fn new(max_bytes: usize) -> Self {
        let entries = || Mutex::new(Entries { by_fingerprint: LruCache::unbounded(), bytes: 0 });
        Self { entries: LazyLock::new(entries), max_bytes }
    }

    /// The result of a key, if it is cached.
    pub(crate) fn get(&self, key: &K) -> Option<Arc<V>> {
        let mut entries = self.entries.lock().unwrap_or_else(PoisonError::into_inner);
        let entry = entries.by_fingerprint.get(&key.fingerprint())?;
        (entry.key == *key).then(|| Arc::clone(&entry.value))
    }

    /// Caches a result unless it takes more than a quarter of the cache. It replaces the one with the same fingerprint; the least
    /// recently used ones make room for it.
    pub(crate) fn insert(&self, key: K, value: V) -> Arc<V> {
        let value = Arc::new(value);
        let bytes = size_of::<Entry<K, V>>() + value.bytes();
        if bytes <= self.max_bytes / 4 {
            let fingerprint = key.fingerprint();
            let entry = Entry { key, value: Arc::clone(&value), bytes };
            let mut entries = self.entries.lock().unwrap_or_else(PoisonError::into_inner);
            let replaced = entries.by_fingerprint.put(fingerprint, entry).map_or(0, |entry| entry.bytes);
            entries.bytes = entries.bytes + bytes - replaced;
            while entries.bytes > self.max_bytes
                && let Some((_, oldest)) = entries.by_fingerprint.pop_lru()
            {
                entries.bytes -= oldest.bytes;
            }
        }
        value
    }

    /// The cached result of a key, or the computed one. It is computed without the lock: a thread that needs the same result at the
    /// same time computes it as well.
    pub(crate) fn get_or_compute(&self, key: K, compute: impl FnOnce() -> V) -> Arc<V> {
        self.get(&key).unwrap_or_else(|| self.insert(key, compute()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A value of so many bytes; of two with the same last digit the fingerprint is the same.
    #[derive(Clone, Copy, Debug, PartialEq)]
    struct Key(u64);

    impl CacheKey for Key {
        fn fingerprint(&self) -> u64 {
            self.0 % 10
        }
    }

    struct Bytes(usize);

    impl MemorySize for Bytes {
        fn bytes(&self) -> usize {
            self.0
        }
    }

    /// With room for five values of 100 bytes.
    fn cache() -> Cache<Key, Bytes> {
        Cache::new(5 * (100 + size_of::<Entry<Key, Bytes>>()))
    }

    fn is_cached(cache: &Cache<Key, Bytes>, key: u64) -> bool {
        cache.get(&Key(key)).is_some()
    }

    #[test]
    fn the_least_recently_used_makes_room() {
        let cache = cache();
        for key in 1..=5 {
            cache.insert(Key(key), Bytes(100));
        }
        assert!(is_cached(&cache, 1), "used again");
        cache.insert(Key(6), Bytes(100));
        assert_eq!([1, 2, 3, 6].map(|key| is_cached(&cache, key)), [true, false, true, true]);
    }

    /// Equal fingerprints prove nothing: the other key is not found, and replaces the first one.
    #[test]
    fn a_fingerprint_has_one_entry() {
        let cache = cache();
        cache.insert(Key(1), Bytes(100));
        assert!(!is_cached(&cache, 11));
        for _ in 0..10 {
            cache.insert(Key(11), Bytes(100));
        }
        assert!(is_cached(&cache, 11) && !is_cached(&cache, 1));
        cache.insert(Key(2), Bytes(100));
        assert!(is_cached(&cache, 2) && is_cached(&cache, 11), "the replaced entry takes no memory");
    }

    #[test]
    fn a_large_result_is_not_cached() {
        let cache = cache();
        cache.insert(Key(1), Bytes(100));
        assert_eq!(cache.insert(Key(2), Bytes(400)).0, 400);
        assert!(!is_cached(&cache, 2) && is_cached(&cache, 1));
    }

    #[test]
    fn a_cached_result_is_not_computed_again() {
        let cache = cache();
        cache.get_or_compute(Key(1), || Bytes(50));
        assert_eq!(cache.get_or_compute(Key(1), || Bytes(70)).0, 50);
    }

    #[test]
    fn fingerprints_depend_on_numbers_and_their_order() {
        let all = [fingerprint([1.0, 2.0]), fingerprint([2.0, 1.0]), fingerprint([1.0]), fingerprint([])];
        assert_eq!(fingerprint([1.0, 2.0]), all[0]);
        assert!((0..4).all(|i| (0..i).all(|k| all[i] != all[k])));
    }
}
