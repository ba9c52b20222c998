//! Parts of pages that know the application: the frame and the strip.

pub(crate) mod frame;
pub(crate) mod strip;
pub(crate) mod supply;
