//! The form of a surveyed place with its devices, and the table of all of them.

use dot_reach_core::catalogue::{Duty, LoadKind};
use dot_reach_core::draw::choose::{advised, planned};
use dot_reach_core::findings::{Found, mismatches};
use dot_reach_core::fit::{self, Fits};
use dot_reach_core::network::role::role;
use dot_reach_core::radio::mounting::MOUNTINGS;
use dot_reach_core::radio::profile::planning_profile;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::Record;
use dot_reach_core::site::{
    AlreadyThere, Becomes, ComesIn, Device, DeviceShare, Edit, Feed, FloorId, Kind, Neutral,
    OldUse, PlateWish, Platform, Point, Provenance, Security, Site, ThingClass, TrialVerdict,
    UseKind,
};
use dot_reach_core::speech::small_in_field;
use dot_reach_core::survey::classes::class;
use dot_reach_core::units::{Db, Dbm, typographic};
use serde_json::json;

use super::choices::{Choice, choices, metres, networks, yes_no};
use super::found::{
    FactRow, LinesForm, PhotoRow, SignsForm, fact_rows, lines_form, photo_kinds, photo_rows,
    signs_form,
};
use super::wiring::{
    BoxForm, CandidateRow, CircuitForm, GroupForm, LoadForm, box_form, candidate_rows,
    circuit_form, group_form, load_forms,
};
use crate::pages::ways::{WayRow, WaysAt};

pub(super) struct PointForm {
    pub(super) id: String,
    pub(super) name: String,
    pub(super) room: String,
    pub(super) height: String,
    pub(super) x: String,
    pub(super) y: String,
    pub(super) depth: String,
    pub(super) circuit: String,
    pub(super) note: String,
    pub(super) kinds: Vec<Choice>,
    pub(super) boxes: Vec<Choice>,
    pub(super) neutrals: Vec<Choice>,
    pub(super) mountings: Vec<Choice>,
    pub(super) known: Vec<Choice>,
    pub(super) floors: Vec<Choice>,
    /// The drawn room that it stands in; empty where none is.
    pub(super) in_room: String,
    pub(super) feeds: Vec<Choice>,
    pub(super) finish: String,
    pub(super) plate_style: String,
    pub(super) screwless: Vec<Choice>,
    pub(super) clearance: String,
    pub(super) facts: Vec<FactRow>,
    pub(super) is_switch: bool,
    pub(super) signs: SignsForm,
    pub(super) photos: Vec<PhotoRow>,
    pub(super) photo_kinds: Vec<Choice>,
    pub(super) lines: LinesForm,
    pub(super) tag: String,
    pub(super) has_box: bool,
    pub(super) back: BoxForm,
    pub(super) loads: Vec<LoadForm>,
    /// What a new load can be.
    pub(super) load_kinds: Vec<(String, &'static str)>,
    pub(super) breaker: Option<CircuitForm>,
    pub(super) group: Option<GroupForm>,
    pub(super) devices: Vec<DeviceForm>,
    /// What does not fit with something else, each with its cure, and the edit that is the cure where there is one.
    pub(super) mismatches: Vec<(String, String, Option<String>)>,
    /// Whether something is said of the place that mostly is not: its storey and coordinates, how it is fed, its plate.
    pub(super) has_more: bool,
    /// What is advised where nothing is planned: its name, and the edit that plans it.
    pub(super) advised: Option<(String, String)>,
}

#[expect(clippy::struct_excessive_bools, reason = "each is a box to tick")]
pub(super) struct DeviceForm {
    pub(super) id: String,
    pub(super) name: String,
    pub(super) kinds: Vec<Choice>,
    pub(super) networks: Vec<Choice>,
    /// Whether someone can cut its supply, by its make or as surveyed; and whether it is agreed that
    /// nobody does.
    pub(super) already: Vec<Choice>,
    pub(super) is_guessed: bool,
    pub(super) can_be_cut: bool,
    pub(super) stays_on: bool,
    /// How often a day it is used, and how often its row says; nothing on the mains.
    pub(super) events: Option<(String, String)>,
    pub(super) role: String,
    pub(super) verdict: &'static str,
    pub(super) class: &'static str,
    pub(super) findings: Vec<FitRow>,
    pub(super) candidates: Vec<CandidateRow>,
    pub(super) sheet: [String; 5],
    /// Whether its region's limit is an average.
    pub(super) has_duty: bool,
    pub(super) replaces: String,
    pub(super) replaces_dead: bool,
    /// The day, or nothing.
    pub(super) since: String,
    pub(super) security: Vec<Choice>,
    pub(super) planned: String,
    /// What it is to the platforms: as worked out, and as said.
    pub(super) classes: Vec<(String, String, bool)>,
    /// Further places: name, and the edit that takes it off; and places that could be added.
    pub(super) also_at: Vec<(String, String)>,
    pub(super) could_also: Vec<(String, String)>,
    /// Whether something is said of it that mostly is not.
    pub(super) has_more: bool,
    /// Whether it is put in: one that is there already takes nothing's place.
    pub(super) is_new: bool,
    pub(super) trial: Option<TrialForm>,
    /// The edit that puts it on trial, or ends that.
    pub(super) trial_edit: String,
    pub(super) uses: Vec<UseForm>,
    pub(super) shares: Vec<ShareForm>,
    /// Platforms of which nothing is said yet: name, and the value that says it.
    pub(super) could_share: Vec<(String, String)>,
}

pub(super) struct TrialForm {
    pub(super) until: String,
    pub(super) judged: Vec<Choice>,
    pub(super) why: String,
}

/// A device in a further platform.
pub(super) struct ShareForm {
    pub(super) id: String,
    pub(super) platform: String,
    pub(super) comes: Vec<Choice>,
    pub(super) is_let_in: bool,
    pub(super) window: String,
    pub(super) code: String,
    pub(super) since: String,
}

/// Something that the old device did.
pub(super) struct UseForm {
    pub(super) id: String,
    pub(super) what: Vec<Choice>,
    pub(super) name: String,
    pub(super) place: String,
    pub(super) becomes: Vec<Choice>,
}

pub(super) struct FitRow {
    /// What stops it stands out; what is yet to be found out does not.
    pub(super) class: &'static str,
    pub(super) reason: String,
    pub(super) ways: Vec<WayRow>,
}

pub(super) struct PointRow {
    pub(super) id: String,
    pub(super) tag: String,
    pub(super) name: String,
    pub(super) room: String,
    pub(super) height: String,
    pub(super) back_box: &'static str,
    pub(super) neutral: &'static str,
    pub(super) device: String,
    pub(super) verdict: &'static str,
    pub(super) class: &'static str,
    pub(super) chosen: bool,
}

pub(crate) fn verdict(fits: Fits) -> (&'static str, &'static str) {
    match fits {
        Fits::Yes => (fits.name(), "sound"),
        Fits::IfSo | Fits::NotKnown | Fits::ElectricianDecides => (fits.name(), "thin"),
        Fits::No => (fits.name(), "out"),
    }
}

pub(super) fn point_form(site: &Site, record: &Record, point: &Point, who: &str) -> PointForm {
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
    let all_mountings = MOUNTINGS.map(|m| (m.mounting, m.name));
    let devices = site.devices_at(&point.id);
    PointForm {
        id: point.id.to_string(),
        name: point.name.clone(),
        room: point.room.clone(),
        height: metres(point.height_m.get()),
        x: metres(point.at[0]),
        y: metres(point.at[1]),
        depth: point.depth_mm.map(small_in_field).unwrap_or_default(),
        circuit: point.circuit.clone(),
        note: point.note.clone(),
        kinds: choices(&all_kinds, point.kind),
        boxes: choices(&BoxKind::ALL, point.back_box),
        neutrals: choices(&Neutral::ALL, point.neutral),
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
        in_room: site.room_of(point).map(|r| r.name.clone()).unwrap_or_default(),
        feeds: choices(&Feed::ALL, point.feed),
        finish: point.finish.clone(),
        plate_style: point.plate.style.clone(),
        screwless: yes_no(point.plate.screwless, "not asked"),
        clearance: point.plate.clearance.clone(),
        facts: fact_rows(&point.facts),
        is_switch: point.kind == PointKind::Switch,
        signs: signs_form(site, point),
        photos: photo_rows(site, point),
        photo_kinds: photo_kinds(),
        lines: lines_form(site, record, point),
        tag: point.tag.clone(),
        has_box: point.back_box.is_there() || point.in_box_of.is_some(),
        back: box_form(site, point),
        loads: load_forms(site, point),
        load_kinds: LoadKind::ALL
            .iter()
            .filter_map(|(kind, name)| Some((json!(kind).as_str()?.to_owned(), *name)))
            .collect(),
        breaker: circuit_form(site, point, who),
        group: group_form(site, point),
        devices: devices.iter().map(|d| device_form(site, d, point)).collect(),
        mismatches: mismatches(site)
            .into_iter()
            .filter(|f| f.point.as_ref() == Some(&point.id))
            .map(|f| {
                let is_out = matches!(f.found, Found::BeyondTheWalls { .. });
                let out = || Edit::set(Kind::Point, &point.id, "kind", "outdoor");
                (f.found.to_string(), f.found.cure(), is_out.then(|| json!(out()).to_string()))
            })
            .collect(),
        has_more: point.feed != Feed::default()
            || !point.finish.is_empty()
            || point.plate != PlateWish::default(),
        advised: advised(site, point).filter(|_| devices.is_empty()).and_then(|c| {
            Some((c.kind.name.clone(), json!(planned(site, point, c.kind)?).to_string()))
        }),
    }
}

/// How a device fits, in a word: one that is in the house already is not judged.
fn verdict_of(device: &Device, fits: Fits) -> (&'static str, &'static str) {
    if device.is_there() { ("already there", "there") } else { verdict(fits) }
}

/// How what is at a place fits, the worst of it; empty where nothing is.
pub(crate) fn verdict_at(site: &Site, point: &Point) -> (&'static str, &'static str) {
    let devices = site.devices_at(&point.id).into_iter();
    let fits = devices.filter_map(|d| {
        let kind = site.kind(&d.kind)?;
        Some((fit::verdict(&fit::findings(site, kind, point, Some(d))), d))
    });
    let worst = fits.max_by_key(|(fits, d)| (*fits, !d.is_there()));
    worst.map_or(("", ""), |(fits, d)| verdict_of(d, fits))
}

/// Whether people carry it about: a remote, a sensor, a lamp on a plug.
fn is_carried(site: &Site, device: &Device) -> bool {
    site.kind(&device.kind).is_some_and(|k| !k.is_wired_in() && k.duty != Duty::Hub && k.has_radio)
}

/// What an old device did in its place.
fn uses(site: &Site, device: &Device) -> Vec<UseForm> {
    let own = site.old_uses.iter().filter(|u| u.device == device.id);
    let form = |u: &OldUse| UseForm {
        id: u.id.to_string(),
        what: choices(&UseKind::ALL, u.what),
        name: u.name.clone(),
        place: u.place.clone(),
        becomes: choices(&Becomes::ALL, u.becomes),
    };
    own.map(form).collect()
}

/// What is said of a device in further platforms.
fn shares(site: &Site, device: &Device) -> Vec<ShareForm> {
    let own = site.shares.iter().filter(|share| share.device == device.id);
    let form = |share: &DeviceShare| ShareForm {
        id: share.id.to_string(),
        platform: site.platforms.get(&share.platform).map_or_else(String::new, |p| p.name.clone()),
        comes: choices(&ComesIn::ALL, share.comes),
        is_let_in: share.comes == ComesIn::LetIn,
        window: share.window_minutes.map(|m| m.to_string()).unwrap_or_default(),
        code: share.code.clone(),
        since: share.since.as_ref().map_or_else(String::new, |at| at.chars().take(10).collect()),
    };
    own.map(form).collect()
}

/// Platforms of which nothing is said for a device, with the value that says it.
fn could_share(site: &Site, device: &Device) -> Vec<(String, String)> {
    let is_said = |platform: &Platform| {
        site.shares.iter().any(|s| s.device == device.id && s.platform == platform.id)
    };
    let free = site.platforms.iter().filter(|p| !is_said(p));
    free.map(|p| (p.name.clone(), json!({"device": device.id, "platform": p.id}).to_string()))
        .collect()
}

fn also_at(device: &Device, point: &Point, is: bool) -> String {
    let field = format!("also_at.{}", point.id);
    json!(Edit::set(Kind::Device, &device.id, &field, is)).to_string()
}

/// What it can be to the platforms: by what it works, or one of the classes.
fn class_choices(site: &Site, device: &Device) -> Vec<(String, String, bool)> {
    let plain = Device { class: None, ..device.clone() };
    let found = site.kind(&device.kind).and_then(|kind| class(site, &plain, kind));
    let found = found.map_or("not seen there", ThingClass::name);
    let mut all =
        vec![(String::new(), format!("by what it works: {found}"), device.class.is_none())];
    let words = |(class, name): &(ThingClass, &str)| {
        (name.to_string(), name.to_string(), device.class == Some(*class))
    };
    all.extend(ThingClass::ALL.iter().map(words));
    all
}

/// Whether something is said of a device that mostly is not.
fn says_more(device: &Device) -> bool {
    device.is_there()
        || device.kind_guessed
        || !device.replaces.is_empty()
        || device.since.is_some()
        || device.security != Security::default()
        || device.class.is_some()
        || !device.also_at.is_empty()
        || device.events_a_day.is_some()
}

pub(super) fn device_form(site: &Site, device: &Device, point: &Point) -> DeviceForm {
    let system = site.networks.get(&device.network).map(|n| n.system);
    let findings = site
        .kind(&device.kind)
        .map(|k| fit::findings(site, k, point, Some(device)))
        .unwrap_or_default();
    let (verdict, class) = verdict_of(device, fit::verdict(&findings));
    let found = role(site, device);
    let leads = WaysAt::new(site, point);
    let planned = site
        .kind(&device.kind)
        .zip(system)
        .map(|(kind, system)| planning_profile(system, kind.class(), site.job.region));
    let number = |v: Option<f64>| v.map(|v| typographic(v, 1)).unwrap_or_default();
    let sheet = &device.sheet;
    DeviceForm {
        classes: class_choices(site, device),
        also_at: device
            .also_at
            .iter()
            .filter_map(|id| site.points.get(id))
            .map(|p| (p.title(), also_at(device, p, false)))
            .collect(),
        could_also: site
            .points
            .iter()
            .filter(|p| p.id != device.point && !device.also_at.contains(&p.id))
            .filter(|_| is_carried(site, device))
            .map(|p| (p.title(), also_at(device, p, true)))
            .collect(),
        is_new: !device.is_there(),
        has_more: says_more(device),
        trial: device.trial.as_ref().map(|trial| TrialForm {
            until: trial
                .until
                .as_ref()
                .map_or_else(String::new, |at| at.chars().take(10).collect()),
            judged: choices(&TrialVerdict::ALL, trial.judged),
            why: trial.why.clone(),
        }),
        trial_edit: {
            let value = if device.trial.is_some() { json!(null) } else { json!({}) };
            let set = Edit::set(Kind::Device, &device.id, "trial", value);
            json!(set).to_string()
        },
        shares: shares(site, device),
        could_share: could_share(site, device),
        uses: uses(site, device),
        replaces: device.replaces.clone(),
        replaces_dead: device.replaces_dead,
        since: device.since.as_ref().map_or_else(String::new, |at| at.chars().take(10).collect()),
        security: if system.is_some_and(|s| s.rule().has_security_classes) {
            choices(&Security::ALL, device.security)
        } else {
            Vec::new()
        },
        sheet: [
            number(sheet.tx_dbm.map(Dbm::get)),
            number(sheet.sensitivity_dbm.map(Dbm::get)),
            number(sheet.antenna_db.map(Db::get)),
            number(sheet.extra_loss_db.map(Db::get)),
            sheet.duty.map(|v| typographic(v, 3)).unwrap_or_default(),
        ],
        planned: planned.map_or_else(String::new, |p| {
            format!(
                "Planned with {} sent, {} heard, {} of antenna.",
                p.tx, p.sensitivity, p.antenna
            )
        }),
        id: device.id.to_string(),
        name: device.name.clone(),
        kinds: kind_choices(site, device, system),
        networks: networks(site, device.network.as_str()),
        already: choices(&AlreadyThere::ALL, device.already_there),
        is_guessed: device.kind_guessed,
        can_be_cut: device.can_be_cut,
        stays_on: device.stays_on,
        events: site.kind(&device.kind).and_then(|k| k.draw).map(|draw| {
            let own = device.events_a_day.map(|e| typographic(e, 0)).unwrap_or_default();
            (own, typographic(draw.events, 0))
        }),
        has_duty: system.is_some_and(|s| site.job.region.limit(s).peak_above.is_some()),
        role: format!("{}: {}", found.role.name(), found.why),
        verdict,
        class,
        findings: findings
            .into_iter()
            .map(|f| FitRow {
                class: if f.fits() >= Fits::ElectricianDecides { "warn" } else { "to-know" },
                reason: f.to_string(),
                ways: leads.rows(f.ways_out(&site.job)),
            })
            .collect(),
        candidates: candidate_rows(site, device, point),
    }
}

/// The kinds that speak a system, and the one that is there though it does not, or is in the library
/// no longer.
fn kind_choices(site: &Site, device: &Device, system: Option<System>) -> Vec<Choice> {
    let choice = |value: &str, text: String| Choice {
        value: value.to_owned(),
        text,
        chosen: value == device.kind,
        system: String::new(),
    };
    let speaks = site.all_kinds().filter(|k| system.is_some_and(|s| k.systems.contains(&s)));
    let mut choices: Vec<_> = speaks.map(|k| choice(&k.id, k.name.clone())).collect();
    if !choices.iter().any(|c| c.chosen) {
        let name = site.kind(&device.kind).map_or(&device.kind, |k| &k.name);
        choices.push(choice(&device.kind, format!("{name} (does not fit here)")));
    }
    choices
}

pub(super) fn point_rows(site: &Site, floor: &FloorId, chosen: Option<&Point>) -> Vec<PointRow> {
    use dot_reach_core::site::BoxKind;
    let mut rows: Vec<_> = site
        .points
        .iter()
        .filter(|p| p.floor == *floor)
        .map(|p| {
            let devices = site.devices_at(&p.id);
            let (verdict, class) = verdict_at(site, p);
            let names: Vec<_> = devices
                .iter()
                .filter_map(|d| site.kind(&d.kind))
                .map(|k| k.name.as_str())
                .collect();
            PointRow {
                id: p.id.to_string(),
                tag: p.tag.clone(),
                name: p.name.clone(),
                room: site.room_name(p).to_owned(),
                height: format!("{:.2}", p.height_m),
                back_box: match p.back_box {
                    BoxKind::Unknown | BoxKind::None => "–",
                    BoxKind::Plastic => "plastic",
                    BoxKind::Metal => "metal",
                },
                neutral: match p.neutral {
                    Neutral::Unknown if !p.back_box.is_there() => "–",
                    Neutral::Unknown => "?",
                    Neutral::Tested => "tested",
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
