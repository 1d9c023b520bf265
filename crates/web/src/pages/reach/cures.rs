//! What would help the device that is looked at: tried on the server while the page is there already.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::cures::cures;
use dot_reach_core::site::DeviceId;
use dot_reach_store::StoreError;

use super::{Query, options};
use crate::desk::Bench;
use crate::door::{AskedJob, For, See};
use crate::error::WebError;
use crate::pages::printed;

#[derive(Template)]
#[template(path = "reach/cures.html")]
struct Cures {
    rows: Vec<Row>,
}

struct Row {
    what: String,
    band: &'static str,
    grade: &'static str,
    margin: String,
    edit_json: String,
}

#[get("/jobs/{job}/cures")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let query = query.into_inner();
    let device: DeviceId = query.select.parse().map_err(|_| WebError::NotFound("device"))?;
    let wished = options(&query);
    let work = move |bench: &mut Bench, job: &AskedJob| {
        let analysis = bench.analysis(&job.site, &wished)?;
        let row = |cure: dot_reach_core::cures::Cure| {
            Ok(Row {
                what: cure.what.to_string(),
                band: cure.band.name(),
                grade: cure.band.grade(),
                margin: cure.margin.to_string(),
                edit_json: serde_json::to_string(&cure.edit).map_err(StoreError::Row)?,
            })
        };
        let found = cures(&analysis, &device, &|| bench.is_wanted());
        found.into_iter().map(row).collect::<Result<Vec<_>, WebError>>()
    };
    let rows = job.at_bench(options(&query), work).await?;
    printed(job, move |_| Ok(Cures { rows })).await
}
