//! A schedule of work, from the command line.

use crate::prediction::{OutputFormat, print};
use std::fmt::Write as _;
use std::path::Path;
use std::process::ExitCode;
use trade::schedule::{Schedule, read, schedule, schedule_at_once};

/// Schedules the work in a file and prints it; `is_quick` leaves it at the first plan.
pub(crate) fn run(file: &Path, format: OutputFormat, is_quick: bool) -> ExitCode {
    let text = match crate::prediction::text_in(file) {
        Ok(text) => text,
        Err(problems) => return crate::prediction::refuse(&problems),
    };
    let found = read(&text).and_then(|work| if is_quick { schedule_at_once(&work) } else { schedule(&work) });
    match found {
        Ok(found) => print(format, &found, table),
        Err(problems) => {
            println!("{}", serde_json::json!({ "errors": problems }));
            ExitCode::from(2)
        }
    }
}

/// The schedule for people.
fn table(found: &Schedule) -> String {
    let mut out = String::new();
    for o in &found.operations {
        // Writing to a String cannot fail.
        let _ = writeln!(
            out,
            "{} to {}  {:<32} {:>2}  {}",
            o.start,
            o.end,
            o.job,
            o.operation + 1,
            o.resources.join(", ")
        );
    }
    for job in &found.jobs {
        let late =
            if job.late_minutes > 0 { format!(", {} minutes late", job.late_minutes) } else { String::new() };
        let _ = writeln!(out, "{}: ready {}{late}", job.name, job.ready);
    }
    let _ = writeln!(
        out,
        "Weighted lateness {:.0} minutes (at least {:.0}), all ready after {} minutes{}",
        found.weighted_lateness_minutes,
        found.lower_bound_minutes,
        found.makespan_minutes,
        found.bottleneck.as_ref().map_or_else(String::new, |b| format!(", held back by {b}"))
    );
    out
}
