//! The fields that the magnetic parts make along the strings, part by part and per charge density: they depend on the part and on
//! the string's place alone, and the last ones are kept.

use crate::inductance::MU_0;
use crate::kept::{Kept, mark};
use crate::magnet::{Line, Patch, SeenFromFar, Source, Surfaces, System};
use nalgebra::{DMatrix, DVector, DVectorView};
use std::sync::Arc;

/// The fields of one part along a string, a little above its place and a little below it.
struct PartField {
    source: Source,
    lines: [Line; 2],
    /// By surface (columns): along the upper line x, y and z of all points one after the other, then along the lower one. Field
    /// strength per charge density.
    by_surface: DMatrix<f64>,
}

/// The fields kept: of a few designs that are worked at. More would be memory that is written and never read while poles are changed.
static KEPT: Kept<PartField> = Kept::new(8 << 20);

/// What all strings have in common of the surfaces of all parts, in their order.
pub(super) struct Common {
    middle_m: f64,
    /// One before it that is its image in a mirror across y: what one does along a string, the other does from the other end.
    images: Vec<Option<usize>>,
    from_far: Vec<SeenFromFar>,
}

impl Common {
    /// Of a system's parts, with the mirror at `middle_m`.
    pub(super) fn of(system: &System, middle_m: f64) -> Self {
        let all: Vec<Patch> = system.surfaces().flat_map(|part| part.patches).copied().collect();
        let is_same = |a: f64, b: f64| (a - b).abs() < 1e-9;
        let is_image = |a: &Patch, b: &Patch| {
            is_same(a.center_m[1] + b.center_m[1], 2.0 * middle_m)
                && is_same(a.center_m[0], b.center_m[0])
                && is_same(a.center_m[2], b.center_m[2])
                && a.shape == b.shape
        };
        let before = |k: usize| {
            // What stands in the mirror is its own image.
            let is_beside = !is_same(all[k].center_m[1], middle_m);
            is_beside.then(|| all[..k].iter().position(|other| is_image(other, &all[k]))).flatten()
        };
        let images = (0..all.len()).map(before).collect();
        Self { middle_m, images, from_far: all.iter().map(Patch::seen_from_far).collect() }
    }
}

/// The fields of all parts along one string.
pub(super) struct StringField {
    /// Each with the place of its first surface among all.
    parts: Vec<(usize, Arc<PartField>)>,
    points: usize,
}

impl StringField {
    /// The fields along a string, a little above its place and below it, from what is kept where it is likely to be asked for again.
    pub(super) fn at(system: &System, lines: &[Line; 2], common: &Common, is_kept: bool) -> Self {
        let places = lines.iter().flat_map(|line| [line.x_m, line.z_m]);
        let mark = is_kept.then(|| mark(places.chain(lines[0].y_m.iter().copied())));
        let has_images = lines.iter().all(|line| line.is_even_about(common.middle_m));
        let mut parts: Vec<(usize, Arc<PartField>)> = Vec::new();
        let mut first = 0;
        for part in system.surfaces() {
            let worked_out = || {
                let own = first..first + part.patches.len();
                let images = has_images.then(|| &common.images[own.clone()]);
                PartField::worked_out(&part, lines, (first, &parts), (images, &common.from_far[own]))
            };
            let field = PartField::of(&part, lines, mark, worked_out);
            parts.push((first, field));
            first += part.patches.len();
        }
        Self { parts, points: lines[0].y_m.len() }
    }

    /// Flux densities of charges on all surfaces, A/m, at the points of the upper line and then of the lower one, T.
    pub(super) fn of_charges(&self, densities: DVectorView<'_, f64>) -> Vec<[f64; 3]> {
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
    /// The field of a part; from what is kept, where the lines have a mark.
    fn of(
        part: &Surfaces<'_>,
        lines: &[Line; 2],
        mark: Option<u64>,
        worked_out: impl Fn() -> Self,
    ) -> Arc<Self> {
        let Some(mark) = mark else { return Arc::new(worked_out()) };
        let mark = mark.rotate_left(1) ^ part.source.mark();
        let is_same = |kept: &Self| kept.source == part.source && kept.lines == *lines;
        KEPT.find(mark, is_same).unwrap_or_else(|| {
            let field = worked_out();
            let bytes = field.by_surface.len() * size_of::<f64>() + size_of::<Self>();
            KEPT.keep(mark, field, bytes)
        })
    }

    /// The field of a part of which the first surface is the `first` of all, `before` being the parts before it; `images` tell the
    /// surfaces among all that are images of its own.
    fn worked_out(
        part: &Surfaces<'_>,
        lines: &[Line; 2],
        (first, before): (usize, &[(usize, Arc<Self>)]),
        (images, from_far): (Option<&[Option<usize>]>, &[SeenFromFar]),
    ) -> Self {
        let count = lines[0].y_m.len();
        let whole = 6 * count;
        let mut along = vec![0.0; whole];
        let mut values: Vec<f64> = Vec::with_capacity(whole * part.patches.len());
        for (surface, patch) in part.patches.iter().enumerate() {
            let Some(image) = images.and_then(|images| images[surface]) else {
                let (upper, lower) = along.split_at_mut(whole / 2);
                patch.field_on_line(&lines[0], &from_far[surface], upper);
                patch.field_on_line(&lines[1], &from_far[surface], lower);
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
        Self { source: part.source, lines: lines.clone(), by_surface }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::magnet::{Block, Body, Demagnetisation, Magnetised, Resolution, Rod};

    /// Two bars to both sides of a row over a plate: what is taken from an image is what is worked out directly, within one part
    /// and between two.
    #[test]
    fn an_image_is_what_is_worked_out() {
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
        let common = Common::of(&system, 0.002);
        let count = common.images.iter().flatten().count();
        let whole = common.images.len();
        assert!(count > whole / 3 && count < whole / 2, "{count} of {whole}");
        let lines = [0.0011, 0.0009]
            .map(|z_m| Line::new(0.004, z_m, (0..27).map(|k| 0.002 * f64::from(k - 13) + 0.002).collect()));
        let none = Common { images: vec![None; whole], ..Common::of(&system, 0.002) };
        let found = StringField::at(&system, &lines, &common, false);
        let expected = StringField::at(&system, &lines, &none, false);
        for ((_, found), (_, expected)) in found.parts.iter().zip(&expected.parts) {
            let size = expected.by_surface.amax();
            assert!((&found.by_surface - &expected.by_surface).amax() < 1e-4 * size);
        }
    }
}
