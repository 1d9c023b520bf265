//! Variants side by side: how each stands in the same numbers, and what makes one another.

use std::collections::BTreeSet;

use crate::analysis::Analysis;
use crate::bill::bill;
use crate::catalogue::DeviceKind;
use crate::network::Band;
use crate::power::life_of;
use crate::simulate::{Budget, chances};
use crate::site::{Device, FloorId, PointId, Site, Spot};
use crate::units::Db;

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
        cost: bill(site).total,
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
                && let Some(life) = life_of(device, draw, outcome)
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
    let mut found = Vec::new();
    let place = |site: &Site, point: &PointId| {
        let point = site.points.get(point)?;
        Some((point.floor.clone(), point.at))
    };
    let name = |site: &Site, point: &PointId| {
        site.points.get(point).map_or_else(String::new, |p| crate::placement::place_name(site, p))
    };
    let kind = |site: &Site, device: &Device| {
        site.kind(&device.kind).map_or_else(|| device.kind.clone(), |k| k.short().to_owned())
    };
    for device in &to.devices {
        let at = place(to, &device.point);
        let words = match from.devices.get(&device.id) {
            None => format!(
                "{} comes in: {} at {}.",
                device.name,
                kind(to, device),
                name(to, &device.point)
            ),
            Some(was) if was.point != device.point => {
                format!(
                    "{} stands at {} instead of {}.",
                    device.name,
                    name(to, &device.point),
                    name(from, &was.point)
                )
            }
            Some(was) if was.kind != device.kind => {
                format!(
                    "{} is a {} instead of a {}.",
                    device.name,
                    kind(to, device),
                    kind(from, was)
                )
            }
            Some(was) if was.network != device.network => {
                format!("{} is of another network.", device.name)
            }
            Some(was) if was != device => {
                format!("{} differs in what is recorded of it.", device.name)
            }
            Some(_) => {
                let moved = from.points.get(&device.point) != to.points.get(&device.point);
                if !moved {
                    continue;
                }
                format!("The place of {} differs.", device.name)
            }
        };
        found.push(Difference { words, at });
    }
    for device in from.devices.iter().filter(|d| to.devices.get(&d.id).is_none()) {
        let words = format!(
            "{} goes: {} at {}.",
            device.name,
            kind(from, device),
            name(from, &device.point)
        );
        found.push(Difference { words, at: place(from, &device.point) });
    }
    for network in &to.networks {
        match from.networks.get(&network.id) {
            None => found.push(Difference {
                words: format!("The network {} comes in.", network.name),
                at: None,
            }),
            Some(was) if was != network => {
                let words = if was.system == network.system {
                    format!("The network {} is set otherwise.", network.name)
                } else {
                    format!(
                        "{} is {} instead of {}.",
                        network.name,
                        network.system.name(),
                        was.system.name()
                    )
                };
                found.push(Difference { words, at: None });
            }
            Some(_) => {}
        }
    }
    let walls = to.walls.iter().filter(|w| from.walls.get(&w.id) != Some(w)).count()
        + from.walls.iter().filter(|w| to.walls.get(&w.id).is_none()).count();
    if walls > 0 {
        let words = format!(
            "{walls} wall{} differ{}.",
            if walls == 1 { "" } else { "s" },
            if walls == 1 { "s" } else { "" }
        );
        found.push(Difference { words, at: None });
    }
    if from.job != to.job {
        found.push(Difference { words: "The brief differs.".to_owned(), at: None });
    }
    found
}
