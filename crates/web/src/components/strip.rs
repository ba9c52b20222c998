//! The readout strip.

use coil::design::{Coil, Design};
use coil::prediction::{Calibration, CoilPrediction, ContributionSource, PredictionSummary, Quantity};
use coil::quantity::{Units, significant};
use presentation::drawing::band;
use presentation::figures::{Figure, is_heard};
use presentation::format::{METRE, signed, signed_db, signed_percent, signed_percent_of_ln};
use presentation::sheet::PlaceNames;
use store::calibration::CalibrationPolicy;
use store::logbook::Deviations;
use workshop::{AppliedCalibration, MeasuredCoils};

/// A cell of the strip.
pub(crate) struct Cell {
    /// A stable name.
    pub key: &'static str,
    /// Label.
    pub label: &'static str,
    /// The number.
    pub value: String,
    /// Its unit.
    pub unit: String,
    /// The band in words.
    pub band: String,
    /// The band drawn; empty where there is none.
    pub drawing: String,
    /// Change since the parent revision; empty without.
    pub change: String,
    /// Whether it is on target: "", "in" or "out".
    pub on_target: &'static str,
    /// The sheet's field where its target is set; empty for figures without one.
    pub target: String,
    /// Measured value, with unit; empty without.
    pub measured: String,
    /// What the analyser shows of it; empty without.
    pub seen: String,
    /// What the analyser is called.
    pub seen_by: String,
    /// Why it is what it is.
    pub why: Why,
}

/// Why a figure is what it is.
#[derive(Clone, Debug, Default)]
pub(crate) struct Why {
    /// How it is computed, and from which sources.
    pub model: &'static str,
    /// What its band comes from: input and share, %, largest first.
    pub from: Vec<(String, u32)>,
    /// What the coils wound so far say.
    pub measured_coils: String,
    /// What the prediction is calibrated with.
    pub calibration: String,
}

/// How each figure of the strip is computed.
const fn model_of(key: &str) -> &'static str {
    match key.as_bytes() {
        b"resistance" | b"resistance_room" => {
            "Every turn is laid and its length added up; times the wire's ohms per metre, stretched by the tension. \
             Diameters: ASTM B258 and NEMA MW 1000; copper: IEC 60028."
        }
        b"wire" => "Every turn is laid along its own outline, and the lengths are added up.",
        b"inductance" => {
            "Neumann's integral over the coil as laid (Grover); what poles, bars and plates add by the method of moments \
             with their magnetisation and side charges. Good to about 1 % in air, 4 % with steel."
        }
        b"capacitance" => {
            "Energy between turns that lie side by side in the simulated lay (after Massarini and Kazimierczuk) with what \
             fills the gaps; leads, and what is tied to ground. How the wire lies decides, so the band is wide."
        }
        b"resonance" => {
            "Inductance and capacitance of the pickup with its leads: 1 / (2π√(LC)). An instrument adds its own input."
        }
        b"peak" => {
            "The circuit of coils, eddy currents, pots, capacitor, cable and input, solved at each frequency; the highest \
             point of what comes out."
        }
        b"output" => {
            "By reciprocity: how much of each string's magnetisation the coil links, and how that changes as the string \
             moves; relative to the reference coil, the standard tall single with 7,500 turns of 42 AWG."
        }
        b"fill" => "The build of the lay over the room between core and flange edge.",
        _ => "",
    }
}

/// An input of the prediction in the sheet's words.
fn input_words(source: ContributionSource<'_>, names: &PlaceNames) -> String {
    let input = match source {
        ContributionSource::Runs(of) => {
            return format!(
                "what this workshop's runs leave open of the {of} (readings of more coils narrow it)"
            );
        }
        ContributionSource::Model(model) => {
            return format!("the model of the {model} itself (measured runs narrow it)");
        }
        ContributionSource::Place(at) => at,
    };
    let at = input.replace("[*]", "[0]");
    let said = names.words(&at);
    if said != at {
        // What is said of the first of many is meant of all.
        let all = input.contains("[*]") && at.starts_with("poles");
        return match said.split_once(", ") {
            Some((_, what)) if all => format!("the poles' {what}"),
            _ => said.into_owned(),
        };
    }
    match at.rsplit('.').next().unwrap_or_default() {
        "ohm_per_m" => "the wire's ohms per metre".into(),
        "overall" => "the wire's overall diameter".into(),
        "packing" => "the packing".into(),
        "core" => "the core's size".into(),
        "material" => "the alloy".into(),
        "leads" => "the leads' capacitance".into(),
        "grounded" => "distances to what is grounded".into(),
        other => other.replace('_', " "),
    }
}

fn why(
    key: &'static str,
    (figures, names): (&PredictionSummary, &PlaceNames),
    context: &CellContext<'_>,
) -> Why {
    let of = Figure::from_key(key).map_or("", Figure::quantity);
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a share, 0 to 100")]
    let from = figures
        .contributions
        .iter()
        .filter(|c| c.to == of && c.share >= 0.01)
        .take(5)
        .map(|c| (input_words(c.source(), names), (c.share * 100.0).round() as u32))
        .collect();
    let measured = match key {
        "resistance" => Some(context.coils.resistance),
        "inductance" => Some(context.coils.inductance),
        _ => None,
    };
    let measured_coils = match measured {
        Some(Some(deviations)) => deviation_words(&deviations),
        Some(None) => "No coil of this design has been measured yet.".into(),
        None => String::new(),
    };
    Why { model: model_of(key), from, measured_coils, calibration: calibration_words(key, context) }
}

/// How measured coils deviate from their predictions.
fn deviation_words(of: &Deviations) -> String {
    let percent = |v: f64| signed_percent(v, 1);
    if of.count == 1 {
        return format!("One coil of this design was measured; it deviates by {}.", percent(of.mean));
    }
    format!(
        "{} coils of this design were measured; they deviate by {} on average, from {} to {}.",
        of.count,
        percent(of.mean),
        percent(of.lowest),
        percent(of.highest)
    )
}

/// What a figure's prediction is calibrated with; empty for figures that runs do not move.
fn calibration_words(key: &str, context: &CellContext<'_>) -> String {
    let Some((applied, calibration)) = context.calibration else { return String::new() };
    let correction = match key {
        "resistance" | "resistance_room" => calibration.resistance,
        "inductance" | "resonance" | "peak" => calibration.inductance,
        "capacitance" => calibration.capacitance,
        _ => return String::new(),
    };
    match (correction, applied.version) {
        (Some(c), Some((_, number))) => {
            let what = if matches!(key, "resonance" | "peak") {
                "Its inductance is calibrated"
            } else {
                "Calibrated"
            };
            let frozen = if matches!(applied.policy, CalibrationPolicy::Frozen(_)) {
                ", frozen for this design"
            } else {
                ""
            };
            format!(
                "{what} with {} runs of this workshop (version {number}{frozen}): {} against the uncalibrated model.",
                c.runs,
                signed_percent_of_ln(c.shift, 1)
            )
        }
        _ if !applied.enabled => "Uncalibrated: calibration is switched off.".into(),
        _ if applied.policy == CalibrationPolicy::Off => {
            "Uncalibrated: calibration is switched off for this design.".into()
        }
        _ => "Uncalibrated: too few runs were measured.".into(),
    }
}

/// What stands beside a prediction in its strip.
#[derive(Clone, Copy, Default)]
pub(crate) struct CellContext<'a> {
    /// The workshop's units.
    pub units: Units,
    /// The prediction that it is compared with.
    pub before: Option<&'a PredictionSummary>,
    /// What was measured, SI.
    pub measured: &'a [(Figure, f64)],
    /// What the coils wound so far say.
    pub coils: MeasuredCoils,
    /// What it is calibrated with.
    pub calibration: Option<(&'a AppliedCalibration, Calibration)>,
    /// The workshop's analyser, and the unloaded resonance that it shows, Hz.
    pub analyser: Option<(&'a str, Quantity)>,
}

/// The figures of the strip, in its order; fill and wire come after them.
const STRIP: [Figure; 7] = [
    Figure::Resistance,
    Figure::RoomResistance,
    Figure::Inductance,
    Figure::Capacitance,
    Figure::Resonance,
    Figure::Peak,
    Figure::RelativeOutput,
];

fn target_field(figure: Figure) -> String {
    figure.target_key().map_or_else(String::new, |key| format!("aims.{key}[0]"))
}

/// Most coils whose figures fit into a cell one by one.
const MOST_NAMED_COILS: usize = 3;

fn cell(
    figure: Figure,
    design: &Design,
    (figures, names): (&PredictionSummary, &PlaceNames),
    context: &CellContext<'_>,
) -> Cell {
    let scale = figure.scale();
    let old = context.before.and_then(|b| figure.find_in(&b.pickup));
    let on_target = figure.target(&design.targets);
    let measured = context.measured.iter().find(|(f, _)| *f == figure).map(|(_, v)| *v);
    let is_level = figure == Figure::RelativeOutput;
    let Some(q) = figure.find_in(&figures.pickup) else {
        return Cell {
            key: figure.key(),
            label: figure.label(),
            value: "none".into(),
            unit: String::new(),
            band: if is_heard(&figures.pickup) { "it only falls" } else { "no signal" }.into(),
            drawing: String::new(),
            change: String::new(),
            on_target: if on_target.is_some() { "out" } else { "" },
            target: target_field(figure),
            measured: measured.map_or_else(String::new, |v| scale.text(v)),
            seen: String::new(),
            seen_by: String::new(),
            why: why(figure.key(), (figures, names), context),
        };
    };
    Cell {
        key: figure.key(),
        label: figure.label(),
        value: if is_level { signed(q.nominal, 1) } else { scale.number(q.nominal) },
        unit: scale.unit.into(),
        band: if is_level { format!("{} – {}", signed(q.p05, 1), signed(q.p95, 1)) } else { scale.band(q) },
        drawing: band(q, on_target, measured),
        change: old.map_or_else(String::new, |o| {
            if is_level { level_change(q.nominal - o.nominal) } else { change(q.nominal / o.nominal - 1.0) }
        }),
        on_target: match figure.is_on_target(q.nominal, &design.targets) {
            None => "",
            Some(true) => "in",
            Some(false) => "out",
        },
        target: target_field(figure),
        measured: measured.map_or_else(String::new, |v| scale.text(v)),
        seen: match context.analyser {
            Some((_, q)) if figure == Figure::Resonance => scale.text(q.nominal),
            _ => String::new(),
        },
        seen_by: context.analyser.map_or_else(String::new, |(name, _)| name.to_owned()),
        why: why(figure.key(), (figures, names), context),
    }
}

/// The strip of a prediction.
pub(crate) fn cells(design: &Design, figures: &PredictionSummary, context: &CellContext<'_>) -> Vec<Cell> {
    let names = PlaceNames::from_design(design);
    let mut all: Vec<Cell> = STRIP.iter().map(|f| cell(*f, design, (figures, &names), context)).collect();
    if !figures.coils.is_empty() {
        let plain =
            |key, label, value: String, unit: &str, band: String, drawing: String, by: Option<f64>| Cell {
                key,
                label,
                value,
                unit: unit.into(),
                band,
                drawing,
                change: by.map_or_else(String::new, change),
                on_target: "",
                target: String::new(),
                measured: String::new(),
                seen: String::new(),
                seen_by: String::new(),
                why: why(key, (figures, &names), context),
            };
        // The fullest coil is the one to watch; the wire is that of the whole pickup.
        let fullest = figures
            .coils
            .iter()
            .enumerate()
            .max_by(|a, b| a.1.fill.total_cmp(&b.1.fill))
            .map_or(0, |(i, _)| i);
        let coil = &figures.coils[fullest];
        let of_all = |text: &dyn Fn(&CoilPrediction) -> String| {
            let each = |(c, figures): (&Coil, &CoilPrediction)| format!("{} {}", c.name, text(figures));
            let all: Vec<String> = design.coils.iter().zip(&figures.coils).map(each).collect();
            (2..=MOST_NAMED_COILS).contains(&all.len()).then(|| all.join(" · "))
        };
        let percent = |c: &CoilPrediction| significant(c.fill * 100.0, 2);
        let build = format!("build {}", context.units.length(coil.build_mm, 2));
        let by = context.before.and_then(|b| b.coils.get(fullest)).map(|o| coil.fill / o.fill - 1.0);
        all.push(Cell {
            on_target: if coil.fill > 1.0 { "out" } else { "" },
            ..plain(
                "fill",
                if figures.coils.len() > 1 { "Fill, fullest coil" } else { "Fill" },
                percent(coil),
                "%",
                of_all(&percent).unwrap_or(build),
                String::new(),
                by,
            )
        });
        let wire = total_wire(figures);
        let by = context.before.map(|b| wire.nominal / total_wire(b).nominal - 1.0);
        let metres = |c: &CoilPrediction| METRE.number(c.wire_length_m.nominal);
        all.push(plain(
            "wire",
            if figures.coils.len() > 1 { "Wire, all coils" } else { "Wire" },
            METRE.number(wire.nominal),
            METRE.unit,
            of_all(&metres).unwrap_or_else(|| METRE.band(&wire)),
            band(&wire, None, None),
            by,
        ));
    }
    all
}

/// The wire of all coils. What is uncertain of one is of the others alike: their bands add.
fn total_wire(figures: &PredictionSummary) -> Quantity {
    let sum = |of: fn(&Quantity) -> f64| figures.coils.iter().map(|c| of(&c.wire_length_m)).sum();
    Quantity { nominal: sum(|q| q.nominal), p05: sum(|q| q.p05), p95: sum(|q| q.p95) }
}

fn change(ratio: f64) -> String {
    if ratio.abs() < 5e-4 { "=".into() } else { signed_percent(ratio, 1) }
}

fn level_change(db: f64) -> String {
    if db.abs() < 0.05 { "=".into() } else { signed_db(db, 1) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::prediction::predict;

    /// Where the response only falls there is no peak to tell, and no frequency is made up for it.
    #[test]
    fn a_response_that_only_falls_has_no_peak() {
        let mut design = tall_single("Sedge", 6, 10.4);
        design.load.volume_kohm = 30.0;
        let figures = predict(&design).unwrap().summary();
        let cells = cells(&design, &figures, &CellContext::default());
        let peak = cells.iter().find(|c| c.key == "peak").unwrap();
        assert!(peak.drawing.is_empty() && !peak.value.contains(char::is_numeric), "{}", peak.value);
        assert!(figures.contributions.iter().all(|c| c.to != "peak_hz"), "nothing moves what is not there");
    }

    #[test]
    fn every_figure_says_why() {
        let design = tall_single("Sedge", 6, 10.4);
        let figures = predict(&design).unwrap().summary();
        let deviations = Deviations { count: 3, mean: 0.01, lowest: -0.02, highest: 0.04 };
        let coils = MeasuredCoils { resistance: Some(deviations), inductance: None };
        let all = cells(&design, &figures, &CellContext { coils, ..CellContext::default() });
        assert_eq!(all.len(), 9);
        for cell in &all {
            assert!(!cell.why.model.is_empty(), "{}", cell.key);
            assert!(Figure::from_key(cell.key).is_none() || !cell.why.from.is_empty(), "{}", cell.key);
            assert!(cell.why.from.windows(2).all(|p| p[0].1 >= p[1].1), "ranked: {:?}", cell.why.from);
        }
        assert!(all[0].why.measured_coils.contains('3') && all[0].why.measured_coils.contains("+1.0 %"));
    }
}
