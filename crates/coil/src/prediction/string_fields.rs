//! The fields that the magnetic parts make along the strings, part by part and per charge density: they depend on the part and on
//! the string's place alone, and the last ones are kept.

use crate::cache::{Cache, CacheKey, MemorySize, bounds, fingerprint};
use crate::inductance::MU_0;
use crate::magnet::{FarField, Line, Patch, Source, Surfaces, System};
use crate::symmetry::{Mirror, earlier_images};
use nalgebra::{DMatrix, DVector, DVectorView};
use std::sync::Arc;

/// The fields of one part along a string, a little above its place and a little below it.
struct PartField {
    /// By surface (columns): along the upper line x, y and z of all points one after the other, then along the lower one. Field
    /// strength per charge density.
    by_surface: DMatrix<f64>,
}

static FIELDS: Cache<(LinePair, Source), PartField> = Cache::new(bounds::STRING_FIELDS);

/// The lines along a string that its fields are taken on.
type LinePair = Arc<[Line; 2]>;

impl CacheKey for LinePair {
    fn fingerprint(&self) -> u64 {
        let places = self.iter().flat_map(|line| [line.x_m, line.z_m]);
        fingerprint(places.chain(self[0].y_m.iter().copied()))
    }
}

impl MemorySize for PartField {
    fn bytes(&self) -> usize {
        self.by_surface.bytes()
    }
}

/// What all strings have in common of the surfaces of all parts, in their order.
pub(super) struct Common {
    middle_m: f64,
    /// For each surface an earlier one that is its image across y: its field along a string is that of the other from the other end.
    images: Vec<Option<usize>>,
    far_fields: Vec<FarField>,
}

impl Common {
    /// Of a system's parts, with the mirror at `middle_m`.
    pub(super) fn new(system: &System, middle_m: f64) -> Self {
        let all: Vec<Patch> = system.surfaces().flat_map(|part| part.patches).copied().collect();
        let mirror = Mirror::across_y(middle_m);
        let images = earlier_images(all.len(), |a, b| {
            let (a, b) = (&all[a], &all[b]);
            // A surface in the plane is its own image.
            a.shape == b.shape && mirror.is_image(a.center_m, b.center_m) && !mirror.is_in_plane(a.center_m)
        });
        Self { middle_m, images, far_fields: all.iter().map(Patch::far_field).collect() }
    }
}

/// The fields of all parts along one string.
pub(super) struct StringField {
    /// Each with the place of its first surface among all.
    parts: Vec<(usize, Arc<PartField>)>,
    points: usize,
}

impl StringField {
    /// The fields along a string, a little above its place and below it. They are cached where they are likely to be needed again.
    pub(super) fn compute(system: &System, lines: [Line; 2], common: &Common, is_cached: bool) -> Self {
        let lines = Arc::new(lines);
        let has_images = lines.iter().all(|line| line.is_even_about(common.middle_m));
        let mut parts: Vec<(usize, Arc<PartField>)> = Vec::new();
        let mut first = 0;
        for part in system.surfaces() {
            let compute = || {
                let own = first..first + part.patches.len();
                let images = has_images.then(|| &common.images[own.clone()]);
                PartField::compute(&part, &lines, (first, &parts), (images, &common.far_fields[own]))
            };
            let field = if is_cached {
                FIELDS.get_or_compute((Arc::clone(&lines), part.source), compute)
            } else {
                Arc::new(compute())
            };
            parts.push((first, field));
            first += part.patches.len();
        }
        Self { parts, points: lines[0].y_m.len() }
    }

    /// Flux densities of charges on all surfaces, A/m, at the points of the upper line and then of the lower one, T.
    pub(super) fn flux_densities(&self, densities: DVectorView<'_, f64>) -> Vec<[f64; 3]> {
        let n = self.points;
        let mut sum = vec![0.0; 6 * n];
        for (first, part) in &self.parts {
            let own = densities.rows(*first, part.by_surface.ncols());
            add_multiples(&mut sum, part.by_surface.as_slice(), own.iter().map(|density| MU_0 * density));
        }
        let line = |k: usize| (0..n).map(move |p| [0, 1, 2].map(|axis| (3 * k + axis) * n + p));
        line(0).chain(line(1)).map(|at| at.map(|at| sum[at])).collect()
    }

    /// What the field along the string per charge density of every surface counts, weighed by `weights` at the points of the upper
    /// line and then of the lower one: Wb/m per A/m, where the weights are those of a string's magnetisation.
    pub(super) fn weighed_along(&self, weights: &[f64]) -> DVector<f64> {
        let n = self.points;
        let surfaces = self.parts.last().map_or(0, |(first, part)| first + part.by_surface.ncols());
        let mut linked = DVector::zeros(surfaces);
        for (first, part) in &self.parts {
            let mut own = linked.rows_mut(*first, part.by_surface.ncols());
            for (line, weights) in weights.chunks_exact(n).enumerate() {
                let weights = DVectorView::from_slice(weights, n);
                own.gemv_tr(MU_0, &part.by_surface.rows((3 * line + 1) * n, n), &weights, 1.0);
            }
        }
        linked
    }
}

/// Adds a multiple of each of the columns that follow one another in `columns`, four at a time: each is read once.
fn add_multiples(sum: &mut [f64], columns: &[f64], mut by: impl Iterator<Item = f64>) {
    let size = sum.len();
    for four in columns.chunks(4 * size) {
        let mut next = || by.next().unwrap_or(0.0);
        if four.len() == 4 * size {
            let [p, q, r, s] = [next(), next(), next(), next()];
            let (a, rest) = four.split_at(size);
            let (b, rest) = rest.split_at(size);
            let (c, d) = rest.split_at(size);
            for ((((sum, a), b), c), d) in sum.iter_mut().zip(a).zip(b).zip(c).zip(d) {
                *sum += p * a + q * b + (r * c + s * d);
            }
        } else {
            for column in four.chunks_exact(size) {
                let by = next();
                sum.iter_mut().zip(column).for_each(|(sum, value)| *sum += by * value);
            }
        }
    }
}

impl PartField {
    /// The field of a part of which the first surface is the `first` of all, `before` being the parts before it; `images` tell the
    /// surfaces among all that are images of its own.
    fn compute(
        part: &Surfaces<'_>,
        lines: &[Line; 2],
        (first, before): (usize, &[(usize, Arc<Self>)]),
        (images, far_fields): (Option<&[Option<usize>]>, &[FarField]),
    ) -> Self {
        let count = lines[0].y_m.len();
        let whole = 6 * count;
        let mut along = vec![0.0; whole];
        let mut values: Vec<f64> = Vec::with_capacity(whole * part.patches.len());
        for (surface, patch) in part.patches.iter().enumerate() {
            let Some(image) = images.and_then(|images| images[surface]) else {
                let (upper, lower) = along.split_at_mut(whole / 2);
                patch.field_on_line(&lines[0], &far_fields[surface], upper);
                patch.field_on_line(&lines[1], &far_fields[surface], lower);
                values.extend_from_slice(&along);
                continue;
            };
            let is_in = |from: usize, part: &Self| (from..from + part.by_surface.ncols()).contains(&image);
            let other = before.iter().find(|(from, part)| is_in(*from, part));
            match other {
                Some((from, part)) => {
                    along.copy_from_slice(part.by_surface.column(image - from).as_slice());
                }
                None => along.copy_from_slice(&values[whole * (image - first)..][..whole]),
            }
            let sign = patch.sign_across_y();
            for (values_of_axis, sign) in
                along.chunks_exact(count).zip([sign, -sign, sign].into_iter().cycle())
            {
                values.extend(values_of_axis.iter().rev().map(|value| sign * value));
            }
        }
        let by_surface = DMatrix::from_vec(whole, part.patches.len(), values);
        Self { by_surface }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::magnet::{Block, Body, Demagnetisation, Magnetised, Resolution, Rod};

    /// Two bars to both sides of a row over a plate: what is taken from an image is what is worked out directly, within one part
    /// and between two.
    #[test]
    fn the_field_of_an_image_is_the_computed_one() {
        let block = |y_m: f64, z_m: f64, size_m: [f64; 3], magnet| {
            Body::Block(Block { center_m: [0.0, y_m, z_m], size_m, mu_r: 50.0, magnet })
        };
        let bar = |y_m: f64, charge: f64| {
            let curve = Demagnetisation::Line { br_t: 0.4, mu_r: 1.05 };
            block(y_m, -0.004, [0.06, 0.008, 0.003], Some((1, Magnetised { curve, charge })))
        };
        let rod = |x_m: f64, y_m: f64| {
            Body::Rod(Rod {
                axis_m: (x_m, y_m),
                bottom_m: -0.012,
                length_m: 0.012,
                radius_m: 0.0024,
                bevel_m: 0.0003,
                mu_r: 100.0,
                magnet: None,
            })
        };
        let bodies = [
            rod(0.0, 0.002),
            rod(0.01, 0.009),
            rod(0.01, -0.005),
            block(0.002, -0.014, [0.07, 0.02, 0.001], None),
            bar(0.01, 1.0),
            bar(-0.006, -1.0),
        ];
        let system = System::new(&bodies, Resolution::default());
        let common = Common::new(&system, 0.002);
        let count = common.images.iter().flatten().count();
        let whole = common.images.len();
        assert!(count > whole / 3 && count < whole / 2, "{count} of {whole}");
        let lines = [0.0011, 0.0009]
            .map(|z_m| Line::new(0.004, z_m, (0..27).map(|k| 0.002 * f64::from(k - 13) + 0.002).collect()));
        let none = Common { images: vec![None; whole], ..Common::new(&system, 0.002) };
        let found = StringField::compute(&system, lines.clone(), &common, false);
        let expected = StringField::compute(&system, lines, &none, false);
        for ((_, found), (_, expected)) in found.parts.iter().zip(&expected.parts) {
            let size = expected.by_surface.amax();
            assert!((&found.by_surface - &expected.by_surface).amax() < 1e-4 * size);
        }
    }
}
