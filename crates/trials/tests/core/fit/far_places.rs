//! Several places that work the same: where the powered unit stands, and what goes with what.

use super::*;

/// Two places of one group, line at the first, the load at the second, another device at the second.
fn group(wiring: &Value, other: &str) -> Site {
    site(&[
        place("p", &json!({})),
        place("q", &json!({})),
        lamps("l", "p", &json!({})),
        put("group", "g1", &json!({"name": "Stairs", "places": ["p", "q"], "wiring": wiring})),
        put("device", "far", &json!({"name": "Far", "point": "q", "kind": other, "network": "n"})),
    ])
}

#[test]
fn a_powered_unit_is_where_its_way_of_working_wants_it() {
    let here = json!({"layout": "boxes", "line": "p", "load": "p"});
    let apart = json!({"layout": "boxes", "line": "p", "load": "q"});
    let of = |device: &str, wiring: &Value, far: &str| rules(&found(&group(wiring, far), device));
    assert_eq!(of("dimmer-neutral", &here, "companion-dimmer"), []);
    // A master that feeds the load stands where the load leaves, one that senses travellers where line
    // comes in.
    assert_eq!(of("dimmer-neutral", &apart, "companion-dimmer"), [("wiring", Fits::No)]);
    assert_eq!(of("dimmer-plain-far", &apart, "switch-plain"), []);
    let unknown = json!({"layout": "unknown"});
    assert_eq!(of("dimmer-neutral", &unknown, "companion-dimmer"), [("wiring", Fits::NotKnown)]);
    let fitting = json!({"layout": "at-fitting"});
    assert_eq!(of("dimmer-neutral", &fitting, "companion-dimmer"), [("wiring", Fits::No)]);
}

#[test]
fn every_wrong_mix_is_refused_with_what_it_would_do() {
    let here = json!({"layout": "boxes", "line": "p", "load": "p"});
    let of = |far: &str| found(&group(&here, far), "dimmer-neutral");
    assert_eq!(of("companion-dimmer"), []);
    assert_eq!(of("remote-battery"), []);
    for (far, words) in [
        ("companion-fan", "speaks to its own family only"),
        ("switch-plain", "puts line straight on the wire"),
        ("dimmer-neutral", "two units would feed one lamp"),
        ("paired-neutral", "does not listen to it by radio"),
        ("companion-kit", "speaks to its own family only"),
    ] {
        let found = of(far);
        assert_eq!(rules(&found), [("companions", Fits::No)], "{far}");
        assert!(found[0].to_string().contains(words), "{}", found[0]);
    }
    // Seen from the other end it is the same.
    let house = group(&here, "dimmer-neutral");
    assert_eq!(rules(&found(&house, "companion-fan")), [("companions", Fits::No)]);
    assert_eq!(rules(&found(&house, "companion-dimmer")), []);
    // A companion by itself works nothing.
    assert_eq!(rules(&without_lamps("companion-dimmer")), [("companions", Fits::No)]);
}

#[test]
fn every_device_against_every_other_at_one_load() {
    let masters: Vec<&DeviceKind> = KINDS.iter().filter(|k| k.fit.switches()).collect();
    let (mut works, mut clashes) = (0, 0);
    for master in &masters {
        for far in KINDS.iter() {
            let paired = pair(master, far);
            let same_family = !master.fit.family.is_empty() && master.fit.family == far.fit.family;
            // The table, said once more and the other way round: by what stands at the far place.
            let wanted = match far.fit.far {
                Far::No => false,
                Far::Plain => master.fit.accepts.contains(&Far::Plain),
                wired @ (Far::Electronic | Far::Follower) => {
                    same_family && master.fit.accepts.contains(&wired)
                }
                radio @ (Far::Remote | Far::Paired) => {
                    master.fit.accepts.contains(&radio)
                        && far.systems.iter().any(|s| master.systems.contains(s))
                }
            };
            assert_eq!(paired.is_ok(), wanted, "{} with {}: {paired:?}", master.id, far.id);
            match paired {
                Ok(()) => works += 1,
                Err(clash) => {
                    clashes += 1;
                    assert!(clash.to_string().len() > 30);
                    // What could be damaged says so.
                    let hurts = matches!(
                        clash,
                        CompanionClash::OtherFamily
                            | CompanionClash::PlainOnElectronic
                            | CompanionClash::TwoMasters
                    );
                    assert_eq!(clash.to_string().contains("damaged"), hurts, "{clash}");
                }
            }
        }
    }
    assert!(works > 60 && clashes > 1000, "{works} {clashes}");
}
