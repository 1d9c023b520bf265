//! What is in the house already: a hub's list taken in, and laid on the plan entry by entry, walking through the house.

use std::sync::Arc;

use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::record::Record;
use dot_reach_core::site::{Edit, HubEntry, NetworkId, Site};
use dot_reach_core::survey::hub_list::{LaidAt, alike, guess, laid, places, rooms, taken_for};
use dot_reach_formats::tables::numbers;
use dot_reach_formats::{Imported, hub_list};
use serde::Deserialize;
use serde_json::json;

use crate::collector::nodes_of;
use crate::commands::{Answer, ChangeMark, drawn, take_lines};
use crate::door::{Change, For, See};
use crate::error::WebError;
use crate::pages::{Shell, printed};

/// How many places are offered beside the rooms.
const OFFERED: usize = 6;

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    entry: String,
}

#[derive(Template)]
#[template(path = "existing/page.html")]
struct Page {
    shell: Shell,
    networks: Vec<(String, String)>,
    listens: bool,
    now: Option<Now>,
    waiting: Vec<Waiting>,
    there: Vec<[String; 4]>,
    /// What the hub names alike.
    alike: Vec<String>,
}

/// The entry that is laid now.
struct Now {
    id: String,
    name: String,
    told: String,
    /// Rows of the library that it can be: id, name, whether it is taken for that.
    kinds: Vec<(String, String, bool)>,
    is_guessed: bool,
    is_open: bool,
    /// Places and rooms, each with the edit that lays it there.
    places: Vec<(String, String)>,
    rooms: Vec<(String, String)>,
}

struct Waiting {
    id: String,
    name: String,
    told: String,
    network: String,
    number: String,
}

/// What a list says of an entry, in a line.
fn told(site: &Site, entry: &HubEntry) -> String {
    let network = site.networks.get(&entry.network).map_or("", |n| n.name.as_str());
    let number = entry.number.map(|n| format!("number {n}")).unwrap_or_default();
    let parts = [entry.model.as_str(), entry.room.as_str(), number.as_str(), network];
    parts.into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join(" · ")
}

fn now(site: &Site, entry: &HubEntry) -> Now {
    let system = site.networks.get(&entry.network).map(|n| n.system);
    let taken = taken_for(site, entry);
    let speaks = site
        .all_kinds()
        .filter(|k| k.has_radio && system.is_some_and(|s| k.systems.contains(&s)))
        .map(|k| (k.id.clone(), k.name.clone(), taken.is_some_and(|t| t.id == k.id)));
    let edit = |at: LaidAt<'_>| laid(site, entry, at).map(|edit| json!(edit).to_string());
    let at_place = places(site, entry).into_iter().take(OFFERED).filter_map(|p| {
        let room = site.room_name(p);
        let name = if room.is_empty() { p.title() } else { format!("{}, {room}", p.title()) };
        Some((name, edit(LaidAt::Place(&p.id))?))
    });
    let in_room = rooms(site, entry)
        .into_iter()
        .filter_map(|room| Some((room.name.clone(), edit(LaidAt::Room(room))?)));
    Now {
        id: entry.id.to_string(),
        name: entry.name.clone(),
        told: told(site, entry),
        kinds: speaks.collect(),
        is_guessed: entry.taken_for.is_empty() && guess(site, entry).is_some(),
        is_open: taken.is_none(),
        places: at_place.collect(),
        rooms: in_room.collect(),
    }
}

#[get("/jobs/{job}/existing")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let site = Arc::clone(&job.site);
        let asked = site.hub_entries.named(&query.entry);
        let entry = asked.or_else(|| site.hub_entries.iter().next());
        let waiting = site.hub_entries.iter().map(|e| Waiting {
            id: e.id.to_string(),
            name: e.name.clone(),
            told: told(&site, e),
            network: e.network.to_string(),
            number: e.number.map(|n| n.to_string()).unwrap_or_default(),
        });
        let there = site.devices.iter().filter(|d| d.is_there()).map(|d| {
            let point = site.point_of(d);
            let kind = site.kind(&d.kind).map_or("", |k| k.name.as_str());
            let place =
                point.map_or_else(String::new, |p| format!("{}, {}", p.title(), site.room_name(p)));
            let point = point.map(|p| p.id.to_string()).unwrap_or_default();
            [point, d.name.clone(), kind.to_owned(), place]
        });
        Ok(Page {
            shell: job.shell("existing"),
            networks: site.networks.iter().map(|n| (n.id.to_string(), n.name.clone())).collect(),
            listens: !site.job.collector.trim().is_empty(),
            now: entry.map(|e| now(&site, e)),
            waiting: waiting.collect(),
            there: there.collect(),
            alike: alike(&site),
        })
    })
    .await
}

/// A list as it was pasted.
#[derive(Deserialize)]
pub(crate) struct Pasted {
    text: String,
    network: NetworkId,
    #[serde(flatten)]
    mark: ChangeMark,
}

#[post("/jobs/{job}/hub-list")]
pub(crate) async fn bring(For(job, sent, ..): For<Change, web::Json<Pasted>>) -> Answer {
    let Pasted { text, network, mark } = sent.into_inner();
    if job.site.networks.get(&network).is_none() {
        return Err(WebError::field("network", "say whose list it is: make its network first"));
    }
    let stem = drawn("e");
    let read = move |site: &Site, record: &Record| {
        hub_list::read(site, &numbers(site, record, &network), &text, &network, &stem)
    };
    Ok(HttpResponse::Ok().json(take_lines(&job, mark, read).await?))
}

/// Who asks the hub for its list.
#[derive(Deserialize)]
pub(crate) struct Asking {
    #[serde(flatten)]
    mark: ChangeMark,
}

#[post("/jobs/{job}/hub-list/ask")]
pub(crate) async fn ask_hub(For(job, sent, ..): For<Change, web::Json<Asking>>) -> Answer {
    let mark = sent.into_inner().mark;
    let lists = nodes_of(&job).await?;
    let stem = drawn("e");
    let read = move |site: &Site, record: &Record| {
        let mut all: Imported<Vec<Edit>> = Imported { value: Vec::new(), findings: Vec::new() };
        for (n, (network, list)) in lists.iter().enumerate() {
            let known = numbers(site, record, network);
            let read = hub_list::read(site, &known, list, network, &format!("{stem}.{n}"));
            all.value.extend(read.value);
            all.findings.extend(read.findings);
        }
        all
    };
    Ok(HttpResponse::Ok().json(take_lines(&job, mark, read).await?))
}
