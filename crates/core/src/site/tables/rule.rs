//! Rules: what sets one off, what must hold then, what it does, and where it runs. What a key does, a scene and a schedule
//! are rules of a usual shape.

use std::collections::BTreeSet;
use std::fmt;
use std::str::FromStr;

use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::{Deserialize, Serialize};

use super::{DeviceId, GroupId, RoomId};
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A rule. */ RuleId);

/// Where a rule runs.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum RunsIn {
    /// The controller is bound to the load itself.
    Direct,
    /// In the hub.
    #[default]
    Hub,
    /// In a device by itself: the off delay of a sensor, the timer of a switch.
    Device,
    /// In a phone.
    Phone,
    /// At the servers of a maker.
    Server,
    /// In a voice service.
    Voice,
}

impl RunsIn {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 6] = [
        (Self::Direct, "directly"),
        (Self::Hub, "by the hub"),
        (Self::Device, "in the device itself"),
        (Self::Phone, "in a phone"),
        (Self::Server, "at a maker’s servers"),
        (Self::Voice, "in a voice service"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(runs, _)| *runs == self).map_or("", |(_, name)| name)
    }
}

/// What the sun does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum SunEvent {
    /// Civil dawn: it stands six degrees below the horizon and rises.
    Dawn,
    /// Its upper edge comes over the horizon.
    Sunrise,
    /// Its upper edge goes under the horizon.
    Sunset,
    /// Civil dusk: it stands six degrees below the horizon and sinks.
    Dusk,
}

impl SunEvent {
    /// Each with its word.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Dawn, "dawn"),
        (Self::Sunrise, "sunrise"),
        (Self::Sunset, "sunset"),
        (Self::Dusk, "dusk"),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(event, _)| *event == self).map_or("", |(_, word)| word)
    }
}

/// A time of a day: by the clock of the house, `22:30`, or so many minutes from what the sun does, `sunset-15`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub enum DayTime {
    /// Minutes since midnight by the clock of the house.
    Clock(u16),
    /// Minutes after, or before where they are negative.
    Sun(SunEvent, i16),
}

/// A text that is no time of a day.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is no time of day; write it as 22:30, sunset or sunset-15")]
pub struct NoDayTime(String);

impl DayTime {
    /// The farthest from what the sun does that a time may be, in minutes.
    pub const FARTHEST_MIN: i16 = 360;
}

impl FromStr for DayTime {
    type Err = NoDayTime;

    fn from_str(text: &str) -> Result<Self, NoDayTime> {
        let none = || NoDayTime(text.chars().take(40).collect());
        let plain: String = text.chars().filter(|c| !c.is_whitespace()).collect();
        let plain = plain.to_lowercase().replace('−', "-");
        // As Americans write it.
        let half = [("am", 0), ("pm", 12)].into_iter().find(|(word, _)| plain.ends_with(word));
        if let Some((word, add)) = half {
            let (hour, minute) =
                plain[..plain.len() - word.len()].split_once(':').ok_or_else(none)?;
            let hour = hour.parse::<u16>().ok().filter(|hour| (1..=12).contains(hour));
            let hour = hour.ok_or_else(none)? % 12 + add;
            return format!("{hour}:{minute}").parse().map_err(|_| none());
        }
        if let Some((hour, minute)) = plain.split_once(':') {
            let digits = |t: &str, most: u16| {
                let is = (1..=2).contains(&t.len()) && t.bytes().all(|b| b.is_ascii_digit());
                t.parse::<u16>().ok().filter(|n| is && *n < most)
            };
            let time = digits(hour, 24).zip(digits(minute, 60).filter(|_| minute.len() == 2));
            return time.map(|(h, m)| Self::Clock(h * 60 + m)).ok_or_else(none);
        }
        let found = SunEvent::ALL.iter().find(|(_, word)| plain.starts_with(word));
        let (event, word) = found.ok_or_else(none)?;
        let rest = &plain[word.len()..];
        let is_signed = rest.is_empty() || rest.starts_with(['+', '-']);
        let offset = if rest.is_empty() { Some(0) } else { rest.parse::<i16>().ok() };
        let near = offset.filter(|o| is_signed && o.abs() <= Self::FARTHEST_MIN);
        near.map(|offset| Self::Sun(*event, offset)).ok_or_else(none)
    }
}

impl TryFrom<String> for DayTime {
    type Error = NoDayTime;
    fn try_from(text: String) -> Result<Self, NoDayTime> {
        text.parse()
    }
}

impl From<DayTime> for String {
    fn from(time: DayTime) -> Self {
        time.to_string()
    }
}

impl fmt::Display for DayTime {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Clock(minutes) => write!(f, "{:02}:{:02}", minutes / 60, minutes % 60),
            Self::Sun(event, 0) => f.write_str(event.word()),
            Self::Sun(event, offset) => write!(f, "{}{offset:+}", event.word()),
        }
    }
}

impl JsonSchema for DayTime {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "DayTime".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        schemars::json_schema!({
            "type": "string",
            "description": "22:30 by the clock of the house, or sunset, sunset-15, dusk+10, sunrise, dawn."
        })
    }
}

/// A day of the week.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "each is what it is called")]
pub enum Weekday {
    Mon,
    Tue,
    Wed,
    Thu,
    Fri,
    Sat,
    Sun,
}

impl Weekday {
    /// From Monday on.
    pub const ALL: [Self; 7] =
        [Self::Mon, Self::Tue, Self::Wed, Self::Thu, Self::Fri, Self::Sat, Self::Sun];
}

/// What a rule of certain days does on a holiday of the house.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum OnHolidays {
    /// As on any other day.
    #[default]
    AsAnyDay,
    /// As on a Sunday.
    AsSunday,
    /// It rests.
    Never,
    /// It runs on holidays alone, whatever day of the week they are.
    Only,
}

/// What sets a rule off.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "on", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Trigger {
    /// Its name: it is a scene, called by a key, a phrase, a phone or another rule.
    #[default]
    Called,
    /// A hand on a switch or remote.
    Press {
        /// Which.
        controller: DeviceId,
        /// Which of its keys or channels, counted as its maker does; nothing where it has one, or nobody said.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        key: Option<u8>,
        /// What the hand does there: two presses, held, turned left; empty for a press.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        gesture: String,
    },
    /// A time of the day.
    Time {
        /// Which.
        at: DayTime,
    },
    /// What a sensor or a device tells.
    State {
        /// Which.
        device: DeviceId,
        /// What: motion, no motion, open, closed, wet, on, off.
        is: String,
        /// For how many minutes it must have told so.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        for_min: Option<f64>,
    },
    /// A phrase that is spoken.
    Says {
        /// The words, as the household says them.
        phrase: String,
    },
    /// A message: smoke, water, somebody at the door.
    Alert {
        /// Of what.
        of: String,
    },
}

/// What must hold when a rule is set off.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "only", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Condition {
    /// It is one of these days.
    Days {
        /// The days of the week; empty for all.
        #[serde(default)]
        of: BTreeSet<Weekday>,
        /// What of the house's holidays.
        #[serde(default)]
        holidays: OnHolidays,
    },
    /// It is between two times of the day; over midnight where the second is the earlier.
    Between {
        /// From then on,
        from: DayTime,
        /// until just before then.
        to: DayTime,
    },
    /// A sensor tells less light than this.
    Darker {
        /// In lux.
        lux: f64,
    },
    /// A device is on, or is off.
    Is {
        /// Which.
        device: DeviceId,
        /// Whether it is on.
        on: bool,
    },
    /// Somebody is at home, or nobody is.
    Home {
        /// Whether somebody is.
        somebody: bool,
    },
}

/// What is acted on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Target {
    /// One device.
    Device(DeviceId),
    /// Everything in a room that can be switched, as systems take it: a fan too.
    Room(RoomId),
    /// The places that work the same loads.
    Group(GroupId),
    /// A scene.
    Scene(RuleId),
    /// Everything in the house that can be switched, but for these.
    AllBut(BTreeSet<DeviceId>),
}

/// What is done with it.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum TurnsTo {
    /// The other of on and off.
    #[default]
    Toggle,
    /// On, or at its level.
    On,
    /// Off.
    Off,
    /// Brighter or darker as long as the key is held.
    Dim,
}

impl TurnsTo {
    /// Each with its word.
    pub const ALL: [(Self, &'static str); 4] =
        [(Self::Toggle, "toggle"), (Self::On, "on"), (Self::Off, "off"), (Self::Dim, "dim")];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(verb, _)| *verb == self).map_or("", |(_, word)| word)
    }
}

/// One thing that a rule does.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Action {
    /// On what it acts.
    pub what: Target,
    /// What it does with it.
    #[serde(default)]
    pub to: TurnsTo,
    /// At which level, in hundredths; nothing for its last, or where it cannot be dimmed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub level: Option<u8>,
    /// Of which white, in kelvin; nothing where it is left as it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kelvin: Option<u16>,
    /// Within how many seconds; nothing for at once.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub over_s: Option<f64>,
}

impl Action {
    /// One that does this to a device.
    pub const fn of(device: DeviceId, to: TurnsTo) -> Self {
        Self { what: Target::Device(device), to, level: None, kelvin: None, over_s: None }
    }
}

/// A rule.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(from = "WrittenRule")]
pub struct Rule {
    /// Its id.
    pub id: RuleId,
    /// What the household calls it: the name of a scene; empty where it has none.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// What sets it off.
    pub when: Trigger,
    /// What must hold then, all of it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub only: Vec<Condition>,
    /// What it does, in order.
    pub does: Vec<Action>,
    /// Where it runs.
    pub runs: RunsIn,
    /// After how many minutes it switches off again what it switched on; nothing where it does not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub off_after_min: Option<f64>,
    /// Free words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

/// A rule as it may be written: as it is, or as what a key does was written before there were others.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct WrittenRule {
    id: RuleId,
    #[serde(default)]
    name: String,
    #[serde(default)]
    when: Trigger,
    #[serde(default)]
    only: Vec<Condition>,
    #[serde(default)]
    does: Vec<Action>,
    #[serde(default)]
    runs: RunsIn,
    #[serde(default)]
    off_after_min: Option<f64>,
    #[serde(default)]
    note: String,
    /// Once: the switch, remote or sensor,
    #[serde(default)]
    controller: Option<DeviceId>,
    /// what it works,
    #[serde(default)]
    load: Option<DeviceId>,
    /// whether directly,
    #[serde(default)]
    path: Option<RunsIn>,
    /// which of its keys,
    #[serde(default)]
    key: Option<u8>,
    /// and what a hand does there.
    #[serde(default)]
    gesture: Option<String>,
}

impl From<WrittenRule> for Rule {
    fn from(written: WrittenRule) -> Self {
        let mut when = written.when;
        if let Some(of) = written.controller {
            let (key, gesture) = match when {
                Trigger::Press { key, gesture, .. } => (key, gesture),
                _ => (None, String::new()),
            };
            when = Trigger::Press { controller: of, key, gesture };
        }
        if let Trigger::Press { key, gesture, .. } = &mut when {
            *key = written.key.or(*key);
            *gesture = written.gesture.unwrap_or_else(|| std::mem::take(gesture));
        }
        let does = match written.load {
            Some(load) => vec![Action::of(load, TurnsTo::Toggle)],
            None => written.does,
        };
        Self {
            id: written.id,
            name: written.name,
            when,
            only: written.only,
            does,
            runs: written.path.unwrap_or(written.runs),
            off_after_min: written.off_after_min,
            note: written.note,
        }
    }
}

impl Rule {
    /// That a key of a controller works a load.
    pub fn press(id: RuleId, controller: DeviceId, load: DeviceId, runs: RunsIn) -> Self {
        let when = Trigger::Press { controller, key: None, gesture: String::new() };
        Self::new(id, when, vec![Action::of(load, TurnsTo::Toggle)], runs)
    }

    /// A rule of which nothing more is said.
    pub fn new(id: RuleId, when: Trigger, does: Vec<Action>, runs: RunsIn) -> Self {
        let (name, note) = (String::new(), String::new());
        Self { id, name, when, only: Vec::new(), does, runs, off_after_min: None, note }
    }

    /// The switch, remote or sensor that sets it off.
    pub const fn controller(&self) -> Option<&DeviceId> {
        match &self.when {
            Trigger::Press { controller: of, .. } | Trigger::State { device: of, .. } => Some(of),
            _ => None,
        }
    }
}

kept_by_id!(Rule, RuleId);
impl Kept for Rule {
    const MOST: Most = Most { count: 10_000, why: "three a device" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        if let Some(of) = self.controller() {
            visit(Tie::new("when", Kind::Device, of, Bond::GoesAlong));
        }
        // What does more than one thing stays when one of them goes: what it names and is gone is a finding.
        let [only] = &self.does[..] else { return };
        match &only.what {
            Target::Device(of) => visit(Tie::new("does", Kind::Device, of, Bond::GoesAlong)),
            Target::Room(of) => visit(Tie::new("does", Kind::Room, of, Bond::GoesAlong)),
            Target::Group(of) => visit(Tie::new("does", Kind::Group, of, Bond::GoesAlong)),
            Target::Scene(of) => visit(Tie::new("does", Kind::Rule, of, Bond::GoesAlong)),
            Target::AllBut(_) => {}
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        note("name", &self.name)?;
        note("note", &self.note)?;
        let between = |field, value: Option<f64>, low: f64, high: f64, unit| match value {
            Some(is) if !(low..=high).contains(&is) => {
                Err(Refusal::wrong(field, Wrong::Sheet { is, low, high, unit }))
            }
            _ => Ok(()),
        };
        match &self.when {
            Trigger::Press { controller, key, gesture } => {
                note("gesture", gesture)?;
                between("key", key.map(f64::from), 1.0, 16.0, "keys")?;
                let itself = |a: &Action| a.what == Target::Device(controller.clone());
                if self.does.iter().any(itself) && self.does.len() == 1 {
                    return Err(Refusal::wrong("load", Wrong::Itself));
                }
            }
            Trigger::State { is, for_min, .. } => {
                note("is", is)?;
                between("for_min", *for_min, 0.0, 1440.0, "minutes")?;
            }
            Trigger::Says { phrase: text } => words("phrase", text)?,
            Trigger::Alert { of: text } => words("of", text)?,
            Trigger::Called | Trigger::Time { .. } => {}
        }
        let is = self.does.len();
        if is > MOST_ACTIONS {
            let (least, most) = (0, MOST_ACTIONS);
            return Err(Refusal::wrong("does", Wrong::Count { is, least, most }));
        }
        for action in &self.does {
            between("level", action.level.map(f64::from), 0.0, 100.0, "%")?;
            between("kelvin", action.kelvin.map(f64::from), 1000.0, 12_000.0, "K")?;
            between("over_s", action.over_s, 0.0, 3600.0, "s")?;
        }
        for condition in &self.only {
            if let Condition::Darker { lux } = condition {
                between("lux", Some(*lux), 0.0, 100_000.0, "lx")?;
            }
        }
        between("off_after_min", self.off_after_min, 0.0, 1440.0, "minutes")
    }
}

/// What is said, or comes as a message, has words.
fn words(field: &'static str, text: &str) -> Result<(), Refusal> {
    note(field, text)?;
    if text.trim().is_empty() { Err(Refusal::wrong(field, Wrong::NoWords)) } else { Ok(()) }
}

/// The most things that one rule does: a scene of a large house.
const MOST_ACTIONS: usize = 400;
