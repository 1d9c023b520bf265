//! Places, exact sides of lines, polygons, and an index of line segments. It knows no house.

mod grid;
pub mod index;
mod plane;

pub use grid::Grid;
pub use plane::{Rect, Spot, Vec2, apart};

/// A place in the house: metres right, down and up.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Place {
    /// Metres to the right of the sheet's origin.
    pub x: f64,
    /// Metres down from the sheet's origin.
    pub y: f64,
    /// Metres above the datum.
    pub z: f64,
}

impl Place {
    /// A place.
    pub const fn new(x: f64, y: f64, z: f64) -> Self {
        Self { x, y, z }
    }
    /// Straight-line distance in metres.
    pub fn distance(self, other: Self) -> f64 {
        let (x, y, z) = (other.x - self.x, other.y - self.y, other.z - self.z);
        (x * x + y * y + z * z).sqrt()
    }
    /// The place a share `t` of the way to `other`.
    #[must_use]
    pub fn towards(self, other: Self, t: f64) -> Self {
        Self {
            x: self.x + (other.x - self.x) * t,
            y: self.y + (other.y - self.y) * t,
            z: self.z + (other.z - self.z) * t,
        }
    }
}

/// A length on a grid of about a nanometre (2⁻³⁰ m): what lies exactly on the edge of a wall or an
/// opening falls on one side of it, whichever way a ray was computed. Holds up to 2,000 km.
#[inline]
pub fn snap(length: f64) -> f64 {
    const GRID: f64 = 6_291_456.0;
    (length + GRID) - GRID
}

/// Twice the signed area of the triangle `a b c`, exact in sign.
pub(crate) fn orient(a: [f64; 2], b: [f64; 2], c: [f64; 2]) -> f64 {
    let det = (a[0] - c[0]) * (b[1] - c[1]) - (a[1] - c[1]) * (b[0] - c[0]);
    let bound = ((a[0] - c[0]) * (b[1] - c[1])).abs() + ((a[1] - c[1]) * (b[0] - c[0])).abs();
    // Shewchuk's static filter: beyond this the sign of the plain determinant is certain.
    if det.abs() > 3.4e-16 * bound {
        return det;
    }
    let coord = |[x, y]: [f64; 2]| robust::Coord { x, y };
    robust::orient2d(coord(a), coord(b), coord(c))
}

/// Whether a place lies in a polygon (even–odd rule); on the lower and left edges counts as in.
pub fn contains(polygon: &[[f64; 2]], [x, y]: [f64; 2]) -> bool {
    let mut inside = false;
    for (i, &[ax, ay]) in polygon.iter().enumerate() {
        let [bx, by] = polygon[(i + 1) % polygon.len()];
        if (ay > y) != (by > y) && x < (bx - ax) * (y - ay) / (by - ay) + ax {
            inside = !inside;
        }
    }
    inside
}

/// How far from an edge of a polygon a place still lies on it: what lies there exactly is there
/// however it was computed.
const ON_EDGE_M: f64 = 1e-8;

/// Whether a place lies on the edge of a polygon.
pub fn is_on_edge(polygon: &[[f64; 2]], p: [f64; 2]) -> bool {
    let near = |(i, a): (usize, &[f64; 2])| {
        let b = polygon[(i + 1) % polygon.len()];
        let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
        let along = ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / (dx * dx + dy * dy);
        let t = if along.is_nan() { 0.0 } else { along.clamp(0.0, 1.0) };
        (p[0] - a[0] - t * dx).hypot(p[1] - a[1] - t * dy) <= ON_EDGE_M
    };
    polygon.iter().enumerate().any(near)
}

/// The convex hull of places on the sheet (Andrew's monotone chain), anticlockwise in x-right
/// y-up; fewer than three corners when the places lie on a line.
pub fn hull(mut places: Vec<[f64; 2]>) -> Vec<[f64; 2]> {
    places.sort_by(|a, b| a[0].total_cmp(&b[0]).then(a[1].total_cmp(&b[1])));
    places.dedup();
    if places.len() < 3 {
        return places;
    }
    let half = |ordered: &mut dyn Iterator<Item = [f64; 2]>| {
        let mut chain: Vec<[f64; 2]> = Vec::new();
        for p in ordered {
            while chain.len() >= 2
                && orient(chain[chain.len() - 2], chain[chain.len() - 1], p) <= 0.0
            {
                chain.pop();
            }
            chain.push(p);
        }
        chain.pop();
        chain
    };
    let mut hull = half(&mut places.iter().copied());
    hull.extend(half(&mut places.iter().rev().copied()));
    hull
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_hull_of_a_square_with_a_place_inside_is_the_square() {
        let hull =
            hull(vec![[0.0, 0.0], [2.0, 0.0], [1.0, 1.0], [2.0, 2.0], [0.0, 2.0], [1.0, 0.0]]);
        assert_eq!(hull, vec![[0.0, 0.0], [2.0, 0.0], [2.0, 2.0], [0.0, 2.0]]);
    }

    #[test]
    fn a_polygon_holds_its_middle_and_not_the_place_beside_it() {
        let l = [[0.0, 0.0], [4.0, 0.0], [4.0, 1.0], [1.0, 1.0], [1.0, 4.0], [0.0, 4.0]];
        assert!(contains(&l, [0.5, 3.0]) && contains(&l, [3.0, 0.5]));
        assert!(!contains(&l, [3.0, 3.0]) && !contains(&l, [-0.1, 0.5]));
    }
}
