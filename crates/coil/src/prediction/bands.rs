//! Bands: by linear sensitivities, every input moved by one standard deviation up and down, and by Monte Carlo sampling.

use super::calibration::{Calibration, Settled};
use super::inputs::{Figures, Inputs, capacitance_sd, figures};
use super::model::Model;
use super::report::{Contribution, OF_MODEL, OF_RUNS, Quantity};
use super::solve::Solved;
use rand::{RngExt as _, SeedableRng as _};
use rand_distr::{Distribution as _, StandardNormal};
use rand_pcg::Pcg64Mcg;

/// Standard deviations from the middle to the 5 % and 95 % points of a normal spread.
pub(super) const NINETY: f64 = 1.645;

/// How an input spreads about its nominal.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Shape {
    Normal,
    /// Anything within a range is as likely as anything else.
    Uniform,
}

/// An input that is not known exactly.
struct Spread {
    /// Its place in the document, or what model it belongs to.
    input: String,
    shape: Shape,
    /// Moves the inputs by this many standard deviations.
    apply: Move,
}

/// Moves inputs by so many standard deviations.
type Move = Box<dyn Fn(&mut Inputs, f64) + Send + Sync>;

/// The nominal figures and how each input moves them.
pub(super) struct Outcome {
    pub nominal: Figures,
    /// The figures with each input moved up and down.
    moved: Vec<(String, [Figures; 2])>,
    pub contributions: Vec<Contribution>,
}

/// A quantity's key in the prediction, and where it stands among the figures.
type Explained = (&'static str, fn(&Figures) -> f64);

/// The quantities whose bands are broken down.
pub(super) const EXPLAINED: [Explained; 9] = [
    ("resistance_20c_ohm", |f| f.resistance_20c_ohm),
    ("resistance_ohm", |f| f.resistance_ohm),
    ("inductance_h", |f| f.inductance_h),
    ("capacitance_f", |f| f.capacitance_f),
    ("resonance_unloaded_hz", |f| f.resonance_hz),
    ("peak_hz", |f| f.peak.peak_hz),
    ("peak_db", |f| f.peak.peak_db),
    ("output_mv", |f| f.output_mv),
    ("relative_output_db", |f| f.relative_output_db),
];

/// Everything that spreads: caliper 0.05 mm, counter 0.1 %, room ±1 K, permeability from tables ±10 %, poles 0.015 mm
/// in radius, string height ±0.1 mm, magnets ±5 %; the models' own errors as found in validation: inductance 1 %,
/// capacitance a fifth for a straight and three tenths for a scattered lay, output 1 dB.
fn spreads(model: &Model) -> Vec<Spread> {
    let mut all = Vec::new();
    let mut add = |input: String, shape: Shape, apply: Move| {
        all.push(Spread { input, shape, apply });
    };
    let one_wire = model.coils.len() > 1 && model.coils.windows(2).all(|c| c[0].wire == c[1].wire);
    for (i, coil) in model.coils.iter().enumerate() {
        let (ohm_sd, overall_sd, packing_sd) = (coil.wire.ohm_sd, coil.wire.overall_sd, coil.packing_sd);
        if i == 0 || !one_wire {
            // One spool for all coils: its error is in all of them at once.
            let place = if one_wire { "coils[*]".to_owned() } else { format!("coils[{i}]") };
            let range = if one_wire { 0..model.coils.len() } else { i..i + 1 };
            let other = range.clone();
            add(
                format!("{place}.wire.ohm_per_m"),
                Shape::Uniform,
                Box::new(move |m, s| range.clone().for_each(|k| m.coils[k].ohm += s * ohm_sd)),
            );
            add(
                format!("{place}.wire.overall"),
                Shape::Uniform,
                Box::new(move |m, s| other.clone().for_each(|k| m.coils[k].overall += s * overall_sd)),
            );
        }
        add(
            format!("coils[{i}].wind.packing"),
            Shape::Normal,
            Box::new(move |m, s| m.coils[i].packing -= s * packing_sd),
        );
        add(
            format!("coils[{i}].wind.turns"),
            Shape::Normal,
            Box::new(move |m, s| m.coils[i].turns += s * 0.001),
        );
        add(
            format!("coils[{i}].former.height_mm"),
            Shape::Normal,
            Box::new(move |m, s| m.coils[i].height_m += s * 0.05e-3),
        );
        add(
            format!("coils[{i}].former.core"),
            Shape::Normal,
            Box::new(move |m, s| m.coils[i].core_m += s * 0.025e-3),
        );
    }
    add("room_c".into(), Shape::Normal, Box::new(|m, s| m.room_k += s));
    if !model.parts.bodies.is_empty() {
        add("poles[*].material".into(), Shape::Normal, Box::new(|m, s| m.susceptibility += s));
        let radius = model.parts.bodies.iter().filter_map(|(_, b)| match b {
            crate::magnet::Body::Rod(rod) => Some(rod.radius_m),
            crate::magnet::Body::Block(_) => None,
        });
        let smallest = radius.fold(f64::INFINITY, f64::min).min(5e-3);
        add(
            "poles[*].diameter_mm".into(),
            Shape::Normal,
            Box::new(move |m, s| m.radius += s * 0.015e-3 / smallest),
        );
        add("poles[*].charge".into(), Shape::Normal, Box::new(|m, s| m.magnet += s * 0.05));
    }
    add("strings.each[*].gap_mm".into(), Shape::Normal, Box::new(|m, s| m.gap_m -= s * 0.1e-3));
    if model.leads_f > 0.0 {
        let sd = model.leads_sd;
        add("leads".into(), Shape::Normal, Box::new(move |m, s| m.leads += s * sd));
    }
    if model.facing.iter().any(|f| *f != super::ground::Facing::default()) {
        // Distances of tenths of a millimetre, that nobody measures.
        add("wiring.grounded".into(), Shape::Normal, Box::new(|m, s| m.ground += s * 0.3));
    }
    add(format!("{OF_MODEL}inductance"), Shape::Normal, Box::new(|m, s| m.inductance_model += s * 0.01));
    let sd = capacitance_sd(model.coils[model.joined[0]].pattern);
    add(
        format!("{OF_MODEL}self-capacitance"),
        Shape::Normal,
        Box::new(move |m, s| m.capacitance_model += s * sd),
    );
    add(format!("{OF_MODEL}output"), Shape::Normal, Box::new(|m, s| m.output_model += s * 0.122));
    all
}

/// What the workshop's runs leave open, in place of what they have shown.
fn learned_spreads(calibration: &Calibration) -> Vec<Spread> {
    let mut all = Vec::new();
    let mut add = |of: &str, apply: Move| {
        all.push(Spread { input: format!("{OF_RUNS}{of}"), shape: Shape::Normal, apply });
    };
    if let Some(learned) = calibration.resistance {
        let apply = move |m: &mut Inputs, s: f64| {
            m.coils.iter_mut().for_each(|c| c.ohm = (1.0 + c.ohm) * (s * learned.sd).exp() - 1.0);
        };
        add("resistance", Box::new(apply));
    }
    if let Some(learned) = calibration.inductance {
        let apply = move |m: &mut Inputs, s: f64| {
            m.inductance_model = (1.0 + m.inductance_model) * (s * learned.sd).exp() - 1.0;
        };
        add("inductance", Box::new(apply));
    }
    if let Some(learned) = calibration.capacitance {
        add("capacitance", Box::new(move |m, s| m.capacitance_model += s * learned.sd));
    }
    all
}

/// Evaluates the model and its sensitivities, leaning on what the workshop's runs have shown.
pub(super) fn evaluate(model: &Model, solved: &Solved, calibration: &Calibration) -> Outcome {
    let settled = Settled::compute(model, solved, calibration);
    let base = &settled.inputs;
    let nominal = figures(model, solved, base, None);
    let moved_by = |spread: &Spread, deviations: f64, held: bool| {
        let mut inputs = base.clone();
        (spread.apply)(&mut inputs, deviations);
        if held {
            settled.hold(model, solved, &mut inputs);
        }
        figures(model, solved, &inputs, Some(nominal.peak))
    };
    let mut moved: Vec<(String, [Figures; 2])> = Vec::new();
    for (spreads, held) in [(spreads(model), settled.holds()), (learned_spreads(calibration), false)] {
        for spread in spreads {
            let both = [moved_by(&spread, 1.0, held), moved_by(&spread, -1.0, held)];
            moved.push((spread.input, both));
        }
    }
    let mut contributions = Vec::new();
    // Where the response only falls there is no peak that anything could move.
    let has_peak = nominal.peak.is_peak();
    for (to, pick) in EXPLAINED.into_iter().filter(|(to, _)| has_peak || *to != "peak_hz") {
        let squares: Vec<(&str, f64)> = moved
            .iter()
            .map(|(input, [up, down])| (input.as_str(), 0.25 * (pick(up) - pick(down)).powi(2)))
            .collect();
        let all: f64 = squares.iter().map(|(_, s)| s).sum();
        let mut ranked: Vec<Contribution> = squares
            .into_iter()
            .map(|(input, s)| Contribution {
                input: input.into(),
                to: to.into(),
                share: s / all.max(f64::MIN_POSITIVE),
            })
            .filter(|c| c.share >= 0.01)
            .collect();
        ranked.sort_by(|a, b| b.share.total_cmp(&a.share));
        contributions.extend(ranked);
    }
    Outcome { nominal, moved, contributions }
}

impl Outcome {
    /// A figure with its band: what lies above and what below the nominal each add up by squares.
    pub(super) fn quantity(&self, pick: impl Fn(&Figures) -> f64) -> Quantity {
        let nominal = pick(&self.nominal);
        let (above, below) = self.sides(|f| pick(f) - nominal);
        Quantity { nominal, p05: nominal - NINETY * below, p95: nominal + NINETY * above }
    }

    /// As [`Self::quantity`] for what is above nothing and spreads by ratios: the band in the logarithm.
    pub(super) fn ratio(&self, pick: impl Fn(&Figures) -> f64) -> Quantity {
        let nominal = pick(&self.nominal);
        if nominal <= 0.0 {
            return Quantity { nominal, p05: nominal, p95: nominal };
        }
        let (above, below) = self.sides(|f| (pick(f) / nominal).max(1e-9).ln());
        Quantity { nominal, p05: nominal * (-NINETY * below).exp(), p95: nominal * (NINETY * above).exp() }
    }

    /// The figures with each input moved one standard deviation up and down.
    pub(super) fn moved(&self) -> impl Iterator<Item = (&str, &[Figures; 2])> {
        self.moved.iter().map(|(input, both)| (input.as_str(), both))
    }

    /// Standard deviations above and below.
    fn sides(&self, deviation: impl Fn(&Figures) -> f64) -> (f64, f64) {
        let (mut above, mut below) = (0.0, 0.0);
        for (_, [up, down]) in &self.moved {
            let (a, b) = (deviation(up), deviation(down));
            above += a.max(b).max(0.0).powi(2);
            below += a.min(b).min(0.0).powi(2);
        }
        (above.sqrt(), below.sqrt())
    }
}

/// Every explained quantity over `samples` coils drawn at random from the same spreads.
pub(super) fn monte_carlo(
    model: &Model,
    solved: &Solved,
    samples: usize,
    seed: u64,
) -> Vec<(&'static str, Quantity)> {
    let base = Inputs::nominal(model);
    let nominal = figures(model, solved, &base, None);
    let spreads = spreads(model);
    let mut rng = Pcg64Mcg::seed_from_u64(seed);
    let mut drawn: Vec<Vec<f64>> = vec![Vec::with_capacity(samples); EXPLAINED.len()];
    for _ in 0..samples {
        let mut inputs = base.clone();
        for spread in &spreads {
            let deviation = match spread.shape {
                Shape::Normal => StandardNormal.sample(&mut rng),
                // A uniform spread of standard deviation 1 reaches √3 to either side.
                Shape::Uniform => 3f64.sqrt() * (2.0 * rng.random::<f64>() - 1.0),
            };
            (spread.apply)(&mut inputs, deviation);
        }
        let found = figures(model, solved, &inputs, Some(nominal.peak));
        for ((_, pick), list) in EXPLAINED.iter().zip(&mut drawn) {
            list.push(pick(&found));
        }
    }
    EXPLAINED
        .iter()
        .zip(drawn)
        .map(|((key, pick), mut list)| {
            list.sort_by(f64::total_cmp);
            let at = |share: f64| {
                #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "an index")]
                let place = (share * (list.len().max(1) - 1) as f64).round() as usize;
                list.get(place).copied().unwrap_or_else(|| pick(&nominal))
            };
            (*key, Quantity { nominal: pick(&nominal), p05: at(0.05), p95: at(0.95) })
        })
        .collect()
}
