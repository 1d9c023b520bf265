//! What the people of the demo houses press, say and leave to the clock.

use serde_json::{Value, json};

use super::builder::Builder;

/// Days of the week on which people go to work.
fn weekdays() -> Value {
    json!([{ "only": "days", "of": ["mon", "tue", "wed", "thu", "fri"], "holidays": "never" }])
}

fn to(device: &str, verb: &str, level: Option<u8>) -> Value {
    let mut action = json!({ "what": { "device": device }, "to": verb });
    if let Some(level) = level {
        action["level"] = json!(level);
    }
    action
}

fn at(b: &mut Builder, id: &str, time: &str, does: &[Value], only: Option<Value>) {
    let mut rule =
        json!({ "id": id, "when": { "on": "time", "at": time }, "does": does, "runs": "hub" });
    if let Some(only) = only {
        rule["only"] = only;
    }
    b.put("rule", &rule);
}

fn scene(b: &mut Builder, id: &str, name: &str, does: &[Value]) {
    b.put("rule", &json!({ "id": id, "name": name, "when": { "on": "called" }, "does": does }));
}

fn stands(b: &mut Builder, latitude: f64, longitude: f64) {
    for (field, value) in [
        ("latitude", json!(latitude)),
        ("longitude", json!(longitude)),
        ("holidays", json!(["01-01", "12-25", "12-26"])),
    ] {
        b.set("job", "job", field, &value);
    }
}

/// The mill: a family of five by the river.
pub(super) fn of_the_mill(b: &mut Builder) {
    stands(b, 52.71, -2.75);
    at(b, "lantern-on", "sunset-10", &[to("mesh-yard-light", "on", None)], None);
    at(b, "lantern-off", "22:45", &[to("mesh-yard-light", "off", None)], None);
    // In June it is still light when the lamp is to go off: nobody has noticed yet.
    at(b, "reading-on", "sunset+20", &[to("mesh-liv-lamp", "on", Some(60))], None);
    at(b, "reading-off", "21:30", &[to("mesh-liv-lamp", "off", None)], None);
    at(b, "worktop-on", "06:40", &[to("mesh-kit-under", "on", None)], Some(weekdays()));
    at(b, "worktop-off", "08:10", &[to("mesh-kit-under", "off", None)], Some(weekdays()));
    scene(
        b,
        "evening",
        "Evening",
        &[
            to("mesh-liv-wall", "on", Some(40)),
            to("mesh-liv-lamp", "on", Some(60)),
            to("mesh-liv-tv", "on", None),
            to("mesh-liv-main", "off", None),
            to("mesh-kit-isle", "on", Some(25)),
            to("mesh-kit-main", "off", None),
            to("mesh-hall-light", "off", None),
            to("mesh-land-light", "on", None),
        ],
    );
    let all = [
        "liv-main",
        "liv-wall",
        "liv-lamp",
        "liv-tv",
        "kit-main",
        "kit-isle",
        "hall-light",
        "study-main",
    ];
    let off: Vec<Value> = all.iter().map(|d| to(&format!("mesh-{d}"), "off", None)).collect();
    scene(b, "good-night", "Good night", &off);
    for (id, controller, gesture, scene) in [
        ("sofa-evening", "star-liv-remote", "two presses", "evening"),
        ("hall-night", "star-hall-key", "held for three seconds", "good-night"),
    ] {
        b.put(
            "rule",
            &json!({ "id": id, "when": { "on": "press", "controller": controller, "gesture": gesture },
                "does": [{ "what": { "scene": scene }, "to": "on" }], "runs": "hub" }),
        );
    }
    b.set("device", "mesh-bed2-move", "kind", &json!("sensor-motion"));
    b.set("device", "mesh-bed2-move", "facing_deg", &json!(270));
    b.put(
        "rule",
        &json!({ "id": "yard-room-motion", "when": { "on": "state", "device": "mesh-bed2-move", "is": "motion" },
            "only": [{ "only": "between", "from": "sunset", "to": "sunrise" }], "off_after_min": 8,
            "does": [to("mesh-bed2-main", "on", None)], "runs": "hub" }),
    );
    b.put(
        "rule",
        &json!({ "id": "front-door-light", "when": { "on": "state", "device": "mesh-hall-door", "is": "open" },
            "only": [{ "only": "between", "from": "sunset", "to": "sunrise" }], "off_after_min": 5,
            "does": [to("mesh-hall-light", "on", None)], "runs": "hub" }),
    );
    b.put(
        "rule",
        &json!({ "id": "says-night", "when": { "on": "says", "phrase": "Everybody to bed" },
            "does": [{ "what": { "scene": "good-night" }, "to": "on" }], "runs": "voice" }),
    );
}

/// The flat: two people, one of them on early shifts.
pub(super) fn of_the_flat(b: &mut Builder) {
    stands(b, 53.41, -2.99);
    at(b, "lamp-on", "dusk", &[to("thread-liv-lamp", "on", Some(70))], None);
    at(b, "lamp-off", "23:15", &[to("thread-liv-lamp", "off", None)], None);
    at(b, "kettle-on", "05:10", &[to("thread-kit-plug", "on", None)], Some(weekdays()));
    at(b, "kettle-off", "05:40", &[to("thread-kit-plug", "off", None)], Some(weekdays()));
    scene(
        b,
        "film",
        "Film",
        &[
            to("thread-liv-lamp", "on", Some(15)),
            to("thread-liv-light", "off", None),
            to("thread-kit-light", "on", Some(10)),
        ],
    );
    b.put(
        "rule",
        &json!({ "id": "sofa-film", "when": { "on": "press", "controller": "thread-liv-remote", "gesture": "two presses" },
            "does": [{ "what": { "scene": "film" }, "to": "on" }], "runs": "hub" }),
    );
}
