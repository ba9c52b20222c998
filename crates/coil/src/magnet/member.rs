//! A part in the system of all magnetic parts.

use super::body::{Body, Cut};
use nalgebra::DMatrix;

/// One part in the system.
#[derive(Clone, Debug)]
pub(super) struct Member {
    pub body: Body,
    pub cut: Cut,
    /// Its first unknown among all.
    pub first: usize,
    /// Charge densities on its patches (rows) of its unknowns (columns).
    pub densities: DMatrix<f64>,
}

impl Member {
    /// A part as it is cut; its unknowns follow those of the parts before it.
    pub(super) fn new(body: Body, cut: Cut, first: usize) -> Self {
        let mut densities = DMatrix::zeros(cut.patches.len(), cut.unknowns);
        for (unknown, list) in cut.charges.iter().enumerate() {
            for &(patch, density) in list {
                densities[(patch, unknown)] += density;
            }
        }
        Self { body, cut, first, densities }
    }
}
