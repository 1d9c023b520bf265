//! The cards of power: off, shown to be off, on for finding lines, found on where it was to be off, and on again.

use dot_reach_core::gate::checks::{finding, power_cautions};
use dot_reach_core::gate::isolate;
use dot_reach_core::gate::{Gate, OpenedSince};
use dot_reach_core::install::schedule::PowerOff;
use dot_reach_core::install::walk::Stretch;
use dot_reach_core::record::{Cut, IsolationId, LineFinding};
use dot_reach_core::site::DeviceId;
use serde_json::json;

use super::moves::{Body, Isolating, Told, plain};
use super::overview::{labels, why};
use crate::pages::house_time::day;

/// The tester is shown to work.
pub(super) fn prove_card(gate: &Gate<'_>, of: Option<&IsolationId>) -> Told {
    let done = of.and_then(|i| gate.record().isolations.get(i)?.proven_before.clone());
    let mut act = json!({"do": "prove-tester", "after": false});
    if let Some(of) = of {
        act["isolation"] = json!(of);
    }
    Told {
        record: done.map(|at| day(&at)).unwrap_or_default(),
        act: act.to_string(),
        verb: "It works",
        ..plain(
            "Show that the tester works",
            "On a source that is known to be live, right before the tests. It is shown again after the tests of each \
             box.",
        )
    }
}

/// Power goes off again after lines were found.
pub(super) fn find_over_card(gate: &Gate<'_>, of: Option<&IsolationId>, time: usize) -> Told {
    Told {
        act: json!({"do": "end-finding", "isolation": of}).to_string(),
        verb: "It is off again",
        record: found_lines(gate, of, time, |f| {
            f.over.as_ref().map(|o| format!("by {}, {}", o.to, day(&o.at)))
        }),
        ..plain(
            "Switch off again",
            "The same breaker, locked as before. The tester is shown once more, and every open box is proved dead anew \
             before a hand goes in.",
        )
    }
}

/// What the record says of one time that lines were found under an isolation.
pub(super) fn found_lines(
    gate: &Gate<'_>,
    of: Option<&IsolationId>,
    time: usize,
    told: impl Fn(&LineFinding) -> Option<String>,
) -> String {
    let found = of.and_then(|i| gate.record().isolations.get(i)?.findings.get(time));
    found.and_then(told).unwrap_or_default()
}

/// Power is let in for finding lines.
pub(super) fn find_card(
    gate: &Gate<'_>,
    stretch: &Stretch,
    of: Option<&IsolationId>,
    time: usize,
) -> Told {
    let site = gate.site();
    let points = stretch.boxes.iter().filter_map(|d| site.point_of(site.devices.get(d)?));
    let mut boxes: Vec<(String, String)> =
        points.map(|p| site.box_of(p)).map(|lead| (lead.id.to_string(), lead.title())).collect();
    boxes.dedup();
    Told {
        cautions: vec![
            "Once it is on, the open boxes are live, with bare ends under their caps. Whoever the law does not let work here stops at this \
             card."
                .to_owned(),
            "One hand, probes by their guards, nobody on a ladder. Nothing is joined, capped or taken off while it is on."
                .to_owned(),
        ],
        body: Body::Find {
            boxes,
            checks: finding().map(|c| (c.word, c.text)).collect(),
        },
        act: json!({"do": "find-lines", "isolation": of}).to_string(),
        verb: "It is on for finding lines",
        record: found_lines(gate, of, time, |f| Some(format!("by {}, {}", f.by, day(&f.at)))),
        ..plain("Find the lines with the power on", "")
    }
}

pub(super) fn isolate_card(
    gate: &Gate<'_>,
    outage: Option<&PowerOff>,
    of: Option<&IsolationId>,
) -> Told {
    let Some(outage) = outage else { return plain("Switch off", "") };
    let site = gate.site();
    let record = off_record(gate, of);
    let means = if outage.cut.means.is_main() { Cut::Main } else { Cut::Breaker };
    let (low, high) = outage.off.range();
    Told {
        record,
        cautions: power_cautions().map(str::to_owned).collect(),
        body: Body::Isolate(Isolating {
            means: json!(means).as_str().unwrap_or_default().to_owned(),
            circuits: outage.cut.circuits.join(", "),
            boxes: labels(site, outage),
            why: why(outage),
            off: format!("{} to {}", super::overview::long(low), super::overview::long(high)),
            verified: isolate::really_off(site, &outage.cut.circuits),
        }),
        act: json!({"do": "isolate"}).to_string(),
        verb: "It is off and locked",
        stem: "iso",
        ..plain("Switch off", "")
    }
}

/// What is on record of something that is off.
pub(super) fn off_record(gate: &Gate<'_>, of: Option<&IsolationId>) -> String {
    let record = of.and_then(|i| gate.record().isolations.get(i)).map(|i| {
        format!("{} {}, by {}, {}", i.means.name(), i.circuits.join(", "), i.by, day(&i.at))
    });
    record.unwrap_or_default()
}

/// A box was found live: what goes off beside what is off, which stays off with it.
pub(super) fn further_card(gate: &Gate<'_>, stretch: &Stretch, of: Option<&IsolationId>) -> Told {
    let Some(off) = &stretch.further else { return plain("Switch off further", "") };
    let live = stretch.found_live(gate);
    let boxes: Vec<&str> = live.iter().map(|l| l.name.as_str()).collect();
    let found: Vec<&str> = live.iter().map(|l| l.found.as_str()).collect();
    Told {
        record: off_record(gate, of),
        cautions: power_cautions().map(str::to_owned).collect(),
        body: Body::Isolate(Isolating {
            means: json!(off.means).as_str().unwrap_or_default().to_owned(),
            circuits: off.circuits.join(", "),
            boxes: boxes.join(", "),
            why: format!(
                "Found live: {}. What is off already stays off with it, and both come on again.",
                found.join("; ")
            ),
            off: "as long as it takes".to_owned(),
            verified: String::new(),
        }),
        act: json!({"do": "isolate"}).to_string(),
        verb: "It is off and locked",
        stem: "iso",
        ..plain("Switch off further", "")
    }
}

pub(super) fn energise_card(gate: &Gate<'_>, of: Option<&IsolationId>) -> Told {
    let record = gate.record();
    let on = of.and_then(|i| record.isolations.get(i)?.energised.clone());
    let holder = of.and_then(|i| record.isolations.get(i)).map(|i| i.holder().to_owned());
    let text = holder.map_or_else(
        || "Look at every box once more: closed up or fitted, every hand out.".to_owned(),
        |holder| {
            format!(
                "Look at every box once more: closed up or fitted, every hand out. Then {holder} \
                 switches it on."
            )
        },
    );
    Told {
        record: on.map(|on| format!("by {}, {}", on.by, day(&on.at))).unwrap_or_default(),
        cautions: power_cautions().last().map(str::to_owned).into_iter().collect(),
        body: Body::Energise {
            text,
            opened: of.map(|of| opened(gate, of)).unwrap_or_default(),
            heard: of.map(|of| heard(gate, of)).unwrap_or_default(),
            hand_over: of
                .map(|i| json!({"do": "hand-over", "isolation": i}).to_string())
                .unwrap_or_default(),
        },
        act: match of {
            Some(of) => json!({"do": "energise", "isolation": of}),
            // The record waits for the connection; the page knows its id.
            None => json!({"do": "energise"}),
        }
        .to_string(),
        verb: "It is on again",
        ..plain("Switch on again", "")
    }
}

/// Whom the server heard last since something went off, and when.
fn heard(gate: &Gate<'_>, of: &IsolationId) -> String {
    let all = gate.heard_since(of).into_iter().map(|(by, at)| format!("{by} {}", day(&at)));
    all.collect::<Vec<_>>().join(", ")
}

/// Every box that was opened while something was off: its name, who opened it when, and how it stands.
fn opened(gate: &Gate<'_>, of: &IsolationId) -> Vec<(String, String, bool)> {
    let told = |of: OpenedSince| {
        let opened = format!("opened by {}, {}", of.by, day(&of.at));
        let safe = of.safe.map_or_else(
            || "nobody says that it is safe".to_owned(),
            |(by, at)| format!("safe by {by}, {}", day(&at)),
        );
        (of.name, format!("{opened}; {}", if of.is_open { "open" } else { &safe }), of.is_open)
    };
    gate.opened_since(of).into_iter().map(told).collect()
}

/// What was found live in the box of a device under what is off now, in words.
pub(super) fn found_live(gate: &Gate<'_>, device: &DeviceId) -> Vec<String> {
    let of = gate.record().in_force().filter_map(|i| Some((i, i.live.get(device)?)));
    of.map(|(i, live)| {
        let off = match (i.means.is_main(), i.circuits.as_slice()) {
            (true, _) => "the main switch".to_owned(),
            (false, circuits) => format!("breaker {}", circuits.join(" and ")),
        };
        format!("Live with {off} off: {}. Then: {}.", live.found, live.next.name())
    })
    .collect()
}
