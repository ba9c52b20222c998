//! How the coils are joined, what hangs on them, and what they should become.

use super::surroundings::Grounded;
use crate::circuit::LoadCircuit;
use crate::word::document_word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How the coils are joined.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wiring {
    /// single, series, parallel, sections, or `split:NAME` for one coil of several.
    #[serde(default = "default_join")]
    pub join: String,
    /// Which end of each coil looks to ground: `start-to-ground` or `finish-to-ground`.
    #[serde(default)]
    pub sense: std::collections::BTreeMap<String, Sense>,
    /// Which conducting parts are tied to ground; plates and covers when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub grounded: Option<Vec<Grounded>>,
    /// Distance of a grounded foil from the winding's thickest place, mm; 0.3 when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub foil_gap_mm: Option<f64>,
}

impl Default for Wiring {
    fn default() -> Self {
        Self {
            join: default_join(),
            sense: std::collections::BTreeMap::new(),
            grounded: None,
            foil_gap_mm: None,
        }
    }
}

document_word! {
    /// Which end of a coil looks to ground.
    #[allow(missing_docs, reason = "they say it themselves")]
    pub enum Sense {
        StartToGround,
        FinishToGround,
    }
}

/// What hangs on the pickup.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Load {
    /// Volume pot, kΩ; 250 when absent.
    #[serde(default = "default_pot")]
    pub volume_kohm: f64,
    /// Share of the volume pot's resistance between its wiper and ground, 0.01 to 1; 1 when absent, the knob fully up.
    #[serde(default = "fully_up", skip_serializing_if = "is_fully_up")]
    pub volume_at: f64,
    /// Tone pot, kΩ; 250 when absent.
    #[serde(default = "default_pot")]
    pub tone_kohm: f64,
    /// Share of the tone pot's resistance that stands before the capacitor, 0 to 1; 1 when absent, the knob fully up.
    #[serde(default = "fully_up", skip_serializing_if = "is_fully_up")]
    pub tone_at: f64,
    /// Tone capacitor, nF; 22 when absent, 0 for none.
    #[serde(default = "default_tone")]
    pub tone_nf: f64,
    /// Cable, pF; 470 when absent.
    #[serde(default = "default_cable")]
    pub cable_pf: f64,
    /// Amplifier input, MΩ; 1 when absent.
    #[serde(default = "default_input")]
    pub input_mohm: f64,
}

impl Load {
    /// As a circuit, with the knobs where they stand.
    #[must_use]
    pub fn circuit(&self) -> LoadCircuit {
        LoadCircuit {
            volume_ohm: self.volume_kohm * 1e3,
            volume_at: self.volume_at,
            tone_ohm: if self.tone_nf > 0.0 { self.tone_kohm * 1e3 * self.tone_at } else { f64::INFINITY },
            tone_f: self.tone_nf * 1e-9,
            cable_f: self.cable_pf * 1e-12,
            input_ohm: self.input_mohm * 1e6,
        }
    }
}

impl Default for Load {
    fn default() -> Self {
        Self {
            volume_kohm: default_pot(),
            volume_at: fully_up(),
            tone_kohm: default_pot(),
            tone_at: fully_up(),
            tone_nf: default_tone(),
            cable_pf: default_cable(),
            input_mohm: default_input(),
        }
    }
}

/// What the pickup should become: from – to.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Targets {
    /// Resistance at 20 °C, Ω.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub resistance_ohm: Option<[f64; 2]>,
    /// Inductance, H.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inductance_h: Option<[f64; 2]>,
    /// Capacitance, F.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub capacitance_f: Option<[f64; 2]>,
    /// Loaded peak, Hz.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub peak_hz: Option<[f64; 2]>,
    /// Unloaded resonance, Hz.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub resonance_unloaded_hz: Option<[f64; 2]>,
    /// Output, mV.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub output_mv: Option<[f64; 2]>,
    /// Height of the loaded peak, dB.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub peak_db: Option<[f64; 2]>,
    /// Output to the reference coil, dB; what sheets and searches show, against `output_mv` for files that know volts.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub output_db: Option<[f64; 2]>,
}

fn default_join() -> String {
    "single".into()
}

fn fully_up() -> f64 {
    1.0
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for a reference")]
fn is_fully_up(share: &f64) -> bool {
    *share >= 1.0
}

fn default_pot() -> f64 {
    250.0
}

fn default_tone() -> f64 {
    22.0
}

fn default_cable() -> f64 {
    470.0
}

fn default_input() -> f64 {
    1.0
}
