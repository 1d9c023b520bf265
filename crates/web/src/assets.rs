//! Styles, scripts and fonts, shipped in the binary.

use actix_web::http::header::{CACHE_CONTROL, ETAG, IF_NONE_MATCH};
use actix_web::{HttpRequest, HttpResponse, get, web};

#[derive(rust_embed::RustEmbed)]
#[folder = "assets/"]
struct Assets;

#[get("/assets/{path:.*}")]
pub(crate) async fn asset(request: HttpRequest, path: web::Path<String>) -> HttpResponse {
    let Some(file) = Assets::get(&path) else { return HttpResponse::NotFound().finish() };
    let hash = file.metadata.sha256_hash();
    let tag = format!(
        "\"{:02x}{:02x}{:02x}{:02x}{:02x}{:02x}\"",
        hash[0], hash[1], hash[2], hash[3], hash[4], hash[5]
    );
    let known = request.headers().get(IF_NONE_MATCH).and_then(|v| v.to_str().ok());
    if known == Some(tag.as_str()) {
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
        .insert_header((ETAG, tag))
        .insert_header((CACHE_CONTROL, "no-cache"))
        .body(file.data.into_owned())
}
