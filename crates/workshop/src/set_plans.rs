//! What is computed of a set besides its prediction: heights for balance, and a search for one that meets its targets.

use crate::actor::Actor;
use crate::blocking::{begin_job, blocking_long};
use crate::jobs::JobOutcome;
use crate::permission::Action;
use crate::pickup_sets::PredictedSet;
use crate::refusal::Refusal;
use crate::search_results::SetSearchResults;
use crate::service::Workshop;
use crate::set_draft::{SetDraft, draft_of};
use coil::design::Strings;
use coil::prediction::Calibration;
use coil::set::{PickupRange, PickupSetUp, search_sets, set_up};
use std::sync::Arc;
use store::PickupSetId;
use store::unreadable::RecordKind;

/// The third string of a set of strings: the lowest plain or the highest wound one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::EnumString)]
#[strum(serialize_all = "kebab-case")]
pub enum ThirdString {
    /// Steel as a whole.
    Plain,
    /// A core under a winding.
    Wound,
}

impl ThirdString {
    /// Puts it on in place of the third string, of sizes between those of a usual set.
    fn put_on(self, strings: &mut Strings) {
        strings.each = (1..=strings.count).map(|n| strings.as_it_is(n)).collect();
        if let Some(third) = strings.each.get_mut(2) {
            (third.diameter_mm, third.core_mm) = match self {
                Self::Plain => (0.43, None),
                Self::Wound => (0.53, Some(0.31)),
            };
        }
    }
}

/// What the set-up sheet of a set is made of.
#[derive(Clone, Debug)]
pub struct SetUpSheet {
    /// The set.
    pub draft: SetDraft,
    /// How high each of its pickups stands, in its order.
    pub heights: Vec<PickupSetUp>,
    /// What it is predicted to be.
    pub predicted: Arc<PredictedSet>,
}

impl Workshop {
    /// Begins a search for a set that meets its targets as a job, within ranges of its pickups; returns its name.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`]; [`Refusal::TooManyJobs`] while others run.
    pub async fn begin_set_search(
        &self,
        actor: &Actor,
        draft: &SetDraft,
        ranges: Vec<PickupRange>,
    ) -> Result<String, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let set = self.set_document(actor, draft).await?;
        let problems = set.problems();
        if !problems.is_empty() {
            return Err(Refusal::NotPredictable(problems));
        }
        let permit = self.permits.jobs.acquire(actor.person)?;
        let (name, job) = self.jobs.begin(actor.workshop, permit).ok_or(Refusal::TooManyJobs)?;
        begin_job(move || {
            let found = search_sets(&set, &ranges, &Calibration::default(), &mut |share| job.advance(share));
            job.finish(match found {
                Ok(Some(candidates)) => {
                    JobOutcome::FoundSets(Arc::new(SetSearchResults { from: set, candidates }))
                }
                Ok(None) => JobOutcome::Stopped,
                Err(problems) => JobOutcome::Failed(Refusal::NotPredictable(problems).code()),
            });
        });
        Ok(name)
    }

    /// The set-up sheet of a set: how high each pickup stands for balance, over a fingerboard of a radius (mm) or a flat row, with another
    /// third string than the designs have where one is named, and what is checked before it leaves. Who winds for a set reads its sheet
    /// without seeing the designs.
    ///
    /// # Errors
    /// [`Refusal::NotAllowed`] to somebody who may not read designs, of a set that nothing was wound for; [`Refusal::NotPredictable`].
    pub async fn set_up_sheet(
        &self,
        actor: &Actor,
        set: PickupSetId,
        radius_mm: Option<f64>,
        third: Option<ThirdString>,
    ) -> Result<SetUpSheet, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.store_of(actor);
        let row = store.pickup_set(set).await?;
        if store.runs_of_set(set).await?.is_empty() {
            actor.require(Action::ReadDesigns)?;
        }
        let draft = store.noted(RecordKind::PickupSet, row.id.0, &row.name, draft_of(&row))?;
        let document = self.document_of(actor, &draft).await?;
        let predicted =
            self.preview_of(actor, document.clone()).await?.predicted.map_err(Refusal::NotPredictable)?;
        let mut strung = document;
        for pickup in &mut strung.pickups {
            if let Some(third) = third {
                third.put_on(&mut pickup.design.strings);
            }
        }
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let heights = blocking_long(move || set_up(&strung, radius_mm, &Calibration::default()))
            .await?
            .map_err(Refusal::NotPredictable)?;
        Ok(SetUpSheet { draft, heights, predicted })
    }
}
