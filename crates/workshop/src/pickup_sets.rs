//! Sets of pickups: listed, predicted, saved, taken in from files.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::set_draft::{DraftPickup, SetDraft, draft_of};
use coil::design::{Design, Problem};
use coil::prediction::{Calibration, Level};
use coil::set::{FORMAT, PlacedPickup, PositionPrediction, Set, SetPickup, SetPrediction, SetSolution};
use std::sync::Arc;
use store::design::{NewRevision, RevisionRow};
use store::pickup_set::{PickupSetRow, UndoableChange};
use store::unreadable::RecordKind;
use store::{ClientKey, PickupSetId, RevisionId, StoreError};
use trade::pairing::{Mend, mends_of_set};

/// Most revisions of a design among the choices.
const MOST_REVISIONS: u32 = 12;

/// What a set is predicted to be.
#[derive(Clone, Debug)]
pub struct PredictedSet {
    /// Everything solved.
    pub solution: SetSolution,
    /// The prediction.
    pub prediction: SetPrediction,
    /// What mends each pair, in the order of the prediction's pairs, by the indices of both.
    pub mends: Vec<(usize, usize, Vec<Mend>)>,
    /// The pickups of two coils, by their indices, with every way of joining those.
    pub twins: Vec<(usize, Vec<PositionPrediction>)>,
}

/// A set while it is edited: the document, and its prediction or why there is none.
#[derive(Clone, Debug)]
pub struct SetPreview {
    /// The document with the designs in it.
    pub set: Set,
    /// The prediction, or every reason why there is none.
    pub predicted: Result<Arc<PredictedSet>, Vec<Problem>>,
}

/// A set to save.
#[derive(Clone, Debug)]
pub struct SavePickupSet {
    /// Key of the submission.
    pub key: ClientKey,
    /// The set and the version that was shown; `None` adds a new one.
    pub of: Option<(PickupSetId, u32)>,
    /// The set.
    pub draft: SetDraft,
}

/// What is the matter with a set, for the list.
fn trouble_of(predicted: &PredictedSet) -> String {
    let serious = predicted.prediction.notices.iter().find(|n| n.level < Level::Note);
    serious.map_or("", |n| &n.text).chars().take(400).collect()
}

impl Workshop {
    /// The sets that are not archived, or those that are, with what they are made of.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn pickup_sets(
        &self,
        actor: &Actor,
        is_archived: bool,
    ) -> Result<Vec<(PickupSetRow, SetDraft)>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let store = self.store_of(actor);
        let mut all = Vec::new();
        for row in store.pickup_sets(is_archived).await? {
            if let Some(draft) = store.readable(RecordKind::PickupSet, row.id.0, &row.name, draft_of(&row))? {
                all.push((row, draft));
            }
        }
        Ok(all)
    }

    /// One set.
    ///
    /// # Errors
    /// When there is no such set.
    pub async fn pickup_set(
        &self,
        actor: &Actor,
        id: PickupSetId,
    ) -> Result<(PickupSetRow, SetDraft), Refusal> {
        actor.require(Action::ReadDesigns)?;
        let row = self.store_of(actor).pickup_set(id).await?;
        let draft = self.store_of(actor).noted(RecordKind::PickupSet, row.id.0, &row.name, draft_of(&row))?;
        Ok((row, draft))
    }

    /// The revisions that a pickup of a set can be chosen from: the last of every design.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn revisions_for_sets(&self, actor: &Actor) -> Result<Vec<RevisionRow>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        Ok(self.store_of(actor).recent_revisions(MOST_REVISIONS).await?)
    }

    /// A set with the designs of its revisions in it.
    ///
    /// # Errors
    /// When one of the revisions is not there.
    pub async fn set_document(&self, actor: &Actor, draft: &SetDraft) -> Result<Set, Refusal> {
        actor.require(Action::ReadDesigns)?;
        self.document_of(actor, draft).await
    }

    /// As [`Self::set_document`], for use cases that decide by themselves who may see something of it.
    pub(crate) async fn document_of(&self, actor: &Actor, draft: &SetDraft) -> Result<Set, Refusal> {
        let ids: Vec<RevisionId> = draft.pickups.iter().map(|p| p.revision).collect();
        let known = self.store_of(actor).documents(&ids).await?;
        let pickups = draft.pickups.iter().map(|p| {
            let design = known.iter().find(|(id, _)| *id == p.revision).map(|(_, design)| design.clone());
            Ok(SetPickup {
                name: p.name.clone(),
                design: design.ok_or(Refusal::NotFound("revision"))?,
                from_bridge_mm: p.from_bridge_mm,
                turned: p.turned,
                leads: p.leads,
            })
        });
        Ok(Set {
            format: FORMAT.into(),
            name: draft.name.clone(),
            pickups: pickups.collect::<Result<Vec<_>, Refusal>>()?,
            controls: draft.controls.clone(),
            cable_pf: draft.cable_pf,
            input_mohm: draft.input_mohm,
            switch: draft.switch.clone(),
            targets: draft.targets.clone(),
        })
    }

    /// Predicts a set, each pickup by the calibration of its design; pickups that did not change are known.
    ///
    /// # Errors
    /// When one of the revisions is not there; [`Refusal::TooManyAtOnce`].
    pub async fn preview_set(&self, actor: &Actor, draft: &SetDraft) -> Result<SetPreview, Refusal> {
        actor.require(Action::ReadDesigns)?;
        self.preview_of(actor, self.set_document(actor, draft).await?).await
    }

    /// As [`Self::preview_set`], of a set that need not be of revisions.
    pub(crate) async fn preview_of(&self, actor: &Actor, set: Set) -> Result<SetPreview, Refusal> {
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let problems = set.problems();
        if !problems.is_empty() {
            return Ok(SetPreview { set, predicted: Err(problems) });
        }
        let calibration = self.calibrations.applied(&self.store_of(actor), None).await?;
        let twins = set.twins();
        let mut designs = set.designs_used();
        designs.extend(twins.iter().flat_map(|(_, twin)| twin.designs_used()));
        let placing =
            designs.iter().map(|design| self.predictions.placed(design, calibration.for_design(design)));
        let placed = futures_util::future::try_join_all(placing).await?;
        let known: Vec<_> = designs.into_iter().zip(placed).collect();
        let of = set.clone();
        let predicted = blocking(move || {
            let placed = |design: &Design| {
                let found = known.iter().find(|(d, _)| d == design).map(|(_, placed)| placed.clone());
                found.unwrap_or_else(|| PlacedPickup::try_new(design, &Calibration::default()).map(Arc::new))
            };
            let solution = SetSolution::compute(&of, placed)?;
            let inside = |(i, twin): &(usize, Set)| {
                Ok::<_, Vec<Problem>>((*i, SetSolution::compute(twin, placed)?.prediction().positions))
            };
            let twins = twins.iter().map(inside).collect::<Result<_, _>>()?;
            let prediction = solution.prediction();
            let mends = mends_of_set(&solution);
            Ok(Arc::new(PredictedSet { solution, prediction, mends, twins }))
        })
        .await?;
        Ok(SetPreview { set, predicted })
    }

    /// Saves a set; the same key again adds nothing more.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] with what contradicts itself, by its place; [`Refusal::ChangedMeanwhile`] when somebody else saved it
    /// after it was shown.
    pub async fn save_pickup_set(
        &self,
        actor: &Actor,
        command: &SavePickupSet,
    ) -> Result<PickupSetId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        self.store_pickup_set(actor, command, None).await
    }

    /// As [`Self::save_pickup_set`]; a change that can be undone is kept with what was before.
    pub(crate) async fn store_pickup_set(
        &self,
        actor: &Actor,
        command: &SavePickupSet,
        undoable: Option<UndoableChange<'_>>,
    ) -> Result<PickupSetId, Refusal> {
        let predicted =
            self.preview_set(actor, &command.draft).await?.predicted.map_err(Refusal::NotPredictable)?;
        let trouble = trouble_of(&predicted);
        let (store, document) = (self.store_of(actor), serde_json::to_string(&command.draft)?);
        let facts = (command.draft.name.as_str(), document.as_str(), trouble.as_str());
        match command.of {
            None => Ok(store.add_pickup_set(actor.person, &command.key, facts).await?),
            Some(of) => match store.change_pickup_set(actor.person, of, facts, undoable).await {
                Ok(()) => Ok(of.0),
                Err(StoreError::Changed(what)) => Err(Refusal::ChangedMeanwhile(what)),
                Err(error) => Err(error.into()),
            },
        }
    }

    /// Archives a set, or restores it.
    ///
    /// # Errors
    /// When there is no such set.
    pub async fn archive_pickup_set(
        &self,
        actor: &Actor,
        id: PickupSetId,
        is_archived: bool,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        Ok(self.store_of(actor).archive_pickup_set(actor.person, id, is_archived).await?)
    }

    /// Takes in a set's document: each of its designs becomes a design of the workshop, or stands for the revision that is the same.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] with what contradicts itself.
    pub async fn import_set(
        &self,
        actor: &Actor,
        key: &ClientKey,
        set: &Set,
    ) -> Result<PickupSetId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let problems = set.problems();
        if !problems.is_empty() {
            return Err(Refusal::NotPredictable(problems));
        }
        let store = self.store_of(actor);
        let predicted =
            self.preview_of(actor, set.clone()).await?.predicted.map_err(Refusal::NotPredictable)?;
        let rows = store.recent_revisions(MOST_REVISIONS).await?;
        let (note, mut predictions) = (format!("From the set {}.", set.name), Vec::new());
        for pickup in &set.pickups {
            let alike: Vec<RevisionId> =
                rows.iter().filter(|r| r.name == pickup.design.name).map(|r| r.id).collect();
            let known = store.documents(&alike).await?;
            predictions.push(match known.into_iter().find(|(_, design)| *design == pickup.design) {
                Some((id, _)) => Err(id),
                None => Ok(self.prediction_of(actor, None, &pickup.design).await?.ok()),
            });
        }
        let made = set.pickups.iter().zip(&predictions).enumerate();
        let new: Vec<NewRevision<'_>> = made
            .filter_map(|(k, (pickup, prediction))| {
                let prediction = prediction.as_ref().ok()?;
                Some(NewRevision {
                    key: key.derived(u8::try_from(k + 1).unwrap_or(u8::MAX)),
                    parent: None,
                    note: &note,
                    design: &pickup.design,
                    prediction: prediction.as_deref(),
                    newest_seen: None,
                    is_variant: false,
                })
            })
            .collect();
        let document = |new: &[RevisionId]| {
            let mut new = new.iter();
            let revisions = predictions.iter().map_while(|known| match known {
                Err(id) => Some(*id),
                Ok(_) => new.next().copied(),
            });
            let pickups = set.pickups.iter().zip(revisions).map(|(pickup, revision)| DraftPickup {
                name: pickup.name.clone(),
                revision,
                from_bridge_mm: pickup.from_bridge_mm,
                turned: pickup.turned,
                leads: pickup.leads,
            });
            serde_json::to_string(&SetDraft {
                name: set.name.clone(),
                pickups: pickups.collect(),
                controls: set.controls.clone(),
                cable_pf: set.cable_pf,
                input_mohm: set.input_mohm,
                switch: set.switch.clone(),
                targets: set.targets.clone(),
            })
        };
        let facts = (set.name.as_str(), &*trouble_of(&predicted));
        Ok(store.import_pickup_set(actor.person, key, facts, &new, document).await?)
    }
}
