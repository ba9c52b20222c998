//! Changes of a set: a pickup balanced, a partner made, a fault mended, a search taken over.

use crate::actor::Actor;
use crate::blocking::blocking_for;
use crate::permission::Action;
use crate::pickup_sets::SavePickupSet;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::set_draft::{DraftPickup, SetDraft};
use coil::prediction::{Calibration, Effort};
use coil::set::{Balanced, Freedom, LeadOrder, PickupMove, PlacedPickup, SetPickup, balanced, mirrored};
use store::{ClientKey, PickupSetId, RevisionId};
use trade::pairing::{PickupChange, ReverseWinding, partner};

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

    /// Saves a pickup of a set as balanced by a freedom, as the next revision of its design, and puts it into the set.
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
        let (row, mut draft) = self.pickup_set(actor, of.0).await?;
        if row.version != of.1 {
            return Err(Refusal::ChangedMeanwhile("set"));
        }
        let found = self.balance_pickup(actor, &draft, pickup).await?;
        let found =
            found.into_iter().find(|(b, _)| b.freedom == freedom).ok_or(Refusal::AdjustmentOutOfRange)?.0;
        let note = format!("Balanced in the set {}.", draft.name);
        let parent = Some(draft.pickups[pickup].revision);
        draft.pickups[pickup].revision =
            self.save_design(actor, &key.derived(1), parent, &note, &found.design).await?;
        let command = SavePickupSet { key: key.clone(), of: Some(of), draft };
        self.save_pickup_set(actor, &command).await.map(|_| ())
    }

    /// Makes the partner of a pickup: wound the other way round with its magnets turned over, so that both together are in phase and
    /// cancel hum. It becomes a design of its own and the last pickup of the set, on in no position yet where the switch was changed by
    /// hand; the usual switch grows with it.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`] when the set with it contradicts itself; [`Refusal::ChangedMeanwhile`].
    pub async fn make_partner(&self, actor: &Actor, command: &MakePartner) -> Result<RevisionId, Refusal> {
        actor.require(Action::ChangeDesigns)?;
        let (row, mut draft) = self.pickup_set(actor, command.set.0).await?;
        if row.version != command.set.1 {
            return Err(Refusal::ChangedMeanwhile("set"));
        }
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
        let save = SavePickupSet { key: command.key.clone(), of: Some(command.set), draft };
        self.save_pickup_set(actor, &save).await?;
        Ok(revision)
    }

    /// Changes a pickup of a set as [`trade::pairing::mends_of_set`] proposes: leads are exchanged in the set, a coil that is wound the other way or magnets
    /// that are turned over become the next revision of its design.
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
        let (row, mut draft) = self.pickup_set(actor, of.0).await?;
        if row.version != of.1 {
            return Err(Refusal::ChangedMeanwhile("set"));
        }
        let name = draft.name.clone();
        let changed = draft.pickups.get_mut(pickup).ok_or(Refusal::NotFound("pickup"))?;
        let base = self.store_of(actor).revision(changed.revision).await?.design;
        let design = change.applied(&base);
        if design != base {
            let note = format!("Phase and hum mended in the set {name}.");
            changed.revision =
                self.save_design(actor, &key.derived(1), Some(changed.revision), &note, &design).await?;
        }
        if change.swaps_leads() {
            changed.leads = match changed.leads {
                LeadOrder::Normal => LeadOrder::Swapped,
                LeadOrder::Swapped => LeadOrder::Normal,
            };
        }
        self.save_pickup_set(actor, &SavePickupSet { key: key.clone(), of: Some(of), draft })
            .await
            .map(|_| ())
    }

    /// Changes pickups of a set as a search found: places in the set, turns and heights as the next revisions of their designs.
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
        let (row, mut draft) = self.pickup_set(actor, of.0).await?;
        if row.version != of.1 {
            return Err(Refusal::ChangedMeanwhile("set"));
        }
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
                let parent = Some(draft.pickups[i].revision);
                draft.pickups[i].revision =
                    self.save_design(actor, &key, parent, &note, &pickup.design).await?;
            }
        }
        self.save_pickup_set(actor, &SavePickupSet { key: key.clone(), of: Some(of), draft })
            .await
            .map(|_| ())
    }
}
