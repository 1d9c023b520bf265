//! What the log says of each request: its id, its way, its status, the revision that it made. Never an address as it was
//! asked for: a link that lets somebody in is one; and nothing that tells a person.

use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::{Error, HttpMessage};
use tracing::field::Empty;
use tracing_actix_web::{RequestId, RootSpanBuilder};

/// The span of a request.
#[derive(Debug)]
pub(crate) struct Span;

impl RootSpanBuilder for Span {
    fn on_request_start(request: &ServiceRequest) -> tracing::Span {
        let id = request.extensions().get::<RequestId>().copied();
        let way = request.match_pattern().unwrap_or_else(|| "no such way".to_owned());
        tracing::info_span!(
            "request",
            id = id.map(tracing::field::display),
            method = %request.method(),
            way,
            status = Empty,
            revision = Empty,
        )
    }

    fn on_request_end<B: MessageBody>(
        span: tracing::Span,
        outcome: &Result<ServiceResponse<B>, Error>,
    ) {
        let status = match outcome {
            Ok(response) => response.status(),
            Err(error) => error.as_response_error().status_code(),
        };
        span.record("status", status.as_u16());
        span.in_scope(|| tracing::info!("answered"));
    }
}

/// Notes the revision that a request made.
pub(crate) fn revision(revision: u64) {
    tracing::Span::current().record("revision", revision);
}
