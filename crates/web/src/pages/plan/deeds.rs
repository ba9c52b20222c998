//! What is done from the plan: begun, laid down, pinned, reported, seen.

use super::day::day_page;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::query::QueryParameters;
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use presentation::form_fields::Errors;
use store::{OutageId, RunId};
use trade::schedule::Moment;
use workshop::{BegunJob, Refusal, ReportOutage};

/// Back to the day that a form was sent from.
fn back(form: &FormData) -> String {
    let on = form.get("on");
    let is_day = on.len() == 10 && on.chars().all(|c| c.is_ascii_digit() || c == '-');
    if is_day { format!("/day?on={on}") } else { "/day".to_owned() }
}

/// The run that a job is, once there is one.
fn run_of(form: &FormData) -> Option<RunId> {
    form.get("job").strip_prefix("run:").and_then(|id| id.parse().ok()).map(RunId)
}

/// Says what was done, or why it was not, on the day.
fn told(
    session: &Session,
    form: &FormData,
    done: Result<(), Refusal>,
    words: &str,
) -> Result<HttpResponse, AppError> {
    match done {
        // The plan has changed since the page was shown.
        Err(gone @ Refusal::NotFound(_)) => Ok(outcome::not_done(session, back(form), refusal_text(&gone))),
        done => outcome::tell(session, back(form), done.map(|()| words)),
    }
}

/// Begins an operation: that of a run, or of a pickup whose run is started with it. Winding goes on at the winder.
pub(super) async fn begin(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (job, operation) = (form.get("job"), form.get("operation"));
    if let Some(run) = run_of(&form) {
        let done = app.workshop.begin_operation(&user.actor, &form.key()?, run, operation).await;
        if done.is_ok() && operation == "wind" {
            return Ok(redirect(format!("/runs/{run}/station")));
        }
        return told(&session, &form, done, "Begun: it keeps its place in the plan until it is signed.");
    }
    match app.workshop.begin_job(&user.actor, &form.key()?, job).await {
        Ok(BegunJob::Run(run)) => {
            let text = "The run is started, and its first operation begun.";
            Ok(outcome::done(&session, format!("/runs/{run}"), text))
        }
        Ok(BegunJob::ChooseSpool) => {
            let plan = app.workshop.shop_plan(&user.actor).await?;
            let planned = plan.jobs.iter().find(|j| j.key == job).ok_or(AppError::NotFound("job"))?;
            let revision = planned.revision.ok_or(AppError::NotFound("design"))?;
            let mut to = vec![("revision", revision.to_string())];
            if let (Some((order, _)), Some(line)) = (planned.order, planned.line) {
                to.extend([("order", order.to_string()), ("line", line.to_string())]);
            }
            if let Some((set, pickup)) = &planned.in_set {
                to.extend([("set", set.to_string()), ("pickup", pickup.clone())]);
            }
            let query = serde_urlencoded::to_string(to).map_err(AppError::internal)?;
            let text = "Choose the spool: there are several with its wire, or none.";
            Ok(outcome::not_done(&session, format!("/runs/new?{query}"), text))
        }
        Err(refusal) => told(&session, &form, Err(refusal), ""),
    }
}

/// Lays an operation down before it is finished.
pub(super) async fn lay_down(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let run = run_of(&form).ok_or(AppError::NotFound("run"))?;
    let done = app.workshop.lay_down_operation(&user.actor, run, form.get("operation")).await;
    told(&session, &form, done, "Stopped for now: the plan is made anew.")
}

/// Pins an operation, or takes its pin off.
pub(super) async fn pin(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let of = (form.get("job"), form.get("operation"));
    if form.get("off") == "yes" {
        let done = app.workshop.unpin_operation(&user.actor, of.0, of.1).await;
        return told(&session, &form, done, "The pin is off: the plan is made anew.");
    }
    let at: Option<Moment> = form.get("at").parse().ok();
    let person = Some(form.get("person")).filter(|name| !name.is_empty());
    let done = app.workshop.pin_operation(&user.actor, of, at, person).await;
    told(&session, &form, done, "Pinned. The plan is rescheduled around it.")
}

/// Reports that something is broken, or somebody away.
pub(super) async fn report(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let until: Option<Moment> = form.get("until").parse().ok();
    if !form.get("until").is_empty() && until.is_none() {
        errors.insert("until".into(), "A day and a time such as 2026-12-04T10:00.".into());
    }
    if form.get("resource").is_empty() {
        errors.insert("resource".into(), "Choose what is broken, or who is away.".into());
    }
    if errors.is_empty() {
        let command = ReportOutage {
            key: form.key()?,
            resource: form.get("resource").to_owned(),
            reason: form.get("reason").to_owned(),
            until,
        };
        match app.workshop.report_outage(&user.actor, &command).await {
            Ok(()) => {
                return Ok(outcome::done(&session, "/day", "Noted: the plan is made anew without it."));
            }
            Err(Refusal::UnusableOutage(part)) => {
                let words = match part {
                    "until" => "A moment ahead, up to 400 days.",
                    _ => "Say why, in up to 200 letters.",
                };
                errors.insert(part.into(), words.into());
            }
            Err(refusal) => return Err(refusal.into()),
        }
    }
    day_page(&app, &user, &QueryParameters::default(), Some((&form, errors))).await
}

/// Notes that it is there again.
pub(super) async fn there_again(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let done = app.workshop.end_outage(&user.actor, OutageId(*id)).await;
    told(&session, &form, done, "Available again: the plan is made anew with it.")
}

/// Keeps the plan as the one that people saw.
pub(super) async fn seen(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let done = app.workshop.plan_seen(&user.actor).await;
    told(&session, &form, done, "Marked as seen. Later changes are highlighted.")
}
