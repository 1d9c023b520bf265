//! What fits where: every place with what is planned there, whether it fits and is reached, and what is advised where
//! nothing is planned yet.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::draw::choose::{AdvisedAt, AdvisedHouse, advised_everywhere};
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
    /// What is known to fit, and what is likely.
    offered: [Offered; 2],
    /// Places for which nothing in the library comes into question.
    none: Vec<(String, String)>,
    no_network: bool,
    /// Whether nothing is planned, and no place works a load.
    is_empty: bool,
}

/// Places with what goes there.
struct Offered {
    title: &'static str,
    note: &'static str,
    /// What takes all of it.
    button: &'static str,
    /// The edit that plans all of it; empty where there is but one.
    take_all: String,
    rows: Vec<AdvisedRow>,
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
        let all = advised_everywhere(site);
        let titled = |id: &PointId| (id.to_string(), title(site, id));
        let storeys = site.floors_upward().into_iter().rev();
        Ok(Page {
            shell: job.shell("devices"),
            storeys: storeys.map(|floor| storey(&analysis, floor)).collect(),
            offered: [offered(site, ADVISED, &all.known), offered(site, LIKELY, &all.likely)],
            none: all.none.iter().map(titled).collect(),
            no_network: site.networks.is_empty(),
            is_empty: site.devices.is_empty() && all == AdvisedHouse::default(),
        })
    })
    .await
}

fn title(site: &Site, id: &PointId) -> String {
    site.points.get(id).map(Point::title).unwrap_or_default()
}

const ADVISED: [&str; 3] = [
    "Advised",
    "It works the load itself, is known to fit, forwards for others where it can, and costs least.",
    "Choose all that is advised",
];
const LIKELY: [&str; 3] = [
    "Likely",
    "Of these boxes something is not known yet. What is chosen here stands in the bill for now, and is held against the box \
     once it is open.",
    "Choose the likely ones for now",
];

fn offered(site: &Site, [title, note, button]: [&'static str; 3], all: &[AdvisedAt]) -> Offered {
    let edits: Vec<Edit> = all.iter().map(|a| a.edit.clone()).collect();
    let take_all =
        if edits.len() > 1 { json!(Edit::batch(edits)).to_string() } else { String::new() };
    Offered { title, note, button, take_all, rows: all.iter().map(|a| row_of(site, a)).collect() }
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
        reached: reached.map_or(("–", "open"), |o| (o.band.grade(), band_class(o.band))),
        margin: reached
            .and_then(|o| o.weakest())
            .map(Hop::margin)
            .map_or_else(|| "–".to_owned(), |m: Db| m.to_string()),
        price: price.map_or_else(|| "–".to_owned(), |p| money(p, 0, &site.job.currency)),
    }
}
