//! Readings as a run's page shows them.

use coil::quantity::{Units, fixed};
use presentation::format::{self, HENRY, KILOOHM, PICOFARAD, Scale};
use store::reading::ReadingRow;
use trade::reading::Kind;

/// A row of the log.
#[derive(Clone)]
pub(super) struct LogRow {
    /// Number of the reading.
    pub id: u64,
    /// What was read.
    pub kind: Kind,
    /// Its name, with the pole.
    pub name: String,
    /// Its value with unit.
    pub value: String,
    /// Under which conditions it was read.
    pub condition: String,
    /// Remark.
    pub words: String,
    /// The instrument that made it; empty where it was typed.
    pub instrument: String,
    /// Who logged it.
    pub by: String,
    /// When.
    pub when: String,
    /// The same for machines.
    pub when_iso: String,
    /// Whether a later reading corrects it.
    pub struck: bool,
    /// The reading that it corrects.
    pub corrects: Option<u64>,
}

/// The name of a reading.
pub(super) fn reading_name(kind: Kind, pole: Option<u32>) -> String {
    match (kind, pole) {
        (Kind::Turns, _) => "Turns".into(),
        (Kind::Resistance, _) => "Resistance".into(),
        (Kind::Open, _) => "Open coil".into(),
        (Kind::Inductance, _) => "Inductance".into(),
        (Kind::Flux, Some(pole)) => format!("Flux, pole {pole}"),
        (Kind::Flux, None) => "Flux".into(),
        (Kind::Capacitance, _) => "Capacitance".into(),
        (Kind::Width, _) => "Width of the coil".into(),
        (Kind::Length, _) => "Length of the coil".into(),
        (Kind::Remark, _) => "Remark".into(),
    }
}

/// How a reading is written; `None` for counts and words.
pub(super) fn scale(kind: Kind, units: Units) -> Option<Scale> {
    match kind {
        Kind::Resistance => Some(KILOOHM.finer()),
        Kind::Inductance => Some(HENRY.finer()),
        Kind::Flux => Some(Scale::flux(units)),
        Kind::Capacitance => Some(PICOFARAD),
        Kind::Width | Kind::Length => Some(Scale::length(units)),
        _ => None,
    }
}

/// A reading as the log shows it.
pub(super) fn log_row(logged: &ReadingRow, stands: bool, units: Units) -> LogRow {
    let reading = &logged.reading;
    let value = match (reading.value, scale(reading.kind, units)) {
        (Some(value), Some(scale)) => scale.text(value),
        (Some(value), None) => format::turns(value),
        (None, _) => String::new(),
    };
    let mut condition = Vec::new();
    if let Some(c) = reading.coil_c {
        condition.push(format!("coil at {}", units.temperature(c, 1)));
    }
    if let Some(hz) = reading.test_hz {
        condition.push(format!("at {} Hz", fixed(hz, 0)));
    }
    if let Some(mm) = reading.probe_mm {
        condition.push(format!("{} above", units.length(mm, 2)));
    }
    LogRow {
        id: reading.id,
        kind: reading.kind,
        name: reading_name(reading.kind, reading.pole),
        value,
        condition: condition.join(", "),
        words: logged.words.clone(),
        instrument: logged.instrument.clone().unwrap_or_default(),
        by: logged.taken_by.clone(),
        when: format::moment(logged.taken_at),
        when_iso: format::iso(logged.taken_at),
        struck: !stands,
        corrects: reading.corrects,
    }
}
