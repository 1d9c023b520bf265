//! Margin over a storey: the best that a handset or sensor would have at each place.

mod contour_lines;

use std::sync::Arc;

use crate::analysis::Analysis;
use crate::geometry::{Place, Rect};
use crate::network::NetworkAnalysis;
use crate::network::link::worse_margin;
use crate::network::{Node, Role, RoleFinding, Why};
use crate::propagation::{Medium, Stamp};
use crate::radio::profile::{Class, hand_loss, planning_profile};
use crate::radio::region::Region;
use crate::site::{DeviceId, FloorId};
use crate::units::{Db, Metres};

pub use contour_lines::{Contour, contours, contours_of};

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

/// How far the surface reaches beyond the outer walls.
const BEYOND_WALLS: f64 = 1.5;
/// The most cells of one surface.
pub(crate) const MOST_CELLS: usize = 400_000;
/// The most cells of all its layers together: 120 MB.
const MOST_IN_LAYERS: usize = 30_000_000;

/// Cells in rows; a value belongs to the middle of its cell.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Grid {
    /// The left edge.
    pub left: f64,
    /// The upper edge.
    pub top: f64,
    /// The side of a cell.
    pub cell: f64,
    /// Cells across.
    pub across: usize,
    /// Cells down.
    pub down: usize,
}

impl Grid {
    /// The grid over a storey's walls; nothing where none are drawn. Cells grow when there would
    /// be too many.
    pub fn over(
        analysis: &Analysis,
        floor: &FloorId,
        cell: Metres,
        most_cells: usize,
    ) -> Option<Self> {
        let corners =
            analysis.site.walls.iter().filter(|w| w.floor == *floor).flat_map(|w| [w.a, w.b]);
        let walls = Rect::around(corners)?;
        let (wide, high) =
            (walls.width() + 2.0 * BEYOND_WALLS, walls.height() + 2.0 * BEYOND_WALLS);
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "lengths are bounded by the sheet and positive"
        )]
        let count = |length: f64, cell: f64| ((length / cell).ceil() as usize).max(2);
        let mut cell = cell.get().clamp(0.05, 5.0);
        while count(wide, cell) * count(high, cell) > most_cells {
            cell *= 1.5;
        }
        Some(Self {
            left: walls.left - BEYOND_WALLS,
            top: walls.top - BEYOND_WALLS,
            cell,
            across: count(wide, cell),
            down: count(high, cell),
        })
    }

    /// The middle of a cell.
    #[expect(clippy::cast_precision_loss, reason = "cell counts are small")]
    pub fn middle(&self, column: usize, row: usize) -> [f64; 2] {
        [self.left + (column as f64 + 0.5) * self.cell, self.top + (row as f64 + 0.5) * self.cell]
    }
}

/// Path loss from one radio to every cell, row by row.
#[derive(Clone, Debug)]
struct Layer {
    device: DeviceId,
    place: Place,
    hops: u8,
    success: f64,
    loss: Arc<Vec<f32>>,
}

/// What a surface shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Quantity {
    /// Margin in the worse direction, in decibels.
    #[default]
    Margin,
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
    /// Best margin in the worse direction, row by row, in decibels.
    pub margin: Vec<f32>,
    /// How many radios each cell hears at target.
    pub parents: Vec<u8>,
    /// What its layers hold for.
    stamp: Stamp,
    /// The layer that gives the best margin.
    best: Vec<u16>,
    layers: Vec<Layer>,
}

impl Coverage {
    /// A quantity in every cell, row by row; where nothing reaches, hops are `NaN` and the chance
    /// is nought.
    pub fn values(&self, quantity: Quantity, network: &NetworkAnalysis) -> Vec<f64> {
        let reached = |cell: usize| self.margin[cell] >= 0.0;
        let cells = 0..self.margin.len();
        match quantity {
            Quantity::Margin => cells.map(|c| f64::from(self.margin[c].max(-200.0))).collect(),
            Quantity::Parents => cells.map(|c| f64::from(self.parents[c])).collect(),
            Quantity::Hops => cells
                .map(|c| if reached(c) { f64::from(self.hops_at(c)) } else { f64::NAN })
                .collect(),
            Quantity::Success => {
                let delivery = network.arrivals.quiet();
                // The chance over the last hop, once a decibel.
                let table: Vec<f64> = (0..=60)
                    .map(|m| delivery.success(Db::new(f64::from(m)), network.rule.all_tries()))
                    .collect();
                let last = |margin: f32| {
                    #[expect(
                        clippy::cast_possible_truncation,
                        clippy::cast_sign_loss,
                        reason = "held between 0 and 60"
                    )]
                    let step = margin.clamp(0.0, 60.0).round() as usize;
                    table[step]
                };
                let route = |c: usize| self.layers[usize::from(self.best[c])].success;
                cells
                    .map(|c| if reached(c) { last(self.margin[c]) * route(c) } else { 0.0 })
                    .collect()
            }
        }
    }

    /// About how much memory it takes.
    pub fn bytes(&self) -> usize {
        self.margin.len() * (self.layers.len() * size_of::<f32>() + 7)
    }

    /// Hops to the hub from a cell, its own included.
    pub fn hops_at(&self, cell: usize) -> u8 {
        self.layers.get(usize::from(self.best[cell])).map_or(0, |l| l.hops + 1)
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
    // A handset there needs one more hop.
    let carries = |place: &usize| {
        network.is_on_air(*place) && network.outcomes[*place].hops.len() < network.rule.most_hops
    };
    let carriers: Vec<usize> = (0..network.nodes.len()).filter(carries).collect();
    let most_cells = MOST_CELLS.min(MOST_IN_LAYERS / carriers.len().max(1));
    let grid = Grid::over(analysis, &request.floor, request.cell, most_cells)?;
    let floor = analysis.site.floors.get(&request.floor)?;
    let z = (floor.elevation_m + request.height).get();
    let medium = &network.medium;
    let stamp = medium.stamp();
    let earlier = earlier.filter(|e| e.stamp == stamp && e.grid == grid && e.request == *request);
    let handset = handset(network, analysis.site.job.region, request.handset)?;
    #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
    let target = analysis.target.get() as f32;
    let cells = grid.across * grid.down;
    let (mut parents, mut best_layer) = (vec![0u8; cells], vec![0u16; cells]);
    let mut layers = Vec::new();
    let mut margin = vec![f32::NEG_INFINITY; cells];
    let mut wanted = Vec::new();
    for place in carriers {
        let (node, outcome) = (&network.nodes[place], &network.outcomes[place]);
        let known = earlier.and_then(|e| {
            e.layers.iter().find(|l| l.device == node.device && l.place == node.place)
        });
        wanted.push((node, outcome, known.map(|layer| Arc::clone(&layer.loss))));
    }
    let missing: Vec<Place> = wanted
        .iter()
        .filter(|(_, _, known)| known.is_none())
        .map(|(node, ..)| node.place)
        .collect();
    let mut fresh = fresh_layers(medium, &missing, &grid, z).into_iter();
    for (node, outcome, known) in wanted {
        let Some(loss) = known.or_else(|| fresh.next()) else { continue };
        // Both directions differ from the path loss by a constant.
        let worse = worse_margin(node, &handset, Db::ZERO);
        #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
        let worse = worse.get() as f32;
        let number = u16::try_from(layers.len()).unwrap_or(u16::MAX);
        for (cell, loss) in loss.iter().enumerate() {
            let here = worse - loss;
            if here > margin[cell] {
                (margin[cell], best_layer[cell]) = (here, number);
            }
            parents[cell] = parents[cell].saturating_add(u8::from(here >= target));
        }
        let hops = u8::try_from(outcome.hops.len()).unwrap_or(u8::MAX);
        let (device, place, success) = (node.device.clone(), node.place, outcome.success);
        layers.push(Layer { device, place, hops, success, loss });
    }
    (!layers.is_empty()).then(|| Coverage {
        request: request.clone(),
        grid,
        margin,
        parents,
        stamp,
        best: best_layer,
        layers,
    })
}

/// The handset of a request standing at a place on its storey, and the radio that serves it best:
/// computed by every way, unlike the surface. Nothing where no radio is on the air.
pub fn at_spot(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    request: &Request,
    spot: [f64; 2],
) -> Option<(usize, Node)> {
    let floor = analysis.site.floors.get(&request.floor)?;
    let mut node = handset(network, analysis.site.job.region, request.handset)?;
    node.place = Place::new(spot[0], spot[1], (floor.elevation_m + request.height).get());
    "this spot".clone_into(&mut node.name);
    let station = network.medium.station(node.place);
    let serves = |place: &usize| {
        network.is_on_air(*place) && network.outcomes[*place].hops.len() < network.rule.most_hops
    };
    let margin = |place: usize| {
        let other = &network.nodes[place];
        let loss = network.medium.loss_between(&station, &network.medium.station(other.place));
        worse_margin(other, &node, loss)
    };
    (0..network.nodes.len())
        .filter(serves)
        .map(|place| (place, margin(place)))
        .max_by(|a, b| a.1.total_cmp(&b.1))
        .map(|(place, _)| (place, node.clone()))
}

/// The carried radio as a node, without a place of its own; nothing in a network without devices.
pub fn handset(network: &NetworkAnalysis, region: Region, handset: Handset) -> Option<Node> {
    let hand = match handset {
        Handset::Sensor => Db::ZERO,
        Handset::Remote => hand_loss(network.system),
    };
    let radio = planning_profile(network.system, Class::Battery, region);
    Some(Node {
        device: network.nodes.first()?.device.clone(),
        name: String::new(),
        kind: String::new(),
        place: Place::default(),
        quiet: radio.sensitivity,
        needs: radio.sensitivity,
        radio,
        mounting: Vec::new(),
        doubt: 0.0,
        circuit: String::new(),
        hand,
        role: RoleFinding {
            role: Role::Carried,
            why: Why::SleepsBetweenPresses,
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
    let gain = medium.structure.storey_at(z).map(|s| medium.bounce_gain(s)).unwrap_or_default();
    for row in 0..grid.down {
        for column in 0..grid.across {
            let [x, y] = grid.middle(column, row);
            #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
            loss.push(medium.surface_loss(&lookout, Place::new(x, y, z), gain).get() as f32);
        }
    }
    loss
}
