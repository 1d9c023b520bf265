//! What fits where: every place with what is planned there, whether it fits and is reached, and what is advised where
//! nothing is planned yet.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::draw::choose::{AdvisedAt, advised_everywhere};
use dot_reach_core::fit::{findings, verdict as worst_of};
use dot_reach_core::network::outcome::Hop;
use dot_reach_core::site::{Device, Edit, Floor, Point, PointId, Site};
use dot_reach_core::units::Db;
use serde_json::json;

use crate::door::{For, See};
use crate::drawing::band_class;
use crate::error::WebError;
use crate::pages::survey::verdict;
use crate::pages::{Shell, money, printed};

#[derive(Template)]
#[template(path = "devices/page.html")]
struct Page {
    shell: Shell,
    storeys: Vec<Storey>,
    /// The edit that plans all that is advised; empty where nothing is.
    take_all: String,
    advised: Vec<AdvisedRow>,
    /// Places for which nothing can be advised yet.
    open: Vec<(String, String)>,
    no_network: bool,
    planned: usize,
}

struct AdvisedRow {
    /// Ids and titles.
    places: Vec<(String, String)>,
    what: Vec<String>,
    edit: String,
}

struct Storey {
    name: String,
    rows: Vec<Row>,
    /// How many places have nothing planned.
    bare: usize,
}

struct Row {
    point: String,
    tag: String,
    name: String,
    room: String,
    device: String,
    kind: String,
    fits: (&'static str, &'static str),
    reason: String,
    reached: (&'static str, &'static str),
    margin: String,
    price: String,
}

#[get("/jobs/{job}/devices")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let analysis = job.analysed().await?;
    printed(job, move |job| {
        let site = &job.site;
        let (advised, open) = advised_everywhere(site);
        let all: Vec<_> = advised.iter().map(|a| a.edit.clone()).collect();
        let titled = |id: &PointId| (id.to_string(), title(site, id));
        let storeys = site.floors_upward().into_iter().rev();
        Ok(Page {
            shell: job.shell("devices"),
            storeys: storeys.map(|floor| storey(&analysis, floor)).collect(),
            take_all: if all.len() > 1 {
                json!(Edit::batch(all)).to_string()
            } else {
                String::new()
            },
            advised: advised.iter().map(|a| row_of(site, a)).collect(),
            open: open.iter().map(titled).collect(),
            no_network: site.networks.is_empty(),
            planned: site.devices.len(),
        })
    })
    .await
}

fn title(site: &Site, id: &PointId) -> String {
    site.points.get(id).map(Point::title).unwrap_or_default()
}

fn row_of(site: &Site, advised: &AdvisedAt) -> AdvisedRow {
    AdvisedRow {
        places: advised.places.iter().map(|id| (id.to_string(), title(site, id))).collect(),
        what: advised.what.clone(),
        edit: json!(advised.edit).to_string(),
    }
}

fn storey(analysis: &Analysis, floor: &Floor) -> Storey {
    let site = &analysis.site;
    let mut rows = Vec::new();
    let mut bare = 0;
    for point in site.points.iter().filter(|p| p.floor == floor.id) {
        let devices = site.devices_at(&point.id);
        bare += usize::from(devices.is_empty());
        rows.extend(devices.into_iter().map(|device| row(analysis, point, device)));
    }
    rows.sort_by(|a, b| (&a.room, &a.tag, &a.name).cmp(&(&b.room, &b.tag, &b.name)));
    Storey { name: floor.name.clone(), rows, bare }
}

fn row(analysis: &Analysis, point: &Point, device: &Device) -> Row {
    let site = &analysis.site;
    let kind = site.kind(&device.kind);
    let against = kind.map(|kind| findings(site, kind, point, Some(device))).unwrap_or_default();
    let reached = analysis.find(&device.id).and_then(|(network, place)| {
        let outcome = &network.outcomes[place];
        (!network.is_hub(place)).then_some(outcome)
    });
    let price = kind.filter(|_| !device.is_there()).and_then(|k| k.fit.price);
    Row {
        point: point.id.to_string(),
        tag: point.tag.clone(),
        name: point.name.clone(),
        room: site.room_name(point).to_owned(),
        device: device.name.clone(),
        kind: kind.map(|k| k.name.clone()).unwrap_or_default(),
        fits: if device.is_there() { ("is there", "sound") } else { verdict(worst_of(&against)) },
        reason: against.first().map(ToString::to_string).unwrap_or_default(),
        reached: reached.map_or(("", ""), |o| (o.band.grade(), band_class(o.band))),
        margin: reached
            .and_then(|o| o.weakest())
            .map(Hop::margin)
            .map(|m: Db| m.to_string())
            .unwrap_or_default(),
        price: price.map(|p| money(p, 0, &site.job.currency)).unwrap_or_default(),
    }
}
