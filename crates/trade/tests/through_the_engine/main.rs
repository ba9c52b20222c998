//! The rules of the trade together with the engine.
#![allow(clippy::unwrap_used, reason = "a test says what is missing by failing")]

mod judgement;
mod machine_file;
mod rules;
