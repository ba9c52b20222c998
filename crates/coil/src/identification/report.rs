//! What findings tell, `filamentum-identification/1`.

use super::hypotheses::ElectricFault;
use crate::magnet::Grade;
use crate::prediction::Quantity;
use crate::wire::{Build, Gauge, Insulation};
use crate::word::document_word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What a pickup can be.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Identification {
    /// Always `filamentum-identification/1`.
    pub format: String,
    /// Version of the engine.
    pub engine: String,
    /// Explanations, the most probable first; together with those left out for being less probable than one in five hundred, all that there is.
    pub candidates: Vec<Candidate>,
    /// Each feature by itself.
    pub marginal: Marginals,
    /// Which alloys its magnets can be, on the condition that they are fully charged; none without flux readings.
    pub alloy: Vec<Probable<Grade>>,
    /// What can be the matter with it, the most probable first.
    pub faults: Vec<Probable<Fault>>,
    /// Readings and statements that do not go together.
    pub doubts: Vec<Doubt>,
    /// What to measure next, what tells most first.
    pub next: Vec<NextMeasurement>,
}

/// An explanation.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Candidate {
    /// Gauge of the wire.
    pub gauge: Gauge,
    /// Its enamel.
    pub insulation: Insulation,
    /// How thick that is.
    pub build: Build,
    /// What is the matter with the coil; nothing when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fault: Option<Fault>,
    /// Turns of the first coil.
    pub turns: Quantity,
    /// Square of the wire's diameter over the window that a turn takes.
    pub packing: Quantity,
    /// Its probability among all explanations.
    pub probability: f64,
    /// What each reading should be under it, by the reading's key.
    pub predicted: BTreeMap<String, Quantity>,
    /// How far each reading lies above that, in standard deviations of reading and prediction together.
    pub misfit: BTreeMap<String, f64>,
}

/// Each feature by itself.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Marginals {
    /// Gauges.
    pub gauge: Vec<Probable<Gauge>>,
    /// Enamels.
    pub insulation: Vec<Probable<Insulation>>,
    /// Thicknesses of the enamel.
    pub build: Vec<Probable<Build>>,
    /// Faults of the winding; a sound one is left over.
    pub fault: Vec<Probable<Fault>>,
    /// Turns of the first coil, over all explanations.
    pub turns: Quantity,
    /// Bare diameter of the wire, mm, over all explanations.
    pub wire_bare_mm: Quantity,
}

/// A value with its probability.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Probable<T> {
    /// The value.
    #[serde(alias = "material")]
    pub value: T,
    /// Its probability, 0 to 1.
    pub probability: f64,
}

document_word! {
    /// What can be the matter with a pickup.
    pub enum Fault {
        /// Turns are bridged: a little less resistance and much less inductance.
        ShortedTurns,
        /// The wire is broken, or a lead is off.
        OpenCoil,
        /// Magnets that have lost a part of their charge, or never had it.
        HalfChargedMagnets,
        /// One or some poles have the other pole up than their neighbours should.
        ReversedPole,
        /// One or some poles are far weaker than the others.
        WeakPole,
    }
}

impl Fault {
    pub(super) fn from_fault(fault: ElectricFault) -> Option<Self> {
        match fault {
            ElectricFault::Sound => None,
            ElectricFault::Shorted => Some(Self::ShortedTurns),
            ElectricFault::Open => Some(Self::OpenCoil),
        }
    }
}

/// Readings or statements that do not go together.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Doubt {
    /// Stable name.
    pub code: String,
    /// What is the matter.
    pub text: String,
    /// What to do about it.
    #[serde(rename = "try")]
    pub try_: String,
}

/// What to measure next.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct NextMeasurement {
    /// Key of the reading.
    pub measure: String,
    /// How much of what is open about wire and fault it is expected to settle, bits.
    pub expected_bits: f64,
    /// What it tells.
    pub why: String,
}
