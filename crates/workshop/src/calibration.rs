//! Calibration: what the workshop's runs say of the next coil, by version, and which designs use it.

use crate::actor::Actor;
use crate::blocking::{blocking, blocking_long};
use crate::calibration_versions::AppliedCalibration;
use crate::level_names::LevelNames;
use crate::permission::Action;
use crate::prediction_cache::{PredictionResult, SolutionResult};
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Design;
use std::sync::Arc;
use std::time::Duration;
use store::calibration::{CalibrationException, CalibrationPolicy, CalibrationRow};
use store::{CalibrationId, DesignId, RunId, WorkshopId, WorkshopStore};
use trade::calibration::{
    CalibrationModel, EffectText, Factor, Observation, describe_effects, fit_calibration,
};

/// How long a fit waits for more readings before it begins.
const PATIENCE: Duration = Duration::from_millis(400);
/// Runs up to which every change is fitted at once; beyond, a hundredth more of them is waited for.
const SMALL: u32 = 500;
/// Runs whose bands are counted in the overview.
const RECENT: u32 = 200;
/// Runs of which deviations are drawn.
const DRAWN: u32 = 5000;

/// A version of the calibration.
#[derive(Clone, Debug)]
pub struct CalibrationVersion {
    /// Its row.
    pub row: CalibrationRow,
    /// What was fitted.
    pub model: Arc<CalibrationModel>,
}

/// Everything that the calibration's page shows.
#[derive(Clone, Debug)]
pub struct CalibrationOverview {
    /// Whether the workshop uses calibrations.
    pub enabled: bool,
    /// The last versions, newest first.
    pub versions: Vec<CalibrationRow>,
    /// The version that is shown.
    pub shown: Option<CalibrationVersion>,
    /// Names of the levels.
    pub names: LevelNames,
    /// Designs that do not use the newest version.
    pub exceptions: Vec<CalibrationException>,
    /// By how many bands the last calibrated runs were off in resistance and inductance, the newest first.
    pub recent_bands: Vec<(Option<f64>, Option<f64>)>,
    /// Designs with runs: number, name, runs.
    pub designs: Vec<(DesignId, String, i64)>,
}

/// Where differences between coils come from.
#[derive(Clone, Debug)]
pub struct Effects {
    /// The version behind them.
    pub version: CalibrationVersion,
    /// The effect of every level, the clearest first.
    pub effects: Vec<EffectText>,
    /// The last runs as the fit takes them.
    pub observations: Vec<Observation>,
    /// Runs that were left out as outliers: number, run, and the quantities.
    pub outliers: Vec<(u32, RunId, Vec<&'static str>)>,
}

impl Workshop {
    /// The calibration that predictions of a design use; of a design that is not saved yet, what the whole workshop uses.
    ///
    /// # Errors
    /// When there is no such design, or the database does not answer.
    pub async fn applied_calibration(
        &self,
        actor: &Actor,
        design: Option<DesignId>,
    ) -> Result<AppliedCalibration, Refusal> {
        actor.require(Action::ReadDesigns)?;
        self.calibrations.applied(&self.store_of(actor), design).await
    }

    /// The prediction of a document with the calibration that its design uses.
    ///
    /// # Errors
    /// As [`Workshop::applied_calibration`].
    pub async fn prediction_of(
        &self,
        actor: &Actor,
        design: Option<DesignId>,
        document: &Design,
    ) -> Result<PredictionResult, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let applied = self.applied_calibration(actor, design).await?;
        self.predictions.prediction(document, applied.for_design(document)).await
    }

    /// The prediction of a document by the uncalibrated model.
    ///
    /// # Errors
    /// When the computation ends early.
    pub async fn uncalibrated_prediction(&self, document: &Design) -> Result<PredictionResult, Refusal> {
        self.predictions.prediction(document, coil::prediction::Calibration::default()).await
    }

    /// The prediction of a document with a calibration that is at hand.
    ///
    /// # Errors
    /// When the computation ends early.
    pub async fn calibrated_prediction(
        &self,
        document: &Design,
        applied: &AppliedCalibration,
    ) -> Result<PredictionResult, Refusal> {
        self.predictions.prediction(document, applied.for_design(document)).await
    }

    /// The solution of a document, for what predictions do not hold: the field, the lay.
    ///
    /// # Errors
    /// When the computation ends early.
    pub async fn solution(&self, document: &Design) -> Result<SolutionResult, Refusal> {
        self.predictions.solution(document).await
    }

    /// The newest version; `None` before there is one.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn newest_calibration(&self, actor: &Actor) -> Result<Option<CalibrationVersion>, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        self.newest_version(&self.store_of(actor)).await
    }

    /// As [`Self::newest_calibration`], for use cases that ask for another permission.
    pub(crate) async fn newest_version(
        &self,
        store: &WorkshopStore,
    ) -> Result<Option<CalibrationVersion>, Refusal> {
        match store.newest_calibration().await? {
            None => Ok(None),
            Some(row) => {
                let model = self.calibrations.version(store, row.id).await?;
                Ok(Some(CalibrationVersion { row, model }))
            }
        }
    }

    /// Everything that the calibration's page shows: of version `number`, or the newest.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn calibration_overview(
        &self,
        actor: &Actor,
        number: Option<u64>,
    ) -> Result<CalibrationOverview, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let store = self.store_of(actor);
        let versions = store.calibrations().await?;
        let row = versions.iter().find(|v| Some(u64::from(v.number)) == number).or_else(|| versions.first());
        let shown = match row.cloned() {
            Some(row) => {
                let model = self.calibrations.version(&store, row.id).await?;
                Some(CalibrationVersion { row, model })
            }
            None => None,
        };
        let (enabled, names, exceptions, recent_bands, designs) = tokio::try_join!(
            async { Ok::<_, Refusal>(store.calibration_enabled().await?) },
            LevelNames::load(&store),
            async { Ok(store.calibration_exceptions().await?) },
            async { Ok(store.recent_bands(RECENT).await?) },
            async { Ok(store.logged_designs().await?) },
        )?;
        Ok(CalibrationOverview { enabled, versions, shown, names, exceptions, recent_bands, designs })
    }

    /// Where differences between coils come from, as the newest version has it; `None` before there is one.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn effects(&self, actor: &Actor) -> Result<Option<Effects>, Refusal> {
        actor.require(Action::ReadAnalysis)?;
        let Some(version) = self.newest_calibration(actor).await? else { return Ok(None) };
        let store = self.store_of(actor);
        let names = LevelNames::load(&store).await?;
        let model = Arc::clone(&version.model);
        let effects =
            blocking(move || describe_effects(&model.effects, &|f: Factor, l: u64| names.name_of(f, l)))
                .await?;
        let mut by_run: std::collections::BTreeMap<u32, Vec<&'static str>> =
            std::collections::BTreeMap::new();
        for quantity in &version.model.quantities {
            for run in &quantity.outliers {
                by_run.entry(*run).or_default().push(quantity.quantity.name());
            }
        }
        let numbers: Vec<u32> = by_run.keys().rev().take(12).copied().collect();
        let ids = store.runs_numbered(&numbers).await?;
        let outliers = numbers
            .into_iter()
            .filter_map(|number| {
                let id = ids.iter().find(|(n, _)| *n == number)?.1;
                Some((number, id, by_run.remove(&number)?))
            })
            .collect();
        let observations = store.recent_observations(DRAWN).await?;
        Ok(Some(Effects { version, effects, observations, outliers }))
    }

    /// Switches calibration on or off for the whole workshop.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn set_calibration_enabled(&self, actor: &Actor, on: bool) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        Ok(self.store_of(actor).set_calibration_enabled(actor.person, on).await?)
    }

    /// Lets a design use the newest version from now on, or no calibration.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn set_calibration_policy(
        &self,
        actor: &Actor,
        design: DesignId,
        policy: CalibrationPolicy,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        Ok(self.store_of(actor).set_calibration_policy(actor.person, design, policy).await?)
    }

    /// Freezes a design at what is the newest version now.
    ///
    /// # Errors
    /// [`Refusal::NoCalibration`] before there is a version.
    pub async fn freeze_calibration(&self, actor: &Actor, design: DesignId) -> Result<(), Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        let newest = self.store_of(actor).newest_calibration().await?.ok_or(Refusal::NoCalibration)?;
        self.set_calibration_policy(actor, design, CalibrationPolicy::Frozen(CalibrationId(newest.id.0)))
            .await
    }

    /// Fits again now, from all runs; returns the number of the new version, `None` when nothing has changed.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn fit_now(&self, actor: &Actor) -> Result<Option<u32>, Refusal> {
        actor.require(Action::ChangeAnalysis)?;
        self.fit(actor.workshop, true).await
    }

    /// Fits again soon, behind the requests: several readings in a row are one fit.
    pub(crate) fn schedule_fit(&self, workshop: WorkshopId) {
        self.schedule(workshop, false);
    }

    /// The same, however few runs are new: what the runs are held against has changed.
    pub(crate) fn schedule_whole_fit(&self, workshop: WorkshopId) {
        self.schedule(workshop, true);
    }

    fn schedule(&self, workshop: WorkshopId, always: bool) {
        if !self.calibrations.schedule(workshop) {
            return;
        }
        let this = self.clone();
        tokio::spawn(async move {
            tokio::time::sleep(PATIENCE).await;
            this.calibrations.begin(workshop);
            if let Err(error) = this.fit(workshop, always).await {
                tracing::warn!(%error, "the calibration was not fitted this time");
            }
        });
    }

    /// Fits to all runs, and keeps a version when it differs from the last one. `always` does so however few are new.
    async fn fit(&self, workshop: WorkshopId, always: bool) -> Result<Option<u32>, Refusal> {
        let store = self.store.workshop(workshop);
        let newest = store.newest_calibration().await?;
        let count = store.observation_count().await?;
        if let (Some(newest), false) = (&newest, always)
            && count > SMALL
            && count.abs_diff(newest.runs) < newest.runs / 100
        {
            return Ok(None);
        }
        let runs = store.observations().await?;
        let model = blocking_long(move || fit_calibration(&runs)).await?;
        let before = match &newest {
            Some(newest) => Some(self.calibrations.version(&store, newest.id).await?),
            None => None,
        };
        if before.as_deref() == Some(&model) || (before.is_none() && model.quantities.is_empty()) {
            return Ok(None);
        }
        store.save_calibration(count, &model).await?;
        Ok(Some(newest.map_or(1, |n| n.number + 1)))
    }
}
