//! The radio systems side by side at one place: the same spot reached by each, with its hub, what it does for
//! others, what keeps it going and what it costs. Found by trying each on a copy.

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::analysis::{Analysis, analyse_while};
use crate::catalogue::{DeviceKind, Duty};
use crate::fit::Fits;
use crate::fit::candidates::candidates_for;
use crate::network::Band;
use crate::network::outcome::{Hop, Outcome};
use crate::pulse::StillWanted;
use crate::radio::coexistence::Emission;
use crate::radio::system::{RouteChoice, System};
use crate::site::{Device, Network, NetworkId, Point, PointId, PointKind, Site};
use crate::units::{Db, Megahertz};

/// Where the hub of a system is.
#[derive(Clone, Debug, PartialEq)]
pub enum HubAt {
    /// It is in the job.
    Planned {
        /// Its name.
        name: String,
    },
    /// It would have to be bought, and is thought of at such a place.
    Bought {
        /// Where.
        beside: String,
        /// What it costs, where that is known.
        price: Option<f64>,
    },
    /// The system needs none.
    NotNeeded,
    /// Nothing of the library starts such a network, or there is no place to think of.
    Nowhere,
}

/// A system at a place.
#[derive(Clone, Debug)]
pub struct SystemAt<'a> {
    /// The system.
    pub system: System,
    /// Where it sends in this region.
    pub frequency: Megahertz,
    /// Whether the region allows it at all.
    pub is_allowed: bool,
    /// Whether the job has a network of it.
    pub is_in_job: bool,
    /// The device of it that suits the place best, and how it fits; nothing where the library has none.
    pub device: Option<(&'a DeviceKind, Fits)>,
    /// Where its hub is.
    pub hub: HubAt,
    /// The link straight to the hub: what it has and what it needs, in the worse direction.
    pub direct: Option<(Db, Db)>,
    /// How that device would be reached.
    pub outcome: Option<Outcome>,
    /// By whom it would be reached first, by name; empty where it is straight from the hub.
    pub through: Vec<String>,
    /// Whether that device would forward for others.
    pub forwards: bool,
    /// The device, and the hub where it has to be bought; nothing where a price is not known.
    pub cost: Option<f64>,
}

impl SystemAt<'_> {
    /// How well it is reached; nothing where nothing could be tried.
    pub fn band(&self) -> Option<Band> {
        self.outcome.as_ref().map(|o| o.band)
    }

    /// Whether it could be chosen as far as is known: allowed, with a device that fits, and at target.
    pub fn is_sound(&self) -> bool {
        // What is not known yet is no pass.
        let fits = self.device.is_some_and(|(_, fits)| fits < Fits::NotKnown);
        self.is_allowed && fits && self.band() >= Some(Band::Sound)
    }

    /// What speaks for and against it, in sentences.
    pub fn reasons(&self) -> Vec<String> {
        let mut all = Vec::new();
        if !self.is_allowed {
            all.push("The region has no channel for it.".to_owned());
        }
        match self.device {
            None => all.push("Nothing in the library comes with it for such a place.".to_owned()),
            Some((kind, Fits::No)) => all.push(format!("{} does not fit here.", kind.name)),
            Some(_) => {}
        }
        all.extend(self.reach());
        all.push(self.growth().to_owned());
        all
    }

    fn reach(&self) -> Option<String> {
        let outcome = self.outcome.as_ref()?;
        let weakest = outcome.weakest().map(Hop::margin);
        let straight = self.direct.map(|(margin, needs)| {
            format!("straight to the hub it has {margin} and needs {needs}")
        });
        Some(match (outcome.band, weakest, self.through.is_empty()) {
            (Band::Out, ..) => {
                format!(
                    "Not reached: {}.",
                    straight.unwrap_or_else(|| "no hub hears it".to_owned())
                )
            }
            (_, Some(margin), false) => {
                format!("Reached through {}, {margin} at the weakest.", self.through.join(", "))
            }
            _ => {
                format!("Reached: {}.", straight.unwrap_or_else(|| "every relay helps".to_owned()))
            }
        })
    }

    /// How its coverage grows.
    fn growth(&self) -> &'static str {
        match (self.system, self.system.rule().choice) {
            (System::Wifi, _) => "Wi-Fi grows by access points alone: no switch carries another.",
            (_, RouteChoice::DirectOnly) => "Nobody forwards in it: only another hub widens it.",
            (System::Star, _) if self.forwards => {
                "It counts as one of the few repeaters of its star."
            }
            (System::Star, _) => "Switches do not forward in it: the hub and its repeaters do.",
            _ if self.forwards => "It forwards for others.",
            _ => "It is a leaf: nothing hangs on it.",
        }
    }
}

/// Every system at a point, the best first: what is sound before what is not, then what is in the job, then by cost.
/// Nothing once it is no longer wanted.
pub fn systems<'a>(
    analysis: &'a Analysis,
    point: &Point,
    wanted: &StillWanted<'_>,
) -> Option<Vec<SystemAt<'a>>> {
    let all = System::ALL.iter().map(|system| at(analysis, point, *system, wanted));
    let mut all: Vec<_> = all.collect::<Option<_>>()?;
    all.sort_by(|a, b| {
        let cost = |s: &SystemAt<'_>| s.cost.unwrap_or(f64::INFINITY);
        (!a.is_sound(), !a.is_in_job)
            .cmp(&(!b.is_sound(), !b.is_in_job))
            .then(b.band().cmp(&a.band()))
            .then(cost(a).total_cmp(&cost(b)))
    });
    Some(all)
}

fn at<'a>(
    analysis: &'a Analysis,
    point: &Point,
    system: System,
    wanted: &StillWanted<'_>,
) -> Option<SystemAt<'a>> {
    let site: &'a Site = &analysis.site;
    let region = site.job.region;
    let standing = site.devices_at(&point.id).into_iter().find(|d| {
        let kind = site.kind(&d.kind);
        kind.is_some_and(|k| k.duty != Duty::Hub)
    });
    let here = candidates_for(site, point, standing, &BTreeSet::from([system]));
    // What does the same as that which stands there; where nothing does, whatever could.
    let duty = standing.and_then(|d| site.kind(&d.kind)).map_or(Duty::Actuator, |k| k.duty);
    let mut radios: Vec<_> =
        here.into_iter().filter(|c| c.kind.has_radio && c.kind.duty != Duty::Hub).collect();
    radios.sort_by_key(|c| c.kind.duty != duty);
    let best = radios.into_iter().next();
    let network = network_of(analysis, system);
    let mut found = SystemAt {
        system,
        frequency: region.frequency(system, network.as_ref().and_then(|n| n.channel)),
        is_allowed: region.allows(system),
        is_in_job: network.is_some(),
        device: best.as_ref().map(|c| (c.kind, c.fits)),
        hub: HubAt::Nowhere,
        direct: None,
        outcome: None,
        through: Vec::new(),
        forwards: best.as_ref().is_some_and(|c| c.forwards),
        cost: None,
    };
    let Some(best) = best else { return Some(found) };
    let Some(trial) = Trial::new(analysis, point, standing, best.kind, network, system) else {
        return Some(found);
    };
    found.hub = trial.hub;
    let hub_costs = match &found.hub {
        HubAt::Bought { price, .. } => *price,
        HubAt::Planned { .. } | HubAt::NotNeeded => Some(0.0),
        HubAt::Nowhere => None,
    };
    found.cost = best.kind.fit.price.zip(hub_costs).map(|(device, hub)| device + hub);
    let after = analyse_while(wanted, Some(analysis), &Arc::new(trial.site), &analysis.options)?;
    let Some(tried) = after.networks.iter().find(|n| n.network == trial.network) else {
        return Some(found);
    };
    let Some(place) = tried.nodes.iter().position(|n| n.device.as_str() == TRIED) else {
        return Some(found);
    };
    let outcome = tried.outcomes[place].clone();
    let straight = tried.hubs.iter().filter_map(|hub| tried.links.between(*hub, place));
    found.direct = straight.map(|l| (l.margin(), l.target)).max_by(|a, b| a.0.total_cmp(&b.0));
    let between = outcome.hops.iter().skip(1).map(|hop| &hop.from);
    let named = between.filter_map(|id| tried.nodes.iter().find(|n| n.device == *id));
    found.through = named.map(|n| n.name.clone()).collect();
    found.outcome = Some(outcome);
    Some(found)
}

/// The network of a system that has most devices.
fn network_of(analysis: &Analysis, system: System) -> Option<Network> {
    let all = analysis.networks.iter().filter(|n| n.system == system);
    let most = all.max_by_key(|n| n.nodes.len())?;
    analysis.site.networks.get(&most.network).cloned()
}

/// The id of the device that is tried; a job's own ids are made otherwise.
const TRIED: &str = "tried-here";

/// A copy of the job with a device of a system at the place.
struct Trial {
    site: Site,
    network: NetworkId,
    hub: HubAt,
}

impl Trial {
    fn new(
        analysis: &Analysis,
        point: &Point,
        standing: Option<&Device>,
        kind: &DeviceKind,
        network: Option<Network>,
        system: System,
    ) -> Option<Self> {
        let site = &analysis.site;
        let network = match network {
            Some(network) => network,
            None => Network::new("tried-network".parse().ok()?, system.name(), system),
        };
        let id = network.id.clone();
        let mut copy = site.narrowed(&id);
        if let Some(standing) = standing {
            copy.forget_device(&standing.id);
        }
        copy.suppose(network);
        let hub = hub_at(analysis, &mut copy, &id, system)?;
        let device =
            Device::new(TRIED.parse().ok()?, "tried", point.id.clone(), &kind.id, id.clone());
        copy.suppose(device);
        Some(Self { site: copy, network: id, hub })
    }
}

/// The hub of a network; where it has none, one is put where the house already has such a thing.
fn hub_at(
    analysis: &Analysis,
    copy: &mut Site,
    network: &NetworkId,
    system: System,
) -> Option<HubAt> {
    let known = analysis.networks.iter().find(|n| n.network == *network);
    let planned = known.and_then(|n| n.hubs.first().map(|hub| n.nodes[*hub].name.clone()));
    if let Some(name) = planned {
        return Some(HubAt::Planned { name });
    }
    if system.rule().choice == RouteChoice::Flood {
        return Some(HubAt::NotNeeded);
    }
    let starts = |k: &&DeviceKind| k.duty == Duty::Hub && k.systems.contains(&system);
    let price = |k: &DeviceKind| k.fit.price.unwrap_or(f64::INFINITY);
    let kind = analysis
        .site
        .all_kinds()
        .filter(starts)
        .min_by(|a, b| price(a).total_cmp(&price(b)))
        .cloned();
    let (Some(kind), Some((point, beside))) = (kind, hub_point(analysis, copy)) else {
        return Some(HubAt::Nowhere);
    };
    let id = "tried-hub".parse().ok()?;
    copy.suppose(Device::new(id, "tried hub", point, &kind.id, network.clone()));
    Some(HubAt::Bought { beside, price: kind.fit.price })
}

/// Where a further hub is thought of: beside the one that most devices hang on, else at the router.
fn hub_point(analysis: &Analysis, copy: &mut Site) -> Option<(PointId, String)> {
    let with_hub = analysis.networks.iter().filter(|n| !n.hubs.is_empty());
    let main = with_hub.max_by_key(|n| n.nodes.len());
    if let Some(node) = main.and_then(|n| n.hubs.first().map(|hub| &n.nodes[*hub])) {
        let point = analysis.site.devices.get(&node.device)?.point.clone();
        return Some((point, node.name.clone()));
    }
    let is_router =
        |e: &&crate::site::Emitter| e.of_the_house && matches!(e.carrier, Emission::Wifi { .. });
    let router = analysis.site.emitters.iter().find(is_router)?;
    let id: PointId = "tried-place".parse().ok()?;
    let (floor, at, height) = (router.floor.clone(), router.at, router.height_m);
    copy.suppose(Point::bare(id.clone(), floor, at, height, PointKind::Shelf));
    Some((id, router.name.clone()))
}
