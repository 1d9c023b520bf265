//! The surface under the plan: what is asked of it, how it is drawn, its exports.

use std::sync::Arc;

use dot_reach_core::coverage::{Coverage, Handset, Quantity, Request, contours_of};
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::site::{FloorId, Site};
use dot_reach_core::units::{Db, Metres};
use dot_reach_formats::surface;

use super::Query;
use super::view::{chosen_floor, chosen_network, options};
use crate::desk::Bench;
use crate::drawing::plan::Plan;
use crate::error::WebError;

/// The side of a cell of the surface.
const CELL: Metres = Metres::new(0.25);
/// The height at which the surface is computed: a switch or a hand.
pub(crate) const HEIGHT: Metres = Metres::new(1.1);

/// The query of an export of the surface that is looked at.
pub(crate) fn export(
    floor: Option<&FloorId>,
    network: Option<&NetworkAnalysis>,
    query: &Query,
) -> String {
    let network = network.map_or_else(String::new, |n| n.network.to_string());
    let floor = floor.map_or_else(String::new, FloorId::to_string);
    // Every field is a text: this cannot fail.
    serde_urlencoded::to_string(Query { floor, network, ..query.clone() }).unwrap_or_default()
}

/// Draws a surface by what it shows.
pub(crate) fn cover(
    plan: &mut Plan,
    surface: &Arc<Coverage>,
    quantity: Quantity,
    target: (Db, Db),
) {
    match steps(quantity) {
        None => plan.cover(surface, quantity, target),
        Some(steps) => {
            let values = shown_values(surface, quantity);
            plan.cover_steps(&surface.grid, &values, &steps);
        }
    }
}

pub(crate) fn request(floor: &FloorId, query: &Query) -> Request {
    let height = query.height.replace(',', ".").parse::<f64>().unwrap_or(HEIGHT.get());
    Request {
        floor: floor.clone(),
        handset: if query.carried == "remote" { Handset::Remote } else { Handset::Sensor },
        height: Metres::new(if height.is_finite() { height.clamp(0.0, 5.0) } else { HEIGHT.get() }),
        cell: CELL,
    }
}

pub(crate) fn spot(text: &str) -> Option<[f64; 2]> {
    let (x, y) = text.split_once(',')?;
    let metres = |t: &str| t.parse::<f64>().ok().filter(|v| v.abs() < 2000.0);
    Some([metres(x)?, metres(y)?])
}

/// The three steps in which a quantity other than margin is drawn, the second the one to have.
fn steps(quantity: Quantity) -> Option<[(f64, String); 3]> {
    let named = |level: f64, name: &str| (level, name.to_owned());
    match quantity {
        Quantity::Margin | Quantity::LastHop => None,
        // Hops are drawn by how few they are.
        Quantity::Hops => {
            Some([named(-3.5, "3 hops"), named(-2.5, "2 hops"), named(-1.5, "1 hop")])
        }
        Quantity::Parents => Some([named(0.5, "1"), named(1.5, "2"), named(2.5, "3")]),
        Quantity::Success => Some([named(0.8, "80 %"), named(0.95, "95 %"), named(0.99, "99 %")]),
    }
}

fn shown_values(surface: &Coverage, quantity: Quantity) -> Vec<f64> {
    let values = surface.values(quantity);
    if quantity != Quantity::Hops {
        return values;
    }
    values.into_iter().map(|v| if v.is_nan() { -99.0 } else { -v }).collect()
}

/// Each quantity with its word in an address and its name.
pub(crate) const QUANTITIES: [(Quantity, &str, &str); 5] = [
    (Quantity::Margin, "margin", "margin, dB"),
    (Quantity::LastHop, "last-hop", "last hop, dB"),
    (Quantity::Hops, "hops", "hops"),
    (Quantity::Parents, "parents", "parents at target"),
    (Quantity::Success, "success", "success, %"),
];

/// The quantity of this word; margin when there is none.
pub(crate) fn named(word: &str) -> Quantity {
    QUANTITIES.iter().find(|(_, w, _)| *w == word).map_or(Quantity::Margin, |(q, ..)| *q)
}

fn word(quantity: Quantity) -> &'static str {
    QUANTITIES.iter().find(|(q, ..)| *q == quantity).map_or("margin", |(_, w, _)| w)
}

/// What the tints mean, strongest first.
pub(crate) fn legend(quantity: Quantity) -> Vec<(&'static str, String)> {
    let words = match quantity {
        Quantity::Margin | Quantity::LastHop => [
            "strong, 10 dB above target",
            "good, meets target",
            "weak, below target",
            "not reached",
        ],
        Quantity::Hops => ["1 hop", "2 hops", "3 hops", "more, or not reached"],
        Quantity::Parents => ["3 parents or more", "2 parents", "1 parent", "none at target"],
        Quantity::Success => ["99 % or more", "95 %", "80 %", "less"],
    };
    let classes = ["ground-solid", "ground-sound", "ground-thin", "ground-out"];
    classes.into_iter().zip(words.map(str::to_owned)).collect()
}

/// The surface that a query looks at, for an export.
fn looked_at(
    bench: &mut Bench,
    site: &Arc<Site>,
    query: &Query,
) -> Result<Arc<Coverage>, WebError> {
    let analysis = bench.analysis(site, &options(query))?;
    let mut surface = || {
        let network = chosen_network(&analysis, query, None)?;
        let floor = chosen_floor(site, query, None)?;
        bench.surface(&analysis, network, &request(&floor, query))
    };
    surface().ok_or(WebError::NotFound("surface"))
}

/// The surface as CSV.
pub(crate) fn surface_csv(
    bench: &mut Bench,
    site: &Arc<Site>,
    query: &Query,
) -> Result<String, WebError> {
    let surface = looked_at(bench, site, query)?;
    let quantity = named(&query.show);
    let values = surface.values(quantity);
    let word = word(quantity);
    Ok(surface::csv(&surface.grid, &values, word))
}

/// Its contours.
pub(crate) fn surface_geojson(
    bench: &mut Bench,
    site: &Arc<Site>,
    query: &Query,
) -> Result<serde_json::Value, WebError> {
    let surface = looked_at(bench, site, query)?;
    let quantity = named(&query.show);
    let values = surface.values(quantity);
    let levels: Vec<f64> = match quantity {
        Quantity::Margin | Quantity::LastHop => (0..=10).map(|k| f64::from(k) * 5.0).collect(),
        Quantity::Hops | Quantity::Parents => (0..6).map(|k| f64::from(k) + 0.5).collect(),
        Quantity::Success => vec![0.5, 0.8, 0.9, 0.95, 0.99],
    };
    let word = word(quantity);
    let values: Vec<f64> = values.into_iter().map(|v| if v.is_nan() { 99.0 } else { v }).collect();
    Ok(surface::geojson(&contours_of(&surface.grid, &values, &levels), word))
}
