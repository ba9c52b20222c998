//! What was read off a coil.

use coil::wire::at_temperature;
use serde::{Deserialize, Serialize};

/// What a reading is of.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    Hash,
    PartialOrd,
    Ord,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Kind {
    /// Final count of turns, hand turns included.
    Turns,
    /// Resistance, Ω, with the coil's temperature.
    Resistance,
    /// The meter showed an open coil.
    Open,
    /// Inductance, H, with the meter's test frequency.
    Inductance,
    /// Flux density over a pole, T, north up positive, with the probe's distance.
    Flux,
    /// Capacitance of the pickup, F, as resonance tells it.
    Capacitance,
    /// Width over the winding at its thickest, across the row, m.
    Width,
    /// Length over the winding at its thickest, along the row, m.
    Length,
    /// Words only.
    Remark,
}

impl Kind {
    /// Every kind.
    pub const ALL: [Self; 9] = [
        Self::Turns,
        Self::Resistance,
        Self::Open,
        Self::Inductance,
        Self::Flux,
        Self::Capacitance,
        Self::Width,
        Self::Length,
        Self::Remark,
    ];

    /// The range that a value may have, SI, whatever way it comes in; `None` for what has no value.
    ///
    /// ```
    /// use trade::reading::Kind;
    /// assert!(Kind::Resistance.allows(Some(5_800.0)) && !Kind::Resistance.allows(Some(-5.0)));
    /// assert!(Kind::Open.allows(None) && !Kind::Open.allows(Some(1.0)));
    /// ```
    #[must_use]
    pub const fn range(self) -> Option<(f64, f64)> {
        match self {
            Self::Turns => Some((1.0, 50_000.0)),
            Self::Resistance => Some((1.0, 1e6)),
            Self::Inductance => Some((1e-3, 100.0)),
            Self::Flux => Some((-2.0, 2.0)),
            Self::Capacitance => Some((1e-13, 1e-6)),
            Self::Width => Some((1e-3, 0.15)),
            Self::Length => Some((1e-3, 0.3)),
            Self::Open | Self::Remark => None,
        }
    }

    /// Whether a reading of this kind may have this value.
    #[must_use]
    pub fn allows(self, value: Option<f64>) -> bool {
        match (self.range(), value) {
            (Some((low, high)), Some(value)) => (low..=high).contains(&value),
            (None, None) => true,
            _ => false,
        }
    }

    /// Its stable name in tables and exports.
    #[must_use]
    pub fn key(self) -> &'static str {
        self.into()
    }

    /// As it is said in a sentence.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Turns => "the turns",
            Self::Resistance => "the resistance",
            Self::Open => "the open coil",
            Self::Inductance => "the inductance",
            Self::Flux => "the flux over the poles",
            Self::Capacitance => "the capacitance",
            Self::Width => "the width of the coil",
            Self::Length => "the length of the coil",
            Self::Remark => "a remark",
        }
    }

    /// The kind of that name.
    #[must_use]
    pub fn from_key(key: &str) -> Option<Self> {
        key.parse().ok()
    }
}

/// One reading, SI.
#[derive(Clone, Debug, PartialEq)]
pub struct Reading {
    /// Its number in the log.
    pub id: u64,
    /// The reading that it corrects.
    pub corrects: Option<u64>,
    /// What it is of.
    pub kind: Kind,
    /// The pole it was taken over, from 1, in the order of the strings.
    pub pole: Option<u32>,
    /// The value; `None` for words and for an open coil.
    pub value: Option<f64>,
    /// Temperature of the coil, °C.
    pub coil_c: Option<f64>,
    /// Test frequency, Hz.
    pub test_hz: Option<f64>,
    /// Distance of the probe's element from the pole's face, mm.
    pub probe_mm: Option<f64>,
    /// When it was taken, UTC; `None` where that is not known.
    pub taken_at: Option<time::PrimitiveDateTime>,
}

impl Reading {
    /// A resistance as it would read at 20 °C; taken as 20 °C when no temperature was noted.
    #[must_use]
    pub fn ohms_at_20c(&self) -> Option<f64> {
        let ohms = self.value.filter(|_| self.kind == Kind::Resistance)?;
        Some(at_temperature(ohms, self.coil_c.unwrap_or(20.0), 20.0))
    }
}

/// The readings that stand: those that no later one corrects, in the order they were taken.
#[must_use]
pub fn standing(readings: &[Reading]) -> Vec<&Reading> {
    let corrected: Vec<u64> = readings.iter().filter_map(|r| r.corrects).collect();
    readings.iter().filter(|r| !corrected.contains(&r.id)).collect()
}

/// The last standing reading of a kind.
#[must_use]
pub fn latest(readings: &[Reading], kind: Kind) -> Option<&Reading> {
    standing(readings).into_iter().rfind(|r| r.kind == kind)
}

/// The overload by which a coil is open; `None` where a resistance was read after it: the latest valid reading judges.
#[must_use]
pub fn open_coil(readings: &[Reading]) -> Option<&Reading> {
    let last = standing(readings).into_iter().rfind(|r| matches!(r.kind, Kind::Open | Kind::Resistance))?;
    (last.kind == Kind::Open).then_some(last)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ohms(id: u64, value: f64, coil_c: f64, corrects: Option<u64>) -> Reading {
        Reading {
            id,
            corrects,
            kind: Kind::Resistance,
            pole: None,
            value: Some(value),
            coil_c: Some(coil_c),
            test_hz: None,
            probe_mm: None,
            taken_at: None,
        }
    }

    /// A coil that reads 5.8 k warm from the iron cools to 5.7 k: 4.5 K above the room (common practice,
    /// no source, for the figures; the coefficient is IEC 60028's).
    #[test]
    fn a_warm_coil_reads_high() {
        let warm = ohms(1, 5800.0, 24.5, None);
        assert!((warm.ohms_at_20c().unwrap() - 5699.0).abs() < 1.0);
    }

    #[test]
    fn a_correction_replaces_and_keeps_what_it_corrects() {
        let all = [ohms(1, 58.0, 22.0, None), ohms(2, 5800.0, 22.0, Some(1)), ohms(3, 5790.0, 21.0, None)];
        assert_eq!(standing(&all).iter().map(|r| r.id).collect::<Vec<_>>(), [2, 3]);
        assert_eq!(latest(&all, Kind::Resistance).unwrap().id, 3);
        assert!(latest(&all, Kind::Inductance).is_none());
    }

    #[test]
    fn keys_come_back() {
        for kind in Kind::ALL {
            assert_eq!(Kind::from_key(kind.key()), Some(kind));
        }
    }

    /// A resistance that is read after an overload supersedes it; one that was read before does not.
    #[test]
    fn the_latest_reading_says_whether_a_coil_is_open() {
        let open = |id| Reading { kind: Kind::Open, value: None, coil_c: None, ..ohms(id, 0.0, 20.0, None) };
        let read = |id| ohms(id, 5500.0, 20.0, None);
        assert_eq!(open_coil(&[read(1), open(2)]).map(|r| r.id), Some(2));
        assert_eq!(open_coil(&[open(1), read(2)]), None);
        assert_eq!(open_coil(&[open(1), read(2), open(3)]).map(|r| r.id), Some(3));
        // A correction takes the resistance back, and the overload stands again.
        let struck = Reading { kind: Kind::Remark, value: None, corrects: Some(2), ..read(3) };
        assert_eq!(open_coil(&[open(1), read(2), struck]).map(|r| r.id), Some(1));
    }
}
