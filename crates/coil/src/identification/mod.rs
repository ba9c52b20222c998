//! What a pickup was: from what can be seen and measured of it back to wire, turns, packing and faults.
//!
//! Every wire, pattern of winding and fault is a hypothesis. The engine says how each figure of this pickup goes with turns, wire and
//! packing; tolerances and the engine's own errors say how closely readings have to agree. Bayes' rule gives each hypothesis its
//! probability.

mod curves;
mod doubts;
mod evidence;
mod findings;
mod hypotheses;
mod identify;
mod magnets;
mod next;
mod report;
mod weigh;
mod words;

pub use findings::{FORMAT, Findings, Measurand, Measured, Measurement, Suspected, read, read_value, schema};
pub use hypotheses::Habits;
pub use identify::identify;
pub use report::{Candidate, Doubt, Fault, Identification, Marginals, NextMeasurement, Probable};
