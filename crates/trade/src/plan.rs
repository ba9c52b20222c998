//! What was asked of a coil, apart from what was predicted of it: its planned turns, the design's targets, and the wire that
//! the design names.

use crate::reading::{Kind, Reading, latest};
use coil::design::{Design, Targets};
use coil::prediction::{PredictionSummary, Quantity};
use serde::{Deserialize, Serialize};

/// What was asked.
#[derive(Clone, Debug, Default)]
pub struct Plan {
    /// Turns of the first coil.
    pub turns: Option<u32>,
    /// The design's targets.
    pub targets: Targets,
    /// What the design promises with its own wire, where the coil was wound of another.
    pub designed: Option<PredictionSummary>,
}

/// What was asked for and is not there.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Missed {
    /// Which asking.
    pub asked: Asked,
    /// The quantity.
    pub kind: Kind,
    /// From and to, SI; turns for turns.
    pub range: [f64; 2],
    /// What was read, SI.
    pub got: f64,
}

/// What asks for something.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, strum::IntoStaticStr)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Asked {
    /// The plan of the run.
    Plan,
    /// A target of the design.
    Target,
    /// The design with the wire that it names.
    Design,
}

/// Share of the planned turns, and turns, that a coil may have more or fewer before it is not as planned.
const TURNS_OFF: (f64, f64) = (0.02, 20.0);

impl Plan {
    /// What a document asks for that is wound with the wire that it names.
    #[must_use]
    pub fn from_design(design: &Design) -> Self {
        let turns = design.coils.first().map(|c| c.wind.turns);
        Self { turns, targets: design.targets.clone(), designed: None }
    }

    /// What of it the readings miss.
    #[must_use]
    pub fn missed(&self, readings: &[Reading]) -> Vec<Missed> {
        let value = |kind: Kind| latest(readings, kind).and_then(|r| r.value);
        let ohms = latest(readings, Kind::Resistance).and_then(Reading::ohms_at_20c);
        let mut all = Vec::new();
        let mut ask = |asked: Asked, kind: Kind, range: Option<[f64; 2]>, got: Option<f64>| {
            if let (Some(range), Some(got)) = (range, got)
                && !(range[0]..=range[1]).contains(&got)
            {
                all.push(Missed { asked, kind, range, got });
            }
        };
        let turns = self.turns.map(f64::from).map(|planned| {
            let off = (planned * TURNS_OFF.0).max(TURNS_OFF.1);
            [planned - off, planned + off]
        });
        ask(Asked::Plan, Kind::Turns, turns, value(Kind::Turns));
        ask(Asked::Target, Kind::Resistance, self.targets.resistance_ohm, ohms);
        ask(Asked::Target, Kind::Inductance, self.targets.inductance_h, value(Kind::Inductance));
        ask(Asked::Target, Kind::Capacitance, self.targets.capacitance_f, value(Kind::Capacitance));
        let band = |q: Quantity| [q.p05, q.p95];
        let designed = self.designed.as_ref().map(|d| &d.pickup);
        ask(Asked::Design, Kind::Resistance, designed.map(|d| band(d.resistance_20c_ohm)), ohms);
        let inductance = designed.map(|d| band(d.inductance_1khz_h));
        ask(Asked::Design, Kind::Inductance, inductance, value(Kind::Inductance));
        all
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn read(kind: Kind, value: f64) -> Reading {
        let (coil_c, test_hz) = (Some(20.0), Some(1000.0));
        Reading {
            id: 1,
            corrects: None,
            kind,
            pole: None,
            value: Some(value),
            coil_c,
            test_hz,
            probe_mm: None,
            taken_at: None,
        }
    }

    #[rstest]
    #[case(7500.0, None)]
    #[case(7400.0, None)]
    #[case(6500.0, Some(Kind::Turns))]
    #[case(8200.0, Some(Kind::Turns))]
    fn turns_are_held_against_the_plan(#[case] wound: f64, #[case] missed: Option<Kind>) {
        let plan = Plan { turns: Some(7500), ..Plan::default() };
        let found = plan.missed(&[read(Kind::Turns, wound)]);
        assert_eq!(found.first().map(|m| m.kind), missed);
    }

    #[test]
    fn readings_are_held_against_targets() {
        let targets = Targets { resistance_ohm: Some([5600.0, 6000.0]), ..Targets::default() };
        let plan = Plan { targets, ..Plan::default() };
        assert!(plan.missed(&[]).is_empty() && plan.missed(&[read(Kind::Resistance, 5800.0)]).is_empty());
        let found = plan.missed(&[read(Kind::Resistance, 5200.0)]);
        assert_eq!((found[0].asked, found[0].range, found[0].got), (Asked::Target, [5600.0, 6000.0], 5200.0));
        // A target is at 20 °C: a warm coil is reckoned back.
        let warm = Reading { coil_c: Some(45.0), ..read(Kind::Resistance, 6200.0) };
        assert!(plan.missed(&[warm]).is_empty());
    }
}
