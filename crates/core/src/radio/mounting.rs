//! What a box, a plate or a cupboard costs the radio in it. All *planning values*.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::materials::construction::FrequencyBand;
use crate::units::{Db, Megahertz};

/// The back box.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum BoxKind {
    /// Nobody said.
    #[default]
    Unknown,
    /// No box.
    None,
    /// Plastic.
    Plastic,
    /// Metal.
    Metal,
}

impl BoxKind {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Unknown, "not said"),
        (Self::None, "none"),
        (Self::Plastic, "plastic"),
        (Self::Metal, "metal"),
    ];

    /// Whether there is one, as far as anybody said.
    pub fn is_there(self) -> bool {
        matches!(self, Self::Plastic | Self::Metal)
    }
}

/// What stands between a radio and the room, beside its back box.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
#[expect(missing_docs, reason = "see Mounting::name")]
pub enum Mounting {
    #[default]
    Unsaid,
    Open,
    MetalPlate,
    BehindMechanismInMetal,
    WoodenLampBase,
    CeramicLampBase,
    MetalLampBase,
    PlasticWeatherBox,
    MetalCabinet,
    VentedRack,
    BehindAppliance,
    AboveCeilingTile,
    BehindFoil,
    MeterCupboard,
}

/// Loss of one mounting by band.
#[derive(Clone, Copy, Debug)]
pub struct MountingRow {
    /// The mounting.
    pub mounting: Mounting,
    /// Its name, as it reads in a sentence.
    pub name: &'static str,
    /// Loss at about 434 MHz and 863–926 MHz.
    pub sub_ghz: Db,
    /// Loss at 2.4 GHz.
    pub mhz_2400: Db,
}

const fn row(mounting: Mounting, name: &'static str, sub_ghz: f64, mhz_2400: f64) -> MountingRow {
    MountingRow { mounting, name, sub_ghz: Db::new(sub_ghz), mhz_2400: Db::new(mhz_2400) }
}

#[rustfmt::skip]
/// One row a mounting, in the order of the enum; *planning values*.
pub const MOUNTINGS: [MountingRow; 14] = [
    row(Mounting::Unsaid,                 "not said",                             0.0,  0.0),
    row(Mounting::Open,                   "in the open",                          0.0,  0.0),
    row(Mounting::MetalPlate,             "metal plate",                          6.0,  8.0),
    row(Mounting::BehindMechanismInMetal, "behind a mechanism in a metal box",    7.0,  10.0),
    row(Mounting::WoodenLampBase,         "wooden lamp base",                     1.0,  1.0),
    row(Mounting::CeramicLampBase,        "ceramic lamp base",                    2.0,  2.0),
    row(Mounting::MetalLampBase,          "metal lamp base",                      12.0, 15.0),
    row(Mounting::PlasticWeatherBox,      "plastic weather box",                  1.0,  1.0),
    row(Mounting::MetalCabinet,           "closed metal cabinet",                 20.0, 20.0),
    row(Mounting::VentedRack,             "vented rack",                          10.0, 10.0),
    row(Mounting::BehindAppliance,        "behind a television or appliance",     6.0,  8.0),
    row(Mounting::AboveCeilingTile,       "above a ceiling tile",                 1.0,  1.0),
    row(Mounting::BehindFoil,             "behind foil insulation",               12.0, 15.0),
    row(Mounting::MeterCupboard,          "meter cupboard",                       8.0,  10.0),
];

/// A metal box behind a plastic plate.
const METAL_BOX: MountingRow = row(Mounting::Open, "metal back box", 4.0, 6.0);

impl Mounting {
    /// Whether something stands around, as far as anybody said.
    pub fn is_around(self) -> bool {
        !matches!(self, Self::Unsaid | Self::Open)
    }

    /// The row of this mounting.
    pub fn row(self) -> &'static MountingRow {
        &MOUNTINGS[self as usize]
    }
}

impl MountingRow {
    /// The loss at a frequency.
    pub fn loss(&self, f: Megahertz) -> Db {
        if FrequencyBand::of(f) == FrequencyBand::Mhz2400 { self.mhz_2400 } else { self.sub_ghz }
    }
}

/// Every loss of a mounting in a back box, with its name; nothing where nothing is in the way.
pub fn losses(back_box: BoxKind, mounting: Mounting, f: Megahertz) -> Vec<(&'static str, Db)> {
    let in_metal_box = back_box == BoxKind::Metal
        // That row already holds its metal box.
        && mounting != Mounting::BehindMechanismInMetal;
    let rows = in_metal_box.then_some(&METAL_BOX).into_iter().chain([mounting.row()]);
    rows.map(|row| (row.name, row.loss(f))).filter(|(_, loss)| *loss > Db::ZERO).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_in_the_order_of_the_enum() {
        for (i, row) in MOUNTINGS.iter().enumerate() {
            assert_eq!(row.mounting as usize, i, "{}", row.name);
        }
    }
}
