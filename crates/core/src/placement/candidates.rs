//! The places that are worth analysing: of the survey, marked by a person, and made.

use crate::analysis::Analysis;
use crate::catalogue::Duty;
use crate::draw::naming::room_at;
use crate::geometry::Place;
use crate::network::NetworkAnalysis;
use crate::radio::mounting::Mounting;
use crate::site::{Device, Edit, Floor, FloorId, Kind, Point, PointId, PointKind, Site, Spot};
use crate::units::Metres;

use super::Moving;
use super::backhaul::{Backhauls, Uplink};

/// The most candidates that are analysed: those nearest to the middle of the network's devices.
const MOST: usize = 24;

/// How high a hub stands on a shelf; *planning value*.
const SHELF: Metres = Metres::new(1.2);

/// Where the hub could stand, its own place first; and by name what lies too far to be analysed.
pub(super) fn candidates(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    moving: &Moving<'_>,
    backhauls: &Backhauls,
    spots: &[(FloorId, Spot)],
) -> (Vec<HubCandidate>, Vec<String>) {
    let (site, now) = (&analysis.site, &moving.hubs[0].point);
    let could = |p: &&Point| matches!(p.kind, PointKind::Shelf | PointKind::Socket) && p.id != *now;
    let placed = |p| HubCandidate::of(analysis, moving, p);
    let mut others: Vec<_> = site.points.iter().filter(could).filter_map(placed).collect();
    let middle = middle(network);
    others.sort_by(|a, b| a.place.distance(middle).total_cmp(&b.place.distance(middle)));
    let left_out = others.iter().skip(MOST).map(|c| c.point.name.clone()).collect();
    let here = moving.point(site);
    let first = here.and_then(placed);
    let opened = here.and_then(|point| HubCandidate::in_the_open(analysis, moving, point));
    let marked = spots.iter().take(MOST);
    let marked =
        marked.filter_map(|(floor, at)| HubCandidate::marked(analysis, moving, floor, *at));
    let own = first.into_iter().chain(opened).chain(marked);
    let mut candidates: Vec<_> = own.chain(others.into_iter().take(MOST)).collect();
    for uplink in &backhauls.uplinks {
        if !candidates.iter().any(|c| uplink.is_beside(c.place)) {
            candidates.extend(HubCandidate::beside(analysis, moving, uplink));
        }
    }
    (candidates, left_out)
}

fn middle(network: &NetworkAnalysis) -> Place {
    #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
    let count = network.nodes.len().max(1) as f64;
    let sum = |of: fn(&Place) -> f64| network.nodes.iter().map(|n| of(&n.place)).sum::<f64>();
    Place::new(sum(|p| p.x) / count, sum(|p| p.y) / count, sum(|p| p.z) / count)
}

/// A point where the hub could stand.
pub(super) struct HubCandidate {
    pub(super) point: Point,
    /// How it is called in a list.
    pub(super) name: String,
    pub(super) place: Place,
    /// The edit that moves the hub there.
    pub(super) edit: Edit,
}

impl HubCandidate {
    fn of(analysis: &Analysis, moving: &Moving<'_>, point: &Point) -> Option<Self> {
        let place = analysis.site.place(&point.floor, point.at, point.height_m)?;
        let edit = Edit::batch(moving.edit_to(point));
        let name = place_name(&analysis.site, point);
        Some(Self { point: point.clone(), name, place, edit })
    }

    /// The hub's own place without what is around it now; nothing where it stands in the open.
    fn in_the_open(analysis: &Analysis, moving: &Moving<'_>, point: &Point) -> Option<Self> {
        let site = &analysis.site;
        against(point).first()?;
        let opened = Point { mounting: Mounting::Open, ..point.clone() };
        let stays = |d: &&Device| !moving.hubs.iter().any(|h| h.id == d.id);
        let is_alone = !site.devices_at(&point.id).iter().any(stays);
        let name = format!("{}, in the open", point.name);
        let (point, edit) = if is_alone {
            (opened, Edit::set(Kind::Point, &point.id, "mounting", "open"))
        } else {
            // What else is there stays as it is.
            let id = free_point(site, &format!("{}-in-the-open", moving.hubs[0].id))?;
            let beside = Point { id, name: name.clone(), kind: PointKind::Shelf, ..opened };
            let put = Edit::put(beside.clone());
            let edits = std::iter::once(put).chain(moving.edit_to(&beside)).collect();
            (beside, Edit::Batch { edits })
        };
        let place = site.place(&point.floor, point.at, point.height_m)?;
        Some(Self { point, name, place, edit })
    }

    /// A shelf where a person pointed; the edit makes it.
    fn marked(analysis: &Analysis, moving: &Moving<'_>, floor: &FloorId, at: Spot) -> Option<Self> {
        let site = &analysis.site;
        let place = site.place(floor, at, SHELF)?;
        let id = free_point(site, &format!("{}-marked", moving.hubs[0].id))?;
        let mut point = Point::bare(id, floor.clone(), at, SHELF, PointKind::Shelf);
        let room = room_at(site, floor, at);
        let storey = &site.floors.get(floor)?.name;
        let within = if room.is_empty() { storey } else { room };
        let name =
            format!("{within}, {:.1} right, {:.1} down", Metres::new(at[0]), Metres::new(at[1]));
        point.name = format!("{within} hub shelf");
        room.clone_into(&mut point.room);
        let put = Edit::put(point.clone());
        let edits = std::iter::once(put).chain(moving.edit_to(&point)).collect();
        Some(Self { point, name, place, edit: Edit::Batch { edits } })
    }

    /// A shelf beside a router that has no surveyed point beside it; the edit makes it.
    fn beside(analysis: &Analysis, moving: &Moving<'_>, uplink: &Uplink) -> Option<Self> {
        let (site, hub) = (&analysis.site, moving.hubs[0]);
        let floors = site.floors_upward();
        let at_or_under = |f: &&&Floor| f.elevation_m.get() <= uplink.place.z;
        let floor = floors.iter().rev().find(at_or_under).or(floors.first())?;
        let id = free_point(site, &format!("{}-beside-router", hub.id))?;
        let (at, height) = ([uplink.place.x, uplink.place.y], Metres::new(uplink.place.z));
        let height = height - floor.elevation_m;
        let mut point = Point::bare(id, floor.id.clone(), at, height, PointKind::Shelf);
        point.name = format!("Beside {}", uplink.name);
        let put = Edit::put(point.clone());
        let edits = std::iter::once(put).chain(moving.edit_to(&point)).collect();
        let edit = Edit::Batch { edits };
        Some(Self { name: point.name.clone(), point, place: uplink.place, edit })
    }
}

/// What a place is called when something may come to stand there: by what it is, its room and its tag, as
/// the name of a point is often that of what stands there now.
pub fn place_name(site: &Site, point: &Point) -> String {
    let devices = site.devices_at(&point.id);
    let keeps_a_hub = |d: &&Device| site.kind(&d.kind).is_some_and(|k| k.duty == Duty::Hub);
    let is_taken = devices.iter().any(|d| !keeps_a_hub(d));
    let what = match point.kind {
        PointKind::Socket => "socket",
        PointKind::Shelf if is_taken => "shelf",
        _ => return point.name.clone(),
    };
    let room = site.room_name(point);
    match (room.is_empty(), point.tag.is_empty()) {
        (true, true) => format!("the {what} of {}", point.name),
        (true, false) => format!("{what} {}", point.tag),
        (false, true) => format!("{room}, {what}"),
        (false, false) => format!("{room}, {what} {}", point.tag),
    }
}

/// An id that no point has: one of an earlier move may have the first and hold more than a hub.
fn free_point(site: &Site, stem: &str) -> Option<PointId> {
    let ids = std::iter::once(stem.to_owned()).chain((2..100).map(|n| format!("{stem}-{n}")));
    ids.filter_map(|id| id.parse().ok()).find(|id| site.points.get(id).is_none())
}

/// What speaks against a hub at a point by what stands around it.
pub fn against(point: &Point) -> Vec<String> {
    let around = match point.mounting {
        Mounting::Unsaid
        | Mounting::Open
        | Mounting::AboveCeilingTile
        | Mounting::WoodenLampBase => None,
        other => Some(other.row().name.to_owned()),
    };
    let outdoors = (point.kind == PointKind::Outdoor).then(|| "outdoors".to_owned());
    around.into_iter().chain(outdoors).collect()
}
