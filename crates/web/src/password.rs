//! What takes a password that was typed just now asks for it, and goes on with what was sent.

use crate::app::App;
use crate::assets;
use crate::bodies;
use crate::current_user::{Identity, await_passkey, is_proven, note_password, signed_in_token, take_passkey};
use crate::error::AppError;
use crate::refusal_text::refusal_text;
use actix_session::{Session, SessionExt as _};
use actix_web::HttpResponse;
use actix_web::dev::ServiceRequest;
use actix_web::http::StatusCode;
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use std::net::IpAddr;
use workshop::Refusal;

/// The fields of the password, and of a passkey's answer; they are no fields of any other form.
const FIELD: &str = "confirm_password";
const PASSKEY_FIELD: &str = "confirm_passkey";

#[derive(Template)]
#[template(path = "password.html")]
struct Page {
    assets: &'static str,
    /// Where the form was sent.
    to: String,
    /// What was sent.
    fields: Vec<(String, String)>,
    field: Field,
    has_password: bool,
    /// What the browser is to ask for, JSON, and the address that passkeys are of; where the person has any.
    passkey: Option<(String, String)>,
    /// What people call the provider that signs them in.
    provider: Option<String>,
}

/// Asks for the password where it was not typed just now; none where it was, also by the form that is answered.
pub(crate) async fn confirm(
    request: &mut ServiceRequest,
    app: &App,
    identity: &Identity,
) -> Result<Option<HttpResponse>, AppError> {
    let session = request.get_session();
    if is_proven(&session)? {
        return Ok(None);
    }
    let mut fields = bodies::form_of(request).await?;
    let token = fields.iter().find(|(name, _)| name == "csrf").map(|(_, value)| value.clone());
    // A form of somebody else's making is refused where every form is.
    if token.is_none() || token != signed_in_token(&session)? {
        return Ok(None);
    }
    let mut errors = Errors::new();
    let address = app.origin.address(request.request());
    let answer = fields.iter().position(|(name, _)| name == PASSKEY_FIELD).map(|at| fields.remove(at).1);
    if let Some(answer) = answer.filter(|text| !text.is_empty()) {
        let kept = take_passkey(&session)?.unwrap_or_default();
        match app.workshop.prove_by_passkey(&identity.actor, &answer, &kept, address).await {
            Ok(()) => {
                note_password(&session)?;
                return Ok(None);
            }
            Err(ref refusal @ (Refusal::WrongPasskey(_) | Refusal::PasskeysOff)) => {
                tracing::warn!(event = "passkey-not-confirmed", person = identity.person.id.0, %address);
                errors.insert(FIELD.to_owned(), refusal_text(refusal));
            }
            Err(refusal) => return Err(refusal.into()),
        }
    }
    let typed = fields.iter().position(|(name, _)| name == FIELD).map(|at| fields.remove(at).1);
    if let Some(typed) = typed {
        match app.workshop.prove_password(&identity.actor, typed, address).await {
            Ok(()) => {
                note_password(&session)?;
                return Ok(None);
            }
            Err(Refusal::WrongPassword) => {
                tracing::warn!(event = "password-not-confirmed", person = identity.person.id.0, %address);
                errors.insert(FIELD.to_owned(), "This is not your password.".to_owned());
            }
            Err(refusal) => return Err(refusal.into()),
        }
    }
    let field = Field {
        kind: "password",
        complete: "current-password",
        required: "yes",
        ..Field::typed(FIELD, "Your password", "").with("", &errors).wide()
    };
    let passkey = passkey_to_ask(app, &session, identity, address).await?;
    let is_linked = app.workshop.own_link(&identity.actor).await?.unwrap_or(false);
    let provider = app.workshop.provider_name().filter(|_| is_linked);
    let page = Page {
        assets: assets::base(),
        to: request.uri().to_string(),
        fields,
        field,
        has_password: identity.person.password_hash.is_some(),
        passkey,
        provider: provider.map(str::to_owned),
    };
    let body = page.render().map_err(AppError::internal)?;
    let answer = HttpResponse::build(StatusCode::FORBIDDEN)
        .content_type("text/html; charset=utf-8")
        .insert_header(("Filamentum-Code", "password-needed"))
        .body(body);
    Ok(Some(answer))
}

/// What the browser of somebody with passkeys is to ask for.
async fn passkey_to_ask(
    app: &App,
    session: &Session,
    identity: &Identity,
    address: IpAddr,
) -> Result<Option<(String, String)>, AppError> {
    let has_any = !app.workshop.passkeys(&identity.actor).await?.is_empty();
    let Some(site) = app.workshop.passkey_address().filter(|_| has_any && identity.settings.passkeys_allowed)
    else {
        return Ok(None);
    };
    let (options, kept) = app.workshop.begin_passkey_sign_in(address)?;
    await_passkey(session, &kept)?;
    Ok(Some((options.to_string(), site.to_owned())))
}
