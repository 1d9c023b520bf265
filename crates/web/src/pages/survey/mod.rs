//! Survey: the building and its boxes.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::catalogue::{self, KINDS};
use dot_reach_core::fit::{self, Fits};
use dot_reach_core::materials::construction::{CONSTRUCTIONS, Use};
use dot_reach_core::network::role::role;
use dot_reach_core::radio::mounting::MOUNTINGS;
use dot_reach_core::radio::profile::planning_profile;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{
    Device, Floor, FloorId, Neutral, OpeningKind, Point, PointId, Provenance, Security, Site,
    SlabPlace, Wall, WallId,
};
use dot_reach_core::units::{Db, Dbm, typographic};
use dot_reach_store::StoreError;
use serde::{Deserialize, Serialize};

use crate::app::App;
use crate::drawing::plan::{Plan, blank, sheet};
use crate::error::WebError;
use crate::pages::{Opened, Shell, html};

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    floor: String,
    #[serde(default)]
    point: String,
    #[serde(default)]
    wall: String,
}

#[derive(Template)]
#[template(path = "survey/page.html")]
struct Page {
    shell: Shell,
    job: String,
    floor: String,
    floors: Vec<FloorTab>,
    next_elevation: String,
    plan: Plan,
    constructions: Vec<Group>,
    openings: Vec<Group>,
    floor_constructions: Vec<Group>,
    kinds: Vec<KindChoice>,
    networks: Vec<Choice>,
    storey: Option<StoreyForm>,
    wall: Option<WallForm>,
    point: Option<PointForm>,
    points: Vec<PointRow>,
}

struct FloorTab {
    id: String,
    name: String,
    chosen: bool,
}

pub(crate) struct Choice {
    pub(crate) value: String,
    pub(crate) text: String,
    pub(crate) chosen: bool,
    /// The system of a network; empty for other choices.
    pub(crate) system: String,
}

struct Group {
    name: &'static str,
    choices: Vec<Choice>,
}

struct KindChoice {
    value: String,
    text: String,
    systems: String,
    /// The fields of the point where such a device usually stands, as the job file writes them.
    usual: String,
    easily_cut: bool,
}

struct StoreyForm {
    json: String,
    name: String,
    elevation: String,
    height: String,
    slab_json: String,
    slab: String,
    has_image: bool,
    scaled: bool,
    walls: usize,
    wall_rows: Vec<WallRow>,
}

struct WallRow {
    id: String,
    construction: String,
    from: String,
    to: String,
    length: String,
}

struct WallForm {
    id: String,
    json: String,
    length: String,
    construction: String,
    height: String,
    coordinates: [String; 4],
    known: Vec<Choice>,
    openings: Vec<OpeningForm>,
}

struct OpeningForm {
    number: usize,
    what: &'static str,
    start: String,
    width: String,
    sill: String,
    height: String,
    construction: String,
    is_door: bool,
    stands_open: bool,
}

struct PointForm {
    id: String,
    json: String,
    name: String,
    room: String,
    height: String,
    x: String,
    y: String,
    depth: String,
    circuit: String,
    note: String,
    kinds: Vec<Choice>,
    boxes: Vec<Choice>,
    neutrals: Vec<Choice>,
    mountings: Vec<Choice>,
    known: Vec<Choice>,
    floors: Vec<Choice>,
    devices: Vec<DeviceForm>,
}

struct DeviceForm {
    id: String,
    json: String,
    name: String,
    kinds: Vec<Choice>,
    networks: Vec<Choice>,
    can_be_cut: bool,
    role: String,
    verdict: &'static str,
    class: &'static str,
    findings: Vec<FitRow>,
    sheet: [String; 4],
    security: Vec<Choice>,
    planned: String,
}

struct FitRow {
    reason: String,
    ways: Vec<&'static str>,
}

struct PointRow {
    id: String,
    name: String,
    room: String,
    height: String,
    back_box: &'static str,
    neutral: &'static str,
    device: String,
    verdict: &'static str,
    class: &'static str,
    chosen: bool,
}

fn json(value: &impl Serialize) -> Result<String, WebError> {
    Ok(serde_json::to_string(value).map_err(StoreError::Row)?)
}

/// The word by which a plain enum is written in the job file.
fn word(value: &impl Serialize) -> String {
    serde_json::to_value(value).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
}

fn choices<T: Serialize + PartialEq + Copy>(all: &[(T, &str)], chosen: T) -> Vec<Choice> {
    let choice = |(value, text): &(T, &str)| Choice {
        value: word(value),
        text: (*text).to_owned(),
        chosen: *value == chosen,
        system: String::new(),
    };
    all.iter().map(choice).collect()
}

#[get("/jobs/{job}/survey")]
pub(crate) async fn show(
    job: web::Path<String>,
    query: web::Query<Query>,
    app: web::Data<App>,
) -> Result<HttpResponse, WebError> {
    let Opened { job, site, shell, .. } = Opened::of(&app, &job, "Survey")?;
    let point = query.point.parse::<PointId>().ok().and_then(|id| site.points.get(&id));
    let wall = query.wall.parse::<WallId>().ok().and_then(|id| site.walls.get(&id));
    let floors = site.floors_upward();
    let named: Option<FloorId> = query.floor.parse().ok().filter(|f| site.floors.get(f).is_some());
    let floor = named
        .or_else(|| point.map(|p| p.floor.clone()))
        .or_else(|| wall.map(|w| w.floor.clone()))
        .or_else(|| floors.first().map(|f| f.id.clone()));
    let place = floor.as_ref().and_then(|f| floors.iter().position(|g| g.id == *f));
    let below = place.and_then(|p| p.checked_sub(1)).map(|p| floors[p].id.clone());
    let mut plan = floor.as_ref().map_or_else(blank, |f| sheet(&site, f, below.as_ref()));
    if let Some(floor) = &floor {
        plan.points(&site, floor, point.map(|p| &p.id));
    }
    let top = floors.iter().map(|f| (f.elevation_m + f.height_m).get()).reduce(f64::max);
    html(&Page {
        shell,
        job: job.to_string(),
        floor: floor.as_ref().map(ToString::to_string).unwrap_or_default(),
        floors: floors
            .iter()
            .map(|f| FloorTab {
                id: f.id.to_string(),
                name: f.name.clone(),
                chosen: Some(&f.id) == floor.as_ref(),
            })
            .collect(),
        // A storey's floor lies on the ceiling below it and some 30 cm of joists.
        next_elevation: top.map_or_else(|| "0".to_owned(), |t| format!("{:.2}", t + 0.3)),
        plan,
        constructions: groups(&site, &[Use::Wall, Use::Obstacle]),
        openings: groups(&site, &[Use::Door, Use::Window]),
        floor_constructions: groups(&site, &[Use::Floor, Use::Roof]),
        kinds: kinds(),
        networks: networks(&site, ""),
        storey: match floor.as_ref().and_then(|f| site.floors.get(f)) {
            Some(floor) => Some(storey_form(&site, floor)?),
            None => None,
        },
        wall: wall.map(wall_form).transpose()?,
        point: point.map(|p| point_form(&site, p)).transpose()?,
        points: floor.as_ref().map(|f| point_rows(&site, f, point)).unwrap_or_default(),
    })
}

fn groups(site: &Site, uses: &[Use]) -> Vec<Group> {
    let name = |used_for: Use| match used_for {
        Use::Wall => "Walls",
        Use::Floor => "Floors",
        Use::Roof => "Roofs",
        Use::Door => "Doors",
        Use::Window => "Windows",
        Use::Obstacle => "Obstacles",
    };
    uses.iter()
        .map(|used_for| {
            let own = site.constructions.iter();
            let rows = own.chain(CONSTRUCTIONS.iter()).filter(|c| c.used_for == *used_for);
            let choices = rows
                .map(|c| Choice {
                    value: c.id.clone(),
                    text: c.name.clone(),
                    chosen: false,
                    system: String::new(),
                })
                .collect();
            Group { name: name(*used_for), choices }
        })
        .collect()
}

fn kinds() -> Vec<KindChoice> {
    KINDS
        .iter()
        .map(|k| KindChoice {
            value: k.id.clone(),
            text: k.name.clone(),
            systems: k.systems.iter().map(word).collect::<Vec<_>>().join(" "),
            usual: usual(k),
            easily_cut: k.easily_cut,
        })
        .collect()
}

fn usual(kind: &catalogue::DeviceKind) -> String {
    let (place, height, back_box) = kind.usual_place();
    serde_json::json!({ "kind": place, "height_m": height, "box": back_box }).to_string()
}

fn networks(site: &Site, chosen: &str) -> Vec<Choice> {
    let choice = |n: &dot_reach_core::site::Network| Choice {
        value: n.id.to_string(),
        text: if n.name == n.system.name() {
            n.name.clone()
        } else {
            format!("{} ({})", n.name, n.system.name())
        },
        chosen: n.id.as_str() == chosen,
        system: word(&n.system),
    };
    site.networks.iter().map(choice).collect()
}

fn metres(value: f64) -> String {
    format!("{value:.2}")
}

fn storey_form(site: &Site, floor: &Floor) -> Result<StoreyForm, WebError> {
    let slab = site.slabs.iter().find(|s| s.floor == floor.id && s.place == SlabPlace::Below);
    let walls: Vec<_> = site.walls.iter().filter(|w| w.floor == floor.id).collect();
    let spot = |[x, y]: [f64; 2]| format!("{x:.2}, {y:.2}");
    Ok(StoreyForm {
        json: json(floor)?,
        name: floor.name.clone(),
        elevation: metres(floor.elevation_m.get()),
        height: metres(floor.height_m.get()),
        slab_json: slab.map(json).transpose()?.unwrap_or_default(),
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
    })
}

fn wall_form(wall: &Wall) -> Result<WallForm, WebError> {
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
    Ok(WallForm {
        id: wall.id.to_string(),
        json: json(wall)?,
        length: format!("{:.2}", wall.length()),
        construction: wall.construction.clone(),
        height: wall.height_m.map(|h| metres(h.get())).unwrap_or_default(),
        coordinates: [wall.a[0], wall.a[1], wall.b[0], wall.b[1]].map(metres),
        known: choices(&Provenance::ALL, wall.known),
        openings: openings.collect(),
    })
}

fn verdict(fits: Fits) -> (&'static str, &'static str) {
    match fits {
        Fits::Yes => ("fits", "sound"),
        Fits::IfSo => ("fits if", "thin"),
        Fits::ElectricianDecides => ("electrician decides", "thin"),
        Fits::No => ("does not fit", "out"),
    }
}

fn point_form(site: &Site, point: &Point) -> Result<PointForm, WebError> {
    use dot_reach_core::site::{BoxKind, PointKind};
    let all_kinds = [
        (PointKind::Switch, "switch position"),
        (PointKind::Socket, "socket"),
        (PointKind::Ceiling, "ceiling fitting"),
        (PointKind::WallFitting, "wall fitting"),
        (PointKind::Shelf, "shelf or cupboard"),
        (PointKind::BareWall, "bare wall"),
        (PointKind::Outdoor, "outdoors"),
    ];
    let all_boxes =
        [(BoxKind::None, "none"), (BoxKind::Plastic, "plastic"), (BoxKind::Metal, "metal")];
    let all_neutrals = [
        (Neutral::Unknown, "not opened yet"),
        (Neutral::Seen, "seen"),
        (Neutral::NotSeen, "not seen"),
        (Neutral::Absent, "absent, tested"),
    ];
    let all_mountings = MOUNTINGS.map(|m| (m.mounting, m.name));
    let devices = site.devices_at(&point.id);
    Ok(PointForm {
        id: point.id.to_string(),
        json: json(point)?,
        name: point.name.clone(),
        room: point.room.clone(),
        height: metres(point.height_m.get()),
        x: metres(point.at[0]),
        y: metres(point.at[1]),
        depth: point.depth_mm.map(|d| typographic(d, 0)).unwrap_or_default(),
        circuit: point.circuit.clone(),
        note: point.note.clone(),
        kinds: choices(&all_kinds, point.kind),
        boxes: choices(&all_boxes, point.back_box),
        neutrals: choices(&all_neutrals, point.neutral),
        mountings: choices(&all_mountings, point.mounting),
        known: choices(&Provenance::ALL, point.known),
        floors: site
            .floors_upward()
            .into_iter()
            .map(|f| Choice {
                value: f.id.to_string(),
                text: f.name.clone(),
                chosen: f.id == point.floor,
                system: String::new(),
            })
            .collect(),
        devices: devices
            .into_iter()
            .map(|d| device_form(site, d, point))
            .collect::<Result<_, _>>()?,
    })
}

fn device_form(site: &Site, device: &Device, point: &Point) -> Result<DeviceForm, WebError> {
    let system = site.networks.get(&device.network).map(|n| n.system);
    let findings =
        catalogue::kind(&device.kind).map(|k| fit::findings(k, point)).unwrap_or_default();
    let (verdict, class) = verdict(fit::verdict(&findings));
    let found = role(site, device);
    let planned = catalogue::kind(&device.kind)
        .zip(system)
        .map(|(kind, system)| planning_profile(system, kind.class(), site.job.region));
    let number = |v: Option<f64>| v.map(|v| typographic(v, 1)).unwrap_or_default();
    let sheet = &device.sheet;
    Ok(DeviceForm {
        security: if matches!(system, Some(System::ZWave | System::ZWaveLr)) {
            choices(&Security::ALL, device.security)
        } else {
            Vec::new()
        },
        sheet: [
            number(sheet.tx_dbm.map(Dbm::get)),
            number(sheet.sensitivity_dbm.map(Dbm::get)),
            number(sheet.antenna_db.map(Db::get)),
            number(sheet.extra_loss_db.map(Db::get)),
        ],
        planned: planned.map_or_else(String::new, |p| {
            format!(
                "Planned with {} sent, {} heard, {} of antenna.",
                p.tx, p.sensitivity, p.antenna
            )
        }),
        id: device.id.to_string(),
        json: json(device)?,
        name: device.name.clone(),
        kinds: KINDS
            .iter()
            .filter(|k| system.is_some_and(|s| k.systems.contains(&s)))
            .map(|k| Choice {
                value: k.id.clone(),
                text: k.name.clone(),
                chosen: k.id == device.kind,
                system: String::new(),
            })
            .collect(),
        networks: networks(site, device.network.as_str()),
        can_be_cut: device.can_be_cut,
        role: format!("{}: {}", found.role.name(), found.why),
        verdict,
        class,
        findings: findings
            .into_iter()
            .map(|f| FitRow { reason: f.reason, ways: f.ways_out.to_vec() })
            .collect(),
    })
}

fn point_rows(site: &Site, floor: &FloorId, chosen: Option<&Point>) -> Vec<PointRow> {
    use dot_reach_core::site::BoxKind;
    let mut rows: Vec<_> = site
        .points
        .iter()
        .filter(|p| p.floor == *floor)
        .map(|p| {
            let devices = site.devices_at(&p.id);
            let fits = devices
                .iter()
                .filter_map(|d| catalogue::kind(&d.kind))
                .map(|k| fit::verdict(&fit::findings(k, p)))
                .max();
            let (verdict, class) = fits.map_or(("", ""), verdict);
            let names: Vec<_> = devices
                .iter()
                .filter_map(|d| catalogue::kind(&d.kind))
                .map(|k| k.name.as_str())
                .collect();
            PointRow {
                id: p.id.to_string(),
                name: p.name.clone(),
                room: p.room.clone(),
                height: metres(p.height_m.get()),
                back_box: match p.back_box {
                    BoxKind::None => "–",
                    BoxKind::Plastic => "plastic",
                    BoxKind::Metal => "metal",
                },
                neutral: match p.neutral {
                    Neutral::Unknown if p.back_box == BoxKind::None => "–",
                    Neutral::Unknown => "?",
                    Neutral::Seen => "seen",
                    Neutral::NotSeen => "not seen",
                    Neutral::Absent => "absent",
                },
                device: names.join(", "),
                verdict,
                class,
                chosen: chosen.is_some_and(|c| c.id == p.id),
            }
        })
        .collect();
    rows.sort_by(|a, b| (&a.room, &a.name).cmp(&(&b.room, &b.name)));
    rows
}
