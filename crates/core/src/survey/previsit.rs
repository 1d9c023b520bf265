//! What only an opened box can tell, gathered into one visit before the day: first what settles most.

use std::collections::BTreeMap;

use super::hard_spots::{HardSpot, hard_spot};
use crate::fit::{self, FitFinding, Fits};
use crate::site::{BoxKind, Layout, PointId, PointKind, Provenance, Site};

/// A box to be opened before the day.
#[derive(Clone, Debug, PartialEq)]
pub struct PrevisitLook {
    /// The point that says how the box is.
    pub point: PointId,
    /// What to find out there.
    pub ask: Vec<&'static str>,
    /// How many decisions that settles: of devices planned, and of places that have none yet.
    pub settles: usize,
    /// How long it takes, in minutes.
    pub minutes: f64,
}

/// The boxes to open, by how much each settles; none where everything is known.
pub fn looks(site: &Site) -> Vec<PrevisitLook> {
    let mut asked: BTreeMap<PointId, (Vec<&'static str>, usize)> = BTreeMap::new();
    for point in site.points.iter() {
        let lead = site.box_of(point);
        // Into what is to be made nobody can look.
        if lead.back_box == BoxKind::None || lead.to_make.is_some() {
            continue;
        }
        let devices = site.devices_at(&point.id);
        for device in &devices {
            let Some(kind) = site.kind(&device.kind) else { continue };
            let open = fit::findings(site, kind, point, Some(device));
            for ask in open.iter().filter(|f| f.fits() == Fits::NotKnown).filter_map(ask) {
                add(&mut asked, &lead.id, ask);
            }
        }
        // An outlet that works has both conductors: nobody drives there for it.
        let is_switch = lead.kind == PointKind::Switch;
        if devices.is_empty() && is_switch && lead.back_box.is_there() && !lead.is_opened() {
            add(&mut asked, &lead.id, NEUTRAL);
        }
    }
    for group in site.groups.iter().filter(|g| g.places.len() > 1) {
        // Where line and load are in a group is a guess until its boxes have been looked into.
        let is_open = group.wiring == Layout::Unknown || group.known == Provenance::Guessed;
        for id in group.places.iter().filter(|_| is_open) {
            if let Some(point) = site.points.get(id) {
                add(&mut asked, point.in_box_of.as_ref().unwrap_or(id), WIRING);
            }
        }
    }
    let minutes = site.rate("minutes-open");
    let look = |(point, (ask, settles))| PrevisitLook { point, ask, settles, minutes };
    let mut looks: Vec<_> = asked.into_iter().map(look).collect();
    looks.sort_by(|a, b| b.settles.cmp(&a.settles).then(a.point.cmp(&b.point)));
    looks
}

/// Places that are hard for radio, with what to find out at each; nothing is opened for it.
pub fn spots(site: &Site) -> Vec<(PointId, &'static HardSpot)> {
    let mut all: Vec<(PointId, &'static HardSpot)> = Vec::new();
    for point in &site.points {
        let mut kinds = site.devices_at(&point.id).into_iter().filter_map(|d| site.kind(&d.kind));
        let found = kinds.find_map(|k| hard_spot(site, point, k));
        all.extend(found.map(|spot| (point.id.clone(), spot)));
    }
    all.sort_by_key(|(id, spot)| (!spot.widens, spot.is, id.clone()));
    all
}

const WIRING: &str = "whether line comes in here, and whether the load leaves here";
const NEUTRAL: &str = "whether a neutral is in it; look deep behind the switch";

fn add(asked: &mut BTreeMap<PointId, (Vec<&'static str>, usize)>, at: &PointId, ask: &'static str) {
    let (asks, settles) = asked.entry(at.clone()).or_default();
    *settles += 1;
    if !asks.contains(&ask) {
        asks.push(ask);
    }
}

/// What to find out in the box for a reason that is open; nothing where the box cannot tell.
fn ask(found: &FitFinding) -> Option<&'static str> {
    Some(match found.rule() {
        "neutral" => NEUTRAL,
        "earth" => "whether it has an earth",
        "box" => "what box there is, and how deep it is inside",
        "depth" => "how deep it is inside",
        "volume" => "its volume, and its conductors with their size",
        "wiring" => WIRING,
        _ => return None,
    })
}
