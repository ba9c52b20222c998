//! Nelson's rules, in plain words.

use super::Limits;

/// A rule that a run of points breaks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Rule {
    /// 1: a point beyond the limits.
    FarOut,
    /// 2: nine in a row on one side of the mean.
    OneSide,
    /// 3: six in a row, each further up or each further down.
    Steady,
    /// 4: fourteen in a row, up and down in turn.
    Zigzag,
    /// 5: two of three beyond two thirds of the way, on one side.
    NearLimit,
    /// 6: four of five beyond a third of the way, on one side.
    OffMiddle,
    /// 7: fifteen in a row within a third of the way.
    Hugging,
    /// 8: eight in a row with none within a third of the way.
    TwoCrowds,
}

impl Rule {
    /// Every rule, as Nelson numbers them.
    pub const ALL: [Self; 8] = [
        Self::FarOut,
        Self::OneSide,
        Self::Steady,
        Self::Zigzag,
        Self::NearLimit,
        Self::OffMiddle,
        Self::Hugging,
        Self::TwoCrowds,
    ];

    /// What happened.
    #[must_use]
    pub const fn what(self) -> &'static str {
        match self {
            Self::FarOut => "one coil beyond the control limits",
            Self::OneSide => "nine in a row on one side of the mean",
            Self::Steady => "six in a row, steadily rising or falling",
            Self::Zigzag => "fourteen alternating up and down",
            Self::NearLimit => "two of three near the same limit",
            Self::OffMiddle => "four of five away from the mean, on the same side",
            Self::Hugging => "fifteen close to the mean",
            Self::TwoCrowds => "eight with none near the mean",
        }
    }

    /// What it usually means, and what to look at (common practice, no source).
    #[must_use]
    pub const fn why(self) -> &'static str {
        match self {
            Self::FarOut => "a single event: measure it again and read its remarks",
            Self::OneSide => {
                "the level has moved: look for what changed at that time, such as the spool or the operator"
            }
            Self::Steady => "something drifts: the tension, a worn felt, the room temperature",
            Self::Zigzag => "two sources alternate: two winders, two spools or two operators",
            Self::NearLimit => "the level is close to a limit: check before the next coil",
            Self::OffMiddle => "the level has probably moved a little",
            Self::Hugging => {
                "less spread than the limits allow: unlike coils are mixed, or readings are rounded"
            }
            Self::TwoCrowds => "two kinds of coil in one list: split it by spool or by operator",
        }
    }

    /// How many points it looks at.
    const fn window(self) -> usize {
        match self {
            Self::FarOut => 1,
            Self::OneSide => 9,
            Self::Steady => 6,
            Self::Zigzag => 14,
            Self::NearLimit => 3,
            Self::OffMiddle => 5,
            Self::Hugging => 15,
            Self::TwoCrowds => 8,
        }
    }

    /// Whether the points, in standard deviations from the middle, break it; as many as its window.
    fn broken(self, z: &[f64]) -> bool {
        let beyond = |points: &[f64], far: f64, enough: usize| {
            points.iter().filter(|z| **z > far).count() >= enough
                || points.iter().filter(|z| **z < -far).count() >= enough
        };
        let last = z[z.len() - 1];
        match self {
            Self::FarOut => last.abs() > 3.0,
            Self::OneSide => beyond(z, 0.0, 9),
            Self::Steady => z.windows(2).all(|p| p[1] > p[0]) || z.windows(2).all(|p| p[1] < p[0]),
            Self::Zigzag => z.windows(3).all(|p| (p[1] - p[0]) * (p[2] - p[1]) < 0.0),
            // The last point is one of them: each breach is told where it came about.
            Self::NearLimit => last.abs() > 2.0 && beyond(z, 2.0, 2),
            Self::OffMiddle => last.abs() > 1.0 && beyond(z, 1.0, 4),
            Self::Hugging => z.iter().all(|z| z.abs() < 1.0),
            Self::TwoCrowds => {
                z.iter().all(|z| z.abs() > 1.0) && z.iter().any(|z| *z > 0.0) && z.iter().any(|z| *z < 0.0)
            }
        }
    }
}

/// A stretch of points that breaks a rule.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Breach {
    /// Which rule.
    pub rule: Rule,
    /// The first and the last point of the stretch.
    pub from: usize,
    /// The last point.
    pub to: usize,
}

/// Every stretch that breaks a rule, in the order in which they ended; stretches of one rule that overlap are one.
#[must_use]
pub fn breaches(values: &[f64], limits: &Limits) -> Vec<Breach> {
    if limits.sigma <= 0.0 {
        return Vec::new();
    }
    let z: Vec<f64> = values.iter().map(|v| (v - limits.centre) / limits.sigma).collect();
    let mut found: Vec<Breach> = Vec::new();
    for rule in Rule::ALL {
        let window = rule.window();
        let mut of_rule: Vec<Breach> = Vec::new();
        for to in window - 1..z.len() {
            let from = to + 1 - window;
            if !rule.broken(&z[from..=to]) {
                continue;
            }
            match of_rule.last_mut() {
                Some(last) if from <= last.to && rule != Rule::FarOut => last.to = to,
                _ => of_rule.push(Breach { rule, from, to }),
            }
        }
        found.extend(of_rule);
    }
    found.sort_by_key(|b| (b.to, b.rule));
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const UNIT: Limits = Limits { centre: 0.0, lower: -3.0, upper: 3.0, sigma: 1.0 };

    /// Each rule by the shortest run that breaks it, and the same run one point short of it (Nelson 1984).
    #[rstest]
    #[case(Rule::FarOut, &[0.2, 3.1])]
    #[case(Rule::OneSide, &[0.4, 0.2, 0.9, 0.3, 0.5, 0.2, 0.6, 0.3, 0.4])]
    #[case(Rule::Steady, &[-0.9, -0.5, -0.2, 0.1, 0.5, 0.8])]
    #[case(Rule::Zigzag, &[0.1, -0.1, 0.3, -0.4, 0.2, -0.6, 0.1, -0.2, 0.4, -0.3, 0.5, -0.1, 0.2, -0.2])]
    #[case(Rule::NearLimit, &[2.2, -0.1, 2.4])]
    #[case(Rule::OffMiddle, &[1.2, 1.4, -0.3, 1.1, 1.6])]
    #[case(Rule::Hugging, &[0.1, 0.2, -0.3, 0.4, 0.3, -0.2, -0.1, 0.2, 0.5, -0.4, -0.1, 0.3, 0.2, -0.6, 0.1])]
    #[case(Rule::TwoCrowds, &[1.3, -1.2, -1.4, 1.2, 1.5, -1.1, 1.4, -1.3])]
    fn each_rule_breaks_at_its_count_and_not_before(#[case] rule: Rule, #[case] z: &[f64]) {
        let rules = |z: &[f64]| breaches(z, &UNIT).iter().map(|b| b.rule).collect::<Vec<_>>();
        assert_eq!(rules(z), [rule]);
        assert!(rules(&z[..z.len() - 1]).is_empty());
        let mirrored: Vec<f64> = z.iter().map(|z| -z).collect();
        assert_eq!(rules(&mirrored), [rule]);
    }

    #[test]
    fn a_long_stretch_is_told_once() {
        let z = [0.1, -0.1, 0.4, 0.2, 0.9, 0.3, 0.5, 0.2, 0.6, 0.3, 0.4, 0.8, 0.3];
        let found = breaches(&z, &UNIT);
        assert_eq!(found, [Breach { rule: Rule::OneSide, from: 2, to: 12 }]);
    }
}
