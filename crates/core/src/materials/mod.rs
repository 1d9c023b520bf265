//! What walls and floors are made of, and what they cost a radio signal.
//!
//! Materials are the rows of Rec. ITU-R P.2040-3, table 3; the loss of a layered construction is
//! computed in [`slab`]; constructions (layers, or measured values by band) are in [`construction`].

pub mod construction;
pub mod slab;

use crate::units::Megahertz;

/// One row of Rec. ITU-R P.2040-3, table 3: `η' = a·f^b`, `σ = c·f^d`, f in GHz.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Material {
    /// The name by which layers refer to it.
    pub name: &'static str,
    a: f64,
    b: f64,
    c: f64,
    d: f64,
    /// The band for which the source states the row, in GHz.
    pub stated_ghz: (f64, f64),
    /// Where the row comes from.
    pub source: &'static str,
}

const P2040: &str = "Rec. ITU-R P.2040-3, table 3";

#[rustfmt::skip]
/// Every material a layer can be made of.
pub const MATERIALS: [Material; 11] = [
    Material { name: "air",           a: 1.0,   b: 0.0, c: 0.0,    d: 0.0,    stated_ghz: (0.001, 100.0), source: "vacuum; Rec. ITU-R P.2040-3, table 3" },
    Material { name: "concrete",      a: 5.24,  b: 0.0, c: 0.0462, d: 0.7822, stated_ghz: (1.0, 100.0),   source: P2040 },
    Material { name: "brick",         a: 3.91,  b: 0.0, c: 0.0238, d: 0.16,   stated_ghz: (1.0, 40.0),    source: P2040 },
    Material { name: "plasterboard",  a: 2.73,  b: 0.0, c: 0.0085, d: 0.9395, stated_ghz: (1.0, 100.0),   source: P2040 },
    Material { name: "wood",          a: 1.99,  b: 0.0, c: 0.0047, d: 1.0718, stated_ghz: (0.001, 100.0), source: P2040 },
    Material { name: "glass",         a: 6.31,  b: 0.0, c: 0.0036, d: 1.3394, stated_ghz: (0.1, 100.0),   source: P2040 },
    Material { name: "ceiling-board", a: 1.48,  b: 0.0, c: 0.0011, d: 1.0750, stated_ghz: (1.0, 100.0),   source: P2040 },
    Material { name: "chipboard",     a: 2.58,  b: 0.0, c: 0.0217, d: 0.7800, stated_ghz: (1.0, 100.0),   source: P2040 },
    Material { name: "plywood",       a: 2.71,  b: 0.0, c: 0.33,   d: 0.0,    stated_ghz: (1.0, 40.0),    source: P2040 },
    Material { name: "marble",        a: 7.074, b: 0.0, c: 0.0055, d: 0.9262, stated_ghz: (1.0, 60.0),    source: P2040 },
    Material { name: "metal",         a: 1.0,   b: 0.0, c: 1e7,    d: 0.0,    stated_ghz: (1.0, 100.0),   source: P2040 },
];

/// No material has this name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("no material is called “{0}”; known: {known}", known = MATERIALS.map(|m| m.name).join(", "))]
pub struct UnknownMaterial(pub String);

impl Material {
    /// The material of this name.
    ///
    /// # Errors
    /// No such row.
    pub fn named(name: &str) -> Result<&'static Self, UnknownMaterial> {
        MATERIALS.iter().find(|m| m.name == name).ok_or_else(|| UnknownMaterial(name.to_owned()))
    }

    /// Complex relative permittivity `η = η' − j·17.98·σ/f`. Source: P.2040-3, eq. 9b.
    pub fn permittivity(&self, f: Megahertz) -> num_complex::Complex64 {
        let ghz = f.get() / 1000.0;
        let eta = self.a * ghz.powf(self.b);
        let sigma = self.c * ghz.powf(self.d);
        num_complex::Complex64::new(eta, -17.98 * sigma / ghz)
    }

    /// Whether `f` lies in the band for which the source states the row; outside it, a value is an
    /// extrapolation and must be shown as one.
    pub fn is_stated_at(&self, f: Megahertz) -> bool {
        let ghz = f.get() / 1000.0;
        (self.stated_ghz.0..=self.stated_ghz.1).contains(&ghz)
    }
}
