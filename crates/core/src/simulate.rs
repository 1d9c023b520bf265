//! How sure the whole house is: many houses drawn at random around the planned one.
//!
//! Each draw adds shadowing to every link that is alike where links run close together: a normal
//! field over the house with correlation `ρ = exp(−d/3 m)` gives each end a value, and a link gets
//! `(X_a + X_b)/√(2(1 + ρ))` times its deviation: near radios scatter together, and each link still by
//! the deviation that it states. Networks share the field: what a wall or a wardrobe does to
//! one it does to the other. A device is reached in a draw when a route within the hop limit has
//! margin left on every hop. Seeded: the same seed gives the same answer.

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};

use crate::analysis::Analysis;
use crate::geometry::Place;
use crate::network::route::{Reach, link_cost};
use crate::network::{Link, NetworkAnalysis, Node};
use crate::pulse::Pulse;
use crate::site::{DeviceId, NetworkId};
use crate::units::Db;

/// Distance over which shadowing is alike, in metres; *planning value*.
const ALIKE_OVER_M: f64 = 3.0;
/// A link that is short by more than this many deviations is there in no draw.
const HOPELESS: f64 = 7.0;

/// How alike the shadowing at two places is that lie `d` metres apart.
fn alike(d: f64) -> f64 {
    (-d / ALIKE_OVER_M).exp()
}

/// How many draws, and from which seed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Budget {
    /// How many houses are drawn.
    pub draws: u32,
    /// The seed.
    pub seed: u64,
}

impl Default for Budget {
    fn default() -> Self {
        Self { draws: 2000, seed: 1 }
    }
}

/// The chances of a house.
#[derive(Clone, Debug, PartialEq)]
pub struct Chances {
    /// How many draws they rest on; fewer than asked for when it was stopped.
    pub draws: u32,
    /// Those of each network.
    pub networks: Vec<NetworkChances>,
    /// The share of draws in which every device of every network is reached.
    pub all: f64,
}

/// The chances of one network.
#[derive(Clone, Debug, PartialEq)]
pub struct NetworkChances {
    /// Which.
    pub network: NetworkId,
    /// For each of its nodes, the share of draws in which it is reached.
    pub reached: Vec<(DeviceId, f64)>,
    /// The share of draws in which all are reached.
    pub all: f64,
}

impl Chances {
    /// The chances of one network.
    pub fn of_network(&self, network: &NetworkId) -> Option<&NetworkChances> {
        self.networks.iter().find(|n| n.network == *network)
    }

    /// The chance of one device.
    pub fn of(&self, device: &DeviceId) -> Option<f64> {
        let all = self.networks.iter().flat_map(|n| &n.reached);
        all.clone().find(|(d, _)| d == device).map(|(_, p)| *p)
    }
}

/// Draws houses until the budget is spent or `pulse`, asked before every hundred, breaks it off.
pub fn chances(analysis: &Analysis, budget: Budget, pulse: &mut Pulse<'_>) -> Chances {
    chances_of(&analysis.networks.iter().collect::<Vec<_>>(), budget, pulse)
}

/// The same of some networks alone.
pub fn chances_of(networks: &[&NetworkAnalysis], budget: Budget, pulse: &mut Pulse<'_>) -> Chances {
    let places: Vec<Place> =
        networks.iter().flat_map(|n| &n.nodes).map(|node| node.place).collect();
    let field = Field::over(&places, pulse);
    let mut random = ChaCha8Rng::seed_from_u64(budget.seed);
    let mut tallies: Vec<Tally<'_>> = networks.iter().map(|n| Tally::new(n)).collect();
    let (mut all, mut draws) = (0u32, 0u32);
    let mut values = vec![0.0; places.len()];
    while let Some(field) = field.as_ref().filter(|_| draws < budget.draws) {
        if draws.is_multiple_of(100) && pulse(draws as usize, budget.draws as usize).is_break() {
            break;
        }
        field.draw(&mut random, &mut values);
        let (mut rest, mut whole) = (values.as_slice(), true);
        for tally in &mut tallies {
            let (own, others) = rest.split_at(tally.network.nodes.len());
            whole &= tally.draw(own);
            rest = others;
        }
        all += u32::from(whole);
        draws += 1;
    }
    let share = |hits: u32| f64::from(hits) / f64::from(draws.max(1));
    let of_network = |tally: Tally<'_>| {
        let devices = tally.network.nodes.iter().map(|n| n.device.clone());
        NetworkChances {
            network: tally.network.network.clone(),
            reached: devices.zip(tally.hits.iter().map(|h| share(*h))).collect(),
            all: share(tally.all),
        }
    };
    Chances { draws, networks: tallies.into_iter().map(of_network).collect(), all: share(all) }
}

/// What has been counted of one network so far.
struct Tally<'a> {
    network: &'a NetworkAnalysis,
    /// Links that some draw may have: ends, margin, deviation, and what brings the sum of the values
    /// of its ends to a variance of one.
    links: Vec<(usize, usize, f64, f64, f64)>,
    hits: Vec<u32>,
    all: u32,
    heard: Vec<Vec<(usize, u32)>>,
    carries: Vec<bool>,
}

impl<'a> Tally<'a> {
    fn new(network: &'a NetworkAnalysis) -> Self {
        let count = network.nodes.len();
        let hoped =
            network.links.all.iter().filter(|l| l.margin() + l.sigma * HOPELESS >= Db::ZERO);
        let of = |l: &Link| {
            let apart = network.nodes[l.a].place.distance(network.nodes[l.b].place);
            let scale = 1.0 / (2.0 * (1.0 + alike(apart))).sqrt();
            (l.a, l.b, l.margin().get(), l.sigma.get(), scale)
        };
        Self {
            network,
            links: hoped.map(of).collect(),
            hits: vec![0; count],
            all: 0,
            heard: vec![Vec::new(); count],
            carries: network.nodes.iter().map(Node::carries_others).collect(),
        }
    }

    /// Counts who is reached in a draw; whether all are.
    fn draw(&mut self, values: &[f64]) -> bool {
        self.heard.iter_mut().for_each(Vec::clear);
        for &(a, b, margin, sigma, scale) in &self.links {
            let shadow = (values[a] + values[b]) * scale;
            let drawn = margin + shadow * sigma;
            if drawn < 0.0 {
                continue;
            }
            // Only where cost is limited does it matter for reach.
            let cost = match self.network.rule.most_cost {
                Some(_) => {
                    let once = || self.network.arrivals.quiet().success(Db::new(drawn), 1);
                    link_cost(&self.network.rule, Db::new(drawn), once)
                }
                None => Some(0),
            };
            if let Some(cost) = cost {
                self.heard[a].push((b, cost));
                self.heard[b].push((a, cost));
            }
        }
        let reached = self.reached();
        for (hit, reached) in self.hits.iter_mut().zip(&reached) {
            *hit += u32::from(*reached);
        }
        let all = reached.iter().all(|r| *r);
        self.all += u32::from(all);
        all
    }

    /// Over the links that have margin in this draw, within the limits of the system.
    fn reached(&self) -> Vec<bool> {
        let network = self.network;
        let reach = Reach {
            carries: &self.carries,
            most_hops: network.rule.most_hops,
            most_cost: network.rule.most_cost.unwrap_or(u32::MAX),
        };
        let heard = |from: usize| self.heard[from].iter().copied();
        reach.from(&network.hubs, &[], &network.down, heard).iter().map(Option::is_some).collect()
    }
}

/// A normal field at the places of all radios: the Cholesky factor of its correlations.
struct Field {
    factor: Vec<Vec<f64>>,
}

impl Field {
    /// Nothing when `pulse`, asked before each row, breaks it off: the work grows with the cube of
    /// the places.
    fn over(places: &[Place], pulse: &mut Pulse<'_>) -> Option<Self> {
        // A hair on the diagonal keeps two radios in one place from making it singular.
        let alike = |i: usize, j: usize| {
            alike(places[i].distance(places[j])) + if i == j { 1e-9 } else { 0.0 }
        };
        let mut factor: Vec<Vec<f64>> = Vec::with_capacity(places.len());
        for i in 0..places.len() {
            if pulse(0, places.len()).is_break() {
                return None;
            }
            let mut row: Vec<f64> = Vec::with_capacity(i + 1);
            #[expect(clippy::needless_range_loop, reason = "the indices of the formula")]
            for j in 0..=i {
                let inner: f64 = if j < i {
                    row.iter().zip(&factor[j]).map(|(a, b)| a * b).sum()
                } else {
                    row.iter().map(|a| a * a).sum()
                };
                let rest = alike(i, j) - inner;
                row.push(if j < i { rest / factor[j][j] } else { rest.max(1e-12).sqrt() });
            }
            factor.push(row);
        }
        Some(Self { factor })
    }

    fn draw(&self, random: &mut ChaCha8Rng, values: &mut [f64]) {
        let white: Vec<f64> = (0..values.len()).map(|_| normal(random)).collect();
        for (value, row) in values.iter_mut().zip(&self.factor) {
            *value = row.iter().zip(&white).map(|(a, b)| a * b).sum();
        }
    }
}

/// A standard normal deviate (Box and Muller).
pub fn normal(random: &mut ChaCha8Rng) -> f64 {
    #[expect(clippy::cast_precision_loss, reason = "53 bits fit a double")]
    let mut uniform = || ((random.next_u64() >> 11) as f64 + 0.5) / (1u64 << 53) as f64;
    let (u, v) = (uniform(), uniform());
    (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos()
}
