//! What a card of the day says: its heading, what to do and to beware of, and what a tap on it sends.

use dot_reach_core::Analysis;
use dot_reach_core::bill::{connector, joints, staying};
use dot_reach_core::catalogue::DeviceKind;
use dot_reach_core::codes;
use dot_reach_core::fit::FitPlace;
use dot_reach_core::gate::Gate;
use dot_reach_core::gate::checks::{cautions, checks, power_cautions, settings};
use dot_reach_core::gate::isolate;
use dot_reach_core::gate::work::{WorkKind, WorkedDevice};
use dot_reach_core::install::cards::{self, Card};
use dot_reach_core::install::schedule::PowerOff;
use dot_reach_core::install::walk::WalkAct;
use dot_reach_core::record::{Connected, Cut, IsolationId, Record, Step, WiringRecord};
use dot_reach_core::site::{DeviceId, Function, NetworkId, Point, Site};
use dot_reach_core::survey::lines::as_tested;
use dot_reach_core::units::typographic;
use dot_reach_core::wires::{BoxPlan, ConductorPlan, of_place};
use serde_json::json;

use super::overview::{labels, why};
use crate::drawing::wires::{WireDiagram, diagram};
use crate::pages::jobs::day;

/// What a card says beside its checks.
pub(super) enum Body {
    Plain(String),
    Isolate(Isolating),
    Wiring(Box<WiringSheet>),
    Settings(Box<WiringSheet>),
    Code(CodeAsked),
    Join(Box<JoinSheet>),
    Open { what: String, expected: Vec<(String, bool)> },
    Tie { masters: Vec<(String, String)> },
    Energise { text: String, hand_over: String },
}

/// What is switched off, as the form begins.
pub(super) struct Isolating {
    pub(super) means: String,
    pub(super) circuits: String,
    pub(super) boxes: String,
    pub(super) why: String,
    pub(super) off: String,
    pub(super) verified: String,
}

/// How a device is wired.
pub(super) struct WiringSheet {
    pub(super) id: String,
    pub(super) is_new: bool,
    pub(super) put: String,
    pub(super) diagram: String,
    pub(super) diagrams: Vec<String>,
    pub(super) strip: String,
    /// Which side tabs come off it; empty where none does.
    pub(super) tabs: String,
    pub(super) terminals: String,
    pub(super) connectors: Vec<String>,
    /// Each conductor: what it is, where it was, where it goes, whether it is capped.
    pub(super) conductors: Vec<[String; 4]>,
    /// Whether each is ticked; empty where nothing can be.
    pub(super) ticked: Vec<bool>,
    /// How the old wiring comes back, conductor by conductor.
    pub(super) put_back_plan: Vec<String>,
    /// The diagram of its box, where there is a plan of it.
    pub(super) diagram_of: Option<WireDiagram>,
    /// Leads that are made new.
    pub(super) leads: Vec<String>,
    /// What is open, before anything of the control is wired.
    pub(super) open: Vec<String>,
    /// Whether nobody listed the conductors of the box: its plan is how such a box usually is.
    pub(super) is_usual: bool,
    /// How many states the plan was tried in; nought where there is none.
    pub(super) tried: usize,
    pub(super) put_back: String,
    pub(super) old_device: String,
    pub(super) hidden: Vec<(String, String)>,
    pub(super) point: String,
}

/// A code that is asked for.
pub(super) struct CodeAsked {
    pub(super) wher: String,
    pub(super) kept: Vec<String>,
}

/// How a device is joined.
pub(super) struct JoinSheet {
    pub(super) card: Card,
    pub(super) is_zwave: bool,
    pub(super) by_way_of: String,
    pub(super) code: Vec<String>,
    pub(super) elsewhere: bool,
    pub(super) network: String,
}

/// A card in words.
pub(super) struct Told {
    pub(super) heading: String,
    pub(super) record: String,
    pub(super) cautions: Vec<String>,
    pub(super) checks: Vec<(String, String, bool)>,
    pub(super) body: Body,
    pub(super) act: String,
    pub(super) back: String,
    pub(super) verb: &'static str,
    pub(super) stem: &'static str,
    pub(super) other: Option<(String, &'static str)>,
}

pub(super) fn told(
    analysis: &Analysis,
    gate: &Gate<'_>,
    outage: Option<&PowerOff>,
    act: &WalkAct,
) -> Told {
    let (site, record): (&Site, _) = (&analysis.site, gate.record());
    match act {
        WalkAct::Isolate { of } => isolate_card(gate, outage, of.as_ref()),
        WalkAct::ProveTester { of } => {
            let done = of.as_ref().and_then(|i| record.isolations.get(i)?.proven_before.clone());
            let act =
                of.as_ref().map(|i| json!({"do": "prove-tester", "isolation": i, "after": false}));
            Told {
                record: done.map(|at| day(&at)).unwrap_or_default(),
                act: act
                    .unwrap_or_else(|| json!({"do": "prove-tester", "after": false}))
                    .to_string(),
                verb: "It works",
                ..plain(
                    "Show that the tester works",
                    "On a source that is known to be live, right before the tests. It is shown again after \
                     the tests of each box.",
                )
            }
        }
        WalkAct::Energise { of } => energise_card(gate, of.as_ref()),
        WalkAct::Open { network, expected } => open_card(site, gate, network, expected),
        WalkAct::Close { network, of, .. } => {
            let name = network_name(site, network);
            let at = of.as_ref().and_then(|o| record.open_times.get(o)?.closed.clone());
            Told {
                record: at.map(|at| day(&at)).unwrap_or_default(),
                act: json!({"do": "close-network", "id": of}).to_string(),
                verb: "It is closed",
                ..plain(
                    &format!("Close {name}"),
                    "Close it at the hub, and look that the hub says so: what stands open lets in whatever \
                     asks.",
                )
            }
        }
        WalkAct::Rebuild { network, of } => {
            let name = network_name(site, network);
            let at = of.as_ref().and_then(|o| record.open_times.get(o)?.rebuilt.clone());
            Told {
                record: at.map(|at| day(&at)).unwrap_or_default(),
                act: json!({"do": "rebuild-routes", "id": of}).to_string(),
                verb: "Begun at the hub",
                ..plain(
                    &format!("Rebuild the routes of {name}"),
                    "After the last that was added: the hub finds the ways anew. It takes minutes to hours; \
                     nobody waits for it here.",
                )
            }
        }
        WalkAct::Step { device, step } => match WorkedDevice::of(site, device) {
            Some(spot) => step_card(analysis, gate, &spot, *step),
            None => plain("This device is gone", ""),
        },
    }
}

fn plain(heading: &str, text: &str) -> Told {
    Told {
        heading: heading.to_owned(),
        record: String::new(),
        cautions: Vec::new(),
        checks: Vec::new(),
        body: Body::Plain(text.to_owned()),
        act: String::new(),
        back: String::new(),
        verb: "Done",
        stem: "",
        other: None,
    }
}

fn network_name(site: &Site, network: &NetworkId) -> String {
    site.networks.get(network).map_or_else(String::new, |n| n.name.clone())
}

fn isolate_card(gate: &Gate<'_>, outage: Option<&PowerOff>, of: Option<&IsolationId>) -> Told {
    let Some(outage) = outage else { return plain("Switch off", "") };
    let site = gate.site();
    let record = of.and_then(|i| gate.record().isolations.get(i)).map(|i| {
        let what = Cut::ALL.iter().find(|(m, _)| *m == i.means).map_or("", |(_, words)| words);
        format!("{what} {}, by {}, {}", i.circuits.join(", "), i.by, day(&i.at))
    });
    let means = if outage.cut.means.is_main() { Cut::Main } else { Cut::Breaker };
    let (low, high) = outage.off.range();
    Told {
        record: record.unwrap_or_default(),
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

fn energise_card(gate: &Gate<'_>, of: Option<&IsolationId>) -> Told {
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

fn open_card(site: &Site, gate: &Gate<'_>, network: &NetworkId, expected: &[DeviceId]) -> Told {
    let name = network_name(site, network);
    let listed = expected
        .iter()
        .filter_map(|d| Some((site.devices.get(d)?.name.clone(), gate.holds(d, Step::Joined))));
    let way =
        expected.first().and_then(|d| WorkedDevice::of(site, d)).and_then(|s| cards::card(&s));
    let open = gate.open_time(network);
    Told {
        record: open.map(|o| format!("by {}, {}", o.by, day(&o.at))).unwrap_or_default(),
        body: Body::Open {
            what: way.map_or_else(String::new, |w| format!("{}; {}.", w.opens, w.direction)),
            expected: listed.collect(),
        },
        act: json!({"do": "open-network", "network": network, "expected": expected}).to_string(),
        verb: "It is open",
        stem: "open",
        ..plain(&format!("Open {name}"), "")
    }
}

fn step_card(analysis: &Analysis, gate: &Gate<'_>, spot: &WorkedDevice<'_>, step: Step) -> Told {
    let site = spot.site;
    let device = &spot.device.id;
    let mark = gate.mark(device, step);
    let ticked = |word: &String| mark.is_some_and(|m| m.checks.contains(word));
    let checks = checks(spot, step).into_iter().map(|c| {
        let is = ticked(&c.word);
        (c.word, c.text, is)
    });
    let record = gate.record().done(device, step).map(|done| {
        let why = &done.why;
        let why = if why.is_empty() { String::new() } else { format!(", because {why}") };
        format!("by {}, {}{why}", done.by, day(&done.at))
    });
    let mut all: Vec<String> = cautions(spot, step).into_iter().map(str::to_owned).collect();
    let (heading, text) = match (step, spot.work()) {
        (Step::Powered, WorkKind::Hub) => {
            ("See that it starts", "Its light says that it runs, before anything is joined to it.")
        }
        _ => asks(spot, step),
    };
    let body = match step {
        Step::Wired => Body::Wiring(Box::new(wiring(spot, gate.record()))),
        Step::Settings => Body::Settings(Box::new(WiringSheet {
            hidden: as_set(spot, gate.record()),
            ..wiring(spot, gate.record())
        })),
        Step::Code => Body::Code(CodeAsked {
            wher: spot.kind.join.code.clone(),
            kept: kept_codes(spot, gate.record()),
        }),
        Step::Joined => match cards::card(spot) {
            Some(card) => {
                all.extend(card.warnings.iter().cloned());
                Body::Join(Box::new(join(analysis, gate, spot, card)))
            }
            None => Body::Plain(text.to_owned()),
        },
        Step::Tied => Body::Tie {
            masters: spot
                .masters()
                .iter()
                .filter_map(|m| Some((m.to_string(), site.devices.get(m)?.name.clone())))
                .collect(),
        },
        _ => Body::Plain(text.to_owned()),
    };
    let (act, stem) = match step {
        Step::Joined => (json!({"do": "join", "device": device}), "join"),
        Step::Code => (json!({"do": "keep-code", "device": device}), "code"),
        Step::Tied => (json!({"do": "tie", "device": device}), "tie"),
        _ => (json!({"do": "take-step", "device": device, "step": step}), ""),
    };
    let put_back = json!({"do": "take-step", "device": device, "step": Step::PutBack});
    let in_box = matches!(step, Step::Noted | Step::Wired | Step::Checked | Step::DryFitted);
    Told {
        heading: heading.to_owned(),
        record: record.unwrap_or_default(),
        cautions: all,
        checks: checks.collect(),
        body,
        act: act.to_string(),
        back: json!({"do": "take-back", "device": device, "step": step}).to_string(),
        verb: "Done",
        stem,
        other: in_box
            .then(|| (put_back.to_string(), "Not today: the old wiring is back, the box is safe")),
    }
}

/// What a step asks to do.
fn asks(spot: &WorkedDevice<'_>, step: Step) -> (&'static str, &'static str) {
    match step {
        Step::Excluded => (
            "Take the old device out of the list first",
            cards::leaving(spot)
                .unwrap_or("Take it out of the hub's list while it still has power"),
        ),
        Step::Dead => (
            "Prove the box dead",
            "At the terminals as they are, the neighbours too: nothing is taken off yet.",
        ),
        Step::Noted => (
            "Photograph and note the old wiring",
            "Before anything is taken off, so that it can be put back as it was.",
        ),
        Step::Code => ("Keep its code", ""),
        Step::Wired => ("Wire it", ""),
        Step::Checked => ("Check the joints", "One after the other, by hand."),
        Step::DryFitted => {
            ("Fit it without its plate", "Pushed in as it will stay, so that power can come back.")
        }
        Step::PutBack => ("Put the old wiring back", ""),
        Step::Placed => ("Put it where it will live", ""),
        Step::Powered => (
            "Try it by its own button",
            "Without any hub: what does not work now will not work later.",
        ),
        Step::Phone => ("Make the phone ready", ""),
        Step::Firmware => {
            ("Bring the hub up to date", "Restarts take minutes; nothing is joined meanwhile.")
        }
        Step::Clock => {
            ("Set time and place on the hub", "Before anything goes by sunrise or by the clock.")
        }
        Step::Joined => ("Join it", ""),
        Step::Identified => (
            "See that it is the right one",
            "Press identify in the app, and look; then press the button here, and look in the app.",
        ),
        Step::Settings => ("Set it up", "What it does when power comes back, and how it feels."),
        Step::Tied => ("Tie it to its master", "Until then it works nothing."),
        Step::Decoupled => ("Let the button speak, and the relay stay closed", ""),
        Step::Tested => {
            ("Test the range where it stays", "From where people stand, with the door shut.")
        }
        Step::Closed => {
            ("Close it", "Plate, cover or glue: the last thing, when all of the above holds.")
        }
        Step::Named => ("Name it in every platform", "Room and what it does, the same everywhere."),
        Step::Shown => ("Show it to the household", ""),
    }
}

fn kept_codes(spot: &WorkedDevice<'_>, record: &Record) -> Vec<String> {
    let system = spot.network.map(|n| n.system);
    let of = record.join_codes.iter().filter(|c| c.device == spot.device.id);
    of.map(|c| {
        if c.text.is_empty() {
            return "a photo of the label".to_owned();
        }
        codes::parse(&c.text, system).map_or_else(
            |_| "a text that is no known code".to_owned(),
            |code| {
                let checks = if code.checks_itself() {
                    "its check digits agree"
                } else {
                    "it has no check digit: read it twice"
                };
                format!("{}: {code}; {checks}", code.name())
            },
        )
    })
    .collect()
}

pub(super) fn wiring(spot: &WorkedDevice<'_>, told: &Record) -> WiringSheet {
    let site = spot.site;
    let lead = site.box_of(spot.point);
    let record = told.wiring_records.iter().find(|r| r.device == spot.device.id);
    let id = format!("w-{}", spot.device.id);
    let id = record.map_or(id, |r| r.id.to_string());
    let in_box = site.points.iter().filter(|p| site.box_of(p).id == lead.id);
    let kinds: Vec<&DeviceKind> = in_box
        .flat_map(|p| site.devices_at(&p.id))
        .filter_map(|d| site.kind(&d.kind))
        .filter(|k| k.is_wired_in())
        .collect();
    let found = as_tested(&lead.conductors);
    let connectors = joints(&found, &kinds, staying(lead)).into_iter().map(|met| {
        let row = dot_reach_core::catalogue::rates::row(connector(met));
        format!("{met} meet: {}", row.map_or("", |r| r.name.as_str()).to_lowercase())
    });
    let control = of_place(site, &spot.point.id);
    let planned = control.as_ref().and_then(|c| c.boxes.iter().find(|b| b.point == spot.point.id));
    let open = control.as_ref().map(|c| c.open.clone()).unwrap_or_default();
    let is_open = planned.is_none() && !open.is_empty();
    let conductors = found.iter().zip(&lead.conductors).map(|(c, noted)| {
        let count = if c.count > 1 { format!("{} × ", c.count) } else { String::new() };
        let goes = if c.found != noted.found {
            format!("nowhere yet: noted as {}, and the tests speak against it", named(noted.found))
        } else if c.capped || c.found == Function::Spare {
            "capped by itself".to_owned()
        } else if !c.new_terminal.is_empty() {
            c.new_terminal.clone()
        } else if is_open && c.found != Function::Earth {
            "nowhere yet: see what is open".to_owned()
        } else {
            terminal(spot.kind, c.found)
        };
        [format!("{count}{}", named(c.found)), c.colour.clone(), c.old_terminal.clone(), goes]
    });
    let conductors: Vec<[String; 4]> = match planned {
        Some(plan) => plan.conductors.iter().map(|c| as_planned(c, plan, spot, lead)).collect(),
        None => conductors.collect(),
    };
    let said =
        |name: &String| record.and_then(|r| r.settings.get(name)).cloned().unwrap_or_default();
    let planned_now = planned.map_or_else(Vec::new, |plan| connected(plan, &conductors));
    // What was kept when it was wired stays; before that the plan of today is what will be kept.
    let lacks = record.is_none_or(|r| r.connected.is_empty()) && !planned_now.is_empty();
    let kept = record.map(|r| r.connected.clone()).filter(|c| !c.is_empty());
    let put = id.parse().ok().map(|id| {
        let blank = || WiringRecord::new(id, spot.device.id.clone());
        let mut new = record.cloned().unwrap_or_else(blank);
        if lacks {
            new.connected.clone_from(&planned_now);
        }
        json!({"do": "put", "kind": "wiring-record", "value": new}).to_string()
    });
    let kept = kept.unwrap_or(planned_now);
    let ticked: Vec<bool> = kept.iter().map(|c| c.done).collect();
    let conductors = if kept.is_empty() { conductors } else { as_kept(&kept, &conductors) };
    let put_back_plan = record.map(WiringRecord::put_back_plan).unwrap_or_default();
    let leads = planned.into_iter().flat_map(|b| &b.leads);
    let leads = leads.map(|l| format!("New lead, {}: {} to {}", l.carries, l.from, l.to));
    WiringSheet {
        diagram_of: planned.map(diagram),
        leads: leads.collect(),
        is_usual: planned.is_some_and(|b| !b.conductors.iter().any(|c| c.is_surveyed)),
        tried: control.as_ref().map_or(0, |c| c.works.len()),
        open,
        is_new: record.is_none() || lacks,
        ticked,
        put_back_plan,
        put: put.unwrap_or_default(),
        diagram: record.map(|r| r.diagram.clone()).unwrap_or_default(),
        diagrams: spot.kind.wiring.diagrams.clone(),
        strip: spot.kind.wiring.strip_mm.map(|mm| typographic(mm, 0)).unwrap_or_default(),
        tabs: match FitPlace::of(site, spot.point, Some(spot.device)).tabs_words() {
            None => "say its gang: it decides which side tabs come off".to_owned(),
            Some("") => String::new(),
            Some(which) => format!("side tabs off before it is mounted: {which}"),
        },
        terminals: spot.kind.wiring.terminals.join(", "),
        connectors: connectors.collect(),
        conductors,
        put_back: record.map(|r| r.put_back.clone()).unwrap_or_default(),
        old_device: record.map(|r| r.old_device.clone()).unwrap_or_default(),
        hidden: spot.kind.wiring.hidden.iter().map(|h| (h.clone(), said(h))).collect(),
        point: spot.point.id.to_string(),
        id,
    }
}

/// What is kept of a box as its plan has it today.
fn connected(plan: &BoxPlan, rows: &[[String; 4]]) -> Vec<Connected> {
    let row = |(c, [was, _, was_at, goes]): (&ConductorPlan, &[String; 4])| Connected {
        id: conductor_name(c),
        was: was.clone(),
        was_at: was_at.clone(),
        becomes: c.becomes.clone(),
        goes: goes.clone(),
        done: false,
    };
    plan.conductors.iter().zip(rows).map(row).collect()
}

/// The rows of a box as they were kept, with the colours of today.
fn as_kept(kept: &[Connected], rows: &[[String; 4]]) -> Vec<[String; 4]> {
    let colours = rows.iter().map(|[_, colour, ..]| colour.clone());
    let colours = colours.chain(std::iter::repeat(String::new()));
    let row = |(c, colour): (&Connected, String)| {
        [c.was.clone(), colour, c.was_at.clone(), c.goes.clone()]
    };
    kept.iter().zip(colours).map(row).collect()
}

/// What a conductor was found to be, in words.
fn named(f: Function) -> &'static str {
    Function::ALL.iter().find(|(of, _)| *of == f).map_or("", |(_, w)| w)
}

/// What a conductor is called among the others of its box.
fn conductor_name(c: &ConductorPlan) -> String {
    if c.is_surveyed { c.id.clone() } else { format!("the {} from {}", named(c.was), c.towards) }
}

/// A conductor as the plan of its box has it: what it is, its colour, where it was, where it goes.
fn as_planned(
    c: &ConductorPlan,
    plan: &BoxPlan,
    spot: &WorkedDevice<'_>,
    lead: &Point,
) -> [String; 4] {
    let noted =
        lead.conductors.iter().find(|n| n.id == c.id || c.id.starts_with(&format!("{}.", n.id)));
    if let Some(own) = noted.filter(|n| !n.new_terminal.is_empty()) {
        return [
            named(c.was).to_owned(),
            c.colour.clone(),
            c.was_at.clone(),
            own.new_terminal.clone(),
        ];
    }
    let mut goes: Vec<String> = c
        .terminals
        .iter()
        .map(|(of, name)| match of {
            Some(of) if *of != spot.device.id => {
                let other = spot.site.devices.get(of).map_or("", |d| d.name.as_str());
                format!("{name} of {other}")
            }
            _ => name.clone(),
        })
        .collect();
    if !c.joins.is_empty() {
        let of = plan.conductors.iter().filter(|other| c.joins.contains(&other.id));
        let names: Vec<String> = of.map(conductor_name).collect();
        goes.push(format!("joined with {}", names.join(", ")));
    }
    if c.capped {
        goes.push("capped by itself".to_owned());
    }
    if let Some(noted) = noted.filter(|n| n.found != c.was) {
        let as_noted = named(noted.found);
        goes = vec![format!("nowhere yet: noted as {as_noted}, and the tests speak against it")];
    }
    if goes.is_empty() {
        goes.push(c.becomes.clone());
    }
    if !c.mark.is_empty() {
        goes.push(c.mark.clone());
    }
    let leads = if c.towards.is_empty() { String::new() } else { format!(", {}", c.towards) };
    let what = if c.is_surveyed {
        format!("{} {}{leads}", named(c.was), c.id)
    } else {
        format!("{}{leads}", named(c.was))
    };
    [what, c.colour.clone(), c.was_at.clone(), goes.join("; ")]
}

/// What is kept of a device as it was set, each with what stands on record.
fn as_set(spot: &WorkedDevice<'_>, told: &Record) -> Vec<(String, String)> {
    let record = told.wiring_records.iter().find(|r| r.device == spot.device.id);
    let said = |name: &str| record.and_then(|r| r.settings.get(name)).cloned().unwrap_or_default();
    settings(spot).map(|name| (name.to_owned(), said(name))).collect()
}

/// The terminal that a conductor goes to, by what it is; a hint that the maker's sheet overrules.
fn terminal(kind: &DeviceKind, found: Function) -> String {
    let wanted = match found {
        Function::Line => "line",
        Function::Neutral => "neutral",
        Function::Earth => "earth",
        Function::Switched => "load",
        Function::Traveller => "traveller",
        Function::Spare | Function::Unknown => return String::new(),
    };
    let has = kind.wiring.terminals.iter().any(|t| t == wanted);
    if has { wanted.to_owned() } else { format!("no {wanted} terminal: stays joined through") }
}

fn join(analysis: &Analysis, gate: &Gate<'_>, spot: &WorkedDevice<'_>, card: Card) -> JoinSheet {
    let site = spot.site;
    let found = analysis.networks.iter().find_map(|n| Some((n, n.place_of(&spot.device.id)?)));
    let route = found.map(|(n, place)| n.first_route(place)).unwrap_or_default();
    let carrier = route.last().filter(|_| route.len() > 1).map(|hop| &hop.from);
    let by_way_of = carrier.and_then(|d| Some((d, site.devices.get(d)?))).map(|(id, device)| {
        let is_in = gate.holds(id, Step::Joined);
        let then =
            if is_in { "is in" } else { "is not in yet: it may take a worse parent, and keep it" };
        format!("By the plan {} carries it, which {then}.", device.name)
    });
    JoinSheet {
        is_zwave: spot.network.is_some_and(|n| n.system.is_zwave()),
        by_way_of: by_way_of.unwrap_or_default(),
        code: kept_codes(spot, gate.record()),
        elsewhere: gate.joined_elsewhere(&spot.device.id),
        network: spot.device.network.to_string(),
        card,
    }
}
