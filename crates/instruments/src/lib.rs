//! Instruments on the bench: what each can be asked, drivers that ask over TCP, and a simulated bench behind the same
//! traits that ships with the application and answers on the same lines.
//!
//! The protocol is plain text, a line each way, in the manner of SCPI for meters and of ISO 6983 (G-code) for the winder;
//! `docs/formats.md` lists it. A serial device is reached through a bridge from serial to TCP.

pub mod net;
pub mod network;
pub mod server;
pub mod simulated;

use std::future::Future;
use std::time::Duration;
use thiserror::Error;

/// How long an instrument may take to answer.
pub const PATIENCE: Duration = Duration::from_secs(4);

/// Why an instrument did not read.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum InstrumentError {
    /// Nobody listens there.
    #[error("nothing answers at {address}: is it switched on, and is its address right?")]
    Unreachable {
        /// Host and port.
        address: String,
    },
    /// It was asked and did not answer in time.
    #[error("it did not answer within {seconds} s: it may be busy, or wait for a key")]
    Silent {
        /// How long it was waited for.
        seconds: u64,
    },
    /// The connection ended.
    #[error("the connection broke off; ask again")]
    Lost,
    /// It answered what cannot be understood.
    #[error("it answered “{reply}”, which is no reading")]
    Garbled {
        /// The answer, shortened.
        reply: String,
    },
    /// It answered that it cannot.
    #[error("it refused: {why}")]
    Refused {
        /// In its own words.
        why: String,
    },
}

/// Inductance and quality at a frequency, as a series circuit.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Inductive {
    /// Henries.
    pub henries: f64,
    /// Reactance over resistance.
    pub q: f64,
}

/// What an ohm meter shows.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Ohms {
    /// Ohms.
    Of(f64),
    /// No connection through the coil.
    Open,
}

/// What a winder is doing.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Winding {
    /// Turns on its counter.
    pub turns: u32,
    /// Turns per minute.
    pub rpm: f64,
    /// Tension, N; none where it has no gauge.
    pub tension_n: Option<f64>,
    /// What it is doing.
    pub state: WinderState,
}

/// What a winder can be doing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WinderState {
    /// Standing.
    Stopped,
    /// Turning.
    Running,
    /// It felt the tension go: the wire broke.
    WireBroke,
}

/// Answers of an instrument.
pub type Answer<T> = Result<T, InstrumentError>;

/// Every instrument says what it is.
pub trait Instrument: Send {
    /// Make, model, serial number, version, as it tells them.
    fn identify(&mut self) -> impl Future<Output = Answer<String>> + Send;
}

/// Reads inductance, and what its capacitance range shows.
pub trait LcrMeter: Instrument {
    /// At a test frequency, Hz.
    fn inductance(&mut self, hz: f64) -> impl Future<Output = Answer<Inductive>> + Send;
    /// What the capacitance range shows at a test frequency, farads.
    fn capacitance(&mut self, hz: f64) -> impl Future<Output = Answer<f64>> + Send;
}

/// Reads resistance.
pub trait OhmMeter: Instrument {
    /// At direct current.
    fn resistance(&mut self) -> impl Future<Output = Answer<Ohms>> + Send;
    /// Temperature of its probe on the coil, °C.
    fn temperature(&mut self) -> impl Future<Output = Answer<f64>> + Send;
}

/// Reads flux density under its probe.
pub trait Gaussmeter: Instrument {
    /// Tesla, north pole upwards positive.
    fn flux(&mut self) -> impl Future<Output = Answer<f64>> + Send;
}

/// Drives an exciter coil over a sweep of frequencies.
pub trait SweepAnalyser: Instrument {
    /// Frequencies, Hz, and levels, dB.
    fn sweep(
        &mut self,
        from_hz: f64,
        to_hz: f64,
        points: u32,
    ) -> impl Future<Output = Answer<Vec<(f64, f64)>>> + Send;
}

/// Turns the bobbin and counts.
pub trait Winder: Instrument {
    /// What it is doing.
    fn status(&mut self) -> impl Future<Output = Answer<Winding>> + Send;
    /// Runs at a speed, turns per minute; with `until`, only to that turn, where it stops by itself even when nobody can
    /// reach it any more.
    fn run(&mut self, rpm: f64, until: Option<u32>) -> impl Future<Output = Answer<()>> + Send;
    /// Stops.
    fn stop(&mut self) -> impl Future<Output = Answer<()>> + Send;
    /// Sets its counter.
    fn preset(&mut self, turns: u32) -> impl Future<Output = Answer<()>> + Send;
}
