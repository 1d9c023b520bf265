//! Random edits of every kind on few ids, so that they meet: some are refused, some leave things that
//! do not fit each other.

use dot_reach_core::wish::PageRequest;
use proptest::prelude::*;
use serde_json::{Value, json};

fn id(stem: &'static str) -> impl Strategy<Value = String> {
    (0..3u8).prop_map(move |i| format!("{stem}{i}"))
}

fn spot() -> impl Strategy<Value = [f64; 2]> {
    // Some lie far outside the plan.
    prop_oneof![9 => [-2.0..20.0f64, -2.0..12.0f64], 1 => [150.0..200.0f64, 0.0..1.0f64]]
}

fn put(kind: &str, value: Value) -> Value {
    let mut edit = json!({"do": "put", "kind": kind});
    edit["value"] = value;
    edit
}

fn building() -> impl Strategy<Value = Value> {
    let construction =
        || prop::sample::select(vec!["brick-102", "stud-wall", "c0", "gone-long-ago"]);
    prop_oneof![
        (id("f"), 0.0..9.0f64).prop_map(|(f, z)| put(
            "floor",
            json!({"id": f, "name": "Storey", "elevation_m": z, "height_m": 2.4})
        )),
        (id("w"), id("f"), spot(), spot(), construction()).prop_map(|(w, f, a, b, c)| put(
            "wall",
            json!({"id": w, "floor": f, "a": a, "b": b, "construction": c})
        )),
        (id("s"), id("f"), construction())
            .prop_map(|(s, f, c)| put("slab", json!({"id": s, "floor": f, "construction": c}))),
        (id("c"), 1.0..60.0f64).prop_map(|(c, mm)| put(
            "construction",
            json!({"id": c, "name": "Own", "use": "wall", "layers": format!("brick:{mm:.1}"), "source": "seen"})
        )),
        (id("w"), id("o"), spot()).prop_map(|(w, o, at)| {
            json!({"do": "drop-opening", "wall": w, "id": o, "kind": "door", "at": at})
        }),
        (id("r"), id("f"), spot()).prop_map(|(r, f, [x, y])| put(
            "room",
            json!({"id": r, "name": "Hall", "floor": f, "use": "hall", "outline": [[x, y], [x + 3.0, y], [x, y + 2.0]]})
        )),
    ]
}

fn radios() -> impl Strategy<Value = Value> {
    let system = || prop::sample::select(vec!["zigbee", "zwave", "star", "thread", "wifi"]);
    let kind =
        || prop::sample::select(vec!["hub", "switch-neutral", "sensor-battery", "remote", "gone"]);
    prop_oneof![
        (id("n"), system(), prop::option::of(11..20u8)).prop_map(|(n, s, channel)| {
            let mut value = json!({"id": n, "name": "Net", "system": s});
            if let Some(channel) = channel {
                value["channel"] = json!(channel);
            }
            put("network", value)
        }),
        (id("p"), id("f"), spot()).prop_map(|(p, f, at)| put(
            "point",
            json!({"id": p, "name": "Place", "floor": f, "at": at, "height_m": 1.2, "kind": "switch", "neutral": "seen"})
        )),
        (id("d"), id("p"), id("n"), kind(), -5.0..20.0f64).prop_map(|(d, p, n, k, tx)| put(
            "device",
            json!({"id": d, "name": "Thing", "point": p, "kind": k, "network": n, "sheet": {"tx_dbm": tx}})
        )),
        (id("k"), id("d"), id("d"))
            .prop_map(|(k, a, b)| put("control", json!({"id": k, "controller": a, "load": b}))),
        (id("e"), id("f"), spot(), 0.0..20.0f64).prop_map(|(e, f, at, tx)| put(
            "emitter",
            json!({"id": e, "name": "Router", "floor": f, "at": at, "height_m": 1.0,
                "carrier": {"kind": "wifi", "channel": 6, "width_mhz": 20}, "tx_dbm": tx, "busy": 0.2})
        )),
        (id("y"), -90.0..-40.0f64).prop_map(|(y, level)| put(
            "scan",
            json!({"id": y, "carrier": {"kind": "mesh", "channel": 15}, "level_dbm": level, "busy": 0.1, "at": "2026-03-14T10:00:00Z"})
        )),
    ]
}

fn wiring() -> impl Strategy<Value = Value> {
    let set = |kind: &str, id: &str, field: &str, value: Value| json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value});
    prop_oneof![
        (id("i"), 1..4u8, any::<bool>()).prop_map(|(c, label, shared)| put(
            "circuit",
            json!({"id": c, "label": label.to_string(), "shared_neutral": shared,
                "neutral_with": if shared { vec![] } else { vec![(label % 3 + 1).to_string()] }})
        )),
        (id("l"), id("p"), prop::option::of(1.0..90.0f64)).prop_map(|(l, p, watts)| put(
            "load",
            json!({"id": l, "name": "Lamps", "switched_at": p, "kind": "led", "watts": watts})
        )),
        (id("g"), id("p"), id("p")).prop_map(|(g, a, b)| put(
            "group",
            json!({"id": g, "name": "Stairs", "places": if a == b { vec![a.clone()] } else { vec![a.clone(), b.clone()] },
                "wiring": {"layout": "boxes", "line": a, "load": b}})
        )),
        (id("p"), prop::option::of(id("p")))
            .prop_map(move |(p, of)| set("point", &p, "in_box_of", json!(of))),
        (id("p"), 0..4u8).prop_map(move |(p, gang)| set("point", &p, "gang", json!(gang))),
        (id("p"), id("c")).prop_map(move |(p, c)| set(
            "point",
            &p,
            "conductors",
            json!([{"id": c, "size": "14 AWG"}])
        )),
    ]
}

/// People, wishes, platforms, photos, the library, and what a hand does in the point sheet.
fn brief_and_sheet() -> impl Strategy<Value = Value> {
    let text = || prop::sample::select(vec!["s", "t", "absent", "4", "-3", "Stair", "", "zz"]);
    let word = || {
        prop::sample::select(vec![
            "kind", "box", "neutral", "group", "load", "watts", "depth", "gangs", "name",
        ])
    };
    prop_oneof![
        (id("h"), any::<bool>())
            .prop_map(|(h, may)| put("person", json!({"id": h, "name": "Ada", "may_mains": may}))),
        (id("x"), id("h"), id("p")).prop_map(|(w, h, p)| put(
            "wish",
            json!({"id": w, "what": "Light", "who": h, "by": ["wall"], "points": [p]})
        )),
        (id("t"), any::<bool>()).prop_map(|(t, charge)| put(
            "platform",
            json!({"id": t, "name": "Hub", "in_charge": charge})
        )),
        (id("o"), id("p")).prop_map(|(o, p)| put(
            "photo",
            json!({"id": o, "point": p, "image": "0".repeat(64), "at": "2026-03-14T10:00:00Z"})
        )),
        (id("v"), -5.0..400.0f64).prop_map(|(k, depth)| put(
            "device-kind",
            json!({"id": k, "name": "Own", "duty": "actuator", "supply": "plug", "forwards": false,
                "systems": ["zigbee"], "depth_mm": depth})
        )),
        prop::sample::select(vec!["call-out", "no-such"])
            .prop_map(|r| put("rate", json!({"id": r, "value": 9.0}))),
        (id("p"), word(), text()).prop_map(
            |(p, column, text)| json!({"do": "fill", "points": [p], "column": column, "text": text})
        ),
        (id("p"), id("f"))
            .prop_map(|(p, f)| json!({"do": "add-point", "id": p, "floor": f, "name": "New"})),
        (id("r"), id("f"), spot()).prop_map(
            |(r, f, at)| json!({"do": "name-room", "id": r, "floor": f, "at": at, "name": "Den"})
        ),
        (id("k"), id("r"), id("f"))
            .prop_map(|(k, r, f)| json!({"do": "copy-room", "id": k, "room": r, "to": f})),
        Just(json!({"do": "tag-points"})),
    ]
}

fn fields() -> impl Strategy<Value = Value> {
    let set = |kind: &str, id: &str, field: &str, value: Value| json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value});
    let of_job = prop_oneof![
        prop::sample::select(vec!["uk", "us", "eu", "jp"]).prop_map(move |r| set(
            "job",
            "job",
            "region",
            json!(r)
        )),
        prop::sample::select(vec![0.9, 0.95, 0.99]).prop_map(move |c| set(
            "job",
            "job",
            "confidence",
            json!(c)
        )),
        Just(put(
            "calibration",
            json!({"exponent": 2.2, "offset_db": 1.0, "sigma_db": 4.0, "rmse_before_db": 5.0, "rmse_after_db": 4.0, "readings": 9})
        )),
        Just(json!({"do": "remove", "kind": "calibration", "id": "calibration"})),
    ];
    prop_oneof![
        of_job,
        (id("p"), spot()).prop_map(move |(p, at)| set("point", &p, "at", json!(at))),
        (id("p"), id("f")).prop_map(move |(p, f)| set("point", &p, "floor", json!(f))),
        (id("p"), prop::option::of(10.0..60.0f64)).prop_map(move |(p, mm)| set(
            "point",
            &p,
            "depth_mm",
            json!(mm)
        )),
        (id("d"), any::<bool>()).prop_map(move |(d, on)| set(
            "device",
            &d,
            "done.wired",
            json!(on)
        )),
        (id("d"), prop::option::of(-10.0..30.0f64)).prop_map(move |(d, tx)| set(
            "device",
            &d,
            "sheet.tx_dbm",
            json!(tx)
        )),
        (id("d"), id("n")).prop_map(move |(d, n)| set("device", &d, "network", json!(n))),
        (id("n"), prop::option::of(1..6usize)).prop_map(move |(n, hops)| set(
            "network",
            &n,
            "limits.most_hops",
            json!(hops)
        )),
        (id("f"), 0.0..12.0f64).prop_map(move |(f, z)| set("floor", &f, "elevation_m", json!(z))),
        (id("w"), spot()).prop_map(move |(w, b)| set("wall", &w, "b", json!(b))),
    ]
}

fn visits() -> impl Strategy<Value = Value> {
    (id("v"), 0..24u8).prop_map(|(v, h)| {
        put("visit", json!({"id": v, "of": "day-1", "from": format!("2026-03-14T{h:02}:30")}))
    })
}

fn removals() -> impl Strategy<Value = Value> {
    let kinds = vec![
        ("floor", "f"),
        ("wall", "w"),
        ("slab", "s"),
        ("construction", "c"),
        ("room", "r"),
        ("network", "n"),
        ("point", "p"),
        ("device", "d"),
        ("circuit", "i"),
        ("load", "l"),
        ("group", "g"),
        ("control", "k"),
        ("emitter", "e"),
        ("scan", "y"),
        ("visit", "v"),
    ];
    (prop::sample::select(kinds), 0..3u8).prop_map(
        |((kind, stem), i)| json!({"do": "remove", "kind": kind, "id": format!("{stem}{i}")}),
    )
}

/// Any edit or gesture, as it is sent.
pub(crate) fn any_wish() -> impl Strategy<Value = Value> {
    let one = || {
        prop_oneof![3 => building(), 4 => radios(), 2 => wiring(), 2 => brief_and_sheet(), 2 => visits(),
            3 => fields(), 1 => removals()]
    };
    let batch = prop::collection::vec(
        prop_oneof![building(), radios(), wiring(), fields(), removals()],
        1..4,
    )
    .prop_map(|edits| {
        let plain = |e: &Value| e["do"] != "drop-opening";
        json!({"do": "batch", "edits": edits.into_iter().filter(plain).collect::<Vec<_>>()})
    });
    prop_oneof![6 => one(), 1 => batch]
}

/// As it is read.
pub(crate) fn wish(value: &Value) -> PageRequest {
    serde_json::from_value(value.clone()).expect("the test writes a proper wish")
}
