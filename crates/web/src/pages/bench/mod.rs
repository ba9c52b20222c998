//! The bench: what needs attention, what is being wound and designed now.

mod attention;

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::route_table::routes;
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

routes! {
    GET "/" [ReadRuns] => show;
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
    /// Turns left to wind, by what was counted, run by run.
    left: Vec<u32>,
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
    const ROOM: u32 = 6;
    let (workshop, actor) = (&app.workshop, &user.actor);
    let head = async |filter: LogFilter| workshop.logbook_head(actor, &filter, ROOM).await;
    let open_of =
        async |state: RunState| head(LogFilter { state: Some(state), ..LogFilter::default() }).await;
    let off_of = async |level: Level| {
        head(LogFilter { level: Some(level), state: Some(RunState::Open), ..LogFilter::default() }).await
    };
    let states = [RunState::ToWind, RunState::ToMeasure, RunState::ToFinish];
    let (wind, measure, finish, stopped, looked, attention, designs, windable, timers) = tokio::try_join!(
        open_of(states[0]),
        open_of(states[1]),
        open_of(states[2]),
        off_of(Level::Stop),
        off_of(Level::Look),
        workshop.attention(actor),
        async {
            if actor.may(Action::ReadDesigns) {
                workshop.designs(actor, &DesignFilter::default()).await
            } else {
                Ok(Vec::new())
            }
        },
        async {
            let winds_alone = actor.may(Action::Wind) && !actor.may(Action::ReadDesigns);
            if winds_alone { workshop.windable_revisions(actor).await } else { Ok(Vec::new()) }
        },
        workshop.timers(actor),
    )?;
    let mut open = Vec::new();
    for (state, (rows, count)) in states.into_iter().zip([wind, measure, finish]) {
        if count > 0 {
            let runs: Vec<_> = rows.iter().map(|row| row.run_id).collect();
            let counted = workshop.turns_of_runs(actor, &runs).await?;
            let left = rows
                .iter()
                .zip(counted)
                .map(|(row, turns)| row.planned_turns.saturating_sub(turns))
                .collect();
            open.push(OpenRuns { key: state.key(), name: state.name(), count, rows, left });
        }
    }
    let off_count = stopped.1 + looked.1;
    let off = stopped.0.into_iter().chain(looked.0).take(ROOM as usize).collect();
    let attention = attention.iter().map(row).collect();
    let designs = designs.into_iter().take(ROOM as usize).collect();
    let timers = timers.into_iter().map(TimerRow::from).collect();
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
