//! How a string moves once plucked.

use std::f64::consts::PI;

/// A pluck.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pluck {
    /// How far the string is drawn aside, m.
    pub height_m: f64,
    /// Where, as a share of its length from the bridge.
    pub place: f64,
}

impl Default for Pluck {
    /// One millimetre at a fifth of the length (common practice, no source): what outputs are reckoned for.
    fn default() -> Self {
        Self { height_m: 1e-3, place: 0.2 }
    }
}

/// Frequency of a note such as E4, F#3 or Bb2, Hz; equal temperament, A4 = 440 Hz \[ISO16\].
///
/// ```
/// use coil::string::note_hz;
/// // ISO 16: A4 = 440 Hz; equal temperament puts E2 at 82.41 Hz.
/// assert_eq!(note_hz("A4"), Some(440.0));
/// assert!((note_hz("E2").unwrap() - 82.407).abs() < 1e-3);
/// assert_eq!(note_hz("Bb2"), note_hz("A#2"));
/// assert_eq!(note_hz("H2"), None);
/// ```
#[must_use]
pub fn note_hz(note: &str) -> Option<f64> {
    let mut letters = note.trim().chars();
    let semitone = match letters.next()?.to_ascii_uppercase() {
        'C' => 0,
        'D' => 2,
        'E' => 4,
        'F' => 5,
        'G' => 7,
        'A' => 9,
        'B' => 11,
        _ => return None,
    };
    let rest = letters.as_str();
    let (shift, octave) = match rest.chars().next()? {
        '#' | '♯' => (1, &rest[rest.chars().next()?.len_utf8()..]),
        'b' | '♭' => (-1, &rest[rest.chars().next()?.len_utf8()..]),
        _ => (0, rest),
    };
    let octave: i32 = octave.parse().ok().filter(|o| (-1..=9).contains(o))?;
    Some(440.0 * 2f64.powf(f64::from(12 * (octave - 4) + semitone + shift - 9) / 12.0))
}

/// Speed of a plucked string over the pickup, m/s RMS just after the pluck, up to `highest_hz`.
///
/// The ideal string \[Fletcher\]: mode n has amplitude 2h·sin(nπp)/(n²π²·p(1 − p)) and stands as sin(nπx) at the
/// share x of the length from the bridge.
#[must_use]
pub fn velocity_rms_m_s(pluck: Pluck, fundamental_hz: f64, from_bridge: f64, highest_hz: f64) -> f64 {
    let (h, p) = (pluck.height_m, pluck.place);
    let mut squares = 0.0;
    let mut n = 1.0;
    while n * fundamental_hz <= highest_hz && n < 200.0 {
        let amplitude = 2.0 * h * (n * PI * p).sin() / (n * n * PI * PI * p * (1.0 - p));
        let speed = amplitude * (n * PI * from_bridge).sin() * 2.0 * PI * n * fundamental_hz;
        squares += 0.5 * speed * speed;
        n += 1.0;
    }
    squares.sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Equal temperament from A4 = 440 Hz (ISO 16; the frequencies are in any table).
    #[rstest]
    #[case("A4", 440.0)]
    #[case("E4", 329.628)]
    #[case("E2", 82.407)]
    #[case("F#3", 184.997)]
    #[case("Bb2", 116.541)]
    #[case("c4", 261.626)]
    fn notes(#[case] note: &str, #[case] hz: f64) {
        assert!((note_hz(note).unwrap() / hz - 1.0).abs() < 1e-5);
    }

    #[rstest]
    #[case("")]
    #[case("H4")]
    #[case("A")]
    #[case("A44")]
    fn no_notes(#[case] note: &str) {
        assert_eq!(note_hz(note), None);
    }

    /// Nearer the bridge a string moves less.
    #[test]
    fn the_bridge_position_is_quieter() {
        let at = |x| velocity_rms_m_s(Pluck::default(), 110.0, x, 3000.0);
        assert!(at(0.06) < at(0.12) && at(0.12) < at(0.24));
    }
}
