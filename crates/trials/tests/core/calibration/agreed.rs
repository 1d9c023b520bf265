//! What was read and pressed is held against what was agreed, and against what changed since.

use dot_reach_core::moment::Moment;
use dot_reach_core::prove::accept::{Passed, judged};
use dot_reach_core::prove::acts::Proving;
use dot_reach_core::prove::diagnose::{diagnose, rows};
use dot_reach_core::prove::drift::{Changed, changed, trends};
use serde_json::{Value, json};

use crate::calibration::{AT, SPOTS, field, kept, proved, reading, readings};
use crate::common::{after, wish};

#[test]
fn presses_and_margins_are_held_against_what_was_agreed() {
    let test = |id: &str, device: &str, count: u32, arrived: u32, at: &str| {
        json!({"do": "put", "kind": "range-test", "value": {"id": id, "device": device,
            "count": count, "arrived": arrived, "conditions": ["box-closed", "doors-lived"], "at": at}})
    };
    let rule = json!({"do": "put", "kind": "acceptance", "value": {"id": "all", "margin_db": 6.0,
        "count": 10, "rate": 0.9, "agreed_by": "Ada", "agreed_at": "2026-03-01"}});
    let mut edits = readings(&field(), &[0.0; SPOTS]);
    edits.push(rule);
    edits.push(test("t1", "s01", 10, 10, "2026-03-14T11:00:00Z"));
    edits.push(test("t2", "s02", 10, 6, "2026-03-14T11:00:00Z"));
    edits.push(test("t3", "s03", 4, 4, "2026-03-14T11:00:00Z"));
    let tested = after(field(), &edits);
    let (analysis, proof) = proved(&tested);
    let all = judged(&analysis, &proof);
    let of = |id: &str| all.iter().find(|j| j.device.as_str() == id).unwrap();
    assert_eq!(of("s01").passed, Passed::Yes, "{:?}", of("s01"));
    assert_eq!(of("s02").passed, Passed::No);
    assert_eq!(of("s03").passed, Passed::Open);
    assert!(of("s01").points[0].1.contains("at least 72 %"), "{:?}", of("s01").points);
    assert!(of("s03").points[0].1.contains("6 more are asked for"), "{:?}", of("s03").points);
    // Signing keeps the state; a device that is moved afterwards asks to be tested again.
    let at = Moment::read("2026-03-15T12:00:00Z").unwrap();
    let (name, role) = ("Ada".to_owned(), "client".to_owned());
    let act = Proving::Sign { id: "s".parse().unwrap(), name, role, note: String::new(), at };
    let (signed, _) = kept(&tested, act);
    let sign = signed.record.sign_offs.iter().next().unwrap();
    assert_eq!((sign.passed, sign.failed), (1, 1));
    let moved =
        json!({"do": "set", "kind": "point", "id": "s01", "field": "at", "value": [2.0, 2.0]});
    let (there, proof) = proved(&wish(&signed, &moved).unwrap());
    let again = judged(&there, &proof);
    let of = again.iter().find(|j| j.device.as_str() == "s01").unwrap();
    assert_eq!(of.passed, Passed::Open);
    assert!(of.points.iter().any(|p| p.1.contains("it was moved")), "{of:?}");
}

/// A condition holds for what was sent under it, with the share that was agreed; an agreed delay is timed.
#[test]
fn a_condition_holds_for_what_was_sent_under_it_and_an_agreed_delay_is_timed() {
    let test = |id: &str,
                device: &str,
                [count, arrived]: [u32; 2],
                conditions: &[&str],
                delay: Option<f64>| {
        json!({"do": "put", "kind": "range-test", "value": {"id": id, "device": device, "count": count,
            "arrived": arrived, "conditions": conditions, "delay_ms": delay, "at": "2026-03-14T11:00:00Z"}})
    };
    let rule = json!({"do": "put", "kind": "acceptance", "value": {"id": "all", "count": 10, "rate": 0.9,
        "delay_ms": 300.0, "agreed_by": "Ada", "agreed_at": "2026-03-01"}});
    let all = ["box-closed", "doors-lived"];
    let mut edits = readings(&field(), &[0.0; SPOTS]);
    edits.push(rule);
    edits.extend([
        test("a", "s01", [9, 9], &[], Some(90.0)),
        test("b", "s01", [1, 1], &all, Some(90.0)),
        test("c", "s02", [10, 10], &all, None),
        test("d", "s03", [10, 10], &all, Some(120.0)),
        test("e", "s04", [10, 10], &all, Some(500.0)),
        // 28 of 30 in all, and 8 of 10 with the plate on.
        test("f", "s05", [20, 20], &["doors-lived"], Some(90.0)),
        test("g", "s05", [10, 8], &all, Some(90.0)),
    ]);
    let (analysis, proof) = proved(&after(field(), &edits));
    let judged = judged(&analysis, &proof);
    let of = |id: &str| {
        let one = judged.iter().find(|j| j.device.as_str() == id).unwrap();
        (one.passed, one.points.iter().map(|p| p.1.as_str()).collect::<Vec<_>>().join("; "))
    };
    for (id, passed, says) in [
        ("s01", Passed::Open, "1 of 10 so far"),
        ("s02", Passed::Open, "not timed so far"),
        ("s03", Passed::Yes, "120 ms"),
        ("s04", Passed::No, "500 ms"),
        ("s05", Passed::No, "8 of 10 arrived: box closed"),
    ] {
        let (is, told) = of(id);
        assert_eq!(is, passed, "{id}: {told}");
        assert!(told.contains(says), "{id}: {told}");
    }
}

#[test]
fn what_changed_since_is_told_by_what_the_alarms_share() {
    let mut edits = Vec::new();
    for n in 0..6 {
        edits.push(reading(&format!("a{n}"), &format!("s{n:02}"), "h", -60.0, AT));
        edits.push(reading(&format!("b{n}"), &format!("s{n:02}"), "s10", -62.0, AT));
    }
    let proven = json!({"do": "keep-stage", "id": "p", "stage": "proven", "by": "Kit",
        "at": "2026-03-15T00:00:00Z"});
    edits.push(proven);
    let later = "2026-09-01T10:00:00Z";
    for n in 0..6 {
        let drop = if n == 3 { 12.0 } else { 0.0 };
        edits.push(reading(&format!("c{n}"), &format!("s{n:02}"), "h", -60.0 - drop, later));
        edits.push(reading(&format!("d{n}"), &format!("s{n:02}"), "s10", -62.0 - drop, later));
    }
    let house = after(field(), &edits);
    let found = changed(&trends(&house.record));
    assert!(
        matches!(&found[..], [Changed::AtDevice(id, by)] if id.as_str() == "s03" && by.get() < -10.0),
        "{found:?}"
    );
}

#[test]
fn what_a_hub_tells_is_held_against_the_plan() {
    let report = |id: &str, value: Value| {
        let mut all = json!({"id": id, "network": "n", "at": AT, "answers": true});
        all.as_object_mut().unwrap().extend(value.as_object().unwrap().clone());
        json!({"do": "put", "kind": "node-report", "value": all})
    };
    let network = field().networks.iter().next().unwrap().id.clone();
    let mut edits = Vec::new();
    for n in 0..SPOTS {
        // s20 is in no list, s05 goes over s22 though it is beside the hub, s09 is silent.
        let id = format!("s{n:02}");
        let via = if n == 5 { json!(["s22"]) } else { json!([]) };
        if n != 20 {
            edits.push(report(
                &format!("p{n}"),
                json!({"device": id, "via": via, "node": n + 2,
                "network": network, "answers": n != 9}),
            ));
        }
    }
    edits.push(report("ghost", json!({"node": 99, "network": network, "answers": false})));
    let (analysis, proof) = proved(&after(field(), &edits));
    let found = diagnose(&analysis, &proof);
    let of = |id: Option<&str>| {
        let d = found
            .iter()
            .find(|d| d.device.as_ref().map(dot_reach_core::site::DeviceId::as_str) == id);
        d.and_then(|d| d.first()).map(|c| c.why.word())
    };
    assert_eq!(of(None), Some("ghost"));
    assert_eq!(of(Some("s20")), Some("not-joined"));
    assert_eq!(of(Some("s05")), Some("joined-elsewhere"));
    assert!(matches!(of(Some("s09")), Some("cut" | "dead")), "{:?}", of(Some("s09")));
    for d in &found {
        let sum: f64 = d.causes.iter().map(|c| c.probability).sum();
        assert!((0.95..1.0001).contains(&sum), "{d:?}");
    }
    let rows = rows(&analysis, &proof);
    assert_eq!(rows.iter().filter(|r| r.differs).count(), 1);
    assert!(rows[0].actual_margin.unwrap() < rows[0].planned_margin.unwrap());
}
