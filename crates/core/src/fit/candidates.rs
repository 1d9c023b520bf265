//! What could go to a place: every device of the library that comes for a system of the job, the best
//! first, each that does not with its reasons.

use std::collections::BTreeSet;

use super::supply::forwards_in;
use super::{FitFinding, Fits, findings, verdict};
use crate::catalogue::{DeviceKind, Duty, Far, Supply};
use crate::radio::system::System;
use crate::site::{Device, Point, PointKind, Site};

/// A device of the library at a place.
#[derive(Clone, Debug)]
pub struct Candidate<'a> {
    /// Its row.
    pub kind: &'a DeviceKind,
    /// All that speaks for or against it there.
    pub reasons: Vec<FitFinding>,
    /// The verdict of them.
    pub fits: Fits,
    /// Whether it would forward for others there.
    pub forwards: bool,
    /// A later generation of the same family that could go there as well.
    pub later: Option<&'a DeviceKind>,
}

/// What could stand at a point, in place of the device that is asked about: by how well it fits, then
/// what dims or does not as that one, then by what forwards, then the later generation, then by price and depth.
pub fn candidates<'a>(
    site: &'a Site,
    point: &Point,
    device: Option<&Device>,
) -> Vec<Candidate<'a>> {
    let systems = site.networks.iter().map(|n| n.system).collect();
    candidates_for(site, point, device, &systems)
}

/// The same among the devices that come for one of some systems, whether the job has them or not.
pub fn candidates_for<'a>(
    site: &'a Site,
    point: &Point,
    device: Option<&Device>,
    systems: &BTreeSet<System>,
) -> Vec<Candidate<'a>> {
    let comes = |k: &&DeviceKind| k.systems.iter().any(|s| systems.contains(s));
    let mut all: Vec<_> = site
        .all_kinds()
        .filter(comes)
        .filter(|k| is_for(k, point))
        .map(|kind| {
            let reasons = findings(site, kind, point, device);
            let fits = verdict(&reasons);
            let neutral = site.box_of(point).neutral;
            let forwards = forwards_in(kind, neutral) && fits < Fits::ElectricianDecides;
            Candidate { kind, reasons, fits, forwards, later: None }
        })
        .collect();
    for at in 0..all.len() {
        all[at].later = later(&all, all[at].kind);
    }
    let dims = device.and_then(|d| site.kind(&d.kind)).map(|k| k.fit.is_dimmer());
    let other = |c: &Candidate<'_>| dims.is_some_and(|dims| dims != c.kind.fit.is_dimmer());
    all.sort_by(|a, b| {
        let price = |c: &Candidate<'_>| c.kind.fit.price.unwrap_or(f64::INFINITY);
        let depth = |c: &Candidate<'_>| c.kind.depth_mm.unwrap_or(f64::INFINITY);
        (a.fits, other(a), !a.forwards, a.later.is_some())
            .cmp(&(b.fits, other(b), !b.forwards, b.later.is_some()))
            .then(price(a).total_cmp(&price(b)))
            .then(depth(a).total_cmp(&depth(b)))
            .then(a.kind.id.cmp(&b.kind.id))
    });
    all
}

/// What speaks against a device at its place by what is known now, and what of the same network fits there in its stead, the
/// best first; nothing where nothing speaks against it.
pub fn instead<'a>(
    site: &'a Site,
    device: &Device,
) -> Option<(Vec<FitFinding>, Vec<Candidate<'a>>)> {
    let (point, kind) = (site.point_of(device)?, site.kind(&device.kind)?);
    let mut against = findings(site, kind, point, Some(device));
    against.retain(|f| f.fits() >= Fits::NotKnown);
    if against.is_empty() {
        return None;
    }
    let system = site.networks.get(&device.network)?.system;
    let fits = |c: &Candidate<'_>| c.fits < Fits::NotKnown && c.kind.id != kind.id;
    let mut others = candidates_for(site, point, Some(device), &BTreeSet::from([system]));
    others.retain(fits);
    Some((against, others))
}

/// The latest generation of the same family that does the same and fits no worse.
fn later<'a>(all: &[Candidate<'a>], kind: &DeviceKind) -> Option<&'a DeviceKind> {
    let own = kind.generation?;
    let fits = all.iter().find(|c| c.kind.id == kind.id)?.fits;
    let same = |k: &DeviceKind| {
        let what = |k: &DeviceKind| (k.duty, k.supply, k.fit.far, k.fit.is_dimmer());
        !k.fit.family.is_empty() && k.fit.family == kind.fit.family && what(k) == what(kind)
    };
    let later = all.iter().filter(|c| c.fits <= fits && same(c.kind));
    let later = later.filter(|c| c.kind.generation.is_some_and(|g| g > own));
    later.max_by_key(|c| c.kind.generation).map(|c| c.kind)
}

/// Whether such a device is thought of at such a place at all.
pub fn is_for(kind: &DeviceKind, point: &Point) -> bool {
    match point.kind {
        PointKind::Switch => {
            let works = kind.fit.switches() || kind.fit.far != Far::No;
            let in_box = kind.is_wired_in() && !kind.fit.in_lamp;
            works && in_box || kind.fit.far == Far::Remote || kind.is_cover()
        }
        PointKind::Ceiling | PointKind::WallFitting => {
            kind.is_wired_in() && kind.fit.far == Far::No
        }
        PointKind::Socket => kind.supply == Supply::Plug || kind.is_wired_in(),
        PointKind::Shelf => kind.duty == Duty::Hub || !(kind.is_wired_in() || kind.is_cover()),
        PointKind::BareWall => kind.supply == Supply::Battery,
        PointKind::Outdoor => kind.duty != Duty::Hub,
    }
}
