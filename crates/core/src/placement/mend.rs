//! Choices that meet everybody, found quickly: cheapest routes added one after the other, what is idle left
//! out, and a look around. What they cost is an upper bound; the search proves what is missing.

use super::tree::Tree;

impl Tree<'_> {
    /// A choice that meets all, by adding the cheapest routes where shares are as good as bought.
    pub(super) fn build(&self, shares: &[f64], settled: &[Option<bool>]) -> Option<Vec<usize>> {
        let none = |r: usize| settled[r] == Some(false);
        let barred: Vec<bool> = (0..self.yard.problem.parts.len())
            .map(|n| self.row_of[n] != usize::MAX && none(self.row_of[n]))
            .collect();
        let price = |r: usize| self.rows[r].cost * (1.0 - shares[r]) + 1e-6;
        let start: Vec<usize> = (0..shares.len())
            .filter(|r| self.rows[*r].node.is_some() && shares[*r] > 0.999)
            .collect();
        let all: Vec<usize> = (0..self.demands.len()).collect();
        let chosen = self.mend(start, &all, &barred, &price)?;
        Some(self.lean(chosen))
    }

    /// Adds to a choice what is missing, route by route; lets go of who cannot be met.
    fn mend(
        &self,
        mut chosen: Vec<usize>,
        demands: &[usize],
        barred: &[bool],
        price: &dyn Fn(usize) -> f64,
    ) -> Option<Vec<usize>> {
        let mut open = self.yard.open(&self.nodes(&chosen));
        for &at in demands {
            let demand = self.demand(at);
            let needs = if demand.two_routes { 2 } else { 1 };
            if self.yard.routes(demand, &open).len() >= needs {
                continue;
            }
            let node_price = |n: usize| {
                let row = self.row_of[n];
                if row == usize::MAX || barred[n] { None } else { Some(price(row)) }
            };
            let added = self.yard.cheapest(demand, &open, &node_price);
            let mut is_met = false;
            if let Some(added) = added {
                let is_limited = !self.limits.is_empty() && {
                    let more: Vec<usize> = chosen
                        .iter()
                        .copied()
                        .chain(added.iter().map(|n| self.row_of[*n]))
                        .collect();
                    !self.is_within_limits(&more)
                };
                if !is_limited {
                    is_met = true;
                    for node in added {
                        open[node] = true;
                        chosen.push(self.row_of[node]);
                    }
                }
            }
            if is_met && demand.two_routes && self.yard.routes(demand, &open).len() < 2 {
                is_met = false;
            }
            if !is_met {
                match self.let_go[at] {
                    Some(row) => chosen.push(row),
                    None if demand.two_routes => {
                        // Greedy routes stood in each other's way: all is bought, and then thinned.
                        for (row, r) in self.rows.iter().enumerate() {
                            if let Some(node) = r.node.filter(|n| !open[*n] && !barred[*n]) {
                                open[node] = true;
                                chosen.push(row);
                            }
                        }
                        if self.yard.routes(demand, &open).len() < 2 {
                            return None;
                        }
                    }
                    None => return None,
                }
            }
        }
        Some(chosen)
    }

    /// Leaves out of a choice what it can do without, the dearest first. Only those whose routes ran over
    /// what is left out are looked at again.
    fn lean(&self, mut chosen: Vec<usize>) -> Vec<usize> {
        chosen.sort_unstable();
        chosen.dedup();
        let mut order = chosen.clone();
        let cost = |r: &usize| self.rows[*r].cost;
        order.sort_by(|a, b| cost(b).total_cmp(&cost(a)).then(a.cmp(b)));
        let mut open = self.yard.open(&self.nodes(&chosen));
        let mut over = self.over(&open);
        let mut left_out = vec![false; self.rows.len()];
        for row in order {
            let Some(node) = self.rows[row].node else {
                // One that was let go, and may be met after all.
                let at = (0..self.demands.len()).find(|at| self.let_go[*at] == Some(row));
                let Some(at) = at else { continue };
                if let Some(nodes) = self.met_over(at, &open) {
                    (over[at], left_out[row]) = (nodes, true);
                }
                continue;
            };
            open[node] = false;
            let touched: Vec<usize> =
                (0..over.len()).filter(|at| over[*at].contains(&node)).collect();
            let again: Option<Vec<Vec<usize>>> =
                touched.iter().map(|at| self.met_over(*at, &open)).collect();
            match again {
                Some(again) => {
                    left_out[row] = true;
                    for (at, nodes) in touched.into_iter().zip(again) {
                        over[at] = nodes;
                    }
                }
                None => open[node] = true,
            }
        }
        chosen.retain(|r| !left_out[*r]);
        chosen
    }

    /// The nodes that the routes of a demand run over; nothing where it is not met.
    fn met_over(&self, at: usize, open: &[bool]) -> Option<Vec<usize>> {
        let demand = self.demand(at);
        let routes = self.yard.routes(demand, open);
        let needs = if demand.two_routes { 2 } else { 1 };
        (routes.len() >= needs).then(|| routes.concat())
    }

    /// The same for all demands; nothing for those that are not met.
    fn over(&self, open: &[bool]) -> Vec<Vec<usize>> {
        (0..self.demands.len()).map(|at| self.met_over(at, open).unwrap_or_default()).collect()
    }

    /// Takes one out and mends what is missing without it, as long as that is cheaper.
    pub(super) fn look_around(&self, mut chosen: Vec<usize>) -> Vec<usize> {
        let mut cost = self.cost(&chosen);
        let price = |r: usize| self.rows[r].cost + 1e-6;
        'again: for _ in 0..40 {
            let over = self.over(&self.yard.open(&self.nodes(&chosen)));
            for row in chosen.clone() {
                let Some(node) = self.rows[row].node else { continue };
                let mut barred = vec![false; self.yard.problem.parts.len()];
                barred[node] = true;
                let without = chosen
                    .iter()
                    .copied()
                    .filter(|r| *r != row && self.rows[*r].node.is_some())
                    .collect();
                let touched = |at: &usize| over[*at].is_empty() || over[*at].contains(&node);
                let touched: Vec<usize> = (0..over.len()).filter(touched).collect();
                let Some(mended) = self.mend(without, &touched, &barred, &price) else { continue };
                let lean = self.lean(mended);
                let now = self.cost(&lean);
                if now < cost - 1e-9 && self.is_within_limits(&lean) {
                    (chosen, cost) = (lean, now);
                    continue 'again;
                }
            }
            break;
        }
        chosen
    }
}
