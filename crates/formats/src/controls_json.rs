//! Who works what, as JSON: `docs/ANALYSE.md` has the fields.

use dot_reach_core::Analysis;
use dot_reach_core::control::{Outage, check, ends_with_breaker, told, works_in};
use dot_reach_core::rules::in_a_sentence;
use dot_reach_core::site::{Site, Trigger};
use dot_reach_core::spoken::{Alike, Meant, NameBook, near_twins};
use serde_json::{Map, Value, json};

/// The words of the outages, in the order of [`Outage::ALL`].
const OUTAGES: [&str; 4] = ["internet", "router", "hub", "phone"];

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
        "gone": gone(site),
    })
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
                "messages": told.addressing.members,
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
