//! The verdict on each device: reached or not, how, how well, and why.

use std::fmt;

use super::role::RoleReason;
use crate::site::DeviceId;
use crate::units::{Db, count_of};

/// How good a margin is against the target.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Band {
    /// Below zero: not reached.
    Out,
    /// Reached, with less margin than the wanted confidence needs.
    Thin,
    /// At target.
    Sound,
    /// 10 dB or more above target.
    Solid,
}

/// What makes ground or a link solid: so much above target.
pub const SOLID_ABOVE: Db = Db::new(10.0);

impl Band {
    /// *out* < 0 ≤ *thin* < target ≤ *sound* < target + 10 ≤ *solid*.
    pub fn of(margin: Db, target: Db) -> Self {
        if margin < Db::ZERO {
            Self::Out
        } else if margin < target {
            Self::Thin
        } else if margin < target + SOLID_ABOVE {
            Self::Sound
        } else {
            Self::Solid
        }
    }
    /// Its name in files.
    pub fn name(self) -> &'static str {
        match self {
            Self::Out => "out",
            Self::Thin => "thin",
            Self::Sound => "sound",
            Self::Solid => "solid",
        }
    }

    /// The grade of a name in a file as a page says it; what is no band, as it is.
    pub fn grade_of(name: &str) -> &str {
        let all = [Self::Out, Self::Thin, Self::Sound, Self::Solid];
        match all.into_iter().find(|band| band.name() == name) {
            Some(band) => band.grade(),
            None => name,
        }
    }

    /// The grade as a page says it.
    pub fn grade(self) -> &'static str {
        match self {
            Self::Out => "not reached",
            Self::Thin => "weak",
            Self::Sound => "good",
            Self::Solid => "strong",
        }
    }

    /// What the grade means, for where it stands first.
    pub fn means(self) -> &'static str {
        match self {
            Self::Out => "not reached: no margin is left",
            Self::Thin => "weak: below target",
            Self::Sound => "good: meets its target",
            Self::Solid => "strong: 10 dB or more above its target",
        }
    }
}

/// One hop of a route.
#[derive(Clone, Debug, PartialEq)]
pub struct Hop {
    /// The end nearer to the hub.
    pub from: DeviceId,
    /// The other end.
    pub to: DeviceId,
    /// Margin away from the hub.
    pub margin_out: Db,
    /// Margin towards the hub.
    pub margin_back: Db,
    /// The margin that the wanted confidence needs on this hop.
    pub target: Db,
    /// The deviation of its margins: what it may be off by, either way.
    pub sigma: Db,
}

impl Hop {
    /// The worse direction.
    pub fn margin(&self) -> Db {
        self.margin_out.min(self.margin_back)
    }
}

/// The verdict on one device.
#[derive(Clone, Debug, PartialEq)]
pub struct Outcome {
    /// The device.
    pub device: DeviceId,
    /// Its band.
    pub band: Band,
    /// The hub that it belongs to.
    pub hub: Option<DeviceId>,
    /// The route from the hub that the verdict rests on; empty when it is not reached or is the hub.
    pub hops: Vec<Hop>,
    /// The route that its network takes first by its own rule, where that is another.
    pub first: Vec<Hop>,
    /// The chance that a message arrives over the whole route, with tries.
    pub success: f64,
    /// Expected transmissions over the route.
    pub tries: f64,
    /// Expected transmissions over its own hop alone: those that its battery pays for.
    pub own_tries: f64,
    /// Expected time over the route in milliseconds.
    pub delay_ms: f64,
    /// How many radios that carry others it hears at target or better.
    pub parents: usize,
    /// Devices without any one of which it is lost.
    pub hangs_on: Vec<DeviceId>,
    /// Breakers of which any one, switched off, cuts it off though it has power itself.
    pub hangs_on_breakers: Vec<String>,
    /// Where it is not reached, the radio of the link that the reason speaks of.
    pub best_link: Option<DeviceId>,
    /// Why the verdict is what it is.
    pub reason: Reason,
}

impl Outcome {
    /// The weakest hop of the route, against what each needs.
    pub fn weakest(&self) -> Option<&Hop> {
        let spare = |h: &Hop| h.margin() - h.target;
        self.hops.iter().min_by(|a, b| spare(a).total_cmp(&spare(b)))
    }
    /// The order in which outcomes want looking at: the worst band first, then the weakest hop.
    pub fn worst_first(&self, other: &Self) -> std::cmp::Ordering {
        let weakest = |o: &Self| o.weakest().map_or(f64::INFINITY, |hop| hop.margin().get());
        self.band.cmp(&other.band).then(weakest(self).total_cmp(&weakest(other)))
    }
    /// Repeaters on the route: one fewer than hops.
    pub fn repeaters(&self) -> usize {
        self.hops.len().saturating_sub(1)
    }
}

fn repeaters(count: usize) -> String {
    count_of(count, "repeater", "repeaters")
}

/// The way that a network takes first, and the one that carries better when that fails.
#[derive(Clone, Debug, PartialEq)]
pub struct FallBack {
    /// Through whom it goes first.
    pub by: String,
    /// The weakest margin of that way.
    pub has: Db,
    /// What the wanted confidence needs there.
    pub wants: Db,
    /// Through whom it goes then.
    pub way: String,
    /// The weakest margin of this way.
    pub weakest: Db,
    /// What the wanted confidence needs there.
    pub target: Db,
    /// How much longer a message takes then, in milliseconds.
    pub slower_ms: f64,
}

/// Why a device has its verdict. Its text is a sentence for the person who plans.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Reason {
    /// It is the hub.
    IsHub,
    /// It is the relay from which a mesh without a hub is judged.
    SeenFrom,
    /// A mesh without a hub has nothing that relays.
    NoRelay,
    /// The network has no hub.
    NoHub,
    /// It is switched off in this what-if.
    Down,
    /// Its system has no frequencies here.
    NoAllotment {
        /// The system.
        system: &'static str,
        /// The region.
        region: &'static str,
    },
    /// Reached at target or better.
    Reached {
        /// The weakest margin.
        weakest: Db,
        /// What the wanted confidence needs.
        target: Db,
    },
    /// Reached, but below target.
    Thin {
        /// The weakest margin.
        weakest: Db,
        /// What the wanted confidence needs.
        target: Db,
        /// The ends of the weakest hop, by name.
        hop: (String, String),
        /// The costliest thing on that hop and its loss.
        costliest: Option<(String, Db)>,
    },
    /// Reached best by another way than its network takes first.
    FallsBack(Box<FallBack>),
    /// Nothing near enough carries it.
    TooFar {
        /// The best sender or hearer, by name.
        nearest: String,
        /// The margin of that link.
        margin: Db,
        /// The least margin with which the system uses a link.
        least: Db,
        /// What stands in its way, costliest first.
        obstacles: Vec<(String, Db)>,
        /// Whether only the way back to the hub fails.
        only_back: bool,
        /// A radio nearby that forwards in another network, and that network.
        stranger: Option<(String, String)>,
    },
    /// It could be reached with more hops than the system allows.
    HopLimit {
        /// Hops it would need.
        hops: usize,
        /// Hops allowed.
        allowed: usize,
        /// The system.
        system: &'static str,
    },
    /// It could be reached by a route that costs more than the system allows.
    RouteCost {
        /// What its best route would cost.
        cost: u32,
        /// What a route may cost.
        allowed: u32,
        /// The system.
        system: &'static str,
    },
    /// Who could take it is full.
    Capacity {
        /// The parent or hub, by name.
        at: String,
        /// How many it takes.
        most: usize,
        /// Of what.
        what: &'static str,
        /// Whether another router would take more.
        routers_help: bool,
    },
    /// Only something that can be switched off, or does not fit, would carry it.
    OnlyThroughUnsure {
        /// Its name.
        through: String,
        /// Why it is not built upon.
        why: RoleReason,
    },
}

impl fmt::Display for Reason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::IsHub => write!(f, "It is the hub."),
            Self::SeenFrom => write!(
                f,
                "This mesh needs no hub: the others are judged by their way from here, the relay that \
                 reaches most."
            ),
            Self::NoRelay => write!(
                f,
                "This mesh has no hub and nothing that relays: only what hears a switch itself obeys it."
            ),
            Self::NoHub => write!(f, "Its network has no hub yet: place one."),
            Self::NoAllotment { system, region } => {
                write!(f, "{system} has no frequencies here ({region}): it may not be used.")
            }
            Self::Down => write!(f, "It is switched off in this what-if."),
            Self::Reached { weakest, target } => {
                write!(f, "Every hop has {weakest} or more; the wanted confidence needs {target}.")
            }
            Self::Thin { weakest, target, hop: (from, to), costliest } => {
                write!(f, "The hop {from} to {to} has {weakest} of the {target} wanted")?;
                match costliest {
                    Some((what, loss)) => write!(f, "; {what} costs most, {loss}."),
                    None => write!(f, "; distance alone costs that."),
                }
            }
            Self::FallsBack(back) => {
                let FallBack { by, has, wants, way, weakest, target, slower_ms } = &**back;
                write!(
                    f,
                    "It goes {by} first, with {has} ({wants} wanted); when that fails, {way}: "
                )?;
                write!(f, "every hop has {weakest} or more ({target} wanted)")?;
                match slower_ms.round() {
                    0.0 => write!(f, "."),
                    more if more > 0.0 => write!(f, ", {more:.0} ms slower."),
                    less => write!(f, ", {:.0} ms quicker.", -less),
                }
            }
            Self::TooFar { nearest, margin, least, obstacles, only_back, stranger } => {
                let way = if *only_back { "cannot answer" } else { "is too far from" };
                write!(f, "It {way} {nearest}, the best it has: {margin}")?;
                if *least > Db::ZERO {
                    write!(f, " of the {least} that its system asks of a link")?;
                }
                let tell = |f: &mut fmt::Formatter<'_>| match stranger {
                    Some((name, of)) => {
                        write!(f, " {name} is near, but it belongs to {of} and never helps here.")
                    }
                    None => Ok(()),
                };
                if obstacles.is_empty() {
                    write!(f, ", by distance alone.")?;
                    return tell(f);
                }
                let list: Vec<_> =
                    obstacles.iter().take(3).map(|(what, loss)| format!("{what} {loss}")).collect();
                write!(f, "; in the way: {}.", list.join(", "))?;
                tell(f)
            }
            Self::HopLimit { hops, allowed, system } => write!(
                f,
                "It would need {hops} hops ({}); {system} allows {allowed} ({}).",
                repeaters(hops - 1),
                repeaters(allowed - 1)
            ),
            Self::RouteCost { cost, allowed, system } => write!(
                f,
                "Its best route would cost {cost}; {system} allows {allowed}. Stronger hops cost less: \
                 move the hub nearer, or put a router between where the margin is over 10 dB."
            ),
            Self::Capacity { at, most, what, routers_help } => {
                let cure = if *routers_help {
                    "a second hub or another router near here"
                } else {
                    "a second hub"
                };
                write!(f, "{at} is full: it takes {most} {what}. Use {cure}.")
            }
            Self::OnlyThroughUnsure { through, why } => {
                write!(f, "Only {through} would carry it, and {why}.")
            }
        }
    }
}
