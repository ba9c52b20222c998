//! Parts of pages that know the application: the frame, the strip, and the answer to a form that is filled in.

pub(crate) mod frame;
pub(crate) mod live_form;
pub(crate) mod strip;
pub(crate) mod supply;
