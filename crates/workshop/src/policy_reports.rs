//! What browsers report of the content security policy.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use std::net::IpAddr;
use std::time::Instant;
use store::policy_report::{NewPolicyReport, PolicyReport};

impl Workshop {
    /// Keeps a report; of one address so many, and no more.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn take_policy_report(&self, new: &NewPolicyReport, address: IpAddr) -> Result<(), Refusal> {
        if self.attempts.begin_report(address, Instant::now()).is_ok() {
            self.store.keep_policy_report(new).await?;
        }
        Ok(())
    }

    /// The reports that are kept, the last first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn policy_reports(&self, actor: &Actor) -> Result<Vec<PolicyReport>, Refusal> {
        actor.require(Action::ReadAudit)?;
        Ok(self.store.policy_reports().await?)
    }
}
