//! How many devices a hub would have at target from each place of a storey: where to look for one.

use crate::analysis::Analysis;
use crate::coverage::{Grid, MOST_CELLS};
use crate::geometry::Place;
use crate::network::NetworkAnalysis;
use crate::network::Node;
use crate::network::link::worse_margin;
use crate::network::route::link_cost;
use crate::site::FloorId;
use crate::units::{Db, Metres};

/// How many devices the network would have at target, by any route within its hop limit, with its
/// first hub at each cell of a storey; row by row. Capacity is left out of it.
pub fn hub_heat(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    floor: &FloorId,
    height: Metres,
    cell: Metres,
) -> Option<(Grid, Vec<f64>)> {
    let grid = Grid::over(analysis, floor, cell, MOST_CELLS)?;
    let z = (analysis.site.floors.get(floor)?.elevation_m + height).get();
    let moved = *network.hubs.first()?;
    // The hub of the plan in the open: what stands around it now stays behind.
    let free = Node { mounting: Vec::new(), ..network.nodes[moved].clone() };
    let heard = heard_at(analysis, network, &free, &grid, z);
    let others: Vec<usize> = network.hubs.iter().copied().filter(|h| *h != moved).collect();
    let mut down = network.down.clone();
    down[moved] = true;
    let most = network.rule.most_hops;
    let is_counted = |(n, reached): (usize, &bool)| *reached && !others.contains(&n);
    let mut at_target = Vec::with_capacity(heard.len());
    for heard in &heard {
        let reached = network.routing.graphs.sure.reached_also(&others, heard, most, &down);
        #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
        let count = reached.iter().enumerate().filter(|r| is_counted(*r)).count() as f64;
        at_target.push(count);
    }
    Some((grid, at_target))
}

/// For each cell the nodes that a hub there would hear at target itself, and what each link costs.
fn heard_at(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    hub: &Node,
    grid: &Grid,
    z: f64,
) -> Vec<Vec<(usize, u32)>> {
    let medium = &network.medium;
    let gain = medium.structure.storey_at(z).map(|s| medium.bounce_gain(s)).unwrap_or_default();
    let mut heard = vec![Vec::new(); grid.across * grid.down];
    for (place, node) in network.nodes.iter().enumerate() {
        if network.hubs.contains(&place) || network.down[place] {
            continue;
        }
        let lookout = medium.lookout(node.place, z);
        let worse = worse_margin(hub, node, Db::ZERO);
        for row in 0..grid.down {
            for column in 0..grid.across {
                let [x, y] = grid.middle(column, row);
                let loss = medium.surface_loss(&lookout, Place::new(x, y, z), gain);
                let once = || network.arrivals.quiet().success(worse - loss, 1);
                let cost = link_cost(&network.rule, worse - loss, once);
                if let Some(cost) = cost.filter(|_| worse - loss >= analysis.target) {
                    heard[row * grid.across + column].push((place, cost));
                }
            }
        }
    }
    heard
}
