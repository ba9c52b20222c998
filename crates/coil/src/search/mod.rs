//! From what is wanted to what to wind: single steps with their effects, and a search among those that are allowed.

mod adjustment;
mod candidates;
mod family;
mod matter;
mod sensitivity;
mod tone_preset;

pub use adjustment::{Adjustment, UnknownAdjustment};
pub use candidates::{Candidate, Missed, ProgressCallback, SearchSpace, TargetRange, search_designs};
pub use family::{FamilyError, MOST_VARIANTS, Variant, Varied};
pub use matter::{Choice, Matter, matters};
pub use sensitivity::{Goal, Sensitivity, sensitivities};
pub use tone_preset::{TonePreset, aims_like};
