//! Any way of dying away as a sum of ways with fixed times.

use super::Relaxation;
use super::sheet::Mode;
use nalgebra::{Complex, DMatrix, DVector};
use std::f64::consts::PI;
use std::sync::LazyLock;

/// Number of fixed times.
const TIMES: usize = 9;

/// Fixed times, and what is made of them once: jωτ/(1 + jωτ) at the frequencies of the fit, and their products.
struct Basis {
    times_s: [f64; TIMES],
    hz: Vec<f64>,
    columns: Vec<Vec<Complex<f64>>>,
    gram: [[f64; TIMES]; TIMES],
}

static BASIS: LazyLock<Basis> = LazyLock::new(|| {
    let times_s = std::array::from_fn(|k| 1.0 / (2.0 * PI * 60.0 * 2.6f64.powf(k as f64)));
    let hz: Vec<f64> = (0..40).map(|k| 30.0 * 2000f64.powf(f64::from(k) / 39.0)).collect();
    let column = |t: &f64| {
        let share = |hz: &f64| {
            let s = Complex::new(0.0, 2.0 * PI * hz * t);
            s / (s + 1.0)
        };
        hz.iter().map(share).collect()
    };
    let columns: Vec<Vec<Complex<f64>>> = times_s.iter().map(column).collect();
    let gram: [[f64; TIMES]; TIMES] =
        std::array::from_fn(|a| std::array::from_fn(|b| dot(&columns[a], &columns[b])));
    Basis { times_s, hz, columns, gram }
});

fn dot(a: &[Complex<f64>], b: &[Complex<f64>]) -> f64 {
    a.iter().zip(b).map(|(x, y)| x.re * y.re + x.im * y.im).sum()
}

/// Weights ≥ 0 and times, s, with Σ w·jωτ/(1 + jωτ) near `lost` between 30 Hz and 60 kHz.
pub(super) fn fit(lost: impl Fn(f64) -> Complex<f64>) -> [(f64, f64); TIMES] {
    fit_of(&BASIS.hz.iter().map(|hz| lost(*hz)).collect::<Vec<_>>())
}

/// As [`fit`], from the values at the frequencies of the fit: least squares with weights that are not negative, by active
/// sets \[Lawson\].
fn fit_of(target: &[Complex<f64>]) -> [(f64, f64); TIMES] {
    let basis = &*BASIS;
    let wanted: [f64; TIMES] = std::array::from_fn(|k| dot(&basis.columns[k], target));
    // Less than this is what rounding leaves of what is wanted.
    let least = 1e-12 * wanted.iter().fold(0.0_f64, |most, value| most.max(value.abs()));
    let mut weights = [0.0_f64; TIMES];
    let mut free: Vec<usize> = Vec::new();
    for _ in 0..3 * TIMES {
        // The weight at zero that would explain the most of what is left, where one would explain anything.
        let left = |k: usize| wanted[k] - basis.gram[k].iter().zip(&weights).map(|(g, w)| g * w).sum::<f64>();
        let bound = (0..TIMES).filter(|k| !free.contains(k)).map(|k| (k, left(k)));
        let Some((best, gain)) = bound.max_by(|a, b| a.1.total_cmp(&b.1)) else { break };
        if gain <= least {
            break;
        }
        free.push(best);
        while let Some(unbound) = unbound(basis, &wanted, &free) {
            let falls = |&(k, value): &(usize, f64)| value <= 0.0 && weights[k] >= 0.0;
            let pairs: Vec<(usize, f64)> = free.iter().copied().zip(unbound).collect();
            // As far towards what is best without bounds as no weight falls below zero.
            let step = pairs.iter().filter(|pair| falls(pair)).map(|(k, v)| weights[*k] / (weights[*k] - v));
            let step = step.fold(1.0, f64::min);
            for (k, value) in &pairs {
                weights[*k] += step * (value - weights[*k]);
            }
            if step >= 1.0 {
                break;
            }
            for (k, value) in &pairs {
                if *value <= 0.0 && weights[*k] <= 1e-12 {
                    weights[*k] = 0.0;
                }
            }
            free.retain(|k| weights[*k] > 0.0);
        }
    }
    std::array::from_fn(|k| (weights[k].max(0.0), basis.times_s[k]))
}

/// The weights of some times alone that are best without bounds; none where they cannot be told apart.
fn unbound(basis: &Basis, wanted: &[f64; TIMES], free: &[usize]) -> Option<Vec<f64>> {
    let gram = DMatrix::from_fn(free.len(), free.len(), |i, j| basis.gram[free[i]][free[j]]);
    let wanted = DVector::from_fn(free.len(), |i, _| wanted[free[i]]);
    gram.cholesky().map(|factor| factor.solve(&wanted).as_slice().to_vec())
}

/// The modes of a sheet that is thicker than the skin depth: its currents sink in from both faces, so that its resistance
/// grows by x·coth x with x² = jωμσt²/4 \[Bozorth\], t being its thickness. `diffusion_s` is μσt²/4.
#[must_use]
pub fn with_skin(modes: &[Mode], diffusion_s: f64) -> Vec<Mode> {
    let Some(first) = modes.first() else { return Vec::new() };
    let growth = |hz: &f64| {
        let x = Complex::new(0.0, 2.0 * PI * hz * diffusion_s).sqrt();
        x / x.tanh()
    };
    let grown: Vec<Complex<f64>> = BASIS.hz.iter().map(growth).collect();
    let none = Mode {
        relaxation: Relaxation { strength_hs: 0.0, time_s: 0.0 },
        currents: DVector::zeros(first.currents.len()),
    };
    let mut spread = vec![none; TIMES];
    for mode in modes {
        // Scaled to about one, so that small modes are fitted as well as large ones.
        let scale = mode.relaxation.time_s.max(diffusion_s);
        let lost = |(hz, growth): (&f64, &Complex<f64>)| {
            let s = Complex::new(0.0, 2.0 * PI * hz);
            s / (growth + s * mode.relaxation.time_s) / scale
        };
        let target: Vec<Complex<f64>> = BASIS.hz.iter().zip(&grown).map(lost).collect();
        for (sum, (weight, time_s)) in spread.iter_mut().zip(fit_of(&target)) {
            // w·jωτ/(1 + jωτ) is jω·(wτ)/(1 + jωτ).
            let share = weight * scale * time_s;
            sum.relaxation.time_s = time_s;
            sum.relaxation.strength_hs += share * mode.relaxation.strength_hs;
            sum.currents += &mode.currents * share;
        }
    }
    spread.retain(|m| m.relaxation.strength_hs > 0.0);
    spread
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Where weights are bounded below by zero, the best have no slope where they are free and none upwards where they are zero
    /// (Karush, Kuhn and Tucker).
    #[rstest]
    fn no_weight_can_be_bettered(
        #[values(1e-6, 1e-5, 1e-4, 1e-3)] time_s: f64,
        #[values(1e-6, 1e-5, 1e-4)] diffusion_s: f64,
    ) {
        let basis = &*BASIS;
        let scale = time_s.max(diffusion_s);
        let target: Vec<Complex<f64>> = basis
            .hz
            .iter()
            .map(|hz| {
                let s = Complex::new(0.0, 2.0 * PI * hz);
                let x = (s * diffusion_s).sqrt();
                s / (x / x.tanh() + s * time_s) / scale
            })
            .collect();
        let weights = fit_of(&target).map(|(weight, _)| weight);
        let size = target.iter().map(|value| value.norm()).sum::<f64>();
        for k in 0..TIMES {
            let explained: f64 = basis.gram[k].iter().zip(&weights).map(|(g, w)| g * w).sum();
            let left = dot(&basis.columns[k], &target) - explained;
            assert!(weights[k] >= 0.0 && left < 1e-12 * size, "{k}: {left} of {size}");
            assert!(weights[k] == 0.0 || left.abs() < 1e-12 * size, "{k}: {left} of {size}");
        }
        assert!(weights.iter().any(|w| *w > 0.0));
    }

    /// What is one of the fixed times is found as that.
    #[test]
    fn a_time_of_its_own_is_found() {
        for k in 0..TIMES {
            let weights = fit_of(&BASIS.columns[k]).map(|(weight, _)| weight);
            assert!((weights[k] - 1.0).abs() < 1e-6, "{k}: {weights:?}");
            assert!(weights.iter().enumerate().all(|(i, w)| i == k || w.abs() < 1e-6));
        }
    }
}
