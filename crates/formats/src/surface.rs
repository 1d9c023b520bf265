//! A surface as a grid in CSV, and its contours as `GeoJSON`. Places are metres on the job's sheet,
//! right and down; `GeoJSON` has y up, so that down is negative there.

use std::fmt::Write;

use dot_reach_core::coverage::{Contour, Grid};
use serde_json::{Value, json};

/// One line a cell: `x_m,y_m,value`, the middle of the cell; empty where there is none.
pub fn csv(grid: &Grid, values: &[f64], what: &str) -> String {
    let mut text = format!("x_m,y_m,{what}\n");
    for row in 0..grid.down {
        for column in 0..grid.across {
            let [x, y] = grid.middle(column, row);
            let value = values.get(row * grid.across + column).filter(|v| v.is_finite());
            let value = value.map(|v| format!("{v:.3}")).unwrap_or_default();
            // Writing to a string cannot fail.
            let _infallible = writeln!(text, "{x:.3},{y:.3},{value}");
        }
    }
    text
}

/// A feature a level: the area at or above it.
pub fn geojson(contours: &[Contour], what: &str) -> Value {
    let ring = |ring: &Vec<[f64; 2]>| ring.iter().map(|[x, y]| json!([x, -y])).collect::<Vec<_>>();
    let feature = |contour: &Contour| {
        let lines: Vec<_> = contour.lines.iter().map(ring).collect();
        json!({
            "type": "Feature",
            "properties": { what: contour.level },
            "geometry": { "type": "MultiLineString", "coordinates": lines },
        })
    };
    json!({
        "type": "FeatureCollection",
        "name": format!("contours of {what}, metres on the job's sheet, y up"),
        "features": contours.iter().map(feature).collect::<Vec<_>>(),
    })
}
