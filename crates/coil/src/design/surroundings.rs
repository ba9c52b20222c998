//! What surrounds the winding electrically: the medium in its gaps, its leads, and what is tied to ground.

use super::{Design, MetalPart};
use crate::word::document_word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What fills the gaps between the turns.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Potting {
    /// The medium.
    #[serde(default)]
    pub medium: Medium,
    /// How much of the gaps it fills, 0…1; 1 when absent.
    #[serde(default = "full")]
    pub fill: f64,
}

impl Default for Potting {
    fn default() -> Self {
        Self { medium: Medium::None, fill: full() }
    }
}

fn full() -> f64 {
    1.0
}

document_word! {
    /// A potting medium.
    #[derive(Default)]
    pub enum Medium {
        /// Air.
        #[default]
        None,
        /// Paraffin wax, with beeswax or without.
        Wax,
        /// Lacquer or varnish.
        Lacquer,
        /// Epoxy resin.
        Epoxy,
    }
}

impl Medium {
    /// Relative permittivity: paraffin 2.25, dried lacquer 3.0, epoxy 3.6 (handbook values, from memory).
    #[must_use]
    pub const fn permittivity(self) -> f64 {
        match self {
            Self::None => 1.0,
            Self::Wax => 2.25,
            Self::Lacquer => 3.0,
            Self::Epoxy => 3.6,
        }
    }
}

impl Potting {
    /// Relative permittivity of the gaps: medium and air mixed by Lichtenecker's logarithmic rule (from memory).
    ///
    /// ```
    /// use coil::design::{Medium, Potting};
    /// assert_eq!(Potting { medium: Medium::None, fill: 1.0 }.permittivity(), 1.0);
    /// assert!((Potting { medium: Medium::Wax, fill: 0.5 }.permittivity() - 1.5).abs() < 1e-12);
    /// ```
    #[must_use]
    pub fn permittivity(self) -> f64 {
        self.medium.permittivity().powf(self.fill)
    }
}

/// The leads that hang on the coil before any cable.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Leads {
    /// Their kind.
    #[serde(default)]
    pub kind: LeadKind,
    /// Their length, mm; 300 when absent.
    #[serde(default = "usual_length")]
    pub length_mm: f64,
    /// Capacitance per metre as measured or stated, pF/m; it wins over the kind's usual one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pf_per_m: Option<f64>,
}

impl Default for Leads {
    fn default() -> Self {
        Self { kind: LeadKind::TwistedPair, length_mm: usual_length(), pf_per_m: None }
    }
}

fn usual_length() -> f64 {
    300.0
}

document_word! {
    /// A kind of leads.
    #[derive(Default)]
    pub enum LeadKind {
        /// Two leads covered with cloth or plastic, twisted together.
        #[default]
        TwistedPair,
        /// One lead within a braided shield.
        Shielded,
        /// Four leads within a common shield.
        FourConductor,
        /// None: measured at the coil's own ends.
        None,
    }
}

impl LeadKind {
    /// Usual capacitance per metre, pF/m. A two-wire line with axes two conductor diameters apart in a medium of permittivity
    /// 2, and 2πε/ln(b/a) of coaxial lines (any textbook on lines) over the usual ratios of shield to conductor: 123 to 207
    /// with a braid over cloth, 110 to 186 with four conductors. The middle of each range stands for it.
    #[must_use]
    pub const fn usual_pf_per_m(self) -> f64 {
        match self {
            Self::TwistedPair => 42.0,
            Self::Shielded => 165.0,
            Self::FourConductor => 148.0,
            Self::None => 0.0,
        }
    }
}

impl Leads {
    /// Capacitance, F.
    ///
    /// ```
    /// use coil::design::Leads;
    /// // 300 mm of a twisted pair at 42 pF/m.
    /// assert!((Leads::default().capacitance_f() / 12.6e-12 - 1.0).abs() < 1e-9);
    /// ```
    #[must_use]
    pub fn capacitance_f(&self) -> f64 {
        self.pf_per_m.unwrap_or(self.kind.usual_pf_per_m()) * self.length_mm * 1e-15
    }

    /// Relative standard deviation of that capacitance: a kind's range taken as evenly likely, or a stated figure's own.
    #[must_use]
    pub const fn relative_sd(&self) -> f64 {
        if self.pf_per_m.is_some() { 0.03 } else { 0.14 }
    }
}

document_word! {
    /// A conducting part that can be tied to ground.
    pub enum Grounded {
        /// The poles: rods, screws, slugs, blades that conduct.
        Poles,
        /// Base plates and other plates, keepers and shields.
        Plate,
        /// Covers.
        Cover,
        /// A foil wound round the finished coils.
        Foil,
    }
}

/// Distance from the winding's thickest place to a foil whose distance is not given, mm.
pub(crate) const USUAL_FOIL_GAP_MM: f64 = 0.3;

impl Grounded {
    /// Whether a design has such a part. A foil is there because it is named.
    #[must_use]
    pub fn is_in(self, design: &Design) -> bool {
        let any = |wanted: fn(MetalPart) -> bool| design.metal.iter().any(|m| wanted(m.part));
        match self {
            Self::Poles => design.poles.iter().any(|p| p.material.conductivity_s_m() > 0.0),
            Self::Plate => any(|part| part != MetalPart::Cover),
            Self::Cover => any(|part| part == MetalPart::Cover),
            Self::Foil => true,
        }
    }
}

impl Design {
    /// Potting, or the none that is assumed.
    #[must_use]
    pub fn potting(&self) -> Potting {
        self.potting.unwrap_or_default()
    }

    /// Leads, or the twisted pair of 300 mm that is assumed.
    #[must_use]
    pub fn leads(&self) -> Leads {
        self.leads.unwrap_or_default()
    }

    /// Whether a part is tied to ground. Where nothing is said, plates and covers are and poles are not.
    #[must_use]
    pub fn is_grounded(&self, part: Grounded) -> bool {
        match &self.wiring.grounded {
            Some(parts) => parts.contains(&part),
            None => matches!(part, Grounded::Plate | Grounded::Cover),
        }
    }

    /// Ties a part to ground, or takes it off.
    pub fn ground(&mut self, part: Grounded, is_grounded: bool) {
        if self.is_grounded(part) == is_grounded {
            return;
        }
        let wanted =
            |p: &Grounded| if *p == part { is_grounded } else { self.is_grounded(*p) && p.is_in(self) };
        let parts = Grounded::ALL.into_iter().filter(wanted).collect();
        self.wiring.grounded = Some(parts);
    }

    /// Takes parts out of the grounded ones that the design no longer has.
    pub fn drop_missing_grounds(&mut self) {
        if let Some(parts) = self.wiring.grounded.take() {
            let kept = parts.into_iter().filter(|part| part.is_in(self)).collect();
            self.wiring.grounded = Some(kept);
        }
    }

    /// Takes the bevel off poles whose shape can have none.
    pub fn drop_bevels_of_flat_poles(&mut self) {
        for pole in self.poles.iter_mut().filter(|pole| !pole.is_round()) {
            pole.bevel_mm = 0.0;
        }
    }

    /// Distance from the winding's thickest place to a grounded foil, mm; `None` without one.
    #[must_use]
    pub fn foil_gap_mm(&self) -> Option<f64> {
        self.is_grounded(Grounded::Foil).then(|| self.wiring.foil_gap_mm.unwrap_or(USUAL_FOIL_GAP_MM))
    }
}
