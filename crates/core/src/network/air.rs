//! What is on the air at each receiver of a network, and what each channel would cost it.

use super::{Link, NetworkAnalysis, Node, Role};
use crate::geometry::Place;
use crate::propagation::{Medium, Model};
use crate::radio::channels::IEEE_802_15_4;
use crate::radio::coexistence::{Carrier, needed};
use crate::radio::system::System;
use crate::site::{Network, Site};
use crate::units::{Db, Dbm, Megahertz};

/// A source of interference, from the plan, a scan or another network of the job.
#[derive(Clone, Debug, PartialEq)]
pub struct Source {
    /// Its name.
    pub name: String,
    /// What it sends.
    pub carrier: Carrier,
    /// The share of time that it sends.
    pub busy: f64,
    /// Where it stands; a scan has no place and is heard alike everywhere.
    pub place: Option<Place>,
    /// Radiated power, or the level heard where it has no place.
    pub level: Dbm,
}

/// The sources, and how strong each arrives at each node.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Air {
    /// The sources.
    pub sources: Vec<Source>,
    levels: Vec<Vec<Dbm>>,
}

/// Share of time that an access point of the job is taken to send, *planning value*.
const ACCESS_POINT_BUSY: f64 = 0.25;
/// Share of time that another mesh of the job is taken to send, *planning value*.
const MESH_BUSY: f64 = 0.03;
/// Nearer than this, a source beside a hub is a finding.
pub const BESIDE_M: f64 = 1.0;

impl Air {
    /// What the nodes of a network hear of others; nothing where the system works below 1 GHz.
    pub fn new(site: &Site, network: &Network, nodes: &[Node], medium: &Medium) -> Self {
        if !network.rule().is_802_15_4() && network.system != System::Bluetooth {
            return Self::default();
        }
        let sources = sources(site, network);
        let model = Model { doorways: false, reflections: false, ..medium.model() };
        let quick = medium.with(model);
        let level = |source: &Source, node: &Node| match source.place {
            None => source.level,
            // Straight and leaking around is enough for noise.
            Some(place) => {
                let loss = quick.loss(place, node.place);
                source.level - loss + node.radio.antenna - node.around()
            }
        };
        let levels =
            nodes.iter().map(|node| sources.iter().map(|s| level(s, node)).collect()).collect();
        Self { sources, levels }
    }

    /// Raises what each node needs to hear to what the chosen channel asks of it.
    pub fn raise_needs(&self, nodes: &mut [Node], channel: Option<u8>) {
        let Some(channel) = channel else { return };
        for (place, node) in nodes.iter_mut().enumerate() {
            node.needs = node.needs.max(self.needs(place, node.radio.sensitivity, channel));
        }
    }

    /// What a node needs to hear on a channel.
    pub fn needs(&self, node: usize, sensitivity: Dbm, channel: u8) -> Dbm {
        needed(sensitivity, self.interference_mw(node, channel))
    }

    /// How strong a source arrives at a node.
    pub fn level(&self, node: usize, source: usize) -> Option<Dbm> {
        self.levels.get(node)?.get(source).copied()
    }

    /// Interference in milliwatts: powers in the channel, each by its share of time.
    fn interference_mw(&self, node: usize, channel: u8) -> f64 {
        (0..self.sources.len()).map(|s| self.part_mw(node, s, channel)).sum()
    }

    fn part_mw(&self, node: usize, source: usize, channel: u8) -> f64 {
        let (Some(level), Some(s)) = (self.level(node, source), self.sources.get(source)) else {
            return 0.0;
        };
        let in_channel = level - s.carrier.share(centre(channel));
        10f64.powf(in_channel.get() / 10.0) * s.busy
    }

    /// The source that costs a node most on a channel.
    fn loudest(&self, node: usize, channel: u8) -> Option<&Source> {
        let parts = (0..self.sources.len()).map(|s| (s, self.part_mw(node, s, channel)));
        let (loudest, part) = parts.max_by(|a, b| a.1.total_cmp(&b.1))?;
        if part > 0.0 { self.sources.get(loudest) } else { None }
    }
}

fn centre(channel: u8) -> Megahertz {
    Carrier::Mesh { channel }.centre()
}

fn sources(site: &Site, network: &Network) -> Vec<Source> {
    let planned = site.emitters.iter().filter_map(|e| {
        Some(Source {
            name: e.name.clone(),
            carrier: e.carrier,
            busy: e.busy,
            place: Some(site.place(&e.floor, e.at, e.height_m)?),
            level: e.tx_dbm,
        })
    });
    let scanned = site.scans.iter().map(|s| Source {
        name: format!("{} in the scan", s.carrier.name()),
        carrier: s.carrier,
        busy: s.busy,
        place: None,
        level: s.level_dbm,
    });
    let others = site.networks.iter().filter(|n| n.id != network.id).flat_map(|other| {
        let carrier = match (other.system, other.channel) {
            (System::Wifi, channel) => Some((
                Carrier::Wifi { channel: channel.unwrap_or(6), width_mhz: 20 },
                ACCESS_POINT_BUSY,
            )),
            (s, Some(channel)) if s.rule().is_802_15_4() => {
                Some((Carrier::Mesh { channel }, MESH_BUSY))
            }
            _ => None,
        };
        let hubs = site.devices.iter().filter(|d| d.network == other.id);
        let nodes = hubs.filter_map(|d| Node::new(site, d, other));
        let nodes: Vec<_> = nodes.filter(|n| n.role.role == Role::Hub).collect();
        carrier.into_iter().flat_map(move |(carrier, busy)| {
            nodes.clone().into_iter().map(move |node| Source {
                name: node.name.clone(),
                carrier,
                busy,
                place: Some(node.place),
                level: node.radio.eirp() - node.around(),
            })
        })
    });
    planned.chain(scanned).chain(others).collect()
}

/// How a channel would suit a network.
#[derive(Clone, Debug, PartialEq)]
pub struct ChannelScore {
    /// The channel.
    pub channel: u8,
    /// The least margin over target among the best links of the devices.
    pub worst: Db,
    /// Their mean margin over target.
    pub mean: Db,
    /// How many of them are below target.
    pub below: usize,
    /// Why it is not better, in a sentence.
    pub reason: String,
}

/// Scores every channel by the best link of each device, the best channel first.
pub fn advise(network: &NetworkAnalysis) -> Vec<ChannelScore> {
    let links = best_links(network);
    let mut scores: Vec<_> =
        IEEE_802_15_4.numbers().map(|channel| score(network, &links, channel)).collect();
    scores.sort_by(|a, b| {
        (a.below.cmp(&b.below))
            .then(b.worst.total_cmp(&a.worst))
            .then(b.mean.total_cmp(&a.mean))
            .then(a.channel.cmp(&b.channel))
    });
    scores
}

/// Margin over target of a link on a channel, in the worse direction, and the node that hears it.
fn spare(network: &NetworkAnalysis, link: &Link, channel: u8) -> (Db, usize) {
    let at = |from: usize, to: usize| {
        let node = &network.nodes[to];
        let level = node.needs + link.margin_from(from);
        (level - network.air.needs(to, node.radio.sensitivity, channel) - link.target, to)
    };
    let (out, back) = (at(link.a, link.b), at(link.b, link.a));
    if out.0 <= back.0 { out } else { back }
}

/// The link by which each device could be carried best with nothing else on the air: the same links
/// whatever channel is in use now.
fn best_links(network: &NetworkAnalysis) -> Vec<&Link> {
    let quiet = |from: usize, to: usize, link: &Link| {
        let node = &network.nodes[to];
        link.margin_from(from) + (node.needs - node.radio.sensitivity)
    };
    let worse = |link: &Link| quiet(link.a, link.b, link).min(quiet(link.b, link.a, link));
    let nodes = 0..network.nodes.len();
    nodes
        .filter(|n| !network.hubs.contains(n))
        .filter_map(|n| {
            let carriers = (0..network.nodes.len()).filter(|c| network.nodes[*c].carries_others());
            let links = carriers.filter_map(|c| network.links.between(n, c));
            links.max_by(|a, b| worse(a).total_cmp(&worse(b)))
        })
        .collect()
}

fn score(network: &NetworkAnalysis, links: &[&Link], channel: u8) -> ChannelScore {
    let spares: Vec<_> = links.iter().map(|link| spare(network, link, channel)).collect();
    #[expect(clippy::cast_precision_loss, reason = "a count of links")]
    let count = spares.len().max(1) as f64;
    let sum: Db = spares.iter().map(|(spare, _)| *spare).sum();
    let worst = spares.iter().min_by(|a, b| a.0.total_cmp(&b.0));
    let loudest = worst.and_then(|(_, at)| Some((*at, network.air.loudest(*at, channel)?)));
    let quiet = |at: usize| {
        let node = &network.nodes[at];
        network.air.needs(at, node.radio.sensitivity, channel) <= node.radio.sensitivity
    };
    let reason = match loudest {
        None if network.air.sources.is_empty() => "Nothing else is known on the air.".to_owned(),
        Some((at, source)) if !quiet(at) => format!(
            "{} ({}) is loudest at {}.",
            source.name,
            source.carrier.name(),
            network.nodes[at].name
        ),
        _ => "Quieter than the receivers notice.".to_owned(),
    };
    ChannelScore {
        channel,
        worst: worst.map_or(Db::ZERO, |(spare, _)| *spare),
        mean: sum * (1.0 / count),
        below: spares.iter().filter(|(spare, _)| *spare < Db::ZERO).count(),
        reason,
    }
}
