//! The forms of what is in and behind a box: the box itself, what it switches, its breaker, the other
//! places that work the same.

use dot_reach_core::catalogue::DeviceKind;
use dot_reach_core::catalogue::countries::WiringCountry;
use dot_reach_core::fit::FitPlace;
use dot_reach_core::fit::Fits;
use dot_reach_core::fit::candidates::{Candidate, candidates};
use dot_reach_core::fit::space::goes_by_volume;
use dot_reach_core::site::neutrals::with_partners;
use dot_reach_core::site::{
    Device, Earth, Edit, Function, Gauge, KeptAs, Kind, Layout, Load, LoadKind, MadeInto, Point,
    PointId, PointKind, Residual, Site, Stays, StaysKind, ToMake, Tried,
};
use dot_reach_core::units::typographic;
use serde_json::{Value, json};

use super::choices::{Choice, choices, yes_no};
use super::found::{FactRow, fact_rows};
use crate::pages::money;

pub(super) struct BoxForm {
    pub(super) gangs: String,
    pub(super) gang: String,
    pub(super) tabs: &'static str,
    pub(super) surround: String,
    pub(super) volume: String,
    pub(super) clamps: Vec<Choice>,
    pub(super) cover: bool,
    pub(super) earths: Vec<Choice>,
    /// Whose box it is: its own, or that of another point nearby.
    pub(super) boxes_of: Vec<Choice>,
    /// On whose joints it hangs.
    pub(super) fed_through: Vec<Choice>,
    /// What has to be made before there is a box, or the edit that says so.
    pub(super) to_make: Result<NewBoxForm, String>,
    /// The point whose box it shares, and its name; empty for a box of its own.
    pub(super) shared: Option<(String, String)>,
    pub(super) conductors: Vec<ConductorRow>,
    /// What stays in it.
    pub(super) stays: Vec<StaysRow>,
    /// What colours usually say in the wiring country; empty where that is not said.
    pub(super) colours: String,
    /// Whether the volume decides here.
    pub(super) by_volume: bool,
}

/// A box that is not there yet.
pub(super) struct NewBoxForm {
    pub(super) into: Vec<Choice>,
    pub(super) cable_from: Vec<Choice>,
    pub(super) cable_m: String,
    pub(super) opening: String,
    pub(super) who: String,
    /// The edit that says it is there.
    pub(super) made: String,
}

pub(super) struct ConductorRow {
    pub(super) number: usize,
    pub(super) count: u8,
    pub(super) sizes: Vec<Choice>,
    pub(super) colour: String,
    pub(super) from: String,
    pub(super) circuit: String,
    pub(super) gang: u8,
    pub(super) marking: String,
    pub(super) old_terminal: String,
    pub(super) new_terminal: String,
    pub(super) found: Vec<Choice>,
    pub(super) capped: bool,
    pub(super) enters: bool,
}

pub(super) struct StaysRow {
    pub(super) number: usize,
    pub(super) what: Vec<Choice>,
    pub(super) gang: String,
    pub(super) depth: String,
    pub(super) note: String,
    pub(super) kept_as: Vec<Choice>,
    pub(super) rated: String,
    pub(super) is_added: bool,
    pub(super) is_switch: bool,
    /// The edit that says it is gone.
    pub(super) gone: String,
}

pub(super) struct LoadForm {
    pub(super) id: String,
    pub(super) name: String,
    pub(super) kinds: Vec<Choice>,
    pub(super) count: String,
    pub(super) watts: String,
    pub(super) dimmable: Vec<Choice>,
    pub(super) tried: Vec<Choice>,
    pub(super) inrush: String,
    /// On which channel, where its unit has several.
    pub(super) channel: Option<String>,
    pub(super) hours: String,
    pub(super) facts: Vec<FactRow>,
    pub(super) bypass: String,
    pub(super) is_lamp: bool,
}

pub(super) struct CircuitForm {
    pub(super) id: String,
    pub(super) label: String,
    pub(super) residual: Vec<Choice>,
    pub(super) rated: String,
    pub(super) panel: String,
    pub(super) poles: String,
    pub(super) volts: String,
    pub(super) sizes: Vec<Choice>,
    pub(super) must_stay: String,
    pub(super) shared_neutral: Vec<Choice>,
    pub(super) is_open: bool,
    pub(super) neutral_with: String,
    /// The circuits that go off with it, from whichever side that was said.
    pub(super) together: String,
    pub(super) proven: Option<ProvenForm>,
    /// The gesture that says it was proven, but for the time.
    pub(super) prove: String,
    pub(super) mislabelled: String,
    pub(super) facts: Vec<FactRow>,
}

pub(super) struct ProvenForm {
    pub(super) label: String,
    pub(super) by: String,
    pub(super) with: String,
    pub(super) at: String,
}

pub(super) struct GroupForm {
    pub(super) id: String,
    pub(super) name: String,
    /// Its places: id, name, and the gesture that takes it out.
    pub(super) places: Vec<(String, String, String)>,
    /// Points that could join it, each with its gesture.
    pub(super) others: Vec<Choice>,
    pub(super) layouts: Vec<Choice>,
    pub(super) ends: Option<[Vec<Choice>; 2]>,
    pub(super) facts: Vec<FactRow>,
}

pub(super) struct CandidateRow {
    pub(super) name: String,
    pub(super) verdict: &'static str,
    pub(super) class: &'static str,
    pub(super) forwards: bool,
    /// Whether it tells another device, rather than working the load itself.
    pub(super) is_beside: bool,
    pub(super) price: String,
    pub(super) reason: String,
    /// The edit that chooses it; empty for what is there.
    pub(super) edit: String,
}

fn choice(value: impl Into<String>, text: impl Into<String>, chosen: bool) -> Choice {
    Choice { value: value.into(), text: text.into(), chosen, system: String::new() }
}

fn number(value: Option<f64>) -> String {
    value.map(|v| typographic(v, usize::from(v.fract().abs() >= 1e-9))).unwrap_or_default()
}

pub(super) fn box_form(site: &Site, point: &Point) -> BoxForm {
    let lead = point.in_box_of.as_ref().and_then(|id| site.points.get(id));
    let near = |p: &&Point| {
        p.id != point.id && p.floor == point.floor && p.in_box_of.is_none() && p.back_box.is_there()
    };
    let mut boxes_of = vec![choice("", "its own", lead.is_none())];
    boxes_of.extend(
        site.points.iter().filter(near).map(|p| {
            choice(p.id.as_str(), p.name.clone(), point.in_box_of.as_ref() == Some(&p.id))
        }),
    );
    let mut fed_through = vec![choice("", "nobody said", point.fed_through.is_none())];
    let others = site.points.iter().filter(|p| p.id != point.id && p.in_box_of.is_none());
    fed_through.extend(
        others
            .filter(|p| p.floor == point.floor || point.fed_through.as_ref() == Some(&p.id))
            .map(|p| choice(p.id.as_str(), p.title(), point.fed_through.as_ref() == Some(&p.id))),
    );
    let say = |value: Value| json!(Edit::set(Kind::Point, &point.id, "to_make", value)).to_string();
    let to_make = point.to_make.as_ref().map_or_else(
        || Err(say(json!(ToMake::default()))),
        |new| {
            let from = |p: &Point| new.cable_from.as_ref() == Some(&p.id);
            let mut cable_from = vec![choice("", "nobody said", new.cable_from.is_none())];
            let others = site.points.iter().filter(|p| p.id != point.id);
            cable_from.extend(others.map(|p| choice(p.id.as_str(), p.title(), from(p))));
            Ok(NewBoxForm {
                into: choices(&MadeInto::ALL, new.into),
                cable_from,
                cable_m: new.cable_m.map(|m| typographic(m, 1)).unwrap_or_default(),
                opening: new.opening.clone(),
                who: new.who.clone(),
                made: say(json!(null)),
            })
        },
    );
    let rows = point.conductors.iter().enumerate().map(|(n, c)| ConductorRow {
        number: n,
        count: c.count,
        sizes: choices(&Gauge::as_bought(), c.size),
        colour: c.colour.clone(),
        from: c.from.clone(),
        circuit: c.circuit.clone(),
        gang: c.gang,
        marking: c.marking.clone(),
        old_terminal: c.old_terminal.clone(),
        new_terminal: c.new_terminal.clone(),
        found: choices(&Function::ALL, c.found),
        capped: c.capped,
        enters: c.enters,
    });
    // What is planned here is not beside itself.
    let devices = site.devices_at(&point.id);
    let is_wired = |d: &&&Device| site.kind(&d.kind).is_some_and(DeviceKind::is_wired_in);
    let own = devices.iter().find(is_wired).copied();
    BoxForm {
        gangs: unless_nought(point.gangs),
        gang: unless_nought(point.gang),
        tabs: match FitPlace::of(site, point, own).tabs_off() {
            None if point.gangs == 0 => {
                "Say how many gangs the box has: they decide which side tabs come off, before anything is mounted."
            }
            None => {
                "Say its gang: it decides which side tabs come off, before anything is mounted."
            }
            Some(0) => "",
            Some(1) if point.gang == 1 => {
                "The right side tab comes off what goes here, before it is mounted."
            }
            Some(1) => "The left side tab comes off what goes here, before it is mounted.",
            Some(_) => "Both side tabs come off what goes here, before it is mounted.",
        },
        surround: number(Some(point.surround_mm).filter(|mm| *mm > 0.0)),
        volume: number(point.volume_cm3),
        clamps: yes_no(point.clamps, "not looked"),
        cover: point.weather_cover,
        earths: choices(&Earth::ALL, point.earth),
        boxes_of,
        fed_through,
        to_make,
        shared: lead.map(|p| (p.id.to_string(), p.name.clone())),
        conductors: rows.collect(),
        stays: stays_rows(point),
        colours: site.job.country().map(WiringCountry::colours).unwrap_or_default(),
        by_volume: goes_by_volume(&site.job),
    }
}

fn unless_nought(value: u8) -> String {
    if value == 0 { String::new() } else { value.to_string() }
}

fn stays_rows(point: &Point) -> Vec<StaysRow> {
    let row = |(number, one): (usize, &Stays)| {
        let left: Vec<&Stays> = point.stays.iter().filter(|s| s.id != one.id).collect();
        StaysRow {
            number,
            what: choices(&StaysKind::ALL, one.what),
            gang: unless_nought(one.gang),
            depth: one.depth_mm.map(|mm| typographic(mm, 0)).unwrap_or_default(),
            note: one.note.clone(),
            kept_as: choices(&KeptAs::ALL, one.kept_as),
            rated: one.rated_a.map(|a| typographic(a, 1)).unwrap_or_default(),
            is_added: one.is_added,
            is_switch: one.what == StaysKind::Switch,
            gone: json!(Edit::set(Kind::Point, &point.id, "stays", json!(left))).to_string(),
        }
    };
    point.stays.iter().enumerate().map(row).collect()
}

pub(super) fn load_forms(site: &Site, point: &Point) -> Vec<LoadForm> {
    let has_channels = site
        .devices_at(&point.id)
        .iter()
        .any(|d| site.kind(&d.kind).is_some_and(|k| k.fit.channels > 1));
    let form = |l: &Load| LoadForm {
        id: l.id.to_string(),
        name: l.name.clone(),
        kinds: choices(&LoadKind::ALL, l.kind),
        count: l.count.map(|n| n.to_string()).unwrap_or_default(),
        watts: number(l.watts),
        dimmable: yes_no(l.dimmable, "not known"),
        tried: choices(&Tried::ALL, l.tried),
        inrush: number(l.inrush_a),
        channel: has_channels.then(|| unless_nought(l.channel)),
        hours: number(l.hours_a_day),
        facts: fact_rows(&l.facts),
        bypass: l.bypass.clone(),
        is_lamp: l.kind.is_lamp(),
    };
    site.loads_of(&point.id).map(form).collect()
}

pub(super) fn circuit_form(site: &Site, point: &Point, who: &str) -> Option<CircuitForm> {
    let circuit = site.circuit_of(point)?;
    Some(CircuitForm {
        id: circuit.id.to_string(),
        label: circuit.label.clone(),
        residual: choices(&Residual::ALL, circuit.residual),
        rated: number(circuit.rated_a),
        panel: circuit.panel.clone(),
        poles: circuit.poles.map(unless_nought).unwrap_or_default(),
        volts: number(circuit.volts),
        sizes: std::iter::once(choice("", "not known", circuit.size.is_none()))
            .chain(Gauge::as_bought().map(|(size, words)| {
                choice(json!(size).as_str().unwrap_or_default(), words, circuit.size == Some(size))
            }))
            .collect(),
        must_stay: circuit.must_stay.clone(),
        shared_neutral: yes_no(circuit.shared_neutral, "not looked"),
        is_open: circuit.shared_neutral != Some(false),
        neutral_with: circuit.neutral_with.join(", "),
        together: with_partners(site, std::slice::from_ref(&circuit.label))[1..].join(", "),
        proven: circuit.proven.as_ref().map(|p| ProvenForm {
            label: p.label.clone(),
            by: p.by.clone(),
            with: p.with.clone(),
            at: crate::pages::house_time::day(&p.at),
        }),
        prove: json!({"do": "prove-circuit", "circuit": circuit.id, "by": who}).to_string(),
        mislabelled: circuit.mislabelled().unwrap_or_default().to_owned(),
        facts: fact_rows(&circuit.facts),
    })
}

pub(super) fn group_form(site: &Site, point: &Point) -> Option<GroupForm> {
    let group = site.group_of(&point.id)?;
    let name =
        |id: &PointId| site.points.get(id).map_or_else(|| id.to_string(), |p| p.name.clone());
    let place = |word: &str, point: &PointId| {
        json!({"do": word, "group": group.id, "point": point}).to_string()
    };
    let joins = |p: &&Point| p.kind == PointKind::Switch && site.group_of(&p.id).is_none();
    let mut others = vec![choice("", "add a place…", true)];
    let joining = site.points.iter().filter(joins);
    others.extend(joining.map(|p| choice(place("join-group", &p.id), p.name.clone(), false)));
    let first = &group.places[0];
    let boxes =
        |line: &PointId, load: &PointId| json!({"layout": "boxes", "line": line, "load": load});
    let (line, load) = match &group.wiring {
        Layout::Boxes { line, load } => (line, load),
        Layout::Unknown | Layout::AtFitting => (first, first),
    };
    let layouts = vec![
        choice(
            json!({"layout": "unknown"}).to_string(),
            "not found out yet",
            group.wiring == Layout::Unknown,
        ),
        choice(
            boxes(line, load).to_string(),
            "line and load in its boxes",
            matches!(group.wiring, Layout::Boxes { .. }),
        ),
        choice(
            json!({"layout": "at-fitting"}).to_string(),
            "line comes in at the fitting",
            group.wiring == Layout::AtFitting,
        ),
    ];
    let of = |make: &dyn Fn(&PointId) -> Value, now: &PointId| -> Vec<Choice> {
        group.places.iter().map(|p| choice(make(p).to_string(), name(p), p == now)).collect()
    };
    let ends = matches!(group.wiring, Layout::Boxes { .. })
        .then(|| [of(&|p| boxes(p, load), line), of(&|p| boxes(line, p), load)]);
    Some(GroupForm {
        id: group.id.to_string(),
        name: group.name.clone(),
        places: group
            .places
            .iter()
            .map(|p| (p.to_string(), name(p), place("leave-group", p)))
            .collect(),
        others,
        layouts,
        ends,
        facts: fact_rows(&group.facts),
    })
}

pub(super) fn candidate_rows(site: &Site, device: &Device, point: &Point) -> Vec<CandidateRow> {
    let system = site.networks.get(&device.network).map(|n| n.system);
    let works = site.loads_of(&point.id).next().is_some();
    let row = |c: Candidate| {
        let (verdict, class) = super::points::verdict(c.fits);
        let choose = json!({"do": "set", "kind": "device", "id": device.id, "field": "kind",
            "value": c.kind.id});
        let is_there = c.kind.id == device.kind;
        CandidateRow {
            name: c.kind.name.clone(),
            verdict,
            class,
            forwards: c.forwards,
            is_beside: works && !c.kind.works_a_load(),
            price: c.kind.fit.price.map(|p| money(p, 0, &site.job.currency)).unwrap_or_default(),
            reason: c
                .reasons
                .iter()
                .max_by_key(|r| r.fits())
                .map(ToString::to_string)
                .unwrap_or_default(),
            edit: if is_there { String::new() } else { choose.to_string() },
        }
    };
    let speaks = |c: &Candidate| system.is_some_and(|s| c.kind.systems.contains(&s));
    let can = |c: &Candidate| c.fits < Fits::No || c.kind.id == device.kind;
    let all = candidates(site, point, Some(device)).into_iter().filter(speaks).filter(can);
    let mut rows: Vec<CandidateRow> = all.map(row).collect();
    rows.sort_by_key(|row| row.is_beside);
    rows
}
