//! The prediction document of a set, `filamentum-set-prediction/1`.

use crate::prediction::{Notice, Quantity};
use crate::word::document_word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a set will be.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct SetPrediction {
    /// Always `filamentum-set-prediction/1`.
    pub format: String,
    /// Version of the engine.
    pub engine: String,
    /// Position by position of the switch.
    pub positions: Vec<PositionPrediction>,
    /// Every two pickups, joined as a position joins them, in parallel where none does.
    pub pairs: Vec<Pair>,
    /// Pickup by pickup: how loud each is by itself.
    pub balance: Vec<Balance>,
    /// What the maker should know.
    pub notices: Vec<Notice>,
}

/// A position of the switch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PositionPrediction {
    /// What it is called.
    pub name: String,
    /// At the room temperature of the designs.
    pub resistance_ohm: Quantity,
    /// At low frequency.
    pub inductance_h: Quantity,
    /// Highest point of the response with controls and cable; none where it only falls.
    pub peak_hz: Option<Quantity>,
    /// Its height over the low-frequency level.
    pub peak_db: Quantity,
    /// Mean over the strings, RMS just after a pluck of 1 mm at a fifth of the length, partials to 5 kHz, each heard by the places of
    /// the pickups.
    pub output_mv: Quantity,
    /// The same against the reference coil at 45 mm from the bridge under the same strings, dB.
    pub relative_output_db: Quantity,
    /// How much less hum it has than with all coils that are on in one sense, dB, up to 80.
    pub hum_rejection_db: f64,
    /// What a string of the middle of the row bent to the next pole loses on the way, dB; none where a pickup has no magnet, or but one
    /// string.
    #[serde(default)]
    pub between_poles_db: Option<f64>,
    /// Whether the pickups that are on add up.
    pub phase: PairPhase,
    /// With controls and cable.
    pub response: PositionResponse,
}

/// Response of a position relative to its level at 80 Hz.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PositionResponse {
    /// Frequencies, Hz.
    pub hz: Vec<f64>,
    /// Level, dB.
    pub loaded_db: Vec<f64>,
    /// Level at 80 Hz against that of the loudest pickup, connected alone without any load, dB: where the position's curve
    /// begins when all positions are drawn over one another.
    #[serde(default)]
    pub low_db: f64,
}

document_word! {
    /// Whether what two pickups hear adds up.
    pub enum PairPhase {
        /// It adds.
        In,
        /// It cancels.
        Out,
    }
}

document_word! {
    /// What two pickups do to hum.
    pub enum Hum {
        /// It adds.
        Adds,
        /// It cancels.
        Cancels,
    }
}

document_word! {
    /// Whether two pickups agree.
    pub enum Orientation {
        /// They agree.
        Same,
        /// They are opposite.
        Opposite,
    }
}

impl PairPhase {
    pub(super) fn from_agreement(agrees: bool) -> Self {
        if agrees { Self::In } else { Self::Out }
    }
}

impl Orientation {
    pub(super) fn from_agreement(agrees: bool) -> Self {
        if agrees { Self::Same } else { Self::Opposite }
    }
}

/// Two pickups.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Pair {
    /// Name of the one.
    pub a: String,
    /// Name of the other.
    pub b: String,
    /// Which pole is up.
    pub polarity: Orientation,
    /// Which way round the current runs on its way to the hot lead: winding, and leads.
    pub sense: Orientation,
    /// Whether what they hear adds up: it does when polarity and sense both agree or both differ.
    pub phase: PairPhase,
    /// Whether hum cancels: it does when the senses differ.
    pub hum: Hum,
    /// How much less hum they have together than in one sense, dB, up to 80.
    pub hum_rejection_db: f64,
}

/// How loud a pickup is by itself, at its place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Balance {
    /// Its name.
    pub name: String,
    /// As of a position.
    pub output_mv: Quantity,
    /// Against the mean level of all pickups, dB.
    pub relative_db: f64,
    /// String by string.
    pub strings: Vec<StringBalance>,
}

/// A string over a pickup.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct StringBalance {
    /// Its number, from 1.
    pub string: u32,
    /// Output, mV.
    pub output_mv: f64,
    /// Against the mean of the pickup's strings, dB.
    pub relative_db: f64,
}
