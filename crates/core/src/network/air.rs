//! What is on the air at each receiver of a network, and what each channel would cost it.

use std::sync::Arc;

use super::{Link, NetworkAnalysis, Node, Role};
use crate::geometry::{Grid, Place};
use crate::propagation::{Gain, Medium, Model};
use crate::radio::channels::IEEE_802_15_4;
use crate::radio::coexistence::{Emission, Heard, hit_share, hits};
use crate::radio::modulation::{Delivery, FRAME_BYTES, Hits};
use crate::radio::system::{System, SystemRules};
use crate::site::{Network, Site};
use crate::units::{Db, Dbm, Megahertz};

/// A source of interference, from the plan, a scan or another network of the job.
#[derive(Clone, Debug, PartialEq)]
pub struct Source {
    /// Its name.
    pub name: String,
    /// What it sends.
    pub carrier: Emission,
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

/// Above this a sender hears that the channel is taken and waits, in the channel: 10 dB above the
/// sensitivity that the standard asks for, IEEE 802.15.4-2020, § 10.2.8.
const TAKEN: Dbm = Dbm::new(-75.0);

impl Air {
    /// What the nodes of a network hear of others; nothing where it shares the air with its like by rule, as Wi-Fi
    /// does.
    pub fn new(site: &Site, network: &Network, nodes: &[Node], medium: &Medium) -> Self {
        let is_below = is_below_1_ghz(medium.frequency());
        let hears = is_below || network.rule().is_802_15_4() || network.system == System::Bluetooth;
        let sources = if hears { sources(site, network) } else { Vec::new() };
        let in_band = |s: &Source| s.carrier.is_below_1_ghz() == is_below;
        let sources: Vec<_> = sources.into_iter().filter(in_band).collect();
        if is_below && sources.is_empty() || !hears {
            return Self::default();
        }
        let quick = medium.with(plain(medium));
        let of = |node: &Node| sources.iter().map(|s| level(&quick, s, node)).collect();
        let levels = nodes.iter().map(of).collect();
        Self { sources, levels }
    }

    /// How strong each source arrives at many places at one height, row by row, for an antenna in the
    /// open there.
    pub fn levels_over(&self, medium: &Medium, grid: &Grid, z: f64) -> Vec<Vec<f32>> {
        let quick = medium.with(plain(medium));
        let over = |source: &Source| {
            let lookout = source.place.map(|place| quick.lookout(place, z));
            let level = |at: Place| match &lookout {
                None => source.level,
                Some(lookout) => source.level - quick.surface_loss(lookout, at, Gain::default()),
            };
            #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
            grid.middles().map(|[x, y]| level(Place::new(x, y, z)).get() as f32).collect()
        };
        self.sources.iter().map(over).collect()
    }

    /// How strong each source arrives at a receiver that is no node.
    pub fn levels_at(&self, medium: &Medium, node: &Node) -> Vec<Dbm> {
        let quick = medium.with(plain(medium));
        self.sources.iter().map(|s| level(&quick, s, node)).collect()
    }

    /// The shares of frames by what meets them, on each channel on which a receiver listens in turn,
    /// where each source arrives with such a level.
    pub fn hits(&self, levels: &[Dbm], noise: Dbm, on: Tuned, frame_ms: f64) -> Vec<Hits> {
        let hits_at = |centre: &Megahertz| {
            let heard = |(source, level): (&Source, &Dbm)| Heard {
                share: hit_share(source.busy, frame_ms, source.carrier.on_ms()),
                over_noise: 10f64
                    .powf((*level - source.carrier.share(*centre) - noise).get() / 10.0),
            };
            let all = self.sources.iter().zip(levels).map(heard);
            hits(all.filter(|h| h.over_noise > UNNOTICED).collect())
        };
        on.centres().iter().map(hits_at).collect()
    }

    /// How frames arrive at a node of a system on a channel, by what else is on the air there;
    /// nothing where nothing that matters is. Senders are taken not to hear it, which is cautious.
    pub fn curve(
        &self,
        node: usize,
        quiet: Dbm,
        on: Tuned,
        delivery: &Delivery,
        frame_ms: f64,
    ) -> Option<Delivery> {
        let noise = quiet - delivery.anchor();
        let by_channel = self.hits(self.levels.get(node)?, noise, on, frame_ms);
        if by_channel.iter().all(Vec::is_empty) {
            return None;
        }
        let curves: Vec<_> = by_channel.iter().map(|hits| delivery.under(hits)).collect();
        Some(delivery.mean(&curves))
    }

    /// How long a sender waits on average for others to be silent before a try, in milliseconds: the
    /// time that is left of what it hears, as often as it hears it.
    pub fn wait_ms(&self, node: usize, on: Tuned) -> f64 {
        let centres = on.centres();
        let of = |centre: &Megahertz| -> f64 {
            let wait = |(s, source): (usize, &Source)| {
                let hears = self.in_channel(node, s, *centre).is_some_and(|level| level >= TAKEN);
                if hears { source.busy.min(0.95) * source.carrier.on_ms() / 2.0 } else { 0.0 }
            };
            self.sources.iter().enumerate().map(wait).sum()
        };
        #[expect(clippy::cast_precision_loss, reason = "three channels")]
        let count = centres.len().max(1) as f64;
        centres.iter().map(of).sum::<f64>() / count
    }

    /// How strong a source arrives at a node.
    pub fn level(&self, node: usize, source: usize) -> Option<Dbm> {
        self.levels.get(node)?.get(source).copied()
    }

    fn in_channel(&self, node: usize, source: usize, centre: Megahertz) -> Option<Dbm> {
        Some(self.level(node, source)? - self.sources.get(source)?.carrier.share(centre))
    }

    /// The source that costs a node most on a channel: by its power and its time.
    fn loudest(&self, node: usize, channel: u8) -> Option<&Source> {
        let part = |s: usize| {
            let level = self.in_channel(node, s, centre(channel))?;
            Some(10f64.powf(level.get() / 10.0) * self.sources.get(s)?.busy)
        };
        let parts = (0..self.sources.len()).filter_map(|s| Some((s, part(s)?)));
        let (loudest, part) = parts.max_by(|a, b| a.1.total_cmp(&b.1))?;
        if part > 0.0 { self.sources.get(loudest) } else { None }
    }
}

/// Straight and leaking around is enough for noise.
fn plain(medium: &Medium) -> Model {
    Model { doorways: false, reflections: false, ..medium.model() }
}

/// How strong a source arrives at a receiver.
fn level(quick: &Medium, source: &Source, node: &Node) -> Dbm {
    let Some(place) = source.place else { return source.level };
    source.level - quick.loss(place, node.place) + node.radio.antenna - node.around()
}

/// What adds less than this to a receiver's noise is not noticed: 0.04 dB.
const UNNOTICED: f64 = 0.01;

/// Where the receivers of a network listen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tuned {
    /// Nothing is known of it, or nobody else is there.
    Unknown,
    /// On one channel of IEEE 802.15.4.
    Channel(u8),
    /// On one carrier below 1 GHz.
    Carrier(Emission),
    /// In turn on the three advertising channels: Bluetooth Core 5.4, vol. 6, part A, § 1.4.
    Advertising,
}

impl Tuned {
    /// Where those of a network do.
    pub fn of(system: System, channel: Option<u8>, frequency: Megahertz) -> Self {
        match (system, channel) {
            _ if is_below_1_ghz(frequency) => Self::Carrier(Emission::narrow(frequency)),
            (System::Bluetooth, _) => Self::Advertising,
            (system, Some(channel)) if system.rule().is_802_15_4() => Self::Channel(channel),
            _ => Self::Unknown,
        }
    }

    fn centres(self) -> Vec<Megahertz> {
        match self {
            Self::Unknown => Vec::new(),
            Self::Channel(channel) => vec![centre(channel)],
            Self::Carrier(carrier) => vec![carrier.centre()],
            Self::Advertising => [2402.0, 2426.0, 2480.0].map(Megahertz::new).to_vec(),
        }
    }
}

/// How frames arrive at every node: the curve of the quiet air, and those of nodes that hear others.
#[derive(Clone, Debug)]
pub struct Arrivals {
    quiet: Arc<Delivery>,
    noisy: Vec<Option<Arc<Delivery>>>,
    tries: i32,
}

impl Arrivals {
    /// Those of a network, and what each node needs by them: the level at which 99 % are delivered
    /// after all tries of MAC and application, and never less than on quiet air.
    pub fn new(air: &Air, nodes: &mut [Node], rule: &SystemRules, on: Tuned, sigma: Db) -> Self {
        let quiet = Arc::new(Delivery::new(rule.modulation, sigma));
        let (frame_ms, tries) = (rule.modulation.frame_ms(FRAME_BYTES), rule.all_tries());
        let curve = |(n, node): (usize, &mut Node)| {
            let curve = air.curve(n, node.quiet, on, &quiet, frame_ms)?;
            node.needs = node.quiet + curve.least_margin(tries);
            Some(Arc::new(curve))
        };
        let noisy = nodes.iter_mut().enumerate().map(curve).collect();
        Self { quiet, noisy, tries }
    }

    /// How frames arrive where the air is quiet.
    pub fn quiet(&self) -> &Delivery {
        &self.quiet
    }

    /// How frames arrive at a node, against its margin on quiet air.
    pub fn at(&self, node: usize) -> &Delivery {
        self.noisy.get(node).and_then(Option::as_ref).unwrap_or(&self.quiet)
    }

    /// Whether a node hears others at all.
    pub fn hears_others(&self, node: usize) -> bool {
        self.noisy.get(node).is_some_and(Option::is_some)
    }

    /// The chance that a frame sent once over a link arrives, in the worse direction.
    pub fn once(&self, nodes: &[Node], link: &Link) -> f64 {
        self.worse(nodes, link, |curve, margin| curve.success(margin, 1)).0
    }

    /// The chance that a message passes a link with all tries, and how often it is sent on average, in
    /// the worse direction.
    pub fn over(&self, nodes: &[Node], link: &Link) -> (f64, f64) {
        let (success, _) =
            self.worse(nodes, link, |curve, margin| curve.success(margin, self.tries));
        let (_, tries) =
            self.worse(nodes, link, |curve, margin| curve.expected_tries(margin, self.tries));
        (success, tries)
    }

    /// The least and the most of a value in the two directions.
    fn worse(
        &self,
        nodes: &[Node],
        link: &Link,
        value: impl Fn(&Delivery, Db) -> f64,
    ) -> (f64, f64) {
        let at = |from: usize, to: usize| {
            let quiet = link.margin_from(from) + (nodes[to].needs - nodes[to].quiet);
            value(self.at(to), quiet)
        };
        let same = self.noisy.get(link.a).is_none_or(Option::is_none)
            && self.noisy.get(link.b).is_none_or(Option::is_none);
        if same {
            // On quiet air the weaker direction is the worse.
            let one = value(&self.quiet, link.margin());
            return (one, one);
        }
        let (out, back) = (at(link.a, link.b), at(link.b, link.a));
        (out.min(back), out.max(back))
    }
}

/// Whether a system works below 1 GHz.
pub fn is_below_1_ghz(frequency: Megahertz) -> bool {
    frequency.get() < 1000.0
}

fn centre(channel: u8) -> Megahertz {
    Emission::Mesh { channel }.centre()
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
                Emission::Wifi { channel: channel.unwrap_or(6), width_mhz: 20 },
                ACCESS_POINT_BUSY,
            )),
            (s, Some(channel)) if s.rule().is_802_15_4() => {
                Some((Emission::Mesh { channel }, MESH_BUSY))
            }
            _ => None,
        };
        let hubs = site.devices.iter().filter(|d| d.network == other.id);
        let nodes = hubs.filter_map(|d| Node::new(site, d, other, None));
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
    /// The least and the mean chance that a message passes one of them.
    pub delivered: (f64, f64),
    /// The most and the mean times that one is sent.
    pub tries: (f64, f64),
    /// Why it is not better, in a sentence.
    pub reason: String,
}

/// Scores every channel by the best link of each device, the best channel first: fewest links below
/// target, then the fewest repeats, which people notice long before anything is lost, then the best
/// worst margin.
pub fn advise(network: &NetworkAnalysis) -> Vec<ChannelScore> {
    let links = best_links(network);
    let mut scores: Vec<_> =
        IEEE_802_15_4.numbers().map(|channel| score(network, &links, channel)).collect();
    scores.sort_by(|a, b| {
        (a.below.cmp(&b.below))
            .then(hundredths(a.tries.1).total_cmp(&hundredths(b.tries.1)))
            .then(b.worst.total_cmp(&a.worst))
            .then(b.mean.total_cmp(&a.mean))
            .then(a.channel.cmp(&b.channel))
    });
    scores
}

/// Repeats to a hundredth: finer is nobody's to notice.
fn hundredths(tries: f64) -> f64 {
    (tries * 100.0).round()
}

/// A link on a channel, in its worse direction: margin over target, and the node that hears it.
fn spare(link: &Link, now: &[Node], there: &[Node]) -> (Db, usize) {
    let at = |from: usize, to: usize| {
        let level = now[to].needs + link.margin_from(from);
        (level - there[to].needs - link.target, to)
    };
    let (out, back) = (at(link.a, link.b), at(link.b, link.a));
    if out.0 <= back.0 { out } else { back }
}

/// The link by which each device could be carried best with nothing else on the air: the same links
/// whatever channel is in use now.
fn best_links(network: &NetworkAnalysis) -> Vec<&Link> {
    let quiet = |from: usize, to: usize, link: &Link| {
        let node = &network.nodes[to];
        link.margin_from(from) + (node.needs - node.quiet)
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
    let mut there = network.nodes.clone();
    for node in &mut there {
        node.needs = node.quiet;
    }
    let on = Tuned::Channel(channel);
    let arrivals = Arrivals::new(&network.air, &mut there, &network.rule, on, network.sure.sigma);
    let spares: Vec<_> = links.iter().map(|link| spare(link, &network.nodes, &there)).collect();
    let passed: Vec<(f64, f64)> = links
        .iter()
        .map(|link| {
            let moved = |from, to: usize| {
                link.margin_from(from) + (network.nodes[to].needs - there[to].needs)
            };
            let (margin_ab, margin_ba) = (moved(link.a, link.b), moved(link.b, link.a));
            arrivals.over(&there, &Link { margin_ab, margin_ba, ..**link })
        })
        .collect();
    #[expect(clippy::cast_precision_loss, reason = "a count of links")]
    let count = spares.len().max(1) as f64;
    let sum: Db = spares.iter().map(|(spare, _)| *spare).sum();
    let worst = spares.iter().min_by(|a, b| a.0.total_cmp(&b.0));
    let loudest = worst.and_then(|(_, at)| Some((*at, network.air.loudest(*at, channel)?)));
    let reason = match loudest {
        None if network.air.sources.is_empty() => "Nothing else is known on the air.".to_owned(),
        Some((at, source)) if arrivals.hears_others(at) => format!(
            "{} ({}) is loudest at {}.",
            source.name,
            source.carrier.name(),
            network.nodes[at].name
        ),
        _ => "Quieter than the receivers notice.".to_owned(),
    };
    let mean = |of: fn(&(f64, f64)) -> f64| passed.iter().map(of).sum::<f64>() / count;
    ChannelScore {
        channel,
        worst: worst.map_or(Db::ZERO, |(spare, _)| *spare),
        mean: sum * (1.0 / count),
        below: spares.iter().filter(|(spare, _)| *spare < Db::ZERO).count(),
        delivered: (passed.iter().map(|p| p.0).fold(1.0, f64::min), mean(|p| p.0)),
        tries: (passed.iter().map(|p| p.1).fold(1.0, f64::max), mean(|p| p.1)),
        reason,
    }
}
