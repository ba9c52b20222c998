//! The coils of a set: wound for it, or taken from stock.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::set_draft::{SetDraft, draft_of};
use coil::design::Design;
use store::logbook::{LogFilter, LogbookRow};
use store::pickup_set::PickupSetRun;
use store::{PickupSetId, RunId};

/// Most coils in stock that a set is offered of each revision.
const MOST_STOCK: u32 = 60;

/// What a run is wound for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RunInSet {
    /// The set.
    pub set: PickupSetId,
    /// Its name.
    pub name: String,
    /// The pickup's name in it.
    pub pickup: String,
    /// The set's first pickup, where this coil runs the other way round than that.
    pub other_than: Option<String>,
}

/// A coil that was wound for a pickup of a set.
#[derive(Clone, Debug)]
pub struct SetCoil {
    /// Which run, for which pickup.
    pub run: PickupSetRun,
    /// Its line in the logbook; `None` before it has one.
    pub line: Option<LogbookRow>,
}

impl Workshop {
    /// The coils that were wound for a set, newest first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn coils_of_set(&self, actor: &Actor, id: PickupSetId) -> Result<Vec<SetCoil>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let runs = store.runs_of_set(id).await?;
        let ids: Vec<RunId> = runs.iter().map(|r| r.run_id).collect();
        let lines = store.log_lines_of(&ids).await?;
        Ok(runs
            .into_iter()
            .map(|run| SetCoil { line: lines.iter().find(|l| l.run_id == run.run_id).cloned(), run })
            .collect())
    }

    /// Coils in stock that a set could take: of the revisions of its pickups, measured, in no set; by the pickup's index, those nearest
    /// to what their revision predicts first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn stock_for_set(
        &self,
        actor: &Actor,
        draft: &SetDraft,
    ) -> Result<Vec<(usize, LogbookRow)>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let mut taken: Vec<RunId> = store.runs_in_sets().await?;
        taken.extend(store.set_members().await?.into_iter().map(|m| m.run_id));
        let mut all = Vec::new();
        for (i, pickup) in draft.pickups.iter().enumerate() {
            let row = store.revision(pickup.revision).await?.row;
            let filter =
                LogFilter { design: Some(row.design_id), revision: Some(row.number), ..LogFilter::default() };
            let mut lines = store.log_lines(&filter, MOST_STOCK).await?;
            lines.retain(|l| l.level.0.counts() && l.resistance_ohm.is_some() && !taken.contains(&l.run_id));
            let off = |l: &LogbookRow| match (l.resistance_ohm, row.resistance_20c_ohm) {
                (Some(read), Some(predicted)) => (read / predicted).ln().abs(),
                _ => f64::INFINITY,
            };
            lines.sort_by(|a, b| off(a).total_cmp(&off(b)));
            all.extend(lines.into_iter().map(|line| (i, line)));
        }
        Ok(all)
    }

    /// Notes that a run is wound for a pickup of a set.
    ///
    /// # Errors
    /// When there is no such run, set or pickup.
    pub async fn assign_run_to_set(
        &self,
        actor: &Actor,
        run: RunId,
        set: PickupSetId,
        pickup: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.store_of(actor);
        let draft = draft_of(&store.pickup_set(set).await?)?;
        if !draft.pickups.iter().any(|p| p.name == pickup) {
            return Err(Refusal::NotFound("pickup"));
        }
        Ok(store.assign_run_to_set(actor.person, run, set, pickup).await?)
    }

    /// Takes a run out of its set.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn release_run_from_set(&self, actor: &Actor, run: RunId) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        Ok(self.store_of(actor).release_run_from_set(actor.person, run).await?)
    }

    /// The set that a run is wound for, and whether its coil runs the other way round than that of the set's first pickup.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn set_of_run(
        &self,
        actor: &Actor,
        run: RunId,
        design: &Design,
    ) -> Result<Option<RunInSet>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let Some((set, name, pickup)) = store.set_of_run(run).await? else { return Ok(None) };
        let draft = draft_of(&store.pickup_set(set).await?)?;
        let first = draft.pickups.first().filter(|p| p.name != pickup);
        let known = match first {
            Some(first) => store.documents(&[first.revision]).await?,
            None => Vec::new(),
        };
        let way = |d: &Design| d.coils.first().map(|c| c.wind.direction);
        let is_reversed = known.first().is_some_and(|(_, other)| way(other) != way(design));
        let other_than = first.filter(|_| is_reversed).map(|p| p.name.clone());
        Ok(Some(RunInSet { set, name, pickup, other_than }))
    }
}
