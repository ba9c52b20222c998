//! The design document, `filamentum-design/1`: the one model of a pickup.
//!
//! Reading refuses unknown keys by name; [`Design::problems`] lists everything that contradicts the
//! allowed ranges, all at once, by its place in the document.

mod arrange;
mod check;
mod difference;
mod limits;
mod read;
mod row;
mod start;
mod surroundings;

pub use arrange::{Stagger, Step, StepError};
pub use check::Problem;
pub use difference::{Change, differences};
pub use limits::{LIMITS, Limit, limit_at};
pub use read::{LONGEST_BYTES, read, read_value, schema};
pub use row::{follow_row, place_in_row};
pub use start::{reference_coil, starting_point, tall_single};
pub use surroundings::{Grounded, LeadKind, Leads, Medium, Potting};

use crate::circuit::LoadCircuit;
use crate::former::Core;
use crate::magnet::Material;
use crate::string::note_hz;
use crate::wire::{Build, Gauge, Insulation, ToleranceRange, WireData, at_temperature};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The format name that every document carries.
pub const FORMAT: &str = "filamentum-design/1";

/// A pickup.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Design {
    /// Always `filamentum-design/1`.
    pub format: String,
    /// What its maker calls it.
    pub name: String,
    /// The format of the pickup.
    pub kind: Kind,
    /// Room temperature for which `resistance_ohm` is predicted, °C; 22 when absent.
    #[serde(default = "default_room")]
    pub room_c: f64,
    /// The strings over it.
    pub strings: Strings,
    /// Its coils, at least one.
    pub coils: Vec<Coil>,
    /// Its poles.
    #[serde(default)]
    pub poles: Vec<Pole>,
    /// Bar magnets.
    #[serde(default)]
    pub bars: Vec<Bar>,
    /// Plates, covers, keepers.
    #[serde(default)]
    pub metal: Vec<Metal>,
    /// What fills the gaps between the turns; nothing when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub potting: Option<Potting>,
    /// The leads before any cable; a twisted pair of 300 mm when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub leads: Option<Leads>,
    /// How the coils are joined.
    #[serde(default)]
    pub wiring: Wiring,
    /// What hangs on it.
    #[serde(default)]
    pub load: Load,
    /// What it should become.
    #[serde(default)]
    pub aims: Aims,
}

/// The format of a pickup.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs, reason = "the names are those of docs/formats.md, which describes them")]
pub enum Kind {
    TallSingle,
    ShortSingle,
    WideSingle,
    TwinCoil,
    StackedTwin,
    Blade,
    ButtonMagnet,
    Concentric,
    PerString,
}

/// The strings.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Strings {
    /// How many, 4 to 10.
    pub count: u32,
    /// Distance between neighbours over the poles, mm.
    pub pitch_mm: f64,
    /// Vibrating length, mm; 648 when absent.
    #[serde(default = "default_scale")]
    pub scale_mm: f64,
    /// From the bridge to the poles, mm; 45 when absent.
    #[serde(default = "default_from_bridge")]
    pub from_bridge_mm: f64,
    /// Which hand plucks.
    #[serde(default)]
    pub handed: Handed,
    /// The strings one by one, string 1 first; a usual set when empty.
    #[serde(default)]
    pub each: Vec<OneString>,
}

/// Which hand plucks.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Handed {
    /// The right.
    #[default]
    Right,
    /// The left.
    Left,
}

/// One string.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OneString {
    /// The note it is tuned to, such as E4.
    #[serde(default)]
    pub note: String,
    /// Outer diameter, mm.
    pub diameter_mm: f64,
    /// Steel core of a wound string, mm; the whole of a plain one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub core_mm: Option<f64>,
    /// From the pole's face to the string's underside, mm; 2.4 when absent.
    #[serde(default = "default_gap")]
    pub gap_mm: f64,
}

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

/// Direction of winding seen from above, from start to finish.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs, reason = "they say it themselves")]
pub enum Direction {
    #[default]
    Clockwise,
    CounterClockwise,
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

/// Where the guide prefers to be.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs, reason = "they say it themselves")]
pub enum Bias {
    Even,
    Centre,
    Edges,
    Top,
    Bottom,
}

/// A pole.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Pole {
    /// The coil it stands in.
    pub coil: String,
    /// The string above it, from 1; a blade has none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub string: Option<u32>,
    /// Where it stands along the row, mm.
    pub x_mm: f64,
    /// Its shape.
    #[serde(default)]
    pub shape: PoleShape,
    /// Diameter, mm; the width of a square pole, the thickness of a blade.
    pub diameter_mm: f64,
    /// Length, mm.
    pub length_mm: f64,
    /// Height of its lower face, mm.
    #[serde(default)]
    pub bottom_mm: f64,
    /// Width of the bevel of its upper edge at 45°, mm, of a round pole: less than half its diameter and than its length; 0 when
    /// absent, a sharp edge.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub bevel_mm: f64,
    /// What it is made of.
    pub material: Material,
    /// Charge as a share of saturation; 1 when absent.
    #[serde(default = "default_charge")]
    pub charge: f64,
    /// The pole that looks up.
    #[serde(default)]
    pub up: Polarity,
}

impl Pole {
    /// Whether its section is a circle.
    #[must_use]
    pub fn is_round(&self) -> bool {
        !matches!(self.shape, PoleShape::Blade | PoleShape::Square)
    }
}

/// Shape of a pole.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs, reason = "they say it themselves")]
pub enum PoleShape {
    #[default]
    Rod,
    Screw,
    Slug,
    Blade,
    Button,
    Square,
}

/// A magnetic pole.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs, reason = "they say it themselves")]
pub enum Polarity {
    North,
    #[default]
    South,
}

impl Polarity {
    /// The other one.
    #[must_use]
    pub const fn other(self) -> Self {
        match self {
            Self::North => Self::South,
            Self::South => Self::North,
        }
    }
}

/// A bar magnet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Bar {
    /// What it is made of.
    pub material: Material,
    /// Size along x, y and z, mm.
    pub size_mm: [f64; 3],
    /// Centre, mm.
    pub center_mm: [f64; 3],
    /// The axis it is magnetised along.
    pub magnetised: Axis,
    /// Charge as a share of saturation.
    #[serde(default = "default_charge")]
    pub charge: f64,
    /// Which end of that axis is north.
    #[serde(default)]
    pub north: End,
}

/// An axis.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs, reason = "they say it themselves")]
pub enum Axis {
    X,
    Y,
    Z,
}

/// An end of an axis.
#[derive(
    Clone,
    Copy,
    Debug,
    Default,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs, reason = "they say it themselves")]
pub enum End {
    #[default]
    Positive,
    Negative,
}

/// A plate, cover or keeper.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Metal {
    /// What it is.
    pub part: MetalPart,
    /// What it is made of.
    pub material: Material,
    /// Size along x, y and z, mm; outside.
    pub size_mm: [f64; 3],
    /// Centre, mm.
    pub center_mm: [f64; 3],
    /// Thickness of a cover's wall, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub wall_mm: Option<f64>,
}

/// What a metal part is.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs, reason = "they say it themselves")]
pub enum MetalPart {
    BasePlate,
    Cover,
    Keeper,
    Plate,
    Shield,
}

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

/// Which end of a coil looks to ground.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::EnumString,
    strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
#[allow(missing_docs, reason = "they say it themselves")]
pub enum Sense {
    StartToGround,
    FinishToGround,
}

/// What hangs on the pickup.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Load {
    /// Volume pot, kΩ; 250 when absent.
    #[serde(default = "default_pot")]
    pub volume_kohm: f64,
    /// Tone pot, kΩ; 250 when absent.
    #[serde(default = "default_pot")]
    pub tone_kohm: f64,
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
    /// As a circuit, with both pots at full.
    #[must_use]
    pub fn circuit(&self) -> LoadCircuit {
        LoadCircuit {
            volume_ohm: self.volume_kohm * 1e3,
            volume_at: 1.0,
            tone_ohm: if self.tone_nf > 0.0 { self.tone_kohm * 1e3 } else { f64::INFINITY },
            tone_f: self.tone_nf * 1e-9,
            cable_f: self.cable_pf * 1e-12,
            input_ohm: self.input_mohm * 1e6,
        }
    }
}

/// What the pickup should become: from – to.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Aims {
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

fn default_room() -> f64 {
    22.0
}
fn default_scale() -> f64 {
    648.0
}
fn default_from_bridge() -> f64 {
    45.0
}
pub(crate) fn default_gap() -> f64 {
    2.4
}
fn default_flange() -> f64 {
    2.4
}
fn default_seed() -> u64 {
    1
}
#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for a reference")]
fn is_zero(value: &f64) -> bool {
    *value == 0.0
}
fn default_charge() -> f64 {
    1.0
}
fn default_join() -> String {
    "single".into()
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

impl Default for Load {
    fn default() -> Self {
        Self {
            volume_kohm: default_pot(),
            tone_kohm: default_pot(),
            tone_nf: default_tone(),
            cable_pf: default_cable(),
            input_mohm: default_input(),
        }
    }
}

impl Kind {
    /// Every format.
    pub const ALL: [Self; 9] = [
        Self::TallSingle,
        Self::ShortSingle,
        Self::WideSingle,
        Self::TwinCoil,
        Self::StackedTwin,
        Self::Blade,
        Self::ButtonMagnet,
        Self::Concentric,
        Self::PerString,
    ];

    /// Its name as people read it.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::TallSingle => "tall single",
            Self::ShortSingle => "short single",
            Self::WideSingle => "wide single",
            Self::TwinCoil => "twin coil",
            Self::StackedTwin => "stacked twin",
            Self::Blade => "blade",
            Self::ButtonMagnet => "button magnet",
            Self::Concentric => "concentric",
            Self::PerString => "per-string",
        }
    }
}

impl Strings {
    /// Where the pickup stands, as a share of the strings' length from the bridge.
    #[must_use]
    pub fn place_of_pickup(&self) -> f64 {
        (self.from_bridge_mm / self.scale_mm).clamp(0.005, 0.6)
    }

    /// Pitch of string `number` (from 1), Hz: its note's, or from 330 Hz down to 82 Hz over the row (common practice, no
    /// source).
    #[must_use]
    pub fn fundamental_hz(&self, number: u32) -> f64 {
        let note = self.each.get((number as usize).saturating_sub(1)).and_then(|s| note_hz(&s.note));
        let share = f64::from(number.saturating_sub(1)) / f64::from(self.count.saturating_sub(1).max(1));
        note.unwrap_or_else(|| 330.0 * 0.25f64.powf(share))
    }

    /// Core diameter and gap of string `number` (from 1), mm. Where none is given, the core of a usual set from plain
    /// treble to wound bass strings (common practice, no source).
    #[must_use]
    pub fn core_and_gap_mm(&self, number: u32) -> (f64, f64) {
        let index = (number as usize).saturating_sub(1);
        if let Some(string) = self.each.get(index) {
            return (string.core_mm.unwrap_or(string.diameter_mm), string.gap_mm);
        }
        (self.usual_mm(index).0, default_gap())
    }

    /// Outer diameter of string `number` (from 1), mm; of a usual set where none is given.
    #[must_use]
    pub fn outer_mm(&self, number: u32) -> f64 {
        let index = (number as usize).saturating_sub(1);
        self.each.get(index).map_or_else(|| self.usual_mm(index).1, |string| string.diameter_mm)
    }

    /// String `number` (from 1) as it is taken to be, for a list of all of them.
    #[must_use]
    pub fn as_it_is(&self, number: u32) -> OneString {
        let ((core, gap_mm), diameter_mm) = (self.core_and_gap_mm(number), self.outer_mm(number));
        let given = self.each.get((number as usize).saturating_sub(1));
        OneString {
            note: given.map(|s| s.note.clone()).unwrap_or_default(),
            diameter_mm,
            core_mm: (core < diameter_mm).then_some(core),
            gap_mm,
        }
    }

    /// Core and outer diameter of a usual set at a place in the row, mm.
    fn usual_mm(&self, index: usize) -> (f64, f64) {
        const USUAL_MM: [(f64, f64); 6] =
            [(0.254, 0.254), (0.330, 0.330), (0.432, 0.432), (0.356, 0.66), (0.406, 0.914), (0.457, 1.168)];
        let last = (self.count as usize).saturating_sub(1).max(1);
        let usual = (index * (USUAL_MM.len() - 1) + last / 2) / last;
        USUAL_MM[usual.min(USUAL_MM.len() - 1)]
    }
}
