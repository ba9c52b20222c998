//! Plans that were made, by workshop.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use store::WorkshopId;
use trade::schedule::{Schedule, Work};

/// Plans by workshop: what they are of, and the best that is known.
#[derive(Clone, Debug, Default)]
pub(crate) struct Plans(Arc<Mutex<HashMap<WorkshopId, KnownPlan>>>);

#[derive(Clone, Debug)]
pub(crate) struct KnownPlan {
    pub(crate) of: String,
    /// The work without the pins that cannot hold.
    pub(crate) work: Arc<Work>,
    pub(crate) schedule: Arc<Schedule>,
    pub(crate) is_improving: bool,
    pub(crate) broken_pins: Vec<(usize, usize)>,
}

impl Plans {
    pub(crate) fn known(&self, workshop: WorkshopId, of: &str) -> Option<KnownPlan> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.get(&workshop).filter(|k| k.of == of).cloned()
    }

    pub(crate) fn keep(&self, workshop: WorkshopId, plan: KnownPlan) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert(workshop, plan);
    }
}
