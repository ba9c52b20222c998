//! From a design to its prediction, with bands, notices and contributions.

mod bands;
mod calibration;
mod difference;
mod effort;
mod ground;
mod inputs;
mod map;
mod model;
mod notices;
mod part_list;
mod parts;
mod report;
mod shift;
mod signal;
mod solve;
mod string_fields;
mod strings;
mod wound;

pub use calibration::{Calibration, Correction};
pub use difference::Differences;
pub use effort::Effort;
pub use map::{BendMap, CutPart, CutString, FieldMap, Plane};
pub use report::{
    CoilPrediction, Contribution, ContributionSource, Level, Notice, Partial, PickupPrediction,
    PolePrediction, Prediction, PredictionSummary, Quantity, Response, StringPrediction,
};
pub use shift::{Moved, Shift};
pub use signal::{PickupSignal, StringAtPickup};

use crate::cache::MemorySize as _;
use crate::design::{Design, Polarity, Problem};
use crate::eddy::screened;
use crate::string::string_mass_kg_m;
use crate::wind::{GuidePlan, Section, USUAL_RPM};
use bands::Outcome;
use model::Model;
use part_list::PartList;
use solve::Solved;
use std::f64::consts::PI;

/// Points of the response, on a log scale from 50 Hz to 20 kHz.
const RESPONSE_POINTS: usize = 121;
/// Test frequencies of usual meters, Hz.
const METER_HZ: [f64; 4] = [100.0, 120.0, 1000.0, 10_000.0];
/// Half the 90 % band of a flux density: the curve itself is known to about 10 % from Br and Hc, and half of that
/// again for charge and history.
const FLUX_SPREAD: f64 = 0.12;

/// A design, checked and solved once: everything that is asked of the design is answered from here, without solving
/// it again.
///
/// Solving takes milliseconds (inductances, magnets, eddy currents, strings); each answer takes a small part of that.
pub struct Solution {
    design: Design,
    model: Model,
    solved: Solved,
}

impl std::fmt::Debug for Solution {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Solution").field("design", &self.design.name).finish_non_exhaustive()
    }
}

impl Solution {
    /// Checks and solves a design.
    ///
    /// ```
    /// use coil::design::reference_coil;
    /// use coil::prediction::{Calibration, Solution};
    /// let solution = Solution::compute(&reference_coil()).unwrap();
    /// let prediction = solution.prediction(&Calibration::default());
    /// assert!(prediction.pickup.resistance_20c_ohm.contains(prediction.pickup.resistance_20c_ohm.nominal));
    /// // Nothing to wind is refused, with the place and what to do.
    /// let mut empty = reference_coil();
    /// empty.coils[0].wind.turns = 0;
    /// assert!(Solution::compute(&empty).unwrap_err().iter().any(|p| p.at == "coils[0].wind.turns"));
    /// ```
    ///
    /// # Errors
    /// Every reason why the design cannot be predicted, by its place, all at once.
    pub fn compute(design: &Design) -> Result<Self, Vec<Problem>> {
        let problems = design.problems();
        if !problems.is_empty() {
            return Err(problems);
        }
        let list = PartList::from_design(design);
        if let Some(problem) = Effort::problem(design.coils.len(), &list) {
            return Err(vec![problem]);
        }
        let (model, solved) = Solved::solve(design, list);
        if !solved.is_sound(&model) {
            return Err(vec![Problem::new(
                "coils",
                "the coils as wound would lie inside one another",
                "fewer turns, thinner wire, or set the coils further apart",
            )]);
        }
        Ok(Self { design: design.clone(), model, solved })
    }

    /// The design that was solved.
    #[must_use]
    pub fn design(&self) -> &Design {
        &self.design
    }

    /// The prediction with its bands, notices and contributions, corrected by what a workshop's own coils have shown;
    /// the default calibration leaves the uncalibrated model.
    #[must_use]
    pub fn prediction(&self, calibration: &Calibration) -> Prediction {
        let outcome = bands::evaluate(&self.model, &self.solved, calibration);
        let notices = notices::compute(&self.design, &self.model, &self.solved, &outcome.nominal);
        report(&self.design, &self.model, &self.solved, outcome, notices)
    }

    /// The explained quantities over `samples` pickups drawn at random from the same spreads that the bands come from:
    /// by key, with the 5 % and 95 % points of what was drawn. At most 100,000 samples.
    #[must_use]
    pub fn monte_carlo(&self, samples: usize, seed: u64) -> Vec<(&'static str, Quantity)> {
        bands::monte_carlo(&self.model, &self.solved, samples.clamp(1, 100_000), seed)
    }

    /// Flux density that a probe reads over every pole, `gap_mm` above its face, mT, in the order of the design's
    /// poles; north up is positive. `None` where no magnet is near.
    #[must_use]
    pub fn pole_flux_mt(&self, gap_mm: f64) -> Vec<Option<f64>> {
        let solved = (&self.model, &self.solved);
        let reading = |pole| reading_t(&self.design, solved, pole, gap_mm * 1e-3).map(|t| t * 1e3);
        (0..self.design.poles.len()).map(reading).collect()
    }

    /// Flux density along the row of strings at `height_mm` (of the design's z axis) and y = `y_mm`, at the given places
    /// along x, mT: the three components.
    #[must_use]
    pub fn flux_along_row_mt(&self, xs_mm: &[f64], y_mm: f64, height_mm: f64) -> Vec<[f64; 3]> {
        let at =
            |x: &f64| self.solved.flux_density([x * 1e-3, y_mm * 1e-3, height_mm * 1e-3]).map(|b| b * 1e3);
        xs_mm.iter().map(at).collect()
    }

    /// The guide's plan of coil `coil` (from 0), and the lay that comes of it; `None` when there is no such coil.
    #[must_use]
    pub fn lay(&self, coil: usize) -> Option<(&GuidePlan, &Section)> {
        self.model.coils.get(coil).map(|coil| (&coil.plan, &*coil.section))
    }

    /// The equivalent circuit as a netlist for general circuit simulators, with the design's load.
    #[must_use]
    pub fn netlist(&self) -> String {
        let prediction = self.prediction(&Calibration::default());
        crate::circuit::netlist(&self.design.name, &prediction.circuit, Some(&self.design.load.circuit()))
    }

    /// Memory that it holds, bytes, to within a few per cent: for caches that are bounded by size.
    #[must_use]
    pub fn bytes(&self) -> usize {
        let turns: usize = self.model.coils.iter().map(|c| c.section.turns.len()).sum();
        self.solved.parts.bytes() + turns * std::mem::size_of::<crate::wind::LaidTurn>() + 65_536
    }
}

/// Predicts a pickup by the uncalibrated model.
///
/// ```
/// use coil::design::reference_coil;
/// use coil::prediction::predict;
/// let pickup = predict(&reference_coil()).unwrap().pickup;
/// // The reference coil is what outputs are told against.
/// assert!(pickup.relative_output_db.nominal.abs() < 0.05);
/// // A peak with a cable lies below the resonance of the pickup alone.
/// assert!(pickup.peak_hz.unwrap().nominal < pickup.resonance_unloaded_hz.nominal);
/// ```
///
/// # Errors
/// As [`Solution::compute`].
pub fn predict(design: &Design) -> Result<Prediction, Vec<Problem>> {
    predict_calibrated(design, &Calibration::default())
}

/// Predicts a pickup, corrected by what a workshop's own coils have shown.
///
/// # Errors
/// As [`Solution::compute`].
pub fn predict_calibrated(design: &Design, calibration: &Calibration) -> Result<Prediction, Vec<Problem>> {
    Ok(Solution::compute(design)?.prediction(calibration))
}

/// The guide's plan of coil `coil` (from 0), and the lay that comes of it, without solving the whole design; `None` when
/// there is no such coil or the design has problems.
///
/// ```
/// use coil::design::reference_coil;
/// use coil::prediction::lay_coil;
/// let (plan, section) = lay_coil(&reference_coil(), 0).unwrap();
/// assert_eq!(section.turns.len(), plan.path().len());
/// assert!(lay_coil(&reference_coil(), 7).is_none());
/// ```
#[must_use]
pub fn lay_coil(design: &Design, coil: usize) -> Option<(GuidePlan, Section)> {
    if !design.problems().is_empty() {
        return None;
    }
    let wound::Laid { plan, section, .. } = wound::Laid::new(design.coils.get(coil)?);
    Some((plan, section))
}

/// Flux density along z that a probe reads over a pole, `gap_m` above its face, T; `None` where no magnet is near.
fn reading_t(design: &Design, (model, solved): (&Model, &Solved), pole: usize, gap_m: f64) -> Option<f64> {
    if !model.parts.has_magnet() {
        return None;
    }
    let given = &design.poles[pole];
    let [x_m, y_m] = design.place_of_pole_mm(given).map(|mm| mm * 1e-3);
    // A hair above the face: the face itself belongs to neither side.
    let z_m = (given.bottom_mm + given.length_mm) * 1e-3 + gap_m.max(1e-7);
    Some(solved.flux_density([x_m, y_m, z_m])[2])
}

fn report(
    design: &Design,
    model: &Model,
    solved: &Solved,
    outcome: Outcome,
    notices: Vec<Notice>,
) -> Prediction {
    let nominal = &outcome.nominal;
    let network = nominal.network.clone();
    let load = design.load.circuit();
    let grid: Vec<f64> =
        (0..RESPONSE_POINTS).map(|i| 50.0 * 400f64.powf(i as f64 / (RESPONSE_POINTS - 1) as f64)).collect();
    let sources: Vec<crate::circuit::Source> = grid.iter().map(|hz| network.source(*hz)).collect();
    let rest = network.source(80.0);
    let level = |out: f64, at_rest: f64| 20.0 * (out / at_rest.max(1e-300)).log10();
    let unloaded_db = sources.iter().map(|s| level(s.open.norm(), rest.open.norm())).collect();
    let loaded_db = sources
        .iter()
        .zip(&grid)
        .map(|(s, hz)| level(load.output(*s, *hz).norm(), load.output(rest, 80.0).norm()))
        .collect();
    let whole = &solved.air_h + &solved.gain_h;
    let n = model.coils.len();
    let q = |pick: fn(&inputs::Figures) -> f64| outcome.quantity(pick);
    Prediction {
        format: "filamentum-prediction/1".into(),
        engine: crate::ENGINE.into(),
        coils: (0..n).map(|i| coil(design, model, &outcome, i)).collect(),
        pickup: PickupPrediction {
            resistance_20c_ohm: q(|f| f.resistance_20c_ohm),
            resistance_ohm: q(|f| f.resistance_ohm),
            inductance_h: q(|f| f.inductance_h),
            inductance_1khz_h: q(|f| f.inductance_1khz_h),
            capacitance_f: outcome.ratio(|f| f.capacitance_f),
            mutual: (0..n).map(|a| (0..n).map(|b| whole[(a, b)]).collect()).collect(),
            resonance_unloaded_hz: outcome.ratio(|f| f.resonance_hz),
            resonance_instrument_hz: None,
            peak_hz: outcome.nominal.peak.is_peak().then(|| outcome.ratio(|f| f.peak.peak_hz)),
            peak_db: q(|f| f.peak.peak_db),
            minus3db_hz: outcome.ratio(|f| f.peak.minus3db_hz),
            relative_output_db: q(|f| f.relative_output_db),
            output_mv: outcome.ratio(|f| f.output_mv),
            hum_rejection_db: solved.hum_rejection_db,
            meter: METER_HZ.iter().map(|hz| network.meter(*hz)).collect(),
        },
        poles: poles(design, model, solved),
        strings: (0..model.strings.len()).map(|i| string(design, model, solved, &outcome, i)).collect(),
        response: Response { hz: grid, unloaded_db, loaded_db },
        circuit: network,
        notices,
        contributions: outcome.contributions,
    }
}

fn string(design: &Design, model: &Model, solved: &Solved, outcome: &Outcome, i: usize) -> StringPrediction {
    let nominal = &outcome.nominal;
    let decibels = |ratio: f64| 20.0 * ratio.max(1e-4).log10();
    let number = u32::try_from(i + 1).unwrap_or(u32::MAX);
    let (signal, at) = (&solved.strings[i], &model.strings[i]);
    // The circuit without what eddy currents take from all strings together: each string's own stands in its place.
    let circuit = crate::circuit::Network { screening: Vec::new(), ..nominal.network.clone() };
    let rest = circuit.response(Some(&model.load), 80.0).norm();
    let partial = |(k, place): (usize, &f64)| {
        let n = k + 1;
        let hz = n as f64 * at.fundamental_hz;
        let circuit = circuit.response(Some(&model.load), hz) * screened(&signal.screening, hz);
        Partial {
            n: u32::try_from(n).unwrap_or(u32::MAX),
            hz,
            place_db: decibels(place.abs()),
            loaded_db: decibels(place.abs()) + decibels(circuit.norm() / rest),
        }
    };
    let mass = string_mass_kg_m(design.strings.outer_mm(number) * 1e-3, at.core_m);
    let (pull_n, by_m) = signal.pull;
    // A spring of −dF/dz at the pickup against the fundamental's modal mass μL/2 [Fletcher].
    let mode = (PI * model.from_bridge).sin().powi(2);
    let share = by_m * mode / (0.5 * mass * model.scale_m * (2.0 * PI * at.fundamental_hz).powi(2));
    StringPrediction {
        string: number,
        output_mv: outcome.ratio(|f| f.strings_mv[i]),
        relative_db: 20.0 * nominal.strings_ratio[i].max(1e-6).log10(),
        balance_db: 20.0 * (nominal.strings_mv[i].max(1e-9) / nominal.output_mv.max(1e-9)).log10(),
        partials: signal.places.iter().enumerate().map(partial).collect(),
        pull_mn: pull_n.abs() * 1e3,
        pull_cents: 600.0 * (1.0 - share).max(0.01).log2(),
    }
}

fn coil(design: &Design, model: &Model, outcome: &Outcome, i: usize) -> CoilPrediction {
    let (given, resolved) = (&design.coils[i], &model.coils[i]);
    let lay = outcome.nominal.coils[i].lay;
    let section = &resolved.section;
    // A measured packing thickens or thins the simulated lay evenly.
    let scale = lay.build_m / section.mean_build_m();
    let q = |pick: fn(&inputs::CoilFigures) -> f64| outcome.quantity(|f| pick(&f.coils[i]));
    CoilPrediction {
        name: given.name.clone(),
        turns: given.wind.turns,
        wire_length_m: q(|c| c.lay.wire_m),
        wire_mass_g: q(|c| c.wire_mass_g),
        mean_turn_mm: lay.mean_turn_m * 1e3,
        build_mm: lay.build_m * 1e3,
        build_max_mm: section.thickest_m() * 1e3 * scale,
        build_min_mm: section.thinnest_m() * 1e3 * scale,
        fill: lay.build_m * 1e3 / given.former.room_mm,
        packing: resolved.packing,
        resistance_20c_ohm: q(|c| c.resistance_20c_ohm),
        inductance_air_h: q(|c| c.inductance_air_h),
        inductance_h: q(|c| c.inductance_h),
        capacitance_f: outcome.ratio(|f| f.coils[i].capacitance_f),
        jumped_turns: section.jumped,
        neighbours: resolved.bonds.neighbours,
        minutes: section.minutes(USUAL_RPM),
    }
}

fn poles(design: &Design, model: &Model, solved: &Solved) -> Vec<PolePrediction> {
    let banded = |tesla: f64| {
        let mt = tesla.abs() * 1e3;
        Quantity { nominal: mt, p05: mt * (1.0 - FLUX_SPREAD), p95: mt * (1.0 + FLUX_SPREAD) }
    };
    let mut found = Vec::new();
    for (i, pole) in design.poles.iter().enumerate() {
        let Some(string) = pole.string else { continue };
        let gap_m = design.strings.core_and_gap_mm(string).1 * 1e-3;
        let (Some(face), Some(at_string)) =
            (reading_t(design, (model, solved), i, 0.0), reading_t(design, (model, solved), i, gap_m))
        else {
            continue;
        };
        found.push(PolePrediction {
            string,
            face_mt: banded(face),
            string_mt: banded(at_string),
            up: if face >= 0.0 { Polarity::North } else { Polarity::South },
        });
    }
    found
}
