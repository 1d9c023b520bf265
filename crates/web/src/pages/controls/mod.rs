//! Who controls what: the matrix of controllers and loads, each checked, and what works in an outage.

use std::collections::BTreeMap;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::control::{Group, Outage, check, sides, works_in};
use dot_reach_core::site::{DeviceId, Path};
use dot_reach_store::{JobId, StoreError};

use crate::app::App;
use crate::error::WebError;
use crate::pages::{Shell, analysed, html};

#[derive(Template)]
#[template(path = "controls/page.html")]
struct Page {
    shell: Shell,
    job: String,
    controllers: Vec<Named>,
    loads: Vec<Named>,
    rows: Vec<Row>,
    groups: Vec<String>,
    outages: [&'static str; 4],
}

struct Named {
    id: String,
    name: String,
}

struct Row {
    id: String,
    json: String,
    controller: String,
    load: String,
    is_direct: bool,
    hop: String,
    class: &'static str,
    delay: String,
    success: String,
    wrong: String,
    works: Vec<bool>,
    controller_id: String,
}

#[get("/jobs/{job}/controls")]
pub(crate) async fn show(
    job: web::Path<String>,
    app: web::Data<App>,
) -> Result<HttpResponse, WebError> {
    let job: JobId = job.parse()?;
    let (site, revision) = app.store.site(&job)?;
    let shell = Shell::of_job(&app, &job, &site, revision, "Reach")?;
    let analysis = analysed(&app, &job).await?;
    let named = |wanted: fn((bool, bool)) -> bool| {
        let devices = site.devices.iter().filter(|d| wanted(sides(&d.kind)));
        let mut list: Vec<_> = devices
            .map(|d| {
                let network = site.networks.get(&d.network).map_or("", |n| n.name.as_str());
                Named { id: d.id.to_string(), name: format!("{}, {network}", d.name) }
            })
            .collect();
        list.sort_by(|a, b| a.name.cmp(&b.name));
        list
    };
    let (rows, groups) = rows(&analysis)?;
    html(&Page {
        shell,
        job: job.to_string(),
        controllers: named(|(controls, _)| controls),
        loads: named(|(_, is_load)| is_load),
        rows,
        groups,
        outages: Outage::ALL.map(|(_, name)| name),
    })
}

fn rows(analysis: &Analysis) -> Result<(Vec<Row>, Vec<String>), WebError> {
    let site = &analysis.site;
    let name = |id: &DeviceId| site.devices.get(id).map_or_else(String::new, |d| d.name.clone());
    let mut rows = Vec::new();
    let mut delays: BTreeMap<DeviceId, Vec<f64>> = BTreeMap::new();
    for control in &site.controls {
        let checked = check(analysis, control);
        delays.entry(control.controller.clone()).or_default().extend(checked.delay_ms);
        let (hop, class) = match checked.direct {
            Some((band, margin)) => (format!("{margin}"), band.name()),
            None => ("by the hub".to_owned(), ""),
        };
        rows.push(Row {
            id: control.id.to_string(),
            json: serde_json::to_string(control).map_err(StoreError::Row)?,
            controller: name(&control.controller),
            load: name(&control.load),
            is_direct: control.path == Path::Direct,
            hop,
            class,
            delay: checked.delay_ms.map_or_else(|| "–".to_owned(), |d| format!("{d:.0}")),
            success: format!("{:.0}", checked.success * 100.0),
            wrong: checked.wrong.unwrap_or_default(),
            works: Outage::ALL.iter().map(|(o, _)| works_in(analysis, control, *o)).collect(),
            controller_id: control.controller.to_string(),
        });
    }
    rows.sort_by(|a, b| (&a.controller, &a.load).cmp(&(&b.controller, &b.load)));
    let groups = delays.iter().filter_map(|(controller, delays)| {
        let group = Group::of(delays);
        group.needs_multicast().then(|| {
            format!(
                "{} tells {} loads one by one: the last one follows after {:.0} ms instead of {:.0}. \
                 Use a group (multicast) or a scene.",
                name(controller),
                group.members,
                group.one_by_one_ms,
                group.at_once_ms
            )
        })
    });
    Ok((rows, groups.collect()))
}
