//! The construction calculator: layers in, loss against angle out, and into the job.

use std::sync::Arc;

use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::materials::MATERIALS;
use dot_reach_core::materials::construction::{
    CONSTRUCTIONS, Construction, MeasuredLoss, Priced, Use,
};
use dot_reach_core::units::{Db, Megahertz, typographic};
use serde::Deserialize;
use serde_json::json;

use crate::commands::Answer;
use crate::door::{For, Of, See, Show};
use crate::drawing::path::curve;
use crate::error::WebError;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "constructions/page.html")]
struct Page {
    shell: Shell,
    materials: Vec<&'static str>,
    uses: [(&'static str, &'static str); 6],
    own: Vec<OwnRow>,
    shipped: Vec<(String, String)>,
}

struct OwnRow {
    id: String,
    name: String,
    layers: String,
    losses: [String; 3],
}

const USES: [(&str, &str); 6] = [
    ("wall", "wall"),
    ("floor", "floor"),
    ("roof", "roof"),
    ("door", "door"),
    ("window", "window"),
    ("obstacle", "obstacle"),
];
const BANDS: [f64; 3] = [433.92, 868.42, 2440.0];

#[get("/jobs/{job}/constructions")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let shell = job.shell("constructions");
        let site = Arc::clone(&job.site);
        let own = site.constructions.iter().map(|c| OwnRow {
            id: c.id.clone(),
            name: c.name.clone(),
            layers: c.layers.clone(),
            losses: BANDS.map(|mhz| typographic(c.straight_loss(Megahertz::new(mhz)).get(), 1)),
        });
        let layered = CONSTRUCTIONS.iter().filter(|c| !c.layers.is_empty());
        Ok(Page {
            shell,
            materials: MATERIALS.iter().map(|m| m.name).collect(),
            uses: USES,
            own: own.collect(),
            shipped: layered.map(|c| (c.layers.clone(), c.name.clone())).collect(),
        })
    })
    .await
}

/// What a person typed.
#[derive(Deserialize)]
pub(crate) struct Typed {
    layers: String,
    #[serde(default)]
    clutter_db: f64,
}

/// Loss against the angle of incidence in the three bands, as numbers and as curves.
#[post("/constructions/try")]
pub(crate) async fn attempt(Of(_, typed, ..): Of<Show, web::Json<Typed>>) -> Answer {
    let typed = typed.into_inner();
    let construction = Construction {
        id: "tried".to_owned(),
        name: "tried".to_owned(),
        used_for: Use::Wall,
        layers: typed.layers,
        clutter_by_band: MeasuredLoss::default(),
        clutter_db: Db::try_from(typed.clutter_db)
            .map_err(|e| WebError::field("clutter_db", e.to_string()))?,
        measured: MeasuredLoss::default(),
        source: "calculator".to_owned(),
    };
    let wrong = |e: &dyn std::fmt::Display, field| WebError::field(field, e.to_string());
    construction.check_layers().map_err(|e| {
        let field =
            if matches!(e, dot_reach_core::materials::construction::ConstructionError::Loss(_)) {
                "clutter_db"
            } else {
                "layers"
            };
        wrong(&e, field)
    })?;
    let bands: Vec<_> = BANDS
        .iter()
        .map(|mhz| {
            let priced = Priced::new(&construction, Megahertz::new(*mhz));
            let at =
                |degrees: f64| (priced.slab(degrees.to_radians().cos()) + priced.clutter).get();
            let points: Vec<(f64, f64)> =
                (0..=70).step_by(2).map(f64::from).map(|d| (d, at(d))).collect();
            let extrapolated = construction.extrapolated_at(Megahertz::new(*mhz));
            json!({
                "mhz": format!("{mhz:.0} MHz"),
                "straight": typographic(at(0.0), 1), "at45": typographic(at(45.0), 1),
                "at70": typographic(at(70.0), 1), "d": curve(&points),
                "note": if extrapolated.is_empty() { String::new() }
                    else { format!("extrapolated for {}", extrapolated.join(", ")) },
            })
        })
        .collect();
    Ok(HttpResponse::Ok().json(json!({ "bands": bands })))
}
