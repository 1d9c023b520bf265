//! Where the hub could stand: every candidate analysed in full, the best first, with the reason.

use std::sync::Arc;

use crate::analysis::{Analysis, NetworkAnalysis, Options, analyse_after};
use crate::coverage::Grid;
use crate::geometry::Place;
use crate::network::Band;
use crate::radio::mounting::Mounting;
use crate::site::{Edit, FloorId, NetworkId, PointId, PointKind, Site, apply};
use crate::units::{Db, Metres};

/// A position and what it would give.
#[derive(Clone, Debug, PartialEq)]
pub struct Position {
    /// The surveyed point where the hub would stand.
    pub point: PointId,
    /// Its name.
    pub name: String,
    /// Whether the hub stands there now.
    pub as_it_is: bool,
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
    /// What speaks against it, if anything.
    pub against: Option<String>,
}

/// The most candidates that are analysed.
const MOST: usize = 24;

/// Scores the hub's place as it is, and every shelf and socket; those with something against them
/// last. Nothing where the network has no hub.
pub fn hub_positions(analysis: &Analysis, network: &NetworkAnalysis) -> Vec<Position> {
    let site = &analysis.site;
    let Some(hub) = network.hubs.first().map(|h| &network.nodes[*h].device) else {
        return Vec::new();
    };
    let Some(now) = site.devices.get(hub).map(|d| d.point.clone()) else { return Vec::new() };
    let could = |kind: PointKind| matches!(kind, PointKind::Shelf | PointKind::Socket);
    let candidates = site.points.iter().filter(|p| p.id == now || could(p.kind)).take(MOST);
    let mut positions: Vec<_> = candidates
        .filter_map(|point| {
            let moved = moved_hub(site, hub, &point.id)?;
            let options =
                Options { down: analysis.options.down.clone(), ..analysis.options.clone() };
            let there = analyse_after(Some(analysis), &Arc::new(moved), &options);
            Some(position(&there, &network.network, point, point.id == now))
        })
        .collect();
    positions.sort_by(|a, b| {
        let key = |p: &Position| (p.against.is_some() && !p.as_it_is, p.out, p.thin);
        let worst = |p: &Position| p.worst.map_or(f64::NEG_INFINITY, Db::get);
        key(a).cmp(&key(b)).then(worst(b).total_cmp(&worst(a))).then(a.deepest.cmp(&b.deepest))
    });
    positions
}

fn moved_hub(site: &Site, hub: &crate::site::DeviceId, to: &PointId) -> Option<Site> {
    let mut device = site.devices.get(hub)?.clone();
    device.point = to.clone();
    let mut moved = site.clone();
    apply(&mut moved, &Edit::PutDevice { device }).ok()?;
    Some(moved)
}

fn position(
    there: &Analysis,
    network: &NetworkId,
    point: &crate::site::Point,
    as_it_is: bool,
) -> Position {
    let found = there.networks.iter().find(|n| n.network == *network);
    let outcomes = || {
        found.into_iter().flat_map(|n| {
            n.outcomes.iter().enumerate().filter(|(p, _)| !n.hubs.contains(p)).map(|(_, o)| o)
        })
    };
    let count = |wanted: &[Band]| outcomes().filter(|o| wanted.contains(&o.band)).count();
    let spare = outcomes().filter_map(|o| o.weakest()).map(|h| h.margin() - h.target);
    Position {
        point: point.id.clone(),
        name: point.name.clone(),
        as_it_is,
        sound: count(&[Band::Sound, Band::Solid]),
        thin: count(&[Band::Thin]),
        out: count(&[Band::Out]),
        worst: spare.min_by(Db::total_cmp),
        deepest: outcomes().map(|o| o.hops.len()).max().unwrap_or(0),
        against: against(point),
    }
}

/// What speaks against a hub at a point.
fn against(point: &crate::site::Point) -> Option<String> {
    match point.mounting {
        Mounting::Open | Mounting::AboveCeilingTile | Mounting::WoodenLampBase => {}
        other => return Some(other.row().name.to_owned()),
    }
    (point.kind == PointKind::Outdoor).then(|| "outdoors".to_owned())
}

/// Why the winner wins over the position as it is, in a sentence.
pub fn reason(positions: &[Position]) -> String {
    let (Some(best), Some(now)) = (positions.first(), positions.iter().find(|p| p.as_it_is)) else {
        return "There is no hub to move.".to_owned();
    };
    if best.as_it_is {
        return "The hub stands at the best of the surveyed places.".to_owned();
    }
    let gained = best.sound.saturating_sub(now.sound);
    let worst = match (best.worst, now.worst) {
        (Some(b), Some(n)) => format!(", and the worst margin over target goes from {n} to {b}"),
        _ => String::new(),
    };
    let why = now.against.as_ref().map(|a| format!("; now it is: {a}")).unwrap_or_default();
    format!("At {} {gained} more devices are at target{worst}{why}.", best.name)
}

/// How many devices a hub at each cell of a storey would hear at target without any repeater, row
/// by row: where on the floor to look for a place.
pub fn hub_heat(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    floor: &FloorId,
    height: Metres,
    cell: Metres,
) -> Option<(Grid, Vec<f64>)> {
    let grid = Grid::over(analysis, floor, cell)?;
    let z = (analysis.site.floors.get(floor)?.elevation_m + height).get();
    let hub = network.nodes.get(*network.hubs.first()?)?;
    // The hub of the plan in the open: what stands around it now stays behind.
    let mut free = hub.clone();
    free.mounting = Vec::new();
    let medium = &network.medium;
    let gain = medium.structure.storey_at(z).map(|s| medium.bounce_gain(s)).unwrap_or_default();
    let mut heard = vec![0.0; grid.across * grid.down];
    for (place, node) in network.nodes.iter().enumerate() {
        if network.hubs.contains(&place) {
            continue;
        }
        let lookout = medium.lookout(node.place, z);
        let budget = |from: &crate::network::Node, to: &crate::network::Node| {
            crate::network::link::received(from, to, Db::ZERO) - to.needs
        };
        let worse = budget(&free, node).min(budget(node, &free));
        for row in 0..grid.down {
            for column in 0..grid.across {
                let [x, y] = grid.middle(column, row);
                let loss = medium.surface_loss(&lookout, Place::new(x, y, z), gain);
                if worse - loss >= analysis.target {
                    heard[row * grid.across + column] += 1.0;
                }
            }
        }
    }
    Some((grid, heard))
}
