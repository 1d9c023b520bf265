//! Reach: plan with contours, ledger, staircase, what-ifs.

pub(crate) mod cures;
pub(crate) mod details;
mod facts;
mod ground;
mod hops;
pub(crate) mod ledger;
mod view;

pub(crate) use view::options;

use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Options;
use dot_reach_core::record::Record;
use dot_reach_core::simulate::{Budget, Chances, chances};
use dot_reach_core::site::Site;
use dot_reach_store::JobId;
use serde::{Deserialize, Serialize};

use crate::commands::download;
use crate::desk::Bench;
use crate::door::{AskedJob, For, See};
use crate::error::WebError;
use crate::pages::{Shell, printed};
use crate::work::{About, Question, Ticket, WorkFound};

/// What of the job is looked at.
#[derive(Clone, Debug, Default, Deserialize, Serialize)]
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
    /// Breakers that are off, each percent-encoded, with commas between them.
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
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let p = viewed(&job, query.into_inner()).await?;
    printed(job, move |job| Ok(Page { shell: job.shell("reach"), p })).await
}

/// What the page shows of a job as it stands.
async fn viewed(job: &AskedJob, query: Query) -> Result<view::View, WebError> {
    let options = options(&query);
    let chances = chances_of(job, &options);
    job.at_bench(options, move |bench, job| {
        let of = (&job.site, &*job.record);
        view::view(bench, &job.id, of, &query, (chances.as_deref(), false))
    })
    .await
}

/// The chances of a job as it stands, if somebody has drawn them.
fn chances_of(job: &AskedJob, options: &Options) -> Option<Arc<Chances>> {
    match job.app.work.ticket(&question(job, options))?.found()? {
        WorkFound::Chances(chances) => Some(chances),
        _ => None,
    }
}

fn question(job: &AskedJob, options: &Options) -> Question {
    let about = About::Chances(options.clone());
    Question::Job { job: job.id.clone(), revision: job.revision, about }
}

/// Draws many houses for a job as it stands.
pub(crate) fn chances_ticket(job: &AskedJob, query: &Query) -> Arc<Ticket> {
    let options = options(query);
    let shared = job.clone();
    job.app.work.begin(question(job, &options), move |pulse| {
        let mut bench = shared.app.desk.bench(&shared.id, &shared.site, &options);
        let analysis = bench.analysis(&shared.site, &options).ok()?;
        let budget = Budget::default();
        let found = chances(&analysis, budget, pulse);
        (found.draws > 0).then(|| WorkFound::Chances(Arc::new(found)))
    })
}

/// The surface that is looked at as a grid: one line a cell.
#[get("/jobs/{job}/surface.csv")]
pub(crate) async fn surface_csv(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let query = query.into_inner();
    let work =
        move |bench: &mut Bench, job: &AskedJob| ground::surface_csv(bench, &job.site, &query);
    let text = job.at_bench(Options::default(), work).await?;
    Ok(download("surface.csv", "text/csv; charset=utf-8", text))
}

/// Its contours as `GeoJSON`.
#[get("/jobs/{job}/surface.geojson")]
pub(crate) async fn surface_geojson(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let query = query.into_inner();
    let work =
        move |bench: &mut Bench, job: &AskedJob| ground::surface_geojson(bench, &job.site, &query);
    let value = job.at_bench(Options::default(), work).await?;
    Ok(download("surface.geojson", "application/geo+json", value.to_string()))
}

/// The parts of the page that follow a change, for the live channel; while a hand moves without the ground of the plan,
/// which takes longer than all the rest.
pub(crate) fn parts(
    bench: &mut Bench,
    job: &JobId,
    of: (&Arc<Site>, &Record),
    query: &Query,
    moves: bool,
) -> Result<String, WebError> {
    Ok(Parts { p: view::view(bench, job, of, query, (None, moves))? }.render()?)
}

/// The parts of the page for a job as it stands by now, and at which revision that is.
pub(crate) async fn parts_now(job: &AskedJob, query: Query) -> Result<(String, u64), WebError> {
    let job = job.renewed().await?;
    let p = viewed(&job, query).await?;
    let html = job.compute(move || Parts { p }.render()).await??;
    Ok((html, job.revision))
}
