//! The simulated bench: what lies on it is a coil with its own small differences and, if wanted, a fault; its instruments
//! read the physics of that coil with their own error and last digit.

use crate::{
    Answer, Gaussmeter, Inductive, Instrument, InstrumentError, LcrMeter, OhmMeter, Ohms, SweepAnalyser,
    Winder, WinderState, Winding,
};
use coil::circuit::Network;
use coil::design::Design;
use coil::prediction::{Calibration, Solution};
use coil::wire::at_temperature;
use rand::SeedableRng as _;
use rand_distr::{Distribution as _, Normal};
use rand_pcg::Pcg64Mcg;
use serde::{Deserialize, Serialize};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Instant;

/// What can be the matter with a coil on the bench.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Fault {
    /// No way through the coil.
    Open,
    /// The enamel has not burned through: open for the first eight readings.
    Unburned,
    /// The meter changes its range: an overload at the first reading.
    Ranging,
    /// Shorted turns.
    ShortedTurns,
    /// Magnets charged to half.
    HalfCharge,
    /// This pole, from 1, the other way up.
    Reversed(u32),
    /// The wire breaks at this turn.
    BreaksAt(u32),
}

/// What can be the matter with a connection.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Line {
    /// It answers.
    Good,
    /// It takes the question and never answers.
    Silent,
    /// It answers nonsense.
    Garbage,
    /// It breaks off.
    Lost,
}

/// A coil on the bench.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Piece {
    /// As it was wound.
    pub design: Design,
    /// Which of all coils of that design it is.
    pub seed: u64,
    /// What is the matter with it.
    #[serde(default)]
    pub faults: Vec<Fault>,
    /// How much warmer than the room it came to the bench, K.
    #[serde(default)]
    pub warmer_k: f64,
}

/// A piece with its own truth.
#[derive(Debug)]
struct Lying {
    piece: Piece,
    solution: Solution,
    network: Network,
    ohms_20c: f64,
    flux_factor: f64,
    since: Instant,
    asked: u32,
}

#[derive(Debug)]
struct Turning {
    turns: f64,
    rpm: f64,
    since: Instant,
    state: WinderState,
    until: Option<u32>,
}

#[derive(Debug)]
struct State {
    lying: Option<Lying>,
    /// What is the matter with every coil that is laid on the bench, besides its own.
    faults: Vec<Fault>,
    turning: Turning,
    /// Pole under the probe, from 1, and its distance, mm.
    probe: (u32, f64),
    dice: Pcg64Mcg,
    line: Line,
}

/// The bench; clones are the same bench.
#[derive(Debug, Clone)]
pub struct Bench {
    state: Arc<Mutex<State>>,
    /// How many times faster than life winding and cooling go.
    pace: f64,
}

/// Room on the simulated bench, °C.
const ROOM_C: f64 = 22.0;
/// A coil cools with this time constant, s (common practice, no source: minutes).
const COOLS_S: f64 = 240.0;

fn refused(why: &str) -> InstrumentError {
    InstrumentError::Refused { why: why.to_owned() }
}

fn shown(value: f64, resolution: f64) -> f64 {
    (value / resolution).round() * resolution
}

impl Bench {
    /// An empty bench. `pace` 1 is life; a demonstration may go faster.
    #[must_use]
    pub fn new(seed: u64, pace: f64) -> Self {
        let now = Instant::now();
        let turning = Turning { turns: 0.0, rpm: 0.0, since: now, state: WinderState::Stopped, until: None };
        let state = State {
            lying: None,
            faults: Vec::new(),
            turning,
            probe: (1, 0.5),
            dice: Pcg64Mcg::seed_from_u64(seed),
            line: Line::Good,
        };
        Self { state: Arc::new(Mutex::new(state)), pace: pace.clamp(0.01, 1000.0) }
    }

    fn lock(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Gives every coil that is laid on the bench from now on these faults.
    pub fn set_faults(&self, faults: Vec<Fault>) {
        let mut state = self.lock();
        state.faults = faults;
        state.lying = None;
    }

    /// Lays a coil on the bench in place of what was there; the same coil again stays as it lies.
    ///
    /// # Errors
    /// When the design cannot be.
    pub fn lay(&self, mut piece: Piece) -> Answer<()> {
        {
            let state = self.lock();
            piece.faults.extend_from_slice(&state.faults);
            if state.lying.as_ref().is_some_and(|l| l.piece == piece) {
                return Ok(());
            }
        }
        let solution = Solution::compute(&piece.design).map_err(|problems| {
            refused(&problems.first().map_or_else(String::new, |p| format!("{} {}", p.at, p.text)))
        })?;
        let prediction = solution.prediction(&Calibration::default());
        let mut own = Pcg64Mcg::seed_from_u64(piece.seed);
        let mut about = |spread: f64| Normal::new(1.0, spread).map_or(1.0, |n| n.sample(&mut own));
        let (ohms, henries, farads, flux) = (about(0.006), about(0.008), about(0.06), about(0.02));
        let has = |fault: Fault| piece.faults.contains(&fault);
        let mut network = prediction.circuit;
        let shorted = if has(Fault::ShortedTurns) { (0.996, 0.86) } else { (1.0, 1.0) };
        network.inductance_h.iter_mut().flatten().for_each(|l| *l *= henries * shorted.1);
        network.coils.iter_mut().for_each(|c| c.capacitance_f *= farads);
        let ohms_20c = prediction.pickup.resistance_20c_ohm.nominal * ohms * shorted.0;
        let flux_factor = flux * if has(Fault::HalfCharge) { 0.55 } else { 1.0 };
        let lying =
            Lying { piece, solution, network, ohms_20c, flux_factor, since: Instant::now(), asked: 0 };
        self.lock().lying = Some(lying);
        Ok(())
    }

    /// Holds the gaussmeter's probe over a pole, from 1, at a distance, mm.
    pub fn hold_probe(&self, pole: u32, gap_mm: f64) {
        self.lock().probe = (pole, gap_mm.clamp(0.0, 20.0));
    }

    /// What the connection does from now on.
    pub fn set_line(&self, line: Line) {
        self.lock().line = line;
    }

    /// What the connection does.
    #[must_use]
    pub fn line(&self) -> Line {
        self.lock().line
    }

    /// Temperature of the coil now, °C.
    fn coil_c(&self, lying: &Lying) -> f64 {
        let seconds = lying.since.elapsed().as_secs_f64() * self.pace;
        ROOM_C + lying.piece.warmer_k * (-seconds / COOLS_S).exp()
    }
}

impl State {
    fn noise(&mut self, spread: f64) -> f64 {
        Normal::new(1.0, spread).map_or(1.0, |n| n.sample(&mut self.dice))
    }

    fn lying(&self) -> Answer<&Lying> {
        self.lying.as_ref().ok_or_else(|| refused("nothing is connected"))
    }

    /// Whether nothing goes through the coil at this reading.
    fn is_open(&mut self) -> Answer<bool> {
        let lying = self.lying.as_mut().ok_or_else(|| refused("nothing is connected"))?;
        lying.asked += 1;
        let has = |fault: Fault| lying.piece.faults.contains(&fault);
        let open_for = |fault: Fault, readings| has(fault) && lying.asked <= readings;
        Ok(has(Fault::Open) || open_for(Fault::Unburned, 8) || open_for(Fault::Ranging, 1))
    }

    /// Turns the spindle on to now.
    fn turn(&mut self, pace: f64) {
        let now = Instant::now();
        let turning = &mut self.turning;
        if turning.state == WinderState::Running {
            let before = turning.turns;
            turning.turns += turning.rpm / 60.0 * pace * now.duration_since(turning.since).as_secs_f64();
            let breaks = self.lying.iter().flat_map(|l| &l.piece.faults).find_map(|f| match f {
                Fault::BreaksAt(turn) => Some(f64::from(*turn)),
                _ => None,
            });
            // Once spliced at that turn it holds.
            if let Some(at) = breaks.filter(|at| before < *at && *at <= turning.turns) {
                (turning.turns, turning.rpm, turning.state) = (at, 0.0, WinderState::WireBroke);
            }
            let stop = turning.until.map(f64::from).filter(|stop| turning.turns >= *stop);
            if let (WinderState::Running, Some(stop)) = (turning.state, stop) {
                (turning.turns, turning.rpm, turning.state) = (stop, 0.0, WinderState::Stopped);
            }
        }
        turning.since = now;
    }
}

impl Instrument for Bench {
    async fn identify(&mut self) -> Answer<String> {
        Ok("Filamentum,simulated bench,0,1".to_owned())
    }
}

impl OhmMeter for Bench {
    async fn resistance(&mut self) -> Answer<Ohms> {
        let mut state = self.lock();
        if state.is_open()? {
            return Ok(Ohms::Open);
        }
        let lying = state.lying()?;
        let truth = at_temperature(lying.ohms_20c, 20.0, self.coil_c(lying));
        Ok(Ohms::Of(shown(truth * state.noise(0.0005), 1.0)))
    }

    async fn temperature(&mut self) -> Answer<f64> {
        let mut state = self.lock();
        let truth = self.coil_c(state.lying()?);
        Ok(shown(truth * state.noise(0.002), 0.1))
    }
}

impl LcrMeter for Bench {
    async fn inductance(&mut self, hz: f64) -> Answer<Inductive> {
        let mut state = self.lock();
        if !(20.0..=200_000.0).contains(&hz) {
            return Err(refused("the test frequency is out of range"));
        }
        if state.is_open()? {
            return Err(refused("overload"));
        }
        let z = state.lying()?.network.impedance(hz);
        let henries = z.im / (2.0 * std::f64::consts::PI * hz);
        Ok(Inductive { henries: shown(henries * state.noise(0.001), 1e-4), q: shown(z.im / z.re, 0.01) })
    }

    async fn capacitance(&mut self, hz: f64) -> Answer<f64> {
        let mut state = self.lock();
        if state.is_open()? {
            return Err(refused("overload"));
        }
        let z = state.lying()?.network.impedance(hz);
        Ok(shown(state.noise(0.005) / (2.0 * std::f64::consts::PI * hz * z.norm()), 1e-11))
    }
}

impl Gaussmeter for Bench {
    async fn flux(&mut self) -> Answer<f64> {
        let mut state = self.lock();
        let (pole, gap_mm) = state.probe;
        let lying = state.lying()?;
        let all = lying.solution.pole_flux_mt(gap_mm);
        let at = lying.piece.design.pole_numbered(pole);
        let Some(Some(mt)) = at.and_then(|k| all.get(k).copied()) else {
            return Ok(0.0);
        };
        let sign = if lying.piece.faults.contains(&Fault::Reversed(pole)) { -1.0 } else { 1.0 };
        let truth = mt * 1e-3 * lying.flux_factor * sign;
        Ok(shown(truth * state.noise(0.01), 1e-4))
    }
}

impl SweepAnalyser for Bench {
    async fn sweep(&mut self, from_hz: f64, to_hz: f64, points: u32) -> Answer<Vec<(f64, f64)>> {
        let mut state = self.lock();
        if !(from_hz >= 20.0 && to_hz > from_hz && to_hz <= 100_000.0 && (8..=1000).contains(&points)) {
            return Err(refused("the sweep is out of range"));
        }
        if state.is_open()? {
            return Err(refused("no signal"));
        }
        let load = state.lying()?.piece.design.load.circuit();
        let network = state.lying()?.network.clone();
        let step = (to_hz / from_hz).powf(1.0 / f64::from(points - 1));
        Ok((0..points)
            .map(|k| {
                let hz = shown(from_hz * step.powi(k.cast_signed()), 0.1);
                let level = 20.0 * network.response(Some(&load), hz).norm().log10();
                (hz, shown(level + 0.05 * (state.noise(1.0) - 1.0), 0.01))
            })
            .collect())
    }
}

impl Winder for Bench {
    async fn status(&mut self) -> Answer<Winding> {
        let pace = self.pace;
        let mut state = self.lock();
        state.turn(pace);
        let tension = 0.18 * state.noise(0.04);
        let turning = &state.turning;
        let running = turning.state == WinderState::Running;
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a count of turns")]
        let turns = turning.turns.clamp(0.0, 1e6) as u32;
        Ok(Winding {
            turns,
            rpm: shown(turning.rpm, 1.0),
            tension_n: running.then(|| shown(tension, 0.001)),
            state: turning.state,
        })
    }

    async fn run(&mut self, rpm: f64, until: Option<u32>) -> Answer<()> {
        let pace = self.pace;
        let mut state = self.lock();
        if !(1.0..=3000.0).contains(&rpm) {
            return Err(refused("the speed is out of range"));
        }
        state.turn(pace);
        if until.is_some_and(|turn| f64::from(turn) <= state.turning.turns) {
            return Err(refused("the counter is past that turn"));
        }
        (state.turning.rpm, state.turning.state, state.turning.until) = (rpm, WinderState::Running, until);
        Ok(())
    }

    async fn stop(&mut self) -> Answer<()> {
        let pace = self.pace;
        let mut state = self.lock();
        state.turn(pace);
        state.turning.rpm = 0.0;
        if state.turning.state == WinderState::Running {
            state.turning.state = WinderState::Stopped;
        }
        Ok(())
    }

    async fn preset(&mut self, turns: u32) -> Answer<()> {
        let pace = self.pace;
        let mut state = self.lock();
        state.turn(pace);
        state.turning.turns = f64::from(turns);
        state.turning.state = WinderState::Stopped;
        state.turning.rpm = 0.0;
        Ok(())
    }
}
