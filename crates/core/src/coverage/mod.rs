//! Margin over a storey: what a handset or sensor that stands at each place would be told, by the whole
//! way that its network would give it.

mod contour_lines;
pub(crate) mod noise;
mod told;

use std::sync::Arc;

use self::noise::{NoiseMap, Onces, hits_at, rise};
use self::told::{Carrier, Teller};
use crate::analysis::Analysis;
use crate::geometry::{Place, Rect};
use crate::network::NetworkAnalysis;
use crate::network::link::{directions, worse_margin};
use crate::network::route::link_cost;
use crate::network::{Node, Role, RoleFinding, RoleReason};
use crate::propagation::{LossStamp, Medium};
use crate::radio::profile::{Class, hand_loss, planning_profile};
use crate::radio::region::Region;
use crate::site::{DeviceId, FloorId};
use crate::units::{Db, Metres};

pub use crate::geometry::Grid;
pub use contour_lines::{Contour, LEAST_ISLAND_M2, contours, contours_of, drawn_contours, evened};

/// What is carried about to measure the storey with.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Handset {
    /// A battery sensor on a wall.
    #[default]
    Sensor,
    /// A battery remote in a hand.
    Remote,
}

/// What to compute.
#[derive(Clone, Debug, PartialEq)]
pub struct Request {
    /// The storey.
    pub floor: FloorId,
    /// What is carried about.
    pub handset: Handset,
    /// Its height above the floor.
    pub height: Metres,
    /// The side of a cell.
    pub cell: Metres,
}

/// What stands for a margin where nothing is reached.
const UNREACHED: f64 = -200.0;

/// How far the surface reaches beyond the outer walls.
const BEYOND_WALLS: f64 = 1.5;
/// The most cells of one surface.
pub(crate) const MOST_CELLS: usize = 400_000;
/// The most cells of all its layers together: 120 MB.
const MOST_IN_LAYERS: usize = 30_000_000;

/// The grid over a storey's walls; nothing where none are drawn. Cells grow when there would be too
/// many.
pub(crate) fn grid_over(
    analysis: &Analysis,
    floor: &FloorId,
    cell: Metres,
    most_cells: usize,
) -> Option<Grid> {
    let corners = analysis.site.walls.iter().filter(|w| w.floor == *floor).flat_map(|w| [w.a, w.b]);
    let Rect { left, top, right, bottom } = Rect::around(corners)?;
    let over = Rect {
        left: left - BEYOND_WALLS,
        top: top - BEYOND_WALLS,
        right: right + BEYOND_WALLS,
        bottom: bottom + BEYOND_WALLS,
    };
    Some(Grid::over(over, cell.get().clamp(0.05, 5.0), most_cells))
}

/// Path loss from one radio to every cell, row by row.
#[derive(Clone, Debug)]
struct Layer {
    device: DeviceId,
    place: Place,
    loss: Arc<Vec<f32>>,
}

/// What a surface shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Quantity {
    /// Margin of the weakest hop of the whole way, in the worse direction, in decibels.
    #[default]
    Margin,
    /// Margin of the last hop alone, to the radio that is heard best.
    LastHop,
    /// Hops to the hub, the handset's own included.
    Hops,
    /// How many radios it would hear at target.
    Parents,
    /// The chance that a message arrives, over the whole route.
    Success,
}

/// The surface of one network on one storey.
#[derive(Clone, Debug)]
pub struct Coverage {
    /// What was asked.
    pub request: Request,
    /// Its cells.
    pub grid: Grid,
    /// The weakest margin of the way that each cell would be given, row by row, in decibels; below
    /// nought where none is.
    pub margin: Vec<f32>,
    /// The best margin of a last hop.
    pub last_hop: Vec<f32>,
    /// How many radios each cell hears at target.
    pub parents: Vec<u8>,
    /// Hops to the hub, the own included; nought where nothing reaches.
    hops: Vec<u8>,
    /// The chance that a message passes the whole way.
    success: Vec<f32>,
    /// What its layers hold for.
    stamp: LossStamp,
    layers: Vec<Layer>,
    noise: NoiseMap,
}

impl Coverage {
    /// A quantity in every cell, row by row; where nothing reaches, hops are `NaN` and the chance
    /// is nought.
    pub fn values(&self, quantity: Quantity) -> Vec<f64> {
        let plain = |values: &[f32]| values.iter().map(|v| f64::from(*v).max(UNREACHED)).collect();
        match quantity {
            Quantity::Margin => plain(&self.margin),
            Quantity::LastHop => plain(&self.last_hop),
            Quantity::Parents => self.parents.iter().map(|p| f64::from(*p)).collect(),
            Quantity::Success => plain(&self.success),
            Quantity::Hops => {
                let hops = |h: &u8| if *h > 0 { f64::from(*h) } else { f64::NAN };
                self.hops.iter().map(hops).collect()
            }
        }
    }

    /// About how much memory it takes.
    pub fn bytes(&self) -> usize {
        self.margin.len() * ((self.layers.len() + 1) * size_of::<f32>() + 14)
    }

    /// Hops to the hub from a cell, its own included; nought where nothing reaches it.
    pub fn hops_at(&self, cell: usize) -> u8 {
        self.hops[cell]
    }
}

/// Computes the surface; layers of radios that did not move are taken from `earlier` where that was
/// of the same building, frequency, model and request. Nothing where no walls or no hub are drawn.
pub fn coverage(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    request: &Request,
    earlier: Option<&Coverage>,
) -> Option<Coverage> {
    let teller = Teller::new(network, network.sure.of(0.0).1);
    let carriers: Vec<usize> = teller.carriers.iter().map(|c| c.place).collect();
    let most_cells = MOST_CELLS.min(MOST_IN_LAYERS / carriers.len().max(1));
    let grid = grid_over(analysis, &request.floor, request.cell, most_cells)?;
    let floor = analysis.site.floors.get(&request.floor)?;
    let z = (floor.elevation_m + request.height).get();
    let medium = &network.medium;
    let stamp = medium.stamp();
    let earlier = earlier.filter(|e| e.stamp == stamp && e.grid == grid && e.request == *request);
    let handset = handset(network, analysis.site.job.region, request.handset)?;
    let mut layers = Vec::new();
    let mut wanted = Vec::new();
    for place in carriers {
        let node = &network.nodes[place];
        let known = earlier.and_then(|e| {
            e.layers.iter().find(|l| l.device == node.device && l.place == node.place)
        });
        wanted.push((node, known.map(|layer| Arc::clone(&layer.loss))));
    }
    let missing: Vec<Place> =
        wanted.iter().filter(|(_, known)| known.is_none()).map(|(node, _)| node.place).collect();
    let mut fresh = fresh_layers(medium, &missing, &grid, z).into_iter();
    let mut worse = Vec::new();
    for (node, known) in wanted {
        let loss = known.or_else(|| fresh.next())?;
        // Both directions differ from the path loss by a constant, and by what the cell hears besides.
        #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
        worse.push(directions(node, &handset).map(|margin| margin.get() as f32));
        layers.push(Layer { device: node.device.clone(), place: node.place, loss });
    }
    if layers.is_empty() {
        return None;
    }
    let mut surface = Coverage {
        request: request.clone(),
        grid,
        margin: Vec::new(),
        last_hop: Vec::new(),
        parents: Vec::new(),
        hops: Vec::new(),
        success: Vec::new(),
        stamp,
        layers,
        noise: NoiseMap::over(network, &handset, (&grid, z), earlier.map(|e| &e.noise)),
    };
    surface.fill(&teller, &worse, network);
    Some(surface)
}

impl Coverage {
    /// Tells every cell, from what each carrier lends it.
    fn fill(&mut self, teller: &Teller<'_>, worse: &[[f32; 2]], network: &NetworkAnalysis) {
        let delivery = network.arrivals.quiet();
        // The chance over the last hop, once a decibel.
        let chance = |m: u8| delivery.success(Db::new(f64::from(m)), network.rule.all_tries());
        #[expect(clippy::cast_possible_truncation, reason = "a share to seven digits suffices")]
        let table: Vec<f32> = (0..=60).map(|m| chance(m) as f32).collect();
        let last = |margin: f32| {
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "held between 0 and 60"
            )]
            let step = margin.clamp(0.0, 60.0).round() as usize;
            table[step]
        };
        #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
        let target = network.sure.of(0.0).1.get() as f32;
        let onces = Onces::new(network, &self.noise);
        let is_quiet = network.air.sources.is_empty();
        let mut heard = vec![0.0; worse.len()];
        for cell in 0..self.grid.across * self.grid.down {
            let rise = self.noise.rise(cell);
            for ((heard, layer), [to_node, to_cell]) in
                heard.iter_mut().zip(&self.layers).zip(worse)
            {
                *heard = to_node.min(to_cell - rise) - layer.loss[cell];
            }
            let best = heard.iter().copied().fold(f32::NEG_INFINITY, f32::max);
            let parents = heard.iter().filter(|m| **m >= target).count();
            self.last_hop.push(best);
            self.parents.push(u8::try_from(parents).unwrap_or(u8::MAX));
            let cost = |number: usize, margin: f32| {
                if is_quiet {
                    return teller.quiet_cost(margin);
                }
                let ([to_node, to_cell], loss) = (worse[number], self.layers[number].loss[cell]);
                let place = teller.carriers[number].place;
                let at = |to: f32| f64::from(to - loss);
                let once = || onces.over(cell, place, at(to_node), at(to_cell));
                link_cost(&network.rule, Db::new(f64::from(margin)), once)
            };
            let told = teller.told(&heard, &cost);
            // What is heard well enough and still leads nowhere is out all the same.
            self.margin.push(told.map_or(best.min(-0.1), |t| t.margin));
            self.hops.push(told.map_or(0, |t| t.hops));
            self.success.push(told.map_or(0.0, |t| t.success * last(heard[t.carrier])));
        }
    }
}

/// The handset of a request standing at a place on its storey, and the way that it would be given, as
/// places from the hub to what serves it; where none leads there, what it hears best. Computed by every
/// way of the signal, unlike the surface. Nothing where no radio is on the air.
pub fn at_spot(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    request: &Request,
    spot: [f64; 2],
) -> Option<(Vec<usize>, Node)> {
    let floor = analysis.site.floors.get(&request.floor)?;
    let mut node = handset(network, analysis.site.job.region, request.handset)?;
    node.place = Place::new(spot[0], spot[1], (floor.elevation_m + request.height).get());
    "this spot".clone_into(&mut node.name);
    let hits = hits_at(network, &node);
    node.needs = node.quiet + rise(network, &hits);
    let station = network.medium.station(node.place);
    let teller = Teller::new(network, network.sure.of(0.0).1);
    let loss = |place: usize| {
        network.medium.loss_between(&station, &network.medium.station(network.nodes[place].place))
    };
    let losses: Vec<Db> = teller.carriers.iter().map(|c| loss(c.place)).collect();
    let margin = |(c, loss): (&Carrier, &Db)| worse_margin(&network.nodes[c.place], &node, *loss);
    #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
    let heard: Vec<f32> =
        teller.carriers.iter().zip(&losses).map(|c| margin(c).get() as f32).collect();
    let cost = |number: usize, margin: f32| {
        let place = teller.carriers[number].place;
        let other = &network.nodes[place];
        let [at_other, here] = directions(other, &node).map(|m| m - losses[number]);
        let once = || {
            let quiet = network.arrivals.quiet();
            let there = at_other + (other.needs - other.quiet);
            let there = network.arrivals.at(place).success(there, 1);
            there.min(quiet.once_under(&hits, here + (node.needs - node.quiet)))
        };
        link_cost(&network.rule, Db::new(f64::from(margin)), once)
    };
    let best = || {
        let numbers = (0..heard.len()).max_by(|a, b| heard[*a].total_cmp(&heard[*b]));
        numbers.map(|n| vec![teller.carriers[n].place])
    };
    let way = teller.told(&heard, &cost).map(|told| teller.way(&told).to_vec()).or_else(best)?;
    Some((way, node))
}

/// The carried radio as a node, without a place of its own; nothing in a network without devices.
pub fn handset(network: &NetworkAnalysis, region: Region, handset: Handset) -> Option<Node> {
    let hand = match handset {
        Handset::Sensor => Db::ZERO,
        Handset::Remote => hand_loss(network.system),
    };
    let radio = planning_profile(network.system, Class::Battery, region);
    let quiet = network.rule.usable.map_or(radio.sensitivity, |u| u.max(radio.sensitivity));
    Some(Node {
        device: network.nodes.first()?.device.clone(),
        name: String::new(),
        kind: String::new(),
        place: Place::default(),
        quiet,
        needs: quiet,
        radio,
        mounting: Vec::new(),
        doubt: 0.0,
        circuit: String::new(),
        hand,
        makes_forward: false,
        role: RoleFinding {
            role: Role::Carried,
            why: RoleReason::SleepsBetweenPresses,
            may_go_dark: false,
        },
    })
}

/// The layers of these places, spread over the cores: cells are independent of each other, so the
/// answer does not depend on how many there are.
fn fresh_layers(medium: &Medium, places: &[Place], grid: &Grid, z: f64) -> Vec<Arc<Vec<f32>>> {
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    if places.len() < 2 || cores < 2 {
        return places.iter().map(|p| Arc::new(layer(medium, *p, grid, z))).collect();
    }
    let share = places.len().div_ceil(cores);
    std::thread::scope(|scope| {
        let parts: Vec<_> = places
            .chunks(share)
            .map(|part| {
                let work = move || -> Vec<_> {
                    part.iter().map(|p| Arc::new(layer(medium, *p, grid, z))).collect()
                };
                scope.spawn(work)
            })
            .collect();
        // A thread that panics takes this one with it, as it would have without threads.
        parts
            .into_iter()
            .flat_map(|part| match part.join() {
                Ok(layers) => layers,
                Err(panic) => std::panic::resume_unwind(panic),
            })
            .collect()
    })
}

fn layer(medium: &Medium, from: Place, grid: &Grid, z: f64) -> Vec<f32> {
    let mut loss = Vec::with_capacity(grid.across * grid.down);
    let lookout = medium.lookout(from, z);
    let gain = medium.bounce_gain(from, z);
    for row in 0..grid.down {
        for column in 0..grid.across {
            let [x, y] = grid.middle(column, row);
            #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
            loss.push(medium.surface_loss(&lookout, Place::new(x, y, z), gain).get() as f32);
        }
    }
    loss
}
