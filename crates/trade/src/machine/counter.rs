//! The log of a winder's counter.

use crate::winding::{FASTEST_RPM, is_possible_in};

/// Reads a counter's log: a line for each entry, seconds and turns, separated by comma, semicolon, tab or blanks. Lines that
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

    #[test]
    fn a_counters_log() {
        assert_eq!(counter_log("seconds,turns\n0,10\n1.5,22\n2;30\n"), Ok((30, 3)));
        assert!(counter_log("0,10\n1,9\n").unwrap_err().contains("Line 2"));
        assert!(counter_log("0,ten\n").unwrap_err().contains("whole number"));
        assert!(counter_log("# nothing\n").is_err());
        assert!(counter_log("0,0\n1,70000\n").unwrap_err().contains("Line 2"), "nothing turns so fast");
    }
}
