//! All routes of random jobs of every system, recomputed from their links by trying every way there is,
//! and what that says of verdicts, second ways, losses and seats.
#![expect(clippy::unwrap_used, reason = "a search that finds nothing has failed its test")]

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::common::{bare, drawn, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::confidence::Confidence;
use dot_reach_core::network::{Band, Hop, NetworkAnalysis, Outcome};
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::{RouteChoice, System};
use dot_reach_core::site::Site;
use dot_reach_core::units::Db;
use proptest::prelude::*;
use serde_json::json;

type Way = Vec<usize>;

/// Every way within the limits to each node, each as places from a hub.
struct Ways<'a> {
    network: &'a NetworkAnalysis,
    to: Vec<Vec<Way>>,
}

impl<'a> Ways<'a> {
    fn of(network: &'a NetworkAnalysis) -> Self {
        let mut ways = Self { network, to: vec![Vec::new(); network.nodes.len()] };
        for &hub in &network.hubs {
            ways.walk(&mut vec![hub], 0);
        }
        ways
    }

    fn walk(&mut self, way: &mut Way, cost: u32) {
        let here = way[way.len() - 1];
        let network = self.network;
        if way.len() > network.rule.most_hops || !network.nodes[here].carries_others() {
            return;
        }
        for next in 0..network.nodes.len() {
            let Some(link) = self.cost(here, next) else { continue };
            let cost = cost + link;
            if way.contains(&next)
                || network.hubs.contains(&next)
                || network.rule.most_cost.is_some_and(|most| cost > most)
            {
                continue;
            }
            way.push(next);
            self.to[next].push(way.clone());
            self.walk(way, cost);
            way.pop();
        }
    }

    fn cost(&self, a: usize, b: usize) -> Option<u32> {
        let link = self.network.links.between(a, b).filter(|l| l.margin() >= Db::ZERO)?;
        match self.network.rule.choice {
            RouteChoice::LeastLinkCost => {
                let p = self.network.arrivals.once(&self.network.nodes, link);
                (1..=7).rev().find(|cost| (1.0 / p.powi(4)).round() >= f64::from(*cost)).or(Some(1))
            }
            RouteChoice::MarginSteps => [(20.0, 1), (10.0, 2), (2.0, 4)]
                .into_iter()
                .find(|(over, _)| link.margin().get() > *over)
                .map(|(_, cost)| cost),
            RouteChoice::Nearest => Some(0),
            _ => Some(1),
        }
    }

    fn sum(&self, way: &[usize]) -> u32 {
        way.windows(2).map(|w| self.cost(w[0], w[1]).unwrap()).sum()
    }

    fn margins(&self, way: &[usize]) -> Vec<(Db, Db)> {
        let link = |w: &[usize]| *self.network.links.between(w[0], w[1]).unwrap();
        way.windows(2).map(|w| (link(w).margin(), link(w).target)).collect()
    }

    fn weakest(&self, way: &[usize]) -> f64 {
        self.margins(way).iter().map(|(m, _)| m.get()).fold(f64::INFINITY, f64::min)
    }

    fn band(&self, way: &[usize]) -> Band {
        self.margins(way).iter().map(|(m, t)| Band::of(*m, *t)).min().unwrap()
    }

    /// The best that a choice by cost and then by the weakest margin can do.
    fn best(&self, to: usize) -> Option<(u32, f64)> {
        let worth = |w: &Way| (self.sum(w), -self.weakest(w));
        let least = self.to[to].iter().map(worth).min_by(|a, b| a.partial_cmp(b).unwrap())?;
        Some((least.0, -least.1))
    }

    /// Whether every way leads over one of these.
    fn all_over(&self, to: usize, dead: &dyn Fn(usize) -> bool) -> bool {
        self.to[to].iter().all(|w| w[..w.len() - 1].iter().any(|n| dead(*n)))
    }
}

fn between(way: &[usize]) -> &[usize] {
    &way[1..way.len() - 1]
}

fn places(network: &NetworkAnalysis, hops: &[Hop]) -> Way {
    let of = |d| network.place_of(d).unwrap();
    let first = hops.first().map(|h| of(&h.from));
    first.into_iter().chain(hops.iter().map(|h| of(&h.to))).collect()
}

const KINDS: [&str; 7] = [
    "switch-neutral",
    "plug-socket",
    "switch-two-wire",
    "sensor-battery",
    "relay-module",
    "repeater-plug",
    "lamp",
];

/// One device: its place, its kind, its breaker.
type Placed = ([f64; 2], usize, usize);

#[derive(Clone, Debug)]
struct Wanted {
    system: System,
    hubs: Vec<[f64; 2]>,
    devices: Vec<Placed>,
    walls: Vec<crate::common::Wall>,
    confidence: f64,
    limits: serde_json::Value,
    spread: f64,
}

fn wanted() -> impl Strategy<Value = Wanted> {
    let place = || [0.0..30.0f64, 0.0..20.0f64];
    let devices = prop::collection::vec((place(), 0..KINDS.len(), 0..4usize), 2..8);
    let confidence = prop_oneof![Just(0.5), Just(0.8), Just(0.9), Just(0.95), Just(0.995)];
    (
        (0..8usize).prop_map(|s| System::ALL[s]),
        prop::collection::vec(place(), 1..3),
        devices,
        crate::common::walls(8),
        confidence,
        1..6usize,
        prop_oneof![Just(1.0), Just(2.5), Just(5.0)],
    )
        .prop_map(|(system, hubs, devices, walls, confidence, hops, spread)| {
            let limits = json!({ "most_hops": hops, "most_repeaters": 40, "most_routers": 40 });
            Wanted { system, hubs, devices, walls, confidence, limits, spread }
        })
}

fn site(w: &Wanted) -> Site {
    let mut site = bare(w.system);
    site.job.confidence = Confidence::new(w.confidence).unwrap();
    site.job.region = Region::Us;
    let put =
        |kind: &str, value: serde_json::Value| json!({"do": "put", "kind": kind, "value": value});
    let hub = if w.system == System::Wifi { "access-point" } else { "hub" };
    let hubs = w.hubs.iter().map(|at| (*at, hub, 0));
    let devices = w.devices.iter().map(|(at, kind, breaker)| (*at, KINDS[*kind], *breaker));
    let network = json!({"id": "n", "name": "Net", "system": w.system, "limits": w.limits});
    let mut edits = vec![drawn(), put("network", network)];
    for (i, (a, b, construction)) in w.walls.iter().enumerate() {
        let of = |p: &[f64; 2]| [p[0] * w.spread, p[1] * w.spread];
        edits.push(put("wall", json!({"id": format!("w{i}"), "floor": "g", "a": of(a), "b": of(b), "construction": construction, "known": "seen"})));
    }
    for (i, (at, kind, breaker)) in hubs.chain(devices).enumerate() {
        let circuit = if breaker == 0 { String::new() } else { breaker.to_string() };
        let at = [at[0] * w.spread, at[1] * w.spread];
        edits.push(put("point", json!({"id": format!("p{i}"), "name": "P", "floor": "g", "at": at, "height_m": 1.2, "kind": "switch", "neutral": "seen", "circuit": circuit})));
        edits.push(put("device", json!({"id": format!("d{i}"), "name": "D", "point": format!("p{i}"), "kind": kind, "network": "n"})));
    }
    with(site, &edits)
}

fn analysed(w: &Wanted) -> Analysis {
    analyse(&Arc::new(site(w)), &Options::default())
}

/// The bands of all devices, hubs among them.
fn bands(w: &Wanted) -> Vec<Band> {
    analysed(w).networks[0].outcomes.iter().map(|o| o.band).collect()
}

fn seats(network: &NetworkAnalysis, parent: usize) -> usize {
    let rule = &network.rule;
    let of =
        if network.hubs.contains(&parent) { rule.children_of_hub } else { rule.children_of_router };
    of.unwrap_or(usize::MAX)
}

/// The most children that can be seated, by trying every parent for each.
fn most_seated(wishes: &[BTreeSet<usize>], taken: &mut Vec<usize>, room: &[usize]) -> usize {
    let Some((first, rest)) = wishes.split_first() else { return 0 };
    let mut most = most_seated(rest, taken, room);
    for &parent in first {
        if taken[parent] < room[parent] {
            taken[parent] += 1;
            most = most.max(1 + most_seated(rest, taken, room));
            taken[parent] -= 1;
        }
    }
    most
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn every_route_is_what_trying_every_way_says(w in wanted()) {
        let analysis = analysed(&w);
        let network = &analysis.networks[0];
        let ways = Ways::of(network);
        for (place, outcome) in network.outcomes.iter().enumerate() {
            let Outcome { band, .. } = *outcome;
            if network.hubs.contains(&place) {
                prop_assert!(network.second_route(place).is_none());
                prop_assert!(network.disjoint_routes(place).is_empty());
                continue;
            }
            let all = &ways.to[place];
            prop_assert_eq!(outcome.hops.is_empty(), all.is_empty(), "{}", outcome.reason);
            prop_assert_eq!(band == Band::Out, all.is_empty());
            let heard = (0..network.nodes.len()).filter(|n| {
                let link = network.links.between(place, *n);
                network.nodes[*n].carries_others() && link.is_some_and(|l| l.margin() >= l.target)
            });
            prop_assert_eq!(outcome.parents, heard.count());
            if all.is_empty() {
                prop_assert!(network.second_route(place).is_none());
                continue;
            }
            let route = places(network, &outcome.hops);
            let first = places(network, network.first_route(place));
            prop_assert!(all.contains(&route) && all.contains(&first));
            let straight = all.iter().find(|w| w.len() == 2 && ways.band(w) >= Band::Sound);
            match network.rule.choice {
                RouteChoice::Nearest => {
                    prop_assert_eq!(&route, &first);
                    if straight.is_some() {
                        prop_assert!(route.len() == 2 && ways.band(&route) >= Band::Sound);
                    } else {
                        let best = ways.best(place).unwrap().1;
                        prop_assert!((ways.weakest(&route) - best).abs() < 1e-9);
                    }
                }
                choice => {
                    let (sum, weakest) = ways.best(place).unwrap();
                    prop_assert_eq!(ways.sum(&first), sum);
                    prop_assert!((ways.weakest(&first) - weakest).abs() < 1e-9);
                    if choice == RouteChoice::DirectOnly {
                        prop_assert_eq!(&route, &first);
                    } else {
                        prop_assert_eq!(band, all.iter().map(|w| ways.band(w)).max().unwrap());
                        prop_assert_eq!(band, ways.band(&route));
                    }
                }
            }
            // A second route shares no device with the first, nor the link straight from its hub.
            let own: BTreeSet<usize> = between(&route).iter().copied().collect();
            let apart = |w: &&Way| **w != route && between(w).iter().all(|n| !own.contains(n));
            let best = all.iter().filter(apart).map(|w| ways.band(w).min(Band::Sound)).max();
            let second = network.second_route(place);
            prop_assert_eq!(second.as_ref().map(|w| ways.band(w).min(Band::Sound)), best);
            prop_assert!(second.iter().all(|w| apart(&w) && all.contains(w)));
            // Two ways that share no device, and none that is fed by one breaker.
            let two = all.iter().any(|a| {
                let share = |b: &Way| between(a).iter().any(|n| between(b).contains(n));
                all.iter().any(|b| a != b && !share(b))
            });
            prop_assert_eq!(network.disjoint_routes(place).len(), 1 + usize::from(two));
            // What it hangs on.
            for (other, node) in network.nodes.iter().enumerate().filter(|(n, _)| *n != place) {
                let hangs = outcome.hangs_on.contains(&node.device);
                prop_assert_eq!(hangs, ways.all_over(place, &|n| n == other), "{}", node.device);
            }
            for breaker in network.breakers().into_iter().filter(|b| *b != network.nodes[place].circuit) {
                let hangs = outcome.hangs_on_breakers.iter().any(|b| b == breaker);
                let cut = ways.all_over(place, &|n| network.nodes[n].circuit == breaker);
                prop_assert_eq!(hangs, cut, "breaker {}", breaker);
                let lost = network.lost_with_breaker(breaker);
                prop_assert_eq!(lost.iter().any(|o| o.device == outcome.device), cut);
            }
        }
    }

    #[test]
    fn as_many_children_are_seated_as_can_be(w in wanted(), of_hub in 1..3usize, of_router in 1..3usize) {
        let mut w = w;
        w.limits["children_of_hub"] = of_hub.into();
        w.limits["children_of_router"] = of_router.into();
        prop_assume!([System::Zigbee, System::Kit, System::Thread].contains(&w.system));
        let analysis = analysed(&w);
        let network = &analysis.networks[0];
        let ways = Ways::of(network);
        let children: Vec<usize> =
            (0..network.nodes.len()).filter(|n| !network.nodes[*n].carries_others()).collect();
        let wishes: Vec<BTreeSet<usize>> = children
            .iter()
            .map(|c| ways.to[*c].iter().map(|way| way[way.len() - 2]).collect())
            .collect();
        let room: Vec<usize> = (0..network.nodes.len()).map(|n| seats(network, n)).collect();
        let mut taken = vec![0; room.len()];
        let most = most_seated(&wishes, &mut taken, &room);
        let seated = children.iter().filter(|c| !network.outcomes[**c].hops.is_empty());
        let parents: Vec<usize> = seated
            .map(|c| {
                let route = places(network, &network.outcomes[*c].hops);
                assert!(ways.to[*c].contains(&route), "{route:?}");
                route[route.len() - 2]
            })
            .collect();
        prop_assert_eq!(parents.len(), most);
        for (parent, room) in room.iter().enumerate() {
            prop_assert!(parents.iter().filter(|p| **p == parent).count() <= *room);
        }
    }

    #[test]
    fn more_confidence_never_betters_a_verdict(w in wanted()) {
        let steps: Vec<_> = [0.5, 0.8, 0.9, 0.95, 0.99, 0.995]
            .map(|confidence| bands(&Wanted { confidence, ..w.clone() }))
            .into_iter()
            .collect();
        for pair in steps.windows(2) {
            prop_assert!(pair[0].iter().zip(&pair[1]).all(|(less, more)| more <= less), "{:?}", steps);
        }
    }

    #[test]
    fn a_leaf_removed_and_a_forwarder_added_take_nothing_from_the_others(
        w in wanted(), at in [0.0..30.0f64, 0.0..20.0f64],
    ) {
        let of = |w: &Wanted| -> BTreeMap<String, Band> {
            let analysis = analysed(w);
            let outcomes = &analysis.networks[0].outcomes;
            outcomes.iter().map(|o| (o.device.to_string(), o.band)).collect()
        };
        let before = of(&w);
        let last = format!("d{}", w.hubs.len() + w.devices.len() - 1);
        let network = &analysed(&w).networks[0];
        let node = network.nodes.iter().find(|n| n.device.as_str() == last);
        if node.is_some_and(|n| !n.carries_others()) {
            let mut less = w.clone();
            less.devices.pop();
            let mut rest = before.clone();
            rest.remove(&last);
            prop_assert_eq!(of(&less), rest);
        }
        let mut more = w.clone();
        more.devices.push((at, 5, 0));
        // A star is judged by the way it takes, and one more repeater may change that.
        if ![System::Star, System::Wifi, System::ZWaveLr].contains(&w.system) {
            let after = of(&more);
            prop_assert!(before.iter().all(|(d, b)| after[d] >= *b), "{:?} {:?}", before, after);
        }
    }

    #[test]
    fn a_breaker_off_never_gains_reach(w in wanted(), breaker in 1..4usize) {
        let site = Arc::new(site(&w));
        let off = BTreeSet::from([breaker.to_string()]);
        let with_all = analyse(&site, &Options::default());
        let without = analyse(&site, &Options { breakers_off: off, ..Options::default() });
        let outcomes = |a: &Analysis| a.networks[0].outcomes.clone();
        for (all, less) in outcomes(&with_all).iter().zip(&outcomes(&without)) {
            prop_assert!(less.band <= all.band, "{}", all.device);
            prop_assert!(less.hops.is_empty() || !all.hops.is_empty());
        }
    }
}
