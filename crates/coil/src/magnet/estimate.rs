//! Which alloy a rod may be, from its size and a reading at its face.

use super::body::{Body, Magnetised, Resolution, Rod};
use super::grade::{Grade, Material};
use super::patch::flux_density;
use super::system::System;

/// A grade that may have given a reading.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct AlloyGuess {
    /// The grade.
    pub grade: Grade,
    /// What it should read fully charged, T.
    pub expected_t: f64,
    /// How likely it is among the grades given, 0…1.
    pub probability: f64,
}

/// Relative standard deviation of a prediction from Br and Hc alone, and of a reading with a hand-held probe.
const SPREAD: f64 = 0.09;

/// Ranks `grades` by how well a fully charged loose rod of each would read what was read, `gap_m` above its face on
/// its axis. Alloys overlap: a half-charged strong one reads as a weak one, so the estimate holds for full charge
/// only. Empty when the sizes or the reading are not positive.
///
/// ```
/// use coil::magnet::{Grade, estimate_alloy};
/// let grades = [Grade::Alnico2, Grade::Alnico5];
/// let strong = estimate_alloy(0.017, 0.005, 0.001, 0.20, &grades);
/// // The likeliest first, and together they are all there is.
/// assert!(strong[0].probability >= strong[1].probability);
/// assert!((strong.iter().map(|g| g.probability).sum::<f64>() - 1.0).abs() < 1e-9);
/// assert!(estimate_alloy(0.0, 0.005, 0.001, 0.1, &grades).is_empty());
/// ```
#[must_use]
pub fn estimate_alloy(
    length_m: f64,
    diameter_m: f64,
    gap_m: f64,
    reading_t: f64,
    grades: &[Grade],
) -> Vec<AlloyGuess> {
    let sound = |v: f64| v.is_finite() && v > 0.0;
    if !(sound(length_m) && sound(diameter_m) && sound(reading_t.abs()) && gap_m >= 0.0 && gap_m.is_finite())
    {
        return Vec::new();
    }
    let mut guesses: Vec<AlloyGuess> = grades
        .iter()
        .filter_map(|&grade| {
            let material = Material::Named(grade);
            let rod = Rod {
                axis_m: (0.0, 0.0),
                bottom_m: 0.0,
                length_m,
                radius_m: diameter_m / 2.0,
                bevel_m: 0.0,
                mu_r: material.recoil_mu(),
                magnet: Some(Magnetised { curve: material.demagnetisation()?, charge: 1.0 }),
            };
            let alone = System::new(&[Body::Rod(rod)], Resolution::default());
            let charged = alone.charged(&alone.remanent_state());
            let expected_t = flux_density(&charged, [0.0, 0.0, length_m + gap_m.max(1e-7)])[2];
            let off = (reading_t.abs() / expected_t).ln() / SPREAD;
            Some(AlloyGuess { grade, expected_t, probability: (-0.5 * off * off).exp() })
        })
        .collect();
    let all: f64 = guesses.iter().map(|g| g.probability).sum();
    for guess in &mut guesses {
        // A reading far from every grade tells them apart no more.
        guess.probability = if all > 1e-9 { guess.probability / all } else { 0.0 };
    }
    guesses.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    guesses
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reading_finds_its_alloy_or_says_that_it_may_be_others() {
        let grades = [Grade::Alnico2, Grade::Alnico3, Grade::Alnico5, Grade::NeodymiumN38];
        let expected = |grade| {
            estimate_alloy(17e-3, 4.75e-3, 0.5e-3, 0.1, &grades)
                .into_iter()
                .find(|g| g.grade == grade)
                .unwrap()
                .expected_t
        };
        let five = estimate_alloy(17e-3, 4.75e-3, 0.5e-3, expected(Grade::Alnico5), &grades);
        assert_eq!(five[0].grade, Grade::Alnico5);
        assert!((five.iter().map(|g| g.probability).sum::<f64>() - 1.0).abs() < 1e-9);
        // Alnico 2 and 3 are close: neither is certain.
        let two = estimate_alloy(17e-3, 4.75e-3, 0.5e-3, expected(Grade::Alnico2), &grades);
        assert!(two[0].probability < 0.95 && two[1].probability > 0.05, "{two:?}");
        assert!(estimate_alloy(17e-3, 0.0, 0.0, 0.1, &grades).is_empty());
        assert!(estimate_alloy(17e-3, 4e-3, 0.0, f64::NAN, &grades).is_empty());
    }

    /// A longer rod of one alloy reads stronger (common practice, no source).
    #[test]
    fn longer_reads_stronger() {
        let at = |length| estimate_alloy(length, 4.75e-3, 0.0, 0.1, &[Grade::Alnico5])[0].expected_t;
        assert!(at(18e-3) > at(14e-3));
    }
}
