//! `analyse`: the one computation that every screen, report and command shows.

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::catalogue;
use crate::fit::{self, Fits};
use crate::geometry::structure::{Doors, Structure};
use crate::network::outcome::{Band, Hop, Outcome, Reason};
use crate::network::route::Graph;
use crate::network::{Link, Links, Node, Role};
use crate::propagation::{Medium, Model};
use crate::radio::modulation::Delivery;
use crate::radio::mounting::Mounting;
use crate::radio::system::System;
use crate::site::{DeviceId, NetworkId, PointId, Site};
use crate::staircase;
use crate::units::Db;

/// Deviation of the model before any reading was taken; *planning value*.
pub const PLANNING_SIGMA: Db = Db::new(6.0);

/// What an analysis assumes beside the site.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Options {
    /// How doors stand.
    pub doors: Doors,
    /// Devices that are off in this what-if.
    pub down: BTreeSet<DeviceId>,
    /// The propagation model, before calibration.
    pub model: Model,
}

/// Everything computed for a site.
#[derive(Clone, Debug)]
pub struct Analysis {
    /// What it was computed for.
    pub site: Arc<Site>,
    /// What it assumes.
    pub options: Options,
    /// The building.
    pub structure: Arc<Structure>,
    /// Deviation of the model.
    pub sigma: Db,
    /// The margin that the wanted confidence needs.
    pub target: Db,
    /// One entry a network.
    pub networks: Vec<NetworkAnalysis>,
    /// Everything worth looking at.
    pub findings: Vec<Finding>,
}

/// One network, analysed.
#[derive(Clone, Debug)]
pub struct NetworkAnalysis {
    /// The network.
    pub network: NetworkId,
    /// Its name.
    pub name: String,
    /// Its system.
    pub system: System,
    /// The building priced at its frequency.
    pub medium: Medium,
    /// The place of its hub in `nodes`.
    pub hub: Option<usize>,
    /// Its radios in the order of their ids.
    pub nodes: Vec<Node>,
    /// Their links.
    pub links: Links,
    /// A verdict on each, in the order of `nodes`.
    pub outcomes: Vec<Outcome>,
}

/// Something worth looking at, and what to do.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// How much it matters.
    pub weight: Weight,
    /// What was found and what to do, in a sentence or two.
    pub text: String,
    /// The device it is about, where it is about one.
    pub device: Option<DeviceId>,
    /// The point it is about, where it is about one.
    pub point: Option<PointId>,
}

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Weight {
    /// It will not work as planned.
    Stops,
    /// It may not work as planned.
    Doubt,
    /// Good to know.
    Note,
}

/// Analyses a site from nothing.
pub fn analyse(site: &Arc<Site>, options: &Options) -> Analysis {
    analyse_after(None, site, options)
}

/// Analyses a site, taking from an earlier analysis what has not changed. The answer is the same
/// as that of [`analyse`]; a test holds it so.
pub fn analyse_after(earlier: Option<&Analysis>, site: &Arc<Site>, options: &Options) -> Analysis {
    let earlier = earlier.filter(|e| same_building(e, site, options));
    let structure = earlier.map_or_else(
        || Arc::new(Structure::new(site, options.doors)),
        |e| Arc::clone(&e.structure),
    );
    let sigma = site.calibration.as_ref().map_or(PLANNING_SIGMA, |c| c.sigma_db);
    let target = site.job.confidence.target_margin(sigma);
    let model = options.model.calibrated(site.calibration.as_ref());
    let mut networks = Vec::new();
    for network in &site.networks {
        let frequency = site.job.region.frequency(network.system);
        let before = earlier.and_then(|e| {
            e.networks.iter().find(|n| n.network == network.id && n.medium.frequency() == frequency)
        });
        let medium = before.map_or_else(
            || Medium::new(&structure, frequency, model),
            |before| before.medium.with(model),
        );
        let members = site.devices.iter().filter(|d| d.network == network.id);
        let nodes: Vec<_> = members.filter_map(|d| Node::new(site, d, network.system)).collect();
        let links = Links::new(&nodes, &medium, |a, b| before?.known_loss(a, b));
        let hub = nodes.iter().position(|n| n.role.role == Role::Hub);
        let mut analysis = NetworkAnalysis {
            network: network.id.clone(),
            name: network.name.clone(),
            system: network.system,
            medium,
            hub,
            nodes,
            links,
            outcomes: Vec::new(),
        };
        analysis.outcomes = Judge::new(&analysis, options, sigma, target).outcomes();
        networks.push(analysis);
    }
    let findings = findings(site, &networks);
    let (site, options) = (Arc::clone(site), options.clone());
    Analysis { site, options, structure, sigma, target, networks, findings }
}

fn same_building(earlier: &Analysis, site: &Site, options: &Options) -> bool {
    let old = &earlier.site;
    old.walls == site.walls
        && old.floors == site.floors
        && old.slabs == site.slabs
        && old.constructions == site.constructions
        && old.calibration == site.calibration
        && earlier.options.doors == options.doors
        && earlier.options.model == options.model
}

impl Analysis {
    /// The network and place of a device.
    pub fn find(&self, device: &DeviceId) -> Option<(&NetworkAnalysis, usize)> {
        self.networks.iter().find_map(|n| Some((n, n.place_of(device)?)))
    }

    /// The model in force.
    pub fn model(&self) -> Model {
        self.options.model.calibrated(self.site.calibration.as_ref())
    }

    /// Devices that are lost when `device` dies, by name and id.
    pub fn lost_without(&self, device: &DeviceId) -> Vec<&Outcome> {
        let outcomes = self.networks.iter().flat_map(|n| &n.outcomes);
        outcomes.filter(|o| o.hangs_on.contains(device)).collect()
    }
}

impl NetworkAnalysis {
    /// The place of a device among the nodes.
    pub fn place_of(&self, device: &DeviceId) -> Option<usize> {
        self.nodes.binary_search_by(|n| n.device.cmp(device)).ok()
    }

    /// The radio that carries others, is reached itself, and hears this one best.
    pub fn best_carrier(&self, place: usize) -> Option<usize> {
        let on_air = |n: &usize| Some(*n) == self.hub || !self.outcomes[*n].hops.is_empty();
        (0..self.nodes.len())
            .filter(|n| *n != place && self.nodes[*n].carries_others() && on_air(n))
            .filter_map(|n| Some((n, self.links.between(place, n)?.margin())))
            .max_by(|a, b| a.1.total_cmp(&b.1))
            .map(|(n, _)| n)
    }

    fn known_loss(&self, a: &Node, b: &Node) -> Option<Db> {
        let (i, j) = (self.place_of(&a.device)?, self.place_of(&b.device)?);
        let unmoved = self.nodes[i].place == a.place && self.nodes[j].place == b.place;
        if unmoved { Some(self.links.between(i, j)?.path_loss) } else { None }
    }
}

/// Judges the devices of one network.
struct Judge<'a> {
    network: &'a NetworkAnalysis,
    delivery: Delivery,
    target: Db,
    down: Vec<bool>,
    at_target: Graph,
    at_all: Graph,
}

impl<'a> Judge<'a> {
    fn new(network: &'a NetworkAnalysis, options: &Options, sigma: Db, target: Db) -> Self {
        let rule = network.system.rule();
        let delivery = Delivery::new(rule.modulation, sigma);
        let graph = |least: Db| Graph::new(&network.nodes, &network.links, rule, &delivery, least);
        let (at_target, at_all) = (graph(target), graph(Db::ZERO));
        let down = network.nodes.iter().map(|n| options.down.contains(&n.device)).collect();
        Self { network, delivery, target, down, at_target, at_all }
    }

    fn outcomes(&self) -> Vec<Outcome> {
        let Some(hub) = self.network.hub else {
            return self.network.nodes.iter().map(|n| unreached(n, Reason::NoHub)).collect();
        };
        let most = self.network.system.rule().most_hops;
        // A planned route uses links at target; thinner ones only where nothing else is.
        let sure = self.at_target.routes(hub, most, &self.down);
        let any = self.at_all.routes(hub, most, &self.down);
        let ways: Vec<_> = sure.into_iter().zip(any).map(|(s, a)| s.or(a)).collect();
        let hangs = self.hangs(hub, most, &ways);
        let mut outcomes: Vec<_> = ways
            .iter()
            .enumerate()
            .map(|(place, way)| match way {
                Some(way) if place != hub => self.reached(way),
                Some(_) => Outcome {
                    band: Band::Solid,
                    success: 1.0,
                    ..unreached(&self.network.nodes[hub], Reason::IsHub)
                },
                None => unreached(&self.network.nodes[place], self.why_not(hub, place, &ways)),
            })
            .collect();
        for (outcome, hangs_on) in outcomes.iter_mut().zip(hangs) {
            outcome.hangs_on = hangs_on;
        }
        outcomes
    }

    fn link(&self, a: usize, b: usize) -> Option<&Link> {
        self.network.links.between(a, b)
    }

    fn reached(&self, way: &[usize]) -> Outcome {
        let nodes = &self.network.nodes;
        let rule = self.network.system.rule();
        let place = way[way.len() - 1];
        let (mut hops, mut success, mut delay_ms) = (Vec::new(), 1.0, 0.0);
        for pair in way.windows(2) {
            let Some(link) = self.link(pair[0], pair[1]) else { continue };
            hops.push(Hop {
                from: nodes[pair[0]].device.clone(),
                to: nodes[pair[1]].device.clone(),
                margin_out: link.margin_from(pair[0]),
                margin_back: link.margin_from(pair[1]),
            });
            success *= self.delivery.success(link.margin(), rule.tries);
            delay_ms += rule.hop_ms * self.delivery.expected_tries(link.margin(), rule.tries);
        }
        let carriers = (0..nodes.len()).filter(|&n| {
            n != place && nodes[n].carries_others() && !self.down.get(n).copied().unwrap_or(false)
        });
        let at_target =
            |n: &usize| self.link(place, *n).is_some_and(|link| link.margin() >= self.target);
        let parents = carriers.filter(at_target).count();
        let mut outcome =
            Outcome { hops, success, delay_ms, parents, ..unreached(&nodes[place], Reason::IsHub) };
        let Some(hop) = outcome.weakest().cloned() else { return outcome };
        let (weakest, target) = (hop.margin(), self.target);
        outcome.band = Band::of(weakest, target);
        outcome.reason = if outcome.band == Band::Thin {
            self.thin(&hop, weakest)
        } else {
            Reason::Reached { weakest, target }
        };
        outcome
    }

    fn thin(&self, hop: &Hop, weakest: Db) -> Reason {
        let ends = (self.network.place_of(&hop.from), self.network.place_of(&hop.to));
        let (Some(from), Some(to)) = ends else {
            return Reason::Reached { weakest, target: self.target };
        };
        let nodes = &self.network.nodes;
        Reason::Thin {
            weakest,
            target: self.target,
            hop: (nodes[from].name.clone(), nodes[to].name.clone()),
            costliest: self.obstacles(from, to).into_iter().next(),
        }
    }

    /// For each device, those whose loss cuts it off.
    fn hangs(&self, hub: usize, most: usize, ways: &[Option<Vec<usize>>]) -> Vec<Vec<DeviceId>> {
        let mut hangs = vec![Vec::new(); ways.len()];
        let inner: BTreeSet<usize> = ways
            .iter()
            .flatten()
            .filter(|way| way.len() > 2)
            .flat_map(|way| way[1..way.len() - 1].iter().copied())
            .collect();
        for dead in inner {
            let mut down = self.down.clone();
            down[dead] = true;
            let left = self.at_all.routes(hub, most, &down);
            for (place, way) in left.iter().enumerate() {
                if way.is_none() && place != dead && ways[place].is_some() {
                    hangs[place].push(self.network.nodes[dead].device.clone());
                }
            }
        }
        hangs
    }

    fn why_not(&self, hub: usize, place: usize, ways: &[Option<Vec<usize>>]) -> Reason {
        let (nodes, rule) = (&self.network.nodes, self.network.system.rule());
        if self.down[place] {
            return Reason::Down;
        }
        if self.down[hub] {
            return Reason::NoHub;
        }
        let unlimited = self.at_all.routes(hub, nodes.len(), &self.down);
        if let Some(way) = &unlimited[place] {
            let hops = way.len() - 1;
            return Reason::HopLimit { hops, allowed: rule.most_hops, system: rule.name };
        }
        let loss = |n: usize| {
            if let Some(link) = self.link(place, n) {
                *link
            } else {
                let path = self.network.medium.loss(nodes[place].place, nodes[n].place);
                Link::new(nodes, place.min(n), place.max(n), path)
            }
        };
        let others = || (0..nodes.len()).filter(|&n| n != place && ways[n].is_some());
        let best = |candidates: &mut dyn Iterator<Item = usize>| {
            candidates.map(|n| (n, loss(n))).max_by(|a, b| a.1.margin().total_cmp(&b.1.margin()))
        };
        // Mains devices that forward by their make, yet earn no credit here.
        let unsure = |n: &usize| {
            let kind = self.kind_of(*n);
            !nodes[*n].carries_others() && kind.is_some_and(|k| k.forwards)
        };
        if let Some((through, link)) = best(&mut others().filter(unsure))
            && link.margin() >= Db::ZERO
        {
            return Reason::OnlyThroughUnsure {
                through: nodes[through].name.clone(),
                why: nodes[through].role.why.clone(),
            };
        }
        let Some((nearest, link)) = best(&mut others().filter(|n| nodes[*n].carries_others()))
        else {
            return Reason::NoHub;
        };
        Reason::TooFar {
            nearest: nodes[nearest].name.clone(),
            short: -link.margin(),
            obstacles: self.obstacles(nearest, place),
            only_back: link.margin_from(nearest) >= Db::ZERO,
        }
    }

    fn kind_of(&self, node: usize) -> Option<&'static catalogue::DeviceKind> {
        catalogue::kind(&self.network.nodes[node].kind)
    }

    /// What stands between two nodes, costliest first.
    fn obstacles(&self, a: usize, b: usize) -> Vec<(String, Db)> {
        let nodes = &self.network.nodes;
        staircase::obstacles(&self.network.medium, &nodes[a], &nodes[b])
    }
}

fn unreached(node: &Node, reason: Reason) -> Outcome {
    Outcome {
        device: node.device.clone(),
        band: Band::Out,
        hops: Vec::new(),
        success: 0.0,
        delay_ms: 0.0,
        parents: 0,
        hangs_on: Vec::new(),
        reason,
    }
}

fn findings(site: &Site, networks: &[NetworkAnalysis]) -> Vec<Finding> {
    let mut findings = Vec::new();
    for device in &site.devices {
        let (Some(kind), Some(point)) = (catalogue::kind(&device.kind), site.point_of(device))
        else {
            continue;
        };
        for finding in fit::findings(kind, point) {
            let weight = match finding.fits {
                Fits::No => Weight::Stops,
                Fits::ElectricianDecides => Weight::Doubt,
                Fits::IfSo | Fits::Yes => Weight::Note,
            };
            let ways = finding.ways_out.join("; ");
            findings.push(Finding {
                weight,
                text: format!("{}: {} Ways out: {ways}.", device.name, finding.reason),
                device: Some(device.id.clone()),
                point: Some(point.id.clone()),
            });
        }
    }
    for network in networks {
        let rule = network.system.rule();
        let note = |weight, text| Finding { weight, text, device: None, point: None };
        let members = network.nodes.len().saturating_sub(1);
        if network.hub.is_none() && members > 0 {
            findings.push(note(Weight::Stops, format!("{} has no hub: place one.", network.name)));
        }
        if members > rule.most_devices {
            findings.push(note(
                Weight::Stops,
                format!(
                    "{} has {members} devices, remotes counted; {} allows {}. Use a second hub.",
                    network.name, rule.name, rule.most_devices
                ),
            ));
        }
        let repeaters = network.nodes.iter().filter(|n| n.role.role == Role::Forwards).count();
        if let Some(most) = rule.most_repeaters
            && repeaters > most
        {
            findings.push(note(
                Weight::Stops,
                format!(
                    "{} has {repeaters} repeaters; {} allows {most}. Take one out or use a larger \
                     hub.",
                    network.name, rule.name
                ),
            ));
        }
        if let Some(hub) = network.hub.map(|h| &network.nodes[h])
            && let Some(point) = site.devices.get(&hub.device).and_then(|d| site.point_of(d))
            && matches!(
                point.mounting,
                Mounting::MetalCabinet | Mounting::MeterCupboard | Mounting::VentedRack
            )
        {
            let lost = hub.around();
            findings.push(Finding {
                weight: Weight::Doubt,
                text: format!(
                    "{} stands in a {}: every link to it loses {lost}. Move it into the open.",
                    hub.name,
                    point.mounting.row().name
                ),
                device: Some(hub.device.clone()),
                point: Some(point.id.clone()),
            });
        }
    }
    findings.sort_by_key(|f| f.weight);
    findings
}
