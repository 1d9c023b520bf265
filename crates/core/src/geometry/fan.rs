//! The walls around one place by direction: for many rays from it, such as those to the cells of a
//! surface, which share most of their walls.

use super::Place;
use super::structure::{Crossing, Ray, Structure};

/// Directions are told apart this finely.
const BINS: usize = 256;

/// Walls by direction from one place, the nearest first.
#[derive(Clone, Debug)]
pub struct Fan {
    from: Place,
    /// Where each bin's walls begin in `walls`; one more than there are bins.
    starts: Vec<u32>,
    /// A wall by place, and how near it comes.
    walls: Vec<(f32, u32)>,
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
        for (place, wall) in structure.walls.iter().enumerate() {
            if wall.z[0] > high || wall.z[1] < low {
                continue;
            }
            let (ax, ay) = (wall.a[0] - from.x, wall.a[1] - from.y);
            let (bx, by) = (wall.b[0] - from.x, wall.b[1] - from.y);
            let turn = ax * by - ay * bx;
            #[expect(clippy::cast_possible_truncation, reason = "it only orders walls")]
            let near = (nearest((ax, ay), (bx, by)) - 1e-3) as f32;
            let entry = (near, u32::try_from(place).unwrap_or(u32::MAX));
            // Whoever stands on a wall's line may meet it anywhere.
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
        let mut walls = vec![(0.0, 0); starts[BINS] as usize];
        // In the order of their distance, so that every bin has the nearest first.
        spans.sort_by(|a, b| a.1.0.total_cmp(&b.1.0));
        for ((first, wide), entry) in spans {
            for step in 0..wide {
                let place = &mut free[(first + step) % BINS];
                walls[*place as usize] = entry;
                *place += 1;
            }
        }
        Self { from, starts, walls }
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
        #[expect(clippy::cast_possible_truncation, reason = "walls are given a hair of slack")]
        let reach = x.hypot(y) as f32 + 1e-3;
        let at = bin(x, y);
        let walls = &self.walls[self.starts[at] as usize..self.starts[at + 1] as usize];
        let ray = Ray::new(self.from, to);
        for &(near, wall) in walls {
            if near > reach {
                break;
            }
            structure.visit_wall(&ray, wall as usize, visit);
        }
        structure.visit_slabs(self.from, to, visit);
    }
}

/// Distance of the origin from a segment.
fn nearest((ax, ay): (f64, f64), (bx, by): (f64, f64)) -> f64 {
    let (dx, dy) = (bx - ax, by - ay);
    let t = (-(ax * dx + ay * dy) / (dx * dx + dy * dy)).clamp(0.0, 1.0);
    (ax + dx * t).hypot(ay + dy * t)
}
