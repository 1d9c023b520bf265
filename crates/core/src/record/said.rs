//! What people say as they would edit the plan: that something is so, that a part of it is otherwise, that it
//! is not so. On the record each comes to an entry; what stood before stays.

use serde_json::Value;

use super::things::{
    Acceptance, CameBack, Fault, JoinCode, NameList, NodeReport, RangeTest, Reading, WiringRecord,
};
use super::{EntryId, Log, Record, What};
use crate::site::kept::Kept;
use crate::site::{Keyed, Refusal, Site, Wrong, set_field};

/// Something that is said of a thing on record.
#[derive(Clone, Debug, PartialEq)]
pub enum Said {
    /// It is so.
    So {
        /// The word of its kind.
        kind: String,
        /// All of it.
        value: Value,
    },
    /// Something is told of it for the first time: it is as written where nothing is on record of it, and what stands
    /// there stays. Of two phones that begin at once neither takes anything from the other.
    Begun {
        /// The word of its kind.
        kind: String,
        /// All of it.
        value: Value,
    },
    /// A part of it is otherwise.
    Otherwise {
        /// The word of its kind.
        kind: String,
        /// Its id.
        id: String,
        /// The field.
        field: String,
        /// What it holds.
        value: Value,
    },
    /// It is not so.
    NotSo {
        /// The word of its kind.
        kind: String,
        /// Its id.
        id: String,
    },
}

macro_rules! said {
    ($($word:literal, $what:ident($type:ident) in $log:ident, $sets:expr;)*) => {
        impl Said {
            /// The kinds of things that can be told of so; all others come by acts alone.
            pub const KINDS: [&'static str; [$($word),*].len()] = [$($word),*];

            /// The words of what stands on record by acts alone.
            pub const BY_ACT: [&'static str; 9] = [
                "isolation", "mark", "joining", "open-time", "offer-signed", "sign-off", "milestone", "rule-tried",
                "rooms-agreed",
            ];

            fn what(kind: &str, value: Value) -> Result<What, Refusal> {
                let unread = |e: serde_json::Error| {
                    Refusal::wrong("value", Wrong::Unreadable { text: e.to_string() })
                };
                match kind {
                    $($word => serde_json::from_value::<$type>(value).map(What::$what).map_err(unread),)*
                    _ => Err(Refusal::wrong("kind", Wrong::ByStep)),
                }
            }

            /// The thing as it is written, what of its fields are sets, and the entry that told of it.
            fn known(record: &Record, kind: &str, id: &str) -> Option<(Value, &'static [&'static str], EntryId)> {
                match kind {
                    $($word => {
                        let log: &Log<$type> = &record.$log;
                        let value = serde_json::to_value(log.named(id)?).ok()?;
                        let told = record.entries_from(log.entry_of(id)?).next()?.id.clone();
                        Some((value, $sets, told))
                    })*
                    _ => None,
                }
            }
        }

        impl What {
            /// The id of the thing that it tells of, with the word of its kind, where that may be told of anew.
            fn thing(&self) -> Option<(&'static str, &str)> {
                match self {
                    $(Self::$what(thing) => Some(($word, std::borrow::Borrow::borrow(Keyed::id(thing)))),)*
                    _ => None,
                }
            }

            /// What it names must be there when it is told of.
            fn names_what_is_there(&self, site: &Site) -> Result<(), Refusal> {
                let mut missing = None;
                match self {
                    $(Self::$what(thing) => Kept::ties(thing, &mut |tie| {
                        if missing.is_none() && !site.has(&tie.to) {
                            missing = Some(Refusal::wrong(tie.field, Wrong::NoSuch(tie.to)));
                        }
                    }),)*
                    _ => {}
                }
                missing.map_or(Ok(()), Err)
            }
        }
    };
}

said! {
    "reading", Read(Reading) in readings, &[];
    "range-test", Pressed(RangeTest) in range_tests, RangeTest::SETS;
    "node-report", Reported(NodeReport) in node_reports, &[];
    "acceptance", Agreed(Acceptance) in acceptances, &[];
    "fault", Met(Fault) in faults, &[];
    "name-list", NamesFound(NameList) in name_lists, &[];
    "came-back", CameBack(CameBack) in came_back, &[];
    "wiring-record", WiredIn(WiringRecord) in wiring_records, &[];
    "join-code", CodeKept(JoinCode) in join_codes, &[];
}

impl Said {
    /// What it comes to, and the entry that it corrects.
    ///
    /// # Errors
    /// It is of a kind that comes by acts alone, or names what is not there.
    pub fn entry(&self, site: &Site, record: &Record) -> Result<(What, Option<EntryId>), Refusal> {
        let none = |kind: &str, id: &str| {
            let what = Self::KINDS.into_iter().find(|k| *k == kind).unwrap_or("thing");
            Refusal::NotOnRecord { what, id: id.to_owned() }
        };
        match self {
            Self::So { kind, value } => {
                let what = Self::what(kind, value.clone())?;
                what.names_what_is_there(site)?;
                let told = what.thing().and_then(|(kind, id)| Self::known(record, kind, id));
                Ok((what, told.map(|(_, _, told)| told)))
            }
            Self::Begun { kind, value } => {
                Self::by_act(kind)?;
                let id = value.get("id").and_then(Value::as_str).unwrap_or_default();
                let Some((known, _, told)) = Self::known(record, kind, id) else {
                    return Self::So { kind: kind.clone(), value: value.clone() }
                        .entry(site, record);
                };
                let (mut whole, known) = (value.clone(), known);
                if let (Some(whole), Value::Object(known)) = (whole.as_object_mut(), known) {
                    whole.extend(known.into_iter().filter(|(_, v)| v.as_str() != Some("")));
                }
                Ok((Self::what(kind, whole)?, Some(told)))
            }
            Self::Otherwise { kind, id, field, value } => {
                Self::by_act(kind)?;
                let known = Self::known(record, kind, id);
                let (mut whole, sets, told) = known.ok_or_else(|| none(kind, id))?;
                if field == "id" {
                    return Err(Refusal::wrong("id", Wrong::IdStays));
                }
                if !set_field(&mut whole, field, value.clone(), sets) {
                    let text = "what it leads through has no fields".to_owned();
                    return Err(Refusal::wrong(field.as_str(), Wrong::Unreadable { text }));
                }
                Ok((Self::what(kind, whole)?, Some(told)))
            }
            Self::NotSo { kind, id } => {
                Self::by_act(kind)?;
                let (_, _, of) = Self::known(record, kind, id).ok_or_else(|| none(kind, id))?;
                Ok((What::Struck { of, why: "taken out".to_owned() }, None))
            }
        }
    }

    fn by_act(kind: &str) -> Result<(), Refusal> {
        if Self::KINDS.contains(&kind) {
            Ok(())
        } else {
            Err(Refusal::wrong("kind", Wrong::ByStep))
        }
    }
}
