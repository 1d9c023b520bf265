//! Changes of the plan in the words of who works with it: things by tag and name, ways by their length and side.

use dot_reach_core::site::{Edit, Kind, Ref, Site, Thing, Touch, field_in_words};
use dot_reach_core::units::typographic;
use serde_json::Value;

use dot_reach_core::units::count_of;

/// Who names the things of a change: the job as it stands, and what takes the change back, for what is gone.
#[derive(Clone, Copy)]
pub(super) struct Named<'a> {
    pub(super) site: &'a Site,
    pub(super) inverse: Option<&'a Edit>,
}

impl Named<'_> {
    /// A thing by tag and name; of one that has none, what it is.
    pub(super) fn thing(&self, of: &Ref) -> String {
        let thing = self.site.thing(of).or_else(|| self.gone(of));
        match thing {
            None => a(of.kind),
            Some(Thing::Job(_)) => "the brief".to_owned(),
            Some(Thing::Point(point)) => point.title(),
            Some(Thing::Device(device)) => {
                let tag = self.site.point_of(&device).map(|p| p.tag.clone()).unwrap_or_default();
                format!("{tag} {}", device.name).trim().to_owned()
            }
            Some(Thing::Wall(wall)) => match self.site.construction(&wall.construction) {
                Some(built) => format!("a wall of {}", built.name),
                None => "a wall".to_owned(),
            },
            Some(thing) => match thing.name().filter(|name| !name.is_empty()) {
                Some(name) => format!("{} {name}", thing.of().kind.called()),
                None => a(of.kind),
            },
        }
    }

    /// A thing that is gone, as what takes the change back would put it.
    fn gone(&self, of: &Ref) -> Option<Thing> {
        leaves(self.inverse?).into_iter().find_map(|edit| match edit {
            Edit::Put(thing) if thing.of() == *of => Some(Thing::clone(thing)),
            _ => None,
        })
    }

    /// What a field held before.
    fn before(&self, of: &Ref, name: &str) -> Option<&Value> {
        leaves(self.inverse?).into_iter().find_map(|edit| match edit {
            Edit::Set { kind, id, field, value }
                if *kind == of.kind && *id == of.id && field == name =>
            {
                Some(value)
            }
            _ => None,
        })
    }

    /// A change in a few words.
    pub(super) fn words(&self, edit: &Edit) -> String {
        match edit {
            Edit::Put(thing) => self.put(thing),
            Edit::Set { kind, id, field, value } => {
                self.set(&Ref::new(*kind, id.as_str()), field, value)
            }
            Edit::Remove { kind, id } => {
                format!("removed {}", self.thing(&Ref::new(*kind, id.as_str())))
            }
            Edit::Batch { edits } => match edits.as_slice() {
                [] => "nothing".to_owned(),
                [one] => self.words(one),
                [first, ..] => format!("{}, and {} more", self.words(first), edits.len() - 1),
            },
        }
    }

    /// What was done, told by what it touched.
    pub(super) fn touched(&self, touched: &[Touch]) -> String {
        match touched {
            [] => "nothing".to_owned(),
            [one] => format!("changed {}", self.thing(&one.thing)),
            [first, ..] => {
                format!("changed {}, and {} more", self.thing(&first.thing), touched.len() - 1)
            }
        }
    }

    fn put(&self, thing: &Thing) -> String {
        match thing {
            Thing::Job(_) => "changed the brief".to_owned(),
            Thing::Calibration(taught) => {
                format!("calibrated by {}", count_of(taught.readings, "reading", "readings"))
            }
            Thing::Scan(scan) => format!("recorded {} in a scan", scan.carrier.name()),
            Thing::Rule(rule) if rule.name.is_empty() => {
                "set what a control or a clock does".to_owned()
            }
            Thing::Rule(rule) => format!("set the rule {}", rule.name),
            Thing::Emitter(emitter) => format!("set {} on the air", emitter.name),
            other => {
                let of = other.of();
                let is_new = self.inverse.is_some_and(|inverse| {
                    leaves(inverse).into_iter().any(|edit| matches!(edit, Edit::Remove { kind, id } if *kind == of.kind && *id == of.id))
                });
                let name = if self.site.has(&of) {
                    self.thing(&of)
                } else {
                    match other.name() {
                        Some(name) => format!("{} {name}", of.kind.called()),
                        None => a(of.kind),
                    }
                };
                format!("{} {name}", if is_new { "added" } else { "changed" })
            }
        }
    }

    fn set(&self, of: &Ref, field: &str, value: &Value) -> String {
        let name = self.thing(of);
        if let Some(way) = self.before(of, field).and_then(|before| way(before, value)) {
            return format!("{name} moved {way}");
        }
        let said = field_in_words(field);
        match value {
            Value::Null => format!("{name}: {said} cleared"),
            Value::Bool(true) => format!("{name}: {said} ticked"),
            Value::Bool(false) => format!("{name}: {said} unticked"),
            Value::String(text) => format!("{name}: {said} set to {}", text.replace('-', " ")),
            Value::Number(number) => {
                format!(
                    "{name}: {said} set to {}",
                    typographic(number.as_f64().unwrap_or_default(), 2)
                )
            }
            Value::Array(_) if field == "at" => format!("{name} moved"),
            _ => format!("{name}: {said} changed"),
        }
    }
}

/// The single edits that one is made of.
fn leaves(edit: &Edit) -> Vec<&Edit> {
    match edit {
        Edit::Batch { edits } => edits.iter().flat_map(leaves).collect(),
        one => vec![one],
    }
}

/// How far and to which side something went on its storey, from where to where.
fn way(from: &Value, to: &Value) -> Option<String> {
    let spot = |value: &Value| Some([value.get(0)?.as_f64()?, value.get(1)?.as_f64()?]);
    let ([x, y], [u, v]) = (spot(from)?, spot(to)?);
    let metres = |m: f64| format!("{} m", typographic(m.abs(), 1));
    let mut parts = Vec::new();
    if (u - x).abs() >= 0.05 {
        parts.push(format!("{} to the {}", metres(u - x), if u > x { "right" } else { "left" }));
    }
    if (v - y).abs() >= 0.05 {
        parts.push(format!("{} {} the sheet", metres(v - y), if v > y { "down" } else { "up" }));
    }
    Some(if parts.is_empty() { "by a hand".to_owned() } else { parts.join(" and ") })
}

fn a(kind: Kind) -> String {
    match kind {
        Kind::Job | Kind::Calibration => format!("the {}", kind.called()),
        _ => format!("a {}", kind.called()),
    }
}
