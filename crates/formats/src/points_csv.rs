//! The point sheet as a table: out as it is on the screen, in by the same columns. A row finds its point
//! by its tag, or else by its name; a row that finds none is a new point.

use dot_reach_core::draw::rows;
use dot_reach_core::site::{Edit, Floor, FloorId, Kind, Point, PointId, Site, apply};
use dot_reach_core::speech::{Speech, speaking};
use dot_reach_core::survey::sheet::{self, COLUMNS, SheetColumn};

use crate::{ImportFinding, Imported, table};

/// The largest file in bytes.
pub const MOST_BYTES: usize = 4 * 1024 * 1024;
/// The most lines that are read.
pub const MOST_LINES: usize = 6_000;

/// The sheet of all storeys, a row a point.
///
/// # Errors
/// Never for a job that the core accepted.
pub fn write(site: &Site) -> Result<String, csv::Error> {
    // A file is metric, whoever writes it.
    speaking(Speech::default(), || written(site))
}

fn written(site: &Site) -> Result<String, csv::Error> {
    let places = ["storey", "right_m", "down_m", "height_m"];
    let heading = COLUMNS.iter().map(|c| c.word).chain(places).map(str::to_owned).collect();
    let row = |floor: &Floor, point: &Point| -> Vec<String> {
        let cells = COLUMNS.iter().map(|c| sheet::shown(site, point, c));
        let at = [
            floor.name.clone(),
            point.at[0].to_string(),
            point.at[1].to_string(),
            point.height_m.get().to_string(),
        ];
        cells.chain(at).collect()
    };
    let rows = site.floors_upward().into_iter().flat_map(|floor| {
        let own = site.points.iter().filter(|p| p.floor == floor.id);
        own.map(|point| row(floor, point)).collect::<Vec<_>>()
    });
    table::write(std::iter::once(heading).chain(rows))
}

/// Where a table without headings is pasted: from which point and column on.
#[derive(Clone, Debug)]
pub struct Anchor {
    /// The points of the sheet in the order in which they are shown, from the one that is pasted at.
    pub points: Vec<PointId>,
    /// The column.
    pub column: String,
    /// The storey of new points.
    pub floor: FloorId,
}

/// Text of a table in UTF-8, or what to do about it.
///
/// # Errors
/// It is in another encoding.
pub fn text_of(bytes: &[u8]) -> Result<String, String> {
    if bytes.starts_with(&[0xFF, 0xFE]) || bytes.starts_with(&[0xFE, 0xFF]) {
        let units = bytes[2..].chunks_exact(2);
        let is_low_first = bytes[0] == 0xFF;
        let units = units.map(|u| {
            if is_low_first {
                u16::from_le_bytes([u[0], u[1]])
            } else {
                u16::from_be_bytes([u[0], u[1]])
            }
        });
        return char::decode_utf16(units)
            .collect::<Result<String, _>>()
            .map_err(|_| "is UTF-16 that is broken off; save it as CSV, UTF-8".to_owned());
    }
    String::from_utf8(bytes.to_vec()).map_err(|e| {
        let line = bytes[..e.utf8_error().valid_up_to()].split(|b| *b == b'\n').count();
        format!("line {line} is not text in UTF-8; save the table as CSV, UTF-8, so that no letter is lost")
    })
}

/// Reads a table: by its headings, or from an anchor on. Each good cell becomes an edit, each bad one a
/// finding with its line. `stem` begins the ids of new points.
pub fn read(site: &Site, text: &str, anchor: Option<&Anchor>, stem: &str) -> Imported<Vec<Edit>> {
    let mut findings = Vec::new();
    let mut say = |line: u64, reason: String| {
        findings.push(ImportFinding { place: format!("line {line}"), reason });
    };
    let mut rows = table::rows(text);
    let mut records = rows.records();
    let (mut trial, mut edits) = (site.clone(), Vec::new());
    let Some((columns, has_heading)) = columns(text, anchor) else {
        say(1, "has no heading that is known; the first line names the columns, such as tag, name, room, kind, box, neutral".to_owned());
        return Imported { value: edits, findings };
    };
    if has_heading {
        records.next();
    }
    for (number, row) in records.take(MOST_LINES).enumerate() {
        let Ok(row) = row else {
            say(0, "is not a table in UTF-8; save it as CSV, UTF-8".to_owned());
            break;
        };
        let line = row.position().map_or(0, csv::Position::line);
        if row.iter().all(str::is_empty) {
            continue;
        }
        let cell = |word: &str| {
            let at = columns.iter().position(|c| c.word() == word)?;
            row.get(at).map(table::as_meant).filter(|c| !c.is_empty())
        };
        let there = match anchor {
            Some(anchor) => anchor.points.get(number).cloned(),
            None => match known(&trial, &cell) {
                Ok(there) => there,
                Err(reason) => {
                    say(line, reason);
                    continue;
                }
            },
        };
        let id = match there {
            Some(id) => id,
            None => match new(&mut trial, &mut edits, &cell, anchor, stem, number) {
                Ok(id) => id,
                Err(reason) => {
                    say(line, reason);
                    continue;
                }
            },
        };
        for (heading, text) in columns.iter().zip(row.iter()) {
            let done = type_into(&mut trial, &id, heading, table::as_meant(text));
            match done {
                Ok(made) => edits.extend(made),
                Err(reason) => say(line, reason),
            }
        }
    }
    Imported { value: edits, findings }
}

/// What a column of the file is.
enum Heading {
    Sheet(&'static SheetColumn),
    Storey,
    Right,
    Down,
    Height,
    Other,
}

impl Heading {
    fn word(&self) -> &str {
        match self {
            Self::Sheet(column) => column.word,
            Self::Storey => "storey",
            Self::Right => "right_m",
            Self::Down => "down_m",
            Self::Height => "height_m",
            Self::Other => "",
        }
    }
}

/// The columns, and whether the first line names them.
fn columns(text: &str, anchor: Option<&Anchor>) -> Option<(Vec<Heading>, bool)> {
    let mut rows = table::rows(text);
    let first = rows.records().next()?.ok()?;
    let heading = |text: &str| match text.trim().to_lowercase().as_str() {
        "storey" | "floor" | "level" => Heading::Storey,
        "right_m" | "right" | "x" => Heading::Right,
        "down_m" | "down" | "y" => Heading::Down,
        "height_m" | "height" => Heading::Height,
        other => sheet::column(other).map_or(Heading::Other, Heading::Sheet),
    };
    let named: Vec<_> = first.iter().map(heading).collect();
    let known = named.iter().filter(|h| !matches!(h, Heading::Other)).count();
    let names_points = named.iter().any(|h| matches!(h.word(), "tag" | "name"));
    if names_points && known * 2 > named.len() {
        return Some((named, true));
    }
    let start = COLUMNS.iter().position(|c| c.word == anchor.map_or("", |a| &a.column))?;
    Some((COLUMNS[start..].iter().map(Heading::Sheet).collect(), false))
}

/// The point that a row is about; nothing for a new one. Where several share its tag or name, storey and room
/// tell them apart, or nothing does.
fn known<'a>(
    site: &Site,
    cell: &dyn Fn(&str) -> Option<&'a str>,
) -> Result<Option<PointId>, String> {
    let same = |a: &str, b: &str| a.trim().to_lowercase() == b.trim().to_lowercase();
    let storey = |p: &Point| site.floors.get(&p.floor).map_or("", |f| &f.name);
    let fits = |p: &&Point| {
        cell("storey").is_none_or(|s| same(storey(p), s))
            && cell("room").is_none_or(|r| same(&p.room, r) || same(site.room_name(p), r))
    };
    let one = |all: Vec<&Point>, what: &str, text: &str| match all.as_slice() {
        [] => Ok(None),
        [one] => Ok(Some(one.id.clone())),
        several => {
            let mut near = several.iter().filter(|p| fits(p));
            match (near.next(), near.next()) {
                (Some(one), None) => Ok(Some(one.id.clone())),
                _ => Err(format!(
                    "{} points have the {what} “{text}”; give each a tag of its own, so that a row \
                     finds its point",
                    several.len()
                )),
            }
        }
    };
    if let Some(tag) = cell("tag") {
        let found = one(site.points.iter().filter(|p| same(&p.tag, tag)).collect(), "tag", tag)?;
        if found.is_some() {
            return Ok(found);
        }
    }
    let Some(name) = cell("name") else { return Ok(None) };
    one(site.points.iter().filter(|p| same(&p.name, name)).collect(), "name", name)
}

/// Adds the point of a row that found none.
fn new<'a>(
    trial: &mut Site,
    edits: &mut Vec<Edit>,
    cell: &dyn Fn(&str) -> Option<&'a str>,
    anchor: Option<&Anchor>,
    stem: &str,
    number: usize,
) -> Result<PointId, String> {
    let storey = cell("storey").map(str::to_lowercase);
    let named = |name: &String| trial.floors.iter().find(|f| f.name.to_lowercase() == *name);
    let floor = match &storey {
        Some(name) => named(name)
            .ok_or_else(|| format!("there is no storey “{name}”; add it first"))?
            .id
            .clone(),
        None => match anchor {
            Some(anchor) => anchor.floor.clone(),
            None => trial
                .floors_upward()
                .first()
                .map(|f| f.id.clone())
                .ok_or_else(|| "there is no storey yet; add one first".to_owned())?,
        },
    };
    let name = cell("name").or(cell("tag"));
    let name = name.ok_or_else(|| "a new point has a name or a tag".to_owned())?;
    let id: PointId = format!("{stem}-{number}").parse().map_err(|e| format!("{e}"))?;
    let edit = rows::added(trial, &id, &floor, name, None).map_err(|e| e.to_string())?;
    apply(trial, &edit).map_err(|e| e.to_string())?;
    edits.push(edit);
    Ok(id)
}

fn type_into(
    trial: &mut Site,
    id: &PointId,
    heading: &Heading,
    text: &str,
) -> Result<Vec<Edit>, String> {
    let Some(point) = trial.points.get(id).cloned() else { return Ok(Vec::new()) };
    let made = match heading {
        Heading::Sheet(column) => {
            // An empty cell of a file says nothing; what is there stays.
            if text.is_empty() {
                return Ok(Vec::new());
            }
            sheet::typed(trial, &point, column, text).map_err(|e| e.to_string())?
        }
        Heading::Storey | Heading::Other => Vec::new(),
        Heading::Right | Heading::Down | Heading::Height => moved(&point, heading, text)?,
    };
    for edit in &made {
        apply(trial, edit).map_err(|e| e.to_string())?;
    }
    Ok(made)
}

fn moved(point: &Point, heading: &Heading, text: &str) -> Result<Vec<Edit>, String> {
    if text.is_empty() {
        return Ok(Vec::new());
    }
    let number =
        text.replace(',', ".").replace('−', "-").parse::<f64>().ok().filter(|n| n.is_finite());
    let number = number.ok_or_else(|| format!("{}: “{text}” is no number", heading.word()))?;
    let (field, is) = match heading {
        Heading::Right => ("at.0", point.at[0]),
        Heading::Down => ("at.1", point.at[1]),
        _ => ("height_m", point.height_m.get()),
    };
    if (is - number).abs() < 1e-9 {
        return Ok(Vec::new());
    }
    Ok(vec![Edit::set(Kind::Point, &point.id, field, number)])
}
