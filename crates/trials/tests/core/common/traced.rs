//! The traced house as a job, and its links.
#![allow(dead_code, reason = "each test file uses its own part")]
#![expect(clippy::expect_used, clippy::unwrap_used, reason = "the fixture is whole")]

use std::collections::BTreeMap;

use dot_reach_core::confidence::Confidence;
use dot_reach_core::geometry::Place;
use dot_reach_core::radio::region::Region;
use dot_reach_core::site::{Edit, Site, apply};
use serde_json::{Value, json};

/// One traced link.
#[derive(Clone, Debug)]
pub(crate) struct Link {
    pub(crate) from: Place,
    pub(crate) to: Place,
    pub(crate) mhz: f64,
    pub(crate) same_floor: bool,
    pub(crate) loss_db: f64,
    pub(crate) direct_db: f64,
}

fn house() -> Value {
    serde_json::from_str(include_str!("../traced-house/house.json")).expect("JSON")
}

fn construction(material: &Value, thickness: &Value, used_for: &str) -> (String, Value) {
    let millimetres = thickness.as_f64().unwrap() * 1000.0;
    let layers = format!("{}:{millimetres}", material.as_str().unwrap());
    let id = format!("{used_for}-{}", layers.replace(':', "-"));
    let row = json!({"do": "put", "kind": "construction", "value": {
        "id": id, "name": layers, "use": used_for, "layers": layers, "source": "traced house",
    }});
    (id, row)
}

/// The house as a job.
pub(crate) fn site() -> Site {
    let house = house();
    let mut edits = Vec::new();
    let floors: Vec<_> = house["floors"].as_array().unwrap().clone();
    for floor in &floors {
        let (z, ceiling) = (floor["z"].as_f64().unwrap(), floor["ceiling"].as_f64().unwrap());
        let id = format!("f{}", floor["floor"]);
        edits.push(json!({"do": "put", "kind": "floor", "value": {
            "id": id, "name": id, "elevation_m": z, "height_m": ceiling - z,
        }}));
    }
    for (n, wall) in house["walls"].as_array().unwrap().iter().enumerate() {
        let (id, row) = construction(&wall["material"], &wall["thickness_m"], "wall");
        edits.push(row);
        let mut openings = Vec::new();
        for (k, o) in wall["openings"].as_array().unwrap_or(&Vec::new()).iter().enumerate() {
            let kind = o["kind"].as_str().unwrap();
            let empty = o["material"].is_null() || o["material"] == "air";
            let fill = if empty {
                String::new()
            } else {
                let used_for = if kind == "door" { "door" } else { "window" };
                let (id, row) = construction(&o["material"], &o["thickness_m"], used_for);
                edits.push(row);
                id
            };
            let kind = if empty { "open" } else { kind };
            openings.push(json!({
                "id": format!("o{k}"), "kind": kind, "start_m": o["start_m"], "width_m": o["width_m"],
                "sill_m": o["sill_m"], "height_m": o["height_m"], "construction": fill,
            }));
        }
        edits.push(json!({"do": "put", "kind": "wall", "value": {
            "id": format!("w{n}"), "floor": format!("f{}", wall["floor"]), "a": wall["a"], "b": wall["b"],
            "construction": id, "height_m": wall["height_m"], "openings": openings,
        }}));
    }
    for (n, slab) in house["slabs"].as_array().unwrap().iter().enumerate() {
        let (id, row) = construction(&slab["material"], &slab["thickness_m"], "floor");
        edits.push(row);
        let ring = |r: &Value| {
            let v: Vec<f64> = r.as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
            json!([[v[0], v[1]], [v[2], v[1]], [v[2], v[3]], [v[0], v[3]]])
        };
        let z = slab["z"].as_f64().unwrap();
        // A slab hangs over or under the storey whose ceiling or floor it is.
        let is = |v: &Value| (v.as_f64().unwrap() - z).abs() < 1e-9;
        let (floor, place) = floors
            .iter()
            .find_map(|f| {
                let id = format!("f{}", f["floor"]);
                if is(&f["z"]) {
                    Some((id, "below"))
                } else if is(&f["ceiling"]) {
                    Some((id, "above"))
                } else {
                    None
                }
            })
            .unwrap();
        let voids: Vec<_> =
            slab["hole"].as_array().map(|_| ring(&slab["hole"])).into_iter().collect();
        edits.push(json!({"do": "put", "kind": "slab", "value": {
            "id": format!("s{n}"), "floor": floor, "place": place, "construction": id,
            "outline": ring(&slab["rect"]), "voids": voids,
        }}));
    }
    let mut site = Site::new(dot_reach_core::site::Job::new(
        "Traced house",
        Region::Eu,
        Confidence::new(0.95).expect("0.95"),
    ));
    for value in edits {
        let edit: Edit = serde_json::from_value(value.clone()).expect("an edit");
        let change = apply(&mut site, &edit);
        assert!(change.is_ok(), "{value}: {change:?}");
    }
    site
}

/// Its traced links.
pub(crate) fn links() -> Vec<Link> {
    let house = house();
    let places: BTreeMap<String, Place> = ["devices", "probes"]
        .iter()
        .flat_map(|list| house[*list].as_array().unwrap().clone())
        .map(|d| {
            let p: Vec<f64> =
                d["pos"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
            (d["id"].as_str().unwrap().to_owned(), Place::new(p[0], p[1], p[2]))
        })
        .collect();
    include_str!("../traced-house/path_loss.csv")
        .lines()
        .skip(1)
        .map(|line| {
            let cells: Vec<_> = line.split(',').collect();
            let number = |i: usize| cells[i].parse::<f64>().unwrap();
            Link {
                from: places[cells[0]],
                to: places[cells[1]],
                mhz: number(2),
                same_floor: cells[4] == "1",
                loss_db: number(5),
                direct_db: number(6),
            }
        })
        .collect()
}
