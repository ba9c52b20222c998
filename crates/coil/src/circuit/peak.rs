//! The shape of a response: where it is highest, and where it has fallen.

use crate::numeric::{find_root, lowest};

/// The shape of a response.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Peak {
    /// Frequency of the highest point, Hz.
    pub peak_hz: f64,
    /// Its height over the low-frequency level, dB.
    pub peak_db: f64,
    /// Where the level falls 3 dB below the low-frequency level, Hz.
    pub minus3db_hz: f64,
}

impl Peak {
    /// Peaks are looked for from here up, Hz.
    pub const LOWEST_HZ: f64 = 200.0;

    /// Whether it is one: a response that only falls has its highest point at the lower end of what is looked at.
    ///
    /// ```
    /// use coil::circuit::{LoadCircuit, Network};
    /// let coil = Network::single(6000.0, 2.5, 100e-12);
    /// assert!(coil.peak(None).is_peak());
    /// // A low resistance across it takes the peak away.
    /// let load = LoadCircuit { volume_ohm: 10e3, volume_at: 1.0, tone_ohm: f64::INFINITY, tone_f: 0.0, cable_f: 470e-12, input_ohm: 1e6 };
    /// assert!(!coil.peak(Some(&load)).is_peak());
    /// ```
    #[must_use]
    pub fn is_peak(&self) -> bool {
        self.peak_hz > 1.1 * Self::LOWEST_HZ
    }
}

/// Steps of the first look over all frequencies, 30 per decade.
const STEPS: usize = 75;
const COARSE_STEPS: usize = 25;
/// Ratio of the highest frequency looked at for a peak to the lowest.
const LOOKED_AT: f64 = 300.0;
/// The response has fallen before this, Hz.
const HIGHEST_HZ: f64 = 2e5;
/// Ratio of the steps by which a peak is followed from where it was, and most of them.
const STRIDE: f64 = 1.2;
const MOST_STRIDES: usize = 6;
/// Of the square of the peak's frequency, relative; of the fall's in octaves, where what is left is taken as straight.
const WITHIN: f64 = 1e-4;
const WITHIN_OCTAVES: f64 = 1e-3;

impl Peak {
    /// Highest point and −3 dB point of a response of which `power` tells the square of the amplitude at a frequency, Hz. Looked for
    /// as [`super::Network::peak`] says; `near` is a peak already known.
    #[must_use]
    pub fn find(power: impl Fn(f64) -> f64, near: Option<Self>) -> Self {
        let rest = power(80.0).max(f64::MIN_POSITIVE);
        // Of one coil and its capacitance 1/power is a parabola over the square of the frequency: of others it is nearly one.
        let inverse = |square: f64| rest / power(square.sqrt());
        let (square, least) = lowest(inverse, about(inverse, near), WITHIN);
        let peak_hz = square.sqrt();
        // Far above its peak a response falls as a power of the frequency.
        let over = |octaves: f64| (power(octaves.exp2()) / rest).log2() + 0.3 * 10f64.log2();
        let minus3db_hz = find_root(over, fallen(over, peak_hz, near), WITHIN_OCTAVES).exp2();
        Self { peak_hz, peak_db: -10.0 * least.log10(), minus3db_hz }
    }
}

/// Three squares of frequencies with a function's values there, of which the middle one is the lowest: about a peak already known,
/// followed downhill, else about the lowest of all that is looked at.
fn about(inverse: impl Fn(f64) -> f64, near: Option<Peak>) -> [(f64, f64); 3] {
    let of = |hz: f64| (hz * hz, inverse(hz * hz));
    if let Some(peak) = near.filter(Peak::is_peak) {
        let mut three = [peak.peak_hz / STRIDE, peak.peak_hz, peak.peak_hz * STRIDE].map(of);
        for _ in 0..MOST_STRIDES {
            let [low, middle, high] = three;
            if middle.1 < low.1 && middle.1 < high.1 {
                return three;
            }
            three = if low.1 < high.1 {
                [of(low.0.sqrt() / STRIDE), low, middle]
            } else {
                [middle, high, of(high.0.sqrt() * STRIDE)]
            };
        }
    }
    // Where there was no peak before, there is none that only a closer look would show.
    let steps = if near.is_some() { COARSE_STEPS } else { STEPS };
    let grid = |i: usize| Peak::LOWEST_HZ * LOOKED_AT.powf(i as f64 / steps as f64);
    let all: Vec<(f64, f64)> = (0..=steps).map(|i| of(grid(i))).collect();
    let mut best = 0;
    for (i, (_, value)) in all.iter().enumerate() {
        if *value < all[best].1 {
            best = i;
        }
    }
    if best == 0 {
        // It only falls, or has its peak so near to the end that it is none.
        return [all[0]; 3];
    }
    [all[best - 1], all[best], all[(best + 1).min(steps)]]
}

/// Two logarithms of frequencies with a function's values there, between which it falls below nothing: about what is already known
/// where it still does, else from the peak upwards.
fn fallen(over: impl Fn(f64) -> f64, peak_hz: f64, near: Option<Peak>) -> [(f64, f64); 2] {
    let of = |hz: f64| (hz.log2(), over(hz.log2()));
    if let Some(peak) = near {
        let mut two = [peak.minus3db_hz / STRIDE.sqrt(), peak.minus3db_hz * STRIDE.sqrt()].map(of);
        for _ in 0..MOST_STRIDES {
            let [low, high] = two;
            if low.0 < peak_hz.log2() {
                break;
            }
            if low.1 > 0.0 && high.1 <= 0.0 {
                return two;
            }
            two = if low.1 > 0.0 {
                [high, of(high.0.exp2() * STRIDE)]
            } else {
                [of(low.0.exp2() / STRIDE), low]
            };
        }
    }
    [peak_hz, HIGHEST_HZ].map(of)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// A series R–L with C across, which is the second-order low-pass of any textbook: peak at f₀√(1 − 1/(2Q²)), −3 dB where
    /// (1 − u²)² + (u/Q)² = 2 with u = f/f₀.
    fn low_pass(resonance_hz: f64, q: f64) -> impl Fn(f64) -> f64 {
        move |hz| {
            let square = (hz / resonance_hz).powi(2);
            ((1.0 - square).powi(2) + square / (q * q)).recip()
        }
    }

    #[rstest]
    fn a_low_pass_has_the_textbooks_peak(
        #[values(900.0, 3000.0, 8000.0)] resonance_hz: f64,
        #[values(0.8, 1.5, 4.0, 20.0)] q: f64,
        #[values(None, Some(0.7), Some(1.02), Some(9.0))] known: Option<f64>,
    ) {
        let at = |hz: f64| Peak { peak_hz: hz, peak_db: 3.0, minus3db_hz: 1.6 * hz };
        let peak = Peak::find(low_pass(resonance_hz, q), known.map(|ratio| at(ratio * resonance_hz)));
        let damping = 1.0 - 0.5 / (q * q);
        let expected_hz = resonance_hz * damping.sqrt();
        let expected_db = 20.0 * (q / (1.0 - 0.25 / (q * q)).sqrt()).log10();
        let fallen_hz = resonance_hz * (damping + (damping * damping + 1.0).sqrt()).sqrt();
        // The level is taken over that at 80 Hz, which is itself a little above what it is at rest.
        assert!((peak.peak_hz / expected_hz - 1.0).abs() < 2e-4, "{peak:?} {expected_hz}");
        assert!((peak.peak_db - expected_db).abs() < 0.08, "{peak:?} {expected_db}");
        assert!((peak.minus3db_hz / fallen_hz - 1.0).abs() < 6e-3, "{peak:?} {fallen_hz}");
        let level = low_pass(resonance_hz, q);
        assert!((level(peak.minus3db_hz) / level(80.0) / 0.5 - 1.0).abs() < 4e-3);
    }

    #[rstest]
    fn what_only_falls_has_none(#[values(None, Some(200.0), Some(1500.0))] known_hz: Option<f64>) {
        let known = known_hz.map(|peak_hz| Peak { peak_hz, peak_db: 0.1, minus3db_hz: 800.0 });
        let peak = Peak::find(|hz| (1.0 + hz / 1000.0).powi(-2), known);
        assert!(!peak.is_peak() && peak.peak_db.abs() < 2.0);
        // (1 + f/1000)² is twice what it is at 80 Hz.
        let expected_hz = 1000.0 * (1.08 * 10f64.powf(0.15) - 1.0);
        assert!((peak.minus3db_hz / expected_hz - 1.0).abs() < 1e-5, "{peak:?} {expected_hz}");
    }

    /// A low bump that is hardly above what lies before it stays the peak that it was, whichever of the two is a hair higher.
    #[rstest]
    fn a_low_bump_is_followed(#[values(-2e-3, 0.0, 2e-3)] tilt: f64) {
        let level = |hz: f64| {
            let off = (hz / 2000.0).ln() / 0.2;
            (1.0 + 1e-3 * (-0.5 * off * off).exp() - tilt * (300.0 / hz)) / (1.0 + (hz / 9000.0).powi(8))
        };
        let known = Peak { peak_hz: 1950.0, peak_db: 0.01, minus3db_hz: 9000.0 };
        let peak = Peak::find(level, Some(known));
        assert!((1500.0..2500.0).contains(&peak.peak_hz), "{peak:?}");
    }

    /// A known peak is looked beside in far fewer looks than all frequencies.
    #[test]
    fn a_known_peak_takes_few_looks() {
        let looks = std::cell::Cell::new(0);
        let level = |hz: f64| {
            looks.set(looks.get() + 1);
            low_pass(3000.0, 2.5)(hz)
        };
        let known = Peak::find(level, None);
        for off in [0.8, 1.04, 1.3] {
            looks.set(0);
            let at = Peak { peak_hz: off * known.peak_hz, minus3db_hz: off * known.minus3db_hz, ..known };
            let again = Peak::find(level, Some(at));
            assert!(looks.get() < 20, "{off}: {} looks", looks.get());
            assert!((again.peak_hz / known.peak_hz - 1.0).abs() < 2e-4);
            assert!((again.minus3db_hz / known.minus3db_hz - 1.0).abs() < 1e-5);
        }
    }
}
