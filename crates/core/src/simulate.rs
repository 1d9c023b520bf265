//! How sure the whole house is: many houses drawn at random around the planned one.
//!
//! Each draw adds shadowing to every link that is alike where links run close together: a normal
//! field over the house with correlation `exp(−d/3 m)` gives each end a value, and a link gets
//! `(X_a + X_b)/√2` times its deviation. A device is reached in a draw when a route within the hop
//! limit has margin left on every hop. Seeded: the same seed gives the same answer.

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};

use crate::analysis::NetworkAnalysis;
use crate::network::Node;
use crate::site::DeviceId;

/// Distance over which shadowing is alike, in metres; *planning value*.
const ALIKE_OVER_M: f64 = 3.0;

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

/// The chances that were found.
#[derive(Clone, Debug, PartialEq)]
pub struct Chances {
    /// How many draws they rest on; fewer than asked for when it was stopped.
    pub draws: u32,
    /// For each node of the network, the share of draws in which it is reached.
    pub reached: Vec<(DeviceId, f64)>,
    /// The share of draws in which all are reached.
    pub all: f64,
}

impl Chances {
    /// The chance of one device.
    pub fn of(&self, device: &DeviceId) -> Option<f64> {
        self.reached.iter().find(|(d, _)| d == device).map(|(_, p)| *p)
    }
}

/// Draws houses until the budget is spent or `go_on` says no; it is asked after every hundred draws
/// with how many are done.
pub fn chances(
    network: &NetworkAnalysis,
    budget: Budget,
    go_on: &mut dyn FnMut(u32) -> bool,
) -> Chances {
    let count = network.nodes.len();
    let field = Field::over(&network.nodes);
    let mut random = ChaCha8Rng::seed_from_u64(budget.seed);
    let mut hits = vec![0u32; count];
    let (mut all, mut draws) = (0u32, 0u32);
    let mut values = vec![0.0; count];
    while draws < budget.draws {
        field.draw(&mut random, &mut values);
        let reached = reached_in(network, &values);
        for (hit, reached) in hits.iter_mut().zip(&reached) {
            *hit += u32::from(*reached);
        }
        all += u32::from(reached.iter().all(|r| *r));
        draws += 1;
        if draws.is_multiple_of(100) && !go_on(draws) {
            break;
        }
    }
    let share = |hits: u32| f64::from(hits) / f64::from(draws.max(1));
    let devices = network.nodes.iter().map(|n| n.device.clone());
    Chances {
        draws,
        reached: devices.zip(hits.iter().map(|h| share(*h))).collect(),
        all: share(all),
    }
}

/// Breadth first over the links that have margin in this draw.
fn reached_in(network: &NetworkAnalysis, values: &[f64]) -> Vec<bool> {
    let count = network.nodes.len();
    let mut heard: Vec<Vec<usize>> = vec![Vec::new(); count];
    for link in &network.links.all {
        let shadow = (values[link.a] + values[link.b]) * std::f64::consts::FRAC_1_SQRT_2;
        if link.margin().get() + shadow * link.sigma.get() >= 0.0 {
            heard[link.a].push(link.b);
            heard[link.b].push(link.a);
        }
    }
    let is_down = |n: usize| network.down.get(n).copied().unwrap_or(false);
    let mut reached = vec![false; count];
    let mut frontier: Vec<usize> = network.hubs.iter().copied().filter(|h| !is_down(*h)).collect();
    for &hub in &frontier {
        reached[hub] = true;
    }
    for _ in 0..network.rule.most_hops {
        let mut next = Vec::new();
        for &from in frontier.iter().filter(|n| network.nodes[**n].carries_others()) {
            for &to in &heard[from] {
                if !reached[to] && !is_down(to) {
                    reached[to] = true;
                    next.push(to);
                }
            }
        }
        frontier = next;
    }
    reached
}

/// A normal field at the places of the nodes: the Cholesky factor of its correlations.
struct Field {
    factor: Vec<Vec<f64>>,
}

impl Field {
    fn over(nodes: &[Node]) -> Self {
        let alike = |i: usize, j: usize| {
            let d = nodes[i].place.distance(nodes[j].place);
            // A hair on the diagonal keeps two radios in one place from making it singular.
            (-d / ALIKE_OVER_M).exp() + if i == j { 1e-9 } else { 0.0 }
        };
        let mut factor: Vec<Vec<f64>> = Vec::with_capacity(nodes.len());
        for i in 0..nodes.len() {
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
        Self { factor }
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
