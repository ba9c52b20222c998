//! Signing in and out, and the first visit.

use crate::app::App;
use crate::assets;
use crate::current_user::{self, token};
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::layout::Field;
use crate::pages::redirect;
use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use serde::Deserialize;
use store::StoreError;
use store::person::NewPerson;

/// Shortest password accepted.
const SHORTEST: usize = 10;

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/sign-in", web::get().to(show))
        .route("/sign-in", web::post().to(enter))
        .route("/sign-out", web::post().to(leave))
        .route("/setup", web::get().to(show_setup))
        .route("/setup", web::post().to(set_up));
}

#[derive(Template, WebTemplate)]
#[template(path = "sign_in/sign_in.html")]
struct SignInPage {
    frame: Bare,
    assets: &'static str,
    next: String,
    refused: String,
    fields: Vec<Field>,
}

#[derive(Template, WebTemplate)]
#[template(path = "sign_in/setup.html")]
struct SetupPage {
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

fn sign_in_page(session: &Session, next: &str, name: &str, refused: &str) -> Result<SignInPage, AppError> {
    let password = Field {
        kind: "password",
        complete: "current-password",
        required: "yes",
        ..Field::typed("password", "Password", "")
    };
    let sign_in = Field { complete: "username", required: "yes", ..Field::typed("sign_in", "Name", "") };
    let none = Errors::new();
    Ok(SignInPage {
        frame: Bare { token: token(session)? },
        assets: assets::base(),
        next: next.to_owned(),
        refused: refused.to_owned(),
        fields: vec![sign_in.with(name, &none).wide(), password.wide()],
    })
}

async fn show(
    app: web::Data<App>,
    session: Session,
    next: web::Query<Next>,
) -> Result<HttpResponse, AppError> {
    if !app.store.has_workshop().await? {
        return Ok(redirect("/setup"));
    }
    page(&sign_in_page(&session, &next.next, "", "")?)
}

fn page(template: &impl Template) -> Result<HttpResponse, AppError> {
    let html = template.render().map_err(|error| AppError::Internal(error.to_string()))?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(html))
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
    let person = app.store.person_by_sign_in(&name).await?;
    let id = person.as_ref().map(|p| p.id);
    let hash = person.and_then(|p| p.password_hash);
    // As typed: blanks at its ends belong to a password.
    let password = form.0.get("password").cloned().unwrap_or_default();
    let right = web::block(move || {
        // An unknown name costs as much time as a known one.
        let known = hash.is_some();
        let hash = hash.unwrap_or_else(|| password_auth::generate_hash("nobody"));
        password_auth::verify_password(password, &hash).is_ok() && known
    })
    .await?;
    match id.filter(|_| right) {
        Some(id) => {
            current_user::sign_in(&session, id)?;
            tracing::info!(person = id.0, "signed in");
            Ok(redirect(inside(form.get("next"))))
        }
        None => {
            let refused =
                "That name and password do not belong together. Check both; the name is not case-sensitive.";
            page(&sign_in_page(&session, form.get("next"), form.get("sign_in"), refused)?)
        }
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

fn setup_page(session: &Session, form: &FormData, errors: &Errors) -> Result<SetupPage, AppError> {
    let field = |name: &str, label: &str, hint: &str| {
        Field::typed(name, label, hint).with(form.get(name), errors).wide()
    };
    let password = |name: &str, label: &str, hint: &str| Field {
        kind: "password",
        complete: "new-password",
        ..Field::typed(name, label, hint).with("", errors).wide()
    };
    Ok(SetupPage {
        frame: Bare { token: token(session)? },
        assets: assets::base(),
        fields: vec![
            field("workshop", "Workshop", "What it is called on labels and sheets."),
            field("name", "Your name", "As it stands beside your readings."),
            Field {
                complete: "username",
                ..field("sign_in", "Name to sign in with", "Short, for example your first name.")
            },
            password(
                "password",
                "Password",
                "At least 10 characters. A short sentence is easier to keep than a riddle.",
            ),
            password("again", "Password once more", ""),
        ],
    })
}

async fn show_setup(app: web::Data<App>, session: Session) -> Result<HttpResponse, AppError> {
    if app.store.has_workshop().await? {
        return Ok(redirect("/sign-in"));
    }
    page(&setup_page(&session, &FormData::default(), &Errors::new())?)
}

async fn set_up(app: web::Data<App>, session: Session, form: FormData) -> Result<HttpResponse, AppError> {
    if app.store.has_workshop().await? {
        return Ok(redirect("/sign-in"));
    }
    let mut errors = Errors::new();
    for (name, what) in [("workshop", "the workshop"), ("name", "yourself"), ("sign_in", "your sign-in")] {
        let length = form.get(name).chars().count();
        if !(1..=120).contains(&length) {
            errors.insert(name.into(), format!("Give a name for {what}, up to 120 letters."));
        }
    }
    let password = form.0.get("password").cloned().unwrap_or_default();
    if password.chars().count() < SHORTEST {
        errors.insert("password".into(), format!("This is too short: at least {SHORTEST} characters."));
    } else if form.0.get("again") != Some(&password) {
        errors.insert("again".into(), "The two passwords differ: type the same one twice.".into());
    }
    if !errors.is_empty() {
        return page(&setup_page(&session, &form, &errors)?);
    }
    let hash = web::block(move || password_auth::generate_hash(password)).await?;
    let sign_in = form.get("sign_in").to_lowercase();
    let owner = NewPerson { name: form.get("name"), sign_in: &sign_in, password_hash: Some(&hash) };
    match app.store.create_workshop(form.get("workshop"), &owner).await {
        Ok((_, person)) => {
            current_user::sign_in(&session, person)?;
            Ok(redirect("/"))
        }
        Err(StoreError::Taken(_)) => Ok(redirect("/sign-in")),
        Err(error) => Err(error.into()),
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
