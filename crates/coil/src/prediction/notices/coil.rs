//! Room, lay, tension and wire of one coil.

use super::case::{Case, Gather};
use crate::prediction::report::Level;
use crate::wire::WireData;

/// Share of the breaking stress from which a pull is called too hard.
const HARD_PULL: f64 = 0.6;
/// Share of the breaking stress below which the lay stays soft (common practice, no source).
const SLACK_PULL: f64 = 0.08;

pub(super) fn notices(case: Case<'_>, index: usize, gather: &mut Gather) {
    fit(case, index, gather);
    lay(case, index, gather);
    tension(case, index, gather);
    gauge(case, index, gather);
    spool(case, index, gather);
}

fn fit(case: Case<'_>, index: usize, gather: &mut Gather) {
    let (coil, model) = (&case.design.coils[index], &case.model.coils[index]);
    let build_mm = case.figures.coils[index].lay.build_m * 1e3;
    let scale = build_mm / (model.section.mean_build_m() * 1e3);
    let thickest_mm = model.section.thickest_m() * 1e3 * scale;
    let room_mm = coil.former.room_mm;
    let at = format!("coils[{index}].wind.turns");
    if build_mm > room_mm {
        let turns = fitting_turns(case, index);
        gather.report(
            Level::Stop,
            "wire-does-not-fit",
            &at,
            format!("{} turns build up {build_mm:.2} mm; the flanges leave {room_mm:.2} mm.", coil.wind.turns),
            format!("In this lay about {turns} turns fit. Or thinner wire, single build, a straighter lay, a wider flange."),
        );
    } else if thickest_mm > room_mm {
        gather.report(
            Level::Warn,
            "fills-to-the-edge",
            &at,
            format!("The mean build of {build_mm:.2} mm fits, but the thickest place will reach about {thickest_mm:.2} mm and the flanges leave {room_mm:.2} mm: the last turns will jump the flange."),
            "Wind a straighter lay, or leave out some turns.",
        );
    }
}

/// How many turns the room takes, to ten, by laying them.
fn fitting_turns(case: Case<'_>, index: usize) -> u32 {
    let (coil, model) = (&case.design.coils[index], &case.model.coils[index]);
    let room_mm = coil.former.room_mm;
    let build_mm = |turns: u32| {
        if let Some(packing) = coil.wind.packing {
            let area = f64::from(turns) * (model.wire.overall_m * 1e3).powi(2);
            return area / packing / coil.former.height_mm;
        }
        let wind = crate::design::Wind { turns, ..coil.wind.clone() };
        let plan = crate::wind::GuidePlan::new(&wind, model.height_m(), model.wire.overall_m);
        let of_breaking = model.pull.map_or(crate::prediction::wound::USUAL_PULL, |p| p.of_breaking);
        crate::wind::lay(&plan, room_mm * 1e-3, of_breaking).mean_build_m() * 1e3
    };
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "fewer than there were")]
    let down = |turns: f64| ((turns / 10.0).floor() * 10.0).max(10.0) as u32;
    let mut turns = down(model.turns * room_mm / (case.figures.coils[index].lay.build_m * 1e3));
    for _ in 0..4 {
        let build = build_mm(turns);
        let next = down(f64::from(turns) * room_mm / build);
        if build <= room_mm && next <= turns + 20 {
            break;
        }
        turns = if next < turns || build <= room_mm { next } else { turns.saturating_sub(10).max(10) };
    }
    turns
}

fn lay(case: Case<'_>, index: usize, gather: &mut Gather) {
    let (coil, model) = (&case.design.coils[index], &case.model.coils[index]);
    let at = format!("coils[{index}].wind.margin_mm");
    let (margin, height) = (coil.wind.margin_mm, coil.former.height_mm);
    if margin == 0.0 {
        gather.report(
            Level::Note,
            "no-guide-margin",
            &at,
            "The guide turns at the flanges themselves: wire piles up there and catches on the edge.".into(),
            "Set the guide's limits about 0.25 mm inside each flange.",
        );
    } else if margin > 0.08 * height {
        gather.report(
            Level::Warn,
            "guides-too-narrow",
            &at,
            format!("The guide turns {margin:.2} mm inside the flanges of a window {height:.1} mm high: the edges stay waisted and the middle carries the build."),
            "Set the guide's limits about 0.25 mm inside each flange.",
        );
    }
    let section = &model.section;
    let (thick, thin) = (section.thickest_m(), section.thinnest_m());
    if coil.wind.turns > 1000 && thin > 0.0 && thick > 1.6 * thin {
        gather.report(
            Level::Note,
            "uneven-lay",
            &format!("coils[{index}].wind"),
            format!(
                "The coil will be {:.2} mm thick at its thickest and {:.2} mm at its thinnest.",
                thick * 1e3,
                thin * 1e3
            ),
            "Slow the guide where the coil is thin, or shorten the stages that prefer one place.",
        );
    }
    if let Some(stage) = coil.wind.plan.iter().position(|s| s.until_turn > coil.wind.turns) {
        gather.report(
            Level::Note,
            "plan-beyond-the-turns",
            &format!("coils[{index}].wind.plan[{stage}].until_turn"),
            format!(
                "This stage runs to turn {}, and the coil has {}.",
                coil.wind.plan[stage].until_turn, coil.wind.turns
            ),
            "End the last stage at the coil's turns.",
        );
    }
}

fn tension(case: Case<'_>, index: usize, gather: &mut Gather) {
    let (Some(pull), Some(newtons)) = (case.model.coils[index].pull, case.design.coils[index].wind.tension_n)
    else {
        return;
    };
    let at = format!("coils[{index}].wind.tension_n");
    let stress = pull.stress_pa / 1e6;
    let breaks_n = newtons / pull.of_breaking.max(1e-9);
    let gentle = format!("Stay below about {:.2} N for this wire.", breaks_n * 0.4);
    if pull.of_breaking >= 1.0 {
        gather.report(Level::Stop, "wire-breaks", &at, format!("{newtons:.2} N is {stress:.0} MPa in the copper: soft wire of this gauge breaks near {breaks_n:.2} N."), gentle);
    } else if pull.of_breaking >= HARD_PULL {
        gather.report(Level::Warn, "wire-near-breaking", &at, format!("{newtons:.2} N is {:.0} % of what breaks this wire. It will not break at once, but it stretches by {:.1} % and reads {:.1} % more ohms.", pull.of_breaking * 100.0, pull.strain * 100.0, (pull.resistance_factor - 1.0) * 100.0), gentle);
    } else if pull.strain > 0.003 {
        gather.report(Level::Warn, "wire-stretches", &at, format!("{newtons:.2} N will not break the wire but stretches it by {:.1} %: it gets thinner and the coil reads {:.1} % more ohms.", pull.strain * 100.0, (pull.resistance_factor - 1.0) * 100.0), gentle);
    } else if pull.of_breaking < SLACK_PULL {
        let bare_mm = case.model.coils[index].wire.bare_m * 1e3;
        let (from, to) = crate::wire::tension_window_n(bare_mm * 1e-3);
        gather.report(Level::Note, "tension-slack", &at, format!("{newtons:.2} N is {:.0} % of what breaks this wire: the coil comes out fat and soft, and loose loops crumple in.", pull.of_breaking * 100.0), format!("About {from:.2} to {to:.2} N suits this wire."));
    }
}

fn gauge(case: Case<'_>, index: usize, gather: &mut Gather) {
    let coil = &case.design.coils[index];
    let bare_mm = case.model.coils[index].wire.bare_m * 1e3;
    let at = format!("coils[{index}].wire.gauge");
    // 42 to 44 AWG are the usual ones (common practice, no source).
    if bare_mm > 0.0675 {
        gather.report(Level::Note, "wire-thick", &at, format!("{} is thicker than the usual 42 AWG: few turns fit, so the coil comes out weak for its room.", coil.wire.gauge), "Thinner wire gives more turns in the same room.");
    } else if bare_mm < 0.0475 {
        gather.report(
            Level::Note,
            "wire-thin",
            &at,
            format!(
                "{} is thinner than the usual 44 AWG: it is hard to wind and breaks easily.",
                coil.wire.gauge
            ),
            "Go slowly, with a light pull, or take 44 AWG and a little less of it.",
        );
    }
}

fn spool(case: Case<'_>, index: usize, gather: &mut Gather) {
    let coil = &case.design.coils[index];
    let Some(spool) = coil.wire.spool else { return };
    let needed = case.figures.coils[index].lay.wire_m;
    if let Some(left) = spool.left_m
        && left < needed * 1.03
    {
        let level = if left < needed { Level::Stop } else { Level::Warn };
        gather.report(
            level,
            "spool-too-short",
            &format!("coils[{index}].wire.spool.left_m"),
            format!("The coil takes {needed:.0} m of wire and the spool holds {left:.0} m."),
            "Take a fuller spool: a splice inside a coil is a weak place.",
        );
    }
    let table = WireData::ordered(coil.wire.gauge, coil.wire.insulation, coil.wire.build, coil.wire.range);
    let ohms = spool.ohm_per_m.map(|r| crate::wire::at_temperature(r, spool.at_c.unwrap_or(20.0), 20.0));
    if let Some(ohms) = ohms {
        let ratio = ohms / table.ohm_per_m;
        if !(0.9..=1.1).contains(&ratio) {
            gather.report(
                Level::Warn,
                "spool-not-this-gauge",
                &format!("coils[{index}].wire.spool.ohm_per_m"),
                format!(
                    "The spool measures {ohms:.3} Ω/m, {:+.0} % from {} as ordered ({:.3} Ω/m).",
                    (ratio - 1.0) * 100.0,
                    coil.wire.gauge,
                    table.ohm_per_m
                ),
                "Check the label: this may be another gauge.",
            );
        } else if let Some(bare_mm) = spool.bare_mm {
            // Diameter and ohms per metre of one spool must tell of one wire.
            let by_diameter = crate::wire::ohm_per_m(bare_mm * 1e-3);
            let ratio = ohms / by_diameter;
            if !(0.93..=1.07).contains(&ratio) {
                gather.report(
                    Level::Warn,
                    "spool-readings-disagree",
                    &format!("coils[{index}].wire.spool"),
                    format!(
                        "Copper of {bare_mm:.4} mm has {by_diameter:.3} Ω/m; the spool reads {ohms:.3} Ω/m."
                    ),
                    "Measure the diameter again with the enamel burned off, and a longer piece for the ohms.",
                );
            }
        }
    }
}
