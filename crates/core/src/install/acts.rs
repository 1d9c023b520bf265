//! What is tapped on the day: each act gives the edit that it stands for, or says what speaks against it. A
//! mark is made by an act and by nothing else.

use std::collections::BTreeSet;

use serde::Deserialize;
use serde_json::json;

use super::rules::{is_done_anew, is_open_box};
use super::state::{Missing, State};
use super::work::Spot;
use super::{checks, isolate, retest};
use crate::codes;
use crate::site::{
    Cut, DeviceId, Edit, Energised, HandedOver, Isolation, IsolationId, JoinCode, JoinCodeId,
    JoinedAt, Joining, JoiningId, Kind, Mark, MarkId, Method, NetworkId, OpenTime, OpenTimeId, Ref,
    Refusal, RoomId, Secured, Security, Site, Step, Taken, Wrong,
};
use crate::units::Dbm;

/// An act of the day.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[serde(deny_unknown_fields)]
#[expect(missing_docs, reason = "each variant says what its fields are for")]
pub enum Act {
    /// Switches circuits off: refused where the means is not enough for what is on them.
    Isolate {
        id: IsolationId,
        means: Cut,
        #[serde(default)]
        circuits: Vec<String>,
        /// What was found to make them dead, where labels say otherwise.
        #[serde(default)]
        verified: String,
        #[serde(default)]
        secured: Secured,
        #[serde(default)]
        tester: String,
        #[serde(default)]
        told: String,
        by: String,
        at: String,
    },
    /// Shows that the tester works on a known source: before the tests, and after them.
    ProveTester { isolation: IsolationId, after: bool, at: String },
    /// Hands an isolation over: whoever took it over switches it on.
    HandOver { isolation: IsolationId, by: String, to: String, at: String },
    /// Switches on again. Refused while a box is open, and to anyone who neither switched it off nor took
    /// it over.
    Energise { isolation: IsolationId, by: String, at: String },
    /// Ticks one thing that a step asks to look at, or takes the tick away.
    Check { device: DeviceId, step: Step, check: String, on: bool },
    /// Takes a step. What speaks against it refuses it; where a rule yields, `why` overrules it.
    TakeStep {
        device: DeviceId,
        step: Step,
        by: String,
        at: String,
        #[serde(default)]
        why: String,
        #[serde(default)]
        note: String,
    },
    /// Takes a step back.
    TakeBack { device: DeviceId, step: Step },
    /// Keeps a code: read, photographed or typed, and held against its check digits.
    KeepCode {
        id: JoinCodeId,
        device: DeviceId,
        #[serde(default)]
        text: String,
        #[serde(default)]
        taken: Taken,
        #[serde(default)]
        image: Option<String>,
        by: String,
        at: String,
    },
    /// Opens a network for what is expected.
    OpenNetwork {
        id: OpenTimeId,
        network: NetworkId,
        expected: BTreeSet<DeviceId>,
        by: String,
        at: String,
    },
    /// Closes it, and confirms that.
    CloseNetwork { id: OpenTimeId, by: String, at: String },
    /// Records that routes were rebuilt after the last that was added.
    RebuildRoutes { id: OpenTimeId, at: String },
    /// Joins a device. Elsewhere than in its place it is marked so, and wants its range test there.
    Join(Join),
    /// Ties a follower to its master.
    Tie { joining: JoiningId, device: DeviceId, master: DeviceId, by: String, at: String },
    /// Says that something has changed after which range tests are done again.
    Unsettle {
        trigger: String,
        #[serde(default)]
        network: Option<NetworkId>,
        #[serde(default)]
        room: Option<RoomId>,
    },
}

/// That a device was joined.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(missing_docs, reason = "each is a field of the record that it makes")]
pub struct Join {
    pub id: JoiningId,
    pub device: DeviceId,
    #[serde(default)]
    pub joined: JoinedAt,
    #[serde(default)]
    pub method: Method,
    #[serde(default)]
    pub security: Option<Security>,
    #[serde(default)]
    pub node: Option<u32>,
    #[serde(default)]
    pub parent: Option<DeviceId>,
    #[serde(default)]
    pub rssi_dbm: Option<Dbm>,
    pub by: String,
    pub at: String,
    #[serde(default)]
    pub why: String,
}

impl Act {
    /// Their words.
    pub const WORDS: [&'static str; 14] = [
        "isolate",
        "prove-tester",
        "hand-over",
        "energise",
        "check",
        "take-step",
        "take-back",
        "keep-code",
        "open-network",
        "close-network",
        "rebuild-routes",
        "join",
        "tie",
        "unsettle",
    ];

    /// The edit that it stands for.
    ///
    /// # Errors
    /// What speaks against it, all of it at once.
    pub fn edit(&self, site: &Site) -> Result<Edit, Refusal> {
        match self {
            Self::Isolate { id, means, circuits, verified, secured, tester, told, by, at } => {
                isolated(
                    site,
                    Isolation {
                        id: id.clone(),
                        means: *means,
                        circuits: circuits.iter().map(|c| c.trim().to_owned()).collect(),
                        verified: verified.clone(),
                        by: by.clone(),
                        at: at.clone(),
                        secured: *secured,
                        tester: tester.clone(),
                        told: told.clone(),
                        proven_before: None,
                        proven_after: None,
                        handed: Vec::new(),
                        energised: None,
                        note: String::new(),
                    },
                )
            }
            Self::ProveTester { isolation, after, at } => {
                in_force(site, isolation)?;
                let field = if *after { "proven_after" } else { "proven_before" };
                Ok(Edit::set(Kind::Isolation, isolation, field, json!(at)))
            }
            Self::HandOver { isolation, by, to, at } => {
                let of = held_by(site, isolation, by)?;
                let mut handed = of.handed.clone();
                handed.push(HandedOver { to: to.clone(), at: at.clone() });
                Ok(Edit::set(Kind::Isolation, isolation, "handed", json!(handed)))
            }
            Self::Energise { isolation, by, at } => energised(site, isolation, by, at),
            Self::Check { device, step, check, on } => checked(site, device, *step, check, *on),
            Self::TakeStep { device, step, by, at, why, note } => {
                if *step == Step::Joined || *step == Step::Code {
                    return Err(Refusal::wrong("step", Wrong::OwnAct));
                }
                let state = State::of(site);
                let spot = spot(site, device)?;
                let mark = taken(&state, &spot, *step, false, by, at, why)?;
                let mut edits = hands_in_box(&state, device, *step);
                if let Some(under) = mark.isolation.as_ref().filter(|_| *step == Step::Dead) {
                    // Its check says that the tester was shown to work again.
                    edits.push(Edit::set(Kind::Isolation, under, "proven_after", json!(at)));
                }
                edits.push(Edit::put(Mark { note: note.clone(), ..mark }));
                Ok(Edit::batch(edits))
            }
            Self::TakeBack { device, step } => {
                let state = State::of(site);
                let mark = state.mark(device, *step);
                let mark = mark.ok_or_else(|| missing_mark(device, *step))?;
                Ok(Edit::remove(Kind::Mark, &mark.id))
            }
            Self::KeepCode { id, device, text, taken, image, by, at } => {
                let (text, image) = (text.trim().to_owned(), image.clone());
                let (id, device, taken) = (id.clone(), device.clone(), *taken);
                let (by, at) = (by.clone(), at.clone());
                code_kept(site, JoinCode { id, device, text, taken, image, by, at })
            }
            Self::OpenNetwork { id, network, expected, by, at } => {
                opened(site, id, network, expected, by, at)
            }
            Self::CloseNetwork { id, by, at } => {
                open_now(site, id)?;
                let set =
                    |field, value: &String| Edit::set(Kind::OpenTime, id, field, json!(value));
                Ok(Edit::batch(vec![set("closed", at), set("closed_by", by)]))
            }
            Self::RebuildRoutes { id, at } => {
                Ok(Edit::set(Kind::OpenTime, id, "rebuilt", json!(at)))
            }
            Self::Join(join) => joined(site, join),
            Self::Tie { joining, device, master, by, at } => {
                tied(site, joining, device, master, by, at)
            }
            Self::Unsettle { trigger, network, room } => {
                retest::unsettled(site, trigger, network.as_ref(), room.as_ref())
            }
        }
    }
}

fn code_kept(site: &Site, code: JoinCode) -> Result<Edit, Refusal> {
    let spot = spot(site, &code.device)?;
    if !code.text.is_empty() {
        let system = spot.network.map(|n| n.system);
        let read = codes::parse(&code.text, system);
        read.map_err(|e| Refusal::wrong("text", Wrong::Code(e)))?;
    }
    let state = State::of(site);
    let mark = taken(&state, &spot, Step::Code, false, &code.by, &code.at, "")?;
    Ok(Edit::batch(vec![Edit::put(code), Edit::put(mark)]))
}

fn tied(
    site: &Site,
    joining: &JoiningId,
    device: &DeviceId,
    master: &DeviceId,
    by: &str,
    at: &str,
) -> Result<Edit, Refusal> {
    let state = State::of(site);
    let spot = spot(site, device)?;
    if !spot.masters().contains(master) {
        return Err(Refusal::wrong("master", Wrong::NoMasterOfIt));
    }
    let mark = taken(&state, &spot, Step::Tied, false, by, at, "")?;
    let last = site.joinings.iter().filter(|j| j.device == *device).last();
    let record = last.cloned().unwrap_or_else(|| Joining {
        id: joining.clone(),
        device: device.clone(),
        joined: JoinedAt::InPlace,
        method: Method::Unsaid,
        node: None,
        parent: None,
        rssi_dbm: None,
        master: None,
        tried: BTreeSet::new(),
        by: by.to_owned(),
        at: at.to_owned(),
    });
    let record = Joining { master: Some(master.clone()), ..record };
    Ok(Edit::batch(vec![Edit::put(record), Edit::put(mark)]))
}

fn joined(site: &Site, join: &Join) -> Result<Edit, Refusal> {
    let state = State::of(site);
    let spot = spot(site, &join.device)?;
    let elsewhere = join.joined == JoinedAt::Elsewhere;
    let mark = taken(&state, &spot, Step::Joined, elsewhere, &join.by, &join.at, &join.why)?;
    let record = Joining {
        id: join.id.clone(),
        device: join.device.clone(),
        joined: join.joined,
        method: join.method,
        node: join.node,
        parent: join.parent.clone(),
        rssi_dbm: join.rssi_dbm,
        master: None,
        tried: BTreeSet::new(),
        by: join.by.clone(),
        at: join.at.clone(),
    };
    let mut edits = vec![Edit::put(record), Edit::put(mark)];
    if let Some(class) = join.security {
        edits.push(Edit::set(Kind::Device, &join.device, "security", json!(class)));
    }
    Ok(Edit::batch(edits))
}

fn spot<'a>(site: &'a Site, device: &DeviceId) -> Result<Spot<'a>, Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::Device, device.as_str()));
    Spot::of(site, device).ok_or_else(missing)
}

fn missing_mark(device: &DeviceId, step: Step) -> Refusal {
    Refusal::Missing(Ref::new(Kind::Mark, &format!("{device} {}", step.word())))
}

fn in_force<'a>(site: &'a Site, id: &IsolationId) -> Result<&'a Isolation, Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::Isolation, id.as_str()));
    let of = site.isolations.get(id).ok_or_else(missing)?;
    if of.is_in_force() { Ok(of) } else { Err(Refusal::wrong("isolation", Wrong::OnAgain)) }
}

fn held_by<'a>(site: &'a Site, id: &IsolationId, by: &str) -> Result<&'a Isolation, Refusal> {
    let of = in_force(site, id)?;
    let holder = of.holder();
    if holder.trim().to_lowercase() == by.trim().to_lowercase() && !by.trim().is_empty() {
        return Ok(of);
    }
    Err(Refusal::wrong("by", Wrong::NotTheirs { holder: holder.to_owned() }))
}

/// An isolation whose means is enough for everything that is to be worked on by it.
fn isolated(site: &Site, isolation: Isolation) -> Result<Edit, Refusal> {
    if site.isolations.get(&isolation.id).is_some() {
        let id = isolation.id.to_string();
        return Err(Refusal::wrong("id", Wrong::Twice { id }));
    }
    if !isolation.means.is_main() {
        let choice = isolate::choice(site, &isolation.circuits, None);
        if let Some(why) = choice.whys.iter().find(|w| w.asks_for_main()) {
            let why = format!("the breaker is not enough: {why}. Switch off the main switch");
            return Err(Refusal::wrong("means", Wrong::Isolation(why)));
        }
    }
    Ok(Edit::put(isolation))
}

fn energised(site: &Site, id: &IsolationId, by: &str, at: &str) -> Result<Edit, Refusal> {
    let of = held_by(site, id, by)?;
    let open = State::of(site).against_power(of);
    if !open.is_empty() {
        let told: Vec<String> = open.iter().map(ToString::to_string).collect();
        let missing = told.join("; ");
        return Err(Refusal::wrong("isolation", Wrong::NotYet { missing }));
    }
    let on = Energised { by: by.to_owned(), at: at.to_owned() };
    Ok(Edit::set(Kind::Isolation, id, "energised", json!(on)))
}

/// The id of the mark of a step: one that is there, or one that every phone makes alike.
fn mark_id(state: &State<'_>, device: &DeviceId, step: Step) -> Result<MarkId, Refusal> {
    if let Some(mark) = state.mark(device, step) {
        return Ok(mark.id.clone());
    }
    let whole = format!("{device}.{}", step.word());
    // An id holds 64 signs: of a longer one the end is told by a sum of it.
    let sum = whole.bytes().fold(0xcbf2_9ce4_8422_2325_u64, |sum, byte| {
        (sum ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
    });
    let id = if whole.len() <= 64 { whole } else { format!("{}.{sum:016x}", &whole[..47]) };
    id.parse().map_err(|e| Refusal::wrong("id", Wrong::Id(e)))
}

fn checked(
    site: &Site,
    device: &DeviceId,
    step: Step,
    check: &str,
    on: bool,
) -> Result<Edit, Refusal> {
    let spot = spot(site, device)?;
    let known = checks::checks(&spot, step);
    if !known.iter().any(|c| c.word == check) {
        let known = known.iter().map(|c| c.word.as_str()).collect::<Vec<_>>().join(", ");
        return Err(Refusal::wrong("check", Wrong::NoneOf { text: check.to_owned(), known }));
    }
    let state = State::of(site);
    if let Some(mark) = state.mark(device, step) {
        return Ok(Edit::set(Kind::Mark, &mark.id, &format!("checks.{check}"), json!(on)));
    }
    let mut mark = Mark::new(mark_id(&state, device, step)?, device.clone(), step);
    mark.checks.extend(on.then(|| check.to_owned()));
    Ok(Edit::put(mark))
}

/// The mark of a step that may be taken.
fn taken(
    state: &State<'_>,
    spot: &Spot<'_>,
    step: Step,
    elsewhere: bool,
    by: &str,
    at: &str,
    why: &str,
) -> Result<Mark, Refusal> {
    if by.trim().is_empty() {
        return Err(Refusal::wrong("by", Wrong::NotSaid));
    }
    let device = &spot.device.id;
    let begun = state.mark(device, step);
    let ticked = begun.map(|m| m.checks.clone()).unwrap_or_default();
    let asked = checks::checks(spot, step);
    let unlooked: Vec<&str> =
        asked.iter().filter(|c| !ticked.contains(&c.word)).map(|c| c.text.as_str()).collect();
    let missing = state.missing(spot, step, elsewhere);
    let hard = missing.iter().any(|m| !m.yields);
    let told = told(&missing, &unlooked);
    if hard || !unlooked.is_empty() {
        return Err(Refusal::wrong("step", Wrong::NotYet { missing: told }));
    }
    if !missing.is_empty() && why.trim().is_empty() {
        return Err(Refusal::wrong("why", Wrong::NotYetUnless { missing: told }));
    }
    let isolation = if is_open_box(step) {
        let under = state.isolation(spot);
        let proven = under.is_some_and(|i| i.proven_before.is_some());
        if step == Step::Dead && !proven {
            let missing = "the tester was not shown to work on a known source".to_owned();
            return Err(Refusal::wrong("step", Wrong::NotYet { missing }));
        }
        under.map(|i| i.id.clone())
    } else if is_done_anew(step) {
        state.fitted_under(spot)
    } else {
        None
    };
    Ok(Mark {
        checks: ticked,
        at: Some(at.to_owned()),
        by: by.to_owned(),
        isolation,
        why: if missing.is_empty() { String::new() } else { why.trim().to_owned() },
        ..Mark::new(mark_id(state, device, step)?, device.clone(), step)
    })
}

/// Whoever works in a box has it open: what said that it was safe is taken back.
fn hands_in_box(state: &State<'_>, device: &DeviceId, step: Step) -> Vec<Edit> {
    if !matches!(step, Step::Dead | Step::Noted | Step::Wired | Step::Checked) {
        return Vec::new();
    }
    let safe = [Step::DryFitted, Step::PutBack].into_iter();
    let marks = safe.filter_map(|step| state.mark(device, step));
    marks.map(|mark| Edit::remove(Kind::Mark, &mark.id)).collect()
}

fn told(missing: &[Missing], unlooked: &[&str]) -> String {
    let mut all: Vec<String> = missing.iter().map(|m| m.what.to_string()).collect();
    all.extend(unlooked.iter().map(|text| format!("“{text}” is not ticked")));
    all.join("; ")
}

fn opened(
    site: &Site,
    id: &OpenTimeId,
    network: &NetworkId,
    expected: &BTreeSet<DeviceId>,
    by: &str,
    at: &str,
) -> Result<Edit, Refusal> {
    if site.networks.get(network).is_none() {
        return Err(Refusal::Missing(Ref::new(Kind::Network, network.as_str())));
    }
    if expected.is_empty() {
        return Err(Refusal::wrong("expected", Wrong::NothingExpected));
    }
    let stranger = |id: &&DeviceId| site.devices.get(id).is_none_or(|d| d.network != *network);
    if let Some(other) = expected.iter().find(stranger) {
        let other = Ref::new(Kind::Device, other.as_str());
        return Err(Refusal::wrong("expected", Wrong::NoSuch(other)));
    }
    let standing = site.open_times.iter().find(|o| o.network == *network && o.closed.is_none());
    if let Some(open) = standing.filter(|o| o.id != *id) {
        // One that stands open is opened wider.
        let all: BTreeSet<&DeviceId> = open.expected.iter().chain(expected).collect();
        return Ok(Edit::set(Kind::OpenTime, &open.id, "expected", json!(all)));
    }
    Ok(Edit::put(OpenTime {
        id: id.clone(),
        network: network.clone(),
        at: at.to_owned(),
        by: by.to_owned(),
        expected: expected.clone(),
        closed: None,
        closed_by: String::new(),
        rebuilt: None,
    }))
}

fn open_now(site: &Site, id: &OpenTimeId) -> Result<(), Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::OpenTime, id.as_str()));
    let of = site.open_times.get(id).ok_or_else(missing)?;
    if of.closed.is_some() {
        return Err(Refusal::wrong("id", Wrong::ShutAlready));
    }
    Ok(())
}

/// Whether an edit makes or changes what only an act may: marks, and isolations, whose rules hold over other
/// things.
pub fn is_by_act(edit: &Edit) -> bool {
    use crate::site::Thing;
    match edit {
        Edit::Put(Thing::Mark(_) | Thing::Isolation(_)) => true,
        Edit::Put(_) => false,
        Edit::Set { kind, field, .. } => match kind {
            Kind::Mark => field != "note",
            Kind::Isolation => !matches!(field.as_str(), "note" | "secured" | "verified" | "told"),
            _ => false,
        },
        Edit::Remove { kind, .. } => matches!(kind, Kind::Mark | Kind::Isolation),
        Edit::Batch { edits } => edits.iter().any(is_by_act),
    }
}
