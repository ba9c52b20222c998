//! Timers: started from a run or the bench, stopped on the bench.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::flash::{self, FlashKind};
use crate::form::FormData;
use crate::respond::redirect;
use crate::route_table::routes;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use presentation::format;
use serde_json::json;
use store::timer::NewTimer;
use store::{RunId, TimerId};

routes! {
    POST "/timers" [Wind] => start;
    POST "/timers/{id}/end" [Wind] => end;
    GET "/timers.json" [ReadRuns] => list;
}

/// What a form says of a timer: its label and minutes, or what is wrong with them.
fn read(form: &FormData) -> Result<(&str, u32), &'static str> {
    let minutes = form.get("minutes").parse::<u32>().ok().filter(|m| (1..=20_000).contains(m));
    let minutes = minutes.ok_or("No timer was started: it runs 1 to 20,000 minutes.")?;
    let label = form.get("label");
    if label.is_empty() || label.chars().count() > 80 {
        return Err("No timer was started: say what it is for, in up to 80 letters.");
    }
    Ok((label, minutes))
}

async fn start(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let run = form.id("run").map(RunId);
    match read(&form) {
        Ok((label, minutes)) => {
            let operation = Some(form.get("operation")).filter(|key| !key.is_empty());
            let new = NewTimer { key: form.key()?, run, operation, label, minutes, at: None };
            app.workshop.start_timer(&user.actor, &new).await?;
        }
        Err(message) => flash::put(&session, FlashKind::NotDone, message),
    }
    Ok(redirect(match (form.get("back"), run) {
        ("run", Some(run)) => format!("/runs/{run}#operations"),
        _ => "/".to_owned(),
    }))
}

/// The timers that run, for every page to count down and ring.
async fn list(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    let timers = app.workshop.timers(&user.actor).await?;
    let all: Vec<serde_json::Value> = timers
        .iter()
        .map(|timer| {
            let due = timer.started_at.saturating_add(time::Duration::minutes(i64::from(timer.minutes)));
            json!({ "id": timer.id.0, "label": timer.label, "due": format::iso(due), "run": timer.run_id.map(|r| r.0) })
        })
        .collect();
    Ok(HttpResponse::Ok().json(all))
}

async fn end(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.stop_timer(&user.actor, TimerId(*id)).await?;
    Ok(redirect("/"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("Lacquer", "30", true)]
    #[case("", "30", false)]
    #[case("Lacquer", "0", false)]
    #[case("Lacquer", "soon", false)]
    fn a_timer_needs_a_label_and_minutes(#[case] label: &str, #[case] minutes: &str, #[case] right: bool) {
        let form = [("label", label), ("minutes", minutes)].into_iter().collect();
        assert_eq!(read(&form).is_ok(), right);
    }
}
