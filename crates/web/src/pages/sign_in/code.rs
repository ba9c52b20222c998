//! The second step of signing in: a code of the authenticator, or one for recovery.

use super::form_token::{Bare, FormToken};
use super::next::inside;
use crate::app::App;
use crate::assets;
use crate::current_user;
use crate::error::AppError;
use crate::form::FormData;
use crate::query::QueryParameters;
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use workshop::Refusal;

#[derive(Template)]
#[template(path = "sign_in/code.html")]
struct Page {
    frame: Bare,
    assets: &'static str,
    next: String,
    error: String,
}

fn page(request: &HttpRequest, next: &str, error: String) -> Result<HttpResponse, AppError> {
    let token = FormToken::from_request(request);
    let is_refused = !error.is_empty();
    let page = Page { frame: token.bare(), assets: assets::base(), next: next.to_owned(), error };
    token.page(&page, is_refused)
}

/// The page.
pub(super) async fn show(
    request: HttpRequest,
    session: Session,
    query: QueryParameters,
) -> Result<HttpResponse, AppError> {
    match current_user::awaited(&session)? {
        Some(_) => page(&request, query.get("next"), String::new()),
        None => Ok(redirect("/sign-in")),
    }
}

/// Takes the code.
pub(super) async fn enter(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let Some(person) = current_user::awaited(&session)? else { return Ok(redirect("/sign-in")) };
    let address = app.origin.address(&request);
    match app.workshop.check_second_factor(person, form.get("code"), address).await {
        Ok(()) => {
            current_user::sign_in(&session, person, &request, address)?;
            tracing::info!(event = "signed-in", person = person.0, %address, second_factor = true);
            Ok(redirect(inside(form.get("next"))))
        }
        Err(ref refusal @ Refusal::WrongCode) => {
            tracing::warn!(event = "wrong-code", person = person.0, %address);
            current_user::note_wrong_code(&session)?;
            if current_user::awaited(&session)?.is_none() {
                return Ok(redirect("/sign-in?why=codes"));
            }
            page(&request, form.get("next"), refusal_text(refusal))
        }
        Err(other) => Err(other.into()),
    }
}
