//! What else is on the air, over the cells of a surface.

use std::cell::RefCell;
use std::collections::BTreeMap;
use std::sync::Arc;

use crate::geometry::Grid;
use crate::network::air::{Source, Tuned};
use crate::network::{NetworkAnalysis, Node};
use crate::radio::modulation::{FRAME_BYTES, Hits};
use crate::units::{Db, Dbm};

/// What a receiver hears of others in each cell.
#[derive(Clone, Debug)]
pub(crate) struct NoiseMap {
    of: Of,
    kinds: Arc<Vec<Kind>>,
    /// The kind of each cell by its place, row by row; empty where the air is quiet.
    cells: Arc<Vec<u32>>,
}

/// Cells that hear all sources alike to half a decibel.
#[derive(Clone, Debug)]
struct Kind {
    /// How much more a receiver needs than on quiet air, in decibels.
    rise: f32,
    hits: Vec<Hits>,
}

/// What it was computed for, beside the cells.
#[derive(Clone, Debug, PartialEq)]
struct Of {
    sources: Vec<Source>,
    on: Tuned,
    quiet: Dbm,
    around: Db,
}

impl NoiseMap {
    /// For a receiver carried over the cells of a grid at one height; what was computed `earlier` for
    /// the same cells of the same house is taken where it holds.
    pub(crate) fn over(
        network: &NetworkAnalysis,
        receiver: &Node,
        (grid, z): (&Grid, f64),
        earlier: Option<&Self>,
    ) -> Self {
        let sources = &network.air.sources;
        let on = Tuned::of(network.system, network.channel, network.medium.frequency());
        let around = receiver.radio.antenna - receiver.around();
        let of = Of { sources: sources.clone(), on, quiet: receiver.quiet, around };
        if let Some(known) = earlier.filter(|e| e.of == of) {
            return known.clone();
        }
        if sources.is_empty() || on == Tuned::Unknown {
            return Self { of, kinds: Arc::default(), cells: Arc::default() };
        }
        let over = network.air.levels_over(&network.medium, grid, z);
        let mut known: BTreeMap<Vec<i32>, u32> = BTreeMap::new();
        let mut kinds = Vec::new();
        let mut kind = |cell: usize| {
            #[expect(clippy::cast_possible_truncation, reason = "levels are within ±300 dBm")]
            let steps: Vec<i32> = over.iter().map(|o| (o[cell] * 2.0).round() as i32).collect();
            *known.entry(steps).or_insert_with_key(|steps| {
                let level = |(source, step): (&Source, &i32)| {
                    let level = Dbm::new(f64::from(*step) / 2.0);
                    if source.place.is_some() { level + around } else { level }
                };
                let levels: Vec<_> = sources.iter().zip(steps).map(level).collect();
                let hits = hits(network, receiver, &levels);
                #[expect(clippy::cast_possible_truncation, reason = "a tenth suffices")]
                let rise = rise(network, &hits).get() as f32;
                kinds.push(Kind { rise, hits });
                u32::try_from(kinds.len() - 1).unwrap_or(u32::MAX)
            })
        };
        let cells = Arc::new((0..grid.across * grid.down).map(&mut kind).collect());
        Self { of, kinds: Arc::new(kinds), cells }
    }

    fn of_cell(&self, cell: usize) -> Option<&Kind> {
        self.kinds.get(usize::try_from(*self.cells.get(cell)?).ok()?)
    }

    /// How much more a receiver needs in a cell than on quiet air, in decibels.
    pub(crate) fn rise(&self, cell: usize) -> f32 {
        self.of_cell(cell).map_or(0.0, |kind| kind.rise)
    }

    /// What meets frames in a cell.
    pub(crate) fn hits(&self, cell: usize) -> &[Hits] {
        self.of_cell(cell).map_or(&[], |kind| &kind.hits)
    }

    /// Which cells hear alike: the same number, the same hits. Nought for a quiet house.
    pub(crate) fn kind(&self, cell: usize) -> u32 {
        self.cells.get(cell).copied().unwrap_or_default()
    }
}

/// What meets frames at a receiver that is no node, where it stands.
pub(crate) fn hits_at(network: &NetworkAnalysis, receiver: &Node) -> Vec<Hits> {
    hits(network, receiver, &network.air.levels_at(&network.medium, receiver))
}

/// What meets frames at a receiver where each source arrives with such a level.
fn hits(network: &NetworkAnalysis, receiver: &Node, levels: &[Dbm]) -> Vec<Hits> {
    let on = Tuned::of(network.system, network.channel, network.medium.frequency());
    let noise = receiver.quiet - network.arrivals.quiet().anchor();
    let hits = network.air.hits(levels, noise, on, network.rule.modulation.frame_ms(FRAME_BYTES));
    if hits.iter().all(Vec::is_empty) { Vec::new() } else { hits }
}

/// How much more than on quiet air a receiver needs whose frames are met so: as [`Arrivals::new`] has
/// it for the nodes.
///
/// [`Arrivals::new`]: crate::network::air::Arrivals::new
pub(crate) fn rise(network: &NetworkAnalysis, hits: &[Hits]) -> Db {
    if hits.is_empty() {
        return Db::ZERO;
    }
    network.arrivals.quiet().least_margin_under(hits, network.rule.all_tries())
}

/// The chance that a frame sent once passes between a node and a cell, in the worse direction: worked
/// out once for those that are alike to half a decibel.
pub(crate) struct Onces<'a> {
    network: &'a NetworkAnalysis,
    noise: &'a NoiseMap,
    at_node: RefCell<BTreeMap<(usize, i32), f64>>,
    in_cell: RefCell<BTreeMap<(u32, i32), f64>>,
}

impl<'a> Onces<'a> {
    pub(crate) fn new(network: &'a NetworkAnalysis, noise: &'a NoiseMap) -> Self {
        Self { network, noise, at_node: RefCell::default(), in_cell: RefCell::default() }
    }

    /// By the margins at the node, over what it needs, and in the cell, over what it needs on quiet air.
    pub(crate) fn over(&self, cell: usize, node: usize, at_node: f64, in_cell: f64) -> f64 {
        let heard = &self.network.nodes[node];
        let at_node = at_node + (heard.needs - heard.quiet).get();
        #[expect(clippy::cast_possible_truncation, reason = "margins are within ±300 dB")]
        let [at_node, in_cell] = [at_node, in_cell].map(|m| (m * 2.0).round() as i32);
        let margin = |steps: i32| Db::new(f64::from(steps) / 2.0);
        let arrivals = &self.network.arrivals;
        let node = *self
            .at_node
            .borrow_mut()
            .entry((if arrivals.hears_others(node) { node } else { usize::MAX }, at_node))
            .or_insert_with(|| arrivals.at(node).success(margin(at_node), 1));
        let quiet = arrivals.quiet();
        let there = *self
            .in_cell
            .borrow_mut()
            .entry((self.noise.kind(cell), in_cell))
            .or_insert_with(|| quiet.once_under(self.noise.hits(cell), margin(in_cell)));
        node.min(there)
    }
}
