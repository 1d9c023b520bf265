//! The brief: what the whole job rests on.

mod needs_power;

use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::PLANNING_SIGMA;
use dot_reach_core::catalogue::countries::COUNTRIES;
use dot_reach_core::fit::neutral_is_likely;
use dot_reach_core::gate::checks::all_settings;
use dot_reach_core::gate::settings::set_otherwise;
use dot_reach_core::moment::Moment;
use dot_reach_core::platforms::{self, InCharge, all_into, in_charge};
use dot_reach_core::radio::region::REGIONS;
use dot_reach_core::radio::system::{RULES, System};
use dot_reach_core::site::{
    AddOn, ComesIn, FittingWay, HouseAccess, Job, JobKind, Means, Network, Part, Platform,
    PlatformId, Refused, Rights, Site,
};
use dot_reach_core::speech::Lengths;
use dot_reach_core::survey::brief::{met, open, who_may};
use dot_reach_core::units::typographic;
use serde_json::json;

use self::needs_power::NeedsPowerForm;
use crate::door::{AskedJob, For, See};
use crate::error::WebError;
use crate::pages::survey::choices::{Choice as Picked, choices as picked, word};
use crate::pages::{Shell, printed};
use crate::server::Server;

#[derive(Template)]
#[template(path = "brief/page.html")]
struct Page {
    shell: Shell,
    name: String,
    client: String,
    address: String,
    note: String,
    regions: Vec<Choice>,
    countries: Vec<Choice>,
    confidences: Vec<Choice>,
    systems: Vec<SystemRow>,
    networks: Vec<NetworkForm>,
    kinds: Vec<Choice>,
    built: String,
    budget: String,
    currency: String,
    keep_years: String,
    refuses: String,
    /// Field, words, whether it is refused.
    refused: Vec<(String, &'static str, bool)>,
    /// Each setting of the house, and how it is set.
    settings: Vec<(&'static str, String)>,
    /// Devices that are set otherwise, in words.
    otherwise: Vec<String>,
    first_fix: String,
    work: Vec<Picked>,
    /// The time zone, where it is not the usual one of the country, and that one.
    time_zone: String,
    usual_zone: String,
    /// How lengths are written: value, words, whether it is chosen.
    lengths: Vec<(String, String, bool)>,
    /// The same for who looks at it, in every job.
    own_lengths: Vec<(String, String, bool)>,
    is_new: bool,
    /// Whether nothing is drawn yet.
    is_first: bool,
    likely: &'static str,
    open: Vec<String>,
    people: Vec<PersonForm>,
    needs_power: Vec<NeedsPowerForm>,
    platforms: Vec<PlatformForm>,
    charge: Vec<ChargeRow>,
    add_ons: Vec<AddOnForm>,
    /// The edit's value that adds one to the platform in charge; empty where there is no platform.
    first_add_on: String,
    accesses: Vec<AccessForm>,
    first_access: String,
    wishes: Vec<WishForm>,
    unmet: usize,
    who_may: String,
}

struct PersonForm {
    id: String,
    name: String,
    licence: String,
    may_mains: bool,
    parts: Vec<Picked>,
    /// Who of the firm it is; none where nobody signs in.
    accounts: Vec<Choice>,
}

/// A platform, held against being in charge.
struct ChargeRow {
    name: String,
    verdict: &'static str,
    reaches: String,
    not: Vec<String>,
    outage: &'static str,
}

struct AddOnForm {
    of: AddOn,
    platforms: Vec<Choice>,
}

/// Which platform may be in charge, and why not.
fn charge(site: &Site) -> Vec<ChargeRow> {
    let named = |words: &str, names: &[String]| match names {
        [] => None,
        names => Some(format!("{words}: {}.", names.join(", "))),
    };
    let row = |p: InCharge| ChargeRow {
        verdict: match p.may {
            Some(true) => "may be in charge",
            Some(false) => "not fit for it",
            None => "not known yet",
        },
        reaches: format!("{} of {}", p.reaches.0, p.reaches.1),
        not: [named("Not reached", &p.not_reached), named("Nobody has looked", &p.not_known)]
            .into_iter()
            .flatten()
            .chain(p.lacks)
            .collect(),
        name: p.name,
        outage: p.outage,
    };
    in_charge(site).into_iter().map(row).collect()
}

fn add_ons(site: &Site) -> Vec<AddOnForm> {
    let form =
        |of: &AddOn| AddOnForm { of: of.clone(), platforms: named_platforms(site, &of.platform) };
    site.add_ons.iter().map(form).collect()
}

/// The platforms of the job, one of them chosen.
fn named_platforms(site: &Site, is: &PlatformId) -> Vec<Choice> {
    let choice = |p: &Platform| Choice {
        value: p.id.to_string(),
        text: p.name.clone(),
        chosen: p.id == *is,
    };
    site.platforms.iter().map(choice).collect()
}

/// The platform in charge, or the first.
fn first_platform(site: &Site) -> Option<&Platform> {
    site.platforms.iter().find(|p| p.in_charge).or(site.platforms.iter().next())
}

struct AccessForm {
    id: String,
    people: Vec<Choice>,
    platforms: Vec<Choice>,
    rights: Vec<Picked>,
    invited: String,
    withdrawn: String,
    /// Whether they set it up, and leave again.
    is_fitter: bool,
    due: String,
    holds: String,
}

/// Who gets the house by which platform.
fn accesses(site: &Site) -> Vec<AccessForm> {
    let choice =
        |value: String, text: &str, chosen: bool| Choice { value, text: text.to_owned(), chosen };
    let date = |at: &Option<Moment>| {
        at.as_ref().map_or_else(String::new, |at| at.chars().take(10).collect())
    };
    let of = |a: &HouseAccess| AccessForm {
        id: a.id.to_string(),
        people: site
            .people
            .iter()
            .map(|p| choice(p.id.to_string(), &p.name, p.id == a.person))
            .collect(),
        platforms: named_platforms(site, &a.platform),
        rights: picked(&Rights::ALL, a.rights),
        invited: date(&a.invited),
        withdrawn: date(&a.withdrawn),
        is_fitter: a.rights == Rights::Fitter,
        due: date(&a.due),
        holds: a.holds.clone(),
    };
    site.accesses.iter().map(of).collect()
}

/// The edit's value that gives the first of the household the first platform; empty where one of both is missing.
fn first_access(site: &Site) -> String {
    let person = site.people.iter().find(|p| p.part.uses_the_house()).or(site.people.iter().next());
    person.zip(first_platform(site)).map_or_else(String::new, |(person, platform)| {
        json!({"person": person.id, "platform": platform.id}).to_string()
    })
}

struct PlatformForm {
    id: String,
    name: String,
    purpose: String,
    in_charge: bool,
    required: bool,
    version: String,
    ways: Vec<Picked>,
    /// How many devices are said to stand in it, and the edit that lets in all others that it reaches.
    stands: usize,
    all_into: String,
}

struct WishForm {
    id: String,
    what: String,
    room: String,
    who: Vec<Choice>,
    /// Field, words, whether it is wanted so.
    by: Vec<(String, &'static str, bool)>,
    /// Name of each point, and the edit that takes it off.
    points: Vec<(String, String)>,
    /// Points that could meet it, each with its edit.
    others: Vec<Choice>,
    lacks: Vec<String>,
}

fn people(site: &Site, accounts: &[(String, String)]) -> Vec<PersonForm> {
    site.people
        .iter()
        .map(|p| PersonForm {
            id: p.id.to_string(),
            name: p.name.clone(),
            licence: p.licence.clone(),
            may_mains: p.may_mains,
            accounts: accounts
                .iter()
                .map(|(id, name)| Choice {
                    value: id.clone(),
                    text: name.clone(),
                    chosen: p.account == *id,
                })
                .collect(),
            parts: picked(&Part::ALL, p.part),
        })
        .collect()
}

fn platform_forms(site: &Site) -> Vec<PlatformForm> {
    site.platforms
        .iter()
        .map(|p| PlatformForm {
            id: p.id.to_string(),
            name: p.name.clone(),
            purpose: p.purpose.clone(),
            in_charge: p.in_charge,
            required: p.required,
            version: p.version.clone(),
            stands: site
                .shares
                .iter()
                .filter(|s| s.platform == p.id && s.comes != ComesIn::KeptOut)
                .count(),
            all_into: all_into(site, &p.id).map_or_else(String::new, |e| json!(e).to_string()),
            ways: picked(&FittingWay::ALL, p.way),
        })
        .collect()
}

fn wishes(site: &Site) -> Vec<WishForm> {
    let choice = |value: String, text: String, chosen: bool| Choice { value, text, chosen };
    site.wishes
        .iter()
        .map(|w| {
            let set = |point: &str, is: bool| {
                json!({"do": "set", "kind": "wish", "id": w.id, "field": format!("points.{point}"), "value": is})
                    .to_string()
            };
            let mut who = vec![choice(String::new(), "anyone".to_owned(), w.who.is_none())];
            let users = site.people.iter().filter(|p| p.part.uses_the_house());
            who.extend(users.map(|p| {
                choice(p.id.to_string(), p.name.clone(), w.who.as_ref() == Some(&p.id))
            }));
            let mut others = vec![choice(String::new(), "add a point…".to_owned(), true)];
            let free = site.points.iter().filter(|p| !w.points.contains(&p.id));
            others.extend(free.map(|p| choice(set(p.id.as_str(), true), p.title(), false)));
            let points = w.points.iter().filter_map(|id| site.points.get(id));
            WishForm {
                id: w.id.to_string(),
                what: w.what.clone(),
                room: w.room.clone(),
                who,
                by: Means::ALL
                    .iter()
                    .map(|(means, words)| {
                        (format!("by.{}", word(means)), *words, w.by.contains(means))
                    })
                    .collect(),
                points: points.map(|p| (p.title(), set(p.id.as_str(), false))).collect(),
                others,
                lacks: met(site, w).lacks,
            }
        })
        .collect()
}

struct NetworkForm {
    id: String,
    name: String,
    system: &'static str,
    channel: String,
    has_channel: bool,
    limits: Vec<LimitField>,
    /// Whether its groups are told by one message.
    at_once: Vec<Choice>,
    devices: usize,
}

struct LimitField {
    name: &'static str,
    text: &'static str,
    value: String,
    usual: String,
}

struct Choice {
    value: String,
    text: String,
    chosen: bool,
}

struct SystemRow {
    name: &'static str,
    frequency: String,
    hops: usize,
    repeaters: usize,
    devices: usize,
    source: &'static str,
}

fn network_form(site: &Site, network: &Network) -> NetworkForm {
    let (rule, own) = (network.system.rule(), &network.limits);
    let field = |name, text, own: Option<usize>, usual: Option<usize>| LimitField {
        name,
        text,
        value: own.map(|v| v.to_string()).unwrap_or_default(),
        usual: usual.map(|v| v.to_string()).unwrap_or_default(),
    };
    let fields = [
        field("limits.most_hops", "Hops", own.most_hops, Some(rule.most_hops)),
        field("limits.most_devices", "Devices a hub", own.most_devices, Some(rule.most_devices)),
        field("limits.most_repeaters", "Repeaters", own.most_repeaters, rule.most_repeaters),
        field("limits.most_routers", "Routers", own.most_routers, rule.most_routers),
        field(
            "limits.children_of_hub",
            "Children of hub",
            own.children_of_hub,
            rule.children_of_hub,
        ),
        field(
            "limits.children_of_router",
            "Children of router",
            own.children_of_router,
            rule.children_of_router,
        ),
    ];
    NetworkForm {
        id: network.id.to_string(),
        name: network.name.clone(),
        system: rule.name,
        channel: network.channel.map(|c| c.to_string()).unwrap_or_default(),
        has_channel: rule.channels.is_some(),
        at_once: [
            ("null", "not looked at", None),
            ("true", "yes", Some(true)),
            ("false", "no", Some(false)),
        ]
        .map(|(value, text, is)| Choice {
            value: value.to_owned(),
            text: text.to_owned(),
            chosen: is == network.groups_at_once,
        })
        .into(),
        limits: fields.into_iter().filter(|f| !f.usual.is_empty()).collect(),
        devices: site.devices.iter().filter(|d| d.network == network.id).count(),
    }
}

/// The people of the firm, by id and name: a person of the job can be one of them.
async fn who_signs_in(job: &AskedJob, server: &Server) -> Result<Vec<(String, String)>, WebError> {
    let Some(signed) = job.caller.signed_in() else { return Ok(Vec::new()) };
    let firm = signed.account.firm.clone();
    let all = server.firms()?.ask(move |accounts| accounts.people(&firm)).await?;
    Ok(all.into_iter().filter(|a| !a.is_shut).map(|a| (a.id.to_string(), a.name)).collect())
}

#[get("/jobs/{job}/brief")]
pub(crate) async fn show(
    For(job, ..): For<See>,
    server: web::Data<Server>,
) -> Result<HttpResponse, WebError> {
    let accounts = who_signs_in(&job, &server).await?;
    printed(job, move |job| {
    let shell = job.shell("brief");
    let site = Arc::clone(&job.site);
    let fields = &site.job;
    let regions = REGIONS.iter().filter_map(|r| {
        let value = serde_json::to_value(r.region).ok()?.as_str()?.to_owned();
        Some(Choice { value, text: r.name.to_owned(), chosen: r.region == fields.region })
    });
    let confidences = [0.9, 0.95, 0.99].map(|p| {
        let (percent, sure) = (p * 100.0, dot_reach_core::confidence::Confidence::new(p));
        let target = sure.map(|c| c.target_margin(PLANNING_SIGMA)).unwrap_or_default();
        Choice {
            value: p.to_string(),
            text: format!("{percent:.0} %: {target} of margin on every hop"),
            chosen: (fields.confidence.get() - p).abs() < 1e-9,
        }
    });
    let systems = RULES.iter().map(|rule| SystemRow {
        name: rule.name,
        frequency: format!("{:.2}", fields.region.frequency(rule.system, None)),
        hops: rule.most_hops,
        repeaters: rule.most_hops - 1,
        devices: rule.most_devices,
        source: rule.source,
    });
    let wishes = wishes(&site);
    Ok(Page {
        shell,
        built: fields.built.map(|y| y.to_string()).unwrap_or_default(),
        budget: fields.budget.map(|b| typographic(b, 0)).unwrap_or_default(),
        currency: fields.currency.clone(),
        keep_years: fields.keep_years.map(|y| typographic(y, 0)).unwrap_or_default(),
        refuses: fields.refuses.clone(),
        refused: Refused::ALL
            .iter()
            .map(|(refused, words)| {
                (format!("refused.{}", word(refused)), *words, fields.refused.contains(refused))
            })
            .collect(),
        settings: all_settings()
            .map(|row| row.name.as_str())
            .map(|name| (name, fields.settings.get(name).cloned().unwrap_or_default()))
            .collect(),
        otherwise: set_otherwise(&site, &job.record)
            .into_iter()
            .map(|of| of.sentence(&site))
            .collect(),
        first_fix: fields.first_fix.clone(),
        work: picked(&JobKind::ALL, fields.work),
        time_zone: fields.time_zone.clone(),
        lengths: length_choices("as the country does", fields.lengths),
        own_lengths: length_choices("as each job has it", job.lengths()),
        usual_zone: fields.country().map_or("such as Europe/Paris", |c| c.zone.as_str()).to_owned(),
        is_new: fields.work == JobKind::New,
        is_first: site.walls.is_empty() && site.points.is_empty(),
        likely: match neutral_is_likely(fields.built) {
            Some(true) => {
                "A neutral at the switches is likely by the age of the house: a guess, until each box has been opened."
            }
            Some(false) => {
                "A neutral at the switches is unlikely by the age of the house: a guess, until each box has been opened."
            }
            None => "",
        },
        open: open(&site).into_iter().chain(platforms::open(&site)).collect(),
        people: people(&site, &accounts),
        needs_power: needs_power::forms(&site),
        platforms: platform_forms(&site),
        charge: charge(&site),
        add_ons: add_ons(&site),
        first_add_on: first_platform(&site).map_or_else(String::new, |p| {
            json!({"platform": p.id, "name": "Add-on"}).to_string()
        }),
        accesses: accesses(&site),
        first_access: first_access(&site),
        unmet: wishes.iter().filter(|w| !w.lacks.is_empty()).count(),
        wishes,
        who_may: who_may(fields),
        name: fields.name.clone(),
        client: fields.client.clone(),
        address: fields.address.clone(),
        note: fields.note.clone(),
        regions: regions.collect(),
        countries: countries(fields),
        confidences: confidences.into_iter().collect(),
        systems: systems.collect(),
        networks: site.networks.iter().map(|n| network_form(&site, n)).collect(),
        kinds: System::ALL
            .iter()
            .filter_map(|s| {
                let value = serde_json::to_value(s).ok()?.as_str()?.to_owned();
                Some(Choice { value, text: s.name().to_owned(), chosen: false })
            })
            .collect(),
    })
    })
    .await
}

/// The wiring countries by name, and that nobody has said.
fn countries(of: &Job) -> Vec<Choice> {
    let unsaid = Choice {
        value: String::new(),
        text: "not said".to_owned(),
        chosen: of.wiring_country.is_empty(),
    };
    let mut all: Vec<Choice> = COUNTRIES
        .iter()
        .map(|row| Choice {
            value: row.code.clone(),
            text: row.name.clone(),
            chosen: row.code == of.wiring_country,
        })
        .collect();
    all.sort_by(|a, b| a.text.cmp(&b.text));
    all.insert(0, unsaid);
    all
}

/// How lengths can be written: as is usual, or otherwise.
fn length_choices(usual: &str, now: Option<Lengths>) -> Vec<(String, String, bool)> {
    let of = |(lengths, name): &(Lengths, &str)| {
        let word = json!(lengths).as_str().unwrap_or_default().to_owned();
        (word, (*name).to_owned(), now == Some(*lengths))
    };
    std::iter::once((String::new(), usual.to_owned(), now.is_none()))
        .chain(Lengths::ALL.iter().map(of))
        .collect()
}
