//! Bayesian linear regression with readings that may be wrong and unknowns that may be odd.
//!
//! A reading of link `l` is `y = xᵀθ + f_l + e`: `θ` the unknowns with a normal prior, `f_l` what is the
//! link's own and alike in all its readings (fading, furniture), `e` what is each reading's own. A reading
//! may be **gross** (a typing error, another device): then it says nothing, and it is set aside. An
//! unknown that is marked so may be **odd** (a device in metal): then its prior is wide. Which ones are, is
//! searched by the odds of the data: the one change that raises them most, until none does (coordinate
//! ascent on the posterior's mode). The rest is exact: `θ ~ N(C·b, C)`.

use crate::learned::gauss::Symmetric;

/// Standard deviations in decibels and chances: what is known before a reading is taken.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct NoisePriors {
    /// Of what a link has of its own, alike in both directions.
    pub link: f64,
    /// Of what a single reading has of its own.
    pub reading: f64,
    /// The chance that a reading is gross.
    pub gross: f64,
    /// What a gross reading may be off by.
    pub gross_by: f64,
    /// The chance that an unknown that may be odd is.
    pub odd: f64,
    /// The deviation of one that is.
    pub odd_by: f64,
}

impl NoisePriors {
    /// *Planning values*: a link has 2.6 dB of its own and a reading 1.5 dB, together 3 dB.
    pub const PLANNED: Self =
        Self { link: 2.6, reading: 1.5, gross: 0.06, gross_by: 22.0, odd: 0.04, odd_by: 12.0 };

    /// The same, with what a reading has of its own by how the readings of one link differ: the middle
    /// difference, with the planning value as if it rested on four pairs. Both together stay 3 dB.
    pub fn of(links: &[Observed]) -> Self {
        /// Of a normal variable's size, the middle one in its deviations.
        const MIDDLE: f64 = 0.6745;
        const WORTH: f64 = 4.0;
        let pairs = links.iter().filter(|l| l.y.len() == 2);
        let mut differ: Vec<f64> = pairs.map(|l| (l.y[1] - l.y[0]).abs()).collect();
        if differ.is_empty() {
            return Self::PLANNED;
        }
        differ.sort_by(f64::total_cmp);
        #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
        let count = differ.len() as f64;
        let found = (differ[differ.len() / 2] / MIDDLE).powi(2) / 2.0;
        let planned = Self::PLANNED.reading.powi(2);
        let reading = ((WORTH * planned + count * found) / (WORTH + count)).clamp(1.0, 8.0);
        let both = Self::PLANNED.of_new();
        Self { link: (both - reading).sqrt(), reading: reading.sqrt(), ..Self::PLANNED }
    }

    /// The variance of a link's mean over so many readings, given the unknowns.
    fn of_mean(&self, readings: usize) -> f64 {
        #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
        let n = readings as f64;
        self.link.powi(2) + self.reading.powi(2) / n
    }

    /// The variance of a reading of a link that was never read, given the unknowns.
    pub fn of_new(&self) -> f64 {
        self.of_mean(1)
    }
}

/// A vector of few entries: the unknown's place and its factor.
pub type Sparse = Vec<(usize, f64)>;

/// A link with its readings: how much more loss than planned each told.
#[derive(Clone, Debug, PartialEq)]
pub struct Observed {
    /// What it leans on.
    pub x: Sparse,
    /// Its readings, in decibels.
    pub y: Vec<f64>,
}

/// What is known of the unknowns beforehand; all with mean nought.
#[derive(Clone, Debug)]
pub struct Prior {
    /// The inverse of their covariance.
    pub precision: Symmetric,
    /// Unknowns that may be odd.
    pub may_be_odd: Vec<usize>,
}

/// What the readings left of the doubt.
#[derive(Clone, Debug)]
pub struct Posterior {
    /// The means of the unknowns.
    pub mean: Vec<f64>,
    /// Their covariance.
    pub covariance: Symmetric,
    /// Readings that are set aside, by link and place in it.
    pub aside: Vec<Vec<bool>>,
    /// Unknowns taken to be odd.
    pub odd: Vec<usize>,
    /// For each reading what all others say of it: mean and variance.
    pub left_out: Vec<Vec<(f64, f64)>>,
    /// By how much the house scatters more than planned: deviations are widened by it.
    pub wider: f64,
    noise: NoisePriors,
}

fn normal_log(x: f64, variance: f64) -> f64 {
    -0.5 * (x * x / variance + variance.ln() + std::f64::consts::TAU.ln())
}

/// A link's readings as far as they count.
#[derive(Clone, Copy, Debug, Default)]
struct Kept {
    count: usize,
    sum: f64,
}

impl Kept {
    fn of(y: &[f64], aside: &[bool]) -> Self {
        let kept = y.iter().zip(aside).filter(|(_, aside)| !**aside);
        kept.fold(Self::default(), |k, (y, _)| Self { count: k.count + 1, sum: k.sum + y })
    }

    fn without(self, y: f64) -> Self {
        Self { count: self.count - 1, sum: self.sum - y }
    }

    fn with(self, y: f64) -> Self {
        Self { count: self.count + 1, sum: self.sum + y }
    }

    /// Precision, and precision times mean.
    fn weight(self, noise: &NoisePriors) -> (f64, f64) {
        if self.count == 0 {
            return (0.0, 0.0);
        }
        #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
        let mean = self.sum / self.count as f64;
        let w = 1.0 / noise.of_mean(self.count);
        (w, w * mean)
    }
}

struct Search<'a> {
    links: &'a [Observed],
    noise: NoisePriors,
    covariance: Symmetric,
    /// `C⁻¹·mean`.
    b: Vec<f64>,
    mean: Vec<f64>,
    aside: Vec<Vec<bool>>,
    odd: Vec<bool>,
    /// The prior variance of each unknown when it is not odd; nothing where it may not be.
    own: Vec<Option<f64>>,
    /// On how many readings each unknown rests.
    rests_on: Vec<usize>,
}

#[derive(Clone, Copy)]
enum Flip {
    Reading(usize, usize),
    Unknown(usize),
}

impl<'a> Search<'a> {
    fn new(links: &'a [Observed], prior: &Prior, noise: NoisePriors) -> Option<Self> {
        let size = prior.precision.size();
        let aside: Vec<Vec<bool>> = links.iter().map(|l| vec![false; l.y.len()]).collect();
        let mut information = prior.precision.clone();
        let mut b = vec![0.0; size];
        for (link, aside) in links.iter().zip(&aside) {
            let (w, wy) = Kept::of(&link.y, aside).weight(&noise);
            information.add_outer(&link.x, w);
            link.x.iter().for_each(|(i, x)| b[*i] += wy * x);
        }
        let covariance = information.inverse()?;
        let mut own = vec![None; size];
        for i in &prior.may_be_odd {
            own[*i] = Some(1.0 / prior.precision.at(*i, *i));
        }
        let mut rests_on = vec![0; size];
        for link in links {
            link.x.iter().for_each(|(i, _)| rests_on[*i] += link.y.len());
        }
        let (odd, mean) = (vec![false; size], Vec::new());
        let mut this = Self { links, noise, covariance, b, mean, aside, odd, own, rests_on };
        this.settle();
        Some(this)
    }

    fn settle(&mut self) {
        let b: Sparse = self.b.iter().copied().enumerate().filter(|(_, b)| *b != 0.0).collect();
        self.mean = self.covariance.times(&b);
    }

    fn mean_of(&self, x: &Sparse) -> f64 {
        x.iter().map(|(i, x)| x * self.mean[*i]).sum()
    }

    /// What all other readings say of one: mean and variance.
    fn told_of(&self, link: usize, reading: usize) -> (f64, f64) {
        let Observed { x, y } = &self.links[link];
        let kept = Kept::of(y, &self.aside[link]);
        // First the link's own readings are taken back,
        let (w, wy) = kept.weight(&self.noise);
        let (q, mean) = (self.covariance.between(x, x), self.mean_of(x));
        let rest = 1.0 / (1.0 - w * q).max(1e-9);
        let (v, m) = (q * rest, (mean - q * wy) * rest);
        // then those that stay are taken in again, with what they share.
        let others = if self.aside[link][reading] { kept } else { kept.without(y[reading]) };
        let before = v + self.noise.link.powi(2);
        #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
        let precision = others.count as f64 / self.noise.reading.powi(2);
        let after = 1.0 / (1.0 / before + precision);
        let level = after * (m / before + others.sum / self.noise.reading.powi(2));
        (level, after + self.noise.reading.powi(2))
    }

    /// The log odds that a reading is gross, by what all others say of it.
    fn gross_odds(&self, link: usize, reading: usize) -> f64 {
        let (m, v) = self.told_of(link, reading);
        let off = self.links[link].y[reading] - m;
        let NoisePriors { gross, gross_by, .. } = self.noise;
        (gross / (1.0 - gross)).ln() + normal_log(off, v + gross_by.powi(2)) - normal_log(off, v)
    }

    /// The log odds that an unknown is odd, by what the readings say of it.
    fn odd_odds(&self, unknown: usize) -> Option<f64> {
        let own = self.own[unknown]?;
        // One reading alone is sooner wrong itself.
        if self.rests_on[unknown] < 2 {
            return None;
        }
        let wide = self.noise.odd_by.powi(2);
        let now = if self.odd[unknown] { wide } else { own };
        let c = self.covariance.at(unknown, unknown);
        let precision = 1.0 / c - 1.0 / now;
        if precision <= 1e-9 {
            return None;
        }
        let (v, m) = (1.0 / precision, self.mean[unknown] / c / precision);
        let odd = self.noise.odd;
        Some((odd / (1.0 - odd)).ln() + normal_log(m, v + wide) - normal_log(m, v + own))
    }

    fn best_flip(&self) -> Option<(f64, Flip)> {
        let readings = self.aside.iter().enumerate().flat_map(|(l, aside)| {
            aside.iter().enumerate().map(move |(r, aside)| {
                let odds = self.gross_odds(l, r);
                (if *aside { -odds } else { odds }, Flip::Reading(l, r))
            })
        });
        let unknowns = (0..self.own.len()).filter_map(|u| {
            let odds = self.odd_odds(u)?;
            Some((if self.odd[u] { -odds } else { odds }, Flip::Unknown(u)))
        });
        let all = readings.chain(unknowns).filter(|(gain, _)| *gain > 0.01);
        all.max_by(|a, b| a.0.total_cmp(&b.0))
    }

    fn flip(&mut self, flip: Flip) {
        match flip {
            Flip::Reading(l, r) => {
                let Observed { x, y } = &self.links[l];
                let before = Kept::of(y, &self.aside[l]);
                let is_aside = &mut self.aside[l][r];
                let after = if *is_aside { before.with(y[r]) } else { before.without(y[r]) };
                *is_aside = !*is_aside;
                for (i, _) in x {
                    self.rests_on[*i] = self.rests_on[*i] + after.count - before.count;
                }
                let ((w, wy), (v, vy)) = (before.weight(&self.noise), after.weight(&self.noise));
                self.covariance.learn(x, v - w);
                for (i, x) in x {
                    self.b[*i] += (vy - wy) * x;
                }
            }
            Flip::Unknown(u) => {
                let own = 1.0 / self.own[u].unwrap_or(1.0);
                let wide = self.noise.odd_by.powi(-2);
                let more = if self.odd[u] { own - wide } else { wide - own };
                self.odd[u] = !self.odd[u];
                self.covariance.learn(&[(u, 1.0)], more);
            }
        }
        self.settle();
    }
}

/// What the readings leave; nothing where the prior is none.
pub fn fit(links: &[Observed], prior: &Prior, noise: NoisePriors) -> Option<Posterior> {
    let mut search = Search::new(links, prior, noise)?;
    let readings: usize = links.iter().map(|l| l.y.len()).sum();
    // Each flip raises the odds, so that none comes back; the bound is for what rounding might do.
    for _ in 0..readings + search.own.len() {
        let Some((_, flip)) = search.best_flip() else { break };
        search.flip(flip);
    }
    let of_link = |(l, link): (usize, &Observed)| -> Vec<(f64, f64)> {
        (0..link.y.len()).map(|r| search.told_of(l, r)).collect()
    };
    let left_out: Vec<Vec<_>> = links.iter().enumerate().map(of_link).collect();
    let wider = widening(links, &search.aside, &left_out);
    let Search { covariance, mean, aside, odd, .. } = search;
    let odd = odd.iter().enumerate().filter(|(_, odd)| **odd).map(|(i, _)| i).collect();
    Some(Posterior { mean, covariance, aside, odd, left_out, wider, noise })
}

/// By how much the house scatters more than planned, where chance would do so in one house of a hundred:
/// the mean square of what is left of each reading when all others are taken off, in its own deviations.
fn widening(links: &[Observed], aside: &[Vec<bool>], left_out: &[Vec<(f64, f64)>]) -> f64 {
    let all = links.iter().zip(aside).zip(left_out).flat_map(|((link, aside), told)| {
        let kept = link.y.iter().zip(aside).zip(told).filter(|((_, aside), _)| !**aside);
        kept.map(|((y, _), (m, v))| (y - m).powi(2) / v)
    });
    let (count, sum) = all.fold((0.0, 0.0), |(n, s), z| (n + 1.0, s + z));
    if count < 8.0 {
        return 1.0;
    }
    // The upper hundredth of χ² (Wilson and Hilferty).
    let part = 2.0 / (9.0 * count);
    let most = count * f64::powi(1.0 - part + 2.326 * f64::sqrt(part), 3);
    if sum > most { f64::sqrt(sum / count) } else { 1.0 }
}

impl Posterior {
    /// The mean of a sum of unknowns.
    pub fn mean_of(&self, x: &Sparse) -> f64 {
        x.iter().map(|(i, x)| x * self.mean[*i]).sum()
    }

    /// Its variance.
    pub fn variance_of(&self, x: &Sparse) -> f64 {
        self.covariance.between(x, x) * self.wider.powi(2)
    }

    /// What a further reading of a link would tell: mean and variance. `of` is the link's place among the
    /// observed, where it was read.
    pub fn expected(&self, x: &Sparse, of: Option<(usize, &Observed)>) -> (f64, f64) {
        let (m, q) = (self.mean_of(x), self.covariance.between(x, x));
        let kept = of.map_or(Kept::default(), |(l, o)| Kept::of(&o.y, &self.aside[l]));
        let link = self.noise.link.powi(2);
        let share = if kept.count == 0 { 0.0 } else { link / self.noise.of_mean(kept.count) };
        #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
        let mean = if kept.count == 0 { m } else { kept.sum / kept.count as f64 };
        let variance =
            (1.0 - share).powi(2) * q + link * (1.0 - share) + self.noise.reading.powi(2);
        ((1.0 - share) * m + share * mean, variance * self.wider.powi(2))
    }

    /// What a link that was read has of its own: how much, and which share of it is known.
    pub fn own(&self, link: usize, observed: &Observed) -> Option<(f64, f64)> {
        let kept = Kept::of(&observed.y, &self.aside[link]);
        if kept.count == 0 {
            return None;
        }
        #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
        let mean = kept.sum / kept.count as f64;
        let share = self.noise.link.powi(2) / self.noise.of_mean(kept.count);
        Some((share * (mean - self.mean_of(&observed.x)), share))
    }

    /// By how much one reading of `read` would lower the variance of `of`, in dB².
    pub fn would_lower(&self, of: &Sparse, read: &Sparse) -> f64 {
        let both = self.covariance.between(of, read);
        both * both / (self.covariance.between(read, read) + self.noise.of_new())
            * self.wider.powi(2)
    }

    /// The noise that was assumed.
    pub fn noise(&self) -> NoisePriors {
        self.noise
    }
}
