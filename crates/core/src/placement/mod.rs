//! Where the hub could stand: every candidate analysed in full, the best first, with the reason; and, in
//! `advice`, hub and repeaters together, the least that is enough.

pub mod advice;
mod alternatives;
pub mod backhaul;
mod bound;
pub mod cable;
mod candidates;
pub mod explain;
mod heat;
mod house;
mod mend;
pub mod offers;
pub mod problem;
pub mod ranking;
mod relaxed;
mod routes;
pub mod search;
mod served;
mod tree;

use std::cmp::Ordering;

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::analysis::{Analysis, analyse_after};
use crate::catalogue::BackhaulBy;
use crate::network::{Band, NetworkAnalysis};
use crate::pulse::Pulse;
use crate::site::{Device, Edit, FloorId, Kind, Point, PointId, Site, Spot, apply};
use crate::units::Db;

use backhaul::{Backhaul, Backhauls};
use cable::Runs;
use candidates::{HubCandidate, candidates};
pub use candidates::{against, place_name};
pub use heat::hub_heat;

/// A position and what it would give.
#[derive(Clone, Debug, PartialEq)]
pub struct Position {
    /// The point where the hub would stand.
    pub point: PointId,
    /// Its name.
    pub name: String,
    /// Its storey.
    pub floor: FloorId,
    /// Where it is on the sheet.
    pub at: Spot,
    /// Whether the hub stands there now.
    pub as_it_is: bool,
    /// The router or access point that it is beside, if any.
    pub beside: Option<String>,
    /// The edit that moves the hub there.
    pub edit: Edit,
    /// What it would give.
    pub score: Score,
    /// How the hub would be fed and joined.
    pub backhaul: Backhaul,
    /// What speaks against it, in half sentences.
    pub against: Vec<String>,
}

/// What a position would give.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Score {
    /// Devices at target.
    pub sound: usize,
    /// Devices below target.
    pub thin: usize,
    /// Devices not reached.
    pub out: usize,
    /// The least margin over target among the reached; nothing when none is.
    pub worst: Option<Db>,
    /// The deepest route in hops.
    pub deepest: usize,
    /// How many radios forward for others on the routes.
    pub repeaters: usize,
}

impl Score {
    /// The one that reaches more comes first, then the one with more to spare where it has least, then the shallower.
    fn cmp_reach(&self, other: &Self) -> Ordering {
        let below = |s: &Self| (s.out, s.thin);
        let worst = |s: &Self| s.worst.map_or(f64::NEG_INFINITY, Db::get);
        let by_margin = worst(other).total_cmp(&worst(self));
        below(self).cmp(&below(other)).then(by_margin).then(self.deepest.cmp(&other.deepest))
    }
}

/// Whether a hub that serves several networks from one place keeps to one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Radios {
    /// All its radios stand in one place.
    Together,
    /// This one may stand by itself.
    Alone,
}

/// What is looked for.
#[derive(Clone, Debug, PartialEq)]
pub struct HubSearch {
    /// Which radios move.
    pub radios: Radios,
    /// Places that a person marked, beside those of the survey.
    pub spots: Vec<(FloorId, Spot)>,
}

impl From<Radios> for HubSearch {
    fn from(radios: Radios) -> Self {
        Self { radios, spots: Vec::new() }
    }
}

/// Places for a hub, the best first.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Places {
    /// Those that were analysed.
    pub positions: Vec<Position>,
    /// Shelves and sockets that were not, as they lie farther from the middle of the devices, by name.
    pub left_out: Vec<String>,
    /// The networks that each is scored for, by name.
    pub networks: Vec<String>,
}

/// What stands at one place and moves together: hubs, and the networks that they keep.
struct Moving<'a> {
    hubs: Vec<&'a Device>,
    networks: Vec<&'a NetworkAnalysis>,
}

impl<'a> Moving<'a> {
    /// The hub of a network, and on wish those of others at its point.
    fn of(analysis: &'a Analysis, network: &'a NetworkAnalysis, radios: Radios) -> Option<Self> {
        let site = &analysis.site;
        let hub_of = |n: &NetworkAnalysis| {
            let first = n.hubs.first().filter(|h| n.is_hub(**h))?;
            site.devices.get(&n.nodes[*first].device)
        };
        let hub = hub_of(network)?;
        let mut moving = Self { hubs: vec![hub], networks: vec![network] };
        if radios == Radios::Together {
            for other in analysis.networks.iter().filter(|n| n.network != network.network) {
                if let Some(also) = hub_of(other).filter(|h| h.point == hub.point) {
                    moving.hubs.push(also);
                    moving.networks.push(other);
                }
            }
        }
        Some(moving)
    }

    /// How the hub is joined to the router, by its maker.
    fn backhaul(&self, site: &Site) -> Option<BackhaulBy> {
        site.kind(&self.hubs[0].kind)?.backhaul
    }

    /// Where they stand.
    fn point<'s>(&self, site: &'s Site) -> Option<&'s Point> {
        site.points.get(&self.hubs[0].point)
    }

    fn edit_to(&self, point: &Point) -> Vec<Edit> {
        let to = |hub: &&Device| Edit::set(Kind::Device, &hub.id, "point", point.id.as_str());
        self.hubs.iter().map(to).collect()
    }
}

/// How many networks a hub keeps from the place where it stands.
pub fn radios_at_hub(analysis: &Analysis, network: &NetworkAnalysis) -> usize {
    Moving::of(analysis, network, Radios::Together).map_or(0, |m| m.networks.len())
}

/// Scores the hub's place as it is and in the open, shelves and sockets, what a person marked, and the
/// place beside a router of the house where none of them is; those with something against them last. Nothing where the network has no
/// hub, or where `pulse`, asked before each, breaks it off.
pub fn hub_positions(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    search: &HubSearch,
    pulse: &mut Pulse<'_>,
) -> Places {
    let Some(moving) = Moving::of(analysis, network, search.radios) else {
        return Places::default();
    };
    let runs = Runs::new(&analysis.site);
    let backhauls = Backhauls::new(analysis, moving.backhaul(&analysis.site), &runs);
    let (candidates, left_out) = candidates(analysis, network, &moving, &backhauls, &search.spots);
    let of = candidates.len();
    let mut positions = Vec::with_capacity(of);
    for (done, candidate) in candidates.into_iter().enumerate() {
        if pulse(done, of).is_break() {
            return Places::default();
        }
        positions.extend(position(analysis, &moving, &backhauls, candidate));
    }
    positions.sort_by(|a, b| {
        let speaks_against = |p: &Position| !p.against.is_empty();
        speaks_against(a).cmp(&speaks_against(b)).then_with(|| a.score.cmp_reach(&b.score))
    });
    let networks = moving.networks.iter().map(|n| n.name.clone()).collect();
    Places { positions, left_out, networks }
}

fn position(
    analysis: &Analysis,
    moving: &Moving<'_>,
    backhauls: &Backhauls,
    HubCandidate { point, name, place, edit }: HubCandidate,
) -> Option<Position> {
    let mut moved = (*analysis.site).clone();
    apply(&mut moved, &edit).ok()?;
    let there = analyse_after(Some(analysis), &Arc::new(moved), &analysis.options);
    let now = moving.point(&analysis.site);
    let as_it_is = now.is_some_and(|now| *now == point);
    let backhaul = backhauls.at(&point, place);
    let mut against = against(&point);
    against.extend(backhaul.against());
    Some(Position {
        as_it_is,
        beside: backhauls.beside(place).map(|u| u.name.clone()),
        score: score(&there, moving),
        floor: point.floor,
        at: point.at,
        point: point.id,
        name,
        edit,
        backhaul,
        against,
    })
}

fn score(there: &Analysis, moving: &Moving<'_>) -> Score {
    let mut score = Score::default();
    let is_moved = |n: &&NetworkAnalysis| moving.networks.iter().any(|m| m.network == n.network);
    for network in there.networks.iter().filter(is_moved) {
        let mut repeaters = BTreeSet::new();
        for (place, outcome) in network.outcomes.iter().enumerate() {
            if network.hubs.contains(&place) {
                continue;
            }
            match outcome.band {
                Band::Sound | Band::Solid => score.sound += 1,
                Band::Thin => score.thin += 1,
                Band::Out => score.out += 1,
            }
            let spare = outcome.weakest().map(|h| h.margin() - h.target);
            score.worst = [score.worst, spare].into_iter().flatten().min_by(Db::total_cmp);
            score.deepest = score.deepest.max(outcome.hops.len());
            repeaters.extend(outcome.hops.iter().skip(1).map(|h| &h.from));
        }
        score.repeaters += repeaters.len();
    }
    score
}
