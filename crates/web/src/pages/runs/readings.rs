//! Readings typed or pasted, on their way into the log.

use super::log_form::{doubt_texts, readings_from};
use super::page::{RunForm, run_page};
use super::paste::take_in;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::redirect;
use actix_web::{HttpResponse, web};
use presentation::form_fields::Errors;
use store::{ReadingId, RunId};
use workshop::LogReadings;

pub(super) async fn log(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let run = app.workshop.run(&user.actor, RunId(*id)).await?;
    let mut shown = RunForm { correct: form.id("corrects").map(ReadingId), ..RunForm::default() };
    let taken_in = match take_in(&form) {
        Ok(all) => all,
        Err(message) => {
            shown.errors = Errors::from([("pasted".to_owned(), message)]);
            shown.form = form;
            return run_page(&app, &user, run.row.id, &shown).await;
        }
    };
    // What was pasted is in the fields now, where it can be corrected.
    let read = readings_from(&taken_in, &run.design, user.settings.units);
    shown.form = taken_in;
    let (mut readings, shows_on_meter) = match read {
        Ok(readings) => (readings, None),
        Err(refused) => {
            shown.errors = refused.errors;
            (Vec::new(), refused.not_a_capacitance_f)
        }
    };
    if let Some(farads) = shows_on_meter {
        let expected = app.workshop.capacitance_range_reading(&run, super::log_form::METER_HZ).await?;
        shown.errors.insert("capacitance".into(), super::log_form::not_a_capacitance(farads, expected));
    }
    if shown.errors.is_empty() {
        let command = LogReadings {
            key: shown.form.key()?,
            readings: std::mem::take(&mut readings),
            corrects: shown.correct,
            accept_doubtful: shown.form.is_ticked("accept"),
        };
        let doubts = app.workshop.log_readings(&user.actor, run.row.id, command).await?;
        if doubts.is_empty() {
            return Ok(redirect(format!("/runs/{id}")));
        }
        shown.errors = doubt_texts(&doubts);
        shown.is_doubtful = true;
    }
    run_page(&app, &user, run.row.id, &shown).await
}
