//! The constructions and devices that every job starts with.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::catalogue::KINDS;
use dot_reach_core::glossary::{GLOSSARY, GlossaryTerm};
use dot_reach_core::materials::construction::{CONSTRUCTIONS, FrequencyBand, PRICED_AT};
use dot_reach_core::units::{Megahertz, typographic};
use dot_reach_formats::catalogue_json;

use crate::error::WebError;
use crate::pages::{Shell, html};

#[derive(Template)]
#[template(path = "catalogue/page.html")]
struct Page {
    shell: Shell,
    constructions: Vec<ConstructionRow>,
    devices: Vec<DeviceRow>,
    terms: &'static [GlossaryTerm],
}

struct ConstructionRow {
    name: &'static str,
    used_for: String,
    layers: String,
    /// By band: the loss, and what of it is clutter.
    losses: [(String, String); 3],
    source: &'static str,
    extrapolated: String,
}

struct DeviceRow {
    name: &'static str,
    systems: String,
    supply: String,
    forwards: &'static str,
    depth: String,
}

/// The same rows for scripts.
#[get("/catalogue.json")]
pub(crate) async fn json() -> HttpResponse {
    HttpResponse::Ok().json(catalogue_json::value())
}

#[get("/catalogue")]
pub(crate) async fn show() -> Result<HttpResponse, WebError> {
    let constructions = CONSTRUCTIONS.iter().map(|c| {
        let of_band = |(_, f): (&str, Megahertz)| {
            let clutter = c.clutter(FrequencyBand::of(f));
            (typographic(c.straight_loss(f).get(), 1), typographic(clutter.get(), 1))
        };
        ConstructionRow {
            name: &c.name,
            used_for: format!("{:?}", c.used_for).to_lowercase(),
            layers: c.layers.replace(':', " ").replace(',', " · "),
            losses: PRICED_AT.map(of_band),
            source: &c.source,
            extrapolated: c.extrapolated_at(FrequencyBand::Mhz868.priced_at()).join(", "),
        }
    });
    let devices = KINDS.iter().map(|k| DeviceRow {
        name: &k.name,
        systems: k.systems.iter().map(|s| s.name()).collect::<Vec<_>>().join(", "),
        supply: match k.supply {
            dot_reach_core::catalogue::Supply::MainsNeutral => "mains, needs neutral",
            dot_reach_core::catalogue::Supply::MainsTwoWire => "mains, no neutral",
            dot_reach_core::catalogue::Supply::Plug => "plug",
            dot_reach_core::catalogue::Supply::Battery => "battery",
            dot_reach_core::catalogue::Supply::None => "nothing, a cover",
        }
        .to_owned(),
        forwards: if k.forwards { "yes" } else { "no" },
        depth: k.depth_mm.map(|d| format!("{d:.0}")).unwrap_or_default(),
    });
    html(&Page {
        shell: Shell::plain("Catalogue"),
        terms: &GLOSSARY,
        constructions: constructions.collect(),
        devices: devices.collect(),
    })
}
