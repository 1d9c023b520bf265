//! Styles, scripts and fonts, shipped in the binary.

use actix_web::http::header::{CacheControl, CacheDirective, ETag, EntityTag, Header, IfNoneMatch};
use actix_web::{HttpRequest, HttpResponse, get, web};

#[derive(rust_embed::RustEmbed)]
#[folder = "assets/"]
struct Assets;

#[get("/assets/{path:.*}")]
pub(crate) async fn asset(request: HttpRequest, path: web::Path<String>) -> HttpResponse {
    let Some(file) = Assets::get(&path) else { return HttpResponse::NotFound().finish() };
    let [a, b, c, d, e, f, g, h, ..] = file.metadata.sha256_hash();
    let tag = EntityTag::new_weak(format!("{:016x}", u64::from_be_bytes([a, b, c, d, e, f, g, h])));
    let known = match IfNoneMatch::parse(&request) {
        Ok(IfNoneMatch::Any) => true,
        Ok(IfNoneMatch::Items(tags)) => tags.iter().any(|known| known.weak_eq(&tag)),
        Err(_) => false,
    };
    if known {
        return HttpResponse::NotModified().finish();
    }
    let media = match path.rsplit_once('.').map(|(_, ending)| ending) {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("woff2") => "font/woff2",
        Some("svg") => "image/svg+xml",
        _ => "application/octet-stream",
    };
    HttpResponse::Ok()
        .content_type(media)
        .insert_header(ETag(tag))
        .insert_header(CacheControl(vec![CacheDirective::NoCache]))
        .body(file.data.into_owned())
}
