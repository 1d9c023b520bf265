//! The walls around one place by direction: for many rays from it, such as those to the cells of a
//! surface, which share most of their walls.

use super::structure::{Crossing, Ray, Structure, Surface};
use crate::geometry::{Place, orient};

/// Directions are told apart this finely.
const BINS: usize = 256;
/// Beyond this share of the products that make up a determinant its sign is certain: Shewchuk's
/// bound is 3.4e-16 for one determinant, and the largest here is a sum of three.
const CERTAIN: f64 = 4e-15;

/// Walls by direction from one place, the nearest first.
#[derive(Clone, Debug)]
pub struct Fan {
    from: Place,
    /// Where each bin's walls begin in `bins`; one more than there are bins.
    starts: Vec<u32>,
    bins: Vec<InBin>,
    walls: Vec<Seen>,
}

/// A wall in the directions of one bin.
#[derive(Clone, Copy, Debug, Default)]
struct InBin {
    /// The square of how near it comes.
    near: f32,
    /// Which of the fan's walls it is.
    wall: u32,
    /// Whether its ends lie outside the bin, so that every ray of the bin runs between them.
    is_across: bool,
}

/// A wall as seen from the fan's place.
#[derive(Clone, Debug)]
struct Seen {
    /// From one end to the other.
    along: (f64, f64),
    /// One end, as the place sees it.
    a: (f64, f64),
    /// On which side of its line the place lies: twice the area between them.
    side: f64,
    /// One over its length.
    per_length: f64,
    /// Whether it stands beside every height that a ray of this fan passes, without an opening.
    is_whole: bool,
    construction: usize,
    /// Its place in the structure.
    place: usize,
}

/// The direction of a vector as a number from 0 to 4 that grows with the angle, without a sine:
/// `y/(|x|+|y|)`, unfolded.
#[inline]
fn direction(x: f64, y: f64) -> f64 {
    let part = y / (x.abs() + y.abs());
    if x < 0.0 {
        2.0 - part
    } else if part < 0.0 {
        4.0 + part
    } else {
        part
    }
}

#[inline]
#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    clippy::cast_precision_loss,
    reason = "a direction lies between 0 and 4; none gives the first bin"
)]
fn bin(x: f64, y: f64) -> usize {
    ((direction(x, y) * (BINS / 4) as f64) as usize).min(BINS - 1)
}

impl Fan {
    /// The walls around `from` that a ray to the height `z` could meet.
    pub fn new(structure: &Structure, from: Place, z: f64) -> Self {
        let (low, high) = (from.z.min(z), from.z.max(z));
        let mut spans = Vec::new();
        let mut starts = vec![0u32; BINS + 1];
        let mut seen = Vec::new();
        for (place, wall) in structure.walls.iter().enumerate() {
            // Whoever lies exactly on a wall's line sits in it, and is never behind it.
            let side = orient(wall.a, wall.b, [from.x, from.y]);
            if wall.z[0] > high || wall.z[1] < low || side == 0.0 {
                continue;
            }
            let (ax, ay) = (wall.a[0] - from.x, wall.a[1] - from.y);
            let (bx, by) = (wall.b[0] - from.x, wall.b[1] - from.y);
            let turn = ax * by - ay * bx;
            #[expect(clippy::cast_possible_truncation, reason = "it only orders walls")]
            let near = (nearest((ax, ay), (bx, by)) - 1e-3).max(0.0) as f32;
            let entry = (near * near, u32::try_from(seen.len()).unwrap_or(u32::MAX));
            seen.push(Seen {
                along: (wall.b[0] - wall.a[0], wall.b[1] - wall.a[1]),
                a: (ax, ay),
                side,
                per_length: 1.0 / wall.length,
                is_whole: wall.z[0] <= low && high < wall.z[1] && wall.openings.is_empty(),
                construction: wall.construction,
                place,
            });
            // Whoever stands at a wall may meet it anywhere.
            let on_it = near < 1e-2 || turn.abs() < 1e-6 * wall.length;
            let (first, last) =
                if turn > 0.0 { (bin(ax, ay), bin(bx, by)) } else { (bin(bx, by), bin(ax, ay)) };
            // One bin more on either side makes up for rounding at the edge of a bin.
            let wide = if on_it { BINS } else { (last + BINS - first) % BINS + 3 };
            let span = (first + BINS - 1, wide.min(BINS));
            for step in 0..span.1 {
                starts[(span.0 + step) % BINS + 1] += 1;
            }
            spans.push((span, entry));
        }
        for bin in 0..BINS {
            starts[bin + 1] += starts[bin];
        }
        let mut free: Vec<u32> = starts[..BINS].to_vec();
        let mut bins = vec![InBin::default(); starts[BINS] as usize];
        // In the order of their distance, so that every bin has the nearest first.
        spans.sort_by(|a, b| a.1.0.total_cmp(&b.1.0));
        for ((first, wide), (near, wall)) in spans {
            for step in 0..wide {
                let place = &mut free[(first + step) % BINS];
                let is_across = wide < BINS && step > 1 && step + 2 < wide;
                bins[*place as usize] = InBin { near, wall, is_across };
                *place += 1;
            }
        }
        Self { from, starts, bins, walls: seen }
    }

    /// Where it stands.
    pub fn from(&self) -> Place {
        self.from
    }

    /// Calls `visit` once for each surface that the straight line to `to` crosses, as
    /// [`Structure::visit_crossings`] does; `to` lies at the height that the fan was made for.
    #[inline]
    pub fn visit_crossings(
        &self,
        structure: &Structure,
        to: Place,
        visit: &mut impl FnMut(Crossing),
    ) {
        let (x, y) = (to.x - self.from.x, to.y - self.from.y);
        let rise = to.z - self.from.z;
        let run = x * x + y * y;
        let per_length = 1.0 / (run + rise * rise).sqrt();
        #[expect(clippy::cast_possible_truncation, reason = "walls are given a hair of slack")]
        let reach = (run * 1.001) as f32;
        let at = bin(x, y);
        let bin = self.starts[at] as usize..self.starts[at + 1] as usize;
        for &InBin { near, wall, is_across } in &self.bins[bin] {
            if near > reach {
                break;
            }
            let wall = &self.walls[wall as usize];
            let across = match wall.meet(x, y, is_across) {
                Meet::No => continue,
                Meet::Perhaps => {
                    structure.visit_wall(&Ray::new(self.from, to), wall.place, visit);
                    continue;
                }
                Meet::Yes(across) => across,
            };
            let t = wall.side / across;
            let cos = across.abs() * wall.per_length * per_length;
            if wall.is_whole {
                let (surface, construction) = (Surface::Wall(wall.place), Some(wall.construction));
                visit(Crossing { t, surface, construction, cos });
            } else {
                let share = (y * wall.a.0 - x * wall.a.1) / across;
                let z = self.from.z + rise * t;
                if let Some(crossing) = structure.crossing_at(wall.place, share, z, t, cos) {
                    visit(crossing);
                }
            }
        }
        structure.visit_slabs(self.from, to, visit);
    }
}

/// Whether a ray meets a wall.
enum Meet {
    No,
    /// Too close to an end to tell in double precision.
    Perhaps,
    /// By how much the sides of the wall's ends differ: twice the area between ray and wall.
    Yes(f64),
}

impl Seen {
    /// Whether the ray by `(x, y)` meets the wall. Signs of areas decide, as in
    /// [`Structure::visit_wall`], here with what does not depend on the ray worked out before.
    #[inline]
    fn meet(&self, x: f64, y: f64, is_across: bool) -> Meet {
        let (p, q) = (x * self.along.1, y * self.along.0);
        let across = p - q;
        let side_to = self.side - across;
        let size = p.abs() + q.abs() + self.side.abs();
        if side_to.abs() <= CERTAIN * size {
            return Meet::Perhaps;
        }
        if (self.side > 0.0) == (side_to > 0.0) {
            return Meet::No;
        }
        if is_across {
            return Meet::Yes(across);
        }
        let (p, q) = (x * self.a.1, y * self.a.0);
        let side_a = p - q;
        let side_b = side_a + across;
        if side_a.abs().min(side_b.abs()) <= CERTAIN * (size + p.abs() + q.abs()) {
            Meet::Perhaps
        } else if (side_a > 0.0) == (side_b > 0.0) {
            Meet::No
        } else {
            Meet::Yes(across)
        }
    }
}

/// Distance of the origin from a segment.
fn nearest((ax, ay): (f64, f64), (bx, by): (f64, f64)) -> f64 {
    let (dx, dy) = (bx - ax, by - ay);
    let t = (-(ax * dx + ay * dy) / (dx * dx + dy * dy)).clamp(0.0, 1.0);
    (ax + dx * t).hypot(ay + dy * t)
}
