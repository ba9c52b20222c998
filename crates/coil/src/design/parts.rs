//! Poles, bar magnets and metal of a document.

use crate::magnet::Material;
use crate::word::document_word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A pole.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Pole {
    /// The coil it stands in.
    pub coil: String,
    /// The string above it, from 1; a blade has none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub string: Option<u32>,
    /// Where it stands along the row, mm.
    pub x_mm: f64,
    /// Where it stands across the row, from the middle of its coil, mm; 0 when absent. Two blades in one coil stand on either side.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub y_mm: f64,
    /// Its shape.
    #[serde(default)]
    pub shape: PoleShape,
    /// Diameter, mm; the width of a square pole, the thickness of a blade.
    pub diameter_mm: f64,
    /// Length, mm.
    pub length_mm: f64,
    /// Height of its lower face, mm.
    #[serde(default)]
    pub bottom_mm: f64,
    /// Width of the bevel of its upper edge at 45°, mm, of a round pole: less than half its diameter and than its length; 0 when
    /// absent, a sharp edge.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub bevel_mm: f64,
    /// What it is made of.
    pub material: Material,
    /// Charge as a share of saturation; 1 when absent.
    #[serde(default = "default_charge")]
    pub charge: f64,
    /// The pole that looks up.
    #[serde(default)]
    pub up: Polarity,
}

impl Pole {
    /// Whether its section is a circle.
    #[must_use]
    pub fn is_round(&self) -> bool {
        !matches!(self.shape, PoleShape::Blade | PoleShape::Square)
    }
}

document_word! {
    /// Shape of a pole.
    #[derive(Default)]
    #[allow(missing_docs, reason = "they say it themselves")]
    pub enum PoleShape {
        #[default]
        Rod,
        Screw,
        Slug,
        Blade,
        Button,
        Square,
    }
}

document_word! {
    /// A magnetic pole.
    #[derive(Default)]
    #[allow(missing_docs, reason = "they say it themselves")]
    pub enum Polarity {
        North,
        #[default]
        South,
    }
}

impl super::Design {
    /// Where the axis of a pole stands along and across the row, mm: its coil's place across, and its own from there. A pole of a coil
    /// that is not there counts from the middle of the row.
    ///
    /// ```
    /// use coil::design::{Format, starting_point};
    /// let mut twin = starting_point(Format::TwinCoil, "Sedge", 6, 10.0);
    /// twin.poles[0].y_mm = 1.5;
    /// assert_eq!(twin.place_of_pole_mm(&twin.poles[0])[1], twin.coils[0].center_mm[1] + 1.5);
    /// ```
    #[must_use]
    pub fn place_of_pole_mm(&self, pole: &Pole) -> [f64; 2] {
        let coil = self.coils.iter().find(|coil| coil.name == pole.coil);
        [pole.x_mm, coil.map_or(0.0, |coil| coil.center_mm[1]) + pole.y_mm]
    }

    /// The poles that a probe is held over, by the numbers that readings call them by, each with its place in the list of poles: by
    /// their strings, the first of each; where no pole belongs to a string (buttons, blades), in their order from 1.
    ///
    /// ```
    /// use coil::design::{Format, starting_point};
    /// let numbers = |kind| -> Vec<u32> {
    ///     starting_point(kind, "Sedge", 6, 10.0).numbered_poles().iter().map(|(number, _)| *number).collect()
    /// };
    /// assert_eq!(numbers(Format::TwinCoil), [1, 2, 3, 4, 5, 6]);
    /// assert_eq!(numbers(Format::Blade), [1]);
    /// ```
    #[must_use]
    pub fn numbered_poles(&self) -> Vec<(u32, usize)> {
        let mut all: Vec<(u32, usize)> = Vec::new();
        for (index, pole) in self.poles.iter().enumerate() {
            if let Some(string) = pole.string.filter(|string| !all.iter().any(|(n, _)| n == string)) {
                all.push((string, index));
            }
        }
        if all.is_empty() { (1..).zip(0..self.poles.len()).collect() } else { all }
    }

    /// The place in the list of poles of the one that readings call by a number; `None` when there is none.
    #[must_use]
    pub fn pole_numbered(&self, number: u32) -> Option<usize> {
        self.numbered_poles().into_iter().find(|(n, _)| *n == number).map(|(_, index)| index)
    }
}

impl Polarity {
    /// The other one.
    #[must_use]
    pub const fn other(self) -> Self {
        match self {
            Self::North => Self::South,
            Self::South => Self::North,
        }
    }
}

/// A bar magnet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Bar {
    /// What it is made of.
    pub material: Material,
    /// Size along x, y and z, mm.
    pub size_mm: [f64; 3],
    /// Centre, mm.
    pub center_mm: [f64; 3],
    /// The axis it is magnetised along.
    pub magnetised: Axis,
    /// Charge as a share of saturation.
    #[serde(default = "default_charge")]
    pub charge: f64,
    /// Which end of that axis is north.
    #[serde(default)]
    pub north: End,
}

document_word! {
    /// An axis.
    #[allow(missing_docs, reason = "they say it themselves")]
    pub enum Axis {
        X,
        Y,
        Z,
    }
}

document_word! {
    /// An end of an axis.
    #[derive(Default)]
    #[allow(missing_docs, reason = "they say it themselves")]
    pub enum End {
        #[default]
        Positive,
        Negative,
    }
}

/// A plate, cover or keeper.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Metal {
    /// What it is.
    pub part: MetalPart,
    /// What it is made of.
    pub material: Material,
    /// Size along x, y and z, mm; outside.
    pub size_mm: [f64; 3],
    /// Centre, mm.
    pub center_mm: [f64; 3],
    /// Thickness of a cover's wall, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub wall_mm: Option<f64>,
}

document_word! {
    /// What a metal part is.
    #[allow(missing_docs, reason = "they say it themselves")]
    pub enum MetalPart {
        BasePlate,
        Cover,
        Keeper,
        Plate,
        Shield,
    }
}

fn default_charge() -> f64 {
    1.0
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for a reference")]
fn is_zero(value: &f64) -> bool {
    *value == 0.0
}
