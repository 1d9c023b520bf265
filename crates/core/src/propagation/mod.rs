//! Path loss, wall by wall.
//!
//! `L = L1(f) + 10·n·log10(d) + Σ walls + floors`, where energy that leaks around bounds the excess.
//! [`Medium::visit_terms`] is the one place where a path is priced: the map sums its terms, the
//! staircase lists them, so that the two cannot disagree.

use std::sync::Arc;

use crate::geometry::Place;
use crate::geometry::structure::{Crossing, Structure, Surface};
use crate::materials::construction::Priced;
use crate::prove::Calibration;
use crate::units::{Db, Megahertz, Metres, power_sum};

/// Nearer than this, the loss at this distance is given.
pub const NEAREST: Metres = Metres::new(0.3);

/// The parts of the model and their parameters.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Model {
    /// Path-loss exponent `n`; 2 beside counted walls, as a larger one counts them twice.
    pub exponent: f64,
    /// Excess loss of the way around through gaps, ducts and outdoors, *planning value*; nothing
    /// turns it off.
    pub leak: Option<Db>,
    /// Whether constructions carry their clutter allowance.
    pub clutter: bool,
    /// A correction that readings taught.
    pub offset: Db,
}

impl Default for Model {
    fn default() -> Self {
        Self { exponent: 2.0, leak: Some(Db::new(30.0)), clutter: true, offset: Db::ZERO }
    }
}

impl Model {
    /// The model after a calibration, or as it is without one.
    #[must_use]
    pub fn calibrated(self, calibration: Option<&Calibration>) -> Self {
        calibration.map_or(self, |c| Self { exponent: c.exponent, offset: c.offset_db, ..self })
    }
}

/// Why a signal loses strength on its way.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cause {
    /// Distance in the open.
    Distance,
    /// The bare slab of a surface.
    Slab(Surface),
    /// What a real construction holds beyond its bare slab.
    Clutter(Surface),
    /// Several floors together: `k^((k+2)/(k+1) − 0.46)` instead of `k` (COST 231).
    FloorFactor,
    /// What comes around instead of through: a gain.
    Leak,
    /// What calibration found.
    Calibration,
}

/// One term of a path loss.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Term {
    /// Why.
    pub cause: Cause,
    /// How much; negative is a gain.
    pub loss: Db,
    /// Where along the path, as a share of its length.
    pub t: f64,
}

/// The building priced at one frequency. A copy shares building and prices.
#[derive(Clone, Debug)]
pub struct Medium {
    /// The building.
    pub structure: Arc<Structure>,
    prices: Arc<Vec<Priced>>,
    frequency: Megahertz,
    model: Model,
}

/// Free-space loss at one metre: `L1 = 20·log10(f/MHz) − 27.55`. Source: Rec. ITU-R P.525-4.
///
/// ```
/// # use dot_reach_core::{propagation::loss_at_one_metre, units::Megahertz};
/// assert_eq!(format!("{:.2}", loss_at_one_metre(Megahertz::new(2440.0))), "40.20 dB");
/// ```
pub fn loss_at_one_metre(f: Megahertz) -> Db {
    Db::new(20.0 * f.get().log10() - 27.55)
}

impl Medium {
    /// Prices every construction of `structure` at `frequency`.
    pub fn new(structure: &Arc<Structure>, frequency: Megahertz, model: Model) -> Self {
        let prices = structure.constructions.iter().map(|c| Priced::new(c, frequency)).collect();
        Self { structure: Arc::clone(structure), prices: Arc::new(prices), frequency, model }
    }

    /// The same building at the same prices under another model.
    #[must_use]
    pub fn with(&self, model: Model) -> Self {
        Self { model, ..self.clone() }
    }

    /// The frequency of the prices.
    pub fn frequency(&self) -> Megahertz {
        self.frequency
    }

    /// Loss of distance in the open: `L1(f) + 10·n·log10(d)`, `d ≥ 0.3 m`.
    fn distance_loss(&self, from: Place, to: Place) -> Db {
        let d = from.distance(to).max(NEAREST.get());
        loss_at_one_metre(self.frequency) + Db::new(10.0 * self.model.exponent * d.log10())
    }

    /// Calls `term` once for each loss along the straight way; distance first, then surfaces in no
    /// special order, then what applies to their sum.
    #[inline]
    pub fn visit_terms(&self, from: Place, to: Place, term: &mut impl FnMut(Term)) {
        term(Term { cause: Cause::Distance, loss: self.distance_loss(from, to), t: 0.0 });
        let mut excess = Db::ZERO;
        let (mut floors, mut floors_loss, mut last_floor) = (0u32, Db::ZERO, 0.0f64);
        self.structure.visit_crossings(
            from,
            to,
            &mut |Crossing { t, surface, construction, cos }| {
                let Some(price) = construction.and_then(|c| self.prices.get(c)) else { return };
                let slab = price.slab(cos);
                term(Term { cause: Cause::Slab(surface), loss: slab, t });
                let clutter = if self.model.clutter { price.clutter } else { Db::ZERO };
                if clutter > Db::ZERO {
                    term(Term { cause: Cause::Clutter(surface), loss: clutter, t });
                }
                let loss = slab + clutter;
                excess += loss;
                if matches!(surface, Surface::Slab(_)) {
                    (floors, last_floor) = (floors + 1, last_floor.max(t));
                    floors_loss += loss;
                }
            },
        );
        if floors > 1 {
            let k = f64::from(floors);
            // L_f·k^((k+2)/(k+1) − 0.46), L_f the mean of the floors crossed.
            let factor = k.powf((k + 2.0) / (k + 1.0) - 0.46) / k;
            let loss = floors_loss * (factor - 1.0);
            excess += loss;
            term(Term { cause: Cause::FloorFactor, loss, t: last_floor });
        }
        if let Some(leak) = self.model.leak
            && excess > Db::ZERO
        {
            // Without surfaces there is nothing to leak around: the correction is that of zero.
            let around = power_sum([excess, leak]) - power_sum([Db::ZERO, leak]);
            term(Term { cause: Cause::Leak, loss: around - excess, t: 1.0 });
        }
        if self.model.offset != Db::ZERO {
            term(Term { cause: Cause::Calibration, loss: self.model.offset, t: 1.0 });
        }
    }

    /// The whole path loss.
    #[inline]
    pub fn loss(&self, from: Place, to: Place) -> Db {
        let mut total = Db::ZERO;
        self.visit_terms(from, to, &mut |term| total += term.loss);
        total
    }

    /// The terms in order along the path.
    pub fn explain(&self, from: Place, to: Place) -> Vec<Term> {
        let mut terms = Vec::new();
        self.visit_terms(from, to, &mut |term| terms.push(term));
        terms.sort_by(|a, b| a.t.total_cmp(&b.t));
        terms
    }
}
