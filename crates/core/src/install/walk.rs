//! How a stretch of the day is made from the plan: its moves one after the other, as one person does them with one phone.

use std::collections::{BTreeMap, BTreeSet};

use super::schedule::{PlannedVisit, PowerOff, Schedule};
pub use super::stretch::{Deeds, Move, Stretch, WalkAct};
use super::{cards, order, walk_cards};
use crate::analysis::Analysis;
use crate::gate::work::{self, WorkKind, WorkedDevice};
use crate::gate::{Gate, Stand, isolate};
use crate::radio::system::RouteChoice;
use crate::record::{Cut, Isolated, Isolation, NextCut, Secured, Step};
use crate::site::{DeviceId, Function, NetworkId, Site};
use crate::survey::lines::as_tested;

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
pub fn rest_of(visit: &PlannedVisit) -> String {
    format!("rest-{}", visit.key)
}

/// What a time without power is called.
pub fn title(outage: &PowerOff) -> String {
    let what = match (outage.cut.means.is_main(), outage.cut.breakers().as_slice()) {
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
    gate: &'a Gate<'a>,
    analysis: &'a Analysis,
    ranks: BTreeMap<DeviceId, usize>,
}

impl<'a> Walks<'a> {
    /// Those of a plan, as far as the work is.
    pub fn of(analysis: &'a Analysis, plan: &'a Schedule, gate: &'a Gate<'a>) -> Self {
        let sheet = order::run_sheet(analysis);
        let ranks = sheet.into_iter().enumerate().map(|(place, task)| (task.device, place));
        Self { plan, gate, analysis, ranks: ranks.collect() }
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
        let (mut off, mut further) = (None, None);
        let mut boxes = Vec::new();
        let (title, moves) = if key == "hubs" {
            let hubs: Vec<DeviceId> = visits().flat_map(|v| v.first.clone()).collect();
            ("Hub first".to_owned(), hubs.iter().flat_map(|d| self.steps(d, |_| true)).collect())
        } else if let Some(visit) = visits().find(|v| rest_of(v) == key && !v.after.is_empty()) {
            (REST.to_owned(), self.with_power(&self.ranked(visit.after.clone()), |_, _| true))
        } else {
            let outage =
                plan.outages().find(|o| o.key == key).or_else(|| self.opened_under(key))?;
            let as_planned = planned(self.gate.site(), outage);
            boxes = outage.boxes.iter().flat_map(|b| b.devices.clone()).collect();
            let live = self.gate.record().in_force().flat_map(|i| i.live.values());
            let next: BTreeSet<NextCut> =
                live.filter(|l| boxes.contains(&l.device)).map(|l| l.next).collect();
            let is_breaker =
                next.contains(&NextCut::OtherBreaker) && !next.contains(&NextCut::Main);
            let means = if is_breaker { Cut::Breaker } else { Cut::Main };
            further = Some(Isolated { means, ..as_planned.clone() });
            off = Some(as_planned);
            (title(outage), self.without_power(&boxes, &outage.along))
        };
        let (end, mut moves): (Vec<Move>, Vec<Move>) =
            moves.into_iter().partition(walk_cards::is_of_end);
        moves.extend(end);
        walk_cards::number(&mut moves);
        Some(Stretch { key: key.to_owned(), title, moves, off, further, boxes })
    }

    /// The time without power in which is what was opened under a key: the plan can call it another by now, and who is at
    /// work in it goes on with it; also once it is on again, for what was fitted then.
    fn opened_under(&self, key: &str) -> Option<&'a PowerOff> {
        let of = key.split('~').next().unwrap_or(key);
        let named: BTreeSet<&str> = of.split('+').collect();
        let is_of = |i: &&Isolation| {
            let own = || i.circuits.iter().map(|label| label.trim()).collect::<BTreeSet<_>>();
            if i.means.is_main() { of == "main" } else { own() == named }
        };
        let record = self.gate.record();
        // What is off now comes before what was off last.
        let mut all = record.in_force().chain(record.isolations.iter().rev()).filter(is_of);
        all.find_map(|i| {
            let goes_on = |d: &DeviceId| i.is_in_force() || self.gate.holds(d, Step::DryFitted);
            let is_left = |d: &DeviceId| i.boxes.contains_key(d) && goes_on(d);
            self.plan.outages().find(|o| o.devices().any(is_left))
        })
    }

    /// Devices that have power: a hub among them is live and ready first, then each network is opened for its own, then
    /// comes what joins none.
    fn with_power(
        &self,
        devices: &[DeviceId],
        wanted: impl Fn(&DeviceId, Step) -> bool + Copy,
    ) -> Vec<Move> {
        let mut moves = Vec::new();
        let is_hub = |d: &DeviceId| self.spot(d).is_some_and(|s| s.work() == WorkKind::Hub);
        let has_hub = devices.iter().any(is_hub);
        let in_box = |d: &DeviceId| self.spot(d).is_some_and(|s| s.opens_box());
        // Whether it comes before any network is opened, since a hub stands among them.
        let is_first = |d: &DeviceId, s: Step| {
            has_hub && (in_box(d) && s == Step::Powered || is_hub(d) && s < Step::Joined)
        };
        if has_hub {
            let tries =
                |d: &DeviceId| self.steps(d, |s| in_box(d) && s == Step::Powered && wanted(d, s));
            let (hubs, others): (Vec<&DeviceId>, Vec<&DeviceId>) =
                devices.iter().partition(|d| is_hub(d));
            moves.extend(hubs.iter().chain(&others).flat_map(|d| tries(d)));
            let ready = |s: Step| s < Step::Joined && s != Step::Powered;
            for hub in hubs {
                let all = |s| wanted(hub, s) && (ready(s) || s == Step::Powered && !in_box(hub));
                moves.extend(self.steps(hub, all));
            }
        }
        let rest = |d: &DeviceId, s: Step| wanted(d, s) && !is_first(d, s);
        for (network, devices) in by_network(self, devices) {
            moves.extend(self.joined(&network, &devices, rest));
        }
        let is_silent = |d: &&DeviceId| self.spot(d).is_some_and(|s| !s.takes(Step::Joined));
        let silent = devices.iter().filter(is_silent);
        moves.extend(silent.flat_map(|d| self.steps(d, |s| rest(d, s))));
        moves
    }

    /// A time without power: off, each box in the order of the walk, on again, and what then has power with what is let in
    /// by the same act.
    fn without_power(&self, devices: &[DeviceId], along: &[DeviceId]) -> Vec<Move> {
        let gate = self.gate;
        let of = self.isolation(devices);
        let safe = |d: &DeviceId| gate.holds(d, Step::DryFitted) || gate.holds(d, Step::PutBack);
        let all_safe = devices.iter().all(safe);
        // One that is over counts only where all of its work is done.
        let of = of.filter(|i| i.is_in_force() || all_safe);
        let id = of.map(|i| i.of.id.clone());
        let both = || devices.iter().chain(along);
        let mut moves: Vec<Move> =
            both().flat_map(|d| self.steps(d, |s| s == Step::Excluded)).collect();
        let off = |moves: &mut Vec<Move>, of: Option<&Isolation>, further: bool| {
            let id = of.map(|i| i.of.id.clone());
            moves.push(Move::of(WalkAct::Isolate { of: id.clone(), further }, of.is_some()));
            // What was on for finding lines stands before what is proved anew after it.
            for (time, found) in of.into_iter().flat_map(|i| &i.findings).enumerate() {
                moves.push(Move::of(WalkAct::Find { of: id.clone(), time }, true));
                moves.push(Move::of(
                    WalkAct::FindOver { of: id.clone(), time },
                    found.over.is_some(),
                ));
            }
            let shown = of.is_some_and(|i| i.proven_before.is_some());
            moves.push(Move::of(WalkAct::ProveTester { of: id, further }, shown));
        };
        off(&mut moves, of, false);
        let more = self.further(devices, of);
        for of in &more {
            off(&mut moves, *of, true);
        }
        let in_box = |s: Step| s != Step::Excluded && s <= Step::DryFitted;
        let mut asks = devices.iter().filter(|d| self.asks_for_lines(d));
        let first = asks.next().filter(|_| !of.is_some_and(Isolation::is_finding));
        for device in devices {
            let mut steps = self.steps(device, in_box);
            let looked = steps.iter().take_while(|m| match m.act {
                WalkAct::Step { step, .. } => step <= Step::Noted,
                _ => false,
            });
            let rest = steps.split_off(looked.count());
            moves.extend(steps);
            if first == Some(device) {
                let time = of.map_or(0, |i| i.findings.len());
                moves.push(Move::of(WalkAct::Find { of: id.clone(), time }, false));
            }
            moves.extend(rest);
        }
        // What went off last comes on first.
        for of in more.into_iter().rev() {
            let is_on = of.is_some_and(|i| !i.is_in_force());
            let of = of.map(|i| i.of.id.clone());
            moves.push(Move::of(WalkAct::Energise { of, further: true }, is_on));
        }
        let is_on = of.is_some_and(|i| !i.is_in_force());
        moves.push(Move::of(WalkAct::Energise { of: id, further: false }, is_on));
        let with = self.ranked(both().cloned().collect());
        let is_left =
            |d: &DeviceId, s: Step| s > Step::PutBack || along.contains(d) && s != Step::Excluded;
        moves.extend(self.with_power(&with, is_left));
        moves
    }

    /// Whether nobody knows yet what every conductor of a box is in which nothing is wired.
    fn asks_for_lines(&self, device: &DeviceId) -> bool {
        let gate = self.gate;
        let is_begun = gate.holds(device, Step::Wired) || gate.holds(device, Step::PutBack);
        !is_begun
            && self.spot(device).is_some_and(|spot| {
                let lead = gate.site().box_of(spot.point);
                as_tested(&lead.conductors).iter().any(|c| c.found == Function::Unknown)
            })
    }

    fn spot(&self, device: &DeviceId) -> Option<WorkedDevice<'a>> {
        WorkedDevice::of(self.gate.site(), device)
    }

    /// The isolation in force that makes the first of these dead, or the last under which any was worked on. Where one of
    /// them was found live under it, it is still the first of those that are off for them.
    fn isolation(&self, devices: &[DeviceId]) -> Option<&'a Isolation> {
        let spots: Vec<WorkedDevice<'_>> = devices.iter().filter_map(|d| self.spot(d)).collect();
        let record = self.gate.record();
        // One whose boxes stand open is theirs, whatever the plan makes of their circuits by now.
        let is_open =
            |i: &&Isolation| devices.iter().any(|d| i.boxes.get(d).is_some_and(|b| !b.is_safe));
        let was_live = |i: &&Isolation| devices.iter().any(|d| i.live.contains_key(d));
        let first = record.in_force().find(was_live);
        let open = first.or_else(|| record.in_force().rev().find(is_open));
        let now = || spots.first().and_then(|s| self.gate.isolation(s));
        let last = || {
            record.isolations.iter().rev().find(|i| devices.iter().any(|d| i.boxes.contains_key(d)))
        };
        open.or_else(now).or_else(last)
    }

    /// What went off beside an isolation since a box of these was found live under it, in its order; nothing in a place of
    /// the list is one that is still to go off.
    fn further(
        &self,
        devices: &[DeviceId],
        first: Option<&'a Isolation>,
    ) -> Vec<Option<&'a Isolation>> {
        let Some(first) = first else { return Vec::new() };
        let record = self.gate.record();
        let later = record.isolations.iter().skip_while(|i| i.of.id != first.of.id).skip(1);
        let is_theirs = |i: &&Isolation| {
            devices.iter().any(|d| first.live.contains_key(d) && self.reaches(i, d))
        };
        let mut all: Vec<Option<&Isolation>> = later.filter(is_theirs).map(Some).collect();
        let is_safe =
            |d: &DeviceId| self.gate.holds(d, Step::DryFitted) || self.gate.holds(d, Step::PutBack);
        let is_wanted = |d: &&DeviceId| {
            let found = record.in_force().filter_map(|i| i.live.get(*d)).next_back();
            let covered = record.in_force().any(|i| self.reaches(i, d));
            found.is_some_and(|found| found.next != NextCut::Stop) && !covered && !is_safe(d)
        };
        if first.is_in_force() && devices.iter().any(|d| is_wanted(&d)) {
            all.push(None);
        }
        all
    }

    /// Whether an isolation makes the box of a device dead, or made it.
    fn reaches(&self, of: &Isolation, device: &DeviceId) -> bool {
        of.boxes.contains_key(device)
            || !of.live.contains_key(device)
                && self
                    .spot(device)
                    .is_some_and(|spot| isolate::makes_dead(self.gate.site(), of, &spot.circuits()))
    }

    /// The steps of a device that are wanted, as moves.
    fn steps(&self, device: &DeviceId, wanted: impl Fn(Step) -> bool) -> Vec<Move> {
        let Some(spot) = self.spot(device) else { return Vec::new() };
        let gate = self.gate;
        let steps = spot.steps().into_iter().filter(|s| wanted(*s));
        let step = |step: Step| Move {
            overruled: gate.stand(device, step) == Stand::Overruled,
            ..Move::of(WalkAct::Step { device: device.clone(), step }, gate.holds(device, step))
        };
        steps.map(step).collect()
    }

    /// A network opened, its devices one after the other or all by one act, and closed again.
    fn joined(
        &self,
        network: &NetworkId,
        devices: &[DeviceId],
        wanted: impl Fn(&DeviceId, Step) -> bool + Copy,
    ) -> Vec<Move> {
        let (gate, site, record) = (self.gate, self.gate.site(), self.gate.record());
        // What opens it is woken first.
        let opens = work::opener(site, network).map(|(device, _)| &device.id);
        let mut devices = devices.to_vec();
        devices.sort_by_key(|d| opens != Some(d));
        let devices = devices.as_slice();
        let open = gate.open_time(network);
        let left: Vec<DeviceId> =
            devices.iter().filter(|d| !gate.holds(d, Step::Joined)).cloned().collect();
        let expects = |d: &DeviceId| open.is_some_and(|o| o.expected.contains(d));
        let is_open = left.is_empty() || left.iter().all(expects);
        let own: BTreeSet<&DeviceId> = devices.iter().collect();
        let mut of = record.open_times.iter().rev().filter(|o| o.network == *network);
        let last = of.find(|o| o.expected.iter().any(|d| own.contains(d)));
        let of = last.map(|o| o.id.clone());
        // Whatever is in its place without any network comes before; what has to be let in, after.
        // The code of what is closed into a lamp comes before that.
        let is_hidden = |d: &DeviceId| self.spot(d).is_some_and(|s| s.takes(Step::Bench));
        let before = |d: &DeviceId, s: Step| {
            wanted(d, s) && s < Step::Joined && (is_hidden(d) || s != Step::Code)
        };
        let mut moves: Vec<Move> =
            devices.iter().flat_map(|d| self.steps(d, |s| before(d, s))).collect();
        let expected = if left.is_empty() { devices.to_vec() } else { left };
        let system = site.networks.get(network).map(|n| n.system);
        let rule = site.networks.get(network).map(crate::site::Network::rule);
        // Where a phone lets each in by itself, nothing stands open.
        let opens = rule.is_none_or(|r| r.opens);
        let at_once = opens && system.is_some_and(cards::lets_in_at_once);
        if opens {
            let network = network.clone();
            moves.push(Move::of(WalkAct::Open { network, expected, at_once }, is_open));
        }
        let (expected, is_shut) = (devices.to_vec(), of.is_some() && open.is_none());
        let close = WalkAct::Close { network: network.clone(), expected, of: of.clone() };
        let close = opens.then(|| Move::of(close, is_shut));
        let rest = |d: &DeviceId, s: Step| {
            wanted(d, s) && (s >= Step::Joined || !is_hidden(d) && s == Step::Code)
        };
        if at_once {
            let is_let_in = |s: Step| s == Step::Joined || s == Step::Code;
            let all =
                |in_act: bool| move |d: &DeviceId, s: Step| rest(d, s) && is_let_in(s) == in_act;
            let (act, then) = (all(true), all(false));
            moves.extend(devices.iter().flat_map(|d| self.steps(d, |s| act(d, s))));
            moves.extend(close);
            moves.extend(devices.iter().flat_map(|d| self.steps(d, |s| then(d, s))));
        } else {
            moves.extend(devices.iter().flat_map(|d| self.steps(d, |s| rest(d, s))));
            moves.extend(close);
        }
        let routed =
            [RouteChoice::LeastLinkCost, RouteChoice::FewestRepeaters, RouteChoice::MarginSteps];
        let has_routes = rule.is_some_and(|r| routed.contains(&r.choice))
            && self.analysis.networks.iter().any(|n| n.network == *network);
        if has_routes {
            let rebuilt = last.is_some_and(|o| o.rebuilt.is_some());
            let what = WalkAct::Rebuild { network: network.clone(), of };
            moves.push(Move::of(what, rebuilt));
        }
        moves
    }
}

/// What a time without power isolates, as it is planned.
pub fn planned(site: &Site, outage: &PowerOff) -> Isolated {
    let circuits = outage.cut.circuits.clone();
    Isolated {
        id: "planned".parse().unwrap_or_else(|_| unreachable!("a plain word is an id")),
        means: outage.cut.means,
        breakers: isolate::breakers(site, &circuits),
        verified: isolate::really_off(site, &circuits),
        circuits,
        covers: Vec::new(),
        secured: Secured::LockAndNotice,
        tester: String::new(),
        told: String::new(),
        why: String::new(),
    }
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
