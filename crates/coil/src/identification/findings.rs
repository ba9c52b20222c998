//! The findings document, `filamentum-findings/1`: what was seen and measured of a pickup whose winding is not known.

use crate::circuit::capacitance_from_resonances;
use crate::design::{Design, FORMAT as DESIGN_FORMAT, Problem, parse, read_document};
use crate::wire::{Gauge, Insulation};
use jsonschema::Validator;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::sync::LazyLock;

/// The format name that every document of findings carries.
pub const FORMAT: &str = "filamentum-findings/1";
/// Turns that a coil of the document is given while its own are not known.
const STAND_IN_TURNS: u64 = 2000;

/// What is known of a pickup.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Findings {
    /// Always `filamentum-findings/1`.
    pub format: String,
    /// What it is called.
    pub name: String,
    /// What is known of it: former, poles, strings, metal. Its wire is not read; of its turns only how those of several coils stand to
    /// one another.
    pub pickup: Design,
    /// What was measured; anything may be missing.
    #[serde(default)]
    pub measured: Measured,
    /// What is said of it.
    #[serde(default)]
    pub suspected: Suspected,
}

/// Readings.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Measured {
    /// Resistance at the leads, Ω.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub resistance_ohm: Option<Measurement>,
    /// The meter shows no connection.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub open: bool,
    /// Inductance at the leads, H.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub inductance_h: Option<Measurement>,
    /// Capacitance as two resonances tell it, pF.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub capacitance_pf: Option<Measurement>,
    /// Over the winding of the first coil at its thickest, across the row, mm.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub outer_width_mm: Option<Measurement>,
    /// Over the winding of the first coil at its thickest, along the row, mm.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub outer_length_mm: Option<Measurement>,
    /// A piece of its wire over the enamel, mm.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub wire_overall_mm: Option<Measurement>,
    /// The same with the enamel off, mm.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub wire_bare_mm: Option<Measurement>,
    /// Ohms of a metre of its wire.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub wire_ohm_per_m: Option<Measurement>,
    /// Weight of the wire of all its coils, g.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub wire_mass_g: Option<Measurement>,
    /// Turns of the first coil, counted while they were taken off.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub turns: Option<Measurement>,
    /// Highest point of the response, Hz, with `cable_pf` across it; without one, the resonance of the pickup with its leads.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub peak_hz: Option<Measurement>,
    /// The same again with another capacitance across it, larger than before: both together tell the capacitance.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub second_peak_hz: Option<Measurement>,
    /// Flux density over each pole in the order of the document's poles, mT, north positive; without signs where they were not read,
    /// null for a pole that was not.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub flux_mt: Vec<Option<f64>>,
    /// From a pole's face to the probe's element, mm; 0.5 when absent.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub probe_mm: Option<f64>,
}

/// A reading with how well it is known.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Measurement {
    /// The number.
    pub value: f64,
    /// Its relative standard uncertainty; that of usual tools when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub accuracy: Option<f64>,
    /// The smallest step that the instrument shows, in the number's unit.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub resolution: Option<f64>,
    /// Temperature of the coil or wire, °C; 20 when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub coil_c: Option<f64>,
    /// Test frequency of an inductance, Hz; 1,000 when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub test_hz: Option<f64>,
    /// What hung on the pickup while its peak was read, pF.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cable_pf: Option<f64>,
    /// Length of the piece of wire whose ohms were read, m; 1 when absent. The value is that of one metre.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub length_m: Option<f64>,
}

/// What is said of a pickup, true or not.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Suspected {
    /// Gauges that it is said to be wound of.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub gauge: Vec<Gauge>,
    /// Enamels that its wire is said, or looks, to have.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub insulation: Vec<Insulation>,
    /// Turns that the first coil is said to have.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub turns: Option<f64>,
}

/// What can be measured besides flux.
#[derive(
    Clone,
    Copy,
    Debug,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    strum::IntoStaticStr,
    strum::EnumString,
    strum::VariantArray,
)]
#[strum(serialize_all = "snake_case")]
pub enum Measurand {
    /// [`Measured::resistance_ohm`].
    ResistanceOhm,
    /// [`Measured::inductance_h`].
    InductanceH,
    /// [`Measured::outer_width_mm`].
    OuterWidthMm,
    /// [`Measured::outer_length_mm`].
    OuterLengthMm,
    /// [`Measured::wire_overall_mm`].
    WireOverallMm,
    /// [`Measured::wire_bare_mm`].
    WireBareMm,
    /// [`Measured::wire_ohm_per_m`].
    WireOhmPerM,
    /// [`Measured::wire_mass_g`].
    WireMassG,
    /// [`Measured::turns`].
    Turns,
    /// [`Measured::peak_hz`].
    PeakHz,
    /// [`Measured::capacitance_pf`].
    CapacitancePf,
}

impl Measurand {
    /// Its key in documents.
    #[must_use]
    pub fn key(self) -> &'static str {
        self.into()
    }

    /// What a reading can be, in its document's unit.
    #[must_use]
    pub const fn range(self) -> (f64, f64) {
        match self {
            Self::ResistanceOhm => (1.0, 1e6),
            Self::InductanceH => (1e-3, 1e3),
            Self::OuterWidthMm => (1.0, 100.0),
            Self::OuterLengthMm => (1.0, 300.0),
            Self::WireOverallMm | Self::WireBareMm => (0.01, 0.5),
            Self::WireOhmPerM => (0.1, 100.0),
            Self::WireMassG => (0.1, 1000.0),
            Self::Turns => (10.0, 100_000.0),
            Self::PeakHz => (100.0, 200_000.0),
            Self::CapacitancePf => (1.0, 20_000.0),
        }
    }

    /// Relative standard uncertainty of a reading with usual tools: a hand-held ohm meter, an LCR meter, a calliper over a soft
    /// winding, a micrometer, a letter scale, a counter. Judgement, no source.
    #[must_use]
    pub const fn usual_accuracy(self) -> f64 {
        match self {
            Self::ResistanceOhm | Self::WireOhmPerM => 0.005,
            Self::InductanceH | Self::OuterWidthMm | Self::WireMassG => 0.01,
            Self::OuterLengthMm | Self::Turns => 0.003,
            Self::WireOverallMm | Self::WireBareMm => 0.02,
            Self::PeakHz => 0.015,
            Self::CapacitancePf => 0.1,
        }
    }
}

impl Measured {
    /// The reading of a quantity.
    #[must_use]
    pub fn measurement(&self, what: Measurand) -> Option<Measurement> {
        match what {
            Measurand::ResistanceOhm => self.resistance_ohm,
            Measurand::InductanceH => self.inductance_h,
            Measurand::OuterWidthMm => self.outer_width_mm,
            Measurand::OuterLengthMm => self.outer_length_mm,
            Measurand::WireOverallMm => self.wire_overall_mm,
            Measurand::WireBareMm => self.wire_bare_mm,
            Measurand::WireOhmPerM => self.wire_ohm_per_m,
            Measurand::WireMassG => self.wire_mass_g,
            Measurand::Turns => self.turns,
            Measurand::PeakHz => self.peak_hz,
            Measurand::CapacitancePf => self.capacitance_pf.or_else(|| self.capacitance_of_peaks()),
        }
    }

    /// The capacitance that both peaks tell, pF; `None` without both, or where they do not go together.
    fn capacitance_of_peaks(&self) -> Option<Measurement> {
        let (first, second) = (self.peak_hz?, self.second_peak_hz?);
        let across = |peak: Measurement| peak.cable_pf.unwrap_or(0.0);
        let added = (across(second) - across(first)) * 1e-12;
        let whole = 1e12 * capacitance_from_resonances(first.value, second.value, added)?;
        let own = whole - across(first);
        // C = Ca / (f₁²/f₂² − 1): what both frequencies leave open, by the slope of that.
        let squares = (first.value / second.value).powi(2);
        let sd = 2.0 * first.relative_sd(Measurand::PeakHz).hypot(second.relative_sd(Measurand::PeakHz));
        let accuracy = sd * squares / (squares - 1.0) * whole / own;
        (added > 0.0 && own > 0.0).then(|| Measurement {
            value: own,
            accuracy: Some(accuracy.min(0.5)),
            ..Measurement::default()
        })
    }

    /// Puts a reading in its place, or takes it out.
    pub fn set(&mut self, what: Measurand, reading: Option<Measurement>) {
        let place = match what {
            Measurand::ResistanceOhm => &mut self.resistance_ohm,
            Measurand::InductanceH => &mut self.inductance_h,
            Measurand::OuterWidthMm => &mut self.outer_width_mm,
            Measurand::OuterLengthMm => &mut self.outer_length_mm,
            Measurand::WireOverallMm => &mut self.wire_overall_mm,
            Measurand::WireBareMm => &mut self.wire_bare_mm,
            Measurand::WireOhmPerM => &mut self.wire_ohm_per_m,
            Measurand::WireMassG => &mut self.wire_mass_g,
            Measurand::Turns => &mut self.turns,
            Measurand::PeakHz => &mut self.peak_hz,
            Measurand::CapacitancePf => &mut self.capacitance_pf,
        };
        *place = reading;
    }

    /// Every reading that was taken.
    pub fn taken(&self) -> impl Iterator<Item = (Measurand, Measurement)> {
        let all = <Measurand as strum::VariantArray>::VARIANTS.iter();
        all.filter_map(|&what| Some((what, self.measurement(what)?)))
    }
}

impl Measurement {
    /// Its standard uncertainty over its value.
    #[must_use]
    pub fn relative_sd(&self, what: Measurand) -> f64 {
        let step = self.resolution.unwrap_or(0.0) / self.value.abs().max(1e-12) / 12f64.sqrt();
        let own = self.accuracy.unwrap_or(match self.resolution {
            // A step that is named is what limits it, unless it is finer than the tool can be trusted.
            Some(_) if step > what.usual_accuracy() => 0.0,
            _ => what.usual_accuracy(),
        });
        own.hypot(step).max(1e-4)
    }
}

impl Findings {
    /// Findings of a pickup of which nothing is measured yet.
    #[must_use]
    pub fn begun(name: &str, pickup: Design) -> Self {
        Self {
            format: FORMAT.into(),
            name: name.into(),
            pickup,
            measured: Measured::default(),
            suspected: Suspected::default(),
        }
    }

    /// Every reason why they cannot be weighed, by its place.
    #[must_use]
    pub fn problems(&self) -> Vec<Problem> {
        let mut all: Vec<Problem> = self
            .pickup
            .problems()
            .into_iter()
            .map(|p| Problem { at: format!("pickup.{}", p.at), ..p })
            .collect();
        if self.name.trim().is_empty()
            || self.name.chars().count() > 80
            || self.name.contains(char::is_control)
        {
            all.push(Problem::new(
                "name",
                "a name has 1 to 80 letters".to_owned(),
                "such as dead mandola pickup",
            ));
        }
        let mut check = |at: String, value: Option<f64>, (low, high): (f64, f64)| {
            // Written so that NaN is outside.
            if let Some(value) = value.filter(|v| !(*v >= low && *v <= high)) {
                all.push(Problem::new(
                    &at,
                    format!("{value} is out of range"),
                    format!("between {low} and {high}"),
                ));
            }
        };
        for (what, reading) in self.measured.taken() {
            let at = |key: &str| format!("measured.{}.{key}", what.key());
            check(at("value"), Some(reading.value), what.range());
            check(at("accuracy"), reading.accuracy, (0.0, 0.5));
            check(at("resolution"), reading.resolution, (0.0, what.range().1));
            check(at("coil_c"), reading.coil_c, (-20.0, 120.0));
            check(at("test_hz"), reading.test_hz, (20.0, 100_000.0));
            check(at("cable_pf"), reading.cable_pf, (0.0, 10_000.0));
            check(at("length_m"), reading.length_m, (0.01, 10_000.0));
        }
        for (i, flux) in self.measured.flux_mt.iter().enumerate() {
            check(format!("measured.flux_mt[{i}]"), *flux, (-1000.0, 1000.0));
        }
        if let Some(second) = self.measured.second_peak_hz {
            check("measured.second_peak_hz.value".into(), Some(second.value), Measurand::PeakHz.range());
            check("measured.second_peak_hz.cable_pf".into(), second.cable_pf, (0.0, 10_000.0));
        }
        check("measured.probe_mm".into(), self.measured.probe_mm, (0.0, 10.0));
        check("suspected.turns".into(), self.suspected.turns, Measurand::Turns.range());
        let (read, poles) = (self.measured.flux_mt.len(), self.pickup.poles.len());
        if read > poles {
            let text = format!("{read} readings of {poles} poles");
            all.push(Problem::new("measured.flux_mt", text, "one reading a pole, in the order of the poles"));
        }
        let core = self.pickup.coils.first().map_or((0.0, 0.0), |c| c.former.core.size_mm());
        for (what, least) in [(Measurand::OuterLengthMm, core.0), (Measurand::OuterWidthMm, core.1)] {
            if let Some(reading) = self.measured.measurement(what).filter(|r| r.value <= least) {
                let at = format!("measured.{}.value", what.key());
                let text = format!("{} mm is no more than the core’s {least} mm", reading.value);
                all.push(Problem::new(&at, text, "measure over the winding, or correct the core"));
            }
        }
        if self.measured.second_peak_hz.is_some() && self.measured.capacitance_of_peaks().is_none() {
            let text = "two peaks tell a capacitance only together".to_owned();
            let try_ =
                "the first one as well; the second is the lower, with the larger capacitance across it";
            all.push(Problem::new("measured.second_peak_hz.value", text, try_));
        }
        if self.measured.open && self.measured.resistance_ohm.is_some() {
            let text = "an open coil has no resistance".to_owned();
            all.push(Problem::new("measured.open", text, "either of the two"));
        }
        all
    }
}

/// The JSON Schema of the format, made from the types.
#[must_use]
pub fn schema() -> Value {
    let mut schema = schemars::schema_for!(Findings).to_value();
    if let Some(object) = schema.as_object_mut() {
        object.insert("title".into(), FORMAT.into());
    }
    schema
}

static VALIDATOR: LazyLock<Option<Validator>> = LazyLock::new(|| jsonschema::validator_for(&schema()).ok());

/// Reads findings from JSON text and checks them.
///
/// ```
/// use coil::identification::read;
/// let design = serde_json::to_value(coil::design::reference_coil()).unwrap();
/// let text = serde_json::json!({
///     "format": "filamentum-findings/1", "name": "drawer find", "pickup": design,
///     "measured": { "resistance_ohm": { "value": 6120.0, "coil_c": 21.0 } },
/// });
/// assert_eq!(read(&text.to_string()).unwrap().measured.resistance_ohm.unwrap().value, 6120.0);
/// assert_eq!(read("{}").unwrap_err()[0].at, "format");
/// ```
///
/// # Errors
/// Every problem found, by its place, as of [`crate::design::read`].
pub fn read(text: &str) -> Result<Findings, Vec<Problem>> {
    read_value(parse(text)?)
}

/// Reads findings from parsed JSON and checks them; errors as [`read`].
pub fn read_value(mut value: Value) -> Result<Findings, Vec<Problem>> {
    stand_in(&mut value);
    read_document(FORMAT, VALIDATOR.as_ref(), value, Findings::problems)
}

/// Puts a usual wire and winding in the place of those of the document, which are not read and may be missing.
fn stand_in(value: &mut Value) {
    if let Some(pickup) = value.get_mut("pickup").and_then(Value::as_object_mut) {
        pickup.entry("format").or_insert_with(|| DESIGN_FORMAT.into());
    }
    let coils = value.pointer_mut("/pickup/coils").and_then(Value::as_array_mut);
    let mut first = None;
    for coil in coils.into_iter().flatten() {
        let Some(coil) = coil.as_object_mut() else { continue };
        let turns = coil.get("wind").and_then(|w| w.get("turns")).and_then(Value::as_u64).filter(|n| *n > 0);
        let direction = coil.get("wind").and_then(|w| w.get("direction")).cloned();
        let base = *first.get_or_insert(turns.unwrap_or(STAND_IN_TURNS));
        // Of the turns only how coils stand to one another is read.
        let own = (turns.unwrap_or(base) * STAND_IN_TURNS / base.max(1)).clamp(1, 20_000);
        let mut wind = json!({ "turns": own });
        if let Some(direction) = direction {
            wind["direction"] = direction;
        }
        coil.insert("wind".into(), wind);
        coil.insert(
            "wire".into(),
            json!({ "gauge": "42 AWG", "insulation": "polyurethane", "build": "single" }),
        );
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::reference_coil;
    use std::f64::consts::PI;

    #[allow(clippy::unnecessary_wraps, reason = "readings are optional in findings")]
    fn peak(henries: f64, own_pf: f64, across_pf: f64) -> Option<Measurement> {
        let value = 1.0 / (2.0 * PI * (henries * (own_pf + across_pf) * 1e-12).sqrt());
        Some(Measurement { value, cable_pf: Some(across_pf), ..Measurement::default() })
    }

    /// Two peaks tell the capacitance whatever hung on the first; the closer they lie, the less well.
    #[test]
    fn two_peaks_are_a_capacitance() {
        let mut measured = Measured {
            peak_hz: peak(2.5, 110.0, 35.0),
            second_peak_hz: peak(2.5, 110.0, 505.0),
            ..Measured::default()
        };
        let found = measured.measurement(Measurand::CapacitancePf).unwrap();
        assert!((found.value - 110.0).abs() < 1e-6, "{}", found.value);
        measured.second_peak_hz = peak(2.5, 110.0, 55.0);
        assert!(measured.measurement(Measurand::CapacitancePf).unwrap().accuracy > found.accuracy);
        // What is typed goes before what follows of other readings.
        measured.capacitance_pf = Some(Measurement { value: 99.0, ..Measurement::default() });
        assert!((measured.measurement(Measurand::CapacitancePf).unwrap().value - 99.0).abs() < 1e-12);
    }

    /// A second peak by itself, above the first, or with less across it, is told at its place.
    #[test]
    fn peaks_that_do_not_go_together_are_told() {
        let told = |first, second| {
            let mut findings = Findings::begun("drawer find", reference_coil());
            (findings.measured.peak_hz, findings.measured.second_peak_hz) = (first, second);
            findings.problems().iter().any(|p| p.at == "measured.second_peak_hz.value")
        };
        let (alone, loaded) = (peak(2.5, 110.0, 0.0), peak(2.5, 110.0, 470.0));
        assert!(!told(alone, loaded) && !told(alone, None));
        assert!(told(None, loaded) && told(loaded, alone) && told(alone, alone));
    }
}
