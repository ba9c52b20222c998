//! The prediction document, `filamentum-prediction/1`.

use crate::circuit::{InstrumentInput, MeterReading, Network};
use crate::design::Polarity;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A predicted number with its 5–95 % band.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Quantity {
    /// The number to expect.
    pub nominal: f64,
    /// One in twenty coils falls below.
    pub p05: f64,
    /// One in twenty coils lies above.
    pub p95: f64,
}

impl Quantity {
    /// Whether `value` lies inside the band.
    ///
    /// ```
    /// use coil::prediction::Quantity;
    /// let quantity = Quantity { nominal: 5.8, p05: 5.5, p95: 6.1 };
    /// assert!(quantity.contains(5.5) && !quantity.contains(6.2));
    /// ```
    #[must_use]
    pub fn contains(&self, value: f64) -> bool {
        self.p05 <= value && value <= self.p95
    }
}

/// What a design will be.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Prediction {
    /// Always `filamentum-prediction/1`.
    pub format: String,
    /// Version of the engine.
    pub engine: String,
    /// Coil by coil.
    pub coils: Vec<CoilPrediction>,
    /// The whole pickup.
    pub pickup: PickupPrediction,
    /// Pole by pole.
    pub poles: Vec<PolePrediction>,
    /// String by string.
    pub strings: Vec<StringPrediction>,
    /// Frequency response.
    pub response: Response,
    /// The equivalent circuit that the response is of.
    pub circuit: Network,
    /// What the maker should know.
    pub notices: Vec<Notice>,
    /// Which input each band comes from, largest share first.
    pub contributions: Vec<Contribution>,
}

/// The figures of a prediction without its curves and circuit: what is kept beside a wound coil.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PredictionSummary {
    /// The whole pickup.
    pub pickup: PickupPrediction,
    /// Coil by coil.
    pub coils: Vec<CoilPrediction>,
    /// Which input each band comes from, largest share first.
    pub contributions: Vec<Contribution>,
}

impl Prediction {
    /// The same with the resonance that an instrument shows which is connected to the leads.
    #[must_use]
    pub fn with_instrument(mut self, input: InstrumentInput) -> Self {
        self.pickup.resonance_instrument_hz = self.resonance_seen_by(input);
        self
    }

    /// The resonance that an instrument shows as it is swept, with its input across the leads. Its band is that of inductance
    /// and of capacitance, of which the input's own share is known. Nothing where its input damps the coil so far that it sees
    /// no peak.
    #[must_use]
    pub fn resonance_seen_by(&self, input: InstrumentInput) -> Option<Quantity> {
        let seen = self.circuit.seen_by(input);
        let nominal = seen.is_peak().then_some(seen.peak_hz)?;
        let (l, c) = (self.pickup.inductance_h, self.pickup.capacitance_f);
        let share = c.nominal / (c.nominal + input.capacitance_f);
        // A higher inductance or capacitance is a lower resonance: ends change places.
        let moved = |l_end: f64, c_end: f64| {
            let (l, c) = ((l_end / l.nominal).ln(), share * (c_end / c.nominal).ln());
            0.5 * l.hypot(c)
        };
        Some(Quantity {
            nominal,
            p05: nominal * (-moved(l.p95, c.p95)).exp(),
            p95: nominal * moved(l.p05, c.p05).exp(),
        })
    }

    /// Its figures.
    #[must_use]
    pub fn summary(&self) -> PredictionSummary {
        PredictionSummary {
            pickup: self.pickup.clone(),
            coils: self.coils.clone(),
            contributions: self.contributions.clone(),
        }
    }
}

/// One coil.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[allow(missing_docs, reason = "the key says it, with its unit; docs/formats.md tells more")]
pub struct CoilPrediction {
    pub name: String,
    pub turns: u32,
    pub wire_length_m: Quantity,
    pub wire_mass_g: Quantity,
    pub mean_turn_mm: f64,
    pub build_mm: f64,
    pub build_max_mm: f64,
    /// Build over the room for it.
    pub fill: f64,
    pub packing: f64,
    pub resistance_20c_ohm: Quantity,
    pub inductance_air_h: Quantity,
    pub inductance_h: Quantity,
    /// Between its turns, without leads.
    pub capacitance_f: Quantity,
    /// Thinnest place away from the edges.
    pub build_min_mm: f64,
    /// Turns laid outside the flange's edge, which will have jumped it.
    pub jumped_turns: u32,
    /// Neighbours that a turn has on average.
    pub neighbours: f64,
    /// Winding time at 500 turns per minute.
    pub minutes: f64,
}

/// The whole pickup.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[allow(missing_docs, reason = "the key says it, with its unit; docs/formats.md tells more")]
pub struct PickupPrediction {
    pub resistance_20c_ohm: Quantity,
    /// At the design's room temperature.
    pub resistance_ohm: Quantity,
    pub inductance_h: Quantity,
    /// As a meter shows it at 1 kHz.
    pub inductance_1khz_h: Quantity,
    /// Coils, leads, and what is grounded.
    pub capacitance_f: Quantity,
    /// Inductance matrix of all coils, H; mutual inductances for currents that run the same way round.
    pub mutual: Vec<Vec<f64>>,
    /// The coil with its leads, undamped.
    pub resonance_unloaded_hz: Quantity,
    /// As the chosen instrument shows it with its own input across the leads; only where one is chosen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub resonance_instrument_hz: Option<Quantity>,
    /// The highest point of the response with the load; none where it only falls.
    #[serde(default)]
    pub peak_hz: Option<Quantity>,
    pub peak_db: Quantity,
    pub minus3db_hz: Quantity,
    /// Output against the reference coil (7,500 turns of 42 AWG on the standard tall single, full
    /// alnico 5, strings 2.4 mm above), dB.
    pub relative_output_db: Quantity,
    /// Mean over the strings, RMS just after a pluck of 1 mm at a fifth of the length, partials to 5 kHz.
    pub output_mv: Quantity,
    /// How much less hum the coils pick up than all in one sense; nothing for one coil.
    pub hum_rejection_db: Option<f64>,
    /// What meters show at the usual test frequencies.
    pub meter: Vec<MeterReading>,
}

/// One pole.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[allow(missing_docs, reason = "the key says it, with its unit; docs/formats.md tells more")]
pub struct PolePrediction {
    pub string: u32,
    pub face_mt: Quantity,
    pub string_mt: Quantity,
    pub up: Polarity,
}

/// One string.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct StringPrediction {
    /// Its number, from 1.
    pub string: u32,
    /// Output, RMS just after the pluck.
    pub output_mv: Quantity,
    /// Output against the same string over the reference coil, dB.
    pub relative_db: f64,
    /// Output against the mean of all strings, dB.
    pub balance_db: f64,
    /// Its partials up to 12 kHz as the pickup hears them.
    #[serde(default)]
    pub partials: Vec<Partial>,
    /// Pull of the magnets on the string, mN.
    #[serde(default)]
    pub pull_mn: f64,
    /// How far that pull detunes the open string's fundamental where it swings towards the pickup, cents; below zero is flat.
    #[serde(default)]
    pub pull_cents: f64,
}

/// One partial of a string.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Partial {
    /// Which, from 1.
    pub n: u32,
    /// Its frequency on the open string, without stiffness, Hz.
    pub hz: f64,
    /// What the pickup's place and the width of string that it hears do to it, dB: 0 for a point at an antinode.
    pub place_db: f64,
    /// The same with the loaded circuit and with what eddy currents take, relative to low frequencies, dB.
    pub loaded_db: f64,
}

/// Frequency response relative to the level at 80 Hz.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Response {
    /// Frequencies, Hz.
    pub hz: Vec<f64>,
    /// Coil alone, dB.
    pub unloaded_db: Vec<f64>,
    /// With the design's load, dB.
    pub loaded_db: Vec<f64>,
}

/// How serious a notice is.
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
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Level {
    /// Cannot be wound as it stands.
    Stop,
    /// Will probably go wrong.
    Warn,
    /// Worth knowing.
    Note,
}

/// Something the maker should know.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Notice {
    /// How serious.
    pub level: Level,
    /// A stable name for programs.
    pub code: String,
    /// The place in the document.
    pub at: String,
    /// What, with the numbers.
    pub text: String,
    /// What to try.
    #[serde(rename = "try")]
    pub try_: String,
}

/// What the input of a contribution is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ContributionSource<'a> {
    /// A value of the design, by its place in the document.
    Place(&'a str),
    /// The error of a model, by what it computes.
    Model(&'a str),
    /// What a workshop's runs leave open of a quantity.
    Runs(&'a str),
}

/// Prefixes of inputs that are no places.
pub(super) const OF_MODEL: &str = "model: ";
pub(super) const OF_RUNS: &str = "runs: ";

impl Contribution {
    /// What its input is.
    #[must_use]
    pub fn source(&self) -> ContributionSource<'_> {
        if let Some(model) = self.input.strip_prefix(OF_MODEL) {
            return ContributionSource::Model(model);
        }
        self.input
            .strip_prefix(OF_RUNS)
            .map_or(ContributionSource::Place(&self.input), ContributionSource::Runs)
    }
}

/// How much of a band comes from one input.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Contribution {
    /// The input's place in the document, or the model's own error.
    pub input: String,
    /// The quantity whose band it widens.
    pub to: String,
    /// Share of the band's variance, 0…1.
    pub share: f64,
}
