//! Tags: short marks that stand beside points on every plan, sheet and label.

use std::collections::BTreeMap;

use serde_json::json;

use crate::site::{Edit, Kind, Point, Site};

/// The tags of a job, and which come next.
#[derive(Clone, Debug)]
pub struct Tags {
    /// The highest number given out, by letter.
    highest: BTreeMap<char, u32>,
}

impl Tags {
    /// Those of a job.
    pub fn of(site: &Site) -> Self {
        let mut highest = BTreeMap::new();
        for tag in site.points.iter().map(|p| p.tag.trim()) {
            let mut letters = tag.chars();
            let Some(first) = letters.next() else { continue };
            let Ok(number) = letters.as_str().parse::<u32>() else { continue };
            let most: &mut u32 = highest.entry(first).or_default();
            *most = number.max(*most);
        }
        Self { highest }
    }

    /// The next tag in a room: its first letter and the number after the highest.
    pub fn next(&mut self, room: &str) -> String {
        let first = room.chars().find(|c| c.is_alphabetic());
        let letter = first.map_or('P', |c| c.to_uppercase().next().unwrap_or(c));
        let number = self.highest.entry(letter).or_default();
        *number += 1;
        format!("{letter}{number}")
    }
}

/// A tag for each point that has none: storey by storey from below, room by room, from the left.
pub(super) fn given(site: &Site) -> Edit {
    let storeys = site.floors_upward();
    let storey = |p: &Point| storeys.iter().position(|f| f.id == p.floor);
    let mut bare: Vec<&Point> = site.points.iter().filter(|p| p.tag.trim().is_empty()).collect();
    bare.sort_by(|p, q| {
        (storey(p), site.room_name(p))
            .cmp(&(storey(q), site.room_name(q)))
            .then(p.at[0].total_cmp(&q.at[0]))
            .then(p.at[1].total_cmp(&q.at[1]))
    });
    let mut tags = Tags::of(site);
    let tag = |p: &Point| {
        let tag = tags.next(site.room_name(p));
        Edit::set(Kind::Point, &p.id, "tag", json!(tag))
    };
    Edit::batch(bare.into_iter().map(tag).collect())
}
