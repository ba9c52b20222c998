//! What changes what, and seeking: steps with their effects, and a short list for what is wanted.

use super::sheet::{self, SpoolOption};
use super::{base_of, named, parent_of};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::format::{DECIBEL, HENRY, KILOHERTZ, KILOOHM, PICOFARAD, Scale};
use actix_web::web;
use askama::Template;
use coil::design::Design;
use coil::quantity::{Capacitance, Frequency, Inductance, ParseQuantity, Resistance, Turns, fixed};
use coil::search::{Candidate, Goal, SearchSpace, TonePreset, TargetRange, sensitivities, search_designs};
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
#[template(path = "designs/_sensitivity.html")]
struct Effects {
    goals: Vec<(&'static str, &'static str, bool)>,
    rows: Vec<EffectRow>,
}

/// The goal of that name; inductance for any other.
fn goal_named(name: &str) -> Goal {
    goal_named_or(name, Goal::Inductance)
}

/// The goal of that name, or another.
pub fn goal_named_or(name: &str, other: Goal) -> Goal {
    Goal::ALL.into_iter().find(|g| g.key() == name).unwrap_or(other)
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
    let rows = sensitivities(design, goal).into_iter().map(|effect| EffectRow {
        step: format!("try:{}", effect.adjustment),
        words: effect.adjustment.words(),
        changes: Goal::ALL.iter().zip(effect.changes).map(|(g, c)| (said(*g, c), *g == goal)).collect(),
    });
    let page = Effects {
        rows: rows.collect(),
        goals: Goal::ALL.iter().map(|g| (g.key(), label(*g), *g == goal)).collect(),
    };
    page.render().unwrap_or_default()
}

/// What the panel asks for, by field.
const WANTS: [(&str, Goal, &str); 6] = [
    ("seek_r", Goal::Resistance, "Ω"),
    ("seek_l", Goal::Inductance, "H"),
    ("seek_c", Goal::Capacitance, "pF"),
    ("seek_peak", Goal::Peak, "Hz"),
    ("seek_height", Goal::PeakHeight, "dB"),
    ("seek_output", Goal::Output, "dB to reference"),
];

/// What may change besides turns and gauge: field, name, and how far.
const MAY: [(&str, &str, &str); 6] = [
    ("seek_builds", "Build", "may change"),
    ("seek_alloys", "Alloy", "may change"),
    ("seek_heights", "Winding height", "by up to 1 mm"),
    ("seek_cores", "Core width", "by up to 0.4 mm"),
    ("seek_charges", "Charge", "down to 60 %"),
    ("seek_lengths", "Pole length", "by up to 2 mm"),
];

/// A choice of the panel: value, label, whether it is on.
type Option3 = (String, String, bool);

/// From and to, with what is in them.
type Ends = [(&'static str, String); 2];

#[derive(Template)]
#[template(path = "designs/_search.html")]
struct SeekPanel {
    /// Field, label, unit, and the ends with what is in them.
    wants: Vec<(&'static str, &'static str, &'static str, Ends)>,
    turns: Ends,
    gauges: String,
    may: Vec<(&'static str, &'static str, &'static str, bool)>,
    wishes: Vec<(&'static str, String, String)>,
    /// Pickups to take aim at, what of them is to differ, and by how much.
    like_of: Vec<Option3>,
    like_goal: Vec<Option3>,
    like_by: String,
}

/// A word of the bench, and what it moves, for reading.
fn wish_words(wish: TonePreset) -> (&'static str, String, String) {
    let moves: Vec<String> = wish
        .moves()
        .iter()
        .map(|(goal, from, to)| {
            let what = match goal {
                Goal::Resistance => "resistance",
                Goal::Inductance => "inductance",
                Goal::Capacitance => "capacitance",
                Goal::Peak => "loaded peak",
                Goal::PeakHeight => "height of the peak",
                Goal::Output => "output",
            };
            let (from, to, unit) = if goal.is_level() {
                (*from, *to, "dB")
            } else {
                ((from - 1.0) * 100.0, (to - 1.0) * 100.0, "%")
            };
            format!("{what} {} to {} {unit}", signed(from), signed(to))
        })
        .collect();
    (wish.key(), wish.key().replace('-', " "), moves.join(", "))
}

fn signed(value: f64) -> String {
    let text = fixed(value.abs(), 1);
    if value < 0.0 { format!("−{text}") } else { format!("+{text}") }
}

/// The panel, with what was typed or the aims of the design.
///
/// `others` are the pickups that aim can be taken at, by number.
pub fn panel(design: &Design, form: &FormData, others: &[(u64, String)]) -> String {
    let typed = |name: &str, usual: String| {
        if form.0.contains_key(name) { form.get(name).to_owned() } else { usual }
    };
    let aim = |goal: Goal| match goal {
        Goal::Resistance => design.aims.resistance_ohm,
        Goal::Inductance => design.aims.inductance_h,
        Goal::Capacitance => design.aims.capacitance_f,
        Goal::Peak => design.aims.peak_hz,
        Goal::PeakHeight => design.aims.peak_db,
        Goal::Output => design.aims.output_db,
    };
    let own = design.coils.first().map_or(0, |c| c.wind.turns);
    let page = SeekPanel {
        wants: WANTS
            .iter()
            .map(|(name, goal, unit)| {
                let end = |i: usize| match aim(*goal) {
                    Some(a) if *goal == Goal::Capacitance => fixed(a[i] * 1e12, 2),
                    Some(a) => fixed(a[i], 4),
                    None => String::new(),
                };
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
        may: MAY.iter().map(|(name, what, how)| (*name, *what, *how, form.get(name) == "yes")).collect(),
        wishes: TonePreset::ALL.into_iter().map(wish_words).collect(),
        like_of: others
            .iter()
            .map(|(id, name)| (id.to_string(), name.clone(), form.get("seek_like_of") == id.to_string()))
            .collect(),
        like_goal: Goal::ALL
            .iter()
            .map(|g| {
                let on = goal_named_or(form.get("seek_like_goal"), Goal::Output) == *g;
                (g.key().to_owned(), label(*g).to_lowercase(), on)
            })
            .collect(),
        like_by: typed("seek_like_by", "15".into()),
    };
    page.render().unwrap_or_default()
}

/// What is asked for, or what is wrong with it by field.
fn asked(form: &FormData) -> Result<(Vec<TargetRange>, SearchSpace), Errors> {
    let mut errors = Errors::new();
    let number = |goal: Goal, text: &str| -> Result<f64, String> {
        let said = |e: &dyn std::fmt::Display| e.to_string();
        match goal {
            Goal::Resistance => Resistance::parse(text).map(Resistance::ohms).map_err(|e| said(&e)),
            Goal::Inductance => Inductance::parse(text).map(Inductance::henries).map_err(|e| said(&e)),
            Goal::Peak => Frequency::parse(text).map(Frequency::hz).map_err(|e| said(&e)),
            Goal::Capacitance => {
                let bare = text.chars().all(|c| c.is_ascii_digit() || ".,".contains(c));
                let text = if bare { format!("{text} pF") } else { text.to_owned() };
                Capacitance::parse(&text).map(Capacitance::farads).map_err(|e| said(&e))
            }
            Goal::PeakHeight | Goal::Output => text
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
            match form.get(&field) {
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
                wants.push(TargetRange { goal, from, to });
            }
        }
    }
    let mut turns = |name: &str| match Turns::parse(form.get(name)) {
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
    let gauges = form.get("seek_gauges").parse::<u32>().unwrap_or(0).min(3);
    let may = |name: &str| form.get(name) == "yes";
    let allowed = SearchSpace {
        turns,
        gauges,
        builds: may("seek_builds"),
        alloys: may("seek_alloys"),
        heights: may("seek_heights"),
        cores: may("seek_cores"),
        charges: may("seek_charges"),
        lengths: may("seek_lengths"),
    };
    debug_assert!((2 * gauges + 1) * 12 <= MOST_TRACKS);
    if errors.is_empty() { Ok((wants, allowed)) } else { Err(errors) }
}

struct Found {
    turns: String,
    /// What differs from the sheet, in words.
    changed: String,
    values: Vec<String>,
    miss: String,
    document: String,
    x: f64,
    y: f64,
}

#[derive(Template)]
#[template(path = "designs/_search_results.html")]
struct FoundList {
    heads: Vec<&'static str>,
    rows: Vec<Found>,
    /// Ends of the plot's axes.
    axes: (String, String, String, String),
}

/// A figure as the short list shows it: decibels to a tenth.
fn figure(goal: Goal, value: f64) -> String {
    if goal.is_level() { format!("{value:+.1} dB").replace('-', "−") } else { scale(goal).text(value) }
}

fn found(from: &Design, list: &[Candidate]) -> String {
    let goals = [Goal::Resistance, Goal::Inductance, Goal::Peak, Goal::Output];
    let span = |goal: Goal| {
        let values = list.iter().map(|c| goal.of(&c.prediction));
        values.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)))
    };
    let (peaks, outputs) = (span(Goal::Peak), span(Goal::Output));
    let place =
        |value: f64, (low, high): (f64, f64)| if high > low { (value - low) / (high - low) } else { 0.5 };
    let rows = list.iter().map(|c| {
        let said: Vec<String> = super::differences::differences_in_words(from, &[&c.design])
            .into_iter()
            .filter(|d| !d.what.ends_with("Turns"))
            .filter_map(|d| Some(format!("{}: {}", d.what.to_lowercase(), d.values.last()?)))
            .collect();
        Found {
            turns: c.design.coils.iter().map(|c| c.wind.turns.to_string()).collect::<Vec<_>>().join(" + "),
            changed: if said.is_empty() { "turns alone".into() } else { said.join(", ") },
            values: goals.iter().map(|g| figure(*g, g.of(&c.prediction))).collect(),
            miss: if c.miss >= 1.0 {
                "would be refused".into()
            } else if c.miss < 5e-4 {
                "meets it".into()
            } else {
                format!("{:.1} % off", c.miss * 100.0)
            },
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
            figure(Goal::Output, outputs.0),
            figure(Goal::Output, outputs.1),
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
    user: CurrentUser,
    form: FormData,
) -> Result<web::Json<Standing>, AppError> {
    let parent = parent_of(&app, &user, form.get("parent")).await?;
    let base = base_of(&form, parent.as_ref());
    let shelf: Vec<SpoolOption> = super::shelf(&app, &user).await?;
    let design = match sheet::read(&named(&form), &base, &shelf) {
        Ok(read) => read.design,
        Err(errors) => return Ok(web::Json(Standing { errors, ..Standing::default() })),
    };
    let (wants, allowed) = match asked(&form) {
        Ok(asked) => asked,
        Err(errors) => return Ok(web::Json(Standing { errors, ..Standing::default() })),
    };
    let Some((name, job)) = app.jobs.begin(user.workshop()) else {
        let busy = "Other searches are under way; try again when they are done.".to_owned();
        return Ok(web::Json(Standing {
            errors: Errors::from([("seek_l_from".into(), busy)]),
            ..Standing::default()
        }));
    };
    // It runs beside the pages; nobody waits for the handle.
    drop(tokio::task::spawn_blocking(move || {
        let list = search_designs(&design, &wants, &allowed, &mut |share| job.on(share));
        job.finish(list.map_or_else(String::new, |list| found(&design, &list)));
    }));
    Ok(web::Json(Standing { job: name, ..Standing::default() }))
}

/// How far a search is, and what it found.
pub async fn standing(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
) -> Result<web::Json<Standing>, AppError> {
    let job = app.jobs.of(user.workshop(), &name).ok_or(AppError::Missing("search"))?;
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
    user: CurrentUser,
    name: web::Path<String>,
    _filled: FormData,
) -> Result<web::Json<Standing>, AppError> {
    app.jobs.of(user.workshop(), &name).ok_or(AppError::Missing("search"))?.cancel();
    Ok(web::Json(Standing::default()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use rstest::rstest;

    fn form(fields: &[(&str, &str)]) -> FormData {
        let mut all = vec![("seek_turns_from", "6000"), ("seek_turns_to", "9000"), ("seek_gauges", "1")];
        all.extend_from_slice(fields);
        FormData(all.into_iter().map(|(k, v)| (k.to_owned(), v.to_owned())).collect())
    }

    #[test]
    fn wants_are_read_as_they_are_spoken() {
        let (wants, allowed) = asked(&form(&[("seek_r_from", "8k"), ("seek_output_to", "−1.5 dB")])).unwrap();
        assert_eq!((wants[0].goal, wants[0].from), (Goal::Resistance, 8000.0));
        assert_eq!((wants[1].goal, wants[1].to), (Goal::Output, -1.5));
        assert_eq!(allowed, SearchSpace { gauges: 1, ..SearchSpace::turns(6000, 9000) });
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
        let list = search_designs(
            &tall_single("Sedge", 6, 10.4),
            &[TargetRange { goal: Goal::Inductance, from: 2.0, to: 3.0 }],
            &SearchSpace { builds: true, ..SearchSpace::turns(7000, 8000) },
            &mut |_| true,
        );
        let markup = found(&tall_single("Sedge", 6, 10.4), &list.unwrap());
        assert!(markup.contains("meets it") && markup.contains("data-document"));
    }
}
