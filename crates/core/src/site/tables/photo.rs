//! Photos taken at a place. The files are kept by the hash of their bytes.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::PointId;
use crate::moment::Moment;
use crate::site::kept::{Bond, Kept, Most, Tie, hash, id, kept_by_id, note};
use crate::site::{Kind, Refusal};

id!(/** A photo. */ PhotoId);

/// What a photo shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Shows {
    /// The place as it is.
    #[default]
    Place,
    /// The box, open.
    OpenBox,
    /// The wiring before anything is taken off.
    Before,
    /// The wiring as it was left.
    After,
    /// The panel and its labels.
    Panel,
    /// A page of the maker's sheet.
    MakersSheet,
}

impl Shows {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 6] = [
        (Self::Place, "the place"),
        (Self::OpenBox, "the open box"),
        (Self::Before, "wiring before removal"),
        (Self::After, "wiring as left"),
        (Self::Panel, "the panel"),
        (Self::MakersSheet, "a page of the maker’s sheet"),
    ];
}

/// A photo.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Photo {
    /// Its id.
    pub id: PhotoId,
    /// The place that it is of.
    pub point: PointId,
    /// What it shows.
    #[serde(default)]
    pub shows: Shows,
    /// The SHA-256 of the file.
    pub image: String,
    /// By whom.
    #[serde(default)]
    pub by: String,
    /// When.
    pub at: Moment,
    /// Free words.
    #[serde(default)]
    pub note: String,
}

kept_by_id!(Photo, PhotoId);
impl Kept for Photo {
    const MOST: Most =
        Most { count: 1500, why: "four a box of a guesthouse; a job file holds them all" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("point", Kind::Point, &self.point, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        hash("image", &self.image)?;
        note("by", &self.by)?;
        note("note", &self.note)
    }
}
