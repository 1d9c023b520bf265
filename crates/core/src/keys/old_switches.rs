//! Place by place what becomes of each old switch.

use crate::catalogue::{DeviceKind, Far};
use crate::site::{PointId, PointKind, Site};

/// What becomes of an old switch.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum OldSwitch {
    /// It stays as it is.
    Kept,
    /// A unit that switches takes its place.
    Unit,
    /// A wired companion takes its place.
    Companion,
    /// A unit that follows by wire takes its place.
    Follower,
    /// A unit that is paired by radio takes its place.
    Paired,
    /// A plain switch or button, wired as a signal.
    Plain,
    /// A remote on a plate stands over it, what it joined is joined through or capped.
    Remote,
    /// A blank cover: it is gone.
    Blank,
}

impl OldSwitch {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 8] = [
        (Self::Kept, "stays as it is"),
        (Self::Unit, "a unit that switches"),
        (Self::Companion, "wired companion"),
        (Self::Follower, "follower by wire"),
        (Self::Paired, "unit paired by radio"),
        (Self::Plain, "plain switch, wired as a signal"),
        (Self::Remote, "remote on a plate"),
        (Self::Blank, "blank cover"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(of, _)| *of == self).map_or("", |(_, name)| name)
    }

    /// What a device makes of the switch in whose place it comes.
    pub fn by(kind: &DeviceKind) -> Self {
        match kind.fit.far {
            _ if kind.is_cover() => Self::Blank,
            Far::Electronic => Self::Companion,
            Far::Plain => Self::Plain,
            Far::Follower => Self::Follower,
            Far::Remote => Self::Remote,
            Far::Paired => Self::Paired,
            Far::No if kind.is_wired_in() => Self::Unit,
            // What stands beside it takes nothing from it.
            Far::No => Self::Kept,
        }
    }
}

/// What becomes of the switch at each place for one, in the order of the places, with the devices that make it so.
pub fn old_switches(site: &Site) -> Vec<(&PointId, Vec<OldSwitch>)> {
    let places = site.points.iter().filter(|p| p.kind == PointKind::Switch);
    let of = |point: &PointId| {
        let devices = site.devices_at(point).into_iter();
        let mut all: Vec<OldSwitch> =
            devices.filter_map(|d| site.kind(&d.kind)).map(OldSwitch::by).collect();
        all.sort_unstable();
        all.dedup();
        if all.len() > 1 {
            all.retain(|of| *of != OldSwitch::Kept);
        }
        if all.is_empty() { vec![OldSwitch::Kept] } else { all }
    };
    places.map(|point| (&point.id, of(&point.id))).collect()
}
