//! `analyse`: the one computation that every screen, report and command shows.

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::building::structure::{Doors, Structure};
use crate::confidence::quantile;
use crate::findings::{Finding, findings};
use crate::learned::Learned;
use crate::network::link::Sure;
use crate::network::outcome::{Outcome, Reason};
use crate::network::{Ground, Mesh, NetworkAnalysis, Node};
use crate::propagation::{Medium, Model};
use crate::pulse::StillWanted;
use crate::site::{DeviceId, Site};
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
    /// Breakers that are off: all that they feed is off.
    pub breakers_off: BTreeSet<String>,
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

/// Analyses a site from nothing.
pub fn analyse(site: &Arc<Site>, options: &Options) -> Analysis {
    analyse_after(None, site, options)
}

/// Analyses a site, taking from an earlier analysis what has not changed. The answer is the same
/// as that of [`analyse`]; a test holds it so.
pub fn analyse_after(earlier: Option<&Analysis>, site: &Arc<Site>, options: &Options) -> Analysis {
    let analysis = analyse_while(&|| true, earlier, site, options);
    analysis.unwrap_or_else(|| unreachable!("it is wanted to the end"))
}

/// The same as long as it is `wanted`; nothing once it is not.
pub fn analyse_while(
    wanted: &StillWanted<'_>,
    earlier: Option<&Analysis>,
    site: &Arc<Site>,
    options: &Options,
) -> Option<Analysis> {
    let earlier = earlier.filter(|e| same_building(e, site, options));
    let structure = earlier.map_or_else(
        || Arc::new(Structure::new(site, options.doors)),
        |e| Arc::clone(&e.structure),
    );
    let sigma = site.calibration.as_ref().map_or(PLANNING_SIGMA, |c| c.sigma_db);
    let target = site.job.confidence.target_margin(sigma);
    let sure = Sure { sigma, z: quantile(site.job.confidence.get()), least: Db::ZERO };
    let model = options.model.calibrated(site.calibration.as_ref());
    let learned = site.calibration.as_ref().and_then(Learned::of).map(Arc::new);
    let mut networks: Vec<NetworkAnalysis> = Vec::new();
    for network in &site.networks {
        let frequency = site.job.region.frequency(network.system, None);
        let before = earlier.and_then(|e| {
            e.networks.iter().find(|n| n.network == network.id && n.medium.frequency() == frequency)
        });
        // Networks at one frequency share prices, and with them the legs between jambs.
        let priced = before.or_else(|| networks.iter().find(|n| n.medium.frequency() == frequency));
        let medium = priced.map_or_else(
            || Medium::new(&structure, frequency, model),
            |priced| priced.medium.clone(),
        );
        let medium = match &learned {
            Some(learned) => {
                let more = learned.constructions(&structure, frequency);
                let offset = model.offset + learned.offset(&network.id);
                medium.learned(&more).with(Model { offset, ..model })
            }
            None => medium.with(model),
        };
        let is_off = |n: &Node| {
            options.down.contains(&n.device) || options.breakers_off.contains(&n.circuit)
        };
        let before = before.map(|n| &n.mesh);
        let ground = Ground { medium, learned: learned.clone(), sure };
        let mesh = Mesh::new(site, network, ground, is_off, before, wanted);
        if !wanted() {
            return None;
        }
        networks.push(NetworkAnalysis::new(mesh));
    }
    name_strangers(&mut networks);
    let findings = findings(site, &networks);
    let (site, options) = (Arc::clone(site), options.clone());
    Some(Analysis { site, options, structure, sigma, target, networks, findings })
}

/// About how much work the analysis of a site is: links, each by what stands on the sheet. Ten million
/// are about a second of one core.
pub fn weight(site: &Site) -> u64 {
    let openings: usize = site.walls.iter().map(|w| w.openings.len()).sum();
    let each = 1 + openings + site.walls.len() / 10;
    let pairs = site.networks.iter().map(|network| {
        let members = site.devices.iter().filter(|d| d.network == network.id).count();
        members * members / 2
    });
    (pairs.sum::<usize>() * each) as u64
}

/// Names, for each device that is too far from its own, a forwarding radio of another network
/// nearby: it never helps, and people expect it to.
fn name_strangers(networks: &mut [NetworkAnalysis]) {
    const NEAR_M: f64 = 8.0;
    let carriers: Vec<_> = networks
        .iter()
        .enumerate()
        .flat_map(|(n, network)| {
            let nodes = network.nodes.iter().filter(|node| node.carries_others());
            nodes.map(move |node| (n, node.place, node.name.clone(), network.name.clone()))
        })
        .collect();
    for (n, network) in networks.iter_mut().enumerate() {
        let NetworkAnalysis { mesh, outcomes, .. } = network;
        for (node, outcome) in mesh.nodes.iter().zip(outcomes) {
            let Reason::TooFar { stranger, .. } = &mut outcome.reason else { continue };
            let others = carriers.iter().filter(|(other, ..)| *other != n);
            let nearest = others
                .map(|c| (c.1.distance(node.place), c))
                .filter(|(d, _)| *d < NEAR_M)
                .min_by(|a, b| a.0.total_cmp(&b.0));
            *stranger = nearest.map(|(_, (_, _, name, of))| (name.clone(), of.clone()));
        }
    }
}

fn same_building(earlier: &Analysis, site: &Site, options: &Options) -> bool {
    let old = &earlier.site;
    old.walls == site.walls
        && old.floors == site.floors
        && old.slabs == site.slabs
        && old.constructions == site.constructions
        && old.kinds == site.kinds
        && old.calibration == site.calibration
        && earlier.options.doors == options.doors
        && earlier.options.model == options.model
}

impl Analysis {
    /// About how much memory it takes.
    pub fn bytes(&self) -> usize {
        let building = self.structure.walls.len() * 300;
        building + self.networks.iter().map(|n| n.bytes()).sum::<usize>()
    }

    /// Every device of every network, the worst verdict first.
    pub fn worst_first(&self) -> Vec<(&NetworkAnalysis, usize, &Outcome)> {
        let mut rows: Vec<_> = self
            .networks
            .iter()
            .flat_map(|n| n.outcomes.iter().enumerate().map(move |(place, o)| (n, place, o)))
            .collect();
        rows.sort_by(|(_, _, a), (_, _, b)| a.worst_first(b));
        rows
    }

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
        self.networks.iter().flat_map(|n| n.lost_without(device)).collect()
    }

    /// The breakers that feed devices, in the order of their names.
    pub fn breakers(&self) -> BTreeSet<&str> {
        self.networks.iter().flat_map(|n| n.breakers()).collect()
    }

    /// Devices of every network that a breaker takes down: those that it feeds, and those that are
    /// lost because what carries them, or their hub, is fed by it.
    pub fn lost_with_breaker(&self, breaker: &str) -> Vec<&Outcome> {
        self.networks.iter().flat_map(|n| n.lost_with_breaker(breaker)).collect()
    }
}
