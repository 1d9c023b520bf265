//! What a device is to its network; it follows from the survey, not from a wish.

use crate::catalogue::{self, Duty, Supply};
use crate::fit::{self, Fits};
use crate::radio::system::RouteChoice;
use crate::site::{Device, Site};

/// What a device is to its network.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Role {
    /// Starts and keeps the network.
    Hub,
    /// Forwards for others.
    Forwards,
    /// On the mains, and does not forward.
    Leaf,
    /// On a battery: sleeps, and does not forward.
    Sleeps,
    /// Carried by hand.
    Carried,
}

/// A role and why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RoleFinding {
    /// The role.
    pub role: Role,
    /// Why it has this role, in a sentence.
    pub why: String,
    /// Whether it would forward but earns no credit, as someone can cut its supply.
    pub may_go_dark: bool,
}

impl Role {
    /// The role in a word or two.
    pub fn name(self) -> &'static str {
        match self {
            Self::Hub => "hub",
            Self::Forwards => "forwards",
            Self::Leaf => "does not forward",
            Self::Sleeps => "sleeps",
            Self::Carried => "carried by hand",
        }
    }
}

/// The role of a device where it stands.
pub fn role(site: &Site, device: &Device) -> RoleFinding {
    let plain = |role, why: &str| RoleFinding { role, why: why.to_owned(), may_go_dark: false };
    let (Some(kind), Some(point)) = (catalogue::kind(&device.kind), site.point_of(device)) else {
        return plain(Role::Leaf, "its catalogue row or its point is missing");
    };
    match (kind.duty, kind.supply) {
        (Duty::Hub, _) => return plain(Role::Hub, "it starts and keeps the network"),
        (Duty::Remote, _) => return plain(Role::Carried, "a remote sleeps between presses"),
        (_, Supply::Battery) => return plain(Role::Sleeps, "a battery device sleeps"),
        _ if !kind.has_radio => {
            return plain(Role::Leaf, "a wired companion has no radio: it is no node");
        }
        _ if !kind.forwards => {
            return plain(Role::Leaf, "this device does not forward for others");
        }
        _ => {}
    }
    let system = site.networks.get(&device.network).map(|n| n.system);
    if let Some(system) = system
        && system.rule().choice == RouteChoice::DirectOnly
    {
        return RoleFinding {
            role: Role::Leaf,
            why: format!("in {} nobody forwards", system.name()),
            may_go_dark: false,
        };
    }
    if fit::verdict(&fit::findings(kind, point)) >= Fits::ElectricianDecides {
        return plain(Role::Leaf, "it does not fit its box as surveyed, so nothing is built on it");
    }
    if device.can_be_cut || kind.easily_cut {
        return RoleFinding {
            role: Role::Leaf,
            why: "it could forward, but someone can cut its supply: no repeating credit".to_owned(),
            may_go_dark: true,
        };
    }
    plain(Role::Forwards, "it is on the mains for good and forwards for others")
}
