//! Timers: what dries, soaks or cools.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::TimerId;
use store::timer::{NewTimer, Timer};

impl Workshop {
    /// The timers that run.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn timers(&self, actor: &Actor) -> Result<Vec<Timer>, Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(self.store_of(actor).timers().await?)
    }

    /// Starts a timer; the same key again starts nothing more.
    ///
    /// # Errors
    /// When there is no such run.
    pub async fn start_timer(&self, actor: &Actor, new: &NewTimer<'_>) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        self.store_of(actor).start_timer(actor.person, new).await?;
        Ok(())
    }

    /// Stops a timer.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn stop_timer(&self, actor: &Actor, id: TimerId) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        Ok(self.store_of(actor).end_timer(actor.person, id).await?)
    }
}
