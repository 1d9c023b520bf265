//! What else is on the air, with a place on the plan.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::FloorId;
use crate::radio::coexistence::Emission;
use crate::site::kept::{
    Bond, Kept, Most, Tie, between, busy, carrier, id, kept_by_id, name, spot,
};
use crate::site::{Kind, Refusal, Spot, Wrong};
use crate::units::{Dbm, Metres};

id!(/** A source of interference. */ EmitterId);

/// A source of interference with a place on the plan.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Emitter {
    /// Its id.
    pub id: EmitterId,
    /// Its name.
    pub name: String,
    /// Its storey.
    pub floor: FloorId,
    /// Where on the sheet.
    pub at: Spot,
    /// Height above the floor.
    pub height_m: Metres,
    /// What it sends.
    pub carrier: Emission,
    /// Radiated power.
    pub tx_dbm: Dbm,
    /// The share of time that it sends, 0 to 1.
    pub busy: f64,
    /// Whether it is the house's own router or access point, to which a hub is cabled or joined.
    #[serde(default)]
    pub of_the_house: bool,
}

impl Emitter {
    /// A source as it is first put on a storey; *planning values* that a person then corrects.
    pub fn first_guess(id: EmitterId, floor: FloorId, carrier: Emission) -> Self {
        let (name, tx_dbm, busy) = match carrier {
            Emission::Wifi { .. } => ("Access point", 19.0, 0.25),
            Emission::Mesh { .. } => ("Foreign mesh", 8.0, 0.05),
            Emission::Narrow { .. } => ("Neighbour below 1 GHz", 5.0, 0.01),
        };
        Self {
            id,
            name: name.to_owned(),
            floor,
            at: [1.0, 1.0],
            height_m: Metres::new(1.5),
            carrier,
            tx_dbm: Dbm::new(tx_dbm),
            busy,
            of_the_house: false,
        }
    }
}

kept_by_id!(Emitter, EmitterId);
impl Kept for Emitter {
    const MOST: Most =
        Most { count: 500, why: "every access point of a block of flats; each reaches each radio" };

    const WHOLES: &'static [&'static str] = &["carrier"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("floor", Kind::Floor, &self.floor, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        spot("at", self.at)?;
        between("height_m", self.height_m, -5.0, 20.0)?;
        carrier(self.carrier)?;
        if !(-40.0..=36.0).contains(&self.tx_dbm.get()) {
            return Err(Refusal::wrong("tx_dbm", Wrong::Power { is: self.tx_dbm }));
        }
        busy(self.busy)
    }
}
