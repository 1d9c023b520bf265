//! Several ways to do one job, side by side: the four schools for a load that several places work, and
//! the ways to make one load smart. Each is tried on a copy of the place, by the same rules as all else.

use std::collections::BTreeSet;

use super::companions::pair;
use super::{FitFinding, Fits, findings, verdict};
use crate::catalogue::{Button, DeviceKind, Duty, Far, PointKind, Supply};
use crate::radio::system::System;
use crate::site::{
    BoxKind, Device, Edit, Feed, Group, Kind, Load, Network, Point, PointId, Site, apply,
};

/// A school for a load that several places work.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum School {
    /// A powered unit and wired companions of its family.
    Companions,
    /// A powered unit that takes plain mechanical switches.
    PlainSwitches,
    /// One powered unit, and battery remotes on the other plates.
    Remotes,
    /// Powered units that talk by radio.
    Paired,
}

impl School {
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
    pub school: School,
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
    let mut all: Vec<_> = School::ALL
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
    school: School,
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
    school: School,
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
    let has_box = |p: &PointId| bare.points.get(p).is_some_and(|p| p.back_box != BoxKind::None);
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
            .filter(|(k, p)| has_box(p) && (wired(k) || school == School::Remotes))
            .count(),
        batteries: set.iter().filter(|(k, _)| k.supply == Supply::Battery).count(),
        forward: set.iter().filter(|(k, _)| k.forwards).count(),
        dims: (master.fit.dims, master.fit.dims && school != School::PlainSwitches),
        reasons,
    }
}

/// A way to make a load smart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[expect(missing_docs, reason = "each is what it is called")]
pub enum LampWay {
    Switch,
    SmartLamp,
    RelayInLamp,
    PlugIn,
    Remote,
}

impl LampWay {
    /// Each with its words, what works it at the wall, what colour it gives, what a press takes, and
    /// what it does for the mesh.
    #[rustfmt::skip]
    pub const ALL: [(Self, &'static str, &'static str, &'static str, &'static str, &'static str); 5] = [
        (Self::Switch, "smart switch or dimmer", "the switch itself, with the hub down too", "no colour", "at once", "forwards where it has a neutral"),
        (Self::SmartLamp, "smart lamps and a decoupled switch", "the switch, by radio alone; its relay stays closed", "colour and white tones", "a hop or the hub", "each lamp forwards as long as nobody cuts it"),
        (Self::RelayInLamp, "relay inside the lamp", "nothing, unless a remote is added; the lamp's own switch stays on", "no colour", "a hop or the hub", "forwards from inside the lamp, weaker"),
        (Self::PlugIn, "plug-in unit before the lamp", "its own button at the socket", "no colour", "at once at the button", "forwards as long as it stays plugged in"),
        (Self::Remote, "smart lamps and a battery remote on the plate", "the remote, by radio alone; line is joined through", "colour and white tones", "one hop", "each lamp forwards; the remote is a leaf"),
    ];
}

/// A way to make a load smart, at its place.
#[derive(Clone, Debug)]
pub struct LampWayAt<'a> {
    /// The way.
    pub way: LampWay,
    /// What is bought, and how many.
    pub kinds: Vec<(&'a DeviceKind, u16)>,
    /// The verdict.
    pub fits: Fits,
    /// What speaks for or against it.
    pub reasons: Vec<FitFinding>,
    /// Why it is not for this load at all; empty where it could be.
    pub ruled_out: &'static str,
    /// What it costs; nothing where a price is not known.
    pub cost: Option<f64>,
}

/// The ways to make a load smart, side by side.
pub fn lamp_ways<'a>(site: &'a Site, load: &Load) -> Vec<LampWayAt<'a>> {
    let Some(point) = site.points.get(&load.switched_at) else { return Vec::new() };
    let systems: BTreeSet<System> = site.networks.iter().map(|n| n.system).collect();
    let here = |k: &&DeviceKind| k.systems.iter().any(|s| systems.contains(s));
    let there = site.devices_at(&point.id).into_iter().next();
    let best = |suits: &dyn Fn(&DeviceKind) -> bool| {
        let suited = site.all_kinds().filter(here).filter(|k| suits(k));
        let tried = suited.map(|k| (k, findings(site, k, point, there)));
        let price = |k: &DeviceKind| k.fit.price.unwrap_or(f64::INFINITY);
        tried.min_by(|(a, f), (b, g)| {
            verdict(f).cmp(&verdict(g)).then(price(a).total_cmp(&price(b))).then(a.id.cmp(&b.id))
        })
    };
    let lamps = |k: &DeviceKind| {
        k.duty == Duty::Actuator && k.supply == Supply::Plug && k.id.starts_with("lamp")
    };
    let is_lamp = load.kind.is_lamp();
    let on_cord = point.feed == Feed::Cord || point.kind == PointKind::Socket;
    LampWay::ALL
        .iter()
        .map(|&(way, ..)| {
            let (parts, ruled_out): (Vec<_>, &'static str) = match way {
                LampWay::Switch => {
                    let dims = |k: &DeviceKind| {
                        k.fit.switches() && k.is_wired_in() && k.button.is_some() && !k.fit.in_lamp
                    };
                    (
                        vec![(best(&dims), 1)],
                        if on_cord {
                            "it stands on a cord: no switch in the wall feeds it"
                        } else {
                            ""
                        },
                    )
                }
                LampWay::SmartLamp => (
                    vec![
                        (best(&lamps), load.count),
                        (
                            best(&|k| {
                                k.is_wired_in() && k.fit.switches() && k.button == Some(Button::Own)
                            }),
                            1,
                        ),
                    ],
                    if !is_lamp {
                        "it is no lamp"
                    } else if on_cord {
                        "no switch in the wall feeds it: the lamp alone will do, with a remote"
                    } else {
                        ""
                    },
                ),
                LampWay::RelayInLamp => (
                    vec![(best(&|k| k.fit.in_lamp), 1)],
                    if is_lamp { "" } else { "it is no lamp" },
                ),
                LampWay::PlugIn => (
                    vec![(
                        best(&|k| k.supply == Supply::Plug && k.fit.switches() && !k.fit.in_lamp),
                        1,
                    )],
                    if on_cord { "" } else { "it hangs on the wiring, not on a plug" },
                ),
                LampWay::Remote => (
                    vec![(best(&lamps), load.count), (best(&|k| k.fit.far == Far::Remote), 1)],
                    if is_lamp { "" } else { "it is no lamp" },
                ),
            };
            let known: Option<Vec<_>> =
                parts.into_iter().map(|(part, n)| Some((part?, n))).collect();
            let Some(known) = known else {
                let ruled_out = if ruled_out.is_empty() {
                    "no device of the library does it in a system of this job"
                } else {
                    ruled_out
                };
                return LampWayAt {
                    way,
                    kinds: Vec::new(),
                    fits: Fits::No,
                    reasons: Vec::new(),
                    ruled_out,
                    cost: None,
                };
            };
            let reasons: Vec<_> = known.iter().flat_map(|((_, f), _)| f.clone()).collect();
            let costs: Option<Vec<f64>> =
                known.iter().map(|((k, _), n)| Some(k.fit.price? * f64::from(*n))).collect();
            LampWayAt {
                way,
                kinds: known.iter().map(|((k, _), n)| (*k, *n)).collect(),
                fits: if ruled_out.is_empty() { verdict(&reasons) } else { Fits::No },
                reasons,
                ruled_out,
                cost: costs.map(|all| all.iter().sum()),
            }
        })
        .collect()
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
