//! A stretch of the day, one thing at a time.

use std::collections::BTreeMap;

use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::Analysis;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::gate::{Deed, Gate, Lacks, deeds as of_all, gate};
use dot_reach_core::install::schedule::{PowerOff, Schedule};
use dot_reach_core::install::walk::{self, Stretch, WalkAct, Walks};
use dot_reach_core::record::{Cut, Method, NextCut, Record, Secured, Step};
use dot_reach_core::site::{Security, Site};
use serde::Deserialize;
use serde_json::json;

use super::moves::{self, Body, CheckLine, PutBack, Surprise};
use super::overview::href;
use crate::door::{For, Wiring};
use crate::error::WebError;
use crate::pages::Shell;

/// Which stretch.
#[derive(Deserialize)]
pub(crate) struct Query {
    of: String,
}

#[derive(Template)]
#[template(path = "install/stretch.html")]
struct Page {
    shell: Shell,
    of: String,
    title: String,
    who: String,
    done: usize,
    cards: usize,
    moves: Vec<Card>,
    people: Vec<String>,
    means: Vec<(String, &'static str)>,
    nexts: Vec<(String, &'static str)>,
    secured: Vec<(String, &'static str)>,
    methods: Vec<(String, &'static str)>,
    security: Vec<(String, &'static str)>,
    listens: bool,
    /// What holds by the record, and what each card needs and gives: for a phone without a line.
    gate: String,
}

/// Where a part stands on its card.
struct OnCard {
    /// Which card of the stretch it is, from one.
    number: usize,
    /// Whether it is the first part of it, and whether the last.
    begins: bool,
    ends: bool,
    /// Whether it is at the place of the part before it.
    same_place: bool,
}

/// A move as a part of a card.
struct Card {
    number: usize,
    on: OnCard,
    /// What it is on this page.
    key: String,
    /// The key of what it needs and gives, which is the job's.
    deed: String,
    heading: String,
    tag: String,
    place: String,
    done: bool,
    overruled: bool,
    /// Whether it keeps a tap of its own.
    own_tap: bool,
    /// By whom and when it was done, where that is on record.
    record: String,
    cautions: Vec<String>,
    checks: Vec<CheckLine>,
    needs: Vec<NeedLine>,
    body: Body,
    /// What a tap sends, as JSON; the page adds who, when and what is typed on the card.
    act: String,
    /// What takes it back, where one tap does.
    back: String,
    /// The word on the button.
    verb: &'static str,
    stem: &'static str,
    /// Putting the old wiring back, where this cannot be done today.
    put_back: Option<PutBack>,
    surprise: Option<Surprise>,
    /// The keys of what that needs, and of what taking it back needs.
    put_back_deed: String,
    back_deed: String,
    /// The key of saying that the box is live.
    live_deed: String,
    device: String,
    step: &'static str,
    point: String,
    /// What the collector can be asked to do for it, and of which network.
    hub_act: &'static str,
    network: String,
    /// What a photo taken at this step shows.
    shows: &'static str,
    /// Pages of the maker's sheet that are kept with its place.
    sheets: Vec<String>,
}

struct NeedLine {
    /// Its place among all that the deed needs.
    place: usize,
    text: String,
    yields: bool,
    met: bool,
}

#[get("/jobs/{job}/install/work")]
pub(crate) async fn show(
    For(job, query, ..): For<Wiring, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let (analysis, plan) = job.planned().await?;
    let (shell, who) = (job.shell("install/work"), job.caller.person.who.clone());
    let of = query.into_inner().of;
    let (record, day) = (job.record.clone(), format!("/jobs/{}/install", job.id));
    let page = job.word(move || {
        view(shell, who, &of, &analysis, &record, &plan).map(|page| page.render()).transpose()
    });
    Ok(match page.await?? {
        Some(text) => HttpResponse::Ok().content_type("text/html; charset=utf-8").body(text),
        // What was on it is done, or has become another part of the day.
        None => HttpResponse::SeeOther().insert_header((LOCATION, day)).finish(),
    })
}

/// All stretches of a job as one answer, each page by its address: what a phone keeps of a revision is fetched
/// once, and worked out once.
#[get("/jobs/{job}/install/stretches.json")]
pub(crate) async fn bundle(For(job, ..): For<Wiring>) -> Result<HttpResponse, WebError> {
    let (analysis, plan) = job.planned().await?;
    let asked = job.clone();
    let written = job.compute(move || {
        let mut pages = BTreeMap::new();
        for (key, _) in walk::stretches(&plan) {
            let (shell, who) = (asked.shell("install/work"), asked.caller.person.who.clone());
            if let Some(page) = view(shell, who, &key, &analysis, &asked.record, &plan) {
                pages.insert(href(asked.id.as_str(), &key), page.render()?);
            }
        }
        let told = json!({ "revision": asked.revision, "pages": pages });
        Ok::<_, WebError>(told.to_string())
    });
    Ok(HttpResponse::Ok().content_type("application/json").body(written.await??))
}

fn view(
    shell: Shell,
    who: String,
    of: &str,
    analysis: &Analysis,
    record: &Record,
    plan: &Schedule,
) -> Option<Page> {
    let site: &Site = &analysis.site;
    let gate = gate(record, site);
    let stretch = Walks::of(analysis, plan, &gate).stretch(of)?;
    let outage = plan.outages().find(|o| o.key == of);
    let wording = Wording { analysis, gate: &gate, outage, stretch: &stretch, who: &who };
    let (mut cards, mut shipped) = (Vec::new(), BTreeMap::new());
    for number in 0..stretch.moves.len() {
        let (card, deeds) = wording.card(number, &cards);
        shipped.extend(deeds.into_iter().map(|deed| (deed.key.clone(), deed)));
        cards.push(card);
    }
    for deed in [of_all::hand_over(), of_all::tick(), of_all::untick()] {
        shipped.insert(deed.key.clone(), deed);
    }
    let gate = json!({ "facts": gate.facts().in_order(), "deeds": shipped });
    let (done, all) = stretch.cards();
    Some(Page {
        gate: gate.to_string(),
        of: of.to_owned(),
        title: stretch.title,
        who,
        done,
        cards: all,
        moves: cards,
        people: site.people.iter().map(|p| p.name.clone()).collect(),
        means: Cut::ALL.map(|(m, words)| (word(&m), words)).into(),
        nexts: NextCut::ALL.map(|(n, words)| (word(&n), words)).into(),
        secured: Secured::ALL.map(|(s, words)| (word(&s), words)).into(),
        methods: Method::ALL[1..].iter().map(|(m, words)| (word(m), *words)).collect(),
        security: Security::ALL[1..].iter().map(|(s, words)| (word(s), *words)).collect(),
        listens: !site.job.collector.trim().is_empty(),
        shell,
    })
}

/// What the parts of a stretch are worded by.
struct Wording<'a> {
    analysis: &'a Analysis,
    gate: &'a Gate<'a>,
    outage: Option<&'a PowerOff>,
    stretch: &'a Stretch,
    who: &'a str,
}

impl Wording<'_> {
    /// A part with what it needs and gives; `before` are those that stand before it.
    fn card(&self, number: usize, before: &[Card]) -> (Card, Vec<Deed>) {
        let Self { analysis, gate, outage, stretch, who } = *self;
        let (site, made): (&Site, _) = (&analysis.site, &stretch.moves[number]);
        let is_on = |place: Option<usize>| {
            place.and_then(|at| stretch.moves.get(at)).is_some_and(|m| m.card == made.card)
        };
        let told = moves::told(analysis, gate, outage, stretch, &made.act);
        let deeds = stretch.deeds(gate, made);
        let key = deeds.own.key.clone();
        let lacks = gate.lacking(&deeds.own, who);
        let needs = deeds.own.needs.iter().enumerate();
        let needs = needs.filter(|(_, n)| !matches!(n.what, Lacks::NotTicked { .. }));
        let needs = needs.map(|(place, need)| NeedLine {
            place,
            text: need.says.clone(),
            yields: need.yields,
            met: !lacks.iter().any(|l| l.what == need.what),
        });
        let needs: Vec<NeedLine> = needs.collect();
        let (put_back_deed, back_deed) =
            (key_of(deeds.put_back.as_ref()), key_of(deeds.back.as_ref()));
        let live_deed = key_of(deeds.live.as_ref());
        let all = [Some(deeds.own), deeds.elsewhere, deeds.put_back, deeds.live, deeds.back];
        let step = match &made.act {
            WalkAct::Step { device, step } => WorkedDevice::of(site, device).zip(Some(*step)),
            _ => None,
        };
        let (tag, place) = step.as_ref().map_or_else(Default::default, |(spot, _)| {
            let floor = site.floors.get(&spot.point.floor).map_or("", |f| f.name.as_str());
            let place = [&spot.device.name, site.room_name(spot.point), floor].join(" · ");
            (spot.point.label().to_owned(), place)
        });
        let card = Card {
            number: number + 1,
            on: OnCard {
                number: made.card,
                begins: !is_on(number.checked_sub(1)),
                ends: !is_on(Some(number + 1)),
                same_place: before.last().is_some_and(|c| c.place == place),
            },
            key: key_beside(before, key_of_move(&made.act)),
            deed: key,
            heading: told.heading,
            tag,
            place,
            done: made.done,
            overruled: made.overruled,
            own_tap: made.act.is_switch(),
            record: told.record,
            cautions: told.cautions,
            checks: told.checks,
            needs,
            put_back_deed,
            back_deed,
            live_deed,
            body: told.body,
            act: told.act,
            back: told.back,
            verb: told.verb,
            stem: told.stem,
            put_back: told.put_back,
            surprise: told.surprise,
            device: step.as_ref().map(|(spot, _)| spot.device.id.to_string()).unwrap_or_default(),
            step: step.as_ref().map_or("", |(_, step)| step.word()),
            point: step.as_ref().map(|(spot, _)| spot.point.id.to_string()).unwrap_or_default(),
            hub_act: match &made.act {
                WalkAct::Open { .. } => "open",
                WalkAct::Close { .. } => "close",
                WalkAct::Rebuild { .. } => "rebuild",
                WalkAct::Step { step: Step::Excluded, .. } => "exclude",
                _ => "",
            },
            network: match &made.act {
                WalkAct::Open { network, .. }
                | WalkAct::Close { network, .. }
                | WalkAct::Rebuild { network, .. } => network.to_string(),
                _ => step.as_ref().map(|(s, _)| s.device.network.to_string()).unwrap_or_default(),
            },
            sheets: step
                .as_ref()
                .map(|(s, _)| site.makers_sheet(&s.point.id).map(str::to_owned).collect())
                .unwrap_or_default(),
            shows: match step.map(|(_, step)| step) {
                Some(Step::Dead | Step::Noted) => "before",
                Some(Step::Wired | Step::Checked | Step::DryFitted) => "after",
                _ => "place",
            },
        };
        (card, all.into_iter().flatten().collect())
    }
}

/// What a move is called on its page.
fn key_of_move(act: &WalkAct) -> String {
    match act {
        WalkAct::Isolate { further: false, .. } => "isolate".to_owned(),
        WalkAct::ProveTester { further: false, .. } => "prove".to_owned(),
        WalkAct::Energise { further: false, .. } => "energise".to_owned(),
        WalkAct::Find { .. } => "find".to_owned(),
        WalkAct::FindOver { .. } => "find-over".to_owned(),
        WalkAct::Isolate { .. } => "isolate-further".to_owned(),
        WalkAct::ProveTester { .. } => "prove-further".to_owned(),
        WalkAct::Energise { .. } => "energise-further".to_owned(),
        WalkAct::Open { network, .. } => format!("open-{network}"),
        WalkAct::Close { network, .. } => format!("close-{network}"),
        WalkAct::Rebuild { network, .. } => format!("rebuild-{network}"),
        WalkAct::Step { device, step } => format!("{device}.{}", step.word()),
    }
}

/// The same, where others of that key stand before it.
fn key_beside(cards: &[Card], key: String) -> String {
    let of =
        |c: &&Card| c.key == key || c.key.strip_prefix(&key).is_some_and(|n| n.starts_with('~'));
    match cards.iter().filter(of).count() {
        0 => key,
        before => format!("{key}~{}", before + 1),
    }
}

fn key_of(deed: Option<&Deed>) -> String {
    deed.map_or_else(String::new, |deed| deed.key.clone())
}

/// A value as its word in an edit.
fn word(value: &impl serde::Serialize) -> String {
    let value = serde_json::to_value(value).ok();
    value.and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
}
