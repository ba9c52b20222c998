//! What every line of the log about a request says of it: a number, the method and the route. Not the whole path: a link to set a
//! password is one.

use actix_web::Error;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use rand::RngExt as _;
use tracing::Span;
use tracing_actix_web::{DefaultRootSpanBuilder, RootSpanBuilder};

/// Makes a request's span.
pub(crate) struct RequestSpan;

impl RootSpanBuilder for RequestSpan {
    fn on_request_start(request: &ServiceRequest) -> Span {
        let id: u64 = rand::rng().random();
        let route = request.match_pattern().unwrap_or_default();
        tracing::info_span!("request", id = format!("{id:016x}"), method = %request.method(), route)
    }

    fn on_request_end<B: MessageBody>(span: Span, outcome: &Result<ServiceResponse<B>, Error>) {
        DefaultRootSpanBuilder::on_request_end(span, outcome);
    }
}
