//! Survey: the building and its boxes.

mod building;
pub(crate) mod choices;
mod found;
mod points;
mod wiring;

use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::materials::construction::{Heft, Use};
use dot_reach_core::site::{EmitterId, FloorId, PointId, WallId};
use serde::Deserialize;

use self::building::{StoreyForm, WallForm, storey_form, wall_form};
use self::choices::{Group, KindChoice, groups, kinds, network_groups, usual_wall};
use self::points::{PointForm, PointRow, point_form, point_rows};
pub(crate) use self::points::{verdict, verdict_at};
use crate::door::{For, See};
use crate::drawing::plan::{Plan, blank, sheet};
use crate::error::WebError;
use crate::pages::air::{EmitterRow, emitter_row};
use crate::pages::{Shell, printed};

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    floor: String,
    #[serde(default)]
    point: String,
    #[serde(default)]
    wall: String,
    #[serde(default)]
    emitter: String,
}

#[derive(Template)]
#[template(path = "survey/page.html")]
struct Page {
    shell: Shell,
    job: String,
    floor: String,
    floors: Vec<FloorTab>,
    plan: Plan,
    constructions: Vec<Group>,
    openings: Vec<Group>,
    floor_constructions: Vec<Group>,
    kinds: Vec<KindChoice>,
    network_groups: Vec<Group>,
    /// What outer walls and partitions are built of until a person chooses.
    usual_outer: String,
    usual_partition: String,
    storey: Option<StoreyForm>,
    wall: Option<WallForm>,
    point: Option<PointForm>,
    emitter: Option<EmitterRow>,
    /// Storeys with their names, for the form of a source on the air.
    floor_names: Vec<(String, String)>,
    points: Vec<PointRow>,
}

struct FloorTab {
    id: String,
    name: String,
    chosen: bool,
}

#[get("/jobs/{job}/survey")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let shell = job.shell("survey");
        let site = Arc::clone(&job.site);
        let point = query.point.parse::<PointId>().ok().and_then(|id| site.points.get(&id));
        let wall = query.wall.parse::<WallId>().ok().and_then(|id| site.walls.get(&id));
        let emitter = query.emitter.parse::<EmitterId>().ok().and_then(|id| site.emitters.get(&id));
        let floors = site.floors_upward();
        let named: Option<FloorId> =
            query.floor.parse().ok().filter(|f| site.floors.get(f).is_some());
        let floor = named
            .or_else(|| point.map(|p| p.floor.clone()))
            .or_else(|| wall.map(|w| w.floor.clone()))
            .or_else(|| emitter.map(|e| e.floor.clone()))
            .or_else(|| floors.first().map(|f| f.id.clone()));
        let place = floor.as_ref().and_then(|f| floors.iter().position(|g| g.id == *f));
        let below = place.and_then(|p| p.checked_sub(1)).map(|p| floors[p].id.clone());
        let mut plan = floor.as_ref().map_or_else(blank, |f| sheet(&site, f, below.as_ref()));
        if let Some(floor) = &floor {
            plan.points(&site, floor, point.map(|p| &p.id));
            plan.emitters(&site, floor, emitter.map(|e| &e.id));
        }
        Ok(Page {
            shell,
            job: job.id.to_string(),
            floor: floor.as_ref().map(ToString::to_string).unwrap_or_default(),
            floors: floors
                .iter()
                .map(|f| FloorTab {
                    id: f.id.to_string(),
                    name: f.name.clone(),
                    chosen: Some(&f.id) == floor.as_ref(),
                })
                .collect(),
            plan,
            constructions: groups(&site, &[Use::Wall, Use::Obstacle]),
            openings: groups(&site, &[Use::Door, Use::Window]),
            floor_constructions: groups(&site, &[Use::Floor, Use::Roof]),
            kinds: kinds(&site),
            network_groups: network_groups(&site),
            usual_outer: usual_wall(&site, Heft::Heavy, "brick-102"),
            usual_partition: usual_wall(&site, Heft::Light, "stud-wall"),
            storey: floor.as_ref().and_then(|f| site.floors.get(f)).map(|f| storey_form(&site, f)),
            wall: wall.map(|w| wall_form(&site, w)),
            point: point.map(|p| point_form(&site, &job.record, p, &job.caller.person.who)),
            emitter: emitter.map(|e| emitter_row(e, String::new())),
            floor_names: floors.iter().map(|f| (f.id.to_string(), f.name.clone())).collect(),
            points: floor.as_ref().map(|f| point_rows(&site, f, point)).unwrap_or_default(),
        })
    })
    .await
}
