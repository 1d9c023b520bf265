//! A sheet for the licensed electrician: what goes off, what is in each box, what goes to which terminal, and
//! room to sign. On paper; it asks for no app.

use std::sync::Arc;

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::gate::checks::power_cautions;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::order::MAINS_CAUTIONS;
use dot_reach_core::install::schedule::{PowerOff, Schedule};
use dot_reach_core::install::walk;
use dot_reach_core::record::Record;
use dot_reach_core::site::Site;
use dot_reach_core::survey::brief::who_may;

use super::overview::{labels, why};
use super::wiring_sheet::{WiringSheet, wiring};
use super::{about, visit_name};
use crate::door::{For, Wiring};
use crate::error::WebError;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "install/electrician.html")]
struct Page {
    shell: Shell,
    name: String,
    address: String,
    who_may: String,
    /// What colours usually say in the wiring country, and when notice is due.
    country: Option<(String, String)>,
    licensed: Vec<String>,
    cautions: Vec<&'static str>,
    outages: Vec<Off>,
    left_out: Vec<(String, String)>,
}

struct Off {
    visit: String,
    title: String,
    why: String,
    lasts: String,
    walk: String,
    boxes: Vec<Boxed>,
}

struct Boxed {
    tag: String,
    place: String,
    devices: Vec<(String, String, WiringSheet)>,
}

#[get("/jobs/{job}/install/electrician")]
pub(crate) async fn show(For(job, ..): For<Wiring>) -> Result<HttpResponse, WebError> {
    let (analysis, plan) = job.planned().await?;
    let (shell, record) = (job.shell("install/electrician"), Arc::clone(&job.record));
    printed(job, move |_| Ok(view(shell, &analysis.site, &record, &plan))).await
}

fn view(shell: Shell, site: &Site, record: &Record, plan: &Schedule) -> Page {
    let outages = plan.visits.iter().flat_map(|visit| {
        let name = visit_name(visit);
        visit.outages.iter().map(move |o| off(site, record, &name, o))
    });
    let left_out = plan.left_out.iter().filter_map(|l| {
        let device = site.devices.get(&l.device)?;
        let tag = site.point_of(device).map_or("", |p| p.label());
        Some((format!("{tag} {}", device.name), l.why.clone()))
    });
    let may = site.people.iter().filter(|p| p.may_mains);
    Page {
        name: site.job.name.clone(),
        address: site.job.address.clone(),
        who_may: who_may(&site.job),
        country: site.job.country().map(|row| (row.colours(), row.notice.clone())),
        licensed: may.map(|p| format!("{} {}", p.name, p.licence).trim().to_owned()).collect(),
        cautions: MAINS_CAUTIONS.into_iter().chain(power_cautions()).collect(),
        outages: outages.collect(),
        left_out: left_out.collect(),
        shell,
    }
}

fn off(site: &Site, record: &Record, visit: &str, outage: &PowerOff) -> Off {
    let boxes = outage.boxes.iter().filter_map(|b| {
        let point = site.points.get(&b.point)?;
        let devices = b.devices.iter().filter_map(|d| {
            let spot = WorkedDevice::of(site, d)?;
            Some((spot.device.name.clone(), spot.kind.name.clone(), wiring(&spot, record)))
        });
        Some(Boxed {
            tag: point.tag.clone(),
            place: format!("{}, {}", point.name, site.room_name(point)),
            devices: devices.collect(),
        })
    });
    Off {
        visit: visit.to_owned(),
        title: walk::title(outage),
        why: why(outage),
        lasts: about(outage.off),
        walk: labels(site, outage),
        boxes: boxes.collect(),
    }
}
