//! Wishes: what people want to do, where and by which means, before any product is chosen.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{PersonId, PointId};
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A wish. */ WishId);

/// By which means something is to be done.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum Means {
    /// At the wall.
    Wall,
    /// With a remote.
    Remote,
    /// By voice.
    Voice,
    /// By itself, when a sensor says so.
    Sensor,
    /// By itself, at a time.
    Timer,
    /// With a phone.
    Phone,
}

impl Means {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 6] = [
        (Self::Wall, "wall"),
        (Self::Remote, "remote"),
        (Self::Voice, "voice"),
        (Self::Sensor, "sensor"),
        (Self::Timer, "timer"),
        (Self::Phone, "phone"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(means, _)| *means == self).map_or("", |(_, name)| name)
    }
}

/// A wish.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wish {
    /// Its id.
    pub id: WishId,
    /// What is wanted.
    pub what: String,
    /// Who wants it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<PersonId>,
    /// Where.
    #[serde(default)]
    pub room: String,
    /// By which means; all of them.
    #[serde(default)]
    pub by: BTreeSet<Means>,
    /// The points that are to meet it.
    #[serde(default)]
    pub points: Vec<PointId>,
}

impl Wish {
    /// One that says only what.
    pub fn new(id: WishId, what: &str) -> Self {
        let (what, room) = (what.to_owned(), String::new());
        Self { id, what, who: None, room, by: BTreeSet::new(), points: Vec::new() }
    }
}

kept_by_id!(Wish, WishId);
impl Kept for Wish {
    const MOST: Most = Most { count: 2000, why: "twenty wishes a person" };
    const SETS: &'static [&'static str] = &["by", "points"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        if let Some(who) = &self.who {
            visit(Tie::new("who", Kind::Person, who, Bond::Blocks));
        }
        for point in &self.points {
            visit(Tie::new("points", Kind::Point, point, Bond::Blocks));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        if self.what.trim().is_empty() {
            return Err(Refusal::wrong("what", Wrong::NoWish));
        }
        note("what", &self.what)?;
        note("room", &self.room)?;
        let is = self.points.len();
        if is > 50 {
            return Err(Refusal::wrong("points", Wrong::Count { is, least: 0, most: 50 }));
        }
        Ok(())
    }
}
