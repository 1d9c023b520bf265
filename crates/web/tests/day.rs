//! The day over HTTP: acts and their refusals, a photo with its edit, a collector that is not asked, what a
//! phone keeps.

mod common;

use common::TestApp;
use serde_json::{Value, json};

const MILL: &str = "/jobs/larkfield-mill";
const AT: &str = "2026-03-14T10:00:00Z";

fn act(app: &TestApp, n: u32, edit: &Value) -> (u16, Value) {
    let sent = json!({"edit": edit, "edit_id": format!("act-{n}"), "client": "c"});
    let answer = app.post(&format!("{MILL}/edits"), &sent);
    (answer.status, answer.json())
}

#[test]
fn what_speaks_against_an_act_is_told_beside_its_field() {
    let app = TestApp::demo();
    let isolate = |means: &str, circuits: &[&str]| {
        json!({"do": "isolate", "id": "x", "means": means, "circuits": circuits, "tester": "t",
            "told": "Ada", "secured": "lock", "by": "Ines Calder", "at": AT})
    };
    let (status, told) = act(&app, 1, &isolate("safety-outlet", &["7"]));
    assert_eq!((status, told["field"].as_str()), (422, Some("means")), "{told}");
    // Circuit 11 of the Mill shares its neutral with 10.
    let (status, told) = act(&app, 2, &isolate("breaker", &["11"]));
    let message = told["message"].as_str().expect("why");
    assert!(status == 422 && message.contains("share one neutral"), "{message}");
    assert_eq!(act(&app, 3, &isolate("breaker", &["7"])).0, 200);
    // The same act again is the same receipt.
    let (status, told) = act(&app, 3, &isolate("breaker", &["7"]));
    assert_eq!((status, told["again"].as_bool()), (200, Some(true)));
    let close = json!({"do": "take-step", "device": "mesh-liv-wall", "step": "closed", "by": "Kit", "at": AT});
    let (status, told) = act(&app, 4, &close);
    let message = told["message"].as_str().expect("why");
    assert_eq!(status, 422);
    for lacks in ["Power test", "Code kept", "Joined", "Range-tested in place"] {
        assert!(message.contains(lacks), "{message}");
    }
    let other = json!({"do": "energise", "isolation": "x", "by": "Bo", "at": AT});
    assert!(
        act(&app, 5, &other).1["message"]
            .as_str()
            .expect("why")
            .contains("Ines Calder switched it off")
    );
    let raw = json!({"do": "put", "kind": "mark", "value": {"id": "m", "device": "mesh-liv-wall", "step": "closed", "at": AT}});
    assert!(act(&app, 6, &raw).1["message"].as_str().expect("why").contains("one by one"));
    // What happened is not undone, and the page goes on saying what is off.
    assert!(app.get(&format!("{MILL}/install")).body.contains("Breaker 7 is off"));
    let undo = app.post(&format!("{MILL}/undo"), &json!({"edit_id": "u1", "client": "c"}));
    assert_eq!(undo.status, 409, "{}", undo.body);
    assert!(app.get(&format!("{MILL}/install")).body.contains("Breaker 7 is off"));
}

#[test]
fn entries_are_told_whole_or_not_at_all_and_read_from_any_on() {
    let app = TestApp::demo();
    let read = |after: u64| app.get(&format!("{MILL}/record.json?after={after}")).json();
    let before = read(0)["last"].as_u64().expect("a count");
    let entry =
        |id: &str, what: &Value| json!({"id": id, "said": AT, "by": "Ines Calder", "what": what});
    let isolate = json!({"do": "isolate", "id": "i1", "means": "breaker", "circuits": ["7"], "tester": "t",
        "told": "Ada, until noon", "secured": "lock"});
    let shown = json!({"do": "prove-tester", "isolation": "i1", "after": false});
    let tell = |entries: &[Value]| {
        app.post(&format!("{MILL}/record"), &json!({"entries": entries, "client": "c"}))
    };
    let both = [entry("a", &isolate), entry("b", &shown)];
    let wrong = entry("c", &json!({"do": "energise", "isolation": "nothing"}));
    let refused = tell(&[both[0].clone(), both[1].clone(), wrong]);
    assert_eq!(refused.status, 422, "{}", refused.body);
    assert_eq!(read(0)["last"].as_u64(), Some(before), "nothing of it is there");
    let receipt = tell(&both).json();
    let seqs: Vec<_> = receipt["entries"]
        .as_array()
        .expect("entries")
        .iter()
        .map(|e| e["seq"].as_u64().expect("a number"))
        .collect();
    assert_eq!(seqs, [before + 1, before + 2]);
    let again = tell(&both).json();
    assert_eq!((&again["entries"], &again["again"]), (&receipt["entries"], &json!(true)));
    let told = read(before);
    let first = &told["entries"][0];
    assert_eq!(told["entries"].as_array().map(Vec::len), Some(2));
    assert_eq!(
        (&first["id"], &first["said"], &first["by"]),
        (&json!("a"), &json!(AT), &json!("Ines Calder"))
    );
    assert_eq!((&first["person"], &first["what"]["did"]), (&json!("ines"), &json!("isolated")));
    assert!(first["taken"].as_str().is_some_and(|t| t > AT));
    // A plan is changed elsewhere.
    let plan = entry(
        "p",
        &json!({"do": "set", "kind": "point", "id": "meter", "field": "note", "value": "x"}),
    );
    assert!(tell(&[plan]).body.contains("send it to edits"));
}

#[test]
fn of_four_who_paste_at_once_everything_is_kept_and_told_truly() {
    let app = TestApp::demo();
    let site = &dot_reach_standin::houses::larkfield_mill();
    let mesh: Vec<_> = site.devices.iter().filter(|d| d.network.as_str() == "mesh").collect();
    let paste = |hand: usize| {
        let line = |n: usize| {
            let (from, to) = (mesh[n % mesh.len()], mesh[(n + 1 + hand) % mesh.len()]);
            format!(
                "{},{},{},2026-04-0{}T{:02}:{:02}:00Z",
                from.id,
                to.id,
                -50 - i64::try_from(n % 40).unwrap(),
                1 + hand,
                n / 60,
                n % 60
            )
        };
        (0..400).map(line).collect::<Vec<_>>().join("\n")
    };
    let taken: Vec<u64> = std::thread::scope(|scope| {
        let hands: Vec<_> = (0..4).map(|hand| {
            let (app, csv) = (app.as_person("Kit"), paste(hand));
            scope.spawn(move || {
                let body = json!({"csv": csv, "edit_id": format!("paste-{hand}"), "client": format!("w{hand}")});
                let told = app.post(&format!("{MILL}/readings"), &body);
                assert_eq!(told.status, 200, "{}", told.body);
                told.json()["taken"].as_u64().expect("a count")
            })
        }).collect();
        hands.into_iter().map(|h| h.join().expect("a paste")).collect()
    });
    assert_eq!(taken, [400; 4]);
    let kept = app.get(&format!("{MILL}/readings.csv")).body.lines().count() - 1;
    assert_eq!(kept, 26 + 1600);
}

#[test]
fn a_collector_elsewhere_is_not_asked_and_one_that_is_silent_is_said_so() {
    let app = TestApp::demo();
    let ask = || app.get(&format!("{MILL}/collector/events?network=mesh")).body;
    assert!(ask().contains("no collector is named"));
    for (n, (address, says)) in [
        ("example.org:80", "only a collector on this machine"),
        ("127.0.0.1:80/secret", "only a collector on this machine"),
        ("10.0.0.1:8931", "only a collector on this machine"),
        ("127.0.0.1:1", "does not answer"),
    ]
    .into_iter()
    .enumerate()
    {
        let set = json!({"do": "set", "kind": "job", "id": "job", "field": "collector", "value": address});
        assert_eq!(act(&app, 10 + u32::try_from(n).expect("few"), &set).0, 200);
        assert!(ask().contains(says), "{address}: {}", ask());
    }
    assert!(
        app.get(&format!("{MILL}/collector/events?network=..%2Fx")).body.contains("no network")
    );
}

#[test]
fn a_phone_is_told_what_to_keep_and_each_of_it_is_there() {
    let app = TestApp::demo();
    let told: Value = app.get(&format!("{MILL}/offline.json")).json();
    // What each stretch is, as it is by itself.
    let bundle: Value = app.get(told["bundle"].as_str().expect("where")).json();
    let stretches = bundle["pages"].as_object().expect("pages");
    assert!(stretches.len() > 3 && bundle["revision"] == told["revision"]);
    for (address, page) in stretches {
        assert_eq!(app.get(address).body, page.as_str().expect("a page"), "{address}");
    }
    let pages = told["pages"].as_array().expect("pages");
    assert!(pages.len() > 12, "{}", pages.len());
    for page in pages {
        let address = page.as_str().expect("an address");
        assert_eq!(app.get(address).status, 200, "{address}");
    }
    let worker = app.get("/sw.js");
    assert!(
        worker.body.starts_with("const BUILD = \"") && worker.body.contains("/assets/js/day.js")
    );
    let manifest: Value = app.get("/manifest.webmanifest").json();
    for icon in manifest["icons"].as_array().expect("icons") {
        assert_eq!(app.get(icon["src"].as_str().expect("where")).status, 200);
    }
    let calendar = app.get(&format!("{MILL}/install/visits.ics")).body;
    assert!(calendar.starts_with("BEGIN:VCALENDAR\r\n") && !calendar.contains("BEGIN:VEVENT"));
    let visit = json!({"do": "put", "kind": "visit", "value": {"id": "v", "of": "day-1", "from": "2026-03-14T08:30"}});
    assert_eq!(act(&app, 30, &visit).0, 200);
    let calendar = app.get(&format!("{MILL}/install/visits.ics")).body;
    assert!(calendar.contains("DTSTART:20260314T083000") && calendar.contains("Breaker 7 off"));
}
