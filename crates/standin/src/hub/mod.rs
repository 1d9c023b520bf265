//! A hub that is not there: it answers as the hubs of a house would, by what that house is really like. It
//! speaks the open contract of `docs/COLLECTOR.md` ([`serve`]); time is handed in, so that tests make their own.

mod serve;

use std::collections::BTreeMap;
use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::confidence::normal_cdf;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::cards;
use dot_reach_core::network::link::received;
use dot_reach_core::network::{NetworkAnalysis, Role};
use dot_reach_core::simulate::normal;
use dot_reach_core::site::{DeviceId, NetworkId, Site};
use dot_reach_core::units::Db;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};
use serde::{Deserialize, Serialize};

use crate::truth::{Truth, as_it_is};

pub use serve::serve;

/// What goes wrong on request.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Trouble {
    /// Its interview takes five times as long.
    SlowInterview,
    /// An entry that belongs to no device stands in the list, of the old one that was never excluded.
    Ghost,
    /// It takes the worst parent that it hears.
    WrongParent,
    /// It joins, and answers nothing afterwards.
    Dead,
    /// Its button is painted in: no press arrives.
    Painted,
}

/// Something that happened.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct HubEvent {
    /// Counts up in its network.
    pub seq: u64,
    /// When, in seconds since the hub was started.
    pub at_s: f64,
    /// `opened`, `closed`, `joined`, `interview`, `ready`, `refused`, `left`, `press`, `identified`.
    pub kind: &'static str,
    /// The number of the node.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub node: Option<u32>,
    /// The number of its parent; nought is the hub.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub parent: Option<u32>,
    /// The level at which it is heard there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rssi_dbm: Option<f64>,
    /// How good that is, 0 to 255.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lqi: Option<u32>,
    /// How far an interview is, from nought to one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub progress: Option<f64>,
    /// How often it was pressed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub count: Option<u32>,
}

/// A node of the hub's list.
#[derive(Clone, Debug)]
struct Joined {
    /// The device; none for a ghost.
    device: Option<DeviceId>,
    parent: u32,
    at_s: f64,
    interview_s: f64,
    told: u32,
    ready: bool,
    presses: u32,
}

#[derive(Debug)]
struct Net {
    open_until: f64,
    excludes_until: f64,
    nodes: BTreeMap<u32, Joined>,
    next: u32,
    events: Vec<HubEvent>,
}

/// A row of a neighbour table.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Neighbour {
    /// The node.
    pub node: u32,
    /// What it hears; nought is the hub.
    pub neighbour: u32,
    /// At which level.
    pub rssi_dbm: f64,
    /// How good that is.
    pub lqi: u32,
    /// Whether it is its parent.
    pub is_parent: bool,
}

/// An answer to pings.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Pinged {
    /// How many were sent.
    pub sent: u32,
    /// How many were answered.
    pub answered: u32,
    /// How long each of those took, in milliseconds.
    pub delays_ms: Vec<f64>,
}

/// The hubs of a house, by its hidden truth.
#[derive(Debug)]
pub struct Hubs {
    real: Analysis,
    nets: BTreeMap<NetworkId, Net>,
    troubles: BTreeMap<DeviceId, Trouble>,
    noise: ChaCha8Rng,
    /// How many times as fast as in truth interviews go.
    speed: f64,
}

impl Hubs {
    /// The hubs of a job whose house differs from its plan by `truth`.
    pub fn new(site: &Site, truth: &Truth, speed: f64) -> Self {
        let real = analyse(&Arc::new(as_it_is(site, truth)), &Options::default());
        let net = |n: &NetworkAnalysis| {
            let nodes = BTreeMap::new();
            let net =
                Net { open_until: 0.0, excludes_until: 0.0, nodes, next: 2, events: Vec::new() };
            (n.network.clone(), net)
        };
        let nets = real.networks.iter().map(net).collect();
        let noise = ChaCha8Rng::seed_from_u64(truth.seed ^ 0x48_55_42);
        Self { real, nets, troubles: BTreeMap::new(), noise, speed: speed.max(0.01) }
    }

    /// The networks: id, name, system, whether it stands open.
    pub fn networks(&self, now: f64) -> Vec<(String, String, String, bool)> {
        let site = &self.real.site;
        let all = site.networks.iter().filter_map(|n| {
            let net = self.nets.get(&n.id)?;
            let system = n.rule().name.to_owned();
            Some((n.id.to_string(), n.name.clone(), system, net.open_until > now))
        });
        all.collect()
    }

    /// Opens a network for some seconds.
    pub fn open(&mut self, network: &NetworkId, seconds: f64, now: f64) -> Option<()> {
        let net = self.nets.get_mut(network)?;
        net.open_until = now + seconds.clamp(1.0, 900.0);
        net.tell(now, "opened");
        Some(())
    }

    /// Closes it.
    pub fn close(&mut self, network: &NetworkId, now: f64) -> Option<()> {
        let net = self.nets.get_mut(network)?;
        net.open_until = now;
        net.tell(now, "closed");
        Some(())
    }

    /// Takes out what does its gesture within some seconds.
    pub fn exclude(&mut self, network: &NetworkId, seconds: f64, now: f64) -> Option<()> {
        self.nets.get_mut(network)?.excludes_until = now + seconds.clamp(1.0, 900.0);
        Some(())
    }

    /// Sets a trouble, or takes it away.
    pub fn trouble(&mut self, device: &DeviceId, trouble: Option<Trouble>, now: f64) -> Option<()> {
        let (_, network) = self.of(device)?;
        match trouble {
            Some(trouble) => self.troubles.insert(device.clone(), trouble),
            None => self.troubles.remove(device),
        };
        if trouble == Some(Trouble::Ghost) {
            let net = self.nets.get_mut(&network)?;
            let number = net.take_number();
            let ghost = Joined {
                device: None,
                parent: 0,
                at_s: now,
                interview_s: 0.0,
                told: 4,
                ready: true,
                presses: 0,
            };
            net.nodes.insert(number, ghost);
        }
        Some(())
    }

    /// The place of a device in the analysis of its network, and that network.
    fn of(&self, device: &DeviceId) -> Option<(usize, NetworkId)> {
        self.real.networks.iter().find_map(|n| Some((n.place_of(device)?, n.network.clone())))
    }

    fn number_of(&self, network: &NetworkId, device: &DeviceId) -> Option<u32> {
        let net = self.nets.get(network)?;
        net.nodes.iter().find(|(_, j)| j.device.as_ref() == Some(device)).map(|(n, _)| *n)
    }

    /// Somebody does the joining gesture at a device.
    pub fn gesture(&mut self, device: &DeviceId, now: f64) -> Option<&'static str> {
        let (place, network) = self.of(device)?;
        let known = self.number_of(&network, device);
        let deletes_too = {
            let site = &self.real.site;
            let row = site.devices.get(device).and_then(|d| site.kind(&d.kind));
            row.is_some_and(|k| k.join.deletes_too)
        };
        let net = self.nets.get_mut(&network)?;
        if let Some(number) = known {
            if net.excludes_until > now || deletes_too {
                net.nodes.remove(&number);
                let seq = net.tell(now, "left");
                net.events[seq].node = Some(number);
                return Some("left");
            }
            return Some("is in already");
        }
        if net.open_until <= now {
            return Some("the network is not open");
        }
        let Some((parent, margin)) =
            self.parent(&network, place, self.troubles.get(device).copied())
        else {
            self.nets.get_mut(&network)?.tell(now, "refused");
            return Some("nobody hears it well enough");
        };
        let level = self.level(&network, place, parent);
        let slow = self.troubles.get(device) == Some(&Trouble::SlowInterview);
        let site = &self.real.site;
        let interview = WorkedDevice::of(site, device)
            .and_then(|s| cards::card(&s))
            .map_or(30.0, |c| c.interview_s);
        let interview_s = interview * if slow { 5.0 } else { 1.0 } / self.speed;
        let net = self.nets.get_mut(&network)?;
        let number = net.take_number();
        let joined = Joined {
            device: Some(device.clone()),
            parent,
            at_s: now,
            interview_s,
            told: 0,
            ready: false,
            presses: 0,
        };
        net.nodes.insert(number, joined);
        let seq = net.tell(now, "joined");
        let event = &mut net.events[seq];
        event.node = Some(number);
        event.parent = Some(parent);
        event.rssi_dbm = level;
        event.lqi = Some(quality(margin));
        Some("joined")
    }

    /// The parent that a device takes of those that are in: the best, or with that trouble the worst.
    fn parent(
        &self,
        network: &NetworkId,
        place: usize,
        trouble: Option<Trouble>,
    ) -> Option<(u32, Db)> {
        let of = self.real.networks.iter().find(|n| n.network == *network)?;
        let net = self.nets.get(network)?;
        let in_list = net.nodes.iter().filter_map(|(number, joined)| {
            let place = of.place_of(joined.device.as_ref()?)?;
            (of.nodes[place].role.role == Role::Forwards).then_some((*number, place))
        });
        let hubs = of.hubs.iter().map(|hub| (0, *hub));
        let heard = hubs.chain(in_list).filter_map(|(number, other)| {
            let link = of.link(place, other);
            (link.margin() >= Db::ZERO).then(|| (number, link.margin()))
        });
        let by_margin = |a: &(u32, Db), b: &(u32, Db)| a.1.total_cmp(&b.1).then(b.0.cmp(&a.0));
        match trouble {
            Some(Trouble::WrongParent) => heard.min_by(by_margin),
            _ => heard.max_by(by_margin),
        }
    }

    /// The place of a number in the analysis; nought is the hub.
    fn place(&self, network: &NetworkId, number: u32) -> Option<usize> {
        let of = self.real.networks.iter().find(|n| n.network == *network)?;
        if number == 0 {
            return of.hubs.first().copied();
        }
        of.place_of(self.nets.get(network)?.nodes.get(&number)?.device.as_ref()?)
    }

    /// At which level a parent hears a device, with the scatter of a reading.
    fn level(&mut self, network: &NetworkId, place: usize, parent: u32) -> Option<f64> {
        let parent = self.place(network, parent)?;
        let of = self.real.networks.iter().find(|n| n.network == *network)?;
        let link = of.link(place, parent);
        let level = received(&of.nodes[place], &of.nodes[parent], link.path_loss).get();
        Some((level + 1.5 * normal(&mut self.noise)).round())
    }

    /// Somebody presses a device.
    pub fn press(&mut self, device: &DeviceId, now: f64) -> Option<bool> {
        let (_, network) = self.of(device)?;
        let stuck = matches!(self.troubles.get(device), Some(Trouble::Painted | Trouble::Dead));
        let number = self.number_of(&network, device)?;
        if stuck {
            return Some(false);
        }
        let net = self.nets.get_mut(&network)?;
        let joined = net.nodes.get_mut(&number)?;
        joined.presses += 1;
        let count = joined.presses;
        let seq = net.tell(now, "press");
        (net.events[seq].node, net.events[seq].count) = (Some(number), Some(count));
        Some(true)
    }

    /// What happened after a number, up to now.
    pub fn events(&mut self, network: &NetworkId, after: u64, now: f64) -> Option<Vec<HubEvent>> {
        let net = self.nets.get_mut(network)?;
        if net.open_until > 0.0 && net.open_until <= now {
            net.open_until = 0.0;
            if net.events.last().is_none_or(|e| e.kind != "closed") {
                net.tell(now, "closed");
            }
        }
        let mut told = Vec::new();
        for (number, joined) in &mut net.nodes {
            let progress = ((now - joined.at_s) / joined.interview_s.max(1e-9)).clamp(0.0, 1.0);
            #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "quarters")]
            let quarters = (progress * 4.0) as u32;
            if quarters > joined.told && !joined.ready {
                joined.told = quarters;
                joined.ready = quarters >= 4;
                told.push((*number, f64::from(quarters) / 4.0));
            }
        }
        for (number, progress) in told {
            let kind = if progress >= 1.0 { "ready" } else { "interview" };
            let seq = net.tell(now, kind);
            net.events[seq].node = Some(number);
            net.events[seq].progress = Some(progress);
        }
        Some(net.events.iter().filter(|e| e.seq > after).cloned().collect())
    }

    /// Makes a node show itself.
    pub fn identify(&mut self, network: &NetworkId, number: u32, now: f64) -> Option<bool> {
        let device = self.nets.get(network)?.nodes.get(&number)?.device.clone();
        let dead = device.as_ref().is_none_or(|d| self.troubles.get(d) == Some(&Trouble::Dead));
        let net = self.nets.get_mut(network)?;
        if !dead {
            let seq = net.tell(now, "identified");
            net.events[seq].node = Some(number);
        }
        Some(!dead)
    }

    /// Sends so many pings along the parents.
    pub fn ping(&mut self, network: &NetworkId, number: u32, count: u32) -> Option<Pinged> {
        let sent = count.clamp(1, 100);
        let net = self.nets.get(network)?;
        let device = net.nodes.get(&number)?.device.clone();
        let dead = device.is_none_or(|d| self.troubles.get(&d) == Some(&Trouble::Dead));
        let mut hops = Vec::new();
        let mut at = number;
        while at != 0 && hops.len() < 16 {
            let parent = net.nodes.get(&at)?.parent;
            hops.push((at, parent));
            at = parent;
        }
        let of = self.real.networks.iter().find(|n| n.network == *network)?;
        let margins: Vec<Db> = hops
            .iter()
            .filter_map(|(from, to)| {
                let (from, to) = (self.place(network, *from)?, self.place(network, *to)?);
                Some(of.link(from, to).margin())
            })
            .collect();
        let (mut answered, mut delays_ms) = (0, Vec::new());
        for _ in 0..sent {
            // Fading of some decibels decides each hop each time, there and back.
            let mut passes = |margin: &Db| {
                let chance = normal_cdf((margin.get() + 3.0) / 3.0);
                let draw = f64::from(self.noise.next_u32()) / f64::from(u32::MAX);
                draw < chance
            };
            let through = margins.len() == hops.len() && margins.iter().all(&mut passes);
            if through && !dead {
                answered += 1;
                #[expect(clippy::cast_precision_loss, reason = "a few hops")]
                delays_ms.push(12.0 * hops.len() as f64);
            }
        }
        Some(Pinged { sent, answered, delays_ms })
    }

    /// How often a node was pressed.
    pub fn presses(&self, network: &NetworkId, number: u32) -> Option<u32> {
        Some(self.nets.get(network)?.nodes.get(&number)?.presses)
    }

    /// Who hears whom.
    pub fn neighbours(&mut self, network: &NetworkId) -> Option<Vec<Neighbour>> {
        let numbers: Vec<(u32, u32)> =
            self.nets.get(network)?.nodes.iter().map(|(n, j)| (*n, j.parent)).collect();
        let mut all = Vec::new();
        for (number, parent) in &numbers {
            let others = std::iter::once(0).chain(numbers.iter().map(|(n, _)| *n));
            for other in others.filter(|o| o != number) {
                let Some((a, b)) = self.place(network, *number).zip(self.place(network, other))
                else {
                    continue;
                };
                let of = self.real.networks.iter().find(|n| n.network == *network)?;
                let link = of.link(a, b);
                if link.margin() < Db::ZERO {
                    continue;
                }
                let (lqi, is_parent) = (quality(link.margin()), other == *parent);
                let Some(rssi_dbm) = self.level(network, a, other) else { continue };
                all.push(Neighbour { node: *number, neighbour: other, rssi_dbm, lqi, is_parent });
            }
        }
        Some(all)
    }

    /// The way to each node: through which others.
    pub fn routes(&self, network: &NetworkId) -> Option<Vec<(u32, Vec<u32>)>> {
        let net = self.nets.get(network)?;
        let way = |number: &u32| {
            let mut via = Vec::new();
            let mut at = net.nodes.get(number).map_or(0, |j| j.parent);
            while at != 0 && via.len() < 16 {
                via.push(at);
                at = net.nodes.get(&at).map_or(0, |j| j.parent);
            }
            via.reverse();
            (*number, via)
        };
        Some(net.nodes.keys().map(way).collect())
    }

    /// The hub finds its ways anew: every node takes the best parent that is in and does not hang on it.
    pub fn rebuild(&mut self, network: &NetworkId) -> Option<()> {
        let numbers: Vec<u32> = self.nets.get(network)?.nodes.keys().copied().collect();
        for number in numbers {
            let Some(place) = self.place(network, number) else { continue };
            let Some((parent, _)) = self.parent(network, place, None) else { continue };
            let hangs_on = |mut at: u32| {
                for _ in 0..16 {
                    if at == number {
                        return true;
                    }
                    at = self.nets[network].nodes.get(&at).map_or(0, |j| j.parent);
                }
                false
            };
            if !hangs_on(parent) {
                self.nets.get_mut(network)?.nodes.get_mut(&number)?.parent = parent;
            }
        }
        Some(())
    }

    /// Takes an entry that answers nothing out of the list.
    pub fn remove(&mut self, network: &NetworkId, number: u32, now: f64) -> Option<()> {
        let net = self.nets.get_mut(network)?;
        net.nodes.remove(&number)?;
        let seq = net.tell(now, "left");
        net.events[seq].node = Some(number);
        Some(())
    }

    /// The list of nodes: number, parent, whether it is ready.
    pub fn nodes(&self, network: &NetworkId) -> Option<Vec<(u32, u32, bool)>> {
        let net = self.nets.get(network)?;
        Some(net.nodes.iter().map(|(n, j)| (*n, j.parent, j.ready)).collect())
    }
}

impl Net {
    fn take_number(&mut self) -> u32 {
        self.next += 1;
        self.next - 1
    }

    /// Adds an event; gives its place.
    fn tell(&mut self, now: f64, kind: &'static str) -> usize {
        let seq = self.events.len() as u64 + 1;
        self.events.push(HubEvent {
            seq,
            at_s: now,
            kind,
            node: None,
            parent: None,
            rssi_dbm: None,
            lqi: None,
            progress: None,
            count: None,
        });
        self.events.len() - 1
    }
}

/// A margin as link quality: nought at none, 255 from 30 dB on.
fn quality(margin: Db) -> u32 {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "0 to 255")]
    let lqi = (margin.get() * 8.5).clamp(0.0, 255.0) as u32;
    lqi
}
