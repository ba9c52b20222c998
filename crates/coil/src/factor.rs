//! The Cholesky factor of a symmetric positive matrix, made and applied in blocks.
//!
//! Matrices of some hundred rows are factored and applied to many columns at once; in blocks most of the work is products of
//! whole matrices, which the processor does several times as fast as single rows [Golub].

use crate::cache::MemorySize;
use nalgebra::{DMatrix, DVector, DVectorView};
use std::ops::Range;
use std::sync::OnceLock;

/// Rows that are done together.
const BLOCK: usize = 32;

/// Rows and columns of a matrix, copied column by column.
pub(crate) fn part(matrix: &DMatrix<f64>, rows: Range<usize>, columns: Range<usize>) -> DMatrix<f64> {
    let (high, wide) = (rows.len(), columns.len());
    let mut values = Vec::with_capacity(high * wide);
    for column in columns {
        let from = column * matrix.nrows();
        values.extend_from_slice(&matrix.as_slice()[from + rows.start..from + rows.end]);
    }
    DMatrix::from_vec(high, wide, values)
}

/// Takes a multiple of values from as many others; nothing where it is nothing, as between parts that do not meet.
fn take_multiple(from: &mut [f64], share: f64, values: &[f64]) {
    if share != 0.0 {
        for (from, value) in from.iter_mut().zip(values) {
            *from -= share * value;
        }
    }
}

/// A = LLᵀ with L lower triangular; what stands above L's diagonal means nothing.
#[derive(Clone, Debug)]
pub(crate) struct Factor {
    lower: DMatrix<f64>,
    /// Inverses of the blocks on L's diagonal: with them what is left of a solution by whole columns is products.
    inverses: OnceLock<Vec<DMatrix<f64>>>,
}

impl MemorySize for Factor {
    /// The inverses of the blocks, which come later, included.
    fn bytes(&self) -> usize {
        (self.lower.len() + self.lower.nrows() * BLOCK) * size_of::<f64>()
    }
}

impl Factor {
    /// The factor of a symmetric matrix, of which the lower half is read; `None` when it is not positive.
    pub(crate) fn try_new(mut matrix: DMatrix<f64>) -> Option<Self> {
        let size = matrix.nrows();
        for from in (0..size).step_by(BLOCK) {
            let width = BLOCK.min(size - from);
            let rest = size - from - width;
            for j in from..from + width {
                let (known, now) = matrix.as_mut_slice().split_at_mut(j * size);
                let now = &mut now[j..size];
                for known in known[from * size..].chunks_exact(size) {
                    take_multiple(now, known[j], &known[j..]);
                }
                let pivot = now[0];
                if pivot.is_nan() || pivot <= 0.0 {
                    return None;
                }
                let by = pivot.sqrt().recip();
                for value in now {
                    *value *= by;
                }
            }
            // What is left loses what the block explains, block column by block column.
            let panel = part(&matrix, from + width..size, from..from + width);
            for at in (0..rest).step_by(BLOCK) {
                let wide = BLOCK.min(rest - at);
                let across = panel.rows(at, wide).transpose();
                let begin = from + width + at;
                matrix.view_mut((begin, begin), (rest - at, wide)).gemm(
                    -1.0,
                    &panel.rows(at, rest - at),
                    &across,
                    1.0,
                );
            }
        }
        Some(Self { lower: matrix, inverses: OnceLock::new() })
    }

    fn inverses(&self) -> &[DMatrix<f64>] {
        let inverse = |from: usize| {
            let width = BLOCK.min(self.lower.nrows() - from);
            let mut inverse = DMatrix::identity(width, width);
            // Of a lower triangular matrix it is lower triangular as well.
            for k in 0..width {
                let block = self.lower.view((from + k, from + k), (width - k, width - k));
                block.solve_lower_triangular_mut(&mut inverse.view_mut((k, k), (width - k, 1)));
            }
            inverse
        };
        self.inverses.get_or_init(|| (0..self.lower.nrows()).step_by(BLOCK).map(inverse).collect())
    }

    /// L⁻¹ of every column, in place.
    pub(crate) fn forward_mut(&self, columns: &mut DMatrix<f64>) {
        let size = self.lower.nrows();
        for (from, inverse) in (0..size).step_by(BLOCK).zip(self.inverses()) {
            let to = size.min(from + BLOCK);
            let solved = inverse * part(columns, from..to, 0..columns.ncols());
            columns.rows_mut(from, to - from).copy_from(&solved);
            if to < size {
                let below = self.lower.view((to, from), (size - to, to - from));
                columns.rows_mut(to, size - to).gemm(-1.0, &below, &solved, 1.0);
            }
        }
    }

    /// L⁻ᵀ of every column, in place.
    pub(crate) fn backward_mut(&self, columns: &mut DMatrix<f64>) {
        let size = self.lower.nrows();
        for (from, inverse) in (0..size).step_by(BLOCK).zip(self.inverses()).rev() {
            let to = size.min(from + BLOCK);
            let solved = inverse.transpose() * part(columns, from..to, 0..columns.ncols());
            columns.rows_mut(from, to - from).copy_from(&solved);
            if from > 0 {
                let before = self.lower.view((from, 0), (to - from, from)).transpose();
                columns.rows_mut(0, from).gemm(-1.0, &before, &solved, 1.0);
            }
        }
    }

    /// L⁻¹ of one column.
    pub(crate) fn forward(&self, column: DVectorView<'_, f64>) -> DVector<f64> {
        let mut solved = column.into_owned();
        let values = solved.as_mut_slice();
        for (k, lower) in self.columns() {
            let (now, below) = values[k..].split_first_mut().expect("as long as the matrix");
            *now /= lower[0];
            take_multiple(below, *now, &lower[1..]);
        }
        solved
    }

    /// L⁻ᵀ of one column.
    pub(crate) fn backward(&self, column: DVectorView<'_, f64>) -> DVector<f64> {
        let mut solved = column.into_owned();
        let values = solved.as_mut_slice();
        for (k, lower) in self.columns().rev() {
            let (now, below) = values[k..].split_first_mut().expect("as long as the matrix");
            let known: f64 = lower[1..].iter().zip(below).map(|(share, value)| share * *value).sum();
            *now = (*now - known) / lower[0];
        }
        solved
    }

    /// L's columns from the diagonal down, each with its place.
    fn columns(&self) -> impl DoubleEndedIterator<Item = (usize, &[f64])> {
        let size = self.lower.nrows().max(1);
        self.lower.as_slice().chunks_exact(size).enumerate().map(|(k, column)| (k, &column[k..]))
    }

    /// A⁻¹ of one column.
    pub(crate) fn solve(&self, column: DVectorView<'_, f64>) -> DVector<f64> {
        self.backward(self.forward(column).as_view())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// A positive matrix of any size, the same every time.
    fn positive(size: usize) -> DMatrix<f64> {
        let rough = DMatrix::from_fn(size, size, |i, j| ((7 * i + 3 * j + i * j) as f64).sin());
        &rough * rough.transpose() + DMatrix::identity(size, size)
    }

    /// Sizes about the blocks' edges, against the general-purpose library's own factor.
    #[rstest]
    fn it_is_the_librarys_factor(#[values(1, 5, 31, 32, 33, 64, 100)] size: usize) {
        let matrix = positive(size);
        let (ours, theirs) =
            (Factor::try_new(matrix.clone()).unwrap(), matrix.clone().cholesky().expect("it is positive"));
        let columns = DMatrix::from_fn(size, 3, |i, j| (i as f64 - 2.0 * j as f64).cos());
        let mut forward = columns.clone();
        ours.forward_mut(&mut forward);
        let expected = theirs.l().solve_lower_triangular(&columns).unwrap();
        assert!((&forward - &expected).amax() < 1e-9 * expected.amax());
        let mut whole = forward.clone();
        ours.backward_mut(&mut whole);
        assert!((&matrix * whole - &columns).amax() < 1e-8);
        for (column, solved) in columns.column_iter().zip(expected.column_iter()) {
            assert!((ours.forward(column) - solved).amax() < 1e-9 * expected.amax());
            let whole = ours.solve(column);
            assert!((&matrix * whole - column).amax() < 1e-8);
        }
    }

    #[test]
    fn what_is_not_positive_has_none() {
        for matrix in
            [DMatrix::from_element(40, 40, 1.0), -positive(3), DMatrix::from_element(2, 2, f64::NAN)]
        {
            assert!(Factor::try_new(matrix).is_none());
        }
    }
}
