//! Pickups side by side: predictions, and what was measured on the coils wound from them.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Design;
use coil::prediction::Prediction;
use std::collections::BTreeMap;
use std::sync::Arc;
use store::design::{DesignFilter, RevisionRow};
use store::sweep::SweepRow;
use store::{RevisionId, RunId};
use trade::reading::Kind;

/// A revision with what it is predicted to be and what was measured on the coils wound from it.
#[derive(Clone, Debug)]
pub struct ComparedPickup {
    /// The revision.
    pub row: RevisionRow,
    /// Its document.
    pub design: Design,
    /// Its prediction; `None` where it cannot be predicted.
    pub prediction: Option<Arc<Prediction>>,
    /// What was swept.
    pub sweeps: Vec<SweepRow>,
    /// What was measured, SI, by run.
    pub measured: Vec<(u32, RunId, BTreeMap<Kind, f64>)>,
}

impl Workshop {
    /// Pickups side by side, in the order asked for.
    ///
    /// # Errors
    /// When one of them is not there.
    pub async fn compare(
        &self,
        actor: &Actor,
        revisions: &[RevisionId],
    ) -> Result<Vec<ComparedPickup>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let store = self.of(actor);
        let mut all = Vec::with_capacity(revisions.len());
        for &id in revisions {
            let revision = store.revision(id).await?;
            let prediction =
                self.prediction_of(actor, Some(revision.row.design_id), &revision.design).await?.ok();
            let sweeps = store.sweeps(Some(id)).await?;
            let measured = store
                .runs_of_revision(id)
                .await?
                .iter()
                .filter_map(|run| {
                    let values: BTreeMap<Kind, f64> = run
                        .stored_comparisons()
                        .ok()?
                        .iter()
                        .filter(|c| c.pole.is_none())
                        .map(|c| (c.kind, c.measured))
                        .collect();
                    (run.level.is_some()).then_some((run.number, run.id, values))
                })
                .collect();
            all.push(ComparedPickup {
                row: revision.row,
                design: revision.design,
                prediction,
                sweeps,
                measured,
            });
        }
        Ok(all)
    }

    /// The newest revisions of the designs that pass a filter.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn designs(&self, actor: &Actor, filter: &DesignFilter) -> Result<Vec<RevisionRow>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        Ok(self.of(actor).designs(filter).await?)
    }
}
