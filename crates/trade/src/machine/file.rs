//! A guide's path as a file that a controller runs: G-code after ISO 6983, or CSV.

use super::profile::{Drive, MachineProfile};
use std::fmt::Write as _;

/// What is to be laid.
#[derive(Clone, Copy, Debug)]
pub struct Plan<'a> {
    /// What it is, for the file's first comment.
    pub name: &'a str,
    /// Place of the guide in every turn, mm over the inner face of the lower flange.
    pub path_mm: &'a [f64],
    /// Whether the coil is wound clockwise, seen from above.
    pub clockwise: bool,
    /// Where to stop and look, in turns.
    pub stops: &'a [u32],
    /// Turns per minute.
    pub rpm: f64,
}

/// Why a guide plan is not for this machine.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum OutOfLimits {
    /// The guide would leave its travel.
    #[error(
        "turn {turn} lies at {at_mm:.2} mm of the machine; its guide travels {low_mm:.2} to {high_mm:.2} mm"
    )]
    Travel {
        /// Turn, from 1.
        turn: usize,
        /// Where it lies in the machine's coordinate, mm.
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
    /// Faster or slower than the spindle turns.
    #[error("{rpm:.0} turns a minute; the machine turns {least:.0} to {most:.0}")]
    Speed {
        /// Asked.
        rpm: f64,
        /// Can be.
        least: f64,
        /// Can be.
        most: f64,
    },
    /// The machine's profile cannot be.
    #[error("the machine's profile is not complete")]
    Profile,
    /// The file does not run as it should, by the simulated controller: a header or footer is in its way.
    #[error("a controller would stop at line {line} of the file: look at the machine's header and footer")]
    NotRunnable {
        /// From 1.
        line: usize,
    },
    /// Nothing to wind.
    #[error("there are no turns in the plan")]
    Empty,
}

/// Checks a plan against a machine.
///
/// # Errors
/// The first turn that the machine cannot lay.
pub fn check(plan: &Plan<'_>, machine: &MachineProfile) -> Result<(), OutOfLimits> {
    if !machine.faults().is_empty() {
        return Err(OutOfLimits::Profile);
    }
    if plan.path_mm.is_empty() {
        return Err(OutOfLimits::Empty);
    }
    let (least, most) = machine.rpm;
    // Written so that what is no number is refused as well.
    if !(least..=most).contains(&plan.rpm) {
        return Err(OutOfLimits::Speed { rpm: plan.rpm, least, most });
    }
    let (low_mm, high_mm) = machine.travel_mm;
    for (k, &place_mm) in plan.path_mm.iter().enumerate() {
        let at_mm = place_mm + machine.flange_at_mm;
        if !(low_mm..=high_mm).contains(&at_mm) {
            return Err(OutOfLimits::Travel { turn: k + 1, at_mm, low_mm, high_mm });
        }
        let step_mm = if k == 0 { 0.0 } else { (place_mm - plan.path_mm[k - 1]).abs() };
        if step_mm > machine.step_mm {
            return Err(OutOfLimits::Step { turn: k + 1, step_mm, most_mm: machine.step_mm });
        }
    }
    Ok(())
}

/// Degrees in a turn.
const TURN_DEGREES: u64 = 360;
/// Least way of the guide in a turn where its feed follows the spindle, mm: without a way there is no turn.
const LEAST_WAY_MM: f64 = 0.001;

/// The path as G-code with a stop at each of the plan's stops: millimetres and absolute places. A rotary axis goes 360 degrees a
/// turn under inverse time feed (G93), which says how long a move of both axes takes whatever they measure; a synchronised guide
/// goes by feed a turn (G95) while the spindle runs.
///
/// # Errors
/// As [`check`].
pub fn gcode(plan: &Plan<'_>, machine: &MachineProfile) -> Result<String, OutOfLimits> {
    check(plan, machine)?;
    let mut text = String::with_capacity(plan.path_mm.len() * 28);
    // A comment must not end early, and old controllers read ASCII alone.
    let name: String =
        plan.name.chars().filter(|c| (c.is_ascii_graphic() || *c == ' ') && !"()".contains(*c)).collect();
    // Writing to a string cannot fail.
    let _ = writeln!(text, "({name:.120}: {} turns)", plan.path_mm.len());
    for line in &machine.header {
        let _ = writeln!(text, "{line}");
    }
    let at = |k: usize| plan.path_mm[k] + machine.flange_at_mm;
    let guide = machine.guide;
    let _ = writeln!(text, "G21\nG90\nG94\nG0 {guide}{:.3}", at(0));
    match machine.drive {
        Drive::RotaryAxis => with_rotary_axis(&mut text, plan, machine, at),
        Drive::SynchronisedFeed => with_synchronised_feed(&mut text, plan, machine, at),
    }
    let _ = writeln!(text, "G94");
    for line in &machine.footer {
        let _ = writeln!(text, "{line}");
    }
    text.push_str("M2\n");
    Ok(text)
}

fn stops_at(plan: &Plan<'_>, turn: u32) -> bool {
    plan.stops.contains(&turn) && (turn as usize) < plan.path_mm.len()
}

fn with_rotary_axis(text: &mut String, plan: &Plan<'_>, machine: &MachineProfile, at: impl Fn(usize) -> f64) {
    let (rotary, guide) = (machine.rotary, machine.guide);
    let sign = if plan.clockwise == machine.positive_is_clockwise { "" } else { "-" };
    let _ = writeln!(text, "G92 {rotary}0\nG93");
    for (k, turn) in (0..plan.path_mm.len()).zip(1_u32..) {
        let degrees = u64::from(turn) * TURN_DEGREES;
        let _ = writeln!(text, "G1 {rotary}{sign}{degrees} {guide}{:.3} F{:.2}", at(k), plan.rpm);
        if stops_at(plan, turn) {
            let _ = writeln!(text, "M0 (turn {turn}: look at the guides)");
        }
    }
}

fn with_synchronised_feed(
    text: &mut String,
    plan: &Plan<'_>,
    machine: &MachineProfile,
    at: impl Fn(usize) -> f64,
) {
    let start = if plan.clockwise == machine.positive_is_clockwise { "M3" } else { "M4" };
    let _ = writeln!(text, "G95\n{start} S{:.0}", plan.rpm);
    // What was rounded away is made up for in the next turn.
    let mut stands = (at(0) * 1e3).round() / 1e3;
    for (k, turn) in (0..plan.path_mm.len()).zip(1_u32..) {
        let mut to = (at(k) * 1e3).round() / 1e3;
        if (to - stands).abs() < LEAST_WAY_MM / 2.0 {
            to = if to + LEAST_WAY_MM <= machine.travel_mm.1 { to + LEAST_WAY_MM } else { to - LEAST_WAY_MM };
        }
        let _ = writeln!(text, "G1 {}{to:.3} F{:.3}", machine.guide, (to - stands).abs());
        stands = to;
        if stops_at(plan, turn) {
            let _ = writeln!(text, "M5\nM0 (turn {turn}: look at the guides)\n{start} S{:.0}", plan.rpm);
        }
    }
    let _ = writeln!(text, "M5");
}

/// The path as CSV: turn, and place in the machine's coordinate.
///
/// # Errors
/// As [`check`].
pub fn csv(plan: &Plan<'_>, machine: &MachineProfile) -> Result<String, OutOfLimits> {
    check(plan, machine)?;
    let mut text = String::from("turn,guide_mm\n");
    for (turn, place) in (1..).zip(plan.path_mm) {
        let _ = writeln!(text, "{turn},{:.3}", place + machine.flange_at_mm);
    }
    Ok(text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn plan(path_mm: &[f64], rpm: f64) -> Plan<'_> {
        Plan { name: "Sedge (r1) ♯", path_mm, clockwise: true, stops: &[2], rpm }
    }

    /// ISO 6983-1: G21 millimetres, G90 absolute, G93 inverse time, G94 per minute, M0 program stop, M2 end.
    #[test]
    fn a_plan_becomes_a_program() {
        let machine =
            MachineProfile { flange_at_mm: 5.0, header: vec!["G54".into()], ..MachineProfile::default() };
        let text = gcode(&plan(&[0.25, 0.35, 0.45], 500.0), &machine).unwrap();
        let lines: Vec<&str> = text.lines().collect();
        assert_eq!(lines[0], "(Sedge r1 : 3 turns)");
        assert_eq!(&lines[1..8], ["G54", "G21", "G90", "G94", "G0 Z5.250", "G92 C0", "G93"]);
        assert_eq!(&lines[8..10], ["G1 C360 Z5.250 F500.00", "G1 C720 Z5.350 F500.00"]);
        assert!(lines[10].starts_with("M0 "));
        assert_eq!(&lines[lines.len() - 3..], ["G1 C1080 Z5.450 F500.00", "G94", "M2"]);
        let other = Plan { clockwise: false, ..plan(&[0.25], 500.0) };
        assert!(gcode(&other, &machine).unwrap().contains("G1 C-360 "));
        assert_eq!(csv(&plan(&[0.25, 0.35], 500.0), &machine).unwrap(), "turn,guide_mm\n1,5.250\n2,5.350\n");
    }

    #[rstest]
    #[case(&[], 500.0, OutOfLimits::Empty)]
    #[case(&[1.0, 41.0], 500.0, OutOfLimits::Travel { turn: 2, at_mm: 41.0, low_mm: 0.0, high_mm: 40.0 })]
    #[case(&[1.0, 12.0], 500.0, OutOfLimits::Step { turn: 2, step_mm: 11.0, most_mm: 8.0 })]
    #[case(&[1.0], 2000.0, OutOfLimits::Speed { rpm: 2000.0, least: 10.0, most: 1500.0 })]
    #[case(&[1.0], 0.0, OutOfLimits::Speed { rpm: 0.0, least: 10.0, most: 1500.0 })]
    #[case(&[1.0], -100.0, OutOfLimits::Speed { rpm: -100.0, least: 10.0, most: 1500.0 })]
    fn what_the_machine_cannot_do_is_said_before(
        #[case] path: &[f64],
        #[case] rpm: f64,
        #[case] why: OutOfLimits,
    ) {
        assert_eq!(check(&plan(path, rpm), &MachineProfile::default()), Err(why));
        assert!(check(&plan(&[1.0], f64::NAN), &MachineProfile::default()).is_err());
    }
}
