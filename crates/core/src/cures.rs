//! What would help a device that is below target: found by trying, each with the margin it would give.

use std::collections::BTreeSet;
use std::fmt;
use std::sync::Arc;

use crate::analysis::{Analysis, analyse_while};
use crate::catalogue;
use crate::geometry::Place;
use crate::network::air::advise;
use crate::network::{Band, NetworkAnalysis, Outcome};
use crate::pulse::StillWanted;
use crate::radio::mounting::BoxKind;
use crate::site::{Device, DeviceId, Edit, Kind, Point, PointKind, Site, apply};
use crate::units::Db;

/// What is tried, in words.
#[derive(Clone, Debug, PartialEq)]
pub enum CureTried {
    /// A radio comes out of what stands around it.
    OutOf {
        /// The radio.
        who: String,
        /// What it is in or behind.
        around: &'static str,
    },
    /// A plastic box takes the place of a metal one.
    PlasticBox {
        /// The radio in it.
        who: String,
    },
    /// It is agreed that nobody cuts the supply of a device.
    StaysOn {
        /// The device.
        who: String,
    },
    /// The network changes its channel.
    Channel {
        /// The channel.
        to: u8,
    },
    /// A repeater is plugged in at a socket.
    RepeaterAt {
        /// The socket.
        point: String,
    },
}

impl fmt::Display for CureTried {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::OutOf { who, around } => write!(f, "{who} in the open instead of: {around}"),
            Self::PlasticBox { who } => write!(f, "A plastic box for {who} instead of a metal one"),
            Self::StaysOn { who } => write!(f, "Agree that {who} stays on"),
            Self::Channel { to } => write!(f, "Channel {to}"),
            Self::RepeaterAt { point } => write!(f, "A repeater at {point}"),
        }
    }
}

impl CureTried {
    /// About how long it takes, in minutes; *planning values*.
    pub fn minutes(&self) -> f64 {
        match self {
            Self::StaysOn { .. } => 5.0,
            Self::Channel { .. } | Self::RepeaterAt { .. } => 15.0,
            Self::OutOf { .. } => 30.0,
            Self::PlasticBox { .. } => 45.0,
        }
    }

    /// How much it asks of people, the least first; *planning rule*.
    fn effort(&self) -> u8 {
        match self {
            Self::StaysOn { .. } | Self::Channel { .. } => 0,
            Self::OutOf { .. } => 1,
            Self::PlasticBox { .. } => 2,
            Self::RepeaterAt { .. } => 3,
        }
    }
}

/// Something that was tried and helps.
#[derive(Clone, Debug, PartialEq)]
pub struct Cure {
    /// What it is.
    pub what: CureTried,
    /// The edit that does it.
    pub edit: Edit,
    /// The verdict that it would give.
    pub band: Band,
    /// The weakest margin that it would give.
    pub margin: Db,
}

/// How many are told.
const MOST: usize = 3;
/// How many sockets and lamps are tried: those nearest to the middle of what is to be bridged.
const MOST_SOCKETS: usize = 6;
/// A cure that gives less than this more is none.
const WORTH: Db = Db::new(1.0);

/// The cheapest things that help a device below target: first those that bring it to target, then the
/// rest, each group by effort and then by the margin it gives. Nothing for what is at target; what was
/// found so far once it is not `wanted` any longer.
pub fn cures(analysis: &Analysis, device: &DeviceId, wanted: &StillWanted<'_>) -> Vec<Cure> {
    let Some((network, place)) = analysis.find(device) else { return Vec::new() };
    let now = &network.outcomes[place];
    if now.band >= Band::Sound || network.hubs.contains(&place) {
        return Vec::new();
    }
    let mut found: Vec<Cure> = Vec::new();
    for (what, edit) in to_try(analysis, network, place) {
        let mut site = (*analysis.site).clone();
        if apply(&mut site, &edit).is_err() {
            continue;
        }
        let tried = analyse_while(wanted, Some(analysis), &Arc::new(site), &analysis.options);
        let Some(there) = tried else { break };
        let after = there.find(device).map(|(n, place)| &n.outcomes[place]);
        if let Some(cure) = after.and_then(|after| better(now, after, what, edit)) {
            found.push(cure);
        }
    }
    found.sort_by(|a, b| {
        let key = |c: &Cure| (c.band < Band::Sound, c.what.effort());
        key(a).cmp(&key(b)).then(b.margin.total_cmp(&a.margin))
    });
    found.truncate(MOST);
    found
}

fn better(now: &Outcome, after: &Outcome, what: CureTried, edit: Edit) -> Option<Cure> {
    let margin = after.weakest()?.margin();
    let gained = now.weakest().is_none_or(|hop| margin - hop.margin() >= WORTH);
    let helps = after.band > now.band || after.band == now.band && gained;
    helps.then_some(Cure { what, edit, band: after.band, margin })
}

/// All that is worth trying, in no special order.
fn to_try(analysis: &Analysis, network: &NetworkAnalysis, place: usize) -> Vec<(CureTried, Edit)> {
    let site = &analysis.site;
    let outcome = &network.outcomes[place];
    // Whose surroundings may be to blame: its own, and those of all that its way leads over.
    let on_way = outcome.hops.iter().map(|h| &h.from).chain(&outcome.best_link);
    let hubs = network.hubs.iter().map(|h| &network.nodes[*h].device);
    let mut tried = BTreeSet::new();
    let mut all = Vec::new();
    for id in std::iter::once(&outcome.device).chain(on_way).chain(hubs) {
        if tried.insert(id)
            && let Some((device, point)) = placed(site, id)
        {
            all.extend(around(device, point));
        }
    }
    all.extend(lamps(site, network, place));
    all.extend(channel(network));
    all.extend(repeaters(site, network, place));
    all
}

fn placed<'a>(site: &'a Site, id: &DeviceId) -> Option<(&'a Device, &'a Point)> {
    let device = site.devices.get(id)?;
    Some((device, site.point_of(device)?))
}

/// A radio out of what it is in.
fn around(device: &Device, point: &Point) -> Vec<(CureTried, Edit)> {
    let set = |field, to: &str| Edit::set(Kind::Point, &point.id, field, to);
    let mut all = Vec::new();
    if point.mounting.is_around() {
        let what = CureTried::OutOf { who: device.name.clone(), around: point.mounting.row().name };
        all.push((what, set("mounting", "open")));
    }
    if point.back_box == BoxKind::Metal {
        all.push((CureTried::PlasticBox { who: device.name.clone() }, set("box", "plastic")));
    }
    all
}

/// Lamps and plugs nearby that would forward if nobody cut their supply.
fn lamps(site: &Site, network: &NetworkAnalysis, place: usize) -> Vec<(CureTried, Edit)> {
    let dark =
        (0..network.nodes.len()).filter(|n| *n != place && network.nodes[*n].role.may_go_dark);
    let mut near: Vec<(usize, Db)> = dark.map(|n| (n, network.link(place, n).margin())).collect();
    near.retain(|(_, margin)| *margin >= Db::ZERO);
    near.sort_by(|a, b| b.1.total_cmp(&a.1));
    let agree = |(n, _): &(usize, Db)| {
        let device = site.devices.get(&network.nodes[*n].device)?;
        let edit = Edit::set(Kind::Device, &device.id, "stays_on", true);
        Some((CureTried::StaysOn { who: device.name.clone() }, edit))
    };
    near.iter().take(MOST_SOCKETS).filter_map(agree).collect()
}

/// The channel that the adviser scores best, where another is in use.
fn channel(network: &NetworkAnalysis) -> Option<(CureTried, Edit)> {
    let now = network.channel.filter(|_| network.rule.is_802_15_4())?;
    let best = advise(network).first()?.channel;
    let edit = Edit::set(Kind::Network, &network.network, "channel", best);
    (best != now).then_some((CureTried::Channel { to: best }, edit))
}

/// A repeater at each of the sockets nearest to the middle between a device and what should carry it.
fn repeaters(site: &Site, network: &NetworkAnalysis, place: usize) -> Vec<(CureTried, Edit)> {
    let repeater = site
        .all_kinds()
        .filter(|k| site.job.refuses_kind(k).is_none())
        .find(|k| k.duty == catalogue::Duty::Repeater && k.systems.contains(&network.system));
    let outcome = &network.outcomes[place];
    let carrier = outcome.hops.last().map(|h| &h.from).or(outcome.best_link.as_ref());
    let carrier = carrier.and_then(|d| network.place_of(d)).or(network.hubs.first().copied());
    let (Some(repeater), Some(carrier)) = (repeater, carrier) else { return Vec::new() };
    let middle = network.nodes[place].place.towards(network.nodes[carrier].place, 0.5);
    let socket = |point: &Point| -> Option<(Place, Point)> {
        let is_socket = point.kind == PointKind::Socket;
        let at = site.place(&point.floor, point.at, point.height_m).filter(|_| is_socket)?;
        Some((at, point.clone()))
    };
    let mut sockets: Vec<_> = site.points.iter().filter_map(socket).collect();
    sockets.sort_by(|a, b| a.0.distance(middle).total_cmp(&b.0.distance(middle)));
    let plug = |(_, point): &(Place, Point)| {
        let ids = (1..1000).map(|n| format!("repeater-{n}"));
        let id: DeviceId =
            ids.filter_map(|id| id.parse().ok()).find(|id| site.devices.get(id).is_none())?;
        let name = format!("Repeater at {}", point.name);
        let network = network.network.clone();
        let device = Device::new(id, &name, point.id.clone(), &repeater.id, network);
        Some((CureTried::RepeaterAt { point: point.name.clone() }, Edit::put(device)))
    };
    sockets.iter().take(MOST_SOCKETS).filter_map(plug).collect()
}
