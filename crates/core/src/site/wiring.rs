//! What is found in a box: its conductors and its earth.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Refusal, Wrong};
use crate::site::kept::{id_text, note};
use crate::speech::{Lengths, spoken};

/// The protective earth in a box.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Earth {
    /// Nobody has looked.
    #[default]
    Unknown,
    /// There is a conductor.
    Conductor,
    /// The metal box itself is earthed.
    EarthedBox,
    /// There is none.
    None,
}

impl Earth {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Unknown, "not looked for"),
        (Self::Conductor, "conductor"),
        (Self::EarthedBox, "earthed metal box"),
        (Self::None, "none"),
    ];
}

/// The size of a conductor.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[expect(missing_docs, reason = "each is its size")]
pub enum Gauge {
    #[serde(rename = "18 AWG")]
    Awg18,
    #[serde(rename = "1 mm²")]
    Mm1,
    #[serde(rename = "16 AWG")]
    Awg16,
    #[serde(rename = "1.5 mm²")]
    Mm1_5,
    #[serde(rename = "14 AWG")]
    Awg14,
    #[serde(rename = "2.5 mm²")]
    Mm2_5,
    #[serde(rename = "12 AWG")]
    Awg12,
    #[serde(rename = "4 mm²")]
    Mm4,
    #[serde(rename = "10 AWG")]
    Awg10,
}

impl Gauge {
    /// Each with its words, from thin to thick.
    pub const ALL: [(Self, &'static str); 9] = [
        (Self::Awg18, "18 AWG"),
        (Self::Mm1, "1 mm²"),
        (Self::Awg16, "16 AWG"),
        (Self::Mm1_5, "1.5 mm²"),
        (Self::Awg14, "14 AWG"),
        (Self::Mm2_5, "2.5 mm²"),
        (Self::Awg12, "12 AWG"),
        (Self::Mm4, "4 mm²"),
        (Self::Awg10, "10 AWG"),
    ];

    /// Each with its words, those that the region buys first.
    pub fn as_bought() -> [(Self, &'static str); 9] {
        let is_theirs =
            |name: &str| name.ends_with("AWG") == (spoken().lengths == Lengths::FeetInches);
        let mut all = Self::ALL;
        all.sort_by_key(|(_, name)| !is_theirs(name));
        all
    }

    /// The room that one takes in a box, in cubic inches: NFPA 70, table 314.16(B)(1); a metric size
    /// counts as the next AWG that is no thinner.
    pub fn room_in3(self) -> f64 {
        match self {
            Self::Awg18 => 1.50,
            Self::Mm1 | Self::Awg16 => 1.75,
            Self::Mm1_5 | Self::Awg14 => 2.00,
            Self::Mm2_5 | Self::Awg12 => 2.25,
            Self::Mm4 | Self::Awg10 => 2.50,
        }
    }
}

/// What stays in a box as it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum StaysKind {
    /// A plain switch.
    Switch,
    /// A socket.
    Socket,
    /// A dimmer without a radio.
    Dimmer,
    /// A timer.
    Timer,
    /// A module of somebody else, behind a mechanism.
    Module,
}

impl StaysKind {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Switch, "plain switch"),
        (Self::Socket, "socket"),
        (Self::Dimmer, "dimmer"),
        (Self::Timer, "timer"),
        (Self::Module, "foreign module"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(of, _)| *of == self).map_or("", |(_, name)| name)
    }

    /// Whether it fills a gang of its own.
    pub fn fills_a_gang(self) -> bool {
        self != Self::Module
    }
}

/// What a switch that stays does for what is planned beside it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum KeptAs {
    /// Nobody said.
    #[default]
    Unsaid,
    /// Nothing: it works something else.
    Beside,
    /// It tells the unit, and carries its signal alone.
    Signal,
    /// It lies before what is planned here: whoever opens it takes its supply away.
    InLine,
}

impl KeptAs {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Unsaid, "not said"),
        (Self::Beside, "works something else"),
        (Self::Signal, "tells the unit"),
        (Self::InLine, "lies before the unit, and cuts it off"),
    ];

    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
    fn is_unsaid(&self) -> bool {
        *self == Self::Unsaid
    }
}

/// Something that was there and stays, or is added beside what is planned: counted for room, joints and the dead test, and not bought.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stays {
    /// Its id, unique in its box.
    pub id: String,
    /// What it is.
    pub what: StaysKind,
    /// In which gang, from the left; nought while nobody said.
    #[serde(default)]
    pub gang: u8,
    /// How deep it is in the box, in millimetres; nothing while nobody knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub depth_mm: Option<f64>,
    /// What is written on it.
    #[serde(default)]
    pub note: String,
    /// What it does for what is planned here, where it is a switch.
    #[serde(default, skip_serializing_if = "KeptAs::is_unsaid")]
    pub kept_as: KeptAs,
    /// What it is rated for, in amperes; nothing while nobody has read it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rated_a: Option<f64>,
    /// Whether it was not there and is added on purpose: it is bought.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_added: bool,
}

impl Stays {
    /// One of which nothing more is known.
    pub fn of(id: String, what: StaysKind) -> Self {
        let (gang, depth_mm, rated_a) = (0, None, None);
        let (note, kept_as, is_added) = (String::new(), KeptAs::Unsaid, false);
        Self { id, what, gang, depth_mm, note, kept_as, rated_a, is_added }
    }
}

/// The most things that stay in a box.
const MOST_STAYING: usize = 12;

pub(super) fn stays(all: &[Stays]) -> Result<(), Refusal> {
    let is = all.len();
    if is > MOST_STAYING {
        return Err(Refusal::wrong("stays", Wrong::Count { is, least: 0, most: MOST_STAYING }));
    }
    for (n, one) in all.iter().enumerate() {
        id_text(&one.id)?;
        note("note", &one.note)?;
        if all[..n].iter().any(|other| other.id == one.id) {
            return Err(Refusal::wrong("stays", Wrong::Twice { id: one.id.clone() }));
        }
        if let Some(mm) = one.depth_mm.filter(|mm| !(1.0..=300.0).contains(mm)) {
            return Err(Refusal::wrong("stays", Wrong::Depth { mm }));
        }
        if let Some(is) = one.rated_a.filter(|a| !(0.1..=125.0).contains(a)) {
            let (low, high, unit) = (0.1, 125.0, "A");
            return Err(Refusal::wrong("rated_a", Wrong::Sheet { is, low, high, unit }));
        }
    }
    Ok(())
}

/// What a conductor was found to be.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Function {
    /// Not found out yet.
    #[default]
    Unknown,
    /// Permanent line.
    Line,
    /// Neutral.
    Neutral,
    /// Protective earth.
    Earth,
    /// Line to the load, switched.
    Switched,
    /// Between two places of one control.
    Traveller,
    /// Joined to nothing.
    Spare,
}

impl Function {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 7] = [
        (Self::Unknown, "not found out"),
        (Self::Line, "line"),
        (Self::Neutral, "neutral"),
        (Self::Earth, "earth"),
        (Self::Switched, "switched line"),
        (Self::Traveller, "traveller"),
        (Self::Spare, "spare"),
    ];
}

/// One conductor in a box, or several alike.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Conductor {
    /// Its id, unique in its box.
    pub id: String,
    /// How many are alike.
    #[serde(default = "one")]
    pub count: u8,
    /// Its size.
    pub size: Gauge,
    /// The colour of its insulation: a hint, never a proof.
    #[serde(default)]
    pub colour: String,
    /// Tape or writing on it.
    #[serde(default)]
    pub marking: String,
    /// The cable or place that it comes from.
    #[serde(default)]
    pub from: String,
    /// The breaker of its circuit as printed; empty where it is that of its box.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub circuit: String,
    /// Of which gang's control it is, from the left, where several share the box: the neutral of its lamp's cable too.
    /// Nought while nobody said, and for a feed of them all.
    #[serde(default, skip_serializing_if = "is_nought")]
    pub gang: u8,
    /// Whether it comes into the box from outside; a pigtail that stays inside takes no room.
    #[serde(default = "yes")]
    pub enters: bool,
    /// What it was found to be.
    #[serde(default)]
    pub found: Function,
    /// The terminal that it was taken from.
    #[serde(default)]
    pub old_terminal: String,
    /// The terminal that it goes to.
    #[serde(default)]
    pub new_terminal: String,
    /// Whether it is capped and insulated by itself.
    #[serde(default)]
    pub capped: bool,
    /// What the tester said of it while lines were looked for.
    #[serde(default, skip_serializing_if = "is_unprobed")]
    pub probe: Probe,
}

/// What a tester said of a conductor that was separated and capped from all others.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Probe {
    /// Whether it was live with the circuit on.
    pub live: Option<bool>,
    /// Whether it was dead again with the circuit off.
    pub dead_after: Option<bool>,
    /// Whether it reads full voltage against the one that is live.
    pub to_line: Option<bool>,
    /// Whether it goes to the load: a reading through it with the load in place.
    pub to_load: Option<bool>,
    /// By whom.
    pub by: String,
    /// When.
    pub at: String,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_nought(value: &u8) -> bool {
    *value == 0
}

fn is_unprobed(probe: &Probe) -> bool {
    *probe == Probe::default()
}

impl Conductor {
    /// One of which only the size is known.
    pub fn new(id: &str, size: Gauge) -> Self {
        Self {
            id: id.to_owned(),
            count: one(),
            size,
            colour: String::new(),
            marking: String::new(),
            from: String::new(),
            circuit: String::new(),
            gang: 0,
            enters: yes(),
            found: Function::Unknown,
            old_terminal: String::new(),
            new_terminal: String::new(),
            capped: false,
            probe: Probe::default(),
        }
    }
}

fn one() -> u8 {
    1
}

fn yes() -> bool {
    true
}

/// The most conductors of a box that are told apart.
const MOST_CONDUCTORS: usize = 60;

pub(super) fn conductors(all: &[Conductor]) -> Result<(), Refusal> {
    let is = all.len();
    if is > MOST_CONDUCTORS {
        let (least, most) = (0, MOST_CONDUCTORS);
        return Err(Refusal::wrong("conductors", Wrong::Count { is, least, most }));
    }
    for (n, one) in all.iter().enumerate() {
        id_text(&one.id)?;
        if all[..n].iter().any(|other| other.id == one.id) {
            let id = one.id.clone();
            return Err(Refusal::wrong("conductors", Wrong::Twice { id }));
        }
        if !(1..=40).contains(&one.count) {
            let is = usize::from(one.count);
            return Err(Refusal::wrong("count", Wrong::Count { is, least: 1, most: 40 }));
        }
        let texts = [
            ("colour", &one.colour),
            ("marking", &one.marking),
            ("from", &one.from),
            ("circuit", &one.circuit),
            ("old_terminal", &one.old_terminal),
            ("new_terminal", &one.new_terminal),
        ];
        texts.into_iter().try_for_each(|(field, text)| note(field, text))?;
    }
    Ok(())
}
