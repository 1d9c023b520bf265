//! What every answer carries and every request must satisfy.

use actix_web::Error;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::http::header::{
    CONTENT_SECURITY_POLICY, HOST, HeaderValue, ORIGIN, REFERRER_POLICY, X_CONTENT_TYPE_OPTIONS,
};
use actix_web::middleware::Next;

use crate::error::WebError;

/// No inline script, no inline style, nothing from elsewhere. The one trusted-types policy takes
/// fragments that this server rendered.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; \
    img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; form-action 'self'; \
    base-uri 'none'; frame-ancestors 'none'; manifest-src 'self'; \
    require-trusted-types-for 'script'; trusted-types server-fragment";

/// Refuses foreign requests; puts the policy on every answer.
pub(crate) async fn guard(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    if !is_own(&request) {
        return Err(WebError::Foreign.into());
    }
    let mut response = next.call(request).await?;
    let headers = response.headers_mut();
    headers.insert(CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    headers.insert(X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    headers.insert(REFERRER_POLICY, HeaderValue::from_static("same-origin"));
    Ok(response)
}

/// A request is our own when it names this machine (or a name cannot be rebound to it) and, where
/// it changes something or opens the live channel, comes from one of our pages.
fn is_own(request: &ServiceRequest) -> bool {
    let header = |name| request.headers().get(name).and_then(|v: &HeaderValue| v.to_str().ok());
    let Some(host) = header(HOST) else { return false };
    if !is_loopback(host) {
        return false;
    }
    let changes = !matches!(*request.method(), Method::GET | Method::HEAD)
        || request.path().ends_with("/live");
    let own = format!("http://{host}");
    match header(ORIGIN) {
        Some(origin) => origin == own,
        // A browser sends the origin with every change; scripts on this machine send none.
        None => !changes || request.headers().get("sec-fetch-site").is_none(),
    }
}

fn is_loopback(host: &str) -> bool {
    let name = host.rsplit_once(':').map_or(host, |(name, port)| {
        if port.bytes().all(|b| b.is_ascii_digit()) { name } else { host }
    });
    matches!(name, "127.0.0.1" | "localhost" | "[::1]")
}
