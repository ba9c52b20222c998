//! The engine against the outside: one file per source.

#![allow(clippy::unwrap_used, reason = "a reference that cannot be read must fail the test")]

mod common_practice;
mod document;
mod finite_elements;
mod laws;
mod monte_carlo;
mod notices;
mod physical_sense;
mod self_capacitance;

/// Reads one of the committed reference files, which say in their `provenance` where they come from.
fn reference(text: &str) -> serde_json::Value {
    serde_json::from_str(text).expect("a committed reference file is JSON")
}
