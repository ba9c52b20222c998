//! The pickups that orders ask for: each line names a revision, a set of pickups or an old pickup.

use crate::actor::Actor;
use crate::orders::{OrderDraft, OrderItem};
use crate::permission::Action;
use crate::refusal::Refusal;
use crate::service::Workshop;
use crate::set_draft::{self, SetDraft};
use std::collections::{BTreeMap, BTreeSet};
use store::order::OrderRun;
use store::rewind::RewindRow;
use store::unreadable::RecordKind;
use store::{PickupSetId, RevisionId, RewindId, StoreError, WorkshopStore};

/// A pickup that an order asks for: its line, its revision, its name in a set, and whether a coil of it is started.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OrderedPickup {
    /// Which line, from 0.
    pub line: u32,
    /// By which revision it is wound; `None` for an old one of which no design is made yet.
    pub revision: Option<RevisionId>,
    /// The old pickup that it is.
    pub rewind: Option<RewindId>,
    /// The set and its name there, for a pickup of a set.
    pub in_set: Option<(PickupSetId, String)>,
    /// Its run, once there is one.
    pub run: Option<OrderRun>,
}

/// The sets and old pickups that lines of orders name.
#[derive(Debug, Default)]
pub(crate) struct OrderedThings {
    sets: BTreeMap<PickupSetId, SetDraft>,
    rewinds: BTreeMap<RewindId, RewindRow>,
}

impl OrderedThings {
    /// What the lines of some orders name, asked for all at once.
    pub(crate) async fn load(
        store: &WorkshopStore,
        drafts: impl IntoIterator<Item = &OrderDraft>,
    ) -> Result<Self, Refusal> {
        let (mut sets, mut rewinds) = (BTreeSet::new(), BTreeSet::new());
        for line in drafts.into_iter().flat_map(|draft| &draft.lines) {
            match line.item {
                OrderItem::Revision(_) => {}
                OrderItem::Set(id) => drop(sets.insert(id)),
                OrderItem::Rewind(id) => drop(rewinds.insert(id)),
            }
        }
        let (sets, rewinds): (Vec<_>, Vec<_>) = (sets.into_iter().collect(), rewinds.into_iter().collect());
        let (sets, rewinds) = tokio::try_join!(store.pickup_sets_of(&sets), store.rewinds_of(&rewinds))?;
        let mut drafts = BTreeMap::new();
        for row in &sets {
            let read = set_draft::draft_of(row);
            if let Some(draft) = store.readable(RecordKind::PickupSet, row.id.0, &row.name, read)? {
                drafts.insert(row.id, draft);
            }
        }
        Ok(Self { sets: drafts, rewinds: rewinds.into_iter().map(|row| (row.id, row)).collect() })
    }

    fn set(&self, id: PickupSetId) -> Result<&SetDraft, Refusal> {
        self.sets.get(&id).ok_or_else(|| StoreError::Missing("set").into())
    }

    /// An old pickup that a line names.
    ///
    /// # Errors
    /// When there is none of that number.
    pub(crate) fn rewind(&self, id: RewindId) -> Result<&RewindRow, Refusal> {
        self.rewinds.get(&id).ok_or_else(|| StoreError::Missing("rewind").into())
    }

    /// As [`Self::pickups`]; none of an order that asks for what cannot be read.
    ///
    /// # Errors
    /// Any other fault.
    pub(crate) fn readable_pickups(
        &self,
        draft: &OrderDraft,
        runs: &[OrderRun],
    ) -> Result<Option<Vec<OrderedPickup>>, Refusal> {
        match self.pickups(draft, runs) {
            Ok(pickups) => Ok(Some(pickups)),
            Err(Refusal::NotFound(_)) => Ok(None),
            Err(refusal) => Err(refusal),
        }
    }

    /// Every pickup that an order asks for, with its run where there is one: void runs do not count.
    ///
    /// # Errors
    /// When a set or an old pickup is not there.
    pub(crate) fn pickups(
        &self,
        draft: &OrderDraft,
        runs: &[OrderRun],
    ) -> Result<Vec<OrderedPickup>, Refusal> {
        let mut all = Vec::new();
        for (i, line) in draft.lines.iter().enumerate() {
            let number = u32::try_from(i).unwrap_or(u32::MAX);
            let one = |revision, in_set, rewind| OrderedPickup {
                line: number,
                revision,
                rewind,
                in_set,
                run: None,
            };
            let pickups: Vec<OrderedPickup> = match line.item {
                OrderItem::Revision(id) => vec![one(Some(id), None, None)],
                OrderItem::Set(id) => {
                    let of_set =
                        |p: &set_draft::DraftPickup| one(Some(p.revision), Some((id, p.name.clone())), None);
                    self.set(id)?.pickups.iter().map(of_set).collect()
                }
                OrderItem::Rewind(id) => vec![one(self.rewind(id)?.revision_id, None, Some(id))],
            };
            let mut own: Vec<OrderRun> =
                runs.iter().filter(|r| r.line == number && !r.is_voided).copied().collect();
            let begins = all.len();
            for _ in 0..line.quantity {
                for pickup in &pickups {
                    // A run is of the pickup by whose revision it is wound, in whatever order they are started.
                    let of_it = own.iter().position(|r| Some(r.revision_id) == pickup.revision);
                    let run = of_it.map(|place| own.remove(place));
                    all.push(OrderedPickup { run, ..pickup.clone() });
                }
            }
            // What was wound by another revision stands for a pickup that has no run.
            let mut others = own.into_iter();
            for pickup in all[begins..].iter_mut().filter(|p| p.run.is_none()) {
                pickup.run = others.next();
            }
        }
        Ok(all)
    }
}

impl Workshop {
    /// Every pickup that an order asks for, with its run where there is one: void runs do not count.
    ///
    /// # Errors
    /// When a set or an old pickup is not there.
    pub async fn ordered_pickups(
        &self,
        actor: &Actor,
        draft: &OrderDraft,
        runs: &[OrderRun],
    ) -> Result<Vec<OrderedPickup>, Refusal> {
        actor.require(Action::ReadRuns)?;
        OrderedThings::load(&self.store_of(actor), [draft]).await?.pickups(draft, runs)
    }
}
