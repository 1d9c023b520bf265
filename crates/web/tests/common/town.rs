//! A town of two firms: people of every part, links, and the same jobs.
#![allow(dead_code, reason = "each test file uses its own part")]

use std::collections::BTreeMap;

use dot_reach_accounts::{AccountId, Accounts, FirmRole, LinkScope, NewPerson};
use dot_reach_standin::houses;
use dot_reach_store::Store;
use dot_reach_web::{Server, Settings, file_of};
use jiff::{SignedDuration, Timestamp};
use serde_json::json;

use crate::common::TestApp;

pub(crate) const PASSWORD: &str = "kettle orbit lantern moss";
pub(crate) const JOB: &str = "flat-12-quay-court";
pub(crate) const OTHER_JOB: &str = "tern-row-guesthouse";

/// Two firms with the same jobs, people of every part, and links.
pub(crate) struct Town {
    pub(crate) app: TestApp,
    pub(crate) cookies: BTreeMap<&'static str, String>,
    pub(crate) ids: BTreeMap<&'static str, AccountId>,
    _folder: tempfile::TempDir,
}

pub(crate) const PEOPLE: [(&str, FirmRole); 6] = [
    ("owner", FirmRole::Owner),
    ("planner", FirmRole::Planner),
    ("installer", FirmRole::Installer),
    ("named electrician", FirmRole::Electrician),
    ("electrician of no visit", FirmRole::Electrician),
    ("viewer", FirmRole::Viewer),
];

impl Town {
    pub(crate) fn new() -> Self {
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

    pub(crate) fn enter(&self, name: &str) -> String {
        let sent = json!({ "login": name.replace(' ', "-"), "password": PASSWORD });
        let told = self.app.post("/sign-in", &sent);
        assert_eq!(told.status, 200, "{name}: {}", told.body);
        told.cookie()
    }

    pub(crate) fn by(&self, name: &str) -> TestApp {
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
