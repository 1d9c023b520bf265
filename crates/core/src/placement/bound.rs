//! What any answer costs at the least: the linear programme of the cuts known so far, solved from its dual
//! side by the revised simplex method, where one more cut is one more column.
//!
//! A bound is never taken from the tableau: it is summed anew from the dual values, each held at nought or
//! above, and so holds however they were rounded.

/// Of these candidates so many must be bought, some counting more than once.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct CoverCut {
    /// Rows with what one of each counts.
    pub(super) of: Vec<(usize, f64)>,
    /// How much of them is needed.
    pub(super) need: f64,
}

/// A column of the dual programme.
#[derive(Clone, Debug)]
struct Column {
    rows: Vec<(usize, f64)>,
    gain: f64,
}

/// A linear programme: the least of `cost · y` over cuts, 0 ≤ y ≤ 1.
#[derive(Debug)]
pub(super) struct Programme {
    cost: Vec<f64>,
    /// Costs moved apart a little, so that no two ways of turning are alike.
    apart: Vec<f64>,
    columns: Vec<Column>,
    /// What is basic in each row: a column, or the slack of a row (`columns.len()` grows, so slacks are
    /// numbered from the top).
    basis: Vec<Basic>,
    is_basic: Vec<bool>,
    inverse: Vec<f64>,
    values: Vec<f64>,
    turns: usize,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Basic {
    Slack(usize),
    Column(usize),
    /// Buying more than one whole of a candidate, which is not to be had.
    Over(usize),
}

/// What a programme comes to.
#[derive(Clone, Debug)]
pub(super) struct Solved {
    /// The share of each candidate.
    pub(super) shares: Vec<f64>,
    /// No choice costs less.
    pub(super) bound: f64,
    /// What the bound rises by at the least when a candidate is bought after all.
    pub(super) if_bought: Vec<f64>,
    /// What it rises by at the least when one is not.
    pub(super) if_left: Vec<f64>,
}

/// A gain below this is none.
const TINY: f64 = 1e-9;

/// A count as a number to reckon with.
#[expect(clippy::cast_precision_loss, reason = "counts of nodes are small")]
pub(super) fn count(of: usize) -> f64 {
    of as f64
}

impl Programme {
    pub(super) fn new(cost: Vec<f64>) -> Self {
        let rows = cost.len();
        let most = cost.iter().copied().fold(1.0, f64::max);
        let mut seed = 0x9e37_79b9_u32;
        let apart = cost
            .iter()
            .map(|c| {
                seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                c + most * 1e-6 * (1.0 + f64::from(seed >> 8) / f64::from(1 << 24))
            })
            .collect::<Vec<_>>();
        let mut this = Self {
            values: apart.clone(),
            cost,
            apart,
            columns: Vec::new(),
            basis: (0..rows).map(Basic::Slack).collect(),
            is_basic: Vec::new(),
            inverse: vec![0.0; rows * rows],
            turns: 0,
        };
        for row in 0..rows {
            this.inverse[row * rows + row] = 1.0;
        }
        this
    }

    /// At least so much of these rows.
    pub(super) fn at_least(&mut self, rows: Vec<(usize, f64)>, need: f64) {
        self.columns.push(Column { rows, gain: need });
        self.is_basic.push(false);
    }

    /// At most so many of these rows.
    pub(super) fn at_most(&mut self, rows: &[usize], most: f64) {
        let rows = rows.iter().map(|r| (*r, -1.0)).collect();
        self.columns.push(Column { rows, gain: -most });
        self.is_basic.push(false);
    }

    fn shares(&self) -> Vec<f64> {
        let rows = self.cost.len();
        let mut shares = vec![0.0; rows];
        for (at, basic) in self.basis.iter().enumerate() {
            let gain = match basic {
                Basic::Slack(_) => continue,
                Basic::Column(c) => self.columns[*c].gain,
                Basic::Over(_) => -1.0,
            };
            let line = &self.inverse[at * rows..(at + 1) * rows];
            for (share, i) in shares.iter_mut().zip(line) {
                *share += gain * i;
            }
        }
        shares
    }

    /// Turns until no column gains; nothing when it does not come to an end.
    pub(super) fn solve(&mut self) -> Option<Solved> {
        let rows = self.cost.len();
        let limit = 50 * (rows + self.columns.len()) + 1000;
        for _ in 0..limit {
            let shares = self.shares();
            // Dantzig's rule: the column that gains the most.
            let mut best: Option<(f64, Basic)> = None;
            for (c, column) in self.columns.iter().enumerate() {
                if self.is_basic[c] {
                    continue;
                }
                let sum: f64 = column.rows.iter().map(|(r, k)| k * shares[*r]).sum();
                let gain = column.gain - sum;
                if gain > TINY && best.is_none_or(|(b, _)| gain > b) {
                    best = Some((gain, Basic::Column(c)));
                }
            }
            for (row, share) in shares.iter().enumerate() {
                if share - 1.0 > TINY && best.is_none_or(|(b, _)| share - 1.0 > b) {
                    best = Some((share - 1.0, Basic::Over(row)));
                }
                // A slack that left may come back.
                if -share > TINY && best.is_none_or(|(b, _)| -share > b) {
                    best = Some((-share, Basic::Slack(row)));
                }
            }
            let Some((_, enters)) = best else { return Some(self.solved(shares)) };
            if !self.turn(enters) {
                // Gains without end: no choice meets all cuts.
                return Some(Solved {
                    bound: f64::INFINITY,
                    if_bought: vec![0.0; rows],
                    if_left: vec![0.0; rows],
                    shares,
                });
            }
        }
        None
    }

    fn column(&self, basic: Basic) -> Vec<f64> {
        let rows = self.cost.len();
        let mut d = vec![0.0; rows];
        let mut add = |row: usize, k: f64| {
            for (at, d) in d.iter_mut().enumerate() {
                *d += k * self.inverse[at * rows + row];
            }
        };
        match basic {
            Basic::Slack(row) => add(row, 1.0),
            Basic::Over(row) => add(row, -1.0),
            Basic::Column(c) => {
                for (row, k) in &self.columns[c].rows {
                    add(*row, *k);
                }
            }
        }
        d
    }

    fn turn(&mut self, enters: Basic) -> bool {
        let rows = self.cost.len();
        let d = self.column(enters);
        let mut leaves: Option<(f64, usize)> = None;
        for (at, step) in d.iter().enumerate() {
            if *step > 1e-8 {
                let ratio = self.values[at].max(0.0) / step;
                let better = match leaves {
                    None => true,
                    Some((least, which)) => {
                        ratio < least - 1e-12 || ratio < least + 1e-12 && *step > d[which]
                    }
                };
                if better {
                    leaves = Some((ratio, at));
                }
            }
        }
        let Some((_, out)) = leaves else { return false };
        if let Basic::Column(c) = self.basis[out] {
            self.is_basic[c] = false;
        }
        if let Basic::Column(c) = enters {
            self.is_basic[c] = true;
        }
        self.basis[out] = enters;
        let pivot = d[out];
        let (before, rest) = self.inverse.split_at_mut(out * rows);
        let (line, after) = rest.split_at_mut(rows);
        for i in line.iter_mut() {
            *i /= pivot;
        }
        self.values[out] = self.values[out].max(0.0) / pivot;
        let value = self.values[out];
        let others = before
            .chunks_exact_mut(rows)
            .zip(0..out)
            .chain(after.chunks_exact_mut(rows).zip(out + 1..));
        for (other, at) in others {
            let step = d[at];
            if step != 0.0 {
                for (o, l) in other.iter_mut().zip(line.iter()) {
                    *o -= step * l;
                }
                self.values[at] -= step * value;
            }
        }
        self.turns += 1;
        if self.turns.is_multiple_of(200) {
            self.tidy();
        }
        true
    }

    /// Computes the inverse anew from the basis, as errors add up.
    fn tidy(&mut self) {
        let rows = self.cost.len();
        let mut basis = vec![0.0; rows * rows];
        for (at, basic) in self.basis.iter().enumerate() {
            match basic {
                Basic::Slack(row) => basis[row * rows + at] = 1.0,
                Basic::Over(row) => basis[row * rows + at] = -1.0,
                Basic::Column(c) => {
                    for (row, k) in &self.columns[*c].rows {
                        basis[row * rows + at] = *k;
                    }
                }
            }
        }
        let mut inverse = vec![0.0; rows * rows];
        for row in 0..rows {
            inverse[row * rows + row] = 1.0;
        }
        for at in 0..rows {
            let largest = (at..rows)
                .max_by(|a, b| basis[a * rows + at].abs().total_cmp(&basis[b * rows + at].abs()));
            let Some(largest) = largest.filter(|l| basis[l * rows + at].abs() > 1e-10) else {
                return;
            };
            if largest != at {
                for k in 0..rows {
                    basis.swap(at * rows + k, largest * rows + k);
                    inverse.swap(at * rows + k, largest * rows + k);
                }
            }
            let pivot = basis[at * rows + at];
            for k in 0..rows {
                basis[at * rows + k] /= pivot;
                inverse[at * rows + k] /= pivot;
            }
            for row in (0..rows).filter(|r| *r != at) {
                let step = basis[row * rows + at];
                if step != 0.0 {
                    for k in 0..rows {
                        let (b, i) = (basis[at * rows + k], inverse[at * rows + k]);
                        basis[row * rows + k] -= step * b;
                        inverse[row * rows + k] -= step * i;
                    }
                }
            }
        }
        self.inverse = inverse;
        for at in 0..rows {
            let line = &self.inverse[at * rows..(at + 1) * rows];
            self.values[at] = line.iter().zip(&self.apart).map(|(i, c)| i * c).sum();
        }
    }

    /// The bound by the dual values, and what each row leaves.
    fn solved(&self, shares: Vec<f64>) -> Solved {
        let mut left = self.cost.clone();
        let mut bound = 0.0;
        for (at, basic) in self.basis.iter().enumerate() {
            if let Basic::Column(c) = basic {
                let value = self.values[at].max(0.0);
                bound += value * self.columns[*c].gain;
                for (row, k) in &self.columns[*c].rows {
                    left[*row] -= k * value;
                }
            }
        }
        bound += left.iter().map(|l| l.min(0.0)).sum::<f64>();
        let if_bought = left.iter().map(|l| l.max(0.0)).collect();
        let if_left = left.iter().map(|l| (-l).max(0.0)).collect();
        Solved { shares, bound, if_bought, if_left }
    }

    /// The columns that are basic.
    pub(super) fn basic(&self) -> impl Iterator<Item = usize> + '_ {
        self.basis.iter().filter_map(|b| match b {
            Basic::Column(c) => Some(*c),
            _ => None,
        })
    }
}
