//! The one way to change a site: an edit, applied with its inverse.

use std::collections::{BTreeMap, BTreeSet};

use serde_json::Value;

use super::edit::{Change, Edit, Ref, Touch};
use super::kept::{Bond, Tie};
use super::limits::{self, Crowds};
use super::{Kind, Limit, Refusal, Site, Thing, Wrong, fields};

/// Applies an edit; the site is changed only if the whole edit is accepted. What it comes to is held
/// to the rules when all of it is done, so that its parts may stand in any order.
///
/// # Errors
/// The first reason why it cannot be applied.
pub fn apply(site: &mut Site, edit: &Edit) -> Result<Change, Refusal> {
    let mut edits = 0;
    hold_size(edit, 0, &mut edits)?;
    let (after, change) = done(site, edit, Strict::Anew)?;
    limits::hold(site, &after, &change.touched)?;
    *site = after;
    Ok(change)
}

/// Applies the inverse of an edit. What a job held once it may hold again, however much that is.
///
/// # Errors
/// What it needs has gone meanwhile.
pub fn take_back(site: &mut Site, inverse: &Edit) -> Result<Change, Refusal> {
    let (after, change) = done(site, inverse, Strict::Back)?;
    *site = after;
    Ok(change)
}

/// Whether something is done for the first time, or goes back to what was.
#[derive(Clone, Copy, PartialEq)]
enum Strict {
    Anew,
    /// What a thing names by a library's word may have been gone before, and may be gone again.
    Back,
}

fn done(site: &Site, edit: &Edit, strict: Strict) -> Result<(Site, Change), Refusal> {
    let mut work = Work::on(site.clone());
    work.edit(edit)?;
    work.settle(strict)?;
    let change = work.change(site)?;
    Ok((work.site, change))
}

fn hold_size(edit: &Edit, depth: usize, edits: &mut usize) -> Result<(), Refusal> {
    *edits += 1;
    Limit::BatchEdits.holds(*edits)?;
    let Edit::Batch { edits: inner } = edit else { return Ok(()) };
    Limit::BatchDepth.holds(depth + 1)?;
    inner.iter().try_for_each(|edit| hold_size(edit, depth + 1, edits))
}

/// A site of these things, each held to the rules; what cannot stand is left out and told. Things
/// come after those that they name, but for others of their own kind.
pub fn gather(things: impl IntoIterator<Item = Thing>) -> Option<(Site, Vec<(Ref, Refusal)>)> {
    let things: Vec<Thing> = things.into_iter().collect();
    let ahead: BTreeSet<Ref> =
        things.iter().map(Thing::of).filter(|of| of.kind == Kind::Point).collect();
    let mut things = things.into_iter();
    let Some(Thing::Job(job)) = things.next() else { return None };
    let mut refused: Vec<_> = job.check().err().map(|e| (Ref::JOB, e)).into_iter().collect();
    let mut site = Site::new(job);
    let mut crowds = Crowds::default();
    for thing in things {
        let of = thing.of();
        match fits(&site, &mut crowds, &thing, &ahead) {
            Ok(()) => site.put(thing),
            Err(refusal) => refused.push((of, refusal)),
        }
    }
    drop_hanging(&mut site, &mut refused);
    Some((site, refused))
}

/// Of things that come anew those that a site takes, one after the other, and why it does not take the others.
pub fn admit(
    site: &Site,
    things: impl IntoIterator<Item = Thing>,
) -> (Vec<Thing>, Vec<(Ref, Refusal)>) {
    let (mut site, mut crowds) = (site.clone(), Crowds::of(site));
    let (mut taken, mut refused) = (Vec::new(), Vec::new());
    for thing in things {
        match fits(&site, &mut crowds, &thing, &BTreeSet::new()) {
            Ok(()) => {
                site.put(thing.clone());
                taken.push(thing);
            }
            Err(refusal) => refused.push((thing.of(), refusal)),
        }
    }
    (taken, refused)
}

/// Whether a site takes one thing more, where those of `ahead` are still to come.
fn fits(
    site: &Site,
    crowds: &mut Crowds,
    thing: &Thing,
    ahead: &BTreeSet<Ref>,
) -> Result<(), Refusal> {
    let of = thing.of();
    thing.check()?;
    ties_hold(site, thing, |to: &Ref| to.kind == of.kind && ahead.contains(to))?;
    let old = site.thing(&of);
    Limit::Things(of.kind).holds(site.count(of.kind) + usize::from(old.is_none()))?;
    crowds.take(thing, old.as_ref())
}

/// Takes out what names another of its kind that was left out itself, and all that stands on it.
fn drop_hanging(site: &mut Site, refused: &mut Vec<(Ref, Refusal)>) {
    if refused.is_empty() {
        return;
    }
    loop {
        let hanging: Vec<_> = site
            .things()
            .filter_map(|thing| Some((thing.of(), ties_hold(site, &thing, |_| false).err()?)))
            .collect();
        if hanging.is_empty() {
            return;
        }
        for (of, refusal) in hanging {
            site.take(&of);
            refused.push((of, refusal));
        }
    }
}

/// An edit at work: the site as it comes to be, and what was touched so far.
struct Work {
    site: Site,
    touched: BTreeSet<Ref>,
    removed: BTreeSet<Ref>,
    users: Option<Users>,
}

/// For each thing, those that name it. A thing that has changed since may stand here still: who asks
/// looks at it again.
type Users = BTreeMap<Ref, Vec<Ref>>;

impl Work {
    fn on(site: Site) -> Self {
        let (touched, removed) = (BTreeSet::new(), BTreeSet::new());
        Self { site, touched, removed, users: None }
    }

    fn edit(&mut self, edit: &Edit) -> Result<(), Refusal> {
        match edit {
            Edit::Put(thing) => {
                self.put(thing.clone());
                Ok(())
            }
            Edit::Set { kind, id, field, value } => self.set(&Ref::new(*kind, id), field, value),
            Edit::Remove { kind, id } => self.remove(&Ref::new(*kind, id)),
            Edit::Batch { edits } => edits.iter().try_for_each(|edit| self.edit(edit)),
        }
    }

    fn put(&mut self, thing: Thing) {
        let of = thing.of();
        if let Some(users) = &mut self.users {
            thing.ties(&mut |tie| users.entry(tie.to).or_default().push(of.clone()));
        }
        self.removed.remove(&of);
        self.touched.insert(of);
        self.site.put(thing);
    }

    fn set(&mut self, of: &Ref, field: &str, value: &Value) -> Result<(), Refusal> {
        let missing = || Refusal::Missing(of.clone());
        let old = self.site.thing(of).ok_or_else(missing)?;
        if field == "id" {
            return Err(Refusal::wrong("id", Wrong::IdStays));
        }
        let wrong = |text: String| Refusal::wrong(field, Wrong::Unreadable { text });
        let mut written = old.to_value().map_err(|e| wrong(e.to_string()))?;
        if !fields::set(&mut written, field, value.clone(), of.kind.sets()) {
            return Err(wrong("what it leads through has no fields".to_owned()));
        }
        let changed = Thing::from_value(of.kind, written).map_err(|e| wrong(e.to_string()))?;
        self.put(changed);
        Ok(())
    }

    /// Takes a thing out, and first what stands on it.
    fn remove(&mut self, of: &Ref) -> Result<(), Refusal> {
        if of.kind == Kind::Job {
            return Err(Refusal::wrong("kind", Wrong::JobStays));
        }
        if !self.site.has(of) {
            // What stood on something that this edit took away has gone with it.
            let gone = self.removed.contains(of);
            return if gone { Ok(()) } else { Err(Refusal::Missing(of.clone())) };
        }
        let named = self.users().get(of).cloned().unwrap_or_default();
        for user in named {
            let goes = self
                .site
                .thing(&user)
                .is_some_and(|thing| bonds(&thing, of).any(|bond| bond == Bond::GoesAlong));
            if goes {
                self.remove(&user)?;
            }
        }
        self.site.take(of);
        self.touched.insert(of.clone());
        self.removed.insert(of.clone());
        Ok(())
    }

    fn users(&mut self) -> &Users {
        let site = &self.site;
        self.users.get_or_insert_with(|| {
            let mut users = Users::new();
            site.visit_ties(&mut |kind, id, tie| {
                users.entry(tie.to).or_default().push(Ref::new(kind, id));
            });
            users
        })
    }

    /// Holds what the edit came to to the rules.
    fn settle(&mut self, strict: Strict) -> Result<(), Refusal> {
        for thing in self.touched.iter().filter_map(|of| self.site.thing(of)) {
            thing.check()?;
            ties_hold(&self.site, &thing, |_| false)?;
        }
        for of in std::mem::take(&mut self.removed) {
            let named = self.users().get(&of).cloned().unwrap_or_default();
            let site = &self.site;
            let needs = |bond: Bond| strict == Strict::Anew || bond != Bond::Names;
            let holds = |user: &&Ref| site.thing(user).is_some_and(|t| bonds(&t, &of).any(needs));
            let left: BTreeSet<&Ref> = named.iter().filter(holds).collect();
            if let Some(by) = left.first().map(|user| user.kind) {
                let count = left.iter().filter(|user| user.kind == by).count();
                return Err(Refusal::InUse { thing: of, count, by });
            }
        }
        Ok(())
    }

    fn change(&self, before: &Site) -> Result<Change, Refusal> {
        // Removals last: nothing stands any longer on what goes, so that nothing else goes with it.
        let (mut inverse, mut removals, mut touched) = (Vec::new(), Vec::new(), Vec::new());
        let unwritten = |e: serde_json::Error| {
            Refusal::wrong("value", Wrong::Unreadable { text: e.to_string() })
        };
        for of in &self.touched {
            let whole = Touch { thing: of.clone(), field: None };
            match (before.thing(of), self.site.thing(of)) {
                (None, None) => {}
                (None, Some(_)) => {
                    removals.push(Edit::remove(of.kind, &of.id));
                    touched.push(whole);
                }
                (Some(old), None) => {
                    inverse.push(Edit::Put(old));
                    touched.push(whole);
                }
                (Some(old), Some(new)) => {
                    let old = old.to_value().map_err(unwritten)?;
                    let new = new.to_value().map_err(unwritten)?;
                    let (sets, wholes) = (of.kind.sets(), of.kind.wholes());
                    fields::differences(&old, &new, sets, wholes, &mut |field, was| {
                        inverse.push(Edit::set(of.kind, &of.id, &field, was));
                        touched.push(Touch { thing: of.clone(), field: Some(field) });
                    });
                }
            }
        }
        inverse.extend(removals);
        touched.sort_unstable();
        Ok(Change { inverse: Edit::batch(inverse), touched })
    }
}

/// What binds a thing to another.
fn bonds(thing: &Thing, to: &Ref) -> impl Iterator<Item = Bond> {
    let mut bonds = Vec::new();
    thing.ties(&mut |tie| {
        if tie.to == *to {
            bonds.push(tie.bond);
        }
    });
    bonds.into_iter()
}

/// What a thing names must be there, or `comes` yet, but for what a library may hold.
fn ties_hold(site: &Site, thing: &Thing, comes: impl Fn(&Ref) -> bool) -> Result<(), Refusal> {
    let mut missing = None;
    thing.ties(&mut |Tie { field, to, bond }| {
        if missing.is_none() && bond != Bond::Names && !site.has(&to) && !comes(&to) {
            missing = Some(Refusal::wrong(field, Wrong::NoSuch(to)));
        }
    });
    missing.map_or(Ok(()), Err)
}

impl Kind {
    /// What people call several of it.
    pub fn called_many(self) -> String {
        match self {
            Self::Person => return "people".to_owned(),
            Self::Wish => return "wishes".to_owned(),
            Self::HouseAccess => return "accesses to the house".to_owned(),
            Self::Rate => return "prices and times".to_owned(),
            Self::DeviceShare => return "devices in platforms".to_owned(),
            Self::NeedsPower => return "things that need their power".to_owned(),
            Self::Regroup => return "loads to regroup".to_owned(),
            Self::AskedOfBuilder => return "things asked of the builder".to_owned(),
            _ => {}
        }
        // Sources on the air, lines of a scan.
        let (first, rest) = self.called().split_once(" o").unwrap_or((self.called(), ""));
        if rest.is_empty() { format!("{first}s") } else { format!("{first}s o{rest}") }
    }

    /// The kind of this word.
    pub fn named(word: &str) -> Option<Self> {
        let all = Self::TABLES.into_iter().chain([Self::Job, Self::Calibration]);
        all.into_iter().find(|kind| kind.word() == word)
    }
}
