//! What the log says of each request: its id, its way, its job, the revision that it made.

use actix_web::Error;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use tracing_actix_web::{DefaultRootSpanBuilder, RootSpanBuilder};

/// The span of a request.
#[derive(Debug)]
pub(crate) struct Span;

impl RootSpanBuilder for Span {
    fn on_request_start(request: &ServiceRequest) -> tracing::Span {
        tracing_actix_web::root_span!(request, revision = tracing::field::Empty)
    }

    fn on_request_end<B: MessageBody>(
        span: tracing::Span,
        outcome: &Result<ServiceResponse<B>, Error>,
    ) {
        DefaultRootSpanBuilder::on_request_end(span, outcome);
    }
}

/// Notes the revision that a request made.
pub(crate) fn revision(revision: u64) {
    tracing::Span::current().record("revision", revision);
}
