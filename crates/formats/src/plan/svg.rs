//! SVG floor plans: the lines of every shape, by the group that holds it. Nothing in the file is run, and
//! nothing that it names is fetched.

use std::collections::BTreeMap;
use std::fmt::Write;

use dot_reach_core::site::{FloorId, Site, Spot};
use usvg::roxmltree::{Document, ParsingOptions};
use usvg::tiny_skia_path::PathSegment;

use super::unfold::{MOST_UNFOLDED, unfolded};
use super::{Drawing, Lines, PlanError, Storey, layer_of, openings_of, ours_of};
use crate::Imported;

const FORMAT: &str = "SVG";
/// How many straight pieces stand for a bend.
const BEND: u8 = 8;

/// Reads an SVG plan.
///
/// # Errors
/// It is no SVG, or declares entities of its own.
pub fn read(bytes: &[u8]) -> Result<Imported<Drawing>, PlanError> {
    let broken = |why: String| PlanError::Broken { format: FORMAT, why };
    let text = std::str::from_utf8(bytes)
        .map_err(|e| broken(format!("it is not text in UTF-8 ({e}); save it so")))?;
    // A declaration of entities can make a small file a huge one: none is read.
    let options =
        ParsingOptions { allow_dtd: false, nodes_limit: 500_000, ..ParsingOptions::default() };
    let document = Document::parse_with_options(text, options).map_err(|e| {
        let why = e.to_string();
        let declares = "it declares a document type or entities; save it as plain SVG without them";
        broken(if why.contains("DTD") { declares.to_owned() } else { why })
    })?;
    let mut lines = Lines::default();
    let root = document.root_element();
    if root.tag_name().name() != "svg" {
        return Err(broken("its first element is not svg".to_owned()));
    }
    if unfolded(&document) > MOST_UNFOLDED {
        let why = "it repeats parts within parts until they are more than {most} elements";
        return Err(broken(why.replace("{most}", &MOST_UNFOLDED.to_string())));
    }
    warn_of_what_is_left_out(&document, &mut lines);
    let known: BTreeMap<&str, &str> = document
        .descendants()
        .filter_map(|n| Some((n.attribute("id")?, n.attribute("data-drawn")?)))
        .collect();
    for text in known.values() {
        lines.ours(text);
    }
    if let Some(unit) = root.attribute("data-metres-per-unit").and_then(|u| u.parse().ok()) {
        lines.unit(unit);
    }
    // What it would embed is not looked at, let alone what it would fetch.
    let options = usvg::Options {
        image_href_resolver: usvg::ImageHrefResolver {
            resolve_data: Box::new(|_, _, _| None),
            resolve_string: Box::new(|_, _| None),
        },
        ..usvg::Options::default()
    };
    let tree = usvg::Tree::from_xmltree(&document, &options).map_err(|e| broken(e.to_string()))?;
    walk(tree.root(), "", 0, &mut lines);
    Ok(lines.done())
}

fn warn_of_what_is_left_out(document: &Document<'_>, lines: &mut Lines) {
    let count = |name: &str| document.descendants().filter(|n| n.tag_name().name() == name).count();
    for (name, what) in [
        ("script", "scripts were left out: nothing in a plan is run"),
        ("image", "images were left out: bring them in as a plan image"),
        ("text", "texts were left out"),
        ("foreignObject", "foreign content was left out"),
    ] {
        let is = count(name);
        if is > 0 {
            lines.say("the file", format!("{is} {what}"));
        }
    }
}

fn walk(group: &usvg::Group, layer: &str, depth: usize, lines: &mut Lines) {
    if depth > 60 {
        return;
    }
    let own = group.id();
    // The outermost group that has a name is the layer.
    let layer = if layer.is_empty() && !own.is_empty() { own } else { layer };
    for node in group.children() {
        match node {
            usvg::Node::Group(inner) => walk(inner, layer, depth + 1, lines),
            usvg::Node::Path(path) => {
                let name = match (layer.is_empty(), path.id().is_empty()) {
                    (false, _) => layer,
                    (true, false) => path.id(),
                    (true, true) => "drawing",
                };
                trace(path, name, lines);
            }
            usvg::Node::Image(_) | usvg::Node::Text(_) => {}
        }
    }
}

fn trace(path: &usvg::Path, layer: &str, lines: &mut Lines) {
    let to = path.abs_transform();
    let spot = |p: usvg::tiny_skia_path::Point| -> Spot {
        let (x, y) = (f64::from(p.x), f64::from(p.y));
        [
            f64::from(to.sx) * x + f64::from(to.kx) * y + f64::from(to.tx),
            f64::from(to.ky) * x + f64::from(to.sy) * y + f64::from(to.ty),
        ]
    };
    let (mut start, mut at) = ([0.0; 2], [0.0; 2]);
    for segment in path.data().segments() {
        match segment {
            PathSegment::MoveTo(p) => (start, at) = (spot(p), spot(p)),
            PathSegment::LineTo(p) => {
                lines.add(layer, at, spot(p), None);
                at = spot(p);
            }
            PathSegment::QuadTo(c, p) => {
                at = bend(layer, &[at, spot(c), spot(p)], lines);
            }
            PathSegment::CubicTo(c, d, p) => {
                at = bend(layer, &[at, spot(c), spot(d), spot(p)], lines);
            }
            PathSegment::Close => {
                lines.add(layer, at, start, None);
                at = start;
            }
        }
    }
}

/// A curve by its control points, as straight pieces; where it ends.
fn bend(layer: &str, control: &[Spot], lines: &mut Lines) -> Spot {
    let place = |t: f64| {
        let mut points = control.to_vec();
        while points.len() > 1 {
            points = points
                .windows(2)
                .map(|p| [0, 1].map(|axis| p[0][axis] + (p[1][axis] - p[0][axis]) * t))
                .collect();
        }
        points[0]
    };
    let places: Vec<Spot> = (0..=BEND).map(|n| place(f64::from(n) / f64::from(BEND))).collect();
    lines.path(layer, &places, false, None);
    place(1.0)
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

/// A storey as SVG, in metres; groups are layers.
pub fn write(site: &Site, floor: &FloorId) -> String {
    let storey = Storey::of(site, floor);
    let ends = storey.walls.iter().flat_map(|w| [w.a, w.b]);
    let frame = dot_reach_core::geometry::Rect::around(ends)
        .unwrap_or(dot_reach_core::geometry::Rect { left: 0.0, top: 0.0, right: 1.0, bottom: 1.0 });
    let mut layers: BTreeMap<String, String> = BTreeMap::new();
    for wall in &storey.walls {
        let layer = layers.entry(layer_of(wall)).or_default();
        let ([ax, ay], [bx, by]) = (wall.a, wall.b);
        // Writing to a string cannot fail.
        let _infallible = writeln!(
            layer,
            r#"<line id="{}" x1="{ax}" y1="{ay}" x2="{bx}" y2="{by}" data-drawn="{}"/>"#,
            escaped(wall.id.as_str()),
            escaped(&ours_of(wall)),
        );
        for (name, [ax, ay], [bx, by]) in openings_of(wall) {
            let layer = layers.entry(name).or_default();
            let _infallible = writeln!(layer, r#"<line x1="{ax}" y1="{ay}" x2="{bx}" y2="{by}"/>"#);
        }
    }
    let mut text = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" data-metres-per-unit="1" viewBox="{} {} {} {}" width="{}" height="{}">"#,
        frame.left,
        frame.top,
        frame.width(),
        frame.height(),
        frame.width(),
        frame.height(),
    );
    text.push('\n');
    for (name, body) in layers {
        let _infallible = writeln!(
            text,
            "<g id=\"{}\" fill=\"none\" stroke=\"black\" stroke-width=\"0.05\">\n{body}</g>",
            escaped(&name)
        );
    }
    let _infallible = writeln!(text, "<g id=\"POINTS\" font-size=\"0.3\">");
    for ([x, y], label) in &storey.points {
        let _infallible = writeln!(
            text,
            r#"<circle cx="{x}" cy="{y}" r="0.08"/><text x="{}" y="{y}">{}</text>"#,
            x + 0.12,
            escaped(label)
        );
    }
    text.push_str("</g>\n</svg>\n");
    text
}
