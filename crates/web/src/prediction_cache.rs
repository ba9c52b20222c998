//! PredictionCache, computed off the threads that serve pages, and the last ones kept: a parent, or a pickup laid over the
//! response, is asked for again at every key that somebody types.

use crate::error::AppError;
use actix_web::web;
use coil::design::{Design, Problem};
use coil::prediction::{Calibration, Prediction, predict_calibrated};
use lru::LruCache;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, PoisonError};

/// How many are kept: some for each of a few dozen people.
const KEPT: NonZeroUsize = NonZeroUsize::new(256).expect("not zero");

/// What a design is predicted to be, or why it cannot be.
pub type PredictionResult = Result<Arc<Prediction>, Vec<Problem>>;

/// The predictions kept, by document.
#[derive(Clone)]
pub struct PredictionCache(Arc<Mutex<LruCache<String, PredictionResult>>>);

impl Default for PredictionCache {
    fn default() -> Self {
        Self(Arc::new(Mutex::new(LruCache::new(KEPT))))
    }
}

impl PredictionCache {
    /// What a design is predicted to be by the bare engine.
    pub async fn of(&self, design: &Design) -> Result<PredictionResult, AppError> {
        self.calibrated(design, Calibration::default()).await
    }

    /// What it is predicted to be, leaning on what runs have shown.
    pub async fn calibrated(
        &self,
        design: &Design,
        calibration: Calibration,
    ) -> Result<PredictionResult, AppError> {
        let document =
            serde_json::to_string(&(design, &calibration)).map_err(|e| AppError::Internal(e.to_string()))?;
        if let Some(kept) = self.kept(&document) {
            return Ok(kept);
        }
        let design = design.clone();
        let found: PredictionResult =
            web::block(move || predict_calibrated(&design, &calibration).map(Arc::new)).await?;
        self.0.lock().unwrap_or_else(PoisonError::into_inner).put(document, found.clone());
        Ok(found)
    }

    fn kept(&self, document: &str) -> Option<PredictionResult> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(document).cloned()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;

    #[actix_web::test]
    async fn the_same_design_is_computed_once_and_another_is_another() {
        let all = PredictionCache::default();
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
