//! How many devices a hub would have at target from each place of a storey: where to look for one.

use crate::analysis::Analysis;
use crate::coverage::noise::{NoiseMap, Onces};
use crate::coverage::{Grid, MOST_CELLS, grid_over};
use crate::geometry::Place;
use crate::network::NetworkAnalysis;
use crate::network::Node;
use crate::network::link::directions;
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
    let grid = grid_over(analysis, floor, cell, MOST_CELLS)?;
    let z = (analysis.site.floors.get(floor)?.elevation_m + height).get();
    let moved = *network.hubs.first()?;
    // The hub of the plan in the open: what stands around it now stays behind.
    let hub = network.nodes[moved].clone();
    let free = Node { mounting: Vec::new(), needs: hub.quiet, ..hub };
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
    let noise = NoiseMap::over(network, hub, (grid, z), None);
    let onces = Onces::new(network, &noise);
    let mut heard = vec![Vec::new(); grid.across * grid.down];
    for (place, node) in network.nodes.iter().enumerate() {
        if network.hubs.contains(&place) || network.down[place] {
            continue;
        }
        let (lookout, gain) = (medium.lookout(node.place, z), medium.bounce_gain(node.place, z));
        let [at_node, at_hub] = directions(node, hub);
        for (cell, [x, y]) in grid.middles().enumerate() {
            let loss = medium.surface_loss(&lookout, Place::new(x, y, z), gain);
            let margin = at_node.min(at_hub - Db::new(f64::from(noise.rise(cell)))) - loss;
            let once = || onces.over(cell, place, (at_node - loss).get(), (at_hub - loss).get());
            let cost = link_cost(&network.rule, margin, once);
            if let Some(cost) = cost.filter(|_| margin >= analysis.target) {
                heard[cell].push((place, cost));
            }
        }
    }
    heard
}
