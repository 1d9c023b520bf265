//! Lengths as somebody typed them, with or without a unit, read as the region means them and kept metric.

use serde::Deserialize;
use serde_json::Value;

use super::{Edit, Kind, Refusal, Wrong};
use crate::speech::LengthField;
use crate::units::Metres;

/// A length of a gesture: a number of metres, or a text such as `12'6"`.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(untagged)]
pub enum TypedLength {
    /// Metres.
    Number(Metres),
    /// As it was typed.
    Text(String),
}

impl TypedLength {
    /// The length.
    ///
    /// # Errors
    /// The text is no length.
    pub fn metres(&self, field: &str) -> Result<Metres, Refusal> {
        match self {
            Self::Number(metres) => Ok(*metres),
            Self::Text(text) => read(LengthField::Metres, field, text).map(Metres::new),
        }
    }

    /// A place on the sheet.
    ///
    /// # Errors
    /// One of the two is no length.
    pub fn spot(place: &[Self; 2], field: &str) -> Result<super::Spot, Refusal> {
        let at = |n: usize| place[n].metres(&format!("{field}.{n}")).map(Metres::get);
        Ok([at(0)?, at(1)?])
    }
}

fn read(what: LengthField, field: &str, text: &str) -> Result<f64, Refusal> {
    let none = || Refusal::wrong(field, Wrong::NoLength { text: text.trim().to_owned() });
    what.read(text).ok_or_else(none)
}

/// What a field of a thing holds, where that is a length.
pub fn length_field(kind: Kind, field: &str) -> Option<LengthField> {
    let mut steps = field.rsplit('.');
    let last = steps.next()?;
    let is_coordinate = matches!(
        (kind, steps.next(), last),
        (Kind::Point | Kind::Emitter, Some("at"), "0" | "1")
            | (Kind::Wall, Some("a" | "b"), "0" | "1")
    );
    if is_coordinate || last.ends_with("_m") {
        Some(LengthField::Metres)
    } else if last.ends_with("_mm") {
        Some(LengthField::Millimetres)
    } else {
        last.ends_with("_cm3").then_some(LengthField::CubicCentimetres)
    }
}

/// The same edit with every length that is a text read.
///
/// # Errors
/// One of them is no length.
pub fn lengths_read(edit: Edit) -> Result<Edit, Refusal> {
    match edit {
        Edit::Set { kind, id, field, value: Value::String(text) } => {
            let value = match length_field(kind, &field) {
                Some(what) => Value::from(read(what, &field, &text)?),
                None => Value::String(text),
            };
            Ok(Edit::Set { kind, id, field, value })
        }
        Edit::Batch { edits } => {
            let edits = edits.into_iter().map(lengths_read).collect::<Result<_, _>>()?;
            Ok(Edit::Batch { edits })
        }
        other => Ok(other),
    }
}
