//! Killed again and again while several people write: nothing that was acknowledged is missing, nothing is there twice, and
//! the file is sound. `KILLS=1000 cargo test --release -p dot-reach --test kills -- --nocapture` does it for long.
#![expect(clippy::unwrap_used, reason = "a server that does not answer has failed the test")]

mod common;

use std::collections::BTreeSet;
use std::sync::mpsc::{Receiver, channel};
use std::thread::JoinHandle;
use std::time::Duration;

use common::{Client, Server, run};
use serde_json::{Value, json};

/// Without `KILLS` in the environment.
const USUAL: u32 = 12;
/// So often one file is killed under: then another, so that none grows without end.
const A_FILE: u32 = 25;
const AT: &str = "2026-03-14T10:00:00Z";

/// What one person writes, one after the other.
#[derive(Clone, Copy)]
enum Writes {
    /// A note of a place, over and over.
    Note(&'static str),
    /// Readings, each by its own id.
    Readings(&'static str),
}

const PEOPLE: [Writes; 4] = [
    Writes::Note("kit-isle"),
    Writes::Note("liv-main"),
    Writes::Readings("a"),
    Writes::Readings("b"),
];

impl Writes {
    fn name(self) -> &'static str {
        match self {
            Self::Note(name) | Self::Readings(name) => name,
        }
    }

    fn edit(self, n: u32) -> Value {
        let edit = match self {
            Self::Note(point) => {
                json!({"do": "set", "kind": "point", "id": point, "field": "note", "value": n.to_string()})
            }
            Self::Readings(of) => json!({"do": "put", "kind": "reading", "value": {
                "id": format!("k-{of}-{n}"), "from": "mesh-meter", "to": "mesh-kit-isle", "rssi_dbm": -70.0, "at": AT}}),
        };
        json!({"edit": edit, "edit_id": format!("{}-{n}", self.name()), "client": self.name()})
    }
}

/// Writes from another thread until the server is gone; the numbers that were acknowledged.
fn write(client: Client, of: Writes, first: u32) -> (JoinHandle<Vec<u32>>, Receiver<()>) {
    let (tell, told) = channel();
    let writer = std::thread::spawn(move || {
        let is_taken = |n: &u32| {
            let answer = client.post("/jobs/larkfield-mill/edits", &of.edit(*n));
            let is_taken = answer.is_some_and(|a| a.status == 200);
            let _nobody_waits = tell.send(());
            is_taken
        };
        (first..).take(100_000).take_while(is_taken).collect()
    });
    (writer, told)
}

/// What was acknowledged of one person: numbers, in order.
type Acknowledged = [Vec<u32>; PEOPLE.len()];

/// Kills a server under all of them, at some moment after each was heard.
fn killed(file: &str, round: u32, all: &mut Acknowledged) {
    let mut server = Server::start(&["serve", "--db", file]);
    let writers: Vec<_> = PEOPLE
        .into_iter()
        .zip(all.iter())
        // The one that was under way when it was killed may be there: the next is another.
        .map(|(of, known)| write(server.client.clone(), of, known.last().map_or(1, |n| n + 2)))
        .collect();
    for (_, told) in &writers {
        told.recv_timeout(Duration::from_secs(20)).unwrap();
    }
    std::thread::sleep(Duration::from_millis(u64::from(round * 37 % 90)));
    server.child.kill().unwrap();
    for ((writer, _), known) in writers.into_iter().zip(all.iter_mut()) {
        known.extend(writer.join().unwrap());
    }
}

/// Holds the file against what was acknowledged.
fn held(file: &str, all: &Acknowledged) {
    let checked = run(&["check", file]);
    assert!(checked.status.success(), "{}", String::from_utf8_lossy(&checked.stdout));
    let kept: Value =
        serde_json::from_slice(&run(&["export", "--db", file, "larkfield-mill"]).stdout).unwrap();
    let entries = kept["record"].as_array().unwrap().iter();
    let readings: Vec<&str> = entries
        .filter_map(|entry| entry["what"]["id"].as_str())
        .filter(|id| id.starts_with("k-"))
        .collect();
    let once: BTreeSet<&str> = readings.iter().copied().collect();
    assert_eq!(once.len(), readings.len(), "a reading is there twice");
    for (of, known) in PEOPLE.into_iter().zip(all) {
        match of {
            Writes::Readings(name) => {
                let missing: Vec<u32> = known
                    .iter()
                    .copied()
                    .filter(|n| !once.contains(format!("k-{name}-{n}").as_str()))
                    .collect();
                assert_eq!(missing, Vec::<u32>::new(), "readings of {name}");
            }
            Writes::Note(point) => {
                let points = kept["site"]["points"].as_array().unwrap();
                let note =
                    points.iter().find(|p| p["id"] == point).unwrap()["note"].as_str().unwrap();
                let last = known.last().copied().unwrap();
                let now: u32 = note.parse().unwrap();
                assert!(now == last || now == last + 1, "{point}: {now}, acknowledged {last}");
            }
        }
    }
}

#[test]
fn whatever_was_acknowledged_is_there_however_often_it_is_killed() {
    let kills: u32 = std::env::var("KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(USUAL);
    let (mut round, mut acknowledged) = (0, 0);
    while round < kills {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
        let (file, job) = (at("jobs.db"), at("mill.json"));
        std::fs::write(&job, run(&["standin"]).stdout).unwrap();
        assert!(run(&["import", "--db", &file, &job]).status.success());
        let mut all = Acknowledged::default();
        for _ in 0..A_FILE.min(kills - round) {
            killed(&file, round, &mut all);
            round += 1;
        }
        held(&file, &all);
        acknowledged += all.iter().map(Vec::len).sum::<usize>();
    }
    println!(
        "killed {round} times under {} people: {acknowledged} changes acknowledged, none missing",
        PEOPLE.len()
    );
    assert!(
        acknowledged >= usize::try_from(kills).unwrap() * PEOPLE.len() / 2,
        "too few to tell: {acknowledged}"
    );
}
