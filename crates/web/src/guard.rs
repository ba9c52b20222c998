//! What is refused before anything of a request is looked at.

use crate::app::App;
use crate::error::AppError;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::{StatusCode, header};
use actix_web::middleware::Next;
use actix_web::{Error, HttpResponse, web};

/// How long a browser is to reach us over TLS only, where the configured address is one of TLS: a year.
const STRICT_TRANSPORT: &str = "max-age=31536000";

/// Where a winder is stopped without a page.
const WINDER_STOP: &str = "/winder-stop";

fn refused(
    request: ServiceRequest,
    status: StatusCode,
    why: &'static str,
) -> ServiceResponse<actix_web::body::BoxBody> {
    tracing::warn!(status = status.as_u16(), why, "refused before it was read");
    request.into_response(HttpResponse::build(status).content_type("text/plain; charset=utf-8").body(why))
}

/// Answers only to our own names, and takes no compressed bodies: a few kilobytes of those can become gigabytes, and no
/// browser sends any.
pub(crate) async fn guard(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<actix_web::body::BoxBody>, Error> {
    let Some(app) = request.app_data::<web::Data<App>>().cloned() else {
        return Err(AppError::internal("no application").into());
    };
    let authority = request.uri().authority().map(|a| a.as_str().to_owned());
    if !app.origin.is_our_host(request.headers(), authority.as_deref()) {
        return Ok(refused(
            request,
            StatusCode::MISDIRECTED_REQUEST,
            "This name is not served here. The address that it is reached at is set by base_url.\n",
        ));
    }
    let encoding = request.headers().get(header::CONTENT_ENCODING);
    if encoding.is_some_and(|value| !value.as_bytes().eq_ignore_ascii_case(b"identity")) {
        return Ok(refused(request, StatusCode::UNSUPPORTED_MEDIA_TYPE, "Send it uncompressed.\n"));
    }
    let mut response = next.call(request).await?.map_into_boxed_body();
    if app.origin.is_https() {
        let value = header::HeaderValue::from_static(STRICT_TRANSPORT);
        response.headers_mut().insert(header::STRICT_TRANSPORT_SECURITY, value);
    }
    Ok(response)
}

/// Lets a request through in its turn. What stops a winder never waits.
pub(crate) async fn wait_for_turn(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let Some(app) = request.app_data::<web::Data<App>>().cloned() else {
        return Err(AppError::internal("no application").into());
    };
    if request.match_pattern().is_some_and(|pattern| pattern == WINDER_STOP) {
        return next.call(request).await;
    }
    let Some(turn) = app.queue.turn().await else {
        tracing::warn!("too many requests at once");
        return Err(AppError::Busy.into());
    };
    workshop::with_turn(app.queue.turns(), turn, next.call(request)).await
}
