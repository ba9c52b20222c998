//! How the charges of magnetic parts act on one another: the matrix N of [`super::System`].

use super::body::{Body, DISCS, Rod, across_lengths};
use super::member::{Member, Source};
use super::patch::{Patch, Shape, ring_ring};
use super::rods;
use super::symmetry::{Pair, RodAndBlock, SymmetryGroup, distinct_poses, symmetry_groups};
use crate::cache::{Cache, bounds};
use crate::numeric::gauss;
use crate::threads::side_by_side;
use nalgebra::DMatrix;
use std::f64::consts::PI;
use std::sync::{Arc, LazyLock};

/// How one part's unknowns act on another's.
static INTERACTIONS: Cache<(Source, Source), DMatrix<f64>> = Cache::new(bounds::INTERACTIONS);

/// N over all unknowns.
pub(super) fn interactions(members: &[Member], size: usize) -> DMatrix<f64> {
    let pairs: Vec<Pair> = (0..members.len()).flat_map(|i| (0..=i).map(move |j| (i, j))).collect();
    let (distinct, same_as) = distinct_poses(members, &pairs);
    let interactions = compute_interactions(members, &distinct);
    // Of the pair (i, j ≤ i), in their order.
    let interaction = |i: usize, j: usize| &interactions[same_as[i * (i + 1) / 2 + j]];
    let mut values = Vec::with_capacity(size * size);
    for (j, there) in members.iter().enumerate() {
        for column in 0..there.mesh.unknowns {
            for i in 0..members.len() {
                if i >= j {
                    values.extend_from_slice(interaction(i, j).column(column).as_slice());
                } else {
                    values.extend(interaction(j, i).row(column).iter());
                }
            }
        }
    }
    DMatrix::from_vec(size, size, values)
}

/// The interaction of every pair: cached, or computed on two threads.
fn compute_interactions(members: &[Member], pairs: &[Pair]) -> Vec<Arc<DMatrix<f64>>> {
    let sources = |pair: &Pair| (members[pair.0].source, members[pair.1].source);
    let mut found: Vec<Option<Arc<DMatrix<f64>>>> =
        pairs.iter().map(|pair| INTERACTIONS.get(&sources(pair))).collect();
    let missing: Vec<usize> = (0..pairs.len()).filter(|&k| found[k].is_none()).collect();
    let groups = symmetry_groups(members, pairs, &missing);
    let compute = |group: &SymmetryGroup| {
        let energies = compute_energies(members, pairs[group.first]);
        let insert = |k: usize, energies: &DMatrix<f64>| {
            let matrix = over_unknowns(energies, &members[pairs[k].0], &members[pairs[k].1]);
            (k, INTERACTIONS.insert(sources(&pairs[k]), matrix))
        };
        let mut all = vec![insert(group.first, &energies)];
        all.extend(group.images.iter().map(|image| insert(image.pair, &image.energies(&energies))));
        all
    };
    let (even, odd) = side_by_side(
        || groups.iter().step_by(2).flat_map(compute).collect::<Vec<_>>(),
        || groups.iter().skip(1).step_by(2).flat_map(compute).collect::<Vec<_>>(),
    );
    for (k, matrix) in even.into_iter().chain(odd) {
        found[k] = Some(matrix);
    }
    found.into_iter().flatten().collect()
}

/// The energies between the patches of two parts, or of one with itself.
fn compute_energies(members: &[Member], pair: Pair) -> DMatrix<f64> {
    let (here, there, is_own) = (&members[pair.0], &members[pair.1], pair.0 == pair.1);
    match (here.body(), there.body()) {
        (Body::Rod(rod), _) if is_own => own_of_rod(here, rod, here.source.resolution.rod),
        (Body::Rod(a), Body::Rod(b)) => {
            let off = (a.axis_m.0 - b.axis_m.0, a.axis_m.1 - b.axis_m.1);
            let lateral = off.0.hypot(off.1).max(a.radius_m);
            rods::energies(&here.mesh.patches, &there.mesh.patches, lateral, off.1 / lateral)
        }
        _ if is_own => own_of_block(here),
        _ => RodAndBlock::find(members, pair)
            .and_then(|pair| energies_over_middle(&pair))
            .unwrap_or_else(|| energies(here, there, Patch::energy_with)),
    }
}

/// Energies between a block and a rod over its middle line along x, which does to one side what it does to the other.
fn energies_over_middle(pair: &RodAndBlock<'_>) -> Option<DMatrix<f64>> {
    let (images, sign_flips) = pair.images_across_middle()?;
    let (block, rod) = (&pair.block.mesh.patches, &pair.rod.mesh.patches);
    let mut all = DMatrix::zeros(block.len(), rod.len());
    for (j, (mut column, of_rod)) in all.column_iter_mut().zip(rod).enumerate() {
        let sign = if sign_flips.contains(&j) { -1.0 } else { 1.0 };
        for (i, of_block) in block.iter().enumerate() {
            column[i] = if images[i] < i { sign * column[images[i]] } else { of_block.energy_with(of_rod) };
        }
    }
    Some(if pair.is_block_first { all } else { all.transpose() })
}

/// Energies between patches as those between unknowns. An unknown charges a few patches only.
fn over_unknowns(energies: &DMatrix<f64>, here: &Member, there: &Member) -> DMatrix<f64> {
    let mut of_there = DMatrix::zeros(energies.nrows(), there.mesh.unknowns);
    for (mut column, charges) in of_there.column_iter_mut().zip(&there.mesh.charges) {
        for &(patch, density) in charges {
            column.axpy(density, &energies.column(patch), 1.0);
        }
    }
    // Row by row of what follows, which are columns of what is read and written.
    let of_there = of_there.transpose();
    let mut all = DMatrix::zeros(there.mesh.unknowns, here.mesh.unknowns);
    for (mut column, charges) in all.column_iter_mut().zip(&here.mesh.charges) {
        for &(patch, density) in charges {
            column.axpy(density, &of_there.column(patch), 1.0);
        }
    }
    all.transpose()
}

fn energies(here: &Member, there: &Member, between: impl Fn(&Patch, &Patch) -> f64) -> DMatrix<f64> {
    let (a, b) = (&here.mesh.patches, &there.mesh.patches);
    DMatrix::from_fn(a.len(), b.len(), |i, j| between(&a[i], &b[j]))
}

/// A rod's surfaces among themselves; what is magnetised across meets only its like, since the rest is round.
fn own_of_rod(here: &Member, rod: &Rod, intervals: usize) -> DMatrix<f64> {
    let round = own_energies(rod, intervals);
    let (count, known) = (here.mesh.patches.len(), round.nrows());
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
    let patches = &here.mesh.patches;
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
            let groups = symmetry_groups(&members, &pairs, &[0, 1, 2, 3, 4]);
            let images: Vec<usize> = groups.iter().map(|group| group.images.len()).collect();
            assert_eq!(images, [3, 0]);
            for image in &groups[0].images {
                let found = image.energies(&compute_energies(&members, pairs[groups[0].first]));
                let expected = compute_energies(&members, pairs[image.pair]);
                assert!((found - &expected).amax() < 1e-9 * expected.amax());
            }
        }
    }

    /// Two bars beside a rod are images of each other for it.
    #[test]
    fn two_bars_are_images_of_each_other() {
        let members = members(&[rod(0.0, 0.0), block([0.002, 0.012, 0.001]), block([0.002, -0.012, 0.001])]);
        let pairs = [(1, 0), (2, 0)];
        let groups = symmetry_groups(&members, &pairs, &[0, 1]);
        let found = groups[0].images[0].energies(&compute_energies(&members, pairs[0]));
        let expected = compute_energies(&members, pairs[1]);
        assert!((found - &expected).amax() < 1e-9 * expected.amax());
    }

    #[test]
    fn over_the_middle_one_side_tells_the_other() {
        let members = members(&[rod(0.005, 0.002), block([0.001, 0.002, -0.001])]);
        let expected = energies(&members[1], &members[0], Patch::energy_with);
        for (pair, expected) in [((1, 0), expected.clone()), ((0, 1), expected.transpose())] {
            assert!((compute_energies(&members, pair) - &expected).amax() < 1e-9 * expected.amax());
        }
    }
}
