//! What was seen and tested at a point: how each thing is known, the switch that is there, photos,
//! finding lines.

use std::collections::BTreeMap;

use dot_reach_core::gate::isolate;
use dot_reach_core::radio::region::Region;
use dot_reach_core::record::Record;
use dot_reach_core::site::{Conductor, Fact, Function, Point, Provenance, Shows, Site};
use dot_reach_core::survey::lines;
use dot_reach_core::survey::signs::deduced;

use super::choices::{Choice, choices, word, yes_no};
use crate::pages::house_time::day;

pub(super) struct FactRow {
    pub(super) field: String,
    pub(super) what: String,
    pub(super) how: Vec<Choice>,
    pub(super) by: String,
    pub(super) at: String,
}

pub(super) struct SignsForm {
    pub(super) seen: bool,
    pub(super) terminals: String,
    pub(super) asks: Vec<(&'static str, &'static str, Vec<Choice>)>,
    pub(super) kind: &'static str,
    pub(super) because: Vec<&'static str>,
    pub(super) next: &'static str,
}

pub(super) struct PhotoRow {
    pub(super) id: String,
    pub(super) image: String,
    pub(super) shows: &'static str,
    pub(super) by: String,
    pub(super) at: String,
}

pub(super) struct LinesForm {
    pub(super) steps: Vec<StepRow>,
    pub(super) done: usize,
    pub(super) warnings: Vec<String>,
    pub(super) rows: Vec<ProbeRow>,
}

pub(super) struct StepRow {
    pub(super) what: String,
    pub(super) caution: &'static str,
    pub(super) done: bool,
    pub(super) is_next: bool,
}

pub(super) struct ProbeRow {
    pub(super) name: String,
    pub(super) asks: Vec<(String, Vec<Choice>)>,
    pub(super) found: String,
}

/// How each thing that was looked at is known.
pub(super) fn fact_rows(facts: &BTreeMap<String, Fact>) -> Vec<FactRow> {
    let row = |(field, fact): (&String, &Fact)| FactRow {
        field: field.clone(),
        what: match field.as_str() {
            "depth_mm" => "depth".to_owned(),
            "volume_cm3" => "volume".to_owned(),
            "surround_mm" => "surround".to_owned(),
            "circuit" => "breaker".to_owned(),
            "inrush_a" => "at switching on".to_owned(),
            "rated_a" => "rating".to_owned(),
            other => other.replace('_', " "),
        },
        how: choices(&Provenance::ALL, fact.how),
        by: fact.by.clone(),
        at: day(&fact.at),
    };
    facts.iter().map(row).collect()
}

pub(super) fn signs_form(site: &Site, point: &Point) -> SignsForm {
    let signs = point.signs;
    let told = deduced(signs);
    let counts_from_three = site.job.region == Region::Us;
    let seen = signs.terminals > 0;
    SignsForm {
        seen,
        terminals: signs.terminals.to_string(),
        asks: vec![
            ("signs.marked", "On and off marked", yes_no(signs.marked, "?")),
            ("signs.odd_screw", "A screw of another colour", yes_no(signs.odd_screw, "?")),
            ("signs.another", "Another works the same", yes_no(signs.another, "?")),
        ],
        kind: if seen { told.kind.name(counts_from_three) } else { "not looked at" },
        because: told.because,
        next: told.next,
    }
}

pub(super) fn photo_rows(site: &Site, point: &Point) -> Vec<PhotoRow> {
    let shows = |of: Shows| Shows::ALL.iter().find(|(s, _)| *s == of).map_or("", |(_, w)| w);
    let mut photos: Vec<_> = site.photos.iter().filter(|f| f.point == point.id).collect();
    photos.sort_by(|a, b| a.at.cmp(&b.at));
    photos
        .into_iter()
        .map(|f| PhotoRow {
            id: f.id.to_string(),
            image: f.image.clone(),
            shows: shows(f.shows),
            by: f.by.clone(),
            at: day(&f.at),
        })
        .collect()
}

pub(super) fn photo_kinds() -> Vec<Choice> {
    choices(&Shows::ALL, Shows::Place)
}

pub(super) fn lines_form(site: &Site, record: &Record, point: &Point) -> LinesForm {
    let is_dead = isolate::is_dead_now(site, record, point);
    let steps = lines::steps(site, point, &isolate::in_words(site, point), is_dead);
    let next = steps.iter().position(|s| !s.done);
    let found = lines::found(&point.conductors);
    let row = |(n, c): (usize, &Conductor)| {
        let ask = |field: &str, is| (format!("conductors.{n}.probe.{field}"), yes_no(is, "?"));
        let settled = found.iter().find(|f| f.id == c.id);
        let function =
            |of: Function| Function::ALL.iter().find(|(f, _)| *f == of).map_or("", |(_, w)| w);
        ProbeRow {
            name: format!(
                "{} {}",
                c.count,
                if c.colour.is_empty() { word(&c.size) } else { c.colour.clone() }
            ),
            asks: vec![
                ask("live", c.probe.live),
                ask("to_line", c.probe.to_line),
                ask("dead_after", c.probe.dead_after),
                ask("to_load", c.probe.to_load),
            ],
            found: settled
                .map_or_else(String::new, |f| format!("{}: {}", function(f.function), f.why)),
        }
    };
    LinesForm {
        done: steps.iter().filter(|s| s.done).count(),
        warnings: lines::warnings(&point.conductors),
        rows: point.conductors.iter().enumerate().map(row).collect(),
        steps: steps
            .into_iter()
            .enumerate()
            .map(|(n, s)| StepRow {
                what: s.what,
                caution: s.caution,
                done: s.done,
                is_next: next == Some(n),
            })
            .collect(),
    }
}
