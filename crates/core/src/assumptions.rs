//! What the numbers of a job rest on that nobody has measured, in plain words: how far off it may be, and what would
//! settle it.

use std::collections::{BTreeMap, BTreeSet};

use crate::analysis::Analysis;
use crate::building::structure;
use crate::catalogue::DeviceKind;
use crate::materials::construction::Use;
use crate::network::{NetworkAnalysis, Node};
use crate::radio::mounting::{self, BoxKind, Mounting};
use crate::site::{Device, FloorId, Point, Provenance, Site};
use crate::survey::hard_spots::hard_spot;
use crate::units::{Db, Megahertz, count_of};

/// Something that is taken to be so.
#[derive(Clone, Debug, PartialEq)]
pub struct Assumption {
    /// What is taken to be so, a sentence.
    pub what: String,
    /// How far off a link that it touches may be for it, downward and upward; nothing where that has no number.
    pub range: Option<[Db; 2]>,
    /// What would settle it, a sentence.
    pub settled_by: String,
    /// Where, by name; empty where it is the whole house, or where the places have no names.
    pub places: Vec<String>,
    /// At how many places.
    pub count: usize,
}

/// What data sheets of radios differ by from their planning values, either way; *planning value*.
const SHEET_SPREAD: Db = Db::new(3.0);

/// All that a job rests on, what touches most first.
pub fn assumptions(analysis: &Analysis) -> Vec<Assumption> {
    let site: &Site = &analysis.site;
    let mut all = vec![model(analysis)];
    let mut rest: Vec<Assumption> = Vec::new();
    rest.extend(undrawn(analysis));
    rest.extend(walls(site));
    rest.extend(boxes(analysis));
    rest.extend(spots(analysis));
    rest.extend(radios(analysis));
    rest.extend(furniture(site, highest(analysis)));
    rest.extend(air(analysis));
    rest.extend(kept_on(site));
    rest.extend(kinds_guessed(site));
    rest.sort_by_key(|a| std::cmp::Reverse(a.count));
    all.extend(rest);
    all
}

fn either_way(off: Db) -> [Db; 2] {
    [-off, off]
}

/// The highest frequency of the job: there all is at its worst.
fn highest(analysis: &Analysis) -> Megahertz {
    let all = analysis.networks.iter().map(|n| n.medium.frequency());
    all.max_by(Megahertz::total_cmp).unwrap_or(Megahertz::new(2440.0))
}

fn model(analysis: &Analysis) -> Assumption {
    let readings = analysis.site.calibration.as_ref().map_or(0, |c| c.readings);
    let what = if readings > 0 {
        format!(
            "What {readings} readings of this house taught holds for the links that nobody read."
        )
    } else {
        "Distance, walls and floors cost what they usually do; nothing was read in this house yet."
            .to_owned()
    };
    Assumption {
        what,
        range: Some(either_way(analysis.sigma)),
        settled_by: "Readings between devices that stand where they will stay.".to_owned(),
        places: Vec::new(),
        count: 0,
    }
}

fn undrawn(analysis: &Analysis) -> Option<Assumption> {
    let site = &analysis.site;
    let is_open = |network: &NetworkAnalysis, node: &Node| {
        network.learned.is_none() && network.medium.structure.is_undrawn_at(node.place)
    };
    let there = standing(analysis).filter(|(network, node, ..)| is_open(network, node));
    let floors: BTreeSet<&FloorId> = there.map(|(_, _, _, point)| &point.floor).collect();
    let names = floors.iter().filter_map(|id| site.floors.get(id)).map(|f| f.name.clone());
    let places: Vec<String> = names.collect();
    (!places.is_empty()).then(|| Assumption {
        what: "No wall is drawn there: links are calculated as through the open, and may be off by what stands in every four metres of them."
            .to_owned(),
        range: Some([-structure::UNDRAWN_DB, Db::ZERO]),
        settled_by: "Put the plan of the storey under the sheet, or draw its walls.".to_owned(),
        count: places.len(),
        places,
    })
}

fn walls(site: &Site) -> Vec<Assumption> {
    let mut by: BTreeMap<(&str, &'static str), (Db, usize)> = BTreeMap::new();
    for wall in site.walls.iter().filter(|w| w.known.doubt() > Db::ZERO) {
        let how = match wall.known {
            Provenance::Told => "was only told of",
            Provenance::Guessed => "is guessed",
            _ => "is as it was drawn, and nobody has said how that is known",
        };
        let name = site.construction(&wall.construction).map_or(&*wall.construction, |c| &c.name);
        let (doubt, count) = by.entry((name, how)).or_default();
        *doubt = doubt.max(wall.known.doubt());
        *count += 1;
    }
    by.into_iter()
        .map(|((name, how), (doubt, count))| Assumption {
            what: format!("{}: what {how}, of {name}.", walls_of(count)),
            range: Some(either_way(doubt)),
            settled_by: "Look at an edge, a socket cut-out or the drawings of the house, and say how it is known."
                .to_owned(),
            places: Vec::new(),
            count,
        })
        .collect()
}

fn walls_of(count: usize) -> String {
    count_of(count, "wall", "walls")
}

/// Devices with their point and node.
fn standing(
    analysis: &Analysis,
) -> impl Iterator<Item = (&NetworkAnalysis, &Node, &Device, &Point)> {
    let site = &analysis.site;
    analysis.networks.iter().flat_map(move |network| {
        network.nodes.iter().filter_map(move |node| {
            let device = site.devices.get(&node.device)?;
            Some((network, node, device, site.point_of(device)?))
        })
    })
}

fn boxes(analysis: &Analysis) -> Option<Assumption> {
    let site = &analysis.site;
    let closed = standing(analysis).filter(|(_, _, device, point)| {
        let wired = site.kind(&device.kind).is_some_and(DeviceKind::is_wired_in);
        wired && site.box_of(point).back_box == BoxKind::Unknown
    });
    let places: Vec<String> = closed.map(|(_, _, _, point)| point.title()).collect();
    let costs = mounting::losses(BoxKind::Metal, Mounting::Unsaid, highest(analysis));
    let most: Db = costs.into_iter().map(|(_, loss)| loss).sum();
    (!places.is_empty()).then(|| Assumption {
        what: "Boxes of which nobody has said what they are made of are taken to be plastic."
            .to_owned(),
        range: Some([-most, Db::ZERO]),
        settled_by: "Look into each, with its circuit proved dead.".to_owned(),
        count: places.len(),
        places,
    })
}

fn spots(analysis: &Analysis) -> Vec<Assumption> {
    let site = &analysis.site;
    let mut by: BTreeMap<&'static str, (Db, &'static str, Vec<String>)> = BTreeMap::new();
    for (network, _, device, point) in standing(analysis) {
        let kind = site.kind(&device.kind);
        let Some(spot) = kind.and_then(|k| hard_spot(site, point, k)) else { continue };
        let (_, most) = spot.range(network.medium.frequency());
        let (worst, _, places) = by.entry(spot.is).or_insert((Db::ZERO, spot.ask, Vec::new()));
        *worst = worst.max(most);
        if !places.contains(&point.title()) {
            places.push(point.title());
        }
    }
    by.into_iter()
        .map(|(is, (most, ask, places))| Assumption {
            what: format!("What {is} is taken to stand in the open."),
            range: (most > Db::ZERO).then_some([-most, Db::ZERO]),
            settled_by: format!("Find out {ask}."),
            count: places.len(),
            places,
        })
        .collect()
}

fn radios(analysis: &Analysis) -> Option<Assumption> {
    let site = &analysis.site;
    let by_class = standing(analysis).filter(|(_, _, device, _)| {
        let kind = site.kind(&device.kind);
        device.sheet.is_empty() && kind.is_none_or(|k| k.radio.is_empty())
    });
    let places: Vec<String> = by_class.map(|(_, node, ..)| node.name.clone()).collect();
    (!places.is_empty()).then(|| Assumption {
        what:
            "Radios of which no data sheet was entered send and hear as their class usually does."
                .to_owned(),
        range: Some(either_way(SHEET_SPREAD)),
        settled_by:
            "Enter what the sheet says it sends and hears, in the library or at the device."
                .to_owned(),
        count: places.len(),
        places,
    })
}

fn furniture(site: &Site, f: Megahertz) -> Option<Assumption> {
    let is_obstacle = |id: &str| site.construction(id).is_some_and(|c| c.used_for == Use::Obstacle);
    let bare = site.floors_upward().into_iter().filter(|floor| {
        let mut walls = site.walls.iter().filter(|w| w.floor == floor.id).peekable();
        walls.peek().is_some() && !walls.any(|w| is_obstacle(&w.construction))
    });
    let places: Vec<String> = bare.map(|floor| floor.name.clone()).collect();
    (!places.is_empty()).then(|| Assumption {
        what: "No mirror, appliance, tank or full wardrobe stands in the way: none is on the plan."
            .to_owned(),
        range: Some([-Mounting::BehindAppliance.row().loss(f), Db::ZERO]),
        settled_by: "Ask what stands where, and draw it as a short piece of wall of its kind."
            .to_owned(),
        count: places.len(),
        places,
    })
}

fn air(analysis: &Analysis) -> Option<Assumption> {
    let quiet =
        analysis.networks.iter().filter(|n| !n.nodes.is_empty() && n.air.sources.is_empty());
    let places: Vec<String> = quiet.map(|n| n.name.clone()).collect();
    (!places.is_empty()).then(|| Assumption {
        what: "Nobody else sends where these networks work: no neighbour was listened for."
            .to_owned(),
        range: None,
        settled_by:
            "Scan at the hub, and ask for doorbells, alarms and thermometers of the neighbours."
                .to_owned(),
        count: places.len(),
        places,
    })
}

fn kinds_guessed(site: &Site) -> Option<Assumption> {
    let guessed = site.devices.iter().filter(|d| d.kind_guessed);
    let places: Vec<String> = guessed.map(|d| d.name.clone()).collect();
    (!places.is_empty()).then(|| Assumption {
        what: "These are what their words in the hub’s list make them.".to_owned(),
        range: None,
        settled_by: "Look at each, and say what it is at its place in the survey.".to_owned(),
        count: places.len(),
        places,
    })
}

fn kept_on(site: &Site) -> Option<Assumption> {
    let kept = site.devices.iter().filter(|d| d.stays_on);
    let places: Vec<String> = kept.map(|d| d.name.clone()).collect();
    (!places.is_empty()).then(|| Assumption {
        what: "Nobody switches off what is agreed to stay on, and others hang on it.".to_owned(),
        range: None,
        settled_by:
            "Agree it with everybody in the house; better a repeater that nobody can switch off."
                .to_owned(),
        count: places.len(),
        places,
    })
}
