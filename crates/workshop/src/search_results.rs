//! What a search for designs found.

use coil::design::Design;
use coil::search::Candidate;

/// What a search found.
#[derive(Debug)]
pub struct SearchResults {
    /// The design that it started from.
    pub from: Design,
    /// The candidates, the best first.
    pub candidates: Vec<Candidate>,
}
