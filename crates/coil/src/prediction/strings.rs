//! What every string sends into every coil.

use super::model::{Model, StringAt};
use crate::magnet::{Charged, State, System};
use crate::string::{Along, Linkage, Pluck, Steel, velocity_rms_m_s};
use nalgebra::DVector;

/// Half the step of height for derivatives, m.
const STEP_M: f64 = 0.1e-3;
/// Highest partial that counts for the output, Hz.
const HIGHEST_HZ: f64 = 5000.0;

/// One string's signal.
#[derive(Clone, Debug)]
pub(super) struct StringSignal {
    /// Change of flux linkage per height in every coil, Wb/m, currents counter-clockwise.
    pub by_coil: Vec<f64>,
    /// How fast that falls with height, 1/m.
    pub falls_per_m: f64,
    /// Speed of the plucked string over the pickup, m/s RMS.
    pub speed_m_s: f64,
}

/// Signals of all strings: `held` are the magnets' charges, `responses` what one ampere in each coil magnetises.
pub(super) fn signals(
    model: &Model,
    system: &System,
    held: &[Charged],
    responses: &[State],
) -> Vec<StringSignal> {
    let ys = model.coils.iter().map(|c| c.center_m.1);
    let (from, to) = ys.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), y| (a.min(y), b.max(y)));
    let induced: Vec<Vec<f64>> =
        responses.iter().map(|r| system.charged(r).iter().map(|c| c.density_a_m).collect()).collect();
    let mut same: Vec<(f64, Linkage)> = Vec::new();
    let mut beside = None;
    model
        .strings
        .iter()
        .map(|string| {
            let known = same.iter().position(|(core, _)| (core - string.core_m).abs() < 1e-9);
            let at = known.unwrap_or_else(|| {
                same.push((string.core_m, Linkage::new(string.core_m / 2.0, from, to)));
                same.len() - 1
            });
            signal(model, string, &same[at].1, (held, &induced), &mut beside)
        })
        .collect()
}

/// Largest power of the distance that a field over poles falls with: an octupole's.
const STEEPEST: f64 = 5.0;

fn signal(
    model: &Model,
    string: &StringAt,
    line: &Linkage,
    (held, induced): (&[Charged], &[Vec<f64>]),
    beside: &mut Option<DVector<f64>>,
) -> StringSignal {
    let ys = line.points();
    let points: Vec<[f64; 3]> = [STEP_M, -STEP_M]
        .iter()
        .flat_map(|lift| ys.iter().map(move |y| [string.x_m, *y, string.z_m + lift]))
        .collect();
    let (poles, of_coils) = fields(&points, held, induced);
    let magnetised = line.magnetised(Steel::default(), middle_and_slope(&poles), beside.as_ref());
    let mut by_coil = Vec::with_capacity(model.coils.len());
    let (mut falls, mut largest) = (0.0, 0.0_f64);
    for (coil, induced) in model.coils.iter().zip(of_coils) {
        let air = coil.winding().field_beyond(&points);
        let total: Vec<[f64; 3]> =
            air.iter().zip(&induced).map(|(a, b)| std::array::from_fn(|i| a[i] + b[i])).collect();
        let (linked, by_m) = magnetised.linkage(&middle_and_slope(&total));
        // What falls off like exp(−kz) has its slope fall off alike; the coil that hears most tells.
        if linked != 0.0 && by_m.abs() > largest {
            // No multipole falls faster than with a few powers of the distance. Where what the coil links cancels along the
            // string, the quotient grows without end and says nothing.
            (falls, largest) = ((by_m / linked).abs().min(STEEPEST / string.above_m), by_m.abs());
        }
        by_coil.push(by_m);
    }
    *beside = Some(magnetised.along().clone());
    let speed = velocity_rms_m_s(Pluck::default(), string.fundamental_hz, model.from_bridge, HIGHEST_HZ);
    StringSignal { by_coil, falls_per_m: falls, speed_m_s: speed }
}

/// Flux densities of the held charges and, with the same geometry, of every coil's induced ones.
fn fields(
    points: &[[f64; 3]],
    held: &[Charged],
    induced: &[Vec<f64>],
) -> (Vec<[f64; 3]>, Vec<Vec<[f64; 3]>>) {
    let mut of_held = vec![[0.0; 3]; points.len()];
    let mut of_coils = vec![vec![[0.0; 3]; points.len()]; induced.len()];
    let add = |sum: &mut [f64; 3], field: [f64; 3], density: f64| {
        for (s, f) in sum.iter_mut().zip(field) {
            *s += crate::inductance::MU_0 * density * f;
        }
    };
    for (p, point) in points.iter().enumerate() {
        for (k, charged) in held.iter().enumerate() {
            let field = charged.patch.field(*point);
            add(&mut of_held[p], field, charged.density_a_m);
            for (sums, densities) in of_coils.iter_mut().zip(induced) {
                add(&mut sums[p], field, densities[k]);
            }
        }
    }
    (of_held, of_coils)
}

/// Means and slopes of values taken above (first half) and below.
fn middle_and_slope(values: &[[f64; 3]]) -> Along {
    let (up, down) = values.split_at(values.len() / 2);
    let middle = up.iter().zip(down).map(|(a, b)| std::array::from_fn(|i| 0.5 * (a[i] + b[i])));
    let slope = up.iter().zip(down).map(|(a, b)| std::array::from_fn(|i| (a[i] - b[i]) / (2.0 * STEP_M)));
    Along { field: middle.collect(), by_m: slope.collect() }
}
