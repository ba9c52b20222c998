//! Predictions, computed off the threads that serve pages, and the last ones kept: a parent, or a pickup laid over the
//! response, is asked for again at every key that somebody types.

use crate::fault::Fault;
use actix_web::web;
use coil::design::{Design, Problem};
use coil::predict::{Experience, Prediction, predict_with};
use lru::LruCache;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, PoisonError};

/// How many are kept: some for each of a few dozen people.
const KEPT: NonZeroUsize = NonZeroUsize::new(256).expect("not zero");

/// What a design is predicted to be, or why it cannot be.
pub type Foretold = Result<Arc<Prediction>, Vec<Problem>>;

/// The predictions kept, by document.
#[derive(Clone)]
pub struct Predictions(Arc<Mutex<LruCache<String, Foretold>>>);

impl Default for Predictions {
    fn default() -> Self {
        Self(Arc::new(Mutex::new(LruCache::new(KEPT))))
    }
}

impl Predictions {
    /// What a design is predicted to be by the bare engine.
    pub async fn of(&self, design: &Design) -> Result<Foretold, Fault> {
        self.leaning(design, Experience::default()).await
    }

    /// What it is predicted to be, leaning on what runs have shown.
    pub async fn leaning(&self, design: &Design, experience: Experience) -> Result<Foretold, Fault> {
        let document =
            serde_json::to_string(&(design, &experience)).map_err(|e| Fault::Internal(e.to_string()))?;
        if let Some(kept) = self.kept(&document) {
            return Ok(kept);
        }
        let design = design.clone();
        let found: Foretold = web::block(move || predict_with(&design, &experience).map(Arc::new)).await?;
        self.0.lock().unwrap_or_else(PoisonError::into_inner).put(document, found.clone());
        Ok(found)
    }

    fn kept(&self, document: &str) -> Option<Foretold> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(document).cloned()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;

    #[actix_web::test]
    async fn the_same_design_is_computed_once_and_another_is_another() {
        let all = Predictions::default();
        let mut design = tall_single("Sedge", 6, 10.4);
        let first = all.of(&design).await.unwrap().unwrap();
        assert!(Arc::ptr_eq(&first, &all.of(&design).await.unwrap().unwrap()));
        design.coils[0].wind.turns += 1;
        let next = all.of(&design).await.unwrap().unwrap();
        assert!(next.pickup.resistance_20c_ohm.nominal > first.pickup.resistance_20c_ohm.nominal);
        design.coils[0].wind.turns = 0;
        assert!(all.of(&design).await.unwrap().is_err());
    }
}
