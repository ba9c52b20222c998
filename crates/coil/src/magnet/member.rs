//! A part in the system of all magnetic parts.

use super::body::{Body, Cut, Resolution, Rod};
use super::patch::Patch;
use crate::kept::{Kept, mark};
use std::sync::Arc;

/// The cuts kept: while one part is changed the others stay.
static KEPT: Kept<(Source, Arc<Cut>)> = Kept::new(2 << 20);

/// All that the cut of a part depends on: the same source gives the same elements.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Source {
    pub body: Body,
    pub resolution: Resolution,
    /// Whether a bar magnet stands among the other parts.
    pub is_beside_bar: bool,
}

impl Source {
    /// The part in elements: those kept, where it is the same.
    fn cut(&self) -> Arc<Cut> {
        let kept = KEPT.find(self.mark(), |(source, _)| source == self).unwrap_or_else(|| {
            let cut = self.cut_anew();
            let bytes = cut.bytes();
            KEPT.keep(self.mark(), (*self, Arc::new(cut)), bytes)
        });
        Arc::clone(&kept.1)
    }

    fn cut_anew(&self) -> Cut {
        match &self.body {
            Body::Rod(rod) => rod.cut(self.resolution, self.is_beside_bar),
            Body::Block(block) => block.cut(self.resolution),
        }
    }

    /// How many unknowns the cut has, without making it.
    pub(super) fn unknowns(&self) -> usize {
        match &self.body {
            Body::Rod(rod) => rod.unknowns(self.resolution, self.is_beside_bar),
            Body::Block(block) => block.unknowns(self.resolution),
        }
    }

    /// Whether it is a rod that stands as another does in a mirror across x at `middle_m`.
    pub(crate) fn is_mirrored_across_x(&self, other: &Self, middle_m: f64) -> bool {
        let (Body::Rod(rod), Body::Rod(of_other)) = (&self.body, &other.body) else { return false };
        let in_place = Rod { axis_m: rod.axis_m, ..*of_other };
        let image_m = (2.0 * middle_m - rod.axis_m.0, rod.axis_m.1);
        *rod == in_place
            && (image_m.0 - of_other.axis_m.0).abs() < 1e-9
            && (image_m.1 - of_other.axis_m.1).abs() < 1e-9
            && (self.resolution, self.is_beside_bar) == (other.resolution, other.is_beside_bar)
    }

    /// Its mark among what is kept.
    pub(crate) fn mark(&self) -> u64 {
        let cut = [self.resolution.cell_m, f64::from(u8::from(self.is_beside_bar))];
        mark(self.body.numbers().into_iter().chain(cut))
    }
}

/// One part in the system.
#[derive(Clone, Debug)]
pub(super) struct Member {
    pub source: Source,
    pub cut: Arc<Cut>,
    /// Its first unknown among all.
    pub first: usize,
}

impl Member {
    /// A part in elements; its unknowns follow those of the parts before it.
    pub(super) fn new(source: Source, first: usize) -> Self {
        let cut = source.cut();
        Self { source, cut, first }
    }

    pub(super) const fn body(&self) -> &Body {
        &self.source.body
    }

    /// What it looks like from outside.
    pub(super) fn surfaces(&self) -> Surfaces<'_> {
        let (patches, charges) = self.cut.outside();
        Surfaces { source: self.source, patches, charges, first: self.first }
    }
}

/// The surfaces of one part from outside.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Surfaces<'a> {
    /// The part.
    pub source: Source,
    /// Its surfaces.
    pub patches: &'a [Patch],
    /// By each of its unknowns: surfaces with the charge density that it puts on them.
    pub charges: &'a [Vec<(usize, f64)>],
    /// Its first unknown among those of all parts.
    pub first: usize,
}
