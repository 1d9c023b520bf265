//! `GeoJSON` floor plans: lines and outlines by the property `layer` or `kind`, in metres with y up; files
//! in degrees are laid flat around their middle.

use dot_reach_core::site::{FloorId, Site, Spot};
use geojson::{Feature, FeatureCollection, GeoJson, GeometryValue};
use serde_json::{Value, json};

use super::{Drawing, Lines, PlanError, Storey, layer_of, openings_of, ours_of};
use crate::{Imported, budget};

const FORMAT: &str = "GeoJSON";
/// Metres for a degree of latitude, at its mean.
const METRES_PER_DEGREE: f64 = 111_195.0;

/// Reads a `GeoJSON` plan.
///
/// # Errors
/// It is no `GeoJSON`.
pub fn read(bytes: &[u8]) -> Result<Imported<Drawing>, PlanError> {
    let broken = |why: String| PlanError::Broken { format: FORMAT, why };
    if budget::is_over(bytes) {
        return Err(broken(format!("it holds more than {} values", budget::MOST_VALUES)));
    }
    let text = std::str::from_utf8(bytes)
        .map_err(|e| broken(format!("it is not text in UTF-8 ({e}); save it so")))?;
    let read: GeoJson = text.parse().map_err(|e: geojson::Error| broken(e.to_string()))?;
    let FeatureCollection { features, foreign_members, .. } =
        FeatureCollection::try_from(read).map_err(|e| broken(e.to_string()))?;
    let mut lines = Lines::default();
    let says_metres =
        foreign_members.as_ref().and_then(|m| m.get("metres_per_unit")).and_then(Value::as_f64);
    let in_degrees = says_metres.is_none() && is_in_degrees(&features);
    let middle = if in_degrees { first_place(&features) } else { None };
    match (says_metres, middle) {
        (Some(unit), _) => lines.unit(unit),
        (None, Some(_)) => {
            lines.say("the file", "is in degrees; it was laid flat around its first place");
            lines.unit(1.0);
        }
        (None, None) => {}
    }
    let mut left_out = 0;
    for feature in &features {
        let property = |name: &str| feature.property(name).and_then(Value::as_str);
        let layer = property("layer").or(property("kind")).unwrap_or("drawing");
        if let Some(drawn) = property("drawn") {
            lines.ours(drawn);
        }
        let Some(geometry) = &feature.geometry else { continue };
        left_out += add(&geometry.value, layer, middle, &mut lines, 0);
    }
    if left_out > 0 {
        lines.say("the file", format!("{left_out} single places were left out"));
    }
    Ok(lines.done())
}

fn positions(value: &GeometryValue, visit: &mut dyn FnMut(&[f64])) {
    match value {
        GeometryValue::LineString { coordinates } => {
            for p in coordinates {
                visit(p.as_slice());
            }
        }
        GeometryValue::MultiLineString { coordinates } | GeometryValue::Polygon { coordinates } => {
            coordinates.iter().flatten().for_each(|p| visit(p.as_slice()));
        }
        GeometryValue::MultiPolygon { coordinates } => {
            coordinates.iter().flatten().flatten().for_each(|p| visit(p.as_slice()));
        }
        _ => {}
    }
}

/// Whether a house drawn in these numbers as metres would be smaller than a hand: then they are degrees.
fn is_in_degrees(features: &[Feature]) -> bool {
    let (mut low, mut high) = ([f64::INFINITY; 2], [f64::NEG_INFINITY; 2]);
    for geometry in features.iter().filter_map(|f| f.geometry.as_ref()) {
        positions(&geometry.value, &mut |p| {
            for axis in 0..2 {
                let at = p.get(axis).copied().unwrap_or_default();
                (low[axis], high[axis]) = (low[axis].min(at), high[axis].max(at));
            }
        });
    }
    let extent = (high[0] - low[0]).max(high[1] - low[1]);
    extent < 0.2 && low[0].abs() <= 180.0 && low[1].abs() <= 90.0
}

fn first_place(features: &[Feature]) -> Option<Spot> {
    let mut first = None;
    for geometry in features.iter().filter_map(|f| f.geometry.as_ref()) {
        positions(&geometry.value, &mut |p| {
            if let ([x, y, ..], None) = (p, first) {
                first = Some([*x, *y]);
            }
        });
    }
    first
}

/// Adds the lines of a geometry; how many places were left out.
fn add(
    value: &GeometryValue,
    layer: &str,
    middle: Option<Spot>,
    lines: &mut Lines,
    depth: usize,
) -> usize {
    let spot = |p: &[f64]| -> Spot {
        let at = [0, 1].map(|axis| p.get(axis).copied().unwrap_or(f64::NAN));
        let flat = middle.map_or(at, |[lon, lat]| {
            let across = METRES_PER_DEGREE * lat.to_radians().cos();
            [(at[0] - lon) * across, (at[1] - lat) * METRES_PER_DEGREE]
        });
        // Never −0: the same number both ways.
        [flat[0], 0.0 - flat[1]]
    };
    let mut path = |places: &[geojson::Position], closed: bool| {
        let places: Vec<Spot> = places.iter().map(|p| spot(p.as_slice())).collect();
        lines.path(layer, &places, closed, None);
    };
    match value {
        GeometryValue::LineString { coordinates } => path(coordinates, false),
        GeometryValue::MultiLineString { coordinates } => {
            for places in coordinates {
                path(places, false);
            }
        }
        GeometryValue::Polygon { coordinates } => {
            for ring in coordinates {
                path(ring, true);
            }
        }
        GeometryValue::MultiPolygon { coordinates } => {
            coordinates.iter().flatten().for_each(|ring| path(ring, true));
        }
        GeometryValue::GeometryCollection { geometries } if depth < 8 => {
            return geometries.iter().map(|g| add(&g.value, layer, middle, lines, depth + 1)).sum();
        }
        _ => return 1,
    }
    0
}

/// A storey as `GeoJSON`, in metres with y up.
pub fn write(site: &Site, floor: &FloorId) -> Value {
    let storey = Storey::of(site, floor);
    let up = |[x, y]: Spot| json!([x, 0.0 - y]);
    let line = |a: Spot, b: Spot, properties: Value| {
        json!({"type": "Feature", "properties": properties,
            "geometry": {"type": "LineString", "coordinates": [up(a), up(b)]}})
    };
    let mut features = Vec::new();
    for wall in &storey.walls {
        let about = json!({"layer": layer_of(wall), "drawn": ours_of(wall)});
        features.push(line(wall.a, wall.b, about));
        for (layer, a, b) in openings_of(wall) {
            features.push(line(a, b, json!({ "layer": layer })));
        }
    }
    for (at, label) in &storey.points {
        features.push(json!({"type": "Feature", "properties": {"layer": "POINTS", "label": label},
            "geometry": {"type": "Point", "coordinates": up(*at)}}));
    }
    json!({"type": "FeatureCollection", "metres_per_unit": 1.0, "features": features})
}
