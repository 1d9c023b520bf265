//! The search for the least that is enough, against trying everything, and its laws.

use std::ops::ControlFlow;

use dot_reach_core::placement::problem::{Demand, NodeUse, Problem, Quota, Solution, Status};
use dot_reach_core::placement::search::{greedy, solve};
use proptest::prelude::*;

/// All routes of a device over open nodes, one step after the other.
fn routes(problem: &Problem, hub: usize, open: &[bool], demand: &Demand) -> Vec<Vec<usize>> {
    let (mut found, mut begun) = (Vec::new(), vec![vec![hub]]);
    while let Some(way) = begun.pop() {
        if way.len() > demand.most_hops {
            continue;
        }
        for &near in &problem.near[way[way.len() - 1]] {
            let on = way.iter().copied().chain([near]).collect();
            if near == demand.node {
                found.push(on);
            } else if open[near] && !way.contains(&near) {
                begun.push(on);
            }
        }
    }
    found
}

fn is_met(problem: &Problem, hub: usize, open: &[bool], demand: &Demand) -> bool {
    let all = routes(problem, hub, open, demand);
    let feeds = |way: &[usize]| -> Vec<usize> {
        way[1..way.len() - 1].iter().map(|n| problem.feeds[*n]).collect()
    };
    let apart = |a: &[usize], b: &[usize]| !feeds(a).iter().any(|f| feeds(b).contains(f));
    if !demand.two_routes {
        return !all.is_empty();
    }
    all.iter().enumerate().any(|(i, a)| all[..i].iter().any(|b| apart(a, b)))
}

/// The fewest left out and the least cost, over every hub site and every set of candidates.
fn by_trying_all(problem: &Problem) -> (usize, f64) {
    let candidates = problem.candidates();
    let mut best = (usize::MAX, f64::INFINITY);
    for hub in problem.hub_sites() {
        for set in 0..1_u32 << candidates.len() {
            let is_in = |i: usize| set >> i & 1 == 1;
            let bought: Vec<usize> =
                (0..candidates.len()).filter(|i| is_in(*i)).map(|i| candidates[i]).collect();
            let beyond = |l: &Quota| bought.iter().filter(|n| l.of.contains(n)).count() > l.most;
            if problem.limits.iter().any(beyond) {
                continue;
            }
            let forwards = |n: usize| problem.parts[n] == NodeUse::Existing || bought.contains(&n);
            let open: Vec<bool> = (0..problem.parts.len()).map(forwards).collect();
            let out = problem.demands.iter().filter(|d| !is_met(problem, hub, &open, d)).count();
            let cost = [hub].iter().chain(&bought).map(|n| problem.cost(*n)).sum();
            if (out, cost) < best {
                best = (out, cost);
            }
        }
    }
    best
}

fn solved(problem: &Problem) -> Solution {
    solve(problem, &mut |_| ControlFlow::Continue(())).unwrap_or_else(|| unreachable!("a hub site"))
}

/// Every route of an answer is one of the problem, over what was bought; critical devices have two apart.
fn holds(problem: &Problem, answer: &Solution) -> Result<(), TestCaseError> {
    let mut open: Vec<bool> = problem.parts.iter().map(|p| *p == NodeUse::Existing).collect();
    for repeater in &answer.repeaters {
        open[*repeater] = true;
    }
    for (d, demand) in problem.demands.iter().enumerate() {
        let ways = &answer.routes[d];
        let needs = if demand.two_routes { 2 } else { 1 };
        prop_assert_eq!(ways.len(), if answer.unserved.contains(&d) { 0 } else { needs });
        for way in ways {
            prop_assert!(way[0] == answer.hub && way[way.len() - 1] == demand.node);
            prop_assert!(way.len() - 1 <= demand.most_hops);
            prop_assert!(way.windows(2).all(|p| problem.near[p[0]].binary_search(&p[1]).is_ok()));
            prop_assert!(way[1..way.len() - 1].iter().all(|n| open[*n]));
        }
        if let [a, b] = &ways[..] {
            prop_assert!(a != b);
            let feed = |n: &usize| problem.feeds[*n];
            let on: Vec<usize> = a[1..a.len() - 1].iter().map(feed).collect();
            prop_assert!(!b[1..b.len() - 1].iter().map(feed).any(|f| on.contains(&f)));
        }
    }
    let cost: f64 = answer.repeaters.iter().map(|n| problem.cost(*n)).sum();
    prop_assert!((cost + problem.cost(answer.hub) - answer.cost).abs() < 1e-9);
    Ok(())
}

prop_compose! {
    /// A problem small enough to try everything: of each kind, with links by chance.
    fn small()(
        sites in prop::collection::vec(0..9_u8, 1..4),
        candidates in prop::collection::vec(prop_oneof![Just(1_u8), 1..40_u8], 1..9),
        existing in 0..4_usize,
        critical in prop::collection::vec(prop::bool::weighted(0.4), 1..7),
        most_hops in 1..6_usize,
        most in prop::option::weighted(0.3, 0..4_usize),
        breakers in prop::option::weighted(0.25, prop::collection::vec(0..3_usize, 16)),
        share in prop_oneof![Just(0.15), Just(0.3), Just(0.5)],
        dice in prop::collection::vec(0.0..1.0_f64, 300),
    ) -> Problem {
        let mut problem = Problem::default();
        for cost in sites {
            problem.add(NodeUse::HubSite { cost: f64::from(cost) });
        }
        for cost in candidates {
            problem.add(NodeUse::Candidate { cost: f64::from(cost) });
        }
        for _ in 0..existing {
            problem.add(NodeUse::Existing);
        }
        for two_routes in critical {
            let node = problem.add(NodeUse::Device);
            problem.demands.push(Demand { node, most_hops, two_routes, instead: None });
        }
        let nodes = problem.parts.len();
        let pairs = (0..nodes).flat_map(|a| (0..a).map(move |b| (a, b)));
        for ((a, b), die) in pairs.zip(&dice) {
            if *die < share {
                problem.link(a, b);
            }
        }
        let of = problem.candidates();
        problem.limits.extend(most.map(|most| Quota { of, most }));
        for (node, breaker) in (0..nodes).zip(breakers.unwrap_or_default()) {
            if matches!(problem.parts[node], NodeUse::Existing | NodeUse::Candidate { .. }) {
                problem.feeds[node] = nodes + breaker;
            }
        }
        problem
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    #[test]
    fn the_search_finds_what_trying_everything_finds(problem in small()) {
        let answer = solved(&problem);
        holds(&problem, &answer)?;
        let (out, cost) = by_trying_all(&problem);
        prop_assert_eq!(answer.unserved.len(), out);
        prop_assert!((answer.cost - cost).abs() < 1e-9, "{} against {cost}", answer.cost);
        prop_assert!(answer.is_proven && (answer.bound - answer.cost).abs() < 1e-9);
        let status = if out == 0 { Status::Optimal } else { Status::Infeasible };
        prop_assert_eq!(answer.status, status);
    }

    #[test]
    fn one_more_candidate_or_link_never_costs_more(
        problem in small(), cost in 0..20_u8, ends in prop::collection::vec(0..99_usize, 4),
    ) {
        let before = solved(&problem);
        let nodes = problem.parts.len();
        let mut linked = problem.clone();
        linked.link(ends[0] % nodes, ends[1] % nodes);
        let mut richer = problem.clone();
        let more = richer.add(NodeUse::Candidate { cost: f64::from(cost) });
        richer.link(more, ends[2] % nodes);
        richer.link(more, ends[3] % nodes);
        for after in [solved(&linked), solved(&richer)] {
            prop_assert!(after.unserved.len() <= before.unserved.len());
            if after.unserved.len() == before.unserved.len() {
                prop_assert!(after.cost <= before.cost + 1e-9);
            }
        }
    }

    #[test]
    fn what_is_broken_off_holds_and_promises_no_more_than_it_knows(
        problem in small(), rounds in 0..4_usize,
    ) {
        let mut round = 0;
        let broken = solve(&problem, &mut |_| {
            round += 1;
            if round > rounds { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
        });
        let broken = broken.unwrap_or_else(|| unreachable!("a hub site"));
        holds(&problem, &broken)?;
        for limit in &problem.limits {
            prop_assert!(broken.repeaters.iter().filter(|r| limit.of.contains(r)).count() <= limit.most);
        }
        prop_assert_eq!(broken.unserved.is_empty(), broken.status != Status::Infeasible);
        let best = solved(&problem);
        if best.unserved.len() == broken.unserved.len() {
            prop_assert!(broken.bound <= best.cost + 1e-9 && best.cost <= broken.cost + 1e-9);
        }
    }

    #[test]
    fn greedy_meets_whom_it_says_and_never_beats_the_search(problem in small()) {
        if let Some(quick) = greedy(&problem) {
            holds(&problem, &quick)?;
            let best = solved(&problem);
            prop_assert!(best.unserved.len() <= quick.unserved.len());
            if best.unserved.len() == quick.unserved.len() {
                prop_assert!(best.cost <= quick.cost + 1e-9);
            }
            prop_assert!(!quick.is_proven);
        }
    }
}

#[test]
fn what_is_broken_off_says_what_is_open() {
    let mut problem = Problem::default();
    let hub = problem.add(NodeUse::HubSite { cost: 0.0 });
    let near: Vec<usize> = (0..6).map(|_| problem.add(NodeUse::Candidate { cost: 3.0 })).collect();
    for (i, a) in near.iter().enumerate() {
        problem.link(hub, *a);
        for b in &near[..i] {
            let node = problem.add(NodeUse::Device);
            problem.link(*a, node);
            problem.link(*b, node);
            problem.demands.push(Demand { node, most_hops: 2, two_routes: false, instead: None });
        }
    }
    // Every pair needs one of its two: five of six, which halves of all would seem to do.
    let whole = solved(&problem);
    assert_eq!((whole.status, whole.repeaters.len()), (Status::Optimal, 5));
    let broken = solve(&problem, &mut |_| ControlFlow::Break(()));
    let broken = broken.unwrap_or_else(|| unreachable!("a hub site"));
    assert_eq!(broken.status, Status::Feasible);
    assert!(!broken.is_proven && broken.bound < broken.cost);
    assert!(broken.unserved.is_empty());
}
