//! All jobs, what needs someone in each, and a new one. The page itself analyses nothing: it shows
//! what is known of each job, and asks for what is not.

use std::sync::Arc;

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_accounts::FirmRole;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::findings::Weight;
use dot_reach_core::radio::region::REGIONS;
use dot_reach_core::summary::Summary;
use dot_reach_store::{JobId, JobSummary, Store};

use crate::door::{For, Of, See, Show};
use crate::error::WebError;
use crate::pages::{Shell, html, printed};
use dot_reach_core::units::count_of;

#[derive(Template)]
#[template(path = "jobs/page.html")]
struct Page {
    shell: Shell,
    who: String,
    jobs: Vec<JobRow>,
    regions: Vec<(String, &'static str)>,
}

#[derive(Template)]
#[template(path = "jobs/row.html")]
struct JobRow {
    id: String,
    name: String,
    changed: String,
    standing: Option<Arc<Standing>>,
    /// Whether how it stands may be asked for.
    is_asked: bool,
}

/// How a job stands, in a few numbers and words.
#[derive(Debug)]
pub(crate) struct Standing {
    place: String,
    points: usize,
    summary: Summary,
    devices: String,
    /// What it needs now, as an order.
    next: String,
    needs: Vec<String>,
}

#[get("/")]
pub(crate) async fn show(of: Of<Show>) -> Result<HttpResponse, WebError> {
    let (app, person) = (of.0.app.clone(), of.0.person.clone());
    let caller = of.0.clone();
    // Whoever may not look at all jobs sees those that are open to them.
    let mine = move |store: &Store| {
        let all = store.jobs()?;
        if caller.is_here() || caller.role().is_some_and(|role| role != FirmRole::Electrician) {
            return Ok(all);
        }
        let mut own = Vec::new();
        for job in all {
            let is_open = match caller.link() {
                Some(link) => store.uid(&job.id)? == link.job,
                None => caller.visits(&store.open_job(&job.id)?.site).is_none_or(|v| !v.is_empty()),
            };
            own.extend(is_open.then_some(job));
        }
        Ok(own)
    };
    let sees = of.0.is_here() || of.0.role().is_some_and(|role| role != FirmRole::Electrician);
    let jobs = app.ask(mine).await?.into_iter().map(|summary| {
        let standing = app.desk.standing(&summary.id, summary.revision).filter(|_| sees);
        JobRow { is_asked: sees, ..row(&summary, standing) }
    });
    let shell = Shell::plain("Jobs").of(&of.0);
    let regions = REGIONS
        .iter()
        .map(|r| (serde_json::to_value(r.region).ok(), r.name))
        .filter_map(|(id, name)| Some((id?.as_str()?.to_owned(), name)))
        .collect();
    html(&Page { shell, who: person.who, jobs: jobs.collect(), regions })
}

/// The row of one job with its standing, worked out if nobody knows it yet.
#[get("/jobs/{job}/standing")]
pub(crate) async fn stand(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    job.analysed().await?;
    let id = job.id.clone();
    let summaries = job.app.ask(Store::jobs).await?;
    let summary = summaries.into_iter().find(|s| s.id == id);
    let summary = summary.ok_or(WebError::NotFound("job"))?;
    let standing = job.app.desk.standing(&id, job.revision);
    printed(job, move |_| Ok(row(&summary, standing))).await
}

fn row(summary: &JobSummary, standing: Option<Arc<Standing>>) -> JobRow {
    let JobSummary { id, name, changed_at, .. } = summary;
    let (id, name, changed) =
        (JobId::to_string(id), name.clone(), changed_at.chars().take(10).collect());
    JobRow { id, name, changed, standing, is_asked: true }
}

impl Standing {
    /// How an analysed job stands.
    pub(crate) fn of(analysis: &Analysis, next: String) -> Self {
        let summary = Summary::of(analysis);
        Self {
            place: analysis.site.job.address.clone(),
            points: analysis.site.points.len(),
            devices: devices(&summary),
            summary,
            next,
            needs: needs(analysis),
        }
    }
}

/// What the devices of a job are, so that the sum is all of them.
fn devices(summary: &Summary) -> String {
    let mut parts = vec![count_of(summary.radios, "device", "devices")];
    if summary.hubs > 0 {
        parts.push(count_of(summary.hubs, "hub", "hubs"));
    }
    if summary.companions > 0 {
        parts.push(count_of(summary.companions, "device without radio", "devices without radio"));
    }
    parts.join(", ")
}

/// At most three things that need someone, the weightiest first.
fn needs(analysis: &Analysis) -> Vec<String> {
    let stops = analysis.findings.iter().filter(|f| f.found.weight() <= Weight::Doubt);
    let mut needs: Vec<_> = stops.map(|f| format!("{} {}", f.found, f.found.cure())).collect();
    needs.truncate(3);
    needs
}
