//! Why the advice is what it is: whom each repeater saves and by how much, who is left out and what the
//! cheapest thing is that would change it; and all of it in sentences.

use crate::analysis::Analysis;
use crate::fit::Fits;
use crate::fit::candidates::candidates;
use crate::geometry::Place;
use crate::network::NetworkAnalysis;
use crate::site::{DeviceId, Provenance, Ruled, RuledOn, Ruling, Site};
use crate::staircase::{StepOf, describe};
use crate::units::Db;

use super::advice::Advice;
use super::alternatives::Alternatives;
use super::house::HouseProblem;
use super::problem::{Problem, Solution, Status};
use super::served::{FAR, Yard};

/// A device that hangs on a repeater.
#[derive(Clone, Debug, PartialEq)]
pub struct Saved {
    /// The device.
    pub device: DeviceId,
    /// Its name.
    pub name: String,
    /// What its best link lacks of target without the repeater; nothing where links would do and hops, or
    /// a second route, are what is lacking.
    pub lacks: Option<Db>,
    /// What its weakest link has over target with it.
    pub spare: Option<Db>,
}

/// A device that stays below target.
#[derive(Clone, Debug, PartialEq)]
pub struct Left {
    /// The device.
    pub device: DeviceId,
    /// Its name.
    pub name: String,
    /// What its best link to anything that is reached lacks of target.
    pub lacks: Option<Db>,
    /// From whom that link comes.
    pub from: String,
    /// The cheapest thing that would change it.
    pub change: Remedy,
}

/// What would change that a device is left out, the cheapest first; its words are a sentence.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[expect(missing_docs, reason = "each says in its words what it is")]
pub enum Remedy {
    #[error(
        "{wall} is a guess and takes {loss}: if it takes about {lacks} less, this is reached. Look at it first."
    )]
    Wall { wall: String, loss: Db, lacks: Db },
    #[error("Around it is: {around}, which takes {loss}. In the open it would be reached.")]
    Around { around: &'static str, loss: Db },
    #[error("Every link would do; the route is {over} hop{} longer than this system allows.", if *over == 1 { "" } else { "s" })]
    Hops { over: usize },
    #[error("The system allows no more repeaters or devices on this hub; a second hub would.")]
    Limit,
    #[error("It has one route, and no second that shares nothing with it.")]
    OneRoute,
    #[error(
        "Nothing surveyed bridges the {lacks} that are lacking from {from}: look for a socket between them."
    )]
    Socket { from: String, lacks: Db },
}

/// Whom a repeater saves: those that are not met without it.
pub(super) fn saved(of: &Alternatives<'_>, node: usize) -> Vec<Saved> {
    let Alternatives { house, problem, answer } = of;
    let yard = Yard::new(problem, answer.hub);
    let mut open = yard.open(&answer.repeaters);
    open[node] = false;
    let met = yard.met(&open);
    let depth = yard.hops(&open);
    let is_lost = |d: &usize| !met[*d] && !answer.unserved.contains(d);
    (0..met.len())
        .filter(is_lost)
        .map(|d| {
            let demand = &problem.demands[d];
            let best = best_link(house, &open, &depth, demand.node, demand.most_hops);
            let hops = answer.routes[d].iter().flat_map(|way| way.windows(2));
            let spare = hops.filter_map(|p| house.spare(p[0], p[1])).min_by(f64::total_cmp);
            Saved {
                device: house.asked[d].device.clone(),
                name: house.asked[d].name.clone(),
                lacks: best.map(|(_, s)| s).filter(|s| *s < 0.0).map(|s| Db::new(-s)),
                spare: spare.map(Db::new),
            }
        })
        .collect()
}

/// Of all that is reached with a hop left, the best link to a node, and what it has over target.
fn best_link(
    house: &HouseProblem,
    open: &[bool],
    depth: &[usize],
    node: usize,
    most_hops: usize,
) -> Option<(usize, f64)> {
    let reached = (0..open.len()).filter(|n| open[*n] && depth[*n] < most_hops && *n != node);
    let link = |n: usize| Some((n, house.spare(n, node)?));
    reached.filter_map(link).max_by(|a, b| a.1.total_cmp(&b.1).then(b.0.cmp(&a.0)))
}

/// Who is left out, the least lacking first, each with the cheapest thing that would change it.
pub(super) fn left(
    analysis: &Analysis,
    house: &HouseProblem,
    problem: &Problem,
    answer: &Solution,
) -> Vec<Left> {
    let yard = Yard::new(problem, answer.hub);
    let open = yard.open(&problem.candidates());
    let depth = yard.hops(&open);
    let told = |d: &usize| {
        let (demand, asked) = (&problem.demands[*d], &house.asked[*d]);
        let best = best_link(house, &open, &depth, demand.node, demand.most_hops);
        let lacks = best.map(|(_, s)| s).filter(|s| *s < 0.0).map(|s| Db::new(-s));
        let from = best.map(|(n, _)| house.name_of[n].clone()).unwrap_or_default();
        let far = depth[demand.node];
        let change = match best {
            _ if far <= demand.most_hops && demand.two_routes => Remedy::OneRoute,
            _ if far <= demand.most_hops => Remedy::Limit,
            _ if far < FAR => Remedy::Hops { over: far - demand.most_hops },
            Some((n, spare)) => across(analysis, house, *d, n, Db::new(-spare)),
            None => Remedy::Socket { from: "anything".to_owned(), lacks: Db::ZERO },
        };
        let (device, name) = (asked.device.clone(), asked.name.clone());
        Left { device, name, lacks, from, change }
    };
    let mut left: Vec<Left> = answer.unserved.iter().map(told).collect();
    left.sort_by(|a, b| {
        let key = |l: &Left| l.lacks.map_or(f64::INFINITY, Db::get);
        key(a).total_cmp(&key(b)).then(a.name.cmp(&b.name))
    });
    left
}

/// What would make up for what is lacking on the link from a node to a device: a wall that nobody has looked
/// at, what stands around the device, or something between them.
fn across(analysis: &Analysis, house: &HouseProblem, d: usize, from: usize, lacks: Db) -> Remedy {
    let to = house.asked.get(d).and_then(|a| analysis.find(&a.device));
    let wall = to.zip(house.place_of.get(&from)).and_then(|((network, place), start)| {
        guessed_wall(analysis, network, (*start, network.nodes[place].place), lacks)
    });
    let around = to.into_iter().flat_map(|(network, place)| &network.nodes[place].mounting);
    let around = around.filter(|(_, loss)| *loss >= lacks).min_by(|a, b| a.1.total_cmp(&b.1));
    let around = around.map(|(around, loss)| Remedy::Around { around, loss: *loss });
    let from = house.name_of[from].clone();
    wall.or(around).unwrap_or(Remedy::Socket { from, lacks })
}

/// A wall on a way that nobody has looked at, and that takes what is lacking.
fn guessed_wall(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    (from, to): (Place, Place),
    lacks: Db,
) -> Option<Remedy> {
    let site = &analysis.site;
    let (main, _) = network.medium.explain(from, to);
    let guessed = main.terms.iter().filter_map(|term| {
        let (StepOf::Wall(id), _) = describe(&network.medium, term, main.length) else {
            return None;
        };
        let wall = site.walls.get(&id)?;
        let is_guess = matches!(wall.known, Provenance::Default | Provenance::Guessed);
        (is_guess && term.loss >= lacks).then_some((wall, term.loss))
    });
    let (wall, loss) = guessed.max_by(|a, b| a.1.total_cmp(&b.1))?;
    let of = site.construction(&wall.construction).map_or("a wall", |c| c.name.as_str());
    Some(Remedy::Wall { wall: format!("The wall of {}", of.to_lowercase()), loss, lacks })
}

/// What a forwarding device in a box costs more than the cheapest that would do the same there and not
/// forward; nothing where there is none, or it is no device of a box.
pub(super) fn extra_of(site: &Site, device: &DeviceId) -> Option<f64> {
    let device = site.devices.get(device)?;
    let (kind, point) = (site.kind(&device.kind)?, site.point_of(device)?);
    let price = kind.fit.price.filter(|_| kind.is_wired_in())?;
    let system = site.networks.get(&device.network)?.system;
    candidates(site, point, Some(device))
        .into_iter()
        .filter(|c| !c.kind.forwards && c.kind.has_radio && c.fits < Fits::NotKnown)
        .filter(|c| c.kind.fit.is_dimmer() == kind.fit.is_dimmer() && c.kind.is_wired_in())
        .filter(|c| c.kind.systems.contains(&system))
        .filter_map(|c| Some(price - c.kind.fit.price?))
        .filter(|extra| *extra > 0.0)
        .max_by(f64::total_cmp)
}

impl Advice {
    /// All of it in a few sentences, for a person who decides.
    pub fn sentences(&self, money: &dyn Fn(f64) -> String) -> Vec<String> {
        let mut told = vec![self.verdict(money)];
        told.extend(self.of_hub(money).filter(|_| !self.ask.hub_stays));
        for pick in &self.picks {
            told.push(pick.sentence(money));
        }
        for left in self.left.iter().take(3) {
            told.push(format!("{} stays below target. {}", left.name, left.change));
        }
        if !self.short.is_empty() {
            let names = self.short.join(", ");
            told.push(format!(
                "The full analysis still leaves {names} below target: a limit of the system binds there."
            ));
        }
        told
    }

    fn verdict(&self, money: &dyn Fn(f64) -> String) -> String {
        let (now, then, of) = self.at_target;
        let moved = self.hub().is_some_and(|h| !h.site.as_it_is);
        let repeaters = match self.picks.len() {
            0 => "no repeater".to_owned(),
            1 => "one repeater".to_owned(),
            n => format!("{n} repeaters"),
        };
        let what = match (moved, self.picks.is_empty()) {
            (false, true) if now == of => {
                return format!("Nothing is needed: all {of} devices are at target.");
            }
            (false, true) => "Nothing that could be bought helps".to_owned(),
            (true, true) => "The hub moves, and no repeater is needed".to_owned(),
            (true, false) => format!("The hub moves, with {repeaters}"),
            (false, false) => format!("The hub stays, with {repeaters}"),
        };
        let proof = match (self.status, self.is_proven) {
            (Status::Optimal, true) => {
                " Less is not enough: every cheaper choice was ruled out.".to_owned()
            }
            (Status::Infeasible, true) => " No choice reaches more.".to_owned(),
            _ => format!(" Whether less would do is open by {}.", money(self.cost - self.bound)),
        };
        format!(
            "{what}: {then} of {of} devices at target instead of {now}, for {}.{proof}",
            money(self.cost)
        )
    }

    fn of_hub(&self, money: &dyn Fn(f64) -> String) -> Option<String> {
        let best = self.hub()?;
        let mine = best.needs?;
        let name = &best.site.name;
        let told = |label: String, other: &super::advice::SiteScore| {
            let needs = other.needs?;
            let left = match needs.left {
                0 => String::new(),
                n => format!(" and leaves {n} below target"),
            };
            Some(match (needs.repeaters, needs.cost - mine.cost) {
                (n, more) if n == mine.repeaters && more.abs() < 0.005 => {
                    format!("{label} needs as much{left}")
                }
                (n, more) => format!(
                    "{label} needs {n} repeater{} and {} in all{left}",
                    if n == 1 { "" } else { "s" },
                    if more >= 0.0 {
                        format!("{} more", money(more))
                    } else {
                        format!("{} less", money(-more))
                    },
                ),
            })
        };
        let now = self.sites.iter().find(|s| s.site.as_it_is && !s.is_chosen);
        let runner = self.sites.iter().find(|s| !s.is_chosen && s.needs.is_some());
        let beside = self.sites.iter().find(|s| s.site.beside.is_some() && !s.is_chosen);
        let why_not = |s: &super::advice::SiteScore| {
            let why = s.site.against.join(", ");
            (!why.is_empty()).then(|| format!("where it is, there is against it: {why}"))
        };
        let parts: Vec<String> = [
            now.and_then(|s| told("where it is, it".to_owned(), s).or_else(|| why_not(s))),
            runner.and_then(|s| told(format!("{}, the runner-up,", s.site.name), s)),
            beside.and_then(|s| told(format!("beside {}, it", s.site.beside.clone()?), s)),
        ]
        .into_iter()
        .flatten()
        .collect();
        let others =
            if parts.is_empty() { String::new() } else { format!(": {}", parts.join("; ")) };
        Some(format!("The hub is best at {name}{others}."))
    }
}

impl super::advice::Pick {
    /// Why it is there, in a sentence or two.
    pub fn sentence(&self, money: &dyn Fn(f64) -> String) -> String {
        let names: Vec<String> = self
            .saves
            .iter()
            .take(3)
            .map(|s| match s.lacks {
                Some(lacks) => format!("{} (lacks {lacks} without it)", s.name),
                None => s.name.clone(),
            })
            .collect();
        let more = self.saves.len().saturating_sub(3);
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        let saves = if names.is_empty() {
            "is locked in; nobody hangs on it".to_owned()
        } else {
            format!("saves {}{more}", names.join(", "))
        };
        let next = match &self.next_best {
            Some((_, extra)) if extra.abs() < 0.005 && self.saves.is_empty() => String::new(),
            Some((words, extra)) if extra.abs() < 0.005 => format!(" As good: {words}."),
            Some((words, extra)) => format!(" Next best is {words}, {} dearer.", money(*extra)),
            None => " Nothing else could stand in for it.".to_owned(),
        };
        let cost = match self.offer.cost {
            cost if cost < 0.005 => "at no more cost".to_owned(),
            cost => format!("at {}", money(cost)),
        };
        format!("{}, {cost}, {saves}.{next}", self.offer.words())
    }
}

/// A ruling in a sentence.
pub fn ruling_words(site: &Site, ruling: &Ruling) -> String {
    let kind = site.kind(&ruling.device_kind).map(|k| k.short().to_owned());
    let what = kind.unwrap_or_else(|| match ruling.on {
        RuledOn::Repeater => "a repeater".to_owned(),
        RuledOn::Hub => "the hub".to_owned(),
    });
    let point = ruling.point.as_ref().and_then(|p| site.points.get(p));
    let room = ruling.room.as_ref().and_then(|r| site.rooms.get(r));
    let at = match (point, room) {
        (Some(point), _) => format!(" at {}", point.name),
        (None, Some(room)) => format!(" in {}", room.name),
        _ => String::new(),
    };
    match ruling.ruled {
        Ruled::Never => format!("Not {what}{at}"),
        Ruled::Always => format!("In any case {what}{at}"),
    }
}
