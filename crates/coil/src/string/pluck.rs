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

/// Density of steel, kg/m³ \[Fletcher\], and how full of it a layer of round wrap wire is: π/4.
const DENSITY_KG_M3: f64 = 7850.0;
const WRAP_FULL: f64 = PI / 4.0;

/// Mass of a string per length, kg/m: its core, and what is wrapped round it.
///
/// ```
/// use coil::string::string_mass_kg_m;
/// // 0.33 mm of plain steel: 0.67 g/m.
/// assert!((string_mass_kg_m(0.33e-3, 0.33e-3) / 0.671e-3 - 1.0).abs() < 0.01);
/// ```
#[must_use]
pub fn string_mass_kg_m(outer_m: f64, core_m: f64) -> f64 {
    let (outer, core) = (outer_m.max(core_m).powi(2), core_m.powi(2));
    DENSITY_KG_M3 * PI / 4.0 * (core + WRAP_FULL * (outer - core))
}

/// Largest speed of partial `n` (from 1) of a plucked string just after the pluck, m/s; negative where it begins the other way.
///
/// The ideal string \[Fletcher\]: mode n has amplitude 2h·sin(nπp)/(n²π²·p(1 − p)).
///
/// ```
/// use coil::string::{Pluck, partial_speed_m_s};
/// // Plucked at a fifth of its length, the fifth partial has a node there and is not excited.
/// assert!(partial_speed_m_s(Pluck::default(), 110.0, 5).abs() < 1e-9);
/// ```
#[must_use]
pub fn partial_speed_m_s(pluck: Pluck, fundamental_hz: f64, n: u32) -> f64 {
    let (h, p, n) = (pluck.height_m, pluck.place, f64::from(n));
    let amplitude = 2.0 * h * (n * PI * p).sin() / (n * n * PI * PI * p * (1.0 - p));
    amplitude * 2.0 * PI * n * fundamental_hz
}

/// Speed of a plucked string as a pickup hears it, m/s RMS just after the pluck, up to `highest_hz`.
///
/// `places` says how each partial is heard, from the first: sin(nπx) of a point at the share x of the length from the bridge.
#[must_use]
pub fn speed_rms_m_s(pluck: Pluck, fundamental_hz: f64, places: &[f64], highest_hz: f64) -> f64 {
    let squares = (1..).zip(places).map_while(|(n, place)| {
        let is_heard = f64::from(n) * fundamental_hz <= highest_hz;
        is_heard.then(|| 0.5 * (place * partial_speed_m_s(pluck, fundamental_hz, n)).powi(2))
    });
    squares.sum::<f64>().sqrt()
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
        let at = |x: f64| {
            let places: Vec<f64> = (1..=30).map(|n| (f64::from(n) * PI * x).sin()).collect();
            speed_rms_m_s(Pluck::default(), 110.0, &places, 3000.0)
        };
        assert!(at(0.06) < at(0.12) && at(0.12) < at(0.24));
    }
}
