//! Eddy currents inside poles: the field sinks into a conducting core only so far.

use super::Relaxation;
use super::fit::fit;
use nalgebra::Complex;
use std::f64::consts::PI;

/// Zeros of the Bessel function J₀ [AS, table 9.5].
const ZEROS: [f64; 12] = [
    2.404_825_557_695_8,
    5.520_078_110_286_3,
    8.653_727_912_911_0,
    11.791_534_439_014,
    14.930_917_708_488,
    18.071_063_967_911,
    21.211_636_629_879,
    24.352_471_530_749,
    27.493_479_132_040,
    30.634_606_468_432,
    33.775_820_213_574,
    36.917_098_353_664,
];

/// Mean permeability over that at rest of a round core along its axis at `hz`: 2J₁(x)/(x·J₀(x)) with
/// x² = −jωμσr² \[Bozorth\], by its partial fractions Σ 4/(j₀ₖ² + jωμσr²), the rest of the sum taken whole.
#[must_use]
pub fn core_permeability(mu_r: f64, sigma_s_m: f64, radius_m: f64, hz: f64) -> Complex<f64> {
    let x = 2.0 * PI * hz * mu_r * crate::inductance::MU_0 * sigma_s_m * radius_m * radius_m;
    let (mut sum, mut at_rest) = (Complex::from(0.0), 0.0);
    for k in 0..80_u32 {
        // McMahon's expansion is good to 1e-6 beyond the table.
        let zero = ZEROS.get(k as usize).copied().unwrap_or_else(|| {
            let b = PI * (f64::from(k) + 0.75);
            b + 1.0 / (8.0 * b)
        });
        sum += Complex::from(4.0) / Complex::new(zero * zero, x);
        at_rest += 4.0 / (zero * zero);
    }
    // The whole sum at rest is 1; what is beyond the table hardly feels the frequency.
    sum + (1.0 - at_rest)
}

/// What the currents in poles take from a coil: `gain_h` is the inductance that the group of equal poles brings,
/// `slope` is −d(gain)/d(1/χ) over that gain, so that gain/(1 + slope·Δ(1/χ)) follows it as the permeability falls.
/// Fitted by relaxations with fixed times between 30 Hz and 60 kHz.
#[must_use]
pub fn pole_relaxations(
    gain_h: f64,
    slope: f64,
    mu_r: f64,
    sigma_s_m: f64,
    radius_m: f64,
) -> Vec<Relaxation> {
    if sigma_s_m <= 0.0 || gain_h <= 0.0 || mu_r <= 1.0 {
        return Vec::new();
    }
    let at_rest = 1.0 / (mu_r - 1.0);
    let lost = |hz: f64| {
        let mu = core_permeability(mu_r, sigma_s_m, radius_m, hz) * mu_r;
        let shift = (mu - 1.0).inv() - at_rest;
        Complex::from(gain_h) - Complex::from(gain_h) / (Complex::from(1.0) + shift * slope)
    };
    fit(lost)
        .into_iter()
        .filter(|(w, _)| *w > 1e-9 * gain_h)
        .map(|(w, time_s)| Relaxation { strength_hs: w * time_s, time_s })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// At rest 1; deep in the skin effect 2/(1 + j)·δ/r with δ the skin depth (any textbook on skin effect).
    #[test]
    fn the_core_at_rest_and_in_the_skin_effect() {
        assert!((core_permeability(100.0, 6e6, 0.0024, 0.001).re - 1.0).abs() < 1e-3);
        let (mu, sigma, r, hz) = (100.0, 6e6, 0.0024, 20e3);
        let depth = (1.0 / (PI * hz * mu * crate::inductance::MU_0 * sigma)).sqrt();
        let expected = Complex::from(2.0 * depth / r) / Complex::new(1.0, 1.0);
        let got = core_permeability(mu, sigma, r, hz);
        assert!((got - expected).norm() < 0.1 * expected.norm(), "{got} {expected}");
    }

    #[test]
    fn the_fit_follows_the_core() {
        let (gain, slope, mu, sigma, r) = (2.0, 15.0, 200.0, 6e6, 0.0024);
        let fitted = pole_relaxations(gain, slope, mu, sigma, r);
        for hz in [100.0, 1000.0, 5000.0, 15_000.0] {
            let omega = 2.0 * PI * hz;
            let shift = (core_permeability(mu, sigma, r, hz) * mu - 1.0).inv() - 1.0 / (mu - 1.0);
            let exact = Complex::from(gain) / (Complex::from(1.0) + shift * slope) - gain;
            let got = super::super::impedance(&fitted, hz) / Complex::new(0.0, omega);
            assert!((got - exact).norm() < 0.02 * gain, "{hz}: {got} {exact}");
        }
    }
}
