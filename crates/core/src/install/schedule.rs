//! The visits of a job: what must be known before, which breaker goes off when and why, who does it, what is
//! taken along, how long it takes; the times without power that weigh least on the household, then the shortest walk. What does not fit, and
//! what nobody has looked into, is never planned as if it were settled: it stands apart, with its reason. Only a box that
//! was opened stays, whatever was learned in it, until it is closed or put back.

use std::collections::{BTreeMap, BTreeSet};

use super::clock::{Clock, Minutes};
use super::dark;
use super::order;
use super::pack::{self, PackItem, PackProblem};
use super::visits;
use crate::analysis::Analysis;
use crate::gate::isolate::{self, OffChoice, OffReason};
use crate::gate::unsettled;
use crate::gate::work::{WorkKind, WorkedDevice};
use crate::geometry::Place;
use crate::pulse::StillWanted;
use crate::record::{Cut, Isolation, Record};
use crate::site::neutrals::{really, with_partners};
use crate::site::{DeviceId, PointId, PointKind, Shows, Site, breaker_order};
use crate::survey::previsit::PrevisitLook;
use crate::trial;

/// Metres walked for each metre of height: stairs; *planning value*.
const STAIRS: f64 = 3.0;

/// All visits.
#[derive(Clone, Debug)]
pub struct Schedule {
    /// The visits, in order.
    pub visits: Vec<PlannedVisit>,
    /// What is not on any of them, and why.
    pub left_out: Vec<LeftOut>,
    /// Where the panel is taken to be.
    pub panel: Panel,
    /// What all times without power weigh on the household, in minutes of one circuit that is dark.
    pub weight: f64,
    /// What any plan weighs at the least, as far as is known; as much as this one where that is proven.
    pub least: f64,
    /// Whether no plan that weighs so little has provably a shorter walk.
    pub is_shortest: bool,
    /// All walks, in metres.
    pub walk: f64,
    /// The box that is done first, to rehearse: one place, one gang, nothing shared.
    pub rehearsal: Option<DeviceId>,
}

impl Schedule {
    /// Whether no plan weighs less.
    pub fn is_least(&self) -> bool {
        self.least >= self.weight
    }

    /// How sure it is that power could not go off with less for the household to bear, as a sentence.
    pub fn proof(&self) -> String {
        let what = "By what goes dark and for how long";
        match (self.is_least(), self.is_shortest) {
            (true, true) => {
                format!(
                    "{what}, no plan is easier on the household, and none as easy has a shorter walk."
                )
            }
            (true, false) => format!("{what}, no plan is easier on the household."),
            (false, _) => {
                let gap = ((1.0 - self.least / self.weight) * 100.0).ceil();
                format!("{what}, a plan up to {gap:.0} % easier on the household is not ruled out.")
            }
        }
    }

    /// How often power goes off.
    pub fn outages(&self) -> impl Iterator<Item = &PowerOff> {
        self.visits.iter().flat_map(|v| &v.outages)
    }
}

/// Where the panel is taken to be, for the walks.
#[derive(Clone, Debug, PartialEq)]
pub enum Panel {
    /// Where a photo of it was taken.
    Seen(PointId),
    /// At a point of that name.
    Named(PointId),
    /// Nobody said: in the middle of the lowest storey.
    Guessed,
}

/// What kind of visit it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum VisitKind {
    /// Before the day, to look into boxes.
    Before,
    /// A day of work.
    Day,
    /// Outdoors, in a dry slot.
    Dry,
}

/// A visit.
#[derive(Clone, Debug)]
pub struct PlannedVisit {
    /// Its key: `before`, `day-1`, `dry-1`.
    pub key: String,
    /// What kind it is.
    pub kind: VisitKind,
    /// Boxes to look into.
    pub looks: Vec<PrevisitLook>,
    /// Devices that are set up before any power goes off: hubs.
    pub first: Vec<DeviceId>,
    /// Times without power, in order.
    pub outages: Vec<PowerOff>,
    /// What is done afterwards with power on, in the order of joining: plugs, batteries, remotes.
    pub after: Vec<DeviceId>,
    /// How long it takes as planned.
    pub minutes: Minutes,
    /// What of that is left, by what is on record.
    pub left: Minutes,
    /// Who does the mains work: those who may. None where nobody of the job is known to.
    pub licensed: Vec<String>,
    /// Who joins and tests.
    pub installers: Vec<String>,
    /// What is taken along.
    pub take: Vec<(String, f64)>,
    /// What must be known, or agreed, before.
    pub before: Vec<String>,
}

/// A time without power.
#[derive(Clone, Debug)]
pub struct PowerOff {
    /// Its key, of what goes off: `main`, `3`, `3+5`; `main~2` the second time.
    pub key: String,
    /// How often that has gone off with this, counted in the order of the plan.
    pub time: usize,
    /// What goes off, and why.
    pub cut: OffChoice,
    /// The boxes, in the order of the walk.
    pub boxes: Vec<Worked>,
    /// What opens no box and is let in by the same act as what stands in them.
    pub along: Vec<DeviceId>,
    /// How long power is off.
    pub off: Minutes,
    /// How long joining and closing take afterwards.
    pub live: Minutes,
    /// What of both is left, by what is on record.
    pub left: Minutes,
    /// The walk from the panel and back, in metres.
    pub walk: f64,
}

impl PowerOff {
    /// Every device of it: those in its boxes, and what is let in by the same act.
    pub fn devices(&self) -> impl Iterator<Item = &DeviceId> {
        self.boxes.iter().flat_map(|b| &b.devices).chain(&self.along)
    }
}

/// A box, with what is put into it.
#[derive(Clone, Debug, PartialEq)]
pub struct Worked {
    /// The point that says how the box is.
    pub point: PointId,
    /// The devices.
    pub devices: Vec<DeviceId>,
}

/// Something that is not planned.
#[derive(Clone, Debug, PartialEq)]
pub struct LeftOut {
    /// The device.
    pub device: DeviceId,
    /// Why.
    pub why: String,
}

/// Plans the visits.
pub fn schedule(analysis: &Analysis, record: &Record) -> Schedule {
    let schedule = schedule_while(&|| true, analysis, record);
    schedule.unwrap_or_else(|| unreachable!("it is wanted to the end"))
}

/// The same as long as it is `wanted`; nothing once it is not.
pub fn schedule_while(
    wanted: &StillWanted<'_>,
    analysis: &Analysis,
    record: &Record,
) -> Option<Schedule> {
    let site: &Site = &analysis.site;
    let clock = Clock::of(site, record);
    let ranks = ranks(analysis);
    let (mut wired, mut left_out) = (Vec::new(), Vec::new());
    for device in &site.devices {
        if !wanted() {
            return None;
        }
        let is_in_hand = record.is_in_hand(&device.id);
        if let Some(why) = trial::waits(site, device).filter(|_| !is_in_hand) {
            left_out.push(LeftOut { device: device.id.clone(), why });
            continue;
        }
        let Some(spot) = WorkedDevice::of(site, &device.id).filter(WorkedDevice::opens_box) else {
            continue;
        };
        match unsettled(&spot).filter(|_| !is_in_hand) {
            Some(why) => left_out.push(LeftOut { device: device.id.clone(), why }),
            None => wired.push(spot),
        }
    }
    hold_back_groups(site, record, &mut wired, &mut left_out);
    let units = units(site, record, &wired, &Clock::planned(site, record));
    let (panel, at) = panel(site);
    let (problem, breakers) = problem(site, &units, at);
    let packed = pack::kept_together(&problem, pack::pack(&problem), &in_hand(record, &units));
    let mut outages = Vec::with_capacity(packed.outages.len());
    for packed in &packed.outages {
        if !wanted() {
            return None;
        }
        outages.push(outage(site, &units, &breakers, packed, &clock));
    }
    let rank = |o: &PowerOff| {
        let of = o.boxes.iter().flat_map(|b| &b.devices).filter_map(|d| ranks.get(d));
        of.min().copied().unwrap_or(usize::MAX)
    };
    // Outward from the hub: who carries others is in before those that it carries.
    let place = |o: &PowerOff| {
        let label = o.cut.circuits.first().map_or("", String::as_str);
        (rank(o), breaker_order(label).0, o.key.clone())
    };
    outages.sort_by_key(place);
    let rehearsal = rehearse(site, &mut outages);
    let mut times: BTreeMap<String, usize> = BTreeMap::new();
    for outage in &mut outages {
        let time = times.entry(outage.key.clone()).or_default();
        *time += 1;
        outage.time = *time;
        if *time > 1 {
            outage.key = format!("{}~{time}", outage.key);
        }
    }
    let least = if packed.is_least() { packed.weight } else { packed.least };
    let (weight, is_shortest, walk) = (packed.weight, packed.is_shortest, packed.walk());
    let visits = visits::visits(site, &clock, outages, &ranks, &left_out);
    Some(Schedule { visits, left_out, panel, weight, least, is_shortest, walk, rehearsal })
}

/// What works one load is wired together: where one place of a group waits, the others wait with it, but for what is in hand.
fn hold_back_groups<'a>(
    site: &'a Site,
    record: &Record,
    wired: &mut Vec<WorkedDevice<'a>>,
    left_out: &mut Vec<LeftOut>,
) {
    for group in site.groups.iter().filter(|g| g.places.len() > 1) {
        let is_of = |device: &DeviceId| {
            site.devices.get(device).is_some_and(|d| group.places.contains(&d.point))
        };
        let Some(missing) = left_out.iter().find(|l| is_of(&l.device)) else { continue };
        let Some(name) = site.devices.get(&missing.device).map(|d| d.name.clone()) else {
            continue;
        };
        let waits =
            |spot: &WorkedDevice<'_>| is_of(&spot.device.id) && !record.is_in_hand(&spot.device.id);
        let why = format!(
            "It works the same load as {name}, which waits: {} goes in together.",
            group.name
        );
        let held = wired.iter().filter(|s| waits(s));
        let held: Vec<LeftOut> =
            held.map(|s| LeftOut { device: s.device.id.clone(), why: why.clone() }).collect();
        left_out.extend(held);
        wired.retain(|spot| !waits(spot));
    }
}

/// The units whose boxes were opened under each isolation in force: they stay in one time without power until that is on
/// again, whatever the plan makes of them meanwhile.
fn in_hand(record: &Record, units: &[Unit]) -> Vec<Vec<usize>> {
    let of = |isolation: &Isolation| {
        let is_under = |unit: &Unit| {
            let mut devices = unit.boxes.iter().flat_map(|b| &b.devices);
            devices.any(|device| isolation.boxes.contains_key(device))
        };
        (0..units.len()).filter(|n| is_under(&units[*n])).collect()
    };
    record.in_force().map(of).collect()
}

/// In which place each device is joined.
fn ranks(analysis: &Analysis) -> BTreeMap<DeviceId, usize> {
    let sheet = order::run_sheet(analysis);
    sheet.into_iter().enumerate().map(|(place, task)| (task.device, place)).collect()
}

/// Boxes that are worked on together.
struct Unit {
    boxes: Vec<Worked>,
    circuits: Vec<String>,
    kit: Option<String>,
    minutes: f64,
}

/// Boxes tied by a wire, or by a kit that starts together, are one unit.
fn units(site: &Site, record: &Record, wired: &[WorkedDevice<'_>], clock: &Clock<'_>) -> Vec<Unit> {
    let mut boxes: BTreeMap<&PointId, Vec<&WorkedDevice<'_>>> = BTreeMap::new();
    for spot in wired {
        boxes.entry(&site.box_of(spot.point).id).or_default().push(spot);
    }
    // What ties a box to others: groups by wire, and kits.
    let ties = |spots: &[&WorkedDevice<'_>]| -> BTreeSet<String> {
        let groups = spots.iter().filter_map(|s| site.group_of(&s.point.id));
        let kits = spots.iter().filter(|s| s.is_of_kit()).map(|s| &s.device.network);
        let groups = groups.filter(|g| g.places.len() > 1).map(|g| format!("group {}", g.id));
        groups.chain(kits.map(|k| format!("kit {k}"))).collect()
    };
    let mut found: Vec<(BTreeSet<String>, Vec<&PointId>)> = Vec::new();
    for (point, spots) in &boxes {
        let own = ties(spots);
        let (mut joined, mut others) = ((own.clone(), vec![*point]), Vec::new());
        for other in found {
            if other.0.is_disjoint(&own) {
                others.push(other);
            } else {
                joined.0.extend(other.0);
                joined.1.extend(other.1);
            }
        }
        joined.1.sort();
        others.push(joined);
        found = others;
    }
    found.sort_by(|a, b| a.1.cmp(&b.1));
    let unit = |(_, points): (BTreeSet<String>, Vec<&PointId>)| {
        let spots: Vec<&WorkedDevice<'_>> =
            points.iter().flat_map(|p| boxes[*p].iter().copied()).collect();
        let mut own: BTreeSet<String> = spots.iter().flat_map(|s| s.circuits()).collect();
        if spots.iter().any(|s| record.was_live_by_breaker(&s.device.id)) {
            own.insert(String::new());
        }
        let own: Vec<String> = own.into_iter().collect();
        let kit = spots.iter().find(|s| s.is_of_kit());
        Unit {
            minutes: spots.iter().map(|s| clock.dead(s).likely).sum(),
            kit: kit.and_then(|s| s.network).map(|n| n.name.clone()),
            circuits: with_partners(site, &own),
            boxes: points
                .iter()
                .map(|p| Worked {
                    point: (*p).clone(),
                    devices: boxes[*p].iter().map(|s| s.device.id.clone()).collect(),
                })
                .collect(),
        }
    };
    found.into_iter().map(unit).collect()
}

fn panel(site: &Site) -> (Panel, Option<Place>) {
    let at =
        |id: &PointId| site.points.get(id).and_then(|p| site.place(&p.floor, p.at, p.height_m));
    if let Some(photo) = site.photos.iter().find(|p| p.shows == Shows::Panel) {
        return (Panel::Seen(photo.point.clone()), at(&photo.point));
    }
    let is_named = |name: &str| {
        let name = name.to_lowercase();
        ["panel", "consumer unit", "meter cupboard", "fuse board", "distribution board"]
            .iter()
            .any(|word| name.contains(word))
    };
    if let Some(point) = site.points.iter().find(|p| is_named(&p.name)) {
        return (Panel::Named(point.id.clone()), at(&point.id));
    }
    let lowest = site.floors_upward().first().map(|f| f.id.clone());
    let on_it = site.points.iter().filter(|p| lowest.as_ref() == Some(&p.floor));
    let spots: Vec<[f64; 2]> = on_it.map(|p| p.at).collect();
    #[expect(clippy::cast_precision_loss, reason = "some thousand points")]
    let count = spots.len().max(1) as f64;
    let middle = [0, 1].map(|axis| spots.iter().map(|s| s[axis]).sum::<f64>() / count);
    let height = crate::units::Metres::new(1.5);
    (Panel::Guessed, lowest.and_then(|floor| site.place(&floor, middle, height)))
}

/// The schedule as a problem of items and stops; and which breaker each number stands for.
fn problem(site: &Site, units: &[Unit], panel: Option<Place>) -> (PackProblem, Vec<String>) {
    let mut breakers: Vec<String> = units
        .iter()
        .flat_map(|u| u.circuits.iter().map(|label| really(site, label).to_owned()))
        .collect::<BTreeSet<_>>()
        .into_iter()
        .collect();
    breakers.retain(|label| !label.is_empty());
    // Two labels of one breaker go off together.
    let number =
        |label: &String| breakers.binary_search_by(|b| b.as_str().cmp(really(site, label))).ok();
    let mut stops: Vec<Option<Place>> = Vec::new();
    let items = units.iter().map(|unit| {
        let first = stops.len();
        for worked in &unit.boxes {
            let point = site.points.get(&worked.point);
            stops.push(point.and_then(|p| site.place(&p.floor, p.at, p.height_m)));
        }
        let cut = isolate::choice(site, &unit.circuits, unit.kit.as_deref());
        let needs_main = cut.means.is_main();
        PackItem {
            breakers: if needs_main {
                BTreeSet::new()
            } else {
                unit.circuits.iter().filter_map(number).collect()
            },
            minutes: unit.minutes,
            stops: (first..stops.len()).collect(),
        }
    });
    let items: Vec<PackItem> = items.collect();
    let far = |a: Option<Place>, b: Option<Place>| match (a, b) {
        (Some(a), Some(b)) => (a.x - b.x).hypot(a.y - b.y) + STAIRS * (a.z - b.z).abs(),
        _ => 0.0,
    };
    let any = dark::with_any(site);
    let problem = PackProblem {
        items,
        most: site.rate("minutes-off").min(any.bears),
        once: site.rate("dark-once"),
        any: any.weight,
        breakers: breakers.iter().map(|breaker| dark::of_breaker(site, breaker)).collect(),
        main: dark::of_main(site),
        each: site.rate("minutes-isolate") + site.rate("minutes-energise"),
        panel: stops.iter().map(|s| far(*s, panel)).collect(),
        apart: stops.iter().map(|a| stops.iter().map(|b| far(*a, *b)).collect()).collect(),
    };
    (problem, breakers)
}

fn outage(
    site: &Site,
    units: &[Unit],
    breakers: &[String],
    packed: &pack::OffPeriod,
    clock: &Clock<'_>,
) -> PowerOff {
    // Stops were numbered box by box.
    let boxes: Vec<&Worked> = units.iter().flat_map(|u| &u.boxes).collect();
    let boxes: Vec<Worked> = packed.stops.iter().map(|stop| boxes[*stop].clone()).collect();
    let of = packed.items.iter().map(|i| &units[*i]);
    let needs_main = packed.breakers.is_empty();
    let kit = of.clone().find_map(|u| u.kit.as_deref());
    let goes_off = |label: &&String| {
        needs_main || packed.breakers.iter().any(|b| breakers[*b] == really(site, label))
    };
    let labels = of.flat_map(|u| u.circuits.iter().filter(goes_off).cloned());
    let mut circuits: Vec<String> = labels.collect::<BTreeSet<_>>().into_iter().collect();
    circuits.sort_by(|a, b| breaker_order(a).cmp(&breaker_order(b)));
    let mut cut = isolate::choice(site, &circuits, kit);
    // What no single box asks for is done in one go since that weighs less.
    let is_of_one = |why: &OffReason| match why {
        OffReason::Several { circuits } => {
            let mut of = packed.items.iter().map(|i| &units[*i]);
            of.any(|unit| circuits.iter().all(|c| unit.circuits.contains(c)))
        }
        _ => true,
    };
    for why in cut.whys.iter_mut().filter(|why| !is_of_one(why)) {
        if let OffReason::Several { circuits } = why {
            *why = OffReason::Together { circuits: std::mem::take(circuits) };
        }
    }
    if needs_main {
        cut.means = Cut::Main;
        cut.whys.retain(|w| {
            w.asks_for_main()
                || matches!(w, OffReason::Mislabelled { .. } | OffReason::InPanel { .. })
        });
    }
    let spots: Vec<WorkedDevice<'_>> =
        boxes.iter().flat_map(|b| &b.devices).filter_map(|d| WorkedDevice::of(site, d)).collect();
    let each = clock.time("minutes-isolate") + clock.time("minutes-energise");
    let dead = spots.iter().map(|s| clock.dead(s)).sum::<Minutes>();
    let dead_left = spots.iter().map(|s| clock.dead_left(s)).sum::<Minutes>();
    let live_left = spots.iter().map(|s| clock.live_left(s)).sum::<Minutes>();
    let left =
        if dead_left == Minutes::default() { live_left } else { each + dead_left + live_left };
    PowerOff {
        key: if needs_main { "main".to_owned() } else { circuits.join("+") },
        time: 1,
        off: each + dead,
        left,
        live: spots.iter().map(|s| clock.live(s)).sum(),
        walk: packed.walk,
        cut,
        boxes,
        along: Vec::new(),
    }
}

/// Puts an outage first whose walk begins or ends at an easy box: one place, one device, one gang, its
/// breaker proven or not, nothing shared. Gives the device that is the rehearsal.
fn rehearse(site: &Site, outages: &mut Vec<PowerOff>) -> Option<DeviceId> {
    let easy = |worked: &Worked| {
        let point = site.points.get(&worked.point)?;
        let [device] = worked.devices.as_slice() else { return None };
        let spot = WorkedDevice::of(site, device)?;
        let alone = site.group_of(&point.id).is_none_or(|g| g.places.len() < 2);
        let plain =
            point.gangs <= 1 && point.kind == PointKind::Switch && spot.work() == WorkKind::Wired;
        (alone && plain).then(|| device.clone())
    };
    let found = outages.iter().enumerate().find_map(|(place, outage)| {
        let (first, last) = (outage.boxes.first()?, outage.boxes.last()?);
        let of_one_breaker = !outage.cut.means.is_main() && outage.cut.circuits.len() == 1;
        let device = easy(first).map(|d| (d, false)).or_else(|| easy(last).map(|d| (d, true)));
        device.filter(|_| of_one_breaker).map(|(device, turned)| (place, device, turned))
    });
    let (place, device, turned) = found?;
    let mut outage = outages.remove(place);
    if turned {
        // The same walk, the other way round.
        outage.boxes.reverse();
    }
    outages.insert(0, outage);
    Some(device)
}

/// How often the breaker would change if devices were worked on in the order of joining, one after the other.
pub fn changes_in_order_of_joining(analysis: &Analysis) -> usize {
    let site = &analysis.site;
    let mut last: Option<String> = None;
    let mut changes = 0;
    for task in order::run_sheet(analysis) {
        let Some(spot) = WorkedDevice::of(site, &task.device).filter(WorkedDevice::opens_box)
        else {
            continue;
        };
        let circuit = spot.point.circuit.trim().to_owned();
        if last.as_ref() != Some(&circuit) {
            changes += 1;
            last = Some(circuit);
        }
    }
    changes
}
