//! A form as it was sent, with its token already checked. It is read at the edge, into typed commands.

use crate::current_user::signed_in_token;
use crate::error::AppError;
use actix_session::SessionExt as _;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use presentation::form_fields::FormFields;
use std::future::Future;
use std::ops::{Deref, DerefMut};
use std::pin::Pin;
use store::{ClientKey, ClientKeyError};

/// The cookie that holds the token of forms where nobody is signed in: no session is kept for those.
pub(crate) const FORM_COOKIE: &str = "filamentum-form";

/// A form as it was sent.
#[derive(Clone, Debug, Default)]
pub(crate) struct FormData(pub FormFields);

impl Deref for FormData {
    type Target = FormFields;

    fn deref(&self) -> &FormFields {
        &self.0
    }
}

impl DerefMut for FormData {
    fn deref_mut(&mut self) -> &mut FormFields {
        &mut self.0
    }
}

impl<N: Into<String>, V: Into<String>> FromIterator<(N, V)> for FormData {
    fn from_iter<I: IntoIterator<Item = (N, V)>>(fields: I) -> Self {
        Self(fields.into_iter().collect())
    }
}

impl FormData {
    /// The submission's key.
    pub(crate) fn key(&self) -> Result<ClientKey, AppError> {
        self.get("key").parse().map_err(|error: ClientKeyError| AppError::BadRequest(error.to_string()))
    }

    /// The submission's key, or a new one for a form that was not sent yet.
    pub(crate) fn key_or_new(&self) -> ClientKey {
        self.get("key").parse().unwrap_or_else(|_| ClientKey::random())
    }
}

impl FromRequest for FormData {
    type Error = actix_web::Error;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Self::Error>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let is_station = request.path().starts_with("/station/");
        let cookie = request.cookie(FORM_COOKIE).map(|cookie| cookie.value().to_owned());
        let body = web::Form::<Vec<(String, String)>>::from_request(request, payload);
        Box::pin(async move {
            let fields = body.await.map_err(|error| AppError::BadRequest(error.to_string()))?.into_inner();
            let form: Self = fields.into_iter().collect();
            let own = signed_in_token(&session)?;
            // At a station that rests, somebody is still signed in while the form asks who stands there now.
            let by_cookie = if own.is_none() || is_station { cookie } else { None };
            let is_token = |token: &String| !token.is_empty() && form.get("csrf") == token;
            if !own.iter().chain(&by_cookie).any(is_token) {
                return Err(AppError::StaleForm.into());
            }
            Ok(form)
        })
    }
}
