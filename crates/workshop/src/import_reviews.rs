//! Imports that people look through before they take them: large ones stay here, so that they are not sent again with each look.

use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use store::{ClientKey, PersonId};
use trade::run_import::ImportLine;

/// Most imports kept at once, one a person: the oldest goes first.
const MOST: usize = 4;
/// How long one is kept.
const KEPT: Duration = Duration::from_mins(30);

/// Lines under a key, of a person, since when.
#[derive(Debug)]
struct Review {
    person: PersonId,
    key: ClientKey,
    since: Instant,
    lines: Vec<ImportLine>,
}

/// The imports under review.
#[derive(Clone, Debug, Default)]
pub(crate) struct ImportReviews(Arc<Mutex<Vec<Review>>>);

impl ImportReviews {
    /// Keeps a person's lines in place of those that they had.
    pub(crate) fn keep(&self, person: PersonId, key: ClientKey, lines: Vec<ImportLine>) {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|review| review.person != person && review.since.elapsed() < KEPT);
        if all.len() >= MOST {
            all.remove(0);
        }
        all.push(Review { person, key, since: Instant::now(), lines });
    }

    /// The lines that a person has under a key; they are gone from here then.
    pub(crate) fn take(&self, person: PersonId, key: &ClientKey) -> Option<Vec<ImportLine>> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let is_it = |review: &Review| {
            review.person == person && review.key.as_str() == key.as_str() && review.since.elapsed() < KEPT
        };
        let at = all.iter().position(is_it)?;
        Some(all.remove(at).lines)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_belong_to_a_person_and_only_so_many_are_kept() {
        let reviews = ImportReviews::default();
        let keys: Vec<ClientKey> = (0..6).map(|_| ClientKey::random()).collect();
        for (person, key) in (1..).map(PersonId).zip(&keys) {
            reviews.keep(person, key.clone(), Vec::new());
        }
        assert!(reviews.take(PersonId(1), &keys[0]).is_none(), "the oldest went");
        assert!(reviews.take(PersonId(5), &keys[5]).is_none(), "another person's");
        assert!(reviews.take(PersonId(6), &keys[5]).is_some());
        assert!(reviews.take(PersonId(6), &keys[5]).is_none(), "taken once");
    }
}
