//! Changes of a set: a pickup balanced, a partner made, a fault mended, a search taken over.

use crate::actor::Actor;
use crate::blocking::blocking_for;
use crate::permission::Action;
use crate::pickup_sets::SavePickupSet;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::set_draft::{DraftPickup, SetDraft};
use coil::design::Design;
use coil::prediction::{Calibration, Effort};
use coil::set::{Balanced, Freedom, PickupMove, PlacedPickup, SetPickup, balanced, mirrored};
use store::pickup_set::{PickupSetRow, UndoableChange};
use store::{ClientKey, PickupSetId, RevisionId};
use trade::pairing::{PickupChange, ReverseWinding, name_of_variant, partner};

/// About how many times a pickup is solved to bring it to a level.
const SOLVED: usize = 12;

/// A partner to make of a pickup.
#[derive(Clone, Debug)]
pub struct MakePartner {
    /// Key of the submission.
    pub key: ClientKey,
    /// The set, at the version that was shown.
    pub set: (PickupSetId, u32),
    /// The pickup that gets a partner, by its index.
    pub pickup: usize,
    /// What the partner is called in the set.
    pub name: String,
    /// Where it stands, mm from the bridge.
    pub from_bridge_mm: f64,
    /// How it is wound the other way round.
    pub school: ReverseWinding,
    /// Whether it sits the other way round than the first, its other side to the bridge; its row is mirrored then, so that each pole
    /// stands under its own string as before.
    pub is_turned: bool,
    /// Whether its turns are chosen so that it is as loud as the first.
    pub is_balanced: bool,
}

impl Workshop {
    /// The set at the version that was shown.
    async fn set_to_change(
        &self,
        actor: &Actor,
        (id, version): (PickupSetId, u32),
    ) -> Result<(PickupSetRow, SetDraft), Refusal> {
        let (row, draft) = self.pickup_set(actor, id).await?;
        if row.version == version { Ok((row, draft)) } else { Err(Refusal::ChangedMeanwhile("set")) }
    }

    /// Saves a set that was changed for its maker; [`Self::undo_set_change`] takes it back.
    async fn save_changed_set(
        &self,
        actor: &Actor,
        key: &ClientKey,
        row: &PickupSetRow,
        draft: SetDraft,
        made: &str,
    ) -> Result<(), Refusal> {
        let made: String = made.chars().take(400).collect();
        let command = SavePickupSet { key: key.clone(), of: Some((row.id, row.version)), draft };
        let undoable = UndoableChange { document_before: &row.document, made: &made };
        self.store_pickup_set(actor, &command, Some(undoable)).await.map(|_| ())
    }

    /// Takes back the last change that was made of a set for its maker, as long as nothing else was changed since. Designs that were
    /// made for it stay.
    ///
    /// # Errors
    /// [`Refusal::ChangedMeanwhile`]; when there is nothing to take back.
    pub async fn undo_set_change(
        &self,
        actor: &Actor,
        key: &ClientKey,
        of: (PickupSetId, u32),
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (row, _) = self.set_to_change(actor, of).await?;
        let document = row.document_before.ok_or(Refusal::NotFound("change"))?;
        let command =
            SavePickupSet { key: key.clone(), of: Some(of), draft: serde_json::from_str(&document)? };
        self.store_pickup_set(actor, &command, None).await.map(|_| ())
    }

    /// What brings a pickup of a set to the level of the others' mean, by each freedom: nothing is saved.
    ///
    /// # Errors
    /// When a pickup cannot be predicted.
    pub async fn balance_pickup(
        &self,
        actor: &Actor,
        draft: &SetDraft,
        pickup: usize,
    ) -> Result<Vec<(Balanced, bool)>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let preview = self.preview_set(actor, draft).await?;
        let predicted = preview.predicted.map_err(Refusal::NotPredictable)?;
        let levels: Vec<f64> =
            predicted.prediction.balance.iter().map(|b| b.output_mv.nominal.max(1e-9).ln()).collect();
        let others: Vec<f64> =
            levels.iter().enumerate().filter(|(i, _)| *i != pickup).map(|(_, level)| *level).collect();
        if pickup >= levels.len() {
            return Err(Refusal::NotFound("pickup"));
        }
        if others.is_empty() {
            return Ok(Vec::new());
        }
        let target_mv = (others.iter().sum::<f64>() / others.len() as f64).exp();
        let set = preview.set;
        let effort = Effort::estimate(&set.pickups[pickup].design).times(SOLVED);
        let found = blocking_for(&effort, move || {
            let mut all = Vec::new();
            for freedom in <Freedom as strum::VariantArray>::VARIANTS {
                if let Ok(Some(found)) = balanced(&set, pickup, *freedom, target_mv, &Calibration::default())
                {
                    let reaches = found.reaches(target_mv);
                    all.push((found, reaches));
                }
            }
            all
        })
        .await?;
        Ok(found)
    }

    /// Puts a pickup into a set as balanced by a freedom, as a variant of its design.
    ///
    /// # Errors
    /// [`Refusal::ChangedMeanwhile`]; [`Refusal::AdjustmentOutOfRange`] where that freedom does nothing.
    pub async fn apply_balance(
        &self,
        actor: &Actor,
        key: &ClientKey,
        of: (PickupSetId, u32),
        pickup: usize,
        freedom: Freedom,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (row, mut draft) = self.set_to_change(actor, of).await?;
        let found = self.balance_pickup(actor, &draft, pickup).await?;
        let found =
            found.into_iter().find(|(b, _)| b.freedom == freedom).ok_or(Refusal::AdjustmentOutOfRange)?.0;
        let note = format!("Balanced in the set {}.", draft.name);
        let made = format!("The level of {} is balanced.", draft.pickups[pickup].name);
        self.take_variant(actor, &key.derived(1), &mut draft, pickup, (&note, found.design)).await?;
        self.save_changed_set(actor, key, &row, draft, &made).await
    }

    /// Puts a changed design into a set, as a variant named for the set.
    async fn take_variant(
        &self,
        actor: &Actor,
        key: &ClientKey,
        draft: &mut SetDraft,
        pickup: usize,
        (note, mut design): (&str, Design),
    ) -> Result<(), Refusal> {
        let what = format!("for {}", draft.name.chars().take(36).collect::<String>().trim_end());
        if !design.name.ends_with(&what) {
            design.name = name_of_variant(&design.name, &what);
        }
        let parent = draft.pickups[pickup].revision;
        draft.pickups[pickup].revision = self.save_variant(actor, key, parent, note, &design).await?;
        Ok(())
    }

    /// Makes the partner of a pickup: wound the other way round with its magnets turned over, so that both together are in phase and
    /// cancel hum. It becomes a design of its own and a pickup of the set, on in no position yet where the switch was changed by hand; the
    /// usual switch grows with it. Pickups stand in the order of their places, from the bridge on.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] when the set with it contradicts itself; [`Refusal::ChangedMeanwhile`].
    pub async fn make_partner(&self, actor: &Actor, command: &MakePartner) -> Result<RevisionId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (row, mut draft) = self.set_to_change(actor, command.set).await?;
        let first = draft.pickups.get(command.pickup).cloned().ok_or(Refusal::NotFound("pickup"))?;
        let was_usual = draft.switch == SetDraft::usual_switch(&draft.pickups);
        let base = self.store_of(actor).revision(first.revision).await?.design;
        let mut design = partner(&base, command.school);
        if command.is_turned {
            design = mirrored(&design);
        }
        let turned = first.turned != command.is_turned;
        design.name = format!("{}, {}", draft.name, command.name).chars().take(80).collect();
        design.strings.from_bridge_mm = command.from_bridge_mm;
        let mut set = self.set_document(actor, &draft).await?;
        set.pickups.push(SetPickup {
            name: command.name.clone(),
            design: design.clone(),
            from_bridge_mm: command.from_bridge_mm,
            turned,
            leads: first.leads,
        });
        let problems = set.problems();
        if !problems.is_empty() {
            return Err(Refusal::NotPredictable(problems));
        }
        if command.is_balanced {
            let (of, last) = (set, draft.pickups.len());
            let pickup = command.pickup;
            let effort = Effort::estimate(&design).times(SOLVED);
            let found = blocking_for(&effort, move || {
                let calibration = Calibration::default();
                let level =
                    PlacedPickup::try_new(&of.placed(pickup, None), &calibration)?.signal.outputs_mv();
                let target = level.iter().sum::<f64>() / level.len().max(1) as f64;
                balanced(&of, last, Freedom::Turns, target, &calibration)
            })
            .await?;
            if let Ok(Some(found)) = found {
                design = found.design;
            }
        }
        let note = format!("Partner of {} in the set {}.", first.name, draft.name);
        let revision = self.save_design(actor, &command.key.derived(1), None, &note, &design).await?;
        draft.pickups.push(DraftPickup {
            name: command.name.clone(),
            revision,
            from_bridge_mm: command.from_bridge_mm,
            turned,
            leads: first.leads,
        });
        if was_usual {
            draft.switch = SetDraft::usual_switch(&draft.pickups);
        }
        draft.pickups.sort_by(|a, b| a.from_bridge_mm.total_cmp(&b.from_bridge_mm));
        let made = format!("{} is made as the partner of {}.", command.name, first.name);
        self.save_changed_set(actor, &command.key, &row, draft, &made).await?;
        Ok(revision)
    }

    /// Changes a pickup of a set as [`trade::pairing::mends_of_set`] proposes. The change is the set's: leads are exchanged there, and a
    /// coil that is wound the other way or magnets that are turned over become a variant of the design, which stays what it is.
    ///
    /// # Errors
    /// [`Refusal::ChangedMeanwhile`]; when there is no such pickup.
    pub async fn mend_pickup(
        &self,
        actor: &Actor,
        key: &ClientKey,
        of: (PickupSetId, u32),
        pickup: usize,
        change: PickupChange,
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (row, mut draft) = self.set_to_change(actor, of).await?;
        let note = format!("Phase and hum mended in the set {}.", draft.name);
        let changed = draft.pickups.get_mut(pickup).ok_or(Refusal::NotFound("pickup"))?;
        let mut made = Vec::new();
        if let Some(what) = change.changes_design() {
            let design = change.applied(&self.store_of(actor).revision(changed.revision).await?.design);
            changed.revision =
                self.save_variant(actor, &key.derived(1), changed.revision, &note, &design).await?;
            made.push(what);
        }
        if change.swaps_leads() {
            changed.leads = changed.leads.exchanged();
            made.push("leads swapped");
        }
        let made = format!("{}: {}.", changed.name, made.join(", "));
        self.save_changed_set(actor, key, &row, draft, &made).await
    }

    /// Changes pickups of a set as a search found: places in the set, turns and heights as variants of their designs.
    ///
    /// # Errors
    /// [`Refusal::ChangedMeanwhile`]; [`Refusal::AdjustmentOutOfRange`].
    pub async fn apply_moves(
        &self,
        actor: &Actor,
        key: &ClientKey,
        of: (PickupSetId, u32),
        moves: &[PickupMove],
    ) -> Result<(), Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (row, mut draft) = self.set_to_change(actor, of).await?;
        let mut set = self.set_document(actor, &draft).await?;
        let before = set.clone();
        for (i, by) in moves.iter().enumerate().take(draft.pickups.len()) {
            set = by.applied(&set, i).ok_or(Refusal::AdjustmentOutOfRange)?;
        }
        if !set.problems().is_empty() {
            return Err(Refusal::AdjustmentOutOfRange);
        }
        let note = format!("Found for the set {}.", draft.name);
        for (i, (pickup, was)) in set.pickups.iter().zip(&before.pickups).enumerate() {
            draft.pickups[i].from_bridge_mm = pickup.from_bridge_mm;
            if pickup.design != was.design {
                let key = key.derived(u8::try_from(i + 1).unwrap_or(u8::MAX));
                self.take_variant(actor, &key, &mut draft, i, (&note, pickup.design.clone())).await?;
            }
        }
        self.save_changed_set(actor, key, &row, draft, "The set is changed as the search found.").await
    }
}
