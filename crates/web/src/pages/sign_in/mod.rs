//! Signing in and out, the first visit, links to set a password, and shared stations.

mod code;
mod form_token;
mod next;
mod page;
mod passkey;
mod provider;
mod station;
mod strength;
mod welcome;

use crate::app::App;
use crate::assets;
use crate::current_user;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use crate::route_table::routes;
use actix_session::Session;
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use form_token::{Bare, FormToken};
use next::inside;
use page::sign_in_page;
use presentation::field::Field;
use presentation::form_fields::Errors;
use serde::Deserialize;
use workshop::{LONGEST_SIGN_IN, Refusal, SetUp, SignInOutcome, sign_in_name};

routes! {
    GET "/sign-in" [open] => show;
    POST "/sign-in" [open] => enter;
    GET "/setup" [open] => show_set_up;
    POST "/setup" [open] => set_up;
    GET "/welcome/{token}" [open] => welcome::show;
    POST "/welcome/{token}" [open] => welcome::accept;
    GET "/sign-in/code" [open] => code::show;
    POST "/sign-in/code" [open] => code::enter;
    POST "/sign-in/passkey/begin" [open] => passkey::begin;
    POST "/sign-in/passkey" [open] => passkey::enter;
    GET "/sign-in/provider" [open] => provider::go;
    GET "/sign-in/provider/back" [open] => provider::back;
    POST "/password-strength" [open] => strength::weigh;
    GET "/station" [open] => station::show;
    POST "/station/enrol" [open] => station::enrol;
    POST "/station/stand" [open] => station::stand;
    POST "/station/leave" [open] => station::leave;
    POST "/sign-out" [open] => leave;
}

#[derive(Template)]
#[template(path = "sign_in/setup.html")]
struct SetUpPage {
    frame: Bare,
    assets: &'static str,
    fields: Vec<Field>,
}

#[derive(Deserialize)]
struct Next {
    #[serde(default)]
    next: String,
}

async fn show(
    app: web::Data<App>,
    request: HttpRequest,
    next: web::Query<Next>,
) -> Result<HttpResponse, AppError> {
    if !app.workshop.is_set_up().await? {
        return Ok(redirect("/setup"));
    }
    sign_in_page(&app, &request, &next.next, "", "").await
}

async fn enter(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let address = app.origin.address(&request);
    // As typed: blanks at its ends belong to a password.
    let password = form.untrimmed("password").to_owned();
    match app.workshop.sign_in(form.get("sign_in"), password, address).await {
        Ok(SignInOutcome::SignedIn(person)) => {
            current_user::sign_in(&session, person, &request, address)?;
            tracing::info!(event = "signed-in", person = person.0, %address);
            Ok(redirect(inside(form.get("next"))))
        }
        Ok(SignInOutcome::NeedsCode(person)) => {
            current_user::await_code(&session, person, &request, address)?;
            let next = inside(form.get("next"));
            Ok(redirect(format!("/sign-in/code?next={}", next::encoded(next))))
        }
        Ok(SignInOutcome::Wrong) => {
            let name = sign_in_name(form.get("sign_in")).unwrap_or_default();
            tracing::warn!(event = "sign-in-failed", name, %address);
            sign_in_page(
                &app,
                &request,
                form.get("next"),
                form.get("sign_in"),
                "That name and password do not belong together. Check both; the name is not case-sensitive.",
            )
            .await
        }
        Err(refusal) => {
            if let Refusal::TooManyAttempts { .. } = refusal {
                tracing::warn!(event = "sign-in-delayed", %address);
            }
            Err(refusal.into())
        }
    }
}

async fn leave(session: Session, _: FormData) -> HttpResponse {
    tracing::info!(event = "signed-out", person = ?session.get::<u64>(current_user::PERSON).ok().flatten());
    session.purge();
    let mut response = redirect("/sign-in");
    // What a browser keeps of pages is gone with the session. Its own store stays: it may hold events of a run that were
    // not sent yet; the page's script removes the drafts of whoever signs out.
    let value = header::HeaderValue::from_static("\"cache\"");
    response.headers_mut().insert(header::HeaderName::from_static("clear-site-data"), value);
    response
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
    let token = FormToken::from_request(request);
    let page = SetUpPage {
        frame: token.bare(),
        assets: assets::base(),
        fields: vec![
            field(
                "code",
                "Set-up code",
                "Three groups of four, printed where the program was started: “docs/operating.md” says where to look.",
            ),
            field("workshop", "Workshop", "What it is called on labels and sheets."),
            field("name", "Your name", "Shown with your readings."),
            Field {
                complete: "username",
                ..field("sign_in", "Name to sign in with", "Short, for example your first name.")
            },
            password(
                "password",
                "Password",
                "At least 12 characters. A few words that do not belong together are easy to remember.",
            ),
            password("again", "Password once more", ""),
        ],
    };
    token.page(&page, false)
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
        if !(1..=LONGEST_SIGN_IN).contains(&length) {
            errors.insert(name.into(), format!("Give a name for {what}, up to {LONGEST_SIGN_IN} letters."));
        }
    }
    let password = form.untrimmed("password").to_owned();
    if form.untrimmed("again") != password {
        errors.insert("again".into(), "The two passwords differ: type the same one twice.".into());
    }
    if !errors.is_empty() {
        return set_up_page(&request, &form, &errors);
    }
    let command = SetUp {
        code: form.get("code").to_owned(),
        workshop: form.get("workshop").to_owned(),
        name: form.get("name").to_owned(),
        sign_in: form.get("sign_in").to_owned(),
        password,
    };
    let address = app.origin.address(&request);
    let field = match app.workshop.set_up(command, address).await {
        Ok(person) => {
            tracing::info!(event = "set-up", person = person.0, %address);
            current_user::sign_in(&session, person, &request, address)?;
            return Ok(redirect("/"));
        }
        Err(Refusal::AlreadySetUp) => return Ok(redirect("/sign-in")),
        Err(ref refusal @ Refusal::WrongSetUpCode) => ("code", refusal_text(refusal)),
        Err(ref refusal @ Refusal::UnusableSignIn) => ("sign_in", refusal_text(refusal)),
        Err(ref refusal @ Refusal::WeakPassword(_)) => ("password", refusal_text(refusal)),
        Err(other) => return Err(other.into()),
    };
    tracing::warn!(event = "set-up-refused", field = field.0, %address);
    errors.insert(field.0.into(), field.1);
    set_up_page(&request, &form, &errors)
}
