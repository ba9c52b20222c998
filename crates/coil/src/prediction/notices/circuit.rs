//! How the coils go together, and what was aimed for.

use super::case::{Case, Gather};
use crate::design::target_ends;
use crate::prediction::report::Level;
use crate::prediction::solve::divides;

pub(super) fn notices(case: Case<'_>, gather: &mut Gather) {
    joins(case, gather);
    surroundings(case, gather);
    pairs(case, gather);
    tone(case, gather);
    targets(case, gather);
}

fn joins(case: Case<'_>, gather: &mut Gather) {
    if case.design.coils.len() > 1 && case.design.wiring.join == "single" {
        gather.report(
            Level::Warn,
            "join-not-said",
            "wiring.join",
            format!(
                "{} coils, and the design does not say how they are joined: taken in series.",
                case.design.coils.len()
            ),
            "Write series, parallel, sections, or split:NAME for one of them.",
        );
    }
}

/// What a document does not say of potting and leads is assumed, and counts for a good share of the capacitance.
fn surroundings(case: Case<'_>, gather: &mut Gather) {
    let design = case.design;
    if design.leads.is_some() && design.potting.is_some() {
        return;
    }
    let (leads, potting) = (design.leads(), design.potting());
    let potted = if potting.medium == crate::design::Medium::None { "not potted" } else { "potted as said" };
    gather.report(
        Level::Note,
        "surroundings-assumed",
        if design.leads.is_none() { "leads" } else { "potting" },
        format!(
            "Not all is said of what surrounds the coil: taken as {potted}, with leads of {:.0} pF.",
            leads.capacitance_f() * 1e12
        ),
        "Choose potting and leads: they move the unloaded resonance most.",
    );
}

fn pairs(case: Case<'_>, gather: &mut Gather) {
    let coils = &case.model.joined;
    if coils.len() < 2 {
        return;
    }
    let signals: Vec<f64> = case.figures.network.coils.iter().map(|c| c.signal).collect();
    let largest = signals.iter().fold(0.0_f64, |m, s| m.max(s.abs()));
    let opposed = signals.iter().any(|s| *s > 0.3 * largest) && signals.iter().any(|s| *s < -0.3 * largest);
    // The lower coil of a stack is there for the hum alone.
    if opposed && case.design.kind != crate::design::Format::StackedTwin {
        gather.report(
            Level::Warn,
            "out-of-phase",
            "wiring.sense",
            "The coils' signals run against each other: what is left sounds thin and weak.".into(),
            "Swap start and finish of one coil, or turn its magnets over.",
        );
    }
    if let Some(db) = case.solved.hum_rejection_db
        && db < 6.0
        && case.design.wiring.join != "sections"
        && case.design.kind != crate::design::Format::Concentric
    {
        gather.report(
            Level::Note,
            "hum-adds",
            "wiring.sense",
            format!("The coils pick up hum in one sense: only {db:.0} dB of it cancels."),
            "For a hum-cancelling pair wind one the other way round (or swap its ends) and turn its magnets over.",
        );
    }
    let turns: Vec<f64> = coils.iter().map(|&i| case.model.coils[i].turns).collect();
    let (most, least) =
        (turns.iter().copied().fold(0.0, f64::max), turns.iter().copied().fold(f64::MAX, f64::min));
    if case.design.kind == crate::design::Format::TwinCoil && most > 1.02 * least {
        gather.report(
            Level::Note,
            "coils-differ",
            "coils",
            format!("The coils have {least:.0} and {most:.0} turns: the pair keeps some hum and some bite."),
            "Equal turns cancel best; a few per cent apart is a matter of taste.",
        );
    }
    if divides(case.model) && most > 1.1 * least {
        gather.report(
            Level::Note,
            "unequal-in-parallel",
            "wiring.join",
            "Coils in parallel load one another: unequal ones give less than either promises.".into(),
            "Join them in series, or wind them alike.",
        );
    }
}

fn tone(case: Case<'_>, gather: &mut Gather) {
    let ohms = case.figures.resistance_20c_ohm;
    // Beyond about 16 k on common gauges detail is lost (common practice, no source).
    let peak = case.figures.peak;
    let (what, hz) = if peak.is_peak() {
        ("the peak lies at", peak.peak_hz)
    } else {
        ("the response has fallen by 3 dB at", peak.minus3db_hz)
    };
    if ohms > 16e3 && hz < 2500.0 {
        gather.report(
            Level::Note,
            "overwound",
            "coils[0].wind.turns",
            format!("{:.1} kΩ: with the cable {what} {:.2} kHz, and what gives a string its detail lies above it.", ohms / 1e3, hz / 1e3),
            "More magnet and fewer turns is the other way to loud.",
        );
    }
}

/// A target in words: both ends, or the one that it has.
fn range_words(key: &str, range: [f64; 2], (scale, unit, digits): (f64, &str, usize)) -> String {
    match target_ends(key, range).map(|end| end * scale) {
        [from, to] if to.is_infinite() => format!("at least {from:.digits$} {unit}"),
        [from, to] if from.is_infinite() => format!("at most {to:.digits$} {unit}"),
        [from, to] => format!("{from:.digits$} to {to:.digits$} {unit}"),
    }
}

fn targets(case: Case<'_>, gather: &mut Gather) {
    let (targets, figures) = (&case.design.targets, case.figures);
    let peak = figures.peak.is_peak().then_some(figures.peak.peak_hz);
    if let (Some([from, to]), None) = (targets.peak_hz, peak) {
        gather.report(
            Level::Note,
            "misses-target",
            "aims.peak_hz",
            format!(
                "The response only falls: there is no loaded peak; the target is {}.",
                range_words("peak_hz", [from, to], (1e-3, "kHz", 2))
            ),
            "Higher pots, or less capacitance after the pickup.",
        );
    }
    let mut check = |key: &str,
                     target: Option<[f64; 2]>,
                     value: f64,
                     what: &str,
                     (scale, unit, digits): (f64, &str, usize),
                     (more, fewer): (&str, &str)| {
        let Some([from, to]) = target.filter(|[from, to]| value < *from || value > *to) else { return };
        gather.report(
            Level::Note,
            "misses-target",
            &format!("aims.{key}"),
            format!(
                "{what} comes to {:.digits$} {unit}; the target is {}.",
                value * scale,
                range_words(key, [from, to], (scale, unit, digits))
            ),
            if value < from { more } else { fewer },
        );
    };
    check(
        "resistance_ohm",
        targets.resistance_ohm,
        figures.resistance_20c_ohm,
        "Resistance at 20 °C",
        (1e-3, "kΩ", 2),
        ("More turns, or thinner wire.", "Fewer turns, or thicker wire."),
    );
    check(
        "inductance_h",
        targets.inductance_h,
        figures.inductance_h,
        "Inductance",
        (1.0, "H", 2),
        (
            "More turns; inductance grows with their square. Or an alloy of higher recoil permeability.",
            "Fewer turns; inductance falls with their square.",
        ),
    );
    check(
        "capacitance_f",
        targets.capacitance_f,
        figures.capacitance_f,
        "Capacitance",
        (1e12, "pF", 0),
        ("A straighter lay or single build.", "A more scattered lay, or heavy build."),
    );
    check(
        "peak_hz",
        targets.peak_hz.filter(|_| peak.is_some()),
        figures.peak.peak_hz,
        "The loaded peak",
        (1e-3, "kHz", 2),
        ("Fewer turns, or less cable.", "More turns, or more cable."),
    );
    check(
        "resonance_unloaded_hz",
        targets.resonance_unloaded_hz,
        figures.resonance_hz,
        "The unloaded resonance",
        (1e-3, "kHz", 2),
        ("Fewer turns, or less capacitance.", "More turns."),
    );
    check(
        "output_mv",
        targets.output_mv,
        figures.output_mv,
        "Output",
        (1.0, "mV", 0),
        ("More turns, more magnet, or closer to the strings.", "Fewer turns, less charge, or further away."),
    );
}
