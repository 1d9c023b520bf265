//! Traces to a collector by OpenTelemetry (OTLP over HTTP), where one is named: of each request its way, status and time, and
//! nothing that the log would not say.

use std::time::Duration;

use opentelemetry::trace::TracerProvider;
use opentelemetry_http::{Bytes, HttpClient, HttpError, Request, Response};
use opentelemetry_otlp::{SpanExporter, WithExportConfig, WithHttpConfig};
use opentelemetry_sdk::Resource;
use opentelemetry_sdk::trace::{SdkTracer, SdkTracerProvider};

use crate::Failure;

/// How long a collector may take; what it does not take in time is let go of.
const PATIENCE: Duration = Duration::from_secs(5);

/// Sends by the client that the rest of the program uses.
#[derive(Debug)]
struct Client(ureq::Agent);

#[async_trait::async_trait]
impl HttpClient for Client {
    async fn send_bytes(&self, request: Request<Bytes>) -> Result<Response<Bytes>, HttpError> {
        let mut told = self.0.run(request.map(|body| body.to_vec()))?;
        let (status, body) = (told.status(), told.body_mut().read_to_vec()?);
        Ok(Response::builder().status(status).body(body.into())?)
    }
}

/// Where spans go, and what has to be told when the program ends.
pub(crate) fn to(collector: &str) -> Result<(SdkTracer, SdkTracerProvider), Failure> {
    let agent = ureq::Agent::config_builder()
        .timeout_global(Some(PATIENCE))
        .max_redirects(0)
        .http_status_as_error(false)
        .build();
    let exporter = SpanExporter::builder()
        .with_http()
        .with_http_client(Client(agent.into()))
        .with_endpoint(format!("{}/v1/traces", collector.trim_end_matches('/')))
        .with_timeout(PATIENCE)
        .build()?;
    let provider = SdkTracerProvider::builder()
        .with_batch_exporter(exporter)
        .with_resource(Resource::builder().with_service_name("dot-reach").build())
        .build();
    Ok((provider.tracer("dot-reach"), provider))
}
