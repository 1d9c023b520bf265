//! A small house and what is done in it, as a page sends it.

use serde_json::{Value, json};

/// A point and its device, with more fields of the point.
pub fn placed(id: &str, kind: &str, at: [f64; 2], more: &Value) -> Value {
    let mut point = json!({"id": id, "name": id, "floor": "g", "at": at, "height_m": 1.2, "kind": "switch", "neutral": "seen"});
    for (key, value) in more.as_object().into_iter().flatten() {
        point[key] = value.clone();
    }
    json!({"do": "batch", "edits": [
        {"do": "put", "kind": "point", "value": point},
        {"do": "put", "kind": "device", "value": {"id": id, "name": id, "point": id, "kind": kind, "network": "n"}},
    ]})
}

/// When all of it is said to have been done.
pub const AT: &str = "2026-03-14T10:00:00Z";

/// A box that nothing speaks against.
pub fn sound(id: &str, kind: &str, at: [f64; 2], circuit: &str) -> Value {
    let conductor = |id: &str, found: &str| json!({"id": id, "size": "1.5 mm²", "found": found});
    placed(
        id,
        kind,
        at,
        &json!({"box": "plastic", "depth_mm": 60.0, "volume_cm3": 400.0, "neutral": "tested",
            "earth": "conductor", "gangs": 1, "circuit": circuit, "known": "seen", "feed": "always",
            "conductors": [conductor("l", "line"), conductor("n", "neutral"), conductor("e", "earth"),
                conductor("s", "switched")]}),
    )
}

/// A lamp that a point switches.
pub fn lamp(id: &str, at: &str) -> Value {
    json!({"do": "put", "kind": "load", "value": {"id": id, "name": id, "switched_at": at, "kind": "led",
        "count": 2, "watts": 10.0, "dimmable": true, "inrush_a": 5.0, "tried": "listed"}})
}

/// A circuit that was proven to be what it is labelled.
pub fn circuit(label: &str, more: &Value) -> Value {
    let mut value = json!({"id": format!("c{label}"), "label": label, "residual": "protected", "rated_a": 10.0,
        "shared_neutral": false,
        "proven": {"label": label, "by": "Kit", "with": "tester", "at": AT}});
    for (key, field) in more.as_object().into_iter().flatten() {
        value[key] = field.clone();
    }
    json!({"do": "put", "kind": "circuit", "value": value})
}

/// The electrician of the tests.
pub fn kit() -> Value {
    json!({"do": "put", "kind": "person", "value": {"id": "kit", "name": "Kit", "part": "electrician",
        "may_mains": true, "licence": "LM-1"}})
}

/// One who works under the electrician's eyes.
pub fn bo() -> Value {
    json!({"do": "put", "kind": "person", "value": {"id": "bo", "name": "Bo", "part": "installer"}})
}

/// A step that is taken by the act that it has.
pub fn take(device: &str, step: &str) -> Value {
    match step {
        "code" => json!({"do": "keep-code", "id": format!("code-{device}"), "device": device,
            "text": "", "image": "0".repeat(64), "by": "Kit", "at": AT}),
        "joined" => {
            json!({"do": "join", "id": format!("j-{device}"), "device": device, "by": "Kit", "at": AT})
        }
        _ => json!({"do": "take-step", "device": device, "step": step, "by": "Kit", "at": AT}),
    }
}

/// Breakers, or the main switch, locked off.
pub fn isolate(id: &str, means: &str, circuits: &[&str]) -> Value {
    json!({"do": "isolate", "id": id, "means": means, "circuits": circuits, "secured": "lock-and-notice",
        "tester": "two-pole tester 4", "told": "Ada, until noon", "by": "Kit", "at": AT})
}

/// Power is let in for finding lines, with all looked at that has to be.
pub fn find_lines(id: &str) -> Value {
    let all = dot_reach_core::gate::checks::finding();
    let checks: Vec<String> = all.map(|check| check.word).collect();
    json!({"do": "find-lines", "isolation": id, "checks": checks, "by": "Kit", "at": AT})
}

/// It goes off again.
pub fn end_finding(id: &str) -> Value {
    json!({"do": "end-finding", "isolation": id, "by": "Kit", "at": AT})
}

/// What an isolation holds off is switched on.
pub fn energise(id: &str) -> Value {
    json!({"do": "energise", "isolation": id, "by": "Kit", "at": AT})
}

/// All that a house of these boxes holds beside its storey and its network: on breaker 7, with a hub that is not
/// set up yet.
pub fn house(boxes: &[&str]) -> Vec<Value> {
    let mut edits = vec![kit(), bo(), circuit("7", &json!({}))];
    edits.push(placed("hub", "hub", [0.0, 0.0], &json!({"kind": "shelf", "known": "seen"})));
    for (id, right) in boxes.iter().zip([0.0, 2.0, 4.0, 6.0]) {
        edits.push(sound(id, "switch-neutral", [right, 1.0], "7"));
        edits.push(lamp(&format!("lamp-{id}"), id));
    }
    edits
}

/// What makes the hub ready.
pub const HUB_STEPS: [&str; 5] = ["placed", "powered", "phone", "firmware", "clock"];
