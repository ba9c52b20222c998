//! From what is wanted to what to wind: single steps with their effects, and a search among those that are allowed.

mod adjustment;
mod assumption;
mod candidates;
mod family;
mod sensitivity;
mod tone_preset;

pub use adjustment::{Adjustment, UnknownAdjustment};
pub use assumption::{Assumption, AssumptionComparison, compare_assumptions};
pub use candidates::{Candidate, Missed, ProgressCallback, SearchSpace, TargetRange, search_designs};
pub use family::{FamilyError, MOST_VARIANTS, Variant, Varied};
pub use sensitivity::{Goal, Sensitivity, sensitivities};
pub use tone_preset::{TonePreset, targets_like};
