//! Domain values as people read and type them: numbers with units, the table of figures, fields, the build sheet,
//! differences in words, drawings and plots. It knows no HTTP, no pages and no database, so that all of it is tested
//! without them.

pub mod differences;
pub mod drawing;
pub mod field;
pub mod field_map;
pub mod figures;
pub mod form_fields;
pub mod format;
pub mod plot;
pub mod read;
pub mod search_form;
pub mod share_facts;
pub mod sheet;
pub mod spreadsheet;
