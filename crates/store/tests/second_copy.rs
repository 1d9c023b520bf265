//! A second copy in another folder: at each moment it has everything that was acknowledged, and is a sound file by itself.
#![expect(clippy::unwrap_used, reason = "a folder of a test that cannot be written has failed it")]

use std::path::{Path, PathBuf};
use std::time::Duration;

use dot_reach_core::site::{Edit, Kind};
use dot_reach_standin::houses::quay_court;
use dot_reach_store::{Command, JobId, Store, StoreError};
use rusqlite::Connection;
use rusqlite::types::Value;
use serde_json::json;

struct Both {
    folder: tempfile::TempDir,
    file: PathBuf,
    copy: PathBuf,
}

impl Both {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let (file, copy) = (folder.path().join("firm.db"), folder.path().join("elsewhere"));
        Self { folder, file, copy }
    }

    fn open(&self) -> Store {
        Store::open_with_copy(&self.file, &self.copy).unwrap()
    }

    /// What another machine would find, had this one gone at this moment.
    fn found_elsewhere(&self) -> Vec<String> {
        let there = tempfile::tempdir_in(self.folder.path()).unwrap();
        for entry in std::fs::read_dir(&self.copy).unwrap() {
            let entry = entry.unwrap();
            std::fs::copy(entry.path(), there.path().join(entry.file_name())).unwrap();
        }
        all_of(&there.path().join("firm.db"))
    }

    fn are_alike(&self) {
        assert_eq!(self.found_elsewhere(), all_of(&self.file));
    }
}

/// Every row of every table.
fn all_of(file: &Path) -> Vec<String> {
    let db = Connection::open(file).unwrap();
    let sound: String = db.query_row("PRAGMA integrity_check", [], |row| row.get(0)).unwrap();
    assert_eq!(sound, "ok");
    let mut names =
        db.prepare("SELECT name FROM sqlite_schema WHERE type = 'table' ORDER BY name").unwrap();
    let names: Vec<String> =
        names.query_map([], |row| row.get(0)).unwrap().map(Result::unwrap).collect();
    let mut all = Vec::new();
    for name in names {
        let mut read = db.prepare(&format!("SELECT * FROM {name} ORDER BY 1, 2")).unwrap();
        let width = read.column_count();
        let mut rows = read.query([]).unwrap();
        while let Some(row) = rows.next().unwrap() {
            let values: Vec<Value> = (0..width).map(|n| row.get(n).unwrap()).collect();
            all.push(format!("{name} {values:?}"));
        }
    }
    all
}

fn moved(store: &Store, id: &JobId, n: u32) -> Result<(), StoreError> {
    let command = Command {
        edit_id: format!("e{n}"),
        client: "window".to_owned(),
        who: "Tester".to_owned(),
        author: "name:Tester".to_owned(),
        at: "2026-03-14T10:00:00Z".to_owned(),
        base: None,
        force: false,
    };
    let edit = Edit::set(
        Kind::Job,
        &"job",
        "note",
        json!(format!("note {n} {}", "x".repeat(n as usize % 60 * 40))),
    );
    store.edit(id, &command, &edit).map(drop)
}

#[test]
fn whatever_was_acknowledged_is_in_the_copy_at_that_moment() {
    let both = Both::new();
    let store = both.open();
    both.are_alike();
    let id = store.create(&quay_court(), "2026-03-14T09:00:00Z").unwrap();
    both.are_alike();
    for n in 0..60 {
        moved(&store, &id, n).unwrap();
        both.are_alike();
        // What was written goes into the file when nobody writes for a while; the log begins anew after that.
        if n % 20 == 10 {
            std::thread::sleep(Duration::from_millis(900));
        }
    }
    // It is closed and opened again, and goes on.
    store.close();
    drop(store);
    both.are_alike();
    let store = both.open();
    moved(&store, &id, 100).unwrap();
    both.are_alike();
    assert!(both.found_elsewhere().iter().any(|row| row.contains("note 100 ")));
}

#[test]
fn a_copy_over_the_file_itself_is_refused_and_the_file_stays() {
    let both = Both::new();
    drop(Store::open(&both.file).unwrap());
    let before = all_of(&both.file);
    let roundabout = both.folder.path().join("elsewhere/..");
    std::fs::create_dir(&both.copy).unwrap();
    for folder in [both.folder.path(), &roundabout] {
        let refused = Store::open_with_copy(&both.file, folder);
        assert!(matches!(refused, Err(StoreError::OnItself(_))));
    }
    assert_eq!(all_of(&both.file), before);
}

#[test]
fn what_another_program_wrote_is_found_out_and_comes_along() {
    let both = Both::new();
    let store = both.open();
    let id = store.create(&quay_court(), "2026-03-14T09:00:00Z").unwrap();
    let other = Connection::open(&both.file).unwrap();
    other
        .execute_batch(
            "CREATE TABLE of_another (n INTEGER, m INTEGER); INSERT INTO of_another VALUES (7, 1)",
        )
        .unwrap();
    moved(&store, &id, 1).unwrap();
    both.are_alike();
    // Even where it brought the log into the file and began it anew between two changes.
    for n in 2..5 {
        other
            .execute_batch("PRAGMA wal_checkpoint(TRUNCATE); INSERT INTO of_another VALUES (8, 1)")
            .unwrap();
        other
            .execute_batch("PRAGMA wal_checkpoint(TRUNCATE); INSERT INTO of_another VALUES (9, 1)")
            .unwrap();
        moved(&store, &id, n).unwrap();
        both.are_alike();
    }
}

#[test]
fn where_the_copy_cannot_be_written_nothing_is_acknowledged_until_it_can() {
    let both = Both::new();
    let store = both.open();
    let id = store.create(&quay_court(), "2026-03-14T09:00:00Z").unwrap();
    moved(&store, &id, 1).unwrap();
    // The place is gone, and something else stands there.
    let away = both.folder.path().join("away");
    std::fs::rename(&both.copy, &away).unwrap();
    std::fs::write(&both.copy, "no folder").unwrap();
    // The piece of the log that is open still goes to where it was: the log begins anew first.
    std::thread::sleep(Duration::from_millis(900));
    assert!(moved(&store, &id, 2).is_err());
    // The same once more is no way round it.
    assert!(moved(&store, &id, 2).is_err());
    std::fs::remove_file(&both.copy).unwrap();
    std::fs::rename(&away, &both.copy).unwrap();
    moved(&store, &id, 2).unwrap();
    both.are_alike();
    moved(&store, &id, 3).unwrap();
    both.are_alike();
}
