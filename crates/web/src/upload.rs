//! A form with a file, as it was sent, with its token already checked.

use crate::current_user::signed_in_token;
use crate::error::AppError;
use crate::form::FormData;
use actix_multipart::Multipart;
use actix_session::SessionExt as _;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest};
use futures_util::TryStreamExt as _;
use std::future::Future;
use std::pin::Pin;
use workshop::LARGEST_PHOTO_BYTES;

/// Most bytes of all fields besides the file, and most fields.
const FIELD_BYTES: usize = 8 << 10;
const MOST_FIELDS: usize = 12;

/// A form with one file.
#[derive(Clone, Debug, Default)]
pub(crate) struct Upload {
    /// Its fields.
    pub form: FormData,
    /// The file's content; what it is called and what it says it is do not count.
    pub file: Vec<u8>,
}

async fn read(mut parts: Multipart) -> Result<Upload, AppError> {
    let wrong = |error: actix_multipart::MultipartError| AppError::BadRequest(error.to_string());
    let mut upload = Upload::default();
    let (mut fields, mut held) = (0, 0);
    while let Some(mut part) = parts.try_next().await.map_err(wrong)? {
        let disposition = part.content_disposition();
        let name = disposition.and_then(|d| d.get_name()).unwrap_or_default().to_owned();
        let is_file = disposition.is_some_and(|d| d.get_filename().is_some());
        fields += 1;
        if fields > MOST_FIELDS {
            return Err(AppError::BadRequest("too many fields".into()));
        }
        let mut value = Vec::new();
        while let Some(piece) = part.try_next().await.map_err(wrong)? {
            let most = if is_file { LARGEST_PHOTO_BYTES } else { FIELD_BYTES - held };
            if value.len() + piece.len() > most {
                return Err(AppError::BadRequest(format!(
                    "the file is larger than {} MB",
                    LARGEST_PHOTO_BYTES >> 20
                )));
            }
            value.extend_from_slice(&piece);
        }
        if is_file {
            upload.file = value;
        } else {
            held += value.len();
            upload.form.set(name, String::from_utf8_lossy(&value).into_owned());
        }
    }
    Ok(upload)
}

impl FromRequest for Upload {
    type Error = actix_web::Error;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Self::Error>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let parts = Multipart::from_request(request, payload);
        Box::pin(async move {
            let parts = parts.await?;
            let upload = read(parts).await?;
            let own = signed_in_token(&session)?;
            if !own.is_some_and(|token| !token.is_empty() && upload.form.get("csrf") == token) {
                return Err(AppError::StaleForm.into());
            }
            Ok(upload)
        })
    }
}
