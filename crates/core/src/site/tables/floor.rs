//! Storeys, of one or several buildings, each with the picture of a plan under its drawing.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::kept::{Kept, Most, Tie, between, hash, id, kept_by_id, name, spot};
use crate::site::{Refusal, Spot, Wrong};
use crate::units::Metres;

id!(/** A storey. */ FloorId);

/// A storey. Detached buildings are storeys of their own on the same sheet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Floor {
    /// Its id.
    pub id: FloorId,
    /// Its name.
    pub name: String,
    /// Finished floor above the datum.
    pub elevation_m: Metres,
    /// Floor to ceiling.
    pub height_m: Metres,
    /// A picture of the plan under the drawing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub underlay: Option<Underlay>,
}

/// A plan image under the drawing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Underlay {
    /// The SHA-256 of the image file, in hexadecimal.
    pub image: String,
    /// Its width in pixels.
    pub width_px: u32,
    /// Its height in pixels.
    pub height_px: u32,
    /// Where its top left corner lies on the sheet.
    pub origin: Spot,
    /// The side of one pixel.
    pub metres_per_px: f64,
    /// Whether a person has set the scale, or it is still the first guess.
    #[serde(default)]
    pub scaled: bool,
}

impl Underlay {
    /// A picture just put under the sheet, as wide as a usual house until a person sets the scale.
    pub fn first_guess(image: String, width_px: u32, height_px: u32) -> Self {
        const USUAL_HOUSE_M: f64 = 15.0;
        let metres_per_px = USUAL_HOUSE_M / f64::from(width_px.max(1));
        Self { image, width_px, height_px, origin: [0.0, 0.0], metres_per_px, scaled: false }
    }
}

kept_by_id!(Floor, FloorId);
impl Kept for Floor {
    const MOST: Most = Most { count: 200, why: "a tower of 100 storeys with a mezzanine on each" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        between("elevation_m", self.elevation_m, -50.0, 500.0)?;
        between("height_m", self.height_m, 1.0, 20.0)?;
        self.underlay.as_ref().map_or(Ok(()), Underlay::check)
    }
}

impl Underlay {
    fn check(&self) -> Result<(), Refusal> {
        spot("origin", self.origin)?;
        if !(1e-5..=10.0).contains(&self.metres_per_px) {
            return Err(Refusal::wrong("metres_per_px", Wrong::Scale));
        }
        hash("image", &self.image)
    }
}
