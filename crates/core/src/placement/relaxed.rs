//! The linear programme of a branch: of the cuts of a hub site those that matter, with what is settled left
//! out.

use super::bound::{CoverCut, Programme, Solved, count};
use super::tree::Tree;

/// The linear programme of a branch.
#[derive(Debug)]
pub(super) struct Relaxed {
    pub(super) programme: Programme,
    /// The row of each of its own.
    pub(super) free: Vec<usize>,
    at: Vec<Option<usize>>,
    pub(super) base: f64,
    /// The cut of each column, of those that are cuts.
    cuts: Vec<Option<usize>>,
    is_in: Vec<bool>,
}

impl Relaxed {
    /// Nothing where what is settled cannot meet a cut.
    pub(super) fn new(tree: &Tree<'_>, settled: &[Option<bool>], cuts: &[usize]) -> Option<Self> {
        let free: Vec<usize> = (0..settled.len()).filter(|r| settled[*r].is_none()).collect();
        let mut at = vec![None; settled.len()];
        for (i, row) in free.iter().enumerate() {
            at[*row] = Some(i);
        }
        let costs = free.iter().map(|r| tree.rows[*r].cost).collect();
        let bought = (0..settled.len()).filter(|r| settled[*r] == Some(true));
        let base = tree.base + bought.map(|r| tree.rows[r].cost).sum::<f64>();
        let programme = Programme::new(costs);
        let mut this = Self { programme, free, at, base, cuts: Vec::new(), is_in: Vec::new() };
        for (rows, most) in &tree.limits {
            let bought = rows.iter().filter(|r| settled[**r] == Some(true)).count();
            let left = most - count(bought);
            if left < 0.0 {
                return None;
            }
            let rows: Vec<usize> = rows.iter().filter_map(|r| this.at[*r]).collect();
            if count(rows.len()) > left {
                this.programme.at_most(&rows, left);
                this.cuts.push(None);
            }
        }
        cuts.iter().all(|cut| this.add(tree, *cut, settled)).then_some(this)
    }

    /// Adds a cut; false where it cannot be met.
    pub(super) fn add(&mut self, tree: &Tree<'_>, number: usize, settled: &[Option<bool>]) -> bool {
        self.is_in.resize(tree.cuts.len(), false);
        if std::mem::replace(&mut self.is_in[number], true) {
            return true;
        }
        let cut = &tree.cuts[number];
        let bought = cut.of.iter().filter(|(r, _)| settled[*r] == Some(true));
        let need = cut.need - bought.map(|(_, k)| k).sum::<f64>();
        if need <= 0.0 {
            return true;
        }
        let rows: Vec<(usize, f64)> =
            cut.of.iter().filter_map(|(r, k)| Some((self.at[*r]?, k.min(need)))).collect();
        if rows.iter().map(|r| r.1).sum::<f64>() < need {
            return false;
        }
        self.programme.at_least(rows, need);
        self.cuts.push(Some(number));
        true
    }

    /// The cuts that hold it up.
    pub(super) fn held_by(&self) -> Vec<usize> {
        self.programme.basic().filter_map(|c| self.cuts[c]).collect()
    }

    /// Cuts that were found elsewhere, are not in it, and are not met.
    pub(super) fn overlooked(&self, tree: &Tree<'_>, shares: &[f64]) -> Vec<usize> {
        let lacks =
            |cut: &CoverCut| cut.need - cut.of.iter().map(|(r, k)| k * shares[*r]).sum::<f64>();
        let is_in = |c: usize| self.is_in.get(c).copied().unwrap_or(false);
        let mut all: Vec<(f64, usize)> = (0..tree.cuts.len())
            .filter(|c| !is_in(*c))
            .map(|c| (lacks(&tree.cuts[c]), c))
            .filter(|(lacks, _)| *lacks > 1e-5)
            .collect();
        all.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        all.truncate(40);
        all.into_iter().map(|(_, c)| c).collect()
    }

    pub(super) fn whole(&self, settled: &[Option<bool>], solved: &Solved) -> Vec<f64> {
        let share = |r: usize| match settled[r] {
            Some(to) => f64::from(u8::from(to)),
            None => self.at[r].map_or(0.0, |i| solved.shares[i].clamp(0.0, 1.0)),
        };
        (0..settled.len()).map(share).collect()
    }
}
