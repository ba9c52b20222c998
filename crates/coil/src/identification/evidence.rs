//! How likely the readings are under a wire, a pattern and a fault: the best turns, wire and packing are sought, and the evidence
//! taken from the curvature there (Laplace's method).

use super::curves::{Curves, PatternPacking};
use super::findings::{Measurand, Measurement};
use super::hypotheses::FaultSize;
use crate::wire::{Build, Gauge};
use crate::wire::{COPPER_DENSITY, Insulation, ToleranceRange, WireData, at_temperature};
use nalgebra::{Matrix4, Vector2, Vector4};
use std::f64::consts::PI;

/// Steps of the search for the best; it settles in three or four.
const STEPS: usize = 12;
/// Share of the room that windings take, as the spread of its logarithm. Judgement, no source: a coil is half to fully wound.
const USUAL_FILL: f64 = 0.68;
const FILL_SD: f64 = 0.4;
/// Beyond the flange's edge nothing holds a turn: how sharply that ends.
const OVERFILL_SD: f64 = 0.05;
/// How well a calliper finds the thickest place of a winding against the simulated one, over the thickness.
const THICKNESS_SD: f64 = 0.04;
/// A calliper over soft turns, m.
const CALLIPER_M: f64 = 0.05e-3;

/// How softly a tolerance ends, as a share of half of it: tables name what is accepted, not what cannot be. Judgement, no source.
const TOLERANCE_EDGE: f64 = 0.1;
/// Points across a tolerance.
const TOLERANCE_POINTS: i32 = 24;

/// Unknowns as logarithms: turns, ohms a metre and overall diameter over those of the gauge, packing.
pub(super) type State = Vector4<f64>;

/// Everything that a fit needs to know of a hypothesis.
#[derive(Clone, Copy, Debug)]
pub(super) struct Hypothesis<'a> {
    pub curves: &'a Curves,
    pub wire: WireData,
    pub pattern: PatternPacking,
    pub fault: FaultSize,
}

/// The best of a hypothesis.
#[derive(Clone, Debug)]
pub(super) struct Fit {
    pub state: State,
    /// Covariance of the unknowns.
    pub covariance: Matrix4<f64>,
    /// Logarithm of the evidence.
    pub evidence: f64,
    /// Sum of squares of what the readings are off.
    pub misfit: f64,
}

/// A reading, ready to be compared: its kind, its number's logarithm, and its standard deviation.
#[derive(Clone, Copy, Debug)]
pub(super) struct Datum {
    pub what: Measurand,
    pub log: f64,
    pub sd: f64,
}

impl Datum {
    pub(super) fn new(what: Measurand, reading: &Measurement) -> Self {
        let mut value = reading.value;
        if matches!(what, Measurand::ResistanceOhm | Measurand::WireOhmPerM) {
            value = at_temperature(value, reading.coil_c.unwrap_or(20.0), 20.0);
        }
        let mut sd = reading.relative_sd(what);
        if what == Measurand::ResistanceOhm {
            // Of a coil at an unknown temperature within a room: 4 K, of a known one 1 K.
            sd = sd.hypot(0.0039 * if reading.coil_c.is_some() { 1.0 } else { 4.0 });
        }
        Self { what, log: value.ln(), sd }
    }
}

impl<'a> Hypothesis<'a> {
    pub(super) fn new(
        curves: &'a Curves,
        (gauge, build): (Gauge, Build),
        pattern: PatternPacking,
        fault: FaultSize,
    ) -> Self {
        let wire = WireData::ordered(gauge, Insulation::Polyurethane, build, ToleranceRange::Full);
        Self { curves, wire, pattern, fault }
    }

    /// Logarithm of the winding's thickness as a share of the room.
    fn thick(&self, state: &State) -> f64 {
        state[0] + 2.0 * (self.wire.overall_m.ln() + state[2])
            - state[3]
            - (self.curves.height_m * self.curves.room_m).ln()
    }

    /// Logarithm of a quantity in the state, its gradient, and the standard deviation that the model leaves it.
    pub(super) fn predicted(&self, what: Measurand, state: &State) -> (f64, Vector4<f64>, f64) {
        let (curves, thick) = (self.curves, self.thick(state));
        // What goes with thickness goes with turns, twice with the diameter, and against the packing.
        let by_thick = |slope: f64| Vector4::new(slope, 0.0, 2.0 * slope, -slope);
        let unit = |k: usize| {
            let mut v = Vector4::zeros();
            v[k] = 1.0;
            v
        };
        match what {
            Measurand::Turns => (state[0], unit(0), 0.0),
            Measurand::WireOverallMm => ((self.wire.overall_m * 1e3).ln() + state[2], unit(2), 0.0),
            Measurand::WireBareMm => ((self.wire.bare_m * 1e3).ln() - 0.5 * state[1], -0.5 * unit(1), 0.0),
            Measurand::WireOhmPerM => (self.wire.ohm_per_m.ln() + state[1], unit(1), 0.0),
            Measurand::ResistanceOhm => {
                let (metres, slope) = curves.metres(thick);
                let value = state[0] + self.wire.ohm_per_m.ln() + state[1] + metres + self.fault.turns;
                (value, unit(0) + unit(1) + by_thick(slope), curves.model_sd.resistance)
            }
            Measurand::InductanceH => {
                let ((henries, slope), (eddy, eddy_slope)) = (curves.henries(thick), curves.eddy(thick));
                let (farads, farads_slope) = curves.farads(thick);
                let low = 2.0 * (state[0] + self.fault.turns) + henries + self.fault.inductance;
                let omega = 2.0 * PI * curves.test_hz;
                // A meter shows more as its frequency comes near the resonance.
                let near = (omega * omega * (low + farads).exp()).min(0.8);
                let lift = near / (1.0 - near);
                let own = 2.0 * unit(0) + by_thick(slope);
                let gradient = own + by_thick(eddy_slope) + lift * (own + by_thick(farads_slope));
                (low + eddy - (1.0 - near).ln(), gradient, curves.model_sd.inductance)
            }
            Measurand::CapacitancePf => {
                let (farads, slope) = curves.farads(thick);
                (farads + 1e12_f64.ln(), by_thick(slope), curves.model_sd.capacitance)
            }
            Measurand::PeakHz => {
                let ((henries, slope), (farads, farads_slope)) =
                    (curves.henries(thick), curves.peak_farads(thick));
                let low = 2.0 * (state[0] + self.fault.turns) + henries + self.fault.inductance;
                let gradient = -0.5 * (2.0 * unit(0) + by_thick(slope) + by_thick(farads_slope));
                // Of what makes the peak the winding's own capacitance is known worst.
                let share = (curves.farads(thick).0 - farads).exp().min(1.0);
                let sd = 0.5 * curves.model_sd.inductance.hypot(share * curves.model_sd.capacitance);
                (-0.5 * (low + farads) - (2.0 * PI).ln(), gradient, sd)
            }
            Measurand::WireMassG => {
                let (wire, slope) = curves.wire(thick);
                let copper = PI * self.wire.bare_m.powi(2) / 4.0 * COPPER_DENSITY * (-state[1]).exp();
                let overall = self.wire.overall_m * state[2].exp();
                let film = (PI * (overall.powi(2) - self.wire.bare_m.powi(2) * (-state[1]).exp()) / 4.0)
                    .max(0.0)
                    * 1200.0;
                let share = copper / (copper + film);
                let gradient = unit(0) + by_thick(slope) - share * unit(1) + 2.0 * (1.0 - share) * unit(2);
                (state[0] + wire + (1e3 * (copper + film)).ln(), gradient, 0.01)
            }
            Measurand::OuterWidthMm => self.across(curves.core_m[1], thick, by_thick(1.0)),
            Measurand::OuterLengthMm => self.across(curves.core_m[0], thick, by_thick(1.0)),
        }
    }

    /// A size over the winding: the core and its thickest place on either side.
    fn across(&self, core_m: f64, thick: f64, gradient: Vector4<f64>) -> (f64, Vector4<f64>, f64) {
        let build = 2.0 * self.pattern.thickest * thick.exp() * self.curves.room_m;
        let size = core_m + build;
        let sd = (THICKNESS_SD * build).hypot(CALLIPER_M) / size;
        ((size * 1e3).ln(), gradient * (build / size), sd)
    }

    /// Seeks the best state for some readings.
    pub(super) fn fit(&self, data: &[Datum]) -> Fit {
        let mut state = self.begun(data);
        let mut last = (0.0, Matrix4::identity(), 0.0, 0.0);
        for _ in 0..STEPS {
            let (squares, hessian, gradient, misfit, logs) = self.squares(data, &state);
            let step = hessian.cholesky().map_or_else(Vector4::zeros, |c| c.solve(&gradient));
            last = (squares, hessian, misfit, logs);
            let longest = step.amax();
            state -= if longest > 1.0 { step / longest } else { step };
            if longest < 1e-6 {
                break;
            }
        }
        let (squares, hessian, misfit, logs) = last;
        let covariance = hessian.try_inverse().unwrap_or_else(Matrix4::zeros);
        let evidence =
            -0.5 * squares - logs + 2.0 * (2.0 * PI).ln() - 0.5 * hessian.determinant().max(1e-300).ln();
        Fit { state, covariance, evidence, misfit }
    }

    /// Logarithm by which the evidence of a fit grows when the wire lies anywhere within its tolerance alike, as tables and
    /// [`WireData`] mean it, and not about the middle of it, as the search supposes: the mean of the one density over the other under
    /// the fit.
    pub(super) fn tolerance_correction(&self, fit: &Fit) -> f64 {
        let sds = [self.wire.ohm_sd, self.wire.overall_sd];
        let mean = Vector2::new(fit.state[1], fit.state[2]);
        let covariance = fit.covariance.fixed_view::<2, 2>(1, 1).into_owned();
        let Some(inverse) = covariance.try_inverse() else { return 0.0 };
        let norm = 1.0 / (2.0 * PI * covariance.determinant().max(1e-300).sqrt());
        let reach = sds.map(|sd| 3f64.sqrt() * sd * (1.0 + 3.0 * TOLERANCE_EDGE));
        let step = reach.map(|r| 2.0 * r / f64::from(TOLERANCE_POINTS));
        let at = |k: usize, i: i32| -reach[k] + step[k] * (f64::from(i) + 0.5);
        let ratio = |k: usize, x: f64| {
            let (sd, half) = (sds[k], 3f64.sqrt() * sds[k]);
            let beyond = (x.abs() - half).max(0.0) / (TOLERANCE_EDGE * half);
            let plateau = (-0.5 * beyond * beyond).exp() / (2.0 * half);
            plateau / ((-0.5 * (x / sd).powi(2)).exp() / (sd * (2.0 * PI).sqrt()))
        };
        let second: Vec<(f64, f64)> = (0..TOLERANCE_POINTS).map(|j| (at(1, j), ratio(1, at(1, j)))).collect();
        let mut sum = 0.0;
        for i in 0..TOLERANCE_POINTS {
            let x = at(0, i);
            let of_x = ratio(0, x);
            for &(y, of_y) in &second {
                let off = Vector2::new(x, y) - mean;
                sum += of_x * of_y * (-0.5 * off.dot(&(inverse * off))).exp();
            }
        }
        (sum * norm * step[0] * step[1]).max(1e-300).ln()
    }

    /// Where the search begins: turns by the first of what tells them best.
    fn begun(&self, data: &[Datum]) -> State {
        let packing = self.pattern.packing.ln();
        let full = |thick: f64| {
            thick + packing - 2.0 * self.wire.overall_m.ln()
                + (self.curves.height_m * self.curves.room_m).ln()
        };
        let mut state = Vector4::new(full(USUAL_FILL.ln()), 0.0, 0.0, packing);
        for what in [Measurand::Turns, Measurand::ResistanceOhm, Measurand::InductanceH, Measurand::WireMassG]
        {
            let Some(datum) = data.iter().find(|d| d.what == what) else { continue };
            for _ in 0..6 {
                let (value, gradient, _) = self.predicted(what, &state);
                state[0] += ((datum.log - value) / gradient[0].max(0.3)).clamp(-1.0, 1.0);
            }
            break;
        }
        state
    }

    /// Twice the negative logarithm of readings and prior without constants, half its Hessian and gradient, the readings' part, and the
    /// logarithms of the standard deviations.
    fn squares(&self, data: &[Datum], state: &State) -> (f64, Matrix4<f64>, Vector4<f64>, f64, f64) {
        let mut hessian = Matrix4::zeros();
        let mut gradient = Vector4::zeros();
        let (mut misfit, mut logs) = (0.0, 0.0);
        for datum in data {
            let (value, slope, model) = self.predicted(datum.what, state);
            let sd = datum.sd.hypot(model);
            let off = (value - datum.log) / sd;
            misfit += off * off;
            logs += sd.ln() + 0.5 * (2.0 * PI).ln();
            gradient += slope * (off / sd);
            hessian += slope * slope.transpose() / (sd * sd);
        }
        let mut squares = misfit;
        let mut prior = |off: f64, slope: Vector4<f64>, sd: f64, logs: &mut f64| {
            squares += (off / sd).powi(2);
            gradient += slope * (off / (sd * sd));
            hessian += slope * slope.transpose() / (sd * sd);
            *logs += sd.ln() + 0.5 * (2.0 * PI).ln();
        };
        let unit = |k: usize| {
            let mut v = Vector4::zeros();
            v[k] = 1.0;
            v
        };
        prior(state[1], unit(1), self.wire.ohm_sd, &mut logs);
        prior(state[2], unit(2), self.wire.overall_sd, &mut logs);
        prior(state[3] - self.pattern.packing.ln(), unit(3), self.pattern.sd, &mut logs);
        let thick = self.thick(state);
        let along = Vector4::new(1.0, 0.0, 2.0, -1.0);
        prior(thick - USUAL_FILL.ln(), along, FILL_SD, &mut logs);
        if thick > 0.02 {
            let mut ignored = 0.0;
            prior(thick - 0.02, along, OVERFILL_SD, &mut ignored);
        }
        (squares, hessian, gradient, misfit, logs)
    }
}
