//! What meters show.

use super::network::Network;
use nalgebra::Complex;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// What a meter shows at one test frequency.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct MeterReading {
    /// Test frequency, Hz.
    pub at_hz: f64,
    /// Inductance of the series mode, H.
    pub ls_h: f64,
    /// Resistance of the series mode, Ω.
    pub rs_ohm: f64,
    /// Inductance of the parallel mode, H.
    pub lp_h: f64,
    /// Resistance of the parallel mode, Ω.
    pub rp_ohm: f64,
    /// Quality: reactance over resistance.
    pub q: f64,
    /// What a capacitance range shows, F: |Z| read as 1/(ωC), which on a finished coil is its inductance and
    /// resistance in disguise.
    pub capacitance_mode_f: f64,
}

/// A meter's reading of an impedance at `at_hz`.
///
/// ```
/// use coil::circuit::read_impedance;
/// use nalgebra::Complex;
/// // 6 kΩ and 2.5 H in series at 1 kHz.
/// let omega = 2.0 * std::f64::consts::PI * 1000.0;
/// let reading = read_impedance(Complex::new(6000.0, omega * 2.5), 1000.0);
/// assert!((reading.ls_h - 2.5).abs() < 1e-12 && (reading.rs_ohm - 6000.0).abs() < 1e-9);
/// // The parallel mode reads more of both: L·(1 + 1/Q²).
/// let by = 1.0 + 1.0 / (reading.q * reading.q);
/// assert!((reading.lp_h / reading.ls_h / by - 1.0).abs() < 1e-12);
/// ```
#[must_use]
pub fn read_impedance(z: Complex<f64>, at_hz: f64) -> MeterReading {
    let omega = 2.0 * PI * at_hz;
    let y = z.inv();
    MeterReading {
        at_hz,
        ls_h: z.im / omega,
        rs_ohm: z.re,
        lp_h: -1.0 / (omega * y.im),
        rp_ohm: 1.0 / y.re,
        q: z.im / z.re,
        capacitance_mode_f: 1.0 / (omega * z.norm()),
    }
}

impl Network {
    /// What a meter at the leads shows at `at_hz`.
    #[must_use]
    pub fn meter(&self, at_hz: f64) -> MeterReading {
        read_impedance(self.impedance(at_hz), at_hz)
    }
}

/// Capacitance from two resonances, F: `alone_hz` by itself, `loaded_hz` with the known `across_f` across it;
/// C = Ca·f₂²/(f₁² − f₂²). `None` when the second is not the lower.
///
/// ```
/// use coil::circuit::capacitance_from_resonances;
/// // 2.5 H with 100 pF, and with 470 pF more across it.
/// let resonance = |farads: f64| 1.0 / (2.0 * std::f64::consts::PI * (2.5 * farads).sqrt());
/// let found = capacitance_from_resonances(resonance(100e-12), resonance(570e-12), 470e-12).unwrap();
/// assert!((found / 100e-12 - 1.0).abs() < 1e-9);
/// // Capacitance across a coil lowers its resonance, never the other way.
/// assert_eq!(capacitance_from_resonances(4000.0, 5000.0, 470e-12), None);
/// ```
#[must_use]
pub fn capacitance_from_resonances(alone_hz: f64, loaded_hz: f64, across_f: f64) -> Option<f64> {
    let (one, two) = (alone_hz * alone_hz, loaded_hz * loaded_hz);
    (one > two && two > 0.0).then(|| across_f * two / (one - two))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Far below resonance and with little resistance, L/(1 − ω²LC): any textbook.
    #[test]
    fn a_meter_shows_more_inductance_near_resonance() {
        let coil = Network::single(1.0, 2.2, 100e-12);
        let hz = 0.2 * coil.resonance_hz();
        assert!((coil.meter(hz).ls_h / 2.2 * (1.0 - 0.04) - 1.0).abs() < 1e-3);
        assert!((coil.meter(100.0).ls_h / 2.2 - 1.0).abs() < 1e-3);
    }

    /// Series and parallel modes are two readings of one impedance: Rp = Rs(1 + Q²), Lp = Ls(1 + 1/Q²) (any
    /// textbook on bridges).
    #[test]
    fn series_and_parallel_modes() {
        let read = Network::single(6000.0, 2.2, 100e-12).meter(1000.0);
        assert!((read.rp_ohm / (read.rs_ohm * (1.0 + read.q * read.q)) - 1.0).abs() < 1e-9);
        assert!((read.lp_h / (read.ls_h * (1.0 + 1.0 / (read.q * read.q))) - 1.0).abs() < 1e-9);
    }

    #[test]
    fn two_resonances_give_the_capacitance() {
        let coil = Network::single(6000.0, 2.2, 120e-12);
        let with = Network { leads_f: 120e-12 + 1e-9, ..coil.clone() };
        let found = capacitance_from_resonances(coil.resonance_hz(), with.resonance_hz(), 1e-9).unwrap();
        assert!((found / 120e-12 - 1.0).abs() < 1e-9);
        assert_eq!(capacitance_from_resonances(5000.0, 6000.0, 1e-9), None);
    }
}
