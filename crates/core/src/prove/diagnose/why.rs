//! The causes, each in words and with the test that shows whether it is so.

use std::fmt;

use crate::site::{DeviceId, PointId, WallId};

/// A way in which something could have come about.
#[derive(Clone, Debug, PartialEq)]
pub enum Mechanism {
    /// The radio is in metal, or behind it.
    Metal,
    /// A wall costs more than it is drawn.
    Wall(WallId, String),
    /// It is not where it is drawn, but at this point.
    Place(PointId, String),
    /// Its readings are those of another.
    Swapped(DeviceId, String),
    /// A reading of it is wrong.
    Reading,
    /// It sends weaker, or hears worse, than its sheet says.
    OneWay,
    /// It was joined elsewhere and kept the parent that it took there.
    JoinedElsewhere(String),
    /// Its planned parent was not there when it joined, or does not carry others.
    ParentMissing(String),
    /// Its parent is about as good as the planned one.
    AsGood(String),
    /// The planned link is weaker in truth.
    Weaker(String),
    /// An entry of a device that was taken out without being excluded.
    Ghost,
    /// It was never joined to this network.
    NotJoined,
    /// Somebody cut its supply at the wall or at the lamp.
    Cut,
    /// Its button is painted in or jammed.
    Painted,
    /// What carries it is dead or off.
    ParentDead(String),
    /// The hub was moved.
    HubMoved,
    /// It is broken, or was reset by a long press.
    Dead,
    /// Others on the air.
    OnTheAir,
    /// Nothing: chance alone.
    Chance,
}

impl Mechanism {
    /// Its word.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Metal => "metal",
            Self::Wall(..) => "wall",
            Self::Place(..) => "place",
            Self::Swapped(..) => "swapped",
            Self::Reading => "reading",
            Self::OneWay => "one-way",
            Self::JoinedElsewhere(_) => "joined-elsewhere",
            Self::ParentMissing(_) => "parent-missing",
            Self::AsGood(_) => "as-good",
            Self::Weaker(_) => "weaker",
            Self::Ghost => "ghost",
            Self::NotJoined => "not-joined",
            Self::Cut => "cut",
            Self::Painted => "painted",
            Self::ParentDead(_) => "parent-dead",
            Self::HubMoved => "hub-moved",
            Self::Dead => "dead",
            Self::OnTheAir => "on-the-air",
            Self::Chance => "chance",
        }
    }

    /// What is done about it at the device, after which readings of before say nothing; nothing where that
    /// is no matter of the device alone.
    pub fn done(&self) -> Option<&'static str> {
        matches!(self, Self::Metal).then_some("taken out of metal")
    }

    /// How to find out whether it is so.
    pub fn test(&self) -> String {
        match self {
            Self::Metal => {
                "Look behind the plate: metal box, metal plate, mirror, foil? Hold the device \
                            a hand's width out and read again."
                    .to_owned()
            }
            Self::Wall(_, name) => format!(
                "Read another device through the same {name}: it must be weaker too. Knock, or look at a \
                 socket hole, for what it is made of."
            ),
            Self::Place(_, name) => format!("Make it show itself: does the one at {name} blink?"),
            Self::Swapped(_, name) => format!("Make {name} show itself: does the right one blink?"),
            Self::Reading => "Take the reading once more.".to_owned(),
            Self::OneWay => "Read both directions at one metre, beside one of its kind.".to_owned(),
            Self::JoinedElsewhere(_) => {
                "Ask who joined it and where; re-join it in place.".to_owned()
            }
            Self::ParentMissing(name) => {
                format!("Does {name} answer, and does the hub list it as one that forwards?")
            }
            Self::AsGood(_) => "Nothing to test: either way serves.".to_owned(),
            Self::Weaker(name) => format!("Read the link to {name}."),
            Self::Ghost => {
                "Ask the hub to ping it: a ghost never answers. What was replaced here?".to_owned()
            }
            Self::NotJoined => "Is it in the list of another network, or in none?".to_owned(),
            Self::Cut => {
                "Is there light at it? Look at the wall switch, the plug, the breaker.".to_owned()
            }
            Self::Painted => {
                "Press it: does it click? Ping it from the hub: if it answers, the button is stuck."
                    .to_owned()
            }
            Self::ParentDead(name) => format!("Ping {name}."),
            Self::HubMoved => "Compare where the hub stands with the plan.".to_owned(),
            Self::Dead => "Battery, supply, then its light: does it ask to be joined?".to_owned(),
            Self::OnTheAir => "Test again with the Wi-Fi quiet, or on another channel.".to_owned(),
            Self::Chance => "Take two more readings.".to_owned(),
        }
    }
}

impl fmt::Display for Mechanism {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Metal => write!(f, "in metal, or behind it"),
            Self::Wall(_, name) => write!(f, "the {name} is heavier than drawn"),
            Self::Place(_, name) => write!(f, "it is at {name}, not where it is drawn"),
            Self::Swapped(_, name) => write!(f, "its entry and that of {name} are swapped"),
            Self::Reading => write!(f, "a reading of it is wrong"),
            Self::OneWay => write!(f, "it sends weaker, or hears worse, than its sheet says"),
            Self::JoinedElsewhere(name) => {
                write!(f, "joined elsewhere, it kept {name} as its parent")
            }
            Self::ParentMissing(name) => write!(f, "{name} did not carry others when it joined"),
            Self::AsGood(name) => write!(f, "{name} serves it about as well"),
            Self::Weaker(name) => write!(f, "the link to {name} is weaker than planned"),
            Self::Ghost => {
                write!(f, "an entry of something that was taken out without being excluded")
            }
            Self::NotJoined => write!(f, "it was not joined to this network"),
            Self::Cut => write!(f, "its supply is cut at the wall or at the lamp"),
            Self::Painted => write!(f, "its button is painted in or jammed"),
            Self::ParentDead(name) => write!(f, "{name}, which carries it, is dead or off"),
            Self::HubMoved => write!(f, "the hub was moved"),
            Self::Dead => write!(f, "it is broken, its battery is empty, or a long press reset it"),
            Self::OnTheAir => write!(f, "other radios are on the air"),
            Self::Chance => write!(f, "chance alone"),
        }
    }
}
