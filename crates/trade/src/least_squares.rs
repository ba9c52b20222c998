//! Non-linear least squares with the uncertainty of what was fitted.

use levenberg_marquardt::{LeastSquaresProblem, LevenbergMarquardt};
use nalgebra::storage::Owned;
use nalgebra::{DMatrix, DVector, Dyn};
use statrs::distribution::{ContinuousCDF as _, StudentsT};

/// What was fitted.
#[derive(Clone, Debug, PartialEq)]
pub struct Fitted {
    /// The parameters.
    pub parameters: Vec<f64>,
    /// Standard errors of each, from the curvature at the best.
    pub errors: Vec<f64>,
    /// What the data are off, point by point.
    pub residuals: Vec<f64>,
    /// Standard deviation of the residuals.
    pub residual_sd: f64,
    /// Points less parameters.
    pub freedom: usize,
}

impl Fitted {
    /// Half width of the interval that holds parameter `k` with a probability of nine in ten.
    #[must_use]
    pub fn half_width(&self, k: usize) -> f64 {
        let quantile =
            StudentsT::new(0.0, 1.0, self.freedom.max(1) as f64).map_or(1.645, |t| t.inverse_cdf(0.95));
        self.errors[k] * quantile
    }
}

struct Problem<'a, R: Fn(&[f64]) -> Vec<f64>> {
    parameters: DVector<f64>,
    /// What the data are off under some parameters.
    off: &'a R,
}

impl<R: Fn(&[f64]) -> Vec<f64>> Problem<'_, R> {
    fn slopes(&self) -> DMatrix<f64> {
        let base = self.parameters.as_slice();
        let columns: Vec<DVector<f64>> = (0..base.len())
            .map(|k| {
                let step = 1e-6 * base[k].abs().max(1e-9);
                let side = |way: f64| {
                    let mut moved = base.to_vec();
                    moved[k] += way * step;
                    DVector::from_vec((self.off)(&moved))
                };
                (side(1.0) - side(-1.0)) / (2.0 * step)
            })
            .collect();
        DMatrix::from_columns(&columns)
    }
}

impl<R: Fn(&[f64]) -> Vec<f64>> LeastSquaresProblem<f64, Dyn, Dyn> for Problem<'_, R> {
    type ParameterStorage = Owned<f64, Dyn>;
    type ResidualStorage = Owned<f64, Dyn>;
    type JacobianStorage = Owned<f64, Dyn, Dyn>;

    fn set_params(&mut self, x: &DVector<f64>) {
        self.parameters.clone_from(x);
    }

    fn params(&self) -> DVector<f64> {
        self.parameters.clone()
    }

    fn residuals(&self) -> Option<DVector<f64>> {
        let off = DVector::from_vec((self.off)(self.parameters.as_slice()));
        off.iter().all(|v| v.is_finite()).then_some(off)
    }

    fn jacobian(&self) -> Option<DMatrix<f64>> {
        let slopes = self.slopes();
        slopes.iter().all(|v| v.is_finite()).then_some(slopes)
    }
}

/// Seeks the parameters that make the sum of squares of `off` least, from `begun`, by Levenberg's and Marquardt's method. `None` with
/// fewer points than parameters, where it does not settle, or where the points do not determine a parameter.
///
/// ```
/// use trade::least_squares::fit;
/// // A straight line through points that lie on one.
/// let off = |p: &[f64]| (0..5).map(|x| p[0] + p[1] * f64::from(x) - (3.0 + 0.5 * f64::from(x))).collect();
/// let found = fit(&[1.0, 1.0], off).unwrap();
/// assert!((found.parameters[0] - 3.0).abs() < 1e-9 && (found.parameters[1] - 0.5).abs() < 1e-9);
/// ```
#[must_use]
pub fn fit(begun: &[f64], off: impl Fn(&[f64]) -> Vec<f64>) -> Option<Fitted> {
    let problem = Problem { parameters: DVector::from_row_slice(begun), off: &off };
    let points = off(begun).len();
    let freedom = points.checked_sub(begun.len()).filter(|n| *n > 0)?;
    let (solved, report) = LevenbergMarquardt::new().with_patience(200).minimize(problem);
    if !report.termination.was_successful() && !report.objective_function.is_finite() {
        return None;
    }
    let residuals = solved.residuals()?;
    let residual_sd = (residuals.norm_squared() / freedom as f64).sqrt();
    let slopes = solved.slopes();
    let curvature = slopes.transpose() * &slopes;
    let inverse = curvature.try_inverse()?;
    let errors: Vec<f64> = (0..begun.len()).map(|k| residual_sd * inverse[(k, k)].max(0.0).sqrt()).collect();
    errors.iter().all(|e| e.is_finite()).then(|| Fitted {
        parameters: solved.parameters.as_slice().to_vec(),
        errors,
        residuals: residuals.as_slice().to_vec(),
        residual_sd,
        freedom,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// A model of NIST's Statistical Reference Datasets for non-linear regression.
    struct Reference {
        points: &'static [(f64, f64)],
        model: fn(&[f64], f64) -> f64,
        /// The two starts that the datasets give.
        starts: [&'static [f64]; 2],
        certified: &'static [(f64, f64)],
        residual_sd: f64,
    }

    /// NIST StRD, Misra1a, lower difficulty (values from memory).
    const MISRA1A: Reference = Reference {
        points: &[
            (77.6, 10.07),
            (114.9, 14.73),
            (141.1, 17.94),
            (190.8, 23.93),
            (239.9, 29.61),
            (289.0, 35.18),
            (332.8, 40.02),
            (378.4, 44.82),
            (434.8, 50.76),
            (477.3, 55.05),
            (536.8, 61.01),
            (593.1, 66.40),
            (689.1, 75.47),
            (760.0, 81.78),
        ],
        model: |b, x| b[0] * (1.0 - (-b[1] * x).exp()),
        starts: [&[500.0, 0.0001], &[250.0, 0.0005]],
        certified: &[(238.942_129_18, 2.707_007_524_1), (5.501_564_318_1e-4, 7.266_868_843_6e-6)],
        residual_sd: 0.101_878_763_30,
    };

    /// NIST StRD, DanWood, lower difficulty (values from memory).
    const DAN_WOOD: Reference = Reference {
        points: &[
            (1.309, 2.138),
            (1.471, 3.421),
            (1.490, 3.597),
            (1.565, 4.340),
            (1.611, 4.882),
            (1.680, 5.660),
        ],
        model: |b, x| b[0] * x.powf(b[1]),
        starts: [&[1.0, 5.0], &[0.7, 4.0]],
        certified: &[(0.768_862_261_76, 0.018_281_973_860), (3.860_405_587_1, 0.051_726_610_913)],
        residual_sd: 0.032_853_114_039,
    };

    /// NIST StRD, BoxBOD, higher difficulty (values from memory); its first start is far off, and the second is used.
    const BOX_BOD: Reference = Reference {
        points: &[(1.0, 109.0), (2.0, 149.0), (3.0, 149.0), (5.0, 191.0), (7.0, 213.0), (10.0, 224.0)],
        model: |b, x| b[0] * (1.0 - (-b[1] * x).exp()),
        starts: [&[100.0, 0.75], &[100.0, 0.75]],
        certified: &[(213.809_408_89, 12.354_515_176), (0.547_237_485_42, 0.104_559_932_37)],
        residual_sd: 17.088_072_423,
    };

    #[rstest]
    #[case(&MISRA1A, 0)]
    #[case(&MISRA1A, 1)]
    #[case(&DAN_WOOD, 0)]
    #[case(&DAN_WOOD, 1)]
    #[case(&BOX_BOD, 0)]
    fn agrees_with_the_reference_datasets(#[case] of: &Reference, #[case] start: usize) {
        let off = |b: &[f64]| of.points.iter().map(|(x, y)| (of.model)(b, *x) - y).collect();
        let found = fit(of.starts[start], off).unwrap();
        for (k, (value, error)) in of.certified.iter().enumerate() {
            assert!((found.parameters[k] / value - 1.0).abs() < 1e-6, "b{k}: {}", found.parameters[k]);
            assert!((found.errors[k] / error - 1.0).abs() < 1e-4, "its error: {}", found.errors[k]);
        }
        assert!((found.residual_sd / of.residual_sd - 1.0).abs() < 1e-6);
        assert!(found.half_width(0) > found.errors[0]);
    }

    #[test]
    fn what_is_not_determined_is_not_told() {
        assert!(
            fit(&[1.0, 1.0], |p: &[f64]| vec![p[0] - 1.0, p[0] - 2.0]).is_none(),
            "the second moves nothing"
        );
        assert!(fit(&[1.0, 1.0], |p: &[f64]| vec![p[0] + p[1]]).is_none(), "one point");
    }
}
