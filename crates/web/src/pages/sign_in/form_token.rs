//! Forms where nobody is signed in.

use crate::app::App;
use crate::current_user::random_token;
use crate::error::AppError;
use crate::form::FORM_COOKIE;
use crate::respond::render;
use actix_web::cookie::{Cookie, SameSite};
use actix_web::http::{StatusCode, header};
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;

/// What forms need where nobody is signed in yet.
pub(super) struct Bare {
    /// Their token.
    pub token: String,
}

/// The token of forms where nobody is signed in: the browser holds it in a cookie and sends it in the form, so that no
/// session is kept before there is something to remember.
pub(super) struct FormToken {
    token: String,
    is_new: bool,
    is_https: bool,
}

impl FormToken {
    /// The one that a browser holds, or a new one.
    pub(super) fn from_request(request: &HttpRequest) -> Self {
        let held = request.cookie(FORM_COOKIE).map(|c| c.value().to_owned());
        let is_https = request.app_data::<web::Data<App>>().is_some_and(|app| app.origin.is_https());
        match held.filter(|t| t.len() == 32 && t.bytes().all(|b| b.is_ascii_hexdigit())) {
            Some(token) => Self { token, is_new: false, is_https },
            None => Self { token: random_token(), is_new: true, is_https },
        }
    }

    /// For a page's template.
    pub(super) fn bare(&self) -> Bare {
        Bare { token: self.token.clone() }
    }

    /// A page with a form that carries the token.
    pub(super) fn page(self, template: &impl Template, is_refused: bool) -> Result<HttpResponse, AppError> {
        let status = if is_refused { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
        let mut response = HttpResponse::build(status);
        response.insert_header((header::CONTENT_TYPE, "text/html; charset=utf-8"));
        if self.is_new {
            let cookie =
                Cookie::build(FORM_COOKIE, self.token).path("/").http_only(true).secure(self.is_https);
            response.cookie(cookie.same_site(SameSite::Strict).finish());
        }
        Ok(response.body(render(template)?))
    }
}
