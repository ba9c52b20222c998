//! A coil of a document: what it is wound on, its wire, its winding.

use crate::former::Core;
use crate::wire::{Build, Gauge, Insulation, ToleranceRange, WireData, at_temperature};
use crate::word::document_word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A coil.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Coil {
    /// Its name, unique in the design.
    pub name: String,
    /// Centre of its outline, x and y, mm.
    #[serde(default)]
    pub center_mm: [f64; 2],
    /// Height of the underside of its lower flange, mm.
    #[serde(default)]
    pub base_mm: f64,
    /// What it is wound on.
    pub former: Former,
    /// The wire.
    pub wire: Wire,
    /// The winding.
    pub wind: Wind,
}

/// What a coil is wound on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Former {
    /// The core.
    pub core: Core,
    /// Winding height between the flanges, mm.
    pub height_mm: f64,
    /// Room for the build, from core to the flange's edge, mm.
    pub room_mm: f64,
    /// Thickness of the lower flange, mm; 2.4 when absent.
    #[serde(default = "default_flange")]
    pub flange_bottom_mm: f64,
    /// Thickness of the upper flange, mm; 2.4 when absent.
    #[serde(default = "default_flange")]
    pub flange_top_mm: f64,
}

/// The wire of a coil.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wire {
    /// The gauge.
    pub gauge: Gauge,
    /// The enamel.
    pub insulation: Insulation,
    /// Its thickness.
    pub build: Build,
    /// The tolerance it was ordered to.
    #[serde(default)]
    pub range: ToleranceRange,
    /// What was measured on the spool itself, which wins over the tables.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub spool: Option<Spool>,
}

impl Wire {
    /// The wire by the tables, and by what was measured on its spool.
    #[must_use]
    pub fn data(&self) -> WireData {
        let spool = self.spool.unwrap_or_default();
        let m = |mm: Option<f64>| mm.map(|v| v * 1e-3);
        let ohms = spool.ohm_per_m.map(|r| at_temperature(r, spool.at_c.unwrap_or(20.0), 20.0));
        WireData::ordered(self.gauge, self.insulation, self.build, self.range).measured(
            m(spool.bare_mm),
            m(spool.overall_mm),
            ohms,
        )
    }

    /// Ohms a metre at 20 °C.
    ///
    /// ```
    /// use coil::design::reference_coil;
    /// let wire = &reference_coil().coils[0].wire;
    /// assert!((5.0..6.0).contains(&wire.ohm_per_m_20c()), "42 AWG has about 5.4 Ω/m");
    /// ```
    #[must_use]
    pub fn ohm_per_m_20c(&self) -> f64 {
        self.data().ohm_per_m
    }
}

/// What was measured on a spool.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Spool {
    /// Bare diameter, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bare_mm: Option<f64>,
    /// Diameter over the insulation, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub overall_mm: Option<f64>,
    /// Ohms per metre, read at `at_c`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ohm_per_m: Option<f64>,
    /// Temperature of that reading, °C; 20 when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_c: Option<f64>,
    /// Wire left, m.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub left_m: Option<f64>,
}

/// The winding of a coil.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wind {
    /// Turns.
    pub turns: u32,
    /// Direction seen from above, start to finish.
    #[serde(default)]
    pub direction: Direction,
    /// Turns that one pass of the guide lays; as many as fit side by side when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub turns_per_pass: Option<f64>,
    /// Hand wander as a share of the height; 0 is machine-straight.
    #[serde(default)]
    pub wander: f64,
    /// How far inside the flanges the guide turns, mm.
    #[serde(default)]
    pub margin_mm: f64,
    /// A staged plan of the guide.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub plan: Vec<Stage>,
    /// The guide's own path: turn, and height from the lower flange (0) to the upper (1), straight between points and begun
    /// anew when it ends before the last turn. It stands instead of passes, margin and plan.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub path: Vec<[f64; 2]>,
    /// Pull on the wire, N.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tension_n: Option<f64>,
    /// Measured packing: wire diameter squared over window area. From the wander when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub packing: Option<f64>,
    /// Seed of the simulated lay.
    #[serde(default = "default_seed")]
    pub seed: u64,
}

document_word! {
    /// Direction of winding seen from above, from start to finish.
    #[derive(Default)]
    #[allow(missing_docs, reason = "they say it themselves")]
    pub enum Direction {
        #[default]
        Clockwise,
        CounterClockwise,
    }
}

/// A stage of the guide's plan.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stage {
    /// Up to which turn it holds.
    pub until_turn: u32,
    /// Where the guide prefers to be.
    pub bias: Bias,
}

document_word! {
    /// Where the guide prefers to be.
    #[allow(missing_docs, reason = "they say it themselves")]
    pub enum Bias {
        Even,
        Centre,
        Edges,
        Top,
        Bottom,
    }
}

fn default_flange() -> f64 {
    2.4
}

pub(super) fn default_seed() -> u64 {
    1
}
