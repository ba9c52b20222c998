//! Searching for designs that hit targets, as a job.

use crate::actor::Actor;
use crate::blocking::begin_job;
use crate::jobs::JobOutcome;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::search_results::SearchResults;
use crate::service::Workshop;
use coil::design::Design;
use coil::search::{SearchSpace, TargetRange, search_designs};
use std::sync::Arc;

/// A search to begin.
#[derive(Clone, Debug)]
pub struct SearchCommand {
    /// The design that it starts from.
    pub design: Design,
    /// What it should become.
    pub targets: Vec<TargetRange>,
    /// What may change.
    pub space: SearchSpace,
}

impl Workshop {
    /// Begins a search as a job; returns its name.
    ///
    /// # Errors
    /// [`Refusal::TooManyJobs`] while others run.
    pub fn begin_search(&self, actor: &Actor, command: SearchCommand) -> Result<String, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let permit = self.permits.jobs.acquire(actor.person)?;
        let (name, job) = self.jobs.begin(actor.workshop, permit).ok_or(Refusal::TooManyJobs)?;
        begin_job(move || {
            let SearchCommand { design, targets, space } = command;
            let found = search_designs(&design, &targets, &space, &mut |share| job.advance(share));
            job.finish(found.map_or(JobOutcome::Stopped, |candidates| {
                JobOutcome::Found(Arc::new(SearchResults { from: design, targets, space, candidates }))
            }));
        });
        Ok(name)
    }
}
