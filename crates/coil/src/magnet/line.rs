//! The field of a charged surface along a line, at four points at a time where they are further off.

use super::patch::{FarField, Patch};
use crate::symmetry::{is_same, is_symmetric};
use wide::f64x4;

/// Points on a line along y.
#[derive(Clone, Debug, PartialEq)]
#[allow(clippy::struct_field_names, reason = "all are lengths in m")]
pub(crate) struct Line {
    /// Where it lies, m.
    pub x_m: f64,
    /// Its height, m.
    pub z_m: f64,
    /// The points along it, m.
    pub y_m: Vec<f64>,
    /// The middle of its points, where they lie evenly to both sides of it.
    middle_m: Option<f64>,
}

impl Line {
    /// The line at x and height with these points along it, m.
    pub(crate) fn new(x_m: f64, z_m: f64, y_m: Vec<f64>) -> Self {
        let middle = y_m.first().zip(y_m.last()).map(|(first, last)| 0.5 * (first + last));
        let middle_m = middle.filter(|middle| is_symmetric(y_m.iter().copied(), *middle));
        Self { x_m, z_m, y_m, middle_m }
    }

    /// Whether its points lie evenly to both sides of `y_m`.
    pub(crate) fn is_even_about(&self, y_m: f64) -> bool {
        self.middle_m.is_some_and(|middle| is_same(middle, y_m))
    }

    /// A field at all points of the line, of a source that is its own mirror image across y at `middle_m`: where the points are
    /// theirs as well, `field` is asked for half of them.
    pub(crate) fn even_field(
        &self,
        middle_m: f64,
        field: impl Fn(&[[f64; 3]]) -> Vec<[f64; 3]>,
    ) -> Vec<[f64; 3]> {
        let count = self.y_m.len();
        let half = if self.is_even_about(middle_m) { count.div_ceil(2) } else { count };
        let points: Vec<[f64; 3]> = self.y_m[..half].iter().map(|y| [self.x_m, *y, self.z_m]).collect();
        let mut all = field(&points);
        for k in half..count {
            let [x, y, z] = all[count - 1 - k];
            all.push([x, -y, z]);
        }
        all
    }
}

impl Patch {
    /// Field strength per charge density at the points of a line, dimensionless: what lies along x at all of them, then what lies
    /// along y, then along z. `far` is what the surface is from further off, which many lines have in common.
    pub(crate) fn field_on_line(&self, line: &Line, FarField(far): &FarField, into: &mut [f64]) {
        let count = line.y_m.len();
        // Beyond its middle its field is the mirrored one.
        let half = if line.is_even_about(self.center_m[1]) { count.div_ceil(2) } else { count };
        let (x, z) = (line.x_m - self.center_m[0], line.z_m - self.center_m[2]);
        for (at, four) in line.y_m[..half].chunks(4).enumerate() {
            // Of fewer than four the last stands for those that lack.
            let y: [f64; 4] = std::array::from_fn(|k| four[k.min(four.len() - 1)] - self.center_m[1]);
            let is_far = |least: f64| y.iter().all(|y| x * x + y * y + z * z > least);
            let field = match far {
                Some((moments, least)) if is_far(*least) => {
                    moments.field([f64x4::splat(x), f64x4::from(y), f64x4::splat(z)]).map(f64x4::to_array)
                }
                _ => {
                    let mut field = [[0.0; 4]; 3];
                    for (k, y) in four.iter().enumerate() {
                        let one = self.field([line.x_m, *y, line.z_m]);
                        for (values, value) in field.iter_mut().zip(one) {
                            values[k] = value;
                        }
                    }
                    field
                }
            };
            for (axis, values) in field.iter().enumerate() {
                for (to, value) in into[axis * count + 4 * at..][..four.len()].iter_mut().zip(values) {
                    *to = *value;
                }
            }
        }
        let sign = self.sign_across_y();
        for (values, sign) in into.chunks_exact_mut(count).zip([sign, -sign, sign]) {
            let (first, rest) = values.split_at_mut(half);
            for (value, mirrored) in rest.iter_mut().rev().zip(first) {
                *value = sign * *mirrored;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::patch::Shape;
    use super::*;
    use rstest::rstest;

    /// A winding's field along a line through its middle, from half of the points, and along one that is off it.
    #[rstest]
    fn half_of_a_line_tells_the_rest(#[values(26, 27)] count: u32, #[values(0.0, 1e-3)] off: f64) {
        let winding = crate::inductance::off_the_origin();
        let middle = f64::from(count - 1) / 2.0;
        let y_m: Vec<f64> = (0..count).map(|k| 0.003 * (f64::from(k) - middle) - 0.004 + off).collect();
        let line = Line::new(0.006, 0.004, y_m);
        let all = line.even_field(winding.center_m.1, |points| winding.field_beyond(points));
        let points: Vec<[f64; 3]> = line.y_m.iter().map(|y| [line.x_m, *y, line.z_m]).collect();
        let expected = winding.field_beyond(&points);
        assert_eq!(all.len(), expected.len());
        for (a, b) in all.iter().flatten().zip(expected.iter().flatten()) {
            assert!((a - b).abs() < 1e-9 * expected[13][2].abs());
        }
    }

    /// Near and far, in fours and the rest of them, evenly about the surface or not, against one point at a time.
    #[rstest]
    #[case(Shape::Disc { radius_m: 0.002 })]
    #[case(Shape::Band { radius_m: 0.002, half_m: 0.003 })]
    #[case(Shape::CosineBand { radius_m: 0.002, half_m: 0.003 })]
    #[case(Shape::Rectangle { across: 2, half_m: [0.004, 0.002] })]
    fn a_line_is_its_points(
        #[case] shape: Shape,
        #[values(26, 27)] count: u32,
        #[values(0.0, 0.003)] off: f64,
    ) {
        let patch = Patch { center_m: [0.001, -0.002, 0.003], shape };
        let middle = f64::from(count - 1) / 2.0;
        let y_m = (0..count).map(|k| 0.003 * (f64::from(k) - middle) - 0.002 + off).collect();
        let line = Line::new(0.002, 0.007, y_m);
        let n = line.y_m.len();
        let mut along = vec![0.0; 3 * n];
        patch.field_on_line(&line, &patch.far_field(), &mut along);
        for (k, y) in line.y_m.iter().enumerate() {
            let field = patch.field([line.x_m, *y, line.z_m]);
            let size = field.iter().map(|f| f.abs()).sum::<f64>();
            for (axis, value) in field.into_iter().enumerate() {
                assert!((along[axis * n + k] - value).abs() < 1e-9 * size);
            }
        }
    }
}
