//! Magnetic parts: grades, how parts are cut into elements, how they act together, what they hold and show.

mod bevel;
mod body;
mod estimate;
mod grade;
mod interaction;
mod line;
mod member;
mod moments;
mod patch;
mod rectangle;
mod rods;
mod system;

pub use body::{Block, Body, Magnetised, Resolution, Rod};
pub use estimate::{AlloyGuess, estimate_alloy};
pub use grade::{Demagnetisation, GivenMaterial, Grade, Material};
pub(crate) use line::Line;
pub(crate) use member::{Source, Surfaces};
pub(crate) use patch::SeenFromFar;
pub use patch::{Charged, Patch, Shape, flux_density};
pub(crate) use rectangle::along;
pub use system::{Probe, Reduced, State, System};
