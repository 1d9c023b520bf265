//! What else could have been, beside the answer: the hub elsewhere, one repeater less, the sides that
//! practitioners argue about, a box that does not forward. Each is the same problem with something out of it.

use std::cmp::Reverse;
use std::ops::ControlFlow;

use crate::pulse::{Pulse, to_the_end};
use crate::site::{DeviceId, Site};

use super::advice::{ForwardingWorth, Needs, Pick, SettledQuestion, SiteScore, solved, whole};
use super::explain;
use super::house::HouseProblem;
use super::offers::{How, Offer};
use super::problem::{NodeUse, Problem, Solution};

/// How many rounds of cuts each question beside the main one may take.
const ROUNDS: usize = 250;

/// An answer, and what else could have been.
pub(super) struct Alternatives<'a> {
    pub(super) house: &'a HouseProblem,
    pub(super) problem: &'a Problem,
    pub(super) answer: &'a Solution,
}

impl Alternatives<'_> {
    /// Asks whether anybody still waits, with what is known.
    fn goes_on(&self, pulse: &mut Pulse<'_>) -> ControlFlow<()> {
        pulse(whole(self.answer.bound), whole(self.answer.cost))
    }

    /// What it needs when some nodes take no part.
    fn without(&self, off: &[usize], pulse: &mut Pulse<'_>) -> Option<Solution> {
        let mut problem = self.problem.clone();
        for node in off {
            problem.parts[*node] = NodeUse::Device;
        }
        for limit in &mut problem.limits {
            limit.of.retain(|n| !off.contains(n));
        }
        solved(&problem, ROUNDS, pulse)
    }

    fn needs(&self, answer: &Solution) -> Needs {
        let locked = self.house.offers.iter().filter(|(o, _)| o.is_locked).count();
        Needs {
            repeaters: answer.repeaters.len() + locked,
            cost: answer.cost + self.house.locked,
            left: answer.unserved.len(),
            is_proven: answer.is_proven,
        }
    }

    /// What another answer costs more, to the hundredth; nothing where it leaves more out.
    fn dearer(&self, other: &Solution) -> Option<f64> {
        let as_many = other.unserved.len() <= self.answer.unserved.len();
        as_many.then(|| hundredths(other.cost - self.answer.cost))
    }

    /// Every place for the hub with what it needs there, the best first.
    pub(super) fn sites(&self, pulse: &mut Pulse<'_>) -> Option<Vec<SiteScore>> {
        let nodes: Vec<usize> = self.house.sites.iter().filter_map(|(_, node)| *node).collect();
        let mut scores = Vec::new();
        for (site, node) in &self.house.sites {
            if self.goes_on(pulse).is_break() {
                return None;
            }
            let is_chosen = *node == Some(self.answer.hub);
            let needs = match node {
                _ if is_chosen => Some(self.needs(self.answer)),
                Some(node) => {
                    let others: Vec<usize> = nodes.iter().copied().filter(|n| n != node).collect();
                    let answer = self.without(&others, &mut to_the_end);
                    answer.map(|a| self.needs(&a))
                }
                None => None,
            };
            scores.push(SiteScore { site: site.clone(), needs, is_chosen });
        }
        scores.sort_by(|a, b| {
            let key =
                |s: &SiteScore| (!s.is_chosen, s.needs.is_none(), s.needs.map_or(0, |n| n.left));
            let cost = |s: &SiteScore| s.needs.map_or(f64::INFINITY, |n| n.cost);
            key(a).cmp(&key(b)).then(cost(a).total_cmp(&cost(b)))
        });
        Some(scores)
    }

    /// Every repeater with whom it saves and what would stand in for it.
    pub(super) fn picks(&self, pulse: &mut Pulse<'_>) -> Option<Vec<Pick>> {
        let bought: Vec<&(Offer, usize)> = self
            .house
            .offers
            .iter()
            .filter(|(o, node)| o.is_locked || self.answer.repeaters.contains(node))
            .collect();
        let mut picks = Vec::new();
        for (offer, node) in bought {
            if self.goes_on(pulse).is_break() {
                return None;
            }
            let other = self.without(&[*node], &mut to_the_end);
            let other = other.and_then(|o| Some((self.dearer(&o)?, o)));
            let next_best = other.map(|(dearer, o)| {
                let new = o.repeaters.iter().filter(|n| !self.answer.repeaters.contains(n));
                let mut names: Vec<String> = new.map(|n| self.house.name_of[*n].clone()).collect();
                if o.hub != self.answer.hub {
                    let site = self.house.sites.iter().find(|(_, n)| *n == Some(o.hub));
                    names.extend(site.map(|(s, _)| format!("the hub at {}", s.name)));
                }
                let words =
                    if names.is_empty() { "nothing".to_owned() } else { names.join(" and ") };
                (words, dearer)
            });
            let saves = explain::saved(self, *node);
            picks.push(Pick { offer: offer.clone(), saves, next_best });
        }
        picks.sort_by_key(|p| Reverse(p.saves.len()));
        Some(picks)
    }

    /// What practitioners argue about, in numbers.
    pub(super) fn schools(&self, sites: &[SiteScore]) -> Vec<SettledQuestion> {
        let quiet = &mut to_the_end;
        let best = sites.iter().find(|s| s.is_chosen);
        let beside = sites.iter().find(|s| s.site.beside.is_some());
        let is_beside = best.is_some_and(|s| s.site.beside.is_some());
        let hub = SettledQuestion {
            question: "Hub in the best place or beside the router",
            sides: vec![
                (
                    best.map_or_else(String::new, |s| s.site.name.clone()),
                    best.and_then(|s| s.needs),
                ),
                (
                    beside.map_or_else(|| "beside the router".to_owned(), |s| s.site.name.clone()),
                    beside.and_then(|s| s.needs),
                ),
            ],
        };
        let nodes_of = |is: &dyn Fn(&Offer) -> bool| -> Vec<usize> {
            let of = self.house.offers.iter().filter(|(o, _)| !o.is_locked && is(o));
            of.map(|(_, node)| *node).collect()
        };
        let is_version = |o: &Offer| matches!(o.how, How::Instead(_));
        let only = |off: Vec<usize>, quiet: &mut Pulse<'_>| {
            let left = self.house.offers.iter().filter(|(_, node)| !off.contains(node)).count();
            (left > 0).then(|| self.without(&off, quiet)).flatten().map(|a| self.needs(&a))
        };
        let versions = only(nodes_of(&|o| !is_version(o)), quiet);
        let plugs = only(nodes_of(&is_version), quiet);
        let neutral = SettledQuestion {
            question: "Forwarding versions in the boxes, or cheap ones with plugs beside them",
            sides: vec![
                ("only forwarding versions".to_owned(), versions),
                ("only plugs and modules".to_owned(), plugs),
                ("both, as is cheapest".to_owned(), Some(self.needs(self.answer))),
            ],
        };
        let few = {
            let mut problem = self.problem.clone();
            for part in &mut problem.parts {
                if let NodeUse::Candidate { cost } = part {
                    // By number first; the price settles between as many.
                    *cost = 1_000.0 + *cost * 0.01;
                }
            }
            solved(&problem, ROUNDS, quiet).map(|a| {
                let bought: f64 = a.repeaters.iter().map(|n| self.problem.cost(*n)).sum();
                let cost = bought + self.problem.cost(a.hub);
                self.needs(&Solution { cost, ..a })
            })
        };
        let number = SettledQuestion {
            question: "The fewest repeaters, or the cheapest",
            sides: vec![
                ("the fewest".to_owned(), few),
                ("the cheapest".to_owned(), Some(self.needs(self.answer))),
            ],
        };
        let asked = self.house.sites.iter().filter(|(_, node)| node.is_some()).count();
        let hub = (asked > 1 && !is_beside).then_some(hub);
        hub.into_iter().chain([neutral, number]).collect()
    }

    /// What the role of a repeater is worth in each box where it matters.
    pub(super) fn worth(&self, site: &Site, pulse: &mut Pulse<'_>) -> Option<Vec<ForwardingWorth>> {
        let mut worth = Vec::new();
        let name = |device: &DeviceId| {
            site.devices.get(device).map_or_else(String::new, |d| d.name.clone())
        };
        for (offer, node) in self.house.offers.iter().filter(|(o, _)| !o.is_locked) {
            let How::Instead(device) = &offer.how else { continue };
            if self.goes_on(pulse).is_break() {
                return None;
            }
            let quiet = &mut to_the_end;
            let without = self.without(&[*node], quiet)?;
            let mut free = self.problem.clone();
            free.parts[*node] = NodeUse::Existing;
            for limit in &mut free.limits {
                limit.of.retain(|n| n != node);
            }
            let with = solved(&free, ROUNDS, quiet)?;
            let helps = with.unserved.len() < without.unserved.len();
            let gain = hundredths(without.cost - with.cost);
            if !helps && gain <= 0.0 {
                continue;
            }
            worth.push(ForwardingWorth {
                device: device.clone(),
                name: name(device),
                forwards: false,
                extra: offer.cost,
                elsewhere: (!helps).then_some(gain),
            });
        }
        let is_used = |node: &usize| self.answer.routes.iter().flatten().any(|w| w.contains(node));
        for (device, node) in self.house.carriers.iter().filter(|(_, node)| is_used(node)) {
            if self.goes_on(pulse).is_break() {
                return None;
            }
            let Some(extra) = explain::extra_of(site, device) else { continue };
            let without = self.without(&[*node], &mut to_the_end)?;
            worth.push(ForwardingWorth {
                device: device.clone(),
                name: name(device),
                forwards: true,
                extra,
                elsewhere: self.dearer(&without),
            });
        }
        let gain = |w: &ForwardingWorth| w.elsewhere.unwrap_or(f64::INFINITY) - w.extra;
        worth.sort_by(|a, b| gain(b).total_cmp(&gain(a)).then(a.name.cmp(&b.name)));
        Some(worth)
    }
}

fn hundredths(amount: f64) -> f64 {
    (amount * 100.0).round() / 100.0
}
