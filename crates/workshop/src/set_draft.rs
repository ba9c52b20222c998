//! A set as it is kept.

use coil::circuit::Join;
use coil::set::{Controls, LeadOrder, SwitchPosition, Targets};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use store::pickup_set::PickupSetRow;
use store::{RevisionId, StoreError};

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

impl SetDraft {
    /// A toggle of three positions: the pickup nearest to the bridge, all of them in parallel, the one furthest from it. One pickup has one
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

    /// The usual switch for so many pickups: each alone from the bridge on, with its neighbour in parallel in between; two pickups and
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

pub(crate) fn draft_of(row: &PickupSetRow) -> Result<SetDraft, StoreError> {
    serde_json::from_str(&row.document)
        .map_err(|error| StoreError::Unreadable { what: "set", detail: error.to_string() })
}
