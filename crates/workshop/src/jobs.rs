//! Long work beside the requests: it reports its progress, and stops when it is told to.

use crate::permits::Permit;
use crate::search_results::{SearchResults, SetSearchResults};
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use store::{ClientKey, WorkshopId};

/// Most jobs at once: each takes a processor, and one is left over when one person has as many as they may.
const MOST_RUNNING: usize = 3;
/// How long a job is kept after it ended, for its page to fetch the outcome.
const KEPT: Duration = Duration::from_mins(10);

/// What became of a job.
#[derive(Clone, Debug)]
pub enum JobOutcome {
    /// A search for designs ended.
    Found(Arc<SearchResults>),
    /// A search for sets ended.
    FoundSets(Arc<SetSearchResults>),
    /// Runs were imported: how many were new.
    Imported(u32),
    /// Runs were judged anew: how many, and of how many the verdict's level changed.
    Rejudged {
        /// Runs judged.
        judged: u32,
        /// Runs whose level changed.
        changed: u32,
    },
    /// A backup was written: how many facts.
    BackedUp(u64),
    /// It was told to stop; nothing was written that is not named in the outcome of a job that ends.
    Stopped,
    /// It failed, with the refusal's code.
    Failed(&'static str),
}

/// A job under way or ended.
#[derive(Debug, Default)]
pub struct Job {
    per_mille: AtomicU32,
    stop: AtomicBool,
    /// What became of it, and when.
    outcome: Mutex<Option<(Instant, JobOutcome)>>,
    /// What its person holds while it runs.
    permit: Mutex<Option<Permit>>,
}

impl Job {
    /// Notes the progress, 0…1; returns whether to go on.
    pub fn advance(&self, share: f64) -> bool {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "0 to 1000")]
        self.per_mille.store((share.clamp(0.0, 1.0) * 1000.0) as u32, Ordering::Relaxed);
        !self.stop.load(Ordering::Relaxed)
    }

    /// The progress, 0…1.
    pub fn share(&self) -> f64 {
        f64::from(self.per_mille.load(Ordering::Relaxed)) / 1000.0
    }

    /// Tells it to stop.
    pub fn cancel(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// Ends it.
    pub(crate) fn finish(&self, outcome: JobOutcome) {
        *self.outcome.lock().unwrap_or_else(PoisonError::into_inner) = Some((Instant::now(), outcome));
        drop(self.permit.lock().unwrap_or_else(PoisonError::into_inner).take());
    }

    /// Its outcome, once it has ended.
    pub fn outcome(&self) -> Option<JobOutcome> {
        let outcome = self.outcome.lock().unwrap_or_else(PoisonError::into_inner);
        outcome.as_ref().map(|(_, outcome)| outcome.clone())
    }

    /// Whether it ended so long before `now` that nobody comes for its outcome any more.
    fn is_past(&self, now: Instant) -> bool {
        let outcome = self.outcome.lock().unwrap_or_else(PoisonError::into_inner);
        outcome.as_ref().is_some_and(|(ended, _)| now.saturating_duration_since(*ended) > KEPT)
    }
}

/// All jobs, by workshop.
#[derive(Clone, Debug, Default)]
pub(crate) struct Jobs(Arc<Mutex<ByName>>);

/// By workshop and name.
type ByName = HashMap<(u64, String), Arc<Job>>;

impl Jobs {
    /// Begins a job under a name that nobody guesses; `None` when as many run as the machine bears.
    pub(crate) fn begin(&self, workshop: WorkshopId, permit: Permit) -> Option<(String, Arc<Job>)> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let now = Instant::now();
        all.retain(|_, job| !job.is_past(now));
        let running = all.values().filter(|job| job.outcome().is_none()).count();
        if running >= MOST_RUNNING {
            return None;
        }
        let (name, job) = (
            ClientKey::random().to_string(),
            Arc::new(Job { permit: Mutex::new(Some(permit)), ..Job::default() }),
        );
        all.insert((workshop.0, name.clone()), Arc::clone(&job));
        Some((name, job))
    }

    /// The job of that name in that workshop.
    pub(crate) fn find(&self, workshop: WorkshopId, name: &str) -> Option<Arc<Job>> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.get(&(workshop.0, name.to_owned())).map(Arc::clone)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::permits::AllPermits;
    use store::PersonId;

    #[test]
    fn a_job_belongs_to_its_workshop_and_only_so_many_run() {
        let (jobs, permits) = (Jobs::default(), AllPermits::default().jobs);
        let begin = |person| jobs.begin(WorkshopId(1), permits.acquire(PersonId(person)).unwrap());
        let (name, job) = begin(1).unwrap();
        assert!(job.advance(0.5) && (job.share() - 0.5).abs() < 1e-9);
        assert!(jobs.find(WorkshopId(2), &name).is_none());
        jobs.find(WorkshopId(1), &name).unwrap().cancel();
        assert!(!job.advance(0.6));
        assert!(begin(1).is_some());
        assert!(permits.acquire(PersonId(1)).is_err(), "one is left for the others");
        assert!(begin(2).is_some() && begin(2).is_none());
        job.finish(JobOutcome::Stopped);
        assert!(begin(1).is_some());
        assert!(jobs.find(WorkshopId(1), &name).is_some(), "its page still comes for the outcome");
    }

    /// However long a job runs, it is there, and its outcome for ten minutes after its end.
    #[test]
    fn a_job_is_kept_by_its_end() {
        let job = Job::default();
        let now = Instant::now();
        assert!(!job.is_past(now + 100 * KEPT));
        job.finish(JobOutcome::Stopped);
        assert!(!job.is_past(now + KEPT / 2) && job.is_past(Instant::now() + 2 * KEPT));
    }
}
