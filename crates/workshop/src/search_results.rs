//! What a search for designs or sets found.

use coil::design::Design;
use coil::search::{Candidate, SearchSpace, TargetRange};
use coil::set::{Set, SetCandidate};

/// What a search found.
#[derive(Debug)]
pub struct SearchResults {
    /// The design that it started from.
    pub from: Design,
    /// What it was to become.
    pub targets: Vec<TargetRange>,
    /// What could change.
    pub space: SearchSpace,
    /// The candidates, the best first.
    pub candidates: Vec<Candidate>,
}

/// What a search for sets found.
#[derive(Debug)]
pub struct SetSearchResults {
    /// The set that it started from.
    pub from: Set,
    /// The candidates, the best first.
    pub candidates: Vec<SetCandidate>,
}
