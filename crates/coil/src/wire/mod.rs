//! Magnet wire: gauges, insulation, tolerance, stretch.

mod gauge;
mod insulation;
mod stretch;

pub use gauge::{Gauge, GaugeError, GaugeSystem};
pub use insulation::{Build, Insulation, Overall, Stripping};
pub use stretch::{BREAKING_STRESS_PA, Pull, pull, tension_window_n};

use crate::word::document_word;
use std::f64::consts::PI;

/// Resistivity of annealed copper at 20 °C, Ω·m: 100 % IACS \[IEC60028\].
pub const COPPER_RESISTIVITY: f64 = 0.017_241e-6;
/// Temperature coefficient of copper's resistance at 20 °C, 1/K \[IEC60028\].
pub const COPPER_ALPHA: f64 = 0.003_93;
/// Density of annealed copper, kg/m³ \[IEC60028\].
pub const COPPER_DENSITY: f64 = 8890.0;

/// Ohms per metre at 20 °C of copper of bare diameter `bare_m`.
///
/// ```
/// // IEC 60028: a metre of annealed copper of one square millimetre has 1/58 Ω at 20 °C.
/// let bare_m = (4.0 * 1e-6 / std::f64::consts::PI).sqrt();
/// assert!((coil::wire::ohm_per_m(bare_m) * 58.0 - 1.0).abs() < 1e-3);
/// // Half the diameter, four times the resistance.
/// let ratio = coil::wire::ohm_per_m(bare_m / 2.0) / coil::wire::ohm_per_m(bare_m);
/// assert!((ratio - 4.0).abs() < 1e-12);
/// ```
#[must_use]
pub fn ohm_per_m(bare_m: f64) -> f64 {
    COPPER_RESISTIVITY / (PI * bare_m * bare_m / 4.0)
}

/// Resistance at `to_c` of what reads `ohms` at `from_c`, both in °C, for copper \[IEC60028\].
///
/// ```
/// use coil::wire::at_temperature;
/// // IEC 60028: 0.393 % per kelvin at 20 °C.
/// assert!((at_temperature(1000.0, 20.0, 30.0) - 1039.3).abs() < 1e-9);
/// // There and back is where it began.
/// let warm = at_temperature(5800.0, 20.0, 28.5);
/// assert!((at_temperature(warm, 28.5, 20.0) - 5800.0).abs() < 1e-9);
/// ```
#[must_use]
pub fn at_temperature(ohms: f64, from_c: f64, to_c: f64) -> f64 {
    ohms * (1.0 + COPPER_ALPHA * (to_c - 20.0)) / (1.0 + COPPER_ALPHA * (from_c - 20.0))
}

document_word! {
    /// The part of the gauge's tolerance that the wire was ordered to.
    ///
    /// A gauge's whole range is about ±7 % in ohms per metre; "minimum to nominal" diameter is the half
    /// with more ohms (common practice, no source).
    #[derive(Default)]
    pub enum ToleranceRange {
        /// Anything the gauge allows.
        #[default]
        Full,
        /// Diameter from the minimum to the nominal: more ohms per metre.
        MinimumToNominal,
        /// Diameter from the nominal to the maximum: fewer ohms per metre.
        NominalToMaximum,
    }
}

impl ToleranceRange {
    /// Lowest and highest ratio of ohms per metre to the nominal.
    #[must_use]
    pub const fn ohm_ratio(self) -> (f64, f64) {
        match self {
            Self::Full => (0.93, 1.07),
            Self::MinimumToNominal => (1.0, 1.07),
            Self::NominalToMaximum => (0.93, 1.0),
        }
    }
}

/// Wire as a coil will get it: central values, and standard deviations of what is not known.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct WireData {
    /// Bare diameter, m.
    pub bare_m: f64,
    /// Diameter over the insulation, m.
    pub overall_m: f64,
    /// Ohms per metre at 20 °C.
    pub ohm_per_m: f64,
    /// Relative standard deviation of the ohms per metre.
    pub ohm_sd: f64,
    /// Relative standard deviation of the overall diameter.
    pub overall_sd: f64,
    /// Relative permittivity of the insulation.
    pub permittivity: f64,
}

impl WireData {
    /// Wire ordered by gauge, insulation, build and tolerance range.
    #[must_use]
    pub fn ordered(gauge: Gauge, insulation: Insulation, build: Build, range: ToleranceRange) -> Self {
        let (low, high) = range.ohm_ratio();
        let ratio = 0.5 * (low + high);
        let overall = insulation::overall(gauge, build);
        let (smallest, largest) = match range {
            ToleranceRange::Full => (overall.minimum_m, overall.maximum_m),
            ToleranceRange::MinimumToNominal => (overall.minimum_m, overall.nominal_m),
            ToleranceRange::NominalToMaximum => (overall.nominal_m, overall.maximum_m),
        };
        let centre = 0.5 * (smallest + largest);
        Self {
            bare_m: gauge.bare_m() / ratio.sqrt(),
            overall_m: centre,
            ohm_per_m: ohm_per_m(gauge.bare_m()) * ratio,
            // Anything within the range is as likely as anything else: a uniform spread.
            ohm_sd: (high - low) / ratio / 12f64.sqrt(),
            overall_sd: (largest - smallest) / centre / 12f64.sqrt(),
            permittivity: insulation.permittivity(),
        }
    }

    /// The same wire with what was measured on the spool put in its place; absent readings change nothing.
    ///
    /// ```
    /// use coil::wire::{Build, Insulation, ToleranceRange, WireData};
    /// let ordered = WireData::ordered("42 AWG".parse().unwrap(), Insulation::Polyurethane, Build::Single, ToleranceRange::Full);
    /// let measured = ordered.measured(None, None, Some(5.61));
    /// assert_eq!(measured.ohm_per_m, 5.61);
    /// // What was measured is known better than what was ordered.
    /// assert!(measured.ohm_sd < ordered.ohm_sd);
    /// // Nothing measured changes nothing.
    /// assert_eq!(ordered.measured(None, None, None), ordered);
    /// ```
    #[must_use]
    pub fn measured(
        mut self,
        bare_m: Option<f64>,
        overall_m: Option<f64>,
        ohm_per_m_20c: Option<f64>,
    ) -> Self {
        // A shop's micrometer reads to 1 µm; a metre of wire on a good ohm meter to 0.5 %.
        const MICROMETER_M: f64 = 1e-6;
        const OHM_READING: f64 = 0.005;
        if let Some(bare) = bare_m {
            self.bare_m = bare;
            self.ohm_per_m = ohm_per_m(bare);
            self.ohm_sd = 2.0 * MICROMETER_M / bare;
        }
        if let Some(overall) = overall_m {
            self.overall_m = overall;
            self.overall_sd = MICROMETER_M / overall;
        }
        if let Some(ohms) = ohm_per_m_20c {
            self.ohm_per_m = ohms;
            self.ohm_sd = OHM_READING;
            if bare_m.is_none() {
                self.bare_m = (COPPER_RESISTIVITY / ohms * 4.0 / PI).sqrt();
            }
        }
        self
    }

    /// Mass per metre of copper and insulation, kg/m; the film taken at 1,200 kg/m³ (from memory).
    ///
    /// ```
    /// use coil::wire::{Build, Insulation, ToleranceRange, WireData};
    /// let wire = |gauge: &str| {
    ///     WireData::ordered(gauge.parse().unwrap(), Insulation::PlainEnamel, Build::Single, ToleranceRange::Full)
    /// };
    /// // Ten gauges finer is about a tenth of the copper.
    /// let ratio = wire("32 AWG").mass_per_m() / wire("42 AWG").mass_per_m();
    /// assert!((9.0..11.5).contains(&ratio), "{ratio}");
    /// ```
    #[must_use]
    pub fn mass_per_m(&self) -> f64 {
        let copper = PI * self.bare_m * self.bare_m / 4.0;
        let film = PI * self.overall_m * self.overall_m / 4.0 - copper;
        copper * COPPER_DENSITY + film.max(0.0) * 1200.0
    }

    /// Length of wire that weighs `mass_kg`, m: what is left on a spool, from its weight less the empty spool's. The
    /// bare diameter's error counts twice. `None` for a weight that is not.
    ///
    /// ```
    /// use coil::wire::{Build, Insulation, ToleranceRange, WireData};
    /// let wire = WireData::ordered("43 AWG".parse().unwrap(), Insulation::Polyurethane, Build::Single, ToleranceRange::Full);
    /// let metres = wire.length_of_m(0.1).unwrap();
    /// assert!((metres * wire.mass_per_m() - 0.1).abs() < 1e-12);
    /// assert_eq!(wire.length_of_m(-1.0), None);
    /// ```
    #[must_use]
    pub fn length_of_m(&self, mass_kg: f64) -> Option<f64> {
        (mass_kg.is_finite() && mass_kg >= 0.0).then(|| mass_kg / self.mass_per_m())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// NEMA MW 1000 nominal diameters (from memory) with the copper of IEC 60028 give the handbook's
    /// ohms per 1,000 ft at 20 °C (from memory).
    #[rstest]
    #[case(40, 1079.0)]
    #[case(41, 1323.0)]
    #[case(42, 1659.0)]
    #[case(43, 2143.0)]
    #[case(44, 2593.0)]
    #[case(45, 3348.0)]
    #[case(46, 4207.0)]
    fn ohms_per_thousand_feet(#[case] awg: u32, #[case] handbook: f64) {
        let gauge = Gauge::awg(awg).unwrap();
        let per_kft = ohm_per_m(gauge.bare_m()) * 304.8;
        assert!((per_kft / handbook - 1.0).abs() < 0.001, "{awg} AWG: {per_kft:.0} against {handbook}");
    }

    #[test]
    fn copper_gains_0_39_percent_per_kelvin() {
        assert!((at_temperature(1000.0, 20.0, 21.0) - 1003.93).abs() < 1e-9);
        let there_and_back = at_temperature(at_temperature(5730.0, 25.0, 20.0), 20.0, 25.0);
        assert!((there_and_back - 5730.0).abs() < 1e-9);
    }

    /// A kilogram of bare 42 AWG copper is 35.5 km: 8.89 g/cm³ over the section of 63.5 µm (IEC 60028); with a heavy
    /// film a little less.
    #[test]
    fn a_spool_by_its_weight() {
        let gauge = Gauge::awg(42).unwrap();
        let wire = WireData::ordered(gauge, Insulation::PolyvinylAcetal, Build::Heavy, ToleranceRange::Full);
        let bare = 1.0 / (PI / 4.0 * 63.5e-6_f64.powi(2) * COPPER_DENSITY);
        assert!((bare / 35_520.0 - 1.0).abs() < 0.001);
        let left = wire.length_of_m(1.0).unwrap();
        assert!(left < bare && left > 0.93 * bare, "{left} {bare}");
        assert_eq!(wire.length_of_m(-0.1), None);
    }

    #[test]
    fn the_order_shifts_the_ohms_and_the_spool_wins() {
        let gauge = Gauge::awg(42).unwrap();
        let order = |range| WireData::ordered(gauge, Insulation::PolyvinylAcetal, Build::Heavy, range);
        let full = order(ToleranceRange::Full);
        let half = order(ToleranceRange::MinimumToNominal);
        assert!((half.ohm_per_m / full.ohm_per_m - 1.035).abs() < 1e-9);
        assert!(half.ohm_sd < 0.6 * full.ohm_sd && half.overall_m < full.overall_m);
        let spool = half.measured(None, Some(73.4e-6), Some(5.51));
        assert!((spool.ohm_per_m - 5.51).abs() < 1e-12 && (spool.overall_m - 73.4e-6).abs() < 1e-12);
        assert!(spool.ohm_sd < half.ohm_sd);
    }
}
