//! Reach: plan with contours, ledger, staircase, what-ifs.

mod view;

use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::site::Site;
use dot_reach_store::JobId;
use serde::Deserialize;

use crate::app::App;
use crate::error::WebError;
use crate::pages::{Shell, html};

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
    /// `open`, `shut`, or as drawn.
    #[serde(default)]
    pub(crate) doors: String,
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
    let job: JobId = job.parse()?;
    let (site, revision) = app.store.site(&job)?;
    let shell = Shell::of_job(&app, &job, &site, revision, "Reach")?;
    let (shared, query) = (app.clone(), query.into_inner());
    let p = app.compute(move || view::view(&shared, &job, &site, &query)).await?;
    html(&Page { shell, p })
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
