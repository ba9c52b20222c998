//! Mirror symmetry: which things are images of one another.
//!
//! Rows, plates and bars of most pickups are symmetric. A result that was computed for one part, cell or point is then taken for its
//! images, up to the order of the values and their signs.

/// Places less far apart than this are the same place, m.
const TOLERANCE_M: f64 = 1e-9;

/// Whether two lengths are the same.
pub(crate) fn is_same(a_m: f64, b_m: f64) -> bool {
    (a_m - b_m).abs() < TOLERANCE_M
}

/// Whether two points are the same.
pub(crate) fn are_same(a_m: [f64; 3], b_m: [f64; 3]) -> bool {
    a_m.into_iter().zip(b_m).all(|(a, b)| is_same(a, b))
}

/// The middle between the smallest and the largest value.
pub(crate) fn middle(values: impl Iterator<Item = f64>) -> f64 {
    let (low, high) =
        values.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), v| (low.min(v), high.max(v)));
    0.5 * (low + high)
}

/// A reflection across a plane x = const, across a plane y = const, across both, or across neither.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Mirror {
    /// Along x and y: whether the coordinate changes sides.
    pub flips: [bool; 2],
    /// The places of the planes along x and y, m.
    pub middle_m: [f64; 2],
}

impl Mirror {
    /// The reflection across the plane x = `middle_m`.
    pub(crate) const fn across_x(middle_m: f64) -> Self {
        Self { flips: [true, false], middle_m: [middle_m, 0.0] }
    }

    /// The reflection across the plane y = `middle_m`.
    pub(crate) const fn across_y(middle_m: f64) -> Self {
        Self { flips: [false, true], middle_m: [0.0, middle_m] }
    }

    /// The image of a point, m.
    pub(crate) fn image(&self, at_m: [f64; 3]) -> [f64; 3] {
        let place = |axis: usize| {
            if self.flips[axis] { 2.0 * self.middle_m[axis] - at_m[axis] } else { at_m[axis] }
        };
        [place(0), place(1), at_m[2]]
    }

    /// Whether two points are images of each other.
    pub(crate) fn is_image(&self, a_m: [f64; 3], b_m: [f64; 3]) -> bool {
        are_same(self.image(a_m), b_m)
    }

    /// Whether a point is its own image.
    pub(crate) fn is_in_plane(&self, at_m: [f64; 3]) -> bool {
        self.is_image(at_m, at_m)
    }
}

/// For each of `count` things the first one before it that is its image.
pub(crate) fn earlier_images(count: usize, is_image: impl Fn(usize, usize) -> bool) -> Vec<Option<usize>> {
    (0..count).map(|k| (0..k).find(|other| is_image(k, *other))).collect()
}

/// For each of `count` things its image among them; `None` where one has none.
pub(crate) fn permutation(count: usize, is_image: impl Fn(usize, usize) -> bool) -> Option<Vec<usize>> {
    (0..count).map(|k| (0..count).find(|other| is_image(k, *other))).collect()
}

/// Whether places in ascending order are their own images about a middle, m.
pub(crate) fn is_symmetric(ascending_m: impl DoubleEndedIterator<Item = f64> + Clone, middle_m: f64) -> bool {
    ascending_m.clone().zip(ascending_m.rev()).all(|(a, b)| is_same(a + b, 2.0 * middle_m))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reflection_undoes_itself() {
        let both = Mirror { flips: [true, true], middle_m: [0.01, -0.02] };
        let at = [0.013, 0.004, 0.002];
        for mirror in [both, Mirror::across_x(0.004), Mirror::across_y(-0.003)] {
            assert!(are_same(mirror.image(mirror.image(at)), at) && !mirror.is_in_plane(at));
        }
        assert!(are_same(both.image(at), [0.007, -0.044, 0.002]));
        assert!(Mirror::across_y(0.004).is_in_plane(at));
    }

    #[test]
    fn images_are_found_among_points() {
        let mirror = Mirror::across_x(0.0);
        let xs = [-0.02, -0.01, 0.0, 0.01];
        let is_image = |a: usize, b: usize| mirror.is_image([xs[a], 0.0, 0.0], [xs[b], 0.0, 0.0]);
        assert_eq!(earlier_images(4, is_image), [None, None, None, Some(1)]);
        assert_eq!(permutation(4, is_image), None);
        let moved = Mirror::across_x(-0.005);
        let is_image = |a: usize, b: usize| moved.is_image([xs[a], 0.0, 0.0], [xs[b], 0.0, 0.0]);
        assert_eq!(permutation(4, is_image), Some(vec![3, 2, 1, 0]));
        assert!(is_symmetric(xs.into_iter(), -0.005) && !is_symmetric(xs.into_iter(), 0.0));
    }
}
