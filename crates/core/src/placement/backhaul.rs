//! What a hub needs beside radio: mains, and a cable or Wi-Fi to the router.

use super::cable::{Reached, Runs};
use crate::analysis::Analysis;
use crate::catalogue::BackhaulBy;
use crate::geometry::{Place, apart};
use crate::network::Node;
use crate::propagation::Medium;
use crate::radio::coexistence::Emission;
use crate::radio::mounting;
use crate::radio::system::System;
use crate::site::{Emitter, FloorId, Point, PointKind};
use crate::units::{Db, Dbm, Metres};

/// The longest run of a cable to a hub. Source: ISO/IEC 11801-1, the permanent link of 90 m.
pub const MOST_CABLE_M: f64 = 90.0;
/// The weakest Wi-Fi that a hub may hang on; *planning value*.
pub const LEAST_WIFI: Dbm = Dbm::new(-67.0);
/// The longest lead to a socket; *planning value*.
pub const MOST_LEAD_M: f64 = 3.0;
/// A hub this near to the router stands beside it.
pub const BESIDE_M: f64 = 1.5;

/// A router or access point of the house.
#[derive(Clone, Debug, PartialEq)]
pub struct Uplink {
    /// Its name.
    pub name: String,
    /// Its storey.
    floor: Option<FloorId>,
    /// Where it stands.
    pub place: Place,
    /// Radiated power less what stands around it.
    eirp: Dbm,
}

impl Uplink {
    /// Whether a place lies beside it.
    pub fn is_beside(&self, place: Place) -> bool {
        self.place.distance(place) <= BESIDE_M
    }
}

/// How a hub at a place would be fed and joined.
#[derive(Clone, Debug, PartialEq)]
pub struct Backhaul {
    /// What its maker allows; nothing while nobody wrote it down.
    pub by: Option<BackhaulBy>,
    /// The length of a cable along walls and through shafts to the nearest uplink, and its name; where
    /// no walls are drawn, along a right angle. Nothing where the walls lead to none.
    pub cable: Option<(Metres, String)>,
    /// The strongest Wi-Fi there.
    pub wifi: Option<Dbm>,
    /// How far the nearest surveyed socket is.
    pub socket: Option<Metres>,
    /// Whether a router or access point of the house is on the plan: without one nothing is judged of
    /// the way to it.
    pub knows_uplink: bool,
    /// Whether mains is there by the survey: a socket within reach or a breaker of its own.
    pub has_mains: bool,
}

/// The routers and access points of a house, and the air between them and its hubs.
pub(super) struct Backhauls<'a> {
    analysis: &'a Analysis,
    /// Those of the house.
    pub(super) uplinks: Vec<Uplink>,
    medium: Medium,
    by: Option<BackhaulBy>,
    runs: &'a Runs,
    /// From each uplink along the walls.
    reached: Vec<Option<Reached<'a>>>,
}

impl<'a> Backhauls<'a> {
    pub(super) fn new(analysis: &'a Analysis, by: Option<BackhaulBy>, runs: &'a Runs) -> Self {
        let site = &analysis.site;
        let frequency = site.job.region.frequency(System::Wifi, None);
        let priced = analysis.networks.iter().find(|n| n.medium.frequency() == frequency);
        let model = analysis.model();
        let medium = priced.map_or_else(
            || Medium::new(&analysis.structure, frequency, model),
            |n| n.medium.with(model),
        );
        let is_uplink = |e: &&Emitter| e.of_the_house && matches!(e.carrier, Emission::Wifi { .. });
        let drawn = site.emitters.iter().filter(is_uplink).filter_map(|e| {
            let place = site.place(&e.floor, e.at, e.height_m)?;
            let (name, floor) = (e.name.clone(), Some(e.floor.clone()));
            Some(Uplink { name, floor, place, eirp: e.tx_dbm })
        });
        let wifi = analysis.networks.iter().filter(|n| n.system == System::Wifi);
        let storey = |n: &Node| {
            let device = site.devices.get(&n.device)?;
            Some(site.point_of(device)?.floor.clone())
        };
        let placed = wifi.flat_map(|n| n.hubs.iter().map(|h| &n.nodes[*h])).map(|n| Uplink {
            name: n.name.clone(),
            floor: storey(n),
            place: n.place,
            eirp: n.radio.eirp() - n.around(),
        });
        let uplinks: Vec<Uplink> = drawn.chain(placed).collect();
        let reached = uplinks.iter().map(|u| runs.from(u.floor.as_ref()?, u.place)).collect();
        Self { analysis, uplinks, medium, by, runs, reached }
    }

    /// How a hub at a point would be fed and joined.
    pub(super) fn at(&self, point: &Point, place: Place) -> Backhaul {
        let around: Db = mounting::losses(point.back_box, point.mounting, self.medium.frequency())
            .iter()
            .map(|(_, loss)| *loss)
            .sum();
        let cable = |(n, u): (usize, &Uplink)| {
            let [dx, dy, dz] = [u.place.x - place.x, u.place.y - place.y, u.place.z - place.z];
            let length = match &self.reached[n] {
                _ if u.is_beside(place) => Metres::new(u.place.distance(place)),
                Some(reached) if self.runs.has_walls(&point.floor) => {
                    let height = self.height_apart(u, point);
                    reached.to(&point.floor, place)? + height
                }
                _ => Metres::new(dx.abs() + dy.abs() + dz.abs()),
            };
            Some((length, u.name.clone()))
        };
        let level = |u: &Uplink| u.eirp - self.medium.loss(u.place, place) - around;
        let sockets = self
            .analysis
            .site
            .points
            .iter()
            .filter(|p| p.kind == PointKind::Socket && p.floor == point.floor);
        let socket = sockets.map(|p| Metres::new(apart(point.at, p.at))).min_by(Metres::total_cmp);
        let reaches = |lead: Metres| lead.get() <= MOST_LEAD_M;
        Backhaul {
            by: self.by,
            cable: self
                .uplinks
                .iter()
                .enumerate()
                .filter_map(cable)
                .min_by(|a, b| a.0.total_cmp(&b.0)),
            wifi: self.uplinks.iter().map(level).max_by(Dbm::total_cmp),
            socket,
            knows_uplink: !self.uplinks.is_empty(),
            // A lead that reaches is as good as a breaker of its own.
            has_mains: !point.circuit.is_empty() || socket.is_some_and(reaches),
        }
    }

    /// How much higher one of them is mounted on its storey than the other.
    fn height_apart(&self, uplink: &Uplink, point: &Point) -> Metres {
        let floor = uplink.floor.as_ref().and_then(|f| self.analysis.site.floors.get(f));
        let mounted = uplink.place.z - floor.map_or(0.0, |f| f.elevation_m.get());
        Metres::new((mounted - point.height_m.get()).abs())
    }

    /// The uplink beside which a place lies.
    pub(super) fn beside(&self, place: Place) -> Option<&Uplink> {
        self.uplinks.iter().find(|u| u.is_beside(place))
    }
}

impl Backhaul {
    /// What speaks against a hub there, in half sentences.
    pub fn against(&self) -> Vec<String> {
        let mut against = Vec::new();
        if !self.has_mains {
            against.push(match self.socket {
                Some(away) => format!("the nearest socket surveyed is {away} away"),
                None => "no socket is surveyed on this storey".to_owned(),
            });
        }
        if self.knows_uplink {
            against.extend(self.cut_off());
        }
        against
    }

    /// Whether Wi-Fi there is enough.
    fn has_wifi(&self) -> bool {
        self.wifi.is_some_and(|w| w >= LEAST_WIFI)
    }

    /// Whether it would be joined by a cable: where Wi-Fi does as well, none is laid.
    pub fn is_cabled(&self) -> bool {
        match self.by {
            Some(BackhaulBy::Cable) => true,
            Some(BackhaulBy::Wifi) => false,
            Some(BackhaulBy::Either) | None => !self.has_wifi(),
        }
    }

    /// Why it would not reach the router there.
    fn cut_off(&self) -> Option<String> {
        let wifi = self.has_wifi();
        let no_cable = match &self.cable {
            Some((length, name)) if length.get() > MOST_CABLE_M => {
                Some(format!("{length} of cable to {name}"))
            }
            Some(_) => None,
            None => Some("no wall leads a cable there".to_owned()),
        };
        match (self.by, no_cable) {
            (Some(BackhaulBy::Wifi), _) => {
                (!wifi).then(|| "too little Wi-Fi, and it takes no cable".to_owned())
            }
            (Some(BackhaulBy::Cable), no_cable) => {
                no_cable.map(|why| format!("{why}, and it takes no Wi-Fi"))
            }
            (_, Some(why)) if !wifi => Some(format!("{why} and too little Wi-Fi")),
            (Some(BackhaulBy::Either), _) => None,
            (None, None) if wifi => None,
            (None, no_cable) => {
                let there = if no_cable.is_none() { "a cable" } else { "Wi-Fi" };
                Some(format!(
                    "{there} alone would reach it, and how it is joined is not written down"
                ))
            }
        }
    }
}
