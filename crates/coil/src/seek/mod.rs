//! From what is wanted to what to wind: single steps with their effects, and a search among those that are allowed.

mod effect;
mod lever;
mod search;
mod wish;

pub use effect::{Effect, Goal, effects};
pub use lever::{Lever, NoLever};
pub use search::{Allowed, Candidate, Seeking, Want, seek};
pub use wish::{Wish, aims_like};
