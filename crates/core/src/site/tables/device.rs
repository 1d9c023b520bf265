//! Devices, each at a point and of a network.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{NetworkId, PointId};
pub use crate::catalogue::ThingClass;

use crate::moment::Moment;
use crate::radio::profile::DataSheet;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, name, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A device. */ DeviceId);

/// The class of security that a Z-Wave device was included with.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum Security {
    /// Nobody said.
    #[default]
    Unsaid,
    /// None.
    None,
    /// The old class.
    S0,
    /// The newer class.
    S2,
}

impl Security {
    /// Each with its word.
    pub const ALL: [(Self, &'static str); 4] =
        [(Self::Unsaid, "not said"), (Self::None, "none"), (Self::S0, "S0"), (Self::S2, "S2")];

    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
    pub(crate) fn is_unsaid(&self) -> bool {
        *self == Self::Unsaid
    }
}

/// Whether a device is in the house before the job begins.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum AlreadyThere {
    /// It is bought and put in.
    #[default]
    No,
    /// It is there, works and is paid: it counts in reach, box and isolation, and is neither bought nor joined.
    Yes,
    /// As that, and its range is tested on the day.
    Tested,
}

impl AlreadyThere {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::No, "no, it is put in"),
        (Self::Yes, "yes, it stays as it is"),
        (Self::Tested, "yes, and its range is tested"),
    ];

    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
    fn is_no(&self) -> bool {
        *self == Self::No
    }
}

/// What came of a trial.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TrialVerdict {
    /// It is lived with.
    #[default]
    Open,
    /// It is kept, and the others are bought.
    Kept,
    /// It is not kept.
    NotKept,
}

impl TrialVerdict {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::Open, "not judged yet"),
        (Self::Kept, "kept: the others are bought"),
        (Self::NotKept, "not kept"),
    ];
}

/// One device that is bought and lived with before the others of its kind are.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Trial {
    /// Until when.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub until: Option<Moment>,
    /// What came of it.
    pub judged: TrialVerdict,
    /// Who judged, and why.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub why: String,
}

/// By what something on a battery is fixed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum FixedBy {
    /// Nobody said.
    #[default]
    Unsaid,
    /// A bracket, out of which it is taken in the hand.
    Bracket,
    /// Adhesive.
    Adhesive,
    /// Screws.
    Screws,
    /// Nothing: it lies about.
    Nothing,
}

impl FixedBy {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Unsaid, "not said"),
        (Self::Bracket, "a bracket"),
        (Self::Adhesive, "adhesive"),
        (Self::Screws, "screws"),
        (Self::Nothing, "nothing, it lies about"),
    ];

    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
    fn is_unsaid(&self) -> bool {
        *self == Self::Unsaid
    }
}

/// More places than anybody carries a thing to; each is a reach of its own.
const MOST_PLACES: usize = 12;

/// A device at a point.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[expect(clippy::struct_excessive_bools, reason = "each is a plain yes or no of a device")]
pub struct Device {
    /// Its id.
    pub id: DeviceId,
    /// Its name: place and load.
    pub name: String,
    /// Where it is.
    pub point: PointId,
    /// The id of its row in the catalogue.
    pub kind: String,
    /// The network it belongs to.
    pub network: NetworkId,
    /// Whether someone can cut its supply: a lamp at the wall, a plug that is pulled.
    #[serde(default)]
    pub can_be_cut: bool,
    /// Whether it is agreed that nobody does: its supply stays on, and others may hang on it.
    #[serde(default, skip_serializing_if = "is_no")]
    pub stays_on: bool,
    /// Whether it must have two ways round: a siren, the light of a stair.
    #[serde(default, skip_serializing_if = "is_no")]
    pub critical: bool,
    /// How often a day it is used, where that is not what its row says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub events_a_day: Option<f64>,
    /// The security class it was included with, where its system has classes.
    #[serde(default, skip_serializing_if = "Security::is_unsaid")]
    pub security: Security,
    /// What its data sheet says in place of the planning profile.
    #[serde(default, skip_serializing_if = "DataSheet::is_empty")]
    pub sheet: DataSheet,
    /// Why it was chosen, where another was advised.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub why: String,
    /// The entry in the hub's list that it takes the place of; empty where it replaces none.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub replaces: String,
    /// Whether that is dead: it hears no exclusion, and is removed as failed.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub replaces_dead: bool,
    /// Whether it is in the house before the job begins.
    #[serde(default, skip_serializing_if = "AlreadyThere::is_no")]
    pub already_there: AlreadyThere,
    /// Where it is tried before the others of its kind are bought.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trial: Option<Trial>,
    /// What it is to the platforms, where that is not what it works.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub class: Option<ThingClass>,
    /// Further places where it stands or is carried to: it has to be in reach from each.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub also_at: Vec<PointId>,
    /// What its network calls it, where its joining is not on record.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub number: Option<u32>,
    /// Whether it forwards, as its hub tells; nothing where nobody told.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub forwards: Option<bool>,
    /// Whether what it is was guessed by the words of a hub's list, and nobody has confirmed it.
    #[serde(default, skip_serializing_if = "is_no")]
    pub kind_guessed: bool,
    /// Which way it looks, where it is a sensor that sees: in degrees from the top of the sheet, clockwise; nothing while nobody
    /// said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub facing_deg: Option<f64>,
    /// By what it is fixed, where it is a remote or a sensor on a battery.
    #[serde(default, skip_serializing_if = "FixedBy::is_unsaid")]
    pub fixed: FixedBy,
    /// Since when it is in its place, where that is not on record.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<Moment>,
}

impl Device {
    /// A device of which nothing more is known than what it is and where.
    pub fn new(id: DeviceId, name: &str, point: PointId, kind: &str, network: NetworkId) -> Self {
        Self {
            id,
            name: name.to_owned(),
            point,
            kind: kind.to_owned(),
            network,
            can_be_cut: false,
            stays_on: false,
            critical: false,
            events_a_day: None,
            security: Security::Unsaid,
            sheet: DataSheet::default(),
            why: String::new(),
            replaces: String::new(),
            replaces_dead: false,
            already_there: AlreadyThere::No,
            trial: None,
            class: None,
            also_at: Vec::new(),
            number: None,
            forwards: None,
            kind_guessed: false,
            facing_deg: None,
            fixed: FixedBy::Unsaid,
            since: None,
        }
    }

    /// Whether it is in the house before the job begins.
    pub fn is_there(&self) -> bool {
        self.already_there != AlreadyThere::No
    }
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_no(value: &bool) -> bool {
    !value
}

kept_by_id!(Device, DeviceId);
impl Kept for Device {
    const MOST: Most =
        Most { count: 2500, why: "links grow with the square: three million of them are 175 MB" };
    const SETS: &'static [&'static str] = &["also_at"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("point", Kind::Point, &self.point, Bond::GoesAlong));
        visit(Tie::new("network", Kind::Network, &self.network, Bond::Blocks));
        for point in &self.also_at {
            visit(Tie::new("also_at", Kind::Point, point, Bond::Blocks));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("why", &self.why)?;
        note("replaces", &self.replaces)?;
        let is = self.also_at.len();
        if is > MOST_PLACES {
            let most = MOST_PLACES;
            return Err(Refusal::wrong("also_at", Wrong::Count { is, least: 0, most }));
        }
        note("trial", self.trial.as_ref().map_or("", |t| &t.why))?;
        if let Some((field, is, low, high, unit)) = self.sheet.wrong_value() {
            return Err(Refusal::wrong(field, Wrong::Sheet { is, low, high, unit }));
        }
        if let Some(is) = self.facing_deg.filter(|v| !(0.0..=360.0).contains(v)) {
            let (low, high, unit) = (0.0, 360.0, "°");
            return Err(Refusal::wrong("facing_deg", Wrong::Sheet { is, low, high, unit }));
        }
        if let Some(is) = self.events_a_day.filter(|v| !(0.0..=100_000.0).contains(v)) {
            let (low, high, unit) = (0.0, 100_000.0, "a day");
            return Err(Refusal::wrong("events_a_day", Wrong::Sheet { is, low, high, unit }));
        }
        Ok(())
    }
}
