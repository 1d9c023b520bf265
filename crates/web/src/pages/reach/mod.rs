//! Reach: plan with contours, ledger, staircase, what-ifs.

mod details;
mod ground;
mod hops;
mod ledger;
mod view;

pub(crate) use view::options;

use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::site::Site;
use dot_reach_store::JobId;
use serde::Deserialize;

use crate::app::App;
use crate::commands::download;
use crate::error::WebError;
use crate::pages::{Opened, Shell, html};

/// What of the job is looked at.
#[derive(Clone, Debug, Default, Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    pub(crate) floor: String,
    #[serde(default)]
    pub(crate) network: String,
    #[serde(default)]
    pub(crate) select: String,
    /// Devices that are off, with commas between them.
    #[serde(default)]
    pub(crate) down: String,
    /// Breakers that are off, with commas between them.
    #[serde(default)]
    pub(crate) off: String,
    /// Words that a row of the ledger must hold: of name, room, verdict, role or route.
    #[serde(default)]
    pub(crate) q: String,
    /// Its columns, with commas between their words; the usual ones when empty.
    #[serde(default)]
    pub(crate) col: String,
    /// The column or `name` by which it is sorted, with a minus before it downward; the worst first
    /// when empty.
    #[serde(default)]
    pub(crate) sort: String,
    /// `open`, `shut`, or as drawn.
    #[serde(default)]
    pub(crate) doors: String,
    /// What the surface shows; margin when empty.
    #[serde(default)]
    pub(crate) show: String,
    /// `remote` for a remote in a hand; a sensor when empty.
    #[serde(default)]
    pub(crate) carried: String,
    /// Its height above the floor in metres.
    #[serde(default)]
    pub(crate) height: String,
    /// A place on the storey that is asked about, as `x,y`.
    #[serde(default)]
    pub(crate) spot: String,
}

#[derive(Template)]
#[template(path = "reach/page.html")]
struct Page {
    shell: Shell,
    p: view::View,
}

#[derive(Template)]
#[template(path = "reach/parts.html")]
struct Parts {
    p: view::View,
}

#[get("/jobs/{job}/reach")]
pub(crate) async fn show(
    job: web::Path<String>,
    query: web::Query<Query>,
    app: web::Data<App>,
) -> Result<HttpResponse, WebError> {
    let Opened { job, site, shell, .. } = Opened::of(&app, &job, "Reach")?;
    let (shared, query) = (app.clone(), query.into_inner());
    let p = app.compute(move || view::view(&shared, &job, &site, &query)).await?;
    html(&Page { shell, p })
}

/// The surface that is looked at as a grid: one line a cell.
#[get("/jobs/{job}/surface.csv")]
pub(crate) async fn surface_csv(
    job: web::Path<String>,
    query: web::Query<Query>,
    app: web::Data<App>,
) -> Result<HttpResponse, WebError> {
    let job: JobId = job.parse()?;
    let (site, _) = app.store.site(&job)?;
    let (shared, query) = (app.clone(), query.into_inner());
    let found = app.compute(move || ground::surface_csv(&shared, &job, &site, &query)).await?;
    let text = found.ok_or(WebError::NotFound("surface"))?;
    Ok(download("surface.csv", "text/csv; charset=utf-8", text))
}

/// Its contours as `GeoJSON`.
#[get("/jobs/{job}/surface.geojson")]
pub(crate) async fn surface_geojson(
    job: web::Path<String>,
    query: web::Query<Query>,
    app: web::Data<App>,
) -> Result<HttpResponse, WebError> {
    let job: JobId = job.parse()?;
    let (site, _) = app.store.site(&job)?;
    let (shared, query) = (app.clone(), query.into_inner());
    let found = app.compute(move || ground::surface_geojson(&shared, &job, &site, &query)).await?;
    let value = found.ok_or(WebError::NotFound("surface"))?;
    Ok(download("surface.geojson", "application/geo+json", value.to_string()))
}

/// The parts of the page that follow a change, for the live channel.
pub(crate) fn parts(
    app: &App,
    job: &JobId,
    site: &Arc<Site>,
    _revision: u64,
    query: &Query,
) -> Result<String, WebError> {
    Ok(Parts { p: view::view(app, job, site, query) }.render()?)
}
