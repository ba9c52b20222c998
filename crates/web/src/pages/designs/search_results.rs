//! How far a search is, and the short list that it found.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::respond::render;
use actix_web::web;
use askama::Template;
use coil::quantity::Units;
use coil::search::{Candidate, Goal, Missed, SearchSpace};
use presentation::differences::differences_in_words;
use presentation::figures::Figure;
use presentation::format::{KILOHERTZ, signed_db, signed_percent};
use presentation::search_form::goal_label;
use serde::Serialize;
use workshop::{JobOutcome, SearchResults};

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
    /// Where nothing reaches the targets: which ones the nearest misses, and by how much.
    missed: Vec<String>,
    /// What else could be allowed to change.
    could_change: Vec<&'static str>,
    heads: Vec<&'static str>,
    rows: Vec<CandidateRow>,
    axes: Axes,
}

/// A figure of the short list: decibels to a tenth.
fn figure_text(goal: Goal, value: f64) -> String {
    if goal.is_level() { signed_db(value, 1) } else { Figure::from(goal).scale().text(value) }
}

fn miss_text(candidate: &Candidate) -> String {
    if !candidate.can_be_wound {
        "cannot be wound".into()
    } else if candidate.miss < MEETS {
        "on target".into()
    } else {
        format!("{:.1} % off", candidate.miss * 100.0)
    }
}

/// A target that is not reached, in words.
fn missed_text(missed: &Missed) -> String {
    let Missed { goal, value, end } = *missed;
    let off = if goal.is_level() { signed_db(value - end, 1) } else { signed_percent(value / end - 1.0, 1) };
    let wanted = if value < end { "at least" } else { "at most" };
    format!(
        "{}: {}, {wanted} {} is wanted ({off})",
        goal_label(goal),
        figure_text(goal, value),
        figure_text(goal, end)
    )
}

/// What was kept fixed.
fn could_change(space: &SearchSpace) -> Vec<&'static str> {
    let all = [
        (space.gauges == 0, "gauge"),
        (!space.builds, "build"),
        (!space.alloys, "alloy"),
        (!space.heights, "winding height"),
        (!space.cores, "core"),
        (!space.charges, "charge"),
        (!space.lengths, "pole length"),
    ];
    all.into_iter().filter(|(is_fixed, _)| *is_fixed).map(|(_, what)| what).collect()
}

fn results_markup(found: &SearchResults, units: Units) -> Result<String, AppError> {
    let (from, list) = (&found.from, found.candidates.as_slice());
    let span = |goal: Goal| {
        let values = list.iter().map(|c| goal.value_in(&c.prediction));
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
            values: GOALS.iter().map(|g| figure_text(*g, g.value_in(&c.prediction))).collect(),
            miss: miss_text(c),
            document: serde_json::to_string(&c.design)?,
            x: 34.0 + 180.0 * place(Goal::Peak.value_in(&c.prediction), peaks),
            y: 110.0 - 96.0 * place(Goal::Output.value_in(&c.prediction), outputs),
        });
    }
    let output = |value| figure_text(Goal::Output, value);
    let nearest = list.first().map_or_else(Vec::new, |best| best.missed(&found.targets));
    render(&SearchResultsList {
        missed: nearest.iter().map(missed_text).collect(),
        could_change: could_change(&found.space),
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
        Some(JobOutcome::Found(found)) => Some(results_markup(found, user.settings.units)?),
        _ => None,
    };
    Ok(web::Json(SearchProgress { share: job.share(), done: outcome.is_some(), results }))
}

#[cfg(test)]
mod tests {
    use super::*;
    use coil::design::tall_single;
    use coil::search::{TargetRange, search_designs};

    #[test]
    fn the_short_list_carries_the_documents() {
        let from = tall_single("Sedge", 6, 10.4);
        let results = |targets: &[TargetRange], space: SearchSpace| {
            let candidates = search_designs(&from, targets, &space, &mut |_| true).unwrap();
            SearchResults { from: from.clone(), targets: targets.to_vec(), space, candidates }
        };
        let reached = [TargetRange { goal: Goal::Inductance, from: 2.0, to: 3.0 }];
        let space = SearchSpace { builds: true, ..SearchSpace::turns(7000, 8000) };
        let found = results(&reached, space.clone());
        let markup = results_markup(&found, Units::default()).unwrap();
        assert_eq!(markup.matches("data-document").count(), found.candidates.len());
        assert!(!markup.contains("search-missed"));
        assert_eq!(miss_text(&found.candidates[0]), "on target");
        // Twenty henries are out of reach: the nearest comes first, and what it misses is said.
        let impossible = [TargetRange { goal: Goal::Inductance, from: 20.0, to: 22.0 }];
        let found = results(&impossible, space);
        let markup = results_markup(&found, Units::default()).unwrap();
        assert!(markup.contains("search-missed") && markup.contains("at least 20"), "{markup}");
        assert!((found.candidates[0].missed(&impossible)[0].end - 20.0).abs() < 1e-9);
        let henries = |c: &Candidate| c.prediction.pickup.inductance_h.nominal;
        assert!(found.candidates.iter().all(|c| henries(c) <= 1.001 * henries(&found.candidates[0])));
    }
}
