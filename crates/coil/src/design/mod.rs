//! The design document, `filamentum-design/1`: the one model of a pickup.
//!
//! Reading refuses unknown keys by name; [`Design::problems`] lists everything that contradicts the
//! allowed ranges, all at once, by its place in the document.

mod arrange;
mod check;
mod difference;
pub(crate) mod limits;
mod parts;
mod read;
mod row;
mod start;
mod strings;
mod surroundings;
mod winding;
mod wiring;

pub use arrange::{Stagger, Step, StepError};
pub use check::Problem;
pub use difference::{Change, differences};
pub use limits::{LIMITS, Limit, limit_at, target_ends};
pub use parts::{Axis, Bar, End, Metal, MetalPart, Polarity, Pole, PoleShape};
pub use read::{LONGEST_BYTES, read, read_value, schema};
pub(crate) use read::{parse, read_document};
pub use row::{follow_row, place_in_row};
pub use start::{reference_coil, starting_point, tall_single};
pub use strings::{Handed, OneString, Strings};
pub use surroundings::{Grounded, LeadKind, Leads, Medium, Potting};
pub use winding::{Bias, Coil, Direction, Former, Spool, Stage, Wind, Wire};
pub use wiring::{Load, Sense, Targets, Wiring};

pub(crate) use strings::default_gap;

use crate::word::document_word;
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
    pub kind: Format,
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
    #[serde(default, rename = "aims")]
    pub targets: Targets,
}

document_word! {
    /// The format of a pickup.
    #[allow(missing_docs, reason = "the names are those of docs/formats.md, which describes them")]
    pub enum Format {
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
}

fn default_room() -> f64 {
    22.0
}

impl Format {
    /// Its number where stored calibrations name it. A number is never changed and never given to another format, whatever the order of
    /// [`Self::ALL`].
    #[must_use]
    pub const fn number(self) -> u64 {
        match self {
            Self::TallSingle => 0,
            Self::ShortSingle => 1,
            Self::WideSingle => 2,
            Self::TwinCoil => 3,
            Self::StackedTwin => 4,
            Self::Blade => 5,
            Self::ButtonMagnet => 6,
            Self::Concentric => 7,
            Self::PerString => 8,
        }
    }

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
