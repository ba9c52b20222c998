//! How a pickup's figures go with the thickness of its winding: solved at a few thicknesses, splined between.

use super::findings::{Findings, Measurand};
use crate::design::{Design, Problem};
use crate::prediction::{Calibration, Prediction, Quantity, Solution, lay_coil};
use std::f64::consts::PI;

/// Shares of the room that the winding takes where it is solved.
const FILLS: [f64; 8] = [0.05, 0.14, 0.28, 0.45, 0.62, 0.8, 1.0, 1.2];
/// Packing at which it is solved; a winding of another packing is as thick as its turns then make it.
const PACKING: f64 = 0.8;
/// Standard deviations from the middle to the 5 % and 95 % points.
const NINETY: f64 = 1.645;

/// A natural cubic spline.
#[derive(Clone, Debug)]
struct Spline {
    x: Vec<f64>,
    y: Vec<f64>,
    second: Vec<f64>,
}

impl Spline {
    fn new(x: &[f64], y: Vec<f64>) -> Self {
        let n = x.len();
        let (mut second, mut carry) = (vec![0.0; n], vec![0.0; n]);
        for i in 1..n - 1 {
            let sigma = (x[i] - x[i - 1]) / (x[i + 1] - x[i - 1]);
            let pivot = sigma * second[i - 1] + 2.0;
            second[i] = (sigma - 1.0) / pivot;
            let bend = (y[i + 1] - y[i]) / (x[i + 1] - x[i]) - (y[i] - y[i - 1]) / (x[i] - x[i - 1]);
            carry[i] = (6.0 * bend / (x[i + 1] - x[i - 1]) - sigma * carry[i - 1]) / pivot;
        }
        second[n - 1] = 0.0;
        for i in (0..n - 1).rev() {
            second[i] = second[i] * second[i + 1] + carry[i];
        }
        Self { x: x.to_vec(), y, second }
    }

    /// Value and slope; beyond the ends straight on.
    fn at(&self, x: f64) -> (f64, f64) {
        let last = self.x.len() - 1;
        let inside = x.clamp(self.x[0], self.x[last]);
        let k = self.x.iter().position(|v| *v >= inside).unwrap_or(last).clamp(1, last);
        let h = self.x[k] - self.x[k - 1];
        let (a, b) = ((self.x[k] - inside) / h, (inside - self.x[k - 1]) / h);
        let (low, high) = (self.second[k - 1], self.second[k]);
        let value = a * self.y[k - 1]
            + b * self.y[k]
            + ((a.powi(3) - a) * low + (b.powi(3) - b) * high) * h * h / 6.0;
        let slope = (self.y[k] - self.y[k - 1]) / h
            + ((3.0 * b * b - 1.0) * high - (3.0 * a * a - 1.0) * low) * h / 6.0;
        (value + slope * (x - inside), slope)
    }
}

/// How the lay of a pattern packs, and how much thicker it is at its thickest than on the mean.
#[derive(Clone, Copy, Debug)]
pub(super) struct PatternPacking {
    pub packing: f64,
    /// Relative standard deviation.
    pub sd: f64,
    pub thickest: f64,
    pub prior: f64,
}

/// A pickup over the logarithm of its winding's thickness as a share of the room.
#[derive(Clone, Debug)]
pub(super) struct Curves {
    /// Logarithm of wire length that counts for the resistance at the leads, over the first coil's turns, m.
    metres: Spline,
    /// Logarithm of the wire's length in all coils over the first coil's turns, m.
    wire: Spline,
    /// Logarithm of inductance over the square of the first coil's turns, H, at low frequency.
    henries: Spline,
    /// Logarithm of what eddy currents leave of it at the meter's frequency.
    eddy: Spline,
    /// Logarithm of the capacitance at the leads, F.
    farads: Spline,
    /// Logarithm of the capacitance that makes the peak with the inductance, F.
    peak_farads: Spline,
    pub test_hz: f64,
    pub height_m: f64,
    pub room_m: f64,
    pub core_m: [f64; 2],
    pub patterns: [PatternPacking; 2],
    /// Relative standard deviations of what the model leaves open, the wire and its lay apart.
    pub model_sd: ModelSds,
}

#[derive(Clone, Copy, Debug)]
pub(super) struct ModelSds {
    pub resistance: f64,
    pub inductance: f64,
    pub capacitance: f64,
}

/// A figure's logarithm and its slope by the logarithm of thickness.
pub(super) type Sloped = (f64, f64);

impl Curves {
    pub(super) fn try_new(findings: &Findings, calibration: &Calibration) -> Result<Self, Vec<Problem>> {
        let mut base = findings.pickup.clone();
        let peak = findings.measured.peak_hz;
        let cable_pf = peak.and_then(|p| p.cable_pf);
        if let Some(pf) = cable_pf {
            base.load.cable_pf = pf;
        }
        let test_hz =
            findings.measured.measurement(Measurand::InductanceH).and_then(|m| m.test_hz).unwrap_or(1000.0);
        let (room_m, height_m) =
            base.coils.first().map_or((1e-3, 1e-2), |c| (c.former.room_mm * 1e-3, c.former.height_mm * 1e-3));
        let core = base.coils.first().map_or((1.0, 1.0), |c| c.former.core.size_mm());
        let mut rows: Vec<[f64; 6]> = Vec::with_capacity(FILLS.len());
        let mut x = Vec::with_capacity(FILLS.len());
        let mut model_sd = None;
        for fill in FILLS {
            let Some((design, turns)) = wound_to(&base, fill * room_m, height_m) else { continue };
            // Thick windings of neighbouring coils may not go together: the curve ends there.
            let solution = match Solution::compute(&design) {
                Ok(solution) => solution,
                Err(_) if x.len() >= 3 => break,
                Err(problems) => return Err(problems),
            };
            let prediction = solution.prediction(calibration);
            let pickup = &prediction.pickup;
            let ohm = design.coils[0].wire.data().ohm_per_m;
            let low = pickup.inductance_h.nominal;
            let c = pickup.capacitance_f.nominal;
            let omega = 2.0 * PI * test_hz;
            let metered = prediction.circuit.meter(test_hz).ls_h.max(1e-9);
            let lifted = 1.0 / (1.0 - omega * omega * low * c).max(0.2);
            let resonance = match (cable_pf, pickup.peak_hz) {
                (Some(_), Some(peak)) => peak.nominal,
                _ => pickup.resonance_unloaded_hz.nominal,
            };
            let wire: f64 = prediction.coils.iter().map(|c| c.wire_length_m.nominal).sum();
            x.push((design_build_m(&design, turns, height_m) / room_m).ln());
            rows.push([
                (pickup.resistance_20c_ohm.nominal / ohm / turns).ln(),
                (wire / turns).ln(),
                (low / turns / turns).ln(),
                (metered / low / lifted).ln(),
                c.ln(),
                -2.0 * (2.0 * PI * resonance).ln() - low.ln(),
            ]);
            if fill >= 0.6 || model_sd.is_none() {
                model_sd = Some(model_sds(&prediction));
            }
        }
        let column = |k: usize| Spline::new(&x, rows.iter().map(|r| r[k]).collect());
        Ok(Self {
            metres: column(0),
            wire: column(1),
            henries: column(2),
            eddy: column(3),
            farads: column(4),
            peak_farads: column(5),
            test_hz,
            height_m,
            room_m,
            core_m: [core.0 * 1e-3, core.1 * 1e-3],
            patterns: patterns(&base, room_m, height_m),
            model_sd: model_sd.unwrap_or(ModelSds { resistance: 0.01, inductance: 0.02, capacitance: 0.3 }),
        })
    }

    pub(super) fn metres(&self, thick: f64) -> Sloped {
        self.metres.at(thick)
    }
    pub(super) fn wire(&self, thick: f64) -> Sloped {
        self.wire.at(thick)
    }
    pub(super) fn henries(&self, thick: f64) -> Sloped {
        self.henries.at(thick)
    }
    pub(super) fn eddy(&self, thick: f64) -> Sloped {
        self.eddy.at(thick)
    }
    pub(super) fn farads(&self, thick: f64) -> Sloped {
        self.farads.at(thick)
    }
    pub(super) fn peak_farads(&self, thick: f64) -> Sloped {
        self.peak_farads.at(thick)
    }
}

/// The pickup wound with the wire of the document until the first coil is so thick, and that coil's turns; the others keep their share.
fn wound_to(base: &Design, build_m: f64, height_m: f64) -> Option<(Design, f64)> {
    let overall = base.coils.first()?.wire.data().overall_m;
    let first = f64::from(base.coils.first()?.wind.turns.max(1));
    let turns = (build_m * height_m * PACKING / (overall * overall)).max(20.0);
    let mut design = base.clone();
    for coil in &mut design.coils {
        let share = f64::from(coil.wind.turns) / first;
        #[allow(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "turns of a winding that fits"
        )]
        let own = (turns * share).round().clamp(1.0, 99_999.0) as u32;
        coil.wind.turns = own;
        coil.wind.packing = Some(PACKING);
    }
    let turns = f64::from(design.coils[0].wind.turns);
    Some((design, turns))
}

fn design_build_m(design: &Design, turns: f64, height_m: f64) -> f64 {
    let overall = design.coils[0].wire.data().overall_m;
    turns * overall * overall / (PACKING * height_m)
}

/// What the bands of a prediction hold apart from wire, lay and turns.
fn model_sds(prediction: &Prediction) -> ModelSds {
    let own = |key: &str, q: &Quantity| {
        let sd = (q.p95.max(1e-30) / q.p05.max(1e-30)).ln().abs() / (2.0 * NINETY);
        let is_wire = |input: &str| {
            input.contains(".wire.") || input.ends_with("wind.packing") || input.ends_with("wind.turns")
        };
        let of: Vec<(f64, bool)> = prediction
            .contributions
            .iter()
            .filter(|c| c.to == key)
            .map(|c| (c.share, is_wire(&c.input)))
            .collect();
        let wire: f64 = of.iter().filter(|(_, is_wire)| *is_wire).map(|(share, _)| share).sum();
        sd * (1.0 - wire.clamp(0.0, 1.0)).sqrt()
    };
    let pickup = &prediction.pickup;
    ModelSds {
        resistance: own("resistance_20c_ohm", &pickup.resistance_20c_ohm).max(0.004),
        inductance: own("inductance_h", &pickup.inductance_h).max(0.01),
        capacitance: own("capacitance_f", &pickup.capacitance_f).max(0.1),
    }
}

/// How both patterns pack on this former: hand-scattered and machine-straight.
fn patterns(base: &Design, room_m: f64, height_m: f64) -> [PatternPacking; 2] {
    [(0.3, 0.79, 0.05, 0.75), (0.0, 0.9, 0.035, 0.25)].map(|(wander, usual, sd, prior)| {
        let laid = wound_to(base, 0.7 * room_m, height_m).and_then(|(mut design, _)| {
            for coil in &mut design.coils {
                coil.wind.packing = None;
                coil.wind.wander = wander;
            }
            lay_coil(&design, 0)
        });
        let (packing, thickest) = laid.map_or((usual, 1.05), |(_, section)| {
            (section.packing(), section.thickest_m() / section.mean_build_m().max(1e-9))
        });
        PatternPacking { packing, sd, thickest: thickest.clamp(1.0, 1.4), prior }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_spline_meets_its_points_and_a_smooth_curve_between() {
        let x: Vec<f64> = (0..8).map(|k| f64::from(k) * 0.4 - 2.0).collect();
        let spline = Spline::new(&x, x.iter().map(|v| v.sin()).collect());
        for v in [-1.0, -0.9, -0.33, 0.0] {
            let (value, slope) = spline.at(v);
            assert!((value - f64::sin(v)).abs() < 3e-3, "{v}");
            assert!((slope - f64::cos(v)).abs() < 0.03, "{v}");
        }
        let (end, slope) = spline.at(0.8);
        assert!((spline.at(1.8).0 - end - slope).abs() < 1e-12, "straight on beyond the end");
    }
}
