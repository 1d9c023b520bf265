//! Floor plans of other programs: lines by layer out of DXF, SVG and `GeoJSON`, and what they become on a
//! storey; a storey written in the same three, so that it comes back equal.

pub mod dxf;
pub mod geojson;
pub mod page;
pub mod picture;
pub mod svg;
mod take;
mod unfold;

use std::collections::BTreeMap;

use dot_reach_core::geometry::Rect;
use dot_reach_core::site::{Floor, FloorId, Site, Spot, Wall};
use serde::{Deserialize, Serialize};

use crate::{ImportFinding, Imported};

pub use take::{As, Choices, likely_unit, proposed, take};

/// The largest plan file in bytes.
pub const MOST_BYTES: usize = 32 * 1024 * 1024;
/// The most lines that are read of one.
pub const MOST_PIECES: usize = 200_000;
/// The most layers that are told apart.
pub const MOST_LAYERS: usize = 500;

/// What was read of a plan.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Drawing {
    /// Its lines by layer, x to the right and y down, in units of the file.
    pub layers: BTreeMap<String, Vec<Piece>>,
    /// How many metres a unit of the file is, where the file says so.
    pub metres_per_unit: Option<f64>,
    /// What the file keeps of things that were drawn here.
    pub ours: Vec<Ours>,
}

impl Drawing {
    /// The smallest rectangle around its lines, in units of the file.
    pub fn around(&self) -> Option<Rect> {
        Rect::around(self.layers.values().flatten().flat_map(|p| [p.a, p.b]))
    }

    /// How far it reaches along its longer side, in units of the file.
    pub fn size(&self) -> f64 {
        self.around().map_or(0.0, |r| r.width().max(r.height()))
    }
}

/// A line of a plan.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Piece {
    /// One end.
    pub a: Spot,
    /// The other.
    pub b: Spot,
    /// Lines of the same number belong together, as those of a door do.
    pub group: Option<usize>,
}

/// A wall as it was written here, beside its line: what a line alone cannot say.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Ours {
    /// The wall; its storey is given where it is taken in.
    pub wall: Wall,
}

/// Why a plan was refused as a whole.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PlanError {
    /// Nothing is in it.
    #[error("the file is empty; choose a DXF, SVG or GeoJSON floor plan")]
    Empty,
    /// It is larger than is read.
    #[error("the file has {} MB; {} MB is the most: leave out furniture and hatching, or split it by storey", .0 / 1_000_000, MOST_BYTES / 1_048_576)]
    TooLarge(usize),
    /// None of the formats.
    #[error("this is neither DXF nor SVG nor GeoJSON; save the plan as one of them, DXF as text")]
    Unknown,
    /// The format was known and the file broken.
    #[error("the file cannot be read as {format}: {why}")]
    Broken {
        /// The format.
        format: &'static str,
        /// What is wrong with it.
        why: String,
    },
}

/// Reads a plan; its bytes tell which format it is.
///
/// # Errors
/// It is too large, of another format, or broken as a whole.
pub fn read(bytes: &[u8]) -> Result<Imported<Drawing>, PlanError> {
    if bytes.len() > MOST_BYTES {
        return Err(PlanError::TooLarge(bytes.len()));
    }
    let text = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(bytes);
    let start = text.iter().position(|b| !b.is_ascii_whitespace()).ok_or(PlanError::Empty)?;
    match text[start] {
        b'<' => svg::read(text),
        b'{' => geojson::read(text),
        b'0'..=b'9' => dxf::read(text),
        _ => Err(PlanError::Unknown),
    }
}

/// Collects lines up to the most that are read.
#[derive(Debug, Default)]
pub(crate) struct Lines {
    drawing: Drawing,
    findings: Vec<ImportFinding>,
    count: usize,
    is_over: bool,
}

impl Lines {
    /// Whether no line is taken any more, and that was said.
    pub(crate) fn is_full(&self) -> bool {
        self.is_over && self.count >= MOST_PIECES
    }

    pub(crate) fn add(&mut self, layer: &str, a: Spot, b: Spot, group: Option<usize>) {
        let is_finite = a.iter().chain(&b).all(|v| v.is_finite() && v.abs() < 1e9);
        if !is_finite || (a[0] - b[0]).hypot(a[1] - b[1]) < 1e-9 {
            return;
        }
        let is_new = !self.drawing.layers.contains_key(layer);
        if self.count >= MOST_PIECES || is_new && self.drawing.layers.len() >= MOST_LAYERS {
            if !self.is_over {
                self.is_over = true;
                self.say("the file", format!("has more than {MOST_PIECES} lines or {MOST_LAYERS} layers; the rest was left out"));
            }
            return;
        }
        self.count += 1;
        let piece = Piece { a, b, group };
        self.drawing.layers.entry(layer.to_owned()).or_default().push(piece);
    }

    /// Adds the stretches between places, closed or not.
    pub(crate) fn path(
        &mut self,
        layer: &str,
        places: &[Spot],
        closed: bool,
        group: Option<usize>,
    ) {
        for pair in places.windows(2) {
            self.add(layer, pair[0], pair[1], group);
        }
        if let (true, [first, .., last]) = (closed, places) {
            self.add(layer, *last, *first, group);
        }
    }

    pub(crate) fn say(&mut self, place: &str, reason: impl Into<String>) {
        if self.findings.len() < 200 {
            self.findings.push(ImportFinding { place: place.to_owned(), reason: reason.into() });
        }
    }

    pub(crate) fn unit(&mut self, metres: f64) {
        self.drawing.metres_per_unit = Some(metres);
    }

    pub(crate) fn ours(&mut self, text: &str) {
        match serde_json::from_str::<Ours>(text) {
            Ok(ours) if self.drawing.ours.len() < MOST_PIECES => self.drawing.ours.push(ours),
            Ok(_) => {}
            Err(e) => self.say("what was written here", format!("cannot be read: {e}")),
        }
    }

    pub(crate) fn done(self) -> Imported<Drawing> {
        Imported { value: self.drawing, findings: self.findings }
    }
}

/// A storey to be written: its walls with what a line cannot say, and its points.
pub(crate) struct Storey<'a> {
    pub(crate) walls: Vec<&'a Wall>,
    pub(crate) points: Vec<(Spot, String)>,
}

impl<'a> Storey<'a> {
    pub(crate) fn of(site: &'a Site, floor: &FloorId) -> Self {
        let points =
            site.points.iter().filter(|p| p.floor == *floor).map(|p| (p.at, p.label().to_owned()));
        Self {
            walls: site.walls.iter().filter(|w| w.floor == *floor).collect(),
            points: points.collect(),
        }
    }
}

/// The layer of a wall: its construction.
pub(crate) fn layer_of(wall: &Wall) -> String {
    format!("WALL {}", wall.construction)
}

/// The two ends of an opening of a wall, with the layer that it goes on.
pub(crate) fn openings_of(wall: &Wall) -> impl Iterator<Item = (String, Spot, Spot)> {
    let length = wall.length().get().max(1e-9);
    let along =
        move |m: f64| [0, 1].map(|axis| wall.a[axis] + (wall.b[axis] - wall.a[axis]) * m / length);
    wall.openings.iter().map(move |o| {
        let word = match o.kind {
            dot_reach_core::site::OpeningKind::Door => "DOOR",
            dot_reach_core::site::OpeningKind::Window => "WINDOW",
            dot_reach_core::site::OpeningKind::Open => "OPENING",
        };
        let layer = format!("{word} {}", o.construction).trim().to_owned();
        let start = o.start_m.get();
        (layer, along(start), along(start + o.width_m.get()))
    })
}

/// What a wall is beside its line, as text.
pub(crate) fn ours_of(wall: &Wall) -> String {
    serde_json::to_string(&Ours { wall: wall.clone() }).unwrap_or_default()
}

/// The name of a storey as part of a file's name.
pub fn file_stem(floor: &Floor) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    floor.name.chars().map(plain).collect()
}
