//! What a card of the day says: its heading, what to do and to beware of, and what a tap on it sends.

use dot_reach_core::Analysis;
use dot_reach_core::catalogue::Duty;
use dot_reach_core::codes;
use dot_reach_core::fit::candidates::{Candidate, instead};
use dot_reach_core::fit::{Fits, verdict};
use dot_reach_core::gate::Gate;
use dot_reach_core::gate::checks::{StepCheck, cautions, checks};
use dot_reach_core::gate::range_test::{least, rule_for};
use dot_reach_core::gate::work::{WorkKind, WorkedDevice};
use dot_reach_core::install::cards::{self, Card};
use dot_reach_core::install::schedule::PowerOff;
use dot_reach_core::install::walk::{Stretch, WalkAct};
use dot_reach_core::prove::accept::so_far;
use dot_reach_core::record::{Record, Step};
use dot_reach_core::site::{Device, DeviceId, Edit, Kind, NetworkId, Site};
use dot_reach_core::units::typographic;
use serde_json::json;

use super::power_moves::{
    energise_card, find_card, find_over_card, found_live, further_card, isolate_card, prove_card,
};
use super::wiring_sheet::{SettingsSheet, WiringSheet, settings_sheet, wiring};
use crate::pages::house_time::day;

/// What a card says beside its checks.
pub(super) enum Body {
    Plain(String),
    Dead {
        text: String,
        found: Vec<String>,
        device: String,
    },
    Isolate(Isolating),
    Wiring(Box<WiringSheet>),
    Settings(Box<SettingsSheet>),
    Code(CodeAsked),
    Join(Box<JoinSheet>),
    /// The range test: how it is done, what it shows so far, how many are sent, how many have to arrive, and the longest
    /// that one may take.
    Tested {
        text: String,
        told: String,
        count: u32,
        least: u32,
        slowest: String,
        /// Whom it may go over, where it was joined elsewhere; the hub first.
        parents: Vec<(String, String)>,
    },
    Open {
        what: String,
        notice: &'static str,
        expected: Vec<(String, bool)>,
    },
    Tie {
        /// How it is tied to each.
        ties: Vec<String>,
        masters: Vec<(String, String)>,
    },
    Energise {
        text: String,
        /// Boxes that were opened since: name, by whom and how each stands, whether it is open.
        opened: Vec<(String, String, bool)>,
        /// Whom the server heard last, and when.
        heard: String,
        hand_over: String,
    },
    /// Power is let in for finding lines: each box with its page, and what is looked at before.
    Find {
        boxes: Vec<(String, String)>,
        checks: Vec<(String, String)>,
    },
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
    /// What people notice meanwhile, where no card of its own says so.
    pub(super) notice: &'static str,
}

/// Something to look at.
pub(super) struct CheckLine {
    pub(super) word: String,
    pub(super) text: String,
    pub(super) is_ticked: bool,
    /// Whether it is ticked by itself, and not with the last tap of a card.
    pub(super) alone: bool,
}

/// A card in words.
pub(super) struct Told {
    pub(super) heading: String,
    pub(super) record: String,
    pub(super) cautions: Vec<String>,
    pub(super) checks: Vec<CheckLine>,
    pub(super) body: Body,
    pub(super) act: String,
    pub(super) back: String,
    pub(super) verb: &'static str,
    pub(super) stem: &'static str,
    /// Putting the old wiring back, where the box is open.
    pub(super) put_back: Option<PutBack>,
    /// Where what was found in an open box speaks against what is planned there.
    pub(super) surprise: Option<Surprise>,
}

/// Putting the old wiring back: what is looked at first, and the act.
pub(super) struct PutBack {
    pub(super) checks: Vec<StepCheck>,
    pub(super) act: String,
}

/// A box that is not as it was planned: what speaks against the device, and what fits in its stead.
pub(super) struct Surprise {
    pub(super) says: &'static str,
    pub(super) against: Vec<String>,
    /// Name, what it costs, and the edit that plans it here.
    pub(super) others: Vec<(String, String, String)>,
    /// The edit that plans a blank cover here, and what that costs; nothing where none fits.
    pub(super) blank: Option<(String, String)>,
    /// The place, whose facts are written down.
    pub(super) point: String,
}

/// As many as a thumb looks through.
const MOST_OTHERS: usize = 4;

fn surprise(site: &Site, spot: &WorkedDevice<'_>) -> Option<Surprise> {
    let (against, fitting) = instead(site, spot.device)?;
    let (blanks, others): (Vec<_>, Vec<_>) = fitting.iter().partition(|c| c.kind.is_cover());
    let other = |c: &Candidate<'_>| {
        let price =
            c.kind.fit.price.map(|p| format!("{} {}", typographic(p, 0), site.job.currency));
        let edit = Edit::set(Kind::Device, &spot.device.id, "kind", c.kind.id.as_str());
        (c.kind.name.clone(), price.unwrap_or_default(), json!(edit).to_string())
    };
    Some(Surprise {
        says: match verdict(&against) {
            Fits::No => "As the box is now this does not go in.",
            Fits::ElectricianDecides => {
                "As the box is now an electrician decides whether this goes in."
            }
            Fits::NotKnown | Fits::IfSo | Fits::Yes => "It is not known whether this goes in here.",
        },
        against: against.iter().map(ToString::to_string).collect(),
        others: others.into_iter().take(MOST_OTHERS).map(other).collect(),
        blank: blanks.first().map(|c| other(c)).map(|(_, price, edit)| (edit, price)),
        point: spot.point.id.to_string(),
    })
}

pub(super) fn told(
    analysis: &Analysis,
    gate: &Gate<'_>,
    outage: Option<&PowerOff>,
    stretch: &Stretch,
    act: &WalkAct,
) -> Told {
    let (site, record): (&Site, _) = (&analysis.site, gate.record());
    match act {
        WalkAct::Isolate { of, further: true } => further_card(gate, stretch, of.as_ref()),
        WalkAct::Isolate { of, .. } => isolate_card(gate, outage, of.as_ref()),
        WalkAct::ProveTester { of, .. } => prove_card(gate, of.as_ref()),
        WalkAct::Energise { of, .. } => energise_card(gate, of.as_ref()),
        WalkAct::Find { of, time } => find_card(gate, stretch, of.as_ref(), *time),
        WalkAct::FindOver { of, time } => find_over_card(gate, of.as_ref(), *time),
        WalkAct::Open { network, expected, .. } => open_card(site, gate, network, expected),
        WalkAct::Close { network, of, .. } => {
            let name = network_name(site, network);
            let at = of.as_ref().and_then(|o| record.open_times.get(o)?.closed.clone());
            Told {
                record: at.map(|at| day(&at)).unwrap_or_default(),
                act: json!({"do": "close-network", "id": of}).to_string(),
                verb: "It is closed",
                ..plain(&format!("Close {name}"), &cards::closing(site, network))
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

pub(super) fn plain(heading: &str, text: &str) -> Told {
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
        put_back: None,
        surprise: None,
    }
}

fn network_name(site: &Site, network: &NetworkId) -> String {
    site.networks.get(network).map_or_else(String::new, |n| n.name.clone())
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
            what: way.map_or_else(String::new, |w| cards::opening(site, network, &w)),
            notice: site.networks.get(network).map_or("", |n| cards::notice(n.system)),
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
    let checks = checks(spot, step).into_iter().map(|c| CheckLine {
        is_ticked: ticked(&c.word),
        word: c.word,
        text: c.text,
        alone: c.alone,
    });
    let record = gate.record().done(device, step).map(|done| {
        let why = &done.why;
        let why = if why.is_empty() { String::new() } else { format!(", because {why}") };
        format!("by {}, {}{why}", done.by, day(&done.at))
    });
    let mut all: Vec<String> = cautions(spot, step);
    let (heading, text) = match (step, spot.work()) {
        (Step::Powered, WorkKind::Hub) => {
            ("See that it starts", "Its light says that it runs, before anything is joined to it.")
        }
        (Step::Excluded, _) if spot.device.replaces_dead => (
            "Take the dead unit out of the list first",
            cards::leaving(spot).unwrap_or("Remove it as failed in the hub's list"),
        ),
        _ => asks(spot, step),
    };
    let body = match step {
        Step::Dead => Body::Dead {
            text: text.to_owned(),
            found: found_live(gate, device),
            device: device.to_string(),
        },
        Step::Wired => Body::Wiring(Box::new(wiring(spot, gate.record()))),
        Step::Settings => Body::Settings(Box::new(settings_sheet(spot, gate.record()))),
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
        Step::Tested => tested(spot, gate, text),
        Step::Tied => Body::Tie {
            ties: cards::ties(spot),
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
        put_back: in_box.then(|| put_back(spot)),
        surprise: if is_first_open(gate, spot, step) { surprise(site, spot) } else { None },
    }
}

fn put_back(spot: &WorkedDevice<'_>) -> PutBack {
    let (device, step) = (&spot.device.id, Step::PutBack);
    let act = json!({"do": "take-step", "device": device, "step": step});
    PutBack { checks: checks(spot, step), act: act.to_string() }
}

/// Whether a step is the first that is left in an open box before anything is wired: there stands what speaks against it.
fn is_first_open(gate: &Gate<'_>, spot: &WorkedDevice<'_>, step: Step) -> bool {
    let device = &spot.device.id;
    let left = |s: &Step| spot.takes(*s) && !gate.holds(device, *s);
    let first = [Step::Noted, Step::Wired].into_iter().find(left);
    gate.holds(device, Step::Dead) && first == Some(step)
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
        Step::Bench => (
            "Wire it into the lamp, plug in the hand",
            "At a table, by the maker’s diagram. Its code is kept before the body is closed.",
        ),
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

/// The range test of a device, with what it shows so far where something was pressed already.
fn tested(spot: &WorkedDevice<'_>, gate: &Gate<'_>, text: &str) -> Body {
    let record = gate.record();
    let rule = rule_for(spot.site, record, spot.device);
    let pressed = record.range_tests.iter().any(|t| t.device == spot.device.id);
    let (shown, more) = so_far(spot.site, record, spot.device);
    Body::Tested {
        text: text.to_owned(),
        told: if pressed { format!("{shown} {more}") } else { String::new() },
        count: rule.count,
        least: least(&rule),
        slowest: rule.delay_ms.map(|ms| typographic(ms, 0)).unwrap_or_default(),
        parents: if gate.joined_elsewhere(&spot.device.id) { parents(spot) } else { Vec::new() },
    }
}

/// Whom a device may go over: the hubs of its network, and what forwards in it.
fn parents(spot: &WorkedDevice<'_>) -> Vec<(String, String)> {
    let site = spot.site;
    let of = |d: &&Device| d.network == spot.device.network && d.id != spot.device.id;
    let kind = |d: &Device| site.kind(&d.kind);
    let is_hub = |d: &Device| kind(d).is_some_and(|k| k.duty == Duty::Hub);
    let forwards = |d: &Device| d.forwards.unwrap_or(kind(d).is_some_and(|k| k.forwards));
    let hubs = site.devices.iter().filter(of).filter(|d| is_hub(d));
    let others = site.devices.iter().filter(of).filter(|d| !is_hub(d) && forwards(d));
    hubs.chain(others).map(|d| (d.id.to_string(), d.name.clone())).collect()
}

fn kept_codes(spot: &WorkedDevice<'_>, record: &Record) -> Vec<String> {
    let system = spot.network.map(|n| n.system);
    let of = record.codes_of(&spot.device.id);
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
        notice: spot.network.filter(|n| !n.rule().opens).map_or("", |n| cards::notice(n.system)),
        network: spot.device.network.to_string(),
        card,
    }
}
