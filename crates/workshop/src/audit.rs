//! The trail of changes: who changed what, when, and what it was before.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::audit::{AuditFilter, AuditRow};

/// Changes on one page of the trail.
const PAGE: u32 = 50;

/// A page of the trail.
#[derive(Clone, Debug)]
pub struct AuditPage {
    /// The changes, newest first.
    pub rows: Vec<AuditRow>,
    /// Below which number the next page begins; `None` on the last.
    pub next: Option<u64>,
}

impl Workshop {
    /// A page of the changes that pass, newest first, below number `before` where one is given.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn audit_trail(
        &self,
        actor: &Actor,
        filter: &AuditFilter,
        before: Option<u64>,
    ) -> Result<AuditPage, Refusal> {
        actor.require(Action::ReadAudit)?;
        let mut rows = self.store_of(actor).audit_trail(filter, before, PAGE + 1).await?;
        let is_last = rows.len() <= PAGE as usize;
        rows.truncate(PAGE as usize);
        let next = if is_last { None } else { rows.last().map(|row| row.id) };
        Ok(AuditPage { rows, next })
    }
}
