//! What is not known is never a pass: any fact of any box, conductor, load, circuit, group or library row, left blank in
//! any of the jobs, betters no verdict, takes nothing off what is switched off, and buys no fewer parts.
#![expect(clippy::expect_used, reason = "a job that cannot be read is a test that failed")]

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;

use dot_reach_core::bill::parts;
use dot_reach_core::fit::candidates::candidates;
use dot_reach_core::fit::{Fits, findings, verdict};
use dot_reach_core::gate::isolate;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::site::Site;
use dot_reach_formats::job_file;
use proptest::prelude::{ProptestConfig, any, proptest};
use serde_json::{Value, json};

/// The tables whose rows somebody found out.
const TABLES: [&str; 5] = ["points", "loads", "circuits", "groups", "kinds"];

/// Keys that say no fact of the survey: names, places on the sheet, which thing belongs to which, what is wished, and how
/// a fact is known. How many conductors a row stands for is one where nothing is said.
const NO_FACTS: [&str; 24] = [
    "id",
    "name",
    "tag",
    "room",
    "floor",
    "at",
    "height_m",
    "note",
    "facts",
    "known",
    "finish",
    "in_box_of",
    "by",
    "with",
    "signs",
    "probe",
    "mounting",
    "price",
    "version",
    "count_of_row",
    "neutral_with",
    "family",
    "label",
    "layout",
];

/// What is no fact of a job that is drawn at random, which says of every box what stays in it: to take that away is to say
/// that nothing does.
const NO_FACTS_OF_DRAWN: [&str; 1] = ["stays"];

fn is_fact(table: &str, key: &str) -> bool {
    let is_row = table == "points" && key == "count";
    !NO_FACTS.contains(&key) && !is_row
}

/// Every way to a fact in a value, past some.
fn ways(table: &str, value: &Value, way: &str, but: &[&str], found: &mut Vec<String>) {
    match value {
        Value::Object(all) => {
            for (key, value) in all.iter().filter(|(key, _)| is_fact(table, key)) {
                let way = format!("{way}/{key}");
                ways(table, value, &way, but, found);
                if !but.contains(&key.as_str()) {
                    found.push(way);
                }
            }
        }
        Value::Array(all) if all.iter().any(Value::is_object) => {
            for (n, value) in all.iter().enumerate() {
                ways(table, value, &format!("{way}/{n}"), but, found);
            }
        }
        _ => {}
    }
}

/// A job without one fact; nothing where it cannot be without.
fn without(job: &Value, way: &str) -> Option<Site> {
    let (holder, key) = way.rsplit_once('/')?;
    let mut job = job.clone();
    job.pointer_mut(holder)?.as_object_mut()?.remove(key)?;
    let read = job_file::read(&serde_json::to_vec(&job).ok()?).ok()?;
    Some(read.value.site)
}

/// What a job comes to: of each device and candidate whether it simply fits, what goes off for each box, how many
/// parts are bought by what they are for.
struct Outcome {
    fits: BTreeMap<String, Fits>,
    off: BTreeMap<String, Option<BTreeSet<String>>>,
    parts: BTreeMap<&'static str, f64>,
}

fn outcome(site: &Site) -> Outcome {
    let mut fits = BTreeMap::new();
    let mut off = BTreeMap::new();
    for device in &site.devices {
        let Some(spot) = WorkedDevice::of(site, &device.id) else { continue };
        let found = findings(site, spot.kind, spot.point, Some(device));
        fits.insert(device.id.to_string(), verdict(&found));
        if spot.opens_box() {
            let choice = isolate::for_spot(&spot);
            let is_main = choice.means.is_main();
            off.insert(
                device.id.to_string(),
                (!is_main).then(|| choice.circuits.into_iter().collect()),
            );
        }
    }
    for point in &site.points {
        for candidate in candidates(site, point, None) {
            let key = format!("{} at {}", candidate.kind.id, point.id);
            fits.insert(key, candidate.fits);
        }
    }
    let mut count: BTreeMap<&'static str, f64> = BTreeMap::new();
    for line in parts(site) {
        for word in ["onnector", "apacitor", "umper", "cap"] {
            if line.what.contains(word) {
                *count.entry(word).or_default() += line.count;
            }
        }
    }
    Outcome { fits, off, parts: count }
}

fn breaches(name: &str, job: &Value, but: &[&str]) -> Vec<String> {
    let read = |job: &Value| {
        job_file::read(&serde_json::to_vec(job).expect("JSON")).expect("a job").value.site
    };
    let before = outcome(&read(job));
    let mut all = Vec::new();
    for table in TABLES {
        let root = format!("/site/{table}");
        let Some(rows) = job.pointer(&root) else { continue };
        let mut found = Vec::new();
        ways(table, rows, &root, but, &mut found);
        for way in found {
            let Some(site) = without(job, &way) else { continue };
            let after = outcome(&site);
            for (what, fits) in &after.fits {
                let was = before.fits.get(what).copied().unwrap_or(Fits::Yes);
                if was != Fits::Yes && *fits == Fits::Yes {
                    all.push(format!("{name}: without {way} {what} fits; with it: {}", was.name()));
                }
            }
            for (device, off) in &after.off {
                let is_less = match (before.off.get(device), off) {
                    (Some(None), Some(_)) => true,
                    (Some(Some(was)), Some(is)) => !was.is_subset(is),
                    _ => false,
                };
                if is_less {
                    let was = &before.off[device];
                    all.push(format!(
                        "{name}: without {way} {off:?} goes off for {device}, with it {was:?}"
                    ));
                }
            }
            for (what, was) in &before.parts {
                let is = after.parts.get(what).copied().unwrap_or_default();
                if is < *was {
                    all.push(format!(
                        "{name}: without {way} {is} {what} are bought, with it {was}"
                    ));
                }
            }
        }
    }
    all
}

#[test]
fn a_blank_fact_betters_nothing_in_any_of_the_small_jobs() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../web/tests/electrical");
    let mut files: Vec<_> =
        fs::read_dir(folder).expect("the jobs").map(|f| f.expect("a file").path()).collect();
    files.sort();
    assert!(files.len() >= 59);
    let mut all = Vec::new();
    for file in files {
        let case: Value =
            serde_json::from_slice(&fs::read(&file).expect("a file")).expect("a case");
        let name = file.file_stem().expect("a name").to_string_lossy().into_owned();
        all.extend(breaches(&name, &case["job"].clone(), &[]));
    }
    assert!(all.is_empty(), "{} breaches:\n{}", all.len(), all.join("\n"));
}

/// Draws facts, each known in one way or another.
struct Draw(u64);

impl Draw {
    /// One of some, by a step of a generator of its own: the same seed draws the same job.
    fn of<T: Clone>(&mut self, all: &[T]) -> T {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let place = usize::try_from(self.0 >> 40).unwrap_or(0) % all.len();
        all[place].clone()
    }

    fn conductors(&mut self) -> Vec<Value> {
        let sizes = ["1 mm²", "1.5 mm²", "2.5 mm²", "14 AWG", "12 AWG"];
        let size = self.of(&sizes);
        let all = ["line", "neutral", "earth", "switched", "traveller", "spare"];
        let mut found: Vec<&str> =
            all.into_iter().filter(|_| self.of(&[true, true, false])).collect();
        found.truncate(5);
        let wire = |(n, found): (usize, &&str)| {
            json!({"id": format!("w{n}"), "count": self.of(&[1, 2, 3]), "size": size, "found": found,
                "enters": true, "capped": *found == "spare"})
        };
        found.iter().enumerate().map(wire).collect()
    }

    fn stays(&mut self) -> Value {
        let what = self.of(&["switch", "socket", "timer", "module"]);
        let one = json!({"id": "s", "what": what, "gang": self.of(&[1, 2]), "depth_mm": self.of(&[18.0, 25.0])});
        self.of(&[json!([]), json!([]), json!([one])])
    }

    fn point(&mut self, id: &str, n: u32, circuits: &[&str]) -> Value {
        let kind = self.of(&["switch", "switch", "outdoor", "ceiling"]);
        let feeds: &[&str] =
            if kind == "switch" { &["always"] } else { &["always", "behind-switch", "cord"] };
        json!({"id": id, "name": id, "floor": "g", "at": [f64::from(n) + 1.0, 1.0], "height_m": 1.2,
            "kind": kind, "box": self.of(&["plastic", "metal"]),
            "depth_mm": self.of(&[30.0, 40.0, 60.0]), "volume_cm3": self.of(&[380.0, 450.0, 600.0]),
            "gangs": self.of(&[2, 3]), "gang": self.of(&[1, 2]), "surround_mm": self.of(&[0.0, 10.0]),
            "clamps": self.of(&[true, false]), "weather_cover": self.of(&[true, false]),
            "neutral": self.of(&["tested", "seen", "not-seen", "absent"]),
            "earth": self.of(&["conductor", "earthed-box", "none"]), "circuit": self.of(circuits),
            "feed": self.of(feeds), "known": "measured",
            "conductors": self.conductors(),
            "stays": self.stays()})
    }

    fn job(&mut self) -> Value {
        let circuits = ["1", "2", "3"];
        let points = ["hall", "den", "bath"];
        let rows: Vec<Value> = circuits.iter().map(|label| {
            let proven = json!({"label": label, "by": "Ines Calder", "with": "tester", "at": "2026-02-11T09:40:00Z"});
            json!({"id": format!("c{label}"), "label": label, "rated_a": self.of(&[6.0, 10.0, 16.0, 20.0, 32.0]),
                "residual": self.of(&["protected", "none"]), "shared_neutral": self.of(&[false, false, true]),
                "proven": proven})
        }).collect();
        let loads: Vec<Value> = ["l1", "l2", "l3"].iter().map(|id| {
            let kind = self.of(&["led", "led", "halogen", "fan", "motor", "heater"]);
            // What is known of the inrush lies within what it can be.
            json!({"id": id, "name": id, "switched_at": self.of(&points), "kind": kind,
                "count": self.of(&[1, 4, 9]), "watts": self.of(&[2.0, 10.0, 60.0, 400.0]),
                "dimmable": self.of(&[true, false]), "tried": self.of(&["listed", "benched"]), "inrush_a": 0.5,
                "channel": self.of(&[0, 1, 2]), "bypass": self.of(&["", "at the rose"])})
        }).collect();
        let limits = json!({"led": self.of(&[100.0, 400.0]), "halogen": 400.0, "heater": self.of(&[1000.0, 3000.0]),
            "fan": 150.0, "motor": 300.0});
        let kind = json!({"id": "own", "name": "Own", "duty": "actuator",
            "supply": self.of(&["mains-neutral", "mains-two-wire"]), "forwards": true, "systems": ["zigbee"],
            "button": self.of(&["own", "wired"]), "depth_mm": self.of(&[20.0, 28.0, 40.0]),
            "fit": {"earth": self.of(&[true, false]), "dims": self.of(&[true, false]), "limits": limits,
                "least_w": self.of(&[0.0, 5.0]), "derated": self.of(&[[1.0, 1.0], [0.8, 0.6]]),
                "inrush_a": self.of(&[40.0, 100.0]), "channels": self.of(&[1, 2]), "box_mm": self.of(&[20.0, 35.0]),
                "damp": self.of(&[true, false]), "powered": self.of(&["either", "line", "load"]),
                "family": "own", "accepts": ["remote", "plain"]}});
        let wiring = self.of(&[
            json!({"layout": "boxes", "line": "hall", "load": "den"}),
            json!({"layout": "boxes", "line": "hall", "load": "hall"}),
            json!({"layout": "at-fitting"}),
        ]);
        let boxes: Vec<Value> =
            points.iter().zip(0..).map(|(id, n)| self.point(id, n, &circuits)).collect();
        let at = self.of(&points);
        let devices = json!([
            {"id": "a", "name": "A", "point": "hall", "kind": "own", "network": "n"},
            {"id": "b", "name": "B", "point": at, "kind": self.of(&["dimmer-two-wire", "switch-neutral", "relay-module", "lamp"]),
                "network": "n"},
        ]);
        json!({"format": "dot-reach-job", "version": 2, "site": {
            "job": {"name": "Rowan Cottage", "region": self.of(&["uk", "us"]), "confidence": 0.9},
            "floors": [{"id": "g", "name": "Ground floor", "elevation_m": 0.0, "height_m": 2.5}],
            "circuits": rows, "points": boxes, "loads": loads, "kinds": [kind],
            "groups": [{"id": "pair", "name": "Pair", "places": ["hall", "den"], "wiring": wiring}],
            "networks": [{"id": "n", "name": "House", "system": "zigbee"}], "devices": devices}})
    }
}

/// How many jobs are drawn; more by `PROPTEST_CASES`, for a longer search.
fn cases() -> u32 {
    std::env::var("PROPTEST_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(48)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_blank_fact_betters_nothing_in_any_job(seed in any::<u64>()) {
        let found = breaches("drawn", &Draw(seed).job(), &NO_FACTS_OF_DRAWN);
        proptest::prop_assert!(found.is_empty(), "{} breaches:\n{}", found.len(), found.join("\n"));
    }
}
