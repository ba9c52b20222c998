//! What pulling the wire does to it.

use std::f64::consts::PI;

/// Breaking stress of soft copper wire, Pa \[Kalpakjian\].
pub const BREAKING_STRESS_PA: f64 = 220e6;
/// Young's modulus of copper, Pa (from memory).
const YOUNG_PA: f64 = 120e9;
/// Strength coefficient and exponent of annealed copper, σ = K·εⁿ [Kalpakjian].
const STRENGTH_PA: f64 = 315e6;
const HARDENING: f64 = 0.54;
/// Stress below which fine soft wire comes back (from memory: 0.2 % proof stress 70 to 120 MPa). The bare
/// power law has no elastic part and would stretch wire by 4 % at an everyday pull; starting it at this
/// stress (Swift's form, K·(ε₀ + ε)ⁿ) removes that.
const PROOF_STRESS_PA: f64 = 90e6;

/// The state of a wire under tension.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pull {
    /// Stress in the copper, Pa; the film is taken to carry nothing.
    pub stress_pa: f64,
    /// Stress as a share of the breaking stress.
    pub of_breaking: f64,
    /// Lasting strain, 0 when the wire springs back.
    pub strain: f64,
    /// Factor on the resistance of the coil: (1 + ε)², length up and section down.
    pub resistance_factor: f64,
}

/// What a steady pull of `tension_n` newtons does to wire of bare diameter `bare_m`.
///
/// ```
/// // Pulled gently, a wire springs back; near its breaking load it stays longer and thinner.
/// let (gentle, hard) = (coil::wire::pull(0.15, 63e-6), coil::wire::pull(0.60, 63e-6));
/// assert!(gentle.strain < 1e-3 && gentle.resistance_factor < 1.002);
/// assert!(hard.strain > 10.0 * gentle.strain && hard.of_breaking < 1.0);
/// ```
#[must_use]
pub fn pull(tension_n: f64, bare_m: f64) -> Pull {
    let stress_pa = tension_n / (PI * bare_m * bare_m / 4.0);
    let curve = |stress: f64| (stress / STRENGTH_PA).powf(1.0 / HARDENING);
    let strain = if stress_pa <= PROOF_STRESS_PA {
        stress_pa / YOUNG_PA
    } else {
        PROOF_STRESS_PA / YOUNG_PA + curve(stress_pa.min(BREAKING_STRESS_PA)) - curve(PROOF_STRESS_PA)
    };
    Pull {
        stress_pa,
        of_breaking: stress_pa / BREAKING_STRESS_PA,
        strain,
        resistance_factor: (1.0 + strain) * (1.0 + strain),
    }
}

/// Pull that suits a wire of bare diameter `bare_m`, from – to, N: an eighth to two fifths of what breaks it
/// (common practice, no source): below it the lay is slack, above it the wire begins to stretch for good.
///
/// ```
/// let (from, to) = coil::wire::tension_window_n(63e-6);
/// // The load grows with the section: a wire twice as thick takes four times as much.
/// let (thick, _) = coil::wire::tension_window_n(126e-6);
/// assert!(from < to && (thick / from - 4.0).abs() < 1e-9);
/// ```
#[must_use]
pub fn tension_window_n(bare_m: f64) -> (f64, f64) {
    let breaks = BREAKING_STRESS_PA * PI * bare_m * bare_m / 4.0;
    (breaks / 8.0, breaks * 0.4)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_gentle_pull_springs_back_and_a_hard_one_stays() {
        let gentle = pull(0.18, 63.5e-6);
        assert!((gentle.stress_pa - 56.8e6).abs() < 0.1e6);
        assert!(gentle.strain < 0.001);
        let hard = pull(0.45, 63.5e-6);
        assert!(hard.strain > 0.02 && hard.of_breaking > 0.6 && hard.of_breaking < 1.0);
        assert!((hard.resistance_factor - (1.0 + hard.strain).powi(2)).abs() < 1e-12);
    }

    /// The hardening law itself: 315 MPa·ε^0.54 at ε = 0.2 (Kalpakjian & Schmid, table of K and n).
    #[test]
    fn beyond_the_proof_stress_the_published_law_holds_in_differences() {
        let stress = |strain: f64| STRENGTH_PA * strain.powf(HARDENING);
        let (low, high) = (stress(0.15), stress(0.2));
        let area = PI * 63.5e-6_f64.powi(2) / 4.0;
        let grown = pull(high * area, 63.5e-6).strain - pull(low * area, 63.5e-6).strain;
        assert!((grown - 0.05).abs() < 1e-9);
    }
}
