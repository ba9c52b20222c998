//! Files for the traverse, and the counter's log.

use super::page::{RunForm, run_page};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::{attachment, redirect};
use actix_web::{HttpResponse, web};
use presentation::form_fields::Errors;
use serde::Deserialize;
use store::RunId;
use trade::machine::counter_log;
use workshop::Refusal;

/// Speed of a guide plan when none is asked for, turns a minute.
const USUAL_RPM: f64 = 500.0;

/// How fast the machine is to turn.
#[derive(Deserialize)]
pub(super) struct MachineQuery {
    rpm: Option<f64>,
}

/// The guide plan of a run for its winder, as G-code or as CSV by the address's ending.
pub(super) async fn guide(
    app: web::Data<App>,
    user: CurrentUser,
    path: web::Path<(u64, String)>,
    query: web::Query<MachineQuery>,
) -> Result<HttpResponse, AppError> {
    let (id, form) = path.into_inner();
    let is_gcode = form == "gcode";
    let rpm = query.rpm.unwrap_or(USUAL_RPM);
    let (number, text) = app.workshop.guide_file(&user.actor, RunId(id), is_gcode, rpm).await?;
    let (kind, ending) =
        if is_gcode { ("text/plain; charset=utf-8", "nc") } else { ("text/csv; charset=utf-8", "csv") };
    Ok(attachment(kind, &format!("run-{number}-guide.{ending}"), text))
}

/// Imports a counter's log: its last count becomes the run's.
pub(super) async fn import(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let run = RunId(*id);
    let message = match counter_log(form.get("log")) {
        Ok(read) => match app.workshop.import_counter_log(&user.actor, run, form.key()?, read).await {
            Ok(()) => return Ok(redirect(format!("/runs/{id}"))),
            Err(refusal @ Refusal::ImplausibleTurns { .. }) => refusal_text(&refusal),
            Err(other) => return Err(other.into()),
        },
        Err(message) => message,
    };
    let errors = Errors::from([("log".to_owned(), message)]);
    run_page(&app, &user, run, &RunForm { form, errors, ..RunForm::default() }).await
}
