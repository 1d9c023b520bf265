//! The two other schools that practitioners reckon by, on the same interface as wall by wall:
//! a site-general exponent, and a rule of thumb. Shown beside it, with what each assumes.

use super::{Medium, loss_at_one_metre};
use crate::building::structure::Surface;
use crate::geometry::Place;
use crate::units::{Db, Megahertz, Metres};

/// A way of reckoning path loss.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PathLossSchool {
    /// Every wall and floor that is crossed, every way that is taken.
    WallByWall,
    /// Rec. ITU-R P.1238: an exponent for all houses.
    SiteGeneral,
    /// A radius in the open, shortened by each wall.
    RuleOfThumb,
}

impl PathLossSchool {
    /// All of them, the default first.
    pub const ALL: [Self; 3] = [Self::WallByWall, Self::SiteGeneral, Self::RuleOfThumb];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::WallByWall => "Wall by wall",
            Self::SiteGeneral => "Site-general",
            Self::RuleOfThumb => "Rule of thumb",
        }
    }

    /// What it assumes, in a sentence.
    pub fn assumes(self) -> &'static str {
        match self {
            Self::WallByWall => {
                "Every wall, floor and opening is drawn and made of what the plan says; bounces and \
                 bends are counted."
            }
            Self::SiteGeneral => {
                "Any house is the average house: Rec. ITU-R P.1238, N = 28, 4 dB a floor; walls are \
                 in the exponent and not counted."
            }
            Self::RuleOfThumb => {
                "A radius in the open, a quarter shorter by a light wall, two fifths by masonry, \
                 half by a floor or metal."
            }
        }
    }

    /// Its path loss between two places.
    pub fn loss(self, medium: &Medium, from: Place, to: Place) -> Db {
        match self {
            Self::WallByWall => medium.loss(from, to),
            Self::SiteGeneral => {
                let floors = crossed(medium, from, to).floors;
                site_general(Metres::new(from.distance(to)), medium.frequency(), floors)
            }
            Self::RuleOfThumb => rule_of_thumb(medium, from, to),
        }
    }
}

/// `L = 20·log10(f) + N·log10(d) + L_f(k) − 28`, residential: `N = 28`, `L_f = 4k`. Source: Rec.
/// ITU-R P.1238-10, § 3.1; stated for 1.8 to 2 GHz, used for all bands here. Holds beyond 1 m.
///
/// ```
/// # use dot_reach_core::{propagation::schools::site_general, units::{Megahertz, Metres}};
/// let loss = site_general(Metres::new(10.0), Megahertz::new(2440.0), 1);
/// assert_eq!(format!("{loss:.2}"), "71.75 dB");
/// ```
pub fn site_general(d: Metres, f: Megahertz, floors: u32) -> Db {
    let d = d.get().max(1.0);
    Db::new(20.0 * f.get().log10() + 28.0 * d.log10() + 4.0 * f64::from(floors) - 28.0)
}

/// Shares of the radius that remain behind a surface; *planning values*.
const BEHIND_LIGHT_WALL: f64 = 0.75;
const BEHIND_MASONRY: f64 = 0.6;
const BEHIND_FLOOR_OR_METAL: f64 = 0.5;

/// Free space with the radius shortened: a radius cut to a share costs `−20·log10(share)`.
fn rule_of_thumb(medium: &Medium, from: Place, to: Place) -> Db {
    let d = from.distance(to).max(super::NEAREST.get());
    let shares = crossed(medium, from, to).share;
    loss_at_one_metre(medium.frequency()) + Db::new(20.0 * (d.log10() - shares.log10()))
}

struct Crossed {
    floors: u32,
    share: f64,
}

fn crossed(medium: &Medium, from: Place, to: Place) -> Crossed {
    let mut found = Crossed { floors: 0, share: 1.0 };
    medium.visit_leg(from, to, super::NONE, &mut |surface, slab, clutter, _| {
        found.share *= match (surface, slab + clutter) {
            (Surface::Slab(_), _) => {
                found.floors += 1;
                BEHIND_FLOOR_OR_METAL
            }
            (_, ..1.0) => 1.0,
            (_, ..5.0) => BEHIND_LIGHT_WALL,
            (_, ..20.0) => BEHIND_MASONRY,
            _ => BEHIND_FLOOR_OR_METAL,
        };
    });
    found
}
