//! What every thing of a job knows of itself: what it may hold, and what it names.

use crate::radio::coexistence::Emission;
use crate::site::{Keyed, Kind, Ref, Refusal, Spot, Wrong};
use crate::units::{Dbm, Metres};

pub(crate) use super::ids::id;

/// The farthest from the sheet's origin that anything may be drawn, in metres.
pub const SHEET_REACH: f64 = 2000.0;
/// The longest name, in characters.
pub const LONGEST_NAME: usize = 120;
/// The longest free text, in characters.
pub const LONGEST_NOTE: usize = 4000;
/// The longest moment, such as `2026-03-14T10:05:00Z`, in bytes.
const LONGEST_TIME: usize = 40;

/// A thing of a table.
pub trait Kept: Keyed {
    /// How many a job may hold.
    const MOST: Most;

    /// Fields that are sets of words: each word of them is a field of its own, there or not.
    const SETS: &'static [&'static str] = &[];

    /// Fields whose parts stand only together, as one of several shapes: a change of one is a change of
    /// all.
    const WHOLES: &'static [&'static str] = &[];

    /// Calls `visit` with each thing that this one names.
    fn ties(&self, visit: &mut dyn FnMut(Tie));

    /// Its own shape: ranges, names. Nothing that another thing's value decides: that is a finding.
    ///
    /// # Errors
    /// The first field that cannot stand.
    fn check(&self) -> Result<(), Refusal>;
}

/// How many things of a kind a job may hold, far above any real house, and why not more.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Most {
    /// How many.
    pub count: usize,
    /// Why so many suffice, or what more would cost.
    pub why: &'static str,
}

/// That one thing names another.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Tie {
    /// The field that names it.
    pub field: &'static str,
    /// What is named.
    pub to: Ref,
    /// What binds them.
    pub bond: Bond,
}

/// What binds a thing to one that it names.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bond {
    /// It stands on the other and goes with it.
    GoesAlong,
    /// It needs the other, which cannot go before.
    Blocks,
    /// As `Blocks` where the other is one of the job's own; a library may hold it instead, or hold it
    /// no longer, which is a finding.
    Names,
}

impl Tie {
    pub(crate) fn new(
        field: &'static str,
        kind: Kind,
        id: &impl std::borrow::Borrow<str>,
        bond: Bond,
    ) -> Self {
        Self { field, to: Ref::new(kind, id.borrow()), bond }
    }
}

/// Says where a type keeps its id.
macro_rules! kept_by_id {
    ($thing:ident, $id:ident) => {
        impl $crate::site::Keyed for $thing {
            type Id = $id;
            fn id(&self) -> &$id {
                &self.id
            }
        }
    };
}
pub(crate) use kept_by_id;

type Verdict = Result<(), Refusal>;

fn held(field: &'static str, holds: bool, why: impl FnOnce() -> Wrong) -> Verdict {
    if holds { Ok(()) } else { Err(Refusal::wrong(field, why())) }
}

pub(crate) fn id_text(text: &str) -> Verdict {
    let fits = super::ids::checked(text.to_owned()).map(|_| ());
    fits.map_err(|e| Refusal::wrong("id", Wrong::Id(e)))
}

pub(crate) fn name(text: &str) -> Verdict {
    held("name", !text.trim().is_empty(), || Wrong::NoName)?;
    seen("name", text, |_| false)?;
    short("name", text, LONGEST_NAME)
}

pub(crate) fn note(field: &'static str, text: &str) -> Verdict {
    seen(field, text, |sign| matches!(sign, '\n' | '\r' | '\t'))?;
    short(field, text, LONGEST_NOTE)
}

/// No sign that nobody sees: what ends a text for other programs, or turns the order in which it is read.
fn seen(field: &'static str, text: &str, may: impl Fn(char) -> bool) -> Verdict {
    let turns = |sign| matches!(sign, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}');
    let hidden = text.chars().find(|sign| (sign.is_control() && !may(*sign)) || turns(*sign));
    hidden.map_or(Ok(()), |sign| Err(Refusal::wrong(field, Wrong::Hidden { sign: sign.into() })))
}

fn short(field: &'static str, text: &str, most: usize) -> Verdict {
    let is = text.chars().count();
    held(field, is <= most, || Wrong::LongText { is, most })
}

pub(crate) fn time(field: &'static str, text: &str) -> Verdict {
    held(field, (1..=LONGEST_TIME).contains(&text.len()), || Wrong::NoTime)
}

pub(crate) fn spot(field: &'static str, [x, y]: Spot) -> Verdict {
    let on_sheet = |v: f64| v.is_finite() && v.abs() <= SHEET_REACH;
    held(field, on_sheet(x) && on_sheet(y), || Wrong::OffSheet { reach: SHEET_REACH })
}

pub(crate) fn ring(field: &'static str, corners: &[Spot]) -> Verdict {
    let is = corners.len();
    held(field, matches!(is, 0 | 3..=500), || Wrong::Corners { is })?;
    corners.iter().try_for_each(|corner| spot(field, *corner))
}

pub(crate) fn between(field: &'static str, is: Metres, low: f64, high: f64) -> Verdict {
    held(field, (low..=high).contains(&is.get()), || Wrong::Length { is, low, high })
}

pub(crate) fn hash(field: &'static str, text: &str) -> Verdict {
    let hexadecimal = |b: u8| matches!(b, b'0'..=b'9' | b'a'..=b'f');
    held(field, text.len() == 64 && text.bytes().all(hexadecimal), || Wrong::NoHash)
}

pub(crate) fn busy(share: f64) -> Verdict {
    held("busy", (0.0..=1.0).contains(&share), || Wrong::Share { is: share })
}

pub(crate) fn level(field: &'static str, level: Dbm) -> Verdict {
    held(field, (-140.0..=20.0).contains(&level.get()), || Wrong::Level { is: level })
}

pub(crate) fn carrier(carrier: Emission) -> Verdict {
    carrier.wrong().map_or(Ok(()), |why| Err(Refusal::wrong("channel", Wrong::Carrier(why))))
}
