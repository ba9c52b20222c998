//! Poles: grades, how rods magnetise, and the flux density they give.

mod charge;
mod grade;
mod held;
mod rods;

pub use charge::{Sheet, flux_density};
pub use grade::{Demagnetisation, GivenMaterial, Grade, Material};
pub use held::Held;
pub use rods::{Rod, Rods};
