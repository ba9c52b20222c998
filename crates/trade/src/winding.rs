//! What happens while a coil is wound: turns counted, and what was noted at which turn.

use serde::{Deserialize, Serialize};

/// What can happen at the winder.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, strum::EnumString, strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum WindingEventKind {
    /// So many turns are on the coil, hand turns included.
    Count,
    /// The counter was preset: hand turns, or the turns before an interruption.
    Preset,
    /// Stopped to look.
    Stop,
    /// Going on.
    Restart,
    /// The winder says that the wire broke.
    Broke,
    /// The guides were moved.
    GuidesMoved,
    /// The wire broke and was spliced.
    Splice,
    /// A turn jumped the flange and was walked back.
    Jumped,
    /// Loose loops, crumpled in or taken out.
    Loose,
    /// The winder fell silent.
    Lost,
    /// Words only.
    Note,
}

impl WindingEventKind {
    /// Every one.
    pub const ALL: [Self; 11] = [
        Self::Count,
        Self::Preset,
        Self::Stop,
        Self::Restart,
        Self::Broke,
        Self::GuidesMoved,
        Self::Splice,
        Self::Jumped,
        Self::Loose,
        Self::Lost,
        Self::Note,
    ];

    /// Its stable name.
    #[must_use]
    pub fn key(self) -> &'static str {
        self.into()
    }

    /// As people read it.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Count => "counted",
            Self::Preset => "counter preset",
            Self::Stop => "stopped to look",
            Self::Restart => "going on",
            Self::Broke => "wire broke",
            Self::GuidesMoved => "guides moved",
            Self::Splice => "wire broke, spliced",
            Self::Jumped => "jumped the flange, walked back",
            Self::Loose => "loose loops",
            Self::Lost => "winder fell silent",
            Self::Note => "note",
        }
    }

    /// The one of that stable name.
    #[must_use]
    pub fn from_key(key: &str) -> Option<Self> {
        key.parse().ok()
    }
}

/// Something that happened, at a turn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Event {
    /// What.
    pub what: WindingEventKind,
    /// Turns on the coil then.
    pub at_turn: u32,
}

/// How far a run is wound.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Progress {
    /// Turns on the coil.
    pub turns: u32,
    /// Turns to the planned end.
    pub to_go: u32,
    /// The next stop, in turns on the coil.
    pub next_stop: Option<u32>,
    /// Whether it stands: nothing wound yet, or stopped and not gone on.
    pub stands: bool,
}

impl Progress {
    /// From all that happened, in order. A counter that was preset counts from there; counts never run backwards
    /// otherwise, since late and repeated messages arrive.
    #[must_use]
    pub fn from_events(events: &[Event], planned: u32, stops: &[u32]) -> Self {
        let (mut turns, mut stands) = (0, true);
        for event in events {
            match event.what {
                WindingEventKind::Preset => turns = event.at_turn,
                WindingEventKind::Count => {
                    stands = stands && event.at_turn <= turns;
                    turns = turns.max(event.at_turn);
                }
                WindingEventKind::Stop | WindingEventKind::Broke | WindingEventKind::Lost => {
                    turns = turns.max(event.at_turn);
                    stands = true;
                }
                WindingEventKind::Restart => stands = false,
                _ => turns = turns.max(event.at_turn),
            }
        }
        Self {
            turns,
            to_go: planned.saturating_sub(turns),
            next_stop: stops.iter().copied().chain([planned]).filter(|stop| *stop > turns).min(),
            stands,
        }
    }

    /// Minutes to the planned end at a speed, turns per minute.
    ///
    /// ```
    /// use trade::winding::Progress;
    /// let progress = Progress::from_events(&[], 6000, &[]);
    /// assert_eq!(progress.minutes_left(1000.0), Some(6.0));
    /// assert_eq!(progress.minutes_left(0.0), None);
    /// ```
    #[must_use]
    pub fn minutes_left(&self, rpm: f64) -> Option<f64> {
        (rpm > 0.0).then(|| f64::from(self.to_go) / rpm)
    }
}

/// Turns that a spindle goes on while it coasts after a break.
const COASTS: u32 = 200;

/// Whether the last break that is logged is one that nobody has repaired yet: a winder that still says so reports no other one.
#[must_use]
pub fn is_broken(events: &[Event]) -> bool {
    let passes = [WindingEventKind::Count, WindingEventKind::Lost, WindingEventKind::Note];
    let on_coil = events.iter().map(|event| event.at_turn).max().unwrap_or_default();
    let last = events.iter().rev().find(|event| !passes.contains(&event.what));
    last.is_some_and(|event| event.what == WindingEventKind::Broke && on_coil - event.at_turn <= COASTS)
}

/// The fastest that a winder turns, turns a minute.
pub const FASTEST_RPM: f64 = 4000.0;
/// Turns that are believed in no time: a hand on the spindle between two looks at the counter.
const AT_ONCE: f64 = 30.0;
/// Share of the plan, and turns, that a coil may go beyond it before that is asked about.
const BEYOND_PLAN: (f64, f64) = (1.2, 300.0);

/// Whether so many turns can be on a coil that was planned with `planned`.
///
/// ```
/// use trade::winding::is_within_plan;
/// assert!(is_within_plan(7_900, 7_620));
/// assert!(!is_within_plan(60_000, 7_620));
/// ```
#[must_use]
pub fn is_within_plan(turns: u32, planned: u32) -> bool {
    f64::from(turns) <= f64::from(planned) * BEYOND_PLAN.0 + BEYOND_PLAN.1
}

/// Whether a counter can have gone on by `more` turns in `seconds`, at no more than `fastest` turns a minute.
///
/// ```
/// use trade::winding::{FASTEST_RPM, is_possible_in};
/// assert!(is_possible_in(500, 60.0, FASTEST_RPM));
/// // Somebody turns the spindle by hand.
/// assert!(is_possible_in(12, 0.4, FASTEST_RPM));
/// assert!(!is_possible_in(59_700, 0.4, FASTEST_RPM));
/// ```
#[must_use]
pub fn is_possible_in(more: u32, seconds: f64, fastest: f64) -> bool {
    f64::from(more) <= AT_ONCE + seconds.max(0.0) * fastest / 60.0
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Counts while the spindle coasts leave a break as it is; a splice ends it, and so does winding on.
    #[rstest]
    #[case(&[at(WindingEventKind::Broke, 850), at(WindingEventKind::Count, 861)], true)]
    #[case(&[at(WindingEventKind::Broke, 850), at(WindingEventKind::Splice, 861)], false)]
    #[case(&[at(WindingEventKind::Broke, 850), at(WindingEventKind::Count, 2000)], false)]
    #[case(&[at(WindingEventKind::Restart, 0), at(WindingEventKind::Count, 300)], false)]
    fn a_break_lasts_until_it_is_repaired(#[case] events: &[Event], #[case] broken: bool) {
        assert_eq!(is_broken(events), broken);
    }

    fn at(what: WindingEventKind, at_turn: u32) -> Event {
        Event { what, at_turn }
    }

    #[rstest]
    #[case(&[], (0, Some(300), true))]
    #[case(&[at(WindingEventKind::Preset, 10), at(WindingEventKind::Count, 250)], (250, Some(300), false))]
    #[case(&[at(WindingEventKind::Count, 300), at(WindingEventKind::Stop, 300)], (300, Some(1000), true))]
    // A late message does not unwind the coil; a preset does: the counter was wrong.
    #[case(&[at(WindingEventKind::Count, 900), at(WindingEventKind::Count, 880)], (900, Some(1000), false))]
    #[case(&[at(WindingEventKind::Count, 900), at(WindingEventKind::Preset, 880)], (880, Some(1000), false))]
    #[case(&[at(WindingEventKind::Count, 900), at(WindingEventKind::Lost, 900), at(WindingEventKind::Count, 905)], (905, Some(1000), false))]
    #[case(&[at(WindingEventKind::Count, 4100), at(WindingEventKind::Broke, 4120)], (4120, Some(7500), true))]
    #[case(&[at(WindingEventKind::Splice, 4120)], (4120, Some(7500), true))]
    fn how_far_it_is(#[case] events: &[Event], #[case] (turns, next, stands): (u32, Option<u32>, bool)) {
        let progress = Progress::from_events(events, 7500, &[300, 1000]);
        assert_eq!((progress.turns, progress.next_stop, progress.stands), (turns, next, stands));
        assert_eq!(progress.to_go, 7500 - turns);
    }

    /// 7,500 turns near 500 a minute take a quarter of an hour (common practice, no source).
    #[test]
    fn minutes_left() {
        let progress = Progress::from_events(&[], 7500, &[]);
        assert!((progress.minutes_left(500.0).unwrap() - 15.0).abs() < 1e-9);
        assert_eq!(progress.minutes_left(0.0), None);
    }

    #[test]
    fn names_come_back() {
        for one in WindingEventKind::ALL {
            assert_eq!(WindingEventKind::from_key(one.key()), Some(one));
        }
    }
}
