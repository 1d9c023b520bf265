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
            "told": "Ada", "by": "Kit", "at": AT})
    };
    let (status, told) = act(&app, 1, &isolate("safety-outlet", &["7"]));
    assert_eq!((status, told["field"].as_str()), (422, Some("means")), "{told}");
    // Circuit 11 of the Mill shares its neutral.
    let (status, told) = act(&app, 2, &isolate("breaker", &["11"]));
    let message = told["message"].as_str().expect("why");
    assert!(status == 422 && message.contains("shares its neutral"), "{message}");
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
        act(&app, 5, &other).1["message"].as_str().expect("why").contains("Kit switched it off")
    );
    let raw = json!({"do": "put", "kind": "mark", "value": {"id": "m", "device": "mesh-liv-wall", "step": "closed", "at": AT}});
    assert!(act(&app, 6, &raw).1["message"].as_str().expect("why").contains("one by one"));
    // What was done can be undone, and the page says what is off.
    assert!(app.get(&format!("{MILL}/install")).body.contains("Breaker 7 is off"));
    let undo = app.post(&format!("{MILL}/undo"), &json!({"edit_id": "u1", "client": "c"}));
    assert_eq!(undo.status, 200, "{}", undo.body);
    assert!(!app.get(&format!("{MILL}/install")).body.contains("Breaker 7 is off"));
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
