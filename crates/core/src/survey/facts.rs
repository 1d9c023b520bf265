//! Who found out what, how and when: kept with each field of a point that somebody had to look at.

use serde_json::{Value, json};

use crate::site::{Edit, Fact, Kind, Provenance};

/// The fields of a point that have to be looked at.
pub const LOOKED_AT: [&str; 10] = [
    "box",
    "gangs",
    "depth_mm",
    "surround_mm",
    "volume_cm3",
    "neutral",
    "earth",
    "circuit",
    "clamps",
    "mounting",
];

/// Who recorded something, and when; how, where they said so.
#[derive(Clone, Debug, PartialEq, Eq)]
#[expect(missing_docs, reason = "each is what it is called")]
pub struct Stamp {
    pub how: Option<Provenance>,
    pub by: String,
    pub at: String,
}

/// An edit with a stamp on each field that somebody looked at; a field that is emptied loses its own.
pub fn stamped(edit: Edit, stamp: &Stamp) -> Edit {
    match edit {
        Edit::Set { kind: Kind::Point, id, field, value } if LOOKED_AT.contains(&&*field) => {
            let fact = fact(&field, &value, stamp);
            let set = Edit::Set { kind: Kind::Point, id: id.clone(), field: field.clone(), value };
            Edit::batch(vec![set, Edit::set(Kind::Point, &id, &format!("facts.{field}"), fact)])
        }
        Edit::Batch { edits } => {
            Edit::batch(edits.into_iter().map(|edit| stamped(edit, stamp)).collect())
        }
        other => other,
    }
}

fn fact(field: &str, value: &Value, stamp: &Stamp) -> Value {
    let is_blank = match value {
        Value::Null => true,
        Value::String(text) => text.trim().is_empty() || text == "unknown",
        _ => false,
    };
    if is_blank {
        return Value::Null;
    }
    // That there is none can only be known by a test.
    let is_tested = field == "neutral" && matches!(value.as_str(), Some("tested" | "absent"));
    let how = if is_tested { Provenance::Measured } else { stamp.how.unwrap_or(Provenance::Seen) };
    json!(Fact { how, by: stamp.by.clone(), at: stamp.at.clone() })
}
