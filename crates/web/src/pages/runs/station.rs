//! The winding station: the counter in large, what comes next, and whatever happens in one touch.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::render_page;
use crate::session::person_in;
use actix_web::web::Bytes;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::Word as _;
use coil::quantity::{ParseQuantity as _, Turns, fixed};
use coil::wire::tension_window_n;
use futures_util::stream;
use presentation::drawing;
use presentation::format;
use serde::{Deserialize, Serialize};
use std::time::{Duration, Instant};
use store::event::WindingEventRow;
use store::{InstrumentId, PersonId, RunId};
use tokio::sync::watch;
use trade::winding::{Event, Progress, WindingEventKind};
use workshop::{
    LogEvent, Permit, Refusal, RunInSet, StationState, StationTrouble, StopKey, TakeOver, WinderChoice,
    WinderCommand, WinderMotion, WinderOnRun, queue,
};

/// Between two messages to a browser when nothing changes.
const KEEP_ALIVE: Duration = Duration::from_secs(10);
/// How often a stream asks whether its session is still open.
const SESSION_CHECK: Duration = Duration::from_secs(5);
/// Most turns of a count.
const MOST_TURNS: u32 = 100_000;
/// Most letters of a remark.
const MOST_LETTERS: usize = 500;
/// Speed that is offered first, turns a minute.
const USUAL_RPM: u32 = 500;
/// What can be logged in one touch.
const ONE_TOUCH: [WindingEventKind; 4] = [
    WindingEventKind::GuidesMoved,
    WindingEventKind::Splice,
    WindingEventKind::Jumped,
    WindingEventKind::Loose,
];

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
    /// Winders to choose from: number, name, whether it is the one.
    winders: Vec<(u64, String, bool)>,
    winder: u64,
    event_kinds: Vec<(&'static str, &'static str)>,
    /// What was logged before, newest first: words, who or which machine, when.
    logged: Vec<(String, String, String)>,
    direction: String,
    /// What it is wound for.
    place: Option<RunInSet>,
    arrow: String,
    tension: String,
    rpm: u32,
    /// What the plan has wound at this winder after this run.
    queue: Vec<QueuedRun>,
}

/// Something that waits for the winder.
struct QueuedRun {
    when: String,
    what: String,
    run: Option<(u64, u32)>,
}

/// Which winder a page follows; 0 for none, the run's own when nothing is given.
#[derive(Deserialize)]
pub(super) struct WinderQuery {
    winder: Option<u64>,
}

fn choice(asked: Option<u64>) -> WinderChoice {
    match asked {
        None => WinderChoice::OfRun,
        Some(0) => WinderChoice::None,
        Some(id) => WinderChoice::This(InstrumentId(id)),
    }
}

/// The page.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<WinderQuery>,
) -> Result<HttpResponse, AppError> {
    let run = app.workshop.run(&user.actor, RunId(*id)).await?;
    let all = app.workshop.winders_for(&user.actor, run.row.id).await?;
    let chosen = app.workshop.chosen_winder(&user.actor, run.row.id, choice(query.winder)).await?;
    let winder = chosen.map_or(0, |i| i.id.0);
    let coil = run.design.coils.first();
    let bare_m = coil.map_or(63e-6, |c| c.wire.gauge.bare_m());
    let (low, high) = tension_window_n(bare_m);
    let build_mm = coil.map_or(0.0, |c| 0.7 * c.former.room_mm);
    let name = all.iter().find(|of| of.winder.id.0 == winder).map(|of| of.winder.name.clone());
    let queue = match name {
        Some(name) => queue_at(&app, &user, &name, run.row.id).await?,
        None => Vec::new(),
    };
    let page = StationPage {
        queue,
        run: run.row.id.0,
        number: run.row.number,
        design: run.row.design.clone(),
        revision: run.row.revision,
        planned: run.row.planned_turns,
        stops: run.row.stops.iter().map(ToString::to_string).collect::<Vec<_>>().join(","),
        winders: all.into_iter().map(|of| winder_option(of, winder)).collect(),
        winder,
        logged: app
            .workshop
            .latest_events(&user.actor, run.row.id, MOST_LOGGED)
            .await?
            .iter()
            .map(logged_line)
            .collect(),
        event_kinds: ONE_TOUCH.map(|kind| (kind.key(), kind.name())).to_vec(),
        direction: coil.map_or_else(String::new, |c| c.wind.direction.spoken()),
        place: app.workshop.set_of_run(&user.actor, run.row.id, &run.design).await?,
        arrow: drawing::top(&run.design, &[build_mm], user.settings.units),
        tension: format!("{} to {} N", fixed(low, 2), fixed(high, 2)),
        rpm: USUAL_RPM,
        frame: Frame::new(&user, "logbook", format!("Winding run {}", run.row.number)),
    };
    render_page(&page, false)
}

/// Events that were logged before and are shown.
const MOST_LOGGED: usize = 6;

/// An event in a line: its turn and words, who or which machine logged it, when.
fn logged_line(row: &WindingEventRow) -> (String, String, String) {
    let words = if row.words.is_empty() { row.event.what.name() } else { &row.words };
    (format!("{}: {words}", format::turns(row.event.at_turn)), row.by.clone(), format::iso(row.at))
}

/// Most of what waits that is shown.
const MOST_QUEUED: usize = 5;

/// What the plan has wound at a winder after a run; nothing where there is no plan.
async fn queue_at(
    app: &App,
    user: &CurrentUser,
    winder: &str,
    but: RunId,
) -> Result<Vec<QueuedRun>, AppError> {
    let plan = match app.workshop.shop_plan(&user.actor).await {
        Ok(plan) => plan,
        Err(Refusal::NotSchedulable(_)) => return Ok(Vec::new()),
        Err(refusal) => return Err(refusal.into()),
    };
    let waiting = queue(&plan, winder).filter(|(job, ..)| job.run.is_none_or(|(run, _)| run != but));
    Ok(waiting
        .take(MOST_QUEUED)
        .map(|(job, _, at)| QueuedRun {
            when: at.start.to_string().replace('T', " "),
            what: match job.order {
                Some((_, number)) => format!("{}, order {number}", job.what),
                None => job.what.clone(),
            },
            run: job.run.map(|(id, number)| (id.0, number)),
        })
        .collect())
}

/// A winder to choose: number, name with the open run that it is on, whether it is the one.
fn winder_option(WinderOnRun { winder, other_run }: WinderOnRun, chosen: u64) -> (u64, String, bool) {
    let on = other_run.map_or_else(String::new, |run| format!(" (on run {run})"));
    (winder.id.0, format!("{}{on}", winder.name), winder.id.0 == chosen)
}

/// A station's state as its script takes it.
#[derive(Serialize)]
struct StationMessage {
    #[serde(flatten)]
    progress: Progress,
    rpm: f64,
    minutes: Option<f64>,
    tension_n: Option<f64>,
    winder: Option<WinderMotion>,
    counter: Option<u32>,
    /// The open run that the winder counts for instead.
    #[serde(skip_serializing_if = "Option::is_none")]
    other_run: Option<u32>,
    /// Whether nobody said yet that the counter counts for this run.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    is_untaken: bool,
    /// Whether the run is signed off or void.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    is_closed: bool,
    /// What is the matter, in words; empty when nothing is.
    trouble: String,
    /// With this the winder is stopped, also while the database is away; absent for those who only look on.
    #[serde(skip_serializing_if = "Option::is_none")]
    stop_key: Option<String>,
}

fn trouble_text(trouble: &StationTrouble) -> String {
    match trouble {
        StationTrouble::LogAway => {
            "The log cannot be read just now. The winder’s own counter goes on.".into()
        }
        StationTrouble::NotLogged => {
            "The turns could not be logged just now. The counter keeps them; they are logged later.".into()
        }
        StationTrouble::Winder { detail } => format!("Winder: {detail}."),
        StationTrouble::CounterBehind { counter, log } => format!(
            "The counter shows {}, but {} turns are logged. Set the counter, or log a preset if the coil has fewer turns.",
            format::turns(counter),
            format::turns(log)
        ),
        StationTrouble::CounterAhead { counter, log } => format!(
            "The counter went from {} to {}, which no winder does. Say whether those turns are on the coil.",
            format::turns(log),
            format::turns(counter)
        ),
        StationTrouble::CounterNotTaken { counter, log, other_run } => {
            let stands = if counter == log {
                format!("Its counter shows {}, as this run’s log does.", format::turns(counter))
            } else {
                format!(
                    "Its counter shows {}; {} turns are logged here.",
                    format::turns(counter),
                    format::turns(log)
                )
            };
            match other_run {
                Some(run) => format!("This winder counts for run {run}, which is open. {stands}"),
                None => format!("This winder does not count for this run yet. {stands}"),
            }
        }
        StationTrouble::RunClosed => {
            "This run is signed off or void: turns are shown, and nothing is logged.".into()
        }
    }
}

fn message(state: &StationState, stop_key: Option<&StopKey>) -> StationMessage {
    StationMessage {
        progress: state.progress,
        rpm: state.rpm,
        minutes: state.minutes,
        tension_n: state.tension_n,
        winder: state.winder,
        counter: state.counter,
        other_run: match state.trouble {
            Some(StationTrouble::CounterNotTaken { other_run, .. }) => other_run,
            _ => None,
        },
        is_untaken: matches!(state.trouble, Some(StationTrouble::CounterNotTaken { .. })),
        is_closed: state.trouble == Some(StationTrouble::RunClosed),
        trouble: state.trouble.as_ref().map(trouble_text).unwrap_or_default(),
        stop_key: stop_key.map(|key| key.text().to_owned()),
    }
}

/// A stream that follows a run for as long as its session is open.
struct Following {
    app: web::Data<App>,
    session: String,
    person: PersonId,
    stop_key: Option<StopKey>,
    receiver: watch::Receiver<StationState>,
    checked: Instant,
    _permit: Permit,
}

impl Following {
    /// The state as JSON.
    fn state(&mut self) -> String {
        let now = message(&self.receiver.borrow_and_update(), self.stop_key.as_ref());
        serde_json::to_string(&now).unwrap_or_default()
    }

    /// The next state; `Some(None)` where nothing has changed for a while, `None` at the end.
    async fn next(&mut self) -> Option<Option<String>> {
        let changed = tokio::time::timeout(KEEP_ALIVE, self.receiver.changed()).await;
        if matches!(changed, Ok(Err(_))) {
            return None;
        }
        if self.checked.elapsed() >= SESSION_CHECK {
            self.checked = Instant::now();
            let workshop = &self.app.workshop;
            match workshop.named_session_state(&self.session).await {
                Ok(state) if state.as_deref().and_then(person_in) != Some(self.person) => return None,
                // Whoever watches a winder that runs need not touch the page.
                Ok(_) if self.receiver.borrow().rpm > 0.0 => {
                    if let Err(error) = workshop.prolong_named_session(&self.session).await {
                        tracing::warn!(%error, "a session could not be prolonged");
                    }
                }
                Ok(_) => {}
                // A database that does not answer just now ends no stream: the winder is still to be watched.
                Err(error) => tracing::warn!(%error, "a stream's session could not be read"),
            }
        }
        Some(changed.is_ok().then(|| self.state()))
    }
}

/// What happens at the winder, as it happens: server-sent events, each the whole state as JSON; a comment every ten
/// seconds keeps the connection open.
pub(super) async fn live(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<WinderQuery>,
) -> Result<HttpResponse, AppError> {
    let permit = app.workshop.permit_stream(&user.actor)?;
    let (receiver, stop_key) = app.workshop.follow(&user.actor, RunId(*id), choice(query.winder)).await?;
    let following = Following {
        app,
        session: user.session_id,
        person: user.person.id,
        stop_key,
        receiver,
        checked: Instant::now(),
        _permit: permit,
    };
    let events = stream::unfold((following, true), |(mut following, is_first)| async move {
        let text = if is_first { Some(following.state()) } else { following.next().await? };
        // Without a change a comment keeps the connection open.
        let bytes = text
            .map_or(Bytes::from_static(b": no change\n\n"), |text| Bytes::from(format!("data: {text}\n\n")));
        Some((Ok::<_, actix_web::Error>(bytes), (following, false)))
    });
    Ok(HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header(("Content-Encoding", "identity"))
        .streaming(events))
}

/// A count of turns as typed.
fn turns(typed: &str) -> Result<u32, AppError> {
    let turns = Turns::parse(typed).ok().map(|Turns(turns)| turns).filter(|turns| *turns <= MOST_TURNS);
    turns.ok_or_else(|| AppError::BadRequest("Turns are a whole number up to 100,000.".into()))
}

/// What an event's sender is told.
#[derive(Serialize)]
struct EventAnswer {
    /// Whether it was not logged before.
    new: bool,
}

/// Why an event was not logged.
#[derive(Serialize)]
struct EventRefused {
    refused: String,
}

/// Logs what happened; the same key again logs nothing more, and is as good an answer.
pub(super) async fn log_event(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let what = WindingEventKind::from_key(form.get("what")).ok_or(AppError::NotFound("winding event"))?;
    let at_turn = turns(form.get("at_turn"))?;
    let remark = form.get("words");
    if remark.chars().count() > MOST_LETTERS {
        return Err(AppError::BadRequest(format!("A remark has up to {MOST_LETTERS} letters.")));
    }
    let command = LogEvent {
        key: form.key()?,
        event: Event { what, at_turn },
        remark: remark.to_owned(),
        is_confirmed: form.is_ticked("confirmed"),
    };
    match app.workshop.log_event(&user.actor, RunId(*id), &command).await {
        Ok(new) => Ok(HttpResponse::Ok().json(EventAnswer { new })),
        Err(refusal @ Refusal::ImplausibleTurns { .. }) => {
            Ok(HttpResponse::UnprocessableEntity().json(EventRefused { refused: refusal_text(&refusal) }))
        }
        Err(other) => Err(other.into()),
    }
}

/// What the sender of a command is told.
#[derive(Serialize)]
struct CommandAnswer {
    /// Why it was not done; absent when it was.
    trouble: Option<String>,
}

/// Commands the winder.
pub(super) async fn command(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let command = match form.get("do") {
        "run" => {
            let rpm = form.get("rpm").parse().ok().filter(|v| (1.0..=3000.0).contains(v));
            let rpm =
                rpm.ok_or_else(|| AppError::BadRequest("A speed is 1 to 3,000 turns a minute.".into()))?;
            WinderCommand::Run { rpm }
        }
        "stop" => WinderCommand::Stop,
        "take" => return take_over(&app, &user, RunId(*id), &form).await,
        "preset" => WinderCommand::Preset { turns: turns(form.get("turns"))? },
        _ => return Err(AppError::NotFound("winder command")),
    };
    if user.is_resting && !matches!(command, WinderCommand::Stop) {
        return Err(AppError::Stand(format!("/runs/{id}/station")));
    }
    let choice = choice(form.id("winder"));
    answer(app.workshop.command_winder(&user.actor, RunId(*id), choice, command).await)
}

/// What the sender of a command is told: what the winder or its counter has against it is shown at the station.
fn answer(done: Result<(), Refusal>) -> Result<HttpResponse, AppError> {
    let trouble = match done {
        Ok(()) => None,
        Err(
            refusal @ (Refusal::Instrument { .. }
            | Refusal::RunClosed
            | Refusal::WinderInUse { .. }
            | Refusal::CounterNotTaken { .. }),
        ) => Some(refusal_text(&refusal)),
        Err(refusal) => return Err(refusal.into()),
    };
    Ok(HttpResponse::Ok().json(CommandAnswer { trouble }))
}

/// Takes the counter over for this run.
async fn take_over(
    app: &App,
    user: &CurrentUser,
    run: RunId,
    form: &FormData,
) -> Result<HttpResponse, AppError> {
    if user.is_resting {
        return Err(AppError::Stand(format!("/runs/{run}/station")));
    }
    let how = match form.get("how") {
        "set" => TakeOver::SetToLog,
        "mine" => TakeOver::TheseTurns,
        _ => return Err(AppError::NotFound("way to take a counter over")),
    };
    let choice = choice(form.id("winder"));
    let said = (how, form.is_ticked("from_other"));
    answer(app.workshop.take_over_counter(&user.actor, run, choice, said).await)
}

/// What a winder is stopped with.
#[derive(Deserialize)]
pub(super) struct StopForm {
    key: String,
}

/// Stops the winder that belongs to a key. It takes no session, since that is kept in the database, which may be away: whoever
/// watches the winder was told the key, and stopping is all that it does.
pub(super) async fn stop(app: web::Data<App>, form: web::Form<StopForm>) -> Result<HttpResponse, AppError> {
    let trouble = match app.workshop.stop_winder(&form.key).await {
        Ok(()) => None,
        Err(refusal @ Refusal::Instrument { .. }) => Some(refusal_text(&refusal)),
        Err(refusal) => return Err(refusal.into()),
    };
    Ok(HttpResponse::Ok().json(CommandAnswer { trouble }))
}

/// How many turns the drawing shows.
#[derive(Deserialize)]
pub(super) struct SectionQuery {
    turns: u32,
}

/// The coil as it should lie after so many turns.
pub(super) async fn section(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    query: web::Query<SectionQuery>,
) -> Result<HttpResponse, AppError> {
    let section = app.workshop.expected_lay(&user.actor, RunId(*id), query.turns).await?;
    Ok(HttpResponse::Ok()
        .content_type("text/html; charset=utf-8")
        .body(drawing::laid(&section, user.settings.units)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::{Value, json};

    fn sent(state: &StationState, key: Option<&StopKey>) -> Value {
        serde_json::to_value(message(state, key)).unwrap_or_default()
    }

    /// What the page's script reads: these names are its contract.
    #[test]
    fn a_message_has_the_names_that_the_script_reads() {
        let state = StationState {
            rpm: 512.0,
            minutes: Some(7.5),
            tension_n: Some(0.18),
            winder: Some(WinderMotion::Run),
            ..StationState::default()
        };
        let sent = sent(&state, None);
        let names: Vec<&str> =
            sent.as_object().map(|all| all.keys().map(String::as_str).collect()).unwrap_or_default();
        let expected = [
            "counter",
            "minutes",
            "next_stop",
            "rpm",
            "stands",
            "tension_n",
            "to_go",
            "trouble",
            "turns",
            "winder",
        ];
        assert_eq!(names, expected, "who may not wind is told no key");
        assert_eq!(
            (&sent["winder"], &sent["rpm"], &sent["trouble"]),
            (&json!("run"), &json!(512.0), &json!(""))
        );
    }

    #[test]
    fn every_trouble_is_said() {
        let all = [
            StationTrouble::LogAway,
            StationTrouble::NotLogged,
            StationTrouble::Winder { detail: "no answer within 3 s".into() },
            StationTrouble::CounterBehind { counter: 12, log: 4120 },
            StationTrouble::CounterAhead { counter: 60_000, log: 300 },
            StationTrouble::CounterNotTaken { counter: 0, log: 0, other_run: None },
            StationTrouble::CounterNotTaken { counter: 7430, log: 0, other_run: Some(12) },
            StationTrouble::RunClosed,
        ];
        let mut texts: Vec<String> = all.iter().map(trouble_text).collect();
        assert!(texts[2].contains("no answer within 3 s"));
        assert!(texts[3].contains("12") && texts[3].contains("4120"));
        texts.sort();
        texts.dedup();
        assert_eq!(texts.len(), all.len(), "each in words of its own");
    }

    #[test]
    fn a_count_of_turns_is_read_as_people_write_it() {
        for (typed, turns_) in [("7500", 7500), ("7,500", 7500), ("14\u{202f}800", 14_800), ("0", 0)] {
            assert_eq!(turns(typed).ok(), Some(turns_), "{typed}");
        }
        for bad in ["", "-1", "7500.5", "3.5", "3,5", "many", "100001", "4294967297"] {
            assert!(turns(bad).is_err(), "{bad}");
        }
    }
}
