//! Plans of other programs in, as walls, openings and a picture under the sheet; a storey out.

use std::collections::BTreeMap;
use std::sync::Arc;

use actix_multipart::Multipart;
use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::materials::construction::Use;
use dot_reach_core::site::{Edit, FloorId, Kind, Site, Underlay};
use dot_reach_core::units::count_of;
use dot_reach_formats::plan::page::Page;
use dot_reach_formats::plan::{self, Choices, Drawing};
use dot_reach_formats::{Imported, plan_image};
use futures_util::TryStreamExt;
use serde::Deserialize;
use serde_json::{Value, json};

use crate::commands::{Answer, ChangeMark, download, stored, take_edit};
use crate::door::{Change, For, See};
use crate::error::WebError;
use crate::pages::survey::choices::{Group, groups};
use crate::pages::{Shell, printed};

/// So many lines of a preview are drawn at most.
const MOST_SHOWN: usize = 6_000;

#[derive(Template)]
#[template(path = "plans/page.html")]
struct View {
    shell: Shell,
    floors: Vec<(String, String)>,
    constructions: Vec<Group>,
}

#[get("/jobs/{job}/plans")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let site = Arc::clone(&job.site);
        Ok(View {
            shell: job.shell("plans"),
            floors: site
                .floors_upward()
                .into_iter()
                .map(|f| (f.id.to_string(), f.name.clone()))
                .collect(),
            constructions: groups(&site, &[Use::Wall, Use::Obstacle]),
        })
    })
    .await
}

/// The file of a form, and its other fields by name.
async fn parts(mut form: Multipart) -> Result<(Vec<u8>, BTreeMap<String, String>), WebError> {
    let broken = |e: &dyn std::fmt::Display| WebError::field("file", e.to_string());
    let (mut file, mut fields) = (Vec::new(), BTreeMap::new());
    while let Some(mut part) = form.try_next().await.map_err(|e| broken(&e))? {
        let name = part.name().unwrap_or_default().to_owned();
        let mut bytes = Vec::new();
        // One byte more than is read tells that there are too many.
        let most = if name == "file" { plan::MOST_BYTES + 1 } else { 200_000 };
        while let Some(chunk) = part.try_next().await.map_err(|e| broken(&e))? {
            let free = most - bytes.len().min(most);
            bytes.extend_from_slice(&chunk[..chunk.len().min(free)]);
        }
        if name == "file" {
            file = bytes;
        } else {
            fields.insert(name, String::from_utf8_lossy(&bytes).into_owned());
        }
    }
    Ok((file, fields))
}

fn findings(read: &[dot_reach_formats::ImportFinding]) -> Vec<Value> {
    read.iter().map(|f| json!({ "place": f.place, "reason": f.reason })).collect()
}

/// What a plan holds, before anything of it is taken in.
#[post("/jobs/{job}/plans/look")]
pub(crate) async fn look(For(job, form, ..): For<Change, Multipart>) -> Answer {
    let (bytes, _) = parts(form).await?;
    let read = job.compute(move || plan::read(&bytes)).await?;
    let Imported { value, findings: found } =
        read.map_err(|e| WebError::field("file", e.to_string()))?;
    Ok(HttpResponse::Ok().json(shown(&value, &found)))
}

fn shown(drawing: &Drawing, found: &[dot_reach_formats::ImportFinding]) -> Value {
    let (around, size) = (drawing.around(), drawing.size());
    let proposed = plan::proposed(drawing);
    let total: usize = drawing.layers.values().map(Vec::len).sum();
    let step = total.div_ceil(MOST_SHOWN).max(1);
    let layers: Vec<_> = drawing
        .layers
        .iter()
        .map(|(name, pieces)| {
            let lines: Vec<_> = pieces
                .iter()
                .step_by(step)
                .map(|p| {
                    let at = |v: f64, low: f64| ((v - low) / size * 1e4).round() / 10.0;
                    let low = around.map_or([0.0; 2], |r| [r.left, r.top]);
                    [at(p.a[0], low[0]), at(p.a[1], low[1]), at(p.b[0], low[0]), at(p.b[1], low[1])]
                })
                .collect();
            json!({ "name": name, "lines": pieces.len(), "proposed": proposed[name], "shown": lines })
        })
        .collect();
    json!({
        "layers": layers, "size": size, "said": drawing.metres_per_unit.is_some(),
        "metres_per_unit": drawing.metres_per_unit.unwrap_or_else(|| plan::likely_unit(size)), "ours": drawing.ours.len(),
        "findings": findings(found),
    })
}

#[derive(Deserialize)]
struct Taken {
    #[serde(flatten)]
    choices: Choices,
    /// Whether only how it would come out is asked for.
    #[serde(default)]
    only_look: bool,
    #[serde(default)]
    mark: Option<ChangeMark>,
}

/// Takes a plan in as one edit, or says what that would come to.
#[post("/jobs/{job}/plans/take")]
pub(crate) async fn take(For(job, form, ..): For<Change, Multipart>) -> Answer {
    let (bytes, fields) = parts(form).await?;
    let chosen = fields.get("choices").map(String::as_str).unwrap_or_default();
    let Taken { choices, only_look, mark } =
        serde_json::from_str(chosen).map_err(|e| WebError::field("choices", e.to_string()))?;
    if job.site.floors.get(&choices.floor).is_none() {
        return Err(WebError::field("floor", "that storey is there no longer; choose another"));
    }
    let site = Arc::clone(&job.site);
    let floor = choices.floor.clone();
    let work = move || {
        let read = plan::read(&bytes)?;
        let taken = plan::take(&site, &read.value, &choices);
        let across = read.value.size() * choices.metres_per_unit;
        Ok::<_, plan::PlanError>((taken, across, plan::picture::underlay(&read.value, &choices)))
    };
    let (taken, across, picture) =
        job.compute(work).await?.map_err(|e| WebError::field("file", e.to_string()))?;
    let mut edits = vec![taken.value];
    if let (Some((image, mut lies)), false) = (picture, only_look) {
        lies.image = job.app.ask(move |store| store.keep_image(&stored(image))).await?;
        edits.push(Edit::set(Kind::Floor, &floor, "underlay", json!(lies)));
    }
    let edit = Edit::batch(edits);
    let (walls, openings) = counted(&edit);
    let words = format!(
        "{} with {}. The drawing is then {across:.2} m across.",
        count_of(walls, "wall", "walls"),
        count_of(openings, "opening", "openings")
    );
    let said = json!({
        "walls": walls, "openings": openings, "words": words, "findings": findings(&taken.findings),
    });
    if !only_look && let Some(mark) = mark {
        take_edit(&job, mark, edit).await?;
    }
    Ok(HttpResponse::Ok().json(said))
}

/// How large a page of a PDF is at a scale.
#[get("/jobs/{job}/plans/page")]
pub(crate) async fn page_size(For(_, page, ..): For<See, web::Query<Page>>) -> Answer {
    let [across, down] = page.size_m().map_err(|e| WebError::field("scale", e))?;
    let words = format!("The page is then {across:.2} by {down:.2} m.");
    Ok(HttpResponse::Ok().json(json!({ "words": words })))
}

/// What goes with the picture of a page.
#[derive(Deserialize)]
struct Laid {
    floor: FloorId,
    #[serde(flatten)]
    page: Page,
    mark: ChangeMark,
}

/// Lays the picture of a page under a storey, at the page's own scale.
#[post("/jobs/{job}/plans/page")]
pub(crate) async fn lay(For(job, form, ..): For<Change, Multipart>) -> Answer {
    let (bytes, fields) = parts(form).await?;
    let said = fields.get("page").map(String::as_str).unwrap_or_default();
    let Laid { floor, page, mark } =
        serde_json::from_str(said).map_err(|e| WebError::field("page", e.to_string()))?;
    page.size_m().map_err(|e| WebError::field("scale", e))?;
    let image = job.compute(move || plan_image::plan(&bytes)).await??;
    let picture = Underlay::first_guess(String::new(), image.width_px, image.height_px);
    let picture = page.under(picture).map_err(|e| WebError::field("scale", e))?;
    let sha = job.app.ask(move |store| store.keep_image(&stored(image))).await?;
    let edit =
        Edit::set(Kind::Floor, &floor, "underlay", json!(Underlay { image: sha, ..picture }));
    take_edit(&job, mark, edit).await?;
    Ok(HttpResponse::Ok().json(json!({ "floor": floor })))
}

fn counted(edit: &Edit) -> (usize, usize) {
    match edit {
        Edit::Batch { edits } => {
            edits.iter().map(counted).fold((0, 0), |(a, b), (c, d)| (a + c, b + d))
        }
        Edit::Put(dot_reach_core::site::Thing::Wall(wall)) => (1, wall.openings.len()),
        _ => (0, 0),
    }
}

#[derive(Deserialize)]
pub(crate) struct Wanted {
    floor: FloorId,
    #[serde(default)]
    format: String,
}

/// A storey as DXF, SVG or `GeoJSON`.
#[get("/jobs/{job}/plan")]
pub(crate) async fn out(For(job, query, ..): For<See, web::Query<Wanted>>) -> Answer {
    let site: Arc<Site> = Arc::clone(&job.site);
    let Wanted { floor, format } = query.into_inner();
    let named = site.floors.get(&floor).ok_or(WebError::NotFound("storey"))?;
    let stem = format!("{}-{}", job.id, plan::file_stem(named));
    let written = move || match format.as_str() {
        "svg" => Ok(("svg", "image/svg+xml", plan::svg::write(&site, &floor).into_bytes())),
        "geojson" => {
            let text = plan::geojson::write(&site, &floor).to_string();
            Ok(("geojson", "application/geo+json", text.into_bytes()))
        }
        _ => match plan::dxf::write(&site, &floor) {
            Ok(bytes) => Ok(("dxf", "image/vnd.dxf", bytes)),
            Err(e) => Err(WebError::Inside(e.to_string())),
        },
    };
    let (ending, kind, bytes) = job.compute(written).await??;
    Ok(download(&format!("{stem}.{ending}"), kind, bytes))
}
