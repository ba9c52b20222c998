//! Which pairs of magnetic parts are images of one another, so that their interaction is computed once.

use super::body::{Body, Rod};
use super::member::Member;
use super::patch::Patch;
use crate::symmetry::{Mirror, is_same, middle, permutation};
use nalgebra::DMatrix;

/// Places of two members in a system.
pub(super) type Pair = (usize, usize);

/// How two rods stand to each other: what their interaction depends on. In an even row most pairs have the pose of another.
#[derive(Clone, Copy, Debug)]
struct RelativePose([f64; 9]);

impl RelativePose {
    fn new(a: &Rod, b: &Rod) -> Self {
        let lateral = (a.axis_m.0 - b.axis_m.0).hypot(a.axis_m.1 - b.axis_m.1);
        // Magnets have more unknowns than plain rods.
        let kind = |rod: &Rod| f64::from(u8::from(rod.magnet.is_some()));
        Self([
            lateral,
            a.bottom_m - b.bottom_m,
            a.radius_m,
            a.even_length_m(),
            kind(a),
            b.radius_m,
            b.even_length_m(),
            kind(b),
            a.axis_m.1 - b.axis_m.1,
        ])
    }

    fn is_same(&self, other: &Self) -> bool {
        self.0.iter().zip(other.0).all(|(a, b)| is_same(*a, b))
    }
}

/// The pairs of which no earlier one has the same pose, and for every pair the place of its like among those.
pub(super) fn distinct_poses(members: &[Member], pairs: &[Pair]) -> (Vec<Pair>, Vec<usize>) {
    let mut distinct = Vec::new();
    let mut known: Vec<(RelativePose, usize)> = Vec::new();
    let same_as = pairs
        .iter()
        .map(|&(i, j)| {
            let pose = match (members[i].body(), members[j].body()) {
                (Body::Rod(a), Body::Rod(b)) => Some(RelativePose::new(a, b)),
                _ => None,
            };
            if let Some((_, at)) = pose.and_then(|pose| known.iter().find(|(other, _)| other.is_same(&pose)))
            {
                return *at;
            }
            distinct.push((i, j));
            known.extend(pose.map(|pose| (pose, distinct.len() - 1)));
            distinct.len() - 1
        })
        .collect();
    (distinct, same_as)
}

/// A pair, with those that are its mirror images: in an even row over an even plate or between two bars most are.
pub(super) struct SymmetryGroup {
    pub first: usize,
    pub images: Vec<ImagePair>,
}

/// A pair of a rod and a block that is the image of another across x, across y or across both.
pub(super) struct ImagePair {
    pub pair: usize,
    is_block_first: bool,
    /// For each of the block's patches its image.
    patches: Vec<usize>,
    /// The rod's patches whose charge changes sign.
    sign_flips: Vec<usize>,
}

impl ImagePair {
    /// The energies of this pair from those of the other.
    pub(super) fn energies(&self, other: &DMatrix<f64>) -> DMatrix<f64> {
        let mut all;
        if self.is_block_first {
            all = other.select_rows(&self.patches);
            self.sign_flips.iter().for_each(|&patch| all.column_mut(patch).neg_mut());
        } else {
            all = other.select_columns(&self.patches);
            self.sign_flips.iter().for_each(|&patch| all.row_mut(patch).neg_mut());
        }
        all
    }
}

/// Groups those of `pairs` that are listed in `missing`.
pub(super) fn symmetry_groups(members: &[Member], pairs: &[Pair], missing: &[usize]) -> Vec<SymmetryGroup> {
    let mut groups: Vec<SymmetryGroup> = Vec::new();
    for &k in missing {
        let image = RodAndBlock::find(members, pairs[k]).and_then(|pair| {
            groups.iter_mut().find_map(|group| {
                let flips = RodAndBlock::find(members, pairs[group.first])?.flips_to(&pair)?;
                let (is_block_first, sign_flips) = (pair.is_block_first, sign_flips(pair.rod, flips));
                let patches = block_images(pair.block, flips)?.to_vec();
                Some((group, ImagePair { pair: k, is_block_first, patches, sign_flips }))
            })
        });
        match image {
            Some((group, image)) => group.images.push(image),
            None => groups.push(SymmetryGroup { first: k, images: Vec::new() }),
        }
    }
    groups
}

/// Along x and y: whether a reflection exchanges the sides.
type Flips = [bool; 2];

/// A pair of a rod and a block.
pub(super) struct RodAndBlock<'a> {
    pub rod: &'a Member,
    pub block: &'a Member,
    pub is_block_first: bool,
    /// From the block's middle to the rod's axis along x and y, m.
    offset_m: [f64; 2],
}

impl<'a> RodAndBlock<'a> {
    /// The pair, if one of it is a rod and the other a block.
    pub(super) fn find(members: &'a [Member], pair: Pair) -> Option<Self> {
        let (here, there) = (&members[pair.0], &members[pair.1]);
        let offset = |rod: &Rod, center_m: [f64; 3]| [rod.axis_m.0 - center_m[0], rod.axis_m.1 - center_m[1]];
        let (rod, block, is_block_first, offset_m) = match (here.body(), there.body()) {
            (Body::Rod(rod), Body::Block(block)) => (here, there, false, offset(rod, block.center_m)),
            (Body::Block(block), Body::Rod(rod)) => (there, here, true, offset(rod, block.center_m)),
            _ => return None,
        };
        Some(Self { rod, block, is_block_first, offset_m })
    }

    /// The reflection that makes another pair of this one.
    fn flips_to(&self, other: &Self) -> Option<Flips> {
        let flip = |axis: usize| {
            let (from, to) = (self.offset_m[axis], other.offset_m[axis]);
            [false, true].into_iter().find(|flips| is_same(if *flips { -from } else { from }, to))
        };
        let flips = [flip(0)?, flip(1)?];
        let is_same = self.is_block_first == other.is_block_first
            && is_same_mesh(self.block, other.block)
            && is_same_mesh(self.rod, other.rod);
        is_same.then_some(flips)
    }

    /// For each of the block's patches its image across the middle line along x, if the rod stands over that line, and the rod's
    /// patches whose charge changes sign.
    pub(super) fn images_across_middle(&self) -> Option<(&'a [usize], Vec<usize>)> {
        const ACROSS_Y: Flips = [false, true];
        let is_over_middle = is_same(self.offset_m[1], 0.0);
        let images = is_over_middle.then(|| block_images(self.block, ACROSS_Y)).flatten()?;
        Some((images, sign_flips(self.rod, ACROSS_Y)))
    }
}

/// Whether two parts have the same surfaces but for their places along x and y.
fn is_same_mesh(a: &Member, b: &Member) -> bool {
    let (a, b) = (&a.mesh.patches, &b.mesh.patches);
    let apart = |k: usize, axis: usize| a[k].center_m[axis] - b[k].center_m[axis];
    let is_same_place =
        |k: usize, axis: usize| is_same(apart(k, axis), if axis == 2 { 0.0 } else { apart(0, axis) });
    a.len() == b.len()
        && (0..a.len()).all(|k| a[k].shape == b[k].shape && (0..3).all(|axis| is_same_place(k, axis)))
}

/// The patches of a rod whose charge changes sign in a reflection: those charged as the cosine of the angle from y.
fn sign_flips(rod: &Member, flips: Flips) -> Vec<usize> {
    let patches = rod.mesh.patches.iter().enumerate();
    patches.filter(|(_, patch)| flips[1] && patch.sign_across_y() < 0.0).map(|(k, _)| k).collect()
}

/// For each of a block's patches its image across the middle of all; `None` where one has none.
fn block_images(block: &Member, flips: Flips) -> Option<&[usize]> {
    let at = usize::from(flips[0]) + 2 * usize::from(flips[1]);
    let patches = &block.mesh.patches;
    block.mesh.images[at].get_or_init(|| images(patches, flips)).as_deref()
}

fn images(patches: &[Patch], flips: Flips) -> Option<Vec<usize>> {
    let middle_m = [0, 1].map(|axis: usize| middle(patches.iter().map(|patch| patch.center_m[axis])));
    let mirror = Mirror { flips, middle_m };
    permutation(patches.len(), |a, b| {
        let (a, b) = (&patches[a], &patches[b]);
        a.shape == b.shape && mirror.is_image(b.center_m, a.center_m)
    })
}
