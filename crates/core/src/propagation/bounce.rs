//! Paths that bounce off walls, floors, ceilings and the ground, by the image method.
//!
//! For a single link one bounce off each surface is computed; a mirror image of the hearer behind
//! the surface gives the path, Rec. ITU-R P.2040-3 the reflection loss. For a surface of thousands
//! of cells that is too much: there each storey has a gain fitted on sampled links
//! ([`super::Medium::bounce_gain`]).

use num_complex::Complex64;

use crate::building::structure::{Structure, Surface};
use crate::geometry::{Place, snap};
use crate::units::{Db, Megahertz};

/// What mirrors the path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mirror {
    /// A wall, opening or slab.
    Surface(Surface),
    /// The ground outdoors or under a house without a drawn ground slab.
    Ground,
}

/// A path with one bounce.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bounce {
    /// What it bounces off.
    pub mirror: Mirror,
    /// Its construction, by place; nothing for the ground.
    pub construction: Option<usize>,
    /// Where.
    pub at: Place,
    /// Cosine of the angle of incidence.
    pub cos: f64,
    /// The whole length of the path in metres.
    pub length: f64,
}

/// Calls `visit` for each surface that mirrors a path from `from` to `to` of at most `longest`
/// metres.
pub fn visit_bounces(
    structure: &Structure,
    from: Place,
    to: Place,
    longest: f64,
    visit: &mut impl FnMut(Bounce),
) {
    visit_wall_bounces(structure, from, to, longest, visit);
    visit_level_bounces(structure, from, to, longest, visit);
}

fn visit_wall_bounces(
    structure: &Structure,
    from: Place,
    to: Place,
    longest: f64,
    visit: &mut impl FnMut(Bounce),
) {
    let (low, high) = (from.z.min(to.z), from.z.max(to.z));
    let rise = to.z - from.z;
    for (place, wall) in structure.walls.iter().enumerate() {
        if wall.z[0] > high || wall.z[1] < low {
            continue;
        }
        let (dx, dy) =
            ((wall.b[0] - wall.a[0]) / wall.length, (wall.b[1] - wall.a[1]) / wall.length);
        // Distances from the wall's line, and places along it.
        let off = |p: Place| (p.x - wall.a[0]) * dy - (p.y - wall.a[1]) * dx;
        let along = |p: Place| (p.x - wall.a[0]) * dx + (p.y - wall.a[1]) * dy;
        let (h, k) = (off(from), off(to));
        if h * k <= 0.0 {
            continue;
        }
        let (s, t) = (along(from), along(to));
        let across = h.abs() + k.abs();
        let length = ((t - s) * (t - s) + across * across + rise * rise).sqrt();
        if length > longest {
            continue;
        }
        let part = h.abs() / across;
        let (hit, z) = (snap(s + (t - s) * part), snap(from.z + rise * part));
        if !(0.0..wall.length).contains(&hit) || z < wall.z[0] || z >= wall.z[1] {
            continue;
        }
        let (surface, construction) = match wall.opening_at(hit, z) {
            None => (Surface::Wall(place), Some(wall.construction)),
            Some(hole) => (Surface::Opening(place, hole), wall.openings[hole].construction),
        };
        // A plain opening mirrors nothing.
        if construction.is_none() {
            continue;
        }
        let (mirror, at, cos) = (Mirror::Surface(surface), wall.at(hit, z), across / length);
        visit(Bounce { mirror, construction, at, cos, length });
    }
}

fn visit_level_bounces(
    structure: &Structure,
    from: Place,
    to: Place,
    longest: f64,
    visit: &mut impl FnMut(Bounce),
) {
    let run = (to.x - from.x).hypot(to.y - from.y);
    let level = |z: f64| {
        let (h, k) = (from.z - z, to.z - z);
        if h * k <= 0.0 {
            return None;
        }
        let across = h.abs() + k.abs();
        let length = run.hypot(across);
        // A hair beside the place itself, the same one both ways: a path that bounces right under a
        // wall goes through it.
        let hair = if (from.x, from.y) <= (to.x, to.y) { 1e-7 } else { -1e-7 };
        let part = h.abs() / across + hair;
        let (x, y) = (from.x + (to.x - from.x) * part, from.y + (to.y - from.y) * part);
        (length <= longest).then(|| (Place::new(x, y, z), across / length, length))
    };
    for (place, slab) in structure.slabs.iter().enumerate() {
        let Some((at, cos, length)) = level(slab.z) else { continue };
        if slab.covers([at.x, at.y]) {
            let mirror = Mirror::Surface(Surface::Slab(place));
            visit(Bounce { mirror, construction: Some(slab.construction), at, cos, length });
        }
    }
    let ground = structure.ground;
    if let Some((at, cos, length)) = level(ground)
        && !structure.slabs.iter().any(|s| s.z <= ground + 1e-6 && s.covers([at.x, at.y]))
    {
        visit(Bounce { mirror: Mirror::Ground, construction: None, at, cos, length });
    }
}

/// Reflection loss of medium dry ground, mean of the TE and TM powers.
///
/// Permittivity 15 and conductivity 0.035 S/m, about 1 GHz. Source: Rec. ITU-R P.527-6, figure of
/// electrical characteristics; Fresnel coefficients of a half-space, P.2040-3, § 2.2.1.
pub fn ground_reflection(cos_incidence: f64, f: Megahertz) -> Db {
    let cos = cos_incidence.clamp(0.02, 1.0);
    let eta = Complex64::new(15.0, -17.98 * 0.035 / (f.get() / 1000.0));
    let root = (eta - (1.0 - cos * cos)).sqrt();
    let te = (cos - root) / (cos + root);
    let tm = (eta * cos - root) / (eta * cos + root);
    Db::loss_from_ratio(0.5 * (te.norm_sqr() + tm.norm_sqr()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ground_mirrors_fully_at_grazing_and_a_third_straight_down() {
        let f = Megahertz::new(868.0);
        assert!(ground_reflection(0.02, f).get() < 1.5);
        // |(1 − √15)/(1 + √15)|² = 0.348 → 4.6 dB.
        assert!((ground_reflection(1.0, f).get() - 4.6).abs() < 0.1);
    }
}
