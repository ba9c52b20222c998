//! The coils in their circuit: response, resonance, load, what meters show, netlist.

mod meter;
mod netlist;
mod network;
mod peak;
mod swept;

pub use meter::{MeterReading, capacitance_from_resonances, read_impedance};
pub use netlist::netlist;
pub(crate) use netlist::netlist_of_set;
pub use network::{InstrumentInput, Join, LoadCircuit, Network, NetworkCoil, Source};
pub use peak::Peak;
