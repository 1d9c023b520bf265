//! What the builder was asked for, held against what was found when it was delivered.

use super::brief::first_fix_depth_mm;
use crate::site::{
    AskedId, AskedOfBuilder, Earth, Edit, Neutral, Point, PointId, PointKind, Provenance, Regroup,
    RegroupBy, Site,
};

/// What came of what was asked for at a place.
#[derive(Clone, Debug, PartialEq)]
pub struct DeliveredAt {
    /// What was asked.
    pub asked: AskedId,
    /// Where.
    pub point: PointId,
    /// What was not delivered, a sentence each.
    pub lacks: Vec<String>,
    /// What nobody has looked at yet.
    pub open: Vec<&'static str>,
    /// Edits that say of a load which hangs elsewhere that it is to go with this place, each with the name of the load.
    pub regroup: Vec<(String, Edit)>,
}

/// The edit that keeps what the sheet for the first fix asks of each switch position, where nothing is kept of it yet;
/// nothing where all is kept.
pub fn keep_asked(site: &Site) -> Option<Edit> {
    let is_kept = |p: &Point| site.asked.iter().any(|a| a.point == p.id);
    let positions = site.points.iter().filter(|p| p.kind == PointKind::Switch && !is_kept(p));
    let edits: Vec<Edit> = positions
        .filter_map(|point| {
            let id: AskedId = format!("ask-{}", point.id).parse().ok()?;
            site.asked.get(&id).is_none().then_some(())?;
            let loads = site.loads_of(&point.id).map(|l| (l.id.clone(), l.name.clone()));
            Some(Edit::put(AskedOfBuilder {
                id,
                point: point.id.clone(),
                depth_mm: Some(first_fix_depth_mm(point)),
                neutral: true,
                earth: true,
                loads: loads.collect(),
                agreed: None,
                outcome: String::new(),
            }))
        })
        .collect();
    (!edits.is_empty()).then(|| Edit::batch(edits))
}

/// What was asked for and what came of it, place by place.
pub fn delivered(site: &Site) -> Vec<DeliveredAt> {
    site.asked.iter().filter_map(|asked| at(site, asked)).collect()
}

fn at(site: &Site, asked: &AskedOfBuilder) -> Option<DeliveredAt> {
    let point = site.points.get(&asked.point)?;
    let lead = site.box_of(point);
    let (mut lacks, mut open, mut regroup) = (Vec::new(), Vec::new(), Vec::new());
    if let Some(wanted) = asked.depth_mm {
        let was_seen = matches!(lead.how("depth_mm"), Provenance::Measured | Provenance::Seen);
        match lead.depth_mm.filter(|_| was_seen) {
            None => open.push("how deep the box is"),
            Some(is) if is + 0.5 < wanted => {
                lacks.push(format!("asked {wanted:.0} mm of depth, there are {is:.0}"));
            }
            Some(_) => {}
        }
    }
    if asked.neutral {
        match lead.neutral {
            Neutral::Tested | Neutral::Seen => {}
            Neutral::Unknown => open.push("whether there is a neutral"),
            Neutral::NotSeen => lacks.push("asked for a neutral, and none was seen".to_owned()),
            Neutral::Absent => lacks.push("asked for a neutral, and there is none".to_owned()),
        }
    }
    if asked.earth {
        let was_seen = matches!(lead.how("earth"), Provenance::Measured | Provenance::Seen);
        match lead.earth {
            Earth::Conductor | Earth::EarthedBox | Earth::None if !was_seen => {
                open.push("whether there is an earth");
            }
            Earth::Unknown => open.push("whether there is an earth"),
            Earth::Conductor | Earth::EarthedBox => {}
            Earth::None => lacks.push("asked for an earth, and there is none".to_owned()),
        }
    }
    let group = site.group_of(&point.id);
    for (id, name) in &asked.loads {
        let Some(load) = site.loads.get(id) else {
            lacks.push(format!("asked for {name}, and it is not there"));
            continue;
        };
        let hangs = load.switched_at == point.id
            || group.is_some_and(|g| g.places.contains(&load.switched_at));
        // As long as nobody has looked, on which line it hangs is as it was planned.
        if !load.was_found("switched_at") {
            open.push("which lamps hang on it");
            continue;
        }
        if hangs {
            continue;
        }
        let other = site.points.get(&load.switched_at).map_or_else(String::new, Point::title);
        lacks.push(format!("asked for {} on it, which hangs at {other}", load.name));
        let is_told = site.regroups.iter().any(|r| r.load == load.id);
        if let Some(id) = format!("with-{}", load.id).parse().ok().filter(|_| !is_told) {
            let (load_id, with) = (load.id.clone(), point.id.clone());
            let edit = Edit::put(Regroup {
                id,
                load: load_id,
                with,
                by: RegroupBy::Open,
                cable_m: None,
                opening: String::new(),
            });
            regroup.push((load.name.clone(), edit));
        }
    }
    open.dedup();
    let (asked, point) = (asked.id.clone(), point.id.clone());
    Some(DeliveredAt { asked, point, lacks, open, regroup })
}
