//! Ids that clients make: a repeated edit names the same thing and so does no harm.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// An id that is empty, too long or holds other signs than letters, digits, `-`, `_` and `.`.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is no id: use 1 to 64 letters, digits, hyphens, dots or underscores")]
pub struct IdError(String);

fn checked(text: String) -> Result<String, IdError> {
    let sign = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.');
    if (1..=64).contains(&text.len()) && text.chars().all(sign) {
        Ok(text)
    } else {
        Err(IdError(text))
    }
}

macro_rules! id {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
        #[serde(try_from = "String", into = "String")]
        pub struct $name(String);

        impl $name {
            /// The text of the id.
            pub fn as_str(&self) -> &str {
                &self.0
            }
        }
        impl TryFrom<String> for $name {
            type Error = IdError;
            fn try_from(text: String) -> Result<Self, IdError> {
                checked(text).map(Self)
            }
        }
        impl std::str::FromStr for $name {
            type Err = IdError;
            fn from_str(text: &str) -> Result<Self, IdError> {
                checked(text.to_owned()).map(Self)
            }
        }
        impl From<$name> for String {
            fn from(id: $name) -> String {
                id.0
            }
        }
        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str(&self.0)
            }
        }
        impl std::borrow::Borrow<str> for $name {
            fn borrow(&self) -> &str {
                &self.0
            }
        }
    };
}

id!(/** A storey. */ FloorId);
id!(/** A wall. */ WallId);
id!(/** An opening in a wall. */ OpeningId);
id!(/** A floor slab or roof. */ SlabId);
id!(/** A surveyed place: a box, a socket, a shelf. */ PointId);
id!(/** A device. */ DeviceId);
id!(/** A radio network. */ NetworkId);
id!(/** A reading taken on site. */ ReadingId);
id!(/** A source of interference. */ EmitterId);
id!(/** A line of a scan. */ ScanId);
id!(/** A control. */ ControlId);
