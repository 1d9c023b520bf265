//! The adviser: hub and repeaters chosen together, the least that is enough, and what the full analysis says
//! of it. Why each is there stands in [`super::explain`].

use std::ops::ControlFlow;
use std::sync::Arc;

use crate::analysis::{Analysis, analyse_while};
use crate::network::{Band, NetworkAnalysis};
use crate::pulse::{Pulse, StillWanted};
use crate::simulate::{Budget, chances_of};
use crate::site::{DeviceId, Edit, FloorId, NetworkId, Site, Spot, apply};
use crate::units::Db;

use super::alternatives::Alternatives;
use super::explain::{self, Left, Saved};
use super::house::{HouseProblem, HubSite};
use super::offers::Offer;
use super::problem::{Problem, Solution, Status};
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

/// A question that practitioners argue about, answered for this house.
#[derive(Clone, Debug, PartialEq)]
pub struct SettledQuestion {
    /// The question.
    pub question: &'static str,
    /// Each side with what it needs; nothing where this house does not offer it.
    pub sides: Vec<(String, Option<Needs>)>,
}

/// Whether it pays that a device in a box forwards; its words end a sentence.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Pays {
    /// Nothing else does it.
    #[error("pays: without it somebody is left out")]
    NothingElse,
    /// Elsewhere the same costs more.
    #[error("pays: elsewhere it costs more")]
    Yes,
    /// Elsewhere the same costs less.
    #[error("dearer than doing it elsewhere")]
    No,
    /// Nobody hangs on it.
    #[error("nothing hangs on it: a cheap one would do for the mesh")]
    NotNeeded,
}

/// What it is worth that a device in a box forwards.
#[derive(Clone, Debug, PartialEq)]
pub struct ForwardingWorth {
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

impl ForwardingWorth {
    /// Whether it pays.
    pub fn pays(&self) -> Pays {
        match self.elsewhere {
            None => Pays::NothingElse,
            Some(elsewhere) if elsewhere > self.extra + 0.005 => Pays::Yes,
            Some(elsewhere) if elsewhere > 0.005 => Pays::No,
            Some(_) => Pays::NotNeeded,
        }
    }
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
    pub schools: Vec<SettledQuestion>,
    /// What the role of a repeater is worth in each box where it matters.
    pub worth: Vec<ForwardingWorth>,
    /// How many places could have been bought.
    pub offers: usize,
    /// How each device would be reached: its routes by name, each from the hub.
    pub routes: Vec<(DeviceId, Vec<Vec<String>>)>,
    /// Critical devices, and whether each has its two routes.
    pub critical: Vec<(DeviceId, String, bool)>,
}

impl Advice {
    /// The place that is advised for the hub.
    pub fn hub(&self) -> Option<&SiteScore> {
        self.sites.iter().find(|s| s.is_chosen)
    }
}

/// How many rounds of cuts the question may take.
const ROUNDS: usize = 6_000;

/// How many houses are drawn for the chance.
const DRAWS: u32 = 500;

/// How much more every link is asked for while the chance is too small, and how often.
const DEARER_STEP: Db = Db::new(1.5);
const DEARER_STEPS: usize = 6;

/// How often links are taken out that the network would not use, when a limit left somebody short.
const REPAIRS: usize = 4;

/// Looks for the least that is enough. Nothing where the network has no hub, where nobody `wanted` it any
/// longer, or where `pulse` breaks it off; that is told what is needed at the least and what the best so
/// far costs.
pub fn advise(
    analysis: &Analysis,
    ask: &Ask,
    pulse: &mut Pulse<'_>,
    wanted: &StillWanted<'_>,
) -> Option<Advice> {
    let mut dearer = Db::ZERO;
    let mut found = least(analysis, ask, dearer, pulse, wanted)?;
    let before = chance(analysis, &found.house.networks(), pulse)?;
    for _ in 0..DEARER_STEPS {
        let enough = ask.chance.is_none_or(|asked| found.chance >= asked);
        if enough || found.made.answer.status == Status::Infeasible {
            break;
        }
        let more = least(analysis, ask, dearer + DEARER_STEP, pulse, wanted)?;
        if more.made.answer.unserved.len() > found.made.answer.unserved.len() {
            break;
        }
        (found, dearer) = (more, dearer + DEARER_STEP);
    }
    let Least { house, made, chance: after } = found;
    let Made { problem, answer, there, edit, short } = made;
    let of = Alternatives { house: &house, problem: &problem, answer: &answer };
    let sites = of.sites(pulse)?;
    let picks = of.picks(pulse)?;
    let schools = of.schools(&sites);
    let worth = of.worth(&analysis.site, pulse)?;
    let left = explain::left(analysis, &house, &problem, &answer);
    let asked = house.networks();
    let spoken_of = analysis.networks.iter().filter(|n| asked.contains(&n.network));
    let networks = spoken_of.map(|n| n.name.clone()).collect();
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
            .map(|(d, _)| {
                let asked = &house.asked[d];
                (asked.device.clone(), asked.name.clone(), !answer.unserved.contains(&d))
            })
            .collect(),
    })
}

/// An answer, made on a copy and analysed in full.
struct Made {
    problem: Problem,
    answer: Solution,
    there: Analysis,
    edit: Edit,
    /// Who is reached by the answer and not at target by the analysis.
    short: Vec<String>,
}

/// The least for one demand on links.
struct Least {
    house: HouseProblem,
    made: Made,
    chance: f64,
}

fn least(
    analysis: &Analysis,
    ask: &Ask,
    dearer: Db,
    pulse: &mut Pulse<'_>,
    wanted: &StillWanted<'_>,
) -> Option<Least> {
    let house = HouseProblem::new(analysis, ask, dearer, wanted)?;
    let mut problem = house.problem.clone();
    let mut kept: Option<Made> = None;
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
        let is_enough = short.is_empty();
        let solved = std::mem::replace(&mut problem, next);
        if kept.as_ref().is_none_or(|k| short.len() < k.short.len()) {
            kept = Some(Made { problem: solved, answer, there, edit, short });
        }
        if is_enough {
            break;
        }
    }
    let made = kept?;
    let chance = chance(&made.there, &house.networks(), pulse)?;
    Some(Least { house, made, chance })
}

/// Solves within so many rounds; breaks off where the pulse does, which is told of what is needed at the
/// least and of what the best so far costs.
pub(super) fn solved(problem: &Problem, rounds: usize, pulse: &mut Pulse<'_>) -> Option<Solution> {
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
pub(super) fn whole(amount: f64) -> usize {
    amount.max(0.0).ceil() as usize
}

fn edit_of(house: &HouseProblem, answer: &Solution) -> Edit {
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
fn standing(analysis: &Analysis, house: &HouseProblem) -> (usize, Option<Db>) {
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

/// The chance that all devices of the networks that are asked about are reached at once; nothing where the
/// pulse breaks it off, which is told of no amounts meanwhile.
fn chance(analysis: &Analysis, asked: &[NetworkId], pulse: &mut Pulse<'_>) -> Option<f64> {
    let is_asked = |n: &&NetworkAnalysis| asked.contains(&n.network);
    let networks: Vec<&NetworkAnalysis> = analysis.networks.iter().filter(is_asked).collect();
    let mut broken = false;
    let found = chances_of(&networks, Budget { draws: DRAWS, seed: 1 }, &mut |_, _| {
        broken |= pulse(0, 0).is_break();
        if broken { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    });
    (!broken).then_some(found.all)
}
