//! Poles, magnets and metal.

use super::case::{Case, Gather};
use crate::design::{MetalPart, Polarity};
use crate::magnet::Material;
use crate::prediction::report::Level;

pub(super) fn notices(case: Case<'_>, gather: &mut Gather) {
    places(case, gather);
    heard(case, gather);
    magnets(case, gather);
    polarity(case, gather);
    metal(case, gather);
}

fn places(case: Case<'_>, gather: &mut Gather) {
    for (index, coil) in case.design.coils.iter().enumerate() {
        let half = coil.former.core.outline().half_size_m();
        let (half_x, half_y) = (half.0 * 1e3, half.1 * 1e3);
        let outside = case.design.poles.iter().enumerate().find(|(_, pole)| {
            let radius = pole.diameter_mm / 2.0;
            let along = if pole.shape == crate::design::PoleShape::Blade { 0.0 } else { radius };
            pole.coil == coil.name
                && ((pole.x_mm - coil.center_mm[0]).abs() + along > half_x + 1e-6
                    || pole.y_mm.abs() + radius > half_y + 1e-6)
        });
        if let Some((i, pole)) = outside {
            gather.report(
                Level::Stop,
                "pole-outside-core",
                &format!("poles[{i}].x_mm"),
                format!(
                    "Pole {} at {:.2} mm with {:.2} mm diameter stands out of the core of coil {}, which is {:.2} × {:.2} mm.",
                    i + 1,
                    pole.x_mm,
                    pole.diameter_mm,
                    case.design.coils[index].name,
                    half_x * 2.0,
                    half_y * 2.0
                ),
                "Make the core longer or wider, the pole thinner, or the pitch smaller.",
            );
        }
    }
    let row: Vec<u32> = case.design.poles.iter().filter_map(|p| p.string).collect();
    if !row.is_empty()
        && let Some(missing) = (1..=case.design.strings.count).find(|s| !row.contains(s))
    {
        gather.report(
            Level::Note,
            "string-without-pole",
            "poles",
            format!("String {missing} has no pole of its own and will sound weaker than its neighbours."),
            "Give every string a pole.",
        );
    }
}

/// Decibels under the mean of its row at which a string is hardly heard.
const HARDLY_HEARD_DB: f64 = 10.0;

/// A string far from every pole.
fn heard(case: Case<'_>, gather: &mut Gather) {
    let levels: Vec<f64> = case.figures.strings_ratio.iter().map(|r| 20.0 * r.max(1e-9).log10()).collect();
    let mean = levels.iter().sum::<f64>() / levels.len().max(1) as f64;
    let quiet: Vec<String> = (1..)
        .zip(&levels)
        .filter(|(_, level)| **level < mean - HARDLY_HEARD_DB)
        .map(|(string, level): (u32, _)| format!("{string} ({:.0} dB)", level - mean))
        .collect();
    if !quiet.is_empty() {
        gather.report(
            Level::Warn,
            "string-not-heard",
            "poles",
            format!("Against the mean of the row these strings are hardly heard: {}.", quiet.join(", ")),
            "Bring a pole, a blade or a magnet under them, and a core that reaches so far.",
        );
    }
}

fn magnets(case: Case<'_>, gather: &mut Gather) {
    if !case.model.parts.bodies.iter().any(|(_, body)| body.magnet().is_some()) {
        gather.report(
            Level::Warn,
            "no-magnet",
            "poles",
            "No pole is a magnet and there is no bar: the coil will make no sound.".into(),
            "Choose a magnet alloy for the poles, or put a bar under steel ones.",
        );
        return;
    }
    if !case.model.parts.has_magnet() {
        gather.report(
            Level::Warn,
            "no-charge",
            "poles[0].charge",
            "Every magnet is uncharged: the coil will make no sound.".into(),
            "Charge the magnets.",
        );
    }
    if let Some((i, pole)) =
        case.design.poles.iter().enumerate().find(|(_, p)| p.charge < 0.5 && p.material.is_magnet())
    {
        gather.report(
            Level::Note,
            "weak-charge",
            &format!("poles[{i}].charge"),
            format!("Pole {} is charged to {:.0} %.", i + 1, pole.charge * 100.0),
            "Charge fully, then knock down to a target reading: half charges drift.",
        );
    }
}

fn polarity(case: Case<'_>, gather: &mut Gather) {
    for coil in &case.design.coils {
        let row: Vec<(usize, Polarity)> = case
            .design
            .poles
            .iter()
            .enumerate()
            .filter(|(_, p)| p.coil == coil.name && p.material.is_magnet() && p.charge > 0.0)
            .map(|(i, p)| (i, p.up))
            .collect();
        let norths = row.iter().filter(|(_, up)| *up == Polarity::North).count();
        if norths == 0 || norths == row.len() {
            continue;
        }
        let odd = if norths == 1 { Polarity::North } else { Polarity::South };
        if row.len() >= 4 && (norths == 1 || norths + 1 == row.len()) {
            let at = row.iter().find(|(_, up)| *up == odd).map_or(0, |(i, _)| *i);
            gather.report(
                Level::Warn,
                "pole-reversed",
                &format!("poles[{at}].up"),
                format!(
                    "Pole {} alone is the other way up: its string will be out of phase with the others.",
                    at + 1
                ),
                "Turn it, unless that is meant.",
            );
        }
        gather.report(Level::Note, "mixed-polarity", "poles", "Neighbouring poles of opposite polarity make the level drop when a string is bent from one to the next.".into(), "Use one polarity for the whole row unless that is meant.");
    }
}

fn metal(case: Case<'_>, gather: &mut Gather) {
    let lost = lost_at_10khz(case);
    for (i, metal) in case.design.metal.iter().enumerate() {
        let at = format!("metal[{i}]");
        let magnetic = metal.material.recoil_mu() > 1.02;
        if metal.part == MetalPart::Cover && magnetic {
            gather.report(
                Level::Warn,
                "magnetic-cover",
                &format!("{at}.material"),
                "A magnetic cover leads the poles' field past the strings: output and highs fall.".into(),
                "Use nickel silver, or leave the cover off.",
            );
        }
        if !magnetic && good_conductor(metal.material) && lost > 0.1 {
            gather.report(
                Level::Note,
                "metal-damps",
                &format!("{at}.material"),
                format!("Eddy currents in the metalwork take {:.0} % of the inductance by 10 kHz and damp the peak, which comes to {:+.1} dB.", lost * 100.0, case.figures.peak.peak_db),
                "Nickel silver takes far less than brass or copper; distance helps too.",
            );
        }
        if metal.part == MetalPart::BasePlate || metal.part == MetalPart::Cover {
            let what = if metal.part == MetalPart::Cover { "cover" } else { "base plate" };
            gather.report(
                Level::Note,
                "ground-the-metal",
                &at,
                format!(
                    "The {what} shields only when it is connected to ground; loose, it hums when touched."
                ),
                "Solder it to the ground lead, and insulate the poles from it where they carry signal.",
            );
        }
        if let Some(pole) = case.design.poles.iter().position(|p| touches(p, metal)) {
            gather.report(
                Level::Note,
                "pole-through-metal",
                &at,
                format!(
                    "Pole {} reaches into this part; the prediction takes the part as whole there.",
                    pole + 1
                ),
                "Leave a hole, and tape between pole and plate so that no coil is shorted to ground.",
            );
        }
    }
}

fn good_conductor(material: Material) -> bool {
    material.conductivity_s_m() > 10e6
}

/// Share of the inductance that eddy currents have taken by 10 kHz.
fn lost_at_10khz(case: Case<'_>) -> f64 {
    let network = &case.figures.network;
    let z = crate::eddy::impedance(&network.relaxations, 10e3);
    -z.im / (2.0 * std::f64::consts::PI * 10e3) / network.inductance_h()
}

fn touches(pole: &crate::design::Pole, metal: &crate::design::Metal) -> bool {
    let (low, high) =
        (metal.center_mm[2] - metal.size_mm[2] / 2.0, metal.center_mm[2] + metal.size_mm[2] / 2.0);
    let inside = (pole.x_mm - metal.center_mm[0]).abs() < metal.size_mm[0] / 2.0;
    metal.part != MetalPart::Cover
        && inside
        && pole.bottom_mm < high - 1e-6
        && pole.bottom_mm + pole.length_mm > low + 1e-6
}
