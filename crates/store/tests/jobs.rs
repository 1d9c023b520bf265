//! What the store keeps is what was acknowledged, in its order, and it can all be taken back.

use dot_reach_core::record::{Entry, Prepared, Record, What};
use dot_reach_core::site::{Edit, Kind, Site, apply};
use dot_reach_standin::houses::larkfield_mill;
use dot_reach_store::{
    Command, Committed, Image, JobId, Reads, Store, StoreError, backup, check, read_copy,
};
use proptest::prelude::*;
use serde_json::{Value, json};

/// A command of one person at one window.
fn by(who: &str, client: &str, edit_id: &str) -> Command {
    Command {
        edit_id: edit_id.to_owned(),
        client: client.to_owned(),
        who: who.to_owned(),
        author: format!("name:{who}"),
        at: "2026-03-14T10:00:00Z".to_owned(),
        base: None,
        force: false,
    }
}

fn command(edit_id: &str) -> Command {
    by("Tester", "window-1", edit_id)
}

#[expect(clippy::needless_pass_by_value, reason = "edits are made where they are asked for")]
fn make(store: &Store, id: &JobId, command: &Command, edit: Edit) -> Result<Committed, StoreError> {
    store.edit(id, command, &edit)
}

#[expect(clippy::unwrap_used, reason = "the demo job is in every store of these tests")]
fn mill(store: &Store) -> JobId {
    store.create(&larkfield_mill(), "2026-03-14T09:00:00Z").unwrap()
}

fn set(kind: Kind, id: &str, field: &str, value: impl Into<Value>) -> Edit {
    Edit::set(kind, &id, field, value)
}

/// Moves, removals and storeys of the Mill; some are refused.
fn any_edit() -> impl Strategy<Value = Edit> {
    let site = larkfield_mill();
    let points: Vec<_> = site.points.iter().map(|p| p.id.clone()).collect();
    let walls: Vec<_> = site.walls.iter().map(|w| w.id.clone()).collect();
    let moved = (prop::sample::select(points.clone()), 0.5..17.5f64, 0.5..8.5f64)
        .prop_map(|(id, x, y)| set(Kind::Point, id.as_str(), "at", json!([x, y])));
    let removed = prop::sample::select(points).prop_map(|id| Edit::remove(Kind::Point, &id));
    let wall = prop::sample::select(walls).prop_map(|id| Edit::remove(Kind::Wall, &id));
    let storey = Just(Edit::remove(Kind::Floor, &"first"));
    let region = prop::sample::select(vec!["us", "jp", "uk"])
        .prop_map(|region| set(Kind::Job, "job", "region", region));
    prop_oneof![4 => moved, 1 => removed, 2 => wall, 1 => storey, 1 => region]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]
    #[test]
    fn a_reopened_file_holds_every_acknowledged_edit_and_undoes_them_all(
        edits in prop::collection::vec(any_edit(), 1..12),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("jobs.db");
        let store = Store::open(&file).unwrap();
        let id = mill(&store);
        let mut site: Site = larkfield_mill();
        let mut taken = 0;
        for (n, edit) in edits.iter().enumerate() {
            let kept = make(&store, &id, &command(&format!("e{n}")), edit.clone());
            prop_assert_eq!(kept.is_ok(), apply(&mut site, edit).is_ok());
            taken += u64::from(kept.is_ok());
        }
        drop(store);
        let store = Store::open(&file).unwrap();
        let (kept, revision) = store.site(&id).unwrap();
        prop_assert_eq!(&*kept, &site);
        prop_assert_eq!(revision, taken);
        for n in 0..taken {
            store.undo(&id, &command(&format!("u{n}"))).unwrap();
        }
        prop_assert_eq!(&*store.site(&id).unwrap().0, &larkfield_mill());
        for n in 0..taken {
            store.redo(&id, &command(&format!("r{n}"))).unwrap();
        }
        prop_assert_eq!(&*store.site(&id).unwrap().0, &site);
    }
}

fn moved(x: f64) -> Edit {
    set(Kind::Point, "kit-isle", "at", json!([x, 2.0]))
}

#[test]
fn a_repeated_edit_undo_or_redo_answers_the_receipt_of_the_first_time() {
    let store = Store::fleeting().unwrap();
    let id = mill(&store);
    let phone = |edit_id: &str| by("Ann", "phone", edit_id);
    let desk = |edit_id: &str| by("Ben", "desk", edit_id);
    let first = make(&store, &id, &phone("p1"), moved(2.0)).unwrap();
    make(&store, &id, &desk("d1"), set(Kind::Job, "job", "note", "seen")).unwrap();
    // The answer was lost on the way; meanwhile the desk has moved on.
    let again = make(&store, &id, &phone("p1"), moved(2.0)).unwrap();
    assert_eq!((first.revision, again.revision, again.again), (1, 1, true));
    assert_eq!(first.touched, again.touched);
    make(&store, &id, &phone("p2"), moved(3.0)).unwrap();
    let undone = store.undo(&id, &phone("u1")).unwrap();
    let repeated = store.undo(&id, &phone("u1")).unwrap();
    assert_eq!((undone.revision, repeated.revision, repeated.again), (4, 4, true));
    let redone = store.redo(&id, &phone("r1")).unwrap();
    let repeated = store.redo(&id, &phone("r1")).unwrap();
    assert_eq!((redone.revision, repeated.revision, repeated.again), (5, 5, true));
    assert_eq!(store.journal(&id, u64::MAX, 10).unwrap().len(), 5);
    for wrong in ["", &"x".repeat(65)] {
        assert!(matches!(make(&store, &id, &phone(wrong), moved(4.0)), Err(StoreError::EditId)));
    }
}

#[test]
fn a_base_that_was_rendered_before_anothers_edit_still_conflicts_after_a_repeat() {
    let store = Store::fleeting().unwrap();
    let id = mill(&store);
    let phone = |edit_id: &str, base| Command { base: Some(base), ..by("Ann", "phone", edit_id) };
    make(&store, &id, &phone("p1", 0), moved(2.0)).unwrap();
    make(&store, &id, &by("Ben", "desk", "d1"), moved(5.0)).unwrap();
    let receipt = make(&store, &id, &phone("p1", 0), moved(2.0)).unwrap();
    let next = make(&store, &id, &phone("p2", receipt.revision), moved(2.5));
    let Err(StoreError::Conflict(conflict)) = next else { panic!("it saw no revision 2") };
    assert_eq!(
        conflict.to_string(),
        "Ben changed Kitchen island (place) after you saw it (revision 2). Theirs: 5.0 m right, 2.0 m down; \
         yours: 2.5 m right, 2.0 m down. Keep yours or take theirs"
    );
}

#[test]
fn two_people_at_two_fields_of_one_point_do_not_meet() {
    let store = Store::fleeting().unwrap();
    let id = mill(&store);
    let based = |who: &str, edit_id: &str| Command { base: Some(0), ..by(who, who, edit_id) };
    make(&store, &id, &based("Ann", "a"), moved(2.0)).unwrap();
    let height = set(Kind::Point, "kit-isle", "height_m", 1.4);
    make(&store, &id, &based("Ben", "b"), height).unwrap();
    // A whole thing put from what was seen at revision 0 would take Ann's move back.
    let stale = larkfield_mill().points.named("kit-isle").cloned().unwrap();
    let whole = make(&store, &id, &based("Cleo", "c"), Edit::put(stale));
    assert!(matches!(whole, Err(StoreError::Conflict(_))));
    let point = store.site(&id).unwrap().0.points.named("kit-isle").cloned().unwrap();
    assert!((point.at[0] - 2.0).abs() < 1e-12 && (point.height_m.get() - 1.4).abs() < 1e-12);
}

#[test]
fn undo_is_a_persons_own_and_what_another_changed_since_is_shown_with_both_values() {
    let store = Store::fleeting().unwrap();
    let id = mill(&store);
    let ann = |edit_id: &str| by("Ann", "phone", edit_id);
    let ben = |edit_id: &str| by("Ben", "desk", edit_id);
    let height = |h: f64| set(Kind::Point, "kit-isle", "height_m", h);
    make(&store, &id, &ann("a1"), moved(2.0)).unwrap();
    make(&store, &id, &ben("b1"), set(Kind::Job, "job", "note", "Ben was here")).unwrap();
    assert_eq!(store.can_undo_redo(&id, "name:Ann").unwrap(), (true, false));
    assert_eq!(store.can_undo_redo(&id, "name:Cleo").unwrap(), (false, false));
    // Ann's undo takes Ann's move back, not Ben's note, which came after.
    store.undo(&id, &ann("u1")).unwrap();
    let site = store.site(&id).unwrap().0;
    assert_eq!(site.job.note, "Ben was here");
    let at = |site: &Site| json!(site.points.named("kit-isle").unwrap().at);
    assert_eq!(at(&site), at(&larkfield_mill()));
    // What Ben changed since is not taken back with it.
    make(&store, &id, &ann("a2"), height(1.3)).unwrap();
    make(&store, &id, &ben("b2"), height(1.7)).unwrap();
    let Err(StoreError::Conflict(conflict)) = store.undo(&id, &ann("u2")) else {
        panic!("Ben's height is gone")
    };
    let was = larkfield_mill().points.named("kit-isle").unwrap().height_m.get();
    assert_eq!((conflict.theirs, conflict.yours), (Some(json!(1.7)), Some(json!(was))));
    assert_eq!(conflict.who, "Ben");
    // Ann may still insist.
    store.undo(&id, &Command { force: true, ..ann("u3") }).unwrap();
    let height = store.site(&id).unwrap().0.points.named("kit-isle").unwrap().height_m.get();
    assert!((height - was).abs() < 1e-12);
}

#[test]
fn an_undo_that_others_have_built_upon_is_a_conflict_and_loses_nothing_of_theirs() {
    let store = Store::fleeting().unwrap();
    let id = mill(&store);
    let edit = |value: Value| serde_json::from_value::<Edit>(value).unwrap();
    let (ann, ben) = (|e: &str| by("Ann", "a", e), |e: &str| by("Ben", "b", e));
    let floor = json!({"do": "put", "kind": "floor", "value": {"id": "attic", "name": "Attic", "elevation_m": 9.0, "height_m": 2.0}});
    let wall = json!({"do": "put", "kind": "wall", "value": {"id": "aw", "floor": "attic", "a": [0.0, 0.0], "b": [4.0, 0.0], "construction": "brick-102"}});
    let own = json!({"do": "put", "kind": "construction", "value": {"id": "own", "name": "Own", "use": "wall", "layers": "brick:100", "source": "seen"}});
    let network = json!({"do": "put", "kind": "network", "value": {"id": "ann-net", "name": "Ann's", "system": "zigbee"}});
    let conflict = |n: usize| match store.undo(&id, &ann(&format!("u{n}"))) {
        Err(StoreError::Conflict(conflict)) => conflict.who,
        other => panic!("{n}: {other:?}"),
    };
    // Ben's wall stands on Ann's storey: it would go with it.
    make(&store, &id, &ann("a1"), edit(floor)).unwrap();
    make(&store, &id, &ben("b1"), edit(wall)).unwrap();
    assert_eq!(conflict(1), "Ben");
    // It is of Ann's construction: it would be of none.
    make(&store, &id, &ann("a2"), edit(own)).unwrap();
    make(&store, &id, &ben("b2"), set(Kind::Wall, "aw", "construction", "own")).unwrap();
    assert_eq!(conflict(2), "Ben");
    // Ben's device is in Ann's network: that one cannot go before it.
    make(&store, &id, &ann("a3"), edit(network)).unwrap();
    make(&store, &id, &ben("b3"), set(Kind::Device, "mesh-kit-isle", "network", "ann-net"))
        .unwrap();
    assert_eq!(conflict(3), "Ben");
    let site = store.site(&id).unwrap().0;
    assert_eq!(site.walls.named("aw").unwrap().construction, "own");
}

#[test]
fn a_new_edit_after_an_undo_leaves_nothing_to_redo() {
    let store = Store::fleeting().unwrap();
    let id = mill(&store);
    make(&store, &id, &command("a"), moved(2.0)).unwrap();
    store.undo(&id, &command("b")).unwrap();
    assert_eq!(store.can_undo_redo(&id, "name:Tester").unwrap(), (false, true));
    // Another person's edit leaves it.
    make(&store, &id, &by("Ben", "desk", "x"), set(Kind::Job, "job", "note", "x")).unwrap();
    assert_eq!(store.can_undo_redo(&id, "name:Tester").unwrap(), (false, true));
    make(&store, &id, &command("c"), moved(3.0)).unwrap();
    assert_eq!(store.can_undo_redo(&id, "name:Tester").unwrap(), (true, false));
    assert!(matches!(store.redo(&id, &command("d")), Err(StoreError::Nothing("redo"))));
}

#[test]
fn what_can_be_undone_is_found_as_quickly_behind_thousands_of_edits_of_another() {
    let store = Store::fleeting().unwrap();
    let id = mill(&store);
    make(&store, &id, &by("Ann", "phone", "a"), moved(2.0)).unwrap();
    let asked = || {
        let begun = std::time::Instant::now();
        for _ in 0..50 {
            assert_eq!(store.can_undo_redo(&id, "name:Ann").unwrap(), (true, false));
        }
        begun.elapsed()
    };
    let quickest = || (0..8).map(|_| asked()).min().unwrap();
    let alone = quickest();
    for n in 0..3000 {
        let edit = set(Kind::Job, "job", "note", n.to_string());
        make(&store, &id, &by("Ben", "desk", &format!("b{n}")), edit).unwrap();
    }
    let behind = quickest();
    // A look through the journal would take as much longer as it holds more.
    assert!(behind < alone * 10, "{behind:?} behind 3,000 edits, {alone:?} alone");
}

#[test]
fn a_backup_taken_while_the_file_is_open_is_whole() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("jobs.db");
    let store = Store::open(&file).unwrap();
    let id = mill(&store);
    make(&store, &id, &command("a"), moved(2.0)).unwrap();
    let copy = folder.path().join("copy.db");
    backup(&file, &copy).unwrap();
    let copy = Store::open(&copy).unwrap();
    assert_eq!(copy.site(&id).unwrap(), store.site(&id).unwrap());
}

#[test]
fn what_is_only_read_is_never_made_and_never_changed() {
    let folder = tempfile::tempdir().unwrap();
    let (typo, out) = (folder.path().join("typo.db"), folder.path().join("out.db"));
    assert!(matches!(backup(&typo, &out), Err(StoreError::NoFile(_))));
    assert!(matches!(read_copy(&typo), Err(StoreError::NoFile(_))));
    assert!(!typo.exists() && !out.exists());
    let kept = folder.path().join("kept.db");
    let store = Store::open(&kept).unwrap();
    let id = mill(&store);
    drop(store);
    let before = std::fs::read(&kept).unwrap();
    assert!(!read_copy(&kept).unwrap().site(&id).unwrap().0.devices.is_empty());
    backup(&kept, &out).unwrap();
    assert_eq!(std::fs::read(&kept).unwrap(), before);
}

#[test]
fn another_programs_file_is_left_alone() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("other.db");
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch("CREATE TABLE recipes (id INTEGER PRIMARY KEY)").unwrap();
    drop(db);
    assert!(matches!(Store::open(&file), Err(StoreError::Foreign(_))));
}

#[test]
fn readers_and_writers_are_answered_while_a_long_wish_is_worked_out() {
    let store = std::sync::Arc::new(Store::fleeting().unwrap());
    let id = mill(&store);
    let (begun, wait) = std::sync::mpsc::channel();
    let (go, goes) = std::sync::mpsc::channel::<()>();
    let (writing, job) = (std::sync::Arc::clone(&store), id.clone());
    let writer = std::thread::spawn(move || {
        writing.keep(&job, &command("slow"), Reads::House, move |_, _| {
            begun.send(()).unwrap();
            goes.recv().unwrap();
            Ok(Prepared { edit: Some(moved(2.0)), entries: Vec::new() })
        })
    });
    wait.recv().unwrap();
    // It is in the middle of being worked out.
    assert_eq!(store.site(&id).unwrap().1, 0);
    assert_eq!(store.jobs().unwrap().len(), 1);
    assert!(store.journal(&id, u64::MAX, 10).unwrap().is_empty());
    let note = set(Kind::Point, "meter", "note", "behind the door");
    assert_eq!(make(&store, &id, &command("quick"), note).unwrap().revision, 1);
    go.send(()).unwrap();
    // A note is nothing that it rests on: it stands as it was worked out.
    assert_eq!(writer.join().unwrap().unwrap().revision, 2);
    assert_eq!(store.site(&id).unwrap().0.points.named("meter").unwrap().note, "behind the door");
}

#[test]
fn two_jobs_of_one_name_have_two_addresses_and_letters_of_others_are_spelt() {
    let store = Store::fleeting().unwrap();
    assert_eq!(mill(&store).as_str(), "larkfield-mill");
    assert_eq!(mill(&store).as_str(), "larkfield-mill-2");
    let mut site = larkfield_mill();
    apply(&mut site, &set(Kind::Job, "job", "name", "Haus Müller")).unwrap();
    assert_eq!(store.create(&site, "2026-03-14T09:00:00Z").unwrap().as_str(), "haus-muller");
}

#[test]
fn a_variant_is_a_job_of_its_own_that_knows_what_it_branched_off_from() {
    let store = Store::fleeting().unwrap();
    let of = mill(&store);
    let (base, _) = store.site(&of).unwrap();
    let id = store.branch(&of, "Hub in the hall", &base, &base, "2026-03-14T11:00:00Z").unwrap();
    assert_eq!(store.jobs().unwrap().len(), 1, "a variant stands in no list of jobs");
    // What is done to either leaves the other as it was.
    make(&store, &id, &command("v-1"), set(Kind::Point, "kit-isle", "at", json!([3.0, 2.0])))
        .unwrap();
    make(&store, &of, &command("p-1"), set(Kind::Point, "meter", "height_m", 1.5)).unwrap();
    assert_eq!(store.site(&of).unwrap().0.points.named("kit-isle"), base.points.named("kit-isle"));
    assert_eq!(*store.branched_off(&id).unwrap(), *base);
    let variant = store.variant(&id).unwrap().unwrap();
    assert_eq!((variant.of.clone(), variant.name.as_str()), (of.clone(), "Hub in the hall"));
    assert_eq!(store.variant(&of).unwrap(), None);
    // What it changes can be taken over without what was done to the plan meanwhile.
    let (site, _) = store.site(&id).unwrap();
    let changes = dot_reach_core::site::difference(&base, &site);
    make(&store, &of, &command("p-2"), changes).unwrap();
    let (plan, _) = store.site(&of).unwrap();
    assert_eq!(plan.points.named("kit-isle"), site.points.named("kit-isle"));
    assert_ne!(plan.points.named("meter"), base.points.named("meter"));
    // Put aside it stays; there is room for as many again.
    for n in 1..dot_reach_store::MOST_VARIANTS {
        store.branch(&of, &format!("number {n}"), &base, &base, "2026-03-14T12:00:00Z").unwrap();
    }
    let full = store.branch(&of, "one more", &base, &base, "2026-03-14T12:00:00Z");
    assert!(matches!(full, Err(StoreError::ManyVariants(_))));
    store.put_aside(&id, true).unwrap();
    store.branch(&of, "one more", &base, &base, "2026-03-14T12:00:00Z").unwrap();
    assert!(store.put_aside(&id, false).is_err(), "there is no room to bring it back");
    assert!(store.variants(&of).unwrap().iter().any(|v| v.id == id && v.is_aside));
}

/// A reading of the Mill.
#[expect(clippy::unwrap_used, reason = "what stands here is an entry")]
fn reading(id: &str, level: f64) -> Entry {
    let at = "2026-03-14T10:00:00Z";
    let what = json!({"did": "read", "id": id, "from": "mesh-meter", "to": "mesh-kit-isle",
        "rssi_dbm": level, "at": at});
    let entry =
        json!({"id": format!("e-{id}"), "said": at, "taken": at, "by": "Kit", "what": what});
    serde_json::from_value(entry).unwrap()
}

fn tell(
    store: &Store,
    id: &JobId,
    command: &Command,
    all: &[Entry],
) -> Result<Committed, StoreError> {
    store.keep(id, command, Reads::All, |_, _| Ok(Prepared { edit: None, entries: all.to_vec() }))
}

#[test]
fn what_is_on_record_stays_whatever_is_undone_and_is_there_when_the_file_is_opened_again() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("jobs.db");
    let store = Store::open(&file).unwrap();
    let id = mill(&store);
    make(&store, &id, &command("e1"), moved(2.0)).unwrap();
    let told =
        tell(&store, &id, &command("r1"), &[reading("a", -60.0), reading("b", -61.0)]).unwrap();
    assert_eq!(told.entries.iter().map(|(seq, _)| *seq).collect::<Vec<_>>(), [1, 2]);
    // The same request again, and the same entries under another: receipts, and nothing done.
    for again in [command("r1"), command("r2")] {
        let receipt =
            tell(&store, &id, &again, &[reading("a", -60.0), reading("b", -61.0)]).unwrap();
        assert!(receipt.again);
        assert_eq!(receipt.entries, told.entries);
    }
    store.undo(&id, &command("u1")).unwrap();
    assert!(matches!(store.undo(&id, &command("u2")), Err(StoreError::Nothing(_))));
    let before: Record = Record::clone(&store.open_job(&id).unwrap().record);
    assert_eq!(before.len(), 2);
    drop(store);
    assert_eq!(check(&file).unwrap(), Vec::<String>::new());
    let store = Store::open(&file).unwrap();
    assert_eq!(*store.open_job(&id).unwrap().record, before);
    // All of a request stands, or nothing of it.
    let half = [reading("c", -62.0), reading("a", -63.0)];
    assert!(tell(&store, &id, &command("r3"), &half).is_err());
    assert_eq!(store.open_job(&id).unwrap().record.len(), 2);
}

#[test]
fn a_variant_has_no_record() {
    let store = Store::fleeting().unwrap();
    let of = mill(&store);
    let (base, _) = store.site(&of).unwrap();
    let id = store.branch(&of, "Hub in the hall", &base, &base, "2026-03-14T11:00:00Z").unwrap();
    let refused = tell(&store, &id, &command("v"), &[reading("a", -60.0)]);
    assert!(refused.unwrap_err().to_string().contains("no record of its own"));
}

#[test]
fn of_many_who_tell_at_once_nobody_loses_anything() {
    let store = std::sync::Arc::new(Store::fleeting().unwrap());
    let id = mill(&store);
    std::thread::scope(|scope| {
        for hand in 0..4 {
            let (store, id) = (&store, &id);
            scope.spawn(move || {
                for n in 0..25 {
                    let mut entry = reading(&format!("h{hand}-{n}"), -60.0);
                    if let What::Read(reading) = &mut entry.what {
                        reading.source = format!("hand {hand}");
                    }
                    let mine = by("Kit", &format!("w{hand}"), &format!("t{hand}-{n}"));
                    tell(store, id, &mine, &[entry]).unwrap();
                }
            });
        }
    });
    assert_eq!(store.open_job(&id).unwrap().record.readings.len(), 100);
}

#[test]
fn a_file_that_was_closed_holds_everything_by_itself_and_one_in_use_is_another_servers() {
    let folder = tempfile::tempdir().unwrap();
    let (file, copy) = (folder.path().join("jobs.db"), folder.path().join("copy.db"));
    let store = Store::open(&file).unwrap();
    let id = mill(&store);
    for n in 0..200 {
        make(&store, &id, &command(&format!("e{n}")), moved(1.0 + f64::from(n) / 100.0)).unwrap();
    }
    assert!(matches!(Store::open(&file), Err(StoreError::InUse(_))));
    let kept = store.site(&id).unwrap();
    drop(store);
    std::fs::copy(&file, &copy).unwrap();
    assert_eq!(Store::open(&copy).unwrap().site(&id).unwrap(), kept);
    assert!(matches!(backup(&file, &copy), Err(StoreError::Exists(_))), "nothing is written over");
}

#[test]
fn rows_that_were_tampered_with_are_found() {
    let tampers = [
        (
            "UPDATE thing SET body = json_set(body, '$.at', json('[1.0, 1.0]')) WHERE id = 'kit-isle'",
            "another plan",
        ),
        (
            "UPDATE journal SET inverse = '{\"do\":\"remove\",\"kind\":\"point\",\"id\":\"gone\"}'",
            "does not lead",
        ),
        ("DELETE FROM entry WHERE seq = 1", "entry 1 is missing"),
        (
            "DROP TRIGGER entry_stays; UPDATE entry SET did = 'pressed' WHERE seq = 2",
            "than its row says",
        ),
        ("UPDATE job SET revision = 1", "revision 2"),
    ];
    for (sql, said) in tampers {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("jobs.db");
        let store = Store::open(&file).unwrap();
        let id = mill(&store);
        make(&store, &id, &command("e1"), moved(2.0)).unwrap();
        tell(&store, &id, &command("r1"), &[reading("a", -60.0), reading("b", -61.0)]).unwrap();
        drop(store);
        rusqlite::Connection::open(&file).unwrap().execute_batch(sql).unwrap();
        let found = check(&file).unwrap();
        assert!(found.iter().any(|line| line.contains(said)), "{sql}: {found:?}");
    }
}

#[test]
fn the_database_itself_refuses_to_change_what_is_on_record() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("jobs.db");
    let store = Store::open(&file).unwrap();
    let id = mill(&store);
    tell(&store, &id, &command("r1"), &[reading("a", -60.0)]).unwrap();
    drop(store);
    let db = rusqlite::Connection::open(&file).unwrap();
    let refused = db.execute("UPDATE entry SET body = '{}'", []).unwrap_err().to_string();
    assert!(refused.contains("never changed"), "{refused}");
}

#[test]
fn a_file_that_was_moved_takes_nothing_until_it_is_back() {
    let folder = tempfile::tempdir().unwrap();
    let (here, there) = (folder.path().join("jobs.db"), folder.path().join("moved.db"));
    let store = Store::open(&here).unwrap();
    let id = mill(&store);
    store.probe().unwrap();
    std::fs::rename(&here, &there).unwrap();
    let refused = make(&store, &id, &command("a"), moved(2.0)).unwrap_err();
    assert!(matches!(refused, StoreError::Moved(_)), "{refused}");
    assert!(refused.of_disk().unwrap().contains("put the file back"));
    assert!(store.probe().is_err());
    std::fs::rename(&there, &here).unwrap();
    make(&store, &id, &command("b"), moved(2.0)).unwrap();
    store.probe().unwrap();
}

#[test]
fn a_job_that_is_deleted_takes_its_variants_and_what_only_it_named() {
    let store = Store::fleeting().unwrap();
    let image = |n: u8| Image {
        media_type: "image/png".to_owned(),
        width_px: 1,
        height_px: 1,
        bytes: vec![n; 4],
    };
    let photo = |id: &JobId, sha: &str, edit_id: &str| {
        let value = json!({"id": "f1", "point": "kit-isle", "image": sha, "at": "2026-03-14T10:00:00Z", "by": "A"});
        let put = Edit::read(json!({"do": "put", "kind": "photo", "value": value})).unwrap();
        make(&store, id, &command(edit_id), put).unwrap();
    };
    let (one, other) = (mill(&store), mill(&store));
    let own = store.keep_image(&image(1)).unwrap();
    let shared = store.keep_image(&image(2)).unwrap();
    photo(&one, &own, "a");
    photo(&one, &shared, "b");
    photo(&other, &shared, "c");
    let (plan, _) = store.site(&one).unwrap();
    let variant = store.branch(&one, "Other", &plan, &plan, "2026-03-14T10:00:00Z").unwrap();
    store.delete(&one).unwrap();
    for gone in [&one, &variant] {
        assert!(matches!(store.site(gone), Err(StoreError::NoJob(_))), "{gone}");
    }
    assert_eq!(store.jobs().unwrap().len(), 1);
    assert!(store.image(&own).unwrap().is_none() && store.image(&shared).unwrap().is_some());
    assert!(matches!(store.delete(&one), Err(StoreError::NoJob(_))));
    // Another of the same name begins from nothing.
    let again = mill(&store);
    assert!(store.journal(&again, u64::MAX, 10).unwrap().is_empty());
}
