//! Inventory: spools with what is measured along them, and parts with their stock.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::wire::at_temperature;
use std::sync::Arc;
use store::logbook::{LogFilter, LogbookRow};
use store::part::{NewPart, Part, PartDetails, StockMovement};
use store::spool::{NewCheck, NewSpool, Spool, SpoolCheck, SpoolDetails};
use store::{ClientKey, PartId, RunId, SpoolId, StoreError};
use trade::calibration::{CalibrationModel, Factor, Observation, Quantity};
use trade::stock::{SpoolWarning, metres, spool_warnings};

/// Runs by which a spool's drift is judged: the last of the workshop.
const RECENT: u32 = 2000;
/// Runs listed with a spool.
const LISTED: u32 = 300;

/// A spool with everything that its page shows.
#[derive(Clone, Debug)]
pub struct SpoolState {
    /// The spool.
    pub spool: Spool,
    /// What was measured along it, oldest first.
    pub checks: Vec<SpoolCheck>,
    /// The last runs wound from it, newest first.
    pub runs: Vec<LogbookRow>,
    /// The newest calibration.
    pub model: Option<Arc<CalibrationModel>>,
    /// What needs attention on it.
    pub warnings: Vec<SpoolWarning>,
}

/// What needs attention on a spool.
fn warnings(
    spool: &Spool,
    ohm_per_m: &[f64],
    model: Option<&CalibrationModel>,
    observations: &[Observation],
) -> Vec<SpoolWarning> {
    if spool.emptied_at.is_some() {
        return Vec::new();
    }
    let fitted = model.and_then(|m| m.quantity(Quantity::Resistance));
    let residuals: Vec<f64> = fitted
        .map(|fitted| {
            observations
                .iter()
                .filter(|l| l.factor_levels.level(Factor::Spool) == Some(spool.id.0))
                .filter(|l| !fitted.outliers.contains(&l.run))
                .filter_map(|l| fitted.residual(l))
                .collect()
        })
        .unwrap_or_default();
    spool_warnings(spool.left_now_m(), spool.coil_m, ohm_per_m, &residuals)
}

/// Whether there are fewer of a part than are wanted.
#[must_use]
pub fn is_low(part: &Part) -> bool {
    part.stock < 0 || part.order_below.is_some_and(|below| part.stock < i64::from(below))
}

impl Workshop {
    /// All spools with what needs attention on each.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn spools(&self, actor: &Actor) -> Result<Vec<(Spool, Vec<SpoolWarning>)>, Refusal> {
        actor.require(Action::ReadStock)?;
        let store = self.store_of(actor);
        let (spools, checks, version, observations) = tokio::try_join!(
            async { Ok(store.spools().await?) },
            async { Ok(store.all_spool_checks().await?) },
            self.newest_version(&store),
            async { Ok::<_, Refusal>(store.recent_observations(RECENT).await?) },
        )?;
        let model = version.map(|version| version.model);
        Ok(spools
            .into_iter()
            .map(|spool| {
                let ohms: Vec<f64> = checks
                    .iter()
                    .filter(|(id, _, _)| *id == spool.id)
                    .filter_map(|(_, ohms, c)| Some(at_temperature((*ohms)?, c.unwrap_or(20.0), 20.0)))
                    .collect();
                let warnings = warnings(&spool, &ohms, model.as_deref(), &observations);
                (spool, warnings)
            })
            .collect())
    }

    /// One spool with its checks and runs.
    ///
    /// # Errors
    /// When there is no such spool.
    pub async fn spool(&self, actor: &Actor, id: SpoolId) -> Result<SpoolState, Refusal> {
        actor.require(Action::ReadStock)?;
        let store = self.store_of(actor);
        let spool = store.spool(id).await?;
        let checks = store.spool_checks(id).await?;
        let filter = LogFilter { spool: Some(id), ..LogFilter::default() };
        let runs = store.log_lines(&filter, LISTED).await?;
        let model = self.newest_version(&store).await?.map(|version| version.model);
        let mut observations: Vec<Observation> =
            runs.iter().filter(|row| row.level.0.counts()).map(LogbookRow::observation).collect();
        observations.reverse();
        let ohms: Vec<f64> = checks.iter().filter_map(SpoolCheck::ohm_per_m_20c).collect();
        let warnings = warnings(&spool, &ohms, model.as_deref(), &observations);
        Ok(SpoolState { spool, checks, runs, model, warnings })
    }

    /// Adds a spool; the same key again adds nothing more.
    ///
    /// # Errors
    /// [`Refusal::NameTaken`] when another one has its label.
    pub async fn add_spool(&self, actor: &Actor, new: &NewSpool) -> Result<SpoolId, Refusal> {
        actor.require(Action::ChangeStock)?;
        match self.store_of(actor).add_spool(actor.person, new).await {
            Err(StoreError::Taken(_)) => Err(Refusal::NameTaken("spool")),
            done => Ok(done?),
        }
    }

    /// Logs what was measured at a place of the wire. The length that is left follows from the weight.
    ///
    /// # Errors
    /// When there is no such spool.
    pub async fn check_spool(
        &self,
        actor: &Actor,
        id: SpoolId,
        key: &ClientKey,
        mut check: NewCheck,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeStock)?;
        let store = self.store_of(actor);
        let spool = store.spool(id).await?;
        if let (Some(gross), Some(empty)) = (check.gross_g, spool.empty_g) {
            check.left_m = length_m(&spool, gross - empty);
        }
        store.check_spool(id, actor.person, key, &check).await?;
        // What its coils have said of it is relative to what was known of it: that is fitted anew.
        self.schedule_whole_fit(actor.workshop);
        Ok(())
    }

    /// Saves supplier, lot, cost, station and whether it is used up.
    ///
    /// # Errors
    /// When there is no such spool.
    pub async fn update_spool(
        &self,
        actor: &Actor,
        id: SpoolId,
        details: &SpoolDetails,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeStock)?;
        Ok(self.store_of(actor).update_spool(actor.person, id, details).await?)
    }

    /// All parts.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn parts(&self, actor: &Actor) -> Result<Vec<Part>, Refusal> {
        actor.require(Action::ReadStock)?;
        Ok(self.store_of(actor).parts().await?)
    }

    /// The last stock movements of every part, newest first, up to `most` of each.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn stock_movements(
        &self,
        actor: &Actor,
        most: u32,
    ) -> Result<Vec<(PartId, StockMovement)>, Refusal> {
        actor.require(Action::ReadStock)?;
        Ok(self.store_of(actor).stock_movements(most).await?)
    }

    /// Adds a part with its stock; the same key again adds nothing more.
    ///
    /// # Errors
    /// [`Refusal::NameTaken`] when another one has its name.
    pub async fn add_part(&self, actor: &Actor, new: &NewPart) -> Result<PartId, Refusal> {
        actor.require(Action::ChangeStock)?;
        match self.store_of(actor).add_part(actor.person, new).await {
            Err(StoreError::Taken(_)) => Err(Refusal::NameTaken("part")),
            done => Ok(done?),
        }
    }

    /// Saves what a part costs, when to order more, and who sells it.
    ///
    /// # Errors
    /// When there is no such part.
    pub async fn update_part(&self, actor: &Actor, id: PartId, details: &PartDetails) -> Result<(), Refusal> {
        actor.require(Action::ChangeStock)?;
        Ok(self.store_of(actor).update_part(actor.person, id, details).await?)
    }

    /// Moves stock by hand; the same key again moves nothing more.
    ///
    /// # Errors
    /// When there is no such part.
    pub async fn move_stock(
        &self,
        actor: &Actor,
        id: PartId,
        key: &ClientKey,
        count: i32,
        reason: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeStock)?;
        Ok(self.store_of(actor).move_parts(actor.person, key, &[(id, count)], reason, None).await?)
    }

    /// Takes the parts of a run's design out of stock, or puts them back; done already, nothing more is done.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn move_parts_of_run(
        &self,
        actor: &Actor,
        run: RunId,
        key: &ClientKey,
        back: bool,
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let run = store.run(run).await?;
        if store.parts_taken(run.row.id).await? == back {
            let parts = store.design_parts(run.row.design_id).await?;
            let moves: Vec<(PartId, i32)> = parts
                .into_iter()
                .map(|(part, count)| {
                    let count = i32::try_from(count).unwrap_or(0);
                    (part, if back { count } else { -count })
                })
                .collect();
            let reason = if back { "put back" } else { "taken" };
            store.move_parts(actor.person, key, &moves, reason, Some(run.row.id)).await?;
        }
        Ok(())
    }
}

/// Metres of a spool's wire that weigh so many grams.
fn length_m(spool: &Spool, grams: f64) -> Option<f64> {
    metres(spool.gauge.0, spool.insulation.0, spool.build.0, grams)
}
