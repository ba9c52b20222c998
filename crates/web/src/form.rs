//! A form as it was sent: fields by name, with its token already checked. It is read at the edge, into typed commands.

use crate::current_user::signed_in_token;
use crate::error::AppError;
use actix_session::SessionExt as _;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use std::collections::BTreeMap;
use std::future::Future;
use std::pin::Pin;
use store::{ClientKey, ClientKeyError};

/// The cookie that holds the token of forms where nobody is signed in: no session is kept for those.
pub const FORM_COOKIE: &str = "filamentum-form";

/// A form as it was sent.
#[derive(Clone, Debug, Default)]
pub struct FormData(pub BTreeMap<String, String>);

/// Messages by field.
pub type Errors = BTreeMap<String, String>;

impl FormData {
    /// A field, trimmed; empty when absent.
    pub fn get(&self, name: &str) -> &str {
        self.0.get(name).map_or("", |value| value.trim())
    }

    /// Whether a box is ticked.
    pub fn is_ticked(&self, name: &str) -> bool {
        self.get(name) == "yes"
    }

    /// A number in the database; `None` when absent or no number.
    pub fn id(&self, name: &str) -> Option<u64> {
        self.get(name).parse().ok()
    }

    /// The submission's key.
    pub fn key(&self) -> Result<ClientKey, AppError> {
        self.get("key").parse().map_err(|error: ClientKeyError| AppError::BadRequest(error.to_string()))
    }

    /// The submission's key, or a new one for a form that was not sent yet.
    pub fn key_or_new(&self) -> ClientKey {
        self.get("key").parse().unwrap_or_else(|_| ClientKey::random())
    }
}

impl FromRequest for FormData {
    type Error = actix_web::Error;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Self::Error>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let cookie = request.cookie(FORM_COOKIE).map(|cookie| cookie.value().to_owned());
        let body = web::Form::<Vec<(String, String)>>::from_request(request, payload);
        Box::pin(async move {
            let fields = body.await.map_err(|error| AppError::BadRequest(error.to_string()))?.into_inner();
            let form = Self(fields.into_iter().collect());
            let expected = signed_in_token(&session)?.or(cookie);
            if expected.is_none_or(|token| token.is_empty() || form.get("csrf") != token) {
                return Err(AppError::StaleForm.into());
            }
            Ok(form)
        })
    }
}
