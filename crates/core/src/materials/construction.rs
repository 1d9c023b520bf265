//! Constructions: the walls, floors, doors and windows that a plan is drawn with.

use std::sync::LazyLock;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::slab::{self, Layer, LayerError, STEEPEST_DEG};
use crate::units::{Db, Megahertz};

/// What a construction is used for; it orders the lists that a person chooses from.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum Use {
    /// Inner and outer walls.
    Wall,
    /// Floors between storeys.
    Floor,
    /// Roofs and loft insulation.
    Roof,
    /// Door leaves.
    Door,
    /// Glazing.
    Window,
    /// Things that stand in the way: a fridge, a chimney, a mirror.
    Obstacle,
}

/// The bands in which losses are measured and spoken of.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
pub enum FrequencyBand {
    /// About 434 MHz.
    #[serde(rename = "434")]
    Mhz434,
    /// 863 to 926 MHz.
    #[serde(rename = "868")]
    Mhz868,
    /// 2400 to 2480 MHz.
    #[serde(rename = "2440")]
    Mhz2400,
}

/// The frequencies at which losses of the bands are told, each with the band's word.
pub const PRICED_AT: [(&str, Megahertz); 3] = [
    ("434", Megahertz::new(433.92)),
    ("868", Megahertz::new(868.42)),
    ("2440", Megahertz::new(2440.0)),
];

impl FrequencyBand {
    /// The frequency at which its losses are told.
    pub fn priced_at(self) -> Megahertz {
        PRICED_AT[self as usize].1
    }

    /// The band that `f` is nearest to, on a logarithmic scale.
    pub fn of(f: Megahertz) -> Self {
        match f.get() {
            ..620.0 => Self::Mhz434,
            ..1450.0 => Self::Mhz868,
            _ => Self::Mhz2400,
        }
    }
}

/// Measured loss through a construction, in decibels, by band; it replaces layers and clutter.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MeasuredLoss {
    /// At about 434 MHz.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mhz_434: Option<Db>,
    /// At 863 to 926 MHz.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mhz_868: Option<Db>,
    /// At 2400 to 2480 MHz.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mhz_2400: Option<Db>,
}

impl MeasuredLoss {
    /// Whether none was given.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// The value for a band, if one was given.
    pub fn at(&self, band: FrequencyBand) -> Option<Db> {
        match band {
            FrequencyBand::Mhz434 => self.mhz_434,
            FrequencyBand::Mhz868 => self.mhz_868,
            FrequencyBand::Mhz2400 => self.mhz_2400,
        }
    }
}

/// A construction: layers with a clutter allowance, or measured losses, or both by band.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Construction {
    /// The id by which walls, openings and slabs refer to it, such as `brick-102`.
    pub id: String,
    /// What a person calls it.
    pub name: String,
    /// What it is used for.
    #[serde(rename = "use")]
    pub used_for: Use,
    /// `material:millimetres,…` from one face to the other; empty when only measured.
    #[serde(default)]
    pub layers: String,
    /// Studs, pipes, wiring, furniture: what a real wall costs beyond its bare slab.
    #[serde(default)]
    pub clutter_db: Db,
    /// That allowance by band, where one for all does not do; negative where the slab by the
    /// recommendation costs more than such walls do in houses.
    #[serde(default, skip_serializing_if = "MeasuredLoss::is_empty")]
    pub clutter_by_band: MeasuredLoss,
    /// Measured losses that replace layers and clutter in their band.
    #[serde(default)]
    pub measured: MeasuredLoss,
    /// Where the row comes from.
    pub source: String,
}

/// Why a construction was refused.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum ConstructionError {
    /// Its layers are wrong.
    #[error(transparent)]
    Layers(#[from] LayerError),
    /// Neither layers nor a measured loss for every band.
    #[error(
        "“{0}” has no layers and lacks a measured loss for one of the bands 434, 868, 2400 MHz"
    )]
    Empty(String),
    /// A loss outside 0 to 90 dB.
    #[error("a loss of {0} is not between 0 and 90 dB")]
    Loss(Db),
    /// An allowance outside −30 to 90 dB.
    #[error("a clutter allowance of {0} is not between −30 and 90 dB")]
    Clutter(Db),
}

impl Construction {
    /// The layers, read.
    ///
    /// # Errors
    /// Text that is no stack of layers.
    pub fn stack(&self) -> Result<Vec<Layer>, LayerError> {
        if self.layers.is_empty() { Ok(Vec::new()) } else { slab::parse_layers(&self.layers) }
    }

    /// Checks that every band has a loss.
    ///
    /// # Errors
    /// The first thing wrong with it.
    pub fn check_layers(&self) -> Result<(), ConstructionError> {
        let m = &self.measured;
        let given = [m.mhz_434, m.mhz_868, m.mhz_2400];
        let losses = given.into_iter().flatten().chain([self.clutter_db]);
        for loss in losses {
            if !(0.0..=90.0).contains(&loss.get()) {
                return Err(ConstructionError::Loss(loss));
            }
        }
        let c = &self.clutter_by_band;
        for clutter in [c.mhz_434, c.mhz_868, c.mhz_2400].into_iter().flatten() {
            if !(-30.0..=90.0).contains(&clutter.get()) {
                return Err(ConstructionError::Clutter(clutter));
            }
        }
        if self.stack()?.is_empty() && given.iter().any(Option::is_none) {
            return Err(ConstructionError::Empty(self.name.clone()));
        }
        Ok(())
    }

    /// The clutter allowance at a band; a measured loss needs none.
    pub fn clutter(&self, band: FrequencyBand) -> Db {
        match self.measured.at(band) {
            Some(_) => Db::ZERO,
            None => self.clutter_by_band.at(band).unwrap_or(self.clutter_db),
        }
    }

    /// Layers whose material is not stated at `f`: their loss is an extrapolation.
    pub fn extrapolated_at(&self, f: Megahertz) -> Vec<&'static str> {
        if self.measured.at(FrequencyBand::of(f)).is_some() {
            return Vec::new();
        }
        let layers = self.stack().unwrap_or_default();
        let mut names: Vec<_> = layers
            .iter()
            .map(Layer::material)
            .filter(|m| !m.is_stated_at(f))
            .map(|m| m.name)
            .collect();
        names.sort_unstable();
        names.dedup();
        names
    }
}

#[derive(Deserialize)]
struct Rows {
    construction: Vec<Construction>,
}

/// The constructions that every job starts with. A broken row is a defect that the tests catch;
/// it is left out here rather than stopping the program.
pub static CONSTRUCTIONS: LazyLock<Vec<Construction>> = LazyLock::new(|| {
    toml::from_str::<Rows>(include_str!("../../data/constructions.toml"))
        .map(|rows| rows.construction)
        .unwrap_or_default()
});

/// Steps of the cosine of the angle of incidence in a price table.
const STEPS: usize = 256;
/// Cosines at which the slab itself is computed; the steps between follow a cubic.
const NODES: usize = 36;

/// A table of `STEPS` values through `nodes` (Catmull–Rom).
#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_precision_loss,
    reason = "places within a small table"
)]
fn refined(nodes: &[f64]) -> Vec<f64> {
    let last = nodes.len() - 1;
    // Beyond an end the curve goes on as straight as it arrives.
    let node = |i: isize| match usize::try_from(i) {
        Err(_) => 2.0 * nodes[0] - nodes[1],
        Ok(i) if i > last => 2.0 * nodes[last] - nodes[last - 1],
        Ok(i) => nodes[i],
    };
    let value = |step: usize| {
        let place = step as f64 / (STEPS - 1) as f64 * last as f64;
        let i = (place as isize).min(last.cast_signed() - 1);
        let t = place - i as f64;
        let [a, b, c, d] = [node(i - 1), node(i), node(i + 1), node(i + 2)];
        let (m, n) = ((c - a) / 2.0, (d - b) / 2.0);
        let (t2, t3) = (t * t, t * t * t);
        b * (2.0 * t3 - 3.0 * t2 + 1.0)
            + m * (t3 - 2.0 * t2 + t)
            + c * (3.0 * t2 - 2.0 * t3)
            + n * (t3 - t2)
    };
    (0..STEPS).map(value).collect()
}

/// How heavy a wall is on the plan: by its loss straight through at 2.4 GHz, clutter included.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Heft {
    /// Below 5 dB: studs and boards.
    Light,
    /// Below 10 dB: brick, block.
    Middling,
    /// Below 22.1 dB: concrete, stone.
    Heavy,
    /// As good as metal.
    Metal,
}

impl Construction {
    /// Loss straight through at `f`, clutter included.
    pub fn straight_loss(&self, f: Megahertz) -> Db {
        if let Some(measured) = self.measured.at(FrequencyBand::of(f)) {
            return measured;
        }
        let layers = self.stack().unwrap_or_default();
        let passed = if layers.is_empty() { 1.0 } else { slab::averaged(&layers, f, 1.0).0 };
        slab::loss_of(passed) + self.clutter(FrequencyBand::of(f))
    }

    /// How heavy it is on the plan.
    pub fn heft(&self) -> Heft {
        match self.straight_loss(Megahertz::new(2440.0)).get() {
            ..5.0 => Heft::Light,
            ..10.0 => Heft::Middling,
            ..22.1 => Heft::Heavy,
            _ => Heft::Metal,
        }
    }
}

/// A construction priced at one frequency: its loss and reflection against the angle.
///
/// The table is linear in the cosine of the angle of incidence; the tests hold it within 0.01 dB
/// of the slab itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Priced {
    /// The part of the loss that is not the bare slab.
    pub clutter: Db,
    /// What readings in this house found beyond both.
    pub learned: Db,
    /// Layers whose material is not stated at this frequency: the loss is an extrapolation.
    pub extrapolated: Vec<&'static str>,
    through: Vec<f64>,
    back: Vec<f64>,
    lowest_cos: f64,
}

impl Priced {
    /// Prices `construction` at `f`. Layers that cannot be read cost nothing; they are findings.
    pub fn new(construction: &Construction, f: Megahertz) -> Self {
        let lowest_cos = STEEPEST_DEG.to_radians().cos();
        let layers = construction.stack().unwrap_or_default();
        let measured = construction.measured.at(FrequencyBand::of(f));
        let (mut through, mut back) = (Vec::with_capacity(NODES), Vec::with_capacity(NODES));
        for node in 0..NODES {
            #[expect(clippy::cast_precision_loss, reason = "a few nodes")]
            let cos = lowest_cos + (1.0 - lowest_cos) * node as f64 / (NODES - 1) as f64;
            let (passed, reflected) =
                if layers.is_empty() { (1.0, 0.0) } else { slab::averaged(&layers, f, cos) };
            through.push(measured.unwrap_or_else(|| slab::loss_of(passed)).get());
            back.push(slab::loss_of(reflected).get());
        }
        // No surface gives power: where the slab costs least it costs nothing at the least.
        let least = through.iter().copied().fold(f64::INFINITY, f64::min);
        let clutter = construction.clutter(FrequencyBand::of(f)).max(Db::new(-least));
        let extrapolated = construction.extrapolated_at(f);
        let (through, back) = (refined(&through), refined(&back));
        Self { clutter, learned: Db::ZERO, extrapolated, through, back, lowest_cos }
    }

    /// The loss beyond the slab's: clutter, where it is counted, and what readings found.
    pub fn beyond(&self, clutter: bool) -> f64 {
        self.learned.get() + if clutter { self.clutter.get() } else { 0.0 }
    }

    /// Loss of the slab at this cosine of the angle of incidence, without clutter.
    pub fn slab(&self, cos_incidence: f64) -> Db {
        Db::new(self.interpolate(&self.through, cos_incidence))
    }

    /// Loss of a reflection at this cosine of the angle of incidence.
    pub fn reflection(&self, cos_incidence: f64) -> Db {
        Db::new(self.interpolate(&self.back, cos_incidence))
    }

    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        clippy::cast_precision_loss,
        reason = "the position is held within the table"
    )]
    fn interpolate(&self, table: &[f64], cos: f64) -> f64 {
        let place = (cos - self.lowest_cos) / (1.0 - self.lowest_cos) * (STEPS - 1) as f64;
        let place = place.clamp(0.0, (STEPS - 1) as f64);
        let low = (place as usize).min(STEPS - 2);
        let part = place - low as f64;
        table[low] + (table[low + 1] - table[low]) * part
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_shipped_row_is_whole_and_cites_a_source() {
        assert!(CONSTRUCTIONS.len() >= 30, "{}", CONSTRUCTIONS.len());
        for row in CONSTRUCTIONS.iter() {
            assert_eq!(row.check_layers(), Ok(()), "{}", row.id);
            assert!(!row.source.is_empty(), "{}", row.id);
            assert_eq!(CONSTRUCTIONS.iter().filter(|c| c.id == row.id).count(), 1, "{}", row.id);
        }
    }

    type Ranges = [(f64, f64); 3];

    /// What such parts of houses are measured to cost straight through, in decibels, at 2.4 GHz, at
    /// 868 to 916 MHz and at 434 MHz; of mirrors and metal the least.
    #[rustfmt::skip]
    const FIELD: [(&[&str], Ranges); 19] = [
        (&["stud-wall", "stud-wall-double", "stud-wall-us", "oak-boarded", "loft-wool"],
                                     [( 3.0,  4.0), ( 2.0,  3.0), ( 2.0,  2.5)]),
        (&["lath-plaster"],          [( 5.0,  8.0), ( 4.0,  6.0), ( 3.0,  5.0)]),
        (&["block-100"],             [( 5.0,  8.0), ( 4.0,  6.0), ( 3.0,  5.0)]),
        (&["brick-102"],             [( 6.0,  8.0), ( 4.0,  5.0), ( 3.0,  4.0)]),
        (&["brick-215"],             [(10.0, 15.0), ( 7.0, 10.0), ( 5.0,  7.0)]),
        (&["rubble-stone-600", "chimney-breast"],
                                     [(18.0, 25.0), (12.0, 18.0), ( 8.0, 13.0)]),
        (&["cavity-wall"],           [( 9.0, 14.0), ( 7.0, 10.0), ( 5.0,  9.0)]),
        (&["timber-frame-ext", "siding-frame-us"],
                                     [( 5.0,  9.0), ( 4.0,  7.0), ( 3.0,  6.0)]),
        (&["concrete-150", "concrete-200", "beam-and-block"],
                                     [(12.0, 18.0), ( 8.0, 12.0), ( 6.0, 10.0)]),
        (&["concrete-reinforced", "slab-reinforced-200"],
                                     [(15.0, 25.0), (12.0, 20.0), (10.0, 15.0)]),
        (&["cavity-wall-foil", "loft-foil", "low-e-glazing", "slab-heated-foil"],
                                     [(15.0, 25.0), (12.0, 20.0), ( 8.0, 18.0)]),
        (&["timber-floor", "oak-floor", "timber-floor-acoustic"],
                                     [( 6.0, 10.0), ( 4.0,  7.0), ( 3.0,  5.0)]),
        (&["slate-roof"],            [( 5.0,  8.0), ( 4.0,  6.0), ( 3.0,  5.0)]),
        (&["door-hollow"],           [( 2.0,  4.0), ( 1.5,  3.0), ( 1.0,  3.0)]),
        (&["door-wood"],             [( 3.0,  5.0), ( 2.0,  3.0), ( 1.0,  2.0)]),
        (&["door-fire"],             [( 5.0,  8.0), ( 3.0,  5.0), ( 2.0,  4.0)]),
        (&["window-single", "glass-partition"],
                                     [( 1.0,  3.0), ( 0.5,  2.0), ( 0.0,  1.5)]),
        (&["window-double"],         [( 2.0,  4.0), ( 1.0,  3.0), ( 0.5,  2.0)]),
        (&["mirror", "fridge", "metal-plant", "metal-roof", "door-metal", "water-tank"],
                                     [(20.0, 90.0), (15.0, 90.0), (12.0, 90.0)]),
    ];
    /// What no such range is known of.
    const OTHERS: [&str; 6] = [
        "wet-room-tiled",
        "plywood-partition",
        "ground-slab",
        "ceiling-tile",
        "wardrobe-full",
        "stove-flue",
    ];

    #[test]
    fn every_shipped_construction_lies_in_its_field_range_in_every_band() {
        for row in CONSTRUCTIONS.iter() {
            let known = FIELD.iter().find(|(ids, _)| ids.contains(&row.id.as_str()));
            let Some((_, [high, low, lowest])) = known else {
                assert!(OTHERS.contains(&row.id.as_str()), "{} has no range", row.id);
                continue;
            };
            let bands =
                [(2440.0, high), (868.42, low), (908.42, low), (921.42, low), (433.92, lowest)];
            for (mhz, (from, to)) in bands {
                let priced = Priced::new(row, Megahertz::new(mhz));
                let loss = (priced.slab(1.0) + priced.clutter).get();
                assert!((*from..=*to).contains(&loss), "{} at {mhz}: {loss:.1} dB", row.id);
                assert!((row.straight_loss(Megahertz::new(mhz)).get() - loss).abs() < 0.01);
            }
        }
    }

    #[test]
    fn the_price_table_follows_the_slab() {
        for row in CONSTRUCTIONS.iter() {
            let f = Megahertz::new(2440.0);
            let layers = row.stack().unwrap();
            if layers.is_empty() || row.measured.at(FrequencyBand::Mhz2400).is_some() {
                continue;
            }
            let priced = Priced::new(row, f);
            for degrees in [0.0, 11.0, 33.3, 47.0, 61.0, 69.0] {
                let cos = f64::to_radians(degrees).cos();
                let exact = slab::loss_of(slab::averaged(&layers, f, cos).0).get();
                let table = priced.slab(cos).get();
                assert!((exact - table).abs() < 0.01, "{} {degrees}°: {exact} {table}", row.id);
            }
        }
    }

    #[test]
    fn a_measured_loss_replaces_slab_and_clutter_in_its_band_alone() {
        let mut row = CONSTRUCTIONS.iter().find(|c| c.id == "brick-102").unwrap().clone();
        row.measured.mhz_2400 = Some(Db::new(11.0));
        let high = Priced::new(&row, Megahertz::new(2440.0));
        assert_eq!((high.slab(0.5), high.clutter), (Db::new(11.0), Db::ZERO));
        let low = Priced::new(&row, Megahertz::new(868.0));
        assert_eq!(Some(low.clutter), row.clutter_by_band.mhz_868);
    }
}
