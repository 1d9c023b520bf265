//! The four schools for a load that several places work, side by side: each tried on a copy of the
//! places, by the same rules as all else.

use std::collections::BTreeSet;

use super::companions::pair;
use super::{FitFinding, Fits, findings, verdict};
use crate::catalogue::{DeviceKind, Far, Supply};
use crate::radio::system::System;
use crate::site::{Device, Edit, Group, Kind, Load, Network, Point, PointId, Site, apply};

/// A school for a load that several places work.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum GroupSchool {
    /// A powered unit and wired companions of its family.
    Companions,
    /// A powered unit that takes plain mechanical switches.
    PlainSwitches,
    /// One powered unit, and battery remotes on the other plates.
    Remotes,
    /// Powered units that talk by radio.
    Paired,
}

impl GroupSchool {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Companions, "(a) a powered unit and wired companions of its family"),
        (Self::PlainSwitches, "(b) a powered unit and plain switches at the far places"),
        (Self::Remotes, "(c) one powered unit and battery remotes on the other plates"),
        (Self::Paired, "(d) units paired by radio"),
    ];

    fn takes(self, far: Far) -> bool {
        match self {
            Self::Companions => matches!(far, Far::Electronic | Far::Follower),
            Self::PlainSwitches => far == Far::Plain,
            Self::Remotes => far == Far::Remote,
            Self::Paired => far == Far::Paired,
        }
    }

    /// What becomes of the old conductors at a far place.
    pub fn conductors(self) -> &'static str {
        match self {
            Self::Companions => {
                "the travellers stay, on the terminals of the companion's own diagram; what is left over is capped by itself"
            }
            Self::PlainSwitches => {
                "the travellers stay, rewired as the maker of the powered unit shows"
            }
            Self::Remotes => {
                "line is joined through so that the load stays fed; travellers are capped, each by itself"
            }
            Self::Paired => {
                "each unit has line and neutral of its own; travellers are capped, each by itself"
            }
        }
    }
}

/// A school at a group, as well as it can be done there.
#[derive(Clone, Debug)]
pub struct SchoolAt<'a> {
    /// The school.
    pub school: GroupSchool,
    /// The powered unit, and where it goes; nothing where no device of the library does it so.
    pub master: Option<(&'a DeviceKind, PointId)>,
    /// What goes to each other place.
    pub far: Vec<(&'a DeviceKind, PointId)>,
    /// The verdict over all places.
    pub fits: Fits,
    /// All that speaks for or against it, with the place.
    pub reasons: Vec<(PointId, FitFinding)>,
    /// What its devices cost together; nothing where a price is not known.
    pub cost: Option<f64>,
    /// How many boxes are opened for wiring.
    pub boxes: usize,
    /// How many battery devices it leaves behind.
    pub batteries: usize,
    /// How many of its devices forward for others.
    pub forward: usize,
    /// Whether the load dims, and whether it does from every place.
    pub dims: (bool, bool),
}

/// The four schools at a group, the best first.
pub fn schools<'a>(site: &'a Site, group: &Group) -> Vec<SchoolAt<'a>> {
    let systems: BTreeSet<System> = site.networks.iter().map(|n| n.system).collect();
    let here = |k: &&DeviceKind| k.systems.iter().any(|s| systems.contains(s));
    let masters: Vec<_> =
        site.all_kinds().filter(here).filter(|k| k.fit.switches() && k.is_wired_in()).collect();
    let bare = around(site, group);
    let mut all: Vec<_> = GroupSchool::ALL
        .iter()
        .map(|&(school, _)| {
            let mut tried: Vec<_> = masters
                .iter()
                .filter_map(|master| {
                    let far = cheapest_far(site, master, school, &systems)?;
                    let places = group.places.iter();
                    let at = places.map(|place| at(&bare, group, school, master, place, far));
                    at.min_by(better)
                })
                .collect();
            tried.sort_by(better);
            let none = SchoolAt {
                school,
                master: None,
                far: Vec::new(),
                fits: Fits::No,
                reasons: Vec::new(),
                cost: None,
                boxes: 0,
                batteries: 0,
                forward: 0,
                dims: (false, false),
            };
            tried.into_iter().next().unwrap_or(none)
        })
        .collect();
    all.sort_by(better);
    all
}

fn better(a: &SchoolAt<'_>, b: &SchoolAt<'_>) -> std::cmp::Ordering {
    let cost = |s: &SchoolAt<'_>| s.cost.unwrap_or(f64::INFINITY);
    (a.fits, a.master.is_none())
        .cmp(&(b.fits, b.master.is_none()))
        .then(cost(a).total_cmp(&cost(b)))
        .then(a.master.as_ref().map(|m| &m.1).cmp(&b.master.as_ref().map(|m| &m.1)))
}

/// The cheapest device for a far place of a master in a school.
fn cheapest_far<'a>(
    site: &'a Site,
    master: &DeviceKind,
    school: GroupSchool,
    systems: &BTreeSet<System>,
) -> Option<&'a DeviceKind> {
    let speaks = |k: &&DeviceKind| k.systems.iter().any(|s| systems.contains(s));
    let fits = site.all_kinds().filter(speaks).filter(|k| school.takes(k.fit.far));
    let price = |k: &DeviceKind| k.fit.price.unwrap_or(f64::INFINITY);
    fits.filter(|k| pair(master, k).is_ok()).min_by(|a, b| price(a).total_cmp(&price(b)))
}

/// What a school needs of the job: the places of the group and what shares their boxes, without devices.
fn around(site: &Site, group: &Group) -> Site {
    let mut small = Site::new(site.job.clone());
    let leads: BTreeSet<&PointId> = group
        .places
        .iter()
        .filter_map(|p| site.points.get(p))
        .map(|p| p.in_box_of.as_ref().unwrap_or(&p.id))
        .collect();
    let in_box = |p: &Point| leads.contains(p.in_box_of.as_ref().unwrap_or(&p.id));
    small.floors = site.floors.clone();
    small.kinds = site.kinds.clone();
    small.circuits = site.circuits.clone();
    small.platforms = site.platforms.clone();
    small.networks = site.networks.clone();
    for point in site.points.iter().filter(|p| in_box(p)) {
        small.suppose(point.clone());
    }
    small.suppose(group.clone());
    let loads = site.loads.iter().filter(|l| small.points.get(&l.switched_at).is_some());
    for load in loads.cloned().collect::<Vec<_>>() {
        small.suppose(load);
    }
    let beside =
        |d: &&Device| !group.places.contains(&d.point) && small.points.get(&d.point).is_some();
    for device in site.devices.iter().filter(beside).cloned().collect::<Vec<_>>() {
        small.suppose(device);
    }
    small
}

/// A school with its powered unit at one of the places.
fn at<'a>(
    bare: &Site,
    group: &Group,
    school: GroupSchool,
    master: &'a DeviceKind,
    place: &PointId,
    far: &'a DeviceKind,
) -> SchoolAt<'a> {
    let mut trial = bare.clone();
    // Whatever hangs on the group is switched by its powered unit.
    let loads: Vec<Load> =
        trial.loads.iter().filter(|l| group.places.contains(&l.switched_at)).cloned().collect();
    for load in loads {
        trial.suppose(Load { switched_at: place.clone(), ..load });
    }
    let others: Vec<_> = group.places.iter().filter(|p| *p != place).collect();
    let stand = |n: usize, kind: &DeviceKind, point: &PointId| {
        let speaks = |net: &&Network| kind.systems.contains(&net.system);
        let network = bare.networks.iter().find(speaks)?.id.clone();
        let id = format!("trial-{n}").parse().ok()?;
        Some(Device::new(id, "trial", point.clone(), &kind.id, network))
    };
    let mut set = vec![(master, place)];
    set.extend(others.iter().map(|p| (far, *p)));
    let devices: Vec<_> = set
        .iter()
        .enumerate()
        .filter_map(|(n, (kind, point))| Some((*kind, *point, stand(n, kind, point)?)))
        .collect();
    for (_, _, device) in &devices {
        trial.suppose(device.clone());
    }
    let mut reasons = Vec::new();
    for (kind, point, device) in &devices {
        let Some(point) = trial.points.get(point) else { continue };
        let found = findings(&trial, kind, point, Some(device));
        reasons.extend(found.into_iter().map(|f| (point.id.clone(), f)));
    }
    let all: Vec<FitFinding> = reasons.iter().map(|(_, f)| f.clone()).collect();
    let has_box = |p: &PointId| bare.points.get(p).is_some_and(|p| p.back_box.is_there());
    let wired = |k: &DeviceKind| k.is_wired_in();
    let costs: Option<Vec<f64>> = set.iter().map(|(k, _)| k.fit.price).collect();
    SchoolAt {
        school,
        master: Some((master, place.clone())),
        far: others.iter().map(|p| (far, (*p).clone())).collect(),
        fits: verdict(&all),
        cost: costs.map(|all| all.iter().sum()),
        // A remote's plate is opened too: its conductors are joined behind it.
        boxes: set
            .iter()
            .filter(|(k, p)| has_box(p) && (wired(k) || school == GroupSchool::Remotes))
            .count(),
        batteries: set.iter().filter(|(k, _)| k.supply == Supply::Battery).count(),
        forward: set.iter().filter(|(k, _)| k.forwards).count(),
        dims: (
            master.fit.is_dimmer(),
            master.fit.is_dimmer() && school != GroupSchool::PlainSwitches,
        ),
        reasons,
    }
}

/// The edits that put a school in: what stands at the places of the group goes.
pub fn chosen(site: &Site, group: &Group, school: &SchoolAt<'_>) -> Option<Edit> {
    let (master, place) = school.master.as_ref()?;
    let mut trial = site.clone();
    let mut edits = Vec::new();
    let old = site.devices.iter().filter(|d| group.places.contains(&d.point));
    for device in old {
        edits.push(Edit::remove(Kind::Device, &device.id));
    }
    let set = std::iter::once((*master, place)).chain(school.far.iter().map(|(k, p)| (*k, p)));
    for (n, (kind, point)) in set.enumerate() {
        let speaks = |net: &&Network| kind.systems.contains(&net.system);
        let network = site.networks.iter().find(speaks)?.id.clone();
        let id = format!("{}-{}", group.id, n + 1);
        let id = std::iter::once(id.clone())
            .chain((2..10_000).map(|m| format!("{id}-{m}")))
            .find(|id| site.devices.named(id).is_none())?;
        let name = site.points.get(point)?.name.clone();
        edits.push(Edit::put(Device::new(
            id.parse().ok()?,
            &name,
            point.clone(),
            &kind.id,
            network,
        )));
    }
    let edit = Edit::batch(edits);
    apply(&mut trial, &edit).ok()?;
    Some(edit)
}
