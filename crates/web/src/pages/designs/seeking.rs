//! What changes what, and seeking: steps with their effects, and a short list for what is wanted.

use super::sheet::{self, Shelf};
use super::{base_of, named, parent_of};
use crate::app::App;
use crate::fault::Fault;
use crate::filled::{Errors, Filled};
use crate::present::{DECIBEL, HENRY, KILOHERTZ, KILOOHM, PICOFARAD, Scale};
use crate::visitor::Visitor;
use actix_web::web;
use askama::Template;
use coil::design::Design;
use coil::quantity::{Frequency, Inductance, Resistance, Spoken, Turns, fixed};
use coil::seek::{Allowed, Candidate, Goal, Want, effects, seek};
use serde::Serialize;

/// Most wires and alloys of one search: each takes four predictions.
const MOST_TRACKS: u32 = 7 * 2 * 6;

/// What a goal is called.
const fn label(goal: Goal) -> &'static str {
    match goal {
        Goal::Resistance => "R",
        Goal::Inductance => "L",
        Goal::Capacitance => "C",
        Goal::Peak => "Loaded peak",
        Goal::PeakHeight => "Its height",
        Goal::Output => "Output",
    }
}

const fn scale(goal: Goal) -> Scale {
    match goal {
        Goal::Resistance => KILOOHM,
        Goal::Inductance => HENRY,
        Goal::Capacitance => PICOFARAD,
        Goal::Peak => KILOHERTZ,
        Goal::PeakHeight | Goal::Output => DECIBEL,
    }
}

struct EffectRow {
    step: String,
    words: String,
    changes: Vec<(String, bool)>,
}

#[derive(Template)]
#[template(path = "designs/_effects.html")]
struct Effects {
    goals: Vec<(&'static str, &'static str, bool)>,
    rows: Vec<EffectRow>,
}

/// The goal of that name; inductance for any other.
fn goal_named(name: &str) -> Goal {
    Goal::ALL.into_iter().find(|g| g.key() == name).unwrap_or(Goal::Inductance)
}

fn said(goal: Goal, change: f64) -> String {
    let text = match goal {
        Goal::PeakHeight | Goal::Output if change.abs() < 0.005 => return "=".into(),
        Goal::PeakHeight | Goal::Output => format!("{change:+.2} dB"),
        _ if change.abs() < 5e-4 => return "=".into(),
        _ => format!("{:+.1} %", change * 100.0),
    };
    text.replace('-', "−")
}

/// The table of what changes what, largest on the goal first.
pub fn effects_table(design: &Design, goal: &str) -> String {
    let goal = goal_named(goal);
    let rows = effects(design, goal).into_iter().map(|effect| EffectRow {
        step: format!("try:{}", effect.lever),
        words: effect.lever.words(),
        changes: Goal::ALL.iter().zip(effect.changes).map(|(g, c)| (said(*g, c), *g == goal)).collect(),
    });
    let page = Effects {
        rows: rows.collect(),
        goals: Goal::ALL.iter().map(|g| (g.key(), label(*g), *g == goal)).collect(),
    };
    page.render().unwrap_or_default()
}

/// What the panel asks for, by field.
const WANTS: [(&str, Goal, &str); 4] = [
    ("seek_r", Goal::Resistance, "Ω"),
    ("seek_l", Goal::Inductance, "H"),
    ("seek_peak", Goal::Peak, "Hz"),
    ("seek_output", Goal::Output, "dB to reference"),
];

/// From and to, with what is in them.
type Ends = [(&'static str, String); 2];

#[derive(Template)]
#[template(path = "designs/_seek.html")]
struct SeekPanel {
    /// Field, label, unit, and the ends with what is in them.
    wants: Vec<(&'static str, &'static str, &'static str, Ends)>,
    turns: Ends,
    gauges: String,
    builds: bool,
    alloys: bool,
    words: Vec<(&'static str, &'static str)>,
}

/// Makers' words as what they ask of the figures.
const WORDS: [(&str, &str); 4] = [
    ("brighter", "loaded peak up by a tenth: fewer turns, or less capacitance"),
    ("fuller", "loaded peak down by a tenth, inductance up: more turns"),
    ("more output", "output up by 1.5 dB: more turns, a stronger alloy"),
    ("less harsh", "lower peak height: more load, more eddy currents; the peak may stay"),
];

/// The panel, with what was typed or the aims of the design.
pub fn panel(design: &Design, filled: &Filled) -> String {
    let typed = |name: &str, usual: String| {
        if filled.0.contains_key(name) { filled.get(name).to_owned() } else { usual }
    };
    let aim = |goal: Goal| match goal {
        Goal::Resistance => design.aims.resistance_ohm,
        Goal::Inductance => design.aims.inductance_h,
        Goal::Peak => design.aims.peak_hz,
        _ => None,
    };
    let own = design.coils.first().map_or(0, |c| c.wind.turns);
    let page = SeekPanel {
        wants: WANTS
            .iter()
            .map(|(name, goal, unit)| {
                let end = |i: usize| aim(*goal).map_or_else(String::new, |a| fixed(a[i], 4));
                let (from, to) = (format!("{name}_from"), format!("{name}_to"));
                let values = (typed(&from, end(0)), typed(&to, end(1)));
                (*name, label(*goal), *unit, [("from", values.0), ("to", values.1)])
            })
            .collect(),
        turns: [
            ("from", typed("seek_turns_from", (own * 7 / 10).to_string())),
            ("to", typed("seek_turns_to", (own * 14 / 10).to_string())),
        ],
        gauges: typed("seek_gauges", "1".into()),
        builds: filled.get("seek_builds") == "yes",
        alloys: filled.get("seek_alloys") == "yes",
        words: WORDS.to_vec(),
    };
    page.render().unwrap_or_default()
}

/// What is asked for, or what is wrong with it by field.
fn asked(filled: &Filled) -> Result<(Vec<Want>, Allowed), Errors> {
    let mut errors = Errors::new();
    let number = |goal: Goal, text: &str| -> Result<f64, String> {
        let said = |e: &dyn std::fmt::Display| e.to_string();
        match goal {
            Goal::Resistance => Resistance::parse(text).map(Resistance::ohms).map_err(|e| said(&e)),
            Goal::Inductance => Inductance::parse(text).map(Inductance::henries).map_err(|e| said(&e)),
            Goal::Peak => Frequency::parse(text).map(Frequency::hz).map_err(|e| said(&e)),
            _ => text
                .replace('−', "-")
                .trim_end_matches("dB")
                .trim()
                .parse::<f64>()
                .ok()
                .filter(|v| v.is_finite())
                .ok_or_else(|| "not readable as decibels: type +2 or -1.5".to_owned()),
        }
    };
    let mut wants = Vec::new();
    for (name, goal, _) in WANTS {
        let mut end = |suffix: &str| -> Option<f64> {
            let field = format!("{name}_{suffix}");
            match filled.get(&field) {
                "" => None,
                text => number(goal, text).map_err(|e| errors.insert(field, e)).ok(),
            }
        };
        let (from, to) = (end("from"), end("to"));
        match (from, to) {
            (None, None) => {}
            (from, to) => {
                let (from, to) = (from.unwrap_or(f64::MIN / 1e9), to.unwrap_or(f64::MAX / 1e9));
                if from > to {
                    errors.insert(format!("{name}_to"), "it ends below where it begins".into());
                }
                wants.push(Want { goal, from, to });
            }
        }
    }
    let mut turns = |name: &str| match Turns::parse(filled.get(name)) {
        Ok(turns) if (10..=50_000).contains(&turns.0) => turns.0,
        Ok(_) => {
            errors.insert(name.into(), "between 10 and 50,000".into());
            0
        }
        Err(error) => {
            errors.insert(name.into(), error.to_string());
            0
        }
    };
    let turns = (turns("seek_turns_from"), turns("seek_turns_to"));
    if turns.0 > turns.1 {
        errors.insert("seek_turns_to".into(), "it ends below where it begins".into());
    }
    if wants.is_empty() && errors.is_empty() {
        errors.insert("seek_l_from".into(), "Say at least one thing that it should become.".into());
    }
    let gauges = filled.get("seek_gauges").parse::<u32>().unwrap_or(0).min(3);
    let allowed = Allowed {
        turns,
        gauges,
        builds: filled.get("seek_builds") == "yes",
        alloys: filled.get("seek_alloys") == "yes",
    };
    debug_assert!((2 * gauges + 1) * 12 <= MOST_TRACKS);
    if errors.is_empty() { Ok((wants, allowed)) } else { Err(errors) }
}

struct Found {
    wire: String,
    turns: String,
    alloy: String,
    values: Vec<String>,
    miss: String,
    document: String,
    x: f64,
    y: f64,
}

#[derive(Template)]
#[template(path = "designs/_found.html")]
struct FoundList {
    heads: Vec<&'static str>,
    rows: Vec<Found>,
    /// Ends of the plot's axes.
    axes: (String, String, String, String),
}

fn found(list: &[Candidate]) -> String {
    let goals = [Goal::Resistance, Goal::Inductance, Goal::Peak, Goal::Output];
    let span = |goal: Goal| {
        let values = list.iter().map(|c| goal.of(&c.prediction));
        values.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)))
    };
    let (peaks, outputs) = (span(Goal::Peak), span(Goal::Output));
    let place =
        |value: f64, (low, high): (f64, f64)| if high > low { (value - low) / (high - low) } else { 0.5 };
    let rows = list.iter().map(|c| {
        let coil = c.design.coils.first();
        let material =
            c.design.poles.iter().map(|p| p.material).chain(c.design.bars.iter().map(|b| b.material));
        let alloy = material
            .filter_map(|m| serde_json::to_value(m).ok()?.as_str().map(|s| s.replace('-', " ")))
            .find(|m| m.contains("alnico") || m.contains("ceramic") || m.contains("neodymium"));
        Found {
            wire: coil.map_or_else(String::new, |c| {
                let build = serde_json::to_value(c.wire.build).ok();
                format!(
                    "{}, {}",
                    c.wire.gauge,
                    build.and_then(|b| b.as_str().map(str::to_owned)).unwrap_or_default()
                )
            }),
            turns: c.design.coils.iter().map(|c| c.wind.turns.to_string()).collect::<Vec<_>>().join(" + "),
            alloy: alloy.unwrap_or_default(),
            values: goals.iter().map(|g| scale(*g).text(g.of(&c.prediction))).collect(),
            miss: if c.miss < 5e-4 { "meets it".into() } else { format!("{:.1} % off", c.miss * 100.0) },
            document: serde_json::to_string(&c.design).unwrap_or_default(),
            x: 34.0 + 180.0 * place(Goal::Peak.of(&c.prediction), peaks),
            y: 110.0 - 96.0 * place(Goal::Output.of(&c.prediction), outputs),
        }
    });
    let page = FoundList {
        heads: goals.iter().map(|g| label(*g)).collect(),
        rows: rows.collect(),
        axes: (
            KILOHERTZ.text(peaks.0),
            KILOHERTZ.text(peaks.1),
            DECIBEL.text(outputs.0),
            DECIBEL.text(outputs.1),
        ),
    };
    page.render().unwrap_or_default()
}

/// Where a search stands.
#[derive(Serialize, Default)]
pub struct Standing {
    job: String,
    share: f64,
    errors: Errors,
    found: Option<String>,
}

/// Starts a search.
pub async fn start(
    app: web::Data<App>,
    visitor: Visitor,
    filled: Filled,
) -> Result<web::Json<Standing>, Fault> {
    let parent = parent_of(&app, &visitor, filled.get("parent")).await?;
    let base = base_of(&filled, parent.as_ref());
    let shelf: Vec<Shelf> = super::shelf(&app, &visitor).await?;
    let design = match sheet::read(&named(&filled), &base, &shelf) {
        Ok(read) => read.design,
        Err(errors) => return Ok(web::Json(Standing { errors, ..Standing::default() })),
    };
    let (wants, allowed) = match asked(&filled) {
        Ok(asked) => asked,
        Err(errors) => return Ok(web::Json(Standing { errors, ..Standing::default() })),
    };
    let Some((name, job)) = app.jobs.begin(visitor.workshop()) else {
        let busy = "Other searches are under way; try again when they are done.".to_owned();
        return Ok(web::Json(Standing {
            errors: Errors::from([("seek_l_from".into(), busy)]),
            ..Standing::default()
        }));
    };
    // It runs beside the pages; nobody waits for the handle.
    drop(tokio::task::spawn_blocking(move || {
        let list = seek(&design, &wants, &allowed, &mut |share| job.on(share));
        job.finish(list.map_or_else(String::new, |list| found(&list)));
    }));
    Ok(web::Json(Standing { job: name, ..Standing::default() }))
}

/// How far a search is, and what it found.
pub async fn standing(
    app: web::Data<App>,
    visitor: Visitor,
    name: web::Path<String>,
) -> Result<web::Json<Standing>, Fault> {
    let job = app.jobs.of(visitor.workshop(), &name).ok_or(Fault::Missing("search"))?;
    Ok(web::Json(Standing {
        job: name.into_inner(),
        share: job.share(),
        found: job.result(),
        ..Standing::default()
    }))
}

/// Stops a search.
pub async fn cancel(
    app: web::Data<App>,
    visitor: Visitor,
    name: web::Path<String>,
    _filled: Filled,
) -> Result<web::Json<Standing>, Fault> {
    app.jobs.of(visitor.workshop(), &name).ok_or(Fault::Missing("search"))?.cancel();
    Ok(web::Json(Standing::default()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use rstest::rstest;

    fn form(fields: &[(&str, &str)]) -> Filled {
        let mut all = vec![("seek_turns_from", "6000"), ("seek_turns_to", "9000"), ("seek_gauges", "1")];
        all.extend_from_slice(fields);
        Filled(all.into_iter().map(|(k, v)| (k.to_owned(), v.to_owned())).collect())
    }

    #[test]
    fn wants_are_read_as_they_are_spoken() {
        let (wants, allowed) = asked(&form(&[("seek_r_from", "8k"), ("seek_output_to", "−1.5 dB")])).unwrap();
        assert_eq!((wants[0].goal, wants[0].from), (Goal::Resistance, 8000.0));
        assert_eq!((wants[1].goal, wants[1].to), (Goal::Output, -1.5));
        assert_eq!(allowed, Allowed { turns: (6000, 9000), gauges: 1, builds: false, alloys: false });
    }

    #[rstest]
    #[case(&[], "seek_l_from")]
    #[case(&[("seek_r_from", "much")], "seek_r_from")]
    #[case(&[("seek_l_from", "3"), ("seek_l_to", "2")], "seek_l_to")]
    #[case(&[("seek_l_from", "3"), ("seek_turns_to", "5")], "seek_turns_to")]
    #[case(&[("seek_output_from", "loud")], "seek_output_from")]
    fn what_cannot_be_sought_is_said_at_its_field(#[case] fields: &[(&str, &str)], #[case] at: &str) {
        assert!(asked(&form(fields)).unwrap_err().contains_key(at));
    }

    #[test]
    fn the_table_leads_with_the_goal_and_each_step_can_be_tried() {
        let table = effects_table(&tall_single("Sedge", 6, 10.4), "output");
        assert!(table.contains("data-step=\"try:turns:100\"") && table.contains("−"), "{table}");
        let list = seek(
            &tall_single("Sedge", 6, 10.4),
            &[Want { goal: Goal::Inductance, from: 2.0, to: 3.0 }],
            &Allowed { turns: (7000, 8000), gauges: 0, builds: true, alloys: false },
            &mut |_| true,
        );
        let markup = found(&list.unwrap());
        assert!(markup.contains("meets it") && markup.contains("data-document"));
    }
}
