//! A bevelled upper edge of a rod.
//!
//! A straight end as long as leaves the volume equal stands for a bevelled one where parts act on one another; seen from
//! outside, the charge of the end lies where it is: on the smaller face, and on a cone below it. Total charge and moment are
//! those of an evenly magnetised bevelled rod.

use super::patch::{Densities, Patch, Shape};

/// Surfaces as they are seen from outside, with what each unknown puts on them.
#[derive(Clone, Debug)]
pub(super) struct Seen {
    pub patches: Vec<Patch>,
    pub charges: Vec<Densities>,
}

/// The upper end of a bevelled rod.
#[derive(Clone, Copy, Debug)]
#[allow(clippy::struct_field_names, reason = "all are lengths in m")]
pub(super) struct BevelledEnd {
    /// Height of its face, m.
    pub top_m: f64,
    /// Height of the straight end that stands for it, m.
    pub even_m: f64,
    /// Radius of its face, m.
    pub face_m: f64,
}

/// By how much a rod with a bevel is longer than one with straight ends and of equal volume, m.
pub(super) fn taken_m(radius_m: f64, bevel_m: f64) -> f64 {
    bevel_m * bevel_m * (radius_m - bevel_m / 3.0) / (radius_m * radius_m)
}

impl BevelledEnd {
    /// The surfaces as they are, of those that the parts act with.
    pub(super) fn seen(self, acting: &[Patch], charges: &[Densities]) -> Seen {
        let Self { top_m, even_m, face_m: inner } = self;
        let mut patches = Vec::new();
        let mut parts: Vec<Vec<(usize, f64)>> = Vec::new();
        for patch in acting {
            let mut add = |z: f64, shape: Shape| {
                patches.push(Patch { center_m: [patch.center_m[0], patch.center_m[1], z], shape });
                patches.len() - 1
            };
            let disc = |radius_m: f64| Shape::Disc { radius_m };
            parts.push(match patch.shape {
                Shape::Disc { radius_m } if (patch.center_m[2] - even_m).abs() < 1e-12 => {
                    let face = add(top_m, disc(radius_m.min(inner)));
                    if radius_m > inner {
                        // The mean depth of the cone, by area in the face's plane.
                        let squares = (radius_m.powi(2) - inner.powi(2)) / 2.0;
                        let depth = (radius_m.powi(3) - inner.powi(3)) / 3.0 / squares - inner;
                        let cone = add(top_m - depth, disc(radius_m));
                        let hole = add(top_m - depth, disc(inner));
                        vec![(face, 1.0), (cone, 1.0), (hole, -1.0)]
                    } else {
                        vec![(face, 1.0)]
                    }
                }
                shape => vec![(add(patch.center_m[2], shape), 1.0)],
            });
        }
        let moved = |list: &Densities| {
            let each = list.iter().flat_map(|&(patch, density)| {
                parts[patch].iter().map(move |&(part, sign)| (part, sign * density))
            });
            each.collect()
        };
        Seen { charges: charges.iter().map(moved).collect(), patches }
    }
}
