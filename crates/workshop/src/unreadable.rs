//! Stored records that cannot be read: named, exported as they are, deleted.

use crate::actor::Actor;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::unreadable::{RecordKind, UnreadableRecord};

impl Workshop {
    /// The records of the actor's workshop that reading came across and that cannot be read.
    ///
    /// # Errors
    /// [`Refusal::NotAllowed`].
    pub fn unreadable_records(&self, actor: &Actor) -> Result<Vec<UnreadableRecord>, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        Ok(self.store.unreadable().in_workshop(actor.workshop))
    }

    /// The text of a record's document, whatever it says.
    ///
    /// # Errors
    /// When there is no such record among those that cannot be read.
    pub async fn unreadable_text(&self, actor: &Actor, kind: RecordKind, id: u64) -> Result<String, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        if !self.unreadable_records(actor)?.iter().any(|record| record.kind == kind && record.id == id) {
            return Err(Refusal::NotFound("unreadable record"));
        }
        Ok(self.store_of(actor).record_text(kind, id).await?)
    }

    /// Deletes a record that cannot be read.
    ///
    /// # Errors
    /// [`Refusal::InUse`] where something depends on it; when there is no such record.
    pub async fn delete_unreadable(&self, actor: &Actor, kind: RecordKind, id: u64) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        Ok(self.store_of(actor).delete_unreadable(actor.person, kind, id).await?)
    }
}
