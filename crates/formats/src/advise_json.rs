//! What the adviser says as JSON, for scripts. Key names stay stable (`docs/ANALYSE.md`).

use dot_reach_core::placement::advice::{Advice, Needs, Pick, SiteScore};
use dot_reach_core::units::Db;
use serde_json::{Map, Value, json};

use crate::place_json::word;

/// The advice with its reasons.
pub fn value(advice: &Advice) -> Value {
    let routes: Map<String, Value> = advice
        .routes
        .iter()
        .filter(|(_, ways)| !ways.is_empty())
        .map(|(device, ways)| (device.to_string(), json!(ways)))
        .collect();
    let left = advice.left.iter().map(|l| {
        json!({
            "device": l.device, "name": l.name, "from": l.from,
            "lacks_db": l.lacks.map(Db::get), "change": l.change.to_string(),
        })
    });
    let schools = advice.schools.iter().map(|s| {
        let sides = s.sides.iter().map(|(name, n)| json!({ "side": name, "needs": n.map(needs) }));
        json!({ "question": s.question, "sides": sides.collect::<Vec<_>>() })
    });
    let worth = advice.worth.iter().map(|w| {
        json!({
            "device": w.device, "name": w.name, "forwards": w.forwards,
            "extra": w.extra, "elsewhere": w.elsewhere,
        })
    });
    json!({
        "networks": advice.networks,
        "status": word(advice.status), "proven": advice.is_proven,
        "cost": advice.cost, "bound": advice.bound,
        "hub": advice.hub().map(site),
        "hub_sites": advice.sites.iter().map(site).collect::<Vec<_>>(),
        "repeaters": advice.picks.iter().map(pick).collect::<Vec<_>>(),
        "routes": routes,
        "unserved": left.collect::<Vec<_>>(),
        "short": advice.short,
        "at_target": {
            "now": advice.at_target.0, "then": advice.at_target.1, "of": advice.at_target.2,
        },
        "worst_spare_db": {
            "now": advice.worst.0.map(Db::get), "then": advice.worst.1.map(Db::get),
        },
        "chance_all": { "now": advice.chance.0, "then": advice.chance.1 },
        "critical": advice.critical.iter()
            .map(|(device, name, met)| json!({ "device": device, "name": name, "two_routes": met }))
            .collect::<Vec<_>>(),
        "schools": schools.collect::<Vec<_>>(),
        "worth": worth.collect::<Vec<_>>(),
        "reasons": advice.sentences(&|amount| format!("{amount:.2}")),
        "edit": advice.edit,
    })
}

fn needs(needs: Needs) -> Value {
    json!({
        "repeaters": needs.repeaters, "cost": needs.cost, "left": needs.left,
        "proven": needs.is_proven,
    })
}

fn site(score: &SiteScore) -> Value {
    let site = &score.site;
    json!({
        "name": site.name, "as_it_is": site.as_it_is, "beside": site.beside,
        "against": site.against, "cost": site.cost, "chosen": score.is_chosen,
        "needs": score.needs.map(needs),
    })
}

fn pick(pick: &Pick) -> Value {
    let saves = pick.saves.iter().map(|s| {
        json!({
            "device": s.device, "name": s.name,
            "lacks_db": s.lacks.map(Db::get), "spare_db": s.spare.map(Db::get),
        })
    });
    let next =
        pick.next_best.as_ref().map(|(what, dearer)| json!({ "what": what, "dearer": dearer }));
    json!({
        "point": pick.offer.point, "place": pick.offer.place, "kind": pick.offer.kind,
        "kind_name": pick.offer.kind_name, "cost": pick.offer.cost,
        "priced": pick.offer.is_priced, "fits": pick.offer.fits.name(), "conditions": pick.offer.conditions,
        "locked": pick.offer.is_locked, "saves": saves.collect::<Vec<_>>(), "next_best": next,
        "reason": pick.sentence(&|amount| format!("{amount:.2}")),
    })
}
