//! Deleting what nothing depends on, and giving things another name.

use crate::actor::Actor;
use crate::designs::SaveRevision;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use store::deletion::Deletable;
use store::{ClientKey, PartId, RevisionId, SpoolId, StoreError};

/// Who may delete a thing: whoever may change it.
const fn action(what: Deletable) -> Action {
    match what {
        Deletable::Revision | Deletable::PickupSet | Deletable::Rewind => Action::ChangeDesigns,
        Deletable::Spool | Deletable::Part => Action::ChangeStock,
        Deletable::Instrument => Action::ChangeInstruments,
        Deletable::Experiment => Action::ChangeAnalysis,
        Deletable::Order => Action::ChangeOrders,
    }
}

impl Workshop {
    /// Deletes something for good.
    ///
    /// # Errors
    /// [`Refusal::InUse`] when something depends on it: then it stays as it is.
    pub async fn delete(&self, actor: &Actor, what: Deletable, id: u64) -> Result<(), Refusal> {
        actor.require(action(what))?;
        Ok(self.store_of(actor).delete(actor.person, what, id).await?)
    }

    /// Writes another label on a spool.
    ///
    /// # Errors
    /// [`Refusal::NameTaken`] when another spool has it.
    pub async fn rename_spool(&self, actor: &Actor, id: SpoolId, label: &str) -> Result<(), Refusal> {
        actor.require(Action::ChangeStock)?;
        match self.store_of(actor).rename_spool(actor.person, id, label).await {
            Err(StoreError::Taken(_)) => Err(Refusal::NameTaken("spool")),
            done => Ok(done?),
        }
    }

    /// Gives a part another name.
    ///
    /// # Errors
    /// [`Refusal::NameTaken`] when another part has it.
    pub async fn rename_part(&self, actor: &Actor, id: PartId, name: &str) -> Result<(), Refusal> {
        actor.require(Action::ChangeStock)?;
        match self.store_of(actor).rename_part(actor.person, id, name).await {
            Err(StoreError::Taken(_)) => Err(Refusal::NameTaken("part")),
            done => Ok(done?),
        }
    }

    /// Gives a design another name, as its next revision: what was saved before keeps the name that it was saved under.
    ///
    /// # Errors
    /// [`Refusal::NothingNew`] when it has that name; those of [`Self::save_revision`].
    pub async fn rename_design(
        &self,
        actor: &Actor,
        of: RevisionId,
        key: ClientKey,
        name: &str,
    ) -> Result<RevisionId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let revision = self.store_of(actor).revision(of).await?;
        let newest = self.newest_revision(actor, &revision).await?;
        let mut design = self.store_of(actor).revision(newest.id).await?.design;
        let note = format!("Renamed; before: {}.", design.name);
        name.clone_into(&mut design.name);
        let command = SaveRevision {
            key,
            parent: Some(newest.id),
            newest_seen: newest.number,
            accept_beside: None,
            note,
            design,
        };
        self.save_revision(actor, &command).await
    }
}
