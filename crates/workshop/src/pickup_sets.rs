//! Sets of pickups: designed, predicted, balanced, and wound.

use crate::actor::Actor;
use crate::blocking::blocking;
use crate::jobs::JobOutcome;
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::search_results::SetSearchResults;
use crate::service::Workshop;
use coil::circuit::Join;
use coil::design::{Design, Problem, Strings};
use coil::prediction::{Calibration, Level};
use coil::set::{
    Balanced, Controls, FORMAT, Freedom, LeadOrder, PickupMove, PickupRange, PickupSetUp, PlacedPickup,
    PositionPrediction, Set, SetPickup, SetPrediction, SetSolution, SwitchPosition, Targets, balanced,
    search_sets, set_up,
};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;
use store::design::{NewRevision, RevisionRow};
use store::logbook::{LogFilter, LogbookRow};
use store::pickup_set::{PickupSetRow, PickupSetRun};
use store::{ClientKey, PickupSetId, RevisionId, RunId, StoreError};
use trade::pairing::{Mend, PickupChange, ReverseWinding, mends_of_set, partner};

/// Most revisions of a design among the choices.
const MOST_REVISIONS: u32 = 12;
/// Most coils in stock that a set is offered of each revision.
const MOST_STOCK: u32 = 60;

/// A set as it is kept: with the revisions of its pickups in place of their designs.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetDraft {
    /// Its name.
    pub name: String,
    /// Its pickups.
    pub pickups: Vec<DraftPickup>,
    /// Volume and tone.
    pub controls: Controls,
    /// Cable, pF.
    pub cable_pf: f64,
    /// Amplifier input, MΩ.
    pub input_mohm: f64,
    /// Positions of the switch.
    pub switch: Vec<SwitchPosition>,
    /// What it should become.
    #[serde(default)]
    pub targets: Targets,
}

/// A pickup of a set as it is kept.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DraftPickup {
    /// Its name in the set.
    pub name: String,
    /// The revision that it is wound by.
    pub revision: RevisionId,
    /// From the bridge to its middle, mm.
    pub from_bridge_mm: f64,
    /// Whether it sits rotated by half a turn.
    #[serde(default)]
    pub turned: bool,
    /// Whether its hot lead and ground are exchanged.
    #[serde(default)]
    pub leads: LeadOrder,
}

/// The third string of a set of strings: the lowest plain or the highest wound one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::EnumString)]
#[strum(serialize_all = "kebab-case")]
pub enum ThirdString {
    /// Steel as a whole.
    Plain,
    /// A core under a winding.
    Wound,
}

impl ThirdString {
    /// Puts it on in place of the third string, of sizes between those of a usual set.
    fn put_on(self, strings: &mut Strings) {
        strings.each = (1..=strings.count).map(|n| strings.as_it_is(n)).collect();
        if let Some(third) = strings.each.get_mut(2) {
            (third.diameter_mm, third.core_mm) = match self {
                Self::Plain => (0.43, None),
                Self::Wound => (0.53, Some(0.31)),
            };
        }
    }
}

impl SetDraft {
    /// A toggle of three positions: the pickup nearest to the bridge, all of them side by side, the one furthest from it. One pickup has one
    /// position.
    #[must_use]
    pub fn toggle_switch(pickups: &[DraftPickup]) -> Vec<SwitchPosition> {
        let mut order: Vec<&DraftPickup> = pickups.iter().collect();
        order.sort_by(|a, b| a.from_bridge_mm.total_cmp(&b.from_bridge_mm));
        let position = |number: usize, on: &[&DraftPickup]| SwitchPosition {
            name: number.to_string(),
            join: (on.len() > 1).then_some(Join::Parallel),
            on: on.iter().map(|p| p.name.clone()).collect(),
            coils: BTreeMap::new(),
        };
        match order.as_slice() {
            [] => Vec::new(),
            [only] => vec![position(1, &[only])],
            [first, .., last] => vec![position(1, &[first]), position(2, &order), position(3, &[last])],
        }
    }

    /// The usual switch for so many pickups: each alone from the bridge on, with its neighbour side by side in between; two pickups and
    /// more.
    #[must_use]
    pub fn usual_switch(pickups: &[DraftPickup]) -> Vec<SwitchPosition> {
        let mut order: Vec<&DraftPickup> = pickups.iter().collect();
        order.sort_by(|a, b| a.from_bridge_mm.total_cmp(&b.from_bridge_mm));
        let mut all: Vec<SwitchPosition> = Vec::new();
        for (k, pickup) in order.iter().enumerate() {
            if k > 0 {
                let on = vec![order[k - 1].name.clone(), pickup.name.clone()];
                all.push(SwitchPosition {
                    name: String::new(),
                    on,
                    join: Some(Join::Parallel),
                    coils: BTreeMap::new(),
                });
            }
            all.push(SwitchPosition {
                name: String::new(),
                on: vec![pickup.name.clone()],
                join: None,
                coils: BTreeMap::new(),
            });
        }
        for (k, position) in all.iter_mut().enumerate() {
            position.name = (k + 1).to_string();
        }
        all
    }
}

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

/// A coil that was wound for a pickup of a set.
#[derive(Clone, Debug)]
pub struct SetCoil {
    /// Which run, for which pickup.
    pub run: PickupSetRun,
    /// Its line in the logbook; `None` before it has one.
    pub line: Option<LogbookRow>,
}

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
    /// Whether its turns are chosen so that it is as loud as the first.
    pub is_balanced: bool,
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
        let rows = self.of(actor).pickup_sets(is_archived).await?;
        rows.into_iter().map(|row| draft_of(&row).map(|draft| (row, draft))).collect()
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
        let row = self.of(actor).pickup_set(id).await?;
        let draft = draft_of(&row)?;
        Ok((row, draft))
    }

    /// The revisions that a pickup of a set can be chosen from: the last of every design.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn revisions_for_sets(&self, actor: &Actor) -> Result<Vec<RevisionRow>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        Ok(self.of(actor).recent_revisions(MOST_REVISIONS).await?)
    }

    /// A set with the designs of its revisions in it.
    ///
    /// # Errors
    /// When one of the revisions is not there.
    pub async fn set_document(&self, actor: &Actor, draft: &SetDraft) -> Result<Set, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let ids: Vec<RevisionId> = draft.pickups.iter().map(|p| p.revision).collect();
        let known = self.of(actor).documents(&ids).await?;
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
        let set = self.set_document(actor, draft).await?;
        let _permit = self.permits.predictions.acquire(actor.person)?;
        let problems = set.problems();
        if !problems.is_empty() {
            return Ok(SetPreview { set, predicted: Err(problems) });
        }
        let calibration = self.applied_calibration(actor, None).await?;
        let twins = set.twins();
        let mut designs = set.designs_used();
        designs.extend(twins.iter().flat_map(|(_, twin)| twin.designs_used()));
        let placing = designs.iter().map(|design| self.predictions.placed(design, calibration.of(design)));
        let placed = futures_util::future::try_join_all(placing).await?;
        let known: Vec<_> = designs.into_iter().zip(placed).collect();
        let of = set.clone();
        let predicted = blocking(move || {
            let placed = |design: &Design| {
                let found = known.iter().find(|(d, _)| d == design).map(|(_, placed)| placed.clone());
                found.unwrap_or_else(|| PlacedPickup::of(design, &Calibration::default()).map(Arc::new))
            };
            let solution = SetSolution::of(&of, placed)?;
            let inside = |(i, twin): &(usize, Set)| {
                Ok::<_, Vec<Problem>>((*i, SetSolution::of(twin, placed)?.prediction().positions))
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
        let predicted =
            self.preview_set(actor, &command.draft).await?.predicted.map_err(Refusal::NotPredictable)?;
        let serious = predicted.prediction.notices.iter().find(|n| n.level < Level::Note);
        let trouble: String = serious.map_or("", |n| &n.text).chars().take(400).collect();
        let (store, document) = (self.of(actor), serde_json::to_string(&command.draft)?);
        let facts = (command.draft.name.as_str(), document.as_str(), trouble.as_str());
        match command.of {
            None => Ok(store.add_pickup_set(actor.person, &command.key, facts).await?),
            Some(of) => match store.change_pickup_set(actor.person, of, facts).await {
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
        Ok(self.of(actor).archive_pickup_set(actor.person, id, is_archived).await?)
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
        let store = self.of(actor);
        let rows = store.recent_revisions(MOST_REVISIONS).await?;
        let mut pickups = Vec::with_capacity(set.pickups.len());
        for (k, pickup) in set.pickups.iter().enumerate() {
            let alike: Vec<RevisionId> =
                rows.iter().filter(|r| r.name == pickup.design.name).map(|r| r.id).collect();
            let known = store.documents(&alike).await?;
            let revision = match known.into_iter().find(|(_, design)| *design == pickup.design) {
                Some((id, _)) => id,
                None => {
                    let prediction = self.prediction_of(actor, None, &pickup.design).await?.ok();
                    let note = format!("From the set {}.", set.name);
                    let new = NewRevision {
                        key: key.derived(u8::try_from(k + 1).unwrap_or(u8::MAX)),
                        parent: None,
                        note: &note,
                        design: &pickup.design,
                        prediction: prediction.as_deref(),
                        newest_seen: None,
                    };
                    store.save_revision(actor.person, &new).await?
                }
            };
            pickups.push(DraftPickup {
                name: pickup.name.clone(),
                revision,
                from_bridge_mm: pickup.from_bridge_mm,
                turned: pickup.turned,
                leads: pickup.leads,
            });
        }
        let draft = SetDraft {
            name: set.name.clone(),
            pickups,
            controls: set.controls.clone(),
            cable_pf: set.cable_pf,
            input_mohm: set.input_mohm,
            switch: set.switch.clone(),
            targets: set.targets.clone(),
        };
        self.save_pickup_set(actor, &SavePickupSet { key: key.clone(), of: None, draft }).await
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
        let found = blocking(move || {
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
            self.save_for_set(actor, &key.derived(1), parent, &note, &found.design).await?;
        let command = SavePickupSet { key: key.clone(), of: Some(of), draft };
        self.save_pickup_set(actor, &command).await.map(|_| ())
    }

    async fn save_for_set(
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
        };
        Ok(self.of(actor).save_revision(actor.person, &new).await?)
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
        let base = self.of(actor).revision(first.revision).await?.design;
        let mut design = partner(&base, command.school);
        design.name = format!("{}, {}", draft.name, command.name).chars().take(80).collect();
        design.strings.from_bridge_mm = command.from_bridge_mm;
        let mut set = self.set_document(actor, &draft).await?;
        set.pickups.push(SetPickup {
            name: command.name.clone(),
            design: design.clone(),
            from_bridge_mm: command.from_bridge_mm,
            turned: false,
            leads: LeadOrder::Normal,
        });
        let problems = set.problems();
        if !problems.is_empty() {
            return Err(Refusal::NotPredictable(problems));
        }
        if command.is_balanced {
            let (of, last) = (set, draft.pickups.len());
            let pickup = command.pickup;
            let found = blocking(move || {
                let calibration = Calibration::default();
                let level = PlacedPickup::of(&of.placed(pickup, None), &calibration)?.signal.outputs_mv();
                let target = level.iter().sum::<f64>() / level.len().max(1) as f64;
                balanced(&of, last, Freedom::Turns, target, &calibration)
            })
            .await?;
            if let Ok(Some(found)) = found {
                design = found.design;
            }
        }
        let note = format!("Partner of {} in the set {}.", first.name, draft.name);
        let revision = self.save_for_set(actor, &command.key.derived(1), None, &note, &design).await?;
        draft.pickups.push(DraftPickup {
            name: command.name.clone(),
            revision,
            from_bridge_mm: command.from_bridge_mm,
            turned: false,
            leads: LeadOrder::Normal,
        });
        if was_usual {
            draft.switch = SetDraft::usual_switch(&draft.pickups);
        }
        let save = SavePickupSet { key: command.key.clone(), of: Some(command.set), draft };
        self.save_pickup_set(actor, &save).await?;
        Ok(revision)
    }

    /// Changes a pickup of a set as [`mends_of_set`] proposes: leads are exchanged in the set, a coil that is wound the other way or magnets
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
        let base = self.of(actor).revision(changed.revision).await?.design;
        let design = change.applied(&base);
        if design != base {
            let note = format!("Phase and hum mended in the set {name}.");
            changed.revision =
                self.save_for_set(actor, &key.derived(1), Some(changed.revision), &note, &design).await?;
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

    /// Begins a search for a set that meets its targets as a job, within ranges of its pickups; returns its name.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`]; [`Refusal::TooManyJobs`] while others run.
    pub async fn begin_set_search(
        &self,
        actor: &Actor,
        draft: &SetDraft,
        ranges: Vec<PickupRange>,
    ) -> Result<String, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let set = self.set_document(actor, draft).await?;
        let problems = set.problems();
        if !problems.is_empty() {
            return Err(Refusal::NotPredictable(problems));
        }
        let permit = self.permits.jobs.acquire(actor.person)?;
        let (name, job) = self.jobs.begin(actor.workshop, permit).ok_or(Refusal::TooManyJobs)?;
        // It runs beside the requests; nobody waits for the handle.
        drop(tokio::task::spawn_blocking(move || {
            let found = search_sets(&set, &ranges, &Calibration::default(), &mut |share| job.advance(share));
            job.finish(match found {
                Ok(Some(candidates)) => {
                    JobOutcome::FoundSets(Arc::new(SetSearchResults { from: set, candidates }))
                }
                Ok(None) => JobOutcome::Stopped,
                Err(problems) => JobOutcome::Failed(Refusal::NotPredictable(problems).code()),
            });
        }));
        Ok(name)
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
                    self.save_for_set(actor, &key, parent, &note, &pickup.design).await?;
            }
        }
        self.save_pickup_set(actor, &SavePickupSet { key: key.clone(), of: Some(of), draft })
            .await
            .map(|_| ())
    }

    /// How high each pickup of a set stands for balance, over a fingerboard of a radius (mm) or a flat row, with another
    /// third string than the designs have where one is named.
    ///
    /// # Errors
    /// [`Refusal::NotPredictable`].
    pub async fn plan_set_up(
        &self,
        actor: &Actor,
        draft: &SetDraft,
        radius_mm: Option<f64>,
        third: Option<ThirdString>,
    ) -> Result<Vec<PickupSetUp>, Refusal> {
        actor.require(Action::ReadDesigns)?;
        let mut set = self.set_document(actor, draft).await?;
        for pickup in &mut set.pickups {
            if let Some(third) = third {
                third.put_on(&mut pickup.design.strings);
            }
        }
        let _permit = self.permits.predictions.acquire(actor.person)?;
        blocking(move || set_up(&set, radius_mm, &Calibration::default()))
            .await?
            .map_err(Refusal::NotPredictable)
    }

    /// The coils that were wound for a set, newest first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn coils_of_set(&self, actor: &Actor, id: PickupSetId) -> Result<Vec<SetCoil>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.of(actor);
        let runs = store.runs_of_set(id).await?;
        let ids: Vec<RunId> = runs.iter().map(|r| r.run_id).collect();
        let lines = store.log_lines_of(&ids).await?;
        Ok(runs
            .into_iter()
            .map(|run| SetCoil { line: lines.iter().find(|l| l.run_id == run.run_id).cloned(), run })
            .collect())
    }

    /// Coils in stock that a set could take: of the revisions of its pickups, measured, in no set; by the pickup's index, those nearest
    /// to what their revision predicts first.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn stock_for_set(
        &self,
        actor: &Actor,
        draft: &SetDraft,
    ) -> Result<Vec<(usize, LogbookRow)>, Refusal> {
        actor.require(Action::ReadRuns)?;
        let store = self.of(actor);
        let mut taken: Vec<RunId> = store.runs_in_sets().await?;
        taken.extend(store.set_members().await?.into_iter().map(|m| m.run_id));
        let mut all = Vec::new();
        for (i, pickup) in draft.pickups.iter().enumerate() {
            let row = store.revision(pickup.revision).await?.row;
            let filter =
                LogFilter { design: Some(row.design_id), revision: Some(row.number), ..LogFilter::default() };
            let mut lines = store.log_lines(&filter, MOST_STOCK).await?;
            lines.retain(|l| l.level.0.counts() && l.resistance_ohm.is_some() && !taken.contains(&l.run_id));
            let off = |l: &LogbookRow| match (l.resistance_ohm, row.resistance_20c_ohm) {
                (Some(read), Some(predicted)) => (read / predicted).ln().abs(),
                _ => f64::INFINITY,
            };
            lines.sort_by(|a, b| off(a).total_cmp(&off(b)));
            all.extend(lines.into_iter().map(|line| (i, line)));
        }
        Ok(all)
    }

    /// Notes that a run is wound for a pickup of a set.
    ///
    /// # Errors
    /// When there is no such run, set or pickup.
    pub async fn assign_run_to_set(
        &self,
        actor: &Actor,
        run: RunId,
        set: PickupSetId,
        pickup: &str,
    ) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        let store = self.of(actor);
        let draft = draft_of(&store.pickup_set(set).await?)?;
        if !draft.pickups.iter().any(|p| p.name == pickup) {
            return Err(Refusal::NotFound("pickup"));
        }
        Ok(store.assign_run_to_set(run, set, pickup).await?)
    }

    /// Takes a run out of its set.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn release_run_from_set(&self, actor: &Actor, run: RunId) -> Result<(), Refusal> {
        actor.require(Action::Wind)?;
        Ok(self.of(actor).release_run_from_set(run).await?)
    }

    /// The set that a run is wound for: its number, its name, and the pickup's name in it.
    ///
    /// # Errors
    /// When the database does not answer.
    pub async fn set_of_run(
        &self,
        actor: &Actor,
        run: RunId,
    ) -> Result<Option<(PickupSetId, String, String)>, Refusal> {
        actor.require(Action::ReadRuns)?;
        Ok(self.of(actor).set_of_run(run).await?)
    }
}

fn draft_of(row: &PickupSetRow) -> Result<SetDraft, Refusal> {
    serde_json::from_str(&row.document)
        .map_err(|error| StoreError::Unreadable { what: "set", detail: error.to_string() }.into())
}
