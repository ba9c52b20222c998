//! Sets: pickups that work together over the same strings, on one switch.

mod circuit;
mod document;
mod notices;
mod placed;
mod prediction;

pub use document::{
    ControlWiring, Controls, FORMAT, LeadOrder, Set, SetPickup, SwitchPosition, Targets, read, read_value,
    schema,
};
pub use placed::{PlacedPickup, turned};
pub use prediction::{
    Balance, Hum, Orientation, Pair, PairPhase, PositionPartial, PositionPrediction, PositionResponse,
    PositionString, SetPrediction, SetSolution, StringBalance, predict_set,
};
