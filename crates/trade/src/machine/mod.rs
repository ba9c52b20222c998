//! Files for a motorised traverse, a simulated controller that runs them, and the log of a counter.

mod controller;
mod counter;
mod file;
mod profile;

pub use controller::{Executed, Fault, Stopped, execute};
pub use counter::counter_log;
pub use file::{OutOfLimits, Plan, check, csv, gcode};
pub use profile::{Drive, MachineProfile, ProfileFault};
