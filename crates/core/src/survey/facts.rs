//! Who found out what, how and when: kept with each field of a point that somebody had to look at.

use serde_json::{Value, json};

use crate::site::{Edit, Fact, Kind, Provenance};

/// The fields that somebody has to look at, by the kind of thing; what stands within one counts for it.
pub const LOOKED_AT: [(Kind, &[&str]); 4] = [
    (
        Kind::Point,
        &[
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
            "conductors",
            "stays",
            "signs",
            "feed",
            "fed_through",
            "weather_cover",
        ],
    ),
    (Kind::Load, &["kind", "count", "channel", "watts", "dimmable", "inrush_a", "tried", "bypass"]),
    (
        Kind::Circuit,
        &[
            "residual",
            "rated_a",
            "poles",
            "volts",
            "size",
            "must_stay",
            "shared_neutral",
            "neutral_with",
        ],
    ),
    (Kind::Group, &["places", "wiring"]),
];

/// The field that a fact is kept under; nothing for what nobody has to look at.
fn looked_at(kind: Kind, field: &str) -> Option<&'static str> {
    let (_, fields) = LOOKED_AT.iter().find(|(of, _)| *of == kind)?;
    let first = field.split('.').next().unwrap_or_default();
    fields.iter().find(|f| **f == first).copied()
}

/// Who recorded something, and when; how, where they said so.
#[derive(Clone, Debug, PartialEq, Eq)]
#[expect(missing_docs, reason = "each is what it is called")]
pub struct FactStamp {
    pub how: Option<Provenance>,
    pub by: String,
    pub at: String,
}

/// An edit with a stamp on each field that somebody looked at; a field that is emptied loses its own.
pub fn stamped(edit: Edit, stamp: &FactStamp) -> Edit {
    match edit {
        Edit::Set { kind, id, field, value } => {
            let Some(looked) = looked_at(kind, &field) else {
                return Edit::Set { kind, id, field, value };
            };
            // A part that is emptied leaves the rest known.
            let is_whole = looked == field;
            let fact =
                if is_whole { fact(&field, &value, stamp) } else { fact(&field, &json!(0), stamp) };
            let set = Edit::Set { kind, id: id.clone(), field, value };
            Edit::batch(vec![set, Edit::set(kind, &id, &format!("facts.{looked}"), fact)])
        }
        Edit::Batch { edits } => {
            Edit::batch(edits.into_iter().map(|edit| stamped(edit, stamp)).collect())
        }
        other => other,
    }
}

fn fact(field: &str, value: &Value, stamp: &FactStamp) -> Value {
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
