//! What differs from the plan, why, and how to tell the causes apart.
//!
//! Each cause is a way in which the readings of a device could have come about; its chance is what it was
//! before times how well it explains them, over all that could (Bayes). Chances beforehand are *planning
//! values*.

pub(super) mod parents;
mod why;

use std::collections::BTreeSet;

use super::calibrate::{Proof, Verdict};
use crate::analysis::Analysis;
use crate::building::structure::Surface;
use crate::draw::naming::room_at;
use crate::propagation::doorway::Station;
use crate::site::{BoxKind, DeviceId, Site};
use crate::units::Db;

pub use parents::{Actual, ParentRow, rows};
pub use why::Mechanism;

/// A cause with its chance.
#[derive(Clone, Debug, PartialEq)]
pub struct LikelyCause {
    /// Which.
    pub why: Mechanism,
    /// How likely it is, 0 to 1; all of a diagnosis are 1 together.
    pub probability: f64,
}

/// Something that is not as planned.
#[derive(Clone, Debug, PartialEq)]
pub struct Diagnosis {
    /// The device; nothing for an entry that belongs to none.
    pub device: Option<DeviceId>,
    /// What is different, in a sentence.
    pub what: String,
    /// By how much the level differs on the whole, where it does.
    pub off: Option<Db>,
    /// The causes, the likeliest first.
    pub causes: Vec<LikelyCause>,
}

impl Diagnosis {
    /// The likeliest cause.
    pub fn first(&self) -> Option<&LikelyCause> {
        self.causes.first()
    }

    /// What would tell the two likeliest causes apart.
    pub fn test(&self) -> String {
        let second =
            self.causes.get(1).filter(|c| c.probability > 0.1 && c.why != Mechanism::Chance);
        let first = self.causes.first().map(|c| c.why.test()).unwrap_or_default();
        match second {
            Some(second) => format!("{first} If not: {}", second.why.test()),
            None => first,
        }
    }
}

/// Chances beforehand.
const METAL: f64 = 0.04;
const METAL_UNSEEN: f64 = 0.08;
const WALL: f64 = 0.03;
const PLACE: f64 = 0.01;
const SWAPPED: f64 = 0.01;
const READING: f64 = 0.06;
const ONE_WAY: f64 = 0.02;
const CHANCE: f64 = 0.8;
/// What metal costs, and its deviation.
const IN_METAL: (f64, f64) = (14.0, 6.0);
/// What radios of one kind differ by.
const RADIOS: f64 = 2.6;
/// How many places are tried for a device that may be elsewhere: those nearest to where it is drawn.
const MOST_PLACES: usize = 60;
/// Causes less likely than this are not told.
const LEAST: f64 = 0.01;

/// The log of the chance of residuals that share an offset of variance `common` and have each a variance
/// of their own, up to what all causes have alike.
fn joint(residuals: &[f64], own: f64, common: f64) -> f64 {
    #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
    let n = residuals.len() as f64;
    let (sum, squares) = residuals.iter().fold((0.0, 0.0), |(s, q), r| (s + r, q + r * r));
    let whole = own + n * common;
    -0.5 * (squares / own - common * sum * sum / (own * whole) + (whole / own).ln() + n * own.ln())
}

/// Turns weights into chances, the likeliest first.
pub(crate) fn causes(weights: Vec<(Mechanism, f64)>) -> Vec<LikelyCause> {
    let most = weights.iter().map(|w| w.1).fold(f64::NEG_INFINITY, f64::max);
    let sum: f64 = weights.iter().map(|w| (w.1 - most).exp()).sum();
    let of = |(why, w): (Mechanism, f64)| LikelyCause { why, probability: (w - most).exp() / sum };
    let mut all: Vec<LikelyCause> = weights.into_iter().map(of).collect();
    all.sort_by(|a, b| b.probability.total_cmp(&a.probability));
    all.retain(|c| c.probability >= LEAST);
    all
}

/// A reading of a device.
struct Seen {
    /// How much weaker it was than all but the device itself says.
    weaker: f64,
    other: DeviceId,
    sends: bool,
    aside: bool,
    index: usize,
}

fn seen(proof: &Proof, device: &DeviceId) -> Vec<Seen> {
    let all = proof.comparisons.iter().enumerate();
    let of = all
        .filter(|(_, c)| (c.from == *device || c.to == *device) && c.verdict != Verdict::LeftOut);
    of.map(|(index, c)| Seen {
        weaker: (proof.proven.expected_without(c, device) - c.measured).get(),
        other: if c.from == *device { c.to.clone() } else { c.from.clone() },
        sends: c.from == *device,
        aside: c.verdict == Verdict::Aside,
        index,
    })
    .collect()
}

/// Everything that differs from the plan, the surest and largest first.
pub fn diagnose(analysis: &Analysis, proof: &Proof) -> Vec<Diagnosis> {
    let mut all: Vec<Diagnosis> = Vec::new();
    let ends: BTreeSet<DeviceId> =
        proof.comparisons.iter().flat_map(|c| [c.from.clone(), c.to.clone()]).collect();
    for device in ends {
        all.extend(of_level(analysis, proof, &device));
    }
    all.extend(parents::surprises(analysis, proof));
    all.sort_by(|a, b| {
        let size = |d: &Diagnosis| d.off.map_or(6.0, |o| o.get().abs());
        size(b).total_cmp(&size(a)).then_with(|| a.device.cmp(&b.device))
    });
    all
}

/// A device whose readings are not what all others make them out to be.
fn of_level(analysis: &Analysis, proof: &Proof, device: &DeviceId) -> Option<Diagnosis> {
    let seen = seen(proof, device);
    let noise = proof.proven.house.noise();
    // What the far ends and the walls between leave open is about 2 dB.
    let own = noise[0].powi(2) + noise[1].powi(2) + 4.0;
    let kept: Vec<&Seen> = seen.iter().filter(|s| !s.aside).collect();
    let use_all = kept.is_empty();
    let used: Vec<&Seen> = if use_all { seen.iter().collect() } else { kept };
    let r: Vec<f64> = used.iter().map(|s| s.weaker).collect();
    #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
    let n = r.len() as f64;
    let mean = r.iter().sum::<f64>() / n.max(1.0);
    let odd = proof.proven.device(device).is_some_and(|(.., odd)| odd);
    let surprising = mean.abs() > 2.0 * (RADIOS.powi(2) + own / n).sqrt();
    if r.is_empty() || !(odd || surprising) {
        return None;
    }
    let common = RADIOS.powi(2);
    let mut weights = vec![(Mechanism::Chance, CHANCE.ln() + joint(&r, own, common))];
    let (metal, spread) = IN_METAL;
    let in_metal: Vec<f64> = r.iter().map(|r| r - metal).collect();
    let unseen = is_unseen(&analysis.site, device);
    let before: f64 = if unseen { METAL_UNSEEN } else { METAL };
    weights.push((Mechanism::Metal, before.ln() + joint(&in_metal, own, common + spread.powi(2))));
    if use_all || r.len() == 1 {
        weights.push((Mechanism::Reading, READING.ln() + joint(&r, own + 22.0f64.powi(2), common)));
    }
    weights.extend(one_way(&used, own, common));
    weights.extend(walls(analysis, proof, device, &used, own));
    weights.extend(places(analysis, proof, device, &used, own));
    weights.extend(swapped(analysis, proof, device, &used, own));
    let way = if mean > 0.0 { "weaker" } else { "stronger" };
    let name = name(&analysis.site, device);
    let count = used.len();
    let size = Db::new(mean.abs());
    let read = match count {
        1 => "one reading".to_owned(),
        n => format!("{n} readings on the whole"),
    };
    let what = format!("{name}: {read} {size} {way} than everything else says");
    let off = Some(Db::new(-mean));
    Some(Diagnosis { device: Some(device.clone()), what, off, causes: causes(weights) })
}

pub(crate) fn name(site: &Site, id: &DeviceId) -> String {
    site.devices.get(id).map_or_else(|| id.to_string(), |d| d.name.clone())
}

/// Whether nobody saw what box it is in.
fn is_unseen(site: &Site, device: &DeviceId) -> bool {
    let point = site.devices.get(device).and_then(|d| site.point_of(d));
    point.is_some_and(|p| p.back_box != BoxKind::Metal && !p.is_opened())
}

/// Only one direction is weaker.
fn one_way(used: &[&Seen], own: f64, common: f64) -> Vec<(Mechanism, f64)> {
    let [sends, hears]: [Vec<f64>; 2] =
        [true, false].map(|s| used.iter().filter(|u| u.sends == s).map(|u| u.weaker).collect());
    if sends.is_empty() || hears.is_empty() {
        return Vec::new();
    }
    let wide = common + 64.0;
    let either = [(&sends, &hears), (&hears, &sends)]
        .map(|(bad, good)| joint(bad, own, wide) + joint(good, own, common));
    vec![(Mechanism::OneWay, ONE_WAY.ln() + either[0].max(either[1]))]
}

/// The walls that all its readings go through, each as if it cost more.
fn walls(
    analysis: &Analysis,
    proof: &Proof,
    device: &DeviceId,
    used: &[&Seen],
    own: f64,
) -> Vec<(Mechanism, f64)> {
    let crossed = |c: &super::Comparison| {
        let mut walls = BTreeSet::new();
        let place = |id: &DeviceId| analysis.find(id).map(|(n, p)| n.nodes[p].place);
        if let (Some(a), Some(b)) = (place(&c.from), place(&c.to)) {
            analysis.structure.visit_crossings(a, b, &mut |crossing| {
                if let Surface::Wall(wall) = crossing.surface {
                    walls.insert(wall);
                }
            });
        }
        walls
    };
    let all: Vec<BTreeSet<usize>> = proof.comparisons.iter().map(crossed).collect();
    let own_walls: BTreeSet<usize> =
        used.iter().flat_map(|s| all[s.index].iter().copied()).collect();
    let common = RADIOS.powi(2);
    let mut weights = Vec::new();
    let count = own_walls.len().max(1);
    for wall in own_walls {
        let through = |s: &&Seen| all[s.index].contains(&wall);
        if used.iter().filter(|s| through(s)).count() * 3 < used.len() * 2 {
            continue;
        }
        // What others say that go through it: their readings would be off as much.
        let best = [4.0, 8.0, 12.0].map(|more: f64| {
            let own_r: Vec<f64> =
                used.iter().map(|s| s.weaker - if through(s) { more } else { 0.0 }).collect();
            let others = proof.comparisons.iter().enumerate().filter(|(i, c)| {
                c.from != *device && c.to != *device && c.weight > 0.0 && all[*i].contains(&wall)
            });
            let change: f64 = others
                .map(|(_, c)| {
                    let off = (c.others_say - c.measured).get();
                    let v = c.sigma.get().powi(2);
                    ((off * off) - (off - more).powi(2)) / (2.0 * v)
                })
                .sum();
            joint(&own_r, own, common) + change
        });
        let most = best.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let mean = most + (best.iter().map(|b| (b - most).exp()).sum::<f64>() / 3.0).ln();
        #[expect(clippy::cast_precision_loss, reason = "a count of walls")]
        let before = (WALL / count as f64).ln();
        let shape = &analysis.structure.walls[wall];
        let made = analysis.structure.made_of(Surface::Wall(wall));
        weights.push((
            Mechanism::Wall(shape.id.clone(), wall_name(analysis, wall, made)),
            before + mean,
        ));
    }
    weights
}

/// A wall by what it is made of and the rooms that it parts.
fn wall_name(analysis: &Analysis, wall: usize, made: &str) -> String {
    let shape = &analysis.structure.walls[wall];
    let site = &analysis.site;
    let floor = site.walls.get(&shape.id).map(|w| w.floor.clone());
    let rooms = floor.map(|floor| {
        let middle = shape.at(shape.length / 2.0, shape.z[0]);
        let (dx, dy) = (shape.b[0] - shape.a[0], shape.b[1] - shape.a[1]);
        let (nx, ny) = (-dy / shape.length.max(1e-9), dx / shape.length.max(1e-9));
        let side = |by: f64| {
            let at = [middle.x + nx * by, middle.y + ny * by];
            let name = room_at(site, &floor, at);
            (!name.is_empty()).then(|| name.to_owned())
        };
        [side(0.5), side(-0.5)]
    });
    match rooms {
        Some([Some(a), Some(b)]) => format!("{made} between {a} and {b}"),
        Some([Some(a), None] | [None, Some(a)]) => format!("{made} of {a}"),
        _ => made.to_owned(),
    }
}

/// The other points, each as if it were there.
fn places(
    analysis: &Analysis,
    proof: &Proof,
    device: &DeviceId,
    used: &[&Seen],
    own: f64,
) -> Vec<(Mechanism, f64)> {
    let site = &analysis.site;
    let Some(here) = site.devices.get(device).map(|d| d.point.clone()) else { return Vec::new() };
    let Some(drawn) = site.points.get(&here).and_then(|p| site.place(&p.floor, p.at, p.height_m))
    else {
        return Vec::new();
    };
    // What was mixed up is seldom far.
    let placed = |p: &&crate::site::Point| site.place(&p.floor, p.at, p.height_m);
    let others = site.points.iter().filter(|p| p.id != here);
    let mut others: Vec<_> = others.filter_map(|p| Some((p, placed(&p)?))).collect();
    others.sort_by(|a, b| a.1.distance(drawn).total_cmp(&b.1.distance(drawn)));
    others.truncate(MOST_PLACES);
    if used.len() < 2 {
        return Vec::new();
    }
    #[expect(clippy::cast_precision_loss, reason = "a count of points")]
    let before = (PLACE / others.len().max(1) as f64).ln();
    let of = |(point, place): &(&crate::site::Point, crate::geometry::Place)| {
        let at = proof.proven.station_at(device, *place)?;
        let weaker = |s: &&Seen| {
            let c = &proof.comparisons[s.index];
            Some((proof.proven.expected_at(c, device, &at)? - c.measured).get())
        };
        let r: Vec<f64> = used.iter().map(weaker).collect::<Option<_>>()?;
        let weight = before + joint(&r, own, RADIOS.powi(2));
        Some((Mechanism::Place(point.id.clone(), point.name.clone()), weight))
    };
    let mut all: Vec<(Mechanism, f64)> = others.iter().filter_map(of).collect();
    all.sort_by(|a, b| b.1.total_cmp(&a.1));
    all.truncate(3);
    all
}

/// Other devices of its network, each as if the two entries were swapped.
fn swapped(
    analysis: &Analysis,
    proof: &Proof,
    device: &DeviceId,
    used: &[&Seen],
    own: f64,
) -> Vec<(Mechanism, f64)> {
    let Some((network, _)) = analysis.find(device) else { return Vec::new() };
    if used.len() < 2 {
        return Vec::new();
    }
    let Some(at) = proof.proven.station_of(device) else { return Vec::new() };
    let common = RADIOS.powi(2);
    #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
    let before = (SWAPPED / network.nodes.len().max(1) as f64).ln();
    let mut all = Vec::new();
    for other in network.nodes.iter().filter(|n| n.device != *device) {
        let theirs: Vec<Seen> = seen(proof, &other.device)
            .into_iter()
            .filter(|s| !s.aside && s.other != *device)
            .collect();
        let own_used: Vec<&&Seen> = used.iter().filter(|s| s.other != other.device).collect();
        if theirs.len() < 2 || own_used.len() < 2 {
            continue;
        }
        let Some(there) = proof.proven.station_of(&other.device) else { continue };
        let as_at = |index: usize, who: &DeviceId, at: &Station| {
            let c = &proof.comparisons[index];
            proof.proven.expected_at(c, who, at).map(|e| (e - c.measured).get())
        };
        let mine: Option<Vec<f64>> =
            own_used.iter().map(|s| as_at(s.index, device, there)).collect();
        let swapped: Option<Vec<f64>> =
            theirs.iter().map(|s| as_at(s.index, &other.device, at)).collect();
        let as_is: Vec<f64> = theirs.iter().map(|s| s.weaker).collect();
        if let (Some(mine), Some(swapped)) = (mine, swapped) {
            let weight = before + joint(&mine, own, common) + joint(&swapped, own, common)
                - joint(&as_is, own, common);
            all.push((Mechanism::Swapped(other.device.clone(), other.name.clone()), weight));
        }
    }
    all.sort_by(|a, b| b.1.total_cmp(&a.1));
    all.truncate(2);
    all
}
