//! Choosing what goes into a box: the edit that plans a device there, and what is advised where nothing is planned yet.

use crate::catalogue::DeviceKind;
use crate::fit::Fits;
use crate::fit::candidates::{Candidate, candidates};
use crate::fit::schools::{chosen, schools};
use crate::site::{Device, DeviceId, Edit, Group, Kind, Network, Point, PointId, PointKind, Site};

use super::naming;

/// The edit that plans a device of a kind at a point: what is planned there becomes it, or a new one is put there in the
/// first network that it speaks; nothing where the job has none.
pub fn planned(site: &Site, point: &Point, kind: &DeviceKind) -> Option<Edit> {
    if let Some(device) = site.devices_at(&point.id).first() {
        let network = site.networks.get(&device.network)?;
        let speaks = kind.systems.contains(&network.system);
        return speaks.then(|| Edit::set(Kind::Device, &device.id, "kind", kind.id.clone()));
    }
    let speaks = |network: &&Network| kind.systems.contains(&network.system);
    let network = site.networks.iter().find(speaks)?;
    let is_taken = |id: &str| site.devices.iter().any(|d| d.id.as_str() == id);
    let id: DeviceId =
        naming::free(&format!("d-{}", point.id), is_taken).replace(' ', "-").parse().ok()?;
    // By its place, as whoever looks for it does.
    let is_free = !point.name.is_empty() && site.devices.iter().all(|d| d.name != point.name);
    let name = if is_free {
        point.name.clone()
    } else {
        naming::of_device(site, kind, &point.floor, point.at)
    };
    Some(Edit::put(Device {
        can_be_cut: kind.easily_cut,
        ..Device::new(id, &name, point.id.clone(), &kind.id, network.id.clone())
    }))
}

/// What is advised at a point where nothing is planned: the first that works the load itself and is known to fit.
pub fn advised<'a>(site: &'a Site, point: &Point) -> Option<Candidate<'a>> {
    first_below(site, point, Fits::NotKnown)
}

/// The first that works the load itself and fits better than that.
fn first_below<'a>(site: &'a Site, point: &Point, than: Fits) -> Option<Candidate<'a>> {
    candidates(site, point, None).into_iter().find(|c| c.fits < than && c.kind.works_a_load())
}

/// A box or a group of boxes where nothing is planned yet, with what goes there.
#[derive(Clone, Debug, PartialEq)]
pub struct AdvisedAt {
    /// The places.
    pub places: Vec<PointId>,
    /// What goes there, by name.
    pub what: Vec<String>,
    /// The edit that plans it.
    pub edit: Edit,
}

/// What goes into the switch places that work something and have nothing planned.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct AdvisedHouse {
    /// What is known to fit.
    pub known: Vec<AdvisedAt>,
    /// What is likely: of its box something is not known, and it is planned for now at most.
    pub likely: Vec<AdvisedAt>,
    /// Places for which nothing in the library comes into question.
    pub none: Vec<PointId>,
}

/// What goes into every switch place that works something and has nothing planned.
pub fn advised_everywhere(site: &Site) -> AdvisedHouse {
    let is_bare = |id: &PointId| site.devices_at(id).is_empty();
    let mut all = AdvisedHouse::default();
    let mut add = |places: Vec<PointId>, found: Option<(Fits, Vec<String>, Edit)>| match found {
        Some((fits, what, edit)) => {
            let list = if fits < Fits::NotKnown { &mut all.known } else { &mut all.likely };
            list.push(AdvisedAt { places, what, edit });
        }
        None => all.none.extend(places),
    };
    for group in site.groups.iter().filter(|g| g.places.len() > 1) {
        if group.places.iter().all(is_bare) {
            add(group.places.clone(), of_group(site, group));
        }
    }
    let is_alone = |p: &&Point| site.group_of(&p.id).is_none_or(|g| g.places.len() < 2);
    let works = |p: &&Point| site.loads_of(&p.id).next().is_some();
    let points = site.points.iter().filter(|p| p.kind == PointKind::Switch && is_bare(&p.id));
    for point in points.filter(is_alone).filter(works) {
        let found = first_below(site, point, Fits::ElectricianDecides)
            .and_then(|c| Some((c.fits, vec![c.kind.name.clone()], planned(site, point, c.kind)?)));
        add(vec![point.id.clone()], found);
    }
    all
}

fn of_group(site: &Site, group: &Group) -> Option<(Fits, Vec<String>, Edit)> {
    let all = schools(site, group);
    let mut could = all.iter().filter(|s| s.master.is_some() && s.fits < Fits::ElectricianDecides);
    let school = could.next()?;
    let edit = chosen(site, group, school)?;
    let parts = school.master.iter().chain(&school.far);
    Some((school.fits, parts.map(|(kind, _)| kind.name.clone()).collect(), edit))
}
