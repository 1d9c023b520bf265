//! The guide to a fault is followed in two places: by the server, and by a phone without a line. What the server comes to on
//! random walks is written down, for the phone's reader to be held against.

use std::collections::BTreeMap;

use dot_reach_core::install::guide::{GuideKit, Hint, ROWS, guide};
use dot_reach_core::record::{CheckAnswer, Fault};
use serde_json::{Value, json};

/// Where the walks are written for `crates/web/tests/js/guide.test.mjs`.
const WALKS: &str = concat!(env!("CARGO_TARGET_TMPDIR"), "/guide-walks.json");

/// Numbers drawn one after the other, the same each time.
struct Draw(u64);

impl Draw {
    fn below(&mut self, n: u64) -> u64 {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % n
    }
}

fn walk(draw: &mut Draw, known: &[Fault]) -> Value {
    let symptom = &ROWS.symptom[usize::try_from(draw.below(ROWS.symptom.len() as u64)).unwrap()];
    let drawn: Vec<&'static str> =
        ROWS.cause.iter().filter(|_| draw.below(6) == 0).map(|c| c.id.as_str()).collect();
    let hints: Vec<Hint> = drawn
        .into_iter()
        .map(|cause| Hint {
            cause,
            times: [0.0, 1.5, 3.0, 6.0][usize::try_from(draw.below(4)).unwrap()],
            why: format!("{cause} here"),
        })
        .collect();
    let (mut answers, mut steps): (Vec<CheckAnswer>, Vec<Value>) = (Vec::new(), Vec::new());
    loop {
        let found = guide(&symptom.id, &answers, &hints, known).unwrap();
        let ranked = found.ranked.iter().map(|r| json!([r.cause, r.share, r.whys]));
        steps.push(json!({"ranked": ranked.collect::<Vec<_>>(), "next": found.next}));
        let Some(check) = found.next else { break };
        let so = [Some(true), Some(false), None][usize::try_from(draw.below(3)).unwrap()];
        answers.push(CheckAnswer { check, so });
    }
    json!({"symptom": symptom.id, "hints": hints, "answers": answers, "steps": steps})
}

#[test]
fn what_the_guide_comes_to_is_written_down_for_the_phone() {
    let mut draw = Draw(7);
    let met = |n: u64, cause: &str| -> Fault {
        serde_json::from_value(
            json!({"id": format!("f{n}"), "symptom": ROWS.symptom[0].id, "cause": cause,
            "cure": "c", "minutes": 12.0, "at": super::machine::AT}),
        )
        .unwrap()
    };
    let known: Vec<Fault> = (0..4).map(|n| met(n, &ROWS.cause[usize::from(n == 3)].id)).collect();
    let walks: Vec<Value> = (0..120).map(|_| walk(&mut draw, &known)).collect();
    let steps: usize = walks.iter().map(|w| w["steps"].as_array().unwrap().len()).sum();
    assert!(steps > 400, "{steps}");
    let kit = GuideKit::of(&known, BTreeMap::new());
    std::fs::write(WALKS, json!({"kit": kit, "walks": walks}).to_string()).unwrap();
}
