//! The house in section: storeys as seen from the front, heights stretched.

use dot_reach_core::analysis::Analysis;
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::site::{DeviceId, FloorId, Site};

use super::{band_class, glyph};

/// The section, in its own pixels.
#[derive(Debug, Default)]
pub(crate) struct Section {
    pub(crate) width: f64,
    pub(crate) height: f64,
    pub(crate) storeys: Vec<SectionStorey>,
    pub(crate) dots: Vec<SectionDot>,
    pub(crate) ways: Vec<Way>,
}

#[derive(Debug)]
pub(crate) struct SectionStorey {
    pub(crate) id: String,
    pub(crate) name: String,
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) width: f64,
    pub(crate) height: f64,
    pub(crate) chosen: bool,
}

#[derive(Debug)]
pub(crate) struct SectionDot {
    pub(crate) x: f64,
    pub(crate) y: f64,
    pub(crate) glyph: &'static str,
    pub(crate) class: String,
}

#[derive(Debug)]
pub(crate) struct Way {
    pub(crate) x1: f64,
    pub(crate) y1: f64,
    pub(crate) x2: f64,
    pub(crate) y2: f64,
    pub(crate) class: &'static str,
}

const WIDTH: f64 = 148.0;
const HEIGHT: f64 = 300.0;
const EDGE: f64 = 8.0;

struct Scale {
    left: f64,
    bottom: f64,
    x: f64,
    z: f64,
}

impl Scale {
    fn of(site: &Site) -> Self {
        let spots = site
            .walls
            .iter()
            .flat_map(|w| [w.a[0], w.b[0]])
            .chain(site.points.iter().map(|p| p.at[0]));
        let (left, right) =
            spots.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, r), x| (l.min(x), r.max(x)));
        let (left, right) = if left < right { (left, right) } else { (0.0, 10.0) };
        let floors = site.floors_upward();
        // A sensor in a pit or a lamp on a mast lies outside every storey.
        let heights =
            || site.points.iter().filter_map(|p| Some(site.place(&p.floor, p.at, p.height_m)?.z));
        let lowest = floors.first().map_or(0.0, |f| f.elevation_m.get().min(0.0));
        let bottom = heights().fold(lowest, f64::min) - 0.3;
        let tops = floors.iter().map(|f| (f.elevation_m + f.height_m).get());
        let top = tops.chain(heights()).fold(bottom + 3.0, f64::max);
        let z = ((HEIGHT - 2.0 * EDGE) / (top - bottom)).min(60.0);
        Self { left, bottom, x: (WIDTH - 2.0 * EDGE) / (right - left), z }
    }
    fn x(&self, metres: f64) -> f64 {
        round(EDGE + (metres - self.left) * self.x)
    }
    fn y(&self, metres: f64) -> f64 {
        round(HEIGHT - EDGE - (metres - self.bottom) * self.z)
    }
}

fn round(v: f64) -> f64 {
    (v * 10.0).round() / 10.0
}

/// The section with the radios of a network, the way of the selected one thick.
pub(crate) fn section(
    analysis: &Analysis,
    network: Option<&NetworkAnalysis>,
    floor: &FloorId,
    selected: Option<&DeviceId>,
) -> Section {
    let site = &analysis.site;
    let scale = Scale::of(site);
    let mut section = Section { width: WIDTH, height: HEIGHT, ..Section::default() };
    for storey in site.floors_upward() {
        let xs = site.walls.iter().filter(|w| w.floor == storey.id).flat_map(|w| [w.a[0], w.b[0]]);
        let (l, r) = xs.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, r), x| (l.min(x), r.max(x)));
        let (x, right) = if l < r { (scale.x(l), scale.x(r)) } else { (EDGE, WIDTH - EDGE) };
        let y = scale.y((storey.elevation_m + storey.height_m).get());
        section.storeys.push(SectionStorey {
            id: storey.id.to_string(),
            name: storey.name.clone(),
            x,
            y,
            width: round(right - x),
            height: round(scale.y(storey.elevation_m.get()) - y),
            chosen: storey.id == *floor,
        });
    }
    let Some(network) = network else { return section };
    let place = |id: &DeviceId| {
        let node = &network.nodes[network.place_of(id)?];
        Some((scale.x(node.place.x), scale.y(node.place.z)))
    };
    let chosen: Vec<_> = selected
        .and_then(|s| network.place_of(s))
        .map(|p| network.outcomes[p].hops.clone())
        .unwrap_or_default();
    for (node, outcome) in network.nodes.iter().zip(&network.outcomes) {
        if let Some(hop) = outcome.hops.last()
            && let (Some((x1, y1)), Some((x2, y2))) = (place(&hop.from), place(&hop.to))
        {
            let is_chosen = chosen.iter().any(|h| h.from == hop.from && h.to == hop.to);
            let class = if is_chosen { "way chosen" } else { "way" };
            section.ways.push(Way { x1, y1, x2, y2, class });
        }
        let Some((x, y)) = place(&node.device) else { continue };
        let is_selected = selected == Some(&node.device);
        let class =
            format!("{}{}", band_class(outcome.band), if is_selected { " selected" } else { "" });
        section.dots.push(SectionDot { x, y, glyph: glyph(node), class });
    }
    section.ways.sort_by_key(|w| w.class.contains("chosen"));
    section
}
