//! Long work beside the pages: it says how far it is, and stops when told to.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use store::{ClientKey, WorkshopId};

/// Most searches at once: each takes a processor.
const MOST_RUNNING: usize = 2;
/// How long a finished one is kept for its page to fetch.
const KEPT: Duration = Duration::from_mins(10);

/// A piece of work under way.
#[derive(Debug, Default)]
pub struct Job {
    per_mille: AtomicU32,
    stop: AtomicBool,
    result: Mutex<Option<String>>,
}

impl Job {
    /// Tells how far it is, 0…1; answers whether to go on.
    pub fn on(&self, share: f64) -> bool {
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "0 to 1000")]
        self.per_mille.store((share.clamp(0.0, 1.0) * 1000.0) as u32, Ordering::Relaxed);
        !self.stop.load(Ordering::Relaxed)
    }

    /// How far it is, 0…1.
    pub fn share(&self) -> f64 {
        f64::from(self.per_mille.load(Ordering::Relaxed)) / 1000.0
    }

    /// Tells it to stop.
    pub fn cancel(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// Leaves its result.
    pub fn finish(&self, markup: String) {
        *self.result.lock().unwrap_or_else(PoisonError::into_inner) = Some(markup);
    }

    /// Its result, once there is one.
    pub fn result(&self) -> Option<String> {
        self.result.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }
}

/// All work under way, by workshop.
#[derive(Clone, Debug, Default)]
pub struct Jobs(Arc<Mutex<ByName>>);

/// When each began, by workshop and name.
type ByName = HashMap<(u64, String), (Instant, Arc<Job>)>;

impl Jobs {
    /// Takes a new piece of work on, under a name that nobody guesses; `None` when enough is under way.
    pub fn begin(&self, workshop: WorkshopId) -> Option<(String, Arc<Job>)> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|_, (since, _)| since.elapsed() < KEPT);
        let running = all.values().filter(|(_, job)| job.result().is_none()).count();
        if running >= MOST_RUNNING {
            return None;
        }
        let (name, job) = (ClientKey::random().to_string(), Arc::new(Job::default()));
        all.insert((workshop.0, name.clone()), (Instant::now(), Arc::clone(&job)));
        Some((name, job))
    }

    /// The work of that name in that workshop.
    pub fn of(&self, workshop: WorkshopId, name: &str) -> Option<Arc<Job>> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.get(&(workshop.0, name.to_owned())).map(|(_, job)| Arc::clone(job))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn work_is_its_workshops_own_and_not_without_end() {
        let jobs = Jobs::default();
        let (name, job) = jobs.begin(WorkshopId(1)).unwrap();
        assert!(job.on(0.5) && (job.share() - 0.5).abs() < 1e-9);
        assert!(jobs.of(WorkshopId(2), &name).is_none());
        jobs.of(WorkshopId(1), &name).unwrap().cancel();
        assert!(!job.on(0.6));
        assert!(jobs.begin(WorkshopId(1)).is_some() && jobs.begin(WorkshopId(1)).is_none());
        job.finish("done".into());
        assert!(jobs.begin(WorkshopId(1)).is_some());
    }
}
