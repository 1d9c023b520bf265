//! The least number of times that power goes off, and among those the shortest walk. Freed of houses: items
//! that need breakers off or the main, stops to be walked to, and how long power may stay off.
//!
//! An outage is of the breakers of one of its items, or of the main where one of its items needs that;
//! whatever needs no more than what is off can be done in it. Small problems are solved by trying every
//! way to part the items (a table over their subsets, as Held and Karp (1962) for the walk in each); of
//! larger ones each family of breakers by itself, and what is known of the whole is said.

use std::collections::{BTreeMap, BTreeSet};

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

/// What is to be packed.
#[derive(Clone, Debug, PartialEq)]
pub struct PackProblem {
    /// The items.
    pub items: Vec<PackItem>,
    /// How long power may stay off, in minutes, beyond what a single item takes.
    pub most: f64,
    /// What an outage takes in itself, in minutes.
    pub each: f64,
    /// How far it is from the panel to each stop, in metres.
    pub panel: Vec<f64>,
    /// How far it is from each stop to each other, in metres.
    pub apart: Vec<Vec<f64>>,
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
    /// Whether there are provably not fewer.
    pub is_least: bool,
    /// Whether also no shorter walk is possible with so few.
    pub is_shortest: bool,
}

impl Packed {
    /// All walks together, in metres.
    pub fn walk(&self) -> f64 {
        self.outages.iter().map(|o| o.walk).sum()
    }
}

/// So many items, and so many stops, are parted in every way.
const TRIED_ITEMS: usize = 11;
const TRIED_STOPS: usize = 13;

/// The least number of outages, and the shortest walk among those that were tried.
pub fn pack(problem: &PackProblem) -> Packed {
    let all: Vec<usize> = (0..problem.items.len()).collect();
    if is_small(problem, &all) {
        return Packed { outages: parted(problem, &all), is_least: true, is_shortest: true };
    }
    let (mains, rest): (Vec<usize>, Vec<usize>) =
        all.into_iter().partition(|i| problem.items[*i].needs_main());
    let mut is_least = true;
    let mut is_shortest = mains.is_empty();
    let mut outages = Vec::new();
    let families = families(problem, &rest);
    let (folded, main_outages, exact) = with_main(problem, &mains, &families);
    is_least &= exact;
    outages.extend(main_outages);
    for family in &families {
        let left: Vec<usize> = family.iter().copied().filter(|i| !folded.contains(i)).collect();
        if left.is_empty() {
            continue;
        }
        if is_small(problem, &left) {
            outages.extend(parted(problem, &left));
        } else {
            let (made, least) = filled(problem, &left);
            is_least &= least;
            is_shortest = false;
            outages.extend(made);
        }
    }
    Packed { outages, is_least, is_shortest }
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
    let minutes: f64 = items.iter().map(|i| problem.items[*i].minutes).sum::<f64>() + problem.each;
    if items.len() > 1 && minutes > problem.most {
        return None;
    }
    if items.iter().any(|i| problem.items[*i].needs_main()) {
        return Some(BTreeSet::new());
    }
    let host = items.iter().max_by_key(|i| problem.items[**i].breakers.len())?;
    let breakers = &problem.items[*host].breakers;
    let holds = items.iter().all(|i| problem.items[*i].breakers.is_subset(breakers));
    holds.then(|| breakers.clone())
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

/// Every way to part a few items: fewest outages, then the shortest walk.
fn parted(problem: &PackProblem, items: &[usize]) -> Vec<OffPeriod> {
    if items.is_empty() {
        return Vec::new();
    }
    let stops = stops_of(problem, items);
    let tours = Tours::of(problem, &stops);
    let walk = |part: &[usize]| {
        let of = part.iter().flat_map(|i| &problem.items[*i].stops);
        tours.length(of.fold(0, |mask, stop| mask | 1 << stops.binary_search(stop).unwrap_or(0)))
    };
    let best = best_parts(problem, items, walk);
    let mut outages = Vec::new();
    let mut left = best.len() - 1;
    while left != 0 {
        let part = best[left].2;
        outages.push(outage(problem, members(items, part)));
        left ^= part;
    }
    outages
}

/// How many outages a few items need at the least; no walk is looked at.
fn fewest(problem: &PackProblem, items: &[usize]) -> usize {
    best_parts(problem, items, |_| 0.0).last().map_or(0, |(count, ..)| *count)
}

/// The items of a set, a bit each.
fn members(items: &[usize], set: usize) -> Vec<usize> {
    (0..items.len()).filter(|place| set >> place & 1 == 1).map(|place| items[place]).collect()
}

/// For every set of items, a bit each, how many outages it needs, how far is walked in them by `walk`, and
/// one of those outages.
fn best_parts(
    problem: &PackProblem,
    items: &[usize],
    walk: impl Fn(&[usize]) -> f64,
) -> Vec<(usize, f64, usize)> {
    let whole = (1_usize << items.len()) - 1;
    let mut walks: Vec<Option<f64>> = vec![None; whole + 1];
    for (set, length) in walks.iter_mut().enumerate().skip(1) {
        let part = members(items, set);
        *length = cut_for(problem, &part).map(|_| walk(&part));
    }
    let mut best: Vec<(usize, f64, usize)> = vec![(0, 0.0, 0); whole + 1];
    for set in 1..=whole {
        let lowest = set & set.wrapping_neg();
        let rest = set ^ lowest;
        let mut found = (usize::MAX, f64::INFINITY, 0);
        // Every part that holds the lowest item, with every subset of the rest.
        let mut sub = rest;
        loop {
            let part = sub | lowest;
            if let Some(walk) = walks[part] {
                let (count, length, _) = best[set ^ part];
                let (count, length) = (count + 1, length + walk);
                if count < found.0 || count == found.0 && length < found.1 {
                    found = (count, length, part);
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

/// Many items of one family: the longest first, each into the first outage that it fits; least where no
/// packing of their minutes needs fewer.
fn filled(problem: &PackProblem, items: &[usize]) -> (Vec<OffPeriod>, bool) {
    let mut by_length = items.to_vec();
    by_length.sort_by(|a, b| {
        let (a, b) = (&problem.items[*a], &problem.items[*b]);
        (b.needs_main(), b.breakers.len())
            .cmp(&(a.needs_main(), a.breakers.len()))
            .then(b.minutes.total_cmp(&a.minutes))
    });
    // Each outage with its minutes. Its first item has the most breakers, or needs the main: what the others need
    // must be off for that one anyhow, as in `cut_for`.
    let mut outages: Vec<(f64, Vec<usize>)> = Vec::new();
    for item in by_length {
        let of = &problem.items[item];
        let fits = |(minutes, held): &&mut (f64, Vec<usize>)| {
            let host = &problem.items[held[0]];
            *minutes + of.minutes <= problem.most
                && (host.needs_main() || of.breakers.is_subset(&host.breakers))
        };
        match outages.iter_mut().find(fits) {
            Some((minutes, held)) => {
                *minutes += of.minutes;
                held.push(item);
            }
            None => outages.push((problem.each + of.minutes, vec![item])),
        }
    }
    let least = bound(problem, items);
    let is_least = outages.len() <= least;
    (outages.into_iter().map(|(_, items)| outage(problem, items)).collect(), is_least)
}

/// So many outages at the least: by all minutes together, and by what goes off. What no other item's
/// breakers hold needs an outage of its own kind: no host holds two of those.
fn bound(problem: &PackProblem, items: &[usize]) -> usize {
    let room = (problem.most - problem.each).max(1.0);
    let minutes: f64 = items.iter().map(|i| problem.items[*i].minutes.min(room)).sum();
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a few outages")]
    let by_minutes = (minutes / room - 1e-9).ceil() as usize;
    let all: BTreeSet<&BTreeSet<usize>> =
        items.iter().map(|i| &problem.items[*i].breakers).collect();
    let is_held = |set: &&&BTreeSet<usize>| {
        all.iter().any(|other| other != *set && (other.is_empty() || set.is_subset(other)))
    };
    let hosts = all.iter().filter(|set| !is_held(set)).count();
    by_minutes.max(hosts).max(1)
}

/// Outages of the main, and which other items are done in their spare time, so that the most outages are
/// saved by it. Whether that is least.
fn with_main(
    problem: &PackProblem,
    mains: &[usize],
    families: &[Vec<usize>],
) -> (BTreeSet<usize>, Vec<OffPeriod>, bool) {
    if mains.is_empty() {
        return (BTreeSet::new(), Vec::new(), true);
    }
    let fewest =
        if is_small(problem, mains) { parted(problem, mains) } else { filled(problem, mains).0 };
    let offers: Vec<Vec<Saving>> = families.iter().map(|family| savings(problem, family)).collect();
    let mut best: Option<(usize, Folded)> = None;
    // More outages of the main than are needed have more time to spare for others.
    for count in fewest.len()..=mains.len().min(fewest.len() + 2) {
        let outages = if count == fewest.len() {
            fewest.iter().map(|o| o.items.clone()).collect()
        } else {
            evenly(problem, mains, count)
        };
        let folded = fold(problem, outages, &offers);
        if best.as_ref().is_none_or(|(c, b)| folded.saved + c > b.saved + count) {
            best = Some((count, folded));
        }
    }
    let is_known = families.iter().all(|family| is_small(problem, family) && family.len() <= 8);
    let is_least = mains.len() == 1 && is_known;
    let folded = best.map(|(_, folded)| folded).unwrap_or_default();
    let made = folded.outages.into_iter().map(|items| outage(problem, items)).collect();
    (folded.moved, made, is_least)
}

/// Outages of the main with what was moved into them.
#[derive(Default)]
struct Folded {
    outages: Vec<Vec<usize>>,
    moved: BTreeSet<usize>,
    saved: usize,
}

fn fold(problem: &PackProblem, mut outages: Vec<Vec<usize>>, offers: &[Vec<Saving>]) -> Folded {
    let (mut moved, mut saved) = (BTreeSet::new(), 0);
    for outage in &mut outages {
        let minutes: f64 =
            outage.iter().map(|i| problem.items[*i].minutes).sum::<f64>() + problem.each;
        for saving in chosen(offers, &moved, problem.most - minutes) {
            moved.extend(saving.items.iter().copied());
            outage.extend(saving.items.iter().copied());
            saved += saving.saved;
        }
    }
    Folded { outages, moved, saved }
}

/// Items of the main in so many outages, each as long as the others as nearly as that goes.
fn evenly(problem: &PackProblem, mains: &[usize], count: usize) -> Vec<Vec<usize>> {
    let mut longest = mains.to_vec();
    longest.sort_by(|a, b| problem.items[*b].minutes.total_cmp(&problem.items[*a].minutes));
    let mut outages: Vec<(f64, Vec<usize>)> = vec![(0.0, Vec::new()); count];
    for item in longest {
        if let Some(least) = outages.iter_mut().min_by(|a, b| a.0.total_cmp(&b.0)) {
            least.0 += problem.items[item].minutes;
            least.1.push(item);
        }
    }
    outages.into_iter().map(|(_, items)| items).collect()
}

/// Items that are moved into another outage, and how many outages that saves.
struct Saving {
    saved: usize,
    minutes: f64,
    items: Vec<usize>,
}

/// For each number of outages saved, the items of a family that take the fewest minutes to move.
fn savings(problem: &PackProblem, family: &[usize]) -> Vec<Saving> {
    let minutes = |items: &[usize]| items.iter().map(|i| problem.items[*i].minutes).sum::<f64>();
    if !is_small(problem, family) {
        let saved = filled(problem, family).0.len();
        return vec![Saving { saved, minutes: minutes(family), items: family.to_vec() }];
    }
    let n = family.len();
    let count = |items: &[usize]| fewest(problem, items);
    let all = count(family);
    let mut best: BTreeMap<usize, Saving> = BTreeMap::new();
    // Moving all of a family is tried always; parts of it only where there are few.
    let sets: Vec<usize> =
        if n <= 8 && all > 1 { (1..1 << n).collect() } else { vec![(1 << n) - 1] };
    for set in sets {
        let part = |moved: bool| -> Vec<usize> {
            (0..n).filter(|p| (set >> p & 1 == 1) == moved).map(|p| family[p]).collect()
        };
        let (items, left) = (part(true), part(false));
        // What others were done along with may have been taken out: then there are more than before.
        let (saved, takes) = (all.saturating_sub(count(&left)), minutes(&items));
        if saved > 0 && best.get(&saved).is_none_or(|known| takes < known.minutes) {
            best.insert(saved, Saving { saved, minutes: takes, items });
        }
    }
    best.into_values().collect()
}

/// The savings that together save the most and fit into the spare minutes; of each family one at most. For
/// every number of outages saved, the fewest minutes that do it.
fn chosen<'a>(offers: &'a [Vec<Saving>], moved: &BTreeSet<usize>, spare: f64) -> Vec<&'a Saving> {
    let mut best: BTreeMap<usize, (f64, Vec<&Saving>)> = BTreeMap::from([(0, (0.0, Vec::new()))]);
    for family in offers {
        let mut next = best.clone();
        for saving in family.iter().filter(|s| !s.items.iter().any(|i| moved.contains(i))) {
            for (saved, (minutes, picks)) in &best {
                let (saved, minutes) = (saved + saving.saved, minutes + saving.minutes);
                if minutes <= spare && next.get(&saved).is_none_or(|(known, _)| minutes < *known) {
                    let picks = picks.iter().copied().chain([saving]).collect();
                    next.insert(saved, (minutes, picks));
                }
            }
        }
        best = next;
    }
    best.pop_last().map(|(_, (_, picks))| picks).unwrap_or_default()
}
