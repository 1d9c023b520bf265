//! A stretch of the day as single moves, one after the other: what one person does with one phone.

use std::collections::{BTreeMap, BTreeSet};

use super::order;
use super::schedule::{Outage, Planned, Schedule};
use super::state::{Key, Lacks, Need, Stand, State};
use super::work::Spot;
use crate::analysis::Analysis;
use crate::radio::system::RouteChoice;
use crate::site::{DeviceId, IsolationId, NetworkId, OpenTimeId, Step};

/// A stretch of the day.
#[derive(Debug)]
pub struct Stretch {
    /// Its key: `hubs`, the key of a time without power, or `rest-` and a visit.
    pub key: String,
    /// What it is called.
    pub title: String,
    /// The moves, in order.
    pub moves: Vec<Move>,
}

/// A move.
#[derive(Debug)]
pub struct Move {
    /// By which others wait for it.
    pub key: String,
    /// What is done.
    pub act: What,
    /// Whether it is done.
    pub done: bool,
    /// Whether it was done against a rule, for a reason.
    pub overruled: bool,
    /// What has to be done before.
    pub needs: Vec<Need>,
}

/// What is done.
#[derive(Clone, Debug, PartialEq)]
pub enum What {
    /// The circuits are switched off; `of` is the isolation, once it is on record.
    Isolate {
        /// The isolation.
        of: Option<IsolationId>,
    },
    /// The tester is shown to work.
    ProveTester {
        /// The isolation.
        of: Option<IsolationId>,
    },
    /// A step of a device.
    Step {
        /// The device.
        device: DeviceId,
        /// The step.
        step: Step,
    },
    /// Power comes on again.
    Energise {
        /// The isolation.
        of: Option<IsolationId>,
    },
    /// A network is opened.
    Open {
        /// The network.
        network: NetworkId,
        /// What is expected.
        expected: Vec<DeviceId>,
    },
    /// It is closed again.
    Close {
        /// The network.
        network: NetworkId,
        /// The time for which it stood open.
        of: Option<OpenTimeId>,
    },
    /// Its routes are rebuilt.
    Rebuild {
        /// The network.
        network: NetworkId,
        /// The time for which it stood open last.
        of: Option<OpenTimeId>,
    },
}

/// The stretches of a job, in the order of the plan.
pub fn stretches(plan: &Schedule) -> Vec<(String, String)> {
    let mut all = Vec::new();
    let hubs = plan.visits.iter().flat_map(|v| &v.first).count();
    if hubs > 0 {
        all.push(("hubs".to_owned(), "Hub first".to_owned()));
    }
    all.extend(plan.outages().map(|o| (o.key.clone(), title(o))));
    let rest = plan.visits.iter().filter(|v| !v.after.is_empty());
    all.extend(rest.map(|v| (rest_of(v), REST.to_owned())));
    all
}

const REST: &str = "Plugs, batteries, remotes";

/// The key of what is done on a visit with the power on.
pub fn rest_of(visit: &Planned) -> String {
    format!("rest-{}", visit.key)
}

/// What a time without power is called.
pub fn title(outage: &Outage) -> String {
    let what = match (outage.cut.means.is_main(), outage.cut.circuits.as_slice()) {
        (true, _) => "Main switch off".to_owned(),
        (false, [one]) => format!("Breaker {one} off"),
        (false, several) => format!("Breakers {} off", several.join(" and ")),
    };
    if outage.time > 1 { format!("{what}, time {}", outage.time) } else { what }
}

/// Walks of a job: what every stretch is made from, worked out once.
#[derive(Debug)]
pub struct Walks<'a> {
    plan: &'a Schedule,
    state: &'a State<'a>,
    analysis: &'a Analysis,
    ranks: BTreeMap<DeviceId, usize>,
}

impl<'a> Walks<'a> {
    /// Those of a plan, as far as the work is.
    pub fn of(analysis: &'a Analysis, plan: &'a Schedule, state: &'a State<'a>) -> Self {
        let sheet = order::run_sheet(analysis);
        let ranks = sheet.into_iter().enumerate().map(|(place, task)| (task.device, place));
        Self { plan, state, analysis, ranks: ranks.collect() }
    }

    fn ranked(&self, mut devices: Vec<DeviceId>) -> Vec<DeviceId> {
        let rank = |d: &DeviceId| self.ranks.get(d).copied().unwrap_or(usize::MAX);
        devices.sort_by_key(|d| (rank(d), d.clone()));
        devices
    }

    /// A stretch by its key; nothing where the plan has none of it.
    pub fn stretch(&self, key: &str) -> Option<Stretch> {
        let plan = self.plan;
        let visits = || plan.visits.iter();
        let (title, moves) = if key == "hubs" {
            let hubs: Vec<DeviceId> = visits().flat_map(|v| v.first.clone()).collect();
            ("Hub first".to_owned(), hubs.iter().flat_map(|d| self.steps(d, |_| true)).collect())
        } else if let Some(visit) = visits().find(|v| rest_of(v) == key && !v.after.is_empty()) {
            (REST.to_owned(), self.with_power(&self.ranked(visit.after.clone()), |_| true))
        } else {
            let outage = plan.outages().find(|o| o.key == key)?;
            (title(outage), self.without_power(outage))
        };
        Some(Stretch { key: key.to_owned(), title, moves })
    }

    /// Devices that have power: each network opened for its own, then what joins none.
    fn with_power(&self, devices: &[DeviceId], wanted: impl Fn(Step) -> bool + Copy) -> Vec<Move> {
        let mut moves = Vec::new();
        for (network, devices) in by_network(self, devices) {
            moves.extend(self.joined(&network, &devices, wanted));
        }
        let is_silent = |d: &&DeviceId| self.spot(d).is_some_and(|s| !s.takes(Step::Joined));
        moves.extend(devices.iter().filter(is_silent).flat_map(|d| self.steps(d, wanted)));
        moves
    }

    /// A time without power: off, each box in the order of the walk, on again, and what then has power.
    fn without_power(&self, outage: &Outage) -> Vec<Move> {
        let (state, site) = (self.state, self.state.site());
        let devices: Vec<DeviceId> = outage.boxes.iter().flat_map(|b| b.devices.clone()).collect();
        let of = self.isolation(&devices);
        let record = of.as_ref().and_then(|i| site.isolations.get(i));
        let safe = |d: &DeviceId| state.holds(d, Step::DryFitted) || state.holds(d, Step::PutBack);
        let is_on = record.is_some_and(|i| !i.is_in_force()) && devices.iter().all(safe);
        // One that is over counts only where all of its work is done.
        let record = record.filter(|i| i.is_in_force() || is_on);
        let of = record.map(|i| i.id.clone());
        let is_proven = record.is_some_and(|i| i.proven_before.is_some());
        let plain = |key: &str, act: What, done: bool, needs: Vec<Need>| Move {
            key: key.to_owned(),
            act,
            done,
            overruled: false,
            needs,
        };
        let off = What::Isolate { of: of.clone() };
        let proof = What::ProveTester { of: of.clone() };
        let on = What::Energise { of };
        let mut moves: Vec<Move> =
            devices.iter().flat_map(|d| self.steps(d, |s| s == Step::Excluded)).collect();
        moves.push(plain(Key::ISOLATE, off, record.is_some(), Vec::new()));
        moves.push(plain("prove", proof, is_proven, vec![need_isolation()]));
        let in_box = |s: Step| s != Step::Excluded && s <= Step::DryFitted;
        moves.extend(devices.iter().flat_map(|d| self.steps(d, in_box)));
        let mut needs = vec![need_isolation()];
        needs.extend(state.needs_of_power(&devices));
        moves.push(plain(Key::ENERGISE, on, is_on, needs));
        moves.extend(self.with_power(&self.ranked(devices), |s| s > Step::PutBack));
        moves
    }

    fn spot(&self, device: &DeviceId) -> Option<Spot<'a>> {
        Spot::of(self.state.site(), device)
    }

    /// The last isolation under which any of these was proved dead, or one in force that makes them dead.
    fn isolation(&self, devices: &[DeviceId]) -> Option<IsolationId> {
        let spots: Vec<Spot<'_>> = devices.iter().filter_map(|d| self.spot(d)).collect();
        if let Some(now) = spots.first().and_then(|s| self.state.isolation(s)) {
            return Some(now.id.clone());
        }
        let marks = devices.iter().filter_map(|d| self.state.mark(d, Step::Dead));
        let last = marks.max_by(|a, b| a.at.cmp(&b.at));
        last.and_then(|m| m.isolation.clone())
    }

    /// The steps of a device that are wanted, as moves.
    fn steps(&self, device: &DeviceId, wanted: impl Fn(Step) -> bool) -> Vec<Move> {
        let Some(spot) = self.spot(device) else { return Vec::new() };
        let steps = spot.steps().into_iter().filter(|s| wanted(*s));
        let step = |step: Step| {
            let stand = self.state.stand(device, step);
            Move {
                key: Key::step(device, step),
                act: What::Step { device: device.clone(), step },
                done: self.state.holds(device, step),
                overruled: stand == Stand::Overruled,
                needs: self.state.needs(&spot, step),
            }
        };
        steps.map(step).collect()
    }

    /// A network opened, its devices one after the other, and closed again.
    fn joined(
        &self,
        network: &NetworkId,
        devices: &[DeviceId],
        wanted: impl Fn(Step) -> bool + Copy,
    ) -> Vec<Move> {
        let state = self.state;
        let open = state.open_time(network);
        let left: Vec<DeviceId> =
            devices.iter().filter(|d| !state.holds(d, Step::Joined)).cloned().collect();
        let expects = |d: &DeviceId| open.is_some_and(|o| o.expected.contains(d));
        let is_open = left.is_empty() || left.iter().all(expects);
        let own: BTreeSet<&DeviceId> = devices.iter().collect();
        let last = state.site().open_times.iter().filter(|o| o.network == *network);
        let last = last.filter(|o| o.expected.iter().any(|d| own.contains(d)));
        let last = last.max_by(|a, b| (&a.at, &a.id).cmp(&(&b.at, &b.id)));
        let of = last.map(|o| o.id.clone());
        // Whatever is in its place without any network comes before; what has to be let in, after.
        let before = |s: Step| wanted(s) && s < Step::Joined && s != Step::Code;
        let mut moves: Vec<Move> = devices.iter().flat_map(|d| self.steps(d, before)).collect();
        moves.push(Move {
            key: Key::open(network),
            act: What::Open {
                network: network.clone(),
                expected: if left.is_empty() { devices.to_vec() } else { left.clone() },
            },
            done: is_open,
            overruled: false,
            needs: Vec::new(),
        });
        let rest = |s: Step| wanted(s) && (s >= Step::Joined || s == Step::Code);
        moves.extend(devices.iter().flat_map(|d| self.steps(d, rest)));
        let is_shut = of.is_some() && open.is_none();
        let joined = devices.iter().map(|d| Key::step(d, Step::Joined));
        let all_in: Vec<Need> = joined
            .zip(devices)
            .filter_map(|(key, device)| {
                let name = self.spot(device)?.device.name.clone();
                let what = Lacks::NotIn { name };
                Some(Need { what, met_by: vec![key], yields: true })
            })
            .collect();
        moves.push(Move {
            key: format!("close-{network}"),
            act: What::Close { network: network.clone(), of: of.clone() },
            done: is_shut,
            overruled: false,
            needs: all_in,
        });
        let rule = state.site().networks.get(network).map(crate::site::Network::rule);
        let routed =
            [RouteChoice::LeastLinkCost, RouteChoice::FewestRepeaters, RouteChoice::MarginSteps];
        let has_routes = rule.is_some_and(|r| routed.contains(&r.choice))
            && self.analysis.networks.iter().any(|n| n.network == *network);
        if has_routes {
            let rebuilt = of.as_ref().and_then(|o| state.site().open_times.get(o));
            moves.push(Move {
                key: format!("rebuild-{network}"),
                act: What::Rebuild { network: network.clone(), of: of.clone() },
                done: rebuilt.is_some_and(|o| o.rebuilt.is_some()),
                overruled: false,
                needs: vec![Need {
                    what: Lacks::StillOpen,
                    met_by: vec![format!("close-{network}")],
                    yields: false,
                }],
            });
        }
        moves
    }
}

fn need_isolation() -> Need {
    let met_by = vec![Key::ISOLATE.to_owned()];
    Need { what: Lacks::Isolation, met_by, yields: false }
}

/// Networks in the order of their first device, each with its devices that join.
fn by_network(walks: &Walks<'_>, devices: &[DeviceId]) -> Vec<(NetworkId, Vec<DeviceId>)> {
    let mut found: Vec<(NetworkId, Vec<DeviceId>)> = Vec::new();
    for device in devices {
        let Some(spot) = walks.spot(device).filter(|s| s.takes(Step::Joined)) else { continue };
        let network = &spot.device.network;
        match found.iter_mut().find(|(of, _)| of == network) {
            Some((_, all)) => all.push(device.clone()),
            None => found.push((network.clone(), vec![device.clone()])),
        }
    }
    found
}
