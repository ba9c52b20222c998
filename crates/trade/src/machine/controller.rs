//! A simulated controller: it runs a file as a plain one would, and says what the machine does, or where it would stop or guess.

use std::collections::BTreeMap;

/// What a file made the machine do.
#[derive(Clone, Debug, PartialEq)]
pub struct Executed {
    /// Where the guide stood at the end of every turn of the spindle, in the machine's coordinate, mm.
    pub turns_mm: Vec<f64>,
    /// After which turns it stopped.
    pub stops: Vec<u32>,
    /// How long it took, min.
    pub minutes: f64,
    /// Whether the spindle turned in its positive sense, or by M3.
    pub positive: bool,
}

/// Why a controller would stop or guess.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Fault {
    /// A line that cannot be read.
    Unreadable,
    /// A code that not every controller knows.
    UnknownCode,
    /// A move before the unit was said.
    NoUnit,
    /// A move without a feed, or with one that is not greater than 0.
    NoFeed,
    /// A line under inverse time feed without its time.
    NoTime,
    /// The spindle runs by itself while it is moved as an axis.
    SpindleAndAxis,
    /// The spindle turns back.
    TurnsBack,
    /// Something comes after the end.
    AfterEnd,
    /// There is no end.
    NoEnd,
}

/// Where a controller would stop or guess.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stopped {
    /// Line, from 1.
    pub line: usize,
    /// Why.
    pub fault: Fault,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Feed {
    PerMinute,
    PerTurn,
    InverseTime,
}

/// Degrees in a turn.
const TURN: f64 = 360.0;
/// Ways below this are none, mm or degrees.
const NOTHING: f64 = 1e-9;

struct Machine {
    rotary: char,
    guide: char,
    at: BTreeMap<char, f64>,
    mm_per_unit: Option<f64>,
    is_absolute: bool,
    is_fast: Option<bool>,
    mode: Feed,
    feed: Option<f64>,
    /// Sense of a spindle that runs by itself.
    spindle: Option<bool>,
    /// Its speed, turns a minute.
    speed: f64,
    /// Turns of the spindle so far, and the guide's place where the last move began.
    turned: f64,
    done: Executed,
    sense: Option<bool>,
}

/// Runs a file on a machine with these letters for its rotary axis and its guide.
///
/// ```
/// use trade::machine::execute;
/// let done = execute("G21\nG90\nG93\nG1 C360 Z0.5 F500\nG1 C720 Z0.6 F500\nM2\n", 'C', 'Z').unwrap();
/// assert_eq!(done.turns_mm, [0.5, 0.6]);
/// assert!((done.minutes - 2.0 / 500.0).abs() < 1e-12);
/// assert!(execute("G21\nG1 C360 Z0.5\nM2\n", 'C', 'Z').is_err(), "without a feed");
/// ```
///
/// # Errors
/// The first line at which a controller would stop or guess.
pub fn execute(text: &str, rotary: char, guide: char) -> Result<Executed, Stopped> {
    let mut machine = Machine {
        rotary,
        guide,
        at: BTreeMap::new(),
        mm_per_unit: None,
        is_absolute: true,
        is_fast: None,
        mode: Feed::PerMinute,
        feed: None,
        spindle: None,
        speed: 0.0,
        turned: 0.0,
        done: Executed { turns_mm: Vec::new(), stops: Vec::new(), minutes: 0.0, positive: true },
        sense: None,
    };
    let (mut has_ended, mut last) = (false, 0);
    for (line, raw) in (1..).zip(text.lines()) {
        last = line;
        let stopped = |fault| Stopped { line, fault };
        let words = words(raw).ok_or_else(|| stopped(Fault::Unreadable))?;
        if words.is_empty() {
            continue;
        }
        if has_ended {
            return Err(stopped(Fault::AfterEnd));
        }
        has_ended = machine.line(&words).map_err(stopped)?;
    }
    if has_ended { Ok(machine.done) } else { Err(Stopped { line: last.max(1), fault: Fault::NoEnd }) }
}

/// The words of a line: letters with their numbers, comments left out. `None` where it is anything else.
fn words(raw: &str) -> Option<Vec<(char, f64)>> {
    let mut code = String::new();
    let mut is_comment = false;
    for c in raw.chars() {
        match c {
            '(' if !is_comment => is_comment = true,
            ')' if is_comment => is_comment = false,
            ';' if !is_comment => break,
            _ if !is_comment => code.push(c.to_ascii_uppercase()),
            _ => {}
        }
    }
    let code: String = code.chars().filter(|c| !c.is_whitespace()).collect();
    if code == "%" {
        return Some(Vec::new());
    }
    let mut all = Vec::new();
    let mut rest = code.as_str();
    while let Some(letter) = rest.chars().next() {
        if !letter.is_ascii_uppercase() {
            return None;
        }
        let after = &rest[1..];
        let end = after.find(|c: char| c.is_ascii_uppercase()).unwrap_or(after.len());
        all.push((letter, after[..end].parse().ok().filter(|v: &f64| v.is_finite())?));
        rest = &after[end..];
    }
    Some(all)
}

impl Machine {
    /// Does a line; answers whether the program ends with it.
    fn line(&mut self, words: &[(char, f64)]) -> Result<bool, Fault> {
        let (mut axes, mut has_time, mut sets_place, mut ends) = (Vec::new(), false, false, false);
        let mut stops = false;
        for &(letter, value) in words {
            #[allow(clippy::cast_possible_truncation, reason = "codes are small; others are not known")]
            let code = (value * 10.0).round() as i64;
            match (letter, code) {
                ('G', 0 | 10) => self.is_fast = Some(code == 0),
                ('G', 200 | 210) => self.mm_per_unit = Some(if code == 200 { 25.4 } else { 1.0 }),
                ('G', 900 | 910) => self.is_absolute = code == 900,
                ('G', 920) => sets_place = true,
                ('G', 930 | 940 | 950) => {
                    self.mode = match code {
                        930 => Feed::InverseTime,
                        940 => Feed::PerMinute,
                        _ => Feed::PerTurn,
                    };
                    // A feed holds in the mode that it was given in.
                    self.feed = None;
                }
                ('G', 40 | 170 | 180 | 190 | 400 | 490 | 540..=590 | 800)
                | ('M', 60 | 80 | 90)
                | ('N' | 'T', _) => {}
                ('M', 0 | 10) => stops = true,
                ('M', 20 | 300) => ends = true,
                ('M', 30 | 40) => self.spindle = Some(code == 30),
                ('M', 50) => self.spindle = None,
                ('S', _) => self.speed = value,
                ('F', _) if value > 0.0 => (self.feed, has_time) = (Some(value), true),
                ('F', _) => return Err(Fault::NoFeed),
                ('A'..='C' | 'U'..='Z', _) => axes.push((letter, value)),
                _ => return Err(Fault::UnknownCode),
            }
        }
        if sets_place {
            self.at.extend(axes);
        } else if !axes.is_empty() {
            self.go(&axes, has_time)?;
        }
        if stops {
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a count of turns")]
            self.done.stops.push(self.turned.abs().round() as u32);
        }
        Ok(ends)
    }

    fn go(&mut self, axes: &[(char, f64)], has_time: bool) -> Result<(), Fault> {
        let unit = self.mm_per_unit.ok_or(Fault::NoUnit)?;
        let is_fast = self.is_fast.ok_or(Fault::NoFeed)?;
        let is_turned = |axis: char| ('A'..='C').contains(&axis);
        let (mut way_sq, mut degrees) = (0.0, 0.0);
        let guide_from = self.at.get(&self.guide).copied();
        for &(axis, value) in axes {
            let value = if is_turned(axis) { value } else { value * unit };
            let from = self.at.get(&axis).copied();
            let to = if self.is_absolute { value } else { from.unwrap_or(0.0) + value };
            let step = to - from.unwrap_or(to);
            if axis == self.rotary {
                // The axis is at 0 until a position is given.
                degrees = to - from.unwrap_or(0.0);
            } else if !is_turned(axis) {
                way_sq += step * step;
            }
            self.at.insert(axis, to);
        }
        if degrees.abs() > NOTHING && self.spindle.is_some() {
            return Err(Fault::SpindleAndAxis);
        }
        if is_fast {
            return Ok(());
        }
        let feed = self.feed.ok_or(Fault::NoFeed)?;
        let way = way_sq.sqrt();
        let (turns, minutes) = match self.mode {
            Feed::InverseTime if !has_time => return Err(Fault::NoTime),
            Feed::InverseTime => (degrees / TURN, 1.0 / feed),
            Feed::PerMinute => (degrees / TURN, way.max(degrees.abs()) / feed),
            Feed::PerTurn => {
                let positive = self.spindle.filter(|_| self.speed > 0.0).ok_or(Fault::NoFeed)?;
                let turns = way / (feed * unit);
                (if positive { turns } else { -turns }, turns / self.speed)
            }
        };
        self.done.minutes += minutes;
        self.turn(turns, guide_from)
    }

    /// Turns the spindle while the guide goes straight to where it is now.
    fn turn(&mut self, turns: f64, guide_from: Option<f64>) -> Result<(), Fault> {
        if turns.abs() < NOTHING {
            return Ok(());
        }
        if *self.sense.get_or_insert(turns > 0.0) != (turns > 0.0) {
            return Err(Fault::TurnsBack);
        }
        self.done.positive = turns > 0.0;
        let guide_to = self.at.get(&self.guide).copied().unwrap_or(0.0);
        let guide_from = guide_from.unwrap_or(guide_to);
        let (from, to) = (self.turned.abs(), self.turned.abs() + turns.abs());
        // What is a turn but for rounding is a turn.
        let mut next = (from + 1e-6).floor() + 1.0;
        while next <= to + 1e-6 {
            let share = ((next - from) / (to - from)).clamp(0.0, 1.0);
            self.done.turns_mm.push(guide_from + share * (guide_to - guide_from));
            next += 1.0;
        }
        self.turned += turns;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("G21\nG1 C360 Z1\nM2", 2, Fault::NoFeed)]
    #[case("G21\nG93\nG1 C360 F5\nG1 C720\nM2", 4, Fault::NoTime)]
    #[case("G1 C360 F5\nM2", 1, Fault::NoUnit)]
    #[case("G21\nM3 S500\nG1 C360 F5\nM2", 3, Fault::SpindleAndAxis)]
    #[case("G21\nG93\nG1 C360 F5\nG1 C0 F5\nM2", 4, Fault::TurnsBack)]
    #[case("G21\nG1 C360 F-5\nM2", 2, Fault::NoFeed)]
    #[case("G21\nG987\nM2", 2, Fault::UnknownCode)]
    #[case("G21\nwind it\nM2", 2, Fault::Unreadable)]
    #[case("G21\nG1 C360 F5", 2, Fault::NoEnd)]
    #[case("M2\nG21", 2, Fault::AfterEnd)]
    fn what_a_controller_would_not_do(#[case] text: &str, #[case] line: usize, #[case] fault: Fault) {
        assert_eq!(execute(text, 'C', 'Z'), Err(Stopped { line, fault }));
    }

    #[test]
    fn inches_increments_and_feeds_a_turn() {
        let done = execute("G20\nG91\nG94\nG1 Z1 C720 F720\nM30", 'C', 'Z').unwrap();
        assert_eq!((done.turns_mm, done.minutes), (vec![25.4, 25.4], 1.0));
        let done = execute("G21\nG90\nG0 Z0\nG95\nM4 S60\nG1 Z1 F0.5\nM5\nM0\nM2", 'C', 'Z').unwrap();
        assert_eq!((done.turns_mm, done.stops, done.positive), (vec![0.5, 1.0], vec![2], false));
        assert!((done.minutes - 2.0 / 60.0).abs() < 1e-12);
    }
}
