//! Parts of pages: fields, the frame, the strip, plots, the sheet, differences in words.

pub mod differences;
pub mod field;
pub mod figures;
pub mod frame;
pub mod plot;
pub mod read;
pub mod sheet;
pub mod spreadsheet;
pub mod strip;
