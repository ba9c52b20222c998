//! Small numerical kernels: Gauss–Legendre nodes and the complete elliptic integral.

use std::f64::consts::PI;

/// Nodes and weights of the `n`-point Gauss–Legendre rule on 0…1, found by Newton's iteration on the
/// Legendre polynomial. Exact for polynomials up to degree 2n − 1.
#[must_use]
pub fn gauss(n: usize) -> Vec<(f64, f64)> {
    let count = n as f64;
    (0..n)
        .map(|i| {
            let mut x = (PI * (i as f64 + 0.75) / (count + 0.5)).cos();
            let mut slope = 1.0;
            for _ in 0..50 {
                let (mut previous, mut current) = (1.0, x);
                for k in 2..=n {
                    let k = k as f64;
                    (previous, current) =
                        (current, ((2.0 * k - 1.0) * x * current - (k - 1.0) * previous) / k);
                }
                slope = count * (x * current - previous) / (x * x - 1.0);
                let step = current / slope;
                x -= step;
                if step.abs() < 1e-15 {
                    break;
                }
            }
            (0.5 * (1.0 - x), 1.0 / ((1.0 - x * x) * slope * slope))
        })
        .collect()
}

/// Complete elliptic integral of the first kind K(m), parameter m = k², 0 ≤ m < 1, by the
/// arithmetic–geometric mean [AS 17.6.3].
#[must_use]
pub fn elliptic_k(m: f64) -> f64 {
    let (mut a, mut b) = (1.0, (1.0 - m).sqrt());
    while (a - b).abs() > 1e-14 * a {
        (a, b) = (0.5 * (a + b), (a * b).sqrt());
    }
    PI / (2.0 * a)
}

/// Complete elliptic integrals K(m) and E(m), parameter m = k², 0 ≤ m < 1, by the
/// arithmetic–geometric mean [AS 17.6.4].
#[must_use]
pub fn elliptic_ke(m: f64) -> (f64, f64) {
    let (mut a, mut b, mut c) = (1.0_f64, (1.0 - m).sqrt(), m.sqrt());
    let (mut sum, mut power) = (0.5 * c * c, 1.0);
    while c.abs() > 1e-14 * a {
        c = 0.5 * (a - b);
        (a, b) = (0.5 * (a + b), (a * b).sqrt());
        sum += power * c * c;
        power *= 2.0;
    }
    let k = PI / (2.0 * a);
    (k, k * (1.0 - sum))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn gauss_integrates_polynomials_exactly() {
        for n in 1..=12 {
            let degree = 2 * n - 1;
            let sum: f64 = gauss(n).iter().map(|(x, w)| w * x.powi(i32::try_from(degree).unwrap())).sum();
            assert!((sum - 1.0 / (degree + 1) as f64).abs() < 1e-13, "{n} points");
        }
    }

    /// Abramowitz & Stegun, Handbook of Mathematical Functions, table 17.1 (argument m).
    #[test]
    fn elliptic_integrals_of_the_handbook() {
        for (m, k, e) in [
            (0.0, PI / 2.0, PI / 2.0),
            (0.5, 1.854_074_677_301_372, 1.350_643_881_047_675),
            (0.9, 2.578_092_113_348_173, 1.104_774_732_704_073),
        ] {
            assert!((elliptic_k(m) - k).abs() < 1e-12);
            assert!((elliptic_ke(m).0 - k).abs() < 1e-12);
            assert!((elliptic_ke(m).1 - e).abs() < 1e-12);
        }
    }
}
