//! Solutions and predictions, each computed once: a parent, or a pickup overlaid on the response, is asked for again at
//! every key that somebody types.

use crate::blocking::{blocking, blocking_for};
use crate::refusal::Refusal;
use coil::design::{Design, Problem};
use coil::prediction::{Calibration, Effort, Prediction, Solution};
use coil::set::PlacedPickup;
use quick_cache::Weighter;
use quick_cache::sync::Cache;
use serde::Serialize;
use sha2::{Digest as _, Sha256};
use std::sync::Arc;

/// Memory for solutions, bytes.
const SOLUTION_BYTES: u64 = 64 << 20;
/// Memory for predictions, bytes.
const PREDICTION_BYTES: u64 = 32 << 20;
/// What a design that cannot be predicted takes, bytes.
const PROBLEM_BYTES: u64 = 1024;

/// A design's solution, or every reason why there is none.
pub type SolutionResult = Result<Arc<Solution>, Vec<Problem>>;
/// A design's prediction, or every reason why there is none.
pub type PredictionResult = Result<Arc<Prediction>, Vec<Problem>>;

/// A pickup of a set solved at its place, or every reason why there is none.
pub type PlacedResult = Result<Arc<PlacedPickup>, Vec<Problem>>;

/// A hash of everything that a computation depends on.
type Key = [u8; 32];

#[derive(Clone)]
struct SolutionWeight;

impl Weighter<Key, SolutionResult> for SolutionWeight {
    fn weight(&self, _: &Key, value: &SolutionResult) -> u64 {
        value.as_ref().map_or(PROBLEM_BYTES, |solution| solution.bytes() as u64)
    }
}

#[derive(Clone)]
struct PredictionWeight;

impl Weighter<Key, PredictionResult> for PredictionWeight {
    fn weight(&self, _: &Key, value: &PredictionResult) -> u64 {
        value.as_ref().map_or(PROBLEM_BYTES, |prediction| {
            let numbers = 3 * prediction.response.hz.len() + 60 * prediction.coils.len() + 200;
            let words = prediction.notices.len() * 400 + prediction.contributions.len() * 96;
            (numbers * 8 + words) as u64
        })
    }
}

#[derive(Clone)]
struct PlacedWeight;

impl Weighter<Key, PlacedResult> for PlacedWeight {
    fn weight(&self, _: &Key, value: &PlacedResult) -> u64 {
        value.as_ref().map_or(PROBLEM_BYTES, |placed| {
            let partials: usize = placed.signal.strings.iter().map(|s| s.partials_wb_m.len()).sum();
            // Its prediction tells each of its partials as well.
            (40 * partials + 16_384) as u64
        })
    }
}

/// The solutions and predictions of the last designs, bounded by memory. Whoever asks for one that is being computed
/// waits for it.
#[derive(Clone)]
pub(crate) struct PredictionCache {
    solutions: Arc<Cache<Key, SolutionResult, SolutionWeight>>,
    predictions: Arc<Cache<Key, PredictionResult, PredictionWeight>>,
    placed: Arc<Cache<Key, PlacedResult, PlacedWeight>>,
}

impl Default for PredictionCache {
    fn default() -> Self {
        Self {
            solutions: Arc::new(Cache::with_weighter(64, SOLUTION_BYTES, SolutionWeight)),
            predictions: Arc::new(Cache::with_weighter(1024, PREDICTION_BYTES, PredictionWeight)),
            placed: Arc::new(Cache::with_weighter(256, PREDICTION_BYTES, PlacedWeight)),
        }
    }
}

/// The hash of a value's JSON.
fn key_of(value: &impl Serialize) -> Result<Key, Refusal> {
    let mut hash = Sha256::new();
    serde_json::to_writer(&mut hash, value)?;
    Ok(hash.finalize().into())
}

/// A design with its key, so that the whole document is hashed once for everything that is asked of it.
struct Keyed<'a> {
    design: &'a Design,
    key: Key,
}

impl<'a> Keyed<'a> {
    fn new(design: &'a Design) -> Result<Self, Refusal> {
        Ok(Self { design, key: key_of(design)? })
    }

    /// The key of what a calibration makes of it.
    fn with(&self, calibration: &Calibration) -> Result<Key, Refusal> {
        key_of(&(self.key, calibration))
    }
}

impl PredictionCache {
    /// The solution of a design.
    pub(crate) async fn solution(&self, design: &Design) -> Result<SolutionResult, Refusal> {
        self.solution_of(&Keyed::new(design)?).await
    }

    async fn solution_of(&self, of: &Keyed<'_>) -> Result<SolutionResult, Refusal> {
        self.solutions
            .get_or_insert_async(&of.key, async {
                let design = of.design.clone();
                blocking_for(&Effort::estimate(&design), move || Solution::compute(&design).map(Arc::new))
                    .await
            })
            .await
    }

    /// The prediction of a design, corrected by a calibration; the default one leaves the uncalibrated model.
    pub(crate) async fn prediction(
        &self,
        design: &Design,
        calibration: Calibration,
    ) -> Result<PredictionResult, Refusal> {
        self.prediction_of(&Keyed::new(design)?, calibration).await
    }

    /// The prediction of a design and its solution.
    pub(crate) async fn prediction_and_solution(
        &self,
        design: &Design,
        calibration: Calibration,
    ) -> Result<(PredictionResult, SolutionResult), Refusal> {
        let keyed = Keyed::new(design)?;
        Ok((self.prediction_of(&keyed, calibration).await?, self.solution_of(&keyed).await?))
    }

    async fn prediction_of(
        &self,
        of: &Keyed<'_>,
        calibration: Calibration,
    ) -> Result<PredictionResult, Refusal> {
        self.predictions
            .get_or_insert_async(&of.with(&calibration)?, async {
                match self.solution_of(of).await? {
                    Ok(solution) => blocking(move || Ok(Arc::new(solution.prediction(&calibration)))).await,
                    Err(problems) => Ok(Err(problems)),
                }
            })
            .await
    }

    /// A pickup of a set, as it stands in it ([`coil::set::Set::placed`]).
    pub(crate) async fn placed(
        &self,
        design: &Design,
        calibration: Calibration,
    ) -> Result<PlacedResult, Refusal> {
        self.placed
            .get_or_insert_async(&Keyed::new(design)?.with(&calibration)?, async {
                let design = design.clone();
                let effort = Effort::estimate(&design);
                blocking_for(&effort, move || PlacedPickup::try_new(&design, &calibration).map(Arc::new))
                    .await
            })
            .await
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;

    #[tokio::test]
    async fn the_same_design_is_computed_once_and_another_is_another() {
        let cache = PredictionCache::default();
        let mut design = tall_single("Sedge", 6, 10.4);
        let of = |design: &Design| {
            let (cache, design) = (cache.clone(), design.clone());
            async move { cache.prediction(&design, Calibration::default()).await.unwrap() }
        };
        let (first, second) = tokio::join!(of(&design), of(&design));
        let first = first.unwrap();
        assert!(Arc::ptr_eq(&first, &second.unwrap()), "whoever comes later waits for the first");
        let solution = cache.solution(&design).await.unwrap().unwrap();
        assert!(Arc::ptr_eq(&solution, &cache.solution(&design).await.unwrap().unwrap()));
        design.coils[0].wind.turns += 1;
        let next = of(&design).await.unwrap();
        assert!(next.pickup.resistance_20c_ohm.nominal > first.pickup.resistance_20c_ohm.nominal);
        design.coils[0].wind.turns = 0;
        assert!(of(&design).await.is_err());
    }
}
