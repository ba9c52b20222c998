//! The kinds of instruments on a winder's bench.

use serde::{Deserialize, Serialize};

/// What an instrument does.
///
/// ```
/// use trade::instrument::InstrumentKind;
/// assert_eq!("lcr".parse(), Ok(InstrumentKind::Lcr));
/// assert_eq!(InstrumentKind::Winder.key(), "winder");
/// ```
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, strum::EnumString, strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum InstrumentKind {
    /// Reads resistance.
    Ohm,
    /// Reads inductance and quality at a test frequency.
    Lcr,
    /// Reads flux density with its polarity.
    Gauss,
    /// Sweeps a response.
    Sweep,
    /// Winds and counts.
    Winder,
}

impl InstrumentKind {
    /// Every kind.
    pub const ALL: [Self; 5] = [Self::Ohm, Self::Lcr, Self::Gauss, Self::Sweep, Self::Winder];

    /// Its stable name.
    #[must_use]
    pub fn key(self) -> &'static str {
        self.into()
    }

    /// As people read it.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Ohm => "ohm meter",
            Self::Lcr => "LCR meter",
            Self::Gauss => "gaussmeter with polarity",
            Self::Sweep => "sweep analyser",
            Self::Winder => "winder with counter",
        }
    }

    /// The unit of its resolution.
    #[must_use]
    pub const fn unit(self) -> &'static str {
        match self {
            Self::Ohm => "Ω",
            Self::Lcr => "H",
            Self::Gauss => "T",
            Self::Sweep => "dB",
            Self::Winder => "turns",
        }
    }
}
