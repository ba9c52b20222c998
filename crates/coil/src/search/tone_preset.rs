//! Makers' words, and "as that one, but more of this", as targets in numbers.

use super::Goal;
use crate::design::Targets;
use crate::prediction::Prediction;
use std::str::FromStr;

/// A word of the bench, said as what moves which way (common practice, no source: the words are makers', the sizes are
/// steps that can be heard and wound).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TonePreset {
    /// The peak higher.
    Brighter,
    /// The peak lower, more inductance.
    Fuller,
    /// Less inductance, and a peak that stands out more.
    MoreAttack,
    /// A flatter peak where it is.
    LessHarsh,
    /// More output with the peak where it is.
    Louder,
    /// Less output with the peak where it is.
    Softer,
}

/// How a quantity is to move: ratios, or decibels for levels.
type Move = (Goal, f64, f64);

impl TonePreset {
    /// All of them.
    pub const ALL: [Self; 6] =
        [Self::Brighter, Self::Fuller, Self::MoreAttack, Self::LessHarsh, Self::Louder, Self::Softer];

    /// Its stable name.
    #[must_use]
    pub const fn key(self) -> &'static str {
        match self {
            Self::Brighter => "brighter",
            Self::Fuller => "fuller",
            Self::MoreAttack => "more-attack",
            Self::LessHarsh => "less-harsh",
            Self::Louder => "louder",
            Self::Softer => "softer",
        }
    }

    /// What is to move, and from where to where: ratios of what is now, decibels for levels.
    #[must_use]
    pub const fn moves(self) -> &'static [Move] {
        match self {
            Self::Brighter => &[(Goal::Peak, 1.08, 1.15)],
            Self::Fuller => &[(Goal::Peak, 0.85, 0.93), (Goal::Inductance, 1.05, 1.35)],
            Self::MoreAttack => &[(Goal::Inductance, 0.8, 0.95), (Goal::PeakHeight, 0.5, 2.5)],
            Self::LessHarsh => &[(Goal::PeakHeight, -2.5, -0.8), (Goal::Peak, 0.93, 1.03)],
            Self::Louder => &[(Goal::Output, 1.0, 2.0), (Goal::Peak, 0.95, 1.05)],
            Self::Softer => &[(Goal::Output, -2.0, -1.0), (Goal::Peak, 0.95, 1.05)],
        }
    }

    /// The targets that it makes of a pickup.
    #[must_use]
    pub fn targets(self, now: &Prediction) -> Targets {
        let mut targets = Targets::default();
        for (goal, from, to) in self.moves() {
            let value = goal.value_in(now);
            let ends = if goal.is_level() { [value + from, value + to] } else { [value * from, value * to] };
            goal.target(&mut targets, ends);
        }
        targets
    }
}

impl FromStr for TonePreset {
    type Err = ();

    fn from_str(text: &str) -> Result<Self, ()> {
        Self::ALL.into_iter().find(|preset| preset.key() == text).ok_or(())
    }
}

/// Half the width of a target at what a reference pickup has: what two coils of one design differ by.
const ALIKE: f64 = 0.04;
const ALIKE_DB: f64 = 0.5;

impl Goal {
    /// Puts a target for this quantity, to the figures that people read.
    pub(crate) fn target(self, targets: &mut Targets, ends: [f64; 2]) {
        let place = match self {
            Self::Resistance => &mut targets.resistance_ohm,
            Self::Inductance => &mut targets.inductance_h,
            Self::Capacitance => &mut targets.capacitance_f,
            Self::Peak => &mut targets.peak_hz,
            Self::PeakHeight => &mut targets.peak_db,
            Self::Output => &mut targets.output_db,
        };
        let rounded = |v: f64| {
            if self.is_level() {
                (v * 10.0).round() / 10.0
            } else {
                let scale = 10f64.powf((v.abs().max(1e-300)).log10().floor() - 2.0);
                (v / scale).round() * scale
            }
        };
        *place = Some(ends.map(rounded).map(|v| if v.abs() > 1e-3 { (v * 1e4).round() / 1e4 } else { v }));
    }
}

/// Targets at a reference pickup, with one quantity moved: by a ratio less one (0.15 for 15 % more), which for levels is
/// a voltage. Resistance follows from the rest and is no target unless it is what moves.
#[must_use]
pub fn targets_like(reference: &Prediction, moved: Option<(Goal, f64)>) -> Targets {
    let mut targets = Targets::default();
    for goal in [Goal::Inductance, Goal::Peak, Goal::PeakHeight, Goal::Output, Goal::Resistance] {
        let by = moved.filter(|(g, _)| *g == goal).map(|(_, by)| by);
        if goal == Goal::Resistance && by.is_none() {
            continue;
        }
        // What a change carries with it cannot stay: more output means more inductance or a stronger magnet.
        let by = by.unwrap_or(0.0).clamp(-0.9, 9.0);
        let value = goal.value_in(reference);
        let ends = if goal.is_level() {
            let value = value + 20.0 * (1.0 + by).log10();
            [value - ALIKE_DB, value + ALIKE_DB]
        } else {
            let value = value * (1.0 + by);
            [value * (1.0 - ALIKE), value * (1.0 + ALIKE)]
        };
        goal.target(&mut targets, ends);
    }
    targets
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::tall_single;
    use crate::prediction::predict;
    use crate::search::Adjustment;
    use rstest::rstest;

    /// The words go the way that makers say they go (common practice, no source): fewer turns are brighter, more are
    /// fuller and louder.
    #[rstest]
    #[case(TonePreset::Brighter, Adjustment::Turns(-600), Goal::Peak)]
    #[case(TonePreset::Fuller, Adjustment::Turns(1000), Goal::Inductance)]
    #[case(TonePreset::Louder, Adjustment::Turns(1200), Goal::Output)]
    #[case(TonePreset::Softer, Adjustment::Turns(-1100), Goal::Output)]
    fn words_are_met_by_what_makers_do(
        #[case] preset: TonePreset,
        #[case] adjustment: Adjustment,
        #[case] goal: Goal,
    ) {
        let design = tall_single("Sedge", 6, 10.4);
        let now = predict(&design).unwrap();
        let targets = preset.targets(&now);
        let then = predict(&adjustment.applied(&design).unwrap()).unwrap();
        let [from, to] = match goal {
            Goal::Peak => targets.peak_hz,
            Goal::Inductance => targets.inductance_h,
            _ => targets.output_db,
        }
        .unwrap();
        assert!((from..=to).contains(&goal.value_in(&then)), "{from} to {to}: {}", goal.value_in(&then));
        assert!(!(from..=to).contains(&goal.value_in(&now)));
        assert_eq!(preset.key().parse(), Ok(preset));
    }

    #[test]
    fn as_that_one_with_more_output() {
        let reference = predict(&tall_single("Sedge", 6, 10.4)).unwrap();
        let targets = targets_like(&reference, Some((Goal::Output, 0.15)));
        let [from, to] = targets.output_db.unwrap();
        // 15 % more volts are 1.21 dB.
        let middle = 0.5 * (from + to) - reference.pickup.relative_output_db.nominal;
        assert!((middle - 1.21).abs() < 0.11, "{middle}");
        let [low, high] = targets.inductance_h.unwrap();
        assert!((low..=high).contains(&reference.pickup.inductance_h.nominal));
        assert_eq!(targets.resistance_ohm, None);
        assert!(targets_like(&reference, Some((Goal::Resistance, -0.1))).resistance_ohm.is_some());
    }
}
