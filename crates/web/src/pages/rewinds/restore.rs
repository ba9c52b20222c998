//! From an examined pickup to a design.

use super::changes::version_of;
use super::page::told;
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use coil::quantity::{Frequency, ParseQuantity as _};
use presentation::form_fields::Errors;
use presentation::read::{number_in, optional};
use store::RewindId;
use workshop::{CopyRewind, Restoration, RestorationWishes, RestoreRewind};

pub(super) async fn restore(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let way: Restoration = form.get("way").parse().ok().ok_or(AppError::NotFound("way"))?;
    let command = RestoreRewind {
        key: form.key()?,
        of: version_of(*id, &form),
        way,
        wishes: RestorationWishes {
            more_turns_percent: form.get("more").parse().unwrap_or(5.0),
            gauge: form.get("wire").parse().ok(),
        },
    };
    let done = app.workshop.restore_rewind(&user.actor, &command).await.map(|_| ());
    told(&session, *id, done, "The design is saved: start its run when the old wire is off.")
}

pub(super) async fn copy(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let more = optional(&form, &mut errors, "more_output", (-80.0, 300.0), number_in("%"));
    let hertz = |t: &str| Frequency::parse(t).map(Frequency::hz).map_err(|e| e.to_string());
    let peak = optional(&form, &mut errors, "least_peak", (500.0, 30_000.0), hertz);
    let name = form.get("copy_name").trim();
    if !presentation::read::is_name(name, 80) {
        errors.insert("copy_name".into(), "A name of up to 80 letters.".into());
    }
    if !errors.is_empty() {
        return super::page::page_with(&app, &user, RewindId(*id), &form, errors).await;
    }
    let command = CopyRewind {
        key: form.key()?,
        of: RewindId(*id),
        name: name.to_owned(),
        more_output_percent: more.unwrap_or(0.0),
        least_peak_hz: peak,
    };
    match app.workshop.copy_rewind(&user.actor, &command).await {
        Ok(revision) => Ok(redirect(format!("/revisions/{revision}/edit"))),
        Err(refusal) => told(&session, *id, Err(refusal), ""),
    }
}
