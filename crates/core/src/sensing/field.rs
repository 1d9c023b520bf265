//! The field of a sensor on its storey, as a polygon.

use crate::geometry::{Rect, Spot, Vec2, contains};
use crate::site::{Device, FloorId, OpeningKind, RoomId, Site};

/// What a sensor sees.
#[derive(Clone, Debug, PartialEq)]
pub struct SeenField {
    /// From where, in metres on the sheet.
    pub from: Spot,
    /// The corners of what it sees, in order.
    pub outline: Vec<Spot>,
    /// The rooms that it sees something of, most first.
    pub rooms: Vec<SeenRoom>,
}

/// A room of which a sensor sees something.
#[derive(Clone, Debug, PartialEq)]
pub struct SeenRoom {
    /// Which.
    pub room: RoomId,
    /// Which share of it.
    pub share: f64,
}

impl SeenField {
    /// Whether it sees a place of its storey.
    pub fn sees(&self, at: Spot) -> bool {
        contains(&self.outline, at)
    }
}

/// An arc is drawn by corners so far apart.
const ARC_DEG: f64 = 3.0;
/// So far beside a corner the ray goes that sees past it.
const BESIDE: f64 = 1e-7;
/// The side of the cells by which a room is shared out.
const CELL_M: f64 = 0.1;
/// A sensor stands on a wall, and sees along it: what is nearer than this is its own.
const ON_ITS_WALL_M: f64 = 0.05;
/// Above a higher sill a person is hardly seen.
const HIGHEST_SILL_M: f64 = 1.0;
/// What a sensor sees of a room counts from this share on.
const LEAST_SHARE: f64 = 0.02;

/// What a sensor sees; nothing where its row says nothing of that, or nobody said which way it looks.
pub fn seen(site: &Site, device: &Device) -> Option<SeenField> {
    let field = site.kind(&device.kind)?.sees?;
    let point = site.point_of(device)?;
    let (reach, angle) = (field.reach_m?, field.angle_deg?);
    let is_round = angle >= 360.0;
    let facing = device.facing_deg.or(is_round.then_some(0.0))?;
    let from = point.at;
    let walls = in_the_way(site, &point.floor, point.height_m.get(), from, reach);
    // A way on the sheet from its top clockwise: its y goes down.
    let middle = (facing - 90.0).to_radians();
    let half = (angle / 2.0).to_radians().min(std::f64::consts::PI);
    let mut turns = vec![-half, half];
    let steps = (2.0 * half / ARC_DEG.to_radians()).ceil();
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "some hundred")]
    turns.extend((0..=steps as u16).map(|n| -half + 2.0 * half * f64::from(n) / steps));
    for corner in corners(&walls, from, reach) {
        let way = Vec2::between(from, corner);
        let turn = within_a_turn(way.y.atan2(way.x) - middle);
        turns.extend([turn - BESIDE, turn, turn + BESIDE].into_iter().filter(|t| t.abs() <= half));
    }
    turns.sort_by(f64::total_cmp);
    let mut outline: Vec<Spot> = if is_round { Vec::new() } else { vec![from] };
    outline.extend(turns.into_iter().map(|turn| {
        let (sin, cos) = (middle + turn).sin_cos();
        let far = nearest(&walls, from, [cos, sin]).map_or(reach, |hit| hit.min(reach));
        [from[0] + cos * far, from[1] + sin * far]
    }));
    let rooms = rooms(site, device, &outline);
    Some(SeenField { from, outline, rooms })
}

/// The stretches of wall near a sensor that it does not see through: no glass, no shut door, no wall that is lower than it.
fn in_the_way(site: &Site, floor: &FloorId, height: f64, from: Spot, reach: f64) -> Vec<[Spot; 2]> {
    let mut all = Vec::new();
    let here = site.walls.iter().filter(|w| w.floor == *floor);
    for wall in here.filter(|w| w.height_m.is_none_or(|h| h.get() > height)) {
        let length = wall.length().get();
        let at = |m: f64| (Vec2::between(wall.a, wall.b) * (m / length)).from(wall.a);
        // What one looks through stands in the order of the wall.
        let mut gaps: Vec<[f64; 2]> = wall
            .openings
            .iter()
            .filter(|o| {
                let is_through =
                    o.kind == OpeningKind::Open || o.kind == OpeningKind::Door && o.stands_open;
                is_through && o.sill_m.get() <= HIGHEST_SILL_M
            })
            .map(|o| [o.start_m.get().max(0.0), (o.start_m + o.width_m).get().min(length)])
            .collect();
        gaps.sort_by(|a, b| a[0].total_cmp(&b[0]));
        let mut begun = 0.0;
        for [start, end] in gaps {
            if start > begun {
                all.push([at(begun), at(start)]);
            }
            begun = end.max(begun);
        }
        if begun < length {
            all.push([at(begun), at(length)]);
        }
    }
    all.retain(|[a, b]| distance(from, *a, *b) <= reach);
    all
}

/// How far a place is from a stretch of wall.
fn distance(from: Spot, a: Spot, b: Spot) -> f64 {
    let (along, way) = (Vec2::between(a, b), Vec2::between(a, from));
    let t = (way.dot(along) / along.dot(along)).clamp(0.0, 1.0);
    (way - along * t).length()
}

/// An angle between half a turn back and half a turn on.
fn within_a_turn(angle: f64) -> f64 {
    let turn = std::f64::consts::TAU;
    angle - (angle / turn).round() * turn
}

/// Where the edge of what is seen can have a corner: ends of stretches, where two of them cross, and where one leaves the reach.
fn corners(walls: &[[Spot; 2]], from: Spot, reach: f64) -> Vec<Spot> {
    let mut all: Vec<Spot> = walls.iter().flatten().copied().collect();
    for (n, [a, b]) in walls.iter().enumerate() {
        let along = Vec2::between(*a, *b);
        for [c, d] in &walls[n + 1..] {
            let other = Vec2::between(*c, *d);
            let cross = along.cross(other);
            if cross.abs() > f64::EPSILON {
                let t = Vec2::between(*a, *c).cross(other) / cross;
                if (0.0..=1.0).contains(&t) {
                    all.push((along * t).from(*a));
                }
            }
        }
        // Where the circle of the reach meets it.
        let back = Vec2::between(from, *a);
        let (p, q) = (along.dot(along), back.dot(along));
        let root = q * q - p * (back.dot(back) - reach * reach);
        if root >= 0.0 && p > 0.0 {
            let both = [(-q - root.sqrt()) / p, (-q + root.sqrt()) / p];
            let met = both.into_iter().filter(|t| (0.0..=1.0).contains(t));
            all.extend(met.map(|t| (along * t).from(*a)));
        }
    }
    all
}

/// How far a ray goes until it meets a wall.
fn nearest(walls: &[[Spot; 2]], from: Spot, [cos, sin]: Spot) -> Option<f64> {
    let ray = Vec2 { x: cos, y: sin };
    let hits = walls.iter().filter_map(|[a, b]| {
        let (along, start) = (Vec2::between(*a, *b), Vec2::between(from, *a));
        let cross = ray.cross(along);
        if cross.abs() < f64::EPSILON {
            return None;
        }
        let (far, t) = (start.cross(along) / cross, start.cross(ray) / cross);
        (far > ON_ITS_WALL_M && (0.0..=1.0).contains(&t)).then_some(far)
    });
    hits.min_by(f64::total_cmp)
}

/// The rooms of which a sensor sees something, by cells of a tenth of a metre.
fn rooms(site: &Site, device: &Device, outline: &[Spot]) -> Vec<SeenRoom> {
    let floor = site.point_of(device).map(|point| &point.floor);
    let share = |room: &crate::site::Room| {
        let around = Rect::around(room.outline.iter().copied())?;
        let (mut all, mut seen) = (0_u32, 0_u32);
        let mut y = around.top + CELL_M / 2.0;
        while y < around.bottom {
            let mut x = around.left + CELL_M / 2.0;
            while x < around.right {
                if contains(&room.outline, [x, y]) {
                    all += 1;
                    seen += u32::from(contains(outline, [x, y]));
                }
                x += CELL_M;
            }
            y += CELL_M;
        }
        (all > 0).then(|| f64::from(seen) / f64::from(all))
    };
    let here = site.rooms.iter().filter(|room| Some(&room.floor) == floor);
    let mut rooms: Vec<SeenRoom> = here
        .filter_map(|room| Some(SeenRoom { room: room.id.clone(), share: share(room)? }))
        .filter(|seen| seen.share >= LEAST_SHARE)
        .collect();
    rooms.sort_by(|a, b| b.share.total_cmp(&a.share).then(a.room.cmp(&b.room)));
    rooms
}
