//! What the order asks of a device, what can take it off the air, what hides it; and the law that a fact
//! never makes a link less sure.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::site::{Job, Provenance};

use super::*;

fn set(kind: &str, id: &str, field: &str, value: impl Into<Value>) -> Value {
    let value: Value = value.into();
    json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value})
}

/// What one more edit adds to a good place with usual lamps.
fn after(device: &str, edits: &[Value]) -> Vec<(&'static str, Fits)> {
    let good = [place("p", &json!({})), lamps("l", "p", &json!({}))];
    rules(&found(&site(&[good.as_slice(), edits].concat()), device))
}

#[test]
fn a_platform_that_must_work_with_everything_is_a_hard_filter() {
    let platform = |way: &str, required: bool| {
        put("platform", "t", &json!({"name": "House", "way": way, "required": required}))
    };
    assert_eq!(after("switch-neutral", &[platform("hub", true)]), []);
    assert_eq!(after("switch-star", &[platform("matter", true)]), [("platform", Fits::No)]);
    assert_eq!(after("switch-star", &[platform("matter", false)]), []);
    // A wired companion has no radio that a platform would reach.
    let companion =
        found(&site(&[place("p", &json!({})), platform("matter", true)]), "companion-wired");
    assert!(!rules(&companion).iter().any(|(rule, _)| *rule == "platform"));
}

#[test]
fn a_row_of_the_job_stands_in_place_of_the_shipped_one_and_blank_never_passes() {
    let mut own = serde_json::to_value(kind("switch-neutral").unwrap()).unwrap();
    own["fit"]["platforms"] = json!([]);
    own["fit"]["life_years"] = json!(null);
    let row = json!({"do": "put", "kind": "device-kind", "value": own});
    let platform = put("platform", "t", &json!({"name": "House", "required": true}));
    let keep = set("job", "job", "keep_years", 10.0);
    let site = site(&[place("p", &json!({})), lamps("l", "p", &json!({})), row, platform, keep]);
    let own = site.kind("switch-neutral").unwrap();
    let found = findings(&site, own, site.points.named("p").unwrap(), None);
    assert_eq!(rules(&found), [("life", Fits::NotKnown), ("platform", Fits::NotKnown)]);
}

#[test]
fn finish_life_and_region_are_asked_where_they_are_wanted() {
    let finish = |what: &str| set("point", "p", "finish", what);
    assert_eq!(after("switch-neutral", &[finish("Steel")]), []);
    assert_eq!(after("switch-neutral", &[finish("gold")]), [("finish", Fits::No)]);
    assert_eq!(after("switch-wifi", &[finish("steel")]), [("finish", Fits::No)]);
    let keep = |years: f64| set("job", "job", "keep_years", years);
    assert_eq!(after("switch-neutral", &[keep(12.0)]), []);
    assert_eq!(after("switch-neutral", &[keep(12.5)]), [("life", Fits::IfSo)]);
    let mut long = serde_json::to_value(kind("switch-neutral").unwrap()).unwrap();
    long["systems"] = json!(["zwavelr"]);
    let row = json!({"do": "put", "kind": "device-kind", "value": long});
    let jp = set("job", "job", "region", "jp");
    let site = site(&[place("p", &json!({})), lamps("l", "p", &json!({})), row, jp]);
    let own = site.kind("switch-neutral").unwrap();
    let found = findings(&site, own, site.points.named("p").unwrap(), None);
    assert_eq!(rules(&found), [("region", Fits::No)]);
}

#[test]
fn a_network_that_is_full_takes_no_more_remotes_and_sensors_included() {
    let limit = |most: usize| set("network", "n", "limits", json!({"most_devices": most}));
    let devices = [
        put(
            "device",
            "a",
            &json!({"name": "a", "point": "p", "kind": "switch-neutral", "network": "n"}),
        ),
        put(
            "device",
            "b",
            &json!({"name": "b", "point": "p", "kind": "remote-battery", "network": "n"}),
        ),
    ];
    let of = |most: usize| {
        let good = [place("p", &json!({})), lamps("l", "p", &json!({}))];
        let site = site(&[good.as_slice(), &devices, &[limit(most)]].concat());
        let found =
            findings(&site, kind("remote-battery").unwrap(), site.points.named("p").unwrap(), None);
        rules(&found).iter().any(|(rule, fits)| *rule == "count" && *fits == Fits::No)
    };
    // One more is asked for: with room for two, the two that are there leave none.
    assert!(!of(3) && of(2));
}

#[test]
fn what_can_take_a_radio_off_the_air_or_hide_it_is_a_condition() {
    let feed = |what: &str| set("point", "p", "feed", what);
    assert_eq!(after("switch-neutral", &[feed("behind-switch")]), [("feed", Fits::IfSo)]);
    assert_eq!(after("switch-neutral", &[feed("always")]), []);
    let cord = site(&[place("p", &json!({"kind": "socket", "feed": "cord", "box": "none"}))]);
    assert_eq!(rules(&found(&cord, "plug-socket")), [("feed", Fits::IfSo)]);
    assert_eq!(rules(&found(&cord, "sensor-battery")), []);
    let metal = set("point", "p", "mounting", "metal-lamp-base");
    assert_eq!(after("switch-neutral", &[metal]), [("hidden", Fits::IfSo)]);
    let fan =
        put("load", "f", &json!({"name": "Fan", "switched_at": "p", "kind": "fan", "watts": 30.0}));
    // A speed control harms the lamp; a plain switch works both at once, which it may.
    let told = after("fan-control", std::slice::from_ref(&fan));
    assert!(told.contains(&("fan", Fits::IfSo)), "{told:?}");
    let told = after("switch-neutral", &[fan]);
    assert!(!told.iter().any(|(rule, _)| *rule == "fan"), "{told:?}");
    // A remote alone leaves the lamps to whoever switches them.
    assert_eq!(after("remote-plate", &[]), [("switched", Fits::IfSo)]);
}

#[test]
fn out_of_doors_the_circuit_is_protected_or_an_electrician_decides() {
    let outdoors = |residual: &str| {
        let circuit =
            put("circuit", "c", &json!({"label": "1", "residual": residual, "rated_a": 10.0}));
        let more = json!({"kind": "outdoor", "depth_mm": 80.0});
        let site = site(&[place("p", &more), lamps("l", "p", &json!({})), circuit]);
        rules(&found(&site, "switch-outdoor"))
    };
    assert_eq!(outdoors("protected"), []);
    assert_eq!(outdoors("none"), [("residual-current", Fits::ElectricianDecides)]);
    assert_eq!(outdoors("unknown"), [("residual-current", Fits::NotKnown)]);
}

#[test]
fn the_age_of_a_house_is_a_guess_and_never_a_pass() {
    for (year, words) in [(1950, "likely to have none"), (1999, "likely to have one")] {
        let unopened = place("p", &json!({"neutral": "unknown"}));
        let built = set("job", "job", "built", year);
        let site = site(&[unopened, lamps("l", "p", &json!({})), built]);
        let told = found(&site, "switch-neutral");
        assert_eq!(rules(&told), [("neutral", Fits::NotKnown)]);
        assert!(told[0].to_string().contains(words), "{}", told[0]);
    }
    assert!(
        Job::new(
            "x",
            dot_reach_core::radio::region::Region::Eu,
            dot_reach_core::confidence::Confidence::new(0.9).unwrap()
        )
        .built
        .is_none()
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// Whatever is said of a place, and however it is known short of a guess, no link to it gets less
    /// sure than while nothing was said.
    #[test]
    fn a_known_fact_never_widens_the_deviation(
        how in prop::sample::select(vec!["measured", "seen", "told"]),
        facts in prop::collection::vec(prop::sample::select(vec![
            ("neutral", json!("seen")), ("neutral", json!("tested")), ("neutral", json!("not-seen")),
            ("earth", json!("conductor")), ("depth_mm", json!(47.0)), ("gangs", json!(2)), ("box", json!("plastic")),
        ]), 1..5),
        wired in any::<bool>(),
    ) {
        let device = if wired { "switch-neutral" } else { "sensor-battery" };
        let blank = place("p", &json!({"neutral": "unknown", "earth": "unknown", "depth_mm": null, "box": "plastic"}));
        let hub = place("h", &json!({"at": [6.0, 1.0], "kind": "shelf", "box": "none"}));
        let devices = [
            put("device", "d", &json!({"name": "d", "point": "p", "kind": device, "network": "n"})),
            put("device", "k", &json!({"name": "k", "point": "h", "kind": "hub", "network": "n"})),
        ];
        let sigma = |more: &[Value]| {
            let site = site(&[[blank.clone(), hub.clone()].as_slice(), &devices, more].concat());
            let analysis = analyse(&Arc::new(site), &Options::default());
            let network = &analysis.networks[0];
            let at = |id: &str| network.place_of(&id.parse().unwrap()).unwrap();
            network.link(at("d"), at("k")).sigma.get()
        };
        let said: Vec<Value> = facts.iter().flat_map(|(field, value)| [
            set("point", "p", field, value.clone()),
            set("point", "p", &format!("facts.{field}"), json!({"how": how, "by": "Ines", "at": "2026-05-02T10:00:00Z"})),
        ]).collect();
        prop_assert!(sigma(&said) <= sigma(&[]) + 1e-12);
        prop_assert!(Provenance::Guessed.doubt() > Provenance::Told.doubt());
    }
}
