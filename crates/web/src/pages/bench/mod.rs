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

#[derive(Template, WebTemplate)]
#[template(path = "bench/bench.html")]
struct BenchPage {
    frame: Frame,
    attention: Vec<AttentionRow>,
    waiting: Vec<LogbookRow>,
    off: Vec<LogbookRow>,
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
    let of = |level: Option<Level>| LogFilter { level, ..LogFilter::default() };
    let waiting = workshop.logbook_rows(actor, &of(Some(Level::Waiting)), 6).await?;
    let mut off = workshop.logbook_rows(actor, &of(None), 30).await?;
    off.retain(|row| matches!(row.level.0, Level::Look | Level::Stop));
    off.truncate(4);
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
        waiting,
        off,
        designs,
        windable,
        timers,
        key: ClientKey::random(),
    })
}
