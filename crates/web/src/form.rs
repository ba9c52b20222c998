//! What a visitor filled in: fields by name, with the form's token already checked.

use crate::current_user::token;
use crate::error::AppError;
use actix_session::SessionExt as _;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use std::collections::BTreeMap;
use std::future::Future;
use std::pin::Pin;
use store::ClientKey;

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

    /// The submission's key.
    pub fn key(&self) -> Result<ClientKey, AppError> {
        self.get("key")
            .parse()
            .map_err(|error: store::ClientKeyError| AppError::Unreadable(error.to_string()))
    }
}

impl FromRequest for FormData {
    type Error = actix_web::Error;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Self::Error>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let body = web::Form::<Vec<(String, String)>>::from_request(request, payload);
        Box::pin(async move {
            let fields = body.await.map_err(|error| AppError::Unreadable(error.to_string()))?.into_inner();
            let form = Self(fields.into_iter().collect());
            let expected = token(&session)?;
            if form.get("csrf") != expected {
                return Err(AppError::Stale.into());
            }
            Ok(form)
        })
    }
}
