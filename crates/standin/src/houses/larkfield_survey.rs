//! What the survey of the Mill found behind its boxes, and what its people want: wrong labels, a shared
//! neutral, a stair worked from three places, a fan, a lamp on a cord, a pump on the yard's line.

use serde_json::{Value, json};

use super::builder::Builder;

const SEEN_AT: &str = "2026-02-11T09:40:00Z";
const BY: &str = "Tobin Ray";

/// Breaker as printed, as proven (empty while nobody has), protected, whether its neutral is shared.
const CIRCUITS: [(&str, &str, &str, bool); 12] = [
    ("3", "3", "protected", false),
    ("4", "4", "protected", false),
    // The label is wrong: what 5 says is on 6, and the other way round.
    ("5", "6", "protected", false),
    ("6", "5", "protected", false),
    ("7", "7", "protected", false),
    ("8", "8", "protected", false),
    ("9", "9", "protected", false),
    // One neutral for both lighting circuits of the first floor.
    ("10", "10", "none", true),
    ("11", "", "none", true),
    ("12", "12", "protected", false),
    ("13", "", "unknown", false),
    ("14", "", "unknown", false),
];

fn fact(how: &str) -> Value {
    json!({ "how": how, "by": BY, "at": SEEN_AT })
}

fn wire(id: &str, count: u8, colour: &str, found: &str) -> Value {
    json!({ "id": id, "count": count, "size": "1.5 mm²", "colour": colour, "found": found })
}

fn brief(b: &mut Builder) {
    for (field, value) in [
        ("built", json!(1968)),
        ("wiring_country", json!("gb")),
        ("work", json!("retrofit")),
        ("budget", json!(7500.0)),
        ("currency", json!("GBP")),
        ("refuses", json!("visible boxes in the living room; white plates on the stone walls")),
    ] {
        b.set("job", "job", field, &value);
    }
    for (id, name, part, mains, licence) in [
        ("trust", "The Larkfield trust", "client", false, ""),
        ("ada", "Ada Quill", "household", false, ""),
        ("pim", "Pim Quill", "child", false, ""),
        ("loft", "Guests of the loft", "guest", false, ""),
        ("tobin", "Tobin Ray", "installer", false, ""),
        ("ines", "Ines Calder", "electrician", true, "LM-2041"),
    ] {
        b.put("person", &json!({ "id": id, "name": name, "part": part, "may_mains": mains, "licence": licence }),
        );
    }
    b.put("platform", &json!({ "id": "hub", "name": "The hub of the house", "way": "hub", "in_charge": true, "required": true }));
    b.put("platform", &json!({ "id": "voice", "name": "Voice in the kitchen", "way": "voice", "purpose": "lamps by voice, hands in the dough" }));
    for (id, what, who, room, by, points) in [
        (
            "w1",
            "Light on the stair from every storey",
            "ada",
            "Landing",
            &["wall"][..],
            &["land-light"][..],
        ),
        (
            "w2",
            "Kitchen lamps by voice",
            "ada",
            "Kitchen",
            &["wall", "voice"],
            &["kit-main", "kit-isle"],
        ),
        (
            "w3",
            "Fan off by itself after a bath",
            "ada",
            "Bathroom",
            &["wall", "sensor"],
            &["bath-fan"],
        ),
        (
            "w4",
            "Lamp by the sofa without getting up",
            "pim",
            "Living room",
            &["remote"],
            &["liv-lamp"],
        ),
        ("w5", "Lantern in the yard at dusk", "trust", "Outside", &["timer"], &["yard-light"]),
        ("w6", "Blind of the loft from the bed", "loft", "Hoist loft", &["remote"], &[]),
    ] {
        b.put("wish", &json!({ "id": id, "what": what, "who": who, "room": room, "by": by, "points": points }),
        );
    }
}

fn circuits(b: &mut Builder) {
    for (label, proven, residual, shared) in CIRCUITS {
        let mut circuit = json!({
            "id": format!("b{label}"), "label": label, "residual": residual,
            "shared_neutral": shared, "rated_a": 10.0,
        });
        if label == "10" {
            circuit["neutral_with"] = json!(["11"]);
        }
        if !proven.is_empty() {
            circuit["proven"] = json!({
                "label": proven, "by": "Ines Calder", "with": "two-pole tester", "at": SEEN_AT,
            });
        }
        b.put("circuit", &circuit);
    }
}

fn stair(b: &mut Builder) {
    for (id, name, room, floor, at, terminals) in [
        ("hall-stair", "Stair, foot", "Hall", "ground", [6.15, 4.7], 3),
        ("stone-stair", "Stair, top", "Stone floor", "stone", [6.2, 4.2], 3),
    ] {
        b.put("point", &json!({
                "id": id, "name": name, "room": room, "floor": floor, "at": at, "height_m": 1.2,
                "kind": "switch", "box": "plastic", "depth_mm": 35.0, "neutral": "not-seen",
                "earth": "conductor", "circuit": "10",
                "signs": { "marked": false, "terminals": terminals, "odd_screw": true, "another": true },
                "facts": { "neutral": fact("seen"), "depth_mm": fact("measured"), "earth": fact("seen") },
                "conductors": [
                    wire("c1", 1, "brown", "unknown"), wire("c2", 2, "grey", "traveller"),
                    wire("c3", 1, "green and yellow", "earth"),
                ],
            }),
        );
    }
    b.set(
        "point",
        "land-light",
        "signs",
        &json!({ "marked": false, "terminals": 4, "another": true }),
    );
    b.set(
        "point",
        "land-light",
        "conductors",
        &json!([
            wire("c1", 1, "brown", "line"),
            wire("c2", 2, "blue", "neutral"),
            wire("c3", 1, "brown, sleeved red", "switched"),
            wire("c4", 4, "grey and black", "traveller"),
            wire("c5", 2, "green and yellow", "earth"),
        ]),
    );
    b.put("group", &json!({
            "id": "stairs", "name": "Stair", "places": ["hall-stair", "land-light", "stone-stair"],
            "wiring": { "layout": "boxes", "line": "land-light", "load": "land-light" }, "known": "guessed",
            "note": "Nobody has opened the two ends yet.",
        }),
    );
    b.put(
        "device",
        &json!({
            "id": "mesh-hall-stair", "name": "Stair, foot", "point": "hall-stair",
            "kind": "companion-wired", "network": "mesh",
        }),
    );
}

fn loads(b: &mut Builder) {
    for (id, name, kind, count, watts) in [
        ("bath-fan-lamps", "Bath fan", "fan", 1, 35.0),
        ("util-pump-lamps", "Boiler pump", "motor", 1, 45.0),
        ("both-heat-lamps", "Bothy heater", "heater", 1, 1500.0),
        ("hall-heat-lamps", "Hall floor heating", "heater", 1, 600.0),
    ] {
        for (field, value) in [
            ("name", json!(name)),
            ("kind", json!(kind)),
            ("count", json!(count)),
            ("watts", json!(watts)),
            ("dimmable", json!(null)),
            ("tried", json!("unknown")),
        ] {
            b.set("load", id, field, &value);
        }
    }
    // The pump of the pond hangs on the line of the lantern: the two cannot be switched apart.
    b.put(
        "load",
        &json!({
            "id": "yard-pump", "name": "Pond pump", "switched_at": "yard-light", "kind": "motor",
            "count": 1, "watts": 90.0, "inrush_a": 9.0,
        }),
    );
    b.put("load", &json!({
            "id": "slu-uplight", "name": "Sluice uplighter", "switched_at": "slu-lamp", "kind": "led",
            "count": 1, "watts": 12.0, "dimmable": true, "tried": "benched", "inrush_a": 6.0,
        }),
    );
    b.put(
        "load",
        &json!({
            "id": "reading", "name": "Reading lamp", "switched_at": "liv-lamp", "kind": "led",
            "count": 1, "watts": 9.0, "dimmable": true, "inrush_a": 3.0,
        }),
    );
    for (load, hours) in
        [("kit-main-lamps", 4.0), ("util-pump-lamps", 9.0), ("both-heat-lamps", 1.5)]
    {
        b.set("load", load, "hours_a_day", &json!(hours));
    }
    for cord in ["slu-lamp", "liv-lamp", "study-plug"] {
        b.set("point", cord, "feed", &json!("cord"));
    }
}

fn boxes(b: &mut Builder) {
    b.set("point", "kit-main", "gangs", &json!(2));
    b.set("point", "kit-main", "gang", &json!(1));
    for (id, wires) in [
        (
            "kit-main",
            json!([
                wire("c1", 2, "brown", "line"),
                wire("c2", 3, "blue", "neutral"),
                wire("c3", 1, "brown, sleeved red", "switched"),
                wire("c4", 3, "green and yellow", "earth")
            ]),
        ),
        (
            "slu-light",
            json!([
                wire("c1", 1, "brown", "line"),
                wire("c2", 2, "blue", "neutral"),
                wire("c3", 1, "black", "switched"),
                wire("c4", 2, "green and yellow", "earth")
            ]),
        ),
        (
            "util-light",
            json!([
                wire("c1", 2, "red", "line"),
                wire("c2", 2, "black", "neutral"),
                wire("c3", 1, "red", "switched"),
                wire("c4", 2, "bare", "earth")
            ]),
        ),
    ] {
        b.set("point", id, "conductors", &wires);
        b.set("point", id, "facts", &json!({ "neutral": fact("measured"), "box": fact("seen"), "depth_mm": fact("measured") }));
        b.set("point", id, "neutral", &json!("tested"));
    }
    b.set("point", "both-main", "signs", &json!({ "marked": true, "terminals": 2 }));
    for id in ["liv-main", "liv-wall", "hall-light"] {
        b.set("point", id, "finish", &json!("steel"));
    }
}

/// Everything of it.
pub(super) fn add(b: &mut Builder) {
    brief(b);
    circuits(b);
    stair(b);
    loads(b);
    boxes(b);
    b.rooms("ground", &[[3.0, 2.5], [3.0, 7.5], [7.0, 7.0], [9.5, 1.5], [14.5, 4.5]]);
    b.rooms("first", &[[3.0, 2.5], [2.5, 7.0], [7.0, 2.0], [14.5, 2.5], [14.5, 7.0]]);
    b.rooms("bothy", &[[34.5, 4.0]]);
}
