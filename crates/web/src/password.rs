//! What takes a password that was typed just now asks for it, and goes on with what was sent.

use crate::app::App;
use crate::assets;
use crate::bodies;
use crate::current_user::{Identity, is_proven, note_password, signed_in_token};
use crate::error::AppError;
use actix_session::SessionExt as _;
use actix_web::HttpResponse;
use actix_web::dev::ServiceRequest;
use actix_web::http::StatusCode;
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use workshop::Refusal;

/// The field of the password; it is no field of any other form.
const FIELD: &str = "confirm_password";

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
    let typed = fields.iter().position(|(name, _)| name == FIELD).map(|at| fields.remove(at).1);
    if let Some(typed) = typed {
        let address = app.origin.address(request.request());
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
    let page = Page {
        assets: assets::base(),
        to: request.uri().to_string(),
        fields,
        field,
        has_password: identity.person.password_hash.is_some(),
    };
    let body = page.render().map_err(AppError::internal)?;
    let answer = HttpResponse::build(StatusCode::FORBIDDEN)
        .content_type("text/html; charset=utf-8")
        .insert_header(("Filamentum-Code", "password-needed"))
        .body(body);
    Ok(Some(answer))
}
