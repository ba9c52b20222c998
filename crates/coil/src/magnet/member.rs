//! A part in the system of all magnetic parts.

use super::body::{Body, Mesh, Resolution, Rod};
use super::patch::Patch;
use crate::cache::{Cache, CacheKey, bounds, fingerprint};
use crate::symmetry::Mirror;
use std::sync::Arc;

static MESHES: Cache<Source, Mesh> = Cache::new(bounds::MESHES);

/// All that the mesh of a part depends on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Source {
    pub body: Body,
    pub resolution: Resolution,
    /// Whether a bar magnet stands among the other parts.
    pub is_beside_bar: bool,
}

impl Source {
    fn mesh(&self) -> Mesh {
        match &self.body {
            Body::Rod(rod) => rod.mesh(self.resolution, self.is_beside_bar),
            Body::Block(block) => block.mesh(self.resolution),
        }
    }

    /// The number of unknowns of the mesh, without computing it.
    pub(super) fn unknowns(&self) -> usize {
        match &self.body {
            Body::Rod(rod) => rod.unknowns(self.resolution, self.is_beside_bar),
            Body::Block(block) => block.unknowns(self.resolution),
        }
    }

    /// Whether it is a rod and the image of another across x = `middle_m`.
    pub(crate) fn is_mirrored_across_x(&self, other: &Self, middle_m: f64) -> bool {
        let (Body::Rod(rod), Body::Rod(of_other)) = (&self.body, &other.body) else { return false };
        let in_place = Rod { axis_m: rod.axis_m, ..*of_other };
        let axis = |rod: &Rod| [rod.axis_m.0, rod.axis_m.1, 0.0];
        *rod == in_place
            && Mirror::across_x(middle_m).is_image(axis(rod), axis(of_other))
            && (self.resolution, self.is_beside_bar) == (other.resolution, other.is_beside_bar)
    }
}

impl CacheKey for Source {
    fn fingerprint(&self) -> u64 {
        let mesh = [self.resolution.cell_m, f64::from(u8::from(self.is_beside_bar))];
        self.body.fingerprint().rotate_left(1) ^ fingerprint(mesh)
    }
}

/// One part in the system.
#[derive(Clone, Debug)]
pub(super) struct Member {
    pub source: Source,
    pub mesh: Arc<Mesh>,
    /// Its first unknown among all.
    pub first: usize,
}

impl Member {
    /// A part with its mesh; its unknowns follow those of the parts before it.
    pub(super) fn new(source: Source, first: usize) -> Self {
        let mesh = MESHES.get_or_compute(source, || source.mesh());
        Self { source, mesh, first }
    }

    pub(super) const fn body(&self) -> &Body {
        &self.source.body
    }

    /// What it looks like from outside.
    pub(super) fn surfaces(&self) -> Surfaces<'_> {
        let (patches, charges) = self.mesh.outside();
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
