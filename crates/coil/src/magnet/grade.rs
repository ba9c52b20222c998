//! Pole and magnet materials.

use crate::inductance::MU_0;
use crate::word::document_word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use wide::f64x4;

document_word! {
    /// A named magnet or pole material.
    pub enum Grade {
        /// Alnico 2, isotropic.
        #[serde(rename = "alnico-2")]
        #[strum(serialize = "alnico-2")]
        Alnico2,
        /// Alnico 3, isotropic, without cobalt.
        #[serde(rename = "alnico-3")]
        #[strum(serialize = "alnico-3")]
        Alnico3,
        /// Alnico 4, isotropic.
        #[serde(rename = "alnico-4")]
        #[strum(serialize = "alnico-4")]
        Alnico4,
        /// Alnico 5, anisotropic.
        #[serde(rename = "alnico-5")]
        #[strum(serialize = "alnico-5")]
        Alnico5,
        /// Alnico 8, anisotropic.
        #[serde(rename = "alnico-8")]
        #[strum(serialize = "alnico-8")]
        Alnico8,
        /// Ceramic 5.
        #[serde(rename = "ceramic-5")]
        #[strum(serialize = "ceramic-5")]
        Ceramic5,
        /// Ceramic 8.
        #[serde(rename = "ceramic-8")]
        #[strum(serialize = "ceramic-8")]
        Ceramic8,
        /// Neodymium N35.
        NeodymiumN35,
        /// Neodymium N38.
        NeodymiumN38,
        /// Neodymium N42.
        NeodymiumN42,
        /// Unspecified soft steel.
        Steel,
        /// Mild steel 1010.
        #[serde(rename = "mild-steel-1010")]
        #[strum(serialize = "mild-steel-1010")]
        MildSteel1010,
        /// Magnetic stainless steel.
        Stainless,
        /// Brass.
        Brass,
        /// Nickel silver.
        NickelSilver,
        /// Copper.
        Copper,
        /// Aluminium.
        Aluminium,
    }
}

/// A material by name, or by its figures.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum Material {
    /// One of the named grades.
    Named(Grade),
    /// Given directly.
    Given(GivenMaterial),
}

/// A material given by its figures.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct GivenMaterial {
    /// Relative (recoil) permeability, ≥ 1.
    pub mu_r: f64,
    /// Remanence, T; 0 for what is no magnet.
    #[serde(default)]
    pub br_t: f64,
    /// Conductivity, MS/m.
    #[serde(default)]
    pub sigma_ms_m: f64,
}

/// The demagnetisation curve, B over H in the second quadrant.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Demagnetisation {
    /// B = Br·(1 + x)/(1 + a·x), x = H/Hc: alnico. `a` is chosen so that the curve has the grade's
    /// maximum energy product.
    Hyperbola {
        /// Remanence, T.
        br_t: f64,
        /// Coercive field, A/m.
        hc_a_m: f64,
        /// Squareness, 0…1.
        a: f64,
    },
    /// B = Br + μ_rec·μ₀·H: ceramic and neodymium at room temperature.
    Line {
        /// Remanence, T.
        br_t: f64,
        /// Recoil permeability.
        mu_r: f64,
    },
}

/// What is known of a grade.
struct Properties {
    /// Remanence T, coercive field A/m, maximum energy product J/m³: MMPA 0100-00 (from memory); 0 for what is no magnet.
    magnet: (f64, f64, f64),
    /// Recoil permeability, relative; the permeability of steels matters little above 200 for open poles.
    recoil_mu: f64,
    /// Conductivity, S/m (from memory; ceramics insulate).
    conductivity_s_m: f64,
}

impl Grade {
    /// Grades that serve as magnets, in the order that lists show them in.
    pub const MAGNETS: [Self; 10] = [
        Self::Alnico5,
        Self::Alnico2,
        Self::Alnico3,
        Self::Alnico4,
        Self::Alnico8,
        Self::Ceramic5,
        Self::Ceramic8,
        Self::NeodymiumN35,
        Self::NeodymiumN38,
        Self::NeodymiumN42,
    ];

    /// Grades that a search tries in place of another.
    pub(crate) const ALTERNATIVES: [Self; 6] =
        [Self::Alnico2, Self::Alnico3, Self::Alnico4, Self::Alnico5, Self::Alnico8, Self::Ceramic8];

    /// The one table of grades.
    const fn properties(self) -> Properties {
        let (magnet, recoil_mu, conductivity_s_m) = match self {
            Self::Alnico2 => ((0.75, 45e3, 13.5e3), 6.4, 1.6e6),
            Self::Alnico3 => ((0.70, 38e3, 10.7e3), 6.5, 1.6e6),
            Self::Alnico4 => ((0.56, 57e3, 10.7e3), 4.5, 1.6e6),
            Self::Alnico5 => ((1.28, 51e3, 43.8e3), 4.3, 2.1e6),
            Self::Alnico8 => ((0.82, 131e3, 42.2e3), 2.0, 1.9e6),
            Self::Ceramic5 => ((0.38, 191e3, 27.1e3), 1.05, 0.0),
            Self::Ceramic8 => ((0.385, 235e3, 27.8e3), 1.05, 0.0),
            Self::NeodymiumN35 => ((1.19, 890e3, 270e3), 1.05, 0.67e6),
            Self::NeodymiumN38 => ((1.24, 920e3, 295e3), 1.05, 0.67e6),
            Self::NeodymiumN42 => ((1.30, 950e3, 325e3), 1.05, 0.67e6),
            Self::Steel => ((0.0, 0.0, 0.0), 300.0, 5.5e6),
            Self::MildSteel1010 => ((0.0, 0.0, 0.0), 300.0, 7.0e6),
            Self::Stainless => ((0.0, 0.0, 0.0), 200.0, 1.6e6),
            Self::Brass => ((0.0, 0.0, 0.0), 1.0, 16e6),
            Self::NickelSilver => ((0.0, 0.0, 0.0), 1.0, 3.3e6),
            Self::Copper => ((0.0, 0.0, 0.0), 1.0, 58e6),
            Self::Aluminium => ((0.0, 0.0, 0.0), 1.0, 34e6),
        };
        Properties { magnet, recoil_mu, conductivity_s_m }
    }
}

impl Material {
    /// Conductivity, S/m.
    ///
    /// ```
    /// use coil::magnet::{Grade, Material};
    /// // Ceramic magnets conduct next to nothing, which is why no eddy currents run in them.
    /// let (ceramic, alnico) = (Material::Named(Grade::Ceramic5), Material::Named(Grade::Alnico5));
    /// assert!(ceramic.conductivity_s_m() < 1e-3 * alnico.conductivity_s_m());
    /// ```
    #[must_use]
    pub fn conductivity_s_m(self) -> f64 {
        match self {
            Self::Named(grade) => grade.properties().conductivity_s_m,
            Self::Given(given) => given.sigma_ms_m * 1e6,
        }
    }

    /// Recoil permeability, relative.
    #[must_use]
    pub fn recoil_mu(self) -> f64 {
        match self {
            Self::Named(grade) => grade.properties().recoil_mu,
            Self::Given(given) => given.mu_r,
        }
    }

    /// The demagnetisation curve; `None` for what is no magnet.
    #[must_use]
    pub fn demagnetisation(self) -> Option<Demagnetisation> {
        let mu_r = self.recoil_mu();
        let (br_t, hc, energy) = match self {
            Self::Given(given) => (given.br_t, 0.0, 0.0),
            Self::Named(grade) => grade.properties().magnet,
        };
        if br_t <= 0.0 {
            return None;
        }
        // Alnico is what has a coercive field far below Br/μ₀.
        if hc > 0.0 && hc < 0.5 * br_t / MU_0 {
            // At remanence the curve must rise faster than vacuum's, or one field would have two
            // magnetisations: squarer than this no hyperbola can be.
            let squarest = 1.0 - 1.5 * MU_0 * hc / br_t;
            let a = squareness(energy / (br_t * hc)).min(squarest);
            return Some(Demagnetisation::Hyperbola { br_t, hc_a_m: hc, a });
        }
        Some(Demagnetisation::Line { br_t, mu_r })
    }

    /// Whether it can hold a charge.
    ///
    /// ```
    /// use coil::magnet::{Grade, Material};
    /// assert!(Material::Named(Grade::Alnico5).is_magnet());
    /// assert!(!Material::Named(Grade::MildSteel1010).is_magnet());
    /// ```
    #[must_use]
    pub fn is_magnet(self) -> bool {
        self.demagnetisation().is_some()
    }
}

/// The `a` of the hyperbola whose largest (1 + x)·|x|/(1 + a·x) is `fullness`, by bisection.
fn squareness(fullness: f64) -> f64 {
    // At the maximum of the product a·x² + 2x + 1 = 0, so x = (√(1 − a) − 1)/a.
    let product = |a: f64| {
        let x = ((1.0 - a).sqrt() - 1.0) / a;
        -x * (1.0 + x) / (1.0 + a * x)
    };
    let (mut low, mut high) = (1e-6, 1.0 - 1e-9);
    for _ in 0..60 {
        let middle = 0.5 * (low + high);
        if product(middle) < fullness { low = middle } else { high = middle }
    }
    0.5 * (low + high)
}

impl Demagnetisation {
    /// Field strength H (A/m) at which the material's magnetisation is `m_a_m` (A/m), and dH/dM.
    #[must_use]
    pub fn field_at(self, m_a_m: f64) -> (f64, f64) {
        let (field, slope) = self.fields_at(f64x4::splat(m_a_m));
        (field.to_array()[0], slope.to_array()[0])
    }

    /// As [`Self::field_at`] for four magnetisations.
    pub(super) fn fields_at(self, m_a_m: f64x4) -> (f64x4, f64x4) {
        let of = f64x4::splat;
        match self {
            Self::Line { br_t, mu_r } => {
                let chi = (mu_r - 1.0).max(1e-3);
                ((m_a_m - of(br_t / MU_0)) / of(chi), of(1.0 / chi))
            }
            Self::Hyperbola { br_t, hc_a_m, a } => {
                // μ₀(M + Hc·x)(1 + a·x) = Br(1 + x), the root that is 0 at M = Br/μ₀.
                let quadratic = MU_0 * hc_a_m * a;
                let linear = of(MU_0) * (of(hc_a_m) + m_a_m * of(a)) - of(br_t);
                let constant = of(MU_0) * m_a_m - of(br_t);
                let root = (linear * linear - of(4.0 * quadratic) * constant).max(f64x4::ZERO).sqrt();
                let x = (-linear - root) / of(2.0 * quadratic);
                let slope = of(-MU_0) * (f64x4::ONE + of(a) * x) / (of(2.0 * quadratic) * x + linear);
                (of(hc_a_m) * x, of(hc_a_m) * slope)
            }
        }
    }

    /// Remanence, T.
    #[must_use]
    pub const fn remanence_t(self) -> f64 {
        match self {
            Self::Line { br_t, .. } | Self::Hyperbola { br_t, .. } => br_t,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn the_curve_meets_remanence_coercivity_and_energy_product() {
        for grade in [Grade::Alnico2, Grade::Alnico5, Grade::Alnico8] {
            let (br, hc, energy) = grade.properties().magnet;
            let curve = Material::Named(grade).demagnetisation().unwrap();
            assert!(curve.field_at(br / MU_0).0.abs() < 1.0, "{grade:?}");
            // At B = 0 the magnetisation equals Hc.
            assert!((curve.field_at(hc).0 + hc).abs() < 1e-3 * hc, "{grade:?}");
            let best = (1..400)
                .map(|i| {
                    let m = br / MU_0 * f64::from(i) / 400.0;
                    let h = curve.field_at(m).0;
                    -h * MU_0 * (h + m)
                })
                .fold(0.0, f64::max);
            // Alnico 5 is squarer than a hyperbola can be and keep one field per magnetisation.
            let short = if grade == Grade::Alnico5 { 0.09 } else { 0.01 };
            assert!((best / energy - 1.0).abs() < short, "{grade:?} {best}");
        }
    }

    #[rstest]
    #[case(0.2)]
    #[case(0.6)]
    #[case(0.95)]
    fn the_slope_is_the_curves_own(#[case] share: f64) {
        let curve = Material::Named(Grade::Alnico5).demagnetisation().unwrap();
        let m = share * 1.28 / MU_0;
        let difference = (curve.field_at(m + 10.0).0 - curve.field_at(m - 10.0).0) / 20.0;
        assert!((curve.field_at(m).1 / difference - 1.0).abs() < 1e-3);
    }

    #[test]
    fn names_are_those_of_the_document() {
        let read = |text: &str| serde_json::from_str::<Material>(text).unwrap();
        assert_eq!(read("\"alnico-5\""), Material::Named(Grade::Alnico5));
        assert_eq!(read("\"neodymium-n35\""), Material::Named(Grade::NeodymiumN35));
        assert_eq!(read("\"nickel-silver\""), Material::Named(Grade::NickelSilver));
        assert!((read(r#"{"mu_r": 3.0, "br_t": 1.25, "sigma_ms_m": 10}"#).recoil_mu() - 3.0).abs() < 1e-12);
    }
}
