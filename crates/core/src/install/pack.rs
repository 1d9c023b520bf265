//! The outages that weigh least, and among those the shortest walk. Freed of houses: items that need breakers off or
//! the main, stops to be walked to, what each minute without power weighs, and how long it may stay off.
//!
//! An outage is of all breakers of its items, or of the main where one of them needs that. Small problems are solved by
//! trying every way to part the items (a table over their subsets, as Held and Karp (1962) for the walk in each);
//! larger ones by moving what gets lighter elsewhere, and by parting two outages anew in every way. What any way weighs
//! at the least is said beside what this one weighs.

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
        cut_for(self, items).map(|_| self.weight_of(items))
    }

    /// The same, however long it takes.
    fn weight_of(&self, items: &[usize]) -> f64 {
        self.once + self.dark(&cut(self, items)).weight * self.minutes(items)
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
    let is_shortest = is_small(problem, &all);
    let (mut parts, least) = if is_shortest {
        parted(problem, &all)
    } else {
        (lightened(problem, by_breakers(problem, &all)), at_least(problem, &all))
    };
    parts.sort();
    let weight = parts.iter().filter_map(|part| problem.weight(part)).sum();
    let outages = parts.into_iter().map(|part| outage(problem, part)).collect();
    Packed { outages, weight, least, is_shortest }
}

/// A few items parted in every way: what weighs least, then the shortest walk; with what it weighs.
fn parted(problem: &PackProblem, items: &[usize]) -> (Vec<Vec<usize>>, f64) {
    let stops = stops_of(problem, items);
    let tours = Tours::of(problem, &stops);
    let walk = |part: &[usize]| {
        let of = part.iter().flat_map(|i| &problem.items[*i].stops);
        tours.length(of.fold(0, |mask, stop| mask | 1 << stops.binary_search(stop).unwrap_or(0)))
    };
    best_parts(problem, items, walk)
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
    let breakers = cut(problem, items);
    let has_time = items.len() < 2 || problem.minutes(items) <= problem.dark(&breakers).bears;
    has_time.then_some(breakers)
}

/// What goes off for items in one outage, however long it takes.
fn cut(problem: &PackProblem, items: &[usize]) -> BTreeSet<usize> {
    let all = || items.iter().map(|i| &problem.items[*i]);
    if all().any(PackItem::needs_main) {
        BTreeSet::new()
    } else {
        all().flat_map(|item| item.breakers.iter().copied()).collect()
    }
}

/// The same outages, but with the items of each group in one, however long that takes: what is open under one cut stays
/// under it.
pub fn kept_together(problem: &PackProblem, packed: Packed, groups: &[Vec<usize>]) -> Packed {
    let of = |parts: &[Vec<usize>], group: &[usize]| -> Vec<usize> {
        let holds = |part: &&Vec<usize>| part.iter().any(|item| group.contains(item));
        (0..parts.len()).filter(|n| holds(&&parts[*n])).collect()
    };
    let mut parts: Vec<Vec<usize>> = packed.outages.iter().map(|o| o.items.clone()).collect();
    if groups.iter().all(|group| of(&parts, group).len() < 2) {
        return packed;
    }
    for group in groups {
        let holding = of(&parts, group);
        let Some((&first, rest)) = holding.split_first() else { continue };
        for other in rest {
            let moved: Vec<usize> =
                parts[*other].iter().copied().filter(|item| group.contains(item)).collect();
            parts[*other].retain(|item| !group.contains(item));
            parts[first].extend(moved);
        }
    }
    parts.retain(|part| !part.is_empty());
    let weight = parts.iter().map(|part| problem.weight_of(part)).sum();
    let outages = parts.into_iter().map(|part| outage(problem, part)).collect();
    Packed { outages, weight, is_shortest: false, ..packed }
}

/// The items of a set, a bit each.
fn members(items: &[usize], set: usize) -> Vec<usize> {
    (0..items.len()).filter(|place| set >> place & 1 == 1).map(|place| items[place]).collect()
}

/// A few items parted in every way: what weighs least, then the shortest walk by `walk`; with what it weighs.
fn best_parts(
    problem: &PackProblem,
    items: &[usize],
    walk: impl Fn(&[usize]) -> f64,
) -> (Vec<Vec<usize>>, f64) {
    let whole = (1_usize << items.len()) - 1;
    let mut parts: Vec<Option<(f64, f64)>> = vec![None; whole + 1];
    for (set, is) in parts.iter_mut().enumerate().skip(1) {
        let part = members(items, set);
        *is = problem.weight(&part).map(|weight| (weight, walk(&part)));
    }
    // For every set of items, a bit each, what it weighs, how far is walked in it, and one of its outages.
    let mut best: Vec<(f64, f64, usize)> = vec![(0.0, 0.0, 0); whole + 1];
    for set in 1..=whole {
        let lowest = set & set.wrapping_neg();
        let rest = set ^ lowest;
        let mut found = (f64::INFINITY, f64::INFINITY, 0);
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
    let (mut parts, mut left) = (Vec::new(), whole);
    while left != 0 {
        parts.push(members(items, best[left].2));
        left ^= best[left].2;
    }
    (parts, best[whole].0)
}

/// An outage of items that can be done in one, walked on the shortest way that is found.
fn outage(problem: &PackProblem, items: Vec<usize>) -> OffPeriod {
    let breakers = cut(problem, &items);
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

/// Items by what goes off for them, the longest first, each into the first outage of its kind that it fits.
fn by_breakers(problem: &PackProblem, items: &[usize]) -> Vec<Vec<usize>> {
    let mut by_length = items.to_vec();
    by_length.sort_by(|a, b| problem.items[*b].minutes.total_cmp(&problem.items[*a].minutes));
    let mut outages: Vec<Vec<usize>> = Vec::new();
    for item in by_length {
        let fits = |held: &&mut Vec<usize>| {
            problem.items[held[0]].breakers == problem.items[item].breakers
                && cut_for(problem, &[held.as_slice(), &[item]].concat()).is_some()
        };
        match outages.iter_mut().find(fits) {
            Some(held) => held.push(item),
            None => outages.push(vec![item]),
        }
    }
    outages
}

/// What items weigh at the least: each dark for its own minutes with no more off than it needs; each breaker off once,
/// unless all of it may be done while the main is off; and as many outages as all minutes together need.
fn at_least(problem: &PackProblem, items: &[usize]) -> f64 {
    let of = || items.iter().map(|i| &problem.items[*i]);
    let own: f64 = of().map(|item| item.minutes * problem.dark(&item.breakers).weight).sum();
    let room = (problem.most - problem.each).max(1.0);
    let minutes: f64 = of().map(|item| item.minutes.min(room)).sum();
    let outages = (minutes / room - 1e-9).ceil().max(1.0);
    let once = if of().any(PackItem::needs_main) {
        problem.main.weight
    } else {
        let breakers: BTreeSet<usize> = of().flat_map(|item| item.breakers.clone()).collect();
        breakers.iter().map(|breaker| problem.breakers[*breaker].weight).sum()
    };
    own + outages * (problem.once + problem.each * problem.any) + problem.each * once
}

/// So many items of two outages are parted anew in every way.
const PARTED_ANEW: usize = 8;

/// Outages made lighter until nothing makes them lighter any more: what weighs less elsewhere is moved there, and two
/// are parted anew.
fn lightened(problem: &PackProblem, mut parts: Vec<Vec<usize>>) -> Vec<Vec<usize>> {
    loop {
        if let Some((from, moved, to)) = best_move(problem, &parts) {
            parts[from].retain(|item| !moved.contains(item));
            parts[to].extend(moved);
            parts.retain(|part| !part.is_empty());
        } else if let Some((one, other, anew)) = parted_anew(problem, &parts) {
            parts.swap_remove(other);
            parts.swap_remove(one);
            parts.extend(anew);
        } else {
            return parts;
        }
    }
}

/// The move of a whole outage into another, or of one item, that saves most: from where, what, to where.
fn best_move(problem: &PackProblem, parts: &[Vec<usize>]) -> Option<(usize, Vec<usize>, usize)> {
    let weight = |part: &[usize]| if part.is_empty() { Some(0.0) } else { problem.weight(part) };
    let mut best: (f64, Option<(usize, Vec<usize>, usize)>) = (1e-6, None);
    for (from, part) in parts.iter().enumerate() {
        let single = part.iter().map(|item| vec![*item]).filter(|_| part.len() > 1);
        for moved in std::iter::once(part.clone()).chain(single) {
            let kept: Vec<usize> =
                part.iter().copied().filter(|item| !moved.contains(item)).collect();
            let Some(gains) = weight(part).zip(weight(&kept)).map(|(a, b)| a - b) else { continue };
            for (to, host) in parts.iter().enumerate().filter(|(to, _)| *to != from) {
                let whole = [host.as_slice(), moved.as_slice()].concat();
                let costs = weight(&whole).zip(weight(host)).map(|(a, b)| a - b);
                let saves = costs.map_or(0.0, |costs| gains - costs);
                if saves > best.0 {
                    best = (saves, Some((from, moved.clone(), to)));
                }
            }
        }
    }
    best.1
}

/// Two outages, the one before the other, and how their items weigh less.
fn parted_anew(
    problem: &PackProblem,
    parts: &[Vec<usize>],
) -> Option<(usize, usize, Vec<Vec<usize>>)> {
    for (other, second) in parts.iter().enumerate() {
        for (one, first) in parts[..other].iter().enumerate() {
            let both = [first.as_slice(), second.as_slice()].concat();
            if both.len() > PARTED_ANEW {
                continue;
            }
            let weighs: f64 = [first, second].iter().filter_map(|p| problem.weight(p)).sum();
            let (anew, weight) = best_parts(problem, &both, |_| 0.0);
            if is_lighter(weight, weighs) {
                return Some((one, other, anew));
            }
        }
    }
    None
}
