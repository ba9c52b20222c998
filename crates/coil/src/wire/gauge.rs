//! Wire gauges and their bare diameters.

use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;
use thiserror::Error;

/// The system a gauge is written in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum GaugeSystem {
    /// American wire gauge \[B258\].
    Awg(u32),
    /// British standard wire gauge \[BS3737\].
    Swg(u32),
    /// A metric bare diameter, in whole micrometres.
    Metric(u32),
}

/// A wire gauge within the range that coils of this kind use: 0.02 mm to 0.3 mm bare.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Gauge(GaugeSystem);

// Written by hand: the derive would describe the inner enum, but the document holds a string.
impl schemars::JsonSchema for Gauge {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Gauge".into()
    }
    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({
            "type": "string",
            "description": "42 AWG, 46 SWG or a bare diameter such as 0.063 mm",
            "pattern": "^[0-9.]+ (AWG|SWG|mm)$"
        })
    }
}

/// Why a gauge could not be read.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum GaugeError {
    /// Not in the form of a gauge.
    #[error("cannot read “{0}” as a gauge: write it as 42 AWG, 46 SWG or 0.063 mm")]
    Unreadable(String),
    /// Outside the tables.
    #[error("{0} is outside the range of coil wire: AWG 30 to 50, SWG 40 to 50, or 0.02 to 0.3 mm bare")]
    OutOfRange(String),
}

/// NEMA MW 1000 nominal bare diameters in inches, AWG 40 to 46 (from memory). They are rounded, and the
/// wire is sold by them.
pub(super) const MW1000_INCHES: [f64; 7] = [0.0031, 0.0028, 0.0025, 0.0022, 0.0020, 0.001_76, 0.001_57];
/// BS 3737 diameters in inches, SWG 40 to 50.
const SWG_INCHES: [f64; 11] =
    [0.0048, 0.0044, 0.0040, 0.0036, 0.0032, 0.0028, 0.0024, 0.0020, 0.0016, 0.0012, 0.0010];
const INCH_M: f64 = 0.0254;

impl Gauge {
    /// American wire gauge 30 to 50.
    pub fn awg(number: u32) -> Result<Self, GaugeError> {
        Self::checked(GaugeSystem::Awg(number), (30..=50).contains(&number))
    }

    /// British standard wire gauge 40 to 50.
    pub fn swg(number: u32) -> Result<Self, GaugeError> {
        Self::checked(GaugeSystem::Swg(number), (40..=50).contains(&number))
    }

    /// A bare diameter in millimetres, 0.02 to 0.3, kept to the micrometre.
    pub fn metric(bare_mm: f64) -> Result<Self, GaugeError> {
        let in_range = (0.02..=0.3).contains(&bare_mm);
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to 0…1000")]
        let micrometres = (bare_mm * 1e3).round().clamp(0.0, 1e3) as u32;
        Self::checked(GaugeSystem::Metric(micrometres), in_range)
    }

    fn checked(system: GaugeSystem, in_range: bool) -> Result<Self, GaugeError> {
        if in_range { Ok(Self(system)) } else { Err(GaugeError::OutOfRange(Self(system).to_string())) }
    }

    /// The system and number.
    #[must_use]
    pub const fn system(self) -> GaugeSystem {
        self.0
    }

    /// Bare diameter in metres that predictions use: the rounded table diameter where wire is sold by
    /// one (AWG 40 to 46), the exact one otherwise.
    #[must_use]
    pub fn bare_m(self) -> f64 {
        match self.0 {
            GaugeSystem::Awg(n @ 40..=46) => MW1000_INCHES[n as usize - 40] * INCH_M,
            GaugeSystem::Awg(_) => self.exact_bare_m(),
            GaugeSystem::Swg(n) => SWG_INCHES[(n as usize).clamp(40, 50) - 40] * INCH_M,
            GaugeSystem::Metric(micrometres) => f64::from(micrometres) * 1e-6,
        }
    }

    /// Bare diameter by the gauge's definition: d = 0.127 mm · 92^((36 − n)/39) for AWG \[B258\].
    #[must_use]
    pub fn exact_bare_m(self) -> f64 {
        match self.0 {
            GaugeSystem::Awg(n) => 0.127e-3 * 92f64.powf((36.0 - f64::from(n)) / 39.0),
            _ => self.bare_m(),
        }
    }
}

impl fmt::Display for Gauge {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            GaugeSystem::Awg(n) => write!(f, "{n} AWG"),
            GaugeSystem::Swg(n) => write!(f, "{n} SWG"),
            GaugeSystem::Metric(micrometres) => write!(f, "{} mm", f64::from(micrometres) / 1e3),
        }
    }
}

impl FromStr for Gauge {
    type Err = GaugeError;

    /// Reads "42 AWG", "42" and "#42" (American), "46 SWG", "0.063 mm", "0.063" and "0,063" (millimetres), "63 µm",
    /// "0.0025 in".
    fn from_str(text: &str) -> Result<Self, GaugeError> {
        let unreadable = || GaugeError::Unreadable(text.chars().take(40).collect());
        let compact = text.trim().to_lowercase().replace(',', ".");
        let end = compact.find(|c: char| !(c.is_ascii_digit() || c == '.')).unwrap_or(compact.len());
        let (digits, unit) = compact.split_at(end);
        // "awg 42" is as common as "42 awg".
        let (digits, unit) = if digits.is_empty() {
            let start = compact.find(|c: char| c.is_ascii_digit()).ok_or_else(unreadable)?;
            (&compact[start..], &compact[..start])
        } else {
            (digits, unit)
        };
        let value: f64 = digits.parse().ok().filter(|v: &f64| v.is_finite()).ok_or_else(unreadable)?;
        #[allow(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "clamped; the range is checked after"
        )]
        let whole = || (value.fract() == 0.0).then_some(value.clamp(0.0, 1e6) as u32).ok_or_else(unreadable);
        match unit.trim() {
            // No gauge is below one, and no diameter above.
            "" if value > 0.0 && value < 1.0 => Self::metric(value),
            "" | "awg" | "#" => Self::awg(whole()?),
            "swg" => Self::swg(whole()?),
            "mm" => Self::metric(value),
            "µm" | "μm" | "um" => Self::metric(value * 1e-3),
            "in" | "inch" | "\"" => Self::metric(value * 25.4),
            _ => Err(unreadable()),
        }
    }
}

impl TryFrom<String> for Gauge {
    type Error = GaugeError;
    fn try_from(text: String) -> Result<Self, GaugeError> {
        text.parse()
    }
}

impl From<Gauge> for String {
    fn from(gauge: Gauge) -> Self {
        gauge.to_string()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// ASTM B258 table of solid round wire: diameters in inches.
    #[rstest]
    #[case(30, 0.0100)]
    #[case(36, 0.0050)]
    #[case(40, 0.0031)]
    #[case(42, 0.002_494)]
    #[case(44, 0.001_978)]
    fn awg_by_definition(#[case] awg: u32, #[case] inches: f64) {
        let exact = Gauge::awg(awg).unwrap().exact_bare_m() / INCH_M;
        assert!((exact - inches).abs() < 5e-5, "{awg} AWG is {exact:.6} in");
    }

    #[rstest]
    #[case("42", "42 AWG")]
    #[case(" 42awg ", "42 AWG")]
    #[case("AWG 43", "43 AWG")]
    #[case("46 swg", "46 SWG")]
    #[case("0.063 mm", "0.063 mm")]
    #[case("63 µm", "0.063 mm")]
    #[case("#42", "42 AWG")]
    #[case("0.063", "0.063 mm")]
    #[case("0,063", "0.063 mm")]
    fn read_as_spoken(#[case] typed: &str, #[case] written: &str) {
        let gauge: Gauge = typed.parse().unwrap();
        assert_eq!(gauge.to_string(), written);
        assert_eq!(written.parse::<Gauge>().unwrap(), gauge);
    }

    #[rstest]
    #[case("12 AWG")]
    #[case("4 mm")]
    #[case("42.5")]
    #[case("thin")]
    #[case("")]
    fn refused_with_a_way_out(#[case] typed: &str) {
        let message = typed.parse::<Gauge>().unwrap_err().to_string();
        assert!(message.contains("AWG"), "{message}");
    }
}
