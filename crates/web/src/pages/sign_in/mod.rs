//! Signing in and out, and the first visit.

use crate::app::App;
use crate::assets;
use crate::current_user::{self, random_token};
use crate::error::AppError;
use crate::form::{FORM_COOKIE, FormData};
use crate::respond::{redirect, render};
use actix_session::Session;
use actix_web::cookie::{Cookie, SameSite};
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use serde::Deserialize;
use workshop::{Refusal, SignInOutcome};

/// Shortest password, characters.
const SHORTEST: usize = 10;

/// Routes.
pub(super) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/sign-in", web::get().to(show))
        .route("/sign-in", web::post().to(enter))
        .route("/sign-out", web::post().to(leave))
        .route("/setup", web::get().to(show_set_up))
        .route("/setup", web::post().to(set_up));
}

#[derive(Template)]
#[template(path = "sign_in/sign_in.html")]
struct SignInPage {
    frame: Bare,
    assets: &'static str,
    next: String,
    refused: String,
    fields: Vec<Field>,
}

#[derive(Template)]
#[template(path = "sign_in/setup.html")]
struct SetUpPage {
    frame: Bare,
    assets: &'static str,
    fields: Vec<Field>,
}

/// What forms need where nobody is signed in yet.
struct Bare {
    token: String,
}

#[derive(Deserialize)]
struct Next {
    #[serde(default)]
    next: String,
}

/// The token of forms where nobody is signed in: the browser holds it in a cookie and sends it in the form, so that no
/// session is kept before there is something to remember.
struct FormToken {
    token: String,
    is_new: bool,
}

impl FormToken {
    fn of(request: &HttpRequest) -> Self {
        let held = request.cookie(FORM_COOKIE).map(|c| c.value().to_owned());
        match held.filter(|t| t.len() == 32 && t.bytes().all(|b| b.is_ascii_hexdigit())) {
            Some(token) => Self { token, is_new: false },
            None => Self { token: random_token(), is_new: true },
        }
    }

    /// A page with a form that carries the token.
    fn page(self, template: &impl Template) -> Result<HttpResponse, AppError> {
        let mut response = HttpResponse::Ok();
        response.insert_header((header::CONTENT_TYPE, "text/html; charset=utf-8"));
        if self.is_new {
            let cookie = Cookie::build(FORM_COOKIE, self.token).path("/").http_only(true);
            response.cookie(cookie.same_site(SameSite::Strict).finish());
        }
        Ok(response.body(render(template)?))
    }
}

fn sign_in_page(
    request: &HttpRequest,
    next: &str,
    name: &str,
    refused: &str,
) -> Result<HttpResponse, AppError> {
    let password = Field {
        kind: "password",
        complete: "current-password",
        required: "yes",
        ..Field::typed("password", "Password", "")
    };
    let sign_in = Field { complete: "username", required: "yes", ..Field::typed("sign_in", "Name", "") };
    let token = FormToken::of(request);
    let page = SignInPage {
        frame: Bare { token: token.token.clone() },
        assets: assets::base(),
        next: next.to_owned(),
        refused: refused.to_owned(),
        fields: vec![sign_in.with(name, &Errors::new()).wide(), password.wide()],
    };
    token.page(&page)
}

async fn show(
    app: web::Data<App>,
    request: HttpRequest,
    next: web::Query<Next>,
) -> Result<HttpResponse, AppError> {
    if !app.workshop.is_set_up().await? {
        return Ok(redirect("/setup"));
    }
    sign_in_page(&request, &next.next, "", "")
}

async fn enter(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let name = form.get("sign_in").to_lowercase();
    let address = request.peer_addr().map_or_else(String::new, |a| a.ip().to_string());
    let allowed = app.attempts.check_key(&format!("name {name}")).is_ok()
        && app.attempts.check_key(&format!("address {address}")).is_ok();
    if !allowed {
        return Err(AppError::TooMany);
    }
    // As typed: blanks at its ends belong to a password.
    let password = form.untrimmed("password").to_owned();
    match app.workshop.sign_in(&name, password).await? {
        SignInOutcome::SignedIn(person) => {
            current_user::sign_in(&session, person)?;
            tracing::info!(person = person.0, "signed in");
            Ok(redirect(inside(form.get("next"))))
        }
        SignInOutcome::Wrong => sign_in_page(
            &request,
            form.get("next"),
            form.get("sign_in"),
            "That name and password do not belong together. Check both; the name is not case-sensitive.",
        ),
    }
}

/// Only places of our own are gone to after signing in.
fn inside(next: &str) -> &str {
    let ours = next.starts_with('/')
        && !next.starts_with("//")
        && !next.contains('\\')
        && !next.starts_with("/sign");
    if ours { next } else { "/" }
}

async fn leave(session: Session, _: FormData) -> HttpResponse {
    session.purge();
    redirect("/sign-in")
}

fn set_up_page(request: &HttpRequest, form: &FormData, errors: &Errors) -> Result<HttpResponse, AppError> {
    let field = |name: &str, label: &str, hint: &str| {
        Field::typed(name, label, hint).with(form.get(name), errors).wide()
    };
    let password = |name: &str, label: &str, hint: &str| Field {
        kind: "password",
        complete: "new-password",
        ..Field::typed(name, label, hint).with("", errors).wide()
    };
    let token = FormToken::of(request);
    let page = SetUpPage {
        frame: Bare { token: token.token.clone() },
        assets: assets::base(),
        fields: vec![
            field("workshop", "Workshop", "What it is called on labels and sheets."),
            field("name", "Your name", "Shown with your readings."),
            Field {
                complete: "username",
                ..field("sign_in", "Name to sign in with", "Short, for example your first name.")
            },
            password("password", "Password", "At least 10 characters. A short sentence is easy to remember."),
            password("again", "Password once more", ""),
        ],
    };
    token.page(&page)
}

async fn show_set_up(app: web::Data<App>, request: HttpRequest) -> Result<HttpResponse, AppError> {
    if app.workshop.is_set_up().await? {
        return Ok(redirect("/sign-in"));
    }
    set_up_page(&request, &FormData::default(), &Errors::new())
}

async fn set_up(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    if app.workshop.is_set_up().await? {
        return Ok(redirect("/sign-in"));
    }
    let mut errors = Errors::new();
    for (name, what) in [("workshop", "the workshop"), ("name", "yourself"), ("sign_in", "your sign-in")] {
        let length = form.get(name).chars().count();
        if !(1..=120).contains(&length) {
            errors.insert(name.into(), format!("Give a name for {what}, up to 120 letters."));
        }
    }
    let password = form.untrimmed("password").to_owned();
    if password.chars().count() < SHORTEST {
        errors.insert("password".into(), format!("This is too short: at least {SHORTEST} characters."));
    } else if form.untrimmed("again") != password {
        errors.insert("again".into(), "The two passwords differ: type the same one twice.".into());
    }
    if !errors.is_empty() {
        return set_up_page(&request, &form, &errors);
    }
    let sign_in = form.get("sign_in").to_lowercase();
    match app.workshop.set_up(form.get("workshop"), form.get("name"), &sign_in, password).await {
        Ok(person) => {
            current_user::sign_in(&session, person)?;
            Ok(redirect("/"))
        }
        Err(Refusal::AlreadySetUp) => Ok(redirect("/sign-in")),
        Err(other) => Err(other.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::inside;
    use rstest::rstest;

    #[rstest]
    #[case("/runs/7", "/runs/7")]
    #[case("//elsewhere.example", "/")]
    #[case("https://elsewhere.example", "/")]
    #[case("/\\elsewhere", "/")]
    #[case("", "/")]
    #[case("/sign-in", "/")]
    fn after_signing_in_only_our_own_places(#[case] next: &str, #[case] to: &str) {
        assert_eq!(inside(next), to);
    }
}
