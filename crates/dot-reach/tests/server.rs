//! The server as the network sees it: who is let in, what it answers, what survives its death.
#![expect(clippy::unwrap_used, reason = "a server that does not answer has failed the test")]

mod common;

use common::Server;
use serde_json::json;

#[test]
fn every_answer_carries_the_content_policy() {
    let server = Server::start(&["demo"]);
    for path in ["/", "/jobs/larkfield-mill/reach", "/assets/app.css", "/nowhere"] {
        let head = server.get(path).head.to_lowercase();
        assert!(
            head.contains("content-security-policy: default-src 'none'; script-src 'self'"),
            "{path}: {head}"
        );
        assert!(head.contains("x-content-type-options: nosniff"), "{path}");
        assert!(!head.contains("unsafe-"), "{path}");
    }
}

#[test]
fn foreign_names_and_foreign_pages_are_turned_away() {
    let server = Server::start(&["demo"]);
    let ask = |method: &str, headers: &str| {
        server.ask(method, "/jobs/larkfield-mill/undo", headers, "{}").map(|a| a.status)
    };
    assert_eq!(server.ask("GET", "/", "host: evil.example\r\n", "").map(|a| a.status), Some(403));
    assert_eq!(ask("POST", "origin: http://evil.example\r\n"), Some(403));
    assert_eq!(ask("POST", "sec-fetch-site: cross-site\r\n"), Some(403));
    let live = "origin: http://evil.example\r\nupgrade: websocket\r\n";
    let answer = server.ask("GET", "/jobs/larkfield-mill/live", live, "");
    assert_eq!(answer.map(|a| a.status), Some(403));
}

#[test]
fn what_is_not_there_is_404_and_what_is_wrong_is_422_beside_its_field() {
    let server = Server::start(&["demo"]);
    assert_eq!(server.get("/jobs/nowhere/reach").status, 404);
    assert_eq!(server.get("/jobs/..%2f..%2fetc/reach").status, 404);
    assert_eq!(server.get("/images/0123").status, 404);
    let edit = json!({
        "edit": {"do": "put", "kind": "wall", "value": {"id": "w", "floor": "ground", "a": [1, 1], "b": [1, 1], "construction": "stud-wall"}},
        "edit_id": "e1", "client": "c",
    });
    let answer = server.post("/jobs/larkfield-mill/edits", &edit).unwrap();
    assert_eq!(answer.status, 422);
    let told: serde_json::Value = serde_json::from_str(&answer.body).unwrap();
    assert_eq!(told["field"], "length");
    assert_eq!(told["message"], "a wall must be at least 5 cm long; this one is 0.00 m");
    let nothing_to_undo =
        server.post("/jobs/larkfield-mill/undo", &json!({"client": "c", "edit_id": "u"}));
    assert_eq!(nothing_to_undo.unwrap().status, 409);
}

fn moved(n: u32) -> serde_json::Value {
    json!({
        "edit": {"do": "set", "kind": "point", "id": "kit-isle", "field": "at", "value": [1.0 + f64::from(n) / 1000.0, 2.0]},
        "edit_id": format!("e{n}"), "client": "c",
    })
}

/// A file with the Mill in it.
fn with_mill(folder: &std::path::Path) -> String {
    let file = folder.join("jobs.db").to_str().unwrap().to_owned();
    let job_file = folder.join("mill.json");
    std::fs::write(&job_file, common::run(&["standin"]).stdout).unwrap();
    let imported = common::run(&["import", "--db", &file, job_file.to_str().unwrap()]);
    assert!(imported.status.success());
    file
}

/// Makes edits from another thread until the server dies under them; the number of the last that was
/// acknowledged. Comes back once some were.
fn edits_from(server: &Server, first: u32) -> std::thread::JoinHandle<u32> {
    let client = server.client.clone();
    let (tell, told) = std::sync::mpsc::channel();
    let writer = std::thread::spawn(move || {
        let taken = |n: &u32| {
            let answer = client.post("/jobs/larkfield-mill/edits", &moved(*n));
            let _ = tell.send(());
            answer.is_some_and(|a| a.status == 200)
        };
        (first..100_000).take_while(taken).last().unwrap_or(first - 1)
    });
    for _ in 0..5 {
        told.recv().unwrap();
    }
    writer
}

/// Which edit the file holds: the last that was acknowledged, or the one that was under way.
fn held(file: &str, last: u32) -> u32 {
    let kept = common::run(&["export", "--db", file, "larkfield-mill"]);
    let kept: serde_json::Value = serde_json::from_slice(&kept.stdout).unwrap();
    let points = kept["site"]["points"].as_array().unwrap();
    let at = points.iter().find(|p| p["id"] == "kit-isle").unwrap()["at"][0].as_f64().unwrap();
    let n = ((at - 1.0) * 1000.0).round();
    assert!((f64::from(last)..=f64::from(last + 1)).contains(&n), "{n} of {last}");
    if n > f64::from(last) { last + 1 } else { last }
}

#[test]
fn a_server_killed_in_mid_edit_has_every_acknowledged_edit() {
    let folder = tempfile::tempdir().unwrap();
    let file = with_mill(folder.path());
    let mut acknowledged = 0;
    for round in 1..=3u32 {
        let mut server = Server::start(&["serve", "--db", &file]);
        let writer = edits_from(&server, acknowledged + 1);
        server.child.kill().unwrap();
        let last = writer.join().unwrap();
        assert!(last > acknowledged, "round {round} took no edit before the kill");
        acknowledged = held(&file, last);
    }
}

#[test]
fn a_server_that_is_told_to_stop_leaves_one_file_and_no_long_work_holds_it_up() {
    let folder = tempfile::tempdir().unwrap();
    let file = with_mill(folder.path());
    let mut server = Server::start(&["serve", "--db", &file]);
    let made = server.post("/jobs", &json!({"name": "Crowd", "region": "eu", "confidence": 0.95}));
    assert_eq!(made.unwrap().status, 200);
    let sent = json!({"edit": crowded(), "edit_id": "1", "client": "c"});
    assert_eq!(server.post("/jobs/crowd/edits", &sent).unwrap().status, 200);
    // Pages that take minutes each.
    for page in ["reach", "install", "handover", "prove"] {
        let client = server.client.clone();
        std::thread::spawn(move || client.ask("GET", &format!("/jobs/crowd/{page}"), "", ""));
    }
    while !server.get("/metrics").body.contains("dot_reach_work_running 1") {
        std::thread::yield_now();
    }
    let writer = edits_from(&server, 1);
    let id = server.child.id().to_string();
    assert!(std::process::Command::new("kill").args(["-TERM", &id]).status().unwrap().success());
    let ended = server.child.wait().unwrap();
    assert!(ended.success(), "{ended}");
    let last = writer.join().unwrap();
    // Copied alone, without what SQLite may keep beside it.
    let copy = folder.path().join("copy.db");
    std::fs::copy(&file, &copy).unwrap();
    held(copy.to_str().unwrap(), last);
}

#[test]
fn a_full_disk_is_said_and_nothing_is_acknowledged_that_is_not_kept() {
    let folder = tempfile::tempdir().unwrap();
    let file = with_mill(folder.path());
    let server = Server::cramped(&["serve", "--db", &file], 6 * 1024);
    let text = "x".repeat(3_900);
    let note = |n: u32| {
        json!({"edit": {"do": "set", "kind": "job", "id": "job", "field": "note", "value": format!("{n} {text}")},
            "edit_id": format!("n{n}"), "client": "c"})
    };
    let mut kept = 0;
    let refused = loop {
        let answer = server.post("/jobs/larkfield-mill/edits", &note(kept + 1)).unwrap();
        match answer.status {
            200 => kept += 1,
            _ => break answer,
        }
        assert!(kept < 3_000, "the disk is never full");
    };
    assert_eq!(refused.status, 503, "{}", refused.body);
    assert!(refused.body.contains("nothing of this was kept"), "{}", refused.body);
    assert_eq!(server.get("/healthz").status, 503);
    // What is there can still be read.
    let read = server.get("/jobs/larkfield-mill/larkfield-mill.json");
    let read: serde_json::Value = serde_json::from_str(&read.body).unwrap();
    assert!(read["site"]["job"]["note"].as_str().unwrap().starts_with(&format!("{kept} ")));
}

/// A house of many devices and openings: a page of it takes minutes of work.
fn crowded() -> serde_json::Value {
    let opening = |n: u32| {
        json!({"id": format!("o{n}"), "kind": "open", "construction": "", "sill_m": 0.0, "start_m": f64::from(n % 48) + 0.2,
               "width_m": 0.5, "height_m": 2.0})
    };
    let walls: Vec<_> = (0..10)
        .map(|w| {
            json!({"id": format!("w{w}"), "floor": "g", "a": [0.0, f64::from(w)],
                   "b": [50.0, f64::from(w)], "construction": "brick-102",
                   "openings": (0..48).map(|n| opening(w * 48 + n)).collect::<Vec<_>>()})
        })
        .collect();
    let point = |n: u32| {
        json!({"id": format!("p{n}"), "name": "P", "floor": "g", "kind": "shelf", "height_m": 1.0,
               "at": [f64::from(n % 40) + 0.3, f64::from(n / 40) + 0.4]})
    };
    let device = |n: u32| {
        json!({"id": format!("d{n}"), "name": "D", "point": format!("p{n}"), "network": "z",
               "kind": "plug-socket"})
    };
    json!({"do": "batch", "edits": [
        {"do": "put", "kind": "floor", "value": {"id": "g", "name": "Ground", "elevation_m": 0.0, "height_m": 2.5}},
        {"do": "put", "kind": "network", "value": {"id": "z", "name": "Z", "system": "zigbee"}},
        {"do": "batch", "edits": walls.into_iter().map(|w| json!({"do": "put", "kind": "wall", "value": w})).collect::<Vec<_>>()},
        {"do": "batch", "edits": (0..400).map(|n| json!({"do": "put", "kind": "point", "value": point(n)})).collect::<Vec<_>>()},
        {"do": "batch", "edits": (0..400).map(|n| json!({"do": "put", "kind": "device", "value": device(n)})).collect::<Vec<_>>()},
    ]})
}

#[test]
fn work_for_a_page_stops_when_whoever_asked_has_left() {
    use std::io::Write;
    let server = Server::start(&["demo"]);
    let made = server.post("/jobs", &json!({"name": "Crowd", "region": "eu", "confidence": 0.95}));
    assert_eq!(made.unwrap().status, 200);
    let sent = json!({"edit": crowded(), "edit_id": "1", "client": "c"});
    let taken = server.post("/jobs/crowd/edits", &sent).unwrap();
    assert_eq!(taken.status, 200, "{}", taken.body);
    let running = || server.get("/metrics").body.contains("dot_reach_work_running 1");
    let within = |seconds: u64, wanted: bool| {
        let begun = std::time::Instant::now();
        while running() != wanted {
            assert!(begun.elapsed().as_secs() < seconds, "still {}", !wanted);
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
    };
    let mut leaver = std::net::TcpStream::connect(&server.address).unwrap();
    write!(leaver, "GET /jobs/crowd/reach HTTP/1.1\r\nhost: {}\r\n\r\n", server.address).unwrap();
    within(20, true);
    std::thread::sleep(std::time::Duration::from_millis(100));
    assert!(running(), "a page of it takes longer than that");
    drop(leaver);
    within(15, false);
}

#[test]
fn a_job_file_is_brought_in_as_a_new_job_and_a_broken_one_is_refused_beside_its_field() {
    let server = Server::start(&["demo"]);
    let import = |text: &str| {
        let headers = format!(
            "origin: http://{}\r\ncontent-type: multipart/form-data; boundary=x\r\n",
            server.address
        );
        let head = "--x\r\ncontent-disposition: form-data; name=\"file\"; filename=\"job.json\"";
        let body = format!("{head}\r\ncontent-type: application/json\r\n\r\n{text}\r\n--x--\r\n");
        server.ask("POST", "/jobs/import", &headers, &body).unwrap()
    };
    let file = server.get("/jobs/larkfield-mill/larkfield-mill.json").body;
    let made = import(&file);
    assert_eq!(made.status, 200, "{}", made.body);
    let made: serde_json::Value = serde_json::from_str(&made.body).unwrap();
    assert_eq!(made["location"], "/jobs/larkfield-mill-2/reach");
    let copy = server.get("/jobs/larkfield-mill-2/larkfield-mill-2.json").body;
    let all_but_its_id = |file: &str| {
        let mut job: serde_json::Value = serde_json::from_str(file).unwrap();
        (job.as_object_mut().unwrap().remove("id"), job)
    };
    let ((id, whole), (other, copied)) = (all_but_its_id(&file), all_but_its_id(&copy));
    assert_eq!(whole, copied);
    assert!(id.is_some() && other.is_some() && id != other, "a copy is a job of its own");
    let refused = import("{}");
    assert_eq!(refused.status, 422);
    assert!(refused.body.contains("\"field\":\"file\""), "{}", refused.body);
    assert_eq!(server.get("/imports/999").status, 404);
}
