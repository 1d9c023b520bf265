//! Times without power and all the rest as visits: what is first, what fills a day, what waits for a dry one;
//! what is taken along, what must be known or agreed before.

use std::collections::{BTreeMap, BTreeSet};

use super::cards;
use super::clock::{Clock, Minutes};
use super::dark;
use super::schedule::{LeftOut, PlannedVisit, PowerOff, VisitKind};
use crate::bill::{self, BillLine};
use crate::gate::isolate::OffReason;
use crate::gate::work::{WorkKind, WorkedDevice};
use crate::record::Step;
use crate::site::neutrals::really;
use crate::site::{Becomes, BoxKind, Circuit, DeviceId, NeedsPower, PointKind, PowerNeed, Site};
use crate::survey::previsit;

pub(super) fn visits(
    site: &Site,
    clock: &Clock<'_>,
    mut outages: Vec<PowerOff>,
    ranks: &BTreeMap<DeviceId, usize>,
    left_out: &[LeftOut],
) -> Vec<PlannedVisit> {
    let is_outdoors = |o: &PowerOff| {
        let mut points = o.boxes.iter().filter_map(|b| site.points.get(&b.point));
        points.any(|p| p.kind == PointKind::Outdoor)
    };
    let mut all = Vec::new();
    let looks = previsit::looks(site);
    if !looks.is_empty() {
        let mut visit = empty(site, "before".to_owned(), VisitKind::Before);
        visit.minutes = looks.iter().map(|l| Minutes::of(l.minutes)).sum();
        visit.looks = looks;
        all.push(visit);
    }
    let mut hubs: Vec<DeviceId> = Vec::new();
    let mut rest: Vec<DeviceId> = Vec::new();
    for device in &site.devices {
        let spot = WorkedDevice::of(site, &device.id);
        let is_planned = |s: &WorkedDevice<'_>| {
            !s.opens_box()
                && !s.steps().is_empty()
                && left_out.iter().all(|l| l.device != device.id)
        };
        let Some(spot) = spot.filter(is_planned) else { continue };
        if spot.work() == WorkKind::Hub { &mut hubs } else { &mut rest }.push(device.id.clone());
    }
    rest.sort_by_key(|d| (ranks.get(d).copied().unwrap_or(usize::MAX), d.clone()));
    let live = |devices: &[DeviceId]| -> Minutes {
        devices.iter().filter_map(|d| WorkedDevice::of(site, d)).map(|s| clock.live(&s)).sum()
    };
    // What one act lets in goes along with its boxes.
    rest.retain(|device| {
        let Some(outage) = outages.iter_mut().find(|o| is_let_in_with(site, o, device)) else {
            return true;
        };
        outage.live += live(std::slice::from_ref(device));
        outage.left +=
            WorkedDevice::of(site, device).map(|s| clock.live_left(&s)).unwrap_or_default();
        outage.along.push(device.clone());
        false
    });
    let (dry, indoors): (Vec<PowerOff>, Vec<PowerOff>) = outages.into_iter().partition(is_outdoors);
    let day = site.rate("minutes-visit").max(1.0);
    let mut days: Vec<PlannedVisit> = Vec::new();
    let open = |days: &mut Vec<PlannedVisit>, kind: VisitKind| {
        let count = days.iter().filter(|v| v.kind == kind).count() + 1;
        let word = if kind == VisitKind::Dry { "dry" } else { "day" };
        days.push(empty(site, format!("{word}-{count}"), kind));
    };
    if !(indoors.is_empty() && hubs.is_empty() && rest.is_empty()) {
        open(&mut days, VisitKind::Day);
        if let Some(first) = days.last_mut() {
            first.minutes += live(&hubs);
            first.first = hubs;
        }
    }
    for (kind, outages) in [(VisitKind::Day, indoors), (VisitKind::Dry, dry)] {
        for outage in outages {
            let takes = outage.off + outage.live;
            let has_room = days.last().is_some_and(|v| {
                v.kind == kind && (v.minutes.likely + takes.likely <= day || v.is_empty())
            });
            if !has_room {
                open(&mut days, kind);
            }
            if let Some(visit) = days.last_mut() {
                visit.minutes += takes;
                visit.outages.push(outage);
            }
        }
    }
    // What needs no breaker fills the last day indoors, and further ones.
    for device in rest {
        let takes = live(std::slice::from_ref(&device));
        let last = days.iter().rposition(|v| v.kind == VisitKind::Day);
        let room =
            last.filter(|l| days[*l].minutes.likely + takes.likely <= day || days[*l].is_empty());
        let place = room.unwrap_or_else(|| {
            let count = days.iter().filter(|v| v.kind == VisitKind::Day).count() + 1;
            let at = last.map_or(0, |l| l + 1);
            days.insert(at, empty(site, format!("day-{count}"), VisitKind::Day));
            at
        });
        days[place].minutes += takes;
        days[place].after.push(device);
    }
    all.extend(days);
    let parts = bill::parts(site);
    for visit in &mut all {
        let with_power = visit.first.iter().chain(&visit.after);
        let spots = with_power.filter_map(|d| WorkedDevice::of(site, d));
        visit.left = spots.map(|s| clock.live_left(&s)).sum::<Minutes>()
            + visit.outages.iter().map(|o| o.left).sum()
            + if visit.kind == VisitKind::Before { visit.minutes } else { Minutes::default() };
        visit.take = take(site, visit, &parts);
        visit.before = before(site, visit);
    }
    all
}

/// Whether a device that opens no box is let in by the act that lets in what stands in the boxes of an outage.
fn is_let_in_with(site: &Site, outage: &PowerOff, device: &DeviceId) -> bool {
    let network = |d: &DeviceId| site.devices.get(d).map(|d| &d.network);
    let own = network(device).and_then(|n| site.networks.get(n));
    let joins = |d: &DeviceId| WorkedDevice::of(site, d).is_some_and(|s| s.takes(Step::Joined));
    own.is_some_and(|n| cards::lets_in_at_once(n.system))
        && joins(device)
        && outage
            .boxes
            .iter()
            .flat_map(|b| &b.devices)
            .any(|d| network(d) == network(device) && joins(d))
}

impl PlannedVisit {
    fn is_empty(&self) -> bool {
        self.outages.is_empty() && self.after.is_empty()
    }

    /// Every device of it, in the order of the work.
    pub fn devices(&self) -> impl Iterator<Item = &DeviceId> {
        let off = self.outages.iter().flat_map(PowerOff::devices);
        self.first.iter().chain(off).chain(&self.after)
    }
}

fn empty(site: &Site, key: String, kind: VisitKind) -> PlannedVisit {
    use crate::site::Part;
    let named = |of: &dyn Fn(&crate::site::Person) -> bool| -> Vec<String> {
        site.people.iter().filter(|p| of(p)).map(|p| p.name.clone()).collect()
    };
    PlannedVisit {
        key,
        kind,
        looks: Vec::new(),
        first: Vec::new(),
        outages: Vec::new(),
        after: Vec::new(),
        minutes: Minutes::default(),
        left: Minutes::default(),
        licensed: named(&|p| p.may_mains && !p.part.uses_the_house()),
        installers: named(&|p| p.part == Part::Installer),
        take: Vec::new(),
        before: Vec::new(),
    }
}

/// Tools that every visit with an open box wants.
const TOOLS: [&str; 10] = [
    "Approved two-pole tester, and a known source to prove it on",
    "Lock and notice for the breaker",
    "Short screwdriver, insulated",
    "Cutter and stripper with a stop",
    "Tape",
    "Painter's tape, under each box",
    "Stickers for tags and codes",
    "Lamp that needs no mains",
    "Charged phone, and a spare battery for it",
    "Vacuum cleaner or dust sheet",
];

/// Devices by kind, small parts, and tools.
fn take(site: &Site, visit: &PlannedVisit, parts: &[BillLine]) -> Vec<(String, f64)> {
    let mut count: BTreeMap<String, f64> = BTreeMap::new();
    let new = visit.devices().filter_map(|d| site.devices.get(d)).filter(|d| !d.is_there());
    for device in new {
        if let Some(kind) = site.kind(&device.kind) {
            *count.entry(kind.bought_as().to_owned()).or_default() += 1.0;
        }
    }
    let labels: BTreeSet<&str> = visit
        .devices()
        .filter_map(|d| site.devices.get(d))
        .filter_map(|d| site.point_of(d))
        .flat_map(|p| [p.label(), site.box_of(p).label()])
        .collect();
    let mut all: Vec<(String, f64)> = count.into_iter().collect();
    for line in parts {
        #[expect(clippy::cast_precision_loss, reason = "a few hundred parts")]
        let here = line.at.iter().filter(|at| labels.contains(at.as_str())).count() as f64;
        if here > 0.0 {
            all.push((line.what.clone(), here));
        }
    }
    if !visit.outages.is_empty() || !visit.looks.is_empty() {
        all.extend(TOOLS.iter().map(|tool| ((*tool).to_owned(), 1.0)));
    }
    all
}

/// What must be known or agreed before a visit.
fn before(site: &Site, visit: &PlannedVisit) -> Vec<String> {
    let mut all = Vec::new();
    let mut add = |text: String| {
        if !all.contains(&text) {
            all.push(text);
        }
    };
    if (!visit.outages.is_empty() || !visit.looks.is_empty()) && visit.licensed.is_empty() {
        add("Who may work on the mains here: nobody of the job is on record as licensed".to_owned());
    }
    for outage in &visit.outages {
        let (_, long) = outage.off.range();
        let off = if outage.cut.means.is_main() {
            "the whole house".to_owned()
        } else {
            match outage.cut.breakers().as_slice() {
                [one] => format!("breaker {one}"),
                several => format!("breakers {}", several.join(" and ")),
            }
        };
        add(format!("Agree with the household: {off} off for up to {:.0} minutes", round_up(long)));
        dark_with(site, outage, &off, round_up(long)).into_iter().for_each(&mut add);
        for why in &outage.cut.whys {
            if matches!(
                why,
                OffReason::NotProven { .. } | OffReason::NoBreaker | OffReason::Mislabelled { .. }
            ) {
                add(format!("{}: {why}", outage.key));
            }
        }
    }
    let unknown = visit.devices().filter_map(|d| WorkedDevice::of(site, d)).filter(|s| {
        let lead = site.box_of(s.point);
        s.opens_box() && lead.back_box != BoxKind::None && lead.conductors.is_empty()
    });
    let unknown: Vec<&str> = unknown.map(|s| s.point.label()).collect();
    if !unknown.is_empty() {
        add(format!(
            "Conductors are not on record of {}: connectors for them are the most that is usual",
            unknown.join(", ")
        ));
    }
    for device in visit.devices().filter_map(|d| site.devices.get(d)) {
        let uses = || site.old_uses.iter().filter(|u| u.device == device.id);
        for of in uses().filter(|u| u.becomes == Becomes::Open) {
            add(format!(
                "Decide what becomes of the {}, of what {} replaces",
                of.title(),
                device.name
            ));
        }
        let replaced = device.replaces.trim();
        if !replaced.is_empty() && uses().next().is_none() {
            add(format!(
                "List what names {replaced} in the old system: rules, scenes, names for the voice, groups, its entry"
            ));
        }
    }
    let joining = visit.devices().filter_map(|d| WorkedDevice::of(site, d));
    for spot in joining.filter(|s| s.takes(Step::Joined)) {
        if let Some(network) = spot.network {
            add(format!("Say beforehand: {}", cards::notice(network.system)));
        }
    }
    if visit.kind == VisitKind::Dry {
        add("A dry day: boxes outdoors are open".to_owned());
    }
    all
}

/// What goes dark with an outage and must not without a word, a sentence each. `off` says what is off, for up to `long`
/// minutes.
fn dark_with(site: &Site, outage: &PowerOff, off: &str, long: f64) -> Vec<String> {
    let is_main = outage.cut.means.is_main();
    let with = |label: &str| match label.trim() {
        _ if is_main => "with the whole house".to_owned(),
        "" => "with any breaker while nobody knows its own".to_owned(),
        label => format!("with breaker {}", really(site, label)),
    };
    let thing = |of: &NeedsPower| {
        let bears = match of.bears_min {
            Some(minutes) if minutes < long => format!(
                "; it bears {minutes:.0} minutes, and {off} is off for up to {long:.0}: give it another supply"
            ),
            Some(_) => String::new(),
            None if of.what == PowerNeed::Medicine => {
                "; ask how long it bears that, and do not begin before".to_owned()
            }
            None => "; nobody has said how long it bears that".to_owned(),
        };
        format!("{}: goes dark {}{bears}", dark::called(of), with(&of.circuit))
    };
    let is_dark =
        |c: &&Circuit| !c.must_stay.trim().is_empty() && dark::is_off(site, &outage.cut, &c.label);
    let in_words = site.circuits.iter().filter(is_dark).map(|circuit| {
        let label = circuit.label.trim();
        format!(
            "{}: goes dark with breaker {label}; agree what is done for it",
            circuit.must_stay.trim()
        )
    });
    dark::goes_dark(site, &outage.cut).into_iter().map(thing).chain(in_words).collect()
}

fn round_up(minutes: f64) -> f64 {
    (minutes / 5.0).ceil() * 5.0
}
