//! Finding a set that meets its targets: the ranges that may change, how far the search is, and what it found.

use super::form;
use super::outcome::told;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::render;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::quantity::Units;
use coil::set::{PickupMove, PickupRange, SetCandidate};
use presentation::form_fields::Errors;
use presentation::format::{KILOHERTZ, signed_db, signed_percent};
use presentation::read::{number_in, optional};
use serde_json::json;
use store::{ClientKey, PickupSetId};
use workshop::{JobOutcome, Refusal, SetSearchResults};

/// What may change of a pickup, as the panel asks.
pub(super) struct RangeFields {
    pub index: usize,
    pub name: String,
}

/// A candidate as it is told.
struct CandidateRow {
    /// What is changed, pickup by pickup, in words.
    changes: Vec<String>,
    balance: String,
    hum: String,
    peaks: String,
    is_met: bool,
    /// For the form that takes it.
    moves: String,
}

#[derive(Template)]
#[template(path = "sets/_search_results.html")]
struct ResultsPart {
    id: u64,
    version: u32,
    token: String,
    key: ClientKey,
    rows: Vec<CandidateRow>,
    can_save: bool,
}

fn ranges(form: &FormData, pickups: usize, errors: &mut Errors) -> Vec<PickupRange> {
    let mut number = |name: String, most: f64, unit: &'static str| {
        optional(form, errors, &name, (0.0, most), number_in(unit)).unwrap_or_default()
    };
    (0..pickups)
        .map(|i| PickupRange {
            turns: number(format!("r{i}_turns"), 50.0, "%") / 100.0,
            place_mm: number(format!("r{i}_place"), 40.0, "mm"),
            height_mm: number(format!("r{i}_height"), 3.0, "mm"),
        })
        .collect()
}

/// Begins a search from the form as it stands.
pub(super) async fn begin(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (draft, mut errors) = form::read(&form, user.settings.units);
    let ranges = ranges(&form, draft.pickups.len(), &mut errors);
    if errors.is_empty() && ranges.iter().all(|r| *r == PickupRange::default()) {
        errors.insert("r0_turns".into(), "Say what may change: a number in one field at least.".into());
    }
    if !errors.is_empty() {
        return Ok(HttpResponse::Ok().json(json!({ "errors": errors })));
    }
    match app.workshop.begin_set_search(&user.actor, &draft, ranges).await {
        Ok(job) => Ok(HttpResponse::Ok().json(json!({ "job": job, "errors": {} }))),
        Err(Refusal::NotPredictable(problems)) => {
            form::at_fields(&problems, &mut errors);
            Ok(HttpResponse::Ok().json(json!({ "errors": errors })))
        }
        Err(refusal @ Refusal::TooManyJobs) => {
            Ok(HttpResponse::Ok().json(json!({ "errors": { "r0_turns": refusal_text(&refusal) } })))
        }
        Err(refusal) => Err(refusal.into()),
    }
}

fn words(by: &PickupMove, name: &str, units: Units) -> Option<String> {
    let mut all = Vec::new();
    if (by.turns - 1.0).abs() > 5e-4 {
        all.push(format!("turns {}", signed_percent(by.turns - 1.0, 1)));
    }
    let moved = |mm: f64, more: &str, less: &str| {
        (mm.abs() > 0.02)
            .then(|| format!("{} {}", units.length(mm.abs(), 1), if mm > 0.0 { more } else { less }))
    };
    all.extend(moved(by.place_mm, "further from the bridge", "nearer to the bridge"));
    all.extend(moved(by.height_mm, "further from the strings", "nearer to the strings"));
    (!all.is_empty()).then(|| format!("{name}: {}", all.join(", ")))
}

fn row(found: &SetSearchResults, candidate: &SetCandidate, units: Units) -> CandidateRow {
    let p = &candidate.prediction;
    let pickups = &found.from.pickups;
    let changes: Vec<String> = candidate
        .moves
        .iter()
        .zip(pickups)
        .filter_map(|(by, pickup)| words(by, &pickup.name, units))
        .collect();
    let worst =
        p.balance.iter().map(|b| b.relative_db).fold(0.0_f64, |m, v| if v.abs() > m.abs() { v } else { m });
    let several = found.from.switch.iter().zip(&p.positions).filter(|(given, _)| given.on.len() > 1);
    let hum = several.map(|(_, p)| p.hum_rejection_db).fold(f64::INFINITY, f64::min);
    let peaks = p
        .positions
        .iter()
        .map(|p| p.peak_hz.map_or_else(|| "none".to_owned(), |q| KILOHERTZ.text(q.nominal)));
    let moves =
        candidate.moves.iter().map(|m| format!("{:.6};{:.4};{:.4}", m.turns, m.place_mm, m.height_mm));
    CandidateRow {
        changes: if changes.is_empty() { vec!["nothing changes".to_owned()] } else { changes },
        balance: signed_db(worst, 1),
        hum: if hum.is_finite() { format!("{hum:.0} dB") } else { "–".to_owned() },
        peaks: peaks.collect::<Vec<_>>().join(", "),
        is_met: candidate.miss < 0.1,
        moves: moves.collect::<Vec<_>>().join("|"),
    }
}

/// How far a search is, and what it found once it has ended.
pub(super) async fn progress(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
    query: crate::query::QueryParameters,
) -> Result<HttpResponse, AppError> {
    let job = app.workshop.job(&user.actor, &name)?;
    let outcome = job.outcome();
    let results = match &outcome {
        Some(JobOutcome::FoundSets(found)) => {
            let (id, version) =
                (query.number("set").unwrap_or_default(), query.number("version").unwrap_or_default());
            let part = ResultsPart {
                id,
                version: u32::try_from(version).unwrap_or_default(),
                token: user.token.clone(),
                key: ClientKey::random(),
                rows: found.candidates.iter().map(|c| row(found, c, user.settings.units)).collect(),
                can_save: id > 0 && user.actor.may(workshop::Action::ChangeDesigns),
            };
            Some(render(&part)?)
        }
        _ => None,
    };
    Ok(HttpResponse::Ok()
        .json(json!({ "done": outcome.is_some(), "share": job.share(), "results": results })))
}

fn moves_of(text: &str) -> Option<Vec<PickupMove>> {
    text.split('|')
        .map(|one| {
            let mut numbers = one.split(';').map(|n| n.parse::<f64>().ok().filter(|v| v.is_finite()));
            let mut next = || numbers.next().flatten();
            Some(PickupMove { turns: next()?, place_mm: next()?, height_mm: next()? })
        })
        .collect()
}

/// Puts what was found into the set.
pub(super) async fn apply(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let moves = moves_of(form.get("moves")).ok_or(AppError::NotFound("change"))?;
    let of = (PickupSetId(*id), form.get("version").parse().unwrap_or_default());
    let done = app.workshop.apply_moves(&user.actor, &form.key()?, of, &moves).await;
    told(&session, *id, done, "")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moves_go_out_and_come_back() {
        assert_eq!(
            moves_of("1.05;0;-0.2|1;2.5;0"),
            Some(vec![
                PickupMove { turns: 1.05, place_mm: 0.0, height_mm: -0.2 },
                PickupMove { turns: 1.0, place_mm: 2.5, height_mm: 0.0 },
            ])
        );
        for wrong in ["", "1;2", "a;b;c", "1;inf;0", "1;2;3|"] {
            assert_eq!(moves_of(wrong), None, "{wrong}");
        }
        let words =
            words(&PickupMove { turns: 1.05, place_mm: 0.0, height_mm: -0.2 }, "neck", Units::default());
        assert!(words.is_some_and(|w| w.contains("+5.0 %") && w.contains("nearer to the strings")));
    }
}
