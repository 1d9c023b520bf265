//! Firms of a folder: opened when somebody comes, so many at a time, each by itself.
//! `FIRMS=2000 cargo test --release -p dot-reach-web --test firms -- --nocapture` tells what many take.
#![expect(clippy::unwrap_used, reason = "a town that cannot be built has failed the test")]

mod common;

use std::time::Instant;

use common::TestApp;
use dot_reach_accounts::{AccountId, Accounts, FirmId, LinkScope};
use dot_reach_standin::houses;
use dot_reach_store::Store;
use dot_reach_web::{Server, Settings, file_of};
use jiff::{SignedDuration, Timestamp};

const JOB: &str = "flat-12-quay-court";
/// Without `FIRMS` in the environment.
const USUAL: usize = 60;
const AT_A_TIME: usize = 50;

struct Town {
    folder: tempfile::TempDir,
    app: TestApp,
    /// By whom each firm is asked: somebody who followed a link.
    cookies: Vec<String>,
}

fn town(firms: usize, most_open: usize) -> Town {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir(folder.path().join("firms")).unwrap();
    let accounts = Accounts::open(&folder.path().join("accounts.db")).unwrap();
    let now = Timestamp::now();
    let week = now + SignedDuration::from_hours(168);
    let mut first: Option<(std::path::PathBuf, String)> = None;
    let mut cookies = Vec::new();
    for n in 0..firms {
        let firm: FirmId = accounts.make_firm(&format!("Firm {n}"), now).unwrap().id;
        let path = file_of(folder.path(), &firm);
        // The first is filled, the others are copies of its file: a firm is moved like that.
        let uid = if let Some((file, uid)) = &first {
            std::fs::copy(file, &path).unwrap();
            uid.clone()
        } else {
            let store = Store::open(&path).unwrap();
            let job = houses::named("quay-court").unwrap();
            let id =
                store.create_told(&job.site, &job.record, None, "2026-03-12T17:00:00Z").unwrap();
            let uid = store.uid(&id).unwrap();
            drop(store);
            first = Some((path, uid.clone()));
            uid
        };
        let by = (&firm, &AccountId::from("owner"));
        let link =
            accounts.give_link(by, (&uid, LinkScope::Client, ""), "Rowan", week, now).unwrap();
        cookies.push(format!("guest={}", link.as_str()));
    }
    let settings = Settings { most_open, ..Settings::default() };
    let app = TestApp::over(Server::of_firms(folder.path(), accounts, settings));
    Town { folder, app, cookies }
}

impl Town {
    fn ask(&self, firm: usize) -> u16 {
        self.app.with_cookie(&self.cookies[firm]).get(&format!("/jobs/{JOB}/handover")).status
    }

    fn open(&self) -> usize {
        let told = self.app.get("/metrics").body;
        let line =
            told.lines().find(|l| l.starts_with("dot_reach_firms_open ")).unwrap().to_owned();
        line.rsplit(' ').next().unwrap().parse().unwrap()
    }
}

#[test]
fn so_many_are_open_at_a_time_and_each_keeps_its_own() {
    let town = town(5, 2);
    for firm in [0, 1, 2, 3, 4, 0, 3, 1] {
        assert_eq!(town.ask(firm), 200);
        assert!(town.open() <= 2, "{} are open", town.open());
    }
    // What is signed in one is in no other, also where their jobs have one id.
    let signed = town.app.with_cookie(&town.cookies[4]).post(
        &format!("/jobs/{JOB}/sign-off"),
        &serde_json::json!({ "edit_id": "s1", "note": "of the fifth" }),
    );
    assert_eq!(signed.status, 200, "{}", signed.body);
    for firm in 0..5 {
        let page =
            town.app.with_cookie(&town.cookies[firm]).get(&format!("/jobs/{JOB}/handover")).body;
        assert_eq!(page.contains("of the fifth"), firm == 4, "firm {firm}");
    }
}

#[test]
fn a_second_server_on_the_folder_is_refused_and_a_file_that_is_gone_is_said() {
    let town = town(2, 2);
    let again = Accounts::open(&town.folder.path().join("accounts.db"));
    assert!(again.unwrap_err().to_string().contains("in use by another server"));
    assert_eq!(town.ask(0), 200);
    let firm: FirmId = "firm-0".parse().unwrap();
    let file = file_of(town.folder.path(), &firm);
    assert!(Store::open(&file).unwrap_err().to_string().contains("in use by another server"));
    // A firm whose file another program has tells so, and the others go on.
    let other: FirmId = "firm-1".parse().unwrap();
    let held = Store::open(&file_of(town.folder.path(), &other)).unwrap();
    assert_eq!(town.ask(1), 503);
    assert_eq!(town.ask(0), 200);
    drop(held);
    assert_eq!(town.ask(1), 200);
}

#[test]
fn many_firms_fifty_at_a_time() {
    let firms = std::env::var("FIRMS").ok().and_then(|n| n.parse().ok()).unwrap_or(USUAL);
    let town = town(firms, AT_A_TIME);
    let (mut opened, mut known) = (Vec::new(), Vec::new());
    for firm in 0..firms {
        let begun = Instant::now();
        let told = town.app.with_cookie(&town.cookies[firm]).get("/").status;
        opened.push(begun.elapsed().as_secs_f64() * 1000.0);
        assert_eq!(told, 200);
        let begun = Instant::now();
        assert_eq!(town.app.with_cookie(&town.cookies[firm]).get("/").status, 200);
        known.push(begun.elapsed().as_secs_f64() * 1000.0);
    }
    assert!(town.open() <= AT_A_TIME);
    for (what, mut all) in [("first request to a closed firm", opened), ("to an open one", known)] {
        all.sort_by(f64::total_cmp);
        let at = |share: usize| all[(all.len() * share / 100).min(all.len() - 1)];
        println!(
            "{what}: half within {:.1} ms, p99 {:.1} ms, longest {:.1} ms",
            at(50),
            at(99),
            at(100)
        );
    }
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    for line in status.lines().filter(|l| l.starts_with("VmHWM") || l.starts_with("VmRSS")) {
        println!("{firms} firms, {AT_A_TIME} open: {line}");
    }
    let files = std::fs::read_dir("/proc/self/fd").map(Iterator::count).unwrap_or_default();
    println!("files open: {files}");
}
