//! Copies of a database: sound though it was in use, brought back whole or not at all, so many kept.
#![expect(clippy::unwrap_used, reason = "a folder of a test that cannot be written has failed it")]

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};

use dot_reach_core::site::{Edit, Kind};
use dot_reach_standin::houses::larkfield_mill;
use dot_reach_store::{
    Backups, Command, JobId, Store, StoreError, backup, check, read_copy, rehearse, restore,
};
use serde_json::json;

fn command(edit_id: String) -> Command {
    Command {
        edit_id,
        client: "window".to_owned(),
        who: "Tester".to_owned(),
        author: "name:Tester".to_owned(),
        at: "2026-03-14T10:00:00Z".to_owned(),
        base: None,
        force: false,
    }
}

fn moved(store: &Store, id: &JobId, n: u32) {
    let edit = Edit::set(Kind::Point, &"kit-isle", "at", json!([1.0 + f64::from(n) / 100.0, 3.0]));
    store.edit(id, &command(format!("e{n}")), &edit).unwrap();
}

/// A folder with a database of one job, moved so often.
fn kept(times: u32) -> (tempfile::TempDir, PathBuf, JobId) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("jobs.db");
    let store = Store::open(&file).unwrap();
    let id = store.create(&larkfield_mill(), "2026-03-14T09:00:00Z").unwrap();
    (0..times).for_each(|n| moved(&store, &id, n));
    (folder, file, id)
}

fn revision(file: &Path, id: &JobId) -> u64 {
    read_copy(file).unwrap().open_job(id).unwrap().revision
}

fn names(folder: &Path) -> Vec<String> {
    let all = std::fs::read_dir(folder).unwrap();
    let mut all: Vec<String> =
        all.map(|e| e.unwrap().file_name().to_string_lossy().into_owned()).collect();
    all.sort();
    all
}

#[test]
fn copies_that_are_made_while_somebody_writes_are_sound_and_one_file_each() {
    let (folder, file, id) = kept(1);
    let store = Store::open(&file).unwrap();
    let is_over = AtomicBool::new(false);
    std::thread::scope(|scope| {
        scope.spawn(|| {
            let mut n = 0;
            while !is_over.load(Ordering::Relaxed) {
                n += 1;
                moved(&store, &id, n);
            }
        });
        let mut last = 0;
        for n in 0..4 {
            let to = folder.path().join(format!("copy-{n}.db"));
            backup(&file, &to).unwrap();
            assert_eq!(check(&to).unwrap(), Vec::<String>::new());
            let now = revision(&to, &id);
            assert!(now >= last, "a later copy holds no less");
            last = now;
        }
        is_over.store(true, Ordering::Relaxed);
    });
    let copies = names(folder.path()).into_iter().filter(|n| n.starts_with("copy"));
    assert_eq!(copies.collect::<Vec<_>>(), ["copy-0.db", "copy-1.db", "copy-2.db", "copy-3.db"]);
}

#[test]
fn a_copy_with_which_anything_is_wrong_is_neither_kept_nor_brought_back() {
    let (folder, file, id) = kept(3);
    let copy = folder.path().join("copy.db");
    backup(&file, &copy).unwrap();
    let db = rusqlite::Connection::open(&copy).unwrap();
    db.execute(
        "UPDATE thing SET body = json_set(body, '$.at', json('[1.0, 1.0]')) WHERE id = 'kit-isle'",
        [],
    )
    .unwrap();
    drop(db);
    let again = folder.path().join("again.db");
    assert!(matches!(backup(&copy, &again), Err(StoreError::Unsound { .. })));
    assert!(matches!(restore(&copy, &file), Err(StoreError::Unsound { .. })));
    assert!(matches!(rehearse(&copy), Err(StoreError::Unsound { .. })));
    assert!(!again.exists());
    assert_eq!(revision(&file, &id), 3, "all is as it was");
    // Half a file is none either.
    let whole = std::fs::read(&file).unwrap();
    std::fs::write(&copy, &whole[..whole.len() / 2]).unwrap();
    assert!(restore(&copy, &file).is_err());
    assert_eq!(revision(&file, &id), 3);
    assert!(names(folder.path()).iter().all(|n| !n.contains(".part")));
}

#[test]
fn what_is_brought_back_takes_the_place_of_what_was_there_which_is_kept_beside_it() {
    let (folder, file, id) = kept(2);
    let copy = folder.path().join("copy.db");
    backup(&file, &copy).unwrap();
    let store = Store::open(&file).unwrap();
    (2..5).for_each(|n| moved(&store, &id, n));
    assert!(matches!(restore(&copy, &file), Err(StoreError::InUse(_))), "a server has it open");
    drop(store);
    assert_eq!(rehearse(&copy).unwrap(), [larkfield_mill().job.name.clone()]);
    assert_eq!(revision(&file, &id), 5, "rehearsed, and nothing was put anywhere");
    let before = restore(&copy, &file).unwrap().unwrap();
    assert_eq!((revision(&file, &id), revision(&before, &id)), (2, 5));
    // Twice is twice: neither of those that were there is lost, and work goes on in what came back.
    let second = restore(&before, &file).unwrap().unwrap();
    assert_eq!((revision(&file, &id), revision(&second, &id)), (5, 2));
    moved(&Store::open(&file).unwrap(), &id, 9);
    assert_eq!(revision(&file, &id), 6);
    // Where nothing was, nothing is kept.
    let fresh = folder.path().join("fresh.db");
    assert_eq!(restore(&copy, &fresh).unwrap(), None);
    assert_eq!(revision(&fresh, &id), 2);
}

#[test]
fn a_file_of_a_newer_version_is_left_as_it_is_and_says_so() {
    let (folder, file, _) = kept(1);
    let db = rusqlite::Connection::open(&file).unwrap();
    db.pragma_update(None, "user_version", 99).unwrap();
    drop(db);
    let before = std::fs::read(&file).unwrap();
    let newer = |told: Result<(), StoreError>| {
        let why = told.unwrap_err();
        assert!(matches!(why, StoreError::Newer(_)), "{why}");
    };
    newer(Store::open(&file).map(|_| ()));
    newer(backup(&file, &folder.path().join("copy.db")));
    newer(rehearse(&file).map(|_| ()));
    newer(restore(&file, &folder.path().join("other.db")).map(|_| ()));
    assert_eq!(std::fs::read(&file).unwrap(), before);
}

#[test]
fn so_many_copies_stay_and_what_is_no_copy_of_this_stays_too() {
    let (folder, file, _) = kept(1);
    let copies = folder.path().join("copies");
    std::fs::create_dir(&copies).unwrap();
    for other in ["notes.txt", "jobs-of-another.db", "others-20260301T000000Z.db"] {
        std::fs::write(copies.join(other), "somebody's").unwrap();
    }
    let backups = Backups { of: file, folder: copies.clone(), keep: 3 };
    for day in 10..16 {
        backups.one_more(&format!("2026-03-{day}T02:00:00Z")).unwrap();
    }
    let all = backups.all().unwrap();
    let days: Vec<String> =
        all.iter().map(|p| p.file_name().unwrap().to_string_lossy().into_owned()).collect();
    assert_eq!(days, [13, 14, 15].map(|day| format!("jobs-202603{day}T020000Z.db")));
    assert_eq!(names(&copies).len(), 6);
    // One that cannot be made takes none away.
    assert!(backups.one_more("2026-03-15T02:00:00Z").is_err());
    assert_eq!(backups.all().unwrap().len(), 3);
}
