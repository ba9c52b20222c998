//! What findings tell, as markup.

use crate::error::AppError;
use crate::respond::render;
use askama::Template;
use coil::Word as _;
use coil::design::Problem;
use coil::identification::{Doubt, Identification, Measurand};
use coil::prediction::Quantity;
use coil::quantity::Units;
use presentation::format::{self, HENRY, KILOHERTZ, KILOOHM};

/// Explanations that are shown.
const SHOWN: usize = 8;
/// A reading within so many standard deviations speaks for an explanation, beyond so many against it.
const SPEAKS_FOR: f64 = 1.0;
const SPEAKS_AGAINST: f64 = 2.0;

/// A share with its bar.
struct Share {
    name: String,
    percent: String,
    width: f64,
}

/// A reading beside what an explanation predicts.
struct Beside {
    name: &'static str,
    predicted: String,
    class: &'static str,
    off: String,
}

/// An explanation.
struct Row {
    place: usize,
    wire: String,
    fault: String,
    turns: String,
    percent: String,
    readings: Vec<Beside>,
}

/// A measurement that would tell.
struct Next {
    field: &'static str,
    name: &'static str,
    bits: String,
    width: f64,
    why: String,
}

#[derive(Template)]
#[template(path = "rewinds/_ranking.html")]
struct Ranking {
    problems: Vec<String>,
    headline: String,
    turns: String,
    bare: String,
    is_sure: bool,
    faults: Vec<Share>,
    gauges: Vec<Share>,
    rows: Vec<Row>,
    /// What does not go together, and what to do about it.
    doubts: Vec<(String, String)>,
    next: Vec<Next>,
    alloys: Vec<Share>,
    can_choose: bool,
    has_readings: bool,
}

fn doubt(doubt: &Doubt, units: Units) -> (String, String) {
    let text = units.sentence(&doubt.text);
    let mut letters = text.chars();
    let first = letters.next().map_or_else(String::new, |c| c.to_uppercase().collect());
    (format!("{first}{}", letters.as_str()), doubt.try_.clone())
}

fn percent(p: f64) -> String {
    if p > 0.995 { "over 99 %".to_owned() } else { format!("{:.0} %", 100.0 * p) }
}

fn share(name: String, p: f64) -> Share {
    Share { name, percent: percent(p), width: 100.0 * p }
}

/// What a quantity is called on the sheet.
pub(super) const fn name_of(what: Measurand) -> &'static str {
    match what {
        Measurand::ResistanceOhm => "resistance",
        Measurand::InductanceH => "inductance",
        Measurand::OuterWidthMm => "width over the winding",
        Measurand::OuterLengthMm => "length over the winding",
        Measurand::WireOverallMm => "wire over its enamel",
        Measurand::WireBareMm => "bare wire",
        Measurand::WireOhmPerM => "ohms of a metre",
        Measurand::WireMassG => "weight of the wire",
        Measurand::Turns => "turns counted",
        Measurand::PeakHz => "peak",
        Measurand::CapacitancePf => "capacitance",
    }
}

fn short_name(what: Measurand) -> &'static str {
    match what {
        Measurand::ResistanceOhm => "R",
        Measurand::InductanceH => "L",
        Measurand::CapacitancePf => "C",
        Measurand::OuterWidthMm => "width",
        Measurand::OuterLengthMm => "length",
        Measurand::WireOverallMm => "wire",
        Measurand::WireBareMm => "bare",
        Measurand::WireOhmPerM => "Ω/m",
        Measurand::WireMassG => "weight",
        Measurand::Turns => "turns",
        Measurand::PeakHz => "peak",
    }
}

/// A number of a quantity in the workshop's units.
pub(super) fn amount(what: Measurand, value: f64, units: Units) -> String {
    match what {
        Measurand::ResistanceOhm => KILOOHM.text(value),
        Measurand::InductanceH => HENRY.text(value),
        Measurand::OuterWidthMm | Measurand::OuterLengthMm => units.length(value, 1),
        Measurand::WireOverallMm | Measurand::WireBareMm => units.length(value, 4),
        Measurand::WireOhmPerM => format!("{value:.2} Ω/m"),
        Measurand::WireMassG => units.mass(value, 1),
        Measurand::Turns => format::turns(value.round()),
        Measurand::PeakHz => KILOHERTZ.text(value),
        Measurand::CapacitancePf => format!("{value:.0} pF"),
    }
}

fn banded_turns(q: &Quantity) -> String {
    let round = |v: f64| (v / 10.0).round() * 10.0;
    format!(
        "{} ({} to {})",
        format::turns(round(q.nominal)),
        format::turns(round(q.p05)),
        format::turns(round(q.p95))
    )
}

/// The ranking; `can_choose` where one of them can be settled on.
pub(super) fn ranking(
    found: &Result<Identification, Vec<Problem>>,
    can_choose: bool,
    has_readings: bool,
    units: Units,
) -> Result<String, AppError> {
    let empty = Ranking {
        problems: Vec::new(),
        headline: String::new(),
        turns: String::new(),
        bare: String::new(),
        is_sure: false,
        faults: Vec::new(),
        gauges: Vec::new(),
        rows: Vec::new(),
        doubts: Vec::new(),
        next: Vec::new(),
        alloys: Vec::new(),
        can_choose,
        has_readings,
    };
    match found {
        Err(problems) => render(&Ranking {
            problems: problems.iter().map(|p| format!("{}; {}.", p.text, p.try_)).collect(),
            ..empty
        }),
        Ok(found) => {
            let first = found.candidates.first();
            let most = found.next.iter().map(|n| n.expected_bits).fold(0.01, f64::max);
            render(&Ranking {
                headline: first.map_or_else(String::new, |c| {
                    let gauge = found.marginal.gauge.first().map_or(0.0, |g| g.probability);
                    format!("{}, {}", c.gauge, percent(gauge))
                }),
                is_sure: found.marginal.gauge.first().is_some_and(|g| g.probability > 0.9),
                turns: banded_turns(&found.marginal.turns),
                bare: units.length(found.marginal.wire_bare_mm.nominal, 4),
                faults: found.faults.iter().map(|f| share(f.value.spoken(), f.probability)).collect(),
                gauges: found
                    .marginal
                    .gauge
                    .iter()
                    .take(6)
                    .map(|g| share(g.value.to_string(), g.probability))
                    .collect(),
                rows: found
                    .candidates
                    .iter()
                    .take(SHOWN)
                    .enumerate()
                    .map(|(place, c)| row(place, c, units))
                    .collect(),
                doubts: found.doubts.iter().map(|d| doubt(d, units)).collect(),
                next: found.next.iter().filter_map(|n| next(n, most, units)).collect(),
                alloys: found.alloy.iter().map(|a| share(a.value.spoken(), a.probability)).collect(),
                ..empty
            })
        }
    }
}

fn row(place: usize, c: &coil::identification::Candidate, units: Units) -> Row {
    let readings = c.predicted.iter().filter_map(|(key, q)| {
        let what: Measurand = key.parse().ok()?;
        let off = c.misfit.get(key).copied().unwrap_or_default();
        Some(Beside {
            name: short_name(what),
            predicted: amount(what, q.nominal, units),
            class: if off.abs() < SPEAKS_FOR {
                "for"
            } else if off.abs() < SPEAKS_AGAINST {
                "open"
            } else {
                "against"
            },
            off: format!("{off:+.1}").replace('-', "−"),
        })
    });
    Row {
        place,
        wire: format!("{}, {}, {} build", c.gauge, c.insulation.spoken(), c.build.word()),
        fault: c.fault.map_or_else(String::new, coil::Word::spoken),
        turns: banded_turns(&c.turns),
        percent: percent(c.probability),
        readings: readings.collect(),
    }
}

fn next(one: &coil::identification::NextMeasurement, most: f64, units: Units) -> Option<Next> {
    let what: Measurand = one.measure.parse().ok()?;
    Some(Next {
        field: match what {
            // These are asked for by what is read, not by what follows of it.
            Measurand::WireOhmPerM => "wire_ohm",
            Measurand::CapacitancePf => "second_peak_hz",
            what => what.key(),
        },
        name: name_of(what),
        bits: format!("{:.1}", one.expected_bits),
        width: 100.0 * one.expected_bits / most,
        why: units.sentence(&one.why).into_owned(),
    })
}
