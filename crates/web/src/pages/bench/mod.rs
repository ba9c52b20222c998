//! The bench: what needs attention, what is being wound and designed now.

mod attention;

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use attention::{AttentionRow, row};
use presentation::format;
use store::ClientKey;
use store::design::{DesignFilter, RevisionRow};
use store::logbook::{LogFilter, LogbookRow};
use store::timer::Timer;
use time::Duration;
use trade::run::RunState;
use trade::verdict::Level;
use workshop::{Action, WindableRevision};

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config.route("/", web::get().to(show));
}

/// A timer as the bench shows it.
struct TimerRow {
    id: u64,
    label: String,
    run: Option<(u64, u32)>,
    /// When it is due, for machines.
    due_iso: String,
    due: String,
}

impl From<Timer> for TimerRow {
    fn from(timer: Timer) -> Self {
        let due = timer.started_at + Duration::minutes(timer.minutes.into());
        Self {
            id: timer.id.0,
            label: timer.label,
            run: timer.run_id.zip(timer.run_number).map(|(id, number)| (id.0, number)),
            due_iso: format::iso(due),
            due: format::moment(due),
        }
    }
}

/// Runs that wait for the same, the newest first.
struct OpenRuns {
    key: &'static str,
    name: &'static str,
    /// How many there are in all.
    count: u64,
    rows: Vec<LogbookRow>,
}

#[derive(Template, WebTemplate)]
#[template(path = "bench/bench.html")]
struct BenchPage {
    frame: Frame,
    attention: Vec<AttentionRow>,
    /// Runs that are not closed, by what they wait for.
    open: Vec<OpenRuns>,
    /// Open runs out of tolerance, and how many there are.
    off: Vec<LogbookRow>,
    off_count: u64,
    designs: Vec<RevisionRow>,
    /// What can be wound, for those who do not see the designs.
    windable: Vec<WindableRevision>,
    timers: Vec<TimerRow>,
    key: ClientKey,
}

async fn show(app: web::Data<App>, user: CurrentUser) -> Result<BenchPage, AppError> {
    /// How many of each the bench holds.
    const ROOM: usize = 6;
    let (workshop, actor) = (&app.workshop, &user.actor);
    let mut open = Vec::new();
    for state in [RunState::ToWind, RunState::ToMeasure, RunState::ToFinish] {
        let filter = LogFilter { state: Some(state), ..LogFilter::default() };
        let (rows, count) = workshop.logbook_page(actor, &filter, 0).await?;
        if count > 0 {
            let rows = rows.into_iter().take(ROOM).collect();
            open.push(OpenRuns { key: state.key(), name: state.name(), count, rows });
        }
    }
    let mut off = Vec::new();
    let mut off_count = 0;
    for level in [Level::Stop, Level::Look] {
        let filter = LogFilter { level: Some(level), state: Some(RunState::Open), ..LogFilter::default() };
        let (rows, count) = workshop.logbook_page(actor, &filter, 0).await?;
        off.extend(rows.into_iter().take(ROOM - off.len()));
        off_count += count;
    }
    let attention = workshop.attention(actor).await?.iter().map(row).collect();
    let mut designs = Vec::new();
    let mut windable = Vec::new();
    if actor.may(Action::ReadDesigns) {
        designs = workshop.designs(actor, &DesignFilter::default()).await?;
        designs.truncate(ROOM);
    } else if actor.may(Action::Wind) {
        windable = workshop.windable_revisions(actor).await?;
    }
    let timers = workshop.timers(actor).await?.into_iter().map(TimerRow::from).collect();
    Ok(BenchPage {
        frame: Frame::new(&user, "bench", "Bench"),
        attention,
        open,
        off,
        off_count,
        designs,
        windable,
        timers,
        key: ClientKey::random(),
    })
}
