//! What operations took in a workshop, by the signatures of its runs.

use crate::refusal::Refusal;
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, PoisonError};
use store::{WorkshopId, WorkshopStore};
use trade::operation_times::{is_observed, own_median};

/// What an operation took.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct ObservedTime {
    /// How often it was observed.
    pub(crate) count: usize,
    /// The median, minutes; `None` while it was observed too seldom.
    pub(crate) median: Option<u32>,
}

/// What operations took, by their keys.
pub(crate) type ObservedTimes = BTreeMap<String, ObservedTime>;

/// What operations took, from the minutes of each.
fn observed(minutes: Vec<(String, f64)>) -> ObservedTimes {
    let mut by_key: BTreeMap<String, Vec<f64>> = BTreeMap::new();
    for (key, minutes) in minutes {
        by_key.entry(key).or_default().push(minutes);
    }
    let time = |all: &[f64]| ObservedTime {
        count: all.iter().filter(|m| is_observed(**m)).count(),
        median: own_median(all),
    };
    by_key.into_iter().map(|(key, all)| (key, time(&all))).filter(|(_, time)| time.count > 0).collect()
}

/// What operations took, with the number of the last signature that it is of.
type TimesOf = (Option<u64>, Arc<ObservedTimes>);

/// What operations took by workshop, with the last signature that it is of: another signature is all that changes it.
#[derive(Clone, Debug, Default)]
pub(crate) struct KnownTimes(Arc<Mutex<HashMap<WorkshopId, TimesOf>>>);

impl KnownTimes {
    /// What operations took in a workshop.
    ///
    /// # Errors
    /// When the database does not answer.
    pub(crate) async fn load(
        &self,
        workshop: WorkshopId,
        store: &WorkshopStore,
    ) -> Result<Arc<ObservedTimes>, Refusal> {
        let last = store.last_signature().await?;
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&workshop).cloned();
        if let Some((_, times)) = known.filter(|(of, _)| *of == last) {
            return Ok(times);
        }
        let times = Arc::new(observed(store.operation_minutes().await?));
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.insert(workshop, (last, Arc::clone(&times)));
        Ok(times)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_left_lying_counts_nowhere_and_few_make_no_median() {
        let mut minutes: Vec<(String, f64)> = (8..18).map(|m| ("wind".to_owned(), f64::from(m))).collect();
        minutes.extend([("wind".to_owned(), 900.0), ("pot".to_owned(), 30.0), ("tape".to_owned(), 900.0)]);
        let times = observed(minutes);
        assert_eq!(times["wind"], ObservedTime { count: 10, median: Some(13) });
        assert_eq!(times["pot"], ObservedTime { count: 1, median: None });
        assert!(!times.contains_key("tape"));
    }
}
