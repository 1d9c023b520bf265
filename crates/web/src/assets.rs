//! Styles, scripts and fonts, shipped in the binary.

use actix_web::http::header::{CacheControl, CacheDirective, ETag, EntityTag, Header, IfNoneMatch};
use actix_web::{HttpRequest, HttpResponse, get, web};

#[derive(rust_embed::RustEmbed)]
#[folder = "assets/"]
struct Assets;

/// Every file, by its path.
pub(crate) fn all() -> impl Iterator<Item = std::borrow::Cow<'static, str>> {
    Assets::iter()
}

/// The text of a file; empty where there is none.
pub(crate) fn text(path: &str) -> String {
    Assets::get(path).map_or_else(String::new, |f| String::from_utf8_lossy(&f.data).into_owned())
}

/// What tells this build from others: its version, and a sum of all it ships.
pub(crate) fn build() -> &'static str {
    static BUILD: std::sync::LazyLock<String> = std::sync::LazyLock::new(|| {
        let sum = Assets::iter().filter_map(|path| Assets::get(&path)).fold(0_u64, |sum, file| {
            let [a, b, c, d, e, f, g, h, ..] = file.metadata.sha256_hash();
            sum.rotate_left(5) ^ u64::from_be_bytes([a, b, c, d, e, f, g, h])
        });
        format!("{}-{sum:016x}", env!("CARGO_PKG_VERSION"))
    });
    &BUILD
}

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
        Some("png") => "image/png",
        _ => "application/octet-stream",
    };
    HttpResponse::Ok()
        .content_type(media)
        .insert_header(ETag(tag))
        .insert_header(CacheControl(vec![CacheDirective::NoCache]))
        .body(file.data.into_owned())
}
