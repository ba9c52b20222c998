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
use coil::quantity::{Units, fixed};
use coil::search::{Goal, TonePreset};
use presentation::figures::Figure;
use presentation::form_fields::Errors;
use presentation::format::{signed_db, signed_percent};
use presentation::search_form::{FREEDOMS, TARGETS, goal_label, goal_or, read_search};
use presentation::sheet;
use serde::Serialize;
use std::borrow::Cow;
use store::RevisionId;
use workshop::{Refusal, SearchCommand};

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
    how: Cow<'static, str>,
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
    units: Units,
) -> Result<String, AppError> {
    let typed = |name: &str, usual: String| {
        if form.has(name) { form.get(name).to_owned() } else { usual }
    };
    let target = |(name, goal, unit): &(&'static str, Goal, &'static str)| {
        let end = |i: usize| match Figure::from(*goal).target(&design.targets) {
            Some(target) if target[i].is_infinite() => String::new(),
            Some(target) if *goal == Goal::Capacitance => fixed(target[i] * 1e12, 2),
            Some(target) => fixed(target[i], 4),
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
            .map(|(name, label, how)| Freedom {
                name,
                label,
                how: units.sentence(how),
                is_on: form.is_ticked(name),
            })
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
    let design = match sheet::read(&named(&form), &base, &referred, user.settings.units) {
        Ok(read) => read.design,
        Err(errors) => return Ok(web::Json(errors.into())),
    };
    let (targets, space) = match read_search(&form) {
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
