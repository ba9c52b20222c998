//! Magnetic parts: grades, their meshes, their interaction, remanent states and fields.

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
mod symmetry;
mod system;

pub use body::{Block, Body, Magnetised, Resolution, Rod};
pub use estimate::{AlloyGuess, estimate_alloy};
pub use grade::{Demagnetisation, GivenMaterial, Grade, Material};
pub(crate) use line::Line;
pub(crate) use member::{Source, Surfaces};
pub(crate) use patch::FarField;
pub use patch::{Charged, Patch, Shape, flux_density};
pub(crate) use rectangle::along;
pub use system::{Probe, Reduced, State, System};
