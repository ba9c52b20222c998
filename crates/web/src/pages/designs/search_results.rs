//! How far a search is, and the short list that it found.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::respond::render;
use actix_web::web;
use askama::Template;
use coil::design::Design;
use coil::quantity::Units;
use coil::search::{Candidate, Goal};
use presentation::differences::differences_in_words;
use presentation::figures::Figure;
use presentation::format::{KILOHERTZ, signed_db};
use presentation::search_form::goal_label;
use serde::Serialize;
use workshop::JobOutcome;

/// A candidate misses its targets by less than this share: it meets them.
const MEETS: f64 = 5e-4;
/// The figures of the short list.
const GOALS: [Goal; 4] = [Goal::Resistance, Goal::Inductance, Goal::Peak, Goal::Output];

struct CandidateRow {
    turns: String,
    /// What differs from the sheet, in words.
    changed: String,
    values: Vec<String>,
    miss: String,
    document: String,
    x: f64,
    y: f64,
}

/// Labels at the ends of the plot's axes.
struct Axes {
    peak: (String, String),
    output: (String, String),
}

#[derive(Template)]
#[template(path = "designs/_search_results.html")]
struct SearchResultsList {
    heads: Vec<&'static str>,
    rows: Vec<CandidateRow>,
    axes: Axes,
}

/// A figure of the short list: decibels to a tenth.
fn figure_text(goal: Goal, value: f64) -> String {
    if goal.is_level() { signed_db(value, 1) } else { Figure::from(goal).scale().text(value) }
}

fn miss_text(miss: f64) -> String {
    if miss >= 1.0 {
        "not possible".into()
    } else if miss < MEETS {
        "on target".into()
    } else {
        format!("{:.1} % off", miss * 100.0)
    }
}

fn results_markup(from: &Design, list: &[Candidate], units: Units) -> Result<String, AppError> {
    let span = |goal: Goal| {
        let values = list.iter().map(|c| goal.of(&c.prediction));
        values.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)))
    };
    let (peaks, outputs) = (span(Goal::Peak), span(Goal::Output));
    let place =
        |value: f64, (low, high): (f64, f64)| if high > low { (value - low) / (high - low) } else { 0.5 };
    let mut rows = Vec::with_capacity(list.len());
    for c in list {
        let changed: Vec<String> = differences_in_words(from, &[&c.design], units)
            .into_iter()
            .filter(|d| !d.is_turns)
            .filter_map(|d| Some(format!("{}: {}", d.what.to_lowercase(), d.values.last()?)))
            .collect();
        let turns: Vec<String> = c.design.coils.iter().map(|c| c.wind.turns.to_string()).collect();
        rows.push(CandidateRow {
            turns: turns.join(" + "),
            changed: if changed.is_empty() { "turns only".into() } else { changed.join(", ") },
            values: GOALS.iter().map(|g| figure_text(*g, g.of(&c.prediction))).collect(),
            miss: miss_text(c.miss),
            document: serde_json::to_string(&c.design)?,
            x: 34.0 + 180.0 * place(Goal::Peak.of(&c.prediction), peaks),
            y: 110.0 - 96.0 * place(Goal::Output.of(&c.prediction), outputs),
        });
    }
    let output = |value| figure_text(Goal::Output, value);
    render(&SearchResultsList {
        heads: GOALS.iter().map(|g| goal_label(*g)).collect(),
        rows,
        axes: Axes {
            peak: (KILOHERTZ.text(peaks.0), KILOHERTZ.text(peaks.1)),
            output: (output(outputs.0), output(outputs.1)),
        },
    })
}

/// How far a search is.
#[derive(Serialize)]
pub(super) struct SearchProgress {
    share: f64,
    /// Whether it is over.
    done: bool,
    /// The short list as markup; absent while it runs and when it was stopped.
    results: Option<String>,
}

/// How far a search is, and what it found.
pub(super) async fn progress(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
) -> Result<web::Json<SearchProgress>, AppError> {
    let job = app.workshop.job(&user.actor, &name)?;
    let outcome = job.outcome();
    let results = match &outcome {
        Some(JobOutcome::Found(found)) => {
            Some(results_markup(&found.from, &found.candidates, user.settings.units)?)
        }
        _ => None,
    };
    Ok(web::Json(SearchProgress { share: job.share(), done: outcome.is_some(), results }))
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::search::{SearchSpace, TargetRange, search_designs};

    #[test]
    fn the_short_list_carries_the_documents() {
        let from = tall_single("Sedge", 6, 10.4);
        let targets = [TargetRange { goal: Goal::Inductance, from: 2.0, to: 3.0 }];
        let space = SearchSpace { builds: true, ..SearchSpace::turns(7000, 8000) };
        let list = search_designs(&from, &targets, &space, &mut |_| true).unwrap();
        let markup = results_markup(&from, &list, Units::default()).unwrap();
        assert_eq!(markup.matches("data-document").count(), list.len());
        assert_eq!((miss_text(0.0), miss_text(2.0)), ("on target".into(), "not possible".into()));
    }
}
