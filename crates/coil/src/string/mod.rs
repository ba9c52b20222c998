//! Steel strings: how the poles magnetise them, what their motion induces, how they are plucked.

mod pluck;
mod wire_equation;

pub use pluck::{Pluck, note_hz, partial_speed_m_s, speed_rms_m_s, string_mass_kg_m};
pub use wire_equation::{Along, Linkage, Magnetisation, Steel};
