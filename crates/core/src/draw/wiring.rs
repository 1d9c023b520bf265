//! What is put on record behind a box: loads, conductors, breakers, the places that work the same. Each
//! is made as little known as it is.

use serde_json::json;

use super::naming::free;
use crate::catalogue::LoadKind;
use crate::fit::space::goes_by_volume;
use crate::moment::Moment;
use crate::site::{
    Circuit, CircuitId, Conductor, Edit, Gauge, Group, GroupId, Kind, Layout, Load, LoadId, Point,
    PointId, Proven, Ref, Refusal, Site, Stays, StaysKind,
};

fn point<'a>(site: &'a Site, id: &PointId) -> Result<&'a Point, Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::Point, id.as_str()));
    site.points.get(id).ok_or_else(missing)
}

fn group<'a>(site: &'a Site, id: &GroupId) -> Result<&'a Group, Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::Group, id.as_str()));
    site.groups.get(id).ok_or_else(missing)
}

/// What a point switches, nothing else known of it.
pub(super) fn load_added(
    site: &Site,
    id: &LoadId,
    at: &PointId,
    kind: LoadKind,
) -> Result<Edit, Refusal> {
    let stem = kind.called_at(&point(site, at)?.name);
    let name = free(&stem, |name| site.loads.iter().any(|l| l.name == name));
    Ok(Edit::put(Load::new(id.clone(), &name, at.clone(), kind)))
}

/// One more conductor, of the size of the last: what a box holds is mostly alike.
pub(super) fn conductor_added(site: &Site, id: &str, at: &PointId) -> Result<Edit, Refusal> {
    let mut conductors = point(site, at)?.conductors.clone();
    let usual = if goes_by_volume(&site.job) { Gauge::Awg14 } else { Gauge::Mm1_5 };
    let size = conductors.last().map_or(usual, |c| c.size);
    conductors.push(Conductor::new(id, size));
    Ok(Edit::set(Kind::Point, at, "conductors", json!(conductors)))
}

/// Something that stays in a box: a plain switch, until somebody says what it is.
pub(super) fn stays_added(site: &Site, id: &str, at: &PointId) -> Result<Edit, Refusal> {
    let mut stays = point(site, at)?.stays.clone();
    let (id, what) = (id.to_owned(), StaysKind::Switch);
    stays.push(Stays::of(id, what));
    Ok(Edit::set(Kind::Point, at, "stays", json!(stays)))
}

/// The breaker that a point names, as printed and not proven.
pub(super) fn circuit_added(site: &Site, id: &CircuitId, at: &PointId) -> Result<Edit, Refusal> {
    let point = point(site, at)?;
    if site.circuit_of(point).is_some() {
        return Ok(Edit::batch(Vec::new()));
    }
    Ok(Edit::put(Circuit::new(id.clone(), point.circuit.trim())))
}

/// The breaker as printed made its circuit dead.
pub(super) fn circuit_proven(
    site: &Site,
    id: &CircuitId,
    by: &str,
    at: &Moment,
) -> Result<Edit, Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::Circuit, id.as_str()));
    let label = site.circuits.get(id).ok_or_else(missing)?.label.clone();
    let (by, with, at) = (by.to_owned(), "tester known to work".to_owned(), at.clone());
    Ok(Edit::set(Kind::Circuit, id, "proven", json!(Proven { label, by, with, at })))
}

/// A group that has one place so far.
pub(super) fn group_added(site: &Site, id: &GroupId, first: &PointId) -> Result<Edit, Refusal> {
    let stem = &point(site, first)?.name;
    let name = free(stem, |name| site.groups.iter().any(|g| g.name == name));
    Ok(Edit::put(Group::new(id.clone(), &name, vec![first.clone()])))
}

/// A place joins a group.
pub(super) fn group_joined(site: &Site, id: &GroupId, joins: &PointId) -> Result<Edit, Refusal> {
    let group = group(site, id)?;
    let places: Vec<_> = group.places.iter().chain([joins]).collect();
    Ok(Edit::set(Kind::Group, id, "places", json!(places)))
}

/// A place leaves its group; where line came in there or the load left, its wiring is to be found out
/// again. A group without places is none.
pub(super) fn group_left(site: &Site, id: &GroupId, leaves: &PointId) -> Result<Edit, Refusal> {
    let group = group(site, id)?;
    let places: Vec<_> = group.places.iter().filter(|p| *p != leaves).collect();
    if places.is_empty() {
        return Ok(Edit::remove(Kind::Group, id));
    }
    let mut edits = Vec::new();
    if matches!(&group.wiring, Layout::Boxes { line, load } if line == leaves || load == leaves) {
        edits.push(Edit::set(Kind::Group, id, "wiring", json!(Layout::Unknown)));
    }
    edits.push(Edit::set(Kind::Group, id, "places", json!(places)));
    Ok(Edit::batch(edits))
}

/// What the record of the tests settles, conductor by conductor.
pub(super) fn findings_taken(site: &Site, at: &PointId) -> Result<Edit, Refusal> {
    let mut conductors = crate::survey::lines::as_tested(&point(site, at)?.conductors);
    for found in crate::survey::lines::found(&conductors) {
        if let Some(conductor) = conductors.iter_mut().find(|c| c.id == found.id) {
            conductor.found = found.function;
        }
    }
    Ok(Edit::set(Kind::Point, at, "conductors", json!(conductors)))
}
