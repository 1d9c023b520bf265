//! All jobs, what needs someone in each, and a new one.

use actix_web::{HttpRequest, HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::findings::Weight;
use dot_reach_core::network::{Band, Reason};
use dot_reach_core::radio::region::REGIONS;
use dot_reach_store::{JobId, JobSummary};

use crate::app::App;
use crate::commands::who;
use crate::error::WebError;
use crate::pages::{Shell, analysed, html};

#[derive(Template)]
#[template(path = "jobs/page.html")]
struct Page {
    shell: Shell,
    who: String,
    jobs: Vec<JobRow>,
    regions: Vec<(String, &'static str)>,
}

struct JobRow {
    id: String,
    name: String,
    place: String,
    changed: String,
    devices: usize,
    points: usize,
    out: usize,
    thin: usize,
    sound: usize,
    needs: Vec<String>,
}

#[get("/")]
pub(crate) async fn show(
    request: HttpRequest,
    app: web::Data<App>,
) -> Result<HttpResponse, WebError> {
    let mut jobs = Vec::new();
    for summary in app.store.jobs()? {
        let (site, _) = app.store.site(&summary.id)?;
        let analysis = analysed(&app, &summary.id, &site).await?;
        jobs.push(row(&summary, &analysis));
    }
    let regions = REGIONS
        .iter()
        .map(|r| (serde_json::to_value(r.region).ok(), r.name))
        .filter_map(|(id, name)| Some((id?.as_str()?.to_owned(), name)))
        .collect();
    html(&Page { shell: Shell::plain("Jobs"), who: who(&request), jobs, regions })
}

fn row(summary: &JobSummary, analysis: &Analysis) -> JobRow {
    let JobSummary { id, name, changed_at, .. } = summary;
    let count = |wanted: &[Band]| {
        let all = analysis.networks.iter().flat_map(|n| &n.outcomes);
        all.filter(|o| o.reason != Reason::IsHub && wanted.contains(&o.band)).count()
    };
    JobRow {
        id: JobId::to_string(id),
        name: name.clone(),
        place: analysis.site.job.address.clone(),
        changed: day(changed_at),
        devices: analysis.site.devices.len(),
        points: analysis.site.points.len(),
        out: count(&[Band::Out]),
        thin: count(&[Band::Thin]),
        sound: count(&[Band::Sound, Band::Solid]),
        needs: needs(analysis),
    }
}

/// At most three things that need someone, the weightiest first.
fn needs(analysis: &Analysis) -> Vec<String> {
    let stops = analysis.findings.iter().filter(|f| f.weight <= Weight::Doubt);
    let mut needs: Vec<_> = stops.map(|f| format!("{} {}", f.text, f.cure)).collect();
    if analysis.site.walls.is_empty() {
        needs.push("No walls are drawn yet: start in Survey.".to_owned());
    } else if analysis.site.devices.is_empty() {
        needs.push("No devices are placed yet: start in Survey.".to_owned());
    }
    needs.truncate(3);
    needs
}

/// The day and minute of a time as `2026-03-14 10:05`.
pub(crate) fn day(at: &str) -> String {
    at.chars().take(16).map(|c| if c == 'T' { ' ' } else { c }).collect()
}
