//! Links of one network, both directions.

use std::cell::OnceCell;

use crate::catalogue;
use crate::geometry::Place;
use crate::propagation::Medium;
use crate::radio::mounting;
use crate::radio::profile::{RadioProfile, hand_loss, planning_profile};
use crate::radio::system::System;
use crate::site::{Device, DeviceId, Site};
use crate::units::{Db, Dbm};

use super::role::{Role, RoleFinding, role};

/// A radio of a network, ready for link budgets.
#[derive(Clone, Debug, PartialEq)]
pub struct Node {
    /// The device.
    pub device: DeviceId,
    /// Its name.
    pub name: String,
    /// Its row in the catalogue.
    pub kind: String,
    /// Where its antenna is.
    pub place: Place,
    /// What it brings to a link.
    pub radio: RadioProfile,
    /// What stands between it and the room, by name.
    pub mounting: Vec<(&'static str, Db)>,
    /// Loss of the hand that holds it.
    pub hand: Db,
    /// Its role and why.
    pub role: RoleFinding,
}

impl Node {
    /// The node of a device; nothing when its point, storey or catalogue row is missing.
    pub fn new(site: &Site, device: &Device, system: System) -> Option<Self> {
        let kind = catalogue::kind(&device.kind)?;
        let point = site.point_of(device)?;
        let floor = site.floors.get(&point.floor)?;
        let z = (floor.elevation_m + point.height_m).get();
        let frequency = site.job.region.frequency(system);
        Some(Self {
            device: device.id.clone(),
            name: device.name.clone(),
            kind: device.kind.clone(),
            place: Place::new(point.at[0], point.at[1], z),
            radio: planning_profile(system, kind.class()),
            mounting: mounting::losses(point, frequency),
            hand: if kind.is_hand_held() { hand_loss(system) } else { Db::ZERO },
            role: role(site, device),
        })
    }

    /// Whether others may be reached through it.
    pub fn carries_others(&self) -> bool {
        matches!(self.role.role, Role::Hub | Role::Forwards)
    }

    /// All loss around it: boxes, plates, the hand.
    pub fn around(&self) -> Db {
        self.mounting.iter().map(|(_, loss)| *loss).sum::<Db>() + self.hand
    }
}

/// The level that arrives: `P_rx = P_tx + G_tx + G_rx − L_path − M_tx − M_rx − B`.
pub fn received(from: &Node, to: &Node, path_loss: Db) -> Dbm {
    from.radio.tx + from.radio.antenna + to.radio.antenna - path_loss - from.around() - to.around()
}

/// A link between two radios of a network, by their places in its list.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Link {
    /// One end; the smaller place.
    pub a: usize,
    /// The other end.
    pub b: usize,
    /// Loss of the way, alike in both directions.
    pub path_loss: Db,
    /// Margin at `b` when `a` sends.
    pub margin_ab: Db,
    /// Margin at `a` when `b` sends.
    pub margin_ba: Db,
}

impl Link {
    /// The link between two nodes with a known path loss.
    pub fn new(nodes: &[Node], a: usize, b: usize, path_loss: Db) -> Self {
        let margin = |from: usize, to: usize| {
            received(&nodes[from], &nodes[to], path_loss) - nodes[to].radio.sensitivity
        };
        Self { a, b, path_loss, margin_ab: margin(a, b), margin_ba: margin(b, a) }
    }

    /// A link is as good as its worse direction.
    pub fn margin(&self) -> Db {
        self.margin_ab.min(self.margin_ba)
    }

    /// The margin when `from` sends.
    pub fn margin_from(&self, from: usize) -> Db {
        if from == self.a { self.margin_ab } else { self.margin_ba }
    }
}

/// All links of a network with at least one end that carries others.
#[derive(Clone, Debug, Default)]
pub struct Links {
    /// The links, in the order of their ends.
    pub all: Vec<Link>,
    count: usize,
    place: Vec<u32>,
}

const NONE: u32 = u32::MAX;

impl Links {
    /// Computes every link. What `known` gives for a pair is taken instead of a new computation;
    /// it must be what this medium would give.
    pub fn new(
        nodes: &[Node],
        medium: &Medium,
        known: impl Fn(&Node, &Node) -> Option<Db>,
    ) -> Self {
        let mut this =
            Self { all: Vec::new(), count: nodes.len(), place: vec![NONE; nodes.len().pow(2)] };
        let stations: Vec<_> = nodes.iter().map(|_| OnceCell::new()).collect();
        let station = |n: usize| stations[n].get_or_init(|| medium.station(nodes[n].place));
        for a in 0..nodes.len() {
            for b in a + 1..nodes.len() {
                if !nodes[a].carries_others() && !nodes[b].carries_others() {
                    continue;
                }
                let (one, other) = (&nodes[a], &nodes[b]);
                let loss = known(one, other)
                    .unwrap_or_else(|| medium.loss_between(station(a), station(b)));
                this.push(Link::new(nodes, a, b, loss));
            }
        }
        this
    }

    fn push(&mut self, link: Link) {
        let here = u32::try_from(self.all.len()).unwrap_or(NONE);
        self.place[link.a * self.count + link.b] = here;
        self.place[link.b * self.count + link.a] = here;
        self.all.push(link);
    }

    /// The link between two nodes, if it was worth computing.
    pub fn between(&self, a: usize, b: usize) -> Option<&Link> {
        let here = *self.place.get(a * self.count + b)?;
        self.all.get(usize::try_from(here).ok()?)
    }
}
