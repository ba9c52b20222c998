//! How much one person may have under way at the same time, so that nobody takes the machine from the others.

use crate::refusal::Refusal;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use store::PersonId;

/// Streams of one person: a few tablets with a few pages each.
const STREAMS: usize = 12;
/// Predictions of one person that are computed or waited for.
const PREDICTIONS: usize = 8;
/// Jobs of one person.
const JOBS: usize = 2;

type Counts = Arc<Mutex<HashMap<PersonId, usize>>>;

/// Counts what each person has under way.
#[derive(Clone, Debug)]
pub(crate) struct Permits {
    what: &'static str,
    most: usize,
    held: Counts,
}

impl Permits {
    const fn new(what: &'static str, most: usize, held: Counts) -> Self {
        Self { what, most, held }
    }

    /// One more for a person.
    ///
    /// # Errors
    /// [`Refusal::TooManyAtOnce`] when the person holds as many as they may.
    pub(crate) fn acquire(&self, person: PersonId) -> Result<Permit, Refusal> {
        let mut held = self.held.lock().unwrap_or_else(PoisonError::into_inner);
        let count = held.entry(person).or_default();
        if *count >= self.most {
            return Err(Refusal::TooManyAtOnce(self.what));
        }
        *count += 1;
        Ok(Permit { person, held: self.held.clone() })
    }
}

/// Something that a person has under way; it ends when this is dropped.
#[derive(Debug)]
pub struct Permit {
    person: PersonId,
    held: Counts,
}

impl Drop for Permit {
    fn drop(&mut self) {
        let mut held = self.held.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(count) = held.get_mut(&self.person) {
            *count -= 1;
            if *count == 0 {
                held.remove(&self.person);
            }
        }
    }
}

/// The permits of an installation.
#[derive(Clone, Debug)]
pub(crate) struct AllPermits {
    pub(crate) streams: Permits,
    pub(crate) predictions: Permits,
    pub(crate) jobs: Permits,
}

impl Default for AllPermits {
    fn default() -> Self {
        Self {
            streams: Permits::new("live pages", STREAMS, Counts::default()),
            predictions: Permits::new("predictions", PREDICTIONS, Counts::default()),
            jobs: Permits::new("jobs", JOBS, Counts::default()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_person_takes_nothing_from_another() {
        let permits = Permits::new("things", 2, Counts::default());
        let (wren, ode) = (PersonId(1), PersonId(2));
        let held = [permits.acquire(wren).unwrap(), permits.acquire(wren).unwrap()];
        assert!(matches!(permits.acquire(wren), Err(Refusal::TooManyAtOnce("things"))));
        assert!(permits.acquire(ode).is_ok());
        drop(held);
        assert!(permits.acquire(wren).is_ok());
        assert!(permits.held.lock().unwrap().is_empty(), "nothing is kept of who holds nothing");
    }
}
