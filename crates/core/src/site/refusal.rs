//! Why an edit was not applied, as values; their words stand here and nowhere else.

use super::{IdError, Kind, Limit, Ref};
use crate::codes::CodeError;
use crate::materials::construction::ConstructionError;
use crate::speech::LENGTH_HINT;
use crate::units::{Dbm, Metres, typographic};

/// Why an edit was not applied. The site is as it was.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum Refusal {
    /// A field cannot hold what it was given.
    #[error("{field}: {why}")]
    Wrong {
        /// The field, as the job file names it.
        field: String,
        /// What is wrong and what to do.
        why: Wrong,
    },
    /// What was to be changed is not there, or no longer.
    #[error("there is no {} {}; someone may have removed it", .0.kind.called(), .0.id)]
    Missing(Ref),
    /// Other things depend on it.
    #[error("{} {} is used by {}; change {} first", thing.kind.called(), thing.id,
        counted(*count, *by), if *count == 1 { "that" } else { "those" })]
    InUse {
        /// What was to go.
        thing: Ref,
        /// How many depend on it.
        count: usize,
        /// What they are.
        by: Kind,
    },
    /// What was named does not stand on the record.
    #[error("there is no {what} {id} on record; load the page again")]
    NotOnRecord {
        /// What people call it.
        what: &'static str,
        /// Its id.
        id: String,
    },
    /// The record is full of something.
    #[error("the record holds {most} {what}, which is the most; begin a new job for what comes")]
    RecordFull {
        /// What.
        what: &'static str,
        /// How many.
        most: usize,
    },
    /// More than a job may hold.
    #[error("that makes {count} {}; {} is the most", limit.what(), limit.most())]
    TooMany {
        /// What is counted.
        limit: Limit,
        /// How many there would be.
        count: usize,
    },
}

impl Refusal {
    pub(crate) fn wrong(field: impl Into<String>, why: Wrong) -> Self {
        Self::Wrong { field: field.into(), why }
    }

    /// The field that it is about, where it is about one.
    pub fn field(&self) -> Option<&str> {
        match self {
            Self::Wrong { field, .. } => Some(field),
            _ => None,
        }
    }

    /// The thing that is not there, or that others depend on.
    pub fn about(&self) -> Option<&Ref> {
        match self {
            Self::Missing(thing)
            | Self::InUse { thing, .. }
            | Self::Wrong { why: Wrong::NoSuch(thing), .. } => Some(thing),
            _ => None,
        }
    }

    /// The reason without the name of its field.
    pub fn reason(&self) -> String {
        match self {
            Self::Wrong { why, .. } => why.to_string(),
            other => other.to_string(),
        }
    }
}

/// A bound as people write it: whole where it is.
fn plain(bound: f64) -> String {
    typographic(bound, usize::from(bound.fract().abs() > 0.0))
}

fn counted(count: usize, kind: Kind) -> String {
    if count == 1 {
        format!("1 {}", kind.called())
    } else {
        format!("{count} {}", kind.called_many())
    }
}

/// What is wrong with a field, and what to do.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[expect(missing_docs, reason = "each says in its words what it holds")]
pub enum Wrong {
    #[error("give it a name")]
    NoName,
    #[error("write the words, as they are said or come")]
    NoWords,
    #[error("{is} is louder than anything that is heard in a house: is it −{}?", typographic(is.get().abs(), 1))]
    TooLoud { is: Dbm },
    #[error("“{text}” is no day; write it as 2026-12-25, or as 12-25 for every year")]
    NoDay { text: String },
    #[error("“{text}” is no time zone; write it as Europe/Paris")]
    NoZone { text: String },
    #[error(
        "this is work on the mains: it asks for a licence, and none is on record for you; an owner of your firm puts it there"
    )]
    NoLicence,
    #[error("this is work on the mains, and your licence is of {is}; the house stands in {asked}")]
    LicenceElsewhere { is: String, asked: &'static str },
    #[error(
        "this is work on the mains: say in the brief by which country the house is wired, so that it is known which licence it asks for"
    )]
    NoCountry,
    #[error(
        "this is of no visit that you are named on; whoever is named there says it, or the firm"
    )]
    OtherVisit,
    #[error("is {is} characters long; {most} is the most")]
    LongText { is: usize, most: usize },
    #[error(transparent)]
    Id(IdError),
    #[error("must lie within {reach} m of the sheet's origin")]
    OffSheet { reach: f64 },
    #[error("is {is:.2}; give {low} to {high} m")]
    Length { is: Metres, low: f64, high: f64 },
    #[error("a wall must be at least {} cm long; this one is {is:.2}", least.get() * 100.0)]
    ShortWall { is: Metres, least: Metres },
    #[error("the id {id} stands twice")]
    Twice { id: String },
    #[error("two openings overlap; move one along the wall")]
    Overlap,
    #[error("has {is} corners; a polygon has 3 to 500")]
    Corners { is: usize },
    #[error("the scale must lie between 0.01 mm and 10 m a pixel")]
    Scale,
    #[error("is not the SHA-256 of an image")]
    NoHash,
    #[error("click two places that are farther apart")]
    OnePlace,
    #[error("is {is:.2}; give the true length, 0.1 to 500 m")]
    TrueLength { is: Metres },
    #[error("a box {mm} mm deep; give 5 to 500 mm")]
    Depth { mm: f64 },
    #[error("is {is}; give the share of time from 0 to 1")]
    Share { is: f64 },
    #[error("is {is}; a level heard lies between −140 and 20 dBm")]
    Level { is: Dbm },
    #[error("is {is}; give −40 to 36 dBm")]
    Power { is: Dbm },
    #[error("is {}; give {} to {high} {unit}", typographic(*is, 1), plain(*low))]
    Sheet { is: f64, low: f64, high: f64, unit: &'static str },
    #[error("{0}")]
    Carrier(&'static str),
    #[error("{system} has no channels to choose")]
    NoChannels { system: &'static str },
    #[error("is {is}; give {first} to {last}")]
    Channel { is: u8, first: u8, last: u8 },
    #[error("is {is}; give {least} to {most}")]
    Count { is: usize, least: usize, most: usize },
    #[error("say when, such as 2026-03-14T10:05:00Z")]
    NoTime,
    #[error("say what is wanted")]
    NoWish,
    #[error("say which place, room or device is meant; what has to be there needs its place")]
    RulingOfNothing,
    #[error("there is no such price or time; choose one of the list")]
    NoRate,
    #[error("name at least one system that it speaks")]
    NoSystem,
    #[error("“{text}” is none of {known}")]
    NoneOf { text: String, known: String },
    #[error("“{text}” is no number")]
    NoNumber { text: String },
    #[error("“{text}” is no length; {LENGTH_HINT}")]
    NoLength { text: String },
    #[error("there is no floor slab under that; add one to the storey first")]
    NoFloorSlab,
    #[error("no walls close around that place; close the gap, or give the corners")]
    NoFace,
    #[error("there is no such device in the catalogue; choose one of its list")]
    NoKind,
    #[error("a link has two different ends")]
    OneEnd,
    #[error("line and load are at places of the group; choose two of its own")]
    NotOfGroup,
    #[error("a point in another's box names one that has its own; choose the first of them")]
    BoxOfBox,
    #[error("is {is}; give a gang from 1 to {gangs}")]
    Gang { is: u8, gangs: u8 },
    #[error("a device does not control itself; choose another load")]
    Itself,
    #[error(
        "“{text}” is no order; type on, off, toggle, dim or a level such as 40, and direct or hub"
    )]
    NoOrder { text: String },
    #[error("it has no level between on and off; type on, off or toggle")]
    CannotDim,
    #[error("{name} has no level between on and off; leave the level away, or leave it out")]
    OneCannotDim { name: String },
    #[error("a scene is called; type on")]
    SceneIsCalled,
    #[error("a second person reads it back; say who, not yourself")]
    ReadBySelf,
    #[error(transparent)]
    Layers(ConstructionError),
    #[error("exponent 1 to 5, offset −40 to 40 dB, deviation 0.5 to 20 dB")]
    Correction,
    #[error("there is no {} {}", .0.kind.called(), .0.id)]
    NoSuch(Ref),
    #[error("it has no such field, or the field cannot hold that: {text}")]
    Unreadable { text: String },
    #[error("an id stays as it is; put a new thing and remove the old one")]
    IdStays,
    #[error("a job keeps its own fields; set them one by one")]
    JobStays,
    #[error("say it; the record needs it")]
    NotSaid,
    #[error("say which circuits are switched off")]
    NoCircuit,
    #[error(
        "a safety outlet isolates nothing: line stays on one side of it, and anyone can reset it. \
         Switch off the breaker or the main switch"
    )]
    SafetyOutlet,
    #[error("a device is not its own master; choose the one that switches the load")]
    OwnMaster,
    #[error("say day and time, such as 2026-03-14T08:30")]
    NoMoment,
    #[error("not yet: {missing}")]
    NotYet { missing: String },
    #[error("not yet: {missing}. Say why it is done all the same; that stands in the report")]
    NotYetUnless { missing: String },
    #[error("steps of the work are taken one by one, on the sheet of the day")]
    ByStep,
    #[error(
        "{holder} switched it off or took it over; only they switch it on, or hand it over to you"
    )]
    NotTheirs { holder: String },
    #[error("{0}")]
    Isolation(String),
    #[error("joining and keeping a code have records of their own; make those")]
    OwnAct,
    #[error(
        "is the code that is kept of {name}: one of the two labels was read twice; read this one again"
    )]
    CodeOfAnother { name: String },
    #[error(
        "is a hub: all that it let in would have to be let in anew by another one. Plan the new hub beside it, and move \
         device by device"
    )]
    HubGaveOut,
    #[error("is the number of {name}: two devices never share one, so ask the hub again")]
    NumberOfAnother { name: String },
    #[error("is none of the units that switch the load it works; choose one of them")]
    NoMasterOfIt,
    #[error("is on again; isolate anew")]
    OnAgain,
    #[error("is closed already")]
    ShutAlready,
    #[error("say what keeps others from switching it on: a lock, a notice or both")]
    NotSecured,
    #[error("not yet: {boxes} open; dry-fit each box, or put it back, before power comes on")]
    BoxesOpen { boxes: String },
    #[error("the tester was not shown to work on a known source; show that first")]
    TesterNotShown,
    #[error("the box was not proved dead under this isolation; prove it dead first")]
    NotProvedDead,
    #[error("power is on for finding lines; switch it off again first")]
    Finding,
    #[error("power is not on for finding lines")]
    NotFinding,
    #[error("no box is open under it; there is nothing to find lines in")]
    NothingOpen,
    #[error("power was on in this box for finding lines; prove it dead again first")]
    EnergisedSince,
    #[error(
        "it was found live under this isolation; switch off further, and prove it dead under that"
    )]
    FoundLive,
    #[error("nothing hangs on its own joints; choose another place")]
    FedByItself,
    #[error("power is on again; switch the circuit off and prove the box dead to open it anew")]
    PowerIsOn,
    #[error(
        "what was switched, proved, stepped, joined or signed is not struck; take the step back, or say \
         what is so now"
    )]
    NotStruck,
    #[error("does not count any longer already")]
    StruckAlready,
    #[error("holds a sign that nobody sees (U+{sign:04X}); type it anew")]
    Hidden { sign: u32 },
    #[error("the plan and the variant both changed: {what}. Say for each whose is to stand")]
    BothChanged { what: String },
    #[error(
        "power is off by {what}, and this record says so; switch it on again, or tell that it was, before the job goes"
    )]
    PowerIsOff { what: String },
    #[error("a variant has no record of its own; do it in the plan that it is a branch of")]
    VariantHasNoRecord,
    #[error("say which devices are expected; nothing else is let in")]
    NothingExpected,
    #[error("three readings that count are needed to learn from")]
    FewReadings,
    #[error("nothing was heard: give a level in dBm, a margin in dB or an LQI")]
    NothingHeard,
    #[error("nothing there has a range test yet")]
    NothingTested,
    #[error(transparent)]
    Code(CodeError),
}
