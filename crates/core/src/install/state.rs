//! How far the work is: which marks hold. A mark by itself is only what somebody tapped; it holds when all
//! that it rests on holds. So whatever the order of taps, of taking back and of catching up, no box counts as
//! closed that was not tested, and nothing as live while a box stands open.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

use super::isolate;
use super::rules::Rests::{
    Hub, InForce, Live, LiveWhereJoined, Masters, On, Open, SameIsolation, Settled,
};
use super::rules::Rule::UnlessSaid;
use super::rules::{ANEW, RULES, Rests};
pub use super::rules::{Key, Lacks, Missing, Need};
use super::work::{Spot, Work};
use crate::catalogue::Duty;
use crate::fit::{self, Fits};
use crate::radio::system::RouteChoice;
use crate::site::{
    Device, DeviceId, Isolation, IsolationId, Mark, NetworkId, OpenTime, Site, Step,
};

/// How far a step of a device is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stand {
    /// Not done.
    Open,
    /// Marked, but what it rests on does not hold: to be done again.
    Shaken,
    /// Done.
    Done,
    /// Done against a rule, for a reason.
    Overruled,
}

/// How far the work of a job is.
#[derive(Debug)]
pub struct State<'a> {
    site: &'a Site,
    marks: BTreeMap<(&'a DeviceId, Step), &'a Mark>,
    stands: BTreeMap<(DeviceId, Step), Stand>,
}

impl<'a> State<'a> {
    /// Works it out for the whole job.
    pub fn of(site: &'a Site) -> Self {
        let mut marks: BTreeMap<(&DeviceId, Step), &Mark> = BTreeMap::new();
        for mark in &site.marks {
            marks.insert((&mark.device, mark.step), mark);
        }
        let mut state = Self { site, marks, stands: BTreeMap::new() };
        let marked: BTreeSet<&DeviceId> = state.marks.keys().map(|(id, _)| *id).collect();
        let ticked = site.devices.iter().filter(|d| !d.done.is_empty()).map(|d| &d.id);
        let ids: BTreeSet<&DeviceId> = marked.into_iter().chain(ticked).collect();
        let spots: Vec<Spot<'_>> = ids.into_iter().filter_map(|id| Spot::of(site, id)).collect();
        // A step rests on others holding and never on others failing: more can only come to hold, so
        // that this ends, and in the same state whatever the order.
        loop {
            let mut changed = false;
            for spot in &spots {
                changed |= state.work_out(spot);
            }
            if !changed {
                return state;
            }
        }
    }

    /// Works out the steps of a device; whether that changed anything.
    fn work_out(&mut self, spot: &Spot<'_>) -> bool {
        let mut changed = false;
        for step in Step::ALL {
            let stand = self.stand_now(spot, step);
            if stand != self.stand(&spot.device.id, step) {
                self.stands.insert((spot.device.id.clone(), step), stand);
                changed = true;
            }
        }
        changed
    }

    fn stand_now(&self, spot: &Spot<'_>, step: Step) -> Stand {
        let legacy = matches!(step, Step::Code | Step::Joined) && spot.device.done.contains(&step);
        let Some(mark) = self.mark(&spot.device.id, step).filter(|m| m.at.is_some()) else {
            return if legacy { Stand::Done } else { Stand::Open };
        };
        if ANEW.contains(&step) && spot.opens_box() && mark.isolation != self.fitted_under(spot) {
            return Stand::Shaken;
        }
        let lacks = self.lacking(spot, step, When::Marked(mark));
        let is_overruled = !mark.why.trim().is_empty();
        match (lacks.is_empty(), lacks.iter().all(|l| l.yields) && is_overruled) {
            (true, _) => Stand::Done,
            (false, true) => Stand::Overruled,
            (false, false) => Stand::Shaken,
        }
    }

    /// The job.
    pub fn site(&self) -> &'a Site {
        self.site
    }

    /// The mark of a step, done or begun.
    pub fn mark(&self, device: &DeviceId, step: Step) -> Option<&'a Mark> {
        self.marks.get(&(device, step)).copied()
    }

    /// How far a step is.
    pub fn stand(&self, device: &DeviceId, step: Step) -> Stand {
        self.stands.get(&(device.clone(), step)).copied().unwrap_or(Stand::Open)
    }

    /// Whether a step holds.
    pub fn holds(&self, device: &DeviceId, step: Step) -> bool {
        self.stand(device, step) >= Stand::Done
    }

    /// Whether a box that was proved dead is not safe yet: neither dry-fitted nor put back since.
    pub fn is_open(&self, spot: &Spot<'_>) -> bool {
        let id = &spot.device.id;
        let Some(under) = self.under(id, Step::Dead) else { return false };
        let safe = |step| self.under(id, step) == Some(under) && self.holds(id, step);
        !safe(Step::DryFitted) && !safe(Step::PutBack)
    }

    /// The isolation under which a step was marked, where that is one.
    fn under(&self, device: &DeviceId, step: Step) -> Option<&'a IsolationId> {
        self.mark(device, step).filter(|m| m.at.is_some())?.isolation.as_ref()
    }

    /// The isolation under which it was last dry-fitted.
    pub fn fitted_under(&self, spot: &Spot<'_>) -> Option<IsolationId> {
        self.under(&spot.device.id, Step::DryFitted).cloned()
    }

    /// The isolation in force that makes a box dead; of several, the last.
    pub fn isolation(&self, spot: &Spot<'_>) -> Option<&'a Isolation> {
        let circuits = spot.circuits();
        let kit = spot.is_of_kit();
        let mut all: Vec<&Isolation> = self.site.isolations.iter().collect();
        all.sort_by(|a, b| (&a.at, &a.id).cmp(&(&b.at, &b.id)));
        all.into_iter().rev().find(|i| i.is_in_force() && self.makes_dead(i, &circuits, kit))
    }

    fn makes_dead(&self, isolation: &Isolation, circuits: &[String], kit: bool) -> bool {
        isolate::makes_dead(self.site, isolation, circuits) && (!kit || isolation.means.is_main())
    }

    /// Whether it has power where it stays.
    pub fn is_live(&self, spot: &Spot<'_>) -> bool {
        let id = &spot.device.id;
        if !spot.opens_box() {
            return self.holds(id, Step::Placed);
        }
        let circuits = spot.circuits();
        let is_off = |i: &Isolation| i.is_in_force() && isolate::touches(i, &circuits);
        let was_on =
            |under: &IsolationId| self.site.isolations.get(under).is_some_and(|i| !i.is_in_force());
        self.holds(id, Step::DryFitted)
            && self.fitted_under(spot).as_ref().is_some_and(was_on)
            && !self.is_open(spot)
            && !self.site.isolations.iter().any(is_off)
    }

    /// What is missing before a step may be taken now.
    pub fn missing(&self, spot: &Spot<'_>, step: Step, elsewhere: bool) -> Vec<Missing> {
        let is_taken = spot.takes(step) || step == Step::PutBack && spot.opens_box();
        if !is_taken {
            return vec![Missing { what: Lacks::NotTaken, yields: false }];
        }
        self.lacking(spot, step, When::Now { elsewhere })
    }

    fn lacking(&self, spot: &Spot<'_>, step: Step, when: When<'_>) -> Vec<Missing> {
        let rows = RULES.iter().filter(|(of, ..)| *of == step);
        rows.filter_map(|(_, rests, rule)| {
            let what = self.lacks(spot, step, *rests, when)?;
            Some(Missing { what, yields: *rule == UnlessSaid })
        })
        .collect()
    }

    fn lacks(&self, spot: &Spot<'_>, step: Step, rests: Rests, when: When<'_>) -> Option<Lacks> {
        let id = &spot.device.id;
        match rests {
            On(other) => {
                (spot.takes(other) && !self.holds(id, other)).then_some(Lacks::Step(other))
            }
            InForce => match when {
                When::Now { .. } => self.isolation(spot).is_none().then_some(Lacks::Isolation),
                When::Marked(mark) => {
                    let of = mark.isolation.as_ref().and_then(|i| self.site.isolations.get(i));
                    let (circuits, kit) = (spot.circuits(), spot.is_of_kit());
                    let made = |i: &Isolation| self.makes_dead(i, &circuits, kit);
                    (!of.is_some_and(made)).then_some(Lacks::Isolation)
                }
            },
            SameIsolation => {
                let proved = self.under(id, Step::Dead);
                let of = match when {
                    When::Now { .. } => self.isolation(spot).map(|i| &i.id),
                    // What was noted once stays noted.
                    When::Marked(_) if step == Step::Noted => return None,
                    When::Marked(mark) => mark.isolation.as_ref(),
                };
                (of.is_none() || proved != of).then_some(Lacks::ProvedUnderThis)
            }
            Settled => match when {
                When::Now { .. } => unsettled(spot).map(|why| Lacks::NotSettled { why }),
                // What was found out since shakes nothing that is done.
                When::Marked(_) => None,
            },
            Live => self.no_power(spot),
            LiveWhereJoined => {
                let elsewhere = match when {
                    When::Now { elsewhere } => elsewhere,
                    When::Marked(_) => self.joined_elsewhere(id),
                };
                // Joined once, it stays joined while its circuit is off again.
                match when {
                    When::Marked(_) => None,
                    When::Now { .. } if elsewhere => None,
                    When::Now { .. } => self.no_power(spot),
                }
            }
            Hub => self.hub_lacks(spot),
            Open => match when {
                When::Now { .. } => self.shut(spot),
                When::Marked(_) => None,
            },
            Masters => self.master_lacks(spot),
        }
    }

    fn no_power(&self, spot: &Spot<'_>) -> Option<Lacks> {
        let lack = if spot.opens_box() { Lacks::NoPower } else { Lacks::NotThere };
        (!self.is_live(spot)).then_some(lack)
    }

    /// Whether it was last joined elsewhere than where it lives.
    pub fn joined_elsewhere(&self, device: &DeviceId) -> bool {
        let of = self.site.joinings.iter().filter(|j| j.device == *device);
        let last = of.max_by(|a, b| (&a.at, &a.id).cmp(&(&b.at, &b.id)));
        last.is_some_and(|j| j.joined == crate::site::JoinedAt::Elsewhere)
    }

    fn hubs(&self, network: &'a NetworkId) -> impl Iterator<Item = &'a Device> {
        let site = self.site;
        let of = site.devices.iter().filter(move |d| d.network == *network);
        of.filter(|d| site.kind(&d.kind).is_some_and(|k| k.duty == Duty::Hub))
    }

    fn hub_lacks(&self, spot: &Spot<'_>) -> Option<Lacks> {
        let network = self.site.networks.get(&spot.device.network)?;
        let Some(hub) = self.hubs(&network.id).next() else {
            // A flood needs none.
            return (network.rule().choice != RouteChoice::Flood).then_some(Lacks::NoHub);
        };
        let ready = [Step::Firmware, Step::Phone, Step::Clock];
        let is_ready = ready.into_iter().all(|step| self.holds(&hub.id, step));
        (!is_ready).then(|| Lacks::HubNotReady { hub: hub.name.clone() })
    }

    /// The time at which a network stands open now.
    pub fn open_time(&self, network: &NetworkId) -> Option<&'a OpenTime> {
        let of = self.site.open_times.iter().filter(|o| o.network == *network);
        of.filter(|o| o.closed.is_none()).max_by(|a, b| (&a.at, &a.id).cmp(&(&b.at, &b.id)))
    }

    fn shut(&self, spot: &Spot<'_>) -> Option<Lacks> {
        match self.open_time(&spot.device.network) {
            None => Some(Lacks::NetworkShut),
            Some(open) if !open.expected.contains(&spot.device.id) => Some(Lacks::NotExpected),
            Some(_) => None,
        }
    }

    fn master_lacks(&self, spot: &Spot<'_>) -> Option<Lacks> {
        let masters = spot.masters();
        if masters.is_empty() {
            return Some(Lacks::NoMaster);
        }
        let not_in = |id: &&DeviceId| {
            let master = Spot::of(self.site, id);
            !master.is_some_and(|m| {
                self.holds(id, Step::Powered)
                    && (!m.takes(Step::Joined) || self.holds(id, Step::Joined))
            })
        };
        let lacking = masters.iter().find(not_in)?;
        let name = self.site.devices.get(lacking).map_or_else(String::new, |d| d.name.clone());
        Some(Lacks::Master { name })
    }

    /// What a step rests on, as things that can be seen to be done or not: for a page that has to tell
    /// without asking. What no tap of the day changes is told by [`State::missing`].
    pub fn needs(&self, spot: &Spot<'_>, step: Step) -> Vec<Need> {
        let id = &spot.device.id;
        let rows = RULES.iter().filter(|(of, ..)| *of == step);
        let mut all: Vec<Need> = rows
            .filter_map(|(_, rests, rule)| {
                let (what, met_by) = match rests {
                    On(other) if spot.takes(*other) => (Lacks::Step(*other), Key::step(id, *other)),
                    InForce => (Lacks::Isolation, Key::ISOLATE.to_owned()),
                    SameIsolation => (Lacks::ProvedUnderThis, Key::step(id, Step::Dead)),
                    Live | LiveWhereJoined if spot.opens_box() => {
                        (Lacks::NoPower, Key::ENERGISE.to_owned())
                    }
                    Live | LiveWhereJoined => (Lacks::NotThere, Key::step(id, Step::Placed)),
                    Open => (Lacks::NetworkShut, Key::open(&spot.device.network)),
                    Masters => {
                        let master = spot.masters().into_iter().next()?;
                        let of = Spot::of(self.site, &master)?;
                        let last =
                            if of.takes(Step::Joined) { Step::Joined } else { Step::Powered };
                        let name = of.device.name.clone();
                        (Lacks::Master { name }, Key::step(&master, last))
                    }
                    On(_) | Settled | Hub => return None,
                };
                Some(Need { what, met_by: vec![met_by], yields: *rule == UnlessSaid })
            })
            .collect();
        let fixed = self.missing(spot, step, false).into_iter().filter(|m| {
            let what = &m.what;
            matches!(
                what,
                Lacks::NotSettled { .. }
                    | Lacks::NoHub
                    | Lacks::HubNotReady { .. }
                    | Lacks::NoMaster
            )
        });
        all.extend(fixed.map(|m| Need { what: m.what, met_by: Vec::new(), yields: m.yields }));
        all
    }

    /// What has to be done before an isolation can be switched on: every box that is opened is made safe.
    pub fn needs_of_power(&self, devices: &[DeviceId]) -> Vec<Need> {
        let spots = devices.iter().filter_map(|d| Spot::of(self.site, d));
        let wired = spots.filter(Spot::opens_box);
        let need = |spot: Spot<'_>| {
            let id = &spot.device.id;
            let mut met_by = vec![Key::step(id, Step::DryFitted), Key::step(id, Step::PutBack)];
            if !spot.is_of_kit() {
                // A box that nobody opened is safe as it is.
                met_by.push(format!("!{}", Key::step(id, Step::Dead)));
            }
            let name = spot.device.name.clone();
            Need { what: Lacks::BoxSafe { name }, met_by, yields: false }
        };
        wired.map(need).collect()
    }

    /// Whether all steps of a device hold.
    pub fn is_complete(&self, spot: &Spot<'_>) -> bool {
        spot.steps().into_iter().all(|step| self.holds(&spot.device.id, step))
    }

    /// The first step of a device that does not hold.
    pub fn next_step(&self, spot: &Spot<'_>) -> Option<Step> {
        spot.steps().into_iter().find(|step| !self.holds(&spot.device.id, *step))
    }

    /// Why an isolation cannot be switched on yet: each box that it touches and that is not safe, and of a
    /// kit each product that is not wired. Empty where nothing speaks against it.
    pub fn against_power(&self, isolation: &Isolation) -> Vec<NotSafe> {
        let spots = self.site.devices.iter().filter_map(|d| Spot::of(self.site, &d.id));
        let wired: Vec<Spot<'_>> = spots.filter(Spot::opens_box).collect();
        let touched = |s: &&Spot<'_>| isolate::touches(isolation, &s.circuits()) && self.is_open(s);
        let mut found: Vec<NotSafe> = wired
            .iter()
            .filter(touched)
            .map(|s| NotSafe::Box { device: s.device.id.clone(), name: s.device.name.clone() })
            .collect();
        let begun: BTreeSet<&NetworkId> = wired
            .iter()
            .filter(|s| {
                s.is_of_kit() && self.under(&s.device.id, Step::Dead) == Some(&isolation.id)
            })
            .map(|s| &s.device.network)
            .collect();
        let lacks_kit = |s: &&Spot<'_>| {
            s.is_of_kit()
                && begun.contains(&s.device.network)
                && !self.holds(&s.device.id, Step::DryFitted)
                && !self.is_open(s)
        };
        found.extend(
            wired
                .iter()
                .filter(lacks_kit)
                .map(|s| NotSafe::Kit { device: s.device.id.clone(), name: s.device.name.clone() }),
        );
        found
    }

    /// Steps that were overruled, and boxes that were closed before what closing rests on held: both stand
    /// in the report.
    pub fn irregular(&self) -> Vec<Irregular> {
        let mut found = Vec::new();
        for ((device, step), stand) in &self.stands {
            let why = self.mark(device, *step).map(|m| m.why.clone()).unwrap_or_default();
            match stand {
                Stand::Overruled => {
                    found.push(Irregular { device: device.clone(), step: *step, why: Some(why) });
                }
                Stand::Shaken => {
                    found.push(Irregular { device: device.clone(), step: *step, why: None });
                }
                Stand::Open | Stand::Done => {}
            }
        }
        found
    }
}

/// When a step is looked at: now, before it is taken, or as it was marked.
#[derive(Clone, Copy)]
enum When<'m> {
    Now { elsewhere: bool },
    Marked(&'m Mark),
}

/// Why it is not settled that a device fits; nothing where it is.
pub fn unsettled(spot: &Spot<'_>) -> Option<String> {
    if !matches!(spot.work(), Work::Wired | Work::Companion | Work::Hub) {
        return None;
    }
    let found = fit::findings(spot.site, spot.kind, spot.point, Some(spot.device));
    let open = found.iter().find(|f| f.fits() >= Fits::NotKnown)?;
    Some(open.to_string())
}

/// Why power stays off.
#[derive(Clone, Debug, PartialEq, Eq)]
#[expect(missing_docs, reason = "each says in its words what it holds")]
pub enum NotSafe {
    Box { device: DeviceId, name: String },
    Kit { device: DeviceId, name: String },
}

impl fmt::Display for NotSafe {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Box { name, .. } => write!(f, "{name} is open: dry-fit it, or put it back"),
            Self::Kit { name, .. } => {
                write!(f, "{name} is of the same kit and not wired: all start together")
            }
        }
    }
}

/// A step that stands against a rule.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Irregular {
    /// The device.
    pub device: DeviceId,
    /// The step.
    pub step: Step,
    /// The reason that was given; nothing where the step does not hold for want of one.
    pub why: Option<String>,
}
