//! The forms of a storey and of a wall.

use dot_reach_core::draw::rooms::area;
use dot_reach_core::site::{Floor, OpeningKind, Provenance, Site, SlabPlace, Wall};
use dot_reach_core::speech;

use serde_json::json;

use super::choices::{Choice, choices, metres};

pub(super) struct StoreyForm {
    pub(super) name: String,
    pub(super) elevation: String,
    pub(super) height: String,
    pub(super) slab_id: String,
    pub(super) slab: String,
    pub(super) has_image: bool,
    pub(super) scaled: bool,
    pub(super) rooms: Vec<RoomRow>,
    pub(super) walls: usize,
    pub(super) wall_rows: Vec<WallRow>,
}

pub(super) struct RoomRow {
    pub(super) id: String,
    pub(super) name: String,
    pub(super) area: String,
    /// Storeys that it can be copied to, each with its gesture; none in a house of one.
    pub(super) copies: Vec<Choice>,
}

pub(super) struct WallRow {
    pub(super) id: String,
    pub(super) construction: String,
    pub(super) from: String,
    pub(super) to: String,
    pub(super) length: String,
}

pub(super) struct WallForm {
    pub(super) id: String,
    pub(super) length: String,
    pub(super) construction: String,
    /// Neither the job nor the library holds it.
    pub(super) construction_gone: bool,
    pub(super) height: String,
    pub(super) coordinates: [String; 4],
    pub(super) known: Vec<Choice>,
    pub(super) openings: Vec<OpeningForm>,
}

pub(super) struct OpeningForm {
    pub(super) number: usize,
    pub(super) what: &'static str,
    pub(super) start: String,
    pub(super) width: String,
    pub(super) sill: String,
    pub(super) height: String,
    pub(super) construction: String,
    pub(super) is_door: bool,
    pub(super) stands_open: bool,
}

fn room_rows(site: &Site, floor: &Floor) -> Vec<RoomRow> {
    let choice =
        |value: String, text: String| Choice { value, text, chosen: false, system: String::new() };
    let mut rooms: Vec<_> = site.rooms.iter().filter(|r| r.floor == floor.id).collect();
    rooms.sort_by(|a, b| a.name.cmp(&b.name));
    rooms
        .into_iter()
        .map(|room| {
            let others = site.floors_upward().into_iter().filter(|f| f.id != floor.id);
            let copies: Vec<_> = others
                .map(|f| {
                    let gesture = json!({"do": "copy-room", "room": room.id, "to": f.id});
                    choice(gesture.to_string(), format!("to {}", f.name))
                })
                .collect();
            let none = (!copies.is_empty()).then(|| choice(String::new(), "copy…".to_owned()));
            RoomRow {
                id: room.id.to_string(),
                name: room.name.clone(),
                area: speech::area(area(&room.outline)),
                copies: none.into_iter().chain(copies).collect(),
            }
        })
        .collect()
}

pub(super) fn storey_form(site: &Site, floor: &Floor) -> StoreyForm {
    let slab = site.slabs.iter().find(|s| s.floor == floor.id && s.place == SlabPlace::Below);
    let walls: Vec<_> = site.walls.iter().filter(|w| w.floor == floor.id).collect();
    let spot = |[x, y]: [f64; 2]| format!("{}, {}", metres(x), metres(y));
    StoreyForm {
        rooms: room_rows(site, floor),
        name: floor.name.clone(),
        elevation: metres(floor.elevation_m.get()),
        height: metres(floor.height_m.get()),
        slab_id: slab.map(|s| s.id.to_string()).unwrap_or_default(),
        slab: slab.map(|s| s.construction.clone()).unwrap_or_default(),
        has_image: floor.underlay.is_some(),
        scaled: floor.underlay.as_ref().is_some_and(|u| u.scaled),
        walls: walls.len(),
        wall_rows: walls
            .iter()
            .map(|w| WallRow {
                id: w.id.to_string(),
                construction: site
                    .construction(&w.construction)
                    .map_or_else(|| w.construction.clone(), |c| c.name.clone()),
                from: spot(w.a),
                to: spot(w.b),
                length: format!("{:.2}", w.length()),
            })
            .collect(),
    }
}

pub(super) fn wall_form(site: &Site, wall: &Wall) -> WallForm {
    let openings = wall.openings.iter().enumerate().map(|(number, o)| OpeningForm {
        number,
        what: dot_reach_core::staircase::opening_name(o.kind),
        start: metres(o.start_m.get()),
        width: metres(o.width_m.get()),
        sill: metres(o.sill_m.get()),
        height: metres(o.height_m.get()),
        construction: o.construction.clone(),
        is_door: o.kind == OpeningKind::Door,
        stands_open: o.stands_open,
    });
    WallForm {
        id: wall.id.to_string(),
        length: format!("{:.2}", wall.length()),
        construction: wall.construction.clone(),
        construction_gone: site.construction(&wall.construction).is_none(),
        height: wall.height_m.map(|h| metres(h.get())).unwrap_or_default(),
        coordinates: [wall.a[0], wall.a[1], wall.b[0], wall.b[1]].map(metres),
        known: choices(&Provenance::ALL, wall.known),
        openings: openings.collect(),
    }
}
