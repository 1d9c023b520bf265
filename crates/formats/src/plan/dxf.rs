//! DXF floor plans: lines, polylines, arcs, circles and what blocks hold, by layer.

use std::collections::{BTreeMap, HashMap};
use std::io::{BufReader, Cursor};

use dot_reach_core::site::{FloorId, Site, Spot};
use dxf::entities::{Entity, EntityType};
use dxf::enums::Units;
use dxf::{Block, Drawing as File, Point, XData, XDataItem};

use super::{Drawing, Lines, PlanError, Storey, layer_of, openings_of, ours_of};
use crate::Imported;

const FORMAT: &str = "DXF";
/// Blocks within blocks are followed so far.
const DEEPEST: usize = 6;
/// How much is looked at in a file, blocks counted as often as they are shown: those within each other may
/// stand for more than any machine can draw.
const MOST_LOOKED_AT: usize = 1_000_000;
/// How many straight pieces stand for a full circle.
const CIRCLE: u8 = 32;
/// By what our own words in a file are known.
const APPLICATION: &str = "DOT_REACH";
/// Longer texts than this are cut in pieces: 255 bytes is the most of a group.
const LONGEST: usize = 200;

/// The longest line: texts are parted long before.
const LONGEST_LINE: usize = 64 * 1024;

/// Reads a DXF plan.
///
/// # Errors
/// It is no DXF as text.
pub fn read(bytes: &[u8]) -> Result<Imported<Drawing>, PlanError> {
    let broken = |why: String| PlanError::Broken { format: FORMAT, why };
    if bytes.split(|b| *b == b'\n').any(|line| line.len() > LONGEST_LINE) {
        return Err(broken(format!("a line of it is longer than {LONGEST_LINE} letters")));
    }
    let mut reader = BufReader::new(Cursor::new(bytes));
    // A reader that was made for whole files may stop at a broken one: its stop is ours to tell.
    let read = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| File::load(&mut reader)));
    let file = match read {
        Ok(Ok(file)) => file,
        Ok(Err(e)) => return Err(broken(e.to_string())),
        Err(_) => return Err(broken("it is broken off or damaged; save it once more".to_owned())),
    };
    let mut lines = Lines::default();
    if let Some(unit) = unit(file.header.default_drawing_units) {
        lines.unit(unit);
    }
    let mut blocks = HashMap::new();
    for block in file.blocks() {
        blocks.entry(block.name.as_str()).or_insert(block);
    }
    let mut walk =
        Walk { blocks, lines, groups: 0, skipped: BTreeMap::new(), left: MOST_LOOKED_AT };
    for entity in file.entities() {
        walk.entity(entity, &Turn::default(), None, None, 0);
    }
    let Walk { mut lines, skipped, left, .. } = walk;
    if left == 0 {
        let why = format!(
            "its blocks stand for more than {MOST_LOOKED_AT} things; the rest was left out"
        );
        lines.say("the file", why);
    }
    for (what, count) in skipped {
        lines.say("the file", format!("{what} left out: {count}"));
    }
    Ok(lines.done())
}

fn unit(units: Units) -> Option<f64> {
    Some(match units {
        Units::Millimeters => 0.001,
        Units::Centimeters => 0.01,
        Units::Decimeters => 0.1,
        Units::Meters => 1.0,
        Units::Inches => 0.0254,
        Units::Feet => 0.3048,
        Units::Yards => 0.9144,
        _ => return None,
    })
}

/// Where a block comes to lie: `p` goes to `at + turn · (scale · (p − base))`.
#[derive(Clone, Copy, Debug)]
struct Turn {
    xx: f64,
    xy: f64,
    yx: f64,
    yy: f64,
    x: f64,
    y: f64,
}

impl Default for Turn {
    fn default() -> Self {
        Self { xx: 1.0, xy: 0.0, yx: 0.0, yy: 1.0, x: 0.0, y: 0.0 }
    }
}

impl Turn {
    fn place(&self, x: f64, y: f64) -> Spot {
        let at = [self.xx * x + self.xy * y + self.x, self.yx * x + self.yy * y + self.y];
        // The file has y up. Never −0: the same number both ways.
        [at[0], 0.0 - at[1]]
    }

    fn then(&self, inner: &Self) -> Self {
        Self {
            xx: self.xx * inner.xx + self.xy * inner.yx,
            xy: self.xx * inner.xy + self.xy * inner.yy,
            yx: self.yx * inner.xx + self.yy * inner.yx,
            yy: self.yx * inner.xy + self.yy * inner.yy,
            x: self.xx * inner.x + self.xy * inner.y + self.x,
            y: self.yx * inner.x + self.yy * inner.y + self.y,
        }
    }
}

struct Walk<'a> {
    blocks: HashMap<&'a str, &'a Block>,
    lines: Lines,
    groups: usize,
    skipped: BTreeMap<&'static str, usize>,
    /// How much more is looked at.
    left: usize,
}

impl Walk<'_> {
    fn entity(
        &mut self,
        entity: &Entity,
        turn: &Turn,
        layer: Option<&str>,
        group: Option<usize>,
        depth: usize,
    ) {
        if self.left == 0 || self.lines.is_full() {
            return;
        }
        let weight = match &entity.specific {
            EntityType::LwPolyline(line) => 1 + line.vertices.len(),
            EntityType::Polyline(line) => 1 + line.vertices().count(),
            _ => 1,
        };
        self.left = self.left.saturating_sub(weight);
        let own = entity.common.layer.as_str();
        // What lies on layer 0 of a block is on the layer of the block.
        let layer = match layer {
            Some(outer) if own == "0" => outer,
            _ => own,
        };
        let at = |p: &Point| turn.place(p.x, p.y);
        match &entity.specific {
            EntityType::Line(line) => {
                self.lines.add(layer, at(&line.p1), at(&line.p2), group);
                self.ours(entity);
            }
            EntityType::LwPolyline(line) => {
                let bent: Vec<_> = line.vertices.iter().map(|v| (v.x, v.y, v.bulge)).collect();
                self.bulged(layer, &bent, line.flags & 1 == 1, turn, group);
            }
            EntityType::Polyline(line) => {
                let bent: Vec<_> =
                    line.vertices().map(|v| (v.location.x, v.location.y, v.bulge)).collect();
                self.bulged(layer, &bent, line.flags & 1 == 1, turn, group);
            }
            EntityType::Arc(arc) => {
                let (from, mut to) = (arc.start_angle, arc.end_angle);
                if to <= from {
                    to += 360.0;
                }
                self.arc(layer, &arc.center, arc.radius, (from, to), turn, group);
            }
            EntityType::Circle(circle) => {
                self.arc(layer, &circle.center, circle.radius, (0.0, 360.0), turn, group);
            }
            EntityType::Insert(insert) if depth < DEEPEST => {
                let Some(block) = self.blocks.get(insert.name.as_str()).copied() else { return };
                let (sin, cos) = insert.rotation.to_radians().sin_cos();
                let (sx, sy) = (insert.x_scale_factor, insert.y_scale_factor);
                let (xx, xy, yx, yy) = (cos * sx, -sin * sy, sin * sx, cos * sy);
                let base = &block.base_point;
                let inner = Turn {
                    xx,
                    xy,
                    yx,
                    yy,
                    x: insert.location.x - xx * base.x - xy * base.y,
                    y: insert.location.y - yx * base.x - yy * base.y,
                };
                let turn = turn.then(&inner);
                self.groups += 1;
                let group = group.or(Some(self.groups));
                for entity in &block.entities {
                    self.entity(entity, &turn, Some(layer), group, depth + 1);
                }
            }
            other => *self.skipped.entry(what(other)).or_default() += 1,
        }
    }

    fn ours(&mut self, entity: &Entity) {
        let data = entity.common.x_data.iter().find(|d| d.application_name == APPLICATION);
        let Some(data) = data else { return };
        let text: String = data
            .items
            .iter()
            .filter_map(|item| match item {
                XDataItem::Str(text) => Some(text.as_str()),
                _ => None,
            })
            .collect();
        self.lines.ours(&text);
    }

    /// A polyline whose stretches may be arcs: a bulge is the tangent of a quarter of the angle.
    fn bulged(
        &mut self,
        layer: &str,
        places: &[(f64, f64, f64)],
        closed: bool,
        turn: &Turn,
        group: Option<usize>,
    ) {
        let count = places.len();
        let ends = if closed { count } else { count.saturating_sub(1) };
        for n in 0..ends {
            let ((ax, ay, bulge), (bx, by, _)) = (places[n], places[(n + 1) % count]);
            if bulge.abs() < 1e-6 || !bulge.is_finite() {
                self.lines.add(layer, turn.place(ax, ay), turn.place(bx, by), group);
                continue;
            }
            let angle = 4.0 * bulge.atan();
            let (dx, dy) = (bx - ax, by - ay);
            let k = 0.5 / (angle / 2.0).tan();
            let (cx, cy) = (f64::midpoint(ax, bx) - dy * k, f64::midpoint(ay, by) + dx * k);
            let from = (ay - cy).atan2(ax - cx).to_degrees();
            let radius = (ax - cx).hypot(ay - cy);
            let center = Point::new(cx, cy, 0.0);
            self.arc(layer, &center, radius, (from, from + angle.to_degrees()), turn, group);
        }
    }

    fn arc(
        &mut self,
        layer: &str,
        center: &Point,
        radius: f64,
        (from, to): (f64, f64),
        turn: &Turn,
        group: Option<usize>,
    ) {
        if !(radius.is_finite() && from.is_finite() && to.is_finite()) {
            self.lines.say(layer, "an arc has no finite radius or angle, and was left out");
            return;
        }
        let share = ((to - from).abs() / 360.0).clamp(0.0, 1.0);
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "1 to 32")]
        let count = (share * f64::from(CIRCLE)).ceil().max(1.0) as u8;
        let places: Vec<Spot> = (0..=count)
            .map(|n| {
                let angle = from + (to - from) * f64::from(n) / f64::from(count);
                let (sin, cos) = angle.to_radians().sin_cos();
                turn.place(center.x + radius * cos, center.y + radius * sin)
            })
            .collect();
        self.lines.path(layer, &places, false, group);
    }
}

fn what(entity: &EntityType) -> &'static str {
    match entity {
        EntityType::Text(_) | EntityType::MText(_) | EntityType::AttributeDefinition(_) => "texts",
        EntityType::Spline(_) => "splines",
        EntityType::Ellipse(_) => "ellipses",
        EntityType::RotatedDimension(_)
        | EntityType::RadialDimension(_)
        | EntityType::DiameterDimension(_)
        | EntityType::OrdinateDimension(_) => "dimensions",
        EntityType::Insert(_) => "blocks within too many others",
        _ => "other things",
    }
}

/// A storey as DXF, in metres; layers are constructions.
///
/// # Errors
/// Never for a job that the core accepted.
pub fn write(site: &Site, floor: &FloorId) -> Result<Vec<u8>, dxf::DxfError> {
    let storey = Storey::of(site, floor);
    let mut file = File::new();
    file.header.version = dxf::enums::AcadVersion::R2007;
    file.header.default_drawing_units = Units::Meters;
    file.add_app_id(dxf::tables::AppId { name: APPLICATION.to_owned(), ..Default::default() });
    let point = |[x, y]: Spot| Point::new(x, 0.0 - y, 0.0);
    let mut line = |layer: &str, a: Spot, b: Spot, drawn: Option<String>| {
        let mut entity =
            Entity::new(EntityType::Line(dxf::entities::Line::new(point(a), point(b))));
        layer.clone_into(&mut entity.common.layer);
        if let Some(drawn) = drawn {
            entity.common.x_data.push(XData {
                application_name: APPLICATION.to_owned(),
                items: pieces(&drawn).map(XDataItem::Str).collect(),
            });
        }
        file.add_entity(entity);
    };
    for wall in &storey.walls {
        line(&layer_of(wall), wall.a, wall.b, Some(ours_of(wall)));
        for (layer, a, b) in openings_of(wall) {
            line(&layer, a, b, None);
        }
    }
    for (at, label) in &storey.points {
        let mut circle =
            Entity::new(EntityType::Circle(dxf::entities::Circle::new(point(*at), 0.08)));
        "POINTS".clone_into(&mut circle.common.layer);
        file.add_entity(circle);
        let text = dxf::entities::Text {
            location: point([at[0] + 0.12, at[1]]),
            text_height: 0.25,
            value: label.clone(),
            ..Default::default()
        };
        let mut text = Entity::new(EntityType::Text(text));
        "POINTS".clone_into(&mut text.common.layer);
        file.add_entity(text);
    }
    let mut bytes = Vec::new();
    file.save(&mut bytes)?;
    Ok(bytes)
}

/// A text in pieces that a file's groups hold, cut between letters.
fn pieces(text: &str) -> impl Iterator<Item = String> {
    let letters: Vec<char> = text.chars().collect();
    // A letter has up to four bytes.
    letters.chunks(LONGEST / 4).map(|c| c.iter().collect()).collect::<Vec<_>>().into_iter()
}
