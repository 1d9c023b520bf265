//! A load that is to go with another place: what that costs by command and by wire.

use crate::catalogue::{DeviceKind, PointKind};
use crate::fit::{self, Fits};
use crate::site::{Load, Point, Regroup, Site};
use crate::units::{Metres, typographic};

/// What one way of regrouping a load takes.
#[derive(Clone, Debug, PartialEq)]
pub struct RegroupCost {
    /// What is bought and done, and what that costs; nothing where a price is not known.
    pub parts: Vec<(String, Option<f64>)>,
    /// What all of it costs; nothing where a price is not known, or nothing does it.
    pub cost: Option<f64>,
    /// Whether it costs that at the least: something of it nobody has said.
    pub is_least: bool,
    /// What has to be known, or goes with it.
    pub open: Vec<String>,
    /// What is left of it in an outage.
    pub outage: &'static str,
}

/// A load that is to go with another place, with both ways.
#[derive(Clone, Debug, PartialEq)]
pub struct RegroupCosts {
    /// The load keeps its line, gets a radio of its own, and is told.
    pub by_command: RegroupCost,
    /// A new switched line is laid to it.
    pub by_wire: RegroupCost,
}

/// Height of a fitting above the floor where nobody said, in metres; *planning value*.
const FITTING_M: f64 = 2.4;

/// What it costs to let a load go with another place; nothing where load or place are gone.
pub fn regroup(site: &Site, of: &Regroup) -> Option<RegroupCosts> {
    let load = site.loads.get(&of.load)?;
    let from = site.points.get(&load.switched_at)?;
    site.points.get(&of.with)?;
    Some(RegroupCosts { by_command: by_command(site, load, from), by_wire: by_wire(site, of) })
}

/// What gives a load a radio of its own.
struct OwnRadio<'a> {
    kind: &'a DeviceKind,
    /// How many of it.
    count: f64,
    /// The rates of its minutes, and of an hour of whoever puts it in.
    minutes: &'static str,
    hour: &'static str,
}

impl OwnRadio<'_> {
    fn putting_in(&self, site: &Site) -> f64 {
        hours(site, self.minutes, self.count) * site.rate(self.hour)
    }

    /// What it costs put in; without end where its price is not known, so that one with a price goes before.
    fn cost(&self, site: &Site) -> f64 {
        self.count * self.kind.fit.price.unwrap_or(f64::INFINITY) + self.putting_in(site)
    }
}

/// The cheapest that gives a load a radio of its own: lamps in place of its own, or a module at its fitting; nothing where
/// the library has neither.
fn own_radio<'a>(site: &'a Site, load: &Load, at: &Point) -> Option<OwnRadio<'a>> {
    let height = Metres::new(FITTING_M);
    let ceiling = PointKind::Ceiling;
    let fitting = Point::bare(at.id.clone(), at.floor.clone(), at.at, height, ceiling);
    let speaks = |k: &&DeviceKind| site.networks.iter().any(|n| k.systems.contains(&n.system));
    let fits = |k: &&DeviceKind| fit::verdict(&fit::findings(site, k, &fitting, None)) != Fits::No;
    let as_lamp = |k: &DeviceKind| k.fit.gives_light && load.kind.is_lamp();
    let as_module = |k: &DeviceKind| {
        let switches_it = k.fit.limits.contains_key(&load.kind);
        switches_it && k.is_wired_in() && k.button.is_none() && !k.fit.in_lamp
    };
    let lamps = f64::from(load.count.unwrap_or(1));
    let way = |kind: &'a DeviceKind| {
        let (count, minutes, hour) = match kind {
            k if as_lamp(k) => (lamps, "minutes-plug", "labour-hour"),
            k if as_module(k) => (1.0, "minutes-fitting", "electrician-hour"),
            _ => return None,
        };
        Some(OwnRadio { kind, count, minutes, hour })
    };
    let ways = site.all_kinds().filter(speaks).filter(fits).filter_map(way);
    ways.min_by(|a, b| {
        a.cost(site).total_cmp(&b.cost(site)).then_with(|| a.kind.id.cmp(&b.kind.id))
    })
}

fn hours(site: &Site, rate: &str, times: f64) -> f64 {
    site.rate(rate) * times / 60.0
}

fn by_command(site: &Site, load: &Load, from: &Point) -> RegroupCost {
    let outage = "without its mesh or its hub it answers to nobody, while its old switch stays on";
    let Some(radio) = own_radio(site, load, from) else {
        let none = "nothing in the library gives it a radio in a system of this job".to_owned();
        return RegroupCost {
            parts: Vec::new(),
            cost: None,
            is_least: true,
            open: vec![none],
            outage,
        };
    };
    let mut open = vec![format!(
        "{} has to feed it for good: its relay is given up, or it is joined through",
        from.title()
    )];
    if load.count.is_none() {
        open.push("nobody has counted the lamps: this is for one".to_owned());
    }
    let price = radio.kind.fit.price.map(|each| each * radio.count);
    let joining = hours(site, "minutes-join", radio.count) * site.rate("labour-hour");
    let each = radio.kind.bought_as();
    let what = if radio.count > 1.0 {
        format!("{} × {each}", typographic(radio.count, 0))
    } else {
        each.to_owned()
    };
    let parts = vec![
        (what, price),
        ("put in".to_owned(), Some(radio.putting_in(site))),
        ("joined, named and tested".to_owned(), Some(joining)),
    ];
    summed(parts, load.count.is_none(), open, outage)
}

fn by_wire(site: &Site, of: &Regroup) -> RegroupCost {
    let rate = site.rate("electrician-hour");
    // The box that it leaves and the one it comes to are each opened, proved dead, and closed.
    let a_box: f64 = ["minutes-open", "minutes-dead", "minutes-close"]
        .into_iter()
        .map(|r| hours(site, r, 2.0))
        .sum();
    let mut parts =
        vec![("two boxes opened, proved dead and closed".to_owned(), Some(a_box * rate))];
    let mut open = Vec::new();
    match of.cable_m {
        Some(metres) => {
            let laid = hours(site, "minutes-cable-metre", metres) * rate;
            let cable = site.rate("mains-cable-metre") * metres;
            parts.push((format!("{} m of mains cable", typographic(metres, 1)), Some(cable)));
            parts.push(("laid".to_owned(), Some(laid)));
        }
        None => open.push("nobody has measured its cable".to_owned()),
    }
    let opening = of.opening.trim();
    if !opening.is_empty() {
        let opened = hours(site, "minutes-opening", 1.0) * rate;
        parts.push((format!("{opening} opened, and closed"), Some(opened)));
        parts.push(("made good".to_owned(), Some(site.rate("making-good"))));
    }
    summed(parts, of.cable_m.is_none(), open, "works as long as there is mains, by its switch")
}

fn summed(
    parts: Vec<(String, Option<f64>)>,
    is_least: bool,
    open: Vec<String>,
    outage: &'static str,
) -> RegroupCost {
    let cost = parts.iter().map(|(_, cost)| *cost).sum();
    RegroupCost { parts, cost, is_least, open, outage }
}
