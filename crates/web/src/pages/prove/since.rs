//! Since then: readings after the house was proven, and what probably changed.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::prove::drift::{Changed, changed, trends};
use dot_reach_core::prove::stages::newest;
use dot_reach_core::record::Stage;
use dot_reach_core::site::Site;

use super::{Tabs, name, or_dash, tabs};
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::jobs::day;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "prove/since.html")]
struct Page {
    shell: Shell,
    tabs: Tabs,
    proven: String,
    changed: Vec<String>,
    rows: Vec<[String; 6]>,
}

#[get("/jobs/{job}/prove/since")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let (site, record) = (&job.site, &job.record);
        let trends = trends(record);
        let rows = trends.iter().map(|t| {
            [
                name(site, &t.from),
                name(site, &t.to),
                t.readings.to_string(),
                or_dash(Some(t.change)),
                or_dash(t.a_year),
                if t.is_alarm { "look" } else { "" }.to_owned(),
            ]
        });
        Ok(Page {
            tabs: tabs(&job.id, "/since"),
            proven: newest(record, Stage::Proven).map(|m| day(&m.at)).unwrap_or_default(),
            changed: changed(&trends).iter().map(|c| words(site, c)).collect(),
            rows: rows.collect(),
            shell: job.shell("Prove"),
        })
    })
    .await
}

fn words(site: &Site, c: &Changed) -> String {
    match c {
        Changed::AtDevice(id, by) => format!(
            "{}: all its links changed, by {by} on the mean. Something at it: moved, put into or behind \
             metal, a new plate, a failing supply.",
            name(site, id)
        ),
        Changed::Between(a, b, by) => format!(
            "{} to {}: this link alone changed by {by}. Something between: furniture, an appliance, a door, \
             a wall.",
            name(site, a),
            name(site, b)
        ),
        Changed::Everything(by) => format!(
            "Nearly all links changed, by {by} on the mean: the hub was moved or covered, or its software \
             counts in another way."
        ),
    }
}
