//! Margin over a storey: the best that a handset or sensor would have at each place.

mod contour_lines;

use std::sync::Arc;

use crate::analysis::{Analysis, NetworkAnalysis};
use crate::geometry::Place;
use crate::network::{Node, Role};
use crate::propagation::Medium;
use crate::radio::profile::{Class, hand_loss, planning_profile};
use crate::radio::region::Region;
use crate::site::{DeviceId, FloorId};
use crate::units::{Db, Metres};

pub use contour_lines::{Contour, contours};

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
const MOST_CELLS: usize = 400_000;

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
    pub fn over(analysis: &Analysis, floor: &FloorId, cell: Metres) -> Option<Self> {
        let corners =
            analysis.site.walls.iter().filter(|w| w.floor == *floor).flat_map(|w| [w.a, w.b]);
        let bounds = corners.fold(None, |bounds: Option<[f64; 4]>, [x, y]| {
            let [l, t, r, b] = bounds.unwrap_or([x, y, x, y]);
            Some([l.min(x), t.min(y), r.max(x), b.max(y)])
        })?;
        let [l, t, r, b] = bounds;
        let (wide, high) = (r - l + 2.0 * BEYOND_WALLS, b - t + 2.0 * BEYOND_WALLS);
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "lengths are bounded by the sheet and positive"
        )]
        let count = |length: f64, cell: f64| ((length / cell).ceil() as usize).max(2);
        let mut cell = cell.get().clamp(0.05, 5.0);
        while count(wide, cell) * count(high, cell) > MOST_CELLS {
            cell *= 1.5;
        }
        Some(Self {
            left: l - BEYOND_WALLS,
            top: t - BEYOND_WALLS,
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
    loss: Arc<Vec<f32>>,
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
    layers: Vec<Layer>,
}

/// Computes the surface; layers of radios that did not move are taken from `earlier`, which must
/// be of the same building, network and request. Nothing where no walls or no hub are drawn.
pub fn coverage(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    request: &Request,
    earlier: Option<&Coverage>,
) -> Option<Coverage> {
    let grid = Grid::over(analysis, &request.floor, request.cell)?;
    let floor = analysis.site.floors.get(&request.floor)?;
    let z = (floor.elevation_m + request.height).get();
    let earlier = earlier.filter(|e| e.grid == grid && e.request == *request);
    let medium = &network.medium;
    let handset = handset(network, analysis.site.job.region, request.handset);
    let most_hops = network.rule.most_hops;
    let mut layers = Vec::new();
    let mut margin = vec![f32::NEG_INFINITY; grid.across * grid.down];
    for (node, outcome) in network.nodes.iter().zip(&network.outcomes) {
        let on_air = node.role.role == Role::Hub && !analysis.options.down.contains(&node.device)
            || node.carries_others() && !outcome.hops.is_empty();
        // A handset there needs one more hop.
        if !on_air || outcome.hops.len() + 1 > most_hops {
            continue;
        }
        let known = earlier.and_then(|e| {
            e.layers.iter().find(|l| l.device == node.device && l.place == node.place)
        });
        let loss = match known {
            Some(layer) => Arc::clone(&layer.loss),
            None => Arc::new(layer(medium, node.place, &grid, z)),
        };
        // Both directions differ from the path loss by a constant.
        let worse = budget(node, &handset).min(budget(&handset, node));
        for (best, loss) in margin.iter_mut().zip(loss.iter()) {
            #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
            let here = worse.get() as f32 - loss;
            *best = best.max(here);
        }
        layers.push(Layer { device: node.device.clone(), place: node.place, loss });
    }
    (!layers.is_empty()).then(|| Coverage { request: request.clone(), grid, margin, layers })
}

/// Margin at a path loss of zero.
fn budget(from: &Node, to: &Node) -> Db {
    crate::network::link::received(from, to, Db::ZERO) - to.needs
}

/// The carried radio as a node, without a place.
fn handset(network: &NetworkAnalysis, region: Region, handset: Handset) -> Node {
    let hand = match handset {
        Handset::Sensor => Db::ZERO,
        Handset::Remote => hand_loss(network.system),
    };
    let radio = planning_profile(network.system, Class::Battery, region);
    Node {
        device: network.nodes[0].device.clone(),
        name: String::new(),
        kind: String::new(),
        place: Place::default(),
        needs: radio.sensitivity,
        radio,
        mounting: Vec::new(),
        doubt: 0.0,
        circuit: String::new(),
        hand,
        role: crate::network::RoleFinding {
            role: Role::Carried,
            why: String::new(),
            may_go_dark: false,
        },
    }
}

fn layer(medium: &Medium, from: Place, grid: &Grid, z: f64) -> Vec<f32> {
    let mut loss = Vec::with_capacity(grid.across * grid.down);
    let station = medium.station(from);
    let gain = medium.structure.storey_at(z).map(|s| medium.bounce_gain(s)).unwrap_or_default();
    for row in 0..grid.down {
        for column in 0..grid.across {
            let [x, y] = grid.middle(column, row);
            #[expect(clippy::cast_possible_truncation, reason = "decibels to a tenth suffice")]
            loss.push(medium.surface_loss(&station, Place::new(x, y, z), gain).get() as f32);
        }
    }
    loss
}
