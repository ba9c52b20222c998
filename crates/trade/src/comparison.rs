//! Predicted against measured.

use crate::reading::{Kind, Reading, latest, standing};
use coil::design::{Design, Polarity};
use coil::prediction::{Calibration, Correction, Prediction, Quantity, Solution};
use serde::{Deserialize, Serialize};

/// Where a measured value lies.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Standing {
    /// Below the band.
    Low,
    /// In it.
    Inside,
    /// Above it.
    High,
}

/// One quantity, predicted and measured, in the same condition.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Comparison {
    /// What is compared.
    pub kind: Kind,
    /// Over which pole.
    pub pole: Option<u32>,
    /// What was to be expected, SI.
    pub predicted: Quantity,
    /// What was measured, in the same condition, SI.
    pub measured: f64,
    /// Deviation from the nominal, as a ratio.
    pub deviation: f64,
    /// Deviation in half widths of the band; within ±1 is inside.
    pub bands: f64,
    /// Where it lies.
    pub standing: Standing,
    /// Whether a magnet's polarity is the other way round than designed.
    pub reversed: bool,
    /// What the workshop's runs have moved the expectation by, in the logarithm: without it the bare engine is left.
    #[serde(default)]
    pub learned: f64,
    /// Half widths of the band beyond which it is off: 1 where the band holds what tolerances allow, more where it holds
    /// what this shop's coils do, of which one in ten lies outside by chance (see [`TolerancePolicy`]).
    #[serde(default = "one")]
    pub limit: f64,
}

/// Standard deviations in half of a 90 % band.
const SD_OF_HALF_BAND: f64 = 1.645;

/// How far a coil may lie from what the workshop's own coils do before it is out of tolerance. A band that was learned holds
/// nine coils in ten: taken as the limit, one good coil in ten would be stopped.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct TolerancePolicy {
    /// Standard deviations of the workshop's own coils beyond which one is out of tolerance, 1.645 to 6.
    pub control_sd: f64,
}

impl Default for TolerancePolicy {
    /// Three standard deviations, where control charts draw their limits (W. A. Shewhart, 1931; ISO 7870-2).
    fn default() -> Self {
        Self { control_sd: 3.0 }
    }
}

impl TolerancePolicy {
    /// What `control_sd` may be: the learned band itself, to six standard deviations.
    pub const RANGE: std::ops::RangeInclusive<f64> = SD_OF_HALF_BAND..=6.0;

    /// The limit in half widths of a 90 % band.
    #[must_use]
    pub fn limit(self) -> f64 {
        self.control_sd / SD_OF_HALF_BAND
    }
}

const fn one() -> f64 {
    1.0
}

impl Comparison {
    fn new(kind: Kind, pole: Option<u32>, predicted: Quantity, measured: f64) -> Self {
        let half = if measured < predicted.nominal {
            predicted.nominal - predicted.p05
        } else {
            predicted.p95 - predicted.nominal
        };
        let bands = (measured - predicted.nominal) / half.max(f64::MIN_POSITIVE);
        Self {
            kind,
            pole,
            predicted,
            measured,
            deviation: measured / predicted.nominal - 1.0,
            bands,
            standing: match bands {
                b if b < -1.0 => Standing::Low,
                b if b > 1.0 => Standing::High,
                _ => Standing::Inside,
            },
            reversed: false,
            learned: 0.0,
            limit: 1.0,
        }
    }

    fn calibrated(mut self, learned: Option<(Correction, f64)>, policy: TolerancePolicy) -> Self {
        if let Some((learned, above_20)) = learned {
            let by_warmth = learned.per_kelvin * above_20;
            (self.learned, self.limit) = (learned.shift + by_warmth, policy.limit());
            if self.bands.abs() <= self.limit {
                self.standing = Standing::Inside;
            }
        }
        self
    }

    /// Of how many good coils one lies so far off, or further, by chance: 10 at the edge of the band.
    #[must_use]
    pub fn one_in(&self) -> f64 {
        let chance =
            statrs::function::erf::erfc(self.bands.abs() * SD_OF_HALF_BAND / std::f64::consts::SQRT_2);
        1.0 / chance.max(1e-9)
    }

    /// Logarithm of measured over what the bare engine expects.
    #[must_use]
    pub fn ratio(&self) -> f64 {
        (self.measured / self.predicted.nominal).ln() + self.learned
    }
}

/// The design as it was wound: with the turns that the log says.
#[must_use]
pub fn as_wound(design: &Design, readings: &[Reading]) -> Design {
    let mut wound = design.clone();
    let turns = latest(readings, Kind::Turns).and_then(|r| r.value);
    if let (Some(coil), Some(turns)) = (wound.coils.first_mut(), turns) {
        #[allow(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "a count, clamped to its range"
        )]
        {
            coil.wind.turns = turns.clamp(10.0, 50_000.0) as u32;
        }
    }
    wound
}

/// Compares the current readings with what the design, wound to the turns logged, should read: resistance at 20 °C;
/// inductance as a meter shows it at its test frequency; capacitance as resonance shows it; flux at the probe's distance.
///
/// `solution` is that of the design as wound (see [`as_wound`]), `prediction` its prediction with `calibration`: what
/// the workshop's own coils had shown when the run was started.
#[must_use]
pub fn compare(
    solution: &Solution,
    prediction: &Prediction,
    readings: &[Reading],
    calibration: &Calibration,
    policy: TolerancePolicy,
) -> Vec<Comparison> {
    let mut found = Vec::new();
    // What the fit goes by as well: the coil's temperature as its resistance was read.
    let above_20 = latest(readings, Kind::Resistance).and_then(|r| r.coil_c).map_or(0.0, |c| c - 20.0);
    let learned = |correction: Option<Correction>| correction.map(|c| (c, above_20));
    let warm = |q: Quantity, correction: Option<Correction>| {
        let factor = correction.map_or(1.0, |c| (c.per_kelvin * above_20).exp());
        Quantity { nominal: q.nominal * factor, p05: q.p05 * factor, p95: q.p95 * factor }
    };
    if let Some(ohms) = latest(readings, Kind::Resistance).and_then(Reading::ohms_at_20c) {
        let expected = warm(prediction.pickup.resistance_20c_ohm, calibration.resistance);
        found.push(
            Comparison::new(Kind::Resistance, None, expected, ohms)
                .calibrated(learned(calibration.resistance), policy),
        );
    }
    if let Some(reading) = latest(readings, Kind::Inductance)
        && let Some(henries) = reading.value
    {
        let expected = warm(apparent(prediction, reading.test_hz.unwrap_or(1000.0)), calibration.inductance);
        found.push(
            Comparison::new(Kind::Inductance, None, expected, henries)
                .calibrated(learned(calibration.inductance), policy),
        );
    }
    if let Some(farads) = latest(readings, Kind::Capacitance).and_then(|r| r.value) {
        let expected = warm(prediction.pickup.capacitance_f, calibration.capacitance);
        found.push(
            Comparison::new(Kind::Capacitance, None, expected, farads)
                .calibrated(learned(calibration.capacitance), policy),
        );
    }
    found.extend(compare_sizes(solution.design(), prediction, readings, calibration, policy));
    found.extend(compare_flux(solution, readings));
    found
}

/// What a handheld meter's capacitance range shows at `hz` on a finished coil, F: inductance and resistance, read as if
/// they were a capacitor.
#[must_use]
pub fn capacitance_range_shows(prediction: &Prediction, hz: f64) -> f64 {
    prediction.circuit.meter(hz).capacitance_mode_f
}

/// The inductance that a meter shows at `hz`, with the band of the inductance itself.
fn apparent(prediction: &Prediction, hz: f64) -> Quantity {
    let q = prediction.pickup.inductance_h;
    let factor = prediction.circuit.meter(hz).ls_h / q.nominal;
    Quantity { nominal: q.nominal * factor, p05: q.p05 * factor, p95: q.p95 * factor }
}

/// Sizes over the winding by caliper, against the thickest build predicted.
fn compare_sizes(
    design: &Design,
    prediction: &Prediction,
    readings: &[Reading],
    calibration: &Calibration,
    policy: TolerancePolicy,
) -> Vec<Comparison> {
    let (Some(coil), Some(laid)) = (design.coils.first(), prediction.coils.first()) else {
        return Vec::new();
    };
    let (length_mm, width_mm) = coil.former.core.size_mm();
    let mut found = Vec::new();
    for (kind, core_mm) in [(Kind::Width, width_mm), (Kind::Length, length_mm)] {
        let Some(size_m) = latest(readings, kind).and_then(|r| r.value) else { continue };
        let at = |build_mm: f64| (core_mm + 2.0 * build_mm) * 1e-3;
        // A hand lays a tenth looser or tighter than another, and a caliper is good to a tenth of a millimetre (common
        // practice, no source).
        let reach = calibration.build.map_or(0.1, |l| 1.645 * l.sd);
        let expected = Quantity {
            nominal: at(laid.build_max_mm),
            p05: at((1.0 - reach) * laid.build_max_mm) - 1e-4,
            p95: at((1.0 + reach) * laid.build_max_mm) + 1e-4,
        };
        found.push(
            Comparison::new(kind, None, expected, size_m)
                .calibrated(calibration.build.map(|c| (c, 0.0)), policy),
        );
    }
    found
}

/// Logarithm of the build by caliper over what the bare engine expects, from the comparison of a width or a length over
/// the winding; `None` of other comparisons, and where the size is no larger than the core's.
#[must_use]
pub fn build_ratio(design: &Design, comparison: &Comparison) -> Option<f64> {
    let (length_mm, width_mm) = design.coils.first()?.former.core.size_mm();
    let core_m = match comparison.kind {
        Kind::Width => width_mm * 1e-3,
        Kind::Length => length_mm * 1e-3,
        _ => return None,
    };
    let (measured, expected) = (comparison.measured - core_m, comparison.predicted.nominal - core_m);
    (measured > 0.0 && expected > 0.0).then(|| (measured / expected).ln() + comparison.learned)
}

/// A curve from Br and Hc alone is known to about a tenth (see [`coil::magnet::Demagnetisation`]).
const FLUX_SPREAD: f64 = 0.12;
/// Where the element of a usual flat probe sits behind its tip, mm (common practice, no source).
pub const PROBE_MM: f64 = 0.5;

/// What a pole should read once it is charged as designed, and what it has read so far.
#[derive(Clone, Debug, PartialEq)]
pub struct PoleCharge {
    /// The pole.
    pub pole: u32,
    /// How far the probe is held off its face, mm: as in its last reading, else as usual.
    pub probe_mm: f64,
    /// What it should read then, north up positive, T.
    pub target_t: f64,
    /// What it read after each pass, T.
    pub passes: Vec<f64>,
}

impl PoleCharge {
    /// Whether the last pass has brought it to its target, as near as that is known.
    #[must_use]
    pub fn is_met(&self) -> bool {
        self.passes.last().is_some_and(|last| (last / self.target_t - 1.0).abs() <= FLUX_SPREAD)
    }

    /// Whether the last pass has charged it beyond its target, so that it has to be weakened.
    #[must_use]
    pub fn is_over(&self) -> bool {
        self.passes.last().is_some_and(|last| last / self.target_t > 1.0 + FLUX_SPREAD)
    }
}

/// What each pole of a pickup should read for the charge that its design asks for.
#[must_use]
pub fn pole_charges(solution: &Solution, readings: &[Reading]) -> Vec<PoleCharge> {
    let design = solution.design();
    let read: Vec<&Reading> = standing(readings).into_iter().filter(|r| r.kind == Kind::Flux).collect();
    let of = |(pole, index): (u32, usize)| {
        design.poles[index].material.demagnetisation()?;
        let passes: Vec<&&Reading> = read.iter().filter(|r| r.pole == Some(pole)).collect();
        let probe_mm = passes.last().and_then(|r| r.probe_mm).unwrap_or(PROBE_MM);
        let target_t = solution.pole_flux_mt(probe_mm).get(index).copied().flatten()? * 1e-3;
        Some(PoleCharge { pole, probe_mm, target_t, passes: passes.iter().filter_map(|r| r.value).collect() })
    };
    design.numbered_poles().into_iter().filter_map(of).collect()
}

fn compare_flux(solution: &Solution, readings: &[Reading]) -> Vec<Comparison> {
    let design = solution.design();
    let mut found: Vec<Comparison> = Vec::new();
    // Most series are read at one distance: the field over the poles is worked out once for each.
    let mut by_distance: Vec<(f64, Vec<Option<f64>>)> = Vec::new();
    for reading in standing(readings).into_iter().filter(|r| r.kind == Kind::Flux) {
        let (Some(number), Some(tesla)) = (reading.pole, reading.value) else { continue };
        let probe_mm = reading.probe_mm.unwrap_or(PROBE_MM);
        let known =
            by_distance.iter().position(|(mm, _)| (mm - probe_mm).abs() < 1e-9).unwrap_or_else(|| {
                by_distance.push((probe_mm, solution.pole_flux_mt(probe_mm)));
                by_distance.len() - 1
            });
        let flux = &by_distance[known].1;
        let Some(index) = design.pole_numbered(number) else { continue };
        let Some(expected) = flux.get(index).copied().flatten() else { continue };
        let nominal = expected.abs() * 1e-3;
        let band =
            Quantity { nominal, p05: nominal * (1.0 - FLUX_SPREAD), p95: nominal * (1.0 + FLUX_SPREAD) };
        let mut comparison = Comparison::new(Kind::Flux, Some(number), band, tesla.abs());
        let north = design.poles[index].up == Polarity::North;
        comparison.reversed = tesla != 0.0 && (tesla > 0.0) != north;
        found.retain(|c| c.pole != Some(number));
        found.push(comparison);
    }
    found.sort_by_key(|c| c.pole);
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Of a shop's own band one coil in ten lies outside by chance: off is what lies beyond so many standard deviations.
    #[rstest]
    #[case(1.5, false, 3.0, Standing::High)]
    #[case(1.5, true, 3.0, Standing::Inside)]
    #[case(1.5, true, 2.0, Standing::High)]
    #[case(-1.9, true, 3.0, Standing::Low)]
    #[case(-1.9, true, 4.0, Standing::Inside)]
    #[case(0.9, false, 2.0, Standing::Inside)]
    fn a_learned_band_is_judged_by_the_policy(
        #[case] bands: f64,
        #[case] learned: bool,
        #[case] control_sd: f64,
        #[case] standing: Standing,
    ) {
        let band = Quantity { nominal: 100.0, p05: 98.0, p95: 102.0 };
        let own = Correction { shift: 0.01, sd: 0.012, runs: 20, per_kelvin: 0.0 };
        let found = Comparison::new(Kind::Resistance, None, band, 100.0 + 2.0 * bands)
            .calibrated(learned.then_some((own, 0.0)), TolerancePolicy { control_sd });
        assert_eq!(found.standing, standing);
        assert!((found.bands - bands).abs() < 1e-9, "how far it lies is told as it is");
    }

    /// A shop whose coils read 0.05 % more for each kelvin than copper alone would: a warm coil is expected to, and what it
    /// teaches of everything else is the same as that of a cold one.
    #[test]
    fn what_was_learned_of_warmth_is_applied() {
        let design = coil::design::tall_single("Sedge", 6, 10.4);
        let own = Correction { shift: 0.01, sd: 0.004, runs: 40, per_kelvin: 5e-4 };
        let calibration = Calibration { resistance: Some(own), ..Calibration::default() };
        let solution = Solution::compute(&design).unwrap();
        let prediction = solution.prediction(&calibration);
        let compared = |coil_c: f64| {
            let ohms_20 = prediction.pickup.resistance_20c_ohm.nominal * (5e-4 * (coil_c - 20.0)).exp();
            let reading = Reading {
                id: 1,
                corrects: None,
                kind: Kind::Resistance,
                pole: None,
                value: Some(coil::wire::at_temperature(ohms_20, 20.0, coil_c)),
                coil_c: Some(coil_c),
                test_hz: None,
                probe_mm: None,
                taken_at: None,
            };
            compare(&solution, &prediction, &[reading], &calibration, TolerancePolicy::default()).remove(0)
        };
        let (cold, warm) = (compared(20.0), compared(32.0));
        assert!(cold.bands.abs() < 1e-6 && warm.bands.abs() < 1e-6, "{warm:?}");
        assert!((warm.ratio() - cold.ratio() - 5e-4 * 12.0).abs() < 1e-9, "the fit sees the whole");
    }

    /// Two-sided normal probabilities beyond 1.645 and 2.576 standard deviations are 0.1 and 0.01 (any table).
    #[test]
    fn how_seldom_a_good_coil_lies_so_far_off() {
        let band = Quantity { nominal: 100.0, p05: 98.0, p95: 102.0 };
        let at = |bands: f64| Comparison::new(Kind::Resistance, None, band, 100.0 + 2.0 * bands).one_in();
        assert!((at(1.0) - 10.0).abs() < 0.05 && (at(2.576 / 1.645) - 100.0).abs() < 0.5);
        assert!(at(-1.8) > 300.0);
    }

    #[test]
    fn the_build_is_what_stands_over_the_core() {
        let design = coil::design::tall_single("Sedge", 6, 10.4);
        let (_, width_mm) = design.coils[0].former.core.size_mm();
        let at = |build_mm: f64| (width_mm + 2.0 * build_mm) * 1e-3;
        let band = Quantity { nominal: at(4.0), p05: at(3.6), p95: at(4.4) };
        let width = Comparison::new(Kind::Width, None, band, at(4.2));
        assert!((build_ratio(&design, &width).unwrap() - 1.05f64.ln()).abs() < 1e-9);
        assert!(build_ratio(&design, &Comparison::new(Kind::Width, None, band, at(-0.5))).is_none());
        assert!(build_ratio(&design, &Comparison::new(Kind::Flux, None, band, 1.0)).is_none());
    }
}
