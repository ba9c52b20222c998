//! Readings by instrument.

use super::page::{RunForm, run_page};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::refusal_text::refusal_text;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use coil::quantity::Measure;
use presentation::read::measured;
use serde::Serialize;
use store::{InstrumentId, RunId};
use trade::cooling::{CoolingFit, Sample};
use workshop::{MeasureCommand, Refusal};

fn instrument(form: &FormData) -> Result<InstrumentId, AppError> {
    form.id("instrument").map(InstrumentId).ok_or(AppError::NotFound("instrument"))
}

/// Asks an instrument and logs what it reads. What it could not is told on the run's page, and nothing is logged.
pub(super) async fn read(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let run = RunId(*id);
    let mut shown = RunForm::default();
    let coil_c = measured(
        &form,
        &mut shown.errors,
        "coil_c",
        (-20.0, 150.0),
        (Measure::Temperature, user.settings.units),
    );
    let command = MeasureCommand {
        key: form.key()?,
        instrument: instrument(&form)?,
        coil_c,
        pole: form.id("pole").and_then(|pole| u32::try_from(pole).ok()),
    };
    if !shown.errors.is_empty() {
        shown.form = form;
        return run_page(&app, &user, run, &shown).await;
    }
    let measured = app.workshop.measure(&user.actor, run, &command).await;
    outcome::tell(&session, format!("/runs/{id}"), measured.map(|()| ""))
}

/// A reading of a cooling coil, for the page's script.
#[derive(Serialize)]
struct CoolingAnswer {
    ohms: Option<f64>,
    coil_c: Option<f64>,
    fit: Option<CoolingFit>,
    samples: Vec<Sample>,
    /// What is the matter; absent when there is a reading.
    trouble: Option<String>,
}

/// One reading on the way to the room's temperature, and where the readings so far say that it will end. Nothing is logged.
pub(super) async fn cooling(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    // The page holds what was read so far, so that a restart of the server loses nothing.
    let samples: Vec<Sample> = serde_json::from_str(form.get("samples")).unwrap_or_default();
    let seconds = form.get("seconds").parse::<f64>().ok().filter(|s| s.is_finite()).unwrap_or(0.0);
    let read =
        app.workshop.cooling_reading(&user.actor, RunId(*id), instrument(&form)?, seconds, samples).await;
    let answer = match read {
        Ok(read) => CoolingAnswer {
            trouble: read.ohms.is_none().then(|| "The coil reads open.".to_owned()),
            ohms: read.ohms,
            coil_c: read.coil_c,
            fit: read.fit,
            samples: read.samples,
        },
        Err(refusal @ (Refusal::Instrument { .. } | Refusal::ImpossibleReading { .. })) => CoolingAnswer {
            ohms: None,
            coil_c: None,
            fit: None,
            samples: Vec::new(),
            trouble: Some(refusal_text(&refusal)),
        },
        Err(refusal) => return Err(refusal.into()),
    };
    Ok(HttpResponse::Ok().json(answer))
}
