//! What is known at one hub site: what may be bought there, whom it is for, and the cuts found so far.

use std::collections::BTreeSet;

use super::bound::{CoverCut, count};
use super::problem::{Demand, NodeUse, Problem};
use super::served::{Without, Yard};

/// What shares must lack of a cut for it to be of use.
const LACKS: f64 = 1e-5;

/// What is known at a hub site.
#[derive(Debug)]
pub(super) struct Tree<'a> {
    pub(super) yard: Yard<'a>,
    /// Candidates that could lie on a route, then, where not all can be met, one row a demand.
    pub(super) rows: Vec<BuyRow>,
    /// The row of each node.
    pub(super) row_of: Vec<usize>,
    /// The demands that need candidates.
    pub(super) demands: Vec<usize>,
    /// The row of letting each of them go.
    pub(super) let_go: Vec<Option<usize>>,
    /// Each limit as rows.
    pub(super) limits: Vec<(Vec<usize>, f64)>,
    pub(super) cuts: Vec<CoverCut>,
    /// Cuts that were found, and whether two are needed of them.
    known: BTreeSet<(bool, Vec<usize>)>,
    /// What the site costs, with those that nothing can meet.
    pub(super) base: f64,
}

/// Something that is bought or not: a candidate, or letting a demand go.
#[derive(Clone, Copy, Debug)]
pub(super) struct BuyRow {
    pub(super) node: Option<usize>,
    pub(super) cost: f64,
}

impl<'a> Tree<'a> {
    pub(super) fn new(
        problem: &'a Problem,
        site: usize,
        lost: &[usize],
        penalty: Option<f64>,
    ) -> Self {
        let yard = Yard::new(problem, site);
        let standing = yard.standing();
        let met = yard.met(&standing);
        let demands: Vec<usize> =
            (0..met.len()).filter(|d| !met[*d] && lost.binary_search(d).is_err()).collect();
        let useful = yard.useful(&demands);
        let mut rows: Vec<BuyRow> = problem
            .candidates()
            .into_iter()
            .filter(|c| useful[*c])
            .map(|c| BuyRow { node: Some(c), cost: problem.cost(c) })
            .collect();
        let mut row_of = vec![usize::MAX; problem.parts.len()];
        for (row, of) in rows.iter().enumerate() {
            if let Some(node) = of.node {
                row_of[node] = row;
            }
        }
        let mut let_go = vec![None; demands.len()];
        if let Some(penalty) = penalty {
            for let_go in &mut let_go {
                *let_go = Some(rows.len());
                rows.push(BuyRow { node: None, cost: penalty });
            }
        }
        let as_rows = |of: &[usize]| {
            of.iter().map(|n| row_of[*n]).filter(|r| *r != usize::MAX).collect::<Vec<_>>()
        };
        let limits = problem.limits.iter().map(|l| (as_rows(&l.of), count(l.most))).collect();
        let base = problem.cost(site) + penalty.unwrap_or(0.0) * count(lost.len());
        let cuts = Vec::new();
        Self { yard, rows, row_of, demands, let_go, limits, cuts, known: BTreeSet::new(), base }
    }

    pub(super) fn site(&self) -> usize {
        let is_site = |h: &&usize| matches!(self.yard.problem.parts[**h], NodeUse::HubSite { .. });
        self.yard.hubs.iter().find(is_site).copied().unwrap_or_default()
    }

    pub(super) fn demand(&self, at: usize) -> &'a Demand {
        &self.yard.problem.demands[self.demands[at]]
    }

    pub(super) fn cost(&self, chosen: &[usize]) -> f64 {
        self.base + chosen.iter().map(|r| self.rows[*r].cost).sum::<f64>()
    }

    pub(super) fn is_within_limits(&self, chosen: &[usize]) -> bool {
        let within = |(rows, most): &(Vec<usize>, f64)| {
            count(chosen.iter().filter(|r| rows.contains(r)).count()) <= *most
        };
        self.limits.iter().all(within)
    }

    pub(super) fn keep(&mut self, cut: CoverCut) -> usize {
        self.cuts.push(cut);
        self.cuts.len() - 1
    }

    pub(super) fn nodes(&self, chosen: &[usize]) -> Vec<usize> {
        chosen.iter().filter_map(|r| self.rows[*r].node).collect()
    }

    /// A cut of candidates as one of rows; letting its demand go meets it too.
    fn as_cut(&mut self, at: usize, nodes: &[usize], need: f64) -> Option<usize> {
        let mut rows: Vec<usize> = nodes.iter().map(|n| self.row_of[*n]).collect();
        rows.extend(self.let_go[at]);
        rows.sort_unstable();
        if !self.known.insert((need > 1.0, rows.clone())) {
            return None;
        }
        let counts = |r: usize| if self.let_go[at] == Some(r) { need } else { 1.0 };
        let of = rows.into_iter().map(|r| (r, counts(r))).collect();
        Some(self.keep(CoverCut { of, need }))
    }

    /// Cuts that these shares do not meet.
    pub(super) fn violated(&mut self, shares: &[f64], round: usize) -> Vec<usize> {
        let mut found = Vec::new();
        let orders = self.orders(shares, round);
        let share: Vec<f64> = (0..self.row_of.len())
            .map(|n| if self.row_of[n] == usize::MAX { 0.0 } else { shares[self.row_of[n]] })
            .collect();
        let weight = |n: usize| share[n];
        for at in 0..self.demands.len() {
            let demand = self.demand(at);
            let gone = self.let_go[at].map_or(0.0, |r| shares[r]);
            let needs = self.yard.needs(demand);
            let need = count(needs.routes);
            let enough = need * (1.0 - gone) - LACKS;
            if enough <= 0.0 {
                continue;
            }
            let before = found.len();
            for order in &orders {
                if let Some(nodes) = self.yard.cut(demand, needs.without, order, &weight, enough) {
                    found.extend(self.as_cut(at, &nodes, need));
                }
            }
            if needs.routes < 2 || found.len() > before {
                continue;
            }
            // Two routes: each must still be had without any one feed.
            let enough = 1.0 - gone - LACKS;
            for feed in self.feeds_to_try(&share) {
                let without = Without { feed: Some(feed), straight: false };
                for order in &orders[..2] {
                    if let Some(nodes) = self.yard.cut(demand, without, order, &weight, enough) {
                        found.extend(self.as_cut(at, &nodes, 1.0));
                    }
                }
            }
        }
        found
    }

    /// Orders in which candidates are thought of as bought: those with the largest shares first, and of
    /// those that are alike the nearest to the hub, the farthest, or as they come in this round.
    fn orders(&self, shares: &[f64], round: usize) -> [Vec<usize>; 3] {
        let nodes: Vec<usize> = self.rows.iter().filter_map(|r| r.node).collect();
        let depth = self.yard.depths();
        let by = |key: &dyn Fn(usize) -> usize| {
            let mut order = nodes.clone();
            let share = |n: &usize| shares[self.row_of[*n]];
            order.sort_by(|a, b| {
                share(b).total_cmp(&share(a)).then(key(*a).cmp(&key(*b))).then(a.cmp(b))
            });
            order
        };
        let mixed = |n: usize| {
            let turn = round.wrapping_mul(0xbf58_476d_1ce4_e5b9);
            let seed = (n + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15).wrapping_add(turn);
            (seed ^ (seed >> 29)).wrapping_mul(0x94d0_49bb_1331_11eb) >> 16
        };
        [by(&|n| depth[n]), by(&|n| usize::MAX - depth[n]), by(&mixed)]
    }

    /// Feeds whose loss is worth asking about.
    fn feeds_to_try(&self, share: &[f64]) -> BTreeSet<usize> {
        let problem = self.yard.problem;
        let tried = |n: &usize| match problem.parts[*n] {
            NodeUse::Existing => true,
            NodeUse::Candidate { .. } => share[*n] > 0.05,
            _ => false,
        };
        (0..problem.parts.len()).filter(tried).map(|n| problem.feeds[n]).collect()
    }

    /// A cut that a whole choice does not meet; nothing when it meets all demands.
    pub(super) fn not_met(&mut self, chosen: &[usize]) -> Option<CoverCut> {
        let open = self.yard.open(&self.nodes(chosen));
        let met = self.yard.met(&open);
        let at = (0..self.demands.len()).find(|at| {
            let gone = self.let_go[*at].is_some_and(|r| chosen.contains(&r));
            !met[self.demands[*at]] && !gone
        })?;
        let start = self.nodes(chosen);
        let order: Vec<usize> = self.rows.iter().filter_map(|r| r.node).collect();
        let nodes = self.yard.cut_by_trying(self.demand(at), &order, &start);
        let mut rows: Vec<(usize, f64)> = nodes.iter().map(|n| (self.row_of[*n], 1.0)).collect();
        rows.extend(self.let_go[at].map(|r| (r, 1.0)));
        Some(CoverCut { of: rows, need: 1.0 })
    }
}
