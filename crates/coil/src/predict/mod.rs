//! From a design to its prediction, with bands, notices and contributions.

mod bands;
mod model;
mod notices;
mod output;
mod report;

pub use report::{
    CoilPrediction, Contribution, Level, Notice, PickupPrediction, PolePrediction, Prediction, Quantity,
    Response, StringPrediction,
};

use crate::design::{Design, Problem};
use crate::magnet::Held;
use bands::Outcome;
use model::Model;

/// Points of the response, on a log scale from 50 Hz to 20 kHz.
const RESPONSE_POINTS: usize = 121;

/// Predicts a pickup.
///
/// This version computes coils of the tall single kind; parts that it does not compute yet are named in
/// notices with the code `not-predicted-yet`.
///
/// # Errors
/// Every reason why the design cannot be predicted, by its place, all at once.
pub fn predict(design: &Design) -> Result<Prediction, Vec<Problem>> {
    let problems = design.problems();
    if !problems.is_empty() {
        return Err(problems);
    }
    let model = Model::of(design)?;
    let held = Held::solve(&model.rods);
    let outcome = bands::evaluate(&model, &held);
    let notices = notices::of(design, &model, &outcome.nominal);
    Ok(report(design, &model, &held, outcome, notices))
}

/// Flux density that a probe should read over every pole, `gap_mm` above its face, mT, in the order of
/// the design's poles; north up is positive. `None` for a pole that is no magnet.
///
/// # Errors
/// As [`predict`].
pub fn pole_flux_mt(design: &Design, gap_mm: f64) -> Result<Vec<Option<f64>>, Vec<Problem>> {
    let problems = design.problems();
    if !problems.is_empty() {
        return Err(problems);
    }
    let model = Model::of(design)?;
    let held = Held::solve(&model.rods);
    Ok(model
        .rods
        .iter()
        .enumerate()
        .map(|(i, rod)| rod.curve.map(|_| held.above(i, gap_mm * 1e-3) * 1e3))
        .collect())
}

fn report(design: &Design, model: &Model, held: &Held, outcome: Outcome, notices: Vec<Notice>) -> Prediction {
    let coil = &design.coils[0];
    let nominal = &outcome.nominal;
    let q = |pick: fn(&model::Figures) -> f64| outcome.quantity(pick);
    let circuit = nominal.circuit();
    let load = model::load(design);
    let grid: Vec<f64> =
        (0..RESPONSE_POINTS).map(|i| 50.0 * 400f64.powf(i as f64 / (RESPONSE_POINTS - 1) as f64)).collect();
    let curve = |load| grid.iter().map(|hz| circuit.response_db(load, *hz)).collect();
    let (unloaded_db, loaded_db) = (curve(None), curve(Some(&load)));
    let wire_length = q(|f| f.lay.wire_m);
    Prediction {
        format: "filamentum-prediction/1".into(),
        engine: crate::ENGINE.into(),
        coils: vec![CoilPrediction {
            name: coil.name.clone(),
            turns: coil.wind.turns,
            wire_length_m: wire_length,
            wire_mass_g: q(|f| f.wire_mass_g),
            mean_turn_mm: nominal.lay.mean_turn_m * 1e3,
            build_mm: nominal.lay.build_m * 1e3,
            build_max_mm: nominal.lay.build_m * 1e3 * model.unevenness(),
            fill: nominal.lay.build_m * 1e3 / coil.former.room_mm,
            packing: model.packing,
            resistance_20c_ohm: q(|f| f.resistance_20c_ohm),
            inductance_air_h: q(|f| f.inductance_air_h),
            inductance_h: q(|f| f.inductance_h),
            capacitance_f: q(|f| f.capacitance_f),
        }],
        pickup: PickupPrediction {
            resistance_20c_ohm: q(|f| f.resistance_20c_ohm),
            resistance_ohm: q(|f| f.resistance_ohm),
            inductance_h: q(|f| f.inductance_h),
            capacitance_f: q(|f| f.capacitance_f),
            mutual: vec![vec![nominal.inductance_h]],
            resonance_unloaded_hz: q(|f| f.resonance_hz),
            peak_hz: q(|f| f.peak.peak_hz),
            peak_db: q(|f| f.peak.peak_db),
            minus3db_hz: q(|f| f.peak.minus3db_hz),
            relative_output_db: q(|f| f.relative_output_db),
            hum_rejection_db: None,
        },
        poles: poles(design, model, held),
        strings: outcome
            .per_string_db
            .iter()
            .zip(1..)
            .map(|(db, string)| StringPrediction { string, relative_db: *db })
            .collect(),
        response: Response { hz: grid, unloaded_db, loaded_db },
        notices,
        contributions: outcome.contributions,
    }
}

fn poles(design: &Design, model: &Model, held: &Held) -> Vec<PolePrediction> {
    // The curve itself is known to about 10 % (see Held); half of it again for charge and history.
    const SPREAD: f64 = 0.12;
    let banded = |tesla: f64| {
        let mt = tesla.abs() * 1e3;
        Quantity { nominal: mt, p05: mt * (1.0 - SPREAD), p95: mt * (1.0 + SPREAD) }
    };
    let predicted = |(i, pole): (usize, &crate::design::Pole)| {
        let string = pole.string?;
        model.rods.get(i)?.curve?;
        let gap_m = design.strings.core_and_gap_mm(string).1 * 1e-3;
        Some(PolePrediction {
            string,
            face_mt: banded(held.above(i, 0.0)),
            string_mt: banded(held.above(i, gap_m)),
            up: pole.up,
        })
    };
    design.poles.iter().enumerate().filter_map(predicted).collect()
}
