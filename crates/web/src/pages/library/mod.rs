//! The library of a job, and of the firm: devices that it edits beside the shipped ones, prices and times.

use std::collections::BTreeSet;
use std::sync::Arc;

use actix_multipart::Multipart;
use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::catalogue::by_hand::{JoinTakes, TiedFrom};
use dot_reach_core::catalogue::rates::RATES;
use dot_reach_core::catalogue::{
    Ability, BackhaulBy, Button, DeviceKind, Duty, Far, FittingWay, LoadKind, Powered, Supply,
};
use dot_reach_core::prove::firm;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Edit, NetworkId, Rate, Site, ThingClass};
use dot_reach_core::units::typographic;
use dot_reach_formats::{library, points_csv};
use serde::Deserialize;
use serde_json::{Value, json};

use crate::commands::{Answer, ChangeMark, download, take_lines, uploaded};
use crate::door::{AskedJob, For, Keep, See};
use crate::error::WebError;
use crate::pages::survey::choices::{Choice, choices, word, yes_no};
use crate::pages::{Shell, printed};

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    kind: String,
}

#[derive(Template)]
#[template(path = "library/page.html")]
struct Page {
    shell: Shell,
    is_firm: bool,
    currency: String,
    rows: Vec<Row>,
    rates: Vec<RateRow>,
    open: Option<KindForm>,
    /// A row to begin with.
    new_row: String,
    taught: Vec<Taught>,
}

/// What the houses of the firm say of a construction.
struct Taught {
    what: String,
    more: String,
    sigma: String,
    houses: String,
    edit: String,
}

/// What accepted calibrations of all jobs say; only the firm's own library asks for it.
async fn taught(job: &AskedJob) -> Result<Vec<Taught>, WebError> {
    if !job.id.is_library() {
        return Ok(Vec::new());
    }
    let all = job.app.ask(|store| {
        let mut all = Vec::new();
        for row in store.jobs()? {
            let (site, _) = store.site(&row.id)?;
            all.extend(site.calibration.clone().map(|c| (site.job.name.clone(), c)));
        }
        Ok(all)
    });
    let offers = firm::offered(&all.await?);
    let row = |o: &firm::Offered| {
        let better = firm::with_offer(&job.site, o)?;
        let mhz = typographic(o.band.priced_at().get(), 0);
        let houses = o.jobs.iter().map(|(name, more, sigma)| format!("{name} {more} ± {sigma}"));
        Some(Taught {
            what: format!("{}, {mhz} MHz", better.name),
            more: o.more.to_string(),
            sigma: o.sigma.to_string(),
            houses: houses.collect::<Vec<_>>().join("; "),
            edit: json!(Edit::put(better)).to_string(),
        })
    };
    Ok(offers.iter().filter_map(row).collect())
}

struct Row {
    id: String,
    name: String,
    systems: String,
    supply: &'static str,
    forwards: bool,
    price: String,
    version: String,
    own: bool,
    used: usize,
    chosen: bool,
}

struct RateRow {
    id: &'static str,
    name: &'static str,
    unit: &'static str,
    value: String,
    usual: String,
    /// Whether the job has its own, so that a field of it can be set.
    own: bool,
    /// The edit that gives the job its own.
    take: String,
}

struct KindForm {
    id: String,
    own: bool,
    /// Whether no shipped row stands behind it.
    is_new: bool,
    /// The edit that makes it the job's own row.
    take: String,
    /// Number and word fields: name, words, value, unit.
    texts: Vec<(&'static str, &'static str, String)>,
    numbers: Vec<(String, String, String)>,
    ticks: Vec<(&'static str, &'static str, bool)>,
    selects: Vec<(&'static str, &'static str, Vec<Choice>)>,
    /// What is so, is not so, or nobody has written down.
    yes_no: Vec<(&'static str, &'static str, Vec<Choice>)>,
    systems: String,
    /// Lists with commas between: field, words, value.
    lists: Vec<(&'static str, &'static str, String)>,
    /// Systems, and what it accepts at far places: field, words, whether it is so.
    sets: Vec<(String, &'static str, bool)>,
}

fn supply(kind: &DeviceKind) -> &'static str {
    match kind.supply {
        Supply::MainsNeutral => "mains, needs neutral",
        Supply::MainsTwoWire => "mains, no neutral",
        Supply::Plug => "plug",
        Supply::Battery => "battery",
        Supply::None => "nothing, a cover",
    }
}

#[get("/jobs/{job}/library")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let taught = taught(&job).await?;
    printed(job, move |job| {
        let site = Arc::clone(&job.site);
        let used = |id: &str| site.devices.iter().filter(|d| d.kind == id).count();
        let mut rows: Vec<_> = site
            .all_kinds()
            .map(|k| Row {
                id: k.id.clone(),
                name: k.name.clone(),
                systems: k.systems.iter().map(|s| s.name()).collect::<Vec<_>>().join(", "),
                supply: supply(k),
                forwards: k.forwards,
                price: k.fit.price.map(|p| typographic(p, 2)).unwrap_or_default(),
                version: if k.version > 0 { k.version.to_string() } else { String::new() },
                own: site.kinds.named(&k.id).is_some(),
                used: used(&k.id),
                chosen: k.id == query.kind,
            })
            .collect();
        rows.sort_by(|a, b| (!a.own, a.used == 0, &a.name).cmp(&(!b.own, b.used == 0, &b.name)));
        Ok(Page {
            shell: job.shell(if job.id.is_library() { "" } else { "library" }),
            is_firm: job.id.is_library(),
            currency: site.job.currency.clone(),
            rows,
            rates: rates(&site),
            new_row: new_row(&site).to_string(),
            open: site.kind(&query.kind).map(|k| kind_form(&site, k)),
            taught,
        })
    })
    .await
}

fn rates(site: &Site) -> Vec<RateRow> {
    let row = |r: &'static dot_reach_core::catalogue::rates::RateRow| RateRow {
        id: &r.id,
        name: &r.name,
        unit: &r.unit,
        value: typographic(site.rate(&r.id), usize::from(site.rate(&r.id).fract().abs() > 0.0) * 2),
        usual: typographic(r.value, usize::from(r.value.fract().abs() > 0.0) * 2),
        own: site.rates.named(&r.id).is_some(),
        take: json!(Edit::put(Rate { id: r.id.clone(), value: r.value })).to_string(),
    };
    RATES.iter().map(row).collect()
}

/// A row of which nothing is known yet. What has to be said of every row is the commonest of it, to be changed.
fn new_row(site: &Site) -> Value {
    let devices = |id: &NetworkId| site.devices.iter().filter(|d| d.network == *id).count();
    let largest = site.networks.iter().max_by_key(|n| devices(&n.id));
    let system = largest.map_or(System::Zigbee, |n| n.system);
    json!({ "name": "New device", "duty": Duty::Actuator, "supply": Supply::MainsNeutral, "forwards": false,
        "systems": [system] })
}

/// What is left of its limits with side tabs off; a pair that is none of the usual ones stands with them.
fn tabs(left: Option<[f64; 2]>) -> Vec<Choice> {
    let usual = [[1.0, 1.0], [0.9, 0.8], [0.8, 0.6], [0.75, 0.5]];
    let is = |a: [f64; 2], b: [f64; 2]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-9);
    let own = left.filter(|left| !usual.iter().any(|u| is(*u, *left)));
    let words = |[one, both]: [f64; 2]| {
        if is([one, both], [1.0, 1.0]) {
            "loses nothing".to_owned()
        } else {
            format!("{:.0} %, {:.0} %", one * 100.0, both * 100.0)
        }
    };
    let choice = |value: Option<[f64; 2]>| Choice {
        value: json!(value).to_string(),
        text: value.map_or_else(|| "not known".to_owned(), words),
        chosen: match (value, left) {
            (Some(a), Some(b)) => is(a, b),
            (a, b) => a.is_none() && b.is_none(),
        },
        system: String::new(),
    };
    std::iter::once(None).chain(usual.into_iter().chain(own).map(Some)).map(choice).collect()
}

#[expect(clippy::too_many_lines, reason = "a line a field")]
fn kind_form(site: &Site, kind: &DeviceKind) -> KindForm {
    let fit = &kind.fit;
    let number = |v: Option<f64>| {
        v.map(|v| typographic(v, usize::from(v.fract().abs() > 0.0) * 2)).unwrap_or_default()
    };
    let mut numbers = vec![
        ("depth_mm".to_owned(), "Depth, mm".to_owned(), number(kind.depth_mm)),
        ("fit.box_mm".to_owned(), "Least box, mm".to_owned(), number(fit.box_mm)),
        ("fit.least_w".to_owned(), "Least load, W".to_owned(), number(fit.least_w)),
        ("fit.inrush_a".to_owned(), "Bears at switching on, A".to_owned(), number(fit.inrush_a)),
        ("fit.channels".to_owned(), "Channels".to_owned(), fit.channels.to_string()),
        ("fit.gangs".to_owned(), "Gangs it fills".to_owned(), fit.gangs.max(1).to_string()),
        ("fit.price".to_owned(), "Price".to_owned(), number(fit.price)),
        ("fit.life_years".to_owned(), "Lasts, years".to_owned(), number(fit.life_years)),
        (
            "generation".to_owned(),
            "Generation of its family".to_owned(),
            kind.generation.map(|g| g.to_string()).unwrap_or_default(),
        ),
        (
            "children".to_owned(),
            "Keeps children".to_owned(),
            kind.children.map(|c| c.to_string()).unwrap_or_default(),
        ),
        (
            "join.timeout_s".to_owned(),
            "Waits for joining, s".to_owned(),
            number(kind.join.timeout_s),
        ),
        ("join.hold_s".to_owned(), "Held, s".to_owned(), number(kind.join.hold_s)),
        (
            "wiring.strip_mm".to_owned(),
            "Insulation off, mm".to_owned(),
            number(kind.wiring.strip_mm),
        ),
        (
            "radio.tx_dbm".to_owned(),
            "Sends, dBm".to_owned(),
            number(kind.radio.tx_dbm.map(dot_reach_core::units::Dbm::get)),
        ),
        (
            "radio.sensitivity_dbm".to_owned(),
            "Hears, dBm".to_owned(),
            number(kind.radio.sensitivity_dbm.map(dot_reach_core::units::Dbm::get)),
        ),
        (
            "radio.antenna_db".to_owned(),
            "Antenna, dBi".to_owned(),
            number(kind.radio.antenna_db.map(dot_reach_core::units::Db::get)),
        ),
    ];
    let count = |n: Option<u8>| n.map(|n| n.to_string()).unwrap_or_default();
    let hand =
        [("keys", "Keys", kind.hand.keys), ("presses", "Presses told apart", kind.hand.presses)];
    for (word, words, value) in hand {
        numbers.push((format!("hand.{word}"), words.to_owned(), count(value)));
    }
    if kind.sees.is_some() || kind.is_sensor() {
        let field = kind.sees.unwrap_or_default();
        let sees = [
            ("reach_m", "Sees so far, m", field.reach_m),
            ("angle_deg", "Sees so wide, °", field.angle_deg),
            ("pet_kg", "Lets pets pass up to, kg", field.pet_kg),
        ];
        numbers
            .extend(sees.map(|(w, words, v)| (format!("sees.{w}"), words.to_owned(), number(v))));
    }
    for (load, words) in LoadKind::ALL {
        let word = json!(load).as_str().unwrap_or_default().to_owned();
        numbers.push((
            format!("fit.limits.{word}"),
            format!("Most {words}, W"),
            number(fit.limits.get(&load).copied()),
        ));
    }
    let far = [Far::No, Far::Electronic, Far::Plain, Far::Follower, Far::Remote, Far::Paired]
        .map(|f| (f, f.name()));
    let powered = [
        (None, "not known"),
        (Some(Powered::Either), "in either box"),
        (Some(Powered::Line), "where line comes in"),
        (Some(Powered::Load), "where the load leaves"),
    ];
    let supplies = [
        (Supply::MainsNeutral, "mains, needs neutral"),
        (Supply::MainsTwoWire, "mains, no neutral"),
        (Supply::Plug, "plug"),
        (Supply::Battery, "battery"),
        (Supply::None, "nothing, a cover"),
    ];
    let duties = [
        (Duty::Actuator, "switches or dims"),
        (Duty::Repeater, "is there to forward"),
        (Duty::Sensor, "reports"),
        (Duty::Remote, "is a remote"),
        (Duty::Hub, "keeps a network"),
    ];
    let buttons = [
        (None, "none, or not known"),
        (Some(Button::Own), "on it"),
        (Some(Button::Wired), "a wall switch, wired to it"),
    ];
    let not_known = std::iter::once((None, "not known, or no hub"));
    let backhauls: Vec<_> =
        not_known.chain(BackhaulBy::ALL.map(|(by, words)| (Some(by), words))).collect();
    let unsaid = std::iter::once((None, "not known"));
    let tied = std::iter::once((None, "nobody wrote it down"))
        .chain(TiedFrom::ALL.map(|(from, words)| (Some(from), words)));
    let tied: Vec<_> = tied.collect();
    let takes: Vec<_> = unsaid.chain(JoinTakes::ALL.map(|(t, words)| (Some(t), words))).collect();
    let mut ticks = vec![
        ("forwards", "forwards for others", kind.forwards),
        ("only_with_neutral", "that only with a neutral", kind.only_with_neutral),
        ("has_radio", "has a radio", kind.has_radio),
        ("easily_cut", "easily cut off", kind.easily_cut),
        ("fit.damp", "may stand in the damp", fit.damp),
        ("fit.outdoors", "made for the open air", fit.outdoors),
        ("fit.meters", "meters", fit.meters),
        ("fit.gives_light", "gives light itself", fit.gives_light),
        ("fit.in_lamp", "goes inside a lamp", fit.in_lamp),
        ("join.deletes_too", "the same press takes it out", kind.join.deletes_too),
        ("join.without_code", "it has no code", kind.join.without_code),
        ("wiring.momentary", "its contact closes only while it is pressed", kind.wiring.momentary),
    ];
    for (way, field, words) in [
        (FittingWay::Hub, "fit.platforms.hub", "reached through its hub"),
        (FittingWay::Matter, "fit.platforms.matter", "reached by Matter"),
        (FittingWay::Voice, "fit.platforms.voice", "reached by voice"),
        (FittingWay::Cloud, "fit.platforms.cloud", "reached by its maker’s servers"),
    ] {
        ticks.push((field, words, fit.platforms.contains(&way)));
    }
    let of_class = ThingClass::ALL.map(|(class, words)| (Some(class), words));
    let classes: Vec<_> = std::iter::once((None, "what it works")).chain(of_class).collect();
    let opens = kind.join.opens.clone().unwrap_or_default();
    let finishes = fit.finishes.join(", ");
    let mut sets: Vec<(String, &'static str, bool)> = System::ALL
        .into_iter()
        .map(|s| (format!("systems.{}", word(&s)), s.name(), kind.systems.contains(&s)))
        .collect();
    let accepted = [Far::Electronic, Far::Plain, Far::Follower, Far::Remote, Far::Paired];
    sets.extend(
        accepted.map(|f| (format!("fit.accepts.{}", word(&f)), f.name(), fit.accepts.contains(&f))),
    );
    let wired = &kind.wiring;
    let lists = vec![
        ("fit.finishes", "Finishes", finishes),
        ("wiring.terminals", "Terminals, as on it", wired.terminals.join(", ")),
        ("wiring.diagrams", "Diagrams of its sheet", wired.diagrams.join(", ")),
        (
            "wiring.hidden",
            "Settings that nobody reaches once it is closed",
            wired.hidden.join(", "),
        ),
    ];
    KindForm {
        lists,
        sets,
        id: kind.id.clone(),
        own: site.kinds.named(&kind.id).is_some(),
        is_new: dot_reach_core::catalogue::kind(&kind.id).is_none(),
        take: json!(Edit::put(DeviceKind { version: kind.version + 1, ..kind.spelled_out() }))
            .to_string(),
        yes_no: vec![
            ("fit.dims", "Dims", yes_no(fit.spelled_out().dims, "not known")),
            (
                "fit.derated",
                "Left with one side tab off, with both",
                tabs(fit.spelled_out().derated),
            ),
            ("fit.earth", "Asks for an earth", yes_no(fit.spelled_out().earth, "not known")),
            (
                "fit.able_by.freed-key",
                "Its key is freed",
                able_by(fit.able_by.get(&Ability::FreedKey)),
            ),
            (
                "fit.able_by.press-counts",
                "Its presses are told apart",
                able_by(fit.able_by.get(&Ability::PressCounts)),
            ),
            (
                "fit.able_by.direct-links",
                "It is tied to a load",
                able_by(fit.able_by.get(&Ability::DirectLinks)),
            ),
        ],
        texts: vec![
            ("name", "Name", kind.name.clone()),
            ("fit.family", "Family of companions", fit.family.clone()),
            ("join.gesture", "To join", kind.join.gesture.clone()),
            ("join.light", "Its light then", kind.join.light.clone()),
            ("join.fails", "Its light when not taken", kind.join.fails.clone()),
            ("join.first_light", "Its light at first power", kind.join.first_light.clone()),
            ("join.code", "Where its code is", kind.join.code.clone()),
            ("join.ties", "To tie it to a load", kind.join.ties.clone()),
            ("join.opens.gesture", "If it opens its network: by what", opens.gesture),
            ("join.opens.light", "Its light while that is open", opens.light),
            ("join.opens.closes", "By what it closes it", opens.closes),
            ("join.opens.closed", "Its light once it is closed", opens.closed),
        ],
        numbers,
        ticks,
        selects: vec![
            ("duty", "What it does", choices(&duties, kind.duty)),
            ("button", "Button", choices(&buttons, kind.button)),
            ("supply", "Supply", choices(&supplies, kind.supply)),
            ("backhaul", "A hub: joined to the router", choices(&backhauls, kind.backhaul)),
            ("hand.takes", "A new one works by itself", choices(&takes, kind.hand.takes)),
            ("hand.tied_from", "It is tied", choices(&tied, kind.hand.tied_from)),
            ("class", "To platforms it is", choices(&classes, kind.class)),
            ("fit.far", "At a far place it is", choices(&far, fit.far)),
            ("fit.powered", "The powered unit goes", choices(&powered, fit.spelled_out().powered)),
        ],
        systems: System::ALL
            .into_iter()
            .filter(|s| kind.systems.contains(s))
            .map(System::name)
            .collect::<Vec<_>>()
            .join(", "),
    }
}

/// By which ways something is had of a device beside switching and dimming.
fn able_by(is: Option<&BTreeSet<FittingWay>>) -> Vec<Choice> {
    use FittingWay::{Cloud, Hub, Matter};
    let usual: [&[FittingWay]; 5] = [&[Hub], &[Hub, Matter], &[Matter], &[Cloud], &[]];
    let mut all: Vec<Option<BTreeSet<FittingWay>>> = vec![None];
    all.extend(usual.map(|ways| Some(ways.iter().copied().collect())));
    // What a file brought in may say more than is usual.
    if is.is_some_and(|ways| !all.contains(&Some(ways.clone()))) {
        all.push(is.cloned());
    }
    let words = |ways: &Option<BTreeSet<FittingWay>>| match ways {
        None => "not known".to_owned(),
        Some(ways) if ways.is_empty() => "by nothing".to_owned(),
        Some(ways) => {
            let has = FittingWay::ALL.iter().filter(|(way, _)| ways.contains(way));
            has.map(|(_, words)| *words).collect::<Vec<_>>().join(", ")
        }
    };
    let choice = |ways: Option<BTreeSet<FittingWay>>| Choice {
        value: json!(ways).to_string(),
        text: words(&ways),
        chosen: ways.as_ref() == is,
        system: String::new(),
    };
    all.into_iter().map(choice).collect()
}

#[post("/jobs/{job}/library")]
pub(crate) async fn bring(
    For(job, (query, form), ..): For<Keep, (web::Query<ChangeMark>, Multipart)>,
) -> Answer {
    let bytes = uploaded(form, library::MOST_BYTES, "file").await?;
    let text = points_csv::text_of(&bytes).map_err(|reason| WebError::field("file", reason))?;
    let mark = query.into_inner();
    let told = take_lines(&job, mark, move |site, _| library::read(site, &text)).await?;
    Ok(HttpResponse::Ok().json(told))
}

#[get("/jobs/{job}/library.csv")]
pub(crate) async fn csv(For(job, ..): For<See>) -> Answer {
    let site = Arc::clone(&job.site);
    let text = job.compute(move || library::csv(&site)).await?;
    let text = text.map_err(|e| WebError::Inside(e.to_string()))?;
    Ok(download(&format!("{}-library.csv", job.id), "text/csv; charset=utf-8", text))
}

#[get("/jobs/{job}/library.json")]
pub(crate) async fn json(For(job, ..): For<See>) -> Answer {
    let site = Arc::clone(&job.site);
    let text = job.compute(move || library::json(&site).to_string()).await?;
    Ok(download(&format!("{}-library.json", job.id), "application/json", text))
}
