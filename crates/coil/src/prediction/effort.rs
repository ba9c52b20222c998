//! What computing a design takes, told before it is done.

use super::part_list::{Origin, PartList};
use super::parts::SHEET_CELL_M;
use crate::design::{Design, Problem};
use crate::eddy::cells_of;
use crate::magnet::{Body, Resolution, System};

/// The most that is computed, seconds of one core: everything that has been wound, and a good deal more.
const MOST_S: f64 = 5.0;
/// What a coil and its strings take beside the parts, seconds of one core.
const COIL_S: f64 = 0.004;

/// What computing a design takes.
#[derive(Clone, Debug, PartialEq)]
pub struct Effort {
    /// Seconds of one core, as measured on a machine of 2.5 GHz; right within a factor of two or three.
    pub seconds: f64,
    /// The place of the part that takes most, as `metal[3]`; `coils` where no part counts.
    pub place: String,
}

impl Effort {
    /// What solving and predicting a design takes. The design need not be sound.
    #[must_use]
    pub fn estimate(design: &Design) -> Self {
        let list = PartList::from_design(design);
        Self::from_parts(design.coils.len(), &list)
    }

    /// What so many designs like this one take.
    #[must_use]
    pub fn times(self, count: usize) -> Self {
        Self { seconds: self.seconds * count as f64, ..self }
    }

    /// What several designs take together, at the place of the one that takes most.
    #[must_use]
    pub fn together<'a>(designs: impl IntoIterator<Item = &'a Design>) -> Self {
        let mut all: Vec<Self> = designs.into_iter().map(Self::estimate).collect();
        all.sort_by(|a, b| b.seconds.total_cmp(&a.seconds));
        let seconds = all.iter().map(|e| e.seconds).sum();
        Self { seconds, place: all.into_iter().next().map(|e| e.place).unwrap_or_default() }
    }

    /// The magnetic parts' unknowns meet each other and are eliminated, and so do the cells of each conducting part. Measured:
    /// 2,900 unknowns take 9 s, 480 cells 3 s.
    fn from_parts(coils: usize, parts: &PartList) -> Self {
        let bodies: Vec<Body> = parts.bodies.iter().map(|(_, body)| *body).collect();
        let each = bodies.iter().map(|body| System::unknowns_of(&[*body], Resolution::default()) as f64);
        let magnetic = 9.0 * (System::unknowns_of(&bodies, Resolution::default()) as f64 / 2900.0).powf(2.7);
        let sheets: Vec<f64> = (parts.conductors.iter())
            .map(|c| 3.0 * (cells_of(&c.panels, SHEET_CELL_M) as f64 / 480.0).powi(2))
            .collect();
        let conducting: f64 = sheets.iter().sum();
        let place = if conducting > magnetic {
            "metal".to_owned()
        } else {
            let largest = each.zip(&parts.bodies).max_by(|a, b| a.0.total_cmp(&b.0));
            largest.map_or_else(|| "coils".to_owned(), |(_, (origin, _))| origin.place())
        };
        Self { seconds: COIL_S * coils as f64 + magnetic + conducting, place }
    }

    /// Why a design of these parts is not computed; none where it is.
    pub(super) fn problem(coils: usize, parts: &PartList) -> Option<Problem> {
        let effort = Self::from_parts(coils, parts);
        (effort.seconds > MOST_S).then(|| {
            Problem::new(
                "metal",
                format!(
                    "the magnets, steel and metal parts together are too large to be computed; {} takes most",
                    effort.place
                ),
                "make them smaller, or leave out what lies far from the coils",
            )
        })
    }
}

impl Origin {
    /// Its place in the document.
    fn place(self) -> String {
        match self {
            Self::Pole(i) => format!("poles[{i}]"),
            Self::Bar(i) => format!("bars[{i}]"),
            Self::Metal(i) => format!("metal[{i}]"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::{Format, starting_point};

    /// Every format is far below what is computed, also with the most strings.
    #[test]
    fn usual_designs_take_little() {
        for kind in Format::ALL {
            let effort = Effort::estimate(&starting_point(kind, "usual", 10, 10.0));
            assert!(effort.seconds < MOST_S / 10.0, "{kind:?}: {effort:?}");
        }
    }

    #[test]
    fn the_largest_part_is_named() {
        let mut design = starting_point(Format::TallSingle, "large", 6, 10.0);
        let small = Effort::estimate(&design);
        design.metal = serde_json::from_value(serde_json::json!([
            { "part": "plate", "material": "mild-steel-1010", "size_mm": [20, 10, 1], "center_mm": [0, 0, -20] },
            { "part": "plate", "material": "mild-steel-1010", "size_mm": [150, 150, 3], "center_mm": [0, 0, -25] },
        ]))
        .unwrap();
        let large = Effort::estimate(&design);
        assert!(large.seconds > 3.0 * small.seconds && large.place.starts_with("metal"), "{large:?}");
    }
}
