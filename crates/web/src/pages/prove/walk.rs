//! The walk test, on the phone: stand, tap where, press, heard or not.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::catalogue::Duty;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::prove::Proof;
use dot_reach_core::prove::accept::{counting, so_far};
use dot_reach_core::prove::helps::as_learned;
use dot_reach_core::prove::next::next;
use dot_reach_core::prove::press::{CONDITIONS, in_words};
use dot_reach_core::record::{Record, Step};
use dot_reach_core::site::{Device, FloorId, Site};
use serde::Deserialize;

use super::name;
use crate::door::{For, See};
use crate::drawing::plan::{Plan, PlanMark, RouteShape, sheet};
use crate::error::WebError;
use crate::pages::{Shell, printed};

#[derive(Deserialize, Default)]
pub(crate) struct Asked {
    #[serde(default)]
    device: String,
    #[serde(default)]
    floor: String,
    #[serde(default)]
    from: String,
    #[serde(default)]
    to: String,
}

#[derive(Template)]
#[template(path = "prove/walk.html")]
struct Page {
    shell: Shell,
    devices: Vec<WalkedWith>,
    device: String,
    device_name: String,
    told: String,
    more: String,
    /// Word, what it asks, of what, and whether it makes sense here.
    conditions: Vec<(&'static str, &'static str, &'static str, bool)>,
    floors: Vec<(String, String, bool)>,
    floor: String,
    plan: Option<(String, Plan)>,
    next: Option<(String, String, String, String)>,
    is_remote: bool,
    /// Network and number of the device, where its hub can be asked to ping it.
    ping: Option<(String, u32)>,
    last: Vec<(String, bool)>,
}

/// What can be tested.
struct WalkedWith {
    id: String,
    name: String,
    floor: String,
    is_remote: bool,
    has_plate: bool,
    is_here: bool,
}

#[get("/jobs/{job}/walk")]
pub(crate) async fn show(
    For(job, asked, ..): For<See, web::Query<Asked>>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("walk");
    let (analysis, proof) = job.proved().await?;
    printed(job, move |_| Ok(view(shell, &analysis, &proof, &asked))).await
}

fn is_remote(site: &Site, device: &Device) -> bool {
    site.kind(&device.kind).is_some_and(|k| k.duty == Duty::Remote)
}

fn view(shell: Shell, analysis: &Analysis, proof: &Proof, asked: &Asked) -> Page {
    let (site, record) = (&analysis.site, &proof.record);
    let radio =
        |d: &&Device| site.kind(&d.kind).is_some_and(|k| k.has_radio && k.duty != Duty::Hub);
    let mut devices: Vec<&Device> = site.devices.iter().filter(radio).collect();
    // Remotes are walked with; the others are tested where they are.
    devices.sort_by_key(|d| (!is_remote(site, d), d.name.clone()));
    let wanted = if asked.device.is_empty() { asked.to.as_str() } else { asked.device.as_str() };
    let device = devices.iter().find(|d| d.id.as_str() == wanted).or(devices.first()).copied();
    let floor = floor(site, device, &asked.floor);
    let next = next(&as_learned(analysis, proof), proof);
    let ends = if asked.from.is_empty() {
        next.readings.first().map(|w| (w.from.clone(), w.to.clone()))
    } else {
        let of = |id: &str| site.devices.named(id).map(|d| d.id.clone());
        of(&asked.from).zip(of(&asked.to))
    };
    let remote = device.is_some_and(|d| is_remote(site, d));
    let plate = |d: &Device| WorkedDevice::of(site, &d.id).is_some_and(|s| s.takes(Step::Closed));
    let has_plate = device.is_some_and(plate);
    let tests: Vec<_> = device.map(|d| counting(site, record, d)).unwrap_or_default();
    let last = tests.iter().rev().take(12).flat_map(|t| {
        let note = t.spot.map_or_else(|| "in place".to_owned(), |_| "here".to_owned());
        std::iter::once((note, t.arrived == t.count))
    });
    let (told, more) = device.map(|d| so_far(site, record, d)).unwrap_or_default();
    Page {
        devices: devices
            .iter()
            .map(|d| WalkedWith {
                id: d.id.to_string(),
                name: d.name.clone(),
                floor: site.point_of(d).map(|p| p.floor.to_string()).unwrap_or_default(),
                is_remote: is_remote(site, d),
                has_plate: plate(d),
                is_here: Some(&d.id) == device.map(|d| &d.id),
            })
            .collect(),
        device: device.map(|d| d.id.to_string()).unwrap_or_default(),
        device_name: device.map(|d| d.name.clone()).unwrap_or_default(),
        told,
        more,
        conditions: CONDITIONS
            .map(|(word, what, of)| (word, what, of.word(), of.is_of(remote, has_plate)))
            .to_vec(),
        floors: site
            .floors_upward()
            .into_iter()
            .map(|f| (f.id.to_string(), f.name.clone(), Some(&f.id) == floor.as_ref()))
            .collect(),
        plan: floor.as_ref().and_then(|f| plan(analysis, record, device, f, ends.as_ref())),
        floor: floor.map(|f| f.to_string()).unwrap_or_default(),
        next: ends.map(|(a, b)| (a.to_string(), b.to_string(), name(site, &a), name(site, &b))),
        is_remote: remote,
        ping: device.and_then(|d| ping(site, record, d)),
        last: last.collect(),
        shell,
    }
}

fn ping(site: &Site, record: &Record, device: &Device) -> Option<(String, u32)> {
    if site.job.collector.is_empty() {
        return None;
    }
    let node = record.joined(&device.id)?.node?;
    Some((device.network.to_string(), node))
}

fn floor(site: &Site, device: Option<&Device>, asked: &str) -> Option<FloorId> {
    let asked = site.floors.named(asked).map(|f| f.id.clone());
    let own = device.and_then(|d| site.point_of(d)).map(|p| p.floor.clone());
    asked.or(own).or_else(|| site.floors_upward().first().map(|f| f.id.clone()))
}

fn plan(
    analysis: &Analysis,
    record: &Record,
    device: Option<&Device>,
    floor: &FloorId,
    next: Option<&(dot_reach_core::site::DeviceId, dot_reach_core::site::DeviceId)>,
) -> Option<(String, Plan)> {
    let site = &analysis.site;
    let mut plan = sheet(site, floor, None);
    for network in
        analysis.networks.iter().filter(|n| device.is_none_or(|d| n.network == d.network))
    {
        plan.radios(analysis, network, floor, device.map(|d| &d.id));
    }
    let cm = |v: f64| (v * 100.0).round();
    let of_device = record.range_tests.iter().filter(|t| Some(&t.device) == device.map(|d| &d.id));
    for test in of_device.filter(|t| t.floor.as_ref() == Some(floor)) {
        if let Some([x, y]) = test.spot {
            let text = if test.arrived == test.count { "✓" } else { "×" }.to_owned();
            let title = in_words(test.arrived, test.count);
            plan.marks.push(PlanMark { x: cm(x), y: cm(y), text, title });
        }
    }
    let at = |id| {
        let point = site.devices.get(id).and_then(|d| site.point_of(d))?;
        (point.floor == *floor).then_some(point.at.map(cm))
    };
    if let Some((from, to)) = next
        && let (Some([a, b]), Some([c, d])) = (at(from), at(to))
    {
        let (d, class) = (format!("M{a} {b}L{c} {d}"), "read next".to_owned());
        plan.routes.push(RouteShape { d, to: to.to_string(), class });
    }
    site.floors.get(floor).map(|f| (f.name.clone(), plan))
}
