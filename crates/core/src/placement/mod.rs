//! Where the hub could stand: every candidate analysed in full, the best first, with the reason.

pub mod backhaul;
pub mod cable;
mod heat;

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::analysis::{Analysis, analyse_after};
use crate::geometry::Place;
use crate::network::{Band, NetworkAnalysis};
use crate::pulse::Pulse;
use crate::radio::mounting::Mounting;
use crate::site::{Device, Edit, Floor, Kind, Point, PointId, PointKind, apply};
use crate::units::{Db, Metres};

use backhaul::{Backhaul, Backhauls, Uplink};
use cable::Runs;
pub use heat::hub_heat;

/// A position and what it would give.
#[derive(Clone, Debug, PartialEq)]
pub struct Position {
    /// The point where the hub would stand.
    pub point: PointId,
    /// Its name.
    pub name: String,
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

/// The most candidates that are analysed: those nearest to the middle of the network's devices.
const MOST: usize = 24;

/// Whether a hub that serves several networks from one place keeps to one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Radios {
    /// All its radios stand in one place.
    Together,
    /// This one may stand by itself.
    Alone,
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

    fn edit_to(&self, point: &Point) -> Vec<Edit> {
        let to = |hub: &&Device| Edit::set(Kind::Device, &hub.id, "point", point.id.as_str());
        self.hubs.iter().map(to).collect()
    }
}

/// How many networks a hub keeps from the place where it stands.
pub fn radios_at_hub(analysis: &Analysis, network: &NetworkAnalysis) -> usize {
    Moving::of(analysis, network, Radios::Together).map_or(0, |m| m.networks.len())
}

/// Scores the hub's place as it is, shelves and sockets, and the place beside a router of the house
/// where none of them is; those with something against them last. Nothing where the network has no
/// hub, or where `pulse`, asked before each, breaks it off.
pub fn hub_positions(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    radios: Radios,
    pulse: &mut Pulse<'_>,
) -> Places {
    let Some(moving) = Moving::of(analysis, network, radios) else { return Places::default() };
    let runs = Runs::new(&analysis.site);
    let backhauls = Backhauls::new(analysis, &runs);
    let (candidates, left_out) = candidates(analysis, network, &moving, &backhauls);
    let of = candidates.len();
    let mut positions = Vec::with_capacity(of);
    for (done, candidate) in candidates.into_iter().enumerate() {
        if pulse(done, of).is_break() {
            return Places::default();
        }
        positions.extend(position(analysis, &moving, &backhauls, candidate));
    }
    positions.sort_by(|a, b| {
        let key = |p: &Position| (!p.against.is_empty(), p.score.out, p.score.thin);
        let worst = |p: &Position| p.score.worst.map_or(f64::NEG_INFINITY, Db::get);
        let deepest = |p: &Position| p.score.deepest;
        key(a).cmp(&key(b)).then(worst(b).total_cmp(&worst(a))).then(deepest(a).cmp(&deepest(b)))
    });
    let networks = moving.networks.iter().map(|n| n.name.clone()).collect();
    Places { positions, left_out, networks }
}

fn candidates(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    moving: &Moving<'_>,
    backhauls: &Backhauls,
) -> (Vec<Candidate>, Vec<String>) {
    let (site, now) = (&analysis.site, &moving.hubs[0].point);
    let could = |p: &&Point| matches!(p.kind, PointKind::Shelf | PointKind::Socket) && p.id != *now;
    let placed = |p| Candidate::of(analysis, moving, p);
    let mut others: Vec<_> = site.points.iter().filter(could).filter_map(placed).collect();
    let middle = middle(network);
    others.sort_by(|a, b| a.place.distance(middle).total_cmp(&b.place.distance(middle)));
    let left_out = others.iter().skip(MOST).map(|c| c.point.name.clone()).collect();
    let first = site.points.get(now).and_then(placed);
    let mut candidates: Vec<_> = first.into_iter().chain(others.into_iter().take(MOST)).collect();
    for uplink in &backhauls.uplinks {
        if !candidates.iter().any(|c| uplink.is_beside(c.place)) {
            candidates.extend(Candidate::beside(analysis, moving, uplink));
        }
    }
    (candidates, left_out)
}

fn position(
    analysis: &Analysis,
    moving: &Moving<'_>,
    backhauls: &Backhauls,
    Candidate { point, place, edit }: Candidate,
) -> Option<Position> {
    let mut moved = (*analysis.site).clone();
    apply(&mut moved, &edit).ok()?;
    let there = analyse_after(Some(analysis), &Arc::new(moved), &analysis.options);
    let as_it_is = point.id == moving.hubs[0].point;
    let backhaul = backhauls.at(&point, place);
    let mut against = against(&point);
    against.extend(backhaul.against());
    Some(Position {
        as_it_is,
        beside: backhauls.beside(place).map(|u| u.name.clone()),
        score: score(&there, moving),
        point: point.id,
        name: point.name,
        edit,
        backhaul,
        against,
    })
}

fn middle(network: &NetworkAnalysis) -> Place {
    #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
    let count = network.nodes.len().max(1) as f64;
    let sum = |of: fn(&Place) -> f64| network.nodes.iter().map(|n| of(&n.place)).sum::<f64>();
    Place::new(sum(|p| p.x) / count, sum(|p| p.y) / count, sum(|p| p.z) / count)
}

/// A point where the hub could stand.
struct Candidate {
    point: Point,
    place: Place,
    /// The edit that moves the hub there.
    edit: Edit,
}

impl Candidate {
    fn of(analysis: &Analysis, moving: &Moving<'_>, point: &Point) -> Option<Self> {
        let place = analysis.site.place(&point.floor, point.at, point.height_m)?;
        let edit = Edit::batch(moving.edit_to(point));
        Some(Self { point: point.clone(), place, edit })
    }

    /// A shelf beside a router that has no surveyed point beside it; the edit makes it.
    fn beside(analysis: &Analysis, moving: &Moving<'_>, uplink: &Uplink) -> Option<Self> {
        let (site, hub) = (&analysis.site, moving.hubs[0]);
        let floors = site.floors_upward();
        let at_or_under = |f: &&&Floor| f.elevation_m.get() <= uplink.place.z;
        let floor = floors.iter().rev().find(at_or_under).or(floors.first())?;
        // A point of an earlier move may have the first of these ids and hold more than a hub.
        let ids = std::iter::once(format!("{}-beside-router", hub.id))
            .chain((2..100).map(|n| format!("{}-beside-router-{n}", hub.id)));
        let id: PointId =
            ids.filter_map(|id| id.parse().ok()).find(|id| site.points.get(id).is_none())?;
        let (at, height) = ([uplink.place.x, uplink.place.y], Metres::new(uplink.place.z));
        let height = height - floor.elevation_m;
        let mut point = Point::bare(id, floor.id.clone(), at, height, PointKind::Shelf);
        point.name = format!("Beside {}", uplink.name);
        let put = Edit::put(point.clone());
        let edits = std::iter::once(put).chain(moving.edit_to(&point)).collect();
        let edit = Edit::Batch { edits };
        Some(Self { point, place: uplink.place, edit })
    }
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

/// What speaks against a hub at a point by what stands around it.
fn against(point: &Point) -> Vec<String> {
    let around = match point.mounting {
        Mounting::Open | Mounting::AboveCeilingTile | Mounting::WoodenLampBase => None,
        other => Some(other.row().name.to_owned()),
    };
    let outdoors = (point.kind == PointKind::Outdoor).then(|| "outdoors".to_owned());
    around.into_iter().chain(outdoors).collect()
}

/// Why the winner wins over the position as it is, and among what, in a few sentences.
pub fn reason(places: &Places) -> String {
    let positions = &places.positions;
    let (Some(best), Some(now)) = (positions.first(), positions.iter().find(|p| p.as_it_is)) else {
        return "There is no hub to move.".to_owned();
    };
    let baseline = positions.iter().find(|p| p.beside.is_some() && p.point != best.point);
    let baseline = baseline.filter(|b| !b.as_it_is).map(|b| {
        let worst =
            b.score.worst.map(|w| format!(", the worst {w} over target")).unwrap_or_default();
        let name = b.beside.as_deref().unwrap_or_default();
        format!(" Beside {name}: {} at target{worst}.", b.score.sound)
    });
    let mut more = baseline.unwrap_or_default();
    if !best.backhaul.knows_uplink {
        more.push_str(" No router is on the plan: the way to it was not judged.");
    }
    let among = match positions.len() {
        1 => "the only place analysed".to_owned(),
        n => format!("of {n} places analysed"),
    };
    if best.as_it_is {
        return format!("The hub stands at the best {among}.{more}");
    }
    let gained = match best.score.sound.checked_sub(now.score.sound) {
        Some(0) => "as many devices are at target".to_owned(),
        Some(gained) => format!("{gained} more devices are at target"),
        None => format!("{} fewer devices are at target", now.score.sound - best.score.sound),
    };
    let worst = match (best.score.worst, now.score.worst) {
        (Some(b), Some(n)) => format!(", and the worst margin over target goes from {n} to {b}"),
        _ => String::new(),
    };
    let beside = now.beside.as_ref().map(|b| format!(", beside {b}")).unwrap_or_default();
    let why = match (now.against.is_empty(), beside.is_empty()) {
        (true, true) => String::new(),
        (true, false) => format!("; now it stands{beside}"),
        (false, _) => format!("; now it is: {}{beside}", now.against.join(", ")),
    };
    format!("At {}, the best {among}, {gained}{worst}{why}.{more}", best.name)
}
