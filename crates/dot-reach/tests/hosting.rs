//! How it is served: to whom it listens, and what it tells of what it does.
#![expect(clippy::unwrap_used, reason = "a program that does not answer has failed the test")]

mod common;

use std::io::{BufRead, BufReader, Read, Write};
use std::process::{Command, Stdio};

use common::run;
use serde_json::json;

fn refused(arguments: &[&str]) -> String {
    let ended = run(arguments);
    assert!(!ended.status.success(), "{arguments:?}");
    String::from_utf8_lossy(&ended.stderr).into_owned()
}

#[test]
fn without_tls_it_listens_on_this_machine_alone_unless_it_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().to_string_lossy().into_owned();
    let told = refused(&["serve", "--data", &data, "--listen", "0.0.0.0:0"]);
    assert!(told.contains("--tls-cert") && told.contains("--plain-to-all"), "{told}");
    let told = refused(&["serve", "--db", &format!("{data}/jobs.db"), "--listen", "0.0.0.0:0"]);
    assert!(told.contains("this machine only"), "{told}");
    let told =
        refused(&["serve", "--data", &data, "--tls-cert", "none.pem", "--tls-key", "none.pem"]);
    assert!(told.contains("none.pem"), "{told}");
    let told = refused(&["serve", "--data", &data, "--db", "jobs.db"]);
    assert!(told.contains("cannot be used with"), "{told}");
}

/// A server of firms: its address, the link of its first start, and all that it writes to its log until it ends.
struct Hosted {
    child: std::process::Child,
    address: String,
    link: String,
}

impl Hosted {
    fn start(folder: &str, more: &[&str]) -> Self {
        let mut child = Command::new(env!("CARGO_BIN_EXE_dot-reach"))
            .args(["serve", "--data", folder, "--port", "0", "--log", "debug"])
            .args(more)
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
        let mut next = |holds: &str| {
            lines.by_ref().map(Result::unwrap).find(|line| line.contains(holds)).unwrap()
        };
        let address = next("ready at").rsplit("//").next().unwrap().to_owned();
        let link = next("/in/").split_once("/in/").unwrap().1.to_owned();
        Self { child, address, link: format!("/in/{link}") }
    }

    fn log(mut self) -> String {
        self.child.kill().unwrap();
        let mut text = String::new();
        self.child.stderr.take().unwrap().read_to_string(&mut text).unwrap();
        text
    }
}

#[test]
fn the_log_holds_no_password_no_link_no_cookie_and_no_name() {
    let folder = tempfile::tempdir().unwrap();
    let hosted = Hosted::start(&folder.path().to_string_lossy(), &[]);
    let client = common::Client { address: hosted.address.clone() };
    assert_eq!(client.get(&hosted.link).status, 200);
    let password = "kettle orbit lantern moss";
    let sent = json!({ "firm": "Quayside", "name": "Ines Calder", "login": "ines@quay.example", "password": password });
    let told = client.post(&hosted.link, &sent).unwrap();
    assert_eq!(told.status, 200, "{}", told.body);
    let cookie = told.head.split("session=").nth(1).unwrap().split(';').next().unwrap().to_owned();
    let headers = format!("cookie: session={cookie}\r\n");
    assert_eq!(client.ask("GET", "/people", &headers, "").unwrap().status, 200);
    let wrong = json!({ "login": "ines@quay.example", "password": "another password" });
    assert_eq!(client.post("/sign-in", &wrong).unwrap().status, 401);
    assert_eq!(client.get("/jobs/none/reach?who=Somebody").status, 401);
    let link = hosted.link.clone();
    let log = hosted.log();
    assert!(log.contains("request"), "it tells of requests: {log}");
    for secret in [
        password,
        "another password",
        &cookie,
        link.trim_start_matches("/in/"),
        "Calder",
        "quay.example",
        "Somebody",
    ] {
        assert!(!log.contains(secret), "“{secret}” stands in the log");
    }
}

/// A collector that takes one batch, and what that held.
fn collector() -> (String, std::thread::JoinHandle<String>) {
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    let took = std::thread::spawn(move || {
        let (mut stream, _) = listener.accept().unwrap();
        let mut reader = BufReader::new(stream.try_clone().unwrap());
        let (mut head, mut line) = (String::new(), String::new());
        while reader.read_line(&mut line).unwrap() > 2 {
            head.push_str(&line);
            line.clear();
        }
        let length = head
            .lines()
            .find_map(|l| l.to_lowercase().strip_prefix("content-length: ")?.parse().ok());
        let mut body = vec![0; length.unwrap()];
        reader.read_exact(&mut body).unwrap();
        stream.write_all(b"HTTP/1.1 200 OK\r\ncontent-length: 0\r\n\r\n").unwrap();
        format!("{head}{}", String::from_utf8_lossy(&body))
    });
    (address, took)
}

#[test]
fn traces_go_to_the_collector_that_was_named_and_say_no_more_than_the_log() {
    let folder = tempfile::tempdir().unwrap();
    let (address, took) = collector();
    let hosted = Hosted::start(&folder.path().to_string_lossy(), &["--traces", &address]);
    let client = common::Client { address: hosted.address.clone() };
    assert_eq!(client.get(&hosted.link).status, 200);
    let id = hosted.child.id().to_string();
    assert!(Command::new("kill").args(["-TERM", &id]).status().unwrap().success());
    let batch = took.join().unwrap();
    assert!(batch.starts_with("POST /v1/traces"), "{batch}");
    assert!(batch.contains("dot-reach") && batch.contains("/in/{token}"), "{batch}");
    assert!(!batch.contains(hosted.link.trim_start_matches("/in/")), "a link stands in a trace");
}

#[test]
fn behind_a_proxy_cookies_are_secure_and_the_folder_is_its_owners_alone() {
    let folder = tempfile::tempdir().unwrap();
    let hosted = Hosted::start(&folder.path().to_string_lossy(), &["--behind", "10.1.2.3"]);
    let client = common::Client { address: hosted.address.clone() };
    let sent = json!({ "firm": "Quayside", "name": "Ines", "login": "ines", "password": "kettle orbit lantern moss" });
    let told = client.post(&hosted.link, &sent).unwrap();
    let head = told.head.to_lowercase();
    assert!(head.contains("__host-session=") && head.contains("; secure"), "{head}");
    assert!(head.contains("strict-transport-security: max-age=31536000"), "{head}");
    // Only the named proxy is believed about whom it asks for; who is slowed is who really asks.
    let wrong = json!({ "login": "nobody", "password": "x" }).to_string();
    let mut last = 0;
    for n in 0..12 {
        let headers = format!(
            "origin: http://{}\r\ncontent-type: application/json\r\nx-forwarded-for: 192.0.2.{n}\r\n",
            client.address
        );
        last = client.ask("POST", "/sign-in", &headers, &wrong).unwrap().status;
    }
    assert_eq!(last, 429);
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::metadata(folder.path()).unwrap().permissions().mode();
        assert_eq!(mode & 0o077, 0, "{mode:o}");
    }
    drop(hosted.log());
}

#[test]
fn whoever_runs_it_makes_firms_gives_links_and_deletes_for_good() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().to_string_lossy().into_owned();
    let said = |arguments: &[&str]| {
        let ended = run(&[&["firms", "--data", &data], arguments].concat());
        (
            ended.status.success(),
            String::from_utf8_lossy(&[ended.stdout, ended.stderr].concat()).into_owned(),
        )
    };
    let (made, told) = said(&["add", "Moor & Sons"]);
    assert!(made && told.contains("/in/") && told.contains("makes the owner"), "{told}");
    assert_eq!(said(&["list"]).1, "moor-sons\tMoor & Sons\n");
    let (done, told) = said(&["reset", "moor-sons", "nobody"]);
    assert!(!done && told.contains("no such person"), "{told}");
    let file = folder.path().join("firms/moor-sons.db");
    let second = folder.path().join("second");
    drop(dot_reach_store::Store::open_with_copy(&file, &second).unwrap());
    assert!(second.join("moor-sons.db").exists());
    assert!(!said(&["delete", "moor-sons", "--really", "moor"]).0 && file.exists());
    let held = dot_reach_store::Store::open(&file).unwrap();
    assert!(
        said(&["delete", "moor-sons", "--really", "moor-sons"])
            .1
            .contains("in use by another server")
    );
    drop(held);
    let second_of = second.to_string_lossy().into_owned();
    let (done, told) =
        said(&["delete", "moor-sons", "--really", "moor-sons", "--sync", &second_of]);
    assert!(done && told.contains("yours to delete") && !file.exists(), "{told}");
    assert_eq!(std::fs::read_dir(&second).unwrap().count(), 0, "nor is anything of it left there");
    assert_eq!(said(&["list"]).1, "");
}

#[test]
fn told_to_end_it_says_so_to_a_proxy_and_answers_for_a_while() {
    let folder = tempfile::tempdir().unwrap();
    let mut hosted = Hosted::start(&folder.path().to_string_lossy(), &["--drain-seconds", "5"]);
    let client = common::Client { address: hosted.address.clone() };
    assert_eq!(client.get("/readyz").status, 200);
    assert!(
        Command::new("kill")
            .args(["-TERM", &hosted.child.id().to_string()])
            .status()
            .unwrap()
            .success()
    );
    let ends = (0..120).any(|_| {
        std::thread::sleep(std::time::Duration::from_millis(25));
        client.get("/readyz").status == 503
    });
    assert!(ends, "it never said that it ends");
    assert_eq!(client.get("/healthz").status, 200, "and is well until then");
    assert!(hosted.child.wait().unwrap().success());
}

#[test]
fn copies_of_all_firms_are_made_by_the_clock_and_each_comes_back_by_itself() {
    let (folder, copies) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let data = folder.path().to_string_lossy().into_owned();
    for name in ["Quay", "Moor"] {
        assert!(run(&["firms", "--data", &data, "add", name]).status.success());
    }
    let file = |firm: &str| folder.path().join(format!("firms/{firm}.db"));
    let store = dot_reach_store::Store::open(&file("quay")).unwrap();
    let job = dot_reach_standin::houses::named("quay-court").unwrap();
    store.create_told(&job.site, &job.record, None, "2026-03-12T17:00:00Z").unwrap();
    drop(store);
    let kept = copies.path().to_string_lossy().into_owned();
    let mut server = Command::new(env!("CARGO_BIN_EXE_dot-reach"))
        .args(["serve", "--data", &data, "--port", "0", "--backups", &kept, "--backup-keep", "2"])
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let names = || -> Vec<String> {
        let all = std::fs::read_dir(copies.path()).unwrap();
        let mut all: Vec<String> =
            all.map(|e| e.unwrap().file_name().to_string_lossy().into_owned()).collect();
        all.sort();
        all
    };
    let is_whole = |all: &[String]| all.len() == 2 && all.iter().all(|name| name.ends_with("Z.db"));
    let mut waited = 0;
    while !is_whole(&names()) && waited < 200 {
        std::thread::sleep(std::time::Duration::from_millis(50));
        waited += 1;
    }
    server.kill().unwrap();
    server.wait().unwrap();
    // A firm that nobody has come to yet has no file, and no copy.
    let all = names();
    assert!(all[0].starts_with("accounts-") && all[1].starts_with("quay-"), "{all:?}");
    let copy = copies.path().join(&all[1]).to_string_lossy().into_owned();
    let db = file("quay").to_string_lossy().into_owned();
    let told = run(&["restore", "--db", &db, &copy, "--rehearse"]);
    assert!(String::from_utf8_lossy(&told.stdout).contains("Flat 12, Quay Court"));
    assert!(run(&["restore", "--db", &db, &copy]).status.success());
    let accounts = dot_reach_accounts::Accounts::open(&copies.path().join(&all[0])).unwrap();
    assert_eq!(accounts.firms().unwrap().len(), 2);
}

#[test]
fn two_nodes_never_serve_one_folder_and_whoever_lost_the_lease_ends() {
    let folder = tempfile::tempdir().unwrap();
    let lease = folder.path().join("lease.json").to_string_lossy().into_owned();
    let node = |name: &str| {
        let data = folder.path().join(name).to_string_lossy().into_owned();
        let mut program = Command::new(env!("CARGO_BIN_EXE_dot-reach"));
        program.args(["serve", "--data", &data, "--port", "0", "--lease", &lease, "--node", name]);
        program.stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap()
    };
    // Kept open: a program of which nobody reads on what it prints ends quietly.
    let mut heard = Vec::new();
    let mut ready = |child: &mut std::process::Child| {
        let (mut line, mut out) = (String::new(), BufReader::new(child.stdout.take().unwrap()));
        out.read_line(&mut line).unwrap();
        heard.push(out);
        line.contains("ready at")
    };
    let mut one = node("one");
    assert!(ready(&mut one));
    let mut two = node("two");
    std::thread::sleep(std::time::Duration::from_secs(7));
    assert!(two.try_wait().unwrap().is_none(), "it waits");
    let held = || std::fs::read_to_string(&lease).unwrap();
    assert!(held().contains("\"one\""), "longer than a term, and renewed: {}", held());
    // The first is gone: the second comes once the term is over, not before.
    let begun = std::time::Instant::now();
    one.kill().unwrap();
    one.wait().unwrap();
    assert!(ready(&mut two));
    let waited = begun.elapsed();
    assert!(waited > std::time::Duration::from_secs(3), "{waited:?}");
    assert!(held().contains("\"two\""));
    // Somebody else has it all at once, as where a machine came back: whoever had it ends by itself.
    std::fs::write(&lease, "{\"node\":\"three\",\"until_ms\":99999999999999}").unwrap();
    assert_eq!(two.wait().unwrap().code(), Some(3));
}
