//! The brief: what the whole job rests on.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::PLANNING_SIGMA;
use dot_reach_core::radio::region::REGIONS;
use dot_reach_core::radio::system::RULES;
use dot_reach_store::JobId;

use crate::app::App;
use crate::error::WebError;
use crate::pages::{Shell, html};

#[derive(Template)]
#[template(path = "brief/page.html")]
struct Page {
    shell: Shell,
    job: String,
    name: String,
    client: String,
    address: String,
    note: String,
    regions: Vec<Choice>,
    confidences: Vec<Choice>,
    systems: Vec<SystemRow>,
}

struct Choice {
    value: String,
    text: String,
    chosen: bool,
}

struct SystemRow {
    name: &'static str,
    frequency: String,
    hops: usize,
    repeaters: usize,
    devices: usize,
    source: &'static str,
}

#[get("/jobs/{job}/brief")]
pub(crate) async fn show(
    job: web::Path<String>,
    app: web::Data<App>,
) -> Result<HttpResponse, WebError> {
    let job: JobId = job.parse()?;
    let (site, revision) = app.store.site(&job)?;
    let shell = Shell::of_job(&app, &job, &site, revision, "Brief")?;
    let fields = &site.job;
    let regions = REGIONS.iter().filter_map(|r| {
        let value = serde_json::to_value(r.region).ok()?.as_str()?.to_owned();
        Some(Choice { value, text: r.name.to_owned(), chosen: r.region == fields.region })
    });
    let confidences = [0.9, 0.95, 0.99].map(|p| {
        let (percent, sure) = (p * 100.0, dot_reach_core::confidence::Confidence::new(p));
        let target = sure.map(|c| c.target_margin(PLANNING_SIGMA)).unwrap_or_default();
        Choice {
            value: p.to_string(),
            text: format!("{percent:.0} %: {target} of margin on every hop"),
            chosen: (fields.confidence.get() - p).abs() < 1e-9,
        }
    });
    let systems = RULES.iter().map(|rule| SystemRow {
        name: rule.name,
        frequency: format!("{:.2}", fields.region.frequency(rule.system, None)),
        hops: rule.most_hops,
        repeaters: rule.most_hops - 1,
        devices: rule.most_devices,
        source: rule.source,
    });
    html(&Page {
        shell,
        job: serde_json::to_string(fields).map_err(dot_reach_store::StoreError::Row)?,
        name: fields.name.clone(),
        client: fields.client.clone(),
        address: fields.address.clone(),
        note: fields.note.clone(),
        regions: regions.collect(),
        confidences: confidences.into_iter().collect(),
        systems: systems.collect(),
    })
}
