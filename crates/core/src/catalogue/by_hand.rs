//! What a hand can press on a device, what a new one takes by itself, and what a sensor sees.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a new controller works by itself, before anybody said what it is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum JoinTakes {
    /// Nothing.
    Nothing,
    /// Every light of its network in the room that it is put into.
    Room,
    /// The group that was last made at its hub.
    LastGroup,
}

impl JoinTakes {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::Nothing, "nothing"),
        (Self::Room, "every light of its room"),
        (Self::LastGroup, "the last group of its hub"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(takes, _)| *takes == self).map_or("", |(_, name)| name)
    }
}

/// From which side a controller is tied to what it works directly.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TiedFrom {
    /// From the controller: it is held beside the load, and its own gesture ties it.
    Controller,
    /// From the load: that is made to listen, and the controller pressed.
    Load,
    /// At the hub, which writes it into the controller.
    Hub,
}

impl TiedFrom {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::Controller, "from the remote, held beside the load"),
        (Self::Load, "from the load, then a key of the remote"),
        (Self::Hub, "at the hub, with the remote awake"),
    ];
}

/// What a sensor usually tells, each with whether it lasts until something changes it: what lasts is told anew after a
/// restart.
pub const TOLD: [(&str, bool); 8] = [
    ("motion", false),
    ("no motion", false),
    ("open", true),
    ("closed", true),
    ("wet", true),
    ("dry", true),
    ("on", true),
    ("off", true),
];

/// What a hand can do at a device.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct ByHand {
    /// How many keys it has; nothing while nobody wrote it down.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub keys: Option<u8>,
    /// How many presses in a row it tells from one; nothing while nobody wrote it down.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub presses: Option<u8>,
    /// Whether it tells that a key is held; nothing while nobody wrote it down.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub held: Option<bool>,
    /// What a new one works by itself; nothing while nobody wrote it down.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub takes: Option<JoinTakes>,
    /// From which side it is tied to what it works directly; nothing while nobody wrote it down.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tied_from: Option<TiedFrom>,
}

impl ByHand {
    /// What a hand does, from one press on; a press alone has no word.
    pub const PRESSES: [&'static str; 5] =
        ["", "two presses", "three presses", "four presses", "five presses"];
    /// What a hand does that holds a key.
    pub const HOLDS: [&'static str; 2] = ["held", "let go"];

    /// Whether nobody wrote anything down.
    pub fn is_blank(&self) -> bool {
        *self == Self::default()
    }

    /// Whether it is known not to tell this: it has fewer keys, tells fewer presses in a row, or not that a key is held. What a
    /// maker calls otherwise is not known.
    pub fn lacks(&self, key: Option<u8>, gesture: &str) -> bool {
        let gesture = gesture.trim();
        let too_few_keys = self.keys.zip(key).is_some_and(|(has, key)| key > has.max(1));
        let usual = Self::PRESSES.contains(&gesture) || Self::HOLDS.contains(&gesture);
        too_few_keys || (usual && !self.gestures().contains(&gesture))
    }

    /// What a hand can do at each key: all that there is where nobody wrote down what it tells apart.
    pub fn gestures(&self) -> Vec<&'static str> {
        let presses = usize::from(self.presses.unwrap_or(5)).clamp(1, Self::PRESSES.len());
        let holds = if self.held == Some(false) { &[][..] } else { &Self::HOLDS[..] };
        Self::PRESSES[..presses].iter().chain(holds).copied().collect()
    }
}

/// What a sensor sees: a sector from where it stands.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct SensorField {
    /// How far, in metres; nothing while nobody wrote it down.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reach_m: Option<f64>,
    /// How wide, in degrees; 360 for one under a ceiling that sees all around; nothing while nobody wrote it down.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub angle_deg: Option<f64>,
    /// The heaviest pet that it does not take for a person, in kilograms, mounted as its sheet says; nothing while nobody
    /// wrote it down.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pet_kg: Option<f64>,
}
