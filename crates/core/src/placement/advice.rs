//! The adviser: hub and repeaters chosen together, the least that is enough, and what the full analysis says
//! of it. Why each is there stands in [`super::explain`].

use std::ops::ControlFlow;
use std::sync::Arc;

use crate::analysis::{Analysis, analyse_while};
use crate::network::Band;
use crate::pulse::{Pulse, Wanted};
use crate::simulate::{Budget, chances};
use crate::site::{DeviceId, Edit, FloorId, NetworkId, Site, Spot, apply};
use crate::units::Db;

use super::explain::{self, Left, Saved};
use super::house::{House, HubSite};
use super::offers::Offer;
use super::problem::{Answer, Part, Problem, Status};
use super::search::solve;

/// What two routes of a critical device must not share.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Apart {
    /// One route is enough.
    #[default]
    Nothing,
    /// No device.
    Devices,
    /// No device and no breaker.
    Breakers,
}

/// What is asked of the adviser.
#[derive(Clone, Debug, PartialEq)]
pub struct Ask {
    /// The network.
    pub network: NetworkId,
    /// Only this radio of a hub that keeps several networks.
    pub alone: bool,
    /// The hub stays where it stands.
    pub hub_stays: bool,
    /// Places for the hub that a person marked.
    pub spots: Vec<(FloorId, Spot)>,
    /// What the two routes of critical devices must not share.
    pub apart: Apart,
    /// How sure it must be that every device is reached at once; a share of 1.
    pub chance: Option<f64>,
}

impl Ask {
    /// Of a network, with the hub free to move and all that stands with it.
    pub fn of(network: NetworkId) -> Self {
        let (alone, hub_stays, spots) = (false, false, Vec::new());
        Self { network, alone, hub_stays, spots, apart: Apart::Nothing, chance: None }
    }
}

/// A repeater that is advised.
#[derive(Clone, Debug, PartialEq)]
pub struct Pick {
    /// What and where.
    pub offer: Offer,
    /// Whom it saves.
    pub saves: Vec<Saved>,
    /// What stands in for it at the least, and how much dearer that is; nothing where without it somebody
    /// is left out.
    pub next_best: Option<(String, f64)>,
}

/// What a place for the hub comes to.
#[derive(Clone, Debug, PartialEq)]
pub struct SiteScore {
    /// The place.
    pub site: HubSite,
    /// Repeaters, cost of all, and how many devices stay below target, with the hub there.
    pub needs: Option<Needs>,
    /// Whether it is the one that is advised.
    pub is_chosen: bool,
}

/// What one way of doing it needs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Needs {
    /// Repeaters to buy.
    pub repeaters: usize,
    /// What all of it costs.
    pub cost: f64,
    /// Devices that it leaves below target.
    pub left: usize,
    /// Whether less was shown not to do.
    pub is_proven: bool,
}

impl Needs {
    fn of(answer: &Answer, locked: (usize, f64)) -> Self {
        Self {
            repeaters: answer.repeaters.len() + locked.0,
            cost: answer.cost + locked.1,
            left: answer.unserved.len(),
            is_proven: answer.is_proven,
        }
    }
}

/// A question that practitioners argue about, answered for this house.
#[derive(Clone, Debug, PartialEq)]
pub struct School {
    /// The question.
    pub question: &'static str,
    /// Each side with what it needs; nothing where this house does not offer it.
    pub sides: Vec<(String, Option<Needs>)>,
}

/// What it is worth that a device in a box forwards.
#[derive(Clone, Debug, PartialEq)]
pub struct Worth {
    /// The device.
    pub device: DeviceId,
    /// Its name.
    pub name: String,
    /// Whether it forwards now.
    pub forwards: bool,
    /// What the forwarding version costs more than one that does not forward.
    pub extra: f64,
    /// What the same certainty costs more elsewhere without it; nothing where without it somebody is left
    /// out.
    pub elsewhere: Option<f64>,
}

/// What the adviser says.
#[derive(Clone, Debug)]
pub struct Advice {
    /// What was asked.
    pub ask: Ask,
    /// The networks that it speaks of, by name.
    pub networks: Vec<String>,
    /// Whether all are reached, and whether less was shown not to do.
    pub status: Status,
    /// Whether the search came to its end.
    pub is_proven: bool,
    /// What all of it costs.
    pub cost: f64,
    /// No answer that reaches as many costs less.
    pub bound: f64,
    /// The places for the hub, the best first.
    pub sites: Vec<SiteScore>,
    /// What is to be bought.
    pub picks: Vec<Pick>,
    /// Who stays below target whatever is bought, with the cheapest thing that would change it.
    pub left: Vec<Left>,
    /// All of it as one edit.
    pub edit: Edit,
    /// How many devices are at target now, how many would be, and of how many; by the full analysis.
    pub at_target: (usize, usize, usize),
    /// Devices that the search reaches and the full analysis does not, by name: none, but where a limit
    /// binds that is no question of links.
    pub short: Vec<String>,
    /// The least margin over target now, and with it.
    pub worst: (Option<Db>, Option<Db>),
    /// The chance that every device is reached at once, now and with it.
    pub chance: (f64, f64),
    /// What the links must have beyond their target for that chance.
    pub dearer: Db,
    /// What practitioners argue about, in numbers for this house.
    pub schools: Vec<School>,
    /// What the role of a repeater is worth in each box where it matters.
    pub worth: Vec<Worth>,
    /// How many places could have been bought.
    pub offers: usize,
    /// How each device would be reached: its routes by name, each from the hub.
    pub routes: Vec<(DeviceId, Vec<Vec<String>>)>,
    /// Critical devices, and whether each has its two routes.
    pub critical: Vec<(String, bool)>,
}

impl Advice {
    /// The place that is advised for the hub.
    pub fn hub(&self) -> Option<&SiteScore> {
        self.sites.iter().find(|s| s.is_chosen)
    }
}

/// How many rounds of cuts the main question may take, and each of those beside it.
const ROUNDS: usize = 6_000;
const ROUNDS_BESIDE: usize = 250;

/// How many houses are drawn for the chance.
const DRAWS: u32 = 500;

/// How much more every link is asked for while the chance is too small, and how often.
const DEARER_STEP: Db = Db::new(1.5);
const DEARER_STEPS: usize = 6;

/// How often links are taken out that the network would not use, when a limit left somebody short.
const REPAIRS: usize = 4;

/// Looks for the least that is enough. Nothing where the network has no hub, where nobody `wanted` it any
/// longer, or where `pulse` breaks it off; that is told
/// what is needed at the least and what the best so far costs.
pub fn advise(
    analysis: &Analysis,
    ask: &Ask,
    pulse: &mut Pulse<'_>,
    wanted: &Wanted<'_>,
) -> Option<Advice> {
    let before = chance(analysis, ask);
    let mut dearer = Db::ZERO;
    let mut found = least(analysis, ask, dearer, pulse, wanted)?;
    for _ in 0..DEARER_STEPS {
        let enough = ask.chance.is_none_or(|asked| found.chance >= asked);
        if enough || found.answer.status == Status::Infeasible {
            break;
        }
        let more = least(analysis, ask, dearer + DEARER_STEP, pulse, wanted)?;
        if more.answer.unserved.len() > found.answer.unserved.len() {
            break;
        }
        (found, dearer) = (more, dearer + DEARER_STEP);
    }
    let Least { house, problem, answer, there, chance: after, edit, short } = found;
    let of = Options { house: &house, problem: &problem, answer: &answer };
    let sites = of.sites(pulse)?;
    let picks = of.picks(pulse)?;
    let schools = of.schools(&sites);
    let worth = of.worth(&analysis.site, pulse)?;
    let left = explain::left(analysis, &house, &problem, &answer);
    let networks: Vec<String> = analysis
        .networks
        .iter()
        .filter(|n| house.asked.iter().any(|a| a.network == n.network))
        .map(|n| n.name.clone())
        .collect();
    let (now, then) = (standing(analysis, &house), standing(&there, &house));
    let words = |way: &Vec<usize>| way.iter().map(|n| house.name_of[*n].clone()).collect();
    let routes = house.asked.iter().zip(&answer.routes);
    let routes = routes
        .map(|(asked, ways)| (asked.device.clone(), ways.iter().map(words).collect()))
        .collect();
    let critical = problem.demands.iter().enumerate().filter(|(_, d)| d.two_routes);
    Some(Advice {
        ask: ask.clone(),
        networks,
        status: answer.status,
        is_proven: answer.is_proven && short.is_empty(),
        cost: answer.cost + house.locked,
        bound: answer.bound + house.locked,
        sites,
        picks,
        left,
        edit,
        at_target: (now.0, then.0, house.asked.len()),
        short,
        worst: (now.1, then.1),
        chance: (before, after),
        dearer,
        schools,
        worth,
        offers: house.offers.len(),
        routes,
        critical: critical
            .map(|(d, _)| (house.asked[d].name.clone(), !answer.unserved.contains(&d)))
            .collect(),
    })
}

/// The least for one demand on links, applied and analysed in full.
struct Least {
    house: House,
    problem: Problem,
    answer: Answer,
    there: Analysis,
    chance: f64,
    edit: Edit,
    short: Vec<String>,
}

fn least(
    analysis: &Analysis,
    ask: &Ask,
    dearer: Db,
    pulse: &mut Pulse<'_>,
    wanted: &Wanted<'_>,
) -> Option<Least> {
    let house = House::new(analysis, ask, dearer, wanted)?;
    let mut problem = house.problem.clone();
    let mut kept: Option<(Problem, Answer, Analysis, Edit, Vec<String>)> = None;
    for _ in 0..=REPAIRS {
        let answer = solved(&problem, ROUNDS, pulse)?;
        let edit = edit_of(&house, &answer);
        let mut site: Site = (*analysis.site).clone();
        apply(&mut site, &edit).ok()?;
        let there = analyse_while(wanted, Some(analysis), &Arc::new(site), &analysis.options)?;
        let mut short = Vec::new();
        let mut next = problem.clone();
        for (d, asked) in house.asked.iter().enumerate() {
            let Some((network, place)) = there.find(&asked.device) else { continue };
            let outcome = &network.outcomes[place];
            if answer.unserved.contains(&d) || outcome.band >= Band::Sound {
                continue;
            }
            short.push(asked.name.clone());
            let last = answer.routes[d].first().and_then(|way| way.iter().rev().nth(1));
            if let Some(last) = last {
                let node = next.demands[d].node;
                next.near[node].retain(|n| n != last);
                next.near[*last].retain(|n| *n != node);
            }
        }
        let better = kept.as_ref().is_none_or(|k| short.len() < k.4.len());
        let ended = short.is_empty();
        if better {
            kept = Some((problem.clone(), answer, there, edit, short));
        }
        if ended {
            break;
        }
        problem = next;
    }
    let (problem, answer, there, edit, short) = kept?;
    let chance = chance(&there, ask);
    Some(Least { house, problem, answer, there, chance, edit, short })
}

/// Solves within so many rounds; breaks off where the pulse does, which is told of what is needed at the
/// least and of what the best so far costs.
pub(super) fn solved(problem: &Problem, rounds: usize, pulse: &mut Pulse<'_>) -> Option<Answer> {
    let (mut round, mut broken) = (0, false);
    let answer = solve(problem, &mut |now| {
        round += 1;
        broken |= pulse(whole(now.bound), now.best.map_or(0, whole)).is_break();
        if broken || round > rounds { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    })?;
    (!broken).then_some(answer)
}

/// An amount in whole units, for who waits.
#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "held at nought or above"
)]
fn whole(amount: f64) -> usize {
    amount.max(0.0).ceil() as usize
}

fn edit_of(house: &House, answer: &Answer) -> Edit {
    let site = house.sites.iter().find(|(_, node)| *node == Some(answer.hub));
    let moved = site.filter(|(s, _)| !s.as_it_is).map(|(s, _)| s.edit.clone());
    let bought = house
        .offers
        .iter()
        .filter(|(o, node)| o.is_locked || answer.repeaters.contains(node))
        .map(|(o, _)| o.edit.clone());
    Edit::batch(moved.into_iter().chain(bought).collect())
}

/// How many of those asked about are at target, and the least margin over it.
fn standing(analysis: &Analysis, house: &House) -> (usize, Option<Db>) {
    let outcomes = house
        .asked
        .iter()
        .filter_map(|a| analysis.find(&a.device).map(|(n, place)| &n.outcomes[place]));
    let (mut at, mut worst) = (0, None);
    for outcome in outcomes {
        at += usize::from(outcome.band >= Band::Sound);
        let spare = outcome.weakest().map(|h| h.margin() - h.target);
        worst = [worst, spare].into_iter().flatten().min_by(Db::total_cmp);
    }
    (at, worst)
}

/// The chance that all devices of the networks that are asked about are reached at once.
fn chance(analysis: &Analysis, ask: &Ask) -> f64 {
    let budget = Budget { draws: DRAWS, seed: 1 };
    let all = chances(analysis, budget, &mut crate::pulse::to_the_end);
    all.of_network(&ask.network).map_or(0.0, |c| c.all)
}

/// An answer, and what else could have been.
pub(super) struct Options<'a> {
    pub(super) house: &'a House,
    pub(super) problem: &'a Problem,
    pub(super) answer: &'a Answer,
}

impl Options<'_> {
    /// Asks whether anybody still waits, with what is known.
    fn goes_on(&self, pulse: &mut Pulse<'_>) -> ControlFlow<()> {
        pulse(whole(self.answer.bound), whole(self.answer.cost))
    }

    fn locked(&self) -> (usize, f64) {
        let count = self.house.offers.iter().filter(|(o, _)| o.is_locked).count();
        (count, self.house.locked)
    }

    /// What it needs when some nodes take no part.
    fn without(&self, off: &[usize], pulse: &mut Pulse<'_>) -> Option<Answer> {
        let mut problem = self.problem.clone();
        for node in off {
            problem.parts[*node] = Part::Device;
        }
        for limit in &mut problem.limits {
            limit.of.retain(|n| !off.contains(n));
        }
        solved(&problem, ROUNDS_BESIDE, pulse)
    }

    fn needs(&self, answer: &Answer) -> Needs {
        Needs::of(answer, self.locked())
    }

    /// Every place for the hub with what it needs there, the best first.
    fn sites(&self, pulse: &mut Pulse<'_>) -> Option<Vec<SiteScore>> {
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
                    let answer = self.without(&others, &mut crate::pulse::to_the_end);
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
    fn picks(&self, pulse: &mut Pulse<'_>) -> Option<Vec<Pick>> {
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
            let other = self.without(&[*node], &mut crate::pulse::to_the_end);
            let as_many = other.filter(|o| o.unserved.len() <= self.answer.unserved.len());
            let next_best = as_many.map(|o| {
                let new = o.repeaters.iter().filter(|n| !self.answer.repeaters.contains(n));
                let mut names: Vec<String> = new.map(|n| self.house.name_of[*n].clone()).collect();
                if o.hub != self.answer.hub {
                    let site = self.house.sites.iter().find(|(_, n)| *n == Some(o.hub));
                    names.extend(site.map(|(s, _)| format!("the hub at {}", s.name)));
                }
                let words =
                    if names.is_empty() { "nothing".to_owned() } else { names.join(" and ") };
                (words, ((o.cost - self.answer.cost) * 100.0).round() / 100.0)
            });
            let saves = explain::saved(self, *node);
            picks.push(Pick { offer: offer.clone(), saves, next_best });
        }
        picks.sort_by_key(|p| std::cmp::Reverse(p.saves.len()));
        Some(picks)
    }

    /// What practitioners argue about, in numbers.
    fn schools(&self, sites: &[SiteScore]) -> Vec<School> {
        let quiet = &mut crate::pulse::to_the_end;
        let best = sites.iter().find(|s| s.is_chosen);
        let beside = sites.iter().find(|s| s.site.beside.is_some());
        let is_beside = best.is_some_and(|s| s.site.beside.is_some());
        let hub = School {
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
        let is_version = |o: &Offer| matches!(o.how, super::offers::How::Instead(_));
        let only = |off: Vec<usize>, quiet: &mut Pulse<'_>| {
            let left = self.house.offers.iter().filter(|(_, node)| !off.contains(node)).count();
            (left > 0).then(|| self.without(&off, quiet)).flatten().map(|a| self.needs(&a))
        };
        let versions = only(nodes_of(&|o| !is_version(o)), quiet);
        let plugs = only(nodes_of(&is_version), quiet);
        let neutral = School {
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
                if let Part::Candidate { cost } = part {
                    // By number first; the price settles between as many.
                    *cost = 1_000.0 + *cost * 0.01;
                }
            }
            solved(&problem, ROUNDS_BESIDE, quiet).map(|a| {
                let bought: f64 = a.repeaters.iter().map(|n| self.problem.cost(*n)).sum();
                let cost = bought + self.problem.cost(a.hub);
                self.needs(&Answer { cost, ..a })
            })
        };
        let number = School {
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
    fn worth(&self, site: &Site, pulse: &mut Pulse<'_>) -> Option<Vec<Worth>> {
        let mut worth = Vec::new();
        let as_many = |a: &Answer| a.unserved.len() <= self.answer.unserved.len();
        let round = |v: f64| (v * 100.0).round() / 100.0;
        let versions = self.house.offers.iter().filter(|(o, _)| !o.is_locked);
        let versions: Vec<_> = versions
            .filter_map(|(o, node)| match &o.how {
                super::offers::How::Instead(device) => Some((o, *node, device)),
                _ => None,
            })
            .collect();
        let on_routes: Vec<(&DeviceId, usize)> = self
            .house
            .carriers
            .iter()
            .map(|(device, node)| (device, *node))
            .filter(|(_, node)| self.answer.routes.iter().flatten().any(|way| way.contains(node)))
            .collect();
        for (offer, node, device) in &versions {
            if self.goes_on(pulse).is_break() {
                return None;
            }
            let quiet = &mut crate::pulse::to_the_end;
            let without = self.without(&[*node], quiet)?;
            let mut free = self.problem.clone();
            free.parts[*node] = Part::Existing;
            for limit in &mut free.limits {
                limit.of.retain(|n| n != node);
            }
            let with = solved(&free, ROUNDS_BESIDE, quiet)?;
            let helps = with.unserved.len() < without.unserved.len();
            let gain = round(without.cost - with.cost);
            if !helps && gain <= 0.0 {
                continue;
            }
            worth.push(Worth {
                device: (*device).clone(),
                name: site.devices.get(device).map_or_else(String::new, |d| d.name.clone()),
                forwards: false,
                extra: offer.cost,
                elsewhere: (!helps).then_some(gain),
            });
        }
        for (device, node) in &on_routes {
            if self.goes_on(pulse).is_break() {
                return None;
            }
            let Some(extra) = explain::extra_of(site, device) else { continue };
            let without = self.without(&[*node], &mut crate::pulse::to_the_end)?;
            let name = site.devices.get(device).map_or_else(String::new, |d| d.name.clone());
            worth.push(Worth {
                device: (*device).clone(),
                name,
                forwards: true,
                extra,
                elsewhere: as_many(&without).then(|| round(without.cost - self.answer.cost)),
            });
        }
        let gain = |w: &Worth| w.elsewhere.unwrap_or(f64::INFINITY) - w.extra;
        worth.sort_by(|a, b| gain(b).total_cmp(&gain(a)).then(a.name.cmp(&b.name)));
        Some(worth)
    }
}
