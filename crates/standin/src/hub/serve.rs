//! The open contract over HTTP and JSON, and what a hand in the house does.

use std::net::TcpListener;
use std::sync::{Mutex, PoisonError};
use std::time::Instant;

use actix_web::dev::Server;
use actix_web::{App, HttpResponse, HttpServer, web};
use dot_reach_core::site::{DeviceId, NetworkId};
use serde::Deserialize;
use serde_json::json;

use super::{Hubs, Trouble};

struct Shared {
    house: Mutex<Hubs>,
    begun: Instant,
}

impl Shared {
    /// Does something with the house now; 404 where it has no such thing.
    fn with(&self, act: impl FnOnce(&mut Hubs, f64) -> Option<serde_json::Value>) -> HttpResponse {
        let mut house = self.house.lock().unwrap_or_else(PoisonError::into_inner);
        let now = self.begun.elapsed().as_secs_f64();
        match act(&mut house, now) {
            Some(value) => HttpResponse::Ok().json(value),
            None => {
                HttpResponse::NotFound().json(json!({ "message": "there is no such thing here" }))
            }
        }
    }
}

type Data = web::Data<Shared>;

#[derive(Deserialize)]
struct Seconds {
    #[serde(default = "minutes")]
    seconds: f64,
}

fn minutes() -> f64 {
    180.0
}

#[derive(Deserialize)]
struct After {
    #[serde(default)]
    after: u64,
}

#[derive(Deserialize)]
struct Count {
    #[serde(default = "ten")]
    count: u32,
}

fn ten() -> u32 {
    10
}

#[derive(Deserialize)]
struct Hand {
    device: DeviceId,
}

#[derive(Deserialize)]
struct Asked {
    device: DeviceId,
    #[serde(default)]
    trouble: Option<Trouble>,
}

async fn networks(shared: Data) -> HttpResponse {
    shared.with(|house, now| {
        let all = house.networks(now).into_iter().map(|(id, name, system, open)| {
            json!({ "id": id, "name": name, "system": system, "open": open })
        });
        Some(json!({ "contract": 1, "networks": all.collect::<Vec<_>>() }))
    })
}

async fn act(
    shared: Data,
    path: web::Path<(NetworkId, String)>,
    body: Option<web::Json<Seconds>>,
) -> HttpResponse {
    let (network, act) = path.into_inner();
    let seconds = body.map_or_else(minutes, |b| b.seconds);
    shared.with(|house, now| {
        match act.as_str() {
            "open" => house.open(&network, seconds, now)?,
            "close" => house.close(&network, now)?,
            "exclude" => house.exclude(&network, seconds, now)?,
            "rebuild" => house.rebuild(&network)?,
            _ => return None,
        }
        Some(json!({ "done": act }))
    })
}

async fn events(
    shared: Data,
    network: web::Path<NetworkId>,
    asked: web::Query<After>,
) -> HttpResponse {
    shared.with(|house, now| {
        let events = house.events(&network, asked.after, now)?;
        let after = events.last().map_or(asked.after, |e| e.seq);
        Some(json!({ "after": after, "events": events }))
    })
}

async fn nodes(shared: Data, network: web::Path<NetworkId>) -> HttpResponse {
    shared.with(|house, _| {
        let row = |(node, parent, ready)| json!({ "node": node, "parent": parent, "ready": ready });
        Some(json!({ "nodes": house.nodes(&network)?.into_iter().map(row).collect::<Vec<_>>() }))
    })
}

async fn neighbours(shared: Data, network: web::Path<NetworkId>) -> HttpResponse {
    shared.with(|house, _| Some(json!({ "neighbours": house.neighbours(&network)? })))
}

async fn routes(shared: Data, network: web::Path<NetworkId>) -> HttpResponse {
    shared.with(|house, _| {
        let row = |(node, via): (u32, Vec<u32>)| json!({ "node": node, "via": via });
        Some(json!({ "routes": house.routes(&network)?.into_iter().map(row).collect::<Vec<_>>() }))
    })
}

async fn identify(shared: Data, path: web::Path<(NetworkId, u32)>) -> HttpResponse {
    let (network, node) = path.into_inner();
    shared.with(|house, now| Some(json!({ "shown": house.identify(&network, node, now)? })))
}

async fn ping(
    shared: Data,
    path: web::Path<(NetworkId, u32)>,
    body: Option<web::Json<Count>>,
) -> HttpResponse {
    let (network, node) = path.into_inner();
    let count = body.map_or_else(ten, |b| b.count);
    shared.with(|house, _| Some(json!(house.ping(&network, node, count)?)))
}

async fn presses(shared: Data, path: web::Path<(NetworkId, u32)>) -> HttpResponse {
    let (network, node) = path.into_inner();
    shared.with(|house, _| Some(json!({ "presses": house.presses(&network, node)? })))
}

async fn remove(shared: Data, path: web::Path<(NetworkId, u32)>) -> HttpResponse {
    let (network, node) = path.into_inner();
    shared.with(|house, now| {
        house.remove(&network, node, now)?;
        Some(json!({ "removed": node }))
    })
}

async fn gesture(shared: Data, hand: web::Json<Hand>) -> HttpResponse {
    shared.with(|house, now| Some(json!({ "shows": house.gesture(&hand.device, now)? })))
}

async fn press(shared: Data, hand: web::Json<Hand>) -> HttpResponse {
    shared.with(|house, now| Some(json!({ "arrived": house.press(&hand.device, now)? })))
}

async fn trouble(shared: Data, asked: web::Json<Asked>) -> HttpResponse {
    shared.with(|house, now| {
        house.trouble(&asked.device, asked.trouble, now)?;
        Some(json!({ "trouble": asked.trouble }))
    })
}

/// Serves a house on a listener that is bound already.
///
/// # Errors
/// The listener cannot be used.
pub fn serve(listener: TcpListener, house: Hubs) -> std::io::Result<Server> {
    let shared = web::Data::new(Shared { house: Mutex::new(house), begun: Instant::now() });
    let server = HttpServer::new(move || {
        App::new()
            .app_data(shared.clone())
            .route("/v1/networks", web::get().to(networks))
            .route("/v1/networks/{network}/events", web::get().to(events))
            .route("/v1/networks/{network}/nodes", web::get().to(nodes))
            .route("/v1/networks/{network}/neighbours", web::get().to(neighbours))
            .route("/v1/networks/{network}/routes", web::get().to(routes))
            .route("/v1/networks/{network}/nodes/{node}/identify", web::post().to(identify))
            .route("/v1/networks/{network}/nodes/{node}/ping", web::post().to(ping))
            .route("/v1/networks/{network}/nodes/{node}/presses", web::get().to(presses))
            .route("/v1/networks/{network}/nodes/{node}", web::delete().to(remove))
            .route("/v1/networks/{network}/{act}", web::post().to(act))
            .route("/hand/gesture", web::post().to(gesture))
            .route("/hand/press", web::post().to(press))
            .route("/hand/trouble", web::post().to(trouble))
    });
    Ok(server.workers(1).listen(listener)?.run())
}
