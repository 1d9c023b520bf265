//! What kind of work a device is, and which steps it takes. The table is the rule; a device of more than one
//! kind is of the first row that it matches.

use std::collections::BTreeMap;

use crate::catalogue::{DeviceKind, Duty, Far, OpensNetwork, Supply};
use crate::radio::system::System;
use crate::record::Step;
use crate::site::{
    AlreadyThere, Control, Device, DeviceId, Feed, Network, NetworkId, Point, PointId, Site,
};
use crate::wires::{is_rewired, takes_over_switch};

/// What kind of work a device is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum WorkKind {
    /// It starts and keeps a network.
    Hub,
    /// It goes into the wiring, and has a radio.
    Wired,
    /// It goes into the wiring, and has none.
    Companion,
    /// It is plugged or screwed in.
    Plug,
    /// It runs on a battery where it is stuck or stands.
    Battery,
    /// It is carried by hand or stands on a wall plate.
    Remote,
}

impl WorkKind {
    /// Of which kind a device is.
    pub fn of(kind: &DeviceKind) -> Self {
        match (kind.duty, kind.supply, kind.has_radio) {
            (Duty::Hub, ..) => Self::Hub,
            (_, Supply::MainsNeutral | Supply::MainsTwoWire, true) => Self::Wired,
            (_, Supply::MainsNeutral | Supply::MainsTwoWire | Supply::None, false) => {
                Self::Companion
            }
            (Duty::Remote, ..) => Self::Remote,
            (_, Supply::Plug, _) => Self::Plug,
            (_, Supply::Battery | Supply::None, _) => Self::Battery,
        }
    }

    fn column(self) -> usize {
        match self {
            Self::Hub => 0,
            Self::Wired => 1,
            Self::Companion => 2,
            Self::Plug => 3,
            Self::Battery => 4,
            Self::Remote => 5,
        }
    }
}

/// Whether a kind of work takes a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Takes {
    /// Always.
    Yes,
    /// Never.
    No,
    /// Where what the device is asks for it.
    If,
}
use Takes::{If, No, Yes};

/// Each step, and which kind of work takes it.
#[rustfmt::skip]
const STEPS: [(Step, [Takes; 6]); 23] = [
    //                  hub  wired companion plug battery remote
    (Step::Excluded,   [No,  If,  No,  If,  If,  If ]),
    (Step::Dead,       [If,  If,  If,  No,  If,  If ]),
    (Step::Noted,      [If,  If,  If,  No,  If,  If ]),
    (Step::Code,       [No,  If,  No,  If,  If,  If ]),
    (Step::Wired,      [If,  If,  If,  No,  If,  If ]),
    (Step::Checked,    [If,  If,  If,  No,  If,  If ]),
    (Step::DryFitted,  [If,  If,  If,  No,  If,  If ]),
    (Step::PutBack,    [No,  No,  No,  No,  No,  No ]),
    (Step::Bench,      [No,  If,  No,  No,  No,  No ]),
    (Step::Placed,     [If,  If,  No,  Yes, Yes, Yes]),
    (Step::Powered,    [Yes, Yes, No,  Yes, No,  No ]),
    (Step::Phone,      [Yes, No,  No,  No,  No,  No ]),
    (Step::Firmware,   [Yes, No,  No,  No,  No,  No ]),
    (Step::Clock,      [Yes, No,  No,  No,  No,  No ]),
    (Step::Joined,     [No,  Yes, No,  Yes, Yes, Yes]),
    (Step::Identified, [No,  Yes, No,  Yes, Yes, Yes]),
    (Step::Settings,   [No,  Yes, No,  Yes, Yes, Yes]),
    (Step::Tied,       [No,  If,  If,  If,  If,  If ]),
    (Step::Decoupled,  [No,  If,  No,  No,  No,  No ]),
    (Step::Tested,     [No,  Yes, No,  Yes, Yes, Yes]),
    (Step::Closed,     [If,  Yes, Yes, No,  Yes, If ]),
    (Step::Named,      [Yes, Yes, No,  Yes, Yes, Yes]),
    (Step::Shown,      [Yes, Yes, Yes, Yes, Yes, Yes]),
];

/// A device with all that says how it is worked on.
#[derive(Clone, Copy, Debug)]
pub struct WorkedDevice<'a> {
    /// The job.
    pub site: &'a Site,
    /// The device.
    pub device: &'a Device,
    /// Its row.
    pub kind: &'a DeviceKind,
    /// Its place.
    pub point: &'a Point,
    /// Its network.
    pub network: Option<&'a Network>,
}

impl<'a> WorkedDevice<'a> {
    /// A device of a job; nothing where its row or its place is not there.
    pub fn of(site: &'a Site, device: &DeviceId) -> Option<Self> {
        let device = site.devices.get(device)?;
        let (kind, point) = (site.kind(&device.kind)?, site.point_of(device)?);
        Some(Self { site, device, kind, point, network: site.networks.get(&device.network) })
    }

    /// What kind of work it is.
    pub fn work(&self) -> WorkKind {
        WorkKind::of(self.kind)
    }

    /// Whether it goes into the body of a lamp on a cord, which the plug in the hand makes dead.
    pub fn is_on_cord(&self) -> bool {
        self.point.has_on_cord(self.kind) && !self.device.is_there()
    }

    /// Whether it opens a box on the mains: to be wired in, or in the place of a switch.
    pub fn opens_box(&self) -> bool {
        let is_of_box = self.point.has_wired_in(self.kind)
            || takes_over_switch(self.site, self.kind, self.point);
        is_of_box
            && (!self.device.is_there()
                || is_rewired(self.site, self.device, self.kind, self.point))
    }

    /// The steps that it takes, in order.
    pub fn steps(&self) -> Vec<Step> {
        let column = self.work().column();
        let takes = |(step, by_work): &(Step, [Takes; 6])| match by_work[column] {
            Yes => Some(*step),
            No => None,
            If => self.asks_for(*step).then_some(*step),
        };
        let stays = self.device.already_there;
        let is_left = |step: &Step| match step {
            _ if stays == AlreadyThere::No => true,
            Step::Identified | Step::Decoupled | Step::Tested => stays == AlreadyThere::Tested,
            Step::Powered | Step::Closed => self.opens_box(),
            step => step.is_in_box(),
        };
        STEPS.iter().filter_map(takes).filter(is_left).collect()
    }

    /// Whether it takes a step.
    pub fn takes(&self, step: Step) -> bool {
        self.steps().contains(&step)
    }

    fn asks_for(&self, step: Step) -> bool {
        match step {
            Step::Excluded => !self.device.replaces.trim().is_empty(),
            Step::Dead | Step::Noted | Step::Wired | Step::Checked | Step::DryFitted => {
                self.opens_box()
            }
            Step::Closed => self.opens_box() || self.work() == WorkKind::Battery,
            Step::Bench => self.is_on_cord(),
            Step::Code => {
                !self.kind.join.without_code && self.network.is_none_or(|n| n.rule().has_codes)
            }
            Step::Placed => !self.opens_box(),
            Step::Tied => {
                let is_companion = self.work() == WorkKind::Companion && !self.kind.is_cover();
                // A remote that works nothing by itself is tied to nothing: what it does is a rule of the hub.
                let is_told = self.kind.fit.far != Far::No && !self.masters().is_empty();
                is_companion
                    || self.kind.fit.far.needs_master()
                    || is_told
                    || self.binds().next().is_some()
            }
            Step::Decoupled => self.feeds_smart_lamp(),
            _ => true,
        }
    }

    /// Channels of it on which no load hangs, where it is said of each load on which it does.
    pub fn spare_channels(&self) -> Vec<u8> {
        let loads: Vec<u8> = self.site.loads_of(&self.point.id).map(|l| l.channel).collect();
        if loads.is_empty() || loads.contains(&0) {
            return Vec::new();
        }
        (1..=self.kind.fit.channels.max(1)).filter(|c| !loads.contains(c)).collect()
    }

    /// What a remote is bound to.
    pub fn binds(&self) -> impl Iterator<Item = Control<'a>> + use<'a> {
        let is_remote = self.work() == WorkKind::Remote;
        self.site.controls_by(&self.device.id).filter(move |c| is_remote && c.is_named)
    }

    /// The masters that it has to be tied to: the unit that switches the load of its group, or what it is
    /// bound to.
    pub fn masters(&self) -> Vec<DeviceId> {
        let bound: Vec<DeviceId> = self.binds().map(|c| c.load.clone()).collect();
        if !bound.is_empty() {
            return bound;
        }
        let site = self.site;
        let Some(group) = site.group_of(&self.point.id) else { return Vec::new() };
        let there = group.places.iter().flat_map(|place| site.devices_at(place));
        let switches = |d: &&Device| {
            let kind = site.kind(&d.kind);
            d.id != self.device.id && kind.is_some_and(|k| k.fit.far == Far::No && k.fit.switches())
        };
        there.filter(switches).map(|d| d.id.clone()).collect()
    }

    /// Whether it switches the supply of a lamp that has a radio of its own: its relay has to stay closed.
    fn feeds_smart_lamp(&self) -> bool {
        let site = self.site;
        let lights = |id: &DeviceId| {
            let kind = site.devices.get(id).and_then(|d| site.kind(&d.kind));
            kind.is_some_and(|k| k.fit.gives_light && k.has_radio)
        };
        // A key whose channel feeds nothing gives nothing up, where the lamp is said to have its supply from elsewhere.
        let spare = self.spare_channels();
        let is_fed_elsewhere = |c: &Control<'_>| {
            let lamp = site.devices.get(c.load).and_then(|d| site.point_of(d));
            lamp.is_some_and(|p| p.feed == Feed::Always)
        };
        let gives_up =
            |c: &Control<'_>| c.key.is_none_or(|key| !spare.contains(&key)) || !is_fed_elsewhere(c);
        let own = site.controls_by(&self.device.id).filter(Control::takes_the_key);
        let mut own = own.filter(gives_up);
        self.kind.fit.switches() && own.any(|c| lights(c.load))
    }

    /// Whether it is one of a kit whose wired products are all energised together.
    pub fn is_of_kit(&self) -> bool {
        let is_kit = self.network.is_some_and(|n| n.system == System::Kit);
        is_kit && self.kind.is_wired_in() && !self.device.is_there()
    }

    /// The circuits that have to be dead while its box is open, as labelled, sorted: of everything that
    /// shares the box, and of the other places that are joined to it by a wire. An empty one is a breaker
    /// that nobody knows; it stays one, whatever stands beside it.
    pub fn circuits(&self) -> Vec<String> {
        circuits_at(self.site, self.point, self.opens_box())
    }
}

/// The device on the plan that opens and closes a network by hand; nothing where the hub does, or a phone.
pub fn opener<'a>(site: &'a Site, network: &NetworkId) -> Option<(&'a Device, &'a OpensNetwork)> {
    let mut own = site.devices.iter().filter(|d| d.network == *network);
    let by_hand = |by: &&OpensNetwork| !by.gesture.trim().is_empty();
    own.find_map(|d| Some((d, site.kind(&d.kind)?.join.opens.as_ref().filter(by_hand)?)))
}

/// The circuits of everything that shares the box of a point, and, where its wires are touched, of the other places
/// that are joined to it by one: sorted, each once.
pub fn circuits_at(site: &Site, point: &Point, is_by_wire: bool) -> Vec<String> {
    let lead = &site.box_of(point).id;
    let shares_box = |p: &&Point| site.box_of(p).id == *lead;
    let mut found: Vec<String> =
        site.points.iter().filter(shares_box).map(|p| p.circuit.trim().to_owned()).collect();
    if is_by_wire {
        found.extend(circuits_by_wire(site, point));
    }
    found.sort();
    found.dedup();
    found
}

/// The circuits of the places that a wire joins to a point, and of the box that is opened to bring a cable to it.
fn circuits_by_wire<'a>(site: &'a Site, point: &Point) -> impl Iterator<Item = String> + use<'a> {
    let places = site.group_of(&point.id).into_iter().flat_map(|g| &g.places);
    let places = places.filter_map(|id| site.points.get(id)).filter(|p| is_wired_place(site, p));
    let new = site.box_of(point).to_make.as_ref().and_then(|new| new.cable_from.clone());
    let from = new.and_then(|id| site.points.get(&id)).map(|p| site.box_of(p));
    places.chain(from).map(|p| p.circuit.trim().to_owned())
}

/// The circuits of every device that opens a box, each as [`WorkedDevice::circuits`] gives them, in one walk over the
/// points of the job.
pub fn circuits_of_all(site: &Site) -> Vec<(WorkedDevice<'_>, Vec<String>)> {
    let mut by_box: BTreeMap<&PointId, Vec<&str>> = BTreeMap::new();
    for point in &site.points {
        by_box.entry(&site.box_of(point).id).or_default().push(point.circuit.trim());
    }
    let of = |spot: WorkedDevice<'_>| {
        let own = by_box.get(&site.box_of(spot.point).id).into_iter().flatten();
        let mut found: Vec<String> = own.map(|label| (*label).to_owned()).collect();
        found.extend(circuits_by_wire(site, spot.point));
        found.sort();
        found.dedup();
        found
    };
    let spots = site
        .devices
        .iter()
        .filter_map(|d| WorkedDevice::of(site, &d.id))
        .filter(WorkedDevice::opens_box);
    spots.map(|spot| (spot, of(spot))).collect()
}

/// Whether something at a place goes into the wiring, or nothing is planned there yet.
fn is_wired_place(site: &Site, point: &Point) -> bool {
    let there = site.devices_at(&point.id);
    let wired = |d: &&Device| {
        site.kind(&d.kind)
            .is_some_and(|k| point.has_wired_in(k) || takes_over_switch(site, k, point))
    };
    there.is_empty() || there.iter().any(wired)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_rows_stand_in_the_order_of_the_work_and_name_each_step_once() {
        assert_eq!(STEPS.map(|(step, _)| step), Step::ALL);
    }
}
