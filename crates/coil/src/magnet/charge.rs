//! Charged surfaces: what a magnetised rod looks like from outside.

use crate::inductance::MU_0;
use std::f64::consts::PI;

/// A disc (when `from_m` equals `to_m`) or the side of a cylinder, evenly charged.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sheet {
    /// The axis, x and y, m.
    pub axis_m: (f64, f64),
    /// Radius, m.
    pub radius_m: f64,
    /// Lower edge, m.
    pub from_m: f64,
    /// Upper edge, m.
    pub to_m: f64,
    /// Magnetic charge per area, A/m.
    pub density_a_m: f64,
}

/// Flux density of charged surfaces at a point off them, T.
#[must_use]
pub fn flux_density(sheets: &[Sheet], point_m: [f64; 3]) -> [f64; 3] {
    let mut total = [0.0; 3];
    for sheet in sheets {
        let (dx, dy) = (point_m[0] - sheet.axis_m.0, point_m[1] - sheet.axis_m.1);
        let lateral = dx.hypot(dy);
        if lateral < 1e-9 {
            total[2] += MU_0 * sheet.on_axis(point_m[2]);
        } else {
            let (radial, axial) = sheet.off_axis(lateral, point_m[2]);
            total[0] += MU_0 * radial * dx / lateral;
            total[1] += MU_0 * radial * dy / lateral;
            total[2] += MU_0 * axial;
        }
    }
    total
}

impl Sheet {
    /// Field strength along the axis, A/m, in closed form.
    pub(super) fn on_axis(&self, z_m: f64) -> f64 {
        let r = self.radius_m;
        if self.to_m > self.from_m {
            self.density_a_m * r / 2.0 * (1.0 / r.hypot(z_m - self.to_m) - 1.0 / r.hypot(z_m - self.from_m))
        } else {
            let t = z_m - self.from_m;
            self.density_a_m / 2.0 * (t.signum() - t / r.hypot(t))
        }
    }

    /// Field strength away from the axis, radial and axial, A/m, by rings of charge.
    fn off_axis(&self, lateral: f64, z_m: f64) -> (f64, f64) {
        const AROUND: u32 = 16;
        if lateral > 3.0 * self.radius_m {
            return self.far_off(lateral, z_m);
        }
        let mut total = (0.0, 0.0);
        let mut ring = |radius: f64, height: f64, charge: f64| {
            let dz = z_m - height;
            let flat = lateral * lateral + radius * radius + dz * dz;
            let share = charge / (4.0 * PI * f64::from(AROUND));
            for k in 0..AROUND / 2 {
                let cos = (2.0 * PI * (f64::from(k) + 0.5) / f64::from(AROUND)).cos();
                let d_sq = flat - 2.0 * lateral * radius * cos;
                let weight = 2.0 * share / (d_sq * d_sq.sqrt());
                total.0 += weight * (lateral - radius * cos);
                total.1 += weight * dz;
            }
        };
        if self.to_m > self.from_m {
            let charge = self.density_a_m * 2.0 * PI * self.radius_m * (self.to_m - self.from_m);
            ring(self.radius_m, 0.5 * (self.from_m + self.to_m), charge);
        } else {
            // Rings of equal area: the middles of thirds.
            let charge = self.density_a_m * PI * self.radius_m * self.radius_m;
            for third in [1.0, 3.0, 5.0] {
                ring(self.radius_m * (third / 6.0_f64).sqrt(), self.from_m, charge / 3.0);
            }
        }
        total
    }

    /// As [`Self::off_axis`] from far: the charge in the middle and its second moment, good to
    /// (radius/distance)⁴.
    fn far_off(&self, lateral: f64, z_m: f64) -> (f64, f64) {
        let r2 = self.radius_m * self.radius_m;
        let band = self.to_m > self.from_m;
        let (area, square) = if band {
            (2.0 * PI * self.radius_m * (self.to_m - self.from_m), r2)
        } else {
            (PI * r2, r2 / 2.0)
        };
        let t = z_m - 0.5 * (self.from_m + self.to_m);
        let d2 = lateral * lateral;
        let s2 = d2 + t * t;
        let s5 = s2 * s2 * s2.sqrt();
        let charge = self.density_a_m * area / (4.0 * PI);
        // u = 1/s, less a quarter of the mean square times ∂²u/∂t² = (2t² − D²)/s⁵; minus its gradient.
        let moment = square / 4.0 / s5 / s2;
        let radial = charge * lateral * (s2 / s5 - moment * (12.0 * t * t - 3.0 * d2));
        let axial = charge * t * (s2 / s5 - moment * (6.0 * t * t - 9.0 * d2));
        (radial, axial)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The far form against many points of charge.
    #[test]
    fn far_off_agrees_with_rings() {
        for to_m in [0.0, 0.001] {
            let sheet = Sheet { axis_m: (0.0, 0.0), radius_m: 0.002, from_m: 0.0, to_m, density_a_m: 1.0 };
            let wide = Sheet { radius_m: 0.002, ..sheet };
            for (lateral, z) in [(0.0105, 0.003), (0.0105, -0.012), (0.03, 0.0)] {
                let exact = rings(&wide, lateral, z);
                let far = sheet.far_off(lateral, z);
                let size = exact.0.hypot(exact.1);
                assert!((far.0 - exact.0).abs() < 0.01 * size, "{far:?} {exact:?}");
                assert!((far.1 - exact.1).abs() < 0.01 * size, "{far:?} {exact:?}");
            }
        }
    }

    fn rings(sheet: &Sheet, lateral: f64, z: f64) -> (f64, f64) {
        let (around, out, up) = (48, 24, 24);
        let band = sheet.to_m > sheet.from_m;
        let mut total = (0.0, 0.0);
        for k in 0..around {
            let (sin, cos) = (2.0 * PI * f64::from(k) / f64::from(around)).sin_cos();
            for j in 0..if band { up } else { out } {
                let share = (f64::from(j) + 0.5) / f64::from(if band { up } else { out });
                let (r, h, area) = if band {
                    let length = sheet.to_m - sheet.from_m;
                    (sheet.radius_m, share * length, 2.0 * PI * sheet.radius_m * length / f64::from(up))
                } else {
                    (sheet.radius_m * share.sqrt(), 0.0, PI * sheet.radius_m.powi(2) / f64::from(out))
                };
                let (dx, dy, dz) = (lateral - r * cos, r * sin, z - h);
                let d = (dx * dx + dy * dy + dz * dz).sqrt();
                let weight = sheet.density_a_m * area / f64::from(around) / (4.0 * PI * d.powi(3));
                total.0 += weight * dx;
                total.1 += weight * dz;
            }
        }
        total
    }
}
