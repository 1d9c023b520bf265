//! What a device is to its network; it follows from the survey, not from a wish.

use crate::catalogue::{Duty, Supply};
use crate::fit::{self, FitFinding, Fits};
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
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RoleFinding {
    /// The role.
    pub role: Role,
    /// Why it has this role.
    pub why: RoleReason,
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

/// Why a device has its role; its words are the middle of a sentence.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[expect(missing_docs, reason = "each says in its words what it is")]
pub enum RoleReason {
    #[error("it starts and keeps the network")]
    KeepsTheNetwork,
    #[error("a remote sleeps between presses")]
    SleepsBetweenPresses,
    #[error("a battery device sleeps")]
    OnABattery,
    #[error("a wired companion has no radio: it is no node")]
    NoRadio,
    #[error("this device does not forward for others")]
    NotByItsMake,
    #[error("its hub says that it does not forward")]
    NotByItsHub,
    #[error(
        "what it is was guessed from the hub's list: nothing is built on it before somebody confirms it"
    )]
    KindGuessed,
    #[error("it forwards only with a neutral, and none was seen in its box")]
    OnlyWithNeutral,
    #[error("in {0} nobody forwards")]
    NobodyForwards(&'static str),
    #[error("it does not fit its box as surveyed, so nothing is built on it")]
    DoesNotFit,
    #[error("it could forward, but someone can cut its supply: no repeating credit")]
    CanBeCut,
    #[error("it is on the mains for good and forwards for others")]
    OnTheMains,
    #[error("it forwards on condition that its box, which nobody has opened yet, is as planned")]
    IfItsBoxIs,
    #[error("it forwards: someone could cut its supply, and it is agreed that nobody does")]
    AgreedToStayOn,
    #[error("its catalogue row or its point is missing")]
    Missing,
    #[error("the limit of {most} {what} is used up by others nearer to the hub")]
    BeyondLimit { most: usize, what: &'static str },
}

/// The role of a device where it stands.
pub fn role(site: &Site, device: &Device) -> RoleFinding {
    let plain = |role, why| RoleFinding { role, why, may_go_dark: false };
    let (Some(kind), Some(point)) = (site.kind(&device.kind), site.point_of(device)) else {
        return plain(Role::Leaf, RoleReason::Missing);
    };
    match (kind.duty, kind.supply) {
        (Duty::Hub, _) => return plain(Role::Hub, RoleReason::KeepsTheNetwork),
        (Duty::Remote, _) if kind.is_hand_held() => {
            return plain(Role::Carried, RoleReason::SleepsBetweenPresses);
        }
        (_, Supply::Battery) => return plain(Role::Sleeps, RoleReason::OnABattery),
        _ if !kind.has_radio => {
            return plain(Role::Leaf, RoleReason::NoRadio);
        }
        _ if !kind.forwards => {
            return plain(Role::Leaf, RoleReason::NotByItsMake);
        }
        _ if device.forwards == Some(false) => {
            return plain(Role::Leaf, RoleReason::NotByItsHub);
        }
        _ if device.kind_guessed && device.forwards.is_none() => {
            return plain(Role::Leaf, RoleReason::KindGuessed);
        }
        _ if !fit::supply::forwards_in(kind, site.box_of(point).neutral) => {
            return plain(Role::Leaf, RoleReason::OnlyWithNeutral);
        }
        _ => {}
    }
    let system = site.networks.get(&device.network).map(|n| n.system);
    if let Some(system) = system
        && system.rule().choice == RouteChoice::DirectOnly
    {
        return plain(Role::Leaf, RoleReason::NobodyForwards(system.name()));
    }
    let found = fit::findings(site, kind, point, Some(device));
    if fit::verdict(&found) >= Fits::ElectricianDecides {
        return plain(Role::Leaf, RoleReason::DoesNotFit);
    }
    let is_cut = found.iter().any(|f| matches!(f, FitFinding::KeptCuts { .. }));
    if is_cut || (device.can_be_cut || kind.easily_cut) && !device.stays_on {
        return RoleFinding { role: Role::Leaf, why: RoleReason::CanBeCut, may_go_dark: true };
    }
    let why = match (
        point.has_wired_in(kind) && !point.is_opened(),
        device.can_be_cut || kind.easily_cut,
    ) {
        (true, _) => RoleReason::IfItsBoxIs,
        (_, true) => RoleReason::AgreedToStayOn,
        _ => RoleReason::OnTheMains,
    };
    plain(Role::Forwards, why)
}
