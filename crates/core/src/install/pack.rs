//! The outages that weigh least, and among those the shortest walk. Freed of houses: items that need breakers off or
//! the main, stops to be walked to, what each minute without power weighs, and how long it may stay off.
//!
//! An outage is of the breakers of one of its items, or of the main where one of its items needs that;
//! whatever needs no more than what is off can be done in it. Small problems are solved by trying every
//! way to part the items (a table over their subsets, as Held and Karp (1962) for the walk in each); of
//! larger ones each family of breakers by itself, then by moving what gets lighter elsewhere. What any way weighs at
//! the least is said beside what this one weighs.

use std::collections::BTreeSet;

/// Something to be done with power off.
#[derive(Clone, Debug, PartialEq)]
pub struct PackItem {
    /// The breakers that must be off; none where it must be the main.
    pub breakers: BTreeSet<usize>,
    /// For how long, in minutes.
    pub minutes: f64,
    /// The stops that it is done at.
    pub stops: Vec<usize>,
}

impl PackItem {
    fn needs_main(&self) -> bool {
        self.breakers.is_empty()
    }
}

/// What is to be packed. Weights are of one circuit that is dark for a minute.
#[derive(Clone, Debug, PartialEq)]
pub struct PackProblem {
    /// The items.
    pub items: Vec<PackItem>,
    /// How long power may stay off, in minutes, beyond what a single item takes.
    pub most: f64,
    /// What an outage takes in itself, in minutes.
    pub each: f64,
    /// What an outage weighs in itself.
    pub once: f64,
    /// What a minute weighs, whatever is off.
    pub any: f64,
    /// Each breaker with what a minute of it weighs, and how long what is on it bears that, in minutes.
    pub breakers: Vec<Dark>,
    /// The same of the main. It weighs no less than any breakers together.
    pub main: Dark,
    /// How far it is from the panel to each stop, in metres.
    pub panel: Vec<f64>,
    /// How far it is from each stop to each other, in metres.
    pub apart: Vec<Vec<f64>>,
}

/// What it is for something to be off.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Dark {
    /// What a minute of it weighs.
    pub weight: f64,
    /// How long what is on it bears that, in minutes; boundless where nothing on it minds.
    pub bears: f64,
}

impl Default for Dark {
    fn default() -> Self {
        Self { weight: 1.0, bears: f64::INFINITY }
    }
}

impl PackProblem {
    /// What it is for a cut to be off: no breakers are the main.
    fn dark(&self, breakers: &BTreeSet<usize>) -> Dark {
        let own = if breakers.is_empty() {
            self.main
        } else {
            let all = || breakers.iter().map(|b| self.breakers[*b]);
            Dark {
                weight: all().map(|b| b.weight).sum(),
                bears: all().map(|b| b.bears).fold(f64::INFINITY, f64::min),
            }
        };
        Dark { weight: own.weight + self.any, bears: own.bears.min(self.most) }
    }

    /// What one outage of items weighs; nothing where they cannot be done in one.
    fn weight(&self, items: &[usize]) -> Option<f64> {
        let cut = cut_for(self, items)?;
        Some(self.once + self.dark(&cut).weight * self.minutes(items))
    }

    /// How long power is off for items, in minutes.
    fn minutes(&self, items: &[usize]) -> f64 {
        items.iter().map(|i| self.items[*i].minutes).sum::<f64>() + self.each
    }
}

/// Power off once.
#[derive(Clone, Debug, PartialEq)]
pub struct OffPeriod {
    /// The breakers; none for the main.
    pub breakers: BTreeSet<usize>,
    /// The items.
    pub items: Vec<usize>,
    /// The stops in the order of the walk.
    pub stops: Vec<usize>,
    /// From the panel and back, in metres.
    pub walk: f64,
}

/// All outages.
#[derive(Clone, Debug, PartialEq)]
pub struct Packed {
    /// The outages.
    pub outages: Vec<OffPeriod>,
    /// What they weigh.
    pub weight: f64,
    /// What any way to part the items weighs at the least, as far as is known.
    pub least: f64,
    /// Whether no shorter walk is possible where so little is dark.
    pub is_shortest: bool,
}

impl Packed {
    /// All walks together, in metres.
    pub fn walk(&self) -> f64 {
        self.outages.iter().map(|o| o.walk).sum()
    }

    /// Whether provably no way weighs less.
    pub fn is_least(&self) -> bool {
        !is_lighter(self.least, self.weight)
    }
}

/// So many items, and so many stops, are parted in every way.
const TRIED_ITEMS: usize = 11;
const TRIED_STOPS: usize = 13;

/// Whether a weight is less than another by more than the order of its sum.
fn is_lighter(a: f64, b: f64) -> bool {
    a < b - 1e-9 * b.abs().max(1.0)
}

/// The outages that weigh least, and the shortest walk among those that were tried.
pub fn pack(problem: &PackProblem) -> Packed {
    let all: Vec<usize> = (0..problem.items.len()).collect();
    let (mut parts, least, is_shortest) = if is_small(problem, &all) {
        let (parts, least) = least_parts(problem, &all);
        (parts, least, true)
    } else {
        let (mains, rest): (Vec<usize>, Vec<usize>) =
            all.into_iter().partition(|i| problem.items[*i].needs_main());
        let (mut parts, mut least) = least_parts(problem, &mains);
        let mut is_shortest = mains.is_empty();
        for family in families(problem, &rest) {
            let (own, weighs) = least_parts(problem, &family);
            parts.extend(own);
            least +=
                if mains.is_empty() { weighs } else { weighs.min(beside_main(problem, &family)) };
            is_shortest &= is_small(problem, &family);
        }
        if !is_shortest {
            parts = lightened(problem, parts);
        }
        (parts, least, is_shortest)
    };
    parts.sort();
    let weight = parts.iter().filter_map(|part| problem.weight(part)).sum();
    let outages = parts.into_iter().map(|part| outage(problem, part)).collect();
    Packed { outages, weight, least, is_shortest }
}

/// Items that share a breaker or all need the main, parted: in every way where they are few. With what any way weighs
/// at the least.
fn least_parts(problem: &PackProblem, items: &[usize]) -> (Vec<Vec<usize>>, f64) {
    if items.is_empty() {
        return (Vec::new(), 0.0);
    }
    if !is_small(problem, items) {
        return (filled(problem, items), at_least(problem, items));
    }
    let stops = stops_of(problem, items);
    let tours = Tours::of(problem, &stops);
    let walk = |part: &[usize]| {
        let of = part.iter().flat_map(|i| &problem.items[*i].stops);
        tours.length(of.fold(0, |mask, stop| mask | 1 << stops.binary_search(stop).unwrap_or(0)))
    };
    let best = best_parts(problem, items, walk, None);
    let mut parts = Vec::new();
    let mut left = best.len() - 1;
    let weight = best[left].0;
    while left != 0 {
        let part = best[left].2;
        parts.push(members(items, part));
        left ^= part;
    }
    (parts, weight)
}

/// What a family of breakers weighs at the least where any of it may be done while the main is off anyhow.
fn beside_main(problem: &PackProblem, family: &[usize]) -> f64 {
    if is_small(problem, family) {
        let moved = problem.dark(&BTreeSet::new()).weight;
        return best_parts(problem, family, |_| 0.0, Some(moved)).last().map_or(0.0, |b| b.0);
    }
    minutes_dark(problem, family)
}

/// What items weigh by their own minutes, each with no more off than it needs.
fn minutes_dark(problem: &PackProblem, items: &[usize]) -> f64 {
    let items = items.iter().map(|i| &problem.items[*i]);
    items.map(|i| i.minutes * problem.dark(&i.breakers).weight).sum()
}

fn stops_of(problem: &PackProblem, items: &[usize]) -> Vec<usize> {
    let all: BTreeSet<usize> =
        items.iter().flat_map(|i| problem.items[*i].stops.iter().copied()).collect();
    all.into_iter().collect()
}

fn is_small(problem: &PackProblem, items: &[usize]) -> bool {
    items.len() <= TRIED_ITEMS && stops_of(problem, items).len() <= TRIED_STOPS
}

/// What goes off for items in one outage; nothing where they cannot be done in one.
pub fn cut_for(problem: &PackProblem, items: &[usize]) -> Option<BTreeSet<usize>> {
    let breakers = if items.iter().any(|i| problem.items[*i].needs_main()) {
        BTreeSet::new()
    } else {
        let host = items.iter().max_by_key(|i| problem.items[**i].breakers.len())?;
        let breakers = &problem.items[*host].breakers;
        let holds = items.iter().all(|i| problem.items[*i].breakers.is_subset(breakers));
        holds.then(|| breakers.clone())?
    };
    let has_time = items.len() < 2 || problem.minutes(items) <= problem.dark(&breakers).bears;
    has_time.then_some(breakers)
}

/// Items that share a breaker, directly or through others.
fn families(problem: &PackProblem, items: &[usize]) -> Vec<Vec<usize>> {
    let mut families: Vec<(BTreeSet<usize>, Vec<usize>)> = Vec::new();
    for item in items {
        let breakers = &problem.items[*item].breakers;
        let (mut joined, mut others) = ((breakers.clone(), vec![*item]), Vec::new());
        for family in families {
            if family.0.is_disjoint(breakers) {
                others.push(family);
            } else {
                joined.0.extend(family.0);
                joined.1.extend(family.1);
            }
        }
        joined.1.sort_unstable();
        others.push(joined);
        families = others;
    }
    let mut all: Vec<Vec<usize>> = families.into_iter().map(|(_, items)| items).collect();
    all.sort();
    all
}

/// The items of a set, a bit each.
fn members(items: &[usize], set: usize) -> Vec<usize> {
    (0..items.len()).filter(|place| set >> place & 1 == 1).map(|place| items[place]).collect()
}

/// For every set of items, a bit each, what it weighs, how far is walked in it by `walk`, and one of its outages. An
/// item may also be moved elsewhere, where its minutes weigh `moved` each.
fn best_parts(
    problem: &PackProblem,
    items: &[usize],
    walk: impl Fn(&[usize]) -> f64,
    moved: Option<f64>,
) -> Vec<(f64, f64, usize)> {
    let whole = (1_usize << items.len()) - 1;
    let mut parts: Vec<Option<(f64, f64)>> = vec![None; whole + 1];
    for (set, is) in parts.iter_mut().enumerate().skip(1) {
        let part = members(items, set);
        *is = problem.weight(&part).map(|weight| (weight, walk(&part)));
    }
    let mut best: Vec<(f64, f64, usize)> = vec![(0.0, 0.0, 0); whole + 1];
    for set in 1..=whole {
        let lowest = set & set.wrapping_neg();
        let rest = set ^ lowest;
        let mut found = (f64::INFINITY, f64::INFINITY, 0);
        if let Some(moved) = moved {
            let item = items[lowest.trailing_zeros() as usize];
            found = (best[rest].0 + moved * problem.items[item].minutes, best[rest].1, lowest);
        }
        // Every part that holds the lowest item, with every subset of the rest.
        let mut sub = rest;
        loop {
            let part = sub | lowest;
            if let Some((weight, walk)) = parts[part] {
                let left = best[set ^ part];
                let (weight, length) = (left.0 + weight, left.1 + walk);
                if is_lighter(weight, found.0) || !is_lighter(found.0, weight) && length < found.1 {
                    found = (weight, length, part);
                }
            }
            if sub == 0 {
                break;
            }
            sub = (sub - 1) & rest;
        }
        best[set] = found;
    }
    best
}

/// An outage of items that can be done in one, walked on the shortest way that is found.
fn outage(problem: &PackProblem, items: Vec<usize>) -> OffPeriod {
    let breakers = cut_for(problem, &items).unwrap_or_default();
    let stops = stops_of(problem, &items);
    let (stops, walk) = walked(problem, &stops);
    OffPeriod { breakers, items, stops, walk }
}

/// The shortest way from the panel through stops and back: exact for a few, else from nearest to nearest,
/// with every stretch turned that gets shorter by it.
pub fn walked(problem: &PackProblem, stops: &[usize]) -> (Vec<usize>, f64) {
    if stops.len() <= TRIED_STOPS {
        let tours = Tours::of(problem, stops);
        return tours.way((1 << stops.len()) - 1);
    }
    let mut left: BTreeSet<usize> = stops.iter().copied().collect();
    let mut way: Vec<usize> = Vec::new();
    while !left.is_empty() {
        let from = way.last().copied();
        let to = |s: usize| from.map_or(problem.panel[s], |f| problem.apart[f][s]);
        let next = left.iter().copied().min_by(|a, b| to(*a).total_cmp(&to(*b)));
        let Some(next) = next else { break };
        left.remove(&next);
        way.push(next);
    }
    // From one stop to another, or to the panel.
    let apart = |a: usize, b: Option<usize>| b.map_or(problem.panel[a], |b| problem.apart[a][b]);
    loop {
        let mut is_shorter = false;
        for from in 0..way.len() {
            for to in from + 1..way.len() {
                // Only the two ends of a stretch change when it is turned: O(n²) a round, n ≤ 2,500.
                let before = from.checked_sub(1).map(|place| way[place]);
                let after = way.get(to + 1).copied();
                let (first, last) = (way[from], way[to]);
                let saved = apart(first, before) + apart(last, after)
                    - apart(last, before)
                    - apart(first, after);
                if saved > 1e-9 {
                    way[from..=to].reverse();
                    is_shorter = true;
                }
            }
        }
        if !is_shorter {
            let walk = length(problem, &way);
            return (way, walk);
        }
    }
}

/// From the panel through stops in their order and back, in metres.
pub fn length(problem: &PackProblem, way: &[usize]) -> f64 {
    let (Some(first), Some(last)) = (way.first(), way.last()) else { return 0.0 };
    let between: f64 = way.windows(2).map(|w| problem.apart[w[0]][w[1]]).sum();
    problem.panel[*first] + between + problem.panel[*last]
}

/// Shortest ways from the panel through every subset of a few stops, by their last stop.
struct Tours<'a> {
    problem: &'a PackProblem,
    stops: &'a [usize],
    ends: Vec<Vec<f64>>,
}

impl<'a> Tours<'a> {
    fn of(problem: &'a PackProblem, stops: &'a [usize]) -> Self {
        let n = stops.len();
        let mut ends = vec![vec![f64::INFINITY; n]; 1 << n];
        for (place, stop) in stops.iter().enumerate() {
            ends[1 << place][place] = problem.panel[*stop];
        }
        for set in 1..1_usize << n {
            for last in (0..n).filter(|p| set >> p & 1 == 1) {
                let so_far = ends[set][last];
                for next in (0..n).filter(|p| set >> p & 1 == 0) {
                    let length = so_far + problem.apart[stops[last]][stops[next]];
                    let there = &mut ends[set | 1 << next][next];
                    *there = there.min(length);
                }
            }
        }
        Self { problem, stops, ends }
    }

    fn back(&self, set: usize, last: usize) -> f64 {
        self.ends[set][last] + self.problem.panel[self.stops[last]]
    }

    fn length(&self, set: usize) -> f64 {
        let all = (0..self.stops.len()).filter(|p| set >> p & 1 == 1);
        all.map(|last| self.back(set, last)).min_by(f64::total_cmp).unwrap_or(0.0)
    }

    fn way(&self, whole: usize) -> (Vec<usize>, f64) {
        let mut set = whole;
        let (mut way, walk) = (Vec::new(), self.length(whole));
        let mut left = walk;
        while set != 0 {
            let to = way.last().copied();
            let cost = |last: &usize| {
                let on = to.map_or(self.problem.panel[self.stops[*last]], |next: usize| {
                    self.problem.apart[self.stops[*last]][next]
                });
                (self.ends[set][*last] + on - left).abs()
            };
            let all = (0..self.stops.len()).filter(|p| set >> p & 1 == 1);
            let Some(last) = all.min_by(|a, b| cost(a).total_cmp(&cost(b))) else { break };
            left = self.ends[set][last];
            way.push(self.stops[last]);
            set &= !(1 << last);
        }
        way.reverse();
        (way, walk)
    }
}

/// Many items of one family: those with the most breakers and the longest first, each into the first outage that it
/// fits.
fn filled(problem: &PackProblem, items: &[usize]) -> Vec<Vec<usize>> {
    let mut by_length = items.to_vec();
    by_length.sort_by(|a, b| {
        let (a, b) = (&problem.items[*a], &problem.items[*b]);
        (b.needs_main(), b.breakers.len())
            .cmp(&(a.needs_main(), a.breakers.len()))
            .then(b.minutes.total_cmp(&a.minutes))
    });
    let mut outages: Vec<Vec<usize>> = Vec::new();
    for item in by_length {
        let with = |held: &[usize]| [held, &[item]].concat();
        match outages.iter_mut().find(|held| cut_for(problem, &with(held)).is_some()) {
            Some(held) => held.push(item),
            None => outages.push(vec![item]),
        }
    }
    outages
}

/// What many items weigh at the least: each with no more off than it needs, in as many outages as they need by
/// all minutes together and by what goes off. What no other item's breakers hold needs an outage of its own kind: no
/// host holds two of those.
fn at_least(problem: &PackProblem, items: &[usize]) -> f64 {
    let room = (problem.most - problem.each).max(1.0);
    let minutes: f64 = items.iter().map(|i| problem.items[*i].minutes.min(room)).sum();
    let by_minutes = (minutes / room - 1e-9).ceil();
    let all: BTreeSet<&BTreeSet<usize>> =
        items.iter().map(|i| &problem.items[*i].breakers).collect();
    let is_held = |set: &&&BTreeSet<usize>| {
        all.iter().any(|other| other != *set && (other.is_empty() || set.is_subset(other)))
    };
    #[expect(clippy::cast_precision_loss, reason = "a few outages")]
    let hosts = all.iter().filter(|set| !is_held(set)).count() as f64;
    let lightest = all.iter().map(|set| problem.dark(set).weight).fold(f64::INFINITY, f64::min);
    let once = problem.once + problem.each * lightest;
    minutes_dark(problem, items) + once * by_minutes.max(hosts).max(1.0)
}

/// Outages with what weighs less elsewhere moved there: a whole outage into another, or one item.
fn lightened(problem: &PackProblem, mut parts: Vec<Vec<usize>>) -> Vec<Vec<usize>> {
    let weight = |part: &[usize]| if part.is_empty() { Some(0.0) } else { problem.weight(part) };
    loop {
        // The move that saves most: from where, what, to where.
        let mut best: (f64, usize, Vec<usize>, usize) = (1e-6, 0, Vec::new(), 0);
        for (from, part) in parts.iter().enumerate() {
            let single = part.iter().map(|item| vec![*item]).filter(|_| part.len() > 1);
            for moved in std::iter::once(part.clone()).chain(single) {
                let kept: Vec<usize> =
                    part.iter().copied().filter(|item| !moved.contains(item)).collect();
                let Some(gains) = weight(part).zip(weight(&kept)).map(|(a, b)| a - b) else {
                    continue;
                };
                for (to, host) in parts.iter().enumerate().filter(|(to, _)| *to != from) {
                    let whole = [host.as_slice(), moved.as_slice()].concat();
                    let Some(costs) = weight(&whole).zip(weight(host)).map(|(a, b)| a - b) else {
                        continue;
                    };
                    if gains - costs > best.0 {
                        best = (gains - costs, from, moved.clone(), to);
                    }
                }
            }
        }
        let (_, from, moved, to) = best;
        if moved.is_empty() {
            return parts;
        }
        parts[from].retain(|item| !moved.contains(item));
        parts[to].extend(moved);
        parts.retain(|part| !part.is_empty());
    }
}
