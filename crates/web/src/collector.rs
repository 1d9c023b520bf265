//! A collector: a program in the house that knows its hubs, asked over the open contract of
//! `docs/COLLECTOR.md`. Its address stands in the job; only this machine, and what the operator named, is asked.

mod address;

use std::time::Duration;

use actix_web::{HttpResponse, get, post, web};
use dot_reach_core::site::NetworkId;
use dot_reach_formats::Imported;
use dot_reach_formats::tables::{self, OfHub};
use dot_reach_formats::told::{Came, ToldReadings};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

use self::address::{is_plain, is_this_machine};
use crate::app::moment;
use crate::commands::{Answer, ToSay, drawn, take_told};
use crate::door::{AskedJob, Day, For, Prove, See};
use crate::error::WebError;

/// How long a collector may take for an answer.
const PATIENCE: Duration = Duration::from_secs(4);
/// The longest answer that is read.
const MOST_BYTES: u64 = 2 * 1024 * 1024;

/// What happened, as a collector tells it.
#[derive(Deserialize)]
struct Event {
    seq: u64,
    kind: String,
    #[serde(default)]
    node: Option<u32>,
    #[serde(default)]
    parent: Option<u32>,
    #[serde(default)]
    rssi_dbm: Option<f64>,
    #[serde(default)]
    lqi: Option<u32>,
    #[serde(default)]
    progress: Option<f64>,
    #[serde(default)]
    code: Option<String>,
    #[serde(default)]
    count: Option<u32>,
}

#[derive(Deserialize)]
struct Events {
    after: u64,
    events: Vec<Event>,
}

/// What is asked of the events of a network.
#[derive(Deserialize)]
pub(crate) struct Asked {
    network: String,
    #[serde(default)]
    after: u64,
}

/// An event in words, with what a card takes from it.
#[derive(Serialize)]
struct Heard {
    text: String,
    node: Option<u32>,
    joined: bool,
    pressed: bool,
}

impl Heard {
    /// `known` is the device whose number it is by the record: it is nobody else's.
    fn of(event: &Event, known: Option<&str>) -> Self {
        let node = event.node.map_or_else(|| "a device".to_owned(), |n| format!("number {n}"));
        let node = known.map_or_else(|| node.clone(), |name| format!("{node} ({name})"));
        let level = event.rssi_dbm.map(|r| format!(", heard at {r:.0} dBm")).unwrap_or_default();
        let quality = event.lqi.map(|q| format!(", link quality {q}")).unwrap_or_default();
        let parent = match event.parent {
            Some(0) => ", by the hub itself".to_owned(),
            Some(n) => format!(", by number {n}"),
            None => String::new(),
        };
        let code = event.code.as_ref().map(|c| format!(", code {c}")).unwrap_or_default();
        let text = match event.kind.as_str() {
            "opened" => "The network is open.".to_owned(),
            "closed" => "The network is closed.".to_owned(),
            "joined" => format!("New: {node}{level}{quality}{parent}{code}. Leave it alone."),
            "interview" => format!(
                "{node} is asked what it is: {:.0} %.",
                event.progress.unwrap_or(0.0).clamp(0.0, 1.0) * 100.0
            ),
            "ready" => format!("{node} is ready."),
            "failed" => format!("{node} did not answer all that it was asked."),
            "refused" => "Something asked to be let in and was not heard well enough.".to_owned(),
            "left" => format!("{node} has left."),
            "press" => format!("{node} was pressed, {} in all.", event.count.unwrap_or(1)),
            other => format!("{node}: {other}."),
        };
        let joined = known.is_none() && matches!(event.kind.as_str(), "joined" | "ready");
        Self { text: upper(&text), node: event.node, joined, pressed: event.kind == "press" }
    }
}

fn upper(text: &str) -> String {
    let mut signs = text.chars();
    signs.next().map_or_else(String::new, |s| format!("{}{}", s.to_uppercase(), signs.as_str()))
}

#[get("/jobs/{job}/collector/events")]
pub(crate) async fn events(For(job, asked, ..): For<See, web::Query<Asked>>) -> Answer {
    let Asked { network, after } = asked.into_inner();
    let network = segment(&network)?;
    let told: Events =
        ask(&job, format!("/v1/networks/{network}/events?after={after}"), None).await?;
    let devices =
        network.parse().map(|id| tables::numbers(&job.site, &job.record, &id)).unwrap_or_default();
    let known = |event: &Event| {
        let device = devices.get(&event.node?)?;
        job.site.devices.get(device).map(|d| d.name.as_str())
    };
    let events = told.events.iter().filter(|e| e.seq > after);
    let events: Vec<Heard> = events.map(|e| Heard::of(e, known(e))).collect();
    Ok(HttpResponse::Ok().json(json!({ "after": told.after, "events": events })))
}

/// Something that a collector is asked to do.
#[derive(Deserialize)]
pub(crate) struct Wanted {
    network: String,
    act: String,
    #[serde(default)]
    node: Option<u32>,
}

#[post("/jobs/{job}/collector/acts")]
pub(crate) async fn act(For(job, wanted, ..): For<Day, web::Json<Wanted>>) -> Answer {
    let Wanted { network, act, node } = wanted.into_inner();
    let network = segment(&network)?;
    let of_node = |act: &str| {
        let node = node.ok_or_else(|| WebError::field("node", "say which number is meant"))?;
        Ok::<_, WebError>(format!("/v1/networks/{network}/nodes/{node}/{act}"))
    };
    let (path, body) = match act.as_str() {
        "open" => (format!("/v1/networks/{network}/open"), json!({ "seconds": 240 })),
        "close" | "rebuild" | "exclude" => {
            (format!("/v1/networks/{network}/{act}"), json!({ "seconds": 60 }))
        }
        "identify" => (of_node("identify")?, json!({})),
        "ping" => (of_node("ping")?, json!({ "count": 10 })),
        _ => return Err(WebError::field("act", "is nothing that a collector does")),
    };
    let told: Value = ask(&job, path, Some(body)).await?;
    Ok(HttpResponse::Ok().json(told))
}

/// Asks for neighbours, routes and the list of a network, and takes them in as readings and reports.
#[post("/jobs/{job}/collector/tables")]
pub(crate) async fn take_tables(For(job, sent, ..): For<Prove, web::Json<Tables>>) -> Answer {
    let Tables { mark } = sent.into_inner();
    let (mut all, mut asked, mut failed) = (Vec::new(), false, None);
    for network in job.site.networks.iter().map(|n| n.id.clone()) {
        let of = |what: &str| format!("/v1/networks/{network}/{what}");
        let mut tables = json!({});
        for what in ["neighbours", "routes", "nodes"] {
            // A hub that keeps no such table is asked for the others.
            match ask::<Value>(&job, of(what), None).await {
                Ok(told) => {
                    asked = true;
                    tables[what] = told[what].clone();
                }
                Err(why) => failed = Some(why),
            }
        }
        let told: OfHub = serde_json::from_value(tables).map_err(|e| {
            WebError::field("collector", format!("told what could not be read ({e})"))
        })?;
        all.push((network, told));
    }
    if let Some(why) = failed.filter(|_| !asked) {
        return Err(why);
    }
    let (now, stem) = (moment(), drawn("h"));
    take_told(&job, mark, move |site, record| {
        let mut whole =
            Imported { value: ToldReadings { new: Vec::new(), again: 0 }, findings: Vec::new() };
        for (n, (network, told)) in all.iter().enumerate() {
            let stem = format!("{stem}.{n}");
            let came = Came { source: "hub", now: &now, stem: &stem };
            let read = tables::of_hub(site, record, network, told, came);
            whole.value.new.extend(read.value.new);
            whole.value.again += read.value.again;
            whole.findings.extend(read.findings);
        }
        whole.map(ToSay::from)
    })
    .await
}

/// The list of each network as its hub keeps it, as JSON.
pub(crate) async fn nodes_of(job: &AskedJob) -> Result<Vec<(NetworkId, String)>, WebError> {
    let (mut lists, mut failed) = (Vec::new(), None);
    for network in job.site.networks.iter().map(|n| n.id.clone()) {
        match ask::<Value>(job, format!("/v1/networks/{network}/nodes"), None).await {
            Ok(told) => lists.push((network, told["nodes"].to_string())),
            Err(why) => failed = Some(why),
        }
    }
    failed.filter(|_| lists.is_empty()).map_or(Ok(lists), Err)
}

/// Who asks for tables.
#[derive(Deserialize)]
pub(crate) struct Tables {
    #[serde(flatten)]
    mark: crate::commands::ChangeMark,
}

/// A part of an address that names a network: nothing that leads elsewhere.
fn segment(text: &str) -> Result<String, WebError> {
    if is_plain(text) {
        Ok(text.to_owned())
    } else {
        Err(WebError::field("network", "is no network of this job"))
    }
}

/// The address of the job's collector, where it may be asked.
fn address(job: &AskedJob) -> Result<String, WebError> {
    let wanted = job.site.job.collector.trim().to_owned();
    if wanted.is_empty() {
        return Err(WebError::field("collector", "no collector is named in the job"));
    }
    let named = job.app.settings.collectors.contains(&wanted);
    // On the machine of a server that firms share nothing is theirs.
    let is_theirs = job.caller.is_here();
    if named || (is_theirs && is_this_machine(&wanted)) {
        return Ok(wanted);
    }
    Err(WebError::field(
        "collector",
        if is_theirs {
            "only a collector on this machine is asked, or one that the operator of the server named"
        } else {
            "only a collector that the operator of the server named is asked"
        },
    ))
}

/// Asks the collector; without a body a question, with one something to do.
async fn ask<T: serde::de::DeserializeOwned + Send + 'static>(
    job: &AskedJob,
    path: String,
    body: Option<Value>,
) -> Result<T, WebError> {
    let url = format!("http://{}{path}", address(job)?);
    let asked = web::block(move || {
        let agent: ureq::Agent = ureq::Agent::config_builder()
            .timeout_global(Some(PATIENCE))
            .max_redirects(0)
            .build()
            .into();
        let answer = match body {
            Some(body) => agent.post(&url).send_json(body),
            None => agent.get(&url).call(),
        };
        let mut answer = answer.map_err(|e| e.to_string())?;
        let read = answer.body_mut().with_config().limit(MOST_BYTES);
        read.read_json::<T>().map_err(|e| e.to_string())
    });
    let told = asked.await.map_err(|e| WebError::Inside(e.to_string()))?;
    told.map_err(|reason| WebError::field("collector", format!("does not answer ({reason})")))
}
