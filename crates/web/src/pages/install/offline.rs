//! What a phone keeps for where there is no signal: the worker that keeps it, and which pages of a job it is.

use actix_web::http::header::{CACHE_CONTROL, HeaderName};
use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::site::Shows;
use serde_json::json;

use crate::assets;
use crate::door::{For, Wiring};
use crate::error::WebError;
use crate::pages::{Shell, html};

/// The worker: its text stands with the other scripts; what is shipped is told to it here, so that another
/// build is another worker.
#[get("/sw.js")]
pub(crate) async fn worker() -> HttpResponse {
    // What reads PDFs is large, and nobody reads one without a signal.
    let files =
        assets::all().filter(|path| !path.contains("vendor/pdf") && !path.contains("LICENSE"));
    let files: Vec<String> = files.map(|path| format!("/assets/{path}")).collect();
    let text = format!(
        "const BUILD = {};\nconst FILES = {};\n{}",
        json!(assets::build()),
        json!(files),
        assets::text("js/worker.js")
    );
    HttpResponse::Ok()
        .content_type("text/javascript; charset=utf-8")
        .insert_header((CACHE_CONTROL, "no-cache"))
        .insert_header((HeaderName::from_static("service-worker-allowed"), "/"))
        .body(text)
}

#[get("/manifest.webmanifest")]
pub(crate) async fn manifest() -> HttpResponse {
    let icon = |px: u32, purpose: &str| {
        json!({ "src": format!("/assets/icons/{px}.png"), "sizes": format!("{px}x{px}"),
            "type": "image/png", "purpose": purpose })
    };
    let value = json!({
        "name": "Dot Reach", "short_name": "Dot Reach", "start_url": "/", "scope": "/",
        "display": "standalone", "background_color": "#f6f4ed", "theme_color": "#0f5c63",
        "icons": [icon(192, "any"), icon(512, "any"), icon(512, "maskable")],
    });
    HttpResponse::Ok().content_type("application/manifest+json").body(value.to_string())
}

/// What a phone keeps of a job: the stretches of the day, all in one `bundle`, and by their addresses the pages
/// around them: plan, point sheet, what is known before, the forms of readings, the electrician's sheet, the guide.
#[get("/jobs/{job}/offline.json")]
pub(crate) async fn pages(For(job, ..): For<Wiring>) -> Result<HttpResponse, WebError> {
    let id = job.id.to_string();
    let fixed = [
        "install",
        "reach",
        "survey",
        "sheet",
        "previsit",
        "prove",
        "prove/readings",
        "prove/names",
        "walk",
        "round",
        "install/electrician",
        "install/fault",
        "install/guide.json",
    ];
    let mut pages: Vec<String> = fixed.iter().map(|page| format!("/jobs/{id}/{page}")).collect();
    for page in ["reach", "walk"] {
        let floors = job.site.floors.iter();
        pages.extend(floors.map(|f| format!("/jobs/{id}/{page}?floor={}", f.id)));
    }
    let images: Vec<String> = job
        .site
        .photos
        .iter()
        .filter(|p| p.shows == Shows::MakersSheet)
        .map(|p| format!("/images/{}", p.image))
        .collect();
    let body = json!({ "images": images, "job": id, "name": job.site.job.name, "revision": job.revision, "pages": pages,
        "bundle": format!("/jobs/{id}/install/stretches.json") });
    Ok(HttpResponse::Ok().json(body))
}

#[derive(Template)]
#[template(path = "install/unreachable.html")]
struct Unreachable {
    shell: Shell,
}

/// What is shown without a signal in place of a page that was not kept.
#[get("/unreachable")]
pub(crate) async fn unreachable() -> Result<HttpResponse, WebError> {
    html(&Unreachable { shell: Shell::plain("No connection") })
}
