//! The former's core: the outline that the first turn follows, and the outlines of those above it.

use crate::word::document_word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

document_word! {
    /// Shape of a core.
    pub enum CoreShape {
        /// A circle.
        Round,
        /// Two straights and two half circles: also the outline of a row of rods with their liner.
        Stadium,
        /// A rectangle with rounded corners.
        Rectangle,
    }
}

/// The core as a document gives it: outside sizes in millimetres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Core {
    /// The shape.
    pub shape: CoreShape,
    /// Over all along x, mm; the diameter of a round core.
    pub length_mm: f64,
    /// Over all along y, mm; equal to the length when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub width_mm: Option<f64>,
    /// Corner radius of a rectangle, mm; sharp when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub corner_mm: Option<f64>,
}

impl Core {
    /// A core of two straights and two half circles.
    #[must_use]
    pub const fn stadium(length_mm: f64, width_mm: f64) -> Self {
        Self { shape: CoreShape::Stadium, length_mm, width_mm: Some(width_mm), corner_mm: None }
    }

    /// A round core.
    #[must_use]
    pub const fn round(diameter_mm: f64) -> Self {
        Self { shape: CoreShape::Round, length_mm: diameter_mm, width_mm: None, corner_mm: None }
    }

    /// Over all along x and y, mm.
    ///
    /// ```
    /// use coil::former::Core;
    /// assert_eq!(Core::stadium(54.0, 5.0).size_mm(), (54.0, 5.0));
    /// assert_eq!(Core::round(20.0).size_mm(), (20.0, 20.0));
    /// ```
    #[must_use]
    pub fn size_mm(&self) -> (f64, f64) {
        match self.shape {
            CoreShape::Round => (self.length_mm, self.length_mm),
            _ => (self.length_mm, self.width_mm.unwrap_or(self.length_mm)),
        }
    }

    /// The outline that the first turn follows.
    #[must_use]
    pub fn outline(&self) -> Outline {
        let (length, width) = self.size_mm();
        let largest = length.min(width) / 2.0;
        let corner = match self.shape {
            CoreShape::Round | CoreShape::Stadium => largest,
            CoreShape::Rectangle => self.corner_mm.unwrap_or(0.0).min(largest).max(0.0),
        };
        Outline {
            straight_x_m: (length - 2.0 * corner).max(0.0) * 1e-3,
            straight_y_m: (width - 2.0 * corner).max(0.0) * 1e-3,
            corner_m: corner * 1e-3,
        }
    }
}

/// A rectangle of straights joined by quarter circles: circle, stadium and rounded rectangle in one.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Outline {
    /// Length of each straight along x, m.
    pub straight_x_m: f64,
    /// Length of each straight along y, m.
    pub straight_y_m: f64,
    /// Radius of the quarter circles, m.
    pub corner_m: f64,
}

impl Outline {
    /// Length once round, m.
    ///
    /// ```
    /// use coil::former::Core;
    /// let round = Core::round(10.0).outline();
    /// assert!((round.perimeter_m() - std::f64::consts::PI * 0.010).abs() < 1e-9);
    /// ```
    #[must_use]
    pub fn perimeter_m(&self) -> f64 {
        2.0 * (self.straight_x_m + self.straight_y_m) + 2.0 * PI * self.corner_m
    }

    /// The outline `distance_m` further out. Any convex outline grows by 2π times the distance.
    ///
    /// ```
    /// use coil::former::Core;
    /// let core = Core::stadium(50.0, 5.0).outline();
    /// // A turn that lies a millimetre further out is longer by 2π millimetres, whatever the shape.
    /// let longer = core.offset(1e-3).perimeter_m() - core.perimeter_m();
    /// assert!((longer - 2.0 * std::f64::consts::PI * 1e-3).abs() < 1e-9);
    /// ```
    #[must_use]
    pub fn offset(&self, distance_m: f64) -> Self {
        Self { corner_m: self.corner_m + distance_m, ..*self }
    }

    /// Area inside, m².
    ///
    /// ```
    /// use coil::former::Core;
    /// let area = Core::round(10.0).outline().area_m2();
    /// assert!((area - std::f64::consts::PI * 25e-6).abs() < 1e-12);
    /// ```
    #[must_use]
    pub fn area_m2(&self) -> f64 {
        let (a, b, c) = (self.straight_x_m, self.straight_y_m, self.corner_m);
        a * b + 2.0 * c * (a + b) + PI * c * c
    }

    /// Half extents along x and y, m.
    #[must_use]
    pub fn half_size_m(&self) -> (f64, f64) {
        (self.straight_x_m / 2.0 + self.corner_m, self.straight_y_m / 2.0 + self.corner_m)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn perimeters_of_known_shapes() {
        let round = Core::round(10.0).outline();
        assert!((round.perimeter_m() - PI * 0.010).abs() < 1e-15);
        let stadium = Core::stadium(56.75, 4.75).outline();
        assert!((stadium.perimeter_m() - (2.0 * 0.052 + PI * 0.004_75)).abs() < 1e-12);
        let rectangle = Core { shape: CoreShape::Rectangle, ..Core::stadium(40.0, 6.0) }.outline();
        assert!((rectangle.perimeter_m() - 0.092).abs() < 1e-12);
        assert!((rectangle.area_m2() - 240e-6).abs() < 1e-12);
    }

    #[test]
    fn every_turn_further_out_is_two_pi_longer_per_metre() {
        for core in [
            Core::round(8.0),
            Core::stadium(57.0, 5.0),
            Core { shape: CoreShape::Rectangle, corner_mm: Some(1.0), ..Core::stadium(40.0, 6.0) },
        ] {
            let outline = core.outline();
            let grown = outline.offset(0.003).perimeter_m() - outline.perimeter_m();
            assert!((grown - 2.0 * PI * 0.003).abs() < 1e-12);
        }
    }
}
