//! What is on the shelf: wire left, parts, what a pickup costs, and what to see to before it runs out.

use crate::consistency::{mean, trend};
use coil::wire::{Build, Gauge, Insulation, ToleranceRange, WireData};
use serde::{Deserialize, Serialize};

/// What kind of part it is.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, strum::EnumString, strum::IntoStaticStr,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum PartKind {
    /// Rods and bars.
    Magnet,
    /// Bobbins and flanges.
    Bobbin,
    /// Screws, slugs, blades.
    Pole,
    /// Base plates, covers.
    Metal,
    /// Leads, tape, wax, solder.
    Sundry,
}

impl PartKind {
    /// Every kind.
    pub const ALL: [Self; 5] = [Self::Magnet, Self::Bobbin, Self::Pole, Self::Metal, Self::Sundry];

    /// Its stable name.
    #[must_use]
    pub fn key(self) -> &'static str {
        self.into()
    }

    /// Its word.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::Magnet => "magnet",
            Self::Bobbin => "bobbin or flange",
            Self::Pole => "screw, slug or blade",
            Self::Metal => "plate or cover",
            Self::Sundry => "lead, tape or other",
        }
    }

    /// The kind of that name.
    #[must_use]
    pub fn from_key(key: &str) -> Option<Self> {
        key.parse().ok()
    }
}

/// Metres of a wire that weigh `grams`; `None` below nothing.
///
/// ```
/// use coil::wire::{Build, Insulation};
/// use trade::stock::metres;
/// let of = |grams| metres("42 AWG".parse().unwrap(), Insulation::Polyurethane, Build::Single, grams);
/// assert!((of(200.0).unwrap() / of(100.0).unwrap() - 2.0).abs() < 1e-12);
/// assert_eq!(of(-1.0), None);
/// ```
#[must_use]
pub fn metres(gauge: Gauge, insulation: Insulation, build: Build, grams: f64) -> Option<f64> {
    let per_metre = WireData::ordered(gauge, insulation, build, ToleranceRange::Full).mass_per_m() * 1e3;
    (grams >= 0.0 && per_metre > 0.0).then(|| grams / per_metre)
}

/// A measurement at one place of a spool.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Position {
    /// Metres of wire left on the spool there, as far as known; the order of measuring otherwise.
    pub at: f64,
    /// Overall diameter, mm.
    pub overall_mm: Option<f64>,
    /// Ohms per metre at 20 °C.
    pub ohm_per_m: Option<f64>,
}

/// How a spool's wire varies from place to place.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Along {
    /// Mean.
    pub mean: f64,
    /// Largest less smallest, over the mean.
    pub spread: f64,
    /// Places.
    pub count: usize,
}

/// The mean and the spread of what was measured along a spool; `None` of nothing.
///
/// ```
/// let found = trade::stock::along(&[5.40, 5.60]).unwrap();
/// assert!((found.mean - 5.5).abs() < 1e-12 && (found.spread - 0.2 / 5.5).abs() < 1e-12);
/// assert_eq!(trade::stock::along(&[]), None);
/// ```
#[must_use]
pub fn along(values: &[f64]) -> Option<Along> {
    let (low, high) =
        values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(*v), h.max(*v)));
    let mean = mean(values);
    (!values.is_empty() && mean > 0.0).then(|| Along {
        mean,
        spread: (high - low) / mean,
        count: values.len(),
    })
}

/// How a spool stands.
#[derive(Clone, Debug, PartialEq)]
pub enum SpoolWarning {
    /// It will not do for another coil of those wound on it.
    RunsOut {
        /// Metres left.
        left_m: f64,
        /// Metres that the last coil took.
        coil_m: f64,
    },
    /// Its wire varies from place to place.
    Varies {
        /// Largest less smallest of the ohms per metre, over their mean.
        spread: f64,
    },
    /// Coils wound on it move away, one after the other.
    Drifts {
        /// Change over the coils wound so far, in the logarithm of the resistance.
        by: f64,
        /// Coils.
        runs: usize,
    },
}

impl SpoolWarning {
    /// In words.
    #[must_use]
    pub fn text(&self) -> String {
        match self {
            Self::RunsOut { left_m, coil_m } if left_m < coil_m => {
                format!("about {left_m:.0} m left, and a coil takes {coil_m:.0} m: it will run out in the next one")
            }
            Self::RunsOut { left_m, coil_m } => format!(
                "about {left_m:.0} m left: {:.0} more coil{} of {coil_m:.0} m",
                (left_m / coil_m).floor(),
                if left_m / coil_m >= 2.0 { "s" } else { "" }
            ),
            Self::Varies { spread } => format!(
                "its ohms per metre vary by {:.1} % from place to place: measure it before each coil",
                spread * 100.0
            ),
            Self::Drifts { by, runs } => format!(
                "coils wound on it have moved by {:+.1} % over {runs} runs: measure its diameter and ohms per metre again",
                by.exp_m1() * 100.0
            )
            .replace("by -", "by −"),
        }
    }
}

/// Coils' worth of wire below which a spool is said to run out.
const FEW_COILS: f64 = 2.5;
/// Spread of the ohms per metre along a spool that is worth a word: a quarter of what "minimum to nominal" allows (common
/// practice, no source).
const VARIES: f64 = 0.0175;
/// Fewest coils from which a drift is told.
const FEWEST_FOR_DRIFT: usize = 6;

/// What to see to on a spool: the wire left against what the last coil took, what was measured along it, and what is left
/// of its coils' resistance once other causes are taken off, oldest first, as logarithms.
#[must_use]
pub fn spool_warnings(
    left_m: Option<f64>,
    coil_m: Option<f64>,
    ohms_along: &[f64],
    residuals: &[f64],
) -> Vec<SpoolWarning> {
    let mut found = Vec::new();
    if let (Some(left_m), Some(coil_m)) = (left_m, coil_m.filter(|m| *m > 0.0))
        && left_m < FEW_COILS * coil_m
    {
        found.push(SpoolWarning::RunsOut { left_m, coil_m });
    }
    if let Some(along) = along(ohms_along)
        && along.spread > VARIES
    {
        found.push(SpoolWarning::Varies { spread: along.spread });
    }
    let points: Vec<(f64, f64)> = residuals.iter().enumerate().map(|(k, y)| (k as f64, *y)).collect();
    if points.len() >= FEWEST_FOR_DRIFT
        && let Some(trend) = trend(&points)
        && trend.is_clear()
    {
        let by = trend.slope * (points.len() - 1) as f64;
        if by.abs() > 0.005 {
            found.push(SpoolWarning::Drifts { by, runs: points.len() });
        }
    }
    found
}

/// A line of what a pickup costs.
#[derive(Clone, Debug, PartialEq)]
pub struct CostLine {
    /// What.
    pub what: String,
    /// How much of it, in words.
    pub amount: String,
    /// Its cost, in the workshop's currency; `None` where no price is known.
    pub cost: Option<f64>,
}

/// What the lines come to, and whether a price is missing.
#[must_use]
pub fn total(lines: &[CostLine]) -> (f64, bool) {
    (lines.iter().filter_map(|l| l.cost).sum(), lines.iter().any(|l| l.cost.is_none()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// 42 AWG bare copper weighs 28.0 g per 1,000 m at 0.0025 in: area 3.167e-9 m² times 8,890 kg/m³ (IEC 60028's density);
    /// with enamel a few per cent more.
    #[test]
    fn a_kilogram_of_42_is_about_34_kilometres() {
        let found =
            metres("42 AWG".parse().unwrap(), Insulation::PolyvinylAcetal, Build::Heavy, 1000.0).unwrap();
        assert!((30_000.0..35_600.0).contains(&found), "{found}");
        assert!(metres("42 AWG".parse().unwrap(), Insulation::PlainEnamel, Build::Single, -1.0).is_none());
    }

    #[rstest]
    #[case(Some(640.0), Some(1100.0), "run out in the next")]
    #[case(Some(2600.0), Some(1100.0), "2 more coils")]
    fn a_spool_that_runs_out_says_so(
        #[case] left: Option<f64>,
        #[case] coil: Option<f64>,
        #[case] words: &str,
    ) {
        let found = spool_warnings(left, coil, &[], &[]);
        assert!(found[0].text().contains(words), "{}", found[0].text());
    }

    #[test]
    fn a_good_spool_says_nothing() {
        assert!(
            spool_warnings(Some(9000.0), Some(1100.0), &[5.60, 5.62, 5.61], &[0.001, -0.001, 0.0]).is_empty()
        );
        assert!(spool_warnings(None, None, &[], &[]).is_empty());
    }

    #[test]
    fn wire_that_varies_or_drifts_is_told() {
        assert!(matches!(spool_warnings(None, None, &[5.5, 5.7], &[])[..], [SpoolWarning::Varies { .. }]));
        let drifting: Vec<f64> = (0..8).map(|k| 0.003 * f64::from(k) + 0.0005 * f64::from(k % 2)).collect();
        let found = spool_warnings(None, None, &[], &drifting);
        assert!(found[0].text().contains("moved by +2.1 % over 8 runs"), "{}", found[0].text());
        assert!(spool_warnings(None, None, &[], &drifting[..5]).is_empty());
    }

    #[test]
    fn a_missing_price_is_said() {
        let line = |cost| CostLine { what: "rods".into(), amount: "6".into(), cost };
        assert_eq!(total(&[line(Some(3.0)), line(Some(1.5))]), (4.5, false));
        assert_eq!(total(&[line(Some(3.0)), line(None)]), (3.0, true));
    }
}
