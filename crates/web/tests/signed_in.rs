//! What a sign-in is good for, what ends it, and what nobody gets past.
#![expect(clippy::unwrap_used, reason = "a town that cannot be built has failed the test")]

mod common;
#[path = "common/town.rs"]
mod town;

use common::{Answer, TestApp};
use serde_json::json;
use town::{JOB, PASSWORD, Town};

#[test]
fn work_on_the_mains_asks_for_a_licence_of_the_country() {
    let town = Town::new();
    let owner = town.by("owner");
    let installer = town.ids["installer"].as_str();
    let mut n = 0;
    let mut isolate = |id: &str| {
        n += 1;
        let what = json!({ "do": "isolate", "id": id, "means": "breaker", "circuits": ["7"], "tester": "t",
            "told": "the household", "secured": "lock", "why": "under the eye of the electrician" });
        let entry = json!({ "id": format!("e{n}"), "said": "2026-03-14T10:00:00Z", "by": "Somebody Else", "what": what });
        town.by("installer")
            .post("/jobs/larkfield-mill/record", &json!({ "entries": [entry], "client": "c" }))
    };
    let licence = |number: &str, country: &str| {
        let sent = json!({ "act": "licence", "number": number, "country": country });
        assert_eq!(owner.post(&format!("/people/{installer}"), &sent).status, 200);
    };
    let country = |n: u32, code: &str| {
        let edit = json!({ "edit": { "do": "set", "kind": "job", "id": "job", "field": "wiring_country", "value": code },
            "edit_id": format!("country-{n}") });
        assert_eq!(owner.post("/jobs/larkfield-mill/edits", &edit).status, 200);
    };
    let refused = |told: &Answer, why: &str| {
        assert_eq!(told.status, 422, "{}", told.body);
        let told = told.json();
        assert_eq!(told["field"], "licence", "{told}");
        assert!(told["message"].as_str().unwrap().contains(why), "{told}");
    };
    let person = json!({ "edit": { "do": "put", "kind": "person", "value": { "id": "inst", "name": "installer",
        "part": "electrician", "may_mains": true, "licence": "E 4711" } }, "edit_id": "person-1" });
    assert_eq!(owner.post("/jobs/larkfield-mill/edits", &person).status, 200);
    country(1, "gb");
    refused(&isolate("i1"), "none is on record");
    licence("E 4711", "fr");
    refused(&isolate("i1"), "your licence is of FR");
    licence("E 4711", "gb");
    country(2, "");
    refused(&isolate("i1"), "by which country");
    country(3, "gb");
    let taken = isolate("i1");
    assert_eq!(taken.status, 200, "{}", taken.body);
    // It stands in the name of whoever signed in, whatever name was sent.
    let told = owner.get("/jobs/larkfield-mill/record.json").json();
    let last = told["entries"].as_array().unwrap().last().unwrap().clone();
    assert_eq!(
        (&last["what"]["did"], &last["by"]),
        (&json!("isolated"), &json!("installer")),
        "{last}"
    );
    // By the door of edits too: nobody says it in another's name.
    let shown = json!({ "edit": { "do": "prove-tester", "isolation": "i1", "after": false, "by": "Somebody Else",
        "at": "2026-03-14T10:05:00Z" }, "edit_id": "as-another" });
    let told = town.by("installer").post("/jobs/larkfield-mill/edits", &shown);
    assert_eq!((told.status, &told.json()["field"]), (422, &json!("by")), "{}", told.body);
    // A file brings no such work in by the hand of somebody who could not put it on record.
    let mut file = owner.get("/jobs/larkfield-mill/larkfield-mill.json").json();
    let mut shown = file["record"].as_array().unwrap().last().unwrap().clone();
    shown["id"] = json!("from-a-file");
    shown["what"] = json!({ "did": "tester-shown", "isolation": "i1", "after": false });
    file["record"].as_array_mut().unwrap().push(shown);
    let told = town.by("planner").upload(
        "/jobs/import?known=update",
        ("file", file.to_string().as_bytes()),
        &[],
    );
    refused(&told, "none is on record");
    // A licence that is taken away is missed at once; what was done stays.
    licence("", "");
    let on = json!({ "id": "on", "said": "2026-03-14T12:00:00Z", "what": { "do": "energise", "isolation": "i1" } });
    let told = town
        .by("installer")
        .post("/jobs/larkfield-mill/record", &json!({ "entries": [on], "client": "c" }));
    refused(&told, "none is on record");
    // What hands did is struck by nobody, by either door, licence or none.
    let strike = json!({ "edit": { "do": "strike", "of": last["id"], "why": "a slip" }, "edit_id": "strike-1" });
    let entry = json!({ "entries": [{ "id": "strike-2", "what": strike["edit"] }] });
    for name in ["installer", "owner"] {
        for (door, sent) in [("edits", &strike), ("record", &entry)] {
            let told = town.by(name).post(&format!("/jobs/larkfield-mill/{door}"), sent);
            assert_eq!((told.status, &told.json()["field"]), (422, &json!("of")), "{}", told.body);
        }
    }
    // That something was found live, anybody may say.
    assert!(
        !serde_json::to_string(&owner.get("/jobs/larkfield-mill/record.json").json())
            .unwrap()
            .contains("energised")
    );
}

#[test]
fn whoever_is_named_on_a_visit_tells_of_that_visit_and_of_nothing_else() {
    let town = Town::new();
    let (named, owner) = (town.by("named electrician"), town.by("owner"));
    let edits = format!("/jobs/{JOB}/edits");
    let page = named.get(&format!("/jobs/{JOB}/install/stretches.json")).body;
    let site = owner.get(&format!("/jobs/{JOB}/{JOB}.json")).json()["site"].clone();
    let mut n = 0;
    let mut say = |edit: serde_json::Value| {
        n += 1;
        named.post(&edits, &json!({ "edit": edit, "edit_id": format!("said-{n}") }))
    };
    let tick = |device: &str, step: &str, check: &str| json!({ "do": "check", "device": device, "step": step, "check": check, "on": true });
    let (mut own, mut others) = (0, 0);
    for device in site["devices"].as_array().unwrap() {
        let id = device["id"].as_str().unwrap();
        let told = say(tick(id, "tested", "in-place"));
        if told.status == 200 {
            own += 1;
        } else if told.status == 422
            && told.json()["message"].as_str().unwrap().contains("no visit that you are named on")
        {
            others += 1;
        }
    }
    assert!(page.contains("moves"), "{page}");
    assert_eq!((own > 0, others > 0), (true, true), "{own} of their own, {others} of others");
    // The plan is the firm's, and so is what was measured and signed.
    for edit in [
        json!({ "do": "set", "kind": "job", "id": "job", "field": "client", "value": "Somebody" }),
        json!({ "do": "remove", "kind": "device", "id": site["devices"][0]["id"] }),
    ] {
        assert_eq!(say(edit).status, 403);
    }
    let strike = json!({ "do": "strike", "of": owner.get(&format!("/jobs/{JOB}/record.json")).json()["entries"][0]["id"], "why": "so" });
    assert_eq!(say(strike).status, 422);
    // Nor by the door of the record: what readings teach changes the plan, and leaves no entry.
    let taught =
        json!({ "do": "accept-calibration", "id": "m1", "by": "", "at": "2026-03-14T10:00:00Z" });
    assert_eq!(say(taught.clone()).status, 403);
    let entry = json!({ "id": "taught", "what": taught });
    let told = named.post(&format!("/jobs/{JOB}/record"), &json!({ "entries": [entry] }));
    assert_eq!(told.status, 403, "{}", told.body);
}

#[test]
fn whoever_is_signed_out_or_given_another_part_is_out_at_once() {
    let town = Town::new();
    let page = format!("/jobs/{JOB}/survey");
    let stolen = town.by("installer");
    assert_eq!(stolen.get(&page).status, 200);
    let out = stolen.post("/sign-out", &json!({}));
    assert_eq!(out.status, 200);
    assert!(
        out.headers.iter().any(|(n, v)| n == "set-cookie"
            && v.starts_with("session=;")
            && v.contains("Max-Age=0"))
    );
    assert_eq!(
        stolen.get(&page).status,
        401,
        "a cookie that was copied before is worth nothing now"
    );
    let html = stolen.with("accept", "text/html").get(&page);
    assert_eq!(html.status, 303);
    assert_eq!(
        html.header("location"),
        Some("/sign-in?then=%2Fjobs%2Fflat%2D12%2Dquay%2Dcourt%2Fsurvey")
    );
    let planner = town.by("planner");
    assert_eq!(planner.get(&page).status, 200);
    let id = town.ids["planner"].as_str();
    assert_eq!(
        town.by("owner")
            .post(&format!("/people/{id}"), &json!({ "act": "role", "role": "viewer" }))
            .status,
        200
    );
    assert_eq!(planner.get(&page).status, 401);
    let again = town.app.with_cookie(&town.enter("planner"));
    assert_eq!(again.get(&page).status, 200);
    assert_eq!(again.post(&format!("/jobs/{JOB}/edits"), &json!({})).status, 403);
}

#[test]
fn a_session_always_begins_with_a_new_word() {
    let town = Town::new();
    // Whoever plants a cookie before does not know what the sign-in is known by after.
    let planted = town.app.with_cookie("session=planted-by-somebody");
    let told = planted.post("/sign-in", &json!({ "login": "viewer", "password": PASSWORD }));
    let given = told.cookie();
    assert!(
        given.starts_with("session=") && given.len() > 40 && !given.contains("planted"),
        "{given}"
    );
    assert_eq!(planted.get("/own").status, 401);
    let cookie = told.headers.iter().find(|(n, _)| n == "set-cookie").unwrap().1.clone();
    for word in ["HttpOnly", "SameSite=Lax", "Path=/"] {
        assert!(cookie.contains(word), "{cookie}");
    }
    assert_ne!(town.enter("viewer"), given, "each sign-in has a word of its own");
}

#[test]
fn requests_from_elsewhere_and_addresses_that_climb_are_refused() {
    let town = Town::new();
    let owner = town.by("owner");
    let edits = format!("/jobs/{JOB}/edits");
    let good = json!({ "edit": { "do": "set", "kind": "job", "id": "job", "field": "note", "value": "x" }, "edit_id": "n1" });
    for (header, value) in [
        ("origin", "https://elsewhere.example"),
        ("origin", "null"),
        ("origin", "http://127.0.0.1.elsewhere.example"),
        ("sec-fetch-site", "cross-site"),
        ("host", "elsewhere.example"),
    ] {
        assert_eq!(owner.with(header, value).post(&edits, &good).status, 403, "{header}: {value}");
    }
    let live = format!("/jobs/{JOB}/live");
    assert_eq!(owner.with("origin", "https://elsewhere.example").get(&live).status, 403);
    for path in [
        "/assets/../../accounts.db",
        "/assets/..%2f..%2faccounts.db",
        "/assets/%2e%2e/%2e%2e/accounts.db",
        "/jobs/..%2f..%2faccounts/reach",
        "/jobs/%00/reach",
        "/images/..%2f..%2faccounts.db",
        "/in/..%2faccounts.db",
    ] {
        let told = owner.get(path);
        assert!(
            (400..500).contains(&told.status) && !told.body.contains("SQLite format"),
            "{path}: {}",
            told.status
        );
    }
    for then in [
        "//elsewhere.example",
        "https://elsewhere.example",
        "/\\elsewhere.example",
        "javascript:alert(1)",
    ] {
        let sent = json!({ "login": "viewer", "password": PASSWORD, "then": then });
        assert_eq!(town.app.post("/sign-in", &sent).json()["location"], "/", "{then}");
    }
    let large = "x".repeat(5 * 1024 * 1024);
    assert_eq!(owner.post(&edits, &json!({ "edit": large })).status, 422);
    let told =
        owner.upload(&format!("/jobs/{JOB}/photos"), ("image", &vec![0; 31 * 1024 * 1024]), &[]);
    assert_eq!(told.status, 422, "{}", told.body);
    let page = owner.with("accept", "text/html").get("/people");
    for (name, value) in [("cache-control", "no-store"), ("x-content-type-options", "nosniff")] {
        assert_eq!(page.header(name), Some(value));
    }
    assert!(page.header("content-security-policy").unwrap().starts_with("default-src 'none'"));
    assert!(
        page.header("strict-transport-security").is_none(),
        "nothing is promised that is not so"
    );
}

#[test]
fn a_name_that_is_deleted_is_gone_from_every_job_and_the_work_stays() {
    let town = Town::new();
    let installer = town.by("installer");
    let note = json!({ "edit": { "do": "set", "kind": "point", "id": "hall-ap", "field": "note", "value": "behind the door" },
        "edit_id": "n1", "how": "tested" });
    let told = installer.post(&format!("/jobs/{JOB}/edits"), &note);
    assert!(told.status == 200 || told.status == 422, "{}", told.body);
    let act = json!({ "edit": { "do": "set", "kind": "job", "id": "job", "field": "note", "value": "seen on site" }, "edit_id": "n2" });
    assert_eq!(installer.post(&format!("/jobs/{JOB}/edits"), &act).status, 200);
    let entry = json!({ "id": "f1", "by": "installer", "what": { "do": "put", "kind": "fault",
        "value": { "id": "f1", "what": "a lamp hums", "by": "installer", "at": "2026-03-14T10:00:00Z" } } });
    installer.post(&format!("/jobs/{JOB}/record"), &json!({ "entries": [entry] }));
    let owner = town.by("owner");
    let journal = |app: &TestApp| app.get(&format!("/jobs/{JOB}/journal")).body;
    assert!(journal(&owner).contains("installer"));
    let id = town.ids["installer"].as_str();
    let held = owner.get(&format!("/people/{id}/held.json")).json();
    assert!(held["jobs"][0]["changes"].as_u64().unwrap() > 0, "{held}");
    assert_eq!(owner.post(&format!("/people/{id}"), &json!({ "act": "delete-name" })).status, 200);
    let after = journal(&owner);
    assert!(
        !after.contains(">installer<") && after.contains("somebody whose name was deleted"),
        "{after}"
    );
    assert!(after.contains("seen on site") || after.contains("note"), "what was done stays");
    let record = owner.get(&format!("/jobs/{JOB}/record.json")).body;
    assert!(!record.contains("\"by\":\"installer\""), "{record}");
}

#[test]
fn a_firm_makes_the_server_ask_nothing_on_its_own_machine() {
    let town = Town::new();
    let owner = town.by("owner");
    for (n, address) in
        ["127.0.0.1:1", "localhost:80", "[::1]:8931", "169.254.169.254:80"].into_iter().enumerate()
    {
        let edit = json!({ "edit": { "do": "set", "kind": "job", "id": "job", "field": "collector", "value": address },
            "edit_id": format!("collector-{n}") });
        assert_eq!(owner.post(&format!("/jobs/{JOB}/edits"), &edit).status, 200);
        let told = owner.get(&format!("/jobs/{JOB}/collector/events?network=thread"));
        assert_eq!(told.status, 422, "{address}: {}", told.body);
        assert!(
            told.body.contains("that the operator of the server named"),
            "{address}: {}",
            told.body
        );
    }
}
