//! Files for a motorised traverse, and the log of its counter.
//!
//! G-code after ISO 6983: millimetres, absolute; C is the spindle in turns, Z the guide over the lower flange.

use crate::winding::{FASTEST_RPM, is_possible_in};
use std::fmt::Write as _;

/// What a traverse can do.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Limits {
    /// Lowest and highest place of its guide, mm over the lower flange.
    pub travel_mm: (f64, f64),
    /// Most that the guide moves in one turn, mm.
    pub step_mm: f64,
    /// Most turns per minute.
    pub rpm: f64,
}

impl Default for Limits {
    /// A small bench machine (common practice, no source).
    fn default() -> Self {
        Self { travel_mm: (0.0, 40.0), step_mm: 8.0, rpm: 1500.0 }
    }
}

/// Why a guide plan is not for this machine.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum OutOfLimits {
    /// The guide would leave its travel.
    #[error("turn {turn} lies at {at_mm:.2} mm; the guide travels {low_mm:.2} to {high_mm:.2} mm")]
    Travel {
        /// Turn, from 1.
        turn: usize,
        /// Where it lies, mm.
        at_mm: f64,
        /// Lowest place, mm.
        low_mm: f64,
        /// Highest place, mm.
        high_mm: f64,
    },
    /// The guide would have to move too far in one turn.
    #[error(
        "the guide would move {step_mm:.2} mm in turn {turn}; it can do {most_mm:.2}: less wander, or more turns a pass"
    )]
    Step {
        /// Turn, from 1.
        turn: usize,
        /// How far, mm.
        step_mm: f64,
        /// How far it can, mm.
        most_mm: f64,
    },
    /// Faster than the spindle turns.
    #[error("{rpm:.0} turns a minute are more than the machine's {most:.0}")]
    Speed {
        /// Asked.
        rpm: f64,
        /// Can be.
        most: f64,
    },
    /// Nothing to wind.
    #[error("there are no turns in the plan")]
    Empty,
}

/// Checks a guide's path, mm over the lower flange by turn, against a machine.
///
/// # Errors
/// The first turn that the machine cannot lay.
pub fn check(path_mm: &[f64], rpm: f64, limits: &Limits) -> Result<(), OutOfLimits> {
    if path_mm.is_empty() {
        return Err(OutOfLimits::Empty);
    }
    if rpm > limits.rpm || rpm.is_nan() {
        return Err(OutOfLimits::Speed { rpm, most: limits.rpm });
    }
    let (low_mm, high_mm) = limits.travel_mm;
    for (k, &at_mm) in path_mm.iter().enumerate() {
        if !(low_mm..=high_mm).contains(&at_mm) {
            return Err(OutOfLimits::Travel { turn: k + 1, at_mm, low_mm, high_mm });
        }
        let step_mm = if k == 0 { 0.0 } else { (at_mm - path_mm[k - 1]).abs() };
        if step_mm > limits.step_mm {
            return Err(OutOfLimits::Step { turn: k + 1, step_mm, most_mm: limits.step_mm });
        }
    }
    Ok(())
}

/// The path as G-code with a stop at each of `stops`.
///
/// # Errors
/// As [`check`].
pub fn gcode(
    name: &str,
    path_mm: &[f64],
    stops: &[u32],
    rpm: f64,
    limits: &Limits,
) -> Result<String, OutOfLimits> {
    check(path_mm, rpm, limits)?;
    let mut text = String::with_capacity(path_mm.len() * 22);
    // A comment must not end early.
    let name: String = name.chars().filter(|c| !"()\r\n".contains(*c) && !c.is_control()).collect();
    // Writing to a string cannot fail.
    let _ = writeln!(text, "({name}: {} turns; C in turns, Z in mm over the lower flange)", path_mm.len());
    let _ = writeln!(text, "G21\nG90\nG92 C0\nG0 Z{:.3}\nM3 S{rpm:.0}", path_mm[0]);
    for (turn, z) in (1_u32..).zip(path_mm) {
        let _ = writeln!(text, "G1 C{turn} Z{z:.3}");
        if stops.contains(&turn) && (turn as usize) < path_mm.len() {
            let _ = writeln!(text, "M5\nM0 (turn {turn}: look at the guides)\nM3 S{rpm:.0}");
        }
    }
    text.push_str("M5\nM2\n");
    Ok(text)
}

/// The path as CSV: turn and place.
///
/// # Errors
/// As [`check`].
pub fn csv(path_mm: &[f64], rpm: f64, limits: &Limits) -> Result<String, OutOfLimits> {
    check(path_mm, rpm, limits)?;
    let mut text = String::from("turn,guide_mm\n");
    for (turn, z) in (1..).zip(path_mm) {
        let _ = writeln!(text, "{turn},{z:.3}");
    }
    Ok(text)
}

/// Reads a counter's log: a line for each entry, seconds and turns, parted by comma, semicolon, tab or blanks. Lines that
/// begin with a letter or `#` are headings. Answers the turns at its end, and how many lines it had.
///
/// ```
/// use trade::machine::counter_log;
/// assert_eq!(counter_log("seconds,turns\n0,0\n10,150\n20,310\n"), Ok((310, 3)));
/// assert!(counter_log("0;0\n10;-5").is_err());
/// ```
///
/// # Errors
/// The first line that cannot be, in words.
pub fn counter_log(text: &str) -> Result<(u32, usize), String> {
    let (mut turns, mut lines, mut seconds) = (0_u32, 0, f64::NEG_INFINITY);
    for (k, line) in text.lines().enumerate() {
        let line = line.trim();
        if line.is_empty() || line.starts_with(|c: char| c.is_alphabetic() || c == '#') {
            continue;
        }
        let parts: Vec<&str> =
            line.split([',', ';', '\t', ' ']).map(str::trim).filter(|p| !p.is_empty()).collect();
        let wrong = |why: &str| format!("Line {}: {why}: “{:.40}”.", k + 1, line);
        let [at, count] = parts[..] else { return Err(wrong("write seconds and turns")) };
        let at: f64 = at.parse().ok().ok_or_else(|| wrong("the seconds are no number"))?;
        let count: u32 = count.parse().ok().ok_or_else(|| wrong("the turns are no whole number"))?;
        if at < seconds || count < turns || count > 100_000 {
            return Err(wrong("time or turns run backwards, or there are more than 100,000"));
        }
        let (more, passed) = (count - turns, at - seconds);
        if lines > 0 && !is_possible_in(more, passed, FASTEST_RPM) {
            return Err(wrong("so many turns in that time are more than a winder can do"));
        }
        (seconds, turns, lines) = (at, count, lines + 1);
    }
    if lines == 0 { Err("There is no line of seconds and turns in it.".into()) } else { Ok((turns, lines)) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn a_plan_becomes_a_program() {
        let text = gcode("Sedge (r1)", &[0.25, 0.35, 0.45], &[2], 500.0, &Limits::default()).unwrap();
        let lines: Vec<&str> = text.lines().collect();
        assert_eq!(lines[0], "(Sedge r1: 3 turns; C in turns, Z in mm over the lower flange)");
        // ISO 6983-1: G21 millimetres, G90 absolute, M3 spindle on, M0 program stop, M5 spindle off, M2 end.
        assert_eq!(&lines[1..6], ["G21", "G90", "G92 C0", "G0 Z0.250", "M3 S500"]);
        assert_eq!(&lines[6..9], ["G1 C1 Z0.250", "G1 C2 Z0.350", "M5"]);
        assert_eq!(&lines[lines.len() - 3..], ["G1 C3 Z0.450", "M5", "M2"]);
        assert_eq!(
            csv(&[0.25, 0.35], 500.0, &Limits::default()).unwrap(),
            "turn,guide_mm\n1,0.250\n2,0.350\n"
        );
    }

    #[rstest]
    #[case(&[], 500.0, OutOfLimits::Empty)]
    #[case(&[1.0, 41.0], 500.0, OutOfLimits::Travel { turn: 2, at_mm: 41.0, low_mm: 0.0, high_mm: 40.0 })]
    #[case(&[1.0, 12.0], 500.0, OutOfLimits::Step { turn: 2, step_mm: 11.0, most_mm: 8.0 })]
    #[case(&[1.0], 2000.0, OutOfLimits::Speed { rpm: 2000.0, most: 1500.0 })]
    fn what_the_machine_cannot_do_is_said_before(
        #[case] path: &[f64],
        #[case] rpm: f64,
        #[case] why: OutOfLimits,
    ) {
        assert_eq!(check(path, rpm, &Limits::default()), Err(why));
    }

    #[test]
    fn a_counters_log() {
        assert_eq!(counter_log("seconds,turns\n0,10\n1.5,22\n2;30\n"), Ok((30, 3)));
        assert!(counter_log("0,10\n1,9\n").unwrap_err().contains("Line 2"));
        assert!(counter_log("0,ten\n").unwrap_err().contains("whole number"));
        assert!(counter_log("# nothing\n").is_err());
        assert!(counter_log("0,0\n1,70000\n").unwrap_err().contains("Line 2"), "nothing turns so fast");
    }
}
