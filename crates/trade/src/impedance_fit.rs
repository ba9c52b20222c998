//! Inductance, capacitance and losses from a measured impedance, or the resonance from a measured response.
//!
//! The circuit is that of a coil: its resistance and inductance in series, with its capacitance and the resistance that stands for all
//! losses across both. An impedance tells all of them. A response tells only how inductance and capacitance go together, and how far
//! the peak is damped; with the inductance known by a meter it tells the capacitance.

use crate::least_squares::{Fitted, fit};
use coil::prediction::Quantity;
use nalgebra::Complex;
use std::f64::consts::PI;

/// Fewest points that are fitted.
const FEWEST: usize = 8;

/// What was swept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Swept {
    /// Magnitude of the impedance at the leads, Ω.
    Impedance,
    /// Level, dB, of what an exciter induces.
    Response,
}

/// What is known besides the curve.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Known {
    /// Resistance at the leads, Ω.
    pub resistance_ohm: Option<f64>,
    /// Inductance by a meter, H.
    pub inductance_h: Option<f64>,
    /// Capacitance of the pickup itself, F: what the curve has more is that of the load.
    pub capacitance_f: Option<f64>,
    /// What the pickup's own losses are worth across it, Ω: what the curve is damped more is the load.
    pub loss_ohm: Option<f64>,
    /// Capacitance that stood across the leads as it was swept, F.
    pub across_f: Option<f64>,
    /// Resistance that stood across them, Ω.
    pub across_ohm: Option<f64>,
}

/// What a curve tells.
#[derive(Clone, Debug, PartialEq)]
pub struct CurveFit {
    /// Inductance, H, where the curve tells it.
    pub inductance_h: Option<Quantity>,
    /// Capacitance of the pickup without what stood across it, F, where the curve tells it.
    pub capacitance_f: Option<Quantity>,
    /// What its losses are worth across it, Ω, where the curve tells it.
    pub loss_ohm: Option<Quantity>,
    /// Capacitance of what stood across it, F, where that was not known but the pickup's own was.
    pub load_f: Option<Quantity>,
    /// Resistance of what stood across it, Ω, where that was not known but the pickup's losses were.
    pub load_ohm: Option<Quantity>,
    /// Resonance with what stood across it, Hz.
    pub resonance_hz: Quantity,
    /// Height of the peak over the low end as a ratio; of an impedance over that of its losses' share.
    pub quality: Quantity,
    /// Frequencies of the points, Hz, what was read there and what the fit says: Ω, or dB.
    pub points: Vec<(f64, f64, f64)>,
    /// Standard deviation of what the readings are off, as a share of an impedance or in dB.
    pub residual: f64,
}

/// Fits a curve; `None` where its points do not determine the circuit: fewer than eight, or no peak among them.
///
/// ```
/// use trade::impedance_fit::{Known, Swept, fit_curve};
/// // 2.5 H with 110 pF and 5.8 kΩ, damped by 900 kΩ.
/// let impedance = |hz: f64| trade::impedance_fit::impedance_ohm(hz, 5800.0, 2.5, 110e-12, 900e3);
/// let hz: Vec<f64> = (0..40).map(|k| 100.0 * 1.15_f64.powi(k)).collect();
/// let values: Vec<f64> = hz.iter().map(|f| impedance(*f)).collect();
/// let known = Known { resistance_ohm: Some(5800.0), ..Known::default() };
/// let found = fit_curve(Swept::Impedance, &hz, &values, &known).unwrap();
/// assert!((found.inductance_h.unwrap().nominal / 2.5 - 1.0).abs() < 1e-4);
/// assert!((found.capacitance_f.unwrap().nominal / 110e-12 - 1.0).abs() < 1e-4);
/// ```
#[must_use]
pub fn fit_curve(swept: Swept, hz: &[f64], values: &[f64], known: &Known) -> Option<CurveFit> {
    if hz.len() < FEWEST || hz.len() != values.len() {
        return None;
    }
    let top = (0..values.len()).max_by(|a, b| values[*a].total_cmp(&values[*b]))?;
    if top == 0 || top + 1 == values.len() {
        return None;
    }
    match swept {
        Swept::Impedance => fit_of_impedance(hz, values, known, top),
        Swept::Response => fit_of_response(hz, values, known, top),
    }
}

/// Magnitude of a coil's impedance, Ω: resistance and inductance in series, capacitance and losses across.
#[must_use]
pub fn impedance_ohm(
    hz: f64,
    resistance_ohm: f64,
    inductance_h: f64,
    capacitance_f: f64,
    loss_ohm: f64,
) -> f64 {
    let omega = 2.0 * PI * hz;
    let series = Complex::new(resistance_ohm, omega * inductance_h);
    let across = Complex::new(loss_ohm.recip(), omega * capacitance_f);
    (series.inv() + across).inv().norm()
}

fn fit_of_impedance(hz: &[f64], ohms: &[f64], known: &Known, top: usize) -> Option<CurveFit> {
    if ohms.iter().any(|v| *v <= 0.0) {
        return None;
    }
    let at = hz[top];
    let r = known.resistance_ohm.unwrap_or(ohms[0].min(1e5)).max(1.0);
    // At the low end what is left over the resistance is the inductance's.
    let low = (1..top).find(|k| ohms[*k] > 2.0 * r).unwrap_or(top / 2);
    let l =
        ((ohms[low].powi(2) - r * r).max(0.01 * ohms[low].powi(2)).sqrt() / (2.0 * PI * hz[low])).max(1e-4);
    let c = 1.0 / ((2.0 * PI * at).powi(2) * l);
    let begun = [l.ln(), c.ln(), ohms[top].ln(), r.ln()];
    let count = if known.resistance_ohm.is_some() { 3 } else { 4 };
    let value = |p: &[f64], f: f64| {
        impedance_ohm(f, p.get(3).map_or(r, |v| v.exp()), p[0].exp(), p[1].exp(), p[2].exp())
    };
    let found =
        fit(&begun[..count], |p| hz.iter().zip(ohms).map(|(f, z)| (value(p, *f) / z).ln()).collect())?;
    let p = &found.parameters;
    let whole = banded(&found, 1, 1.0);
    let resonance = (2.0 * PI * (0.5 * (p[0] + p[1])).exp()).recip();
    let spread = 0.5 * found.half_width(0).hypot(found.half_width(1));
    let omega_l = 2.0 * PI * resonance * p[0].exp();
    let parted = Parted::new(Some(whole), Some(banded(&found, 2, 1.0)), known);
    Some(CurveFit {
        inductance_h: Some(banded(&found, 0, 1.0)),
        capacitance_f: parted.capacitance_f,
        loss_ohm: parted.loss_ohm,
        load_f: parted.load_f,
        load_ohm: parted.load_ohm,
        resonance_hz: Quantity {
            nominal: resonance,
            p05: resonance * (-spread).exp(),
            p95: resonance * spread.exp(),
        },
        quality: {
            let q = p[2].exp() / omega_l;
            let half = found.half_width(2);
            Quantity { nominal: q, p05: q * (-half).exp(), p95: q * half.exp() }
        },
        points: hz.iter().zip(ohms).map(|(f, z)| (*f, *z, value(p, *f))).collect(),
        residual: found.residual_sd,
    })
}

/// Level of a second-order response over its low end, dB.
fn level_db(hz: f64, resonance_hz: f64, quality: f64) -> f64 {
    let x = hz / resonance_hz;
    -10.0 * ((1.0 - x * x).powi(2) + (x / quality).powi(2)).log10()
}

fn fit_of_response(hz: &[f64], db: &[f64], known: &Known, top: usize) -> Option<CurveFit> {
    let height = 10f64.powf((db[top] - db[0]) / 20.0).max(1.1);
    let begun = [hz[top].ln(), height.ln(), db[0]];
    let value = |p: &[f64], f: f64| p[2] + level_db(f, p[0].exp(), p[1].exp());
    let found = fit(&begun, |p| hz.iter().zip(db).map(|(f, v)| value(p, *f) - v).collect())?;
    let p = &found.parameters;
    let resonance_hz = banded(&found, 0, 1.0);
    // L and C only go together: with the one known the other follows.
    let whole = known.inductance_h.map(|l| {
        let of = |hz: f64| 1.0 / ((2.0 * PI * hz).powi(2) * l);
        Quantity { nominal: of(resonance_hz.nominal), p05: of(resonance_hz.p95), p95: of(resonance_hz.p05) }
    });
    let loss = known.inductance_h.zip(known.resistance_ohm).and_then(|(l, r)| {
        // 1/Q = R/(ωL) + ωL/R across.
        let omega_l = 2.0 * PI * resonance_hz.nominal * l;
        let of = |q: f64| {
            let left = 1.0 / q - r / omega_l;
            (left > 0.0).then(|| omega_l / left)
        };
        let half = found.half_width(1);
        let nominal = of(p[1].exp())?;
        let p05 = of((p[1] - half).exp())?;
        Some(Quantity { nominal, p05, p95: of((p[1] + half).exp()).unwrap_or(nominal * nominal / p05) })
    });
    let parted = Parted::new(whole, loss, known);
    Some(CurveFit {
        inductance_h: None,
        capacitance_f: parted.capacitance_f,
        loss_ohm: parted.loss_ohm,
        load_f: parted.load_f,
        load_ohm: parted.load_ohm,
        resonance_hz,
        quality: banded(&found, 1, 1.0),
        points: hz.iter().zip(db).map(|(f, v)| (*f, *v, value(p, *f))).collect(),
        residual: found.residual_sd,
    })
}

/// A parameter that was fitted by its logarithm.
fn banded(found: &Fitted, k: usize, by: f64) -> Quantity {
    let (value, half) = (found.parameters[k], found.half_width(k));
    Quantity { nominal: by * value.exp(), p05: by * (value - half).exp(), p95: by * (value + half).exp() }
}

/// What the pickup has of the whole, and what stood across it.
#[derive(Clone, Copy, Debug, Default)]
struct Parted {
    capacitance_f: Option<Quantity>,
    loss_ohm: Option<Quantity>,
    load_f: Option<Quantity>,
    load_ohm: Option<Quantity>,
}

impl Parted {
    /// Of what is in parallel a curve tells the whole: with the one known it tells the other, with neither known all is the pickup's.
    fn new(whole_f: Option<Quantity>, whole_ohm: Option<Quantity>, known: &Known) -> Self {
        let mut parted = Self::default();
        match (known.across_f, known.capacitance_f) {
            (None, Some(own)) => parted.load_f = whole_f.and_then(|q| less(&q, own)),
            (across, _) => parted.capacitance_f = whole_f.and_then(|q| less(&q, across.unwrap_or(0.0))),
        }
        match (known.across_ohm, known.loss_ohm) {
            (None, Some(own)) => parted.load_ohm = whole_ohm.and_then(|q| without(&q, own)),
            (Some(across), _) => parted.loss_ohm = whole_ohm.and_then(|q| without(&q, across)),
            (None, None) => parted.loss_ohm = whole_ohm,
        }
        parted
    }
}

/// Without what stood beside it; none where nothing is left.
fn less(q: &Quantity, across: f64) -> Option<Quantity> {
    let nominal = q.nominal - across;
    (nominal > 0.0).then(|| Quantity { nominal, p05: (q.p05 - across).max(0.0), p95: q.p95 - across })
}

/// Without the resistance that stood beside it; none where that is all.
fn without(q: &Quantity, beside_ohm: f64) -> Option<Quantity> {
    let of = |ohm: f64| (ohm < beside_ohm).then(|| ohm * beside_ohm / (beside_ohm - ohm));
    let nominal = of(q.nominal)?;
    Some(Quantity { nominal, p05: of(q.p05)?, p95: of(q.p95).unwrap_or(f64::INFINITY) })
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, starting_point};
    use coil::prediction::{Calibration, Solution};
    use rand::{RngExt as _, SeedableRng as _};

    fn sweep() -> Vec<f64> {
        (0..60).map(|k| 100.0 * 1.09_f64.powi(k)).collect()
    }

    /// Intervals of nine in ten hold what was put in about nine times in ten, with a noise of 1 %.
    #[test]
    fn intervals_hold_what_they_say() {
        let mut random = rand::rngs::StdRng::seed_from_u64(7);
        let hz = sweep();
        let (l, c) = (3.1, 140e-12);
        let (mut held, count) = (0, 200);
        for _ in 0..count {
            let ohms: Vec<f64> = hz
                .iter()
                .map(|f| {
                    let noise: f64 = (0..12).map(|_| random.random_range(-0.5..0.5)).sum();
                    impedance_ohm(*f, 7000.0, l, c, 700e3) * (1.0 + 0.01 * noise)
                })
                .collect();
            let known = Known { resistance_ohm: Some(7000.0), ..Known::default() };
            let found = fit_curve(Swept::Impedance, &hz, &ohms, &known).unwrap();
            held += i32::from(found.inductance_h.unwrap().contains(l));
            held += i32::from(found.capacitance_f.unwrap().contains(c));
        }
        let share = f64::from(held) / f64::from(2 * count);
        assert!((0.85..0.95).contains(&share), "{share}");
    }

    /// Of the engine's own impedance, with eddy currents in it, inductance and capacitance come out as the engine has them.
    #[test]
    fn the_engines_coil_comes_out() {
        let design = starting_point(Format::TallSingle, "Sedge", 6, 10.4);
        let prediction = Solution::compute(&design).unwrap().prediction(&Calibration::default());
        let hz: Vec<f64> = (0..80).map(|k| 100.0 * 1.08_f64.powi(k)).collect();
        let ohms: Vec<f64> = hz.iter().map(|f| prediction.circuit.source(*f).impedance.norm()).collect();
        let known = Known { resistance_ohm: Some(ohms[0]), ..Known::default() };
        let found = fit_curve(Swept::Impedance, &hz, &ohms, &known).unwrap();
        let (l, c) = (found.inductance_h.unwrap().nominal, found.capacitance_f.unwrap().nominal);
        assert!((l / prediction.pickup.inductance_h.nominal - 1.0).abs() < 0.04, "{l}");
        assert!((c / prediction.pickup.capacitance_f.nominal - 1.0).abs() < 0.1, "{c}");
    }

    /// With the pickup known, the curve tells what stood across it; with that known, the pickup.
    #[test]
    fn what_stood_across_is_told_where_the_pickup_is_known() {
        let hz = sweep();
        let (own_f, load_f, own_ohm, load_ohm) = (110e-12, 470e-12, 900e3, 250e3);
        let whole = own_ohm * load_ohm / (own_ohm + load_ohm);
        let ohms: Vec<f64> =
            hz.iter().map(|f| impedance_ohm(*f, 5800.0, 2.5, own_f + load_f, whole)).collect();
        let pickup = Known {
            resistance_ohm: Some(5800.0),
            capacitance_f: Some(own_f),
            loss_ohm: Some(own_ohm),
            ..Known::default()
        };
        let found = fit_curve(Swept::Impedance, &hz, &ohms, &pickup).unwrap();
        let (f, ohm) = (found.load_f.unwrap(), found.load_ohm.unwrap());
        assert!((f.nominal / load_f - 1.0).abs() < 1e-3 && (ohm.nominal / load_ohm - 1.0).abs() < 1e-3);
        assert!(found.capacitance_f.is_none() && found.loss_ohm.is_none());
        let load = Known { across_f: Some(load_f), across_ohm: Some(load_ohm), ..pickup };
        let found = fit_curve(Swept::Impedance, &hz, &ohms, &load).unwrap();
        assert!((found.capacitance_f.unwrap().nominal / own_f - 1.0).abs() < 1e-3);
        assert!((found.loss_ohm.unwrap().nominal / own_ohm - 1.0).abs() < 1e-3 && found.load_f.is_none());
    }

    #[test]
    fn a_response_tells_the_capacitance_with_the_inductance_known() {
        let hz = sweep();
        let db: Vec<f64> = hz.iter().map(|f| level_db(*f, 6000.0, 3.0) - 12.0).collect();
        let known = Known {
            inductance_h: Some(2.5),
            resistance_ohm: Some(5800.0),
            across_f: Some(47e-12),
            ..Known::default()
        };
        let found = fit_curve(Swept::Response, &hz, &db, &known).unwrap();
        let whole = 1.0 / ((2.0 * PI * 6000.0_f64).powi(2) * 2.5);
        assert!((found.capacitance_f.unwrap().nominal / (whole - 47e-12) - 1.0).abs() < 1e-3);
        assert!((found.quality.nominal - 3.0).abs() < 1e-3 && found.inductance_h.is_none());
        assert!(found.loss_ohm.unwrap().nominal > 0.0);
        // A curve that only falls has no peak to fit.
        let falling: Vec<f64> = hz.iter().map(|f| -f / 1000.0).collect();
        assert!(fit_curve(Swept::Response, &hz, &falling, &known).is_none());
        assert!(fit_curve(Swept::Response, &hz[..5], &db[..5], &known).is_none());
    }
}
