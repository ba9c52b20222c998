//! When bodies of requests are read, and how large they may be: before the request waits for its turn, or once it is known who
//! sends it.

use crate::app::App;
use crate::error::AppError;
use actix_web::body::MessageBody;
use actix_web::dev::{Payload, ServiceRequest, ServiceResponse};
use actix_web::http::header;
use actix_web::middleware::Next;
use actix_web::web::{self, Bytes};
use actix_web::{Error, HttpMessage as _};
use futures_util::stream;
use tokio::sync::OwnedSemaphorePermit;
use workshop::LARGEST_PHOTO_BYTES;

/// Largest form: a sheet with its document, or a pasted sweep.
const FORM_BYTES: usize = 1 << 20;
/// Largest form where nobody is signed in.
const OPEN_BYTES: usize = 16 << 10;
/// Largest form with a photo.
const PHOTO_BYTES: usize = LARGEST_PHOTO_BYTES + (64 << 10);
/// Largest notebook: 64 MB of text, of which every letter may take three in a form.
const NOTEBOOK_BYTES: usize = 192 << 20;

/// Bodies that are too large to be read before it is known who sends them.
const LARGE: &[(&str, usize)] = &[("/photos", PHOTO_BYTES), ("/logbook/import", NOTEBOOK_BYTES)];

/// The body of a request put in its place once it is whole.
async fn take_in(
    request: &mut ServiceRequest,
    app: &App,
    most: usize,
) -> Result<Option<OwnedSemaphorePermit>, AppError> {
    let stated = request.headers().get(header::CONTENT_LENGTH).and_then(|v| v.to_str().ok());
    let stated = stated.and_then(|v| v.parse().ok());
    let address = app.origin.address(request.request());
    let payload = request.take_payload();
    let (body, memory) = app.intake.read(payload, most, stated, address, app.timeouts).await?;
    put_back(request, body);
    Ok(memory)
}

/// Reads every body before the request waits for its turn, but those that only somebody signed in may send.
pub(crate) async fn read_bodies(
    mut request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let Some(app) = request.app_data::<web::Data<App>>().cloned() else {
        return Err(AppError::internal("no application").into());
    };
    let pattern = request.match_pattern().unwrap_or_default();
    if LARGE.iter().any(|(path, _)| *path == pattern) {
        return next.call(request).await;
    }
    let most = if app.routes.is_open(request.method(), &pattern) { OPEN_BYTES } else { FORM_BYTES };
    let memory = take_in(&mut request, &app, most).await?;
    let answer = next.call(request).await;
    drop(memory);
    answer
}

/// Reads the body of a large form, once it is known who sends it: meanwhile others have the turn.
pub(crate) async fn read_large_body(
    request: &mut ServiceRequest,
    app: &App,
) -> Result<Option<OwnedSemaphorePermit>, AppError> {
    let pattern = request.match_pattern().unwrap_or_default();
    match LARGE.iter().find(|(path, _)| *path == pattern) {
        Some((_, most)) => workshop::without_turn(take_in(request, app, *most)).await,
        None => Ok(None),
    }
}

/// The fields of a form, which stays to be read.
pub(crate) async fn form_of(request: &mut ServiceRequest) -> Result<Vec<(String, String)>, AppError> {
    let wrong = |error: Error| AppError::BadRequest(error.to_string());
    let body = request.extract::<Bytes>().await.map_err(wrong)?;
    put_back(request, body.clone());
    let fields = request.extract::<web::Form<Vec<(String, String)>>>().await.map_err(wrong)?;
    put_back(request, body);
    Ok(fields.into_inner())
}

fn put_back(request: &mut ServiceRequest, body: Bytes) {
    request.set_payload(Payload::Stream { payload: Box::pin(stream::once(async { Ok(body) })) });
}
