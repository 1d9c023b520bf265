//! What a job needs now: one thing, the first in the order of the work that is not done. It is read off the plan and the
//! record alone, so that every page can say it.

use crate::catalogue::Duty;
use crate::fit::{Fits, findings, verdict};
use crate::gate::gate;
use crate::gate::work::{WorkKind, WorkedDevice};
use crate::radio::system::RouteChoice;
use crate::record::{Record, Stage};
use crate::site::{AlreadyThere, Device, Site};
use crate::survey::previsit::looks;
use crate::units::count_of;

/// Where what a job needs is done.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum NeededAt {
    /// Client, region, country.
    Brief,
    /// Storeys and walls.
    Plan,
    /// The boxes.
    PointSheet,
    /// What fits where.
    Devices,
    /// The boxes to open first.
    BoxesToOpen,
    /// The bill, to be signed.
    Offer,
    /// Visits and steps.
    Visits,
    /// What was agreed, tested and signed.
    Acceptance,
    /// The papers.
    Handover,
}

/// What a job needs now.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Needed {
    /// What, as an order.
    pub says: String,
    /// Where it is done.
    pub at: NeededAt,
    /// Whether something is open that somebody is at: power is off, a network stands open.
    pub is_open: bool,
}

/// What a job needs now.
pub fn needed_now(site: &Site, record: &Record) -> Needed {
    let of = |(at, says): (NeededAt, String)| Needed { says, at, is_open: false };
    open_on_site(site, record)
        .or_else(|| to_draw(site).map(of))
        .or_else(|| to_choose(site).map(of))
        .unwrap_or_else(|| of(to_do(site, record)))
}

/// Power that is off and networks that stand open come before all else.
fn open_on_site(site: &Site, record: &Record) -> Option<Needed> {
    let open = |says: String| Needed { says, at: NeededAt::Visits, is_open: true };
    if let Some(off) = record.in_force().next() {
        let what = if off.means.is_main() {
            "The main switch".to_owned()
        } else {
            format!("Breaker {}", off.circuits.join(", "))
        };
        return Some(open(format!("{what} is off: finish its boxes and switch on again.")));
    }
    let network = record.open_times.iter().find(|open| open.closed.is_none())?;
    let name = &site.networks.get(&network.network)?.name;
    Some(open(format!("{name} is open for joining: close it.")))
}

fn to_draw(site: &Site) -> Option<(NeededAt, String)> {
    let says = |at, says: &str| Some((at, says.to_owned()));
    if site.floors.is_empty() {
        return says(NeededAt::Plan, "Add a storey, then draw its walls.");
    }
    // A house that only came as a list of what is there has nothing to draw on; what is on the plan may stand there first.
    if site.walls.is_empty() && site.devices.is_empty() {
        return says(NeededAt::Plan, "Draw the walls, or lay a plan image under them.");
    }
    if site.points.is_empty() {
        return says(
            NeededAt::PointSheet,
            "Type the boxes: one row for each switch, socket and light.",
        );
    }
    None
}

fn to_choose(site: &Site) -> Option<(NeededAt, String)> {
    let says = |at, says: String| Some((at, says));
    if site.devices.is_empty() {
        return says(NeededAt::Devices, "Choose what goes into each box.".to_owned());
    }
    if site.job.country().is_none() {
        let says = "Say in which country the house stands: boxes and wiring go by its rules.";
        return Some((NeededAt::Brief, says.to_owned()));
    }
    let is_of = |device: &&Device, hub: bool| {
        site.kind(&device.kind).is_some_and(|k| (k.duty == Duty::Hub) == hub && k.has_radio)
    };
    for network in &site.networks {
        let of = |hub: bool| {
            let all = site.devices.iter().filter(|d| d.network == network.id);
            all.filter(|d| is_of(d, hub)).count()
        };
        let needs_hub = network.rule().choice != RouteChoice::Flood;
        if needs_hub && of(false) > 0 && of(true) == 0 {
            let says = format!("{} has no hub: choose one and put it on the plan.", network.name);
            return Some((NeededAt::Plan, says));
        }
    }
    let unfit = site.devices.iter().filter(|d| does_not_fit(site, d)).count();
    if unfit > 0 {
        let says =
            format!("Choose again: {} not fit.", count_of(unfit, "device does", "devices do"));
        return Some((NeededAt::Devices, says));
    }
    None
}

fn does_not_fit(site: &Site, device: &Device) -> bool {
    let is_there = device.already_there != AlreadyThere::No;
    let both = site.kind(&device.kind).zip(site.point_of(device));
    let no = |(kind, point)| verdict(&findings(site, kind, point, Some(device))) == Fits::No;
    !is_there && both.is_some_and(no)
}

fn to_do(site: &Site, record: &Record) -> (NeededAt, String) {
    let gate = gate(record, site);
    let spots = site.devices.iter().filter_map(|d| WorkedDevice::of(site, &d.id));
    let spots: Vec<_> = spots.filter(|spot| !spot.steps().is_empty()).collect();
    let left: Vec<_> = spots.iter().filter(|spot| !gate.is_complete(spot)).collect();
    let is_begun = record.marks().next().is_some();
    let boxes = looks(site).len();
    if !is_begun && !left.is_empty() {
        if boxes > 0 {
            let says = format!("Open {} before the day.", count_of(boxes, "box", "boxes"));
            return (NeededAt::BoxesToOpen, says);
        }
        let kept = record.milestones.iter().any(|m| m.stage == Stage::Designed);
        if !kept && record.offers_signed.is_empty() {
            let says = "Have the offer signed: the plan is kept as designed with it.";
            return (NeededAt::Offer, says.to_owned());
        }
    }
    if !left.is_empty() {
        let is_wired = |spot: &&&WorkedDevice<'_>| spot.work() == WorkKind::Wired;
        let wired = left.iter().filter(is_wired).count();
        let open = site.visits.iter().filter(|v| v.ended.is_none()).min_by_key(|v| &v.from);
        let all = count_of(left.len(), "device", "devices");
        return (
            NeededAt::Visits,
            match (open, wired) {
                (Some(visit), _) => {
                    let from = crate::moment::in_words(&visit.from);
                    format!("Visit of {from}: {all} left to install.")
                }
                (None, 0) => format!("Agree a visit: {all} to set up."),
                (None, n) => format!("Agree a visit: {all} to install, {n} of them on the mains."),
            },
        );
    }
    if record.sign_offs.is_empty() {
        let says = "Test what was agreed, and have the acceptance signed.";
        return (NeededAt::Acceptance, says.to_owned());
    }
    (NeededAt::Handover, "Nothing is needed. The house is accepted: hand it over.".to_owned())
}
