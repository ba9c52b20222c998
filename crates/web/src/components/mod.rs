//! Parts of pages that know the application: the frame, spreadsheets, the strip.

pub(crate) mod frame;
pub(crate) mod spreadsheet;
pub(crate) mod strip;
