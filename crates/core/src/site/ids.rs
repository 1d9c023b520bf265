//! Ids that clients make: a repeated edit names the same thing and so does no harm.

/// An id that is empty, too long or holds other signs than letters, digits, `-`, `_` and `.`.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is no id: use 1 to 64 letters, digits, hyphens, dots or underscores")]
pub struct IdError(String);

pub(crate) fn checked(text: String) -> Result<String, IdError> {
    let sign = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.');
    if (1..=64).contains(&text.len()) && text.chars().all(sign) {
        Ok(text)
    } else {
        Err(IdError(text))
    }
}

/// Makes the type of an id.
macro_rules! id {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(
            Clone, Debug, PartialEq, Eq, PartialOrd, Ord,
            serde::Serialize, serde::Deserialize, schemars::JsonSchema,
        )]
        #[serde(try_from = "String", into = "String")]
        pub struct $name(String);

        impl $name {
            /// The text of the id.
            pub fn as_str(&self) -> &str {
                &self.0
            }
        }
        impl TryFrom<String> for $name {
            type Error = $crate::site::IdError;
            fn try_from(text: String) -> Result<Self, Self::Error> {
                $crate::site::ids::checked(text).map(Self)
            }
        }
        impl std::str::FromStr for $name {
            type Err = $crate::site::IdError;
            fn from_str(text: &str) -> Result<Self, Self::Err> {
                Self::try_from(text.to_owned())
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
pub(crate) use id;
