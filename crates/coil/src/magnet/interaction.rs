//! How the charges of magnetic parts act on one another: the matrix N of [`super::System`].

use super::body::{Body, DISCS, Rod, across_lengths};
use super::member::{Member, Source};
use super::patch::{Patch, Shape, ring_ring};
use super::rods;
use crate::kept::Kept;
use crate::numeric::gauss;
use crate::threads::side_by_side;
use nalgebra::DMatrix;
use std::f64::consts::PI;
use std::sync::{Arc, LazyLock};

/// How one part's unknowns act on another's.
struct Action {
    here: Source,
    there: Source,
    matrix: DMatrix<f64>,
}

/// The actions kept: while one part is changed, most of the others stay.
static KEPT: Kept<Action> = Kept::new(6 << 20);

/// N over all unknowns.
pub(super) fn interactions(members: &[Member], size: usize) -> DMatrix<f64> {
    let pairs: Vec<(usize, usize)> = (0..members.len()).flat_map(|i| (0..=i).map(move |j| (i, j))).collect();
    let (first, same_as) = unlike(members, &pairs);
    let actions = actions(members, &first);
    // Of the pair (i, j ≤ i), in their order.
    let action = |i: usize, j: usize| &actions[same_as[i * (i + 1) / 2 + j]].matrix;
    let mut values = Vec::with_capacity(size * size);
    for (j, there) in members.iter().enumerate() {
        for column in 0..there.cut.unknowns {
            for i in 0..members.len() {
                if i >= j {
                    values.extend_from_slice(action(i, j).column(column).as_slice());
                } else {
                    values.extend(action(j, i).row(column).iter());
                }
            }
        }
    }
    DMatrix::from_vec(size, size, values)
}

/// The pairs that do not stand as one before them, and for every pair the place of its like among those.
fn unlike(members: &[Member], pairs: &[(usize, usize)]) -> (Vec<(usize, usize)>, Vec<usize>) {
    let mut first = Vec::new();
    let mut known: Vec<([f64; 9], usize)> = Vec::new();
    let same_as = pairs
        .iter()
        .map(|&(i, j)| {
            let key = match (members[i].body(), members[j].body()) {
                (Body::Rod(a), Body::Rod(b)) => Some(stands(a, b)),
                _ => None,
            };
            let is_alike = |a: &[f64; 9], b: &[f64; 9]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-9);
            if let Some((_, at)) = key.and_then(|key| known.iter().find(|(other, _)| is_alike(other, &key))) {
                return *at;
            }
            first.push((i, j));
            known.extend(key.map(|key| (key, first.len() - 1)));
            first.len() - 1
        })
        .collect();
    (first, same_as)
}

/// The action of every pair, those kept as they are; every other one of the rest on a thread of its own.
fn actions(members: &[Member], pairs: &[(usize, usize)]) -> Vec<Arc<Action>> {
    let marks: Vec<u64> = members.iter().map(|m| m.source.mark()).collect();
    let mark = |&(i, j): &(usize, usize)| marks[i].rotate_left(1) ^ marks[j];
    let mut found: Vec<Option<Arc<Action>>> = pairs
        .iter()
        .map(|pair| {
            let (here, there) = (members[pair.0].source, members[pair.1].source);
            KEPT.find(mark(pair), |kept| kept.here == here && kept.there == there)
        })
        .collect();
    let missing: Vec<usize> = (0..pairs.len()).filter(|&k| found[k].is_none()).collect();
    let groups = alike(members, pairs, &missing);
    let worked_out = |group: &Group| {
        let energies = energies_of(members, pairs[group.first]);
        let keep = |k: usize, energies: &DMatrix<f64>| {
            let (here, there) = (&members[pairs[k].0], &members[pairs[k].1]);
            let matrix = over_unknowns(energies, here, there);
            let bytes = matrix.len() * size_of::<f64>() + size_of::<Action>();
            let action = Action { here: here.source, there: there.source, matrix };
            (k, KEPT.keep(mark(&pairs[k]), action, bytes))
        };
        let mut all = vec![keep(group.first, &energies)];
        all.extend(group.images.iter().map(|image| keep(image.pair, &image.energies(&energies))));
        all
    };
    let (even, odd) = side_by_side(
        || groups.iter().step_by(2).flat_map(worked_out).collect::<Vec<_>>(),
        || groups.iter().skip(1).step_by(2).flat_map(worked_out).collect::<Vec<_>>(),
    );
    for (k, action) in even.into_iter().chain(odd) {
        found[k] = Some(action);
    }
    found.into_iter().flatten().collect()
}

/// A pair whose action is to be worked out, with those that are its mirror images.
struct Group {
    first: usize,
    images: Vec<Image>,
}

/// A pair of a rod and a block that stands as another does in a mirror across x, across y or in both.
struct Image {
    pair: usize,
    /// Whether the block is the first of the pair.
    is_block_first: bool,
    /// By each of the block's patches the one in its place in the mirror.
    patches: Vec<usize>,
    /// The rod's patches of which the charge changes sign in it.
    turned: Vec<usize>,
}

impl Image {
    /// The energies of this pair from those of the other.
    fn energies(&self, other: &DMatrix<f64>) -> DMatrix<f64> {
        let mut all;
        if self.is_block_first {
            all = other.select_rows(&self.patches);
            self.turned.iter().for_each(|&patch| all.column_mut(patch).neg_mut());
        } else {
            all = other.select_columns(&self.patches);
            self.turned.iter().for_each(|&patch| all.row_mut(patch).neg_mut());
        }
        all
    }
}

/// Whether a mirror across x, and one across y, leaves a place as it is (1) or takes it to the other side (−1).
type Mirror = [f64; 2];

/// The pairs to be worked out, those together that are mirror images of one another: in an even row over an even plate or between two
/// bars most are.
fn alike(members: &[Member], pairs: &[(usize, usize)], missing: &[usize]) -> Vec<Group> {
    let mut groups: Vec<Group> = Vec::new();
    for &k in missing {
        let image = RodAndBlock::of(members, pairs[k]).and_then(|pair| {
            groups.iter_mut().find_map(|group| {
                let mirror = RodAndBlock::of(members, pairs[group.first])?.mirror_to(&pair)?;
                let (is_block_first, turned) = (pair.is_block_first, turned(pair.rod, mirror));
                let patches = in_mirror(pair.block, mirror)?.to_vec();
                Some((group, Image { pair: k, is_block_first, patches, turned }))
            })
        });
        match image {
            Some((group, image)) => group.images.push(image),
            None => groups.push(Group { first: k, images: Vec::new() }),
        }
    }
    groups
}

/// A pair of a rod and a block.
struct RodAndBlock<'a> {
    rod: &'a Member,
    block: &'a Member,
    is_block_first: bool,
    /// From the block's middle to the rod's axis along x and y, m.
    off_m: [f64; 2],
}

impl<'a> RodAndBlock<'a> {
    fn of(members: &'a [Member], pair: (usize, usize)) -> Option<Self> {
        let (here, there) = (&members[pair.0], &members[pair.1]);
        let of = |rod, block, is_block_first, off_m| Some(Self { rod, block, is_block_first, off_m });
        let off = |rod: &Rod, center_m: [f64; 3]| [rod.axis_m.0 - center_m[0], rod.axis_m.1 - center_m[1]];
        match (here.body(), there.body()) {
            (Body::Rod(rod), Body::Block(block)) => of(here, there, false, off(rod, block.center_m)),
            (Body::Block(block), Body::Rod(rod)) => of(there, here, true, off(rod, block.center_m)),
            _ => None,
        }
    }

    /// The mirror in which another pair stands as this one does.
    fn mirror_to(&self, other: &Self) -> Option<Mirror> {
        let side = |axis: usize| {
            let (from, to) = (self.off_m[axis], other.off_m[axis]);
            [1.0, -1.0].into_iter().find(|sign| (sign * from - to).abs() < 1e-9)
        };
        let mirror = [side(0)?, side(1)?];
        let is_alike = self.is_block_first == other.is_block_first
            && is_cut_alike(self.block, other.block)
            && is_cut_alike(self.rod, other.rod);
        is_alike.then_some(mirror)
    }
}

/// Whether two parts have the same surfaces but for their places along x and y.
fn is_cut_alike(a: &Member, b: &Member) -> bool {
    let (a, b) = (&a.cut.patches, &b.cut.patches);
    let apart = |k: usize, axis: usize| a[k].center_m[axis] - b[k].center_m[axis];
    let is_alike = |k: usize, axis: usize| {
        let first = if axis == 2 { 0.0 } else { apart(0, axis) };
        (apart(k, axis) - first).abs() < 1e-9
    };
    a.len() == b.len()
        && (0..a.len()).all(|k| a[k].shape == b[k].shape && (0..3).all(|axis| is_alike(k, axis)))
}

/// The patches of a rod of which the charge changes sign in a mirror: those charged as the cosine of the angle from y.
fn turned(rod: &Member, mirror: Mirror) -> Vec<usize> {
    let patches = rod.cut.patches.iter().enumerate();
    let is_turned = |patch: &Patch| mirror[1] < 0.0 && patch.sign_across_y() < 0.0;
    patches.filter(|(_, patch)| is_turned(patch)).map(|(k, _)| k).collect()
}

/// By each of a block's patches the one that stands in its place in a mirror through the middle of all; nothing where one has none.
fn in_mirror(block: &Member, mirror: Mirror) -> Option<&[usize]> {
    let at = usize::from(mirror[0] < 0.0) + 2 * usize::from(mirror[1] < 0.0);
    let patches = &block.cut.patches;
    block.cut.in_mirrors[at].get_or_init(|| images(patches, mirror)).as_deref()
}

fn images(patches: &[Patch], mirror: Mirror) -> Option<Vec<usize>> {
    let middle = [0, 1].map(|axis: usize| {
        let places = patches.iter().map(|p| p.center_m[axis]);
        let ends = (f64::INFINITY, f64::NEG_INFINITY);
        let (low, high) = places.fold(ends, |(low, high), at| (low.min(at), high.max(at)));
        0.5 * (low + high)
    });
    let is_image = |a: &Patch, b: &Patch| {
        let off = |p: &Patch, axis: usize| p.center_m[axis] - middle[axis];
        a.shape == b.shape
            && (0..2).all(|axis| (off(a, axis) - mirror[axis] * off(b, axis)).abs() < 1e-9)
            && (a.center_m[2] - b.center_m[2]).abs() < 1e-9
    };
    patches.iter().map(|a| patches.iter().position(|b| is_image(a, b))).collect()
}

/// The energies between the patches of two parts, or of one with itself.
fn energies_of(members: &[Member], pair: (usize, usize)) -> DMatrix<f64> {
    let (here, there, is_own) = (&members[pair.0], &members[pair.1], pair.0 == pair.1);
    match (here.body(), there.body()) {
        (Body::Rod(rod), _) if is_own => own_of_rod(here, rod, here.source.resolution.rod),
        (Body::Rod(a), Body::Rod(b)) => {
            let off = (a.axis_m.0 - b.axis_m.0, a.axis_m.1 - b.axis_m.1);
            let lateral = off.0.hypot(off.1).max(a.radius_m);
            rods::energies(&here.cut.patches, &there.cut.patches, lateral, off.1 / lateral)
        }
        _ if is_own => own_of_block(here),
        _ => RodAndBlock::of(members, pair)
            .and_then(|pair| energies_over_middle(&pair))
            .unwrap_or_else(|| energies(here, there, Patch::energy_with)),
    }
}

/// Energies between a block and a rod over its middle line along x, which does to one side what it does to the other.
fn energies_over_middle(pair: &RodAndBlock<'_>) -> Option<DMatrix<f64>> {
    const ACROSS_Y: Mirror = [1.0, -1.0];
    if pair.off_m[1].abs() > 1e-9 {
        return None;
    }
    let (block, rod) = (&pair.block.cut.patches, &pair.rod.cut.patches);
    let beyond = in_mirror(pair.block, ACROSS_Y)?;
    let turned = turned(pair.rod, ACROSS_Y);
    let mut all = DMatrix::zeros(block.len(), rod.len());
    for (j, (mut column, of_rod)) in all.column_iter_mut().zip(rod).enumerate() {
        let sign = if turned.contains(&j) { -1.0 } else { 1.0 };
        for (i, of_block) in block.iter().enumerate() {
            column[i] = if beyond[i] < i { sign * column[beyond[i]] } else { of_block.energy_with(of_rod) };
        }
    }
    Some(if pair.is_block_first { all } else { all.transpose() })
}

/// Energies between patches as those between unknowns. An unknown charges a few patches only.
fn over_unknowns(energies: &DMatrix<f64>, here: &Member, there: &Member) -> DMatrix<f64> {
    let mut of_there = DMatrix::zeros(energies.nrows(), there.cut.unknowns);
    for (mut column, charges) in of_there.column_iter_mut().zip(&there.cut.charges) {
        for &(patch, density) in charges {
            column.axpy(density, &energies.column(patch), 1.0);
        }
    }
    // Row by row of what follows, which are columns of what is read and written.
    let of_there = of_there.transpose();
    let mut all = DMatrix::zeros(there.cut.unknowns, here.cut.unknowns);
    for (mut column, charges) in all.column_iter_mut().zip(&here.cut.charges) {
        for &(patch, density) in charges {
            column.axpy(density, &of_there.column(patch), 1.0);
        }
    }
    all.transpose()
}

/// How two rods stand to one another: in an even row most pairs stand alike.
fn stands(a: &Rod, b: &Rod) -> [f64; 9] {
    let lateral = ((a.axis_m.0 - b.axis_m.0).powi(2) + (a.axis_m.1 - b.axis_m.1).powi(2)).sqrt();
    [
        lateral,
        a.bottom_m - b.bottom_m,
        a.radius_m,
        a.even_length_m(),
        kind(a),
        b.radius_m,
        b.even_length_m(),
        kind(b),
        a.axis_m.1 - b.axis_m.1,
    ]
}

/// Magnets have more unknowns than plain rods.
fn kind(rod: &Rod) -> f64 {
    f64::from(u8::from(rod.magnet.is_some()))
}

fn energies(here: &Member, there: &Member, between: impl Fn(&Patch, &Patch) -> f64) -> DMatrix<f64> {
    let (a, b) = (&here.cut.patches, &there.cut.patches);
    DMatrix::from_fn(a.len(), b.len(), |i, j| between(&a[i], &b[j]))
}

/// A rod's surfaces among themselves; what is magnetised across meets only its like, since the rest is round.
fn own_of_rod(here: &Member, rod: &Rod, intervals: usize) -> DMatrix<f64> {
    let round = own_energies(rod, intervals);
    let (count, known) = (here.cut.patches.len(), round.nrows());
    let lengths = across_lengths(&rod.nodes_m(intervals));
    DMatrix::from_fn(count, count, |i, j| match (i < known, j < known) {
        (true, true) => round[(i, j)],
        (false, false) => across_across(rod.radius_m, lengths[i - known], lengths[j - known]),
        _ => 0.0,
    })
}

/// Energy between two lengths of one cylinder, charged as the cosine of the angle, m³: over the angle between two places by
/// quadrature that crowds to where they meet, both heights in closed form.
fn across_across(radius_m: f64, a: (f64, f64), b: (f64, f64)) -> f64 {
    let mut sum = 0.0;
    for (v, w) in ANGLES.iter() {
        let (angle, share) = (PI * v * v, 2.0 * PI * v * w);
        let apart = 2.0 * radius_m * (angle / 2.0).sin();
        let twice = |t: f64| t * (t / apart).asinh() - t.hypot(apart);
        let heights = twice(a.1 - b.0) + twice(a.0 - b.1) - twice(a.1 - b.1) - twice(a.0 - b.0);
        sum += share * angle.cos() * heights;
    }
    // Both senses of the angle.
    radius_m * radius_m / 2.0 * sum
}

static ANGLES: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(12));

/// A block's surfaces among themselves: the cells are alike, so that pairs that stand alike are reckoned once.
fn own_of_block(here: &Member) -> DMatrix<f64> {
    let patches = &here.cut.patches;
    let mut found: std::collections::HashMap<[i64; 6], f64> = std::collections::HashMap::new();
    let mut matrix = DMatrix::zeros(patches.len(), patches.len());
    #[allow(clippy::cast_possible_truncation, reason = "nanometres of a part fit")]
    let nano = |v: f64| (v * 1e9).round() as i64;
    let across = |p: &Patch| match p.shape {
        Shape::Rectangle { across: 0, .. } => 0,
        Shape::Rectangle { across: 1, .. } => 1,
        Shape::Rectangle { .. } => 2,
        _ => 3,
    };
    for i in 0..patches.len() {
        for j in 0..=i {
            let (a, b) = (&patches[i], &patches[j]);
            let apart = |k: usize| nano((a.center_m[k] - b.center_m[k]).abs());
            let (ka, kb) = (across(a), across(b));
            let key = [ka.min(kb), ka.max(kb), apart(0), apart(1), apart(2), 0];
            let value = *found.entry(key).or_insert_with(|| a.energy_with(b));
            matrix[(i, j)] = value;
            matrix[(j, i)] = value;
        }
    }
    matrix
}

static SIX: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(6));

/// Coulomb energies between the surfaces of one rod, m³: lower disc, bands, upper disc; of a magnet then the smaller discs
/// of its lower and of its upper face.
fn own_energies(rod: &Rod, intervals: usize) -> DMatrix<f64> {
    let r = rod.radius_m;
    let nodes = rod.nodes_m(intervals);
    let parts = intervals + 2;
    let ring_area = 2.0 * PI * r;
    // Second antiderivative of the ring kernel over the height: t²∫₀¹(1 − x)·g(t·x) dx, the nodes crowding to
    // where the kernel is like a logarithm.
    let twice = |t: f64| -> f64 {
        let sum: f64 =
            SIX.iter().map(|(v, w)| w * 2.0 * v * (1.0 - v * v) * ring_ring(r, r, t * v * v)).sum();
        t * t * sum
    };
    let count = nodes.len();
    let table = DMatrix::from_fn(count, count, |i, j| if i > j { twice(nodes[i] - nodes[j]) } else { 0.0 });
    let at = |i: usize, j: usize| table[(i.max(j), i.min(j))];
    let band = |i: usize, j: usize| {
        ring_area * ring_area * (at(i + 1, j) + at(i, j + 1) - at(i + 1, j + 1) - at(i, j))
    };
    // Disc of a share of the radius and band whose nearer edge is `gap` away.
    let disc_band = |share: f64, gap: f64, height: f64| -> f64 {
        let r_disc = share * r;
        let mut sum = 0.0;
        for (u, wu) in SIX.iter() {
            let a = r_disc * (1.0 - u * u);
            for (v, wv) in SIX.iter() {
                let z = gap + v * v * height;
                sum += wu
                    * 2.0
                    * u
                    * r_disc
                    * 2.0
                    * PI
                    * a
                    * wv
                    * 2.0
                    * v
                    * height
                    * ring_area
                    * ring_ring(a, r, z);
            }
        }
        sum
    };
    let area = PI * r * r;
    // The mean inverse distance of two points in a disc is 16/(3πR).
    let disc_self = area * area * 16.0 / (3.0 * PI * r) / (4.0 * PI);
    let mut disc_disc = 0.0;
    for (u, wu) in SIX.iter() {
        for (v, wv) in SIX.iter() {
            let rings =
                (2.0 * PI * u * r) * (2.0 * PI * v * r) * ring_ring(u * r, v * r, rod.even_length_m());
            disc_disc += wu * wv * r * r * rings;
        }
    }
    let to_band: Vec<f64> = nodes.windows(2).map(|pair| disc_band(1.0, pair[0], pair[1] - pair[0])).collect();
    let plain = DMatrix::from_fn(parts, parts, |i, j| {
        let (low, high) = (i.min(j), i.max(j));
        match (low, high) {
            (0, 0) => disc_self,
            (0, h) if h == parts - 1 => disc_disc,
            (l, _) if l == parts - 1 => disc_self,
            (0, h) => to_band[h - 1],
            // The nodes are symmetric about the middle.
            (l, h) if h == parts - 1 => to_band[intervals - l],
            (l, h) => band(l - 1, h - 1),
        }
    });
    if rod.magnet.is_none() {
        return plain;
    }
    // The smaller discs of either face: with one another in the same plane and across, with the whole discs, with the bands.
    let inner = DISCS.len() - 1;
    let apart = [0.0, rod.even_length_m()].map(|z| {
        DMatrix::from_fn(DISCS.len(), DISCS.len(), |a, b| {
            if a > b { 0.0 } else { disc_with_disc(DISCS[a] * r, DISCS[b] * r, z) }
        })
    });
    let discs = |a: usize, b: usize, is_across: bool| apart[usize::from(is_across)][(a.min(b), a.max(b))];
    let bands: Vec<Vec<f64>> = DISCS[..inner]
        .iter()
        .map(|share| nodes.windows(2).map(|pair| disc_band(*share, pair[0], pair[1] - pair[0])).collect())
        .collect();
    DMatrix::from_fn(parts + 2 * inner, parts + 2 * inner, |i, j| {
        let (low, high) = (i.min(j), i.max(j));
        if high < parts {
            return plain[(low, high)];
        }
        let (disc, is_upper) = ((high - parts) % inner, high - parts >= inner);
        if low >= parts {
            let (other, is_other_upper) = ((low - parts) % inner, low - parts >= inner);
            return discs(disc, other, is_upper != is_other_upper);
        }
        match low {
            0 => discs(disc, inner, is_upper),
            l if l == parts - 1 => discs(disc, inner, !is_upper),
            l => bands[disc][if is_upper { intervals - l } else { l - 1 }],
        }
    })
}

/// Coulomb energy of two coaxial evenly charged discs `apart` metres apart, m³; the nodes of the second crowd to where it
/// comes closest to each ring of the first.
fn disc_with_disc(small_m: f64, large_m: f64, apart: f64) -> f64 {
    let mut sum = 0.0;
    for (u, wu) in SIX.iter() {
        // Crowded to the rim, where the potential falls off steepest.
        let a = small_m * (1.0 - u * u);
        for span in [large_m - a, -a] {
            for (v, wv) in SIX.iter() {
                let b = a + span * v * v;
                let rings = 4.0 * PI * PI * a * b * ring_ring(a, b, apart);
                sum += wu * 2.0 * u * small_m * wv * 2.0 * v * span.abs() * rings;
            }
        }
    }
    sum
}

#[cfg(test)]
mod tests {
    use super::super::body::{Block, Resolution};
    use super::*;

    fn rod(x_m: f64, y_m: f64) -> Body {
        Body::Rod(Rod {
            axis_m: (x_m, y_m),
            bottom_m: 0.001,
            length_m: 0.012,
            radius_m: 0.0024,
            bevel_m: 0.0,
            mu_r: 100.0,
            magnet: None,
        })
    }

    fn block(center_m: [f64; 3]) -> Body {
        Body::Block(Block { center_m, size_m: [0.06, 0.02, 0.0015], mu_r: 200.0, magnet: None })
    }

    /// Rods that are magnetised across as well.
    fn members(bodies: &[Body]) -> Vec<Member> {
        let source = |body| Source { body, resolution: Resolution::default(), is_beside_bar: true };
        bodies.iter().map(|body| Member::new(source(*body), 0)).collect()
    }

    /// Rods to both sides of a plate's middle, across x, across y and both, and one that has no mirror image: what is taken from an
    /// image is what is worked out directly, whichever of the two is named first.
    #[test]
    fn a_mirror_image_is_what_is_worked_out() {
        let plate = [block([0.001, 0.0, -0.001])];
        let rods = [(-0.014, 0.001), (0.003, 0.0), (0.016, 0.001), (-0.014, -0.001), (0.016, -0.001)];
        let rods = rods.map(|(x, y)| rod(x, y));
        for (first, others) in [(&plate[..], &rods[..]), (&rods[..], &plate[..])] {
            let members = members(&[others, first].concat());
            let of_others = 0..others.len();
            let of_first = others.len()..members.len();
            let pairs: Vec<(usize, usize)> =
                of_first.flat_map(|i| of_others.clone().map(move |j| (i, j))).collect();
            let groups = alike(&members, &pairs, &[0, 1, 2, 3, 4]);
            let images: Vec<usize> = groups.iter().map(|group| group.images.len()).collect();
            assert_eq!(images, [3, 0]);
            for image in &groups[0].images {
                let found = image.energies(&energies_of(&members, pairs[groups[0].first]));
                let expected = energies_of(&members, pairs[image.pair]);
                assert!((found - &expected).amax() < 1e-9 * expected.amax());
            }
        }
    }

    /// Two bars beside a rod are images of each other for it.
    #[test]
    fn two_bars_are_images_of_each_other() {
        let members = members(&[rod(0.0, 0.0), block([0.002, 0.012, 0.001]), block([0.002, -0.012, 0.001])]);
        let pairs = [(1, 0), (2, 0)];
        let groups = alike(&members, &pairs, &[0, 1]);
        let found = groups[0].images[0].energies(&energies_of(&members, pairs[0]));
        let expected = energies_of(&members, pairs[1]);
        assert!((found - &expected).amax() < 1e-9 * expected.amax());
    }

    #[test]
    fn over_the_middle_one_side_tells_the_other() {
        let members = members(&[rod(0.005, 0.002), block([0.001, 0.002, -0.001])]);
        let expected = energies(&members[1], &members[0], Patch::energy_with);
        for (pair, expected) in [((1, 0), expected.clone()), ((0, 1), expected.transpose())] {
            assert!((energies_of(&members, pair) - &expected).amax() < 1e-9 * expected.amax());
        }
    }
}
