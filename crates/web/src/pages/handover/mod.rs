//! Handover: a printable page with plans, ledger, readings and cautions, and the files to keep; whole for the next
//! integrator, or what the household or the electrician needs of it.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::assumptions::assumptions;
use dot_reach_core::findings::{Acts, Finding, grouped};
use dot_reach_core::fit::Fits;
use dot_reach_core::gate::gate;
use dot_reach_core::gate::work::opener;
use dot_reach_core::install::guide::ROWS;
use dot_reach_core::install::{MAINS_CAUTIONS, record};
use dot_reach_core::moment::Moment;
use dot_reach_core::network::Hop;
use dot_reach_core::placement::explain::ruling_words;
use dot_reach_core::platforms::{StandsIn, stand_in};
use dot_reach_core::prove::Proof;
use dot_reach_core::prove::handed_over::handed_over;
use dot_reach_core::record::{Method, Record, Step};
use dot_reach_core::site::{DeviceId, HouseAccess, Network, Rights, Site};
use dot_reach_core::spoken::NameBook;
use dot_reach_core::summary::{fits, unsettled};
use dot_reach_core::units::typographic;
use dot_reach_store::JobId;
use serde::Deserialize;

use crate::door::{For, Handover};
use crate::drawing::plan::{Plan, sheet};
use crate::drawing::stairs::signed;
use crate::error::WebError;
use crate::pages::assumptions::{AssumptionRow, assumption_row};
use crate::pages::house_time::day;
use crate::pages::prove::{acceptance, as_read};
use crate::pages::reach::ledger::tag_of;
use crate::pages::region::{length_words, say};
use crate::pages::rules_tried::{TriedView, tried};
use crate::pages::spoken::{PhraseRow, answered};
use crate::pages::{Shell, bill, install, printed};

#[derive(Template)]
#[template(path = "handover/page.html")]
struct Page {
    shell: Shell,
    shown: Shown,
    job: String,
    /// How lengths are written on it.
    lengths: &'static str,
    client: String,
    address: String,
    date: String,
    revision: u64,
    /// How much is in the house, how much of that was tested, and what is only planned.
    summary: Vec<String>,
    /// Who signed the offer.
    offered: Vec<String>,
    confidence: String,
    target: String,
    sigma: String,
    sheets: Vec<Sheet>,
    /// Grounds of the plans beside their signs: none, as these show no surface.
    legend: Vec<(&'static str, String)>,
    rows: Vec<Row>,
    readings: Vec<ReadingRow>,
    assumed: Vec<AssumptionRow>,
    /// Devices that are out, thin, or do not fit, each with why.
    open: Vec<(String, String)>,
    /// By who must act, each by place.
    findings: Vec<(&'static str, Vec<AtPlace>)>,
    /// What was overruled of the advice, with the reason.
    overruled: Vec<(String, String)>,
    cautions: [String; 5],
    day: TheDay,
    /// What keys, scenes, phrases and times do, and how that was tried.
    rules: Vec<TriedView>,
    /// What is said in this house, and what answers to it.
    phrases: Vec<PhraseRow>,
    /// Networks that a device opens by hand: how, and how it is closed.
    opened: Vec<(String, String)>,
    /// Who gets the house: who, by what, with which rights, since when, until when.
    accesses: Vec<[String; 5]>,
    /// Platform, device, how it comes to be there, since when.
    shares: Vec<[String; 4]>,
    /// Whether who looks at it may sign here: whoever the house is for.
    signs: bool,
    /// Who signed.
    signed: Vec<String>,
}

/// What was done on site.
struct TheDay {
    isolations: Vec<String>,
    /// Done against a rule, or to be done again: of what, and why.
    irregular: Vec<(String, String)>,
    ghosts: Vec<(String, String)>,
    /// Name, number and method, diagram, when tested and closed.
    devices: Vec<[String; 6]>,
    faults: Vec<[String; 4]>,
    /// Codes, where they were asked for.
    codes: Vec<(String, String)>,
}

/// A place, and what is to be settled there.
type AtPlace = (String, Vec<String>);

struct Sheet {
    name: String,
    network: String,
    plan: Plan,
}

struct Row {
    tag: String,
    name: String,
    network: String,
    place: String,
    role: &'static str,
    band: String,
    class: &'static str,
    hops: String,
    via: String,
    margin: String,
    hangs_on: String,
}

struct ReadingRow {
    from: String,
    to: String,
    at: String,
    measured: String,
    predicted: String,
    residual: String,
    /// Whether it does not count.
    is_excluded: bool,
}

/// What the handover is asked to hold beside the usual.
#[derive(Deserialize)]
pub(crate) struct Query {
    /// Join codes open the house's network: they are printed only on request.
    #[serde(default)]
    codes: u8,
    /// Which part of a large house is shown; its cover where none is asked for.
    part: Option<HandoverPart>,
    /// Whether all parts stand on one page, to be printed.
    #[serde(default)]
    all: u8,
    /// Which page of the part, from one.
    #[serde(default)]
    page: usize,
    /// Who reads it; whoever takes the house over gets all of it.
    #[serde(rename = "for")]
    reader: Option<Reader>,
}

/// Who needs no more than a part of the handover.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum Reader {
    Household,
    Electrician,
}

impl Reader {
    /// Each with its word in the address and its name.
    const ALL: [(Option<Self>, &'static str, &'static str); 3] = [
        (None, "", "All, for the next integrator"),
        (Some(Self::Household), "?for=household", "For the household"),
        (Some(Self::Electrician), "?for=electrician", "For the electrician"),
    ];

    /// Whether findings on which such a one must act are for this reader.
    fn acts(self, acts: Acts) -> bool {
        match self {
            Self::Household => acts == Acts::Client,
            Self::Electrician => matches!(acts, Acts::Electrician | Acts::Installer),
        }
    }
}

/// A part of the handover.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum HandoverPart {
    Cover,
    Plans,
    Devices,
    Readings,
    Site,
}

impl HandoverPart {
    /// Each with its word and its name.
    const ALL: [(Self, &'static str, &'static str); 5] = [
        (Self::Cover, "cover", "Cover"),
        (Self::Plans, "plans", "Plans"),
        (Self::Devices, "devices", "Ledger"),
        (Self::Readings, "readings", "Readings and assumptions"),
        (Self::Site, "site", "Work on site"),
    ];
}

/// From so many devices on the handover is read in parts.
const IN_PARTS: usize = 120;
/// So many rows of the ledger stand on a page.
const ROWS_A_PAGE: usize = 60;

/// What of the handover is shown.
struct Shown {
    /// The parts to choose from: address, name, whether it is shown; none where all is shown.
    parts: Vec<(String, &'static str, bool)>,
    only: Option<HandoverPart>,
    reader: Option<Reader>,
    /// The readers to choose from: address, name, whether it is theirs that is shown.
    readers: [(&'static str, &'static str, bool); 3],
    /// The pages of the part that is shown: address, number, whether it is shown.
    pages: Vec<(String, usize, bool)>,
    page: usize,
}

impl Shown {
    fn of(query: &Query, devices: usize) -> Self {
        let reader = query.reader;
        let in_parts = devices > IN_PARTS && query.all == 0 && reader.is_none();
        let only = in_parts.then(|| query.part.unwrap_or(HandoverPart::Cover));
        let parts = HandoverPart::ALL
            .map(|(part, word, name)| (format!("?part={word}"), name, Some(part) == only));
        let count = devices.div_ceil(ROWS_A_PAGE);
        let page = query.page.clamp(1, count.max(1));
        let is_paged = only == Some(HandoverPart::Devices);
        let pages = (1..=count)
            .filter(|_| is_paged)
            .map(|n| (format!("?part=devices&page={n}"), n, n == page));
        Self {
            parts: if in_parts { parts.to_vec() } else { Vec::new() },
            only,
            reader,
            readers: Reader::ALL.map(|(of, address, name)| (address, name, of == reader)),
            pages: pages.collect(),
            page,
        }
    }

    /// Whether nobody's part alone is shown.
    fn whole(&self) -> bool {
        self.reader.is_none()
    }
    /// What was done and is to be done at boxes.
    fn boxes(&self) -> bool {
        self.reader != Some(Reader::Household)
    }
    /// What whoever lives there does with it.
    fn living(&self) -> bool {
        self.reader != Some(Reader::Electrician)
    }

    fn has(&self, part: HandoverPart) -> bool {
        self.only.is_none_or(|only| only == part)
    }
    fn cover(&self) -> bool {
        self.has(HandoverPart::Cover)
    }
    fn plans(&self) -> bool {
        self.whole() && self.has(HandoverPart::Plans)
    }
    fn devices(&self) -> bool {
        self.whole() && self.has(HandoverPart::Devices)
    }
    fn readings(&self) -> bool {
        self.whole() && self.has(HandoverPart::Readings)
    }
    fn site(&self) -> bool {
        self.has(HandoverPart::Site)
    }

    /// The rows of the ledger that are shown.
    fn rows<T>(&self, all: impl Iterator<Item = T>) -> Vec<T> {
        if self.pages.is_empty() {
            return all.filter(|_| self.devices()).collect();
        }
        all.skip((self.page - 1) * ROWS_A_PAGE).take(ROWS_A_PAGE).collect()
    }
}

#[get("/jobs/{job}/handover")]
pub(crate) async fn show(
    For(job, query, ..): For<Handover, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("handover");
    let codes = query.codes == 1 && job.caller.may_see_codes();
    let shown = Shown::of(&query, job.site.devices.iter().count());
    let (id, revision) = (job.id.clone(), job.revision);
    let (analysis, proof) = job.proved().await?;
    printed(job, move |_| Ok(page(shell, shown, (&id, revision), &analysis, &proof, codes))).await
}

fn page(
    shell: Shell,
    shown: Shown,
    (job, revision): (&JobId, u64),
    analysis: &Analysis,
    proof: &Proof,
    codes: bool,
) -> Page {
    let (site, record) = (&analysis.site, &proof.record);
    let name =
        |id: &DeviceId| site.devices.get(id).map_or_else(|| id.to_string(), |d| d.name.clone());
    let rows = analysis.worst_first().into_iter().map(|(network, place, outcome)| {
        let node = &network.nodes[place];
        let point = site.devices.get(&node.device).and_then(|d| site.point_of(d));
        let via = outcome.hops.iter().rev().skip(1).map(|h| name(&h.to));
        Row {
            tag: tag_of(site, &node.device),
            name: node.name.clone(),
            network: network.name.clone(),
            place: point.map(|p| site.room_name(p).to_owned()).unwrap_or_default(),
            role: node.role.role.name(),
            band: if fits(site, &node.device) == Fits::No {
                format!("{}, does not fit", outcome.band.grade())
            } else {
                outcome.band.grade().to_owned()
            },
            class: outcome.band.name(),
            hops: if outcome.hops.is_empty() {
                "–".into()
            } else {
                outcome.hops.len().to_string()
            },
            via: via.collect::<Vec<_>>().join(", "),
            margin: outcome.weakest().map_or_else(|| "–".into(), with_range),
            hangs_on: network.hangs_on_carriers(outcome).map(name).collect::<Vec<_>>().join(", "),
        }
    });
    let sheets = site.floors_upward().into_iter().filter(|_| shown.plans()).flat_map(|floor| {
        analysis.networks.iter().filter_map(move |network| {
            let mut plan = sheet(site, &floor.id, None);
            plan.radios(analysis, network, &floor.id, None);
            let has_dots = !plan.dots.is_empty();
            for dot in &mut plan.dots {
                dot.show_name = true;
            }
            let (name, network) = (floor.name.clone(), network.name.clone());
            has_dots.then_some(Sheet { name, network, plan })
        })
    });
    let readings = proof.comparisons.iter().map(|c| ReadingRow {
        from: name(&c.from),
        to: name(&c.to),
        at: record.readings.get(&c.reading).map(|r| day(&r.at)).unwrap_or_default(),
        measured: as_read(c.measured),
        predicted: typographic(c.predicted.get(), 1),
        residual: signed(c.residual()),
        is_excluded: c.weight <= 0.0,
    });
    Page {
        job: job.to_string(),
        client: site.job.client.clone(),
        address: site.job.address.clone(),
        date: day(&crate::app::now()),
        revision,
        summary: handed_over(analysis, record).sentences(),
        offered: record.offers_signed.iter().map(bill::signed).collect(),
        confidence: format!("{:.0} %", site.job.confidence.get() * 100.0),
        target: analysis.target.to_string(),
        sigma: analysis.sigma.to_string(),
        signs: shell.person.as_ref().is_some_and(|p| !p.has_account),
        signed: record.sign_offs.iter().map(acceptance::signed).collect(),
        sheets: sheets.collect(),
        legend: Vec::new(),
        rows: shown.rows(rows),
        readings: readings.collect(),
        open: open(analysis, shown.reader == Some(Reader::Electrician)),
        findings: grouped(site, analysis.findings.iter().filter(|f| f.found.rule() != "fit"))
            .into_iter()
            .filter(|g| shown.reader.is_none_or(|reader| reader.acts(g.acts)))
            .map(|g| (g.acts.name(), g.places.into_iter().map(at_place).collect()))
            .collect(),
        overruled: site.rulings.iter().map(|r| (ruling_words(site, r), r.why.clone())).collect(),
        assumed: assumptions(analysis).into_iter().map(assumption_row).collect(),
        cautions: MAINS_CAUTIONS.map(say),
        lengths: length_words(),
        day: the_day(site, record, codes),
        rules: site.rules.iter().map(|rule| tried(site, record, rule)).collect(),
        phrases: phrases(site),
        opened: opened(site),
        accesses: accesses(site),
        shares: shares(site, record),
        shown,
        shell,
    }
}

/// What is said in this house and what answers to it, where anything is spoken to at all.
fn phrases(site: &Site) -> Vec<PhraseRow> {
    let book = NameBook::of(site);
    if !book.has_voice() {
        return Vec::new();
    }
    book.guide().iter().map(|phrase| answered(site, &book.answer(phrase))).collect()
}

/// How one more is let in later, where a device opens the network by hand.
fn opened(site: &Site) -> Vec<(String, String)> {
    let of = |network: &Network| {
        let (device, by) = opener(site, &network.id)?;
        let how = format!(
            "{}: {}; it is open when it {}. To close it, {}; it is closed when it {}.",
            device.name, by.gesture, by.light, by.closes, by.closed
        );
        Some((network.name.clone(), how))
    };
    site.networks.iter().filter_map(of).collect()
}

/// What stands in further platforms, and since when.
fn shares(site: &Site, record: &Record) -> Vec<[String; 4]> {
    let of = |share: StandsIn| {
        let since = share.since.as_ref().map_or_else(|| "nobody has said".to_owned(), |at| day(at));
        [
            site.platforms.get(&share.platform).map_or_else(String::new, |p| p.name.clone()),
            site.devices.get(&share.device).map_or_else(String::new, |d| d.name.clone()),
            share.comes.name().to_owned(),
            since,
        ]
    };
    stand_in(site, record).into_iter().map(of).collect()
}

fn accesses(site: &Site) -> Vec<[String; 5]> {
    let date = |at: &Option<Moment>| {
        at.as_ref().map_or_else(String::new, |at| at.chars().take(10).collect())
    };
    let of = |a: &HouseAccess| {
        let rights =
            Rights::ALL.iter().find(|(r, _)| *r == a.rights).map_or("", |(_, words)| words);
        [
            site.people.get(&a.person).map_or_else(String::new, |p| p.name.clone()),
            site.platforms.get(&a.platform).map_or_else(String::new, |p| p.name.clone()),
            rights.to_owned(),
            date(&a.invited),
            date(&a.withdrawn),
        ]
    };
    site.accesses.iter().map(of).collect()
}

/// A margin with how far off it may be.
fn with_range(hop: &Hop) -> String {
    format!("{} ± {}", typographic(hop.margin().get(), 1), typographic(hop.sigma.get(), 1))
}

/// What was done on site, in words.
fn the_day(site: &Site, told: &Record, codes: bool) -> TheDay {
    let gate = gate(told, site);
    let clock = site.job.clock();
    let name =
        |id: &DeviceId| site.devices.get(id).map_or_else(|| id.to_string(), |d| d.name.clone());
    let devices = record::devices(&gate).into_iter().map(|of| {
        let at = |step: Step| {
            let done = of.steps.iter().find(|(s, ..)| *s == step);
            done.map(|(_, by, at)| format!("{} {by}", day(at))).unwrap_or_default()
        };
        let joined = of.joining.map_or_else(String::new, |(node, method, elsewhere)| {
            let how = Method::ALL.iter().find(|(m, _)| *m == method).map_or("", |(_, w)| w);
            let number = node.map(|n| format!("number {n}, ")).unwrap_or_default();
            let place = if elsewhere { ", joined elsewhere" } else { "" };
            format!("{number}{how}{place}")
        });
        let wiring = of.wiring.as_ref().map(|(diagram, _)| diagram.clone()).unwrap_or_default();
        let kept = told.wiring_records.iter().find(|r| r.device == of.device);
        let set = kept.into_iter().flat_map(|r| &r.settings).filter(|(_, is)| !is.is_empty());
        let set: Vec<String> = set.map(|(name, is)| format!("{name}: {is}")).collect();
        let set = set.join("; ");
        [name(&of.device), joined, wiring, set, at(Step::Tested), at(Step::Closed)]
    });
    let faults = told.faults.iter().map(|f| {
        let what = ROWS.symptom(&f.symptom).map_or(f.symptom.clone(), |s| s.text.clone());
        let cause = ROWS.cause(&f.cause).map_or(f.cause.clone(), |c| c.text.clone());
        let who = f.device.as_ref().map(name).unwrap_or_default();
        [day(&f.at), format!("{who}: {what}"), cause, f.cure.clone()]
    });
    let kept = site.devices.iter().filter(|_| codes).flat_map(|d| told.codes_of(&d.id));
    let kept = kept.filter(|c| !c.text.is_empty());
    TheDay {
        isolations: told.isolations.iter().map(|of| record::isolation(of, &clock)).collect(),
        irregular: install::irregular(&gate),
        ghosts: record::ghosts(&gate).into_iter().map(|(d, old)| (name(&d), old)).collect(),
        devices: devices.collect(),
        faults: faults.collect(),
        codes: kept.map(|c| (name(&c.device), c.text.clone())).collect(),
    }
}

fn at_place((place, all): (String, Vec<&Finding>)) -> AtPlace {
    (place, all.iter().map(|f| format!("{} {}", f.found, f.found.cure())).collect())
}

/// What is to be settled about devices: who, and why; of boxes alone where only what does not fit them is asked for.
fn open(analysis: &Analysis, is_of_boxes: bool) -> Vec<(String, String)> {
    unsettled(analysis)
        .into_iter()
        .filter(|open| !is_of_boxes || !open.unfit.is_empty())
        .map(|open| {
            let device = analysis.site.devices.get(&open.outcome.device);
            let name = device.map_or_else(String::new, |d| d.name.clone());
            let unfit = open.unfit.iter().map(|f| {
                let ways = f.ways_out(&analysis.site.job);
                let ways: Vec<&str> = ways.iter().map(|way| way.says).collect();
                format!("Does not fit. {f} Ways out: {}.", say(&ways.join("; ")))
            });
            let reached = (!is_of_boxes
                && open.outcome.band < dot_reach_core::network::Band::Sound)
                .then(|| open.outcome.reason.to_string());
            let why: Vec<_> = reached.into_iter().chain(unfit).collect();
            (format!("{name}, {}", open.network.name), why.join(" "))
        })
        .collect()
}
