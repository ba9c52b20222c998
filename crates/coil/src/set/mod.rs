//! Sets: pickups that work together over the same strings, on one switch.

mod balance;
mod circuit;
mod document;
mod notices;
mod placed;
mod prediction;
mod report;
mod search;
mod set_up;

pub use balance::{Balanced, Freedom, balanced};
pub use document::{
    ControlWiring, Controls, FORMAT, LeadOrder, Set, SetPickup, SwitchPosition, Targets, read, read_value,
    schema,
};
pub use placed::{PlacedPickup, half_width_mm, mirrored, turned};
pub use prediction::{PositionPartial, PositionString, SetSolution, predict_set};
pub use report::{
    Balance, Hum, Orientation, Pair, PairPhase, PositionPrediction, PositionResponse, SetPrediction,
    StringBalance,
};
pub use search::{PickupMove, PickupRange, SetCandidate, search_sets};
pub use set_up::{LEAST_GAP_MM, PickupSetUp, StringSetUp, alternates, set_up};
