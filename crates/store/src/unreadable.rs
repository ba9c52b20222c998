//! Records that are stored and cannot be read: lists go on without them, and name them.
//!
//! Nothing that this program writes becomes such a record. A database that was changed by hand, or by a later version, may
//! hold some.

use crate::id::WorkshopId;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Most records that are kept in mind, of all workshops.
const MOST: usize = 1000;

/// What a record is.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    strum::EnumString,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[strum(serialize_all = "kebab-case")]
pub enum RecordKind {
    /// A revision of a design.
    Revision,
    /// A set of pickups.
    PickupSet,
    /// An examined pickup.
    Rewind,
    /// An order.
    Order,
    /// A run, or what was measured and judged of it.
    Run,
    /// A format's traveller.
    Traveller,
    /// A version of the calibration.
    Calibration,
}

/// A record that cannot be read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UnreadableRecord {
    /// What it is.
    pub kind: RecordKind,
    /// Its number.
    pub id: u64,
    /// What it is called.
    pub name: String,
    /// Why it cannot be read.
    pub detail: String,
}

/// The records that reading came across, by workshop.
#[derive(Clone, Debug, Default)]
pub struct UnreadableRecords(Arc<Mutex<ByRecord>>);

type ByRecord = BTreeMap<(WorkshopId, RecordKind, u64), (String, String)>;

impl UnreadableRecords {
    /// Notes one.
    pub(crate) fn note(&self, of: (WorkshopId, RecordKind, u64), name: String, detail: &str) {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let has_room = all.len() < MOST || all.contains_key(&of);
        if has_room && all.insert(of, (name, detail.to_owned())).is_none() {
            tracing::error!(event = "unreadable", kind = ?of.1, id = of.2, detail, "a stored record cannot be read");
        }
    }

    pub(crate) fn forget(&self, of: (WorkshopId, RecordKind, u64)) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).remove(&of);
    }

    /// Those of a workshop that reading came across since the program began, by kind and number.
    #[must_use]
    pub fn in_workshop(&self, workshop: WorkshopId) -> Vec<UnreadableRecord> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.iter()
            .filter(|((of, ..), _)| *of == workshop)
            .map(|((_, kind, id), (name, detail))| UnreadableRecord {
                kind: *kind,
                id: *id,
                name: name.clone(),
                detail: detail.clone(),
            })
            .collect()
    }
}
