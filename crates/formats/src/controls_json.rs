//! Who works what, as JSON: `docs/ANALYSE.md` has the fields.

use dot_reach_core::Analysis;
use dot_reach_core::control::{Outage, check, ends_with_breaker, told, works_in};
use dot_reach_core::keys::taken_by;
use dot_reach_core::rules::{RuleNeed, doubles, in_a_sentence, needs};
use dot_reach_core::sensing::seen;
use dot_reach_core::site::{Site, Trigger};
use dot_reach_core::spoken::{Alike, Meant, NameBook, near_twins};
use serde_json::{Map, Value, json};

/// The words of the outages, in the order of [`Outage::ALL`].
const OUTAGES: [&str; 5] = ["internet", "router", "hub", "phone", "repeater"];

/// The controls of a job, its scenes, its names and its phrases.
pub fn json(analysis: &Analysis) -> Value {
    let site = &analysis.site;
    let ends = ends_with_breaker(analysis);
    let controls = site.controls().map(|control| {
        let checked = check(analysis, &control);
        let works: Map<String, Value> = OUTAGES
            .iter()
            .zip(Outage::ALL)
            .map(|(word, (outage, _))| {
                ((*word).to_owned(), json!(works_in(analysis, &control, outage)))
            })
            .collect();
        let mark = control.mark();
        let breakers: Vec<&String> = ends
            .iter()
            .filter(|(_, ended)| ended.contains(&mark))
            .map(|(label, _)| label)
            .collect();
        json!({
            "rule": control.rule.id,
            "controller": control.controller,
            "key": control.key,
            "gesture": control.gesture,
            "load": control.load,
            "to": control.to,
            "runs": control.runs,
            "margin_db": checked.direct.map(|(_, margin)| margin.get()),
            "delay_ms": checked.delay_ms,
            "success": checked.success,
            "wrong": checked.wrong,
            "works_without": works,
            "ends_with_breakers": breakers,
            "said": in_a_sentence(site, control.rule),
        })
    });
    let book = NameBook::of(site);
    let phrases = book.guide().into_iter().map(|phrase| {
        let told = book.answer(&phrase);
        json!({ "phrase": told.phrase, "meant": meant(&told.meant), "also": told.also, "not_reached": told.not_reached })
    });
    let twins = near_twins(site).into_iter().map(|twins| {
        json!({ "one": twins.one, "other": twins.other, "how": alike(twins.how), "better": twins.better })
    });
    json!({
        "controls": controls.collect::<Vec<_>>(),
        "scenes": scenes(analysis),
        "phrases": phrases.collect::<Vec<_>>(),
        "near_twins": twins.collect::<Vec<_>>(),
        "rules": rules(site),
        "taken": taken(site),
        "sensors": sensors(site),
        "gone": gone(site),
    })
}

/// Each rule with what it needs, and those that do the same.
fn rules(site: &Site) -> Vec<Value> {
    let twice = doubles(site);
    let of = site.rules.iter().map(|rule| {
        let needs: Vec<&str> = needs(site, rule).into_iter().map(RuleNeed::word).collect();
        let same = twice.iter().filter_map(|(a, b)| match () {
            () if a.id == rule.id => Some(&b.id),
            () if b.id == rule.id => Some(&a.id),
            () => None,
        });
        json!({
            "rule": rule.id, "name": rule.name, "runs": rule.runs, "needs": needs,
            "same_as": same.collect::<Vec<_>>(), "said": in_a_sentence(site, rule),
        })
    });
    of.collect()
}

/// What each remote takes by itself against what was meant.
fn taken(site: &Site) -> Vec<Value> {
    let of = site.devices.iter().filter_map(|device| Some((device, taken_by(site, &device.id)?)));
    let of = of.map(|(device, taken)| {
        json!({
            "controller": device.id, "takes": taken.takes, "is_said": taken.is_said, "meant": taken.meant,
            "extra": taken.extra, "missing": taken.missing, "steps": taken.steps(site),
        })
    });
    of.collect()
}

/// What each sensor sees; nothing where its row or its place does not say.
fn sensors(site: &Site) -> Vec<Value> {
    let sees = |kind: &str| site.kind(kind).and_then(|k| k.sees);
    let of = site.devices.iter().filter_map(|device| Some((device, sees(&device.kind)?)));
    let of = of.map(|(device, field)| {
        let seen = seen(site, device);
        let rooms = seen.as_ref().map(|seen| {
            let rooms = seen.rooms.iter().map(|r| json!({ "room": r.room, "share": r.share }));
            rooms.collect::<Vec<_>>()
        });
        json!({
            "device": device.id, "reach_m": field.reach_m, "angle_deg": field.angle_deg,
            "facing_deg": device.facing_deg, "outline": seen.as_ref().map(|s| &s.outline), "rooms": rooms,
        })
    });
    of.collect()
}

/// How two names are alike, as a word.
const fn alike(how: Alike) -> &'static str {
    match how {
        Alike::Same => "same",
        Alike::Sound => "sound",
        Alike::Letter => "letter",
        Alike::NearlySound => "nearly-sound",
    }
}

fn meant(meant: &Meant) -> Value {
    match meant {
        Meant::Rule(rule) => json!({ "rule": rule }),
        Meant::Devices(all) => json!({ "devices": all }),
        Meant::Lights(all) => json!({ "lights": all }),
        Meant::Room(all) => json!({ "room": all }),
        Meant::Several(all) => json!({ "several": all }),
        Meant::Nothing => json!({ "nothing": true }),
    }
}

/// Each scene with its members and what it takes to tell them.
fn scenes(analysis: &Analysis) -> Vec<Value> {
    let site = &analysis.site;
    let called = site.rules.iter().filter(|rule| rule.when == Trigger::Called);
    called
        .map(|rule| {
            let (reached, told) = (site.reached_by(rule), told(analysis, rule));
            let members = reached.iter().map(|r| {
                json!({ "device": r.device, "to": r.action.to, "level": r.action.level, "kelvin": r.action.kelvin })
            });
            json!({
                "rule": rule.id,
                "name": rule.name,
                "members": members.collect::<Vec<_>>(),
                "messages": told.messages(),
                "takes_ms": told.takes_ms(),
                "networks": told.networks.iter().map(|n| json!({
                    "network": n.network, "members": n.addressing.members, "at_once": n.at_once,
                    "messages": n.messages(), "takes_ms": n.takes_ms(),
                })).collect::<Vec<_>>(),
                "one_by_one_ms": told.addressing.one_by_one_ms,
                "at_once_ms": told.addressing.at_once_ms,
                "not_reached": told.not_reached,
                "stay_without": told.stay_without,
                "said": in_a_sentence(site, rule),
            })
        })
        .collect()
}

/// The rules that name a controller or a load which is gone.
fn gone(site: &Site) -> Vec<&str> {
    let is_gone = |id: &dot_reach_core::site::DeviceId| site.devices.get(id).is_none();
    let of = site.rules.iter().filter(|rule| rule.controller().is_some_and(is_gone));
    of.map(|rule| rule.id.as_str()).collect()
}
