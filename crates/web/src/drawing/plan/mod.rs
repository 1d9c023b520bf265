//! The plan of one storey: its frame and what stands on it.
//!
//! | file | what it draws |
//! |---|---|
//! | `walls.rs` | walls with their openings |
//! | `ground.rs` | tints, contour lines and their numbers |
//! | `names.rs` | names and tags of dots, thinned out |

mod ground;
mod names;
mod walls;

use std::collections::BTreeSet;

pub(crate) use self::names::FIRST_WIDE;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::catalogue::DeviceKind;
use dot_reach_core::geometry::Rect;
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::network::role::role;
use dot_reach_core::site::{DeviceId, EmitterId, FloorId, PointId, Room, Site, Spot};

use self::ground::{Line, Tint};
use self::names::{named, short};
use self::walls::{DrawnWall, WallClasses, wall_shape};
use super::path::path;
use super::{band_class, glyph, role_glyph};

/// Everything on the plan, ready to print. Lengths in centimetres.
#[derive(Debug, Default)]
pub(crate) struct Plan {
    pub(crate) view_box: String,
    pub(crate) width: f64,
    /// How wide it is printed, in CSS pixels, and how many centimetres such a pixel is.
    pub(crate) print_width: f64,
    pub(crate) print_px: f64,
    pub(crate) left: f64,
    pub(crate) top: f64,
    pub(crate) right: f64,
    pub(crate) bottom: f64,
    pub(crate) underlay: Option<UnderlayShape>,
    pub(crate) ghosts: String,
    pub(crate) walls: Vec<DrawnWall>,
    pub(crate) tints: Vec<Tint>,
    pub(crate) lines: Vec<Line>,
    pub(crate) routes: Vec<RouteShape>,
    /// Bounces and bends of the ways that carry the selected route, as lines.
    pub(crate) bent: String,
    /// A place that was asked about.
    pub(crate) spot: Option<(f64, f64)>,
    pub(crate) dots: Vec<Dot>,
    /// Rooms and areas that are drawn, with their names.
    pub(crate) rooms: Vec<RoomShape>,
    /// Places of a list, by their number in it.
    pub(crate) marks: Vec<PlanMark>,
    pub(crate) is_empty: bool,
    /// Whether what lies under it was not worked out: the page keeps what it shows, faded.
    pub(crate) keeps_ground: bool,
}

#[derive(Debug)]
pub(crate) struct UnderlayShape {
    pub(crate) href: String,
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) width: f64,
    pub(crate) height: f64,
}

#[derive(Debug)]
pub(crate) struct RouteShape {
    pub(crate) d: String,
    /// The device that it leads to.
    pub(crate) to: String,
    pub(crate) class: String,
}

#[derive(Debug)]
pub(crate) struct PlanMark {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) text: String,
    pub(crate) title: String,
}

#[derive(Debug)]
pub(crate) struct RoomShape {
    pub(crate) id: String,
    pub(crate) d: String,
    pub(crate) x: f64,
    pub(crate) y: f64,
    /// Half way down the room, and how far down that goes: where its name may stand.
    middle: f64,
    high: f64,
    /// From how near its name is drawn.
    pub(crate) level: u8,
    pub(crate) name: String,
}

#[derive(Debug)]
pub(crate) struct Dot {
    /// What it is, by the word of an edit: `point` or `emitter`.
    pub(crate) kind: &'static str,
    /// Its id.
    pub(crate) point: String,
    pub(crate) device: String,
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) height_m: f64,
    pub(crate) glyph: &'static str,
    pub(crate) class: String,
    pub(crate) name: String,
    /// Its tag, and from how near it is drawn: labels keep apart.
    pub(crate) tag: String,
    pub(crate) level: u8,
    pub(crate) title: String,
    pub(crate) show_name: bool,
    /// The name stands on the left, where the sheet ends on the right.
    pub(crate) flip: bool,
}

impl Dot {
    /// Whether a ring is drawn around it.
    pub(crate) fn is_ringed(&self) -> bool {
        self.class.contains("selected") || self.class.contains("out")
    }
}

const CM: f64 = 100.0;
/// The most that a plan takes of a printed page, in CSS pixels: what is free across one, and so high
/// that a plan that does not fit any more leaves less than half of a page empty.
const PRINTED_WIDE: f64 = 680.0;
const PRINTED_HIGH: f64 = 410.0;

/// An empty sheet, where there is no storey yet.
pub(crate) fn blank() -> Plan {
    let mut plan = Plan { is_empty: true, ..Plan::default() };
    plan.frame(&[]);
    plan
}

/// The empty plan of a storey: frame, image, walls; `ghost` draws the walls of another storey
/// faintly beneath.
pub(crate) fn sheet(site: &Site, floor: &FloorId, ghost: Option<&FloorId>) -> Plan {
    let mut plan = Plan { is_empty: true, ..Plan::default() };
    let (mut corners, mut classes) = (Vec::<Spot>::new(), WallClasses::default());
    for wall in site.walls.iter().filter(|w| w.floor == *floor) {
        corners.extend([wall.a, wall.b]);
        plan.walls.push(wall_shape(site, wall, classes.of(site, &wall.construction)));
        plan.is_empty = false;
    }
    corners.extend(site.points.iter().filter(|p| p.floor == *floor).map(|p| p.at));
    if let Some(underlay) = site.floors.get(floor).and_then(|f| f.underlay.as_ref()) {
        let [x, y] = underlay.origin;
        let width = f64::from(underlay.width_px) * underlay.metres_per_px;
        let height = f64::from(underlay.height_px) * underlay.metres_per_px;
        corners.extend([[x, y], [x + width, y + height]]);
        let href = format!("/images/{}", underlay.image);
        let (x, y, width, height) = (x * CM, y * CM, width * CM, height * CM);
        plan.underlay = Some(UnderlayShape { href, x, y, width, height });
        plan.is_empty = false;
    }
    if let Some(ghost) = ghost {
        let walls = site.walls.iter().filter(|w| w.floor == *ghost);
        plan.ghosts = path(&walls.map(|w| vec![w.a, w.b]).collect::<Vec<_>>(), false);
        if corners.is_empty() {
            corners
                .extend(site.walls.iter().filter(|w| w.floor == *ghost).flat_map(|w| [w.a, w.b]));
        }
    }
    plan.frame(&corners);
    plan
}

impl Plan {
    fn frame(&mut self, corners: &[Spot]) {
        let start = Rect { left: 0.0, top: 0.0, right: 14.0, bottom: 9.0 };
        let around = Rect::around(corners.iter().copied()).unwrap_or(start);
        let Rect { left, top, right, bottom } = around;
        let [l, t, r, b] = [left, top, right, bottom].map(|v| v * CM);
        let margin = 120.0;
        (self.left, self.top) = ((l - margin).round(), (t - margin).round());
        (self.right, self.bottom) = ((r + margin).round(), (b + margin).round());
        self.width = self.right - self.left;
        let height = self.bottom - self.top;
        // Two of them fit a sheet of paper, each with its caption.
        let scale = (PRINTED_WIDE / self.width).min(PRINTED_HIGH / height);
        self.print_width = (self.width * scale).round();
        self.print_px = (100.0 / scale).round() / 100.0;
        self.view_box = format!("{} {} {} {height}", self.left, self.top, self.width);
    }

    fn is_far_right(&self, x: f64) -> bool {
        x * CM > self.left + self.width * 0.75
    }

    /// Adds the radios of a network, and the ways between them.
    pub(crate) fn radios(
        &mut self,
        analysis: &Analysis,
        network: &NetworkAnalysis,
        floor: &FloorId,
        selected: Option<&DeviceId>,
    ) {
        let site = &analysis.site;
        let at = |id: &DeviceId| {
            let point = site.point_of(site.devices.get(id)?)?;
            Some((point.at, point.floor == *floor, point.id.clone(), point.height_m))
        };
        let on_route: Vec<_> = selected
            .and_then(|s| network.place_of(s))
            .map(|place| network.outcomes[place].hops.clone())
            .unwrap_or_default();
        for (node, outcome) in network.nodes.iter().zip(&network.outcomes) {
            if let Some(hop) = outcome.hops.last()
                && let (Some((a, here_a, ..)), Some((b, here_b, ..))) = (at(&hop.from), at(&hop.to))
                && (here_a || here_b)
            {
                let chosen = on_route.iter().any(|h| h.from == hop.from && h.to == hop.to);
                let class = match (chosen, here_a && here_b) {
                    (true, true) => "way chosen",
                    (true, false) => "way chosen between-storeys",
                    (false, true) => "way",
                    (false, false) => "way between-storeys",
                };
                let (d, to) = (path(&[vec![a, b]], false), hop.to.to_string());
                self.routes.push(RouteShape { d, to, class: class.into() });
            }
            let Some(([x, y], true, point, height)) = at(&node.device) else { continue };
            let is_selected = selected == Some(&node.device);
            let band = band_class(outcome.band);
            let down = analysis.options.down.contains(&node.device);
            let class = format!(
                "{band}{}{}",
                if is_selected { " selected" } else { "" },
                if down { " down" } else { "" }
            );
            self.dots.push(Dot {
                kind: "point",
                point: point.to_string(),
                device: node.device.to_string(),
                x: (x * CM).round(),
                y: (y * CM).round(),
                height_m: height.get(),
                glyph: glyph(node),
                class,
                title: named(
                    site.points.get(&point).map_or("", |p| &p.tag),
                    &format!("{}: {}, {band}", node.name, node.role.role.name()),
                ),
                name: short(&node.name),
                tag: site.points.get(&point).map(|p| p.tag.clone()).unwrap_or_default(),
                level: 0,
                show_name: is_selected || matches!(band, "out" | "thin"),
                flip: self.is_far_right(x),
            });
        }
        // What is selected lies on top.
        self.dots.sort_by_key(|d| d.class.contains("selected"));
        self.thin_out();
        self.routes.sort_by_key(|r| r.class.contains("chosen"));
    }

    /// Adds what works something and what is worked on a storey: one controller is chosen, with ways to what it works.
    pub(crate) fn controls(
        &mut self,
        site: &Site,
        floor: &FloorId,
        chosen: &DeviceId,
        worked: &BTreeSet<&DeviceId>,
    ) {
        let at = |id: &DeviceId| site.devices.get(id).and_then(|d| site.point_of(d));
        for load in worked.iter().filter(|load| **load != chosen) {
            let (Some(a), Some(b)) = (at(chosen), at(load)) else { continue };
            let here = b.floor == *floor;
            let class = if here { "way chosen" } else { "way chosen between-storeys" };
            let d = path(&[vec![a.at, b.at]], false);
            self.routes.push(RouteShape { d, to: load.to_string(), class: class.into() });
        }
        for device in site.devices.iter() {
            let Some(point) = site.point_of(device).filter(|p| p.floor == *floor) else { continue };
            let sides = site.kind(&device.kind).map(DeviceKind::sides).unwrap_or_default();
            if sides == (false, false) {
                continue;
            }
            let (is_chosen, is_worked) = (device.id == *chosen, worked.contains(&device.id));
            let class = match (is_chosen, is_worked, sides.0) {
                (true, ..) => "place selected",
                (_, true, _) => "place",
                (.., true) => "place quiet",
                _ => "place aside",
            };
            let [x, y] = point.at;
            self.dots.push(Dot {
                kind: "point",
                point: point.id.to_string(),
                device: device.id.to_string(),
                x: (x * CM).round(),
                y: (y * CM).round(),
                height_m: point.height_m.get(),
                glyph: role_glyph(&role(site, device)),
                class: class.into(),
                title: named(&point.tag, &device.name),
                name: short(&device.name),
                tag: String::new(),
                level: 0,
                show_name: is_chosen || is_worked,
                flip: self.is_far_right(x),
            });
        }
        self.dots.sort_by_key(|d| (d.show_name, d.class.contains("selected")));
        self.thin_out();
    }

    /// Adds what else sends on a storey.
    pub(crate) fn emitters(&mut self, site: &Site, floor: &FloorId, selected: Option<&EmitterId>) {
        for emitter in site.emitters.iter().filter(|e| e.floor == *floor) {
            let is_selected = selected == Some(&emitter.id);
            let class = if is_selected { "source selected" } else { "source" };
            self.dots.push(Dot {
                kind: "emitter",
                point: emitter.id.to_string(),
                device: String::new(),
                x: (emitter.at[0] * CM).round(),
                y: (emitter.at[1] * CM).round(),
                height_m: emitter.height_m.get(),
                glyph: "source",
                class: class.into(),
                name: short(&emitter.name),
                tag: String::new(),
                level: 0,
                title: format!("{}: on the air, {}", emitter.name, emitter.carrier.name()),
                show_name: is_selected,
                flip: self.is_far_right(emitter.at[0]),
            });
        }
        self.dots.sort_by_key(|d| d.class.contains("selected"));
        self.thin_out();
    }

    /// Adds numbered places, the first on top of the others.
    pub(crate) fn marks(&mut self, places: impl Iterator<Item = (Spot, String, String)>) {
        let mark = |([x, y], text, title): (Spot, String, String)| PlanMark {
            x: (x * CM).round(),
            y: (y * CM).round(),
            text,
            title,
        };
        self.marks = places.map(mark).collect();
        self.marks.reverse();
    }

    /// Dims every dot and way that does not lead to one of these devices.
    pub(crate) fn isolate(&mut self, kept: &BTreeSet<String>) {
        for dot in self.dots.iter_mut().filter(|d| !kept.contains(&d.device)) {
            dot.class.push_str(" aside");
            dot.show_name = false;
        }
        self.routes.retain(|r| kept.contains(&r.to) || r.class.contains("chosen"));
    }

    /// Adds the surveyed points themselves, for a storey without regard to networks.
    pub(crate) fn points(&mut self, site: &Site, floor: &FloorId, selected: Option<&PointId>) {
        for point in site.points.iter().filter(|p| p.floor == *floor) {
            let is_selected = selected == Some(&point.id);
            let devices = site.devices_at(&point.id);
            let roles = devices.iter().map(|d| role(site, d)).min_by_key(|r| r.role);
            self.dots.push(Dot {
                kind: "point",
                point: point.id.to_string(),
                device: String::new(),
                x: (point.at[0] * CM).round(),
                y: (point.at[1] * CM).round(),
                height_m: point.height_m.get(),
                glyph: roles.as_ref().map_or("vacant", role_glyph),
                class: if is_selected { "place selected".into() } else { "place".into() },
                name: short(&point.name),
                tag: point.tag.clone(),
                level: 0,
                title: named(&point.tag, &format!("{}, {} up", point.name, point.height_m)),
                show_name: is_selected,
                flip: self.is_far_right(point.at[0]),
            });
        }
        self.dots.sort_by_key(|d| d.class.contains("selected"));
        let rooms = site.rooms.iter().filter(|r| r.floor == *floor);
        self.rooms.extend(rooms.map(room_shape));
        self.thin_out();
    }
}

fn room_shape(room: &Room) -> RoomShape {
    let around = Rect::around(room.outline.iter().copied());
    let [x, y] = around
        .map_or([0.0; 2], |r| [f64::midpoint(r.left, r.right), f64::midpoint(r.top, r.bottom)]);
    RoomShape {
        id: room.id.to_string(),
        d: path(std::slice::from_ref(&room.outline), true),
        x: (x * CM).round(),
        y: (y * CM).round(),
        middle: y * CM,
        high: around.map_or(0.0, |r| (r.bottom - r.top) * CM),
        level: 0,
        name: room.name.clone(),
    }
}
