//! What every answer carries and every request must satisfy.

use std::pin::Pin;
use std::sync::atomic::AtomicU64;
use std::time::Duration;

use actix_web::body::{BoxBody, MessageBody};
use actix_web::dev::{Payload, ServiceRequest, ServiceResponse};
use actix_web::error::PayloadError;
use actix_web::http::header::{
    CACHE_CONTROL, CONTENT_SECURITY_POLICY, HOST, HeaderName, HeaderValue, LOCATION, ORIGIN,
    REFERRER_POLICY, STRICT_TRANSPORT_SECURITY, X_CONTENT_TYPE_OPTIONS,
};
use actix_web::http::{Method, StatusCode};
use actix_web::middleware::Next;
use actix_web::{Error, HttpRequest, HttpResponse, web};
use futures_util::{Stream, StreamExt, stream};
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use tokio::time::Instant;

use crate::assets;
use crate::door::{is_marked, mark, renew};
use crate::error::{self, WebError, reads_pages};
use crate::metrics::Metrics;
use crate::server::{Front, Server};
use crate::settings::Settings;

/// No inline script, no inline style, nothing from elsewhere. The one trusted-types policy takes
/// fragments that this server rendered.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; \
    img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; form-action 'self'; \
    base-uri 'none'; frame-ancestors 'none'; manifest-src 'self'; worker-src 'self'; \
    require-trusted-types-for 'script'; trusted-types server-fragment own-worker";

type BoxedPayloadStream = Pin<Box<dyn Stream<Item = Result<web::Bytes, PayloadError>>>>;

/// Refuses foreign requests; puts the policy on every answer, and a page where a person meets a
/// failure.
pub(crate) async fn guard(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<BoxBody>, Error> {
    let Some(server) = request.app_data::<web::Data<Server>>().cloned() else {
        return Ok(request
            .error_response(WebError::Inside("no server".to_owned()))
            .map_into_boxed_body());
    };
    let settings = &server.shared.settings;
    let (by_person, is_marked) = (reads_pages(request.request()), is_marked(request.request()));
    let request = timed(request);
    let mut response = if is_own(&request, &settings.hosts) && is_from_proxy(&request, settings) {
        next.call(request).await?.map_into_boxed_body()
    } else {
        request.error_response(WebError::Foreign).map_into_boxed_body()
    };
    let status = response.status();
    count(&server.shared.metrics, status.as_u16());
    if response.request().headers().contains_key(BY_PAGE)
        && matches!(status, StatusCode::UNPROCESSABLE_ENTITY | StatusCode::CONFLICT)
    {
        refuse_to_page(response.response_mut());
    }
    if status == StatusCode::UNAUTHORIZED && by_person && response.request().method() == Method::GET
    {
        let page = sign_in_first(response.request());
        response = response.into_response(page);
    } else if status.as_u16() >= 400
        && by_person
        && let Some(page) = failure_page(&response)
    {
        response = response.into_response(page);
    }
    if !is_marked && matches!(server.front, Front::Here(_)) {
        mark(response.response_mut());
    }
    let asked = response.request().clone();
    renew(response.response_mut(), &asked);
    let headers = response.headers_mut();
    if settings.is_secure {
        let year = HeaderValue::from_static("max-age=31536000; includeSubDomains");
        headers.insert(STRICT_TRANSPORT_SECURITY, year);
    }
    // What is of a firm lies in no cache between; what is shipped with the program, and images by their sum, say so themselves.
    if !headers.contains_key(CACHE_CONTROL) {
        headers.insert(CACHE_CONTROL, HeaderValue::from_static("no-store"));
    }
    headers.insert(
        HeaderName::from_static("cross-origin-opener-policy"),
        HeaderValue::from_static("same-origin"),
    );
    headers.insert(
        HeaderName::from_static("cross-origin-resource-policy"),
        HeaderValue::from_static("same-origin"),
    );
    headers.insert(CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    // By it a page that is older than the server knows that it is.
    if let Ok(build) = HeaderValue::from_str(assets::build()) {
        headers.insert(HeaderName::from_static("x-build"), build);
    }
    headers.insert(X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    headers.insert(REFERRER_POLICY, HeaderValue::from_static("same-origin"));
    Ok(response)
}

/// A body must come at some speed, or whoever sends it is held to have gone: a beginning of 20 s, and from then on
/// 64 kB a second.
const BODY_GRACE: Duration = Duration::from_secs(20);
const BODY_BYTES_A_SECOND: u64 = 64 * 1024;

/// The request with a clock on its body.
fn timed(request: ServiceRequest) -> ServiceRequest {
    if matches!(*request.method(), Method::GET | Method::HEAD) {
        return request;
    }
    let (request, body) = request.into_parts();
    let begun = Instant::now();
    let chunks = stream::unfold((body, 0_u64, false), move |(mut body, got, is_over)| async move {
        if is_over {
            return None;
        }
        let until = begun + BODY_GRACE + Duration::from_secs(got / BODY_BYTES_A_SECOND);
        match tokio::time::timeout_at(until, body.next()).await {
            Ok(None) => None,
            Ok(Some(chunk)) => {
                let more = chunk.as_ref().map_or(0, |c| c.len() as u64);
                Some((chunk, (body, got + more, false)))
            }
            Err(_late) => {
                let late = std::io::Error::from(std::io::ErrorKind::TimedOut);
                Some((Err(PayloadError::Io(late)), (body, got, true)))
            }
        }
    });
    let chunks: BoxedPayloadStream = Box::pin(chunks.fuse());
    ServiceRequest::from_parts(request, Payload::from(chunks))
}

/// To the page of signing in, and from there on to what was asked for.
fn sign_in_first(request: &HttpRequest) -> HttpResponse {
    let asked = request.uri().path_and_query().map_or("/", |p| p.as_str());
    let then = utf8_percent_encode(asked, NON_ALPHANUMERIC);
    HttpResponse::SeeOther().insert_header((LOCATION, format!("/sign-in?then={then}"))).finish()
}

/// Sent by the scripts of the pages, which show a refusal beside its field.
const BY_PAGE: &str = "x-page";

/// A page takes a refusal for an answer: the browser would write each into its console as an error of the program.
fn refuse_to_page(response: &mut HttpResponse<BoxBody>) {
    let was = HeaderValue::from(response.status().as_u16());
    response.headers_mut().insert(HeaderName::from_static("x-refused"), was);
    *response.status_mut() = StatusCode::OK;
}

fn count(metrics: &Metrics, status: u16) {
    let more = |counter: &AtomicU64| Metrics::count(counter);
    more(&metrics.requests);
    match status {
        400..500 => more(&metrics.refusals),
        500.. => more(&metrics.failures),
        _ => {}
    }
}

fn failure_page(response: &ServiceResponse<BoxBody>) -> Option<HttpResponse> {
    let status = response.status();
    let told = response.response().error().map(|e| match e.as_error::<WebError>() {
        Some(error) => error.message(),
        None => e.to_string(),
    });
    let page = error::page(status, told.as_deref().unwrap_or("there is no such page"))?;
    Some(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page))
}

/// A request is our own when it names this machine (or a name cannot be rebound to it) and, where
/// it changes something or opens the live channel, comes from one of our pages.
fn is_own(request: &ServiceRequest, known: &[String]) -> bool {
    let header = |name| request.headers().get(name).and_then(|v: &HeaderValue| v.to_str().ok());
    let Some(host) = header(HOST) else { return false };
    if !is_loopback(host) && !known.iter().any(|name| is_named(name, host)) {
        return false;
    }
    let changes = !matches!(*request.method(), Method::GET | Method::HEAD)
        || request.path().ends_with("/live");
    match header(ORIGIN) {
        // A proxy in front may speak TLS.
        Some(origin) => {
            let own = origin.strip_prefix("http://").or_else(|| origin.strip_prefix("https://"));
            own == Some(host)
        }
        // A browser sends the origin with every change; scripts on this machine send none.
        None => !changes || request.headers().get("sec-fetch-site").is_none(),
    }
}

/// Where TLS ends at a proxy in front, nobody comes past it; who sits at this machine may.
fn is_from_proxy(request: &ServiceRequest, settings: &Settings) -> bool {
    let from = request.peer_addr().map(|at| at.ip());
    !settings.is_behind || from.is_none_or(|at| at.is_loopback() || settings.proxies.contains(&at))
}

/// By its name, or as one of those of `*.reach.example`.
fn is_named(name: &str, host: &str) -> bool {
    let of_all = name.strip_prefix('*').filter(|end| end.starts_with('.'));
    name == host || of_all.is_some_and(|end| host.len() > end.len() && host.ends_with(end))
}

fn is_loopback(host: &str) -> bool {
    let name = host.rsplit_once(':').map_or(host, |(name, port)| {
        if port.bytes().all(|b| b.is_ascii_digit()) { name } else { host }
    });
    matches!(name, "127.0.0.1" | "localhost" | "[::1]")
}
