//! Designs and their immutable revisions: saving, restoring, varying, labelling, archiving, and measured responses.

use crate::actor::Actor;
use crate::experiments::USUAL_DIFFERENCE_PERCENT;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use coil::design::Design;
use coil::quantity::Units;
use coil::search::Varied;
use store::design::{NewRevision, Revision, RevisionRow};
use store::experiment::NewExperiment;
use store::run::RunRow;
use store::sweep::{NewSweep, SweepRow};
use store::{ClientKey, ExperimentId, RevisionId, StoreError};
use trade::sweep::Sweep;

/// A revision to save.
#[derive(Clone, Debug)]
pub struct SaveRevision {
    /// Key of the submission: the same key again saves nothing more.
    pub key: ClientKey,
    /// The revision it was made from; `None` begins a new design.
    pub parent: Option<RevisionId>,
    /// The newest revision's number when the editing began.
    pub newest_seen: u32,
    /// The number of a newer revision beside which it is saved all the same.
    pub accept_beside: Option<u32>,
    /// Why it was made.
    pub note: String,
    /// The document.
    pub design: Design,
}

/// Revisions that differ from one in one thing, at values of the maker's own choosing, and the experiment that compares them.
#[derive(Clone, Debug)]
pub struct VaryRevision {
    /// Key of the submission.
    pub key: ClientKey,
    /// The revision that is varied.
    pub revision: RevisionId,
    /// What is varied.
    pub varied: Varied,
    /// Its values as they were typed: a list, or a range with its step.
    pub values: String,
    /// The units that lengths without one are in.
    pub units: Units,
}

/// A revision with all that its page shows beside the design.
#[derive(Clone, Debug)]
pub struct RevisionDetails {
    /// The revision.
    pub revision: Revision,
    /// The document of its parent.
    pub parent: Option<Design>,
    /// All revisions of the design, newest first.
    pub siblings: Vec<RevisionRow>,
    /// The runs of the design, newest first.
    pub runs: Vec<RunRow>,
    /// What was swept of this revision.
    pub sweeps: Vec<SweepRow>,
}

impl Workshop {
    /// Saves a design that a use case made, with its prediction: as the next revision of `parent`, or as a design of its own.
    pub(crate) async fn save_design(
        &self,
        actor: &Actor,
        key: &ClientKey,
        parent: Option<RevisionId>,
        note: &str,
        design: &Design,
    ) -> Result<RevisionId, Refusal> {
        let prediction = self.prediction_of(actor, None, design).await?.ok();
        let new = NewRevision {
            key: key.clone(),
            parent,
            note,
            design,
            prediction: prediction.as_deref(),
            newest_seen: None,
            is_variant: false,
        };
        Ok(self.store_of(actor).save_revision(actor.person, &new).await?)
    }

    /// Saves a changed design as a variant of `parent`: the newest revision of its design stays what it is. A revision of the design
    /// that differs from it in nothing but its name is taken instead.
    pub(crate) async fn save_variant(
        &self,
        actor: &Actor,
        key: &ClientKey,
        parent: RevisionId,
        note: &str,
        design: &Design,
    ) -> Result<RevisionId, Refusal> {
        let store = self.store_of(actor);
        let design_id = store.revision(parent).await?.row.design_id;
        let siblings: Vec<RevisionId> =
            store.revisions(design_id).await?.into_iter().map(|row| row.id).collect();
        let known = store.documents(&siblings).await?;
        let is_same = |other: &Design| Design { name: design.name.clone(), ..other.clone() } == *design;
        if let Some((id, _)) = known.into_iter().find(|(_, other)| is_same(other)) {
            return Ok(id);
        }
        let prediction = self.prediction_of(actor, None, design).await?.ok();
        let new = NewRevision {
            key: key.clone(),
            parent: Some(parent),
            note,
            design,
            prediction: prediction.as_deref(),
            newest_seen: None,
            is_variant: true,
        };
        Ok(store.save_revision(actor.person, &new).await?)
    }

    /// A revision with its document.
    ///
    /// # Errors
    /// When there is no such revision.
    pub async fn revision(&self, actor: &Actor, id: RevisionId) -> Result<Revision, Refusal> {
        actor.require(Action::ReadDesigns)?;
        Ok(self.store_of(actor).revision(id).await?)
    }

    /// A revision with its siblings, runs and sweeps.
    ///
    /// # Errors
    /// When there is no such revision.
    pub async fn revision_details(&self, actor: &Actor, id: RevisionId) -> Result<RevisionDetails, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let store = self.store_of(actor);
        let revision = store.revision(id).await?;
        let parent = match revision.row.parent_id {
            Some(parent) => Some(store.revision(parent).await?.design),
            None => None,
        };
        Ok(RevisionDetails {
            siblings: store.revisions(revision.row.design_id).await?,
            runs: store.runs_of_design(revision.row.design_id).await?,
            sweeps: store.sweeps_of_design(revision.row.design_id).await?,
            parent,
            revision,
        })
    }

    /// The newest revision of the design that a revision belongs to.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn newest_revision(&self, actor: &Actor, of: &Revision) -> Result<RevisionRow, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let all = self.store_of(actor).revisions(of.row.design_id).await?;
        Ok(all.into_iter().find(|row| !row.is_variant).unwrap_or_else(|| of.row.clone()))
    }

    /// Saves a revision with its prediction.
    ///
    /// # Errors
    /// [`Refusal::NewerRevision`] when somebody saved one since the editing began, unless that was accepted;
    /// [`Refusal::NothingNew`] when the document is that of its parent.
    pub async fn save_revision(&self, actor: &Actor, command: &SaveRevision) -> Result<RevisionId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let store = self.store_of(actor);
        let (mut of, mut newest_seen) = (None, None);
        if let Some(parent) = command.parent {
            let parent = store.revision(parent).await?;
            let newest = self.newest_revision(actor, &parent).await?;
            if newest.number > command.newest_seen && command.accept_beside != Some(newest.number) {
                return Err(Refusal::NewerRevision(Box::new(newest)));
            }
            // The same submission once more is answered as it was; anything else equal to its parent is nothing new.
            if parent.design == command.design && store.revision_by_key(&command.key).await?.is_none() {
                return Err(Refusal::NothingNew);
            }
            (of, newest_seen) = (Some(parent.row.design_id), Some(newest.number));
        }
        let prediction = self.prediction_of(actor, of, &command.design).await?.ok();
        let new = NewRevision {
            key: command.key.clone(),
            parent: command.parent,
            note: &command.note,
            design: &command.design,
            prediction: prediction.as_deref(),
            newest_seen,
            is_variant: false,
        };
        match store.save_revision(actor.person, &new).await {
            // Somebody was quicker by a moment.
            Err(StoreError::Changed(_)) => match command.parent {
                Some(parent) => {
                    let parent = store.revision(parent).await?;
                    Err(Refusal::NewerRevision(Box::new(self.newest_revision(actor, &parent).await?)))
                }
                None => Err(Refusal::ChangedMeanwhile("design")),
            },
            done => Ok(done?),
        }
    }

    /// Restores an older revision: its document becomes the newest revision, and nothing in between is lost.
    ///
    /// # Errors
    /// When there is no such revision.
    pub async fn restore_revision(
        &self,
        actor: &Actor,
        id: RevisionId,
        key: ClientKey,
    ) -> Result<RevisionId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let revision = self.store_of(actor).revision(id).await?;
        let newest = self.newest_revision(actor, &revision).await?;
        let command = SaveRevision {
            key,
            parent: Some(newest.id),
            newest_seen: newest.number,
            accept_beside: None,
            note: format!("r{} restored.", revision.row.number),
            design: revision.design,
        };
        self.save_revision(actor, &command).await
    }

    /// Saves variants of a revision that differ from it in one thing, and begins the experiment that compares them; the same key again
    /// answers with what was begun. Variants are no newer revisions of the design.
    ///
    /// # Errors
    /// [`Refusal::NoFamily`] when the values make no variants; then nothing is saved.
    pub async fn vary_revision(
        &self,
        actor: &Actor,
        command: &VaryRevision,
    ) -> Result<ExperimentId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        actor.require(Action::ChangeAnalysis)?;
        let store = self.store_of(actor);
        let revision = store.revision(command.revision).await?;
        let variants = command.varied.variants(&revision.design, &command.values, command.units)?;
        let mut arms = vec![revision.row.id];
        for (k, variant) in variants.iter().enumerate() {
            let prediction =
                self.prediction_of(actor, Some(revision.row.design_id), &variant.design).await?.ok();
            let note =
                format!("Variant of r{}: {}; nothing else differs.", revision.row.number, variant.value);
            let new = NewRevision {
                key: command.key.derived(u8::try_from(k).unwrap_or(u8::MAX)),
                parent: Some(revision.row.id),
                note: &note,
                design: &variant.design,
                prediction: prediction.as_deref(),
                newest_seen: None,
                is_variant: true,
            };
            arms.push(store.save_revision(actor.person, &new).await?);
        }
        let values: Vec<&str> = variants.iter().map(|v| v.value.as_str()).collect();
        let question: String =
            format!("{} r{}: {}", revision.row.name, revision.row.number, values.join(", "))
                .chars()
                .take(300)
                .collect();
        let new = NewExperiment {
            key: command.key.clone(),
            question: &question,
            arms: &arms,
            cares_percent: USUAL_DIFFERENCE_PERCENT,
        };
        Ok(store.begin_experiment(actor.person, &new).await?)
    }

    /// Saves what a revision is called, its design's tags, and whether the design is archived (`None` leaves that).
    ///
    /// # Errors
    /// When there is no such revision.
    pub async fn label_revision(
        &self,
        actor: &Actor,
        id: RevisionId,
        label: &str,
        tags: &[String],
        archived: Option<bool>,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let store = self.store_of(actor);
        Ok(store.label_design(actor.person, id, label, tags, archived).await?)
    }

    /// Keeps a measured response with a revision; the same key again keeps nothing more.
    ///
    /// # Errors
    /// When there is no such revision.
    pub async fn add_sweep(
        &self,
        actor: &Actor,
        revision: RevisionId,
        key: ClientKey,
        label: &str,
        sweep: &Sweep,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let new = NewSweep { key, revision, run: None, label, sweep, at: None };
        self.store_of(actor).add_sweep(actor.person, &new).await?;
        Ok(())
    }

    /// The tags of a workshop's designs.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn tags(&self, actor: &Actor) -> Result<Vec<String>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        Ok(self.store_of(actor).tags().await?)
    }
}
