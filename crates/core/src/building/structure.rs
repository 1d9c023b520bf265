//! The building as a ray meets it: walls with openings by storey, and slabs.
//!
//! Rules for touching: a ray that passes exactly through the end of a wall has it on the side that
//! [`crate::geometry`] calls non-negative, so that of two walls in a line just one is crossed. A
//! device whose centre lies exactly on a wall's line sits *in* that wall and is not behind it.

use crate::geometry::index::{Segment, SegmentIndex};
use crate::geometry::{Place, Rect, contains, hull, is_on_edge, orient, snap};
use crate::materials::construction::Construction;
use crate::site::{
    FloorId, Opening, OpeningId, OpeningKind, Site, SlabId, SlabPlace, Spot, WallId,
};
use crate::units::Db;

/// How doors stand.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Doors {
    /// Each as it was drawn.
    #[default]
    AsDrawn,
    /// All open.
    Open,
    /// All shut.
    Shut,
}

/// What a ray crosses.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Surface {
    /// The wall at this place in [`Structure::walls`].
    Wall(usize),
    /// An opening of a wall: wall and opening by place.
    Opening(usize, usize),
    /// The slab at this place in [`Structure::slabs`].
    Slab(usize),
}

/// One crossing.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Crossing {
    /// The share of the way from the start.
    pub t: f64,
    /// What is crossed.
    pub surface: Surface,
    /// Its construction, by place in [`Structure::constructions`]; nothing for a plain opening.
    pub construction: Option<usize>,
    /// Cosine of the angle of incidence.
    pub cos: f64,
}

/// A wall as a ray meets it.
#[derive(Clone, Debug)]
pub struct WallShape {
    /// Its id in the site.
    pub id: WallId,
    /// One end of its centre line.
    pub a: Spot,
    /// The other end.
    pub b: Spot,
    /// Its lower and upper edge.
    pub z: [f64; 2],
    /// Its construction.
    pub construction: usize,
    /// The storey it stands on, by place.
    pub storey: usize,
    /// Its length.
    pub length: f64,
    /// Its openings.
    pub openings: Vec<Hole>,
    /// Variance that a guess at its construction adds, in dB².
    pub doubt: f64,
}

/// An opening as a ray meets it.
#[derive(Clone, Debug)]
pub struct Hole {
    /// Its id in the wall.
    pub id: OpeningId,
    /// From and to, along the wall.
    pub s: [f64; 2],
    /// Lower and upper edge.
    pub z: [f64; 2],
    /// What fills it.
    pub construction: Option<usize>,
}

/// A slab as a ray meets it.
#[derive(Clone, Debug)]
pub struct SlabShape {
    /// Its id in the site.
    pub id: SlabId,
    /// Its height above the datum.
    pub z: f64,
    /// Its outline; unlimited where a storey has no walls.
    pub outline: Vec<Spot>,
    /// Its holes.
    pub voids: Vec<Vec<Spot>>,
    /// Its construction.
    pub construction: usize,
}

#[derive(Clone, Debug)]
struct Storey {
    z: [f64; 2],
    index: SegmentIndex,
    /// Whether no wall is drawn on it: what stands there is not known.
    is_undrawn: bool,
}

/// What a way on a storey without a drawn wall may be off by for each [`UNDRAWN_EVERY_M`]: an inner wall stands in so much
/// of any way through a house, or none does; *planning value*.
pub const UNDRAWN_DB: Db = Db::new(8.0);
/// How far inner walls stand apart, in metres; *planning value*.
const UNDRAWN_EVERY_M: f64 = 4.0;

/// The building, ready for rays.
#[derive(Clone, Debug)]
pub struct Structure {
    /// Every construction in use.
    pub constructions: Vec<Construction>,
    /// Every wall.
    pub walls: Vec<WallShape>,
    /// Every slab.
    pub slabs: Vec<SlabShape>,
    /// Height of the ground: the lowest storey's floor.
    pub ground: f64,
    storeys: Vec<Storey>,
}

impl WallShape {
    /// The place on its centre line `s` metres from `a`, at height `z`.
    pub fn at(&self, s: f64, z: f64) -> Place {
        let t = s / self.length;
        let along = |axis: usize| self.a[axis] + (self.b[axis] - self.a[axis]) * t;
        Place::new(along(0), along(1), z)
    }

    /// The opening at `s` metres from `a` and height `z`, by place.
    pub fn opening_at(&self, s: f64, z: f64) -> Option<usize> {
        self.openings.iter().position(|h| s >= h.s[0] && s < h.s[1] && z >= h.z[0] && z < h.z[1])
    }
}

impl SlabShape {
    /// Whether it covers a place on the sheet, its edges and those of its holes included: a house in a
    /// mirror has the same slabs.
    pub fn covers(&self, at: Spot) -> bool {
        let in_outline = || contains(&self.outline, at) || is_on_edge(&self.outline, at);
        let in_hole = |hole: &Vec<Spot>| contains(hole, at) && !is_on_edge(hole, at);
        (self.outline.len() < 3 || in_outline()) && !self.voids.iter().any(in_hole)
    }

    /// Whether a place is on the edge of its outline.
    fn ends_at(&self, at: Spot) -> bool {
        self.outline.len() >= 3 && is_on_edge(&self.outline, at)
    }
}

impl Structure {
    /// Reads the building out of a site.
    pub fn new(site: &Site, doors: Doors) -> Self {
        let mut this = Self {
            constructions: Vec::new(),
            walls: Vec::new(),
            slabs: Vec::new(),
            ground: site.floors_upward().first().map_or(0.0, |f| f.elevation_m.get()),
            storeys: Vec::new(),
        };
        for floor in &site.floors {
            this.add_storey(site, &floor.id, doors);
        }
        this
    }

    fn add_storey(&mut self, site: &Site, id: &FloorId, doors: Doors) {
        let Some(floor) = site.floors.get(id) else { return };
        let (low, ceiling) = (floor.elevation_m.get(), (floor.elevation_m + floor.height_m).get());
        let mut segments = Vec::new();
        for wall in site.walls.iter().filter(|w| w.floor == *id) {
            let Some(construction) = self.slot(site, &wall.construction) else { continue };
            let top = wall.height_m.map_or(ceiling, |h| low + h.get());
            let openings = wall.openings.iter().map(|o| self.hole(site, o, low, doors)).collect();
            segments.push(Segment { a: wall.a, b: wall.b, owner: self.walls.len() });
            self.walls.push(WallShape {
                id: wall.id.clone(),
                a: wall.a,
                b: wall.b,
                z: [low, top],
                construction,
                storey: self.storeys.len(),
                length: wall.length().get(),
                doubt: wall.known.doubt().get().powi(2),
                openings,
            });
        }
        let corners: Vec<_> = segments.iter().flat_map(|s| [s.a, s.b]).collect();
        for slab in site.slabs.iter().filter(|s| s.floor == *id) {
            let Some(construction) = self.slot(site, &slab.construction) else { continue };
            let outline =
                if slab.outline.is_empty() { hull(corners.clone()) } else { slab.outline.clone() };
            self.slabs.push(SlabShape {
                id: slab.id.clone(),
                z: if slab.place == SlabPlace::Above { ceiling } else { low },
                outline,
                voids: slab.voids.clone(),
                construction,
            });
        }
        let tops = segments.iter().map(|s| self.walls[s.owner].z[1]);
        let is_undrawn = segments.is_empty();
        let z = [low, tops.fold(if is_undrawn { ceiling } else { low }, f64::max)];
        self.storeys.push(Storey { z, index: SegmentIndex::new(segments), is_undrawn });
    }

    fn hole(&mut self, site: &Site, opening: &Opening, low: f64, doors: Doors) -> Hole {
        let stands_open = opening.kind == OpeningKind::Door
            && match doors {
                Doors::AsDrawn => opening.stands_open,
                Doors::Open => true,
                Doors::Shut => false,
            };
        let empty = stands_open || opening.kind == OpeningKind::Open;
        let sill = low + opening.sill_m.get();
        let start = opening.start_m.get();
        Hole {
            id: opening.id.clone(),
            s: [start, start + opening.width_m.get()],
            z: [sill, sill + opening.height_m.get()],
            construction: if empty { None } else { self.slot(site, &opening.construction) },
        }
    }

    fn slot(&mut self, site: &Site, id: &str) -> Option<usize> {
        if let Some(known) = self.constructions.iter().position(|c| c.id == id) {
            return Some(known);
        }
        self.constructions.push(site.construction(id)?.clone());
        Some(self.constructions.len() - 1)
    }

    /// Calls `visit` once for each surface that the straight line crosses, in no special order.
    #[inline]
    pub fn visit_crossings(&self, from: Place, to: Place, visit: &mut impl FnMut(Crossing)) {
        self.visit_walls(from, to, visit);
        self.visit_slabs(from, to, visit);
    }

    /// The same walls without the index: the slow twin that the tests hold the index to.
    pub fn visit_walls_plainly(&self, from: Place, to: Place, visit: &mut impl FnMut(Crossing)) {
        let ray = Ray::new(from, to);
        for place in 0..self.walls.len() {
            if let Some(crossing) = self.cross_wall(&ray, place) {
                visit(crossing);
            }
        }
    }

    /// The storey in which a height lies, by place; the nearest when it lies in none.
    pub fn storey_at(&self, z: f64) -> Option<usize> {
        let off = |s: &Storey| (s.z[0] - z).max(z - s.z[1]).max(0.0);
        let storeys = self.storeys.iter().enumerate();
        storeys.min_by(|a, b| off(a.1).total_cmp(&off(b.1))).map(|(place, _)| place)
    }

    /// Whether the construction of any wall is doubtful, or a storey has none drawn.
    pub fn has_doubt(&self) -> bool {
        self.walls.iter().any(|w| w.doubt > 0.0) || self.storeys.iter().any(|s| s.is_undrawn)
    }

    /// Whether a place is on a storey of which no wall is drawn.
    pub fn is_undrawn_at(&self, place: Place) -> bool {
        self.storey_at(place.z).is_some_and(|s| self.storeys[s].is_undrawn)
    }

    /// Variance that walls which nobody drew add to a way, in dB².
    fn undrawn_between(&self, from: Place, to: Place) -> f64 {
        if !(self.is_undrawn_at(from) || self.is_undrawn_at(to)) {
            return 0.0;
        }
        // Each stretch is off by itself, so that variances add.
        UNDRAWN_DB.get().powi(2) * from.distance(to) / UNDRAWN_EVERY_M
    }

    /// Variance that doubtful walls add to a straight way, and where nothing was read in the house those that nobody drew,
    /// in dB².
    pub fn doubt_between(&self, from: Place, to: Place, is_read: bool) -> f64 {
        let mut doubt = if is_read { 0.0 } else { self.undrawn_between(from, to) };
        self.visit_crossings(from, to, &mut |crossing| {
            if let Surface::Wall(wall) = crossing.surface {
                doubt += self.walls[wall].doubt;
            }
        });
        doubt
    }

    /// The name of what a surface is made of; nothing for a plain opening.
    pub fn made_of(&self, surface: Surface) -> &str {
        let construction = match surface {
            Surface::Wall(wall) => Some(self.walls[wall].construction),
            Surface::Opening(wall, hole) => self.walls[wall].openings[hole].construction,
            Surface::Slab(slab) => Some(self.slabs[slab].construction),
        };
        construction.map_or("", |place| self.constructions[place].name.as_str())
    }

    /// How many storeys there are.
    pub fn storeys(&self) -> usize {
        self.storeys.len()
    }

    /// The rectangle of a storey's walls, and its floor.
    pub fn storey_extent(&self, storey: usize) -> Option<(Rect, f64)> {
        let walls = self.walls.iter().filter(|w| w.storey == storey);
        let extent = Rect::around(walls.flat_map(|w| [w.a, w.b]))?;
        Some((extent, self.storeys.get(storey)?.z[0]))
    }

    /// Calls `visit` if the ray crosses this wall.
    #[inline]
    pub(super) fn visit_wall(&self, ray: &Ray, place: usize, visit: &mut impl FnMut(Crossing)) {
        if let Some(crossing) = self.cross_wall(ray, place) {
            visit(crossing);
        }
    }

    #[inline]
    fn visit_walls(&self, from: Place, to: Place, visit: &mut impl FnMut(Crossing)) {
        let ray = Ray::new(from, to);
        let (low, high) = (from.z.min(to.z), from.z.max(to.z));
        for storey in &self.storeys {
            if storey.z[0] > high || storey.z[1] < low {
                continue;
            }
            storey.index.visit(ray.p, ray.q, &mut |segment| {
                if let Some(crossing) = self.cross_wall(&ray, segment.owner) {
                    visit(crossing);
                }
            });
        }
    }

    #[inline]
    fn cross_wall(&self, ray: &Ray, place: usize) -> Option<Crossing> {
        let wall = &self.walls[place];
        let (side_a, side_b) = (orient(ray.p, ray.q, wall.a), orient(ray.p, ray.q, wall.b));
        // An end that lies on the ray counts to one side of it, the same for both directions.
        let is_left = |side: f64| if ray.is_backward { side <= 0.0 } else { side >= 0.0 };
        if is_left(side_a) == is_left(side_b) {
            return None;
        }
        let (side_p, side_q) = (orient(wall.a, wall.b, ray.p), orient(wall.a, wall.b, ray.q));
        if !(side_p > 0.0 && side_q < 0.0 || side_p < 0.0 && side_q > 0.0) {
            return None;
        }
        let t = side_p / (side_p - side_q);
        let z = ray.from.z + (ray.to.z - ray.from.z) * t;
        // |side_p − side_q| = wall length × the ray's run across the wall.
        let cos = (side_p - side_q).abs() / (wall.length * ray.length);
        self.crossing_at(place, side_a / (side_a - side_b), z, t, cos)
    }

    /// What a ray meets that crosses a wall's line at a share of its length and at height `z`:
    /// the wall, one of its openings, or nothing above and below it.
    #[inline]
    pub(super) fn crossing_at(
        &self,
        place: usize,
        share: f64,
        z: f64,
        t: f64,
        cos: f64,
    ) -> Option<Crossing> {
        let wall = &self.walls[place];
        let z = snap(z);
        if z < wall.z[0] || z >= wall.z[1] {
            return None;
        }
        let (surface, construction) = match wall.opening_at(snap(share * wall.length), z) {
            Some(hole) => (Surface::Opening(place, hole), wall.openings[hole].construction),
            None => (Surface::Wall(place), Some(wall.construction)),
        };
        Some(Crossing { t, surface, construction, cos })
    }

    #[inline]
    pub(super) fn visit_slabs(&self, from: Place, to: Place, visit: &mut impl FnMut(Crossing)) {
        let rise = to.z - from.z;
        for (place, slab) in self.slabs.iter().enumerate() {
            let (below, above) = (from.z - slab.z, to.z - slab.z);
            if !(below < 0.0 && above > 0.0 || below > 0.0 && above < 0.0) {
                continue;
            }
            let t = below / (below - above);
            let hit = from.towards(to, t);
            let at = [snap(hit.x), snap(hit.y)];
            // Of slabs that meet where the ray goes through, one is crossed.
            let meets = |other: &SlabShape| (other.z - slab.z).abs() < 1e-9 && other.ends_at(at);
            let is_counted = || slab.ends_at(at) && self.slabs[..place].iter().any(meets);
            if slab.covers(at) && !is_counted() {
                let cos = rise.abs() / from.distance(to);
                let construction = Some(slab.construction);
                visit(Crossing { t, surface: Surface::Slab(place), construction, cos });
            }
        }
    }
}

/// A ray, with what every wall asks of it.
pub(super) struct Ray {
    from: Place,
    to: Place,
    p: [f64; 2],
    q: [f64; 2],
    length: f64,
    /// Whether the other direction is the one by which ties are decided.
    is_backward: bool,
}

impl Ray {
    pub(super) fn new(from: Place, to: Place) -> Self {
        let (p, q) = ([from.x, from.y], [to.x, to.y]);
        Self { from, to, p, q, length: from.distance(to), is_backward: p > q }
    }
}
