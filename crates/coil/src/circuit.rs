//! The coil in its circuit: response, resonance, load.

use nalgebra::Complex;
use std::f64::consts::PI;

/// Coil seen as a circuit: resistance and inductance in series, capacitance across.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CoilCircuit {
    /// Resistance, Ω.
    pub resistance_ohm: f64,
    /// Inductance, H.
    pub inductance_h: f64,
    /// Self-capacitance, F.
    pub capacitance_f: f64,
}

/// What hangs on the coil: pots at full, cable, amplifier input.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LoadCircuit {
    /// Volume pot, whole track, Ω.
    pub volume_ohm: f64,
    /// Tone pot, whole track, Ω; infinite for none.
    pub tone_ohm: f64,
    /// Tone capacitor, F.
    pub tone_f: f64,
    /// Cable, F.
    pub cable_f: f64,
    /// Amplifier input, Ω.
    pub input_ohm: f64,
}

/// The shape of a response.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Peak {
    /// Frequency of the highest point, Hz.
    pub peak_hz: f64,
    /// Its height over the low-frequency level, dB.
    pub peak_db: f64,
    /// Where the level falls 3 dB below the low-frequency level, Hz.
    pub minus3db_hz: f64,
}

impl CoilCircuit {
    /// Undamped resonance 1/(2π√(LC)) without any load, Hz.
    #[must_use]
    pub fn resonance_hz(&self) -> f64 {
        1.0 / (2.0 * PI * (self.inductance_h * self.capacitance_f).sqrt())
    }

    /// Inductance that a meter shows in its series mode at `hz`, H: the imaginary part of the impedance
    /// over ω, which rises towards resonance.
    #[must_use]
    pub fn apparent_inductance_h(&self, hz: f64) -> f64 {
        let s = Complex::new(0.0, 2.0 * PI * hz);
        let series = s * self.inductance_h + self.resistance_ohm;
        let impedance = (series.inv() + s * self.capacitance_f).inv();
        impedance.im / (2.0 * PI * hz)
    }

    /// Output over induced voltage at `hz`, as a ratio of amplitudes.
    #[must_use]
    pub fn response(&self, load: Option<&LoadCircuit>, hz: f64) -> f64 {
        let s = Complex::new(0.0, 2.0 * PI * hz);
        let series = s * self.inductance_h + self.resistance_ohm;
        let mut admittance = s * self.capacitance_f;
        if let Some(load) = load {
            admittance += s * load.cable_f + 1.0 / load.volume_ohm + 1.0 / load.input_ohm;
            if load.tone_ohm.is_finite() && load.tone_f > 0.0 {
                admittance += Complex::new(1.0, 0.0) / ((s * load.tone_f).inv() + load.tone_ohm);
            }
        }
        (Complex::new(1.0, 0.0) / (series * admittance + 1.0)).norm()
    }

    /// Height of the response over its low-frequency level (80 Hz), dB.
    #[must_use]
    pub fn response_db(&self, load: Option<&LoadCircuit>, hz: f64) -> f64 {
        20.0 * (self.response(load, hz) / self.response(load, 80.0)).log10()
    }

    /// Highest point and −3 dB point of the response, between 200 Hz and 60 kHz.
    ///
    /// Found on 120 points per decade, then by golden section and bisection to 0.01 %. A response that
    /// only falls has its "peak" at the lower end, with 0 dB.
    #[must_use]
    pub fn peak(&self, load: Option<&LoadCircuit>) -> Peak {
        let steps = 300_usize;
        let grid = |i: usize| 200.0 * 300f64.powf(i as f64 / steps as f64);
        let level = |hz: f64| self.response_db(load, hz);
        let (mut best, mut best_db) = (0, f64::MIN);
        for i in 0..=steps {
            let db = level(grid(i));
            if db > best_db {
                (best, best_db) = (i, db);
            }
        }
        let (mut low, mut high) = (grid(best.saturating_sub(1)), grid((best + 1).min(steps)));
        let golden = 0.618_033_988_75;
        while high / low > 1.0001 {
            let (a, b) = (high - golden * (high - low), low + golden * (high - low));
            if level(a) > level(b) { high = b } else { low = a }
        }
        let peak_hz = 0.5 * (low + high);
        let (mut from, mut to) = (peak_hz, 2e5);
        while to / from > 1.0001 {
            let middle = (from * to).sqrt();
            if level(middle) > -3.0 { from = middle } else { to = middle }
        }
        Peak { peak_hz, peak_db: level(peak_hz), minus3db_hz: from }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const COIL: CoilCircuit =
        CoilCircuit { resistance_ohm: 6000.0, inductance_h: 2.2, capacitance_f: 100e-12 };

    /// A series R–L with C across is the second-order low-pass of any textbook: peak at f₀√(1 − 1/(2Q²)),
    /// height Q/√(1 − 1/(4Q²)), Q = √(L/C)/R.
    #[test]
    fn unloaded_coil_is_the_textbook_low_pass() {
        let coil = CoilCircuit { resistance_ohm: 60e3, ..COIL };
        let q = (coil.inductance_h / coil.capacitance_f).sqrt() / coil.resistance_ohm;
        let peak = coil.peak(None);
        let expected_hz = coil.resonance_hz() * (1.0 - 0.5 / (q * q)).sqrt();
        let expected_db = 20.0 * (q / (1.0 - 0.25 / (q * q)).sqrt()).log10();
        assert!((peak.peak_hz / expected_hz - 1.0).abs() < 5e-4);
        assert!((peak.peak_db - expected_db).abs() < 0.01, "{} {expected_db}", peak.peak_db);
    }

    /// Far below resonance and with little resistance, L/(1 − ω²LC): any textbook.
    #[test]
    fn a_meter_shows_more_inductance_near_resonance() {
        let coil = CoilCircuit { resistance_ohm: 1.0, ..COIL };
        let hz = 0.2 * coil.resonance_hz();
        assert!((coil.apparent_inductance_h(hz) / coil.inductance_h * (1.0 - 0.04) - 1.0).abs() < 1e-3);
        assert!((coil.apparent_inductance_h(100.0) / coil.inductance_h - 1.0).abs() < 1e-3);
    }

    #[test]
    fn load_lowers_the_peak_and_cable_pulls_it_down() {
        let load = LoadCircuit {
            volume_ohm: 250e3,
            tone_ohm: 250e3,
            tone_f: 22e-9,
            cable_f: 470e-12,
            input_ohm: 1e6,
        };
        let (free, loaded) = (COIL.peak(None), COIL.peak(Some(&load)));
        assert!(loaded.peak_hz < 0.6 * free.peak_hz && loaded.peak_db < free.peak_db - 10.0);
        let longer = LoadCircuit { cable_f: 900e-12, ..load };
        assert!(COIL.peak(Some(&longer)).peak_hz < loaded.peak_hz);
        assert!(loaded.minus3db_hz > loaded.peak_hz);
        assert!(COIL.response_db(Some(&load), loaded.minus3db_hz) + 3.0 < 0.01);
    }
}
