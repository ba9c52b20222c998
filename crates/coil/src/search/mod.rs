//! From what is wanted to what to wind: single steps with their effects, and a search among those that are allowed.

mod adjustment;
mod search;
mod sensitivity;
mod tone_preset;

pub use adjustment::{Adjustment, NoLever};
pub use search::{Candidate, SearchSpace, Seeking, Want, seek};
pub use sensitivity::{Effect, Goal, effects};
pub use tone_preset::{TonePreset, aims_like};
