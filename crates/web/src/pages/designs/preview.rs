//! What a design will be, as markup: the strip, drawings with their panel, notices and what changed.

use super::view::{Drawn, Figure, View, figures};
use super::{assumptions, audition, maps, search, sensitivity};
use crate::app::App;
use crate::components::strip::{Cell, CellContext, cells};
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::render;
use actix_web::web;
use askama::Template;
use coil::design::{Change, Design, Problem, differences};
use coil::prediction::{Level, Notice, Prediction};
use coil::quantity::Units;
use presentation::differences::{Difference, changes_in_words};
use presentation::plot::{Curve, curves, measured, without_input};
use store::design::Revision;
use workshop::{ContextQuery, DesignContext, MOST_OVERLAYS, Overlay, OverlayRef};

/// What the sheet will be: the strip, drawings and notices.
pub(super) struct PreviewMarkup {
    /// The strip's cells.
    pub strip: String,
    /// Figures with the choice of views.
    pub drawings: String,
    /// Notices and what changed.
    pub notices: String,
}

#[derive(Template)]
#[template(path = "designs/_strip.html")]
struct Strip {
    cells: Vec<Cell>,
}

#[derive(Template)]
#[template(path = "designs/_drawings.html")]
struct Drawings {
    views: Vec<(&'static str, &'static str, bool)>,
    figures: Vec<Figure>,
    panel: String,
}

#[derive(Template)]
#[template(path = "designs/_notices.html")]
struct Notices<'a> {
    all: &'a [Notice],
    units: Units,
    changes: &'a [Difference],
    compared: bool,
    /// Independent things that differ from the parent.
    things: usize,
}

#[derive(Template)]
#[template(path = "designs/_overlay.html")]
struct OverlayPanel<'a> {
    laid: Vec<(String, &'a str)>,
    choices: Vec<(String, &'a str)>,
}

/// How many independent things changed: all poles' lengths are one, a core that followed the strings is none.
pub(super) fn independent(changes: &[Change]) -> usize {
    let followed = changes.iter().any(|c| c.at.starts_with("strings."));
    let mut things: Vec<String> = changes
        .iter()
        .filter(|c| c.at != "name" && !c.at.starts_with("aims") && c.at != "room_c")
        .filter(|c| !(followed && (c.at.contains(".core.length") || c.at.contains("x_mm"))))
        .map(|c| c.at.chars().filter(|c| !c.is_ascii_digit()).collect())
        .collect();
    things.sort();
    things.dedup();
    things.len()
}

fn not_predicted(problems: &[Problem]) -> Vec<Notice> {
    problems
        .iter()
        .map(|p| Notice {
            level: Level::Stop,
            code: "not-predicted".into(),
            at: p.at.clone(),
            text: p.text.clone(),
            try_: p.try_.clone(),
        })
        .collect()
}

/// What a view needs beside the prediction.
fn context_query(view: View, form: Option<&FormData>) -> ContextQuery {
    let laid = form.map_or("", |f| f.get("overlay"));
    let overlays: Vec<OverlayRef> = if view == View::Pickup {
        laid.split(',').filter_map(|r| r.parse().ok()).collect()
    } else {
        Vec::new()
    };
    ContextQuery {
        overlays: overlays.into_iter().take(MOST_OVERLAYS).collect(),
        overlay_choices: form.is_some() && view == View::Pickup,
        references: form.is_some() && matches!(view, View::Search | View::Listen),
        own_sweeps: form.is_none() && view == View::Pickup,
    }
}

fn overlay_curves(context: &DesignContext, prediction: Option<&Prediction>) -> Vec<Curve> {
    let mut all = Vec::new();
    for (k, (_, name, overlay)) in context.overlays.iter().enumerate() {
        match overlay {
            Overlay::Prediction(prediction) => all.extend(curves(name, k + 1, &prediction.response)),
            Overlay::Sweep(sweep) => {
                all.push(measured(name, k + 1, sweep));
                all.extend(prediction.and_then(|p| without_input(name, k + 1, sweep, p)));
            }
        }
    }
    all
}

fn overlay_panel(context: &DesignContext) -> Result<String, AppError> {
    let laid =
        context.overlays.iter().filter_map(|(r, name, _)| Some((r.as_ref()?.to_string(), name.as_str())));
    let choices = context.overlay_choices.iter().map(|(r, name)| (r.to_string(), name.as_str()));
    render(&OverlayPanel { laid: laid.collect(), choices: choices.collect() })
}

/// What a design will be, against its parent: `of` is the revision that it is, or goes on from.
///
/// The view comes with what the sheet's panels were filled with; a page that only shows has none, and no panels.
pub(super) async fn preview_markup(
    (app, user): (&App, &CurrentUser),
    design: &Design,
    parent: Option<&Design>,
    of: Option<&Revision>,
    (view, form): (View, Option<&FormData>),
) -> Result<PreviewMarkup, AppError> {
    let query = context_query(view, form);
    let units = user.settings.units;
    let found = app.workshop.preview(&user.actor, design, parent, of, &query).await?;
    let changed = parent.map(|p| differences(p, design));
    let things = changed.as_deref().map_or(0, independent);
    let changes = match (parent, changed) {
        (Some(parent), Some(changed)) => changes_in_words(parent, vec![(design, changed)], units),
        _ => Vec::new(),
    };
    let (prediction, notices) = match &found.prediction {
        Ok(prediction) => (Some(prediction.clone()), prediction.notices.clone()),
        Err(problems) => (None, not_predicted(problems)),
    };
    let before = found.before.as_ref().map(|b| b.summary());
    let context = CellContext {
        units,
        before: before.as_ref(),
        measured: &[],
        coils: found.context.measured,
        calibration: Some((&found.context.applied, found.context.calibration)),
        analyser: prediction.as_ref().zip(found.context.analyser.as_ref()).and_then(
            |(prediction, (name, input))| Some((name.as_str(), prediction.resonance_seen_by(*input)?)),
        ),
    };
    let strip = prediction.as_ref().map_or_else(Vec::new, |p| cells(design, &p.summary(), &context));
    let panel = match (view, form) {
        (View::Pickup, Some(_)) => overlay_panel(&found.context)?,
        (View::Sensitivity, Some(form)) => sensitivity::panel(form)?,
        (View::Maps, Some(_)) => maps::panel()?,
        (View::Assumptions, Some(_)) => assumptions::panel()?,
        (View::Search, Some(form)) => search::panel(design, form, &found.context.references, units)?,
        (View::Listen, Some(form)) => audition::panel(form, &found.context.references)?,
        _ => String::new(),
    };
    let overlays = overlay_curves(&found.context, prediction.as_deref());
    let drawn = design.clone();
    let figures = web::block(move || {
        let drawn = Drawn {
            design: &drawn,
            solution: found.solution.as_deref().ok(),
            prediction: prediction.as_deref(),
            before: found.before.as_deref(),
            overlays: &overlays,
            units,
        };
        figures(view, &drawn)
    })
    .await?;
    let views = View::ALL.iter().filter(|(v, _, _)| form.is_some() || !v.needs_sheet());
    Ok(PreviewMarkup {
        strip: render(&Strip { cells: strip })?,
        drawings: render(&Drawings {
            views: views.map(|(v, name, label)| (*name, *label, *v == view)).collect(),
            figures,
            panel,
        })?,
        notices: render(&Notices {
            all: &notices,
            units,
            changes: &changes,
            compared: parent.is_some(),
            things,
        })?,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::{Format, Stagger, Step, follow_row, starting_point};

    #[test]
    fn a_row_of_poles_is_one_thing_and_what_follows_is_none() {
        let base = starting_point(Format::TallSingle, "Sedge", 6, 10.4);
        let mut staggered = base.clone();
        Step::Stagger(Stagger::Stepped).apply(&mut staggered).unwrap();
        assert_eq!(independent(&differences(&base, &staggered)), 1);
        let mut wider = base.clone();
        wider.strings.pitch_mm = 10.0;
        follow_row(&base, &mut wider);
        assert_eq!(independent(&differences(&base, &wider)), 1);
        wider.coils[0].wind.turns = 8000;
        wider.name = "Sedge two".into();
        assert_eq!(independent(&differences(&base, &wider)), 2);
    }
}
