//! The search for the least that is enough: branch and cut over hub sites and candidates.
//!
//! That a device is reached only ever gets easier with more repeaters. So a set that leaves one out says
//! that at least one of the rest must be bought, and the answer is the cheapest set that meets all such
//! cuts. They are found as they are needed (implicit hitting set); the linear programme over them bounds
//! what is left to look at, and branching settles the rest.

use std::cmp::Ordering;
use std::collections::BinaryHeap;
use std::ops::ControlFlow;
use std::rc::Rc;

use super::bound::Solved;
use super::problem::{Problem, Solution, Status};
use super::relaxed::Relaxed;
use super::served::Yard;
use super::tree::Tree;

/// How far a search is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Progress {
    /// How many branches were looked at.
    pub looked: usize,
    /// The cost of the best answer so far.
    pub best: Option<f64>,
    /// No answer costs less than this.
    pub bound: f64,
}

/// Told how far it is; breaks the search off.
pub type SearchPulse<'a> = dyn FnMut(Progress) -> ControlFlow<()> + 'a;

/// A share that is as good as none or all.
const WHOLE: f64 = 1e-6;

/// A bound that rises by no more than this share of itself stands still.
const STALLED: f64 = 1e-4;

/// How many rounds of cuts may pass with the bound standing still before a branch is split.
const PATIENCE: usize = 4;

/// The same with nothing settled, where cuts serve all branches.
const PATIENCE_AT_ROOT: usize = 12;

/// Of how many rows in doubt both ways are tried before a branch is split.
const TRIED: usize = 8;

/// Whether a share is neither none nor all.
fn is_between(share: f64) -> bool {
    share > WHOLE && share < 1.0 - WHOLE
}

/// A part of the choices at a hub site.
#[derive(Debug)]
struct Branch {
    bound: f64,
    tree: usize,
    /// Rows that are settled, and how.
    settled: Vec<(usize, bool)>,
    /// The cuts that held its parent up.
    held_by: Rc<[usize]>,
    number: usize,
}

impl PartialEq for Branch {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}
impl Eq for Branch {}
impl PartialOrd for Branch {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Branch {
    /// The least bound is looked at first, then what is settled deepest.
    fn cmp(&self, other: &Self) -> Ordering {
        let deeper = self.settled.len().cmp(&other.settled.len());
        other.bound.total_cmp(&self.bound).then(deeper).then(other.number.cmp(&self.number))
    }
}

/// A choice that meets all that its tree asks.
#[derive(Clone, Debug)]
struct Choice {
    cost: f64,
    tree: usize,
    chosen: Vec<usize>,
}

/// The least that is enough; `told` is asked at every round of cuts and may break it off.
pub fn solve(problem: &Problem, told: &mut SearchPulse<'_>) -> Option<Solution> {
    let sites: Vec<(usize, Vec<usize>)> = sites_with_lost(problem);
    let fewest = sites.iter().map(|(_, lost)| lost.len()).min()?;
    let trees = sites
        .iter()
        .filter(|(_, lost)| lost.len() == fewest)
        .map(|(site, lost)| Tree::new(problem, *site, lost, None));
    let mut search = Search::new(problem, trees.collect());
    let ended = search.run(told);
    if search.best.is_some() {
        return Some(search.answer(ended));
    }
    if !ended {
        return greedy(problem);
    }
    // The limits leave somebody out: whom, is a choice too.
    let penalty = penalty(problem);
    let trees = sites.iter().map(|(site, lost)| Tree::new(problem, *site, lost, Some(penalty)));
    let mut search = Search::new(problem, trees.collect());
    let ended = search.run(&mut |Progress { looked, best, bound }| {
        // Amounts without what letting somebody go counts.
        let is_settled = best.is_some_and(|b| (b / penalty).floor() <= (bound / penalty).floor());
        let bound = if is_settled { bound % penalty } else { 0.0 };
        told(Progress { looked, best: best.map(|b| b % penalty), bound })
    });
    if search.best.is_some() { Some(search.answer(ended)) } else { greedy(problem) }
}

/// What letting one device go counts: more than all that could be bought.
fn penalty(problem: &Problem) -> f64 {
    1.0 + (0..problem.parts.len()).map(|n| problem.cost(n)).sum::<f64>()
}

/// Each hub site with the demands that nothing meets there.
fn sites_with_lost(problem: &Problem) -> Vec<(usize, Vec<usize>)> {
    let all = problem.candidates();
    let with_lost = |site: usize| {
        let yard = Yard::new(problem, site);
        let met = yard.met(&yard.open(&all));
        (site, (0..met.len()).filter(|d| !met[*d]).collect())
    };
    problem.hub_sites().into_iter().map(with_lost).collect()
}

/// What buying the cheapest route of each device in turn comes to, with what is idle left out: quick, and
/// without any proof. The search begins with it and betters it.
pub fn greedy(problem: &Problem) -> Option<Solution> {
    // Where nothing limits, nobody has to be let go.
    let penalty = (!problem.limits.is_empty()).then(|| penalty(problem));
    let found = sites_with_lost(problem).into_iter().filter_map(|(site, lost)| {
        let tree = Tree::new(problem, site, &lost, penalty);
        let rows = tree.rows.len();
        let chosen = tree.build(&vec![0.0; rows], &vec![None; rows])?;
        if !tree.is_within_limits(&chosen) {
            return None;
        }
        let mut search = Search::new(problem, vec![tree]);
        let cost = search.trees[0].cost(&chosen);
        search.best = Some(Choice { cost, tree: 0, chosen });
        Some(search.answer(false))
    });
    found.min_by(|a, b| a.unserved.len().cmp(&b.unserved.len()).then(a.cost.total_cmp(&b.cost)))
}

struct Search<'a> {
    problem: &'a Problem,
    trees: Vec<Tree<'a>>,
    heap: BinaryHeap<Branch>,
    best: Option<Choice>,
    /// All costs are whole numbers of this.
    grain: f64,
    looked: usize,
    numbers: usize,
    bound: f64,
}

impl<'a> Search<'a> {
    fn new(problem: &'a Problem, trees: Vec<Tree<'a>>) -> Self {
        let costs = trees.iter().flat_map(|t| t.rows.iter().map(|r| r.cost).chain([t.base]));
        let grain = grain(costs);
        let mut this = Self {
            problem,
            trees,
            heap: BinaryHeap::new(),
            best: None,
            grain,
            looked: 0,
            numbers: 0,
            bound: 0.0,
        };
        for tree in 0..this.trees.len() {
            let bound = this.trees[tree].base;
            let held_by = Rc::from([]);
            this.push(Branch { bound, tree, settled: Vec::new(), held_by, number: 0 });
        }
        this
    }

    fn push(&mut self, branch: Branch) {
        self.numbers += 1;
        self.heap.push(Branch { number: self.numbers, ..branch });
    }

    /// Whether an answer of at least this cost is no better than the best.
    fn is_beaten(&self, bound: f64) -> bool {
        let Some(best) = &self.best else { return bound == f64::INFINITY };
        bound > best.cost - self.grain + self.slack()
    }

    fn slack(&self) -> f64 {
        if self.grain > 0.0 {
            self.grain * 1e-4
        } else {
            -1e-9 * self.best.as_ref().map_or(1.0, |b| b.cost.max(1.0))
        }
    }

    fn progress(&self) -> Progress {
        let best = self.best.as_ref().map(|b| b.cost);
        let bound = best.map_or(self.bound, |b| self.bound.min(b));
        Progress { looked: self.looked, best, bound }
    }

    /// Looks at branches until none is left; whether it came to the end.
    fn run(&mut self, told: &mut SearchPulse<'_>) -> bool {
        while let Some(branch) = self.heap.pop() {
            self.bound = self.bound.max(branch.bound);
            if self.is_beaten(branch.bound) {
                break;
            }
            self.looked += 1;
            if self.look(&branch, told).is_break() {
                return false;
            }
        }
        if let Some(best) = &self.best {
            self.bound = best.cost;
        }
        true
    }

    /// Looks at one branch: bounds it, finds cuts that its shares do not meet, and at last splits it. Breaks
    /// where `told` does.
    fn look(&mut self, branch: &Branch, told: &mut SearchPulse<'_>) -> ControlFlow<()> {
        let t = branch.tree;
        let is_root = branch.settled.is_empty();
        let mut settled: Vec<Option<bool>> = vec![None; self.trees[t].rows.len()];
        for (row, to) in &branch.settled {
            settled[*row] = Some(*to);
        }
        let relaxed = Relaxed::new(&self.trees[t], &settled, &branch.held_by);
        let Some(mut now) = relaxed else { return ControlFlow::Continue(()) };
        let (mut stalled, mut last) = (0, f64::NEG_INFINITY);
        for round in 0.. {
            let Some(solved) = now.programme.solve() else {
                // The programme would not come to an end: the choices are halved by hand.
                self.split(branch, &settled, None, branch.bound, &now);
                break;
            };
            let bound = (now.base + solved.bound).max(branch.bound);
            let shares = now.whole(&settled, &solved);
            if !self.is_beaten(bound) && (round == 0 || is_root && round % 4 == 0) {
                let found = self.trees[t].build(&shares, &settled);
                self.take(t, found, is_root);
            }
            if self.is_beaten(bound) {
                break;
            }
            told(self.progress())?;
            stalled = if bound > last + STALLED * (1.0 + last.abs()) { 0 } else { stalled + 1 };
            last = last.max(bound);
            let is_late = stalled > if is_root { PATIENCE_AT_ROOT } else { PATIENCE };
            let in_doubt = shares.iter().copied().any(is_between);
            let tree = &mut self.trees[t];
            let mut found = now.overlooked(tree, &shares);
            if found.is_empty() {
                found = tree.violated(&shares, round);
            }
            if in_doubt && (found.is_empty() || is_late) {
                let row = self.branch_on(t, &settled, &now, &shares);
                self.split(branch, &settled, row, bound, &now);
                break;
            }
            if found.is_empty() {
                let chosen = (0..shares.len()).filter(|r| shares[*r] > 0.5).collect::<Vec<_>>();
                let Some(cut) = tree.not_met(&chosen) else {
                    self.take(t, Some(chosen), false);
                    break;
                };
                found.push(tree.keep(cut));
            }
            let tree = &self.trees[t];
            if !found.into_iter().all(|cut| now.add(tree, cut, &settled)) {
                break;
            }
            if self.settle(bound, &solved, &now.free, &mut settled) {
                match Relaxed::new(&self.trees[t], &settled, &now.held_by()) {
                    Some(fresh) => now = fresh,
                    None => break,
                }
            }
        }
        ControlFlow::Continue(())
    }

    /// Settles what cannot be part of anything better, here and below; whether anything was.
    fn settle(
        &self,
        bound: f64,
        solved: &Solved,
        free: &[usize],
        settled: &mut [Option<bool>],
    ) -> bool {
        let Some(best) = self.best.as_ref().map(|b| b.cost) else { return false };
        let cap = best - self.grain + self.slack() - bound;
        let mut any = false;
        for (at, row) in free.iter().enumerate() {
            if solved.if_bought[at] > cap {
                (settled[*row], any) = (Some(false), true);
            } else if solved.if_left[at] > cap {
                (settled[*row], any) = (Some(true), true);
            }
        }
        any
    }

    /// The row to settle: of those that are most in doubt, the one that raises the bound most.
    fn branch_on(
        &self,
        t: usize,
        settled: &[Option<bool>],
        now: &Relaxed,
        shares: &[f64],
    ) -> Option<usize> {
        let tree = &self.trees[t];
        let held_by = now.held_by();
        let mut doubtful: Vec<usize> =
            (0..shares.len()).filter(|r| settled[*r].is_none() && is_between(shares[*r])).collect();
        let doubt = |r: &usize| {
            let away = (shares[*r] - 0.5).abs();
            (0.5 - away) * (1.0 + tree.rows[*r].cost)
        };
        doubtful.sort_by(|a, b| doubt(b).total_cmp(&doubt(a)).then(a.cmp(b)));
        doubtful.truncate(TRIED);
        let mut best: Option<(f64, usize)> = None;
        for row in doubtful {
            let mut both = [0.0; 2];
            for (to, gain) in [true, false].into_iter().zip(&mut both) {
                let mut settled = settled.to_vec();
                settled[row] = Some(to);
                *gain = match Relaxed::new(tree, &settled, &held_by) {
                    None => 1e12,
                    Some(mut relaxed) => relaxed
                        .programme
                        .solve()
                        .map_or(0.0, |s| (relaxed.base + s.bound).min(1e12)),
                };
            }
            let score = both[0].min(both[1]) * 5.0 + both[0].max(both[1]);
            if best.is_none_or(|(s, _)| score > s + 1e-9) {
                best = Some((score, row));
            }
        }
        best.map(|(_, row)| row)
    }

    fn split(
        &mut self,
        branch: &Branch,
        settled: &[Option<bool>],
        row: Option<usize>,
        bound: f64,
        now: &Relaxed,
    ) {
        let held_by: Rc<[usize]> = now.held_by().into();
        let free = || (0..settled.len()).find(|r| settled[*r].is_none());
        let Some(row) = row.or_else(free) else { return };
        let known = |to: bool| {
            let is = |(r, s): (usize, &Option<bool>)| s.map(|s| (r, s));
            let all = settled.iter().enumerate().filter_map(is);
            all.chain([(row, to)]).collect::<Vec<_>>()
        };
        for to in [true, false] {
            let held_by = Rc::clone(&held_by);
            self.push(Branch { bound, tree: branch.tree, settled: known(to), held_by, number: 0 });
        }
    }

    /// Takes a choice that is better than the best, after looking around it.
    fn take(&mut self, t: usize, found: Option<Vec<usize>>, thorough: bool) {
        let Some(chosen) = found else { return };
        let tree = &self.trees[t];
        if !tree.is_within_limits(&chosen) {
            return;
        }
        let cost = tree.cost(&chosen);
        let is_better = self.best.as_ref().is_none_or(|b| cost < b.cost - 1e-9);
        if is_better {
            self.best = Some(Choice { cost, tree: t, chosen: chosen.clone() });
        }
        let is_near = self.best.as_ref().is_some_and(|b| cost <= b.cost * 1.02);
        if thorough && is_near || is_better {
            let better = tree.look_around(chosen);
            let cost = tree.cost(&better);
            if tree.is_within_limits(&better)
                && self.best.as_ref().is_none_or(|b| cost < b.cost - 1e-9)
            {
                self.best = Some(Choice { cost, tree: t, chosen: better });
            }
        }
    }

    /// The best choice as an answer; `ended` says whether nothing was left to look at.
    fn answer(&self, ended: bool) -> Solution {
        let problem = self.problem;
        let (tree, chosen): (&Tree<'_>, &[usize]) = match &self.best {
            Some(best) => (&self.trees[best.tree], &best.chosen),
            None => (&self.trees[0], &[]),
        };
        let mut repeaters = tree.nodes(chosen);
        repeaters.sort_unstable();
        let open = tree.yard.open(&repeaters);
        let met = tree.yard.met(&open);
        let of = problem.demands.iter().zip(&met);
        let routes =
            of.map(|(d, met)| if *met { tree.yard.routes(d, &open) } else { Vec::new() }).collect();
        let unserved: Vec<usize> = (0..met.len()).filter(|d| !met[*d]).collect();
        let hub = tree.site();
        let cost = problem.cost(hub) + repeaters.iter().map(|r| problem.cost(*r)).sum::<f64>();
        let is_proven = ended && self.best.is_some();
        let status = match (unserved.is_empty(), is_proven) {
            (false, _) => Status::Infeasible,
            (true, true) => Status::Optimal,
            (true, false) => Status::Feasible,
        };
        // A bound that counts those who were let go says nothing of the cost of as many.
        let counts = tree.let_go.iter().any(Option::is_some);
        let bound = match is_proven {
            true => cost,
            false if counts => 0.0,
            false => self.bound.min(cost),
        };
        Solution { status, is_proven, cost, bound, hub, repeaters, routes, unserved }
    }
}

/// The largest amount of which all costs are whole numbers, to a ten-thousandth; nought when there is none.
#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    clippy::cast_precision_loss,
    reason = "costs are not below nought, and beyond 1e15 have been turned away"
)]
fn grain(costs: impl Iterator<Item = f64>) -> f64 {
    let mut all: u64 = 0;
    for cost in costs {
        let scaled = cost * 1e4;
        if scaled > 1e15 || (scaled - scaled.round()).abs() > 1e-4 {
            return 0.0;
        }
        let (mut a, mut b) = (all, scaled.round() as u64);
        while b != 0 {
            (a, b) = (b, a % b);
        }
        all = a;
    }
    all as f64 / 1e4
}
