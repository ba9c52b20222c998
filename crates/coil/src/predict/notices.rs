//! What a design alone can reveal.

use super::model::{Figures, Model};
use super::report::{Level, Notice};
use crate::design::Design;
use crate::wire::WireData;

/// Share of the breaking stress from which a pull is called too hard.
const HARD_PULL: f64 = 0.6;

struct Gather(Vec<Notice>);

impl Gather {
    fn say(&mut self, level: Level, code: &str, at: &str, text: String, try_: impl Into<String>) {
        self.0.push(Notice { level, code: code.into(), at: at.into(), text, try_: try_.into() });
    }
}

/// All notices, the most serious first.
pub(super) fn of(design: &Design, model: &Model, figures: &Figures) -> Vec<Notice> {
    let mut gather = Gather(Vec::new());
    fit(design, model, figures, &mut gather);
    tension(design, model, &mut gather);
    spool(design, figures, &mut gather);
    aims(design, figures, &mut gather);
    poles(design, model, &mut gather);
    not_yet(design, &mut gather);
    gather.0.sort_by_key(|n| n.level);
    gather.0
}

fn fit(design: &Design, model: &Model, figures: &Figures, gather: &mut Gather) {
    let coil = &design.coils[0];
    let build_mm = figures.lay.build_m * 1e3;
    let thickest_mm = build_mm * model.unevenness();
    let room_mm = coil.former.room_mm;
    let at = "coils[0].wind.turns";
    if build_mm > room_mm {
        let turns = model.turns * room_mm / build_mm;
        gather.say(
            Level::Stop,
            "wire-does-not-fit",
            at,
            format!("{} turns build up {build_mm:.2} mm; the flanges leave {room_mm:.2} mm.", coil.wind.turns),
            format!("At this packing about {:.0} turns fit. Or thinner wire, single build, a straighter lay, a wider flange.", (turns / 10.0).floor() * 10.0),
        );
    } else if thickest_mm > room_mm {
        gather.say(
            Level::Warn,
            "fills-to-the-edge",
            at,
            format!("The mean build of {build_mm:.2} mm fits, but the thickest place will reach about {thickest_mm:.2} mm and the flanges leave {room_mm:.2} mm."),
            "Wind a straighter lay, or leave out some turns, before wire jumps the flange.",
        );
    }
    let half = coil.former.core.outline().half_size_m();
    for (i, pole) in design.poles.iter().enumerate() {
        let radius = pole.diameter_mm / 2.0;
        if (pole.x_mm - coil.center_mm[0]).abs() + radius > half.0 * 1e3 + 1e-6
            || radius > half.1 * 1e3 + 1e-6
        {
            gather.say(
                Level::Stop,
                "pole-outside-core",
                &format!("poles[{i}].x_mm"),
                format!("Pole {} at {:.2} mm with {:.2} mm diameter stands out of the core, which is {:.2} × {:.2} mm.", i + 1, pole.x_mm, pole.diameter_mm, half.0 * 2e3, half.1 * 2e3),
                "Make the core longer or wider, the pole thinner, or the pitch smaller.",
            );
            break;
        }
    }
    if coil.wind.margin_mm == 0.0 {
        gather.say(
            Level::Note,
            "no-guide-margin",
            "coils[0].wind.margin_mm",
            "The guide turns at the flanges themselves: wire piles up there and catches on the edge.".into(),
            "Set the guide's limits about 0.25 mm inside each flange.",
        );
    }
}

fn tension(design: &Design, model: &Model, gather: &mut Gather) {
    let (Some(pull), Some(newtons)) = (model.pull, design.coils[0].wind.tension_n) else { return };
    let at = "coils[0].wind.tension_n";
    let stress = pull.stress_pa / 1e6;
    let breaks_n = newtons / pull.of_breaking;
    let gentle = format!("Stay below about {:.2} N for this wire.", breaks_n * 0.4);
    if pull.of_breaking >= 1.0 {
        gather.say(Level::Stop, "wire-breaks", at, format!("{newtons:.2} N is {stress:.0} MPa in the copper: soft wire of this gauge breaks near {breaks_n:.2} N."), gentle);
    } else if pull.of_breaking >= HARD_PULL {
        gather.say(Level::Warn, "wire-near-breaking", at, format!("{newtons:.2} N is {:.0} % of what breaks this wire. It will not break at once, but it stretches by {:.1} % and reads {:.1} % more ohms.", pull.of_breaking * 100.0, pull.strain * 100.0, (pull.resistance_factor - 1.0) * 100.0), gentle);
    } else if pull.strain > 0.003 {
        gather.say(Level::Warn, "wire-stretches", at, format!("{newtons:.2} N will not break the wire but stretches it by {:.1} %: it gets thinner and the coil reads {:.1} % more ohms.", pull.strain * 100.0, (pull.resistance_factor - 1.0) * 100.0), gentle);
    }
}

fn spool(design: &Design, figures: &Figures, gather: &mut Gather) {
    let coil = &design.coils[0];
    let needed = figures.lay.wire_m;
    if let Some(left) = coil.wire.spool.and_then(|s| s.left_m)
        && left < needed * 1.03
    {
        let level = if left < needed { Level::Stop } else { Level::Warn };
        gather.say(
            level,
            "spool-too-short",
            "coils[0].wire.spool.left_m",
            format!("The coil takes {needed:.0} m of wire and the spool holds {left:.0} m."),
            "Take a fuller spool: a splice inside a coil is a weak place.",
        );
    }
    if let Some(spool) = coil.wire.spool {
        let table =
            WireData::ordered(coil.wire.gauge, coil.wire.insulation, coil.wire.build, coil.wire.range);
        if let Some(ohms) = spool.ohm_per_m {
            let ratio = ohms / table.ohm_per_m;
            if !(0.9..=1.1).contains(&ratio) {
                gather.say(
                    Level::Warn,
                    "spool-not-this-gauge",
                    "coils[0].wire.spool.ohm_per_m",
                    format!(
                        "The spool measures {ohms:.3} Ω/m, {:+.0} % from {} as ordered ({:.3} Ω/m).",
                        (ratio - 1.0) * 100.0,
                        coil.wire.gauge,
                        table.ohm_per_m
                    ),
                    "Check the label: this may be another gauge.",
                );
            }
        }
    }
}

fn aims(design: &Design, figures: &Figures, gather: &mut Gather) {
    let outside = |aim: Option<[f64; 2]>, value: f64| aim.filter(|[from, to]| value < *from || value > *to);
    if let Some([from, to]) = outside(design.aims.resistance_ohm, figures.resistance_20c_ohm) {
        let (r, low) = (figures.resistance_20c_ohm, figures.resistance_20c_ohm < from);
        gather.say(
            Level::Note,
            "misses-aim",
            "aims.resistance_ohm",
            format!(
                "Resistance comes to {:.2} kΩ at 20 °C; you aim for {:.2} to {:.2} kΩ.",
                r / 1e3,
                from / 1e3,
                to / 1e3
            ),
            if low { "More turns, or thinner wire." } else { "Fewer turns, or thicker wire." },
        );
    }
    if let Some([from, to]) = outside(design.aims.inductance_h, figures.inductance_h) {
        let low = figures.inductance_h < from;
        gather.say(
            Level::Note,
            "misses-aim",
            "aims.inductance_h",
            format!("Inductance comes to {:.2} H; you aim for {from:.2} to {to:.2} H.", figures.inductance_h),
            if low {
                "More turns; inductance grows with their square. Or an alloy of higher recoil permeability."
            } else {
                "Fewer turns; inductance falls with their square."
            },
        );
    }
}

fn poles(design: &Design, model: &Model, gather: &mut Gather) {
    let with_magnet = model.rods.iter().filter(|r| r.curve.is_some()).count();
    if with_magnet == 0 && design.bars.is_empty() {
        gather.say(
            Level::Warn,
            "no-magnet",
            "poles",
            "No pole is a magnet and there is no bar: the coil will make no sound.".into(),
            "Choose a magnet alloy for the poles.",
        );
    }
    let norths = model.rods.iter().filter(|r| r.curve.is_some() && r.charge > 0.0).count();
    if norths > 0 && norths < with_magnet {
        gather.say(Level::Note, "mixed-polarity", "poles", "Neighbouring poles of opposite polarity make the level swoosh when a string is bent from one to the next.".into(), "Use one polarity for the whole row unless that is meant.");
    }
    if let Some((i, pole)) =
        design.poles.iter().enumerate().find(|(_, p)| p.charge < 0.5 && p.material.is_magnet())
    {
        gather.say(
            Level::Note,
            "weak-charge",
            &format!("poles[{i}].charge"),
            format!("Pole {} is charged to {:.0} %.", i + 1, pole.charge * 100.0),
            "Charge fully, then knock down to a target reading: half charges drift.",
        );
    }
}

/// Names every part of the document that this version reads but does not compute.
fn not_yet(design: &Design, gather: &mut Gather) {
    let mut ignored = |at: &str, what: &str, effect: &str| {
        gather.say(
            Level::Note,
            "not-predicted-yet",
            at,
            format!("{what} is kept in the design but not in the numbers yet: {effect}."),
            "Expect the measured coil to differ by that.",
        );
    };
    for (i, _) in design.bars.iter().enumerate() {
        ignored(
            &format!("bars[{i}]"),
            "This bar magnet",
            "it would raise inductance a little and magnetise the poles",
        );
    }
    for (i, metal) in design.metal.iter().enumerate() {
        let name = match metal.part {
            crate::design::MetalPart::BasePlate => "The base plate",
            crate::design::MetalPart::Cover => "The cover",
            _ => "This metal part",
        };
        ignored(
            &format!("metal[{i}]"),
            name,
            "steel would raise inductance and output, any metal would damp the peak by eddy currents",
        );
    }
    if !design.coils[0].wind.plan.is_empty() {
        ignored("coils[0].wind.plan", "The staged plan", "the lay is taken as even");
    }
    if let Some(i) = design.poles.iter().position(|p| p.shape == crate::design::PoleShape::Screw) {
        ignored(&format!("poles[{i}].shape"), "The thread of a screw", "it is taken as a smooth rod");
    }
}
