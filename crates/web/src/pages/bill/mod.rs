//! The bill: what is bought, what the work takes, what bundling the visits saves.

use std::sync::Arc;

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::bill::kits::{KitLaid, SHIPPED, kits, places, with};
use dot_reach_core::bill::{Bill, BillLine, LineKind, bill, energy, two_purchases};
use dot_reach_core::record::OfferSigned;
use dot_reach_core::site::{DeviceId, Edit, Kind, Site};
use dot_reach_core::units::typographic;
use dot_reach_formats::bill_csv;
use serde_json::json;

use crate::commands::{Answer, download};
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::{Shell, money, printed};
use dot_reach_core::units::count_of;

#[derive(Template)]
#[template(path = "bill/page.html")]
struct Page {
    shell: Shell,
    job: String,
    total: String,
    headline: Vec<(String, String)>,
    parts: Vec<PartRows>,
    shares: Vec<[String; 4]>,
    warnings: Vec<String>,
    /// Who signed it, and what it then came to.
    signed: Vec<String>,
    /// Now, and once what is on trial is kept; and what is bought now. Nothing where nothing waits.
    purchases: Option<Purchases>,
    kits: Vec<KitForm>,
    /// Kits that are shipped: name, what of it the plan takes, against singles, and the value that takes it.
    offered: Vec<OfferedKit>,
    /// Breaker, kilowatt-hours a year, cost, and what is to be said of it.
    energy: Vec<[String; 4]>,
}

struct Purchases {
    now: String,
    then: String,
    lines: Vec<Row>,
}

struct KitForm {
    id: String,
    name: String,
    price: String,
    count: u16,
    contents: Vec<(String, String, u16)>,
    told: KitTold,
    hub_too_many: bool,
    /// What is left over, with the edits that lay one at each free place.
    left: Vec<(String, Vec<(String, String)>)>,
    kinds: Vec<(String, String)>,
}

/// How a kit falls on the plan, in words.
struct KitTold {
    brings: String,
    against: String,
    warn: String,
}

struct OfferedKit {
    name: String,
    told: KitTold,
    value: String,
}

struct PartRows {
    name: &'static str,
    sum: String,
    lines: Vec<Row>,
}

struct Row {
    what: String,
    count: String,
    each: String,
    cost: String,
    at: String,
}

/// How amounts of this job are written.
#[derive(Clone, Copy)]
struct Money<'a>(&'a str);

impl Money<'_> {
    fn of(self, amount: f64) -> String {
        money(amount, 2, self.0)
    }
}

#[get("/jobs/{job}/bill")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let (_, plan) = job.planned().await?;
    printed(job, move |job| {
        let found = bill(&job.site, plan.visits.len());
        let fields = &job.site.job;
        let m = Money(&fields.currency);
        Ok(Page {
            shell: job.shell("bill"),
            job: fields.name.clone(),
            total: m.of(found.total),
            headline: headline(&found, m),
            parts: [LineKind::Devices, LineKind::Plates, LineKind::Small, LineKind::Labour]
                .into_iter()
                .map(|part| rows(&found, part, m))
                .filter(|p| !p.lines.is_empty())
                .collect(),
            purchases: purchases(&job.site, plan.visits.len()),
            kits: kits(&job.site).iter().map(|k| kit_form(&job.site, k)).collect(),
            offered: offered(&job.site),
            shares: shares(&found, m),
            warnings: warnings(&found),
            signed: job.record.offers_signed.iter().map(signed).collect(),
            energy: energy(&job.site)
                .into_iter()
                .map(|e| {
                    let without = (e.without > 0).then(|| {
                        format!("without {} whose watts or hours are not known", e.without)
                    });
                    let metered = e.metered.then(|| "metered".to_owned());
                    let said: Vec<_> = metered.into_iter().chain(without).collect();
                    [e.circuit, typographic(e.kwh, 0), m.of(e.cost), said.join(", ")]
                })
                .collect(),
        })
    })
    .await
}

/// A signature under the offer as a line.
pub(crate) fn signed(of: &OfferSigned) -> String {
    let sum = money(of.total, 2, &of.currency);
    let devices = count_of(of.devices as usize, "device", "devices");
    let mut said = format!("Signed by {}, {}: {devices}, {sum}", of.name, day(&of.at));
    if of.without_price > 0 {
        let lines = count_of(of.without_price as usize, "line", "lines");
        said = format!("{said}; {lines} had no price");
    }
    if of.open > 0 {
        said = format!("{said}; of {} it was not settled that they fit", of.open);
    }
    if !of.note.is_empty() {
        said = format!("{said}; with reservations: {}", of.note);
    }
    format!("{said}.")
}

fn headline(found: &Bill, m: Money<'_>) -> Vec<(String, String)> {
    let per_load = if found.loads == 0 {
        String::from("–")
    } else {
        m.of(found.total / as_f64(found.loads))
    };
    let mut told = vec![
        ("for each load that is worked".to_owned(), format!("{per_load} ({} loads)", found.loads)),
        ("hours of wiring".to_owned(), typographic(found.wiring_hours, 1)),
        (
            "visits, all bundled".to_owned(),
            format!("{} instead of {}, circuit by circuit", found.visits.0, found.visits.1),
        ),
        ("saved in call-outs".to_owned(), m.of(found.saved)),
    ];
    told.extend(found.left.map(|left| {
        let words = if left < 0.0 { "over the budget" } else { "left of the budget" };
        (words.to_owned(), m.of(left.abs()))
    }));
    told
}

fn as_f64(count: usize) -> f64 {
    f64::from(u32::try_from(count).unwrap_or(u32::MAX))
}

fn rows(found: &Bill, part: LineKind, m: Money<'_>) -> PartRows {
    let lines: Vec<_> = found.lines.iter().filter(|l| l.part == part).collect();
    let sum: f64 = lines.iter().filter_map(|l| l.cost()).sum();
    PartRows { name: part.name(), sum: m.of(sum), lines: lines.iter().map(|l| row(l, m)).collect() }
}

fn row(l: &BillLine, m: Money<'_>) -> Row {
    Row {
        what: l.what.clone(),
        count: typographic(l.count, usize::from(l.count.fract().abs() > 0.0)),
        each: l.each.map_or_else(|| "not known".to_owned(), |e| m.of(e)),
        cost: l.cost().map(|c| m.of(c)).unwrap_or_default(),
        at: at(&l.at),
    }
}

/// Where pieces go: each place once, with how many of them where there are several.
fn at(all: &[String]) -> String {
    let mut each: Vec<(&str, usize)> = Vec::new();
    for place in all {
        match each.iter_mut().find(|(known, _)| known == place) {
            Some((_, count)) => *count += 1,
            None => each.push((place, 1)),
        }
    }
    let told = each.into_iter().map(|(place, count)| match count {
        1 => place.to_owned(),
        _ => format!("{place} ({count})"),
    });
    told.collect::<Vec<_>>().join(", ")
}

/// What is bought now, and what once that on trial is kept.
fn purchases(site: &Site, visits: usize) -> Option<Purchases> {
    let both = two_purchases(site, visits)?;
    let m = Money(&site.job.currency);
    let lines = both.now.lines.iter().filter(|l| l.part != LineKind::Labour);
    Some(Purchases {
        now: m.of(both.now.total),
        then: m.of(both.then),
        lines: lines.map(|l| row(l, m)).collect(),
    })
}

fn kit_told(site: &Site, laid: &KitLaid) -> KitTold {
    let place = |id: &DeviceId| {
        let device = site.devices.get(id)?;
        Some(site.point_of(device)?.title())
    };
    let places: Vec<String> = laid.brings.iter().filter_map(place).collect();
    let m = Money(&site.job.currency);
    let left: Vec<String> = laid.left.iter().map(|(_, name, n)| format!("{n} × {name}")).collect();
    let against = match laid.costs.zip(laid.singles) {
        Some((costs, singles)) if singles > costs => {
            format!(
                "{} for what costs {} singly: {} less.",
                m.of(costs),
                m.of(singles),
                m.of(singles - costs)
            )
        }
        Some((costs, singles)) => {
            format!(
                "{} for what costs {} singly: {} more.",
                m.of(costs),
                m.of(singles),
                m.of(costs - singles)
            )
        }
        None => "What it costs, or a part of it singly, is not known.".to_owned(),
    };
    KitTold {
        brings: if places.is_empty() {
            "Brings nothing that is planned.".to_owned()
        } else {
            format!("Goes to {}.", places.join(", "))
        },
        against,
        warn: match (left.is_empty(), laid.hub_too_many) {
            (true, _) => String::new(),
            (false, true) => format!("Left over: {}. A hub too many.", left.join(", ")),
            (false, false) => format!("Left over: {}.", left.join(", ")),
        },
    }
}

fn kit_form(site: &Site, laid: &KitLaid) -> KitForm {
    let kit = &laid.kit;
    let name = |id: &String| site.kind(id).map_or_else(|| id.clone(), |k| k.name.clone());
    let contents = kit.contents.iter().map(|(id, n)| (format!("contents.{id}"), name(id), *n));
    let mut kinds: Vec<(String, String)> = site
        .all_kinds()
        .filter(|k| !kit.contents.contains_key(&k.id))
        .map(|k| {
            let field = format!("contents.{}", k.id);
            (json!(Edit::set(Kind::Kit, &kit.id, &field, 1)).to_string(), k.name.clone())
        })
        .collect();
    kinds.sort_by(|a, b| a.1.cmp(&b.1));
    KitForm {
        id: kit.id.to_string(),
        name: kit.name.clone(),
        price: kit.price.map(|p| typographic(p, 2)).unwrap_or_default(),
        count: kit.count,
        contents: contents.collect(),
        told: kit_told(site, laid),
        hub_too_many: laid.hub_too_many,
        left: laid
            .left
            .iter()
            .map(|(id, name, count)| (format!("{count} × {name}"), free_places(site, id)))
            .collect(),
        kinds,
    }
}

/// Places where one that is left over can be laid, each with the edit that does.
fn free_places(site: &Site, id: &str) -> Vec<(String, String)> {
    let all = places(site, id).into_iter();
    all.map(|(point, edit)| (json!(edit).to_string(), point.title())).collect()
}

/// Shipped kits of which the plan would take something, and that are not bought.
fn offered(site: &Site) -> Vec<OfferedKit> {
    let others = SHIPPED.iter().filter(|k| site.kits.get(&k.id).is_none());
    let laid = others.filter_map(|k| with(site, k)).filter(|l| !l.brings.is_empty());
    let offer = |laid: KitLaid| OfferedKit {
        name: laid.kit.name.clone(),
        told: kit_told(site, &laid),
        value: json!(Edit::put(laid.kit.clone())).to_string(),
    };
    laid.map(offer).collect()
}

fn shares(found: &Bill, m: Money<'_>) -> Vec<[String; 4]> {
    let row = |s: &dot_reach_core::bill::Share| {
        let each = if s.loads == 0 { "–".to_owned() } else { m.of(s.cost / as_f64(s.loads)) };
        [s.name.clone(), m.of(s.cost), s.loads.to_string(), each]
    };
    found.shares.iter().filter(|s| s.cost > 0.0).map(row).collect()
}

fn warnings(found: &Bill) -> Vec<String> {
    let mut told = Vec::new();
    let (misfits, unknown) = found.open;
    if misfits > 0 {
        let (devices, they) =
            if misfits == 1 { ("device does", "it is") } else { ("devices do", "they are") };
        told.push(format!(
            "{misfits} {devices} not fit where {they} planned: the bill will change."
        ));
    }
    if unknown > 0 {
        told.push(format!(
            "Of {unknown} more it is not known yet whether {} fit{}.",
            if unknown == 1 { "it" } else { "they" },
            if unknown == 1 { "s" } else { "" }
        ));
    }
    if found.without_price > 0 {
        told.push(format!("Lines without a price, not in the sum: {}.", found.without_price));
    }
    if !found.not_listed.is_empty() {
        told.push(format!(
            "In {} boxes conductors are not listed; connectors for them are the most that is usual: {}.",
            found.not_listed.len(),
            found.not_listed.join(" ")
        ));
    }
    told
}

#[get("/jobs/{job}/bill.csv")]
pub(crate) async fn csv(For(job, ..): For<See>) -> Answer {
    let (_, plan) = job.planned().await?;
    let site = Arc::clone(&job.site);
    let text = job.compute(move || bill_csv::write(&bill(&site, plan.visits.len()))).await?;
    let text = text.map_err(|e| WebError::Inside(e.to_string()))?;
    Ok(download(&format!("{}-bill.csv", job.id), "text/csv; charset=utf-8", text))
}
