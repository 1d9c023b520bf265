//! What a device asks of its box, its load and the other places of its group.

use std::collections::{BTreeMap, BTreeSet};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a load is to a switch.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
#[expect(missing_docs, reason = "each is what it is called")]
pub enum LoadKind {
    Led,
    Cfl,
    Incandescent,
    Halogen,
    /// Low-voltage lamps behind a wound transformer.
    MagneticLowVoltage,
    /// Low-voltage lamps behind an electronic transformer.
    ElectronicLowVoltage,
    Fan,
    Motor,
    Heater,
    Outlet,
}

impl LoadKind {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 10] = [
        (Self::Led, "LED"),
        (Self::Cfl, "compact fluorescent"),
        (Self::Incandescent, "incandescent"),
        (Self::Halogen, "halogen"),
        (Self::MagneticLowVoltage, "low voltage, wound transformer"),
        (Self::ElectronicLowVoltage, "low voltage, electronic transformer"),
        (Self::Fan, "fan"),
        (Self::Motor, "motor"),
        (Self::Heater, "heater"),
        (Self::Outlet, "outlet"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(kind, _)| *kind == self).map_or("", |(_, name)| name)
    }

    /// What a load of it at a place is called until somebody names it.
    pub fn called_at(self, place: &str) -> String {
        format!("{place} {}", if self.is_lamp() { "lamps" } else { self.name() })
    }

    /// Whether it gives light.
    pub fn is_lamp(self) -> bool {
        !matches!(self, Self::Fan | Self::Motor | Self::Heater | Self::Outlet)
    }
}

/// How a platform reaches a device.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum FittingWay {
    /// Through the hub of its network.
    #[default]
    Hub,
    /// By Matter; over Thread or over Wi-Fi is another question, which its system answers.
    Matter,
    /// By a voice assistant.
    Voice,
    /// By its maker's servers.
    Cloud,
}

impl FittingWay {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Hub, "through the hub"),
        (Self::Matter, "by Matter"),
        (Self::Voice, "by voice"),
        (Self::Cloud, "by its maker's servers"),
    ];

    /// Whether what works by it lives on servers, and ends with the line to the outside.
    pub fn needs_servers(self) -> bool {
        matches!(self, Self::Voice | Self::Cloud)
    }
}

/// What a platform may be asked to do with a device beside switching and dimming it.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Ability {
    /// Takes its key from its relay, so that a press commands something else.
    FreedKey,
    /// Tells one press from two, or from a held one.
    PressCounts,
    /// Ties a controller to its load, so that the two need no hub.
    DirectLinks,
}

impl Ability {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::FreedKey, "frees its key"),
        (Self::PressCounts, "tells its presses apart"),
        (Self::DirectLinks, "ties it to a load"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(of, _)| *of == self).map_or("", |(_, name)| name)
    }
}

/// What a device is at a place of a group where another one switches the load.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Far {
    /// It is none: it switches a load itself.
    #[default]
    No,
    /// A two-terminal electronic companion of its family.
    Electronic,
    /// A plain mechanical switch of three terminals.
    Plain,
    /// A unit set to follow a master of its family by wire.
    Follower,
    /// A battery remote on the plate, by radio.
    Remote,
    /// A unit with a supply of its own that is paired to another by radio.
    Paired,
}

impl Far {
    /// What it is, in words.
    pub fn name(self) -> &'static str {
        match self {
            Self::No => "a unit that switches a load itself",
            Self::Electronic => "a two-terminal electronic companion",
            Self::Plain => "a plain mechanical switch",
            Self::Follower => "a unit set to follow by wire",
            Self::Remote => "a battery remote",
            Self::Paired => "a unit paired by radio",
        }
    }

    /// Whether it works nothing without a unit that switches: a remote works smart lamps as well.
    pub fn needs_master(self) -> bool {
        !matches!(self, Self::No | Self::Remote)
    }

    /// Whether it is joined to the powered unit by the old conductors.
    pub fn is_wired(self) -> bool {
        matches!(self, Self::Electronic | Self::Plain | Self::Follower)
    }
}

/// In which box of a group the powered unit has to be.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Powered {
    /// In either.
    #[default]
    Either,
    /// Where line comes in: it senses the travellers from there.
    Line,
    /// Where the load leaves: it feeds the load and hears the others by wire.
    Load,
}

/// What a device asks for. In a shipped row what is blank asks for nothing; in a row of somebody's own it is not known.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
#[expect(clippy::struct_excessive_bools, reason = "each is a plain yes or no of a data sheet")]
pub struct Fitting {
    /// The family whose companions understand each other; empty where it has none.
    pub family: String,
    /// What it is at a far place.
    pub far: Far,
    /// What it accepts at the far places of its group.
    pub accepts: Vec<Far>,
    /// In which box it has to be.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub powered: Option<Powered>,
    /// Whether it wants a protective earth.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub earth: Option<bool>,
    /// Whether it dims.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub dims: Option<bool>,
    /// Most watts by kind of load; what is not listed is not allowed. Empty for what switches none.
    pub limits: BTreeMap<LoadKind, f64>,
    /// Least watts: below them a bypass capacitor is needed.
    pub least_w: Option<f64>,
    /// What is left of its limits with one side tab broken off, and with both.
    pub derated: Option<[f64; 2]>,
    /// Most amperes at the moment of switching on.
    pub inrush_a: Option<f64>,
    /// How many gangs it fills; nought counts as one.
    #[serde(skip_serializing_if = "is_nought")]
    pub gangs: u8,
    /// How many loads it switches apart; nought counts as one.
    pub channels: u8,
    /// The least inside depth of a box by its maker, in millimetres.
    pub box_mm: Option<f64>,
    /// Whether it may stand outdoors or in the damp without more.
    pub damp: bool,
    /// Whether it is made to stand in the open air, and is planned there at first.
    pub outdoors: bool,
    /// What it costs, in the currency of the firm; nothing while nobody knows.
    pub price: Option<f64>,
    /// How long it lasts, in years.
    pub life_years: Option<f64>,
    /// How platforms reach it; empty while nobody has looked.
    pub platforms: BTreeSet<FittingWay>,
    /// By which ways more than switching and dimming is had of it; what is not listed of a row of one's own nobody has
    /// looked up.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub able_by: BTreeMap<Ability, BTreeSet<FittingWay>>,
    /// The finishes that it comes in; empty where nobody sees it.
    pub finishes: Vec<String>,
    /// Whether it measures what its load takes.
    pub meters: bool,
    /// Whether it gives light itself.
    pub gives_light: bool,
    /// Whether it goes inside a lamp's body.
    pub in_lamp: bool,
    /// Whether it is a shipped row, whose blanks are answers.
    #[serde(skip)]
    pub is_shipped: bool,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_nought(value: &u8) -> bool {
    *value == 0
}

impl Fitting {
    /// Whether it is known to want a protective earth.
    pub fn wants_earth(&self) -> bool {
        self.earth == Some(true)
    }

    /// Whether it is known to dim.
    pub fn is_dimmer(&self) -> bool {
        self.dims == Some(true)
    }

    /// Whether a blank of it stands for something that nobody knows.
    pub(crate) fn is_blank<T>(&self, field: Option<&T>) -> bool {
        !self.is_shipped && field.is_none()
    }

    /// A copy of a shipped row for somebody's own library: what its blanks answer is written out.
    #[must_use]
    pub fn spelled_out(&self) -> Self {
        let all = self.clone();
        if !all.is_shipped {
            return all;
        }
        Self {
            powered: all.powered.or(Some(Powered::Either)),
            earth: all.earth.or(Some(false)),
            dims: all.dims.or(Some(false)),
            least_w: all.least_w.or(Some(0.0)),
            derated: all.derated.or(Some([1.0, 1.0])),
            channels: all.channels.max(1),
            is_shipped: false,
            ..all
        }
    }

    /// Whether a platform that reaches it so has this of it; nothing where nobody has looked. Of a shipped row that lists
    /// nothing it is had where the device is set up, at its hub or with its maker: what passes a device on to others passes
    /// on switching and dimming, *planning value*.
    pub fn is_able(&self, ability: Ability, by: FittingWay) -> Option<bool> {
        match self.able_by.get(&ability) {
            Some(ways) => Some(ways.contains(&by)),
            None if self.is_shipped && !self.platforms.is_empty() => {
                let sets_up = matches!(by, FittingWay::Hub | FittingWay::Cloud);
                Some(sets_up && self.platforms.contains(&by))
            }
            None => None,
        }
    }

    /// Whether it switches a load by wire.
    pub fn switches(&self) -> bool {
        !self.limits.is_empty()
    }
}
