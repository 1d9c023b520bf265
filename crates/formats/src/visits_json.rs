//! The visits of a job, and a code that was read, as JSON: `docs/ANALYSE.md` has the fields.

use dot_reach_core::Analysis;
use dot_reach_core::codes::Code;
use dot_reach_core::install::clock::Minutes;
use dot_reach_core::install::schedule::{
    Panel, PlannedVisit, PowerOff, Schedule, changes_in_order_of_joining,
};
use dot_reach_core::install::walk;
use serde_json::{Value, json};

fn minutes(of: Minutes) -> Value {
    let (low, high) = of.range();
    json!({ "likely": of.likely, "low": low, "high": high })
}

fn outage(outage: &PowerOff) -> Value {
    let boxes = outage.boxes.iter().map(|b| json!({ "point": b.point, "devices": b.devices }));
    json!({
        "key": outage.key,
        "title": walk::title(outage),
        "means": outage.cut.means,
        "circuits": outage.cut.circuits,
        "why": outage.cut.whys.iter().map(ToString::to_string).collect::<Vec<_>>(),
        "boxes": boxes.collect::<Vec<_>>(),
        "off_min": minutes(outage.off),
        "after_min": minutes(outage.live),
        "left_min": minutes(outage.left),
        "along": outage.along,
        "walk_m": outage.walk,
    })
}

fn visit(visit: &PlannedVisit) -> Value {
    let looks = visit.looks.iter().map(
        |l| json!({ "point": l.point, "ask": l.ask, "settles": l.settles, "minutes": l.minutes }),
    );
    json!({
        "key": visit.key,
        "minutes": minutes(visit.minutes),
        "left_min": minutes(visit.left),
        "licensed": visit.licensed,
        "installers": visit.installers,
        "looks": looks.collect::<Vec<_>>(),
        "first": visit.first,
        "outages": visit.outages.iter().map(outage).collect::<Vec<_>>(),
        "after": visit.after,
        "take": visit.take.iter().map(|(what, count)| json!({ "what": what, "count": count })).collect::<Vec<_>>(),
        "before": visit.before,
    })
}

/// The visits.
pub fn json(analysis: &Analysis, plan: &Schedule) -> Value {
    let panel = match &plan.panel {
        Panel::Seen(point) => json!({ "point": point, "known": "photo" }),
        Panel::Named(point) => json!({ "point": point, "known": "name" }),
        Panel::Guessed => json!({ "known": "guessed" }),
    };
    json!({
        "format": "dot-reach-visits",
        "version": 1,
        "visits": plan.visits.iter().map(visit).collect::<Vec<_>>(),
        "left_out": plan.left_out.iter().map(|l| json!({ "device": l.device, "why": l.why })).collect::<Vec<_>>(),
        "outages": plan.outages().count(),
        "changes_in_order_of_joining": changes_in_order_of_joining(analysis),
        "walk_m": plan.walk,
        "weight": plan.weight,
        "least_weight": plan.least,
        "least_proven": plan.is_least(),
        "shortest_proven": plan.is_least() && plan.is_shortest,
        "rehearsal": plan.rehearsal,
        "panel": panel,
    })
}

/// A code that was read.
pub fn code(code: &Code) -> Value {
    let mut value = match code {
        Code::Matter(m) => json!({ "vendor": m.vendor, "product": m.product,
            "discriminator": m.discriminator, "passcode": m.passcode }),
        Code::ZWave(l) => json!({ "pin": l.dsk.pin, "dsk": l.dsk.to_string().replace("PIN ", ""),
            "scan_ahead": l.is_scan_ahead, "keys": l.keys, "long_range": l.long_range }),
        Code::Dsk(d) => json!({ "pin": d.pin, "dsk": d.to_string().replace("PIN ", "") }),
        Code::Zigbee(c) => {
            let digit = |b: u8| char::from_digit(b.into(), 16).unwrap_or('0').to_ascii_uppercase();
            let hex: String =
                c.bytes().iter().flat_map(|b| [digit(b >> 4), digit(b & 15)]).collect();
            json!({ "install_code": hex })
        }
        Code::Text(text) => json!({ "text": text }),
    };
    value["format"] = code.name().into();
    value["checks_itself"] = code.checks_itself().into();
    value
}
