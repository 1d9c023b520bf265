//! What one page of a job says, all say: how its devices stand, where its hub is best, what it needs now, what it costs; and
//! none of them says an inner word. All demo jobs, and fifty drawn by chance.
#![expect(clippy::expect_used, reason = "a page that does not hold what it must has failed")]

mod common;

use std::collections::{BTreeMap, BTreeSet};

use common::TestApp;
use dot_reach_core::glossary::GLOSSARY;
use dot_reach_core::record::Record;
use dot_reach_core::site::{Edit, Site, apply};
use dot_reach_standin::houses;
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use serde_json::{Value, json};

/// A device as a page has it: verdict, hops, weakest margin.
type Told = (String, String, String);

/// What stands between the first `open` and the next `close` of a text.
fn between<'a>(text: &'a str, open: &str, close: &str) -> &'a str {
    text.split_once(open).and_then(|(_, rest)| rest.split_once(close)).map_or("", |(own, _)| own)
}

/// The words of a piece of a page without its tags.
fn words(html: &str) -> String {
    let pieces = html.split('<').map(|piece| piece.split_once('>').map_or(piece, |(_, own)| own));
    pieces.collect::<String>().split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The devices of a job by network and name, as the ledgers of Reach have them, hubs left out.
fn ledgers(app: &TestApp, job: &str, site: &Site) -> BTreeMap<(String, String), Told> {
    let mut told = BTreeMap::new();
    for network in site.networks.iter() {
        let page =
            app.get(&format!("/jobs/{job}/reach?network={}&col=hops,margin,off", network.id)).body;
        for line in page.split("data-device-row=").skip(1) {
            let line = line.split("</button>").next().unwrap_or_default();
            let name = words(&format!("<{}", between(line, "<span class=\"name\"", "</span>")));
            let verdict =
                words(&format!("<{}", between(line, "<span class=\"verdict\"", "</span>")));
            let mut cells = line
                .split("<span class=\"cell")
                .skip(1)
                .map(|c| words(&format!("<{}", c.split("</span>").next().unwrap_or_default())));
            let hops = cells.next().expect("hops");
            let margin = with_range(&cells.next().expect("a margin"), cells.next());
            if hops != "hub" {
                told.insert((network.name.clone(), name), (verdict, hops, margin));
            }
        }
    }
    told
}

/// A margin with how far off it may be, as the handover prints it.
fn with_range(margin: &str, off: Option<String>) -> String {
    match off {
        Some(off) if margin != "–" => format!("{margin} ± {off}"),
        _ => margin.to_owned(),
    }
}

/// The same as the handover prints them.
fn handover(app: &TestApp, job: &str) -> BTreeMap<(String, String), Told> {
    let page = app.get(&format!("/jobs/{job}/handover?all=1")).body;
    let table = between(&page, "<h2>Ledger</h2>", "</table>");
    let rows = table.split("<tr>").skip(2).map(|row| {
        let cells: Vec<_> = row.split("<td").skip(1).map(|c| words(&format!("<{c}"))).collect();
        (
            (cells[2].clone(), cells[1].clone()),
            cells[4].clone(),
            (cells[5].clone(), cells[6].clone(), cells[8].clone()),
        )
    });
    rows.filter(|(_, role, _)| role != "hub").map(|(who, _, told)| (who, told)).collect()
}

/// The cells of a surface: where, and the margin that a device there would be told.
fn surface(app: &TestApp, job: &str, network: &str, floor: &str) -> Vec<([f64; 2], f64)> {
    let path = format!("/jobs/{job}/surface.csv?network={network}&floor={floor}");
    let text = app.get(&path).body;
    let number = |t: &str| t.parse::<f64>().unwrap_or(f64::NAN);
    let cell = |line: &str| {
        let of: Vec<f64> = line.split(',').map(number).collect();
        ([of[0], of[1]], of[2])
    };
    text.lines().skip(1).map(cell).collect()
}

#[test]
fn ledger_and_handover_of_every_demo_job_say_the_same() {
    let app = TestApp::demo();
    for name in houses::NAMES {
        let site = houses::named(name).expect("a demo house").site;
        let job = slug(&site);
        let (ledgers, handover) = (ledgers(&app, &job, &site), handover(&app, &job));
        assert!(ledgers.len() > 5, "{job}: {}", ledgers.len());
        for (who, told) in &ledgers {
            assert_eq!(handover.get(who), Some(told), "{job}: {who:?}");
        }
        assert_eq!(ledgers.len(), handover.len(), "{job}");
    }
}

#[test]
fn a_device_put_on_the_ground_of_a_surface_is_told_what_the_surface_says() {
    const PROBES: usize = 5;
    let app = TestApp::demo();
    for name in houses::NAMES {
        let site = houses::named(name).expect("a demo house").site;
        let job = slug(&site);
        let (mut squares, mut sum, mut count) = (0.0, 0.0, 0.0_f64);
        for network in site.networks.iter() {
            let Some(floor) = site.floors_upward().first().map(|f| f.id.clone()) else { continue };
            let cells = surface(&app, &job, network.id.as_str(), floor.as_str());
            // Ground that is reached with no more than is needed is where a word turns.
            let worth: Vec<_> = cells.iter().filter(|(_, m)| *m > -10.0).collect();
            let step = (worth.len() / PROBES).max(1);
            for (n, (at, margin)) in worth.into_iter().step_by(step).take(PROBES).enumerate() {
                let id = format!("probe-{}-{n}", network.id);
                let name = format!("Probe {} {n}", network.id);
                let point = json!({"do": "put", "kind": "point", "value": {"id": id, "name": name, "floor": floor, "at": at, "height_m": 1.1, "kind": "bare-wall"}});
                let device = json!({"do": "put", "kind": "device", "value": {"id": id, "name": name, "point": id, "kind": "sensor-battery", "network": network.id}});
                let put = json!({"do": "batch", "edits": [point, device]});
                if network.system == dot_reach_core::radio::system::System::Wifi {
                    continue;
                }
                let answer = app.post(
                    &format!("/jobs/{job}/edits"),
                    &json!({"edit": put, "edit_id": id, "client": "c"}),
                );
                assert_eq!(answer.status, 200, "{}", answer.body);
                let who = (network.name.clone(), name);
                let page = app
                    .get(&format!(
                        "/jobs/{job}/reach?network={}&select={id}&col=hops,margin,off",
                        network.id
                    ))
                    .body;
                let row =
                    page.split(&format!("data-device-row=\"{id}\"")).nth(1).expect("its line");
                let line = row.split("</button>").next().unwrap_or_default();
                let told: Vec<_> = line
                    .split("<span class=\"cell")
                    .skip(1)
                    .map(|c| words(&format!("<{}", c.split("</span>").next().unwrap_or_default())))
                    .collect();
                let printed = handover(&app, &job);
                let (verdict, hops, margin_printed) =
                    printed.get(&who).expect("its row in the handover");
                assert_eq!(
                    [hops, margin_printed],
                    [&told[0], &with_range(&told[1], told.get(2).cloned())],
                    "{job}: {who:?}, {verdict}"
                );
                if let Ok(told) = told[1].replace('−', "-").parse::<f64>() {
                    squares += (told - margin).powi(2);
                    sum += told - margin;
                    count += 1.0;
                }
                let undone = app.post(
                    &format!("/jobs/{job}/undo"),
                    &json!({"client": "c", "edit_id": format!("u-{id}")}),
                );
                assert_eq!(undone.status, 200, "{}", undone.body);
            }
        }
        // A surface fits its bounces to sampled links instead of tracing each.
        let (rmse, bias) = ((squares / count).sqrt(), sum / count);
        assert!(
            count >= 5.0 && rmse < 2.5 && bias.abs() < 1.5,
            "{job}: {rmse:.2} {bias:.2} of {count}"
        );
    }
}

/// The id that a job gets by its name.
fn slug(site: &Site) -> String {
    let words = site.job.name.to_lowercase().replace(|c: char| !c.is_alphanumeric(), "-");
    words.split('-').filter(|w| !w.is_empty()).collect::<Vec<_>>().join("-")
}

/// A wall by its ends and a number of its construction.
type DrawnWall = ([f64; 2], [f64; 2], usize);

/// A device by its place and a number of its kind, and whether its box was looked into.
type DrawnDevice = ([f64; 2], usize, bool);

/// A small house by chance: walls, a hub or none, devices of several kinds, some known to fit and some not looked into.
fn by_chance() -> impl Strategy<Value = (Vec<DrawnWall>, Vec<DrawnDevice>, bool, bool)> {
    let spot = || [0.0..14.0f64, 0.0..9.0f64];
    let walls = prop::collection::vec((spot(), spot(), 0..3usize), 1..7);
    let devices = prop::collection::vec((spot(), 0..6usize, any::<bool>()), 0..9);
    (walls, devices, prop::bool::weighted(0.85), any::<bool>())
}

const KINDS: [(&str, &str); 6] = [
    ("switch-neutral", "switch"),
    ("plug-socket", "socket"),
    ("sensor-motion", "bare-wall"),
    ("remote-battery", "bare-wall"),
    ("relay-module", "ceiling"),
    ("switch-neutral", "switch"),
];

fn house(n: usize, runner: &mut TestRunner) -> Site {
    let (walls, devices, has_hub, has_country) =
        by_chance().new_tree(runner).expect("a house").current();
    let put = |kind: &str, value: Value| json!({"do": "put", "kind": kind, "value": value});
    let mut edits = vec![
        put(
            "floor",
            json!({"id": "g", "name": "Ground floor", "elevation_m": 0.0, "height_m": 2.5}),
        ),
        put("network", json!({"id": "n", "name": "Mesh", "system": "zigbee"})),
    ];
    let constructions = ["stud-wall", "brick-102", "concrete-150"];
    for (n, (a, b, of)) in
        walls.iter().enumerate().filter(|(_, (a, b, _))| (a[0] - b[0]).hypot(a[1] - b[1]) > 0.3)
    {
        edits.push(put("wall", json!({"id": format!("w-{n}"), "floor": "g", "a": a, "b": b, "construction": constructions[*of]})));
    }
    let mut at = |id: String, kind: &str, place: &str, spot: [f64; 2], known: bool| {
        let mut point = json!({"id": id, "name": format!("Place {}", id.trim_start_matches("p-")), "floor": "g", "at": spot,
            "height_m": 1.2, "kind": place, "circuit": "4"});
        if known {
            point["box"] = json!("plastic");
            point["depth_mm"] = json!(60.0);
            point["neutral"] = json!("tested");
        }
        edits.push(put("point", point));
        edits.push(put("device", json!({"id": format!("d-{id}"), "name": format!("Device {}", id.trim_start_matches("p-")),
            "point": id, "kind": kind, "network": "n"})));
    };
    if has_hub {
        at("p-hub".to_owned(), "hub", "shelf", [2.0, 2.0], true);
    }
    for (n, (spot, of, known)) in devices.iter().enumerate() {
        at(format!("p-{n}"), KINDS[*of].0, KINDS[*of].1, *spot, *known);
    }
    let sure = dot_reach_core::confidence::Confidence::new(0.95).expect("95 %");
    let name = format!("House {n}");
    let mut site = Site::new(dot_reach_core::site::Job::new(
        &name,
        dot_reach_core::radio::region::Region::Eu,
        sure,
    ));
    if has_country {
        edits.push(json!({"do": "set", "kind": "job", "id": "job", "field": "wiring_country", "value": "gb"}));
    }
    for edit in edits {
        let edit: Edit =
            serde_json::from_value(edit.clone()).unwrap_or_else(|e| unreachable!("{e}: {edit}"));
        assert!(apply(&mut site, &edit).is_ok(), "{edit:?}");
    }
    site
}

fn houses_by_chance() -> Vec<(Site, Record)> {
    let mut runner = TestRunner::deterministic();
    (0..50).map(|n| (house(n, &mut runner), Record::default())).collect()
}

/// The devices of a job by their names, with the grade that the page of what fits where has for each.
fn choices(app: &TestApp, job: &str) -> BTreeMap<String, String> {
    let page = app.get(&format!("/jobs/{job}/devices")).body;
    let mut told = BTreeMap::new();
    for row in page.split("data-row=\"").skip(1) {
        let name = between(row, "", "\"").to_owned();
        let grade = words(&format!("<{}", between(row, "data-reached", "</td>")));
        told.insert(name, grade);
    }
    told
}

fn says_the_same(app: &TestApp, site: &Site, ask_hub: bool) {
    let job = slug(site);
    let ledgers = ledgers(app, &job, site);
    // How the devices stand: the list of jobs, the ledgers, the page of what fits where, the handover.
    let row = words(&app.get(&format!("/jobs/{job}/standing")).body);
    let count = |of: &[&str]| ledgers.values().filter(|(v, ..)| of.contains(&v.as_str())).count();
    let (good, weak, out) = (count(&["good", "strong"]), count(&["weak"]), count(&["not reached"]));
    let of_jobs = format!("{good} good {weak} weak {out} not reached");
    assert!(row.contains(&of_jobs), "{job}: {of_jobs} in {row}");
    let printed = handover(app, &job);
    let choices = choices(app, &job);
    for ((network, name), (verdict, ..)) in &ledgers {
        let plain = verdict.split(',').next().unwrap_or_default();
        assert_eq!(
            choices.get(name).map(String::as_str),
            Some(plain),
            "{job}: {name} in {network}"
        );
        let (handed, ..) =
            printed.get(&(network.clone(), name.clone())).expect("its row in the handover");
        assert_eq!(handed, verdict, "{job}: {name}");
    }
    // What it needs now: every page in a row, and the list of jobs.
    let mut needs = BTreeSet::new();
    for page in ["brief", "survey", "reach", "bill", "install", "prove", "handover", "journal"] {
        let page = app.get(&format!("/jobs/{job}/{page}")).body;
        needs.insert(words(&format!("<{}", between(&page, "class=\"next-line", "</p>"))));
    }
    needs.insert(words(&format!(
        "<{}",
        between(&app.get(&format!("/jobs/{job}/standing")).body, "class=\"next-line", "</p>")
    )));
    assert_eq!(needs.len(), 1, "{job}: {needs:?}");
    // What counts as good: beside the plan and in the handover.
    let reach = app.get(&format!("/jobs/{job}/reach")).body;
    let target = words(between(&reach, "<summary>Target", "</summary>"));
    let handed = words(&app.get(&format!("/jobs/{job}/handover?all=1")).body);
    assert!(handed.contains(&format!("target margin {target}")), "{job}: {target}");
    // What it costs: the bill, and the plan among its variants.
    let bill = words(&format!(
        "<{}",
        between(&app.get(&format!("/jobs/{job}/bill")).body, "data-bill-total", "</dd>")
    ));
    let note =
        json!({"do": "set", "kind": "job", "id": "job", "field": "note", "value": "another way"});
    let branched =
        app.post(&format!("/jobs/{job}/variants"), &json!({"name": "Another way", "edit": note}));
    assert_eq!(branched.status, 200, "{}", branched.body);
    let variants = words(&app.get(&format!("/jobs/{job}/variants")).body);
    assert!(variants.contains(bill.as_str()), "{job}: {bill} among the variants");
    let hubs = site.networks.iter().filter(|n| site.hubs_of(&n.id).next().is_some());
    for network in hubs.filter(|_| ask_hub) {
        let place = |page: &str| {
            between(page, "The hub is best at ", ":")
                .split(". ")
                .next()
                .unwrap_or_default()
                .trim_end_matches('.')
                .to_owned()
        };
        let hub = app.settled(&format!("/jobs/{job}/hub?network={}", network.id)).body;
        let advice = app.settled(&format!("/jobs/{job}/advice?network={}", network.id)).body;
        let first = words(&format!("<{}", between(&hub, "<td class=\"num\">1</td><td", "</td>")));
        let (here, there) = (place(&words(&hub)), place(&words(&advice)));
        assert_eq!(here, there, "{job}: {}", network.name);
        if !here.is_empty() {
            assert!(first.starts_with(&here), "{job}: {first} stands first, {here} is best");
        }
    }
}

#[test]
fn every_page_of_every_demo_job_answers_the_same_question_alike() {
    let app = TestApp::demo();
    for name in houses::NAMES {
        let site = houses::named(name).expect("a demo house").site;
        // The adviser takes minutes for hundreds of devices.
        says_the_same(&app, &site, site.devices.len() < 100);
    }
}

#[test]
fn every_page_of_fifty_houses_by_chance_answers_the_same_question_alike() {
    let jobs = houses_by_chance();
    let app = TestApp::of_jobs(&jobs);
    for (n, (site, _)) in jobs.iter().enumerate() {
        says_the_same(&app, site, n % 5 == 0);
    }
}

/// What a person reads of a page: its text and what is told of its parts, but for what is to be typed as it stands there.
fn read(page: &str) -> String {
    let mut page = page.to_owned();
    for (open, close) in [
        ("<script", "</script>"),
        ("<style", "</style>"),
        ("<code", "</code>"),
        ("<datalist", "</datalist>"),
        ("<template", "</template>"),
    ] {
        while let Some(from) = page.find(open) {
            let to = page[from..].find(close).map_or(page.len(), |at| from + at + close.len());
            page.replace_range(from..to, " ");
        }
    }
    let told =
        regex_lite::Regex::new("(?:title|aria-label|placeholder|alt|data-says)=\"([^\"]*)\"")
            .expect("a pattern");
    let tags: Vec<String> = told.captures_iter(&page).map(|found| found[1].to_owned()).collect();
    let text = page.split('<').map(|piece| piece.split_once('>').map_or(piece, |(_, own)| own));
    text.map(str::to_owned).chain(tags).collect::<Vec<_>>().join(" \n ")
}

/// Every id of a job that is no word of a person's.
fn ids(site: &Site) -> BTreeSet<String> {
    let mut all = BTreeSet::new();
    let value = json!(site);
    for rows in value.as_object().into_iter().flat_map(|o| o.values()).filter_map(Value::as_array) {
        let ids = rows.iter().filter_map(|row| row["id"].as_str());
        // A word of the language can be an id as well.
        all.extend(ids.filter(|id| id.contains('-') && id.len() > 4).map(str::to_owned));
    }
    all
}

#[test]
fn no_page_of_any_demo_job_says_an_inner_word() {
    let app = TestApp::demo();
    let inner = [
        r"\bUTC\b",
        r"\bGMT\b",
        r"\b[a-z]+_[a-z_]+\b",
        r"\bnull\b",
        r"\bNaN\b",
        r"\bundefined\b",
        r"Some\(|None\)",
        r"\bfalse\b",
        r"[a-z]+::[a-z]+",
        r"\d{4}-\d\d-\d\dT\d\d",
        r"\{\}",
        r"[0-9a-f]{8}-[0-9a-f]{4}-",
    ]
    .map(|pattern| regex_lite::Regex::new(pattern).expect("a pattern"));
    let mut wrong = BTreeSet::new();
    for name in houses::NAMES {
        let site = houses::named(name).expect("a demo house").site;
        let job = slug(&site);
        let ids = ids(&site);
        let point = site.devices.iter().next().map(|d| d.point.to_string()).unwrap_or_default();
        let plain = PAGES.iter().map(|page| (*page).to_owned());
        let of_one = [
            format!("survey?point={point}"),
            format!("sheet?point={point}"),
            format!("choices?point={point}"),
            "reach?col=hops,margin,off".to_owned(),
            "handover?all=1".to_owned(),
        ];
        let pages = plain.chain(of_one);
        for page in pages
            .filter(|page| site.devices.len() < 100 || !matches!(page.as_str(), "advice" | "hub"))
        {
            let answer = app.get(&format!("/jobs/{job}/{page}"));
            assert_eq!(answer.status, 200, "{job}/{page}");
            let text = read(&answer.body);
            for pattern in &inner {
                wrong.extend(pattern.find(&text).map(|f| format!("{job}/{page}: {}", f.as_str())));
            }
            let plain = text.to_lowercase();
            let other = GLOSSARY.iter().flat_map(|term| &term.rather_than);
            wrong.extend(
                other.filter(|w| plain.contains(w.as_str())).map(|w| format!("{job}/{page}: {w}")),
            );
            let said: BTreeSet<&str> =
                text.split(|c: char| !c.is_alphanumeric() && c != '-' && c != '_').collect();
            wrong.extend(
                said.into_iter()
                    .filter(|word| ids.contains(*word))
                    .take(3)
                    .map(|word| format!("{job}/{page}: the id {word}")),
            );
        }
    }
    assert!(
        wrong.is_empty(),
        "{} inner words:\n{}",
        wrong.len(),
        wrong.into_iter().collect::<Vec<_>>().join("\n")
    );
}

/// Every page in a row of the work, and those that are opened from one.
const PAGES: [&str; 37] = [
    "brief",
    "survey",
    "sheet",
    "existing",
    "previsit",
    "plans",
    "constructions",
    "reach",
    "devices",
    "advice",
    "hub",
    "controls",
    "schedules",
    "spoken",
    "air",
    "variants",
    "schools",
    "assumptions",
    "bill",
    "library",
    "install",
    "install/electrician",
    "install/fault",
    "prove",
    "prove/readings",
    "prove/acceptance",
    "prove/stages",
    "prove/names",
    "prove/since",
    "prove/router",
    "prove/report",
    "prove/helps",
    "walk",
    "round",
    "handover",
    "journal",
    "install/fault?symptom=vanished",
];
