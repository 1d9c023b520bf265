//! The point sheet: every place of a storey as a row, typed at the speed of speech.

use std::sync::Arc;

use actix_multipart::Multipart;
use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::record::Record;
use dot_reach_core::site::{FloorId, Point, PointId, Site};
use dot_reach_core::speech::{Speech, speaking};
use dot_reach_core::survey::sheet::{COLUMNS, SheetColumn, Takes, shown};
use dot_reach_formats::points_csv::{self, Anchor};
use serde::Deserialize;

use crate::commands::{Answer, ChangeMark, download, drawn, take_lines, uploaded};
use crate::door::{Change, For, See};
use crate::drawing::plan::{Plan, blank, sheet};
use crate::error::WebError;
use crate::pages::region::{mm, say};
use crate::pages::{Shell, printed, survey};

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    floor: String,
    #[serde(default)]
    point: String,
}

#[derive(Template)]
#[template(path = "sheet/page.html")]
struct Page {
    shell: Shell,
    floor: String,
    floors: Vec<(String, String, bool)>,
    headings: Vec<Heading>,
    rows: Vec<Row>,
    plan: Plan,
    chosen: String,
    /// One point a screen, for a thumb.
    card: Option<Card>,
}

struct Card {
    id: String,
    name: String,
    place: String,
    before: String,
    after: String,
    fields: Vec<CardField>,
    verdict: &'static str,
    class: &'static str,
}

struct CardField {
    word: &'static str,
    heading: String,
    value: String,
    /// Key, words, and whether it is what is there; none for what is typed.
    choices: Vec<(char, &'static str, bool)>,
    number: bool,
}

struct Heading {
    word: &'static str,
    text: String,
    /// The keys of a choice, each with its words; empty for what is typed freely.
    keys: String,
    number: bool,
}

struct Row {
    id: String,
    name: String,
    cells: Vec<String>,
    verdict: &'static str,
    class: &'static str,
}

#[get("/jobs/{job}/sheet")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let site = Arc::clone(&job.site);
        let floors = site.floors_upward();
        let point = query.point.parse::<PointId>().ok().and_then(|id| site.points.get(&id));
        let named: Option<FloorId> =
            query.floor.parse().ok().filter(|f| site.floors.get(f).is_some());
        let floor = named
            .or_else(|| point.map(|p| p.floor.clone()))
            .or_else(|| floors.first().map(|f| f.id.clone()));
        let mut plan = floor.as_ref().map_or_else(blank, |f| sheet(&site, f, None));
        if let Some(floor) = &floor {
            plan.points(&site, floor, point.map(|p| &p.id));
        }
        Ok(Page {
            shell: job.shell("sheet"),
            floors: floors
                .iter()
                .map(|f| (f.id.to_string(), f.name.clone(), Some(&f.id) == floor.as_ref()))
                .collect(),
            headings: COLUMNS
                .iter()
                .map(|c| Heading {
                    word: c.word,
                    text: heading(c),
                    keys: match c.takes {
                        Takes::Choice(of) => of
                            .iter()
                            .map(|(key, words, _)| format!("{key} {words}"))
                            .collect::<Vec<_>>()
                            .join(" · "),
                        Takes::Text | Takes::Number | Takes::Small => String::new(),
                    },
                    number: matches!(c.takes, Takes::Number | Takes::Small),
                })
                .collect(),
            rows: floor.as_ref().map(|f| rows(&site, f)).unwrap_or_default(),
            card: floor.as_ref().and_then(|f| card(&site, f, point)),
            plan,
            chosen: point.map(|p| p.id.to_string()).unwrap_or_default(),
            floor: floor.map(|f| f.to_string()).unwrap_or_default(),
        })
    })
    .await
}

/// What a column is called in the words and units of the region.
fn heading(column: &SheetColumn) -> String {
    match column.takes {
        Takes::Small => format!("Depth, {}", mm()),
        _ => say(column.heading),
    }
}

fn rows(site: &Site, floor: &FloorId) -> Vec<Row> {
    points_of(site, floor)
        .into_iter()
        .map(|point| {
            let (verdict, class) = survey::verdict_at(site, point);
            Row {
                id: point.id.to_string(),
                name: point.name.clone(),
                cells: COLUMNS.iter().map(|c| shown(site, point, c)).collect(),
                verdict,
                class,
            }
        })
        .collect()
}

fn card(site: &Site, floor: &FloorId, chosen: Option<&Point>) -> Option<Card> {
    let points = points_of(site, floor);
    let at = chosen.and_then(|c| points.iter().position(|p| p.id == c.id)).unwrap_or(0);
    let point = *points.get(at)?;
    let id = |n: Option<usize>| {
        n.and_then(|n| points.get(n)).map_or_else(String::new, |p| p.id.to_string())
    };
    let field = |c: &'static SheetColumn| {
        let value = shown(site, point, c);
        let choices = match c.takes {
            Takes::Choice(of) => of.iter().map(|(k, w, _)| (*k, *w, *w == value)).collect(),
            Takes::Text | Takes::Number | Takes::Small => Vec::new(),
        };
        CardField {
            word: c.word,
            heading: heading(c),
            value,
            choices,
            number: matches!(c.takes, Takes::Number | Takes::Small),
        }
    };
    let row = rows(site, floor).into_iter().nth(at)?;
    Some(Card {
        id: point.id.to_string(),
        name: point.name.clone(),
        place: site.room_name(point).to_owned(),
        before: id(at.checked_sub(1)),
        after: id(Some(at + 1)),
        fields: COLUMNS.iter().filter(|c| c.word != "tag").map(field).collect(),
        verdict: row.verdict,
        class: row.class,
    })
}

/// The points of a storey as the sheet shows them: room by room, by tag as people count.
fn points_of<'a>(site: &'a Site, floor: &FloorId) -> Vec<&'a Point> {
    let mut points: Vec<_> = site.points.iter().filter(|p| p.floor == *floor).collect();
    let number = |p: &Point| p.tag.trim_start_matches(char::is_alphabetic).parse::<u32>().ok();
    points.sort_by(|p, q| {
        let key = |p: &&Point| (p.tag.is_empty(), p.tag.chars().next(), number(p));
        key(p).cmp(&key(q)).then_with(|| p.name.cmp(&q.name))
    });
    points
}

/// A table that was pasted into the sheet.
#[derive(Deserialize)]
pub(crate) struct Pasted {
    text: String,
    floor: FloorId,
    /// From which point on; none pastes new ones.
    #[serde(default)]
    point: Option<PointId>,
    column: String,
    stem: String,
    #[serde(flatten)]
    mark: ChangeMark,
}

#[post("/jobs/{job}/sheet")]
pub(crate) async fn paste(For(job, sent, ..): For<Change, web::Json<Pasted>>) -> Answer {
    let Pasted { text, floor, point, column, stem, mark } = sent.into_inner();
    let read = move |site: &Site, _: &Record| {
        let points: Vec<PointId> = match &point {
            Some(first) => points_of(site, &floor)
                .into_iter()
                .map(|p| p.id.clone())
                .skip_while(|id| id != first)
                .collect(),
            None => Vec::new(),
        };
        points_csv::read(
            site,
            &text,
            Some(&Anchor { points, column: column.clone(), floor: floor.clone() }),
            &stem,
        )
    };
    Ok(HttpResponse::Ok().json(take_lines(&job, mark, read).await?))
}

#[post("/jobs/{job}/points.csv")]
pub(crate) async fn bring(
    For(job, (query, form), ..): For<Change, (web::Query<ChangeMark>, Multipart)>,
) -> Answer {
    let bytes = uploaded(form, points_csv::MOST_BYTES, "file").await?;
    let text = points_csv::text_of(&bytes).map_err(|reason| WebError::field("file", &reason))?;
    let mark = query.into_inner();
    let stem = drawn("p");
    // A file is metric, wherever it is read.
    let read = move |site: &Site, _: &Record| {
        speaking(Speech::default(), || points_csv::read(site, &text, None, &stem))
    };
    Ok(HttpResponse::Ok().json(take_lines(&job, mark, read).await?))
}

#[get("/jobs/{job}/points.csv")]
pub(crate) async fn out(For(job, ..): For<See>) -> Answer {
    let site = Arc::clone(&job.site);
    let text = job.compute(move || points_csv::write(&site)).await?;
    let text = text.map_err(|e| WebError::Inside(e.to_string()))?;
    Ok(download(&format!("{}-points.csv", job.id), "text/csv; charset=utf-8", text))
}
