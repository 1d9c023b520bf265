//! Two plans that parted from one, brought together field by field.

use std::collections::{BTreeMap, BTreeSet};

use serde::Deserialize;
use serde_json::{Map, Value};

use super::difference::changes;
use super::kept::Bond;
use super::{Edit, Ref, Site, Thing, fields};

/// Whose value stands where both sides changed the same.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// That of the plan that takes a variant.
    Plan,
    /// That of the variant.
    Variant,
}

/// What both sides changed, each in its own way.
#[derive(Clone, Debug, PartialEq)]
pub struct Both {
    /// The thing.
    pub of: Ref,
    /// What people call it.
    pub name: String,
    /// The field; none where one side took the whole thing out.
    pub field: Option<String>,
    /// What the plan holds there; none where it is gone or blank.
    pub plan: Option<Value>,
    /// What the variant holds there.
    pub variant: Option<Value>,
}

impl Both {
    /// How it is named in an answer: `point:p1.height_m`, or `point:p1` of a whole thing.
    pub fn key(&self) -> String {
        key(&self.of, self.field.as_deref())
    }
}

fn key(of: &Ref, field: Option<&str>) -> String {
    field.map_or_else(|| of.to_string(), |field| format!("{of}.{field}"))
}

/// What a variant changed, as a change of the plan that takes it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Merge {
    /// What is changed in the plan.
    pub edits: Vec<Edit>,
    /// What both changed and nobody has answered: nothing of it is in the edits.
    pub both: Vec<Both>,
}

/// What `variant` changed since both parted from `base`, field by field, as edits of `plan`. Where the plan
/// changed the same field since, or one side took out what the other went on with, the answer under its key
/// decides; without one it is asked for.
pub fn merge(base: &Site, plan: &Site, variant: &Site, answers: &BTreeMap<String, Side>) -> Merge {
    let mut work = Work { plan, answers, merge: Merge::default() };
    let (changed, gone) = changes(base, variant);
    for thing in changed {
        work.changed(base, thing);
    }
    let needed = needed_anew(base, plan, &gone);
    for of in gone {
        work.gone(base, &of, &needed);
    }
    work.merge
}

/// What would go that something stands on which came into the plan since, or was changed there: it would go along,
/// whatever is answered of it.
fn needed_anew(base: &Site, plan: &Site, gone: &[Ref]) -> BTreeSet<Ref> {
    let gone: BTreeSet<&Ref> = gone.iter().collect();
    let mut needed = BTreeSet::new();
    let is_other = |thing: &Thing| base.thing(&thing.of()).as_ref() != Some(thing);
    let mut open: Vec<Thing> = plan.things().filter(is_other).collect();
    while let Some(thing) = open.pop() {
        thing.ties(&mut |tie| {
            if tie.bond == Bond::GoesAlong
                && gone.contains(&tie.to)
                && needed.insert(tie.to.clone())
            {
                open.extend(plan.thing(&tie.to));
            }
        });
    }
    needed
}

struct Work<'a> {
    plan: &'a Site,
    answers: &'a BTreeMap<String, Side>,
    merge: Merge,
}

impl Work<'_> {
    /// Asks, where nobody has answered; whether the variant's value is to stand.
    fn takes(&mut self, both: Both) -> bool {
        let answer = self.answers.get(&both.key()).copied();
        if answer.is_none() {
            self.merge.both.push(both);
        }
        answer == Some(Side::Variant)
    }

    /// A thing that the variant holds and the base does not, or otherwise.
    fn changed(&mut self, base: &Site, thing: Thing) {
        let (of, written) = (thing.of(), written(&thing));
        let was = base.thing(&of);
        let Some(plan) = self.plan.thing(&of) else {
            let name = name(&thing);
            let both = Both { of, name, field: None, plan: None, variant: Some(written) };
            if was.is_none() || self.takes(both) {
                self.merge.edits.push(Edit::Put(thing));
            }
            return;
        };
        let was = was.as_ref().map_or(Value::Object(Map::new()), self::written);
        let now = self::written(&plan);
        let (sets, wholes) = (of.kind.sets(), of.kind.wholes());
        let mut changed = Vec::new();
        fields::differences(&was, &written, sets, wholes, &mut |field, _| changed.push(field));
        for field in changed {
            let held = |value: &Value| fields::held(value, &field, sets);
            let (before, here, there) = (held(&was), held(&now), held(&written));
            let both = Both {
                of: of.clone(),
                name: name(&plan),
                field: Some(field.clone()),
                plan: here.clone(),
                variant: there.clone(),
            };
            if here != there && (here == before || self.takes(both)) {
                let value = there.unwrap_or(Value::Null);
                self.merge.edits.push(Edit::set(of.kind, &of.id, &field, value));
            }
        }
    }

    /// A thing that the variant took out.
    fn gone(&mut self, base: &Site, of: &Ref, needed: &BTreeSet<Ref>) {
        let Some(plan) = self.plan.thing(of) else { return };
        let is_as_before = base.thing(of).as_ref() == Some(&plan) && !needed.contains(of);
        let both = Both {
            of: of.clone(),
            name: name(&plan),
            field: None,
            plan: Some(written(&plan)),
            variant: None,
        };
        if is_as_before || self.takes(both) {
            self.merge.edits.push(Edit::remove(of.kind, &of.id));
        }
    }
}

fn written(thing: &Thing) -> Value {
    thing.to_value().unwrap_or_default()
}

fn name(thing: &Thing) -> String {
    thing.name().unwrap_or_else(|| thing.of().kind.called().to_owned())
}
