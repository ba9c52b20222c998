//! What the workshop's runs have taught: the newest version at hand, older ones on demand, and learning again behind the
//! pages once runs were judged.

use crate::app::App;
use crate::error::AppError;
use crate::prediction_cache::PredictionResult;
use actix_web::web;
use coil::design::Design;
use coil::prediction::Calibration;
use lru::LruCache;
use std::collections::BTreeSet;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use store::calibration::CalibrationPolicy;
use store::logbook::planned_factor_levels;
use store::{CalibrationId, DesignId, InstrumentId, PersonId, SpoolId, Store, StoreError, WorkshopId};
use trade::calibration::{CalibrationModel, fit_calibration};

/// Versions kept at hand.
const KEPT: NonZeroUsize = NonZeroUsize::new(32).expect("not zero");
/// How long learning waits for more readings before it begins.
const PATIENCE: Duration = Duration::from_millis(400);
/// Runs up to which every change is learned at once; beyond, a hundredth more of them is waited for.
const SMALL: u32 = 500;

/// What was learned, by version.
#[derive(Clone)]
pub struct Calibrations {
    kept: Arc<Mutex<LruCache<u64, Arc<CalibrationModel>>>>,
    /// Workshops whose learning waits to begin.
    waiting: Arc<Mutex<BTreeSet<u64>>>,
}

impl Default for Calibrations {
    fn default() -> Self {
        Self { kept: Arc::new(Mutex::new(LruCache::new(KEPT))), waiting: Arc::default() }
    }
}

/// What a prediction of a design leans on.
#[derive(Clone, Default)]
pub struct AppliedCalibration {
    /// The version; none when nothing is learned or it is switched off.
    pub version: Option<(CalibrationId, u32)>,
    model: Option<Arc<CalibrationModel>>,
    design: Option<DesignId>,
    /// Why there is none, or that it is frozen; empty when it is the newest.
    pub how: &'static str,
}

impl AppliedCalibration {
    /// What runs have shown of a document of this design, on no spool and by nobody in particular.
    pub fn calibration(&self, document: &Design) -> Calibration {
        self.calibration_on(document, None, None, None)
    }

    /// The same where spool, person and winder are known.
    pub fn calibration_on(
        &self,
        document: &Design,
        spool: Option<SpoolId>,
        operator: Option<PersonId>,
        winder: Option<InstrumentId>,
    ) -> Calibration {
        self.model.as_ref().map_or_else(Calibration::default, |model| {
            model.calibration(&planned_factor_levels(self.design, document, spool, operator, winder))
        })
    }
}

impl App {
    /// What a document is predicted to be, leaning on what the workshop's runs have shown of its design, or of the whole
    /// shop where it is a new one.
    pub(crate) async fn predicted(
        &self,
        workshop: WorkshopId,
        design: Option<DesignId>,
        document: &Design,
    ) -> Result<PredictionResult, AppError> {
        let applied = self.calibrations.applied(&self.store, workshop, design).await?;
        self.predictions.calibrated(document, applied.calibration(document)).await
    }
}

impl Calibrations {
    /// A version, whole.
    pub async fn version(
        &self,
        store: &Store,
        workshop: WorkshopId,
        id: CalibrationId,
    ) -> Result<Arc<CalibrationModel>, StoreError> {
        if let Some(found) = self.kept.lock().unwrap_or_else(PoisonError::into_inner).get(&id.0) {
            return Ok(Arc::clone(found));
        }
        let model = Arc::new(store.of(workshop).model(id).await?);
        self.kept.lock().unwrap_or_else(PoisonError::into_inner).put(id.0, Arc::clone(&model));
        Ok(model)
    }

    /// What predictions of a design lean on; of a design that is not saved yet, what the whole shop shows.
    pub async fn applied(
        &self,
        store: &Store,
        workshop: WorkshopId,
        design: Option<DesignId>,
    ) -> Result<AppliedCalibration, AppError> {
        if !store.of(workshop).calibration_enabled().await? {
            return Ok(AppliedCalibration {
                how: "learning is switched off",
                ..AppliedCalibration::default()
            });
        }
        let calibration_policy = match design {
            Some(design) => store.of(workshop).calibration_policy(design).await?,
            None => CalibrationPolicy::On,
        };
        let newest = store.of(workshop).newest_calibration().await?;
        let (version, how) = match calibration_policy {
            CalibrationPolicy::Off => (None, "learning is switched off for this design"),
            CalibrationPolicy::On => (newest.map(|l| (l.id, l.number)), ""),
            CalibrationPolicy::Frozen(id) => {
                let number = store
                    .of(workshop)
                    .calibrations()
                    .await?
                    .iter()
                    .find(|l| l.id == id)
                    .map_or(0, |l| l.number);
                (Some((id, number)), "frozen for this design")
            }
        };
        let model = match version {
            Some((id, _)) => Some(self.version(store, workshop, id).await?),
            None => None,
        };
        Ok(AppliedCalibration { version, model, design, how })
    }

    /// Learns again soon, behind the pages: several readings in a row are one.
    pub fn soon(&self, store: &Store, workshop: WorkshopId) {
        if !self.waiting.lock().unwrap_or_else(PoisonError::into_inner).insert(workshop.0) {
            return;
        }
        let (calibrations, store) = (self.clone(), store.clone());
        tokio::spawn(async move {
            tokio::time::sleep(PATIENCE).await;
            calibrations.waiting.lock().unwrap_or_else(PoisonError::into_inner).remove(&workshop.0);
            if let Err(error) = calibrations.again(&store, workshop, false).await {
                tracing::warn!(%error, "nothing was learned this time");
            }
        });
    }

    /// Learns from all runs, and keeps a version when it differs from the last one. `all` does so however few are new.
    /// Gives the version's number when there is a new one.
    pub async fn again(
        &self,
        store: &Store,
        workshop: WorkshopId,
        all: bool,
    ) -> Result<Option<u32>, AppError> {
        let newest = store.of(workshop).newest_calibration().await?;
        let count = store.of(workshop).observation_count().await?;
        if let (Some(newest), false) = (&newest, all)
            && count > SMALL
            && count.abs_diff(newest.runs) < newest.runs / 100
        {
            return Ok(None);
        }
        let runs = store.of(workshop).observations().await?;
        let model = web::block(move || fit_calibration(&runs)).await?;
        let before = match &newest {
            Some(newest) => Some(self.version(store, workshop, newest.id).await?),
            None => None,
        };
        if before.as_deref() == Some(&model) || (before.is_none() && model.quantities.is_empty()) {
            return Ok(None);
        }
        store.of(workshop).save_calibration(count, &model).await?;
        Ok(Some(newest.map_or(1, |n| n.number + 1)))
    }
}
