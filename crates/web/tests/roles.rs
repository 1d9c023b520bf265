//! Who may what: every address that the router knows, asked by everybody.
#![expect(clippy::unwrap_used, reason = "a town that cannot be built has failed the test")]

mod common;
#[path = "common/town.rs"]
mod town;

use std::collections::BTreeSet;

use actix_web::http::Method;
use common::Answer;
use serde_json::{Value, json};
use town::{JOB, OTHER_JOB, Town};

const LOOK: [&str; 4] = ["owner", "planner", "installer", "viewer"];
const KEEP: [&str; 2] = ["owner", "planner"];
const CHANGE: [&str; 3] = ["owner", "planner", "installer"];
const DAY: [&str; 4] = ["owner", "planner", "installer", "named electrician"];

fn with(names: &[&'static str], more: &[&'static str]) -> BTreeSet<&'static str> {
    names.iter().chain(more).copied().collect()
}

/// Who may ask for an address, by its pattern and how; nothing where nobody thought of it.
fn may(method: &str, pattern: &str) -> Option<Expected> {
    let of_job = |names: BTreeSet<&'static str>| Some(Expected::OfJob(names));
    let of_firm = |names: BTreeSet<&'static str>| Some(Expected::OfFirm(names));
    let rest = pattern.strip_prefix("/jobs/{job}");
    if (method, rest) == ("GET", Some("")) {
        return of_job(with(
            &LOOK,
            &["named electrician", "client", "link to a visit", "integrator"],
        ));
    }
    match (method, rest.unwrap_or(pattern)) {
        // Shows nothing of any firm.
        (
            "GET",
            "/assets/{path:.*}"
            | "/healthz"
            | "/readyz"
            | "/metrics"
            | "/catalogue"
            | "/catalogue.json"
            | "/job-file.schema.json"
            | "/sw.js"
            | "/manifest.webmanifest"
            | "/unreachable"
            | "/sign-in"
            | "/in/{token}"
            | "/l/{token}",
        )
        | (
            "POST",
            "/sign-in"
            | "/sign-in/code"
            | "/sign-in/passkey"
            | "/sign-in/passkey/new"
            | "/in/{token}",
        ) => Some(Expected::Everybody),
        ("GET", "/" | "/images/{sha}") | ("POST", "/constructions/try") => of_firm(with(
            &LOOK,
            &[
                "named electrician",
                "electrician of no visit",
                "client",
                "link to a visit",
                "integrator",
                "client of another job",
            ],
        )),
        ("GET", "/library") => of_firm(with(&LOOK, &[])),
        ("POST", "/jobs" | "/jobs/import") | ("GET" | "DELETE", "/imports/{number}") => {
            of_firm(with(&KEEP, &[]))
        }
        ("GET", "/people" | "/people/{person}/held.json")
        | (
            "POST",
            "/people/invites" | "/people/invites/end" | "/people/keeping" | "/people/{person}",
        ) => of_firm(with(&["owner"], &[])),
        ("GET", "/own" | "/own/held.json")
        | (
            "POST",
            "/own/password"
            | "/own/second-step/new"
            | "/own/second-step"
            | "/own/second-step/end"
            | "/own/sessions/end"
            | "/own/passkeys/new"
            | "/own/passkeys"
            | "/own/passkeys/end"
            | "/sign-out",
        ) => of_firm(with(&LOOK, &["named electrician", "electrician of no visit"])),
        ("GET", "/handover") => of_job(with(&LOOK, &["client"])),
        ("POST", "/sign-off") => of_job(with(&CHANGE, &["client"])),
        ("GET", "/{file}.json") => of_job(with(&LOOK, &["integrator"])),
        (
            "GET",
            "/install"
            | "/install/work"
            | "/install/electrician"
            | "/install/visits.ics"
            | "/offline.json"
            | "/install/stretches.json",
        ) => of_job(with(&LOOK, &["named electrician", "link to a visit"])),
        ("POST", "/record" | "/edits" | "/photo-edits" | "/collector/acts") => {
            of_job(with(&DAY, &[]))
        }
        ("POST", "/readings" | "/collector/tables") => of_job(with(&CHANGE, &[])),
        (
            "POST",
            "/links"
            | "/links/{link}/end"
            | "/delete"
            | "/library"
            | "/variants"
            | "/variants/{variant}/take"
            | "/variants/{variant}/aside"
            | "/variants/{variant}/back",
        )
        | ("GET", "/links") => of_job(with(&KEEP, &[])),
        ("POST", _) if rest.is_some() => of_job(with(&CHANGE, &[])),
        ("GET", _) if rest.is_some() => of_job(with(&LOOK, &[])),
        _ => None,
    }
}

enum Expected {
    Everybody,
    /// Those of the firm who may; of another firm those of the same part, about their own.
    OfFirm(BTreeSet<&'static str>),
    OfJob(BTreeSet<&'static str>),
}

fn filled(pattern: &str) -> String {
    pattern
        .replace("{job}", JOB)
        .replace("{file}", JOB)
        .replace("{number}", "1")
        .replace("{path:.*}", "app.css")
        .replace("{sha}", &"ab".repeat(32))
        .replace("{token}", "no-such-token")
        .replace("{person}", "nobody-of-this-id")
        .replace("{link}", "no-such-link")
}

/// Whether somebody was let through to the handler: what that thinks of an empty body is another thing.
fn is_let_in(told: &Answer) -> bool {
    !matches!(told.status, 401 | 403)
}

#[test]
fn every_address_is_open_to_those_who_may_and_to_nobody_else() {
    let town = Town::new();
    let patterns = town.app.patterns();
    assert!(patterns.len() > 90, "only {} addresses were found", patterns.len());
    let (mut asked, mut wrong) = (0, Vec::new());
    // Last, as it ends what the others come in by.
    let mut routes: Vec<(&str, &String)> = Vec::new();
    for pattern in &patterns {
        for method in ["GET", "POST", "PUT", "DELETE", "PATCH"] {
            routes.push((method, pattern));
        }
    }
    routes.sort_by_key(|(_, pattern)| *pattern == "/sign-out");
    let mut known = BTreeSet::new();
    for (method, pattern) in routes {
        let (verb, path) = (Method::from_bytes(method.as_bytes()).unwrap(), filled(pattern));
        // Whoever may most finds out whether there is such a way at all.
        let body = (method != "GET").then(|| json!({}));
        if pattern != "/sign-out" {
            let most = town.by("owner").ask(verb.clone(), &path, body.as_ref());
            if most.status == 405 || (most.status == 404 && most.body.contains("no such page")) {
                continue;
            }
        } else if method != "POST" {
            continue;
        }
        known.insert(pattern.as_str());
        // To ask for the job “import” is to ask for a job.
        if (method, pattern.as_str()) == ("GET", "/jobs/import") {
            continue;
        }
        let Some(expected) = may(method, pattern) else {
            wrong.push(format!("{method} {pattern}: nobody said who may"));
            continue;
        };
        for name in town.cookies.keys() {
            let told = town.by(name).ask(verb.clone(), &path, body.as_ref());
            asked += 1;
            let is_other = *name == "another firm's owner";
            let as_expected = match &expected {
                Expected::Everybody => is_let_in(&told) || pattern.starts_with("/sign-in"),
                Expected::OfFirm(names) if is_other => is_let_in(&told) == names.contains("owner"),
                Expected::OfFirm(names) => is_let_in(&told) == names.contains(name),
                Expected::OfJob(names) => is_let_in(&told) == (names.contains(name) || is_other),
            };
            if !as_expected {
                wrong.push(format!("{method} {pattern} as {name}: {}", told.status));
            }
            if ["nobody", "link that is too old", "link that was ended"].contains(name)
                && !matches!(expected, Expected::Everybody)
                && told.status != 401
            {
                wrong
                    .push(format!("{method} {pattern} as {name}: {} in place of 401", told.status));
            }
        }
    }
    let unknown: Vec<_> = patterns.iter().filter(|p| !known.contains(p.as_str())).collect();
    assert!(unknown.is_empty(), "no way was found to ask for {unknown:?}");
    assert!(wrong.is_empty(), "{asked} asked, {} wrong:\n{}", wrong.len(), wrong.join("\n"));
    println!("{asked} questions to {} addresses", patterns.len());
}

// ------------------------------------------------------------------------------------------------ across firms and jobs

#[test]
fn another_firms_ids_lead_nowhere_in_any_body() {
    let town = Town::new();
    let stranger = town.by("another firm's owner");
    let owner = &town.ids["owner"];
    // Its own job of the same address is another job: what is done there is not done here.
    let mark = json!({ "edit": { "do": "set", "kind": "job", "id": "job", "field": "client", "value": "Somebody of Moor" },
        "edit_id": "moor-1" });
    assert_eq!(stranger.post(&format!("/jobs/{JOB}/edits"), &mark).status, 200);
    let ours = town.by("owner").get(&format!("/jobs/{JOB}/{JOB}.json"));
    assert!(!ours.body.contains("Somebody of Moor"));
    // People of another firm are nobody, whatever is asked of them.
    for act in [
        json!({ "act": "role", "role": "viewer" }),
        json!({ "act": "licence", "number": "1", "country": "gb" }),
        json!({ "act": "shut" }),
        json!({ "act": "open" }),
        json!({ "act": "reset" }),
        json!({ "act": "delete-name" }),
    ] {
        let told = stranger.post(&format!("/people/{owner}"), &act);
        assert_eq!(told.status, 404, "{act}: {}", told.body);
    }
    assert_eq!(stranger.get(&format!("/people/{owner}/held.json")).status, 404);
    assert_eq!(town.by("owner").get("/people").status, 200, "and nothing of it was done");
    // A session of somebody else is not theirs to end.
    let held = town.by("owner").get("/own/held.json").json();
    let session = held["account"]["sessions"][0]["id"].as_str().unwrap().to_owned();
    stranger.post("/own/sessions/end", &json!({ "session": session }));
    assert_eq!(town.by("owner").get("/own").status, 200);
    // A link of another firm's job is not theirs to end, nor seen by them.
    let link = town.by("owner").post(
        &format!("/jobs/{JOB}/links"),
        &json!({ "scope": "client", "name": "Rowan", "days": "3" }),
    );
    let address = link.json()["link"].as_str().unwrap().to_owned();
    let page = stranger.get(&format!("/jobs/{JOB}/links")).body;
    assert!(!page.contains("Rowan"));
    assert_eq!(town.app.get(&address).status, 303, "and it goes on");
}

#[test]
fn what_is_followed_is_on_record_and_opens_its_job_and_visit_alone() {
    let town = Town::new();
    let give = |scope: &str, visit: &str| {
        let sent = json!({ "scope": scope, "visit": visit, "name": "Mr. Rowan", "days": "3" });
        let told = town.by("owner").post(&format!("/jobs/{JOB}/links"), &sent);
        assert_eq!(told.status, 200, "{}", told.body);
        told.json()["link"].as_str().unwrap().to_owned()
    };
    let told = town.app.get(&give("client", ""));
    assert_eq!(told.header("location"), Some(format!("/jobs/{JOB}").as_str()));
    let client = town.app.with_cookie(&told.cookie());
    let page = client.get(&format!("/jobs/{JOB}/handover"));
    assert_eq!(page.status, 200);
    let codes = client.get(&format!("/jobs/{JOB}/handover?codes=1")).body;
    assert!(!codes.contains("<h2>Join codes</h2>"), "codes open the network: not by a link");
    assert_eq!(client.get(&format!("/jobs/{OTHER_JOB}/handover")).status, 403);
    // Signing is theirs, by the name that the link is for.
    let signed = client.post(
        &format!("/jobs/{JOB}/sign-off"),
        &json!({ "edit_id": "s1", "note": "the loft is cold" }),
    );
    assert_eq!(signed.status, 200, "{}", signed.body);
    let record = town.by("owner").get(&format!("/jobs/{JOB}/record.json")).json();
    let all: Vec<&Value> = record["entries"].as_array().unwrap().iter().collect();
    let of = |did: &str| all.iter().filter(|e| e["what"]["did"] == did).count();
    assert_eq!((of("link-followed"), of("signed")), (1, 1), "{record}");
    assert!(all.iter().filter(|e| e["what"]["did"] == "signed").all(|e| e["by"] == "Mr. Rowan"));
    // An electrician sees the visit of the link, and no other.
    let told = town.app.get(&give("electrician", "dry-99"));
    let nobody = town.app.with_cookie(&told.cookie());
    let sheet = nobody.get(&format!("/jobs/{JOB}/install/electrician"));
    assert_eq!(sheet.status, 200);
    let named = town.by("named electrician").get(&format!("/jobs/{JOB}/install/electrician")).body;
    let full = town.by("owner").get(&format!("/jobs/{JOB}/install/electrician")).body;
    let boxes = |page: &str| page.matches("class=\"wiring").count() + page.matches("<h3").count();
    assert!(
        boxes(&full) > 0 && boxes(&sheet.body) == 0,
        "{} and {}",
        boxes(&full),
        boxes(&sheet.body)
    );
    assert!(boxes(&named) > 0);
}
