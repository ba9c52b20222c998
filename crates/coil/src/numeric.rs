//! Small numerical kernels: Gauss–Legendre nodes, complete elliptic integrals, where a function is lowest and where it crosses nothing.

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

/// Where a function of one positive number is lowest, to a share `within` of that number, and its value there: by parabolas where they
/// shrink the steps, by golden sections else \[Brent\].
///
/// `three` are places in rising order with the function's values there; the middle one is the lowest, or one of the ends
/// again.
pub fn lowest(f: impl Fn(f64) -> f64, three: [(f64, f64); 3], within: f64) -> (f64, f64) {
    const GOLDEN: f64 = 0.381_966_011_25;
    const MOST: usize = 100;
    let [(mut low, low_value), mut best, (mut high, high_value)] = three;
    let ends = if low_value < high_value { [three[0], three[2]] } else { [three[2], three[0]] };
    // The second and third lowest places so far.
    let [mut second, mut third] = ends;
    let (mut step, mut step_before) = (high - low, high - low);
    for _ in 0..MOST {
        let (x, middle, least) = (best.0, 0.5 * (low + high), within * best.0.abs());
        if (x - middle).abs() <= 2.0 * least - 0.5 * (high - low) {
            break;
        }
        // The lowest point of the parabola through the three, as a step from the best.
        let r = (x - second.0) * (best.1 - third.1);
        let q = (x - third.0) * (best.1 - second.1);
        let to_vertex = -((x - third.0) * q - (x - second.0) * r) / (2.0 * (q - r));
        let is_parabola = to_vertex.is_finite()
            && to_vertex.abs() < 0.5 * step_before.abs()
            && (low..high).contains(&(x + to_vertex));
        if is_parabola {
            (step_before, step) = (step, to_vertex);
            if x + step - low < 2.0 * least || high - (x + step) < 2.0 * least {
                step = least.copysign(middle - x);
            }
        } else {
            step_before = if x < middle { high - x } else { low - x };
            step = GOLDEN * step_before;
        }
        let to = x + if step.abs() < least { least.copysign(step) } else { step };
        let tried = (to, f(to));
        if tried.1 <= best.1 {
            if to < x {
                high = x;
            } else {
                low = x;
            }
            (third, second, best) = (second, best, tried);
        } else {
            if to < x {
                low = to;
            } else {
                high = to;
            }
            if tried.1 <= second.1 {
                (third, second) = (second, tried);
            } else if tried.1 <= third.1 {
                third = tried;
            }
        }
    }
    best
}

/// Where a function falls from above nothing to below it between two places given with its values there: by straight lines between
/// ends closer and closer together, of which the one that stays is pulled towards nothing \[Dowell\], until they are `within` of each
/// other and a last line tells the place between them. Where it does not fall so, the first place.
pub fn find_root(f: impl Fn(f64) -> f64, [mut above, mut below]: [(f64, f64); 2], within: f64) -> f64 {
    const MOST: usize = 200;
    if above.1 <= 0.0 || below.1 > 0.0 {
        return above.0;
    }
    let between = |a: (f64, f64), b: (f64, f64)| a.0 + a.1 / (a.1 - b.1) * (b.0 - a.0);
    // What the ends are taken to be worth.
    let (mut of_above, mut of_below) = (above.1, below.1);
    let mut was_above = None;
    for _ in 0..MOST {
        let apart = below.0 - above.0;
        if apart.abs() <= within {
            break;
        }
        // Not quite at an end, so that the other one comes close as well.
        let edge = (0.4 * within).min(0.25 * apart.abs());
        let from_above = (between((above.0, of_above), (below.0, of_below)) - above.0).abs();
        let at = above.0 + from_above.clamp(edge, apart.abs() - edge).copysign(apart);
        let value = f(at);
        let is_above = value > 0.0;
        let stays = was_above == Some(is_above);
        if is_above {
            (above, of_above) = ((at, value), value);
            of_below *= if stays { 0.5 } else { 1.0 };
        } else {
            (below, of_below) = ((at, value), value);
            of_above *= if stays { 0.5 } else { 1.0 };
        }
        was_above = Some(is_above);
    }
    between(above, below)
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

    /// Functions of which the lowest place is known, begun near it, at an end, and where a parabola tells nothing.
    #[test]
    fn the_lowest_place_is_found() {
        let about = |f: fn(f64) -> f64, three: [f64; 3]| lowest(f, three.map(|x| (x, f(x))), 1e-6).0;
        assert!((about(|x| (x - 2.0).powi(2), [1.0, 1.9, 3.0]) - 2.0).abs() < 1e-5);
        assert!((about(f64::cos, [2.0, 3.0, 4.5]) - PI).abs() < 1e-5);
        assert!((about(|x| (x - 2.0).abs(), [1.0, 2.2, 3.0]) - 2.0).abs() < 1e-5);
        assert!((about(|x| x.powi(4) - x, [0.1, 0.5, 2.0]) - 0.25f64.cbrt()).abs() < 1e-5);
        // Lowest at an end.
        assert!((about(|x| x, [1.0, 1.0, 3.0]) - 1.0).abs() < 1e-4);
        assert!((about(|x| -x, [1.0, 3.0, 3.0]) - 3.0).abs() < 1e-4);
    }

    #[test]
    fn the_crossing_is_found() {
        let between = |f: fn(f64) -> f64, ends: [f64; 2]| find_root(f, ends.map(|x| (x, f(x))), 1e-9);
        assert!((between(f64::cos, [0.0, 3.0]) - PI / 2.0).abs() < 1e-8);
        assert!((between(|x| 1e-3 - x.powi(9), [0.0, 9.0]) - 1e-3f64.powf(1.0 / 9.0)).abs() < 1e-8);
        // None between them.
        assert!((between(|x| x, [1.0, 2.0]) - 1.0).abs() < f64::EPSILON);
        assert!((between(|x| -x, [1.0, 2.0]) - 1.0).abs() < f64::EPSILON);
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
