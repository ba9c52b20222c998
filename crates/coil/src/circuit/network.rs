//! The pickup as a circuit of coupled coils.

use super::peak::Peak;
use crate::eddy::{self, Relaxation, Screening};
use crate::word::document_word;
use nalgebra::{Complex, DMatrix, DVector};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

document_word! {
    /// How coils are joined.
    pub enum Join {
        /// One after the other.
        Series,
        /// Side by side.
        Parallel,
    }
}

/// One coil of the circuit.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct NetworkCoil {
    /// Resistance, Ω.
    pub resistance_ohm: f64,
    /// Capacitance across its ends, F.
    pub capacitance_f: f64,
    /// +1 when its current runs counter-clockwise seen from above on the way to the hot lead, −1 otherwise.
    pub sense: f64,
    /// Its share of the signal, in the sense of the hot lead; the shares of all add up to one.
    pub signal: f64,
    /// Its share in the eddy currents of the whole.
    pub eddy_share: f64,
}

/// The pickup as a circuit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Network {
    /// The coils that are joined.
    pub coils: Vec<NetworkCoil>,
    /// Inductance matrix at rest, H; mutual inductances for currents that run the same way round.
    pub inductance_h: Vec<Vec<f64>>,
    /// How they are joined.
    pub join: Join,
    /// Eddy currents seen by the joined coils.
    pub relaxations: Vec<Relaxation>,
    /// What the same currents take from the signal: the mean over the strings.
    #[serde(default)]
    pub screening: Vec<Screening>,
    /// Capacitance across the leads, F.
    pub leads_f: f64,
}

/// What hangs on the pickup: pots at full, cable, amplifier input.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LoadCircuit {
    /// Volume pot, whole track, Ω.
    pub volume_ohm: f64,
    /// Share of the volume track from ground to the wiper, 0…1: 1 is full.
    pub volume_at: f64,
    /// Tone pot, the part in the circuit, Ω; infinite for none.
    pub tone_ohm: f64,
    /// Tone capacitor, F.
    pub tone_f: f64,
    /// Cable, F.
    pub cable_f: f64,
    /// Amplifier input, Ω.
    pub input_ohm: f64,
}

/// The input of an instrument that is connected to the leads: an analyser, a sound card, an oscilloscope with its lead.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct InstrumentInput {
    /// Capacitance with its lead, F.
    pub capacitance_f: f64,
    /// Resistance, Ω.
    pub resistance_ohm: f64,
}

impl InstrumentInput {
    /// The input as a load without pots.
    #[must_use]
    pub fn load(self) -> LoadCircuit {
        LoadCircuit {
            volume_ohm: 1e15,
            volume_at: 1.0,
            tone_ohm: f64::INFINITY,
            tone_f: 0.0,
            cable_f: self.capacitance_f,
            input_ohm: self.resistance_ohm,
        }
    }
}

/// A pickup at one frequency, seen from its leads.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Source {
    /// Voltage with nothing connected, per volt induced.
    pub open: Complex<f64>,
    /// Impedance, Ω.
    pub impedance: Complex<f64>,
}

type Number = Complex<f64>;

fn j(x: f64) -> Number {
    Complex::new(0.0, x)
}

impl Network {
    /// One coil alone.
    ///
    /// ```
    /// use coil::circuit::Network;
    /// let coil = Network::single(6000.0, 2.5, 100e-12);
    /// // f = 1 / (2π√(LC))
    /// assert!((coil.resonance_hz() / 10_065.8 - 1.0).abs() < 1e-3, "{}", coil.resonance_hz());
    /// ```
    #[must_use]
    pub fn single(resistance_ohm: f64, inductance_h: f64, capacitance_f: f64) -> Self {
        let coil =
            NetworkCoil { resistance_ohm, capacitance_f: 0.0, sense: 1.0, signal: 1.0, eddy_share: 1.0 };
        Self {
            coils: vec![coil],
            inductance_h: vec![vec![inductance_h]],
            join: Join::Series,
            relaxations: Vec::new(),
            screening: Vec::new(),
            leads_f: capacitance_f,
        }
    }

    /// Resistance between the leads, Ω.
    #[must_use]
    pub fn resistance_ohm(&self) -> f64 {
        let each = self.coils.iter().map(|c| c.resistance_ohm);
        match self.join {
            Join::Series => each.sum(),
            Join::Parallel => 1.0 / each.map(f64::recip).sum::<f64>(),
        }
    }

    /// How one ampere at the leads runs through the coils, counted counter-clockwise: all of it when they are in
    /// series; in parallel as their inductances divide it.
    #[must_use]
    pub fn pattern(&self) -> Vec<f64> {
        match self.join {
            Join::Series => self.coils.iter().map(|c| c.sense).collect(),
            Join::Parallel => {
                let n = self.coils.len();
                let signed = DMatrix::from_fn(n, n, |a, b| {
                    self.coils[a].sense * self.coils[b].sense * self.inductance_h[a][b]
                });
                let shares = signed.lu().solve(&DVector::from_element(n, 1.0));
                let shares = shares.unwrap_or_else(|| DVector::from_element(n, 1.0));
                let all = shares.sum();
                self.coils.iter().zip(shares.iter()).map(|(c, s)| c.sense * s / all).collect()
            }
        }
    }

    /// Inductance between the leads at rest, H.
    #[must_use]
    pub fn inductance_h(&self) -> f64 {
        let pattern = self.pattern();
        let mut sum = 0.0;
        for (a, row) in pattern.iter().zip(&self.inductance_h) {
            sum += pattern.iter().zip(row).map(|(b, l)| a * b * l).sum::<f64>();
        }
        sum
    }

    /// Each coil's share of the voltage between the leads, as inductances divide it; all of it for coils in parallel.
    #[must_use]
    pub fn voltage_shares(&self) -> Vec<f64> {
        let whole = self.inductance_h();
        let share = |(coil, row): (&NetworkCoil, &Vec<f64>)| -> f64 {
            let own = self.coils.iter().zip(row).map(|(other, l)| coil.sense * other.sense * l);
            own.sum::<f64>() / whole
        };
        match self.join {
            Join::Parallel => vec![1.0; self.coils.len()],
            Join::Series => self.coils.iter().zip(&self.inductance_h).map(share).collect(),
        }
    }

    /// Capacitance that resonates with [`Self::inductance_h`], F: of coils in series each counts by the square of
    /// its share of the voltage.
    #[must_use]
    pub fn capacitance_f(&self) -> f64 {
        let shares = self.voltage_shares();
        let coils: f64 =
            self.coils.iter().zip(shares).map(|(coil, share)| coil.capacitance_f * share * share).sum();
        coils + self.leads_f
    }

    /// Undamped resonance 1/(2π√(LC)) without any load, Hz.
    #[must_use]
    pub fn resonance_hz(&self) -> f64 {
        1.0 / (2.0 * PI * (self.inductance_h() * self.capacitance_f()).sqrt())
    }

    /// The pickup seen from its leads at `hz`.
    #[must_use]
    pub fn source(&self, hz: f64) -> Source {
        let omega = 2.0 * PI * hz;
        let eddy = eddy::impedance(&self.relaxations, hz);
        let bare = if let ([coil], [row]) = (&self.coils[..], &self.inductance_h[..]) {
            let series = eddy + coil.resistance_ohm + j(omega * row[0]);
            let shunt = Number::from(1.0) + series * j(omega * coil.capacitance_f);
            Source { open: shunt.inv() * coil.signal, impedance: series / shunt }
        } else {
            self.coupled(omega, eddy)
        };
        let shunt = Number::from(1.0) + bare.impedance * j(omega * self.leads_f);
        let signal = eddy::screened(&self.screening, hz);
        Source { open: bare.open * signal / shunt, impedance: bare.impedance / shunt }
    }

    /// Several coils: v = e − Z·i for the coils, their capacitances across them. Signs: voltages and currents are counted
    /// towards the hot lead.
    fn coupled(&self, omega: f64, eddy: Number) -> Source {
        let n = self.coils.len();
        let z = |a: usize, b: usize| {
            let (one, other) = (&self.coils[a], &self.coils[b]);
            let mutual = one.sense * other.sense * self.inductance_h[a][b];
            let own = if a == b { one.resistance_ohm } else { 0.0 };
            eddy * (one.eddy_share * other.eddy_share) + own + j(omega * mutual)
        };
        let e = |a: usize| Number::from(self.coils[a].signal);
        let nothing = Source { open: Number::from(0.0), impedance: Number::from(0.0) };
        let zero = Number::from(0.0);
        match self.join {
            Join::Series => {
                // (1 + Z·jωC)·v = e − Z·1·I.
                let left = |a: usize, b: usize| {
                    let through = z(a, b) * j(omega * self.coils[b].capacitance_f);
                    if a == b { through + 1.0 } else { through }
                };
                let driven = |a: usize| (0..n).fold(zero, |sum, b| sum + z(a, b));
                solve_sums(n, left, e, driven).map_or(nothing, |(open, impedance)| Source { open, impedance })
            }
            Join::Parallel => {
                let capacitance: f64 = self.coils.iter().map(|c| c.capacitance_f).sum();
                let one = |_| Number::from(1.0);
                solve_sums(n, z, e, one).map_or(nothing, |(of_e, of_one)| {
                    let admittance = of_one + j(omega * capacitance);
                    Source { open: of_e / admittance, impedance: admittance.inv() }
                })
            }
        }
    }

    /// What an instrument across the leads shows as it is swept: the highest point of the voltage with its input across.
    #[must_use]
    pub fn seen_by(&self, input: InstrumentInput) -> Peak {
        self.peak(Some(&input.load()))
    }

    /// Impedance between the leads at `hz`, Ω.
    ///
    /// ```
    /// use coil::circuit::Network;
    /// let coil = Network::single(6000.0, 2.5, 0.0);
    /// let z = coil.impedance(100.0);
    /// assert!((z.re - 6000.0).abs() < 1e-6 && (z.im - 2.0 * std::f64::consts::PI * 100.0 * 2.5).abs() < 1e-6);
    /// ```
    #[must_use]
    pub fn impedance(&self, hz: f64) -> Number {
        self.source(hz).impedance
    }

    /// Output over induced voltage at `hz`.
    #[must_use]
    pub fn response(&self, load: Option<&LoadCircuit>, hz: f64) -> Number {
        let source = self.source(hz);
        load.map_or(source.open, |load| load.output(source, hz))
    }

    /// Height of the response over its low-frequency level (80 Hz), dB.
    ///
    /// ```
    /// use coil::circuit::Network;
    /// let coil = Network::single(6000.0, 2.5, 100e-12);
    /// // With nothing connected, what is induced comes out whole far below the resonance, and falls beyond it.
    /// assert!(coil.response_db(None, 50.0).abs() < 0.01);
    /// assert!(coil.response_db(None, 40_000.0) < -20.0);
    /// ```
    #[must_use]
    pub fn response_db(&self, load: Option<&LoadCircuit>, hz: f64) -> f64 {
        20.0 * (self.response(load, hz).norm() / self.response(load, 80.0).norm()).log10()
    }

    /// Highest point and −3 dB point of the response, between 200 Hz and 60 kHz.
    ///
    /// Found on 30 points per decade, then to 0.01 %. A response that only falls has its highest point at the lower end, with
    /// 0 dB: see [`Peak::is_peak`].
    #[must_use]
    pub fn peak(&self, load: Option<&LoadCircuit>) -> Peak {
        self.peak_near(load, None)
    }

    /// As [`Self::peak`], looking first within a fifth of a peak already known, which is quicker.
    #[must_use]
    pub fn peak_near(&self, load: Option<&LoadCircuit>, near: Option<Peak>) -> Peak {
        Peak::find(|hz| self.response(load, hz).norm_sqr(), near)
    }

    /// The network with other resistances, inductances and capacitances, each by the logarithm of its change. Eddy currents go
    /// with the inductance.
    ///
    /// ```
    /// use coil::circuit::Network;
    /// let coil = Network::single(6000.0, 2.5, 100e-12);
    /// let other = coil.scaled(0.1, 0.0, 4f64.ln());
    /// assert!((other.resistance_ohm() / 6000.0 - 0.1f64.exp()).abs() < 1e-12);
    /// assert!((other.resonance_hz() / coil.resonance_hz() - 0.5).abs() < 1e-9);
    /// ```
    #[must_use]
    pub fn scaled(&self, ln_resistance: f64, ln_inductance: f64, ln_capacitance: f64) -> Self {
        let (r, l, c) = (ln_resistance.exp(), ln_inductance.exp(), ln_capacitance.exp());
        let mut other = self.clone();
        for coil in &mut other.coils {
            coil.resistance_ohm *= r;
            coil.capacitance_f *= c;
        }
        for inductance in other.inductance_h.iter_mut().flatten() {
            *inductance *= l;
        }
        for relaxation in &mut other.relaxations {
            relaxation.strength_hs *= l;
        }
        other.leads_f *= c;
        other
    }
}

/// Sums of the solutions of one matrix with two right sides; two coils, which are most, in closed form.
fn solve_sums(
    n: usize,
    matrix: impl Fn(usize, usize) -> Number,
    first: impl Fn(usize) -> Number,
    second: impl Fn(usize) -> Number,
) -> Option<(Number, Number)> {
    if n == 2 {
        let (a, b, c, d) = (matrix(0, 0), matrix(0, 1), matrix(1, 0), matrix(1, 1));
        let inverse = (a * d - b * c).inv();
        let sum = |x: Number, y: Number| ((d - c) * x + (a - b) * y) * inverse;
        return Some((sum(first(0), first(1)), sum(second(0), second(1))));
    }
    let lu = DMatrix::from_fn(n, n, matrix).lu();
    let solve = |right: DVector<Number>| lu.solve(&right).map(|x| x.sum());
    Some((solve(DVector::from_fn(n, |i, _| first(i)))?, solve(DVector::from_fn(n, |i, _| second(i)))?))
}

impl LoadCircuit {
    /// What stands across the pickup besides the volume pot: the tone control.
    fn tone(&self, s: Number) -> Number {
        if self.tone_ohm.is_finite() && self.tone_f > 0.0 {
            ((s * self.tone_f).inv() + self.tone_ohm).inv()
        } else {
            Number::from(0.0)
        }
    }

    /// Voltage at the amplifier's input.
    #[must_use]
    pub fn output(&self, source: Source, hz: f64) -> Number {
        let s = j(2.0 * PI * hz);
        let after = s * self.cable_f + 1.0 / self.input_ohm;
        let lower = (self.volume_ohm * self.volume_at).max(1e-3);
        let upper = self.volume_ohm - lower;
        // Wiper to ground, then the upper part of the track before it.
        let wiper = (after + 1.0 / lower).inv();
        let track = wiper + upper.max(0.0);
        let across = (self.tone(s) + track.inv()).inv();
        source.open * across / (across + source.impedance) * wiper / track
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn coil() -> Network {
        Network::single(6000.0, 2.2, 100e-12)
    }

    /// A series R–L with C across is the second-order low-pass of any textbook: peak at f₀√(1 − 1/(2Q²)),
    /// height Q/√(1 − 1/(4Q²)), Q = √(L/C)/R.
    #[test]
    fn unloaded_coil_is_the_textbook_low_pass() {
        let (r, l, c): (f64, f64, f64) = (60e3, 2.2, 100e-12);
        let coil = Network::single(r, l, c);
        let q = (l / c).sqrt() / r;
        let peak = coil.peak(None);
        let expected_hz = coil.resonance_hz() * (1.0 - 0.5 / (q * q)).sqrt();
        let expected_db = 20.0 * (q / (1.0 - 0.25 / (q * q)).sqrt()).log10();
        assert!((peak.peak_hz / expected_hz - 1.0).abs() < 5e-4);
        assert!((peak.peak_db - expected_db).abs() < 0.01, "{} {expected_db}", peak.peak_db);
    }

    #[test]
    fn load_lowers_the_peak_and_cable_pulls_it_down() {
        let load = LoadCircuit {
            volume_ohm: 250e3,
            volume_at: 1.0,
            tone_ohm: 250e3,
            tone_f: 22e-9,
            cable_f: 470e-12,
            input_ohm: 1e6,
        };
        let (free, loaded) = (coil().peak(None), coil().peak(Some(&load)));
        assert!(loaded.peak_hz < 0.6 * free.peak_hz && loaded.peak_db < free.peak_db - 10.0);
        let longer = LoadCircuit { cable_f: 900e-12, ..load };
        assert!(coil().peak(Some(&longer)).peak_hz < loaded.peak_hz);
        assert!(loaded.minus3db_hz > loaded.peak_hz);
        assert!(coil().response_db(Some(&load), loaded.minus3db_hz) + 3.0 < 0.01);
        // A volume pot turned down loses level, and highs with the cable behind its track.
        let down = LoadCircuit { volume_at: 0.5, ..load };
        assert!(
            coil().response(Some(&down), 200.0).norm() < 0.55 * coil().response(Some(&load), 200.0).norm()
        );
        assert!(coil().peak(Some(&down)).minus3db_hz < loaded.minus3db_hz);
    }

    /// Two equal coils that do not know one another: twice and half, as any textbook has it; the resonance stays.
    #[test]
    fn two_equal_coils() {
        let one = NetworkCoil {
            resistance_ohm: 4000.0,
            capacitance_f: 80e-12,
            sense: 1.0,
            signal: 0.5,
            eddy_share: 0.0,
        };
        let pair = |join, mutual: f64, sense: f64| Network {
            coils: vec![one, NetworkCoil { sense, ..one }],
            inductance_h: vec![vec![2.0, mutual], vec![mutual, 2.0]],
            join,
            relaxations: Vec::new(),
            screening: Vec::new(),
            leads_f: 0.0,
        };
        let series = pair(Join::Series, 0.0, 1.0);
        let parallel = pair(Join::Parallel, 0.0, 1.0);
        assert!((series.resistance_ohm() - 8000.0).abs() < 1e-9);
        assert!((parallel.resistance_ohm() - 2000.0).abs() < 1e-9);
        assert!((series.inductance_h() - 4.0).abs() < 1e-12 && (parallel.inductance_h() - 1.0).abs() < 1e-12);
        assert!((series.capacitance_f() / 40e-12 - 1.0).abs() < 1e-9);
        assert!((parallel.capacitance_f() / 160e-12 - 1.0).abs() < 1e-9);
        let alone = Network::single(4000.0, 2.0, 80e-12);
        for hz in [100.0, 3000.0, 12_000.0, 20_000.0] {
            let z = alone.impedance(hz);
            assert!((series.impedance(hz) - z * 2.0).norm() < 1e-6 * z.norm());
            assert!((parallel.impedance(hz) - z * 0.5).norm() < 1e-6 * z.norm());
            assert!((series.response(None, hz) - alone.response(None, hz)).norm() < 1e-6);
        }
        // Wound against one another, a negative mutual inductance (side by side) adds: L₁ + L₂ − 2M.
        assert!((pair(Join::Series, -0.3, -1.0).inductance_h() - 4.6).abs() < 1e-12);
    }
}
