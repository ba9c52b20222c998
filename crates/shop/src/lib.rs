//! The rules of the trade that are not physics: readings, comparison, verdicts, the course of a run.
//!
//! Pure like `coil`: no clock, no database, no screen.
#![deny(missing_docs)]

pub mod comparison;
pub mod cooling;
pub mod machine;
pub mod reading;
pub mod run;
pub mod sweep;
pub mod traveller;
pub mod verdict;
pub mod winding;
