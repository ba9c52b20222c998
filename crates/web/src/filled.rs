//! What a visitor filled in: fields by name, with the form's token already checked.

use crate::fault::Fault;
use crate::visitor::token;
use actix_session::SessionExt as _;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use std::collections::BTreeMap;
use std::future::Future;
use std::pin::Pin;
use store::ClientKey;

/// A form as it was sent.
#[derive(Clone, Debug, Default)]
pub struct Filled(pub BTreeMap<String, String>);

/// Messages by field.
pub type Errors = BTreeMap<String, String>;

impl Filled {
    /// A field, trimmed; empty when absent.
    pub fn get(&self, name: &str) -> &str {
        self.0.get(name).map_or("", |value| value.trim())
    }

    /// The submission's key.
    pub fn key(&self) -> Result<ClientKey, Fault> {
        self.get("key").parse().map_err(|error: store::ClientKeyError| Fault::Unreadable(error.to_string()))
    }
}

impl FromRequest for Filled {
    type Error = actix_web::Error;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Self::Error>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let body = web::Form::<Vec<(String, String)>>::from_request(request, payload);
        Box::pin(async move {
            let fields = body.await.map_err(|error| Fault::Unreadable(error.to_string()))?.into_inner();
            let filled = Self(fields.into_iter().collect());
            let expected = token(&session)?;
            if filled.get("csrf") != expected {
                return Err(Fault::Stale.into());
            }
            Ok(filled)
        })
    }
}
