//! Walls with their openings, drawn by how heavy they are.

use std::collections::BTreeMap;

use dot_reach_core::materials::construction::{Construction, Heft};
use dot_reach_core::site::{OpeningKind, Site, Wall};

use crate::drawing::path::path;

#[derive(Debug)]
pub(crate) struct DrawnWall {
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

/// How walls of each construction are drawn, each looked up once.
#[derive(Default)]
pub(super) struct WallClasses<'a>(BTreeMap<&'a str, &'static str>);

impl<'a> WallClasses<'a> {
    pub(super) fn of(&mut self, site: &'a Site, construction: &'a str) -> &'static str {
        let heft = || site.construction(construction).map_or(Heft::Light, Construction::heft);
        self.0.entry(construction).or_insert_with(|| match heft() {
            Heft::Light => "wall-light",
            Heft::Middling => "wall-middle",
            Heft::Heavy => "wall-heavy",
            Heft::Metal => "wall-metal",
        })
    }
}

pub(super) fn wall_shape(site: &Site, wall: &Wall, class: &'static str) -> DrawnWall {
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
    DrawnWall {
        id: wall.id.to_string(),
        d: path(&[vec![wall.a, wall.b]], false),
        ends: format!("{} {} {} {}", wall.a[0], wall.a[1], wall.b[0], wall.b[1]),
        class,
        title: format!("{name}, {:.2}", wall.length()),
        gaps,
    }
}
