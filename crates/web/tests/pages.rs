//! Pages as they are printed: whatever the address or the job holds, they answer, and what they print
//! is what the analysis says.
#![expect(clippy::expect_used, reason = "a page that does not hold what it must has failed")]

mod common;

use std::sync::Arc;

use common::TestApp;
use dot_reach_core::analysis::{Options, analyse};
use dot_reach_formats::analysis_json;
use dot_reach_standin::houses;
use serde_json::{Value, json};

const PAGES: [&str; 31] = [
    "brief",
    "survey",
    "reach",
    "air",
    "hub",
    "controls",
    "schedules",
    "spoken",
    "schools",
    "constructions",
    "install",
    "install/electrician",
    "install/fault",
    "install/fault?symptom=vanished&a=own-light:no,nothing:yes,tab-in",
    "prove",
    "prove/readings",
    "prove/acceptance",
    "prove/stages",
    "prove/since",
    "prove/router",
    "prove/report",
    "walk",
    "handover",
    "journal",
    "sheet",
    "plans",
    "previsit",
    "library",
    "bill",
    "advice",
    "variants",
];

/// Sends an edit that must be taken.
fn edit(app: &TestApp, job: &str, n: u32, edit: &Value) {
    let sent = json!({"edit": edit, "edit_id": format!("e{n}"), "client": "c"});
    let answer = app.post(&format!("/jobs/{job}/edits"), &sent);
    assert_eq!(answer.status, 200, "{edit}: {}", answer.body);
}

/// A job of nothing but its name.
fn new_job(app: &TestApp, name: &str) -> String {
    let sent = json!({"name": name, "region": "eu", "confidence": 0.95});
    let answer = app.post("/jobs", &sent);
    assert_eq!(answer.status, 200, "{}", answer.body);
    let told: Value = serde_json::from_str(&answer.body).expect("JSON");
    let location = told["location"].as_str().expect("where it is");
    location.trim_start_matches("/jobs/").split('/').next().expect("its id").to_owned()
}

/// The text of each element that opens with `tag`, without its own tags.
fn texts<'a>(html: &'a str, tag: &str) -> Vec<&'a str> {
    let close = format!("</{}>", tag.split([' ', '"']).next().unwrap_or(tag));
    html.split(&format!("<{tag}"))
        .skip(1)
        .filter_map(|rest| rest.split_once('>')?.1.split_once(&close).map(|(text, _)| text.trim()))
        .collect()
}

#[test]
fn every_page_answers_for_every_house_and_for_an_empty_job() {
    let app = TestApp::demo();
    let empty = new_job(&app, "Nothing yet");
    for job in ["larkfield-mill", "flat-12-quay-court", &empty] {
        for page in PAGES {
            let answer = app.get(&format!("/jobs/{job}/{page}"));
            assert_eq!(answer.status, 200, "{job} {page}");
            assert!(answer.body.contains("<h1") || answer.body.contains("<h2"), "{job} {page}");
            assert!(answer.body.contains("</html>"), "{job} {page} is whole");
        }
    }
}

#[test]
fn no_address_stops_a_page() {
    let app = TestApp::demo();
    let odd = [
        "floor=nowhere&network=none&select=nobody",
        "select=%3Cscript%3E&q=%22%3E%3Cscript%3Ealert(1)%3C%2Fscript%3E",
        "down=,,,&off=%00&doors=ajar&show=nothing&carried=elephant",
        "height=NaN&spot=NaN,NaN",
        "height=1e308&spot=1e308,-1e308",
        "height=-4&spot=3",
        "col=none,hops,hops&sort=-none",
        "point=nobody&wall=nothing&tool=hammer",
    ];
    for query in odd {
        for page in PAGES {
            let answer = app.get(&format!("/jobs/larkfield-mill/{page}?{query}"));
            assert_eq!(answer.status, 200, "{page}?{query}");
            assert!(!answer.body.contains("<script>alert"), "{page}?{query}");
        }
    }
}

#[test]
fn names_are_text_wherever_they_are_printed() {
    let app = TestApp::demo();
    let nasty = "</script><script>alert('x')</script>\"'&";
    let job = new_job(&app, nasty);
    let place = |id: &str, x: f64| {
        json!({"do": "put", "kind": "point", "value": {
        "id": id, "name": nasty, "room": nasty, "floor": "g", "at": [x, 1.0],
        "height_m": 1.2, "kind": "shelf", "circuit": nasty, "note": nasty}})
    };
    let device = |id: &str, kind: &str| {
        json!({"do": "put", "kind": "device", "value": {
        "id": id, "name": nasty, "point": id, "kind": kind, "network": "n"}})
    };
    let edits = [
        json!({"do": "put", "kind": "floor", "value": {"id": "g", "name": nasty, "elevation_m": 0.0, "height_m": 2.5}}),
        json!({"do": "put", "kind": "wall", "value": {
            "id": "w", "floor": "g", "a": [0.0, 0.0], "b": [9.0, 0.0], "construction": "stud-wall"}}),
        json!({"do": "put", "kind": "wall", "value": {
            "id": "v", "floor": "g", "a": [4.0, 0.0], "b": [4.0, 5.0], "construction": "brick-215"}}),
        json!({"do": "put", "kind": "network", "value": {"id": "n", "name": nasty, "system": "zigbee"}}),
        place("h", 1.0),
        place("s", 7.0),
        device("h", "hub"),
        device("s", "switch-neutral"),
        json!({"do": "put", "kind": "control", "value": {"id": "c", "controller": "s", "load": "h", "path": "direct"}}),
        json!({"do": "put", "kind": "emitter", "value": {"id": "e", "name": nasty, "floor": "g", "at": [2.0, 2.0], "height_m": 1.0,
            "carrier": {"kind": "wifi", "channel": 6, "width_mhz": 20}, "tx_dbm": 19.0, "busy": 0.3, "of_the_house": true}}),
    ];
    for (each, number) in edits.iter().zip(0..) {
        let sent = json!({"edit": each, "edit_id": format!("e{number}"), "client": "c"});
        let answer = app.post(&format!("/jobs/{job}/edits"), &sent);
        // A hub is no load: that is found, in words that hold the name.
        assert_eq!(answer.status, 200, "{}", answer.body);
    }
    for page in PAGES {
        for query in ["", "?select=s&network=n&down=s&off=9", "?point=s"] {
            let answer = app.get(&format!("/jobs/{job}/{page}{query}"));
            assert_eq!(answer.status, 200, "{page}{query}");
            assert!(!answer.body.contains("<script>alert"), "{page}{query}");
            assert!(!answer.body.contains("</script><script"), "{page}{query}");
        }
    }
    let ledger = app.get(&format!("/jobs/{job}/ledger.csv"));
    assert!(ledger.body.contains("\"\"'&"), "{}", ledger.body);
}

/// The cells of a column of the ledger, in the order of its lines.
fn column(html: &str, place: usize) -> Vec<String> {
    let lines = html.split("data-device-row=").skip(1);
    lines
        .map(|line| {
            let line = line.split("</button>").next().unwrap_or_default();
            texts(line, "span class=\"cell")[place].to_owned()
        })
        .collect()
}

#[test]
fn the_ledger_shows_the_columns_asked_for_and_sorts_by_each_of_them() {
    let app = TestApp::demo();
    let all = "hops,margin,out,back,spare,success,sends,delay,parents,chance,via,weakest,room,cut";
    for (place, word) in all.split(',').enumerate() {
        let of = |sort: &str| {
            let path =
                format!("/jobs/larkfield-mill/reach?network=mesh&col={all}&sort={sort}{word}");
            column(&app.get(&path).body, place)
        };
        let (up, down) = (of(""), of("-"));
        assert!(up.len() > 20, "{word}");
        let number = |t: &String| t.replace('−', "-").parse::<f64>().ok();
        let numbers = |column: &[String]| column.iter().filter_map(number).collect::<Vec<_>>();
        if word == "room" || word == "via" || word == "weakest" || word == "cut" {
            let words = |column: &[String]| {
                let known = column.iter().filter(|t| *t != "–");
                known.map(|t| t.to_lowercase()).collect::<Vec<_>>()
            };
            assert!(words(&up).is_sorted(), "{word}: {up:?}");
            assert!(words(&down).iter().rev().is_sorted(), "{word}");
        } else {
            assert!(numbers(&up).is_sorted(), "{word}: {up:?}");
            assert!(numbers(&down).iter().rev().is_sorted(), "{word}: {down:?}");
            assert_eq!(numbers(&up).len(), numbers(&down).len());
        }
        // What is not known comes last, either way.
        for column in [&up, &down] {
            let first_unknown = column.iter().position(|t| t == "–").unwrap_or(column.len());
            assert!(column[first_unknown..].iter().all(|t| t == "–"), "{word}: {column:?}");
        }
        // Only the columns asked for, in their own order.
        let one = app.get(&format!("/jobs/larkfield-mill/reach?network=mesh&col={word}")).body;
        let line = one.split("data-device-row=").nth(1).and_then(|l| l.split("</button>").next());
        assert_eq!(texts(line.expect("a line"), "span class=\"cell").len(), 1, "{word}");
    }
}

#[test]
fn the_ledger_is_what_analyse_says() {
    let app = TestApp::demo();
    let analysis = analyse(&Arc::new(houses::larkfield_mill()), &Options::default());
    let told = analysis_json::value(&analysis).expect("the analysis as JSON");
    let networks = told["networks"].as_array().expect("networks");
    for network in networks {
        let id = network["id"].as_str().expect("an id");
        let html =
            app.get(&format!("/jobs/larkfield-mill/reach?network={id}&col=hops,margin")).body;
        let devices = network["devices"].as_array().expect("devices");
        assert_eq!(column(&html, 0).len(), devices.len());
        for device in devices.iter().filter(|d| d["hops"].as_u64() > Some(0)) {
            let row = format!("data-device-row=\"{}\"", device["id"].as_str().expect("an id"));
            let line = html.split(&row).nth(1).expect("its line");
            let cells =
                texts(line.split("</button>").next().expect("its end"), "span class=\"cell");
            let margin = device["route"]
                .as_array()
                .expect("a route")
                .iter()
                .flat_map(|h| [h["margin_out_db"].as_f64(), h["margin_back_db"].as_f64()])
                .flatten()
                .fold(f64::INFINITY, f64::min);
            let words = format!("{margin:.1}").replace('-', "−");
            assert_eq!(cells, [device["hops"].to_string(), words], "{row}");
        }
    }
}

#[test]
fn a_surface_goes_out_as_cells_and_as_contours() {
    let app = TestApp::demo();
    for show in ["margin", "hops", "parents", "success"] {
        let query = format!("floor=ground&network=star&show={show}");
        let csv = app.get(&format!("/jobs/larkfield-mill/surface.csv?{query}")).body;
        let mut lines = csv.lines();
        assert_eq!(lines.next(), Some(format!("x_m,y_m,{show}").as_str()));
        let cells: Vec<Vec<&str>> = lines.map(|l| l.split(',').collect()).collect();
        assert!(cells.len() > 1000 && cells.iter().all(|c| c.len() == 3), "{show}");
        let geojson = app.get(&format!("/jobs/larkfield-mill/surface.geojson?{query}")).body;
        let geojson: Value = serde_json::from_str(&geojson).expect("JSON");
        assert_eq!(geojson["type"], "FeatureCollection");
        for feature in geojson["features"].as_array().expect("features") {
            assert!(feature["properties"][show].is_number(), "{show}: {}", feature["properties"]);
            assert_eq!(feature["geometry"]["type"], "MultiLineString");
        }
    }
    assert_eq!(app.get("/jobs/nowhere/surface.csv").status, 404);
}

#[test]
fn the_press_that_moves_the_hub_is_an_edit_that_is_taken() {
    let app = TestApp::demo();
    let html = app.settled("/jobs/larkfield-mill/hub?network=star").body;
    let attribute = html.split("data-edit=\"").nth(1).and_then(|r| r.split('"').next());
    let text = attribute.expect("a button").replace("&quot;", "\"").replace("&#34;", "\"");
    let moved: Value = serde_json::from_str(&text).expect("JSON in the attribute");
    edit(&app, "larkfield-mill", 1, &moved);
    let after = app.settled("/jobs/larkfield-mill/hub?network=star").body;
    let first = |html: &str| {
        html.split("<tbody>")
            .nth(1)
            .unwrap_or_default()
            .split("</tr>")
            .next()
            .unwrap_or_default()
            .to_owned()
    };
    assert!(first(&after).contains("as it is"), "{}", first(&after));
    let undone = app.post("/jobs/larkfield-mill/undo", &json!({"client": "c", "edit_id": "u"}));
    assert_eq!(undone.status, 200);
    let before = app.settled("/jobs/larkfield-mill/hub?network=star").body;
    assert!(before.contains("The hub moves") && !first(&before).contains("as it is"));
}

#[test]
fn a_change_of_the_box_changes_the_mesh_at_once() {
    let app = TestApp::demo();
    let role = |html: &str| html.contains("it does not fit its box as surveyed");
    let path = "/jobs/larkfield-mill/reach?select=mesh-kit-main";
    assert!(!role(&app.get(path).body));
    let file = app.get("/jobs/larkfield-mill/job.json").body;
    let told: Value = serde_json::from_str(&file).expect("the job file");
    let points = told["site"]["points"].as_array().expect("points");
    let mut point = points.iter().find(|p| p["id"] == "kit-main").expect("the point").clone();
    point["neutral"] = json!("absent");
    edit(&app, "larkfield-mill", 1, &json!({"do": "put", "kind": "point", "value": point}));
    assert!(role(&app.get(path).body), "a switch without its neutral forwards nothing");
}

#[test]
fn no_line_of_a_template_is_wider_than_a_person_reads() {
    fn visit(folder: &std::path::Path, wide: &mut Vec<String>, seen: &mut usize) {
        for entry in std::fs::read_dir(folder).expect("a folder") {
            let path = entry.expect("an entry").path();
            if path.is_dir() {
                visit(&path, wide, seen);
            } else if path.extension().is_some_and(|e| e == "html") {
                let text = std::fs::read_to_string(&path).expect("a template");
                *seen += 1;
                let lines = text.lines().enumerate().filter(|(_, l)| l.chars().count() > 120);
                wide.extend(lines.map(|(n, _)| format!("{}:{}", path.display(), n + 1)));
            }
        }
    }
    let (mut wide, mut seen) = (Vec::new(), 0);
    let src = concat!(env!("CARGO_MANIFEST_DIR"), "/src");
    visit(std::path::Path::new(src), &mut wide, &mut seen);
    assert!(seen > 20, "{seen}");
    assert!(wide.is_empty(), "{wide:?}");
}

#[test]
fn a_table_is_pasted_and_comes_back_as_the_file_that_it_went_out_as() {
    let app = TestApp::demo();
    let sent = json!({
        "text": "Porch\tHall\tsocket\nPorch light\tHall\tnonsense", "floor": "ground", "column": "name",
        "stem": "q",
        "edit_id": "p1", "client": "c",
    });
    let told = app.post("/jobs/larkfield-mill/sheet", &sent).json();
    assert_eq!(told["findings"].as_array().map(Vec::len), Some(1), "{told}");
    let out = app.get("/jobs/larkfield-mill/points.csv").body;
    assert!(out.contains("Porch"));
    // Brought in again it changes nothing, and says so.
    let path = "/jobs/larkfield-mill/points.csv?edit_id=p2&client=c";
    let again = app.upload(path, ("file", out.as_bytes()), &[]);
    assert_eq!(again.status, 200, "{}", again.body);
    assert_eq!(app.get("/jobs/larkfield-mill/points.csv").body, out);
    let wrong = app.upload(
        "/jobs/larkfield-mill/points.csv?edit_id=p3&client=c",
        ("file", &[0xff, 0xfe, 0]),
        &[],
    );
    let told = wrong.json();
    assert_eq!(
        (&told["taken"], told["findings"][0]["place"].as_str()),
        (&json!(0), Some("line 1"))
    );
}

#[test]
fn a_storey_goes_out_as_a_plan_and_is_looked_at_and_taken_in_again() {
    let app = TestApp::demo();
    let empty = new_job(&app, "From a plan");
    for format in ["dxf", "svg", "geojson"] {
        let out = app.get(&format!("/jobs/larkfield-mill/plan?floor=ground&format={format}"));
        assert_eq!(out.status, 200);
        let look =
            app.upload(&format!("/jobs/{empty}/plans/look"), ("file", out.body.as_bytes()), &[]);
        assert_eq!(look.status, 200, "{format}: {}", look.body);
        assert!(look.json()["layers"].as_array().is_some_and(|l| !l.is_empty()), "{format}");
    }
    let look = app.upload(&format!("/jobs/{empty}/plans/look"), ("file", b"no plan at all"), &[]);
    assert_eq!(look.status, 422, "{}", look.body);
    assert!(!look.json()["message"].as_str().unwrap_or_default().is_empty());
}

#[test]
fn advice_is_refused_kept_and_told_and_a_variant_is_taken_as_one_change() {
    let app = TestApp::demo().as_person("Vera");
    let job = "larkfield-mill";
    let ruling = json!({"do": "put", "kind": "ruling", "value": {
        "id": "r1", "ruled": "never", "on": "repeater", "point": "bed2-plug", "why": "A child sleeps there",
    }});
    edit(&app, job, 1, &ruling);
    assert!(app.get(&format!("/jobs/{job}/handover")).body.contains("A child sleeps there"));
    let nothing = json!({"edit": {"do": "put", "kind": "ruling", "value": {
        "id": "r2", "ruled": "always", "on": "repeater",
    }}, "edit_id": "e2", "client": "c"});
    assert_eq!(app.post(&format!("/jobs/{job}/edits"), &nothing).status, 422);
    // A variant that opens the cupboard around the hub.
    let opened =
        json!({"do": "set", "kind": "point", "id": "meter", "field": "mounting", "value": "open"});
    let path = format!("/jobs/{job}/variants");
    let told = app.post(&path, &json!({"name": "In the open", "edit": opened})).json();
    let variant = told["id"].as_str().expect("an id").to_owned();
    let page = app.get(&format!("/jobs/{variant}/reach")).body;
    assert!(page.contains("variant: In the open"));
    assert_eq!(app.post(&path, &json!({"name": "  "})).status, 422);
    let stranger = format!("/jobs/flat-12-quay-court/variants/{variant}/take");
    assert_eq!(app.post(&stranger, &json!({"edit_id": "t0", "client": "c"})).status, 404);
    let take = format!("{path}/{variant}/take");
    let taken = app.post(&take, &json!({"edit_id": "t1", "client": "c"}));
    assert_eq!(taken.status, 200, "{}", taken.body);
    let point = |of: &str| {
        let file = app.get(&format!("/jobs/{of}/job.json")).json();
        let points = file["site"]["points"].as_array().cloned().unwrap_or_default();
        points.into_iter().find(|p| p["id"] == "meter").expect("the cupboard")
    };
    assert_eq!(point(job)["mounting"], point(&variant)["mounting"]);
    let undone = app.post(&format!("/jobs/{job}/undo"), &json!({"edit_id": "u1", "client": "c"}));
    assert_eq!(undone.status, 200, "{}", undone.body);
    assert_ne!(point(job)["mounting"], point(&variant)["mounting"]);
    // What both sides changed by now is asked, and another field of the same thing is not.
    let change = |n: u32, field: &str, value: Value| {
        edit(
            &app,
            job,
            n,
            &json!({"do": "set", "kind": "point", "id": "meter", "field": field, "value": value}),
        );
    };
    change(3, "mounting", json!("vented-rack"));
    change(4, "height_m", json!(1.05));
    let key = "point:meter.mounting";
    assert!(app.get(&path).body.contains(&format!("name=\"{key}\"")));
    let asked = app.post(&take, &json!({"edit_id": "t2", "client": "c"}));
    assert_eq!((asked.status, asked.json()["field"].as_str()), (422, Some("answers")));
    assert!(asked.body.contains(key), "{}", asked.body);
    let answered = json!({"edit_id": "t3", "client": "c", "answers": {key: "variant"}});
    assert_eq!(app.post(&take, &answered).status, 200);
    assert_eq!(point(job)["mounting"], point(&variant)["mounting"]);
    assert_eq!(point(job)["height_m"], json!(1.05));
    for act in ["aside", "back"] {
        assert_eq!(app.post(&format!("{path}/{variant}/{act}"), &json!({})).status, 200);
    }
}

#[test]
fn a_job_goes_only_for_who_writes_its_name_and_never_with_the_power_off() {
    let app = TestApp::demo();
    let (mill, empty) = ("/jobs/larkfield-mill", new_job(&app, "For nothing"));
    let delete = |job: &str, name: &str| app.post(&format!("{job}/delete"), &json!({"name": name}));
    let empty = format!("/jobs/{empty}");
    assert_eq!(delete(&empty, "Something else").json()["field"], "name");
    assert_eq!(delete(&empty, " For nothing ").status, 200);
    assert_eq!(app.get(&format!("{empty}/journal")).status, 404);
    let off = json!({"edit": {"do": "isolate", "id": "x", "means": "breaker", "circuits": ["7"], "tester": "t",
        "told": "Ada", "secured": "lock", "by": "Ines Calder", "at": "2026-03-14T10:00:00Z"},
        "edit_id": "off", "client": "c"});
    assert_eq!(app.post(&format!("{mill}/edits"), &off).status, 200);
    let refused = delete(mill, "Larkfield Mill");
    assert_eq!(refused.status, 422);
    assert!(refused.body.contains("power is off by 7"), "{}", refused.body);
}

#[test]
fn proving_is_asked_for_by_acts_and_refused_beside_its_field() {
    let app = TestApp::demo();
    let mill = "larkfield-mill";
    let at = "2026-05-01T08:00:00Z";
    let refused = |n: u32, edit: &Value, field: &str| {
        let sent = json!({"edit": edit, "edit_id": format!("r{n}"), "client": "c"});
        let answer = app.post(&format!("/jobs/{mill}/edits"), &sent);
        assert_eq!((answer.status, answer.json()["field"].as_str()), (422, Some(field)), "{edit}");
    };
    refused(1, &json!({"do": "sign", "id": "s", "name": " ", "at": at}), "name");
    refused(2, &json!({"do": "cured", "device": "nobody", "what": "x", "at": at}), "device");
    let empty = new_job(&app, "Nothing read");
    let sent = json!({"edit": {"do": "accept-calibration", "id": "m", "by": "", "at": at},
        "edit_id": "a0", "client": "c"});
    let answer = app.post(&format!("/jobs/{empty}/edits"), &sent);
    assert_eq!((answer.status, answer.json()["field"].as_str()), (422, Some("readings")));
    edit(&app, mill, 3, &json!({"do": "accept-calibration", "id": "m1", "by": "Kit", "at": at}));
    edit(&app, mill, 4, &json!({"do": "sign", "id": "s1", "name": "Ada", "at": at}));
    let report = app.get(&format!("/jobs/{mill}/prove/report")).body;
    assert!(report.contains("Ada,") && report.contains("as designed"), "{report}");
    let prove = app.get(&format!("/jobs/{mill}/prove")).body;
    assert!(prove.contains("The plan stands on 26 readings, accepted on 2026-05-01"));
    // What is asked of a hub that nobody named is told where it is set.
    let sent = json!({"edit_id": "t1", "client": "c"});
    let answer = app.post(&format!("/jobs/{mill}/collector/tables"), &sent);
    assert_eq!((answer.status, answer.json()["field"].as_str()), (422, Some("collector")));
}

#[test]
fn what_several_houses_teach_is_offered_in_the_library_of_the_firm() {
    let app = TestApp::demo();
    let at = "2026-05-01T08:00:00Z";
    let library = app.get("/library").header("location").expect("where it is").to_owned();
    assert!(!app.get(&library).body.contains("What your houses teach"));
    edit(
        &app,
        "larkfield-mill",
        1,
        &json!({"do": "accept-calibration", "id": "m1", "by": "", "at": at}),
    );
    let file = app.get("/jobs/larkfield-mill/larkfield-mill.json").json();
    let mut other = file.clone();
    other["site"]["job"]["name"] = json!("Another mill");
    let calibration = other["site"]["calibration"].clone();
    let new = new_job(&app, "Another house");
    edit(&app, &new, 2, &json!({"do": "put", "kind": "calibration", "value": calibration}));
    let page = app.get(&library).body;
    assert!(page.contains("What your houses teach") && page.contains("Another house"), "{page}");
}
