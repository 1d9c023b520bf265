//! What could be bought to repeat, and where: plugs at sockets, forwarding versions of what stands in a box
//! and does not forward, modules at fittings; each as far as it fits, with what it costs.

use super::candidates::place_name;
use crate::catalogue::{DeviceKind, Duty, Supply};
use crate::fit::Fits;
use crate::fit::candidates::{Candidate, candidates};
use crate::network::{NetworkAnalysis, Role};
use crate::radio::system::{RouteChoice, System};
use crate::site::{
    Device, DeviceId, Edit, Kind, NetworkId, Point, PointId, PointKind, RoomId, Ruled, RuledOn,
    Ruling, Site,
};
use crate::units::Dbm;

/// How a repeater would come to be.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum How {
    /// Plugged in.
    Plug,
    /// A module wired in at a fitting.
    Module,
    /// In place of a device that does not forward.
    Instead(DeviceId),
}

/// Something that could repeat.
#[derive(Clone, Debug, PartialEq)]
pub struct Offer {
    /// For which network.
    pub network: NetworkId,
    /// Its name.
    pub network_name: String,
    /// Where.
    pub point: PointId,
    /// What the place is called.
    pub place: String,
    /// The row of the catalogue.
    pub kind: String,
    /// Its name.
    pub kind_name: String,
    /// How it would come to be.
    pub how: How,
    /// What it costs: of a forwarding version what it costs more, of others price, fitting and joining.
    pub cost: f64,
    /// Whether its price is known; where it is not, that of the dearest other stands in.
    pub is_priced: bool,
    /// Whether it fits, or only on a condition, or something has to be found out first.
    pub fits: Fits,
    /// On which conditions, in sentences.
    pub conditions: Vec<String>,
    /// Whether a ruling says that it has to be there.
    pub is_locked: bool,
    /// The edit that buys it.
    pub edit: Edit,
}

impl Offer {
    /// What it is, for which network and where, in a few words.
    pub fn words(&self) -> String {
        format!("{} for {} at {}", self.kind_name, self.network_name, self.place)
    }
}

/// How many rows of the catalogue are thought of at one place: the cheapest, and the one that sends loudest.
const KINDS_A_PLACE: usize = 2;

/// All that could repeat for a network, and that nobody ruled out, by the ids of the places.
pub(super) fn offers(site: &Site, network: &NetworkAnalysis) -> Vec<Offer> {
    if network.rule.choice == RouteChoice::DirectOnly {
        return Vec::new();
    }
    let dearest = site.all_kinds().filter_map(|k| k.fit.price).fold(0.0, f64::max);
    let mut found = Vec::new();
    for point in &site.points {
        let here: Vec<&Device> = site
            .devices_at(&point.id)
            .into_iter()
            .filter(|d| d.network == network.network)
            .collect();
        let leaf = here.iter().find(|d| {
            let role = network.place_of(&d.id).map(|n| network.nodes[n].role);
            role.is_some_and(|r| r.role == Role::Leaf && !r.may_go_dark)
        });
        let forwards = here
            .iter()
            .any(|d| network.place_of(&d.id).is_some_and(|n| network.nodes[n].carries_others()));
        // Nothing is looked up for a place where nothing could come of it.
        let is_fitting =
            matches!(point.kind, PointKind::Socket | PointKind::Ceiling | PointKind::WallFitting);
        if leaf.is_none() && (forwards || !is_fitting) {
            continue;
        }
        let mut rows: Vec<Offer> = candidates(site, point, leaf.copied())
            .into_iter()
            .filter(|c| c.forwards && could_repeat(c.kind, network.system))
            .filter_map(|c| {
                let how = how(site, point, c.kind, leaf.copied())?;
                Some(offer(site, network, point, &c, how, dearest))
            })
            .filter(|o| !is_ruled_out(site, point, o))
            .collect();
        rows.sort_by(|a, b| a.cost.total_cmp(&b.cost).then(a.kind.cmp(&b.kind)));
        let loudest = loudest(site, &rows);
        let mut kept: Vec<Offer> = Vec::new();
        for (at, row) in rows.into_iter().enumerate() {
            if row.is_locked || at == 0 || loudest == Some(at) && kept.len() < KINDS_A_PLACE {
                kept.push(row);
            }
        }
        found.extend(kept);
    }
    found
}

/// Whether a row of the catalogue could be counted on as a repeater of a system: it forwards, and nobody cuts
/// its supply without thinking.
pub fn could_repeat(kind: &DeviceKind, system: System) -> bool {
    let is_one = kind.forwards && kind.has_radio && kind.duty != Duty::Hub;
    is_one && !kind.easily_cut && kind.systems.contains(&system)
}

/// Of rows at one place the one that sends louder than the first, if any does.
fn loudest(site: &Site, rows: &[Offer]) -> Option<usize> {
    let level = |o: &Offer| {
        let kind = site.kind(&o.kind);
        kind.and_then(|k| k.radio.tx_dbm).map(Dbm::get)
    };
    let first = level(rows.first()?)?;
    let louder = |at: &usize| level(&rows[*at]).is_some_and(|l| l > first + 1.0);
    (1..rows.len()).filter(louder).max_by(|a, b| {
        let key = |at: &usize| level(&rows[*at]).unwrap_or(f64::NEG_INFINITY);
        key(a).total_cmp(&key(b)).then(b.cmp(a))
    })
}

fn how(site: &Site, point: &Point, kind: &DeviceKind, leaf: Option<&Device>) -> Option<How> {
    if let Some(leaf) = leaf {
        let now = site.kind(&leaf.kind)?;
        // A forwarding version does what the other does: switches as it, dims as it, at the same place.
        let is_version = now.is_wired_in()
            && kind.is_wired_in()
            && now.fit.switches() == kind.fit.switches()
            && now.fit.is_dimmer() == kind.fit.is_dimmer()
            && now.fit.in_lamp == kind.fit.in_lamp;
        return is_version.then(|| How::Instead(leaf.id.clone()));
    }
    let is_empty = site.devices_at(&point.id).is_empty();
    match point.kind {
        PointKind::Socket if kind.supply == Supply::Plug && kind.duty == Duty::Repeater => {
            Some(How::Plug)
        }
        PointKind::Ceiling | PointKind::WallFitting
            if is_empty && kind.is_wired_in() && !kind.fit.is_dimmer() =>
        {
            Some(How::Module)
        }
        _ => None,
    }
}

fn offer(
    site: &Site,
    network: &NetworkAnalysis,
    point: &Point,
    could: &Candidate<'_>,
    how: How,
    dearest: f64,
) -> Offer {
    let kind = could.kind;
    let conditions = could.reasons.iter().filter(|r| r.fits() > Fits::Yes).map(ToString::to_string);
    let price = kind.fit.price.unwrap_or(dearest);
    let hour = site.rate("labour-hour") / 60.0;
    let join = site.rate("minutes-join") * hour;
    let (cost, edit) = match &how {
        How::Instead(device) => {
            let now = site.devices.get(device).and_then(|d| site.kind(&d.kind));
            let before = now.and_then(|k| k.fit.price).unwrap_or(0.0);
            ((price - before).max(0.0), Edit::set(Kind::Device, device, "kind", kind.id.as_str()))
        }
        How::Plug => {
            (price + site.rate("minutes-plug") * hour + join, put(site, network, point, kind))
        }
        How::Module => {
            let wiring = site.rate("electrician-hour") / 60.0;
            let fitting = site.rate("minutes-fitting") * wiring;
            (price + fitting + join, put(site, network, point, kind))
        }
    };
    let mut offer = Offer {
        network: network.network.clone(),
        network_name: network.name.clone(),
        point: point.id.clone(),
        place: match how {
            How::Plug => place_name(site, point),
            _ => point.name.clone(),
        },
        kind: kind.id.clone(),
        kind_name: kind.short().to_owned(),
        how,
        cost: (cost * 100.0).round() / 100.0,
        is_priced: kind.fit.price.is_some(),
        fits: could.fits,
        conditions: conditions.collect(),
        is_locked: false,
        edit,
    };
    offer.is_locked =
        site.rulings.iter().any(|r| r.ruled == Ruled::Always && is_about(site, r, point, &offer));
    offer
}

/// Puts a device of its own there, under an id that nothing has.
fn put(site: &Site, network: &NetworkAnalysis, point: &Point, kind: &DeviceKind) -> Edit {
    let stem = format!("repeats-{}-{}", network.network, point.id);
    let ids = std::iter::once(stem.clone()).chain((2..1000).map(|n| format!("{stem}-{n}")));
    let free =
        ids.filter_map(|id| id.parse::<DeviceId>().ok()).find(|id| site.devices.get(id).is_none());
    let Some(id) = free else { return Edit::batch(Vec::new()) };
    let name = format!("{} at {}", kind.short(), place_name(site, point));
    Edit::put(Device::new(id, &name, point.id.clone(), &kind.id, network.network.clone()))
}

fn is_about(site: &Site, ruling: &Ruling, point: &Point, offer: &Offer) -> bool {
    let in_room = |room: &RoomId| site.room_of(point).is_some_and(|r| r.id == *room);
    ruling.on == RuledOn::Repeater
        && ruling.point.as_ref().is_none_or(|p| *p == point.id)
        && ruling.room.as_ref().is_none_or(in_room)
        && (ruling.device_kind.is_empty() || ruling.device_kind == offer.kind)
        && ruling.network.as_ref().is_none_or(|n| *n == offer.network)
}

fn is_ruled_out(site: &Site, point: &Point, offer: &Offer) -> bool {
    site.rulings.iter().any(|r| r.ruled == Ruled::Never && is_about(site, r, point, offer))
}

/// What was ruled of the hub at a point: never there, or there whatever else.
pub(super) fn ruled_of_hub(site: &Site, point: &Point) -> Option<Ruled> {
    let in_room = |room: &RoomId| site.room_of(point).is_some_and(|r| r.id == *room);
    let about = |r: &&Ruling| {
        r.on == RuledOn::Hub
            && r.point.as_ref().is_none_or(|p| *p == point.id)
            && r.room.as_ref().is_none_or(in_room)
    };
    let ruled = || site.rulings.iter().filter(about).map(|r| r.ruled);
    ruled().find(|r| *r == Ruled::Always).or_else(|| ruled().next())
}
