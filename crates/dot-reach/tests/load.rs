//! Fifty people at work on twenty jobs of ten firms, reading and editing over real connections: all are answered, and how long
//! each waited is told. `scripts/load` does it for a minute.
#![expect(
    clippy::unwrap_used,
    clippy::print_stdout,
    reason = "a server that does not answer has failed the test"
)]

mod common;

use std::time::{Duration, Instant};

use common::{Client, Server};
use dot_reach_accounts::{Accounts, Entered, FirmRole, NewPerson};
use dot_reach_standin::houses;
use dot_reach_store::Store;
use dot_reach_web::file_of;
use jiff::Timestamp;
use serde_json::json;

const FIRMS: usize = 10;
const PEOPLE_A_FIRM: usize = 5;
const PASSWORD: &str = "kettle orbit lantern moss";
/// Without `LOAD_SECONDS` in the environment.
const USUAL: u64 = 4;
/// From one thing that a person does to the next.
const PAUSE_MS: u64 = 2000;
const JOBS: [(&str, &str); 2] =
    [("larkfield-mill", "kit-isle"), ("flat-12-quay-court", "hall-light")];
const PAGES: [&str; 6] = ["survey", "reach", "install", "brief", "bill", "journal"];

/// The firms of a folder with their jobs and people; the cookie of each person.
fn town(folder: &std::path::Path) -> Vec<String> {
    std::fs::create_dir_all(folder.join("firms")).unwrap();
    let accounts = Accounts::open_beside(&folder.join("accounts.db")).unwrap();
    let now = Timestamp::now();
    let mut cookies = Vec::new();
    for f in 0..FIRMS {
        let firm = accounts.make_firm(&format!("Firm {f}"), now).unwrap().id;
        let store = Store::open(&file_of(folder, &firm)).unwrap();
        for house in ["larkfield-mill", "quay-court"] {
            let job = houses::named(house).unwrap();
            store.create_told(&job.site, &job.record, None, "2026-03-12T17:00:00Z").unwrap();
        }
        for p in 0..PEOPLE_A_FIRM {
            let link = accounts.invite(&firm, FirmRole::Planner, "", now).unwrap();
            let login = format!("p{p}-of-{f}");
            let filled = NewPerson {
                name: login.clone(),
                login: login.clone(),
                password: PASSWORD.into(),
                ..NewPerson::default()
            };
            accounts.take_invite(link.as_str(), &filled, now).unwrap();
            let n = u8::try_from(f * PEOPLE_A_FIRM + p).unwrap();
            let entered =
                accounts.sign_in(&login, PASSWORD, ([10, 0, 0, n].into(), ""), now).unwrap();
            let Entered::In(token) = entered else { unreachable!("nobody has a second step") };
            cookies.push(format!("session={}", token.as_str()));
        }
    }
    cookies
}

/// What one person waited for: edits and pages.
#[derive(Default)]
struct Waited {
    edits: Vec<Duration>,
    pages: Vec<Duration>,
}

/// One person at work until the time is over, a page and a change in turn.
fn work(client: &Client, cookie: &str, who: usize, until: Instant) -> Waited {
    let mut waited = Waited::default();
    let (job, point) = JOBS[who % 2];
    // They do not begin all at once.
    std::thread::sleep(Duration::from_millis(PAUSE_MS * who as u64 / 50));
    let mut n = 0;
    // Each change of both kinds once, and a page before each, however slow the machine is.
    while n < 4 || Instant::now() < until {
        let begun = Instant::now();
        if n % 2 == 0 {
            let page = PAGES[(who + n / 2) % PAGES.len()];
            let headers = format!("cookie: {cookie}\r\naccept: text/html\r\n");
            let told = client.ask("GET", &format!("/jobs/{job}/{page}"), &headers, "").unwrap();
            assert_eq!(told.status, 200, "{page}: {}", told.body);
            waited.pages.push(begun.elapsed());
        } else {
            // Words, and in turn what all radio of the house is worked out anew for.
            let change = if n % 4 == 1 {
                json!({ "do": "set", "kind": "job", "id": "job", "field": "note", "value": format!("{who} {n}") })
            } else {
                let height = 1.0 + f64::from(u32::try_from(n % 100).unwrap()) / 100.0;
                json!({ "do": "set", "kind": "point", "id": point, "field": "height_m", "value": height })
            };
            let edit = json!({ "edit": change, "edit_id": format!("{who}-{n}"), "client": who.to_string() });
            let headers = format!(
                "cookie: {cookie}\r\norigin: http://{}\r\ncontent-type: application/json\r\n",
                client.address
            );
            let told = client
                .ask("POST", &format!("/jobs/{job}/edits"), &headers, &edit.to_string())
                .unwrap();
            assert_eq!(told.status, 200, "{}", told.body);
            waited.edits.push(begun.elapsed());
        }
        n += 1;
        let rest = Duration::from_millis(PAUSE_MS).saturating_sub(begun.elapsed());
        std::thread::sleep(rest);
    }
    waited
}

fn told(what: &str, mut all: Vec<Duration>) {
    all.sort();
    let at =
        |share: usize| all[(all.len() * share / 100).min(all.len() - 1)].as_secs_f64() * 1000.0;
    println!(
        "{what}: {} in all, half within {:.1} ms, p95 {:.1} ms, p99 {:.1} ms, longest {:.1} ms",
        all.len(),
        at(50),
        at(95),
        at(99),
        at(100)
    );
}

#[test]
fn fifty_people_on_twenty_jobs_of_ten_firms_are_all_answered() {
    let seconds = std::env::var("LOAD_SECONDS").ok().and_then(|n| n.parse().ok()).unwrap_or(USUAL);
    let folder = tempfile::tempdir().unwrap();
    let cookies = town(folder.path());
    let server = Server::start(&["serve", "--data", &folder.path().to_string_lossy()]);
    let until = Instant::now() + Duration::from_secs(seconds);
    let people: Vec<_> = cookies
        .into_iter()
        .enumerate()
        .map(|(who, cookie)| {
            let client = server.client.clone();
            std::thread::spawn(move || work(&client, &cookie, who, until))
        })
        .collect();
    let mut all = Waited::default();
    for person in people {
        let Waited { edits, pages } = person.join().unwrap();
        all.edits.extend(edits);
        all.pages.extend(pages);
    }
    let least = 2 * FIRMS * PEOPLE_A_FIRM;
    assert!(all.edits.len() >= least && all.pages.len() >= least);
    told("edits", all.edits);
    told("pages", all.pages);
    let status =
        std::fs::read_to_string(format!("/proc/{}/status", server.child.id())).unwrap_or_default();
    for line in status.lines().filter(|l| l.starts_with("VmHWM") || l.starts_with("VmRSS")) {
        println!("{line}");
    }
}
