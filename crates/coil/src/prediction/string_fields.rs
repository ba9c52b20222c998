//! The fields that the magnetic parts make along the strings, part by part and per charge density: they depend on the part and on
//! the string's place alone, and the last ones are kept.

use crate::inductance::MU_0;
use crate::kept::{Kept, mark};
use crate::magnet::{Line, Source, Surfaces, System};
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

/// The fields of all parts along one string.
pub(super) struct StringField {
    /// Each with the place of its first surface among all.
    parts: Vec<(usize, Arc<PartField>)>,
    points: usize,
}

impl StringField {
    /// The fields along a string, a little above its place and below it, from what is kept where it is likely to be asked for again.
    pub(super) fn at(system: &System, lines: &[Line; 2], is_kept: bool) -> Self {
        let places = lines.iter().flat_map(|line| [line.x_m, line.z_m]);
        let mark = is_kept.then(|| mark(places.chain(lines[0].y_m.iter().copied())));
        let mut first = 0;
        let placed = |part: Surfaces<'_>| {
            let from = first;
            first += part.patches.len();
            (from, PartField::of(&part, lines, mark))
        };
        Self { parts: system.surfaces().map(placed).collect(), points: lines[0].y_m.len() }
    }

    /// Flux densities of charges on all surfaces, A/m, at the points of the upper line and then of the lower one, T.
    pub(super) fn of_charges(&self, densities: DVectorView<'_, f64>) -> Vec<[f64; 3]> {
        let n = self.points;
        let mut sum = DVector::zeros(6 * n);
        for (first, part) in &self.parts {
            let own = densities.rows(*first, part.by_surface.ncols());
            sum.gemv(MU_0, &part.by_surface, &own, 1.0);
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

impl PartField {
    /// The field of a part; from what is kept, where the lines have a mark.
    fn of(part: &Surfaces<'_>, lines: &[Line; 2], mark: Option<u64>) -> Arc<Self> {
        let Some(mark) = mark else { return Arc::new(Self::worked_out(part, lines)) };
        let mark = mark.rotate_left(1) ^ part.source.mark();
        let is_same = |kept: &Self| kept.source == part.source && kept.lines == *lines;
        KEPT.find(mark, is_same).unwrap_or_else(|| {
            let field = Self::worked_out(part, lines);
            let bytes = field.by_surface.len() * size_of::<f64>() + size_of::<Self>();
            KEPT.keep(mark, field, bytes)
        })
    }

    fn worked_out(part: &Surfaces<'_>, lines: &[Line; 2]) -> Self {
        let side = 3 * lines[0].y_m.len();
        let mut by_surface = DMatrix::zeros(2 * side, part.patches.len());
        for (patch, mut column) in part.patches.iter().zip(by_surface.column_iter_mut()) {
            let (upper, lower) = column.as_mut_slice().split_at_mut(side);
            patch.field_on_line(&lines[0], upper);
            patch.field_on_line(&lines[1], lower);
        }
        Self { source: part.source, lines: lines.clone(), by_surface }
    }
}
