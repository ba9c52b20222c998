//! The rules of the trade that are not physics: readings, comparison, verdicts, the course of a run, and what many runs
//! tell together.
//!
//! Pure like `coil`: no clock, no database, no screen.
#![deny(missing_docs)]

pub mod calibration;
pub mod comparison;
pub mod consistency;
pub mod cooling;
pub mod diagnosis;
pub mod experiment;
pub mod explanation;
pub mod impedance_fit;
pub mod instrument;
pub mod judgement;
pub mod least_squares;
pub mod listening;
pub mod machine;
pub mod matching;
pub mod operation_times;
pub mod pairing;
pub mod plan;
pub mod reading;
pub mod run;
pub mod run_import;
pub mod run_record;
pub mod schedule;
pub mod spreadsheet;
pub mod stock;
pub mod sweep;
pub mod traveller;
pub mod verdict;
pub mod winding;
