//! A person's second factor: setting it with an authenticator, and taking it away.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::refusal_text::refusal_text;
use crate::respond::render_page;
use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use workshop::Refusal;

/// Where the session keeps the secret until it is set.
const KEPT: &str = "second-factor";

#[derive(Template)]
#[template(path = "account/second_factor.html")]
struct Page {
    frame: Frame,
    /// The secret as a code for cameras.
    code: String,
    secret: String,
    field: Field,
    /// Shown once, when it is set.
    recovery: Vec<String>,
}

async fn page(
    app: &App,
    user: &CurrentUser,
    session: &Session,
    errors: &Errors,
    recovery: Vec<String>,
) -> Result<HttpResponse, AppError> {
    // The server keeps the secret: whoever sends the form cannot choose one.
    let kept = session.get::<String>(KEPT).map_err(AppError::internal)?;
    let (shared, kept) = app.workshop.new_second_factor(&user.actor, kept.as_deref()).await?;
    session.insert(KEPT, kept).map_err(AppError::internal)?;
    let code = qrcode::QrCode::new(shared.uri.as_bytes()).map_err(AppError::internal)?;
    let svg = code.render::<qrcode::render::svg::Color<'_>>().min_dimensions(220, 220).build();
    let field =
        Field { complete: "one-time-code", ..Field::typed("code", "Code it shows now", "Six digits.") };
    let page = Page {
        frame: Frame::new(user, "account", "Second factor"),
        code: svg.split_once("?>").map_or_else(|| svg.clone(), |(_, body)| body.to_owned()),
        secret: shared.text,
        field: field.with("", errors).wide(),
        recovery,
    };
    render_page(&page, !errors.is_empty())
}

/// A new secret to show an authenticator.
pub(super) async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    session: Session,
) -> Result<HttpResponse, AppError> {
    page(&app, &user, &session, &Errors::new(), Vec::new()).await
}

/// Sets it, when the authenticator has it; the answer shows the recovery codes, once.
pub(super) async fn set(
    app: web::Data<App>,
    user: CurrentUser,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let address = app.origin.address(&request);
    let secret = session.get::<String>(KEPT).map_err(AppError::internal)?.unwrap_or_default();
    let set =
        app.workshop.set_second_factor(&user.actor, &secret, form.get("code"), &user.session_id, address);
    match set.await {
        Ok(codes) => {
            tracing::info!(event = "second-factor-set", person = user.person.id.0, %address);
            session.remove(KEPT);
            page(&app, &user, &session, &Errors::new(), codes).await
        }
        Err(ref refusal @ Refusal::WrongCode) => {
            let errors = Errors::from([("code".to_owned(), refusal_text(refusal))]);
            page(&app, &user, &session, &errors, Vec::new()).await
        }
        Err(other) => Err(other.into()),
    }
}

/// Takes it away.
pub(super) async fn remove(
    app: web::Data<App>,
    user: CurrentUser,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let address = app.origin.address(&request);
    let password = form.untrimmed("own_password").to_owned();
    match app.workshop.remove_second_factor(&user.actor, password, &user.session_id, address).await {
        Ok(()) => {
            tracing::info!(event = "second-factor-removed", person = user.person.id.0, %address);
            let text = "The second factor is removed, and your other sessions are ended.";
            Ok(outcome::done(&session, "/account", text))
        }
        Err(refusal) => {
            Ok(outcome::not_done(&session, "/account", outcome::reason(refusal, "Not removed. ")?))
        }
    }
}
