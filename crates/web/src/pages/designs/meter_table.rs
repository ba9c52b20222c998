//! What a meter shows on the finished pickup at the usual test frequencies, and how well hum is lost.

use crate::error::AppError;
use crate::respond::render;
use askama::Template;
use coil::prediction::PickupPrediction;
use coil::quantity::fixed;
use presentation::format::{HENRY, KILOOHM, PICOFARAD, rejection};

#[derive(Template)]
#[template(path = "designs/_meter.html")]
struct MeterTable {
    rows: Vec<Row>,
    /// Empty for a single coil.
    hum: String,
}

struct Row {
    at: String,
    inductance: String,
    resistance: String,
    q: String,
    capacitance: String,
}

/// A capacitance as a meter shows it: nothing where it is negative.
fn capacitance_text(farads: f64) -> String {
    match farads {
        f if f <= 0.0 => "–".into(),
        f if f < 1e-9 => PICOFARAD.text(f),
        f => format!("{}\u{a0}nF", fixed(f * 1e9, 1)),
    }
}

/// The table as markup.
pub(super) fn meter_table(pickup: &PickupPrediction) -> Result<String, AppError> {
    let rows = pickup.meter.iter().map(|m| Row {
        at: if m.at_hz < 1000.0 { format!("{:.0} Hz", m.at_hz) } else { format!("{:.0} kHz", m.at_hz / 1e3) },
        inductance: HENRY.text(m.ls_h),
        resistance: KILOOHM.text(m.rs_ohm),
        q: fixed(m.q, 2),
        capacitance: capacitance_text(m.capacitance_mode_f),
    });
    let hum = pickup.hum_rejection_db.map_or_else(String::new, rejection);
    render(&MeterTable { rows: rows.collect(), hum })
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, starting_point};

    #[test]
    fn a_row_for_each_test_frequency_and_the_hum_of_a_pair() {
        let pickup =
            |kind| coil::prediction::predict(&starting_point(kind, "Sedge", 6, 10.4)).map(|p| p.pickup);
        let table = |kind| pickup(kind).ok().and_then(|p| meter_table(&p).ok()).unwrap_or_default();
        let (single, twin) = (table(Format::TallSingle), table(Format::TwinCoil));
        for text in [&single, &twin] {
            assert_eq!(text.matches("scope=\"row\"").count(), 4);
            assert!(text.contains("120 Hz") && text.contains("10 kHz"));
        }
        assert!(!single.contains("hum") && twin.contains("hum"));
    }

    #[test]
    fn capacitances_as_meters_show_them() {
        assert_eq!(capacitance_text(42e-12), "42\u{a0}pF");
        assert_eq!(capacitance_text(203e-9), "203\u{a0}nF");
        assert_eq!(capacitance_text(-1e-9), "–");
    }
}
