//! The page of signing in.

use super::form_token::{Bare, FormToken};
use crate::app::App;
use crate::assets;
use crate::error::AppError;
use actix_web::{HttpRequest, HttpResponse};
use askama::Template;
use presentation::field::Field;
use presentation::form_fields::Errors;
use workshop::SignInWays;

#[derive(Template)]
#[template(path = "sign_in/sign_in.html")]
struct SignInPage {
    frame: Bare,
    assets: &'static str,
    next: String,
    refused: String,
    fields: Vec<Field>,
    ways: SignInWays,
}

/// The page of signing in, with why it came to nothing.
pub(super) async fn refused(
    app: &App,
    request: &HttpRequest,
    next: &str,
    why: &str,
) -> Result<HttpResponse, AppError> {
    sign_in_page(app, request, next, "", why).await
}

/// The page of signing in.
pub(super) async fn sign_in_page(
    app: &App,
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
    let token = FormToken::from_request(request);
    let page = SignInPage {
        frame: token.bare(),
        assets: assets::base(),
        next: next.to_owned(),
        refused: refused.to_owned(),
        fields: vec![sign_in.with(name, &Errors::new()).wide(), password.wide()],
        ways: app.workshop.sign_in_ways().await?,
    };
    token.page(&page, false)
}
