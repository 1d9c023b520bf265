//! A box that is not there yet: into what it is made, and the cable that has to come to it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{PointId, Refusal, Wrong};
use crate::site::kept::note;

/// What a new box is made into.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum MadeInto {
    /// Nobody said.
    #[default]
    Unsaid,
    /// Brick, block or concrete: cut and chased.
    Masonry,
    /// A hollow wall of boards.
    Board,
    /// Wood, or the frame of something.
    Timber,
    /// Nothing: it is set upon the wall.
    Surface,
}

impl MadeInto {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Unsaid, "not said"),
        (Self::Masonry, "masonry, cut and chased"),
        (Self::Board, "a hollow wall of boards"),
        (Self::Timber, "wood"),
        (Self::Surface, "set upon the wall"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(of, _)| *of == self).map_or("", |(_, name)| name)
    }

    /// The rate of how long it takes, in minutes; nothing while nobody said what it is.
    pub fn minutes(self) -> Option<&'static str> {
        match self {
            Self::Unsaid => None,
            Self::Masonry => Some("minutes-make-masonry"),
            Self::Board => Some("minutes-make-board"),
            Self::Timber => Some("minutes-make-timber"),
            Self::Surface => Some("minutes-make-surface"),
        }
    }
}

/// A box that is not there yet.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct ToMake {
    /// What it is made into.
    pub into: MadeInto,
    /// The place from which its cable comes; nothing while nobody said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cable_from: Option<PointId>,
    /// How long that cable is, laid, in metres; nothing while nobody measured.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cable_m: Option<f64>,
    /// What has to be opened for it on the way: a wall, a floor, a joist; empty where nothing has.
    pub opening: String,
    /// Who makes it; empty while nobody said.
    pub who: String,
}

impl ToMake {
    /// Whether something is opened for its cable.
    pub fn opens(&self) -> bool {
        !self.opening.trim().is_empty()
    }

    /// What of it nobody has said.
    pub fn open(&self) -> Vec<&'static str> {
        let rows = [
            (self.into == MadeInto::Unsaid, "into what it is made"),
            (self.cable_from.is_none(), "from where its cable comes"),
            (self.cable_m.is_none(), "how long that is"),
            (self.who.trim().is_empty(), "who makes it"),
        ];
        rows.into_iter().filter(|(is, _)| *is).map(|(_, what)| what).collect()
    }

    pub(super) fn check(&self) -> Result<(), Refusal> {
        note("opening", &self.opening)?;
        note("who", &self.who)?;
        match self.cable_m {
            Some(is) if !(0.1..=200.0).contains(&is) => {
                let (low, high, unit) = (0.1, 200.0, "m");
                Err(Refusal::wrong("cable_m", Wrong::Sheet { is, low, high, unit }))
            }
            _ => Ok(()),
        }
    }
}
