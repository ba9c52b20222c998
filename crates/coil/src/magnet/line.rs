//! The field of a charged surface along a line, at four points at a time where they are further off.

use super::patch::Patch;
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
}

impl Line {
    /// Whether its points lie evenly to both sides of `y_m`, to the picometre.
    fn is_even_about(&self, y_m: f64) -> bool {
        self.y_m.iter().zip(self.y_m.iter().rev()).all(|(a, b)| (a + b - 2.0 * y_m).abs() < 1e-12)
    }
}

impl Patch {
    /// Field strength per charge density at the points of a line, dimensionless: what lies along x at all of them, then what lies
    /// along y, then along z.
    pub(crate) fn field_on_line(&self, line: &Line, into: &mut [f64]) {
        let count = line.y_m.len();
        let far = self.seen_from_far();
        // Of an even charge the field beyond its middle is the mirrored one.
        let is_mirrored = far.is_some() && line.is_even_about(self.center_m[1]);
        let half = if is_mirrored { count.div_ceil(2) } else { count };
        let (x, z) = (line.x_m - self.center_m[0], line.z_m - self.center_m[2]);
        for (at, four) in line.y_m[..half].chunks(4).enumerate() {
            // Of fewer than four the last stands for those that lack.
            let y: [f64; 4] = std::array::from_fn(|k| four[k.min(four.len() - 1)] - self.center_m[1]);
            let is_far = |least: f64| y.iter().all(|y| x * x + y * y + z * z > least);
            let field = match &far {
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
                into[axis * count + 4 * at..][..four.len()].copy_from_slice(&values[..four.len()]);
            }
        }
        for (values, sign) in into.chunks_exact_mut(count).zip([1.0, -1.0, 1.0]) {
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

    /// Near and far, in fours and the rest of them, evenly about the surface or not, against one point at a time.
    #[rstest]
    #[case(Shape::Disc { radius_m: 0.002 })]
    #[case(Shape::Band { radius_m: 0.002, half_m: 0.003 })]
    #[case(Shape::Across { radius_m: 0.002, half_m: 0.003 })]
    #[case(Shape::Rectangle { across: 2, half_m: [0.004, 0.002] })]
    fn a_line_is_its_points(
        #[case] shape: Shape,
        #[values(26, 27)] count: u32,
        #[values(0.0, 0.003)] off: f64,
    ) {
        let patch = Patch { center_m: [0.001, -0.002, 0.003], shape };
        let middle = f64::from(count - 1) / 2.0;
        let y_m = (0..count).map(|k| 0.003 * (f64::from(k) - middle) - 0.002 + off).collect();
        let line = Line { x_m: 0.002, z_m: 0.007, y_m };
        let n = line.y_m.len();
        let mut along = vec![0.0; 3 * n];
        patch.field_on_line(&line, &mut along);
        for (k, y) in line.y_m.iter().enumerate() {
            let field = patch.field([line.x_m, *y, line.z_m]);
            let size = field.iter().map(|f| f.abs()).sum::<f64>();
            for (axis, value) in field.into_iter().enumerate() {
                assert!((along[axis * n + k] - value).abs() < 1e-9 * size);
            }
        }
    }
}
