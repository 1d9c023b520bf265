//! The staircases of what is selected, and its bent ways on the plan.

use dot_reach_core::analysis::Analysis;
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::network::Node;
use dot_reach_core::record::Record;
use dot_reach_core::site::{DeviceId, FloorId};
use dot_reach_core::staircase::staircase;

use crate::drawing::path::path;
use crate::drawing::stairs::{Measured, StairPanel, panel};

/// One panel a hop along the route; for what is not reached, the best link it has.
pub(crate) fn stairs(
    analysis: &Analysis,
    record: &Record,
    network: &NetworkAnalysis,
    selected: &DeviceId,
) -> (String, Vec<StairPanel>) {
    let Some(place) = network.place_of(selected) else { return Default::default() };
    let outcome = &network.outcomes[place];
    let mut pairs: Vec<(usize, usize)> = outcome
        .hops
        .iter()
        .filter_map(|h| Some((network.place_of(&h.from)?, network.place_of(&h.to)?)))
        .collect();
    let heading = if !pairs.is_empty() {
        format!("Where the decibels go: hub to {}", network.nodes[place].name)
    } else if network.hubs.contains(&place) {
        "This is the hub: choose a device to see where the decibels go.".to_owned()
    } else {
        let name = &network.nodes[place].name;
        let best = outcome.best_link.as_ref().and_then(|d| network.place_of(d));
        pairs.extend(best.map(|n| (n, place)));
        match best {
            Some(_) => format!("Not reached. The best link that {name} has"),
            None => format!("{name}: {}", outcome.reason),
        }
    };
    let medium = &network.medium;
    let target =
        |a: usize, b: usize| network.links.between(a, b).map_or(analysis.target, |l| l.target);
    let count = pairs.len();
    let panels = pairs.into_iter().map(|(a, b)| {
        let stairs = |from: usize, to: usize| {
            staircase(medium, &network.nodes[from], &network.nodes[to], target(from, to))
                .with_read(network.read_here(from, to))
        };
        let (out, back) = (stairs(a, b), stairs(b, a));
        // The worse direction stands in front.
        let worse_back = back.margin() < out.margin();
        let (front, behind) = if worse_back { (back, out) } else { (out, back) };
        let (from, to) = if worse_back { (b, a) } else { (a, b) };
        let (from, to) = (&network.nodes[from].device, &network.nodes[to].device);
        let readings = record.readings.iter();
        let measured: Vec<_> = readings
            .filter(|r| r.from == *from && r.to == *to)
            .filter_map(|r| Some(Measured { level: r.rssi_dbm? }))
            .collect();
        panel(count, &front, &behind, network.medium.frequency(), &measured)
    });
    (heading, panels.collect())
}

/// The corners of ways that bounce or bend on the storey shown.
pub(crate) fn bent(analysis: &Analysis, floor: &FloorId, stairs: &[StairPanel]) -> String {
    let Some(floor) = analysis.site.floors.get(floor) else { return String::new() };
    let (low, high) = (floor.elevation_m.get() - 0.3, (floor.elevation_m + floor.height_m).get());
    let lines: Vec<Vec<[f64; 2]>> = stairs
        .iter()
        .filter(|s| s.corners.len() > 2)
        .filter(|s| s.corners.iter().any(|c| (low..=high).contains(&c.z)))
        .map(|s| s.corners.iter().map(|c| [c.x, c.y]).collect())
        .collect();
    path(&lines, false)
}

/// One panel a hop along the way that a handset at a spot would be given.
pub(crate) fn spot_stairs(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    way: &[usize],
    node: &Node,
    handset: &str,
) -> (String, Vec<StairPanel>) {
    let nodes: Vec<&Node> = way.iter().map(|n| &network.nodes[*n]).chain([node]).collect();
    let f = network.medium.frequency();
    let panels = nodes.windows(2).map(|pair| {
        let target = way
            .iter()
            .zip(way.iter().skip(1))
            .find(|(a, _)| network.nodes[**a].device == pair[0].device)
            .and_then(|(a, b)| Some(network.links.between(*a, *b)?.target))
            .filter(|_| !std::ptr::eq(pair[1], node))
            .unwrap_or(analysis.target);
        let [out, back] = [(pair[0], pair[1]), (pair[1], pair[0])]
            .map(|(a, b)| staircase(&network.medium, a, b, target));
        let (front, behind) = if back.margin() < out.margin() { (back, out) } else { (out, back) };
        panel(nodes.len() - 1, &front, &behind, f, &[])
    });
    let through: Vec<&str> = nodes[..nodes.len() - 1].iter().map(|n| n.name.as_str()).collect();
    let heading =
        format!("Where the decibels go: {} and a {handset} at this spot", through.join(" › "));
    (heading, panels.collect())
}
