//! The set document, `filamentum-set/1`.

use crate::circuit::Join;
use crate::design::limits::out_of_range;
use crate::design::{Design, Problem, limit_at, parse, read_document};
use crate::word::document_word;
use jsonschema::Validator;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// The format name that every set document carries.
pub const FORMAT: &str = "filamentum-set/1";
/// Most pickups of a set, and most positions of its switch.
const MOST_PICKUPS: usize = 6;
const MOST_POSITIONS: usize = 16;

/// Pickups over the same strings, with their switch and controls.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Set {
    /// Always `filamentum-set/1`.
    pub format: String,
    /// What its maker calls it.
    pub name: String,
    /// The pickups, 1 to 6, under names of their own.
    pub pickups: Vec<SetPickup>,
    /// Volume and tone.
    #[serde(default)]
    pub controls: Controls,
    /// Cable, pF; 470 when absent.
    #[serde(default = "usual_cable")]
    pub cable_pf: f64,
    /// Amplifier input, MΩ; 1 when absent.
    #[serde(default = "usual_input")]
    pub input_mohm: f64,
    /// Positions of the switch, at least one.
    pub switch: Vec<SwitchPosition>,
    /// What the set should become.
    #[serde(default, skip_serializing_if = "Targets::is_empty")]
    pub targets: Targets,
}

/// A pickup of a set.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SetPickup {
    /// Its name in the set, such as bridge.
    pub name: String,
    /// The pickup; its own place and load give way to those of the set.
    pub design: Design,
    /// From the bridge to its middle, mm.
    pub from_bridge_mm: f64,
    /// Whether it sits rotated by half a turn.
    #[serde(default)]
    pub turned: bool,
    /// Whether its hot lead and ground are exchanged.
    #[serde(default)]
    pub leads: LeadOrder,
}

document_word! {
    /// Which way round a pickup's leads are connected.
    #[derive(Default)]
    pub enum LeadOrder {
        /// As its design has them.
        #[default]
        Normal,
        /// Hot lead and ground exchanged.
        Swapped,
    }
}

impl LeadOrder {
    /// The other way round.
    #[must_use]
    pub fn exchanged(self) -> Self {
        match self {
            Self::Normal => Self::Swapped,
            Self::Swapped => Self::Normal,
        }
    }
}

/// Volume and tone of a set.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Controls {
    /// Volume pot, kΩ; 250 when absent.
    #[serde(default = "usual_pot")]
    pub volume_kohm: f64,
    /// Tone pot, kΩ; 250 when absent.
    #[serde(default = "usual_pot")]
    pub tone_kohm: f64,
    /// Tone capacitor, nF; 22 when absent, 0 for none.
    #[serde(default = "usual_tone")]
    pub tone_nf: f64,
    /// One volume and tone for all, or one of each for every pickup.
    #[serde(default)]
    pub wiring: ControlWiring,
}

impl Default for Controls {
    fn default() -> Self {
        Self {
            volume_kohm: usual_pot(),
            tone_kohm: usual_pot(),
            tone_nf: usual_tone(),
            wiring: ControlWiring::default(),
        }
    }
}

document_word! {
    /// Whether the pickups share their controls.
    #[derive(Default)]
    pub enum ControlWiring {
        /// One volume and tone after the switch.
        #[default]
        Shared,
        /// A volume and a tone for every pickup, before the switch.
        Own,
    }
}

/// A position of the switch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SwitchPosition {
    /// What it is called.
    pub name: String,
    /// The pickups that are on, by name.
    pub on: Vec<String>,
    /// How they are joined; in parallel when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub join: Option<Join>,
    /// Another join of a pickup's own coils in this position, by its name: `series`, `parallel`, or `split:NAME` for one coil.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub coils: BTreeMap<String, String>,
}

/// What a set should become.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Targets {
    /// Most that the level of any pickup may differ from the mean of all, dB.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub balance_db: Option<f64>,
    /// Least rejection of hum where several pickups are on, dB.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hum_rejection_db: Option<f64>,
    /// Whether a pickup nearer to the bridge shall peak higher than one further from it.
    #[serde(default, skip_serializing_if = "is_not")]
    pub peaks_in_order: bool,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde hands over a reference")]
fn is_not(value: &bool) -> bool {
    !value
}

impl Targets {
    /// Whether nothing is asked.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }
}

fn usual_pot() -> f64 {
    250.0
}

fn usual_tone() -> f64 {
    22.0
}

fn usual_cable() -> f64 {
    470.0
}

fn usual_input() -> f64 {
    1.0
}

fn structure() -> Value {
    let mut schema = schemars::schema_for!(Set).to_value();
    if let Some(object) = schema.as_object_mut() {
        object.insert("title".into(), FORMAT.into());
    }
    schema
}

static VALIDATOR: LazyLock<Option<Validator>> =
    LazyLock::new(|| jsonschema::validator_for(&structure()).ok());

/// The JSON Schema of the format.
#[must_use]
pub fn schema() -> Value {
    structure()
}

/// Reads a set from JSON text and checks it.
///
/// # Errors
/// As [`crate::design::read`]: every problem found, by its place.
pub fn read(text: &str) -> Result<Set, Vec<Problem>> {
    read_value(parse(text)?)
}

/// Reads a set from parsed JSON and checks it; errors as [`read`].
pub fn read_value(value: Value) -> Result<Set, Vec<Problem>> {
    read_document(FORMAT, VALIDATOR.as_ref(), value, Set::problems)
}

impl Set {
    /// The index of a pickup by its name.
    #[must_use]
    pub fn position_of(&self, pickup: &str) -> Option<usize> {
        self.pickups.iter().position(|p| p.name == pickup)
    }

    /// Everything that contradicts itself or what is allowed, by its place in the document.
    #[must_use]
    pub fn problems(&self) -> Vec<Problem> {
        let mut all = Vec::new();
        let mut report =
            |at: &str, text: String, try_: &str| all.push(Problem::new(at, text, try_.to_owned()));
        name_problem("name", &self.name, 80, &mut report);
        if !(1..=MOST_PICKUPS).contains(&self.pickups.len()) {
            report("pickups", format!("{} pickups", self.pickups.len()), "1 to 6 make a set");
        }
        if !(1..=MOST_POSITIONS).contains(&self.switch.len()) {
            report("switch", format!("{} positions", self.switch.len()), "1 to 16");
        }
        for (at, place, value) in [
            ("controls.volume_kohm", "load.volume_kohm", self.controls.volume_kohm),
            ("controls.tone_kohm", "load.tone_kohm", self.controls.tone_kohm),
            ("controls.tone_nf", "load.tone_nf", self.controls.tone_nf),
            ("cable_pf", "load.cable_pf", self.cable_pf),
            ("input_mohm", "load.input_mohm", self.input_mohm),
        ] {
            limited(at, place, value, &mut report);
        }
        for (at, value, most) in [
            ("targets.balance_db", self.targets.balance_db, 20.0),
            ("targets.hum_rejection_db", self.targets.hum_rejection_db, 80.0),
        ] {
            if let Some(value) = value.filter(|v| !(0.0..=most).contains(v)) {
                report(at, format!("{value} dB is out of range"), &format!("between 0 and {most} dB"));
            }
        }
        for (i, pickup) in self.pickups.iter().enumerate() {
            self.pickup_problems(i, pickup, &mut all);
        }
        for (i, position) in self.switch.iter().enumerate() {
            self.switch_problems(i, position, &mut all);
        }
        all
    }

    fn pickup_problems(&self, i: usize, pickup: &SetPickup, all: &mut Vec<Problem>) {
        let at = format!("pickups[{i}]");
        let mut report = |place: &str, text: String, try_: &str| {
            all.push(Problem::new(&format!("{at}.{place}"), text, try_.to_owned()));
        };
        name_problem("name", &pickup.name, 40, &mut report);
        if self.pickups[..i].iter().any(|p| p.name == pickup.name) {
            report("name", format!("there are two called {}", pickup.name), "a name of its own for each");
        }
        let scale_mm = pickup.design.strings.scale_mm;
        limited("from_bridge_mm", "strings.from_bridge_mm", pickup.from_bridge_mm, &mut report);
        if pickup.from_bridge_mm > 0.6 * scale_mm {
            report(
                "from_bridge_mm",
                format!("{} mm lies beyond the strings that a hand plucks", pickup.from_bridge_mm),
                &format!("at most {:.0} mm on this scale", 0.6 * scale_mm),
            );
        }
        let first = &self.pickups[0].design.strings;
        if pickup.design.strings.count != first.count {
            report(
                "design.strings.count",
                format!("{} strings, and {} of the first pickup", pickup.design.strings.count, first.count),
                "pickups of a set stand under the same strings",
            );
        }
        if (scale_mm - first.scale_mm).abs() > 0.5 {
            report(
                "design.strings.scale_mm",
                format!("{scale_mm} mm, and {} mm of the first pickup", first.scale_mm),
                "pickups of a set stand under the same strings",
            );
        }
        let inner = pickup.design.problems().into_iter();
        all.extend(inner.map(|p| Problem { at: format!("{at}.design.{}", p.at), ..p }));
    }

    fn switch_problems(&self, i: usize, position: &SwitchPosition, all: &mut Vec<Problem>) {
        let at = format!("switch[{i}]");
        let mut report = |place: &str, text: String, try_: &str| {
            all.push(Problem::new(&format!("{at}.{place}"), text, try_.to_owned()));
        };
        name_problem("name", &position.name, 40, &mut report);
        if position.on.is_empty() {
            report("on", "no pickup is on".into(), "name at least one");
        }
        for (k, name) in position.on.iter().enumerate() {
            if self.position_of(name).is_none() {
                report(&format!("on[{k}]"), format!("there is no pickup {name}"), "one of the set's names");
            } else if position.on[..k].contains(name) {
                report(&format!("on[{k}]"), format!("{name} is named twice"), "once is enough");
            }
        }
        for (name, join) in &position.coils {
            let place = format!("coils.{name}");
            let Some(pickup) = self.pickups.iter().find(|p| p.name == *name) else {
                report(&place, format!("there is no pickup {name}"), "one of the set's names");
                continue;
            };
            let coils = &pickup.design.coils;
            let is_known = match join.strip_prefix("split:") {
                Some(coil) => coils.iter().any(|c| c.name == coil),
                None => matches!(join.as_str(), "series" | "parallel"),
            };
            if !is_known {
                let names: Vec<String> = coils.iter().map(|c| format!("split:{}", c.name)).collect();
                report(
                    &place,
                    format!("{name} has no join {}", join.chars().take(60).collect::<String>()),
                    &format!("series, parallel or one of {}", names.join(", ")),
                );
            }
        }
    }
}

fn name_problem(at: &str, name: &str, most: usize, report: &mut impl FnMut(&str, String, &str)) {
    if name.trim().is_empty() || name.chars().count() > most || name.contains(char::is_control) {
        report(at, format!("a name has 1 to {most} letters"), "such as neck, bridge, 1, both");
    }
}

/// Checks a number against the design's limit at `place`.
fn limited(at: &str, place: &str, value: f64, report: &mut impl FnMut(&str, String, &str)) {
    let Some(limit) = limit_at(place) else { return };
    if let Some((text, try_)) = out_of_range(value, limit.low, limit.high, limit.unit) {
        report(at, text, &try_);
    }
}
