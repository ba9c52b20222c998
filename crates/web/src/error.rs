//! The one boundary that decides what a visitor sees when something fails.

use crate::app::App;
use crate::assets;
use actix_web::body::{BoxBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::{StatusCode, header};
use actix_web::middleware::Next;
use actix_web::{Error, HttpResponse, ResponseError, web};
use askama::Template;
use rand::RngExt as _;
use store::StoreError;
use thiserror::Error;

/// Why a page cannot be shown.
#[derive(Debug, Error)]
pub enum AppError {
    /// Not signed in; holds where to go after.
    #[error("sign in first")]
    SignIn(String),
    /// There is no such thing.
    #[error("there is no such {0} here")]
    Missing(&'static str),
    /// The form's token does not fit the session.
    #[error("this form is from an older sign-in")]
    Stale,
    /// What was sent cannot be read.
    #[error("{0}")]
    Unreadable(String),
    /// Too many attempts.
    #[error("too many attempts")]
    TooMany,
    /// The database does not answer.
    #[error("the database does not answer")]
    Away,
    /// A fault of our own.
    #[error("{0}")]
    Internal(String),
}

impl From<StoreError> for AppError {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Missing(what) => Self::Missing(what),
            StoreError::Taken(index) if index == "readings_corrects" => Self::Unreadable(
                "That reading was corrected meanwhile. Go back to the run and correct the newer one.".into(),
            ),
            StoreError::Away(source) => {
                tracing::error!(%source, "the database does not answer");
                Self::Away
            }
            other => Self::Internal(other.to_string()),
        }
    }
}

impl From<actix_web::error::BlockingError> for AppError {
    fn from(error: actix_web::error::BlockingError) -> Self {
        Self::Internal(error.to_string())
    }
}

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage<'a> {
    assets: &'a str,
    title: &'a str,
    text: &'a str,
    id: Option<String>,
}

impl ResponseError for AppError {
    fn status_code(&self) -> StatusCode {
        match self {
            Self::SignIn(_) => StatusCode::SEE_OTHER,
            Self::Missing(_) => StatusCode::NOT_FOUND,
            Self::Stale => StatusCode::FORBIDDEN,
            Self::Unreadable(_) => StatusCode::BAD_REQUEST,
            Self::TooMany => StatusCode::TOO_MANY_REQUESTS,
            Self::Away => StatusCode::SERVICE_UNAVAILABLE,
            Self::Internal(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    fn error_response(&self) -> HttpResponse<BoxBody> {
        if let Self::SignIn(next) = self {
            let to = format!("/sign-in?next={}", encode(next));
            return HttpResponse::SeeOther().insert_header((header::LOCATION, to)).finish();
        }
        let mut id = None;
        let (title, text) = match self {
            Self::Missing(what) => {
                ("Nothing here", format!("There is no such {what} in this workshop. It may belong to another one, or the address is wrong."))
            }
            Self::Stale => (
                "This form is too old",
                "You signed in again after this form was opened. Go back, load the page once more and send it again; what you typed is still there.".into(),
            ),
            Self::Unreadable(what) => ("This cannot be read", what.clone()),
            Self::TooMany => (
                "Too many attempts",
                "Someone tried to sign in too often in a short time. Wait a minute, then try again.".into(),
            ),
            Self::Away => (
                "The database is away",
                "Nothing of what you sent was written. Wait a moment, then load the page again; drafts stay in this browser.".into(),
            ),
            Self::SignIn(_) | Self::Internal(_) => {
                let number: u32 = rand::rng().random();
                let name = format!("{number:08x}");
                tracing::error!(fault = %self, id = name, "internal fault");
                id = Some(name);
                ("Something failed on our side", "It is written down in the log under the number below. Nothing was half saved.".into())
            }
        };
        let page = ErrorPage { assets: assets::base(), title, text: &text, id };
        let mut response = HttpResponse::build(self.status_code());
        if matches!(self, Self::Away) {
            response.insert_header((header::RETRY_AFTER, "5"));
        }
        response.content_type("text/html; charset=utf-8").body(page.render().unwrap_or_else(|_| text.clone()))
    }
}

fn encode(path: &str) -> String {
    path.bytes()
        .map(|b| {
            if b.is_ascii_alphanumeric() || b"/-_.".contains(&b) {
                (b as char).to_string()
            } else {
                format!("%{b:02X}")
            }
        })
        .collect()
}

/// Turns failures below (a session that could not be loaded, for one) into a page of ours: when the
/// database does not answer either, that is what the visitor is told.
pub async fn boundary(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<BoxBody>, Error> {
    let app = request.app_data::<web::Data<App>>().cloned();
    match next.call(request).await {
        Ok(response) => {
            let unknown = response.status() == StatusCode::INTERNAL_SERVER_ERROR
                && response.response().error().is_some_and(|e| e.as_error::<AppError>().is_none());
            let response = response.map_into_boxed_body();
            if unknown {
                let fault = explain(app, "a session could not be read or written").await;
                let (request, _) = response.into_parts();
                return Ok(ServiceResponse::new(request, fault.error_response()));
            }
            Ok(response)
        }
        Err(error) if error.as_error::<AppError>().is_some() => Err(error),
        Err(error) if error.as_response_error().status_code() == StatusCode::INTERNAL_SERVER_ERROR => {
            Err(explain(app, &error.to_string()).await.into())
        }
        Err(error) => Err(error),
    }
}

async fn explain(app: Option<web::Data<App>>, what: &str) -> AppError {
    match app {
        Some(app) => match app.store.ping().await {
            Err(StoreError::Away(_)) => AppError::Away,
            _ => AppError::Internal(what.to_owned()),
        },
        None => AppError::Internal(what.to_owned()),
    }
}
