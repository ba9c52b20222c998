//! Versions of the calibration in memory, and which of them a design's predictions use.

use crate::refusal::Refusal;
use coil::design::Design;
use coil::prediction::Calibration;
use lru::LruCache;
use std::collections::BTreeSet;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, PoisonError};
use store::calibration::{CalibrationChoice, CalibrationPolicy};
use store::logbook::planned_factor_levels;
use store::unreadable::RecordKind;
use store::{CalibrationId, DesignId, InstrumentId, PersonId, SpoolId, WorkshopId, WorkshopStore};
use trade::calibration::CalibrationModel;

/// Versions kept in memory.
const KEPT: NonZeroUsize = NonZeroUsize::new(32).expect("not zero");

/// Versions by number, and the workshops whose next fit is scheduled.
#[derive(Clone)]
pub(crate) struct CalibrationVersions {
    kept: Arc<Mutex<LruCache<u64, Arc<CalibrationModel>>>>,
    scheduled: Arc<Mutex<BTreeSet<u64>>>,
}

impl Default for CalibrationVersions {
    fn default() -> Self {
        Self { kept: Arc::new(Mutex::new(LruCache::new(KEPT))), scheduled: Arc::default() }
    }
}

/// The calibration that a design's predictions use.
#[derive(Clone, Debug, Default)]
pub struct AppliedCalibration {
    /// The version in the database, and its number in the workshop; `None` for the uncalibrated model.
    pub version: Option<(CalibrationId, u32)>,
    /// What was chosen for the design.
    pub policy: CalibrationPolicy,
    /// Whether the workshop uses calibrations at all.
    pub enabled: bool,
    model: Option<Arc<CalibrationModel>>,
    design: Option<DesignId>,
}

impl AppliedCalibration {
    /// What the calibration says of a document of this design, on no spool and by nobody in particular.
    #[must_use]
    pub fn for_design(&self, document: &Design) -> Calibration {
        self.on(document, None, None, None)
    }

    /// The same where spool, operator and winder are known.
    #[must_use]
    pub fn on(
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

impl CalibrationVersions {
    /// A version, whole; one that learned nothing in place of one that cannot be read, so that predictions go on uncalibrated.
    pub(crate) async fn version(
        &self,
        store: &WorkshopStore,
        id: CalibrationId,
    ) -> Result<Arc<CalibrationModel>, Refusal> {
        if let Some(found) = self.kept.lock().unwrap_or_else(PoisonError::into_inner).get(&id.0) {
            return Ok(Arc::clone(found));
        }
        let name = format!("calibration {id}");
        let read = store.model(id).await;
        let Some(model) = store.readable(RecordKind::Calibration, id.0, &name, read)? else {
            return Ok(Arc::new(CalibrationModel::default()));
        };
        let model = Arc::new(model);
        self.kept.lock().unwrap_or_else(PoisonError::into_inner).put(id.0, Arc::clone(&model));
        Ok(model)
    }

    /// What predictions of a design use; of a design that is not saved yet, what the whole workshop uses. One query,
    /// when the version is in memory.
    pub(crate) async fn applied(
        &self,
        store: &WorkshopStore,
        design: Option<DesignId>,
    ) -> Result<AppliedCalibration, Refusal> {
        self.chosen(store, design, &store.calibration_choice(design).await?).await
    }

    /// The same, of what was chosen for the design.
    pub(crate) async fn chosen(
        &self,
        store: &WorkshopStore,
        design: Option<DesignId>,
        choice: &CalibrationChoice,
    ) -> Result<AppliedCalibration, Refusal> {
        let version = match (choice.enabled, choice.policy) {
            (false, _) | (_, CalibrationPolicy::Off) => None,
            (true, CalibrationPolicy::On) => choice.newest,
            (true, CalibrationPolicy::Frozen(_)) => choice.frozen,
        };
        let model = match version {
            Some((id, _)) => Some(self.version(store, id).await?),
            None => None,
        };
        Ok(AppliedCalibration { version, policy: choice.policy, enabled: choice.enabled, model, design })
    }

    /// A version by its number in the database, as a design uses it; `None` for the uncalibrated model.
    pub(crate) async fn for_version(
        &self,
        store: &WorkshopStore,
        id: Option<CalibrationId>,
        design: DesignId,
    ) -> Result<AppliedCalibration, Refusal> {
        let model = match id {
            Some(id) => Some(self.version(store, id).await?),
            None => None,
        };
        let (policy, design) = (CalibrationPolicy::On, Some(design));
        Ok(AppliedCalibration { version: id.map(|id| (id, 0)), policy, enabled: id.is_some(), model, design })
    }

    /// Notes that a workshop's fit is to be done; returns whether it was not noted before.
    pub(crate) fn schedule(&self, workshop: WorkshopId) -> bool {
        self.scheduled.lock().unwrap_or_else(PoisonError::into_inner).insert(workshop.0)
    }

    /// Takes the note away, when the fit begins.
    pub(crate) fn begin(&self, workshop: WorkshopId) {
        self.scheduled.lock().unwrap_or_else(PoisonError::into_inner).remove(&workshop.0);
    }
}
