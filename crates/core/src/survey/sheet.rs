//! The point sheet: its columns, what a cell shows, and what a typed cell comes to. The grid, pasted
//! tables and files go by the same columns.

use serde_json::{Value, json};

use crate::catalogue::LoadKind;
use crate::site::{
    BoxKind, Earth, Edit, Group, Kind, Load, Neutral, Point, PointKind, Refusal, Site, Wrong,
};
use crate::speech::{LengthField, small_in_field};
use crate::units::typographic;

/// A column.
#[derive(Debug)]
pub struct SheetColumn {
    /// Its word, as a file's heading may have it.
    pub word: &'static str,
    /// Its heading.
    pub heading: &'static str,
    /// What is typed in it.
    pub takes: Takes,
}

/// What is typed in a column.
#[derive(Debug)]
pub enum Takes {
    /// Free words.
    Text,
    /// A number.
    Number,
    /// A small length.
    Small,
    /// One of these: the key that stands for it, its words, and how the job file writes it.
    Choice(&'static [(char, &'static str, &'static str)]),
}

use Takes::{Choice, Number, Small, Text};

const KINDS: &[(char, &str, &str)] = &[
    ('s', "switch", "switch"),
    ('o', "outlet", "socket"),
    ('c', "ceiling", "ceiling"),
    ('w', "wall fitting", "wall-fitting"),
    ('h', "shelf", "shelf"),
    ('b', "bare wall", "bare-wall"),
    ('x', "outdoors", "outdoor"),
];
const BOXES: &[(char, &str, &str)] = &[
    ('u', "?", "unknown"),
    ('n', "none", "none"),
    ('p', "plastic", "plastic"),
    ('m', "metal", "metal"),
];
const NEUTRALS: &[(char, &str, &str)] = &[
    ('t', "tested", "tested"),
    ('s', "seen", "seen"),
    ('n', "not seen", "not-seen"),
    ('a', "absent", "absent"),
    ('u', "?", "unknown"),
];
const EARTHS: &[(char, &str, &str)] = &[
    ('c', "conductor", "conductor"),
    ('b', "earthed box", "earthed-box"),
    ('n', "none", "none"),
    ('u', "?", "unknown"),
];
const LOADS: &[(char, &str, &str)] = &[
    ('l', "LED", "led"),
    ('f', "compact fluorescent", "cfl"),
    ('i', "incandescent", "incandescent"),
    ('h', "halogen", "halogen"),
    ('w', "low voltage, wound", "magnetic-low-voltage"),
    ('e', "low voltage, electronic", "electronic-low-voltage"),
    ('v', "fan", "fan"),
    ('m', "motor", "motor"),
    ('t', "heater", "heater"),
    ('o', "outlet", "outlet"),
];
const DIMS: &[(char, &str, &str)] =
    &[('y', "dims", "true"), ('n', "does not dim", "false"), ('u', "?", "null")];

/// The columns, in the order in which a place is spoken of.
#[rustfmt::skip]
pub const COLUMNS: [SheetColumn; 16] = [
    SheetColumn { word: "tag",     heading: "Tag",      takes: Text },
    SheetColumn { word: "name",    heading: "Place",    takes: Text },
    SheetColumn { word: "room",    heading: "Room",     takes: Text },
    SheetColumn { word: "kind",    heading: "Kind",     takes: Choice(KINDS) },
    SheetColumn { word: "box",     heading: "Box",      takes: Choice(BOXES) },
    SheetColumn { word: "neutral", heading: "Neutral",  takes: Choice(NEUTRALS) },
    SheetColumn { word: "circuit", heading: "Breaker",  takes: Text },
    SheetColumn { word: "group",   heading: "Group",    takes: Text },
    SheetColumn { word: "load",    heading: "Load",     takes: Choice(LOADS) },
    SheetColumn { word: "count",   heading: "Lamps",    takes: Number },
    SheetColumn { word: "watts",   heading: "W each",   takes: Number },
    SheetColumn { word: "dims",    heading: "Dimmable", takes: Choice(DIMS) },
    SheetColumn { word: "depth",   heading: "Depth mm", takes: Small },
    SheetColumn { word: "gangs",   heading: "Gangs",    takes: Number },
    SheetColumn { word: "earth",   heading: "Earth",    takes: Choice(EARTHS) },
    SheetColumn { word: "note",    heading: "Note",     takes: Text },
];

/// The column of a word or heading, however it is written.
pub fn column(text: &str) -> Option<&'static SheetColumn> {
    let plain = |text: &str| text.trim().to_lowercase();
    COLUMNS.iter().find(|c| c.word == plain(text) || plain(c.heading) == plain(text))
}

/// What a cell shows; empty where nothing is known.
pub fn shown(site: &Site, point: &Point, column: &SheetColumn) -> String {
    let number = |v: f64| typographic(v, usize::from(v.fract().abs() > 0.0));
    let load = site.loads_of(&point.id).next();
    let lead = site.box_of(point);
    match column.word {
        "tag" => point.tag.clone(),
        "name" => point.name.clone(),
        "room" => site.room_name(point).to_owned(),
        "kind" => words(KINDS, point.kind),
        "box" if lead.back_box == BoxKind::Unknown => String::new(),
        "box" => words(BOXES, lead.back_box),
        "neutral" if lead.neutral == Neutral::Unknown => String::new(),
        "neutral" => words(NEUTRALS, lead.neutral),
        "earth" if lead.earth == Earth::Unknown => String::new(),
        "earth" => words(EARTHS, lead.earth),
        "circuit" => point.circuit.clone(),
        "group" => site.group_of(&point.id).map_or_else(String::new, |g| g.name.clone()),
        "load" => load.map_or_else(String::new, |l| words(LOADS, l.kind)),
        "count" => load.and_then(|l| l.count).map_or_else(String::new, |n| n.to_string()),
        "watts" => load.and_then(|l| l.watts).map_or_else(String::new, number),
        "dims" => load.and_then(|l| l.dimmable).map_or_else(String::new, |dims| words(DIMS, dims)),
        "depth" => lead.depth_mm.map_or_else(String::new, small_in_field),
        "gangs" if !lead.back_box.is_there() || lead.gangs == 0 => String::new(),
        "gangs" => lead.gangs.to_string(),
        _ => point.note.clone(),
    }
}

/// The words of a value of a job file.
fn words(of: &[(char, &str, &str)], value: impl serde::Serialize) -> String {
    let written = serde_json::to_value(value).unwrap_or_default();
    let text = written.as_str().map_or_else(|| written.to_string(), str::to_owned);
    of.iter().find(|(_, _, word)| *word == text).map_or(text, |(_, words, _)| (*words).to_owned())
}

/// The edits that a typed cell comes to; none where it says what stands there already.
///
/// # Errors
/// The cell is none of what the column takes, with what it does take.
pub fn typed(
    site: &Site,
    point: &Point,
    column: &SheetColumn,
    text: &str,
) -> Result<Vec<Edit>, Refusal> {
    let text = text.trim();
    if text == shown(site, point, column) {
        return Ok(Vec::new());
    }
    let value = read(column, text)?;
    let lead = point.in_box_of.as_ref().unwrap_or(&point.id);
    let set = |field: &str, value: Value| Edit::set(Kind::Point, &point.id, field, value);
    let of_box = |field: &str, value: Value| Edit::set(Kind::Point, lead, field, value);
    Ok(match column.word {
        "kind" if value.is_null() => vec![set("kind", json!(PointKind::Switch))],
        "box" if value.is_null() => vec![of_box("box", json!(BoxKind::Unknown))],
        "neutral" if value.is_null() => vec![of_box("neutral", json!(Neutral::Unknown))],
        "earth" if value.is_null() => vec![of_box("earth", json!(Earth::Unknown))],
        "gangs" if value.is_null() => vec![of_box("gangs", json!(0))],
        word @ ("tag" | "name" | "room" | "kind" | "circuit" | "note") => vec![set(word, value)],
        word @ ("box" | "neutral" | "earth") => vec![of_box(word, value)],
        "gangs" => vec![of_box("gangs", whole(column, &value)?)],
        "depth" => vec![of_box("depth_mm", value)],
        "group" => grouped(site, point, text)?,
        word => of_load(site, point, column, word, value)?,
    })
}

/// What a cell says, as the job file writes it; nothing for an empty one.
fn read(column: &SheetColumn, text: &str) -> Result<Value, Refusal> {
    match &column.takes {
        Text => Ok(Value::from(text)),
        _ if text.is_empty() => Ok(Value::Null),
        Number => {
            let number = text.replace(',', ".").replace('−', "-").parse::<f64>();
            let number = number.ok().filter(|n| n.is_finite());
            let wrong = || Refusal::wrong(column.word, Wrong::NoNumber { text: text.to_owned() });
            number.map(Value::from).ok_or_else(wrong)
        }
        Small => {
            let wrong = || Refusal::wrong(column.word, Wrong::NoLength { text: text.to_owned() });
            LengthField::Millimetres.read(text).map(Value::from).ok_or_else(wrong)
        }
        Choice(of) => {
            let plain = text.to_lowercase();
            let is_key = |key: &char| plain.chars().eq([*key]);
            let found = of
                .iter()
                .find(|(key, words, word)| {
                    is_key(key) || words.to_lowercase() == plain || *word == plain
                })
                // The beginning of a word will do where only one begins so.
                .or_else(|| {
                    let mut begins =
                        of.iter().filter(|(_, words, _)| words.to_lowercase().starts_with(&plain));
                    begins.next().filter(|_| begins.next().is_none())
                });
            let (_, _, word) = found.ok_or_else(|| {
                let known = of.iter().map(|(key, words, _)| format!("{key} {words}"));
                let known = known.collect::<Vec<_>>().join(", ");
                Refusal::wrong(column.word, Wrong::NoneOf { text: text.to_owned(), known })
            })?;
            Ok(match *word {
                "true" => Value::from(true),
                "false" => Value::from(false),
                "null" => Value::Null,
                word => Value::from(word),
            })
        }
    }
}

fn whole(column: &SheetColumn, value: &Value) -> Result<Value, Refusal> {
    let number = value.as_f64().filter(|n| n.fract().abs() <= 0.0 && (0.0..=60_000.0).contains(n));
    let wrong = || Refusal::wrong(column.word, Wrong::NoNumber { text: value.to_string() });
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "in range, whole")]
    number.map(|n| json!(n as u32)).ok_or_else(wrong)
}

/// Joins the group of that name, or makes it; an empty cell leaves.
fn grouped(site: &Site, point: &Point, name: &str) -> Result<Vec<Edit>, Refusal> {
    let mut edits = Vec::new();
    if let Some(now) = site.group_of(&point.id) {
        let places: Vec<_> = now.places.iter().filter(|p| **p != point.id).collect();
        if places.is_empty() {
            edits.push(Edit::remove(Kind::Group, &now.id));
        } else {
            edits.push(Edit::set(Kind::Group, &now.id, "wiring", json!({"layout": "unknown"})));
            edits.push(Edit::set(Kind::Group, &now.id, "places", json!(places)));
        }
    }
    if name.is_empty() {
        return Ok(edits);
    }
    let same = |g: &&Group| g.name.to_lowercase() == name.to_lowercase();
    if let Some(group) = site.groups.iter().find(same) {
        let places: Vec<_> = group.places.iter().chain([&point.id]).collect();
        edits.push(Edit::set(Kind::Group, &group.id, "places", json!(places)));
    } else {
        let id = (1..).map(|n| format!("group-{n}"));
        let id = id.filter(|id| site.groups.named(id).is_none()).find_map(|id| id.parse().ok());
        let id = id.ok_or_else(|| Refusal::wrong("group", Wrong::NoName))?;
        edits.push(Edit::put(Group::new(id, name, vec![point.id.clone()])));
    }
    Ok(edits)
}

/// The first load of a point: made where there is none, taken away where its kind is emptied.
fn of_load(
    site: &Site,
    point: &Point,
    column: &SheetColumn,
    word: &str,
    value: Value,
) -> Result<Vec<Edit>, Refusal> {
    let field = match word {
        "load" => "kind",
        "dims" => "dimmable",
        other => other,
    };
    let value = if word == "count" && !value.is_null() { whole(column, &value)? } else { value };
    if let Some(load) = site.loads_of(&point.id).next() {
        return Ok(match (field, value) {
            ("kind", Value::Null) => vec![Edit::remove(Kind::Load, &load.id)],
            ("count", Value::Null) => vec![Edit::set(Kind::Load, &load.id, "count", json!(1))],
            ("kind", value) => {
                let mut edits = vec![Edit::set(Kind::Load, &load.id, "kind", value.clone())];
                // A name that nobody gave goes with what it is.
                let is_unnamed = load.name == load.kind.called_at(&point.name);
                let kind = serde_json::from_value::<LoadKind>(value).ok();
                if let Some(kind) = kind.filter(|_| is_unnamed) {
                    let name = kind.called_at(&point.name);
                    edits.push(Edit::set(Kind::Load, &load.id, "name", name));
                }
                edits
            }
            (field, value) => vec![Edit::set(Kind::Load, &load.id, field, value)],
        });
    }
    if value.is_null() {
        return Ok(Vec::new());
    }
    let id = (1..).map(|n| format!("load-{}-{n}", point.id));
    let id = id.filter(|id| site.loads.named(id).is_none()).find_map(|id| id.parse().ok());
    let id: crate::site::LoadId = id.ok_or_else(|| Refusal::wrong("load", Wrong::NoName))?;
    let kind = if field == "kind" { serde_json::from_value(value.clone()).ok() } else { None };
    let kind = kind.unwrap_or(LoadKind::Led);
    let new = Load::new(id.clone(), &kind.called_at(&point.name), point.id.clone(), kind);
    Ok(vec![Edit::put(new), Edit::set(Kind::Load, &id, field, value)])
}
