//! The verdict on a coil: pass, look again or stop, with the likeliest causes and the test that would
//! tell them apart. The rules are common practice, no source, as a table in order of likelihood.

use crate::comparison::{Comparison, Standing};
use crate::reading::{Kind, Reading, latest};
use crate::run::Stage;
use serde::{Deserialize, Serialize};

/// How a coil stands.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Level {
    /// Readings are still missing; those taken are fine.
    Waiting,
    /// All inside.
    Pass,
    /// Something is off: look again before going on.
    Look,
    /// Do not go on with this coil.
    Stop,
}

impl Level {
    /// Every level.
    pub const ALL: [Self; 4] = [Self::Waiting, Self::Pass, Self::Look, Self::Stop];

    /// Its stable name.
    #[must_use]
    pub fn key(self) -> &'static str {
        self.into()
    }

    /// Its name as people read it.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Waiting => "Waiting for readings",
            Self::Pass => "Pass",
            Self::Look => "Out of tolerance",
            Self::Stop => "Stop",
        }
    }

    /// The level of that stable name.
    #[must_use]
    pub fn from_key(key: &str) -> Option<Self> {
        key.parse().ok()
    }
}

/// A possible cause.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Cause {
    /// What it may be.
    pub what: String,
    /// The test that would tell.
    pub next_test: String,
}

/// The verdict.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Verdict {
    /// How the coil stands.
    pub level: Level,
    /// In a sentence or two.
    pub text: String,
    /// What it may be, likeliest first.
    pub causes: Vec<Cause>,
}

/// How the readings of one quantity lie, for the table.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Sign {
    Low,
    In,
    High,
    None,
}

/// Whether a row of the table applies to a sign: `Any` does not ask.
#[derive(Clone, Copy)]
enum Ask {
    Any,
    Low,
    In,
    High,
    /// In, or not read.
    NotOff,
}

impl Ask {
    fn holds(self, sign: Sign) -> bool {
        match self {
            Self::Any => true,
            Self::Low => sign == Sign::Low,
            Self::In => sign == Sign::In,
            Self::High => sign == Sign::High,
            Self::NotOff => matches!(sign, Sign::In | Sign::None),
        }
    }
}

struct Rule {
    resistance: Ask,
    inductance: Ask,
    flux: Ask,
    what: &'static str,
    next_test: &'static str,
}

/// Resistance, inductance, flux → cause and next test.
const RULES: &[Rule] = &[
    Rule {
        resistance: Ask::In,
        inductance: Ask::Low,
        flux: Ask::Any,
        what: "shorted turns: a few turns shorted barely move the ohms but drag the inductance down",
        next_test: "read the inductance at 100 Hz and at 10 kHz: with shorted turns it falls steeply and Q is poor",
    },
    Rule {
        resistance: Ask::In,
        inductance: Ask::Low,
        flux: Ask::Any,
        what: "the poles were not in place, are of another alloy, or lack their charge",
        next_test: "read the flux over each pole, then the inductance again with the pickup assembled and charged",
    },
    Rule {
        resistance: Ask::Low,
        inductance: Ask::Low,
        flux: Ask::Any,
        what: "fewer turns than counted: the counter slipped, or hand turns were counted twice",
        next_test: "compare the ratio: turns missing lower the inductance by about twice the per cent of the ohms",
    },
    Rule {
        resistance: Ask::Low,
        inductance: Ask::Low,
        flux: Ask::Any,
        what: "a length of the coil is shorted out, by nicked wire or a scraped pole",
        next_test: "check for continuity from the coil to each pole, and look for nicks at the flanges",
    },
    Rule {
        resistance: Ask::High,
        inductance: Ask::High,
        flux: Ask::Any,
        what: "more turns than counted: the counter was not reset, or hand turns were left out",
        next_test: "check the counter's log and the hand turns; weigh the coil against a good one",
    },
    Rule {
        resistance: Ask::High,
        inductance: Ask::NotOff,
        flux: Ask::Any,
        what: "the coil was still warm, or the noted temperature is the room's and not the coil's",
        next_test: "leave it beside the meter for an hour and measure again",
    },
    Rule {
        resistance: Ask::High,
        inductance: Ask::NotOff,
        flux: Ask::Any,
        what: "wire stretched by too much tension, or a spool on the thin side of its gauge",
        next_test: "measure the spool's diameter and ohms per metre; compare the outer size of the coil",
    },
    Rule {
        resistance: Ask::High,
        inductance: Ask::Low,
        flux: Ask::Any,
        what: "a thinner gauge on the spool, or enamel not burned through at a joint, with fewer turns than counted",
        next_test: "scrape and solder the ends again, then measure the wire",
    },
    Rule {
        resistance: Ask::Low,
        inductance: Ask::NotOff,
        flux: Ask::Any,
        what: "a thicker gauge on the spool, or a coil wound tighter than usual: shorter turns",
        next_test: "measure the spool's diameter and the outer size of the coil",
    },
    Rule {
        resistance: Ask::Low,
        inductance: Ask::High,
        flux: Ask::Any,
        what: "thicker wire than designed, with more turns or poles of higher permeability",
        next_test: "measure the wire, then check the alloy by its flux",
    },
    Rule {
        resistance: Ask::In,
        inductance: Ask::High,
        flux: Ask::Any,
        what: "poles of a lower grade with higher permeability, steel near the coil, or a thicker coil",
        next_test: "remove steel from the bench, measure again, and measure the coil's outer size",
    },
    Rule {
        resistance: Ask::Any,
        inductance: Ask::NotOff,
        flux: Ask::Low,
        what: "the magnets are not fully charged, or of a weaker alloy",
        next_test: "charge again between two strong magnets and measure: a full charge does not increase",
    },
    Rule {
        resistance: Ask::Any,
        inductance: Ask::Any,
        flux: Ask::High,
        what: "a stronger alloy or longer rods than designed, or the probe was nearer than noted",
        next_test: "measure a rod's length and diameter, and the probe's distance",
    },
];

/// Judges a run from its comparisons and readings.
#[must_use]
pub fn judge(comparisons: &[Comparison], readings: &[Reading]) -> Verdict {
    if latest(readings, Kind::Open).is_some() {
        return open_coil();
    }
    let flux: Vec<&Comparison> = comparisons.iter().filter(|c| c.kind == Kind::Flux).collect();
    if let Some(reversed) = flux.iter().find(|c| c.reversed) {
        return Verdict {
            level: Level::Stop,
            text: format!("Pole {} has the wrong polarity.", reversed.pole.unwrap_or(0)),
            causes: vec![cause(
                "the rod was pressed in or charged upside down",
                "check with a compass, pull or recharge the rod, and read all poles again",
            )],
        };
    }
    let sign = |kind| {
        let of_kind: Vec<&Comparison> = comparisons.iter().filter(|c| c.kind == kind).collect();
        // Of several poles the worst speaks.
        let worst = of_kind.into_iter().max_by(|a, b| a.bands.abs().total_cmp(&b.bands.abs()));
        match worst.map(|c| c.standing) {
            None => Sign::None,
            Some(Standing::Low) => Sign::Low,
            Some(Standing::Inside) => Sign::In,
            Some(Standing::High) => Sign::High,
        }
    };
    let (resistance, inductance, field) = (sign(Kind::Resistance), sign(Kind::Inductance), sign(Kind::Flux));
    let off: Vec<&Comparison> = comparisons.iter().filter(|c| c.standing != Standing::Inside).collect();
    if off.is_empty() {
        return all_inside(comparisons, readings);
    }
    let mut causes: Vec<Cause> = RULES
        .iter()
        .filter(|r| r.resistance.holds(resistance) && r.inductance.holds(inductance) && r.flux.holds(field))
        .map(|r| cause(r.what, r.next_test))
        .collect();
    // Flux that reads low makes uncharged poles the likelier cause of a low inductance.
    if field == Sign::Low {
        causes.sort_by_key(|c| !(c.what.contains("charge")));
    }
    match sign(Kind::Capacitance) {
        Sign::High => causes.push(cause(
            "a denser winding than planned, wax between the turns, or added capacitance of leads and cover",
            "measure both resonances again with the leads off, and compare before and after potting",
        )),
        Sign::Low => causes.push(cause(
            "a looser winding than planned: more wander, less tension",
            "look at the coil's edge and compare its build with the one predicted",
        )),
        _ => {}
    }
    let size =
        [Kind::Width, Kind::Length].map(sign).into_iter().find(|s| matches!(s, Sign::Low | Sign::High));
    match size.unwrap_or(Sign::None) {
        Sign::High => causes.push(cause(
            "a loose winding: too little tension, or more scatter than planned",
            "measure the tension at the next coil; check that the cover still fits",
        )),
        Sign::Low => causes.push(cause(
            "a tight winding: high tension, or thinner wire than its label says",
            "read the wire's diameter, and see whether the resistance is high",
        )),
        _ => {}
    }
    causes.truncate(3);
    let far = off.iter().any(|c| c.bands.abs() > 3.0 * c.limit);
    Verdict {
        level: if far { Level::Stop } else { Level::Look },
        text: in_words(comparisons, &causes),
        causes,
    }
}

fn cause(what: &str, next_test: &str) -> Cause {
    Cause { what: what.to_owned(), next_test: next_test.to_owned() }
}

fn open_coil() -> Verdict {
    Verdict {
        level: Level::Stop,
        text: "The coil reads open: no current flows.".into(),
        causes: vec![
            cause(
                "the enamel has not burned through at a joint; a missing reading is often caused by this",
                "scrape or burn off both ends again, tin them, and read at the bare wire",
            ),
            cause(
                "the wire is broken, most often at a lead or where it left a flange",
                "probe from the start towards any loose end; unwind the outermost turns to find it",
            ),
        ],
    }
}

fn all_inside(comparisons: &[Comparison], readings: &[Reading]) -> Verdict {
    if Stage::of(readings) == Stage::Judge {
        return Verdict {
            level: Level::Pass,
            text: "All readings are within tolerance: the coil is as designed.".into(),
            causes: Vec::new(),
        };
    }
    let text = if comparisons.is_empty() {
        "Nothing to judge yet: log turns, resistance and inductance."
    } else {
        "The readings so far are within tolerance. Log the missing ones for a verdict."
    };
    Verdict { level: Level::Waiting, text: text.into(), causes: Vec::new() }
}

/// "Resistance is fine, inductance 11 % low. Most likely: …"
fn in_words(comparisons: &[Comparison], causes: &[Cause]) -> String {
    let mut parts = Vec::new();
    for (kind, name) in [
        (Kind::Resistance, "resistance"),
        (Kind::Inductance, "inductance"),
        (Kind::Capacitance, "capacitance"),
        (Kind::Width, "width"),
        (Kind::Length, "length"),
    ] {
        if let Some(c) = comparisons.iter().find(|c| c.kind == kind) {
            parts.push(match c.standing {
                Standing::Inside => format!("{name} is within tolerance"),
                Standing::Low => format!("{name} is {:.1} % low", -c.deviation * 100.0),
                Standing::High => format!("{name} is {:.1} % high", c.deviation * 100.0),
            });
        }
    }
    let poles: Vec<String> = comparisons
        .iter()
        .filter(|c| c.kind == Kind::Flux && c.standing != Standing::Inside)
        .map(|c| format!("{} ({:+.0} %)", c.pole.unwrap_or(0), c.deviation * 100.0))
        .collect();
    if !poles.is_empty() {
        parts.push(format!("flux is out of tolerance over pole {}", poles.join(", ")));
    }
    let mut text = parts.join(", ");
    if let Some(first) = text.get(..1).map(str::to_uppercase) {
        text.replace_range(..1, &first);
    }
    match causes.first() {
        Some(first) => format!("{text}. Most likely: {}.", first.what),
        None => format!("{text}."),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::prediction::Quantity;
    use rstest::rstest;

    fn at(kind: Kind, pole: Option<u32>, bands: f64) -> Comparison {
        let standing = if bands < -1.0 {
            Standing::Low
        } else if bands > 1.0 {
            Standing::High
        } else {
            Standing::Inside
        };
        Comparison {
            kind,
            pole,
            predicted: Quantity { nominal: 100.0, p05: 95.0, p95: 105.0 },
            measured: 100.0 + 5.0 * bands,
            deviation: 0.05 * bands,
            bands,
            standing,
            reversed: false,
            learned: 0.0,
            limit: 1.0,
        }
    }

    fn taken(kind: Kind) -> Reading {
        Reading {
            id: kind as u64,
            corrects: None,
            kind,
            pole: None,
            value: Some(1.0),
            coil_c: None,
            test_hz: None,
            probe_mm: None,
        }
    }

    fn all_taken() -> Vec<Reading> {
        vec![taken(Kind::Turns), taken(Kind::Resistance), taken(Kind::Inductance)]
    }

    /// Common practice, no source: which pattern of readings points to which fault.
    #[rstest]
    #[case(0.2, -2.0, Level::Look, "shorted turns")]
    #[case(-2.0, -2.5, Level::Look, "fewer turns")]
    #[case(2.0, 2.5, Level::Look, "more turns")]
    #[case(1.5, 0.0, Level::Look, "still warm")]
    #[case(-1.5, 0.0, Level::Look, "thicker gauge")]
    #[case(0.0, 2.0, Level::Look, "lower grade")]
    #[case(0.0, -4.0, Level::Stop, "shorted turns")]
    fn patterns_and_their_first_cause(
        #[case] resistance: f64,
        #[case] inductance: f64,
        #[case] level: Level,
        #[case] first: &str,
    ) {
        let comparisons = [at(Kind::Resistance, None, resistance), at(Kind::Inductance, None, inductance)];
        let verdict = judge(&comparisons, &all_taken());
        assert_eq!(verdict.level, level);
        assert!(verdict.causes[0].what.contains(first), "{verdict:?}");
        assert!(!verdict.causes[0].next_test.is_empty() && verdict.text.contains("Most likely"));
    }

    /// A loose coil is fat and soft (common practice, no source).
    #[test]
    fn a_wide_coil_is_a_loose_one() {
        let comparisons = [at(Kind::Resistance, None, 0.1), at(Kind::Width, None, 1.4)];
        let verdict = judge(&comparisons, &[taken(Kind::Turns), taken(Kind::Width)]);
        assert_eq!(verdict.level, Level::Look);
        assert!(
            verdict.text.contains("width is") && verdict.causes[0].what.contains("tension"),
            "{verdict:?}"
        );
    }

    /// Wax raises the capacitance (physics: its permittivity is above air's); the verdict says what to compare.
    #[test]
    fn a_high_capacitance_asks_for_wax_and_leads() {
        let comparisons = [
            at(Kind::Resistance, None, 0.1),
            at(Kind::Inductance, None, 0.1),
            at(Kind::Capacitance, None, 1.6),
        ];
        let verdict = judge(&comparisons, &[taken(Kind::Turns), taken(Kind::Capacitance)]);
        assert_eq!(verdict.level, Level::Look);
        assert!(
            verdict.text.contains("capacitance is") && verdict.causes[0].what.contains("wax"),
            "{verdict:?}"
        );
    }

    #[test]
    fn weak_flux_points_to_the_charge() {
        let comparisons = [
            at(Kind::Resistance, None, 0.0),
            at(Kind::Inductance, None, -1.5),
            at(Kind::Flux, Some(3), -2.5),
        ];
        let verdict = judge(&comparisons, &all_taken());
        assert!(verdict.causes[0].what.contains("charge"), "{verdict:?}");
        assert!(verdict.text.contains("pole 3"));
    }

    #[test]
    fn inside_passes_once_all_is_read() {
        let comparisons = [at(Kind::Resistance, None, 0.9), at(Kind::Inductance, None, -0.9)];
        assert_eq!(judge(&comparisons, &all_taken()).level, Level::Pass);
        assert_eq!(judge(&comparisons[..1], &all_taken()[..2]).level, Level::Waiting);
        assert_eq!(judge(&[], &[]).level, Level::Waiting);
    }

    #[test]
    fn open_and_reversed_stop() {
        assert_eq!(judge(&[], &[taken(Kind::Open)]).level, Level::Stop);
        let reversed = Comparison { reversed: true, ..at(Kind::Flux, Some(2), 0.0) };
        assert!(judge(&[reversed], &all_taken()).text.contains("Pole 2"));
    }

    /// Every pattern that is off in resistance or inductance names at least one cause.
    #[test]
    fn no_pattern_is_left_without_a_cause() {
        for resistance in [-2.0, 0.0, 2.0] {
            for inductance in [-2.0, 0.0, 2.0] {
                if resistance != 0.0 || inductance != 0.0 {
                    let both =
                        [at(Kind::Resistance, None, resistance), at(Kind::Inductance, None, inductance)];
                    assert!(!judge(&both, &all_taken()).causes.is_empty(), "{resistance} {inductance}");
                }
            }
        }
    }
}
