//! Who may what: every address that the router knows, asked by everybody.
#![expect(clippy::unwrap_used, reason = "a town that cannot be built has failed the test")]

mod common;

use std::collections::{BTreeMap, BTreeSet};

use actix_web::http::Method;
use common::{Answer, TestApp};
use dot_reach_accounts::{AccountId, Accounts, FirmRole, LinkScope, NewPerson};
use dot_reach_standin::houses;
use dot_reach_store::Store;
use dot_reach_web::{Server, Settings, file_of};
use jiff::{SignedDuration, Timestamp};
use serde_json::{Value, json};

const PASSWORD: &str = "kettle orbit lantern moss";
const JOB: &str = "flat-12-quay-court";
const OTHER_JOB: &str = "tern-row-guesthouse";

/// Two firms with the same jobs, people of every part, and links.
struct Town {
    app: TestApp,
    cookies: BTreeMap<&'static str, String>,
    ids: BTreeMap<&'static str, AccountId>,
    _folder: tempfile::TempDir,
}

const PEOPLE: [(&str, FirmRole); 6] = [
    ("owner", FirmRole::Owner),
    ("planner", FirmRole::Planner),
    ("installer", FirmRole::Installer),
    ("named electrician", FirmRole::Electrician),
    ("electrician of no visit", FirmRole::Electrician),
    ("viewer", FirmRole::Viewer),
];

impl Town {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        std::fs::create_dir(folder.path().join("firms")).unwrap();
        let accounts = Accounts::open(&folder.path().join("accounts.db")).unwrap();
        let now = Timestamp::now();
        let mut ids = BTreeMap::new();
        let add = |firm: &dot_reach_accounts::FirmId, role, login: &str| {
            let link = accounts.invite(firm, role, "", now).unwrap();
            let login = login.replace(' ', "-");
            let filled = NewPerson {
                name: login.clone(),
                login,
                password: PASSWORD.into(),
                ..NewPerson::default()
            };
            accounts.take_invite(link.as_str(), &filled, now).unwrap()
        };
        let quay = accounts.make_firm("Quay", now).unwrap().id;
        let moor = accounts.make_firm("Moor", now).unwrap().id;
        for (login, role) in PEOPLE {
            ids.insert(login, add(&quay, role, login).id);
        }
        ids.insert("another firm's owner", add(&moor, FirmRole::Owner, "another firm's owner").id);
        let uids = [fill(&file_of(folder.path(), &quay)), fill(&file_of(folder.path(), &moor))];
        let mut links = BTreeMap::new();
        let week = now + SignedDuration::from_hours(7 * 24);
        let by = (&quay, &ids["owner"]);
        let mut give = |name, job: &str, scope, until, at| {
            let visit = if scope == LinkScope::Electrician { "day-1" } else { "" };
            let token = accounts.give_link(by, (job, scope, visit), name, until, at).unwrap();
            links.insert(name, token.as_str().to_owned());
        };
        let job = &uids[0][JOB];
        give("client", job, LinkScope::Client, week, now);
        give("link to a visit", job, LinkScope::Electrician, week, now);
        give("integrator", job, LinkScope::Integrator, week, now);
        give("client of another job", &uids[0][OTHER_JOB], LinkScope::Client, week, now);
        let before = now - SignedDuration::from_hours(48);
        give(
            "link that is too old",
            job,
            LinkScope::Client,
            now - SignedDuration::from_hours(24),
            before,
        );
        give("link that was ended", job, LinkScope::Client, week, now);
        let ended = accounts.link(&links["link that was ended"], now).unwrap().unwrap().id;
        accounts.end_link(&quay, job, &ended, now).unwrap();
        let app = TestApp::over(Server::of_firms(folder.path(), accounts, Settings::default()));
        let mut cookies: BTreeMap<_, _> =
            links.into_iter().map(|(name, token)| (name, format!("guest={token}"))).collect();
        cookies.insert("nobody", String::new());
        let mut town = Self { app, cookies, ids, _folder: folder };
        for name in PEOPLE.map(|(name, _)| name).into_iter().chain(["another firm's owner"]) {
            let cookie = town.enter(name);
            town.cookies.insert(name, cookie);
        }
        town.name_the_electrician();
        town
    }

    fn enter(&self, name: &str) -> String {
        let sent = json!({ "login": name.replace(' ', "-"), "password": PASSWORD });
        let told = self.app.post("/sign-in", &sent);
        assert_eq!(told.status, 200, "{name}: {}", told.body);
        told.cookie()
    }

    fn by(&self, name: &str) -> TestApp {
        self.app.with_cookie(&self.cookies[name])
    }

    /// A person of the job who signs in, named on its first visit.
    fn name_the_electrician(&self) {
        let account = self.ids["named electrician"].as_str();
        let person = json!({ "id": "spark", "name": "named-electrician", "part": "electrician", "account": account });
        let visit = json!({ "id": "first", "of": "day-1", "from": "2026-04-01T08:00", "people": ["spark"] });
        for (n, (kind, value)) in [("person", person), ("visit", visit)].into_iter().enumerate() {
            let edit = json!({ "edit": { "do": "put", "kind": kind, "value": value }, "edit_id": format!("named-{n}") });
            let told = self.by("owner").post(&format!("/jobs/{JOB}/edits"), &edit);
            assert_eq!(told.status, 200, "{}", told.body);
        }
    }
}

fn fill(path: &std::path::Path) -> BTreeMap<String, String> {
    let store = Store::open(path).unwrap();
    let mut uids = BTreeMap::new();
    for name in ["quay-court", "tern-row", "larkfield-mill"] {
        let job = houses::named(name).unwrap();
        let id = store.create_told(&job.site, &job.record, None, "2026-03-12T17:00:00Z").unwrap();
        uids.insert(id.to_string(), store.uid(&id).unwrap());
    }
    uids
}

// ------------------------------------------------------------------------------------------------ what is expected

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
        | ("POST", "/sign-in" | "/sign-in/code" | "/in/{token}") => Some(Expected::Everybody),
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
        | ("POST", "/people/invites" | "/people/{person}") => of_firm(with(&["owner"], &[])),
        ("GET", "/own" | "/own/held.json")
        | (
            "POST",
            "/own/password"
            | "/own/second-step/new"
            | "/own/second-step"
            | "/own/second-step/end"
            | "/own/sessions/end"
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
        ("POST", "/record" | "/collector/acts") => of_job(with(&DAY, &[])),
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
    // That something was found live, anybody may say.
    assert!(
        !serde_json::to_string(&owner.get("/jobs/larkfield-mill/record.json").json())
            .unwrap()
            .contains("energised")
    );
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
