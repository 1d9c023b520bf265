//! Variants side by side: how each stands in the same numbers, and what makes one another.

use std::collections::BTreeSet;

use crate::analysis::Analysis;
use crate::bill::bill;
use crate::catalogue::DeviceKind;
use crate::geometry::apart;
use crate::install::schedule::schedule;
use crate::network::Band;
use crate::placement::place_name;
use crate::power::life_of;
use crate::record::Record;
use crate::simulate::{Budget, chances};
use crate::site::{Device, FloorId, Point, PointId, Site, Spot};
use crate::units::{Db, Metres};

/// How a variant stands.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Standing {
    /// Devices at target, and all of them; hubs left out.
    pub at_target: (usize, usize),
    /// The least margin over target of those that are reached.
    pub worst: Option<Db>,
    /// The deepest route in hops.
    pub deepest: usize,
    /// Devices, hubs left out, without one of which another is lost.
    pub single: usize,
    /// The chance that every device of every network is reached at once.
    pub chance: f64,
    /// What all of it costs, by the bill.
    pub cost: f64,
    /// Boxes that are opened.
    pub boxes: usize,
    /// Batteries to change in a year.
    pub batteries: f64,
}

/// How many houses are drawn for the chance.
const DRAWS: u32 = 500;

/// How an analysed variant stands.
pub fn standing(analysis: &Analysis) -> Standing {
    let site = &analysis.site;
    let mut standing = Standing {
        at_target: (0, 0),
        worst: None,
        deepest: 0,
        single: 0,
        chance: chances(analysis, Budget { draws: DRAWS, seed: 1 }, &mut crate::pulse::to_the_end)
            .all,
        cost: bill(site, schedule(analysis, &Record::default()).visits.len()).total,
        boxes: boxes(site),
        batteries: 0.0,
    };
    let mut single = BTreeSet::new();
    for network in &analysis.networks {
        for (place, outcome) in network.outcomes.iter().enumerate() {
            if network.hubs.contains(&place) {
                continue;
            }
            standing.at_target.0 += usize::from(outcome.band >= Band::Sound);
            standing.at_target.1 += 1;
            standing.deepest = standing.deepest.max(outcome.hops.len());
            let spare = outcome.weakest().map(|h| h.margin() - h.target);
            standing.worst = [standing.worst, spare].into_iter().flatten().min_by(Db::total_cmp);
            single.extend(network.hangs_on_carriers(outcome));
            let device = site.devices.get(&outcome.device);
            let draw = device.and_then(|d| site.kind(&d.kind)?.draw.as_ref());
            if let (Some(device), Some(draw)) = (device, draw)
                && let Some(life) = life_of(site, device, draw, outcome)
                && life.years > 0.0
            {
                standing.batteries += f64::from(draw.cells) / life.years;
            }
        }
    }
    standing.single = single.len();
    standing
}

/// Boxes that something is wired into, each once.
fn boxes(site: &Site) -> usize {
    let wired = |d: &&Device| site.kind(&d.kind).is_some_and(DeviceKind::is_wired_in);
    let points = site.devices.iter().filter(wired).filter_map(|d| site.point_of(d));
    points.map(|p| &site.box_of(p).id).collect::<BTreeSet<_>>().len()
}

/// Something in which two variants differ.
#[derive(Clone, Debug, PartialEq)]
pub struct Difference {
    /// What, in a sentence.
    pub words: String,
    /// Where it is, where it has a place.
    pub at: Option<(FloorId, Spot)>,
}

/// What makes `to` another than `from`: devices that come, go, move or are others, and how many other
/// things differ.
pub fn differences(from: &Site, to: &Site) -> Vec<Difference> {
    let mut found = of_devices(from, to);
    found.extend(of_points(from, to));
    found.extend(of_networks(from, to).map(|words| Difference { words, at: None }));
    let walls = to.walls.iter().filter(|w| from.walls.get(&w.id) != Some(w)).count()
        + from.walls.iter().filter(|w| to.walls.get(&w.id).is_none()).count();
    let of_walls = match walls {
        0 => None,
        1 => Some("One wall differs.".to_owned()),
        n => Some(format!("{n} walls differ.")),
    };
    let of_job = (from.job != to.job).then(|| "The brief differs.".to_owned());
    found.extend(of_walls.into_iter().chain(of_job).map(|words| Difference { words, at: None }));
    found
}

fn place(site: &Site, point: &PointId) -> Option<(FloorId, Spot)> {
    let point = site.points.get(point)?;
    Some((point.floor.clone(), point.at))
}

fn name(site: &Site, point: &PointId) -> String {
    site.points.get(point).map_or_else(String::new, |p| place_name(site, p))
}

fn of_devices(from: &Site, to: &Site) -> Vec<Difference> {
    let kind = |site: &Site, device: &Device| {
        site.kind(&device.kind).map_or_else(|| device.kind.clone(), |k| k.short().to_owned())
    };
    let mut found = Vec::new();
    for device in &to.devices {
        let (who, there) = (&device.name, name(to, &device.point));
        let words = match from.devices.get(&device.id) {
            None => format!("{who} comes in: {} at {there}.", kind(to, device)),
            Some(was) if was.point != device.point => {
                format!("{who} stands at {there} instead of {}.", name(from, &was.point))
            }
            Some(was) if was.kind != device.kind => {
                format!("{who} is a {} instead of a {}.", kind(to, device), kind(from, was))
            }
            Some(was) if was.network != device.network => format!("{who} is of another network."),
            Some(was) if was != device => format!("What is recorded of {who} differs."),
            Some(_) => continue,
        };
        found.push(Difference { words, at: place(to, &device.point) });
    }
    for device in from.devices.iter().filter(|d| to.devices.get(&d.id).is_none()) {
        let (what, there) = (kind(from, device), name(from, &device.point));
        let words = format!("{} goes: {what} at {there}.", device.name);
        found.push(Difference { words, at: place(from, &device.point) });
    }
    found
}

fn of_points(from: &Site, to: &Site) -> Vec<Difference> {
    let mut found = Vec::new();
    for point in &to.points {
        let Some(was) = from.points.get(&point.id).filter(|was| *was != point) else { continue };
        let name = name(to, &point.id);
        let moved = Metres::new(apart(was.at, point.at));
        let words = if was.mounting != point.mounting {
            let around = |p: &Point| p.mounting.row().name;
            format!("{name} is {} instead of {}.", around(point), around(was))
        } else if was.floor != point.floor {
            format!("{name} is on another storey.")
        } else if moved.get() > 0.0 {
            format!("{name} is moved by {moved:.2}.")
        } else {
            format!("What is recorded of {name} differs.")
        };
        found.push(Difference { words, at: place(to, &point.id) });
    }
    found
}

fn of_networks<'a>(from: &'a Site, to: &'a Site) -> impl Iterator<Item = String> + 'a {
    to.networks.iter().filter_map(|network| match from.networks.get(&network.id) {
        None => Some(format!("The network {} comes in.", network.name)),
        Some(was) if was.system != network.system => {
            let (now, before) = (network.system.name(), was.system.name());
            Some(format!("{} is {now} instead of {before}.", network.name))
        }
        Some(was) if was != network => {
            Some(format!("The network {} is set otherwise.", network.name))
        }
        Some(_) => None,
    })
}
