//! The advice in words, rows and marks.

use dot_reach_core::analysis::Analysis;
use dot_reach_core::catalogue::DeviceKind;
use dot_reach_core::placement::advice::{Advice, Ask, ForwardingWorth, Needs, Pick, SiteScore};
use dot_reach_core::placement::explain::ruling_words;
use dot_reach_core::placement::offers::could_repeat;
use dot_reach_core::placement::problem::Status;
use dot_reach_core::site::{
    Device, Edit, FloorId, Kind, Ruled as How, RuledOn, Ruling, RulingId, Site,
};
use dot_reach_core::units::{Db, typographic};
use dot_reach_store::StoreError;
use serde_json::json;

use crate::drawing::plan::{Plan, sheet};
use crate::drawing::stairs::signed;
use crate::error::WebError;

/// All that is said of one answer.
pub(crate) struct View {
    pub(crate) class: &'static str,
    pub(crate) status: &'static str,
    pub(crate) verdict: String,
    pub(crate) of_hub: String,
    pub(crate) numbers: Vec<(&'static str, String, String)>,
    pub(crate) edit: String,
    pub(crate) does: usize,
    pub(crate) picks: Vec<Row>,
    pub(crate) sites: Vec<Place>,
    pub(crate) sites_more: Vec<Place>,
    pub(crate) left: Vec<[String; 3]>,
    pub(crate) short: String,
    pub(crate) schools: Vec<(&'static str, Vec<[String; 4]>)>,
    pub(crate) worth: Vec<[String; 4]>,
    pub(crate) offers: usize,
}

/// A repeater that is advised.
pub(crate) struct Row {
    pub(crate) number: usize,
    pub(crate) what: String,
    pub(crate) network: String,
    pub(crate) place: String,
    pub(crate) point: String,
    pub(crate) condition: String,
    pub(crate) saves: Vec<String>,
    pub(crate) next: String,
    pub(crate) cost: String,
    pub(crate) take: String,
    pub(crate) never: String,
    pub(crate) lock: String,
    pub(crate) is_locked: bool,
}

/// A place for the hub.
pub(crate) struct Place {
    pub(crate) name: String,
    pub(crate) note: String,
    pub(crate) against: String,
    pub(crate) repeaters: String,
    pub(crate) cost: String,
    pub(crate) left: String,
    pub(crate) is_chosen: bool,
    pub(crate) edit: String,
    /// The ruling that the hub is never there.
    pub(crate) never: String,
}

/// What somebody ruled.
pub(crate) struct Ruled {
    pub(crate) id: String,
    pub(crate) words: String,
    pub(crate) why: String,
}

/// A device that could be marked as critical.
pub(crate) struct Critical {
    pub(crate) name: String,
    pub(crate) says: String,
    pub(crate) edit: String,
}

fn written<T: serde::Serialize>(value: &T) -> Result<String, WebError> {
    Ok(serde_json::to_string(value).map_err(StoreError::Row)?)
}

/// An id that the page replaces by one of its own.
fn no_id() -> RulingId {
    "new".parse().unwrap_or_else(|_| unreachable!("a word is an id"))
}

/// What can be ruled at a press: each room and each device of the library, and what is not critical yet.
pub(crate) struct Rules {
    pub(crate) rooms: Vec<(String, String)>,
    pub(crate) kinds: Vec<(String, String)>,
    pub(crate) uncritical: Vec<(String, String)>,
}

impl Rules {
    pub(crate) fn of(site: &Site, network: &str) -> Result<Self, WebError> {
        let id = |words: String| words.parse::<RulingId>().unwrap_or_else(|_| no_id());
        let is_ruled = |id: &RulingId| site.rulings.get(id).is_some();
        let never = |id: RulingId| Ruling::new(id, How::Never, RuledOn::Repeater);
        let mut rules = Self { rooms: Vec::new(), kinds: Vec::new(), uncritical: Vec::new() };
        for room in &site.rooms {
            let ruling =
                Ruling { room: Some(room.id.clone()), ..never(id(format!("room-{}", room.id))) };
            if !is_ruled(&ruling.id) {
                rules.rooms.push((room.name.clone(), written(&Edit::put(ruling))?));
            }
        }
        let system = site.networks.iter().find(|n| n.id.as_str() == network).map(|n| n.system);
        let could = |k: &&DeviceKind| system.is_some_and(|s| could_repeat(k, s));
        for kind in site.all_kinds().filter(could) {
            let ruling =
                Ruling { device_kind: kind.id.clone(), ..never(id(format!("kind-{}", kind.id))) };
            if !is_ruled(&ruling.id) {
                rules.kinds.push((kind.name.clone(), written(&Edit::put(ruling))?));
            }
        }
        let mine = |d: &&Device| d.network.as_str() == network && !d.critical;
        for device in site.devices.iter().filter(mine) {
            let edit = Edit::set(Kind::Device, &device.id, "critical", true);
            rules.uncritical.push((device.name.clone(), written(&edit)?));
        }
        Ok(rules)
    }
}

/// An amount with the currency of the job.
fn money(site: &Site, amount: f64) -> String {
    format!("{} {}", typographic(amount, 2), site.job.currency).trim_end().to_owned()
}

impl View {
    pub(crate) fn of(site: &Site, advice: &Advice) -> Result<Self, WebError> {
        let cost = |amount: f64| money(site, amount);
        let sentences = advice.sentences(&cost);
        let (class, status) = match (advice.status, advice.is_proven) {
            (Status::Optimal, true) => ("sound", "proven: less is not enough"),
            (Status::Optimal | Status::Feasible, _) => ("thin", "enough; whether less is, is open"),
            (Status::Infeasible, true) => ("out", "not all can be reached"),
            (Status::Infeasible, false) => ("out", "not all are reached"),
        };
        let of_hub = sentences.get(1).filter(|s| s.starts_with("The hub is best")).cloned();
        let sites = |from: usize, to: usize| -> Result<Vec<Place>, WebError> {
            let rows = advice.sites.iter().skip(from).take(to - from);
            rows.map(|s| Place::of(site, s)).collect()
        };
        // Those that were not to choose from are listed apart.
        let shown = advice.sites.iter().take(5).filter(|s| s.needs.is_some()).count();
        Ok(Self {
            class,
            status,
            verdict: sentences.first().cloned().unwrap_or_default(),
            of_hub: of_hub.unwrap_or_default(),
            numbers: numbers(site, advice),
            does: match &advice.edit {
                Edit::Batch { edits } => edits.len(),
                _ => 1,
            },
            edit: written(&advice.edit)?,
            picks: advice
                .picks
                .iter()
                .enumerate()
                .map(|(n, pick)| Row::of(site, n + 1, pick))
                .collect::<Result<_, _>>()?,
            sites: sites(0, shown)?,
            sites_more: sites(shown, advice.sites.len())?,
            left: advice
                .left
                .iter()
                .map(|l| {
                    let lacks = l.lacks.map(|d| format!("{d} from {}", l.from));
                    [l.name.clone(), lacks.unwrap_or_default(), l.change.to_string()]
                })
                .collect(),
            short: advice.short.join(", "),
            schools: advice
                .schools
                .iter()
                .map(|s| (s.question, s.sides.iter().map(|(n, of)| side(site, n, *of)).collect()))
                .collect(),
            worth: advice.worth.iter().map(|w| worth(site, w)).collect(),
            offers: advice.offers,
        })
    }
}

fn numbers(site: &Site, advice: &Advice) -> Vec<(&'static str, String, String)> {
    let spare = |d: Option<Db>| d.map_or_else(|| "–".to_owned(), signed);
    let percent = |share: f64| format!("{:.0} %", share * 100.0);
    let (now, then, of) = advice.at_target;
    let dearer = advice.dearer.get();
    let chance = if dearer > 0.0 {
        format!(
            "now {}; every link has {dearer:.1} dB beyond its target for it",
            percent(advice.chance.0)
        )
    } else {
        format!("now {}", percent(advice.chance.0))
    };
    vec![
        ("at target", format!("{then} of {of}"), format!("now {now}")),
        ("worst spare", spare(advice.worst.1), format!("now {}", spare(advice.worst.0))),
        ("all reached at once", percent(advice.chance.1), chance),
        (
            "cost",
            money(site, advice.cost),
            match advice.cost - advice.bound {
                open if open > 0.005 => format!("not less than {}", money(site, advice.bound)),
                _ => "the least there is".to_owned(),
            },
        ),
    ]
}

fn side(site: &Site, name: &str, needs: Option<Needs>) -> [String; 4] {
    let Some(needs) = needs else {
        let none = || "–".to_owned();
        return [name.to_owned(), none(), none(), "this house does not offer it".to_owned()];
    };
    let left = match needs.left {
        0 => "all at target".to_owned(),
        n => format!("{n} below target"),
    };
    let open = if needs.is_proven { "" } else { ", not proven" };
    [name.to_owned(), needs.repeaters.to_string(), money(site, needs.cost), format!("{left}{open}")]
}

fn worth(site: &Site, worth: &ForwardingWorth) -> [String; 4] {
    let role = if worth.forwards { "forwards now" } else { "a leaf now" };
    [
        format!("{} ({role})", worth.name),
        money(site, worth.extra),
        worth.elsewhere.map_or_else(|| "not to be had".to_owned(), |e| money(site, e)),
        worth.pays().to_string(),
    ]
}

impl Row {
    fn of(site: &Site, number: usize, pick: &Pick) -> Result<Self, WebError> {
        let offer = &pick.offer;
        let ruling = |ruled| {
            Ruling {
                point: Some(offer.point.clone()),
                // What is refused is refused at that place, whatever it is; what is locked in is itself.
                device_kind: match ruled {
                    How::Never => String::new(),
                    How::Always => offer.kind.clone(),
                },
                network: Some(offer.network.clone()),
                ..Ruling::new(no_id(), ruled, RuledOn::Repeater)
            }
        };
        let saves = pick.saves.iter().map(|s| match (s.lacks, s.spare) {
            (Some(lacks), Some(spare)) => {
                format!(
                    "{}: lacks {lacks} without it, {} over target with it",
                    s.name,
                    signed(spare)
                )
            }
            (_, Some(spare)) => {
                format!(
                    "{}: too many hops or one route only without it, {} over target with it",
                    s.name,
                    signed(spare)
                )
            }
            _ => s.name.clone(),
        });
        let next = match &pick.next_best {
            Some((words, extra)) if *extra < 0.005 => format!("{words}, at the same cost"),
            Some((words, extra)) => format!("{words}, {} dearer", money(site, *extra)),
            None => "nothing could stand in for it".to_owned(),
        };
        let mut condition = Vec::new();
        if !offer.conditions.is_empty() {
            condition.push(format!("{}: {}", offer.fits.name(), offer.conditions.join(" ")));
        }
        if !offer.is_priced {
            let stands_in = "Its price is not known; the dearest of the library stands in.";
            condition.push(stands_in.to_owned());
        }
        Ok(Self {
            number,
            what: offer.kind_name.clone(),
            network: offer.network_name.clone(),
            place: offer.place.clone(),
            point: offer.point.to_string(),
            condition: condition.join(" "),
            saves: saves.collect(),
            next,
            cost: match offer.cost {
                cost if cost < 0.005 => "no more".to_owned(),
                cost => money(site, cost),
            },
            take: written(&offer.edit)?,
            never: written(&ruling(How::Never))?,
            lock: written(&ruling(How::Always))?,
            is_locked: offer.is_locked,
        })
    }
}

impl Place {
    fn of(site: &Site, score: &SiteScore) -> Result<Self, WebError> {
        let place = &score.site;
        let mut note: Vec<String> = Vec::new();
        if place.as_it_is {
            note.push("as it is".to_owned());
        }
        note.extend(place.beside.as_ref().map(|b| format!("beside {b}")));
        let none = || "–".to_owned();
        Ok(Self {
            name: place.name.clone(),
            note: note.join(", "),
            against: place.against.join("; "),
            repeaters: score.needs.map_or_else(none, |n| n.repeaters.to_string()),
            cost: score.needs.map_or_else(none, |n| money(site, n.cost)),
            left: score.needs.map_or_else(none, |n| n.left.to_string()),
            is_chosen: score.is_chosen,
            never: match &place.point {
                Some(point) if !place.as_it_is => {
                    let never = Ruling::new(no_id(), How::Never, RuledOn::Hub);
                    written(&Ruling { point: Some(point.clone()), ..never })?
                }
                _ => String::new(),
            },
            edit: if place.as_it_is { String::new() } else { written(&place.edit)? },
        })
    }
}

/// What was ruled, in words, with the reason to be typed.
pub(crate) fn rulings(site: &Site) -> Vec<Ruled> {
    let row = |r: &Ruling| Ruled {
        id: r.id.to_string(),
        words: ruling_words(site, r),
        why: r.why.clone(),
    };
    site.rulings.iter().map(row).collect()
}

/// Devices that are critical, and those of the network that could be.
pub(crate) fn critical(site: &Site, network: &str, advice: Option<&Advice>) -> Vec<Critical> {
    let of = site.devices.iter().filter(|d| d.critical && d.network.as_str() == network);
    of.map(|d| {
        let met = advice.and_then(|a| a.critical.iter().find(|(id, ..)| *id == d.id));
        let says = match met {
            Some((.., true)) => "has two routes".to_owned(),
            Some((.., false)) => "has no second route".to_owned(),
            None => "asked for one route now".to_owned(),
        };
        let edit = json!({ "do": "set", "kind": "device", "id": d.id, "field": "critical", "value": false });
        Critical { name: d.name.clone(), says, edit: edit.to_string() }
    })
    .collect()
}

/// The storey that is asked for, else that of the advised hub, else the lowest.
pub(crate) fn floor(
    analysis: &Analysis,
    ask: Option<&Ask>,
    advice: Option<&Advice>,
    asked: &str,
) -> Option<FloorId> {
    let site = &analysis.site;
    let named = asked.parse().ok().filter(|f| site.floors.get(f).is_some());
    let first_pick = || {
        let pick = advice?.picks.first()?;
        Some(site.points.get(&pick.offer.point)?.floor.clone())
    };
    let of_hub = || Some(advice?.hub()?.site.at.0.clone());
    let hub_now = || {
        let network =
            analysis.networks.iter().find(|n| Some(&n.network) == ask.map(|a| &a.network))?;
        let hub = site.devices.get(&network.nodes[*network.hubs.first()?].device)?;
        Some(site.point_of(hub)?.floor.clone())
    };
    named
        .or_else(first_pick)
        .or_else(of_hub)
        .or_else(hub_now)
        .or_else(|| site.floors_upward().first().map(|f| f.id.clone()))
}

/// The storey with what is advised on it.
pub(crate) fn plan(
    analysis: &Analysis,
    network: &str,
    floor: &FloorId,
    advice: Option<&Advice>,
) -> Plan {
    let site = &analysis.site;
    let mut plan = sheet(site, floor, None);
    if let Some(network) = analysis.networks.iter().find(|n| n.network.as_str() == network) {
        plan.radios(analysis, network, floor, None);
    }
    let hub = advice.and_then(|a| a.hub()).filter(|h| h.site.at.0 == *floor);
    let hub = hub.map(|h| (h.site.at.1, "H".to_owned(), h.site.name.clone()));
    let picks = advice.into_iter().flat_map(|a| &a.picks).enumerate().filter_map(|(n, pick)| {
        let point = site.points.get(&pick.offer.point).filter(|p| p.floor == *floor)?;
        Some((point.at, (n + 1).to_string(), pick.offer.words()))
    });
    plan.marks(hub.into_iter().chain(picks));
    plan
}
