//! The page behind a link to set a password: after an invitation, or where a password was forgotten.

use super::form_token::{Bare, FormToken};
use crate::app::App;
use crate::assets;
use crate::current_user;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use store::person::Person;
use workshop::Refusal;

#[derive(Template)]
#[template(path = "sign_in/welcome.html")]
struct Page {
    frame: Bare,
    assets: &'static str,
    workshop: String,
    name: String,
    sign_in: String,
    is_new: bool,
    fields: Vec<Field>,
}

fn page(request: &HttpRequest, person: Person, errors: &Errors) -> Result<HttpResponse, AppError> {
    let password = |name: &str, label: &str, hint: &str| Field {
        kind: "password",
        complete: "new-password",
        ..Field::typed(name, label, hint).with("", errors).wide()
    };
    let token = FormToken::from_request(request);
    let page = Page {
        frame: token.bare(),
        assets: assets::base(),
        is_new: person.password_hash.is_none(),
        workshop: person.workshop,
        name: person.name,
        sign_in: person.sign_in,
        fields: vec![
            password(
                "password",
                "Password",
                "At least 12 characters. A few words that do not belong together are easy to remember.",
            ),
            password("again", "Password once more", ""),
        ],
    };
    token.page(&page, !errors.is_empty())
}

/// The page.
pub(super) async fn show(
    app: web::Data<App>,
    request: HttpRequest,
    token: web::Path<String>,
) -> Result<HttpResponse, AppError> {
    let person = app.workshop.invited(&token).await?.ok_or(AppError::NotFound("open link"))?;
    page(&request, person, &Errors::new())
}

/// Sets the password and signs in.
pub(super) async fn accept(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    token: web::Path<String>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let person = app.workshop.invited(&token).await?.ok_or(AppError::NotFound("open link"))?;
    let password = form.untrimmed("password").to_owned();
    if form.untrimmed("again") != password {
        let text = "The two passwords differ: type the same one twice.".to_owned();
        return page(&request, person, &Errors::from([("again".to_owned(), text)]));
    }
    let address = app.origin.address(&request);
    match app.workshop.accept_invitation(&token, password).await {
        Ok(id) => {
            tracing::info!(event = "password-set-by-link", person = id.0, %address);
            if person.has_second_factor {
                // The link stands for the password, and for nothing else.
                current_user::await_code(&session, id, &request, address)?;
                return Ok(redirect("/sign-in/code"));
            }
            current_user::sign_in(&session, id, &request, address)?;
            Ok(redirect("/"))
        }
        Err(ref refusal @ Refusal::WeakPassword(_)) => {
            page(&request, person, &Errors::from([("password".to_owned(), refusal_text(refusal))]))
        }
        Err(other) => Err(other.into()),
    }
}
