//! One controller: the grid of what a hand can do there, with what each cell is worth, and the plan of what it moves.

use std::collections::BTreeSet;

use dot_reach_core::analysis::Analysis;
use dot_reach_core::control::{Checked, Outage};
use dot_reach_core::draw::orders::Pressed;
use dot_reach_core::keys::{
    GridCell, GridRow, LostWith, PressWorth, checked_by, grid, lost_with, press_worth,
    stands_apart, taken_by,
};
use dot_reach_core::record::Record;
use dot_reach_core::rules::never_off;
use dot_reach_core::sensing::seen;
use dot_reach_core::site::{
    Condition, Control, Device, DeviceId, FixedBy, Rule, RunsIn, Site, Target, Trigger, TurnsTo,
};
use serde_json::json;

use super::is_sensor;
use super::left_out::{LeftOut, left_out};
use crate::drawing::plan::{Plan, sheet};
use crate::pages::journal::capital;
use crate::pages::rules_tried::{TriedView, tried};
use crate::pages::survey::choices::{Choice, choices};

/// What the page shows of one controller.
pub(super) struct GridView {
    pub(super) name: String,
    pub(super) presses: Vec<PressHead>,
    pub(super) rows: Vec<RowView>,
    pub(super) plan: Plan,
    pub(super) floor: String,
    pub(super) floor_name: String,
    /// What a new one takes by itself, in a sentence, and what is done about it; nothing for what is no remote.
    pub(super) taken: Option<(String, Vec<String>)>,
    /// It has no keys, and no rows.
    pub(super) is_sensor: bool,
    /// What it sees, where it is a sensor that sees.
    pub(super) sight: Option<Sight>,
    /// What it switches off and nobody may, and what toggling leaves behind.
    pub(super) warnings: Vec<String>,
    /// Rules that work everything, with what they leave out.
    pub(super) all_but: Vec<LeftOut>,
    /// By what it is fixed, where it is on a battery.
    pub(super) fixed: Option<(String, Vec<Choice>)>,
    pub(super) tried: Vec<TriedView>,
}

/// What a hand does, as a column.
pub(super) struct PressHead {
    pub(super) key: String,
    pub(super) gesture: String,
    pub(super) at: String,
}

pub(super) struct RowView {
    /// Its room, where that is another than of the row before it.
    pub(super) under: String,
    pub(super) name: String,
    pub(super) what: String,
    pub(super) cells: Vec<CellView>,
}

#[derive(Default)]
pub(super) struct CellView {
    pub(super) text: String,
    pub(super) class: &'static str,
    pub(super) told: String,
}

/// What a sensor sees.
pub(super) struct Sight {
    pub(super) id: String,
    pub(super) facing: String,
    pub(super) is_round: bool,
    pub(super) says: String,
}

/// The view of a controller; nothing where there is none of this id.
pub(super) fn view(analysis: &Analysis, record: &Record, of: &DeviceId) -> Option<GridView> {
    let site = &analysis.site;
    let device = site.devices.get(of)?;
    let grid = grid(site, of)?;
    let (controls, lost) = (checked_by(analysis, of), lost_with(analysis));
    let floor = site.point_of(device).map(|p| p.floor.clone())?;
    let mut plan = sheet(site, &floor, None);
    let worked: BTreeSet<&DeviceId> = controls.iter().map(|(c, _)| c.load).collect();
    let sees = seen(site, device);
    if let Some(field) = &sees {
        plan.seen(&field.outline);
    }
    plan.controls(site, &floor, of, &worked);
    let mut under = String::new();
    let rows = grid.rows.iter().map(|row| {
        let is_new = std::mem::replace(&mut under, row.under.clone()) != row.under;
        row_view(analysis, row, &controls, &lost, is_new)
    });
    let is_sensor = is_sensor(site, device);
    let own: Vec<&Rule> = site.rules.iter().filter(|rule| rule.controller() == Some(of)).collect();
    Some(GridView {
        name: device.name.clone(),
        rows: if is_sensor { Vec::new() } else { rows.collect() },
        is_sensor,
        presses: grid.presses.iter().map(head).collect(),
        plan,
        floor_name: site.floors.get(&floor).map_or_else(String::new, |f| f.name.clone()),
        floor: floor.to_string(),
        taken: taken_by(site, of).map(|taken| (takes(site, &taken), taken.steps(site))),
        sight: sight(site, device, sees.as_ref()),
        warnings: [never_off_words(site, &own), apart(&controls)].concat(),
        all_but: own.iter().filter_map(|rule| left_out(site, rule)).collect(),
        fixed: site
            .kind(&device.kind)
            .is_some_and(|k| !k.is_on_mains())
            .then(|| (device.id.to_string(), choices(&FixedBy::ALL, device.fixed))),
        tried: own.iter().map(|rule| tried(site, record, rule)).collect(),
    })
}

fn head(press: &Pressed) -> PressHead {
    PressHead {
        key: press.key.map(|key| format!("Key {key}")).unwrap_or_default(),
        gesture: if press.gesture.is_empty() { "press".to_owned() } else { press.gesture.clone() },
        at: json!({ "controller": press.controller, "key": press.key, "gesture": press.gesture })
            .to_string(),
    }
}

fn row_view(
    analysis: &Analysis,
    row: &GridRow,
    controls: &[(Control<'_>, Checked)],
    lost: &LostWith,
    is_new: bool,
) -> RowView {
    let cell = |cell: &Option<GridCell>| {
        let Some(cell) = cell else { return CellView::default() };
        let of =
            controls.iter().filter(|(c, _)| c.rule.id == cell.rule.id && is_of(analysis, row, c));
        let own: Vec<(Control<'_>, Checked)> = of.cloned().collect();
        let worth = press_worth(analysis, &own, lost);
        CellView {
            text: cell.text(),
            class: if worth.as_ref().is_none_or(|w| w.wrong.is_some()) { "warn" } else { "" },
            told: worth.map_or_else(|| "Nothing answers to it.".to_owned(), |w| told(&w)),
        }
    };
    RowView {
        under: if is_new { row.under.clone() } else { String::new() },
        name: row.name.clone(),
        what: json!(row.what).to_string(),
        cells: row.cells.iter().map(cell).collect(),
    }
}

/// Whether a control comes from this row of its rule.
fn is_of(analysis: &Analysis, row: &GridRow, control: &Control<'_>) -> bool {
    match &row.what {
        Target::Device(id) => id == control.load,
        Target::Scene(_) => control.through_scene,
        what => {
            let site: &Site = &analysis.site;
            site.devices_of(what).iter().any(|d| d.id == *control.load)
        }
    }
}

/// What a cell is worth, in a line.
fn told(worth: &PressWorth) -> String {
    let way = match (worth.runs, &worth.hop) {
        (RunsIn::Direct, Some((_, margin))) => format!("directly, {margin}"),
        (runs, _) => runs.name().to_owned(),
    };
    let delay =
        worth.delay_ms.map_or_else(|| "does not arrive".to_owned(), |ms| format!("{ms:.0} ms"));
    let works = |is: bool| {
        let of = Outage::ALL.iter().zip(worth.works).filter(|(_, works)| *works == is);
        of.map(|((_, name), _)| *name).collect::<Vec<_>>().join(", ")
    };
    let (left, dead) = (works(true), works(false));
    let mut parts = vec![format!("{way}, {delay}, {:.0} %", worth.success * 100.0)];
    if !left.is_empty() {
        parts.push(format!("works with {left}"));
    }
    if !dead.is_empty() {
        parts.push(format!("dead with {dead}"));
    }
    if !worth.ends_with.is_empty() {
        parts.push(format!("ends with breaker {}", worth.ends_with.join(", ")));
    }
    let told = parts.join("; ");
    match &worth.wrong {
        Some(wrong) => format!("{wrong} {told}"),
        None => told,
    }
}

fn takes(site: &Site, taken: &dot_reach_core::keys::TakenByItself) -> String {
    let names = |ids: &BTreeSet<DeviceId>| {
        let names: Vec<&str> =
            ids.iter().filter_map(|id| site.devices.get(id)).map(|d| d.name.as_str()).collect();
        names.join(", ")
    };
    let takes = match taken.takes {
        Some(takes) => format!("A new one takes {} by itself.", takes.name()),
        None => return String::new(),
    };
    match (taken.is_as_meant(), taken.extra.is_empty()) {
        (true, _) => format!("{takes} That is what is meant."),
        (false, false) => format!("{takes} Not meant: {}.", names(&taken.extra)),
        (false, true) => takes,
    }
}

fn sight(
    site: &Site,
    device: &Device,
    seen: Option<&dot_reach_core::sensing::SeenField>,
) -> Option<Sight> {
    let field = site.kind(&device.kind)?.sees?;
    let rooms = seen.map(|seen| {
        let room = |r: &dot_reach_core::sensing::SeenRoom| {
            let name = site.rooms.get(&r.room).map_or("", |room| room.name.as_str());
            format!("{:.0} % of {name}", r.share * 100.0)
        };
        seen.rooms.iter().map(room).collect::<Vec<_>>().join(", ")
    });
    let sees = match rooms {
        None if field.reach_m.is_none() || field.angle_deg.is_none() => {
            "Its row in the library does not say how far and how wide it sees: until then nobody knows.".to_owned()
        }
        None => "Say which way it looks: until then nobody knows what it sees.".to_owned(),
        Some(rooms) if rooms.is_empty() => "It sees no room that is drawn.".to_owned(),
        Some(rooms) => format!("It sees {rooms}; walls, glass and shut doors stand in its way."),
    };
    let pet = match field.pet_kg {
        Some(kg) => format!(
            "A pet up to {kg:.0} kg on the floor does not set it off; one that climbs into its field does."
        ),
        None => {
            "Its row does not say what a pet does: try it with the pet of the house.".to_owned()
        }
    };
    let works = site
        .rules
        .iter()
        .filter(|rule| matches!(&rule.when, Trigger::State { device: of, .. } if *of == device.id));
    let mut off = Vec::new();
    for rule in works {
        off.extend(rule.only.iter().filter_map(|condition| match condition {
            Condition::Darker { lux } => Some(format!(
                "Only under {lux:.0} lx: hold the meter where it hangs, at the hour at which it is to begin."
            )),
            _ => None,
        }));
        off.extend(
            rule.off_after_min
                .map(|after| format!("Off again {after:.0} min after it last saw somebody.")),
        );
    }
    Some(Sight {
        id: device.id.to_string(),
        facing: device.facing_deg.map(|deg| format!("{deg:.0}")).unwrap_or_default(),
        is_round: field.angle_deg.is_some_and(|deg| deg >= 360.0),
        says: [vec![sees], off, vec![pet]].concat().join(" "),
    })
}

/// What the rules of a controller switch off, or may, and nobody may switch off.
fn never_off_words(site: &Site, own: &[&Rule]) -> Vec<String> {
    let all: BTreeSet<&DeviceId> = own.iter().flat_map(|rule| never_off(site, rule)).collect();
    let name = |id: &&DeviceId| site.devices.get(*id).map(|d| d.name.clone());
    let words = |name: String| {
        format!(
            "{name} must not be switched off: it has to stay on, or lamps that are switched by radio hang on it. Leave it out."
        )
    };
    all.iter().filter_map(name).map(words).collect()
}

/// So many presses are looked at together: a household of a month.
const PRESSES: u16 = 200;

/// What toggling leaves behind, for each press that toggles several.
fn apart(controls: &[(Control<'_>, Checked)]) -> Vec<String> {
    let mut by_press: std::collections::BTreeMap<String, Vec<f64>> =
        std::collections::BTreeMap::new();
    for (control, checked) in controls.iter().filter(|(c, _)| c.to == TurnsTo::Toggle) {
        by_press.entry(control.by_hand()).or_default().push(checked.success);
    }
    let several = by_press.into_iter().filter(|(_, all)| all.len() > 1);
    several
        .map(|(by, all)| {
            let apart = stands_apart(&all, PRESSES);
            let by = if by.is_empty() { "A press".to_owned() } else { capital(&by) };
            format!(
                "{by} toggles {} things: a lost message leaves one of them the other way round, and each further press keeps it \
                 so. After {PRESSES} presses that is so with {:.0} %; with on and off it would be {:.0} %: use on and off.",
                all.len(), apart.toggle * 100.0, apart.on_off * 100.0
            )
        })
        .collect()
}
