//! A part in the system of all magnetic parts.

use super::body::{Body, Cut};

/// One part in the system.
#[derive(Clone, Debug)]
pub(super) struct Member {
    pub body: Body,
    pub cut: Cut,
    /// Its first unknown among all.
    pub first: usize,
}
