//! Timers: what dries, soaks or cools; several at once, kept by the server.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::format;
use crate::pages::redirect;
use actix_web::{HttpResponse, web};
use store::timer::{NewTimer, Timer};
use store::{RunId, TimerId};
use time::Duration;

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/timers", web::post().to(start)).route("/timers/{id}/end", web::post().to(end));
}

/// A timer as the bench shows it.
pub struct TimerRow {
    pub id: u64,
    pub label: String,
    pub run: Option<(u64, u32)>,
    /// When it is due, for machines.
    pub due_iso: String,
    pub due: String,
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

async fn start(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let minutes = match form.get("minutes").parse::<u32>() {
        Ok(minutes) if (1..=20_000).contains(&minutes) => minutes,
        _ => return Err(AppError::Unreadable("A timer runs 1 to 20,000 minutes.".into())),
    };
    let label = form.get("label");
    if label.is_empty() || label.chars().count() > 80 {
        return Err(AppError::Unreadable("Say what it is for, in up to 80 letters.".into()));
    }
    let run = form.get("run").parse().ok().map(RunId);
    let new = NewTimer { key: form.key()?, run, label, minutes, at: None };
    app.store.of(user.workshop()).start_timer(user.person.id, &new).await?;
    Ok(redirect(match (form.get("back"), run) {
        ("run", Some(run)) => format!("/runs/{run}#operations"),
        _ => "/".to_owned(),
    }))
}

async fn end(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    _filled: FormData,
) -> Result<HttpResponse, AppError> {
    app.store.of(user.workshop()).end_timer(TimerId(*id)).await?;
    Ok(redirect("/"))
}
