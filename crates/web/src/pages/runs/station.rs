//! The winding station: the counter in large, what comes next, and whatever happens in one touch.

use super::{AppError, FormData, Frame, format};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::drawing;
use crate::winder_link::FollowedRun;
use actix_web::web::Bytes;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::design::{Design, Direction};
use coil::prediction::lay_coil;
use coil::quantity::fixed;
use coil::wire::tension_window_n;
use futures_util::stream;
use instruments::net::Line;
use instruments::simulated::Piece;
use instruments::{InstrumentError, Winder as _};
use serde::Deserialize;
use std::time::Duration;
use store::event::NewEvent;
use store::instrument::Instrument;
use store::run::Run;
use store::{RunId, WorkshopId};
use trade::winding::{Event, Progress, WindingEventKind};

#[derive(Template)]
#[template(path = "runs/station.html")]
struct StationPage {
    frame: Frame,
    run: u64,
    number: u32,
    design: String,
    revision: u32,
    planned: u32,
    stops: String,
    /// WinderLinks to choose from: number, name, whether it is the one.
    winders: Vec<(u64, String, bool)>,
    winder: u64,
    event_kinds: Vec<(&'static str, &'static str)>,
    direction: &'static str,
    arrow: String,
    tension: String,
    rpm: u32,
}

/// Which winder a page follows; 0 for none, the first when nothing is said.
#[derive(Deserialize)]
pub struct WinderQuery {
    winder: Option<u64>,
}

async fn winders(app: &App, workshop: WorkshopId) -> Result<Vec<Instrument>, AppError> {
    let all = app.store.of(workshop).instruments().await?;
    Ok(all.into_iter().filter(|i| i.kind == "winder").collect())
}

fn chosen(all: &[Instrument], asked: Option<u64>) -> Option<&Instrument> {
    match asked {
        Some(id) => all.iter().find(|i| i.id.0 == id),
        None => all.first(),
    }
}

/// The page.
pub async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<WinderQuery>,
) -> Result<HttpResponse, AppError> {
    let run = app.store.of(user.workshop()).run(RunId(*id)).await?;
    let all = winders(&app, user.workshop()).await?;
    let winder = chosen(&all, query.winder).map_or(0, |i| i.id.0);
    let coil = run.design.coils.first();
    let bare_m = coil.map_or(63e-6, |c| c.wire.gauge.bare_m());
    let (low, high) = tension_window_n(bare_m);
    let build = coil.map_or(0.0, |c| 0.7 * c.former.room_mm);
    let page = StationPage {
        run: run.row.id.0,
        number: run.row.number,
        design: run.row.design.clone(),
        revision: run.row.revision,
        planned: run.row.planned_turns,
        stops: run.row.stops.clone(),
        winders: all.iter().map(|i| (i.id.0, i.name.clone(), i.id.0 == winder)).collect(),
        winder,
        event_kinds: [
            WindingEventKind::GuidesMoved,
            WindingEventKind::Splice,
            WindingEventKind::Jumped,
            WindingEventKind::Loose,
        ]
        .map(|h| (h.key(), h.name()))
        .to_vec(),
        direction: match coil.map(|c| c.wind.direction) {
            Some(Direction::CounterClockwise) => "counter-clockwise",
            _ => "clockwise",
        },
        arrow: drawing::top(&run.design, &[build]),
        tension: format!("{} to {} N", fixed(low, 2), fixed(high, 2)),
        rpm: 500,
        frame: Frame::new(&user, "logbook", format!("Winding run {}", run.row.number)),
    };
    let html = page.render().map_err(|error| AppError::Internal(error.to_string()))?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(html))
}

/// What happens at the winder, as it happens: server-sent events, each the whole state as JSON; a comment every ten
/// seconds keeps the way open.
pub async fn live(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<WinderQuery>,
) -> Result<HttpResponse, AppError> {
    let run = app.store.of(user.workshop()).run(RunId(*id)).await?;
    let all = winders(&app, user.workshop()).await?;
    let winder = chosen(&all, query.winder).map(|i| i.address.clone());
    let followed = FollowedRun {
        workshop: user.workshop(),
        run: run.row.id,
        by: user.person.id,
        planned: run.row.planned_turns,
        stops: stops(&run),
        winder,
    };
    let receiver = app.winders.follow(&app.store, followed);
    let events = stream::unfold((receiver, true), |(mut receiver, first)| async move {
        let quiet = Duration::from_secs(10);
        if !first {
            match tokio::time::timeout(quiet, receiver.changed()).await {
                Ok(Ok(())) => {}
                Ok(Err(_)) => return None,
                Err(_) => {
                    return Some((
                        Ok::<_, actix_web::Error>(Bytes::from_static(b": quiet\n\n")),
                        (receiver, false),
                    ));
                }
            }
        }
        let text = serde_json::to_string(&*receiver.borrow_and_update()).unwrap_or_default();
        Some((Ok(Bytes::from(format!("data: {text}\n\n"))), (receiver, false)))
    });
    Ok(HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header(("Content-Encoding", "identity"))
        .streaming(events))
}

fn stops(run: &Run) -> Vec<u32> {
    run.row.stops.split(',').filter_map(|s| s.parse().ok()).collect()
}

/// Notes what happened; the same key again notes nothing more, and is as good an answer.
pub async fn note(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let Some(what) = WindingEventKind::from_key(form.get("what")) else {
        return Err(AppError::Unreadable("There is no such event.".into()));
    };
    let at_turn = form.get("at_turn").replace([',', '\u{202f}', ' '], "");
    let at_turn = match at_turn.parse::<u32>() {
        Ok(turn) if turn <= 100_000 => turn,
        _ => return Err(AppError::Unreadable("A turn is a whole number up to 100,000.".into())),
    };
    let words = form.get("words");
    if words.chars().count() > 500 {
        return Err(AppError::Unreadable("A remark has up to 500 letters.".into()));
    }
    let new = NewEvent { key: form.key()?, event: Event { what, at_turn }, words };
    let run = RunId(*id);
    let fresh = app.store.of(user.workshop()).note_event(run, user.person.id, &new).await?;
    app.winders.noted(run);
    Ok(HttpResponse::Ok().json(serde_json::json!({ "noted": true, "new": fresh })))
}

/// What the winder is told.
pub async fn command(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let run = app.store.of(user.workshop()).run(RunId(*id)).await?;
    let all = winders(&app, user.workshop()).await?;
    let Some(winder) = chosen(&all, form.get("winder").parse().ok()) else {
        return Err(AppError::Missing("winder"));
    };
    let mut line = Line::to(&winder.address);
    let outcome = match form.get("do") {
        "run" => {
            if winder.simulated {
                lay(&winder.address, &run.design, run.row.id.0).await.ok();
            }
            let rpm = form.get("rpm").parse::<f64>().ok().filter(|v| (1.0..=3000.0).contains(v));
            match rpm {
                // Only to the next stop: a winder that nobody can reach any more stops there by itself.
                Some(rpm) => {
                    let on = counted(&app, user.workshop(), &run).await?;
                    let next =
                        stops(&run).into_iter().chain([run.row.planned_turns]).filter(|s| *s > on).min();
                    line.run(rpm, next).await
                }
                None => return Err(AppError::Unreadable("A speed is 1 to 3,000 turns a minute.".into())),
            }
        }
        "stop" => line.stop().await,
        "preset" => match form.get("turns").parse::<u32>() {
            Ok(turns) if turns <= 100_000 => line.preset(turns).await,
            _ => return Err(AppError::Unreadable("A turn is a whole number up to 100,000.".into())),
        },
        _ => return Err(AppError::Unreadable("There is no such command.".into())),
    };
    app.winders.noted(run.row.id);
    let said = outcome.err().map(|error| error.to_string());
    Ok(HttpResponse::Ok().json(serde_json::json!({ "trouble": said })))
}

/// Lays a coil on a simulated bench: what a person does with a real one.
pub async fn lay(address: &str, design: &Design, run: u64) -> Result<(), InstrumentError> {
    let piece = Piece { design: design.clone(), seed: run, faults: Vec::new(), warmer_k: 6.0 };
    let text =
        serde_json::to_string(&piece).map_err(|error| InstrumentError::Refused { why: error.to_string() })?;
    Line::to(address).ask(&format!("SIM:LAY {text}")).await.map(drop)
}

/// How many turns the drawing shows.
#[derive(Deserialize)]
pub struct SectionQuery {
    turns: u32,
}

/// The coil as it should lie after so many turns.
pub async fn section(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<SectionQuery>,
) -> Result<HttpResponse, AppError> {
    let mut design = app.store.of(user.workshop()).run(RunId(*id)).await?.design;
    let svg = web::block(move || {
        let coil = design.coils.first_mut()?;
        coil.wind.turns = query.turns.clamp(10, 50_000);
        let (_, section) = lay_coil(&design, 0)?;
        Some(drawing::laid(&section))
    })
    .await?;
    let svg = svg.ok_or(AppError::Missing("section"))?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(svg))
}

/// Turns on the coil, as far as the winding log knows.
pub async fn counted(app: &App, workshop: WorkshopId, run: &Run) -> Result<u32, AppError> {
    let all: Vec<Event> =
        app.store.of(workshop).events(run.row.id).await?.into_iter().map(|h| h.event).collect();
    Ok(Progress::of(&all, run.row.planned_turns, &stops(run)).turns)
}

/// Events as the run's page lists them.
pub struct EventRow {
    pub what: &'static str,
    pub at_turn: String,
    pub words: String,
    pub by: String,
    pub when: String,
    pub when_iso: String,
}

/// The log of the winding, newest first, without the counts between.
pub async fn event_rows(app: &App, workshop: WorkshopId, run: RunId) -> Result<Vec<EventRow>, AppError> {
    let all = app.store.of(workshop).events(run).await?;
    let last = all.iter().rposition(|h| h.event.what == WindingEventKind::Count);
    let shown = all
        .iter()
        .enumerate()
        .rev()
        .filter(|(k, h)| h.event.what != WindingEventKind::Count || Some(*k) == last);
    Ok(shown
        .take(60)
        .map(|(_, h)| EventRow {
            what: h.event.what.name(),
            at_turn: format::turns(h.event.at_turn),
            words: h.words.clone(),
            by: h.by.clone(),
            when: format::moment(h.at),
            when_iso: format::iso(h.at),
        })
        .collect())
}
