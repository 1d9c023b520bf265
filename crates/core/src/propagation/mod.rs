//! Path loss, wall by wall.
//!
//! `L = L1(f) + 10·n·log10(d) + Σ walls + floors` along each way that the signal takes: straight,
//! leaking around, bouncing once ([`bounce`]), bending around jambs (`bends`); the powers add.
//! `Medium::visit_leg` is the one place where surfaces are priced: links, maps and staircases go
//! through it, so that they cannot disagree. Two other schools stand beside it in [`schools`].

mod bends;
pub mod bounce;
pub mod diffraction;
pub mod doorway;
mod lean;
pub mod schools;
mod surface;
mod ways;

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, OnceLock};

pub use diffraction::knife_edge_loss;
pub use lean::Lean;
pub use surface::Gain;
pub use ways::{LossCause, SignalWay, Term, WayKind};

use crate::building::fan::Fan;
use crate::building::structure::{Crossing, Structure, Surface};
use crate::geometry::Place;
use crate::materials::construction::Priced;
use crate::site::Correction;
use crate::units::{Db, Megahertz, Metres};
use bounce::{Mirror, ground_reflection, visit_bounces};
use doorway::{Jamb, Legs, Station};

/// Nearer than this, the loss at this distance is given.
pub const NEAREST: Metres = Metres::new(0.3);

/// A way that is weaker than the straight one by this much is left out: it would add less than
/// 0.1 dB, in decibels.
const WORTH: f64 = 16.0;

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
    /// Whether paths bounce off surfaces.
    pub reflections: bool,
    /// Whether paths bend around jambs.
    pub doorways: bool,
    /// A correction that readings taught.
    pub offset: Db,
}

impl Default for Model {
    fn default() -> Self {
        Self {
            exponent: 2.0,
            leak: Some(Db::new(45.0)),
            clutter: true,
            reflections: true,
            doorways: true,
            offset: Db::ZERO,
        }
    }
}

impl Model {
    /// The straight way alone, without leak, clutter, bounces or bends.
    pub fn straight_only() -> Self {
        let (leak, clutter, reflections, doorways) = (None, false, false, false);
        Self { leak, clutter, reflections, doorways, ..Self::default() }
    }

    /// The model after a calibration, or as it is without one.
    #[must_use]
    pub fn calibrated(self, calibration: Option<&Correction>) -> Self {
        calibration.map_or(self, |c| Self { exponent: c.exponent, offset: c.offset_db, ..self })
    }
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

/// `k^((k+2)/(k+1) − 0.46)`, the factor by which `k` floors cost as much as one. Source: COST 231
/// final report, § 4.7.2.
pub fn floor_factor(k: f64) -> f64 {
    k.powf((k + 2.0) / (k + 1.0) - 0.46)
}

/// No wall is left out of a leg.
const NONE: [usize; 2] = [usize::MAX; 2];

/// What surfaces along one way cost, in decibels.
#[derive(Clone, Copy, Debug, Default)]
struct Excess {
    sum: f64,
    floors: u32,
    floors_loss: f64,
}

impl Excess {
    fn add(&mut self, surface: Surface, loss: f64) {
        self.sum += loss;
        if matches!(surface, Surface::Slab(_)) {
            self.floors += 1;
            self.floors_loss += loss;
        }
    }

    /// What several floors cost beyond (or short of) their sum: `L_f·k^(…) − k·L_f`.
    fn floor_correction(&self) -> f64 {
        if self.floors < 2 {
            return 0.0;
        }
        let k = f64::from(self.floors);
        self.floors_loss * (floor_factor(k) / k - 1.0)
    }

    fn total(&self) -> f64 {
        self.sum + self.floor_correction()
    }
}

/// The building priced at one frequency. A copy shares building, prices and legs.
#[derive(Clone, Debug)]
pub struct Medium {
    /// The building.
    pub structure: Arc<Structure>,
    prices: Arc<Vec<Priced>>,
    jambs: Arc<Vec<Jamb>>,
    /// What fills the opening of each jamb costs, straight through.
    fills: Arc<Vec<f64>>,
    legs: Arc<OnceLock<Legs>>,
    /// What bounces add between two storeys, the lower one first; fitted when asked for.
    gains: Arc<Mutex<BTreeMap<(usize, usize), Gain>>>,
    frequency: Megahertz,
    at_one_metre: f64,
    is_square_law: bool,
    model: Model,
    /// What readings found each construction to cost beyond its plan; none where nothing was found.
    learned: Arc<Vec<Db>>,
}

/// All that a loss depends on, but for the two ends: what was computed under another stamp does not
/// hold any longer.
#[derive(Clone, Debug)]
pub struct LossStamp {
    structure: Arc<Structure>,
    frequency: Megahertz,
    model: Model,
    learned: Arc<Vec<Db>>,
}

impl PartialEq for LossStamp {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.structure, &other.structure)
            && self.frequency == other.frequency
            && self.model == other.model
            && self.learned == other.learned
    }
}

impl Medium {
    /// Prices every construction of `structure` at `frequency`.
    pub fn new(structure: &Arc<Structure>, frequency: Megahertz, model: Model) -> Self {
        let prices: Vec<_> =
            structure.constructions.iter().map(|c| Priced::new(c, frequency)).collect();
        let jambs = doorway::jambs(structure);
        let fills = fills(&jambs, &prices, model.clutter);
        Self {
            structure: Arc::clone(structure),
            prices: Arc::new(prices),
            jambs: Arc::new(jambs),
            fills: Arc::new(fills),
            legs: Arc::default(),
            gains: Arc::default(),
            frequency,
            at_one_metre: loss_at_one_metre(frequency).get(),
            is_square_law: is_square(model),
            model,
            learned: Arc::default(),
        }
    }

    /// The same building in which each construction costs so much more than planned, by its place; alike
    /// in every other way.
    #[must_use]
    pub fn learned(&self, more: &Arc<Vec<Db>>) -> Self {
        if *more == self.learned {
            return self.clone();
        }
        let mut prices = Vec::clone(&self.prices);
        for (c, price) in prices.iter_mut().enumerate() {
            price.learned = more.get(c).copied().unwrap_or_default();
        }
        let fills = Arc::new(fills(&self.jambs, &prices, self.model.clutter));
        let (legs, gains, learned) = (Arc::default(), Arc::default(), Arc::clone(more));
        Self { prices: Arc::new(prices), fills, legs, gains, learned, ..self.clone() }
    }

    /// What readings found a construction, by its place, to cost beyond its plan.
    pub fn learned_of(&self, construction: usize) -> Db {
        self.learned.get(construction).copied().unwrap_or_default()
    }

    /// The same building at the same prices under another model.
    #[must_use]
    pub fn with(&self, model: Model) -> Self {
        let mut this = self.clone();
        if model.clutter != self.model.clutter {
            this.legs = Arc::default();
            this.fills = Arc::new(fills(&this.jambs, &this.prices, model.clutter));
        }
        if model != self.model {
            this.gains = Arc::default();
        }
        (this.is_square_law, this.model) = (is_square(model), model);
        this
    }

    /// All that a loss depends on, but for the two ends.
    pub fn stamp(&self) -> LossStamp {
        let structure = Arc::clone(&self.structure);
        let learned = Arc::clone(&self.learned);
        LossStamp { structure, frequency: self.frequency, model: self.model, learned }
    }

    /// The frequency of the prices.
    pub fn frequency(&self) -> Megahertz {
        self.frequency
    }

    /// The model in force.
    pub fn model(&self) -> Model {
        self.model
    }

    /// Loss of distance in the open: `L1(f) + 10·n·log10(d)`, `d ≥ 0.3 m`.
    #[inline]
    fn distance_loss(&self, d: f64) -> f64 {
        self.at_one_metre + 10.0 * self.model.exponent * d.max(NEAREST.get()).log10()
    }

    /// The length at which distance alone costs `loss`.
    fn length_of(&self, loss: f64) -> f64 {
        10f64.powf((loss - self.at_one_metre) / (10.0 * self.model.exponent))
    }

    /// Prices every surface that a straight leg crosses, leaving out two walls that it begins or
    /// ends on: `price(surface, slab, clutter, part of the leg)`, in no special order.
    #[inline]
    fn visit_leg(
        &self,
        from: Place,
        to: Place,
        without: [usize; 2],
        price: &mut impl FnMut(Surface, f64, f64, f64),
    ) {
        self.structure.visit_crossings(from, to, &mut self.pricing(without, price));
    }

    /// Turns crossings into prices.
    #[inline]
    fn pricing<'a>(
        &'a self,
        without: [usize; 2],
        price: &'a mut impl FnMut(Surface, f64, f64, f64),
    ) -> impl FnMut(Crossing) + 'a {
        let clutter_on = self.model.clutter;
        move |crossing| {
            let Crossing { t, surface, construction, cos } = crossing;
            let (Surface::Wall(wall) | Surface::Opening(wall, _) | Surface::Slab(wall)) = surface;
            if without.contains(&wall) && !matches!(surface, Surface::Slab(_)) {
                return;
            }
            let Some(row) = construction.and_then(|c| self.prices.get(c)) else { return };
            let slab = row.slab(cos).get();
            // No surface gives power, whatever readings found.
            price(surface, slab, row.beyond(clutter_on).max(-slab), t);
        }
    }

    /// Adds what a leg costs beyond distance.
    #[inline]
    fn add_leg(&self, from: Place, to: Place, without: [usize; 2], excess: &mut Excess) {
        self.visit_leg(from, to, without, &mut |surface, slab, clutter, _| {
            excess.add(surface, slab + clutter);
        });
    }

    /// Straight and leaking around together, from the straight way's excess: powers add, and
    /// without surfaces there is nothing to leak around.
    #[inline]
    fn leaking(&self, excess: f64) -> f64 {
        match self.model.leak {
            Some(leak) if excess > 0.0 => {
                let around = 10f64.powf(-leak.get() / 10.0);
                let through = 10f64.powf(-excess / 10.0);
                -10.0 * (through + around).log10() + 10.0 * (1.0 + around).log10()
            }
            _ => excess,
        }
    }

    /// What a reflection costs.
    fn reflection(&self, construction: Option<usize>, cos: f64) -> f64 {
        match construction.and_then(|c| self.prices.get(c)) {
            Some(price) => price.reflection(cos).get(),
            None => ground_reflection(cos, self.frequency).get(),
        }
    }

    /// The path loss between two places by every way.
    pub fn loss(&self, from: Place, to: Place) -> Db {
        self.loss_between(&self.station(from), &self.station(to))
    }

    /// The path loss between two stations by every way.
    pub fn loss_between(&self, a: &Station, b: &Station) -> Db {
        let straight = self.straight_power(a.place, b.place);
        let mut power = straight.power;
        if self.model.reflections {
            self.visit_bounced(a.place, b.place, straight.limit, &mut |way| {
                power += ratio(way.loss);
            });
        }
        self.visit_bent(a, b, &straight, &mut |way| power += ratio(way.loss));
        Db::new(-10.0 * power.log10()) + self.model.offset
    }

    #[inline]
    fn straight_power(&self, from: Place, to: Place) -> Straight {
        self.straight_of(from, to, None)
    }

    /// The straight way; `fan` holds the walls around `from`, where they were gathered before.
    #[inline]
    fn straight_of(&self, from: Place, to: Place, fan: Option<&Fan>) -> Straight {
        let mut excess = Excess::default();
        let mut through = [(usize::MAX, usize::MAX); 6];
        let mut count = 0;
        let mut add = |surface, slab: f64, clutter: f64, _: f64| {
            excess.add(surface, slab + clutter);
            if let Surface::Opening(wall, hole) = surface
                && count < through.len()
            {
                (through[count], count) = ((wall, hole), count + 1);
            }
        };
        match fan {
            Some(fan) => {
                fan.visit_crossings(&self.structure, to, &mut self.pricing(NONE, &mut add));
            }
            None => self.visit_leg(from, to, NONE, &mut add),
        }
        let distance = from.distance(to);
        let excess = self.leaking(excess.total());
        let loss = self.distance_loss(distance) + excess;
        Straight { distance, excess, power: ratio(loss), limit: loss + WORTH, through }
    }

    fn visit_bounced(&self, from: Place, to: Place, limit: f64, visit: &mut impl FnMut(Bounced)) {
        let longest = self.length_of(limit);
        visit_bounces(&self.structure, from, to, longest, &mut |b| {
            let mirror = self.reflection(b.construction, b.cos);
            let before = self.distance_loss(b.length) + mirror;
            if before > limit {
                return;
            }
            let wall = match b.mirror {
                Mirror::Surface(Surface::Wall(wall) | Surface::Opening(wall, _)) => wall,
                _ => usize::MAX,
            };
            let without = [wall, usize::MAX];
            let excess = |p, q| {
                let mut excess = Excess::default();
                self.add_leg(p, q, without, &mut excess);
                excess.total()
            };
            // Most bounces are lost on their first leg already.
            let loss = before + excess(from, b.at);
            if loss > limit {
                return;
            }
            let loss = loss + excess(b.at, to);
            if loss <= limit {
                visit(Bounced { bounce: b, loss });
            }
        });
    }
}

/// What fills the opening of each jamb costs, straight through.
fn fills(jambs: &[Jamb], prices: &[Priced], clutter: bool) -> Vec<f64> {
    let of = |p: &Priced| (p.slab(1.0).get() + p.beyond(clutter)).max(0.0);
    jambs.iter().map(|j| j.construction.and_then(|c| prices.get(c)).map_or(0.0, of)).collect()
}

/// Whether power falls with the square of distance, as in free space: then amplitude falls with
/// distance itself.
fn is_square(model: Model) -> bool {
    (model.exponent - 2.0).abs() < 1e-12
}

fn ratio(loss: f64) -> f64 {
    10f64.powf(-loss / 10.0)
}

/// The straight way, leak included, and what bounds the others.
struct Straight {
    distance: f64,
    excess: f64,
    power: f64,
    limit: f64,
    /// Openings that it goes through: no path bends at these.
    through: [(usize, usize); 6],
}

struct Bounced {
    bounce: bounce::Bounce,
    loss: f64,
}
