//! What changes from one design to another, with the band of the change itself: what is uncertain of both in the same way
//! falls out of it.

use super::Solution;
use super::bands::{self, Outcome};
use super::calibration::Calibration;
use super::inputs::Figures;
use super::report::Quantity;

/// Changes from one design to another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Differences {
    /// Inductance, H.
    pub inductance_h: Quantity,
    /// Capacitance with leads, F.
    pub capacitance_f: Quantity,
    /// Unloaded resonance of the coil with its leads, Hz.
    pub resonance_hz: Quantity,
    /// Loaded peak, Hz.
    pub peak_hz: Quantity,
    /// Whether both have a loaded peak to compare: higher than 0.1 dB.
    pub have_peaks: bool,
    /// Height of the loaded peak, dB.
    pub peak_db: Quantity,
    /// Output, dB.
    pub output_db: Quantity,
}

impl Solution {
    /// What changes from this design to another: nominal, and 5 to 95 %.
    ///
    /// ```
    /// use coil::design::{Medium, Potting, reference_coil};
    /// use coil::prediction::{Calibration, Solution};
    /// let dry = Solution::compute(&reference_coil()).unwrap();
    /// let mut design = reference_coil();
    /// design.potting = Some(Potting { medium: Medium::Wax, fill: 1.0 });
    /// let change = dry.differences(&Solution::compute(&design).unwrap(), &Calibration::default());
    /// // Wax adds capacitance for certain, though how much is known to a third only; the inductance stays.
    /// assert!(change.capacitance_f.p05 > 0.0);
    /// assert!(change.inductance_h.nominal.abs() < 1e-9);
    /// ```
    #[must_use]
    pub fn differences(&self, other: &Self, calibration: &Calibration) -> Differences {
        let before = bands::evaluate(&self.model, &self.solved, calibration);
        let after = bands::evaluate(&other.model, &other.solved, calibration);
        let of = |pick: fn(&Figures) -> f64| difference(&before, &after, pick);
        Differences {
            inductance_h: of(|f| f.inductance_h),
            capacitance_f: of(|f| f.capacitance_f),
            resonance_hz: of(|f| f.resonance_hz),
            have_peaks: [&before, &after].iter().all(|o| o.nominal.peak.is_peak()),
            peak_hz: of(|f| f.peak.peak_hz),
            peak_db: of(|f| f.peak.peak_db),
            output_db: of(|f| f.relative_output_db),
        }
    }
}

/// Each input moves both designs alike; inputs that only one of them has move that one alone.
fn difference(before: &Outcome, after: &Outcome, pick: fn(&Figures) -> f64) -> Quantity {
    let (a, b) = (pick(&before.nominal), pick(&after.nominal));
    let nominal = b - a;
    let (mut above, mut below) = (0.0, 0.0);
    let mut add = |moved: [f64; 2]| {
        let [up, down] = moved.map(|d| d - nominal);
        above += up.max(down).max(0.0).powi(2);
        below += up.min(down).min(0.0).powi(2);
    };
    let find = |all: &Outcome, input: &str| {
        all.moved().find(|(name, _)| *name == input).map(|(_, [up, down])| [pick(up), pick(down)])
    };
    for (input, [up, down]) in before.moved() {
        let [high, low] = find(after, input).unwrap_or([b, b]);
        add([high - pick(up), low - pick(down)]);
    }
    for (input, [up, down]) in after.moved() {
        if find(before, input).is_none() {
            add([pick(up) - a, pick(down) - a]);
        }
    }
    let (above, below) = (above.sqrt(), below.sqrt());
    Quantity { nominal, p05: nominal - bands::NINETY * below, p95: nominal + bands::NINETY * above }
}
