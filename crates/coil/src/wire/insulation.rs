//! Insulation: chemistry, thickness, permittivity, how it comes off.

use super::gauge::{Gauge, GaugeSystem, MW1000_INCHES};
use crate::word::document_word;

document_word! {
    /// The enamel's chemistry. Two coils of equal dimensions differ by it only through thickness and
    /// permittivity.
    pub enum Insulation {
        /// Oleoresinous enamel.
        PlainEnamel,
        /// Polyvinyl acetal, NEMA MW 15.
        PolyvinylAcetal,
        /// Polyurethane, NEMA MW 75.
        Polyurethane,
        /// Polyurethane with a nylon overcoat, NEMA MW 80.
        PolyurethaneNylon,
        /// Polyester-imide, NEMA MW 30.
        PolyesterImide,
        /// Any enamel with a bonding overcoat.
        SelfBonding,
    }
}

/// How a wire end is bared.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stripping {
    /// Burns off in the solder.
    Solder,
    /// Must be scraped before soldering.
    Scrape,
}

/// What is known of an enamel.
struct Properties {
    /// Relative permittivity at audio frequencies: the usual value, and its band low and high (from memory: 3.4 to 4 for all).
    permittivity: (f64, (f64, f64)),
    /// Thermal class, °C (from memory of NEMA MW 1000); a bonding coat softens far below it.
    thermal_class_c: u32,
    /// Number of its specification in NEMA MW 1000 (from memory); `None` where there is no one number.
    mw_number: Option<u32>,
    /// How the wire's end is bared (common practice, no source).
    stripping: Stripping,
    /// Shares of the coils of unknown wire that it is expected on, in single and in heavy build.
    expected: (f64, f64),
}

impl Insulation {
    /// The one table of enamels.
    const fn properties(self) -> Properties {
        use Stripping::{Scrape, Solder};
        let (permittivity, thermal_class_c, mw_number, stripping, expected) = match self {
            Self::PlainEnamel => ((3.8, (3.5, 4.1)), 105, None, Scrape, (0.27, 0.03)),
            Self::PolyvinylAcetal => ((3.4, (3.2, 3.7)), 105, Some(15), Scrape, (0.06, 0.19)),
            Self::Polyurethane => ((3.7, (3.4, 4.0)), 155, Some(75), Solder, (0.31, 0.04)),
            Self::PolyurethaneNylon => ((3.9, (3.5, 4.3)), 155, Some(80), Solder, (0.03, 0.02)),
            Self::PolyesterImide => ((3.8, (3.5, 4.1)), 180, Some(30), Scrape, (0.015, 0.01)),
            Self::SelfBonding => ((3.9, (3.5, 4.3)), 155, None, Solder, (0.015, 0.01)),
        };
        Properties { permittivity, thermal_class_c, mw_number, stripping, expected }
    }

    /// Relative permittivity at audio frequencies.
    #[must_use]
    pub const fn permittivity(self) -> f64 {
        self.properties().permittivity.0
    }

    /// Band of the relative permittivity, low and high.
    #[must_use]
    pub const fn permittivity_band(self) -> (f64, f64) {
        self.properties().permittivity.1
    }

    /// Thermal class, °C.
    #[must_use]
    pub const fn thermal_class_c(self) -> u32 {
        self.properties().thermal_class_c
    }

    /// Number of its specification in NEMA MW 1000; `None` where there is no one number.
    #[must_use]
    pub const fn mw_number(self) -> Option<u32> {
        self.properties().mw_number
    }

    /// How the wire's end is bared.
    ///
    /// ```
    /// use coil::wire::{Insulation, Stripping};
    /// assert_eq!(Insulation::Polyurethane.stripping(), Stripping::Solder);
    /// ```
    #[must_use]
    pub const fn stripping(self) -> Stripping {
        self.properties().stripping
    }

    /// Shares of the coils of unknown wire that it is expected on, in single and in heavy build; together 1.
    pub(crate) const fn expected_shares(self) -> (f64, f64) {
        self.properties().expected
    }
}

document_word! {
    /// How thick the insulation is.
    pub enum Build {
        /// One coat.
        Single,
        /// Two coats.
        Heavy,
    }
}

/// Diameter over the insulation, in metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Overall {
    /// Smallest allowed.
    pub minimum_m: f64,
    /// Nominal.
    pub nominal_m: f64,
    /// Largest allowed.
    pub maximum_m: f64,
}

/// NEMA MW 1000 overall diameters in inches, AWG 40 to 46: minimum, nominal, maximum (from memory).
const SINGLE_INCHES: [[f64; 3]; 7] = [
    [0.0033, 0.0034, 0.0035],
    [0.0030, 0.0031, 0.0031],
    [0.0026, 0.0027, 0.0028],
    [0.0023, 0.0024, 0.0025],
    [0.0021, 0.0022, 0.0023],
    [0.001_85, 0.001_95, 0.002_05],
    [0.001_65, 0.001_75, 0.001_85],
];
const HEAVY_INCHES: [[f64; 3]; 7] = [
    [0.0036, 0.0037, 0.0038],
    [0.0032, 0.0033, 0.0034],
    [0.0028, 0.0029, 0.0030],
    [0.0025, 0.0026, 0.0027],
    [0.0023, 0.0024, 0.0025],
    [0.002_05, 0.002_15, 0.0023],
    [0.001_85, 0.001_95, 0.0021],
];
const INCH_M: f64 = 0.0254;

/// Overall diameter of a gauge in a build.
///
/// AWG 40 to 46 by the table. Other wires are estimated: the film of the table's rows interpolated over
/// the bare diameter, and beyond its ends the end row's share of the bare diameter. A measured spool
/// always wins.
#[must_use]
pub(super) fn overall(gauge: Gauge, build: Build) -> Overall {
    let table = match build {
        Build::Single => &SINGLE_INCHES,
        Build::Heavy => &HEAVY_INCHES,
    };
    if let GaugeSystem::Awg(n @ 40..=46) = gauge.system() {
        let [minimum, nominal, maximum] = table[n as usize - 40];
        return Overall {
            minimum_m: minimum * INCH_M,
            nominal_m: nominal * INCH_M,
            maximum_m: maximum * INCH_M,
        };
    }
    let bare = gauge.bare_m() / INCH_M;
    let rows: Vec<(f64, f64)> = MW1000_INCHES.iter().zip(table).map(|(b, o)| (*b, o[1] - b)).collect();
    let (thick, thin) = (rows[0], rows[rows.len() - 1]);
    let film = if bare >= thick.0 {
        thick.1 * bare / thick.0
    } else if bare <= thin.0 {
        thin.1 * bare / thin.0
    } else {
        let above =
            rows.windows(2).find(|pair| pair[1].0 <= bare).map_or((thick, thin), |pair| (pair[0], pair[1]));
        let share = (bare - above.1.0) / (above.0.0 - above.1.0);
        above.1.1 + share * (above.0.1 - above.1.1)
    };
    let nominal = (bare + film) * INCH_M;
    Overall { minimum_m: nominal - 2.5e-6, nominal_m: nominal, maximum_m: nominal + 2.5e-6 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn the_table_is_ordered_and_every_build_is_thicker_than_the_wire() {
        for awg in 40..=46 {
            let gauge = Gauge::awg(awg).unwrap();
            let (single, heavy) = (overall(gauge, Build::Single), overall(gauge, Build::Heavy));
            for o in [single, heavy] {
                assert!(o.minimum_m <= o.nominal_m && o.nominal_m <= o.maximum_m);
                assert!(o.minimum_m > gauge.bare_m());
            }
            assert!(heavy.minimum_m > single.nominal_m);
        }
    }

    #[rstest]
    #[case(Build::Single)]
    #[case(Build::Heavy)]
    fn wires_outside_the_table_join_on_to_it(#[case] build: Build) {
        let table = overall(Gauge::awg(42).unwrap(), build);
        let metric = overall(Gauge::metric(0.0635).unwrap(), build);
        assert!((metric.nominal_m / table.nominal_m - 1.0).abs() < 0.04);
        let below = overall(Gauge::awg(47).unwrap(), build);
        assert!(below.nominal_m < overall(Gauge::awg(46).unwrap(), build).nominal_m);
    }
}
