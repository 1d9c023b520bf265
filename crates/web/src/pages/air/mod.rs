//! Channels and the air: what else sends, at 2.4 GHz and below 1 GHz, and which channel suits a network best.

use std::sync::Arc;

use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::network::air::{advise, is_below_1_ghz};
use dot_reach_core::radio::coexistence::Emission;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Emitter, EmitterId, Site};
use dot_reach_core::units::typographic;
use dot_reach_formats::scan_csv;
use dot_reach_store::StoreError;
use serde::Deserialize;

use crate::commands::{Answer, ChangeMark, take_lines};
use crate::door::{Change, For, See};
use crate::drawing::stairs::signed;
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::{Shell, printed};

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    network: String,
}

#[derive(Template)]
#[template(path = "air/page.html")]
struct Page {
    shell: Shell,
    networks: Vec<NetworkTab>,
    network_id: String,
    channels: Vec<ChannelRow>,
    emitters: Vec<EmitterRow>,
    scans: Vec<ScanRow>,
    floors: Vec<(String, String)>,
    /// What may be put on the plan: the words of its button, and its first guess.
    sources: Vec<(&'static str, String)>,
    quiet: bool,
    below: Vec<BelowRow>,
}

/// A network below 1 GHz, and who else sends there.
struct BelowRow {
    network: String,
    mhz: String,
    sources: String,
    /// How many of its radios hear one of them.
    hear: String,
    /// The least share of messages that arrive, over all its devices.
    least: String,
}

struct NetworkTab {
    id: String,
    name: String,
    channel: String,
    chosen: bool,
}

struct ChannelRow {
    channel: u8,
    worst: String,
    mean: String,
    below: usize,
    /// The least share that passes a link.
    delivered: String,
    /// How often a message is sent over one on average.
    sends: String,
    reason: String,
    bar: f64,
    is_best: bool,
    in_use: bool,
}

/// The form of a source on the air.
pub(crate) struct EmitterRow {
    pub(crate) id: String,
    pub(crate) name: String,
    pub(crate) channel: u8,
    pub(crate) width: u8,
    pub(crate) is_wifi: bool,
    /// The carrier of a sender below 1 GHz, in kHz; empty for others.
    pub(crate) khz: String,
    pub(crate) x: String,
    pub(crate) y: String,
    pub(crate) height: String,
    pub(crate) floor: String,
    pub(crate) tx: String,
    pub(crate) busy: String,
    pub(crate) of_the_house: bool,
    /// Where it stands on the plan; empty on the page that shows it.
    pub(crate) on_plan: String,
}

struct ScanRow {
    id: String,
    what: String,
    level: String,
    at: String,
}

#[get("/jobs/{job}/air")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("air");
    let site = Arc::clone(&job.site);
    let analysis = job.analysed().await?;
    printed(job, move |job| {
        let with_channels = || analysis.networks.iter().filter(|n| n.rule.is_802_15_4());
        let chosen = with_channels()
            .find(|n| n.network.as_str() == query.network)
            .or_else(|| with_channels().max_by_key(|n| n.nodes.len()));
        let scores = chosen.map(advise).unwrap_or_default();
        let best = scores.first().map(|s| s.channel);
        let mut in_order = scores;
        in_order.sort_by_key(|s| s.channel);
        // The bar spans −20 to +30 dB of margin over target.
        let bar = |db: f64| ((db + 20.0) / 50.0 * 100.0).clamp(0.0, 100.0).round();
        let channels = in_order.into_iter().map(|s| ChannelRow {
            channel: s.channel,
            worst: signed(s.worst),
            mean: signed(s.mean),
            below: s.below,
            delivered: format!("{:.1} %", s.delivered.0 * 100.0),
            sends: format!("{:.2}", s.tries.1),
            reason: s.reason,
            bar: bar(s.worst.get()),
            is_best: Some(s.channel) == best,
            in_use: chosen.is_some_and(|n| n.channel == Some(s.channel)),
        });
        Ok(Page {
            shell,
            networks: with_channels()
                .map(|n| NetworkTab {
                    id: n.network.to_string(),
                    name: n.name.clone(),
                    channel: n
                        .channel
                        .map_or_else(|| "no channel".to_owned(), |c| format!("channel {c}")),
                    chosen: chosen.is_some_and(|c| c.network == n.network),
                })
                .collect(),
            network_id: chosen.map(|n| n.network.to_string()).unwrap_or_default(),
            channels: channels.collect(),
            emitters: site
                .emitters
                .iter()
                .map(|e| emitter_row(e, format!("/jobs/{}/survey?emitter={}", job.id, e.id)))
                .collect(),
            scans: site
                .scans
                .iter()
                .map(|s| ScanRow {
                    id: s.id.to_string(),
                    what: s.carrier.name(),
                    level: typographic(s.level_dbm.get(), 0),
                    at: day(&s.at),
                })
                .collect(),
            floors: site
                .floors_upward()
                .iter()
                .map(|f| (f.id.to_string(), f.name.clone()))
                .collect(),
            sources: sources(&site)?,
            below: below(&analysis),
            quiet: chosen.is_none_or(|n| n.air.sources.is_empty()),
        })
    })
    .await
}

/// The form of a source; `on_plan` is the address of the plan that shows it.
pub(crate) fn emitter_row(e: &Emitter, on_plan: String) -> EmitterRow {
    let (channel, width, is_wifi) = match e.carrier {
        Emission::Wifi { channel, width_mhz } => (channel, width_mhz, true),
        Emission::Mesh { channel } => (channel, 2, false),
        Emission::Narrow { .. } => (0, 0, false),
    };
    let khz = match e.carrier {
        Emission::Narrow { khz } => khz.to_string(),
        Emission::Wifi { .. } | Emission::Mesh { .. } => String::new(),
    };
    EmitterRow {
        id: e.id.to_string(),
        name: e.name.clone(),
        channel,
        width,
        is_wifi,
        khz,
        x: format!("{:.2}", e.at[0]),
        y: format!("{:.2}", e.at[1]),
        height: format!("{:.2}", e.height_m.get()),
        floor: e.floor.to_string(),
        tx: format!("{:.0}", e.tx_dbm.get()),
        busy: format!("{:.2}", e.busy),
        of_the_house: e.of_the_house,
        on_plan,
    }
}

/// What reaches the receivers of each network below 1 GHz.
fn below(analysis: &Analysis) -> Vec<BelowRow> {
    let networks = analysis.networks.iter().filter(|n| is_below_1_ghz(n.medium.frequency()));
    let row = |n: &NetworkAnalysis| {
        let hears = (0..n.nodes.len()).filter(|place| n.arrivals.hears_others(*place));
        let reached = n.outcomes.iter().filter(|o| !o.hops.is_empty());
        let least = reached.min_by(|a, b| a.success.total_cmp(&b.success));
        BelowRow {
            network: n.name.clone(),
            mhz: typographic(n.medium.frequency().get(), 2),
            sources: n.air.sources.iter().map(|s| s.name.clone()).collect::<Vec<_>>().join(", "),
            hear: format!("{} of {}", hears.count(), n.nodes.len()),
            least: least.map_or_else(|| "–".to_owned(), |o| format!("{:.1} %", o.success * 100.0)),
        }
    };
    networks.map(row).collect()
}

fn sources(site: &Site) -> Result<Vec<(&'static str, String)>, WebError> {
    let floor = site.floors_upward().first().map(|f| f.id.clone());
    // The browser gives it an id of its own.
    let Some((floor, id)) = floor.zip("new".parse::<EmitterId>().ok()) else {
        return Ok(Vec::new());
    };
    let wifi = Emission::Wifi { channel: 6, width_mhz: 20 };
    let star = site.job.region.frequency(System::Star, None);
    let kinds = [
        ("Add an access point", wifi),
        ("Add a foreign mesh", Emission::Mesh { channel: 15 }),
        ("Add a neighbour below 1 GHz", Emission::narrow(star)),
    ];
    let guess = |(words, carrier)| {
        let emitter = Emitter::first_guess(id.clone(), floor.clone(), carrier);
        Ok((words, serde_json::to_string(&emitter).map_err(StoreError::Row)?))
    };
    kinds.into_iter().map(guess).collect()
}

/// A scan as text.
#[derive(Deserialize)]
pub(crate) struct SentScan {
    csv: String,
    #[serde(flatten)]
    mark: ChangeMark,
}

#[post("/jobs/{job}/scans")]
pub(crate) async fn scans(For(job, sent, ..): For<Change, web::Json<SentScan>>) -> Answer {
    let SentScan { csv, mark } = sent.into_inner();
    let told = take_lines(&job, mark, move |site, _| scan_csv::read(site, &csv)).await?;
    Ok(HttpResponse::Ok().json(told))
}
