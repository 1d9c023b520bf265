//! What one thing says that another no longer bears out: it never blocked an edit, so it is looked
//! for here.

use std::collections::{BTreeMap, BTreeSet};

use super::{Finding, Found};
use crate::radio::profile::{PLANNED_DUTY, planning_profile};
use crate::site::neutrals::with_partners;
use crate::site::{Device, DeviceId, Point, PointId, PointKind, Site};

/// How far beyond the drawn plan a point may be placed, in metres.
const BEYOND_PLAN_M: f64 = 30.0;

/// What does not fit together in a site, whatever its radios do.
pub fn mismatches(site: &Site) -> Vec<Finding> {
    let devices = site.devices.iter().filter_map(|d| Some(about(site, d, of_device(site, d)?)));
    // A scene that is called from several keys names the same loads.
    let controllers: BTreeSet<&DeviceId> = site.controls().map(|c| c.controller).collect();
    let loads: BTreeSet<&DeviceId> = site.controls().map(|c| c.load).collect();
    let controllers = controllers.into_iter().filter_map(|id| {
        let device = side(site, id, |(controls, _)| controls)?;
        Some(about(site, device, Found::ControlsNothing { device: device.name.clone() }))
    });
    let loads = loads.into_iter().filter_map(|id| {
        let device = side(site, id, |(_, is_load)| is_load)?;
        Some(about(site, device, Found::NoLoad { device: device.name.clone() }))
    });
    let controls = controllers.chain(loads);
    let points = site.points.iter().filter_map(|p| {
        let point = Some(p.id.clone());
        Some(Finding { found: outside(site, p)?, network: None, device: None, point })
    });
    let gone = gone(site).into_iter().map(|(construction, used_by)| {
        let found = Found::ConstructionGone { construction, used_by };
        Finding { found, network: None, device: None, point: None }
    });
    let boxes = boxes(site).chain(tags(site));
    devices.chain(controls).chain(points).chain(gone).chain(circuits(site)).chain(boxes).collect()
}

fn at_point(found: Found, point: &Point) -> Finding {
    Finding { found, network: None, device: None, point: Some(point.id.clone()) }
}

/// Boxes that several circuits meet in.
fn boxes(site: &Site) -> impl Iterator<Item = Finding> {
    let mut shared: BTreeMap<&PointId, BTreeSet<&str>> = BTreeMap::new();
    for point in &site.points {
        let Some(lead) = &point.in_box_of else { continue };
        let own = site.points.get(lead).map_or("", |p| p.circuit.trim());
        let labels = shared.entry(lead).or_default();
        labels.extend([own, point.circuit.trim()].into_iter().filter(|c| !c.is_empty()));
    }
    shared.into_iter().filter(|(_, labels)| labels.len() > 1).filter_map(|(lead, labels)| {
        let lead = site.points.get(lead)?;
        let labels = labels.into_iter().map(str::to_owned).collect();
        Some(at_point(Found::SeveralCircuits { at: lead.name.clone(), labels }, lead))
    })
}

/// Tags that stand at more than one point.
fn tags(site: &Site) -> impl Iterator<Item = Finding> {
    let mut by_tag: BTreeMap<&str, Vec<&Point>> = BTreeMap::new();
    for point in site.points.iter().filter(|p| !p.tag.trim().is_empty()) {
        by_tag.entry(point.tag.trim()).or_default().push(point);
    }
    by_tag.into_iter().filter(|(_, points)| points.len() > 1).map(|(tag, points)| {
        let names = points.iter().map(|p| p.name.clone()).collect();
        at_point(Found::TagTwice { tag: tag.to_owned(), points: names }, points[0])
    })
}

/// What is known of the panel that nobody may trip over.
fn circuits(site: &Site) -> impl Iterator<Item = Finding> {
    site.circuits.iter().flat_map(|circuit| {
        let fed: Vec<&Point> =
            site.points.iter().filter(|p| p.circuit.trim() == circuit.label.trim()).collect();
        let label = circuit.label.trim().to_owned();
        let wrong = circuit.mislabelled().map(|really| Found::Mislabelled {
            label: label.clone(),
            really: really.to_owned(),
            points: fed.len(),
        });
        let partners = with_partners(site, std::slice::from_ref(&label))[1..].to_vec();
        let shared = match (circuit.shared_neutral, partners.is_empty()) {
            (Some(false), true) => None,
            (None, true) => Some(Found::NeutralNotLooked { label }),
            _ => Some(Found::SharedNeutral { label, partners }),
        };
        let point = fed.first().map(|p| p.id.clone());
        let finding =
            move |found| Finding { found, network: None, device: None, point: point.clone() };
        [wrong, shared].into_iter().flatten().map(finding)
    })
}

fn about(site: &Site, device: &Device, found: Found) -> Finding {
    Finding {
        found,
        network: Some(device.network.clone()),
        device: Some(device.id.clone()),
        point: site.point_of(device).map(|p| p.id.clone()),
    }
}

fn of_device(site: &Site, device: &Device) -> Option<Found> {
    let name = device.name.clone();
    let Some(kind) = site.kind(&device.kind) else {
        return Some(Found::KindGone { device: name, kind: device.kind.clone() });
    };
    let system = site.networks.get(&device.network)?.system;
    if !kind.systems.contains(&system) {
        let (kind, system) = (kind.name.clone(), system.name());
        return Some(Found::KindOfAnotherSystem { device: name, kind, system });
    }
    let region = site.job.region;
    let limit = region.limit(system);
    let eirp = device.sheet.applied_to(planning_profile(system, kind.class(), region)).eirp();
    let duty = device.sheet.duty.unwrap_or(PLANNED_DUTY);
    (eirp > limit.peak(duty)).then(|| Found::OverRegionLimit {
        device: name,
        eirp,
        system: system.name(),
        region: region.rule().name,
        limit: limit.peak(duty),
        average: limit.peak_above.map(|_| (limit.eirp, duty)),
        source: limit.source,
    })
}

/// The device at a side of a control, where its make does not take that side.
fn side<'a>(
    site: &'a Site,
    device: &DeviceId,
    takes: impl Fn((bool, bool)) -> bool,
) -> Option<&'a Device> {
    let device = site.devices.get(device)?;
    let kind = site.kind(&device.kind)?;
    (!takes(kind.sides())).then_some(device)
}

fn outside(site: &Site, point: &Point) -> Option<Found> {
    let outside_m = site.extent()?.outside(point.at);
    if outside_m > BEYOND_PLAN_M {
        let point = point.name.clone();
        return Some(Found::OutsideThePlan { point, outside_m, at_most_m: BEYOND_PLAN_M });
    }
    let is_asked = point.kind != PointKind::Outdoor && site.is_beyond_walls(&point.floor, point.at);
    is_asked.then(|| Found::BeyondTheWalls { point: point.name.clone() })
}

/// Constructions that are named and nowhere to be found, each with how often.
fn gone(site: &Site) -> BTreeMap<String, usize> {
    let walls = site.walls.iter().map(|w| &w.construction);
    let openings = site.walls.iter().flat_map(|w| &w.openings).map(|o| &o.construction);
    let slabs = site.slabs.iter().map(|s| &s.construction);
    let mut gone = BTreeMap::new();
    for named in walls.chain(openings.filter(|c| !c.is_empty())).chain(slabs) {
        if site.construction(named).is_none() {
            *gone.entry(named.clone()).or_default() += 1;
        }
    }
    gone
}
