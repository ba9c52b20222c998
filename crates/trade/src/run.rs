//! The course of a winding run.

use crate::reading::{Kind, Reading, latest, open_coil};
use serde::{Deserialize, Serialize};

/// Where a run stands on the thread from winding to judgement.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// On the winder: the final turns are not in yet.
    Wind,
    /// Wound: resistance or inductance is still to be read.
    Measure,
    /// All in: to be judged.
    Judge,
}

impl Stage {
    /// The stage that the readings so far amount to.
    ///
    /// ```
    /// use trade::run::Stage;
    /// assert_eq!(Stage::from_readings(&[]), Stage::Wind);
    /// ```
    #[must_use]
    pub fn from_readings(readings: &[Reading]) -> Self {
        let has = |kind| latest(readings, kind).is_some();
        if open_coil(readings).is_some() {
            Self::Judge
        } else if !has(Kind::Turns) {
            Self::Wind
        } else if has(Kind::Resistance) && has(Kind::Inductance) {
            Self::Judge
        } else {
            Self::Measure
        }
    }

    /// Its word on the thread.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Wind => "Wind",
            Self::Measure => "Measure",
            Self::Judge => "Judge",
        }
    }
}

/// How far a run has come, as lists are filtered by it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, strum::EnumString, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum RunState {
    /// Not every operation is signed.
    Open,
    /// Open, and its turns are not in yet.
    ToWind,
    /// Open and wound: resistance or inductance is still to be read.
    ToMeasure,
    /// Open and measured: operations such as lacquer, potting or the final check are still to be signed.
    ToFinish,
    /// Every operation is signed, or it came in from a file.
    Closed,
    /// Begun by mistake.
    Void,
}

impl RunState {
    /// Every state.
    pub const ALL: [Self; 6] =
        [Self::Open, Self::ToWind, Self::ToMeasure, Self::ToFinish, Self::Closed, Self::Void];

    /// Its stable name.
    ///
    /// ```
    /// use trade::run::RunState;
    /// assert_eq!(RunState::ToFinish.key(), "to-finish");
    /// assert_eq!("to-finish".parse(), Ok(RunState::ToFinish));
    /// ```
    #[must_use]
    pub fn key(self) -> &'static str {
        self.into()
    }

    /// As people read it.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Open => "open",
            Self::ToWind => "to wind",
            Self::ToMeasure => "to measure",
            Self::ToFinish => "to finish",
            Self::Closed => "closed",
            Self::Void => "void",
        }
    }
}

/// Where a new run proposes to stop and look.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct StopPolicy {
    /// The first stop, turns; 0 for none of its own.
    pub first: u32,
    /// Then every so many turns; 0 for none.
    pub every: u32,
}

/// Turns before the end within which a stop is none.
const NEAR_THE_END: u32 = 150;

impl Default for StopPolicy {
    /// After a few hundred turns for the guides, then every 1,000 (common practice, no source).
    fn default() -> Self {
        Self { first: 300, every: 1000 }
    }
}

impl StopPolicy {
    /// The widest that a stop may be set, turns.
    pub const MOST: u32 = 50_000;
    /// The closest that stops may follow one another, turns.
    pub const CLOSEST: u32 = 50;

    /// The stops of a coil of so many turns; the last is its end.
    ///
    /// ```
    /// use trade::run::StopPolicy;
    /// assert_eq!(StopPolicy::default().stops(2500), [300, 1000, 2000, 2500]);
    /// // A stop right before the end is none.
    /// assert_eq!(StopPolicy::default().stops(2100), [300, 1000, 2100]);
    /// assert_eq!(StopPolicy { first: 0, every: 0 }.stops(2100), [2100]);
    /// ```
    #[must_use]
    pub fn stops(self, turns: u32) -> Vec<u32> {
        let step = self.every.max(Self::CLOSEST);
        let every = (1..=turns / step).map(|k| k * step).filter(|stop| self.every > 0 && *stop > self.first);
        let first = Some(self.first).filter(|first| *first > 0);
        let mut stops: Vec<u32> = first.into_iter().chain(every).collect();
        stops.retain(|stop| stop + NEAR_THE_END < turns);
        stops.push(turns);
        stops
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn reading(kind: Kind) -> Reading {
        Reading {
            id: kind as u64,
            corrects: None,
            kind,
            pole: None,
            value: Some(1.0),
            coil_c: None,
            test_hz: None,
            probe_mm: None,
            taken_at: None,
        }
    }

    #[rstest]
    #[case(&[], Stage::Wind)]
    #[case(&[Kind::Remark], Stage::Wind)]
    #[case(&[Kind::Turns], Stage::Measure)]
    #[case(&[Kind::Turns, Kind::Resistance], Stage::Measure)]
    #[case(&[Kind::Turns, Kind::Resistance, Kind::Inductance], Stage::Judge)]
    #[case(&[Kind::Open], Stage::Judge)]
    fn stages(#[case] kinds: &[Kind], #[case] stage: Stage) {
        let readings: Vec<Reading> = kinds.iter().map(|kind| reading(*kind)).collect();
        assert_eq!(Stage::from_readings(&readings), stage);
    }

    #[test]
    fn stops_end_at_the_last_turn() {
        assert_eq!(StopPolicy::default().stops(3100), [300, 1000, 2000, 3100]);
        assert_eq!(StopPolicy::default().stops(200), [200]);
        assert_eq!(StopPolicy::default().stops(7500).len(), 9);
    }
}
