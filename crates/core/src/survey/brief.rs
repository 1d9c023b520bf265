//! What the brief asks for, held against the survey: wishes met and unmet, the platform in charge, who
//! may do the mains work, what the age of the house makes likely.

use crate::catalogue::{DeviceKind, Duty, FittingWay};
use crate::fit::{self, Fits};
use crate::radio::region::Region;
use crate::radio::system::RouteChoice;
use crate::site::{
    Control, Device, HouseAccess, Job, JobKind, Means, Network, Part, Point, PointKind, Rights,
    Site, Wish,
};

/// Whether a wish is met.
#[derive(Clone, Debug, PartialEq)]
pub struct Met {
    /// What it lacks, a sentence each; empty when it is met.
    pub lacks: Vec<String>,
}

/// What a wish lacks.
pub fn met(site: &Site, wish: &Wish) -> Met {
    let mut lacks = Vec::new();
    if wish.points.is_empty() {
        lacks.push("No point is to meet it yet.".to_owned());
    }
    for id in &wish.points {
        let Some(point) = site.points.get(id) else { continue };
        let devices = site.devices_at(id);
        if devices.is_empty() {
            lacks.push(format!("{} has no device.", point.name));
            continue;
        }
        let misfits = devices.iter().any(|d| {
            let kind = site.kind(&d.kind);
            kind.is_none_or(|k| fit::verdict(&fit::findings(site, k, point, Some(d))) == Fits::No)
        });
        if misfits {
            lacks.push(format!("What is planned at {} does not fit.", point.name));
        }
    }
    for means in &wish.by {
        if !has_means(site, wish, *means) {
            lacks.push(format!("Nothing there works it by {}.", means.name()));
        }
    }
    Met { lacks }
}

fn has_means(site: &Site, wish: &Wish, means: Means) -> bool {
    let devices = || {
        wish.points
            .iter()
            .flat_map(|p| site.devices_at(p))
            .filter_map(|d| Some((d, site.kind(&d.kind)?)))
    };
    let controllers = || {
        let hits = |c: &Control<'_>| {
            site.devices.get(c.load).is_some_and(|d| wish.points.contains(&d.point))
        };
        site.controls().filter(Control::can_switch_on).filter(hits).filter_map(|c| {
            let device = site.devices.get(c.controller)?;
            Some((device, site.kind(&device.kind)?))
        })
    };
    let is_at_wall = |device: &Device| {
        let at = site.point_of(device).map(|p| p.kind);
        at.is_some_and(|kind| !matches!(kind, PointKind::Shelf | PointKind::Ceiling))
    };
    // By the platform in charge, through whatever it is reached by.
    let by_platform = || {
        let charge = site.platforms.iter().filter(|p| p.in_charge);
        let ways: Vec<FittingWay> = charge.map(|p| p.way).collect();
        devices().any(|(d, k)| {
            let reaches = |way: &FittingWay| {
                fit::is_reached(site, k, Some(&d.network), *way) == Some(true)
                    && (*way != FittingWay::Hub || has_hub(site, d))
            };
            k.has_radio && ways.iter().any(reaches)
        })
    };
    match means {
        Means::Wall => {
            devices().any(|(_, k)| k.button.is_some() || k.fit.far.is_wired())
                || controllers()
                    .any(|(d, k)| is_at_wall(d) && (k.duty == Duty::Remote || k.button.is_some()))
        }
        Means::Remote => {
            devices().any(|(_, k)| k.duty == Duty::Remote)
                || controllers().any(|(_, k)| k.duty == Duty::Remote)
        }
        Means::Sensor => {
            devices().any(|(_, k)| k.is_sensor()) || controllers().any(|(_, k)| k.is_sensor())
        }
        Means::Voice => {
            site.platforms.iter().any(|p| p.way == FittingWay::Voice)
                && devices().any(|(d, k)| {
                    fit::is_reached(site, k, Some(&d.network), FittingWay::Voice) == Some(true)
                })
        }
        // The platform in charge keeps the time and speaks to phones.
        Means::Timer | Means::Phone => by_platform(),
    }
}

/// Whether the network of a device has what keeps it: a hub, or none where none is needed.
fn has_hub(site: &Site, device: &Device) -> bool {
    let rule = site.networks.get(&device.network).map(Network::rule);
    rule.is_some_and(|r| r.choice == RouteChoice::Flood)
        || site.hubs_of(&device.network).next().is_some()
}

/// What is open in the brief as a whole, a sentence each.
pub fn open(site: &Site) -> Vec<String> {
    let mut open = Vec::new();
    let charge = site.platforms.iter().filter(|p| p.in_charge).count();
    match charge {
        0 => open.push("No platform is in charge: name one, so that names, rooms and times are set in one place.".to_owned()),
        1 => {}
        n => open.push(format!("{n} platforms are in charge: name one, and a purpose for each other.")),
    }
    for other in site.platforms.iter().filter(|p| !p.in_charge && p.purpose.trim().is_empty()) {
        open.push(format!(
            "{} has no purpose: say what it is for beside the one in charge.",
            other.name
        ));
    }
    let wires =
        site.devices.iter().any(|d| site.kind(&d.kind).is_some_and(DeviceKind::is_wired_in));
    if wires {
        let may = || site.people.iter().filter(|p| p.may_mains);
        if may().next().is_none() {
            open.push(format!("Nobody is named who may work on the mains. {}", who_may(&site.job)));
        }
        for person in may().filter(|p| p.licence.trim().is_empty()) {
            open.push(format!(
                "{} is to work on the mains, and no licence is on record.",
                person.name
            ));
        }
    }
    if site.people.iter().any(|p| matches!(p.part, Part::Child | Part::Guest)) {
        for wish in site.wishes.iter().filter(|w| !w.by.is_empty() && !w.by.contains(&Means::Wall))
        {
            open.push(format!(
                "“{}” has no control at the wall: children and guests have no phone for it.",
                wish.what
            ));
        }
    }
    open.extend(open_accesses(site));
    if site.job.work == JobKind::New && site.job.first_fix.trim().is_empty() {
        open.push("The sheet for the first fix has not been agreed: print it for the electrician before cables go in.".to_owned());
    }
    open
}

/// What is open about who gets the house on which phone, a sentence each; nothing while nobody has begun to say it.
fn open_accesses(site: &Site) -> Vec<String> {
    let mut open = Vec::new();
    if site.accesses.is_empty() {
        return open;
    }
    let name = |of: &HouseAccess| {
        let person = site.people.get(&of.person).map_or("", |p| p.name.as_str());
        let platform = site.platforms.get(&of.platform).map_or("", |p| p.name.as_str());
        (person, platform)
    };
    for of in site.accesses.iter().filter(|a| a.rights == Rights::Fitter && a.withdrawn.is_none()) {
        let (person, platform) = name(of);
        let when = of.due.as_ref().map_or_else(
            || "at the handover".to_owned(),
            |due| format!("by {}", due.get(..10).unwrap_or(due)),
        );
        let holds = match of.holds.trim() {
            "" => String::new(),
            holds => format!(", with what is theirs in it: {holds}"),
        };
        open.push(format!(
            "{person} sets up {platform} and is not out of it yet: withdraw that {when}{holds}."
        ));
    }
    for of in site.accesses.iter().filter(|a| a.rights != Rights::Fitter && a.invited.is_none()) {
        let (person, platform) = name(of);
        open.push(format!("{person} is to get the house by {platform}, and is not invited yet."));
    }
    for platform in site.platforms.iter().filter(|p| p.in_charge) {
        let owns = |a: &&HouseAccess| a.platform == platform.id && a.rights == Rights::Owner;
        match site.accesses.iter().filter(owns).count() {
            0 => open.push(format!("Nobody is said to own the account of {}.", platform.name)),
            1 => {}
            n => open.push(format!(
                "{n} people are said to own the account of {}: one does.",
                platform.name
            )),
        }
    }
    open
}

/// Who may do the mains work, in general words; local code decides.
pub fn who_may(job: &Job) -> String {
    match job.country() {
        Some(row) if row.who.is_empty() => {
            format!("Who may in {} is not on record here: ask the local authority.", row.name)
        }
        Some(row) => format!(
            "{}: {}. Noted on {} after {}, and not held against it since: ask the local authority.",
            row.name, row.who, row.noted, row.source
        ),
        None => by_region(job.region).to_owned(),
    }
}

/// What holds in most of a region, while nobody has said the country.
fn by_region(region: Region) -> &'static str {
    match region {
        Region::Us => {
            "In most places a licensed electrician, in some the owner of the house with a permit: ask the local authority."
        }
        Region::Uk => {
            "A person registered as competent, or with notice to building control where the work asks for it."
        }
        Region::Anz => "A licensed electrician only.",
        _ => "In most countries a licensed electrician: ask the local authority.",
    }
}

/// How deep a box of the first fix is to be where nobody wants it otherwise, and at the very least, in
/// millimetres; *planning values*.
const FIRST_FIX_MM: (f64, f64) = (47.0, 35.0);

/// How deep the box of a switch position is to be in a new build, in millimetres: as it was planned, yet
/// never shallower than devices need.
pub fn first_fix_depth_mm(point: &Point) -> f64 {
    let planned = point.depth_mm.filter(|_| point.back_box.is_there());
    planned.map_or(FIRST_FIX_MM.0, |mm| mm.max(FIRST_FIX_MM.1))
}

/// What the first fix of a new build is to bring to each switch position.
pub const FIRST_FIX: [&str; 5] = [
    "boxes of 47 mm inside depth or more, 35 mm at the very least",
    "a neutral and an earth in every box, connected or capped",
    "line and load in the same box where several places work one load",
    "lamps grouped as listed, each group on its own switched line",
    "a cable for the hub to where it stands, and a socket there",
];
