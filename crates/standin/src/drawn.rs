//! Houses drawn by chance around a plan: what they really cost is known, so that what is learned of them can
//! be held against it.

use std::collections::BTreeMap;
use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::building::structure::{Doors, Structure};
use dot_reach_core::network::link::received;
use dot_reach_core::propagation::doorway::Station;
use dot_reach_core::propagation::{Medium, Model};
use dot_reach_core::prove::gains::{AskedLink, GainSurvey};
use dot_reach_core::record::Reading;
use dot_reach_core::simulate::normal;
use dot_reach_core::site::Site;
use dot_reach_core::units::{Db, Dbm, Megahertz};
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};

use crate::story::moment;

/// How a house differs from its plan: means and deviations in decibels.
#[derive(Clone, Debug)]
pub struct Deviations {
    /// By how much each construction costs more, by its id; all others by nought.
    pub heavier: BTreeMap<String, f64>,
    /// Deviation of what each construction costs beside that.
    pub constructions: f64,
    /// Deviation of the exponent.
    pub exponent: f64,
    /// Deviation of what each radio loses.
    pub devices: f64,
    /// Deviation of what each link has of its own.
    pub fades: f64,
    /// How many radios are in metal.
    pub in_metal: usize,
}

impl Deviations {
    /// As the priors say: nothing heavier on the whole, everything by chance.
    pub fn planned() -> Self {
        let heavier = BTreeMap::new();
        Self { heavier, constructions: 3.0, exponent: 0.2, devices: 2.5, fades: 3.0, in_metal: 0 }
    }
}

/// A drawn house.
#[derive(Debug)]
pub struct Drawn {
    /// Names and places of its radios, and what is to be asked.
    pub ends: GainSurvey,
    /// The links of its networks that can be read, each with its true path gain.
    pub links: Vec<(AskedLink, f64)>,
    /// The radios in metal.
    pub in_metal: Vec<usize>,
    random: ChaCha8Rng,
}

/// Weaker links than this cannot be read, in decibels of path loss.
const HEARD: f64 = 112.0;
/// What metal around a radio costs, in decibels.
const METAL: f64 = 15.0;

impl Drawn {
    /// A house around the plan of a site.
    pub fn new(site: &Site, differs: &Deviations, seed: u64) -> Self {
        let mut random = ChaCha8Rng::seed_from_u64(seed);
        let mut by = |deviation: f64| deviation * normal(&mut random);
        let structure = Arc::new(Structure::new(site, Doors::AsDrawn));
        let mut costs = |id: &str| {
            let heavier = differs.heavier.get(id).copied().unwrap_or(0.0);
            Db::new(heavier + by(differs.constructions))
        };
        let more: Vec<Db> = structure.constructions.iter().map(|c| costs(&c.id)).collect();
        let more = Arc::new(more);
        let exponent = Model::default().exponent + by(differs.exponent);
        let analysis = analyse(&Arc::new(site.clone()), &Options::default());
        let mut ends = GainSurvey::default();
        let (mut loses, mut pairs) = (Vec::new(), Vec::new());
        let mut media: Vec<Medium> = Vec::new();
        for network in &analysis.networks {
            let first = ends.ends.len();
            for node in &network.nodes {
                ends.ends.push((node.device.to_string(), node.place));
                loses.push(by(differs.devices));
            }
            let mhz = network.medium.frequency();
            if media.iter().all(|m| m.frequency() != mhz) {
                let model = Model { exponent, ..Model::default() };
                media.push(Medium::new(&structure, mhz, model).learned(&more));
            }
            let all = network.links.all.iter();
            pairs.extend(all.map(|l| AskedLink { from: first + l.a, to: first + l.b, mhz }));
        }
        let in_metal: Vec<usize> =
            (0..differs.in_metal).map(|_| pick(&mut random, ends.ends.len())).collect();
        for end in &in_metal {
            loses[*end] += METAL;
        }
        let mut stations: BTreeMap<(usize, u64), Station> = BTreeMap::new();
        let medium = |mhz: Megahertz| media.iter().find(|m| m.frequency() == mhz);
        let mut links = Vec::new();
        for asked in pairs {
            let Some(medium) = medium(asked.mhz) else { continue };
            let tuned = asked.mhz.get().to_bits();
            for end in [asked.from, asked.to] {
                let station = || medium.station(ends.ends[end].1);
                stations.entry((end, tuned)).or_insert_with(station);
            }
            let (a, b) = (&stations[&(asked.from, tuned)], &stations[&(asked.to, tuned)]);
            let around = loses[asked.from] + loses[asked.to];
            let fade = differs.fades * normal(&mut random);
            let gain = -medium.loss_between(a, b).get() - around - fade;
            if gain > -HEARD {
                links.push((asked, gain));
            }
        }
        Self { ends, links, in_metal, random }
    }

    /// So many links to be read, none twice, and the rest.
    #[expect(clippy::type_complexity, reason = "two lists of one kind")]
    pub fn some(&mut self, count: usize) -> (Vec<(AskedLink, f64)>, Vec<(AskedLink, f64)>) {
        let mut left = self.links.clone();
        let mut read = Vec::new();
        while read.len() < count && !left.is_empty() {
            let next = pick(&mut self.random, left.len());
            read.push(left.swap_remove(next));
        }
        (read, left)
    }

    /// Some of the readings gone wrong, by 18 to 30 dB either way; their places.
    pub fn spoil(&mut self, read: &mut [(AskedLink, f64)], count: usize) -> Vec<usize> {
        let mut spoiled: Vec<usize> = Vec::new();
        while spoiled.len() < count.min(read.len()) {
            let at = pick(&mut self.random, read.len());
            if spoiled.contains(&at) {
                continue;
            }
            let by = 18.0 + 12.0 * f64::from(self.random.next_u32()) / f64::from(u32::MAX);
            let up = self.random.next_u32().is_multiple_of(2);
            read[at].1 += if up { by } else { -by };
            spoiled.push(at);
        }
        spoiled.sort_unstable();
        spoiled
    }
}

/// The levels that a drawn house would give at the devices of a plan.
pub fn as_readings(site: &Site, house: &Drawn, links: &[(AskedLink, f64)]) -> Vec<Reading> {
    let plan = analyse(&Arc::new(site.clone()), &Options::default());
    let mut readings = Vec::new();
    for (n, (asked, gain)) in links.iter().enumerate() {
        let end = |e: usize| plan.site.devices.named(&house.ends.ends[e].0).map(|d| d.id.clone());
        let (Some(from), Some(to)) = (end(asked.from), end(asked.to)) else { continue };
        let Some((network, a)) = plan.find(&from) else { continue };
        let Some(b) = network.place_of(&to) else { continue };
        let (one, other) = (&network.nodes[a], &network.nodes[b]);
        let level = received(one, other, Db::new(-gain)).get().round().clamp(-139.0, 19.0);
        let Ok(id) = format!("d{n:03}").parse() else { continue };
        readings.push(Reading {
            id,
            from,
            to,
            rssi_dbm: Some(Dbm::new(level)),
            margin_db: None,
            lqi: None,
            test_radios_dbm: None,
            firmware: String::new(),
            superseded: String::new(),
            at: moment(&format!("2026-04-02T{:02}:{:02}:00Z", 9 + n / 20, n % 20 * 3)),
            source: "hub's neighbour table".to_owned(),
        });
    }
    readings
}

fn pick(random: &mut ChaCha8Rng, count: usize) -> usize {
    random.next_u32() as usize % count.max(1)
}
