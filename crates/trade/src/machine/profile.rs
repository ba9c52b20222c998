//! What a winding machine is: how it turns and guides, how far and how fast, and in which letters it is told.

use serde::{Deserialize, Serialize};

/// How the spindle turns while the guide moves.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Drive {
    /// The spindle is a rotary axis in degrees, moved together with the guide.
    #[default]
    RotaryAxis,
    /// The spindle runs by itself, and the guide follows its turns by a feed in millimetres a turn.
    SynchronisedFeed,
}

impl Drive {
    /// Every drive.
    pub const ALL: [Self; 2] = [Self::RotaryAxis, Self::SynchronisedFeed];

    /// Its stable name.
    #[must_use]
    pub fn key(self) -> &'static str {
        self.into()
    }

    /// As people read it.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::RotaryAxis => "spindle is a rotary axis, in degrees",
            Self::SynchronisedFeed => "spindle runs by itself, the guide follows its turns",
        }
    }
}

/// A machine as its files are written for it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct MachineProfile {
    /// How the spindle turns.
    pub drive: Drive,
    /// Letter of the rotary axis: A, B or C.
    pub rotary: char,
    /// Letter of the guide's axis: X, Y, Z, U, V or W.
    pub guide: char,
    /// Whether the positive sense, or M3, winds clockwise seen from above the coil.
    pub positive_is_clockwise: bool,
    /// Lowest and highest place of the guide in the machine's own coordinate, mm.
    pub travel_mm: (f64, f64),
    /// The machine's coordinate where the guide stands at the inner face of the lower flange, mm.
    pub flange_at_mm: f64,
    /// Most that the guide moves in one turn, mm.
    pub step_mm: f64,
    /// Fewest and most turns per minute.
    pub rpm: (f64, f64),
    /// Lines before the program.
    pub header: Vec<String>,
    /// Lines before its end.
    pub footer: Vec<String>,
}

impl Default for MachineProfile {
    /// A small bench machine (common practice, no source).
    fn default() -> Self {
        Self {
            drive: Drive::RotaryAxis,
            rotary: 'C',
            guide: 'Z',
            positive_is_clockwise: true,
            travel_mm: (0.0, 40.0),
            flange_at_mm: 0.0,
            step_mm: 8.0,
            rpm: (10.0, 1500.0),
            header: Vec::new(),
            footer: Vec::new(),
        }
    }
}

/// What is wrong with a profile.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum ProfileFault {
    /// The rotary axis is A, B or C.
    RotaryLetter,
    /// The guide's axis is X, Y, Z, U, V or W.
    GuideLetter,
    /// The travel goes from a lower to a higher place, within two metres.
    Travel,
    /// The flange lies within the travel.
    Flange,
    /// The guide moves more than nothing in a turn.
    Step,
    /// Speeds are greater than 0, with minimum ≤ maximum.
    Speed,
    /// Up to 20 lines of up to 80 plain letters each, without an end of the program.
    Lines,
}

const MOST_LINES: usize = 20;
const MOST_LETTERS: usize = 80;

impl MachineProfile {
    /// What is wrong with it, all at once.
    #[must_use]
    pub fn faults(&self) -> Vec<ProfileFault> {
        let (low, high) = self.travel_mm;
        let lines_are_fine = |lines: &[String]| {
            let plain = |line: &String| {
                line.chars().count() <= MOST_LETTERS && line.chars().all(|c| c.is_ascii_graphic() || c == ' ')
            };
            let ends = |line: &String| {
                let code: String =
                    line.to_uppercase().split('(').next().unwrap_or("").split_whitespace().collect();
                ["M2", "M02", "M30", "%"].iter().any(|end| code.ends_with(end))
            };
            lines.len() <= MOST_LINES && lines.iter().all(plain) && !lines.iter().any(ends)
        };
        let checks = [
            (!"ABC".contains(self.rotary), ProfileFault::RotaryLetter),
            (!"XYZUVW".contains(self.guide), ProfileFault::GuideLetter),
            // Written so that what is no number is refused as well.
            (!(low < high && low >= -2000.0 && high <= 2000.0), ProfileFault::Travel),
            (!(low..=high).contains(&self.flange_at_mm), ProfileFault::Flange),
            (!(self.step_mm > 0.0 && self.step_mm <= 500.0), ProfileFault::Step),
            (!(self.rpm.0 > 0.0 && self.rpm.0 <= self.rpm.1 && self.rpm.1 <= 20_000.0), ProfileFault::Speed),
            (!lines_are_fine(&self.header) || !lines_are_fine(&self.footer), ProfileFault::Lines),
        ];
        checks.into_iter().filter(|(is_wrong, _)| *is_wrong).map(|(_, fault)| fault).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(MachineProfile { rotary: 'Z', ..MachineProfile::default() }, ProfileFault::RotaryLetter)]
    #[case(MachineProfile { guide: 'C', ..MachineProfile::default() }, ProfileFault::GuideLetter)]
    #[case(MachineProfile { travel_mm: (40.0, 0.0), ..MachineProfile::default() }, ProfileFault::Travel)]
    #[case(MachineProfile { travel_mm: (f64::NAN, 40.0), ..MachineProfile::default() }, ProfileFault::Travel)]
    #[case(MachineProfile { flange_at_mm: 90.0, ..MachineProfile::default() }, ProfileFault::Flange)]
    #[case(MachineProfile { step_mm: 0.0, ..MachineProfile::default() }, ProfileFault::Step)]
    #[case(MachineProfile { rpm: (-100.0, 500.0), ..MachineProfile::default() }, ProfileFault::Speed)]
    #[case(MachineProfile { header: vec!["G54 M30".into()], ..MachineProfile::default() }, ProfileFault::Lines)]
    #[case(MachineProfile { footer: vec!["µ".into()], ..MachineProfile::default() }, ProfileFault::Lines)]
    fn what_no_machine_is(#[case] profile: MachineProfile, #[case] fault: ProfileFault) {
        assert!(profile.faults().contains(&fault), "{:?}", profile.faults());
        assert!(MachineProfile::default().faults().is_empty());
    }
}
