//! What can be said to change a site. Four shapes, which the journal holds for ever:
//!
//! ```json
//! {"do": "put", "kind": "point", "value": {"id": "p1", "name": "Hall switch"}}
//! {"do": "set", "kind": "point", "id": "p1", "field": "height_m", "value": 1.2}
//! {"do": "remove", "kind": "point", "id": "p1"}
//! {"do": "batch", "edits": []}
//! ```
//!
//! How each is done stands in `apply.rs`. What happened in the house is no edit: see [`crate::record`].

use std::borrow::Borrow;
use std::collections::BTreeMap;
use std::fmt;

use serde::{Deserialize, Deserializer, Serialize};
use serde_json::Value;

use super::{Keyed, Kind, Thing};

/// A kind and an id, written `wall:w1`.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Ref {
    /// The kind of thing.
    pub kind: Kind,
    /// Its id.
    pub id: std::borrow::Cow<'static, str>,
}

impl Ref {
    /// The job's own fields.
    pub const JOB: Self = Self { kind: Kind::Job, id: std::borrow::Cow::Borrowed("job") };
    /// What readings taught.
    pub const CALIBRATION: Self =
        Self { kind: Kind::Calibration, id: std::borrow::Cow::Borrowed("calibration") };

    /// The thing of this kind and id, whether or not there is one.
    pub fn new(kind: Kind, id: &str) -> Self {
        match kind {
            Kind::Job => Self::JOB,
            Kind::Calibration => Self::CALIBRATION,
            _ => Self { kind, id: id.to_owned().into() },
        }
    }

    pub(super) fn of<T: Keyed>(kind: Kind, thing: &T) -> Self {
        Self::new(kind, thing.id().borrow())
    }
}

impl fmt::Display for Ref {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}", self.kind.word(), self.id)
    }
}

/// A change to a site.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(tag = "do", rename_all = "lowercase")]
#[expect(clippy::large_enum_variant, reason = "most edits put or set; few are held at a time")]
pub enum Edit {
    /// Puts a thing in, in place of what stands under its id.
    Put(Thing),
    /// Sets one field of a thing. Steps into what a field holds are parted by dots, such as
    /// `sheet.tx_dbm`; nothing (`null`) takes the field's value away. A word of a set is a field that
    /// is true or false, such as `done.wired`.
    Set {
        /// The kind of thing.
        kind: Kind,
        /// Its id.
        id: String,
        /// The field.
        field: String,
        /// What it holds from now on.
        value: Value,
    },
    /// Takes a thing out, and what stands on it.
    Remove {
        /// The kind of thing.
        kind: Kind,
        /// Its id.
        id: String,
    },
    /// Several edits as one: all or none.
    Batch {
        /// The edits, in order.
        edits: Vec<Edit>,
    },
}

impl Edit {
    /// Puts a thing in.
    pub fn put(thing: impl Into<Thing>) -> Self {
        Self::Put(thing.into())
    }

    /// Sets one field.
    pub fn set(kind: Kind, id: &impl fmt::Display, field: &str, value: impl Into<Value>) -> Self {
        Self::Set { kind, id: id.to_string(), field: field.to_owned(), value: value.into() }
    }

    /// Takes a thing out.
    pub fn remove(kind: Kind, id: &impl fmt::Display) -> Self {
        Self::Remove { kind, id: id.to_string() }
    }

    /// Several as one; a single one stays itself.
    pub fn batch(mut edits: Vec<Self>) -> Self {
        match edits.len() {
            1 => edits.remove(0),
            _ => Self::Batch { edits },
        }
    }

    /// Reads an edit as it is written, by this version or an earlier one.
    ///
    /// # Errors
    /// It is none; the words say what it lacks.
    pub fn read(mut value: Value) -> Result<Self, String> {
        let wrong = |e: serde_json::Error| e.to_string();
        let word = value.get("do").and_then(Value::as_str).unwrap_or_default().to_owned();
        match word.as_str() {
            "put" => serde_json::from_value(without_do(value)).map(Self::Put).map_err(wrong),
            "set" => {
                let Set { kind, id, field, value } =
                    serde_json::from_value(without_do(value)).map_err(wrong)?;
                Ok(Self::Set { kind, id, field, value })
            }
            "remove" => {
                let Remove { kind, id } =
                    serde_json::from_value(without_do(value)).map_err(wrong)?;
                Ok(Self::Remove { kind, id })
            }
            "batch" => match value.get_mut("edits").map(Value::take) {
                Some(Value::Array(edits)) => {
                    let edits = edits.into_iter().map(Self::read).collect::<Result<_, _>>()?;
                    Ok(Self::Batch { edits })
                }
                _ => Err("a batch has a list of edits".to_owned()),
            },
            "" => Err("an edit says what to do: put, set, remove or batch".to_owned()),
            _ => Err(format!("there is no edit “{word}”: put, set, remove or batch")),
        }
    }
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Set {
    kind: Kind,
    id: String,
    field: String,
    value: Value,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Remove {
    kind: Kind,
    id: String,
}

fn without_do(mut value: Value) -> Value {
    if let Some(fields) = value.as_object_mut() {
        fields.remove("do");
    }
    value
}

impl<'de> Deserialize<'de> for Edit {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        Self::read(Value::deserialize(deserializer)?).map_err(serde::de::Error::custom)
    }
}

/// Something that an edit changed: a whole thing that came or went, or one field of it. Written
/// `wall:w1` and `point:p1#at`.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Touch {
    /// The thing.
    pub thing: Ref,
    /// The field; nothing for the whole.
    pub field: Option<String>,
}

/// What a change did to whole things beside the first of a kind, in words: `11 walls, 1 network`; empty
/// where it did nothing more.
pub fn beside(touched: &[Touch], but: &Ref) -> String {
    let mut counts: BTreeMap<Kind, usize> = BTreeMap::new();
    for touch in touched.iter().filter(|t| t.field.is_none() && t.thing != *but) {
        *counts.entry(touch.thing.kind).or_default() += 1;
    }
    let words = |(kind, count): (Kind, usize)| match (count, kind.called()) {
        (1, called) => format!("1 {called}"),
        (n, "source on the air") => format!("{n} sources on the air"),
        (n, called) => format!("{n} {called}s"),
    };
    counts.into_iter().map(words).collect::<Vec<_>>().join(", ")
}

impl Touch {
    /// Whether both are about the same field, or one is about what holds the other's.
    pub fn meets(&self, other: &Self) -> bool {
        let within = |a: &str, b: &str| {
            a.strip_prefix(b).is_some_and(|rest| rest.is_empty() || rest.starts_with('.'))
        };
        self.thing == other.thing
            && match (&self.field, &other.field) {
                (Some(a), Some(b)) => within(a, b) || within(b, a),
                _ => true,
            }
    }

    /// What is written.
    pub fn read(text: &str) -> Option<Self> {
        let (thing, field) = text.split_once('#').map_or((text, None), |(t, f)| (t, Some(f)));
        let (word, id) = thing.split_once(':')?;
        let kind: Kind = serde_json::from_value(Value::from(word)).ok()?;
        Some(Self { thing: Ref::new(kind, id), field: field.map(str::to_owned) })
    }
}

impl fmt::Display for Touch {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.field {
            Some(field) => write!(f, "{}#{field}", self.thing),
            None => self.thing.fmt(f),
        }
    }
}

/// What an edit did.
#[derive(Clone, Debug, PartialEq)]
pub struct Change {
    /// The edit that takes it back.
    pub inverse: Edit,
    /// What it touched; sorted, each once.
    pub touched: Vec<Touch>,
}
