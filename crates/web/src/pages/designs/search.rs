//! Finding a design: the panel with targets and what may change, and the search that it begins.

use super::posted_sheet::{base_of, named, parent_of};
use super::spools;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::render;
use actix_web::web;
use askama::Template;
use coil::design::Design;
use coil::quantity::{Capacitance, Frequency, Inductance, ParseQuantity, Resistance, Turns, fixed};
use coil::search::{Goal, SearchSpace, TargetRange, TonePreset};
use presentation::figures::Figure;
use presentation::form_fields::Errors;
use presentation::format::{signed_db, signed_percent};
use presentation::sheet;
use serde::Serialize;
use store::RevisionId;
use workshop::{Refusal, SearchCommand};

/// Most wires and alloys of one search: each takes four predictions.
const MOST_TRACKS: u32 = 7 * 2 * 6;

/// What the panel asks for, by field.
const TARGETS: [(&str, Goal, &str); 6] = [
    ("search_r", Goal::Resistance, "Ω"),
    ("search_l", Goal::Inductance, "H"),
    ("search_c", Goal::Capacitance, "pF"),
    ("search_peak", Goal::Peak, "Hz"),
    ("search_height", Goal::PeakHeight, "dB"),
    ("search_output", Goal::Output, "dB to reference"),
];

/// What may change besides turns and gauge: field, name, and how far.
const FREEDOMS: [(&str, &str, &str); 6] = [
    ("search_builds", "Insulation build", "may change"),
    ("search_alloys", "Alloy", "may change"),
    ("search_heights", "Winding height", "by up to 1 mm"),
    ("search_cores", "Core width", "by up to 0.4 mm"),
    ("search_charges", "Charge", "down to 60 %"),
    ("search_lengths", "Pole length", "by up to 2 mm"),
];

/// What a goal is called where there is little room.
pub(super) const fn goal_label(goal: Goal) -> &'static str {
    match goal {
        Goal::Resistance => "R",
        Goal::Inductance => "L",
        Goal::Capacitance => "C",
        Goal::Peak => "Peak, loaded",
        Goal::PeakHeight => "Peak height",
        Goal::Output => "Output",
    }
}

/// The goal of that name, or another.
pub(super) fn goal_or(name: &str, other: Goal) -> Goal {
    Goal::ALL.into_iter().find(|g| g.key() == name).unwrap_or(other)
}

/// From and to, with what is in them.
type Ends = [(&'static str, String); 2];

/// A target of the panel.
struct TargetField {
    name: &'static str,
    label: &'static str,
    unit: &'static str,
    ends: Ends,
}

/// A choice of the panel.
struct PanelChoice {
    value: String,
    label: String,
    is_chosen: bool,
}

/// A tone preset, and what it moves in words.
struct PresetButton {
    key: &'static str,
    label: String,
    moves: String,
}

/// What may change, and whether it does.
struct Freedom {
    name: &'static str,
    label: &'static str,
    how: &'static str,
    is_on: bool,
}

#[derive(Template)]
#[template(path = "designs/_search.html")]
struct SearchPanel {
    targets: Vec<TargetField>,
    turns: Ends,
    gauges: String,
    freedoms: Vec<Freedom>,
    presets: Vec<PresetButton>,
    /// Reference pickups.
    like_of: Vec<PanelChoice>,
    /// What of the reference is to differ.
    like_goal: Vec<PanelChoice>,
    /// By how much, %.
    like_by: String,
}

/// A tone preset, and what it moves.
fn preset_button(preset: TonePreset) -> PresetButton {
    let moves = preset.moves().iter().map(|(goal, from, to)| {
        let what = Figure::from(*goal).label().to_lowercase();
        if goal.is_level() {
            format!("{what} {} to {}", signed_db(*from, 1), signed_db(*to, 1))
        } else {
            format!("{what} {} to {}", signed_percent(from - 1.0, 0), signed_percent(to - 1.0, 0))
        }
    });
    PresetButton {
        key: preset.key(),
        label: preset.key().replace('-', " "),
        moves: moves.collect::<Vec<_>>().join(", "),
    }
}

/// The panel, with what was typed or the targets of the design.
pub(super) fn panel(
    design: &Design,
    form: &FormData,
    references: &[(RevisionId, String)],
) -> Result<String, AppError> {
    let typed = |name: &str, usual: String| {
        if form.has(name) { form.get(name).to_owned() } else { usual }
    };
    let target = |(name, goal, unit): &(&'static str, Goal, &'static str)| {
        let end = |i: usize| match Figure::from(*goal).aim(&design.aims) {
            Some(aim) if *goal == Goal::Capacitance => fixed(aim[i] * 1e12, 2),
            Some(aim) => fixed(aim[i], 4),
            None => String::new(),
        };
        let ends =
            [("from", typed(&format!("{name}_from"), end(0))), ("to", typed(&format!("{name}_to"), end(1)))];
        TargetField { name, label: goal_label(*goal), unit, ends }
    };
    let own = design.coils.first().map_or(0, |c| c.wind.turns);
    let like_goal = goal_or(form.get("search_like_goal"), Goal::Output);
    let panel = SearchPanel {
        targets: TARGETS.iter().map(target).collect(),
        turns: [
            ("from", typed("search_turns_from", (own * 7 / 10).to_string())),
            ("to", typed("search_turns_to", (own * 14 / 10).to_string())),
        ],
        gauges: typed("search_gauges", "1".into()),
        freedoms: FREEDOMS
            .iter()
            .map(|(name, label, how)| Freedom { name, label, how, is_on: form.is_ticked(name) })
            .collect(),
        presets: TonePreset::ALL.into_iter().map(preset_button).collect(),
        like_of: references
            .iter()
            .map(|(id, label)| PanelChoice {
                value: id.to_string(),
                label: label.clone(),
                is_chosen: form.id("search_like_of") == Some(id.0),
            })
            .collect(),
        like_goal: Goal::ALL
            .iter()
            .map(|g| PanelChoice {
                value: g.key().to_owned(),
                label: goal_label(*g).to_owned(),
                is_chosen: like_goal == *g,
            })
            .collect(),
        like_by: typed("search_like_by", "15".into()),
    };
    render(&panel)
}

/// The targets and the search space of a form, or what is wrong with it by field.
fn command(form: &FormData) -> Result<(Vec<TargetRange>, SearchSpace), Errors> {
    let mut errors = Errors::new();
    let number = |goal: Goal, text: &str| -> Result<f64, String> {
        let text_of = |e: &dyn std::fmt::Display| e.to_string();
        match goal {
            Goal::Resistance => Resistance::parse(text).map(Resistance::ohms).map_err(|e| text_of(&e)),
            Goal::Inductance => Inductance::parse(text).map(Inductance::henries).map_err(|e| text_of(&e)),
            Goal::Peak => Frequency::parse(text).map(Frequency::hz).map_err(|e| text_of(&e)),
            Goal::Capacitance => {
                let bare = text.chars().all(|c| c.is_ascii_digit() || ".,".contains(c));
                let text = if bare { format!("{text} pF") } else { text.to_owned() };
                Capacitance::parse(&text).map(Capacitance::farads).map_err(|e| text_of(&e))
            }
            Goal::PeakHeight | Goal::Output => text
                .replace('−', "-")
                .trim_end_matches("dB")
                .trim()
                .parse::<f64>()
                .ok()
                .filter(|v| v.is_finite())
                .ok_or_else(|| "Not readable as decibels. Type +2 or -1.5.".to_owned()),
        }
    };
    let mut targets = Vec::new();
    for (name, goal, _) in TARGETS {
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
                    errors.insert(format!("{name}_to"), "The upper end is below the lower one.".into());
                }
                targets.push(TargetRange { goal, from, to });
            }
        }
    }
    let mut turns = |name: &str| match Turns::parse(form.get(name)) {
        Ok(turns) if (10..=50_000).contains(&turns.0) => turns.0,
        Ok(_) => {
            errors.insert(name.into(), "Between 10 and 50,000.".into());
            0
        }
        Err(error) => {
            errors.insert(name.into(), error.to_string());
            0
        }
    };
    let turns = (turns("search_turns_from"), turns("search_turns_to"));
    if turns.0 > turns.1 {
        errors.insert("search_turns_to".into(), "The upper end is below the lower one.".into());
    }
    if targets.is_empty() && errors.is_empty() {
        errors.insert("search_l_from".into(), "Enter at least one target.".into());
    }
    let gauges = form.get("search_gauges").parse::<u32>().unwrap_or(0).min(3);
    let may = |name: &str| form.is_ticked(name);
    let space = SearchSpace {
        turns,
        gauges,
        builds: may("search_builds"),
        alloys: may("search_alloys"),
        heights: may("search_heights"),
        cores: may("search_cores"),
        charges: may("search_charges"),
        lengths: may("search_lengths"),
    };
    debug_assert!((2 * gauges + 1) * 12 <= MOST_TRACKS);
    if errors.is_empty() { Ok((targets, space)) } else { Err(errors) }
}

/// What the beginning of a search answers.
#[derive(Serialize, Default)]
pub(super) struct SearchBegun {
    /// The job's name; empty when it has not begun.
    job: String,
    errors: Errors,
}

impl From<Errors> for SearchBegun {
    fn from(errors: Errors) -> Self {
        Self { job: String::new(), errors }
    }
}

/// Begins a search.
pub(super) async fn begin(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<web::Json<SearchBegun>, AppError> {
    let parent = parent_of(&app, &user, form.get("parent")).await?;
    let base = base_of(&form, parent.as_ref());
    let referred = spools::referred(&app, &user, &form).await?;
    let design = match sheet::read(&named(&form), &base, &referred) {
        Ok(read) => read.design,
        Err(errors) => return Ok(web::Json(errors.into())),
    };
    let (targets, space) = match command(&form) {
        Ok(command) => command,
        Err(errors) => return Ok(web::Json(errors.into())),
    };
    match app.workshop.begin_search(&user.actor, SearchCommand { design, targets, space }) {
        Ok(job) => Ok(web::Json(SearchBegun { job, errors: Errors::new() })),
        Err(refusal @ Refusal::TooManyJobs) => {
            let errors = Errors::from([("search_l_from".to_owned(), refusal_text(&refusal))]);
            Ok(web::Json(errors.into()))
        }
        Err(refusal) => Err(refusal.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn form(fields: &[(&str, &str)]) -> FormData {
        let mut all =
            vec![("search_turns_from", "6000"), ("search_turns_to", "9000"), ("search_gauges", "1")];
        all.extend_from_slice(fields);
        all.into_iter().collect()
    }

    #[test]
    fn targets_are_read_as_they_are_typed() {
        let (targets, space) =
            command(&form(&[("search_r_from", "8k"), ("search_output_to", "−1.5 dB")])).unwrap();
        assert_eq!((targets[0].goal, targets[0].from), (Goal::Resistance, 8000.0));
        assert_eq!((targets[1].goal, targets[1].to), (Goal::Output, -1.5));
        assert_eq!(space, SearchSpace { gauges: 1, ..SearchSpace::turns(6000, 9000) });
    }

    #[rstest]
    #[case(&[], "search_l_from")]
    #[case(&[("search_r_from", "much")], "search_r_from")]
    #[case(&[("search_l_from", "3"), ("search_l_to", "2")], "search_l_to")]
    #[case(&[("search_l_from", "3"), ("search_turns_to", "5")], "search_turns_to")]
    #[case(&[("search_output_from", "loud")], "search_output_from")]
    fn what_cannot_be_searched_for_is_told_at_its_field(#[case] fields: &[(&str, &str)], #[case] at: &str) {
        assert!(command(&form(fields)).unwrap_err().contains_key(at));
    }
}
