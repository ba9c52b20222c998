//! The physics of pickup coils: wire, former, wind, poles, inductance, capacitance, response, bands.
//!
//! Pure computation: no clock, no files, no network, no unseeded randomness. A [`design::Design`] goes
//! in, a [`prediction::Prediction`] comes out. Inside formulas numbers are SI and carry their unit in the
//! name (`radius_m`, `freq_hz`); the newtypes of [`quantity`] stand at the edges.
//!
//! Source keys in square brackets (`[B258]`, `[Grover]` …) are listed in `docs/sources.md`.
#![deny(missing_docs)]

pub mod audition;
mod cache;
pub mod circuit;
pub mod design;
pub mod eddy;
mod factor;
pub mod former;
pub mod identification;
pub mod inductance;
pub mod magnet;
pub mod numeric;
pub mod prediction;
pub mod quantity;
pub mod search;
pub mod set;
pub mod string;
mod symmetry;
mod threads;
pub mod wind;
pub mod wire;
mod word;

pub use word::{Word, capital};

/// Version of the engine, written into every prediction.
pub const ENGINE: &str = env!("CARGO_PKG_VERSION");
