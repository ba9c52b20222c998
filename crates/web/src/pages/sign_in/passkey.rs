//! Signing in with a passkey: the page asks the browser for one, and sends what it answers.

use super::next::inside;
use super::page::refused;
use crate::app::App;
use crate::current_user;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, web};
use workshop::Refusal;

/// What the browser is to ask for.
pub(super) async fn begin(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    _: FormData,
) -> Result<HttpResponse, AppError> {
    let (options, kept) = app.workshop.begin_passkey_sign_in(app.origin.address(&request))?;
    current_user::await_passkey(&session, &kept)?;
    Ok(HttpResponse::Ok().json(options))
}

/// Takes what it answers.
pub(super) async fn enter(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let address = app.origin.address(&request);
    let kept = current_user::take_passkey(&session)?.unwrap_or_default();
    match app.workshop.sign_in_by_passkey(form.untrimmed("answer"), &kept, address).await {
        Ok(person) => {
            current_user::sign_in(&session, person, &request, address)?;
            current_user::note_second_factor(&session)?;
            tracing::info!(event = "signed-in", person = person.0, %address, passkey = true);
            Ok(redirect(inside(form.get("next"))))
        }
        Err(ref refusal @ (Refusal::WrongPasskey(_) | Refusal::PasskeysOff)) => {
            tracing::warn!(event = "wrong-passkey", %address, error = %refusal);
            refused(&app, &request, form.get("next"), &refusal_text(refusal)).await
        }
        Err(other) => Err(other.into()),
    }
}
