//! Readings in words.

use super::findings::Measurand;

/// A number in its document's unit, rounded as it is read.
pub(super) fn amount(what: Measurand, value: f64) -> String {
    match what {
        Measurand::ResistanceOhm => format!("{:.2} kΩ", value / 1e3),
        Measurand::InductanceH => format!("{value:.2} H"),
        Measurand::OuterWidthMm | Measurand::OuterLengthMm => format!("{value:.1} mm"),
        Measurand::WireOverallMm | Measurand::WireBareMm => format!("{value:.3} mm"),
        Measurand::WireOhmPerM => format!("{value:.2} Ω/m"),
        Measurand::WireMassG => format!("{value:.1} g"),
        Measurand::Turns => format!("{value:.0} turns"),
        Measurand::PeakHz => format!("{value:.0} Hz"),
        Measurand::CapacitancePf => format!("{value:.0} pF"),
    }
}

/// What a quantity is called in a sentence.
pub(super) const fn name(what: Measurand) -> &'static str {
    match what {
        Measurand::ResistanceOhm => "the resistance",
        Measurand::InductanceH => "the inductance",
        Measurand::OuterWidthMm => "the width over the winding",
        Measurand::OuterLengthMm => "the length over the winding",
        Measurand::WireOverallMm => "the wire over its enamel",
        Measurand::WireBareMm => "the bare wire",
        Measurand::WireOhmPerM => "a metre of the wire",
        Measurand::WireMassG => "the weight of the wire",
        Measurand::Turns => "the count of turns",
        Measurand::PeakHz => "the peak",
        Measurand::CapacitancePf => "the capacitance",
    }
}
