//! A person's own account: the password, and the sessions that are open.

mod page;
mod passkeys;
mod provider;
mod second_factor;

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::refusal_text::refusal_text;
use crate::respond::attachment;
use crate::route_table::routes;
use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, web};
use page::page;
use presentation::form_fields::Errors;
use presentation::format::counted;
use workshop::Refusal;

routes! {
    GET "/account" [OwnAccount] => page::show;
    GET "/account/data.json" [OwnAccount] => data;
    POST "/account/password" [fresh OwnAccount] => change_password;
    POST "/account/pin" [fresh OwnAccount] => set_pin;
    GET "/account/second-factor" [OwnAccount] => second_factor::show;
    POST "/account/second-factor" [fresh OwnAccount] => second_factor::set;
    POST "/account/second-factor/remove" [fresh OwnAccount] => second_factor::remove;
    POST "/account/passkeys" [fresh OwnAccount] => passkeys::add;
    POST "/account/passkeys/new" [fresh OwnAccount] => passkeys::begin;
    POST "/account/passkeys/{id}/remove" [fresh OwnAccount] => passkeys::remove;
    POST "/account/provider" [fresh OwnAccount] => provider::begin;
    POST "/account/provider/remove" [fresh OwnAccount] => provider::remove;
    POST "/account/sessions/others" [OwnAccount] => end_others;
    POST "/account/sessions/{id}" [OwnAccount] => end;
}

async fn change_password(
    app: web::Data<App>,
    user: CurrentUser,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let new = form.untrimmed("password").to_owned();
    if form.untrimmed("again") != new {
        errors.insert("again".into(), "The two passwords differ: type the same one twice.".into());
        return page(&app, &user, &errors).await;
    }
    let current = form.untrimmed("current").to_owned();
    let address = app.origin.address(&request);
    let changed = app.workshop.change_password(&user.actor, current, new, &user.session_id, address).await;
    let (field, refusal) = match changed {
        Ok(()) => {
            tracing::info!(event = "password-changed", person = user.person.id.0, %address);
            let text = "The password is changed, and your other sessions are ended.";
            return Ok(outcome::done(&session, "/account", text));
        }
        Err(refusal @ Refusal::WrongPassword) => ("current", refusal),
        Err(refusal @ Refusal::WeakPassword(_)) => ("password", refusal),
        Err(other) => return Err(other.into()),
    };
    tracing::warn!(event = "password-not-changed", person = user.person.id.0, %address, code = refusal.code());
    errors.insert(field.into(), refusal_text(&refusal));
    page(&app, &user, &errors).await
}

async fn set_pin(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    match app.workshop.set_own_pin(&user.actor, form.get("pin").to_owned(), &user.session_id).await {
        Ok(()) => {
            tracing::info!(event = "pin-set", person = user.person.id.0);
            Ok(outcome::done(&session, "/account", "The PIN is set, and your other sessions are ended."))
        }
        Err(ref refusal @ Refusal::UnusablePin) => {
            page(&app, &user, &Errors::from([("pin".to_owned(), refusal_text(refusal))])).await
        }
        Err(other) => Err(other.into()),
    }
}

async fn data(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    let all = serde_json::to_vec_pretty(&app.workshop.own_data(&user.actor).await?)?;
    Ok(attachment("application/json", "my-data.json", all))
}

async fn end(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    id: web::Path<String>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.end_own_session(&user.actor, &id).await?;
    Ok(outcome::done(&session, "/account", "The session is ended."))
}

async fn end_others(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let ended = app.workshop.end_own_other_sessions(&user.actor, &user.session_id).await?;
    Ok(outcome::done(&session, "/account", format!("{} ended.", counted(ended, "other session"))))
}
