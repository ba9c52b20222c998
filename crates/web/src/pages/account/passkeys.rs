//! A person's passkeys: making one, and removing it.

use super::page::{PASSKEY_NAME, page};
use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::{self, CurrentUser};
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::respond::render_page;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::form_fields::Errors;
use store::PasskeyId;
use workshop::LONGEST_PASSKEY_NAME;

#[derive(Template)]
#[template(path = "account/passkey.html")]
struct Page {
    frame: Frame,
    name: String,
    /// What the browser is to make, JSON.
    options: String,
    /// The address that it is made for.
    site: String,
}

/// Asks the browser for one.
pub(super) async fn begin(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let name = form.get(PASSKEY_NAME);
    if name.is_empty() || name.chars().count() > LONGEST_PASSKEY_NAME {
        let text = format!("Name the device, in up to {LONGEST_PASSKEY_NAME} letters.");
        return page(&app, &user, &Errors::from([(PASSKEY_NAME.to_owned(), text)])).await;
    }
    let (options, kept) = app.workshop.begin_passkey(&user.actor).await?;
    current_user::await_passkey(&session, &kept)?;
    let page = Page {
        frame: Frame::new(&user, "account", "New passkey"),
        name: name.to_owned(),
        options: options.to_string(),
        site: app.workshop.passkey_address().unwrap_or_default().to_owned(),
    };
    render_page(&page, false)
}

/// Keeps it.
pub(super) async fn add(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let kept = current_user::take_passkey(&session)?.unwrap_or_default();
    let (name, answer) = (form.get(PASSKEY_NAME), form.untrimmed("answer"));
    match app.workshop.add_passkey(&user.actor, name, answer, &kept, &user.session_id).await {
        Ok(()) => {
            tracing::info!(event = "passkey-added", person = user.person.id.0);
            let text = "The passkey signs you in from now on, and your other sessions are ended.";
            Ok(outcome::done(&session, "/account", text))
        }
        Err(refusal) => {
            tracing::warn!(event = "passkey-not-added", person = user.person.id.0, error = %refusal);
            Ok(outcome::not_done(&session, "/account", outcome::reason(refusal, "Not added. ")?))
        }
    }
}

/// Removes it.
pub(super) async fn remove(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<u64>,
    _: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.remove_passkey(&user.actor, PasskeyId(*id), &user.session_id).await?;
    tracing::info!(event = "passkey-removed", person = user.person.id.0);
    let text = "The passkey is removed, and your other sessions are ended. The device may still offer it; remove it there too.";
    Ok(outcome::done(&session, "/account", text))
}
