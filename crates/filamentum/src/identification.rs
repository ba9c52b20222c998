//! What an unknown pickup was, from the command line.

use crate::prediction::{OutputFormat, print, refuse, text_in};
use coil::Word as _;
use coil::identification::{Habits, Identification, identify, read};
use coil::prediction::{Calibration, Quantity};
use std::fmt::Write as _;
use std::path::Path;
use std::process::ExitCode;

/// Weighs the findings in a file and prints what the pickup can be.
pub(crate) fn run(file: &Path, format: OutputFormat) -> ExitCode {
    let found = text_in(file)
        .and_then(|text| read(&text))
        .and_then(|findings| identify(&findings, &Habits::default(), &Calibration::default()));
    match found {
        Ok(found) => print(format, &found, text),
        Err(problems) => refuse(&problems),
    }
}

fn banded(q: Quantity) -> String {
    format!("{:.0} ({:.0} to {:.0})", q.nominal, q.p05, q.p95)
}

/// The identification for people.
fn text(found: &Identification) -> String {
    let mut out = String::new();
    let mut line = |args: std::fmt::Arguments<'_>| {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "{args}");
    };
    let percent = |p: f64| format!("{:.0} %", 100.0 * p);
    let gauges: Vec<String> =
        found.marginal.gauge.iter().map(|g| format!("{} {}", g.value, percent(g.probability))).collect();
    line(format_args!("Wire: {}", gauges.join(", ")));
    line(format_args!("Turns: {}", banded(found.marginal.turns)));
    line(format_args!("Bare wire: {:.4} mm", found.marginal.wire_bare_mm.nominal));
    line(format_args!(""));
    line(format_args!("  Prob.  Wire      Enamel                  Build   Fault           Turns"));
    for c in found.candidates.iter().take(12) {
        line(format_args!(
            "{:>7}  {:<8}  {:<22}  {:<6}  {:<14}  {}",
            percent(c.probability),
            c.gauge.to_string(),
            c.insulation.spoken(),
            c.build.word(),
            c.fault.map_or_else(|| "none".to_owned(), coil::Word::spoken),
            banded(c.turns),
        ));
    }
    for fault in &found.faults {
        line(format_args!("Fault: {} {}", fault.value.spoken(), percent(fault.probability)));
    }
    for alloy in &found.alloy {
        line(format_args!("Fully charged it would be {} {}", alloy.value.word(), percent(alloy.probability)));
    }
    for doubt in &found.doubts {
        line(format_args!("Doubt: {}; {}", doubt.text, doubt.try_));
    }
    for next in &found.next {
        line(format_args!("Measure {} ({:.2} bits): {}", next.measure, next.expected_bits, next.why));
    }
    out
}
