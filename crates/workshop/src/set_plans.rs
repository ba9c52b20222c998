//! What is computed of a set besides its prediction: heights for balance, and a search for one that meets its targets.

use crate::actor::Actor;
use crate::blocking::{begin_job, blocking_long};
use crate::jobs::JobOutcome;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::search_results::SetSearchResults;
use crate::service::Workshop;
use crate::set_draft::SetDraft;
use coil::design::Strings;
use coil::prediction::Calibration;
use coil::set::{PickupRange, PickupSetUp, search_sets, set_up};
use std::sync::Arc;

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

    /// How high each pickup of a set stands for balance, over a fingerboard of a radius (mm) or a flat row, with another
    /// third string than the designs have where one is named.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`].
    pub async fn plan_set_up(
        &self,
        actor: &Actor,
        draft: &SetDraft,
        radius_mm: Option<f64>,
        third: Option<ThirdString>,
    ) -> Result<Vec<PickupSetUp>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let mut set = self.set_document(actor, draft).await?;
        for pickup in &mut set.pickups {
            if let Some(third) = third {
                third.put_on(&mut pickup.design.strings);
            }
        }
        let _permit = self.permits.predictions.acquire(actor.person)?;
        blocking_long(move || set_up(&set, radius_mm, &Calibration::default()))
            .await?
            .map_err(Refusal::NotPredictable)
    }
}
