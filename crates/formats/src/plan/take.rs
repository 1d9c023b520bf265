//! From the lines of a plan to walls and openings of a storey, as one edit.

use std::collections::BTreeMap;

use dot_reach_core::geometry::{Rect, Vec2, apart};
use dot_reach_core::site::{
    Edit, FloorId, Opening, OpeningKind, Provenance, Site, Spot, Thing, Wall, admit,
};
use dot_reach_core::units::Metres;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use serde::Deserialize;

use super::{Drawing, Piece};
use crate::{ImportFinding, Imported};

/// What a layer becomes.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize, serde::Serialize)]
#[serde(tag = "as", rename_all = "lowercase", deny_unknown_fields)]
pub enum As {
    /// Walls of a construction.
    Walls {
        /// Its id.
        construction: String,
    },
    /// Doors in the walls that are next to them.
    Doors,
    /// Windows likewise.
    Windows,
    /// Plain openings likewise.
    Openings,
    /// A picture under the sheet.
    Underlay,
    /// Left out.
    Skip,
}

/// How a plan is taken in.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Choices {
    /// The storey that it becomes.
    pub floor: FloorId,
    /// Metres for a unit of the file.
    pub metres_per_unit: f64,
    /// What each layer becomes; a layer that is not named is left out.
    pub layers: BTreeMap<String, As>,
    /// Whether each wall is drawn as two lines, one a face.
    #[serde(default)]
    pub two_lines: bool,
    /// Whether things that were drawn here come back as they were, beside the layers.
    #[serde(default)]
    pub as_written: bool,
    /// With what the ids of new things begin.
    pub stem: String,
}

/// Shorter lines are ticks and hatching, not walls.
const SHORTEST: f64 = 0.1;
/// Two faces of one wall lie so far apart at most, and at least.
const THICK: (f64, f64) = (0.04, 0.75);
/// An opening is so near to its wall.
const NEAR: f64 = 0.6;

/// A house is so many metres across; *planning value*.
const USUAL_HOUSE_M: f64 = 12.0;

/// How many metres a unit is likely to be where a file does not say: that of the usual ones which makes
/// the drawing most nearly as large as a house.
pub fn likely_unit(size: f64) -> f64 {
    const UNITS: [f64; 5] = [1.0, 0.001, 0.01, 0.0254, 0.3048];
    let off = |unit: &f64| (size * unit / USUAL_HOUSE_M).ln().abs();
    UNITS.into_iter().min_by(|a, b| off(a).total_cmp(&off(b))).unwrap_or(1.0)
}

/// What each layer is likely to be by its name.
pub fn proposed(drawing: &Drawing) -> BTreeMap<String, As> {
    let guess = |name: &String| {
        let plain = name.to_lowercase();
        let has = |words: &[&str]| words.iter().any(|w| plain.contains(w));
        let own = plain.strip_prefix("wall ").map(str::trim);
        match own {
            Some(id) if !id.is_empty() => As::Walls { construction: id.to_owned() },
            _ if has(&["door", "tuer", "tür", "porte", "deur"]) => As::Doors,
            _ if has(&["window", "glaz", "fenster", "fenetre", "raam"]) => As::Windows,
            _ if has(&["opening"]) => As::Openings,
            _ if has(&["wall", "wand", "mur", "muur"]) => {
                As::Walls { construction: "brick-102".to_owned() }
            }
            _ => As::Skip,
        }
    };
    drawing.layers.keys().map(|name| (name.clone(), guess(name))).collect()
}

/// The edit that a plan comes to, and what could not be taken.
pub fn take(site: &Site, drawing: &Drawing, choices: &Choices) -> Imported<Edit> {
    let mut findings = Vec::new();
    let mut say = |place: &str, reason: String| {
        findings.push(ImportFinding { place: place.to_owned(), reason });
    };
    let scale = choices.metres_per_unit;
    if !(1e-6..=1e6).contains(&scale) {
        say("scale", "a unit of the file is 0.000001 to 1000000 m".to_owned());
        return Imported { value: Edit::batch(Vec::new()), findings };
    }
    let mut walls = if choices.as_written { written(drawing, choices) } else { Vec::new() };
    if walls.is_empty() {
        walls = drawn(site, drawing, choices, &mut say);
    }
    let (taken, refused) = admit(site, walls.into_iter().map(Thing::from));
    for (of, refusal) in refused {
        say(&format!("wall {}", of.id), refusal.to_string());
    }
    Imported { value: Edit::batch(taken.into_iter().map(Edit::Put).collect()), findings }
}

/// Walls as they were written here.
fn written(drawing: &Drawing, choices: &Choices) -> Vec<Wall> {
    let on = |wall: &Wall| Wall { floor: choices.floor.clone(), ..wall.clone() };
    drawing.ours.iter().map(|ours| on(&ours.wall)).collect()
}

fn drawn(
    site: &Site,
    drawing: &Drawing,
    choices: &Choices,
    say: &mut dyn FnMut(&str, String),
) -> Vec<Wall> {
    let scale = choices.metres_per_unit;
    let used = drawing
        .layers
        .iter()
        .filter(|(name, _)| choices.layers.get(*name).is_some_and(|what| *what != As::Skip));
    let ends = used.flat_map(|(_, pieces)| pieces.iter().flat_map(|p| [p.a, p.b]));
    let Some(Rect { left, top, .. }) = Rect::around(ends) else {
        say("layers", "choose what at least one layer becomes".to_owned());
        return Vec::new();
    };
    // Drawings lie anywhere: their corner comes to lie at the sheet's origin.
    let here = |[x, y]: Spot| {
        [(x - left) * scale, (y - top) * scale].map(|m| (m * 1000.0).round() / 1000.0)
    };
    let of = |pieces: &[Piece]| -> Vec<Piece> {
        let moved = |p: &Piece| Piece { a: here(p.a), b: here(p.b), group: p.group };
        pieces.iter().map(moved).collect()
    };
    let mut walls = Vec::new();
    let mut number = 0;
    for (name, pieces) in &drawing.layers {
        let Some(As::Walls { construction }) = choices.layers.get(name) else { continue };
        let pieces = of(pieces);
        let lines: Vec<(Spot, Spot)> = if choices.two_lines {
            middles(&pieces)
        } else {
            pieces.iter().map(|p| (p.a, p.b)).collect()
        };
        let mut short = 0;
        for (a, b) in joined(lines) {
            if apart(a, b) < SHORTEST {
                short += 1;
                continue;
            }
            number += 1;
            let Ok(id) = format!("{}-{number}", choices.stem).parse() else { continue };
            walls.push(Wall {
                id,
                floor: choices.floor.clone(),
                a,
                b,
                construction: construction.clone(),
                height_m: None,
                known: Provenance::Default,
                openings: Vec::new(),
            });
        }
        if short > 0 {
            say(name, format!("{short} lines shorter than 10 cm were left out"));
        }
        if site.construction(construction).is_none() {
            say(name, format!("there is no construction {construction}; choose one of the list"));
        }
    }
    for (name, pieces) in &drawing.layers {
        let kind = match choices.layers.get(name) {
            Some(As::Doors) => OpeningKind::Door,
            Some(As::Windows) => OpeningKind::Window,
            Some(As::Openings) => OpeningKind::Open,
            _ => continue,
        };
        let left_out = cut(&mut walls, &of(pieces), kind);
        if left_out > 0 {
            say(
                name,
                format!("{left_out} stand by no wall, or over another opening, and were left out"),
            );
        }
    }
    walls
}

/// The middle lines of walls that are drawn by their two faces. A face that finds no other stays.
fn middles(pieces: &[Piece]) -> Vec<(Spot, Spot)> {
    let mut used = vec![false; pieces.len()];
    let mut lines = Vec::new();
    let near = Near::of(pieces.iter().map(|p| (p.a, p.b)));
    for n in 0..pieces.len() {
        if used[n] {
            continue;
        }
        let p = pieces[n];
        let along = Vec2::between(p.a, p.b);
        let length = along.length();
        let unit = along * (1.0 / length);
        let facing = |q: &Piece| {
            let other = Vec2::between(q.a, q.b);
            if unit.cross(other).abs() > 0.02 * other.length() {
                return None;
            }
            let gap = unit.cross(Vec2::between(p.a, q.a)).abs();
            let spans = [q.a, q.b].map(|end| unit.dot(Vec2::between(p.a, end)));
            let (from, to) = (spans[0].min(spans[1]).max(0.0), spans[0].max(spans[1]).min(length));
            let shares = to - from > 0.5 * length.min(other.length());
            ((THICK.0..=THICK.1).contains(&gap) && shares).then_some((gap, spans))
        };
        let found = near
            .around([p.a, p.b], THICK.1)
            .into_iter()
            .filter(|m| *m > n && !used[*m])
            .filter_map(|m| Some((m, facing(&pieces[m])?)))
            .min_by(|a, b| a.1.0.total_cmp(&b.1.0));
        used[n] = true;
        let Some((m, (_, spans))) = found else {
            lines.push((p.a, p.b));
            continue;
        };
        used[m] = true;
        let q = pieces[m];
        let (near, far) = if spans[0] <= spans[1] { (q.a, q.b) } else { (q.b, q.a) };
        let middle = |u: Spot, v: Spot| [0, 1].map(|axis| f64::midpoint(u[axis], v[axis]));
        lines.push((middle(p.a, near), middle(p.b, far)));
    }
    lines
}

/// Lines by where they are, so that each is held against few others.
struct Near(RTree<GeomWithData<Rectangle<Spot>, usize>>);

impl Near {
    fn of(lines: impl Iterator<Item = (Spot, Spot)>) -> Self {
        let boxed = |(n, (a, b))| GeomWithData::new(Rectangle::from_corners(a, b), n);
        Self(RTree::bulk_load(lines.enumerate().map(boxed).collect()))
    }

    /// The lines whose boxes are within `reach` of the box around some spots, in their order.
    fn around(&self, spots: impl IntoIterator<Item = Spot>, reach: f64) -> Vec<usize> {
        let Some(Rect { left, top, right, bottom }) = Rect::around(spots) else {
            return Vec::new();
        };
        let wide = AABB::from_corners([left - reach, top - reach], [right + reach, bottom + reach]);
        let mut found: Vec<usize> =
            self.0.locate_in_envelope_intersecting(&wide).map(|line| line.data).collect();
        found.sort_unstable();
        found
    }
}

/// Lines without those that stand twice.
fn joined(lines: Vec<(Spot, Spot)>) -> Vec<(Spot, Spot)> {
    let mut seen = std::collections::BTreeSet::new();
    let key = |p: Spot| {
        #[expect(clippy::cast_possible_truncation, reason = "a millimetre within the sheet")]
        p.map(|m| (m * 1000.0).round() as i64)
    };
    let is_new = |line: &(Spot, Spot)| {
        let (a, b) = (key(line.0), key(line.1));
        seen.insert(if a <= b { (a, b) } else { (b, a) })
    };
    lines.into_iter().filter(is_new).collect()
}

/// Cuts openings into the walls that are next to them; how many found none.
fn cut(walls: &mut [Wall], pieces: &[Piece], kind: OpeningKind) -> usize {
    let mut by_group: BTreeMap<(bool, usize), Vec<Spot>> = BTreeMap::new();
    for (n, piece) in pieces.iter().enumerate() {
        let key = piece.group.map_or((false, n), |group| (true, group));
        by_group.entry(key).or_default().extend([piece.a, piece.b]);
    }
    let near = Near::of(walls.iter().map(|w| (w.a, w.b)));
    let mut left_out = 0;
    for spots in by_group.into_values() {
        let Some(around) = Rect::around(spots.iter().copied()) else { continue };
        let middle =
            [f64::midpoint(around.left, around.right), f64::midpoint(around.top, around.bottom)];
        let off = |w: &Wall| {
            spots.iter().map(|s| distance(w, *s)).fold(f64::INFINITY, f64::min)
                + distance(w, middle) * 0.1
        };
        let reached = near.around(spots.iter().copied(), NEAR).into_iter();
        let nearest = reached.min_by(|a, b| off(&walls[*a]).total_cmp(&off(&walls[*b])));
        let fits = nearest.filter(|n| off(&walls[*n]) <= NEAR).and_then(|n| {
            let wall = &walls[n];
            let length = wall.length().get();
            let unit = Vec2::between(wall.a, wall.b) * (1.0 / length);
            let at: Vec<f64> = spots
                .iter()
                .map(|s| unit.dot(Vec2::between(wall.a, *s)).clamp(0.0, length))
                .collect();
            let from = at.iter().copied().fold(f64::INFINITY, f64::min);
            let to = at.iter().copied().fold(0.0, f64::max);
            ((0.3..=8.0).contains(&(to - from))).then_some((n, from, to - from))
        });
        let Some((n, start, width)) = fits else {
            left_out += 1;
            continue;
        };
        let (sill, height, construction) = match kind {
            OpeningKind::Door => (0.0, 2.0, "door-wood"),
            OpeningKind::Window => (0.9, 1.2, "window-double"),
            OpeningKind::Open => (0.0, 2.0, ""),
        };
        let wall = &mut walls[n];
        let overlaps = wall
            .openings
            .iter()
            .any(|o| start < (o.start_m + o.width_m).get() && o.start_m.get() < start + width);
        let id = format!("o{}", wall.openings.len() + 1).parse();
        let (false, Ok(id)) = (overlaps, id) else {
            left_out += 1;
            continue;
        };
        wall.openings.push(Opening {
            id,
            kind,
            start_m: Metres::new((start * 1000.0).round() / 1000.0),
            width_m: Metres::new((width * 1000.0).floor() / 1000.0),
            sill_m: Metres::new(sill),
            height_m: Metres::new(height),
            construction: construction.to_owned(),
            stands_open: false,
        });
    }
    left_out
}

fn distance(wall: &Wall, at: Spot) -> f64 {
    let along = Vec2::between(wall.a, wall.b);
    let length = along.length().max(1e-9);
    let t = (Vec2::between(wall.a, at).dot(along) / (length * length)).clamp(0.0, 1.0);
    apart((along * t).from(wall.a), at)
}
