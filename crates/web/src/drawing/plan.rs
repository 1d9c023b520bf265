//! The plan of one storey.

use std::sync::Arc;

use std::collections::BTreeMap;

use dot_reach_core::analysis::Analysis;
use dot_reach_core::coverage::{Coverage, Grid, Quantity, contours, contours_of};
use dot_reach_core::geometry::{Rect, apart};
use dot_reach_core::materials::construction::{Construction, Heft};
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::network::outcome::SOLID_ABOVE;
use dot_reach_core::network::role::role;
use dot_reach_core::site::{
    DeviceId, EmitterId, FloorId, OpeningKind, PointId, Room, Site, Spot, Wall,
};
use dot_reach_core::units::{Db, typographic};

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
    pub(crate) walls: Vec<WallShape>,
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
    pub(crate) marks: Vec<Mark>,
    pub(crate) is_empty: bool,
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
pub(crate) struct WallShape {
    pub(crate) id: String,
    pub(crate) d: String,
    /// Both ends in metres, for the hand that drags them.
    pub(crate) ends: String,
    pub(crate) class: &'static str,
    pub(crate) title: String,
    pub(crate) gaps: Vec<Gap>,
}

#[derive(Debug)]
pub(crate) struct Gap {
    pub(crate) d: String,
    pub(crate) class: &'static str,
}

#[derive(Debug)]
pub(crate) struct Tint {
    pub(crate) class: &'static str,
    pub(crate) d: String,
}

#[derive(Debug)]
pub(crate) struct Line {
    pub(crate) class: &'static str,
    pub(crate) d: String,
    pub(crate) labels: Vec<Label>,
}

#[derive(Debug)]
pub(crate) struct Label {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) angle: f64,
    /// How far above its line it stands, in pixels; a thin line is broken by it instead.
    pub(crate) above: u8,
    pub(crate) text: String,
}

#[derive(Debug)]
pub(crate) struct RouteShape {
    pub(crate) d: String,
    /// The device that it leads to.
    pub(crate) to: String,
    pub(crate) class: String,
}

#[derive(Debug)]
pub(crate) struct Mark {
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

    /// Adds tints and lines of a quantity other than margin: three steps, the second the heaviest.
    pub(crate) fn cover_steps(&mut self, grid: &Grid, values: &[f64], steps: &[(f64, String); 3]) {
        self.paper(grid);
        let levels: Vec<f64> = steps.iter().map(|(level, _)| *level).collect();
        let classes = [
            ("ground-thin", "contour zero"),
            ("ground-sound", "contour target"),
            ("ground-solid", "contour"),
        ];
        let found = contours_of(grid, values, &levels);
        for ((contour, (tint, stroke)), (_, name)) in found.iter().zip(classes).zip(steps) {
            self.tints.push(Tint { class: tint, d: path(&contour.rings, true) });
            self.lines.push(line(&contour.lines, stroke, name));
        }
        self.clear_labels();
    }

    /// The ground of a surface, hatched where nothing covers it.
    fn paper(&mut self, grid: &Grid) {
        #[expect(clippy::cast_precision_loss, reason = "cell counts are small")]
        let (wide, high) = (grid.across as f64 * grid.cell, grid.down as f64 * grid.cell);
        let (l, t) = (grid.left, grid.top);
        let all = vec![[l, t], [l + wide, t], [l + wide, t + high], [l, t + high]];
        self.tints.push(Tint { class: "ground-out", d: path(&[all], true) });
    }

    /// Adds tints and contour lines of a margin.
    pub(crate) fn cover(&mut self, surface: &Arc<Coverage>, of: Quantity, target: Db) {
        self.paper(&surface.grid);
        let bands = [Db::ZERO, target, target + SOLID_ABOVE];
        let classes = ["ground-thin", "ground-sound", "ground-solid"];
        for (contour, class) in contours(surface, of, &bands).iter().zip(classes) {
            self.tints.push(Tint { class, d: path(&contour.rings, true) });
            if class == "ground-sound" {
                let name = format!("target {}", typographic(target.get(), 0));
                self.lines.push(line(&contour.lines, "contour target", &name));
            }
        }
        let levels: Vec<Db> = (0..=10).map(|k| Db::new(f64::from(k) * 5.0)).collect();
        for contour in contours(surface, of, &levels) {
            // Beside the target line, a second label would only crowd it.
            if (contour.level - target.get()).abs() < 2.5 {
                continue;
            }
            let class = if contour.level.abs() < 0.1 { "contour zero" } else { "contour" };
            self.lines.push(line(&contour.lines, class, &typographic(contour.level, 0)));
        }
        self.clear_labels();
    }

    /// Drops empty lines, and labels too near one of an earlier line to be read.
    fn clear_labels(&mut self) {
        self.lines.retain(|l| !l.d.is_empty());
        let apart = self.width * 0.06;
        let mut kept: Vec<(f64, f64)> = Vec::new();
        for line in &mut self.lines {
            line.labels.retain(|l| {
                let free = kept.iter().all(|(x, y)| (l.x - x).hypot(l.y - y) > apart);
                if free {
                    kept.push((l.x, l.y));
                }
                free
            });
        }
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
    }

    /// Adds numbered places, the first on top of the others.
    pub(crate) fn marks(&mut self, places: impl Iterator<Item = (Spot, String, String)>) {
        let mark = |([x, y], text, title): (Spot, String, String)| Mark {
            x: (x * CM).round(),
            y: (y * CM).round(),
            text,
            title,
        };
        self.marks = places.map(mark).collect();
        self.marks.reverse();
    }

    /// Dims every dot and way that does not lead to one of these devices.
    pub(crate) fn isolate(&mut self, kept: &std::collections::BTreeSet<String>) {
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
        self.thin_out();
        let rooms = site.rooms.iter().filter(|r| r.floor == *floor);
        self.rooms.extend(rooms.map(room_shape));
    }
}

impl Plan {
    /// Says from how near each label is drawn, so that none lies over another: the first as the sheet is
    /// seen whole, the others where it is seen twice, four or eight times as near.
    fn thin_out(&mut self) {
        /// How wide a sheet is on the screen, and how much a short label takes, in pixels.
        const WIDE: f64 = 900.0;
        const LABEL: (f64, f64) = (34.0, 15.0);
        let mut order: Vec<usize> = (0..self.dots.len()).collect();
        order.sort_by_key(|n| !self.dots[*n].show_name);
        let mut placed: Vec<(usize, u8)> = Vec::new();
        for n in order {
            let (x, y) = (self.dots[n].x, self.dots[n].y);
            let level = (0..3u8).find(|level| {
                let px = WIDE / self.width.max(1.0) * f64::from(1u32 << level);
                let meets = |(m, at): &(usize, u8)| {
                    let other = &self.dots[*m];
                    *at <= *level
                        && (other.x - x).abs() * px < LABEL.0
                        && (other.y - y).abs() * px < LABEL.1
                };
                !placed.iter().any(meets)
            });
            let level = level.unwrap_or(3);
            placed.push((n, level));
            self.dots[n].level = level;
        }
    }
}

/// A title with the tag in front.
fn named(tag: &str, title: &str) -> String {
    if tag.is_empty() { title.to_owned() } else { format!("{tag} {title}") }
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
        name: room.name.clone(),
    }
}

/// A name as it stands on a plan: cut where it is long; the whole of it is at hand as the title.
fn short(name: &str) -> String {
    const MOST: usize = 26;
    if name.chars().count() <= MOST {
        return name.to_owned();
    }
    let cut: String = name.chars().take(MOST - 1).collect();
    format!("{}…", cut.trim_end())
}

fn line(lines: &[Vec<Spot>], class: &'static str, text: &str) -> Line {
    // One label on each of the longest lines, never where a line bunches at a wall's shadow.
    let length = |l: &Vec<Spot>| -> f64 { l.windows(2).map(|w| apart(w[0], w[1])).sum() };
    let mut long: Vec<_> = lines.iter().filter(|l| length(l) > 3.0 && l.len() > 6).collect();
    long.sort_by(|a, b| length(b).total_cmp(&length(a)));
    let labels = long.into_iter().take(2).filter_map(|l| label(l, class, text)).collect();
    Line { class, d: path(lines, false), labels }
}

fn label(line: &[Spot], class: &str, text: &str) -> Option<Label> {
    // The straightest stretch carries the label best.
    let reach = 3;
    let straightness = |i: &usize| {
        let (from, to) = (line[i - reach], line[i + reach]);
        let chord = apart(from, to);
        let along: f64 = line[i - reach..=i + reach].windows(2).map(|w| apart(w[0], w[1])).sum();
        chord / along.max(1e-9) + chord.min(1.0)
    };
    let middle = (reach..line.len().checked_sub(reach)?)
        .max_by(|a, b| straightness(a).total_cmp(&straightness(b)))?;
    let ([x, y], [fx, fy], [tx, ty]) = (line[middle], line[middle - reach], line[middle + reach]);
    let mut angle = (ty - fy).atan2(tx - fx).to_degrees();
    if angle > 90.0 {
        angle -= 180.0;
    }
    if angle < -90.0 {
        angle += 180.0;
    }
    let (x, y) = ((x * CM).round(), (y * CM).round());
    let above = if class == "contour target" { 10 } else { 0 };
    Some(Label { x, y, angle: angle.round(), above, text: text.to_owned() })
}

/// How walls of each construction are drawn, each looked up once.
#[derive(Default)]
struct WallClasses<'a>(BTreeMap<&'a str, &'static str>);

impl<'a> WallClasses<'a> {
    fn of(&mut self, site: &'a Site, construction: &'a str) -> &'static str {
        let heft = || site.construction(construction).map_or(Heft::Light, Construction::heft);
        self.0.entry(construction).or_insert_with(|| match heft() {
            Heft::Light => "wall-light",
            Heft::Middling => "wall-middle",
            Heft::Heavy => "wall-heavy",
            Heft::Metal => "wall-metal",
        })
    }
}

fn wall_shape(site: &Site, wall: &Wall, class: &'static str) -> WallShape {
    let length = wall.length().get();
    let along = |s: f64| {
        let t = s / length;
        [wall.a[0] + (wall.b[0] - wall.a[0]) * t, wall.a[1] + (wall.b[1] - wall.a[1]) * t]
    };
    let gaps = wall
        .openings
        .iter()
        .map(|o| {
            let (from, to) = (o.start_m.get(), (o.start_m + o.width_m).get());
            let class = match o.kind {
                OpeningKind::Door if o.stands_open => "gap door-open",
                OpeningKind::Door => "gap door",
                OpeningKind::Window => "gap window",
                OpeningKind::Open => "gap open",
            };
            Gap { d: path(&[vec![along(from), along(to)]], false), class }
        })
        .collect();
    let name = site.construction(&wall.construction).map_or("", |c| c.name.as_str());
    WallShape {
        id: wall.id.to_string(),
        d: path(&[vec![wall.a, wall.b]], false),
        ends: format!("{} {} {} {}", wall.a[0], wall.a[1], wall.b[0], wall.b[1]),
        class,
        title: format!("{name}, {:.2}", wall.length()),
        gaps,
    }
}
